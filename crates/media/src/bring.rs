//! Finding the files of a folder.

use chrono::{DateTime, Utc};
use std::path::{Path, PathBuf};

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    Clip,
    Track,
}

/// A file that looks like footage or music by its name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Found {
    /// Below the folder that was searched.
    pub path: PathBuf,
    pub kind: Kind,
    pub bytes: u64,
    pub modified: Option<DateTime<Utc>>,
}

const CLIPS: [&str; 14] =
    ["mp4", "mov", "m4v", "mkv", "webm", "avi", "mts", "m2ts", "mxf", "mpg", "mpeg", "3gp", "ogv", "wmv"];
const TRACKS: [&str; 9] = ["wav", "flac", "mp3", "ogg", "m4a", "aif", "aiff", "opus", "oga"];

pub fn kind_of(path: &Path) -> Option<Kind> {
    let ending = path.extension()?.to_str()?.to_lowercase();
    if CLIPS.contains(&ending.as_str()) {
        Some(Kind::Clip)
    } else if TRACKS.contains(&ending.as_str()) {
        Some(Kind::Track)
    } else {
        None
    }
}

/// All footage and music below a folder, in the order of their paths. Links are not followed; names that are not
/// Unicode are left out, since nobody could type or show them.
pub fn search(folder: &Path) -> Vec<Found> {
    walkdir::WalkDir::new(folder)
        .sort_by_file_name()
        .into_iter()
        .filter_entry(|e| e.depth() == 0 || !e.file_name().to_string_lossy().starts_with('.'))
        .flatten()
        .filter(|e| e.file_type().is_file())
        .filter_map(|e| {
            let kind = kind_of(e.path())?;
            let path = e.path().strip_prefix(folder).ok()?.to_path_buf();
            path.to_str()?;
            let meta = e.metadata().ok()?;
            Some(Found { path, kind, bytes: meta.len(), modified: meta.modified().ok().map(DateTime::from) })
        })
        .collect()
}
