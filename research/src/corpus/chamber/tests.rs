use super::*;

#[test]
fn its_beats_and_bars_are_where_the_players_are() {
    let mut metres = std::collections::HashSet::new();
    for seed in 0..40 {
        let piece = Composition::chamber(seed);
        let Truth { beats, downbeats, metre, tempo_bpm, .. } = &piece.truth;
        metres.insert(*metre);
        assert!((58.0..180.0).contains(tempo_bpm), "{seed}: {tempo_bpm}");
        assert!((35.0..95.0).contains(&piece.seconds), "{seed}: {} s", piece.seconds);
        let upbeat = beats.iter().position(|b| *b == downbeats[0]).expect("on a beat");
        assert!(upbeat < *metre as usize, "{seed}");
        assert!(downbeats.iter().zip(beats.iter().skip(upbeat).step_by(*metre as usize)).all(|(d, b)| d == b));
        let first = piece.notes.iter().map(|n| n.at).fold(f64::MAX, f64::min);
        assert!(beats[0] > first - 0.05 && beats[0] < first + 1.2, "{seed}: from {first}, the beat at {}", beats[0]);
        assert!(piece.notes.iter().all(|n| (24..=108).contains(&n.key)), "{seed}");
        let on = |b: &&f64| piece.notes.iter().any(|n| (n.at - **b).abs() < 0.03);
        let sounding = downbeats.iter().filter(on).count();
        assert!(sounding * 10 > downbeats.len() * 6, "{seed}: {sounding} of {} ones", downbeats.len());
    }
    assert_eq!(metres, [2, 3, 4].into());
    assert_eq!(Composition::chamber(3).fingerprint(), Composition::chamber(3).fingerprint());
    assert_ne!(Composition::chamber(3).fingerprint(), Composition::chamber(4).fingerprint());
}

fn players(metre: u32, seed: u64) -> Players {
    Players {
        rng: ChaCha8Rng::seed_from_u64(seed),
        time: Time { beats: (0..80).map(f64::from).collect(), swing: 0.5 },
        notes: Vec::new(),
        metre,
        division: 2,
        scale: SCALES[0],
        tonic: 0,
        accent: None,
        volumes: [0.8; VOICES],
        long: [1.0, 1.0],
        stray: 0.0,
        pickup: &[],
        hymn: None,
    }
}

#[test]
fn a_phrase_ends_with_a_cadence() {
    for seed in 0..60 {
        let metre = 2 + (seed % 3) as u32;
        let chords = players(metre, seed).harmony(4, seed % 2 == 0);
        let ends: Vec<(f64, i32)> = chords.iter().rev().take(2).map(|c| (c.at, c.degree)).collect();
        assert_eq!(ends[0].0, f64::from(3 * metre), "the last chord is on a one");
        assert!(ends[0].1 == 4 || (ends[0].1, ends[1].1) == (0, 4), "{seed}: {ends:?}");
        assert!(chords.windows(2).all(|w| w[0].at < w[1].at), "{seed}");
    }
}

#[test]
fn in_unison_all_play_the_same_and_strokes_leave_the_rest_silent() {
    let play = |texture: Texture| {
        let mut players = players(4, 1);
        let theme = players.theme(4, &[texture]);
        players.phrase(&theme, &Phrase { start: 0.0, loud: 0.8, grows: 0.0 });
        let of = |notes: &[Note], voice: usize| -> Vec<f64> {
            notes.iter().filter(|n| n.channel == voice as i32).map(|n| n.at).collect()
        };
        let voices: [Vec<f64>; VOICES] = std::array::from_fn(|voice| of(&players.notes, voice));
        voices
    };
    let unison = play(Texture::Unison);
    assert!(unison[TOP].len() > 6 && unison.iter().all(|v| *v == unison[TOP]), "{unison:?}");
    let strokes = play(Texture::Strokes(&[0.0, 2.0]));
    assert!(strokes.iter().flatten().all(|at| at.rem_euclid(2.0) == 0.0), "{strokes:?}");
    let after = play(Texture::Repeated(2, false));
    assert!(!after[1].is_empty() && after[1].iter().all(|at| at.fract() == 0.5), "{after:?}");
}

#[test]
fn the_nearest_note_of_a_chord_belongs_to_it() {
    for degree in 0..7 {
        for near in -9..9 {
            let step = of_chord(degree, near);
            assert!([0, 2, 4].contains(&(step - degree).rem_euclid(7)) && (step - near).abs() <= 2);
        }
    }
}

fn played(texture: Texture, seed: u64) -> Vec<Note> {
    let mut players = players(4, seed);
    let theme = players.theme(4, &[texture]);
    players.phrase(&theme, &Phrase { start: 4.0, loud: 0.8, grows: 0.0 });
    players.notes
}

#[test]
fn in_imitation_the_voices_come_in_one_after_the_other() {
    for seed in 0..12 {
        let notes = played(Texture::Imitation(4), seed);
        let enters =
            |voice: usize| notes.iter().filter(|n| n.channel == voice as i32).map(|n| n.at).fold(f64::MAX, f64::min);
        let [top, third, second, low] = [TOP, 2, 1, LOW].map(enters);
        assert!(top < third && third < second && second <= low, "{seed}: {top} {third} {second} {low}");
    }
}

#[test]
fn who_runs_plays_evenly_while_the_others_hold() {
    let notes = played(Texture::Running(TOP, 4), 2);
    let run: Vec<f64> = notes.iter().filter(|n| n.channel == TOP as i32 && n.long > 0.15).map(|n| n.at).collect();
    assert_eq!(run.len(), 64);
    assert!(run.windows(2).all(|w| (w[1] - w[0] - 0.25).abs() < 1e-9), "{run:?}");
    let held = notes.iter().filter(|n| n.channel == LOW as i32);
    assert!(held.clone().count() > 2 && held.clone().all(|n| n.long > 0.5), "{:?}", held.collect::<Vec<_>>());
}

#[test]
fn a_pickup_leads_into_the_phrase_and_the_last_bar_leaves_room_for_it() {
    for seed in 0..20 {
        let mut players = players(3, seed);
        players.pickup = &[-1.0, -0.5];
        let chords = players.harmony(4, false);
        let melody = players.melody(4, &chords, false);
        let before: Vec<f64> = melody.iter().take_while(|s| s.at < 0.0).map(|s| s.at).collect();
        assert_eq!(before, [-1.0, -0.5], "{seed}");
        let end = melody.iter().map(|s| s.at + s.long).fold(0.0, f64::max);
        assert!(end <= 11.0 + 1e-9, "{seed}: sung until {end}, where the next phrase begins at 11");
    }
}

#[test]
fn a_line_may_end_in_the_middle_of_a_bar_where_the_next_ones_pickup_follows() {
    let hymns = (0..200).filter(|seed| Hymn::drawn(*seed, 4).is_some_and(|h| h.closes_in_mid_bar)).count();
    assert!((20..80).contains(&hymns), "{hymns} of 200");
    for seed in 0..40 {
        let mut players = players(4, seed);
        players.pickup = &[-1.0];
        players.hymn = Some(Hymn { pickup: &[-1.0], chorale: true, closes_in_mid_bar: true });
        let chords = players.harmony(2, true);
        let [.., before, last] = &chords[..] else { panic!("{seed}: too few chords") };
        assert_eq!(last.at, 6.0, "{seed}");
        assert!(last.degree == 4 || (before.degree, last.degree) == (4, 0), "{seed}");
        let melody = players.melody(2, &chords, true);
        assert!(melody.windows(2).all(|w| w[0].at + w[0].long < w[1].at + 1e-9), "{seed}: one note after the other");
        let final_note = melody.iter().rfind(|s| s.at >= 6.0 && on_a_beat(s.at)).expect("one at the end");
        assert!(final_note.at + final_note.long <= 7.0 + 1e-9, "{seed}: the next line begins at 7");
    }
}
