//! What is known of a clip's pictures: how much moves, how the camera moves, what is unusable, where something happens.
//! `legere-analysis` makes it.

use crate::select::{self, Framing, Light, Movement, USUAL_HIT};
use crate::time::Seconds;
use serde::{Deserialize, Serialize};
use std::ops::Range;

mod sharpness;
mod similar;
mod summary;

use sharpness::is_soft;
pub use sharpness::{is_soft_in_job, usual_in_job, usual_sharpness};
pub use similar::{COLOURS, FrameSignature, TONES, similar_takes};
pub use summary::ReadingSummary;

/// Seconds a sample stands for.
pub const STEP: f64 = 0.1;
/// Shake above this cannot be used where it is part of a stretch that rises above [`SHAKEN`].
const UNSTEADY: f32 = 0.5;
/// A large thing that moves in front of a still camera comes near it for a moment, a hand goes beyond it.
const SHAKEN: f32 = 0.75;
/// Samples in a row from which unsteadiness counts: one swing to and fro at the least.
const SWING: usize = 4;
/// Mean luma of a picture in which something can be seen.
const EXPOSED: std::ops::RangeInclusive<f32> = 0.04..=0.97;

/// Frame widths a second below which a camera stands still.
const STILL: f64 = 0.006;
/// And so much more where it shakes as much as it can.
const STILL_SHAKEN: f64 = 0.03;
/// Share of the picture that is black when too little can be seen.
const CRUSHED: f32 = 0.9;
/// Share of the picture that is white when too little can be seen.
const CLIPPED: f32 = 0.55;

/// Samples in a row from which a fault counts: two tenths of a second are seen.
const WORTH_TELLING: usize = 2;

/// Why a stretch of a clip cannot be used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum FaultKind {
    /// The camera shakes.
    Shake,
    /// It is out of focus.
    Soft,
    /// Nothing can be seen.
    Dark,
    /// Nothing but white.
    Blown,
}

impl FaultKind {
    /// In the order in which they matter.
    pub const ALL: [Self; 4] = [Self::Shake, Self::Soft, Self::Dark, Self::Blown];

    /// As a check says it.
    pub fn words(self) -> &'static str {
        match self {
            Self::Shake => "shakes",
            Self::Soft => "is out of focus",
            Self::Dark => "is too dark",
            Self::Blown => "is blown out",
        }
    }
}

/// A stretch of a clip that cannot be used; seconds from the first frame, `end` exclusive.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Fault {
    /// Where it begins.
    pub start: f64,
    /// Where it ends.
    pub end: f64,
    /// Why.
    pub kind: FaultKind,
}

/// A fault shorter than this, in seconds, is not seen.
const SEEN: f64 = 0.2;

/// For how many seconds of a range a fault of a kind is seen; none where it is not.
pub fn seen_within(faults: &[Fault], kind: FaultKind, start: f64, end: f64) -> Option<f64> {
    let of_kind = faults.iter().filter(|f| f.kind == kind);
    let seconds: f64 = of_kind.map(|f| (f.end.min(end) - f.start.max(start)).max(0.0)).sum();
    (seconds >= SEEN).then_some(seconds)
}

/// What was measured in a clip. Times are seconds from the first video frame.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct ClipReading {
    /// In seconds.
    pub duration: f64,
    /// What was measured along time.
    pub samples: Samples,
    /// Hard cuts within the file.
    pub shot_changes: Vec<f64>,
    /// Ranges worth using, the best first.
    pub moments: Vec<Moment>,
    /// Which way of reading made it; none before there were several.
    #[serde(default)]
    pub version: i32,
    /// Where nothing happens for so long that nobody wants to wait.
    #[serde(default)]
    pub waits: Vec<Stretch>,
    /// Where the very same picture stands.
    #[serde(default)]
    pub frozen: Vec<Stretch>,
    /// Where something goes one way only in time: backwards it would show.
    #[serde(default)]
    pub one_way: Vec<OneWay>,
    /// What happens one after the other in a long take; empty where it is one thing.
    #[serde(default)]
    pub events: Vec<Event>,
    /// What it shows, to be compared with other clips.
    #[serde(default, alias = "looks")]
    pub signatures: Vec<FrameSignature>,
    /// A suggestion, where the picture shows it.
    #[serde(default)]
    pub light: Option<Light>,
    /// A suggestion, where the picture shows it.
    #[serde(default)]
    pub framing: Option<Framing>,
}

/// A stretch of a clip; seconds from the first frame, `end` exclusive.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Stretch {
    /// Where it begins.
    pub start: f64,
    /// Where it ends.
    pub end: f64,
}

impl Stretch {
    /// In seconds.
    pub fn length(&self) -> f64 {
        self.end - self.start
    }
}

/// What goes one way only.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum OneWayKind {
    /// Comes down ever faster.
    Falls,
    /// Flies apart.
    Bursts,
    /// Goes across the picture.
    Walks,
}

impl OneWayKind {
    /// As a check says it.
    pub fn words(self) -> &'static str {
        match self {
            Self::Falls => "falls",
            Self::Bursts => "bursts",
            Self::Walks => "walks",
        }
    }
}

/// Where something goes one way only.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct OneWay {
    /// In seconds.
    pub start: f64,
    /// In seconds, exclusive.
    pub end: f64,
    /// Which way.
    pub kind: OneWayKind,
}

/// A part of a long take in which one thing happens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Event {
    /// In seconds.
    pub start: f64,
    /// In seconds, exclusive.
    pub end: f64,
    /// 0–100
    pub energy: f64,
    /// In words.
    pub what: String,
}

/// Traces; sample *i* stands for `i * step` to `(i + 1) * step` seconds.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
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
    /// 0–1: share of the picture that is black.
    #[serde(default)]
    pub crushed: Vec<f32>,
    /// 0–1: share of the picture that is white.
    #[serde(default)]
    pub clipped: Vec<f32>,
    /// −1 to 1: red against blue; positive is warm.
    #[serde(default)]
    pub warmth: Vec<f32>,
    /// Where what moves is, in frame widths from the middle, to the right.
    #[serde(default)]
    pub subject_x: Vec<f32>,
    /// The same in frame heights, downwards.
    #[serde(default)]
    pub subject_y: Vec<f32>,
}

impl Samples {
    /// The samples that a range of seconds touches.
    pub fn touched(&self, start: f64, end: f64) -> Range<usize> {
        touched(self.step, self.motion.len(), start, end)
    }

    /// The energy, 0–100, of a range: mean motion, with half the weight on its liveliest third, because a
    /// burst is what an editor takes a shot for.
    pub fn energy(&self, start: f64, end: f64) -> f64 {
        energy_of(&self.motion[self.touched(start, end)])
    }

    /// What cannot be used of it by itself, and why, in the order of time.
    pub fn faults(&self) -> Vec<Fault> {
        let step = self.step.max(1e-6);
        let usual = usual_sharpness(&self.sharpness);
        let at = |values: &[f32], i: usize| values.get(i).copied();
        let wrong = |kind: FaultKind, i: usize| match kind {
            FaultKind::Shake => at(&self.shake, i).is_some_and(|v| v > UNSTEADY),
            FaultKind::Soft => at(&self.sharpness, i).is_some_and(|v| is_soft(v, usual)),
            FaultKind::Dark => {
                at(&self.exposure, i).is_some_and(|v| v < *EXPOSED.start())
                    || at(&self.crushed, i).is_some_and(|v| v > CRUSHED)
            }
            FaultKind::Blown => {
                at(&self.exposure, i).is_some_and(|v| v > *EXPOSED.end())
                    || at(&self.clipped, i).is_some_and(|v| v > CLIPPED)
            }
        };
        let mut faults = Vec::new();
        for kind in FaultKind::ALL {
            let which: Vec<usize> = (0..self.motion.len()).filter(|i| wrong(kind, *i)).collect();
            let reported = |run: &&[usize]| match kind {
                FaultKind::Shake => run.len() >= SWING && run.iter().any(|i| self.shake[*i] > SHAKEN),
                _ => run.len() >= WORTH_TELLING,
            };
            let runs = which.chunk_by(|a, b| a + 1 == *b).filter(reported);
            faults.extend(runs.map(|run| Fault {
                start: run[0] as f64 * step,
                end: (run[run.len() - 1] + 1) as f64 * step,
                kind,
            }));
        }
        faults.sort_by(|a, b| a.start.total_cmp(&b.start));
        faults
    }
}

/// Which of so many samples a range of seconds touches.
fn touched(step: f64, count: usize, start: f64, end: f64) -> Range<usize> {
    let step = step.max(1e-6);
    let from = ((start / step) as usize).min(count);
    from..((end / step).ceil() as usize).clamp(from, count)
}

/// The stretches of a clip that lie between walls, in their order; walls in seconds, in any order, from begin to end.
pub fn between(mut walls: Vec<(f64, f64)>, duration: f64) -> Vec<Stretch> {
    walls.sort_by(|a, b| a.0.total_cmp(&b.0));
    walls.push((duration, duration));
    let mut from = 0.0f64;
    let mut found = Vec::new();
    for (start, end) in walls {
        if start > from {
            found.push(Stretch { start: from, end: start });
        }
        from = from.max(end);
    }
    found
}

impl ClipReading {
    /// As [`Samples::energy`].
    pub fn energy(&self, start: f64, end: f64) -> f64 {
        self.samples.energy(start, end)
    }

    /// As [`Samples::faults`].
    pub fn faults(&self) -> Vec<Fault> {
        self.samples.faults()
    }

    /// The stretch that is fit for use: the longest one between changes of shot in which it neither shakes nor is out of focus,
    /// black or blown out, as `(start, end)` in seconds. The whole where there is none of a second.
    pub fn usable(&self) -> (f64, f64) {
        let mut walls: Vec<(f64, f64)> = self.faults().iter().map(|f| (f.start, f.end)).collect();
        walls.extend(self.shot_changes.iter().map(|c| (*c, *c)));
        let longest = between(walls, self.duration).into_iter().rev().max_by(|a, b| a.length().total_cmp(&b.length()));
        longest.filter(|s| s.length() >= 1.0).map_or((0.0, self.duration), |s| (s.start, s.end))
    }

    /// What an unmarked clip offers: its usable stretch, with the hit of the best moment in it, or else where hits usually
    /// are. `None` where the clip has no length.
    pub fn first_range(&self) -> Option<select::Range> {
        let (start, end) = self.usable();
        let inside = self.moments.iter().find(|m| m.hit >= start && m.hit < end);
        let (num, den) = USUAL_HIT;
        let hit = inside.map_or(start + (end - start) * num as f64 / den as f64, |m| m.hit);
        let range = |hit: f64| {
            select::Range::new(Seconds::from_measured(start), Seconds::from_measured(end), Seconds::from_measured(hit))
        };
        range(hit).or_else(|_| range(start)).ok()
    }

    /// The movement tag that the camera's path in a range suggests.
    pub fn movement(&self, start: f64, end: f64) -> Movement {
        let mean = |values: &[f32]| {
            let part = &values[touched(self.samples.step, values.len(), start, end)];
            f64::from(part.iter().sum::<f32>()) / part.len().max(1) as f64
        };
        let (pan, tilt, zoom) = (mean(&self.samples.pan), mean(&self.samples.tilt), mean(&self.samples.zoom));
        // How far each moves the picture, in frame widths: heights are shorter, and a scale moves the rim alone.
        // A hand that trembles never comes back to the very same place, but it stays as near.
        let shaken = STILL_SHAKEN * mean(&self.samples.shake);
        let (across, along, inward) = (pan.abs() - shaken, 0.75 * tilt.abs() - shaken, 0.3 * zoom.abs());
        let strongest = across.max(along).max(inward);
        if strongest < STILL {
            Movement::Still
        } else if strongest == across {
            if pan > 0.0 { Movement::Right } else { Movement::Left }
        } else if strongest == along {
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
        let motion: Vec<f32> =
            self.0[touched(STEP, self.0.len(), start, end)].iter().map(|m| f32::from(*m) / 255.0).collect();
        energy_of(&motion)
    }
}

/// A suggested range; times in seconds from the first frame, `end` exclusive.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
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

#[cfg(test)]
mod tests {
    use super::*;

    fn reading(shake: &[f32], exposure: &[f32], cuts: &[f64]) -> ClipReading {
        let count = shake.len();
        ClipReading {
            duration: count as f64 * STEP,
            samples: Samples {
                step: STEP,
                motion: vec![0.3; count],
                shake: shake.to_vec(),
                sharpness: vec![0.8; count],
                exposure: exposure.to_vec(),
                ..Samples::default()
            },
            shot_changes: cuts.to_vec(),
            ..ClipReading::default()
        }
    }

    #[test]
    fn half_of_the_energy_is_the_mean_and_half_the_liveliest_third() {
        assert_eq!(energy_of(&[]), 0.0);
        assert_eq!(energy_of(&[0.6, 0.0, 0.3]), 45.0, "half of the mean, half of the first of three");
        assert_eq!(energy_of(&[0.0, 0.8, 0.2, 0.4]), 47.5, "a third of four are two");
        let mut of = reading(&[0.1; 20], &[0.5; 20], &[]);
        of.samples.motion = (0..20).map(|i| i as f32 / 20.0).collect();
        assert_eq!(of.energy(0.0, 0.3), energy_of(&[0.0, 0.05, 0.1]));
        assert_eq!(of.energy(1.5, 9.0), energy_of(&[0.75, 0.8, 0.85, 0.9, 0.95]), "as far as there are samples");
        let trace = EnergyTrace::of(&of);
        assert_eq!(trace.bytes()[..5], [0, 13, 26, 38, 51], "255 is 1, and a half is rounded up");
        for (start, end) in [(0.0, 2.0), (0.35, 0.75), (1.2, 1.3)] {
            assert!((trace.energy(start, end) - of.energy(start, end)).abs() <= 0.25, "{start} to {end}");
        }
    }

    #[test]
    fn an_unmarked_clip_offers_its_best_moment_or_the_usual_hit() {
        let mut of = reading(&[0.1; 50], &[0.5; 50], &[1.0]);
        let hit = |of: &ClipReading| {
            let range = of.first_range().expect("a range");
            (range.start().to_f64(), range.end().to_f64(), range.hit().to_f64())
        };
        assert_eq!(hit(&of), (1.0, 5.0, 2.6), "two fifths into what is offered");
        let moment = |hit: f64| Moment { start: hit, end: hit + 0.5, hit, energy: 50.0, why: String::new() };
        of.moments = vec![moment(0.4), moment(5.0), moment(3.2), moment(2.0)];
        assert_eq!(hit(&of), (1.0, 5.0, 3.2), "the first that lies in it");
        of.moments = vec![moment(1.0)];
        assert_eq!(hit(&of), (1.0, 5.0, 1.0));
        of.duration = 0.0;
        of.shot_changes.clear();
        assert_eq!(of.first_range(), None);
    }

    #[test]
    fn the_camera_goes_where_most_of_the_picture_goes() {
        let moved = |pan: f32, tilt: f32, zoom: f32| {
            let mut of = reading(&[0.0; 20], &[0.5; 20], &[]);
            of.samples.pan = [vec![0.9; 10], vec![pan; 10]].concat();
            (of.samples.tilt, of.samples.zoom) = (vec![tilt; 20], vec![zoom; 20]);
            of.movement(1.0, 2.0)
        };
        let much = 4.0 * STILL as f32;
        assert_eq!(moved(much, 0.0, 0.0), Movement::Right);
        assert_eq!(moved(-much, 0.0, 0.0), Movement::Left);
        assert_eq!(moved(0.0, much, 0.0), Movement::Up);
        assert_eq!(moved(0.0, -much, 0.0), Movement::Down);
        assert_eq!(moved(0.0, 0.0, 4.0 * much), Movement::In);
        assert_eq!(moved(0.0, 0.0, -4.0 * much), Movement::Out);
        assert_eq!(moved(0.0, 0.0, 0.0), Movement::Still, "what was before is not in the range");
        // Heights are three quarters of widths, and a scale moves the rim alone.
        assert_eq!(moved(0.8 * much, much, 0.0), Movement::Right);
        assert_eq!(moved(0.7 * much, much, 0.0), Movement::Up);
        assert_eq!(moved(0.31 * much, 0.0, much), Movement::Right);
        assert_eq!(moved(0.29 * much, 0.0, much), Movement::In);
        assert_eq!(moved(0.99 * STILL as f32, 0.0, 0.0), Movement::Still);
        assert_eq!(moved(1.01 * STILL as f32, 0.0, 0.0), Movement::Right);
    }

    #[test]
    fn what_is_just_at_a_limit_is_no_fault() {
        let kinds = |change: &dyn Fn(&mut Samples)| {
            let mut of = reading(&[0.0; 30], &[0.5; 30], &[]);
            change(&mut of.samples);
            of.faults().iter().map(|f| (f.kind, f.start, f.end)).collect::<Vec<_>>()
        };
        let (low, high) = (*EXPOSED.start(), *EXPOSED.end());
        assert_eq!(kinds(&|s| s.exposure = vec![low; 30]), []);
        assert_eq!(kinds(&|s| s.exposure = vec![low - 0.01; 30]), [(FaultKind::Dark, 0.0, 3.0)]);
        assert_eq!(kinds(&|s| s.exposure = vec![high; 30]), []);
        assert_eq!(kinds(&|s| s.exposure = vec![high + 0.01; 30]), [(FaultKind::Blown, 0.0, 3.0)]);
        assert_eq!(kinds(&|s| s.crushed = vec![CRUSHED; 30]), []);
        assert_eq!(kinds(&|s| s.clipped = vec![CLIPPED; 30]), []);
        assert_eq!(kinds(&|s| s.clipped = vec![CLIPPED + 0.01; 30]), [(FaultKind::Blown, 0.0, 3.0)]);
        // As long as it takes to see it, and not shorter; two of a kind are two.
        let dark = |lens: [usize; 2]| {
            move |s: &mut Samples| {
                s.exposure[2..2 + lens[0]].fill(0.0);
                s.exposure[20..20 + lens[1]].fill(0.0);
            }
        };
        let long = WORTH_TELLING as f64 * STEP;
        let found = kinds(&dark([WORTH_TELLING, WORTH_TELLING - 1]));
        assert_eq!(found.len(), 1, "{found:?}");
        assert!((found[0].1 - 0.2).abs() < 1e-9 && (found[0].2 - 0.2 - long).abs() < 1e-9, "{found:?}");
        assert_eq!(kinds(&dark([WORTH_TELLING, WORTH_TELLING])).len(), 2);
        let shake = |values: &[f32]| {
            let values = values.to_vec();
            kinds(&move |s| s.shake[5..5 + values.len()].copy_from_slice(&values)).len()
        };
        let (over, at) = (UNSTEADY + 0.01, UNSTEADY);
        assert_eq!(shake(&[vec![over; SWING - 1], vec![1.0]].concat()), 1);
        assert_eq!(shake(&[vec![at; SWING - 1], vec![1.0]].concat()), 0, "what is as steady as that is no part of it");
        assert_eq!(shake(&[SHAKEN; SWING]), 0);
    }

    #[test]
    fn between_walls_lies_what_none_of_them_covers() {
        let stretches = |walls: &[(f64, f64)]| -> Vec<(f64, f64)> {
            between(walls.to_vec(), 10.0).iter().map(|s| (s.start, s.end)).collect()
        };
        assert_eq!(stretches(&[]), [(0.0, 10.0)]);
        assert_eq!(
            stretches(&[(6.0, 7.0), (-0.5, 1.0), (2.0, 5.0), (3.0, 4.0)]),
            [(1.0, 2.0), (5.0, 6.0), (7.0, 10.0)]
        );
        assert_eq!(stretches(&[(4.0, 4.0), (9.0, 11.0)]), [(0.0, 4.0), (4.0, 9.0)], "a cut is a wall without width");
        assert_eq!(stretches(&[(0.0, 10.0)]), []);
    }

    #[test]
    fn a_hand_shakes_for_longer_and_more_than_a_large_thing_seems_to() {
        let shaken = |stretch: &[f32]| -> Vec<(f64, f64)> {
            let shake = [vec![0.1; 10], stretch.to_vec(), vec![0.1; 10]].concat();
            reading(&shake, &vec![0.5; shake.len()], &[]).faults().iter().map(|f| (f.start, f.end)).collect()
        };
        assert_eq!(shaken(&[0.6, 0.7, 0.9, 0.7, 0.6]), [(1.0, 1.5)], "all of it, not its peak alone");
        assert_eq!(shaken(&[0.6, 0.7, 0.7, 0.7, 0.6]), [], "a thing comes near it");
        assert_eq!(shaken(&[0.9, 0.9, 0.9]), [], "no time for a swing to and fro");
    }

    #[test]
    fn too_little_to_be_seen_is_a_fault_though_its_mean_is_fair() {
        let mut dim = reading(&[0.0; 40], &[0.2; 40], &[]);
        dim.samples.crushed = vec![0.0; 40];
        dim.samples.crushed[10..20].fill(0.95);
        dim.samples.clipped = vec![0.0; 40];
        dim.samples.clipped[25..30].fill(0.6);
        let found: Vec<(FaultKind, f64)> = dim.faults().iter().map(|f| (f.kind, f.start)).collect();
        assert_eq!(found, [(FaultKind::Dark, 1.0), (FaultKind::Blown, 2.5)]);
    }

    #[test]
    fn a_trembling_hand_has_no_direction_and_a_slow_zoom_under_it_has() {
        let mut held = reading(&[0.9; 40], &[0.5; 40], &[]);
        held.samples.pan = vec![0.02; 40];
        held.samples.zoom = vec![0.0; 40];
        assert_eq!(held.movement(0.0, 4.0), Movement::Still);
        held.samples.zoom = vec![0.05; 40];
        assert_eq!(held.movement(0.0, 4.0), Movement::In);
    }

    #[test]
    fn what_shakes_is_black_or_cut_is_not_offered() {
        let mut shake = vec![0.0; 60];
        shake[50..].fill(0.9);
        let mut exposure = vec![0.5; 60];
        exposure[..8].fill(0.0);
        let (start, end) = reading(&shake, &exposure, &[]).usable();
        assert!((start - 0.8).abs() < 1e-9 && (end - 5.0).abs() < 1e-9, "{start} {end}");
        let (start, end) = reading(&shake, &exposure, &[2.0]).usable();
        assert!((start - 2.0).abs() < 1e-9 && (end - 5.0).abs() < 1e-9, "the longer side of the cut: {start} {end}");
        assert_eq!(reading(&[0.0; 60], &[0.5; 60], &[]).usable(), (0.0, 6.0));
        assert_eq!(reading(&[0.9; 60], &[0.5; 60], &[]).usable(), (0.0, 6.0), "nothing better: all of it");
    }
}
