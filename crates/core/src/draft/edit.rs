//! What can be done to a draft by hand, as values.

use super::{Between, Pause, Pin, Shot, Source, Speed, SpeedKeyframe, Stop};
use crate::id::ShotId;
use crate::time::{FrameLen, FramePos, FrameShift, Seconds};

/// Where the time of an edit comes from, or goes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TimeFrom {
    /// The next shot gives or takes it; where there is none, the one before.
    Neighbour,
    /// What follows in the section moves, and its last open shot gives or takes it, so that the next section still begins on
    /// its mark.
    Section {
        /// Where the section ends, exclusive.
        end: FramePos,
    },
    /// All that follows moves, and the piece becomes longer or shorter.
    Whole,
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
    /// Moves the end of a shot, later where positive.
    TrimEnd {
        /// Which one.
        shot: ShotId,
        /// How far.
        by: FrameShift,
        /// Who gives or takes the time.
        from: TimeFrom,
    },
    /// Moves the beginning of a shot's pictures, later where positive; its pictures stay where they are against its end.
    TrimStart {
        /// Which one.
        shot: ShotId,
        /// How far.
        by: FrameShift,
        /// Who gives or takes the time.
        from: TimeFrom,
    },
    /// Shows another part of the same clip at the same place.
    Slip {
        /// Which one.
        shot: ShotId,
        /// How far.
        by: FrameShift,
    },
    /// Moves a shot with its pictures; its neighbours give and take.
    Slide {
        /// Which one.
        shot: ShotId,
        /// How far, later where positive.
        by: FrameShift,
    },
    /// Divides a shot.
    Split {
        /// Which one.
        shot: ShotId,
        /// How many frames the first part keeps.
        at: FrameLen,
        /// The id of the second part.
        second: ShotId,
    },
    /// Makes one of a shot and the next one, which must go on from it.
    Join {
        /// The first of them.
        shot: ShotId,
    },
    /// Takes a shot out.
    Remove {
        /// Which one.
        shot: ShotId,
        /// Who takes its time.
        from: TimeFrom,
    },
    /// Puts a new shot before another one, or behind the last.
    Insert {
        /// The new one.
        new: Shot,
        /// Which one it stands before; none: at the end.
        before: Option<ShotId>,
        /// Who gives its time.
        from: TimeFrom,
    },
    /// Two shots change what they show; both places stay as long as they are.
    Exchange {
        /// One.
        shot: ShotId,
        /// The other.
        with: ShotId,
    },
    /// Takes a shot, as long as it is, to another place.
    Move {
        /// Which one.
        shot: ShotId,
        /// Which one it stands before then; none: at the end.
        before: Option<ShotId>,
    },
    /// Shows the part of the clip in which the hit falls on a frame of the shot.
    PutHit {
        /// Which one.
        shot: ShotId,
        /// Frames from its beginning.
        at: u64,
        /// Where in the clip it happens.
        hit: Seconds,
    },
    /// Plays the clip faster, slower, backwards or not at all, throughout; what was shown at the hit, or at the beginning, stays on
    /// its frame.
    SetSpeed {
        /// Which one.
        shot: ShotId,
        /// How fast.
        speed: Speed,
    },
    /// Sets the whole time curve.
    SetTime {
        /// Which one.
        shot: ShotId,
        /// The instant at its beginning; without, what was shown at the hit, or at the beginning, stays on its frame.
        start: Option<Seconds>,
        /// Up to the first keyframe.
        speed: Speed,
        /// In their order.
        keyframes: Vec<SpeedKeyframe>,
    },
    /// Shows the same from its end to its beginning.
    Reverse {
        /// Which one.
        shot: ShotId,
    },
    /// Holds a frame for some frames longer; what follows comes later, and the shot stays as long as it is.
    Hold {
        /// Which one.
        shot: ShotId,
        /// Frames from its beginning.
        at: u64,
        /// How much longer.
        len: FrameLen,
    },
    /// What is shown between two frames of the clip.
    SetBetween {
        /// Which one.
        shot: ShotId,
        /// What.
        between: Between,
    },
    /// Lets the pictures pause over a stretch of the piece; what began in it begins behind it.
    PauseOver {
        /// Where it begins.
        from: FramePos,
        /// How long it is.
        len: FrameLen,
        /// What is seen meanwhile.
        stop: Stop,
        /// The id of what goes on behind it, where one shot covers all of it.
        rest: ShotId,
    },
    /// Makes the pause at the end of a shot another one, as long as the shot is.
    SetPause {
        /// Which one.
        shot: ShotId,
        /// None, or one of no length, takes it out: the pictures go on, or the next ones begin sooner.
        pause: Option<Pause>,
    },
    /// Puts shots over a stretch of the piece: what was there goes, what reaches into it is cut off.
    Overwrite {
        /// Where the first of them begins.
        from: FramePos,
        /// In their order; what reaches beyond the end of the piece is cut off.
        shots: Vec<Shot>,
        /// The id of what goes on behind them, where one shot covers all of it.
        rest: ShotId,
    },
    /// Pins or unpins.
    Pin {
        /// Which one.
        shot: ShotId,
        /// What of it stays.
        pin: Pin,
    },
    /// Lets a shot that a person changed be laid again with the open ones; a pin stays.
    Release {
        /// Which one.
        shot: ShotId,
    },
    /// Keeps all shots that begin in a stretch as they are, or lets go of them.
    Keep {
        /// Where it begins.
        from: FramePos,
        /// Where it ends, exclusive.
        to: FramePos,
        /// Whether they are kept.
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
            Self::TrimEnd { .. } => "move the end",
            Self::TrimStart { .. } => "move the beginning",
            Self::Slip { .. } => "other part of the clip",
            Self::Slide { .. } => "slide the shot",
            Self::Split { .. } => "split the shot",
            Self::Join { .. } => "join the shots",
            Self::Remove { .. } => "remove the shot",
            Self::Insert { .. } => "insert a shot",
            Self::Exchange { .. } => "exchange two shots",
            Self::Move { .. } => "move the shot",
            Self::PutHit { .. } => "put the hit there",
            Self::SetSpeed { .. } => "set the speed",
            Self::SetTime { .. } => "set the time curve",
            Self::Reverse { .. } => "play backwards",
            Self::Hold { .. } => "hold the frame",
            Self::SetBetween { .. } => "frames in between",
            Self::PauseOver { .. } => "pause the pictures",
            Self::SetPause { pause: Some(_), .. } => "change the pause",
            Self::SetPause { pause: None, .. } => "take out the pause",
            Self::Overwrite { .. } => "take over from the other draft",
            Self::Pin { pin: Pin::Open, .. } => "unpin",
            Self::Pin { .. } => "pin",
            Self::Release { .. } => "release the shot",
            Self::Keep { on: true, .. } => "keep the section",
            Self::Keep { .. } => "open the section",
            Self::Replace { .. } => "swap the shot",
        }
    }

    /// The shots that it means to change; neighbours that give or take time are not among them.
    pub fn shots(&self) -> Vec<ShotId> {
        match self {
            Self::MoveCut { shot, .. }
            | Self::TrimEnd { shot, .. }
            | Self::TrimStart { shot, .. }
            | Self::Slip { shot, .. }
            | Self::Slide { shot, .. }
            | Self::Join { shot }
            | Self::Move { shot, .. }
            | Self::PutHit { shot, .. }
            | Self::SetSpeed { shot, .. }
            | Self::SetTime { shot, .. }
            | Self::Reverse { shot }
            | Self::Hold { shot, .. }
            | Self::SetBetween { shot, .. }
            | Self::SetPause { shot, .. }
            | Self::Replace { shot, .. } => vec![*shot],
            Self::Split { shot, second, .. } => vec![*shot, *second],
            Self::Exchange { shot, with } => vec![*shot, *with],
            Self::Insert { new, .. } => vec![new.id],
            Self::Overwrite { shots, .. } => shots.iter().map(|s| s.id).collect(),
            Self::Remove { .. }
            | Self::PauseOver { .. }
            | Self::Pin { .. }
            | Self::Release { .. }
            | Self::Keep { .. } => Vec::new(),
        }
    }

    /// Small steps with the same key are one to undo.
    pub fn coalesce_key(&self) -> Option<String> {
        match self {
            Self::MoveCut { shot, .. } => Some(format!("cut {shot}")),
            Self::TrimEnd { shot, .. } => Some(format!("end {shot}")),
            Self::TrimStart { shot, .. } => Some(format!("start {shot}")),
            Self::Slip { shot, .. } => Some(format!("slip {shot}")),
            Self::Slide { shot, .. } => Some(format!("slide {shot}")),
            Self::SetTime { shot, .. } => Some(format!("curve {shot}")),
            _ => None,
        }
    }
}
