//! What pages are drawn from: plain values that are written as JSON.

pub mod clip;
pub mod draft;
pub mod select;
pub mod sift;
pub mod track;
#[cfg(test)]
mod wire;
