//! What fitting the models needs to see of the reading: of no use to anything else, so it is there for research alone.

use super::{Audio, ReadTrackError, TrackFeatures};
use super::{bass, beats, onsets, spectrum};
use legere_core::track::TrackReading;

pub use super::BeatSequence;
pub use super::bars::{HEARD, WEIGHTS, Weights};
pub use super::network::{Network, Shape, packed, unpacked};

/// The networks that hear beats and downbeats.
pub mod activations {
    pub use super::super::activations::*;
}

/// The networks that hear from beat to beat.
pub mod beat_sync {
    pub use super::super::beat_sync::*;
}

/// Reads a track, and tells the name of each stage when it is done: for measurements.
pub fn read_track_by_stages(
    audio: Audio<'_>,
    done: &mut dyn FnMut(&'static str),
) -> Result<TrackReading, ReadTrackError> {
    super::read_by_stages(audio, done)
}

/// The beats of a track before they are counted: for fitting how they are.
pub fn beat_sequence(audio: Audio<'_>) -> Option<BeatSequence> {
    super::beat_sequence(&TrackFeatures::of(audio, &mut |_| ()), &beats::FineOnsets::of(audio.samples), audio)
}

/// What the networks of [`beat_sync`] are told of a track with each of these rows of beats: for training.
pub fn beat_sync_inputs(audio: Audio<'_>, rows: &[Vec<f64>]) -> Vec<Vec<f32>> {
    let spectrum = spectrum::Spectrum::of(audio.samples);
    let (onsets, bass) = (onsets::onsets(&spectrum), bass::Bass::of(audio.samples));
    rows.iter().map(|beats| super::beat_sync::inputs(beats, &spectrum, &onsets, &bass)).collect()
}

/// What the network of [`activations`] is told of a track: for training.
pub fn activation_inputs(audio: Audio<'_>) -> Vec<f32> {
    super::activations::inputs(&spectrum::Spectrum::of(audio.samples))
}

/// What each row of beats that was candidate_features looks like to the model that chooses, and its beats: for training.
pub fn candidate_features(audio: Audio<'_>) -> Vec<(Vec<f64>, Vec<f64>)> {
    let features = TrackFeatures::of(audio, &mut |_| ());
    let levels = beats::candidates(&features).into_iter().map(|hypothesis| hypothesis.with_bars(&features));
    levels.map(|l| (l.features.to_array().to_vec(), l.beats.iter().map(|b| b.at).collect())).collect()
}
