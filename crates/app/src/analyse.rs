//! Reading clips and tracks: what was measured goes into the database, what was made onto the shelf, and what was wrong
//! beside the thing it concerns.

use super::Readings;
use super::cancel::while_wanted;
use crate::blocking::run_blocking;
use crate::error::AppError;
use crate::zone::in_zone;
use legere_core::arrange::propose_version;
use legere_core::clip::ClipProbe;
use legere_core::id::{ClipId, TrackId};
use legere_core::time::{Seconds, clock};
use legere_media::bring::is_picture;
use legere_media::identity::{self, Identity};
use legere_media::light::Made;
use legere_media::sound::ReadTrack;
use legere_media::{MediaError, light, probe, sound};
use legere_store::StoreError;
use legere_store::clips::{Clip, FileIdentity, State};
use legere_store::files::OfFile;
use legere_store::queue::Outcome;
use legere_store::tracks::Track;
use std::path::PathBuf;

/// Shares of progress that are reported: more would only keep the page busy.
const STEP: f64 = 0.2;

impl Readings<'_> {
    pub(super) async fn read_clip(self, id: ClipId) -> Result<Outcome, StoreError> {
        let outcome = self.read_one_clip(id).await?;
        if matches!(outcome, Outcome::Done) {
            match self.app.store.clips().get(id).await {
                Ok(clip) => self.app.rolls().divide(clip.job, clip.roll).await?,
                // It was the file of another clip, which has it now.
                Err(StoreError::Missing { .. }) => {}
                Err(other) => return Err(other),
            }
        }
        Ok(outcome)
    }

    async fn read_one_clip(self, id: ClipId) -> Result<Outcome, StoreError> {
        let clip = self.app.store.clips().get(id).await?;
        if clip.state == State::Ready || clip.hidden {
            return Ok(Outcome::Done);
        }
        // It waits without being asked for again until reading goes on.
        if self.app.store.jobs().get(clip.job).await?.paused {
            self.app.store.clips().wait(clip.job, &[id], None).await?;
            return Ok(Outcome::Done);
        }
        let identity = self.identity_of(&clip).await;
        if clip.digest.is_none()
            && let Ok(identity) = &identity
            && self.known_by_content(&clip, identity).await?
        {
            return Ok(Outcome::Done);
        }
        let Some(made) =
            while_wanted(self.made_of(&clip, identity), async || self.app.store.clips().is_wanted(id).await).await
        else {
            // Left out meanwhile. Should it be brought back just now, it is read all the same.
            self.app.store.clips().wait(clip.job, &[id], None).await?;
            return Ok(Outcome::Later);
        };
        match made {
            Ok((identity, mut probe, made)) => {
                let problem = made.cut_short.map(|real| {
                    format!(
                        "the file is cut short: {} of {} can be read",
                        clock(real.to_f64()),
                        clock(probe.duration.to_f64())
                    )
                });
                // What was decoded is what there is.
                probe.duration = Seconds::from_measured(made.reading.duration);
                self.app.store.clips().ready(&clip, &kept(identity), &probe, &made.reading, problem).await?;
                Ok(Outcome::Done)
            }
            Err(MediaError::Vanished | MediaError::RootAway(_)) => {
                // It is read when it is back.
                self.app.store.clips().wait(clip.job, &[id], None).await?;
                self.app.store.clips().missing(clip.job, &[id], true).await?;
                Ok(Outcome::Done)
            }
            Err(error) if error.passes() => {
                tracing::info!(clip = %clip.name, ?error, "a clip waits");
                self.app.store.clips().wait(clip.job, &[id], Some(&words(&error))).await?;
                Ok(outcome_of(&error))
            }
            Err(error) => {
                tracing::info!(clip = %clip.name, ?error, "a clip could not be read");
                self.app.store.clips().failed(&clip, &words(&error)).await?;
                Ok(Outcome::Done)
            }
        }
    }

    /// Whether the file is one that the job has already. Where that one's own file is gone, it was moved here.
    async fn known_by_content(self, clip: &Clip, identity: &Identity) -> Result<bool, StoreError> {
        let (bytes, digest) = (identity.bytes, &identity.digest);
        let Some(known) = self.app.store.files().clip_with_content(clip, bytes, digest).await? else {
            return Ok(false);
        };
        if known.hidden {
            return Ok(false);
        }
        if self.content_is_gone(&known).await {
            tracing::info!(clip = %known.name, to = %clip.path, "a clip's file was moved");
            return self.app.store.files().content_moved(&known, clip).await;
        }
        self.app.store.files().content_copied(clip, digest, &known).await
    }

    /// Whether a track's file is one that the job has already, under a path where it no longer lies.
    async fn track_known_by_content(self, track: &Track, identity: &Identity) -> Result<bool, StoreError> {
        let (bytes, digest) = (identity.bytes, &identity.digest);
        let Some(known) = self.app.store.files().track_with_content(track, bytes, digest).await? else {
            return Ok(false);
        };
        if known.hidden || !self.content_is_gone(&known).await {
            return Ok(false);
        }
        self.app.store.files().content_moved(&known, track).await
    }

    /// Whether what was read of a clip or a track no longer lies at its path.
    pub(super) async fn content_is_gone<T: OfFile>(self, thing: &T) -> bool {
        let (roots, (root, path)) = (self.app.roots.clone(), thing.place());
        let (root, path) = (root.to_owned(), path.to_owned());
        let looked = run_blocking(move || roots.resolve_file(&root, &path).is_err()).await;
        !thing.owns_path() || looked.unwrap_or(false)
    }

    async fn identity_of(self, clip: &Clip) -> Result<Identity, MediaError> {
        if !clip.owns_path {
            return Err(MediaError::Vanished);
        }
        identified(&self.resolved(&clip.root, &clip.path).await?).await
    }

    /// A file below a media folder. Asked on a thread that may wait: a disk can hang. A media folder that another program has
    /// added meanwhile is opened first.
    async fn resolved(self, root: &str, path: &str) -> Result<PathBuf, MediaError> {
        if self.app.roots.all().iter().all(|r| r.name != root) {
            let _ = self.app.open_added_roots().await;
        }
        let (roots, root, path) = (self.app.roots.clone(), root.to_owned(), path.to_owned());
        run_blocking(move || roots.resolve_file(&root, &path)).await.map_err(|_stopped| MediaError::Interrupted)?
    }

    async fn made_of(
        self,
        clip: &Clip,
        identity: Result<Identity, MediaError>,
    ) -> Result<(Identity, ClipProbe, Made), MediaError> {
        self.app.shelf.ensure_room()?;
        let path = self.resolved(&clip.root, &clip.path).await?;
        let (before, _) = (identity?, self.app.store.clips().progress(clip, State::Reading, 0.0).await);
        let work = self.app.shelf.work()?;
        let place = self.app.shelf.clip(&clip.id.to_string());
        let picture = is_picture(&clip.name);
        // For a reading alone nothing is encoded. How long a picture stands may have changed.
        let kept = !picture
            && clip.digest.as_ref() == Some(&before.digest)
            && self.app.shelf.is_whole(&place)
            && light::is_as_now(&place, self.app.shelf.light_width());
        let (source, probe) = if picture {
            let job = self.app.store.jobs().get(clip.job).await.map_err(|_away| MediaError::Interrupted)?;
            let mut probe = probe::picture(&path, clip.annotations.shown_seconds, job.rate).await?;
            // Cameras write the time of pictures as their clock showed it, without a zone.
            probe.recorded_at = probe.recorded_at.map(|at| in_zone(at.naive_utc(), &job.zone));
            (light::still(&path, &probe, &work).await?, probe)
        } else {
            (path.clone(), probe::clip(&path).await?)
        };
        let (sender, mut steps) = tokio::sync::mpsc::unbounded_channel();
        let telling = {
            let (store, clip) = (self.app.store.clone(), clip.clone());
            tokio::spawn(async move {
                while let Some(share) = steps.recv().await {
                    let _ = store.clips().progress(&clip, State::Reading, share).await;
                }
            })
        };
        let mut last = 0.0f64;
        let progress = |share: f64| {
            if share - last >= STEP {
                last = share;
                let _ = sender.send(share as f32);
            }
        };
        let made = if kept {
            light::again(&source, &probe, progress).await
        } else {
            light::make(&source, &probe, &work, self.app.shelf.light_width(), progress).await
        };
        drop(sender);
        let _ = telling.await;
        let made = made?;
        unchanged(&path, &before).await?;
        if kept {
            return Ok((before, probe, made));
        }
        if let Some(peaks) = &made.peaks {
            tokio::fs::write(work.path().join("peaks.bin"), peaks).await?;
        }
        blocking(move || work.publish(&place)).await?;
        Ok((before, probe, made))
    }

    pub(super) async fn read_track(self, id: TrackId) -> Result<Outcome, StoreError> {
        let track = self.app.store.tracks().get(id).await?;
        if track.state == State::Ready || track.hidden {
            return Ok(Outcome::Done);
        }
        self.app.store.tracks().state(&track, State::Reading, None).await?;
        if track.digest.is_none()
            && let Ok(path) = self.resolved(&track.root, &track.path).await
            && let Ok(identity) = identified(&path).await
            && self.track_known_by_content(&track, &identity).await?
        {
            return Ok(Outcome::Done);
        }
        let target = self.app.store.jobs().get(track.job).await?.target_seconds;
        match self.heard(&track).await {
            Ok((identity, read)) => {
                let (reading, whole) = (read.reading.clone(), read.probe.duration);
                let offered = run_blocking(move || propose_version(&reading, target, whole));
                let offered = offered.await.map_err(|error| StoreError::Refused(error.to_string()))?;
                match offered {
                    Ok(offered) => {
                        self.app
                            .store
                            .tracks()
                            .ready(&track, &kept(identity), &read.probe, &read.reading, &offered)
                            .await?;
                    }
                    Err(error) => self.track_unread(&track, error.to_string()).await?,
                }
                Ok(Outcome::Done)
            }
            Err(MediaError::Vanished | MediaError::RootAway(_)) => {
                self.app.store.tracks().state(&track, State::Waiting, None).await?;
                self.app.store.tracks().missing(track.job, &[id], true).await?;
                Ok(Outcome::Done)
            }
            Err(error) if error.passes() => {
                tracing::info!(track = %track.name, ?error, "a track waits");
                self.app.store.tracks().state(&track, State::Waiting, Some(words(&error))).await?;
                Ok(outcome_of(&error))
            }
            Err(error) => {
                tracing::info!(track = %track.name, ?error, "a track could not be read");
                self.track_unread(&track, words(&error)).await?;
                Ok(Outcome::Done)
            }
        }
    }

    async fn heard(self, track: &Track) -> Result<(Identity, ReadTrack), MediaError> {
        self.app.shelf.ensure_room()?;
        let path = self.resolved(&track.root, &track.path).await?;
        let before = identified(&path).await?;
        let read = sound::read(&path).await?;
        let work = self.app.shelf.work()?;
        sound::light_copy(&path, &work.path().join("light.flac")).await?;
        tokio::fs::write(work.path().join("peaks.bin"), &read.peaks).await?;
        unchanged(&path, &before).await?;
        let place = self.app.shelf.track(&track.id.to_string());
        blocking(move || work.publish(&place)).await?;
        Ok((before, read))
    }

    /// A track that was read before goes on with that.
    async fn track_unread(self, track: &Track, why: String) -> Result<(), StoreError> {
        match track.summary {
            Some(_) => self.app.store.tracks().state(track, State::Ready, Some(format!("not read again: {why}"))).await,
            None => self.app.store.tracks().state(track, State::Failed, Some(why)).await,
        }
    }

    /// The frame of a clip's original that an instant lies in, as a JPEG.
    pub async fn full_frame(self, clip: &Clip, at: f64) -> Result<Vec<u8>, AppError> {
        let probe = clip.probe.as_ref().ok_or(AppError::Refused("this clip has not been read"))?;
        let (app, of) = (self.app.clone(), clip.clone());
        let path = run_blocking(move || app.readings().source_of(&of)).await??;
        Ok(legere_media::frame::jpeg(&path, probe, at).await?)
    }

    /// What a clip is rendered from: its original, or the standing clip that was made of a picture.
    pub(super) fn source_of(self, clip: &Clip) -> Result<PathBuf, AppError> {
        let original = self.original(&clip.root, &clip.path, &clip.name)?;
        let still = self.app.shelf.still(&clip.id.to_string());
        Ok(if clip.probe.as_ref().is_some_and(|p| p.picture) { still } else { original })
    }

    /// An original's file, or its name when it is gone.
    pub(super) fn original(self, root: &str, path: &str, name: &str) -> Result<PathBuf, AppError> {
        self.app.roots.resolve_file(root, path).map_err(|error| match error {
            MediaError::Vanished | MediaError::RootAway(_) => AppError::Gone { name: name.to_owned() },
            other => other.into(),
        })
    }
}

/// What fails by being stopped counts as a try: a file that brings ffmpeg down each time is given up in the end.
fn outcome_of(error: &MediaError) -> Outcome {
    if matches!(error, MediaError::Interrupted | MediaError::SourceDisk) { Outcome::Failed } else { Outcome::Later }
}

async fn identified(path: &std::path::Path) -> Result<Identity, MediaError> {
    let path = path.to_path_buf();
    blocking(move || Ok(identity::identify(&path))).await?
}

/// A file that is still being copied is read once it is whole.
async fn unchanged(path: &std::path::Path, before: &Identity) -> Result<(), MediaError> {
    let path = path.to_path_buf();
    let (bytes, modified) = blocking(move || Ok(identity::stat(&path))).await??;
    if (bytes, modified) == (before.bytes, before.modified) { Ok(()) } else { Err(MediaError::ChangedMeanwhile) }
}

async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> std::io::Result<T> + Send + 'static,
) -> Result<T, MediaError> {
    match run_blocking(work).await {
        Ok(done) => Ok(done?),
        Err(_) => Err(MediaError::Interrupted),
    }
}

fn kept(identity: Identity) -> FileIdentity {
    FileIdentity { bytes: identity.bytes, modified: identity.modified, digest: identity.digest }
}

/// Words for the editor; the cause is in the log.
fn words(error: &MediaError) -> String {
    match error {
        MediaError::Io(_) | MediaError::Failed { .. } => {
            "Legere could not make its light copy; the log says why".to_owned()
        }
        MediaError::NoFfmpeg(_) => {
            "ffmpeg is not installed or cannot be started: install it, then look again".to_owned()
        }
        MediaError::Interrupted => "reading it was stopped before the end: it is tried again".to_owned(),
        other => other.to_string(),
    }
}
