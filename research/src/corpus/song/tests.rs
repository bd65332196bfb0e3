use super::parts::Habit;
use super::*;

#[test]
fn a_song_has_beats_and_bars_all_along() {
    for seed in 0..40 {
        let song = Composition::song(seed);
        let (truth, name) = (&song.truth, &song.name);
        assert!((2..=4).contains(&truth.metre), "{name}");
        let upbeat = truth.beats.iter().position(|b| *b == truth.downbeats[0]).expect("on a beat");
        assert!(upbeat < truth.metre as usize, "{name}");
        assert_eq!(truth.downbeats.len(), (truth.beats.len() - upbeat).div_ceil(truth.metre as usize), "{name}");
        assert!((50.0..200.0).contains(&truth.tempo_bpm), "{name}: {}", truth.tempo_bpm);
        assert!(song.notes.len() > 60 && (30.0..90.0).contains(&song.seconds), "{name}: {}", song.notes.len());
        let first = song.notes.iter().map(|n| n.at).fold(f64::MAX, f64::min);
        assert!(first < truth.downbeats[0] + 40.0 && song.notes.iter().all(|n| n.at < song.seconds), "{name}");
    }
    assert_eq!(Composition::song(5).fingerprint(), Composition::song(5).fingerprint());
    assert_ne!(Composition::song(5).fingerprint(), Composition::song(6).fingerprint());
}

/// What tells bars from each other: over many songs far more basses begin on the one than on any other beat.
#[test]
fn basses_begin_on_the_one() {
    let mut on = [0; 4];
    for song in (0..60).map(Composition::song).filter(|s| s.truth.metre == 4) {
        let beats = &song.truth.beats;
        let upbeat = beats.iter().position(|b| *b == song.truth.downbeats[0]).expect("on a beat");
        for note in song.notes.iter().filter(|n| n.channel == BASS) {
            if let Some(beat) = beats.iter().position(|b| (b - note.at).abs() < 0.02) {
                on[(beat + 4 - upbeat) % 4] += 1;
            }
        }
    }
    assert!(on[1..].iter().all(|n| *n * 4 < on[0] * 3) && on[2] > on[1], "{on:?}");
}

#[test]
fn chords_change_where_the_phrase_says_and_phrases_return() {
    let passage = Passage { start: 0.0, bars: 8, chords: vec![(0.0, 0), (6.0, 3), (8.0, 4)], loud: 1.0 };
    assert_eq!([0.0, 5.99, 6.0, 7.5, 8.0, 31.0].map(|at| passage.chord_at(at).1), [0, 0, 3, 3, 4, 4]);
    assert_eq!(Passage { chords: Vec::new(), ..passage }.chord_at(3.0), (0, 0));
}

fn writer(metre: u32, grid: u32, changes: Changes) -> Writer {
    Writer {
        rng: ChaCha8Rng::seed_from_u64(3),
        time: Time { beats: (0..400).map(|i| f64::from(i) * 0.5).collect(), swing: 0.5 },
        notes: Vec::new(),
        metre,
        grid,
        scale: SCALES[0],
        tonic: 0,
        sevenths: false,
        chromatic: 0.0,
        stray: 0.0,
        volumes: [0.8; CHANNELS],
        changes,
        groove: Groove::Plain,
    }
}

fn passage(bars: u32, chords: Vec<(f64, i32)>) -> Passage {
    Passage { start: 0.0, bars, chords, loud: 0.8 }
}

#[test]
fn a_part_is_struck_where_its_habit_is() {
    let places = |metre, grid, habit, bars| -> Vec<f64> {
        let strokes = writer(metre, grid, Changes::Mixed).drawn(habit, bars, 0.0);
        strokes.iter().map(|s| (s.at * 100.0).round() / 100.0).collect()
    };
    assert_eq!(places(4, 2, Habit(1.0, 0.0, 0.0, 0.0, 0.0), 2), [0.0, 4.0]);
    assert_eq!(places(4, 2, Habit(1.0, 1.0, 0.0, 0.0, 0.0), 1), [0.0, 2.0]);
    assert_eq!(places(4, 4, Habit(0.0, 0.0, 1.0, 0.0, 0.0), 1), [1.0, 3.0]);
    assert_eq!(places(3, 2, Habit(0.0, 0.0, 1.0, 0.0, 0.0), 1), [1.0, 2.0], "three has no middle");
    assert_eq!(places(2, 2, Habit(0.0, 0.0, 0.0, 1.0, 0.0), 1), [0.5, 1.5]);
    assert_eq!(places(2, 3, Habit(0.0, 0.0, 0.0, 1.0, 0.0), 1), [0.67, 1.67], "the last third leads on");
    assert_eq!(places(2, 4, Habit(0.0, 0.0, 0.0, 0.0, 1.0), 1), [0.25, 0.75, 1.25, 1.75]);
    assert_eq!(places(4, 2, Habit(0.0, 0.0, 0.0, 0.0, 0.0), 1), [0.0], "nobody is silent for ever");
}

#[test]
fn phrases_fill_their_sections_and_no_more() {
    for changes in [Changes::Every(1), Changes::Every(4), Changes::HalfBars, Changes::Mixed, Changes::Twelve] {
        for metre in [2, 3, 4] {
            let mut writer = writer(metre, 2, changes);
            let phrase = writer.phrase();
            for bars in [3, 8, 12, 16] {
                let chords = writer.repeated(&phrase, bars);
                assert_eq!(chords[0].0, 0.0);
                assert!(chords.windows(2).all(|w| w[0].0 < w[1].0), "{chords:?}");
                assert!(chords.iter().all(|c| c.0 < f64::from(bars * metre) && (0..7).contains(&c.1)));
            }
        }
    }
    let mut blues = writer(4, 3, Changes::Twelve);
    let phrase = blues.phrase();
    let twice = blues.repeated(&phrase, 24);
    assert_eq!((phrase.len(), twice.len()), (12, 24));
    assert_eq!((twice[4].1, twice[16], twice[20].1), (3, (64.0, 3), 4));
}

/// Whatever the bass's own steps are, a new chord is told by its root.
#[test]
fn a_new_chord_is_told_by_its_root() {
    let mut writer = writer(4, 2, Changes::Every(1));
    let strokes = writer.drawn(Habit(1.0, 1.0, 1.0, 0.0, 0.0), 1, 0.0);
    let part = Part { strokes, bars: 1, voice: Voice::Steps(vec![4, 2, 5, 3]), pushes: false };
    writer.play(BASS, &part, &passage(4, vec![(0.0, 0), (4.0, 3), (8.0, 4), (12.0, 0)]));
    let keys: Vec<i32> = writer.notes.iter().step_by(4).map(|n| n.key - 33).collect();
    assert_eq!(writer.notes.len(), 16);
    assert_eq!(keys, [0, 5, 7, 0]);
}

#[test]
fn who_pushes_plays_the_next_chord_half_a_beat_before_it() {
    let strokes = |writer: &mut Writer| writer.drawn(Habit(1.0, 1.0, 1.0, 1.0, 0.0), 1, 0.0);
    let second = |pushes: bool| {
        let mut writer = writer(4, 2, Changes::Every(1));
        let part = Part { strokes: strokes(&mut writer), bars: 1, voice: Voice::Steps(vec![0]), pushes };
        writer.play(COMPING[0], &part, &passage(2, vec![(0.0, 0), (4.0, 4)]));
        writer.notes.iter().position(|n| n.key != writer.notes[0].key).expect("another chord")
    };
    assert_eq!((second(false), second(true)), (8, 7));
}

#[test]
fn kits_and_melodies_keep_to_their_bars() {
    for seed in 0..30 {
        for (metre, grid) in [(4, 2), (4, 4), (3, 2), (2, 3)] {
            let mut writer = writer(metre, grid, Changes::Mixed);
            writer.rng = ChaCha8Rng::seed_from_u64(seed);
            for (key, part) in writer.kit() {
                let end = f64::from(part.bars * metre);
                assert!((27..88).contains(&key) && part.strokes.iter().all(|s| s.at < end && s.loud > 0.0));
            }
            let melody = writer.melody(4, 0.5);
            let starts: Vec<f64> = melody.iter().map(|m| m.0.at).collect();
            assert!(starts.windows(2).all(|w| w[0] < w[1]), "{starts:?}");
            assert!(starts[0] >= -f64::from(metre) && starts[starts.len() - 1] < f64::from(4 * metre));
        }
    }
}

fn kits(groove: Groove) -> impl Iterator<Item = (u64, Kit)> {
    (0..40).map(move |seed| {
        let mut writer = writer(4, 2, Changes::Mixed);
        (writer.rng, writer.groove) = (ChaCha8Rng::seed_from_u64(seed), groove);
        (seed, writer.kit_in_groove())
    })
}

fn starts(part: &Part) -> Vec<f64> {
    part.strokes.iter().map(|s| s.at).collect()
}

/// Nobody is to take the snare for the beat: it is where one does not tap, in every bar, and the kick where one does.
#[test]
fn in_double_time_kick_and_snare_take_turns_within_the_beat() {
    for (seed, kit) in kits(Groove::DoubleTime) {
        let [(_, kick), (_, snare), ..] = &kit[..] else { panic!("{seed}: who plays?") };
        assert_eq!(starts(snare), [0.5, 1.5, 2.5, 3.5], "{seed}");
        let on = starts(kick).iter().filter(|at| at.fract() == 0.0).count();
        assert!(2 * on >= kick.strokes.len(), "{seed}: {on} of {} on the beat", kick.strokes.len());
    }
}

#[test]
fn where_the_kick_is_pushed_the_snare_is_on_the_backbeats() {
    let (mut on, mut pushed) = (0, 0);
    for (seed, kit) in kits(Groove::Pushed(Habit(0.9, 0.2, 0.1, 0.9, 0.0))) {
        let (Some((_, kick)), Some((_, snare))) = (kit.first(), kit.last()) else { panic!("{seed}: who plays?") };
        assert_eq!(starts(snare), [1.0, 3.0], "{seed}");
        pushed += starts(kick).iter().filter(|at| at.fract() == 0.5).count();
        on += starts(kick).iter().filter(|at| at.fract() == 0.0).count();
    }
    assert!(pushed > 2 * on, "{pushed} pushed, {on} on beats");
}

#[test]
fn most_songs_are_in_a_plain_groove() {
    let of = |groove: fn(&Groove) -> bool| (0..400).map(|seed| Groove::drawn(seed, 2)).filter(groove).count();
    let (double, pushed) = (of(|g| *g == Groove::DoubleTime), of(|g| matches!(g, Groove::Pushed(_))));
    assert!((50..110).contains(&double) && (50..110).contains(&pushed), "{double} and {pushed} of 400");
    assert!((0..100).all(|seed| Groove::drawn(seed, 3) != Groove::DoubleTime), "not in thirds of a beat");
}
