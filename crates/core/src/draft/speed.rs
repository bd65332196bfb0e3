//! How fast a clip plays.

use crate::time::{GRID, Seconds};
use num_rational::Ratio;
use serde::{Deserialize, Serialize};

/// How fast a clip plays: 1 is as recorded, ½ half as fast, 0 holds a frame, below 0 it runs backwards.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Speed(Ratio<i64>);

/// Speeds are kept to this part of normal speed at the finest, so that sums of them stay small fractions.
const FINEST: i64 = 100_000;

impl Speed {
    /// As recorded.
    pub const NORMAL: Self = Self(Ratio::new_raw(1, 1));
    /// A frame is held.
    pub const HELD: Self = Self(Ratio::new_raw(0, 1));

    /// `None` unless it is 0, or between 1/20 and 20 on either side of it.
    pub fn new(num: i64, den: i64) -> Option<Self> {
        if den <= 0 {
            return None;
        }
        let ratio = Ratio::new(num, den);
        // Compared without its sign, which the smallest number has no other of.
        let (size, bounds) = (ratio.numer().unsigned_abs(), ratio.denom().unsigned_abs());
        let within = size == 0 || (size.checked_mul(20)? >= bounds && size <= bounds.checked_mul(20)?);
        (within && *ratio.denom() <= FINEST).then_some(Self(ratio))
    }

    /// So fast that one length lasts as long as another, or a hair slower: what is shown stays within it.
    pub fn fitting(part: Seconds, place: Seconds) -> Option<Self> {
        let points = |s: Seconds| i128::from(s.in_units(Ratio::from_integer(GRID)));
        let (part, place) = (points(part), points(place));
        let scaled = (place > 0).then(|| part * i128::from(FINEST) / place)?;
        Self::new(i64::try_from(scaled).ok()?, FINEST)
    }

    /// As a fraction.
    pub fn ratio(self) -> Ratio<i64> {
        self.0
    }

    /// As a factor.
    pub fn to_f64(self) -> f64 {
        *self.0.numer() as f64 / *self.0.denom() as f64
    }

    /// The other way.
    #[must_use]
    pub fn reversed(self) -> Self {
        Self(-self.0)
    }

    /// Whether the clip runs backwards.
    pub fn is_backwards(self) -> bool {
        *self.0.numer() < 0
    }

    /// Whether a frame is held.
    pub fn is_held(self) -> bool {
        *self.0.numer() == 0
    }
}

impl Serialize for Speed {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(&format_args!("{}/{}", self.0.numer(), self.0.denom()))
    }
}

impl<'de> Deserialize<'de> for Speed {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let text = String::deserialize(from)?;
        text.split_once('/')
            .and_then(|(n, d)| Self::new(n.parse().ok()?, d.parse().ok()?))
            .ok_or_else(|| serde::de::Error::custom("not a speed"))
    }
}
