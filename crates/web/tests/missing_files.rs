//! Files that went, came back, or are others than before; the work goes on meanwhile.

mod server;

use legere_core::id::{ClipId, JobId};
use legere_store::clips::{Clip, State};
use legere_store::queue::{Delivery, Work};
use serde_json::json;
use server::Server;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, SystemTime};

/// Draws a clip of half a second; `hue` makes it another one.
fn draw(to: &Path, hue: u32, seconds: f64) {
    let source = format!("testsrc2=size=320x180:rate=25:duration={seconds},hue=h={hue}");
    let made = Command::new("ffmpeg")
        .args(["-v", "error", "-y", "-f", "lavfi", "-i", &source, "-pix_fmt", "yuv420p"])
        .arg(to)
        .status();
    assert!(made.expect("ffmpeg").success());
}

struct Card {
    server: Server,
    job: JobId,
    folder: PathBuf,
    ids: Vec<ClipId>,
}

impl Card {
    /// Four clips, brought in and read, the first of them a hero.
    async fn read() -> Self {
        let server = Server::start().await;
        let job = server.job("Card").await;
        let folder = server.dir.path().join("media/day one");
        for i in 0..4 {
            draw(&folder.join(format!("C00{i}.mp4")), i * 40, 0.6);
        }
        let brought = server.post_form(&format!("/jobs/{job}/bring"), "root=media&path=").await;
        assert!(brought.body.contains("Brought in 4 clips"), "{}", brought.body);
        let mut card = Self { server, job, folder, ids: Vec::new() };
        card.work().await;
        let clips = card.clips().await;
        assert!(clips.iter().all(|c| c.state == State::Ready), "{clips:?}");
        card.ids = clips.iter().map(|c| c.id).collect();
        let selects = card.server.json(&format!("/jobs/{job}/sift/selects.json")).await;
        let first = selects.as_array().expect("selects").iter().find(|s| s["name"] == "C000").expect("the first");
        let path = format!("/jobs/{job}/selects/{}", first["id"].as_str().expect("an id"));
        card.server.say(&path, json!({ "do": "tier", "tier": "hero" })).await;
        card
    }

    /// By name.
    async fn clips(&self) -> Vec<Clip> {
        let mut clips = self.server.app.store.clips().of_job(self.job).await.expect("clips").whole;
        clips.sort_by(|a, b| a.name.cmp(&b.name));
        clips
    }

    /// Does what waits.
    async fn work(&self) {
        for clip in self.server.app.store.clips().unfinished().await.expect("clips") {
            self.server.app.do_work(Delivery::Do(Work::ReadClip(clip))).await;
        }
    }

    async fn look(&self) -> String {
        self.server.app.files().look(self.job).await.expect("looked");
        self.server.get(&format!("/jobs/{}/gather", self.job)).await.body
    }

    async fn heroes(&self) -> usize {
        let selects = self.server.json(&format!("/jobs/{}/sift/selects.json", self.job)).await;
        selects.as_array().expect("selects").iter().filter(|s| s["tier"] == "hero").count()
    }
}

#[tokio::test]
async fn a_verdict_stays_with_its_content_until_the_editor_says_that_another_file_is_the_same_shot() {
    let card = Card::read().await;
    let before = card.clips().await.remove(0);
    draw(&card.folder.join("C000.mp4"), 180, 1.2);
    let page = card.look().await;
    assert!(page.contains("another file lies in its place now"), "{page}");
    card.work().await;
    let both: Vec<Clip> = card.clips().await.into_iter().filter(|c| c.name == "C000.mp4").collect();
    let (old, new) = (both.iter().find(|c| c.id == before.id), both.iter().find(|c| c.id != before.id));
    let (old, new) = (old.expect("the judged one stays"), new.expect("the new one is a clip of its own"));
    assert_eq!((old.missing, &old.digest, new.missing, new.state), (true, &before.digest, false, State::Ready));
    assert_ne!(new.digest, before.digest);
    assert_eq!(card.heroes().await, 1, "the verdict is on the one that it was said of");
    // The editor says that it is the same shot: what was said of the old file holds for the new one.
    assert!(page.contains("it is the same shot"), "{page}");
    let adopted = card.server.post_form(&format!("/jobs/{}/clips/{}/adopt", card.job, before.id), "").await;
    assert_eq!(adopted.status, 204, "{}", adopted.body);
    card.work().await;
    let after: Vec<Clip> = card.clips().await.into_iter().filter(|c| c.name == "C000.mp4").collect();
    assert_eq!(
        after.iter().map(|c| (c.id, c.state, c.missing)).collect::<Vec<_>>(),
        [(before.id, State::Ready, false)]
    );
    let lasts = |clip: &Clip| clip.probe.as_ref().expect("probed").duration.to_f64();
    assert!((lasts(&before) - 0.6).abs() < 0.05 && (lasts(&after[0]) - 1.2).abs() < 0.05);
    assert_eq!(card.heroes().await, 1);
    assert!(!card.look().await.contains("another file"));
    card.server.stop().await;
}

#[tokio::test]
async fn another_file_in_the_place_of_a_clip_that_nobody_judged_is_read_in_its_place() {
    let card = Card::read().await;
    let before = card.clips().await.remove(1);
    draw(&card.folder.join("C001.mp4"), 180, 1.2);
    let page = card.look().await;
    assert!(page.contains("another file lies here now"), "{page}");
    card.work().await;
    let clips = card.clips().await;
    assert_eq!((clips.len(), clips[1].id, clips[1].state), (4, before.id, State::Ready));
    assert_ne!(clips[1].digest, before.digest);
    card.server.stop().await;
}

#[tokio::test]
async fn a_file_with_another_time_is_the_same_file() {
    let card = Card::read().await;
    let file = std::fs::File::options().write(true).open(card.folder.join("C001.mp4")).expect("the file");
    file.set_modified(SystemTime::now() - Duration::from_hours(24)).expect("set");
    card.look().await;
    assert!(card.clips().await.iter().all(|c| c.state == State::Ready && !c.missing));
    card.server.stop().await;
}

#[tokio::test]
async fn a_disk_that_is_away_is_away_and_all_is_there_when_it_is_back() {
    let card = Card::read().await;
    let (media, drawer) = (card.server.dir.path().join("media"), card.server.dir.path().join("drawer"));
    std::fs::rename(&media, &drawer).expect("unplugged");
    let page = card.look().await;
    assert_eq!(page.matches("the file is no longer where it was").count(), 4, "{page}");
    // The work goes on with the light copies.
    let sheet = card.server.get(&format!("/jobs/{}/media/clips/{}/sheet.jpg", card.job, card.ids[0])).await;
    assert_eq!(sheet.status, 200);
    assert_eq!(card.heroes().await, 1);
    // Another disk of the same name has other files of the same names: they are none of ours.
    std::fs::create_dir_all(media.join("day one")).expect("another disk");
    for i in 0..4 {
        draw(&media.join(format!("day one/C00{i}.mp4")), 200 + i * 20, 0.9);
    }
    card.look().await;
    let clips = card.clips().await;
    assert!(clips.iter().all(|c| c.missing && c.state == State::Ready), "not read as if they were ours: {clips:?}");
    std::fs::remove_dir_all(&media).expect("unplugged");
    std::fs::rename(&drawer, &media).expect("plugged in again");
    let page = card.look().await;
    assert!(!page.contains("the file is no longer"), "{page}");
    assert!(card.clips().await.iter().all(|c| c.state == State::Ready && !c.missing));
    card.server.stop().await;
}

#[tokio::test]
async fn a_reading_made_anew_leaves_the_light_copy_that_is_there() {
    let card = Card::read().await;
    let folder = card.server.app.shelf.clip(&card.ids[1].to_string());
    let made = || std::fs::metadata(folder.join("light.mp4")).and_then(|m| m.modified()).expect("a light copy");
    let (before, first) = (card.clips().await[1].version, made());
    let another_way = legere_analysis::footage::READING_VERSION + 1;
    for (remade, copies_made) in [(false, None), (true, Some("light copy 960 wide, way 0\n"))] {
        if let Some(way) = copies_made {
            std::fs::write(folder.join("made.txt"), way).expect("written");
        }
        card.server.app.store.clips().outdated_wait(another_way).await.expect("looked");
        assert_eq!(card.clips().await[1].state, State::Waiting);
        card.work().await;
        let clip = card.clips().await.remove(1);
        assert_eq!((clip.state, made() == first), (State::Ready, !remade), "made in this way: {copies_made:?}");
        assert!(clip.version > before && card.server.app.shelf.is_whole(&folder));
    }
    card.server.stop().await;
}

#[tokio::test]
async fn a_light_copy_that_was_lost_is_made_again() {
    let card = Card::read().await;
    let copy = card.server.app.shelf.clip(&card.ids[2].to_string()).join("light.mp4");
    let whole = std::fs::metadata(&copy).expect("a light copy").len();
    std::fs::write(&copy, "cut short").expect("damaged");
    let page = card.look().await;
    assert!(page.contains("its light copy was lost: it is made again"), "{page}");
    card.work().await;
    assert_eq!(card.clips().await[2].state, State::Ready);
    assert_eq!(std::fs::metadata(&copy).expect("a light copy").len(), whole);
    card.server.stop().await;
}
