//! Many files at once: the page answers, and its lines stay still.

mod house;

use house::browser::Browser;
use house::material;
use house::program::Program;
use legere_media::bring::{Kind, search};
use serde_json::json;
use std::path::Path;

const FILES: usize = 1200;

/// One clip under as many names.
async fn many(media: &Path) {
    let drawn = media.join("drawn");
    material::make(&drawn, 1).await;
    let clip = search(&drawn).into_iter().find(|f| f.kind == Kind::Clip).expect("a clip").path;
    let roll = media.join("roll");
    std::fs::create_dir_all(&roll).expect("a folder");
    for i in 0..FILES {
        house::material::another(&drawn.join(&clip), &roll.join(format!("clip {i:04}.mp4")), i);
    }
}

async fn bring(browser: &Browser, folder: &str) -> String {
    browser.click(".roots button").await;
    browser.until(&format!("document.querySelector('.folders ul').innerText.includes({})", json!(folder)), 10).await;
    let wanted =
        format!("[...document.querySelectorAll('.folders li button')].find((b) => b.innerText === '{folder}')");
    browser.settled().await;
    browser.js(&format!("{wanted}.click()")).await;
    browser.until(&format!("document.querySelector('.folders .mono').innerText.endsWith('/{folder}')"), 10).await;
    browser.click(".folders form button.act").await;
    browser.until("document.querySelector('.folders [role=status]')", 30).await;
    browser.text(".folders [role=status]").await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_thousand_files_do_not_stop_the_page() {
    let dir = house::folder();
    let media = dir.path().join("cards");
    many(&media).await;
    let program = Program::start("serve", dir.path(), &["--media", media.to_str().expect("a name"), "--at-once", "1"]);
    let browser = Browser::open().await;
    browser.go(&format!("{}/", program.address)).await;
    browser.js("document.querySelector('[name=name]').value = 'Many'").await;
    browser.click("form button").await;
    browser.until("location.pathname.endsWith('/gather')", 10).await;

    assert_eq!(bring(&browser, "roll").await, format!("Brought in {FILES} clips and 0 tracks."));
    let lines = "document.querySelectorAll('tr[id^=clip]').length";
    browser.until(&format!("document.querySelector('#count').innerText.startsWith('{FILES} clips')"), 30).await;
    browser.until(&format!("{lines} === 60"), 10).await;
    // The others come as one scrolls down.
    browser.js("window.scrollTo(0, document.body.scrollHeight)").await;
    browser.until(&format!("{lines} > 60"), 10).await;
    // While they are read the page is there for its user, and a line that has not changed is the line that it was.
    browser.js("document.querySelectorAll('tr[id^=clip]')[150].before = 'yes'").await;
    browser.key("?").await;
    browser.until("document.querySelector('#keys').open", 10).await;
    browser.key("Escape").await;
    browser.until("document.querySelectorAll('tr[data-state=ready]').length >= 8", 60).await;
    let marks = "[...document.querySelectorAll('.mark.ready')].reduce((n, m) => n + m.getAttribute('d').split('M').length - 1, 0)";
    browser.until(&format!("{marks} >= 8"), 60).await;
    let same = "[...document.querySelectorAll('tr[id^=clip]')].filter((r) => r.before === 'yes').length === 1";
    browser.until(same, 5).await;

    // One file more, in the midst of the others.
    let first = media.join("roll/clip 0000.mp4");
    house::material::another(&first, &media.join("roll/clip 0100 again.mp4"), FILES);
    assert_eq!(bring(&browser, "roll").await, format!("Brought in 1 clip and 0 tracks, {FILES} were there already."));
    browser.until(&format!("document.querySelector('#count').innerText.startsWith('{} clips')", FILES + 1), 30).await;
    browser.until("document.querySelector('#rolls').innerText.includes('clip 0100 again.mp4')", 10).await;
    browser.until(same, 5).await;
    let ids = browser.js("return new Set([...document.querySelectorAll('#rolls [id]')].map((e) => e.id)).size === document.querySelectorAll('#rolls [id]').length").await;
    assert_eq!(ids, json!(true), "nothing stands there twice");
    // The drive is unplugged while a thousand wait, and plugged in again: all of it goes on.
    let away = dir.path().join("unplugged");
    std::fs::rename(&media, &away).expect("away");
    browser.until("document.querySelector('#count').innerText.includes('not where they were')", 60).await;
    browser.until("document.querySelectorAll('tr[id^=clip].trouble').length >= 60", 30).await;
    std::fs::rename(&away, &media).expect("back");
    browser.until("!document.querySelector('#count').innerText.includes('not where they were')", 60).await;
    let ready = browser.js("return document.querySelectorAll('tr[data-state=ready]').length").await;
    browser.until(&format!("document.querySelectorAll('tr[data-state=ready]').length > {ready}"), 60).await;

    // All of it is one thing to undo.
    browser.control('z').await;
    browser.until(&format!("document.querySelector('#count').innerText.startsWith('{FILES} clips')"), 30).await;
    browser.control('z').await;
    browser.until("document.querySelector('#count').innerText.startsWith('Nothing here yet')", 30).await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.client.clone().close().await.expect("closed");
    assert!(program.stop());
}

#[tokio::test(flavor = "multi_thread")]
async fn files_that_are_chosen_on_the_page_come_in_and_a_job_can_be_changed() {
    let dir = house::folder();
    let drawn = dir.path().join("drawn");
    material::make(&drawn, 1).await;
    let clip = drawn.join(search(&drawn).into_iter().find(|f| f.kind == Kind::Clip).expect("a clip").path);
    let notes = dir.path().join("notes.txt");
    std::fs::write(&notes, "no clip").expect("written");
    let data = dir.path().join("data");
    std::fs::create_dir_all(&data).expect("a folder");
    let program = Program::start("serve", &data, &[]);
    let browser = Browser::open().await;
    browser.go(&format!("{}/", program.address)).await;
    browser.js("document.querySelector('[name=name]').value = 'Dropped'").await;
    // A new job shows its days in the zone of whoever begins it.
    assert_ne!(browser.js("return document.querySelector('#zone').value").await, json!(""));
    browser.click("form .button.act").await;
    browser.until("location.pathname.endsWith('/gather')", 10).await;
    let field = browser.client.find(fantoccini::Locator::Css("#choose-files")).await.expect("the field");
    field.send_keys(&format!("{}\n{}", clip.display(), notes.display())).await.expect("chosen");
    browser
        .until("document.querySelector('#uploads').innerText.includes('neither footage nor a picture nor sound')", 20)
        .await;
    browser.until("document.querySelectorAll('tr[data-state=ready]').length === 1", 60).await;
    browser.until("document.querySelector('#rolls').innerText.includes('dropped files')", 10).await;

    // What a change of the job means is said while it is typed.
    browser.click(".settings summary").await;
    browser.js("const f = document.querySelector('#settings [name=size]'); f.value = '3840x2160'; f.dispatchEvent(new Event('input', { bubbles: true }))").await;
    browser
        .until("document.querySelector('#means').innerText.includes('must be enlarged to fill 3840×2160')", 10)
        .await;
    browser.click("#settings .button.act").await;
    browser.until("document.querySelector('.facts').innerText.includes('3840×2160')", 10).await;
    browser.control('z').await;
    browser.until("document.querySelector('#toast').textContent.includes('change the job')", 10).await;
    let complaints = browser.complaints().await;
    // The refusal of the notes is an answer of the server that the browser's log mentions as well.
    assert!(complaints.iter().all(|c| c.contains("422")), "{complaints:?}");
    browser.client.clone().close().await.expect("closed");
    assert!(program.stop());
}
