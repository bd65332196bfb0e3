//! How sharp a frame is: the slope of its steepest edges against their height.
//!
//! Over an edge of height *h*, the largest step between neighbours is *h* where the edge is sharp and *h*/*w* where it is spread
//! over *w* pixels, whatever the contrast. Movement smears across its own direction only, so the better of the two directions
//! counts; noise makes no edges of seven pixels. Edges wider than five pixels all look alike, so the same is asked once more at
//! half the size.

use super::plane::Plane;
use std::ops::Range;

/// Pixels over which the height of an edge is taken, to each side.
const REACH: usize = 4;
/// An edge is worth looking at from this share of the highest on.
const WORTHY: f32 = 0.4;
/// And from this many steps of luma on.
const LEAST: i16 = 14;
/// The share of the edges that are steeper than the reported slope.
const STEEPEST: f32 = 0.1;
/// Neighbours that are looked at together first: most of a picture is no edge.
const FEW: usize = 16;
/// Edges below which nothing is reported.
const FEWEST: u32 = 24;
/// The spread of luma, 0–1, below which a picture without edges is a bare wall and not a blurred one.
const BARE: f32 = 0.028;
/// The slope that is reported where even the flattest edge is too flat.
const FLATTEST: f32 = 0.02;

/// Slopes of the steepest edges, 0–1.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Focus {
    /// In pixels of what came in.
    pub fine: f32,
    /// In pixels twice as wide.
    pub broad: f32,
}

impl Focus {
    /// Of what has lost all its edges.
    pub const LOST: Self = Self { fine: FLATTEST, broad: FLATTEST };

    /// Of a plane of luma bytes and the same at half the size, whose luma spreads so far; none where there is nothing to be sharp.
    pub fn of(luma: &[u8], width: usize, height: usize, half: &Plane, spread: f32) -> Option<Self> {
        let fine = slope(luma, width, height);
        if fine.is_none() && spread < BARE {
            return None;
        }
        let bytes: Vec<u8> = half.luma.iter().map(|v| *v as u8).collect();
        let broad = slope(&bytes, half.width, half.height);
        Some(Self {
            fine: fine.unwrap_or(FLATTEST).max(FLATTEST),
            broad: broad.or(fine).unwrap_or(FLATTEST).max(FLATTEST),
        })
    }

    /// 0–1, when what moved so many pixels while the shutter was open smeared it.
    pub fn sharpness(self, smear: f32) -> f32 {
        let answer = |slope: f32, smear: f32| {
            let spread = 1.0 / slope;
            let sharp = 1.0 / (spread * spread - smear * smear).max(0.25 * spread).max(1.0).sqrt();
            sharp.max(slope)
        };
        let (fine, broad) = (answer(self.fine, smear), answer(self.broad, smear / 2.0));
        // Of fine patterns little is left at half the size.
        fine * broad.max(fine)
    }
}

/// The slope of the steepest edges in the better direction; none where there are too few of any.
fn slope(luma: &[u8], width: usize, height: usize) -> Option<f32> {
    if width < 4 * REACH || height < 4 * REACH {
        return None;
    }
    let across = slopes(luma, width, 1, REACH..width - REACH, 0..height);
    let down = slopes(luma, width, width, 0..width, REACH..height - REACH);
    [across, down].into_iter().flatten().reduce(f32::max)
}

/// The slope that the steepest tenth of the edges in one direction exceed. A third of the rows is enough: edges are longer than
/// wide.
fn slopes(luma: &[u8], width: usize, step: usize, columns: Range<usize>, rows: Range<usize>) -> Option<f32> {
    let starts = rows.step_by(3).map(|y| y * width + columns.start);
    let across = columns.len();
    let mut rises = vec![0i16; starts.len() * across];
    for (rises, start) in rises.chunks_exact_mut(across).zip(starts.clone()) {
        // The height of an edge: the difference of means of two pixels at either end, so that noise counts less.
        let row = |off: usize| luma[start + off - REACH * step..][..across].iter().map(|v| i16::from(*v));
        let before = row(0).zip(row(step));
        let after = row((2 * REACH - 1) * step).zip(row(2 * REACH * step));
        for (rise, (b, a)) in rises.iter_mut().zip(before.zip(after)) {
            *rise = (a.0 + a.1 - b.0 - b.1) / 2;
        }
    }
    let mut heights = [0u32; 256];
    for rises in rises.chunks_exact(across).step_by(2) {
        for rise in rises {
            heights[usize::from(rise.unsigned_abs() & 255)] += 1;
        }
    }
    let all: u32 = heights.iter().sum();
    let mut above = 0;
    // The height that one in two hundred exceeds: a few accidents do not set the scale.
    let high = (0..256).rev().find(|h| {
        above += heights[*h];
        above * 200 > all
    });
    let least = ((high.unwrap_or(0) as f32 * WORTHY) as i16).max(LEAST);
    let mut ratios = [0u32; 101];
    let mut count = 0u32;
    let value = |at: usize| i32::from(luma[at]);
    for (rises, start) in rises.chunks_exact(across).zip(starts) {
        let few = rises.chunks(FEW).enumerate().filter(|(_, few)| few.iter().fold(0, |m, r| r.abs().max(m)) >= least);
        let edges = few.flat_map(|(i, few)| few.iter().enumerate().map(move |(x, rise)| (i * FEW + x, rise)));
        for (x, rise) in edges.filter(|(_, rise)| rise.abs() >= least) {
            let (at, edge) = (start + x, i32::from(*rise));
            let (before, here, after) = (value(at - step), value(at), value(at + step));
            let (left, right) = ((here - before) * edge.signum(), (after - here) * edge.signum());
            let most = left.max(right).max((left + right) / 2);
            ratios[(100 * most / edge.abs()).clamp(0, 100) as usize] += 1;
            count += 1;
        }
    }
    if count < FEWEST {
        return None;
    }
    let mut above = 0.0;
    let wanted = count as f32 * STEEPEST;
    let found = (0..=100).rev().find(|r| {
        above += ratios[*r] as f32;
        above >= wanted
    });
    Some(found.unwrap_or(0) as f32 / 100.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Upright edges, each spread over `width` pixels, of this height.
    fn edges(width: f32, height: f32) -> Vec<u8> {
        let line: Vec<u8> = (0..240)
            .map(|x| {
                let into = (x % 40) as f32 - 20.0;
                // Up and down in turn.
                let way = if x / 40 % 2 == 0 { 1.0 } else { -1.0 };
                (100.0 + way * height * (into / width).clamp(-0.5, 0.5)) as u8
            })
            .collect();
        line.repeat(120)
    }

    fn focus(luma: &[u8], spread: f32) -> Option<Focus> {
        let mut frame = luma.to_vec();
        frame.resize(super::super::picture::frame_bytes(240, 120), 128);
        let half = super::super::picture::Picture::of(&frame, 240, 120);
        Focus::of(luma, 240, 120, half.fine(), spread)
    }

    fn sharpness(width: f32, height: f32) -> f32 {
        focus(&edges(width, height), 0.2).expect("edges").sharpness(0.0)
    }

    #[test]
    fn an_edge_is_as_sharp_as_it_is_narrow_whatever_its_height() {
        let answer = [2.0, 4.0, 6.0, 9.0].map(|w| sharpness(w, 120.0));
        assert!(answer.windows(2).all(|w| w[1] < 0.75 * w[0]), "{answer:?}");
        assert!((sharpness(2.0, 50.0) - answer[0]).abs() < 0.08, "{} {}", sharpness(2.0, 50.0), answer[0]);
    }

    #[test]
    fn edges_across_are_as_sharp_as_edges_along() {
        for width in [2.0, 5.0] {
            let upright = edges(width, 100.0);
            let line = &upright[..240];
            // Each row is one value of the line, so that its edges lie flat.
            let flat: Vec<u8> = line[..120].iter().flat_map(|v| [*v; 240]).collect();
            let answer = [&upright, &flat].map(|luma| focus(luma, 0.2).expect("edges").sharpness(0.0));
            assert!((answer[0] - answer[1]).abs() < 0.02, "{width}: {answer:?}");
        }
    }

    #[test]
    fn what_moved_while_the_shutter_was_open_is_not_out_of_focus() {
        let smeared = focus(&edges(4.0, 120.0), 0.2).expect("edges");
        assert!(smeared.sharpness(3.5) > 1.5 * smeared.sharpness(0.0));
        assert_eq!(focus(&edges(1.0, 120.0), 0.2).expect("edges").sharpness(40.0), 1.0, "no sharper than sharp");
    }

    #[test]
    fn a_bare_wall_is_neither_sharp_nor_blurred_and_what_lost_its_edges_is_blurred() {
        assert_eq!(focus(&vec![90; 240 * 120], 0.01), None);
        let lost = focus(&vec![90; 240 * 120], 0.2).expect("something was there");
        assert!(lost.sharpness(0.0) < 0.001, "{lost:?}");
    }
}
