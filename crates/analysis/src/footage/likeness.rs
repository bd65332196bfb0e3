//! Whether two frames show the same: their small pictures, shifted to where they fit best.

use super::picture::{Picture, Plane};

/// How far a small picture is shifted, as a share of its width.
const SHIFT: f32 = 0.17;

/// Pixels by which the content of `a` is found in `b`, by whole pixels of these planes.
pub fn best_shift(a: &Plane, b: &Plane) -> (f32, f32) {
    let found = shifted(a, b);
    (found.0 as f32, found.1 as f32)
}

fn shifted(a: &Plane, b: &Plane) -> (i32, i32, f32) {
    let reach = (a.width as f32 * SHIFT) as i32;
    let tall = (a.height as f32 * SHIFT) as i32;
    let mut best = (0, 0, correlation(a, b, 0, 0, 1));
    for dy in (-tall..=tall).step_by(2) {
        for dx in (-reach..=reach).step_by(2) {
            let found = correlation(a, b, dx, dy, 2);
            if found > best.2 + 0.01 {
                best = (dx, dy, found);
            }
        }
    }
    let (x, y) = (best.0, best.1);
    best.2 = correlation(a, b, x, y, 1);
    for dy in y - 1..=y + 1 {
        for dx in x - 1..=x + 1 {
            let found = correlation(a, b, dx, dy, 1);
            if found > best.2 {
                best = (dx, dy, found);
            }
        }
    }
    best
}

/// Normalised correlation of `a` with `b` shifted back, over every `step`th pixel that both have.
fn correlation(a: &Plane, b: &Plane, dx: i32, dy: i32, step: usize) -> f32 {
    let (w, h) = (a.width as i32, a.height as i32);
    let (x0, x1) = (0.max(-dx), w.min(w - dx));
    let (y0, y1) = (0.max(-dy), h.min(h - dy));
    let (mut n, mut sa, mut sb, mut saa, mut sbb, mut sab) = (0.0f32, 0.0f32, 0.0f32, 0.0f32, 0.0f32, 0.0f32);
    for y in (y0..y1).step_by(step) {
        let left = &a.luma[(y * w + x0) as usize..(y * w + x1) as usize];
        let right = &b.luma[((y + dy) * w + x0 + dx) as usize..((y + dy) * w + x1 + dx) as usize];
        for (p, q) in left.iter().zip(right).step_by(step) {
            sa += p;
            sb += q;
            saa += p * p;
            sbb += q * q;
            sab += p * q;
        }
        n += (left.len().div_ceil(step)) as f32;
    }
    if n < 16.0 {
        return 0.0;
    }
    let (va, vb, both) = (saa / n - (sa / n).powi(2), sbb / n - (sb / n).powi(2), sab / n - sa / n * sb / n);
    // Plain pictures are alike when both are plain.
    (both + 4.0) / ((va + 4.0) * (vb + 4.0)).sqrt()
}

/// −1 to 1: how much two small pictures show the same thing, wherever in the picture.
pub fn best_shift_score(a: &Plane, b: &Plane) -> f32 {
    shifted(a, b).2
}

/// −1 to 1: how alike two small pictures are, place by place.
pub fn plain_correlation(a: &Plane, b: &Plane) -> f32 {
    correlation(a, b, 0, 0, 1)
}

/// 0–1: how far their colours are apart, cell by cell.
pub fn colours_apart(a: &Picture, b: &Picture) -> f32 {
    let sum: f32 = a.chroma.iter().zip(&b.chroma).map(|(p, q)| (p[0] - q[0]).abs() + (p[1] - q[1]).abs()).sum();
    sum / (a.chroma.len().max(1) as f32 * 256.0)
}
