//! A draft is asked for as a whole, in the browser: another one, a shorter one, what opens it, what its cuts fall on, why, and
//! what is meant.

mod house;
#[path = "../../web/tests/server/mod.rs"]
mod server;

use house::browser::Browser;
use serde_json::json;
use server::Server;

const READY: &str = "document.querySelector('#skyline')?.dataset.ready === 'yes' && \
                     document.querySelectorAll('#skyline .building').length > 4";

#[tokio::test(flavor = "multi_thread")]
async fn a_draft_is_asked_for_as_a_whole() {
    let server = Server::start().await;
    let shoot = server.shoot(60).await;
    house::pictures::pictures(server.dir.path(), &server.app.shelf, &shoot.clips);
    let browser = Browser::open().await;
    let address = format!("http://127.0.0.1:{}/jobs/{}/arrange", server.port, shoot.job);
    browser.go(&address).await;
    browser.click("#new-draft").await;
    browser.until(READY, 20).await;
    let count = |what: &str| format!("document.querySelectorAll('{what}').length");

    // What laying again would touch is said beforehand, and is less by what is pinned.
    let open = "Number(document.querySelector('#again').textContent.match(/\\d+/)[0])";
    let all = browser.js(&format!("return {}", count("#skyline .building"))).await;
    browser.until(&format!("{open} === {all}"), 5).await;
    browser.key("ArrowRight").await;
    browser.key("p").await;
    browser.until(&format!("{open} === {all} - 1"), 10).await;

    // A reason that is pressed shows its part on the skyline; pressed again, none.
    browser.click(".reason:not(.plain)").await;
    browser.until(&format!("{} > 0", count("#skyline .cost")), 5).await;
    browser.click(".reason[aria-pressed=true]").await;
    browser.until(&format!("{} === 0", count("#skyline .cost")), 5).await;

    // The cuts of a section on backbeats, from its head.
    browser.click(".head").await;
    browser
        .js("const s = document.querySelector('#head-panel select[aria-label^=\"what the cuts\"]'); s.value = 'backbeats'; \
             s.dispatchEvent(new Event('change', { bubbles: true }))")
        .await;
    browser.until("document.querySelector('.head').title.includes('on backbeats')", 10).await;
    browser.click(".head").await;
    browser.until("document.querySelector('#head-panel').offsetParent === null", 5).await;

    // What opens the piece, by a key; laid again it does.
    for _ in 0..5 {
        browser.key("ArrowRight").await;
    }
    let name = "document.querySelector('#shot-name span').textContent";
    let opening = browser.js(&format!("return {name}")).await;
    browser.shift('o').await;
    browser.until("document.querySelector('#opens').getAttribute('aria-pressed') === 'true'", 10).await;
    browser.click("#again").await;
    let first = "document.querySelector('#skyline .building').getAttribute('aria-label')";
    browser.until(&format!("{first}.includes({opening})"), 10).await;

    // A cut off the beat is found, is meant, and is put right once it is not.
    browser.key("ArrowRight").await;
    for _ in 0..2 {
        browser.key(".").await;
    }
    let found =
        "[...document.querySelectorAll('#findings li')].filter((l) => l.innerText.includes('off the beat')).length";
    browser.until(&format!("{found} === 1"), 10).await;
    let press = |label: &str| {
        format!(
            "const line = [...document.querySelectorAll('#findings li')].find((l) => l.innerText.includes('off the beat')); \
             [...line.querySelectorAll('button')].find((b) => b.innerText === '{label}').click()"
        )
    };
    browser.js(&press("meant")).await;
    browser.until(&format!("{found} === 0"), 10).await;
    browser.control('z').await;
    browser.until(&format!("{found} === 1"), 10).await;
    browser.js(&press("put the cut on the beat")).await;
    browser.until(&format!("{found} === 0"), 10).await;

    // Another one, with what it gains and loses beside the first.
    browser.js("window.before = true").await;
    browser.click("#another").await;
    browser.until(&format!("!window.before && {READY}"), 20).await;
    browser.until("!document.querySelector('#other').hidden", 10).await;
    browser.until("document.querySelectorAll('#differences li').length > 0", 10).await;
    assert_ne!(browser.js(&format!("return {}", count("#skyline .differs"))).await, json!(0));

    // A shorter one: twelve seconds of the twenty-four.
    browser.js("window.before = true").await;
    browser.shift('s').await;
    browser.until("document.querySelector('#shorter-dialog').open", 5).await;
    browser.js("document.querySelector('#shorter-seconds').value = '12'").await;
    browser.click("#shorter-form button").await;
    browser.until(&format!("!window.before && {READY}"), 20).await;
    browser.until("/00:00:1[0-4]:/.test(document.querySelector('#figures').textContent)", 10).await;
    // The drawn shoot has no music to be heard.
    let complaints: Vec<String> =
        browser.complaints().await.into_iter().filter(|c| !c.contains("music.flac")).collect();
    assert_eq!(complaints, Vec::<String>::new());
    browser.client.clone().close().await.expect("closed");
    server.stop().await;
}
