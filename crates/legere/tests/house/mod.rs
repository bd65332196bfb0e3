//! The real program and a real browser, for tests and for the pictures of the docs.
#![allow(dead_code, reason = "each test program uses its own part of this")]

pub mod browser;
pub mod material;
pub mod program;
