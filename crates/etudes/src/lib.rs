//! Études: short pieces in many styles and metres, composed from a seed and played with a free soundfont, whose
//! beats, bars, sections and cues are therefore known. What reads music is fitted on some of them and judged on the
//! others.

mod compose;
mod improvise;
mod judge;
mod play;
mod style;

pub use compose::{Etude, Truth};
pub use judge::{Judged, Means};
pub use play::{Band, PlayError};
pub use style::{STYLES, Style};

/// The seeds whose pieces parameters may be fitted on; all others are for judging.
pub const FITTED_SEEDS: std::ops::Range<u64> = 0..100;

/// The same for improvisations.
pub const FITTED_IMPROVISATIONS: std::ops::Range<u64> = 0..100_000;

#[cfg(test)]
mod tests;
