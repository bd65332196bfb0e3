//! Slots: the stretches of a version between two changes of picture.

use super::Pace;
use crate::draft::{Draft, SHORTEST};
use crate::select::Role;
use crate::time::{FrameLen, FramePos, FrameRate, Seconds};
use crate::track::{Cue, CueKind, SectionKind, TrackReading, Version, VersionError, retarget};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
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
        Some((left, right))
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
/// the usual one for its kind. Where the pace is varied, each seed varies it in another way. A drop always has a cut.
pub fn slots(reading: &TrackReading, rate: FrameRate, pace: &[Pace], seed: u64) -> Vec<Slot> {
    let total = rate.containing(Seconds::from_measured(reading.duration + 1e-6)).get().max(0);
    let frame = |at: f64| rate.nearest(Seconds::from_measured(at)).get().clamp(0, total);
    let metre = f64::from(reading.metre());
    let shortest = ((SHORTEST_SECONDS * rate.to_f64()).ceil() as i64).max(SHORTEST.get() as i64);
    let drops = drops(reading, rate);
    let mut cuts: Vec<(i64, usize)> = Vec::new();
    for (index, section) in reading.sections.iter().enumerate() {
        let pace = pace.get(index).copied().unwrap_or_else(|| Pace::for_kind(section.kind));
        let (start, end) = (frame(section.start), frame(section.end));
        cuts.push((start, index));
        let beats: Vec<i64> = reading
            .beats
            .iter()
            .filter(|b| b.at > section.start - 0.02 && b.at < section.end - 0.02)
            .map(|b| frame(b.at))
            .collect();
        let mut step = Steps::new(pace, section.kind, metre, beats.len(), (seed, index));
        let mut at = 0usize;
        loop {
            at += step.next(at);
            let Some(cut) = beats.get(at) else { break };
            // The rest of the section must be worth a shot of its own.
            if end - cut < shortest || (end - cut) * 2 < (step.usual * beat_frames(&beats)) as i64 {
                break;
            }
            cuts.push((*cut, index));
        }
        // What is left of the section may be as long as the three shots before it.
        if pace.varied && section.kind != SectionKind::Build {
            let of_section: Vec<i64> =
                cuts.iter().filter(|(_, of)| *of == index).map(|(cut, _)| *cut).chain([end]).collect();
            let lens: Vec<i64> = of_section.windows(2).map(|pair| pair[1] - pair[0]).collect();
            let (least, most) = lens.iter().rev().take(4).fold((i64::MAX, 0), |(l, m), len| (l.min(*len), m.max(*len)));
            if lens.len() >= 4 && most - least <= 1 {
                cuts.pop();
            }
        }
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

fn beat_frames(beats: &[i64]) -> f64 {
    if beats.len() < 2 { 12.0 } else { (beats[beats.len() - 1] - beats[0]) as f64 / (beats.len() - 1) as f64 }
}

/// How many beats each next shot lasts.
struct Steps {
    usual: f64,
    pace: Pace,
    kind: SectionKind,
    beats: usize,
    rng: ChaCha8Rng,
    /// The group that is gone through, and how far.
    group: &'static [u8],
    turn: usize,
}

/// Lengths in halves of the usual one. Each group is as long as four usual shots, so that every fourth mark of an even cadence
/// has a cut, and none has the same length three times in a row.
const GROUPS: [&[u8]; 8] = [
    &[2, 1, 1, 4],
    &[2, 2, 1, 1, 2],
    &[4, 2, 2],
    &[1, 1, 2, 4],
    &[4, 1, 1, 2],
    &[2, 4, 2],
    &[1, 2, 1, 4],
    &[1, 1, 4, 2],
];

/// The same for shots that usually last two bars and longer: none is twice as long.
const SLOW_GROUPS: [&[u8]; 6] =
    [&[2, 3, 1, 2], &[3, 2, 2, 1], &[2, 1, 3, 2], &[1, 2, 2, 3], &[3, 1, 2, 2], &[2, 2, 1, 3]];

impl Steps {
    fn new(pace: Pace, kind: SectionKind, metre: f64, beats: usize, (seed, section): (u64, usize)) -> Self {
        // A stream of its own for each section: another pace in one leaves the cadence of the others.
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        rng.set_stream(section as u64);
        Self { usual: pace.beats(metre), pace, kind, beats, rng, group: &[], turn: 0 }
    }

    fn next(&mut self, at: usize) -> usize {
        let mut beats = self.usual;
        if self.kind == SectionKind::Build && self.beats > 0 {
            // A build hurries: half the length from its middle on, a quarter in its last quarter.
            let along = at as f64 / self.beats as f64;
            if along >= 0.75 {
                beats /= 4.0;
            } else if along >= 0.5 {
                beats /= 2.0;
            }
        } else if self.pace.varied {
            beats *= f64::from(self.halves()) / 2.0;
        }
        (beats.round() as usize).max(1)
    }

    /// The next length of a cadence that a listener cannot foretell: never the same four times in a row.
    fn halves(&mut self) -> u8 {
        if self.turn == self.group.len() {
            let (last, before) = (self.group.last(), self.group);
            let ended = before.iter().rev().take_while(|halves| Some(*halves) == last).count();
            let fits = |group: &&&[u8]| {
                let begun = group.iter().take_while(|halves| Some(*halves) == last).count();
                **group != before && ended + begun < 4
            };
            let groups: &[&[u8]] = if self.pace.quarters() >= 8 { &SLOW_GROUPS } else { &GROUPS };
            let fitting: Vec<&&[u8]> = groups.iter().filter(fits).collect();
            self.group = fitting[self.rng.random_range(0..fitting.len())];
            self.turn = 0;
        }
        self.turn += 1;
        self.group[self.turn - 1]
    }
}

/// The version of a track to start with. Of one that is longer than wanted it has the opening, the strongest drop and the real
/// ending, through seams that are not to be heard, made faster or slower by the little that is missing to the wanted
/// length; where no such version comes near enough to it, the part that says most of the piece.
pub fn propose_version(reading: &TrackReading, wanted: Option<f64>, whole: Seconds) -> Result<Version, VersionError> {
    let shortened = wanted.filter(|wanted| *wanted < reading.duration - 0.5).and_then(|wanted| {
        let offers = retarget::propose(reading, wanted, retarget::must_stay(reading), 1);
        let unheard = |offer: &retarget::Proposal| offer.seams.iter().all(|seam| seam.cost <= HEARD);
        let near = |offer: &retarget::Proposal| (offer.seconds / wanted - 1.0).abs() <= MOST_STRETCH;
        let offer = offers.into_iter().find(|offer| !offer.seams.is_empty() && unheard(offer) && near(offer))?;
        offer.version(whole).ok()?.stretched(wanted / offer.seconds).ok()
    });
    shortened.map_or_else(|| propose_plain(reading, wanted, whole), Ok)
}

/// The part of a track to start with ([`propose_part`]), as a version.
pub fn propose_plain(reading: &TrackReading, wanted: Option<f64>, whole: Seconds) -> Result<Version, VersionError> {
    let (start, end) = propose_part(reading, wanted);
    Version::part(Seconds::from_measured(start), Seconds::from_measured(end).min(whole), whole)
        .or_else(|_| Version::part(Seconds::ZERO, whole, whole))
}

/// A seam that costs more than this is plainly heard.
const HEARD: f64 = 0.5;
/// By how much of its length a version is made faster or slower without anybody noticing.
const MOST_STRETCH: f64 = 0.03;

/// The part of a track to start with: as long as wanted, from a downbeat on, with the strongest drop in it after
/// enough of a build, and with as much of the shape of the piece as fits. The whole when it is short enough.
pub fn propose_part(reading: &TrackReading, wanted: Option<f64>) -> (f64, f64) {
    let end = reading.cues.iter().rev().find(|c| c.kind == CueKind::End).map_or(reading.duration, |c| c.at);
    let Some(wanted) = wanted.filter(|w| *w < reading.duration - 0.5) else { return (0.0, reading.duration) };
    let score = |start: f64| {
        let stop = start + wanted;
        let inside = |at: f64| at >= start - 0.01 && at <= stop;
        let cues = reading.cues.iter().filter(|c| c.kind != CueKind::End && inside(c.at)).count() as f64;
        let on_section = reading.sections.iter().any(|s| (s.start - start).abs() < 0.1);
        let ends_with_a_section = reading.sections.iter().any(|s| (s.end - stop).abs() < 0.6);
        // The drop wants its build before it and time to be enjoyed behind it.
        let drop = |c: &Cue| 4.0 + 2.0 * c.strength - 8.0 * ((c.at - start) / wanted - 0.5).abs();
        let place =
            reading.cues.iter().filter(|c| c.kind == CueKind::Drop && inside(c.at)).map(drop).fold(0.0, f64::max);
        let points = [(on_section, 3.0), (ends_with_a_section, 1.5), ((stop - end).abs() < 2.5, 2.0)];
        place + cues.min(4.0) + points.iter().filter(|p| p.0).map(|p| p.1).sum::<f64>()
    };
    let latest = (reading.duration - wanted).max(0.0);
    let start = reading
        .beats
        .iter()
        .filter(|b| b.beat == 1 && b.at <= latest)
        .map(|b| b.at)
        .fold(None, |best: Option<f64>, at| match best {
            Some(b) if score(b) >= score(at) => Some(b),
            _ => Some(at),
        })
        .unwrap_or(0.0);
    (start, start + wanted)
}
