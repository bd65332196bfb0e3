//! The store on a real PostgreSQL.

use chrono::Utc;
use legere_core::footage::{ClipReading, Moment, Samples};
use legere_core::select::{Mark, Tag, Tier};
use legere_core::time::Seconds;
use legere_core::track::marks::{Edit, Marks};
use legere_core::track::{Section, SectionKind, TrackReading, Version};
use legere_store::clips::{NewClip, State};
use legere_store::drafts::Note;
use legere_store::jobs::NewJob;
use legere_store::journal::Put;
use legere_store::queue::{Turn, Work, Worker};
use legere_store::tracks::About;
use legere_store::{Store, StoreError, testing};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use uuid::Uuid;

fn new_job() -> NewJob {
    NewJob {
        name: "The Long Hour".into(),
        rate: "24000/1001".parse().expect("rate"),
        width: 1920,
        height: 1080,
        target_seconds: Some(45.0),
    }
}

fn file(path: &str) -> NewClip {
    NewClip {
        root: "media".into(),
        path: path.into(),
        name: path.rsplit('/').next().expect("name").into(),
        bytes: 1,
        modified: Utc::now(),
    }
}

fn reading() -> ClipReading {
    ClipReading {
        duration: 4.0,
        samples: Samples { step: 0.1, motion: vec![0.5; 40], ..Samples::default() },
        shot_changes: vec![],
        moments: vec![Moment { start: 0.5, end: 3.0, hit: 1.5, energy: 50.0, why: "x".into() }],
    }
}

async fn job_with_clip() -> (Store, Uuid, Uuid) {
    let store = testing::fresh_store().await.expect("a database");
    let job = store.create_job(new_job()).await.expect("a job");
    let ids = store.add_clips(job, "day one", "a", &[file("a/1.mp4")]).await.expect("clips");
    let clip = store.clip(ids[0]).await.expect("the clip");
    store.clip_ready(&clip, serde_json::json!({}), None, &reading(), None).await.expect("kept");
    (store, job, clip.id)
}

#[tokio::test]
async fn files_are_taken_in_once_and_a_reading_makes_the_first_select() {
    let (store, job, clip) = job_with_clip().await;
    let again = store.add_clips(job, "day one", "a", &[file("a/1.mp4"), file("a/2.mp4")]).await.expect("clips");
    assert_eq!(again.len(), 1, "the first is there already");
    assert_eq!(store.clips(job).await.expect("clips").len(), 2);
    assert_eq!(store.rolls(job).await.expect("rolls").len(), 1);
    let selects = store.selects(job).await.expect("selects");
    assert_eq!(selects.len(), 1);
    assert_eq!((selects[0].clip, selects[0].verdict.tier), (clip, Tier::Unread));
    assert_eq!(selects[0].verdict.range.hit(), Seconds::new(3, 2).expect("s"));
    // A second reading leaves what the editor has.
    let row = store.clip(clip).await.expect("clip");
    store.clip_ready(&row, serde_json::json!({}), None, &reading(), None).await.expect("kept");
    assert_eq!(store.selects(job).await.expect("selects").len(), 1);
    assert_eq!(store.clip(clip).await.expect("clip").state, State::Ready);
    assert_eq!(store.unfinished_clips().await.expect("list").len(), 1);
}

#[tokio::test]
async fn everything_is_undone_and_done_again_in_order_also_after_a_restart() {
    let url = testing::fresh_url().await.expect("a database");
    let store = Store::open(&url).await.expect("open");
    let job = store.create_job(new_job()).await.expect("a job");
    let ids = store.add_clips(job, "r", "a", &[file("a/1.mp4")]).await.expect("clips");
    let clip = store.clip(ids[0]).await.expect("clip");
    store.clip_ready(&clip, serde_json::json!({}), None, &reading(), None).await.expect("kept");
    let select = store.selects(job).await.expect("selects").remove(0);
    let mut states = vec![select.verdict.clone()];
    let mut now = select.verdict.clone();
    for step in 0..3 {
        match step {
            0 => now.tier = Tier::Hero,
            1 => now.toggle(Tag::try_from("framing:close".to_owned()).expect("tag")),
            _ => {
                now.range = now
                    .range
                    .with(Mark::In, Seconds::new(1, 1).expect("s"), Seconds::new(4, 1).expect("s"))
                    .expect("range")
            }
        }
        store.edit(job, &format!("step {step}"), &[Put::Select(select.id, now.clone())]).await.expect("edit");
        states.push(now.clone());
    }
    drop(store);
    let store = Store::open(&url).await.expect("open again");
    let current = || async { store.select(select.id).await.expect("select").verdict };
    for (i, state) in states.iter().enumerate().rev().skip(1) {
        assert_eq!(store.undo(job).await.expect("undo"), format!("step {i}"));
        assert_eq!(&current().await, state);
    }
    assert!(matches!(store.undo(job).await, Err(StoreError::NothingToUndo)));
    for state in &states[1..] {
        store.redo(job).await.expect("redo");
        assert_eq!(&current().await, state);
    }
    assert!(matches!(store.redo(job).await, Err(StoreError::NothingToRedo)));
    // A new edit after an undo ends the old future.
    store.undo(job).await.expect("undo");
    let mut other = current().await;
    other.tier = Tier::Out;
    store.edit(job, "out", &[Put::Select(select.id, other)]).await.expect("edit");
    assert!(matches!(store.redo(job).await, Err(StoreError::NothingToRedo)));
}

#[tokio::test]
async fn notes_and_parts_come_and_go_with_undo() {
    let (store, job, _) = job_with_clip().await;
    let track = store.add_track(job, "media", "m.wav", "m.wav", 1).await.expect("track").expect("new");
    assert_eq!(store.add_track(job, "media", "m.wav", "m.wav", 1).await.expect("track"), None);
    let s = |v| Seconds::new(v, 1).expect("s");
    let part = Version::part(s(2), s(9), s(20)).expect("part");
    store.edit(job, "part", &[Put::Part(track, part.clone())]).await.expect("edit");
    assert_eq!(store.track(track).await.expect("track").part, Some(part));
    store.undo(job).await.expect("undo");
    assert_eq!(store.track(track).await.expect("track").part, None);
    let missing = Note { id: Uuid::now_v7(), draft: Uuid::now_v7(), frame: 3, words: "x".into() };
    assert!(store.edit(job, "note", &[Put::Note(missing)]).await.is_err(), "a note needs a draft");
    assert!(store.redo(job).await.is_ok(), "and a refused edit leaves the journal alone");
}

#[tokio::test]
async fn impossible_jobs_are_refused_in_words() {
    let store = testing::fresh_store().await.expect("a database");
    for bad in [
        NewJob { name: "  ".into(), ..new_job() },
        NewJob { width: 1919, ..new_job() },
        NewJob { target_seconds: Some(0.5), ..new_job() },
    ] {
        assert!(matches!(store.create_job(bad).await, Err(StoreError::Refused(_))));
    }
    assert!(store.jobs().await.expect("jobs").is_empty());
}

/// Waits until a condition holds, for at most twenty seconds.
async fn until(what: &str, condition: impl Fn() -> bool) {
    for _ in 0..1000 {
        if condition() {
            return;
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    panic!("never: {what}");
}

type Seen = Arc<Mutex<Vec<Turn>>>;

/// A worker that only notes what it is asked for.
fn noting(store: &Store, name: &str, at_once: usize) -> (Worker, Seen) {
    let seen: Seen = Arc::default();
    let notes = seen.clone();
    let worker = store.start_worker(name, at_once, move |turn| {
        let notes = notes.clone();
        async move { notes.lock().expect("lock").push(turn) }
    });
    (worker, seen)
}

fn clip_work(n: u128) -> Work {
    Work::ReadClip(Uuid::from_u128(n))
}

#[tokio::test]
async fn work_is_done_the_important_first_and_each_once() {
    let store = testing::fresh_store().await.expect("a database");
    store.enqueue(&(0..5).map(clip_work).collect::<Vec<_>>()).await.expect("queued");
    let track = Work::ReadTrack(Uuid::from_u128(99));
    store.enqueue(&[track, clip_work(3), track]).await.expect("queued");
    let (worker, seen) = noting(&store, "w", 1);
    until("six pieces", || seen.lock().expect("lock").len() == 6).await;
    // A worker without work hears of new work at once.
    store.enqueue(&[clip_work(7)]).await.expect("queued");
    until("the seventh", || seen.lock().expect("lock").len() == 7).await;
    worker.stop().await.expect("stopped");
    let mut wanted = vec![Turn::Do(track)];
    wanted.extend([0, 1, 2, 3, 4, 7].map(|n| Turn::Do(clip_work(n))));
    assert_eq!(*seen.lock().expect("lock"), wanted);
}

#[tokio::test]
async fn two_workers_share_a_thousand_pieces() {
    let store = testing::fresh_store().await.expect("a database");
    store.enqueue(&(0..1000).map(clip_work).collect::<Vec<_>>()).await.expect("queued");
    let (one, first) = noting(&store, "one", 3);
    let (two, second) = noting(&store, "two", 3);
    let count = || first.lock().expect("lock").len() + second.lock().expect("lock").len();
    until("all pieces", || count() >= 1000).await;
    one.stop().await.expect("stopped");
    two.stop().await.expect("stopped");
    let (first, second) = (first.lock().expect("lock").clone(), second.lock().expect("lock").clone());
    let mut all: Vec<String> = first.iter().chain(&second).map(|t| format!("{t:?}")).collect();
    all.sort();
    all.dedup();
    assert_eq!((all.len(), first.len() + second.len()), (1000, 1000), "each once");
    assert!(!first.is_empty() && !second.is_empty());
}

/// A worker that never ends what it began.
async fn stuck(store: &Store, name: &str) -> Worker {
    let (started, mut was_started) = tokio::sync::mpsc::channel(4);
    let worker = store.start_worker(name, 1, move |_| {
        let started = started.clone();
        async move {
            let _ = started.send(()).await;
            std::future::pending::<()>().await;
        }
    });
    tokio::time::timeout(Duration::from_secs(10), was_started.recv()).await.expect("taken").expect("open");
    worker
}

#[tokio::test]
async fn what_a_stopped_worker_held_is_done_by_the_next_at_once() {
    let store = testing::fresh_store().await.expect("a database");
    store.enqueue(&[clip_work(1)]).await.expect("queued");
    stuck(&store, "stopped").await.stop().await.expect("stopped");
    let (_next, seen) = noting(&store, "next", 1);
    until("taken over", || *seen.lock().expect("lock") == [Turn::Do(clip_work(1))]).await;
}

#[tokio::test]
async fn what_a_dead_worker_held_is_done_by_the_next_and_given_up_in_the_end() {
    let store = testing::fresh_store().await.expect("a database");
    store.enqueue(&[clip_work(1)]).await.expect("queued");
    let silence = || async {
        // The worker died a minute ago.
        let old = "UPDATE work SET alive_at = now() - interval '1 minute'";
        legere_store::sqlx::query(old).execute(store.pool()).await.expect("aged");
    };
    for name in ["first", "second", "third"] {
        drop(stuck(&store, name).await);
        silence().await;
    }
    let (_next, seen) = noting(&store, "next", 1);
    until("given up", || *seen.lock().expect("lock") == [Turn::GiveUp(clip_work(1))]).await;
}

#[tokio::test]
async fn a_piece_that_panics_costs_nothing_else() {
    let store = testing::fresh_store().await.expect("a database");
    store.enqueue(&[clip_work(0), clip_work(1)]).await.expect("queued");
    let seen: Seen = Arc::default();
    let notes = seen.clone();
    let _worker = store.start_worker("w", 1, move |turn| {
        let notes = notes.clone();
        async move {
            assert!(turn != Turn::Do(clip_work(0)), "the first one panics");
            notes.lock().expect("lock").push(turn);
        }
    });
    until("the second", || *seen.lock().expect("lock") == [Turn::Do(clip_work(1))]).await;
}

#[tokio::test]
async fn open_pages_hear_of_what_changes() {
    let (store, job, clip) = job_with_clip().await;
    let (heard, mut events) = tokio::sync::mpsc::unbounded_channel();
    let listener = store.clone();
    let listening = tokio::spawn(async move {
        let each = move |event| {
            let _ = heard.send(event);
        };
        let _ = listener.listen(each).await;
    });
    // The listener is there once it hears; until then it is told again.
    let row = store.clip(clip).await.expect("clip");
    let first = loop {
        store.clip_progress(&row, State::Reading, 0.4).await.expect("told");
        if let Ok(Some(event)) = tokio::time::timeout(Duration::from_millis(100), events.recv()).await {
            break event;
        }
    };
    assert_eq!((first.job, first.id), (job, clip));
    listening.abort();
}

#[tokio::test]
async fn trouble_and_absence_are_two_things() {
    let (store, job, clip) = job_with_clip().await;
    let row = store.clip(clip).await.expect("clip");
    store.clip_failed(&row, "the file is cut short").await.expect("kept");
    store.clips_missing(job, &[clip], true).await.expect("kept");
    let row = store.clip(clip).await.expect("clip");
    assert_eq!((row.state, row.problem.as_deref(), row.missing), (State::Failed, Some("the file is cut short"), true));
    store.clips_missing(job, &[clip], false).await.expect("kept");
    let row = store.clip(clip).await.expect("clip");
    assert_eq!((row.problem.as_deref(), row.missing), (Some("the file is cut short"), false), "its own trouble stays");
    let track = store.add_track(job, "media", "m.wav", "m.wav", 1).await.expect("track").expect("new");
    store.tracks_missing(job, &[track], true).await.expect("kept");
    assert!(store.track(track).await.expect("track").missing);
}

#[tokio::test]
async fn a_new_reading_has_a_new_version() {
    let (store, job, clip) = job_with_clip().await;
    assert_eq!(store.clip_versions(job).await.expect("versions"), [(clip, 1)]);
    let row = store.clip(clip).await.expect("clip");
    let again = ClipReading { duration: 5.0, ..reading() };
    store.clip_ready(&row, serde_json::json!({}), None, &again, None).await.expect("kept");
    let kept = store.clip_readings(&[clip, Uuid::now_v7()]).await.expect("readings");
    assert_eq!(kept.len(), 1);
    assert_eq!((kept[0].0, kept[0].1, kept[0].2.duration), (clip, 2, 5.0));
}

#[tokio::test]
async fn a_hand_off_goes_from_waiting_to_its_end() {
    let (store, job, _) = job_with_clip().await;
    let request = serde_json::json!({ "draft": Uuid::now_v7() });
    let good = store.add_handoff(job, "edl", "cut.edl", request.clone()).await.expect("asked");
    let bad = store.add_handoff(job, "mp4", "cut.mp4", request.clone()).await.expect("asked");
    let mut waiting = store.unfinished_handoffs().await.expect("list");
    waiting.sort();
    let mut wanted = vec![good, bad];
    wanted.sort();
    assert_eq!(waiting, wanted);
    let row = store.handoff(good).await.expect("row");
    store.handoff_progress(&row, 2, 7).await.expect("told");
    let row = store.handoff(good).await.expect("row");
    assert_eq!((row.state.as_str(), row.done, row.total, &row.request), ("making", 2, 7, &request));
    store.handoff_ended(&row, Some("file.edl"), "read back").await.expect("told");
    store.handoff_ended(&store.handoff(bad).await.expect("row"), None, "a clip is gone").await.expect("told");
    let rows = store.handoffs(job).await.expect("rows");
    let state = |id| rows.iter().find(|r| r.id == id).map(|r| (r.state.clone(), r.file.clone(), r.report.clone()));
    assert_eq!(state(good), Some(("ready".into(), Some("file.edl".into()), Some("read back".into()))));
    assert_eq!(state(bad), Some(("failed".into(), None, Some("a clip is gone".into()))));
    assert!(store.unfinished_handoffs().await.expect("list").is_empty());
    assert!(matches!(store.handoff(Uuid::now_v7()).await, Err(StoreError::Missing { what: "hand-off", .. })));
}

#[tokio::test]
async fn two_pages_that_edit_at_once_both_keep_their_edit() {
    let (store, job, clip) = job_with_clip().await;
    let select = store.selects(job).await.expect("selects").remove(0);
    assert_eq!(select.clip, clip);
    let edits = (0..12).map(|i| {
        let store = store.clone();
        let mut verdict = select.verdict.clone();
        verdict.note = format!("note {i}");
        async move { store.edit(job, &format!("edit {i}"), &[Put::Select(select.id, verdict)]).await }
    });
    for done in futures::future::join_all(edits).await {
        done.expect("kept");
    }
    // Each of them is in the journal, and all of them can be taken back.
    for _ in 0..12 {
        store.undo(job).await.expect("undone");
    }
    assert_eq!(store.select(select.id).await.expect("select").verdict, select.verdict);
    assert!(matches!(store.undo(job).await, Err(StoreError::NothingToUndo)));
}

#[tokio::test]
async fn what_a_person_says_of_a_track_lies_over_what_was_read_and_is_undone() {
    let (store, job, _) = job_with_clip().await;
    let id = store.add_track(job, "media", "music/a.wav", "a.wav", 10).await.expect("added").expect("new");
    let row = store.track(id).await.expect("the track");
    assert!(row.marks.is_empty() && row.reading.is_none() && row.about == About::default());
    let read = |kind| TrackReading {
        duration: 10.0,
        tempo_bpm: 120.0,
        sections: vec![Section::new(0.0, 10.0, kind, 50.0)],
        ..TrackReading::default()
    };
    let second = |n| Seconds::new(n, 1).expect("seconds");
    let part = Version::part(second(0), second(10), second(10)).expect("a part");
    let probe = serde_json::json!({ "title": "A", "artist": "Hollin", "genre": null });
    store.track_ready(&row, probe.clone(), &read(SectionKind::Groove), &part).await.expect("kept");

    let row = store.track(id).await.expect("the track");
    let edit = Edit::Kind { at: 1.0, kind: SectionKind::Drop };
    let marks = row.marks.edited(row.measured.as_ref().expect("read"), &edit).expect("marked");
    store.edit(job, edit.label(), &[Put::Marks(id, marks.clone())]).await.expect("kept");
    let said = About { mood: Some("tense".into()), ..About::default() };
    store.edit(job, "describe a track", &[Put::About(id, said.clone())]).await.expect("kept");

    let row = store.track(id).await.expect("the track");
    let kind = |r: &Option<TrackReading>| r.as_ref().expect("read").sections[0].kind;
    assert_eq!((kind(&row.reading), kind(&row.measured)), (SectionKind::Drop, SectionKind::Groove));
    assert_eq!((&row.marks, &row.about), (&marks, &said));
    let seen = row.about.over(row.probe.as_ref());
    assert_eq!((seen.title.as_deref(), seen.maker.as_deref(), seen.genre), (Some("A"), Some("Hollin"), None));
    // Read again, the marks stay.
    store.track_ready(&row, probe, &read(SectionKind::Intro), &part).await.expect("kept");
    assert_eq!(kind(&store.track(id).await.expect("the track").reading), SectionKind::Drop);

    assert_eq!(store.undo(job).await.expect("undone"), "describe a track");
    assert_eq!(store.undo(job).await.expect("undone"), "name a section");
    let row = store.track(id).await.expect("the track");
    assert!(row.marks.is_empty() && row.about == About::default());
    assert_eq!(kind(&row.reading), SectionKind::Intro);
    assert_eq!(store.redo(job).await.expect("done again"), "name a section");
    assert_eq!(store.track(id).await.expect("the track").marks, marks);
    // Everything as read again is nothing kept.
    store.edit(job, "start over", &[Put::Marks(id, Marks::default())]).await.expect("kept");
    assert!(store.track(id).await.expect("the track").marks.is_empty());
}

#[tokio::test]
async fn a_track_read_by_another_version_waits_again_with_what_it_has() {
    let (store, job, _) = job_with_clip().await;
    let id = store.add_track(job, "media", "music/a.wav", "a.wav", 10).await.expect("added").expect("new");
    let row = store.track(id).await.expect("the track");
    let whole = Seconds::new(10, 1).expect("seconds");
    let part = Version::part(Seconds::ZERO, whole, whole).expect("a part");
    let read = TrackReading { version: 3, duration: 10.0, ..TrackReading::default() };
    store.track_ready(&row, serde_json::json!({}), &read, &part).await.expect("kept");
    store.outdated_tracks_wait(3).await.expect("looked");
    assert!(store.unfinished_tracks().await.expect("tracks").is_empty());
    store.outdated_tracks_wait(4).await.expect("looked");
    assert_eq!(store.unfinished_tracks().await.expect("tracks"), [id]);
    assert_eq!(store.track(id).await.expect("the track").measured, Some(read));
}
