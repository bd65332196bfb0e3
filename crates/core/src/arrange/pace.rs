//! How often shots change in a section.

use crate::track::SectionKind;
use serde::{Deserialize, Serialize};

/// A pace that cannot be had.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("a pace is between a quarter of a bar and eight bars per shot")]
pub struct PaceError;

/// Beats per shot as quarters of a bar, and how much that varies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Pace {
    quarters: u8,
    /// Shots of half and of double the length come between.
    pub varied: bool,
}

impl Pace {
    /// The paces that are offered, in quarters of a bar.
    pub const CHOICES: [u8; 6] = [1, 2, 4, 8, 16, 32];

    /// `quarters` of a bar per shot: 4 is a bar, 2 half a bar.
    pub fn new(quarters: u8, varied: bool) -> Result<Self, PaceError> {
        Self::CHOICES.contains(&quarters).then_some(Self { quarters, varied }).ok_or(PaceError)
    }

    /// Quarters of a bar a shot.
    pub fn quarters(self) -> u8 {
        self.quarters
    }

    /// Beats a shot, in bars of so many.
    pub fn beats(self, metre: f64) -> f64 {
        f64::from(self.quarters) / 4.0 * metre
    }

    /// Long where the music breathes, short where it drives.
    pub fn for_kind(kind: SectionKind) -> Self {
        let (quarters, varied) = match kind {
            SectionKind::Intro | SectionKind::Outro | SectionKind::Break => (8, true),
            SectionKind::Groove => (4, true),
            SectionKind::Build => (4, false),
            SectionKind::Drop => (2, true),
        };
        Self { quarters, varied }
    }

    /// As the page says it.
    pub fn words(self) -> String {
        let every = match self.quarters {
            1 => "every beat",
            2 => "half a bar",
            4 => "a bar",
            8 => "2 bars",
            16 => "4 bars",
            _ => "8 bars",
        };
        if self.varied { format!("{every}, varied") } else { every.to_owned() }
    }
}
