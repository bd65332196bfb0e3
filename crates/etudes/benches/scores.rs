//! How well scores are read that others wrote: `cargo xtask bench scores FOLDER...` takes the MIDI files below folders,
//! for instance of Debian's packages. They are for trying, never for fitting.

use legere_core::evaluation::agreement;
use legere_core::track::{Audio, READING_RATE, TrackReading, read_track};
use legere_etudes::{Band, SECOND_SOUNDFONT, Score, each, kept};
use std::path::{Path, PathBuf};

const LONGEST_SECONDS: f64 = 120.0;
const TOLERANCE: f64 = 0.07;

struct Judged {
    name: String,
    beats: f64,
    /// At the best of the levels that one might count at.
    best_level: f64,
    downbeats: f64,
    told: String,
}

fn main() {
    let folders = std::env::args().skip(1).filter(|word| !word.starts_with('-'));
    let band = Band::open(Path::new(SECOND_SOUNDFONT)).or_else(|_| Band::from_debian()).expect("a soundfont").hasty();
    let kept = kept(env!("CARGO_TARGET_TMPDIR"));
    let mut all = Vec::new();
    for folder in folders {
        let mut files = Vec::new();
        gather(Path::new(&folder), &mut files);
        files.sort();
        let judged: Vec<Judged> = each(&files, |file| judge(file, &band, &kept)).into_iter().flatten().collect();
        judged.iter().for_each(Judged::print);
        print_means(&folder, &judged);
        all.extend(judged);
    }
    print_means("all", &all);
}

fn gather(folder: &Path, files: &mut Vec<PathBuf>) {
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    for path in entries.flatten().map(|e| e.path()) {
        if path.is_dir() {
            gather(&path, files);
        } else if path.extension().is_some_and(|e| e.eq_ignore_ascii_case("mid")) {
            files.push(path);
        }
    }
}

fn judge(file: &Path, band: &Band, kept: &Path) -> Option<Judged> {
    let told = |error: &dyn std::fmt::Display| eprintln!("{}: {error}", file.display());
    let score = Score::open(file, LONGEST_SECONDS).inspect_err(|e| told(e)).ok()?;
    let samples = score.played(band, READING_RATE, kept).inspect_err(|e| told(e)).ok()?;
    let reading = read_track(Audio::mono(&samples)).inspect_err(|e| told(e)).ok()?;
    Some(Judged::of(&score, &reading))
}

impl Judged {
    fn of(score: &Score, reading: &TrackReading) -> Self {
        let truth = &score.truth;
        let (begin, end) = (truth.beats[0] - 0.3, truth.beats[truth.beats.len() - 1] + 0.3);
        let inside = reading.beats.iter().filter(|b| b.at > begin && b.at < end);
        let beats: Vec<f64> = inside.clone().map(|b| b.at).collect();
        let ones: Vec<f64> = inside.filter(|b| b.beat == 1).map(|b| b.at).collect();
        let f = |found: &[f64]| agreement(&truth.beats, found, TOLERANCE).f;
        let every = |n: usize| (0..n).map(move |from| (from, n));
        let sparser = every(2).chain(every(3)).map(|(from, n)| beats.iter().skip(from).step_by(n).copied().collect());
        let denser = [2, 3].map(|parts| finer(&beats, parts));
        let best_level = sparser.chain(denser).map(|row: Vec<f64>| f(&row)).fold(f(&beats), f64::max);
        let found_metre = reading.beats.iter().map(|b| b.beat).max().unwrap_or(0);
        Self {
            name: score.name.clone(),
            beats: f(&beats),
            best_level,
            downbeats: agreement(&truth.downbeats, &ones, TOLERANCE).f,
            told: format!(
                "{:.0} bpm, written {:.0}; {found_metre}/{}",
                reading.tempo_bpm, truth.tempo_bpm, truth.metre
            ),
        }
    }

    fn print(&self) {
        println!("{:<34} {:.2} {:.2} {:.2}  {}", self.name, self.beats, self.best_level, self.downbeats, self.told);
    }
}

/// With so many parts to each beat.
fn finer(beats: &[f64], parts: usize) -> Vec<f64> {
    let between = |w: &[f64]| {
        let (from, gap) = (w[0], (w[1] - w[0]) / parts as f64);
        (0..parts).map(move |part| from + gap * part as f64)
    };
    beats.windows(2).flat_map(between).chain(beats.last().copied()).collect()
}

fn print_means(what: &str, all: &[Judged]) {
    let mean = |of: &dyn Fn(&Judged) -> f64| all.iter().map(of).sum::<f64>() / all.len().max(1) as f64;
    println!(
        "{what}: {} scores; beats F {:.3}, at the best level {:.3}, downbeats F {:.3}",
        all.len(),
        mean(&|j| j.beats),
        mean(&|j| j.best_level),
        mean(&|j| j.downbeats)
    );
}
