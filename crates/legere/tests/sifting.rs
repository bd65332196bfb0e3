//! A sitting at Sift by keys alone, through 240 clips; what is kept afterwards is exactly what was pressed.

mod house;
#[path = "../../web/tests/server/mod.rs"]
mod server;

use house::browser::Browser;
use serde_json::{Value, json};
use server::Server;
use std::collections::BTreeMap;

const CLIPS: usize = 240;

/// A select as it was pressed: start and end in frames, tier, tags, note.
#[derive(Debug, Clone, PartialEq)]
struct Said {
    marks: (u64, u64),
    tier: &'static str,
    tags: Vec<&'static str>,
}

async fn here(browser: &Browser) -> String {
    let id = browser.js("return new URLSearchParams(location.search).get('select')").await;
    id.as_str().expect("a select").to_owned()
}

/// Presses a verdict and waits for another select.
async fn verdict(browser: &Browser, key: &str) {
    let now = here(browser).await;
    browser.key(key).await;
    browser.until(&format!("!location.search.includes('{now}')"), 10).await;
}

/// Steps on by whole seconds and waits until the picture stands there.
async fn stand(browser: &Browser, second: f64) {
    let clip = "document.querySelector('.clip-cell.is-here .pic').dataset.of";
    let loaded = format!(
        "document.querySelector('#video').src.includes({clip}) && document.querySelector('#video').readyState >= 2"
    );
    browser.until(&loaded, 20).await;
    browser.js(&format!("document.querySelector('#video').currentTime = {second}")).await;
    let there = format!(
        "!document.querySelector('#video').seeking && Math.abs(document.querySelector('#video').currentTime - {second}) < 0.02"
    );
    browser.until(&there, 10).await;
}

/// From its in, as fast as one wants; one key lets them stand, which is how this leaves the page, on the first clip.
async fn clips_play_as_they_come(browser: &Browser) {
    let video = "document.querySelector('#video')";
    let of_this = format!("{video}.dataset.shown === document.querySelector('.clip-cell.is-here').dataset.select");
    let plays = |speed: u32| {
        format!("{of_this} && !{video}.paused && {video}.currentTime > 1.04 && {video}.playbackRate === {speed}")
    };
    let coming = "document.querySelector('#coming')";
    browser.key("ArrowDown").await;
    browser.until(&plays(1), 20).await;
    browser.js(&format!("{coming}.value = '3'; {coming}.dispatchEvent(new Event('change'))")).await;
    browser.key("ArrowDown").await;
    browser.until(&plays(3), 20).await;
    // A step stops it, and what was shuttled goes on from how it came.
    browser.key("ArrowUp").await;
    browser.until(&plays(3), 20).await;
    browser.key("l").await;
    browser.until(&format!("{video}.playbackRate === 4"), 5).await;
    browser.key("ArrowRight").await;
    browser.until(&format!("{video}.paused"), 5).await;
    browser.shift('p').await;
    browser.until(&format!("{coming}.value === '0'"), 5).await;
    browser.key("ArrowUp").await;
    browser.until(&format!("{of_this} && {video}.readyState >= 2"), 20).await;
    assert_eq!(
        browser.js(&format!("return {video}.paused && {video}.currentTime")).await,
        json!(1),
        "it stands at its in"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_sitting_by_keys_alone_is_kept_as_it_was_pressed() {
    let server = Server::start().await;
    let shoot = server.shoot(CLIPS).await;
    house::pictures::pictures(server.dir.path(), &server.app.shelf, &shoot.clips);
    let path = format!("/jobs/{}/sift/selects.json", shoot.job);
    // As they stand on the sheet: by recording time.
    let rows = server.json(&path).await.as_array().expect("rows").clone();
    let order: Vec<Value> = rows.iter().map(|row| row["clip"].clone()).collect();
    let browser = Browser::open().await;
    browser.go(&format!("http://127.0.0.1:{}/jobs/{}/sift", server.port, shoot.job)).await;
    browser.until(&format!("document.querySelector('#sheet').dataset.clips === '{CLIPS}'"), 20).await;
    browser.until("document.querySelector('#still').dataset.shown", 10).await;
    assert!(
        browser.js("return document.querySelectorAll('.clip-cell').length").await.as_u64() < Some(80),
        "what is seen"
    );

    clips_play_as_they_come(&browser).await;

    let mut wanted: BTreeMap<usize, Vec<Said>> = BTreeMap::new();
    for clip in 0..CLIPS {
        let (key, tier) = [("a", "out"), ("s", "spare"), ("d", "strong"), ("f", "hero")][clip * 7 % 4];
        let mut said = Said { marks: (50, 300), tier, tags: vec![] };
        if clip % 40 == 7 {
            // Two out of one: the first from 1 to 3 s, another from 4 s on.
            for (at, mark) in [(3.01, "e"), (4.01, "+")] {
                stand(&browser, at).await;
                browser.key(mark).await;
                let after = if mark == "e" {
                    "document.querySelector('#at-out').textContent === '03:00'"
                } else {
                    "document.querySelector('#which').textContent.includes('2 of 2')"
                };
                browser.until(after, 10).await;
            }
            verdict(&browser, "f").await;
            browser.until("document.querySelector('#which').textContent.includes('1 of 2')", 10).await;
            said.marks = (50, 150);
            wanted.entry(clip).or_default().push(Said { marks: (200, 350), tier: "hero", tags: vec![] });
        }
        if clip % 30 == 3 {
            browser.key("1").await;
            browser.key("m").await;
            let both = "['framing:wide', 'movement:right'].every((t) => document.querySelector(`[data-tag='${t}']`).getAttribute('aria-pressed') === 'true')";
            browser.until(both, 10).await;
            said.tags = vec!["framing:wide", "movement:right"];
        }
        if clip + 1 < CLIPS {
            verdict(&browser, key).await;
        } else {
            browser.key(key).await;
        }
        wanted.entry(clip).or_default().insert(0, said);
    }
    let judged = wanted.values().map(Vec::len).sum::<usize>();
    browser
        .until(&format!("document.querySelector('#says-sift').textContent === '{judged} of {judged} judged'"), 20)
        .await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    // The page is ahead of the server by the last key.
    for _ in 0..100 {
        let all = server.json(&path).await;
        if all.as_array().expect("rows").iter().all(|row| row["tier"] != "unread") {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }

    let mut found: BTreeMap<usize, Vec<(u64, u64, String, Value)>> = BTreeMap::new();
    for row in server.json(&path).await.as_array().expect("rows") {
        let clip = order.iter().position(|c| row["clip"] == *c).expect("a clip");
        let frame = |key: &str| (row[key].as_f64().expect("seconds") * 50.0).round() as u64;
        let tier = row["tier"].as_str().expect("a tier").to_owned();
        found.entry(clip).or_default().push((frame("start"), frame("end"), tier, row["tags"].clone()));
    }
    for (clip, said) in wanted {
        let kept = &found[&clip];
        let said: Vec<(u64, u64, String, Value)> =
            said.into_iter().map(|s| (s.marks.0, s.marks.1, s.tier.to_owned(), json!(s.tags))).collect();
        assert_eq!(kept, &said, "clip {clip}");
    }

    // The second pass goes through what is left, and the address leads back to where one is.
    browser.js("document.querySelector('.drops').click()").await;
    browser.until("document.querySelector('.next button').checkVisibility()", 5).await;
    browser.click(".next button").await;
    browser.until("document.querySelector('.drops b').textContent === 'pass 2'", 10).await;
    let left = judged - CLIPS / 4;
    browser.until(&format!("document.querySelector('#left').textContent.startsWith('{left} selects')"), 10).await;
    verdict(&browser, "d").await;
    let now = here(&browser).await;
    browser.js("location.reload()").await;
    browser.until("document.querySelector('.drops b')?.textContent === 'pass 2' && document.querySelector('#still').dataset.shown", 20).await;
    assert_eq!(here(&browser).await, now);
    browser.client.clone().close().await.expect("closed");
    server.stop().await;
}

/// Holds a key of the keyboard down while something is clicked.
async fn click_holding(browser: &Browser, key: char, selector: &str) {
    use fantoccini::Locator;
    use fantoccini::actions::{InputSource, KeyAction, KeyActions};
    let down = KeyActions::new("keys".into()).then(KeyAction::Down { value: key });
    browser.client.perform_actions(down).await.expect("held");
    browser.client.find(Locator::Css(selector)).await.expect("there").click().await.expect("clicked");
    let up = KeyActions::new("keys".into()).then(KeyAction::Up { value: key });
    browser.client.perform_actions(up).await.expect("let go");
}

const SHIFT: char = '\u{E008}';
const CONTROL: char = '\u{E009}';

#[tokio::test(flavor = "multi_thread")]
async fn many_are_chosen_narrowed_and_seen_side_by_side() {
    let server = Server::start().await;
    let shoot = server.shoot(30).await;
    house::pictures::pictures(server.dir.path(), &server.app.shelf, &shoot.clips);
    let browser = Browser::open().await;
    browser.go(&format!("http://127.0.0.1:{}/jobs/{}/sift", server.port, shoot.job)).await;
    browser.until("document.querySelector('#sheet').dataset.clips === '30'", 20).await;
    browser.until("document.querySelector('#still').dataset.shown", 10).await;
    let rows = async || {
        let all = server.json(&format!("/jobs/{}/sift/selects.json", shoot.job)).await;
        all.as_array().expect("rows").clone()
    };
    let count = async |key: &str, value: Value| rows().await.iter().filter(|r| r[key] == value).count();

    // A run with Shift, one more with Ctrl: one key for all of them.
    browser.click(".clip-cell[data-at='2']").await;
    click_holding(&browser, SHIFT, ".clip-cell[data-at='5']").await;
    click_holding(&browser, CONTROL, ".clip-cell[data-at='9']").await;
    browser.until("document.querySelector('.many').innerText.startsWith('5 chosen')", 5).await;
    browser.key("d").await;
    browser.until("document.querySelector('#says-sift').textContent.startsWith('5 of')", 10).await;
    assert_eq!(count("tier", json!("strong")).await, 5);
    // A word for all of them, typed.
    browser.key("t").await;
    browser.client.active_element().await.expect("the field").send_keys("brass\u{E007}").await.expect("typed");
    browser.until("document.querySelector('#known-words option')", 10).await;
    assert_eq!(count("tags", json!(["own:brass"])).await, 5);
    browser.key("Escape").await;
    browser.until("!document.querySelector('.many').checkVisibility()", 5).await;

    // Narrowed by a press and by words; a bad word is explained, and the rest still counts.
    browser.key("/").await;
    browser.client.active_element().await.expect("the field").send_keys("brass mood:sad").await.expect("typed");
    browser.until("document.querySelector('#sheet').dataset.clips === '5'", 5).await;
    browser.until("document.querySelector('#values .problem').innerText.includes('nothing is called mood')", 5).await;
    browser.key("Escape").await;
    browser.js("document.querySelectorAll('[data-term]')[1].click()").await;
    browser.until("new URLSearchParams(location.search).get('words') === 'brass'", 5).await;

    // Three beside each other: one key keeps one and puts the others out.
    for at in 0..3 {
        click_holding(&browser, CONTROL, &format!(".clip-cell[data-at='{at}']")).await;
    }
    browser.until("document.querySelector('.many').innerText.startsWith('3 chosen')", 5).await;
    browser.key("c").await;
    browser.until("document.querySelector('#beside').dataset.ready === 'yes'", 20).await;
    let playing = "[...document.querySelectorAll('#beside video')].every((v) => !v.paused)";
    browser.until(playing, 10).await;
    browser.key("2").await;
    browser.until("!document.querySelector('#beside').open", 5).await;
    browser.until("document.querySelectorAll('.clip-cell.is-out').length === 2", 10).await;
    assert_eq!((count("tier", json!("out")).await, count("tier", json!("strong")).await), (2, 3));
    browser.control('z').await;
    browser.until("document.querySelectorAll('.clip-cell.is-out').length === 0", 10).await;

    // Shuttling both ways, and back to a stand. Nothing plays by itself meanwhile.
    browser.shift('p').await;
    browser.key("k").await;
    browser
        .until("document.querySelector('#coming').value === '0' && document.querySelector('#video').paused", 5)
        .await;
    let speed = "document.querySelector('#at-now').textContent";
    browser.click(".clip-cell[data-at='3']").await;
    browser.until("document.querySelector('#video').readyState >= 2", 20).await;
    browser.key("l").await;
    browser.key("l").await;
    browser.until(&format!("{speed}.includes('2×')"), 5).await;
    browser.until("document.querySelector('#video').currentTime > 2", 10).await;
    let there = browser.js("return document.querySelector('#video').currentTime").await.as_f64().expect("a time");
    browser.key("j").await;
    browser.until(&format!("{speed}.includes('−1×') && document.querySelector('#backwards').matches('.on')"), 10).await;
    // Each frame in its turn: none is passed over for long.
    let shown = browser
        .js(
            "const seen = []; const c = document.querySelector('#backwards'); \
             await new Promise((done) => { const look = () => { const k = Number(c.dataset.frame); \
               if (seen.at(-1) !== k) seen.push(k); seen.length > 12 ? done() : requestAnimationFrame(look); }; look(); }); \
             return seen.slice(1).every((k, i) => k < seen[i] && seen[i] - k <= 4);",
        )
        .await;
    assert_eq!(shown, json!(true));
    browser.key("k").await;
    browser.until(&format!("!{speed}.includes('×')"), 5).await;
    // The video element stands where it was, earlier than before.
    browser
        .until(
            &format!(
                "!document.querySelector('#backwards').matches('.on') && document.querySelector('#video').currentTime < {there}"
            ),
            10,
        )
        .await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.client.clone().close().await.expect("closed");
    server.stop().await;
}

/// A sheet that was read before a verdict and arrives after it takes nothing back, and nobody is led back to what they left.
#[tokio::test(flavor = "multi_thread")]
async fn a_late_sheet_takes_no_verdict_back() {
    let server = Server::start().await;
    let shoot = server.shoot(4).await;
    house::pictures::pictures(server.dir.path(), &server.app.shelf, &shoot.clips);
    let browser = Browser::open().await;
    browser.go(&format!("http://127.0.0.1:{}/jobs/{}/sift", server.port, shoot.job)).await;
    browser.until("document.querySelector('#still').dataset.shown", 20).await;
    let judged = |cells: usize| format!("document.querySelectorAll('.clip-cell.is-strong').length === {cells}");
    browser.until(&judged(0), 10).await;
    // Clips stand, so that the mark stays where it is put.
    browser.shift('p').await;

    // The sheet's answer is held back, as a slow network does.
    browser
        .js("const direct = window.fetch;
            window.fetch = async (address, ...how) => {
              const answer = await direct(address, ...how);
              if (!window.holds || !String(address).includes('selects.json')) return answer;
              window.held = true;
              return new Promise((turn) => addEventListener('arrive', () => turn(answer), { once: true }));
            };")
        .await;
    let hold = "Object.assign(window, { holds: true, held: false })";
    let arrive =
        "window.holds = false; dispatchEvent(new Event('arrive')); document.querySelector('#left').textContent = ''";
    browser.js(hold).await;
    browser.js("document.dispatchEvent(new Event('legere:changed'))").await;
    browser.until("window.held", 10).await;
    verdict(&browser, "d").await;
    verdict(&browser, "d").await;
    let (second, stored) = (here(&browser).await, format!("/jobs/{}/sift/selects.json", shoot.job));
    while server.json(&stored).await.as_array().expect("rows").iter().filter(|row| row["tier"] == "strong").count() < 2
    {
        tokio::time::sleep(std::time::Duration::from_millis(40)).await;
    }
    browser.js(arrive).await;
    browser.until("document.querySelector('#left').textContent", 10).await;
    browser.until(&judged(2), 10).await;
    assert_eq!(here(&browser).await, second);

    // Another select is asked for, and one has gone on before it is there.
    stand(&browser, 7.0).await;
    let clip = browser.js("return document.querySelector('.clip-cell.is-here').dataset.at").await;
    browser.js(hold).await;
    browser.key("+").await;
    browser.until("window.held", 10).await;
    browser.key("ArrowUp").await;
    browser
        .until(
            &format!(
                "document.querySelector('.clip-cell.is-here').dataset.at !== '{}'",
                clip.as_str().expect("a place")
            ),
            10,
        )
        .await;
    let left = here(&browser).await;
    browser.js(arrive).await;
    browser.until("document.querySelector('#left').textContent", 10).await;
    browser.until("document.querySelectorAll('.clip-cell .brackets i').length === 5", 10).await;
    assert_eq!(here(&browser).await, left);
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.client.clone().close().await.expect("closed");
    server.stop().await;
}
