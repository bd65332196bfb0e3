//! Following points from one frame to another: corners over a grid, found again by the method of Lucas and Kanade (IJCAI 1981)
//! from coarse to fine, with the brightness of each window taken out.

use super::picture::{LEVELS, Picture};
use super::plane::Plane;

/// Cells of the grid along the longer side; one point is followed in each.
pub const CELLS: usize = 16;
/// Half the side of the window that is compared, by level.
const REACH: [usize; LEVELS] = [6, 5, 4];
const ROUNDS: usize = 6;
/// Pixels of a step at which it has arrived.
const ARRIVED: f32 = 0.03;
/// The smaller eigenvalue of the gradients in a window, a pixel, from which a point is worth a try: even a bare wall has some.
const CORNER: f32 = 0.4;
/// And from which it is found again in any frame of the same shot.
const STRONG: f32 = 6.0;
/// Correlation of the two windows from which they show the same.
pub const ALIKE: f32 = 0.8;
/// The same for points on little contrast, where the noise of the camera counts.
const ALIKE_FAINT: f32 = 0.6;

/// A point that can be followed, in pixels of the finest level.
#[derive(Debug, Clone, Copy)]
pub struct Point {
    pub x: f32,
    pub y: f32,
    /// It is found again in any frame of the same shot.
    pub strong: bool,
}

/// Where a point has gone.
#[derive(Debug, Clone, Copy)]
pub struct Followed {
    /// In pixels of the finest level.
    pub dx: f32,
    /// In pixels of the finest level.
    pub dy: f32,
    /// Correlation of what is seen there with what was seen here, −1 to 1.
    pub likeness: f32,
}

impl Followed {
    pub fn is_sure(&self) -> bool {
        self.likeness >= ALIKE
    }

    /// Whether it is good enough to ask, with many others, how the camera moved.
    pub fn may_vote(&self, point: &Point) -> bool {
        self.likeness >= if point.strong { ALIKE } else { ALIKE_FAINT }
    }
}

/// The best corner of each cell, where there is one.
pub fn points(plane: &Plane) -> Vec<Point> {
    const BLOCK: usize = 4;
    let (w, h) = (plane.width, plane.height);
    let (bw, bh) = (w / BLOCK, h / BLOCK);
    let margin = REACH[0] + 2;
    if bw < 6 || bh < 6 {
        return Vec::new();
    }
    // Gradients summed over blocks, then over windows of three by three blocks.
    let mut blocks = vec![[0.0f32; 3]; bw * bh];
    let mut columns = [vec![0.0f32; w], vec![0.0f32; w], vec![0.0f32; w]];
    for (by, blocks) in blocks.chunks_exact_mut(bw).enumerate() {
        columns.iter_mut().for_each(|column| column.fill(0.0));
        let [xx, xy, yy] = &mut columns;
        for y in (by * BLOCK).max(1)..((by + 1) * BLOCK).min(h - 1) {
            let (above, row, below) =
                (&plane.luma[(y - 1) * w..][..w], &plane.luma[y * w..][..w], &plane.luma[(y + 1) * w..][..w]);
            for x in 1..w - 1 {
                let (gx, gy) = ((row[x + 1] - row[x - 1]) * 0.5, (below[x] - above[x]) * 0.5);
                xx[x] += gx * gx;
                xy[x] += gx * gy;
                yy[x] += gy * gy;
            }
        }
        for (bx, block) in blocks.iter_mut().enumerate() {
            for (sum, column) in block.iter_mut().zip([&*xx, &*xy, &*yy]) {
                *sum = column[bx * BLOCK..][..BLOCK].iter().sum();
            }
        }
    }
    let cell = (w.max(h) as f32 / CELLS as f32).max(BLOCK as f32);
    let (across, down) = ((w as f32 / cell).round() as usize, (h as f32 / cell).round() as usize);
    let mut best = vec![(0.0f32, Point { x: 0.0, y: 0.0, strong: false }); across * down];
    for by in 1..bh - 1 {
        for bx in 1..bw - 1 {
            let (x, y) = (bx * BLOCK + BLOCK / 2, by * BLOCK + BLOCK / 2);
            if x < margin || y < margin || x + margin >= w || y + margin >= h {
                continue;
            }
            let mut sum = [0.0f32; 3];
            for dy in 0..3 {
                for dx in 0..3 {
                    let one = &blocks[(by + dy - 1) * bw + bx + dx - 1];
                    for k in 0..3 {
                        sum[k] += one[k];
                    }
                }
            }
            let n = (9 * BLOCK * BLOCK) as f32;
            let (a, b, c) = (sum[0] / n, sum[1] / n, sum[2] / n);
            let least = (a + c) / 2.0 - (((a - c) / 2.0).powi(2) + b * b).sqrt();
            let (i, j) = (((x as f32 / cell) as usize).min(across - 1), ((y as f32 / cell) as usize).min(down - 1));
            if least > best[j * across + i].0 {
                best[j * across + i] = (least, Point { x: x as f32, y: y as f32, strong: least > STRONG });
            }
        }
    }
    best.into_iter().filter(|b| b.0 > CORNER).map(|b| b.1).collect()
}

/// Follows a point from coarse to fine, starting where it is `guessed` to have gone.
pub fn follow(from: &Picture, to: &Picture, point: Point, guessed: (f32, f32), coarsest: usize) -> Option<Followed> {
    let mut found = Followed { dx: guessed.0, dy: guessed.1, likeness: 0.0 };
    for level in (0..=coarsest).rev() {
        let scale = (1 << level) as f32;
        let (x, y) = ((point.x / scale).round(), (point.y / scale).round());
        let start = (found.dx / scale, found.dy / scale);
        let refined = match level {
            0 => refined::<{ 2 * REACH[0] + 1 }>,
            1 => refined::<{ 2 * REACH[1] + 1 }>,
            _ => refined::<{ 2 * REACH[2] + 1 }>,
        };
        if let Some(one) = refined(&from.planes[level], &to.planes[level], (x as usize, y as usize), start) {
            found = Followed { dx: one.dx * scale, dy: one.dy * scale, likeness: one.likeness };
        } else if level == 0 {
            return None;
        }
    }
    Some(found)
}

/// How far a point is sought that was not found near where it was expected, as a share of the width.
const SOUGHT: f32 = 0.2;
/// Half the side of the window that is sought, in pixels of the coarsest level.
const SOUGHT_REACH: usize = 3;

/// Looks for a point all around, in the smallest pictures; what is fast and small leaves no other trace. Gives its way in pixels
/// of the finest level, to be followed from there.
pub fn seek(from: &Picture, to: &Picture, point: Point) -> Option<(f32, f32)> {
    let (a, b) = (from.small(), to.small());
    let scale = (1 << (LEVELS - 1)) as f32;
    let (x, y) = ((point.x / scale).round() as usize, (point.y / scale).round() as usize);
    let reach = SOUGHT_REACH;
    if x <= reach || y <= reach || x + reach + 1 >= a.width || y + reach + 1 >= a.height {
        return None;
    }
    let here = Window::<{ 2 * SOUGHT_REACH + 1 }>::around(a, (x, y));
    let luma = here.luma.as_flattened();
    let power = dot(luma, luma);
    let far = (a.width as f32 * SOUGHT) as usize;
    let mut there = here.luma;
    let mut best = (ALIKE, None);
    for ty in y.saturating_sub(far).max(reach)..(y + far + 1).min(b.height - reach) {
        for tx in x.saturating_sub(far).max(reach)..(x + far + 1).min(b.width - reach) {
            for (j, row) in there.iter_mut().enumerate() {
                row.copy_from_slice(&b.luma[(ty + j - reach) * b.width + tx - reach..][..=2 * reach]);
            }
            without_mean(there.as_flattened_mut());
            let likeness = correlation(luma, power, there.as_flattened());
            if likeness > best.0 {
                best = (likeness, Some(((tx as f32 - x as f32) * scale, (ty as f32 - y as f32) * scale)));
            }
        }
    }
    best.1
}

/// Values that are added up at once: floats that are added one after the other wait for each other.
const LANES: usize = 8;

fn dot(a: &[f32], b: &[f32]) -> f32 {
    let ((a, a_rest), (b, b_rest)) = (a.as_chunks::<LANES>(), b.as_chunks::<LANES>());
    let mut sums = [0.0f32; LANES];
    for (p, q) in a.iter().zip(b) {
        for k in 0..LANES {
            sums[k] += p[k] * q[k];
        }
    }
    sums.iter().sum::<f32>() + a_rest.iter().zip(b_rest).map(|(p, q)| p * q).sum::<f32>()
}

fn without_mean(values: &mut [f32]) {
    let (eights, rest) = values.as_chunks::<LANES>();
    let mut sums = [0.0f32; LANES];
    for eight in eights {
        for k in 0..LANES {
            sums[k] += eight[k];
        }
    }
    let mean = sums.iter().chain(rest).sum::<f32>() / values.len() as f32;
    values.iter_mut().for_each(|v| *v -= mean);
}

/// Of two windows without their means; `power` is the first one's.
fn correlation(here: &[f32], power: f32, there: &[f32]) -> f32 {
    dot(here, there) / (power * dot(there, there)).sqrt().max(1e-3)
}

/// What a window is compared by, its mean taken out.
struct Window<const SIDE: usize> {
    luma: [[f32; SIDE]; SIDE],
    /// Slopes across and down.
    gx: [[f32; SIDE]; SIDE],
    gy: [[f32; SIDE]; SIDE],
}

impl<const SIDE: usize> Window<SIDE> {
    /// The caller keeps it a pixel inside the plane.
    fn around(plane: &Plane, (x, y): (usize, usize)) -> Self {
        let (w, reach) = (plane.width, SIDE / 2);
        let (mut luma, mut gx, mut gy) = ([[0.0f32; SIDE]; SIDE], [[0.0f32; SIDE]; SIDE], [[0.0f32; SIDE]; SIDE]);
        for j in 0..SIDE {
            let at = (y + j - reach) * w + x - reach;
            let (above, row, below) =
                (&plane.luma[at - w..][..SIDE], &plane.luma[at - 1..][..SIDE + 2], &plane.luma[at + w..][..SIDE]);
            for i in 0..SIDE {
                luma[j][i] = row[i + 1];
                gx[j][i] = (row[i + 2] - row[i]) * 0.5;
                gy[j][i] = (below[i] - above[i]) * 0.5;
            }
        }
        for values in [&mut luma, &mut gx, &mut gy] {
            without_mean(values.as_flattened_mut());
        }
        Self { luma, gx, gy }
    }
}

/// Lucas and Kanade at one level, from `start`.
fn refined<const SIDE: usize>(from: &Plane, to: &Plane, (x, y): (usize, usize), start: (f32, f32)) -> Option<Followed> {
    let (w, h, reach) = (from.width, from.height, SIDE / 2);
    if x < reach + 1 || y < reach + 1 || x + reach + 1 >= w || y + reach + 1 >= h {
        return None;
    }
    let here = Window::<SIDE>::around(from, (x, y));
    let (luma, gx, gy) = (here.luma.as_flattened(), here.gx.as_flattened(), here.gy.as_flattened());
    let (a, b, c) = (dot(gx, gx), dot(gx, gy), dot(gy, gy));
    let det = a * c - b * b;
    if det < 1e-3 * (a + c).powi(2).max(1.0) {
        return None;
    }
    let (power, luma_gx, luma_gy) = (dot(luma, luma), dot(luma, gx), dot(luma, gy));
    let (mut dx, mut dy) = start;
    let mut there = [[0.0f32; SIDE]; SIDE];
    let mut likeness = 0.0;
    for _ in 0..ROUNDS {
        let (px, py) = (x as f32 + dx - reach as f32, y as f32 + dy - reach as f32);
        if px < 0.0 || py < 0.0 || px + (SIDE as f32) >= w as f32 || py + (SIDE as f32) >= h as f32 {
            return None;
        }
        let (ix, iy) = (px as usize, py as usize);
        let (fx, fy) = (px - ix as f32, py - iy as f32);
        let (w00, w10, w01, w11) = ((1.0 - fx) * (1.0 - fy), fx * (1.0 - fy), (1.0 - fx) * fy, fx * fy);
        for (j, row) in there.iter_mut().enumerate() {
            let at = (iy + j) * w + ix;
            let below = (at + w).min(to.luma.len() - SIDE - 1);
            let (top, bottom) = (&to.luma[at..][..=SIDE], &to.luma[below..][..=SIDE]);
            for i in 0..SIDE {
                row[i] = top[i] * w00 + top[i + 1] * w10 + bottom[i] * w01 + bottom[i + 1] * w11;
            }
        }
        let there = there.as_flattened_mut();
        without_mean(there);
        likeness = correlation(luma, power, there);
        let (ex, ey) = (dot(gx, there) - luma_gx, dot(gy, there) - luma_gy);
        let (sx, sy) = ((c * ex - b * ey) / det, (a * ey - b * ex) / det);
        dx -= sx;
        dy -= sy;
        if sx.abs().max(sy.abs()) < ARRIVED {
            break;
        }
        // Further than the window is wide is another place.
        if (dx - start.0).abs().max((dy - start.1).abs()) > 1.2 * SIDE as f32 {
            return None;
        }
    }
    Some(Followed { dx, dy, likeness })
}

#[cfg(test)]
mod tests {
    use super::super::picture::frame_bytes;
    use super::*;
    use proptest::prelude::*;

    const W: usize = 480;
    const H: usize = 270;

    /// Waves of several lengths, moved by so many pixels of the frame that comes in.
    fn waves(dx: f32, dy: f32) -> Picture {
        let mut frame = vec![128u8; frame_bytes(W, H)];
        for y in 0..H {
            for x in 0..W {
                let (u, v) = (x as f32 - dx, y as f32 - dy);
                let value = 128.0
                    + 45.0 * (u * 0.11 + (v * 0.05).sin() * 2.0).sin()
                    + 40.0 * (v * 0.13 + (u * 0.04).cos() * 2.0).sin()
                    + 20.0 * (u * 0.31).sin() * (v * 0.27).cos();
                frame[y * W + x] = value as u8;
            }
        }
        Picture::of(&frame, W, H)
    }

    #[test]
    fn one_corner_of_each_cell_and_none_on_a_wall() {
        let found = points(waves(0.0, 0.0).fine());
        assert!((120..=144).contains(&found.len()), "of 16 × 9 cells: {}", found.len());
        let cell = W as f32 / 2.0 / CELLS as f32;
        let mut cells: Vec<(usize, usize)> =
            found.iter().map(|p| ((p.x / cell) as usize, (p.y / cell) as usize)).collect();
        cells.sort_unstable();
        cells.dedup();
        assert_eq!(cells.len(), found.len(), "one in each");
        let wall = Picture::of(&vec![90; frame_bytes(W, H)], W, H);
        assert!(points(wall.fine()).is_empty());
        // An edge without corners can slide along itself.
        let stripes: Vec<u8> =
            (0..frame_bytes(W, H)).map(|i| if (i % W / 30).is_multiple_of(2) { 60 } else { 180 }).collect();
        assert!(points(Picture::of(&stripes, W, H).fine()).is_empty());
    }

    #[test]
    fn what_is_gone_is_not_followed_surely() {
        let (from, other) = (waves(0.0, 0.0), Picture::of(&vec![90; frame_bytes(W, H)], W, H));
        let sure = points(from.fine())
            .into_iter()
            .filter_map(|p| follow(&from, &other, p, (0.0, 0.0), LEVELS - 1))
            .filter(Followed::is_sure)
            .count();
        assert_eq!(sure, 0);
    }

    #[test]
    fn a_faint_point_may_vote_on_less_than_a_strong_one() {
        let at = |likeness| Followed { dx: 0.0, dy: 0.0, likeness };
        let point = |strong| Point { x: 0.0, y: 0.0, strong };
        assert!(at(0.7).may_vote(&point(false)) && !at(0.7).may_vote(&point(true)) && !at(0.7).is_sure());
        assert!(!at(0.5).may_vote(&point(false)) && at(0.85).may_vote(&point(true)) && at(0.85).is_sure());
    }

    #[test]
    fn what_has_leapt_is_sought_all_around() {
        // A stone of its own pattern before a wall leaps by more than an eighth of the picture.
        let with_stone = |left: usize| {
            let mut frame = vec![110u8; frame_bytes(W, H)];
            for y in 0..60 {
                for x in 0..60 {
                    let (u, v) = (x as f32, y as f32);
                    frame[(100 + y) * W + left + x] =
                        (128.0 + 80.0 * (u * 0.2).sin() * (v * 0.17 + u * 0.03).cos()) as u8;
                }
            }
            Picture::of(&frame, W, H)
        };
        let (from, to) = (with_stone(120), with_stone(184));
        let point = Point { x: 75.0, y: 65.0, strong: true };
        let (dx, dy) = seek(&from, &to, point).expect("it is there");
        assert!((dx - 32.0).abs() <= 4.0 && dy.abs() <= 4.0, "{dx} {dy}, in pixels of half the size");
        let found = follow(&from, &to, point, (dx, dy), 0).expect("and is followed from there");
        assert!((found.dx - 32.0).abs() < 0.2 && found.dy.abs() < 0.2 && found.is_sure(), "{found:?}");
        assert!(
            seek(&from, &to, Point { x: 2.0, y: 2.0, strong: true }).is_none(),
            "too near the edge to have a window"
        );
    }

    #[test]
    fn a_window_is_found_again_when_the_light_has_changed() {
        let from = waves(0.0, 0.0);
        let mut darker = vec![128u8; frame_bytes(W, H)];
        for (i, v) in darker[..W * H].iter_mut().enumerate() {
            let (x, y) = ((i % W / 2).min(W / 2 - 1), (i / W / 2).min(H / 2 - 1));
            *v = (from.fine().luma[y * (W / 2) + x] - 20.0) as u8;
        }
        let to = Picture::of(&darker, W, H);
        let found: Vec<Followed> =
            points(from.fine()).into_iter().filter_map(|p| follow(&from, &to, p, (0.0, 0.0), 0)).collect();
        assert!(found.len() > 80, "{}", found.len());
        assert!(found.iter().all(|f| f.is_sure() && f.dx.hypot(f.dy) < 0.05), "{found:?}");
    }

    proptest! {
        #[test]
        fn sums_side_by_side_are_those_one_after_the_other(
            values in prop::collection::vec((-50.0f32..50.0, -50.0f32..50.0), 1..200)
        ) {
            let (a, b): (Vec<f32>, Vec<f32>) = values.iter().copied().unzip();
            let slow: f64 = values.iter().map(|(p, q)| f64::from(*p) * f64::from(*q)).sum();
            prop_assert!((f64::from(dot(&a, &b)) - slow).abs() < 0.5, "{} {slow}", dot(&a, &b));
            let mut centred = a.clone();
            without_mean(&mut centred);
            let mean = centred.iter().map(|v| f64::from(*v)).sum::<f64>() / centred.len() as f64;
            prop_assert!(mean.abs() < 1e-3, "{mean}");
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        #[test]
        fn points_are_followed_to_a_part_of_a_pixel(dx in -12.0f32..12.0, dy in -12.0f32..12.0) {
            let (from, to) = (waves(0.0, 0.0), waves(dx, dy));
            let mut errors: Vec<f32> = points(from.fine())
                .into_iter()
                .filter_map(|p| follow(&from, &to, p, (0.0, 0.0), LEVELS - 1))
                .filter(Followed::is_sure)
                .map(|f| (f.dx - dx / 2.0).hypot(f.dy - dy / 2.0))
                .collect();
            prop_assert!(errors.len() > 80, "{}", errors.len());
            errors.sort_by(f32::total_cmp);
            prop_assert!(errors[errors.len() / 2] < 0.1, "{}", errors[errors.len() / 2]);
        }
    }
}
