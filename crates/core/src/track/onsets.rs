//! How strongly something begins, a hundred times a second.
//!
//! Spectral flux with a maximum filter over neighbouring bands in the earlier frame, which keeps vibrato from
//! looking like new notes (SuperFlux: Böck and Widmer, DAFx 2013).

use super::spectrum::Spectrum;

/// Frames between the two that are compared: 20 ms, less than the shortest gap between two hits.
const LAG: usize = 2;

/// Rises per frame, in the whole range and in the bass.
pub struct OnsetStrength {
    pub all: Vec<f32>,
    pub bass: Vec<f32>,
}

pub fn strength(spectrum: &Spectrum) -> OnsetStrength {
    let bass_bands = spectrum.band_above(150.0);
    let mut all = vec![0.0; spectrum.frames()];
    let mut bass = vec![0.0; spectrum.frames()];
    for frame in LAG..spectrum.frames() {
        let (now, then) = (spectrum.frame(frame), spectrum.frame(frame - LAG));
        for (band, value) in now.iter().enumerate() {
            let from = band.saturating_sub(1);
            let before = then[from..(band + 2).min(then.len())].iter().copied().fold(0.0f32, f32::max);
            let rise = (value - before).max(0.0);
            all[frame] += rise;
            if band < bass_bands {
                bass[frame] += rise;
            }
        }
    }
    OnsetStrength { all: normalised(all), bass: normalised(bass) }
}

/// Divided by the standard deviation, so that loud and quiet tracks are tracked alike.
fn normalised(mut values: Vec<f32>) -> Vec<f32> {
    let n = values.len().max(1) as f32;
    let mean = values.iter().sum::<f32>() / n;
    let deviation = (values.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / n).sqrt();
    if deviation > 1e-9 {
        values.iter_mut().for_each(|v| *v /= deviation);
    }
    values
}
