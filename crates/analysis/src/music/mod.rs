//! Reading music: where it beats, how it is built, how much energy it has.
//!
//! [`read_track`] is a pure function from samples to a [`TrackReading`]. Its stages are [`spectrum`] (short-time
//! spectra folded into logarithmic bands), [`onsets`] (band-wise rises), [`activations`] (beats and downbeats by two networks), [`beats`] (tempos, and the sequences of beats that [`lattice`] and [`constant_tempo`] find for them, among
//! which [`selection`] chooses), [`bars`] (metre and downbeats), [`energy`] (loudness, density, bass) and [`form`] (sections
//! and cues).

mod activations;
mod bars;
mod bass;
mod beat_sync;
mod beats;
mod constant_tempo;
mod energy;
mod form;
mod lattice;
mod loudness;
mod network;
mod onsets;
mod selection;
mod sequence;
mod spectrum;
mod texture;
mod time_range;
#[cfg(any(test, feature = "research"))]
pub mod training;

use legere_core::track::{Beat, TrackReading};

pub use loudness::{Loudness, Meter};

/// The sample rate, in hertz, that [`read_track`] expects.
pub const READING_RATE: u32 = 24_000;

/// Raised whenever the same samples would give another reading, so that old ones are made again: each says by which it
/// was made.
pub const READING_VERSION: i32 = 13;

/// Mono samples at [`READING_RATE`], full scale ±1, and how loud the track was before it became mono.
#[derive(Debug, Clone, Copy)]
pub struct Audio<'a> {
    /// Full scale is ±1.
    pub samples: &'a [f32],
    /// Measured of the samples where nobody else has.
    pub loudness: Option<&'a Loudness>,
}

impl<'a> Audio<'a> {
    /// Of one channel, whose loudness is still to be measured.
    pub fn mono(samples: &'a [f32]) -> Self {
        Self { samples, loudness: None }
    }
}

impl Audio<'_> {
    /// In seconds.
    pub fn duration(&self) -> f64 {
        self.samples.len() as f64 / f64::from(READING_RATE)
    }
}

/// The loudness of silence, in LUFS.
const SILENT_LUFS: f64 = -70.0;

/// Why there is no reading.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ReadTrackError {
    /// The track is shorter than two seconds, too short to find beats in.
    #[error("the track is shorter than two seconds, too short to find beats in")]
    TooShort,
    /// The track is silent.
    #[error("the track is silent")]
    Silent,
}

/// What the later stages work on.
struct TrackFeatures {
    spectrum: spectrum::Spectrum,
    onsets: onsets::Onsets,
    activations: activations::Activations,
    bass: bass::Bass,
}

impl TrackFeatures {
    fn of(audio: Audio<'_>, done: &mut dyn FnMut(&'static str)) -> Self {
        let spectrum = spectrum::Spectrum::of(audio.samples);
        done("spectrum");
        let onsets = onsets::onsets(&spectrum);
        done("onsets");
        let activations = activations::Activations::of(&spectrum);
        done("network");
        let bass = bass::Bass::of(audio.samples);
        done("bass");
        Self { spectrum, onsets, activations, bass }
    }
}

/// Reads a track.
pub fn read_track(audio: Audio<'_>) -> Result<TrackReading, ReadTrackError> {
    read_by_stages(audio, &mut |_| ())
}

/// `done` hears the name of each stage when it is done.
fn read_by_stages(audio: Audio<'_>, done: &mut dyn FnMut(&'static str)) -> Result<TrackReading, ReadTrackError> {
    if audio.duration() < 2.0 {
        return Err(ReadTrackError::TooShort);
    }
    if audio.samples.iter().all(|s| s.abs() < 1e-4) {
        return Err(ReadTrackError::Silent);
    }
    let features = TrackFeatures::of(audio, done);
    let TrackFeatures { spectrum, onsets, .. } = &features;
    let measured;
    let loudness = if let Some(loudness) = audio.loudness {
        loudness
    } else {
        measured = Loudness::of(audio.samples, READING_RATE);
        &measured
    };
    let energy = energy::trace(loudness, spectrum, onsets);
    done("energy");
    let fine = beats::FineOnsets::of(audio.samples);
    let (beats, backbeats) =
        beat_sequence(&features, &fine, audio).map(|t| t.in_bars(&bars::WEIGHTS)).unwrap_or_default();
    done("beats and bars");
    let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
    let (sections, mut cues) = form::sections_and_cues(&beats, spectrum, &energy, audio);
    let onset_times = beats::onset_times(&onsets.all, &fine);
    form::add_hits(&mut cues, &onset_times, &beats);
    let texture = texture::of(spectrum, audio.duration());
    done("sections, cues, texture");
    Ok(TrackReading {
        version: READING_VERSION,
        duration: audio.duration(),
        tempo_bpm: selection::bpm(&times),
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

/// The chosen beats, not yet decoded into bars.
pub struct BeatSequence {
    beats: Vec<sequence::CandidateBeat>,
    observations: bars::BeatObservations,
    ternary: bool,
    bpm: f64,
}

impl BeatSequence {
    /// In seconds.
    pub fn beats(&self) -> Vec<f64> {
        self.beats.iter().map(|b| b.at).collect()
    }

    /// In bars, and which of them are backbeats.
    pub fn in_bars(&self, weights: &bars::Weights) -> (Vec<Beat>, Vec<f64>) {
        let decoding = bars::decode_bars(&self.observations, weights, self.ternary, self.bpm);
        let backbeats = bars::backbeats(&self.observations, &decoding.positions);
        let backbeats = self.beats.iter().zip(backbeats).filter(|(_, is)| *is).map(|(b, _)| b.at).collect();
        let mut bar = 0;
        let beats = self
            .beats
            .iter()
            .zip(&decoding.positions)
            .map(|(found, position)| {
                // A pick-up before the first downbeat is bar 0.
                bar += u32::from(position.position == 0);
                Beat { at: found.at, bar, beat: position.position as u32 + 1, strength: found.strength }
            })
            .collect();
        (beats, backbeats)
    }
}

fn beat_sequence(features: &TrackFeatures, fine: &beats::FineOnsets, audio: Audio<'_>) -> Option<BeatSequence> {
    let chosen = selection::select_best(beats::candidates(features), features)?;
    let beats = beats::refine(chosen.beats, fine, audio.duration(), form::sounding_range(audio.samples));
    let observations = bars::BeatObservations::of(&beats, features);
    let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
    let bpm = selection::bpm(&times);
    Some(BeatSequence { beats, observations, ternary: chosen.ternary, bpm })
}

#[cfg(test)]
mod tests;
