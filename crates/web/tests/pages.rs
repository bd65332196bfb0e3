//! What the pages answer when something is missing, wrong or new.

mod server;

use legere_store::queue::{Turn, Work};
use server::Server;
use std::process::Command;

#[tokio::test]
async fn a_new_job_is_asked_for_in_the_editors_words() {
    let server = Server::start().await;
    for (form, words) in [
        ("name=&length=45&rate=25&size=1920x1080", "a job needs a name"),
        ("name=A&length=soon&rate=25&size=1920x1080", "the length is written in seconds, or like 1:30"),
        ("name=A&length=1&rate=25&size=1920x1080", "the length must lie between 2 seconds and 2 hours"),
        ("name=A&length=45&rate=fast&size=1920x1080", "this is not a frame rate"),
        ("name=A&length=45&rate=25&size=big", "the frame size is written like 1920x1080"),
        ("name=A&length=45&rate=25&size=1921x1080", "the frame size must be even"),
    ] {
        let answer = server.post_form("/jobs", form).await;
        assert!(answer.status == 200 && answer.body.contains(words), "{form}: {}", answer.body);
        assert!(answer.body.contains("role=\"alert\""));
    }
    assert!(server.desk.store.jobs().await.expect("jobs").is_empty());
    let made = server.post_form("/jobs", "name=Spring&length=1:30&rate=24000/1001&size=1080x1920").await;
    assert_eq!(made.status, 303);
    let job = server.desk.store.jobs().await.expect("jobs").remove(0);
    assert_eq!((job.name.as_str(), job.target_seconds, job.width), ("Spring", Some(90.0), 1080));
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
    assert!(answer.body.contains("there is no music to arrange on yet: choose a track in Listen"), "{}", answer.body);
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
    for clip in server.desk.store.unfinished_clips().await.expect("clips") {
        server.desk.do_work(Turn::Do(Work::ReadClip(clip))).await;
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
    let page = server.get(&format!("/jobs/{job}/gather")).await.body;
    assert!(page.contains("the file is no longer where it was"), "{page}");
    server.stop().await;
}

#[tokio::test]
async fn broken_requests_are_refused_and_change_nothing() {
    let server = Server::start().await;
    let job = server.job("A job").await;
    let id = "00000000-0000-0000-0000-000000000000";
    for (path, body) in [
        (format!("/jobs/{job}/selects/{id}"), "{\"do\":\"tier\",\"tier\":\"best\"}"),
        (format!("/jobs/{job}/selects/{id}"), "{\"do\":\"mark\",\"mark\":\"in\",\"at\":1e999}"),
        (format!("/jobs/{job}/drafts/{id}/edit"), "{\"do\":\"burn\"}"),
        (format!("/jobs/{job}/drafts/{id}/arrange"), "{\"pace\":[[3,true]]}"),
        (format!("/jobs/{job}/tracks/{id}/version"), "{\"spans\":\"a\"}"),
    ] {
        let answer = server.post_json(&path, body).await;
        assert!(matches!(answer.status, 400 | 404 | 422), "{path} {body}: {} {}", answer.status, answer.body);
        assert!(!answer.body.to_lowercase().contains("sql"), "{}", answer.body);
    }
    assert_eq!(server.post_json(&format!("/jobs/{job}/undo"), "{}").await.status, 409);
    server.stop().await;
}
