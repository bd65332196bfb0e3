//! Listen, as its page asks for it: parts, marks, versions, words.

mod server;

use legere_store::queue::{Delivery, Work};
use serde_json::{Value, json};
use server::NOBODY;
use server::Server;
use server::shoot::{Shoot, identity, sound};

struct Track<'a> {
    server: &'a Server,
    base: String,
    job: String,
}

impl<'a> Track<'a> {
    fn of(server: &'a Server, shoot: &Shoot) -> Self {
        Self {
            server,
            base: format!("/jobs/{}/tracks/{}", shoot.job, shoot.track),
            job: format!("/jobs/{}", shoot.job),
        }
    }

    async fn seen(&self) -> Value {
        self.server.json(&format!("{}/reading.json", self.base)).await
    }

    async fn mark(&self, edit: Value) -> Result<Value, String> {
        self.post("marks", edit).await
    }

    async fn post(&self, path: &str, body: Value) -> Result<Value, String> {
        let answer = self.server.post_json(&format!("{}/{path}", self.base), &body.to_string()).await;
        match answer.status {
            200 => Ok(serde_json::from_str(&answer.body).expect("json")),
            422 => Err(answer.body),
            other => panic!("{path}: {other}: {}", answer.body),
        }
    }

    async fn undo(&self) {
        self.server.say(&format!("{}/undo", self.job), json!({})).await;
    }
}

/// A new draft on the chosen music.
async fn opened(server: &Server, shoot: &Shoot) -> std::sync::Arc<legere_app::drafts::OpenDraft> {
    let job = server.app.store.jobs().get(shoot.job).await.expect("the job");
    let id = server.app.drafts().lay(&job, NOBODY).await.expect("a draft");
    let kept = server.app.store.drafts().get(id).await.expect("kept");
    server.app.drafts().open(&job, kept).await.expect("open")
}

#[tokio::test]
async fn a_part_is_chosen_within_the_track_and_undone() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let track = Track::of(&server, &shoot);
    let part = async |start: f64, end: f64| track.post("version", json!({ "spans": [[start, end]] })).await;
    assert_eq!(part(8.0, 20.0).await.expect("chosen")["version"]["spans"], json!([[8.0, 20.0]]));
    assert_eq!(
        (&track.seen().await["version"]["duration"], &track.seen().await["name"]),
        (&json!(12.0), &json!("Short"))
    );
    for (start, end, words) in [
        (8.0, 9.0, "the part must end after it starts, and be at least two seconds long"),
        (20.0, 8.0, "the part must end after it starts, and be at least two seconds long"),
        (8.0, 99.0, "the part reaches beyond the track"),
        (-1.0, 9.0, "the part reaches beyond the track"),
    ] {
        let said = part(start, end).await.expect_err("refused");
        assert!(said.contains(words), "{start} {end}: {said}");
    }
    track.undo().await;
    assert_eq!(track.seen().await["version"]["spans"], json!([[0.0, 24.0]]));
    server.stop().await;
}

#[tokio::test]
async fn marks_lie_over_the_reading_reach_the_draft_and_are_undone() {
    let server = Server::start().await;
    let shoot = server.shoot(4).await;
    let track = Track::of(&server, &shoot);
    let before = track.seen().await;
    assert_eq!(before["manual"], json!({ "beats": false, "sections": false, "cues": false }));
    let seen = track.mark(json!({ "do": "downbeat", "at": 1.0 })).await.expect("moved");
    let ones: Vec<f64> = seen["reading"]["beats"]
        .as_array()
        .expect("beats")
        .iter()
        .filter(|b| b["beat"] == 1)
        .filter_map(|b| b["at"].as_f64())
        .collect();
    assert_eq!(ones[..2], [1.0, 3.0]);
    let seen = track.mark(json!({ "do": "kind", "at": 1.0, "kind": "break" })).await.expect("named");
    assert_eq!(seen["reading"]["sections"][0]["kind"], "break");
    assert_eq!(seen["manual"], json!({ "beats": true, "sections": true, "cues": false }));
    let said = track.mark(json!({ "do": "energy", "at": 1.0, "energy": 140 })).await.expect_err("refused");
    assert!(said.contains("energy goes from 0 to 100"), "{said}");
    // The draft is laid on what one sees.
    let open = opened(&server, &shoot).await;
    assert_eq!(open.music.sections[0].kind.word(), "break");
    // A new reading leaves them alone.
    let row = server.app.store.tracks().get(shoot.track).await.expect("a track");
    let version = row.part.clone().expect("a part");
    let store = &server.app.store;
    let measured = store.tracks().measured(shoot.track).await.expect("asked").expect("a reading");
    store.tracks().ready(&row, &identity(), &sound(), &measured, &version).await.expect("read again");
    assert_eq!(track.seen().await["reading"]["sections"][0]["kind"], "break");
    track.undo().await;
    track.undo().await;
    assert_eq!(track.seen().await["reading"], before["reading"]);
    server.stop().await;
}

#[tokio::test]
async fn a_track_that_cannot_be_read_again_keeps_what_was_read() {
    let server = Server::start().await;
    let shoot = server.shoot(1).await;
    let track = Track::of(&server, &shoot);
    let before = track.seen().await;
    // Its file is not there, and it was read by no version of today's.
    server.app.take_up_again().await.expect("queued");
    server.app.do_work(Delivery::Do(Work::ReadTrack(shoot.track))).await;
    assert_eq!(track.seen().await["reading"], before["reading"]);
    let row = server.app.store.tracks().get(shoot.track).await.expect("a track");
    assert!(row.missing, "it is read once its file is back");
    let page = server.get(&format!("/jobs/{}/listen", shoot.job)).await.body;
    assert!(page.contains("the file is no longer where it was"), "it is said beside the track");
    // What lies there then is no music; the reading stays all the same.
    std::fs::create_dir_all(server.dir.path().join("media/music")).expect("a folder");
    std::fs::write(server.dir.path().join("media/music/short.wav"), "no music").expect("written");
    server.app.files().look(shoot.job).await.expect("looked");
    server.app.do_work(Delivery::Do(Work::ReadTrack(shoot.track))).await;
    assert_eq!(track.seen().await["reading"], before["reading"]);
    let page = server.get(&format!("/jobs/{}/listen", shoot.job)).await.body;
    assert!(page.contains("not read again: "), "{page}");
    server.stop().await;
}

#[tokio::test]
async fn a_wanted_length_is_offered_and_used() {
    let server = Server::start().await;
    let shoot = server.shoot(8).await;
    let track = Track::of(&server, &shoot);
    let ask =
        async |seconds: f64, keep: Value| track.post("lengths", json!({ "seconds": seconds, "keep": keep })).await;
    let offers = ask(20.0, json!("nothing")).await.expect("offers");
    let offers = offers.as_array().expect("a list");
    assert!(!offers.is_empty() && offers.len() <= 5);
    let best = &offers[0];
    assert!((best["seconds"].as_f64().expect("seconds") - 20.0).abs() <= 1.0, "{best}");
    let seam = &best["seams"][0];
    let spans = json!([[0.0, seam["out"]], [seam["into"], 24.0]]);
    let seen = track.post("version", json!({ "spans": spans, "level": -300 })).await.expect("used");
    assert_eq!(seen["version"]["joins"][0]["out"], seam["out"]);
    assert_eq!(seen["version"]["level"], -300);
    let moved = track.post("seam", json!({ "seam": seam, "beats": 1 })).await.expect("moved");
    let by = moved[0]["out"].as_f64().expect("a time") - seam["out"].as_f64().expect("a time");
    assert!((by - 0.5).abs() < 1e-6, "{moved}");
    assert!(!track.post("seam", json!({ "seam": seam })).await.expect("others").as_array().expect("a list").is_empty());
    assert!(ask(1.0, json!("nothing")).await.expect_err("refused").contains("three seconds to an hour"));
    let said = track.post("version", json!({ "stretch": 3.0 })).await.expect_err("refused");
    assert!(said.contains("half as long to twice as long"), "{said}");
    // The draft lies on the joined music.
    let lies = opened(&server, &shoot).await.music.duration;
    assert!((lies - best["seconds"].as_f64().expect("seconds")).abs() < 0.01, "{lies}");
    server.stop().await;
}

#[tokio::test]
async fn what_a_track_is_can_be_said_in_place() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let about = format!("/jobs/{}/tracks/{}/about", shoot.job, shoot.track);
    let said = json!({ "mood": "tense <b>", "maker": " Hollin " });
    assert_eq!(server.post_json(&about, &said.to_string()).await.status, 204);
    let page = server.get(&format!("/jobs/{}/listen", shoot.job)).await.body;
    assert!(page.contains("value=\"Hollin\"") && !page.contains("tense <b>"), "{page}");
    assert!(page.contains("tense &#60;b&#62;"), "{page}");
    server.stop().await;
}

#[tokio::test]
async fn what_must_stay_can_be_chosen() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let track = Track::of(&server, &shoot);
    for keep in [json!({ "section": 14.0 }), json!({ "cue": [12.0, "drop"] })] {
        let offers = track.post("lengths", json!({ "seconds": 20.0, "keep": keep })).await.expect("offers");
        for offer in offers.as_array().expect("a list") {
            for seam in offer["seams"].as_array().expect("seams") {
                let (out, into) = (seam["out"].as_f64().expect("out"), seam["into"].as_f64().expect("into"));
                let bar = 2.0;
                let (start, end) = if keep.get("section").is_some() { (12.0, 20.0) } else { (12.0 - bar, 12.0 + bar) };
                let inside = |t: f64| t > start + 0.01 && t < end - 0.01;
                assert!(!inside(out) && !inside(into), "{keep}: {seam}");
                assert!(!(out < end && into > start && into > out), "{keep} is left out by {seam}");
            }
        }
    }
    let unknown = track.server.post_json(&format!("{}/lengths", track.base), r#"{"seconds":20,"keep":"all"}"#).await;
    assert_eq!(unknown.status, 400);
    server.stop().await;
}

#[tokio::test]
async fn finishing_touches_stay_when_the_part_changes() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let track = Track::of(&server, &shoot);
    let touches = json!({
        "stretch": 1.05, "level": -450,
        "fade_in": { "milliseconds": 500, "curve": "linear" },
        "fade_out": { "milliseconds": 2000, "curve": "eased" },
    });
    track.post("version", touches).await.expect("used");
    let seen = track.post("version", json!({ "spans": [[4.0, 20.0]] })).await.expect("another part");
    let version = &seen["version"];
    assert_eq!((&version["stretch"], &version["level"]), (&json!(1.05), &json!(-450)));
    assert_eq!(version["fade_out"], json!({ "milliseconds": 2000, "curve": "eased" }));
    assert!((version["duration"].as_f64().expect("seconds") - 16.8).abs() < 1e-3, "{version}");
    for (touch, words) in [
        (json!({ "level": 2000 }), "the level can be"),
        (json!({ "fade_in": { "milliseconds": 16_000, "curve": "linear" } }), "the fades together are longer"),
        (json!({ "spans": [] }), "at least one part"),
    ] {
        let said = track.post("version", touch.clone()).await.expect_err("refused");
        assert!(said.contains(words), "{touch}: {said}");
    }
    // A draft is as long as the stretched part.
    let open = opened(&server, &shoot).await;
    assert!((open.music.duration - 16.8).abs() < 1e-3 && (open.music.tempo_bpm - 120.0 / 1.05).abs() < 0.01);
    server.stop().await;
}

#[tokio::test]
async fn a_version_that_cannot_be_written_is_said() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    // This track has a reading, and no file.
    let media = format!("/jobs/{}/media/tracks", shoot.job);
    let wav = server.get(&format!("{media}/{}/version.wav", shoot.track)).await;
    assert_eq!((wav.status, wav.body.as_str()), (422, "short.wav is no longer where it was"));
    let none = server.get(&format!("{media}/{}/version.flac", uuid::Uuid::from_u128(5))).await;
    assert_eq!((none.status, none.body.starts_with("there is no track")), (404, true), "{}", none.body);
    // Another job cannot mark this track.
    let other = server.job("Another").await;
    let foreign = format!("/jobs/{other}/tracks/{}/marks", shoot.track);
    assert_eq!(server.post_json(&foreign, r#"{"do":"halve"}"#).await.status, 404);
    server.stop().await;
}

#[tokio::test]
async fn long_names_and_words_are_shown_as_text_and_kept_to_their_measure() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let about = format!("/jobs/{}/tracks/{}/about", shoot.job, shoot.track);
    let long = "Unwinding ".repeat(60);
    let said = json!({ "title": long, "genre": "\"><script>alert(1)</script>" });
    assert_eq!(server.post_json(&about, &said.to_string()).await.status, 204);
    let page = server.get(&format!("/jobs/{}/listen", shoot.job)).await.body;
    assert!(!page.contains("<script>alert"), "markup is text");
    let shown = page.matches("Unwinding").count();
    assert!((20..=80).contains(&shown), "two hundred characters are kept, shown in a few places: {shown}");
    // Without a title of one's own the file's comes back.
    assert_eq!(server.post_json(&about, r#"{"title":"  "}"#).await.status, 204);
    let seen = server.json(&format!("/jobs/{}/tracks/{}/reading.json", shoot.job, shoot.track)).await;
    assert_eq!(seen["name"], "Short");
    assert_eq!(server.post_json(&about, r#"{"title":5}"#).await.status, 400);
    server.stop().await;
}
