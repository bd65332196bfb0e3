//! Arranging, refining and watching, as the pages ask for it.

mod server;

use legere_store::handoffs::HandoffState;
use legere_store::queue::{Delivery, Work};
use serde_json::{Value, json};
use server::Server;
use server::shoot::Shoot;
use std::collections::HashSet;

async fn new_draft(server: &Server, shoot: &Shoot) -> String {
    let answer = server.post_form(&format!("/jobs/{}/drafts", shoot.job), "").await;
    assert_eq!(answer.status, 201, "{}", answer.body);
    let place = answer.head.lines().find_map(|l| l.strip_prefix("hx-redirect: ")).expect("a place").to_owned();
    let id = place.split_once("draft=").expect("a draft").1.trim().to_owned();
    format!("/jobs/{}/drafts/{id}", shoot.job)
}

fn shots(draft: &Value) -> &Vec<Value> {
    draft["shots"].as_array().expect("shots")
}

/// The id of the shot at a place.
fn shot(draft: &Value, place: usize) -> Value {
    shots(draft)[place]["id"].clone()
}

fn lens(draft: &Value) -> Vec<u64> {
    shots(draft).iter().map(|s| s["len"].as_u64().expect("a length")).collect()
}

#[tokio::test]
async fn a_first_draft_covers_the_music_and_says_why() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let hero = format!("/jobs/{}/selects/{}", shoot.job, shoot.selects[36]);
    server.say(&hero, json!({ "do": "tier", "tier": "hero" })).await;
    let out = format!("/jobs/{}/selects/{}", shoot.job, shoot.selects[39]);
    server.say(&out, json!({ "do": "tier", "tier": "out" })).await;
    let path = new_draft(&server, &shoot).await;
    let draft = server.json(&format!("{path}.json")).await;
    assert_eq!(draft["total"], 600, "24 s at 25");
    assert_eq!(lens(&draft).iter().sum::<u64>(), 600);
    let used: HashSet<&str> = shots(&draft).iter().map(|s| s["select"].as_str().expect("a select")).collect();
    assert_eq!(used.len(), shots(&draft).len(), "nothing twice");
    assert!(!used.contains(shoot.selects[39].to_string().as_str()), "out stays out");
    let on_drop = shots(&draft).iter().find(|s| s["start"] == 300).expect("a cut on the drop");
    assert_eq!(on_drop["select"], shoot.selects[36].to_string(), "the hero is on the drop");
    assert_eq!(on_drop["hit_at"], 0);
    let why: Vec<&str> =
        on_drop["why"].as_array().expect("reasons").iter().filter_map(|r| r["words"].as_str()).collect();
    assert!(why.contains(&"a hero for the drop") && why.contains(&"its hit lands on the drop"), "{why:?}");
    assert!(draft["figures"]["agreement"].as_f64().expect("a figure") > 0.8, "{}", draft["figures"]);
    let kinds: Vec<&str> =
        draft["sections"].as_array().expect("sections").iter().filter_map(|s| s["kind"].as_str()).collect();
    assert_eq!(kinds, ["intro", "build", "drop", "outro"]);
    server.stop().await;
}

#[tokio::test]
async fn a_cut_is_moved_undone_and_moved_again() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let before = server.json(&format!("{path}.json")).await;
    let after =
        server.say(&format!("{path}/edit"), json!({ "do": "move-cut", "shot": shot(&before, 1), "by": -2 })).await;
    let (was, is) = (lens(&before), lens(&after));
    assert_eq!((is[1], is[2]), (was[1] - 2, was[2] + 2));
    assert_eq!(is.iter().sum::<u64>(), 600);
    let undo = format!("/jobs/{}/undo", shoot.job);
    assert_eq!(server.say(&undo, json!({})).await["label"], "move the cut");
    assert_eq!(lens(&server.json(&format!("{path}.json")).await), was);
    server.say(&format!("/jobs/{}/redo", shoot.job), json!({})).await;
    assert_eq!(lens(&server.json(&format!("{path}.json")).await), is);
    for (edit, words) in [
        (
            json!({ "do": "move-cut", "shot": shot(&before, 1), "by": -500 }),
            "a shot of fewer than 3 frames would be a flash",
        ),
        (json!({ "do": "move-cut", "shot": shoot.job, "by": 1 }), "this shot is no longer in the draft"),
        (json!({ "do": "slip", "shot": shot(&before, 1), "by": 5000 }), "the clip has no more frames on this side"),
    ] {
        assert_eq!(server.refused(&format!("{path}/edit"), edit).await, words);
    }
    assert_eq!(lens(&server.json(&format!("{path}.json")).await), is, "what was refused changed nothing");
    server.stop().await;
}

#[tokio::test]
async fn pinned_shots_stay_while_the_pace_changes_around_them() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    let path = new_draft(&server, &shoot).await;
    let before = server.json(&format!("{path}.json")).await;
    let pin = json!({ "do": "pin", "shot": shot(&before, 3), "pin": "whole" });
    let pinned = server.say(&format!("{path}/edit"), pin).await;
    let kept = shots(&pinned)[3].clone();
    assert_eq!(kept["pinned"], true);
    let slip = json!({ "do": "slip", "shot": kept["id"], "by": 1 });
    assert_eq!(server.refused(&format!("{path}/edit"), slip).await, "the shot is pinned: unpin it first");
    let pace = json!({ "pace": [{ "quarters": 4, "varied": false }, { "quarters": 2, "varied": false }, { "quarters": 1, "varied": false }, { "quarters": 8, "varied": false }] });
    let again = server.say(&format!("{path}/arrange"), pace).await;
    assert!(shots(&again).len() > shots(&pinned).len(), "a faster pace takes more shots");
    let found = shots(&again).iter().find(|s| s["start"] == kept["start"]).expect("still there");
    for part in ["id", "select", "len", "source", "pinned"] {
        assert_eq!(found[part], kept[part], "{part}");
    }
    assert_eq!(again["sections"][2]["pace"], "every beat");
    let wrong = json!({ "pace": [{ "quarters": 3, "varied": false }] });
    let words = server.refused(&format!("{path}/arrange"), wrong).await;
    assert_eq!(words, "a pace is between a quarter of a bar and eight bars per shot");
    server.stop().await;
}

#[tokio::test]
async fn alternates_are_offered_with_what_they_gain_and_swapped_with_one_action() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let draft = server.json(&format!("{path}.json")).await;
    let offered = server.json(&format!("{path}/alternates?shot={}", shot(&draft, 2).as_str().expect("an id"))).await;
    let offered = offered["fitting"].as_array().expect("a list");
    assert!(offered.len() > 10, "every select that fits");
    let used: HashSet<&str> = shots(&draft).iter().filter_map(|s| s["select"].as_str()).collect();
    assert!(offered.iter().all(|a| !used.contains(a["select"].as_str().expect("a select"))));
    assert!(offered.iter().all(|a| a["gains"].as_array().is_some_and(|g| !g.is_empty())));
    let swap = json!({ "do": "swap", "shot": shot(&draft, 2), "select": offered[0]["select"] });
    let swapped = server.say(&format!("{path}/edit"), swap).await;
    assert_eq!(shots(&swapped)[2]["select"], offered[0]["select"]);
    assert_eq!(lens(&swapped), lens(&draft), "the place is the same");
    let twice = json!({ "do": "swap", "shot": shot(&draft, 5), "select": offered[0]["select"] });
    let words = server.refused(&format!("{path}/edit"), twice).await;
    assert_eq!(words, "this select is too short for the place, or in the draft already");
    // Narrowed by words; what does not fit says why.
    let place = shot(&swapped, 5);
    let query = format!("{path}/alternates?shot={}&words=c03", place.as_str().expect("an id"));
    assert_eq!(server.json(&query).await["problems"], json!(["“c03” is in no name, roll, tag, label or note"]));
    let all = server.json(&query.replace("&words=c03", "")).await;
    let unfit = all["unfit"].as_array().expect("a list");
    assert!(unfit.iter().any(|u| u["why"].as_str().is_some_and(|w| w.starts_with("it is shot"))), "{unfit:?}");
    assert_eq!(server.json(&format!("{path}/alternates?shot={}", shoot.job)).await["fitting"], json!([]));
    server.stop().await;
}

#[tokio::test]
async fn too_little_footage_is_laid_as_far_as_it_goes_and_said() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let path = new_draft(&server, &shoot).await;
    let draft = server.json(&format!("{path}.json")).await;
    assert_eq!(draft["total"], 600, "the music goes on over black");
    assert_eq!(shots(&draft).len(), 2, "each select once");
    let findings = draft["findings"].as_array().expect("findings");
    let black: Vec<&str> =
        findings.iter().filter(|f| f["kind"] == "black").filter_map(|f| f["words"].as_str()).collect();
    assert!(black.iter().all(|words| words.contains("no select that is left is long enough")), "{black:?}");
    assert!(!black.is_empty(), "{findings:?}");
    for select in &shoot.selects {
        let path = format!("/jobs/{}/selects/{select}", shoot.job);
        server.say(&path, json!({ "do": "tier", "tier": "out" })).await;
    }
    let answer = server.post_form(&format!("/jobs/{}/drafts", shoot.job), "").await;
    assert!(answer.body.contains("sift first, or bring clips back from out"), "{}", answer.body);
    server.stop().await;
}

#[tokio::test]
async fn drafts_are_numbered_and_each_has_its_address() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let first = new_draft(&server, &shoot).await;
    let second = new_draft(&server, &shoot).await;
    assert_ne!(first, second);
    assert_eq!(server.json(&format!("{first}.json")).await["number"], 1);
    assert_eq!(server.json(&format!("{second}.json")).await["number"], 2);
    let id = first.rsplit_once('/').expect("an id").1;
    for page in ["arrange", "watch", "handoff"] {
        let newest = server.get(&format!("/jobs/{}/{page}", shoot.job)).await.body;
        let chosen = server.get(&format!("/jobs/{}/{page}?draft={id}", shoot.job)).await.body;
        assert!(newest.contains("draft 2") && chosen.contains("draft 1"), "{page}");
    }
    // Nothing is lost by trying: an edit of the one leaves the other.
    let before = server.json(&format!("{second}.json")).await;
    server
        .say(
            &format!("{first}/edit"),
            json!({ "do": "move-cut", "shot": shot(&server.json(&format!("{first}.json")).await, 0), "by": 1 }),
        )
        .await;
    assert_eq!(lens(&server.json(&format!("{second}.json")).await), lens(&before));
    let other = server.job("Another").await;
    let foreign = first.replace(&shoot.job.to_string(), &other.to_string());
    assert_eq!(server.get(&format!("{foreign}.json")).await.status, 404);
    server.stop().await;
}

#[tokio::test]
async fn notes_are_kept_at_their_frames_and_removed_with_undo() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let notes = format!("{path}/notes");
    server.say(&notes, json!({ "frame": 250, "words": "late" })).await;
    server.say(&notes, json!({ "frame": 25, "words": "  " })).await;
    let list = server.say(&notes, json!({ "frame": 99_999, "words": "<b>end</b>" })).await;
    let rows: Vec<(i64, &str)> = list
        .as_array()
        .expect("notes")
        .iter()
        .map(|n| (n["frame"].as_i64().expect("a frame"), n["words"].as_str().expect("words")))
        .collect();
    assert_eq!(rows, [(25, "look here"), (250, "late"), (600, "<b>end</b>")]);
    assert_eq!(list[1]["timecode"], "00:00:10:00");
    let gone = server.ask("DELETE", &format!("{notes}/{}", list[1]["id"].as_str().expect("an id")), &[], "").await;
    assert_eq!(gone.status, 200);
    let watch = server.json(&format!("{path}/watch.json")).await;
    assert_eq!(watch["notes"].as_array().map(Vec::len), Some(2));
    assert_eq!(server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await["label"], "remove the note");
    let watch = server.json(&format!("{path}/watch.json")).await;
    assert_eq!(watch["notes"].as_array().map(Vec::len), Some(3));
    server.stop().await;
}

#[tokio::test]
async fn lists_are_handed_off_and_a_missing_original_is_named() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let draft = server.json(&format!("{path}.json")).await;
    let id = path.rsplit_once('/').expect("an id").1;
    for kind in ["otio", "edl", "csv", "mp4"] {
        let asked =
            server.post_form(&format!("/jobs/{}/handoffs", shoot.job), &format!("draft={id}&kind={kind}")).await;
        assert!(asked.status == 200 && asked.body.contains("waiting"), "{}", asked.body);
    }
    let wrong = server.post_form(&format!("/jobs/{}/handoffs", shoot.job), &format!("draft={id}&kind=tape")).await;
    assert_eq!(wrong.status, 422);
    for handoff in server.app.store.handoffs().unfinished().await.expect("a list") {
        server.app.do_work(Delivery::Do(Work::Handoff(handoff))).await;
    }
    let made = server.app.store.handoffs().of_job(shoot.job).await.expect("a list").whole;
    let of = |kind: &str| made.iter().find(|h| h.kind.word() == kind).expect("made");
    let wanted = format!("read back: {} shots, 600 frames, as in the draft", shots(&draft).len());
    for kind in ["otio", "edl", "csv"] {
        assert_eq!(
            (of(kind).state, of(kind).report.as_deref()),
            (HandoffState::Ready, Some(wanted.as_str())),
            "{kind}"
        );
        let file = server.get(&format!("/jobs/{}/media/handoffs/{}", shoot.job, of(kind).id)).await;
        assert_eq!(file.status, 200);
        assert!(file.head.contains(&format!("the short hour, draft 1.{kind}")), "{}", file.head);
    }
    let edl = server.get(&format!("/jobs/{}/media/handoffs/{}", shoot.job, of("edl").id)).await.body;
    assert!(edl.contains("TITLE: The Short Hour, draft 1") && edl.contains("01:00:0"), "source timecodes: {edl}");
    // There are no files behind this shoot, so the film cannot be made; which one is missing is said.
    let words = of("mp4").report.clone().expect("words");
    assert_eq!(of("mp4").state, HandoffState::Failed);
    assert!(words.starts_with('C') && words.ends_with(".mp4 is no longer where it was"), "{words}");
    server.stop().await;
}

#[tokio::test]
async fn what_was_cancelled_is_not_made_until_it_is_asked_for_again() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let id = path.rsplit_once('/').expect("an id").1;
    server.post_form(&format!("/jobs/{}/handoffs", shoot.job), &format!("draft={id}&kind=csv")).await;
    let store = &server.app.store;
    let handoff = store.handoffs().unfinished().await.expect("a list").remove(0);
    let at = |what: &str| format!("/jobs/{}/handoffs/{handoff}/{what}", shoot.job);
    let page = server.post_form(&at("cancel"), "").await;
    assert!(page.status == 200 && page.body.contains("cancelled") && page.body.contains("make again"), "{}", page.body);
    let state = async || store.handoffs().get(handoff).await.expect("it").state;
    // Neither a worker that takes it now nor one that was at it already makes it.
    server.app.do_work(Delivery::Do(Work::Handoff(handoff))).await;
    let row = store.handoffs().get(handoff).await.expect("it");
    store.handoffs().progress(&row, 1, 2).await.expect("stored");
    store.handoffs().ended(&row, Some("file.csv"), "checked").await.expect("stored");
    assert_eq!(state().await, HandoffState::Cancelled);
    assert!(store.handoffs().unfinished().await.expect("a list").is_empty());
    assert!(server.post_form(&at("again"), "").await.body.contains("waiting"));
    server.app.do_work(Delivery::Do(Work::Handoff(handoff))).await;
    assert_eq!(state().await, HandoffState::Ready);
    // What is made stays made.
    let page = server.post_form(&at("cancel"), "").await;
    assert!(page.body.contains("read back"), "{}", page.body);
    server.post_form(&at("again"), "").await;
    assert_eq!(state().await, HandoffState::Ready);
    server.stop().await;
}

#[tokio::test]
async fn two_windows_cut_one_draft_and_neither_takes_back_the_others_work() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let seen = server.json(&format!("{path}.json")).await;
    let revision = seen["revision"].as_i64();
    let act = async |window: u128, base: Option<i64>, what: Value| {
        server.in_window(window, "arrange", base, &format!("{path}/edit"), &what.to_string()).await
    };
    let pin = |place: usize, on: bool| json!({ "do": "pin", "shot": shot(&seen, place), "pin": if on { "whole" } else { "open" } });
    assert_eq!(act(1, revision, pin(0, true)).await.status, 200);
    // The other window has not seen that, and pins another shot: both stay.
    assert_eq!(act(2, revision, pin(5, true)).await.status, 200);
    // The same shot is another matter: it is refused, and nothing is overwritten.
    let refused = act(2, revision, pin(0, false)).await;
    let words = "it was changed in another window meanwhile: what you see now is how it is";
    assert_eq!((refused.status, refused.body.as_str()), (409, words));
    let now = server.json(&format!("{path}.json")).await;
    assert_eq!((&shots(&now)[0]["pinned"], &shots(&now)[5]["pinned"]), (&json!(true), &json!(true)));
    // Who has seen how it is may change it.
    assert_eq!(act(2, now["revision"].as_i64(), pin(0, false)).await.status, 200);
    let undo = format!("/jobs/{}/undo", shoot.job);
    let overtaken = server.in_window(1, "arrange", None, &undo, "{}").await;
    assert_eq!(overtaken.status, 409);
    assert!(overtaken.body.starts_with("“pin” stays: what it changed was changed again"), "{}", overtaken.body);
    assert_eq!(server.in_window(2, "arrange", None, &undo, "{}").await.status, 200);
    let now = server.json(&format!("{path}.json")).await;
    assert_eq!((&shots(&now)[0]["pinned"], &shots(&now)[5]["pinned"]), (&json!(true), &json!(true)));
    server.stop().await;
}

#[tokio::test]
async fn a_draft_is_handed_off_as_it_was_when_it_was_asked_for() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let id = path.rsplit_once('/').expect("an id").1;
    let before = server.json(&format!("{path}.json")).await;
    let asked = server.post_form(&format!("/jobs/{}/handoffs", shoot.job), &format!("draft={id}&kind=csv")).await;
    assert_eq!(asked.status, 200);
    // While it waits the cut is moved, the draft renamed and even deleted.
    server.say(&format!("{path}/edit"), json!({ "do": "move-cut", "shot": shot(&before, 0), "by": 3 })).await;
    server.say(&format!("{path}/name"), json!({ "name": "another" })).await;
    assert_eq!(server.ask("DELETE", &path, &[], "").await.status, 204);
    let handoff = server.app.store.handoffs().unfinished().await.expect("a list").remove(0);
    server.app.do_work(Delivery::Do(Work::Handoff(handoff))).await;
    let row = server.app.store.handoffs().get(handoff).await.expect("made");
    assert_eq!((row.state, row.name.as_str()), (HandoffState::Ready, "The Short Hour, draft 1.csv"));
    let csv = server.get(&format!("/jobs/{}/media/handoffs/{handoff}", shoot.job)).await.body;
    let first = csv.lines().nth(1).expect("a shot");
    assert_eq!(first.split(',').nth(3), Some(lens(&before)[0].to_string().as_str()), "{first}");
    server.stop().await;
}

#[tokio::test]
async fn drafts_are_named_copied_deleted_and_brought_back() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let named = server.say(&format!("{path}/name"), json!({ "name": " the loud\none " })).await;
    assert_eq!(named["title"], "the loud one");
    let copy = server.post_json(&format!("{path}/copy"), "{}").await;
    assert_eq!(copy.status, 201, "{}", copy.body);
    let lines = server.app.store.drafts().lines(shoot.job).await.expect("drafts");
    assert_eq!(lines.iter().map(|l| l.title.as_str()).collect::<Vec<_>>(), ["the loud one, copy", "the loud one"]);
    assert_eq!(server.ask("DELETE", &path, &[], "").await.status, 204);
    assert_eq!(server.get(&format!("{path}.json")).await.status, 404);
    let history = server.json(&format!("/jobs/{}/history", shoot.job)).await;
    assert_eq!((&history["undo"], &history["redo"]), (&json!("delete the draft"), &Value::Null));
    let undone = server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await;
    assert_eq!((&undone["label"], &undone["next"]["redo"]), (&json!("delete the draft"), &json!("delete the draft")));
    assert_eq!(server.get(&format!("{path}.json")).await.status, 200);
    server.stop().await;
}

#[tokio::test]
async fn the_pace_of_one_section_lays_that_section_anew_and_no_other() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    let path = new_draft(&server, &shoot).await;
    let before = server.json(&format!("{path}.json")).await;
    let pace: Vec<Value> = before["sections"]
        .as_array()
        .expect("sections")
        .iter()
        .enumerate()
        .map(|(i, s)| {
            let (quarters, varied) =
                if i == 2 { (json!(1), json!(false)) } else { (s["quarters"].clone(), s["varied"].clone()) };
            json!({ "quarters": quarters, "varied": varied })
        })
        .collect();
    let after = server.say(&format!("{path}/arrange"), json!({ "pace": pace, "section": 2 })).await;
    let drop = 300..500;
    let outside = |d: &Value| -> Vec<Value> {
        shots(d)
            .iter()
            .filter(|s| !drop.contains(&s["start"].as_i64().expect("a start")))
            .map(|s| s["id"].clone())
            .collect()
    };
    assert_eq!(outside(&after), outside(&before), "what lies elsewhere is the same shots");
    let inside = |d: &Value| shots(d).iter().filter(|s| drop.contains(&s["start"].as_i64().expect("a start"))).count();
    assert!(inside(&after) > inside(&before));
    assert!(shots(&after).iter().all(|s| s["pinned"] == false), "nothing was pinned by that");
    server.stop().await;
}

#[tokio::test]
async fn a_draft_keeps_its_place_in_every_step() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let first = new_draft(&server, &shoot).await;
    new_draft(&server, &shoot).await;
    let id = first.rsplit_once('/').expect("an id").1;
    for page in ["gather", "listen", "sift", "arrange", "watch", "handoff"] {
        let body = server.get(&format!("/jobs/{}/{page}?draft={id}", shoot.job)).await.body;
        assert_eq!(body.matches(&format!("?draft={id}\"")).count(), 6, "{page}: the spine leads on with the draft");
        assert!(body.contains("draft 1, "), "{page}");
    }
    let plain = server.get(&format!("/jobs/{}/sift", shoot.job)).await.body;
    assert!(!plain.contains("?draft=") && plain.contains("draft 2, "));
    server.stop().await;
}

#[tokio::test]
async fn a_draft_is_cut_in_every_way_and_each_is_one_to_undo() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let first = server.json(&format!("{path}.json")).await;
    let edit = format!("{path}/edit");
    let sum = |draft: &Value| lens(draft).iter().sum::<u64>();
    let total = sum(&first);
    let len = |draft: &Value, at: usize| lens(draft)[at];

    let split = server.say(&edit, json!({ "do": "split", "shot": shot(&first, 1), "at": len(&first, 1) / 2 })).await;
    assert_eq!((lens(&split).len(), sum(&split)), (lens(&first).len() + 1, total));
    let joined = server.say(&edit, json!({ "do": "join", "shot": shot(&split, 1) })).await;
    assert_eq!(lens(&joined), lens(&first));
    // The section takes what the shot loses: the next section still begins on its mark.
    let section_end = first["sections"][0]["end"].as_i64().expect("a frame");
    let starts = |draft: &Value| -> Vec<i64> {
        draft["shots"].as_array().expect("shots").iter().filter_map(|s| s["start"].as_i64()).collect()
    };
    assert!(starts(&first).contains(&section_end), "a shot begins with the section");
    let trim = json!({ "do": "trim-end", "shot": shot(&joined, 0), "by": -3, "from": "section" });
    let trimmed = server.say(&edit, trim).await;
    assert_eq!((len(&trimmed, 0), sum(&trimmed)), (len(&first, 0) - 3, total));
    assert!(starts(&trimmed).contains(&section_end));
    let whole = json!({ "do": "trim-end", "shot": shot(&trimmed, 0), "by": -2, "from": "whole" });
    let shorter = server.say(&edit, whole).await;
    assert_eq!(sum(&shorter), total - 2);
    // One select more, as a shot of its own.
    let used: HashSet<&str> = shots(&shorter).iter().filter_map(|s| s["select"].as_str()).collect();
    let free = shoot.selects.iter().map(ToString::to_string).find(|s| !used.contains(s.as_str())).expect("one is free");
    let insert = json!({ "do": "insert", "select": free, "before": shot(&shorter, 2), "len": 12, "from": "whole" });
    let inserted = server.say(&edit, insert).await;
    assert_eq!((inserted["shots"][2]["select"].as_str(), len(&inserted, 2)), (Some(free.as_str()), 12));
    let speed = server.say(&edit, json!({ "do": "speed", "shot": shot(&inserted, 2), "percent": 50 })).await;
    assert_eq!(speed["shots"][2]["speed"], 0.5);
    assert_eq!(server::unfolded(&speed["shots"][2]).len(), 12);
    let hit = server.say(&edit, json!({ "do": "hit", "shot": shot(&speed, 2), "at": 4 })).await;
    assert_eq!(hit["shots"][2]["hit_at"], 4);
    let moved = server.say(&edit, json!({ "do": "move", "shot": shot(&hit, 2), "before": shot(&hit, 1) })).await;
    assert_eq!(moved["shots"][1]["select"].as_str(), Some(free.as_str()));
    let swapped =
        server.say(&edit, json!({ "do": "exchange", "shot": shot(&moved, 1), "with": shot(&moved, 2) })).await;
    assert_eq!(swapped["shots"][2]["select"].as_str(), Some(free.as_str()));
    let removed = server.say(&edit, json!({ "do": "remove", "shot": shot(&swapped, 2), "from": "whole" })).await;
    assert_eq!(lens(&removed).len(), lens(&first).len());
    for (wrong, words) in [
        (json!({ "do": "join", "shot": shot(&removed, 0) }), "these two do not go on from one another"),
        (json!({ "do": "speed", "shot": shot(&removed, 0), "percent": 1 }), "a speed lies between"),
        (json!({ "do": "split", "shot": shot(&removed, 0), "at": 1 }), "would be a flash"),
    ] {
        let reported = server.refused(&edit, wrong).await;
        assert!(reported.contains(words), "{reported}");
    }
    let undo = format!("/jobs/{}/undo", shoot.job);
    for label in [
        "remove the shot",
        "exchange two shots",
        "move the shot",
        "put the hit there",
        "set the speed",
        "insert a shot",
        "move the end",
        "join the shots",
        "split the shot",
    ] {
        assert_eq!(server.say(&undo, json!({})).await["label"], label);
    }
    let back = server.json(&format!("{path}.json")).await;
    assert_eq!(back["shots"], first["shots"]);
    server.stop().await;
}
