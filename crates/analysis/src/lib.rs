//! Reads samples: music and footage.
//!
//! Nothing here opens a file, asks a clock or has randomness without a seed. Decoded sound goes into [`music::read_track`] and
//! small frames into [`footage::ClipReader`]; what comes out are the readings of `legere-core`. [`evaluation`] says how
//! near a reading of music comes to the truth.

#![warn(missing_docs)]

pub mod evaluation;
pub mod footage;
pub mod music;
