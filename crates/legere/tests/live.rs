//! How the live player keeps up: a minute of forty-five shots, ramps among them, in a real browser. Part of `cargo xtask bench screen`.

mod house;
#[path = "../../media/tests/samples/mod.rs"]
mod samples;
#[path = "../../web/tests/server/mod.rs"]
mod server;

use house::browser::Browser;
use legere_core::draft::{Draft, Pin, Score, Shot, Source, Speed, SpeedKeyframe};
use legere_core::id::{DraftId, JobId, ShotId};
use legere_core::time::{FrameLen, FramePos, FrameRate, Seconds};
use legere_core::track::Version;
use legere_store::drafts::{Asked, DraftBody};
use serde_json::{Value, json};
use server::{NOBODY, Server};
use std::process::Command;

const SHOTS: usize = 45;
const CLIPS: usize = 24;

/// Numbered pictures as large as a camera's, whose light copies are as large as any.
fn draw(folder: &std::path::Path) {
    let ffmpeg = |words: &[&str], to: &std::path::Path| {
        let done = Command::new("ffmpeg").args(["-v", "error", "-y"]).args(words).arg(to).status();
        assert!(done.expect("ffmpeg").success());
    };
    for i in 0..CLIPS {
        let small = folder.join(format!("small{i}.mp4"));
        let rate = ["24000/1001", "25", "50", "60000/1001"][i % 4];
        samples::counted(rate, 300, &small);
        let large = folder.join(format!("C{i:03}.mp4"));
        let name = small.to_str().expect("a name");
        // Each is another file by its content, and as busy as real pictures.
        let noise = format!("scale=1280:720,noise=c0s=6:allf=t:all_seed={i}");
        ffmpeg(&["-i", name, "-vf", &noise, "-c:v", "libx264", "-preset", "ultrafast", "-an"], &large);
        std::fs::remove_file(&small).expect("removed");
    }
    ffmpeg(
        &["-f", "lavfi", "-i", "aevalsrc='if(lt(mod(t,0.5),0.02),sin(2*PI*1000*t),0)':s=48000:d=70"],
        &folder.join("ticks.wav"),
    );
}

async fn cut(server: &Server) -> (JobId, DraftId) {
    let job = server.job("A minute").await;
    draw(&server.dir.path().join("media/day one"));
    let track = server.bring_and_read(job).await;
    let store = &server.app.store;
    let selects = store.selects().of_job(job).await.expect("selects").whole;
    let rate: FrameRate = "24000/1001".parse().expect("a rate");
    let speed = |percent| Speed::new(percent, 100).expect("a speed");
    let mut shots = Vec::new();
    for i in 0..SHOTS {
        let select = &selects[(i * 7) % selects.len()];
        let clip = store.clips().get(select.clip).await.expect("a clip");
        let probe = clip.probe.as_ref().expect("read");
        let plain = Source::plain(select.id, clip.id, probe.frame_rate.seconds_at(FramePos::new(20)), probe.duration);
        let keyframes = match i % 3 {
            0 => {
                vec![SpeedKeyframe::new(8, 8, speed(150)), SpeedKeyframe::new(22, 6, speed(40))]
            }
            1 if i % 2 == 0 => {
                vec![SpeedKeyframe::new(10, 0, speed(0)), SpeedKeyframe::new(16, 0, speed(100))]
            }
            _ => vec![],
        };
        shots.push(Shot {
            id: ShotId::from_u128(i as u128 + 1),
            len: FrameLen::new(32),
            source: Source { keyframes, ..plain },
            hit_at: None,
            pause: None,
            pin: Pin::Open,
            held: false,
        });
    }
    let cut = Draft::new(rate, shots).expect("a draft");
    let (whole, end) = (Seconds::new(70, 1).expect("seconds"), Seconds::new(61, 1).expect("seconds"));
    let score = Score::one(track, Version::part(Seconds::ZERO, end, whole).expect("a part"));
    let mut edit = store.begin_edit(job, NOBODY).await.expect("an edit");
    let draft =
        edit.add_draft(None, &DraftBody { score, pace: vec![], cut, asked: Asked::default() }).await.expect("kept");
    edit.commit("lay a draft", None).await.expect("kept");
    (job, draft)
}

/// Sets the mark here and there, and waits each time for the frame; milliseconds.
const MARKS: &str = r"
const done = arguments[arguments.length - 1];
(async () => {
  const canvas = document.querySelector('#picture'), player = canvas.player, times = [];
  for (let i = 0; i < 100; i++) {
    const f = (i * 617 + 31) % player.total, begun = performance.now();
    player.seek(f);
    while (canvas.dataset.frame !== String(f)) await new Promise((next) => setTimeout(next, 0));
    await new Promise((next) => requestAnimationFrame(next));
    times.push(performance.now() - begun);
    await new Promise((next) => setTimeout(next, 120));
  }
  done(times);
})();";

/// Shows another part of the clip at the mark, and waits for its picture; milliseconds from the key.
const EDITS: &str = r"
const done = arguments[arguments.length - 1];
(async () => {
  const canvas = document.querySelector('#picture'), player = canvas.player, times = [];
  player.seek(5);
  await new Promise((next) => setTimeout(next, 1000));
  for (let i = 0; i < 40; i++) {
    const before = canvas.dataset.shows, begun = performance.now();
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: i % 2 ? '[' : ']', bubbles: true }));
    while (canvas.dataset.shows === before) await new Promise((next) => setTimeout(next, 0));
    await new Promise((next) => requestAnimationFrame(next));
    times.push(performance.now() - begun);
    await new Promise((next) => setTimeout(next, 300));
  }
  done(times);
})();";

/// Plays it from the first frame to the last. At every picture of the screen: which frame is due by the sound, and which one is
/// shown; each twentieth picture its number is read as well.
const PLAY: &str = r"
(async () => {
  const canvas = document.querySelector('#picture'), player = canvas.player, pen = canvas.getContext('2d');
  player.seek(0);
  await new Promise((next) => setTimeout(next, 1500));
  player.late = player.asked = 0;
  const reported = { pictures: 0, apart: [], wrong: 0, read: 0 };
  const number = () => {
    const row = pen.getImageData(0, canvas.height / 2, canvas.width, 1).data;
    let n = 0;
    for (let bit = 0; bit < 10; bit++) if (row[Math.floor(((bit + 0.5) * canvas.width) / 10) * 4] > 125) n |= 1 << bit;
    return n;
  };
  player.go(1);
  await new Promise((ended) => {
    const look = () => {
      if (!player.speed) return ended();
      const t = player.clock();
      if (player.drawn >= 0 && t > 0) {
        reported.pictures++;
        // How long the frame on the screen should have been gone, or how long before its time it is there.
        const from = player.drawn / player.fps, to = (player.drawn + 1) / player.fps;
        reported.apart.push(1000 * Math.max(0, t - to, from - t));
        if (reported.pictures % 20 === 0) {
          reported.read++;
          if (number() !== player.table[player.drawn].k) reported.wrong++;
        }
      }
      requestAnimationFrame(look);
    };
    requestAnimationFrame(look);
  });
  window.played = { ...reported, late: player.late, asked: player.asked, frames: player.total };
})();";

fn say(what: &str, times: &Value) {
    let mut times: Vec<f64> = times.as_array().expect("times").iter().filter_map(Value::as_f64).collect();
    times.sort_by(f64::total_cmp);
    let at = |share: f64| times[((times.len() - 1) as f64 * share).round() as usize];
    println!("{what:<44} median {:6.1} ms   p95 {:6.1} ms   worst {:6.1} ms", at(0.5), at(0.95), at(1.0));
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "a measurement; run by cargo xtask bench screen"]
async fn measure() {
    let server = Server::start().await;
    let (job, draft) = cut(&server).await;
    let browser = Browser::open().await;
    browser.go(&format!("http://127.0.0.1:{}/jobs/{job}/arrange?draft={draft}", server.port)).await;
    browser.until("document.querySelector('#picture')?.dataset.frame !== undefined", 60).await;
    tokio::time::sleep(std::time::Duration::from_secs(3)).await;
    say("mark set to frame painted", &browser.client.execute_async(MARKS, vec![]).await.expect("times"));
    let found = browser.client.execute_async(EDITS, vec![]).await.expect("times");
    say("edit, from the key to its picture", &found);
    browser.js(PLAY).await;
    browser.until("window.played", 120).await;
    let played = browser.js("return window.played").await;
    say("picture against sound, playing a minute", &played["apart"]);
    let apart = played["apart"].as_array().expect("times");
    let off = apart.iter().filter(|v| v.as_f64().is_some_and(|v| v > 20.0)).count();
    println!("more than 20 ms apart: {off} of {} pictures of the screen", played["pictures"]);
    let share = played["late"].as_f64().unwrap_or(0.0) / played["asked"].as_f64().unwrap_or(1.0) * 100.0;
    println!("late: {} of {} frames ({share:.2} %)", played["late"], played["asked"]);
    println!("wrong: {} of {} that were read", played["wrong"], played["read"]);
    assert_eq!(played["wrong"], json!(0));
    browser.client.clone().close().await.expect("closed");
    server.stop().await;
}
