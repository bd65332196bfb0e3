use super::*;
use proptest::prelude::*;

fn rate() -> FrameRate {
    "24000/1001".parse().expect("a rate")
}

fn shot(len: u64, start_ms: i64, speed: (i64, i64)) -> Shot {
    Shot {
        len: FrameLen(len),
        source: Source {
            select: Uuid::from_u128(u128::from(len)),
            clip: Uuid::from_u128(7),
            start: Seconds::new(start_ms, 1000).expect("seconds"),
            speed: Speed::new(speed.0, speed.1).expect("speed"),
            media: Seconds::new(10, 1).expect("seconds"),
        },
        hit_at: Some(len / 2),
        pinned: false,
        energy: 50.0,
        why: Vec::new(),
    }
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
        (0usize..5, -40i64..40).prop_map(|(shot, by)| Edit::MoveCut { shot, by: FrameShift(by) }),
        (0usize..5, -40i64..40).prop_map(|(shot, by)| Edit::Slip { shot, by: FrameShift(by) }),
        (0usize..5, any::<bool>()).prop_map(|(shot, on)| Edit::Pin { shot, on }),
        (0usize..5, 0i64..9000).prop_map(|(at, ms)| {
            let new = shot(20, ms, (1, 1));
            Edit::Replace { shot: at, source: new.source, hit_at: None, energy: 1.0, why: vec![] }
        }),
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
            let mut at = FramePos(0);
            for (start, shot) in next.placed() {
                prop_assert_eq!(start, at, "gapless");
                at = at.checked_add(shot.len).expect("small");
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
        let there = draft().apply(&Edit::MoveCut { shot, by: FrameShift(by) });
        if let Ok(there) = there {
            let back = there.apply(&Edit::MoveCut { shot, by: FrameShift(-by) }).expect("back");
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
    let after = before.apply(&Edit::MoveCut { shot: 0, by: FrameShift(5) }).expect("room");
    let on_music = |d: &Draft| d.start_of(1).expect("shot").0 + d.shots()[1].hit_at.expect("hit") as i64;
    assert_eq!(on_music(&before), on_music(&after));
    assert_eq!(after.shots()[0].len, FrameLen(53));
}

#[test]
fn what_cannot_be_done_is_said() {
    let d = draft();
    assert_eq!(d.apply(&Edit::MoveCut { shot: 3, by: FrameShift(1) }), Err(DraftError::PieceEnds));
    assert_eq!(d.apply(&Edit::MoveCut { shot: 2, by: FrameShift(10) }), Err(DraftError::Flash));
    assert_eq!(d.apply(&Edit::MoveCut { shot: 9, by: FrameShift(1) }), Err(DraftError::NoShot(9)));
    assert_eq!(d.apply(&Edit::Slip { shot: 3, by: FrameShift(-13) }), Err(DraftError::ClipEnds));
    let pinned = d.apply(&Edit::Pin { shot: 1, on: true }).expect("pin");
    assert_eq!(pinned.apply(&Edit::Slip { shot: 1, by: FrameShift(1) }), Err(DraftError::Pinned));
}
