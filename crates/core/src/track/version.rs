//! A track as it is used: a list of spans of it, played one after the other, perhaps stretched, with fades and a level.

use super::loudness::programme_loudness;
use super::{Beat, Cue, Section, Texture, Trace, TrackReading};
use crate::time::Seconds;
use serde::{Deserialize, Deserializer, Serialize};

/// The shortest part that shots can be laid on, in seconds.
const SHORTEST: i64 = 2;
/// So fine that any length of an hour comes out to the sample.
const AS_IS: u32 = 1_000_000_000;
/// Half and twice as long: beyond that nothing sounds like music any more.
const STRETCHES: std::ops::RangeInclusive<u32> = AS_IS / 2..=2 * AS_IS;
/// A version that was shortened in a hundred places is none that anybody heard through.
const MOST_SPANS: usize = 100;
/// Spans may overlap; together they last no longer than what can be read of a track.
const LONGEST: i64 = 2 * 3600;
/// −60 to +12 dB.
const LEVELS: std::ops::RangeInclusive<i32> = -6000..=1200;

/// Why a version cannot be.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum VersionError {
    /// The part must end after it starts, and be at least two seconds long.
    #[error("the part must end after it starts, and be at least two seconds long")]
    TooShort,
    /// The part reaches beyond the track.
    #[error("the part reaches beyond the track")]
    Outside,
    /// A track can be made half as long to twice as long, not more.
    #[error("a track can be made half as long to twice as long, not more")]
    Stretch,
    /// The fades together are longer than the music.
    #[error("the fades together are longer than the music")]
    Fades,
    /// The level can be −60 to +12 dB.
    #[error("the level can be −60 to +12 dB")]
    Level,
    /// A version has at most … parts and lasts at most two hours.
    #[error("a version has at most {MOST_SPANS} parts and lasts at most two hours")]
    TooMuch,
}

/// A stretch of a track, `start` to `end` (exclusive).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Span {
    /// Where in the track it begins.
    pub start: Seconds,
    /// Where in the track it ends.
    pub end: Seconds,
}

/// How a fade goes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum Curve {
    /// Even in amplitude.
    Linear,
    /// A quarter of a sine: as loud in all where two cross.
    #[default]
    ConstantPower,
    /// Even in decibels.
    Exponential,
    /// Half a cosine: slow at both ends.
    Eased,
}

/// How it comes from silence, or goes there.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Fade {
    /// How long it takes.
    pub milliseconds: u32,
    /// Its shape.
    pub curve: Curve,
}

impl Fade {
    /// The factor at a distance, in seconds, from the silent end.
    fn gain(self, distance: f64) -> f64 {
        let along = (distance / (f64::from(self.milliseconds) / 1000.0).max(1e-9)).clamp(0.0, 1.0);
        match self.curve {
            Curve::Linear => along,
            Curve::ConstantPower => (along * std::f64::consts::FRAC_PI_2).sin(),
            // From −100 dB, as ffmpeg's afade begins it.
            Curve::Exponential => 10f64.powf(5.0 * (along - 1.0)),
            Curve::Eased => 0.5 - 0.5 * (along * std::f64::consts::PI).cos(),
        }
    }
}

/// Spans in the order in which they are played; never empty, each longer than nothing.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Version {
    pub(super) spans: Vec<Span>,
    /// The length as a share of what it is at its own tempo, in billionths.
    #[serde(default = "as_is", skip_serializing_if = "is_as_is", deserialize_with = "stretch")]
    stretch: u32,
    /// At its beginning.
    #[serde(default)]
    pub fade_in: Fade,
    /// At its end.
    #[serde(default)]
    pub fade_out: Fade,
    /// Hundredths of a decibel.
    #[serde(default)]
    level: i32,
}

fn as_is() -> u32 {
    AS_IS
}

/// Was kept in millionths: so few billionths are none.
fn stretch<'de, D: Deserializer<'de>>(from: D) -> Result<u32, D::Error> {
    let kept = u32::deserialize(from)?;
    Ok(if kept < AS_IS / 100 { kept.saturating_mul(1000) } else { kept })
}

#[allow(clippy::trivially_copy_pass_by_ref)] // serde asks for a reference
fn is_as_is(stretch: &u32) -> bool {
    *stretch == AS_IS
}

/// Where two spans meet. Times in seconds.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Join {
    /// In the version.
    pub at: f64,
    /// In the track: where one leaves it, and where one goes on.
    pub out: f64,
    /// Where in the track it goes on, in seconds.
    pub into: f64,
}

/// A piece of music that is shorter than this, in seconds, is none.
const SHORTEST_PIECE: f64 = 0.005;

impl Version {
    /// One part of a track that lasts `duration`.
    pub fn part(start: Seconds, end: Seconds, duration: Seconds) -> Result<Self, VersionError> {
        Self::of_spans(vec![Span { start, end }], duration)
    }

    /// Spans of a track that lasts `duration`.
    pub fn of_spans(spans: Vec<Span>, duration: Seconds) -> Result<Self, VersionError> {
        if spans.len() > MOST_SPANS {
            return Err(VersionError::TooMuch);
        }
        if spans.iter().any(|s| s.start.is_negative() || s.end > duration) {
            return Err(VersionError::Outside);
        }
        let whole = spans.iter().fold(Seconds::ZERO, |sum, s| sum + (s.end - s.start));
        if spans.iter().any(|s| s.end <= s.start) || whole < Seconds::new(SHORTEST, 1).unwrap_or_default() {
            return Err(VersionError::TooShort);
        }
        if whole > Seconds::new(LONGEST, 1).unwrap_or_default() {
            return Err(VersionError::TooMuch);
        }
        Ok(Self { spans, stretch: AS_IS, fade_in: Fade::default(), fade_out: Fade::default(), level: 0 })
    }

    /// The same, so many times as long at the same pitch.
    pub fn stretched(mut self, factor: f64) -> Result<Self, VersionError> {
        // What is no number becomes nothing, which is refused.
        let billionths = (factor * f64::from(AS_IS)).round() as u32;
        if !STRETCHES.contains(&billionths) {
            return Err(VersionError::Stretch);
        }
        self.stretch = billionths;
        self.check_fades()
    }

    /// With other fades.
    pub fn faded(mut self, fade_in: Fade, fade_out: Fade) -> Result<Self, VersionError> {
        (self.fade_in, self.fade_out) = (fade_in, fade_out);
        self.check_fades()
    }

    /// At a level in hundredths of a decibel.
    pub fn levelled(mut self, level: i32) -> Result<Self, VersionError> {
        if !LEVELS.contains(&level) {
            return Err(VersionError::Level);
        }
        self.level = level;
        Ok(self)
    }

    fn check_fades(self) -> Result<Self, VersionError> {
        let fades = f64::from(self.fade_in.milliseconds) + f64::from(self.fade_out.milliseconds);
        if fades / 1000.0 > self.duration().to_f64() { Err(VersionError::Fades) } else { Ok(self) }
    }

    /// Whether it is one part of the track, at its own tempo and level.
    pub fn is_plain(&self) -> bool {
        self.spans.len() == 1
            && self.stretch == AS_IS
            && self.level == 0
            && self.fade_in.milliseconds == 0
            && self.fade_out.milliseconds == 0
    }

    /// Its parts of the track, in order.
    pub fn spans(&self) -> &[Span] {
        &self.spans
    }

    /// Hundredths of a decibel.
    pub fn level(&self) -> i32 {
        self.level
    }

    /// Where in the track it begins.
    pub fn start(&self) -> Seconds {
        self.spans[0].start
    }

    /// Where in the track it ends.
    pub fn end(&self) -> Seconds {
        self.spans[self.spans.len() - 1].end
    }

    /// How long it lasts, stretched.
    pub fn duration(&self) -> Seconds {
        let whole = self.spans.iter().fold(Seconds::ZERO, |sum, s| sum + (s.end - s.start));
        if self.stretch == AS_IS { whole } else { Seconds::from_measured(whole.to_f64() * self.factor()) }
    }

    /// How many times as long as at its own tempo.
    pub fn factor(&self) -> f64 {
        f64::from(self.stretch) / f64::from(AS_IS)
    }

    /// Where it goes from one span to the next.
    pub fn joins(&self) -> Vec<Join> {
        let mut at = 0.0;
        self.spans
            .windows(2)
            .map(|w| {
                at += (w[0].end - w[0].start).to_f64() * self.factor();
                Join { at, out: w[0].end.to_f64(), into: w[1].start.to_f64() }
            })
            .collect()
    }

    /// The time in the track that is heard at a time of the version.
    pub fn in_track(&self, at: f64) -> f64 {
        let mut left = at / self.factor();
        for span in &self.spans {
            let length = (span.end - span.start).to_f64();
            if left < length {
                return span.start.to_f64() + left;
            }
            left -= length;
        }
        self.end().to_f64()
    }

    /// A version of this version, whose spans count from this one's beginning, as a version of the track. The level and the end's
    /// fade are this one's.
    pub fn within(&self, inner: &Self) -> Result<Self, VersionError> {
        let factor = self.factor();
        let mut spans: Vec<Span> = Vec::new();
        for part in &inner.spans {
            // In the spans' own time, one behind the other.
            let (from, to) = (part.start.to_f64() / factor, part.end.to_f64() / factor);
            let mut begins = 0.0;
            for span in &self.spans {
                let lasts = (span.end - span.start).to_f64();
                let (a, b) = (from.max(begins), to.min(begins + lasts));
                if b - a > SHORTEST_PIECE {
                    let at = |t: f64| (span.start + Seconds::from_measured(t - begins)).min(span.end);
                    spans.push(Span { start: at(a), end: at(b) });
                }
                begins += lasts;
            }
        }
        // Two that go on from one another are one.
        let mut joined: Vec<Span> = Vec::new();
        for span in spans {
            match joined.last_mut() {
                Some(last) if (span.start - last.end).to_f64().abs() < SHORTEST_PIECE => last.end = span.end,
                _ => joined.push(span),
            }
        }
        let end = joined.iter().map(|span| span.end).max().unwrap_or(Seconds::ZERO);
        let whole = Self::of_spans(joined, end)?.stretched(self.factor() * inner.factor())?;
        Ok(Self { fade_out: self.fade_out, level: self.level, ..whole })
    }

    /// The programme loudness of this version in LUFS, with its level and its fades. What is heard across a seam is
    /// taken as either side of it is.
    pub fn loudness(&self, track: &TrackReading) -> f64 {
        let level = f64::from(self.level) / 100.0;
        let step = track.momentary.step;
        let length = self.duration().to_f64();
        let mut blocks = Vec::new();
        let mut at = 0.5 * step;
        while step > 0.0 && at < length {
            let i = (self.in_track(at) / step) as usize;
            let gain = self.fade_in.gain(at).min(1.0) * self.fade_out.gain(length - at).min(1.0);
            blocks.extend(track.momentary.values.get(i).map(|v| v + level + 20.0 * gain.max(1e-4).log10()));
            at += step;
        }
        programme_loudness(&blocks).map_or(track.loudness + level, |v| (v * 10.0).round() / 10.0)
    }

    /// What the reading of the track says about this version; times count from the version's beginning. The bars
    /// keep the numbers they have in the track.
    pub fn reading(&self, track: &TrackReading) -> TrackReading {
        let mut offset = 0.0;
        let factor = self.factor();
        let mut out = TrackReading {
            duration: self.duration().to_f64(),
            tempo_bpm: track.tempo_bpm / factor,
            confidence: track.confidence,
            loudness: self.loudness(track),
            energy: Trace { step: track.energy.step, values: Vec::new() },
            texture: Texture::default(),
            ..TrackReading::default()
        };
        for span in &self.spans {
            let (start, end) = (span.start.to_f64(), span.end.to_f64());
            // A beat a hair before the part, where the part was put on that beat, belongs to it.
            let inside = |at: f64| at >= start - 1e-3 && at < end - 1e-3;
            let moved = |at: f64| ((at - start).max(0.0) + offset) * factor;
            out.beats.extend(track.beats.iter().filter(|b| inside(b.at)).map(|b| Beat { at: moved(b.at), ..*b }));
            // A pause ends at the latest where the span does.
            let lasts = |c: &Cue| c.lasts.map(|s| s.min(end - c.at) * factor);
            let cues = track.cues.iter().filter(|c| inside(c.at));
            out.cues.extend(cues.map(|c| Cue { at: moved(c.at), lasts: lasts(c), ..*c }));
            out.backbeats.extend(track.backbeats.iter().filter(|b| inside(**b)).map(|b| moved(*b)));
            out.onsets.extend(track.onsets.iter().filter(|o| inside(**o)).map(|o| moved(*o)));
            for s in track.sections.iter().filter(|s| s.end > start + 0.05 && s.start < end - 0.05) {
                let cut = Section { start: moved(s.start.max(start)), end: moved(s.end.min(end)), ..*s };
                match out.sections.last_mut() {
                    // A join inside one section leaves one section.
                    Some(last) if offset > 0.0 && last.kind == cut.kind && last.label == cut.label => {
                        last.end = cut.end;
                    }
                    _ => out.sections.push(cut),
                }
            }
            offset += end - start;
        }
        let steps = (out.duration / track.energy.step).round() as usize;
        let value = |i: usize| {
            let at = self.in_track((i as f64 + 0.5) * track.energy.step);
            track.energy.values.get((at / track.energy.step) as usize).copied().unwrap_or(0.0)
        };
        out.energy.values = (0..steps).map(value).collect();
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::track::{CueKind, SectionKind};
    use proptest::prelude::*;

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
                Section::new(0.0, 8.0, SectionKind::Build, 40.0),
                Section::new(8.0, 20.0, SectionKind::Drop, 90.0),
            ],
            cues: vec![Cue::new(8.0, CueKind::Drop, 1.0)],
            energy: Trace { step: 0.5, values: (0..40).map(f64::from).collect() },
            ..TrackReading::default()
        }
    }

    #[test]
    fn a_part_carries_the_reading_over() {
        let version = Version::part(s(6), s(12), s(20)).expect("inside");
        let reading = version.reading(&track());
        assert_eq!(reading.duration, 6.0);
        assert_eq!(reading.beats.len(), 12);
        assert_eq!((reading.beats[0].at, reading.beats[0].bar, reading.beats[0].beat), (0.0, 4, 1));
        assert_eq!(reading.cues, [Cue::new(2.0, CueKind::Drop, 1.0)]);
        assert_eq!(reading.sections.iter().map(|s| (s.start, s.end)).collect::<Vec<_>>(), [(0.0, 2.0), (2.0, 6.0)]);
        assert_eq!(reading.energy.values[0], 12.0);
    }

    proptest! {
        /// At each time the same of the track is heard, whether one asks the version of the version or both one after the other.
        #[test]
        fn a_version_of_a_version_is_one_of_the_track(
            cuts in proptest::collection::vec(1u32..40, 4), shares in proptest::collection::vec(0.02f64..0.98, 4),
            factor in 0.9f64..1.1, again in 0.95f64..1.05,
        ) {
            let half = |n: u32| Seconds::new(i64::from(n), 2).expect("seconds");
            let mut cuts = cuts;
            cuts.sort_unstable();
            cuts.dedup();
            prop_assume!(cuts.len() == 4);
            let spans = vec![Span { start: half(cuts[0]), end: half(cuts[1]) }, Span { start: half(cuts[2]), end: half(cuts[3]) }];
            // Two seconds at least.
            let outer = Version::of_spans(spans, s(20));
            prop_assume!(outer.is_ok());
            let outer = outer.expect("a version").stretched(factor).expect("stretched");
            let length = outer.duration();
            let mut shares = shares;
            shares.sort_by(f64::total_cmp);
            prop_assume!(shares.windows(2).all(|pair| pair[1] - pair[0] > 0.02));
            let at = |share: f64| Seconds::from_measured(share * length.to_f64());
            let parts = vec![Span { start: at(shares[0]), end: at(shares[1]) }, Span { start: at(shares[2]), end: at(shares[3]) }];
            let inner = Version::of_spans(parts, length);
            prop_assume!(inner.is_ok());
            let inner = inner.expect("a version").stretched(again).expect("stretched");
            let Ok(whole) = outer.within(&inner) else {
                prop_assert!(inner.duration().to_f64() < 2.3, "only what is too short is none");
                return Ok(());
            };
            prop_assert!((whole.duration().to_f64() - inner.duration().to_f64()).abs() < 0.03);
            for share in [0.1, 0.3, 0.45, 0.7, 0.9] {
                let t = share * inner.duration().to_f64();
                let (one, both) = (whole.in_track(t), outer.in_track(inner.in_track(t)));
                // Near a seam either side of it may be meant.
                let near_a_seam = whole.joins().iter().any(|join| (join.at - t).abs() < 0.05);
                prop_assert!(near_a_seam || (one - both).abs() < 0.03, "{one} and {both} at {t}");
            }
        }
    }

    #[test]
    fn backbeats_are_carried_over_like_beats() {
        let track = TrackReading { backbeats: vec![1.5, 7.0, 9.5, 15.0], ..track() };
        let spans = vec![Span { start: s(6), end: s(10) }, Span { start: s(14), end: s(18) }];
        let version = Version::of_spans(spans, s(20)).and_then(|v| v.stretched(2.0)).expect("inside");
        assert_eq!(version.reading(&track).backbeats, [2.0, 7.0, 10.0]);
    }

    #[test]
    fn a_pause_lasts_as_long_as_it_is_heard() {
        let pause = Cue { lasts: Some(2.0), ..Cue::new(8.0, CueKind::Pause, 1.0) };
        let track = TrackReading { cues: vec![pause], ..track() };
        let lasts = |from, to| {
            let version = Version::part(s(from), s(to), s(20)).and_then(|v| v.stretched(2.0)).expect("inside");
            version.reading(&track).cues.iter().map(|c| c.lasts).collect::<Vec<_>>()
        };
        assert_eq!(lasts(6, 20), [Some(4.0)], "twice as slow");
        assert_eq!(lasts(6, 9), [Some(2.0)], "the part ends in it");
        assert!(lasts(9, 20).is_empty());
    }

    #[test]
    fn a_version_is_as_loud_as_what_is_left_of_it() {
        let momentary = Trace { step: 0.1, values: (0..200).map(|i| if i < 100 { -30.0 } else { -12.0 }).collect() };
        let track = TrackReading { momentary, loudness: -14.6, ..track() };
        let part = |a, b| Version::part(s(a), s(b), s(20)).expect("inside");
        assert_eq!(part(0, 10).loudness(&track), -30.0);
        assert_eq!(part(10, 20).levelled(-300).expect("a level").loudness(&track), -15.0);
        // The quiet half is below the relative gate.
        assert!((part(0, 20).loudness(&track) + 12.0).abs() < 0.1);
        let faded = |curve| {
            let fade = Fade { milliseconds: 5000, curve };
            part(10, 20).faded(Fade::default(), fade).expect("a fade").loudness(&track)
        };
        // What has faded away is below the gate and does not count.
        for curve in [Curve::Linear, Curve::ConstantPower, Curve::Exponential, Curve::Eased] {
            assert!((-15.0..-12.0).contains(&faded(curve)), "{curve:?}: {}", faded(curve));
        }
        let unmeasured = TrackReading { momentary: Trace::default(), ..track };
        assert_eq!(part(0, 10).loudness(&unmeasured), -14.6, "readings of old have the track's only");
    }

    #[test]
    fn impossible_parts_are_refused() {
        assert_eq!(Version::part(s(5), s(4), s(20)), Err(VersionError::TooShort));
        assert_eq!(Version::part(s(5), s(6), s(20)), Err(VersionError::TooShort));
        assert_eq!(Version::part(s(5), s(21), s(20)), Err(VersionError::Outside));
        let many = |n| Version::of_spans(vec![Span { start: s(0), end: s(20) }; n], s(20));
        assert_eq!(many(350_000), Err(VersionError::TooMuch));
        assert!(many(100).is_ok());
        let long = vec![Span { start: s(0), end: s(4000) }; 2];
        assert_eq!(Version::of_spans(long, s(4000)), Err(VersionError::TooMuch));
        assert_eq!(Version::part(Seconds::new(-1, 1).expect("s"), s(6), s(20)), Err(VersionError::Outside));
    }

    fn spans(list: &[(i64, i64)]) -> Vec<Span> {
        list.iter().map(|(a, b)| Span { start: s(*a), end: s(*b) }).collect()
    }

    #[test]
    fn what_is_joined_carries_over_without_a_gap() {
        let version = Version::of_spans(spans(&[(0, 4), (10, 16)]), s(20)).expect("inside");
        let reading = version.reading(&track());
        assert_eq!(reading.duration, 10.0);
        assert_eq!(
            reading.beats.iter().map(|b| b.at).collect::<Vec<_>>(),
            (0..20).map(|i| f64::from(i) / 2.0).collect::<Vec<_>>()
        );
        assert_eq!(version.joins(), [Join { at: 4.0, out: 4.0, into: 10.0 }]);
        assert_eq!((version.in_track(3.0), version.in_track(4.5)), (3.0, 10.5));
        assert_eq!(reading.sections.iter().map(|s| (s.start, s.end)).collect::<Vec<_>>(), [(0.0, 4.0), (4.0, 10.0)]);
        // A join inside a section leaves one section.
        let inside = Version::of_spans(spans(&[(9, 11), (14, 20)]), s(20)).expect("inside");
        assert_eq!(inside.reading(&track()).sections.len(), 1);
    }

    #[test]
    fn a_stretch_moves_everything_with_it() {
        let version = Version::part(s(0), s(20), s(20)).expect("whole").stretched(1.1).expect("a stretch");
        let reading = version.reading(&track());
        assert!((reading.duration - 22.0).abs() < 1e-6 && (reading.tempo_bpm - 120.0 / 1.1).abs() < 1e-6);
        assert!((reading.cues[0].at - 8.8).abs() < 1e-6);
        assert_eq!(reading.energy.values.len(), 44);
        for refused in [0.4, 2.1, -1.0, 1e12, f64::NAN] {
            assert_eq!(
                Version::part(s(0), s(20), s(20)).expect("whole").stretched(refused),
                Err(VersionError::Stretch)
            );
        }
    }

    #[test]
    fn a_length_that_is_asked_for_comes_out_to_the_microsecond() {
        let whole = Seconds::new(2_145_808, 48_000).expect("seconds");
        for asked in [45.0, 40.0, 44.704_15, 1501.0 / 30.0] {
            let version = Version::part(s(0), whole, s(50)).expect("a part");
            let version = version.stretched(asked / whole.to_f64()).expect("a stretch");
            assert!((version.duration().to_f64() - asked).abs() < 1e-6, "{asked}");
        }
    }

    #[test]
    fn fades_and_levels_have_their_limits() {
        let whole = || Version::part(s(0), s(4), s(20)).expect("a part");
        let fade = |milliseconds| Fade { milliseconds, curve: Curve::Linear };
        assert!(whole().is_plain() && !whole().levelled(-300).expect("a level").is_plain());
        assert_eq!(whole().faded(fade(3000), fade(1500)), Err(VersionError::Fades));
        assert!(whole().faded(fade(2000), fade(2000)).is_ok());
        assert_eq!(whole().levelled(1300), Err(VersionError::Level));
    }

    #[test]
    fn versions_kept_before_still_read() {
        let text = serde_json::to_string(&Version::part(s(1), s(5), s(20)).expect("a part")).expect("json");
        let new: Version = serde_json::from_str(&text).expect("reads back");
        assert!(new.is_plain());
        // Whatever the written form of seconds, only the spans are needed.
        let spans = text.split("\"fade_in\"").next().expect("text").trim_end_matches(',').to_owned() + "}";
        assert_eq!(serde_json::from_str::<Version>(&spans).expect("old form"), new);
        let coarse = text.replace("\"fade_in\"", "\"stretch\":1050000,\"fade_in\"");
        assert_eq!(serde_json::from_str::<Version>(&coarse).ok(), new.stretched(1.05).ok());
    }

    proptest! {
        #[test]
        fn all_that_carries_over_lies_inside(a in 0i64..8, b in 1i64..10, c in 0i64..9, d in 1i64..10, stretch in 0.5f64..2.0) {
            let Ok(version) = Version::of_spans(spans(&[(a, a + b), (c, c + d)]), s(20)) else { return Ok(()) };
            let version = version.stretched(stretch).expect("allowed");
            let reading = version.reading(&track());
            prop_assert!((reading.duration - (b + d) as f64 * stretch).abs() < 1e-3);
            prop_assert!(reading.beats.windows(2).all(|w| w[1].at > w[0].at));
            prop_assert!(reading.beats.iter().all(|x| x.at >= 0.0 && x.at < reading.duration));
            prop_assert!(reading.sections.windows(2).all(|w| (w[0].end - w[1].start).abs() < 1e-6));
            prop_assert!((reading.sections[reading.sections.len() - 1].end - reading.duration).abs() < 1e-3);
        }
    }
}
