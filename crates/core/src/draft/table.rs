//! The frame table: which frame of its clip stands on which frame of a shot. The live player and the renderer show just that.

use super::{Between, Shot, Stop};
use crate::time::FrameRate;
use num_rational::Ratio;

/// What is on the screen for one frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize, serde::Deserialize)]
pub struct Shown {
    /// The frame of the clip, counted from 0 at the clip's own rate; none is black.
    pub frame: Option<u64>,
    /// How far on the way to the next frame of the clip, in 256ths; 0 unless frames in between are wanted.
    pub toward: u8,
}

impl Shown {
    /// Nothing.
    pub const BLACK: Self = Self { frame: None, toward: 0 };

    /// A frame of the clip as it is.
    pub const fn plain(frame: u64) -> Self {
        Self { frame: Some(frame), toward: 0 }
    }
}

/// One entry for each frame of the shot. A frame of the draft shows what the clip shows at the frame's beginning; where the clip
/// runs backwards, what it shows up to then.
pub fn frame_table(shot: &Shot, rate: FrameRate, clip: FrameRate) -> Vec<Shown> {
    let course = shot.source.course();
    let first = i128::from(clip.nearest(shot.source.start).get());
    // Frames of the clip for one of the draft.
    let per = Ratio::new(
        i128::from(clip.num()) * i128::from(rate.den()),
        i128::from(clip.den()) * i128::from(rate.num()).max(1),
    );
    let shown = |frame: i64| {
        let at = course.source_offset(frame) * per + first;
        // Up to there, as seen from behind.
        let whole = |at: Ratio<i128>| at.floor().to_integer();
        let forwards = course.way(frame) > 0;
        let nearest = if forwards { whole(at) } else { at.ceil().to_integer() - 1 };
        let (frame, toward) = match shot.source.between {
            Between::Repeat => (nearest, 0),
            Between::Blend | Between::Computed => {
                let from = if forwards { at } else { at - 1 };
                let rest = (from - from.floor()) * 256;
                (whole(from), u8::try_from(rest.round().to_integer()).unwrap_or(u8::MAX))
            }
        };
        let toward = if frame < 0 { 0 } else { toward };
        Shown { frame: Some(u64::try_from(frame).unwrap_or(0)), toward }
    };
    let frames = 0..i64::try_from(shot.pictures().get()).unwrap_or(0);
    let plain = course.keyframes.is_empty() && shot.source.between == Between::Repeat && !course.speed.is_backwards();
    let mut table: Vec<Shown> = if plain {
        // The same in whole numbers, for what nearly all shots are.
        let speed = course.speed.ratio();
        let (num, den) = (i128::from(*speed.numer()) * per.numer(), i128::from(*speed.denom()) * per.denom());
        let shown = |f: i64| first + (i128::from(f) * num).div_euclid(den.max(1));
        frames.map(|f| Shown::plain(u64::try_from(shown(f)).unwrap_or(0))).collect()
    } else {
        frames.map(shown).collect()
    };
    let stopped = match shot.pause.map(|p| p.stop) {
        Some(Stop::Held) => table.last().copied().unwrap_or(Shown::BLACK),
        Some(Stop::Black) | None => Shown::BLACK,
    };
    table.resize(usize::try_from(shot.len.get()).unwrap_or(0), stopped);
    table
}
