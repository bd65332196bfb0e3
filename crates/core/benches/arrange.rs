//! How near the arranger comes to what is proven, and how long it takes: thirty problems drawn from seeds, as selects and music
//! are found. `cargo xtask bench arrange`.

use legere_core::arrange::exchange::ProblemFile;
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde_json::{Value, json};
use std::time::Instant;

const KINDS: [(&str, f64); 6] =
    [("intro", 20.0), ("groove", 48.0), ("build", 66.0), ("drop", 90.0), ("break", 30.0), ("outro", 18.0)];

fn place(rng: &mut ChaCha8Rng, i: usize, places: usize) -> Value {
    let section = i * KINDS.len() / places;
    let (kind, energy) = KINDS[section];
    let beats: u64 = *[1, 2, 2, 4, 4, 8].choose(rng).expect("one");
    let first = i > 0 && (i - 1) * KINDS.len() / places != section;
    let wants = if i == 0 { Some("establishing") } else { (i + 1 == places).then_some("closing") };
    json!({
        "len": beats * 12, "energy": f64::clamp(energy + rng.random_range(-12.0..12.0), 0.0, 100.0), "kind": kind,
        "section": section, "on_drop": kind == "drop" && first, "wants": wants,
        "marks": (0..beats).map(|b| json!({ "at": b * 12, "bar": i + 1, "beat": b % 4 + 1 })).collect::<Vec<_>>(),
    })
}

fn select(rng: &mut ChaCha8Rng, i: usize, selects: usize) -> Value {
    let seconds = rng.random_range(1.0..8.0f64);
    let energy = 100.0 * rng.random::<f64>().powf(1.4);
    let values: Vec<f64> = (0..(seconds * 10.0) as usize)
        .map(|_| f64::clamp(energy + rng.random_range(-20.0..20.0), 0.0, 100.0))
        .collect();
    let frames = (seconds * 25.0) as u64;
    let tier = ["hero", "strong", "strong", "strong", "spare", "spare", "spare", "spare", "unread", "out"].choose(rng);
    let framing = [Some("wide"), Some("medium"), Some("close"), Some("detail"), None].choose(rng).expect("one");
    let light = ["day", "day", "dusk", "inside"].choose(rng);
    let movement = ["still", "left", "right", "up", "down", "in", "out"].choose(rng);
    json!({
        "id": format!("s{i}"), "clip": format!("c{}", i * 4 / 5), "in": "0/1", "out": format!("{frames}/25"),
        "hit": format!("{}/25", frames * 9 / 20), "media": format!("{frames}/25"),
        "rate": if rng.random::<bool>() { "25/1" } else { "50/1" }, "recorded": i as f64 * 40.0, "tier": tier,
        "framing": framing, "role": null, "movement": movement,
        "light": light,
        "alike": rng.random_bool(0.4).then(|| format!("t{}", rng.random_range(0..selects / 6 + 1))),
        "energy": { "step": 0.1, "values": values },
    })
}

fn main() {
    let (mut gaps, mut slowest) = (Vec::new(), 0.0f64);
    println!("places selects   total   bound   gap %     ms");
    for seed in 0..30u64 {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let (places, selects) =
            if seed == 29 { (120, 500) } else { (rng.random_range(20..=120), rng.random_range(40..=500)) };
        let selects = selects.max(places * 3 / 2);
        let problem = json!({
            "rate": "25/1", "seed": seed,
            "places": (0..places).map(|i| place(&mut rng, i, places)).collect::<Vec<_>>(),
            "selects": (0..selects).map(|i| select(&mut rng, i, selects)).collect::<Vec<_>>(),
        });
        let file: ProblemFile = serde_json::from_value(problem).expect("a problem");
        let begun = Instant::now();
        let answer = file.read().expect("sound").answer(true).expect("an answer");
        let ms = begun.elapsed().as_secs_f64() * 1000.0;
        let answer = serde_json::to_value(answer).expect("JSON");
        let number = |name: &str| answer[name].as_f64().expect("a number");
        let gap = 100.0 * (number("total") - number("bound")) / number("total");
        println!("{places:6} {selects:7} {:7.2} {:7.2} {gap:7.2} {ms:6.0}", number("total"), number("bound"));
        gaps.push(gap);
        slowest = slowest.max(ms);
    }
    let worst = gaps.iter().copied().fold(0.0, f64::max);
    let mean = gaps.iter().sum::<f64>() / gaps.len() as f64;
    println!("over the bound: {mean:.2} % on average, {worst:.2} % at worst; {slowest:.0} ms at most");
}
