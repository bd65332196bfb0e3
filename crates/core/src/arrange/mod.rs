//! Laying selects on music: slots from sections and pace, then the best select for each, with reasons.
//!
//! [`slots`] divides the version into places that ask for something; [`Fit`] says how well a select answers;
//! [`arrange`] searches the assignment that is best as a whole, joins included. Everything is deterministic.

mod fit;
mod pace;
mod slot;
mod solve;

pub use fit::{Cost, Weights};
pub use pace::{Pace, PaceError};
pub use slot::{BeatMark, Slot, propose_part, slots, slots_under};
pub use solve::{Alternate, ArrangeError, Arrangement, Arranger};

use crate::select::{Range, Tier};
use crate::time::{FrameRate, Seconds};
use uuid::Uuid;

/// A select as the solver sees it.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    pub select: Uuid,
    pub clip: Uuid,
    /// What people call it: the clip's name.
    pub name: String,
    pub range: Range,
    /// How long the clip is.
    pub media: Seconds,
    pub rate: FrameRate,
    pub tier: Tier,
    /// 0–100, of the range.
    pub energy: f64,
    pub framing: Option<String>,
    pub role: Option<String>,
    /// The movement tag, or the measured movement.
    pub movement: Option<String>,
}

#[cfg(test)]
mod tests;
