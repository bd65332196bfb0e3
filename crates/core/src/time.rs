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
    /// "…" is not a number of seconds.
    #[error("\"{0}\" is not a number of seconds")]
    NotSeconds(String),
    /// "…" is not a frame rate between 1 and 1000.
    #[error("\"{0}\" is not a frame rate between 1 and 1000")]
    NotRate(String),
    /// "…" is not a timecode.
    #[error("\"{0}\" is not a timecode")]
    NotTimecode(String),
}

/// Where instants lie: whole multiples of 1 / 705,600,000 s. Frames of all standard rates (24, 25, 30, 50, 60, 100, 120,
/// also over 1.001) and samples at 44.1, 48, 96 and 192 kHz begin exactly on it; whatever else is laid on the nearest,
/// 0.7 ns away at most. So no sum, no speed and no odd rate leads to a time that cannot be kept.
pub const GRID: i64 = 705_600_000;

/// No instant lies further from zero, in seconds: 31 years.
const FARTHEST: i64 = 1_000_000_000;

/// A number of seconds, counted from the first video frame of a clip or the first sample of a track; a whole multiple of
/// 1 / [`GRID`] within 31 years of zero. What would lie beyond is brought back to that bound: it is outside of every clip.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Seconds(i64);

impl Seconds {
    /// None.
    pub const ZERO: Self = Self(0);

    /// `num / den` seconds, on the nearest point of the grid; `None` when `den` is zero.
    pub fn new(num: i64, den: i64) -> Option<Self> {
        (den != 0).then(|| Self::nearest(i128::from(num) * i128::from(GRID), i128::from(den)))
    }

    /// The nearest microsecond, for values that were measured and are to be kept.
    pub fn from_measured(seconds: f64) -> Self {
        let bound = FARTHEST as f64;
        let micros = if seconds.is_finite() { (seconds.clamp(-bound, bound) * 1e6).round() } else { 0.0 };
        Self::nearest(micros as i128 * i128::from(GRID), 1_000_000)
    }

    /// `num / den` points of the grid, rounded and kept within bounds. `num` stays far below 2^127 for all that is
    /// multiplied here: an instant times two 32-bit numbers.
    fn nearest(num: i128, den: i128) -> Self {
        let (num, den) = if den < 0 { (-num, -den) } else { (num, den) };
        let points = (2 * num + den).div_euclid(2 * den);
        let bound = i128::from(FARTHEST) * i128::from(GRID);
        Self(points.clamp(-bound, bound) as i64)
    }

    /// For measuring and drawing.
    pub fn to_f64(self) -> f64 {
        self.0 as f64 / GRID as f64
    }

    /// Times a plain ratio, for speeds.
    pub fn scaled(self, by: Ratio<i64>) -> Self {
        Self::nearest(i128::from(self.0) * i128::from(*by.numer()), i128::from(*by.denom()))
    }

    /// How many whole units of `1 / per` seconds lie nearest: samples, ticks of a timecode.
    pub fn in_units(self, per: Ratio<i64>) -> i64 {
        let (num, den) = (i128::from(self.0) * i128::from(*per.numer()), i128::from(GRID) * i128::from(*per.denom()));
        (2 * num + den).div_euclid(2 * den) as i64
    }

    /// Whether it lies before the beginning.
    pub fn is_negative(self) -> bool {
        self.0 < 0
    }
}

impl Add for Seconds {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self::nearest(i128::from(self.0) + i128::from(other.0), 1)
    }
}

impl Sub for Seconds {
    type Output = Self;
    fn sub(self, other: Self) -> Self {
        Self::nearest(i128::from(self.0) - i128::from(other.0), 1)
    }
}

impl fmt::Display for Seconds {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let short = Ratio::new(self.0, GRID);
        write!(f, "{}/{}", short.numer(), short.denom())
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
        let (num, den): (i64, i64) = num.trim().parse().ok().zip(den.trim().parse().ok()).ok_or_else(wrong)?;
        if den < 1 || (num / den).unsigned_abs() > FARTHEST.unsigned_abs() {
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

    /// Frames, in `den` seconds.
    pub fn num(self) -> u32 {
        *self.0.numer()
    }

    /// Seconds, in which `num` frames come.
    pub fn den(self) -> u32 {
        *self.0.denom()
    }

    /// For measuring and drawing.
    pub fn to_f64(self) -> f64 {
        f64::from(self.num()) / f64::from(self.den())
    }

    /// The rates that a job can have.
    pub const OF_JOBS: [(u32, u32); 12] = [
        (24000, 1001),
        (24, 1),
        (25, 1),
        (30000, 1001),
        (30, 1),
        (48, 1),
        (50, 1),
        (60000, 1001),
        (60, 1),
        (100, 1),
        (120_000, 1001),
        (120, 1),
    ];

    /// Whether a job can have it.
    pub fn is_of_jobs(self) -> bool {
        Self::OF_JOBS.contains(&(self.num(), self.den()))
    }

    /// As people write it: 23.976, 25.
    pub fn words(self) -> String {
        let text = format!("{:.3}", self.to_f64());
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    }

    /// The whole number of frames that a timecode of this rate counts in a second: 24 for 23.976.
    pub fn nominal(self) -> u32 {
        self.num().div_ceil(self.den())
    }

    /// Where the frame `pos` begins.
    pub fn seconds_at(self, pos: FramePos) -> Seconds {
        Seconds::nearest(i128::from(pos.0) * i128::from(self.den()) * i128::from(GRID), i128::from(self.num()))
    }

    /// How long so many frames last.
    pub fn seconds_of(self, len: FrameLen) -> Seconds {
        self.seconds_at(FramePos::new(i64::try_from(len.0).unwrap_or(i64::MAX)))
    }

    /// How long so many frames and parts of frames last, on the nearest point of the grid.
    pub fn seconds_of_part(self, frames: Ratio<i128>) -> Seconds {
        let points = i128::from(self.den()) * i128::from(GRID);
        let size = |n: i128| Seconds::nearest(n * points, *frames.denom() * i128::from(self.num()));
        // Rounded alike on both sides of zero, so that there and back is where it was.
        if *frames.numer() < 0 { Seconds::ZERO - size(-frames.numer()) } else { size(*frames.numer()) }
    }

    /// The frame whose beginning is nearest to `at`.
    pub fn nearest(self, at: Seconds) -> FramePos {
        FramePos::new(at.in_units(self.ratio()))
    }

    /// The frame that is shown at `at`. A frame of an odd rate begins beside the grid; its own point of the grid is its.
    pub fn containing(self, at: Seconds) -> FramePos {
        let (num, den) = (i128::from(self.num()), i128::from(self.den()) * i128::from(GRID));
        // Half a point of the grid later: what was rounded down to before the frame's beginning is on it.
        FramePos::new(((2 * i128::from(at.0) + 1) * num).div_euclid(2 * den) as i64)
    }

    /// Frames a second, for exact reckoning.
    pub fn ratio(self) -> Ratio<i64> {
        Ratio::new_raw(i64::from(self.num()), i64::from(self.den()))
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
pub struct FramePos(i64);

/// A length in frames, never negative.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct FrameLen(u64);

/// A signed move in frames.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
pub struct FrameShift(i64);

impl FramePos {
    /// The beginning of a draft.
    pub const ZERO: Self = Self(0);

    /// So many frames from the beginning; negative before it.
    pub const fn new(frames: i64) -> Self {
        Self(frames)
    }

    /// Frames from the beginning.
    pub const fn get(self) -> i64 {
        self.0
    }

    /// Where something of this length that begins here ends.
    pub fn end(self, len: FrameLen) -> Option<Self> {
        self.0.checked_add_unsigned(len.0).map(Self)
    }

    /// Later by a move, earlier where it is negative.
    pub fn checked_shift(self, by: FrameShift) -> Option<Self> {
        self.0.checked_add(by.0).map(Self)
    }

    /// The length from `earlier` to here; `None` when `earlier` is later.
    pub fn since(self, earlier: Self) -> Option<FrameLen> {
        self.0.checked_sub(earlier.0).and_then(|d| u64::try_from(d).ok()).map(FrameLen)
    }
}

impl FrameLen {
    /// Nothing.
    pub const ZERO: Self = Self(0);

    /// So many frames.
    pub const fn new(frames: u64) -> Self {
        Self(frames)
    }

    /// How many frames.
    pub const fn get(self) -> u64 {
        self.0
    }

    /// Longer by a move, shorter where it is negative; `None` where nothing would be left.
    pub fn checked_shift(self, by: FrameShift) -> Option<Self> {
        self.0.checked_add_signed(by.0).map(Self)
    }
}

impl FrameShift {
    /// So many frames later, earlier where negative.
    pub const fn new(frames: i64) -> Self {
        Self(frames)
    }

    /// How many frames later.
    pub const fn get(self) -> i64 {
        self.0
    }

    /// The way back.
    pub fn checked_neg(self) -> Option<Self> {
        self.0.checked_neg().map(Self)
    }
}

impl std::iter::Sum for FrameLen {
    fn sum<I: Iterator<Item = Self>>(iter: I) -> Self {
        Self(iter.fold(0, |sum, l| sum.saturating_add(l.0)))
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

/// A timecode as frames of its own rate since midnight, and whether its numbers are dropped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Timecode {
    /// Of its own rate, since midnight.
    pub frames: u64,
    /// Whether numbers are dropped.
    pub drop: bool,
}

impl Timecode {
    /// Reads what a camera wrote at `rate`.
    pub fn parse(text: &str, rate: FrameRate) -> Result<Self, TimeError> {
        let frames = parse_timecode(text, rate)?;
        Ok(Self { frames, drop: text.contains([';', '.']) && dropped_per_minute(rate) > 0 })
    }

    /// So many frames later, written.
    pub fn after(self, frames: u64, rate: FrameRate) -> String {
        let day = frames_a_day(rate, self.drop);
        timecode((self.frames + frames) % day.max(1), rate, self.drop)
    }
}

/// How many frames a timecode counts until it is at midnight again.
fn frames_a_day(rate: FrameRate, drop: bool) -> u64 {
    let dropped = if drop { dropped_per_minute(rate) } else { 0 };
    u64::from(rate.nominal()) * 86_400 - dropped * (1440 - 144)
}

/// The number of frames that `text` stands for; a `;` or `.` before the frames means drop-frame.
pub fn parse_timecode(text: &str, rate: FrameRate) -> Result<u64, TimeError> {
    let wrong = || TimeError::NotTimecode(text.chars().take(40).collect());
    let drop = text.contains([';', '.']);
    let parts: Vec<u64> =
        text.trim().split([':', ';', '.']).map(|p| p.parse().map_err(|_no_value| wrong())).collect::<Result<_, _>>()?;
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
    fn a_timecode_goes_on_at_its_own_rate_and_over_midnight() {
        let after = |text: &str, rate_text: &str, frames| {
            Timecode::parse(text, rate(rate_text)).expect("a timecode").after(frames, rate(rate_text))
        };
        assert_eq!(after("09:34:59:00", "25", 42), "09:35:00:17");
        assert_eq!(after("00:00:59;29", "30000/1001", 1), "00:01:00;02");
        assert_eq!(after("00:00:59;24", "25", 1), "00:01:00:00", "25 drops nothing");
        assert_eq!(after("23:59:59:24", "25", 2), "00:00:00:01");
        assert_eq!(after("23:59:59;29", "30000/1001", 1), "00:00:00;00");
        assert_eq!(after("23:59:59;59", "60000/1001", 1), "00:00:00;00");
    }

    #[test]
    fn hostile_times_are_refused() {
        for text in ["", "1/0", "x", "99999999999/3", "9223372036854775807", "1/-3", "1/99999999999999999999"] {
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
        let (start, len) = (FramePos::new(100), FrameLen::new(24));
        assert_eq!(start.end(len), Some(FramePos::new(124)));
        assert_eq!(FramePos::new(i64::MAX).end(len), None);
        assert_eq!(FramePos::new(124).since(start), Some(len));
        assert_eq!(start.since(FramePos::new(124)), None, "a length is never negative");
        assert_eq!(len.checked_shift(FrameShift::new(-24)), Some(FrameLen::new(0)));
        assert_eq!(len.checked_shift(FrameShift::new(-25)), None);
        assert_eq!(
            [FrameLen::new(1), FrameLen::new(2), FrameLen::new(3)].into_iter().sum::<FrameLen>(),
            FrameLen::new(6)
        );
    }

    #[test]
    fn a_frame_is_shown_until_the_next_begins() {
        let film = rate("24000/1001");
        let at = |num, den| Seconds::new(num, den).expect("seconds");
        // Frame 24 begins at 1.001 s.
        assert_eq!(film.containing(at(1, 1)), FramePos::new(23));
        assert_eq!(film.nearest(at(1, 1)), FramePos::new(24));
        assert_eq!(film.containing(at(1001, 1000)), FramePos::new(24));
        assert_eq!(film.seconds_of(FrameLen::new(24)), at(1001, 1000));
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

    #[test]
    fn frames_of_every_rate_of_a_job_and_samples_lie_on_the_grid_exactly() {
        for (num, den) in FrameRate::OF_JOBS {
            let rate = FrameRate::new(num, den).expect("a rate");
            assert!(rate.is_of_jobs() && i64::from(den) * GRID % i64::from(num) == 0, "{rate}");
            let second = rate.seconds_at(FramePos::new(i64::from(num)));
            assert_eq!(second, Seconds::new(i64::from(den), 1).expect("seconds"), "{rate}");
        }
        for rate in [44_100, 48_000, 96_000, 192_000] {
            assert_eq!(GRID % rate, 0, "{rate}");
        }
        assert!(!rate("24000/1000").words().contains('.') && !rate("2398/100").is_of_jobs());
    }

    #[test]
    fn no_sum_and_no_speed_leads_out_of_bounds() {
        let far = Seconds::from_measured(1e300);
        assert_eq!(far + far, far);
        assert_eq!(far.scaled(Ratio::new(20, 1)), far);
        assert_eq!((Seconds::ZERO - far) - far, Seconds::ZERO - far);
        assert_eq!(rate("1").seconds_at(FramePos::new(i64::MIN)), Seconds::ZERO - far);
        assert_eq!(rate("1000").seconds_of(FrameLen::new(u64::MAX)), far);
        assert_eq!(far.to_string().parse::<Seconds>().expect("reads back"), far);
        // What earlier versions kept beside the grid is read, on its nearest point.
        let old: Seconds = "123456789/987654321".parse().expect("read");
        assert!((old.to_f64() - 123_456_789.0 / 987_654_321.0).abs() < 1e-9);
    }

    proptest! {
        #[test]
        fn a_timecode_reads_back(frames in 0u64..8_000_000, drop in any::<bool>(), which in 0usize..4) {
            let rate = rate(["24000/1001", "25", "30000/1001", "60000/1001"][which]);
            let text = timecode(frames, rate, drop);
            prop_assert_eq!(parse_timecode(&text, rate).expect("valid"), frames);
        }

        #[test]
        fn a_frame_survives_the_way_through_seconds(frame in 0i64..10_000_000, num in 1u32..1_000_000, den in 1u32..2000) {
            let Some(rate) = FrameRate::new(num, den) else { return Ok(()) };
            let at = rate.seconds_at(FramePos::new(frame));
            prop_assert_eq!(rate.nearest(at), FramePos::new(frame));
            prop_assert_eq!(rate.containing(at), FramePos::new(frame));
            prop_assert_eq!(at.to_string().parse::<Seconds>().expect("reads back"), at);
        }
    }
}
