//! Where something happens: the ranges worth using, each with its hit.

use super::FrameTraces;
use super::shots::Change;
use legere_core::footage::{ClipReading, Moment, STEP, Samples, energy_of};

/// How many ranges are suggested for one shot of a clip, a minute of it.
const MOST: usize = 5;
/// Lead-in and lead-out around a hit, in seconds.
const LEAD_IN: f64 = 1.2;
const LEAD_OUT: f64 = 1.8;
/// Shorter than this nobody can use.
const SHORTEST: f64 = 0.6;
/// Seconds that are kept from what is unusable.
const MARGIN: f64 = 0.1;
/// Motion below which nothing happens.
const DEAD: f32 = 0.02;

/// Suggests ranges, the best first; none where nothing happens or nothing is clean.
pub fn find(frames: &FrameTraces, samples: &Samples, changes: &[Change], rate: f64, duration: f64) -> Vec<Moment> {
    let clean = clean_runs(samples, changes, rate, duration);
    let impact = impact(&frames.subject, rate);
    let mut hits: Vec<(f64, Moment)> = Vec::new();
    for run in &clean {
        for (strength, hit) in peaks(&impact, rate, *run) {
            let (start, end) = ((hit - LEAD_IN).max(run.0), (hit + LEAD_OUT).min(run.1));
            if end - start < SHORTEST || hits.iter().any(|(_, m)| start < m.hit && m.hit < end) {
                continue;
            }
            let energy = energy_between(samples, start, end);
            hits.push((strength, Moment { start, end, hit, energy, why: "something strikes or bursts".into() }));
        }
    }
    hits.sort_by(|a, b| b.0.total_cmp(&a.0));
    hits.truncate(MOST.max((duration / 60.0 * MOST as f64) as usize));
    let mut moments: Vec<Moment> = hits.into_iter().map(|(_, m)| m).collect();
    let mut steady: Vec<Moment> = clean.iter().filter_map(|run| steady(samples, &moments, *run)).collect();
    steady.sort_by(|a, b| (b.end - b.start).total_cmp(&(a.end - a.start)));
    moments.extend(steady.into_iter().take(MOST));
    for m in &mut moments {
        m.hit = m.hit.clamp(m.start, (m.end - 0.5 / rate).max(m.start));
        for t in [&mut m.start, &mut m.end, &mut m.hit] {
            *t = (*t * 1e4).round() / 1e4;
        }
    }
    moments
}

/// The stretches in which nothing is wrong, with a margin to what is; seconds.
fn clean_runs(samples: &Samples, changes: &[Change], rate: f64, duration: f64) -> Vec<(f64, f64)> {
    let reading =
        ClipReading { duration, samples: samples.clone(), shot_changes: Vec::new(), moments: Vec::new() };
    let mut walls: Vec<(f64, f64)> = reading.faults().iter().map(|f| (f.start - MARGIN, f.end + MARGIN)).collect();
    walls.extend(changes.iter().map(|c| match c {
        Change::Cut { at } => (*at as f64 / rate, *at as f64 / rate),
        Change::Dissolve { from, to } => (*from as f64 / rate, *to as f64 / rate),
    }));
    walls.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut runs = Vec::new();
    let mut from = 0.0;
    for (start, end) in walls {
        if start > from {
            runs.push((from, start));
        }
        from = end.max(from);
    }
    runs.push((from, duration));
    runs.retain(|r| r.1 - r.0 >= SHORTEST);
    runs
}

/// How suddenly the picture begins or ceases to move at each frame, in frame widths a second.
fn impact(subject: &[f32], rate: f64) -> Vec<f32> {
    let short = ((0.1 * rate).round() as usize).max(2);
    let long = ((0.4 * rate) as usize).max(2);
    let n = subject.len();
    let mean = |from: usize, to: usize| {
        let part = &subject[from.min(n)..to.min(n)];
        if part.is_empty() { 0.0 } else { part.iter().sum::<f32>() / part.len() as f32 }
    };
    (0..n)
        .map(|i| {
            let begins = mean(i, i + short) - mean(i.saturating_sub(long), i);
            let ceases = mean(i.saturating_sub(short), i) - mean(i, i + long);
            begins.max(0.9 * ceases).max(0.0)
        })
        .collect()
}

/// Local maxima that stand out, as strength and seconds, strongest first.
fn peaks(impact: &[f32], rate: f64, (start, end): (f64, f64)) -> Vec<(f64, f64)> {
    // The first frames have nothing before them to stand out from.
    let from = ((start + 0.2) * rate) as usize;
    let to = (((end - 0.1) * rate).max(0.0) as usize).min(impact.len());
    if from >= to {
        return Vec::new();
    }
    let mut sorted: Vec<f32> = impact[from..to].to_vec();
    sorted.sort_by(f32::total_cmp);
    let typical = sorted[sorted.len() / 2];
    let mut order: Vec<usize> = (from..to).filter(|i| impact[*i] > 0.012 && impact[*i] > 3.5 * typical).collect();
    order.sort_by(|a, b| impact[*b].total_cmp(&impact[*a]));
    let gap = rate as usize;
    let mut kept: Vec<usize> = Vec::new();
    for i in order {
        if kept.iter().all(|k| k.abs_diff(i) >= gap) {
            kept.push(i);
        }
    }
    // What was measured at a frame happened on the way to it.
    kept.into_iter().map(|i| (f64::from(impact[i]), (i as f64 - 0.5) / rate)).collect()
}

fn energy_between(samples: &Samples, start: f64, end: f64) -> f64 {
    let from = ((start / samples.step) as usize).min(samples.motion.len());
    let to = ((end / samples.step).ceil() as usize).clamp(from, samples.motion.len());
    energy_of(&samples.motion[from..to])
}

/// A clean stretch in which things move without a blow, its hit in the middle of its liveliest second.
fn steady(samples: &Samples, others: &[Moment], (start, end): (f64, f64)) -> Option<Moment> {
    if others.iter().any(|m| m.start < end && m.end > start) {
        return None;
    }
    let from = ((start / STEP).ceil() as usize).min(samples.motion.len());
    let to = ((end / STEP) as usize).clamp(from, samples.motion.len());
    let alive: Vec<usize> = (from..to).filter(|i| samples.motion[*i] > DEAD).collect();
    let (first, last) = (*alive.first()?, *alive.last()?);
    let (start, end) = (start.max(first as f64 * STEP), end.min((last + 1) as f64 * STEP));
    if end - start < 1.0 {
        return None;
    }
    let mean = super::moving_mean(&samples.motion, 10);
    let liveliest = (first..=last).max_by(|a, b| mean[*a].total_cmp(&mean[*b]))?;
    let hit = (liveliest as f64 + 0.5) * STEP;
    Some(Moment { start, end, hit, energy: energy_between(samples, start, end), why: "steady and sharp".into() })
}
