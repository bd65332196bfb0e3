//! What a tired eye misses in a draft.

use crate::draft::{Between, Draft, Shot};
use crate::footage::{Fault, FaultKind, OneWay, seen_within};
use crate::id::{ClipId, ShotId};
use crate::select::{Framing, Range};
use crate::time::{FrameLen, FramePos, FrameRate, Seconds};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::Arc;

/// Points of energy between picture and music, both on the music's scale, from which it is worth a look.
const FAR: f64 = 30.0;
/// A cut this near to a beat, in frames, was to be on it; further off it was meant.
const NEAR: u64 = 3;
/// How much more than once a frame may be seen before it is called stutter: rates that are a thousandth apart are the same.
const STUTTERS: f64 = 0.02;

/// What is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum FindingKind {
    /// Far from the energy of the music.
    Energy,
    /// The same framing as the shot before.
    Framing,
    /// A take of what the shot before shows.
    Take,
    /// Slower than its frames allow.
    Stutter,
    /// Something that goes one way only is seen to go back.
    Backwards,
    /// More than was chosen of the clip.
    Beyond,
    /// What cannot be used is seen.
    Fault,
    /// A cut beside a beat.
    OffBeat,
    /// Shown twice.
    Twice,
    /// Black, because nothing was long enough.
    Black,
    /// Pictures and music end apart.
    Ends,
}

/// A remark, with the frame it leads to.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Finding {
    /// Where it is seen, in frames of the draft.
    pub frame: u64,
    /// The shot that it concerns.
    pub shot: ShotId,
    /// What was found.
    pub kind: FindingKind,
    /// The same in words.
    pub words: String,
    /// What puts it right, where that is one thing.
    pub repair: Option<Repair>,
}

/// The edit that puts a finding right.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum Repair {
    /// The cut behind a shot goes elsewhere, by frames.
    MoveCut {
        /// The shot before the cut.
        shot: ShotId,
        /// Later, or earlier where it is negative.
        by: i64,
    },
    /// The shot shows another part, by frames.
    Slip {
        /// The shot.
        shot: ShotId,
        /// Later in the clip, or earlier.
        by: i64,
    },
    /// The shot ends elsewhere, by frames, and what follows moves.
    TrimEnd {
        /// The shot.
        shot: ShotId,
        /// Later, or earlier.
        by: i64,
        /// Where the time comes from.
        from: &'static str,
    },
}

/// A finding that was said to be meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Meant {
    /// The shot.
    pub shot: ShotId,
    /// What of it.
    pub kind: FindingKind,
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
    /// At which the clip's frames come.
    pub clip_rate: Option<FrameRate>,
    /// In, out and hit of its select.
    pub range: Option<Range>,
    /// What of the clip cannot be used.
    pub faults: Arc<Vec<Fault>>,
    /// Where in the clip something goes one way only.
    pub one_way: Vec<OneWay>,
    /// The set-up that it is a take of.
    pub set_up: Option<usize>,
}

/// The numbers of a draft that matter.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
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
    let mut cut_before: Option<ShotId> = None;
    for (i, ((start, shot), about)) in draft.placed().zip(shots).enumerate() {
        let frame = start.get().max(0) as u64;
        let mut say = |kind, words: String, repair| found.push(Finding { frame, shot: shot.id, kind, words, repair });
        let apart = about.level - about.wanted;
        if apart.abs() > FAR {
            let side = if apart < 0.0 { "calmer" } else { "livelier" };
            say(FindingKind::Energy, format!("shot {} is much {side} than the music", i + 1), None);
        }
        let before = i.checked_sub(1).and_then(|p| shots.get(p));
        if before.is_some_and(|b| b.set_up.is_some() && b.set_up == about.set_up) {
            say(FindingKind::Take, format!("shots {} and {} are takes of the same", i, i + 1), None);
        } else if let Some(framing) = before.and_then(|b| b.framing).filter(|f| about.framing == Some(*f)) {
            say(FindingKind::Framing, format!("shots {} and {} are both {}", i, i + 1, framing.word()), None);
        }
        for (kind, words, repair) in of_time(shot, about, draft.rate()) {
            say(kind, format!("shot {} {words}", i + 1), repair);
        }
        if let Some(beat) = nearest_beat(frame, beats).filter(|b| i > 0 && (1..=NEAR).contains(&b.abs_diff(frame))) {
            let repair = cut_before.map(|shot| Repair::MoveCut { shot, by: beat as i64 - frame as i64 });
            let off = frames(beat.abs_diff(frame));
            say(FindingKind::OffBeat, format!("the cut to shot {} is {off} off the beat", i + 1), repair);
        }
        if let Some(pause) = shot.pause.filter(|pause| pause.missing.get() > 0) {
            let seconds = draft.rate().seconds_of(pause.missing).to_f64();
            let words =
                format!("black for {seconds:.1} s behind shot {}: no select that is left is long enough", i + 1);
            say(FindingKind::Black, words, None);
        }
        cut_before = Some(shot.id);
    }
    found.extend(shown_twice(draft, shots));
    found.sort_by_key(|f| f.frame);
    let total = draft.len();
    if let Some(last) = draft.shots().last().filter(|_| total != music) {
        let by = music.get() as i64 - total.get() as i64;
        found.push(Finding {
            frame: total.get().min(music.get()),
            shot: last.id,
            kind: FindingKind::Ends,
            words: format!("pictures and music end {} apart", frames(total.get().abs_diff(music.get()))),
            repair: Some(Repair::TrimEnd { shot: last.id, by, from: "whole" }),
        });
    }
    found
}

/// What is wrong with the part of the clip that a shot shows, and with how it is played.
fn of_time(shot: &Shot, about: &ShotContext, rate: FrameRate) -> Vec<(FindingKind, String, Option<Repair>)> {
    let mut words = Vec::new();
    let (from, to) = shot.range(rate);
    let course = shot.source.course();
    let pictures = i64::try_from(shot.pictures().get()).unwrap_or(0);
    let speeds: Vec<f64> = (0..pictures).map(|f| course.speed_on(f)).collect();
    if let Some(clip) = about.clip_rate.filter(|_| shot.source.between == Between::Repeat) {
        // Each frame of the clip is to be seen once; what is held is held on purpose.
        let slowest = speeds.iter().map(|s| s.abs()).filter(|s| *s > 0.001).fold(f64::INFINITY, f64::min);
        let times = rate.to_f64() / (clip.to_f64() * slowest);
        if slowest.is_finite() && slowest < 0.999 && times > 1.0 + STUTTERS {
            let said = format!("is slower than its frames allow: each is seen {times:.1} times");
            words.push((FindingKind::Stutter, said, None));
        }
    }
    let backwards = speeds.iter().any(|s| *s < 0.0);
    let shown = |w: &&OneWay| w.start < to.to_f64() && w.end > from.to_f64();
    let one_way = about.one_way.iter().find(shown).filter(|_| backwards);
    if let Some(one_way) = one_way {
        let said = format!("runs backwards where something {}: it is seen to", one_way.kind.words());
        words.push((FindingKind::Backwards, said, None));
    }
    // A part beside what is shown that lies in the select and has no fault, for a shot that plays at one speed.
    let beside = || {
        let range = about.range.filter(|_| shot.source.keyframes.is_empty() && !backwards)?;
        let clean = |by: &i64| {
            let shift = rate.seconds_at(FramePos::new(*by)).scaled(shot.source.speed.ratio());
            let (a, b) = (from + shift, to + shift);
            let faulty =
                FaultKind::ALL.iter().any(|k| seen_within(&about.faults, *k, a.to_f64(), b.to_f64()).is_some());
            a >= range.start() && b <= range.end() && !faulty
        };
        let by = (1..=pictures * 4).flat_map(|n| [n, -n]).find(clean)?;
        Some(Repair::Slip { shot: shot.id, by })
    };
    if let Some(range) = about.range {
        let through_hit = range.hit() > from && range.hit() < to;
        if through_hit && backwards && one_way.is_none() {
            let said = "runs backwards through its hit: what falls, bursts or walks is seen to";
            words.push((FindingKind::Backwards, said.to_owned(), None));
        }
        let (before, after) = range.beyond(from, to);
        for (seconds, side) in [(before, "before its in"), (after, "beyond its out")] {
            if seconds * rate.to_f64() >= 0.5 {
                words.push((FindingKind::Beyond, format!("shows {seconds:.1} s {side}"), beside()));
            }
        }
    }
    for kind in FaultKind::ALL {
        if let Some(seconds) = seen_within(&about.faults, kind, from.to_f64(), to.to_f64()) {
            let said = format!("{} for {seconds:.1} s of what it shows", kind.words());
            words.push((FindingKind::Fault, said, beside()));
        }
    }
    words
}

/// Instants of a clip that two shots show. Takes that were split and lie one behind the other share nothing.
fn shown_twice(draft: &Draft, shots: &[ShotContext]) -> Vec<Finding> {
    let rate = draft.rate();
    let frame = rate.seconds_of(FrameLen::new(1));
    let mut seen: HashMap<ClipId, Vec<(usize, Seconds, Seconds)>> = HashMap::new();
    let mut found = Vec::new();
    for (i, ((at, shot), about)) in draft.placed().zip(shots).enumerate() {
        let (from, to) = shot.range(rate);
        let earlier = seen.entry(shot.source.clip).or_default();
        let shared = earlier.iter().map(|(first, a, b)| (first, to.min(*b) - from.max(*a))).find(|(_, s)| *s >= frame);
        if let Some((first, shared)) = shared {
            found.push(Finding {
                frame: at.get().max(0) as u64,
                shot: shot.id,
                kind: FindingKind::Twice,
                repair: None,
                words: format!(
                    "{:.1} s of {} are shown twice: shots {} and {}",
                    shared.to_f64(),
                    about.name,
                    first + 1,
                    i + 1
                ),
            });
        }
        earlier.push((i, from, to));
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
    nearest_beat(frame, beats).map_or(0, |beat| beat.abs_diff(frame))
}

fn nearest_beat(frame: u64, beats: &[u64]) -> Option<u64> {
    beats.iter().copied().min_by_key(|beat| beat.abs_diff(frame))
}

fn frames(n: u64) -> String {
    if n == 1 { "1 frame".to_owned() } else { format!("{n} frames") }
}

#[cfg(test)]
mod tests;
