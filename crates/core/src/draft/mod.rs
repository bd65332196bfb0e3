//! A draft: a gapless list of shots over a version.
//!
//! A shot has a length, not a place, so gaps and overlaps cannot be written down. Shots have ids that outlive every edit
//! that does not remove them, and an edit names ids: a window that is behind never changes another shot than it meant.
//! Every edit gives a new draft or says why it cannot be done; the total stays what the music is, because moving a cut
//! takes from one shot what it gives to the other. What can be told from clips and music (energies, reasons) is not kept
//! here.

use crate::id::{ClipId, SelectId, ShotId};
use crate::time::{FrameLen, FramePos, FrameRate, FrameShift, Seconds};
use num_rational::Ratio;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;

/// The shortest shot, in frames: two are a flash.
pub const SHORTEST: FrameLen = FrameLen::new(3);

/// Why an edit cannot be done.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DraftError {
    /// This shot is no longer in the draft.
    #[error("this shot is no longer in the draft")]
    NoShot,
    /// Two shots of a draft cannot be the same one.
    #[error("two shots of a draft cannot be the same one")]
    TwiceTheSame,
    /// A shot of fewer than … frames would be a flash.
    #[error("a shot of fewer than {} frames would be a flash", SHORTEST.get())]
    Flash,
    /// The clip has no more frames on this side.
    #[error("the clip has no more frames on this side")]
    ClipEnds,
    /// The piece ends here: the last shot ends with the music.
    #[error("the piece ends here: the last shot ends with the music")]
    PieceEnds,
    /// The shot is pinned: unpin it first.
    #[error("the shot is pinned: unpin it first")]
    Pinned,
}

/// How fast a clip plays: 1 is as recorded, ½ half as fast.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Speed(Ratio<i64>);

impl Speed {
    /// As recorded.
    pub const NORMAL: Self = Self(Ratio::new_raw(1, 1));

    /// `None` unless between 1/20 and 20.
    pub fn new(num: i64, den: i64) -> Option<Self> {
        if num <= 0 || den <= 0 {
            return None;
        }
        let ratio = Ratio::new(num, den);
        (ratio >= Ratio::new(1, 20) && ratio <= Ratio::from_integer(20)).then_some(Self(ratio))
    }

    /// As a fraction.
    pub fn ratio(self) -> Ratio<i64> {
        self.0
    }

    /// As a factor.
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
    /// The select.
    pub select: SelectId,
    /// The clip.
    pub clip: ClipId,
    /// Where in the clip the shot starts.
    pub start: Seconds,
    /// How fast the clip plays.
    pub speed: Speed,
    /// How long the clip is.
    pub media: Seconds,
}

/// A select at work: a length, and what it shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shot {
    /// Outlives every edit that does not remove it.
    pub id: ShotId,
    /// How long it is in the draft.
    pub len: FrameLen,
    /// What it shows.
    pub source: Source,
    /// The frame of the draft's own count, from the shot's beginning, on which the hit lands.
    pub hit_at: Option<u64>,
    /// It keeps its place, its ends and its pictures.
    pub pinned: bool,
}

impl Shot {
    /// How much of the clip the shot uses, in the clip's own time.
    pub fn used(&self, rate: FrameRate) -> Seconds {
        rate.seconds_of(self.len).scaled(self.source.speed.ratio())
    }

    /// Where in the clip it ends.
    pub fn source_end(&self, rate: FrameRate) -> Seconds {
        self.source.start + self.used(rate)
    }

    /// Where the hit lands once the shot shows what lies `by` frames later; `None` when that is not in it any more.
    fn hit_moved(&self, by: FrameShift) -> Option<u64> {
        let back = by.checked_neg()?;
        self.hit_at?.checked_add_signed(back.get()).filter(|at| *at < self.len.get())
    }

    fn fits(&self, rate: FrameRate) -> bool {
        !self.source.start.is_negative() && self.source_end(rate) <= self.source.media
    }
}

/// What can be done to a draft by hand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Edit {
    /// Moves the cut after a shot; what the one gains the next one loses.
    MoveCut {
        /// Which one.
        shot: ShotId,
        /// How far.
        by: FrameShift,
    },
    /// Shows another part of the same clip at the same place.
    Slip {
        /// Which one.
        shot: ShotId,
        /// How far.
        by: FrameShift,
    },
    /// Pins or unpins.
    Pin {
        /// Which one.
        shot: ShotId,
        /// Whether it is to be pinned.
        on: bool,
    },
    /// Puts another source into the same place.
    Replace {
        /// Which one.
        shot: ShotId,
        /// What it shows then.
        source: Source,
        /// The frame on which the hit lands.
        hit_at: Option<u64>,
    },
}

impl Edit {
    /// What undo calls it.
    pub fn label(&self) -> &'static str {
        match self {
            Self::MoveCut { .. } => "move the cut",
            Self::Slip { .. } => "other part of the clip",
            Self::Pin { on: true, .. } => "pin",
            Self::Pin { .. } => "unpin",
            Self::Replace { .. } => "swap the shot",
        }
    }

    /// Small steps of the same thing are one to undo: what they are steps of.
    pub fn nudges(&self) -> Option<String> {
        match self {
            Self::MoveCut { shot, .. } => Some(format!("cut {shot}")),
            Self::Slip { shot, .. } => Some(format!("slip {shot}")),
            Self::Pin { .. } | Self::Replace { .. } => None,
        }
    }
}

/// An ordered, gapless list of shots.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "RawDraft")]
pub struct Draft {
    rate: FrameRate,
    shots: Vec<Shot>,
}

#[derive(Deserialize)]
struct RawDraft {
    rate: FrameRate,
    shots: Vec<Shot>,
}

impl TryFrom<RawDraft> for Draft {
    type Error = DraftError;
    fn try_from(raw: RawDraft) -> Result<Self, DraftError> {
        Self::new(raw.rate, raw.shots)
    }
}

impl Draft {
    /// Refused when a shot is too short, reaches beyond its clip, or is there twice.
    pub fn new(rate: FrameRate, shots: Vec<Shot>) -> Result<Self, DraftError> {
        let draft = Self { rate, shots };
        draft.checked()
    }

    /// Of the job.
    pub fn rate(&self) -> FrameRate {
        self.rate
    }

    /// In their order.
    pub fn shots(&self) -> &[Shot] {
        &self.shots
    }

    /// How long it is in the draft.
    pub fn len(&self) -> FrameLen {
        self.shots.iter().map(|s| s.len).sum()
    }

    /// Whether there is nothing in it.
    pub fn is_empty(&self) -> bool {
        self.shots.is_empty()
    }

    /// The shots with the frame at which each begins.
    pub fn placed(&self) -> impl Iterator<Item = (FramePos, &Shot)> {
        self.shots.iter().scan(FramePos::new(0), |at, shot| {
            let start = *at;
            *at = start.end(shot.len)?;
            Some((start, shot))
        })
    }

    /// Where in the list a shot is.
    pub fn index_of(&self, shot: ShotId) -> Option<usize> {
        self.shots.iter().position(|s| s.id == shot)
    }

    /// The draft after an edit.
    pub fn apply(&self, edit: &Edit) -> Result<Self, DraftError> {
        let mut next = self.clone();
        match edit {
            Edit::MoveCut { shot, by } => next.move_cut(*shot, *by)?,
            Edit::Slip { shot, by } => {
                let rate = self.rate;
                let target = next.open_shot(*shot)?;
                let moved = rate.seconds_at(FramePos::new(by.get())).scaled(target.source.speed.ratio());
                target.source.start = target.source.start + moved;
                if !target.fits(rate) {
                    return Err(DraftError::ClipEnds);
                }
                target.hit_at = target.hit_moved(*by);
            }
            Edit::Pin { shot, on } => next.shot_mut(*shot)?.pinned = *on,
            Edit::Replace { shot, source, hit_at } => {
                let target = next.open_shot(*shot)?;
                target.source = source.clone();
                target.hit_at = *hit_at;
            }
        }
        next.checked()
    }

    fn shot_mut(&mut self, shot: ShotId) -> Result<&mut Shot, DraftError> {
        self.shots.iter_mut().find(|s| s.id == shot).ok_or(DraftError::NoShot)
    }

    fn open_shot(&mut self, shot: ShotId) -> Result<&mut Shot, DraftError> {
        let shot = self.shot_mut(shot)?;
        if shot.pinned { Err(DraftError::Pinned) } else { Ok(shot) }
    }

    fn move_cut(&mut self, shot: ShotId, by: FrameShift) -> Result<(), DraftError> {
        let rate = self.rate;
        let at = self.index_of(shot).ok_or(DraftError::NoShot)?;
        let Some([left, right]) = self.shots.get_mut(at..at + 2) else { return Err(DraftError::PieceEnds) };
        if left.pinned || right.pinned {
            return Err(DraftError::Pinned);
        }
        let back = by.get().checked_neg().map(FrameShift::new).ok_or(DraftError::Flash)?;
        left.len = left.len.checked_shift(by).ok_or(DraftError::Flash)?;
        right.len = right.len.checked_shift(back).ok_or(DraftError::Flash)?;
        // The later shot keeps its pictures where they are on the music: its hit stays on the beat.
        right.source.start =
            right.source.start + rate.seconds_at(FramePos::new(by.get())).scaled(right.source.speed.ratio());
        right.hit_at = right.hit_moved(by);
        Ok(())
    }

    fn checked(self) -> Result<Self, DraftError> {
        if self.shots.iter().any(|s| s.len < SHORTEST) {
            return Err(DraftError::Flash);
        }
        if self.shots.iter().any(|s| !s.fits(self.rate)) {
            return Err(DraftError::ClipEnds);
        }
        let mut ids = HashSet::with_capacity(self.shots.len());
        if !self.shots.iter().all(|s| ids.insert(s.id)) {
            return Err(DraftError::TwiceTheSame);
        }
        Ok(self)
    }
}

#[cfg(test)]
mod tests;
