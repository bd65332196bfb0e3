//! Reading footage: how much moves, how the camera moves, what is unusable, where something happens.
//!
//! Small frames go in one by one ([`ClipReader::push`]); what stays in memory is a few numbers a frame, and the pictures of
//! the last seconds. Points are followed through the frames ([`track`]); what they agree on is the camera ([`camera`]), what
//! remains is movement in the picture. [`shots`] finds where another shot begins, [`path`] separates what the hand wanted from what
//! it did not, [`moments`] turns all of it into ranges worth using.

mod camera;
mod events;
mod focus;
mod likeness;
mod moments;
mod path;
mod picture;
mod plane;
mod scene;
mod shots;
mod track;

use camera::{Camera, Step, Subject};
use focus::Focus;
use legere_core::footage::{ClipReading, STEP, Samples};
use path::FrameTraces;
use picture::{Picture, Tones};
use scene::SceneDescriptor;
use shots::{Change, Shots};
use std::sync::Arc;

pub use picture::frame_bytes;

/// The size of the frames that [`ClipReader`] expects on their longer side.
pub const LONGER_SIDE: u32 = 480;

/// Rises with every change of what is read; readings of other versions are made again.
pub const READING_VERSION: i32 = 3;

/// Seconds of the very same picture from which it is frozen, and no longer a frame that was shown twice.
const FROZEN: f64 = 0.35;

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
    step: Step,
    focus: Option<Focus>,
    tones: Tones,
    /// The very same as the one before.
    repeated: bool,
}

/// Reads a clip frame by frame.
pub struct ClipReader {
    width: usize,
    height: usize,
    rate: f64,
    camera: Camera,
    shots: Shots,
    last: Option<Arc<Picture>>,
    measures: Vec<FrameMeasure>,
    sights: Vec<SceneDescriptor>,
}

impl ClipReader {
    /// For frames of this size, `rate` of them a second.
    pub fn new(width: usize, height: usize, rate: f64) -> Self {
        let rate = rate.clamp(1.0, 1000.0);
        Self {
            width,
            height,
            rate,
            camera: Camera::new(rate),
            shots: Shots::new(rate),
            last: None,
            measures: Vec::new(),
            sights: Vec::new(),
        }
    }

    /// One frame, as many bytes as [`frame_bytes`] says: luma, then both colour differences, full range.
    pub fn push(&mut self, frame: &[u8]) -> Result<(), ReadClipError> {
        let wanted = frame_bytes(self.width, self.height);
        if frame.len() != wanted {
            return Err(ReadClipError::FrameSize { got: frame.len(), wanted });
        }
        let picture = Arc::new(Picture::of(frame, self.width, self.height));
        let mut measure = FrameMeasure { focus: picture.focus, tones: picture.tones, ..FrameMeasure::default() };
        if self.measures.len() as f64 / self.rate >= self.sights.len() as f64 * scene::EVERY {
            self.sights.push(SceneDescriptor::of(&picture));
        }
        let Some(last) = self.last.take() else {
            self.shots.push(picture.clone(), &Step::default());
            self.measures.push(measure);
            self.last = Some(picture);
            return Ok(());
        };
        if last.digest == picture.digest {
            // Shown twice: no time has passed for what is filmed.
            measure.repeated = true;
            self.shots.push(last.clone(), &Step::STANDS);
            self.measures.push(measure);
            self.last = Some(last);
            return Ok(());
        }
        measure.step = self.camera.step(&last, &picture);
        self.shots.push(picture.clone(), &measure.step);
        if self.shots.may_have_changed() {
            self.camera.forget();
        }
        self.spread_over_repeats(&mut measure.step);
        self.measures.push(measure);
        self.last = Some(picture);
        Ok(())
    }

    /// What lies between two different frames happened over all the time that the first was shown.
    fn spread_over_repeats(&mut self, step: &mut Step) {
        let repeats = self.measures.iter().rev().take_while(|m| m.repeated).count();
        if repeats == 0 || (repeats + 1) as f64 / self.rate > FROZEN {
            return;
        }
        let share = 1.0 / (repeats + 1) as f32;
        let Step { warp, subject, .. } = step;
        for v in [
            &mut warp.dx,
            &mut warp.dy,
            &mut warp.s,
            &mut warp.r,
            &mut subject.way,
            &mut subject.most,
            &mut subject.dx,
            &mut subject.dy,
            &mut subject.apart,
        ] {
            *v *= share;
        }
        let count = self.measures.len();
        for earlier in &mut self.measures[count - repeats..] {
            earlier.step = *step;
        }
    }

    /// Makes the reading of all frames that came.
    pub fn finish(mut self) -> Result<ClipReading, ReadClipError> {
        if self.measures.is_empty() {
            return Err(ReadClipError::NoPictures);
        }
        // The first frame has none before it: it moves as the second does.
        if self.measures.len() > 1 {
            self.measures[0].step = self.measures[1].step;
        }
        let rate = self.rate;
        let duration = self.measures.len() as f64 / rate;
        let changes = self.shots.finish();
        for change in &changes {
            // Between two shots nothing moved.
            if let Change::Cut { at } = change {
                let next = self.measures.get(at + 1).map(|m| m.step).unwrap_or_default();
                self.measures[*at].step = next;
            }
        }
        let shot_changes: Vec<f64> = changes.iter().map(|c| c.at() as f64 / rate).collect();
        let aspect = self.width as f32 / self.height.max(1) as f32;
        let frames = FrameTraces::of(&self.measures, &changes, rate, aspect);
        let samples = frames.samples(rate);
        let moments = moments::find(&frames, &samples, &changes, rate, duration);
        let mut reading = ClipReading {
            duration,
            version: READING_VERSION,
            waits: events::waits(&samples),
            frozen: events::frozen(&self.measures, rate, FROZEN),
            one_way: events::one_way(&self.measures, &moments, rate),
            events: events::events(&samples, &self.sights, &shot_changes, duration),
            light: scene::light(&self.sights),
            framing: scene::framing(frames.usual_area()),
            signatures: Vec::new(),
            samples,
            shot_changes,
            moments,
        };
        reading.signatures = scene::signatures(&self.sights, reading.usable());
        Ok(reading)
    }
}

/// Bends 0–∞ into 0–1.
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

#[cfg(test)]
mod tests;
