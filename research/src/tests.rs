use super::*;
use legere_analysis::music::{Audio, READING_RATE, read_track};
use legere_core::track::{Beat, Cue, Section, SectionKind, TrackReading};

#[test]
fn a_piece_is_the_same_each_time_and_sounds_where_its_truth_says() {
    let band = Band::from_debian().expect("a soundfont");
    let style = &STYLES[0];
    let piece = Composition::compose(style, 3);
    let samples = piece.play(&band, READING_RATE).expect("played");
    let again = Composition::compose(style, 3);
    assert_eq!(piece.fingerprint(), again.fingerprint());
    let kept = std::env::temp_dir().join(format!("composition-{}", std::process::id()));
    std::fs::create_dir_all(&kept).expect("a folder");
    assert_eq!(samples, again.played(&band, READING_RATE, &kept).expect("played"));
    assert_eq!(samples, again.played(&band, READING_RATE, &kept).expect("kept"), "the second time from the folder");
    std::fs::remove_dir_all(&kept).expect("removed");
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
    let pieces = styles.iter().map(|name| {
        let style = STYLES.iter().find(|s| s.name == *name).expect("a style");
        Composition::compose(style, FITTED_SEEDS.end + 100)
    });
    let (means, table) = judged(pieces.collect());
    assert!(means.beats >= 0.93 && means.amlt >= 0.93 && means.error_ms <= 5.0, "{table}");
    assert!(means.downbeats >= 0.85 && means.tempo >= 0.85 && means.boundaries >= 0.75, "{table}");
    assert!(means.cue_recall >= 0.9 && means.cue_precision >= 0.8, "{table}");
}

/// What has no habits is harder: there the beats count that come at another tempo level, too.
#[test]
fn improvisations_it_was_not_fitted_on_are_followed() {
    let first = FITTED_IMPROVISATIONS.end + 1000;
    let (means, table) = judged((first..first + 12).map(Composition::improvise).collect());
    assert!(means.beats >= 0.85 && means.amlt >= 0.9 && means.error_ms <= 5.0, "{table}");
    assert!(means.downbeats >= 0.75, "{table}");
}

/// Plays, reads and judges pieces, all at once.
fn judged(pieces: Vec<Composition>) -> (Means, String) {
    let band = Band::from_debian().expect("a soundfont");
    let judged = each(&pieces, |piece| {
        let samples = piece.play(&band, READING_RATE).expect("played");
        Judged::of(&piece.truth, &read_track(Audio::mono(&samples)).expect("music"))
    });
    let table: Vec<String> = pieces.iter().zip(&judged).map(|(p, j)| format!("{:<20} {j}", p.name)).collect();
    let means = Means::of(&judged);
    (means.clone(), format!("{means}\n{}", table.join("\n")))
}

#[test]
fn the_backbeat_is_known_where_a_snare_plays_it() {
    let band = Band::from_debian().expect("a soundfont");
    let style = |name: &str| STYLES.iter().find(|s| s.name == name).expect("a style");
    let (mut right, mut wanted) = (0, 0);
    for name in ["slow beats", "funk", "ballad", "breakbeat"] {
        let piece = Composition::compose(style(name), FITTED_SEEDS.end + 8);
        let samples = piece.play(&band, READING_RATE).expect("played");
        let reading = read_track(Audio::mono(&samples)).expect("music");
        let truth = &piece.truth;
        let mut ends: Vec<f64> = truth.sections.iter().skip(1).map(|s| s.0).collect();
        ends.push(truth.beats[truth.beats.len() - 1]);
        let drummed = |kind| matches!(kind, SectionKind::Drop | SectionKind::Groove);
        for (section, end) in truth.sections.iter().zip(ends).filter(|(s, _)| drummed(s.1)) {
            for (i, at) in truth.beats.iter().enumerate().filter(|(_, at)| **at >= section.0 && **at < end) {
                let found = reading.backbeats.iter().any(|b| (b - at).abs() < 0.05);
                assert!(!found || i % 2 == 1, "{name}: {at} is no backbeat");
                wanted += i % 2;
                right += usize::from(found);
            }
        }
    }
    assert!(right * 100 >= wanted * 75, "{right} of {wanted}");
    let waltz = Composition::compose(style("waltz"), FITTED_SEEDS.end + 8);
    let samples = waltz.play(&band, READING_RATE).expect("played");
    let reading = read_track(Audio::mono(&samples)).expect("music");
    assert!(reading.backbeats.len() < 8, "a waltz without drums: {:?}", reading.backbeats);
}

#[test]
fn an_improvisation_has_beats_in_bars_and_differs_from_the_next() {
    let pieces: Vec<Composition> = (0..40).map(Composition::improvise).collect();
    for piece in &pieces {
        let (truth, name) = (&piece.truth, &piece.name);
        // An upbeat before the first bar is less than a bar.
        let upbeat = truth.beats.iter().position(|b| *b == truth.downbeats[0]).expect("on a beat");
        let metre = truth.metre as usize;
        assert!(upbeat < metre, "{name}: {upbeat}");
        assert_eq!(truth.downbeats.len(), (truth.beats.len() - upbeat).div_ceil(metre), "{name}");
        assert!(truth.beats.windows(2).all(|w| w[1] - w[0] > 0.2 && w[1] - w[0] < 1.6), "{name}");
        assert!((30.0..90.0).contains(&piece.seconds), "{name}: {}", piece.seconds);
        assert!(piece.notes.len() > 60, "{name}: {} notes", piece.notes.len());
        assert!(piece.notes.iter().all(|n| n.at < piece.seconds && (24..=108).contains(&n.key)), "{name}");
    }
    let upbeats = pieces.iter().filter(|p| p.truth.beats[0] < p.truth.downbeats[0]).count();
    assert!((4..26).contains(&upbeats), "{upbeats} begin with an upbeat");
    let metres: std::collections::HashSet<u32> = pieces.iter().map(|p| p.truth.metre).collect();
    assert_eq!(metres.len(), 3, "two, three and four");
    let fingerprints: std::collections::HashSet<u64> = pieces.iter().map(Composition::fingerprint).collect();
    assert_eq!(fingerprints.len(), pieces.len());
    assert_eq!(Composition::improvise(7).fingerprint(), pieces[7].fingerprint(), "the same each time");
}

#[test]
fn every_style_has_a_truth_that_hangs_together() {
    for style in STYLES {
        for seed in [0, 7, FITTED_SEEDS.end + 3] {
            let piece = Composition::compose(style, seed);
            let truth = &piece.truth;
            let name = &piece.name;
            assert!((20.0..220.0).contains(&piece.seconds), "{name}: {}", piece.seconds);
            assert!(truth.beats.windows(2).all(|w| w[1] - w[0] > 0.2 && w[1] - w[0] < 1.4), "{name}");
            assert!(truth.beats[truth.beats.len() - 1] < piece.seconds, "{name}");
            assert_eq!(truth.metre, style.metre, "{name}");
            let on_a_one = |at: f64| truth.downbeats.iter().any(|d| (d - at).abs() < 1e-9);
            assert!(truth.sections.iter().all(|s| on_a_one(s.0)), "{name}: sections begin with bars");
            assert!(truth.cues.iter().all(|c| on_a_one(c.0)), "{name}: cues stand on bars");
            assert!(truth.sections.windows(2).all(|w| w[0].0 < w[1].0), "{name}");
            assert!(!truth.cues.is_empty(), "{name}: there is something to find");
            assert!(piece.notes.len() > 100, "{name}: {} notes", piece.notes.len());
            assert!(piece.notes.iter().all(|n| (1..=127).contains(&n.velocity) && n.at >= 0.0), "{name}");
        }
    }
}

#[test]
fn a_mixed_style_differs_from_seed_to_seed_and_a_plain_one_keeps_its_players() {
    let style = |name: &str| STYLES.iter().find(|s| s.name == name).expect("a style");
    let drums =
        |name: &str, seed| Composition::compose(style(name), seed).notes.iter().filter(|n| n.channel == 9).count();
    let with: Vec<bool> = (0..12).map(|seed| drums("mixed four", seed) > 0).collect();
    assert!(with.iter().any(|d| *d) && with.iter().any(|d| !*d), "{with:?}");
    assert!((0..6).all(|seed| drums("rock", seed) > 0) && (0..6).all(|seed| drums("waltz", seed) == 0));
    let fingerprints: std::collections::HashSet<u64> =
        (0..12).map(|seed| Composition::compose(style("mixed four"), seed).fingerprint()).collect();
    assert_eq!(fingerprints.len(), 12);
}

#[test]
fn tempos_go_on_as_their_style_says() {
    let gaps = |name: &str, seed| {
        let style = STYLES.iter().find(|s| s.name == name).expect("a style");
        let beats = Composition::compose(style, seed).truth.beats;
        beats.windows(2).map(|w| w[1] - w[0]).collect::<Vec<f64>>()
    };
    let spread = |g: &[f64]| {
        let (least, most) = g.iter().fold((f64::MAX, 0.0f64), |(a, b), v| (a.min(*v), b.max(*v)));
        most / least
    };
    assert!(spread(&gaps("rock", 2)) < 1.000_001);
    assert!((spread(&gaps("accelerando", 2)) - 1.35).abs() < 0.02);
    assert!((spread(&gaps("new tempo", 2)) - 1.25).abs() < 0.01);
    let rubato = spread(&gaps("piano", 2));
    assert!(rubato > 1.04 && rubato < 1.5, "{rubato}");
}

/// What is read when everything is right.
fn perfect(truth: &Truth, seconds: f64) -> TrackReading {
    let mut bar = 0;
    let beats = truth
        .beats
        .iter()
        .map(|at| {
            let one = truth.downbeats.contains(at);
            bar += u32::from(one);
            Beat { at: *at, bar, beat: if one { 1 } else { truth.metre }, strength: 1.0 }
        })
        .collect();
    let ends = truth.sections.iter().skip(1).map(|s| s.0).chain([seconds]);
    TrackReading {
        duration: seconds,
        tempo_bpm: truth.tempo_bpm,
        beats,
        sections: truth.sections.iter().zip(ends).map(|(s, end)| Section::new(s.0, end, s.1, 50.0)).collect(),
        cues: truth.cues.iter().map(|c| Cue::new(c.0, c.1, 1.0)).collect(),
        ..TrackReading::default()
    }
}

#[test]
fn a_perfect_reading_is_judged_perfect_and_a_late_one_is_not() {
    let piece = Composition::compose(&STYLES[0], 5);
    let right = perfect(&piece.truth, piece.seconds);
    let judged = Judged::of(&piece.truth, &right);
    let all = [judged.beats, judged.amlt, judged.downbeats, judged.boundaries, judged.kinds];
    assert!(all.iter().all(|v| (v - 1.0).abs() < 1e-9), "{judged}");
    assert_eq!((judged.error_ms, judged.tempo_is_right()), (Some(0.0), true));
    assert_eq!(judged.cues[0], judged.cues[1]);
    let mut late = right.clone();
    late.beats.iter_mut().for_each(|b| b.at += 0.1);
    late.sections.iter_mut().for_each(|s| s.start += 0.6);
    late.cues.clear();
    late.tempo_bpm *= 1.05;
    let judged = Judged::of(&piece.truth, &late);
    assert!(judged.beats < 0.05 && judged.boundaries < 0.2 && judged.cues[0] == 0, "{judged}");
    assert!(!judged.tempo_is_right());
    let means = Means::of(&[Judged::of(&piece.truth, &right), judged]);
    assert!((means.tempo - 0.5).abs() < 1e-9 && means.cue_precision == 1.0 && means.cue_recall == 0.5, "{means}");
}

#[test]
fn playing_in_haste_sounds_alike() {
    let piece = Composition::improvise(11);
    let play = |band: Band| piece.play(&band, READING_RATE).expect("played");
    let careful = play(Band::from_debian().expect("a soundfont"));
    let hasty = play(Band::from_debian().expect("a soundfont").hasty());
    assert_eq!(careful.len(), hasty.len());
    let level = |samples: &[f32]| -> Vec<f64> {
        let second = READING_RATE as usize;
        samples.chunks(second).map(|s| s.iter().map(|v| f64::from(v * v)).sum::<f64>() / second as f64).collect()
    };
    for (second, (a, b)) in level(&careful).iter().zip(level(&hasty)).enumerate() {
        assert!((a - b).abs() < 0.25 * a.max(b) + 1e-4, "second {second}: {a} and {b}");
    }
}

#[test]
fn pieces_without_sections_are_summed_up_without_them() {
    let piece = Composition::improvise(4);
    let judged = Judged::of(&piece.truth, &perfect(&piece.truth, piece.seconds));
    let words = Means::of(&[judged]).of_beats_and_bars();
    assert!(words.starts_with("beats F 1.000, AMLt 1.000, error 0.0 ms, downbeats F 1.000"), "{words}");
    assert!(!words.contains("boundaries"), "{words}");
}

#[test]
fn work_on_both_halves_comes_back_in_order() {
    let numbers: Vec<usize> = (0..9).collect();
    assert_eq!(each(&numbers, |n| n * n), [0, 1, 4, 9, 16, 25, 36, 49, 64]);
    assert_eq!(each(&numbers[..1], |n| n + 1), [1]);
    assert!(each(&numbers[..0], |n| *n).is_empty());
}

/// What models are fitted on is never judged, and what has trained the networks is not fitted on again.
#[test]
fn fitted_pieces_are_the_last_of_their_seeds() {
    let names: Vec<String> = fitted_improvisations().map(|e| e.name).collect();
    let seeds: Vec<u64> = names.iter().filter_map(|n| n.rsplit(' ').next()?.parse().ok()).collect();
    assert_eq!(seeds.len(), names.len(), "each is called by its seed");
    assert!(seeds.iter().all(|s| FITTED_IMPROVISATIONS.contains(s) && *s > FITTED_IMPROVISATIONS.end - 1000));
    let songs = names.iter().filter(|n| n.starts_with("song")).count();
    assert!(songs > 100 && names.len() > songs + 100, "{songs} songs of {}", names.len());
}
