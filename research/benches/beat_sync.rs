//! Trains the networks that hear from beat to beat (`analysis::music::beat_sync`) on pieces with the fitted seeds, and writes
//! their weights: `cargo bench --manifest-path research/Cargo.toml --features train --bench beat_sync -- [pieces] [rounds] [first] [on]`. With 1
//! as the last number it goes on from the weights that are there.

use legere_analysis::evaluation::agreement;
use legere_analysis::music::Audio;
use legere_analysis::music::training::beat_sync::{
    CHANGES_FROM, CHANNELS, DOWNBEAT_WEIGHTS, INPUTS, LEVELS_FROM, PITCH_CLASSES_FROM, SHAPE, TACTUS_WEIGHTS,
};
use legere_analysis::music::training::{beat_sync_inputs, candidate_features, unpacked};
use legere_research::Truth;
use legere_research::dataset::{cli_numbers, dataset};
use legere_research::train::{Course, Piece};
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::ops::Range;
use std::path::Path;

/// Some fast pieces are also heard at half their tempo, some slow ones at double.
const FAST_BPM: f64 = 120.0;
const SLOW_BPM: f64 = 85.0;
/// Rows whose F-measure is above are right, below the other wrong, and between them neither.
const RIGHT: f64 = 0.9;
const WRONG: f64 = 0.8;
/// Of each piece so many of the rows that are candidate_features beside the right one, which counts as often as `RIGHT_COUNTS`.
const WRONG_A_PIECE: usize = 5;
const RIGHT_COUNTS: usize = 2;
/// Beats that are found lie beside those that are written, in seconds: each by itself, and all of a row together.
const BESIDE: f64 = 0.008;

/// Onsets, levels, chords and the notes of the bass, each at times not to be heard: none of them is to decide alone.
const GROUPS: [[Range<usize>; 2]; 4] = [
    [0..LEVELS_FROM, 0..0],
    [LEVELS_FROM..PITCH_CLASSES_FROM, 0..0],
    [PITCH_CLASSES_FROM..PITCH_CLASSES_FROM + 24, CHANGES_FROM..CHANGES_FROM + 3],
    [PITCH_CLASSES_FROM + 24..CHANGES_FROM, CHANGES_FROM + 3..INPUTS],
];
const GROUP_MISSING: f64 = 0.3;

struct Row {
    inputs: Vec<f32>,
    wanted: Vec<f32>,
}

fn main() -> candle_core::Result<()> {
    let [pieces, rounds, first, on] = cli_numbers([3600, 14, 90_000, 0]);
    let rows = dataset(first..first + pieces, |composition, samples| {
        let mut rng = ChaCha8Rng::seed_from_u64(composition.fingerprint());
        let (truth, audio) = (&composition.truth, Audio::mono(samples));
        let levels = levels(truth);
        let found: Vec<Vec<f64>> = levels.iter().map(|beats| found(beats, &mut rng)).collect();
        let one = |at: &f64| if truth.downbeats.iter().any(|d| (d - at).abs() < 1e-6) { 1.0 } else { 0.0 };
        let wanted = levels.iter().map(|beats| beats.iter().map(one).collect());
        let ones = beat_sync_inputs(audio, &found).into_iter().zip(wanted);
        let ones = ones.map(|(inputs, wanted)| Row { inputs, wanted }).collect();
        (ones, considered_rows(truth, audio, &mut rng))
    });
    let (downbeat, tactus): (Vec<_>, Vec<_>) = rows.into_iter().unzip();
    for (rows, file, shipped) in [(downbeat, "downbeat", DOWNBEAT_WEIGHTS), (tactus, "tactus", TACTUS_WEIGHTS)] {
        println!("{file}:");
        let course = Course {
            shape: SHAPE,
            channels: CHANNELS,
            weights: (on == 1).then(|| unpacked(shipped)),
            rounds,
            batch: 8,
            held_back: 400,
            file: &Path::new(env!("CARGO_MANIFEST_DIR"))
                .join(format!("../crates/analysis/src/music/weights/{file}.weights")),
        };
        course.run(rows.into_iter().flatten().collect())?;
    }
    Ok(())
}

/// One of the right rows among those that are candidate_features for a piece, and some of the others: what the model that chooses
/// has to tell apart. None where no row is right.
fn considered_rows(truth: &Truth, audio: Audio<'_>, rng: &mut ChaCha8Rng) -> Vec<Row> {
    let judged = |beats: Vec<f64>| (agreement(&truth.beats, &beats, 0.07).f, beats);
    let mut rows: Vec<(f64, Vec<f64>)> =
        candidate_features(audio).into_iter().map(|(_, beats)| judged(beats)).collect();
    rows.shuffle(rng);
    let Some((_, right)) = rows.iter().find(|(f, _)| *f > RIGHT) else { return Vec::new() };
    let wrong = rows.iter().filter(|(f, _)| *f < WRONG).take(WRONG_A_PIECE);
    let right = std::iter::repeat_n((1.0, right.clone()), RIGHT_COUNTS);
    let (wanted, beats): (Vec<f32>, Vec<Vec<f64>>) = right.chain(wrong.map(|(_, beats)| (0.0, beats.clone()))).unzip();
    let told = beat_sync_inputs(audio, &beats).into_iter().zip(wanted);
    told.map(|(inputs, wanted)| Row { wanted: vec![wanted; inputs.len() / INPUTS], inputs }).collect()
}

/// The beats, and where a listener might as well count at another level, those.
fn levels(truth: &Truth) -> Vec<Vec<f64>> {
    let beats = &truth.beats;
    let mut levels = vec![beats.clone()];
    let first = beats.iter().position(|b| truth.downbeats.first() == Some(b)).unwrap_or(0);
    if truth.metre == 4 && truth.tempo_bpm > FAST_BPM {
        levels.push(beats.iter().skip(first % 2).step_by(2).copied().collect());
    }
    if truth.tempo_bpm < SLOW_BPM {
        levels.push(row(beats, 0.5, 0.0));
    }
    levels
}

/// Where beats would be found that are at these times.
fn found(beats: &[f64], rng: &mut ChaCha8Rng) -> Vec<f64> {
    let all = rng.random_range(-BESIDE..BESIDE);
    beats.iter().map(|at| (at + all + rng.random_range(-BESIDE..BESIDE)).max(0.0)).collect()
}

/// A row along the beats, `apart` and `late` in beats.
fn row(beats: &[f64], apart: f64, late: f64) -> Vec<f64> {
    (0..)
        .map(|i| late + f64::from(i) * apart)
        .take_while(|at| *at < (beats.len() - 1) as f64)
        .map(|at| beats[at as usize] + at.fract() * (beats[at as usize + 1] - beats[at as usize]))
        .collect()
}

impl Piece for Row {
    /// By chance in another key, and with something missing.
    fn rows(&self, chance: Option<&mut ChaCha8Rng>) -> (Vec<f32>, Vec<f32>) {
        let mut inputs = self.inputs.clone();
        if let Some(rng) = chance {
            let turn = rng.random_range(0..12);
            let gone: Vec<usize> = (0..INPUTS).filter(|_| rng.random_bool(0.04)).collect();
            let groups: [bool; 4] = std::array::from_fn(|_| rng.random_bool(GROUP_MISSING));
            for row in inputs.chunks_exact_mut(INPUTS) {
                for classes in row[PITCH_CLASSES_FROM..CHANGES_FROM].chunks_exact_mut(12) {
                    classes.rotate_right(turn);
                }
                for (of, _) in GROUPS.iter().zip(groups).filter(|(_, missing)| *missing) {
                    of.iter().for_each(|range| row[range.clone()].fill(0.0));
                }
                gone.iter().for_each(|i| row[*i] = 0.0);
                row.iter_mut().for_each(|v| *v += rng.random_range(-0.08..0.08));
            }
        }
        (inputs, self.wanted.clone())
    }
}
