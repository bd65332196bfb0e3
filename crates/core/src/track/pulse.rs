//! Where a listener would tap: the probability of a beat and of a downbeat, fifty times a second.
//!
//! A temporal convolutional network (Davies and Böck, "Temporal convolutional networks for musical audio beat
//! tracking", EUSIPCO 2019): residual layers whose reach doubles from one to the next, so that the last of them
//! hears some twenty seconds to both sides. It is trained by `cargo bench -p legere-etudes --features train --bench
//! pulse` on improvised études with the fitted seeds; `pulse.weights` are its numbers. [`super::follow`] and
//! [`super::bars`] make beats and bars of what it hears.

use super::onsets::{rises, strongest};
use super::spectrum::Spectrum;

/// Spectral frames a step of the network covers: 20 ms.
const EVERY: usize = 2;
/// Steps a second.
pub const STEP_RATE: f64 = super::spectrum::FRAME_RATE / EVERY as f64;
/// Values a step: levels and rises in bands, and pitch classes.
pub const INPUTS: usize = 2 * BANDS + 12;
pub const BANDS: usize = 40;
pub const CHANNELS: usize = 40;
/// Steps that the first layer and each of the others see at once.
pub const FIRST_TAPS: usize = 3;
pub const TAPS: usize = 5;
/// Residual layers; the taps of layer `i` are `2^i` steps apart.
pub const LAYERS: usize = 9;
pub const OUTPUTS: usize = 2;

/// How many numbers the network has, in the order of [`Network::of`].
pub const WEIGHTS: usize = FIRST_TAPS * INPUTS * CHANNELS
    + CHANNELS
    + LAYERS * (TAPS * CHANNELS * CHANNELS + CHANNELS + CHANNELS * CHANNELS + CHANNELS)
    + CHANNELS * OUTPUTS
    + OUTPUTS;

/// The upper halves of 32-bit floating-point numbers, little-endian: three digits are enough.
const SHIPPED: &[u8] = include_bytes!("pulse.weights");

/// The weights that the program ships with.
pub fn shipped() -> Vec<f32> {
    let halves = SHIPPED.chunks_exact(2).map(|b| u16::from_le_bytes([b[0], b[1]]));
    halves.map(|half| f32::from_bits(u32::from(half) << 16)).collect()
}

/// Probabilities along time, [`STEP_RATE`] a second.
pub struct Pulse {
    pub beats: Vec<f32>,
    pub downbeats: Vec<f32>,
}

impl Pulse {
    pub fn of(spectrum: &Spectrum) -> Self {
        Network::of(&shipped()).listen(&inputs(spectrum))
    }

    /// How strongly one would tap in each spectral frame, 0–1: the root lifts what the network is unsure of.
    pub fn beat_strength(&self, frames: usize) -> Vec<f32> {
        (0..frames)
            .map(|frame| {
                let (step, part) = (frame / EVERY, (frame % EVERY) as f32 / EVERY as f32);
                let value = |i: usize| self.beats.get(i).copied().unwrap_or(0.0);
                ((1.0 - part) * value(step) + part * value(step + 1)).sqrt()
            })
            .collect()
    }

    /// How much of all that one would tap lies on these times.
    pub fn share_on(&self, times: &[f64]) -> f64 {
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
    pub fn near(values: &[f32], at: f64) -> f64 {
        strongest(values, STEP_RATE, at, 2)
    }
}

/// What the network is told of each step, step-major: zero mean a band, and the same spread for every track.
pub fn inputs(spectrum: &Spectrum) -> Vec<f32> {
    let steps = spectrum.frames() / EVERY;
    let mut rows = vec![0.0f32; steps * INPUTS];
    for (step, row) in rows.chunks_exact_mut(INPUTS).enumerate() {
        for frame in step * EVERY..(step + 1) * EVERY {
            let now = spectrum.frame(frame);
            for (band, (value, rise)) in now.iter().zip(rises(spectrum, frame)).enumerate() {
                let slot = band * BANDS / now.len();
                row[slot] += value;
                row[BANDS + slot] += rise;
            }
        }
        let chroma = spectrum.chroma_at(step * EVERY);
        let norm = chroma.iter().map(|v| v * v).sum::<f32>().sqrt().max(1e-6);
        row[2 * BANDS..].iter_mut().zip(chroma).for_each(|(slot, v)| *slot = v / norm - 0.25);
    }
    whiten(&mut rows, 0..BANDS, true);
    whiten(&mut rows, BANDS..2 * BANDS, false);
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

/// Sums over taps: `weights` are tap-major, then by input, then by channel.
struct Convolution<'a> {
    weights: &'a [f32],
    bias: &'a [f32],
    taps: usize,
    apart: usize,
    inputs: usize,
}

impl Convolution<'_> {
    fn run(&self, from: &[f32], into: &mut [f32]) {
        let (inputs, steps) = (self.inputs, from.len() / self.inputs);
        for (step, out) in into.chunks_exact_mut(CHANNELS).enumerate() {
            let mut sums = [0.0f32; CHANNELS];
            sums.copy_from_slice(self.bias);
            for tap in 0..self.taps {
                // Outside the track is nothing.
                let Some(at) = (step + tap * self.apart).checked_sub(self.taps / 2 * self.apart).filter(|a| *a < steps)
                else {
                    continue;
                };
                let weights = &self.weights[tap * inputs * CHANNELS..(tap + 1) * inputs * CHANNELS];
                for (value, row) in from[at * inputs..(at + 1) * inputs].iter().zip(weights.chunks_exact(CHANNELS)) {
                    for (sum, weight) in sums.iter_mut().zip(row) {
                        *sum += value * weight;
                    }
                }
            }
            out.copy_from_slice(&sums);
        }
    }
}

/// The layers, in the order in which the weights lie.
pub struct Network<'a> {
    first: Convolution<'a>,
    layers: Vec<(Convolution<'a>, Convolution<'a>)>,
    last: (&'a [f32], &'a [f32]),
}

impl<'a> Network<'a> {
    /// From [`WEIGHTS`] numbers: the first layer, each residual layer (its reach, then its mixing), the outputs; of
    /// each the weights and then the biases.
    pub fn of(weights: &'a [f32]) -> Self {
        assert_eq!(weights.len(), WEIGHTS, "the weights are those of another network");
        let mut rest = weights;
        let mut take = |count: usize| {
            let (now, later) = rest.split_at(count);
            rest = later;
            now
        };
        let mut convolution = |taps: usize, apart: usize, inputs: usize| Convolution {
            weights: take(taps * inputs * CHANNELS),
            bias: take(CHANNELS),
            taps,
            apart,
            inputs,
        };
        let first = convolution(FIRST_TAPS, 1, INPUTS);
        let layers = (0..LAYERS).map(|i| (convolution(TAPS, 1 << i, CHANNELS), convolution(1, 1, CHANNELS))).collect();
        Self { first, layers, last: (take(CHANNELS * OUTPUTS), take(OUTPUTS)) }
    }

    /// Of rows of [`INPUTS`].
    pub fn listen(&self, inputs: &[f32]) -> Pulse {
        let steps = inputs.len() / INPUTS;
        let mut stream = vec![0.0f32; steps * CHANNELS];
        let mut reached = stream.clone();
        let mut mixed = stream.clone();
        self.first.run(inputs, &mut stream);
        for (reach, mix) in &self.layers {
            reach.run(&stream, &mut reached);
            reached.iter_mut().for_each(|v| *v = v.max(0.0));
            mix.run(&reached, &mut mixed);
            stream.iter_mut().zip(&mixed).for_each(|(s, m)| *s += m);
        }
        let (weights, bias) = self.last;
        let output = |which: usize| {
            stream
                .chunks_exact(CHANNELS)
                .map(|row| {
                    let sum: f32 =
                        row.iter().zip(weights.chunks_exact(OUTPUTS)).map(|(v, w)| v.max(0.0) * w[which]).sum();
                    1.0 / (1.0 + (-(sum + bias[which])).exp())
                })
                .collect()
        };
        Pulse { beats: output(0), downbeats: output(1) }
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
        let pulse = Pulse::of(&Spectrum::of(&ticks(gap, 60)));
        let mean = |values: &[f32], from: f64, step: usize| {
            let times: Vec<f64> = (8..52).step_by(step).map(|i| from + i as f64 * gap).collect();
            times.iter().map(|t| Pulse::near(values, *t)).sum::<f64>() / times.len() as f64
        };
        let (on, between) = (mean(&pulse.beats, 0.5, 1), mean(&pulse.beats, 0.5 + 0.25 * gap, 1));
        assert!(on > 3.0 * between, "{on} on the ticks, {between} between them");
        let (ones, others) = (mean(&pulse.downbeats, 0.5, 4), mean(&pulse.downbeats, 0.5 + gap, 4));
        assert!(ones > 1.5 * others, "{ones} on the low ticks, {others} behind them");
        let times: Vec<f64> = (0..60).map(|i| 0.5 + f64::from(i) * gap).collect();
        assert!(pulse.share_on(&times) > 0.5);
    }

    #[test]
    fn a_convolution_adds_what_lies_around_and_nothing_beyond_the_ends() {
        let mut weights = vec![0.0; 3 * CHANNELS * CHANNELS];
        // Channel 0 becomes what was before, plus ten times what comes.
        weights[0] = 1.0;
        weights[2 * CHANNELS * CHANNELS] = 10.0;
        let bias = vec![0.0; CHANNELS];
        let convolution = Convolution { weights: &weights, bias: &bias, taps: 3, apart: 2, inputs: CHANNELS };
        let mut from = vec![0.0; 6 * CHANNELS];
        (0..6).for_each(|step| from[step * CHANNELS] = step as f32 + 1.0);
        let mut into = vec![0.0; 6 * CHANNELS];
        convolution.run(&from, &mut into);
        let heard: Vec<f32> = into.iter().step_by(CHANNELS).copied().collect();
        assert_eq!(heard, [30.0, 40.0, 51.0, 62.0, 3.0, 4.0]);
    }

    #[test]
    fn what_is_shipped_is_a_whole_network() {
        assert_eq!(SHIPPED.len(), 2 * WEIGHTS);
        let weights = vec![0.0; WEIGHTS];
        let idle = Network::of(&weights).listen(&vec![0.3; 5 * INPUTS]);
        // A network that knows nothing finds everything as likely as not.
        assert_eq!((idle.beats, idle.downbeats), (vec![0.5; 5], vec![0.5; 5]));
    }

    #[test]
    fn nothing_to_hear_is_no_trouble() {
        for samples in [vec![0.0f32; 0], vec![0.0; 100], vec![0.0; READING_RATE as usize]] {
            let pulse = Pulse::of(&Spectrum::of(&samples));
            assert!(pulse.beats.iter().chain(&pulse.downbeats).all(|v| v.is_finite()));
            assert_eq!(Pulse::near(&[], 3.0), 0.0);
            assert!(pulse.share_on(&[0.5, 99.0]).is_finite());
        }
    }

    #[test]
    fn strength_lies_between_its_steps_and_shares_add_up() {
        let pulse = Pulse { beats: vec![0.0, 1.0, 0.25, 0.0], downbeats: Vec::new() };
        let strength = pulse.beat_strength(8);
        assert_eq!((strength[0], strength[2], strength[4]), (0.0, 1.0, 0.5));
        assert!((strength[1] - 0.5f32.sqrt()).abs() < 1e-6, "half-way up");
        assert_eq!(strength[7], 0.0, "behind its end is nothing");
        assert!((pulse.share_on(&[0.03]) - 1.0).abs() < 1e-6);
        assert_eq!(pulse.share_on(&[]), 0.0);
        assert_eq!(Pulse::near(&pulse.beats, 0.04), 1.0);
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
