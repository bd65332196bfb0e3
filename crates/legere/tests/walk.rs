//! One walk through all six steps, with keyboard and mouse, in a real browser on the real program.

mod house;

use house::browser::Browser;
use house::material;
use house::program::Program;
use legere_core::interchange::{Channel, read_csv, read_edl, read_otio};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::Command;

const CLIPS: usize = 18;
const ODD_NAME: &str = "-it's <b>\"odd\" &amp;.mp4";

#[tokio::test(flavor = "multi_thread")]
async fn from_a_folder_to_a_film() {
    let dir = house::folder();
    let media = dir.path().join("card one");
    material::make(&media, CLIPS).await;
    trouble(&media);
    let data = dir.path().join("data");
    std::fs::create_dir_all(&data).expect("a folder");
    let media_text = media.to_str().expect("a name").to_owned();
    let program = Program::start("serve", &data, &["--media", &media_text]);
    let browser = Browser::open().await;

    let job = new_job(&browser, &program).await;
    gather(&browser).await;
    listen(&browser, &job).await;
    sift(&browser, &job).await;
    let cut = arrange(&browser, &job).await;
    watch(&browser, &job).await;
    hand_off(&browser, &job, &cut, dir.path()).await;
    // The browser logs each refused edit; the page has said those to the editor already.
    let mut complaints = browser.complaints().await;
    complaints.retain(|c| !(c.contains("/edit") && c.contains("422")));
    assert_eq!(complaints, Vec::<String>::new(), "the pages broke no rule of their own");

    // Everything is there again after a restart, and can still be undone.
    let before = browser.text("#says-sift").await;
    let address = program.address.clone();
    assert!(program.stop(), "Ctrl-C ends it well");
    let program = Program::start_again(&address, "serve", &data, &["--media", &media_text]);
    assert_eq!(program.address, address);
    browser.go(&format!("{job}/sift")).await;
    browser.until("document.querySelectorAll('.clip-cell').length > 10", 20).await;
    assert_eq!(browser.text("#says-sift").await, before);
    browser.control('z').await;
    browser.until("document.getElementById('toast').textContent.startsWith('undone')", 5).await;
    browser.client.clone().close().await.expect("closed");
}

/// What every card brings home besides.
fn trouble(media: &Path) {
    let first =
        std::fs::read_dir(media.join("day one workshop")).expect("clips").flatten().next().expect("a clip").path();
    let bytes = std::fs::read(&first).expect("a clip");
    let folder = media.join("copies");
    std::fs::create_dir_all(&folder).expect("a folder");
    std::fs::write(folder.join("notes.mp4"), "These are notes.").expect("written");
    std::fs::write(folder.join("short.mp4"), &bytes[..bytes.len() / 2]).expect("written");
    house::material::another(&first, &folder.join(ODD_NAME), 1);
}

async fn new_job(browser: &Browser, program: &Program) -> String {
    browser.go(&format!("{}/", program.address)).await;
    browser.js("document.querySelector('[name=name]').value = 'The Short Hour'; document.querySelector('[name=length]').value = '0:20'").await;
    browser.js("document.querySelector('[name=rate]').value = '24000/1001'; document.querySelector('[name=size]').value = '1280x720'").await;
    browser.click("form button").await;
    browser.until("location.pathname.endsWith('/gather')", 10).await;
    let address = browser.client.current_url().await.expect("an address").to_string();
    address.trim_end_matches("/gather").to_owned()
}

async fn gather(browser: &Browser) {
    browser.click(".roots button").await;
    browser.click(".folders form button.act").await;
    browser.until("document.querySelector('.folders [role=status]')", 20).await;
    let said = browser.text(".folders [role=status]").await;
    assert_eq!(said, format!("Brought in {} clips and 1 track.", CLIPS + 3));
    browser.until(&format!("document.querySelectorAll('tr[data-state=ready]').length === {}", CLIPS + 1), 120).await;
    let lines =
        browser.js("return [...document.querySelectorAll('tr.trouble')].map((r) => r.innerText).join('\\n')").await;
    let lines = lines.as_str().expect("text");
    assert!(lines.contains("this is not a video, or it is damaged beyond reading"), "{lines}");
    assert!(lines.contains("its index is missing"), "{lines}");
    let names = browser.js("return [...document.querySelectorAll('.clip-name')].map((c) => c.innerText)").await;
    assert!(names.as_array().expect("names").contains(&json!(ODD_NAME)), "a name is text: {names}");
    // The calendar is laid again once the recording times are known.
    let marks = "[...document.querySelectorAll('.day .mark.ready')].reduce((n, m) => n + m.getAttribute('d').split('M').length - 1, 0)";
    browser.until(&format!("{marks} >= {CLIPS}"), 20).await;
}

async fn listen(browser: &Browser, job: &str) {
    browser.go(&format!("{job}/listen")).await;
    browser.until("document.querySelector('#music').dataset.ready === 'yes'", 60).await;
    assert!(browser.js("return document.querySelectorAll('.phrase').length").await.as_u64() >= Some(2));
    let part = browser.text("#part").await;
    assert!(part.contains("20.0") || part.contains("20.00"), "the offered part is as long as wanted: {part}");
    browser.key(" ").await;
    browser
        .until("document.querySelector('#audio').currentTime > 0.3 && !document.querySelector('#audio').paused", 15)
        .await;
    browser.key(" ").await;
    // A part of one's own: from the third bar on.
    browser.js("document.querySelector('#audio').currentTime = 4 * 240 / 112 + 0.02").await;
    browser.key("i").await;
    browser.until("document.querySelector('#part').textContent.includes('from bar 5')", 10).await;
    browser.control('z').await;
    browser.until(&format!("document.querySelector('#part').textContent === {}", json!(part)), 10).await;
}

async fn tiers(browser: &Browser) -> Value {
    browser.js("return [...document.querySelectorAll('.clip-cell')].map((c) => c.className.match(/is-(hero|strong|spare|out|unread)/)[1])").await
}

async fn sift(browser: &Browser, job: &str) {
    browser.go(&format!("{job}/sift")).await;
    browser.until(&format!("document.querySelector('#sheet').dataset.clips === '{}'", CLIPS + 1), 20).await;
    browser.until("document.querySelector('#still').dataset.shown", 10).await;
    // One key a verdict, and the next clip is there.
    for (key, tier) in [("f", "hero"), ("d", "strong"), ("s", "spare"), ("a", "out"), ("f", "hero"), ("d", "strong")] {
        let now = browser.js("return document.querySelector('.clip-cell.is-here').dataset.select").await;
        browser.key(key).await;
        browser.until(&format!("document.querySelector('.clip-cell.is-here').dataset.select !== {now}"), 5).await;
        browser
            .until(
                &format!("document.querySelector('[data-select=\"' + {now} + '\"]').classList.contains('is-{tier}')"),
                5,
            )
            .await;
    }
    browser.until("document.querySelector('#says-sift').textContent.startsWith('6 of')", 5).await;
    // In, hit and out of the clip that is shown, and a tag. It stands meanwhile.
    browser.shift('p').await;
    browser.key("k").await;
    browser
        .until("document.querySelector('#coming').value === '0' && document.querySelector('#video').paused", 5)
        .await;
    // The moving picture follows a moment after the still.
    let shown = "document.querySelector('.clip-cell.is-here').dataset.select";
    let loaded = format!(
        "document.querySelector('#video').dataset.shown === {shown} && document.querySelector('#video').readyState >= 2"
    );
    browser.until(&loaded, 10).await;
    for (at, key, place) in [("0.52", "w", "in"), ("1.02", "r", "hit"), ("2.02", "e", "out")] {
        browser.js(&format!("document.querySelector('#video').currentTime = {at}")).await;
        browser.until(&format!("!document.querySelector('#video').seeking && Math.abs(document.querySelector('#video').currentTime - {at}) < 0.01"), 5).await;
        let before = browser.text(&format!("#at-{place}")).await;
        browser.key(key).await;
        browser.until(&format!("document.querySelector('#at-{place}').textContent !== {}", json!(before)), 5).await;
    }
    assert!(browser.text("#at-in").await.starts_with("00:"));
    browser.click("[data-tag='framing:close']").await;
    browser
        .until("document.querySelector('[data-tag=\"framing:close\"]').getAttribute('aria-pressed') === 'true'", 5)
        .await;
    // Narrow by tier: what is left is counted in clips and minutes.
    browser.key("/").await;
    browser.click("[data-value=hero]").await;
    browser.until("document.querySelector('#sheet').dataset.clips === '2'", 5).await;
    assert!(browser.text("#left").await.starts_with("2 selects"), "{}", browser.text("#left").await);
    assert_eq!(browser.js("return new URLSearchParams(location.search).get('words')").await, json!("hero"));
    browser.click("[data-term=hero]").await;
    browser.until(&format!("document.querySelector('#sheet').dataset.clips === '{}'", CLIPS + 1), 5).await;
    // Undo takes back what was said last, redo says it again.
    let before = tiers(browser).await;
    browser.click(".clip-cell.is-unread").await;
    browser.key("f").await;
    browser.until("document.querySelector('#says-sift').textContent.startsWith('7 of')", 5).await;
    browser.control('z').await;
    browser.until("document.querySelector('#says-sift').textContent.startsWith('6 of')", 5).await;
    assert_eq!(tiers(browser).await, before);
}

/// The draft as the page has it.
async fn draft(browser: &Browser, job: &str) -> Value {
    let id = browser.js("return document.querySelector('[data-draft]').dataset.draft").await;
    let path = format!("{job}/drafts/{}.json", id.as_str().expect("a draft"));
    let script = format!(
        "const done = arguments[arguments.length - 1]; fetch({}).then((r) => r.json()).then(done)",
        json!(path)
    );
    browser.client.execute_async(&script, vec![]).await.expect("the draft")
}

fn lens(draft: &Value) -> Vec<u64> {
    draft["shots"].as_array().expect("shots").iter().map(|s| s["len"].as_u64().expect("a length")).collect()
}

/// Gives the draft as it is left.
async fn arrange(browser: &Browser, job: &str) -> Value {
    browser.go(&format!("{job}/arrange")).await;
    browser.click("#new-draft").await;
    browser.until("document.querySelector('#skyline').dataset.ready === 'yes'", 20).await;
    let first = draft(browser, job).await;
    let total = first["total"].as_u64().expect("a total");
    assert_eq!(total, 479, "20 s at 23.976");
    assert_eq!(lens(&first).iter().sum::<u64>(), total);
    let shots = first["shots"].as_array().expect("shots");
    assert!(shots.iter().all(|s| !s["why"].as_array().expect("reasons").is_empty()), "each says why it is there");
    let names: std::collections::HashSet<_> = shots.iter().map(|s| s["select"].as_str().expect("a select")).collect();
    assert_eq!(names.len(), shots.len(), "nothing twice");
    assert_eq!(browser.js("return document.querySelectorAll('.building').length").await, json!(shots.len()));

    // A shot whose clip has more to give: a frame longer, pinned, and the rest arranged around it.
    let (at, moved) = a_frame_longer(browser, job, &first).await;
    assert_eq!(lens(&moved)[at], lens(&first)[at] + 1);
    assert_eq!(lens(&moved)[at + 1], lens(&first)[at + 1] - 1);
    assert_eq!(lens(&moved).iter().sum::<u64>(), total, "the music does not move");
    browser.key("p").await;
    browser.until("document.querySelector('.building.on .pin')", 5).await;
    browser.key("ArrowLeft").await;
    let before_it = at - 1;
    let offered = format!(
        "document.querySelectorAll('.alt').length > 0 && document.querySelector('.building.on').dataset.shot === '{before_it}'"
    );
    browser.until(&offered, 5).await;
    let before = draft(browser, job).await;
    browser.key("1").await;
    let swapped = changed(browser, job, &before).await;
    assert_ne!(swapped["shots"][before_it]["select"], before["shots"][before_it]["select"]);
    browser.key("Enter").await;
    let again = changed(browser, job, &swapped).await;
    let kept = &moved["shots"][at];
    let found =
        again["shots"].as_array().expect("shots").iter().find(|s| s["start"] == kept["start"]).expect("its place");
    assert_eq!((&found["select"], &found["len"], &found["pinned"]), (&kept["select"], &kept["len"], &json!(true)));
    browser.control('z').await;
    let undone = changed(browser, job, &again).await;
    assert_eq!(undone["shots"], swapped["shots"]);
    undone
}

/// Moves the cut after the first shot from the second on that has a frame more to give; says which it was.
async fn a_frame_longer(browser: &Browser, job: &str, first: &Value) -> (usize, Value) {
    let count = first["shots"].as_array().expect("shots").len();
    for at in 1..count - 1 {
        browser.key("ArrowRight").await;
        browser.until(&format!("document.querySelector('.building.on').dataset.shot === '{at}'"), 5).await;
        browser.key(".").await;
        browser.until("document.querySelector('#skyline').dataset.busy !== 'yes'", 10).await;
        let now = draft(browser, job).await;
        if now["shots"] != first["shots"] {
            return (at, now);
        }
        // Refused beside the shot, in words, and nothing moved.
        let said = browser.text("#problem").await;
        assert!(said.contains("no more frames"), "{said}");
    }
    panic!("no shot has a frame more to give");
}

/// Waits until the draft is another one than `before`.
async fn changed(browser: &Browser, job: &str, before: &Value) -> Value {
    for _ in 0..100 {
        let now = draft(browser, job).await;
        if now["shots"] != before["shots"] {
            return now;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    panic!("the draft stayed as it was; the page says {:?}", browser.text("#problem").await);
}

async fn watch(browser: &Browser, job: &str) {
    browser.watch(job).await;
    let seconds = browser.js("return document.querySelector('#video').duration").await.as_f64().expect("a length");
    assert!((seconds - 479.0 * 1001.0 / 24000.0).abs() < 0.03, "{seconds}");
    browser.key(" ").await;
    browser.until("document.querySelector('#video').currentTime > 0.5", 15).await;
    browser.key("m").await;
    browser.until("document.activeElement.id === 'note-words'", 5).await;
    browser.client.active_element().await.expect("the note").send_keys("closer here").await.expect("typed");
    browser.key("Enter").await;
    browser.until("document.querySelector('#notes').textContent.includes('closer here')", 5).await;
    assert_eq!(browser.text("#says-watch").await, "1 note");
}

async fn hand_off(browser: &Browser, job: &str, cut: &Value, dir: &Path) {
    browser.go(&format!("{job}/handoff")).await;
    // A film that nobody wants after all is cancelled while it is made, and made when it is wanted again.
    browser.click("#make-mp4").await;
    browser.until("document.querySelector('#files progress')", 60).await;
    browser.click("#files button[aria-label^='cancel']").await;
    browser.until("document.querySelector('#files tr').textContent.includes('cancelled')", 10).await;
    no_rendering().await;
    assert_eq!(browser.js("return document.querySelectorAll('#files progress').length").await, json!(0));
    browser.click("#files button[aria-label^='make']").await;
    browser.until("document.querySelector('#files progress')", 60).await;
    for kind in ["otio", "edl", "csv"] {
        browser.click(&format!("#make-{kind}")).await;
        browser
            .until(&format!("[...document.querySelectorAll('#files tr')].some((r) => r.dataset.kind === '{kind}')"), 10)
            .await;
    }
    browser.until("document.querySelectorAll('#files a').length === 4", 400).await;
    let reports = browser.text("#files").await;
    assert!(reports.contains("checked: 479 frames, 1280×720"), "{reports}");
    for kind in ["mp4", "otio", "edl", "csv"] {
        let href = browser.js(&format!("return document.querySelector('#files tr[data-kind={kind}] a').href")).await;
        let file = dir.join(format!("film.{kind}"));
        fetch(href.as_str().expect("an address"), &file);
        let text = || std::fs::read_to_string(&file).expect("text");
        let found: Vec<u64> = match kind {
            "otio" => {
                let clips = read_otio(&text(), "Video").expect("a timeline");
                clips.iter().map(|c| (c.lasts * 24000.0 / 1001.0).round() as u64).collect()
            }
            "edl" => {
                let rate = "24000/1001".parse().expect("a rate");
                let events = read_edl(&text(), rate).expect("a list");
                events.iter().filter(|e| e.channel == Channel::Video).map(|e| e.record.1 - e.record.0).collect()
            }
            "csv" => read_csv(&text()).expect("rows").iter().map(|r| r.frames).collect(),
            _ => {
                a_film_of(&file, 479);
                continue;
            }
        };
        assert_eq!(found, lens(cut), "{kind}");
    }
}

/// Waits until no ffmpeg of a hand-off runs any more.
async fn no_rendering() {
    for _ in 0..100 {
        let running = Command::new("pgrep").args(["-f", "ffmpeg.*-preset veryfast.*piece"]).output().expect("pgrep");
        if !running.status.success() {
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    panic!("it is rendered although it was cancelled");
}

/// The file as a stranger's program sees it.
fn a_film_of(file: &Path, frames: u64) {
    let out = Command::new("ffprobe")
        .args(["-v", "error", "-count_frames", "-of", "json", "-show_streams"])
        .arg(file)
        .output()
        .expect("ffprobe");
    let json: Value = serde_json::from_slice(&out.stdout).expect("json");
    let stream = |kind: &str| {
        let streams = json["streams"].as_array().expect("streams");
        streams.iter().find(|s| s["codec_type"] == kind).unwrap_or_else(|| panic!("no {kind}: {json}")).clone()
    };
    let (video, audio) = (stream("video"), stream("audio"));
    assert_eq!((&video["codec_name"], &audio["codec_name"]), (&json!("h264"), &json!("aac")));
    assert_eq!(
        (&video["width"], &video["height"], &video["r_frame_rate"]),
        (&json!(1280), &json!(720), &json!("24000/1001"))
    );
    assert_eq!(video["nb_read_frames"], json!(frames.to_string()));
    let seconds = |s: &Value| s["duration"].as_str().and_then(|d| d.parse::<f64>().ok()).expect("a length");
    assert!((seconds(&video) - frames as f64 * 1001.0 / 24000.0).abs() < 0.001, "{video}");
    assert!((seconds(&audio) - seconds(&video)).abs() < 0.03, "music and pictures end together");
}

/// Downloads without a browser, as another program would.
fn fetch(address: &str, to: &PathBuf) {
    let (host, path) = address.trim_start_matches("http://").split_once('/').expect("a path");
    use std::io::{Read, Write};
    let mut socket = std::net::TcpStream::connect(host).expect("a connection");
    write!(socket, "GET /{path} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n").expect("asked");
    let mut answer = Vec::new();
    socket.read_to_end(&mut answer).expect("an answer");
    let body = answer.windows(4).position(|w| w == b"\r\n\r\n").expect("a head") + 4;
    assert!(answer.starts_with(b"HTTP/1.1 200"), "{}", String::from_utf8_lossy(&answer[..body]));
    std::fs::write(to, &answer[body..]).expect("written");
}
