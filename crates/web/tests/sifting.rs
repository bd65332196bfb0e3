//! Gathering, listening and sifting, as the pages ask for it.

mod server;

use serde_json::{Value, json};
use server::NOBODY;
use server::Server;
use server::shoot::{Shoot, new_track};

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
    let store = &server.desk.store;
    // It lies where it should: whoever looks for it meanwhile finds it.
    let music = server.dir.path().join("media/music");
    std::fs::create_dir_all(&music).expect("a folder");
    std::fs::write(music.join("broken.mp3"), b"no music").expect("a file");
    let broken =
        store.import_track(shoot.job, NOBODY, &new_track("music/broken.mp3")).await.expect("track").expect("new");
    let row = store.track(broken).await.expect("a track");
    let words = "this is not a piece of music, or it is damaged beyond reading";
    store.track_state(&row, legere_store::clips::State::Failed, Some(words.into())).await.expect("kept");
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
    server.desk.store.import_track(job, NOBODY, &new_track("music/one.mp3")).await.expect("a track");
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
