//! Slots: the stretches of a version between two changes of picture.

use super::Pace;
use super::cadence::SectionGrid;
use crate::draft::{Draft, SHORTEST};
use crate::select::Role;
use crate::time::{FrameLen, FramePos, FrameRate, Seconds};
use crate::track::{CueKind, SectionKind, TrackReading};
use serde::Deserialize;

/// No planned shot is shorter than this many seconds, however fast the music.
const SHORTEST_SECONDS: f64 = 0.3;

/// A place for one shot, with what it asks for.
#[derive(Debug, Clone, PartialEq)]
pub struct Slot {
    /// Where it begins in the draft.
    pub start: FramePos,
    /// How long it is.
    pub len: FrameLen,
    /// 0–100, the music's here.
    pub energy: f64,
    /// The kind of its section.
    pub kind: SectionKind,
    /// Which section of the version it is in.
    pub section: usize,
    /// Whether the drop falls on its beginning.
    pub on_drop: bool,
    /// The role that it asks for.
    pub wants: Option<Role>,
    /// The beats in it, from its own beginning; with bar and beat for people.
    pub marks: Vec<BeatMark>,
}

/// A beat within a place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
pub struct BeatMark {
    /// Frames from the beginning of the place.
    pub at: u64,
    /// Its bar.
    pub bar: u32,
    /// Its place in the bar, from 1.
    pub beat: u32,
}

impl Slot {
    /// Where it ends, exclusive.
    pub fn end(&self) -> FramePos {
        FramePos::new(self.start.get() + self.len.get() as i64)
    }

    /// Divides at the mark nearest to the middle, or in the middle where nothing marks the music: a cut off the beat is
    /// better than no draft. `None` when there is no room for two shots.
    pub fn split(&self) -> Option<(Self, Self)> {
        let middle = self.len.get() / 2;
        let cut = self
            .marks
            .iter()
            .map(|m| m.at)
            .filter(|at| *at >= SHORTEST.get() * 2 && self.len.get() - at >= SHORTEST.get() * 2)
            .min_by_key(|at| at.abs_diff(middle))
            .or_else(|| (self.len.get() >= SHORTEST.get() * 4).then_some(middle))?;
        Some(self.split_at(cut))
    }

    /// Divides so many frames after its beginning, which must lie within it.
    pub(super) fn split_at(&self, cut: u64) -> (Self, Self) {
        let mut left = self.clone();
        let mut right = self.clone();
        left.len = FrameLen::new(cut);
        left.marks.retain(|m| m.at < cut);
        right.start = FramePos::new(self.start.get() + cut as i64);
        right.len = FrameLen::new(self.len.get() - cut);
        right.marks = self.marks.iter().filter(|m| m.at >= cut).map(|m| BeatMark { at: m.at - cut, ..*m }).collect();
        right.on_drop = false;
        if left.wants == Some(Role::Closing) {
            left.wants = None;
        }
        if right.wants == Some(Role::Establishing) {
            right.wants = None;
        }
        (left, right)
    }

    /// This slot and the next as one.
    pub fn joined(&self, next: &Self) -> Self {
        let mut both = self.clone();
        let total = (self.len.get() + next.len.get()) as f64;
        both.len = FrameLen::new(self.len.get() + next.len.get());
        both.energy = (self.energy * self.len.get() as f64 + next.energy * next.len.get() as f64) / total;
        both.marks.extend(next.marks.iter().map(|m| BeatMark { at: m.at + self.len.get(), ..*m }));
        both.wants = self.wants.or(next.wants);
        both
    }
}

/// Divides a version (its reading, in its own time) into slots. `pace` has one entry per section; a missing one is
/// the usual one for its kind. Where the pace is varied, each seed varies it in another way. A drop always has a cut, a silence
/// or a long note none, and no shot is longer than four bars unless its pace is.
pub fn slots(reading: &TrackReading, rate: FrameRate, pace: &[Pace], seed: u64) -> Vec<Slot> {
    let total = rate.containing(Seconds::from_measured(reading.duration + 1e-6)).get().max(0);
    let shortest = ((SHORTEST_SECONDS * rate.to_f64()).ceil() as i64).max(SHORTEST.get() as i64);
    let drops = drops(reading, rate);
    let mut cuts: Vec<(i64, usize)> = Vec::new();
    for (index, section) in reading.sections.iter().enumerate() {
        let pace = pace.get(index).copied().unwrap_or_else(|| Pace::for_kind(section.kind));
        let of_section = SectionGrid::new(reading, rate, index, pace).cuts(seed, shortest);
        cuts.extend(of_section.into_iter().map(|cut| (cut, index)));
    }
    let on_drop = |at: &i64| drops.iter().any(|drop| drop.abs_diff(*at) <= 1);
    for drop in drops.iter().filter(|at| **at > 0) {
        if cuts.iter().any(|(cut, _)| cut.abs_diff(*drop) <= 1) {
            continue;
        }
        let next = cuts.partition_point(|(cut, _)| cut < drop);
        let section = cuts[next.max(1) - 1].1;
        cuts.insert(next, (*drop, section));
    }
    let mut kept: Vec<(i64, usize)> = Vec::new();
    for (cut, section) in cuts {
        // What would be a flash before the drop gives way to it.
        while on_drop(&cut) && kept.len() > 1 && kept.last().is_some_and(|(last, _)| cut - last < shortest) {
            kept.pop();
        }
        match kept.last() {
            None => kept.push((0, section)),
            Some((last, _)) if cut - last >= shortest && total - cut >= shortest => kept.push((cut, section)),
            _ => {}
        }
    }
    build(reading, rate, total, &kept)
}

/// The slots that the shots of a draft stand in, to compare them with the music.
pub fn slots_under(draft: &Draft, reading: &TrackReading) -> Vec<Slot> {
    if reading.sections.is_empty() {
        return Vec::new();
    }
    let rate = draft.rate();
    let section = |at: FramePos| {
        let middle = rate.seconds_at(at).to_f64() + 0.05;
        reading.sections.iter().position(|s| middle < s.end).unwrap_or(reading.sections.len() - 1)
    };
    let cuts: Vec<(i64, usize)> = draft.placed().map(|(at, _)| (at.get(), section(at))).collect();
    build(reading, rate, draft.len().get() as i64, &cuts)
}

/// The frames on which the music drops.
fn drops(reading: &TrackReading, rate: FrameRate) -> Vec<i64> {
    let drops = reading.cues.iter().filter(|c| c.kind == CueKind::Drop);
    drops.map(|c| rate.nearest(Seconds::from_measured(c.at)).get()).collect()
}

fn build(reading: &TrackReading, rate: FrameRate, total: i64, cuts: &[(i64, usize)]) -> Vec<Slot> {
    let drops = drops(reading, rate);
    let ends = cuts.iter().skip(1).map(|(c, _)| *c).chain([total]);
    let mut slots: Vec<Slot> = cuts
        .iter()
        .zip(ends)
        .filter(|((start, _), end)| end > start)
        .map(|((start, section), end)| {
            let seconds = |f: i64| rate.seconds_at(FramePos::new(f)).to_f64();
            let marks = reading
                .beats
                .iter()
                .map(|b| (rate.nearest(Seconds::from_measured(b.at)).get(), b))
                .filter(|(at, _)| at >= start && *at < end)
                .map(|(at, b)| BeatMark { at: (at - start) as u64, bar: b.bar, beat: b.beat })
                .collect();
            let of = &reading.sections[*section];
            // A section whose energy a person set is louder or softer as a whole; its rise and fall stays.
            let lifted = if of.energy_manual { of.energy - reading.energy.mean(of.start, of.end) } else { 0.0 };
            Slot {
                start: FramePos::new(*start),
                len: FrameLen::new((end - start) as u64),
                energy: (reading.energy.mean(seconds(*start), seconds(end)) + lifted).clamp(0.0, 100.0),
                kind: of.kind,
                section: *section,
                on_drop: drops.iter().any(|d| d.abs_diff(*start) <= 1),
                wants: None,
                marks,
            }
        })
        .collect();
    for slot in slots.iter_mut().filter(|s| s.on_drop) {
        slot.wants = Some(Role::Reveal);
    }
    if let Some(first) = slots.first_mut() {
        first.wants = Some(Role::Establishing);
    }
    if let Some(last) = slots.last_mut() {
        last.wants = Some(Role::Closing);
    }
    slots
}
