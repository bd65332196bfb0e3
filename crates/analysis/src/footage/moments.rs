//! Where something happens: the ranges worth using, each with its hit.

use super::FrameTraces;
use super::events::DEAD;
use super::path::shots;
use super::shots::Change;
use legere_core::footage::{Moment, STEP, Samples, Stretch, between, usual_sharpness};

/// Share of a shot's usual sharpness below which nothing is suggested while little moves.
const SOFTER: f64 = 0.65;
/// Motion below which nothing smears.
const QUIET: f32 = 0.1;

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
    walls.extend(softer(samples, changes, rate).map(|i| (i as f64 * STEP - MARGIN, (i + 1) as f64 * STEP + MARGIN)));
    walls.extend(changes.iter().map(|c| match c {
        Change::Cut { at } => (*at as f64 / rate, *at as f64 / rate),
        // Its ends are faint.
        Change::Dissolve { from, to } => (*from as f64 / rate - FAINT_ENDS, *to as f64 / rate + FAINT_ENDS),
    }));
    let mut runs = between(walls, duration);
    runs.retain(|r| r.length() >= SHORTEST);
    runs
}

/// The samples in which a shot is softer than it was although little moves: focus is being pulled. That is no fault to tell, but
/// nothing to suggest either.
fn softer(samples: &Samples, changes: &[Change], rate: f64) -> impl Iterator<Item = usize> {
    let sample = move |frame: usize| (frame as f64 / rate / STEP) as usize;
    let frames = (samples.sharpness.len() as f64 * STEP * rate).ceil() as usize;
    shots(changes, frames).into_iter().flat_map(move |shot| {
        let shot = sample(shot.start)..sample(shot.end).min(samples.sharpness.len());
        let usual = usual_sharpness(&samples.sharpness[shot.clone()]);
        shot.filter(move |i| f64::from(samples.sharpness[*i]) < SOFTER * usual && samples.motion[*i] < QUIET)
    })
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
/// What the liveliest parts count beside the whole picture: a thing that is small and fast is much less than one that strikes.
const LIVELY: f32 = 0.12;
/// Share of the greatest movement at which it is there.
const PRESENT: f32 = 0.12;
/// Share of the greatest step from which a step counts as great.
const GREAT: f32 = 0.9;

impl Impact {
    fn of(frames: &FrameTraces, rate: f64) -> Self {
        let action: Vec<f32> =
            frames.subject.iter().zip(&frames.liveliest).map(|(all, most)| all + LIVELY * most).collect();
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
    Some(Moment { start, end, hit, energy: samples.energy(start, end), why: "steady all along".into() })
}

#[cfg(test)]
mod tests {
    use super::super::camera::{Step, Subject};
    use super::super::focus::Focus;
    use super::super::{FrameMeasure, picture::Tones};
    use super::*;

    const RATE: f64 = 25.0;
    const SHARP: Focus = Focus { fine: 0.7, broad: 0.9 };

    /// Eight seconds before a camera that stands; `way`: how far things move at each instant, in frame widths a second.
    fn measures(way: impl Fn(f64) -> f32) -> Vec<FrameMeasure> {
        (0..200)
            .map(|i| {
                let way = way(f64::from(i) / RATE) / RATE as f32;
                let subject = Subject { way, most: 4.0 * way, area: 0.1, dx: way, ..Subject::default() };
                FrameMeasure {
                    step: Step { subject, agreed: 1.0, ..Step::default() },
                    focus: Some(SHARP),
                    tones: Tones { mean: 0.4, spread: 0.2, ..Tones::default() },
                    ..FrameMeasure::default()
                }
            })
            .collect()
    }

    fn found(measures: &[FrameMeasure], changes: &[Change]) -> Vec<Moment> {
        let frames = FrameTraces::of(measures, changes, RATE, 16.0 / 9.0);
        find(&frames, &frames.samples(RATE), changes, RATE, measures.len() as f64 / RATE)
    }

    /// Strikes at four seconds and rings out.
    fn strike(t: f64) -> f32 {
        if t < 4.0 { 0.01 } else { 0.01 + 0.6 * (-(t - 4.0) * 4.0).exp() as f32 }
    }

    #[test]
    fn a_blow_has_its_hit_on_its_frame_and_room_before_and_after() {
        let moments = found(&measures(strike), &[]);
        let first = moments.first().expect("one");
        assert!((first.hit - 4.0).abs() <= 2.0 / RATE, "{first:?}");
        assert!(
            (first.hit - first.start - LEAD_IN).abs() < 0.1 && (first.end - first.hit - LEAD_OUT).abs() < 0.1,
            "{first:?}"
        );
        assert_eq!(first.why, "something strikes or bursts");
    }

    #[test]
    fn what_is_out_of_focus_or_another_shot_is_in_no_moment() {
        let mut soft = measures(strike);
        soft[120..].iter_mut().for_each(|m| m.focus = Some(Focus { fine: 0.25, broad: 0.3 }));
        let moments = found(&soft, &[]);
        assert!(!moments.is_empty() && moments.iter().all(|m| m.end <= 4.8), "{moments:?}");
        let mut pulled = measures(|t| 0.1 * strike(t));
        pulled[120..].iter_mut().for_each(|m| m.focus = Some(Focus { fine: 0.4, broad: 0.9 }));
        let moments = found(&pulled, &[]);
        assert!(!moments.is_empty() && moments.iter().all(|m| m.end <= 4.8), "a little softer, and still: {moments:?}");
        let cut = found(&measures(strike), &[Change::Cut { at: 90 }]);
        assert!(!cut.is_empty() && cut.iter().all(|m| m.end <= 3.6 || m.start >= 3.6), "{cut:?}");
        let dissolve = found(&measures(strike), &[Change::Dissolve { from: 110, to: 130 }]);
        assert!(!dissolve.is_empty() && dissolve.iter().all(|m| m.end <= 4.1 || m.start >= 5.5), "{dissolve:?}");
    }

    #[test]
    fn what_goes_on_evenly_is_steady_and_where_nothing_moves_there_is_nothing() {
        let even = found(&measures(|t| 0.4 + 0.005 * (t * 3.0).sin() as f32), &[]);
        assert_eq!(even.len(), 1, "{even:?}");
        assert!(even[0].why == "steady all along" && even[0].start < 0.2 && even[0].end > 7.8, "{even:?}");
        assert!(found(&measures(|_| 0.0), &[]).is_empty());
    }

    #[test]
    fn of_many_blows_the_strongest_comes_first_and_none_is_told_twice() {
        let blows = |t: f64| -> f32 {
            let ring = |at: f64, strength: f64| if t < at { 0.0 } else { strength * (-(t - at) * 5.0).exp() };
            (0.01 + ring(1.5, 0.3) + ring(5.5, 0.8)) as f32
        };
        let moments = found(&measures(blows), &[]);
        assert!((moments[0].hit - 5.5).abs() <= 0.1 && (moments[1].hit - 1.5).abs() <= 0.1, "{moments:?}");
        let hits = moments.iter().filter(|m| m.why.starts_with("something strikes"));
        assert_eq!(hits.count(), 2, "{moments:?}");
    }
}
