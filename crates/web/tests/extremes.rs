//! Every request that a page can send, with numbers that no page would send: an answer in words within a second, and the
//! server, the job and the draft are usable afterwards.

mod server;

use proptest::prelude::*;
use serde_json::{Value, json};
use server::Server;
use std::time::{Duration, Instant};

/// What a number in a request is replaced by. `NaN` and its like are no JSON: what a broken script would send.
const EXTREMES: [&str; 15] = [
    "0",
    "-1",
    "1",
    "2147483648",
    "-2147483649",
    "1000000000000",
    "-1000000000000",
    "9223372036854775807",
    "-9223372036854775808",
    "18446744073709551615",
    "1e308",
    "-1e308",
    "1e-308",
    "0.1",
    "NaN",
];

/// A place in a body that a number is put into.
const HOLE: &str = "\u{1}";

/// Each body with one of its numbers at a time replaced by a hole.
fn holes(body: &Value) -> Vec<String> {
    let mut paths = Vec::new();
    numbers(body, String::new(), &mut paths);
    let with_hole = |path: &String| {
        let mut body = body.clone();
        *body.pointer_mut(path).expect("a number") = Value::String(HOLE.into());
        body.to_string().replace(&Value::String(HOLE.into()).to_string(), HOLE)
    };
    paths.iter().map(with_hole).collect()
}

fn numbers(value: &Value, at: String, found: &mut Vec<String>) {
    match value {
        Value::Number(_) => found.push(at),
        Value::Array(all) => all.iter().enumerate().for_each(|(i, v)| numbers(v, format!("{at}/{i}"), found)),
        Value::Object(all) => all.iter().for_each(|(k, v)| numbers(v, format!("{at}/{k}"), found)),
        _ => {}
    }
}

struct Asked {
    server: Server,
    job: String,
    draft: String,
    shot: String,
    other: String,
}

impl Asked {
    async fn new() -> Self {
        let server = Server::start().await;
        let shoot = server.shoot(24).await;
        let job = shoot.job.to_string();
        assert_eq!(server.post_json(&format!("/jobs/{job}/drafts"), "{}").await.status, 201);
        let draft = server.app.store.drafts().lines(shoot.job).await.expect("drafts").remove(0).id.to_string();
        let view = server.json(&format!("/jobs/{job}/drafts/{draft}.json")).await;
        let shot = |at: usize| view["shots"][at]["id"].as_str().expect("an id").to_owned();
        let (shot, other) = (shot(1), shot(2));
        Self { server, job, draft, shot, other }
    }

    /// Address and body of everything that takes numbers as JSON.
    async fn bodies(&self) -> Vec<(String, Value)> {
        let (job, draft, shot, other) = (&self.job, &self.draft, &self.shot, &self.other);
        let selects = self.server.json(&format!("/jobs/{job}/sift/selects.json")).await;
        let (select, clip) = (selects[3]["id"].clone(), selects[3]["clip"].as_str().expect("a clip").to_owned());
        let (select_path, clip_path) =
            (format!("/jobs/{job}/selects/{}", select.as_str().expect("an id")), format!("/jobs/{job}/clips/{clip}"));
        let overview =
            self.server.app.store.jobs().overview(job.parse().expect("an id"), None).await.expect("overview");
        let track = format!("/jobs/{job}/tracks/{}", overview.music.expect("music").0);
        let edit = |body: Value| (format!("/jobs/{job}/drafts/{draft}/edit"), body);
        let marks = |body: Value| (format!("{track}/marks"), body);
        let judge = |body: Value| (select_path.clone(), body);
        let mut all = vec![
            edit(json!({ "do": "speed", "shot": shot, "percent": 0 })),
            edit(json!({ "do": "speed", "shot": shot, "percent": 100.5 })),
            edit(json!({ "do": "move-cut", "shot": shot, "by": 2 })),
            edit(json!({ "do": "slip", "shot": shot, "by": 2 })),
            edit(json!({ "do": "slide", "shot": shot, "by": 2 })),
            edit(json!({ "do": "split", "shot": shot, "at": 9 })),
            edit(json!({ "do": "hit", "shot": shot, "at": 9 })),
            edit(json!({ "do": "hold", "shot": shot, "at": 4, "len": 5 })),
            edit(json!({ "do": "keyframe", "shot": shot, "at": 4, "over": 3, "percent": 150 })),
            edit(json!({ "do": "move-keyframe", "shot": shot, "at": 4, "to": 6 })),
            edit(json!({ "do": "drop-keyframe", "shot": shot, "at": 4 })),
            edit(json!({ "do": "pause-over", "from": 30, "len": 8, "stop": "black" })),
            edit(json!({ "do": "pause", "shot": shot, "len": 4, "stop": "held" })),
            edit(json!({ "do": "insert", "select": select, "before": other, "len": 20, "from": "whole" })),
            edit(json!({ "do": "keep", "section": 1, "on": true })),
            edit(json!({ "do": "take-over", "draft": draft, "section": 1 })),
            (
                format!("/jobs/{job}/drafts/{draft}/arrange"),
                json!({ "pace": [{ "quarters": 8, "varied": false }, { "quarters": 4, "varied": true }], "section": 0 }),
            ),
            (format!("/jobs/{job}/drafts/{draft}/notes"), json!({ "frame": 12, "words": "look" })),
            judge(json!({ "do": "tier", "tier": "hero", "pass": 1 })),
            judge(json!({ "do": "mark", "mark": "in", "at": 1.5 })),
            judge(json!({ "do": "range", "start": 1, "end": 4, "hit": 2 })),
            (format!("{select_path}/split"), json!({ "at": 3 })),
            (format!("{clip_path}/selects"), json!({ "start": 6, "end": 7.5, "hit": 7 })),
            (
                format!("{track}/version"),
                json!({ "spans": [[0, 10], [12, 24]], "stretch": 1.02, "level": -300,
                "fade_in": { "length": "1/2", "curve": "linear" } }),
            ),
            (format!("{track}/lengths"), json!({ "seconds": 15, "keep": { "section": 9 } })),
            (format!("{track}/lengths"), json!({ "seconds": 15, "keep": { "cue": [12, "drop"] } })),
            (
                format!("/jobs/{job}/uploads"),
                json!({ "drop": clip, "path": "a/b.mp4", "bytes": 100,
                "modified": 1000, "sample": "0".repeat(64) }),
            ),
            marks(json!({ "do": "taps", "times": [1, 1.5, 2], "snap": true })),
            marks(json!({ "do": "move-beat", "at": 2, "to": 2.1, "snap": false })),
            marks(json!({ "do": "add-beat", "at": 2.3, "snap": false })),
            marks(json!({ "do": "remove-beat", "at": 2.3 })),
            marks(json!({ "do": "downbeat", "at": 2 })),
            marks(json!({ "do": "metre", "beats": 3 })),
            marks(json!({ "do": "retempo", "start": 2, "end": 8, "bpm": 120 })),
            marks(json!({ "do": "thin", "apart": 0.5 })),
        ];
        for from in ["neighbour", "section", "whole"] {
            all.push(edit(json!({ "do": "trim-end", "shot": shot, "by": 2, "from": from })));
            all.push(edit(json!({ "do": "trim-start", "shot": shot, "by": 2, "from": from })));
        }
        all
    }

    /// Addresses and forms with a number in their text.
    fn texts(&self) -> Vec<(&'static str, String, String)> {
        let (job, draft) = (&self.job, &self.draft);
        let settings = |length: &str, size: &str| format!("name=A&length={length}&rate=25&size={size}&zone=UTC");
        vec![
            ("POST", format!("/jobs/{job}/settings/means"), settings(HOLE, "1920x1080")),
            ("POST", format!("/jobs/{job}/settings/means"), settings("45", &format!("{HOLE}x1080"))),
            ("POST", "/jobs".into(), settings(HOLE, "1920x1080")),
            ("POST", "/jobs".into(), settings("45", &format!("1920x{HOLE}"))),
            ("GET", format!("/jobs/{job}/sift/narrow.json?words=energy%3E{HOLE}"), String::new()),
            ("GET", format!("/jobs/{job}/sift/narrow.json?words=length%3C{HOLE}%20slow%3E{HOLE}x"), String::new()),
            ("GET", format!("/jobs/{job}/sift/narrow.json?pass={HOLE}&left=true"), String::new()),
            (
                "GET",
                format!("/jobs/{job}/drafts/{draft}/alternates?shot={}&words=rate%3D{HOLE}", self.shot),
                String::new(),
            ),
            ("POST", format!("/jobs/{job}/rolls/{}", self.shot), format!("clock={HOLE}:00")),
        ]
    }

    /// Sends one, and sees that it is answered in words and in time.
    async fn sends(&self, method: &str, path: &str, body: &str, kind: &str) {
        let begun = Instant::now();
        let answer = self.server.ask(method, path, &[("Content-Type", kind)], body).await;
        // 507: the disk has no room for a terabyte.
        let in_words = answer.status < 500 || answer.status == 507;
        assert!(in_words, "{method} {path} {body}: {} {}", answer.status, answer.body);
        assert!(begun.elapsed() < Duration::from_secs(5), "{method} {path} {body} took {:?}", begun.elapsed());
    }

    async fn is_usable(&self) {
        let (job, draft) = (&self.job, &self.draft);
        let view = self.server.json(&format!("/jobs/{job}/drafts/{draft}.json")).await;
        assert!(view["total"].as_u64().expect("a length") <= 1_000_000);
        for page in ["gather", "listen", "sift", "arrange", "watch", "handoff", "sift/passes.json", "sift/needs.json"] {
            let answer = self.server.get(&format!("/jobs/{job}/{page}")).await;
            assert_eq!(answer.status, 200, "{page}: {}", answer.body);
        }
    }
}

#[tokio::test]
async fn no_number_ends_the_server_or_spoils_a_draft() {
    let asked = Asked::new().await;
    for (path, body) in asked.bodies().await {
        for hole in holes(&body) {
            for number in EXTREMES {
                asked.sends("POST", &path, &hole.replace(HOLE, number), "application/json").await;
            }
        }
        asked.is_usable().await;
    }
    for (method, path, body) in asked.texts() {
        for number in EXTREMES {
            let (path, body) = (path.replace(HOLE, number), body.replace(HOLE, number));
            asked.sends(method, &path, &body, "application/x-www-form-urlencoded").await;
        }
    }
    asked.is_usable().await;
    // One request that ended the server once: a held shot always fits, however long it is. The draft was laid again meanwhile.
    let view = asked.server.json(&format!("/jobs/{}/drafts/{}.json", asked.job, asked.draft)).await;
    let shot = view["shots"][0]["id"].as_str().expect("a shot");
    asked
        .sends(
            "POST",
            &format!("/jobs/{}/drafts/{}/edit", asked.job, asked.draft),
            &json!({ "do": "speed", "shot": shot, "percent": 0 }).to_string(),
            "application/json",
        )
        .await;
    let endless = json!({ "do": "trim-end", "shot": shot, "by": 1_000_000_000_000_i64, "from": "whole" });
    let words = asked.server.refused(&format!("/jobs/{}/drafts/{}/edit", asked.job, asked.draft), endless).await;
    assert!(words.contains("longer than two hours"), "{words}");
    asked.is_usable().await;
    asked.server.stop().await;
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(6))]

    #[test]
    fn several_in_a_row_do_not_either(picked in proptest::collection::vec((any::<usize>(), any::<usize>(), 0usize..15), 40)) {
        let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().expect("a runtime");
        runtime.block_on(async {
            let asked = Asked::new().await;
            let bodies = asked.bodies().await;
            for (which, hole, number) in picked {
                let (path, body) = &bodies[which % bodies.len()];
                let holes = holes(body);
                if let Some(text) = holes.get(hole % holes.len().max(1)) {
                    asked.sends("POST", path, &text.replace(HOLE, EXTREMES[number]), "application/json").await;
                }
            }
            asked.is_usable().await;
            asked.server.stop().await;
        });
    }
}
