//! Trains the networks that hear from beat to beat (`core::track::beatwise`) on pieces with the fitted seeds, and writes
//! their weights: `cargo bench -p legere-etudes --features train --bench beatwise -- [pieces] [rounds] [first]`.

use legere_core::track::beatwise::{CHANGES_FROM, CHANNELS, INPUTS, LEVELS_FROM, PITCHES, SHAPE};
use legere_core::track::{Audio, beatwise_inputs};
use legere_etudes::Truth;
use legere_etudes::learn::{Course, Piece};
use legere_etudes::lessons::{asked, lessons};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::ops::Range;
use std::path::Path;

/// Some fast pieces are also heard at half their tempo, some slow ones at double.
const FAST_BPM: f64 = 120.0;
const SLOW_BPM: f64 = 85.0;
/// Rows beside the beats, a piece: so many beats apart, and so many beats late.
const WRONG: [(f64, f64); 12] = [
    (1.0, 0.5),
    (1.0, 0.5),
    (1.0, 0.25),
    (1.0, 1.0 / 3.0),
    (1.0, 2.0 / 3.0),
    (0.5, 0.0),
    (2.0, 0.0),
    (2.0, 1.0),
    (0.75, 0.0),
    (1.5, 0.0),
    (2.0 / 3.0, 0.0),
    (4.0 / 3.0, 0.0),
];
const WRONG_A_PIECE: usize = 4;
/// Beats that are found lie beside those that are written, in seconds: each by itself, and all of a row together.
const BESIDE: f64 = 0.012;
const ALL_BESIDE: f64 = 0.015;

/// Onsets, levels, chords and the notes of the bass, each at times not to be heard: none of them is to decide alone.
const GROUPS: [[Range<usize>; 2]; 4] = [
    [0..LEVELS_FROM, 0..0],
    [LEVELS_FROM..PITCHES, 0..0],
    [PITCHES..PITCHES + 24, CHANGES_FROM..CHANGES_FROM + 3],
    [PITCHES + 24..CHANGES_FROM, CHANGES_FROM + 3..INPUTS],
];
const GROUP_MISSING: f64 = 0.3;

struct Row {
    inputs: Vec<f32>,
    wanted: Vec<f32>,
}

fn main() -> candle_core::Result<()> {
    let [pieces, rounds, first] = asked([3600, 14, 60_000]);
    let rows = lessons(first..first + pieces, |etude, samples| {
        let mut rng = ChaCha8Rng::seed_from_u64(etude.fingerprint());
        let truth = &etude.truth;
        let one = |at: &f64| if truth.downbeats.iter().any(|d| (d - at).abs() < 1e-6) { 1.0 } else { 0.0 };
        let levels = levels(truth);
        let wrong = WRONG.choose_multiple(&mut rng, WRONG_A_PIECE);
        let wrong: Vec<Vec<f64>> = wrong.map(|(apart, late)| row(&truth.beats, *apart, *late)).collect();
        let found: Vec<Vec<f64>> = levels.iter().chain(&wrong).map(|beats| found(beats, &mut rng)).collect();
        let mut told = beatwise_inputs(Audio::mono(samples), &found);
        let beside = told.split_off(levels.len());
        let right = (told[0].clone(), 1.0);
        let ones = told
            .into_iter()
            .zip(&levels)
            .map(|(inputs, beats)| Row { inputs, wanted: beats.iter().map(one).collect() });
        let tapped = std::iter::once(right).chain(beside.into_iter().map(|inputs| (inputs, 0.0)));
        let tapped = tapped.map(|(inputs, wanted)| Row { wanted: vec![wanted; inputs.len() / INPUTS], inputs });
        (ones.collect::<Vec<_>>(), tapped.collect::<Vec<_>>())
    });
    let (ones, tapped): (Vec<_>, Vec<_>) = rows.into_iter().unzip();
    for (rows, file) in [(ones, "ones"), (tapped, "rows")] {
        println!("{file}:");
        let course = Course {
            shape: SHAPE,
            channels: CHANNELS,
            weights: None,
            rounds,
            batch: 8,
            held_back: 400,
            file: &Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("../core/src/track/{file}.weights")),
        };
        course.run(rows.into_iter().flatten().collect())?;
    }
    Ok(())
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
    let all = rng.random_range(-ALL_BESIDE..ALL_BESIDE);
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
                for classes in row[PITCHES..CHANGES_FROM].chunks_exact_mut(12) {
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
