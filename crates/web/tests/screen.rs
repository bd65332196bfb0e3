//! How fast the pages of a job of a thousand clips are, and how much they weigh: `cargo xtask bench screen`.

mod server;

use serde_json::json;
use server::Server;
use std::time::Instant;

const CLIPS: usize = 1000;
const TIMES: usize = 60;

fn say(what: &str, mut milliseconds: Vec<f64>, bytes: usize) {
    milliseconds.sort_by(f64::total_cmp);
    let at = |share: f64| milliseconds[((milliseconds.len() - 1) as f64 * share).round() as usize];
    println!("{what:<44} median {:6.1} ms   p95 {:6.1} ms   {:6.1} KB", at(0.5), at(0.95), bytes as f64 / 1024.0);
}

/// What this process, server and all, holds in memory, in megabytes.
fn resident() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").expect("Linux");
    let line = status.lines().find(|l| l.starts_with("VmRSS")).expect("a line");
    line.split_whitespace().nth(1).and_then(|kb| kb.parse::<f64>().ok()).expect("kilobytes") / 1024.0
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "a measurement; run by cargo xtask bench screen"]
async fn measure() {
    let server = Server::start().await;
    let begun = Instant::now();
    let shoot = server.shoot(CLIPS).await;
    println!("{CLIPS} clips seeded in {:.1} s", begun.elapsed().as_secs_f64());
    let answer = server.post_form(&format!("/jobs/{}/drafts", shoot.job), "").await;
    let place = answer.head.lines().find_map(|l| l.strip_prefix("hx-redirect: ")).expect("a place");
    let draft = format!("/jobs/{}/drafts/{}", shoot.job, place.split_once("draft=").expect("a draft").1.trim());

    let job = format!("/jobs/{}", shoot.job);
    let gets = ["gather", "listen", "sift", "sift/selects.json", "arrange", "watch", "handoff"];
    let mut paths: Vec<String> = gets.iter().map(|step| format!("{job}/{step}")).collect();
    paths.push(format!("{draft}.json"));
    for path in &paths {
        let (mut times, mut bytes) = (Vec::new(), 0);
        for _ in 0..TIMES {
            let start = Instant::now();
            let answer = server.get(path).await;
            times.push(start.elapsed().as_secs_f64() * 1000.0);
            bytes = answer.body.len();
            if answer.status != 200 {
                println!("{path}: {}", answer.status);
                break;
            }
        }
        say(path.strip_prefix(&job).expect("below the job"), times, bytes);
    }
    let shots = server.json(&format!("{draft}.json")).await["shots"].clone();
    let mut times = Vec::new();
    for i in 0..TIMES {
        let shot = &shots[i % 5];
        let edit = json!({ "do": "pin", "shot": shot["id"], "on": (i / 5) % 2 == 0 });
        let start = Instant::now();
        server.say(&format!("{draft}/edit"), edit).await;
        times.push(start.elapsed().as_secs_f64() * 1000.0);
    }
    say("an edit of the draft", times, 0);
    let mut times = Vec::new();
    for (i, select) in shoot.selects.iter().take(TIMES).enumerate() {
        let tier = if i % 2 == 0 { "strong" } else { "spare" };
        let start = Instant::now();
        server.say(&format!("{job}/selects/{select}"), json!({ "do": "tier", "tier": tier })).await;
        times.push(start.elapsed().as_secs_f64() * 1000.0);
    }
    say("a verdict", times, 0);
    let mut times = Vec::new();
    for i in 0..10 {
        let start = Instant::now();
        server.json(&format!("{draft}/alternates?shot={}", shots[i % 5]["id"].as_str().expect("an id"))).await;
        times.push(start.elapsed().as_secs_f64() * 1000.0);
    }
    say("what could be there instead", times, 0);
    println!("in memory, server and test together: {:.0} MB", resident());
    server.stop().await;
}
