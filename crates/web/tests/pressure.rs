//! Sixteen people, the worker and three readers at one job at once: every request is answered, and what was answered with yes
//! is kept. `LEGERE_PRESSURE_SECONDS` makes it longer: `cargo xtask bench pressure` keeps it up for a minute.

mod server;

use legere_core::id::{JobId, PersonId};
use serde_json::{Value, json};
use server::Server;
use server::shoot::{Shoot, reading};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};

const WRITERS: usize = 16;
const READERS: usize = 3;
/// No machine is so slow that sixteen edits take longer.
const PATIENCE: Duration = Duration::from_secs(90);
/// Selects that belong to one writer.
const OWN: usize = 3;

/// What a select was last said to be.
#[derive(Debug, Clone, Default, PartialEq)]
struct Kept {
    tier: String,
    note: String,
    tags: Vec<String>,
}

/// A person at a browser, with selects that nobody else judges and a draft that everybody edits.
struct Writer<'a> {
    server: &'a Server,
    shoot: &'a Shoot,
    number: usize,
    cookie: String,
    session: String,
    /// A plain pseudo-random sequence, so that a failure can be run again.
    next: u64,
}

impl Writer<'_> {
    fn random(&mut self, below: usize) -> usize {
        self.next = self.next.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.next >> 33) as usize % below
    }

    async fn post(&self, path: &str, body: &Value) -> Value {
        let headers = [
            ("Content-Type", "application/json"),
            ("Cookie", self.cookie.as_str()),
            ("x-legere-session", self.session.as_str()),
            ("x-legere-step", "sift"),
        ];
        let path = format!("/jobs/{}/{path}", self.shoot.job);
        let answer = self.server.ask("POST", &path, &headers, &body.to_string()).await;
        assert_eq!(answer.status, 200, "{path} {body}: {}", answer.body);
        serde_json::from_str(&answer.body).unwrap_or(Value::Null)
    }

    /// Judges until it is over; gives what each of its selects was last said to be.
    async fn work(mut self, over: &AtomicBool, asked: &AtomicUsize) -> BTreeMap<String, Kept> {
        let own: Vec<String> = self.shoot.selects[self.number * OWN..][..OWN].iter().map(ToString::to_string).collect();
        let mut kept: BTreeMap<String, Kept> =
            own.iter().map(|id| (id.clone(), Kept { tier: "unread".into(), ..Kept::default() })).collect();
        let tiers = ["hero", "strong", "spare", "out"];
        let mut turn = 0;
        while !over.load(Ordering::Relaxed) {
            turn += 1;
            let select = own[self.random(OWN)].clone();
            let path = format!("selects/{select}");
            let before = kept[&select].clone();
            let mut now = before.clone();
            match self.random(6) {
                0 | 1 => {
                    now.tier = tiers[self.random(4)].to_owned();
                    self.post(&path, &json!({ "do": "tier", "tier": now.tier })).await;
                }
                2 => {
                    now.note = format!("turn {turn} of {}", self.number);
                    self.post(&path, &json!({ "do": "note", "words": now.note })).await;
                }
                3 => {
                    now.tags = vec![format!("own:w{}t{turn}", self.number)];
                    for tag in &before.tags {
                        self.post(&path, &json!({ "do": "tag", "tag": tag, "on": false })).await;
                    }
                    self.post(&path, &json!({ "do": "tag", "tag": now.tags[0], "on": true })).await;
                }
                4 => {
                    // All of one's own at once, and all of it back at once: what was there before is there again.
                    let said = json!([{ "do": "tier", "tier": tiers[self.random(4)] }]);
                    self.post("sift/many", &json!({ "selects": own, "said": said, "label": "all of mine" })).await;
                    let undone = self.post("undo", &json!({})).await;
                    assert_eq!(undone["label"], format!("all of mine, {OWN} selects"), "undo is the person's own");
                }
                _ => {
                    let different: Vec<&str> = tiers.iter().copied().filter(|t| *t != before.tier).collect();
                    let tier = different[self.random(different.len())];
                    self.post(&path, &json!({ "do": "tier", "tier": tier })).await;
                    let undone = self.post("undo", &json!({})).await;
                    assert_eq!(undone["label"], tier, "undo is the person's own");
                }
            }
            kept.insert(select, now);
            asked.fetch_add(1, Ordering::Relaxed);
        }
        kept
    }
}

async fn read(server: &Server, job: JobId, over: &AtomicBool) -> usize {
    let mut times = 0;
    while !over.load(Ordering::Relaxed) {
        for page in [
            "sift/selects.json",
            "sift/narrow.json?words=hero",
            "sift/passes.json",
            "sift/needs.json",
            "gather",
            "sift",
        ] {
            let answer = server.get(&format!("/jobs/{job}/{page}")).await;
            assert_eq!(answer.status, 200, "{page}: {}", answer.body);
            times += 1;
        }
    }
    times
}

/// Reads the clips again and again, as the worker does when files change.
async fn worker(server: &Server, shoot: &Shoot, over: &AtomicBool) -> usize {
    let mut times = 0;
    while !over.load(Ordering::Relaxed) {
        for id in &shoot.clips {
            let clip = server.app.store.clips().get(*id).await.expect("a clip");
            server.read_again(&clip, &reading((times % 7) as f32 / 7.0)).await;
            times += 1;
        }
    }
    times
}

#[tokio::test(flavor = "multi_thread", worker_threads = 4)]
async fn what_was_answered_with_yes_is_kept_under_pressure() {
    let seconds = std::env::var("LEGERE_PRESSURE_SECONDS").ok().and_then(|s| s.parse().ok()).unwrap_or(5);
    let server = Server::start().await;
    let shoot = server.shoot(WRITERS * OWN).await;
    let (over, asked) = (AtomicBool::new(false), AtomicUsize::new(0));
    let writers = (0..WRITERS).map(|number| {
        let person = PersonId::from_u128(1000 + number as u128);
        let writer = Writer {
            server: &server,
            shoot: &shoot,
            number,
            cookie: format!("legere-person={person}"),
            session: person.to_string(),
            next: number as u64,
        };
        writer.work(&over, &asked)
    });
    let readers = (0..READERS).map(|_| read(&server, shoot.job, &over));
    let ((), kept, read, again) = tokio::join!(
        async {
            let begun = Instant::now();
            tokio::time::sleep(Duration::from_secs(seconds)).await;
            // On a slow machine it goes on until everybody has had a turn.
            while asked.load(Ordering::Relaxed) <= WRITERS && begun.elapsed() < PATIENCE {
                tokio::time::sleep(Duration::from_millis(100)).await;
            }
            over.store(true, Ordering::Relaxed);
        },
        futures::future::join_all(writers),
        futures::future::join_all(readers),
        worker(&server, &shoot, &over),
    );
    let rows = server.json(&format!("/jobs/{}/sift/selects.json", shoot.job)).await;
    let found = |id: &str| rows.as_array().expect("rows").iter().find(|r| r["id"] == id).expect("a row").clone();
    let text = |v: &Value| v.as_str().unwrap_or_default().to_owned();
    for (id, wanted) in kept.iter().flatten() {
        let row = found(id);
        let tags = row["tags"].as_array().expect("tags").iter().map(&text).collect();
        let is = Kept { tier: text(&row["tier"]), note: text(&row["note"]), tags };
        assert_eq!(&is, wanted, "{id}");
    }
    println!(
        "{seconds} s: {} edits kept, {} reads, {again} clips read again",
        asked.load(Ordering::Relaxed),
        read.iter().sum::<usize>()
    );
    assert!(asked.load(Ordering::Relaxed) > WRITERS && again > 0, "everybody came to work");
    server.stop().await;
}
