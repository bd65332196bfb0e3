//! The energy of music along time, 0–100.
//!
//! Loudness (momentary, EBU R 128 / ITU-R BS.1770), how densely things begin, and how much bass there is. The
//! loudness is moved half-way to a common programme loudness, so that tracks of one job can be compared while
//! a quietly mastered track does not count as calm.

use super::onsets::Onsets;
use super::spectrum::{FRAME_RATE, Spectrum};
use super::{READING_RATE, Trace};
use ebur128::{EbuR128, Mode};

/// Seconds a value stands for.
const STEP: f64 = 0.1;
const COMMON_LUFS: f64 = -14.0;
/// Momentary loudness that counts as nothing, and the span from there to all.
const FLOOR_LUFS: f64 = -34.0;
const SPAN_LU: f64 = 27.0;

/// The energy, and the programme loudness in LUFS.
pub fn trace(samples: &[f32], spectrum: &Spectrum, onsets: &Onsets) -> (Trace, f64) {
    let (momentary, programme) = loudness(samples);
    let shift = 0.5 * (COMMON_LUFS - programme.clamp(-40.0, 0.0));
    let bass_bands = spectrum.band_above(150.0).max(1);
    let top =
        percentile((0..spectrum.frames()).map(|f| bass_level(spectrum.frame(f), bass_bands)).collect(), 0.98).max(1e-6);
    let values = momentary
        .iter()
        .enumerate()
        .map(|(i, lufs)| {
            let loud = ((lufs + shift - FLOOR_LUFS) / SPAN_LU).clamp(0.0, 1.0);
            let centre = (i as f64 + 0.5) * STEP * FRAME_RATE;
            let around = |reach: f64| {
                let from = ((centre - reach * FRAME_RATE).max(0.0) as usize).min(spectrum.frames());
                (from, ((centre + reach * FRAME_RATE) as usize).clamp(from, spectrum.frames()))
            };
            let (from, to) = around(0.6);
            let rises: f32 = onsets.flux[from..to].iter().sum();
            let density = (f64::from(rises) / ((to - from).max(1) as f64)).clamp(0.0, 1.5) / 1.5;
            let (from, to) = around(0.3);
            let bass =
                (from..to).map(|f| bass_level(spectrum.frame(f), bass_bands)).sum::<f64>() / (to - from).max(1) as f64;
            // What is not heard has neither hits nor bass.
            let heard = (loud * 4.0).min(1.0);
            100.0 * (0.7 * loud + heard * (0.15 * density + 0.15 * (bass / top).min(1.0)))
        })
        .map(|v| (v * 10.0).round() / 10.0)
        .collect();
    (Trace { step: STEP, values }, (programme * 10.0).round() / 10.0)
}

fn bass_level(frame: &[f32], bands: usize) -> f64 {
    frame[..bands.min(frame.len())].iter().map(|v| f64::from(*v)).sum::<f64>() / bands as f64
}

/// Momentary loudness (the 400 ms around each step) and the programme loudness of the whole, in LUFS.
fn loudness(samples: &[f32]) -> (Vec<f64>, f64) {
    let step = (f64::from(READING_RATE) * STEP) as usize;
    let count = samples.len().div_ceil(step);
    let Ok(mut meter) = EbuR128::new(1, READING_RATE, Mode::M | Mode::I) else {
        return (vec![FLOOR_LUFS; count], COMMON_LUFS);
    };
    let silence = vec![0.0f32; step];
    let mut momentary = Vec::with_capacity(count + 2);
    // The meter looks back 400 ms; two steps of silence behind the track centre its window.
    for block in samples.chunks(step).chain(std::iter::repeat_n(&silence[..], 2)) {
        let value = meter.add_frames_f32(block).and_then(|()| meter.loudness_momentary());
        momentary.push(value.ok().filter(|v| v.is_finite()).unwrap_or(-70.0).max(-70.0));
    }
    let programme = meter.loudness_global().ok().filter(|v| v.is_finite()).unwrap_or(COMMON_LUFS);
    (momentary.split_off(2), programme)
}

fn percentile(mut values: Vec<f64>, share: f64) -> f64 {
    values.sort_by(f64::total_cmp);
    let at = ((values.len() as f64 * share) as usize).min(values.len().saturating_sub(1));
    values.get(at).copied().unwrap_or(0.0)
}
