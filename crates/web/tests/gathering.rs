//! Gathering: rolls and their clocks, jobs that change, files that are dropped, turn up twice or somewhere else.

mod server;

use legere_core::id::JobId;
use legere_core::track::SoundKind;
use legere_store::clips::{Clip, State};
use legere_store::queue::{Delivery, Work};
use serde_json::{Value, json};
use server::Server;
use sha2::{Digest, Sha256};
use std::path::Path;
use std::process::Command;

fn ffmpeg(args: &[&str], to: &Path) {
    let status = Command::new("ffmpeg").args(["-v", "error", "-y"]).args(args).arg(to).status();
    assert!(status.expect("ffmpeg").success());
}

fn draw(to: &Path, hue: u32) {
    let source = format!("testsrc2=size=320x180:rate=25:duration=0.6,hue=h={hue}");
    ffmpeg(&["-f", "lavfi", "-i", &source, "-pix_fmt", "yuv420p"], to);
}

async fn clips(server: &Server, job: JobId) -> Vec<Clip> {
    let mut clips = server.app.store.clips().of_job(job).await.expect("clips").whole;
    clips.sort_by(|a, b| a.name.cmp(&b.name));
    clips
}

async fn work(server: &Server) {
    for clip in server.app.store.clips().unfinished().await.expect("clips") {
        server.app.do_work(Delivery::Do(Work::ReadClip(clip))).await;
    }
}

async fn bring(server: &Server, job: JobId) -> String {
    server.post_form(&format!("/jobs/{job}/bring"), "root=media&path=").await.body
}

#[tokio::test]
async fn a_roll_is_named_put_right_taken_apart_and_put_together() {
    let server = Server::start().await;
    let shoot = server.shoot(6).await;
    let page = async || server.get(&format!("/jobs/{}/gather", shoot.job)).await.body;
    let roll = server.app.store.rolls().of_job(shoot.job).await.expect("rolls")[0].id;
    let path = format!("/jobs/{}/rolls/{roll}", shoot.job);
    let change = async |form: &str| server.post_form(&path, form).await.status;
    assert_eq!(change("name=tower").await, 204);
    // The camera's clock was an hour behind: the calendar shows it at once, and undo brings it back.
    assert_eq!(change("clock=%2B1%3A00").await, 204);
    let shown = page().await;
    assert!(shown.contains("tower") && shown.contains("from 10:00") && shown.contains("clock +1:00:00"), "{shown}");
    assert_eq!(server.post_form(&path, "clock=soon").await.status, 422);
    let undo = format!("/jobs/{}/undo", shoot.job);
    assert_eq!(server.say(&undo, json!({})).await["label"], "put the clock right");
    assert!(page().await.contains("from 09:00"));
    // Two days are two rolls where somebody says so; a clip begins one as well.
    assert_eq!(change("pauses=true").await, 204);
    assert_eq!(server.app.store.rolls().of_job(shoot.job).await.expect("rolls").len(), 2);
    assert_eq!(server.post_form(&path, "pauses=true").await.status, 422, "there is no pause left");
    assert_eq!(change(&format!("split={}", shoot.clips[1])).await, 204);
    let of = async || -> Vec<usize> {
        let all = clips(&server, shoot.job).await;
        let rolls = server.app.store.rolls().of_job(shoot.job).await.expect("rolls");
        let mut counts: Vec<usize> = rolls.iter().map(|r| all.iter().filter(|c| c.roll == r.id).count()).collect();
        counts.retain(|n| *n > 0);
        counts.sort_unstable();
        counts
    };
    assert_eq!(of().await, [1, 2, 3]);
    let other = clips(&server, shoot.job).await[5].roll;
    assert_eq!(change(&format!("join={other}")).await, 204);
    assert_eq!(of().await, [2, 4]);
    for label in ["join the rolls", "split the roll", "split the roll at its pauses"] {
        assert_eq!(server.say(&undo, json!({})).await["label"], label);
    }
    assert_eq!(of().await, [6]);
    server.stop().await;
}

/// A short clip that says when it was recorded, and by which camera.
fn recorded(camera: &str, at: &str, to: &Path) {
    let (time, model) = (format!("creation_time=2026-05-12T{at}Z"), format!("model={camera}"));
    // Each is another file by its content.
    let title = format!("title={camera} {at}");
    ffmpeg(
        &[
            "-f",
            "lavfi",
            "-i",
            "testsrc2=size=320x180:rate=25:duration=1",
            "-pix_fmt",
            "yuv420p",
            "-metadata",
            &time,
            "-metadata",
            &model,
            "-metadata",
            &title,
            "-movflags",
            "use_metadata_tags",
        ],
        to,
    );
}

#[tokio::test]
async fn rolls_are_divided_by_camera_and_pauses_once_they_are_read() {
    let server = Server::start().await;
    let job = server.job("Cards").await;
    let folder = server.dir.path().join("media/day one");
    for (name, camera, at) in [
        ("a1.mp4", "HM1", "08:00:00"),
        ("b1.mp4", "HM2", "08:05:00"),
        ("a2.mp4", "HM1", "08:10:00"),
        ("b2.mp4", "HM2", "08:15:00"),
        ("a3.mp4", "HM1", "13:00:00"),
    ] {
        recorded(camera, at, &folder.join(name));
    }
    bring(&server, job).await;
    let of = async || -> Vec<(String, Vec<String>)> {
        let all = clips(&server, job).await;
        let rolls = server.app.store.rolls().of_job(job).await.expect("rolls");
        let names = |r| all.iter().filter(|c| c.roll == r).map(|c| c.name.clone()).collect::<Vec<_>>();
        rolls.into_iter().map(|r| (r.name, names(r.id))).filter(|(_, clips)| !clips.is_empty()).collect()
    };
    assert_eq!(of().await.len(), 1, "nothing is known before they are read");
    work(&server).await;
    let wanted = [
        ("day one", vec!["a1.mp4", "a2.mp4"]),
        ("day one, HM2", vec!["b1.mp4", "b2.mp4"]),
        ("day one, part 3", vec!["a3.mp4"]),
    ];
    let wanted =
        wanted.map(|(roll, clips)| (roll.to_owned(), clips.into_iter().map(str::to_owned).collect::<Vec<_>>()));
    assert_eq!(of().await, wanted);
    // What comes later finds its place, and nothing is undone that no person did.
    recorded("HM2", "08:30:00", &folder.join("b3.mp4"));
    bring(&server, job).await;
    work(&server).await;
    let rolls = of().await;
    assert_eq!(rolls.len(), 3, "{rolls:?}");
    assert_eq!(rolls[1].1, ["b1.mp4", "b2.mp4", "b3.mp4"]);
    // A person put them together: so they stay.
    let ids = server.app.store.rolls().of_job(job).await.expect("rolls");
    let id = |name: &str| ids.iter().find(|r| r.name == name).expect("the roll").id;
    let path = format!("/jobs/{job}/rolls/{}", id("day one, part 3"));
    assert_eq!(server.post_form(&path, &format!("join={}", id("day one"))).await.status, 204);
    recorded("HM1", "19:00:00", &folder.join("a4.mp4"));
    bring(&server, job).await;
    work(&server).await;
    assert_eq!(of().await[0].1, ["a1.mp4", "a2.mp4", "a3.mp4", "a4.mp4"]);
    server.stop().await;
}

#[tokio::test]
async fn what_a_change_of_the_job_means_is_said_before_and_can_be_taken_back() {
    let server = Server::start().await;
    let shoot = server.shoot(4).await;
    let draft = server.post_form(&format!("/jobs/{}/drafts", shoot.job), "").await;
    assert_eq!(draft.status, 201, "{}", draft.body);
    let form = "name=The+Long+Hour&length=0%3A30&rate=50%2F1&size=3840x2160&zone=Europe%2FLisbon";
    let means = server.post_form(&format!("/jobs/{}/settings/means", shoot.job), form).await.body;
    for words in [
        "0 of 4 clips can be slowed at 50, 4 could at 25.",
        "1 draft keeps its rate of 25",
        "4 of 4 clips must be enlarged to fill 3840×2160, 0 for 1920×1080.",
        "Europe/Lisbon",
    ] {
        assert!(means.contains(words), "{words}: {means}");
    }
    let odd = form.replace("3840x2160", "3840x2161");
    let wrong = server.post_form(&format!("/jobs/{}/settings/means", shoot.job), &odd).await;
    assert!(wrong.body.contains("must be even"), "{}", wrong.body);
    assert_eq!(server.post_form(&format!("/jobs/{}/settings", shoot.job), form).await.status, 204);
    let page = server.get(&format!("/jobs/{}/gather", shoot.job)).await.body;
    // In May the clocks of Lisbon are an hour ahead of UTC.
    for words in ["The Long Hour", "0:30 · 50 · 3840×2160", "no slow motion", "enlarged 2.0×", "from 10:00"] {
        assert!(page.contains(words), "{words}: {page}");
    }
    // The draft is what it was, at its own rate.
    let drafts = server.app.store.drafts().of_job(shoot.job).await.expect("drafts").whole;
    let shown = server.json(&format!("/jobs/{}/drafts/{}.json", shoot.job, drafts[0].id)).await;
    assert_eq!(shown["total"], 600, "24 s at 25: {shown}");
    assert_eq!(server.say(&format!("/jobs/{}/undo", shoot.job), json!({})).await["label"], "change the job");
    let page = server.get(&format!("/jobs/{}/gather", shoot.job)).await.body;
    assert!(page.contains("The Short Hour") && page.contains("25 · 1920×1080"), "{page}");
    server.stop().await;
}

#[tokio::test]
async fn the_same_file_twice_is_one_clip_and_a_moved_one_is_found_by_its_content() {
    let server = Server::start().await;
    let job = server.job("Card").await;
    let media = server.dir.path().join("media");
    draw(&media.join("day one/C000.mp4"), 0);
    draw(&media.join("day one/C001.mp4"), 90);
    bring(&server, job).await;
    work(&server).await;
    let before = clips(&server, job).await;
    // A copy on another card.
    std::fs::create_dir_all(media.join("copies")).expect("a folder");
    std::fs::copy(media.join("day one/C000.mp4"), media.join("copies/again.mp4")).expect("copied");
    bring(&server, job).await;
    work(&server).await;
    let after = clips(&server, job).await;
    assert_eq!(after.len(), 2, "{after:?}");
    let page = server.get(&format!("/jobs/{job}/gather")).await.body;
    assert!(page.contains("again.mp4") && page.contains("Left out: 1"), "{page}");
    // One is moved, and the new folder brought in: it is the same clip, with its select.
    std::fs::create_dir_all(media.join("sorted")).expect("a folder");
    std::fs::rename(media.join("day one/C001.mp4"), media.join("sorted/bell.mp4")).expect("moved");
    bring(&server, job).await;
    work(&server).await;
    let moved = clips(&server, job).await;
    let bell = moved.iter().find(|c| c.name == "bell.mp4").expect("found again");
    assert_eq!((bell.id, bell.missing, bell.state), (before[1].id, false, State::Ready));
    assert_eq!(moved.len(), 2);
    // A whole folder that went elsewhere is shown by hand.
    std::fs::rename(media.join("sorted"), media.join("elsewhere")).expect("moved");
    std::fs::rename(media.join("elsewhere/bell.mp4"), media.join("elsewhere/renamed.mp4")).expect("renamed");
    server.app.files().look(job).await.expect("looked");
    assert!(clips(&server, job).await.iter().any(|c| c.missing));
    let folders = server.get(&format!("/jobs/{job}/gather/folders?root=media")).await.body;
    assert!(folders.contains("Look here and below for 1"), "{folders}");
    let said = server.post_form(&format!("/jobs/{job}/find"), "root=media&path=elsewhere").await.body;
    assert!(said.contains("Found 1 of 1 clip"), "{said}");
    let found = clips(&server, job).await;
    assert!(found.iter().all(|c| !c.missing) && found.iter().any(|c| c.path == "elsewhere/renamed.mp4"));
    server.stop().await;
}

#[tokio::test]
async fn reading_rests_and_goes_on_and_what_is_looked_at_comes_first() {
    let server = Server::start().await;
    let job = server.job("Card").await;
    for i in 0..3 {
        draw(&server.dir.path().join(format!("media/day one/C00{i}.mp4")), i * 50);
    }
    bring(&server, job).await;
    assert_eq!(server.post_form(&format!("/jobs/{job}/rest"), "rest=true").await.status, 204);
    assert_eq!(server.app.store.queue().work_left().await.expect("counted"), 0);
    let page = server.get(&format!("/jobs/{job}/gather")).await.body;
    assert!(page.contains("reading rests"), "{page}");
    // Whoever asks all the same finds that it rests.
    work(&server).await;
    assert!(clips(&server, job).await.iter().all(|c| c.state == State::Waiting));
    assert_eq!(server.post_form(&format!("/jobs/{job}/rest"), "rest=false").await.status, 204);
    assert_eq!(server.app.store.queue().work_left().await.expect("counted"), 3);
    let last = clips(&server, job).await[2].id;
    let look = json!({ "clips": [last] }).to_string();
    assert_eq!(server.post_json(&format!("/jobs/{job}/gather/look"), &look).await.status, 204);
    let (first_seen, mut seen) = tokio::sync::mpsc::unbounded_channel();
    let worker = server.app.store.queue().start_worker("test", 1, move |delivery| {
        let first_seen = first_seen.clone();
        async move {
            let _ = first_seen.send(delivery);
            legere_store::queue::Outcome::Done
        }
    });
    assert_eq!(seen.recv().await, Some(Delivery::Do(Work::ReadClip(last))));
    worker.stop().await.expect("stopped");
    server.stop().await;
}

fn sha256(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect()
}

/// As the page announces a file that is smaller than two mebibytes.
fn announced(drop: u128, path: &str, bytes: &[u8]) -> Value {
    json!({
        "drop": uuid::Uuid::from_u128(drop),
        "path": path,
        "bytes": bytes.len(),
        "modified": 1_770_000_000_000_i64,
        "sample": sha256(bytes),
    })
}

/// Sends a file in pieces of a third; gives the answers.
async fn sent(server: &Server, job: JobId, file: Value, bytes: &[u8]) -> Vec<Value> {
    let uploads = format!("/jobs/{job}/uploads");
    let mut answers = vec![server.say(&uploads, file).await];
    loop {
        let last = &answers[answers.len() - 1];
        if last["whole"] == true {
            return answers;
        }
        let from = last["have"].as_u64().expect("a number") as usize;
        let piece = &bytes[from..bytes.len().min(from + bytes.len().div_ceil(3))];
        let path = format!("{uploads}/{}?from={from}", last["id"].as_str().expect("an id"));
        answers.push(server.put_piece(&path, piece, &sha256(piece)).await);
    }
}

#[tokio::test]
async fn a_dropped_file_goes_on_where_its_connection_broke() {
    let server = Server::start().await;
    let job = server.job("Dropped").await;
    let drawn = server.dir.path().join("drawn.mp4");
    draw(&drawn, 30);
    let bytes = std::fs::read(&drawn).expect("a clip");
    let uploads = format!("/jobs/{job}/uploads");
    let file = announced(1, "card a/C900.mp4", &bytes);
    let upload = server.say(&uploads, file.clone()).await;
    assert_eq!((&upload["have"], &upload["whole"]), (&json!(0), &json!(false)));
    let id = upload["id"].as_str().expect("an id").to_owned();
    let (first, second) = bytes.split_at(bytes.len() / 2);
    let damaged = server.put(&format!("{uploads}/{id}?from=0"), first).await;
    assert_eq!((damaged.status, damaged.body.contains("damaged")), (422, true), "{}", damaged.body);
    server.put_piece(&format!("{uploads}/{id}?from=0"), first, &sha256(first)).await;
    // The same file once more, as after a broken connection or from another window.
    assert_eq!(server.say(&uploads, file.clone()).await["have"], first.len());
    let late = server.put_piece(&format!("{uploads}/{id}?from=0"), first, &sha256(first)).await;
    assert_eq!((&late["have"], &late["whole"]), (&json!(first.len()), &json!(false)), "not written twice");
    let rest = server.put_piece(&format!("{uploads}/{id}?from={}", first.len()), second, &sha256(second)).await;
    assert_eq!(rest["whole"], true);
    assert_eq!(server.say(&uploads, file).await["whole"], true);
    assert_eq!(server.say(&format!("{uploads}/taken"), json!({})).await["clips"], 1);
    work(&server).await;
    let clip = clips(&server, job).await.remove(0);
    assert_eq!((clip.name.as_str(), clip.state), ("C900.mp4", State::Ready));
    let kept = server.app.shelf.originals().join(job.to_string()).join(uuid::Uuid::from_u128(1).to_string());
    assert_eq!(std::fs::read(kept.join("card a/C900.mp4")).expect("kept"), bytes);
    for (path, words) in
        [("notes.txt", "neither footage"), ("../../out.mp4", "cannot be taken in"), ("empty.mp4", "empty")]
    {
        let bytes: &[u8] = if path == "empty.mp4" { b"" } else { b"0123456789" };
        let refused = server.refused(&uploads, announced(1, path, bytes)).await;
        assert!(refused.contains(words), "{path}: {refused}");
    }
    let endless = json!({ "drop": uuid::Uuid::from_u128(1), "path": "endless.mp4", "bytes": 1_u64 << 40,
        "modified": 0, "sample": sha256(b"") });
    let answer = server.post_json(&uploads, &endless.to_string()).await;
    assert_eq!(answer.status, 507, "more than the disk has: {}", answer.body);
    server.stop().await;
}

#[tokio::test]
async fn two_cards_with_equal_names_from_two_windows_are_two_clips() {
    let server = Server::start().await;
    let job = server.job("Two cards").await;
    let card = |n: u32| {
        let drawn = server.dir.path().join("drawn.mp4");
        draw(&drawn, n);
        std::fs::read(&drawn).expect("a clip")
    };
    let (a, b) = (card(30), card(140));
    // Both windows at once, the second card from two windows at the same time.
    let name = "DCIM/C0001.MP4";
    let (one, two, again) = tokio::join!(
        sent(&server, job, announced(1, name, &a), &a),
        sent(&server, job, announced(2, name, &b), &b),
        sent(&server, job, announced(3, name, &b), &b),
    );
    assert!(one.len() >= 4 && [&two, &again].iter().all(|all| all[all.len() - 1]["whole"] == true));
    server.say(&format!("/jobs/{job}/uploads/taken"), json!({})).await;
    work(&server).await;
    let found = clips(&server, job).await;
    assert_eq!(found.iter().map(|c| c.name.as_str()).collect::<Vec<_>>(), ["C0001.MP4", "C0001.MP4"]);
    let contents: Vec<Vec<u8>> = found
        .iter()
        .map(|c| std::fs::read(server.app.shelf.originals().join(&c.path)).expect("the original"))
        .collect();
    assert!(contents.contains(&a) && contents.contains(&b), "neither is lost, neither is mixed");
    server.stop().await;
}

/// The same picture with Exif's word that the camera was held upright (orientation 6: turn it by 90° clockwise).
fn held_upright(from: &Path, to: &Path) {
    let jpeg = std::fs::read(from).expect("a picture");
    let mut exif = b"Exif\0\0II*\0\x08\0\0\0\x01\0".to_vec();
    exif.extend([0x12, 0x01, 3, 0, 1, 0, 0, 0, 6, 0, 0, 0, 0, 0, 0, 0]);
    let length = u16::try_from(exif.len() + 2).expect("short").to_be_bytes();
    std::fs::write(to, [&jpeg[..2], &[0xff, 0xe1], &length, &exif, &jpeg[2..]].concat()).expect("written");
}

/// Width and height of a JPEG, out of its frame header (ITU-T T.81).
fn size_of(jpeg: &[u8]) -> (u16, u16) {
    let at = jpeg.windows(2).position(|w| w[0] == 0xff && matches!(w[1], 0xc0..=0xc2)).expect("a frame header");
    let number = |i: usize| u16::from_be_bytes([jpeg[at + i], jpeg[at + i + 1]]);
    (number(7), number(5))
}

#[tokio::test]
async fn a_picture_is_a_clip_for_as_long_as_it_is_wanted() {
    let server = Server::start().await;
    let job = server.job("Pictures").await;
    let folder = server.dir.path().join("media/day one");
    ffmpeg(&["-f", "lavfi", "-i", "testsrc=size=1001x667", "-frames:v", "1"], &folder.join("dial.png"));
    // A number in its name makes no series of it.
    ffmpeg(
        &["-f", "lavfi", "-i", "testsrc2=size=640x360", "-frames:v", "1", "-update", "1"],
        &folder.join("a%03d.jpg"),
    );
    std::fs::write(folder.join("broken.jpg"), b"no picture").expect("written");
    held_upright(&folder.join("a%03d.jpg"), &folder.join("upright.jpg"));
    bring(&server, job).await;
    work(&server).await;
    let all = clips(&server, job).await;
    let dial = all.iter().find(|c| c.name == "dial.png").expect("the picture");
    let probe = dial.probe.as_ref().expect("read");
    assert_eq!((probe.width, probe.height, probe.picture, dial.state), (1001, 667, true, State::Ready));
    assert!((probe.duration.to_f64() - 5.0).abs() < 0.05, "{probe:?}");
    let failed: Vec<_> = all.iter().filter(|c| c.state == State::Failed).map(|c| c.name.as_str()).collect();
    assert_eq!(failed, ["broken.jpg"]);
    let selects = server.json(&format!("/jobs/{job}/sift/selects.json")).await;
    assert_eq!(selects.as_array().map(Vec::len), Some(3));
    let upright = all.iter().find(|c| c.name == "upright.jpg").expect("the picture");
    let turned = upright.probe.as_ref().expect("read");
    assert_eq!((turned.width, turned.height, turned.rotation), (360, 640, 90));
    let full = server.app.readings().full_frame(upright, 0.1).await.expect("a frame");
    assert_eq!(size_of(&full), (360, 640), "it stands upright on the screen as well");
    assert_eq!(server.post_form(&format!("/jobs/{job}/clips/{}/shown", dial.id), "seconds=2.4").await.status, 204);
    work(&server).await;
    let shown = server.app.store.clips().get(dial.id).await.expect("the picture");
    assert!((shown.probe.expect("read").duration.to_f64() - 2.4).abs() < 0.05);
    assert_eq!(server.post_form(&format!("/jobs/{job}/clips/{}/shown", dial.id), "seconds=9000").await.status, 422);
    server.stop().await;
}

#[tokio::test]
async fn a_short_sound_is_no_music_until_somebody_says_so() {
    let server = Server::start().await;
    let job = server.job("Sounds").await;
    let folder = server.dir.path().join("media/day one");
    ffmpeg(&["-f", "lavfi", "-i", "sine=frequency=440:duration=3"], &folder.join("bell.wav"));
    bring(&server, job).await;
    let track = server.app.store.tracks().of_job(job).await.expect("tracks").whole.remove(0);
    server.app.do_work(Delivery::Do(Work::ReadTrack(track.id))).await;
    let sound = server.app.store.tracks().get(track.id).await.expect("the sound");
    assert_eq!(sound.kind, SoundKind::Sound);
    assert_eq!(server.app.store.jobs().get(job).await.expect("the job").chosen_track, None);
    let listen = server.get(&format!("/jobs/{job}/listen")).await.body;
    assert!(listen.contains("No music yet"), "{listen}");
    let kind = format!("/jobs/{job}/tracks/{}/kind", track.id);
    assert_eq!(server.post_form(&kind, "kind=music").await.status, 204);
    let listen = server.get(&format!("/jobs/{job}/listen")).await.body;
    assert!(listen.contains("bell"), "{listen}");
    server.stop().await;
}

#[tokio::test]
async fn an_ambience_in_a_folder_of_sounds_is_none_of_the_music() {
    let server = Server::start().await;
    let job = server.job("Ambience").await;
    let day = server.dir.path().join("media/day one");
    // Wind has no beat, but an even noise seems to have one anywhere.
    for (folder, file) in [("SFX & atmos", "wind.wav"), ("music", "noise piece.wav")] {
        std::fs::create_dir_all(day.join(folder)).expect("a folder");
        ffmpeg(&["-f", "lavfi", "-i", "anoisesrc=color=pink:duration=12:amplitude=0.3"], &day.join(folder).join(file));
    }
    bring(&server, job).await;
    for track in server.app.store.tracks().of_job(job).await.expect("tracks").whole {
        server.app.do_work(Delivery::Do(Work::ReadTrack(track.id))).await;
    }
    let read = server.app.store.tracks().of_job(job).await.expect("tracks").whole;
    let mut kinds: Vec<(&str, SoundKind)> = read.iter().map(|t| (t.name.as_str(), t.kind)).collect();
    kinds.sort_by_key(|k| k.0);
    assert_eq!(kinds, [("noise piece.wav", SoundKind::Music), ("wind.wav", SoundKind::Sound)]);
    let listen = server.get(&format!("/jobs/{job}/listen")).await.body;
    assert!(listen.contains("noise piece") && !listen.contains("wind"), "{listen}");
    server.stop().await;
}

#[tokio::test]
async fn media_folders_are_added_below_what_was_allowed_and_nowhere_else() {
    let dir = tempfile::tempdir().expect("a folder");
    std::fs::create_dir_all(dir.path().join("disks/summer/card")).expect("folders");
    std::fs::create_dir_all(dir.path().join("private")).expect("folders");
    std::os::unix::fs::symlink(dir.path().join("private"), dir.path().join("disks/link")).expect("a link");
    draw(&dir.path().join("disks/summer/card/C1.mp4"), 0);
    let server = Server::start_allowing(vec![dir.path().join("disks")]).await;
    let job = server.job("Roots").await;
    let below = server.get(&format!("/jobs/{job}/gather/parents?parent=0")).await.body;
    assert!(below.contains("summer") && !below.contains(">link<"), "{below}");
    let roots = format!("/jobs/{job}/gather/roots");
    for outside in ["parent=0&path=link", "parent=0&path=..%2Fprivate", "parent=1&path="] {
        assert!(server.post_form(&roots, outside).await.status >= 400, "{outside}");
    }
    let added = server.post_form(&roots, "parent=0&path=summer").await.body;
    assert!(added.contains("summer is a media folder now"), "{added}");
    let brought = server.post_form(&format!("/jobs/{job}/bring"), "root=summer&path=card").await.body;
    assert!(brought.contains("Brought in 1 clip"), "{brought}");
    // It is there after a restart as well.
    assert_eq!(server.app.store.added_roots().await.expect("roots").len(), 1);
    server.stop().await;
}
