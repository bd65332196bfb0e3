//! What pages are drawn from: plain values that are written as JSON.

pub mod draft;
pub mod select;
pub mod track;
