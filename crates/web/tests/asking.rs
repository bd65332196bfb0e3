//! What is asked of a draft as a whole, as the pages ask for it: another one, a shorter one, wishes, the story, chapters, what is
//! meant; what the music lacks at its pace; and what the verdicts teach.

mod server;

use serde_json::{Value, json};
use server::Server;
use server::shoot::Shoot;
use std::collections::HashSet;

async fn made(server: &Server, path: &str, body: Value) -> String {
    let answer = server.post_json(path, &body.to_string()).await;
    assert_eq!(answer.status, 201, "{}", answer.body);
    let place: Value = serde_json::from_str(&answer.body).expect("JSON");
    let place = place["place"].as_str().expect("a place").to_owned();
    let id = place.split_once("draft=").expect("a draft").1.split('&').next().expect("an id").to_owned();
    let job = place.split("/arrange").next().expect("a job").to_owned();
    format!("{job}/drafts/{id}")
}

async fn new_draft(server: &Server, shoot: &Shoot) -> String {
    made(server, &format!("/jobs/{}/drafts", shoot.job), json!({})).await
}

fn shots(draft: &Value) -> &Vec<Value> {
    draft["shots"].as_array().expect("shots")
}

fn selects(draft: &Value) -> Vec<&str> {
    shots(draft).iter().map(|s| s["select"].as_str().expect("a select")).collect()
}

async fn draft(server: &Server, path: &str) -> Value {
    server.json(&format!("{path}.json")).await
}

#[tokio::test]
async fn another_one_is_really_different_and_says_what_it_gains_and_loses() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    let first = new_draft(&server, &shoot).await;
    let before = draft(&server, &first).await;
    let held = shots(&before)[4].clone();
    server.say(&format!("{first}/edit"), json!({ "do": "slip", "shot": held["id"], "by": 3 })).await;
    let before = draft(&server, &first).await;
    let second = made(&server, &format!("{first}/another"), json!({})).await;
    assert_ne!(first, second);
    let after = draft(&server, &second).await;
    let kept = shots(&after).iter().find(|s| s["id"] == held["id"]).expect("what a hand did is there");
    assert_eq!((&kept["start"], &kept["source"]), (&held["start"], &shots(&before)[4]["source"]));
    let same = |s: &&Value| shots(&before).iter().any(|b| b["start"] == s["start"] && b["select"] == s["select"]);
    let alike = shots(&after).iter().filter(same).count();
    assert!(alike * 2 <= shots(&after).len() + 1, "{alike} of {} are the same", shots(&after).len());
    assert_eq!(draft(&server, &first).await["shots"], before["shots"], "the first one stays");
    let id = first.rsplit('/').next().expect("an id");
    let against = server.json(&format!("{second}/against.json?other={id}")).await;
    let left: Vec<&str> = against["left"].as_array().expect("a list").iter().filter_map(Value::as_str).collect();
    let gone = selects(&before).iter().filter(|s| !selects(&after).contains(s)).count();
    assert_eq!(left.len(), gone);
    let same = server.json(&format!("{second}/against.json?other={}", second.rsplit('/').next().expect("an id"))).await;
    assert_eq!(same, json!({ "better": [], "worse": [], "left": [] }));
    server.stop().await;
}

#[tokio::test]
async fn a_shorter_one_keeps_heroes_and_order_on_a_version_of_the_music() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    for n in [20, 41] {
        let hero = format!("/jobs/{}/selects/{}", shoot.job, shoot.selects[n]);
        server.say(&hero, json!({ "do": "tier", "tier": "hero" })).await;
    }
    let first = new_draft(&server, &shoot).await;
    let before = draft(&server, &first).await;
    let shorter = made(&server, &format!("{first}/shorter"), json!({ "seconds": 12 })).await;
    let after = draft(&server, &shorter).await;
    let total = after["total"].as_u64().expect("frames");
    assert!((250..=350).contains(&total), "{total} frames of twelve seconds at 25");
    let order = selects(&before);
    let places: Vec<usize> = selects(&after).iter().filter_map(|s| order.iter().position(|b| b == s)).collect();
    assert!(places.windows(2).all(|pair| pair[0] < pair[1]), "in their order: {places:?}");
    assert!(places.len() >= shots(&after).len() - 1, "from the shots of the first");
    let heroes = [20, 41].map(|n| shoot.selects[n].to_string());
    let there = heroes.iter().filter(|hero| selects(&after).contains(&hero.as_str())).count();
    assert_eq!(there, 2, "heroes first");
    assert_eq!(after["passages"][0]["changed"], false, "its version is its own");
    for seconds in [json!(2), json!(60), json!(null)] {
        let body = json!({ "seconds": seconds });
        assert!(server.post_json(&format!("{first}/shorter"), &body.to_string()).await.status >= 400);
    }
    server.stop().await;
}

#[tokio::test]
async fn the_story_is_kept_undone_and_obeyed() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    let tell = format!("/jobs/{}/story", shoot.job);
    let (opens, closes) = (shoot.selects[55], shoot.selects[2]);
    server.say(&tell, json!({ "do": "opening", "select": opens })).await;
    server.say(&tell, json!({ "do": "closing", "select": closes })).await;
    let path = new_draft(&server, &shoot).await;
    let laid = draft(&server, &path).await;
    assert_eq!(selects(&laid)[0], opens.to_string());
    assert_eq!(*selects(&laid).last().expect("shots"), closes.to_string());
    assert_eq!(shots(&laid)[0]["why"][0], json!({ "part": "role", "words": "chosen to open with" }));

    let (early, late) = (selects(&laid)[2].to_owned(), selects(&laid)[6].to_owned());
    server.say(&tell, json!({ "do": "before", "first": late, "second": early })).await;
    let circle = server.refused(&tell, json!({ "do": "before", "first": early, "second": late })).await;
    assert!(circle.starts_with("these two cannot be put in this order"), "{circle}");
    assert_eq!(draft(&server, &path).await["pairs"].as_array().expect("pairs").len(), 1);
    let again = server.say(&format!("{path}/arrange"), json!({})).await;
    let place = |select: &str| selects(&again).iter().position(|s| *s == select);
    if let (Some(first), Some(second)) = (place(&late), place(&early)) {
        assert!(first < second);
    }
    // Said of the same once more, it is taken back; and so does undo.
    let story = server.say(&tell, json!({ "do": "opening", "select": opens })).await;
    assert_eq!(story["opening"], Value::Null);
    server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await;
    assert_eq!(draft(&server, &path).await["opening"], json!(opens));
    server.stop().await;
}

#[tokio::test]
async fn wishes_and_chapters_stay_with_their_draft() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    for (n, select) in shoot.selects.iter().enumerate().filter(|(n, _)| n % 2 == 0) {
        let path = format!("/jobs/{}/selects/{select}", shoot.job);
        server.say(&path, json!({ "do": "tag", "tag": "own:bench" })).await;
        assert!(n < 60);
    }
    let path = new_draft(&server, &shoot).await;
    let chapter = json!({ "from": 0, "to": 300, "words": "bench" });
    let said = server.say(&format!("{path}/chapter"), chapter).await;
    assert_eq!(said["chapters"], json!([{ "from": 0, "to": 300, "words": "bench", "selects": 30 }]));
    let again = server.say(&format!("{path}/arrange"), json!({})).await;
    let bench: HashSet<String> = shoot.selects.iter().step_by(2).map(ToString::to_string).collect();
    let off = |draft: &Value| {
        let inside = shots(draft).iter().filter(|s| s["start"].as_i64().expect("a frame") < 290);
        inside.filter(|s| !bench.contains(s["select"].as_str().expect("a select"))).count()
    };
    assert_eq!(off(&again), 0);
    // A chapter over a part of it leaves the rest.
    let split = server.say(&format!("{path}/chapter"), json!({ "from": 100, "to": 200, "words": "" })).await;
    let stretches: Vec<(i64, i64)> = split["chapters"]
        .as_array()
        .expect("chapters")
        .iter()
        .map(|c| (c["from"].as_i64().expect("a frame"), c["to"].as_i64().expect("a frame")))
        .collect();
    assert_eq!(stretches, [(0, 100), (200, 300)]);
    let wrong = server.refused(&format!("{path}/chapter"), json!({ "from": 9, "to": 9, "words": "x" })).await;
    assert_eq!(wrong, "a chapter begins before it ends");

    let wished =
        server.say(&format!("{path}/wishes"), json!({ "energy": false, "order": true, "framings": false })).await;
    assert_eq!(wished["wishes"]["order"], true);
    let laid = server.say(&format!("{path}/arrange"), json!({})).await;
    assert_eq!(laid["wishes"]["order"], true, "laying keeps it");
    server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await;
    server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await;
    assert_eq!(draft(&server, &path).await["wishes"]["order"], false);
    server.stop().await;
}

#[tokio::test]
async fn what_is_meant_is_not_said_again_and_a_repair_puts_right() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    let path = new_draft(&server, &shoot).await;
    let before = draft(&server, &path).await;
    let id = shots(&before)[2]["id"].clone();
    let off = server.say(&format!("{path}/edit"), json!({ "do": "move-cut", "shot": id, "by": 2 })).await;
    let finding = |draft: &Value| {
        let all = draft["findings"].as_array().expect("findings").clone();
        all.into_iter().find(|f| f["kind"] == "off-beat")
    };
    let found = finding(&off).expect("a cut beside its beat");
    let meant = json!({ "shot": found["shot"], "kind": "off-beat" });
    assert_eq!(finding(&server.say(&format!("{path}/meant"), meant.clone()).await), None);
    assert_eq!(finding(&draft(&server, &path).await), None, "it stays so");
    let again = server.say(&format!("{path}/meant"), meant).await;
    let repair = finding(&again).expect("it is said again")["repair"].clone();
    let repaired = server.say(&format!("{path}/edit"), repair).await;
    assert_eq!(finding(&repaired), None);
    assert_eq!(shots(&repaired)[3]["start"], shots(&before)[3]["start"]);
    server.stop().await;
}

#[tokio::test]
async fn what_the_music_lacks_is_counted_at_the_pace_of_the_draft() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let path = new_draft(&server, &shoot).await;
    let id = path.rsplit('/').next().expect("an id").to_owned();
    let wanted = async |query: &str| {
        let needs = server.json(&format!("/jobs/{}/sift/needs.json{query}", shoot.job)).await;
        needs.as_array().expect("needs").iter().map(|n| n["shots"].as_u64().expect("shots")).sum::<u64>()
    };
    let pace = |quarters: u8| {
        let section = json!({ "quarters": quarters, "varied": false, "on": "beats" });
        json!({ "pace": [section, section, section, section] })
    };
    server.say(&format!("{path}/arrange"), pace(8)).await;
    let (slow, newest) = (wanted(&format!("?draft={id}")).await, wanted("").await);
    assert_eq!(slow, newest, "without a draft, at that of the newest");
    server.say(&format!("{path}/arrange"), pace(1)).await;
    assert!(wanted(&format!("?draft={id}")).await > 2 * slow);
    server.stop().await;
}

#[tokio::test]
async fn cuts_fall_on_backbeats_where_a_section_asks_for_it() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    let path = new_draft(&server, &shoot).await;
    let on = |on: &str| {
        let section = json!({ "quarters": 4, "varied": true, "on": on });
        json!({ "pace": [section, section, section, section] })
    };
    let laid = server.say(&format!("{path}/arrange"), on("backbeats")).await;
    assert!(laid["sections"][0]["pace"].as_str().expect("words").ends_with("on backbeats"));
    let begins: HashSet<i64> =
        laid["sections"].as_array().expect("sections").iter().filter_map(|s| s["start"].as_i64()).collect();
    let beats: Vec<(i64, u32)> = draft(&server, &path).await["beats"]
        .as_array()
        .expect("beats")
        .iter()
        .map(|b| (b[0].as_i64().expect("a frame"), b[2].as_u64().expect("a beat") as u32))
        .collect();
    let cuts = shots(&laid).iter().filter_map(|s| s["start"].as_i64()).filter(|at| !begins.contains(at) && *at != 300);
    let on_beat = |at: i64| beats.iter().find(|b| b.0 == at).map(|b| b.1);
    let fell: Vec<Option<u32>> = cuts.map(on_beat).collect();
    let back = fell.iter().filter(|beat| beat.is_some_and(|b| b % 2 == 0)).count();
    // A cut may move on to another beat where that lets a shot show its action.
    assert!(back * 3 >= fell.len() * 2, "{fell:?}");
    assert!(fell.iter().all(Option::is_some), "all on beats: {fell:?}");
    server.stop().await;
}

#[tokio::test]
async fn what_the_verdicts_teach_waits_for_enough_of_them() {
    let server = Server::start().await;
    let shoot = server.shoot(120).await;
    let tends = format!("/jobs/{}/sift/tends.json", shoot.job);
    let silent = server.json(&tends).await;
    assert_eq!(
        (silent["speaks"].as_bool(), silent["says"].as_str()),
        (Some(false), Some("after 30 verdicts, 30 to go"))
    );
    // Clips are drawn the livelier the later: this editor keeps the lively ones.
    for n in (0..120).step_by(2) {
        let tier = ["out", "spare", "strong", "hero"][n * 4 / 120];
        let path = format!("/jobs/{}/selects/{}", shoot.job, shoot.selects[n * 37 % 120]);
        let lively = n * 37 % 120;
        let tier = if lively == n { tier } else { ["out", "spare", "strong", "hero"][lively * 4 / 120] };
        server.say(&path, json!({ "do": "tier", "tier": tier })).await;
    }
    let found = server.json(&tends).await;
    assert_eq!(found["speaks"], true, "{}", found["says"]);
    let unread: Vec<String> = found["unread"]
        .as_array()
        .expect("a list")
        .iter()
        .map(|t| t["select"].as_str().expect("a select").to_owned())
        .collect();
    let place = |select: &String| shoot.selects.iter().position(|s| s.to_string() == *select).expect("a select");
    let better: usize = unread[..unread.len() / 2].iter().map(place).sum();
    let worse: usize = unread[unread.len() / 2..].iter().map(place).sum();
    assert!(better > worse + worse / 2, "{better} against {worse}");
    assert!(found["unread"][0]["why"].as_str().is_some_and(|why| !why.is_empty()));
    server.stop().await;
}
