//! Whether the files are still where they were, and still the ones that were read.
//!
//! A file is the same as long as its size and its time are; when they are not, its digest shows whether it is a copy or another file.
//! A root in which nothing is what it was is another folder that took its place: a card of the same name. Its files are
//! missing then, not replaced.

use super::Files;
use crate::blocking::run_blocking;
use crate::error::AppError;
use chrono::{DateTime, Utc};
use legere_core::id::{ClipId, JobId, TrackId};
use legere_media::roots::Resolver;
use legere_media::shelf::Shelf;
use legere_media::{MediaError, identity};
use legere_store::clip_files::ClipFile;
use legere_store::clips::State;
use legere_store::files::{NewContent, OfFile};
use legere_store::queue::Work;
use legere_store::tracks::Track;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant, SystemTime};

/// So many files of a root that are all others are another root.
const FOREIGN_FROM: usize = 3;

/// What lies at the place of a file.
#[derive(Debug, Clone, PartialEq)]
enum Found {
    /// The disk does not answer: as it was.
    Unknown,
    Same,
    /// The same content with another time.
    Touched(DateTime<Utc>),
    /// Another content.
    Another {
        bytes: i64,
        modified: DateTime<Utc>,
        digest: String,
    },
    Nothing,
}

/// What is known of a file that was read.
#[derive(Debug, Clone)]
struct Known {
    root: String,
    path: String,
    bytes: i64,
    modified: Option<DateTime<Utc>>,
    digest: Option<String>,
    owns_path: bool,
}

/// What was looked for so long ago is not looked for again behind a page.
const FRESH: Duration = Duration::from_secs(1);

/// A disk that has not answered for so long is left alone until it does.
const ANSWERS_WITHIN: Duration = Duration::from_secs(30);

/// What looking for files remembers from one time to the next.
#[derive(Debug, Clone, Default)]
pub struct Looking(Arc<Remembered>);

#[derive(Debug, Default)]
struct Remembered {
    /// Jobs whose files are being looked for (none), and when those of the others were looked for last.
    jobs: Mutex<HashMap<JobId, Option<Instant>>>,
    /// How many threads each media folder holds up.
    asking: Mutex<HashMap<String, usize>>,
    /// Folders of the shelf in which everything was there, and when they were last written in.
    whole: Mutex<HashMap<PathBuf, SystemTime>>,
}

/// So many jobs look on one disk at once.
const MOST_ASKING: usize = 4;

impl Looking {
    /// Whether a disk is asked; not while it has not answered others.
    fn asks(&self, root: &str) -> bool {
        let mut asking = self.0.asking.lock().unwrap_or_else(PoisonError::into_inner);
        let count = asking.entry(root.to_owned()).or_default();
        let free = *count < MOST_ASKING;
        *count += usize::from(free);
        free
    }

    fn answered(&self, root: &str) {
        if let Some(count) = self.0.asking.lock().unwrap_or_else(PoisonError::into_inner).get_mut(root) {
            *count = count.saturating_sub(1);
        }
    }

    /// Whether somebody should look now; whoever gets yes says when it is done.
    fn begin(&self, job: JobId) -> bool {
        let mut all = self.0.jobs.lock().unwrap_or_else(PoisonError::into_inner);
        let free = all.get(&job).is_none_or(|last| last.is_some_and(|at| at.elapsed() > FRESH));
        if free {
            all.insert(job, None);
        }
        free
    }

    fn done(&self, job: JobId) {
        self.0.jobs.lock().unwrap_or_else(PoisonError::into_inner).insert(job, Some(Instant::now()));
    }

    /// Whether all that was made of a clip or a track is there: looked at in full once, and again when files came or went.
    fn is_whole(&self, shelf: &Shelf, folder: &Path) -> bool {
        let Some(written) = Shelf::written(folder) else { return false };
        let known = || self.0.whole.lock().unwrap_or_else(PoisonError::into_inner);
        if known().get(folder) == Some(&written) {
            return true;
        }
        let whole = shelf.is_whole(folder);
        if whole {
            known().insert(folder.to_path_buf(), written);
        }
        whole
    }
}

impl Files<'_> {
    /// Looks for the files behind a page, which does not wait for slow disks: what has changed reaches it as an event. Once
    /// at a time is enough for a job.
    pub fn look_behind(self, job: JobId) {
        let app = self.app.clone();
        tokio::spawn(async move { app.files().look_unless_looked(job).await });
    }

    /// The same, waiting until it is done.
    async fn look_unless_looked(self, job: JobId) {
        if !self.app.looking.begin(job) {
            return;
        }
        if let Err(error) = self.look(job).await {
            tracing::warn!(?error, %job, "the files could not be looked for");
        }
        self.app.looking.done(job);
    }

    /// Looks for the files of a job, says beside each clip and track whether it is there, and has what is another file read
    /// again. What waited for a file that is back is queued. Readings and light copies of what is away stay, so the work goes
    /// on meanwhile.
    pub async fn look(self, job: JobId) -> Result<(), AppError> {
        let clips = self.app.store.clips().files(job).await?;
        let tracks = self.app.store.tracks().of_job(job).await?.whole;
        let files: Vec<Known> = clips.iter().map(Known::of_clip).chain(tracks.iter().map(Known::of_track)).collect();
        let wanted: Vec<bool> = clips
            .iter()
            .map(|c| c.is(State::Ready) && !c.hidden)
            .chain(tracks.iter().map(|t| t.state == State::Ready))
            .collect();
        let folders: Vec<std::path::PathBuf> = clips
            .iter()
            .map(|c| self.app.shelf.clip(&c.id().to_string()))
            .chain(tracks.iter().map(|t| self.app.shelf.track(&t.id.to_string())))
            .collect();
        let (shelf, looking) = (self.app.shelf.clone(), self.app.looking.clone());
        let whole: Vec<bool> = run_blocking(move || {
            wanted.iter().zip(&folders).map(|(wanted, folder)| !wanted || looking.is_whole(&shelf, folder)).collect()
        })
        .await?;
        let found = self.found_on_all(files).await;
        let (found_clips, found_tracks) = found.split_at(clips.len());
        let (whole_clips, whole_tracks) = whole.split_at(clips.len());
        self.follow_clips(job, &clips, found_clips, whole_clips).await?;
        self.follow_tracks(job, &tracks, found_tracks, whole_tracks).await
    }

    /// What lies at each place, disk by disk: of one that does not answer nothing is known, and it is not asked again until it
    /// has answered.
    async fn found_on_all(self, files: Vec<Known>) -> Vec<Found> {
        let mut by_root: HashMap<String, Vec<(usize, Known)>> = HashMap::new();
        let mut found = vec![Found::Unknown; files.len()];
        for (i, file) in files.into_iter().enumerate() {
            by_root.entry(file.root.clone()).or_default().push((i, file));
        }
        let mut looking = tokio::task::JoinSet::new();
        for (root, files) in by_root {
            if !self.app.looking.asks(&root) {
                continue;
            }
            let app = self.app.clone();
            looking.spawn(async move {
                let (places, files): (Vec<usize>, Vec<Known>) = files.into_iter().unzip();
                let asked = tokio::task::spawn_blocking(move || {
                    let found = app.files().found(&files);
                    app.looking.answered(&root);
                    found
                });
                let answered = tokio::time::timeout(ANSWERS_WITHIN, asked).await;
                answered.ok().and_then(Result::ok).map(|found| (places, found))
            });
        }
        while let Some(done) = looking.join_next().await {
            if let Ok(Some((places, of_root))) = done {
                places.into_iter().zip(of_root).for_each(|(i, one)| found[i] = one);
            }
        }
        found
    }

    /// What lies at each place of a disk; reads what has another size or time.
    fn found(self, files: &[Known]) -> Vec<Found> {
        let contents: HashMap<(&str, &str), &str> = files
            .iter()
            .filter(|f| f.owns_path)
            .filter_map(|f| Some(((f.root.as_str(), f.path.as_str()), f.digest.as_deref()?)))
            .collect();
        // A path of another file shows this one's content only where both have the same.
        let is_there = |f: &Known| {
            f.owns_path || f.digest.as_deref().is_some_and(|d| contents.get(&(&*f.root, &*f.path)) == Some(&d))
        };
        let mut resolver = self.app.roots.resolver();
        let look = |f: &Known| if is_there(f) { found_at(&mut resolver, f) } else { Found::Nothing };
        let mut found: Vec<Found> = files.iter().map(look).collect();
        let mut roots: HashMap<&str, (usize, usize)> = HashMap::new();
        for (file, found) in files.iter().zip(&found).filter(|(f, _)| f.digest.is_some()) {
            let (same, others) = roots.entry(&file.root).or_default();
            match found {
                Found::Same | Found::Touched(_) => *same += 1,
                Found::Another { .. } => *others += 1,
                Found::Nothing | Found::Unknown => {}
            }
        }
        for (file, found) in files.iter().zip(&mut found) {
            if let Some((0, others)) = roots.get(file.root.as_str())
                && *others >= FOREIGN_FROM
            {
                *found = Found::Nothing;
            }
        }
        found
    }

    async fn follow_clips(
        self,
        job: JobId,
        clips: &[ClipFile],
        found: &[Found],
        whole: &[bool],
    ) -> Result<(), AppError> {
        let mut changed: [Vec<ClipId>; 2] = Default::default();
        let (mut lost_copy, mut work) = (Vec::new(), Vec::new());
        for ((clip, found), whole) in clips.iter().zip(found).zip(whole).filter(|((_, f), _)| **f != Found::Unknown) {
            let missing = *found == Found::Nothing;
            if missing != clip.missing {
                changed[usize::from(missing)].push(clip.id());
            }
            match found {
                Found::Touched(modified) => self.app.store.clips().touched(clip.id(), *modified).await?,
                Found::Another { bytes, modified, digest } if clip.digest.is_some() && clip.owns_path => {
                    let clip = self.app.store.clips().get(clip.id()).await?;
                    let known = self.app.store.files().clip_with_content(&clip, *bytes, digest).await?;
                    let new = self.new_content(known, *bytes, *modified).await;
                    if let Some(id) =
                        self.app.store.files().content_changed(&clip, new, digest).await?.map(ClipId::from)
                    {
                        self.forget_clip(id).await?;
                        work.push(Work::ReadClip(id));
                    }
                }
                Found::Same if !whole => lost_copy.push(clip.id()),
                _ => {}
            }
            // What waited for its file is read now that it is back.
            if !missing && !clip.hidden && clip.is(State::Waiting) && clip.missing {
                work.push(Work::ReadClip(clip.id()));
            }
        }
        for (at, missing) in [(0, false), (1, true)] {
            if !changed[at].is_empty() {
                self.app.store.clips().missing(job, &changed[at], missing).await?;
            }
        }
        if !lost_copy.is_empty() {
            self.app.store.clips().wait(job, &lost_copy, Some("its light copy was lost: it is made again")).await?;
            work.extend(lost_copy.into_iter().map(Work::ReadClip));
        }
        Ok(self.app.store.queue().enqueue(&work).await?)
    }

    async fn follow_tracks(
        self,
        job: JobId,
        tracks: &[Track],
        found: &[Found],
        whole: &[bool],
    ) -> Result<(), AppError> {
        let mut changed: [Vec<TrackId>; 2] = Default::default();
        let mut work = Vec::new();
        for ((track, found), whole) in tracks.iter().zip(found).zip(whole).filter(|((_, f), _)| **f != Found::Unknown) {
            let missing = *found == Found::Nothing;
            if missing != track.missing {
                changed[usize::from(missing)].push(track.id);
            }
            match found {
                Found::Touched(modified) => self.app.store.tracks().touched(track.id, *modified).await?,
                Found::Another { bytes, modified, digest } if track.digest.is_some() && track.owns_path => {
                    let known = self.app.store.files().track_with_content(track, *bytes, digest).await?;
                    let new = self.new_content(known, *bytes, *modified).await;
                    let to_read = self.app.store.files().content_changed(track, new, digest).await?;
                    work.extend(to_read.map(|id| Work::ReadTrack(id.into())));
                }
                Found::Same if !whole => {
                    let words = "its light copy was lost: it is made again";
                    self.app.store.tracks().wait(track, Some(words)).await?;
                    work.push(Work::ReadTrack(track.id));
                }
                _ => {}
            }
            if !missing && track.state == State::Waiting && track.missing {
                work.push(Work::ReadTrack(track.id));
            }
        }
        for (at, missing) in [(0, false), (1, true)] {
            if !changed[at].is_empty() {
                self.app.store.tracks().missing(job, &changed[at], missing).await?;
            }
        }
        Ok(self.app.store.queue().enqueue(&work).await?)
    }

    /// What another content at a path is to the job, which may know it.
    async fn new_content<T: OfFile>(self, known: Option<T>, bytes: i64, modified: DateTime<Utc>) -> NewContent<T> {
        match known {
            Some(known) if self.app.readings().content_is_gone(&known).await => NewContent::MovedFrom(known),
            Some(known) => NewContent::CopyOf(known),
            None => NewContent::Unknown { bytes, modified },
        }
    }

    /// Nothing that was made of a clip's old file is shown any more.
    pub(super) async fn forget_clip(self, id: ClipId) -> Result<(), AppError> {
        let (shelf, folder) = (self.app.shelf.clone(), self.app.shelf.clip(&id.to_string()));
        run_blocking(move || shelf.forget(&folder)).await?.map_err(|e| MediaError::from(e).into())
    }
}

fn found_at(resolver: &mut Resolver<'_>, file: &Known) -> Found {
    let (path, meta) = match resolver.file(&file.root, &file.path) {
        Ok(found) => found,
        // What may not be read now is reported when it is read.
        Err(MediaError::NoAccess) => return Found::Same,
        Err(_) => return Found::Nothing,
    };
    let Ok((bytes, modified)) = identity::stat_of(&meta) else { return Found::Nothing };
    if file.digest.is_none() || (bytes == file.bytes && file.modified.is_none_or(|m| m == modified)) {
        return Found::Same;
    }
    match identity::digest(&path) {
        Ok(digest) if bytes == file.bytes && Some(&digest) == file.digest.as_ref() => Found::Touched(modified),
        Ok(digest) => Found::Another { bytes, modified, digest },
        Err(_) => Found::Nothing,
    }
}

impl Known {
    fn of_clip(clip: &ClipFile) -> Self {
        Self {
            root: clip.root.clone(),
            path: clip.path.clone(),
            bytes: clip.bytes,
            modified: clip.modified,
            digest: clip.digest.clone(),
            owns_path: clip.owns_path,
        }
    }

    fn of_track(track: &Track) -> Self {
        Self {
            root: track.root.clone(),
            path: track.path.clone(),
            bytes: track.bytes,
            modified: track.modified,
            digest: track.digest.clone(),
            owns_path: track.owns_path,
        }
    }
}

/// What is said of a file that another one took the place of.
pub const DISPLACED: &str = "another file lies in its place now: this one is found again by its content";

/// What is said beside a clip or a track: that its file is gone, or what its reading met.
pub fn trouble(owns_path: bool, missing: bool, problem: Option<&str>) -> String {
    match (missing, owns_path) {
        (true, true) => MediaError::Vanished.to_string(),
        (true, false) => DISPLACED.to_owned(),
        (false, _) => problem.unwrap_or_default().to_owned(),
    }
}
