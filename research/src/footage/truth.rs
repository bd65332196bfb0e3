//! What a reading of a drawn clip should say.

use super::plan::{EffectKind, Join, Plan};
use super::scene::Scene;
use legere_core::select::Movement;

/// A second of a clip.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Second {
    pub start: f64,
    /// One way all through, or none where it changes.
    pub way: Option<Movement>,
    /// Frame widths, frame heights or a share of the picture a second, in that way.
    pub speed: f64,
    pub shaky: bool,
    /// Nothing unwanted anywhere in it.
    pub steady: bool,
    pub blurred: bool,
    pub sharp: bool,
    /// Neither black, nor white, nor cut.
    pub whole: bool,
    /// The mean way of its points, in frame widths a second, without what no hand wanted.
    pub flow: f64,
}

#[derive(Debug, Clone, PartialEq, Default)]
pub struct Truth {
    pub seconds: Vec<Second>,
    /// First frames of new shots, in seconds.
    pub cuts: Vec<f64>,
    /// Middles of dissolves.
    pub dissolves: Vec<f64>,
    pub hit: Option<f64>,
    /// Stretches that no moment may overlap: shaky, blurred, black.
    pub bad: Vec<(f64, f64)>,
}

impl Truth {
    pub fn of(plan: &Plan) -> Self {
        let starts = plan.starts();
        let aspect = if plan.rotated { 9.0 / 16.0 } else { 16.0 / 9.0 };
        let scenes: Vec<Scene> = plan.shots.iter().map(|s| Scene::new(s, aspect, None)).collect();
        let length = plan.seconds();
        let mut truth = Self::default();
        for (k, join) in plan.joins.iter().enumerate() {
            match join {
                // A frame shows the instant at which it begins.
                Join::Cut => truth.cuts.push((starts[k + 1] * plan.fps() - 1e-6).ceil() / plan.fps()),
                Join::Dissolve(d) => truth.dissolves.push(starts[k + 1] + d / 2.0),
                Join::Black(d) => truth.bad.push((starts[k + 1], starts[k + 1] + d)),
            }
        }
        for (shot, start) in plan.shots.iter().zip(&starts) {
            let end = start + shot.seconds;
            truth.bad.extend(
                shot.camera
                    .trembles
                    .iter()
                    .map(|t| ((start + t.from + 0.15).max(*start), (start + t.to - 0.15).min(end))),
            );
            truth.bad.extend(shot.camera.taken_down.map(|d| (start + d + 0.15, end)));
            truth.hit = truth.hit.or(shot.subjects.iter().find_map(|s| s.action.hit()).map(|h| start + h));
        }
        for e in &plan.effects {
            let bad = match e.kind {
                EffectKind::Blur(_) => true,
                EffectKind::Gain(g) => !(0.05..=4.0).contains(&g),
                EffectKind::Flash => false,
            };
            if bad && e.to - e.from < length {
                truth.bad.push((e.from + 0.3, e.to - 0.3));
            }
        }
        let mut s = 0.0;
        while s + 1.0 <= length + 1e-9 {
            truth.seconds.push(second(plan, &scenes, &starts, s));
            s += 0.5;
        }
        truth
    }
}

fn second(plan: &Plan, scenes: &[Scene], starts: &[f64], start: f64) -> Second {
    let end = start + 1.0;
    let k = starts.iter().rposition(|s| *s <= start).unwrap_or(0);
    let (shot, from) = (&plan.shots[k], starts[k]);
    let (a, b) = (start - from, end - from);
    let inside = k + 1 >= starts.len() || starts[k + 1] >= end;
    let joined = k > 0 && matches!(plan.joins[k - 1], Join::Dissolve(d) | Join::Black(d) if start < starts[k] + d);
    let overlaps = |e: &&super::plan::Effect| e.from < end && e.to > start;
    let hard = |kind: EffectKind| match kind {
        EffectKind::Flash => true,
        EffectKind::Gain(g) => !(0.2..=4.0).contains(&g),
        EffectKind::Blur(_) => false,
    };
    let whole = inside && !joined && !plan.effects.iter().filter(overlaps).any(|e| hard(e.kind));
    let blurs = || plan.effects.iter().filter(|e| matches!(e.kind, EffectKind::Blur(_)));
    let blurred = blurs().any(|e| e.from <= start - 0.25 && e.to >= end + 0.25);
    let moves: Vec<_> = shot.camera.moves.iter().filter(|m| m.from < b && m.to > a).collect();
    let (way, speed) = match moves.as_slice() {
        [] if shot.camera.taken_down.is_none_or(|d| d >= b) => (Some(Movement::Still), 0.0),
        [m] if m.is_full(a, b) && shot.camera.taken_down.is_none() => {
            way_of(m.speed, shot.camera.wanted((a + b) / 2.0).zoom, plan.rotated)
        }
        _ => (None, 0.0),
    };
    // Where the nearer things go by faster there is no one speed.
    let speed = if shot.depth { 0.0 } else { speed };
    let flow = (0..12).map(|i| scenes[k].flow(a + (f64::from(i) + 0.5) / 12.0, true)).sum::<f64>() / 12.0;
    Second {
        start,
        way,
        speed,
        shaky: shot.camera.shakes(a, b),
        steady: shot.camera.is_steady(a, b),
        blurred,
        sharp: blurs().all(|e| e.from >= end || e.to <= start),
        whole,
        flow,
    }
}

fn way_of(speed: super::camera::Pose, zoom: f64, rotated: bool) -> (Option<Movement>, f64) {
    let near = zoom.exp();
    let tall = if rotated { 16.0 / 9.0 } else { 9.0 / 16.0 };
    if speed.x != 0.0 {
        (Some(if speed.x > 0.0 { Movement::Right } else { Movement::Left }), speed.x.abs() * near)
    } else if speed.y != 0.0 {
        // The picture's y grows downwards.
        (Some(if speed.y < 0.0 { Movement::Up } else { Movement::Down }), speed.y.abs() * near / tall)
    } else {
        (Some(if speed.zoom > 0.0 { Movement::In } else { Movement::Out }), speed.zoom.abs())
    }
}
