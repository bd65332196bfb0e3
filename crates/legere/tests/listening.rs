//! Listen in a real browser: tapping, dragging, choosing, asking for a length, and what comes out as a file.

mod house;

use house::browser::Browser;
use house::material;
use house::program::Program;
use serde_json::{Value, json};
use std::time::Duration;

#[tokio::test(flavor = "multi_thread")]
async fn music_is_marked_shortened_and_taken_along() {
    let dir = house::folder();
    let media = dir.path().join("music for it");
    material::music(&media.join("music")).await;
    let data = dir.path().join("data");
    std::fs::create_dir_all(&data).expect("a folder");
    let program = Program::start("serve", &data, &["--media", media.to_str().expect("a name")]);
    let browser = Browser::open().await;
    let job = listening(&browser, &program).await;
    tapping(&browser).await;
    dragging(&browser).await;
    by_key(&browser).await;
    candidates(&browser, &job).await;
    shortening(&browser, &program, dir.path()).await;
    finishing(&browser, &program, dir.path()).await;
    assert_eq!(browser.complaints().await, Vec::<String>::new(), "the page broke no rule of its own");
    browser.client.clone().close().await.expect("closed");
}

/// A job with the music of the media folder, at Listen; its address.
async fn listening(browser: &Browser, program: &Program) -> String {
    browser.go(&format!("{}/", program.address)).await;
    browser.js("document.querySelector('[name=name]').value = 'Sound'; document.querySelector('[name=length]').value = '0:30'").await;
    browser.click("form button").await;
    browser.until("location.pathname.endsWith('/gather')", 10).await;
    let job = browser.client.current_url().await.expect("an address").to_string().replace("/gather", "");
    browser.click(".roots button").await;
    browser.click(".folders form button.act").await;
    browser.until("document.querySelector('.folders [role=status]')", 20).await;
    for _ in 0..60 {
        browser.go(&format!("{job}/listen")).await;
        if browser.js("return Boolean(document.querySelector('#music'))").await == json!(true) {
            break;
        }
        tokio::time::sleep(Duration::from_millis(300)).await;
    }
    browser.until("document.querySelector('#music').dataset.ready === 'yes'", 30).await;
    modules(browser).await;
    job
}

/// What the click and the music sound like is recorded from the page's own audio graph, each in a channel.
const RECORD: &str = r"
    const Real = AudioContext;
    window.heard = { music: [], click: [] };
    window.AudioContext = function () {
      const c = new Real(), out = c.createGain(), both = c.createChannelMerger(2), ear = c.createScriptProcessor(1024, 2, 1);
      out.connect(both, 0, 1);
      both.connect(ear);
      ear.connect(c.destination);
      Object.defineProperty(c, 'destination', { value: out });
      const source = c.createMediaElementSource.bind(c);
      c.createMediaElementSource = (element) => {
        const node = source(element), left = c.createChannelSplitter(2);
        AudioNode.prototype.connect.call(node, left).connect(both, 0, 0);
        node.connect = () => left;
        return node;
      };
      const loud = [-1, -1];
      ear.onaudioprocess = (e) => {
        [heard.music, heard.click].forEach((list, channel) => {
          e.inputBuffer.getChannelData(channel).forEach((v, i) => {
            if (Math.abs(v) < 0.02) return;
            const t = e.playbackTime + i / c.sampleRate;
            if (t - loud[channel] > 0.1) list.push(t);
            loud[channel] = t;
          });
        });
      };
      return c;
    };";

/// The click is there to judge the marks by ear, so it may not lie beside the sound itself.
#[tokio::test(flavor = "multi_thread")]
async fn the_click_lies_on_the_sound() {
    let dir = house::folder();
    let media = dir.path().join("media");
    std::fs::create_dir_all(media.join("music")).expect("a folder");
    material::ticks(&media.join("music/ticks.wav"));
    let data = dir.path().join("data");
    std::fs::create_dir_all(&data).expect("a folder");
    let program = Program::start("serve", &data, &["--media", media.to_str().expect("a name")]);
    let browser = Browser::open().await;
    listening(&browser, &program).await;
    browser.js(RECORD).await;
    browser.key("c").await;
    browser.key(" ").await;
    browser.until("heard.click.length >= 12 && heard.music.length >= 12", 30).await;
    browser.key(" ").await;
    let heard = browser.js("return heard").await;
    let times =
        |what: &str| heard[what].as_array().expect("a list").iter().filter_map(Value::as_f64).collect::<Vec<_>>();
    let music = times("music");
    let mut apart: Vec<f64> =
        times("click").iter().map(|c| music.iter().map(|m| (m - c).abs()).fold(f64::MAX, f64::min) * 1000.0).collect();
    apart.sort_by(f64::total_cmp);
    // Ears tell two sounds apart from some twenty milliseconds on.
    assert!(apart[apart.len() / 2] < 8.0 && apart[apart.len() * 8 / 10] < 17.0, "milliseconds: {apart:.1?}");
    browser.client.clone().close().await.expect("closed");
}

/// The page's own state, by the name its modules have for it.
async fn modules(browser: &Browser) {
    let script = "const done = arguments[arguments.length - 1]; \
                  import('/assets/own/pages/listen/state.js').then(({ L }) => { window.L = L; done(true) })";
    browser.client.execute_async(script, vec![]).await.expect("the page's modules");
}

async fn reading(browser: &Browser) -> Value {
    browser.js("return L.data").await
}

/// Six taps on what sounds, four tenths of a second and more apart, by the clock of what plays: a pace of its own would meet
/// onsets by chance.
const TAP_ALONG: &str = r"
    const due = L.data.reading.onsets.filter((t) => t > 9.4).reduce((kept, t) => (t - (kept.at(-1) ?? 0) < 0.4 ? kept : [...kept, t]), []).slice(0, 6);
    window.last = due.at(-1);
    const turn = () => {
      if (due.length && L.now() >= due[0]) {
        due.shift();
        document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 't', bubbles: true }));
      }
      if (due.length) requestAnimationFrame(turn);
    };
    turn();";

/// Taps while it plays become beats on real onsets.
async fn tapping(browser: &Browser) {
    let before = reading(browser).await["reading"]["beats"].as_array().expect("beats").len();
    browser.js("document.querySelector('#audio').currentTime = 9").await;
    browser.key("t").await;
    browser.until("document.querySelector('#audio').currentTime > 9.3", 10).await;
    browser.js(TAP_ALONG).await;
    browser.until("document.querySelector('#held').textContent.includes('6 taps')", 20).await;
    let last = browser.js("return window.last").await.as_f64().expect("a time");
    browser.key(" ").await;
    browser.until("document.querySelector('#part').textContent.includes('by hand: beats')", 10).await;
    let seen = reading(browser).await;
    let times = |what: &str| -> Vec<f64> {
        seen["reading"][what]
            .as_array()
            .expect("a list")
            .iter()
            .filter_map(|b| b["at"].as_f64().or(b.as_f64()))
            .collect()
    };
    let onsets = times("onsets");
    let tapped: Vec<f64> = times("beats").into_iter().filter(|t| (9.4..last + 0.2).contains(t)).collect();
    assert_eq!(tapped.len(), 6, "{tapped:?}");
    let snapped = tapped.iter().filter(|t| onsets.iter().any(|o| (o - **t).abs() < 1e-4)).count();
    // One that came late by more than an ear forgives stays where it was tapped.
    assert!(snapped >= 5, "{snapped} of {tapped:?} are onsets");
    browser.control('z').await;
    browser.until("!document.querySelector('#part').textContent.includes('by hand')", 10).await;
    let after = reading(browser).await["reading"]["beats"].as_array().expect("beats").len();
    assert_eq!(after, before);
}

/// A section's boundary dragged to another bar.
async fn dragging(browser: &Browser) {
    let second = "L.data.reading.sections[1].start";
    let from = browser.js(&format!("return {second}")).await.as_f64().expect("a boundary");
    // By the pointer events that a mouse makes, two bars to the right on its own line.
    let script = r"
const at = L.data.reading.sections[1].start;
const line = L.lines().find((l) => at >= l.start - 0.01 && at < l.end - 0.01), box = line.canvas.getBoundingClientRect();
const two = (8 * 60) / L.data.reading.tempo_bpm;
const go = (type, t) => line.canvas.dispatchEvent(new PointerEvent(type, {
  bubbles: true, pointerId: 1, buttons: 1, clientX: box.left + L.xOf(line, t), clientY: box.top + box.height / 2 }));
line.canvas.setPointerCapture = () => {};
go('pointerdown', at); go('pointermove', at + two * 0.6); go('pointermove', at + two * 1.04); go('pointerup', at + two * 1.04);
return two;";
    let two = browser.js(script).await.as_f64().expect("two bars");
    browser.until(&format!("Math.abs({second} - {from} - {two}) < 0.06"), 10).await;
    browser.until("document.querySelector('#part').textContent.includes('by hand: sections')", 5).await;
    browser.key("e").await;
    browser.until("document.querySelector('#held').textContent.includes('energy')", 5).await;
    browser.key("Escape").await;
    browser.control('z').await;
    browser.until(&format!("Math.abs({second} - {from}) < 0.01"), 10).await;
}

/// The whole of the marks by keyboard, each taken back; the click and the close look.
async fn by_key(browser: &Browser) {
    let count = "L.data.reading";
    let number = async |what: &str| browser.js(&format!("return {count}.{what}")).await.as_f64().expect("a number");
    let bars = "L.beats().filter((b) => b.beat === 1).map((b) => b.at).join()";
    let begin = browser.js(&format!("return {bars}")).await;
    browser.js("document.querySelector('#audio').currentTime = 13.1").await;
    for (key, what, changes) in [
        ("f", "beats.length", "fewer"),
        ("h", "beats.length", "fewer"),
        ("d", "beats.length", "more"),
        ("b", "beats.length", "more"),
        ("x", "beats.length", "fewer"),
        ("s", "sections.length", "more"),
        ("j", "sections.length", "fewer"),
        ("q", "cues.length", "more"),
    ] {
        // Off the beat for a new one, on it for the others.
        let before = number(what).await;
        browser.key(key).await;
        let sign = if changes == "more" { ">" } else { "<" };
        browser.until(&format!("{count}.{what} {sign} {before}"), 10).await;
        if key == "b" {
            assert_eq!(browser.js(&format!("return {bars}")).await, begin, "one more beat moves no bar");
        }
        browser.control('z').await;
        browser.until(&format!("{count}.{what} === {before}"), 10).await;
    }
    // Fewer marks, and all of them again; bars stay where they are.
    let all = number("beats.length").await;
    browser.key("f").await;
    browser.until(&format!("{count}.beats.length <= {all} / 2 + 1"), 10).await;
    assert_eq!(browser.js(&format!("return {bars}")).await, begin);
    let part = browser.text("#part").await;
    assert!(part.contains("by hand: beats") && !part.contains("clearly"), "nothing was heard of these marks: {part}");
    browser.key("a").await;
    browser.until(&format!("{count}.beats.length === {all}"), 10).await;
    assert_eq!(browser.js(&format!("return {bars}")).await, begin);
    // Each is waited for: an undo on its way would take back what comes after it.
    browser.control('z').await;
    browser.until(&format!("{count}.beats.length <= {all} / 2 + 1"), 10).await;
    browser.control('z').await;
    browser.until(&format!("{count}.beats.length === {all}"), 10).await;
    bars_of_three(browser).await;
    let one = "L.beats().find((b) => b.beat === 1).at";
    let before = browser.js(&format!("return {one}")).await;
    browser.js("document.querySelector('#audio').currentTime = L.beats().find((b) => b.beat === 3).at").await;
    browser.key("1").await;
    browser.until(&format!("{one} !== {before}"), 10).await;
    browser.control('z').await;
    browser.until(&format!("{one} === {before}"), 10).await;
    browser.key("z").await;
    browser.until("!document.querySelector('#close').hidden", 5).await;
    browser.key("z").await;
    browser.key("c").await;
    browser.until("document.querySelector('#click').getAttribute('aria-pressed') === 'true'", 5).await;
    browser.key("c").await;
    let spoken = browser.text("#spoken").await;
    assert!(spoken.contains("drop at 0:") && spoken.contains("energy"), "{spoken}");
}

/// The page says what most bars have, also where one has more.
async fn bars_of_three(browser: &Browser) {
    let bars = async |beats: usize| {
        browser.until(&format!("document.querySelector('#metre').value === '{beats}'"), 10).await;
    };
    bars(4).await;
    browser.js("const m = document.querySelector('#metre'); m.value = '3'; m.dispatchEvent(new Event('change'))").await;
    browser.until("Math.max(...L.beats().map((b) => b.beat)) === 3", 10).await;
    bars(3).await;
    // As a reading has it where music leaves its count.
    browser.js("L.beats().slice(6, 9).forEach((b, i) => (b.beat = i + 4)); L.drawAll()").await;
    bars(3).await;
    browser.control('z').await;
    bars(4).await;
}

/// Tracks beside each other: described in place, narrowed by words, heard.
async fn candidates(browser: &Browser, job: &str) {
    browser
        .js("const i = document.querySelector('[data-about=mood]'); i.value = 'tense'; i.dispatchEvent(new Event('change'))")
        .await;
    tokio::time::sleep(Duration::from_millis(300)).await;
    browser.go(&format!("{job}/listen")).await;
    browser.until("document.querySelector('#music').dataset.ready === 'yes'", 30).await;
    modules(browser).await;
    assert_eq!(browser.js("return document.querySelector('[data-about=mood]').value").await, json!("tense"));
    let narrow = async |words: &str| {
        let script = format!(
            "const i = document.querySelector('#track-words'); i.value = {}; i.dispatchEvent(new Event('input')); \
             return [...document.querySelectorAll('.tracks tbody tr')].filter((r) => !r.hidden).length",
            json!(words)
        );
        browser.js(&script).await
    };
    assert_eq!((narrow("calm").await, narrow("tense short").await, narrow("").await), (json!(0), json!(1), json!(1)));
    browser.click("[data-sort='5']").await;
    browser.until("document.querySelector('th[aria-sort=ascending]')", 5).await;
    browser.click(".hear").await;
    browser
        .until("!document.querySelector('#other').paused && document.querySelector('.hear').innerText === 'stop'", 10)
        .await;
    browser.click(".hear").await;
    browser.until("document.querySelector('#other').paused", 5).await;
}

/// Thirty seconds are asked for, and a WAV of just that comes out, with the seam where the page says.
async fn shortening(browser: &Browser, program: &Program, folder: &std::path::Path) {
    browser.key("l").await;
    browser.until("document.querySelector('#length').open", 5).await;
    browser.js("document.querySelector('#seconds').value = '30'").await;
    browser.click("#length-form button").await;
    browser.until("document.querySelectorAll('.offer').length > 0", 20).await;
    browser.click(".offer").await;
    browser.until("document.querySelectorAll('.seam').length > 0 && L.data.version.joins.length > 0", 10).await;
    let version = reading(browser).await["version"].clone();
    let seconds = version["duration"].as_f64().expect("a length");
    assert!((seconds - 30.0).abs() <= 1.0, "{version}");
    let (found, rate) = exported(browser, program, folder).await;
    assert_eq!(found.len(), (seconds * 48_000.0).round() as usize);
    // Before the seam it is the track up to there; after it, the track from where it goes on.
    let (whole, _) = samples(
        &std::fs::read_dir(folder.join("music for it/music")).expect("music").flatten().next().expect("a track").path(),
        folder,
    );
    let join = &version["joins"][0];
    let time = |key: &str| join[key].as_f64().expect("a time");
    let alike = |a: f64, b: f64| {
        let part = |list: &[f32], from: usize| list[from..from + rate as usize / 2].to_vec();
        let dot = |p: &[f32], q: &[f32]| p.iter().zip(q).map(|(a, b)| f64::from(a * b)).sum::<f64>();
        let x = part(&found, (a * rate) as usize);
        // Times in seconds fall between samples.
        let nearest = |shift: usize| {
            let y = part(&whole, (b * rate) as usize + shift - 1);
            dot(&x, &y) / (dot(&x, &x) * dot(&y, &y)).sqrt().max(1e-9)
        };
        (0..=2).map(nearest).fold(0.0, f64::max)
    };
    let (before, after) = (alike(time("at") - 0.6, time("out") - 0.6), alike(time("at") + 0.1, time("into") + 0.1));
    assert!(before > 0.98 && after > 0.98, "before the seam {before}, after it {after}");
    // The seam can be heard by itself, two bars on each side of it, again and again.
    browser.click(".seam button").await;
    browser.until("!document.querySelector('#other').paused", 20).await;
    let seen = reading(browser).await;
    let number = |value: &Value| value.as_f64().expect("a number");
    let two_bars = 120.0 * number(&seen["metre"]) / number(&seen["reading"]["tempo_bpm"]);
    let (from, to) = ((time("at") - two_bars).max(0.0), time("at") + two_bars);
    let round = format!("(t => t > {from} - 0.01 && t < {from} + 1.5)(document.querySelector('#other').currentTime)");
    browser.until(&round, 10).await;
    browser.js(&format!("document.querySelector('#other').currentTime = {to} - 0.2")).await;
    browser.until(&round, 10).await;
    browser.click(".seam button").await;
    browser.until("document.querySelector('#other').paused", 5).await;
}

/// A fade leaves the tempo alone, also where the page shows the length rounded; what is stretched is as long as asked, to
/// the sample.
async fn finishing(browser: &Browser, program: &Program, folder: &std::path::Path) {
    let length = exported(browser, program, folder).await.0.len();
    browser.js("document.querySelector('#fade-out').value = '2'").await;
    browser.click("#finish button").await;
    browser.until("L.data.version.fade_out.milliseconds === 2000", 10).await;
    assert_eq!(reading(browser).await["version"]["stretch"].as_f64(), Some(1.0));
    assert_eq!(exported(browser, program, folder).await.0.len(), length);
    browser.js("document.querySelector('#stretch').value = '30'").await;
    browser.click("#finish button").await;
    browser.until("Math.abs(L.data.version.duration - 30) < 1e-5", 10).await;
    assert_eq!(exported(browser, program, folder).await.0.len(), 30 * 48_000);
    browser.until("document.querySelector('#part').textContent.includes(', about -')", 10).await;
    // Its own length again, as the page showed it.
    let own = format!("{:.2}", length as f64 / 48_000.0);
    browser
        .js(&format!(
            "const s = document.querySelector('#stretch'); s.value = '{own}'; s.dispatchEvent(new Event('input'))"
        ))
        .await;
    assert_eq!(browser.text("#stretch-says").await, "its own tempo");
    browser.click("#finish button").await;
    browser.until("L.data.version.stretch === 1", 10).await;
    browser.until("!document.querySelector('#part').textContent.includes('about')", 10).await;
}

/// The samples of the version that can be taken along, and how many there are a second.
async fn exported(browser: &Browser, program: &Program, folder: &std::path::Path) -> (Vec<f32>, f64) {
    let path = browser.js("return document.querySelector('#export').getAttribute('href')").await;
    let wav = folder.join("out.wav");
    let get = std::process::Command::new("curl")
        .args(["-sf", "-o"])
        .arg(&wav)
        .arg(format!("{}{}", program.address, path.as_str().expect("a path")))
        .status();
    assert!(get.expect("curl").success());
    samples(&wav, folder)
}

/// The left channel at 48 kHz.
fn samples(file: &std::path::Path, folder: &std::path::Path) -> (Vec<f32>, f64) {
    let raw = folder.join("raw.f32");
    let done = std::process::Command::new("ffmpeg")
        .args(["-v", "error", "-y", "-i"])
        .arg(file)
        .args(["-af", "pan=mono|c0=c0", "-ar", "48000", "-f", "f32le"])
        .arg(&raw)
        .status();
    assert!(done.expect("ffmpeg").success());
    let bytes = std::fs::read(&raw).expect("samples");
    (bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect(), 48_000.0)
}
