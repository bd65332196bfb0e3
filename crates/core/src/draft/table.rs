//! The frame table: which frame of its clip stands on which frame of a shot. The live player and the renderer show just that.

use super::Shot;
use crate::time::FrameRate;

/// One entry for each frame of the shot: the frame of the clip that is shown, counted from 0 at the clip's own rate. A frame of
/// the draft shows what the clip shows at the frame's beginning.
pub fn frame_table(shot: &Shot, rate: FrameRate, clip: FrameRate) -> Vec<u64> {
    let first = u64::try_from(clip.nearest(shot.source.start).get()).unwrap_or(0);
    let speed = shot.source.speed.ratio();
    // Frames of the clip for one of the draft, as a fraction of whole numbers.
    let num = i128::from(*speed.numer()) * i128::from(clip.num()) * i128::from(rate.den());
    let den = i128::from(*speed.denom()) * i128::from(clip.den()) * i128::from(rate.num());
    (0..shot.len.get()).map(|f| first + u64::try_from(i128::from(f) * num / den.max(1)).unwrap_or(0)).collect()
}
