//! How fast the pages of a job of a thousand clips are, in the server and in the browser: `cargo xtask bench screen`.

mod house;
#[path = "../../web/tests/server/mod.rs"]
mod server;

use house::browser::Browser;
use legere_core::draft::{Draft, Pin, Score, Shot, Source};
use legere_core::id::ShotId;
use legere_core::time::{FrameLen, Seconds};
use legere_core::track::{Beat, Section, SectionKind, Trace, TrackReading, Version};
use legere_store::drafts::{Asked, DraftBody};
use serde_json::{Value, json};
use server::Server;
use std::time::{Duration, Instant};

const CLIPS: usize = 1000;
const TIMES: usize = 60;

fn say(what: &str, mut milliseconds: Vec<f64>, bytes: usize) {
    milliseconds.sort_by(f64::total_cmp);
    if milliseconds.is_empty() {
        println!("{what:<44} nothing was measured");
        return;
    }
    let at = |share: f64| milliseconds[((milliseconds.len() - 1) as f64 * share).round() as usize];
    println!("{what:<44} median {:6.1} ms   p95 {:6.1} ms   {:6.1} KB", at(0.5), at(0.95), bytes as f64 / 1024.0);
}

/// What this process, server and all, holds in memory, in megabytes.
fn resident() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").expect("Linux");
    let line = status.lines().find(|l| l.starts_with("VmRSS")).expect("a line");
    line.split_whitespace().nth(1).and_then(|kb| kb.parse::<f64>().ok()).expect("kilobytes") / 1024.0
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "a measurement; run by cargo xtask bench screen"]
async fn measure() {
    let server = Server::start().await;
    let begun = Instant::now();
    let shoot = server.shoot(CLIPS).await;
    println!("{CLIPS} clips seeded in {:.1} s", begun.elapsed().as_secs_f64());
    let answer = server.post_form(&format!("/jobs/{}/drafts", shoot.job), "").await;
    let place = answer.head.lines().find_map(|l| l.strip_prefix("hx-redirect: ")).expect("a place");
    let draft = format!("/jobs/{}/drafts/{}", shoot.job, place.split_once("draft=").expect("a draft").1.trim());

    let job = format!("/jobs/{}", shoot.job);
    let gets = ["gather", "listen", "sift", "sift/selects.json", "arrange", "watch", "handoff"];
    let mut paths: Vec<String> = gets.iter().map(|step| format!("{job}/{step}")).collect();
    paths.push(format!("{draft}.json"));
    for path in &paths {
        let (mut times, mut bytes) = (Vec::new(), 0);
        for _ in 0..TIMES {
            let start = Instant::now();
            let answer = server.get(path).await;
            times.push(start.elapsed().as_secs_f64() * 1000.0);
            bytes = answer.body.len();
            if answer.status != 200 {
                println!("{path}: {}", answer.status);
                break;
            }
        }
        say(path.strip_prefix(&job).expect("below the job"), times, bytes);
    }
    let shots = server.json(&format!("{draft}.json")).await["shots"].clone();
    let mut times = Vec::new();
    for i in 0..TIMES {
        let shot = &shots[i % 5];
        let edit = json!({ "do": "pin", "shot": shot["id"], "pin": (i / 5) % 2 == 0 });
        let start = Instant::now();
        server.say(&format!("{draft}/edit"), edit).await;
        times.push(start.elapsed().as_secs_f64() * 1000.0);
    }
    say("an edit of the draft", times, 0);
    let mut times = Vec::new();
    for (i, select) in shoot.selects.iter().take(TIMES).enumerate() {
        let tier = if i % 2 == 0 { "strong" } else { "spare" };
        let start = Instant::now();
        server.say(&format!("{job}/selects/{select}"), json!({ "do": "tier", "tier": tier })).await;
        times.push(start.elapsed().as_secs_f64() * 1000.0);
    }
    say("a verdict", times, 0);
    let mut times = Vec::new();
    for i in 0..10 {
        let start = Instant::now();
        server.json(&format!("{draft}/alternates?shot={}", shots[i % 5]["id"].as_str().expect("an id"))).await;
        times.push(start.elapsed().as_secs_f64() * 1000.0);
    }
    say("what could be there instead", times, 0);
    println!("in memory, server and test together: {:.0} MB", resident());

    house::pictures::pictures(server.dir.path(), &server.app.shelf, &shoot.clips);
    let address = format!("http://127.0.0.1:{}{job}", server.port);
    let browser = Browser::open().await;
    arrange(&browser, &address).await;
    zoom(&browser, &server, &shoot, &address).await;
    sift(&browser, &address).await;
    for page in ["gather", "sift"] {
        scroll(&browser, &format!("{address}/{page}")).await;
    }
    browser.client.clone().close().await.expect("closed");
    println!("in memory at the end: {:.0} MB", resident());
    server.stop().await;
}

/// Notes when a key goes down, and when the picture after the change that it made has been painted.
const WATCH: &str = r"
const [target, what] = arguments;
window.times = [];
let pressed;
window.addEventListener('keydown', (e) => { pressed = e.timeStamp; }, true);
new MutationObserver(() => {
  if (pressed === undefined) return;
  const since = pressed;
  pressed = undefined;
  requestAnimationFrame(() => {
    const after = new MessageChannel();
    after.port1.onmessage = () => window.times.push(performance.now() - since);
    after.port2.postMessage(0);
  });
}).observe(document.querySelector(target), what);";

/// Marks when the first still of Sift has been painted.
const FIRST_STILL: &str = r"
new MutationObserver((_, self) => {
  if (!document.querySelector('#still[data-shown]')) return;
  self.disconnect();
  requestAnimationFrame(() => {
    const after = new MessageChannel();
    after.port1.onmessage = () => performance.mark('first still');
    after.port2.postMessage(0);
  });
}).observe(document, { attributes: true, attributeFilter: ['data-shown'], subtree: true });";

/// Presses each key and waits for what it does; milliseconds from the key to the picture.
async fn pressed(browser: &Browser, target: &str, what: Value, keys: &[&str], pause: u64) -> Vec<f64> {
    browser.client.execute(WATCH, vec![json!(target), what]).await.expect("watched");
    for key in keys {
        browser.key(key).await;
        tokio::time::sleep(Duration::from_millis(pause)).await;
    }
    let times = browser.js("return window.times").await;
    times.as_array().expect("a list").iter().filter_map(Value::as_f64).collect()
}

async fn arrange(browser: &Browser, address: &str) {
    browser.go(&format!("{address}/arrange")).await;
    browser.until("document.querySelectorAll('.alt').length > 0", 30).await;
    let mut keys = Vec::new();
    for _ in 0..TIMES / 3 {
        keys.extend(["p", "p", "ArrowRight"]);
    }
    let pins = pressed(browser, "#skyline", json!({ "childList": true, "subtree": true }), &keys, 250).await;
    say("Arrange: key to painted (pin, unpin, choose)", pins, 0);
    browser.go(&format!("{address}/arrange")).await;
    browser.until("document.querySelectorAll('.alt').length > 0", 30).await;
    browser.key("ArrowRight").await;
    tokio::time::sleep(Duration::from_millis(400)).await;
    let keys: Vec<&str> = [".", ","].into_iter().cycle().take(TIMES).collect();
    let cuts = pressed(browser, "#skyline", json!({ "childList": true, "subtree": true }), &keys, 250).await;
    say("Arrange: key to painted (move the cut)", cuts, 0);
}

/// Zooms in and out on twelve minutes of music with three hundred shots, a step with each picture of the screen.
const ZOOM: &str = r"
const done = arguments[arguments.length - 1];
(async () => {
  const sky = document.querySelector('#skyline'), box = sky.getBoundingClientRect(), times = [];
  const next = () => new Promise((turn) => requestAnimationFrame(turn));
  await next();
  let before = performance.now();
  for (let i = 0; i < 240; i++) {
    const deltaY = i % 120 < 60 ? -40 : 40;
    sky.dispatchEvent(new WheelEvent('wheel', { deltaY, clientX: box.left + box.width * 0.4, cancelable: true }));
    await next();
    const now = performance.now();
    times.push(now - before);
    before = now;
  }
  done(times);
})();";

async fn zoom(browser: &Browser, server: &Server, shoot: &server::shoot::Shoot, address: &str) {
    let (store, seconds) = (&server.app.store, 720.0);
    let added = store.tracks().import(shoot.job, server::NOBODY, &server::shoot::new_track("music/long.wav")).await;
    let track = added.expect("a track").expect("new");
    let short = server::shoot::music();
    let music = TrackReading {
        duration: seconds,
        beats: (0..1440)
            .map(|i| Beat { at: f64::from(i) * 0.5, bar: i / 4 + 1, beat: i % 4 + 1, strength: 1.0 })
            .collect(),
        sections: (0..24)
            .map(|i| {
                Section::new(
                    f64::from(i) * 30.0,
                    f64::from(i + 1) * 30.0,
                    SectionKind::Groove,
                    f64::from(i % 10) * 10.0,
                )
            })
            .collect(),
        energy: Trace { step: 0.5, values: (0..1440).map(|i| f64::from(i % 90)).collect() },
        ..short
    };
    let whole = Seconds::new(720, 1).expect("seconds");
    let part = Version::part(Seconds::ZERO, whole, whole).expect("a part");
    let row = store.tracks().get(track).await.expect("a track");
    store.tracks().ready(&row, &server::shoot::identity(), &server::shoot::sound(), &music, &part).await.expect("kept");
    let selects = store.selects().of_job(shoot.job).await.expect("selects").whole;
    let shots = selects.iter().take(300).enumerate().map(|(i, select)| Shot {
        id: ShotId::from_u128(i as u128 + 1),
        len: FrameLen::new(60),
        source: Source::plain(
            select.id,
            select.clip,
            select.verdict.range.start(),
            Seconds::new(8, 1).expect("seconds"),
        ),
        hit_at: None,
        pause: None,
        pin: Pin::Open,
        held: false,
    });
    let cut = Draft::new("25".parse().expect("a rate"), shots.collect()).expect("a draft");
    let mut edit = store.begin_edit(shoot.job, server::NOBODY).await.expect("an edit");
    let body = DraftBody { score: Score::one(track, part), pace: vec![], cut, asked: Asked::default() };
    let draft = edit.add_draft(None, &body).await.expect("kept");
    edit.commit("lay a draft", None).await.expect("kept");
    browser.go(&format!("{address}/arrange?draft={draft}")).await;
    browser.until("document.querySelectorAll('.building').length === 300", 30).await;
    tokio::time::sleep(Duration::from_secs(3)).await;
    let times = browser.client.execute_async(ZOOM, vec![]).await.expect("times");
    let times: Vec<f64> = times.as_array().expect("a list").iter().filter_map(Value::as_f64).collect();
    let rate = 1000.0 * times.len() as f64 / times.iter().sum::<f64>();
    say(&format!("zooming 300 shots on 12 minutes, {rate:.0} a second"), times, 0);
}

async fn sift(browser: &Browser, address: &str) {
    let mut times = Vec::new();
    let mut bytes = 0;
    browser.on_each_page(FIRST_STILL).await;
    for _ in 0..8 {
        // Nothing of it is in the browser's memory from before.
        browser.go("about:blank").await;
        browser.go(&format!("{address}/sift")).await;
        browser.until("performance.getEntriesByName('first still').length", 30).await;
        let first = r"
            const all = performance.getEntriesByType('resource').filter((r) => r.initiatorType !== 'img' && r.initiatorType !== 'video' && !/\\.(jpg|mp4|bin)/.test(r.name));
            const still = performance.getEntriesByName('first still')[0];
            return [still.startTime, all.reduce((n, r) => n + r.transferSize, 0)];";
        let found = browser.js(first).await;
        times.extend(found[0].as_f64());
        bytes = bytes.max(found[1].as_u64().unwrap_or(0) as usize);
    }
    say("Sift: first still painted, after the address", times, bytes);
    let keys: Vec<&str> = ["d", "s"].into_iter().cycle().take(TIMES).collect();
    let what = json!({ "attributes": true, "attributeFilter": ["data-shown"] });
    let verdicts = pressed(browser, "#still", what.clone(), &keys, 400).await;
    say("Sift: verdict to next still, 0.4 s apart", verdicts, 0);
    let verdicts = pressed(browser, "#still", what, &keys, 0).await;
    say("Sift: verdict to next still, without pause", verdicts, 0);
    browser.key("/").await;
    let keys: Vec<&str> =
        ["c", "0", "1", "2", "Backspace", "Backspace", "Backspace"].into_iter().cycle().take(42).collect();
    let narrowed =
        pressed(browser, "#left", json!({ "childList": true, "characterData": true, "subtree": true }), &keys, 200);
    say("Sift: narrowing by words, key to painted", narrowed.await, 0);
}

/// Scrolls for two seconds; frames a second.
async fn scroll(browser: &Browser, address: &str) {
    const SCROLL: &str = r"
const done = arguments[arguments.length - 1];
const sheet = document.querySelector('#sheet');
const box = sheet && sheet.scrollHeight > sheet.clientHeight + 10 ? sheet : document.scrollingElement;
const stamps = [];
const begun = performance.now();
const step = (at) => {
  stamps.push(at);
  box.scrollTop += 45;
  if (at - begun < 2500) requestAnimationFrame(step);
  else done([stamps.length / ((stamps[stamps.length - 1] - stamps[0]) / 1000), Math.max(...stamps.slice(1).map((s, i) => s - stamps[i])), box.scrollTop]);
};
requestAnimationFrame(step);";
    browser.go(address).await;
    tokio::time::sleep(Duration::from_secs(2)).await;
    let found = browser.client.execute_async(SCROLL, vec![]).await.expect("scrolled");
    let [rate, worst, way] = [0, 1, 2].map(|i| found[i].as_f64().unwrap_or(0.0));
    let page = address.rsplit('/').next().unwrap_or_default();
    println!("scrolling {page:<34} {rate:.0} pictures a second, the longest {worst:.0} ms, {way:.0} px");
}
