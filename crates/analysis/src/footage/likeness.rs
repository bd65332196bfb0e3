//! Whether two frames show the same: their small pictures, shifted to where they fit best.

use super::picture::Picture;
use super::plane::Plane;

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

#[cfg(test)]
mod tests {
    use super::*;

    /// A few blots, moved by so many pixels, brighter or darker all over.
    fn blots(dx: i32, dy: i32, gain: f32) -> Plane {
        let (width, height) = (60usize, 34usize);
        let blot = |u: i32, v: i32, x: i32, y: i32| (-(((u - x).pow(2) + (v - y).pow(2)) as f32) / 40.0).exp();
        let luma = (0..width * height)
            .map(|i| {
                let (u, v) = ((i % width) as i32 - dx, (i / width) as i32 - dy);
                gain * (40.0 + 120.0 * blot(u, v, 20, 10) + 90.0 * blot(u, v, 40, 22) - 30.0 * blot(u, v, 12, 26))
            })
            .collect();
        Plane { width, height, luma }
    }

    #[test]
    fn the_same_thing_is_found_where_it_has_gone() {
        for (dx, dy) in [(0, 0), (7, -3), (-9, 4)] {
            assert_eq!(best_shift(&blots(0, 0, 1.0), &blots(dx, dy, 1.0)), (dx as f32, dy as f32));
        }
        assert!(best_shift_score(&blots(0, 0, 1.0), &blots(8, 3, 1.0)) > 0.98);
        assert!(plain_correlation(&blots(0, 0, 1.0), &blots(8, 3, 1.0)) < 0.8, "place by place it is another");
    }

    #[test]
    fn brightness_makes_nothing_another_thing_and_another_thing_is_one() {
        assert!(plain_correlation(&blots(0, 0, 1.0), &blots(0, 0, 0.5)) > 0.97);
        let mut other = blots(0, 0, 1.0);
        // Upside down.
        other.luma = other.luma.chunks(60).rev().flatten().copied().collect();
        assert!(best_shift_score(&blots(0, 0, 1.0), &other) < 0.9);
        let plain = |v: f32| Plane { width: 60, height: 34, luma: vec![v; 60 * 34] };
        assert!(plain_correlation(&plain(20.0), &plain(200.0)) > 0.9, "two bare walls");
        assert!(plain_correlation(&plain(20.0), &blots(0, 0, 1.0)) < 0.3);
    }

    #[test]
    fn colours_are_apart_by_where_they_are() {
        let of = |blue: u8, red: u8| {
            let mut frame = vec![100u8; 32 * 20];
            frame.extend(vec![blue; 16 * 10]);
            frame.extend(vec![red; 16 * 10]);
            Picture::of(&frame, 32, 20)
        };
        assert_eq!(colours_apart(&of(128, 128), &of(128, 128)), 0.0);
        let (near, far) = (colours_apart(&of(128, 128), &of(120, 140)), colours_apart(&of(90, 180), &of(180, 90)));
        assert!(0.0 < near && near < 0.1 && far > 0.5 && far <= 1.0, "{near} {far}");
    }
}
