//! Reading footage: how much moves, how the camera moves, what is unusable, where something happens.
//!
//! Small grey frames go in one by one ([`ClipReader::push`]); what stays in memory is a few numbers a frame. The
//! camera's movement is found by registering each frame on the one before ([`camera`]); what remains different
//! after that is movement in the picture. [`moments`] turns the traces into ranges worth using.

mod camera;
mod moments;
mod picture;

use camera::{Camera, Movement};
use legere_core::footage::{ClipReading, STEP, Samples};
use picture::Picture;

/// The size of the frames that [`ClipReader`] expects on their longer side.
pub const LONGER_SIDE: u32 = 192;

/// Movement in the picture, in frame widths a second, above which the camera's own cannot be told any more.
const BURSTING: f32 = 0.35;

/// Why there is no reading of a clip.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ReadClipError {
    /// There is not one whole picture in the clip.
    #[error("there is not one whole picture in the clip")]
    NoPictures,
    /// A frame of … bytes came where … were expected.
    #[error("a frame of {got} bytes came where {wanted} were expected")]
    FrameSize {
        /// Bytes that came.
        got: usize,
        /// Bytes that were expected.
        wanted: usize,
    },
}

/// One frame's measurements.
#[derive(Debug, Clone, Copy, Default)]
struct FrameMeasure {
    movement: Movement,
    sharpness: f32,
    exposure: f32,
    cut: bool,
}

/// Reads a clip frame by frame.
pub struct ClipReader {
    width: usize,
    height: usize,
    rate: f64,
    camera: Camera,
    last: Option<Picture>,
    measures: Vec<FrameMeasure>,
}

impl ClipReader {
    /// For grey frames of this size, `rate` of them a second.
    pub fn new(width: usize, height: usize, rate: f64) -> Self {
        Self {
            width,
            height,
            rate: rate.clamp(1.0, 1000.0),
            camera: Camera::default(),
            last: None,
            measures: Vec::new(),
        }
    }

    /// One frame: `width * height` bytes of luma.
    pub fn push(&mut self, grey: &[u8]) -> Result<(), ReadClipError> {
        let wanted = self.width * self.height;
        if grey.len() != wanted {
            return Err(ReadClipError::FrameSize { got: grey.len(), wanted });
        }
        let picture = Picture::of(grey, self.width, self.height);
        let mut measure =
            FrameMeasure { sharpness: picture.sharpness(), exposure: picture.exposure(), ..FrameMeasure::default() };
        if let Some(last) = &self.last {
            measure.cut = picture.is_another_shot(last);
            if !measure.cut {
                measure.movement = self.camera.movement(last, &picture);
            }
        }
        self.measures.push(measure);
        self.last = Some(picture);
        Ok(())
    }

    /// Makes the reading of all frames that came.
    pub fn finish(mut self) -> Result<ClipReading, ReadClipError> {
        if self.measures.is_empty() {
            return Err(ReadClipError::NoPictures);
        }
        // The first frame has none before it: it moves as the second does.
        if self.measures.len() > 1 {
            self.measures[0].movement = self.measures[1].movement;
        }
        let duration = self.measures.len() as f64 / self.rate;
        let shot_changes = self
            .measures
            .iter()
            .enumerate()
            .filter(|(_, m)| m.cut)
            .map(|(i, _)| i as f64 / self.rate)
            .collect::<Vec<_>>();
        let frames = FrameTraces::of(&self.measures, self.rate);
        let samples = frames.samples(self.rate);
        let moments = moments::find(&frames, &samples, &shot_changes, self.rate, duration);
        Ok(ClipReading { duration, samples, shot_changes, moments })
    }
}

/// Traces with a value per frame, in the units of [`Samples`].
struct FrameTraces {
    motion: Vec<f32>,
    shake: Vec<f32>,
    sharpness: Vec<f32>,
    exposure: Vec<f32>,
    pan: Vec<f32>,
    tilt: Vec<f32>,
    zoom: Vec<f32>,
    /// What moves in the picture itself, before it is brought into 0–1.
    subject: Vec<f32>,
}

impl FrameTraces {
    fn of(measures: &[FrameMeasure], rate: f64) -> Self {
        let rate = rate as f32;
        let pan: Vec<f32> = measures.iter().map(|m| m.movement.pan * rate).collect();
        let tilt: Vec<f32> = measures.iter().map(|m| m.movement.tilt * rate).collect();
        let zoom: Vec<f32> = measures.iter().map(|m| m.movement.zoom * rate).collect();
        let subject: Vec<f32> = measures.iter().map(|m| m.movement.subject * rate).collect();
        let steady = ((0.6 * rate) as usize).max(2);
        let unsteady = |path: &[f32]| {
            let slow = moving_mean(path, steady);
            path.iter().zip(slow).map(|(v, s)| (v - s) * (v - s)).collect::<Vec<f32>>()
        };
        let (across, along) = (unsteady(&pan), unsteady(&tilt));
        // Where things burst all over the picture, what looks like the camera's trembling is theirs.
        let trusted = |subject: f32| 1.0 / (1.0 + (subject / BURSTING).powi(4));
        let power: Vec<f32> =
            across.iter().zip(&along).zip(&subject).map(|((a, b), s)| (a + b) * trusted(*s)).collect();
        let shake =
            moving_mean(&power, ((0.3 * rate) as usize).max(2)).iter().map(|v| saturate(v.sqrt(), 0.14)).collect();
        let motion = (0..measures.len())
            .map(|i| {
                let camera = (pan[i] * pan[i] + tilt[i] * tilt[i] + 0.25 * zoom[i] * zoom[i]).sqrt();
                saturate(0.6 * camera + 1.15 * subject[i], 0.45)
            })
            .collect::<Vec<f32>>();
        Self {
            motion: moving_mean(&motion, ((0.12 * rate) as usize).max(1)),
            shake,
            sharpness: measures.iter().map(|m| m.sharpness).collect(),
            exposure: measures.iter().map(|m| m.exposure).collect(),
            pan: moving_mean(&pan, steady),
            tilt: moving_mean(&tilt, steady),
            zoom: moving_mean(&zoom, steady),
            subject,
        }
    }

    fn samples(&self, rate: f64) -> Samples {
        Samples {
            step: STEP,
            motion: pooled(&self.motion, rate),
            shake: pooled(&self.shake, rate),
            sharpness: pooled(&self.sharpness, rate),
            exposure: pooled(&self.exposure, rate),
            pan: pooled(&self.pan, rate),
            tilt: pooled(&self.tilt, rate),
            zoom: pooled(&self.zoom, rate),
        }
    }
}

/// Bends 0–∞ into 0–1; `half` · ln 2 gives one half.
fn saturate(value: f32, scale: f32) -> f32 {
    1.0 - (-value / scale).exp()
}

fn moving_mean(values: &[f32], reach: usize) -> Vec<f32> {
    let half = reach / 2;
    let mut sums = Vec::with_capacity(values.len() + 1);
    let mut sum = 0.0f64;
    sums.push(0.0);
    for v in values {
        sum += f64::from(*v);
        sums.push(sum);
    }
    (0..values.len())
        .map(|i| {
            let (from, to) = (i.saturating_sub(half), (i + half + 1).min(values.len()));
            ((sums[to] - sums[from]) / (to - from) as f64) as f32
        })
        .collect()
}

/// Means over [`STEP`], rounded to what can be told apart.
fn pooled(values: &[f32], rate: f64) -> Vec<f32> {
    let count = ((values.len() as f64 / rate) / STEP).ceil().max(1.0) as usize;
    (0..count)
        .map(|i| {
            let from = ((i as f64 * STEP * rate) as usize).min(values.len() - 1);
            let to = (((i + 1) as f64 * STEP * rate) as usize).clamp(from + 1, values.len());
            let mean = values[from..to].iter().sum::<f32>() / (to - from) as f32;
            (mean * 1000.0).round() / 1000.0
        })
        .collect()
}

#[cfg(test)]
mod tests;
