//! What places and costs are to the last digit: a change of one is a change of every draft, and is looked at before it is kept.

use super::*;
use crate::arrange::fit::{Scale, Weights, fit, join};
use crate::footage::{Fault, FaultKind};
use crate::select::Role;
use std::fmt::Write;

fn line(slot: &Slot) -> String {
    let marks: Vec<String> = slot.marks.iter().map(|m| format!("{}:{}.{}", m.at, m.bar, m.beat)).collect();
    let wants = slot.wants.map_or("-", Role::word);
    let drop = if slot.on_drop { " drop" } else { "" };
    let (start, len, section) = (slot.start.get(), slot.len.get(), slot.section);
    format!("{start} +{len} {:.2} {}({section}){drop} {wants} [{}]", slot.energy, slot.kind.word(), marks.join(" "))
}

/// Music whose sections are louder here and softer there, one of them by hand, with a drop beside the grid.
fn uneven() -> TrackReading {
    let mut music = music();
    music.energy.values.iter_mut().enumerate().for_each(|(i, v)| *v = (*v + (i % 37) as f64 / 4.0).min(100.0));
    music.sections[1].energy = 70.0;
    music.sections[1].energy_manual = true;
    music.beats.retain(|b| b.at < 9.0 || b.at > 9.6);
    music.cues.push(Cue::new(8.02, CueKind::Drop, 0.5));
    music.cues.push(Cue::new(47.0, CueKind::End, 1.0));
    music
}

#[test]
fn the_places_of_each_pace() {
    let mut text = String::new();
    for (music, about) in [(music(), "even"), (uneven(), "uneven")] {
        for pace in [None, Some((4, false)), Some((8, true)), Some((1, true)), Some((32, false))] {
            let pace = pace.map(|(quarters, varied)| vec![Pace::new(quarters, varied).expect("a pace"); 4]);
            writeln!(text, "{about}, {pace:?}").expect("text");
            for slot in slots(&music, rate(), &pace.unwrap_or_default(), 1) {
                writeln!(text, "  {}", line(&slot)).expect("text");
            }
        }
    }
    insta::assert_snapshot!("places", text);
}

#[test]
fn places_divided_and_joined() {
    let mut text = String::new();
    let places = slots(&uneven(), rate(), &[Pace::new(8, false).expect("a pace"); 5], 1);
    for (slot, next) in places.iter().zip(&places[1..]) {
        let halves = slot.split().map_or("-".to_owned(), |(a, b)| format!("{} | {}", line(&a), line(&b)));
        writeln!(text, "{halves}\n  {}", line(&slot.joined(next))).expect("text");
    }
    // Without a beat in the middle, and with room for one shot only.
    let bare = |len: u64| Slot { marks: vec![], len: FrameLen::new(len), ..places[0].clone() };
    for len in (SHORTEST.get() * 4 - 1)..=(SHORTEST.get() * 4 + 1) {
        writeln!(text, "{len}: {:?}", bare(len).split().map(|(a, b)| (a.len.get(), b.len.get()))).expect("text");
    }
    insta::assert_snapshot!("divided", text);
}

#[test]
fn the_parts_that_are_offered_of_a_track() {
    let mut text = String::new();
    for (music, about) in [(music(), "even"), (uneven(), "uneven")] {
        for wanted in [5.0, 8.0, 12.0, 15.0, 20.0, 24.0, 30.0, 37.0, 44.0, 47.4, 47.6, 60.0] {
            writeln!(text, "{about}, {wanted} s: {:?}", propose_part(&music, Some(wanted))).expect("text");
        }
    }
    insta::assert_snapshot!("offered", text);
}

/// Selects of every verdict and role, some too short for long places, one of a clip that shakes.
fn various() -> Vec<Candidate> {
    let tiers = [Tier::Hero, Tier::Strong, Tier::Spare, Tier::Unread, Tier::Out];
    let roles = [None, Some(Role::Establishing), Some(Role::Action), Some(Role::Reveal), Some(Role::Closing)];
    let mut all = candidates(25);
    for (i, c) in all.iter_mut().enumerate() {
        (c.tier, c.role) = (tiers[i % 5], roles[i / 5]);
        let length = 0.8 + (i % 7) as f64 * 0.6;
        c.range = Range::new(secs(1.0), secs(1.0 + length), secs(1.0 + length * 0.45)).expect("a range");
        if i % 4 == 1 {
            c.faults = Arc::new(vec![Fault { start: 1.2, end: 2.0, kind: FaultKind::Shake }]);
        }
    }
    all
}

#[test]
fn the_cost_of_each_select_in_each_place() {
    let places = slots(&uneven(), rate(), &[], 1);
    let all = various();
    let scale = Scale::between(&all, &places);
    let mut text = String::new();
    for energy in [0.0, 10.0, 33.0, 50.0, 90.0, 100.0] {
        writeln!(text, "scale {energy}: {:.3} {:.3}", scale.of(energy), scale.back(energy)).expect("text");
    }
    for slot in places.iter().step_by(3) {
        writeln!(text, "{}", line(slot)).expect("text");
        for c in &all {
            let Some(fit) = fit(c, slot, rate(), scale, &Weights::default()) else { continue };
            let (s, k) = (&fit.showing, &fit.cost);
            writeln!(
                text,
                "  {} {:.3}-{:.3} ×{} hit {:?}: energy {:.3} tier {:.3} role {:.3} hit {:.3} range {:.3} = {:.3}",
                c.name,
                s.start.to_f64(),
                s.end.to_f64(),
                s.speed.to_f64(),
                s.hit_at,
                k.energy,
                k.tier,
                k.role,
                k.hit,
                k.range,
                k.total()
            )
            .expect("text");
        }
    }
    insta::assert_snapshot!("costs", text);
}

/// 25 and 55 of 100 frames are equally far from where a hit is liked best.
#[test]
fn of_two_beats_that_suit_a_hit_alike_it_lands_on_the_earlier() {
    let beat = |at| BeatMark { at, bar: 2, beat: 1 };
    let first = slots(&music(), rate(), &[], 1).remove(0);
    let slot = Slot { len: FrameLen::new(100), on_drop: false, marks: vec![beat(25), beat(55)], ..first };
    let range = Range::new(secs(0.5), secs(8.0), secs(3.0)).expect("a range");
    let select = Candidate { range, media: secs(8.5), ..candidates(1).remove(0) };
    let scale = Scale::between([&select], std::slice::from_ref(&slot));
    let fit = fit(&select, &slot, rate(), scale, &Weights::default()).expect("it fits");
    assert_eq!(fit.showing.hit_at, Some(25));
}

#[test]
fn the_cost_of_each_join() {
    let plain = candidates(1).remove(0);
    let framings = [None, Some(Framing::Wide), Some(Framing::Medium), Some(Framing::Close), Some(Framing::Detail)];
    let movements = [None, Some(Movement::Still), Some(Movement::Left), Some(Movement::Right), Some(Movement::Up)];
    let more = [Some(Movement::Down), Some(Movement::In), Some(Movement::Out)];
    let movements: Vec<_> = movements.into_iter().chain(more).collect();
    let of = |clip, framing, movement| Candidate { clip: ClipId::from_u128(clip), framing, movement, ..plain.clone() };
    let mut text = String::new();
    let cost = |a: &Candidate, b: &Candidate| join(a, b, &Weights::default());
    for a in framings {
        let row = framings.map(|b| format!("{:.2}", cost(&of(1, a, None), &of(2, b, None))));
        writeln!(text, "{a:?}: {}", row.join(" ")).expect("text");
    }
    for a in &movements {
        let row: Vec<String> =
            movements.iter().map(|b| format!("{:.2}", cost(&of(1, None, *a), &of(2, None, *b)))).collect();
        writeln!(text, "{a:?}: {}", row.join(" ")).expect("text");
    }
    writeln!(text, "one clip: {:.2}", cost(&of(1, None, None), &of(1, None, None))).expect("text");
    insta::assert_snapshot!("joins", text);
}

/// What was laid, what stands around it and what could stand instead, of a pool in which everything differs.
#[test]
fn a_draft_of_various_selects_with_its_reasons_and_alternates() {
    let pool = various();
    let places = slots(&uneven(), rate(), &[Pace::new(8, false).expect("a pace"); 5], 1);
    let arranger = Arranger::new(&pool, places, rate(), &[]).expect("a plan");
    let laid = arranger.solve(&mut ShotIds::seeded(3), 1).expect("laid");
    let mut text = String::new();
    let over = Arranger::over(&pool, slots_under(&laid.draft, &uneven()), rate());
    for ((at, shot), judged) in laid.draft.placed().zip(over.judge(&laid.draft)) {
        let name = pool.iter().find(|c| c.select == shot.source.select).map_or("?", |c| &c.name);
        let start = shot.source.start.to_f64();
        writeln!(
            text,
            "{} +{} {name} from {start:.3} ×{} {:?} {:.2} {:.2} {:.2}: {}",
            at.get(),
            shot.len.get(),
            shot.source.speed.to_f64(),
            shot.hit_at,
            judged.energy,
            judged.level,
            judged.wanted,
            words(&judged.why)
        )
        .expect("text");
        for a in over.alternates(&laid.draft, shot.id, 3) {
            let name = pool.iter().find(|c| c.select == a.select).map_or("?", |c| &c.name);
            writeln!(text, "    {name} {:.3} {}", a.gain.total(), words(&a.why)).expect("text");
        }
    }
    for need in needs(&slots(&uneven(), rate(), &[], 1), &pool, rate()) {
        writeln!(text, "{need:?}").expect("text");
    }
    insta::assert_snapshot!("various", text);
}
