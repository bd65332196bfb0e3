//! Bringing files in.

use super::Imports;
use super::uploads::DROPPED;
use crate::blocking::run_blocking;
use crate::error::AppError;
use chrono::{DateTime, Utc};
use legere_core::id::{ClipId, JobId, RollId, TrackId};
use legere_core::track::SoundKind;
use legere_media::bring::{Kind, left_alone, search};
use legere_store::StoreError;
use legere_store::clips::{Clip, ClipAnnotations, NewClip, Roll, TakenIn};
use legere_store::journal::By;
use legere_store::queue::Work;
use legere_store::tracks::{NewTrack, Track};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// What bringing in a folder found.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Brought {
    pub clips: usize,
    pub tracks: usize,
    /// Left out before, and back again.
    pub back: usize,
    /// Files that were there already.
    pub known: usize,
    /// Names that are no text (UTF-8), as far as they can be shown.
    pub unnamed: Vec<String>,
    /// Names of files that are neither footage nor pictures nor sound.
    pub left_alone: Vec<String>,
}

/// To the microsecond, as the database keeps it.
fn kept_time(at: DateTime<Utc>) -> DateTime<Utc> {
    // File systems keep times that no calendar has a year for.
    let micros = at.timestamp_micros().clamp(0, 253_402_300_799_000_000);
    DateTime::from_timestamp_micros(micros).unwrap_or_default()
}

impl Imports<'_> {
    /// Takes in everything below a folder of a media root, each folder a roll, and queues the reading. All of it is one
    /// thing to undo.
    pub async fn bring(self, job: JobId, by: By, root: &str, folder: &str) -> Result<Brought, AppError> {
        let (place, base) = self.folder(root, folder).await?;
        let (found, left) = run_blocking(move || {
            let prefix = place.strip_prefix(&base).map(Path::to_path_buf).unwrap_or_default();
            let found = search(&place).into_iter().map(|f| (prefix.join(&f.path), f)).collect::<Vec<_>>();
            (found, left_alone(&place))
        })
        .await?;
        let mut rolls: BTreeMap<String, Vec<NewClip>> = BTreeMap::new();
        let mut music = Vec::new();
        let total = found.len();
        let mut unnamed = Vec::new();
        for (path, file) in found {
            let (Some(path_text), Some(name)) = (path.to_str(), path.file_name().and_then(|n| n.to_str())) else {
                unnamed.push(path.to_string_lossy().into_owned());
                continue;
            };
            let (root, path_text, name) = (root.to_owned(), path_text.to_owned(), name.to_owned());
            let bytes = i64::try_from(file.bytes).unwrap_or(i64::MAX);
            let modified = kept_time(file.modified.unwrap_or_else(Utc::now));
            match file.kind {
                Kind::Clip | Kind::Picture => {
                    let folder = path.parent().and_then(Path::to_str).unwrap_or_default().to_owned();
                    rolls.entry(folder).or_default().push(NewClip { root, path: path_text, name, bytes, modified });
                }
                Kind::Track => music.push(NewTrack { root, path: path_text, name, bytes, modified }),
            }
        }
        let mut brought = Brought { left_alone: left, unnamed, ..Brought::default() };
        let mut work = Vec::new();
        let mut edit = self.app.store.begin_edit(job, by).await?;
        let import = edit.begin_import().await?;
        for file in &music {
            if let Some(id) = edit.add_track(&import, file).await? {
                work.push(Work::ReadTrack(id));
                brought.tracks += 1;
            }
        }
        for (folder, mut files) in rolls {
            files.sort_by(|a, b| a.modified.cmp(&b.modified).then_with(|| a.path.cmp(&b.path)));
            let last = Path::new(&folder).file_name().and_then(|n| n.to_str());
            // What was dropped lies in a folder that only the program has a name for.
            let is_ours = |n: &str| n == job.to_string() || (root == DROPPED && n.parse::<uuid::Uuid>().is_ok());
            let name = last.filter(|n| !is_ours(n)).unwrap_or(root).to_owned();
            let (TakenIn { new, back }, to_read) = edit.add_clips(&import, &name, &folder, &files).await?;
            brought.clips += new;
            brought.back += back;
            work.extend(to_read.into_iter().map(Work::ReadClip));
        }
        brought.known = total - brought.clips - brought.back - brought.tracks - brought.unnamed.len();
        if brought.clips + brought.back + brought.tracks > 0 {
            edit.finish_import(&import).await?;
            edit.commit("bring in", None).await?;
        }
        self.app.store.queue().enqueue(&work).await?;
        Ok(brought)
    }

    /// A folder below a media folder, and that one. A disk that hangs holds up nobody else.
    async fn folder(self, root: &str, folder: &str) -> Result<(PathBuf, PathBuf), AppError> {
        let (roots, root, folder) = (self.app.roots.clone(), root.to_owned(), folder.to_owned());
        run_blocking(move || {
            let place = roots.resolve(&root, &folder)?;
            if !place.is_dir() {
                return Err(AppError::Refused("this is not a folder"));
            }
            Ok((place, roots.resolve(&root, "")?))
        })
        .await?
    }

    /// Leaves a clip out, or brings it back.
    pub async fn leave_out_clip(self, job: JobId, by: By, id: ClipId, out: bool) -> Result<(), AppError> {
        let edit = |clip: Clip| Ok::<_, StoreError>(Clip { removed: out, ..clip });
        self.app.store.edit(job, by, id, None, words(out), edit).await?;
        if !out {
            self.read_what_waits(job).await?;
        }
        Ok(())
    }

    pub async fn leave_out_roll(self, job: JobId, by: By, id: RollId, out: bool) -> Result<(), AppError> {
        let edit = |roll: Roll| Ok::<_, StoreError>(Roll { removed: out, ..roll });
        self.app.store.edit(job, by, id, None, words(out), edit).await?;
        if !out {
            self.read_what_waits(job).await?;
        }
        Ok(())
    }

    pub async fn leave_out_track(self, job: JobId, by: By, id: TrackId, out: bool) -> Result<(), AppError> {
        let edit = |track: Track| Ok::<_, StoreError>(Track { removed: out, ..track });
        self.app.store.edit(job, by, id, None, words(out), edit).await?;
        Ok(())
    }

    /// Says what a sound file is for, whatever its length and content say.
    pub async fn set_track_kind(self, by: By, track: &Track, kind: SoundKind) -> Result<(), AppError> {
        let edit = |track: Track| Ok::<_, StoreError>(Track { kind, kind_manual: true, ..track });
        let label = if kind == SoundKind::Music { "take it as music" } else { "take it as a sound" };
        self.app.store.edit(track.job, by, track.id, None, label, edit).await?;
        Ok(())
    }

    /// Reads a clip from the file that took its place: the editor says that it is the same shot.
    pub async fn adopt_file(self, by: By, clip: &Clip) -> Result<(), AppError> {
        let id = self.app.store.files().adopt(by, clip).await?;
        self.app.files().forget_clip(id).await?;
        Ok(self.app.store.queue().enqueue(&[Work::ReadClip(id)]).await?)
    }

    /// For how long a picture is shown, in seconds; its standing clip is made again.
    pub async fn set_shown(self, job: JobId, by: By, id: ClipId, seconds: f64) -> Result<(), AppError> {
        if !(0.5..=600.0).contains(&seconds) {
            return Err(AppError::Refused("a picture is shown for half a second to ten minutes"));
        }
        let edit = |clip: Clip| {
            Ok::<_, StoreError>(Clip {
                annotations: ClipAnnotations { shown_seconds: seconds, ..clip.annotations },
                ..clip
            })
        };
        self.app.store.edit(job, by, id, None, "how long the picture is shown", edit).await?;
        Ok(self.app.read_again(job, &[id]).await?)
    }

    /// Looks below a folder for the files of a job that are not where they were; gives how many were found. A file is known by
    /// its content.
    pub async fn find_again(self, job: JobId, root: &str, folder: &str) -> Result<(usize, usize), AppError> {
        let (place, base) = self.folder(root, folder).await?;
        let missing: Vec<Clip> =
            self.app.store.clips().of_job(job).await?.whole.into_iter().filter(|c| c.missing).collect();
        let wanted = missing.clone();
        let found = run_blocking(move || {
            let prefix = place.strip_prefix(&base).map(Path::to_path_buf).unwrap_or_default();
            let files = search(&place);
            let mut found = Vec::new();
            for clip in wanted {
                let same = files.iter().filter(|f| i64::try_from(f.bytes) == Ok(clip.bytes)).find(|f| {
                    let by_name = f.path.file_name().and_then(|n| n.to_str()) == Some(clip.name.as_str());
                    // One that was never read is known by its name and its size alone.
                    clip.digest.as_ref().map_or(by_name, |digest| {
                        legere_media::identity::digest(&place.join(&f.path)).is_ok_and(|d| d == *digest)
                    })
                });
                if let Some(path) = same.and_then(|f| prefix.join(&f.path).to_str().map(str::to_owned)) {
                    found.push((clip, path));
                }
            }
            found
        })
        .await?;
        for (clip, path) in &found {
            self.app.store.files().found_at(clip, root, path).await?;
        }
        self.app.files().look(job).await?;
        Ok((found.len(), missing.len()))
    }

    /// Queues what of a job waits to be read and is there.
    pub async fn read_what_waits(self, job: JobId) -> Result<(), AppError> {
        Ok(self.app.store.queue().enqueue_waiting(job).await?)
    }
}

fn words(out: bool) -> &'static str {
    if out { "leave out" } else { "bring back" }
}
