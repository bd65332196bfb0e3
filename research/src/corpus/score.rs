//! Scores in MIDI files: music that others wrote, with the written beats and bars as its truth. It is for trying the
//! reading, never for fitting it.

use crate::Truth;
use crate::corpus::compose::median_bpm;
use crate::corpus::play::{Band, PlayError, fingerprint, kept_or};
use midly::{MetaMessage, MidiMessage, Smf, Timing, TrackEventKind};
use std::path::Path;

/// Nobody taps before there is something to hear.
const EARLY: f64 = 0.04;
/// In microseconds a quarter: what a file means that says nothing.
const USUAL_TEMPO: u32 = 500_000;
const FEWEST_BEATS: usize = 8;

#[derive(Debug, thiserror::Error)]
pub enum ScoreError {
    #[error("the score cannot be opened: {0}")]
    NotThere(#[from] std::io::Error),
    #[error("the score is no MIDI file: {0}")]
    NotMidi(#[from] midly::Error),
    #[error("the score counts frames, not beats")]
    NoBeats,
    #[error("the score has fewer than eight beats with notes")]
    TooShort,
}

pub struct Score {
    pub name: String,
    pub truth: Truth,
    bytes: Vec<u8>,
    seconds: f64,
}

/// From a tick on, a number of units a bar, and ticks a unit.
#[derive(Clone, Copy)]
struct Signature {
    from: u64,
    beats: u32,
    ticks: u64,
}

impl Score {
    /// The first `longest` seconds of a file.
    pub fn open(file: &Path, longest: f64) -> Result<Self, ScoreError> {
        let name = file.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        Self::of(name, std::fs::read(file)?, longest)
    }

    fn of(name: String, bytes: Vec<u8>, longest: f64) -> Result<Self, ScoreError> {
        let written = Written::of(&Smf::parse(&bytes)?)?;
        let (Some(first), Some(last)) = (written.notes.first(), written.notes.last()) else {
            return Err(ScoreError::TooShort);
        };
        let (from, to) = (written.seconds(*first) - EARLY, written.seconds(*last).min(longest));
        let beats = written.beats(*last).into_iter().map(|(tick, one)| (written.seconds(tick), one));
        let heard: Vec<(f64, bool)> = beats.filter(|(at, _)| (from..=to).contains(at)).collect();
        if heard.len() < FEWEST_BEATS {
            return Err(ScoreError::TooShort);
        }
        let beats: Vec<f64> = heard.iter().map(|(at, _)| *at).collect();
        let downbeats: Vec<f64> = heard.iter().filter(|(_, one)| *one).map(|(at, _)| *at).collect();
        let metre = (beats.len() as f64 / downbeats.len().max(1) as f64).round() as u32;
        let tempo_bpm = median_bpm(&beats);
        let truth = Truth { beats, downbeats, metre, tempo_bpm, sections: Vec::new(), cues: Vec::new() };
        Ok(Self { name, truth, bytes, seconds: to + 1.0 })
    }

    /// Mono samples at `rate` hertz, kept in a folder once they are played.
    pub fn played(&self, band: &Band, rate: u32, kept: &Path) -> Result<Vec<f32>, PlayError> {
        let name = format!("{:016x}-{:.0}.{rate}", fingerprint(self.bytes.iter().copied()), self.seconds);
        kept_or(&kept.join(name), || band.perform(&self.bytes, self.seconds, rate))
    }
}

impl Signature {
    /// Eighths in groups of three are beaten in dotted quarters.
    fn of(from: u64, units: u32, power: u8, quarter: u64) -> Self {
        let unit = ((4 * quarter) >> power).max(1);
        let compound = power >= 3 && units > 3 && units.is_multiple_of(3);
        if compound {
            Self { from, beats: units / 3, ticks: 3 * unit }
        } else {
            Self { from, beats: units.max(1), ticks: unit }
        }
    }
}

/// What is written that decides about time, each in the order of its ticks.
struct Written {
    /// Ticks a quarter.
    quarter: u64,
    /// From a tick on, microseconds a quarter.
    tempos: Vec<(u64, u32)>,
    signatures: Vec<Signature>,
    /// Where notes begin.
    notes: Vec<u64>,
}

impl Written {
    fn of(midi: &Smf<'_>) -> Result<Self, ScoreError> {
        let Timing::Metrical(quarter) = midi.header.timing else { return Err(ScoreError::NoBeats) };
        let quarter = u64::from(quarter.as_int());
        let (mut tempos, mut signatures, mut notes) = (vec![(0, USUAL_TEMPO)], Vec::new(), Vec::new());
        for track in &midi.tracks {
            let mut tick = 0;
            for event in track {
                tick += u64::from(event.delta.as_int());
                match event.kind {
                    TrackEventKind::Meta(MetaMessage::Tempo(tempo)) => tempos.push((tick, tempo.as_int())),
                    TrackEventKind::Meta(MetaMessage::TimeSignature(units, power, ..)) => {
                        signatures.push(Signature::of(tick, u32::from(units), power, quarter));
                    }
                    TrackEventKind::Midi { message: MidiMessage::NoteOn { vel, .. }, .. } if vel.as_int() > 0 => {
                        notes.push(tick);
                    }
                    _ => (),
                }
            }
        }
        tempos.sort_by_key(|(tick, _)| *tick);
        signatures.sort_by_key(|s| s.from);
        notes.sort_unstable();
        if signatures.first().is_none_or(|s| s.from > 0) {
            signatures.insert(0, Signature { from: 0, beats: 4, ticks: quarter });
        }
        Ok(Self { quarter, tempos, signatures, notes })
    }

    /// The ticks of all beats until `last`, and whether they begin a bar. A new signature begins one.
    fn beats(&self, last: u64) -> Vec<(u64, bool)> {
        let mut all = Vec::new();
        for (i, now) in self.signatures.iter().enumerate() {
            let end = self.signatures.get(i + 1).map_or(last + 1, |next| next.from.min(last + 1));
            let beats = (0..).map(|n| (now.from + n * now.ticks, n.is_multiple_of(u64::from(now.beats))));
            all.extend(beats.take_while(|(tick, _)| *tick < end));
        }
        all
    }

    fn seconds(&self, tick: u64) -> f64 {
        let mut microseconds = 0.0;
        for (i, (from, tempo)) in self.tempos.iter().enumerate() {
            let to = self.tempos.get(i + 1).map_or(tick, |next| next.0.min(tick));
            microseconds += to.saturating_sub(*from) as f64 * f64::from(*tempo) / self.quarter as f64;
        }
        microseconds / 1e6
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use midly::num::{u4, u7, u15, u24, u28};
    use midly::{Format, Header, TrackEvent};

    const QUARTER: u32 = 480;

    fn meta(delta: u32, message: MetaMessage<'static>) -> TrackEvent<'static> {
        TrackEvent { delta: u28::new(delta), kind: TrackEventKind::Meta(message) }
    }

    /// A note every eighth, and what is written beside it.
    fn score(eighths: u32, beside: Vec<TrackEvent<'static>>) -> Result<Score, ScoreError> {
        let strokes = (0..eighths).map(|i| TrackEvent {
            delta: u28::new(if i == 0 { 0 } else { QUARTER / 2 }),
            kind: TrackEventKind::Midi {
                channel: u4::new(0),
                message: MidiMessage::NoteOn { key: u7::new(60), vel: u7::new(80) },
            },
        });
        let timing = Timing::Metrical(u15::new(QUARTER as u16));
        let tracks = vec![beside, strokes.collect()];
        let mut bytes = Vec::new();
        Smf { header: Header { format: Format::Parallel, timing }, tracks }.write_std(&mut bytes).expect("written");
        Score::of("made up".into(), bytes, 30.0)
    }

    #[test]
    fn what_says_nothing_is_four_four_at_120() {
        let truth = score(64, Vec::new()).expect("a score").truth;
        assert_eq!((truth.metre, truth.beats.len(), truth.downbeats.len()), (4, 32, 8));
        assert!((truth.tempo_bpm - 120.0).abs() < 1e-6 && (truth.downbeats[1] - 2.0).abs() < 1e-9);
    }

    #[test]
    fn six_eighths_are_two_beats_and_a_new_tempo_and_a_new_signature_count_from_where_they_stand() {
        let truth = score(
            48,
            vec![
                meta(0, MetaMessage::TimeSignature(6, 3, 24, 8)),
                meta(0, MetaMessage::Tempo(u24::new(600_000))),
                meta(12 * QUARTER, MetaMessage::Tempo(u24::new(400_000))),
                meta(0, MetaMessage::TimeSignature(3, 2, 24, 8)),
            ],
        )
        .expect("a score")
        .truth;
        let near = |a: f64, b: f64| (a - b).abs() < 1e-9;
        assert!(near(truth.beats[1], 0.9) && near(truth.downbeats[1], 1.8), "dotted quarters: {truth:?}");
        assert!(near(truth.downbeats[4], 7.2) && near(truth.downbeats[5], 8.4), "three quarters of 0.4 s: {truth:?}");
    }

    #[test]
    fn what_is_no_score_says_why() {
        assert!(matches!(Score::of("text".into(), b"not a score".to_vec(), 9.0), Err(ScoreError::NotMidi(_))));
        assert!(matches!(score(0, Vec::new()), Err(ScoreError::TooShort)));
        assert!(matches!(Score::open(Path::new("/nowhere.mid"), 9.0), Err(ScoreError::NotThere(_))));
    }
}
