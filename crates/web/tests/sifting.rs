//! Gathering, listening and sifting, as the pages ask for it.

mod server;

use legere_core::footage::{COLOURS, ClipReading, Event, FrameSignature, TONES};
use serde_json::{Value, json};
use server::NOBODY;
use server::Server;
use server::shoot::{self, Shoot, new_track};

fn select(shoot: &Shoot, at: usize) -> String {
    format!("/jobs/{}/selects/{}", shoot.job, shoot.selects[at])
}

async fn rows(server: &Server, shoot: &Shoot) -> Vec<Value> {
    server.json(&format!("/jobs/{}/sift/selects.json", shoot.job)).await.as_array().expect("rows").clone()
}

#[tokio::test]
async fn selects_come_in_recording_order_with_what_they_mean_for_the_job() {
    let server = Server::start().await;
    let shoot = server.shoot(6).await;
    let rows = rows(&server, &shoot).await;
    let names: Vec<&str> = rows.iter().filter_map(|r| r["name"].as_str()).collect();
    assert_eq!(names, ["C000", "C001", "C002", "C003", "C004", "C005"]);
    let first = &rows[0];
    assert_eq!((&first["tier"], &first["roll"], &first["slows"]), (&json!("unread"), &json!("day one"), &json!(2.0)));
    assert_eq!((&first["start"], &first["end"], &first["hit"]), (&json!(1.0), &json!(6.0), &json!(2.5)));
    assert_eq!(first["movement"], "right");
    let energies: Vec<f64> = rows.iter().filter_map(|r| r["energy"].as_f64()).collect();
    assert!(energies.windows(2).all(|w| w[0] < w[1]), "{energies:?}");
    server.stop().await;
}

#[tokio::test]
async fn verdicts_tags_and_notes_are_kept_and_can_be_taken_back() {
    let server = Server::start().await;
    let shoot = server.shoot(3).await;
    let path = select(&shoot, 0);
    for tier in ["hero", "strong", "spare", "out"] {
        assert_eq!(server.say(&path, json!({ "do": "tier", "tier": tier })).await["tier"], tier);
    }
    server.say(&path, json!({ "do": "tag", "tag": "framing:wide" })).await;
    let tagged = server.say(&path, json!({ "do": "tag", "tag": "framing:close" })).await;
    assert_eq!(tagged["tags"], json!(["framing:close"]), "one answer to one question");
    let tagged = server.say(&path, json!({ "do": "tag", "tag": "own:brass" })).await;
    assert_eq!(tagged["tags"], json!(["framing:close", "own:brass"]));
    let noted = server.say(&path, json!({ "do": "note", "words": "the second swing" })).await;
    assert_eq!(noted["note"], "the second swing");
    for label in ["note", "tag brass", "tag close", "tag wide", "out", "spare", "strong", "hero"] {
        assert_eq!(server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await["label"], label);
    }
    let row = rows(&server, &shoot).await.remove(0);
    assert_eq!((&row["tier"], &row["tags"], &row["note"]), (&json!("unread"), &json!([]), &json!("")));
    let answer = server.post_json(&path, &json!({ "do": "tag", "tag": "framing:sideways" }).to_string()).await;
    assert_eq!(answer.status, 400, "{}", answer.body);
    server.stop().await;
}

#[tokio::test]
async fn marks_fall_on_frames_and_keep_their_order() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let path = select(&shoot, 0);
    // 1.234 s lies in frame 61 of 50 a second, which begins at 1.22.
    let marked = server.say(&path, json!({ "do": "mark", "mark": "in", "at": 1.234 })).await;
    assert_eq!(marked["start"], 1.22);
    let marked = server.say(&path, json!({ "do": "mark", "mark": "out", "at": 4.0 })).await;
    assert_eq!((&marked["start"], &marked["hit"], &marked["end"]), (&json!(1.22), &json!(2.5), &json!(4.0)));
    let marked = server.say(&path, json!({ "do": "mark", "mark": "hit", "at": 0.5 })).await;
    assert_eq!((&marked["start"], &marked["hit"]), (&json!(0.5), &json!(0.5)), "a hit outside takes the in with it");
    let marked = server.say(&path, json!({ "do": "mark", "mark": "in", "at": 5.0 })).await;
    assert_eq!((&marked["start"], &marked["end"]), (&json!(5.0), &json!(8.0)), "an in behind the out takes the rest");
    let wrong = json!({ "do": "range", "start": 3.0, "end": 2.0, "hit": 2.5 });
    assert_eq!(server.refused(&path, wrong).await, "in must come before out, and the hit must lie between them");
    let taken = server.say(&path, json!({ "do": "range", "start": 1.0, "end": 6.0, "hit": 2.5 })).await;
    assert_eq!((&taken["start"], &taken["end"]), (&json!(1.0), &json!(6.0)));
    server.stop().await;
}

#[tokio::test]
async fn the_reading_of_a_clip_is_drawn_in_its_own_job_only() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let own = server.json(&format!("/jobs/{}/clips/{}/reading.json", shoot.job, shoot.clips[0])).await;
    assert_eq!(own["samples"]["motion"].as_array().map(Vec::len), Some(80));
    let other = server.job("Another").await;
    assert_eq!(server.get(&format!("/jobs/{other}/clips/{}/reading.json", shoot.clips[0])).await.status, 404);
    let foreign = format!("/jobs/{other}/selects/{}", shoot.selects[0]);
    let answer = server.post_json(&foreign, &json!({ "do": "tier", "tier": "out" }).to_string()).await;
    assert_eq!(answer.status, 404);
    assert_eq!(rows(&server, &shoot).await[0]["tier"], "unread");
    server.stop().await;
}

#[tokio::test]
async fn candidates_stand_by_how_near_their_length_is_and_tell_their_trouble() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let store = &server.app.store;
    // It lies where it should: whoever looks for it meanwhile finds it.
    let music = server.dir.path().join("media/music");
    std::fs::create_dir_all(&music).expect("a folder");
    std::fs::write(music.join("broken.mp3"), b"no music").expect("a file");
    let broken =
        store.tracks().import(shoot.job, NOBODY, &new_track("music/broken.mp3")).await.expect("track").expect("new");
    let row = store.tracks().get(broken).await.expect("a track");
    let words = "this is not a piece of music, or it is damaged beyond reading";
    store.tracks().state(&row, legere_store::clips::State::Failed, Some(words.into())).await.expect("kept");
    let page = server.get(&format!("/jobs/{}/listen", shoot.job)).await.body;
    assert!(
        page.contains("wanted 0:20")
            && page.contains("0:24 <span class=\"quiet\">+0:04</span>")
            && page.contains(words),
        "{page}"
    );
    assert!(page.find("Short").expect("the one") < page.find("broken").expect("the other"));
    // The page of a track that cannot be read stays with one that can.
    let page = server.get(&format!("/jobs/{}/listen?track={broken}", shoot.job)).await.body;
    assert!(page.contains(&format!("data-track=\"{}\"", shoot.track)), "{page}");
    let choose = server.post_json(&format!("/jobs/{}/tracks/{broken}/choose", shoot.job), "{}").await;
    assert!(choose.status == 422 && choose.body.contains("this track has not been read"), "{}", choose.body);
    let page = server.get(&format!("/jobs/{}/gather", shoot.job)).await.body;
    assert!(page.contains(&format!("<span class=\"problem\">{words}</span>")), "{page}");
    server.stop().await;
}

#[tokio::test]
async fn a_job_with_music_alone_has_something_already() {
    let server = Server::start().await;
    let job = server.job("Music first").await;
    server.app.store.tracks().import(job, NOBODY, &new_track("music/one.mp3")).await.expect("a track");
    let page = server.get(&format!("/jobs/{job}/gather")).await.body;
    assert!(page.contains("No clips yet") && !page.contains("Nothing here yet"), "{page}");
    assert!(page.contains("<span class=\"clip-name\">one.mp3</span>"), "{page}");
    server.stop().await;
}

#[tokio::test]
async fn a_card_of_two_days_is_two_rolls_and_two_rulers() {
    let server = Server::start().await;
    let shoot = server.shoot(6).await;
    let page = server.get(&format!("/jobs/{}/gather", shoot.job)).await.body;
    for words in ["Tuesday 12 May 2026", "Wednesday 13 May 2026", "from 09:00", "3 clips", "6 clips, 1 roll", "0:24"] {
        assert!(page.contains(words), "{words}: {page}");
    }
    // Each day has its ruler, with a mark for each of its clips.
    let paths: Vec<&str> = page.split("class=\"mark ready\"").skip(1).collect();
    assert_eq!(paths.len(), 2);
    assert!(paths.iter().all(|p| p.split("/>").next().is_some_and(|d| d.matches('M').count() == 3)), "{paths:?}");
    // An open page asks for the lines that changed, and gets those alone.
    let wanted = format!("{},{}", shoot.clips[1], shoot.clips[4]);
    let lines = server.get(&format!("/jobs/{}/gather/lines?clips={wanted},nonsense", shoot.job)).await.body;
    assert_eq!(lines.matches("<template>").count(), 2, "{lines}");
    assert!(lines.contains(&format!("id=\"clip-{}\"", shoot.clips[4])) && lines.contains("id=\"says-gather\""));
    assert_eq!(lines.matches("hx-swap-oob").count(), 4);
    server.stop().await;
}

#[tokio::test]
async fn folders_are_walked_inside_the_media_folders() {
    let server = Server::start().await;
    let job = server.job("A job").await;
    std::fs::create_dir_all(server.dir.path().join("media/day two/card b/.hidden")).expect("folders");
    let top = server.get(&format!("/jobs/{job}/gather/folders?root=media")).await.body;
    assert!(top.contains("day one") && top.contains("day two") && !top.contains("one folder up"), "{top}");
    let below = server.get(&format!("/jobs/{job}/gather/folders?root=media&path=day%20two")).await.body;
    assert!(below.contains("card b") && below.contains("one folder up") && below.contains("media/day two"), "{below}");
    let deeper = server.get(&format!("/jobs/{job}/gather/folders?root=media&path=day%20two/card%20b")).await.body;
    assert!(!deeper.contains(".hidden"), "{deeper}");
    let empty = server.post_form(&format!("/jobs/{job}/bring"), "root=media&path=day+two").await.body;
    assert!(empty.contains("There is no footage and no music in this folder."), "{empty}");
    assert_eq!(server.get(&format!("/jobs/{job}/gather/folders?root=elsewhere")).await.status, 403);
    server.stop().await;
}

#[tokio::test]
async fn a_clip_holds_as_many_selects_as_its_editor_cuts_out() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let (job, clip, first) = (shoot.job, shoot.clips[0], shoot.selects[0]);
    let of_clip = async || -> Vec<(f64, f64, f64, u64, u64)> {
        let all = server.json(&format!("/jobs/{job}/sift/selects.json")).await;
        let mine = all.as_array().expect("selects").iter().filter(|s| s["clip"] == clip.to_string());
        let number = |s: &serde_json::Value, key: &str| s[key].as_f64().expect("a number");
        let count = |s: &serde_json::Value, key: &str| s[key].as_u64().expect("a count");
        mine.map(|s| (number(s, "start"), number(s, "end"), number(s, "hit"), count(s, "place"), count(s, "of")))
            .collect()
    };
    assert_eq!(of_clip().await, [(1.0, 6.0, 2.5, 1, 1)]);
    let new = server.say(&format!("/jobs/{job}/clips/{clip}/selects"), json!({ "start": 6.5, "end": 7.5 })).await;
    assert_eq!((&new["tier"], &new["start"], &new["hit"]), (&json!("unread"), &json!(6.5), &json!(6.5)));
    server.say(&format!("/jobs/{job}/selects/{first}"), json!({ "do": "tag", "tag": "framing:close" })).await;
    // The hit stays with the part that it lies in, and what was said goes on for both.
    let later = server.say(&format!("/jobs/{job}/selects/{first}/split"), json!({ "at": 2.0 })).await;
    assert_eq!(later["tags"], json!(["framing:close"]));
    assert_eq!(of_clip().await, [(1.0, 2.0, 1.0, 1, 3), (2.0, 6.0, 2.5, 2, 3), (6.5, 7.5, 6.5, 3, 3)]);
    let words = server.refused(&format!("/jobs/{job}/selects/{first}/split"), json!({ "at": 5.0 })).await;
    assert!(words.contains("between in and out"), "{words}");
    let words = server.refused(&format!("/jobs/{job}/clips/{clip}/selects"), json!({ "start": 3.0, "end": 3.0 })).await;
    assert!(words.contains("in must come before out"), "{words}");

    let gone = format!("/jobs/{job}/selects/{}", later["id"].as_str().expect("an id"));
    assert_eq!(server.ask("DELETE", &gone, &[], "").await.status, 204);
    assert_eq!(server.get(&gone).await.status, 404);
    assert_eq!(of_clip().await.len(), 2);
    for label in ["remove the select", "split the select", "tag close", "new select"] {
        assert_eq!(server.say(&format!("/jobs/{job}/undo"), json!({})).await["label"], label);
    }
    assert_eq!(of_clip().await, [(1.0, 6.0, 2.5, 1, 1)], "as it was");
    server.stop().await;
}

async fn narrowed(server: &Server, shoot: &Shoot, query: &str) -> (Vec<usize>, Value) {
    let found = server.json(&format!("/jobs/{}/sift/narrow.json?{query}", shoot.job)).await;
    let place = |id: &Value| shoot.selects.iter().position(|s| Some(s.to_string().as_str()) == id.as_str());
    // What is shown is named, or what is not, whichever is shorter.
    let named = |key: &str| found[key].as_array().map(|ids| ids.iter().filter_map(place).collect::<Vec<_>>());
    let all = || (0..shoot.selects.len()).collect::<Vec<_>>();
    let shown = named("shown").unwrap_or_else(|| {
        let hidden = named("all_but").expect("one of both");
        all().into_iter().filter(|i| !hidden.contains(i)).collect()
    });
    if let Some(hidden) = found["all_but"].as_array() {
        assert!(2 * hidden.len() < rows(server, shoot).await.len());
    }
    (shown, found)
}

#[tokio::test]
async fn words_narrow_and_each_value_says_how_many_it_would_show() {
    let server = Server::start().await;
    let shoot = server.shoot(6).await;
    server.say(&select(&shoot, 1), json!({ "do": "tier", "tier": "hero" })).await;
    server.say(&select(&shoot, 2), json!({ "do": "tier", "tier": "strong" })).await;
    server.say(&select(&shoot, 2), json!({ "do": "note", "words": "the second swing" })).await;
    server.say(&select(&shoot, 4), json!({ "do": "label", "label": { "word": "Flare", "tone": "moss" } })).await;
    assert_eq!(narrowed(&server, &shoot, "words=hero,strong").await.0, [1, 2]);
    assert_eq!(narrowed(&server, &shoot, "words=~right%20-unread").await.0, [1, 2]);
    assert_eq!(narrowed(&server, &shoot, "words=%22second%20swing%22").await.0, [2]);
    assert_eq!(narrowed(&server, &shoot, "words=label:flare").await.0, [4]);
    assert_eq!(narrowed(&server, &shoot, "words=slow%3E%3D2x%20length%3E4%20c003").await.0, [3]);
    let (shown, found) = narrowed(&server, &shoot, "words=hero%20mood:sad%20belll").await;
    assert!(shown.is_empty());
    let problems = found["problems"].to_string();
    assert!(problems.contains("nothing is called mood") && problems.contains("belll"), "{problems}");
    let (_, all) = narrowed(&server, &shoot, "words=").await;
    for count in all["counts"].as_array().expect("counts") {
        let term = count["term"].as_str().expect("a term");
        let query = format!("words={}", term.replace(' ', "%20").replace('"', "%22"));
        let (shown, _) = narrowed(&server, &shoot, &query).await;
        assert_eq!(Some(shown.len() as u64), count["count"].as_u64(), "{term}");
    }
    // By a name, kept with the job.
    let path = format!("/jobs/{}/sift/searches", shoot.job);
    let kept = server.say(&path, json!({ "name": "the good ones", "words": "hero,strong" })).await;
    assert_eq!(kept, json!([{ "name": "the good ones", "words": "hero,strong" }]));
    assert!(server.get(&format!("/jobs/{}/sift", shoot.job)).await.body.contains("the good ones"));
    assert_eq!(server.say(&path, json!({ "name": "the good ones", "words": "" })).await, json!([]));
    server.stop().await;
}

#[tokio::test]
async fn many_are_dealt_with_as_one_and_taken_back_as_one() {
    let server = Server::start().await;
    let shoot = server.shoot(5).await;
    let some: Vec<String> = shoot.selects[1..4].iter().map(ToString::to_string).collect();
    let many = format!("/jobs/{}/sift/many", shoot.job);
    server.say(&select(&shoot, 2), json!({ "do": "tag", "tag": "own:brass" })).await;
    // One has it and the others have not: all get it, none loses it.
    server.say(&many, json!({ "selects": some, "said": [{ "do": "tag", "tag": "own:brass" }] })).await;
    server.say(&many, json!({ "selects": some, "said": [{ "do": "tier", "tier": "spare" }, { "do": "mute" }], "label": "spare and mute" })).await;
    let seen = async || -> Vec<(Value, Value, Value)> {
        rows(&server, &shoot)
            .await
            .into_iter()
            .map(|r| (r["tier"].clone(), r["tags"].clone(), r["muted"].clone()))
            .collect()
    };
    let now = seen().await;
    let wanted = (json!("spare"), json!(["own:brass"]), json!(true));
    assert_eq!(now[1..4], [wanted.clone(), wanted.clone(), wanted]);
    assert_eq!(now[4], (json!("unread"), json!([]), json!(false)));
    // A second time it is taken off, since all have it.
    server.say(&many, json!({ "selects": some, "said": [{ "do": "tag", "tag": "own:brass" }] })).await;
    assert_eq!(seen().await[2].1, json!([]));
    server.say(&many, json!({ "selects": some, "said": [{ "do": "leave-out" }] })).await;
    assert_eq!(seen().await.len(), 2);
    let undo = format!("/jobs/{}/undo", shoot.job);
    for label in ["leave out, 3 selects", "tag brass, 3 selects", "spare and mute, 3 selects", "tag brass, 3 selects"] {
        assert_eq!(server.say(&undo, json!({})).await["label"], label);
    }
    let then = seen().await;
    assert_eq!(then[1], (json!("unread"), json!([]), json!(false)));
    assert_eq!(then[2].1, json!(["own:brass"]), "what was said of one alone stays");
    server.stop().await;
}

#[tokio::test]
async fn what_is_said_of_a_clip_holds_for_what_is_cut_out_of_it_later() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    server.say(&select(&shoot, 0), json!({ "do": "mute" })).await;
    server.say(&select(&shoot, 0), json!({ "do": "clip-tag", "tag": "light:night" })).await;
    let later = server.say(&format!("{}/split", select(&shoot, 0)), json!({ "at": 3.0 })).await;
    let shown = async |query: &str| {
        let found = narrowed(&server, &shoot, query).await.1;
        let count = |key: &str| found[key].as_array().map(Vec::len);
        let all = rows(&server, &shoot).await.len();
        count("shown").unwrap_or_else(|| all - count("all_but").expect("one of both"))
    };
    assert_eq!((&later["muted"], &later["clip_tags"]), (&json!(true), &json!(["light:night"])));
    assert_eq!(shown("words=night%20muted").await, 2);
    // One of them is another light after all.
    let path = format!("/jobs/{}/selects/{}", shoot.job, later["id"].as_str().expect("an id"));
    server.say(&path, json!({ "do": "tag", "tag": "light:dusk" })).await;
    assert_eq!(shown("words=night").await, 1);
    // Joined again, both parts' words stay.
    server.say(&path, json!({ "do": "tier", "tier": "hero" })).await;
    let joined = server.say(&format!("{}/join", select(&shoot, 0)), json!({})).await;
    assert_eq!((&joined["start"], &joined["end"], &joined["tier"]), (&json!(1.0), &json!(6.0), &json!("hero")));
    assert_eq!(joined["tags"], json!(["light:dusk"]));
    assert_eq!(rows(&server, &shoot).await.len(), 2);
    let words = server.refused(&format!("{}/join", select(&shoot, 0)), json!({})).await;
    assert!(words.contains("the last select of its clip"), "{words}");
    server.stop().await;
}

#[tokio::test]
async fn what_is_no_fault_is_said_once_and_stays_said() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let path = select(&shoot, 0);
    let said = server.say(&path, json!({ "do": "no-fault", "fault": "shake" })).await;
    assert_eq!(said["no_faults"], json!(["shake"]));
    // Whatever is read later.
    let clip = server.app.store.clips().get(shoot.clips[0]).await.expect("a clip");
    server.read_again(&clip, &shoot::reading(0.4)).await;
    assert_eq!(rows(&server, &shoot).await[0]["no_faults"], json!(["shake"]));
    let taken_back = server.say(&path, json!({ "do": "no-fault", "fault": "shake" })).await;
    assert_eq!(taken_back["no_faults"], json!([]));
    assert_eq!(server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await["label"], "no fault: it shakes");
    assert_eq!(rows(&server, &shoot).await[0]["no_faults"], json!(["shake"]));
    let wrong = server.post_json(&path, &json!({ "do": "no-fault", "fault": "dull" }).to_string()).await;
    assert_eq!(wrong.status, 400);
    server.stop().await;
}

#[tokio::test]
async fn a_clip_softer_than_the_rest_of_its_job_is_out_of_focus_all_along() {
    let server = Server::start().await;
    let shoot = server.shoot(6).await;
    let soft = |row: &Value| {
        let faults = row["faults"].as_array().expect("faults");
        faults
            .iter()
            .filter(|f| f["kind"] == "soft")
            .map(|f| (f["start"].clone(), f["end"].clone()))
            .collect::<Vec<_>>()
    };
    assert!(rows(&server, &shoot).await.iter().all(|r| soft(r).is_empty() && r["soft_in_job"] == false));
    let clip = server.app.store.clips().get(shoot.clips[2]).await.expect("a clip");
    let mut missed = shoot::reading(0.4);
    missed.samples.sharpness.fill(0.2);
    missed.samples.warmth = vec![0.4; 80];
    server.read_again(&clip, &missed).await;
    let reported: Vec<Value> = rows(&server, &shoot).await;
    assert_eq!(soft(&reported[2]), [(json!(0.0), json!(8.0))]);
    assert_eq!(
        reported.iter().map(|r| r["soft_in_job"] == true).collect::<Vec<_>>(),
        [false, false, true, false, false, false]
    );
    assert_eq!(narrowed(&server, &shoot, "words=unsharp").await.0, [2]);
    assert_eq!(narrowed(&server, &shoot, "words=warm").await.0, [2]);
    assert!(narrowed(&server, &shoot, "words=shaky").await.0.is_empty(), "it shakes before its in and beyond its out");
    // What a person says of it counts.
    server.say(&select(&shoot, 2), json!({ "do": "no-fault", "fault": "soft" })).await;
    assert!(narrowed(&server, &shoot, "words=unsharp").await.0.is_empty());
    server.stop().await;
}

#[tokio::test]
async fn a_long_take_is_broken_up_into_its_events_around_what_was_judged() {
    let server = Server::start().await;
    let shoot = server.shoot(2).await;
    let events = |times: &[(f64, f64)]| -> Vec<Event> {
        times
            .iter()
            .map(|(start, end)| Event { start: *start, end: *end, energy: 30.0, what: "much moves".into() })
            .collect()
    };
    let path = format!("/jobs/{}/clips/{}/events", shoot.job, shoot.clips[0]);
    let none = server.refused(&path, json!({})).await;
    assert!(none.starts_with("one thing happens in this clip"), "{none}");
    let clip = server.app.store.clips().get(shoot.clips[0]).await.expect("a clip");
    let reading = ClipReading { events: events(&[(0.0, 2.0), (2.0, 5.0), (5.5, 8.0)]), ..shoot::reading(0.4) };
    server.read_again(&clip, &reading).await;
    let of_clip = async || {
        let rows = rows(&server, &shoot).await;
        let mine = rows.iter().filter(|r| r["name"] == "C000");
        mine.map(|r| (r["start"].as_f64().expect("s"), r["end"].as_f64().expect("s"), r["tier"].clone()))
            .collect::<Vec<_>>()
    };
    server.say(&path, json!({})).await;
    let unread = json!("unread");
    let three = [(0.0, 2.0, unread.clone()), (2.0, 5.0, unread.clone()), (5.5, 8.0, unread.clone())];
    assert_eq!(of_clip().await, three, "what nobody had said anything of made room");
    server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await;
    assert_eq!(of_clip().await, [(1.0, 6.0, unread.clone())]);
    // What was judged stays, and nothing is laid over it.
    server.say(&select(&shoot, 0), json!({ "do": "tier", "tier": "hero" })).await;
    let refused = server.refused(&path, json!({})).await;
    assert!(refused.starts_with("every event of this clip lies in"), "{refused}");
    server.say(&select(&shoot, 0), json!({ "do": "range", "start": 2.0, "end": 5.0, "hit": 2.5 })).await;
    server.say(&path, json!({})).await;
    assert_eq!(of_clip().await, [(0.0, 2.0, unread.clone()), (2.0, 5.0, json!("hero")), (5.5, 8.0, unread)]);
    server.stop().await;
}

#[tokio::test]
async fn alike_takes_know_each_other() {
    let server = Server::start().await;
    let shoot = server.shoot(4).await;
    let look = |seed: usize| FrameSignature {
        tones: (0..TONES.0 * TONES.1).map(|i| ((i * i * seed * 37 + i * 11) % 230) as u8).collect(),
        colours: vec![(seed * 20) as i8; 2 * COLOURS.0 * COLOURS.1],
    };
    for (clip, seed) in shoot.clips.iter().zip([1, 2, 1, 3]) {
        let clip = server.app.store.clips().get(*clip).await.expect("a clip");
        server.read_again(&clip, &ClipReading { signatures: vec![look(seed)], ..shoot::reading(0.4) }).await;
    }
    let alike: Vec<Value> = rows(&server, &shoot).await.iter().map(|r| r["alike"].clone()).collect();
    let take = |n: usize| json!({ "group": 0, "take": n, "of": 2 });
    assert_eq!(alike, [take(1), Value::Null, take(2), Value::Null]);
    server.stop().await;
}

#[tokio::test]
async fn each_pass_goes_through_what_the_last_one_left() {
    let server = Server::start().await;
    let shoot = server.shoot(6).await;
    let passes = format!("/jobs/{}/sift/passes", shoot.job);
    let far = async |number: usize| -> (u64, u64, u64) {
        let all = server.json(&format!("{passes}.json")).await;
        let count = |key: &str| all[number - 1][key].as_u64().expect("a count");
        (count("selects"), count("left"), count("taken_out"))
    };
    assert_eq!(far(1).await, (6, 6, 0));
    for (at, tier) in ["out", "hero", "spare", "strong"].into_iter().enumerate() {
        server.say(&select(&shoot, at), json!({ "do": "tier", "tier": tier, "pass": 1 })).await;
    }
    assert_eq!(far(1).await, (6, 2, 1));
    let second = server.say(&passes, json!({ "through": "left" })).await;
    assert_eq!(second["number"], 2);
    assert_eq!(far(2).await, (5, 5, 0), "all but what is out");
    server.say(&select(&shoot, 2), json!({ "do": "tier", "tier": "out", "pass": 2 })).await;
    // The same verdict once more has been looked at as well.
    server.say(&select(&shoot, 1), json!({ "do": "tier", "tier": "hero", "pass": 2 })).await;
    assert_eq!(far(2).await, (5, 3, 1));
    assert_eq!(narrowed(&server, &shoot, "pass=2&left=true").await.0, [3, 4, 5]);
    assert_eq!(narrowed(&server, &shoot, "pass=2&left=false").await.0, [1, 2, 3, 4, 5]);
    // What is cut out meanwhile belongs to the pass.
    let clip = shoot.clips[0];
    server.say(&format!("/jobs/{}/clips/{clip}/selects", shoot.job), json!({ "start": 6.5, "end": 7.5 })).await;
    assert_eq!(far(2).await, (6, 4, 1));
    // Back to what was out, unread again.
    assert_eq!(server.say(&passes, json!({ "through": "out" })).await["number"], 3);
    assert_eq!(far(3).await.0, 2);
    let again = server.say(&select(&shoot, 2), json!({ "do": "tier", "tier": "unread", "pass": 3 })).await;
    assert_eq!((&again["tier"], &again["pass"]), (&json!("unread"), &json!(0)));
    // Where one was is kept with the pass.
    let id = second["id"].as_str().expect("an id");
    let place = json!({ "select": shoot.selects[3] }).to_string();
    assert_eq!(server.post_json(&format!("{passes}/{id}/place"), &place).await.status, 204);
    assert_eq!(server.json(&format!("{passes}.json")).await[1]["place"], json!(shoot.selects[3]));
    let undo = format!("/jobs/{}/undo", shoot.job);
    assert_eq!(server.say(&undo, json!({})).await["label"], "unread");
    assert_eq!(server.say(&undo, json!({})).await["label"], "begin pass 3");
    assert_eq!(server.json(&format!("{passes}.json")).await.as_array().map(Vec::len), Some(2));
    server.stop().await;
}

#[tokio::test]
async fn what_the_music_asks_for_moves_as_one_judges() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let needs = async || server.json(&format!("/jobs/{}/sift/needs.json", shoot.job)).await;
    let offered = |needs: &Value| -> u64 {
        needs.as_array().expect("a list").iter().map(|n| n["offered"].as_u64().expect("a count")).sum()
    };
    let before = needs().await;
    let shots: u64 = before.as_array().expect("a list").iter().map(|n| n["shots"].as_u64().expect("a count")).sum();
    assert!(shots > 4 && offered(&before) == 0, "{before}");
    for at in 0..40 {
        server.say(&select(&shoot, at), json!({ "do": "tier", "tier": "strong" })).await;
    }
    let after = needs().await;
    assert!(offered(&after) > 3 && offered(&after) <= shots, "{after}");
    // Pressing one narrows to what could fill it.
    let drop = after.as_array().expect("a list").iter().find(|n| n["kind"] == "drop").expect("a drop").clone();
    let words = drop["words"].as_str().expect("words").replace('>', "%3E").replace('=', "%3D").replace(' ', "%20");
    let (shown, found) = narrowed(&server, &shoot, &format!("words={words}")).await;
    assert!(!shown.is_empty() && found["problems"] == json!([]), "{drop}: {found}");
    server.stop().await;
}
