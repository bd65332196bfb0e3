//! Cutting in time and in music: curves, pauses, pins, passages, and what is taken over or moved over.

mod server;

use legere_core::time::Seconds;
use legere_core::track::Version;
use legere_store::handoffs::HandoffState;
use legere_store::queue::{Delivery, Work};
use serde_json::{Value, json};
use server::Server;
use server::shoot::{Shoot, identity, music, new_track, sound};

async fn new_draft(server: &Server, shoot: &Shoot) -> String {
    let answer = server.post_form(&format!("/jobs/{}/drafts", shoot.job), "").await;
    let place = answer.head.lines().find_map(|l| l.strip_prefix("hx-redirect: ")).expect("a place").to_owned();
    format!("/jobs/{}/drafts/{}", shoot.job, place.split_once("draft=").expect("a draft").1.trim())
}

fn shot(draft: &Value, place: usize) -> &Value {
    &draft["shots"][place]
}

fn lens(draft: &Value) -> Vec<u64> {
    draft["shots"].as_array().expect("shots").iter().filter_map(|s| s["len"].as_u64()).collect()
}

fn frames(shot: &Value) -> Vec<i64> {
    server::unfolded(shot)
}

fn words(draft: &Value) -> Vec<&str> {
    draft["findings"].as_array().expect("checks").iter().filter_map(|f| f["words"].as_str()).collect()
}

#[tokio::test]
async fn a_shot_is_ramped_held_reversed_and_fitted() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let before = server.json(&format!("{path}.json")).await;
    let long = (0..).find(|i| shot(&before, *i)["len"].as_u64().is_some_and(|n| n >= 50)).expect("a long shot");
    let id = shot(&before, long)["id"].clone();
    let edit = async |what: Value| {
        let mut body = what;
        body["shot"] = id.clone();
        server.say(&format!("{path}/edit"), body).await
    };
    let ramped = edit(json!({ "do": "keyframe", "at": 10, "over": 6, "percent": 150 })).await;
    let one = shot(&ramped, long);
    let (start, len) = (one["start"].as_i64().expect("a frame"), one["len"].as_i64().expect("frames"));
    let beats: Vec<i64> =
        before["beats"].as_array().expect("beats").iter().filter_map(|b| b[0].as_i64()).map(|b| b - start).collect();
    let on_beat = [10, 16].iter().any(|at| beats.contains(at));
    assert_eq!(one["keyframes"], json!([{ "at": 10, "over": 6, "to": 1.5, "on_beat": on_beat }]));
    assert_eq!(lens(&ramped), lens(&before), "no cut moves by it");
    assert!(
        one["why"].as_array().expect("reasons").iter().any(|r| r["words"] == "plays at 100 %, then at 150 %"),
        "{one}"
    );
    let moved = edit(json!({ "do": "move-keyframe", "at": 10, "to": 14 })).await;
    assert_eq!(shot(&moved, long)["keyframes"][0]["at"], 14);
    let gone = edit(json!({ "do": "drop-keyframe", "at": 14 })).await;
    assert_eq!(frames(shot(&gone, long)), frames(shot(&before, long)));
    let held = edit(json!({ "do": "hold", "at": 12, "len": 5 })).await;
    let table = frames(shot(&held, long));
    assert!(table[12..=17].iter().all(|k| *k == table[12]), "{table:?}");
    // One undo for each, and all of it as it was.
    for label in ["hold the frame", "set the time curve"] {
        assert_eq!(server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await["label"], label);
    }
    // A keyframe that ends on a beat stays there when its shot is trimmed.
    let beat = *beats.iter().find(|b| (20..len - 6).contains(*b)).expect("a beat in the shot");
    let on_beat = edit(json!({ "do": "keyframe", "at": beat - 6, "over": 6, "percent": 150 })).await;
    assert_eq!(shot(&on_beat, long)["keyframes"][0]["on_beat"], true);
    let trimmed = edit(json!({ "do": "trim-start", "by": 3, "from": "whole" })).await;
    assert_eq!(shot(&trimmed, long)["keyframes"], json!([{ "at": beat - 6, "over": 6, "to": 1.5, "on_beat": true }]));
    for _ in 0..2 {
        server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await;
    }
    let reversed = edit(json!({ "do": "reverse" })).await;
    let table = frames(shot(&reversed, long));
    assert!(table.windows(2).all(|w| w[1] <= w[0]), "{table:?}");
    assert_eq!(shot(&reversed, long)["speed"], -1.0);
    assert!(words(&reversed).iter().any(|w| w.contains("backwards through its hit")), "{:?}", words(&reversed));
    // From its in to its out, whatever that makes of its speed.
    let fitted = edit(json!({ "do": "fit" })).await;
    let one = shot(&fitted, long);
    let (source, used) = (one["source"].as_f64().expect("a place"), one["used"].as_f64().expect("a length"));
    assert!((source - one["in"].as_f64().expect("an in")).abs() < 0.001);
    assert!((source + used - one["out"].as_f64().expect("an out")).abs() < 0.05, "{one}");
    let slow = edit(json!({ "do": "speed", "percent": 25 })).await;
    assert!(words(&slow).iter().any(|w| w.contains("slower than its frames allow")), "{:?}", words(&slow));
    let mixed = edit(json!({ "do": "between", "between": "blend" })).await;
    assert!(shot(&mixed, long)["toward"].as_array().is_some_and(|t| t.iter().any(|v| *v != 0)));
    assert!(!words(&mixed).iter().any(|w| w.contains("slower than its frames allow")));
    let wrong = json!({ "do": "speed", "shot": id, "percent": 1 });
    assert!(server.refused(&format!("{path}/edit"), wrong).await.starts_with("a speed lies between"));
    let fast = json!({ "do": "speed", "shot": id, "percent": 1500 });
    assert!(server.refused(&format!("{path}/edit"), fast).await.starts_with("the clip is too short"));
    server.stop().await;
}

#[tokio::test]
async fn pauses_pins_and_kept_sections_hold_what_they_say() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    let path = new_draft(&server, &shoot).await;
    let before = server.json(&format!("{path}.json")).await;
    let edit = format!("{path}/edit");
    let cut = shot(&before, 2)["start"].as_i64().expect("a start");
    let paused = server.say(&edit, json!({ "do": "pause-over", "from": cut - 8, "len": 8, "stop": "black" })).await;
    assert_eq!(shot(&paused, 1)["pause"], json!({ "len": 8, "stop": "black" }));
    let table = frames(shot(&paused, 1));
    assert!(table[table.len() - 8..].iter().all(|k| *k == -1) && table[table.len() - 9] >= 0);
    assert_eq!(lens(&paused), lens(&before));
    let id = &shot(&paused, 1)["id"];
    let held = server.say(&edit, json!({ "do": "pause", "shot": id, "len": 4, "stop": "held" })).await;
    assert_eq!(shot(&held, 1)["pause"], json!({ "len": 4, "stop": "held" }));
    let out = server.say(&edit, json!({ "do": "pause", "shot": id, "len": 0, "stop": "held" })).await;
    assert_eq!(shot(&out, 1)["pause"], Value::Null);
    // Its place only: the end moves, the beginning does not.
    let id = &shot(&before, 3)["id"];
    server.say(&edit, json!({ "do": "pin", "shot": id, "pin": "place" })).await;
    server.say(&edit, json!({ "do": "move-cut", "shot": id, "by": -1 })).await;
    let start = json!({ "do": "trim-start", "shot": id, "by": 1 });
    assert_eq!(server.refused(&edit, start).await, "the shot is pinned: unpin it first");
    // A kept section stays shot for shot while the rest is laid again.
    let kept = server.say(&edit, json!({ "do": "keep", "section": 2, "on": true })).await;
    let inside = |d: &Value| -> Vec<Value> {
        let (from, to) = (d["sections"][2]["start"].as_i64(), d["sections"][2]["end"].as_i64());
        let list = d["shots"].as_array().expect("shots").iter();
        list.filter(|s| s["start"].as_i64() >= from && s["start"].as_i64() < to)
            .map(|s| json!([s["id"], s["len"]]))
            .collect()
    };
    assert!(!inside(&kept).is_empty());
    let pace = json!({ "pace": [{ "quarters": 2, "varied": false }, { "quarters": 2, "varied": false }, { "quarters": 1, "varied": false }, { "quarters": 8, "varied": false }] });
    let again_laid = server.say(&format!("{path}/arrange"), pace).await;
    assert_eq!(inside(&again_laid), inside(&kept));
    server.say(&edit, json!({ "do": "keep", "section": 2, "on": false })).await;
    server.stop().await;
}

#[tokio::test]
async fn a_shot_and_a_section_are_taken_over_from_another_draft() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    let first = new_draft(&server, &shoot).await;
    let copy = server.post_json(&format!("{first}/copy"), "{}").await;
    let place: Value = serde_json::from_str(&copy.body).expect("json");
    let second = format!(
        "/jobs/{}/drafts/{}",
        shoot.job,
        place["place"].as_str().expect("a place").split_once("draft=").expect("a draft").1
    );
    let id = first.rsplit_once('/').expect("an id").1;
    let seen = server.json(&format!("{second}.json")).await;
    let swap = json!({ "do": "exchange", "shot": shot(&seen, 1)["id"], "with": shot(&seen, 4)["id"] });
    server.say(&format!("{second}/edit"), swap).await;
    let there = server.json(&format!("{first}.json")).await;
    let wanted = json!({ "do": "take-over", "draft": id, "shot": shot(&there, 1)["id"] });
    let taken = server.say(&format!("{second}/edit"), wanted).await;
    let what = |s: &Value| (s["start"].clone(), s["len"].clone(), s["clip"].clone(), s["source"].clone());
    assert_eq!(what(shot(&taken, 1)), what(shot(&there, 1)));
    assert_ne!(what(shot(&taken, 4)), what(shot(&there, 4)), "the other one stays as it is here");
    let section = server.say(&format!("{second}/edit"), json!({ "do": "take-over", "draft": id, "section": 0 })).await;
    let end = there["sections"][0]["end"].as_i64();
    let before = |d: &Value| -> Vec<_> {
        d["shots"].as_array().expect("shots").iter().filter(|s| s["start"].as_i64() < end).map(what).collect()
    };
    assert_eq!(before(&section), before(&there));
    assert_eq!(section["total"], there["total"]);
    server.stop().await;
}

#[tokio::test]
async fn another_track_begins_exactly_where_its_shot_does() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    let store = &server.app.store;
    let other = store.tracks().import(shoot.job, server::NOBODY, &new_track("music/other.wav")).await;
    let other = other.expect("a track").expect("new");
    let row = store.tracks().get(other).await.expect("a track");
    let whole = Seconds::new(24, 1).expect("seconds");
    let part = Version::part(Seconds::ZERO, whole, whole).expect("a part");
    store.tracks().ready(&row, &identity(), &sound(), &music(), &part).await.expect("kept");
    let path = new_draft(&server, &shoot).await;
    let before = server.json(&format!("{path}.json")).await;
    let place = (1..).find(|i| shot(&before, *i)["start"].as_i64() >= Some(150)).expect("a later shot");
    let (id, start) = (shot(&before, place)["id"].clone(), shot(&before, place)["start"].clone());
    let two = server.say(&format!("{path}/track"), json!({ "shot": id, "track": other })).await;
    let passages = two["passages"].as_array().expect("passages");
    assert_eq!((passages.len(), &passages[1]["start"], &passages[1]["from"]), (2, &start, &id));
    // The sections are those of both, and the second begins with its own first.
    let kinds: Vec<&str> =
        two["sections"].as_array().expect("sections").iter().filter_map(|s| s["kind"].as_str()).collect();
    assert_eq!(kinds, ["intro", "intro", "build", "drop", "outro"]);
    assert_eq!(two["sections"][1]["start"], start);
    let name = two["music"].clone();
    // It goes with its shot.
    let edit = json!({ "do": "trim-end", "shot": shot(&two, 0)["id"], "by": 10, "from": "whole" });
    let later = server.say(&format!("{path}/edit"), edit).await;
    assert_eq!(later["passages"][1]["start"].as_i64(), start.as_i64().map(|n| n + 10));
    assert_ne!(later["music"], name, "something else is heard");
    assert!(later["beats"].as_array().is_some_and(|b| !b.is_empty()), "its beats go with it");
    let out = server.say(&format!("{path}/track"), json!({ "shot": id, "track": null })).await;
    assert_eq!(out["passages"].as_array().map(Vec::len), Some(1));
    // The first one is exchanged like every other, and never nothing.
    let first = server.say(&format!("{path}/track"), json!({ "shot": shot(&before, 0)["id"], "track": other })).await;
    assert_eq!((&first["passages"][0]["track"], &first["passages"][0]["from"]), (&json!(other), &Value::Null));
    let none = json!({ "shot": shot(&before, 0)["id"], "track": null });
    assert!(server.refused(&format!("{path}/track"), none).await.starts_with("the piece begins with music"));
    for words in ["begin another track", "take out the track"] {
        assert_eq!(server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await["label"], words);
    }
    server.stop().await;
}

#[tokio::test]
async fn a_draft_moves_over_to_changed_music_when_it_is_asked_to() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    let path = new_draft(&server, &shoot).await;
    let before = server.json(&format!("{path}.json")).await;
    assert_eq!(before["passages"][0]["changed"], false);
    let words = "the music of this draft is as it is used in Listen";
    assert_eq!(server.refused(&format!("{path}/move-over"), json!({})).await, words);
    // The hero stands on the drop, pinned; then four seconds of the beginning are left out.
    let on_drop =
        before["shots"].as_array().expect("shots").iter().find(|s| s["start"] == 300).expect("a cut on it").clone();
    server.say(&format!("{path}/edit"), json!({ "do": "pin", "shot": on_drop["id"], "pin": "whole" })).await;
    let version = format!("/jobs/{}/tracks/{}/version", shoot.job, shoot.track);
    server.say(&version, json!({ "spans": [[4.0, 24.0]] })).await;
    let same = server.json(&format!("{path}.json")).await;
    assert_eq!(
        (&same["passages"][0]["changed"], lens(&same)),
        (&json!(true), lens(&before)),
        "nothing moves by itself"
    );
    let moved = server.say(&format!("{path}/move-over"), json!({})).await;
    assert_eq!((&moved["total"], &moved["passages"][0]["changed"]), (&json!(500), &json!(false)));
    let found =
        moved["shots"].as_array().expect("shots").iter().find(|s| s["id"] == on_drop["id"]).expect("it came along");
    assert_eq!(
        (&found["start"], &found["len"], &found["pin"]),
        (&json!(200), &on_drop["len"], &json!("whole")),
        "on its cue"
    );
    // All that stood on music which is still there came along.
    let stayed = |s: &&Value| s["start"].as_i64() >= Some(100);
    let ids = |d: &Value| d["shots"].as_array().expect("shots").iter().map(|s| s["id"].clone()).collect::<Vec<_>>();
    let came = ids(&moved);
    assert!(before["shots"].as_array().expect("shots").iter().filter(stayed).all(|s| came.contains(&s["id"])));
    assert_eq!(
        server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await["label"],
        "move over to the changed music"
    );
    assert_eq!(lens(&server.json(&format!("{path}.json")).await), lens(&before));
    server.stop().await;
}

#[tokio::test]
async fn what_a_list_cannot_say_is_named_in_its_report() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let before = server.json(&format!("{path}.json")).await;
    let long = (0..).find(|i| shot(&before, *i)["len"].as_u64().is_some_and(|n| n >= 50)).expect("a long shot");
    let id = &shot(&before, long)["id"];
    let edit = format!("{path}/edit");
    server.say(&edit, json!({ "do": "keyframe", "shot": id, "at": 10, "over": 6, "percent": 150 })).await;
    server.say(&edit, json!({ "do": "hold", "shot": id, "at": 30, "len": 6 })).await;
    let draft = path.rsplit_once('/').expect("an id").1;
    for kind in ["otio", "edl"] {
        let asked =
            server.post_form(&format!("/jobs/{}/handoffs", shoot.job), &format!("kind={kind}&draft={draft}")).await;
        assert!(asked.status < 300, "{}", asked.body);
    }
    let asked = server.app.store.handoffs().of_job(shoot.job).await.expect("hand-offs");
    for handoff in asked.whole {
        server.app.do_work(Delivery::Do(Work::Handoff(handoff.id))).await;
        let done = server.app.store.handoffs().get(handoff.id).await.expect("the hand-off");
        assert_eq!(done.state, HandoffState::Ready, "{:?}", done.report);
        let report = done.report.expect("a report");
        assert!(report.contains("parts, since speeds change"), "{report}");
        assert!(report.contains("this format cannot say: shot") && report.contains("speed eased to 150 %"), "{report}");
    }
    server.stop().await;
}
