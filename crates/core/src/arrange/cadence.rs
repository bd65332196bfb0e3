//! Where the cuts of a section fall: a cadence of its pace, on beats, backbeats or onsets, with regard for silences, long notes
//! and what a listener could foretell.

use super::Pace;
use super::pace::CutsOn;
use crate::time::{FramePos, FrameRate, Seconds};
use crate::track::{CueKind, SectionKind, TrackReading};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Where the cuts of one section can lie.
pub(super) struct SectionGrid<'a> {
    reading: &'a TrackReading,
    rate: FrameRate,
    index: usize,
    kind: SectionKind,
    pace: Pace,
    metre: f64,
    start: i64,
    end: i64,
    /// Its beats, as frames.
    beats: Vec<i64>,
}

impl<'a> SectionGrid<'a> {
    pub fn new(reading: &'a TrackReading, rate: FrameRate, index: usize, pace: Pace) -> Self {
        let section = &reading.sections[index];
        let last = rate.containing(Seconds::from_measured(reading.duration + 1e-6)).get().max(0);
        let frame = |at: f64| frame_at(rate, at).clamp(0, last);
        let beats = reading.beats.iter().filter(|b| b.at > section.start - 0.02 && b.at < section.end - 0.02);
        Self {
            reading,
            rate,
            index,
            kind: section.kind,
            pace,
            metre: f64::from(reading.metre()),
            start: frame(section.start),
            end: frame(section.end),
            beats: beats.map(|b| frame(b.at)).collect(),
        }
    }

    /// The cadence of its pace, on what its cuts fall on. The first cut is its beginning.
    pub fn cuts(&self, seed: u64, shortest: i64) -> Vec<i64> {
        let mut step = Steps::new(self.pace, self.kind, self.metre, self.beats.len(), (seed, self.index));
        let mut cuts = vec![self.start];
        let mut at = 0usize;
        loop {
            at += step.next(at);
            let Some(cut) = self.beats.get(at) else { break };
            // The rest of the section must be worth a shot of its own.
            if self.end - cut < shortest || (self.end - cut) * 2 < (step.usual * beat_frames(&self.beats)) as i64 {
                break;
            }
            let cut = self.settled(self.on_what_is_asked(*cut));
            if cut - cuts[cuts.len() - 1] >= shortest && self.end - cut >= shortest {
                cuts.push(cut);
            }
        }
        self.break_runs(&mut cuts);
        self.divide_long(&mut cuts);
        cuts
    }

    /// The backbeat or the onset that a cut on this beat goes to.
    fn on_what_is_asked(&self, cut: i64) -> i64 {
        let beat = beat_frames(&self.beats);
        let near = |at: &i64| at.abs_diff(cut) as f64 <= beat * 1.01 && *at > self.start && *at < self.end;
        match self.pace.on {
            CutsOn::Beats => cut,
            // Of two that are equally near the later one: the action has had its beat by then.
            CutsOn::Backbeats => self.backbeats().filter(near).min_by_key(|at| (at.abs_diff(cut), -at)).unwrap_or(cut),
            CutsOn::Onsets => {
                let close = self.reading.onsets.iter().map(|at| (*at, frame_at(self.rate, *at)));
                let close = close.filter(|(_, at)| near(at) && at.abs_diff(cut) as f64 <= beat / 2.0);
                close.max_by(|a, b| self.rise(a.0).total_cmp(&self.rise(b.0))).map_or(cut, |(_, at)| at)
            }
        }
    }

    /// The backbeats that were heard, or where none were, the second and the fourth beat of each bar.
    fn backbeats(&self) -> impl Iterator<Item = i64> + '_ {
        let counted = self.reading.beats.iter().filter(|b| b.beat.is_multiple_of(2)).map(|b| b.at);
        let heard = self.reading.backbeats.iter().copied();
        let none = self.reading.backbeats.is_empty();
        heard.chain(counted.filter(move |_| none)).map(|at| frame_at(self.rate, at))
    }

    /// By how much it gets louder at an instant.
    fn rise(&self, at: f64) -> f64 {
        let loud = &self.reading.momentary;
        let trace = if loud.is_empty() { &self.reading.energy } else { loud };
        trace.mean(at, at + 0.2) - trace.mean((at - 0.2).max(0.0), at)
    }

    /// A cut in a silence waits for its end; one in the middle of a long note goes to the beat beside it on which something
    /// begins, where there is one.
    fn settled(&self, cut: i64) -> i64 {
        let pauses = self.reading.cues.iter().filter(|c| c.kind == CueKind::Pause);
        let mut silences =
            pauses.filter_map(|c| Some((frame_at(self.rate, c.at), frame_at(self.rate, c.at + c.lasts?))));
        if let Some((_, end)) = silences.find(|(from, to)| cut > *from && cut < *to) {
            return end;
        }
        if self.reading.onsets.is_empty() || self.sounds_at(cut) {
            return cut;
        }
        let beat = beat_frames(&self.beats);
        let beside = self.beats.iter().copied().filter(|at| at.abs_diff(cut) as f64 <= beat * 1.01 && *at > self.start);
        beside.filter(|at| self.sounds_at(*at)).max().unwrap_or(cut)
    }

    /// Whether something begins on a frame.
    fn sounds_at(&self, frame: i64) -> bool {
        let at = self.rate.seconds_at(FramePos::new(frame)).to_f64();
        let next = self.reading.onsets.partition_point(|onset| *onset < at - BEGINS);
        self.reading.onsets.get(next).is_some_and(|onset| *onset <= at + BEGINS)
    }

    /// A varied cadence never has one length four times in a row: of four the third and the fourth become one.
    fn break_runs(&self, cuts: &mut Vec<i64>) {
        if !self.pace.varied || self.kind == SectionKind::Build {
            return;
        }
        let mut at = 0;
        while at + 3 < cuts.len() {
            let ends: Vec<i64> = cuts[at..].iter().copied().chain([self.end]).take(5).collect();
            let lens: Vec<i64> = ends.windows(2).map(|pair| pair[1] - pair[0]).collect();
            if lens.len() == 4
                && lens.iter().max().zip(lens.iter().min()).is_some_and(|(most, least)| most - least <= 1)
            {
                cuts.remove(at + 3);
            }
            at += 1;
        }
    }

    /// A shot of more than four bars is divided at the bar line nearest to its middle, unless such a pace was asked for.
    fn divide_long(&self, cuts: &mut Vec<i64>) {
        let bar = self.metre * beat_frames(&self.beats);
        let bars = self.reading.beats.iter().filter(|b| b.beat == 1).map(|b| frame_at(self.rate, b.at));
        let bars: Vec<i64> = bars.collect();
        if f64::from(self.pace.quarters()) / 4.0 >= LONGEST_BARS || self.beats.len() < 2 {
            return;
        }
        let mut at = 0;
        while at < cuts.len() {
            let (from, to) = (cuts[at], cuts.get(at + 1).copied().unwrap_or(self.end));
            let inside = bars.iter().copied().filter(|b| (b - from).min(to - b) as f64 >= bar * 0.9);
            let middle = inside.min_by_key(|b| b.abs_diff((from + to) / 2));
            match middle.filter(|_| (to - from) as f64 > bar * LONGEST_BARS * 1.02) {
                Some(cut) => cuts.insert(at + 1, cut),
                None => at += 1,
            }
        }
    }
}

/// An onset this near to a beat, in seconds, is on it.
const BEGINS: f64 = 0.06;
/// After so many bars of one shot people leave.
const LONGEST_BARS: f64 = 4.0;

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

/// The frame nearest to an instant of the music.
fn frame_at(rate: FrameRate, seconds: f64) -> i64 {
    rate.nearest(Seconds::from_measured(seconds)).get()
}
