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
