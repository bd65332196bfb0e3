//! What Legere makes: light copies, sheets, peaks, pieces, hand-offs. Everything on it can be made again.

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

/// A folder of our own. Files are written beside their place and moved there when whole.
#[derive(Debug, Clone)]
pub struct Shelf(PathBuf);

/// Longer than the guard lets any child run.
const ABANDONED: std::time::Duration = std::time::Duration::from_secs(4 * 3600);

static COUNTER: AtomicU64 = AtomicU64::new(0);

impl Shelf {
    pub fn open(path: &Path) -> std::io::Result<Self> {
        for folder in ["clips", "tracks", "pieces", "previews", "music", "handoffs", "work"] {
            std::fs::create_dir_all(path.join(folder))?;
        }
        Ok(Self(path.canonicalize()?))
    }

    pub fn clip(&self, id: &str) -> PathBuf {
        self.0.join("clips").join(id)
    }

    pub fn light(&self, clip: &str) -> PathBuf {
        self.clip(clip).join("light.mp4")
    }

    pub fn sheet(&self, clip: &str) -> PathBuf {
        self.clip(clip).join("sheet.jpg")
    }

    pub fn track(&self, id: &str) -> PathBuf {
        self.0.join("tracks").join(id)
    }

    pub fn pieces(&self) -> PathBuf {
        self.0.join("pieces")
    }

    pub fn previews(&self) -> PathBuf {
        self.0.join("previews")
    }

    pub fn music(&self) -> PathBuf {
        self.0.join("music")
    }

    pub fn handoff(&self, id: &str) -> PathBuf {
        self.0.join("handoffs").join(id)
    }

    /// Removes what killed programs left unfinished. No piece of work takes as long as what goes has been untouched,
    /// so workers that share the shelf lose nothing.
    pub fn sweep(&self) {
        for entry in std::fs::read_dir(self.0.join("work")).into_iter().flatten().flatten() {
            let touched = entry.metadata().and_then(|m| m.modified()).ok().and_then(|t| t.elapsed().ok());
            if touched.is_some_and(|age| age > ABANDONED) {
                let _ = std::fs::remove_dir_all(entry.path());
            }
        }
    }

    /// A fresh folder that is removed when dropped, on the same disk as the rest.
    pub fn work(&self) -> std::io::Result<Work> {
        let n = COUNTER.fetch_add(1, Ordering::Relaxed);
        let path = self.0.join("work").join(format!("{}-{n}", std::process::id()));
        std::fs::create_dir_all(&path)?;
        Ok(Work(path))
    }
}

pub struct Work(PathBuf);

impl Work {
    pub fn path(&self) -> &Path {
        &self.0
    }

    /// Moves the whole folder to its place; what was there before goes.
    pub fn publish(self, place: &Path) -> std::io::Result<()> {
        if place.exists() {
            std::fs::remove_dir_all(place)?;
        }
        if let Some(parent) = place.parent() {
            std::fs::create_dir_all(parent)?;
        }
        std::fs::rename(&self.0, place)
    }
}

impl Drop for Work {
    fn drop(&mut self) {
        // Gone already when it was published.
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shelf() -> (tempfile::TempDir, Shelf) {
        let dir = tempfile::tempdir().expect("a folder");
        let shelf = Shelf::open(&dir.path().join("shelf")).expect("a shelf");
        (dir, shelf)
    }

    #[test]
    fn what_is_published_is_whole_and_replaces_what_was_there() {
        let (_dir, shelf) = shelf();
        for text in ["first", "second"] {
            let work = shelf.work().expect("a folder");
            std::fs::write(work.path().join("light.mp4"), text).expect("written");
            work.publish(&shelf.clip("c1")).expect("published");
            assert_eq!(std::fs::read_to_string(shelf.light("c1")).expect("there"), text);
        }
        assert_eq!(std::fs::read_dir(shelf.0.join("work")).expect("a folder").count(), 0, "nothing is left behind");
    }

    #[test]
    fn what_is_given_up_leaves_nothing() {
        let (_dir, shelf) = shelf();
        let (one, two) = (shelf.work().expect("a folder"), shelf.work().expect("a folder"));
        assert_ne!(one.path(), two.path(), "two pieces of work never meet");
        let place = one.path().to_path_buf();
        std::fs::write(place.join("half.mp4"), "half").expect("written");
        drop(one);
        assert!(!place.exists() && two.path().exists());
    }

    #[test]
    fn only_what_was_abandoned_long_ago_is_swept() {
        let (_dir, shelf) = shelf();
        let fresh = shelf.work().expect("a folder");
        let old = shelf.0.join("work").join("killed-0");
        std::fs::create_dir(&old).expect("a folder");
        let long_ago = std::time::SystemTime::now() - 2 * ABANDONED;
        std::fs::File::open(&old).and_then(|f| f.set_modified(long_ago)).expect("aged");
        shelf.sweep();
        assert!(!old.exists() && fresh.path().exists());
    }
}
