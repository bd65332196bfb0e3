//! What an editor can have done, without a request in sight.

pub mod arranging;
pub mod bringing;
pub mod handing;
pub mod listening;
pub mod presence;
pub mod reading;
mod readings;
pub mod watching;

use legere_core::track::READING_VERSION;
use legere_media::roots::Roots;
use legere_media::shelf::Shelf;
use legere_store::Store;
use legere_store::clips::State;
use legere_store::events::Event;
use legere_store::queue::{Turn, Work};
use std::sync::Arc;
use tokio::sync::broadcast;

/// Store, shelf and media roots together.
#[derive(Clone)]
pub struct Desk {
    pub store: Store,
    pub shelf: Shelf,
    pub roots: Arc<Roots>,
    pub events: broadcast::Sender<Event>,
    previews: watching::Previews,
    readings: readings::Readings,
}

impl Desk {
    pub fn new(store: Store, shelf: Shelf, roots: Roots) -> Self {
        let (events, _) = broadcast::channel(1024);
        Self {
            store,
            shelf,
            roots: Arc::new(roots),
            events,
            previews: watching::Previews::default(),
            readings: readings::Readings::default(),
        }
    }

    /// Passes the database's notifications on to open pages; connects again when the connection is lost.
    pub async fn relay_events(&self) {
        loop {
            let events = self.events.clone();
            if let Err(error) = self.store.listen(move |event| drop(events.send(event))).await {
                tracing::warn!(%error, "lost the notifications, connecting again");
            }
            tokio::time::sleep(std::time::Duration::from_secs(1)).await;
        }
    }

    /// Does one piece of long work. What goes wrong is written beside the thing it concerns.
    pub async fn do_work(&self, turn: Turn) {
        let work = match turn {
            Turn::Do(work) => work,
            Turn::GiveUp(work) => return self.give_up(work).await,
        };
        let result = match work {
            Work::ReadClip(id) => self.read_clip(id).await,
            Work::ReadTrack(id) => self.read_track(id).await,
            Work::Handoff(id) => self.make_handoff(id).await,
        };
        if let Err(error) = result {
            tracing::error!(?work, ?error, "a piece of work failed");
        }
    }

    /// Three workers went down over it, so nobody tries again.
    async fn give_up(&self, work: Work) {
        const WORDS: &str = "reading it brought Legere down three times, so it is left alone";
        let told = match work {
            Work::ReadClip(id) => match self.store.clip(id).await {
                Ok(clip) => self.store.clip_failed(&clip, WORDS).await,
                Err(error) => Err(error),
            },
            Work::ReadTrack(id) => match self.store.track(id).await {
                // Not to be tried at the next start either; what was read before stays.
                Ok(track) => self.store.track_state(&track, State::Failed, Some(WORDS.into())).await,
                Err(error) => Err(error),
            },
            Work::Handoff(id) => match self.store.handoff(id).await {
                Ok(handoff) => {
                    self.store.handoff_ended(&handoff, None, "making it brought Legere down three times").await
                }
                Err(error) => Err(error),
            },
        };
        if let Err(error) = told {
            tracing::error!(?work, ?error, "giving up could not be told");
        }
    }

    /// Puts what a stopped program left undone back into the queue, and the tracks that this one reads otherwise.
    pub async fn take_up_again(&self) -> Result<(), legere_store::StoreError> {
        self.store.outdated_tracks_wait(READING_VERSION).await?;
        let mut work: Vec<Work> = self.store.unfinished_tracks().await?.into_iter().map(Work::ReadTrack).collect();
        work.extend(self.store.unfinished_handoffs().await?.into_iter().map(Work::Handoff));
        work.extend(self.store.unfinished_clips().await?.into_iter().map(Work::ReadClip));
        self.store.enqueue(&work).await
    }
}
