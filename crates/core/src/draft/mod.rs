//! A draft: a gapless list of shots over a version.
//!
//! A shot has a length, not a place, so gaps and overlaps cannot be written down. Every edit gives a new draft or
//! says why it cannot be done; the total stays what the music is, because moving a cut takes from one shot what
//! it gives to the other.

use crate::time::{FrameLen, FramePos, FrameRate, FrameShift, Seconds};
use num_rational::Ratio;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

/// The shortest shot, in frames: two are a flash.
pub const SHORTEST: FrameLen = FrameLen(3);

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DraftError {
    #[error("there is no shot {0} in this draft")]
    NoShot(usize),
    #[error("a shot of fewer than {} frames would be a flash", SHORTEST.0)]
    Flash,
    #[error("the clip has no more frames on this side")]
    ClipEnds,
    #[error("the piece ends here: the last shot ends with the music")]
    PieceEnds,
    #[error("the shot is pinned: unpin it first")]
    Pinned,
}

/// How fast a clip plays: 1 is as recorded, ½ half as fast.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Speed(Ratio<i64>);

impl Speed {
    pub const NORMAL: Self = Self(Ratio::new_raw(1, 1));

    /// `None` unless between 1/20 and 20.
    pub fn new(num: i64, den: i64) -> Option<Self> {
        if num <= 0 || den <= 0 {
            return None;
        }
        let ratio = Ratio::new(num, den);
        (ratio >= Ratio::new(1, 20) && ratio <= Ratio::from_integer(20)).then_some(Self(ratio))
    }

    pub fn ratio(self) -> Ratio<i64> {
        self.0
    }

    pub fn to_f64(self) -> f64 {
        *self.0.numer() as f64 / *self.0.denom() as f64
    }
}

impl Serialize for Speed {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(&format_args!("{}/{}", self.0.numer(), self.0.denom()))
    }
}

impl<'de> Deserialize<'de> for Speed {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let text = String::deserialize(from)?;
        text.split_once('/')
            .and_then(|(n, d)| Self::new(n.parse().ok()?, d.parse().ok()?))
            .ok_or_else(|| serde::de::Error::custom("not a speed"))
    }
}

/// What a shot shows: a part of a clip, through one of its selects.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Source {
    pub select: Uuid,
    pub clip: Uuid,
    /// Where in the clip the shot starts.
    pub start: Seconds,
    pub speed: Speed,
    /// How long the clip is.
    pub media: Seconds,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Shot {
    pub len: FrameLen,
    pub source: Source,
    /// The frame of the draft's own count, from the shot's beginning, on which the hit lands.
    pub hit_at: Option<u64>,
    pub pinned: bool,
    /// 0–100, of the part that is shown.
    pub energy: f64,
    /// Why it is here, in words.
    pub why: Vec<String>,
}

impl Shot {
    /// How much of the clip the shot uses, in the clip's own time.
    pub fn used(&self, rate: FrameRate) -> Seconds {
        rate.seconds_of(self.len).scaled(self.source.speed.ratio())
    }

    pub fn source_end(&self, rate: FrameRate) -> Seconds {
        self.source.start + self.used(rate)
    }

    fn fits(&self, rate: FrameRate) -> bool {
        !self.source.start.is_negative() && self.source_end(rate) <= self.source.media
    }
}

/// What can be done to a draft by hand. Places count from 0.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum Edit {
    /// Moves the cut after shot `shot`; what the one gains the next one loses.
    MoveCut {
        shot: usize,
        by: FrameShift,
    },
    /// Shows another part of the same clip at the same place.
    Slip {
        shot: usize,
        by: FrameShift,
    },
    Pin {
        shot: usize,
        on: bool,
    },
    /// Puts another source into the same place.
    Replace {
        shot: usize,
        source: Source,
        hit_at: Option<u64>,
        energy: f64,
        why: Vec<String>,
    },
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Draft {
    rate: FrameRate,
    shots: Vec<Shot>,
}

impl Draft {
    /// Refused when a shot is too short or reaches beyond its clip.
    pub fn new(rate: FrameRate, shots: Vec<Shot>) -> Result<Self, DraftError> {
        let draft = Self { rate, shots };
        draft.checked()
    }

    pub fn rate(&self) -> FrameRate {
        self.rate
    }

    pub fn shots(&self) -> &[Shot] {
        &self.shots
    }

    pub fn len(&self) -> FrameLen {
        self.shots.iter().map(|s| s.len).sum()
    }

    pub fn is_empty(&self) -> bool {
        self.shots.is_empty()
    }

    /// The shots with the frame at which each begins.
    pub fn placed(&self) -> impl Iterator<Item = (FramePos, &Shot)> {
        self.shots.iter().scan(FramePos(0), |at, shot| {
            let start = *at;
            *at = start.checked_add(shot.len)?;
            Some((start, shot))
        })
    }

    pub fn start_of(&self, shot: usize) -> Option<FramePos> {
        self.placed().nth(shot).map(|(at, _)| at)
    }

    pub fn apply(&self, edit: &Edit) -> Result<Self, DraftError> {
        let mut next = self.clone();
        match edit {
            Edit::MoveCut { shot, by } => next.move_cut(*shot, *by)?,
            Edit::Slip { shot, by } => {
                let rate = self.rate;
                let target = next.shot_mut(*shot)?;
                if target.pinned {
                    return Err(DraftError::Pinned);
                }
                let moved = rate.seconds_at(FramePos(by.0)).scaled(target.source.speed.ratio());
                target.source.start = target.source.start + moved;
                target.hit_at = target.hit_at.and_then(|h| h.checked_add_signed(-by.0));
                if !target.fits(rate) {
                    return Err(DraftError::ClipEnds);
                }
            }
            Edit::Pin { shot, on } => next.shot_mut(*shot)?.pinned = *on,
            Edit::Replace { shot, source, hit_at, energy, why } => {
                let target = next.shot_mut(*shot)?;
                if target.pinned {
                    return Err(DraftError::Pinned);
                }
                target.source = source.clone();
                target.hit_at = *hit_at;
                target.energy = *energy;
                target.why = why.clone();
            }
        }
        next.checked()
    }

    fn shot_mut(&mut self, shot: usize) -> Result<&mut Shot, DraftError> {
        self.shots.get_mut(shot).ok_or(DraftError::NoShot(shot))
    }

    fn move_cut(&mut self, shot: usize, by: FrameShift) -> Result<(), DraftError> {
        let rate = self.rate;
        if shot >= self.shots.len() {
            return Err(DraftError::NoShot(shot));
        }
        let Some([left, right]) = self.shots.get_mut(shot..shot + 2) else { return Err(DraftError::PieceEnds) };
        left.len = left.len.checked_shift(by).ok_or(DraftError::Flash)?;
        right.len = right.len.checked_shift(FrameShift(-by.0)).ok_or(DraftError::Flash)?;
        // The later shot keeps its pictures where they are on the music: its hit stays on the beat.
        right.source.start = right.source.start + rate.seconds_at(FramePos(by.0)).scaled(right.source.speed.ratio());
        right.hit_at = right.hit_at.and_then(|h| h.checked_add_signed(-by.0));
        Ok(())
    }

    fn checked(self) -> Result<Self, DraftError> {
        if self.shots.iter().any(|s| s.len < SHORTEST) {
            return Err(DraftError::Flash);
        }
        if self.shots.iter().any(|s| !s.fits(self.rate)) {
            return Err(DraftError::ClipEnds);
        }
        Ok(self)
    }
}

#[cfg(test)]
mod tests;
