//! How well tracks are read, piece by piece: `cargo xtask bench track`.
//!
//! `fit` as an argument takes the pieces that parameters may be fitted on, a word takes the pieces with it in their
//! name. Played pieces are kept, as playing takes longer than reading.

use legere_core::track::{Audio, READING_RATE, TrackReading, read_track_by_stages};
use legere_etudes::{Band, Etude, FITTED_SEEDS, Judged, Means, STYLES, Truth};
use std::path::Path;
use std::time::Instant;

const SEEDS_A_STYLE: u64 = 2;

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|w| !w.starts_with('-')).collect();
    let fit = words.iter().any(|w| w == "fit");
    let only: Vec<&String> = words.iter().filter(|w| *w != "fit").collect();
    let first = if fit { FITTED_SEEDS.start } else { FITTED_SEEDS.end };
    let band = Band::from_debian().expect("a soundfont");
    let kept = Path::new(env!("CARGO_TARGET_TMPDIR")).join("etudes");
    std::fs::create_dir_all(&kept).expect("a folder");
    println!("{:<18} {}", "piece", Judged::HEADER);
    let mut all: Vec<Judged> = Vec::new();
    let mut audio_seconds = 0.0;
    let mut stages: Vec<(&'static str, f64)> = Vec::new();
    for style in STYLES {
        for seed in first..first + SEEDS_A_STYLE {
            let piece = Etude::compose(style, seed);
            if !only.is_empty() && !only.iter().any(|w| piece.name.contains(*w)) {
                continue;
            }
            let samples = piece.played(&band, READING_RATE, &kept).expect("played");
            let mut start = Instant::now();
            let mut stage = |name: &'static str| {
                let spent = start.elapsed().as_secs_f64();
                match stages.iter_mut().find(|(n, _)| *n == name) {
                    Some((_, sum)) => *sum += spent,
                    None => stages.push((name, spent)),
                }
                start = Instant::now();
            };
            let reading = read_track_by_stages(Audio { samples: &samples }, &mut stage).expect("music");
            audio_seconds += piece.seconds;
            let judged = Judged::of(&piece.truth, &reading);
            println!("{:<18} {judged}", piece.name);
            all.push(judged);
            if std::env::var_os("SHOW").is_some() {
                show(&piece.truth, &reading);
            }
        }
    }
    println!("means: {}", Means::of(&all));
    println!("seconds of one core a minute of audio, without decoding:");
    for (name, spent) in &stages {
        println!("  {name:<26} {:.3}", spent / audio_seconds * 60.0);
    }
    println!("  {:<26} {:.3}", "all", stages.iter().map(|s| s.1).sum::<f64>() / audio_seconds * 60.0);
}

fn show(truth: &Truth, reading: &TrackReading) {
    println!(
        "  true  {:?}",
        truth.sections.iter().map(|s| format!("{:.1} {} {}", s.0, s.1.word(), s.2)).collect::<Vec<_>>()
    );
    println!(
        "  found {:?}",
        reading
            .sections
            .iter()
            .map(|s| format!("{:.1} {} {:.0}", s.start, s.kind.word(), s.energy))
            .collect::<Vec<_>>()
    );
    println!("  cues  {:?}", reading.cues.iter().map(|c| format!("{:.1} {}", c.at, c.kind.word())).collect::<Vec<_>>());
}
