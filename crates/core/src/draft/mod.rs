//! A draft: a gapless list of shots over a version.
//!
//! A shot has a length, not a place, so gaps and overlaps cannot be written down. Shots have ids that outlive every edit
//! that does not remove them, and an edit names ids: a window that is behind never changes another shot than it meant.
//! Every edit gives a new draft or says why it cannot be done; the total stays what the music is, because moving a cut
//! takes from one shot what it gives to the other. What can be told from clips and music (energies, reasons) is not kept
//! here.

mod apply;
mod edit;
mod table;

pub use edit::{Edit, TimeFrom};
pub use table::frame_table;

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
    /// There is no open shot left in this section that could give the time.
    #[error("no open shot is left in this section that could give the time")]
    SectionFull,
    /// These two do not show one piece of a clip.
    #[error("these two do not go on from one another: only what was split can be joined")]
    NotOnePiece,
    /// A draft has at least one shot.
    #[error("this is the only shot: put another one here instead")]
    OnlyShot,
    /// The select has no hit that could be put there.
    #[error("the hit cannot be put there: the clip does not reach so far")]
    HitOutside,
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

    /// Longer at its end by so many frames, or shorter; it begins as before.
    fn end_moved(&mut self, by: FrameShift) -> Result<(), DraftError> {
        self.len = self.len.checked_shift(by).ok_or(DraftError::Flash)?;
        self.hit_at = self.hit_at.filter(|at| *at < self.len.get());
        Ok(())
    }

    /// Longer at its beginning by so many frames, or shorter; its pictures stay where they are against its end.
    fn start_moved(&mut self, by: FrameShift, rate: FrameRate) -> Result<(), DraftError> {
        let back = by.checked_neg().ok_or(DraftError::Flash)?;
        self.len = self.len.checked_shift(by).ok_or(DraftError::Flash)?;
        self.source.start =
            self.source.start + rate.seconds_at(FramePos::new(back.get())).scaled(self.source.speed.ratio());
        self.hit_at = self.hit_moved(back);
        Ok(())
    }

    fn fits(&self, rate: FrameRate) -> bool {
        !self.source.start.is_negative() && self.source_end(rate) <= self.source.media
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
