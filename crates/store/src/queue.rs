//! Long work, waiting in PostgreSQL until a worker has time for it.
//!
//! A piece of work is a row; a worker takes the most urgent free one with `FOR UPDATE SKIP LOCKED`, says every two seconds
//! that it is alive, and deletes the row when the piece is done. A row whose worker has fallen silent is free again, so work
//! is idempotent. A piece that brought three workers down is given up.

use crate::{Store, StoreError};
use sea_orm::sqlx::postgres::PgListener;
use sea_orm::sqlx::{self, Row};
use serde::{Deserialize, Serialize};
use std::future::Future;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::Semaphore;
use tokio::task::JoinSet;
use uuid::Uuid;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum Work {
    ReadTrack(Uuid),
    ReadClip(Uuid),
    Handoff(Uuid),
}

impl Work {
    /// What an editor waits for comes first: music, then what is to be handed off, then clips.
    fn priority(self) -> i32 {
        match self {
            Self::ReadTrack(_) => 3,
            Self::Handoff(_) => 2,
            Self::ReadClip(_) => 1,
        }
    }
}

/// What a worker is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Turn {
    Do(Work),
    /// Each try ended the worker: say so beside the thing, and leave it.
    GiveUp(Work),
}

const CHANNEL: &str = "legere_work";
const ALIVE_EVERY: Duration = Duration::from_secs(2);
/// A worker that has said nothing for so long is taken for dead, in seconds.
const SILENT: f64 = 10.0;
const TRIES: i32 = 3;
/// How long a worker without work waits before it looks again, if nobody tells it sooner.
const LOOK_AGAIN: Duration = Duration::from_secs(2);

impl Store {
    /// Work that waits already is not queued twice.
    pub async fn enqueue(&self, work: &[Work]) -> Result<(), StoreError> {
        // In portions: a card brings thousands.
        for portion in work.chunks(1000) {
            let mut what = Vec::with_capacity(portion.len());
            for one in portion {
                what.push(serde_json::to_value(one).map_err(StoreError::broken("piece of work"))?);
            }
            let priority: Vec<i32> = portion.iter().map(|w| w.priority()).collect();
            sqlx::query(
                "INSERT INTO work (what, priority) SELECT * FROM unnest($1::jsonb[], $2::integer[]) ON CONFLICT (what) DO NOTHING",
            )
            .bind(what)
            .bind(priority)
            .execute(self.pool())
            .await?;
        }
        if !work.is_empty() {
            sqlx::query("SELECT pg_notify($1, '')").bind(CHANNEL).execute(self.pool()).await?;
        }
        Ok(())
    }

    async fn take(&self, worker: &str) -> Result<Option<(i64, Turn)>, StoreError> {
        let row = sqlx::query(
            "UPDATE work SET taken_by = $1, alive_at = now(), tries = tries + 1 WHERE id = (
                 SELECT id FROM work WHERE taken_by IS NULL OR alive_at < now() - make_interval(secs => $2)
                 ORDER BY priority DESC, id FOR UPDATE SKIP LOCKED LIMIT 1)
             RETURNING id, what, tries",
        )
        .bind(worker)
        .bind(SILENT)
        .fetch_optional(self.pool())
        .await?;
        let Some(row) = row else { return Ok(None) };
        let work = serde_json::from_value(row.try_get("what")?).map_err(StoreError::broken("piece of work"))?;
        let tries: i32 = row.try_get("tries")?;
        Ok(Some((row.try_get("id")?, if tries > TRIES { Turn::GiveUp(work) } else { Turn::Do(work) })))
    }

    /// A piece that ended, well or in a panic, is done with; only a worker that dies leaves its rows to others.
    async fn ended(&self, piece: Result<i64, tokio::task::JoinError>) -> Result<(), StoreError> {
        if let Ok(id) = piece {
            sqlx::query("DELETE FROM work WHERE id = $1").bind(id).execute(self.pool()).await?;
        }
        Ok(())
    }

    async fn say_alive(&self, worker: &str) -> Result<(), StoreError> {
        sqlx::query("UPDATE work SET alive_at = now() WHERE taken_by = $1").bind(worker).execute(self.pool()).await?;
        Ok(())
    }

    /// Gives back what a worker holds; it was stopped, not brought down.
    async fn give_back(&self, worker: &str) -> Result<(), StoreError> {
        sqlx::query("UPDATE work SET taken_by = NULL, tries = tries - 1 WHERE taken_by = $1")
            .bind(worker)
            .execute(self.pool())
            .await?;
        Ok(())
    }

    /// Does work, `at_once` pieces at a time, until it is stopped or dropped. `name` must be this worker's alone.
    pub fn start_worker<F, R>(&self, name: &str, at_once: usize, each: F) -> Worker
    where
        F: Fn(Turn) -> R + Clone + Send + Sync + 'static,
        R: Future<Output = ()> + Send + 'static,
    {
        let (store, name) = (self.clone(), name.to_owned());
        let driver = tokio::spawn({
            let (store, name) = (store.clone(), name.clone());
            async move {
                loop {
                    if let Err(error) = store.drive(&name, at_once.max(1), each.clone()).await {
                        tracing::error!(?error, "a worker lost the queue and starts again");
                        tokio::time::sleep(LOOK_AGAIN).await;
                    }
                }
            }
        });
        Worker { store, name, driver }
    }

    async fn drive<F, R>(&self, name: &str, at_once: usize, each: F) -> Result<(), StoreError>
    where
        F: Fn(Turn) -> R + Clone + Send + Sync + 'static,
        R: Future<Output = ()> + Send + 'static,
    {
        // What this worker held before it lost the queue is free again.
        self.give_back(name).await?;
        let mut told = PgListener::connect_with(self.pool()).await?;
        told.listen(CHANNEL).await?;
        let hands = Arc::new(Semaphore::new(at_once));
        let mut running = JoinSet::new();
        let mut alive = tokio::time::interval(ALIVE_EVERY);
        loop {
            tokio::select! {
                _ = alive.tick() => self.say_alive(name).await?,
                Some(ended) = running.join_next(), if !running.is_empty() => self.ended(ended).await?,
                hand = hands.clone().acquire_owned() => {
                    let Ok(hand) = hand else { return Ok(()) };
                    match self.take(name).await? {
                        Some((id, turn)) => {
                            let piece = tokio::spawn(each(turn));
                            let stop = AbortOnDrop(piece.abort_handle());
                            running.spawn(async move {
                                let _kept = (hand, stop);
                                if piece.await.is_err_and(|e| e.is_panic()) {
                                    tracing::error!(?turn, "a piece of work panicked");
                                }
                                id
                            });
                        }
                        None => {
                            drop(hand);
                            // Nothing to do: until somebody says there is, something ends, or it is time to say we are alive.
                            tokio::select! {
                                told = told.recv() => drop(told?),
                                () = tokio::time::sleep(LOOK_AGAIN) => {}
                                _ = alive.tick() => self.say_alive(name).await?,
                                Some(ended) = running.join_next(), if !running.is_empty() => self.ended(ended).await?,
                            }
                        }
                    }
                }
            }
        }
    }
}

struct AbortOnDrop(tokio::task::AbortHandle);

impl Drop for AbortOnDrop {
    fn drop(&mut self) {
        self.0.abort();
    }
}

/// A running worker. Dropped, it falls silent, and others take over what it held after a while; stopped, it gives that back
/// at once.
#[derive(Debug)]
pub struct Worker {
    store: Store,
    name: String,
    driver: tokio::task::JoinHandle<()>,
}

impl Worker {
    pub async fn stop(mut self) -> Result<(), StoreError> {
        self.driver.abort();
        let _ = (&mut self.driver).await;
        self.store.give_back(&self.name).await
    }
}

impl Drop for Worker {
    fn drop(&mut self) {
        self.driver.abort();
    }
}
