//! The queue on a real PostgreSQL.

mod world;

use legere_core::id::{ClipId, TrackId};
use legere_store::queue::{Delivery, Outcome, Work, Worker};
use legere_store::{Store, sqlx, testing};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use world::until;

type Seen = Arc<Mutex<Vec<Delivery>>>;

fn all(seen: &Seen) -> Vec<Delivery> {
    seen.lock().expect("lock").clone()
}

/// A worker that only notes what it is asked for.
fn noting(store: &Store, name: &str, at_once: usize) -> (Worker, Seen) {
    let seen: Seen = Arc::default();
    let notes = seen.clone();
    let worker = store.queue().start_worker(name, at_once, move |delivery| {
        let notes = notes.clone();
        async move {
            notes.lock().expect("lock").push(delivery);
            Outcome::Done
        }
    });
    (worker, seen)
}

fn clip_work(n: u128) -> Work {
    Work::ReadClip(ClipId::from_u128(n))
}

#[tokio::test]
async fn work_is_done_the_important_first_and_each_once() {
    let store = testing::fresh_store().await.expect("a database");
    store.queue().enqueue(&(0..5).map(clip_work).collect::<Vec<_>>()).await.expect("queued");
    let track = Work::ReadTrack(TrackId::from_u128(99));
    store.queue().enqueue(&[track, clip_work(3), track]).await.expect("queued");
    let (worker, seen) = noting(&store, "w", 1);
    until("six pieces", async || all(&seen).len() == 6).await;
    // A worker without work hears of new work at once.
    store.queue().enqueue(&[clip_work(7)]).await.expect("queued");
    until("the seventh", async || all(&seen).len() == 7).await;
    worker.stop().await.expect("stopped");
    let mut wanted = vec![Delivery::Do(track)];
    wanted.extend([0, 1, 2, 3, 4, 7].map(|n| Delivery::Do(clip_work(n))));
    assert_eq!(all(&seen), wanted);
    assert_eq!(store.queue().work_left().await.expect("counted"), 0);
}

#[tokio::test]
async fn two_workers_share_two_thousand_pieces() {
    let store = testing::fresh_store().await.expect("a database");
    store.queue().enqueue(&(0..2000).map(clip_work).collect::<Vec<_>>()).await.expect("queued");
    let (one, first) = noting(&store, "one", 3);
    let (two, second) = noting(&store, "two", 3);
    until("all pieces", async || all(&first).len() + all(&second).len() >= 2000).await;
    one.stop().await.expect("stopped");
    two.stop().await.expect("stopped");
    let (first, second) = (all(&first), all(&second));
    let unique: BTreeSet<String> = first.iter().chain(&second).map(|t| format!("{t:?}")).collect();
    assert_eq!((unique.len(), first.len() + second.len()), (2000, 2000), "each once");
    assert!(!first.is_empty() && !second.is_empty());
}

/// A worker that never ends what it began.
async fn stuck(store: &Store, name: &str) -> Worker {
    let (started, mut was_started) = tokio::sync::mpsc::channel(4);
    let worker = store.queue().start_worker(name, 1, move |_| {
        let started = started.clone();
        async move {
            let _ = started.send(()).await;
            std::future::pending().await
        }
    });
    tokio::time::timeout(Duration::from_secs(30), was_started.recv()).await.expect("taken").expect("open");
    worker
}

/// As if whoever holds something had died a minute ago, and PostgreSQL had been there all the time.
async fn silence(store: &Store) {
    silence_only(store, "%").await;
}

/// As if the workers whose name is like this one had said nothing for a minute.
async fn silence_only(store: &Store, name: &str) {
    let old = "UPDATE work SET alive_at = now() - interval '1 minute' WHERE taken_by LIKE $1";
    sqlx::query(old).bind(name).execute(store.pool()).await.expect("aged");
}

#[tokio::test]
async fn what_a_stopped_worker_held_is_done_by_the_next_at_once() {
    let store = testing::fresh_store().await.expect("a database");
    store.queue().enqueue(&[clip_work(1)]).await.expect("queued");
    stuck(&store, "stopped").await.stop().await.expect("stopped");
    let (_next, seen) = noting(&store, "next", 1);
    until("taken over", async || all(&seen) == [Delivery::Do(clip_work(1))]).await;
}

#[tokio::test]
async fn what_a_dead_worker_held_is_done_by_the_next_and_given_up_in_the_end() {
    let store = testing::fresh_store().await.expect("a database");
    store.queue().enqueue(&[clip_work(1)]).await.expect("queued");
    for name in ["first", "second", "third"] {
        drop(stuck(&store, name).await);
        silence(&store).await;
    }
    let (_next, seen) = noting(&store, "next", 1);
    until("given up", async || all(&seen) == [Delivery::GiveUp(clip_work(1))]).await;
}

#[tokio::test]
async fn a_worker_that_slept_finishes_nothing_that_another_took() {
    let store = testing::fresh_store().await.expect("a database");
    store.queue().enqueue(&[clip_work(1)]).await.expect("queued");
    let (wake, woken) = tokio::sync::watch::channel(false);
    let (ended, mut was_ended) = tokio::sync::mpsc::unbounded_channel();
    let sleeper = store.queue().start_worker("sleeper", 1, move |_| {
        let (mut woken, ended) = (woken.clone(), ended.clone());
        async move {
            let _ = woken.wait_for(|w| *w).await;
            let _ = ended.send(());
            Outcome::Done
        }
    });
    until("taken", async || held_by(&store).await == ["sleeper"]).await;
    // It sleeps for so long that another one takes its piece.
    let asleep = tokio::spawn({
        let store = store.clone();
        async move {
            loop {
                silence_only(&store, "sleeper").await;
                tokio::time::sleep(Duration::from_millis(20)).await;
            }
        }
    });
    let other = stuck(&store, "other").await;
    asleep.abort();
    wake.send(true).expect("heard");
    // Whether it had time to end its piece or was stopped before, the row is still the other's.
    let _ = tokio::time::timeout(Duration::from_secs(4), was_ended.recv()).await;
    tokio::time::timeout(Duration::from_secs(20), sleeper.stop()).await.expect("ends").expect("stopped");
    assert_eq!(held_by(&store).await, ["other"]);
    // And when the other one dies too, nothing is lost.
    drop(other);
    silence(&store).await;
    let (_next, seen) = noting(&store, "next", 1);
    until("done", async || all(&seen) == [Delivery::Do(clip_work(1))]).await;
}

async fn held_by(store: &Store) -> Vec<String> {
    let held = "SELECT taken_by FROM work WHERE taken_by IS NOT NULL";
    sqlx::query_scalar(held).fetch_all(store.pool()).await.expect("asked")
}

#[tokio::test]
async fn a_panic_is_told_and_tried_again_and_given_up_in_the_end() {
    let store = testing::fresh_store().await.expect("a database");
    store.queue().enqueue(&[clip_work(0), clip_work(1)]).await.expect("queued");
    let seen: Seen = Arc::default();
    let notes = seen.clone();
    let _worker = store.queue().start_worker("w", 1, move |delivery| {
        let notes = notes.clone();
        async move {
            notes.lock().expect("lock").push(delivery.clone());
            assert!(delivery != Delivery::Do(clip_work(0)), "this one panics");
            Outcome::Done
        }
    });
    // It waits between its tries; here nobody has the time.
    let hurry = "UPDATE work SET not_before = now() WHERE taken_by IS NULL";
    until("given up", async || {
        sqlx::query(hurry).execute(store.pool()).await.expect("hurried");
        all(&seen).contains(&Delivery::GiveUp(clip_work(0)))
    })
    .await;
    let second = Delivery::Do(clip_work(1));
    let of_first: Vec<Delivery> = all(&seen).into_iter().filter(|d| *d != second).collect();
    let (again, reported) = (Delivery::Do(clip_work(0)), Delivery::Failed(clip_work(0)));
    let wanted = [
        again.clone(),
        reported.clone(),
        again.clone(),
        reported.clone(),
        again,
        reported,
        Delivery::GiveUp(clip_work(0)),
    ];
    assert_eq!(of_first, wanted);
    assert_eq!(all(&seen).iter().filter(|d| **d == second).count(), 1, "the other costs nothing");
    until("nothing left", async || store.queue().work_left().await.expect("counted") == 0).await;
}

#[tokio::test]
async fn what_cannot_be_done_yet_waits_without_counting_as_a_failure() {
    let store = testing::fresh_store().await.expect("a database");
    store.queue().enqueue(&[clip_work(0)]).await.expect("queued");
    let seen: Seen = Arc::default();
    let notes = seen.clone();
    let _worker = store.queue().start_worker("w", 1, move |delivery| {
        let notes = notes.clone();
        async move {
            let mut notes = notes.lock().expect("lock");
            notes.push(delivery);
            if notes.len() < 6 { Outcome::Later } else { Outcome::Done }
        }
    });
    let hurry = "UPDATE work SET not_before = now() WHERE taken_by IS NULL";
    until("done at the sixth try", async || {
        sqlx::query(hurry).execute(store.pool()).await.expect("hurried");
        store.queue().work_left().await.expect("counted") == 0
    })
    .await;
    assert_eq!(all(&seen), vec![Delivery::Do(clip_work(0)); 6], "six tries of three, none given up");
}

/// Counts how often each piece is being done at the same time, and how often it was finished.
#[derive(Default)]
struct Ledger {
    now: BTreeMap<String, usize>,
    most_at_once: usize,
    finished: BTreeMap<String, usize>,
}

/// Takes the piece off the ledger however its doing ends.
struct Doing(Arc<Mutex<Ledger>>, String);

impl Drop for Doing {
    fn drop(&mut self) {
        *self.0.lock().expect("lock").now.get_mut(&self.1).expect("begun") -= 1;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_database_that_goes_away_costs_no_piece_and_doubles_none() {
    let folder = tempfile::tempdir().expect("a folder");
    let place = folder.path().to_path_buf();
    let server = testing::Restartable::start(&place).expect("a server");
    let store = Store::open(&server.url()).await.expect("open");
    store.queue().enqueue(&(0..40).map(clip_work).collect::<Vec<_>>()).await.expect("queued");
    let ledger: Arc<Mutex<Ledger>> = Arc::default();
    let start = |name: &str| {
        let ledger = ledger.clone();
        store.queue().start_worker(name, 2, move |delivery| {
            let ledger = ledger.clone();
            async move {
                let what = format!("{delivery:?}");
                {
                    let mut ledger = ledger.lock().expect("lock");
                    let now = ledger.now.entry(what.clone()).or_default();
                    *now += 1;
                    let now = *now;
                    ledger.most_at_once = ledger.most_at_once.max(now);
                }
                let doing = Doing(ledger.clone(), what.clone());
                tokio::time::sleep(Duration::from_millis(900)).await;
                *ledger.lock().expect("lock").finished.entry(what).or_default() += 1;
                drop(doing);
                Outcome::Done
            }
        })
    };
    let _workers = [start("one"), start("two"), start("three")];
    until("some are done", async || ledger.lock().expect("lock").finished.len() > 6).await;
    // Killed as a machine without memory kills it, and again and again for longer than a lease lasts. What is in hand is
    // finished meanwhile, and nobody can be notified.
    let away = std::time::Instant::now();
    while away.elapsed() < Duration::from_secs(20) {
        let _ = server.kill();
        tokio::time::sleep(Duration::from_millis(300)).await;
    }
    until("all are done", async || store.queue().work_left().await.is_ok_and(|left| left == 0)).await;
    let ledger = ledger.lock().expect("lock");
    assert_eq!((ledger.finished.len(), ledger.most_at_once), (40, 1), "none lost, none twice at once");
    assert!(ledger.finished.values().all(|n| *n == 1), "{:?}", ledger.finished);
}
