//! Fits and judges the reading of music; nothing of the product depends on it.
//!
//! [`Composition`]s are short pieces in many styles and metres, composed from a seed and played with a free soundfont, whose
//! beats, bars, sections and cues are therefore known ([`corpus`]). What reads music is fitted on some of them ([`dataset`],
//! `train`) and judged on the others ([`evaluation`]).

use std::path::{Path, PathBuf};

mod corpus;
pub mod dataset;
mod evaluation;
pub mod footage;
#[cfg(feature = "train")]
pub mod train;

pub use corpus::{Band, Composition, PlayError, SECOND_SOUNDFONT, STYLES, Score, ScoreError, Style, Truth};
pub use evaluation::{Judged, Means};

/// The seeds whose pieces parameters may be fitted on; all others are for judging.
pub const FITTED_SEEDS: std::ops::Range<u64> = 0..100;

/// The same for improvisations and for pieces in idioms, songs and chamber music; from 120 000 on networks have learnt from
/// them too.
pub const FITTED_IMPROVISATIONS: std::ops::Range<u64> = 0..100_000;

/// The pieces in idioms, the songs and the chamber music that `track::bars` is fitted on: the last of the fitted seeds,
/// since the first have trained the networks.
pub fn fitted_improvisations() -> impl Iterator<Item = Composition> {
    let last = |count: u64| FITTED_IMPROVISATIONS.end - count..FITTED_IMPROVISATIONS.end;
    last(264)
        .map(Composition::in_idiom)
        .chain(last(240).map(Composition::song))
        .chain(last(160).map(Composition::chamber))
}

/// Where benches keep pieces once they are played, below Cargo's folder for them: playing takes longer than reading.
pub fn kept(below: &str) -> PathBuf {
    let folder = Path::new(below).join("compositions");
    std::fs::create_dir_all(&folder).expect("a folder below Cargo's own");
    folder
}

/// Does the same with each of them, half of them beside the other half; in their order.
pub fn each<I: Sync, T: Send>(all: &[I], act: impl Fn(&I) -> T + Sync) -> Vec<T> {
    let (first, second) = all.split_at(all.len() / 2);
    std::thread::scope(|scope| {
        let beside = scope.spawn(|| first.iter().map(&act).collect::<Vec<T>>());
        let later: Vec<T> = second.iter().map(&act).collect();
        match beside.join() {
            Ok(sooner) => sooner.into_iter().chain(later).collect(),
            Err(panic) => std::panic::resume_unwind(panic),
        }
    })
}

#[cfg(test)]
mod tests;
