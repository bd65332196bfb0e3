//! What the pages answer when something is missing, wrong or new.

mod server;

use legere_store::queue::{Delivery, Work};
use serde_json::json;
use server::Server;
use std::process::Command;

#[tokio::test]
async fn a_new_job_is_asked_for_in_the_editors_words() {
    let server = Server::start().await;
    for (form, words) in [
        ("name=&length=45&rate=25&size=1920x1080", "a name has at least one and at most 120 letters"),
        ("name=A&length=soon&rate=25&size=1920x1080", "a length is written in seconds"),
        ("name=A&length=1&rate=25&size=1920x1080", "the length must lie between 2 seconds and 2 hours"),
        ("name=A&length=45&rate=fast&size=1920x1080", "this is not a frame rate"),
        ("name=A&length=45&rate=2398/100&size=1920x1080", "a job has one of these frame rates: 23.976, 24, 25"),
        ("name=A&length=45&rate=25&size=big", "the frame size is written like 1920x1080"),
        ("name=A&length=45&rate=25&size=1921x1080", "the frame size must be even"),
    ] {
        let answer = server.post_form("/jobs", form).await;
        assert!(answer.status == 200 && answer.body.contains(words), "{form}: {}", answer.body);
        assert!(answer.body.contains("role=\"alert\""));
    }
    assert!(server.app.store.jobs().all().await.expect("jobs").whole.is_empty());
    let made = server.post_form("/jobs", "name=Spring&length=1:30&rate=24000/1001&size=1080x1920").await;
    assert_eq!(made.status, 303);
    let job = server.app.store.jobs().all().await.expect("jobs").whole.remove(0);
    assert_eq!((job.name.as_str(), job.target_seconds, job.width), ("Spring", Some(90.0), 1080));
    server.stop().await;
}

#[tokio::test]
async fn the_start_page_shows_how_far_each_job_is() {
    let server = Server::start().await;
    server.job("Nothing yet").await;
    let shoot = server.shoot(8).await;
    for select in &shoot.selects[..3] {
        server.say(&format!("/jobs/{}/selects/{select}", shoot.job), json!({ "do": "tier", "tier": "hero" })).await;
    }
    let page = server.get("/").await;
    assert_eq!(page.status, 200, "{}", page.body);
    let page = page.body;
    let row = |name: &str| {
        let from = page.find(&format!(">{name}<")).unwrap_or_else(|| panic!("{name}: {page}"));
        page[from..].split("</li>").next().expect("a row").to_owned()
    };
    let (empty, judged) = (row("Nothing yet"), row("The Short Hour"));
    assert!(empty.contains("no clips yet") && !empty.contains("<img"), "{empty}");
    for words in ["8 clips", "3 of 8 judged", "today "] {
        assert!(judged.contains(words), "{words}: {judged}");
    }
    assert!(!judged.contains("draft of"), "{judged}");
    assert_eq!(judged.matches("<img").count(), 6);
    // What was judged best stands in front, what was worked on last above.
    let first = judged.split("media/clips/").nth(1).expect("a still");
    assert!(shoot.clips[..3].iter().any(|clip| first.starts_with(&clip.to_string())), "{first}");
    assert!(page.find("The Short Hour") < page.find("Nothing yet"), "the last worked on first");
    let made = server.post_json(&format!("/jobs/{}/drafts", shoot.job), "{}").await;
    assert_eq!(made.status, 201);
    assert!(server.get("/").await.body.contains("draft of "));
    // A new job begins as the newest one, and what was refused stays as it was typed.
    let again = server.post_form("/jobs", "name=Spring&length=long&rate=24000/1001&size=1080x1920").await.body;
    for kept in ["value=\"Spring\"", "value=\"long\"", "value=\"24000/1001\" selected", "value=\"1080x1920\" selected"]
    {
        assert!(again.contains(kept), "{kept}: {again}");
    }
    assert!(page.contains("value=\"25/1\" selected") && page.contains("value=\"1920x1080\" selected"), "{page}");
    // Taken out and brought back.
    let restore = format!("/jobs/{}/restore", shoot.job);
    server.post_form(&restore, "restore=false").await;
    assert!(server.get("/").await.body.contains("Taken out: 1"));
    server.post_form(&restore, "restore=true").await;
    assert!(!server.get("/").await.body.contains("Taken out"));
    server.stop().await;
}

#[tokio::test]
async fn steps_that_wait_for_an_earlier_one_say_for_which() {
    let server = Server::start().await;
    let job = server.job("A job").await;
    for (page, words) in [
        ("gather", "Nothing here yet"),
        ("listen", "No music yet: bring in a folder with tracks in Gather."),
        ("arrange", "No draft yet."),
        ("watch", "There is nothing to watch yet: lay a draft in Arrange."),
        ("handoff", "There is nothing to hand off yet: lay a draft in Arrange."),
    ] {
        let answer = server.get(&format!("/jobs/{job}/{page}")).await;
        assert!(answer.status == 200 && answer.body.contains(words), "{page}: {}", answer.body);
    }
    let answer = server.post_form(&format!("/jobs/{job}/drafts"), "").await;
    let words = "there is no music to arrange on yet: choose a track in Listen";
    assert_eq!((answer.status, answer.body.as_str()), (422, words));
    assert_eq!(server.get("/jobs/00000000-0000-0000-0000-000000000000/gather").await.status, 404);
    server.stop().await;
}

#[tokio::test]
async fn a_folder_is_brought_in_once_and_its_trouble_stands_on_its_line() {
    let server = Server::start().await;
    let job = server.job("A job").await;
    let folder = server.dir.path().join("media/day one");
    let made = Command::new("ffmpeg")
        .args(["-v", "error", "-f", "lavfi", "-i", "testsrc2=size=640x360:rate=50:duration=1", "-pix_fmt", "yuv420p"])
        .arg(folder.join("C001.mp4"))
        .status();
    assert!(made.expect("ffmpeg").success());
    std::fs::write(folder.join("C002.mp4"), "no video").expect("written");
    std::fs::write(folder.join("readme.txt"), "not footage").expect("written");
    let address = format!("/jobs/{job}/bring");
    let bring = || server.post_form(&address, "root=media&path=");
    assert!(bring().await.body.contains("Brought in 2 clips and 0 tracks."));
    assert!(bring().await.body.contains("Brought in 0 clips and 0 tracks, 2 were there already."));
    for clip in server.app.store.clips().unfinished().await.expect("clips") {
        server.app.do_work(Delivery::Do(Work::ReadClip(clip))).await;
    }
    let page = server.get(&format!("/jobs/{job}/gather")).await.body;
    assert!(page.contains("1 cannot be read") && page.contains("this is not a video, or it is damaged beyond reading"));
    assert!(
        page.contains("50 → slows to 2.0×") && page.contains("640×360, enlarged 3.0×") && page.contains("silent"),
        "{page}"
    );
    // What vanishes later is said as well, and nothing else is lost.
    std::fs::remove_file(folder.join("C001.mp4")).expect("removed");
    assert!(bring().await.body.contains("there already"));
    server.app.files().look(job).await.expect("looked");
    let page = server.get(&format!("/jobs/{job}/gather")).await.body;
    assert!(page.contains("the file is no longer where it was"), "{page}");
    server.stop().await;
}

#[tokio::test]
async fn broken_requests_are_refused_and_change_nothing() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let made = server.post_form(&format!("/jobs/{}/drafts", shoot.job), "").await;
    assert_eq!(made.status, 201, "{}", made.body);
    let line = server.app.store.drafts().lines(shoot.job).await.expect("drafts").remove(0);
    let (job, select, draft, track) = (shoot.job, shoot.selects[0], line.id, shoot.track);
    let shot = server.app.store.drafts().get(draft).await.expect("the draft").body.cut.shots()[0].id;
    let before = server.json(&format!("/jobs/{job}/drafts/{draft}.json")).await;
    let many = format!("[{}]", vec!["[0,20]"; 350].join(","));
    for (path, body, status, words) in [
        (format!("selects/{select}"), r#"{"do":"tier","tier":"best"}"#.to_owned(), 400, "unknown variant `best`"),
        (format!("selects/{select}"), r#"{"do":"mark","mark":"in","at":1e999}"#.to_owned(), 400, "number out of range"),
        (
            format!("selects/{select}"),
            r#"{"do":"mark","mark":"in","at":1e300}"#.to_owned(),
            422,
            "in must come before out",
        ),
        (format!("drafts/{draft}/edit"), r#"{"do":"burn"}"#.to_owned(), 400, "unknown variant `burn`"),
        (
            format!("drafts/{draft}/edit"),
            format!(r#"{{"do":"slip","shot":"{shot}","by":9223372036854775807}}"#),
            422,
            "the clip has no more frames",
        ),
        (
            format!("drafts/{draft}/edit"),
            format!(r#"{{"do":"move-cut","shot":"{shot}","by":-9223372036854775808}}"#),
            422,
            "flash",
        ),
        (
            format!("drafts/{draft}/arrange"),
            r#"{"pace":[{"quarters":3,"varied":true}]}"#.to_owned(),
            422,
            "a pace is between",
        ),
        (
            format!("drafts/{draft}/arrange"),
            format!(r#"{{"pace":[{}]}}"#, vec![r#"{"quarters":4,"varied":true}"#; 5000].join(",")),
            422,
            "once for each section",
        ),
        (format!("tracks/{track}/version"), r#"{"spans":"a"}"#.to_owned(), 400, "invalid type"),
        (format!("tracks/{track}/version"), format!(r#"{{"spans":{many}}}"#), 422, "at most 100 parts"),
        (
            format!("tracks/{track}/marks"),
            r#"{"do":"retempo","start":-1e15,"end":10,"bpm":120}"#.to_owned(),
            422,
            "outside the track",
        ),
        ("drafts/nonsense/edit".to_owned(), "{}".to_owned(), 404, "there is nothing at this address"),
        (
            format!("tracks/{track}/about"),
            format!(r#"{{"title":"{}"}}"#, "x".repeat(600_000)),
            400,
            "larger than allowed",
        ),
    ] {
        let answer = server.post_json(&format!("/jobs/{job}/{path}"), &body).await;
        let reported = format!("{path} {}: {} {}", &body[..body.len().min(80)], answer.status, answer.body);
        assert_eq!(answer.status, status, "{reported}");
        assert!(answer.body.contains(words), "{reported}");
    }
    let after = server.json(&format!("/jobs/{job}/drafts/{draft}.json")).await;
    assert_eq!(after["shots"].as_array().map(std::vec::Vec::len), before["shots"].as_array().map(std::vec::Vec::len));
    server.stop().await;
}

#[tokio::test]
async fn whoever_asks_for_a_page_gets_a_page_also_when_there_is_none() {
    let server = Server::start().await;
    let page = [("Accept", "text/html,application/xhtml+xml")];
    for path in ["/jobs/00000000-0000-0000-0000-000000000000/gather", "/jobs/seven/sift", "/nowhere"] {
        let answer = server.ask("GET", path, &page, "").await;
        assert_eq!(answer.status, 404);
        assert!(answer.body.contains("<h1") && answer.body.contains("href=\"/\""), "{}", answer.body);
        let fragment = server.ask("GET", path, &[page[0], ("HX-Request", "true")], "").await;
        assert!(fragment.status == 404 && !fragment.body.contains('<'), "{}", fragment.body);
        assert!(!server.get(path).await.body.contains('<'), "data gets the words alone");
    }
    server.stop().await;
}
