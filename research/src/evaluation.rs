//! How near a reading comes to the truth of a piece.

use crate::Truth;
use legere_analysis::evaluation::{agreement, amlt, matched, median_error, tempo_is_right};
use legere_core::track::{CueKind, TrackReading};
use std::fmt;

/// One piece, judged.
#[derive(Debug, Clone, PartialEq)]
pub struct Judged {
    pub true_bpm: f64,
    pub found_bpm: f64,
    /// F-measure within 70 ms.
    pub beats: f64,
    pub amlt: f64,
    /// The median distance of the beats that were found, in milliseconds.
    pub error_ms: Option<f64>,
    /// F-measure within 70 ms.
    pub downbeats: f64,
    pub true_metre: u32,
    pub found_metre: u32,
    /// F-measure of section boundaries within half a second.
    pub boundaries: f64,
    /// The share of time whose section has the right kind.
    pub kinds: f64,
    /// Drops and breaks: found within a beat, true, and found at all.
    pub cues: [usize; 3],
}

impl Judged {
    pub const HEADER: &'static str = "   bpm  found beats  AMLt   err  ones metre parts kinds  drops and breaks";

    pub fn of(truth: &Truth, reading: &TrackReading) -> Self {
        let all: Vec<f64> = reading.beats.iter().map(|b| b.at).collect();
        let ones: Vec<f64> = reading.beats.iter().filter(|b| b.beat == 1).map(|b| b.at).collect();
        // Beats go on behind the last bar, where nobody can say whether there are any.
        let (begin, end) = (truth.beats[0] - 0.3, truth.beats[truth.beats.len() - 1] + 0.3);
        let inside = |list: &[f64]| list.iter().copied().filter(|t| *t < end && *t > begin).collect::<Vec<_>>();
        let (beats, ones) = (inside(&all), inside(&ones));
        let bounds: Vec<f64> = truth.sections.iter().skip(1).map(|s| s.0).collect();
        let found_bounds: Vec<f64> = reading.sections.iter().skip(1).map(|s| s.start).collect();
        let mut cues = [0; 3];
        for kind in [CueKind::Drop, CueKind::Break] {
            let t: Vec<f64> = truth.cues.iter().filter(|c| c.1 == kind).map(|c| c.0).collect();
            let g: Vec<f64> = reading.cues.iter().filter(|c| c.kind == kind).map(|c| c.at).collect();
            let hits = matched(&t, &g, 60.0 / truth.tempo_bpm).len();
            [hits, t.len(), g.len()].iter().zip(&mut cues).for_each(|(n, sum)| *sum += n);
        }
        Self {
            true_bpm: truth.tempo_bpm,
            found_bpm: reading.tempo_bpm,
            beats: agreement(&truth.beats, &beats, 0.07).f,
            amlt: amlt(&truth.beats, &beats),
            error_ms: median_error(&matched(&truth.beats, &beats, 0.07)).map(|e| e * 1000.0),
            downbeats: agreement(&truth.downbeats, &ones, 0.07).f,
            true_metre: truth.metre,
            found_metre: reading.metre(),
            boundaries: agreement(&bounds, &found_bounds, 0.5).f,
            kinds: kinds(truth, reading),
            cues,
        }
    }

    pub fn tempo_is_right(&self) -> bool {
        tempo_is_right(self.true_bpm, self.found_bpm)
    }
}

impl fmt::Display for Judged {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let [hits, wanted, found] = self.cues;
        write!(
            f,
            "{:>6.1} {:>6.1} {:>5.2} {:>5.2} {:>5.1} {:>5.2}   {}/{} {:>5.2} {:>5.2}  {hits} of {wanted}, {found} found",
            self.true_bpm,
            self.found_bpm,
            self.beats,
            self.amlt,
            self.error_ms.unwrap_or(f64::NAN),
            self.downbeats,
            self.found_metre,
            self.true_metre,
            self.boundaries,
            self.kinds
        )
    }
}

/// Many pieces together.
#[derive(Debug, Clone, PartialEq)]
pub struct Means {
    pub beats: f64,
    pub amlt: f64,
    /// The median over the pieces of their median errors.
    pub error_ms: f64,
    pub downbeats: f64,
    pub metre: f64,
    pub boundaries: f64,
    pub kinds: f64,
    pub tempo: f64,
    pub cue_recall: f64,
    pub cue_precision: f64,
}

impl Means {
    pub fn of(all: &[Judged]) -> Self {
        let mean = |of: &dyn Fn(&Judged) -> f64| all.iter().map(of).sum::<f64>() / all.len().max(1) as f64;
        let mut errors: Vec<f64> = all.iter().filter_map(|j| j.error_ms).collect();
        errors.sort_by(f64::total_cmp);
        let [hits, wanted, found] = [0, 1, 2].map(|i| all.iter().map(|j| j.cues[i]).sum::<usize>() as f64);
        Self {
            beats: mean(&|j| j.beats),
            amlt: mean(&|j| j.amlt),
            error_ms: errors.get(errors.len() / 2).copied().unwrap_or(f64::NAN),
            downbeats: mean(&|j| j.downbeats),
            metre: mean(&|j| f64::from(u8::from(j.found_metre == j.true_metre))),
            boundaries: mean(&|j| j.boundaries),
            kinds: mean(&|j| j.kinds),
            tempo: mean(&|j| f64::from(u8::from(j.tempo_is_right()))),
            cue_recall: hits / wanted.max(1.0),
            cue_precision: hits / found.max(1.0),
        }
    }
}

impl Means {
    /// Of pieces without sections.
    pub fn of_beats_and_bars(&self) -> String {
        format!(
            "beats F {:.3}, AMLt {:.3}, error {:.1} ms, downbeats F {:.3}, metre {:.2}, tempo {:.2}",
            self.beats, self.amlt, self.error_ms, self.downbeats, self.metre, self.tempo
        )
    }
}

impl fmt::Display for Means {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(
            f,
            "{}, boundaries F {:.3}, kinds {:.2}; drops and breaks: recall {:.2}, precision {:.2}",
            self.of_beats_and_bars(),
            self.boundaries,
            self.kinds,
            self.cue_recall,
            self.cue_precision
        )
    }
}

fn kinds(truth: &Truth, reading: &TrackReading) -> f64 {
    let (begin, end) = (truth.beats[0], truth.beats[truth.beats.len() - 1]);
    let steps = 500;
    let right = (0..steps)
        .map(|i| begin + (end - begin) * (f64::from(i) + 0.5) / f64::from(steps))
        .filter(|at| {
            let wanted = truth.sections.iter().rev().find(|s| s.0 <= *at).map(|s| s.1);
            let found = reading.sections.iter().rev().find(|s| s.start <= *at).map(|s| s.kind);
            wanted == found
        })
        .count();
    right as f64 / f64::from(steps)
}
