//! Where something happens: the ranges worth using, each with its hit.

use super::{FrameTraces, moving_mean};
use legere_core::footage::{Moment, Samples, energy_of};

/// How many ranges are suggested for one clip at most.
const MOST: usize = 5;
/// Lead-in and lead-out around a hit, in seconds.
const LEAD_IN: f64 = 1.2;
const LEAD_OUT: f64 = 1.8;

/// Suggests ranges, the best first. There is always at least one: the whole, if nothing stands out.
pub fn find(frames: &FrameTraces, samples: &Samples, cuts: &[f64], rate: f64, duration: f64) -> Vec<Moment> {
    let usable = usable(samples);
    let impact = impact(frames, rate);
    let mut moments: Vec<(f64, Moment)> = Vec::new();
    for (shot_start, shot_end) in shots(cuts, duration) {
        for peak in peaks(&impact, rate, shot_start, shot_end) {
            let hit = peak as f64 / rate;
            if usable_at(&usable, hit) < 0.5 {
                continue;
            }
            let (mut start, mut end) = ((hit - LEAD_IN).max(shot_start), (hit + LEAD_OUT).min(shot_end));
            (start, end) = trimmed(&usable, hit, start, end);
            if end - start < 0.6 || moments.iter().any(|(_, m)| start < m.hit && m.hit < end) {
                continue;
            }
            let energy = energy_between(samples, start, end);
            let weight = f64::from(impact[peak]);
            moments.push((weight, Moment { start, end, hit, energy, why: "something strikes or bursts".into() }));
        }
    }
    moments.sort_by(|a, b| b.0.total_cmp(&a.0));
    moments.truncate(MOST);
    let mut moments: Vec<Moment> = moments.into_iter().map(|(_, m)| m).collect();
    if moments.is_empty() {
        moments.push(steadiest(samples, &usable, duration));
    }
    for m in &mut moments {
        for t in [&mut m.start, &mut m.end, &mut m.hit] {
            *t = (*t * 1e4).round() / 1e4;
        }
        m.hit = m.hit.clamp(m.start, (m.end - 0.5 / rate).max(m.start));
    }
    moments
}

/// Per sample, 0–1: in focus, steady and neither black nor blown out.
fn usable(samples: &Samples) -> Vec<f32> {
    // In focus is what is as sharp as most of this clip: soft subjects exist.
    let mut sorted = samples.sharpness.clone();
    sorted.sort_by(f32::total_cmp);
    let typical = sorted.get(sorted.len() * 3 / 4).copied().unwrap_or(0.0);
    (0..samples.motion.len())
        .map(|i| {
            let focus = if typical > 0.02 { (samples.sharpness[i] / (0.6 * typical)).min(1.0) } else { 1.0 };
            let steady = 1.0 - ((samples.shake[i] - 0.5) / 0.4).clamp(0.0, 1.0);
            let light = samples.exposure[i];
            let lit = if (0.03..=0.95).contains(&light) { 1.0 } else { 0.2 };
            focus * steady * lit
        })
        .collect()
}

fn usable_at(usable: &[f32], at: f64) -> f32 {
    usable.get((at / super::STEP) as usize).or(usable.last()).copied().unwrap_or(0.0)
}

/// How suddenly the picture starts to move at each frame: the movement just after against that before.
fn impact(frames: &FrameTraces, rate: f64) -> Vec<f32> {
    let short = ((0.1 * rate) as usize).max(1);
    let long = ((0.5 * rate) as usize).max(2);
    let smooth = moving_mean(&frames.subject, 1);
    (0..smooth.len())
        .map(|i| {
            let after = (i + short).min(smooth.len());
            let before = i.saturating_sub(long);
            let mean = |v: &[f32]| if v.is_empty() { 0.0 } else { v.iter().sum::<f32>() / v.len() as f32 };
            (mean(&smooth[i..after]) - mean(&smooth[before..i])).max(0.0)
        })
        .collect()
}

fn shots(cuts: &[f64], duration: f64) -> Vec<(f64, f64)> {
    let mut bounds = vec![0.0];
    bounds.extend(cuts.iter().copied());
    bounds.push(duration);
    bounds.windows(2).map(|w| (w[0], w[1])).collect()
}

/// Local maxima that stand out, strongest first, a second apart.
fn peaks(impact: &[f32], rate: f64, start: f64, end: f64) -> Vec<usize> {
    // The first frames have nothing before them to stand out from.
    let from = ((start + 0.2) * rate) as usize;
    let to = ((end - 0.1) * rate).max(0.0) as usize;
    if from >= to.min(impact.len()) {
        return Vec::new();
    }
    let range = from..to.min(impact.len());
    let mut sorted: Vec<f32> = impact[range.clone()].to_vec();
    sorted.sort_by(f32::total_cmp);
    let typical = sorted[sorted.len() / 2];
    let mut order: Vec<usize> = range.filter(|i| impact[*i] > 0.06 && impact[*i] > 4.0 * typical).collect();
    order.sort_by(|a, b| impact[*b].total_cmp(&impact[*a]));
    let gap = rate as usize;
    let mut kept: Vec<usize> = Vec::new();
    for i in order {
        if kept.len() < MOST && kept.iter().all(|k| k.abs_diff(i) >= gap) {
            kept.push(i);
        }
    }
    kept
}

/// The part of `start..end` around the hit without an unusable stretch.
fn trimmed(usable: &[f32], hit: f64, mut start: f64, mut end: f64) -> (f64, f64) {
    for (i, value) in usable.iter().enumerate() {
        let (from, to) = (i as f64 * super::STEP, (i + 1) as f64 * super::STEP);
        if *value >= 0.5 {
            continue;
        }
        if to <= hit && to > start {
            start = to;
        }
        if from > hit && from < end {
            end = from;
        }
    }
    (start, end)
}

fn energy_between(samples: &Samples, start: f64, end: f64) -> f64 {
    let from = ((start / samples.step) as usize).min(samples.motion.len());
    let to = ((end / samples.step).ceil() as usize).clamp(from, samples.motion.len());
    energy_of(&samples.motion[from..to])
}

/// The longest usable stretch, its hit in the middle of its liveliest second.
fn steadiest(samples: &Samples, usable: &[f32], duration: f64) -> Moment {
    let mut best = (0usize, 0usize);
    let mut since = None;
    for i in 0..=usable.len() {
        let good = i < usable.len() && usable[i] >= 0.5;
        match (good, since) {
            (true, None) => since = Some(i),
            (false, Some(start)) => {
                if i - start > best.1 - best.0 {
                    best = (start, i);
                }
                since = None;
            }
            _ => {}
        }
    }
    let whole = ((best.1 - best.0) as f64) * super::STEP < 0.5;
    let (start, end, why) = if whole {
        (0.0, duration, "nothing stands out, and little of it is clean: the whole clip")
    } else {
        let (start, end) = (best.0 as f64 * super::STEP, (best.1 as f64 * super::STEP).min(duration));
        (start, end, "the longest steady and sharp stretch")
    };
    let from = (start / super::STEP) as usize;
    let to = ((end / super::STEP) as usize).min(samples.motion.len());
    let liveliest = moving_mean(&samples.motion, 10)
        .get(from..to.max(from))
        .unwrap_or_default()
        .iter()
        .enumerate()
        .max_by(|a, b| a.1.total_cmp(b.1))
        .map_or(from, |(i, _)| from + i);
    let hit = ((liveliest as f64 + 0.5) * super::STEP).clamp(start, end);
    Moment { start, end, hit, energy: energy_between(samples, start, end), why: why.into() }
}
