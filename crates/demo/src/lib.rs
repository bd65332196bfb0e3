//! "The Long Hour": the demo's footage and music, drawn and played from a seed.
//!
//! What is drawn is known exactly ([`Plan`], [`music::Composed`]), so the readings are measured against it. The
//! clock-restoration workshop *Hollin & Marr* and all its clips are made up.

mod exif;
pub mod film;
pub mod music;
mod paint;
mod plan;
mod scene;
mod sound;
mod surface;

pub use plan::{Camera, Fault, Plan, Roll, Subject, long_hour};
pub use sound::{AMBIENCES, ambience};

#[derive(Debug, thiserror::Error)]
pub enum DemoError {
    #[error(transparent)]
    Media(#[from] legere_media::MediaError),
    #[error(transparent)]
    Io(#[from] std::io::Error),
    #[error(transparent)]
    Wav(#[from] hound::Error),
}

#[cfg(test)]
mod tests;
