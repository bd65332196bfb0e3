//! A track as it is used: a list of spans of it, played one after the other.

use super::{Beat, Cue, Section, Trace, TrackReading};
use crate::time::Seconds;
use serde::{Deserialize, Serialize};

/// The shortest part that shots can be laid on, in seconds.
const SHORTEST: i64 = 2;

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum VersionError {
    #[error("the part must end after it starts, and be at least two seconds long")]
    TooShort,
    #[error("the part reaches beyond the track")]
    Outside,
}

/// A stretch of a track, `start` to `end` (exclusive).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Span {
    pub start: Seconds,
    pub end: Seconds,
}

/// Spans in the order in which they are played; never empty, each longer than nothing.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Version {
    spans: Vec<Span>,
}

impl Version {
    /// One part of a track that lasts `duration`.
    pub fn part(start: Seconds, end: Seconds, duration: Seconds) -> Result<Self, VersionError> {
        if start.is_negative() || end > duration {
            return Err(VersionError::Outside);
        }
        if end < start || (end - start) < Seconds::new(SHORTEST, 1).unwrap_or_default() {
            return Err(VersionError::TooShort);
        }
        Ok(Self { spans: vec![Span { start, end }] })
    }

    pub fn spans(&self) -> &[Span] {
        &self.spans
    }

    pub fn start(&self) -> Seconds {
        self.spans[0].start
    }

    pub fn end(&self) -> Seconds {
        self.spans[self.spans.len() - 1].end
    }

    pub fn duration(&self) -> Seconds {
        self.spans.iter().fold(Seconds::ZERO, |sum, s| sum + (s.end - s.start))
    }

    /// What the reading of the track says about this version; times count from the version's beginning. The bars
    /// keep the numbers they have in the track.
    pub fn reading(&self, track: &TrackReading) -> TrackReading {
        let mut offset = 0.0;
        let mut out = TrackReading {
            duration: self.duration().to_f64(),
            tempo_bpm: track.tempo_bpm,
            beats: Vec::new(),
            sections: Vec::new(),
            cues: Vec::new(),
            energy: Trace { step: track.energy.step, values: Vec::new() },
        };
        for span in &self.spans {
            let (start, end) = (span.start.to_f64(), span.end.to_f64());
            // A beat a hair before the part, where the part was put on that beat, belongs to it.
            let inside = |at: f64| at >= start - 1e-3 && at < end - 1e-3;
            let moved = |at: f64| (at - start).max(0.0) + offset;
            out.beats.extend(track.beats.iter().filter(|b| inside(b.at)).map(|b| Beat { at: moved(b.at), ..*b }));
            out.cues.extend(track.cues.iter().filter(|c| inside(c.at)).map(|c| Cue { at: moved(c.at), ..*c }));
            out.sections.extend(
                track.sections.iter().filter(|s| s.end > start + 0.05 && s.start < end - 0.05).map(|s| Section {
                    start: moved(s.start.max(start)),
                    end: moved(s.end.min(end)),
                    ..*s
                }),
            );
            let steps = ((end - start) / track.energy.step).round() as usize;
            let from = (start / track.energy.step).round() as usize;
            out.energy.values.extend((from..from + steps).map(|i| track.energy.values.get(i).copied().unwrap_or(0.0)));
            offset += end - start;
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::track::{CueKind, SectionKind};

    fn s(v: i64) -> Seconds {
        Seconds::new(v, 1).expect("seconds")
    }

    fn track() -> TrackReading {
        TrackReading {
            duration: 20.0,
            tempo_bpm: 120.0,
            beats: (0..40)
                .map(|i| Beat { at: f64::from(i) * 0.5, bar: i / 4 + 1, beat: i % 4 + 1, strength: 1.0 })
                .collect(),
            sections: vec![
                Section { start: 0.0, end: 8.0, kind: SectionKind::Build, energy: 40.0 },
                Section { start: 8.0, end: 20.0, kind: SectionKind::Drop, energy: 90.0 },
            ],
            cues: vec![Cue { at: 8.0, kind: CueKind::Drop, strength: 1.0 }],
            energy: Trace { step: 0.5, values: (0..40).map(f64::from).collect() },
        }
    }

    #[test]
    fn a_part_carries_the_reading_over() {
        let version = Version::part(s(6), s(12), s(20)).expect("inside");
        let reading = version.reading(&track());
        assert_eq!(reading.duration, 6.0);
        assert_eq!(reading.beats.len(), 12);
        assert_eq!((reading.beats[0].at, reading.beats[0].bar, reading.beats[0].beat), (0.0, 4, 1));
        assert_eq!(reading.cues, [Cue { at: 2.0, kind: CueKind::Drop, strength: 1.0 }]);
        assert_eq!(reading.sections.iter().map(|s| (s.start, s.end)).collect::<Vec<_>>(), [(0.0, 2.0), (2.0, 6.0)]);
        assert_eq!(reading.energy.values[0], 12.0);
    }

    #[test]
    fn impossible_parts_are_refused() {
        assert_eq!(Version::part(s(5), s(4), s(20)), Err(VersionError::TooShort));
        assert_eq!(Version::part(s(5), s(6), s(20)), Err(VersionError::TooShort));
        assert_eq!(Version::part(s(5), s(21), s(20)), Err(VersionError::Outside));
        assert_eq!(Version::part(Seconds::new(-1, 1).expect("s"), s(6), s(20)), Err(VersionError::Outside));
    }
}
