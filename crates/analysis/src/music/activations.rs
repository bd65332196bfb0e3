//! Beat and downbeat activations: probabilities, fifty times a second.
//!
//! Two temporal convolutional networks (Davies and Böck, "Temporal convolutional networks for musical audio beat tracking",
//! EUSIPCO 2019) with residual layers whose reach doubles from one to the next: the last of them sees some ten seconds to
//! both sides. One has bands as inputs, the other semitones too: where strings or voices go from note to note no band grows
//! louder, but a semitone does. Their mean is used; they were trained on different pieces and are seldom wrong together.
//! Trained by `research` (`--bench activations`); [`super::lattice`], [`super::constant_tempo`] and [`super::bars`] decode
//! beats and bars from them.

use super::network::{Network, Shape, unpacked};
use super::onsets::{rises, strongest};
use super::spectrum::{SEMITONES, SEMITONES_EVERY, Spectrum};

/// Spectral frames a step of the network covers: 20 ms.
const EVERY: usize = SEMITONES_EVERY;
/// Steps a second.
pub const STEP_RATE: f64 = super::spectrum::FRAME_RATE / EVERY as f64;
/// Values a step: levels and rises in bands, pitch classes, and rises of semitones.
pub const INPUTS: usize = SEMITONES_FROM + SEMITONES;
/// Bands, from low to high.
pub const BANDS: usize = 40;
/// Where pitch classes begin.
pub const PITCH_CLASSES_FROM: usize = 2 * BANDS;
/// Where semitones begin.
pub const SEMITONES_FROM: usize = PITCH_CLASSES_FROM + 12;
/// Steps over which a semitone rises: half as long as its window.
const RISING: usize = 4;

/// A network of so many channels, and the weights that the program ships with.
pub struct ActivationNetwork<const C: usize> {
    /// How it is built.
    pub shape: Shape,
    /// As they are shipped.
    pub weights: &'static [u8],
}

/// With the first [`SEMITONES_FROM`] values as inputs.
pub const BAND_NETWORK: ActivationNetwork<40> =
    ActivationNetwork { shape: shape(SEMITONES_FROM), weights: include_bytes!("weights/activations-bands.weights") };
/// With all values as inputs.
pub const SEMITONE_NETWORK: ActivationNetwork<48> =
    ActivationNetwork { shape: shape(INPUTS), weights: include_bytes!("weights/activations-semitones.weights") };

const fn shape(inputs: usize) -> Shape {
    Shape { inputs, first_taps: 3, taps: 5, layers: 9, outputs: 2 }
}

impl<const C: usize> ActivationNetwork<C> {
    fn activations(&self, inputs: &[f32]) -> Activations {
        let weights = unpacked(self.weights);
        let mut outputs = Network::<C>::of(self.shape, &weights).forward(inputs).into_iter();
        Activations { beats: outputs.next().unwrap_or_default(), downbeats: outputs.next().unwrap_or_default() }
    }
}

/// Probabilities along time, [`STEP_RATE`] a second.
pub struct Activations {
    /// That one taps.
    pub beats: Vec<f32>,
    /// That a bar begins.
    pub downbeats: Vec<f32>,
}

impl Activations {
    /// The mean of both networks.
    pub fn of(spectrum: &Spectrum) -> Self {
        let rows = inputs(spectrum);
        let bands: Vec<f32> = rows.chunks_exact(INPUTS).flat_map(|row| &row[..SEMITONES_FROM]).copied().collect();
        let (one, other) = (BAND_NETWORK.activations(&bands), SEMITONE_NETWORK.activations(&rows));
        let mean = |a: &[f32], b: &[f32]| a.iter().zip(b).map(|(a, b)| (a + b) / 2.0).collect();
        Self { beats: mean(&one.beats, &other.beats), downbeats: mean(&one.downbeats, &other.downbeats) }
    }

    /// The beat activation in each spectral frame, 0–1; its root, which lifts small probabilities.
    pub fn beat_strength(&self, frames: usize) -> Vec<f32> {
        (0..frames)
            .map(|frame| {
                let (step, part) = (frame / EVERY, (frame % EVERY) as f32 / EVERY as f32);
                let value = |i: usize| self.beats.get(i).copied().unwrap_or(0.0);
                ((1.0 - part) * value(step) + part * value(step + 1)).sqrt()
            })
            .collect()
    }

    /// The share of all beat activation that lies within 40 ms of these times.
    pub fn mass_on(&self, times: &[f64]) -> f64 {
        let mut on = vec![false; self.beats.len()];
        for at in times {
            let centre = (at * STEP_RATE).round().max(0.0) as usize;
            let to = (centre + 3).min(on.len());
            on[centre.saturating_sub(2).min(to)..to].fill(true);
        }
        let hit: f32 = self.beats.iter().zip(&on).filter(|(_, on)| **on).map(|(v, _)| v).sum();
        f64::from(hit / self.beats.iter().sum::<f32>().max(1e-6))
    }

    /// The highest value within 40 ms of a time.
    pub fn peak_near(values: &[f32], at: f64) -> f64 {
        strongest(values, STEP_RATE, at, 2)
    }
}

/// The inputs of each step, step-major ([`INPUTS`] values a step): zero mean a band, unit deviation of each group over the
/// track.
pub fn inputs(spectrum: &Spectrum) -> Vec<f32> {
    let steps = spectrum.frames() / EVERY;
    let mut rows = vec![0.0f32; steps * INPUTS];
    let bands = spectrum.bands();
    let slots: Vec<usize> = (0..bands).map(|band| band * BANDS / bands).collect();
    for (step, row) in rows.chunks_exact_mut(INPUTS).enumerate() {
        for frame in step * EVERY..(step + 1) * EVERY {
            let now = spectrum.frame(frame);
            for ((value, rise), slot) in now.iter().zip(rises(spectrum, frame)).zip(&slots) {
                row[*slot] += value;
                row[BANDS + slot] += rise;
            }
        }
        let chroma = spectrum.chroma_at(step * EVERY);
        let norm = chroma.iter().map(|v| v * v).sum::<f32>().sqrt().max(1e-6);
        row[PITCH_CLASSES_FROM..SEMITONES_FROM].iter_mut().zip(chroma).for_each(|(slot, v)| *slot = v / norm - 0.25);
        let notes = spectrum.semitones();
        let (now, then) = (&notes[step], &notes[step.saturating_sub(RISING)]);
        for (note, slot) in row[SEMITONES_FROM..].iter_mut().enumerate() {
            // A neighbour that sounded before may be the same note, trembling.
            let before = then[note.saturating_sub(1)..(note + 2).min(SEMITONES)].iter().copied().fold(0.0f32, f32::max);
            *slot = (now[note] - before).max(0.0);
        }
    }
    whiten(&mut rows, 0..BANDS, true);
    whiten(&mut rows, BANDS..PITCH_CLASSES_FROM, false);
    whiten(&mut rows, SEMITONES_FROM..INPUTS, false);
    rows
}

/// Takes the mean of each column away (or not), and divides all columns by their common deviation.
fn whiten(rows: &mut [f32], columns: std::ops::Range<usize>, centre: bool) {
    let steps = (rows.len() / INPUTS).max(1) as f32;
    if centre {
        for column in columns.clone() {
            let mean = rows.chunks_exact(INPUTS).map(|r| r[column]).sum::<f32>() / steps;
            rows.chunks_exact_mut(INPUTS).for_each(|r| r[column] -= mean);
        }
    }
    let mut squares = 0.0f64;
    for row in rows.chunks_exact(INPUTS) {
        squares += row[columns.clone()].iter().map(|v| f64::from(v * v)).sum::<f64>();
    }
    let deviation = (squares / (f64::from(steps) * columns.len() as f64)).sqrt().max(1e-6) as f32;
    for row in rows.chunks_exact_mut(INPUTS) {
        row[columns.clone()].iter_mut().for_each(|v| *v /= deviation);
    }
}

#[cfg(test)]
mod tests {
    use super::super::READING_RATE;
    use super::*;

    /// A tick on each beat, louder and lower on each fourth, over a soft chord.
    fn ticks(gap: f64, count: usize) -> Vec<f32> {
        let rate = f64::from(READING_RATE);
        let mut samples: Vec<f32> = (0..((count as f64 * gap + 1.0) * rate) as usize)
            .map(|i| 0.02 * (std::f64::consts::TAU * 220.0 * i as f64 / rate).sin() as f32)
            .collect();
        for beat in 0..count {
            let (hertz, loud) = if beat % 4 == 0 { (90.0, 0.8) } else { (900.0, 0.3) };
            let from = ((0.5 + beat as f64 * gap) * rate) as usize;
            for i in 0..2000.min(samples.len() - from) {
                let t = i as f64 / rate;
                samples[from + i] += (loud * (std::f64::consts::TAU * hertz * t).sin() * (-t * 40.0).exp()) as f32;
            }
        }
        samples
    }

    #[test]
    fn it_would_tap_on_ticks_and_not_between_them() {
        let gap = 0.55;
        let activations = Activations::of(&Spectrum::of(&ticks(gap, 60)));
        let mean = |values: &[f32], from: f64, step: usize| {
            let times: Vec<f64> = (8..52).step_by(step).map(|i| from + f64::from(i) * gap).collect();
            times.iter().map(|t| Activations::peak_near(values, *t)).sum::<f64>() / times.len() as f64
        };
        let (on, between) = (mean(&activations.beats, 0.5, 1), mean(&activations.beats, 0.5 + 0.25 * gap, 1));
        assert!(on > 3.0 * between, "{on} on the ticks, {between} between them");
        let (ones, others) = (mean(&activations.downbeats, 0.5, 4), mean(&activations.downbeats, 0.5 + gap, 4));
        assert!(ones > 1.5 * others, "{ones} on the low ticks, {others} behind them");
        let times: Vec<f64> = (0..60).map(|i| 0.5 + f64::from(i) * gap).collect();
        assert!(activations.mass_on(&times) > 0.5);
    }

    #[test]
    fn what_is_shipped_are_whole_networks() {
        fn whole<const C: usize>(network: &ActivationNetwork<C>) -> bool {
            network.weights.len() == 2 * network.shape.weights(C)
        }
        assert!(whole(&BAND_NETWORK) && whole(&SEMITONE_NETWORK));
    }

    /// Held notes that run into each other, each as loud as the one before: no band that has two of them grows.
    #[test]
    fn a_note_that_grows_no_louder_than_the_one_before_it_is_told() {
        let rate = f64::from(READING_RATE);
        let samples: Vec<f32> = (0..6 * READING_RATE)
            .map(|i| {
                let t = f64::from(i) / rate;
                let hertz = if (t as u32).is_multiple_of(2) { 220.0 } else { 261.63 };
                (0.3 * (std::f64::consts::TAU * hertz * t).sin()) as f32
            })
            .collect();
        let rows = inputs(&Spectrum::of(&samples));
        let risen = |at: f64, notes: std::ops::Range<usize>| {
            let step = (at * STEP_RATE) as usize;
            (step..step + 8)
                .flat_map(|s| rows[s * INPUTS + SEMITONES_FROM..][notes.clone()].iter().copied())
                .fold(0.0, f32::max)
        };
        // The A is fourteen semitones above the lowest, the C seventeen.
        assert!(risen(3.0, 16..19) > 3.0 * risen(3.0, 13..16), "the C begins");
        assert!(risen(4.0, 13..16) > 3.0 * risen(4.0, 16..19), "the A begins");
        assert!(risen(3.5, 0..SEMITONES) < 0.2 * risen(3.0, 16..19), "nothing begins");
    }

    #[test]
    fn nothing_to_hear_is_no_trouble() {
        for samples in [vec![0.0f32; 0], vec![0.0; 100], vec![0.0; READING_RATE as usize]] {
            let activations = Activations::of(&Spectrum::of(&samples));
            assert!(activations.beats.iter().chain(&activations.downbeats).all(|v| v.is_finite()));
            assert_eq!(Activations::peak_near(&[], 3.0), 0.0);
            assert!(activations.mass_on(&[0.5, 99.0]).is_finite());
        }
    }

    #[test]
    fn strength_lies_between_its_steps_and_shares_add_up() {
        let activations = Activations { beats: vec![0.0, 1.0, 0.25, 0.0], downbeats: Vec::new() };
        let strength = activations.beat_strength(8);
        assert_eq!((strength[0], strength[2], strength[4]), (0.0, 1.0, 0.5));
        assert!((strength[1] - 0.5f32.sqrt()).abs() < 1e-6, "half-way up");
        assert_eq!(strength[7], 0.0, "behind its end is nothing");
        assert!((activations.mass_on(&[0.03]) - 1.0).abs() < 1e-6);
        assert_eq!(activations.mass_on(&[]), 0.0);
        assert_eq!(Activations::peak_near(&activations.beats, 0.04), 1.0);
    }

    #[test]
    fn loud_and_quiet_copies_are_told_alike() {
        let loud = ticks(0.5, 20);
        let quiet: Vec<f32> = loud.iter().map(|s| s * 0.5).collect();
        let (a, b) = (inputs(&Spectrum::of(&loud)), inputs(&Spectrum::of(&quiet)));
        let apart = a.iter().zip(&b).map(|(x, y)| (x - y).abs()).sum::<f32>() / a.len() as f32;
        assert!(apart < 0.3, "{apart}");
        let mean = a.chunks_exact(INPUTS).map(|r| r[10]).sum::<f32>() / (a.len() / INPUTS) as f32;
        assert!(mean.abs() < 1e-3, "{mean}");
    }
}
