//! What lists, checks and the arranger ask of a clip's reading: little enough to be kept of each of a thousand clips.

use super::sharpness::{is_soft_in_job, usual_sharpness};
use super::{ClipReading, Fault, FaultKind, OneWay};
use crate::select::{Framing, Light};
use serde::{Deserialize, Serialize};

/// What a reading comes to.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct ReadingSummary {
    /// 0–1: how sharp its pictures usually are.
    pub sharpness: f64,
    /// −1 to 1: how warm they are on average, red against blue.
    pub warmth: f64,
    /// What cannot be used of it by itself, in the order of time.
    pub faults: Vec<Fault>,
    /// Where something goes one way only in time.
    pub one_way: Vec<OneWay>,
    /// The framing that its pictures suggest.
    #[serde(default)]
    pub framing: Option<Framing>,
    /// The light that its pictures suggest.
    #[serde(default)]
    pub light: Option<Light>,
}

/// Mean warmth from which colours are called warm: those of lamps, wood and skin are.
const WARM: f64 = 0.15;
/// Mean warmth below which colours are called cool: those of sky and shade are.
const COOL: f64 = -0.05;

impl ReadingSummary {
    /// Whether its colours are warm.
    pub fn is_warm(&self) -> bool {
        self.warmth > WARM
    }

    /// Whether its colours are cool.
    pub fn is_cool(&self) -> bool {
        self.warmth < COOL
    }

    /// Of a reading.
    pub fn of(reading: &ClipReading) -> Self {
        Self {
            sharpness: usual_sharpness(&reading.samples.sharpness),
            warmth: mean(&reading.samples.warmth),
            faults: reading.faults(),
            one_way: reading.one_way.clone(),
            framing: reading.framing,
            light: reading.light,
        }
    }

    /// What cannot be used of the clip in a job whose clips are usually so sharp (see [`usual_in_job`](super::usual_in_job)): a
    /// clip that is soft beside them is out of focus for the whole of its seconds.
    pub fn faults_in_job(&self, usual: Option<f64>, seconds: f64) -> Vec<Fault> {
        if !is_soft_in_job(self.sharpness, usual) {
            return self.faults.clone();
        }
        let whole = Fault { start: 0.0, end: seconds, kind: FaultKind::Soft };
        std::iter::once(whole).chain(self.faults.iter().filter(|f| f.kind != FaultKind::Soft).copied()).collect()
    }
}

fn mean(values: &[f32]) -> f64 {
    values.iter().copied().map(f64::from).sum::<f64>() / values.len().max(1) as f64
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn colours_between_warm_and_cool_are_neither() {
        let of = |warmth| {
            let summary = ReadingSummary { warmth, ..ReadingSummary::default() };
            (summary.is_warm(), summary.is_cool())
        };
        assert_eq!(
            [0.16, 0.15, 0.0, -0.05, -0.06].map(of),
            [(true, false), (false, false), (false, false), (false, false), (false, true)]
        );
    }

    #[test]
    fn a_clip_softer_than_its_job_is_out_of_focus_all_along_and_shakes_as_before() {
        let fault = |start, end, kind| Fault { start, end, kind };
        let own = [fault(1.0, 2.0, FaultKind::Shake), fault(3.0, 4.0, FaultKind::Soft)];
        let clip = ReadingSummary { sharpness: 0.1, faults: own.to_vec(), ..ReadingSummary::default() };
        for usual in [None, Some(0.15)] {
            assert_eq!(clip.faults_in_job(usual, 5.0), own);
        }
        let beside = clip.faults_in_job(Some(0.6), 5.0);
        assert_eq!(beside, [fault(0.0, 5.0, FaultKind::Soft), own[0]]);
    }
}
