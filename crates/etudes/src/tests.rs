use super::*;
use legere_core::track::{Audio, READING_RATE, read_track};

#[test]
fn a_piece_is_the_same_each_time_and_sounds_where_its_truth_says() {
    let band = Band::from_debian().expect("a soundfont");
    let style = &STYLES[0];
    let piece = Etude::compose(style, 3);
    let samples = piece.play(&band, READING_RATE).expect("played");
    let again = Etude::compose(style, 3);
    assert_eq!(piece.fingerprint(), again.fingerprint());
    assert_eq!(samples, again.play(&band, READING_RATE).expect("played"));
    let truth = &piece.truth;
    assert!(truth.beats.windows(2).all(|w| w[1] > w[0]));
    assert_eq!(truth.downbeats.len(), truth.beats.len().div_ceil(4));
    // Loud at the drop, quieter just before the piece begins.
    let level = |from: f64, to: f64| {
        let range = (from * f64::from(READING_RATE)) as usize..(to * f64::from(READING_RATE)) as usize;
        samples[range.clone()].iter().map(|s| f64::from(s * s)).sum::<f64>() / range.len() as f64
    };
    let first = truth.beats[0];
    assert!(level(0.0, (first - 0.01).max(0.005)) < 0.1 * level(first, first + 1.0));
}

/// The figures that the reading of music is held to, on pieces that it was not fitted on: one of each of fourteen
/// styles in all metres, with lead-ins, silences before drops, swing, new tempos, and without drums.
#[test]
fn pieces_it_was_not_fitted_on_are_read_as_a_musician_does() {
    let styles = [
        "rock",
        "house",
        "slow beats",
        "funk",
        "ballad",
        "latin",
        "swing",
        "jig",
        "waltz",
        "three",
        "piano",
        "strings",
        "accelerando",
        "new tempo",
    ];
    let judged: Vec<Judged> = std::thread::scope(|scope| {
        let threads: Vec<_> = styles
            .iter()
            .map(|name| {
                scope.spawn(move || {
                    let band = Band::from_debian().expect("a soundfont");
                    let style = STYLES.iter().find(|s| s.name == *name).expect("a style");
                    let piece = Etude::compose(style, FITTED_SEEDS.end + 100);
                    let samples = piece.play(&band, READING_RATE).expect("played");
                    Judged::of(&piece.truth, &read_track(Audio { samples: &samples }).expect("music"))
                })
            })
            .collect();
        threads.into_iter().map(|t| t.join().expect("read")).collect()
    });
    let table: Vec<String> = styles.iter().zip(&judged).map(|(name, j)| format!("{name:<12} {j}")).collect();
    let means = Means::of(&judged);
    let table = format!("{means}\n{}", table.join("\n"));
    assert!(means.beats >= 0.93 && means.amlt >= 0.93 && means.error_ms <= 5.0, "{table}");
    assert!(means.downbeats >= 0.85 && means.tempo >= 0.85 && means.boundaries >= 0.75, "{table}");
    assert!(means.cue_recall >= 0.9 && means.cue_precision >= 0.8, "{table}");
}
