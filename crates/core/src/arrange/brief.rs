//! What is asked of a draft besides the music: wishes in the editor's words, the story, and what a hand has done.

use super::Weights;
use crate::draft::{Pin, Shot};
use crate::id::SelectId;
use crate::time::FramePos;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// What counts more than usual in one draft, as an editor says it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Wishes {
    /// Follow the energy of the music more.
    pub energy: bool,
    /// Stay in the order in which it was shot.
    pub order: bool,
    /// Fewer framings that are alike behind each other.
    pub framings: bool,
}

impl Wishes {
    /// The usual weights, but for what is wished.
    pub fn weights(self) -> Weights {
        let usual = Weights::default();
        Weights {
            energy: if self.energy { usual.energy * 2.0 } else { usual.energy },
            order: if self.order { 1.5 } else { usual.order },
            framing: if self.framings { usual.framing * 3.0 } else { usual.framing },
            ..usual
        }
    }
}

/// The order of the piece, whatever music it lies on.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Story {
    /// The select that it opens with.
    pub opening: Option<SelectId>,
    /// The select that it closes with.
    pub closing: Option<SelectId>,
    /// The first of each pair stands before the second, where both are used.
    pub orders: Vec<(SelectId, SelectId)>,
}

/// The most pairs of one job.
pub const MOST_ORDERS: usize = 200;

impl Story {
    /// Says that one select comes before another; said again, it is taken back. What would lead in a circle is not said.
    pub fn ordered(&self, first: SelectId, second: SelectId) -> Option<Self> {
        let mut story = self.clone();
        if story.orders.contains(&(first, second)) {
            story.orders.retain(|pair| *pair != (first, second));
            return Some(story);
        }
        if first == second || self.orders.len() >= MOST_ORDERS || self.comes_before(second, first) {
            return None;
        }
        story.orders.push((first, second));
        Some(story)
    }

    fn comes_before(&self, first: SelectId, second: SelectId) -> bool {
        let mut reached = BTreeSet::from([first]);
        loop {
            let next: Vec<SelectId> = self
                .orders
                .iter()
                .filter(|(a, b)| reached.contains(a) && !reached.contains(b))
                .map(|(_, b)| *b)
                .collect();
            if next.is_empty() {
                return reached.contains(&second);
            }
            reached.extend(next);
        }
    }
}

/// A stretch of a draft that is about something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chapter {
    /// Where it begins.
    pub from: FramePos,
    /// Where it ends, exclusive.
    pub to: FramePos,
    /// The selects that it is about.
    pub selects: BTreeSet<SelectId>,
}

/// How much of a shot stays.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Hold {
    /// A shot begins there.
    Beginning,
    /// A shot begins and ends there.
    Ends,
    /// All of it.
    Whole,
}

impl Shot {
    /// What of it stays when the open shots are laid again. A pin says more precisely what a hand has held.
    pub fn hold(&self) -> Option<Hold> {
        match self.pin {
            Pin::Whole => Some(Hold::Whole),
            Pin::Ends => Some(Hold::Ends),
            Pin::Place => Some(Hold::Beginning),
            Pin::Open => self.held.then_some(Hold::Whole),
        }
    }
}

/// A shot that is in the draft already.
#[derive(Debug, Clone, PartialEq)]
pub struct Kept {
    /// Where it begins.
    pub at: FramePos,
    /// The shot.
    pub shot: Shot,
    /// What of it stays.
    pub hold: Hold,
}

impl Kept {
    /// All of a shot.
    pub fn whole(at: FramePos, shot: Shot) -> Self {
        Self { at, shot, hold: Hold::Whole }
    }
}

/// All that is asked.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Brief {
    /// How much each part counts.
    pub weights: Weights,
    /// Opening, closing, and what comes before what.
    pub story: Story,
    /// In order; they do not overlap.
    pub chapters: Vec<Chapter>,
    /// What stays.
    pub kept: Vec<Kept>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_comes_before_what_never_leads_in_a_circle() {
        let id = SelectId::from_u128;
        let story = Story::default().ordered(id(1), id(2)).and_then(|s| s.ordered(id(2), id(3))).expect("a story");
        assert_eq!(story.ordered(id(3), id(1)), None);
        assert_eq!(story.ordered(id(1), id(1)), None);
        let without = story.ordered(id(1), id(2)).expect("taken back");
        assert_eq!(without.orders, [(id(2), id(3))]);
        assert!(without.ordered(id(3), id(1)).is_some());
    }
}
