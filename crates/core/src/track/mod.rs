//! Reading music: where it beats, how it is built, how much energy it has.
//!
//! [`read_track`] is a pure function from samples to a [`TrackReading`]. Its stages are [`spectrum`] (short-time
//! spectra folded into logarithmic bands), [`onsets`] (band-wise rises), [`beats`] (tempos, and the rows of beats that
//! [`follow`] finds for them, among which [`level`] chooses), [`bars`] (metre and downbeats), [`energy`] (loudness,
//! density, bass) and [`sections`].
//! A [`Version`] is the stretch of a track that a draft is laid on.

mod bars;
mod beats;
mod energy;
mod follow;
mod level;
mod onsets;
mod sections;
mod spectrum;
mod version;

use serde::{Deserialize, Serialize};

pub use version::{Span, Version, VersionError};

/// The sample rate, in hertz, that [`read_track`] expects.
pub const READING_RATE: u32 = 24_000;

/// Raised whenever the same samples would give another reading, so that old ones are made again.
pub const READING_VERSION: i32 = 1;

/// Mono samples at [`READING_RATE`], full scale ±1.
#[derive(Debug, Clone, Copy)]
pub struct Audio<'a> {
    pub samples: &'a [f32],
}

impl Audio<'_> {
    pub fn duration(&self) -> f64 {
        self.samples.len() as f64 / f64::from(READING_RATE)
    }
}

/// Why there is no reading.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ReadTrackError {
    #[error("the track is shorter than two seconds, too short to find beats in")]
    TooShort,
    #[error("the track is silent")]
    Silent,
}

/// What was measured in a track. Times are seconds from the first sample.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TrackReading {
    pub duration: f64,
    /// The most common tempo, in beats a minute, between 60 and 180.
    pub tempo_bpm: f64,
    pub beats: Vec<Beat>,
    pub sections: Vec<Section>,
    pub cues: Vec<Cue>,
    pub energy: Trace,
}

/// A beat; `beat == 1` is the downbeat. Beats before the first downbeat are in bar 0.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Beat {
    pub at: f64,
    pub bar: u32,
    pub beat: u32,
    /// 0–1, how clearly it is heard.
    pub strength: f64,
}

#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Section {
    pub start: f64,
    pub end: f64,
    pub kind: SectionKind,
    /// 0–100
    pub energy: f64,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum SectionKind {
    Intro,
    Groove,
    Build,
    Drop,
    Break,
    Outro,
}

impl SectionKind {
    pub const ALL: [Self; 6] = [Self::Intro, Self::Groove, Self::Build, Self::Drop, Self::Break, Self::Outro];

    pub fn word(self) -> &'static str {
        match self {
            Self::Intro => "intro",
            Self::Groove => "groove",
            Self::Build => "build",
            Self::Drop => "drop",
            Self::Break => "break",
            Self::Outro => "outro",
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Cue {
    pub at: f64,
    pub kind: CueKind,
    /// 0–1
    pub strength: f64,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum CueKind {
    Drop,
    Break,
    Build,
    Hit,
    Pause,
    Pickup,
    End,
}

impl CueKind {
    pub fn word(self) -> &'static str {
        match self {
            Self::Drop => "drop",
            Self::Break => "break",
            Self::Build => "build",
            Self::Hit => "hit",
            Self::Pause => "pause",
            Self::Pickup => "pickup",
            Self::End => "end",
        }
    }
}

/// Values along time: value *i* stands for `i * step` to `(i + 1) * step` seconds.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Trace {
    pub step: f64,
    pub values: Vec<f64>,
}

impl Trace {
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

/// Reads a track.
pub fn read_track(audio: Audio<'_>) -> Result<TrackReading, ReadTrackError> {
    if audio.duration() < 2.0 {
        return Err(ReadTrackError::TooShort);
    }
    if audio.samples.iter().all(|s| s.abs() < 1e-4) {
        return Err(ReadTrackError::Silent);
    }
    let spectrum = spectrum::Spectrum::of(audio.samples);
    let onsets = onsets::onsets(&spectrum);
    let energy = energy::trace(audio.samples, &spectrum, &onsets);
    let beats = counted_beats(&spectrum, &onsets, audio);
    let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
    let (sections, cues) = sections::read(&beats, &spectrum, &energy, audio);
    Ok(TrackReading {
        duration: audio.duration(),
        tempo_bpm: level::median_gap(&times).map_or(120.0, |gap| 60.0 / gap),
        beats,
        sections,
        cues,
        energy,
    })
}

/// The beats that a listener would tap, counted into bars.
fn counted_beats(spectrum: &spectrum::Spectrum, onsets: &onsets::Onsets, audio: Audio<'_>) -> Vec<Beat> {
    let levels = beats::levels(onsets, spectrum);
    let Some(chosen) = levels.into_iter().max_by(|a, b| a.score().total_cmp(&b.score())) else { return Vec::new() };
    let beats = beats::place(chosen.beats, audio.samples, sections::sounds(audio.samples));
    let heard = bars::Heard::at(&beats, spectrum, onsets);
    let counted = bars::count(&heard, chosen.ternary);
    let mut bar = 0;
    beats
        .iter()
        .zip(&counted.places)
        .map(|(found, place)| {
            // A pick-up before the first downbeat is bar 0.
            bar += u32::from(place.place == 0);
            Beat { at: found.at, bar, beat: place.place as u32 + 1, strength: found.strength }
        })
        .collect()
}

/// What each row of beats that was considered looks like to the model that chooses, and its beats: for training.
pub fn considered(audio: Audio<'_>) -> Vec<(Vec<f64>, Vec<f64>)> {
    let spectrum = spectrum::Spectrum::of(audio.samples);
    let onsets = onsets::onsets(&spectrum);
    let levels = beats::levels(&onsets, &spectrum);
    levels.iter().map(|l| (l.features.to_vec(), l.beats.iter().map(|b| b.at).collect())).collect()
}

#[cfg(test)]
mod tests;
