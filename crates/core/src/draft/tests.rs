use super::*;
use proptest::prelude::*;

mod curve;
mod limits;

fn rate() -> FrameRate {
    "24000/1001".parse().expect("a rate")
}

fn shot(len: u64, start_ms: i64, speed: (i64, i64)) -> Shot {
    Shot {
        id: ShotId::from_u128(u128::from(len)),
        len: FrameLen::new(len),
        source: Source {
            select: SelectId::from_u128(u128::from(len)),
            clip: ClipId::from_u128(7),
            start: Seconds::new(start_ms, 1000).expect("seconds"),
            speed: Speed::new(speed.0, speed.1).expect("speed"),
            keyframes: vec![],
            between: Between::Repeat,
            media: Seconds::new(10, 1).expect("seconds"),
        },
        hit_at: Some(len / 2),
        pause: None,
        pin: Pin::Open,
        held: false,
    }
}

/// The shot at a place of [`draft`]; behind its last one, a shot that is in none.
fn at(place: usize) -> ShotId {
    ShotId::from_u128([48, 24, 30, 12, 99][place])
}

fn draft() -> Draft {
    Draft::new(
        rate(),
        vec![shot(48, 1000, (1, 1)), shot(24, 2000, (1, 2)), shot(30, 3000, (2, 1)), shot(12, 500, (1, 1))],
    )
    .expect("valid")
}

/// As it would be had nobody edited it.
fn released(draft: Result<Draft, DraftError>) -> Draft {
    let mut draft = draft.expect("a draft");
    draft.shots.iter_mut().for_each(|s| s.held = false);
    draft
}

fn edits() -> impl Strategy<Value = Edit> {
    prop_oneof![
        (0usize..5, -40i64..40).prop_map(|(shot, by)| Edit::MoveCut { shot: at(shot), by: FrameShift::new(by) }),
        (0usize..5, -40i64..40).prop_map(|(shot, by)| Edit::Slip { shot: at(shot), by: FrameShift::new(by) }),
        (0usize..5, 0usize..4).prop_map(|(shot, pin)| Edit::Pin {
            shot: at(shot),
            pin: [Pin::Open, Pin::Place, Pin::Ends, Pin::Whole][pin]
        }),
        (0usize..5, 0i64..9000).prop_map(|(place, ms)| {
            let new = shot(20, ms, (1, 1));
            Edit::Replace { shot: at(place), source: new.source, hit_at: None }
        }),
        (0usize..5, -30i64..30, from()).prop_map(|(shot, by, from)| Edit::TrimEnd {
            shot: at(shot),
            by: FrameShift::new(by),
            from
        }),
        (0usize..5, -30i64..30, from()).prop_map(|(shot, by, from)| Edit::TrimStart {
            shot: at(shot),
            by: FrameShift::new(by),
            from
        }),
        (0usize..5, -30i64..30).prop_map(|(shot, by)| Edit::Slide { shot: at(shot), by: FrameShift::new(by) }),
        (0usize..5, 0u64..50, 200u128..220).prop_map(|(shot, len, second)| Edit::Split {
            shot: at(shot),
            at: FrameLen::new(len),
            second: ShotId::from_u128(second)
        }),
        (0usize..5).prop_map(|shot| Edit::Join { shot: at(shot) }),
        (0usize..5, from()).prop_map(|(shot, from)| Edit::Remove { shot: at(shot), from }),
        (0usize..5, 3u64..20, 300u128..320, from()).prop_map(|(place, len, id, from)| {
            let new = Shot { id: ShotId::from_u128(id), ..shot(len, 4000, (1, 1)) };
            Edit::Insert { new, before: (place < 4).then(|| at(place)), from }
        }),
        (0usize..5, 0usize..5).prop_map(|(a, b)| Edit::Exchange { shot: at(a), with: at(b) }),
        (0usize..5, 0usize..5).prop_map(|(a, b)| Edit::Move { shot: at(a), before: (b < 4).then(|| at(b)) }),
        (0usize..5, 0u64..40, 0i64..9000).prop_map(|(shot, frame, ms)| Edit::PutHit {
            shot: at(shot),
            at: frame,
            hit: Seconds::new(ms, 1000).expect("seconds")
        }),
        (0usize..5, 1i64..60).prop_map(|(shot, tenths)| Edit::SetSpeed {
            shot: at(shot),
            speed: Speed::new(tenths, 10).expect("a speed")
        }),
        (0usize..5, curve::keyframes(), 0i64..9000).prop_map(|(shot, (speed, keyframes), ms)| {
            let start = (ms > 4000).then(|| Seconds::new(ms, 1000).expect("seconds"));
            Edit::SetTime { shot: at(shot), start, speed, keyframes }
        }),
        (0usize..5).prop_map(|shot| Edit::Reverse { shot: at(shot) }),
        (0usize..5, 0u64..40, 0u64..20).prop_map(|(shot, frame, len)| Edit::Hold {
            shot: at(shot),
            at: frame,
            len: FrameLen::new(len)
        }),
        (0i64..130, 0u64..40, any::<bool>(), 400u128..420).prop_map(|(from, len, black, id)| Edit::PauseOver {
            from: FramePos::new(from),
            len: FrameLen::new(len),
            stop: if black { Stop::Black } else { Stop::Held },
            rest: ShotId::from_u128(id)
        }),
        (0usize..5, 0u64..20).prop_map(|(shot, len)| Edit::SetPause {
            shot: at(shot),
            pause: (len > 4).then(|| Pause { len: FrameLen::new(len), stop: Stop::Held, missing: FrameLen::new(0) })
        }),
        (0i64..120, 3u64..30, 3u64..30, 500u128..520).prop_map(|(from, one, two, id)| {
            let new = |len, id| Shot { id: ShotId::from_u128(id), ..shot(len, 4000, (1, 1)) };
            let shots = vec![new(one, id * 10), new(two, id * 10 + 1)];
            Edit::Overwrite { from: FramePos::new(from), shots, rest: ShotId::from_u128(id + 1000) }
        }),
        (0i64..114, 0i64..114, any::<bool>()).prop_map(|(from, to, on)| Edit::Keep {
            from: FramePos::new(from),
            to: FramePos::new(to),
            on
        }),
        (0usize..5, any::<i64>()).prop_map(|(shot, by)| Edit::MoveCut { shot: at(shot), by: FrameShift::new(by) }),
        (0usize..5, any::<i64>()).prop_map(|(shot, by)| Edit::Slip { shot: at(shot), by: FrameShift::new(by) }),
    ]
}

fn from() -> impl Strategy<Value = TimeFrom> {
    prop_oneof![
        Just(TimeFrom::Neighbour),
        Just(TimeFrom::Whole),
        (0i64..114).prop_map(|end| TimeFrom::Section { end: FramePos::new(end) }),
    ]
}

/// Whether an edit may change how long the piece is.
fn changes_the_length(edit: &Edit) -> bool {
    match edit {
        Edit::TrimEnd { from, .. }
        | Edit::TrimStart { from, .. }
        | Edit::Remove { from, .. }
        | Edit::Insert { from, .. } => *from == TimeFrom::Whole,
        _ => false,
    }
}

proptest! {
    #[test]
    fn whatever_is_edited_the_draft_stays_whole(edits in proptest::collection::vec(edits(), 1..60)) {
        let mut now = draft();
        for edit in edits {
            let Ok(next) = now.apply(&edit) else { continue };
            prop_assert!(changes_the_length(&edit) || next.len() == now.len(), "{edit:?}");
            prop_assert!(!next.is_empty());
            let mut at = FramePos::new(0);
            for (start, shot) in next.placed() {
                prop_assert_eq!(start, at, "gapless");
                at = at.end(shot.len).expect("small");
                prop_assert!(shot.pictures() >= SHORTEST && shot.pictures() <= shot.len);
                let (from, to) = shot.range(rate());
                prop_assert!(!from.is_negative() && from < to && to <= shot.source.media);
                prop_assert!(shot.hit_at.is_none_or(|hit| hit < shot.pictures().get()));
                let table = frame_table(shot, rate(), rate());
                prop_assert_eq!(table.len() as u64, shot.len.get());
            }
            // What a pin holds is where and what it was, unless it was the pin itself that changed.
            for (start, was) in now.placed().filter(|(_, s)| s.pin == Pin::Whole) {
                let is = next.placed().find(|(_, s)| s.id == was.id);
                prop_assert!(is.is_some_and(|(at, is)| at == start && (is.len, &is.source) == (was.len, &was.source)));
            }
            let text = serde_json::to_string(&next).expect("json");
            prop_assert_eq!(&serde_json::from_str::<Draft>(&text).expect("reads back"), &next);
            now = next;
        }
    }

    #[test]
    fn a_cut_moved_there_and_back_is_where_it_was(shot in 0usize..3, by in -8i64..8) {
        let there = draft().apply(&Edit::MoveCut { shot: at(shot), by: FrameShift::new(by) });
        if let Ok(there) = there {
            let back = there.apply(&Edit::MoveCut { shot: at(shot), by: FrameShift::new(-by) }).expect("back");
            let before = draft();
            for (a, b) in back.shots().iter().zip(before.shots()) {
                prop_assert_eq!((a.len, &a.source), (b.len, &b.source));
            }
        }
    }
}

#[test]
fn moving_a_cut_leaves_the_later_shots_hit_on_its_beat() {
    let before = draft();
    let after = before.apply(&Edit::MoveCut { shot: at(0), by: FrameShift::new(5) }).expect("room");
    let on_music = |d: &Draft| d.placed().nth(1).map(|(start, s)| start.get() + s.hit_at.expect("hit") as i64);
    assert_eq!(on_music(&before), on_music(&after));
    assert_eq!(after.shots()[0].len, FrameLen::new(53));
}

#[test]
fn what_cannot_be_done_is_said() {
    let d = draft();
    assert_eq!(d.apply(&Edit::MoveCut { shot: at(3), by: FrameShift::new(1) }), Err(DraftError::PieceEnds));
    assert_eq!(d.apply(&Edit::MoveCut { shot: at(2), by: FrameShift::new(10) }), Err(DraftError::Flash));
    assert_eq!(d.apply(&Edit::MoveCut { shot: at(4), by: FrameShift::new(1) }), Err(DraftError::NoShot));
    assert_eq!(d.apply(&Edit::Slip { shot: at(3), by: FrameShift::new(-13) }), Err(DraftError::ClipEnds));
    let pinned = d.apply(&Edit::Pin { shot: at(1), pin: Pin::Whole }).expect("pin");
    assert_eq!(pinned.apply(&Edit::Slip { shot: at(1), by: FrameShift::new(1) }), Err(DraftError::Pinned));
    // A pin holds both ends of its shot.
    for shot in [at(0), at(1)] {
        assert_eq!(pinned.apply(&Edit::MoveCut { shot, by: FrameShift::new(1) }), Err(DraftError::Pinned));
    }
    assert!(pinned.apply(&Edit::MoveCut { shot: at(2), by: FrameShift::new(1) }).is_ok());
}

#[test]
fn a_replacement_takes_the_place_and_keeps_the_length() {
    let d = draft();
    let new = shot(99, 4000, (1, 1));
    let edit = Edit::Replace { shot: at(1), source: new.source.clone(), hit_at: Some(7) };
    let after = d.apply(&edit).expect("it fits");
    let (was, is) = (&d.shots()[1], &after.shots()[1]);
    assert_eq!((is.id, is.len, &is.source, is.hit_at), (was.id, was.len, &new.source, Some(7)));
    assert_eq!(after.len(), d.len());
    let late = Edit::Replace { shot: at(1), source: shot(99, 9900, (1, 1)).source, hit_at: None };
    assert_eq!(d.apply(&late), Err(DraftError::ClipEnds), "a tenth of a second is not a second");
    let pinned = d.apply(&Edit::Pin { shot: at(1), pin: Pin::Whole }).expect("pinned");
    assert_eq!(pinned.apply(&edit), Err(DraftError::Pinned));
    let free = pinned.apply(&Edit::Pin { shot: at(1), pin: Pin::Open }).expect("unpinned");
    assert!(free.apply(&edit).is_ok());
}

#[test]
fn drafts_that_cannot_be_are_refused() {
    assert_eq!(Draft::new(rate(), vec![shot(2, 0, (1, 1))]), Err(DraftError::Flash));
    assert_eq!(Draft::new(rate(), vec![shot(48, 9000, (1, 1))]), Err(DraftError::ClipEnds));
    assert_eq!(Draft::new(rate(), vec![shot(240, 1000, (1, 1))]), Err(DraftError::ClipEnds));
    assert!(Draft::new(rate(), vec![shot(240, 1000, (1, 2))]).is_ok(), "half as fast uses half as much");
    assert!(Draft::new(rate(), vec![]).is_ok_and(|d| d.is_empty() && d.len() == FrameLen::new(0)));
    let twice = vec![shot(48, 0, (1, 1)), shot(48, 2000, (1, 1))];
    assert_eq!(Draft::new(rate(), twice), Err(DraftError::TwiceTheSame));
    // What is kept is read by the same door.
    let text = serde_json::to_string(&draft()).expect("json").replace("\"len\":12", "\"len\":2");
    assert!(serde_json::from_str::<Draft>(&text).is_err_and(|e| e.to_string().contains("flash")));
}

proptest! {
    /// Whatever the rates, speeds and edits: what can be made can be kept and read again.
    #[test]
    fn a_draft_at_any_rate_is_read_back_as_it_was(
        (num, den) in (1u32..1_000_000, 1u32..1002),
        speed in 1i64..20,
        edits in proptest::collection::vec(edits(), 0..20),
    ) {
        let Some(rate) = FrameRate::new(num, den) else { return Ok(()) };
        let hour = Seconds::new(36_000, 1).expect("seconds");
        let shots = [48, 24, 30, 12].map(|len| {
            let mut s = shot(len, 1000, (speed, 10));
            s.source.media = hour;
            s
        });
        let Ok(mut now) = Draft::new(rate, shots.to_vec()) else { return Ok(()) };
        for edit in edits {
            now = now.apply(&edit).unwrap_or(now);
            let text = serde_json::to_string(&now).expect("json");
            prop_assert_eq!(&serde_json::from_str::<Draft>(&text).expect("reads back"), &now);
        }
    }
}

#[test]
fn speeds_have_bounds() {
    for (num, den) in [(1, 0), (1, -2), (1, 21), (21, 1), (-21, 1), (i64::MIN, 1), (333_333, 1_000_003)] {
        assert_eq!(Speed::new(num, den), None, "{num}/{den}");
    }
    assert_eq!(Speed::new(2, 4), Speed::new(1, 2));
    assert_eq!(Speed::new(0, 7), Some(Speed::HELD));
    assert!(Speed::new(-1, 2).is_some_and(|s| s.is_backwards() && s.reversed() == Speed::new(1, 2).expect("half")));
    let third =
        Speed::fitting(Seconds::new(2, 1).expect("seconds"), Seconds::new(6, 1).expect("seconds")).expect("a third");
    assert!(third.to_f64() <= 1.0 / 3.0 && third.to_f64() > 0.3333);
    assert!(serde_json::from_str::<Speed>("\"1/0\"").is_err() && serde_json::from_str::<Speed>("\"fast\"").is_err());
    assert_eq!(serde_json::to_string(&Speed::NORMAL).expect("json"), "\"1/1\"");
}

/// Lengths of the shots, in their order.
#[test]
fn only_what_a_hand_or_a_pin_holds_stays() {
    let of = |held, pin| Shot { pin, held, ..draft().shots()[0].clone() };
    let stays = [of(false, Pin::Open), of(true, Pin::Open), of(false, Pin::Place), of(true, Pin::Whole)];
    assert_eq!(stays.map(|s| (s.stays(), s.pinned())), [(false, false), (true, false), (true, true), (true, true)]);
}

fn lens(draft: &Draft) -> Vec<u64> {
    draft.shots().iter().map(|s| s.len.get()).collect()
}

#[test]
fn the_time_of_an_edit_comes_from_where_it_is_said() {
    let d = draft();
    let longer = |from| d.apply(&Edit::TrimEnd { shot: at(0), by: FrameShift::new(6), from }).expect("room");
    assert_eq!(lens(&longer(TimeFrom::Neighbour)), [54, 18, 30, 12]);
    assert_eq!(lens(&longer(TimeFrom::Whole)), [54, 24, 30, 12]);
    // The section ends behind the third shot: that one gives, and the fourth still begins on its mark.
    let section = TimeFrom::Section { end: FramePos::new(102) };
    assert_eq!(lens(&longer(section)), [54, 24, 24, 12]);
    let pinned = d.apply(&Edit::Pin { shot: at(2), pin: Pin::Whole }).expect("pinned");
    let edit = Edit::TrimEnd { shot: at(0), by: FrameShift::new(6), from: section };
    assert_eq!(lens(&pinned.apply(&edit).expect("the second gives")), [54, 18, 30, 12]);
    let none = Edit::TrimEnd { shot: at(3), by: FrameShift::new(-2), from: section };
    assert_eq!(d.apply(&none), Err(DraftError::SectionFull));
    // Its beginning moves the cut before it, or closes up.
    let later = |from| d.apply(&Edit::TrimStart { shot: at(1), by: FrameShift::new(4), from }).expect("room");
    assert_eq!(lens(&later(TimeFrom::Neighbour)), [52, 20, 30, 12]);
    assert_eq!(lens(&later(TimeFrom::Whole)), [48, 20, 30, 12]);
}

#[test]
fn what_is_split_can_be_joined_again() {
    let d = draft();
    let second = ShotId::from_u128(500);
    let halves = d.apply(&Edit::Split { shot: at(0), at: FrameLen::new(20), second }).expect("split");
    assert_eq!(lens(&halves), [20, 28, 24, 30, 12]);
    // The hit stays on its picture, in the part that has it.
    assert_eq!((halves.shots()[0].hit_at, halves.shots()[1].hit_at), (None, Some(4)));
    assert_eq!(released(halves.apply(&Edit::Join { shot: at(0) })), d);
    assert_eq!(d.apply(&Edit::Join { shot: at(0) }), Err(DraftError::NotOnePiece));
    let flash = Edit::Split { shot: at(0), at: FrameLen::new(46), second };
    assert_eq!(d.apply(&flash), Err(DraftError::Flash));
}

#[test]
fn shots_come_and_go_and_change_places() {
    let d = draft();
    let new = Shot { id: ShotId::from_u128(600), ..shot(10, 5000, (1, 1)) };
    let insert = |from| d.apply(&Edit::Insert { new: new.clone(), before: Some(at(1)), from }).expect("room");
    assert_eq!(lens(&insert(TimeFrom::Neighbour)), [48, 10, 14, 30, 12]);
    assert_eq!(lens(&insert(TimeFrom::Whole)), [48, 10, 24, 30, 12]);
    assert_eq!(lens(&insert(TimeFrom::Section { end: FramePos::new(102) })), [48, 10, 24, 20, 12]);
    let last = d.apply(&Edit::Insert { new: new.clone(), before: None, from: TimeFrom::Neighbour });
    assert_eq!(last, Err(DraftError::Flash), "the last one would be two frames");
    let remove = |shot, from| d.apply(&Edit::Remove { shot, from });
    assert_eq!(lens(&remove(at(1), TimeFrom::Neighbour).expect("the first goes on")), [72, 30, 12]);
    assert_eq!(lens(&remove(at(0), TimeFrom::Neighbour).expect("the second begins sooner")), [72, 30, 12]);
    assert_eq!(lens(&remove(at(1), TimeFrom::Whole).expect("shorter")), [48, 30, 12]);
    assert_eq!(lens(&remove(at(0), TimeFrom::Section { end: FramePos::new(102) }).expect("the third")), [24, 78, 12]);
    let moved = d.apply(&Edit::Move { shot: at(0), before: None }).expect("moved");
    assert_eq!(lens(&moved), [24, 30, 12, 48]);
    let swapped = d.apply(&Edit::Exchange { shot: at(0), with: at(3) }).expect("exchanged");
    assert_eq!(lens(&swapped), lens(&d), "places stay as long as they are");
    assert_eq!((swapped.shots()[0].id, swapped.shots()[3].id), (at(3), at(0)));
    let slid = d.apply(&Edit::Slide { shot: at(1), by: FrameShift::new(5) }).expect("room");
    assert_eq!(lens(&slid), [53, 24, 25, 12]);
    assert_eq!(slid.shots()[1].source, d.shots()[1].source, "it keeps its pictures");
}

#[test]
fn shots_of_another_draft_are_put_over_what_is_there() {
    let d = draft();
    let new = |len: u64| Shot { id: ShotId::from_u128(u128::from(len) + 800), ..shot(len, 5000, (1, 1)) };
    let over = |from, shots: &[u64]| {
        let shots = shots.iter().map(|len| new(*len)).collect();
        d.apply(&Edit::Overwrite { from: FramePos::new(from), shots, rest: ShotId::from_u128(900) })
    };
    // In the place of one shot, over two and a part of each neighbour, amid one, and over the end.
    assert_eq!(lens(&over(48, &[24]).expect("room")), [48, 24, 30, 12]);
    assert_eq!(lens(&over(40, &[20, 44]).expect("room")), [40, 20, 44, 10]);
    let amid = over(10, &[12]).expect("room");
    assert_eq!(lens(&amid), [10, 12, 26, 24, 30, 12]);
    assert_eq!(amid.shots()[2].source.start, d.shots()[0].source.instant(22, rate()));
    assert_eq!(lens(&over(102, &[30]).expect("cut off")), [48, 24, 30, 12]);
    assert_eq!(over(1, &[12]), Err(DraftError::Flash), "one frame would be left of the first");
}

#[test]
fn a_hit_is_put_on_a_beat_and_stays_on_it_when_the_speed_changes() {
    let d = draft();
    let hit = Seconds::new(3, 1).expect("seconds");
    let put = d.apply(&Edit::PutHit { shot: at(0), at: 12, hit }).expect("room");
    assert_eq!(put.shots()[0].hit_at, Some(12));
    let at_hit = |d: &Draft| {
        let s = &d.shots()[0];
        s.source.start + rate().seconds_of(FrameLen::new(12)).scaled(s.source.speed.ratio())
    };
    assert!((at_hit(&put) - hit).to_f64().abs() < 1e-6);
    let slow = put.apply(&Edit::SetSpeed { shot: at(0), speed: Speed::new(1, 2).expect("half") }).expect("slower");
    assert_eq!(slow.shots()[0].hit_at, Some(12));
    assert!((at_hit(&slow) - hit).to_f64().abs() < 1e-6);
    let too_fast = Edit::SetSpeed { shot: at(0), speed: Speed::new(6, 1).expect("six times") };
    assert_eq!(put.apply(&too_fast), Err(DraftError::TooShort), "twelve seconds of ten");
    let early = Edit::PutHit { shot: at(0), at: 40, hit: Seconds::new(1, 1).expect("seconds") };
    assert_eq!(put.apply(&early), Err(DraftError::HitOutside));
}

proptest! {
    /// Against the plain way: what the clip shows at the beginning of each frame of the shot.
    #[test]
    fn the_frame_table_is_what_the_clip_shows(
        frames in 3u64..200, start in 0u64..200, speed in 1i64..40, which in 0usize..5
    ) {
        let clip: FrameRate = ["24000/1001", "25", "30000/1001", "50", "60000/1001"][which].parse().expect("a rate");
        let mut one = shot(frames, 0, (speed, 10));
        one.source.start = clip.seconds_at(FramePos::new(start as i64));
        let table = frame_table(&one, rate(), clip);
        prop_assert_eq!(table.len() as u64, frames);
        for (f, shown) in table.iter().enumerate() {
            let at = f as f64 / rate().to_f64() * speed as f64 / 10.0 * clip.to_f64();
            let plain = start as f64 + at;
            // Where a frame begins exactly there, floating point may fall on either side.
            let close = (plain - plain.round()).abs() < 1e-6;
            let shown = shown.frame.expect("a picture");
            prop_assert!(shown == plain.floor() as u64 || (close && shown == plain.round() as u64), "{} {}", plain, shown);
        }
    }
}
