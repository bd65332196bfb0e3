//! Marks set by hand: where the ear knows better than the reading.
//!
//! A person's marks lie over the reading and stay when it is made again. As soon as one beat is touched all beats of
//! the track are the person's; the same for sections, and for cues.

use super::{Beat, Cue, CueKind, Section, SectionKind, TrackReading};
use serde::{Deserialize, Serialize};

mod bars;
mod paced;

use bars::{barred, counted};

/// How far a mark may be from an onset that it snaps to, in seconds.
const SNAP: f64 = 0.09;
/// Two beats nearer than this cannot be distinguished.
const CLOSEST: f64 = 0.12;
/// More cues than this nobody reads.
const MOST_CUES: usize = 500;
/// Taps go on with the count of beats that are as fast, within so many octaves.
const AS_FAST: f64 = 0.25;
/// A pause is no shorter than this, in seconds.
const SHORTEST_PAUSE: f64 = 0.1;
/// The shortest section, in seconds.
const SHORTEST_SECTION: f64 = 0.5;

/// What a person set; what is `None` is as read.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Marks {
    /// All beats of the track.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub beats: Option<Vec<Beat>>,
    /// All sections of the track.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sections: Option<Vec<Section>>,
    /// All cues of the track.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cues: Option<Vec<Cue>>,
}

/// One act of a person. Times are seconds in the track. Written flat: `{"do": "move-beat", …}`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Edit {
    /// Of beats and bars.
    Beats(BeatEdit),
    /// Of sections.
    Sections(SectionEdit),
    /// Of cues.
    Cues(CueEdit),
    /// Of all of them.
    All(ResetEdit),
}

/// An act on beats and bars.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum BeatEdit {
    /// Beats as tapped; they take the place of all beats between the first and the last tap. They go on with the count
    /// where the first of them is a beat already and as fast as those around it, else they begin with one; bars before
    /// and behind them stay.
    Taps {
        /// In seconds.
        times: Vec<f64>,
        /// Whether it snaps to the nearest onset.
        snap: bool,
    },
    /// Moves the nearest beat.
    MoveBeat {
        /// In seconds.
        at: f64,
        /// Where to, in seconds.
        to: f64,
        /// Whether it snaps to the nearest onset.
        snap: bool,
    },
    /// Adds a beat.
    AddBeat {
        /// In seconds.
        at: f64,
        /// Whether it snaps to the nearest onset.
        snap: bool,
    },
    /// Where it begins a bar the next one does.
    RemoveBeat {
        /// In seconds.
        at: f64,
    },
    /// The nearest beat begins a bar; all others are moved by as many beats.
    #[serde(rename = "downbeat")]
    SetDownbeat {
        /// In seconds.
        at: f64,
    },
    /// Counts the whole track again, in bars of so many.
    Metre {
        /// All beats of the track.
        beats: u32,
    },
    /// Every second beat is left, and each two bars become one.
    Halve,
    /// Each bar becomes two.
    Double,
    /// Read again at about a tempo between two times, from the beat nearest to the first.
    Retempo {
        /// In seconds.
        start: f64,
        /// In seconds.
        end: f64,
        /// Beats a minute.
        bpm: f64,
    },
    /// Marks on the strong beats only, or on all beats again; bars stay where they are.
    Density {
        /// Whether on the strong beats only.
        strong: bool,
    },
    /// Keeps beats at least so far apart, in seconds, those that begin bars before the others.
    Thin {
        /// In seconds.
        least: f64,
    },
}

/// An act on sections.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum SectionEdit {
    /// Moves the nearest boundary.
    MoveBoundary {
        /// In seconds.
        at: f64,
        /// Where to, in seconds.
        to: f64,
        /// Whether it goes to the nearest bar line.
        to_bar: bool,
    },
    /// Begins a section.
    Split {
        /// In seconds.
        at: f64,
        /// Whether it goes to the nearest bar line.
        to_bar: bool,
    },
    /// Removes the boundary nearest to a time.
    Join {
        /// In seconds.
        at: f64,
    },
    /// Names the section that a time lies in.
    Kind {
        /// In seconds.
        at: f64,
        /// Of which kind.
        kind: SectionKind,
    },
    /// `None` gives the measured energy back.
    Energy {
        /// In seconds.
        at: f64,
        /// 0–100.
        energy: Option<f64>,
    },
}

/// An act on cues.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum CueEdit {
    /// Adds a cue.
    AddCue {
        /// In seconds.
        at: f64,
        /// Of which kind.
        kind: CueKind,
    },
    /// Moves a cue.
    MoveCue {
        /// In seconds.
        at: f64,
        /// Of which kind.
        kind: CueKind,
        /// Where to, in seconds.
        to: f64,
        /// Whether it snaps to the nearest onset.
        snap: bool,
    },
    /// Removes a cue.
    RemoveCue {
        /// In seconds.
        at: f64,
        /// Of which kind.
        kind: CueKind,
    },
    /// Makes it a cue of another kind.
    CueKind {
        /// In seconds.
        at: f64,
        /// Of which kind.
        kind: CueKind,
        /// Where to, in seconds.
        to: CueKind,
    },
}

/// An act on all marks.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum ResetEdit {
    /// Everything as read again.
    StartOver,
}

/// Why an edit cannot be done.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MarkError {
    /// There is nothing here to change.
    #[error("there is nothing here to change")]
    Nothing,
    /// Tap at least four beats.
    #[error("tap at least four beats")]
    TooFewTaps,
    /// That lies outside the track.
    #[error("that lies outside the track")]
    Outside,
    /// Another mark is there already.
    #[error("another mark is there already")]
    Taken,
    /// A tempo is 30 to 300 beats a minute.
    #[error("a tempo is 30 to 300 beats a minute")]
    Tempo,
    /// A bar has two to twelve beats.
    #[error("a bar has two to twelve beats")]
    Metre,
    /// The sections must be at least half a second long.
    #[error("the sections must be at least half a second long")]
    ShortSection,
    /// This is the only section.
    #[error("this is the only section")]
    OnlySection,
    /// Energy goes from 0 to 100.
    #[error("energy goes from 0 to 100")]
    Energy,
    /// Beats nearer to each other than an eighth of a second cannot be distinguished.
    #[error("beats nearer to each other than an eighth of a second cannot be distinguished")]
    TooDense,
    /// A track has at most … cues.
    #[error("a track has at most {MOST_CUES} cues")]
    TooManyCues,
}

impl Edit {
    /// What undo calls it.
    pub fn label(&self) -> &'static str {
        match self {
            Self::Beats(edit) => edit.label(),
            Self::Sections(edit) => edit.label(),
            Self::Cues(edit) => edit.label(),
            Self::All(ResetEdit::StartOver) => "start over",
        }
    }
}

impl BeatEdit {
    fn label(&self) -> &'static str {
        match self {
            Self::Taps { .. } => "tap beats",
            Self::MoveBeat { .. } => "move a beat",
            Self::AddBeat { .. } => "add a beat",
            Self::RemoveBeat { .. } => "remove a beat",
            Self::SetDownbeat { .. } => "this is one",
            Self::Metre { .. } => "set the metre",
            Self::Halve => "halve the tempo",
            Self::Double => "double the tempo",
            Self::Retempo { .. } => "set a tempo",
            Self::Density { strong: true } => "strong beats only",
            Self::Density { strong: false } => "all beats",
            Self::Thin { .. } => "thin out beats",
        }
    }
}

impl SectionEdit {
    fn label(&self) -> &'static str {
        match self {
            Self::MoveBoundary { .. } => "move a boundary",
            Self::Split { .. } => "split a section",
            Self::Join { .. } => "join sections",
            Self::Kind { .. } => "name a section",
            Self::Energy { .. } => "set an energy",
        }
    }
}

impl CueEdit {
    fn label(&self) -> &'static str {
        match self {
            Self::AddCue { .. } => "add a cue",
            Self::MoveCue { .. } => "move a cue",
            Self::RemoveCue { .. } => "remove a cue",
            Self::CueKind { .. } => "rename a cue",
        }
    }
}

impl Marks {
    /// Whether all is as read.
    pub fn is_empty(&self) -> bool {
        self.beats.is_none() && self.sections.is_none() && self.cues.is_none()
    }

    /// The reading with what a person set over it.
    pub fn over(&self, reading: &TrackReading) -> TrackReading {
        let mut out = reading.clone();
        if let Some(beats) = &self.beats {
            out.beats.clone_from(beats);
            out.tempo_bpm = tempo(beats).unwrap_or(out.tempo_bpm);
            // The clap stays where it is heard; it is a backbeat as long as there is a beat.
            out.backbeats.retain(|b| beats.iter().any(|q| (q.at - b).abs() < SNAP));
        }
        if let Some(sections) = &self.sections {
            out.sections.clone_from(sections);
        }
        if let Some(cues) = &self.cues {
            out.cues.clone_from(cues);
        }
        out
    }

    /// The marks after an edit of what one sees: the reading with these marks over it.
    pub fn edited(&self, reading: &TrackReading, edit: &Edit) -> Result<Self, MarkError> {
        let seen = self.over(reading);
        let mut next = self.clone();
        match edit {
            Edit::All(ResetEdit::StartOver) => next = Self::default(),
            Edit::Beats(edit) => {
                let beats = beats(&seen, reading, edit)?;
                if beats.len() > most_beats(&seen) {
                    return Err(MarkError::TooDense);
                }
                next.beats = Some(beats);
            }
            Edit::Sections(edit) => next.sections = Some(sections(&seen, reading, edit)?),
            Edit::Cues(edit) => next.cues = Some(cues(&seen, edit)?),
        }
        Ok(next)
    }
}

fn tempo(beats: &[Beat]) -> Option<f64> {
    let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
    crate::stats::median_gap(&times).map(|gap| 60.0 / gap)
}

/// The nearest onset when it is near enough, else the time itself.
fn snapped(track: &TrackReading, at: f64, snap: bool) -> f64 {
    let nearest = track.onsets.iter().copied().min_by(|a, b| (a - at).abs().total_cmp(&(b - at).abs()));
    nearest.filter(|o| snap && (o - at).abs() <= SNAP).unwrap_or(at)
}

fn nearest(times: impl Iterator<Item = f64>, at: f64) -> Option<usize> {
    times.enumerate().min_by(|a, b| (a.1 - at).abs().total_cmp(&(b.1 - at).abs())).map(|(i, _)| i)
}

/// The place in its bar of the beat that a time is on, where those around it are about `gap` apart.
fn place_of(beats: &[Beat], at: f64, gap: f64) -> Option<u32> {
    let i = nearest(beats.iter().map(|b| b.at), at)?;
    let around = &beats[i.saturating_sub(4)..(i + 5).min(beats.len())];
    let theirs = crate::stats::median_gap(&around.iter().map(|b| b.at).collect::<Vec<f64>>())?;
    ((beats[i].at - at).abs() < gap / 4.0 && (theirs / gap).log2().abs() < AS_FAST).then_some(beats[i].beat)
}

fn sorted(times: impl Iterator<Item = f64>) -> Vec<f64> {
    let mut times: Vec<f64> = times.collect();
    times.sort_by(f64::total_cmp);
    times
}

/// How many beats a track of this length can have.
fn most_beats(track: &TrackReading) -> usize {
    (track.duration.max(0.0) / CLOSEST) as usize + 2
}

fn beats(track: &TrackReading, reading: &TrackReading, edit: &BeatEdit) -> Result<Vec<Beat>, MarkError> {
    let times: Vec<f64> = track.beats.iter().map(|b| b.at).collect();
    let m = track.metre();
    let ones = track.downbeats();
    let inside = |at: f64| (0.0..track.duration).contains(&at);
    let index = |at: f64| {
        nearest(times.iter().copied(), at).filter(|i| (times[*i] - at).abs() < 0.25).ok_or(MarkError::Nothing)
    };
    let free = |at: f64, but: Option<usize>| {
        let taken = times.iter().enumerate().any(|(i, t)| Some(i) != but && (t - at).abs() < CLOSEST);
        if taken {
            Err(MarkError::Taken)
        } else if inside(at) {
            Ok(at)
        } else {
            Err(MarkError::Outside)
        }
    };
    // Other beats in the place of those that do not stay, counted from a place in the bar; bars outside stay as they are.
    let again_laid = |set: &[f64], place: u32, stays: &dyn Fn(&f64) -> bool| {
        let begun = set.iter().zip(place..).filter(|(_, count)| count % m == 1 % m).map(|(at, _)| *at);
        let ones: Vec<f64> = ones.iter().copied().filter(stays).chain(begun).collect();
        let all = sorted(times.iter().copied().filter(stays).chain(set.iter().copied()));
        let range = set.first().copied().unwrap_or(f64::MAX)..=set.last().copied().unwrap_or(f64::MIN);
        bars::filled(&all, &ones, m, range)
    };
    match edit {
        // Before anything is reckoned with them.
        BeatEdit::Taps { times: taps, .. } if taps.len() > most_beats(track) => Err(MarkError::TooDense),
        BeatEdit::Taps { times: taps, snap } => {
            let mut taps: Vec<f64> = taps.iter().map(|t| snapped(track, *t, *snap)).filter(|t| inside(*t)).collect();
            taps.sort_by(f64::total_cmp);
            taps.dedup_by(|b, a| *b - *a < CLOSEST);
            let [first, .., last] = taps[..] else { return Err(MarkError::TooFewTaps) };
            if taps.len() < 4 {
                return Err(MarkError::TooFewTaps);
            }
            let gap = (last - first) / (taps.len() - 1) as f64;
            let stays = |t: &f64| *t < first - gap / 2.0 || *t > last + gap / 2.0;
            let place = place_of(&track.beats, first, gap).unwrap_or(1);
            Ok(again_laid(&taps, place, &stays))
        }
        BeatEdit::MoveBeat { at, to, snap } => {
            let i = index(*at)?;
            let to = free(snapped(track, *to, *snap), Some(i))?;
            let mut beats = track.beats.clone();
            let between = |j: Option<usize>| j.and_then(|j| times.get(j)).copied();
            let before = between(i.checked_sub(1)).unwrap_or(-1.0);
            let after = between(Some(i + 1)).unwrap_or(f64::MAX);
            if to <= before || to >= after {
                return Err(MarkError::Taken);
            }
            beats[i].at = to;
            Ok(beats)
        }
        BeatEdit::AddBeat { at, snap } => {
            let at = free(snapped(track, *at, *snap), None)?;
            Ok(bars::filled(&sorted(times.iter().copied().chain([at])), &ones, m, at..=at))
        }
        BeatEdit::RemoveBeat { at } => {
            let i = index(*at)?;
            let mut left = times.clone();
            left.remove(i);
            // What is left of the first bar is an upbeat.
            let next = times.get(i + 1).filter(|_| track.beats[i].beat == 1 && i > 0);
            Ok(barred(&left, &ones.iter().chain(next).copied().collect::<Vec<f64>>()))
        }
        BeatEdit::SetDownbeat { at } => {
            let i = index(*at)?;
            Ok(bars::moved(&track.beats, m, i))
        }
        BeatEdit::Metre { beats } => {
            if !(2..=12).contains(beats) {
                return Err(MarkError::Metre);
            }
            Ok(counted(&times, *beats, ones.first().copied().unwrap_or(0.0)))
        }
        BeatEdit::Halve => Ok(bars::halved(&track.beats, &reading.beats, m)),
        // What was set by hand may be that near already in places; most of it must not become so.
        BeatEdit::Double if crate::stats::median_gap(&times).is_some_and(|gap| gap < 2.0 * CLOSEST) => {
            Err(MarkError::TooDense)
        }
        BeatEdit::Double => Ok(bars::doubled(&track.beats, m)),
        BeatEdit::Retempo { start, end, bpm } => {
            if !(30.0..=300.0).contains(bpm) {
                return Err(MarkError::Tempo);
            }
            if !inside(*start) || end <= start {
                return Err(MarkError::Outside);
            }
            // Where no beat is, a bar begins.
            let first = nearest(times.iter().copied(), *start).filter(|i| (times[*i] - start).abs() < 0.4);
            let (from, place) = first.map_or((*start, 1), |i| (times[i], track.beats[i].beat));
            let gap = 60.0 / bpm;
            let end = end.min(track.duration);
            let stays = |at: &f64| *at < from - CLOSEST || *at >= end - CLOSEST;
            let found = paced::beats(&track.onsets, from, end - gap / 2.0, gap);
            Ok(again_laid(&found, place, &stays))
        }
        BeatEdit::Density { strong: true } => strong_beats(track),
        BeatEdit::Density { strong: false } => all_beats(track, reading),
        BeatEdit::Thin { least } => {
            let mut kept: Vec<&Beat> = Vec::new();
            for first in [true, false] {
                for beat in track.beats.iter().filter(|b| (b.beat == 1) == first) {
                    if kept.iter().all(|k| (beat.at - k.at).abs() >= *least) {
                        kept.push(beat);
                    }
                }
            }
            kept.sort_by(|a, b| a.at.total_cmp(&b.at));
            Ok(barred(&kept.iter().map(|b| b.at).collect::<Vec<f64>>(), &ones))
        }
    }
}

/// The first and the middle of each bar; of three, five or seven the first.
fn strong_beats(track: &TrackReading) -> Result<Vec<Beat>, MarkError> {
    let step = match track.metre() {
        1 => return Err(MarkError::Nothing),
        6 => 3,
        even if even % 2 == 0 => 2,
        odd => odd,
    };
    let strong = track.beats.iter().filter(|b| (b.beat + step - 1).is_multiple_of(step)).map(|b| b.at);
    Ok(barred(&strong.collect::<Vec<f64>>(), &track.downbeats()))
}

/// Fills what was left out between marks: with beats as read where they lie there, evenly where they do not.
fn all_beats(track: &TrackReading, reading: &TrackReading) -> Result<Vec<Beat>, MarkError> {
    let times = |of: &TrackReading| -> Vec<f64> { of.beats.iter().map(|b| b.at).collect() };
    let (marks, read) = (times(track), times(reading));
    let ([first, .., last], Some(gap)) = (&marks[..], crate::stats::median_gap(&read)) else {
        return Err(MarkError::Nothing);
    };
    let as_read = |at: f64| nearest(read.iter().copied(), at).map(|i| read[i]).filter(|r| (r - at).abs() < SNAP);
    let mut all: Vec<f64> = Vec::new();
    if as_read(*first).is_some() {
        all.extend(read.iter().filter(|t| **t < first - CLOSEST));
    }
    for pair in marks.windows(2) {
        let parts = ((pair[1] - pair[0]) / gap).round().max(1.0) as u32;
        all.extend((0..parts).map(|k| {
            let at = pair[0] + (pair[1] - pair[0]) * f64::from(k) / f64::from(parts);
            if k == 0 { at } else { as_read(at).unwrap_or(at) }
        }));
    }
    all.push(*last);
    if as_read(*last).is_some() {
        all.extend(read.iter().filter(|t| **t > last + CLOSEST));
    }
    if all.len() == marks.len() {
        return Err(MarkError::Nothing);
    }
    Ok(barred(&all, &track.downbeats()))
}

fn to_bar(track: &TrackReading, at: f64, wanted: bool) -> f64 {
    let nearest = track.downbeats().into_iter().min_by(|a, b| (a - at).abs().total_cmp(&(b - at).abs()));
    nearest.filter(|_| wanted).unwrap_or(at)
}

fn sections(track: &TrackReading, read: &TrackReading, edit: &SectionEdit) -> Result<Vec<Section>, MarkError> {
    let mut list = track.sections.clone();
    let under =
        |list: &[Section], at: f64| list.iter().position(|s| at >= s.start && at < s.end).ok_or(MarkError::Outside);
    let measured = |s: &Section| {
        if s.energy_manual { s.energy } else { (read.energy.mean(s.start, s.end) * 10.0).round() / 10.0 }
    };
    match edit {
        SectionEdit::MoveBoundary { at, to, to_bar: bars } => {
            let i = nearest(list.iter().skip(1).map(|s| s.start), *at).ok_or(MarkError::OnlySection)? + 1;
            let to = to_bar(track, *to, *bars);
            if to < list[i - 1].start + SHORTEST_SECTION || to > list[i].end - SHORTEST_SECTION {
                return Err(MarkError::ShortSection);
            }
            list[i - 1].end = to;
            list[i].start = to;
            list[i - 1].energy = measured(&list[i - 1]);
            list[i].energy = measured(&list[i]);
        }
        SectionEdit::Split { at, to_bar: bars } => {
            let at = to_bar(track, *at, *bars);
            let i = under(&list, at)?;
            if at < list[i].start + SHORTEST_SECTION || at > list[i].end - SHORTEST_SECTION {
                return Err(MarkError::ShortSection);
            }
            let second = Section { start: at, ..list[i] };
            list[i].end = at;
            list.insert(i + 1, second);
            for k in [i, i + 1] {
                list[k].energy = measured(&list[k]);
            }
        }
        SectionEdit::Join { at } => {
            let i = nearest(list.iter().skip(1).map(|s| s.start), *at).ok_or(MarkError::OnlySection)? + 1;
            list[i - 1].end = list[i].end;
            list.remove(i);
            list[i - 1].energy = measured(&list[i - 1]);
        }
        SectionEdit::Kind { at, kind } => {
            let i = under(&list, *at)?;
            list[i].kind = *kind;
        }
        SectionEdit::Energy { at, energy } => {
            let i = under(&list, *at)?;
            if energy.is_some_and(|e| !(0.0..=100.0).contains(&e)) {
                return Err(MarkError::Energy);
            }
            list[i].energy_manual = energy.is_some();
            list[i].energy = energy.unwrap_or(0.0);
            list[i].energy = measured(&list[i]);
        }
    }
    Ok(list)
}

fn cues(track: &TrackReading, edit: &CueEdit) -> Result<Vec<Cue>, MarkError> {
    let mut list = track.cues.clone();
    let find = |list: &[Cue], at: f64, kind: CueKind| {
        list.iter().position(|c| c.kind == kind && (c.at - at).abs() < 0.05).ok_or(MarkError::Nothing)
    };
    let inside = |at: f64| if (0.0..=track.duration).contains(&at) { Ok(at) } else { Err(MarkError::Outside) };
    match edit {
        CueEdit::AddCue { at, kind } => {
            if find(&list, *at, *kind).is_ok() {
                return Err(MarkError::Taken);
            }
            if list.len() >= MOST_CUES {
                return Err(MarkError::TooManyCues);
            }
            list.push(with_length(track, Cue::new(inside(*at)?, *kind, 1.0)));
        }
        CueEdit::MoveCue { at, kind, to, snap } => {
            let i = find(&list, *at, *kind)?;
            list[i] = with_length(track, Cue::new(inside(snapped(track, *to, *snap))?, *kind, list[i].strength));
        }
        CueEdit::RemoveCue { at, kind } => {
            let i = find(&list, *at, *kind)?;
            list.remove(i);
        }
        CueEdit::CueKind { at, kind, to } => {
            let i = find(&list, *at, *kind)?;
            list[i] = with_length(track, Cue::new(list[i].at, *to, list[i].strength));
        }
    }
    list.sort_by(|a, b| a.at.total_cmp(&b.at));
    Ok(list)
}

/// A pause that a person set lasts to the next beat, since nobody has measured it; a second where no beat follows.
fn with_length(track: &TrackReading, cue: Cue) -> Cue {
    if cue.kind != CueKind::Pause {
        return cue;
    }
    let next = track.beats.iter().map(|b| b.at).find(|at| *at > cue.at + SHORTEST_PAUSE);
    let end = next.unwrap_or(cue.at + 1.0).min(track.duration.max(cue.at));
    Cue { lasts: Some(end - cue.at).filter(|lasts| *lasts > 0.0), ..cue }
}

#[cfg(test)]
mod tests;
