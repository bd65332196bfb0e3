//! What an editor can have done, without a request in sight.

pub mod arranging;
pub mod bringing;
pub mod handing;
pub mod presence;
pub mod reading;
mod readings;
pub mod watching;

use legere_media::roots::Roots;
use legere_media::shelf::Shelf;
use legere_store::Store;
use legere_store::events::Event;
use legere_store::queue::Work;
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
    pub async fn do_work(&self, work: Work) {
        let result = match work {
            Work::ReadClip(id) => self.read_clip(id).await,
            Work::ReadTrack(id) => self.read_track(id).await,
            Work::Handoff(id) => self.make_handoff(id).await,
        };
        if let Err(error) = result {
            tracing::error!(?work, ?error, "a piece of work failed");
        }
    }

    /// Puts what a stopped program left undone back into the queue.
    pub async fn take_up_again(&self) -> Result<(), legere_store::StoreError> {
        let mut work: Vec<Work> = self.store.unfinished_tracks().await?.into_iter().map(Work::ReadTrack).collect();
        work.extend(self.store.unfinished_handoffs().await?.into_iter().map(Work::Handoff));
        work.extend(self.store.unfinished_clips().await?.into_iter().map(Work::ReadClip));
        self.store.enqueue(&work).await
    }
}
