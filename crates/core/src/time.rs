//! Instants, lengths, shifts, rates and timecodes.
//!
//! A time in a draft is a whole number of frames at the job's rate ([`FramePos`], [`FrameLen`],
//! [`FrameShift`]); a time in a clip or a track is a rational number of [`Seconds`]. Floats are for measured
//! values and for drawing.

use num_rational::Ratio;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::ops::{Add, Sub};
use std::str::FromStr;

/// What is wrong with a text that should be a time or a rate.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TimeError {
    #[error("\"{0}\" is not a number of seconds")]
    NotSeconds(String),
    #[error("\"{0}\" is not a frame rate between 1 and 1000")]
    NotRate(String),
    #[error("\"{0}\" is not a timecode")]
    NotTimecode(String),
}

/// A rational number of seconds, counted from the first video frame of a clip or the first sample of a track.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Seconds(Ratio<i64>);

impl Seconds {
    pub const ZERO: Self = Self(Ratio::new_raw(0, 1));

    /// `num / den` seconds; `None` when `den` is zero.
    pub fn new(num: i64, den: i64) -> Option<Self> {
        (den != 0).then(|| Self(Ratio::new(num, den)))
    }

    /// The nearest microsecond, for values that were measured and are to be kept.
    pub fn from_measured(seconds: f64) -> Self {
        let micros = if seconds.is_finite() { (seconds * 1e6).round() } else { 0.0 };
        Self(Ratio::new(micros as i64, 1_000_000))
    }

    pub fn to_f64(self) -> f64 {
        *self.0.numer() as f64 / *self.0.denom() as f64
    }

    pub fn numer(self) -> i64 {
        *self.0.numer()
    }

    pub fn denom(self) -> i64 {
        *self.0.denom()
    }

    /// Times a plain ratio, for speeds.
    pub fn scaled(self, by: Ratio<i64>) -> Self {
        Self(self.0 * by)
    }

    pub fn is_negative(self) -> bool {
        self.0 < Ratio::from_integer(0)
    }
}

impl Add for Seconds {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self(self.0 + other.0)
    }
}

impl Sub for Seconds {
    type Output = Self;
    fn sub(self, other: Self) -> Self {
        Self(self.0 - other.0)
    }
}

impl fmt::Display for Seconds {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.0.numer(), self.0.denom())
    }
}

impl fmt::Debug for Seconds {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{self} s")
    }
}

impl FromStr for Seconds {
    type Err = TimeError;
    fn from_str(text: &str) -> Result<Self, TimeError> {
        let wrong = || TimeError::NotSeconds(text.chars().take(40).collect());
        let (num, den) = text.split_once('/').unwrap_or((text, "1"));
        let num = num.trim().parse().map_err(|_| wrong())?;
        let den = den.trim().parse().map_err(|_| wrong())?;
        // Bounds keep every later sum and product of two times inside 64 bits.
        if !(1..=10_000_000).contains(&den) || i64::abs(num) > 1_000_000_000_000 {
            return Err(wrong());
        }
        Self::new(num, den).ok_or_else(wrong)
    }
}

impl Serialize for Seconds {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Seconds {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        String::deserialize(from)?.parse().map_err(serde::de::Error::custom)
    }
}

/// Frames per second as an exact ratio: `24000/1001`, `25/1`.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
pub struct FrameRate(Ratio<u32>);

impl FrameRate {
    /// `None` unless the rate lies between 1 and 1000 frames a second.
    pub fn new(num: u32, den: u32) -> Option<Self> {
        if den == 0 {
            return None;
        }
        let rate = Ratio::new(num, den);
        (rate >= Ratio::from_integer(1) && rate <= Ratio::from_integer(1000)).then_some(Self(rate))
    }

    pub fn num(self) -> u32 {
        *self.0.numer()
    }

    pub fn den(self) -> u32 {
        *self.0.denom()
    }

    pub fn to_f64(self) -> f64 {
        f64::from(self.num()) / f64::from(self.den())
    }

    /// The whole number of frames that a timecode of this rate counts in a second: 24 for 23.976.
    pub fn nominal(self) -> u32 {
        self.num().div_ceil(self.den())
    }

    /// Where the frame `pos` begins.
    pub fn seconds_at(self, pos: FramePos) -> Seconds {
        Seconds(Ratio::new(pos.0 * i64::from(self.den()), i64::from(self.num())))
    }

    pub fn seconds_of(self, len: FrameLen) -> Seconds {
        self.seconds_at(FramePos(len.0 as i64))
    }

    /// The frame whose beginning is nearest to `at`.
    pub fn nearest(self, at: Seconds) -> FramePos {
        FramePos(self.frames(at).round().to_integer())
    }

    /// The frame that is shown at `at`.
    pub fn containing(self, at: Seconds) -> FramePos {
        FramePos(self.frames(at).floor().to_integer())
    }

    fn frames(self, at: Seconds) -> Ratio<i64> {
        at.0 * Ratio::new(i64::from(self.num()), i64::from(self.den()))
    }

    /// How far footage of `self` can be slowed in a job of rate `job` before frames repeat: 2.5 for 59.94 in
    /// 23.976. Never below 1.
    pub fn headroom_in(self, job: FrameRate) -> f64 {
        (self.to_f64() / job.to_f64()).max(1.0)
    }
}

impl fmt::Display for FrameRate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.num(), self.den())
    }
}

impl fmt::Debug for FrameRate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{self} fps")
    }
}

impl FromStr for FrameRate {
    type Err = TimeError;
    fn from_str(text: &str) -> Result<Self, TimeError> {
        let (num, den) = text.split_once('/').unwrap_or((text, "1"));
        num.trim()
            .parse()
            .ok()
            .zip(den.trim().parse().ok())
            .and_then(|(num, den)| Self::new(num, den))
            .ok_or_else(|| TimeError::NotRate(text.chars().take(40).collect()))
    }
}

impl Serialize for FrameRate {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for FrameRate {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        String::deserialize(from)?.parse().map_err(serde::de::Error::custom)
    }
}

/// An instant of a draft: the beginning of a frame at the job's rate.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
pub struct FramePos(pub i64);

/// A length in frames, never negative.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
pub struct FrameLen(pub u64);

/// A signed move in frames.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
pub struct FrameShift(pub i64);

impl FramePos {
    pub fn checked_add(self, len: FrameLen) -> Option<Self> {
        self.0.checked_add_unsigned(len.0).map(Self)
    }

    /// The length from `earlier` to here; `None` when `earlier` is later.
    pub fn since(self, earlier: Self) -> Option<FrameLen> {
        self.0.checked_sub(earlier.0).and_then(|d| u64::try_from(d).ok()).map(FrameLen)
    }
}

impl FrameLen {
    pub fn checked_shift(self, by: FrameShift) -> Option<Self> {
        self.0.checked_add_signed(by.0).map(Self)
    }
}

impl std::iter::Sum for FrameLen {
    fn sum<I: Iterator<Item = Self>>(iter: I) -> Self {
        Self(iter.map(|l| l.0).sum())
    }
}

/// Frames written as `hh:mm:ss:ff`, or `hh:mm:ss;ff` where frame numbers are dropped.
///
/// Drop-frame counting (SMPTE ST 12-1) leaves out two numbers a minute, except each tenth minute, at 29.97;
/// four at 59.94. It exists for these two rates only; elsewhere `drop` has no effect.
pub fn timecode(frames: u64, rate: FrameRate, drop: bool) -> String {
    let fps = u64::from(rate.nominal());
    let dropped = if drop { dropped_per_minute(rate) } else { 0 };
    let mut number = frames;
    if dropped > 0 {
        let per_minute = fps * 60 - dropped;
        let per_ten = fps * 600 - dropped * 9;
        let (tens, rest) = (frames / per_ten, frames % per_ten);
        number += tens * dropped * 9;
        if rest >= fps * 60 {
            number += dropped * ((rest - fps * 60) / per_minute + 1);
        }
    }
    let mark = if dropped > 0 { ';' } else { ':' };
    let (s, f) = (number / fps, number % fps);
    format!("{:02}:{:02}:{:02}{mark}{f:02}", s / 3600, s / 60 % 60, s % 60)
}

/// The number of frames that `text` stands for; a `;` or `.` before the frames means drop-frame.
pub fn parse_timecode(text: &str, rate: FrameRate) -> Result<u64, TimeError> {
    let wrong = || TimeError::NotTimecode(text.chars().take(40).collect());
    let drop = text.contains([';', '.']);
    let parts: Vec<u64> =
        text.trim().split([':', ';', '.']).map(|p| p.parse().map_err(|_| wrong())).collect::<Result<_, _>>()?;
    let [h, m, s, f] = parts[..] else { return Err(wrong()) };
    let fps = u64::from(rate.nominal());
    if h > 99 || m > 59 || s > 59 || f >= fps {
        return Err(wrong());
    }
    let dropped = if drop { dropped_per_minute(rate) } else { 0 };
    if dropped > 0 && s == 0 && f < dropped && m % 10 != 0 {
        return Err(wrong());
    }
    let minutes = h * 60 + m;
    Ok((minutes * 60 + s) * fps + f - dropped * (minutes - minutes / 10))
}

fn dropped_per_minute(rate: FrameRate) -> u64 {
    match (rate.num(), rate.den()) {
        (30000, 1001) => 2,
        (60000, 1001) => 4,
        _ => 0,
    }
}

/// Minutes and seconds for reading: `0:45`, `1:02:03`.
pub fn clock(seconds: f64) -> String {
    let s = seconds.max(0.0).round() as u64;
    if s >= 3600 {
        format!("{}:{:02}:{:02}", s / 3600, s / 60 % 60, s % 60)
    } else {
        format!("{}:{:02}", s / 60, s % 60)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn rate(text: &str) -> FrameRate {
        text.parse().expect("a rate")
    }

    #[test]
    fn slow_motion_headroom_is_what_an_editor_counts() {
        let job = rate("24000/1001");
        assert!((rate("60000/1001").headroom_in(job) - 2.5).abs() < 1e-9);
        assert!((rate("120000/1001").headroom_in(job) - 5.0).abs() < 1e-9);
        assert_eq!(rate("24000/1001").headroom_in(job), 1.0);
        assert_eq!(rate("24").headroom_in(rate("50")), 1.0);
    }

    #[test]
    fn drop_frame_timecode_follows_the_clock() {
        let ntsc = rate("30000/1001");
        assert_eq!(timecode(1799, ntsc, true), "00:00:59;29");
        assert_eq!(timecode(1800, ntsc, true), "00:01:00;02");
        assert_eq!(timecode(17982, ntsc, true), "00:10:00;00");
        assert_eq!(timecode(107_892, ntsc, true), "01:00:00;00");
        assert_eq!(timecode(1800, ntsc, false), "00:01:00:00");
        assert!(parse_timecode("00:01:00;01", ntsc).is_err());
    }

    #[test]
    fn hostile_times_are_refused() {
        for text in ["", "1/0", "x", "1/99999999999", "9223372036854775807", "1/-3"] {
            assert!(text.parse::<Seconds>().is_err(), "{text}");
        }
        for text in ["0", "1/0", "100000", "-3", "25/"] {
            assert!(text.parse::<FrameRate>().is_err(), "{text}");
        }
        for text in ["", "1:2:3", "00:00:00:24", "00:61:00:00", "aa:00:00:00"] {
            assert!(parse_timecode(text, rate("24000/1001")).is_err(), "{text}");
        }
    }

    #[test]
    fn only_sums_that_mean_something_have_an_answer() {
        let (start, len) = (FramePos(100), FrameLen(24));
        assert_eq!(start.checked_add(len), Some(FramePos(124)));
        assert_eq!(FramePos(i64::MAX).checked_add(len), None);
        assert_eq!(FramePos(124).since(start), Some(len));
        assert_eq!(start.since(FramePos(124)), None, "a length is never negative");
        assert_eq!(len.checked_shift(FrameShift(-24)), Some(FrameLen(0)));
        assert_eq!(len.checked_shift(FrameShift(-25)), None);
        assert_eq!([FrameLen(1), FrameLen(2), FrameLen(3)].into_iter().sum::<FrameLen>(), FrameLen(6));
    }

    #[test]
    fn a_frame_is_shown_until_the_next_begins() {
        let film = rate("24000/1001");
        let at = |num, den| Seconds::new(num, den).expect("seconds");
        // Frame 24 begins at 1.001 s.
        assert_eq!(film.containing(at(1, 1)), FramePos(23));
        assert_eq!(film.nearest(at(1, 1)), FramePos(24));
        assert_eq!(film.containing(at(1001, 1000)), FramePos(24));
        assert_eq!(film.seconds_of(FrameLen(24)), at(1001, 1000));
        assert_eq!((film.nominal(), rate("25").nominal(), rate("60000/1001").nominal()), (24, 25, 60));
    }

    #[test]
    fn times_are_written_for_reading() {
        for (seconds, words) in
            [(0.0, "0:00"), (45.4, "0:45"), (59.6, "1:00"), (3599.0, "59:59"), (3723.0, "1:02:03"), (-5.0, "0:00")]
        {
            assert_eq!(clock(seconds), words, "{seconds}");
        }
        assert_eq!(timecode(86_399, rate("24"), true), "00:59:59:23", "only 29.97 and 59.94 drop numbers");
        assert_eq!(parse_timecode("01:00:00:00", rate("60000/1001")).expect("a timecode"), 216_000);
        assert_eq!(parse_timecode("01:00:00;00", rate("60000/1001")).expect("a timecode"), 215_784);
    }

    #[test]
    fn measured_times_are_kept_to_the_microsecond() {
        assert_eq!(Seconds::from_measured(1.234_567_8), Seconds::new(1_234_568, 1_000_000).expect("seconds"));
        assert_eq!(Seconds::from_measured(f64::NAN), Seconds::ZERO);
        assert_eq!(Seconds::from_measured(f64::INFINITY), Seconds::ZERO);
        let half = Seconds::new(1, 2).expect("seconds");
        assert_eq!((half + half).to_string(), "1/1");
        assert!((half - Seconds::from_measured(1.0)).is_negative());
        assert_eq!(serde_json::to_string(&half).expect("json"), "\"1/2\"");
        assert!(serde_json::from_str::<Seconds>("\"1/0\"").is_err());
        assert!(serde_json::from_str::<FrameRate>("\"0/1\"").is_err());
    }

    proptest! {
        #[test]
        fn a_timecode_reads_back(frames in 0u64..8_000_000, drop in any::<bool>(), which in 0usize..4) {
            let rate = rate(["24000/1001", "25", "30000/1001", "60000/1001"][which]);
            let text = timecode(frames, rate, drop);
            prop_assert_eq!(parse_timecode(&text, rate).expect("valid"), frames);
        }

        #[test]
        fn a_frame_survives_the_way_through_seconds(frame in 0i64..10_000_000, which in 0usize..5) {
            let rate = rate(["24000/1001", "25", "30000/1001", "60000/1001", "120000/1001"][which]);
            let at = rate.seconds_at(FramePos(frame));
            prop_assert_eq!(rate.nearest(at), FramePos(frame));
            prop_assert_eq!(rate.containing(at), FramePos(frame));
            prop_assert_eq!(at.to_string().parse::<Seconds>().expect("reads back"), at);
        }
    }
}
