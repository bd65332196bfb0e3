//! What everybody in a band plays: parts drawn by how likely a player is struck where.

use super::{Kit, Part, Voice, Writer};
use crate::corpus::improvise::Stroke;
use rand::Rng;
use rand::seq::IndexedRandom;

/// Orders in which the notes of a chord are broken.
const ORDERS: &[&[usize]] =
    &[&[0, 1, 2, 1], &[0, 2, 1, 2], &[0, 1, 2, 3, 2, 1], &[0, 1, 2], &[2, 1, 0], &[0, 1, 2, 3], &[0, 2, 1, 3], &[0, 2]];

/// How likely a part is struck on the one, in the middle of a bar of four, on other beats, half-way between beats, and
/// on the finer places.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Habit(pub f64, pub f64, pub f64, pub f64, pub f64);

/// Keys of the kit that a kick and a hat are played on.
pub(super) const KICK_KEYS: &[i32] = &[36, 36, 35, 41];
pub(super) const HAT_KEYS: &[i32] = &[42, 42, 42, 51, 46, 70, 54, 82, 44];

const BASS_HABITS: &[Habit] = &[
    Habit(0.98, 0.85, 0.08, 0.04, 0.0),
    Habit(0.98, 0.85, 0.08, 0.04, 0.0),
    Habit(0.97, 0.5, 0.5, 0.3, 0.0),
    Habit(0.97, 0.25, 0.3, 0.5, 0.05),
    Habit(0.97, 0.25, 0.3, 0.5, 0.05),
    Habit(0.97, 0.1, 0.4, 0.5, 0.0),
    Habit(1.0, 0.95, 0.95, 0.08, 0.0),
    Habit(1.0, 1.0, 1.0, 0.95, 0.0),
    Habit(0.98, 0.1, 0.05, 0.08, 0.0),
    Habit(0.96, 0.4, 0.2, 0.4, 0.2),
    Habit(0.96, 0.3, 0.2, 0.3, 0.3),
    Habit(0.2, 0.3, 0.5, 0.6, 0.0),
];
const COMP_HABITS: &[Habit] = &[
    Habit(0.95, 0.3, 0.25, 0.3, 0.02),
    Habit(0.08, 0.1, 0.97, 0.05, 0.0),
    Habit(0.03, 0.03, 0.03, 0.97, 0.0),
    Habit(0.98, 0.98, 0.98, 0.1, 0.0),
    Habit(1.0, 1.0, 1.0, 1.0, 0.0),
    Habit(1.0, 1.0, 1.0, 1.0, 0.9),
    Habit(0.7, 0.4, 0.35, 0.55, 0.12),
    Habit(0.4, 0.3, 0.4, 0.5, 0.1),
    Habit(0.97, 0.05, 0.03, 0.05, 0.0),
    Habit(0.9, 0.85, 0.05, 0.05, 0.0),
    Habit(0.6, 0.2, 0.2, 0.7, 0.0),
];
const SONG_HABITS: &[Habit] = &[
    Habit(0.85, 0.65, 0.6, 0.45, 0.06),
    Habit(0.6, 0.5, 0.5, 0.6, 0.2),
    Habit(0.92, 0.75, 0.7, 0.15, 0.01),
    Habit(0.9, 0.45, 0.3, 0.2, 0.02),
    Habit(0.8, 0.6, 0.7, 0.7, 0.35),
    Habit(0.5, 0.5, 0.6, 0.5, 0.05),
];

impl Writer {
    /// How strong a place in the bar is: 0 for the one, 4 for the weakest.
    pub(super) fn rank(&self, at: f64) -> usize {
        let in_bar = at.rem_euclid(f64::from(self.metre));
        let step = (in_bar * f64::from(self.grid)).round() as u32 % (self.metre * self.grid);
        match (step / self.grid, step % self.grid) {
            (0, 0) => 0,
            (2, 0) if self.metre == 4 => 1,
            (_, 0) => 2,
            // The last third of a beat leads on, as its second half does.
            (_, n) if n == if self.grid == 3 { 2 } else { self.grid / 2 } => 3,
            _ => 4,
        }
    }

    /// Strokes on the grid as the habit is, with an accent of their own.
    pub(super) fn drawn(&mut self, habit: Habit, bars: u32, accent: f64) -> Vec<Stroke> {
        let Habit(one, middle, beat, half, fine) = habit;
        let likely = [one, middle, beat, half, fine];
        let end = f64::from(bars * self.metre);
        let mut strokes = Vec::new();
        for i in 0..bars * self.metre * self.grid {
            let at = f64::from(i) / f64::from(self.grid);
            let rank = self.rank(at);
            if self.rng.random_bool(likely[rank]) {
                strokes.push(Stroke { at, long: 0.0, loud: 1.0 - accent * rank as f64 / 4.0 });
            }
        }
        if strokes.is_empty() {
            strokes.push(Stroke { at: 0.0, long: 0.0, loud: 1.0 });
        }
        let legato = self.rng.random_range(0.35..1.0);
        for i in 0..strokes.len() {
            let next = strokes.get(i + 1).map_or(end, |s| s.at);
            strokes[i].long = ((next - strokes[i].at) * legato).clamp(0.12, 4.0);
        }
        strokes
    }

    pub(super) fn habit(&mut self, of: &[Habit]) -> Habit {
        *of.choose(&mut self.rng).unwrap_or(&of[0])
    }

    /// Most parts are a little louder where the bar is strong; few are louder where it is weak.
    pub(super) fn accent(&mut self) -> f64 {
        if self.rng.random_bool(0.1) { self.rng.random_range(-0.15..0.0) } else { self.rng.random_range(0.0..0.4) }
    }

    pub(super) fn turn(&mut self) -> u32 {
        *[1, 1, 2].choose(&mut self.rng).unwrap_or(&1)
    }

    pub(super) fn bass(&mut self) -> Part {
        let habit = self.habit(BASS_HABITS);
        self.bass_of(habit)
    }

    pub(super) fn bass_of(&mut self, habit: Habit) -> Part {
        let (accent, bars) = (self.accent(), self.turn());
        let strokes = self.drawn(habit, bars, accent);
        let count = strokes.len();
        let voice = match self.rng.random_range(0..10) {
            0..=2 => Voice::Steps(vec![0]),
            3..=5 => Voice::Steps(vec![0, 4]),
            6 => Voice::Steps(vec![0, 7]),
            7 => Voice::Steps(vec![0, 2, 4, 5]),
            8 => {
                let mut steps = self.contour(count, 0..=7);
                steps[0] = 0;
                Voice::Steps(steps)
            }
            _ => {
                let mut steps = self.contour(count, -2..=5);
                steps[0] = 0;
                Voice::Riff(steps)
            }
        };
        Part { strokes, bars, voice, pushes: self.rng.random_bool(0.15) }
    }

    pub(super) fn comp(&mut self) -> Part {
        let habit = self.habit(COMP_HABITS);
        self.comp_of(habit)
    }

    pub(super) fn comp_of(&mut self, habit: Habit) -> Part {
        let (accent, bars) = (self.accent(), self.turn());
        let strokes = self.drawn(habit, bars, accent);
        let dense = strokes.len() as u32 >= bars * self.metre;
        let order = *ORDERS.choose(&mut self.rng).unwrap_or(&ORDERS[0]);
        let voice = match self.rng.random_range(0..10) {
            0..=4 if dense => Voice::Broken(order, self.rng.random_bool(0.8)),
            8 => Voice::Riff(self.contour(strokes.len(), -3..=6)),
            9 => Voice::Steps(self.contour(strokes.len(), 0..=8)),
            _ => Voice::Block,
        };
        Part { strokes, bars, voice, pushes: self.rng.random_bool(0.25) }
    }

    pub(super) fn contour(&mut self, count: usize, within: std::ops::RangeInclusive<i32>) -> Vec<i32> {
        let mut step = 0;
        (0..count.max(1))
            .map(|_| {
                let now = step;
                step = (step + self.rng.random_range(-3..=3)).clamp(*within.start(), *within.end());
                now
            })
            .collect()
    }

    /// Bars that return with a long note at the end, and perhaps an upbeat that leads into the first.
    pub(super) fn melody(&mut self, bars: u32, upbeat: f64) -> Vec<(Stroke, i32)> {
        let metre = self.metre;
        let (habit, accent) = (self.habit(SONG_HABITS), self.accent());
        let (a, b) = (self.drawn(habit, 1, accent), self.drawn(habit, 1, accent));
        let rest = if self.rng.random_bool(0.5) { 1.0 } else { 0.0 };
        let last = vec![Stroke { at: 0.0, long: (f64::from(metre) - rest).max(0.8), loud: 1.0 }];
        let forms: &[&[usize]] = &[&[0, 0, 1, 2], &[0, 1, 0, 2], &[0, 1, 0, 1], &[0, 2, 0, 2], &[0, 0, 0, 2], &[0, 1]];
        let form = *forms.choose(&mut self.rng).unwrap_or(&forms[0]);
        let mut strokes: Vec<Stroke> = form
            .iter()
            .take(bars as usize)
            .enumerate()
            .flat_map(|(bar, of)| [&a, &b, &last][*of].iter().map(move |s| s.later(bar as u32 * metre)))
            .collect();
        if self.rng.random_bool(upbeat) {
            let end = f64::from(metre * bars.min(form.len() as u32));
            let places = self.rng.random_range(1..=3u32);
            let step =
                if self.rng.random_bool(0.5) && places < metre { 1.0 } else { 1.0 / f64::from(self.grid.min(3)) };
            let from = -step * f64::from(places);
            strokes.retain(|s| s.at < end + from - 0.01);
            let early = (0..places).map(|i| Stroke { at: from + step * f64::from(i), long: step * 0.9, loud: 0.85 });
            strokes.splice(0..0, early);
        }
        let steps = self.contour(strokes.len(), -4..=7);
        strokes.into_iter().zip(steps).collect()
    }

    pub(super) fn kit(&mut self) -> Kit {
        let metre = f64::from(self.metre);
        let grid = f64::from(self.grid);
        let half = if self.grid == 3 { 2.0 / 3.0 } else { 0.5 };
        let back: Vec<f64> = match self.metre {
            4 => vec![1.0, 3.0],
            3 if self.rng.random_bool(0.5) => vec![2.0],
            3 => vec![1.0, 2.0],
            _ => vec![1.0],
        };
        let every = |step: f64, from: f64| every(metre, step, from);
        let mut kit: Kit = Vec::new();
        let kick = match self.rng.random_range(0..9) {
            0 | 1 => part(every(1.0, 0.0), 1.0),
            2 => part(every(2.0, 0.0), 1.0),
            3 => part(vec![0.0], 1.0),
            _ => self.struck(Habit(0.97, 0.5, 0.15, 0.3, 0.05), 0.2),
        };
        kit.push((*KICK_KEYS.choose(&mut self.rng).unwrap_or(&36), kick));
        let snare = *[38, 38, 40, 37, 39].choose(&mut self.rng).unwrap_or(&38);
        match self.rng.random_range(0..12) {
            0..=4 => kit.push((snare, part(back.clone(), 1.0))),
            // All that is loud is on the backbeat.
            5 => {
                kit.push((snare, part(back.clone(), 1.0)));
                kit.push((36, part(back.clone(), 1.0)));
                kit.push((*[57, 51, 53, 54, 39].choose(&mut self.rng).unwrap_or(&51), part(back.clone(), 0.9)));
            }
            6 if self.metre == 4 => kit.push((snare, part(vec![2.0], 1.0))),
            6 | 7 => {
                kit.push((snare, part(back.clone(), 1.0)));
                let ghosts = self.struck(Habit(0.0, 0.1, 0.1, 0.3, 0.25), 0.0);
                kit.push((snare, softened(ghosts, 0.45)));
            }
            8 => {
                kit.push((snare, softened(part(every(1.0 / grid, 0.0), 1.0), 0.5)));
                kit.push((snare, part(back.clone(), 1.0)));
            }
            9 => kit.push((snare, part(every(1.0, half), 0.9))),
            10 => {
                let rolled = self.struck(Habit(0.3, 0.4, 0.9, 0.5, 0.3), -0.2);
                kit.push((snare, rolled));
            }
            _ => {}
        }
        let hat = *HAT_KEYS.choose(&mut self.rng).unwrap_or(&42);
        let hats = match self.rng.random_range(0..9) {
            0 => every(1.0, 0.0),
            1..=3 => every(half.max(1.0 / grid), 0.0),
            4 => every(1.0 / grid, 0.0),
            5 => every(1.0, half),
            6 => (0..self.metre).map(f64::from).chain(back.iter().map(|b| b + half)).collect(),
            7 => back.clone(),
            _ => Vec::new(),
        };
        let soft = self.rng.random_range(0.4..0.9);
        kit.push((hat, part(hats, soft)));
        if self.rng.random_bool(0.3) {
            let hand = *[62, 64, 66, 60, 75, 56, 47, 76, 54].choose(&mut self.rng).unwrap_or(&64);
            let habit = self.habit(COMP_HABITS);
            let strokes = self.struck(habit, 0.1);
            kit.push((hand, softened(strokes, 0.8)));
        }
        kit
    }

    pub(super) fn struck(&mut self, habit: Habit, accent: f64) -> Part {
        let bars = self.turn();
        Part { strokes: self.drawn(habit, bars, accent), bars, voice: Voice::Block, pushes: false }
    }
}

/// Times in a bar.
pub(super) fn every(metre: f64, step: f64, from: f64) -> Vec<f64> {
    (0..).map(|i| from + step * f64::from(i)).take_while(|at| *at < metre - 0.01).collect()
}

/// Strokes of one kind in each bar.
pub(super) fn part(at: Vec<f64>, loud: f64) -> Part {
    let strokes = at.into_iter().map(|at| Stroke { at, long: 0.2, loud }).collect();
    Part { strokes, bars: 1, voice: Voice::Block, pushes: false }
}

pub(super) fn softened(mut part: Part, to: f64) -> Part {
    part.strokes.iter_mut().for_each(|s| s.loud *= to);
    part
}
