//! How strongly something begins, a hundred times a second.
//!
//! Spectral flux with a maximum filter over neighbouring bands in the earlier frame, which keeps vibrato from
//! looking like new notes (`SuperFlux`: Böck and Widmer, `DAFx` 2013), in four ranges. Each is measured against the
//! strongest beginnings around it, so that a quiet passage is followed like a loud one.

use super::spectrum::{FRAME_RATE, Spectrum};

/// Frames between the two that are compared: 20 ms, less than the shortest gap between two hits.
const LAG: usize = 2;
/// The upper ends of the ranges, in hertz.
const RANGES: [f64; 3] = [150.0, 600.0, 3000.0];
/// How fast the memory of a strong beginning fades: to a half in two seconds.
const HALF_LIFE: f64 = 2.0;
/// What each range counts in the whole.
const SHARES: [f32; 4] = [0.3, 0.25, 0.25, 0.2];

/// Rises per frame.
pub struct Onsets {
    /// Over the whole range, divided by its standard deviation: loud against quiet passages of the same track.
    pub flux: Vec<f32>,
    /// 0–1 against what is around, all ranges together.
    pub all: Vec<f32>,
    /// 0–1 against what is around: bass, low middle, high middle, treble.
    pub ranges: [Vec<f32>; 4],
}

pub fn onsets(spectrum: &Spectrum) -> Onsets {
    let frames = spectrum.frames();
    let ends = RANGES.map(|hertz| spectrum.band_above(hertz));
    let mut ranges: [Vec<f32>; 4] = std::array::from_fn(|_| vec![0.0; frames]);
    (LAG..frames).for_each(|frame| {
        for (band, rise) in rises(spectrum, frame).enumerate() {
            let range = ends.iter().filter(|end| band >= **end).count();
            ranges[range][frame] += rise;
        }
    });
    let whole = (0..frames).map(|f| ranges.iter().map(|r| r[f]).sum()).collect();
    let ranges = ranges.map(|r| against_surroundings(&r));
    let all: Vec<f32> =
        (0..frames).map(|f| ranges.iter().zip(SHARES).map(|(r, share)| r[f] * share).sum::<f32>()).collect();
    Onsets { flux: normalised(whole), all: against_surroundings(&all), ranges }
}

/// How much each band has risen since [`LAG`] frames before, its neighbours then counting too.
pub fn rises(spectrum: &Spectrum, frame: usize) -> impl Iterator<Item = f32> + '_ {
    let then = spectrum.frame(frame.saturating_sub(LAG));
    spectrum.frame(frame).iter().enumerate().map(|(band, value)| {
        let before = then[band.saturating_sub(1)..(band + 2).min(then.len())].iter().copied().fold(0.0f32, f32::max);
        (value - before).max(0.0)
    })
}

/// The strongest of `values`, `rate` a second, within `reach` values of a time; 0 beyond their ends.
pub fn strongest(values: &[f32], rate: f64, at: f64, reach: usize) -> f64 {
    let centre = (at * rate + 0.5).max(0.0) as usize;
    let from = centre.saturating_sub(reach).min(values.len());
    f64::from(values[from..(centre + reach + 1).min(values.len())].iter().copied().fold(0.0, f32::max))
}

/// Divided by the strongest values around, which fade with distance.
fn against_surroundings(values: &[f32]) -> Vec<f32> {
    let mut sorted = values.to_vec();
    sorted.sort_by(f32::total_cmp);
    let strong = sorted.get(sorted.len() * 98 / 100).copied().unwrap_or(0.0);
    let floor = (0.1 * strong).max(1e-6);
    let fade = 0.5f64.powf(1.0 / (HALF_LIFE * FRAME_RATE)) as f32;
    let mut around = vec![0.0f32; values.len()];
    let mut memory = floor;
    for (slot, v) in around.iter_mut().zip(values) {
        memory = (memory * fade).max(*v).max(floor);
        *slot = memory;
    }
    memory = floor;
    for (slot, v) in around.iter_mut().zip(values).rev() {
        memory = (memory * fade).max(*v).max(floor);
        *slot = (*slot + memory) / 2.0;
    }
    values.iter().zip(&around).map(|(v, a)| v / a).collect()
}

/// Divided by the standard deviation, so that loud and quiet tracks are read alike.
fn normalised(mut values: Vec<f32>) -> Vec<f32> {
    let n = values.len().max(1) as f32;
    let mean = values.iter().sum::<f32>() / n;
    let deviation = (values.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / n).sqrt();
    if deviation > 1e-9 {
        values.iter_mut().for_each(|v| *v /= deviation);
    }
    values
}

#[cfg(test)]
mod tests {
    use super::super::READING_RATE;
    use super::*;
    use std::f64::consts::TAU;

    /// A tone of two seconds, its pitch swinging by `depth` six times a second, with a burst at one second.
    fn tone(depth: f64, burst: bool) -> Onsets {
        let rate = f64::from(READING_RATE);
        let mut phase = 0.0;
        let samples: Vec<f32> = (0..2 * READING_RATE as usize)
            .map(|i| {
                let t = i as f64 / rate;
                phase += TAU * 880.0 * (1.0 + depth * (TAU * 6.0 * t).sin()) / rate;
                let struck =
                    if burst && t >= 1.0 { 0.6 * (TAU * 2500.0 * t).sin() * (-(t - 1.0) * 30.0).exp() } else { 0.0 };
                (0.2 * phase.sin() + struck) as f32
            })
            .collect();
        onsets(&Spectrum::of(&samples))
    }

    #[test]
    fn what_is_struck_stands_out_where_it_is_struck_and_in_its_range() {
        let heard = tone(0.0, true);
        let from = (0.5 * FRAME_RATE) as usize;
        let top =
            (from..heard.all.len() - 20).max_by(|a, b| heard.flux[*a].total_cmp(&heard.flux[*b])).expect("frames");
        assert!((top as f64 / FRAME_RATE - 1.0).abs() < 0.04, "{top}");
        assert!(strongest(&heard.ranges[2], FRAME_RATE, 1.0, 4) > 0.9, "it lies between 600 and 3000 Hz");
    }

    #[test]
    fn a_voice_that_trembles_begins_nothing() {
        let heard = tone(0.012, true);
        let burst = strongest(&heard.flux, FRAME_RATE, 1.0, 4);
        let quiet = (30..180).filter(|i| f64::from(heard.flux[*i]) < 0.5 * burst).count();
        assert!(quiet > 140, "{quiet} of 150 frames are quiet");
    }

    #[test]
    fn the_strongest_value_near_a_time_is_found_at_the_ends_too() {
        let values = [0.1, 0.9, 0.2, 0.0, 0.7];
        for (at, reach, wanted) in [(0.0, 0, 0.1), (0.0, 1, 0.9), (0.1, 0, 0.9), (0.3, 1, 0.7), (0.4, 9, 0.9)] {
            assert!((strongest(&values, 10.0, at, reach) - wanted).abs() < 1e-6, "{at} within {reach}");
        }
        assert_eq!(strongest(&values, 10.0, 9.0, 1), 0.0, "behind the end");
        assert_eq!(strongest(&values, 10.0, -3.0, 0), f64::from(0.1f32), "before the beginning is the beginning");
        assert_eq!(strongest(&[], 10.0, 0.0, 3), 0.0);
    }
}
