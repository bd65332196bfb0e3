//! The pictures of docs/screenshots, taken from the demo: `cargo xtask screenshots`.

mod house;

use house::browser::Browser;
use house::program::Program;
use std::path::{Path, PathBuf};

fn pictures() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/screenshots")
}

async fn shoot(browser: &Browser, name: &str) {
    // The pointer and a message of a moment ago are no part of the view.
    browser.js("document.getElementById('toast')?.classList.remove('on')").await;
    browser.js("return document.fonts.ready.then(() => true)").await;
    tokio::time::sleep(std::time::Duration::from_millis(350)).await;
    let file = pictures().join(format!("{name}.png"));
    std::fs::write(&file, browser.png().await).expect("written");
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "takes minutes and writes into docs; run by cargo xtask screenshots"]
async fn take() {
    std::fs::create_dir_all(pictures()).expect("a folder");
    // The demo's footage is kept between runs: drawing it takes four minutes.
    let data = Path::new(env!("CARGO_TARGET_TMPDIR")).join("demo");
    std::fs::create_dir_all(&data).expect("a folder");
    let program = Program::start("demo", &data, &[]);
    let browser = Browser::open().await;
    browser.go(&format!("{}/", program.address)).await;
    browser.click(".jobs a").await;
    let count = "document.getElementById('count').textContent.replace(/\\s+/g, ' ').trim()";
    browser.until(&format!("{count}.startsWith('240 clips, 1 cannot be read')"), 600).await;
    let job = browser.client.current_url().await.expect("an address").to_string();
    let job = job.trim_end_matches("/gather");
    browser.go(&format!("{job}/gather")).await;
    shoot(&browser, "gather").await;

    browser.go(&format!("{job}/listen")).await;
    browser.until("document.querySelector('#music')?.dataset.ready === 'yes'", 60).await;
    shoot(&browser, "listen").await;

    browser.go(&format!("{job}/sift")).await;
    browser
        .until(
            "document.querySelector('#sheet').dataset.clips === '239' && document.querySelector('#still').dataset.shown",
            30,
        )
        .await;
    judge_like_an_editor(&browser).await;
    shoot(&browser, "sift").await;

    browser.go(&format!("{job}/arrange")).await;
    // Behind "this draft" where an earlier run has laid one.
    browser.js("window.before = true; document.querySelector('.of-draft')?.setAttribute('open', '')").await;
    browser.click("#new-draft").await;
    browser.until("!window.before && document.querySelector('#skyline')?.dataset.ready === 'yes'", 30).await;
    for _ in 0..9 {
        browser.key("ArrowRight").await;
    }
    browser.key("p").await;
    browser.until("document.querySelectorAll('.alt').length > 2", 10).await;
    shoot(&browser, "arrange").await;
    browser.key("n").await;
    shoot(&browser, "arrange-night").await;
    browser.key("n").await;
    // A ramp in an open shot, slower first: whichever clip lies there has enough. Then a copy beside it in which two shots have changed places.
    browser.key("p").await;
    for _ in 0..7 {
        browser.key("ArrowLeft").await;
    }
    let player = "document.querySelector('#picture').player";
    for (frames, turns) in [(8, 1), (14, 2)] {
        browser.js(&format!("{player}.seek({player}.mark + {frames})")).await;
        browser
            .js(&format!("document.querySelector('#to-percent').value = {}", if turns == 1 { 60 } else { 90 }))
            .await;
        browser.key("r").await;
        browser.until(&format!("document.querySelectorAll('.keyframes li').length === {turns}"), 10).await;
    }
    shoot(&browser, "arrange-time").await;
    browser.js("window.before = true").await;
    browser.click(".of-draft summary").await;
    browser.click("#copy-draft").await;
    browser.until("!window.before && document.querySelector('#skyline')?.dataset.ready === 'yes'", 30).await;
    for _ in 0..4 {
        browser.key("ArrowRight").await;
    }
    browser.key("e").await;
    browser.key("c").await;
    browser.until("document.querySelectorAll('#other-skyline .differs').length > 0", 10).await;
    for key in ["+", "+"] {
        browser.key(key).await;
    }
    browser.until("document.querySelectorAll('.alt').length > 2", 10).await;
    shoot(&browser, "arrange-beside").await;

    browser.watch(job).await;
    browser.js("document.querySelector('#video').currentTime = 21").await;
    shoot(&browser, "watch").await;

    browser.go(&format!("{job}/handoff")).await;
    for kind in ["mp4", "otio", "edl", "csv"] {
        browser.click(&format!("#make-{kind}")).await;
    }
    browser.until("document.querySelectorAll('#files tr[data-kind=mp4] a').length > 0", 300).await;
    shoot(&browser, "handoff").await;

    browser.go(&format!("{}/", program.address)).await;
    browser.until("document.querySelectorAll('.jobs img').length > 4", 10).await;
    browser.until("[...document.querySelectorAll('.jobs img')].every((i) => i.complete && i.naturalWidth)", 20).await;
    shoot(&browser, "start").await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.client.clone().close().await.expect("closed");
}

/// A first pass with all verdicts in it, then a close look at a hero.
async fn judge_like_an_editor(browser: &Browser) {
    if browser.text("#says-sift").await.starts_with("0 of") {
        for key in "fdsdadfsddsafdsdfdssdafdsdfsdadf".chars() {
            browser.key(&key.to_string()).await;
        }
    }
    browser.js("document.querySelector('.clip-cell.is-hero').click()").await;
    tokio::time::sleep(std::time::Duration::from_millis(600)).await;
}
