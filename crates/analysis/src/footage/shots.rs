//! Where one shot ends and another begins inside a file: hard cuts and dissolves.
//!
//! A hard cut is a frame whose points are not found in the one before and whose picture is unlike it, while its neighbours go on
//! as they were; a flash is none, since what was before it is there again after it, and a whip is none, since it takes many
//! frames. A dissolve is a stretch whose pictures are, one after the other, mixtures of its two ends with a rising share of the
//! later one (Lienhart 1999 names the model).

use super::camera::{Step, Warp};
use super::likeness::{best_shift_score, colours_apart, plain_correlation};
use super::picture::Picture;
use super::track::{Followed, follow, points};
use std::collections::VecDeque;
use std::sync::Arc;

/// What is kept of a frame for a few seconds.
struct Glimpse {
    picture: Arc<Picture>,
    /// The camera's way from the frame before.
    warp: Warp,
    /// Against the frame before: how new it is, 0–1.
    novelty: f32,
}

impl Glimpse {
    fn is_empty(&self) -> bool {
        let tones = &self.picture.tones;
        tones.spread < 0.02 && !(0.06..0.94).contains(&tones.mean)
    }
}

/// A change of shot; frames from the first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Change {
    /// This is the first frame of the next shot.
    Cut { at: usize },
    /// From the last frame of the one alone to the first of the other alone.
    Dissolve { from: usize, to: usize },
}

impl Change {
    /// The first frame of the next shot; of a dissolve, its middle.
    pub fn at(self) -> usize {
        match self {
            Self::Cut { at } => at,
            Self::Dissolve { from, to } => usize::midpoint(from, to),
        }
    }
}

/// Frames after a change that must be seen before it counts: a flash lasts no longer.
const AHEAD: usize = 7;
/// How new the first frame of another shot is at least.
const NEW: f32 = 0.22;
/// And how many times newer than its neighbours.
const ALONE: f32 = 2.0;
/// Correlation from which two frames show the same place.
const SAME: f32 = 0.86;
/// Seconds from one end of a dissolve to the other that are tried.
const DISSOLVES: [f64; 5] = [0.4, 0.6, 0.9, 1.2, 1.6];
/// Share of the points of one end of a dissolve that may be there at the other, by chance.
const LEFT: f32 = 0.13;
/// What a mixture may not explain of the way from one end to the other.
const UNEXPLAINED: f32 = 0.4;

/// Finds changes of shot as frames come.
pub struct Shots {
    seen: VecDeque<Glimpse>,
    /// The number of the first frame in `seen`.
    first: usize,
    rate: f64,
    dissolve: Option<(f32, usize, usize)>,
    changes: Vec<Change>,
}

impl Shots {
    pub fn new(rate: f64) -> Self {
        Self { seen: VecDeque::new(), first: 0, rate, dissolve: None, changes: Vec::new() }
    }

    /// The next frame and the way to it.
    pub fn push(&mut self, picture: Arc<Picture>, step: &Step) {
        let novelty = self.seen.back().map_or(0.0, |last| novelty(&last.picture, &picture, step.found));
        self.seen.push_back(Glimpse { picture, warp: step.warp, novelty });
        let number = self.first + self.seen.len() - 1;
        if number >= AHEAD {
            self.look_for_cut(number - AHEAD);
        }
        if number.is_multiple_of(3) {
            self.look_for_dissolve(number);
        }
        let keep = (DISSOLVES[DISSOLVES.len() - 1] * self.rate).ceil() as usize + 2 * AHEAD + 2;
        while self.seen.len() > keep {
            self.seen.pop_front();
            self.first += 1;
        }
    }

    /// Whether a frame that has just come looks like another shot, before what follows is known.
    pub fn may_have_changed(&self) -> bool {
        self.seen.back().is_some_and(|g| g.novelty > NEW)
    }

    /// All changes, in their order.
    pub fn finish(mut self) -> Vec<Change> {
        let number = self.first + self.seen.len();
        for at in number.saturating_sub(AHEAD)..number {
            self.look_for_cut(at);
        }
        self.end_dissolve();
        let cuts: Vec<usize> =
            self.changes.iter().filter_map(|c| if let Change::Cut { at } = c { Some(*at) } else { None }).collect();
        // What contains a cut is none.
        self.changes.retain(|c| match c {
            Change::Cut { .. } => true,
            Change::Dissolve { from, to } => !cuts.iter().any(|at| at + 2 >= *from && *at <= to + 2),
        });
        self.changes.sort_by_key(|c| c.at());
        self.changes
    }

    fn at(&self, number: usize) -> Option<&Glimpse> {
        self.seen.get(number.checked_sub(self.first)?)
    }

    fn look_for_cut(&mut self, at: usize) {
        let Some(here) = self.at(at) else { return };
        if at == 0 || here.novelty < NEW {
            return;
        }
        let near = |by: usize, back: bool| {
            let number = if back { at.checked_sub(by) } else { Some(at + by) };
            number.and_then(|n| self.at(n)).map_or(0.0, |g| g.novelty)
        };
        let beside = [near(1, true), near(2, true), near(1, false), near(2, false)].into_iter().fold(0.0, f32::max);
        if here.novelty < ALONE * beside {
            return;
        }
        // Out of black or into it is no cut from shot to shot.
        let Some(before) = self.at(at - 1) else { return };
        if before.is_empty() || here.is_empty() {
            return;
        }
        for back in 1..=AHEAD {
            for ahead in 0..AHEAD {
                let (Some(a), Some(b)) = (at.checked_sub(back).and_then(|n| self.at(n)), self.at(at + ahead)) else {
                    continue;
                };
                let (p, q) = (&a.picture, &b.picture);
                if back + ahead > 1
                    && plain_correlation(p.small(), q.small()) > SAME
                    && colours_apart(p, q) < 0.03
                    && !a.is_empty()
                {
                    return;
                }
            }
        }
        self.changes.push(Change::Cut { at });
    }

    fn look_for_dissolve(&mut self, last: usize) {
        let mut best: Option<(f32, usize, usize)> = None;
        for seconds in DISSOLVES {
            let length = (seconds * self.rate).round() as usize;
            let Some(from) = last.checked_sub(length) else { continue };
            if let Some(score) = self.mixture(from, last)
                && best.is_none_or(|b| score > b.0)
            {
                best = Some((score, from, last));
            }
        }
        match (best, self.dissolve) {
            (Some(new), Some(old)) if new.1 <= old.2 && new.0 <= old.0 => {}
            (Some(new), Some(old)) if new.1 <= old.2 => self.dissolve = Some(new),
            (Some(new), _) => {
                self.end_dissolve();
                self.dissolve = Some(new);
            }
            (None, Some(old)) if last > old.2 + self.rate as usize => self.end_dissolve(),
            _ => {}
        }
    }

    fn end_dissolve(&mut self) {
        if let Some((_, from, to)) = self.dissolve.take() {
            self.changes.push(Change::Dissolve { from, to });
        }
    }

    /// How well the frames between two are explained as mixtures of the two, if at all.
    fn mixture(&self, from: usize, to: usize) -> Option<f32> {
        let (a, b) = (self.at(from)?, self.at(to)?);
        if a.is_empty() || b.is_empty() || plain_correlation(a.picture.small(), b.picture.small()) > 0.6 {
            return None;
        }
        let (left, right) = (coarse(&a.picture), coarse(&b.picture));
        let way: Vec<f32> = right.iter().zip(&left).map(|(r, l)| r - l).collect();
        let length: f32 = way.iter().map(|v| v * v).sum();
        if length < 40.0 * way.len() as f32 {
            return None;
        }
        let mut last = -0.1f32;
        let mut worst = 0.0f32;
        let steps = 8;
        let mut middle = 0;
        for k in 1..steps {
            let one = coarse(&self.at(from + (to - from) * k / steps)?.picture);
            let off: Vec<f32> = one.iter().zip(&left).map(|(o, l)| o - l).collect();
            let share = off.iter().zip(&way).map(|(o, w)| o * w).sum::<f32>() / length;
            let rest = off.iter().zip(&way).map(|(o, w)| (o - share * w).powi(2)).sum::<f32>() / length;
            worst = worst.max(rest.sqrt());
            if share < last - 0.05 || share - last > 0.42 {
                return None;
            }
            middle += u32::from((0.15..0.85).contains(&share));
            last = share;
        }
        if middle < 3 || worst > UNEXPLAINED {
            return None;
        }
        // The same place, only moved, is a camera that moves.
        (!self.is_same_place(from, to)).then_some(1.0 - worst)
    }

    /// Whether what one frame shows is in another where the camera's way between them puts it, or so little of it can be left that
    /// nobody can tell.
    fn is_same_place(&self, from: usize, to: usize) -> bool {
        let (Some(a), Some(b)) = (self.at(from), self.at(to)) else { return true };
        let between = (from + 1..=to).filter_map(|n| self.at(n));
        let way = between.fold(Warp::default(), |way, g| way.then(&g.warp));
        let (width, height) = (a.picture.fine().width as f32, a.picture.fine().height as f32);
        let (mut seen, mut again) = (0, 0);
        for p in &points(a.picture.fine()) {
            let (dx, dy) = way.at((p.x - width / 2.0) / width, (p.y - height / 2.0) / width);
            let guess = (dx * width, dy * width);
            let (x, y) = (p.x + guess.0, p.y + guess.1);
            if x > 8.0 && y > 8.0 && x < width - 8.0 && y < height - 8.0 {
                seen += 1;
                let found = follow(&a.picture, &b.picture, *p, guess, 1);
                let near = |f: &Followed| f.likeness > 0.7 && (f.dx - guess.0).hypot(f.dy - guess.1) < 6.0;
                again += usize::from(found.is_some_and(|f| near(&f)));
            }
        }
        seen < 16 || again as f32 >= LEFT * seen as f32 || best_shift_score(a.picture.small(), b.picture.small()) > 0.75
    }
}

/// Means over blocks of four by four, and colours: what does not mind a small movement.
fn coarse(picture: &Picture) -> Vec<f32> {
    const BLOCK: usize = 4;
    let plane = picture.small();
    let (w, h) = (plane.width / BLOCK, plane.height / BLOCK);
    let mut out = Vec::with_capacity(w * h + 2 * picture.chroma.len());
    for j in 0..h {
        for i in 0..w {
            let rows = (0..BLOCK).map(|y| &plane.luma[(j * BLOCK + y) * plane.width + i * BLOCK..][..BLOCK]);
            out.push(rows.flatten().sum::<f32>() / (BLOCK * BLOCK) as f32);
        }
    }
    out.extend(picture.chroma.iter().flatten());
    out
}

/// 0–1: how little of a frame was in the one before.
fn novelty(last: &Picture, next: &Picture, found: Option<f32>) -> f32 {
    let alike = plain_correlation(last.small(), next.small()).max(0.0);
    if alike > 0.95 && found.is_none_or(|f| f > 0.3) {
        return 0.0;
    }
    let alike = if alike > 0.9 { alike } else { best_shift_score(last.small(), next.small()).max(0.0) };
    let colour = (colours_apart(last, next) * 6.0).min(1.0);
    let light = ((last.tones.mean - next.tones.mean).abs() * 3.0).min(1.0);
    let lost = 1.0 - found.unwrap_or(alike);
    lost * (0.75 * (1.0 - alike) + 0.15 * colour + 0.1 * light) / 0.75
}
