//! The live player against the frame table and against the rendered film, frame by frame: clips whose pictures show their own
//! numbers; and a hand that cuts while it plays.

mod house;
#[path = "../../media/tests/samples/mod.rs"]
mod samples;
#[path = "../../web/tests/server/mod.rs"]
mod server;

use house::browser::Browser;
use legere_core::draft::{Draft, Pause, Pin, Score, Shot, Source, Speed, SpeedKeyframe, Stop};
use legere_core::id::{DraftId, JobId, ShotId};
use legere_core::time::{FrameLen, Seconds};
use legere_core::track::Version;
use legere_store::drafts::{Asked, DraftBody};
use serde_json::{Value, json};
use server::{NOBODY, Server};
use std::process::Command;

/// Three counted clips at three rates, cut together at four speeds, with ramps, holds, backwards and pauses, on twenty seconds
/// of ticks.
async fn cut(server: &Server) -> (JobId, DraftId) {
    let job = server.job("Counted").await;
    let folder = server.dir.path().join("media/day one");
    for (i, rate) in ["25", "50", "30000/1001"].into_iter().enumerate() {
        samples::counted(rate, 150, &folder.join(format!("C00{i}.mp4")));
    }
    let ticks = "aevalsrc='if(lt(mod(t,0.5),0.02),sin(2*PI*1000*t),0)':s=48000:d=20";
    let made =
        Command::new("ffmpeg").args(["-v", "error", "-f", "lavfi", "-i", ticks]).arg(folder.join("ticks.wav")).status();
    assert!(made.expect("ffmpeg").success());
    let track = server.bring_and_read(job).await;
    let store = &server.app.store;
    let selects = store.selects().of_job(job).await.expect("selects").whole;
    let rate = "25".parse().expect("a rate");
    let keyframe = |at, over, tenths| SpeedKeyframe::new(at, over, Speed::new(tenths, 10).expect("a speed"));
    let stop = |len, stop| Some(Pause { len: FrameLen::new(len), stop, missing: FrameLen::new(0) });
    // Clip, first frame of the clip, speed in tenths, frames of the draft, keyframes, pause.
    let plan = [
        (0, 10, 10, 40, vec![], None),
        (1, 20, 10, 30, vec![], None),
        (2, 7, 10, 25, vec![], None),
        (0, 60, 5, 36, vec![], None),
        (1, 3, 15, 24, vec![], None),
        (2, 40, 20, 20, vec![], None),
        // Ramps, a hold, backwards, and there and back; pauses, black and held.
        (1, 30, 10, 30, vec![keyframe(5, 6, 30), keyframe(18, 5, 5)], None),
        (0, 30, 10, 30, vec![keyframe(8, 0, 0), keyframe(18, 0, 10)], None),
        (2, 120, -10, 24, vec![], None),
        (1, 60, 10, 30, vec![keyframe(10, 8, -15)], None),
        (0, 20, 10, 30, vec![], stop(10, Stop::Black)),
        (2, 20, 10, 30, vec![], stop(10, Stop::Held)),
    ];
    let mut shots = Vec::new();
    for (i, (which, first, tenths, len, keyframes, pause)) in plan.into_iter().enumerate() {
        let mut of = Vec::new();
        for select in &selects {
            let clip = store.clips().get(select.clip).await.expect("a clip");
            of.push((clip.name.clone(), clip, select.id));
        }
        of.sort_by(|a, b| a.0.cmp(&b.0));
        let (_, clip, select) = &of[which];
        let probe = clip.probe.as_ref().expect("read");
        let start = probe.frame_rate.seconds_at(legere_core::time::FramePos::new(first));
        shots.push(Shot {
            id: ShotId::from_u128(i as u128 + 1),
            len: FrameLen::new(len),
            source: Source {
                speed: Speed::new(tenths, 10).expect("a speed"),
                keyframes,
                ..Source::plain(*select, clip.id, start, probe.duration)
            },
            hit_at: None,
            pause,
            pin: Pin::Open,
            held: false,
        });
    }
    let cut = Draft::new(rate, shots).expect("a draft");
    let whole = Seconds::new(20, 1).expect("seconds");
    let version = Version::part(Seconds::ZERO, Seconds::new(14, 1).expect("seconds"), whole).expect("a part");
    let mut edit = store.begin_edit(job, NOBODY).await.expect("an edit");
    let draft = edit
        .add_draft(None, &DraftBody { score: Score::one(track, version), pace: vec![], cut, asked: Asked::default() })
        .await
        .expect("kept");
    edit.commit("lay a draft", None).await.expect("kept");
    (job, draft)
}

/// Stands on each frame in turn and reads the number that is on the screen.
const SHOWN: &str = r"
const done = arguments[arguments.length - 1];
(async () => {
  const canvas = document.querySelector('#picture'), player = canvas.player, pen = canvas.getContext('2d');
  const read = () => {
    const row = pen.getImageData(0, canvas.height / 2, canvas.width, 1).data;
    let number = 0;
    for (let bit = 0; bit < 10; bit++) {
      const x = Math.floor(((bit + 0.5) * canvas.width) / 10);
      if (row[x * 4] > 125) number |= 1 << bit;
    }
    return number;
  };
  const numbers = [];
  for (let f = 0; f < player.total; f++) {
    player.seek(f);
    const begun = performance.now();
    while (canvas.dataset.frame !== String(f)) {
      if (performance.now() - begun > 5000) return done(`frame ${f} did not come`);
      await new Promise((next) => setTimeout(next, 1));
    }
    numbers.push(read());
  }
  done(numbers);
})();";

async fn preview(server: &Server, draft: &str) -> Vec<usize> {
    server.say(&format!("{draft}/preview"), json!({})).await;
    for _ in 0..600 {
        let reported = server.json(&format!("{draft}/preview")).await;
        if reported["state"] == "ready" {
            let file = server.app.drafts().preview_file(reported["key"].as_str().expect("a key")).expect("the preview");
            return samples::numbers(&file);
        }
        assert_ne!(reported["state"], "failed", "{reported}");
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    }
    panic!("the preview was not made");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_on_the_screen_is_what_is_rendered() {
    let server = Server::start().await;
    let (job, draft) = cut(&server).await;
    let path = format!("/jobs/{job}/drafts/{draft}");
    let shown = server.json(&format!("{path}.json")).await;
    let table: Vec<usize> = shown["shots"]
        .as_array()
        .expect("shots")
        .iter()
        .flat_map(server::unfolded)
        // Black shows no bar, as the number 0 does.
        .map(|k| usize::try_from(k).unwrap_or(0))
        .collect();
    assert_eq!(table.len(), 349);
    let browser = Browser::open().await;
    browser.go(&format!("http://127.0.0.1:{}/jobs/{job}/arrange?draft={draft}", server.port)).await;
    browser.until("document.querySelector('#picture')?.dataset.frame !== undefined", 20).await;
    let live = browser.client.execute_async(SHOWN, vec![]).await.expect("numbers");
    assert_eq!(live, json!(table), "the live player shows the frame table");
    assert_eq!(preview(&server, &path).await, table, "and so does the film");

    // It plays with its music, and a cut that is moved meanwhile does not stop it.
    browser.js("document.querySelector('#picture').player.seek(0)").await;
    browser.key(" ").await;
    let player = "document.querySelector('#picture').player";
    browser.until(&format!("{player}.mark > 12 && {player}.drawn === {player}.mark"), 10).await;
    browser.key(".").await;
    browser.until("document.querySelector('#says-arrange') && document.querySelector('#shot-name').textContent.includes('41 frames')", 10).await;
    assert_eq!(browser.js(&format!("return {player}.speed")).await, json!(1));
    browser.until(&format!("{player}.mark > 60"), 10).await;
    browser.key(" ").await;
    let late = browser.js(&format!("return {player}.late")).await;
    assert!(late.as_u64().is_some_and(|n| n < 40), "hardly any picture comes late: {late}");

    // By keys: split at the mark, join again, remove; each is one to undo.
    let count = "document.querySelectorAll('.building').length";
    browser.js(&format!("{player}.seek(20)")).await;
    browser.key("x").await;
    browser.until(&format!("{count} === 13"), 10).await;
    browser.key("Delete").await;
    browser.until(&format!("{count} === 12"), 10).await;
    browser.control('z').await;
    browser.until(&format!("{count} === 13"), 10).await;
    browser.control('z').await;
    browser.until(&format!("{count} === 12"), 10).await;
    // Watch plays the same, at once, and leads to the shot in Arrange and back.
    browser.go(&format!("http://127.0.0.1:{}/jobs/{job}/watch?draft={draft}", server.port)).await;
    browser.until("document.querySelector('#picture')?.dataset.frame !== undefined", 20).await;
    browser.js("document.querySelector('#picture').player.seek(60)").await;
    browser.until("document.querySelector('#picture').dataset.frame === '60'", 10).await;
    browser.key("Enter").await;
    browser
        .until(
            "location.pathname.endsWith('/arrange') && document.querySelector('#skyline')?.dataset.ready === 'yes'",
            20,
        )
        .await;
    browser.until("document.querySelector('#shot-name').textContent.includes('shot 2')", 10).await;
    // The test itself reads the canvas, which the browser remarks on.
    let complaints = browser.complaints().await;
    assert!(complaints.iter().all(|c| c.contains("willReadFrequently")), "{complaints:?}");
    browser.client.clone().close().await.expect("closed");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn time_joins_and_another_draft_are_worked_on_by_hand() {
    let server = Server::start().await;
    let (job, draft) = cut(&server).await;
    let browser = Browser::open().await;
    browser.go(&format!("http://127.0.0.1:{}/jobs/{job}/arrange?draft={draft}", server.port)).await;
    browser.until("document.querySelector('#picture')?.dataset.frame !== undefined", 20).await;
    let player = "document.querySelector('#picture').player";

    // A keyframe at the mark, typed to another speed, taken out again; the curve says each.
    browser.js(&format!("{player}.seek(12)")).await;
    browser.key("r").await;
    let curve =
        |words: &str| format!("document.querySelector('#curve').getAttribute('aria-label').endsWith('{words}')");
    browser.until(&curve("100 %, then 200 %"), 10).await;
    browser
        .js("const field = document.querySelectorAll('.keyframes input')[2]; field.value = '50'; \
             field.dispatchEvent(new Event('change', { bubbles: true }));")
        .await;
    browser.until(&curve("100 %, then 50 %"), 10).await;
    browser.until("document.querySelector('#warnings').textContent.includes('slower than its frames allow')", 10).await;
    // A keyframe is pulled up to twice the speed it has.
    browser
        .js("const c = document.querySelector('#curve'), box = c.getBoundingClientRect(); \
             const at = (f, v) => ({ clientX: box.left + box.width * f / 40, clientY: box.bottom - box.height * (v + 0.25) / 1.75 }); \
             const send = (kind, place) => c.dispatchEvent(new PointerEvent(kind, { ...place, pointerId: 1, altKey: true, bubbles: true })); \
             c.setPointerCapture = () => {}; \
             send('pointerdown', at(20, 0.5)); send('pointermove', at(20, 0.8)); send('pointerup', at(20, 0.8));")
        .await;
    browser.until(&curve("100 %, then 80 %"), 10).await;
    browser.click(".keyframes button").await;
    browser.until(&curve("The time curve: 100 %"), 10).await;
    browser.key("u").await;
    browser.until(&curve("then 0 %, then 100 %"), 10).await;

    // The joins on both sides are drawn from the light copies.
    browser.key("ArrowRight").await;
    browser.click("[data-pane=join]").await;
    browser
        .until("[...document.querySelectorAll('.joins canvas')].filter((c) => c.dataset.shown).length === 6", 20)
        .await;

    // Zoomed by keys: fewer are drawn, and all of them again.
    let count = "document.querySelectorAll('#skyline .building').length";
    for _ in 0..5 {
        browser.key("+").await;
    }
    browser.until(&format!("{count} < 12"), 10).await;
    browser.key("0").await;
    browser.until(&format!("{count} === 12"), 10).await;

    // A copy beside it: what is exchanged is marked in both, until it is taken over.
    browser.js("window.before = true").await;
    browser.click(".of-draft summary").await;
    browser.click("#copy-draft").await;
    browser.until("!window.before && document.querySelector('#skyline')?.dataset.ready === 'yes'", 20).await;
    browser.key("c").await;
    browser.until("document.querySelectorAll('#other-skyline .building').length === 12", 10).await;
    let differ = |sky: &str| format!("document.querySelectorAll('#{sky} .differs').length");
    assert_eq!(browser.js(&format!("return {}", differ("skyline"))).await, json!(0));
    browser.key("e").await;
    browser.until(&format!("{} === 2 && {} === 2", differ("skyline"), differ("other-skyline")), 10).await;
    for place in ["1", "0"] {
        browser
            .js(&format!(
                "document.querySelectorAll('#other-skyline .building')[{place}].dispatchEvent(new MouseEvent('click', {{ bubbles: true }}))"
            ))
            .await;
        browser.until("!document.querySelector('#take-shot').disabled", 5).await;
        browser.click("#take-shot").await;
        browser.until("!document.querySelector('#skyline').dataset.busy", 10).await;
    }
    browser.until(&format!("{} === 0", differ("skyline")), 10).await;
    let shows =
        "document.querySelector('#other-picture').dataset.frame === document.querySelector('#picture').dataset.frame";
    browser.until(shows, 10).await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.client.clone().close().await.expect("closed");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn shots_are_taken_by_mouse_and_several_at_once() {
    let server = Server::start().await;
    let (job, draft) = cut(&server).await;
    let view = format!("/jobs/{job}/drafts/{draft}.json");
    let browser = Browser::open().await;
    browser.go(&format!("http://127.0.0.1:{}/jobs/{job}/arrange?draft={draft}", server.port)).await;
    browser.until("document.querySelector('#skyline')?.dataset.ready === 'yes'", 20).await;
    let count = "document.querySelectorAll('.building').length";
    let undoes = |words: &str| format!("document.querySelector('#undo').textContent.includes('{words}')");

    // The strip's middle is pulled: the shot stays as long as it is and shows a later part.
    let before = server.json(&view).await["shots"][0].clone();
    let number = |shot: &Value, field: &str| shot[field].as_f64().expect("a number");
    let [left, top, width, height] = browser.place("#strip").await;
    let middle = left + width * (number(&before, "source") + number(&before, "used") / 2.0) / number(&before, "media");
    browser.drag((middle, top + height / 2.0), (middle + 20.0, top + height / 2.0)).await;
    browser.until(&undoes("other part of the clip"), 10).await;
    let slipped = server.json(&view).await["shots"][0].clone();
    assert_eq!(slipped["len"], before["len"]);
    let wanted = number(&before, "source") + 20.0 * number(&before, "media") / width;
    assert!((number(&slipped, "source") - wanted).abs() < 0.05, "{} for {wanted}", slipped["source"]);

    // The end of the shot is pulled on the skyline; its neighbour gives the frames.
    let total = server.json(&view).await["total"].clone();
    let [left, top, width, height] = browser.place(".grip[data-edge=end]").await;
    let grip = (left + width / 2.0, top + height / 2.0);
    browser.drag(grip, (grip.0 + 30.0, grip.1)).await;
    browser.until(&format!("!{}", undoes("other part of the clip")), 10).await;
    let after = server.json(&view).await;
    assert!(after["shots"][0]["len"].as_u64() > before["len"].as_u64(), "{}", after["shots"][0]["len"]);
    assert_eq!(after["total"], total);

    // Three are chosen and removed, as one thing to undo.
    browser.shift('\u{E015}').await;
    browser.shift('\u{E015}').await;
    browser.until("document.querySelector('#shot-name').textContent.includes('3 shots chosen')", 10).await;
    browser
        .js("const f = document.querySelector('#time-from'); f.value = 'whole'; f.dispatchEvent(new Event('change'))")
        .await;
    browser.key("Delete").await;
    browser.until(&format!("{count} === 9"), 10).await;
    browser.control('z').await;
    browser.until(&format!("{count} === 12"), 10).await;
    assert_eq!(server.json(&view).await["shots"], after["shots"], "as it was");

    // What is refused is said where one looks.
    browser
        .js("document.querySelectorAll('.building')[0].dispatchEvent(new MouseEvent('click', { bubbles: true }))")
        .await;
    browser.until("document.querySelector('#shot-name').textContent.includes('shot 1 ')", 10).await;
    browser.js("document.querySelector('#toast').textContent = ''").await;
    browser.key("(").await;
    browser.until("document.querySelector('#toast').textContent.includes('this is the first shot')", 10).await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.client.clone().close().await.expect("closed");
    server.stop().await;
}
