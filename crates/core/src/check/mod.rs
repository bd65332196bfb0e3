//! What a tired eye misses in a draft.

use crate::arrange::Slot;
use crate::draft::Draft;
use crate::time::FrameLen;
use serde::Serialize;
use std::collections::HashMap;
use uuid::Uuid;

/// Points of energy between picture and music from which it is worth a look.
const FAR: f64 = 30.0;

/// A remark, with the frame it leads to.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Finding {
    pub frame: u64,
    pub shot: usize,
    pub words: String,
}

/// What checks need to know of a shot besides the draft.
#[derive(Debug, Clone, Default)]
pub struct About {
    pub name: String,
    pub framing: Option<String>,
}

/// The numbers of a draft that matter.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Figures {
    pub shots: usize,
    pub shortest: u64,
    pub longest: u64,
    pub average: f64,
    /// −1 to 1: how the energies of shots and music rise and fall together (Pearson's correlation).
    pub agreement: f64,
}

pub fn figures(draft: &Draft, slots: &[Slot]) -> Figures {
    let lens: Vec<u64> = draft.shots().iter().map(|s| s.len.0).collect();
    let n = lens.len().max(1) as f64;
    let pairs: Vec<(f64, f64)> = draft.shots().iter().zip(slots).map(|(s, m)| (s.energy, m.energy)).collect();
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

/// Looks a draft through. `about` and `slots` belong to the shots, in their order; `beats` are frames.
pub fn check(draft: &Draft, slots: &[Slot], about: &[About], beats: &[u64], music: FrameLen) -> Vec<Finding> {
    let mut found = Vec::new();
    let mut seen: HashMap<Uuid, usize> = HashMap::new();
    for (i, (start, shot)) in draft.placed().enumerate() {
        let frame = start.0.max(0) as u64;
        let mut say = |words: String| found.push(Finding { frame, shot: i, words });
        let name = |at: usize| about.get(at).map_or("", |a| a.name.as_str());
        if let Some(first) = seen.insert(shot.source.select, i) {
            say(format!("{} is shown twice: shots {} and {}", name(i), first + 1, i + 1));
        }
        if let Some(slot) = slots.get(i) {
            let apart = shot.energy - slot.energy;
            if apart.abs() > FAR {
                let side = if apart < 0.0 { "below" } else { "above" };
                say(format!("shot {} is {:.0} {side} the music", i + 1, apart.abs()));
            }
        }
        if let (Some(a), Some(b)) = (i.checked_sub(1).and_then(|p| about.get(p)), about.get(i))
            && a.framing.is_some()
            && a.framing == b.framing
        {
            let framing = b.framing.as_deref().unwrap_or_default();
            say(format!("shots {} and {} are both {framing}", i, i + 1));
        }
        let off = beats.iter().map(|b| b.abs_diff(frame)).min().unwrap_or(0);
        if i > 0 && (1..=3).contains(&off) {
            say(format!(
                "the cut to shot {} is {off} {} off the beat",
                i + 1,
                if off == 1 { "frame" } else { "frames" }
            ));
        }
    }
    let total = draft.len();
    if total != music && !draft.is_empty() {
        let by = total.0.abs_diff(music.0);
        let words = format!("pictures and music end {by} frames apart");
        found.push(Finding { frame: total.0.min(music.0), shot: draft.shots().len() - 1, words });
    }
    found
}

#[cfg(test)]
mod tests;
