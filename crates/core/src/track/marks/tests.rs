use super::*;
use crate::track::Trace;
use proptest::prelude::*;

/// Sixteen bars of four at 120 beats a minute, from half a second on, in two sections.
fn track() -> TrackReading {
    TrackReading {
        duration: 33.0,
        tempo_bpm: 120.0,
        beats: (0..64)
            .map(|i| Beat { at: 0.5 + f64::from(i) * 0.5, bar: i / 4 + 1, beat: i % 4 + 1, strength: 0.8 })
            .collect(),
        sections: vec![
            Section::new(0.0, 16.5, SectionKind::Groove, 40.0),
            Section::new(16.5, 33.0, SectionKind::Drop, 80.0),
        ],
        cues: vec![Cue::new(16.5, CueKind::Drop, 0.9)],
        energy: Trace { step: 0.5, values: (0..66).map(|i| if i < 33 { 40.0 } else { 80.0 }).collect() },
        onsets: (0..128).map(|i| 0.5 + f64::from(i) * 0.25).collect(),
        ..TrackReading::default()
    }
}

fn after(edits: &[Edit]) -> TrackReading {
    over(&track(), edits)
}

fn over(track: &TrackReading, edits: &[Edit]) -> TrackReading {
    let marks = edits.iter().fold(Marks::default(), |m, e| m.edited(track, e).unwrap_or_else(|w| panic!("{e:?}: {w}")));
    marks.over(track)
}

fn refused(edit: &Edit) -> MarkError {
    Marks::default().edited(&track(), edit).expect_err("refused")
}

fn ones(track: &TrackReading) -> Vec<f64> {
    track.beats.iter().filter(|b| b.beat == 1).map(|b| b.at).collect()
}

#[test]
fn taps_snap_to_the_music_and_replace_what_lies_between() {
    let times: Vec<f64> = (0..8).map(|i| 4.53 + f64::from(i) * 1.005).collect();
    let tapped = after(&[Edit::Beats(BeatEdit::Taps { times: times.clone(), snap: true })]);
    let inside: Vec<f64> = tapped.beats.iter().map(|b| b.at).filter(|t| (4.3..11.8).contains(t)).collect();
    assert_eq!(inside, [4.5, 5.5, 6.5, 7.5, 8.5, 9.5, 10.5, 11.5]);
    assert!((ones(&tapped)[1] - 4.5).abs() < 2.1, "bars go on from the first tap: {:?}", ones(&tapped));
    // As tapped, when snapping is off.
    let free = after(&[Edit::Beats(BeatEdit::Taps { times: times.clone(), snap: false })]);
    assert!(free.beats.iter().any(|b| b.at == times[3]));
    assert_eq!(refused(&Edit::Beats(BeatEdit::Taps { times: vec![1.0, 2.0], snap: true })), MarkError::TooFewTaps);
}

#[test]
fn a_single_beat_can_be_moved_added_and_removed() {
    let moved = after(&[Edit::Beats(BeatEdit::MoveBeat { at: 5.0, to: 5.2, snap: true })]);
    assert!(moved.beats.iter().any(|b| b.at == 5.25) && !moved.beats.iter().any(|b| b.at == 5.0));
    let free = after(&[Edit::Beats(BeatEdit::MoveBeat { at: 5.0, to: 5.2, snap: false })]);
    assert!(free.beats.iter().any(|b| b.at == 5.2));
    assert_eq!(refused(&Edit::Beats(BeatEdit::MoveBeat { at: 5.0, to: 5.49, snap: false })), MarkError::Taken);
    assert_eq!(refused(&Edit::Beats(BeatEdit::MoveBeat { at: 5.0, to: 7.2, snap: false })), MarkError::Taken);
    assert_eq!(after(&[Edit::Beats(BeatEdit::AddBeat { at: 5.22, snap: true })]).beats.len(), 65);
    assert_eq!(after(&[Edit::Beats(BeatEdit::RemoveBeat { at: 5.0 })]).beats.len(), 63);
    assert_eq!(refused(&Edit::Beats(BeatEdit::AddBeat { at: 40.0, snap: false })), MarkError::Outside);
}

#[test]
fn the_one_and_the_metre_are_moved_for_the_whole_track() {
    let shifted = after(&[Edit::Beats(BeatEdit::SetDownbeat { at: 1.5 })]);
    assert_eq!(ones(&shifted)[..3], [1.5, 3.5, 5.5]);
    assert_eq!((shifted.beats[0].bar, shifted.beats[0].beat), (0, 3), "a pickup before it");
    let waltz = after(&[Edit::Beats(BeatEdit::Metre { beats: 3 })]);
    assert_eq!(ones(&waltz)[..3], [0.5, 2.0, 3.5]);
    assert_eq!(refused(&Edit::Beats(BeatEdit::Metre { beats: 1 })), MarkError::Metre);
}

#[test]
fn the_tempo_can_be_halved_doubled_and_given() {
    let half = after(&[Edit::Beats(BeatEdit::Halve)]);
    assert_eq!((half.beats.len(), half.tempo_bpm), (32, 60.0));
    assert_eq!(half.beats[0].beat, 1);
    let double = after(&[Edit::Beats(BeatEdit::Double)]);
    assert_eq!((double.beats.len(), double.tempo_bpm.round()), (127, 240.0));
    let retimed = after(&[Edit::Beats(BeatEdit::Retempo { start: 8.5, end: 16.5, bpm: 90.0 })]);
    let gaps: Vec<f64> =
        retimed.beats.windows(2).filter(|w| w[0].at >= 8.4 && w[1].at < 16.3).map(|w| w[1].at - w[0].at).collect();
    assert!(gaps.len() > 8 && gaps.iter().all(|g| (g - 60.0 / 90.0).abs() < 0.03), "{gaps:?}");
    assert_eq!(refused(&Edit::Beats(BeatEdit::Retempo { start: 0.0, end: 9.0, bpm: 5.0 })), MarkError::Tempo);
    let thin = after(&[Edit::Beats(BeatEdit::Thin { least: 0.9 })]);
    assert!(thin.beats.windows(2).all(|w| w[1].at - w[0].at >= 0.9));
    assert_eq!(ones(&thin), ones(&track()), "bars stay where they are");
}

#[test]
fn marks_are_on_the_strong_beats_or_on_all_of_them_and_bars_stay() {
    let strong = after(&[Edit::Beats(BeatEdit::Density { strong: true })]);
    assert_eq!(strong.beats.len(), 32);
    assert_eq!(ones(&strong), ones(&track()));
    assert_eq!(strong.beats[1].at, 1.5, "the three of four");
    let sparser =
        after(&[Edit::Beats(BeatEdit::Density { strong: true }), Edit::Beats(BeatEdit::Density { strong: true })]);
    assert_eq!(sparser.beats.iter().map(|b| b.at).collect::<Vec<_>>(), ones(&track()), "of two, the first");
    for denser in [&[true, false][..], &[true, true, false]] {
        let edits: Vec<Edit> = denser.iter().map(|strong| Edit::Beats(BeatEdit::Density { strong: *strong })).collect();
        let all = after(&edits);
        let places = |t: &TrackReading| t.beats.iter().map(|b| (b.at, b.bar, b.beat)).collect::<Vec<_>>();
        assert_eq!(places(&all), places(&track()), "{denser:?}");
    }
    let three = [Edit::Beats(BeatEdit::Metre { beats: 3 }), Edit::Beats(BeatEdit::Density { strong: true })];
    assert!(after(&three).beats.iter().all(|b| b.beat == 1), "three has one strong beat");
    assert_eq!(refused(&Edit::Beats(BeatEdit::Density { strong: false })), MarkError::Nothing, "all are there");
}

#[test]
fn what_was_moved_by_hand_stays_when_all_beats_come_back() {
    let edits = [
        Edit::Beats(BeatEdit::SetDownbeat { at: 1.5 }),
        Edit::Beats(BeatEdit::Density { strong: true }),
        Edit::Beats(BeatEdit::MoveBeat { at: 9.5, to: 9.62, snap: false }),
        Edit::Beats(BeatEdit::Density { strong: false }),
    ];
    let back = after(&edits);
    assert_eq!(back.beats.len(), 64);
    assert!(back.beats.iter().any(|b| b.at == 9.62));
    assert_eq!(ones(&back)[..2], [1.5, 3.5], "the one stays where it was put");
    assert_eq!((back.beats[0].beat, back.beats[1].beat), (3, 4), "an upbeat leads to it");
}

#[test]
fn sections_are_moved_split_joined_named_and_given_an_energy() {
    let moved = after(&[Edit::Sections(SectionEdit::MoveBoundary { at: 16.5, to: 12.3, to_bar: true })]);
    assert_eq!((moved.sections[0].end, moved.sections[1].start), (12.5, 12.5));
    assert!(moved.sections[1].energy < 80.0, "measured again: {}", moved.sections[1].energy);
    let free = after(&[Edit::Sections(SectionEdit::MoveBoundary { at: 16.5, to: 12.3, to_bar: false })]);
    assert_eq!(free.sections[0].end, 12.3);
    let split = after(&[
        Edit::Sections(SectionEdit::Split { at: 8.4, to_bar: true }),
        Edit::Sections(SectionEdit::Kind { at: 9.0, kind: SectionKind::Build }),
    ]);
    assert_eq!(split.sections.iter().map(|s| s.kind.word()).collect::<Vec<_>>(), ["groove", "build", "drop"]);
    assert_eq!(split.sections[1].start, 8.5);
    let joined = after(&[Edit::Sections(SectionEdit::Join { at: 16.0 })]);
    assert_eq!((joined.sections.len(), joined.sections[0].end), (1, 33.0));
    let loud = after(&[Edit::Sections(SectionEdit::Energy { at: 2.0, energy: Some(95.0) })]);
    assert!(loud.sections[0].energy == 95.0 && loud.sections[0].energy_manual);
    let back = after(&[
        Edit::Sections(SectionEdit::Energy { at: 2.0, energy: Some(95.0) }),
        Edit::Sections(SectionEdit::Energy { at: 2.0, energy: None }),
    ]);
    assert!(back.sections[0].energy == 40.0 && !back.sections[0].energy_manual);
    assert_eq!(
        refused(&Edit::Sections(SectionEdit::MoveBoundary { at: 16.5, to: 0.1, to_bar: false })),
        MarkError::ShortSection
    );
    assert_eq!(refused(&Edit::Sections(SectionEdit::Energy { at: 2.0, energy: Some(120.0) })), MarkError::Energy);
}

#[test]
fn cues_are_added_moved_renamed_and_removed() {
    let edits = [
        Edit::Cues(CueEdit::AddCue { at: 4.5, kind: CueKind::Hit }),
        Edit::Cues(CueEdit::MoveCue { at: 4.5, kind: CueKind::Hit, to: 4.8, snap: true }),
        Edit::Cues(CueEdit::CueKind { at: 16.5, kind: CueKind::Drop, to: CueKind::Break }),
    ];
    let seen = after(&edits);
    assert_eq!(seen.cues.iter().map(|c| (c.at, c.kind.word())).collect::<Vec<_>>(), [(4.75, "hit"), (16.5, "break")]);
    assert!(after(&[Edit::Cues(CueEdit::RemoveCue { at: 16.5, kind: CueKind::Drop })]).cues.is_empty());
    assert_eq!(refused(&Edit::Cues(CueEdit::RemoveCue { at: 3.0, kind: CueKind::Drop })), MarkError::Nothing);
}

#[test]
fn a_pause_that_a_person_set_or_moved_lasts_to_the_next_beat() {
    let pause = Cue { lasts: Some(1.2), ..Cue::new(8.0, CueKind::Pause, 1.0) };
    let track = TrackReading { cues: vec![pause], ..track() };
    let lasts = |edits: &[Edit]| over(&track, edits).cues[0].lasts;
    assert_eq!(lasts(&[]), Some(1.2));
    assert_eq!(
        lasts(&[Edit::Cues(CueEdit::MoveCue { at: 8.0, kind: CueKind::Pause, to: 9.0, snap: false })]),
        Some(0.5)
    );
    let set = Edit::Cues(CueEdit::AddCue { at: 4.1, kind: CueKind::Pause });
    let lasts_set = over(&track, &[set]).cues[0].lasts.expect("a length");
    assert!((lasts_set - 0.4).abs() < 1e-9, "{lasts_set}");
    assert_eq!(lasts(&[Edit::Cues(CueEdit::CueKind { at: 8.0, kind: CueKind::Pause, to: CueKind::Break })]), None);
}

#[test]
fn what_a_person_set_stays_over_a_new_reading_and_can_be_given_up() {
    let old = track();
    let marks = Marks::default()
        .edited(&old, &Edit::Sections(SectionEdit::Kind { at: 2.0, kind: SectionKind::Intro }))
        .expect("named");
    let new =
        TrackReading { tempo_bpm: 90.0, sections: vec![Section::new(0.0, 33.0, SectionKind::Groove, 50.0)], ..old };
    let seen = marks.over(&new);
    assert_eq!((seen.sections[0].kind, seen.tempo_bpm), (SectionKind::Intro, 90.0));
    assert!(marks.edited(&new, &Edit::All(ResetEdit::StartOver)).expect("given up").is_empty());
}

/// Seventeen digits, the last of which a quick reader of numbers gets wrong.
#[test]
fn a_time_set_by_hand_is_kept_to_its_last_digit() {
    let beats = vec![Beat { at: 11.647_474_699_524_503, bar: 1, beat: 1, strength: 0.8 }];
    let marks = Marks { beats: Some(beats), ..Marks::default() };
    let text = serde_json::to_string(&marks).expect("json");
    assert_eq!(serde_json::from_str::<Marks>(&text).expect("reads back"), marks);
}

proptest! {
    #[test]
    fn however_beats_are_edited_they_stay_in_order_and_counted(
        acts in proptest::collection::vec((0u8..9, 0.0f64..33.0, 0.0f64..33.0), 1..12)
    ) {
        let track = track();
        let mut marks = Marks::default();
        for (act, a, b) in acts {
            let edit = match act {
                0 => Edit::Beats(BeatEdit::MoveBeat { at: a, to: b, snap: true }),
                1 => Edit::Beats(BeatEdit::AddBeat { at: a, snap: false }),
                2 => Edit::Beats(BeatEdit::RemoveBeat { at: a }),
                3 => Edit::Beats(BeatEdit::SetDownbeat { at: a }),
                4 => Edit::Beats(BeatEdit::Metre { beats: 2 + (b as u32 % 5) }),
                5 => Edit::Beats(BeatEdit::Retempo { start: a.min(b), end: a.max(b), bpm: 100.0 }),
                6 => Edit::Beats(BeatEdit::Double),
                7 => Edit::Beats(BeatEdit::Halve),
                _ => Edit::Beats(BeatEdit::Taps { times: (0..5).map(|i| a + f64::from(i) * 0.4).collect(), snap: true }),
            };
            if let Ok(next) = marks.edited(&track, &edit) {
                marks = next;
            }
        }
        let seen = marks.over(&track);
        prop_assert!(seen.beats.windows(2).all(|w| w[1].at > w[0].at));
        for w in seen.beats.windows(2) {
            let (on, begun) = ((w[0].bar, w[0].beat + 1), (w[0].bar + 1, 1));
            prop_assert!([on, begun].contains(&(w[1].bar, w[1].beat)), "{:?}", w);
        }
        let text = serde_json::to_string(&marks).expect("json");
        prop_assert_eq!(serde_json::from_str::<Marks>(&text).expect("reads back"), marks);
    }
}

/// Bars of three, the fifth of four, whose fourth beat is at 8.0.
fn waltz() -> TrackReading {
    let ones: Vec<f64> = (0..20).map(|bar| 0.5 + 1.5 * f64::from(bar) + if bar > 4 { 0.5 } else { 0.0 }).collect();
    let times: Vec<f64> = (0..60).map(|i| 0.5 + 0.5 * f64::from(i)).collect();
    let waltz = TrackReading { beats: barred(&times, &ones), ..track() };
    assert_eq!((waltz.metre(), ones[4], ones[5]), (3, 6.5, 8.5));
    waltz
}

/// Beats within a range and their places in their bars.
fn places(track: &TrackReading, within: std::ops::Range<f64>) -> Vec<(f64, u32)> {
    track.beats.iter().filter(|b| within.contains(&b.at)).map(|b| (b.at, b.beat)).collect()
}

#[test]
fn a_passage_that_is_set_again_leaves_the_bars_around_it() {
    let waltz = waltz();
    let taps: Vec<f64> = (0..12).map(|i| 12.02 + 0.5 * f64::from(i)).collect();
    for edit in [
        Edit::Beats(BeatEdit::Retempo { start: 12.0, end: 18.0, bpm: 121.0 }),
        Edit::Beats(BeatEdit::Taps { times: taps, snap: true }),
    ] {
        let again = over(&waltz, std::slice::from_ref(&edit));
        for around in [0.0..11.9, 18.1..33.0] {
            assert_eq!(places(&again, around.clone()), places(&waltz, around), "{edit:?}");
        }
        let within = places(&again, 12.0..17.5);
        assert!(within.windows(2).all(|w| w[1].1 == w[0].1 % 3 + 1), "{edit:?}: {within:?}");
        assert_eq!(within[0].1, 2, "the count goes on");
    }
}

#[test]
fn a_beat_more_or_less_changes_its_bar_and_no_other() {
    let waltz = waltz();
    let without = over(&waltz, &[Edit::Beats(BeatEdit::RemoveBeat { at: 8.0 })]);
    assert_eq!(places(&without, 6.5..9.0), [(6.5, 1), (7.0, 2), (7.5, 3), (8.5, 1)]);
    let with = over(&waltz, &[Edit::Beats(BeatEdit::AddBeat { at: 14.75, snap: false })]);
    let (from, to) = (14.5, 16.0);
    assert_eq!(places(&with, from..to), [(14.5, 1), (14.75, 2), (15.0, 3), (15.5, 4)]);
    for around in [0.0..6.5, 8.5..from, to..33.0] {
        assert_eq!(places(&without, around.clone()), places(&waltz, around.clone()));
        assert_eq!(places(&with, around.clone()), places(&waltz, around));
    }
    // Without its one a bar begins with what was its two; of the first bar an upbeat is left.
    assert_eq!(
        places(&over(&waltz, &[Edit::Beats(BeatEdit::RemoveBeat { at: 14.5 })]), 14.0..16.5),
        [(14.0, 3), (15.0, 1), (15.5, 2), (16.0, 1)]
    );
    assert_eq!(
        places(&over(&waltz, &[Edit::Beats(BeatEdit::RemoveBeat { at: 0.5 })]), 0.0..2.5),
        [(1.0, 2), (1.5, 3), (2.0, 1)]
    );
}

#[test]
fn beats_that_are_added_one_after_the_other_come_to_be_bars() {
    let short = TrackReading { beats: track().beats[8..24].to_vec(), ..track() };
    let add = |times: std::ops::Range<i32>| {
        times.map(|i| Edit::Beats(BeatEdit::AddBeat { at: 0.5 * f64::from(i) + 0.5, snap: false }))
    };
    let longer = over(&short, &add(24..34).chain(add(0..8).rev()).collect::<Vec<Edit>>());
    assert_eq!(places(&longer, 0.0..17.4), places(&track(), 0.0..17.4));
    let none = TrackReading { beats: Vec::new(), ..track() };
    assert_eq!(places(&over(&none, &add(3..9).collect::<Vec<Edit>>()), 0.0..33.0)[3..5], [(3.5, 4), (4.0, 1)]);
}

#[test]
fn the_one_is_moved_in_every_bar_and_each_becomes_two_when_doubled() {
    let waltz = waltz();
    let all = |by: f64| ones(&waltz).into_iter().map(|one| one + by).collect::<Vec<f64>>();
    assert_eq!(
        ones(&over(&waltz, &[Edit::Beats(BeatEdit::SetDownbeat { at: 12.5 })])),
        all(-0.5)[1..],
        "the nearest, a beat earlier"
    );
    assert_eq!(ones(&over(&waltz, &[Edit::Beats(BeatEdit::SetDownbeat { at: 13.5 })])), all(0.5));
    let doubled = over(&waltz, &[Edit::Beats(BeatEdit::Double)]);
    let wanted: Vec<f64> = ones(&waltz).windows(2).flat_map(|w| [w[0], (w[0] + w[1]) / 2.0]).collect();
    assert_eq!(ones(&doubled)[..wanted.len()], wanted);
}

#[test]
fn each_two_bars_become_one_when_halved_and_doubling_is_undone() {
    let waltz = waltz();
    assert_eq!(
        over(&waltz, &[Edit::Beats(BeatEdit::Double), Edit::Beats(BeatEdit::Halve)]).beats,
        over(&waltz, &[Edit::Beats(BeatEdit::SetDownbeat { at: 0.5 })]).beats
    );
    // Also where an upbeat becomes as long as a bar.
    let upbeat =
        TrackReading { beats: over(&waltz, &[Edit::Beats(BeatEdit::SetDownbeat { at: 1.5 })]).beats, ..waltz.clone() };
    assert_eq!(upbeat.beats[0].beat, 2);
    assert_eq!(over(&upbeat, &[Edit::Beats(BeatEdit::Double), Edit::Beats(BeatEdit::Halve)]).beats, upbeat.beats);
    let halved = over(&waltz, &[Edit::Beats(BeatEdit::Halve)]);
    let pairs: Vec<f64> = ones(&waltz).into_iter().step_by(2).collect();
    assert_eq!(ones(&halved), pairs);
    assert_eq!(places(&halved, 3.4..6.5), [(3.5, 1), (4.5, 2), (5.5, 3)]);
    assert_eq!(places(&halved, 6.5..11.0), [(6.5, 1), (7.5, 2), (8.5, 3), (10.0, 1)]);
    let upbeat = over(&waltz, &[Edit::Beats(BeatEdit::SetDownbeat { at: 1.0 }), Edit::Beats(BeatEdit::Halve)]);
    assert_eq!(upbeat.beats[0].at, 1.0, "half of an upbeat of one beat is none");
    let none = TrackReading { beats: Vec::new(), ..track() };
    assert!(over(&none, &[Edit::Beats(BeatEdit::Halve)]).beats.is_empty());
}

#[test]
fn a_backbeat_goes_with_its_beat_and_comes_back_with_it() {
    let clapped = TrackReading { backbeats: (0..32).map(|i| 1.0 + f64::from(i)).collect(), ..track() };
    let seen = |edits: &[Edit]| {
        let marks = edits.iter().fold(Marks::default(), |m, e| m.edited(&clapped, e).expect("an edit"));
        marks.over(&clapped).backbeats
    };
    assert_eq!(seen(&[Edit::Beats(BeatEdit::RemoveBeat { at: 3.0 })]).len(), 31);
    assert!(!seen(&[Edit::Beats(BeatEdit::RemoveBeat { at: 3.0 })]).contains(&3.0));
    // Every second beat is left: the ones and the threes, which nobody claps on.
    assert!(seen(&[Edit::Beats(BeatEdit::Halve)]).is_empty());
    assert_eq!(seen(&[Edit::Beats(BeatEdit::Halve), Edit::All(ResetEdit::StartOver)]), clapped.backbeats);
}

#[test]
fn what_asks_for_more_beats_than_can_be_told_apart_is_refused_before_it_is_reckoned() {
    let track = track();
    let refused = |edit: Edit| Marks::default().edited(&track, &edit).err();
    let retempo = |start, end| Edit::Beats(BeatEdit::Retempo { start, end, bpm: 120.0 });
    assert_eq!(refused(retempo(-1e15, 10.0)), Some(MarkError::Outside));
    assert_eq!(refused(retempo(1e15, 2e15)), Some(MarkError::Outside));
    assert_eq!(refused(retempo(5.0, 5.0)), Some(MarkError::Outside));
    let taps = (0..1_000_000).map(|i| f64::from(i) * 1e-3).collect();
    assert_eq!(refused(Edit::Beats(BeatEdit::Taps { times: taps, snap: true })), Some(MarkError::TooDense));
    // A held key doubles until nobody could tap along, and no further.
    let mut marks = Marks::default();
    let mut pressed = 0;
    let error = loop {
        match marks.edited(&track, &Edit::Beats(BeatEdit::Double)) {
            Ok(next) => (marks, pressed) = (next, pressed + 1),
            Err(error) => break error,
        }
        assert!(pressed < 10);
    };
    assert_eq!((error, pressed), (MarkError::TooDense, 2));
    for i in 0..MOST_CUES + 10 {
        let at = track.duration * i as f64 / (MOST_CUES + 10) as f64;
        marks = marks.edited(&track, &Edit::Cues(CueEdit::AddCue { at, kind: CueKind::Hit })).unwrap_or(marks);
    }
    let next = Edit::Cues(CueEdit::AddCue { at: 0.001, kind: CueKind::Break });
    assert_eq!(marks.edited(&track, &next).err(), Some(MarkError::TooManyCues));
}
