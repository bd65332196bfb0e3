//! Long work, waiting in PostgreSQL until a worker has time for it.
//!
//! A worker that dies loses its jobs after some missed heartbeats; another one does them again. Work is
//! therefore idempotent.

use crate::{Store, StoreError};
use apalis::prelude::*;
use apalis_postgres::{Config, PostgresStorage};
use sea_orm::sqlx::PgPool;
use serde::{Deserialize, Serialize};
use std::future::Future;
use std::time::Duration;
use uuid::Uuid;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Work {
    ReadTrack(Uuid),
    ReadClip(Uuid),
    Handoff(Uuid),
}

const QUEUE: &str = "legere";
const HEARTBEAT: Duration = Duration::from_secs(2);
const MISSED: usize = 5;

pub(crate) async fn setup(pool: &PgPool) -> Result<(), StoreError> {
    PostgresStorage::<()>::setup(pool).await.map_err(|e| StoreError::Queue(e.to_string()))
}

fn storage(pool: &PgPool) -> PostgresStorage<Work> {
    let config = Config::default().queue(QUEUE).heartbeat_interval(HEARTBEAT).missed_heartbeats(MISSED).batch_size(1);
    PostgresStorage::new(pool).with_config(config)
}

impl Store {
    /// Work that an editor waits for comes first: music, then what is to be handed off, then clips.
    pub async fn enqueue(&self, work: &[Work]) -> Result<(), StoreError> {
        let tasks: Vec<_> = work
            .iter()
            .map(|one| {
                let priority = match one {
                    Work::ReadTrack(_) => 3,
                    Work::Handoff(_) => 2,
                    Work::ReadClip(_) => 1,
                };
                TaskBuilder::new(*one).priority(priority).max_attempts(3).build()
            })
            .collect();
        // All in one go: a card brings thousands.
        storage(self.pool()).push_all(futures::stream::iter(tasks)).await.map_err(|e| StoreError::Queue(e.to_string()))
    }

    /// Does work, `at_once` pieces at a time, until the future is dropped.
    pub async fn work<F, R>(&self, name: &str, at_once: usize, each: F) -> Result<(), StoreError>
    where
        F: Fn(Work) -> R + Clone + Send + Sync + 'static,
        R: Future<Output = ()> + Send + 'static,
    {
        let handler = move |work: Work| {
            let each = each.clone();
            async move {
                each(work).await;
                Ok::<(), BoxDynError>(())
            }
        };
        let worker = WorkerBuilder::new(name).backend(storage(self.pool())).concurrency(at_once).build(handler);
        worker.run().await.map_err(|e| StoreError::Queue(e.to_string()))
    }

    /// Does work on a thread of its own until the guard is dropped.
    pub fn start_worker<F, R>(&self, name: &str, at_once: usize, each: F) -> Worker
    where
        F: Fn(Work) -> R + Clone + Send + Sync + 'static,
        R: Future<Output = ()> + Send + 'static,
    {
        let (stop, stopped) = tokio::sync::oneshot::channel::<()>();
        let (store, name, runtime) = (self.clone(), name.to_owned(), tokio::runtime::Handle::current());
        // The queue's future cannot move between threads; this one drives it, the runtime does the rest.
        std::thread::spawn(move || {
            runtime.block_on(async move {
                tokio::select! {
                    ended = store.work(&name, at_once, each) => {
                        if let Err(error) = ended {
                            tracing::error!(%error, "a worker ended");
                        }
                    }
                    _ = stopped => {}
                }
            });
        });
        Worker { _stop: stop }
    }
}

/// A running worker; stops when dropped.
#[derive(Debug)]
pub struct Worker {
    _stop: tokio::sync::oneshot::Sender<()>,
}
