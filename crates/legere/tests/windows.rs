//! Two windows on one job, and every page as a program for people who do not see it reads it.

mod house;

use house::browser::Browser;
use house::material;
use house::program::Program;
use serde_json::{Value, json};

const CLIPS: usize = 12;
/// Presses of a key that is held for three seconds, as most keyboards repeat them.
const HELD: usize = 90;

#[tokio::test(flavor = "multi_thread")]
async fn two_windows_share_a_job() {
    let dir = house::folder();
    let media = dir.path().join("cards");
    material::make(&media, CLIPS).await;
    let data = dir.path().join("data");
    std::fs::create_dir_all(&data).expect("a folder");
    let media_text = media.to_str().expect("a name").to_owned();
    let program = Program::start("serve", &data, &["--media", &media_text]);
    let (one, two) = (Browser::open().await, Browser::open().await);
    let job = brought_in(&one, &program).await;

    verdicts_are_seen_by_both(&one, &two, &job).await;
    drafts_are_seen_by_both(&one, &two, &job).await;
    a_held_key_moves_a_cut(&one).await;

    // The server ends and comes back: what was done before the other window found it again is seen there as well.
    let address = program.address.clone();
    assert!(program.stop());
    let program = Program::start_again(&address, "serve", &data, &["--media", &media_text]);
    let pinned = pins(&one).await;
    one.key("p").await;
    one.until(&format!("document.querySelectorAll('.building .pin').length !== {pinned}"), 10).await;
    let now = pins(&one).await;
    two.until(&format!("document.querySelectorAll('.building .pin').length === {now}"), 20).await;

    let mut broken = Vec::new();
    for (step, ready) in [
        ("gather", "document.querySelectorAll('.clip-name').length > 0"),
        ("listen", "document.querySelector('#music').dataset.ready === 'yes'"),
        ("sift", "document.querySelectorAll('.clip-cell').length > 0"),
        ("arrange", "document.querySelector('#skyline').dataset.ready === 'yes'"),
        ("watch", "document.querySelector('#picture').dataset.frame !== undefined"),
        ("handoff", "document.querySelector('#files')"),
        ("nowhere", "document.body.innerText.includes('nothing')"),
    ] {
        one.go(&format!("{job}/{step}")).await;
        one.until(ready, 120).await;
        broken.extend(broken_rules(&one, step).await);
    }
    one.go(&format!("{}/", program.address)).await;
    broken.extend(broken_rules(&one, "start").await);
    assert_eq!(broken, Vec::<String>::new());
    for browser in [one, two] {
        browser.client.clone().close().await.expect("closed");
    }
    assert!(program.stop());
}

async fn brought_in(browser: &Browser, program: &Program) -> String {
    browser.go(&format!("{}/", program.address)).await;
    browser.js("document.querySelector('[name=name]').value = 'Two of us'; document.querySelector('[name=length]').value = '0:15'").await;
    browser.click("form button").await;
    browser.until("location.pathname.endsWith('/gather')", 10).await;
    let job = browser.client.current_url().await.expect("an address").to_string().replace("/gather", "");
    browser.click(".roots button").await;
    browser.click(".folders form button.act").await;
    browser.until(&format!("document.querySelectorAll('tr[data-state=ready]').length === {CLIPS}"), 120).await;
    browser.go(&format!("{job}/listen")).await;
    browser.until("document.querySelector('#music')?.dataset.ready === 'yes'", 60).await;
    job
}

async fn verdicts_are_seen_by_both(one: &Browser, two: &Browser, job: &str) {
    for browser in [one, two] {
        browser.go(&format!("{job}/sift")).await;
        browser.until(&format!("document.querySelector('#sheet').dataset.clips === '{CLIPS}'"), 20).await;
        browser.until("document.documentElement.dataset.following === 'yes'", 10).await;
    }
    let first = one.js("return document.querySelector('.clip-cell.is-here').dataset.select").await;
    one.key("f").await;
    let is = |tier: &str| {
        format!("document.querySelector('[data-select=\"' + {first} + '\"]').classList.contains('is-{tier}')")
    };
    two.until(&is("hero"), 10).await;
    two.until("document.querySelector('#says-sift').textContent.startsWith('1 of')", 5).await;
    // The other's work is not this window's to take back.
    two.control('z').await;
    two.until("document.querySelector('#toast').textContent === 'there is nothing to undo here'", 5).await;
    // What the other said last stands, and this window's undo passes over it.
    two.click(".clip-cell.is-hero").await;
    two.key("a").await;
    one.until(&is("out"), 10).await;
    one.control('z').await;
    one.until("document.querySelector('#toast').textContent.includes('changed')", 5).await;
    one.until(&is("out"), 5).await;
    two.control('z').await;
    one.until(&is("hero"), 10).await;
}

async fn pins(browser: &Browser) -> Value {
    browser.js("return document.querySelectorAll('.building .pin').length").await
}

async fn drafts_are_seen_by_both(one: &Browser, two: &Browser, job: &str) {
    one.go(&format!("{job}/arrange")).await;
    one.click("#new-draft").await;
    for browser in [one, two] {
        if browser.js("return location.pathname.endsWith('/sift')").await == json!(true) {
            browser.go(&format!("{job}/arrange")).await;
        }
        browser.until("document.querySelector('#skyline')?.dataset.ready === 'yes'", 20).await;
        browser.until("document.documentElement.dataset.following === 'yes'", 10).await;
    }
    one.key("ArrowRight").await;
    one.key("p").await;
    two.until("document.querySelectorAll('.building .pin').length === 1", 10).await;
    two.control('z').await;
    two.until("document.querySelector('#toast').textContent === 'there is nothing to undo here'", 5).await;
    one.control('z').await;
    two.until("document.querySelectorAll('.building .pin').length === 0", 10).await;
}

async fn lens(browser: &Browser) -> Vec<i64> {
    let script = "const done = arguments[arguments.length - 1]; \
        fetch(location.pathname.replace('/arrange', '') + '/drafts/' + document.querySelector('[data-draft]').dataset.draft + '.json') \
        .then((r) => r.json()).then((d) => done(d.shots.map((s) => s.len)))";
    let lens = browser.client.execute_async(script, vec![]).await.expect("the draft");
    lens.as_array().expect("lengths").iter().filter_map(Value::as_i64).collect()
}

/// All presses of a held key count, up to where the clip ends; the whole of it is one thing to take back.
async fn a_held_key_moves_a_cut(browser: &Browser) {
    let before = lens(browser).await;
    for at in 1..before.len() - 1 {
        browser.js(&format!("document.querySelectorAll('.building')[{at}].dispatchEvent(new MouseEvent('click', {{ bubbles: true }}))")).await;
        browser.until(&format!("document.querySelector('.building.on').dataset.shot === '{at}'"), 5).await;
        browser.hold(",", HELD).await;
        let to = settled(browser).await;
        let moved = before[at] - to[at];
        assert_eq!(to.iter().sum::<i64>(), before.iter().sum::<i64>());
        if moved < 4 {
            continue;
        }
        // Held on against the end it stays there, and says why.
        assert!(moved as usize == HELD || !browser.text("#problem").await.is_empty());
        browser.control('z').await;
        // The words of an earlier undo may still stand there: what counts is the draft.
        let begun = std::time::Instant::now();
        while settled(browser).await != before {
            assert!(begun.elapsed().as_secs() < 20, "however long it was held, it is one thing to take back");
        }
        // As many frames as presses, not one more or less.
        browser.hold(",", 3).await;
        assert_eq!(settled(browser).await[at], before[at] - 3);
        return;
    }
    panic!("no cut moves");
}

/// The lengths of the shots once they stay as they are.
async fn settled(browser: &Browser) -> Vec<i64> {
    browser.until("document.querySelector('#skyline').dataset.busy !== 'yes'", 10).await;
    lens(browser).await
}

/// What axe-core finds wrong with a page by day and by night.
async fn broken_rules(browser: &Browser, page: &str) -> Vec<String> {
    let axe = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../web/node_modules/axe-core/axe.min.js");
    let axe = std::fs::read_to_string(axe).expect("axe-core, which cargo xtask test brings");
    let look = "const done = arguments[arguments.length - 1]; axe.run({ rules: { 'target-size': { enabled: true } } }).then((r) => done(r.violations.map((v) => \
                `${v.id}: ${v.nodes.length}: ${v.nodes[0].target}: \
                 ${v.nodes[0].any.concat(v.nodes[0].all, v.nodes[0].none).map((c) => c.message)}`)))";
    let mut broken = Vec::new();
    for _ in 0..2 {
        browser.js("document.activeElement.blur()").await;
        browser.js(&axe).await;
        let found = browser.client.execute_async(look, vec![]).await.expect("axe ran");
        let theme = browser.js("return document.documentElement.dataset.theme").await;
        let found = found.as_array().expect("a list");
        broken.extend(found.iter().map(|rule| format!("{page}, {theme}: {rule}")));
        let other = if theme == "light" { "dark" } else { "light" };
        browser.js(&format!("document.documentElement.dataset.theme = '{other}'")).await;
        browser
            .until(" document.getAnimations().every((a) => a.effect.getComputedTiming().endTime === Infinity)", 5)
            .await;
    }
    broken
}
