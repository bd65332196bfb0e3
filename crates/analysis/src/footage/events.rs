//! What happens along a clip: where nothing does, where the picture stands, what goes one way only, and what a long take turns to.

use super::scene::{EVERY, SceneDescriptor};
use super::{FrameMeasure, Samples};
use legere_core::footage::{Event, Moment, OneWay, OneWayKind, STEP, Stretch};

/// Motion below which nothing happens.
pub const DEAD: f32 = 0.02;
/// Seconds from which nothing is a wait.
const WAIT: f64 = 2.0;
/// Seconds that an event lasts at least, and that lie between two looks at what changes.
const EVENT: f64 = 4.0;
/// A clip shorter than this is one event.
const LONG: f64 = 20.0;
/// How much must change for another event to begin.
const TURNS: f32 = 0.17;

/// The runs of samples for which `is` holds, at least `seconds` long.
fn runs(count: usize, seconds: f64, is: impl Fn(usize) -> bool) -> Vec<Stretch> {
    let which: Vec<usize> = (0..count).filter(|i| is(*i)).collect();
    let runs = which.chunk_by(|a, b| a + 1 == *b).filter(|run| run.len() as f64 * STEP >= seconds);
    runs.map(|run| Stretch { start: run[0] as f64 * STEP, end: (run[run.len() - 1] + 1) as f64 * STEP }).collect()
}

/// Where nothing happens for long.
pub fn waits(samples: &Samples) -> Vec<Stretch> {
    runs(samples.motion.len(), WAIT, |i| samples.motion[i] < DEAD)
}

/// Where the very same frame stands for longer than a frame is ever shown twice.
pub fn frozen(measures: &[FrameMeasure], rate: f64, least: f64) -> Vec<Stretch> {
    let which: Vec<usize> = (0..measures.len()).filter(|i| measures[*i].repeated).collect();
    let runs = which.chunk_by(|a, b| a + 1 == *b).filter(|run| run.len() as f64 / rate >= least);
    runs.map(|run| Stretch { start: (run[0] - 1) as f64 / rate, end: (run[run.len() - 1] + 1) as f64 / rate }).collect()
}

/// What would show backwards: things that fall or burst at a hit, and what walks across.
pub fn one_way(measures: &[FrameMeasure], moments: &[Moment], rate: f64) -> Vec<OneWay> {
    let fps = rate as f32;
    let part = |from: f64, to: f64| {
        let at = |t: f64| ((t * rate).max(0.0) as usize).min(measures.len());
        &measures[at(from)..at(to).max(at(from))]
    };
    let mut found: Vec<OneWay> = Vec::new();
    for m in moments {
        let (before, after) = (part(m.hit - 0.4, m.hit), part(m.hit, m.hit + 0.3));
        let speed = |of: fn(&FrameMeasure) -> f32, list: &[FrameMeasure]| {
            list.iter().map(of).sum::<f32>() * fps / list.len().max(1) as f32
        };
        let down = speed(|m| m.step.subject.dy, before);
        let across = speed(|m| m.step.subject.dx, before).abs();
        let apart = speed(|m| m.step.subject.apart, after);
        let kind = if apart > 0.12 && apart > 2.0 * speed(|m| m.step.subject.apart, before).abs() {
            OneWayKind::Bursts
        } else if down > 0.2 && down > 2.0 * across && down > 2.0 * speed(|m| m.step.subject.dy, after).abs() {
            OneWayKind::Falls
        } else {
            continue;
        };
        found.push(OneWay { start: (m.hit - 0.4).max(m.start), end: (m.hit + 0.6).min(m.end), kind });
    }
    found.extend(walks(measures, rate));
    found.sort_by(|a, b| a.start.total_cmp(&b.start));
    found
}

/// Something of moderate size that goes across by at least a quarter of the picture, all in one direction.
fn walks(measures: &[FrameMeasure], rate: f64) -> Vec<OneWay> {
    let window = (1.5 * rate) as usize;
    let mut found: Vec<OneWay> = Vec::new();
    let mut i = 0;
    while i + window <= measures.len() && window > 4 {
        let part = &measures[i..i + window];
        let n = window as f32;
        let way: f32 = part.iter().map(|m| m.step.subject.dx).sum();
        let wandered: f32 = part.iter().map(|m| m.step.subject.dx.abs()).sum();
        let risen: f32 = part.iter().map(|m| m.step.subject.dy.abs()).sum();
        let area = part.iter().map(|m| m.step.subject.area).sum::<f32>() / n;
        let placed =
            |list: &[FrameMeasure]| list.iter().map(|m| m.step.subject.x).sum::<f32>() / list.len().max(1) as f32;
        let moved = placed(&part[window * 3 / 4..]) - placed(&part[..window / 4]);
        let across = way.abs() > 0.8 * wandered && way.abs() > 0.1 && way.abs() > 2.0 * risen && moved * way > 0.0;
        if across && moved.abs() > 0.08 && (0.01..0.35).contains(&area) {
            let (start, end) = (i as f64 / rate, (i + window) as f64 / rate);
            match found.last_mut() {
                Some(last) if last.end >= start => last.end = end,
                _ => found.push(OneWay { start, end, kind: OneWayKind::Walks }),
            }
        }
        i += (rate / 4.0).max(1.0) as usize;
    }
    found
}

/// What happens one after the other in a long take: parted where what is seen or how much moves changes for good, without what is
/// only waiting. Empty where it is one thing.
pub fn events(samples: &Samples, sights: &[SceneDescriptor], shot_changes: &[f64], duration: f64) -> Vec<Event> {
    if duration < LONG {
        return Vec::new();
    }
    let mut parts: Vec<f64> = vec![0.0];
    parts.extend(turns(samples, sights));
    parts.extend(shot_changes);
    parts.sort_by(f64::total_cmp);
    parts.dedup_by(|a, b| *a - *b < 1.0);
    parts.push(duration);
    let mean = |v: &[f32]| v.iter().sum::<f32>() / v.len().max(1) as f32;
    let events: Vec<Event> = parts
        .windows(2)
        .filter(|w| w[1] - w[0] >= 1.0)
        .map(|w| {
            let range = samples.touched(w[0], w[1]);
            let moving = mean(&samples.motion[range.clone()]);
            let pan = samples.pan.get(range).map_or(0.0, mean);
            let what = match moving {
                m if m < DEAD => "nothing moves",
                _ if pan.abs() > 0.04 => "the camera moves",
                m if m < 0.12 => "little moves",
                m if m < 0.4 => "something goes on",
                _ => "much moves",
            };
            let energy = samples.energy(w[0], w[1]);
            Event { start: round(w[0]), end: round(w[1]), energy, what: what.to_owned() }
        })
        .collect();
    let alive: Vec<Event> = events.into_iter().filter(|e| e.what != "nothing moves").collect();
    if alive.len() < 2 { Vec::new() } else { alive }
}

fn round(t: f64) -> f64 {
    (t * 1e3).round() / 1e3
}

/// Where what is seen on one side differs from the other side by most, and by enough.
fn turns(samples: &Samples, sights: &[SceneDescriptor]) -> Vec<f64> {
    let side = (EVENT / EVERY) as usize;
    let per = (EVERY / STEP).round() as usize;
    let moving = |i: usize| {
        let from = (i * per).min(samples.motion.len());
        let part = &samples.motion[from..(from + per).min(samples.motion.len())];
        // A root, so that little against nothing counts as much as much against little.
        (part.iter().sum::<f32>() / part.len().max(1) as f32).sqrt()
    };
    let motion: Vec<f32> = (0..sights.len()).map(moving).collect();
    let change: Vec<f32> = (0..sights.len())
        .map(|i| {
            if i < side / 2 || i + side / 2 > sights.len() {
                return 0.0;
            }
            let (a, b) = (i.saturating_sub(side)..i, i..(i + side).min(sights.len()));
            let mean = |r: std::ops::Range<usize>| motion[r.clone()].iter().sum::<f32>() / r.len().max(1) as f32;
            let spread = |r: std::ops::Range<usize>, m: f32| {
                (motion[r.clone()].iter().map(|v| (v - m).powi(2)).sum::<f32>() / r.len().max(1) as f32).sqrt()
            };
            let (before, after) = (mean(a.clone()), mean(b.clone()));
            // What changes all the time does not change here.
            let usual = spread(a.clone(), before).max(spread(b.clone(), after));
            let livelier = ((before - after).abs() - 0.5 * usual).max(0.0);
            // In pairs outward from here: the further from the turn, the more of them are of one side.
            let pairs = sights[a.clone()].iter().rev().zip(&sights[b.clone()]);
            let other = pairs.map(|(p, q)| p.apart(q)).sum::<f32>() / a.len().min(b.len()).max(1) as f32;
            let within = sights[a.start].apart(&sights[a.end - 1]).min(sights[b.start].apart(&sights[b.end - 1]));
            livelier + (other - within).max(0.0)
        })
        .collect();
    let mut order: Vec<usize> = (0..change.len()).filter(|i| change[*i] > TURNS).collect();
    order.sort_by(|a, b| change[*b].total_cmp(&change[*a]));
    let mut kept: Vec<usize> = Vec::new();
    for i in order {
        if kept.iter().all(|k| k.abs_diff(i) >= side) {
            kept.push(i);
        }
    }
    kept.sort_unstable();
    kept.into_iter().map(|i| i as f64 * EVERY).collect()
}

#[cfg(test)]
mod tests {
    use super::super::camera::{Step, Subject};
    use super::super::picture::Tones;
    use super::*;
    use legere_core::footage::FrameSignature;

    const RATE: f64 = 25.0;

    fn measures(count: usize, subject: impl Fn(usize) -> Subject) -> Vec<FrameMeasure> {
        let of = |i| FrameMeasure { step: Step { subject: subject(i), ..Step::default() }, ..FrameMeasure::default() };
        (0..count).map(of).collect()
    }

    fn moment(start: f64, hit: f64, end: f64) -> Moment {
        Moment { start, end, hit, energy: 50.0, why: "something strikes".into() }
    }

    #[test]
    fn nothing_is_a_wait_from_two_seconds_on() {
        let motion = |still: usize| {
            let mut motion = vec![0.5f32; 60];
            motion[20..20 + still].fill(0.0);
            Samples { step: STEP, motion, ..Samples::default() }
        };
        assert!(waits(&motion(19)).is_empty());
        let found = waits(&motion(25));
        assert!(
            found.len() == 1 && (found[0].start - 2.0).abs() < 1e-9 && (found[0].end - 4.5).abs() < 1e-9,
            "{found:?}"
        );
    }

    #[test]
    fn a_frame_shown_twice_is_not_frozen_and_one_shown_for_long_is() {
        let mut frames = measures(100, |_| Subject::default());
        for i in (4..40).step_by(5) {
            frames[i].repeated = true;
        }
        assert!(frozen(&frames, RATE, 0.35).is_empty());
        frames[50..80].iter_mut().for_each(|m| m.repeated = true);
        let found = frozen(&frames, RATE, 0.35);
        assert_eq!(found, [Stretch { start: 49.0 / RATE, end: 80.0 / RATE }], "with the frame that stands");
    }

    #[test]
    fn a_burst_a_fall_and_a_walk_show_backwards_and_a_swing_does_not() {
        let kinds = |subject: &dyn Fn(usize) -> Subject, moments: &[Moment]| -> Vec<OneWayKind> {
            one_way(&measures(100, subject), moments, RATE).into_iter().map(|w| w.kind).collect()
        };
        let hit = [moment(1.0, 2.0, 3.5)];
        let burst = |i: usize| Subject { apart: if (50..60).contains(&i) { 0.02 } else { 0.0 }, ..Subject::default() };
        assert_eq!(kinds(&burst, &hit), [OneWayKind::Bursts]);
        let fall = |i: usize| Subject { dy: if (38..50).contains(&i) { 0.015 } else { 0.0 }, ..Subject::default() };
        assert_eq!(kinds(&fall, &hit), [OneWayKind::Falls]);
        assert!(kinds(&fall, &[]).is_empty(), "without a hit nothing has landed");
        let walk = |i: usize| Subject { dx: 0.005, x: -0.25 + 0.005 * i as f32, area: 0.1, ..Subject::default() };
        assert_eq!(kinds(&walk, &[]), [OneWayKind::Walks]);
        let swing = |i: usize| {
            let at = i as f32 * 0.25;
            Subject { dx: 0.02 * at.cos(), x: 0.08 * at.sin(), area: 0.1, ..Subject::default() }
        };
        assert!(kinds(&swing, &hit).is_empty());
    }

    /// A minute of sights twice a second, of one tone before `turn` and of another after it.
    fn minute(turn: f64, tones: (u8, u8)) -> Vec<SceneDescriptor> {
        let look = |t| FrameSignature { tones: vec![t; 84], colours: vec![0; 24] };
        (0..120)
            .map(|i| if f64::from(i) * EVERY < turn { tones.0 } else { tones.1 })
            .map(|tone| SceneDescriptor { look: look(tone), tones: Tones::default(), from_above: 0.0 })
            .collect()
    }

    fn moving(of: impl Fn(f64) -> f32) -> Samples {
        let motion: Vec<f32> = (0..600).map(|i| of(f64::from(i) * STEP)).collect();
        Samples { step: STEP, pan: vec![0.0; motion.len()], motion, ..Samples::default() }
    }

    #[test]
    fn a_long_take_is_parted_where_what_is_seen_turns_to_something_else() {
        let found = events(&moving(|_| 0.2), &minute(31.0, (60, 140)), &[], 60.0);
        assert_eq!(found.len(), 2, "{found:?}");
        assert!((found[0].end - 31.0).abs() <= 1.0 && found[1].start == found[0].end, "{found:?}");
        assert!(events(&moving(|_| 0.2), &minute(31.0, (60, 60)), &[], 60.0).is_empty(), "one thing has no events");
        assert!(events(&moving(|_| 0.2), &minute(8.0, (60, 140)), &[8.0], 15.0).is_empty(), "nor has a short take");
    }

    #[test]
    fn waiting_is_no_event_and_a_cut_parts_even_the_alike() {
        let lively = |t: f64| if (20.0..40.0).contains(&t) { 0.0 } else { 0.5 };
        let found = events(&moving(lively), &minute(60.0, (90, 90)), &[], 60.0);
        assert_eq!(found.len(), 2, "{found:?}");
        assert!((found[0].end - 20.0).abs() <= 1.5 && (found[1].start - 40.0).abs() <= 1.5, "{found:?}");
        let cut = events(&moving(|_| 0.3), &minute(60.0, (90, 90)), &[25.0], 60.0);
        assert_eq!(cut.iter().map(|e| (e.start, e.end)).collect::<Vec<_>>(), [(0.0, 25.0), (25.0, 60.0)]);
    }
}
