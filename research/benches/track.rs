//! How well tracks are read, piece by piece: `cargo xtask bench track`.
//!
//! `fit` as an argument takes the pieces that parameters may be fitted on, a word takes the pieces with it in their
//! name. Played pieces are kept, as playing takes longer than reading.

use legere_analysis::music::training::read_track_by_stages;
use legere_analysis::music::{Audio, READING_RATE};
use legere_core::track::TrackReading;
use legere_media::{probe, sound};
use legere_research::{Band, Composition, FITTED_IMPROVISATIONS, FITTED_SEEDS, Judged, Means, STYLES, Truth, kept};
use nix::sys::resource::{UsageWho, getrusage};
use nix::sys::time::TimeValLike;
use std::path::{Path, PathBuf};
use std::process::Command;
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
    let styled =
        STYLES.iter().flat_map(|style| (first..first + SEEDS_A_STYLE).map(|seed| Composition::compose(style, seed)));
    // The last of the fitted ones: the first have trained the network.
    let end = FITTED_IMPROVISATIONS.end;
    let seeds = if fit { end - IMPROVISATIONS..end } else { end..end + IMPROVISATIONS };
    let mut bench = Bench { band, kept, only: only.into_iter().cloned().collect(), seconds: 0.0, stages: Vec::new() };
    println!("{:<18} {}", "piece", Judged::HEADER);
    let judged = bench.judge(styled);
    println!("means: {}", Means::of(&judged));
    println!("improvisations in idioms, which have beats and bars only:");
    let judged = bench.judge(seeds.clone().map(Composition::in_idiom));
    println!("means: {}", Means::of(&judged).of_beats_and_bars());
    println!("songs, which have beats and bars only:");
    let judged = bench.judge(seeds.clone().map(Composition::song));
    println!("means: {}", Means::of(&judged).of_beats_and_bars());
    println!("chamber music, which has beats and bars only:");
    let judged = bench.judge(seeds.clone().map(Composition::chamber));
    println!("means: {}", Means::of(&judged).of_beats_and_bars());
    println!("free improvisations, made to mislead:");
    let judged = bench.judge(seeds.map(Composition::improvise));
    println!("means: {}", Means::of(&judged).of_beats_and_bars());
    let Bench { seconds: audio_seconds, stages, band, kept, .. } = bench;
    println!("seconds of one core a minute of audio, without decoding:");
    for (name, spent) in &stages {
        println!("  {name:<26} {:.3}", spent / audio_seconds * 60.0);
    }
    println!("  {:<26} {:.3}", "all", stages.iter().map(|s| s.1).sum::<f64>() / audio_seconds * 60.0);
    files(&band, &kept);
}

/// As often each file is read; the best counts.
const TIMES: usize = 3;

/// What it takes to read a piece from a file.
fn files(band: &Band, kept: &Path) {
    const RATE: u32 = 44_100;
    let piece = Composition::compose(&STYLES[0], FITTED_SEEDS.end);
    let samples = piece.played(band, RATE, kept).expect("played");
    let folder = tempfile::tempdir().expect("a folder");
    let raw = folder.path().join("piece.f32");
    std::fs::write(&raw, samples.iter().flat_map(|s| s.to_le_bytes()).collect::<Vec<u8>>()).expect("a file");
    let runtime = tokio::runtime::Runtime::new().expect("a runtime");
    let seconds = samples.len() as f64 / f64::from(RATE);
    println!("seconds of processor time a minute, of files of {seconds:.0} s, ffprobe and ffmpeg included:");
    for kind in ["wav", "flac", "ogg"] {
        let file = folder.path().join("piece").with_extension(kind);
        let input = ["-v", "error", "-f", "f32le", "-ar", &RATE.to_string(), "-ac", "1", "-i"];
        let made = Command::new("ffmpeg").args(input).arg(&raw).args(["-ac", "2"]).arg(&file).status();
        assert!(made.expect("ffmpeg").success());
        let decoding = spent(&|| {
            let decoded = async { sound::decoded(&file, &probe::sound(&file).await?).await };
            runtime.block_on(decoded).expect("decoded");
        });
        let whole = spent(&|| {
            runtime.block_on(sound::read(&file)).expect("read");
        });
        println!("  {kind:<5} {:.3}, of which decoding {:.3}", whole / seconds * 60.0, decoding / seconds * 60.0);
    }
}

/// Seconds of processor time, of this program and those that it starts.
fn spent(act: &dyn Fn()) -> f64 {
    let used = || -> f64 {
        let of = |who| {
            let usage = getrusage(who).expect("a usage");
            (usage.user_time() + usage.system_time()).num_microseconds() as f64 / 1e6
        };
        of(UsageWho::RUSAGE_SELF) + of(UsageWho::RUSAGE_CHILDREN)
    };
    let once = |_| {
        let before = used();
        act();
        used() - before
    };
    (0..TIMES).map(once).fold(f64::MAX, f64::min)
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
    fn judge(&mut self, pieces: impl Iterator<Item = Composition>) -> Vec<Judged> {
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
