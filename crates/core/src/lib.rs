//! The rules and the computation of Legere.
//!
//! Nothing here opens a file, asks a clock or knows a screen: samples and frames come in as slices and
//! iterators, readings and proposals go out as values, together with their reasons.
//!
//! In the order of the job: [`footage`] and [`track`] read, [`select`] holds what the editor chose,
//! [`arrange`] lays it on the music, [`draft`] keeps the cut whole while it is refined, [`check`] says what a
//! tired eye misses, and [`interchange`] writes and reads the open formats. [`time`] and [`id`] are below
//! all of them.

#![warn(missing_docs)]

pub mod arrange;
pub mod check;
pub mod clip;
pub mod draft;
pub mod footage;
pub mod id;
pub mod interchange;
pub mod length;
pub mod narrow;
pub mod preference;
pub mod select;
pub mod stats;
pub mod time;
pub mod track;
mod word;
