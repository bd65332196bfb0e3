//! What is gathered, read and asked for, on a real PostgreSQL.

mod world;

use legere_core::footage::{COLOURS, ClipReading, FaultKind, FrameSignature, TONES};
use legere_core::id::HandoffId;
use legere_core::select::Tier;
use legere_core::time::Seconds;
use legere_core::track::marks::{Edit, Marks, SectionEdit};
use legere_core::track::{Beat, Section, SectionKind, TrackReading, Version};
use legere_store::clips::{Clip, ClipAnnotations, Roll, State};
use legere_store::events::ChangedKind;
use legere_store::files::NewContent;
use legere_store::handoffs::{HandoffKind, HandoffState};
use legere_store::jobs::NewJob;
use legere_store::journal::Step;
use legere_store::tracks::{Track, TrackMetadata};
use legere_store::{Store, StoreError, sqlx, testing};
use uuid::Uuid;
use world::{World, by, file, identity, music, new_job, probe, reading, sound, until};

#[tokio::test]
async fn files_are_taken_in_once_and_a_reading_makes_the_first_select() {
    let World { store, job, clip, select } = World::new().await;
    let me = by(1, Step::Gather);
    let again =
        store.clips().import(job, me, "day one", "a", &[file("a/1.mp4"), file("a/2.mp4")]).await.expect("clips");
    assert_eq!(again.len(), 1, "the first is there already");
    assert_eq!(store.clips().of_job(job).await.expect("clips").whole.len(), 2);
    assert_eq!(store.rolls().of_job(job).await.expect("rolls").len(), 1);
    let row = store.selects().get(select).await.expect("the select");
    assert_eq!((row.clip, row.verdict.tier, row.movement.word()), (clip, Tier::Unread, "right"));
    assert_eq!(row.verdict.range.hit(), Seconds::new(3, 2).expect("s"));
    assert!((row.energy - reading().energy(0.5, 3.0)).abs() < 0.1);
    // A second reading leaves what the editor has.
    let row = store.clips().get(clip).await.expect("clip");
    store.clips().ready(&row, &identity(), &probe(), &reading(), None).await.expect("kept");
    assert_eq!(store.selects().of_job(job).await.expect("selects").whole.len(), 1);
    assert_eq!(store.clips().get(clip).await.expect("clip").state, State::Ready);
    assert_eq!(store.clips().unfinished().await.expect("list").len(), 1);
}

#[tokio::test]
async fn what_is_taken_out_is_gone_from_every_list_and_comes_back() {
    let World { store, job, clip, .. } = World::new().await;
    let me = by(1, Step::Gather);
    let seen = || async {
        let overview = store.jobs().overview(job, None).await.expect("overview");
        let (clips, selects) =
            (store.clips().of_job(job).await.expect("clips"), store.selects().of_job(job).await.expect("selects"));
        assert_eq!((overview.clips, overview.selects), (clips.whole.len(), selects.whole.len()));
        (clips.whole.len(), selects.whole.len())
    };
    assert_eq!(seen().await, (1, 1));
    let footage = store.jobs().footage_revision(job).await.expect("revision");
    let out = |c: Clip| Ok::<_, StoreError>(Clip { removed: true, ..c });
    store.edit(job, me, clip, None, "leave out", out).await.expect("out");
    assert_eq!(seen().await, (0, 0));
    assert!(store.jobs().footage_revision(job).await.expect("revision").clips > footage.clips);
    assert_eq!(store.clips().files(job).await.expect("clips").len(), 1);
    // Brought in again it is back, with what was said of it.
    let ids = store.clips().import(job, me, "day one", "a", &[file("a/1.mp4")]).await.expect("clips");
    assert!(ids.is_empty(), "it was read already");
    assert_eq!(seen().await, (1, 1));
    let roll = store.rolls().of_job(job).await.expect("rolls").remove(0).id;
    let out = |r: Roll| Ok::<_, StoreError>(Roll { removed: true, ..r });
    store.edit(job, me, roll, None, "leave out", out).await.expect("out");
    assert_eq!(seen().await, (0, 0));
    let back = |r: Roll| Ok::<_, StoreError>(Roll { removed: false, ..r });
    store.edit(job, me, roll, None, "bring back", back).await.expect("back");
    assert_eq!(seen().await, (1, 1));
}

#[tokio::test]
async fn impossible_jobs_are_refused_in_words() {
    let store = testing::fresh_store().await.expect("a database");
    let odd = "2398/100".parse().expect("a rate, but none of a job's");
    for bad in [
        NewJob { name: "  ".into(), ..new_job() },
        NewJob { width: 1919, ..new_job() },
        NewJob { target_seconds: Some(0.5), ..new_job() },
        NewJob { rate: odd, ..new_job() },
    ] {
        assert!(matches!(store.jobs().create(bad, by(1, Step::Start)).await, Err(StoreError::Refused(_))));
    }
    let named =
        store.jobs().create(NewJob { name: "a\0b".into(), ..new_job() }, by(1, Step::Start)).await.expect("a job");
    assert_eq!(store.jobs().get(named).await.expect("the job").name, "ab", "what no database keeps is left out");
    assert_eq!(store.jobs().all().await.expect("jobs").whole.len(), 1);
}

#[tokio::test]
async fn one_row_that_cannot_be_read_is_told_and_hides_no_other() {
    let World { store, job, clip, .. } = World::new().await;
    store.clips().import(job, by(1, Step::Gather), "day one", "a", &[file("a/2.mp4")]).await.expect("clips");
    let spoil = |what: &'static str| {
        let store = store.clone();
        async move {
            sqlx::query(what).bind(clip.uuid()).execute(store.pool()).await.expect("spoilt");
            let rows = store.clips().of_job(job).await.expect("the list");
            (rows.whole.len(), rows.broken.iter().map(|b| b.name.clone()).collect::<Vec<_>>())
        }
    };
    assert_eq!(spoil("UPDATE clip SET state = 'dreaming' WHERE id = $1").await, (1, vec!["1.mp4".to_owned()]));
    let words = store.clips().get(clip).await.expect_err("an error").to_string();
    assert_eq!(words, "a clip in the database has a word that is none: dreaming");
    assert_eq!(
        spoil("UPDATE clip SET state = 'ready', probe = '{}' WHERE id = $1").await,
        (1, vec!["1.mp4".to_owned()])
    );
    // It can be read again from its file.
    let broken = store.clips().of_job(job).await.expect("the list").broken;
    store.clips().mend(job, &broken).await.expect("mended");
    assert_eq!(store.clips().get(clip).await.expect("clip").state, State::Waiting);
    sqlx::query("UPDATE job SET rate = '0/0' WHERE id = $1")
        .bind(job.uuid())
        .execute(store.pool())
        .await
        .expect("spoilt");
    let jobs = store.jobs().all().await.expect("the list");
    assert_eq!(
        (jobs.whole.len(), jobs.broken[0].name.as_str()),
        (0, "The Long Hour"),
        "no rate in the place of what was"
    );
}

#[tokio::test]
async fn open_windows_hear_of_each_thing_once_it_is_there() {
    let World { store, job, clip, select } = World::new().await;
    let (heard, mut events) = tokio::sync::mpsc::unbounded_channel();
    let (ready, began) = tokio::sync::oneshot::channel();
    let listener = store.clone();
    let listening = tokio::spawn(async move {
        let began = || {
            let _ = ready.send(());
        };
        let each = move |event| {
            let _ = heard.send(event);
        };
        let _ = listener.listen(began, each).await;
    });
    began.await.expect("listening");
    let row = store.clips().get(clip).await.expect("clip");
    store.clips().progress(&row, State::Reading, 0.4).await.expect("stored");
    let event = events.recv().await.expect("an event");
    assert_eq!((event.job, event.kind, event.id, event.revision), (job, ChangedKind::Clip, clip.uuid(), None));
    let me = by(9, Step::Sift);
    let note = |mut s: legere_store::selects::Select| {
        s.verdict.note = "x".into();
        Ok::<_, StoreError>(s)
    };
    let kept = store.edit(job, me, select, None, "note", note).await.expect("kept");
    let event = events.recv().await.expect("an event");
    assert_eq!((event.kind, event.id), (ChangedKind::Select, select.uuid()));
    assert_eq!((event.revision, event.session), (Some(kept.revision), Some(me.session)));
    listening.abort();
}

#[tokio::test]
async fn trouble_and_absence_are_two_things() {
    let world = World::new().await;
    let (store, job, clip) = (&world.store, world.job, world.clip);
    let row = store.clips().get(clip).await.expect("clip");
    store.clips().failed(&row, "the file is cut short").await.expect("kept");
    store.clips().missing(job, &[clip], true).await.expect("kept");
    let row = store.clips().get(clip).await.expect("clip");
    assert_eq!((row.state, row.problem.as_deref(), row.missing), (State::Failed, Some("the file is cut short"), true));
    store.clips().missing(job, &[clip], false).await.expect("kept");
    let row = store.clips().get(clip).await.expect("clip");
    assert_eq!((row.problem.as_deref(), row.missing), (Some("the file is cut short"), false), "its own trouble stays");
    let track = world.track().await;
    store.tracks().missing(job, &[track], true).await.expect("kept");
    assert!(store.tracks().get(track).await.expect("track").missing);
}

#[tokio::test]
async fn nothing_of_a_replaced_file_is_left_where_nobody_has_said_anything() {
    let World { store, clip, select, .. } = World::new().await;
    let row = store.clips().get(clip).await.expect("clip");
    let kept = store.clips().reading(clip).await.expect("asked").map(|r| r.duration);
    assert_eq!((row.version, kept, row.digest.as_deref()), (1, Some(4.0), Some("abc")));
    // Nobody has said anything of it yet: the file that lies there now is read in its place.
    let other = NewContent::Unknown { bytes: 9, modified: identity().modified };
    let to_read = store.files().content_changed(&row, other, "def").await.expect("kept");
    assert_eq!(to_read, Some(clip.uuid()));
    let row = store.clips().get(clip).await.expect("clip");
    assert_eq!((row.state, row.version, row.probe.as_ref(), row.digest.as_ref()), (State::Waiting, 2, None, None));
    assert!(row.trace.is_empty() && store.clips().reading(clip).await.expect("asked").is_none());
    assert!(store.selects().get(select).await.is_ok());
    let again = ClipReading { duration: 5.0, ..reading() };
    store.clips().ready(&row, &identity(), &probe(), &again, None).await.expect("kept");
    assert_eq!(store.clips().get(clip).await.expect("clip").version, 3);
}

#[tokio::test]
async fn a_clip_that_was_read_in_another_way_is_read_anew_and_keeps_what_was_said() {
    let World { store, clip, job, select, .. } = World::new().await;
    let said = |clip: Clip| {
        let no_faults = [FaultKind::Shake].into();
        Ok::<_, StoreError>(Clip { annotations: ClipAnnotations { no_faults, ..clip.annotations.clone() }, ..clip })
    };
    store.edit(job, by(1, Step::Sift), clip, None, "not shaky", said).await.expect("said");
    store.clips().outdated_wait(0).await.expect("looked");
    assert_eq!(store.clips().get(clip).await.expect("clip").state, State::Ready, "read as it is read now");
    store.clips().outdated_wait(1).await.expect("looked");
    let row = store.clips().get(clip).await.expect("clip");
    assert_eq!(row.state, State::Waiting);
    assert!(!row.trace.is_empty(), "what was read stays until it is read again");
    assert_eq!(store.clips().unfinished().await.expect("listed"), [clip]);
    let look = FrameSignature { tones: vec![7; TONES.0 * TONES.1], colours: vec![-3; 2 * COLOURS.0 * COLOURS.1] };
    let again = ClipReading { version: 1, signatures: vec![look.clone(), look], ..reading() };
    store.clips().ready(&row, &identity(), &probe(), &again, None).await.expect("kept");
    store.clips().outdated_wait(1).await.expect("looked");
    let row = store.clips().get(clip).await.expect("clip");
    assert_eq!((row.state, row.signatures), (State::Ready, again.signatures));
    assert_eq!(row.annotations.no_faults, [FaultKind::Shake].into());
    assert!(store.selects().get(select).await.is_ok());
}

#[tokio::test]
async fn a_hand_off_goes_from_waiting_to_its_end() {
    let World { store, job, .. } = World::new().await;
    let request = serde_json::json!({ "list": [1, 2] });
    let good = store.handoffs().add(job, HandoffKind::Edl, "cut.edl", request.clone()).await.expect("asked");
    let bad = store.handoffs().add(job, HandoffKind::Mp4, "cut.mp4", request.clone()).await.expect("asked");
    let mut waiting = store.handoffs().unfinished().await.expect("list");
    waiting.sort();
    let mut wanted = vec![good, bad];
    wanted.sort();
    assert_eq!(waiting, wanted);
    let row = store.handoffs().get(good).await.expect("row");
    store.handoffs().progress(&row, 2, 7).await.expect("stored");
    let row = store.handoffs().get(good).await.expect("row");
    assert_eq!((row.state, row.done, row.total, &row.request), (HandoffState::Making, 2, 7, &request));
    store.handoffs().ended(&row, Some("file.edl"), "read back").await.expect("stored");
    store
        .handoffs()
        .ended(&store.handoffs().get(bad).await.expect("row"), None, "a clip is gone")
        .await
        .expect("stored");
    let rows = store.handoffs().of_job(job).await.expect("rows").whole;
    let state = |id| rows.iter().find(|r| r.id == id).map(|r| (r.state, r.file.clone(), r.report.clone()));
    assert_eq!(state(good), Some((HandoffState::Ready, Some("file.edl".into()), Some("read back".into()))));
    assert_eq!(state(bad), Some((HandoffState::Failed, None, Some("a clip is gone".into()))));
    assert!(store.handoffs().unfinished().await.expect("list").is_empty());
    let none = store.handoffs().get(HandoffId::from(Uuid::now_v7())).await;
    assert!(matches!(none, Err(StoreError::Missing { what: "hand-off", .. })));
}

#[tokio::test]
async fn what_a_person_says_of_a_track_lies_over_what_was_read_and_is_undone() {
    let world = World::new().await;
    let (store, job) = (&world.store, world.job);
    let me = by(3, Step::Listen);
    let id = world.track().await;
    let row = store.tracks().get(id).await.expect("the track");
    assert!(row.marks.is_empty() && row.summary.is_none() && row.about == TrackMetadata::default());
    let read = |kind| TrackReading {
        duration: 16.0,
        tempo_bpm: 120.0,
        beats: (0..32)
            .map(|i| Beat { at: f64::from(i) / 2.0, bar: i / 4 + 1, beat: i % 4 + 1, strength: 1.0 })
            .collect(),
        sections: vec![Section::new(0.0, 10.0, kind, 50.0)],
        ..TrackReading::default()
    };
    let second = |n| Seconds::new(n, 1).expect("seconds");
    let part = Version::part(second(0), second(10), second(10)).expect("a part");
    store.tracks().ready(&row, &identity(), &sound(), &read(SectionKind::Groove), &part).await.expect("kept");
    assert_eq!(store.jobs().get(job).await.expect("the job").chosen_track, Some(id), "the first is chosen");
    let measured = store.tracks().measured(id).await.expect("asked").expect("read");
    let edit = Edit::Sections(SectionEdit::Kind { at: 1.0, kind: SectionKind::Drop });
    let mark = |t: Track| {
        let marks = t.marks.edited(&measured, &edit).expect("marked");
        Ok::<_, StoreError>(Track { marks, ..t })
    };
    store.edit(job, me, id, None, edit.label(), mark).await.expect("kept");
    let said = TrackMetadata { mood: Some("tense".into()), ..TrackMetadata::default() };
    let say = |t: Track| Ok::<_, StoreError>(Track { about: said.clone(), ..t });
    store.edit(job, me, id, None, "describe a track", say).await.expect("kept");

    let row = store.tracks().get(id).await.expect("the track");
    assert_eq!(row.marks.over(&measured).sections[0].kind, SectionKind::Drop);
    let seen = row.about.over(row.probe.as_ref());
    assert_eq!((seen.title.as_deref(), seen.maker.as_deref(), seen.genre), (Some("A"), Some("Hollin"), None));
    // A person sets another part while the track is being read again: what they set stays.
    let mine = Version::part(second(1), second(9), second(10)).expect("a part");
    let choose = |t: Track| Ok::<_, StoreError>(Track { part: Some(mine.clone()), ..t });
    store.edit(job, me, id, None, "choose the part", choose).await.expect("kept");
    store.tracks().ready(&row, &identity(), &sound(), &read(SectionKind::Intro), &part).await.expect("kept");
    let row = store.tracks().get(id).await.expect("the track");
    assert_eq!((row.part.as_ref(), row.about.mood.as_deref()), (Some(&mine), Some("tense")));
    assert!(row.marks.sections.is_some());

    for label in ["choose the part", "describe a track", "name a section"] {
        assert_eq!(world.undo(me).await.expect("undone"), label);
    }
    let row = store.tracks().get(id).await.expect("the track");
    assert!(row.marks.is_empty() && row.about == TrackMetadata::default() && row.part == Some(part));
    assert_eq!(world.redo(me).await.expect("done again"), "name a section");
    // Everything as read again is nothing kept.
    let over = |t: Track| Ok::<_, StoreError>(Track { marks: Marks::default(), ..t });
    store.edit(job, me, id, None, "start over", over).await.expect("kept");
    assert!(store.tracks().get(id).await.expect("the track").marks.is_empty());
}

#[tokio::test]
async fn a_track_read_by_another_version_waits_again_with_what_it_has() {
    let world = World::new().await;
    let store = &world.store;
    let id = world.track().await;
    assert_eq!(
        store.tracks().import(world.job, by(1, Step::Gather), &music("music/a.wav")).await.expect("asked"),
        None
    );
    let row = store.tracks().get(id).await.expect("the track");
    let whole = Seconds::new(10, 1).expect("seconds");
    let part = Version::part(Seconds::ZERO, whole, whole).expect("a part");
    let read = TrackReading { version: 3, duration: 10.0, ..TrackReading::default() };
    store.tracks().ready(&row, &identity(), &sound(), &read, &part).await.expect("kept");
    store.tracks().outdated_wait(3).await.expect("looked");
    assert!(store.tracks().unfinished().await.expect("tracks").is_empty());
    store.tracks().outdated_wait(4).await.expect("looked");
    assert_eq!(store.tracks().unfinished().await.expect("tracks"), [id]);
    assert_eq!(store.tracks().measured(id).await.expect("asked"), Some(read));
}

#[tokio::test]
async fn two_programs_that_start_at_once_make_the_schema_once() {
    let url = testing::empty_url().await.expect("a database");
    let opened = futures::future::join_all((0..6).map(|_| Store::open(&url))).await;
    for store in opened {
        assert!(store.expect("open").jobs().all().await.expect("jobs").whole.is_empty());
    }
}

#[tokio::test]
async fn a_database_of_the_first_version_is_taken_over_with_all_that_is_in_it() {
    let url = testing::url_of_the_first_version().await.expect("a database");
    let pool = sqlx::PgPool::connect(&url).await.expect("connected");
    sqlx::raw_sql(include_str!("first_version.sql")).execute(&pool).await.expect("filled");
    pool.close().await;
    assert!(Store::is_behind(&url).await.expect("asked"));
    let store = Store::open(&url).await.expect("open");
    assert!(!Store::is_behind(&url).await.expect("asked"));
    store.clips().complete().await.expect("completed");
    store.tracks().complete().await.expect("completed");
    let job = store.jobs().all().await.expect("jobs").whole.remove(0);
    assert_eq!((job.name.as_str(), job.rate.words().as_str()), ("The Long Hour", "23.976"));
    let clips = store.clips().of_job(job.id).await.expect("clips");
    assert!(clips.broken.is_empty(), "{:?}", clips.broken);
    let probe = clips.whole[0].probe.clone().expect("a probe");
    assert_eq!(probe.timecode.map(|t| t.frames), Some(90_000), "an hour at 25");
    assert!(!clips.whole[0].trace.is_empty() && clips.whole[0].summary.sharpness > 0.0);
    let select = store.selects().of_job(job.id).await.expect("selects").whole.remove(0);
    assert_eq!((select.verdict.tier, select.movement.word()), (Tier::Hero, "right"));
    assert!(select.energy > 10.0);
    let draft = store.drafts().of_job(job.id).await.expect("drafts").whole.remove(0);
    assert_eq!(draft.body.cut.shots().len(), 2);
    let keyframes = &draft.body.cut.shots()[0].source.keyframes;
    assert_eq!(keyframes.iter().map(|k| (k.at, k.over, k.to.to_f64())).collect::<Vec<_>>(), [(6, 4, 2.0)]);
    assert_eq!(store.drafts().notes(draft.id).await.expect("notes")[0].words, "late");
    let track = store.tracks().of_job(job.id).await.expect("tracks").whole.remove(0);
    assert_eq!(track.summary.map(|s| s.duration), Some(20.0));
    // And what was a denominator that could be kept but not read is on the grid now.
    assert!((draft.body.cut.shots()[1].source.start.to_f64() - 1.000_000_01).abs() < 1e-8);
}

#[tokio::test]
async fn nobody_enters_without_a_password_and_a_stopped_server_comes_back() {
    let folder = tempfile::tempdir().expect("a folder");
    let server = testing::Restartable::start(folder.path()).expect("a server");
    let url = server.url();
    let store = Store::open(&url).await.expect("open");
    let mut parsed = url::Url::parse(&url).expect("a url");
    parsed.set_password(Some("guess")).expect("set");
    assert!(sqlx::PgPool::connect(parsed.as_str()).await.is_err(), "a wrong password");
    parsed.set_password(None).expect("set");
    assert!(sqlx::PgPool::connect(parsed.as_str()).await.is_err(), "none");
    let own: bool = sqlx::query_scalar("SELECT rolsuper FROM pg_roles WHERE rolname = current_user")
        .fetch_one(store.pool())
        .await
        .expect("asked");
    assert!(!own, "the role is no superuser");
    let sums: String = sqlx::query_scalar("SHOW data_checksums").fetch_one(store.pool()).await.expect("asked");
    assert_eq!(sums, "on");
    let mode = std::fs::metadata(folder.path().join("passwords.json")).expect("there").permissions();
    assert_eq!(std::os::unix::fs::PermissionsExt::mode(&mode) & 0o777, 0o600);
    let job = store.jobs().create(new_job(), by(1, Step::Start)).await.expect("a job");
    let second = testing::Restartable::start(folder.path()).err().expect("refused").to_string();
    assert!(second.contains("in use by another Legere"), "{second}");
    server.kill().expect("killed");
    until("it is back", async || store.jobs().get(job).await.is_ok()).await;
}

#[tokio::test]
async fn a_dump_brings_back_what_was_there_and_a_broken_one_changes_nothing() {
    let folder = tempfile::tempdir().expect("a folder");
    let server = testing::Restartable::start(folder.path()).expect("a server");
    let store = Store::open(&server.url()).await.expect("open");
    store.jobs().create(new_job(), by(1, Step::Start)).await.expect("a job");
    let file = folder.path().join("dump");
    legere_store::dump::dump(&server.url(), &file).expect("dumped");
    store.jobs().create(NewJob { name: "Later".into(), ..new_job() }, by(1, Step::Start)).await.expect("a job");
    store.pool().close().await;
    let broken = folder.path().join("broken");
    let bytes = std::fs::read(&file).expect("the dump");
    std::fs::write(&broken, &bytes[..bytes.len() / 2]).expect("written");
    assert!(server.cluster().restore(&broken).is_err());
    let store = Store::open(&server.url()).await.expect("open");
    assert_eq!(store.jobs().all().await.expect("jobs").whole.len(), 2, "as it was");
    store.pool().close().await;
    server.cluster().restore(&file).expect("restored");
    let store = Store::open(&server.url()).await.expect("open");
    let names: Vec<String> = store.jobs().all().await.expect("jobs").whole.into_iter().map(|j| j.name).collect();
    assert_eq!(names, ["The Long Hour"]);
}
