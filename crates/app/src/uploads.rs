//! Files that are dropped on the page. They come in pieces, are written to disk as they come, and go on where they stopped
//! after a broken connection, a closed window or a restart.
//!
//! Each job has a folder of its own below the media folder [`DROPPED`]. A file that is not whole yet is hidden there under the
//! hash of its name, size and time, so that the same file dropped again is the same upload.

use super::App;
use crate::blocking::run_blocking;
use crate::error::AppError;
use bytes::Bytes;
use futures::{Stream, StreamExt};
use legere_core::id::JobId;
use legere_media::MediaError;
use legere_media::bring::kind_of;
use serde::{Deserialize, Serialize};
use std::path::{Component, Path, PathBuf};
use tokio::io::AsyncWriteExt;

/// The name of the media folder that they lie in.
pub const DROPPED: &str = "dropped files";
/// No single file is larger than this: a terabyte.
const LARGEST: u64 = 1 << 40;

/// What is to come.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Announced {
    /// The file's name, with the folders that it was dropped in.
    pub path: String,
    pub bytes: u64,
    /// The file's own time, in milliseconds since 1970.
    pub modified: i64,
}

/// An upload, and how much of it is there.
#[derive(Debug, Clone, Serialize)]
pub struct Upload {
    pub id: String,
    pub have: u64,
    pub whole: bool,
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

impl App {
    fn dropped(&self, job: JobId) -> PathBuf {
        self.shelf.dropped().join(job.to_string())
    }

    /// Says what is to come; gives how much of it is there already.
    pub async fn announce(&self, job: JobId, file: Announced) -> Result<Upload, AppError> {
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
        self.shelf.ensure_room()?;
        let told = format!("{}\0{}\0{}", file.path, file.bytes, file.modified);
        let id = blake3::hash(told.as_bytes()).to_hex()[..24].to_owned();
        let folder = self.dropped(job);
        run_blocking(move || {
            std::fs::create_dir_all(&folder)?;
            let done = folder.join(&path);
            if std::fs::metadata(&done).is_ok_and(|m| m.len() == file.bytes) {
                return Ok(Upload { id, have: file.bytes, whole: true });
            }
            let text = serde_json::to_vec(&file).map_err(std::io::Error::other)?;
            std::fs::write(folder.join(format!(".{id}.json")), text)?;
            let have = std::fs::metadata(folder.join(format!(".{id}.part"))).map_or(0, |m| m.len());
            Ok(Upload { id, have: have.min(file.bytes), whole: false })
        })
        .await?
        .map_err(|error: std::io::Error| MediaError::from(error).into())
    }

    /// Writes what comes from `from` on; what was written stays whatever happens. Gives how much there is, and puts the file in
    /// its place once all of it is.
    pub async fn receive<E: std::fmt::Display>(
        &self,
        job: JobId,
        id: &str,
        from: u64,
        mut body: impl Stream<Item = Result<Bytes, E>> + Unpin,
    ) -> Result<Upload, AppError> {
        if id.len() != 24 || !id.chars().all(|c| c.is_ascii_hexdigit()) {
            return Err(AppError::NotFound);
        }
        let folder = self.dropped(job);
        let (told, part) = (folder.join(format!(".{id}.json")), folder.join(format!(".{id}.part")));
        let told_text = tokio::fs::read(&told).await.map_err(|_none| AppError::NotFound)?;
        let file: Announced = serde_json::from_slice(&told_text).map_err(|_none| AppError::NotFound)?;
        let opened = tokio::fs::OpenOptions::new().create(true).append(true).open(&part).await;
        let mut to = opened.map_err(MediaError::from)?;
        let mut have = to.metadata().await.map_err(MediaError::from)?.len();
        if have != from {
            return Err(AppError::Refused("another part of this file was expected: it goes on from there"));
        }
        while let Some(piece) = body.next().await {
            let piece = match piece {
                Ok(piece) => piece,
                Err(error) => {
                    tracing::info!(%error, name = %file.path, have, "an upload was broken off");
                    break;
                }
            };
            have += piece.len() as u64;
            if have > file.bytes {
                return Err(AppError::Refused("more came than was announced: the file changed meanwhile"));
            }
            to.write_all(&piece).await.map_err(MediaError::from)?;
        }
        to.flush().await.map_err(MediaError::from)?;
        to.sync_all().await.map_err(MediaError::from)?;
        if have < file.bytes {
            return Ok(Upload { id: id.to_owned(), have, whole: false });
        }
        let place = folder.join(tame(&file.path)?);
        let modified = std::time::UNIX_EPOCH + std::time::Duration::from_millis(file.modified.max(0).unsigned_abs());
        run_blocking(move || {
            if let Some(above) = place.parent() {
                std::fs::create_dir_all(above)?;
            }
            // Its own time tells when it was recorded where nothing else does.
            std::fs::File::options().append(true).open(&part)?.set_modified(modified)?;
            std::fs::rename(&part, free_name(&place))?;
            std::fs::remove_file(&told)
        })
        .await?
        .map_err(MediaError::from)?;
        Ok(Upload { id: id.to_owned(), have, whole: true })
    }

    /// Whether dropped files can be taken in: not where a media folder of that name was given at the start.
    pub fn takes_drops(&self) -> bool {
        self.roots.all().iter().any(|r| r.name == DROPPED && r.path == self.shelf.dropped())
    }
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
}
