//! What a sequence of beats is made of, and how fast it may be.

/// Beats a minute.
pub const SLOWEST_BPM: f64 = 60.0;
/// Beats a minute.
pub const FASTEST_BPM: f64 = 182.0;

/// A beat of a sequence that may be the tactus.
#[derive(Debug, Clone, Copy)]
pub struct CandidateBeat {
    /// In seconds.
    pub at: f64,
    /// 0–1, of the onset that it is on.
    pub strength: f64,
}
