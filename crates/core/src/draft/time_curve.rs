//! The time curve of a shot: which instant of the clip stands on which frame.
//!
//! A curve is an instant at the shot's beginning, a speed, and keyframes at which the speed becomes another one: at once, or
//! eased over some frames. Constant speed, fit, ramp, hold and backwards are all that. Speeds and not instants are what is
//! kept: they are what an editor thinks in and what interchange formats write, and between keyframes they are exact. An eased
//! keyframe follows the cubic 3u² − 2u³, which begins and ends level; its integral is a fraction, so that every frame is computed
//! in whole numbers, without rounding on the way.

use super::{DraftError, Speed};
use crate::time::FramePos;
use num_rational::Ratio;
use serde::{Deserialize, Serialize};

/// No shot has more keyframes than this.
pub const MOST_KEYFRAMES: usize = 12;
/// No keyframe takes longer, in frames.
pub const LONGEST_RAMP: u32 = 1000;
/// Nor lies further from the beginning of its shot, in frames.
const FARTHEST: i64 = 1_000_000;

/// Where the speed of a shot becomes another one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct SpeedKeyframe {
    /// The frame of the shot on which it begins to change. It can lie outside of the shot, where that was trimmed.
    pub at: i64,
    /// Over how many frames it changes; 0 is at once.
    pub over: u32,
    /// The speed from then on.
    pub to: Speed,
    /// The frame of the draft on which it begins, where it was set on a beat with its beginning or its end: it stays on that frame
    /// when its shot is trimmed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tied: Option<FramePos>,
}

impl SpeedKeyframe {
    /// One that goes with the pictures of its shot.
    pub const fn new(at: i64, over: u32, to: Speed) -> Self {
        Self { at, over, to, tied: None }
    }

    /// The frame from which the speed is the new one.
    pub fn end(&self) -> i64 {
        self.at.saturating_add(i64::from(self.over))
    }
}

type Exact = Ratio<i128>;

fn exact(speed: Speed) -> Exact {
    Exact::new(i128::from(*speed.ratio().numer()), i128::from(*speed.ratio().denom()))
}

/// The course of the speed along a shot.
#[derive(Debug, Clone, Copy)]
pub struct SpeedCurve<'a> {
    /// Before the first keyframe.
    pub speed: Speed,
    /// In their order.
    pub keyframes: &'a [SpeedKeyframe],
}

impl SpeedCurve<'_> {
    /// Whether it is one that can be: keyframes in their order, none into another, and not too many.
    pub fn check(&self) -> Result<(), DraftError> {
        let in_order = self.keyframes.windows(2).all(|w| w[0].end() <= w[1].at);
        // In thousandths, so that the fractions of several keyframes stay small together.
        let bounded = self.keyframes.iter().all(|t| {
            t.at.unsigned_abs() <= FARTHEST.unsigned_abs()
                && t.over <= LONGEST_RAMP
                && 1000 % *t.to.ratio().denom() == 0
        });
        if self.keyframes.len() <= MOST_KEYFRAMES && in_order && bounded { Ok(()) } else { Err(DraftError::Keyframes) }
    }

    /// From the beginning of the shot to a frame: how far the clip has offset, in frames of the draft at normal speed.
    pub fn source_offset(&self, frame: i64) -> Exact {
        match self.keyframes.first() {
            None => exact(self.speed) * Exact::from_integer(i128::from(frame)),
            Some(first) => self.since(first.at, frame) - self.since(first.at, 0),
        }
    }

    /// From the first keyframe on; before it, backwards from there.
    fn since(&self, anchor: i64, frame: i64) -> Exact {
        let whole = |n: i64| Exact::from_integer(i128::from(n));
        let mut sum = Exact::from_integer(0);
        let (mut at, mut speed) = (anchor, exact(self.speed));
        if frame <= anchor {
            return speed * whole(frame - anchor);
        }
        for keyframe in self.keyframes {
            // Straight on to the keyframe, then through it.
            if frame <= keyframe.at {
                break;
            }
            sum += speed * whole(keyframe.at - at);
            let (inside, to) = ((frame - keyframe.at).min(i64::from(keyframe.over)), exact(keyframe.to));
            sum += speed * whole(inside) + (to - speed) * eased(inside, keyframe.over);
            (at, speed) = (keyframe.at + inside, to);
            if inside < i64::from(keyframe.over) {
                return sum;
            }
        }
        sum + speed * whole(frame - at)
    }

    /// Which way the clip goes on a frame: 1 or −1; while it is held, as before.
    pub fn way(&self, frame: i64) -> i64 {
        if self.keyframes.is_empty() {
            return if self.speed.is_backwards() { -1 } else { 1 };
        }
        let step = self.source_offset(frame + 1) - self.source_offset(frame);
        if step != Exact::from_integer(0) {
            return if step > Exact::from_integer(0) { 1 } else { -1 };
        }
        let speeds = std::iter::once((i64::MIN, self.speed)).chain(self.keyframes.iter().map(|t| (t.at, t.to)));
        let last = speeds.take_while(|(at, _)| *at <= frame).filter(|(_, s)| !s.is_held()).last();
        if last.is_some_and(|(_, s)| s.is_backwards()) { -1 } else { 1 }
    }

    /// The speed behind the last keyframe that has ended by a frame.
    pub fn settled(&self, frame: i64) -> Speed {
        self.keyframes.iter().rfind(|t| t.end() <= frame).map_or(self.speed, |t| t.to)
    }

    /// The speed on a frame, as a factor: of the step from its beginning to its end.
    pub fn speed_on(&self, frame: i64) -> f64 {
        if self.keyframes.is_empty() {
            return self.speed.to_f64();
        }
        let step = self.source_offset(frame + 1) - self.source_offset(frame);
        *step.numer() as f64 / *step.denom() as f64
    }
}

/// ∫ of the easing from its beginning over `inside` of its `over` frames.
fn eased(inside: i64, over: u32) -> Exact {
    let (u, o) = (i128::from(inside), i128::from(over));
    if o == 0 { Exact::from_integer(0) } else { Exact::new(2 * u * u * u * o - u * u * u * u, 2 * o * o * o) }
}

/// Keyframes as they lie from another frame on.
pub fn shifted(keyframes: &[SpeedKeyframe], by: i64) -> Vec<SpeedKeyframe> {
    keyframes.iter().map(|t| SpeedKeyframe { at: t.at.saturating_add(by), ..*t }).collect()
}

/// The same course from its end to its beginning, over `len` frames.
pub fn mirrored(course: &SpeedCurve<'_>, len: i64) -> (Speed, Vec<SpeedKeyframe>) {
    let speeds: Vec<Speed> = std::iter::once(course.speed).chain(course.keyframes.iter().map(|t| t.to)).collect();
    let last = speeds.last().copied().unwrap_or(course.speed).reversed();
    let keyframes = course.keyframes.iter().enumerate().rev();
    let keyframes = keyframes.map(|(i, t)| SpeedKeyframe::new(len - t.end(), t.over, speeds[i].reversed()));
    (last, keyframes.collect())
}
