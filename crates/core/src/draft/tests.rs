use super::*;
use proptest::prelude::*;

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
            media: Seconds::new(10, 1).expect("seconds"),
        },
        hit_at: Some(len / 2),
        pinned: false,
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

fn edits() -> impl Strategy<Value = Edit> {
    prop_oneof![
        (0usize..5, -40i64..40).prop_map(|(shot, by)| Edit::MoveCut { shot: at(shot), by: FrameShift::new(by) }),
        (0usize..5, -40i64..40).prop_map(|(shot, by)| Edit::Slip { shot: at(shot), by: FrameShift::new(by) }),
        (0usize..5, any::<bool>()).prop_map(|(shot, on)| Edit::Pin { shot: at(shot), on }),
        (0usize..5, 0i64..9000).prop_map(|(place, ms)| {
            let new = shot(20, ms, (1, 1));
            Edit::Replace { shot: at(place), source: new.source, hit_at: None }
        }),
        (0usize..5, any::<i64>()).prop_map(|(shot, by)| Edit::MoveCut { shot: at(shot), by: FrameShift::new(by) }),
        (0usize..5, any::<i64>()).prop_map(|(shot, by)| Edit::Slip { shot: at(shot), by: FrameShift::new(by) }),
    ]
}

proptest! {
    #[test]
    fn whatever_is_edited_the_draft_stays_whole(edits in proptest::collection::vec(edits(), 1..60)) {
        let mut now = draft();
        let total = now.len();
        for edit in edits {
            let Ok(next) = now.apply(&edit) else { continue };
            prop_assert_eq!(next.len(), total);
            let mut at = FramePos::new(0);
            for (start, shot) in next.placed() {
                prop_assert_eq!(start, at, "gapless");
                at = at.end(shot.len).expect("small");
                prop_assert!(shot.len >= SHORTEST);
                prop_assert!(!shot.source.start.is_negative());
                prop_assert!(shot.source_end(rate()) <= shot.source.media);
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
    let pinned = d.apply(&Edit::Pin { shot: at(1), on: true }).expect("pin");
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
    let pinned = d.apply(&Edit::Pin { shot: at(1), on: true }).expect("pinned");
    assert_eq!(pinned.apply(&edit), Err(DraftError::Pinned));
    let free = pinned.apply(&Edit::Pin { shot: at(1), on: false }).expect("unpinned");
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
    for (num, den) in [(0, 1), (1, 0), (-1, 2), (1, 21), (21, 1)] {
        assert_eq!(Speed::new(num, den), None, "{num}/{den}");
    }
    assert_eq!(Speed::new(2, 4), Speed::new(1, 2));
    assert!(serde_json::from_str::<Speed>("\"1/0\"").is_err() && serde_json::from_str::<Speed>("\"fast\"").is_err());
    assert_eq!(serde_json::to_string(&Speed::NORMAL).expect("json"), "\"1/1\"");
}
