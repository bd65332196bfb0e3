//! Pieces whose truth is known: composed by us, or written scores that others left.

pub(crate) mod chamber;
pub(crate) mod compose;
pub(crate) mod idiom;
pub(crate) mod improvise;
pub(crate) mod note;
pub(crate) mod play;
pub(crate) mod score;
pub(crate) mod song;
pub(crate) mod style;

pub use compose::{Composition, Truth};
pub use play::{Band, PlayError, SECOND_SOUNDFONT};
pub use score::{Score, ScoreError};
pub use style::{STYLES, Style};
