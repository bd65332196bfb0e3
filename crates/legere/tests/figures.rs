//! What an editor waits for, measured on the demo in a real browser: part of `cargo xtask bench`.

mod house;

use house::browser::Browser;
use house::program::Program;
use serde_json::Value;
use std::path::Path;
use std::time::Instant;

/// Presses a verdict key, waits for the next clip's still to be painted, twenty times; milliseconds.
const VERDICTS: &str = r"
const done = arguments[arguments.length - 1];
const pause = arguments[0];
(async () => {
  const still = document.getElementById('still');
  const times = [];
  document.querySelector('.clip-cell').click();
  await new Promise((next) => setTimeout(next, 800));
  for (let i = 0; i < 20; i++) {
    const before = still.dataset.shown;
    const start = performance.now();
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'd', bubbles: true }));
    while (still.dataset.shown === before) await new Promise((next) => setTimeout(next, 0));
    await new Promise((next) => requestAnimationFrame(next));
    times.push(performance.now() - start);
    await new Promise((next) => setTimeout(next, pause));
  }
  done(times.sort((a, b) => a - b));
})();";

fn say(what: &str, figure: impl std::fmt::Display) {
    println!("{what:<66} {figure}");
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "a measurement; run by cargo xtask bench"]
async fn measure() {
    let data = Path::new(env!("CARGO_TARGET_TMPDIR")).join("demo");
    let _ = std::fs::remove_dir_all(&data);
    std::fs::create_dir_all(&data).expect("a folder");
    let start = Instant::now();
    let first = Program::start("demo", &data, &[]);
    let browser = Browser::open().await;
    browser.go(&format!("{}/", first.address)).await;
    browser.click(".jobs a").await;
    browser
        .until("document.getElementById('count').innerText.trim().startsWith('240 clips, 1 cannot be read')", 600)
        .await;
    say("the whole demo drawn and read, from the start command", format!("{:.0} s", start.elapsed().as_secs_f64()));
    assert!(first.stop());

    let start = Instant::now();
    let program = Program::start("demo", &data, &[]);
    browser.go(&format!("{}/", program.address)).await;
    say("second start to the start page", format!("{:.2} s", start.elapsed().as_secs_f64()));
    browser.click(".jobs a").await;
    browser.until("location.pathname.endsWith('/gather')", 10).await;
    let job = browser.client.current_url().await.expect("an address").to_string();
    let job = job.trim_end_matches("/gather");

    browser.go(&format!("{job}/sift")).await;
    browser
        .until(
            "document.querySelector('#sheet').dataset.clips === '59' && document.querySelector('#still').dataset.shown",
            30,
        )
        .await;
    for (words, pause) in [("one each 0.7 s", 700), ("as fast as it goes", 0)] {
        let times = browser.client.execute_async(VERDICTS, vec![Value::from(pause)]).await.expect("times");
        let times: Vec<f64> = times.as_array().expect("a list").iter().filter_map(Value::as_f64).collect();
        say(
            &format!("verdict key to the next still, {words}"),
            format!("median {:.0} ms, worst {:.0} ms", times[10], times[19]),
        );
    }

    browser.go(&format!("{job}/arrange")).await;
    browser.js("window.before = true").await;
    let start = Instant::now();
    browser.click("#new-draft").await;
    browser.until("!window.before && document.querySelector('#skyline')?.dataset.ready === 'yes'", 30).await;
    say("a new draft, from the click to the skyline", format!("{:.0} ms", start.elapsed().as_secs_f64() * 1000.0));
    for folder in ["pieces", "previews", "music"] {
        let folder = data.join("shelf").join(folder);
        std::fs::remove_dir_all(&folder).expect("removed");
        std::fs::create_dir_all(&folder).expect("made");
    }
    let preview = async |what: &str| {
        let start = Instant::now();
        browser.watch(job).await;
        say(what, format!("{:.2} s", start.elapsed().as_secs_f64()));
    };
    preview("first preview of the 45 s draft, with the page").await;
    browser.go(&format!("{job}/arrange")).await;
    browser.until("document.querySelectorAll('.alt').length > 0", 30).await;
    let before = browser.text("#shot-name").await;
    browser.key("1").await;
    browser
        .until(
            &format!("document.querySelector('#shot-name').textContent.trim() !== {}", serde_json::json!(before)),
            10,
        )
        .await;
    preview("preview after one swap, with the page").await;
    browser.client.clone().close().await.expect("closed");
}
