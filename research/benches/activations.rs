//! Trains the networks that hear beats and downbeats (`analysis::music::activations`) on pieces with the fitted seeds, and writes
//! their weights:
//! `cargo bench --manifest-path research/Cargo.toml --features train --bench activations -- [bands] [pieces] [rounds] [first] [on]`. With `bands` it
//! trains the network that is told bands only, else that which is told semitones too. The third number is that of the first
//! piece; with 1 as the last it goes on from the weights that are there.
//!
//! With `RAYON_NUM_THREADS=1 MALLOC_MMAP_THRESHOLD_=4000000000 MALLOC_TRIM_THRESHOLD_=8000000000` a round takes less than
//! half the time: both threads of the training are its own, and memory is not given back between tensors.

use legere_analysis::music::Audio;
use legere_analysis::music::training::activations::{
    ActivationNetwork, BAND_NETWORK, BANDS, INPUTS, PITCH_CLASSES_FROM, SEMITONE_NETWORK, SEMITONES_FROM, STEP_RATE,
};
use legere_analysis::music::training::{Shape, activation_inputs, unpacked};
use legere_research::Truth;
use legere_research::dataset::{cli_numbers, dataset};
use legere_research::train::{Course, Piece};
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use std::path::Path;

/// Steps of a piece that are learnt from at once, wherever in the piece: half a minute.
const EXCERPT: usize = 1500;

/// Whether one taps, and whether a bar begins.
const OUTPUTS: usize = 2;

struct Heard {
    inputs: Vec<f32>,
    truth: Truth,
    /// What the network is told of [`INPUTS`] values.
    told: usize,
}

fn main() -> candle_core::Result<()> {
    if std::env::args().any(|word| word == "bands") {
        train("bands", &BAND_NETWORK)
    } else {
        train("semitones", &SEMITONE_NETWORK)
    }
}

fn train<const C: usize>(name: &str, network: &ActivationNetwork<C>) -> candle_core::Result<()> {
    let [pieces, rounds, first, on] = cli_numbers([3600, 11, 70_000, 0]);
    let Shape { inputs: told, .. } = network.shape;
    let heard = dataset(first..first + pieces, |composition, samples| Heard {
        inputs: activation_inputs(Audio::mono(samples)),
        truth: composition.truth.clone(),
        told,
    });
    let course = Course {
        shape: network.shape,
        channels: C,
        weights: (on == 1).then(|| unpacked(network.weights)),
        rounds,
        batch: 4,
        held_back: 60,
        file: &Path::new(env!("CARGO_MANIFEST_DIR"))
            .join(format!("../crates/analysis/src/music/weights/activations-{name}.weights")),
    };
    course.run(heard).map(|_| ())
}

impl Piece for Heard {
    /// By chance in another key and another tempo.
    fn rows(&self, chance: Option<&mut ChaCha8Rng>) -> (Vec<f32>, Vec<f32>) {
        let Some(rng) = chance else {
            return (told(&self.inputs, self.told), targets(&self.truth, 1.0, self.inputs.len() / INPUTS));
        };
        let slower = if rng.random_bool(0.5) { rng.random_range(0.85..1.18) } else { 1.0 };
        let inputs = in_other_keys(&in_other_tempo(&self.inputs, slower), rng);
        let targets = targets(&self.truth, slower, inputs.len() / INPUTS);
        let steps = inputs.len() / INPUTS;
        let from = rng.random_range(0..=steps.saturating_sub(EXCERPT));
        let to = (from + EXCERPT).min(steps);
        (told(&inputs[from * INPUTS..to * INPUTS], self.told), targets[from * OUTPUTS..to * OUTPUTS].to_vec())
    }
}

/// The first so many values of each row.
fn told(inputs: &[f32], values: usize) -> Vec<f32> {
    inputs.chunks_exact(INPUTS).flat_map(|row| &row[..values]).copied().collect()
}

/// The same music as if played higher or lower, at times with a range of the spectrum missing: rhythm is what is left.
fn in_other_keys(inputs: &[f32], rng: &mut ChaCha8Rng) -> Vec<f32> {
    let up = rng.random_range(-2i32..=2) as isize;
    let turn = rng.random_range(-6i32..6) as isize;
    let gone = if rng.random_bool(0.3) {
        let from = rng.random_range(0..BANDS);
        from..(from + rng.random_range(3..14)).min(BANDS)
    } else {
        0..0
    };
    let (no_harmony, no_notes) = (rng.random_bool(0.1), rng.random_bool(0.1));
    let mut out = vec![0.0; inputs.len()];
    for (row, new) in inputs.chunks_exact(INPUTS).zip(out.chunks_exact_mut(INPUTS)) {
        for band in (0..BANDS).filter(|b| !gone.contains(b)) {
            let from = band.saturating_add_signed(-up).min(BANDS - 1);
            new[band] = row[from];
            new[BANDS + band] = row[BANDS + from];
        }
        if !no_harmony {
            let turned = &mut new[PITCH_CLASSES_FROM..SEMITONES_FROM];
            turned.copy_from_slice(&row[PITCH_CLASSES_FROM..SEMITONES_FROM]);
            turned.rotate_right(turn.rem_euclid(12) as usize);
        }
        if !no_notes {
            let (notes, turned) = (&row[SEMITONES_FROM..], &mut new[SEMITONES_FROM..]);
            for (note, slot) in turned.iter_mut().enumerate() {
                *slot = note.checked_add_signed(-turn).and_then(|from| notes.get(from)).copied().unwrap_or(0.0);
            }
        }
    }
    out
}

/// The same music `slower` times as long.
fn in_other_tempo(inputs: &[f32], slower: f64) -> Vec<f32> {
    let steps = inputs.len() / INPUTS;
    let row = |i: usize| &inputs[i.min(steps - 1) * INPUTS..][..INPUTS];
    (0..(steps as f64 * slower) as usize)
        .flat_map(|step| {
            let from = step as f64 / slower;
            let part = from.fract() as f32;
            row(from as usize).iter().zip(row(from as usize + 1)).map(move |(a, b)| (1.0 - part) * a + part * b)
        })
        .collect()
}

/// 1 at each beat, a half beside it.
fn targets(truth: &Truth, slower: f64, steps: usize) -> Vec<f32> {
    let mut rows = vec![0.0f32; steps * OUTPUTS];
    for (output, times) in [&truth.beats, &truth.downbeats].into_iter().enumerate() {
        for at in times {
            let centre = (at * slower * STEP_RATE).round() as isize;
            for (by, value) in [(-1, 0.5), (0, 1.0), (1, 0.5)] {
                if let Some(slot) = usize::try_from(centre + by).ok().filter(|s| *s < steps) {
                    let slot = &mut rows[slot * OUTPUTS + output];
                    *slot = slot.max(value);
                }
            }
        }
    }
    rows
}
