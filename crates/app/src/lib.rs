//! What an editor can have done, and what workers do, without a request in sight.
//!
//! Store, media and core come together here. Pages call this crate and show what it gives; `legere work` needs nothing else.

pub mod against;
mod analyse;
pub mod blocking;
mod cancel;
mod carried;
pub mod draft_command;
pub mod drafts;
mod error;
pub mod footage;
pub mod handoff;
pub mod import;
pub mod laying;
pub mod missing_files;
pub mod passages;
pub mod passes;
pub mod preview;
mod recent;
pub mod rolls;
pub mod score;
pub mod selects;
pub mod settings;
pub mod story;
pub mod tends;
pub mod text;
pub mod tracks;
pub mod uploads;
pub mod zone;

pub use error::AppError;

use legere_analysis::{footage as footage_reading, music};
use legere_core::id::{ClipId, JobId, TrackId};
use legere_media::roots::{Root, Roots};
use legere_media::shelf::Shelf;
use legere_store::clips::State;
use legere_store::events::Event;
use legere_store::journal::{By, Direction, Replayed};
use legere_store::queue::{Delivery, Outcome, Work};
use legere_store::{Store, StoreError};
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::broadcast;

/// How often the shelf is brought down to its budget.
const TIDY_EVERY: Duration = Duration::from_mins(5);
/// How often the files of all jobs are looked for.
const LOOK_EVERY: Duration = Duration::from_secs(15);

/// What open windows are notified of.
#[derive(Debug, Clone)]
pub enum News {
    Changed(Event),
    /// Something may have been missed: look at everything.
    Missed,
}

/// Store, shelf and media roots together.
#[derive(Clone)]
pub struct App {
    pub store: Store,
    pub shelf: Shelf,
    pub roots: Arc<Roots>,
    pub news: broadcast::Sender<News>,
    previews: preview::Previews,
    footage: footage::Cache,
    music: tracks::Cache,
    versions: tracks::Making,
    drafts: drafts::Cache,
    similar: footage::SimilarCache,
    looking: missing_files::Looking,
}

/// One type for each aggregate: what an editor can have done with it, reached through the application.
macro_rules! aggregates {
    ($($(#[$doc:meta])* $name:ident, $accessor:ident;)*) => {
        $($(#[$doc])*
        #[derive(Clone, Copy)]
        pub struct $name<'a> {
            app: &'a App,
        })*

        impl App {
            $($(#[$doc])*
            pub const fn $accessor(&self) -> $name<'_> {
                $name { app: self }
            })*
        }
    };
}

aggregates! {
    /// Jobs and their settings.
    Jobs, jobs;
    /// Bringing files in, by folder or dropped, and leaving out what was brought in.
    Imports, imports;
    /// Whether files are where they were.
    Files, files;
    /// Reading clips and tracks.
    Readings, readings;
    /// Dividing clips into rolls.
    Rolls, rolls;
    /// Judging and narrowing selects, in passes.
    Selects, selects;
    /// Choosing, marking and cutting music.
    Tracks, tracks;
    /// Laying selects on the music, and changing what was laid.
    Drafts, drafts;
    /// Handing a draft off.
    Handoffs, handoffs;
}

impl App {
    pub fn new(store: Store, shelf: Shelf, roots: Roots) -> Self {
        let (news, _) = broadcast::channel(1024);
        // One of that name was given at the start: then dropped files cannot be taken in, and the page says so.
        let _ = roots.push(Root { name: uploads::DROPPED.into(), path: shelf.originals() });
        Self {
            store,
            shelf,
            roots: Arc::new(roots),
            news,
            previews: preview::Previews::default(),
            footage: footage::Cache::default(),
            music: tracks::Cache::default(),
            versions: tracks::Making::default(),
            drafts: drafts::Cache::default(),
            similar: footage::SimilarCache::default(),
            looking: missing_files::Looking::default(),
        }
    }

    /// Passes the database's notifications on to open windows; connects again when the connection is lost, and says then
    /// that something may have been missed.
    pub async fn relay_events(&self) {
        let mut first = true;
        loop {
            let began = || {
                if !std::mem::take(&mut first) {
                    let _ = self.news.send(News::Missed);
                }
            };
            let news = self.news.clone();
            let each = move |event| drop(news.send(News::Changed(event)));
            if let Err(error) = self.store.listen(began, each).await {
                tracing::warn!(%error, "lost the notifications, connecting again");
            }
            tokio::time::sleep(Duration::from_secs(1)).await;
        }
    }

    /// Looks after the files of all jobs and after the shelf, until it is dropped. A disk that hangs holds up only what lies
    /// on it.
    pub async fn look_after(&self) {
        let looking = async {
            loop {
                tokio::time::sleep(LOOK_EVERY).await;
                match self.store.jobs().all().await {
                    Ok(jobs) => jobs.whole.iter().for_each(|job| self.files().look_behind(job.id)),
                    Err(error) => tracing::warn!(?error, "the jobs could not be looked at"),
                }
            }
        };
        let tidying = async {
            loop {
                tokio::time::sleep(TIDY_EVERY).await;
                let app = self.clone();
                let tidied = tokio::task::spawn_blocking(move || {
                    app.shelf.keep_to_budget();
                    app.imports().sweep_uploads();
                });
                if let Err(error) = tidied.await {
                    tracing::error!(%error, "the shelf could not be tidied");
                }
            }
        };
        tokio::join!(looking, tidying);
    }

    /// Does one piece of long work. What goes wrong is written beside the thing it concerns.
    pub async fn do_work(&self, delivery: Delivery) -> Outcome {
        let done = match delivery {
            Delivery::Do(Work::ReadClip(id)) => self.readings().read_clip(id).await,
            Delivery::Do(Work::ReadTrack(id)) => self.readings().read_track(id).await,
            Delivery::Do(Work::Handoff(id)) => self.handoffs().make(id).await,
            Delivery::Failed(work) => self.say_failure(work, "Legere itself failed over it and tries again").await,
            Delivery::GiveUp(work) => {
                self.say_failure(work, "Legere itself failed over it three times, so it is left alone").await
            }
        };
        match done {
            Ok(outcome) => outcome,
            // Taken out meanwhile, or a row that nobody can read: its list says so.
            Err(StoreError::Missing { .. } | StoreError::Broken { .. } | StoreError::Word { .. }) => Outcome::Done,
            Err(error) => {
                tracing::warn!(?error, "a piece of work waits for the database");
                Outcome::Later
            }
        }
    }

    async fn say_failure(&self, work: Work, words: &str) -> Result<Outcome, StoreError> {
        match work {
            Work::ReadClip(id) => self.store.clips().failed(&self.store.clips().get(id).await?, words).await?,
            Work::ReadTrack(id) => {
                let track = self.store.tracks().get(id).await?;
                // What was read before stays.
                self.store.tracks().state(&track, State::Failed, Some(words.into())).await?;
            }
            Work::Handoff(id) => {
                let handoff = self.store.handoffs().get(id).await?;
                self.store.handoffs().ended(&handoff, None, words).await?;
            }
        }
        Ok(Outcome::Done)
    }

    /// Puts what a stopped program left undone back into the queue, and what this one reads otherwise.
    pub async fn take_up_again(&self) -> Result<(), StoreError> {
        self.open_added_roots().await?;
        self.store.clips().complete().await?;
        self.store.tracks().complete().await?;
        self.store.tracks().outdated_wait(music::READING_VERSION).await?;
        self.store.clips().outdated_wait(footage_reading::READING_VERSION).await?;
        let mut work: Vec<Work> = self.store.tracks().unfinished().await?.into_iter().map(Work::ReadTrack).collect();
        work.extend(self.store.handoffs().unfinished().await?.into_iter().map(Work::Handoff));
        work.extend(self.store.clips().unfinished().await?.into_iter().map(Work::ReadClip));
        self.store.queue().enqueue(&work).await
    }

    /// Opens the media folders that were added on the page, in this program or in another one on the same database.
    pub async fn open_added_roots(&self) -> Result<(), StoreError> {
        for (name, path) in self.store.added_roots().await? {
            if self.roots.all().iter().all(|r| r.name != name)
                && let Err(error) = self.roots.add(Root { name, path: path.into() })
            {
                tracing::warn!(%error, "a media folder that was added once is not opened");
            }
        }
        Ok(())
    }

    /// Adds a media folder below one of the parents that were given at the start.
    pub async fn add_root(&self, parent: usize, relative: &str) -> Result<String, AppError> {
        let (roots, relative) = (self.roots.clone(), relative.to_owned());
        let (path, _) = crate::blocking::run_blocking(move || roots.below_parent(parent, &relative)).await??;
        let base = path.file_name().map_or("media".to_owned(), |n| n.to_string_lossy().into_owned());
        let taken = |name: &String| self.roots.all().iter().any(|r| r.name == *name);
        if let Some(known) = self.roots.all().iter().find(|r| r.path == path) {
            return Ok(known.name.clone());
        }
        let mut name = base.clone();
        let mut count = 2;
        while taken(&name) {
            name = format!("{base} {count}");
            count += 1;
        }
        self.roots.add(Root { name: name.clone(), path: path.clone() })?;
        self.store.add_root(&name, &path.to_string_lossy()).await?;
        Ok(name)
    }

    /// Undoes or redoes a person's newest edit in a step. What waits for a reading after that is queued, or left alone where
    /// reading rests.
    pub async fn replay(&self, job: JobId, by: By, direction: Direction) -> Result<Replayed, AppError> {
        let replayed = self.store.replay(job, by, direction).await?;
        if replayed.reading_changed {
            match self.store.jobs().get(job).await {
                Ok(job) if job.paused => self.store.rolls().rest(job.id).await?,
                Ok(job) => self.store.queue().enqueue_waiting(job.id).await?,
                // The job itself was undone.
                Err(StoreError::Missing { .. }) => {}
                Err(other) => return Err(other.into()),
            }
        }
        Ok(replayed)
    }

    /// Reads clips again, from the file to the light copy.
    pub async fn read_again(&self, job: JobId, clips: &[ClipId]) -> Result<(), StoreError> {
        self.store.clips().wait(job, clips, None).await?;
        self.store.queue().enqueue(&clips.iter().map(|id| Work::ReadClip(*id)).collect::<Vec<_>>()).await
    }

    /// Reads a track again; what a person set on it stays.
    pub async fn read_track_again(&self, id: TrackId) -> Result<(), StoreError> {
        let track = self.store.tracks().get(id).await?;
        self.store.tracks().wait(&track, None).await?;
        self.store.queue().enqueue(&[Work::ReadTrack(id)]).await
    }
}

/// A file's name without its ending.
pub fn short_name(name: &str) -> String {
    name.rsplit_once('.').map_or(name, |(stem, _)| stem).to_owned()
}
