//! How the camera moved between two frames, and what moved in the picture besides.
//!
//! The two frames are registered by a shift and a change of scale with the iterative least-squares method of
//! Lucas and Kanade (IJCAI 1981), from quarter to half size, with weights that discount what does not
//! follow the camera (a robust estimate: iteratively reweighted least squares).

use super::picture::{Picture, Plane};

const ROUNDS: usize = 4;
/// Luma difference at which a pixel's weight has fallen to a half.
const TRUSTED: f32 = 12.0;
/// Noise of a typical small grey frame, in luma steps; less than that is no movement.
const NOISE: f32 = 2.5;

/// Movement from one frame to the next, in shares of the frame (not yet per second).
#[derive(Debug, Clone, Copy, Default)]
pub struct Movement {
    /// Positive: camera to the right.
    pub pan: f32,
    /// Positive: camera up.
    pub tilt: f32,
    /// Positive: camera in.
    pub zoom: f32,
    /// How far things in the picture moved on average, in frame widths.
    pub subject: f32,
}

/// Registers frames; starts from the last movement, since cameras keep going.
#[derive(Debug, Default)]
pub struct Camera {
    last: Warp,
}

/// Where the content of the earlier frame is found in the later one, from the centre: `x' = x·(1+s) + dx`, in
/// frame widths (`dx`, `dy` both in widths).
#[derive(Debug, Clone, Copy, Default)]
struct Warp {
    dx: f32,
    dy: f32,
    s: f32,
}

impl Camera {
    pub fn movement(&mut self, before: &Picture, after: &Picture) -> Movement {
        let mut best = Warp::default();
        let mut least = f32::MAX;
        for start in [Warp::default(), self.last] {
            let warp = refined(&before.quarter, &after.quarter, start);
            let error = mean_error(&before.quarter, &after.quarter, warp);
            if error < least {
                (best, least) = (warp, error);
            }
        }
        let warp = refined(&before.half, &after.half, best);
        if mean_error(&before.half, &after.half, warp) <= mean_error(&before.half, &after.half, best) + 0.05 {
            best = warp;
        }
        // A registration that explains no more than standing still does is not a camera movement.
        let still = mean_error(&before.half, &after.half, Warp::default());
        let (subject, error) = subject(&before.half, &after.half, best);
        if error > 0.97 * still {
            best = Warp::default();
        }
        self.last = best;
        let aspect = before.half.width as f32 / before.half.height.max(1) as f32;
        // The picture goes left when the camera goes right; the picture goes down when the camera goes up.
        Movement { pan: -best.dx, tilt: best.dy * aspect, zoom: best.s, subject }
    }
}

/// Calls `each(x, y, gx, gy, difference)` for the pixels whose counterpart lies inside, in widths from the centre.
fn compare(before: &Plane, after: &Plane, warp: Warp, mut each: impl FnMut(f32, f32, f32, f32, f32)) {
    let (w, h) = (before.width, before.height);
    let scale = w as f32;
    let (cx, cy) = (w as f32 / 2.0, h as f32 / 2.0);
    for y in 1..h.saturating_sub(1) {
        for x in 1..w.saturating_sub(1) {
            let (u, v) = (x as f32 - cx, y as f32 - cy);
            let px = u * (1.0 + warp.s) + warp.dx * scale + cx;
            let py = v * (1.0 + warp.s) + warp.dy * scale + cy;
            if px < 0.0 || py < 0.0 {
                continue;
            }
            let (ix, iy) = (px as usize, py as usize);
            if ix + 1 >= w || iy + 1 >= h {
                continue;
            }
            let (fx, fy) = (px - ix as f32, py - iy as f32);
            let at = iy * w + ix;
            let top = after.luma[at] * (1.0 - fx) + after.luma[at + 1] * fx;
            let bottom = after.luma[at + w] * (1.0 - fx) + after.luma[at + w + 1] * fx;
            let there = top * (1.0 - fy) + bottom * fy;
            let here = y * w + x;
            let gx = (before.luma[here + 1] - before.luma[here - 1]) / 2.0;
            let gy = (before.luma[here + w] - before.luma[here - w]) / 2.0;
            each(u / scale, v / scale, gx * scale, gy * scale, there - before.luma[here]);
        }
    }
}

fn refined(before: &Plane, after: &Plane, start: Warp) -> Warp {
    let mut warp = start;
    for _ in 0..ROUNDS {
        let mut a = [[0.0f64; 3]; 3];
        let mut b = [0.0f64; 3];
        compare(before, after, warp, |u, v, gx, gy, diff| {
            let weight = 1.0 / (1.0 + (diff / TRUSTED).powi(2));
            let j = [gx, gy, gx * u + gy * v];
            for r in 0..3 {
                for c in 0..3 {
                    a[r][c] += f64::from(weight * j[r] * j[c]);
                }
                b[r] -= f64::from(weight * j[r] * diff);
            }
        });
        // A little resistance keeps flat pictures from inventing movements.
        for (r, row) in a.iter_mut().enumerate() {
            row[r] += 1e3 + row[r] * 1e-4;
        }
        let Some([dx, dy, s]) = solved(a, b) else { return warp };
        warp.dx = (warp.dx + dx as f32).clamp(-0.4, 0.4);
        warp.dy = (warp.dy + dy as f32).clamp(-0.4, 0.4);
        warp.s = (warp.s + s as f32).clamp(-0.3, 0.3);
        if dx.abs().max(dy.abs()).max(s.abs()) < 1e-5 {
            break;
        }
    }
    warp
}

/// Three equations, by Cramer's rule.
fn solved(a: [[f64; 3]; 3], b: [f64; 3]) -> Option<[f64; 3]> {
    let det = |m: [[f64; 3]; 3]| {
        m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) - m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0])
            + m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0])
    };
    let whole = det(a);
    if whole.abs() < 1e-9 {
        return None;
    }
    let mut x = [0.0; 3];
    for (column, value) in x.iter_mut().enumerate() {
        let mut m = a;
        for row in 0..3 {
            m[row][column] = b[row];
        }
        *value = det(m) / whole;
    }
    Some(x)
}

fn mean_error(before: &Plane, after: &Plane, warp: Warp) -> f32 {
    let (mut sum, mut count) = (0.0f32, 0.0f32);
    compare(before, after, warp, |_, _, _, _, diff| {
        sum += diff.abs().min(3.0 * TRUSTED);
        count += 1.0;
    });
    // A warp that leaves hardly any overlap explains nothing.
    if count < before.luma.len() as f32 * 0.3 { f32::MAX } else { sum / count }
}

/// The movement that the camera does not explain, and the error that is left: difference over gradient is the
/// distance an edge has gone; what appears or vanishes counts as going its own width.
fn subject(before: &Plane, after: &Plane, warp: Warp) -> (f32, f32) {
    let (mut moved, mut error, mut count) = (0.0f32, 0.0f32, 0.0f32);
    compare(before, after, warp, |_, _, gx, gy, diff| {
        let size = diff.abs();
        error += size.min(3.0 * TRUSTED);
        count += 1.0;
        if size > NOISE {
            let gradient = (gx * gx + gy * gy).sqrt();
            // At most 4 % of the width for one pixel: a light that goes on did not fly in from outside.
            moved += ((size - NOISE) / (gradient + 300.0)).min(0.04);
        }
    });
    let count = count.max(1.0);
    (moved / count * 8.0, error / count)
}
