//! Laying selects on music: slots from sections and pace, then the best select for each, with reasons.
//!
//! [`slots`] divides the version into places that ask for something; [`Cost`] says how well a select answers;
//! [`Arranger::solve`] searches the row that is best as a whole, joins included. Everything follows from its seed.

mod around;
mod borders;
mod brief;
mod cadence;
pub mod exchange;
mod fit;
mod judge;
mod needs;
mod offer;
mod pace;
mod plan;
mod search;
mod slot;
mod solve;

pub use brief::{Brief, Chapter, Hold, Kept, MOST_ORDERS, Story, Wishes};
pub use fit::{Cost, Scale, Weights};
pub use judge::{Alternate, Judged, Lacking, LeftOut, Part, Reason};
pub use needs::{Need, needs};
pub use offer::{propose_part, propose_version};
pub use pace::{CutsOn, Pace, PaceError};
pub use plan::{ArrangeError, Arranger};
pub use slot::{BeatMark, Slot, slots, slots_under};
pub use solve::{Arrangement, Missing};

use crate::footage::{EnergyTrace, Fault};
use crate::id::{ClipId, SelectId};
use crate::select::{Framing, Light, Movement, Range, Role, Tier};
use crate::time::{FrameRate, Seconds};
use std::sync::Arc;

/// A select as the solver sees it.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// The select that it is.
    pub select: SelectId,
    /// The clip that it is of.
    pub clip: ClipId,
    /// What people call it: the clip's name.
    pub name: String,
    /// In, out and hit.
    pub range: Range,
    /// How long the clip is.
    pub media: Seconds,
    /// Frames a second.
    pub rate: FrameRate,
    /// The editor’s verdict.
    pub tier: Tier,
    /// 0–100, of the range.
    pub energy: f64,
    /// For the energy of other parts of the clip; empty where only the range's is known.
    pub trace: Arc<EnergyTrace>,
    /// What of the clip cannot be used.
    pub faults: Arc<Vec<Fault>>,
    /// How much of the subject it shows, where that is known.
    pub framing: Option<Framing>,
    /// What it does in a cut, where that was said.
    pub role: Option<Role>,
    /// The movement tag, or the measured movement.
    pub movement: Option<Movement>,
    /// In what light, where that was said.
    pub light: Option<Light>,
    /// What the pictures look like, for where nobody has said it.
    pub measured: Measured,
    /// The set-up that it is a take of: candidates with the same number show the same.
    pub set_up: Option<usize>,
    /// When it was recorded, in seconds from any one instant.
    pub recorded: Option<f64>,
}

/// What was read off the pictures and may be wrong: it counts half.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Measured {
    /// How much of the subject they show.
    pub framing: Option<Framing>,
    /// In what light.
    pub light: Option<Light>,
}

impl Candidate {
    /// 0–100, of a part of the clip.
    pub fn energy_of(&self, start: Seconds, end: Seconds) -> f64 {
        if self.trace.is_empty() { self.energy } else { self.trace.energy(start.to_f64(), end.to_f64()) }
    }

    /// 0–1: the share of a part of the clip that cannot be used.
    fn faulty(&self, start: Seconds, end: Seconds) -> f64 {
        let (start, end) = (start.to_f64(), end.to_f64());
        let seen = |f: &Fault| (f.end.min(end) - f.start.max(start)).max(0.0);
        (self.faults.iter().map(seen).sum::<f64>() / (end - start).max(1e-6)).min(1.0)
    }
}

#[cfg(test)]
mod tests;
