//! Finding the files of a folder.

use chrono::{DateTime, Utc};
use std::path::{Path, PathBuf};

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    Clip,
    /// A clip that stands still.
    Picture,
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
const PICTURES: [&str; 8] = ["jpg", "jpeg", "png", "webp", "tif", "tiff", "bmp", "tga"];
const TRACKS: [&str; 9] = ["wav", "flac", "mp3", "ogg", "m4a", "aif", "aiff", "opus", "oga"];

pub fn kind_of(path: &Path) -> Option<Kind> {
    let ending = path.extension()?.to_str()?.to_lowercase();
    if CLIPS.contains(&ending.as_str()) {
        Some(Kind::Clip)
    } else if PICTURES.contains(&ending.as_str()) {
        Some(Kind::Picture)
    } else if TRACKS.contains(&ending.as_str()) {
        Some(Kind::Track)
    } else {
        None
    }
}

/// Whether a file is a picture by its name.
pub fn is_picture(name: &str) -> bool {
    kind_of(Path::new(name)) == Some(Kind::Picture)
}

/// Names of files below a folder that are neither footage nor pictures nor sound, in the order of their paths.
pub fn left_alone(folder: &Path) -> Vec<String> {
    files(folder)
        .filter(|e| kind_of(e.path()).is_none() || e.path().to_str().is_none())
        .map(|e| e.file_name().to_string_lossy().into_owned())
        .collect()
}

fn files(folder: &Path) -> impl Iterator<Item = walkdir::DirEntry> {
    walkdir::WalkDir::new(folder)
        .sort_by_file_name()
        .into_iter()
        .filter_entry(|e| e.depth() == 0 || !e.file_name().to_string_lossy().starts_with('.'))
        .flatten()
        .filter(|e| e.file_type().is_file())
}

/// All footage and music below a folder, in the order of their paths. Links are not followed; names that are not
/// Unicode are left out, since nobody could type or show them.
pub fn search(folder: &Path) -> Vec<Found> {
    files(folder)
        .filter_map(|e| {
            let kind = kind_of(e.path())?;
            let path = e.path().strip_prefix(folder).ok()?.to_path_buf();
            path.to_str()?;
            let meta = e.metadata().ok()?;
            Some(Found { path, kind, bytes: meta.len(), modified: meta.modified().ok().map(DateTime::from) })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_gives_its_footage_and_music_and_nothing_else() {
        let dir = tempfile::tempdir().expect("a folder");
        let at = |name: &str| dir.path().join(name);
        std::fs::create_dir_all(at("card/sub")).expect("folders");
        std::fs::create_dir_all(at(".trash")).expect("folders");
        for name in [
            "card/B.MP4",
            "card/a.mov",
            "card/sub/c.mkv",
            "card/notes.txt",
            "card/.half.mp4",
            ".trash/old.mp4",
            "song.Flac",
            "card/poster.PNG",
            "no ending",
        ] {
            std::fs::write(at(name), b"x").expect("a file");
        }
        std::os::unix::fs::symlink(at("card/a.mov"), at("card/link.mov")).expect("a link");
        let found: Vec<(String, Kind)> =
            search(dir.path()).into_iter().map(|f| (f.path.to_string_lossy().into_owned(), f.kind)).collect();
        let wanted = [
            ("card/B.MP4", Kind::Clip),
            ("card/a.mov", Kind::Clip),
            ("card/poster.PNG", Kind::Picture),
            ("card/sub/c.mkv", Kind::Clip),
            ("song.Flac", Kind::Track),
        ];
        assert_eq!(found, wanted.map(|(p, k)| (p.to_owned(), k)));
        assert_eq!(left_alone(dir.path()), ["notes.txt", "no ending"]);
    }

    #[test]
    fn size_and_time_come_with_a_file() {
        let dir = tempfile::tempdir().expect("a folder");
        std::fs::write(dir.path().join("a.wav"), [0u8; 1234]).expect("a file");
        let found = search(dir.path()).remove(0);
        assert_eq!(found.bytes, 1234);
        assert!(found.modified.is_some_and(|t| (Utc::now() - t).num_seconds().abs() < 60));
    }

    #[test]
    fn a_folder_that_is_not_there_holds_nothing() {
        assert!(search(Path::new("/nowhere/at/all")).is_empty());
    }
}
