//! Trains the model that chooses among rows of beats (`analysis::music::selection`) and prints its weights: softmax over the rows
//! of each piece, by gradient ascent. `cargo bench --manifest-path research/Cargo.toml --bench selection -- [pieces] [first]`: of the lessons, but
//! others than the networks have learnt from, whose word is trusted as much as it is worth in music that they do not know.

use legere_analysis::evaluation::agreement;
use legere_analysis::music::Audio;
use legere_analysis::music::training::candidate_features;
use legere_research::Composition;
use legere_research::dataset::{cli_numbers, dataset};

const STEPS: usize = 3000;
const RATE: f64 = 0.3;
/// Keeps weights small where the pieces do not decide them, all alike: weights are learnt for features of one deviation.
const DECAY: f64 = 0.2;
/// Weights that are set, not trained, by their place among the features. The pieces are as fast as they were made, so how
/// far a tempo may be from the one that is tapped most must come from elsewhere: listeners' preferences are a resonance
/// near 120 beats a minute (Moelants, "Preferred tempo reconsidered", ICMPC 2002).
const SET: [(usize, f64); 2] = [(6, -2.5), (7, -0.3)];

struct Piece {
    name: String,
    rows: Vec<Vec<f64>>,
    right: Vec<bool>,
}

fn main() {
    let [pieces, first] = cli_numbers([1500, 80_000]);
    let pieces = dataset(first..first + pieces, piece);
    let able = pieces.iter().filter(|p| p.right.iter().any(|r| *r)).count();
    println!("{able} of {} pieces have a right row among those candidate_features", pieces.len());
    for p in pieces.iter().filter(|p| !p.right.iter().any(|r| *r)) {
        println!("  none for {}", p.name);
    }
    let weights = train(&pieces);
    let chosen =
        |p: &Piece| (0..p.rows.len()).max_by(|a, b| dot(&weights, &p.rows[*a]).total_cmp(&dot(&weights, &p.rows[*b])));
    for p in &pieces {
        if !chosen(p).is_some_and(|c| p.right[c]) {
            println!("  wrong: {}", p.name);
        }
    }
    println!("const WEIGHTS: [f64; FEATURES] = {weights:.2?};");
}

fn piece(composition: &Composition, samples: &[f32]) -> Piece {
    let (rows, beats): (Vec<Vec<f64>>, Vec<Vec<f64>>) = candidate_features(Audio::mono(samples)).into_iter().unzip();
    let right = beats.iter().map(|beats| agreement(&composition.truth.beats, beats, 0.07).f > 0.85).collect();
    Piece { name: composition.name.clone(), rows, right }
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(x, y)| x * y).sum()
}

fn train(pieces: &[Piece]) -> Vec<f64> {
    let scales = deviations(pieces);
    let mut weights = vec![0.0; scales.len()];
    SET.iter().for_each(|(which, weight)| weights[*which] = *weight);
    for _ in 0..STEPS {
        let mut gradient = vec![0.0; scales.len()];
        for p in pieces.iter().filter(|p| p.right.iter().any(|r| *r)) {
            let scores: Vec<f64> = p.rows.iter().map(|r| dot(&weights, r)).collect();
            let top = scores.iter().copied().fold(f64::MIN, f64::max);
            let shares: Vec<f64> = scores.iter().map(|s| (s - top).exp()).collect();
            let whole: f64 = shares.iter().sum();
            let right: f64 = shares.iter().zip(&p.right).filter(|(_, r)| **r).map(|(s, _)| s).sum();
            for ((row, share), is_right) in p.rows.iter().zip(&shares).zip(&p.right) {
                let pull = if *is_right { share / right.max(1e-12) } else { 0.0 } - share / whole;
                gradient.iter_mut().zip(row).for_each(|(g, f)| *g += pull * f);
            }
        }
        for (which, (weight, scale)) in weights.iter_mut().zip(&scales).enumerate() {
            if SET.iter().all(|set| set.0 != which) {
                let uphill = gradient[which] / pieces.len() as f64 / scale - DECAY * *weight * scale;
                *weight += RATE * uphill / scale;
            }
        }
    }
    weights
}

/// Of each feature over all rows.
fn deviations(pieces: &[Piece]) -> Vec<f64> {
    let rows: Vec<&Vec<f64>> = pieces.iter().flat_map(|p| &p.rows).collect();
    let count = rows.len().max(1) as f64;
    (0..rows.first().map_or(0, |r| r.len()))
        .map(|which| {
            let mean = rows.iter().map(|r| r[which]).sum::<f64>() / count;
            (rows.iter().map(|r| (r[which] - mean).powi(2)).sum::<f64>() / count).sqrt().max(1e-3)
        })
        .collect()
}
