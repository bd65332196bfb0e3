//! Files and ffmpeg.
//!
//! Every ffmpeg and ffprobe process is started through [`guard`]: bounded, cut off from the network, refusing
//! playlists, never given a file name that could be read as an option or a protocol. [`roots`] is the only way
//! to a file of the editor's; [`shelf`] holds what Legere makes itself.

pub mod bring;
mod error;
pub mod frame;
pub mod guard;
pub mod identity;
mod key;
pub mod light;
pub mod permits;
pub mod piece;
pub mod probe;
pub mod render;
pub mod roots;
pub mod shelf;
mod small;
pub mod sound;
pub mod verify;
pub mod version;

pub use error::MediaError;
