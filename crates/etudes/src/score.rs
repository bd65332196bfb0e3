//! Scores in MIDI files: music that others wrote, with the written beats and bars as its truth. It is for trying the
//! reading, never for fitting it.

use crate::Truth;
use crate::compose::median_bpm;
use crate::play::{Band, PlayError, fingerprint, kept_or};
use midly::{MetaMessage, MidiMessage, Smf, Timing, TrackEventKind};
use std::path::Path;

/// Nobody taps before there is something to hear.
const EARLY: f64 = 0.04;
/// In microseconds a quarter: what a file means that says nothing.
const USUAL_TEMPO: u32 = 500_000;

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
        let midi = Smf::parse(&bytes)?;
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
        let seconds = |tick: u64| seconds(&tempos, quarter, tick);
        let (Some(first), Some(last)) = (notes.first(), notes.last()) else { return Err(ScoreError::TooShort) };
        let (from, to) = (seconds(*first) - EARLY, seconds(*last).min(longest));
        let written = written(&signatures, quarter, *last).into_iter().map(|(tick, one)| (seconds(tick), one));
        let heard: Vec<(f64, bool)> = written.filter(|(at, _)| (from..=to).contains(at)).collect();
        if heard.len() < 8 {
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

/// The ticks of all beats until `last`, and whether they begin a bar. A new signature begins one.
fn written(signatures: &[Signature], quarter: u64, last: u64) -> Vec<(u64, bool)> {
    let mut all = Vec::new();
    let usual = Signature { from: 0, beats: 4, ticks: quarter };
    let from_the_start = signatures.first().filter(|s| s.from == 0).is_none().then_some(usual);
    let signatures: Vec<Signature> = from_the_start.into_iter().chain(signatures.iter().copied()).collect();
    for (i, now) in signatures.iter().enumerate() {
        let end = signatures.get(i + 1).map_or(last + 1, |next| next.from.min(last + 1));
        let beats = (0..).map(|n| (now.from + n * now.ticks, n.is_multiple_of(u64::from(now.beats))));
        all.extend(beats.take_while(|(tick, _)| *tick < end));
    }
    all
}

/// Tempos are in microseconds a quarter, from a tick on.
fn seconds(tempos: &[(u64, u32)], quarter: u64, tick: u64) -> f64 {
    let mut microseconds = 0.0;
    for (i, (from, tempo)) in tempos.iter().enumerate() {
        let to = tempos.get(i + 1).map_or(tick, |next| next.0.min(tick));
        microseconds += to.saturating_sub(*from) as f64 * f64::from(*tempo) / quarter as f64;
    }
    microseconds / 1e6
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
