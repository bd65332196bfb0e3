//! The server: pages, with a worker inside.

use legere_app::App;
use legere_common::services::runtime;
use legere_common::work::start_worker;
use legere_common::{DataOptions, MainError, Media, backup, log};
use std::net::TcpListener;

pub fn serve(place: &DataOptions, media: &Media, port: u16) -> Result<(), MainError> {
    log::to_stderr();
    let services = backup::services_with_copy(place)?;
    runtime()?.block_on(async {
        let app = services.app(place, &media.folders, media.parents.clone()).await?;
        run(app, place.at_once, port).await
    })
}

/// Serves an application until a signal ends it.
pub async fn run(app: App, at_once: usize, port: u16) -> Result<(), MainError> {
    let listener = TcpListener::bind(("127.0.0.1", port)).map_err(|error| match error.kind() {
        std::io::ErrorKind::AddrInUse => MainError::PortTaken(port),
        _ => MainError::Port(error),
    })?;
    let address = listener.local_addr().map_err(MainError::Port)?;
    app.take_up_again().await?;
    let events = tokio::spawn({
        let app = app.clone();
        async move { app.relay_events().await }
    });
    let looking = tokio::spawn({
        let app = app.clone();
        async move { app.look_after().await }
    });
    let worker = start_worker(&app, at_once);
    let server = legere_web::serve(app, listener, 2).map_err(MainError::Server)?;
    println!("Legere is at http://{address}/ (Ctrl-C stops it)");
    let ended = server.await.map_err(MainError::Server);
    events.abort();
    looking.abort();
    // Best effort: what is not given back is taken over once this worker has been silent for a while.
    if let Err(error) = worker.stop().await {
        tracing::warn!(?error, "the work in hand could not be given back");
    }
    ended
}
