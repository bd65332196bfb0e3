//! How well tracks are read, piece by piece: `cargo xtask bench track`.
//!
//! `fit` as an argument takes the pieces that parameters may be fitted on, a word takes the pieces with it in their
//! name. Played pieces are kept, as playing takes longer than reading.

use legere_core::evaluation::{agreement, amlt, matched, median_error, tempo_is_right};
use legere_core::track::{Audio, CueKind, READING_RATE, TrackReading, read_track};
use legere_etudes::{Band, Etude, FITTED_SEEDS, STYLES, Truth};
use std::path::Path;
use std::time::Instant;

const SEEDS_A_STYLE: u64 = 2;

#[derive(Default)]
struct Totals {
    rows: Vec<[f64; 9]>,
    cues: (usize, usize, usize),
}

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|w| !w.starts_with('-')).collect();
    let fit = words.iter().any(|w| w == "fit");
    let only: Vec<&String> = words.iter().filter(|w| *w != "fit").collect();
    let first = if fit { FITTED_SEEDS.start } else { FITTED_SEEDS.end };
    let band = Band::from_debian().expect("a soundfont");
    let kept = Path::new(env!("CARGO_TARGET_TMPDIR")).join("etudes");
    std::fs::create_dir_all(&kept).expect("a folder");
    println!(
        "{:<18} {:>6} {:>6} {:>5} {:>5} {:>5} {:>5} {:>6} {:>5} {:>5}  {}",
        "piece", "bpm", "found", "beats", "AMLt", "err", "ones", "metre", "parts", "kinds", "cues (found true)"
    );
    let mut totals = Totals::default();
    let (mut audio_seconds, mut reading_seconds) = (0.0, 0.0);
    for style in STYLES {
        for seed in first..first + SEEDS_A_STYLE {
            let piece = Etude::compose(style, seed);
            if !only.is_empty() && !only.iter().any(|w| piece.name.contains(*w)) {
                continue;
            }
            let samples = piece.played(&band, READING_RATE, &kept).expect("played");
            let start = Instant::now();
            let reading = read_track(Audio { samples: &samples }).expect("music");
            reading_seconds += start.elapsed().as_secs_f64();
            audio_seconds += piece.seconds;
            totals.judge(&piece, &reading);
            if std::env::var_os("SHOW").is_some() {
                show(&piece.truth, &reading);
            }
        }
    }
    totals.print();
    println!("{:.3} s of one core a minute of audio, without decoding", reading_seconds / audio_seconds * 60.0);
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

impl Totals {
    fn judge(&mut self, piece: &Etude, reading: &TrackReading) {
        let truth = &piece.truth;
        let beats: Vec<f64> = reading.beats.iter().map(|b| b.at).collect();
        let ones: Vec<f64> = reading.beats.iter().filter(|b| b.beat == 1).map(|b| b.at).collect();
        // Beats go on behind the last bar, where nobody can say whether there are any.
        let end = truth.beats[truth.beats.len() - 1] + 0.3;
        let begin = truth.beats[0] - 0.3;
        let inside = |list: &[f64]| list.iter().copied().filter(|t| *t < end && *t > begin).collect::<Vec<_>>();
        let (beats, ones) = (inside(&beats), inside(&ones));
        let f = agreement(&truth.beats, &beats, 0.07).f;
        let error = median_error(&matched(&truth.beats, &beats, 0.07)).unwrap_or(1.0) * 1000.0;
        let down = agreement(&truth.downbeats, &ones, 0.07).f;
        let metre = reading.beats.iter().map(|b| b.beat).max().unwrap_or(0);
        let bounds: Vec<f64> = truth.sections.iter().skip(1).map(|s| s.0).collect();
        let found_bounds: Vec<f64> = reading.sections.iter().skip(1).map(|s| s.start).collect();
        let parts = agreement(&bounds, &found_bounds, 0.5).f;
        let kinds = kinds(truth, reading);
        let beat = 60.0 / truth.tempo_bpm;
        let main = |kind: CueKind| matches!(kind, CueKind::Drop | CueKind::Break);
        let (mut hits, mut true_cues, mut found_cues) = (0, 0, 0);
        for kind in [CueKind::Drop, CueKind::Break] {
            let t: Vec<f64> = truth.cues.iter().filter(|c| c.1 == kind).map(|c| c.0).collect();
            let g: Vec<f64> = reading.cues.iter().filter(|c| c.kind == kind).map(|c| c.at).collect();
            hits += matched(&t, &g, beat).len();
            true_cues += t.len();
            found_cues += g.len();
        }
        debug_assert!(truth.cues.iter().all(|c| main(c.1)));
        let tempo = f64::from(u8::from(tempo_is_right(truth.tempo_bpm, reading.tempo_bpm)));
        let continuity = amlt(&truth.beats, &beats);
        println!(
            "{:<18} {:>6.1} {:>6.1} {:>5.2} {:>5.2} {:>5.1} {:>5.2} {:>4}/{} {:>5.2} {:>5.2}  {hits} of {true_cues}, {found_cues} found",
            piece.name,
            truth.tempo_bpm,
            reading.tempo_bpm,
            f,
            continuity,
            error,
            down,
            metre,
            truth.metre,
            parts,
            kinds
        );
        let right_metre = f64::from(u8::from(metre == truth.metre));
        self.rows.push([f, continuity, error, down, right_metre, parts, kinds, tempo, 0.0]);
        self.cues.0 += hits;
        self.cues.1 += true_cues;
        self.cues.2 += found_cues;
    }

    fn print(&self) {
        let mean = |i: usize| self.rows.iter().map(|r| r[i]).sum::<f64>() / self.rows.len().max(1) as f64;
        let share = |of: usize| self.cues.0 as f64 / of.max(1) as f64;
        println!(
            "means: beats F {:.3}, AMLt {:.3}, error {:.1} ms, downbeats F {:.3}, metre {:.2}, boundaries F {:.3}, kinds {:.2}, tempo {:.2}",
            mean(0),
            mean(1),
            mean(2),
            mean(3),
            mean(4),
            mean(5),
            mean(6),
            mean(7)
        );
        println!("drops and breaks: recall {:.2}, precision {:.2}", share(self.cues.1), share(self.cues.2));
    }
}

/// The share of time whose section has the right kind.
fn kinds(truth: &Truth, reading: &TrackReading) -> f64 {
    let end = truth.beats[truth.beats.len() - 1];
    let begin = truth.beats[0];
    let steps = 500;
    let right = (0..steps)
        .map(|i| begin + (end - begin) * (f64::from(i) + 0.5) / f64::from(steps))
        .filter(|at| {
            let true_kind = truth.sections.iter().rev().find(|s| s.0 <= *at).map(|s| s.1);
            let found = reading.sections.iter().rev().find(|s| s.start <= *at).map(|s| s.kind);
            true_kind == found
        })
        .count();
    right as f64 / f64::from(steps)
}
