//! A note of a piece.

use rand::Rng;

#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Note {
    pub channel: i32,
    pub key: i32,
    pub velocity: i32,
    pub at: f64,
    pub long: f64,
}

impl Note {
    /// As a player plays it, so loud (0–1), from one time to another, who strays by so many seconds at most.
    pub fn played(
        (channel, key): (i32, i32),
        loud: f64,
        (start, end): (f64, f64),
        stray: f64,
        rng: &mut impl Rng,
    ) -> Self {
        let stray = if stray > 0.0 { rng.random_range(-stray..stray) } else { 0.0 };
        Self {
            channel,
            key: key.clamp(24, 108),
            velocity: ((loud * 122.0).round() as i32).clamp(12, 127),
            at: (start + stray).max(0.0),
            long: (end - start).max(0.03),
        }
    }
}
