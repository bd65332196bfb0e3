//! Ramps, holds, backwards and pauses.

use super::*;

fn speed(percent: i64) -> Speed {
    Speed::new(percent, 100).expect("a speed")
}

fn keyframe(at: i64, over: u32, percent: i64) -> SpeedKeyframe {
    SpeedKeyframe::new(at, over, speed(percent))
}

/// A first speed and some keyframes, mostly such as can be.
pub fn keyframes() -> impl Strategy<Value = (Speed, Vec<SpeedKeyframe>)> {
    let percent = || prop_oneof![Just(0i64), 5i64..400, -300i64..-4, Just(100)];
    (percent(), proptest::collection::vec((-20i64..60, 0u32..20, percent()), 0..4)).prop_map(|(first, mut rest)| {
        rest.sort_by_key(|t| t.0);
        (speed(first), rest.into_iter().map(|(at, over, to)| keyframe(at, over, to)).collect())
    })
}

/// The draft's first shot with a time curve of its own.
fn curved(first: i64, keyframes: Vec<SpeedKeyframe>) -> Draft {
    let start = Some(Seconds::new(4, 1).expect("seconds"));
    draft().apply(&Edit::SetTime { shot: at(0), start, speed: speed(first), keyframes }).expect("it fits")
}

fn frames_of(shot: &Shot) -> Vec<u64> {
    frame_table(shot, rate(), rate()).iter().map(|s| s.frame.expect("a picture")).collect()
}

#[test]
fn a_ramp_goes_from_one_speed_to_another_with_eased_ends() {
    // Normal, from frame 10 on over 8 frames to three times as fast.
    let d = curved(100, vec![keyframe(10, 8, 300)]);
    let shown = frames_of(&d.shots()[0]);
    let steps: Vec<u64> = shown.windows(2).map(|w| w[1] - w[0]).collect();
    assert!(steps[..10].iter().all(|s| *s == 1), "{steps:?}");
    assert!(steps[18..].iter().all(|s| *s == 3), "{steps:?}");
    // An eased keyframe goes through as much as the mean of both speeds would.
    assert_eq!(shown[18] - shown[10], 16);
    assert!(steps[10..18].windows(2).all(|w| w[0] <= w[1] + 1), "faster and faster: {steps:?}");
    let course = d.shots()[0].source.course();
    assert!((course.speed_on(10) - 1.0).abs() < 0.1 && (course.speed_on(17) - 3.0).abs() < 0.1, "level at both ends");
}

/// Whatever way a clip ran before it stopped, the picture that stands is the next one of that way, never one seen before.
#[test]
fn a_clip_that_stands_still_stays_on_the_side_it_came_from() {
    for (way, before) in [(100i64, 1i64), (-100, -1)] {
        let d = curved(way, vec![keyframe(10, 0, 0)]);
        let shown: Vec<i64> = frames_of(&d.shots()[0]).iter().map(|k| *k as i64).collect();
        let steps: Vec<i64> = shown.windows(2).map(|w| w[1] - w[0]).collect();
        assert!(steps[..10].iter().all(|s| *s == before), "{way}: {steps:?}");
        assert!(steps[10..].iter().all(|s| *s == 0), "{way}: {steps:?}");
    }
    // A clip that stands from its first frame on, and then runs, stands as if it ran forwards.
    let d = curved(0, vec![keyframe(10, 0, 100)]);
    let shown = frames_of(&d.shots()[0]);
    assert_eq!(shown[10], shown[0]);
    assert_eq!(shown[11], shown[0] + 1);
}

/// A keyframe that is tied to the frame of the draft on which it begins.
fn on_beat(keyframe: SpeedKeyframe, start: i64) -> SpeedKeyframe {
    SpeedKeyframe { tied: Some(FramePos::new(start + keyframe.at)), ..keyframe }
}

#[test]
fn a_turn_on_a_beat_stays_on_it_when_its_shot_is_trimmed_or_moved() {
    // The second shot begins on frame 48 of the draft.
    let tied = on_beat(keyframe(12, 4, 200), 48);
    let keyframes = vec![keyframe(4, 2, 100), tied];
    let set = Edit::SetTime { shot: at(1), start: None, speed: speed(100), keyframes };
    let d = draft().apply(&set).expect("it fits");
    assert_eq!(d.placed().nth(1).map(|(at, _)| at.get()), Some(48));
    let turns_of = |d: &Draft| d.shots()[1].source.keyframes.iter().map(|t| t.at).collect::<Vec<_>>();
    let on_draft = |d: &Draft| {
        let (start, shot) = d.placed().nth(1).expect("the shot");
        start.get() + shot.source.keyframes.last().expect("the keyframe").at
    };
    // Trimmed at its beginning, the pictures move under the music; the keyframe does not.
    let trimmed =
        d.apply(&Edit::TrimStart { shot: at(1), by: FrameShift::new(3), from: TimeFrom::Whole }).expect("trimmed");
    assert_eq!((turns_of(&trimmed), on_draft(&trimmed)), (vec![1, 12], 60));
    // The shot before it becomes shorter: all of this one comes sooner.
    let sooner =
        d.apply(&Edit::TrimEnd { shot: at(0), by: FrameShift::new(-5), from: TimeFrom::Whole }).expect("trimmed");
    assert_eq!((turns_of(&sooner), on_draft(&sooner)), (vec![4, 17], 60));
    // The cut before it alone moves.
    let cut = d.apply(&Edit::MoveCut { shot: at(0), by: FrameShift::new(2) }).expect("moved");
    assert_eq!((turns_of(&cut), on_draft(&cut)), (vec![2, 10], 60));
    // What is laid before it pushes it off its beat, which lies in another shot then: it goes with its pictures from then on.
    let away = d.apply(&Edit::Move { shot: at(0), before: None }).expect("moved");
    let gone = away.shots().iter().find(|s| s.id == at(1)).expect("the shot");
    assert_eq!(gone.source.keyframes.last().map(|t| (t.at, t.tied)), Some((12, None)));
    // Cut in two and joined, it is as it was.
    let split = d.apply(&Edit::Split { shot: at(1), at: FrameLen::new(10), second: at(4) }).expect("split");
    assert_eq!(split.apply(&Edit::Join { shot: at(1) }).expect("joined").shots(), d.shots());
}

#[test]
fn a_held_frame_is_seen_so_many_frames_longer() {
    let d = draft().apply(&Edit::Hold { shot: at(0), at: 10, len: FrameLen::new(6) }).expect("held");
    let shown = frames_of(&d.shots()[0]);
    let first = shown[0];
    assert_eq!(
        shown[8..20].iter().map(|k| k - first).collect::<Vec<_>>(),
        [8, 9, 10, 10, 10, 10, 10, 10, 10, 11, 12, 13]
    );
    assert_eq!(lens(&d), lens(&draft()), "the shot stays as long as it is");
    // Its hit was on frame 24 and comes so much later.
    assert_eq!(d.shots()[0].hit_at, Some(30));
    let ramped = curved(100, vec![keyframe(10, 8, 300)]);
    let inside = Edit::Hold { shot: at(0), at: 12, len: FrameLen::new(6) };
    assert_eq!(ramped.apply(&inside), Err(DraftError::Keyframes), "not amid a keyframe");
}

#[test]
fn backwards_shows_the_same_frames_from_the_last_to_the_first() {
    for d in [draft(), curved(100, vec![keyframe(10, 8, 300), keyframe(25, 6, 50)])] {
        let there = frames_of(&d.shots()[0]);
        let back = d.apply(&Edit::Reverse { shot: at(0) }).expect("backwards");
        let mut seen = frames_of(&back.shots()[0]);
        seen.reverse();
        // A ramp may stand on the frame beside where it is halfway between two.
        assert!(there.iter().zip(&seen).all(|(a, b)| a.abs_diff(*b) <= 3), "{there:?} {seen:?}");
        assert_eq!(there.first(), seen.first());
        let again = back.apply(&Edit::Reverse { shot: at(0) });
        assert_eq!(released(again), released(Ok(d)), "twice is as it was");
    }
    let d = draft();
    let plain = d.apply(&Edit::Reverse { shot: at(0) }).expect("backwards");
    let mut seen = frames_of(&plain.shots()[0]);
    seen.reverse();
    assert_eq!(seen, frames_of(&d.shots()[0]));
    // The hit is on the same picture: 24 from the beginning is 23 from the end.
    assert_eq!(plain.shots()[0].hit_at, Some(23));
    assert_eq!(frames_of(&plain.shots()[0])[23], frames_of(&d.shots()[0])[24]);
}

#[test]
fn frames_in_between_lie_on_the_way_to_the_next() {
    let slow = draft().apply(&Edit::SetSpeed { shot: at(0), speed: speed(25) }).expect("slow");
    let mixed = slow.apply(&Edit::SetBetween { shot: at(0), between: Between::Blend }).expect("mixed");
    let table = frame_table(&mixed.shots()[0], rate(), rate());
    let first = table[0].frame.expect("a picture");
    let way: Vec<(u64, u8)> = table[..6].iter().map(|s| (s.frame.expect("a picture") - first, s.toward)).collect();
    assert_eq!(way, [(0, 0), (0, 64), (0, 128), (0, 192), (1, 0), (1, 64)]);
    let plain = frame_table(&slow.shots()[0], rate(), rate());
    assert!(plain.iter().all(|s| s.toward == 0), "only where it is wanted");
}

#[test]
fn a_pause_is_exactly_as_long_as_the_musics() {
    let d = draft();
    let over = |from, len| Edit::PauseOver {
        from: FramePos::new(from),
        len: FrameLen::new(len),
        stop: Stop::Black,
        rest: ShotId::from_u128(700),
    };
    // The first shot stops at 40; the second, which began at 48, begins behind the pause at 60.
    let paused = d.apply(&over(40, 20)).expect("room");
    assert_eq!(lens(&paused), [60, 12, 30, 12]);
    assert_eq!(paused.shots()[0].pictures(), FrameLen::new(40));
    let table = frame_table(&paused.shots()[0], rate(), rate());
    assert!(table[..40].iter().all(|s| s.frame.is_some()) && table[40..].iter().all(|s| *s == Shown::BLACK));
    // What the pause covers wholly goes; what it lies within goes on behind it.
    assert_eq!(lens(&d.apply(&over(40, 40)).expect("over the second")), [80, 22, 12]);
    let amid = d.apply(&over(10, 8)).expect("amid the first");
    assert_eq!(lens(&amid), [18, 30, 24, 30, 12]);
    assert_eq!(amid.shots()[1].source.start, d.shots()[0].source.instant(18, rate()));
    assert_eq!(d.apply(&over(0, 8)), Err(DraftError::PauseFirst), "nothing is before it");
    assert_eq!(d.apply(&over(2, 8)), Err(DraftError::PauseFirst), "two frames are a flash");
    // It is held instead, made shorter, and taken out again.
    let held = Edit::SetPause {
        shot: at(0),
        pause: Some(Pause { len: FrameLen::new(5), stop: Stop::Held, missing: FrameLen::new(0) }),
    };
    let held = paused.apply(&held).expect("held");
    let table = frame_table(&held.shots()[0], rate(), rate());
    assert!(table[55..].iter().all(|s| *s == table[54]) && table[53] != table[54]);
    let out = held.apply(&Edit::SetPause { shot: at(0), pause: None }).expect("out");
    assert_eq!((lens(&out), out.shots()[0].pause), (lens(&paused), None));
    assert_eq!(d.apply(&Edit::SetPause { shot: at(0), pause: None }), Err(DraftError::NoPause));
    // The cut behind a pause makes the pause longer, and eats it before the pictures.
    let longer = paused.apply(&Edit::MoveCut { shot: at(0), by: FrameShift::new(4) }).expect("room");
    assert_eq!(longer.shots()[0].pause.map(|p| p.len.get()), Some(24));
}

#[test]
fn each_pin_holds_what_it_says() {
    let d = draft();
    let pinned = |pin| d.apply(&Edit::Pin { shot: at(1), pin }).expect("pinned");
    let slip = Edit::Slip { shot: at(1), by: FrameShift::new(2) };
    let end = Edit::MoveCut { shot: at(1), by: FrameShift::new(2) };
    let start = Edit::MoveCut { shot: at(0), by: FrameShift::new(2) };
    let earlier = Edit::TrimEnd { shot: at(0), by: FrameShift::new(4), from: TimeFrom::Whole };
    let new = Edit::Replace { shot: at(1), source: shot(24, 4000, (1, 1)).source, hit_at: None };
    let other = Edit::Replace { shot: at(1), source: shot(20, 4000, (1, 1)).source, hit_at: None };
    for (pin, wanted) in [
        (Pin::Open, [true, true, true, true, true, true]),
        (Pin::Place, [true, true, false, false, true, false]),
        (Pin::Ends, [true, false, false, false, true, true]),
        (Pin::Whole, [false, false, false, false, false, false]),
    ] {
        let draft = pinned(pin);
        let done = [&slip, &end, &start, &earlier, &new, &other].map(|edit| draft.apply(edit).is_ok());
        assert_eq!(done, wanted, "{pin:?}");
    }
    // A kept section is all pins.
    let keep = |on| Edit::Keep { from: FramePos::new(48), to: FramePos::new(102), on };
    let kept = d.apply(&keep(true)).expect("kept");
    let pins = |d: &Draft| d.shots().iter().map(|s| s.pin).collect::<Vec<_>>();
    assert_eq!(pins(&kept), [Pin::Open, Pin::Whole, Pin::Whole, Pin::Open]);
    assert_eq!(kept.apply(&keep(false)).expect("open again"), d);
}

#[test]
fn drafts_from_before_there_were_curves_are_read() {
    let text = serde_json::to_string(&draft()).expect("json");
    let old = text.replace("\"pin\":\"open\"", "\"pinned\":true").replace(",\"between\":\"repeat\"", "");
    assert!(!old.contains("between") && old.contains("pinned"), "{old}");
    let read: Draft = serde_json::from_str(&old).expect("it reads");
    assert!(read.shots().iter().all(|s| s.pin == Pin::Whole && s.source.keyframes.is_empty()));
}

proptest! {
    /// Against the slow way: the speed summed up in small steps.
    #[test]
    fn a_curve_goes_as_far_as_its_speeds_say((first, keyframes) in keyframes(), frame in -10i64..70) {
        let course = SpeedCurve { speed: first, keyframes: &keyframes };
        prop_assume!(course.check().is_ok());
        let speed_at = |t: f64| {
            let mut speed = first.to_f64();
            for keyframe in &keyframes {
                if t >= keyframe.end() as f64 {
                    speed = keyframe.to.to_f64();
                } else if t > keyframe.at as f64 {
                    let u = (t - keyframe.at as f64) / f64::from(keyframe.over);
                    return speed + (keyframe.to.to_f64() - speed) * (3.0 * u * u - 2.0 * u * u * u);
                }
            }
            speed
        };
        const STEPS: i64 = 200;
        let (from, to) = (frame.min(0), frame.max(0));
        let sum: f64 = (from * STEPS..to * STEPS).map(|i| speed_at((i as f64 + 0.5) / STEPS as f64)).sum::<f64>() / STEPS as f64;
        let slow = if frame < 0 { -sum } else { sum };
        let offset = course.source_offset(frame);
        let reported = *offset.numer() as f64 / *offset.denom() as f64;
        prop_assert!((reported - slow).abs() < 0.02, "{} {}", reported, slow);
    }

    /// Forwards no frame goes back, backwards none goes on, and both show what the slow way shows.
    #[test]
    fn ramps_are_monotone(
        (first, keyframes) in keyframes(), forwards in any::<bool>(), start in 2i64..8, which in 0usize..4
    ) {
        let one_way = |s: Speed| if s.is_backwards() == forwards { s.reversed() } else { s };
        let keyframes: Vec<SpeedKeyframe> = keyframes.iter().map(|t| SpeedKeyframe { to: one_way(t.to), ..*t }).collect();
        let mut one = shot(48, 0, (1, 1));
        one.source.start = Seconds::new(start, 1).expect("seconds");
        one.source.speed = one_way(first);
        one.source.keyframes = keyframes;
        let course = one.source.course();
        prop_assume!(course.check().is_ok());
        let (from, to) = one.range(rate());
        prop_assume!(!from.is_negative() && to.to_f64() < 100.0);
        let clip: FrameRate = ["24000/1001", "25", "50", "60000/1001"][which].parse().expect("a rate");
        let table: Vec<u64> = frame_table(&one, rate(), clip).iter().map(|s| s.frame.expect("a picture")).collect();
        let held = |w: &[u64]| w[0] == w[1];
        prop_assert!(table.windows(2).all(|w| held(w) || (w[0] < w[1]) == forwards), "{:?}", table);
        let begins = clip.nearest(one.source.start).get() as f64;
        for (f, shown) in table.iter().enumerate() {
            let offset = course.source_offset(f as i64);
            let at = begins + *offset.numer() as f64 / *offset.denom() as f64 * clip.to_f64() / rate().to_f64();
            let plain = if forwards { at.floor() } else { at.ceil() - 1.0 };
            let close = (at - at.round()).abs() < 1e-6;
            prop_assert!((*shown as f64 - plain).abs() < 0.5 || (close && (*shown as f64 - plain).abs() < 1.5));
        }
    }

    /// What is cut off a curve and given back is as it was.
    #[test]
    fn a_trimmed_curve_comes_back((first, keyframes) in keyframes(), by in 1i64..20) {
        let start = Some(Seconds::new(4, 1).expect("seconds"));
        let edit = Edit::SetTime { shot: at(1), start, speed: first, keyframes };
        let Ok(d) = draft().apply(&edit) else { return Ok(()) };
        let cut = |by| Edit::TrimStart { shot: at(1), by: FrameShift::new(by), from: TimeFrom::Neighbour };
        let Ok(there) = d.apply(&cut(by)) else { return Ok(()) };
        let back = there.apply(&cut(-by)).expect("it was there");
        prop_assert_eq!(&back.shots()[1].source, &d.shots()[1].source);
    }
}
