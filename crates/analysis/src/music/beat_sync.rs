//! Beat-synchronous features, and two small networks over them: the log odds that a beat is a downbeat, and that the sequence
//! is the tactus (the beats that a listener taps).
//!
//! They are temporal convolutional networks over beats, not over time: to them music in any tempo is alike, and some sixty
//! beats around each are what they see (features as in Krebs, Böck, Dorfer and Widmer, "Downbeat tracking using
//! beat-synchronous features and recurrent neural networks", ISMIR 2016). They see what [`super::activations`] does not: the
//! notes of the bass, and how chords change over one, two and four beats. Trained by `research` (`--bench beat_sync`).

use super::bass::Bass;
use super::network::{Network, PROBABILITY_FLOOR, Shape, log_odds, unpacked};
use super::onsets::{Onsets, strongest};
use super::spectrum::{FRAME_RATE, PitchClasses, Spectrum};
use std::sync::LazyLock;

/// Parts of a beat whose onsets are distinguished.
const PARTS: usize = 4;
/// Levels a half of a beat.
const LEVELS: usize = 8;
const RANGES: usize = 4;
/// Where among the inputs of a beat levels begin, after the onsets.
pub const LEVELS_FROM: usize = PARTS * RANGES;
/// Where pitch classes begin: four times twelve, of both halves of the beat, all and the bass.
pub const PITCH_CLASSES_FROM: usize = LEVELS_FROM + 2 * LEVELS;
/// Where the novelty of the chords begins, and then that of the bass.
pub const CHANGES_FROM: usize = PITCH_CLASSES_FROM + 4 * 12;
/// How chords change, and how the bass's notes do, over each of these many beats.
const CHANGES: [usize; 3] = [1, 2, 4];
/// Values a beat.
pub const INPUTS: usize = CHANGES_FROM + 2 * CHANGES.len();
/// Of both networks.
pub const CHANNELS: usize = 32;
/// Of both networks.
pub const SHAPE: Shape = Shape { inputs: INPUTS, first_taps: 3, taps: 3, layers: 5, outputs: 1 };

/// The weights that the program ships with.
pub const DOWNBEAT_WEIGHTS: &[u8] = include_bytes!("weights/downbeat.weights");
/// The same, of the network for the tactus.
pub const TACTUS_WEIGHTS: &[u8] = include_bytes!("weights/tactus.weights");

/// Unpacked once: many sequences of each track are judged.
static NETWORK_WEIGHTS: LazyLock<[Vec<f32>; 2]> = LazyLock::new(|| [DOWNBEAT_WEIGHTS, TACTUS_WEIGHTS].map(unpacked));

/// Natural logarithms of the odds, for each beat: that it is a downbeat, and that it belongs to the tactus.
pub(super) struct BeatLogOdds {
    pub downbeat: Vec<f64>,
    pub tactus: Vec<f64>,
}

impl BeatLogOdds {
    pub fn of(beats: &[f64], spectrum: &Spectrum, onsets: &Onsets, bass: &Bass) -> Self {
        let inputs = inputs(beats, spectrum, onsets, bass);
        let odds = |weights: &[f32]| -> Vec<f64> {
            probabilities(weights, &inputs).into_iter().map(|p| log_odds(f64::from(p), PROBABILITY_FLOOR)).collect()
        };
        let [downbeat, tactus] = NETWORK_WEIGHTS.each_ref().map(|weights| odds(weights));
        Self { downbeat, tactus }
    }
}

/// The network's probability for each beat, from [`INPUTS`] values a beat.
pub fn probabilities(weights: &[f32], inputs: &[f32]) -> Vec<f32> {
    Network::<CHANNELS>::of(SHAPE, weights).forward(inputs).pop().unwrap_or_default()
}

/// The inputs of both networks, beat-major ([`INPUTS`] values a beat).
pub(super) fn inputs(beats: &[f64], spectrum: &Spectrum, onsets: &Onsets, bass: &Bass) -> Vec<f32> {
    let n = beats.len();
    let gap = if n > 1 { (beats[n - 1] - beats[0]) / (n - 1) as f64 } else { 0.5 };
    let halves: Vec<(f64, f64)> = (0..2 * n)
        .map(|i| {
            let (from, to) = (beats[i / 2], beats.get(i / 2 + 1).copied().unwrap_or(beats[i / 2] + gap));
            if i % 2 == 0 { (from, (from + to) / 2.0) } else { ((from + to) / 2.0, to) }
        })
        .collect();
    // The window of pitch classes is long: what was before still sounds at the beginning.
    let later = |(from, to): (f64, f64)| (from + 0.04, to + 0.02);
    let chords: Vec<PitchClasses> = halves.iter().map(|h| later(*h)).map(|(a, b)| spectrum.mean_chroma(a, b)).collect();
    let notes: Vec<PitchClasses> = halves.iter().map(|h| later(*h)).map(|(a, b)| bass.mean(a, b)).collect();
    let mut levels: Vec<Vec<f64>> = halves.iter().map(|(a, b)| spectrum.mean_bands(*a, *b, LEVELS)).collect();
    standardise(&mut levels);
    let mut rows = Vec::with_capacity(n * INPUTS);
    for i in 0..n {
        let (from, to) = (halves[2 * i].0, halves[2 * i + 1].1);
        for part in 0..PARTS {
            let at = from + (to - from) * part as f64 / PARTS as f64;
            // A quarter of a beat, from a little before its place; thirds of a beat fall into one or the other.
            let reach = (((to - from) / PARTS as f64 * FRAME_RATE / 2.0) as usize).max(2);
            let centre = at - 0.03 + reach as f64 / FRAME_RATE;
            rows.extend(onsets.ranges.iter().map(|r| strongest(r, FRAME_RATE, centre, reach) as f32 - 0.2));
        }
        for half in [2 * i, 2 * i + 1] {
            rows.extend(levels[half].iter().map(|v| *v as f32));
        }
        for of in [&chords, &notes] {
            for half in [2 * i, 2 * i + 1] {
                rows.extend(of[half].iter().map(|v| *v as f32 - 0.2));
            }
        }
        for of in [&chords, &notes] {
            rows.extend(CHANGES.map(|beats| 2.0 * novelty(of, 2 * i, 2 * beats) as f32));
        }
    }
    rows
}

/// One less the cosine of the `reach` rows before and as many from here on, 0–1; 0 where they would lie beyond the ends.
fn novelty(of: &[PitchClasses], at: usize, reach: usize) -> f64 {
    if at < reach || at + reach > of.len() {
        return 0.0;
    }
    let sum = |rows: &[PitchClasses]| -> PitchClasses { std::array::from_fn(|k| rows.iter().map(|r| r[k]).sum()) };
    let (before, after) = (sum(&of[at - reach..at]), sum(&of[at..at + reach]));
    let product = |a: &PitchClasses, b: &PitchClasses| a.iter().zip(b).map(|(x, y)| x * y).sum::<f64>();
    let norms = (product(&before, &before) * product(&after, &after)).sqrt();
    if norms > 1e-9 { 1.0 - product(&before, &after) / norms } else { 0.0 }
}

/// Takes each column's mean away, and divides all by their common deviation.
fn standardise(rows: &mut [Vec<f64>]) {
    let count = rows.len().max(1) as f64;
    for column in 0..LEVELS {
        let mean = rows.iter().map(|r| r[column]).sum::<f64>() / count;
        rows.iter_mut().for_each(|r| r[column] -= mean);
    }
    let squares: f64 = rows.iter().flatten().map(|v| v * v).sum();
    let deviation = (squares / (count * LEVELS as f64)).sqrt().max(1e-6);
    rows.iter_mut().flatten().for_each(|v| *v /= deviation);
}

#[cfg(test)]
mod tests {
    use super::super::training::beat_sync_inputs;
    use super::super::{Audio, READING_RATE};
    use super::*;

    const GAP: f64 = 0.5;

    /// Plucked chords on each beat, and a bass note with each new chord, every fourth beat from `first` on.
    fn chords(beats: usize, first: usize) -> Vec<f32> {
        let rate = f64::from(READING_RATE);
        let mut samples = vec![0.0f32; ((beats as f64 * GAP + 1.0) * rate) as usize];
        let mut pluck = |at: f64, hertz: f64, loud: f64, long: f64| {
            let from = (at * rate) as usize;
            let to = (from + (long * rate) as usize).min(samples.len());
            for (i, slot) in samples[from..to].iter_mut().enumerate() {
                let t = i as f64 / rate;
                *slot += (loud * (std::f64::consts::TAU * hertz * t).sin() * (-t * 3.0 / long).exp()) as f32;
            }
        };
        for beat in 0..beats {
            let bar = (beat + 4 - first) / 4;
            let root = 55.0 * f64::powf(2.0, [0.0, 5.0, 7.0, 3.0][bar % 4] / 12.0);
            let at = 0.25 + beat as f64 * GAP;
            for ratio in [4.0, 5.0, 6.0] {
                pluck(at, root * ratio, 0.08, 0.4);
            }
            if (beat + 4 - first).is_multiple_of(4) {
                pluck(at, root, 0.5, 1.6);
            }
        }
        samples
    }

    fn reported(samples: &[f32], beats: Vec<f64>) -> Vec<f32> {
        beat_sync_inputs(Audio::mono(samples), &[beats]).remove(0)
    }

    #[test]
    fn bars_begin_where_bass_and_chords_change() {
        for first in [0, 3] {
            let beats: Vec<f64> = (0..48).map(|i| 0.25 + f64::from(i) * GAP).collect();
            let inputs = reported(&chords(48, first), beats);
            let reported = probabilities(&unpacked(DOWNBEAT_WEIGHTS), &inputs);
            let mean = |of: usize| reported[8 + of..40].iter().step_by(4).sum::<f32>() / 8.0;
            let (one, other) = (mean(first), (0..4).filter(|o| *o != first).map(mean).fold(0.0, f32::max));
            assert!(one > 0.5 && one > 2.0 * other, "{one} on the downbeat from {first}, {other} elsewhere");
        }
    }

    #[test]
    fn chords_change_when_their_notes_do() {
        let (a, b) = ([1.0; 12], std::array::from_fn(|i| if i == 0 { 1.0 } else { 0.0 }));
        let rows = [b, b, b, b, a, a, a, a];
        assert!(novelty(&rows, 2, 2) < 1e-9 && novelty(&rows, 4, 2) > 0.5 && novelty(&rows, 4, 4) > 0.5);
        assert_eq!((novelty(&rows, 1, 2), novelty(&rows, 6, 4)), (0.0, 0.0), "nothing is before the beginning");
        assert_eq!(novelty(&[[0.0; 12]; 8], 4, 2), 0.0, "silence does not change");
    }

    #[test]
    fn any_beats_of_any_sound_are_told() {
        assert!([DOWNBEAT_WEIGHTS, TACTUS_WEIGHTS].iter().all(|w| w.len() == 2 * SHAPE.weights(CHANNELS)));
        for (samples, beats) in [(vec![], vec![]), (vec![0.0; 50_000], vec![0.5]), (chords(4, 0), vec![0.1, 0.9, 7.0])]
        {
            let count = beats.len();
            let inputs = reported(&samples, beats);
            assert_eq!(inputs.len(), count * INPUTS);
            let reported = probabilities(&unpacked(DOWNBEAT_WEIGHTS), &inputs);
            assert!(reported.len() == count && reported.iter().all(|p| (0.0..=1.0).contains(p)), "{reported:?}");
        }
    }

    #[test]
    fn loud_and_quiet_copies_are_told_alike() {
        let loud = chords(24, 0);
        let quiet: Vec<f32> = loud.iter().map(|s| s * 0.4).collect();
        let beats: Vec<f64> = (0..24).map(|i| 0.25 + f64::from(i) * GAP).collect();
        let probabilities =
            |samples: &[f32]| probabilities(&unpacked(DOWNBEAT_WEIGHTS), &reported(samples, beats.clone()));
        for (a, b) in probabilities(&loud).iter().zip(probabilities(&quiet)) {
            assert!((a - b).abs() < 0.15, "{a} and {b}");
        }
    }

    /// On the beats of plain chords one would tap; a third of a beat late, or at three to four, one would not.
    #[test]
    fn a_row_beside_the_music_is_not_what_one_would_tap() {
        let samples = chords(48, 0);
        let mean = |beats: Vec<f64>| {
            let reported = probabilities(&unpacked(TACTUS_WEIGHTS), &reported(&samples, beats));
            reported.iter().sum::<f32>() / reported.len() as f32
        };
        let row = |late: f64, apart: f64| -> Vec<f64> {
            (0..).map(|i| 0.25 + GAP * (late + f64::from(i) * apart)).take_while(|at| *at < 23.5).collect()
        };
        let on = mean(row(0.0, 1.0));
        for (late, apart) in [(1.0 / 3.0, 1.0), (0.0, 0.75), (0.5, 1.0)] {
            let beside = mean(row(late, apart));
            assert!(on > 0.5 && on > beside + 0.2, "{on} on the beats, {beside} {late} late, {apart} apart");
        }
    }
}
