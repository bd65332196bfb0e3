//! What was read of a clip, along time at Sift: seen or not seen, contradicted, broken up, and compared.

mod house;
#[path = "../../web/tests/server/mod.rs"]
mod server;

use house::browser::Browser;
use legere_core::footage::{COLOURS, ClipReading, Event, FrameSignature, Stretch, TONES};
use serde_json::{Value, json};
use server::Server;
use server::shoot::{Shoot, reading};

fn event(start: f64, end: f64) -> Event {
    Event { start, end, energy: 30.0, what: "much moves".into() }
}

/// One that no other is like but of the same seed.
fn look(seed: usize) -> FrameSignature {
    FrameSignature {
        tones: (0..TONES.0 * TONES.1).map(|i| ((i * i * seed * 37 + i * 11) % 230) as u8).collect(),
        colours: vec![(seed * 20) as i8; 2 * COLOURS.0 * COLOURS.1],
    }
}

/// The first clip shakes, waits and is cut, the second is one long take of three things, three others show the same.
async fn read(server: &Server, shoot: &Shoot) {
    let mut busy = reading(0.4);
    busy.samples.sharpness[20..30].fill(0.05);
    busy.samples.exposure[32..44].fill(0.01);
    busy.samples.crushed = vec![0.0; 80];
    busy.samples.crushed[32..44].fill(0.97);
    busy.waits = vec![Stretch { start: 4.5, end: 5.8 }];
    busy.shot_changes = vec![1.5];
    let events = vec![event(0.0, 2.0), event(2.0, 5.0), event(5.5, 8.0)];
    let readings = [busy, ClipReading { events, ..reading(0.4) }]
        .into_iter()
        .chain((0..3).map(|_| ClipReading { signatures: vec![look(1)], ..reading(0.4) }));
    for (clip, reading) in shoot.clips.iter().zip(readings) {
        let clip = server.app.store.clips().get(*clip).await.expect("a clip");
        server.read_again(&clip, &reading).await;
    }
}

/// Sift, on a shoot that was read so.
async fn open() -> (Server, Shoot, Browser) {
    let server = Server::start().await;
    let shoot = server.shoot(5).await;
    read(&server, &shoot).await;
    house::pictures::pictures(server.dir.path(), &server.app.shelf, &shoot.clips);
    let browser = Browser::open().await;
    browser.go(&format!("http://127.0.0.1:{}/jobs/{}/sift", server.port, shoot.job)).await;
    browser.until("document.querySelector('#sheet').dataset.clips === '5'", 20).await;
    browser.until("document.querySelector('#still').dataset.shown", 10).await;
    browser.until("!document.querySelector('#no-fault').hidden", 10).await;
    (server, shoot, browser)
}

async fn rows(server: &Server, shoot: &Shoot) -> Vec<Value> {
    let rows = server.json(&format!("/jobs/{}/sift/selects.json", shoot.job)).await;
    rows.as_array().expect("rows").clone()
}

/// Waits until the ribbon shows something else than before `act`.
async fn changes(browser: &Browser, act: &str) {
    let ribbon = "document.querySelector('#ribbon').toDataURL()";
    browser.js(&format!("window.ribbonBefore = {ribbon}; {act}")).await;
    browser.until(&format!("{ribbon} !== window.ribbonBefore"), 10).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn each_layer_of_the_ribbon_is_put_away_and_stays_away() {
    let (server, _, browser) = open().await;
    for layer in ["movement", "shake", "focus", "light", "waits", "cuts", "moments"] {
        let chip = format!("document.querySelector('[data-layer={layer}]')");
        changes(&browser, &format!("{chip}.click()")).await;
        browser.until(&format!("{chip}.getAttribute('aria-pressed') === 'false'"), 5).await;
    }
    changes(&browser, "document.querySelector('[data-layer=shake]').click()").await;
    browser.client.refresh().await.expect("again");
    browser.until("document.querySelector('#sheet').dataset.clips === '5'", 20).await;
    let shown = browser
        .js("return [...document.querySelectorAll('[data-layer][aria-pressed=true]')].map((b) => b.dataset.layer)")
        .await;
    assert_eq!(shown, json!(["shake"]));
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.client.clone().close().await.expect("closed");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_fault_is_contradicted_an_endless_take_broken_up_and_takes_compared_by_keys() {
    let (server, shoot, browser) = open().await;
    let says = async |words: &str| {
        browser.until(&format!("document.querySelector('#toast').textContent.startsWith({})", json!(words)), 10).await;
    };
    // The nearest fault is none: said of the clip, seen at once, and taken back by the same key.
    browser.until("document.querySelector('#video').readyState >= 2", 20).await;
    browser.js("document.querySelector('#video').currentTime = 7").await;
    browser.until("!document.querySelector('#video').seeking", 10).await;
    browser.js("window.ribbonBefore = document.querySelector('#ribbon').toDataURL()").await;
    browser.shift('n').await;
    says("not shaky: said of the whole clip").await;
    browser.until("document.querySelector('#ribbon').toDataURL() !== window.ribbonBefore", 10).await;
    // The page shows it before the server has stored it.
    let stored = async |wanted: Value| {
        for _ in 0..100 {
            if rows(&server, &shoot).await[0]["no_faults"] == wanted {
                return;
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
        panic!("{}", rows(&server, &shoot).await[0]["no_faults"]);
    };
    stored(json!(["shake"])).await;
    // Then what is left to be said of: the next one.
    browser.shift('n').await;
    says("not too dark").await;
    browser.control('z').await;
    stored(json!(["shake"])).await;
    browser.control('z').await;
    stored(json!([])).await;

    // One key, and each event is an undecided select to go through.
    browser.click(".clip-cell[data-at='1']").await;
    browser.until("!document.querySelector('#break-up').hidden", 10).await;
    browser.shift('b').await;
    browser.until("document.querySelector('#which').textContent.includes('1 of 3')", 10).await;
    for which in ["2 of 3", "3 of 3"] {
        browser.key("d").await;
        browser.until(&format!("document.querySelector('#which').textContent.includes('{which}')"), 10).await;
    }
    let of_take = |rows: &[Value]| -> Vec<(f64, Value)> {
        let mine = rows.iter().filter(|r| r["name"] == "C001");
        mine.map(|r| (r["start"].as_f64().expect("seconds"), r["tier"].clone())).collect()
    };
    let three = [(0.0, json!("strong")), (2.0, json!("strong")), (5.5, json!("unread"))];
    // The page shows verdicts before the server has stored them.
    for _ in 0..100 {
        if of_take(&rows(&server, &shoot).await) == three {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert_eq!(of_take(&rows(&server, &shoot).await), three);
    browser.click(".clip-cell[data-at='0']").await;
    browser.until("document.querySelector('#break-up').hidden", 10).await;
    browser.shift('b').await;
    says("one thing happens in this clip").await;

    // Takes that show the same say so, stand together, and are chosen from side by side.
    browser.shift('c').await;
    says("no other clip shows the same").await;
    browser
        .js("const o = document.querySelector('#order'); o.value = 'alike'; o.dispatchEvent(new Event('change'))")
        .await;
    browser
        .until(
            "[...document.querySelectorAll('.clip-cell .take:not([hidden])')].map((t) => t.textContent).join() === '1/3,2/3,3/3'",
            10,
        )
        .await;
    let beside = "document.querySelectorAll('#beside video').length";
    browser.js("document.querySelectorAll('.clip-cell .take:not([hidden])')[1].closest('.clip-cell').click()").await;
    browser.until("document.querySelector('.clip-cell.is-here .take')?.textContent === '2/3'", 10).await;
    browser.shift('c').await;
    browser.until(&format!("document.querySelector('#beside').dataset.ready === 'yes' && {beside} === 3"), 20).await;
    browser.key("2").await;
    browser.until("!document.querySelector('#beside').open", 5).await;
    browser.until("document.querySelectorAll('.clip-cell.is-out').length === 2", 10).await;
    let tiers: Vec<Value> =
        rows(&server, &shoot).await.iter().filter(|r| !r["alike"].is_null()).map(|r| r["tier"].clone()).collect();
    assert!(tiers[0] == "out" && tiers[1] != "out" && tiers[2] == "out", "{tiers:?}");
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.client.clone().close().await.expect("closed");
    server.stop().await;
}
