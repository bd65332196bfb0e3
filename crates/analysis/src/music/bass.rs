//! Which notes the bass plays: pitch classes between 30 and 260 Hz, twenty times a second.
//!
//! Down there neighbouring notes lie closer than the bins of any window short enough to follow a bass line; but few
//! notes sound at once, so that each peak is one note, and where it lies between the bins is found by a parabola
//! through three of them.

use super::READING_RATE;
use super::spectrum::{PitchClasses, hann, windowed};
use realfft::RealFftPlanner;

/// What is above 260 Hz is not needed: every eighth sample will do.
const SLOWER: usize = 8;
/// A third of a second.
const WINDOW: usize = 1024;
/// Slower samples between two frames: 50 ms.
const HOP: usize = 150;
const FRAME_RATE: f64 = (READING_RATE as usize / SLOWER) as f64 / HOP as f64;
const LOWEST: f64 = 30.0;
const HIGHEST: f64 = 260.0;
/// Peaks fainter than this share of the frame's strongest are no notes.
const FAINT: f32 = 0.15;

pub struct Bass {
    classes: Vec<[f32; 12]>,
}

impl Bass {
    /// Of mono samples at [`READING_RATE`].
    pub fn of(samples: &[f32]) -> Self {
        let slow = slower(samples);
        let mut planner = RealFftPlanner::<f32>::new();
        let fft = planner.plan_fft_forward(WINDOW);
        let window = hann(WINDOW);
        let (mut input, mut output, mut scratch) =
            (fft.make_input_vec(), fft.make_output_vec(), fft.make_scratch_vec());
        let classes = (0..slow.len().div_ceil(HOP))
            .map(|frame| {
                windowed(&slow, frame * HOP, &window, &mut input);
                match fft.process_with_scratch(&mut input, &mut output, &mut scratch) {
                    Ok(()) => notes(&output.iter().map(|bin| bin.norm_sqr().sqrt()).collect::<Vec<f32>>()),
                    // The lengths come from the plan itself, so the transform cannot refuse them.
                    Err(_) => [0.0; 12],
                }
            })
            .collect();
        Self { classes }
    }

    /// The mean pitch classes between two times, of unit length (or all zero where there is no bass).
    pub fn mean(&self, start: f64, end: f64) -> PitchClasses {
        let from = ((start * FRAME_RATE).round().max(0.0) as usize).min(self.classes.len());
        let to = ((end * FRAME_RATE).round().max(0.0) as usize).clamp(from, self.classes.len());
        let mut sum = [0.0; 12];
        for row in &self.classes[from..to.max((from + 1).min(self.classes.len()))] {
            sum.iter_mut().zip(row).for_each(|(s, v)| *s += f64::from(*v));
        }
        let norm = sum.iter().map(|v| v * v).sum::<f64>().sqrt();
        if norm > 1e-9 {
            sum.iter_mut().for_each(|v| *v /= norm);
        }
        sum
    }
}

/// Two running means of eight samples, which together weigh like a triangle, and every eighth of what is left: nothing
/// folds back below 300 Hz.
fn slower(samples: &[f32]) -> Vec<f32> {
    let side = SLOWER as isize - 1;
    let weights: Vec<f32> =
        (-side..=side).map(|j| (SLOWER as isize - j.abs()) as f32 / (SLOWER * SLOWER) as f32).collect();
    (0..samples.len().div_ceil(SLOWER))
        .map(|i| {
            let from = i * SLOWER;
            let early = (side as usize).saturating_sub(from);
            let around = &samples[from.saturating_sub(side as usize)..(from + SLOWER).min(samples.len())];
            around.iter().zip(&weights[early..]).map(|(v, w)| v * w).sum()
        })
        .collect()
}

/// The pitch classes of the peaks in a frame's magnitudes.
fn notes(bins: &[f32]) -> [f32; 12] {
    let bin_hz = f64::from(READING_RATE) / (SLOWER * WINDOW) as f64;
    let (from, to) = ((LOWEST / bin_hz) as usize, (HIGHEST / bin_hz) as usize);
    let strongest = bins[from..to].iter().copied().fold(0.0f32, f32::max);
    let mut row = [0.0f32; 12];
    for at in from..to {
        let [before, here, after] = [bins[at - 1], bins[at], bins[at + 1]];
        if here < before || here <= after || here < FAINT * strongest || here < 1e-4 {
            continue;
        }
        let [a, b, c] = [before, here, after].map(|v| f64::from(v.max(1e-9)).ln());
        let between = 0.5 * (a - c) / (a - 2.0 * b + c).min(-1e-9);
        let key = 12.0 * ((at as f64 + between.clamp(-0.5, 0.5)) * bin_hz / 440.0).log2() + 9.0;
        row[(key.round() as i64).rem_euclid(12) as usize] += here;
    }
    row
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tone(hertz: f64, seconds: f64) -> impl Iterator<Item = f32> {
        let rate = f64::from(READING_RATE);
        (0..(seconds * rate) as usize)
            .map(move |i| (0.4 * (std::f64::consts::TAU * hertz * i as f64 / rate).sin()) as f32)
    }

    #[test]
    fn low_notes_are_told_from_their_neighbours() {
        // E, F, G, A of the lowest octave of a bass, then the same an octave up.
        for (hertz, class) in [(41.2, 4), (43.65, 5), (49.0, 7), (55.0, 9), (82.4, 4), (87.3, 5), (98.0, 7), (110.0, 9)]
        {
            let bass = Bass::of(&tone(hertz, 1.0).collect::<Vec<_>>());
            let mean = bass.mean(0.3, 0.7);
            assert!(mean[class] > 0.95, "{hertz} Hz: {mean:.2?}");
        }
    }

    #[test]
    fn a_note_is_heard_when_it_is_played() {
        let samples: Vec<f32> = tone(55.0, 1.0).chain(tone(73.42, 1.0)).collect();
        let bass = Bass::of(&samples);
        assert!(bass.mean(0.2, 0.8)[9] > 0.95 && bass.mean(1.2, 1.8)[2] > 0.95);
    }

    #[test]
    fn what_is_higher_is_no_bass_and_does_not_fold_down() {
        let loud: Vec<f32> = tone(55.0, 1.0).zip(tone(2890.0, 1.0)).map(|(low, high)| 0.05 * low + high).collect();
        assert!(Bass::of(&loud).mean(0.3, 0.7)[9] > 0.9);
        for silent in [vec![], vec![0.0; 5000], tone(2000.0, 0.01).collect()] {
            assert!(Bass::of(&silent).mean(0.0, 0.5).iter().all(|v| v.is_finite()));
        }
        assert_eq!(Bass::of(&[]).mean(1.0, 2.0), [0.0; 12]);
    }
}
