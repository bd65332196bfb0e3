//! The energy of music along time, 0–100.
//!
//! Loudness (momentary, EBU R 128 / ITU-R BS.1770), how densely things begin, and how much bass there is. The
//! loudness is moved half-way to a common programme loudness, so that tracks of one job can be compared while
//! a quietly mastered track does not count as calm.

use super::Loudness;
use super::onsets::Onsets;
use super::spectrum::{FRAME_RATE, Spectrum};
use legere_core::stats::percentile;
use legere_core::track::Trace;

/// Seconds a value stands for.
const STEP: f64 = 0.1;
const COMMON_LUFS: f64 = -14.0;
/// Momentary loudness that counts as nothing, and the span from there to all.
const FLOOR_LUFS: f64 = -34.0;
const SPAN_LU: f64 = 27.0;

pub fn trace(loudness: &Loudness, spectrum: &Spectrum, onsets: &Onsets) -> Trace {
    let shift = 0.5 * (COMMON_LUFS - loudness.programme.unwrap_or(COMMON_LUFS).clamp(-40.0, 0.0));
    let bass_bands = spectrum.band_above(150.0).max(1);
    let top =
        percentile((0..spectrum.frames()).map(|f| bass_level(spectrum.frame(f), bass_bands)).collect(), 0.98).max(1e-6);
    let values = loudness
        .momentary
        .values
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
    Trace { step: STEP, values }
}

fn bass_level(frame: &[f32], bands: usize) -> f64 {
    frame[..bands.min(frame.len())].iter().map(|v| f64::from(*v)).sum::<f64>() / bands as f64
}
