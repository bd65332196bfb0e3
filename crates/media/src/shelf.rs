//! What Legere makes: light copies, sheets, peaks, pieces, hand-offs. Everything on it can be made again.
//!
//! Nothing is published before it is whole: files are written beside their place, brought to the disk, and moved there.
//! The shelf keeps to a budget: pieces, previews and music that nobody has used for longest go first; light copies and
//! hand-offs stay.

use crate::MediaError;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fs::File;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};
use tempfile::TempDir;

/// The name of the standing clip that is made of a picture.
pub(crate) const STILL: &str = "still.mp4";
/// The width of a light copy in pixels, where nobody chooses another.
pub const LIGHT_WIDTH: u32 = 960;

/// A folder of our own.
#[derive(Debug, Clone)]
pub struct Shelf {
    light_width: u32,
    path: PathBuf,
    originals: PathBuf,
    budget: Budget,
}

/// How much may lie on the shelf.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Budget {
    /// Bytes, of everything that can go.
    pub most: u64,
    /// Bytes that stay free on the disk, whatever else wants them.
    pub floor: u64,
}

impl Budget {
    /// 50 GB or a tenth of the disk, whichever is less, and a gigabyte or a hundredth of the disk left free.
    pub fn usual(path: &Path) -> Self {
        let disk = space(path).map_or(u64::MAX, |s| s.whole);
        Self { most: (50 << 30).min(disk / 10), floor: (1 << 30).min(disk / 100) }
    }
}

/// Bytes of the disk that a path lies on.
struct Space {
    whole: u64,
    free: u64,
}

fn space(path: &Path) -> Option<Space> {
    let stat = nix::sys::statvfs::statvfs(path).ok()?;
    let block = stat.fragment_size();
    Some(Space { whole: stat.blocks() * block, free: stat.blocks_available() * block })
}

/// Longer than the guard lets any child run.
const ABANDONED: Duration = Duration::from_hours(4);
/// What was used this recently is in use.
const IN_USE: Duration = Duration::from_mins(10);
/// Names and sizes of what a folder of a clip or a track holds.
const MANIFEST: &str = "made.json";

#[derive(Debug, Serialize, Deserialize)]
struct Manifest {
    files: BTreeMap<String, u64>,
}

impl Shelf {
    pub fn open(path: &Path) -> std::io::Result<Self> {
        for folder in ["clips", "tracks", "pieces", "previews", "music", "handoffs", "work"] {
            std::fs::create_dir_all(path.join(folder))?;
        }
        let path = path.canonicalize()?;
        let originals = path.with_file_name("originals");
        // Where earlier versions kept them.
        let earlier = path.join("dropped");
        if earlier.is_dir() && !originals.exists() {
            std::fs::rename(&earlier, &originals)?;
        }
        std::fs::create_dir_all(&originals)?;
        let budget = Budget::usual(&path);
        Ok(Self { light_width: LIGHT_WIDTH, path, originals, budget })
    }

    pub fn with_budget(self, budget: Budget) -> Self {
        Self { budget, ..self }
    }

    /// With light copies of another width, in pixels.
    pub fn with_light_width(self, light_width: u32) -> Self {
        Self { light_width, ..self }
    }

    /// How wide light copies are made.
    pub fn light_width(&self) -> u32 {
        self.light_width
    }

    pub fn budget(&self) -> Budget {
        self.budget
    }

    pub fn clip(&self, id: &str) -> PathBuf {
        self.path.join("clips").join(id)
    }

    /// Beside the shelf: files that were dropped on the page. They cannot be made again, so nothing here goes by itself.
    pub fn originals(&self) -> PathBuf {
        self.originals.clone()
    }

    pub fn light(&self, clip: &str) -> PathBuf {
        self.clip(clip).join("light.mp4")
    }

    /// The standing clip that was made of a picture.
    pub fn still(&self, clip: &str) -> PathBuf {
        self.clip(clip).join(STILL)
    }

    pub fn sheet(&self, clip: &str) -> PathBuf {
        self.clip(clip).join("sheet.jpg")
    }

    pub fn track(&self, id: &str) -> PathBuf {
        self.path.join("tracks").join(id)
    }

    pub fn pieces(&self) -> PathBuf {
        self.path.join("pieces")
    }

    pub fn previews(&self) -> PathBuf {
        self.path.join("previews")
    }

    pub fn music(&self) -> PathBuf {
        self.path.join("music")
    }

    pub fn handoff(&self, id: &str) -> PathBuf {
        self.path.join("handoffs").join(id)
    }

    /// Removes what killed programs left unfinished. No piece of work takes as long as what goes has been untouched,
    /// so workers that share the shelf lose nothing.
    pub fn sweep(&self) {
        for entry in std::fs::read_dir(self.path.join("work")).into_iter().flatten().flatten() {
            let touched = entry.metadata().and_then(|m| m.modified()).ok().and_then(|t| t.elapsed().ok());
            if touched.is_some_and(|age| age > ABANDONED) {
                let _ = std::fs::remove_dir_all(entry.path());
            }
        }
    }

    /// Whether all that was published in a folder is still there, as long as it was.
    pub fn is_whole(&self, folder: &Path) -> bool {
        let manifest = std::fs::read(folder.join(MANIFEST)).ok();
        match manifest.and_then(|m| serde_json::from_slice::<Manifest>(&m).ok()) {
            Some(manifest) => manifest
                .files
                .iter()
                .all(|(name, size)| std::fs::metadata(folder.join(name)).is_ok_and(|m| m.len() == *size)),
            // Made by an earlier version, which kept no list.
            None => {
                ["light.mp4", "light.flac"].iter().any(|f| std::fs::metadata(folder.join(f)).is_ok_and(|m| m.len() > 0))
            }
        }
    }

    /// When a folder was last written in; files that come or go in it change that.
    pub fn written(folder: &Path) -> Option<SystemTime> {
        folder.metadata().and_then(|m| m.modified()).ok()
    }

    /// Removes what was made of a clip or a track, because its file is another one now.
    pub fn forget(&self, folder: &Path) -> std::io::Result<()> {
        match std::fs::remove_dir_all(folder) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => Err(error),
            _ => Ok(()),
        }
    }

    /// Makes room when the disk is nearly full; an error when there is none to be made.
    pub fn ensure_room(&self) -> Result<(), MediaError> {
        self.ensure_room_for(0)
    }

    /// The same for something of so many bytes. What is in use stays, however full the disk is.
    pub fn ensure_room_for(&self, bytes: u64) -> Result<(), MediaError> {
        let wanted = self.budget.floor.saturating_add(bytes);
        let free = || space(&self.path).map_or(u64::MAX, |s| s.free);
        let now = free();
        if now >= wanted {
            return Ok(());
        }
        self.evict(wanted - now, IN_USE);
        if free() >= wanted { Ok(()) } else { Err(MediaError::DiskFull) }
    }

    /// Brings what can go down to the budget; gives how many bytes went.
    pub fn keep_to_budget(&self) -> u64 {
        let lying: u64 = self.evictable().iter().map(|e| e.bytes).sum();
        if lying > self.budget.most { self.evict(lying - self.budget.most, IN_USE) } else { 0 }
    }

    /// Removes what was unused for longest, at least so many bytes of it, but nothing that was used within `spared`.
    fn evict(&self, bytes: u64, spared: Duration) -> u64 {
        let mut all = self.evictable();
        all.sort_by_key(|e| e.used);
        let mut gone = 0;
        for entry in all {
            if gone >= bytes || entry.used.elapsed().is_ok_and(|age| age < spared) {
                break;
            }
            if std::fs::remove_file(&entry.path).is_ok() {
                gone += entry.bytes;
            }
        }
        if gone > 0 {
            tracing::info!(gone, "pieces that nobody used went from the shelf");
        }
        gone
    }

    fn evictable(&self) -> Vec<Evictable> {
        [self.pieces(), self.previews(), self.music()]
            .iter()
            .flat_map(|folder| std::fs::read_dir(folder).into_iter().flatten().flatten())
            .filter_map(|entry| {
                let meta = entry.metadata().ok().filter(std::fs::Metadata::is_file)?;
                // Access times are not kept on many disks: whoever uses a file touches it.
                let used = meta.modified().ok()?;
                Some(Evictable { path: entry.path(), bytes: meta.len(), used })
            })
            .collect()
    }

    /// A fresh folder that is removed when dropped, on the same disk as the rest.
    pub fn work(&self) -> std::io::Result<Work> {
        let prefix = format!("{}-", std::process::id());
        // Others read what is published of it, as they read what else lies on the shelf.
        let open = std::fs::Permissions::from_mode(0o755);
        let folder = tempfile::Builder::new().prefix(&prefix).permissions(open).tempdir_in(self.path.join("work"))?;
        Ok(Work(folder))
    }
}

struct Evictable {
    path: PathBuf,
    bytes: u64,
    used: SystemTime,
}

/// Says that a file of the shelf was used, so that it stays.
pub fn touch(file: &Path) {
    let _ = File::open(file).and_then(|f| f.set_modified(SystemTime::now()));
}

/// Moves a finished file to its place once it is on the disk, on a thread that may wait.
pub async fn publish_file(from: &Path, to: &Path) -> Result<(), MediaError> {
    let (from, to) = (from.to_path_buf(), to.to_path_buf());
    let moved = tokio::task::spawn_blocking(move || {
        File::open(&from)?.sync_all()?;
        let folder = to.parent().ok_or_else(|| std::io::Error::other("a file lies in a folder"))?;
        std::fs::create_dir_all(folder)?;
        std::fs::rename(&from, &to)?;
        File::open(folder)?.sync_all()
    });
    Ok(moved.await.map_err(MediaError::stopped)??)
}

pub struct Work(TempDir);

impl Work {
    pub fn path(&self) -> &Path {
        self.0.path()
    }

    /// Moves the whole folder to its place, once all of it is on the disk; what was there before goes.
    pub fn publish(self, place: &Path) -> std::io::Result<()> {
        let mut files = BTreeMap::new();
        for entry in std::fs::read_dir(self.path())? {
            let entry = entry?;
            File::open(entry.path())?.sync_all()?;
            files.insert(entry.file_name().to_string_lossy().into_owned(), entry.metadata()?.len());
        }
        let manifest = self.path().join(MANIFEST);
        std::fs::write(&manifest, serde_json::to_vec(&Manifest { files })?)?;
        File::open(&manifest)?.sync_all()?;
        File::open(self.path())?.sync_all()?;
        let parent = place.parent().ok_or_else(|| std::io::Error::other("a folder lies in a folder"))?;
        std::fs::create_dir_all(parent)?;
        if place.exists() {
            std::fs::remove_dir_all(place)?;
        }
        std::fs::rename(self.path(), place)?;
        // It is no longer there to be removed.
        let _ = self.0.keep();
        File::open(parent)?.sync_all()
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
        assert_eq!(std::fs::read_dir(shelf.path.join("work")).expect("a folder").count(), 0, "nothing is left behind");
    }

    #[test]
    fn what_is_missing_or_shorter_than_it_was_is_noticed() {
        let (_dir, shelf) = shelf();
        let place = shelf.clip("c1");
        assert!(!shelf.is_whole(&place));
        let work = shelf.work().expect("a folder");
        for name in ["light.mp4", "sheet.jpg"] {
            std::fs::write(work.path().join(name), "0123456789").expect("written");
        }
        work.publish(&place).expect("published");
        assert!(shelf.is_whole(&place));
        std::fs::write(place.join("light.mp4"), "01234").expect("cut short");
        assert!(!shelf.is_whole(&place));
        std::fs::write(place.join("light.mp4"), "0123456789").expect("mended");
        assert!(shelf.is_whole(&place));
        std::fs::remove_file(place.join("sheet.jpg")).expect("removed");
        assert!(!shelf.is_whole(&place));
        shelf.forget(&place).expect("forgotten");
        shelf.forget(&place).expect("twice is no harm");
        assert!(!place.exists());
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
        let old = shelf.path.join("work").join("killed-0");
        std::fs::create_dir(&old).expect("a folder");
        let long_ago = std::time::SystemTime::now() - 2 * ABANDONED;
        std::fs::File::open(&old).and_then(|f| f.set_modified(long_ago)).expect("aged");
        shelf.sweep();
        assert!(!old.exists() && fresh.path().exists());
    }

    #[test]
    fn what_nobody_used_for_longest_goes_first_and_light_copies_never() {
        let (_dir, shelf) = shelf();
        let shelf = shelf.with_budget(Budget { most: 2500, floor: 0 });
        let put = |path: PathBuf, hours: u64| {
            std::fs::create_dir_all(path.parent().expect("a folder")).expect("folders");
            std::fs::write(&path, [0u8; 1000]).expect("written");
            let used = SystemTime::now() - Duration::from_secs(hours * 3600);
            File::open(&path).and_then(|f| f.set_modified(used)).expect("aged");
            path
        };
        let old = put(shelf.pieces().join("old.mp4"), 9);
        let older = put(shelf.music().join("older.m4a"), 10);
        let touched = put(shelf.pieces().join("touched.mp4"), 11);
        let fresh = put(shelf.previews().join("fresh.mp4"), 0);
        let light = put(shelf.light("c1"), 99);
        let handoff = put(shelf.handoff("h1").join("file.mp4"), 99);
        touch(&touched);
        assert_eq!(shelf.keep_to_budget(), 2000);
        assert!(!older.exists() && !old.exists());
        assert!([touched, fresh, light, handoff].iter().all(|f| f.exists()));
        assert_eq!(shelf.keep_to_budget(), 0);
    }

    #[test]
    fn without_room_nothing_begins_and_what_can_go_goes_for_it() {
        let (_dir, shelf) = shelf();
        let (unused, in_use) = (shelf.pieces().join("a.mp4"), shelf.pieces().join("b.mp4"));
        for file in [&unused, &in_use] {
            std::fs::write(file, [0u8; 1000]).expect("written");
        }
        let hours_ago = SystemTime::now() - Duration::from_hours(3);
        File::open(&unused).and_then(|f| f.set_modified(hours_ago)).expect("aged");
        let full = shelf.clone().with_budget(Budget { most: u64::MAX, floor: u64::MAX });
        assert!(matches!(full.ensure_room(), Err(MediaError::DiskFull)));
        assert!(!unused.exists(), "it was tried");
        assert!(in_use.exists(), "a render that is under way keeps its pieces");
        assert!(matches!(shelf.ensure_room_for(1 << 60), Err(MediaError::DiskFull)));
        assert!(shelf.with_budget(Budget { most: 0, floor: 0 }).ensure_room().is_ok());
    }
}
