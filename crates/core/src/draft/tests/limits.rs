//! Numbers that no person would type, and drafts that were stored before there were limits.

use super::*;
use crate::draft::{LONGEST, MOST_SHOTS};

const EXTREMES: [i64; 12] =
    [0, 1, -1, 3, i32::MAX as i64, -(1 << 31), 1_000_000_000_000, -1_000_000_000_000, i64::MAX, i64::MIN, 999, -2000];

fn n() -> impl Strategy<Value = i64> {
    proptest::sample::select(&EXTREMES[..])
}

fn u() -> impl Strategy<Value = u64> {
    n().prop_map(i64::unsigned_abs)
}

fn origin() -> impl Strategy<Value = TimeFrom> {
    prop_oneof![
        Just(TimeFrom::Neighbour),
        Just(TimeFrom::Whole),
        n().prop_map(|end| TimeFrom::Section { end: FramePos::new(end) }),
    ]
}

fn extreme() -> impl Strategy<Value = Edit> {
    let s = || 0usize..5;
    let speed = || proptest::sample::select(vec![(0, 1), (20, 1), (-20, 1), (1, 20), (1, 1), (99_999, 100_000)]);
    let speed = move || speed().prop_map(|(n, d)| Speed::new(n, d).expect("a speed"));
    let keyframe = (n(), proptest::sample::select(vec![0u32, 1, 1000, u32::MAX]), speed());
    let keyframe = keyframe.prop_map(|(at, over, to)| SpeedKeyframe::new(at, over, to));
    let shift = FrameShift::new;
    prop_oneof![
        (s(), n()).prop_map(move |(p, by)| Edit::MoveCut { shot: at(p), by: shift(by) }),
        (s(), n(), origin()).prop_map(move |(p, by, from)| Edit::TrimEnd { shot: at(p), by: shift(by), from }),
        (s(), n(), origin()).prop_map(move |(p, by, from)| Edit::TrimStart { shot: at(p), by: shift(by), from }),
        (s(), n()).prop_map(move |(p, by)| Edit::Slip { shot: at(p), by: shift(by) }),
        (s(), n()).prop_map(move |(p, by)| Edit::Slide { shot: at(p), by: shift(by) }),
        (s(), u(), 200u128..220).prop_map(|(p, len, id)| Edit::Split {
            shot: at(p),
            at: FrameLen::new(len),
            second: ShotId::from_u128(id)
        }),
        (s(), origin()).prop_map(|(p, from)| Edit::Remove { shot: at(p), from }),
        (u(), 300u128..320, origin()).prop_map(|(len, id, from)| {
            let new = Shot { id: ShotId::from_u128(id), ..shot(len, 4000, (0, 1)) };
            Edit::Insert { new, before: None, from }
        }),
        (s(), u(), n()).prop_map(|(p, frame, s)| Edit::PutHit {
            shot: at(p),
            at: frame,
            hit: Seconds::new(s, 1).expect("seconds")
        }),
        (s(), speed()).prop_map(|(p, speed)| Edit::SetSpeed { shot: at(p), speed }),
        (s(), speed(), proptest::collection::vec(keyframe, 0..15)).prop_map(|(p, speed, keyframes)| Edit::SetTime {
            shot: at(p),
            start: None,
            speed,
            keyframes
        }),
        (s(), u(), u()).prop_map(|(p, frame, len)| Edit::Hold { shot: at(p), at: frame, len: FrameLen::new(len) }),
        (n(), u(), 400u128..420).prop_map(|(from, len, id)| Edit::PauseOver {
            from: FramePos::new(from),
            len: FrameLen::new(len),
            stop: Stop::Held,
            rest: ShotId::from_u128(id)
        }),
        (s(), u()).prop_map(|(p, len)| Edit::SetPause {
            shot: at(p),
            pause: Some(Pause { len: FrameLen::new(len), stop: Stop::Black, missing: FrameLen::new(0) })
        }),
        (n(), u(), 500u128..520).prop_map(|(from, len, id)| {
            let new = Shot { id: ShotId::from_u128(id), ..shot(len, 4000, (0, 1)) };
            Edit::Overwrite { from: FramePos::new(from), shots: vec![new], rest: ShotId::from_u128(id + 1000) }
        }),
        (n(), n(), any::<bool>()).prop_map(|(from, to, on)| Edit::Keep {
            from: FramePos::new(from),
            to: FramePos::new(to),
            on
        }),
    ]
}

proptest! {
    #[test]
    fn whatever_number_is_asked_for_the_draft_stays_within_its_limits(
        asked in proptest::collection::vec(prop_oneof![extreme(), edits()], 1..12)
    ) {
        let mut now = draft();
        for edit in &asked {
            let Ok(next) = now.apply(edit) else { continue };
            prop_assert!(next.len() <= LONGEST && next.shots().len() <= MOST_SHOTS);
            let clip = "25".parse().expect("a rate");
            let frames: usize = next.shots().iter().map(|s| frame_table(s, rate(), clip).len()).sum();
            prop_assert_eq!(frames as u64, next.len().get());
            now = next;
        }
    }

    #[test]
    fn what_a_shot_shows_lies_between_its_furthest_frames((speed, keyframes) in curve::keyframes(), len in 3u64..200) {
        let mut of = shot(len, 4000, (1, 1));
        (of.source.speed, of.source.keyframes) = (speed, keyframes);
        prop_assume!(of.source.course().check().is_ok());
        let instants: Vec<Seconds> = (0..=len as i64).map(|f| of.source.instant(f, rate())).collect();
        let (low, high) = (*instants.iter().min().expect("one"), *instants.iter().max().expect("one"));
        let (from, to) = of.range(rate());
        prop_assert_eq!(from, low);
        prop_assert_eq!(to, if low < high { high } else { low + rate().seconds_of(FrameLen::new(1)) });
    }
}

#[test]
fn a_held_shot_cannot_be_made_endless() {
    let held = draft().apply(&Edit::SetSpeed { shot: at(0), speed: Speed::HELD }).expect("held");
    let longer = |by| Edit::TrimEnd { shot: at(0), by: FrameShift::new(by), from: TimeFrom::Whole };
    assert_eq!(held.apply(&longer(1_000_000_000_000)), Err(DraftError::TooLong));
    assert_eq!(held.apply(&longer(1_000_000 - 114)).expect("just fits").len(), LONGEST);
    assert_eq!(held.apply(&longer(1_000_000 - 113)), Err(DraftError::TooLong));
}

#[test]
fn a_stored_draft_beyond_the_limit_is_read_and_can_be_made_shorter() {
    let held = draft().apply(&Edit::SetSpeed { shot: at(0), speed: Speed::HELD }).expect("held");
    let mut stored = serde_json::to_value(&held).expect("json");
    stored["shots"][0]["len"] = serde_json::json!(1_000_000_000_000_u64);
    let huge: Draft = serde_json::from_value(stored).expect("it can be read");
    assert_eq!(huge.within_limits(), Err(DraftError::TooLong));
    let back = Edit::TrimEnd { shot: at(0), by: FrameShift::new(48 - 1_000_000_000_000), from: TimeFrom::Whole };
    assert_eq!(huge.apply(&back).expect("shorter").len(), held.len());
}

#[test]
fn a_draft_has_no_more_shots_than_the_limit() {
    let many = |count: u128| {
        let shot = |id: u128| Shot { id: ShotId::from_u128(id), ..shot(3, 0, (0, 1)) };
        Draft::new(rate(), (0..count).map(shot).collect())
    };
    assert!(many(MOST_SHOTS as u128).is_ok());
    assert_eq!(many(MOST_SHOTS as u128 + 1), Err(DraftError::TooMany));
}

#[test]
fn what_a_person_changes_is_held_until_it_is_released() {
    let held = |draft: &Draft| draft.shots().iter().map(|s| s.held).collect::<Vec<_>>();
    let trimmed = draft()
        .apply(&Edit::TrimEnd { shot: at(1), by: FrameShift::new(-4), from: TimeFrom::Neighbour })
        .expect("trimmed");
    // The neighbour that takes the time was not meant.
    assert_eq!(held(&trimmed), [false, true, false, false]);
    let paused = trimmed
        .apply(&Edit::PauseOver {
            from: FramePos::new(40),
            len: FrameLen::new(8),
            stop: Stop::Black,
            rest: ShotId::from_u128(77),
        })
        .expect("paused");
    assert_eq!(held(&paused), [true, true, false, false]);
    let moved = paused.apply(&Edit::Move { shot: at(3), before: Some(at(2)) }).expect("moved");
    assert_eq!(held(&moved), [true, true, true, false]);
    let released = moved.apply(&Edit::Release { shot: at(1) }).expect("released");
    assert_eq!(held(&released), [true, false, true, false]);
    let opened =
        released.apply(&Edit::Keep { from: FramePos::new(0), to: FramePos::new(10), on: false }).expect("opened");
    assert_eq!(held(&opened), [false, false, true, false]);
    // An edit that changes nothing holds nothing.
    let same = draft().apply(&Edit::Slip { shot: at(0), by: FrameShift::new(0) }).expect("the same");
    assert_eq!(held(&same), [false; 4]);
}
