//! The long work: reading clips and tracks, and writing hand-offs.

use crate::services::runtime;
use crate::{DataOptions, MainError, Media, backup, log};
use legere_app::App;
use tokio::signal::unix::{SignalKind, signal};

/// Does the work of an application until it is stopped.
pub fn start_worker(app: &App, at_once: usize) -> legere_store::queue::Worker {
    let name = format!("legere-{}-{}", std::process::id(), uuid::Uuid::new_v4());
    let worker = app.clone();
    app.store.queue().start_worker(&name, at_once.clamp(1, 64), move |delivery| {
        let app = worker.clone();
        async move { app.do_work(delivery).await }
    })
}

/// Only works, for a server that runs elsewhere on the same database and shelf.
pub fn work(place: &DataOptions, media: &Media) -> Result<(), MainError> {
    log::to_stderr();
    if place.database.is_none() {
        return Err(MainError::NoDatabase);
    }
    let services = backup::services_with_copy(place)?;
    runtime()?.block_on(async {
        let app = services.app(place, &media.folders, media.parents.clone()).await?;
        app.open_added_roots().await?;
        let worker = start_worker(&app, place.at_once);
        println!("Working (Ctrl-C stops it)");
        let mut asked_to_end = signal(SignalKind::terminate()).map_err(MainError::Server)?;
        tokio::select! {
            interrupted = tokio::signal::ctrl_c() => interrupted.map_err(MainError::Server)?,
            _ = asked_to_end.recv() => {}
        }
        Ok(worker.stop().await?)
    })
}
