//! What fitting the models needs to see of the reading: of no use to anything else, so it is there for research alone.

use super::{Audio, ReadTrackError, TrackFeatures};
use super::{bass, beats, onsets, spectrum};
use legere_core::track::TrackReading;

pub use super::BeatSequence;
pub use super::bars::{WEIGHTS, Weights};
pub use super::network::{Network, Shape, packed, unpacked};

/// The networks of beat and downbeat activations.
pub mod activations {
    pub use super::super::activations::*;
}

/// The networks over beats.
pub mod beat_sync {
    pub use super::super::beat_sync::*;
}

/// Reads a track, and reports the name of each stage when it is done: for measurements.
pub fn read_track_by_stages(
    audio: Audio<'_>,
    done: &mut dyn FnMut(&'static str),
) -> Result<TrackReading, ReadTrackError> {
    super::read_by_stages(audio, done)
}

/// The chosen beats of a track before they are decoded into bars.
pub fn beat_sequence(audio: Audio<'_>) -> Option<BeatSequence> {
    super::beat_sequence(&TrackFeatures::of(audio, &mut |_| ()), &beats::FineOnsets::of(audio.samples), audio)
}

/// The inputs of the networks over beats, for each of these sequences.
pub fn beat_sync_inputs(audio: Audio<'_>, sequences: &[Vec<f64>]) -> Vec<Vec<f32>> {
    let spectrum = spectrum::Spectrum::of(audio.samples);
    let (onsets, bass) = (onsets::onsets(&spectrum), bass::Bass::of(audio.samples));
    sequences.iter().map(|beats| super::beat_sync::inputs(beats, &spectrum, &onsets, &bass)).collect()
}

/// The inputs of the activation networks.
pub fn activation_inputs(audio: Audio<'_>) -> Vec<f32> {
    super::activations::inputs(&spectrum::Spectrum::of(audio.samples))
}

/// The features of each hypothesis, and its beats in seconds.
pub fn candidate_features(audio: Audio<'_>) -> Vec<(Vec<f64>, Vec<f64>)> {
    let features = TrackFeatures::of(audio, &mut |_| ());
    let hypotheses = beats::candidates(&features).into_iter().map(|hypothesis| hypothesis.with_bars(&features));
    hypotheses.map(|h| (h.features.to_array().to_vec(), h.beats.iter().map(|b| b.at).collect())).collect()
}
