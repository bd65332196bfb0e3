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
pub mod marks;
mod onsets;
pub mod retarget;
mod sections;
mod spectrum;
pub mod texture;
mod version;

use serde::{Deserialize, Serialize};

pub use texture::Texture;
pub use version::{Curve, Fade, Span, Version, VersionError};

/// The sample rate, in hertz, that [`read_track`] expects.
pub const READING_RATE: u32 = 24_000;

/// Raised whenever the same samples would give another reading, so that old ones are made again.
pub const READING_VERSION: i32 = 2;

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
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct TrackReading {
    pub duration: f64,
    /// The most common tempo, in beats a minute, between 60 and 180.
    pub tempo_bpm: f64,
    /// 0–1, how clearly the music beats.
    #[serde(default)]
    pub confidence: f64,
    pub beats: Vec<Beat>,
    pub sections: Vec<Section>,
    pub cues: Vec<Cue>,
    pub energy: Trace,
    /// Programme loudness in LUFS (EBU R 128).
    #[serde(default)]
    pub loudness: f64,
    /// Where something begins, to the millisecond: what marks set by hand snap to.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub onsets: Vec<f64>,
    #[serde(default, skip_serializing_if = "Texture::is_empty")]
    pub texture: Texture,
}

/// A beat; `beat == 1` is the downbeat. Beats before the first downbeat are in bar 0.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Beat {
    pub at: f64,
    pub bar: u32,
    pub beat: u32,
    /// 0–1, how clearly it is heard: the confidence in this beat.
    pub strength: f64,
}

#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Section {
    pub start: f64,
    pub end: f64,
    pub kind: SectionKind,
    /// 0–100
    pub energy: f64,
    /// Which sections are the same music.
    #[serde(default)]
    pub label: Label,
    /// Whether a person set the energy.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub energy_by_hand: bool,
}

impl Section {
    pub fn new(start: f64, end: f64, kind: SectionKind, energy: f64) -> Self {
        Self { start, end, kind, energy, label: Label::default(), energy_by_hand: false }
    }
}

/// The letter of a section's material; varied (A′) when it comes back in another dress. Written `A`, `A′`, or nothing.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(into = "String", from = "String")]
pub struct Label {
    pub letter: Option<char>,
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
    pub const ALL: [Self; 7] = [Self::Drop, Self::Break, Self::Build, Self::Hit, Self::Pause, Self::Pickup, Self::End];

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
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
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
    read_track_by_stages(audio, &mut |_| ())
}

/// Reads a track, and tells the name of each stage when it is done: for measurements.
pub fn read_track_by_stages(
    audio: Audio<'_>,
    done: &mut dyn FnMut(&'static str),
) -> Result<TrackReading, ReadTrackError> {
    if audio.duration() < 2.0 {
        return Err(ReadTrackError::TooShort);
    }
    if audio.samples.iter().all(|s| s.abs() < 1e-4) {
        return Err(ReadTrackError::Silent);
    }
    let spectrum = spectrum::Spectrum::of(audio.samples);
    done("spectrum");
    let onsets = onsets::onsets(&spectrum);
    done("onsets");
    let (energy, loudness) = energy::trace(audio.samples, &spectrum, &onsets);
    done("energy");
    let fine = beats::FineOnsets::of(audio.samples);
    let beats = counted_beats(&spectrum, &onsets, &fine, audio);
    done("beats and bars");
    let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
    let (sections, mut cues) = sections::read(&beats, &spectrum, &energy, audio);
    let onset_times = beats::onset_times(&onsets.all, &fine);
    sections::add_hits(&mut cues, &onset_times, &beats);
    let texture = Texture::of(&spectrum, audio.duration());
    done("sections, cues, texture");
    Ok(TrackReading {
        duration: audio.duration(),
        tempo_bpm: level::median_gap(&times).map_or(120.0, |gap| 60.0 / gap),
        confidence: (beats.iter().map(|b| b.strength).sum::<f64>() / beats.len().max(1) as f64 * 100.0).round() / 100.0,
        beats,
        sections,
        cues,
        energy,
        loudness,
        onsets: onset_times,
        texture,
    })
}

/// The beats that a listener would tap, counted into bars.
fn counted_beats(
    spectrum: &spectrum::Spectrum,
    onsets: &onsets::Onsets,
    fine: &beats::FineOnsets,
    audio: Audio<'_>,
) -> Vec<Beat> {
    let levels = beats::levels(onsets, spectrum);
    let Some(chosen) = levels.into_iter().max_by(|a, b| a.score().total_cmp(&b.score())) else { return Vec::new() };
    let beats = beats::place(chosen.beats, fine, audio.duration(), sections::sounds(audio.samples));
    let heard = bars::Heard::at(&beats, spectrum, onsets);
    let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
    let bpm = level::median_gap(&times).map_or(120.0, |gap| 60.0 / gap);
    let counted = bars::count(&heard, chosen.ternary, bpm);
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
