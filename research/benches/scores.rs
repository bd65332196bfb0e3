//! How well scores are read that others wrote: `cargo xtask bench scores FOLDER...` takes the MIDI files below folders,
//! for instance of Debian's packages. They are for trying, never for fitting.

use legere_analysis::evaluation::agreement;
use legere_analysis::music::{Audio, READING_RATE, read_track};
use legere_core::track::TrackReading;
use legere_research::{Band, Judged, Means, SECOND_SOUNDFONT, Score, each, kept};
use std::path::{Path, PathBuf};
use walkdir::{DirEntry, WalkDir};

const LONGEST_SECONDS: f64 = 120.0;
const TOLERANCE: f64 = 0.07;

struct Tried {
    name: String,
    judged: Judged,
    /// The F-measure of the beats at the best of the levels that one might count at.
    best_level: f64,
}

fn main() {
    let folders = std::env::args().skip(1).filter(|word| !word.starts_with('-'));
    let band = Band::open(Path::new(SECOND_SOUNDFONT)).or_else(|_| Band::from_debian()).expect("a soundfont").hasty();
    let kept = kept(env!("CARGO_TARGET_TMPDIR"));
    let mut all = Vec::new();
    for folder in folders {
        let tried: Vec<Tried> =
            each(&midi_files(&folder), |file| tried(file, &band, &kept)).into_iter().flatten().collect();
        tried.iter().for_each(Tried::print);
        print_means(&folder, &tried);
        all.extend(tried);
    }
    print_means("all", &all);
}

fn midi_files(folder: &str) -> Vec<PathBuf> {
    let entries = WalkDir::new(folder).sort_by_file_name().into_iter();
    let files = entries.filter_map(|e| e.inspect_err(|error| eprintln!("{error}")).ok()).map(DirEntry::into_path);
    files.filter(|f| f.extension().is_some_and(|e| e.eq_ignore_ascii_case("mid"))).collect()
}

fn tried(file: &Path, band: &Band, kept: &Path) -> Option<Tried> {
    let told = |error: &dyn std::fmt::Display| eprintln!("{}: {error}", file.display());
    let score = Score::open(file, LONGEST_SECONDS).inspect_err(|e| told(e)).ok()?;
    let samples = score.played(band, READING_RATE, kept).inspect_err(|e| told(e)).ok()?;
    let reading = read_track(Audio::mono(&samples)).inspect_err(|e| told(e)).ok()?;
    let best_level = best_level(&score.truth.beats, &reading);
    Some(Tried { judged: Judged::of(&score.truth, &reading), best_level, name: score.name })
}

impl Tried {
    fn print(&self) {
        let Self { name, judged: j, best_level } = self;
        let (tempo, metre) = (format!("{:.0}/{:.0} bpm", j.found_bpm, j.true_bpm), (j.found_metre, j.true_metre));
        println!("{name:<34} {:.2} {best_level:.2} {:.2}  {tempo}, {}/{}", j.beats, j.downbeats, metre.0, metre.1);
    }
}

fn best_level(truth: &[f64], reading: &TrackReading) -> f64 {
    let (begin, end) = (truth[0] - 0.3, truth[truth.len() - 1] + 0.3);
    let beats: Vec<f64> = reading.beats.iter().map(|b| b.at).filter(|at| (begin..end).contains(at)).collect();
    let every = |n: usize| (0..n).map(move |from| (from, n));
    let sparser = every(2).chain(every(3)).map(|(from, n)| beats.iter().skip(from).step_by(n).copied().collect());
    let denser = [1, 2, 3].map(|parts| finer(&beats, parts));
    sparser.chain(denser).map(|row: Vec<f64>| agreement(truth, &row, TOLERANCE).f).fold(0.0, f64::max)
}

/// With so many parts to each beat.
fn finer(beats: &[f64], parts: usize) -> Vec<f64> {
    let between = |w: &[f64]| {
        let (from, gap) = (w[0], (w[1] - w[0]) / parts as f64);
        (0..parts).map(move |part| from + gap * part as f64)
    };
    beats.windows(2).flat_map(between).chain(beats.last().copied()).collect()
}

fn print_means(what: &str, all: &[Tried]) {
    let best_level = all.iter().map(|t| t.best_level).sum::<f64>() / all.len().max(1) as f64;
    let judged: Vec<Judged> = all.iter().map(|t| t.judged.clone()).collect();
    let means = Means::of(&judged).of_beats_and_bars();
    println!("{what}: {} scores; {means}; beats F at the best level {best_level:.3}", all.len());
}
