//! One reading of several pieces of music that are heard one after the other, and times from one version to another.

use super::{Beat, Cue, Section, Trace, TrackReading, Version};
use crate::time::Seconds;

impl TrackReading {
    /// One reading of passages: each with where it begins, in seconds, in their order; each is heard until the next one begins.
    /// Bars are counted on.
    pub fn of_passages(passages: &[(f64, &Self)]) -> Self {
        let [(_, first), ..] = passages else { return Self::default() };
        let step = first.energy.step;
        let mut out = Self {
            version: first.version,
            tempo_bpm: first.tempo_bpm,
            confidence: first.confidence,
            loudness: first.loudness,
            energy: Trace { step, values: Vec::new() },
            ..Self::default()
        };
        for (i, (start, music)) in passages.iter().enumerate() {
            let end = passages.get(i + 1).map_or(start + music.duration, |(next, _)| *next);
            let inside = |at: f64| start + at < end - 1e-3;
            let bars = out.beats.iter().map(|b| b.bar).max().unwrap_or(0);
            let before = music.beats.iter().map(|b| b.bar).min().unwrap_or(1).saturating_sub(1);
            let counted = |bar: u32| if i == 0 { bar } else { bar.saturating_sub(before) + bars };
            let beats = music.beats.iter().filter(|b| inside(b.at));
            out.beats.extend(beats.map(|b| Beat { at: b.at + start, bar: counted(b.bar), ..*b }));
            let lasts = |c: &Cue| c.lasts.map(|s| s.min(end - start - c.at));
            let cues = music.cues.iter().filter(|c| inside(c.at));
            out.cues.extend(cues.map(|c| Cue { at: c.at + start, lasts: lasts(c), ..*c }));
            let sections = music.sections.iter().filter(|s| inside(s.start));
            out.sections.extend(sections.map(|s| Section {
                start: s.start + start,
                end: (s.end + start).min(end),
                ..*s
            }));
            // Music that ends before the next begins leaves the last section standing.
            if let Some(last) = out.sections.last_mut() {
                last.end = end;
            }
            out.onsets.extend(music.onsets.iter().filter(|o| inside(**o)).map(|o| o + start));
            out.backbeats.extend(music.backbeats.iter().filter(|b| inside(**b)).map(|b| b + start));
            let steps = (end / step.max(1e-9)).round() as usize;
            while out.energy.values.len() < steps {
                let at = (out.energy.values.len() as f64 + 0.5) * step - start;
                let value = (at / music.energy.step.max(1e-9)) as usize;
                out.energy.values.push(music.energy.values.get(value).copied().unwrap_or(0.0));
            }
            out.duration = end;
        }
        out
    }
}

impl Version {
    /// The beginning of it, as long as is asked for; fades that find no room are shortened.
    #[must_use]
    pub fn cut_to(&self, len: Seconds) -> Self {
        let mut left = Seconds::from_measured(len.to_f64() / self.factor());
        let mut cut = self.clone();
        cut.spans.clear();
        for span in &self.spans {
            let lasts = (span.end - span.start).min(left);
            if lasts <= Seconds::ZERO {
                break;
            }
            cut.spans.push(super::Span { start: span.start, end: span.start + lasts });
            left = left - lasts;
        }
        if cut.spans.is_empty() {
            cut.spans.push(self.spans[0]);
        }
        let room = (cut.duration().to_f64() * 500.0) as u32;
        cut.fade_in.milliseconds = cut.fade_in.milliseconds.min(room);
        cut.fade_out.milliseconds = cut.fade_out.milliseconds.min(room);
        cut
    }

    /// When this version is at an instant of its track, in its own time; more than once where a part is heard again.
    pub fn times_of(&self, in_track: f64) -> Vec<f64> {
        let mut offset = 0.0;
        let mut found = Vec::new();
        for span in &self.spans {
            let (start, end) = (span.start.to_f64(), span.end.to_f64());
            // What a cut is on may have been put on the very edge.
            if in_track >= start - 1e-3 && in_track < end - 1e-3 {
                found.push(((in_track - start).max(0.0) + offset) * self.factor());
            }
            offset += end - start;
        }
        found
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::track::{CueKind, SectionKind};

    fn music(seconds: u32, kind: SectionKind, energy: f64) -> TrackReading {
        TrackReading {
            duration: f64::from(seconds),
            tempo_bpm: 120.0,
            beats: (0..seconds * 2)
                .map(|i| Beat { at: f64::from(i) * 0.5, bar: i / 4 + 1, beat: i % 4 + 1, strength: 1.0 })
                .collect(),
            sections: vec![Section::new(0.0, f64::from(seconds), kind, energy)],
            cues: vec![Cue { lasts: Some(3.0), ..Cue::new(4.0, CueKind::Pause, 1.0) }],
            energy: Trace { step: 0.5, values: vec![energy; seconds as usize * 2] },
            ..TrackReading::default()
        }
    }

    #[test]
    fn passages_are_read_as_one_piece() {
        let (calm, loud) = (music(20, SectionKind::Intro, 20.0), music(10, SectionKind::Drop, 90.0));
        let joined = TrackReading::of_passages(&[(0.0, &calm), (6.0, &loud)]);
        assert!((joined.duration - 16.0).abs() < 1e-9);
        let sections: Vec<(f64, f64, SectionKind)> = joined.sections.iter().map(|s| (s.start, s.end, s.kind)).collect();
        assert_eq!(sections, [(0.0, 6.0, SectionKind::Intro), (6.0, 16.0, SectionKind::Drop)]);
        // Three bars of the first, then the fourth is the first of the second.
        let at = |t: f64| joined.beats.iter().find(|b| (b.at - t).abs() < 1e-9).map(|b| (b.bar, b.beat));
        assert_eq!((at(5.5), at(6.0), at(8.0)), (Some((3, 4)), Some((4, 1)), Some((5, 1))));
        assert!(joined.beats.windows(2).all(|w| w[0].at < w[1].at));
        // A pause ends where the next music begins.
        let pauses: Vec<(f64, Option<f64>)> = joined.cues.iter().map(|c| (c.at, c.lasts)).collect();
        assert_eq!(pauses, [(4.0, Some(2.0)), (10.0, Some(3.0))]);
        assert_eq!((joined.energy.mean(0.0, 6.0), joined.energy.mean(6.0, 16.0)), (20.0, 90.0));
    }

    #[test]
    fn a_version_is_cut_and_asked_when_it_is_where() {
        let s = |n| Seconds::new(n, 1).expect("seconds");
        let spans = vec![super::super::Span { start: s(0), end: s(8) }, super::super::Span { start: s(4), end: s(20) }];
        let version = Version::of_spans(spans, s(20)).expect("a version");
        assert_eq!(version.times_of(5.0), [5.0, 9.0], "heard twice");
        assert_eq!((version.times_of(1.0), version.times_of(20.0)), (vec![1.0], vec![]));
        let cut = version.cut_to(s(10));
        assert!((cut.duration().to_f64() - 10.0).abs() < 1e-9 && cut.spans().len() == 2);
        let slow = version.stretched(1.1).expect("a stretch").cut_to(s(11));
        assert!((slow.duration().to_f64() - 11.0).abs() < 1e-3);
    }
}
