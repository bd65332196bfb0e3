//! How well tracks are read, piece by piece: `cargo xtask bench track`.
//!
//! `fit` as an argument takes the pieces that parameters may be fitted on, a word takes the pieces with it in their
//! name. Played pieces are kept, as playing takes longer than reading.

use legere_core::track::{Audio, READING_RATE, TrackReading, read_track_by_stages};
use legere_etudes::{Band, Etude, FITTED_IMPROVISATIONS, FITTED_SEEDS, Judged, Means, STYLES, Truth, kept};
use std::path::PathBuf;
use std::time::Instant;

const SEEDS_A_STYLE: u64 = 2;
const IMPROVISATIONS: u64 = 40;

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|w| !w.starts_with('-')).collect();
    let fit = words.iter().any(|w| w == "fit");
    let only: Vec<&String> = words.iter().filter(|w| *w != "fit").collect();
    let first = if fit { FITTED_SEEDS.start } else { FITTED_SEEDS.end };
    let band = Band::from_debian().expect("a soundfont");
    let kept = kept(env!("CARGO_TARGET_TMPDIR"));
    let styled = STYLES.iter().flat_map(|style| (first..first + SEEDS_A_STYLE).map(|seed| Etude::compose(style, seed)));
    // The last of the fitted ones: the first have trained the network.
    let end = FITTED_IMPROVISATIONS.end;
    let seeds = if fit { end - IMPROVISATIONS..end } else { end..end + IMPROVISATIONS };
    let mut bench = Bench { band, kept, only: only.into_iter().cloned().collect(), seconds: 0.0, stages: Vec::new() };
    println!("{:<18} {}", "piece", Judged::HEADER);
    let judged = bench.judge(styled);
    println!("means: {}", Means::of(&judged));
    println!("improvisations in idioms, which have beats and bars only:");
    let judged = bench.judge(seeds.clone().map(Etude::in_idiom));
    println!("means: {}", Means::of(&judged).of_beats_and_bars());
    println!("songs, which have beats and bars only:");
    let judged = bench.judge(seeds.clone().map(Etude::song));
    println!("means: {}", Means::of(&judged).of_beats_and_bars());
    println!("chamber music, which has beats and bars only:");
    let judged = bench.judge(seeds.clone().map(Etude::chamber));
    println!("means: {}", Means::of(&judged).of_beats_and_bars());
    println!("free improvisations, made to mislead:");
    let judged = bench.judge(seeds.map(Etude::improvise));
    println!("means: {}", Means::of(&judged).of_beats_and_bars());
    let Bench { seconds: audio_seconds, stages, .. } = bench;
    println!("seconds of one core a minute of audio, without decoding:");
    for (name, spent) in &stages {
        println!("  {name:<26} {:.3}", spent / audio_seconds * 60.0);
    }
    println!("  {:<26} {:.3}", "all", stages.iter().map(|s| s.1).sum::<f64>() / audio_seconds * 60.0);
}

struct Bench {
    band: Band,
    kept: PathBuf,
    only: Vec<String>,
    /// Of audio, read so far.
    seconds: f64,
    stages: Vec<(&'static str, f64)>,
}

impl Bench {
    fn judge(&mut self, pieces: impl Iterator<Item = Etude>) -> Vec<Judged> {
        let mut all = Vec::new();
        for piece in pieces {
            if !self.only.is_empty() && !self.only.iter().any(|w| piece.name.contains(w.as_str())) {
                continue;
            }
            let samples = piece.played(&self.band, READING_RATE, &self.kept).expect("played");
            let mut start = Instant::now();
            let stages = &mut self.stages;
            let mut stage = |name: &'static str| {
                let spent = start.elapsed().as_secs_f64();
                match stages.iter_mut().find(|(n, _)| *n == name) {
                    Some((_, sum)) => *sum += spent,
                    None => stages.push((name, spent)),
                }
                start = Instant::now();
            };
            let reading = read_track_by_stages(Audio::mono(&samples), &mut stage).expect("music");
            self.seconds += piece.seconds;
            let judged = Judged::of(&piece.truth, &reading);
            println!("{:<18} {judged}", piece.name);
            all.push(judged);
            if std::env::var_os("SHOW").is_some() {
                show(&piece.truth, &reading);
            }
        }
        all
    }
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
