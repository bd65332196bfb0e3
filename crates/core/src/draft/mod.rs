//! A draft: a gapless list of shots over a version.
//!
//! A shot has a length, not a place, so gaps and overlaps cannot be written down. Shots have ids that outlive every edit
//! that does not remove them, and an edit names ids: a window that is behind never changes another shot than it meant.
//! Every edit gives a new draft or says why it cannot be done; the total stays what the music is, because moving a cut
//! takes from one shot what it gives to the other. What follows from clips and music (energies, reasons) is not kept
//! here.

mod apply;
mod edit;
mod score;
mod speed;
mod table;
mod time_curve;
mod words;

pub use edit::{Edit, TimeFrom};
pub use score::{MOST_PASSAGES, Passage, PlacedPassage, Score};
pub use speed::Speed;
pub use table::{Shown, frame_table};
pub use time_curve::{LONGEST_RAMP, MOST_KEYFRAMES, SpeedCurve, SpeedKeyframe};

use crate::id::{ClipId, SelectId, ShotId};
use crate::time::{FrameLen, FramePos, FrameRate, FrameShift, Seconds};
use serde::{Deserialize, Serialize};
use std::collections::HashSet;

/// The shortest shot, in frames: two are a flash.
pub const SHORTEST: FrameLen = FrameLen::new(3);
/// The longest draft, in frames: the longest job (two hours) at the fastest rate (120), and a little more.
pub const LONGEST: FrameLen = FrameLen::new(1_000_000);
/// The most shots of a draft.
pub const MOST_SHOTS: usize = 4000;

/// Why an edit cannot be done.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DraftError {
    /// This shot is no longer in the draft.
    #[error("this shot is no longer in the draft")]
    NoShot,
    /// The draft is longer than any job.
    #[error("the piece would be longer than two hours: undo takes back what made it so")]
    TooLong,
    /// The draft has too many shots.
    #[error("a draft has at most {MOST_SHOTS} shots")]
    TooMany,
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
    /// The clip is too short to be played like that here.
    #[error("the clip is too short to be played like that here: play it slower, or make the shot shorter")]
    TooShort,
    /// The keyframes of a time curve run into each other, or are too many.
    #[error(
        "the keyframes of its speed run into each other, or are too many: {MOST_KEYFRAMES} at most, each of {LONGEST_RAMP} frames at most"
    )]
    Keyframes,
    /// A pause needs pictures before it.
    #[error("a pause stands behind a picture: the shot needs {} frames before it", SHORTEST.get())]
    PauseFirst,
    /// There is nothing to take out.
    #[error("this shot has no pause")]
    NoPause,
    /// The select has no hit that could be put there.
    #[error("the hit cannot be put there: the clip does not reach so far")]
    HitOutside,
}

/// What a shot shows: a part of a clip, through one of its selects.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Source {
    /// The select.
    pub select: SelectId,
    /// The clip.
    pub clip: ClipId,
    /// The instant of the clip at the shot's beginning; where the clip runs backwards, the end of what is shown first.
    pub start: Seconds,
    /// How fast the clip plays, up to the first keyframe.
    pub speed: Speed,
    /// Where the speed becomes another one.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub keyframes: Vec<SpeedKeyframe>,
    /// What is shown between two frames of the clip.
    #[serde(default)]
    pub between: Between,
    /// How long the clip is.
    pub media: Seconds,
}

impl Source {
    /// A select at normal speed from an instant on.
    pub fn plain(select: SelectId, clip: ClipId, start: Seconds, media: Seconds) -> Self {
        Self { select, clip, start, speed: Speed::NORMAL, keyframes: Vec::new(), between: Between::Repeat, media }
    }

    /// How its speed goes.
    pub fn course(&self) -> SpeedCurve<'_> {
        SpeedCurve { speed: self.speed, keyframes: &self.keyframes }
    }

    /// The instant of the clip that a frame of the shot begins with.
    pub fn instant(&self, frame: i64, rate: FrameRate) -> Seconds {
        let offset = self.course().source_offset(frame);
        self.start + rate.seconds_of_part(offset)
    }
}

/// What is shown between two frames of a clip that is slower than its frames allow.
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize, strum::EnumString, strum::IntoStaticStr,
)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum Between {
    /// The one before once more.
    #[default]
    Repeat,
    /// Both, mixed.
    Blend,
    /// Frames that are computed along the movement; the live player shows them mixed.
    Computed,
}

/// How a shot stands still at its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, strum::EnumString, strum::IntoStaticStr)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum Stop {
    /// Black.
    Black,
    /// The last frame is held.
    Held,
}

/// A pause at the end of a shot, as long as the music's. It belongs to the shot before it, which it may hold the last frame of:
/// so there is no place for a gap.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Pause {
    /// How many of the shot's frames.
    pub len: FrameLen,
    /// What is seen.
    pub stop: Stop,
    /// How many of its frames stand there because nothing was found for them.
    #[serde(default, skip_serializing_if = "is_nothing")]
    #[cfg_attr(feature = "wire", ts(as = "Option<FrameLen>", optional))]
    pub missing: FrameLen,
}

#[allow(clippy::trivially_copy_pass_by_ref)] // serde asks for a reference
fn is_nothing(len: &FrameLen) -> bool {
    len.get() == 0
}

/// What of a shot stays as it is, whatever is laid or moved around it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, strum::EnumString, strum::IntoStaticStr)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum Pin {
    /// Nothing.
    #[default]
    Open,
    /// It begins where it does; its end and its pictures can change.
    Place,
    /// Both its ends; what it shows can change.
    Ends,
    /// Its ends and its pictures.
    Whole,
}

impl Pin {
    /// Whether its end stays.
    pub fn holds_end(self) -> bool {
        matches!(self, Self::Ends | Self::Whole)
    }
}

impl<'de> Deserialize<'de> for Pin {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        /// Before there were kinds of pins, a shot was pinned or not.
        #[derive(Deserialize)]
        #[serde(untagged)]
        enum Stored {
            Was(bool),
            Word(String),
        }
        match Stored::deserialize(from)? {
            Stored::Was(true) => Ok(Self::Whole),
            Stored::Was(false) => Ok(Self::Open),
            Stored::Word(word) => word.parse().map_err(serde::de::Error::custom),
        }
    }
}

/// A select at work: a length, and what it shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shot {
    /// Outlives every edit that does not remove it.
    pub id: ShotId,
    /// How long it is in the draft, with its pause.
    pub len: FrameLen,
    /// What it shows.
    pub source: Source,
    /// The frame of the draft's own count, from the shot's beginning, on which the hit lands.
    pub hit_at: Option<u64>,
    /// Whether it stands still at its end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pause: Option<Pause>,
    /// What of it stays.
    #[serde(default, alias = "pinned")]
    pub pin: Pin,
    /// A person changed it by an edit: it stays as it is when the open shots are laid again, until it is released.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub held: bool,
}

impl Shot {
    /// How long its pictures are, without the pause.
    pub fn pictures(&self) -> FrameLen {
        FrameLen::new(self.len.get().saturating_sub(self.pause.map_or(0, |p| p.len.get())))
    }

    /// The same without what was put behind it because nothing was found: a hand that held the shot did not hold that.
    #[must_use]
    pub fn without_missing(&self) -> Self {
        let missing = self.pause.map_or(0, |pause| pause.missing.get().min(pause.len.get()));
        let shorter = |len: FrameLen| FrameLen::new(len.get().saturating_sub(missing));
        let pause = self.pause.map(|p| Pause { len: shorter(p.len), missing: FrameLen::new(0), ..p });
        Self { len: shorter(self.len), pause: pause.filter(|p| p.len.get() > 0), ..self.clone() }
    }

    /// Whether anything of it stays.
    pub fn pinned(&self) -> bool {
        self.pin != Pin::Open
    }

    /// Whether it stays when the open shots are laid again.
    pub fn stays(&self) -> bool {
        self.held || self.pinned()
    }

    /// The part of the clip that is shown: from the earliest instant to the latest, exclusive. A frame that is held has a frame's
    /// length.
    pub fn range(&self, rate: FrameRate) -> (Seconds, Seconds) {
        let frames = i64::try_from(self.pictures().get()).unwrap_or(i64::MAX);
        let ends = [self.source.start, self.source.instant(frames, rate)];
        // Between keyframes the clip goes one way: its furthest instants lie at the ends or within a keyframe.
        let within = self.source.keyframes.iter().flat_map(|t| t.at.max(1)..=t.end().min(frames - 1));
        let all = within.map(|f| self.source.instant(f, rate)).chain(ends);
        let (from, to) = all.fold((ends[0], ends[0]), |(from, to), at| (from.min(at), to.max(at)));
        if from < to { (from, to) } else { (from, from + rate.seconds_of(FrameLen::new(1))) }
    }

    /// Where the hit lands once the shot shows what lies `by` frames later; `None` when that is before it.
    fn hit_moved(&self, by: FrameShift) -> Option<u64> {
        self.hit_at?.checked_add_signed(by.checked_neg()?.get())
    }

    /// The frame that shows an instant, where there is one.
    fn frame_of(&self, instant: Seconds, rate: FrameRate) -> Option<u64> {
        let apart = |f: u64| (self.source.instant(i64::try_from(f).unwrap_or(i64::MAX), rate) - instant).to_f64().abs();
        let nearest = (0..self.pictures().get()).min_by(|a, b| apart(*a).total_cmp(&apart(*b)))?;
        (apart(nearest) <= rate.seconds_of(FrameLen::new(1)).to_f64()).then_some(nearest)
    }

    /// Longer at its end by so many frames, or shorter; it begins as before. A pause there becomes longer or shorter first.
    fn end_moved(&mut self, by: FrameShift) -> Result<(), DraftError> {
        self.len = self.len.checked_shift(by).ok_or(DraftError::Flash)?;
        self.pause =
            self.pause.and_then(|p| Some(Pause { len: p.len.checked_shift(by)?, ..p })).filter(|p| p.len.get() > 0);
        Ok(())
    }

    /// Longer at its beginning by so many frames, or shorter; its pictures stay where they are against its end.
    fn start_moved(&mut self, by: FrameShift, rate: FrameRate) -> Result<(), DraftError> {
        let back = by.checked_neg().ok_or(DraftError::Flash)?;
        self.len = self.len.checked_shift(by).ok_or(DraftError::Flash)?;
        self.source.start = self.source.instant(back.get(), rate);
        self.source.keyframes = time_curve::shifted(&self.source.keyframes, by.get());
        self.hit_at = self.hit_moved(back);
        Ok(())
    }

    /// Longer at its end by so many frames, or shorter; none where it would be a flash or its clip ends.
    pub fn resized(&self, by: FrameShift, rate: FrameRate) -> Option<Self> {
        let mut next = self.clone();
        next.end_moved(by).ok()?;
        (next.fits(rate) && next.pictures() >= SHORTEST).then_some(next)
    }

    fn fits(&self, rate: FrameRate) -> bool {
        let (from, to) = self.range(rate);
        !from.is_negative() && to <= self.source.media
    }

    /// Brings what is shown back into the clip by showing an earlier or a later part of it; gives whether it had to.
    fn brought_inside(&mut self, rate: FrameRate) -> Result<bool, DraftError> {
        let (from, to) = self.range(rate);
        if to - from > self.source.media {
            return Err(DraftError::TooShort);
        }
        let by = if from.is_negative() { Seconds::ZERO - from } else { (self.source.media - to).min(Seconds::ZERO) };
        self.source.start = self.source.start + by;
        Ok(by != Seconds::ZERO)
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
        Self { rate: raw.rate, shots: raw.shots }.consistent()
    }
}

impl Draft {
    /// Refused when it is too long, when a shot is too short, reaches beyond its clip, or is there twice.
    pub fn new(rate: FrameRate, shots: Vec<Shot>) -> Result<Self, DraftError> {
        Self { rate, shots }.checked()
    }

    /// Refused beyond [`LONGEST`] and [`MOST_SHOTS`]. A draft that was stored before these limits can be read and undone,
    /// but not opened.
    pub fn within_limits(&self) -> Result<(), DraftError> {
        if self.shots.len() > MOST_SHOTS {
            return Err(DraftError::TooMany);
        }
        if self.len() > LONGEST { Err(DraftError::TooLong) } else { Ok(()) }
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

    /// Refused when it breaks a limit or cannot be.
    fn checked(self) -> Result<Self, DraftError> {
        self.within_limits()?;
        self.consistent()
    }

    /// Refused when it cannot be; a hit that no picture shows any more is none.
    fn consistent(mut self) -> Result<Self, DraftError> {
        for shot in &mut self.shots {
            shot.hit_at = shot.hit_at.filter(|at| *at < shot.pictures().get());
        }
        if self.shots.iter().any(|s| s.len < SHORTEST) {
            return Err(DraftError::Flash);
        }
        if self.shots.iter().any(|s| s.pictures() < SHORTEST) {
            return Err(DraftError::PauseFirst);
        }
        for shot in &self.shots {
            shot.source.course().check()?;
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
