//! Where something happens: the ranges worth using, each with its hit.

use super::FrameTraces;
use super::happenings::DEAD;
use super::shots::Change;
use legere_core::footage::{Moment, STEP, Samples, Stretch, between};

/// How many ranges are suggested for one shot of a clip, a minute of it.
const MOST: usize = 5;
/// Lead-in and lead-out around a hit, in seconds.
const LEAD_IN: f64 = 1.2;
const LEAD_OUT: f64 = 1.8;
/// Shorter than this nobody can use.
const SHORTEST: f64 = 0.6;
/// Seconds that are kept from what is unusable.
const MARGIN: f64 = 0.1;
/// Seconds of a dissolve in which the other picture cannot be seen yet.
const FAINT_ENDS: f64 = 0.3;

/// Suggests ranges, the best first; none where nothing happens or nothing is clean.
pub fn find(frames: &FrameTraces, samples: &Samples, changes: &[Change], rate: f64, duration: f64) -> Vec<Moment> {
    let clean = clean_runs(samples, changes, rate, duration);
    let impact = Impact::of(frames, rate);
    let mut hits: Vec<(f64, Moment)> = Vec::new();
    for run in &clean {
        for (strength, hit) in impact.peaks(*run) {
            let (start, end) = ((hit - LEAD_IN).max(run.start), (hit + LEAD_OUT).min(run.end));
            if end - start < SHORTEST || hits.iter().any(|(_, m)| start < m.hit && m.hit < end) {
                continue;
            }
            let energy = samples.energy(start, end);
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
fn clean_runs(samples: &Samples, changes: &[Change], rate: f64, duration: f64) -> Vec<Stretch> {
    let mut walls: Vec<(f64, f64)> = samples.faults().iter().map(|f| (f.start - MARGIN, f.end + MARGIN)).collect();
    walls.extend(changes.iter().map(|c| match c {
        Change::Cut { at } => (*at as f64 / rate, *at as f64 / rate),
        // Its ends are faint.
        Change::Dissolve { from, to } => (*from as f64 / rate - FAINT_ENDS, *to as f64 / rate + FAINT_ENDS),
    }));
    let mut runs = between(walls, duration);
    runs.retain(|r| r.length() >= SHORTEST);
    runs
}

/// How suddenly things begin or cease to move at each frame.
struct Impact {
    /// What moves, the whole picture and its liveliest parts together, in frame widths a second.
    action: Vec<f32>,
    strength: Vec<f32>,
    rate: f64,
}

/// Strength of an impact below which it is none, in frame widths a second.
const FAINT: f32 = 0.02;
/// And how far it stands out from what is usual.
const STANDS_OUT: f32 = 3.0;
/// Share of the greatest movement at which it is there.
const PRESENT: f32 = 0.12;
/// Share of the greatest step from which a step counts as great.
const GREAT: f32 = 0.8;

impl Impact {
    fn of(frames: &FrameTraces, rate: f64) -> Self {
        let action: Vec<f32> =
            frames.subject.iter().zip(&frames.liveliest).map(|(all, most)| all + 0.25 * most).collect();
        let short = ((0.1 * rate).round() as usize).max(2);
        let long = ((0.4 * rate) as usize).max(2);
        let strength = (0..action.len())
            .map(|i| {
                let begins = mean(&action, i, i + short) - mean(&action, i.saturating_sub(long), i);
                let ceases = mean(&action, i.saturating_sub(short), i) - mean(&action, i, i + long);
                begins.max(0.9 * ceases).max(0.0)
            })
            .collect();
        Self { action, strength, rate }
    }

    /// Where it stands out, as strength and seconds, strongest first.
    fn peaks(&self, Stretch { start, end }: Stretch) -> Vec<(f64, f64)> {
        // The first frames have nothing before them to stand out from.
        let from = ((start + 0.2) * self.rate) as usize;
        let to = (((end - 0.1) * self.rate).max(0.0) as usize).min(self.strength.len());
        if from >= to {
            return Vec::new();
        }
        let strength = &self.strength;
        let mut sorted: Vec<f32> = strength[from..to].to_vec();
        sorted.sort_by(f32::total_cmp);
        let typical = sorted[sorted.len() / 4];
        let mut order: Vec<usize> =
            (from..to).filter(|i| strength[*i] > FAINT && strength[*i] > STANDS_OUT * typical).collect();
        order.sort_by(|a, b| strength[*b].total_cmp(&strength[*a]));
        let gap = self.rate as usize;
        let mut kept: Vec<usize> = Vec::new();
        for i in order {
            if kept.iter().all(|k| k.abs_diff(i) >= gap) {
                kept.push(i);
            }
        }
        kept.into_iter().map(|i| (f64::from(strength[i]), self.instant(i, from, to))).collect()
    }

    /// The instant of an impact near a frame, in seconds: of the movement that it is part of, the greatest step from one frame to
    /// the next, where it sets in, changes or ends.
    fn instant(&self, i: usize, from: usize, to: usize) -> f64 {
        let reach = ((0.7 * self.rate) as usize).max(3);
        let (before, after) = (i.saturating_sub(reach).max(from), (i + reach).min(to));
        let near = ((0.15 * self.rate) as usize).max(2);
        let around = i.saturating_sub(near).max(before)..(i + near).min(after).max(i + 1);
        let peak = around.max_by(|a, b| self.action[*a].total_cmp(&self.action[*b])).unwrap_or(i);
        let mut sorted = self.action[before..after].to_vec();
        sorted.sort_by(f32::total_cmp);
        let (low, most) = (sorted[sorted.len() / 8], self.action[peak]);
        let level = |k: usize| ((self.action[k] - low) / (most - low).max(1e-6)).min(1.0);
        // A single frame in which less was seen does not part it.
        let goes_on = |k: usize, next: usize| level(k) > PRESENT || level(next) > PRESENT;
        let mut first = peak;
        while first > before && goes_on(first - 1, first.saturating_sub(2).max(before)) {
            first -= 1;
        }
        let mut last = peak;
        while last + 1 < after && goes_on(last + 1, (last + 2).min(after - 1)) {
            last += 1;
        }
        let step = |k: usize| (mean(&self.action, k, k + 2) - mean(&self.action, k.saturating_sub(2), k)).abs();
        let inside = first.max(1)..(last + 2).min(after);
        let greatest = inside.clone().map(step).fold(0.0, f32::max);
        // What flies apart does so faster and faster in the first frames: the first great step counts.
        let frame = inside.into_iter().find(|k| step(*k) >= GREAT * greatest).unwrap_or(peak);
        // What was measured at a frame happened on the way to it.
        (frame as f64 - 1.0).max(0.0) / self.rate
    }
}

fn mean(values: &[f32], from: usize, to: usize) -> f32 {
    let n = values.len();
    let part = &values[from.min(n)..to.min(n)];
    if part.is_empty() { 0.0 } else { part.iter().sum::<f32>() / part.len() as f32 }
}

/// A clean stretch in which things move without a blow, its hit in the middle of its liveliest second.
fn steady(samples: &Samples, others: &[Moment], Stretch { start, end }: Stretch) -> Option<Moment> {
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
    Some(Moment { start, end, hit, energy: samples.energy(start, end), why: "steady and sharp".into() })
}
