use super::*;

fn secs(num: i64, den: i64) -> Seconds {
    Seconds::new(num, den).expect("seconds")
}

fn rate(text: &str) -> FrameRate {
    text.parse().expect("a rate")
}

fn event(clip: &str, source_in: Seconds, len: u64, speed: f64) -> Event {
    Event {
        clip: clip.into(),
        url: format!("../rolls/{clip}"),
        reel: reel_name("A001 C003"),
        clip_rate: rate("60000/1001"),
        clip_start: secs(3600, 1),
        clip_duration: secs(8, 1),
        source_in,
        speed,
        len: FrameLen(len),
        energy: 78.0,
        tier: "hero".into(),
        tags: vec!["framing:close".into()],
        note: "-1 stop?\nsecond line".into(),
        why: vec!["a hero for the drop".into()],
    }
}

fn cut() -> CutList {
    CutList {
        title: "The Long Hour, draft 1".into(),
        rate: rate("25"),
        events: vec![
            event("bell \"one\".mp4", secs(3, 2), 50, 1.0),
            event("=sparks.mp4", secs(1, 4), 12, 0.5),
            event("gears.mp4", Seconds::ZERO, 3, 1.0),
        ],
        music: Some(Music {
            name: "Escapement".into(),
            url: "../music/escapement.wav".into(),
            spans: vec![(secs(10, 1), secs(13, 5))],
            speed: 1.0,
            track_duration: secs(120, 1),
        }),
        markers: vec![Marker { frame: 50, name: "drop".into() }],
    }
}

#[test]
fn the_edit_decision_list_is_what_conforming_expects() {
    insta::assert_snapshot!(write_edl(&cut()), @r#"
    TITLE: The Long Hour, draft 1
    FCM: NON-DROP FRAME

    001  A001C003 V     C        01:00:01:13 01:00:03:13 00:00:00:00 00:00:02:00
    * FROM CLIP NAME: bell "one".mp4
    * COMMENT: -1 stop? second line
    002  A001C003 V     C        01:00:00:06 01:00:00:12 00:00:02:00 00:00:02:12
    M2   A001C003       012.5                01:00:00:06
    * FROM CLIP NAME: =sparks.mp4
    * COMMENT: -1 stop? second line
    003  A001C003 V     C        01:00:00:00 01:00:00:03 00:00:02:12 00:00:02:15
    * FROM CLIP NAME: gears.mp4
    * COMMENT: -1 stop? second line
    "#);
}

#[test]
fn what_is_written_reads_back() {
    let cut = cut();
    let events = read_edl(&write_edl(&cut), cut.rate).expect("an EDL");
    let clips = read_otio(&write_otio(&cut)).expect("a timeline");
    let rows = read_csv(&write_csv(&cut).expect("csv")).expect("rows");
    assert_eq!((events.len(), clips.len(), rows.len()), (3, 3, 3));
    for (i, (start, event)) in cut.placed().enumerate() {
        assert_eq!(events[i].record, (start, start + event.len.0));
        assert_eq!(events[i].source, cut.source_frames(event));
        assert_eq!(events[i].clip, event.clip);
        assert_eq!(
            (clips[i].name.as_str(), clips[i].len, clips[i].speed),
            (event.clip.as_str(), event.len.0, event.speed)
        );
        let wanted = (event.clip_start + event.source_in).to_f64() * 25.0;
        assert!((clips[i].source_start - wanted).abs() < 1e-6);
        assert_eq!((rows[i].frames, rows[i].tier.as_str()), (event.len.0, "hero"));
    }
    assert_eq!(rows[1].clip, "'=sparks.mp4", "no spreadsheet computes a file name");
}

#[test]
fn files_that_are_something_else_are_refused() {
    assert!(matches!(read_otio("{}"), Err(InterchangeError::Otio("a timeline"))));
    assert!(matches!(read_otio("no"), Err(InterchangeError::Json(_))));
    assert!(matches!(read_edl("TITLE: x\n001  AX V C 1 2 3 4", rate("25")), Err(InterchangeError::Edl { line: 2 })));
}

#[test]
fn the_timeline_as_others_read_it() {
    insta::assert_snapshot!("timeline", write_otio(&cut()));
}

mod any {
    use super::*;
    use proptest::prelude::*;

    fn text() -> impl Strategy<Value = String> {
        "[ -~äöü時\u{7}\"',;:]{0,24}"
    }

    fn events() -> impl Strategy<Value = Vec<Event>> {
        let one = (text(), text(), 0i64..200_000, 3u64..400, 1usize..4, 0usize..3).prop_map(
            |(name, note, start_ms, len, speed, rate_at)| Event {
                clip: format!("C{}.mp4", name.trim()),
                url: "rolls/clip.mp4".into(),
                reel: reel_name(&name),
                clip_rate: rate(["25", "24000/1001", "60000/1001"][rate_at]),
                clip_start: secs(3600, 1),
                clip_duration: secs(300, 1),
                source_in: secs(start_ms, 1000),
                speed: [1.0, 0.5, 0.8][speed - 1],
                len: FrameLen(len),
                energy: 50.0,
                tier: "strong".into(),
                tags: vec!["framing:close".into(), note.replace(',', " ")],
                note,
                why: vec!["a hero".into()],
            },
        );
        proptest::collection::vec(one, 1..12)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        #[test]
        fn any_cut_is_written_and_read_back(events in events(), title in text(), rate_at in 0usize..4) {
            let rate = rate(["25", "24000/1001", "30000/1001", "60000/1001"][rate_at]);
            let cut = CutList { title, rate, events, music: None, markers: vec![] };
            let total: u64 = cut.events.iter().map(|e| e.len.0).sum();
            let edl = read_edl(&write_edl(&cut), rate).expect("a list");
            let clips = read_otio(&write_otio(&cut)).expect("a timeline");
            let rows = read_csv(&write_csv(&cut).expect("csv")).expect("rows");
            prop_assert_eq!((edl.len(), clips.len(), rows.len()), (cut.events.len(), cut.events.len(), cut.events.len()));
            prop_assert_eq!(edl.last().map(|e| e.record.1), Some(total));
            prop_assert!(edl.windows(2).all(|w| w[0].record.1 == w[1].record.0), "gapless");
            for ((event, clip), row) in cut.events.iter().zip(&clips).zip(&rows) {
                prop_assert_eq!((clip.len, clip.speed, row.frames), (event.len.0, event.speed, event.len.0));
                prop_assert!(!row.note.starts_with(['=', '+', '-', '@']), "{}", row.note);
            }
            for event in &edl {
                prop_assert!(!event.reel.is_empty() && event.reel.len() <= 8);
                prop_assert!(event.reel.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit()));
                prop_assert!(event.source.1 > event.source.0);
            }
        }

        #[test]
        fn no_text_breaks_the_readers(text in "\\PC{0,200}") {
            let rate = rate("25");
            // Whatever comes, an answer or an error, never a panic.
            let _ = (read_edl(&text, rate), read_otio(&text), read_csv(&text));
        }
    }
}

#[test]
fn reel_names_fit_the_format() {
    for (name, reel) in [
        ("A001_C003.mp4", "A001C003"),
        ("gears", "GEARS"),
        ("a-very-long-name", "AVERYLON"),
        ("時計", "AX"),
        ("", "AX"),
        ("7", "7"),
    ] {
        assert_eq!(reel_name(name), reel, "{name}");
    }
}

#[test]
fn joined_and_stretched_music_is_written_span_by_span() {
    let mut list = cut();
    if let Some(music) = &mut list.music {
        music.spans = vec![(secs(10, 1), secs(1, 1)), (secs(40, 1), secs(8, 5))];
        music.speed = 1.25;
    }
    let otio: serde_json::Value = serde_json::from_str(&write_otio(&list)).expect("json");
    let tracks = otio["tracks"]["children"].as_array().expect("tracks");
    let clips = tracks[1]["children"].as_array().expect("clips");
    assert_eq!(clips.len(), 2);
    let value = |clip: usize, key: &str| clips[clip]["source_range"][key]["value"].as_f64().expect("a number");
    assert_eq!((value(0, "start_time"), value(0, "duration")), (250.0, 20.0));
    assert_eq!((value(1, "start_time"), value(1, "duration")), (1000.0, 32.0));
    assert_eq!(clips[1]["effects"][0]["time_scalar"], 1.25);
    assert_eq!(tracks[0]["children"].as_array().expect("shots").len(), 3, "the pictures are as they were");
}
