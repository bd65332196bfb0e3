//! What a person asks of a draft, and what a hand holds.

use super::*;
use crate::arrange::solve::Missing;
use crate::draft::{Draft, Stop};

fn briefed(pool: &[Candidate], brief: &Brief) -> Arrangement {
    let plan = Arranger::briefed(pool, slots(&music(), rate(), &[], 1), rate(), brief).expect("a plan");
    plan.solve(&mut ShotIds::seeded(2), 1).expect("arranged")
}

fn place_of(draft: &Draft, select: SelectId) -> Option<usize> {
    draft.shots().iter().position(|shot| shot.source.select == select)
}

#[test]
fn what_the_editor_chose_opens_and_closes_however_it_fits() {
    let pool = candidates(60);
    // The liveliest are the last that would open by themselves.
    let mut lively: Vec<&Candidate> = pool.iter().collect();
    lively.sort_by(|a, b| b.energy.total_cmp(&a.energy));
    let story = Story { opening: Some(lively[0].select), closing: Some(lively[1].select), orders: vec![] };
    let laid = briefed(&pool, &Brief { story, ..Brief::default() }).draft;
    assert_eq!(place_of(&laid, lively[0].select), Some(0));
    assert_eq!(place_of(&laid, lively[1].select), Some(laid.shots().len() - 1));

    // One that is shorter than the first place opens a shorter one.
    let mut short = pool.clone();
    short[7].range = Range::new(secs(1.0), secs(2.0), secs(1.5)).expect("a range");
    short[7].rate = "25".parse().expect("a rate");
    let story = Story { opening: Some(short[7].select), ..Story::default() };
    let laid = briefed(&short, &Brief { story, ..Brief::default() }).draft;
    assert_eq!(place_of(&laid, short[7].select), Some(0));
    assert!(rate().seconds_of(laid.shots()[0].len).to_f64() <= 1.0);
}

#[test]
fn what_comes_first_stands_first() {
    let pool = candidates(50);
    let plain = briefed(&pool, &Brief::default()).draft;
    let (first, last) = (plain.shots()[1].source.select, plain.shots()[plain.shots().len() - 2].source.select);
    let story = Story { orders: vec![(last, first)], ..Story::default() };
    let laid = briefed(&pool, &Brief { story, ..Brief::default() }).draft;
    match (place_of(&laid, last), place_of(&laid, first)) {
        (Some(a), Some(b)) => assert!(a < b, "{a} is not before {b}"),
        both => assert!(both.0.is_none() || both.1.is_none()),
    }
}

#[test]
fn a_chapter_shows_what_it_is_about() {
    let pool = candidates(80);
    let about: std::collections::BTreeSet<SelectId> = pool.iter().step_by(2).map(|c| c.select).collect();
    let chapter = Chapter { from: FramePos::new(190), to: FramePos::new(480), selects: about.clone() };
    let inside = |draft: &Draft| {
        let middles = draft.placed().map(|(at, shot)| (at.get() + shot.len.get() as i64 / 2, shot.source.select));
        middles.filter(|(at, _)| (190..480).contains(at)).map(|(_, select)| about.contains(&select)).collect::<Vec<_>>()
    };
    let without = inside(&briefed(&pool, &Brief::default()).draft);
    let with = inside(&briefed(&pool, &Brief { chapters: vec![chapter], ..Brief::default() }).draft);
    assert!(!without.iter().all(|of| *of), "by chance all are of the chapter");
    assert!(with.iter().all(|of| *of), "{with:?}");
}

#[test]
fn a_pin_holds_what_it_says_and_no_more() {
    let pool = candidates(60);
    let before = briefed(&pool, &Brief::default()).draft;
    let placed: Vec<(FramePos, Shot)> = before.placed().map(|(at, shot)| (at, shot.clone())).collect();
    let keep = |n: usize, hold: Hold| Kept { at: placed[n].0, shot: placed[n].1.clone(), hold };
    let kept = vec![keep(4, Hold::Ends), keep(8, Hold::Beginning), keep(11, Hold::Whole)];
    let brief = Brief { kept, ..Brief::default() };
    let places = slots(&music(), rate(), &[Pace::new(8, false).expect("a pace"); 5], 1);
    let plan = Arranger::briefed(&pool, places, rate(), &brief).expect("a plan").unlike(&before);
    let again = plan.solve(&mut ShotIds::seeded(3), 5).expect("arranged").draft;
    let found = |n: usize| again.placed().find(|(_, shot)| shot.id == placed[n].1.id).expect("the shot is there");
    let (at, ends) = found(4);
    assert_eq!((at, ends.len, ends.pin), (placed[4].0, placed[4].1.len, Pin::Ends));
    let (at, beginning) = found(8);
    assert_eq!((at, beginning.pin), (placed[8].0, Pin::Place));
    assert_eq!(found(11).1, &placed[11].1);
    assert_eq!(again.len(), before.len());
    assert_ne!(ends.source.select, placed[4].1.source.select, "what it shows was open");
}

/// Three selects of five seconds cannot fill 48: what is there is laid, the rest is black and said.
#[test]
fn too_little_is_laid_as_far_as_it_goes() {
    let mut pool = candidates(3);
    for c in &mut pool {
        c.rate = "24".parse().expect("a rate");
    }
    let laid = briefed(&pool, &Brief::default());
    let shown: Vec<SelectId> = laid.draft.shots().iter().map(|shot| shot.source.select).collect();
    assert_eq!(shown.iter().collect::<HashSet<_>>().len(), 3, "each once: {shown:?}");
    let whole: u64 = slots(&music(), rate(), &[], 1).iter().map(|slot| slot.len.get()).sum();
    assert_eq!(laid.draft.len().get(), whole, "the music goes on");
    let black: u64 = laid.missing.iter().map(|Missing { len, .. }| len.get()).sum();
    let paused: u64 = laid.draft.shots().iter().filter_map(|shot| shot.pause).map(|pause| pause.len.get()).sum();
    assert_eq!(black, paused);
    assert!(laid.draft.shots().iter().filter_map(|s| s.pause).all(|pause| pause.stop == Stop::Black));
    assert!(black as f64 > 0.6 * whole as f64, "{black} of {whole}");
}

/// What was put behind a held shot for want of anything better goes again once there is something.
#[test]
fn a_held_shot_is_not_longer_for_what_was_missing() {
    let pool = candidates(60);
    let whole = briefed(&pool, &Brief::default()).draft;
    let (at, shot) = whole.placed().nth(3).expect("a shot");
    let held = Shot { held: true, ..shot.clone() };
    let keep = |shot: Shot| Brief { kept: vec![Kept::whole(at, shot)], ..Brief::default() };
    let few: Vec<Candidate> =
        pool.iter().filter(|c| c.select == held.source.select).chain(&pool[..1]).cloned().collect();
    let laid = briefed(&few, &keep(held.clone()));
    assert!(!laid.missing.is_empty());
    let there = laid.draft.shots().iter().find(|s| s.id == held.id).expect("it is held");
    assert!(there.len > held.len && there.source == held.source, "the black is behind it");
    assert_eq!(there.without_missing(), held);
    let again = briefed(&pool, &keep(there.without_missing())).draft;
    assert_eq!(again.shots().iter().find(|s| s.id == held.id), Some(&held));
}

#[test]
fn wishes_change_what_is_laid() {
    let mut pool = candidates(70);
    for (n, c) in pool.iter_mut().enumerate() {
        c.recorded = Some((n * 53 % 70) as f64 * 60.0);
    }
    let at = |select: SelectId| pool.iter().find(|c| c.select == select).and_then(|c| c.recorded).expect("recorded");
    let backs = |draft: &Draft| {
        let times: Vec<f64> = draft.shots().iter().map(|shot| at(shot.source.select)).collect();
        times.windows(2).filter(|pair| pair[1] < pair[0]).count()
    };
    let wished = |wishes: Wishes| briefed(&pool, &Brief { weights: wishes.weights(), ..Brief::default() }).draft;
    let (plain, in_order) = (wished(Wishes::default()), wished(Wishes { order: true, ..Wishes::default() }));
    assert!(backs(&in_order) * 2 < backs(&plain), "{} of {}", backs(&in_order), backs(&plain));
    let alike = |draft: &Draft| {
        let framing = |shot: &Shot| pool.iter().find(|c| c.select == shot.source.select).and_then(|c| c.framing);
        draft.shots().windows(2).filter(|pair| framing(&pair[0]) == framing(&pair[1])).count()
    };
    let apart = wished(Wishes { framings: true, ..Wishes::default() });
    assert!(alike(&apart) <= alike(&plain), "{} of {}", alike(&apart), alike(&plain));
}

/// Where a cut a beat later lets the hit fall on a beat it goes there, and never off the marks.
#[test]
fn a_cut_moves_to_the_mark_beside_it_where_that_pays() {
    let mut pool = candidates(40);
    for (n, c) in pool.iter_mut().enumerate() {
        let hit = 0.6 + 0.07 * (n % 9) as f64;
        c.range = Range::new(secs(0.5), secs(2.6), secs(hit)).expect("a range");
    }
    let even = vec![Pace::new(4, true).expect("a pace"); 5];
    let places = || slots(&music(), rate(), &even, 3);
    let stiff = Weights { cadence: 20.0, ..Weights::default() };
    let laid = |weights: Weights| {
        let plan = Arranger::briefed(&pool, places(), rate(), &Brief { weights, ..Brief::default() }).expect("a plan");
        plan.solve(&mut ShotIds::seeded(1), 1).expect("arranged")
    };
    let (stays, moves) = (laid(stiff), laid(Weights { cadence: 0.02, ..Weights::default() }));
    let starts = |a: &Arrangement| a.slots.iter().map(|slot| slot.start.get()).collect::<Vec<_>>();
    assert_eq!(starts(&stays), places().iter().map(|slot| slot.start.get()).collect::<Vec<_>>());
    assert_ne!(starts(&moves), starts(&stays), "no cut was moved");
    assert!(moves.saved > 0.0 && stays.saved == 0.0);
    let beats: Vec<i64> = music().beats.iter().map(|b| rate().nearest(secs(b.at)).get()).collect();
    assert!(starts(&moves).iter().all(|at| beats.contains(at)));
    assert_eq!(moves.draft.len(), stays.draft.len());
}

#[test]
fn cuts_fall_on_what_is_asked_of_a_section() {
    let mut heard = music();
    heard.onsets = heard.beats.iter().map(|b| b.at).chain([8.9, 10.9, 13.1]).collect();
    heard.onsets.sort_by(f64::total_cmp);
    let on = |on: CutsOn| {
        let pace = vec![Pace::new(4, true).expect("a pace").on(on); 5];
        let drops = [0, rate().nearest(secs(28.0)).get()];
        let starts: Vec<i64> = slots(&heard, rate(), &pace, 1).iter().map(|slot| slot.start.get()).collect();
        let sections: Vec<i64> = heard.sections.iter().map(|s| rate().nearest(secs(s.start)).get()).collect();
        starts.into_iter().filter(|at| !drops.contains(at) && !sections.contains(at)).collect::<Vec<i64>>()
    };
    let beat = |at: i64| heard.beats.iter().find(|b| rate().nearest(secs(b.at)).get() == at).map(|b| b.beat);
    let backbeats = on(CutsOn::Backbeats);
    assert!(backbeats.len() > 8);
    assert!(backbeats.iter().all(|at| beat(*at).is_some_and(|b| b % 2 == 0)), "{backbeats:?}");
    let frames: Vec<i64> = heard.onsets.iter().map(|at| rate().nearest(secs(*at)).get()).collect();
    assert!(on(CutsOn::Onsets).iter().all(|at| frames.contains(at)));
}

#[test]
fn no_cut_lies_in_a_silence_and_none_beyond_four_bars() {
    let mut heard = music();
    heard.cues.push(Cue { lasts: Some(1.8), ..Cue::new(11.9, CueKind::Pause, 0.8) });
    let from = rate().nearest(secs(11.9)).get();
    let to = rate().nearest(secs(13.7)).get();
    for seed in 1..20 {
        let places = slots(&heard, rate(), &[Pace::new(1, false).expect("a pace"); 5], seed);
        assert!(places.iter().all(|slot| slot.start.get() <= from || slot.start.get() >= to));
        let four_bars = rate().nearest(secs(8.2)).get() as u64;
        let slow = slots(&heard, rate(), &[Pace::new(16, true).expect("a pace"); 5], seed);
        let asked = slow.iter().map(|slot| slot.len.get()).max();
        let usual = slots(&heard, rate(), &[Pace::new(8, true).expect("a pace"); 5], seed);
        assert!(usual.iter().all(|slot| slot.len.get() <= four_bars), "{asked:?}");
    }
}

#[test]
fn a_cut_on_the_action_is_one_and_said() {
    use super::super::fit::is_on_action;
    let len = FrameLen::new;
    assert!(is_on_action((Some(40), len(48)), (Some(0), len(24))));
    assert!(!is_on_action((Some(20), len(48)), (Some(0), len(24))), "the action was over long before");
    assert!(!is_on_action((Some(40), len(48)), (Some(12), len(24))), "nothing goes on behind the cut");
    assert!(!is_on_action((None, len(48)), (Some(0), len(24))));
    // Laid so, it is a reason, and costs less than the same two without it.
    let pool = candidates(40);
    let laid = briefed(&pool, &Brief::default()).draft;
    let mut shots = laid.shots().to_vec();
    let off = judged(&pool, &laid)[5].clone();
    shots[4].hit_at = Some(shots[4].len.get() - 1);
    shots[5].hit_at = Some(0);
    let on = judged(&pool, &Draft::new(rate(), shots).expect("a draft"))[5].clone();
    assert!(words(&on.why).contains("cut on the action of"), "{}", words(&on.why));
    assert!(!words(&off.why).contains("cut on the action") || on.cost.join <= off.cost.join);
}
