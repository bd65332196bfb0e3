//! What is known of a clip's pictures: how much moves, how the camera moves, what is unusable, where something happens.
//! `legere-analysis` makes it.

use crate::select::Movement;
use serde::{Deserialize, Serialize};

/// Seconds a sample stands for.
pub const STEP: f64 = 0.1;

/// What was measured in a clip. Times are seconds from the first video frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ClipReading {
    /// In seconds.
    pub duration: f64,
    /// What was measured along time.
    pub samples: Samples,
    /// Hard cuts within the file.
    pub shot_changes: Vec<f64>,
    /// Ranges worth using, the best first.
    pub moments: Vec<Moment>,
}

/// Traces; sample *i* stands for `i * step` to `(i + 1) * step` seconds.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Samples {
    /// Seconds that a value stands for.
    pub step: f64,
    /// 0–1: how much moves, camera and subject together.
    pub motion: Vec<f32>,
    /// 0–1: unsteadiness of the camera.
    pub shake: Vec<f32>,
    /// 0–1: fine detail against coarse.
    pub sharpness: Vec<f32>,
    /// 0–1: mean luma.
    pub exposure: Vec<f32>,
    /// Frame widths a second; positive is the camera to the right.
    pub pan: Vec<f32>,
    /// Frame heights a second; positive is the camera up.
    pub tilt: Vec<f32>,
    /// Share of the picture a second; positive is in.
    pub zoom: Vec<f32>,
}

impl ClipReading {
    /// The energy, 0–100, of a range: mean motion, with half the weight on its liveliest third, because a
    /// burst is what an editor takes a shot for.
    pub fn energy(&self, start: f64, end: f64) -> f64 {
        let step = self.samples.step.max(1e-6);
        let from = ((start / step) as usize).min(self.samples.motion.len());
        let to = ((end / step).ceil() as usize).clamp(from, self.samples.motion.len());
        energy_of(&self.samples.motion[from..to])
    }

    /// The movement tag that the camera's path in a range suggests.
    pub fn movement(&self, start: f64, end: f64) -> Movement {
        let step = self.samples.step.max(1e-6);
        let mean = |values: &[f32]| {
            let from = ((start / step) as usize).min(values.len());
            let to = ((end / step).ceil() as usize).clamp(from, values.len());
            f64::from(values[from..to].iter().sum::<f32>()) / (to - from).max(1) as f64
        };
        let (pan, tilt, zoom) = (mean(&self.samples.pan), mean(&self.samples.tilt), mean(&self.samples.zoom));
        let strongest = pan.abs().max(tilt.abs()).max(zoom.abs());
        if strongest < 0.02 {
            Movement::Still
        } else if strongest == pan.abs() {
            if pan > 0.0 { Movement::Right } else { Movement::Left }
        } else if strongest == tilt.abs() {
            if tilt > 0.0 { Movement::Up } else { Movement::Down }
        } else if zoom > 0.0 {
            Movement::In
        } else {
            Movement::Out
        }
    }
}

/// The motion of a clip in a byte a sample: what is needed of a reading to know the energy of any range of it. A minute
/// takes 600 bytes, so those of a whole job stay in memory.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct EnergyTrace(Vec<u8>);

impl EnergyTrace {
    /// Of a reading.
    pub fn of(reading: &ClipReading) -> Self {
        Self(reading.samples.motion.iter().map(|m| (m.clamp(0.0, 1.0) * 255.0).round() as u8).collect())
    }

    /// From what [`EnergyTrace::bytes`] gave.
    pub fn from_bytes(bytes: Vec<u8>) -> Self {
        Self(bytes)
    }

    /// A byte a sample, 255 for 1.
    pub fn bytes(&self) -> &[u8] {
        &self.0
    }

    /// Whether there is nothing in it.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// As [`ClipReading::energy`], within a quarter of a point.
    pub fn energy(&self, start: f64, end: f64) -> f64 {
        let from = ((start / STEP) as usize).min(self.0.len());
        let to = ((end / STEP).ceil() as usize).clamp(from, self.0.len());
        let motion: Vec<f32> = self.0[from..to].iter().map(|m| f32::from(*m) / 255.0).collect();
        energy_of(&motion)
    }
}

/// A suggested range; times in seconds from the first frame, `end` exclusive.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Moment {
    /// In seconds.
    pub start: f64,
    /// In seconds, exclusive.
    pub end: f64,
    /// Where it happens.
    pub hit: f64,
    /// 0–100
    pub energy: f64,
    /// In words.
    pub why: String,
}

/// The energy of some samples of motion, 0–1 each: mean motion with half the weight on its liveliest third, 0–100.
pub fn energy_of(motion: &[f32]) -> f64 {
    if motion.is_empty() {
        return 0.0;
    }
    let mut sorted: Vec<f32> = motion.to_vec();
    sorted.sort_by(|a, b| b.total_cmp(a));
    let third = sorted.len().div_ceil(3);
    let mean = |v: &[f32]| f64::from(v.iter().sum::<f32>()) / v.len() as f64;
    let energy = 50.0 * mean(&sorted) + 50.0 * mean(&sorted[..third]);
    (energy * 10.0).round() / 10.0
}
