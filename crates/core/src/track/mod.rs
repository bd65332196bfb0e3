//! Reading music: where it beats, how it is built, how much energy it has.
//!
//! [`read_track`] is a pure function from samples to a [`TrackReading`]. Its stages are [`spectrum`] (short-time
//! spectra folded into logarithmic bands), [`onsets`] (band-wise rises), [`beats`] (tempos, and the rows of beats that
//! [`follow`] finds for them, among which [`level`] chooses), [`bars`] (metre and downbeats), [`energy`] (loudness,
//! density, bass) and [`sections`].
//! A [`Version`] is the stretch of a track that a draft is laid on.

pub mod bars;
mod bass;
mod beats;
pub mod beatwise;
mod energy;
mod even;
mod follow;
mod level;
mod loudness;
pub mod marks;
pub mod net;
mod onsets;
pub mod pulse;
pub mod retarget;
mod sections;
mod spectrum;
pub mod texture;
mod version;

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

pub use loudness::{Loudness, Meter};
pub use texture::Texture;
pub use version::{Curve, Fade, Join, Span, Version, VersionError};

/// The sample rate, in hertz, that [`read_track`] expects.
pub const READING_RATE: u32 = 24_000;

/// Raised whenever the same samples would give another reading, so that old ones are made again: each says by which it
/// was made.
pub const READING_VERSION: i32 = 13;

/// Mono samples at [`READING_RATE`], full scale ±1, and how loud the track was before it became mono.
#[derive(Debug, Clone, Copy)]
pub struct Audio<'a> {
    pub samples: &'a [f32],
    /// Measured of the samples where nobody else has.
    pub loudness: Option<&'a Loudness>,
}

impl<'a> Audio<'a> {
    pub fn mono(samples: &'a [f32]) -> Self {
        Self { samples, loudness: None }
    }
}

impl Audio<'_> {
    pub fn duration(&self) -> f64 {
        self.samples.len() as f64 / f64::from(READING_RATE)
    }
}

/// What is told as the loudness of what is not to be heard, in LUFS.
const SILENT_LUFS: f64 = -70.0;

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
    /// The [`READING_VERSION`] that it was made by.
    #[serde(default)]
    pub version: i32,
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
    /// Momentary loudness in LUFS, of the 400 ms around each step: what the loudness of a part is made of.
    #[serde(default, skip_serializing_if = "Trace::is_empty")]
    pub momentary: Trace,
    /// Where something begins, to the millisecond: what marks set by hand snap to.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub onsets: Vec<f64>,
    /// The beats that snare or clap mark: where pictures change when the action is on the other beats.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub backbeats: Vec<f64>,
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
    /// How long a pause is silent, in seconds; nothing where that was not measured, and for all other kinds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub lasts: Option<f64>,
}

impl Cue {
    pub fn new(at: f64, kind: CueKind, strength: f64) -> Self {
        Self { at, kind, strength, lasts: None }
    }
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

/// What is heard in a track before anything is made of it.
struct Hearing {
    spectrum: spectrum::Spectrum,
    onsets: onsets::Onsets,
    pulse: pulse::Pulse,
    bass: bass::Bass,
}

impl Hearing {
    fn of(audio: Audio<'_>, done: &mut dyn FnMut(&'static str)) -> Self {
        let spectrum = spectrum::Spectrum::of(audio.samples);
        done("spectrum");
        let onsets = onsets::onsets(&spectrum);
        done("onsets");
        let pulse = pulse::Pulse::of(&spectrum);
        done("network");
        let bass = bass::Bass::of(audio.samples);
        done("bass");
        Self { spectrum, onsets, pulse, bass }
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
    let hearing = Hearing::of(audio, done);
    let Hearing { spectrum, onsets, .. } = &hearing;
    let measured;
    let loudness = match audio.loudness {
        Some(loudness) => loudness,
        None => {
            measured = Loudness::of(audio.samples, READING_RATE);
            &measured
        }
    };
    let energy = energy::trace(loudness, spectrum, onsets);
    done("energy");
    let fine = beats::FineOnsets::of(audio.samples);
    let (beats, backbeats) = tapped(&hearing, &fine, audio).map(|t| t.counted(&bars::WEIGHTS)).unwrap_or_default();
    done("beats and bars");
    let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
    let (sections, mut cues) = sections::read(&beats, spectrum, &energy, audio);
    let onset_times = beats::onset_times(&onsets.all, &fine);
    sections::add_hits(&mut cues, &onset_times, &beats);
    let texture = Texture::of(spectrum, audio.duration());
    done("sections, cues, texture");
    Ok(TrackReading {
        version: READING_VERSION,
        duration: audio.duration(),
        tempo_bpm: level::bpm(&times),
        confidence: (beats.iter().map(|b| b.strength).sum::<f64>() / beats.len().max(1) as f64 * 100.0).round() / 100.0,
        beats,
        sections,
        cues,
        energy,
        loudness: (loudness.programme.unwrap_or(SILENT_LUFS) * 10.0).round() / 10.0,
        momentary: loudness.momentary.clone(),
        onsets: onset_times,
        backbeats,
        texture,
    })
}

impl TrackReading {
    /// Where bars begin, in seconds.
    pub(crate) fn downbeats(&self) -> Vec<f64> {
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

/// The beats that a listener would tap, not yet counted into bars.
pub struct Tapped {
    beats: Vec<beats::FoundBeat>,
    heard: bars::Heard,
    ternary: bool,
    bpm: f64,
}

impl Tapped {
    /// In seconds.
    pub fn beats(&self) -> Vec<f64> {
        self.beats.iter().map(|b| b.at).collect()
    }

    /// In bars, and which of them are backbeats.
    pub fn counted(&self, weights: &bars::Weights) -> (Vec<Beat>, Vec<f64>) {
        let counted = bars::count(&self.heard, weights, self.ternary, self.bpm);
        let backbeats = bars::backbeats(&self.heard, &counted.places);
        let backbeats = self.beats.iter().zip(backbeats).filter(|(_, is)| *is).map(|(b, _)| b.at).collect();
        let mut bar = 0;
        let beats = self
            .beats
            .iter()
            .zip(&counted.places)
            .map(|(found, place)| {
                // A pick-up before the first downbeat is bar 0.
                bar += u32::from(place.place == 0);
                Beat { at: found.at, bar, beat: place.place as u32 + 1, strength: found.strength }
            })
            .collect();
        (beats, backbeats)
    }
}

fn tapped(hearing: &Hearing, fine: &beats::FineOnsets, audio: Audio<'_>) -> Option<Tapped> {
    let chosen = level::chosen(beats::levels(hearing), hearing)?;
    let beats = beats::place(chosen.beats, fine, audio.duration(), sections::sounds(audio.samples));
    let heard = bars::Heard::at(&beats, hearing);
    let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
    let bpm = level::bpm(&times);
    Some(Tapped { beats, heard, ternary: chosen.ternary, bpm })
}

/// The beats of a track before they are counted: for fitting how they are.
pub fn tapped_beats(audio: Audio<'_>) -> Option<Tapped> {
    tapped(&Hearing::of(audio, &mut |_| ()), &beats::FineOnsets::of(audio.samples), audio)
}

/// What the networks of [`beatwise`] are told of a track with each of these rows of beats: for training.
pub fn beatwise_inputs(audio: Audio<'_>, rows: &[Vec<f64>]) -> Vec<Vec<f32>> {
    let spectrum = spectrum::Spectrum::of(audio.samples);
    let (onsets, bass) = (onsets::onsets(&spectrum), bass::Bass::of(audio.samples));
    rows.iter().map(|beats| beatwise::inputs(beats, &spectrum, &onsets, &bass)).collect()
}

/// What the network of [`pulse`] is told of a track: for training.
pub fn pulse_inputs(audio: Audio<'_>) -> Vec<f32> {
    pulse::inputs(&spectrum::Spectrum::of(audio.samples))
}

/// What each row of beats that was considered looks like to the model that chooses, and its beats: for training.
pub fn considered(audio: Audio<'_>) -> Vec<(Vec<f64>, Vec<f64>)> {
    let hearing = Hearing::of(audio, &mut |_| ());
    let levels = beats::levels(&hearing).into_iter().map(|level| level.counted(&hearing));
    levels.map(|l| (l.features.to_vec(), l.beats.iter().map(|b| b.at).collect())).collect()
}

#[cfg(test)]
mod tests;
