//! What is known of a track: the reading of its music, what a person set over it, and how it is used.
//!
//! A [`TrackReading`] is what was measured (`legere-analysis` makes it); [`marks`] are what a person set instead; a
//! [`Version`] is the track as it is used: a list of spans, a stretch, fades and a level; [`retarget`] finds versions of a
//! wanted length.

mod loudness;
pub mod marks;
mod passages;
pub mod retarget;
mod sound_kind;
mod texture;
mod version;

use crate::words;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

pub use loudness::programme_loudness;
pub use sound_kind::SoundKind;
pub use texture::{BANDS, PITCH_CLASSES, STEP as TEXTURE_STEP, Sound, Texture, TextureRow};
pub use version::{Curve, Fade, Join, Span, Version, VersionError};

/// What was measured in a track. Times are seconds from the first sample.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct TrackReading {
    /// The version of the reading that it was made by.
    #[serde(default)]
    pub version: i32,
    /// In seconds.
    pub duration: f64,
    /// The most common tempo, in beats a minute, between 60 and 180.
    pub tempo_bpm: f64,
    /// 0–1, how clearly the music beats.
    #[serde(default)]
    pub confidence: f64,
    /// In order.
    pub beats: Vec<Beat>,
    /// In order, from the beginning to the end.
    pub sections: Vec<Section>,
    /// In order.
    pub cues: Vec<Cue>,
    /// Along time, 0–100.
    pub energy: Trace,
    /// Programme loudness in LUFS (EBU R 128).
    #[serde(default)]
    pub loudness: f64,
    /// Momentary loudness in LUFS, of the 400 ms around each step: what the loudness of a part is made of.
    #[serde(default, skip_serializing_if = "Trace::is_empty")]
    pub momentary: Trace,
    /// Where something begins, to the millisecond: what marks set by hand snap to.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub onsets: Vec<f64>,
    /// The beats that snare or clap mark: where pictures change when the action is on the other beats.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub backbeats: Vec<f64>,
    /// What it sounds like along time.
    #[serde(default, skip_serializing_if = "Texture::is_empty")]
    pub texture: Texture,
}

/// A beat; `beat == 1` is the downbeat. Beats before the first downbeat are in bar 0.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Beat {
    /// In seconds.
    pub at: f64,
    /// Counted from 1.
    pub bar: u32,
    /// Its place in the bar, from 1.
    pub beat: u32,
    /// 0–1, how clearly it is heard: the confidence in this beat.
    pub strength: f64,
}

/// A part of the music.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Section {
    /// In seconds.
    pub start: f64,
    /// In seconds, exclusive.
    pub end: f64,
    /// What it does in the piece.
    pub kind: SectionKind,
    /// 0–100
    pub energy: f64,
    /// Which sections are the same music.
    #[serde(default)]
    pub label: Label,
    /// Whether a person set the energy.
    #[serde(default, alias = "energy_by_hand", skip_serializing_if = "std::ops::Not::not")]
    pub energy_manual: bool,
}

impl Section {
    /// As read: without a label or a hand.
    pub fn new(start: f64, end: f64, kind: SectionKind, energy: f64) -> Self {
        Self { start, end, kind, energy, label: Label::default(), energy_manual: false }
    }
}

/// The letter of a section's material; varied (A′) when it comes back in another dress. Written `A`, `A′`, or nothing.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(into = "String", from = "String")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS), ts(rename = "SectionLabel", type = "string"))]
pub struct Label {
    /// A for the first, B for the next.
    pub letter: Option<char>,
    /// Whether it comes back otherwise.
    pub varied: bool,
}

impl From<Label> for String {
    fn from(label: Label) -> Self {
        let mut text = label.letter.map(String::from).unwrap_or_default();
        if label.varied {
            text.push('′');
        }
        text
    }
}

impl From<String> for Label {
    fn from(text: String) -> Self {
        Self { letter: text.chars().next().filter(char::is_ascii_uppercase), varied: text.ends_with('′') }
    }
}

#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    Hash,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
/// What a section does in the piece.
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum SectionKind {
    /// Before it gets going.
    Intro,
    /// Goes on.
    Groove,
    /// Leads up.
    Build,
    /// As loud as it gets.
    Drop,
    /// Takes the drive away.
    Break,
    /// Ends it.
    Outro,
}

words!(SectionKind);

/// A point that asks for something.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Cue {
    /// In seconds.
    pub at: f64,
    /// What it does in the piece.
    pub kind: CueKind,
    /// 0–1
    pub strength: f64,
    /// How long a pause is silent, in seconds; nothing where that was not measured, and for all other kinds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub lasts: Option<f64>,
}

impl Cue {
    /// As read: without a label or a hand.
    pub fn new(at: f64, kind: CueKind, strength: f64) -> Self {
        Self { at, kind, strength, lasts: None }
    }
}

#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    Hash,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
/// What a cue asks for.
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum CueKind {
    /// As loud as it gets.
    Drop,
    /// Takes the drive away.
    Break,
    /// Leads up.
    Build,
    /// A single stroke.
    Hit,
    /// Silence.
    Pause,
    /// It goes on after a rest.
    Pickup,
    /// The music ends.
    End,
}

words!(CueKind);

/// Values along time: value *i* stands for `i * step` to `(i + 1) * step` seconds.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Trace {
    /// Seconds that a value stands for.
    pub step: f64,
    /// The values.
    pub values: Vec<f64>,
}

impl Trace {
    /// Whether there is nothing in it.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// The mean between two times; 0 for an empty trace.
    pub fn mean(&self, start: f64, end: f64) -> f64 {
        if self.values.is_empty() {
            return 0.0;
        }
        let last = self.values.len() - 1;
        let from = ((start / self.step).floor().max(0.0) as usize).min(last);
        let to = ((end / self.step).ceil().max(0.0) as usize).clamp(from + 1, last + 1);
        self.values[from..to].iter().sum::<f64>() / (to - from) as f64
    }
}

impl TrackReading {
    /// Where bars begin, in seconds.
    pub fn downbeats(&self) -> Vec<f64> {
        self.beats.iter().filter(|b| b.beat == 1).map(|b| b.at).collect()
    }

    /// How many beats most bars have; four, as long as none is complete.
    pub fn metre(&self) -> u32 {
        let mut bars: BTreeMap<u32, usize> = BTreeMap::new();
        for pair in self.beats.windows(2).filter(|pair| pair[1].beat == 1) {
            *bars.entry(pair[0].beat).or_default() += 1;
        }
        let most = bars.into_iter().max_by_key(|(_, count)| *count).map(|(beats, _)| beats);
        most.unwrap_or_else(|| self.beats.iter().map(|b| b.beat).fold(4, u32::max)).max(1)
    }
}
