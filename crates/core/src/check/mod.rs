//! What a tired eye misses in a draft.

use crate::draft::Draft;
use crate::id::{SelectId, ShotId};
use crate::select::Framing;
use crate::time::FrameLen;
use serde::Serialize;
use std::collections::HashMap;

/// Points of energy between picture and music, both on the music's scale, from which it is worth a look.
const FAR: f64 = 30.0;
/// A cut this near to a beat, in frames, was to be on it; further off it was meant.
const NEAR: u64 = 3;

/// A remark, with the frame it leads to.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Finding {
    /// Where it is seen, in frames of the draft.
    pub frame: u64,
    /// The shot that it concerns.
    pub shot: ShotId,
    /// What was found.
    pub words: String,
}

/// What checks need to know of a shot besides the draft.
#[derive(Debug, Clone, Default)]
pub struct ShotContext {
    /// The clip’s name.
    pub name: String,
    /// How much of the subject it shows.
    pub framing: Option<Framing>,
    /// 0–100, of what is shown, on the music's scale.
    pub level: f64,
    /// 0–100, the music's here.
    pub wanted: f64,
}

/// The numbers of a draft that matter.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Figures {
    /// How many.
    pub shots: usize,
    /// In frames.
    pub shortest: u64,
    /// In frames.
    pub longest: u64,
    /// In frames.
    pub average: f64,
    /// −1 to 1: how the energies of shots and music rise and fall together (Pearson's correlation).
    pub agreement: f64,
}

/// `shots` belong to the shots of the draft, in their order.
pub fn figures(draft: &Draft, shots: &[ShotContext]) -> Figures {
    let lens: Vec<u64> = draft.shots().iter().map(|s| s.len.get()).collect();
    let n = lens.len().max(1) as f64;
    let pairs: Vec<(f64, f64)> = shots.iter().map(|s| (s.level, s.wanted)).collect();
    Figures {
        shots: lens.len(),
        shortest: lens.iter().copied().min().unwrap_or(0),
        longest: lens.iter().copied().max().unwrap_or(0),
        average: lens.iter().sum::<u64>() as f64 / n,
        agreement: correlation(&pairs),
    }
}

fn correlation(pairs: &[(f64, f64)]) -> f64 {
    let n = pairs.len() as f64;
    if n < 2.0 {
        return 0.0;
    }
    let (ma, mb) = (pairs.iter().map(|p| p.0).sum::<f64>() / n, pairs.iter().map(|p| p.1).sum::<f64>() / n);
    let (mut ab, mut aa, mut bb) = (0.0, 0.0, 0.0);
    for (a, b) in pairs {
        ab += (a - ma) * (b - mb);
        aa += (a - ma).powi(2);
        bb += (b - mb).powi(2);
    }
    if aa * bb > 0.0 { ab / (aa * bb).sqrt() } else { 0.0 }
}

/// Looks a draft through. `shots` belong to its shots, in their order; `beats` are frames.
pub fn check(draft: &Draft, shots: &[ShotContext], beats: &[u64], music: FrameLen) -> Vec<Finding> {
    let mut found = Vec::new();
    let mut seen: HashMap<SelectId, usize> = HashMap::new();
    for (i, ((start, shot), about)) in draft.placed().zip(shots).enumerate() {
        let frame = start.get().max(0) as u64;
        let mut say = |words: String| found.push(Finding { frame, shot: shot.id, words });
        if let Some(first) = seen.insert(shot.source.select, i) {
            say(format!("{} is shown twice: shots {} and {}", about.name, first + 1, i + 1));
        }
        let apart = about.level - about.wanted;
        if apart.abs() > FAR {
            let side = if apart < 0.0 { "below" } else { "above" };
            say(format!("shot {} is {:.0} {side} the music", i + 1, apart.abs()));
        }
        let before = i.checked_sub(1).and_then(|p| shots.get(p));
        if let Some(framing) = before.and_then(|b| b.framing).filter(|f| about.framing == Some(*f)) {
            say(format!("shots {} and {} are both {}", i, i + 1, framing.word()));
        }
        let off = off_the_beat(frame, beats);
        if i > 0 && (1..=NEAR).contains(&off) {
            say(format!("the cut to shot {} is {} off the beat", i + 1, frames(off)));
        }
    }
    let total = draft.len();
    if let Some(last) = draft.shots().last().filter(|_| total != music) {
        let words = format!("pictures and music end {} apart", frames(total.get().abs_diff(music.get())));
        found.push(Finding { frame: total.get().min(music.get()), shot: last.id, words });
    }
    found
}

/// How many cuts lie on a beat, and how many there are.
pub fn cuts_on_beats(draft: &Draft, beats: &[u64]) -> (usize, usize) {
    let cuts: Vec<u64> = draft.placed().skip(1).map(|(at, _)| at.get().max(0) as u64).collect();
    (cuts.iter().filter(|c| off_the_beat(**c, beats) == 0).count(), cuts.len())
}

/// Frames to the nearest beat; none without beats.
fn off_the_beat(frame: u64, beats: &[u64]) -> u64 {
    beats.iter().map(|b| b.abs_diff(frame)).min().unwrap_or(0)
}

fn frames(n: u64) -> String {
    if n == 1 { "1 frame".to_owned() } else { format!("{n} frames") }
}

#[cfg(test)]
mod tests;
