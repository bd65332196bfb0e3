//! Trains the model that chooses among rows of beats (`core::track::level`) on the pieces with the fitted seeds, and
//! prints its weights: softmax over the rows of each piece, by gradient ascent.

use legere_core::evaluation::agreement;
use legere_core::track::{Audio, READING_RATE, considered};
use legere_etudes::{Band, Etude, FITTED_SEEDS, STYLES, each, fitted_improvisations, kept};
use std::path::Path;

const SEEDS_A_STYLE: u64 = 6;
/// Mixed styles differ more from piece to piece.
const SEEDS_A_MIXED_STYLE: u64 = 22;
const STEPS: usize = 3000;
const RATE: f64 = 0.3;
/// Keeps weights small where the pieces do not decide them, all alike: weights are learnt for features of one deviation.
const DECAY: f64 = 0.2;
/// Weights that are set, not trained, by their place among the features. The pieces are as fast as they were made, so how
/// far a tempo may be from the one that is tapped most must come from elsewhere: listeners' preferences are a resonance
/// near 120 beats a minute (Moelants, "Preferred tempo reconsidered", ICMPC 2002). And in its own music the network for
/// rows is surer than it should be.
const SET: [(usize, f64); 3] = [(6, -2.5), (7, -0.3), (26, 0.3)];

struct Piece {
    name: String,
    rows: Vec<Vec<f64>>,
    right: Vec<bool>,
}

fn main() {
    let band = Band::from_debian().expect("a soundfont");
    let kept = kept(env!("CARGO_TARGET_TMPDIR"));
    let mut etudes: Vec<Etude> = (0..STYLES.len())
        .flat_map(|s| {
            let count = if STYLES[s].mixed { SEEDS_A_MIXED_STYLE } else { SEEDS_A_STYLE };
            (FITTED_SEEDS.start..FITTED_SEEDS.start + count).map(move |seed| Etude::compose(&STYLES[s], seed))
        })
        .collect();
    etudes.extend(fitted_improvisations());
    let pieces = each(&etudes, |etude| piece(etude, &band, &kept));
    let able = pieces.iter().filter(|p| p.right.iter().any(|r| *r)).count();
    println!("{able} of {} pieces have a right row among those considered", pieces.len());
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

fn piece(etude: &Etude, band: &Band, kept: &Path) -> Piece {
    let samples = etude.played(band, READING_RATE, kept).expect("played");
    let rows = considered(Audio::mono(&samples));
    let truth = &etude.truth.beats;
    let right = rows.iter().map(|(_, beats)| agreement(truth, beats, 0.07).f > 0.85).collect();
    Piece { name: etude.name.clone(), rows: rows.into_iter().map(|r| r.0).collect(), right }
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
