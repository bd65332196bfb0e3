//! Metre and downbeats: which of the beats is the one.
//!
//! A bar begins where the bass enters and the harmony changes. Each metre and each phase is scored by how much
//! more of both its downbeats have than its other beats.

use super::Beat;
use super::beats::FoundBeat;
use super::onsets::OnsetStrength;
use super::spectrum::{FRAME_RATE, Spectrum};

/// Beats counted into bars; the metre is 4 unless 3 explains the accents clearly better.
pub fn count(beats: &[FoundBeat], spectrum: &Spectrum, onsets: &OnsetStrength) -> Vec<Beat> {
    let accents = accents(beats, spectrum, onsets);
    let (four, four_phase) = best_phase(&accents, 4);
    let (three, three_phase) = best_phase(&accents, 3);
    let (metre, phase) = if three > 1.3 * four + 0.1 { (3, three_phase) } else { (4, four_phase) };
    beats
        .iter()
        .enumerate()
        .map(|(i, found)| {
            let shifted = i + metre - phase;
            // A pick-up before the first downbeat is bar 0.
            let bar = if phase == 0 { i / metre + 1 } else { shifted / metre };
            Beat { at: found.at, bar: bar as u32, beat: (shifted % metre + 1) as u32, strength: found.strength }
        })
        .collect()
}

/// How much each beat sounds like the first of a bar.
fn accents(beats: &[FoundBeat], spectrum: &Spectrum, onsets: &OnsetStrength) -> Vec<f64> {
    let gap = if beats.len() > 1 { (beats[beats.len() - 1].at - beats[0].at) / (beats.len() - 1) as f64 } else { 0.5 };
    let raw: Vec<(f64, f64, f64)> = beats
        .iter()
        .map(|beat| {
            let bass = near(&onsets.bass, beat.at);
            let all = near(&onsets.all, beat.at);
            let before = spectrum.mean_chroma((beat.at - gap).max(0.0), beat.at - 0.02);
            let after = spectrum.mean_chroma(beat.at + 0.04, beat.at + gap);
            let alike: f64 = before.iter().zip(&after).map(|(a, b)| a * b).sum();
            (bass, all, 1.0 - alike)
        })
        .collect();
    let bass = standard(raw.iter().map(|r| r.0));
    let all = standard(raw.iter().map(|r| r.1));
    let harmony = standard(raw.iter().map(|r| r.2));
    (0..raw.len()).map(|i| 0.6 * bass[i] + 0.3 * all[i] + 1.0 * harmony[i]).collect()
}

fn near(values: &[f32], at: f64) -> f64 {
    let centre = (at * FRAME_RATE).round() as usize;
    let from = centre.saturating_sub(3).min(values.len());
    f64::from(values[from..(centre + 4).min(values.len())].iter().copied().fold(0.0f32, f32::max))
}

/// Zero mean, unit deviation, and no value beyond three deviations.
fn standard(values: impl Iterator<Item = f64>) -> Vec<f64> {
    let values: Vec<f64> = values.collect();
    let n = values.len().max(1) as f64;
    let mean = values.iter().sum::<f64>() / n;
    let deviation = (values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / n).sqrt().max(1e-9);
    values.iter().map(|v| ((v - mean) / deviation).clamp(-3.0, 3.0)).collect()
}

/// The best phase of a metre, and how far its downbeats stand out.
fn best_phase(accents: &[f64], metre: usize) -> (f64, usize) {
    let means: Vec<f64> = (0..metre)
        .map(|phase| {
            let on: Vec<f64> = accents.iter().skip(phase).step_by(metre).copied().collect();
            on.iter().sum::<f64>() / on.len().max(1) as f64
        })
        .collect();
    let phase = (0..metre).max_by(|a, b| means[*a].total_cmp(&means[*b])).unwrap_or(0);
    let others = means.iter().enumerate().filter(|(p, _)| *p != phase).map(|(_, m)| m).sum::<f64>();
    (means[phase] - others / (metre - 1) as f64, phase)
}
