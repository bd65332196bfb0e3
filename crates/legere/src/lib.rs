//! What serving pages and doing long work have in common: options, the data folder, copies of it, logs.
//!
//! There is no web server here, and so none in `legere-work`, which is made of this alone.

pub mod archive;
pub mod backup;
mod error;
pub mod log;
pub mod options;
pub mod privileges;
pub mod services;
pub mod work;

pub use error::MainError;
pub use options::{DataOptions, Media};
