//! The server and the worker: pages and long work on an open services.

use crate::services::{Services, runtime};
use crate::{DataOptions, MainError, backup};
use legere_app::App;
use legere_media::roots::Root;
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use tokio::signal::unix::{SignalKind, signal};
use tracing_subscriber::EnvFilter;

/// With a copy of the data aside where this program changes its form.
pub fn open(place: &DataOptions) -> Result<Services, MainError> {
    let services = Services::open(place)?;
    backup::before_migration(&services, place)?;
    Ok(services)
}

pub fn serve(place: &DataOptions, media: &[Root], parents: Vec<PathBuf>, port: u16) -> Result<(), MainError> {
    log_to_stderr();
    let services = open(place)?;
    runtime()?.block_on(async {
        let app = services.app(place, media, parents).await?;
        run(app, place.at_once, port).await
    })
}

/// Serves a app until a signal ends it.
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

fn start_worker(app: &App, at_once: usize) -> legere_store::queue::Worker {
    let name = format!("legere-{}-{}", std::process::id(), uuid::Uuid::new_v4());
    let worker = app.clone();
    app.store.start_worker(&name, at_once.clamp(1, 64), move |delivery| {
        let app = worker.clone();
        async move { app.do_work(delivery).await }
    })
}

pub fn work(place: &DataOptions, media: &[Root], parents: Vec<PathBuf>) -> Result<(), MainError> {
    log_to_stderr();
    if place.database.is_none() {
        return Err(MainError::NoDatabase);
    }
    let services = open(place)?;
    runtime()?.block_on(async {
        let app = services.app(place, media, parents).await?;
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

/// Structured lines; `RUST_LOG` says how much.
fn log_to_stderr() {
    tracing_subscriber::fmt().json().with_env_filter(filter()).with_writer(std::io::stderr).init();
}

pub fn log_to_file(file: &Path) -> Result<(), MainError> {
    let file = std::fs::File::create(file).map_err(MainError::Data)?;
    tracing_subscriber::fmt().json().with_env_filter(filter()).with_writer(std::sync::Mutex::new(file)).init();
    Ok(())
}

fn filter() -> EnvFilter {
    EnvFilter::try_from_default_env().unwrap_or_else(|_| EnvFilter::new("info,sqlx=warn"))
}
