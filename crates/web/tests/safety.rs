//! What a page of another site, a strange address or a hostile name can do here: nothing.

mod server;

use legere_store::clips::NewClip;
use server::Server;

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
    for path in ["/", "/nothing", "/assets/own/legere.css", "/jobs/not-an-id/gather"] {
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
        "/media/previews/..%2f..%2fsecret.mp4",
        "/media/clips/../x",
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
    server.desk.store.add_clips(job, markup, "day one", &[file]).await.expect("a clip");
    server.desk.store.add_track(job, "media", "x.wav", markup, 1).await.expect("a track");
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
    // The database goes away under the page.
    server.desk.store.pool().close().await;
    let answer = server.get(&format!("/jobs/{job}/gather")).await;
    assert_eq!(answer.status, 500);
    assert_eq!(answer.body.trim(), "something went wrong inside Legere; the log says what");
    server.stop().await;
}

#[tokio::test]
async fn one_job_does_not_open_what_belongs_to_another() {
    let server = Server::start().await;
    let (mine, other) = (server.job("Mine").await, server.job("Other").await);
    let track = server.desk.store.add_track(other, "media", "x.wav", "x.wav", 1).await.expect("a track").expect("new");
    assert_eq!(server.get(&format!("/jobs/{mine}/tracks/{track}/reading.json")).await.status, 404);
    assert_eq!(server.get(&format!("/jobs/{other}/tracks/{track}/reading.json")).await.status, 200);
    server.stop().await;
}
