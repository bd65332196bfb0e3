//! What must hold when several windows, workers and persons meet: whose undo it is, what is asked for twice, who waits for
//! whom.

mod world;

use legere_core::id::{ClipId, PersonId, SessionId};
use legere_core::select::Tier;
use legere_core::track::SoundKind;
use legere_store::clips::{Clip, ClipAnnotations};
use legere_store::files::NewContent;
use legere_store::jobs::Job;
use legere_store::journal::{By, Step};
use legere_store::queue::{Delivery, Outcome, Work};
use legere_store::selects::Select;
use legere_store::tracks::Track;
use legere_store::{StoreError, sqlx, testing};
use std::collections::BTreeSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use tokio::sync::Semaphore;
use world::{World, by, file, identity, probe, reading, until};

/// A window of a person.
fn window(person: u128, session: u128, step: Step) -> By {
    By { person: PersonId::from_u128(person), session: SessionId::from_u128(session), step }
}

async fn tier(world: &World, by: By, base: Option<i64>, tier: Tier) -> Result<Select, StoreError> {
    let edit = |mut s: Select| {
        s.verdict.tier = tier;
        Ok::<_, StoreError>(s)
    };
    world.store.edit(world.job, by, world.select, base, tier.word(), edit).await
}

#[tokio::test]
async fn undo_is_the_persons_in_another_window_of_theirs_too() {
    let world = World::new().await;
    tier(&world, window(1, 11, Step::Sift), None, Tier::Hero).await.expect("kept");
    // The browser was closed: another window, the same person.
    let next_day = window(1, 12, Step::Sift);
    assert_eq!(world.store.history(world.job, next_day).await.expect("history").undo.as_deref(), Some("hero"));
    let other = window(2, 13, Step::Sift);
    assert_eq!(world.store.history(world.job, other).await.expect("history").undo, None, "nobody else's");
    assert_eq!(world.undo(next_day).await.expect("undone"), "hero");
    assert_eq!(world.select().await.verdict.tier, Tier::Unread);
    assert_eq!(world.redo(window(1, 14, Step::Sift)).await.expect("redone"), "hero");
}

#[tokio::test]
async fn a_persons_two_windows_see_each_others_changes_as_changes() {
    let world = World::new().await;
    let seen = world.select().await.revision;
    tier(&world, window(1, 11, Step::Sift), Some(seen), Tier::Hero).await.expect("kept");
    let stale = tier(&world, window(1, 12, Step::Sift), Some(seen), Tier::Out).await;
    assert!(matches!(stale, Err(StoreError::MovedOn)), "{stale:?}");
    assert_eq!(world.select().await.verdict.tier, Tier::Hero);
}

#[tokio::test]
async fn one_persons_held_key_takes_nobody_elses_undo() {
    let world = World::new().await;
    let (calm, busy) = (by(1, Step::Sift), by(2, Step::Sift));
    tier(&world, calm, None, Tier::Hero).await.expect("kept");
    let seen = world.select().await.revision;
    let flood = "INSERT INTO journal (id, job_id, session, owner, step, kind, label, undo_group)
                 SELECT nextval('revision'), $1, $2, $2, 'sift', 'do', 'nudge', n FROM generate_series(1, 6000) AS n";
    let flooded = sqlx::query(flood).bind(world.job.uuid()).bind(busy.person.uuid());
    flooded.execute(world.store.pool()).await.expect("flooded");
    // The oldest go now and then.
    for _ in 0..64 {
        let note = |mut s: Select| {
            s.verdict.note.push('x');
            Ok::<_, StoreError>(s)
        };
        world.store.edit(world.job, busy, world.select, None, "note", note).await.expect("kept");
    }
    let kept: i64 = sqlx::query_scalar("SELECT count(*) FROM journal WHERE owner = $1")
        .bind(busy.person.uuid())
        .fetch_one(world.store.pool())
        .await
        .expect("counted");
    assert!((4900..=5064).contains(&kept), "{kept}");
    // What changed since so old a revision is not known any more.
    let stale = tier(&world, by(3, Step::Sift), Some(seen), Tier::Out).await;
    assert!(matches!(stale, Err(StoreError::MovedOn)), "{stale:?}");
    assert_eq!(world.undo(calm).await.expect("still there"), "hero");
}

#[tokio::test]
async fn a_form_changes_only_what_was_changed_in_it() {
    let world = World::new().await;
    let (a, b) = (by(1, Step::Gather), by(2, Step::Gather));
    let seen = world.store.jobs().get(world.job).await.expect("the job");
    let rename = |job: Job| Ok::<_, StoreError>(Job { name: "B's name".into(), ..job });
    world.store.edit(world.job, b, world.job, None, "rename", rename).await.expect("kept");
    // A's form still shows the old name, and asks for another length.
    let put = async |asked: Job| {
        let mut edit = world.store.begin_edit(world.job, a).await?;
        let present: Job = edit.load(world.job).await?;
        edit.put_form(&present, &Job { revision: present.revision, ..asked }, Some(seen.revision)).await?;
        edit.commit("change the job", None).await
    };
    put(Job { target_seconds: Some(30.0), ..seen.clone() }).await.expect("kept");
    let now = world.store.jobs().get(world.job).await.expect("the job");
    assert_eq!((now.name.as_str(), now.target_seconds), ("B's name", Some(30.0)));
    // Where both changed the same, the later is refused.
    let both = put(Job { name: "A's name".into(), ..seen.clone() }).await;
    assert!(matches!(both, Err(StoreError::MovedOn)), "{both:?}");
}

#[tokio::test]
async fn what_a_sound_is_for_can_be_undone() {
    let world = World::new().await;
    let (track, me) = (world.track().await, by(1, Step::Gather));
    let sound = |t: Track| Ok::<_, StoreError>(Track { kind: SoundKind::Sound, kind_manual: true, ..t });
    world.store.edit(world.job, me, track, None, "take it as a sound", sound).await.expect("kept");
    assert_eq!(world.undo(me).await.expect("undone"), "take it as a sound");
    let now = world.store.tracks().get(track).await.expect("the track");
    assert_eq!((now.kind, now.kind_manual), (SoundKind::Music, false));
}

#[tokio::test]
async fn what_is_asked_for_while_it_is_done_is_done_once_more() {
    let store = testing::fresh_store().await.expect("a database");
    let work = Work::ReadClip(ClipId::from_u128(1));
    let (begun, may_end) = (Arc::new(AtomicUsize::new(0)), Arc::new(Semaphore::new(0)));
    let worker = {
        let (begun, may_end) = (begun.clone(), may_end.clone());
        store.queue().start_worker("w", 1, move |delivery| {
            let (begun, may_end) = (begun.clone(), may_end.clone());
            async move {
                assert_eq!(delivery, Delivery::Do(work));
                begun.fetch_add(1, Ordering::SeqCst);
                may_end.acquire().await.expect("open").forget();
                Outcome::Done
            }
        })
    };
    store.queue().enqueue(&[work]).await.expect("queued");
    until("it is begun", async || begun.load(Ordering::SeqCst) == 1).await;
    store.queue().enqueue(&[work, work]).await.expect("asked for again");
    may_end.add_permits(2);
    until("it is begun again", async || begun.load(Ordering::SeqCst) == 2).await;
    until("nothing is left", async || store.queue().work_left().await.expect("counted") == 0).await;
    worker.stop().await.expect("stopped");
    assert_eq!(begun.load(Ordering::SeqCst), 2);
}

#[tokio::test]
async fn a_reading_that_was_asked_for_again_meanwhile_is_not_the_last() {
    let world = World::new().await;
    let begun = world.store.clips().get(world.clip).await.expect("the clip");
    world.store.clips().wait(world.job, &[world.clip], None).await.expect("asked");
    world.store.clips().ready(&begun, &identity(), &probe(), &reading(), None).await.expect("kept");
    assert_eq!(world.store.clips().unfinished().await.expect("listed"), [world.clip], "it waits for the next reading");
    let again = world.store.clips().get(world.clip).await.expect("the clip");
    world.store.clips().ready(&again, &identity(), &probe(), &reading(), None).await.expect("kept");
    assert_eq!(world.store.clips().unfinished().await.expect("listed"), []);
}

#[tokio::test]
async fn readings_and_edits_of_one_job_never_wait_for_each_other() {
    let world = Arc::new(World::new().await);
    let mut all = tokio::task::JoinSet::new();
    for n in 0..16u128 {
        let world = world.clone();
        all.spawn(async move {
            for _ in 0..12 {
                if n % 2 == 0 {
                    let clip = world.store.clips().get(world.clip).await?;
                    world.store.clips().ready(&clip, &identity(), &probe(), &reading(), None).await?;
                } else {
                    let note = |mut s: Select| {
                        s.verdict.note.push('x');
                        Ok::<_, StoreError>(s)
                    };
                    world.store.edit(world.job, by(n, Step::Sift), world.select, None, "note", note).await?;
                }
            }
            Ok::<_, StoreError>(())
        });
    }
    while let Some(done) = all.join_next().await {
        done.expect("no panic").expect("no deadlock");
    }
    assert_eq!(world.select().await.verdict.note.len(), 8 * 12);
}

#[tokio::test]
async fn edits_that_wait_for_one_job_leave_connections_for_the_others() {
    let world = Arc::new(World::new().await);
    let held = world.store.begin_edit(world.job, by(1, Step::Sift)).await.expect("begun");
    let waiting: Vec<_> = (0..40u128)
        .map(|n| {
            let world = world.clone();
            tokio::spawn(async move { tier(&world, by(n + 2, Step::Sift), None, Tier::Strong).await.map(|_| ()) })
        })
        .collect();
    // All forty wait for the lock; reading still answers.
    for _ in 0..20 {
        world.store.clips().of_job(world.job).await.expect("answered");
    }
    held.commit("nothing", None).await.expect("ended");
    for one in waiting {
        one.await.expect("no panic").expect("kept");
    }
}

#[tokio::test]
async fn many_verdicts_are_one_edit_and_one_notification() {
    let world = World::new().await;
    let me = by(1, Step::Sift);
    let files: Vec<_> = (0..120).map(|n| file(&format!("b/{n}.mp4"))).collect();
    let clips = world.store.clips().import(world.job, me, "day two", "b", &files).await.expect("clips");
    for id in clips {
        let clip = world.store.clips().get(id).await.expect("the clip");
        world.store.clips().ready(&clip, &identity(), &probe(), &reading(), None).await.expect("kept");
    }
    let ids: Vec<_> =
        world.store.selects().of_job(world.job).await.expect("selects").whole.iter().map(|s| s.id).collect();
    let before = world.store.jobs().footage_revision(world.job).await.expect("revision");
    let mut edit = world.store.begin_edit(world.job, me).await.expect("begun");
    let selects = edit.load_selects(&ids).await.expect("loaded");
    assert_eq!(selects.iter().map(|s| s.id).collect::<Vec<_>>(), ids);
    let judged = selects.into_iter().map(|s| {
        let mut next = s.clone();
        next.verdict.tier = Tier::Out;
        (s, next)
    });
    edit.put_selects(&judged.collect::<Vec<_>>()).await.expect("kept");
    edit.commit("out, 121 selects", None).await.expect("kept");
    let after = world.store.jobs().footage_revision(world.job).await.expect("revision");
    assert_eq!(after.clips, before.clips, "readings stay as they are");
    let changed = world.store.selects().since(world.job, before.selects).await.expect("changed").whole;
    assert_eq!(changed.len(), 121);
    assert!(changed.iter().all(|s| s.verdict.tier == Tier::Out && s.revision == after.selects));
    assert_eq!(world.undo(me).await.expect("undone"), "out, 121 selects");
    let tiers: BTreeSet<_> =
        world.store.selects().of_job(world.job).await.expect("selects").whole.iter().map(|s| s.verdict.tier).collect();
    assert_eq!(tiers, BTreeSet::from([Tier::Unread]));
}

#[tokio::test]
async fn a_clip_with_a_verdict_outlives_every_other_content_at_its_path() {
    let world = World::new().await;
    let store = &world.store;
    tier(&world, by(1, Step::Sift), None, Tier::Hero).await.expect("kept");
    // Another content, which nobody knows.
    let judged = store.clips().get(world.clip).await.expect("the clip");
    let unknown = NewContent::Unknown { bytes: 9, modified: identity().modified };
    let second =
        store.files().content_changed(&judged, unknown, "second").await.expect("followed").expect("to be read");
    assert_ne!(second, world.clip.uuid());
    let displaced = store.clips().get(world.clip).await.expect("still a row");
    assert!(displaced.missing && !displaced.owns_path && displaced.digest.as_deref() == Some("abc"));
    assert_eq!(world.select().await.verdict.tier, Tier::Hero);
    // Its content turns up elsewhere, as a file that was never read: that is this clip.
    let found =
        store.clips().import(world.job, by(1, Step::Gather), "x", "x", &[file("x/back.mp4")]).await.expect("clips");
    let found = store.clips().get(found[0]).await.expect("the clip");
    assert!(store.files().content_moved(&displaced, &found).await.expect("moved"));
    let back = store.clips().get(world.clip).await.expect("the clip");
    assert_eq!((back.path.as_str(), back.missing, back.owns_path), ("x/back.mp4", false, true));
    assert!(
        matches!(store.clips().get(found.id).await, Err(StoreError::Missing { .. })),
        "nobody had said anything of that row"
    );
    // The second clip gets a tag, and its path another content again: it stays as well.
    let tagged = |c: Clip| {
        let tags = ["own:brass".to_owned().try_into().expect("a tag")].into();
        Ok::<_, StoreError>(Clip { annotations: ClipAnnotations { tags, ..c.annotations.clone() }, ..c })
    };
    let second = store.edit(world.job, by(1, Step::Sift), second, None, "tag", tagged).await.expect("kept");
    let moved = NewContent::MovedFrom(back);
    assert_eq!(store.files().content_changed(&second, moved, "abc").await.expect("followed"), None);
    let (first, second) =
        (store.clips().get(world.clip).await.expect("first"), store.clips().get(second.id).await.expect("second"));
    assert_eq!((first.path.as_str(), first.owns_path, second.owns_path), ("a/1.mp4", true, false));
    assert!(second.missing && !second.annotations.tags.is_empty());
}

#[tokio::test]
async fn two_judged_clips_of_one_content_share_its_path() {
    let world = World::new().await;
    let store = &world.store;
    tier(&world, by(1, Step::Sift), None, Tier::Hero).await.expect("kept");
    let other =
        store.clips().import(world.job, by(1, Step::Gather), "x", "x", &[file("x/1.mp4")]).await.expect("clips");
    let row = store.clips().get(other[0]).await.expect("the clip");
    store.clips().ready(&row, &identity(), &probe(), &reading(), None).await.expect("kept");
    let tagged = |c: Clip| {
        Ok::<_, StoreError>(Clip { annotations: ClipAnnotations { muted: true, ..c.annotations.clone() }, ..c })
    };
    store.edit(world.job, by(1, Step::Sift), row.id, None, "mute", tagged).await.expect("kept");
    let lost = store.clips().get(world.clip).await.expect("the clip");
    store.files().found_at(&lost, "media", "x/1.mp4").await.expect("no clash");
    let (first, second) =
        (store.clips().get(world.clip).await.expect("one"), store.clips().get(row.id).await.expect("two"));
    assert_eq!((first.path, first.owns_path, first.missing), ("x/1.mp4".into(), false, false));
    assert_eq!((second.path, second.owns_path, second.annotations.muted), ("x/1.mp4".into(), true, true));
}
