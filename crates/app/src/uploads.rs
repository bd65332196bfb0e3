//! Files that are dropped on the page. They come in pieces and go on where they stopped after a broken connection, a closed
//! window or a restart.
//!
//! What is dropped is an original: it lies in a folder of its own (`Shelf::originals`), which nothing evicts and every backup
//! holds. Below that each job has a folder, and in it each drop, so that two cards with the same names stay two. A file that
//! is not whole yet lies in `.uploads` under a hash of what it is (name, size, time, and a sample of its content): the same
//! file sent from two windows is one upload. Each piece is checked by its SHA-256 before it is written, and all of the file by
//! its length and its sample before it is put in its place.

use super::Imports;
use crate::blocking::run_blocking;
use crate::error::AppError;
use bytes::{Bytes, BytesMut};
use futures::{Stream, StreamExt};
use legere_core::id::JobId;
use legere_media::MediaError;
use legere_media::bring::kind_of;
use nix::fcntl::{FallocateFlags, Flock, FlockArg, fallocate};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::os::unix::fs::FileExt;
use std::path::{Component, Path, PathBuf};
use std::time::{Duration, SystemTime};
use uuid::Uuid;

/// The name of the media folder that they lie in.
pub const DROPPED: &str = "dropped files";
/// No single file is larger than this: a terabyte.
const LARGEST: u64 = 1 << 40;
/// No piece is larger than this.
const LARGEST_PIECE: usize = 16 << 20;
/// The beginning and the end of a file that its sample is of.
const SAMPLE: u64 = 1 << 20;
/// What nobody has gone on with for so long is given up.
const ABANDONED: Duration = Duration::from_hours(7 * 24);
/// Below a job's folder: what is not whole yet. Bringing in looks into no hidden folder.
const UNFINISHED: &str = ".uploads";

/// What is to come.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Announced {
    /// Files that were dropped together: they lie in one folder.
    pub drop: Uuid,
    /// The file's name, with the folders that it was dropped in.
    pub path: String,
    pub bytes: u64,
    /// The file's own time, in milliseconds since 1970.
    pub modified: i64,
    /// SHA-256, in hexadecimal, of its first and its last mebibyte; of a smaller file, of all of it.
    pub sample: String,
}

/// An upload, and how much of it is stored.
#[derive(Debug, Clone, Serialize)]
pub struct Upload {
    pub id: String,
    pub have: u64,
    pub whole: bool,
}

/// An upload that is not whole.
#[derive(Debug, Serialize, Deserialize)]
struct Record {
    file: Announced,
    /// Where it lies below the job's folder once it is whole.
    done: Option<PathBuf>,
}

/// The folders and the name, without anything that leads out of them or hides them.
fn tame(path: &str) -> Result<PathBuf, AppError> {
    let parts: Option<Vec<&str>> = Path::new(path)
        .components()
        .map(|c| match c {
            Component::Normal(part) => part.to_str().filter(|p| !p.starts_with('.') && p.len() <= 200),
            _ => None,
        })
        .collect();
    match parts {
        Some(parts) if !parts.is_empty() && parts.len() <= 12 && !path.chars().any(char::is_control) => {
            Ok(parts.iter().collect())
        }
        _ => Err(AppError::Refused("a file of this name cannot be taken in")),
    }
}

/// Where an upload and what is known of it are kept.
struct UploadPaths {
    job: PathBuf,
    record: PathBuf,
    part: PathBuf,
}

impl UploadPaths {
    fn of(job: PathBuf, id: &str) -> Self {
        let at = |ending: &str| job.join(UNFINISHED).join(format!("{id}.{ending}"));
        Self { record: at("json"), part: at("part"), job }
    }

    fn record(&self) -> Result<Record, AppError> {
        let text = std::fs::read(&self.record).map_err(|_none| AppError::NotFound)?;
        serde_json::from_slice(&text).map_err(|_other| AppError::NotFound)
    }

    fn write(&self, record: &Record) -> std::io::Result<()> {
        let aside = self.record.with_extension("new");
        std::fs::write(&aside, serde_json::to_vec(record)?)?;
        std::fs::rename(aside, &self.record)
    }

    fn have(&self) -> u64 {
        std::fs::metadata(&self.part).map_or(0, |m| m.len())
    }
}

impl Imports<'_> {
    fn dropped(self, job: JobId) -> PathBuf {
        self.app.shelf.originals().join(job.to_string())
    }

    /// Says what is to come, and reserves the room for it; gives how much of it is stored already.
    pub async fn announce(self, job: JobId, file: Announced) -> Result<Upload, AppError> {
        let path = tame(&file.path)?;
        if kind_of(&path).is_none() {
            return Err(AppError::Refused("this is neither footage nor a picture nor sound"));
        }
        if file.bytes == 0 {
            return Err(AppError::Refused("the file is empty"));
        }
        if file.bytes > LARGEST {
            return Err(AppError::Refused("the file is larger than a terabyte"));
        }
        if file.sample.len() != 64 || !file.sample.chars().all(|c| c.is_ascii_hexdigit()) {
            return Err(AppError::Refused("the page that sends this file is of another version: load it again"));
        }
        let what = format!("{}\0{}\0{}\0{}", file.path, file.bytes, file.modified, file.sample);
        let id = blake3::hash(what.as_bytes()).to_hex()[..24].to_owned();
        let (place, shelf) = (UploadPaths::of(self.dropped(job), &id), self.app.shelf.clone());
        run_blocking(move || {
            std::fs::create_dir_all(place.job.join(UNFINISHED)).map_err(MediaError::from)?;
            if let Ok(Record { done: Some(done), .. }) = place.record()
                && std::fs::metadata(place.job.join(done)).is_ok_and(|m| m.len() == file.bytes)
            {
                return Ok(Upload { id, have: file.bytes, whole: true });
            }
            let have = place.have();
            if have == 0 {
                shelf.ensure_room_for(file.bytes)?;
                let part = File::options().create(true).truncate(false).write(true).open(&place.part);
                let part = part.map_err(MediaError::from)?;
                reserved(&part, file.bytes).map_err(MediaError::from)?;
                // The drop that a file was announced in first is the one that it lies in.
                place.write(&Record { file, done: None }).map_err(MediaError::from)?;
            }
            Ok(Upload { id, have, whole: false })
        })
        .await?
    }

    /// Writes the piece that begins at `from`, once it is whole and is what `digest` says (SHA-256, in hexadecimal). Gives how
    /// much is stored, and puts the file in its place once all of it is. Where another window was faster, nothing is written
    /// and the answer says where to go on.
    pub async fn receive<E: std::fmt::Display>(
        self,
        job: JobId,
        id: &str,
        from: u64,
        digest: &str,
        mut body: impl Stream<Item = Result<Bytes, E>> + Unpin,
    ) -> Result<Upload, AppError> {
        if id.len() != 24 || !id.chars().all(|c| c.is_ascii_hexdigit()) {
            return Err(AppError::NotFound);
        }
        let mut piece = BytesMut::new();
        while let Some(more) = body.next().await {
            match more {
                Ok(more) if piece.len() + more.len() <= LARGEST_PIECE => piece.extend_from_slice(&more),
                Ok(_) => return Err(AppError::Refused("a piece of a file has at most 16 MB")),
                Err(error) => {
                    tracing::info!(%error, id, from, "a piece of an upload was broken off");
                    return Err(AppError::Refused("the piece was broken off: it is sent again"));
                }
            }
        }
        let (place, id, digest) = (UploadPaths::of(self.dropped(job), id), id.to_owned(), digest.to_lowercase());
        run_blocking(move || stored(&place, id, from, &digest, &piece)).await?
    }

    /// Whether dropped files can be taken in: not where a media folder of that name was given at the start.
    pub fn takes_drops(self) -> bool {
        self.app.roots.all().iter().any(|r| r.name == DROPPED && r.path == self.app.shelf.originals())
    }

    /// Gives up what nobody has gone on with for a week.
    pub(super) fn sweep_uploads(self) {
        for job in std::fs::read_dir(self.app.shelf.originals()).into_iter().flatten().flatten() {
            for file in std::fs::read_dir(job.path().join(UNFINISHED)).into_iter().flatten().flatten() {
                let is_part = file.path().extension().is_some_and(|e| e == "part");
                let at = file.metadata().and_then(|m| m.modified()).unwrap_or_else(|_| SystemTime::now());
                if is_part && at.elapsed().unwrap_or_default() > ABANDONED {
                    tracing::info!(file = %file.path().display(), "an abandoned upload is removed");
                    let _ = std::fs::remove_file(file.path().with_extension("json"));
                    let _ = std::fs::remove_file(file.path());
                }
            }
        }
    }
}

/// Takes the room for a file without making it longer. Where the file system cannot, it was at least looked at.
fn reserved(part: &File, bytes: u64) -> std::io::Result<()> {
    let length = i64::try_from(bytes).map_err(std::io::Error::other)?;
    match fallocate(part, FallocateFlags::FALLOC_FL_KEEP_SIZE, 0, length) {
        Ok(()) | Err(nix::errno::Errno::EOPNOTSUPP | nix::errno::Errno::ENOSYS) => Ok(()),
        Err(errno) => Err(errno.into()),
    }
}

/// One piece, written under a lock that other windows, programs and machines on this disk see.
fn stored(place: &UploadPaths, id: String, from: u64, digest: &str, piece: &[u8]) -> Result<Upload, AppError> {
    let record = place.record()?;
    if record.done.is_some() {
        return Ok(Upload { id, have: record.file.bytes, whole: true });
    }
    if hex(&Sha256::digest(piece)) != digest {
        return Err(AppError::Refused("the piece came damaged: it is sent again"));
    }
    let part = File::options().create(true).truncate(false).read(true).write(true).open(&place.part);
    let part = Flock::lock(part.map_err(MediaError::from)?, FlockArg::LockExclusive)
        .map_err(|(_, errno)| MediaError::from(std::io::Error::from(errno)))?;
    // Another window may have put it in its place meanwhile.
    if let Ok(Record { done: Some(_), .. }) = place.record() {
        return Ok(Upload { id, have: record.file.bytes, whole: true });
    }
    let have = part.metadata().map_err(MediaError::from)?.len();
    if from != have {
        return Ok(Upload { id, have, whole: false });
    }
    let now = have + piece.len() as u64;
    if now > record.file.bytes {
        return Err(AppError::Refused("more came than was announced: the file changed meanwhile"));
    }
    part.write_all_at(piece, from).map_err(MediaError::from)?;
    part.sync_data().map_err(MediaError::from)?;
    if now == record.file.bytes {
        finished(place, &record, &part)?;
    }
    Ok(Upload { id, have: now, whole: now == place.record()?.file.bytes })
}

/// Puts a whole file in its place, once it is what was announced.
fn finished(place: &UploadPaths, record: &Record, part: &File) -> Result<(), AppError> {
    if sample(part).map_err(MediaError::from)? != record.file.sample.to_lowercase() {
        std::fs::remove_file(&place.part).map_err(MediaError::from)?;
        std::fs::remove_file(&place.record).map_err(MediaError::from)?;
        return Err(AppError::Refused("the file changed while it was sent: send it again"));
    }
    let below = PathBuf::from(record.file.drop.to_string()).join(tame(&record.file.path)?);
    let whole = || -> std::io::Result<()> {
        let (folder, name) = (place.job.join(&below), free_name(&place.job.join(&below)));
        if let Some(above) = folder.parent() {
            std::fs::create_dir_all(above)?;
        }
        // Its own time says when it was recorded where nothing else does.
        let milliseconds = Duration::from_millis(record.file.modified.max(0).unsigned_abs());
        part.set_modified(SystemTime::UNIX_EPOCH + milliseconds.min(Duration::from_secs(253_402_300_799)))?;
        part.sync_all()?;
        std::fs::rename(&place.part, &name)?;
        let done = name.strip_prefix(&place.job).map(Path::to_path_buf).ok();
        place.write(&Record { file: record.file.clone(), done })
    };
    Ok(whole().map_err(MediaError::from)?)
}

/// What a file's sample is; see [`Announced::sample`].
fn sample(file: &File) -> std::io::Result<String> {
    let bytes = file.metadata()?.len();
    let mut file = file.try_clone()?;
    let mut hash = Sha256::new();
    let ends = if bytes <= 2 * SAMPLE { vec![(0, bytes)] } else { vec![(0, SAMPLE), (bytes - SAMPLE, SAMPLE)] };
    for (at, length) in ends {
        file.seek(SeekFrom::Start(at))?;
        std::io::copy(&mut (&mut file).take(length), &mut hash)?;
    }
    Ok(hex(&hash.finalize()))
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

/// The place, or one beside it where another file has the name.
fn free_name(place: &Path) -> PathBuf {
    let stem = place.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let ending = place.extension().map_or(String::new(), |e| format!(".{}", e.to_string_lossy()));
    std::iter::once(place.to_path_buf())
        .chain((2..).map(|n| place.with_file_name(format!("{stem} {n}{ending}"))))
        .find(|p| !p.exists())
        .unwrap_or_else(|| place.to_path_buf())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_leads_nowhere_else() {
        assert_eq!(tame("card a/C001.mov").expect("a path"), PathBuf::from("card a/C001.mov"));
        for path in ["../secret.mp4", "/etc/passwd.mp4", "a/../../b.mp4", ".hidden.mp4", "", "a\n.mp4"] {
            assert!(tame(path).is_err(), "{path}");
        }
    }

    #[test]
    fn a_sample_is_of_both_ends() {
        let of = |bytes: &[u8]| {
            let mut file = tempfile::tempfile().expect("a file");
            std::io::Write::write_all(&mut file, bytes).expect("written");
            sample(&file).expect("read")
        };
        // SHA-256 of "abc" (FIPS 180-4, appendix B.1).
        assert_eq!(of(b"abc"), "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
        let mut long = vec![7u8; 3 << 20];
        let before = of(&long);
        long[3 << 19] = 8;
        assert_eq!(of(&long), before, "the middle is checked piece by piece");
        long[0] = 8;
        assert_ne!(of(&long), before);
    }
}
