//! The server and the worker: database, shelf, pages and long work put together.

use crate::{MainError, Place, backup, privileges};
use legere_media::roots::{Root, Roots};
use legere_media::shelf::{Budget, Shelf};
use legere_store::Store;
use legere_store::cluster::{Cluster, Durability};
use legere_web::Desk;
use std::net::TcpListener;
use std::path::Path;
use tokio::signal::unix::{SignalKind, signal};
use tracing_subscriber::EnvFilter;

/// The database server, when it is our own. Dropped last, after everything that speaks to it.
pub struct House {
    cluster: Option<Cluster>,
    url: String,
}

impl House {
    /// Becomes an ordinary user first; must be called before any thread is started.
    pub fn open(place: &Place) -> Result<Self, MainError> {
        privileges::drop_with_data(&place.data)?;
        std::fs::create_dir_all(&place.data).map_err(MainError::Data)?;
        let house = if let Some(url) = &place.database {
            Self { cluster: None, url: url.clone() }
        } else {
            let cluster = Cluster::start(&place.data, Durability::Safe)?;
            Self { url: cluster.url(), cluster: Some(cluster) }
        };
        backup::before_migration(&house, &place.data)?;
        Ok(house)
    }

    pub fn cluster(&self) -> Option<&Cluster> {
        self.cluster.as_ref()
    }

    pub async fn desk(&self, place: &Place, media: &[Root]) -> Result<Desk, MainError> {
        let roots = Roots::new(media.to_vec())?;
        let store = Store::open(&self.url).await?;
        let shelf = Shelf::open(&place.data.join("shelf")).map_err(MainError::Data)?;
        let shelf = match place.shelf_gigabytes {
            Some(gigabytes) => {
                let budget = Budget { most: gigabytes << 30, ..shelf.budget() };
                shelf.with_budget(budget)
            }
            None => shelf,
        };
        shelf.sweep();
        Ok(Desk::new(store, shelf, roots))
    }
}

pub fn runtime() -> Result<tokio::runtime::Runtime, MainError> {
    tokio::runtime::Builder::new_multi_thread().enable_all().build().map_err(MainError::Server)
}

pub fn serve(place: &Place, media: &[Root], port: u16) -> Result<(), MainError> {
    log_to_stderr();
    let house = House::open(place)?;
    runtime()?.block_on(async {
        let desk = house.desk(place, media).await?;
        run(desk, place.at_once, port).await
    })
}

/// Serves a desk until a signal ends it.
pub async fn run(desk: Desk, at_once: usize, port: u16) -> Result<(), MainError> {
    let listener = TcpListener::bind(("127.0.0.1", port)).map_err(|error| match error.kind() {
        std::io::ErrorKind::AddrInUse => MainError::PortTaken(port),
        _ => MainError::Port(error),
    })?;
    let address = listener.local_addr().map_err(MainError::Port)?;
    desk.take_up_again().await?;
    let events = tokio::spawn({
        let desk = desk.clone();
        async move { desk.relay_events().await }
    });
    let looking = tokio::spawn({
        let desk = desk.clone();
        async move { desk.look_after().await }
    });
    let worker = start_worker(&desk, at_once);
    let server = legere_web::serve(desk, listener, 2).map_err(MainError::Server)?;
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

fn start_worker(desk: &Desk, at_once: usize) -> legere_store::queue::Worker {
    let name = format!("legere-{}-{}", std::process::id(), uuid::Uuid::new_v4());
    let worker = desk.clone();
    desk.store.start_worker(&name, at_once.clamp(1, 64), move |delivery| {
        let desk = worker.clone();
        async move { desk.do_work(delivery).await }
    })
}

pub fn work(place: &Place, media: &[Root]) -> Result<(), MainError> {
    log_to_stderr();
    if place.database.is_none() {
        return Err(MainError::NoDatabase);
    }
    let house = House::open(place)?;
    runtime()?.block_on(async {
        let desk = house.desk(place, media).await?;
        let worker = start_worker(&desk, place.at_once);
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
