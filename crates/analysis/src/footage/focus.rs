//! How sharp a frame is: the slope of its steepest edges against their height.
//!
//! Over an edge of height *h*, the largest step between neighbours is *h* where the edge is sharp and *h*/*w* where it is spread
//! over *w* pixels, whatever the contrast. Movement smears across its own direction only, so the better of the two directions
//! counts; noise makes no edges of seven pixels.

/// Pixels over which the height of an edge is taken, to each side.
const REACH: usize = 4;
/// An edge is worth looking at from this share of the highest on.
const WORTHY: f32 = 0.4;
/// And from this many steps of luma on.
const LEAST: i32 = 14;
/// The share of the edges that are steeper than what is told.
const STEEPEST: f32 = 0.1;

/// 0–1, of a plane of luma bytes; 0 where there is no edge at all.
pub fn sharpness(luma: &[u8], width: usize, height: usize) -> f32 {
    if width < 4 * REACH || height < 4 * REACH {
        return 0.0;
    }
    let across = slopes(luma, width, 1, REACH..width - REACH, 0..height);
    let down = slopes(luma, width, width, 0..width, REACH..height - REACH);
    across.max(down)
}

/// The slope that the steepest tenth of the edges in one direction exceed.
fn slopes(
    luma: &[u8],
    width: usize,
    step: usize,
    columns: std::ops::Range<usize>,
    rows: std::ops::Range<usize>,
) -> f32 {
    let value = |at: usize| i32::from(luma[at]);
    // The height of an edge: the difference of means of two pixels at either end, so that noise counts less.
    let rise = |at: usize| {
        let (before, after) = (at - (REACH - 1) * step, at + (REACH - 1) * step);
        (value(after) + value(after + step) - value(before) - value(before - step)) / 2
    };
    let mut heights = [0u32; 256];
    // A part of the rows is enough: edges are longer than wide.
    for y in rows.clone().step_by(5) {
        for x in columns.clone() {
            heights[rise(y * width + x).unsigned_abs().min(255) as usize] += 1;
        }
    }
    let all: u32 = heights.iter().sum();
    let mut above = 0;
    // The height that one in two hundred exceeds: a few accidents do not set the scale.
    let high = (0..256).rev().find(|h| {
        above += heights[*h];
        above * 200 > all
    });
    let least = ((high.unwrap_or(0) as f32 * WORTHY) as i32).max(LEAST);
    let mut ratios = [0u32; 101];
    let mut count = 0u32;
    for y in rows.step_by(3) {
        for x in columns.clone() {
            let at = y * width + x;
            let edge = rise(at);
            if edge.abs() < least {
                continue;
            }
            let steep = (value(at + step) - value(at - step)) * edge.signum();
            let left = (value(at) - value(at - step)) * edge.signum();
            let right = (value(at + step) - value(at)) * edge.signum();
            let most = left.max(right).max(steep / 2);
            ratios[(100 * most / edge.abs()).clamp(0, 100) as usize] += 1;
            count += 1;
        }
    }
    if count < 24 {
        return 0.0;
    }
    let mut above = 0.0;
    let wanted = count as f32 * STEEPEST;
    let found = (0..=100).rev().find(|r| {
        above += ratios[*r] as f32;
        above >= wanted
    });
    found.unwrap_or(0) as f32 / 100.0
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

    #[test]
    fn an_edge_is_as_sharp_as_it_is_narrow_whatever_its_height() {
        let told: Vec<f32> = [2.0, 4.0, 8.0].iter().map(|w| sharpness(&edges(*w, 120.0), 240, 120)).collect();
        // Towards the foot of a wide edge less of its height is seen: from five pixels on it is told no softer.
        assert!(told[1] < 0.75 * told[0] && told[2] <= told[1], "{told:?}");
        let flat = sharpness(&edges(2.0, 50.0), 240, 120);
        assert!((flat - told[0]).abs() < 0.06, "{flat} {}", told[0]);
    }

    #[test]
    fn nothing_to_see_is_not_sharp() {
        assert_eq!((sharpness(&vec![90; 240 * 120], 240, 120), sharpness(&[0; 9], 3, 3)), (0.0, 0.0));
    }
}
