//! The pages by keyboard alone, by night, and with nothing in them.

mod house;

use house::browser::Browser;
use house::program::Program;
use serde_json::json;

async fn empty_job(browser: &Browser, program: &Program) -> String {
    browser.go(&format!("{}/", program.address)).await;
    // The first field is a Tab or a few away from anywhere; its label is what a reader of the screen hears.
    browser.js("document.querySelector('[name=name]').focus()").await;
    browser.client.active_element().await.expect("the field").send_keys("Nothing yet").await.expect("typed");
    browser.key("Enter").await;
    browser.until("location.pathname.endsWith('/gather')", 10).await;
    browser.client.current_url().await.expect("an address").to_string().trim_end_matches("/gather").to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn every_step_is_open_from_the_start_and_says_what_it_waits_for() {
    let dir = house::folder();
    let media = dir.path().join("cards");
    std::fs::create_dir_all(&media).expect("a folder");
    let program = Program::start("serve", dir.path(), &["--media", media.to_str().expect("a name")]);
    let browser = Browser::open().await;
    let job = empty_job(&browser, &program).await;
    for (step, words) in [
        ("gather", "Nothing here yet"),
        ("listen", "No music yet"),
        ("sift", "Nothing is left"),
        ("arrange", "No draft yet"),
        ("watch", "There is nothing to watch yet"),
        ("handoff", "There is nothing to hand off yet"),
    ] {
        browser.go(&format!("{job}/{step}")).await;
        browser.until(&format!("document.querySelector('main').innerText.includes({})", json!(words)), 10).await;
        let here = browser.js("return document.querySelector('[aria-current=page]').pathname").await;
        assert!(here.as_str().is_some_and(|p| p.ends_with(step)), "{here}");
        // The list of keys opens by its own key and closes again, and Escape is enough.
        browser.key("?").await;
        browser.until("document.querySelector('#keys').open", 5).await;
        let keys = browser.js("return [...document.querySelectorAll('#keys dd')].map((d) => d.textContent)").await;
        assert!(keys.as_array().expect("a list").contains(&json!("night and day")), "{step}: {keys}");
        browser.key("Escape").await;
        browser.until("!document.querySelector('#keys').open", 5).await;
    }
    // Asking for what cannot be made yet is answered on the page.
    browser.go(&format!("{job}/arrange")).await;
    browser.click("#new-draft").await;
    browser.until("document.querySelector('#problem')?.innerText.includes('choose a track in Listen')", 10).await;
    browser.control('z').await;
    browser.until("document.querySelector('#toast').innerText === 'there is nothing to undo here'", 5).await;
    // Night is kept from page to page.
    browser.key("n").await;
    browser.go(&format!("{job}/gather")).await;
    browser.until("document.documentElement.dataset.theme === 'dark'", 5).await;
    let ground = browser.js("return getComputedStyle(document.body).backgroundColor").await;
    assert_eq!(ground, json!("rgb(29, 27, 24)"));
    // The focus can be seen wherever it goes.
    browser.key("Tab").await;
    let ring = browser
        .js("const s = getComputedStyle(document.activeElement); return `${s.outlineStyle} ${s.outlineWidth}`")
        .await;
    assert_eq!(ring, json!("solid 2px"));
    let complaints = browser.complaints().await;
    // A refusal is an answer of the server that the browser's log mentions as well.
    assert!(complaints.iter().all(|c| c.contains("409") || c.contains("422")), "{complaints:?}");
    browser.client.clone().close().await.expect("closed");
    assert!(program.stop());
}

#[tokio::test(flavor = "multi_thread")]
async fn the_text_can_be_read_by_day_and_by_night() {
    let dir = house::folder();
    let program = Program::start("serve", dir.path(), &[]);
    let browser = Browser::open().await;
    let job = empty_job(&browser, &program).await;
    for step in ["gather", "handoff", "sift"] {
        browser.go(&format!("{job}/{step}")).await;
        for _ in 0..2 {
            // WCAG 2.2, contrast (minimum): 4.5 to 1 for text.
            let worst = browser.js(CONTRAST).await;
            assert_eq!(worst, json!([]), "{step}");
            browser.key("n").await;
            // The colours fade over.
            tokio::time::sleep(std::time::Duration::from_millis(600)).await;
        }
    }
    browser.client.clone().close().await.expect("closed");
}

/// The texts of a page whose contrast against what is behind them is below 4.5, with that figure.
const CONTRAST: &str = r"
const luminance = (c) => {
  const [r, g, b] = c.map((v) => { v /= 255; return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
};
const parse = (text) => text.match(/[\d.]+/g).map(Number);
const behind = (node) => {
  for (let n = node; n; n = n.parentElement) {
    const c = parse(getComputedStyle(n).backgroundColor);
    if (c.length < 4 || c[3] > 0.99) return c.slice(0, 3);
  }
  return [255, 255, 255];
};
const low = [];
for (const node of document.querySelectorAll('body *')) {
  const own = [...node.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim());
  if (!own || !node.checkVisibility({ visibilityProperty: true })) continue;
  const a = luminance(parse(getComputedStyle(node).color).slice(0, 3));
  const b = luminance(behind(node));
  const ratio = (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05);
  if (ratio < 4.5) low.push(`${node.textContent.trim().slice(0, 30)} ${ratio.toFixed(2)}`);
}
return low;";
