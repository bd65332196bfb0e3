//! Long work, waiting in PostgreSQL until a worker has time for it.
//!
//! A piece of work is a row; a worker takes the most urgent free one with `FOR UPDATE SKIP LOCKED` and gets a token for it,
//! says every two seconds that it still holds what it holds, and deletes the row when the piece is done. A row whose worker
//! has fallen silent is free again, under another token: a worker that only slept finds its token gone, stops, and finishes
//! nothing that is another's. What fails for the moment waits and is tried again; what failed three times is given up.
//!
//! While the database is away pieces go on; nobody takes over anything until those who were cut off had time to say that
//! they are alive.

use crate::{Queue, Store, StoreError};
use legere_core::id::{ClipId, HandoffId, JobId, TrackId};
use sea_orm::sqlx::postgres::PgListener;
use sea_orm::sqlx::{self, Row};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::future::Future;
use std::time::{Duration, Instant};
use tokio::task::{AbortHandle, JoinSet};
use uuid::Uuid;

/// A piece of long work.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum Work {
    /// Reads a track.
    ReadTrack(TrackId),
    /// Reads a clip.
    ReadClip(ClipId),
    /// Makes a hand-off.
    Handoff(HandoffId),
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
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Delivery {
    /// Do it.
    Do(Work),
    /// A try ended in a failure of the program itself: say so beside the thing; the next try comes.
    Failed(Work),
    /// Each try ended in a failure of the program itself, or brought the worker down: say so, and leave it.
    GiveUp(Work),
}

/// How a piece of work ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    /// Done with, well or with a word about it beside the thing.
    Done,
    /// Something that passes was in the way, a database that was away: it is tried again after a while, as often as it takes.
    Later,
    /// It was stopped from outside: it is tried again after a while, but not for ever.
    Failed,
}

const CHANNEL: &str = "legere_work";
const HEARTBEAT_EVERY: Duration = Duration::from_secs(2);
/// A worker that has said nothing for so long is taken for dead.
const SILENT: Duration = Duration::from_secs(10);
const TRIES: i32 = 3;
/// How long a worker without work waits before it looks again, unless it is notified sooner.
const LOOK_AGAIN: Duration = Duration::from_secs(2);
/// How long a piece waits after its first failure; twice as long after each further one.
const BACK_OFF: Duration = Duration::from_secs(2);

/// A row that a worker holds.
#[derive(Debug, Clone, Copy)]
struct Lease {
    id: i64,
    token: Uuid,
    tries: i32,
}

impl Queue<'_> {
    /// Work that waits already is not queued twice; what is being done is done once more behind that, since it may have begun
    /// on what has changed meanwhile.
    pub async fn enqueue(self, work: &[Work]) -> Result<(), StoreError> {
        // In portions: a card brings thousands.
        for portion in work.chunks(1000) {
            let mut what = Vec::with_capacity(portion.len());
            for one in portion {
                what.push(serde_json::to_value(one).map_err(StoreError::broken("piece of work"))?);
            }
            let priority: Vec<i32> = portion.iter().map(|w| w.priority()).collect();
            sqlx::query(
                "INSERT INTO work (what, priority) SELECT DISTINCT ON (1) * FROM unnest($1::jsonb[], $2::integer[]) \
                 ON CONFLICT (what) DO UPDATE SET asked_again = true WHERE work.taken_by IS NOT NULL",
            )
            .bind(what)
            .bind(priority)
            .execute(&self.store.queue)
            .await?;
        }
        if !work.is_empty() {
            sqlx::query("SELECT pg_notify($1, '')").bind(CHANNEL).execute(&self.store.queue).await?;
        }
        Ok(())
    }

    /// Queues what of a job waits to be read, has its file and is not out.
    pub async fn enqueue_waiting(self, job: JobId) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO work (what, priority)
                 SELECT jsonb_build_object('ReadTrack', id), 3 FROM track
                     WHERE job_id = $1 AND state = 'waiting' AND NOT missing AND NOT hidden
                 UNION ALL SELECT jsonb_build_object('ReadClip', id), 1 FROM clip
                     WHERE job_id = $1 AND state = 'waiting' AND NOT missing AND NOT hidden
             ON CONFLICT (what) DO NOTHING",
        )
        .bind(job.uuid())
        .execute(&self.store.queue)
        .await?;
        sqlx::query("SELECT pg_notify($1, '')").bind(CHANNEL).execute(&self.store.queue).await?;
        Ok(())
    }

    /// How many pieces wait or are being done.
    pub async fn work_left(self) -> Result<i64, StoreError> {
        Ok(sqlx::query_scalar("SELECT count(*) FROM work").fetch_one(&self.store.queue).await?)
    }

    /// `may_take_over` is false as long as those who were cut off may not have spoken yet.
    async fn claim(self, worker: &str, may_take_over: bool) -> Result<Option<(Lease, Work)>, StoreError> {
        let row = sqlx::query(
            "UPDATE work SET taken_by = $1, token = gen_random_uuid(), alive_at = now(), tries = tries + 1 WHERE id = (
                 SELECT id FROM work WHERE not_before <= now() AND (taken_by IS NULL OR $3
                     AND alive_at < now() - make_interval(secs => $2)
                     AND pg_postmaster_start_time() < now() - make_interval(secs => $2))
                 ORDER BY priority DESC, id FOR UPDATE SKIP LOCKED LIMIT 1)
             RETURNING id, what, tries, token",
        )
        .bind(worker)
        .bind(SILENT.as_secs_f64())
        .bind(may_take_over)
        .fetch_optional(&self.store.queue)
        .await?;
        let Some(row) = row else { return Ok(None) };
        let lease = Lease { id: row.try_get("id")?, token: row.try_get("token")?, tries: row.try_get("tries")? };
        match serde_json::from_value(row.try_get("what")?) {
            Ok(work) => Ok(Some((lease, work))),
            Err(error) => {
                // Nobody will ever know what it was.
                tracing::error!(%error, id = lease.id, "a piece of work cannot be read and is dropped");
                self.complete(lease).await?;
                Ok(None)
            }
        }
    }

    /// Ends a piece, or lets it wait once more where it was asked for again. Gives whether the row was still this lease's.
    async fn complete(self, lease: Lease) -> Result<bool, StoreError> {
        let removed = sqlx::query("DELETE FROM work WHERE id = $1 AND token = $2 AND NOT asked_again")
            .bind(lease.id)
            .bind(lease.token)
            .execute(&self.store.queue)
            .await?;
        if removed.rows_affected() == 1 {
            return Ok(true);
        }
        let again = sqlx::query(
            "UPDATE work SET taken_by = NULL, token = NULL, asked_again = false, tries = 0, not_before = now() \
             WHERE id = $1 AND token = $2",
        )
        .bind(lease.id)
        .bind(lease.token)
        .execute(&self.store.queue)
        .await?;
        Ok(again.rows_affected() == 1)
    }

    /// Lets a piece wait and be taken again; `counted` says whether this try counts as one that failed. Gives whether the row
    /// was still this lease's.
    async fn put_off(self, lease: Lease, counted: bool) -> Result<bool, StoreError> {
        let wait = BACK_OFF * 2u32.pow(lease.tries.clamp(1, 8) as u32 - 1);
        let put_off = sqlx::query(
            "UPDATE work SET taken_by = NULL, token = NULL, not_before = now() + make_interval(secs => $3),
                 tries = tries - CASE WHEN $4 THEN 0 ELSE 1 END WHERE id = $1 AND token = $2",
        )
        .bind(lease.id)
        .bind(lease.token)
        .bind(if counted { wait } else { BACK_OFF }.as_secs_f64())
        .bind(counted)
        .execute(&self.store.queue)
        .await?;
        Ok(put_off.rows_affected() == 1)
    }

    /// Says that these leases are held; gives those that still are.
    async fn heartbeat(self, tokens: &[Uuid]) -> Result<Vec<Uuid>, StoreError> {
        Ok(sqlx::query_scalar("UPDATE work SET alive_at = now() WHERE token = ANY($1) RETURNING token")
            .bind(tokens)
            .fetch_all(&self.store.queue)
            .await?)
    }

    /// Gives back what a worker holds; it was stopped, not brought down.
    async fn give_back(self, worker: &str) -> Result<(), StoreError> {
        sqlx::query("UPDATE work SET taken_by = NULL, token = NULL, tries = tries - 1 WHERE taken_by = $1")
            .bind(worker)
            .execute(&self.store.queue)
            .await?;
        Ok(())
    }

    /// Does work, `at_once` pieces at a time, until it is stopped or dropped. `name` must be this worker's alone.
    pub fn start_worker<F, R>(self, name: &str, at_once: usize, each: F) -> Worker
    where
        F: Fn(Delivery) -> R + Clone + Send + Sync + 'static,
        R: Future<Output = Outcome> + Send + 'static,
    {
        let hand = Hand { store: self.store.clone(), name: name.to_owned(), each };
        Worker { store: self.store.clone(), name: name.to_owned(), driver: tokio::spawn(hand.drive(at_once.max(1))) }
    }
}

/// What a worker does its work with.
#[derive(Clone)]
struct Hand<F> {
    store: Store,
    name: String,
    each: F,
}

impl<F, R> Hand<F>
where
    F: Fn(Delivery) -> R + Clone + Send + Sync + 'static,
    R: Future<Output = Outcome> + Send + 'static,
{
    async fn drive(self, at_once: usize) {
        let mut running: JoinSet<Uuid> = JoinSet::new();
        let mut held: HashMap<Uuid, AbortHandle> = HashMap::new();
        let mut notified: Option<PgListener> = None;
        let mut alive = tokio::time::interval(HEARTBEAT_EVERY);
        alive.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
        // Others may have been cut off from the database as well.
        let mut connected = Instant::now();
        let mut look = true;
        loop {
            if look && running.len() < at_once {
                match self.store.queue().claim(&self.name, connected.elapsed() > SILENT).await {
                    Ok(Some((lease, work))) => {
                        let piece = running.spawn(self.clone().one(lease, work));
                        held.insert(lease.token, piece);
                    }
                    Ok(None) => look = false,
                    Err(error) => {
                        tracing::warn!(?error, "the queue does not answer");
                        (look, connected) = (false, Instant::now());
                    }
                }
                continue;
            }
            if notified.is_none() {
                notified = self.listener().await;
            }
            tokio::select! {
                Some(ended) = running.join_next_with_id(), if !running.is_empty() => {
                    let gone = match ended {
                        Ok((_, token)) => Some(token),
                        Err(error) => held.iter().find(|(_, h)| h.id() == error.id()).map(|(token, _)| *token),
                    };
                    if let Some(token) = gone {
                        held.remove(&token);
                    }
                    look = true;
                }
                _ = alive.tick() => {
                    look = true;
                    let tokens: Vec<Uuid> = held.keys().copied().collect();
                    match self.store.queue().heartbeat(&tokens).await {
                        Ok(still) => held.retain(|token, piece| {
                            let mine = still.contains(token);
                            // It may be done and about to say so; then there is nothing left to stop.
                            if !mine && !piece.is_finished() {
                                tracing::warn!(%token, "another worker has taken this piece over");
                                piece.abort();
                            }
                            mine
                        }),
                        Err(error) => {
                            tracing::warn!(?error, "the queue does not answer, what is in hand goes on");
                            connected = Instant::now();
                        }
                    }
                }
                woken = heard(&mut notified) => {
                    if !woken {
                        notified = None;
                        tokio::time::sleep(Duration::from_millis(200)).await;
                    }
                    look = true;
                }
                () = tokio::time::sleep(LOOK_AGAIN), if !look => look = true,
            }
        }
    }

    async fn listener(&self) -> Option<PgListener> {
        let mut listener = PgListener::connect_with(&self.store.queue).await.ok()?;
        listener.listen(CHANNEL).await.ok()?;
        Some(listener)
    }

    /// One piece to its end; gives back its token.
    async fn one(self, lease: Lease, work: Work) -> Uuid {
        let delivery = if lease.tries > TRIES { Delivery::GiveUp(work) } else { Delivery::Do(work) };
        // In a task of its own, so that a panic in it is an answer. Dropped with this one, it stops.
        let outcome = Stopped(tokio::spawn((self.each)(delivery))).await;
        match outcome {
            Ok(Outcome::Done) => self.until_kept(lease, work, async || self.store.queue().complete(lease).await).await,
            Ok(Outcome::Later) => {
                self.until_kept(lease, work, async || self.store.queue().put_off(lease, false).await).await;
            }
            Ok(Outcome::Failed) => {
                self.until_kept(lease, work, async || self.store.queue().put_off(lease, true).await).await;
            }
            Err(error) if error.is_panic() => {
                tracing::error!(?work, tries = lease.tries, "a piece of work panicked");
                if lease.tries > TRIES {
                    self.until_kept(lease, work, async || self.store.queue().complete(lease).await).await;
                } else {
                    let _ = Stopped(tokio::spawn((self.each)(Delivery::Failed(work)))).await;
                    self.until_kept(lease, work, async || self.store.queue().put_off(lease, true).await).await;
                }
            }
            // The program is ending.
            Err(_) => {}
        }
        lease.token
    }

    /// Says how a piece ended as soon as the database hears it.
    async fn until_kept<G, Q>(&self, lease: Lease, work: Work, say: G)
    where
        G: Fn() -> Q,
        Q: Future<Output = Result<bool, StoreError>>,
    {
        loop {
            match say().await {
                Ok(true) => return,
                Ok(false) => {
                    tracing::warn!(?work, token = %lease.token, "a piece was finished that another worker has taken over");
                    return;
                }
                Err(error) => {
                    tracing::warn!(?error, ?work, "the end of a piece could not be said yet");
                    tokio::time::sleep(LOOK_AGAIN).await;
                }
            }
        }
    }
}

/// Whether there may be new work; false when nobody will tell any more.
async fn heard(listener: &mut Option<PgListener>) -> bool {
    match listener {
        Some(listener) => matches!(listener.try_recv().await, Ok(Some(_))),
        None => std::future::pending().await,
    }
}

/// A task that is stopped when nobody waits for it any more.
struct Stopped<T>(tokio::task::JoinHandle<T>);

impl<T> Future for Stopped<T> {
    type Output = Result<T, tokio::task::JoinError>;
    fn poll(mut self: std::pin::Pin<&mut Self>, context: &mut std::task::Context<'_>) -> std::task::Poll<Self::Output> {
        std::pin::Pin::new(&mut self.0).poll(context)
    }
}

impl<T> Drop for Stopped<T> {
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
    /// Stops, and gives back what it holds.
    pub async fn stop(mut self) -> Result<(), StoreError> {
        self.driver.abort();
        let _ = (&mut self.driver).await;
        self.store.queue().give_back(&self.name).await
    }
}

impl Drop for Worker {
    fn drop(&mut self) {
        self.driver.abort();
    }
}
