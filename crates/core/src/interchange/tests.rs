use super::*;
use crate::draft::Stop;

fn secs(num: i64, den: i64) -> Seconds {
    Seconds::new(num, den).expect("seconds")
}

fn rate(text: &str) -> FrameRate {
    text.parse().expect("a rate")
}

fn speed(num: i64, den: i64) -> Speed {
    Speed::new(num, den).expect("a speed")
}

fn event(clip: &str, source_in: Seconds, len: u64, speed: Speed) -> Event {
    Event {
        clip: clip.into(),
        url: format!("file:///rolls/{clip}"),
        reel: reel_name("A001 C003"),
        clip_rate: rate("60000/1001"),
        clip_start: Timecode { frames: 215_784, drop: true },
        clip_frames: 480,
        source_in,
        speed,
        keyframes: vec![],
        between: Between::Repeat,
        pause: None,
        len: FrameLen::new(len),
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
            event("bell \"one\".mp4", secs(3, 2), 50, Speed::NORMAL),
            event("=sparks.mp4", secs(1, 4), 12, speed(1, 2)),
            event("gears.mp4", Seconds::ZERO, 3, Speed::NORMAL),
        ],
        music: vec![Music {
            name: "Escapement".into(),
            url: "file:///music/escapement.wav".into(),
            spans: vec![(secs(10, 1), secs(13, 5))],
            speed: 1.0,
            track_duration: secs(120, 1),
            sample_rate: 44_100,
            ends: None,
        }],
        markers: vec![
            Marker { frame: 0, kind: MarkerKind::Bar, name: "bar 5".into() },
            Marker { frame: 13, kind: MarkerKind::Beat, name: "beat 5.2".into() },
            Marker { frame: 50, kind: MarkerKind::Cue, name: "drop".into() },
        ],
    }
}

#[test]
fn the_edit_decision_list_is_what_conforming_expects() {
    insta::assert_snapshot!(write_edl(&cut()), @r#"
    TITLE: The Long Hour, draft 1
    FCM: NON-DROP FRAME

    FCM: DROP FRAME
    001  A001C003 V     C        01:00:01;30 01:00:03;30 00:00:00:00 00:00:02:00
    * FROM CLIP NAME: bell "one".mp4
    * SOURCE RATE: 59.94
    * COMMENT: -1 stop? second line
    002  A001C003 V     C        01:00:00;15 01:00:00;29 00:00:02:00 00:00:02:12
    M2   A001C003       012.5                01:00:00;15
    * FROM CLIP NAME: =sparks.mp4
    * SOURCE RATE: 59.94
    * COMMENT: -1 stop? second line
    003  A001C003 V     C        01:00:00;00 01:00:00;07 00:00:02:12 00:00:02:15
    * FROM CLIP NAME: gears.mp4
    * SOURCE RATE: 59.94
    * COMMENT: -1 stop? second line
    FCM: NON-DROP FRAME
    004  MUSIC    A     C        00:00:10:00 00:00:12:15 00:00:00:00 00:00:02:15
    * FROM CLIP NAME: Escapement
    "#);
}

#[test]
fn what_is_written_reads_back() {
    let cut = cut();
    let events = read_edl(&write_edl(&cut), cut.rate).expect("an EDL");
    let clips = read_otio(&write_otio(&cut), "Video").expect("a timeline");
    let rows = read_csv(&write_csv(&cut).expect("csv")).expect("rows");
    assert_eq!((events.len(), clips.len(), rows.len()), (4, 3, 3));
    for (i, (start, event)) in cut.placed().enumerate() {
        assert_eq!((events[i].channel, events[i].record), (Channel::Video, (start, start + event.len.get())));
        assert_eq!(events[i].source, cut.source_timecodes(event));
        assert_eq!(events[i].clip, event.clip);
        assert_eq!((clips[i].name.as_str(), clips[i].speed), (event.clip.as_str(), event.speed.to_f64()));
        assert!((clips[i].lasts - event.len.get() as f64 / 25.0).abs() < 1e-9);
        let wanted = event.clip_start.frames + cut.source_frames(event).first;
        assert_eq!((clips[i].source_start, clips[i].source_rate), (wanted as f64, event.clip_rate.to_f64()));
        assert_eq!((rows[i].frames, rows[i].tier.as_str()), (event.len.get(), "hero"));
        assert_eq!((rows[i].source_in.clone(), rows[i].source_out.clone()), cut.source_timecodes(event));
    }
    assert_eq!((events[3].channel, events[3].record, events[3].clip.as_str()), (Channel::Audio, (0, 65), "Escapement"));
    assert_eq!(rows[1].clip, "'=sparks.mp4", "no spreadsheet computes a file name");
}

/// What an assistant editor would write down by hand.
#[test]
fn sources_count_in_their_own_frames_from_their_own_first_timecode() {
    // Clip's rate, its first timecode, cut in after so many of its frames, frames of the piece at the job's rate and speed;
    // source in and out.
    let table = [
        ("25", "09:34:59:00", 42, (25, "25"), (1, 1), "09:35:00:17", "09:35:01:17"),
        ("25", "09:34:59:00", 42, (24, "24000/1001"), (1, 1), "09:35:00:17", "09:35:01:17"),
        ("24000/1001", "01:00:00:00", 23, (24, "24000/1001"), (1, 1), "01:00:00:23", "01:00:01:23"),
        ("24000/1001", "01:00:00:00", 24, (30, "30000/1001"), (1, 1), "01:00:01:00", "01:00:02:00"),
        ("30000/1001", "01:00:59;20", 10, (30, "30000/1001"), (1, 1), "01:01:00;02", "01:01:01;02"),
        ("30000/1001", "01:00:59:20", 10, (30, "30000/1001"), (1, 1), "01:01:00:00", "01:01:01:00"),
        ("30000/1001", "01:00:00;00", 0, (24, "24000/1001"), (1, 2), "01:00:00;00", "01:00:00;15"),
        ("50", "10:00:00:00", 75, (25, "25"), (1, 1), "10:00:01:25", "10:00:02:25"),
        ("50", "10:00:00:00", 75, (25, "25"), (1, 2), "10:00:01:25", "10:00:02:00"),
        ("60000/1001", "01:00:59;58", 2, (24, "24000/1001"), (1, 1), "01:01:00;04", "01:01:01;04"),
        ("60000/1001", "01:00:59;58", 2, (30, "30000/1001"), (2, 1), "01:01:00;04", "01:01:02;04"),
        ("60", "23:59:59:30", 30, (25, "25"), (1, 1), "00:00:00:00", "00:00:01:00"),
        ("60", "00:00:00:00", 6, (24, "24000/1001"), (1, 1), "00:00:00:06", "00:00:01:06"),
    ];
    for (clip_rate, start, after, (frames, job_rate), (num, den), wanted_in, wanted_out) in table {
        let clip_rate = rate(clip_rate);
        let source_in = clip_rate.seconds_at(crate::time::FramePos::new(after));
        let event = Event {
            clip_rate,
            clip_start: Timecode::parse(start, clip_rate).expect("a timecode"),
            clip_frames: 10_000,
            ..event("x.mov", source_in, frames, speed(num, den))
        };
        let list = CutList { rate: rate(job_rate), events: vec![event], music: vec![], ..cut() };
        let wanted = (wanted_in.to_owned(), wanted_out.to_owned());
        assert_eq!(
            read_edl(&write_edl(&list), list.rate).expect("a list")[0].source,
            wanted,
            "{start} + {after} in {job_rate}"
        );
    }
}

#[test]
fn no_source_reaches_beyond_its_clip() {
    let at_the_end =
        Event { clip_frames: 100, clip_rate: rate("25"), ..event("x.mov", secs(301, 100), 25, Speed::NORMAL) };
    let list = CutList { events: vec![at_the_end], ..cut() };
    assert_eq!(list.source_frames(&list.events[0]), SourceFrames { first: 75, end: 100 });
}

#[test]
fn it_is_said_where_sources_begin_and_cease_to_drop_numbers() {
    let mut list = cut();
    list.events[1].clip_start = Timecode { frames: 0, drop: false };
    let text = write_edl(&list);
    let lines: Vec<&str> =
        text.lines().filter(|l| l.starts_with("FCM") || l.starts_with("00")).map(|l| &l[..4]).collect();
    assert_eq!(lines, ["FCM:", "FCM:", "001 ", "FCM:", "002 ", "FCM:", "003 ", "FCM:", "004 "]);
}

/// A frame held for ten frames, a jump to twice the speed, the way back, an eased ramp, black.
fn curved() -> CutList {
    let keyframe = |at, over, to| SpeedKeyframe::new(at, over, to);
    let plain = Event {
        clip_rate: rate("25"),
        clip_start: Timecode { frames: 0, drop: false },
        ..event("bell.mov", secs(2, 1), 50, Speed::NORMAL)
    };
    let held = vec![keyframe(20, 0, Speed::HELD), keyframe(30, 0, speed(2, 1))];
    let events = vec![
        Event { keyframes: held, ..plain.clone() },
        Event { speed: speed(-1, 1), ..plain.clone() },
        Event { keyframes: vec![keyframe(10, 8, speed(3, 1))], between: Between::Blend, ..plain.clone() },
        Event { pause: Some(Pause { len: FrameLen::new(12), stop: Stop::Black, missing: FrameLen::new(0) }), ..plain },
    ];
    CutList { events, music: vec![], markers: vec![], ..cut() }
}

#[test]
fn what_is_held_backwards_or_black_is_written_as_lists_know_it() {
    let list = curved();
    insta::assert_snapshot!("curved", write_edl(&list));
    let events = read_edl(&write_edl(&list), list.rate).expect("a list");
    let at = |fps: f64| Some(fps);
    let speeds: Vec<Option<f64>> = events.iter().map(|e| e.speed).collect();
    assert_eq!(speeds[..4], [None, at(0.0), at(50.0), at(-25.0)]);
    assert_eq!(events.last().map(|e| (e.reel.as_str(), e.record)), Some(("BL", (188, 200))));
    let clips = read_otio(&write_otio(&list), "Video").expect("a timeline");
    let speeds: Vec<f64> = clips.iter().map(|c| c.speed).collect();
    assert_eq!(speeds, [1.0, 0.0, 2.0, -1.0, 1.0, 2.0, 3.0, 1.0, 1.0], "an eased keyframe at its mean");
    assert!(clips.last().is_some_and(|c| c.black));
    // Backwards uses the two seconds before the instant that it begins at.
    assert_eq!((clips[3].source_start, clips[3].lasts), (0.0, 2.0));
    assert_eq!(list.unsaid(&list.events[2]).len(), 2, "the easing, and the frames in between");
    assert!(list.unsaid(&list.events[0]).is_empty());
}

#[test]
fn files_that_are_something_else_are_refused() {
    assert!(matches!(read_otio("{}", "Video"), Err(InterchangeError::Otio("a timeline"))));
    assert!(matches!(read_otio("no", "Video"), Err(InterchangeError::Json(_))));
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

    /// No keyframes and no pause, or some.
    fn keyframes() -> impl Strategy<Value = (Vec<SpeedKeyframe>, Option<Pause>)> {
        let keyframe =
            (1i64..10, prop_oneof![Just(0u32), 1u32..5], prop_oneof![Just(0i64), Just(-1), Just(1), Just(2)]);
        let keyframe = keyframe.prop_map(|(at, over, to)| vec![SpeedKeyframe::new(at, over, super::speed(to, 1))]);
        let pause = (1u64..8, any::<bool>()).prop_map(|(len, black)| {
            Some(Pause {
                len: FrameLen::new(len),
                stop: if black { Stop::Black } else { Stop::Held },
                missing: FrameLen::new(0),
            })
        });
        (prop_oneof![Just(vec![]), keyframe], prop_oneof![Just(None), pause])
    }

    fn events() -> impl Strategy<Value = Vec<Event>> {
        let one = (text(), text(), 20_000i64..200_000, 12u64..400, 1usize..5, 0usize..3, keyframes()).prop_map(
            |(name, note, start_ms, len, speed, rate_at, (keyframes, pause))| Event {
                clip: format!("C{}.mp4", name.trim()),
                url: "file:///rolls/clip.mp4".into(),
                reel: reel_name(&name),
                clip_rate: rate(["25", "24000/1001", "60000/1001"][rate_at]),
                clip_start: Timecode { frames: 90_000, drop: speed > 1 && rate_at == 2 },
                clip_frames: 20_000,
                source_in: secs(start_ms, 1000),
                speed: [Speed::NORMAL, super::speed(1, 2), super::speed(4, 5), super::speed(-1, 1)][speed - 1],
                keyframes,
                between: Between::Repeat,
                pause,
                len: FrameLen::new(len),
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
            let cut = CutList { title, rate, events, music: vec![], markers: vec![] };
            let total: u64 = cut.events.iter().map(|e| e.len.get()).sum();
            let edl = read_edl(&write_edl(&cut), rate).expect("a list");
            let clips = read_otio(&write_otio(&cut), "Video").expect("a timeline");
            let rows = read_csv(&write_csv(&cut).expect("csv")).expect("rows");
            let stretches: Vec<(usize, Stretch)> =
                cut.events.iter().enumerate().flat_map(|(i, e)| cut.stretches(e).into_iter().map(move |s| (i, s))).collect();
            prop_assert_eq!((edl.len(), clips.len(), rows.len()), (stretches.len(), stretches.len(), cut.events.len()));
            prop_assert_eq!(edl.last().map(|e| e.record.1), Some(total));
            prop_assert!(edl.windows(2).all(|w| w[0].record.1 == w[1].record.0), "gapless");
            for ((_, stretch), clip) in stretches.iter().zip(&clips) {
                prop_assert_eq!(clip.black, stretch.seen == Seen::Black);
                prop_assert!(clip.black || (clip.speed - stretch.speed).abs() < 1e-9, "{clip:?} {stretch:?}");
                prop_assert!((clip.lasts * rate.to_f64() - stretch.len.get() as f64).abs() < 1e-6);
            }
            for (i, event) in cut.events.iter().enumerate() {
                let of: u64 = stretches.iter().filter(|(at, _)| *at == i).map(|(_, s)| s.len.get()).sum();
                prop_assert_eq!(of, event.len.get(), "they last as long as the shot");
                if event.keyframes.is_empty() && event.pause.is_none() {
                    let (_, only) = stretches.iter().find(|(at, _)| *at == i).expect("one");
                    prop_assert_eq!(only.speed, event.speed.to_f64());
                }
            }
            for (event, row) in cut.events.iter().zip(&rows) {
                prop_assert_eq!(row.frames, event.len.get());
                for text in [&row.note, &row.tags, &row.clip] {
                    prop_assert!(!text.starts_with(['=', '+', '-', '@', '\t', '\r']), "{text}");
                }
            }
            for event in &edl {
                prop_assert!(!event.reel.is_empty() && event.reel.len() <= 8);
                prop_assert!(event.reel.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit()));
                prop_assert!(event.source.1 != event.source.0);
            }
        }

        #[test]
        fn no_text_breaks_the_readers(text in "\\PC{0,200}") {
            let rate = rate("25");
            // Whatever comes, an answer or an error, never a panic.
            let _ = (read_edl(&text, rate), read_otio(&text, "Video"), read_csv(&text));
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
    for music in &mut list.music {
        music.spans = vec![(secs(10, 1), secs(1, 1)), (secs(40, 1), secs(8, 5))];
        music.speed = 1.25;
    }
    let otio: serde_json::Value = serde_json::from_str(&write_otio(&list)).expect("json");
    let tracks = otio["tracks"]["children"].as_array().expect("tracks");
    let clips = tracks[1]["children"].as_array().expect("clips");
    assert_eq!(clips.len(), 2);
    let value = |clip: usize, key: &str| clips[clip]["source_range"][key]["value"].as_f64().expect("a number");
    // The piece lasts 2.6 s: 0.8 of it is the first second, 1.25 times as fast.
    assert_eq!((value(0, "start_time"), value(0, "duration")), (441_000.0, 35_280.0));
    assert_eq!((value(1, "start_time"), value(1, "duration")), (1_764_000.0, 56_448.0));
    assert_eq!(clips[1]["effects"][0]["time_scalar"], 1.25);
    assert_eq!(tracks[0]["children"].as_array().expect("shots").len(), 3, "the pictures are as they were");
}

#[test]
fn the_music_lasts_as_long_as_the_pictures_to_the_sample() {
    let music = |spans: &[(i64, i64)], speed| Music {
        spans: spans.iter().map(|(a, b)| (secs(*a, 100), secs(*b, 100))).collect(),
        speed,
        ..cut().music.remove(0)
    };
    let sum = |m: &Music, pictures| m.in_samples(pictures).iter().map(|s| s.1).sum::<i64>();
    for (spans, speed) in
        [(&[(0, 261)][..], 1.0), (&[(0, 130), (500, 130)][..], 1.0), (&[(10, 310), (900, 20)][..], 1.3)]
    {
        assert_eq!(sum(&music(spans, speed), secs(13, 5)), 44_100 * 13 / 5, "{spans:?}");
    }
    // Music that ends before the pictures is not drawn out.
    assert_eq!(sum(&music(&[(0, 100)], 1.0), secs(13, 5)), 44_100);
}
