//! How often shots change in a section.

use crate::track::SectionKind;
use serde::{Deserialize, Serialize};

/// A pace that cannot be had.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("a pace is between a quarter of a bar and eight bars per shot")]
pub struct PaceError;

/// What the cuts of a section fall on.
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, strum::EnumString, strum::IntoStaticStr,
)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum CutsOn {
    /// The beats.
    #[default]
    Beats,
    /// The beats that snare or clap mark.
    Backbeats,
    /// The strongest sound that begins near the beat.
    Onsets,
}

/// Beats per shot as quarters of a bar, how much that varies, and what the cuts fall on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Pace {
    quarters: u8,
    /// Shots of half and of double the length come between.
    pub varied: bool,
    /// What the cuts fall on.
    #[serde(default)]
    pub on: CutsOn,
}

impl Pace {
    /// The paces that are offered, in quarters of a bar.
    pub const CHOICES: [u8; 6] = [1, 2, 4, 8, 16, 32];

    /// `quarters` of a bar per shot: 4 is a bar, 2 half a bar.
    pub fn new(quarters: u8, varied: bool) -> Result<Self, PaceError> {
        Self::CHOICES.contains(&quarters).then_some(Self { quarters, varied, on: CutsOn::Beats }).ok_or(PaceError)
    }

    /// The same on other marks.
    #[must_use]
    pub fn on(self, on: CutsOn) -> Self {
        Self { on, ..self }
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
        Self { quarters, varied, on: CutsOn::Beats }
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
        let varied = if self.varied { ", varied" } else { "" };
        let on = match self.on {
            CutsOn::Beats => "",
            CutsOn::Backbeats => ", on backbeats",
            CutsOn::Onsets => ", on onsets",
        };
        format!("{every}{varied}{on}")
    }
}
