//! How the camera moved: a shift, a scale and a turn that the picture as a whole follows.
//!
//! Points are followed from each frame to the next, and from a kept frame up to a second back, so that what is slower than a
//! pixel a frame is measured over many. The movement is the one that the points agree on over the widest part of the picture
//! (random samples of two points, Fischler and Bolles 1981; then least squares with Tukey's weights): what stands still all
//! around shows that the camera does, however large the thing is that swings in front of it.

use super::picture::Picture;
use super::track::{Followed, Point, follow, points, seek};
use std::sync::Arc;

/// Where the content of one frame is found in another, from the middle: `x' = x + s·x − r·y + dx`, in frame widths.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Warp {
    pub dx: f32,
    pub dy: f32,
    pub s: f32,
    pub r: f32,
}

impl Warp {
    pub fn at(&self, u: f32, v: f32) -> (f32, f32) {
        (self.dx + self.s * u - self.r * v, self.dy + self.s * v + self.r * u)
    }

    /// This one first, then `next`.
    pub fn then(&self, next: &Self) -> Self {
        let (a, b) = (1.0 + next.s, next.r);
        let (c, d) = (1.0 + self.s, self.r);
        Self {
            dx: a * self.dx - b * self.dy + next.dx,
            dy: b * self.dx + a * self.dy + next.dy,
            s: a * c - b * d - 1.0,
            r: a * d + b * c,
        }
    }

    fn inverse(&self) -> Self {
        let (c, d) = (1.0 + self.s, self.r);
        let n = (c * c + d * d).max(1e-6);
        let (a, b) = (c / n, -d / n);
        Self { dx: -(a * self.dx - b * self.dy), dy: -(b * self.dx + a * self.dy), s: a - 1.0, r: b }
    }

    /// The mean way of the points of a picture, in frame widths.
    pub fn mean_way(&self, aspect: f32) -> f32 {
        let mut sum = 0.0;
        for j in 0..5u8 {
            for i in 0..7u8 {
                let (u, v) = ((f32::from(i) + 0.5) / 7.0 - 0.5, ((f32::from(j) + 0.5) / 5.0 - 0.5) / aspect);
                let (x, y) = self.at(u, v);
                sum += x.hypot(y);
            }
        }
        sum / 35.0
    }
}

/// What was seen between a frame and the next.
#[derive(Debug, Clone, Copy, Default)]
pub struct Step {
    /// The camera's; of the content, so a pan to the right goes left.
    pub warp: Warp,
    /// Share of the strong points that were found again, where there are enough to tell.
    pub found: Option<f32>,
    /// Share of the points found that follow the camera.
    pub agreed: f32,
    /// What moves besides.
    pub subject: Subject,
}

impl Step {
    /// Between a frame and the same frame again.
    pub const STANDS: Self = Self {
        warp: Warp { dx: 0.0, dy: 0.0, s: 0.0, r: 0.0 },
        found: Some(1.0),
        agreed: 1.0,
        subject: Subject { way: 0.0, most: 0.0, area: 0.0, dx: 0.0, dy: 0.0, x: 0.0, y: 0.0, apart: 0.0 },
    };
}

/// What moves in the picture when the camera's own movement is taken out.
#[derive(Debug, Clone, Copy, Default)]
pub struct Subject {
    /// Mean way over the whole picture, in frame widths.
    pub way: f32,
    /// Mean way of the cells that move most, in frame widths.
    pub most: f32,
    /// Share of the picture that moves.
    pub area: f32,
    /// Mean way of what moves, with its direction, in frame widths.
    pub dx: f32,
    pub dy: f32,
    /// Where it is, in frame widths from the middle.
    pub x: f32,
    pub y: f32,
    /// How much of it flies apart: mean way away from its middle, in frame widths.
    pub apart: f32,
}

struct Sample {
    u: f32,
    v: f32,
    dx: f32,
    dy: f32,
    weight: f32,
}

/// How far a point may be off, in pixels of the finest level.
const TOLERANCE: f32 = 0.6;
/// Of its way.
const TOLERANCE_SHARE: f32 = 0.03;
const TRIALS: usize = 120;
/// Share of the points, all around, that shows that a camera stands still.
const STANDS: f32 = 0.18;
/// Strong points from which their share says something.
const ENOUGH: usize = 12;
/// Points that are sought all around in one frame: where more are lost, it is not one thing that is fast.
const MOST_SOUGHT: usize = 40;
/// Radians a second at which a turn is half as likely to be the camera's as a thing's.
const TURNS: f32 = 0.8;
/// One in so many cells is among those that move most.
const LIVELIEST: usize = 24;
/// Luma steps that are noise.
const NOISE: f32 = 3.0;

/// A frame that later ones are compared with.
struct Kept {
    picture: Arc<Picture>,
    points: Vec<Point>,
    /// From it to the last frame.
    warp: Warp,
    age: usize,
}

/// Follows the camera from frame to frame.
pub struct Camera {
    kept: Option<Kept>,
    /// Frames after which another is kept.
    longest: usize,
    /// Radians between two frames at which a turn is half as likely to be the camera's.
    turns: f32,
    last: Warp,
    random: u64,
}

impl Camera {
    /// For so many frames a second.
    pub fn new(rate: f64) -> Self {
        Self {
            kept: None,
            longest: (rate.round() as usize).max(4),
            turns: TURNS / rate as f32,
            last: Warp::default(),
            random: 0x9E37_79B9_7F4A_7C15,
        }
    }

    /// Forgets what was before: another shot begins.
    pub fn forget(&mut self) {
        self.kept = None;
        self.last = Warp::default();
    }

    /// From `before` to `after`; keeps `before` where it is needed later.
    pub fn step(&mut self, before: &Arc<Picture>, after: &Picture) -> Step {
        let at = points(before.fine());
        let mut followed = Self::followed(before, after, &at, self.last);
        if sure(&at, &followed) * 2 < at.iter().filter(|p| p.strong).count() {
            // Not where it was expected: look at the picture as a whole.
            let shift = super::likeness::best_shift(before.small(), after.small());
            let width = before.small().width as f32;
            let guess = Warp { dx: shift.0 / width, dy: shift.1 / width, ..Warp::default() };
            let again = Self::followed(before, after, &at, guess);
            for (one, other) in followed.iter_mut().zip(again) {
                *one = better(*one, other);
            }
        }
        let samples = samples(before.fine().width, before.fine().height, &at, &followed);
        let fitted = self.fitted(&samples, before.fine().width as f32);
        let (mut warp, agreed) = fitted.unwrap_or((Warp::default(), 0.0));
        let trusted = fitted.is_some() && agreed > 0.2;
        let strong = || at.iter().zip(&followed).filter(|(p, _)| p.strong);
        let again = strong().filter(|(_, f)| f.is_some_and(|f| f.is_sure())).count();
        let found = (strong().count() >= ENOUGH).then(|| again as f32 / strong().count() as f32);
        if trusted {
            warp = self.refined_over_time(warp, after, before, &at);
        } else {
            self.kept = None;
        }
        let subject = subject(before, after, warp, &at, &followed, trusted);
        self.last = if trusted { warp } else { Warp::default() };
        Step { warp, found, agreed, subject }
    }

    fn followed(from: &Picture, to: &Picture, at: &[Point], guess: Warp) -> Vec<Option<Followed>> {
        let (w, h) = (from.fine().width as f32, from.fine().height as f32);
        let mut left = MOST_SOUGHT;
        let left = &mut left;
        at.iter()
            .map(|p| {
                let way = guess.at((p.x - w / 2.0) / w, (p.y - h / 2.0) / w);
                let guessed = (way.0 * w, way.1 * w);
                // Most are where the camera puts them: the finest level is enough.
                let one = follow(from, to, *p, guessed, 0).filter(Followed::is_sure);
                let one = one.or_else(|| follow(from, to, *p, guessed, super::picture::LEVELS - 1));
                let is_sure = |f: &Option<Followed>| f.is_some_and(|o| o.is_sure());
                if is_sure(&one) {
                    return one;
                }
                // What does not follow the camera is looked for where it was.
                let moved = guessed.0.abs().max(guessed.1.abs()) >= 0.5;
                let stood =
                    if moved { better(one, follow(from, to, *p, (0.0, 0.0), super::picture::LEVELS - 1)) } else { one };
                if is_sure(&stood) || !p.strong {
                    return stood;
                }
                *left = left.saturating_sub(1);
                let far = if *left > 0 { seek(from, to, *p) } else { None };
                far.map_or(stood, |way| better(stood, follow(from, to, *p, way, 1)))
            })
            .collect()
    }

    /// The way from frame to frame, as the difference of two ways from a frame further back.
    fn refined_over_time(&mut self, step: Warp, after: &Picture, before: &Arc<Picture>, at: &[Point]) -> Warp {
        let width = after.fine().width as f32;
        if let Some(mut kept) = self.kept.take() {
            let guess = kept.warp.then(&step);
            let (w, h) = (width, after.fine().height as f32);
            let followed: Vec<Option<Followed>> = kept
                .points
                .iter()
                .map(|p| {
                    let way = guess.at((p.x - w / 2.0) / w, (p.y - h / 2.0) / w);
                    follow(&kept.picture, after, *p, (way.0 * w, way.1 * w), 0)
                })
                .collect();
            let samples = samples(after.fine().width, after.fine().height, &kept.points, &followed);
            let near = |warp: &Warp| {
                let slack = 1.5 / width + 0.1 * step.dx.hypot(step.dy);
                (warp.dx - guess.dx).hypot(warp.dy - guess.dy) < slack
            };
            if samples.len() * 5 >= kept.points.len() * 2
                && let Some((warp, agreed)) = self.fitted(&samples, width)
                && agreed > 0.35
                && near(&warp)
            {
                let refined = kept.warp.inverse().then(&warp);
                kept.age += 1;
                kept.warp = warp;
                let gone = warp.dx.abs().max(warp.dy.abs()) > 0.2 || warp.s.abs() > 0.12 || warp.r.abs() > 0.12;
                if !gone && kept.age < self.longest {
                    self.kept = Some(kept);
                }
                return refined;
            }
        }
        // `before` is kept from now on; the way from it is this step.
        self.kept = Some(Kept { picture: before.clone(), points: at.to_vec(), warp: step, age: 1 });
        step
    }

    /// The movement that the points agree on, and the share of them that do.
    fn fitted(&mut self, samples: &[Sample], width: f32) -> Option<(Warp, f32)> {
        if samples.len() < 5 {
            return None;
        }
        let tolerance = TOLERANCE / width;
        let most = self.turns;
        let strict: Vec<f32> =
            samples.iter().map(|s| (tolerance + TOLERANCE_SHARE * s.dx.hypot(s.dy)).powi(-2)).collect();
        let score = |warp: &Warp| -> f32 {
            // Things spin before cameras do.
            let likely = 1.0 / (1.0 + (warp.r / most).powi(2));
            let sum: f32 = samples
                .iter()
                .zip(&strict)
                .map(|(s, strict)| {
                    let (x, y) = warp.at(s.u, s.v);
                    let off = ((x - s.dx).powi(2) + (y - s.dy).powi(2)) * strict;
                    s.weight * (1.0 - off).max(0.0)
                })
                .sum();
            likely * sum
        };
        let mut best = (Warp::default(), score(&Warp::default()));
        let standing = best.1;
        let last = score(&self.last);
        if last > best.1 {
            best = (self.last, last);
        }
        for _ in 0..TRIALS {
            let (i, j) = (self.below(samples.len()), self.below(samples.len()));
            if i != j
                && let Some(warp) = through(&samples[i], &samples[j])
            {
                let found = score(&warp);
                if found > best.1 {
                    best = (warp, found);
                }
            }
        }
        let all: f32 = samples.iter().map(|s| s.weight).sum();
        // Nothing stands still before a moving camera, and not all around.
        if standing > STANDS * all && standing < best.1 && stands_all_around(samples, tolerance) {
            best = (Warp::default(), standing);
        }
        let mut warp = best.0;
        for round in 0..4 {
            let loose = if round == 0 { 2.0 } else { 1.5 };
            warp = least_squares(samples, &warp, loose * tolerance)?;
        }
        let agreed =
            samples.iter().filter(|s| off(s, &warp) < 2.0 * tolerance + TOLERANCE_SHARE * s.dx.hypot(s.dy)).count();
        Some((warp, agreed as f32 / samples.len() as f32))
    }

    fn below(&mut self, n: usize) -> usize {
        self.random ^= self.random << 13;
        self.random ^= self.random >> 7;
        self.random ^= self.random << 17;
        (self.random % n as u64) as usize
    }
}

fn better(one: Option<Followed>, other: Option<Followed>) -> Option<Followed> {
    if other.is_some_and(|o| one.is_none_or(|one| o.likeness > one.likeness)) { other } else { one }
}

fn off(s: &Sample, warp: &Warp) -> f32 {
    let (x, y) = warp.at(s.u, s.v);
    (x - s.dx).hypot(y - s.dy)
}

fn sure(at: &[Point], followed: &[Option<Followed>]) -> usize {
    at.iter().zip(followed).filter(|(p, f)| p.strong && f.is_some_and(|f| f.is_sure())).count()
}

fn samples(width: usize, height: usize, at: &[Point], followed: &[Option<Followed>]) -> Vec<Sample> {
    let (w, h) = (width as f32, height as f32);
    let far = (w.hypot(h) / 2.0) / w;
    at.iter()
        .zip(followed)
        .filter_map(|(p, f)| {
            let f = f.filter(|f| f.may_vote(p))?;
            let (u, v) = ((p.x - w / 2.0) / w, (p.y - h / 2.0) / w);
            // What lies further out is more likely what is behind.
            Some(Sample { u, v, dx: f.dx / w, dy: f.dy / w, weight: 0.6 + 0.8 * u.hypot(v) / far })
        })
        .collect()
}

/// Points that stand still on at least three sides of the picture.
fn stands_all_around(samples: &[Sample], tolerance: f32) -> bool {
    let still: Vec<&Sample> = samples.iter().filter(|s| s.dx.hypot(s.dy) < tolerance).collect();
    let tall = samples.iter().map(|s| s.v.abs()).fold(0.0, f32::max).max(1e-3);
    let sides: [fn(&Sample, f32) -> bool; 4] =
        [|s, _| s.u < -0.28, |s, _| s.u > 0.28, |s, tall| s.v < -0.55 * tall, |s, tall| s.v > 0.55 * tall];
    // A side with nothing to follow says nothing.
    let (mut have, mut stand) = (0, 0);
    for side in sides {
        let all = samples.iter().filter(|s| side(s, tall)).count();
        if all >= 2 {
            have += 1;
            let quiet = still.iter().filter(|s| side(s, tall)).count();
            stand += usize::from(quiet * 3 >= all && quiet >= 2);
        }
    }
    stand >= 2 && stand + 1 >= have
}

/// The movement that takes two points where they went.
fn through(a: &Sample, b: &Sample) -> Option<Warp> {
    let (u, v) = (b.u - a.u, b.v - a.v);
    let apart = u * u + v * v;
    if apart < 0.01 {
        return None;
    }
    let (dx, dy) = (b.dx - a.dx, b.dy - a.dy);
    let (s, r) = ((u * dx + v * dy) / apart, (u * dy - v * dx) / apart);
    Some(Warp { dx: a.dx - s * a.u + r * a.v, dy: a.dy - s * a.v - r * a.u, s, r })
}

fn least_squares(samples: &[Sample], near: &Warp, tolerance: f32) -> Option<Warp> {
    let weights: Vec<f32> = samples
        .iter()
        .map(|s| {
            let reach = 2.0 * tolerance + TOLERANCE_SHARE * s.dx.hypot(s.dy);
            let part = off(s, near) / reach;
            if part < 1.0 { s.weight * (1.0 - part * part).powi(2) } else { 0.0 }
        })
        .collect();
    let all: f32 = weights.iter().sum();
    if all < 1e-3 {
        return None;
    }
    let mean = |of: fn(&Sample) -> f32| samples.iter().zip(&weights).map(|(s, w)| of(s) * w).sum::<f32>() / all;
    let (u, v, dx, dy) = (mean(|s| s.u), mean(|s| s.v), mean(|s| s.dx), mean(|s| s.dy));
    let (mut radial, mut around, mut spread) = (0.0, 0.0, 0.0);
    for (s, w) in samples.iter().zip(&weights) {
        let (pu, pv, px, py) = (s.u - u, s.v - v, s.dx - dx, s.dy - dy);
        radial += w * (pu * px + pv * py);
        around += w * (pu * py - pv * px);
        spread += w * (pu * pu + pv * pv);
    }
    // A few points close together tell a shift, not a scale.
    let spread = spread + 0.0002 * all;
    let (s, r) = (radial / spread, around / spread);
    Some(Warp { dx: dx - s * u + r * v, dy: dy - s * v - r * u, s, r })
}

/// What moves besides the camera: points that were followed, and where none could be, change over slope.
fn subject(
    before: &Picture,
    after: &Picture,
    warp: Warp,
    at: &[Point],
    followed: &[Option<Followed>],
    trusted: bool,
) -> Subject {
    const ACROSS: usize = 16;
    let plane = &before.planes[1];
    let there = &after.planes[1];
    let (w, h) = (plane.width, plane.height);
    let wide = w as f32;
    let down = ((ACROSS * h) as f32 / wide).round().max(1.0) as usize;
    let mut ways = vec![(0.0f32, 0.0f32, 0.0f32); ACROSS * down];
    // Change over slope, the length of a way across the edge it shows at, in frame widths.
    let gain = if trusted { 1.0 } else { 0.5 };
    let light = after.tones.mean - before.tones.mean;
    for (j, row) in ways.chunks_exact_mut(ACROSS).enumerate() {
        for (i, cell) in row.iter_mut().enumerate() {
            let (x0, x1) = ((i * w / ACROSS).max(1), ((i + 1) * w / ACROSS).min(w - 2));
            let (y0, y1) = ((j * h / down).max(1), ((j + 1) * h / down).min(h - 2));
            let (mut sum, mut n) = (0.0f32, 0.0f32);
            for y in y0..y1 {
                for x in x0..x1 {
                    let (u, v) = ((x as f32 - wide / 2.0) / wide, (y as f32 - h as f32 / 2.0) / wide);
                    let way = warp.at(u, v);
                    let (px, py) = (x as f32 + way.0 * wide, y as f32 + way.1 * wide);
                    if px < 0.0 || py < 0.0 || px + 1.0 >= wide || py + 1.0 >= h as f32 {
                        continue;
                    }
                    let here = plane.luma[y * w + x];
                    let change = (there.between(px, py) - here - 255.0 * light).abs() - NOISE;
                    n += 1.0;
                    if change > 0.0 {
                        let gx = (plane.luma[y * w + x + 1] - plane.luma[y * w + x - 1]) * 0.5;
                        let gy = (plane.luma[(y + 1) * w + x] - plane.luma[(y - 1) * w + x]) * 0.5;
                        sum += (change / ((gx * gx + gy * gy).sqrt() + 4.0)).min(9.0);
                    }
                }
            }
            cell.0 = gain * 1.4 * sum / n.max(1.0) / wide;
        }
    }
    let (fine, tall) = (before.fine().width as f32, before.fine().height as f32);
    for (p, f) in at.iter().zip(followed) {
        let Some(f) = f.filter(Followed::is_sure) else { continue };
        let (u, v) = ((p.x - fine / 2.0) / fine, (p.y - tall / 2.0) / fine);
        let way = warp.at(u, v);
        let (dx, dy) = (f.dx / fine - way.0, f.dy / fine - way.1);
        let i = ((u + 0.5) * ACROSS as f32) as usize;
        let j = ((p.y / tall) * down as f32) as usize;
        let at = j.min(down - 1) * ACROSS + i.min(ACROSS - 1);
        let far = dx.hypot(dy);
        let slack = 0.35 / fine + TOLERANCE_SHARE * way.0.hypot(way.1);
        if far > slack {
            ways[at] = (far.max(ways[at].0), dx, dy);
        } else {
            // It is where the camera puts it: what changes in its cell is little.
            ways[at].0 *= 0.5;
        }
    }
    let n = ways.len() as f32;
    let threshold = 0.3 / fine;
    let moving: Vec<(usize, &(f32, f32, f32))> = ways.iter().enumerate().filter(|(_, w)| w.0 > threshold).collect();
    let way = ways.iter().map(|w| w.0).sum::<f32>() / n;
    let weight: f32 = moving.iter().map(|m| m.1.0).sum::<f32>().max(1e-9);
    let place = |k: usize| {
        let (i, j) = ((k % ACROSS) as f32, (k / ACROSS) as f32);
        ((i + 0.5) / ACROSS as f32 - 0.5, ((j + 0.5) / down as f32 - 0.5) * h as f32 / wide)
    };
    let (mut x, mut y, mut dx, mut dy) = (0.0, 0.0, 0.0, 0.0);
    for (k, m) in &moving {
        let (u, v) = place(*k);
        x += m.0 * u / weight;
        y += m.0 * v / weight;
        dx += m.1;
        dy += m.2;
    }
    let known = moving.iter().filter(|m| m.1.1 != 0.0 || m.1.2 != 0.0).count().max(1) as f32;
    let apart = moving
        .iter()
        .map(|(k, m)| {
            let (u, v) = place(*k);
            let far = (u - x).hypot(v - y).max(0.03);
            (m.1 * (u - x) + m.2 * (v - y)) / far
        })
        .sum::<f32>()
        / known;
    let mut sorted: Vec<f32> = ways.iter().map(|w| w.0).collect();
    sorted.sort_by(|a, b| b.total_cmp(a));
    let liveliest = (sorted.len() / LIVELIEST).max(1);
    let most = sorted[..liveliest].iter().sum::<f32>() / liveliest as f32;
    Subject { way, most, area: moving.len() as f32 / n, dx: dx / known, dy: dy / known, x, y, apart }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn warps() -> impl Strategy<Value = Warp> {
        (-0.3f32..0.3, -0.3f32..0.3, -0.2f32..0.2, -0.2f32..0.2).prop_map(|(dx, dy, s, r)| Warp { dx, dy, s, r })
    }

    /// Where a warp takes a point.
    fn taken(warp: &Warp, (u, v): (f32, f32)) -> (f32, f32) {
        let way = warp.at(u, v);
        (u + way.0, v + way.1)
    }

    fn near(a: (f32, f32), b: (f32, f32)) -> bool {
        (a.0 - b.0).hypot(a.1 - b.1) < 1e-4
    }

    /// Points over the picture that follow one warp, the first `strays` of them another.
    fn points_of(warp: &Warp, other: &Warp, strays: usize) -> Vec<Sample> {
        (0..64)
            .map(|i| {
                let (u, v) = ((i % 8) as f32 / 8.0 - 0.44, (i / 8) as f32 / 16.0 - 0.22);
                let (dx, dy) = if i < strays { other.at(u, v) } else { warp.at(u, v) };
                Sample { u, v, dx, dy, weight: 1.0 }
            })
            .collect()
    }

    proptest! {
        #[test]
        fn one_warp_after_the_other_takes_points_where_both_do(
            a in warps(), b in warps(), u in -0.5f32..0.5, v in -0.3f32..0.3
        ) {
            prop_assert!(near(taken(&a.then(&b), (u, v)), taken(&b, taken(&a, (u, v)))));
            prop_assert!(near(taken(&a.then(&a.inverse()), (u, v)), (u, v)));
        }

        #[test]
        fn most_points_tell_the_camera_whatever_the_others_do(
            warp in warps().prop_map(|w| Warp { r: 0.1 * w.r, s: 0.3 * w.s, ..w }), other in warps(), strays in 0usize..24
        ) {
            let samples = points_of(&warp, &other, strays);
            let (found, agreed) = Camera::new(25.0).fitted(&samples, 240.0).expect("enough of them");
            for p in [(-0.4, -0.2), (0.4, 0.2), (0.0, 0.0)] {
                prop_assert!((taken(&found, p).0 - taken(&warp, p).0).abs() < 0.004, "{found:?} {warp:?}");
                prop_assert!((taken(&found, p).1 - taken(&warp, p).1).abs() < 0.004, "{found:?} {warp:?}");
            }
            prop_assert!(agreed > 0.5, "{agreed}");
        }
    }

    #[test]
    fn a_few_points_tell_nothing() {
        assert!(Camera::new(25.0).fitted(&points_of(&Warp::default(), &Warp::default(), 0)[..4], 240.0).is_none());
    }
}
