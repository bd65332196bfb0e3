//! The journal on a real PostgreSQL: nothing that was acknowledged is lost, nobody takes back what another did.

mod world;

use legere_core::draft::{Between, Edit, Pause, Pin, Shot, Source, Speed, SpeedKeyframe, Stop, TimeFrom};
use legere_core::id::{DraftId, NoteId, SessionId, ShotId};
use legere_core::select::{Mark, Tag, Tier};
use legere_core::time::{FrameLen, FrameShift, Seconds};
use legere_store::drafts::{DraftBody, Note, StoredDraft};
use legere_store::jobs::Job;
use legere_store::journal::{By, Revision, Step};
use legere_store::selects::Select;
use legere_store::{Store, StoreError, testing};
use proptest::prelude::*;
use world::{World, body, by};

fn tag(text: &str) -> Tag {
    Tag::try_from(text.to_owned()).expect("a tag")
}

async fn judged(
    world: &World,
    by: By,
    base: Option<Revision>,
    label: &str,
    judge: impl Fn(&mut Select) + Send + Sync,
) -> Result<Select, StoreError> {
    let edit = |mut select: Select| {
        judge(&mut select);
        Ok(select)
    };
    world.store.edit::<Select, StoreError>(world.job, by, world.select, base, label, edit).await
}

async fn cut(
    store: &Store,
    world_job: legere_core::id::JobId,
    by: By,
    draft: DraftId,
    base: Option<Revision>,
    edit: &Edit,
) -> Result<(), StoreError> {
    cut_as(store, world_job, by, draft, base, edit, edit.coalesce_key().as_deref()).await
}

/// `key`: what edits become one step to undo with.
async fn cut_as(
    store: &Store,
    world_job: legere_core::id::JobId,
    by: By,
    draft: DraftId,
    base: Option<Revision>,
    edit: &Edit,
    key: Option<&str>,
) -> Result<(), StoreError> {
    let mut under_way = store.begin_edit(world_job, by).await?;
    let kept: StoredDraft = under_way.load(draft).await?;
    let next = kept.body.cut.apply(edit).map_err(|e| StoreError::Refused(e.to_string()))?;
    let next = StoredDraft { body: DraftBody { cut: next, ..kept.body.clone() }, ..kept.clone() };
    under_way.put(&kept, &next, base).await?;
    under_way.commit(edit.label(), key).await.map(drop)
}

#[tokio::test(flavor = "multi_thread")]
async fn twelve_windows_pin_twelve_shots_at_once_and_all_are_pinned() {
    let world = World::new().await;
    let draft = world.draft(12).await;
    let seen = world.store.drafts().get(draft).await.expect("the draft").revision;
    let edits = (0..12u128).map(|i| {
        let store = world.store.clone();
        let job = world.job;
        tokio::spawn(async move {
            let pin = Edit::Pin { shot: ShotId::from_u128(i + 1), pin: Pin::Whole };
            cut(&store, job, by(i + 10, Step::Arrange), draft, Some(seen), &pin).await
        })
    });
    for done in futures::future::join_all(edits).await {
        done.expect("no panic").expect("kept");
    }
    let kept = world.store.drafts().get(draft).await.expect("the draft");
    assert!(kept.body.cut.shots().iter().all(Shot::pinned), "{kept:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_tag_from_one_window_and_a_tier_from_another_at_the_same_instant_both_stay() {
    let world = World::new().await;
    let seen = world.select().await.revision;
    let (one, two, three) = tokio::join!(
        judged(&world, by(1, Step::Sift), Some(seen), "tag", |s| s.verdict.toggle(tag("own:brass"))),
        judged(&world, by(2, Step::Sift), Some(seen), "hero", |s| s.verdict.tier = Tier::Hero),
        judged(&world, by(3, Step::Sift), Some(seen), "tag", |s| s.verdict.toggle(tag("framing:close"))),
    );
    assert!(one.is_ok() && two.is_ok() && three.is_ok());
    let select = world.select().await;
    assert_eq!(select.verdict.tier, Tier::Hero);
    assert_eq!(select.verdict.tags.len(), 2);
}

#[tokio::test]
async fn the_same_thing_said_otherwise_by_two_windows_is_refused_to_the_second() {
    let world = World::new().await;
    let (me, other) = (by(1, Step::Sift), by(2, Step::Sift));
    let seen = world.select().await.revision;
    let hero = judged(&world, other, Some(seen), "hero", |s| s.verdict.tier = Tier::Hero).await.expect("kept");
    let refused = judged(&world, me, Some(seen), "out", |s| s.verdict.tier = Tier::Out).await;
    assert!(matches!(refused, Err(StoreError::MovedOn)), "{refused:?}");
    assert_eq!(world.select().await.verdict.tier, Tier::Hero);
    // Who has seen it may change it, and one's own changes since are no surprise.
    judged(&world, me, Some(hero.revision), "out", |s| s.verdict.tier = Tier::Out).await.expect("kept");
    judged(&world, me, Some(hero.revision), "spare", |s| s.verdict.tier = Tier::Spare).await.expect("kept");
    // Two framings are two answers to one question; two own words are not.
    judged(&world, other, None, "wide", |s| s.verdict.toggle(tag("framing:wide"))).await.expect("kept");
    let close = judged(&world, me, Some(hero.revision), "close", |s| s.verdict.toggle(tag("framing:close"))).await;
    assert!(matches!(close, Err(StoreError::MovedOn)));
}

#[tokio::test]
async fn everything_is_undone_and_done_again_in_order_also_after_a_restart() {
    let url = testing::fresh_url().await.expect("a database");
    let world = World::in_store(Store::open(&url).await.expect("open")).await;
    let me = by(7, Step::Sift);
    let mut states = vec![world.select().await.verdict];
    let s = |n| Seconds::new(n, 1).expect("s");
    judged(&world, me, None, "step 0", |x| x.verdict.tier = Tier::Hero).await.expect("kept");
    states.push(world.select().await.verdict);
    judged(&world, me, None, "step 1", |x| x.verdict.toggle(tag("framing:close"))).await.expect("kept");
    states.push(world.select().await.verdict);
    let energy = world.select().await.energy;
    let range = states[0].range.with(Mark::In, s(1), s(4)).expect("a range");
    judged(&world, me, None, "step 2", |x| x.verdict.range = range).await.expect("kept");
    states.push(world.select().await.verdict);
    assert!(world.select().await.energy > energy, "the energy is that of the range");
    let World { job, clip, select, .. } = world;
    let world = World { store: Store::open(&url).await.expect("open again"), job, clip, select };
    let history = world.store.history(job, me).await.expect("history");
    assert_eq!((history.undo.as_deref(), history.redo), (Some("step 2"), None));
    for (i, state) in states.iter().enumerate().rev().skip(1) {
        assert_eq!(world.undo(me).await.expect("undo"), format!("step {i}"));
        assert_eq!(&world.select().await.verdict, state);
    }
    assert_eq!(world.select().await.energy, energy);
    assert!(matches!(world.undo(me).await, Err(StoreError::NothingToUndo)));
    for state in &states[1..] {
        world.redo(me).await.expect("redo");
        assert_eq!(&world.select().await.verdict, state);
    }
    assert!(matches!(world.redo(me).await, Err(StoreError::NothingToRedo)));
    // A new edit after an undo ends the old future.
    world.undo(me).await.expect("undo");
    judged(&world, me, None, "out", |x| x.verdict.tier = Tier::Out).await.expect("kept");
    assert!(matches!(world.redo(me).await, Err(StoreError::NothingToRedo)));
    assert_eq!(world.undo(me).await.expect("undo"), "out");
    assert_eq!(world.undo(me).await.expect("undo"), "step 1");
}

#[tokio::test]
async fn undo_is_a_windows_own_and_a_steps_own() {
    let world = World::new().await;
    let draft = world.draft(4).await;
    let (a, b) = (by(21, Step::Arrange), by(22, Step::Arrange));
    let pin = |i| Edit::Pin { shot: ShotId::from_u128(i), pin: Pin::Whole };
    let pinned = || async {
        let shots = world.store.drafts().get(draft).await.expect("the draft").body.cut;
        shots.shots().iter().map(Shot::pinned).collect::<Vec<bool>>()
    };
    for (who, shot) in [(a, 1), (b, 2), (a, 3), (b, 4)] {
        cut(&world.store, world.job, who, draft, None, &pin(shot)).await.expect("kept");
    }
    judged(&world, by(21, Step::Sift), None, "hero", |s| s.verdict.tier = Tier::Hero).await.expect("kept");
    // A's undo in Arrange takes A's pins only, and neither B's nor A's verdict in Sift.
    assert_eq!(world.undo(a).await.expect("undo"), "pin");
    assert_eq!(pinned().await, [true, true, false, true]);
    assert_eq!(world.undo(b).await.expect("undo"), "pin");
    assert_eq!(pinned().await, [true, true, false, false]);
    world.undo(a).await.expect("undo");
    assert!(matches!(world.undo(a).await, Err(StoreError::NothingToUndo)));
    assert_eq!(pinned().await, [false, true, false, false]);
    assert_eq!(world.select().await.verdict.tier, Tier::Hero);
    // B edits on; A can still do again what it took back.
    cut(&world.store, world.job, b, draft, None, &pin(4)).await.expect("kept");
    world.redo(a).await.expect("redo");
    world.redo(a).await.expect("redo");
    assert_eq!(pinned().await, [true, true, true, true]);
}

#[tokio::test]
async fn what_another_window_changed_since_is_not_overwritten_and_jams_nothing() {
    let world = World::new().await;
    let (a, b) = (by(31, Step::Sift), by(32, Step::Sift));
    judged(&world, a, None, "tag brass", |s| s.verdict.toggle(tag("own:brass"))).await.expect("kept");
    judged(&world, a, None, "hero", |s| s.verdict.tier = Tier::Hero).await.expect("kept");
    judged(&world, b, None, "out", |s| s.verdict.tier = Tier::Out).await.expect("kept");
    let error = world.undo(a).await.expect_err("overtaken");
    assert_eq!(
        error.to_string(),
        "“hero” stays: what it changed was changed again in another window since; the one before it is “tag brass”"
    );
    assert_eq!(world.select().await.verdict.tier, Tier::Out, "B's word stays");
    assert_eq!(world.undo(a).await.expect("the one before"), "tag brass");
    assert!(world.select().await.verdict.tags.is_empty());
    assert_eq!(world.undo(b).await.expect("undo"), "out");
    assert_eq!(world.select().await.verdict.tier, Tier::Hero);
}

#[tokio::test]
async fn nudges_within_a_second_are_one_to_undo_and_each_of_them_counts() {
    let world = World::new().await;
    let draft = world.draft(3).await;
    let me = by(41, Step::Arrange);
    let nudge = |by| Edit::MoveCut { shot: ShotId::from_u128(1), by: FrameShift::new(by) };
    let first_len = || async { world.store.drafts().get(draft).await.expect("draft").body.cut.shots()[0].len };
    for _ in 0..9 {
        cut(&world.store, world.job, me, draft, None, &nudge(1)).await.expect("kept");
    }
    assert_eq!(first_len().await, FrameLen::new(33));
    let slip = Edit::Slip { shot: ShotId::from_u128(2), by: FrameShift::new(3) };
    cut(&world.store, world.job, me, draft, None, &slip).await.expect("kept");
    cut(&world.store, world.job, me, draft, None, &nudge(2)).await.expect("kept");
    assert_eq!(world.undo(me).await.expect("undo"), "move the cut");
    assert_eq!(first_len().await, FrameLen::new(33), "another nudge, behind something else");
    assert_eq!(world.undo(me).await.expect("undo"), "other part of the clip");
    assert_eq!(world.undo(me).await.expect("undo"), "move the cut");
    assert_eq!(world.store.drafts().get(draft).await.expect("draft").body, body(3));
    world.redo(me).await.expect("redo");
    assert_eq!(first_len().await, FrameLen::new(33));
    // Slowly pressed keys are apart.
    cut(&world.store, world.job, me, draft, None, &nudge(1)).await.expect("kept");
    let old = "UPDATE journal SET at = at - interval '2 seconds'";
    legere_store::sqlx::query(old).execute(world.store.pool()).await.expect("aged");
    cut(&world.store, world.job, me, draft, None, &nudge(1)).await.expect("kept");
    world.undo(me).await.expect("undo");
    assert_eq!(first_len().await, FrameLen::new(34));
}

#[tokio::test]
async fn making_naming_and_deleting_are_undone_too() {
    let world = World::new().await;
    let draft = world.draft(3).await;
    let me = by(1, Step::Arrange);
    let named = |name: Option<&str>| {
        let name = name.map(str::to_owned);
        move |d: StoredDraft| Ok::<_, StoreError>(StoredDraft { name: name.clone(), ..d })
    };
    world.store.edit(world.job, me, draft, None, "name the draft", named(Some("loud"))).await.expect("kept");
    let removed = |d: StoredDraft| Ok::<_, StoreError>(StoredDraft { removed: true, ..d });
    world.store.edit(world.job, me, draft, None, "delete the draft", removed).await.expect("kept");
    assert!(matches!(world.store.drafts().get(draft).await, Err(StoreError::Missing { what: "draft", .. })));
    assert!(world.store.drafts().lines(world.job).await.expect("lines").is_empty());
    world.undo(me).await.expect("undo");
    let line = world.store.drafts().lines(world.job).await.expect("lines").remove(0);
    assert_eq!((line.title.as_str(), line.shots), ("loud", 3));
    world.undo(me).await.expect("undo");
    assert_eq!(world.store.drafts().get(draft).await.expect("draft").title(), "draft 1");
    assert_eq!(world.undo(me).await.expect("undo"), "lay a draft");
    assert!(world.store.drafts().lines(world.job).await.expect("lines").is_empty());
    for _ in 0..2 {
        world.redo(me).await.expect("redo");
    }
    assert_eq!(world.store.drafts().get(draft).await.expect("draft").title(), "loud");
    // Numbers are not given twice, also by two windows at once.
    let (two, three) = tokio::join!(world.draft(1), world.draft(1));
    let mut got = Vec::new();
    for id in [two, three, draft] {
        got.push(world.store.drafts().get(id).await.expect("a draft").number);
    }
    got.sort_unstable();
    assert_eq!(got, [1, 2, 3]);
    // A job and what was brought in go and come back as well.
    let start = by(1, Step::Start);
    let gone = |j: Job| Ok::<_, StoreError>(Job { removed: true, ..j });
    world.store.edit(world.job, start, world.job, None, "delete the job", gone).await.expect("kept");
    assert!(world.store.jobs().all().await.expect("jobs").whole.is_empty());
    assert_eq!(world.store.jobs().removed().await.expect("jobs").whole.len(), 1);
    world.undo(start).await.expect("undo");
    assert_eq!(world.store.jobs().all().await.expect("jobs").whole.len(), 1);
    assert_eq!(world.undo(by(1, Step::Gather)).await.expect("undo"), "bring in");
    assert!(world.store.clips().of_job(world.job).await.expect("clips").whole.is_empty());
    assert!(world.store.selects().of_job(world.job).await.expect("selects").whole.is_empty());
    world.redo(by(1, Step::Gather)).await.expect("redo");
    assert_eq!(world.store.selects().of_job(world.job).await.expect("selects").whole.len(), 1);
}

#[tokio::test]
async fn notes_come_and_go_with_undo_and_belong_to_a_draft_of_the_job() {
    let world = World::new().await;
    let draft = world.draft(3).await;
    let me = by(1, Step::Watch);
    let mut edit = world.store.begin_edit(world.job, me).await.expect("begun");
    let id: NoteId = edit.add_note(draft, 12, "late".into()).await.expect("a note");
    edit.commit("note", None).await.expect("kept");
    let gone = |n: Note| Ok::<_, StoreError>(Note { removed: true, ..n });
    world.store.edit(world.job, me, id, None, "remove the note", gone).await.expect("kept");
    assert!(world.store.drafts().notes(draft).await.expect("notes").is_empty());
    world.undo(me).await.expect("undo");
    assert_eq!(world.store.drafts().notes(draft).await.expect("notes")[0].words, "late");
    world.undo(me).await.expect("undo");
    assert!(world.store.drafts().notes(draft).await.expect("notes").is_empty());
    let mut edit = world.store.begin_edit(world.job, me).await.expect("begun");
    assert!(edit.add_note(DraftId::from_u128(5), 1, "x".into()).await.is_err());
    drop(edit);
    assert_eq!(world.redo(me).await.expect("a refused edit leaves the journal alone"), "note");
    let other = world.store.jobs().create(world::new_job(), me).await.expect("a job");
    let edit = world.store.begin_edit(other, me).await.expect("begun");
    assert!(matches!(edit.load::<Note>(id).await, Err(StoreError::Missing { what: "note", .. })));
}

#[tokio::test]
async fn a_full_disk_is_said_and_nothing_is_half_done() {
    let world = World::new().await;
    let me = by(1, Step::Sift);
    let run = async |sql: &'static str| {
        legere_store::sqlx::raw_sql(sql).execute(world.store.pool()).await.expect("as the database does it")
    };
    // PostgreSQL's own code for it, at the last of what an edit writes.
    run("CREATE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS \
         $$ BEGIN RAISE EXCEPTION 'No space left on device' USING ERRCODE = '53100'; END $$; \
         CREATE TRIGGER full_disk BEFORE INSERT ON change FOR EACH ROW EXECUTE FUNCTION full_disk()")
    .await;
    let before = world.select().await;
    let refused = judged(&world, me, None, "hero", |s| s.verdict.tier = Tier::Hero).await;
    assert!(matches!(refused, Err(StoreError::DiskFull)), "{refused:?}");
    assert_eq!(world.select().await.verdict.tier, before.verdict.tier);
    run("DROP TRIGGER full_disk ON change").await;
    judged(&world, me, None, "hero", |s| s.verdict.tier = Tier::Hero).await.expect("there is room again");
    world.store.pool().close().await;
    let away = legere_store::sqlx::Error::PoolTimedOut;
    assert!(matches!(StoreError::from(away), StoreError::Away));
}

#[tokio::test]
async fn history_is_bounded() {
    let world = World::new().await;
    let me = by(1, Step::Sift);
    // As if somebody had worked for weeks.
    let many = "INSERT INTO journal (id, job_id, session, owner, step, kind, label, undo_group) \
                SELECT nextval('revision'), $1, $2, $2, 'sift', 'do', 'old', currval('revision') FROM generate_series(1, 6000)";
    let filling = legere_store::sqlx::query(many).bind(world.job.uuid()).bind(me.session.uuid());
    filling.execute(world.store.pool()).await.expect("filled");
    for i in 0..64 {
        let tier = if i % 2 == 0 { Tier::Hero } else { Tier::Out };
        judged(&world, me, None, "new", |s| s.verdict.tier = tier).await.expect("kept");
    }
    let count = legere_store::sqlx::query_scalar("SELECT count(*) FROM journal");
    let count: i64 = count.fetch_one(world.store.pool()).await.expect("counted");
    assert!((5000..5064).contains(&count), "{count}");
}

#[test]
fn a_draft_from_before_there_were_passages_is_read() {
    let now = body(3);
    let mut old = serde_json::to_value(&now).expect("json");
    let fields = old.as_object_mut().expect("an object");
    let passage = fields.remove("score").expect("a score")[0].clone();
    fields.insert("track".into(), passage["track"].clone());
    fields.insert("version".into(), passage["version"].clone());
    let read: legere_store::drafts::DraftBody = serde_json::from_value(old).expect("it reads");
    assert_eq!(read, now);
}

/// One edit of each kind, each possible on a fresh draft of five shots of 24 frames.
fn every_edit() -> Vec<Edit> {
    let shot = ShotId::from_u128;
    let by = FrameShift::new;
    let second = |n| Seconds::new(n, 1).expect("seconds");
    let speed = |percent| Speed::new(percent, 100).expect("a speed");
    let new = |id: u128, len| {
        let source = Source::plain(
            legere_core::id::SelectId::from_u128(9),
            legere_core::id::ClipId::from_u128(9),
            second(3),
            second(60),
        );
        Shot { id: shot(id), len: FrameLen::new(len), source, hit_at: None, pause: None, pin: Pin::Open, held: false }
    };
    let keyframes = vec![SpeedKeyframe::new(6, 4, speed(200))];
    let pause = Pause { len: FrameLen::new(6), stop: Stop::Held, missing: FrameLen::new(0) };
    let (from, whole) = (legere_core::time::FramePos::new(40), TimeFrom::Whole);
    vec![
        Edit::MoveCut { shot: shot(1), by: by(3) },
        Edit::TrimEnd { shot: shot(1), by: by(-4), from: whole },
        Edit::TrimStart { shot: shot(2), by: by(4), from: whole },
        Edit::Slip { shot: shot(1), by: by(5) },
        Edit::Slide { shot: shot(2), by: by(5) },
        Edit::Split { shot: shot(1), at: FrameLen::new(10), second: shot(70) },
        Edit::Remove { shot: shot(2), from: whole },
        Edit::Insert { new: new(71, 12), before: Some(shot(3)), from: whole },
        Edit::Exchange { shot: shot(1), with: shot(4) },
        Edit::Move { shot: shot(1), before: None },
        Edit::PutHit { shot: shot(1), at: 5, hit: second(22) },
        Edit::SetSpeed { shot: shot(1), speed: speed(50) },
        Edit::SetTime { shot: shot(1), start: Some(second(10)), speed: speed(80), keyframes },
        Edit::Reverse { shot: shot(1) },
        Edit::Hold { shot: shot(1), at: 5, len: FrameLen::new(6) },
        Edit::SetBetween { shot: shot(1), between: Between::Blend },
        Edit::PauseOver { from, len: FrameLen::new(12), stop: Stop::Black, rest: shot(72) },
        Edit::SetPause { shot: shot(1), pause: Some(pause) },
        Edit::Overwrite { from, shots: vec![new(73, 14), new(74, 15)], rest: shot(75) },
        Edit::Pin { shot: shot(1), pin: Pin::Ends },
        Edit::Keep { from, to: legere_core::time::FramePos::new(90), on: true },
        Edit::Replace { shot: shot(1), source: new(76, 24).source, hit_at: Some(3) },
    ]
}

#[tokio::test(flavor = "multi_thread")]
async fn every_edit_is_taken_back_and_done_again_exactly() {
    let world = World::new().await;
    let draft = world.draft(5).await;
    let me = by(3, Step::Arrange);
    let now = async || world.store.drafts().get(draft).await.expect("the draft").body;
    for edit in every_edit() {
        let before = now().await;
        cut(&world.store, world.job, me, draft, None, &edit).await.unwrap_or_else(|e| panic!("{edit:?}: {e}"));
        let after = now().await;
        assert_ne!(after, before, "{edit:?} does something");
        assert_eq!(world.undo(me).await.expect("undone"), edit.label());
        assert_eq!(now().await, before, "{edit:?}");
        world.redo(me).await.expect("redone");
        assert_eq!(now().await, after, "{edit:?}");
        world.undo(me).await.expect("undone");
        assert_eq!(now().await, before, "{edit:?}");
    }
}

/// What a window does in the property test.
#[derive(Debug, Clone)]
enum Act {
    Cut { shot: u128, by: i64 },
    Slip { shot: u128, by: i64 },
    Pin { shot: u128, on: bool },
    SpeedKeyframe { shot: u128, at: i64, percent: i64 },
    Reverse { shot: u128 },
    Pause { shot: u128, len: u64 },
    Undo,
    Redo,
}

fn acts() -> impl Strategy<Value = Vec<(bool, Act)>> {
    let act = prop_oneof![
        (1u128..6, -6i64..6).prop_map(|(shot, by)| Act::Cut { shot, by }),
        (1u128..6, -6i64..6).prop_map(|(shot, by)| Act::Slip { shot, by }),
        (1u128..6, any::<bool>()).prop_map(|(shot, on)| Act::Pin { shot, on }),
        (1u128..6, 0i64..20, 5i64..300).prop_map(|(shot, at, percent)| Act::SpeedKeyframe { shot, at, percent }),
        (1u128..6).prop_map(|shot| Act::Reverse { shot }),
        (1u128..6, 0u64..12).prop_map(|(shot, len)| Act::Pause { shot, len }),
        Just(Act::Undo),
        Just(Act::Redo),
    ];
    proptest::collection::vec((any::<bool>(), act), 1..40)
}

/// Everything of a draft, field by field, for comparing who changed what.
fn fields(draft: &StoredDraft) -> std::collections::BTreeMap<String, serde_json::Value> {
    use legere_store::journal::Editable;
    draft.fields().expect("fields")
}

/// Who made the changes that are in effect, part by part, the latest last.
#[derive(Default)]
struct Owners {
    of: std::collections::BTreeMap<String, Vec<SessionId>>,
    /// How many changes were in effect when a window took back its own.
    left: std::collections::BTreeMap<(String, SessionId), usize>,
}

impl Owners {
    fn changed(&mut self, part: String, by: SessionId, undo: bool, redo: bool) {
        let owners = self.of.entry(part.clone()).or_default();
        if undo {
            assert_eq!(owners.pop(), Some(by), "{part} was the other's");
            self.left.insert((part, by), owners.len());
            return;
        }
        if redo {
            let left = self.left.get(&(part.clone(), by)).expect("it was taken back");
            assert!(owners.len() <= *left || owners[*left..].iter().all(|o| *o == by), "{part} is the other's now");
        }
        owners.push(by);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// Any interleaving of edits, undos and redos of two windows leaves a valid draft of the same length, and no undo or
    /// redo of the one changes a part that the other changed last and has not taken back.
    #[test]
    fn two_windows_never_take_back_each_others_work(acts in acts()) {
        let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().expect("a runtime");
        runtime.block_on(async {
            let world = World::new().await;
            let draft = world.draft(5).await;
            let windows = [by(51, Step::Arrange), by(52, Step::Arrange)];
            let mut owners = Owners::default();
            let total = body(5).cut.len();
            for (second, act) in acts {
                let me = windows[usize::from(second)];
                let before = fields(&world.store.drafts().get(draft).await.expect("draft"));
                let shot = ShotId::from_u128;
                let (edit, replay) = match act {
                    Act::Cut { shot: s, by } => (Some(Edit::MoveCut { shot: shot(s), by: FrameShift::new(by) }), false),
                    Act::Slip { shot: s, by } => (Some(Edit::Slip { shot: shot(s), by: FrameShift::new(by) }), false),
                    Act::Pin { shot: s, on } => {
                        let pin = if on { Pin::Whole } else { Pin::Open };
                        (Some(Edit::Pin { shot: shot(s), pin }), false)
                    },
                    Act::SpeedKeyframe { shot: s, at, percent } => {
                        let keyframes = vec![SpeedKeyframe::new(at, 4, Speed::new(percent, 100).expect("a speed"))];
                        (Some(Edit::SetTime { shot: shot(s), start: None, speed: Speed::NORMAL, keyframes }), false)
                    }
                    Act::Reverse { shot: s } => (Some(Edit::Reverse { shot: shot(s) }), false),
                    Act::Pause { shot: s, len } => {
                        let pause = Some(Pause { len: FrameLen::new(len), stop: Stop::Black, missing: FrameLen::new(0) });
                        (Some(Edit::SetPause { shot: shot(s), pause }), false)
                    }
                    Act::Undo => (None, false),
                    Act::Redo => (None, true),
                };
                let undone = edit.is_none() && !replay;
                let _ = match edit {
                    // Each is a step of its own: how many become one depends on how quickly they follow.
                    Some(edit) => cut_as(&world.store, world.job, me, draft, None, &edit, None).await,
                    None if replay => world.redo(me).await.map(drop),
                    None => world.undo(me).await.map(drop),
                };
                let now = world.store.drafts().get(draft).await.expect("the draft is there");
                assert_eq!(now.body.cut.len(), total);
                let after = fields(&now);
                for (part, value) in after {
                    if before.get(&part) != Some(&value) {
                        owners.changed(part, me.session, undone, replay);
                    }
                }
            }
            world.store.pool().close().await;
        });
    }
}
