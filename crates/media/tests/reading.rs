//! How well music is read, on a handful of pieces whose truth is known: worse than this is a fault. All the figures are in
//! docs/music.md.

use legere_analysis::evaluation::agreement;
use legere_media::sound;
use serde::Deserialize;
use std::path::Path;

#[derive(Deserialize)]
struct Truth {
    metre: u32,
    tempo_bpm: f64,
    beats: Vec<f64>,
    downbeats: Vec<f64>,
    boundaries: Vec<f64>,
}

/// What a piece is held to: F-measures of beats and downbeats (within 70 ms) and of boundaries of sections (half a second).
struct Held {
    name: &'static str,
    beats: f64,
    downbeats: f64,
    boundaries: f64,
}

const PIECES: [Held; 5] = [
    Held { name: "house", beats: 0.98, downbeats: 0.96, boundaries: 0.9 },
    Held { name: "swing", beats: 0.98, downbeats: 0.98, boundaries: 0.9 },
    Held { name: "waltz", beats: 0.98, downbeats: 0.98, boundaries: 0.9 },
    Held { name: "strings", beats: 0.98, downbeats: 0.98, boundaries: 0.7 },
    // Has no habits, and no sections.
    Held { name: "improvised", beats: 0.98, downbeats: 0.65, boundaries: 0.0 },
];

#[tokio::test]
async fn music_is_read_as_a_musician_does() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("testdata/music");
    for held in PIECES {
        let text = std::fs::read_to_string(folder.join(held.name).with_extension("json")).expect("the truth");
        let truth: Truth = serde_json::from_str(&text).expect("the truth");
        let reading = sound::read(&folder.join(held.name).with_extension("ogg")).await.expect("music").reading;
        // Beats go on behind the last bar, where nobody can say whether there are any.
        let (begin, end) = (truth.beats[0] - 0.3, truth.beats[truth.beats.len() - 1] + 0.3);
        let times = |of: &dyn Fn(u32) -> bool| -> Vec<f64> {
            reading.beats.iter().filter(|b| of(b.beat) && b.at > begin && b.at < end).map(|b| b.at).collect()
        };
        let beats = agreement(&truth.beats, &times(&|_| true), 0.07).f;
        let downbeats = agreement(&truth.downbeats, &times(&|beat| beat == 1), 0.07).f;
        let boundaries: Vec<f64> = reading.sections.iter().skip(1).map(|s| s.start).collect();
        let boundaries = agreement(&truth.boundaries, &boundaries, 0.5).f;
        assert!(
            beats >= held.beats && downbeats >= held.downbeats && boundaries >= held.boundaries,
            "{}: beats {beats:.3}, downbeats {downbeats:.3}, boundaries {boundaries:.3}",
            held.name
        );
        assert!(
            (reading.tempo_bpm - truth.tempo_bpm).abs() < 1.0,
            "{}: {} beats a minute",
            held.name,
            reading.tempo_bpm
        );
        if held.downbeats > 0.9 {
            assert_eq!(reading.metre(), truth.metre, "{}", held.name);
        }
    }
}
