//! What a page of another site, a strange address or a hostile name can do here: nothing.

mod server;

use legere_store::clips::NewClip;
use server::shoot::new_track;
use server::{NOBODY, Server};

#[tokio::test]
async fn only_pages_of_this_server_act_here() {
    let server = Server::start().await;
    let job = server.job("A job").await;
    let own = format!("127.0.0.1:{}", server.port);
    let undo = format!("/jobs/{job}/undo");
    for (headers, wanted) in [
        (vec![("Host", "evil.example")], 403),
        (vec![("Host", "127.0.0.1:1")], 403),
        (vec![("Host", own.as_str())], 200),
    ] {
        assert_eq!(server.ask("GET", "/", &headers, "").await.status, wanted, "{headers:?}");
    }
    let from_here = format!("http://{own}");
    for (headers, wanted) in [
        (vec![("Origin", "http://evil.example")], 403),
        (vec![("Origin", "null")], 403),
        (vec![("Sec-Fetch-Site", "cross-site")], 403),
        (vec![("Sec-Fetch-Site", "same-site")], 403),
        // Nothing to undo is a conflict, so the request went through.
        (vec![("Origin", from_here.as_str()), ("Sec-Fetch-Site", "same-origin")], 409),
    ] {
        assert_eq!(server.ask("POST", &undo, &headers, "").await.status, wanted, "{headers:?}");
    }
    server.stop().await;
}

#[tokio::test]
async fn every_answer_carries_the_policy() {
    let server = Server::start().await;
    for path in ["/", "/nothing", "/assets/own/css/base.css", "/jobs/not-an-id/gather"] {
        let head = server.get(path).await.head;
        let policy = head
            .lines()
            .find_map(|l| l.strip_prefix("content-security-policy: "))
            .unwrap_or_else(|| panic!("{path}: {head}"));
        assert!(policy.contains("default-src 'self'") && policy.contains("object-src 'none'"), "{policy}");
        assert!(!policy.contains("unsafe"), "{policy}");
        assert!(head.contains("x-content-type-options: nosniff"));
    }
    server.stop().await;
}

#[tokio::test]
async fn nothing_outside_the_media_folders_is_reached() {
    let server = Server::start().await;
    let job = server.job("A job").await;
    for path in ["..", "../", "day one/../..", "%2e%2e", "/etc", "..%2f..%2fetc"] {
        let answer = server.post_form(&format!("/jobs/{job}/bring"), &format!("root=media&path={path}")).await;
        assert!(matches!(answer.status, 403 | 404), "{path}: {} {}", answer.status, answer.body);
        let folders =
            server.get(&format!("/jobs/{job}/gather/folders?root=media&path={}", path.replace(' ', "+"))).await;
        assert!(matches!(folders.status, 403 | 404), "{path}: {} {}", folders.status, folders.body);
    }
    for path in [
        "/assets/../Cargo.toml",
        "/assets/%2e%2e/src/lib.rs",
        "/jobs/00000000-0000-0000-0000-000000000000/media/previews/..%2f..%2fsecret.mp4",
        "/jobs/00000000-0000-0000-0000-000000000000/media/clips/../x",
    ] {
        assert!(matches!(server.get(path).await.status, 400 | 404), "{path}");
    }
    server.stop().await;
}

#[tokio::test]
async fn names_with_markup_are_text() {
    let server = Server::start().await;
    let markup = "<script>alert(1)</script>";
    let job = server.job(markup).await;
    let file = NewClip {
        root: "media".into(),
        path: format!("day one/{markup}.mp4"),
        name: format!("{markup}.mp4"),
        bytes: 1,
        modified: chrono::Utc::now(),
    };
    server.app.store.clips().import(job, NOBODY, markup, "day one", &[file]).await.expect("a clip");
    let track = legere_store::tracks::NewTrack { name: markup.into(), ..new_track("x.wav") };
    server.app.store.tracks().import(job, NOBODY, &track).await.expect("a track");
    for page in ["gather", "listen", "sift", "arrange", "watch", "handoff"] {
        let answer = server.get(&format!("/jobs/{job}/{page}")).await;
        assert_eq!(answer.status, 200, "{page}: {}", answer.body);
        assert!(!answer.body.contains(markup), "{page}");
    }
    assert!(server.get("/").await.body.contains("&#60;script&#62;"));
    server.stop().await;
}

#[tokio::test]
async fn what_goes_wrong_inside_stays_inside() {
    let server = Server::start().await;
    let job = server.job("A job").await;
    // A fault that no editor can do anything about.
    let broken = legere_store::sqlx::raw_sql("ALTER TABLE clip RENAME TO klip");
    broken.execute(server.app.store.pool()).await.expect("renamed");
    let answer = server.get(&format!("/jobs/{job}/gather")).await;
    assert_eq!(answer.status, 500);
    assert_eq!(answer.body.trim(), "something went wrong inside Legere; the log says what");
    // The database goes away under the page.
    server.app.store.pool().close().await;
    let answer = server.get(&format!("/jobs/{job}/gather")).await;
    assert_eq!(answer.status, 503);
    assert_eq!(answer.body.trim(), "the database is away for a moment: try again");
    server.stop().await;
}

/// Every address of a job that names something of it, with something of another job.
#[tokio::test]
async fn one_job_does_not_open_what_belongs_to_another() {
    let server = Server::start().await;
    let shoot = server.shoot(40).await;
    let other = server.job("Other").await;
    assert_eq!(server.post_form(&format!("/jobs/{}/drafts", shoot.job), "").await.status, 201);
    let draft = server.app.store.drafts().lines(shoot.job).await.expect("drafts").remove(0).id;
    let asked = server.post_form(&format!("/jobs/{}/handoffs", shoot.job), &format!("draft={draft}&kind=csv")).await;
    assert_eq!(asked.status, 200, "{}", asked.body);
    let handoff = server.app.store.handoffs().unfinished().await.expect("hand-offs").remove(0);
    server.app.do_work(legere_store::queue::Delivery::Do(legere_store::queue::Work::Handoff(handoff))).await;
    let (clip, select, track) = (shoot.clips[0], shoot.selects[0], shoot.track);
    let shot = server.app.store.drafts().get(draft).await.expect("a draft").body.cut.shots()[0].id;
    let pin = format!(r#"{{"do":"pin","shot":"{shot}","pin":"whole"}}"#);
    let json = [
        (format!("selects/{select}"), r#"{"do":"tier","tier":"hero"}"#),
        (format!("tracks/{track}/marks"), r#"{"do":"halve"}"#),
        (format!("tracks/{track}/version"), r#"{"level":0}"#),
        (format!("tracks/{track}/about"), "{}"),
        (format!("tracks/{track}/lengths"), r#"{"seconds":20,"keep":"nothing"}"#),
        (format!("tracks/{track}/choose"), "{}"),
        (format!("drafts/{draft}/edit"), pin.as_str()),
        (format!("drafts/{draft}/arrange"), "{}"),
        (format!("drafts/{draft}/copy"), "{}"),
        (format!("drafts/{draft}/name"), r#"{"name":"x"}"#),
        (format!("drafts/{draft}/notes"), r#"{"frame":1,"words":"x"}"#),
    ];
    for (path, body) in &json {
        assert_eq!(server.post_json(&format!("/jobs/{other}/{path}"), body).await.status, 404, "{path}");
    }
    for (path, form) in [
        (format!("clips/{clip}/again"), ""),
        (format!("clips/{clip}/restore"), "restore=false"),
        (format!("tracks/{track}/again"), ""),
        (format!("tracks/{track}/restore"), "restore=false"),
        ("handoffs".to_owned(), &*format!("draft={draft}&kind=csv")),
    ] {
        assert_eq!(server.post_form(&format!("/jobs/{other}/{path}"), form).await.status, 404, "{path}");
    }
    let get = [
        format!("selects/{select}"),
        format!("clips/{clip}/reading.json"),
        format!("tracks/{track}/reading.json"),
        format!("drafts/{draft}.json"),
        format!("drafts/{draft}/watch.json"),
        format!("drafts/{draft}/notes"),
        format!("drafts/{draft}/alternates?shot={shot}"),
        format!("media/handoffs/{handoff}"),
    ];
    for path in &get {
        assert_eq!(server.get(&format!("/jobs/{other}/{path}")).await.status, 404, "{path}");
        assert_eq!(server.get(&format!("/jobs/{}/{path}", shoot.job)).await.status, 200, "{path} is there in its own");
    }
    for path in [format!("drafts/{draft}"), format!("drafts/{draft}/notes/{draft}")] {
        assert_eq!(server.ask("DELETE", &format!("/jobs/{other}/{path}"), &[], "").await.status, 404, "{path}");
    }
    for (path, body) in json.iter().filter(|(path, _)| !path.contains("lengths")) {
        let answer = server.post_json(&format!("/jobs/{}/{path}", shoot.job), body).await;
        assert!((200..300).contains(&answer.status), "{path} works in its own job: {} {}", answer.status, answer.body);
    }
    server.stop().await;
}
