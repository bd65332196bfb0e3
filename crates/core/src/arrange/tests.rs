use super::*;
use crate::draft::{SHORTEST, Shot};
use crate::time::{FrameLen, FramePos};
use crate::track::{Beat, Cue, CueKind, Section, SectionKind, Trace, TrackReading};
use proptest::prelude::*;
use std::collections::HashSet;

fn rate() -> FrameRate {
    "24000/1001".parse().expect("a rate")
}

fn secs(v: f64) -> Seconds {
    Seconds::from_measured(v)
}

/// 48 s at 120 bpm: intro, groove, build, drop, outro.
fn music() -> TrackReading {
    let parts = [
        (0.0, 8.0, SectionKind::Intro, 20.0),
        (8.0, 20.0, SectionKind::Groove, 50.0),
        (20.0, 28.0, SectionKind::Build, 65.0),
        (28.0, 40.0, SectionKind::Drop, 92.0),
        (40.0, 48.0, SectionKind::Outro, 15.0),
    ];
    let energy = |t: f64| parts.iter().find(|p| t < p.1).map_or(0.0, |p| p.3);
    TrackReading {
        duration: 48.0,
        tempo_bpm: 120.0,
        beats: (0..96)
            .map(|i| Beat { at: f64::from(i) * 0.5, bar: i / 4 + 1, beat: i % 4 + 1, strength: 1.0 })
            .collect(),
        sections: parts.iter().map(|p| Section { start: p.0, end: p.1, kind: p.2, energy: p.3 }).collect(),
        cues: vec![Cue { at: 28.0, kind: CueKind::Drop, strength: 0.9 }],
        energy: Trace { step: 0.1, values: (0..480).map(|i| energy(f64::from(i) / 10.0)).collect() },
    }
}

fn candidates(n: u32) -> Vec<Candidate> {
    (0..n)
        .map(|i| {
            let energy = f64::from(i * 37 % 100);
            Candidate {
                select: Uuid::from_u128(u128::from(i) + 1),
                clip: Uuid::from_u128(u128::from(i) + 1000),
                name: format!("C{i:03}"),
                range: Range::new(secs(0.5), secs(5.5), secs(2.0)).expect("range"),
                media: secs(6.0),
                rate: "50".parse().expect("rate"),
                tier: if energy > 90.0 { Tier::Hero } else { Tier::Strong },
                energy,
                framing: Some(["wide", "close", "detail"][i as usize % 3].to_owned()),
                role: None,
                movement: Some(["left", "right", "still"][i as usize % 3].to_owned()),
            }
        })
        .collect()
}

fn arranged(candidates: &[Candidate]) -> Arrangement {
    let slots = slots(&music(), rate(), &[]);
    Arranger::new(candidates, slots, rate(), &[]).expect("plan").solve().expect("arranged")
}

#[test]
fn slots_cover_the_music_without_a_gap() {
    let slots = slots(&music(), rate(), &[]);
    let total: u64 = slots.iter().map(|s| s.len.0).sum();
    assert_eq!(total, (48.0 * 24000.0 / 1001.0) as u64);
    assert!(slots.windows(2).all(|w| w[0].end() == w[1].start));
    let text: Vec<String> = slots
        .iter()
        .map(|s| {
            format!("{:>4} {:>3} {:<6} {:>3.0} {}", s.start.0, s.len.0, s.kind.word(), s.energy, s.wants.unwrap_or(""))
        })
        .collect();
    insta::assert_snapshot!("slots", text.join("\n"));
}

#[test]
fn shots_are_longest_where_the_music_breathes() {
    let slots = slots(&music(), rate(), &[]);
    let mean = |kind| {
        let lens: Vec<f64> = slots.iter().filter(|s| s.kind == kind).map(|s| s.len.0 as f64).collect();
        lens.iter().sum::<f64>() / lens.len() as f64
    };
    assert!(mean(SectionKind::Intro) > 1.5 * mean(SectionKind::Groove));
    assert!(mean(SectionKind::Groove) > 1.3 * mean(SectionKind::Drop));
    let drop: Vec<u64> = slots.iter().filter(|s| s.kind == SectionKind::Drop).map(|s| s.len.0 / 6).collect();
    assert!(drop.iter().collect::<HashSet<_>>().len() > 1, "no even beat: {drop:?}");
    let build: Vec<u64> = slots.iter().filter(|s| s.kind == SectionKind::Build).map(|s| s.len.0).collect();
    assert!(build[0] > *build.last().expect("slots"), "a build hurries: {build:?}");
}

#[test]
fn energy_follows_energy_and_a_hero_hits_the_drop() {
    let pool = candidates(60);
    let result = arranged(&pool);
    let figures = crate::check::figures(&result.draft, &result.slots);
    assert!(figures.agreement > 0.9, "{figures:?}");
    let drop = result.slots.iter().position(|s| s.on_drop).expect("a drop");
    let shot = &result.draft.shots()[drop];
    let hero = pool.iter().find(|c| c.select == shot.source.select).expect("known");
    assert_eq!(hero.tier, Tier::Hero);
    assert_eq!(shot.hit_at, Some(0), "the hit falls on the drop itself");
    assert!(shot.why.iter().any(|w| w == "a hero for the drop"), "{:?}", shot.why);
    // The frame that the hit falls on is the hit's own.
    for (shot, slot) in result.draft.shots().iter().zip(&result.slots) {
        let Some(at) = shot.hit_at else { continue };
        assert!(slot.marks.iter().any(|m| m.at == at), "on a beat");
        let shown = shot.source.start + rate().seconds_at(FramePos(at as i64));
        assert!((shown.to_f64() - 2.0).abs() < 0.5 / 23.976, "{shown:?}");
    }
}

#[test]
fn a_snapshot_of_a_proposal() {
    let pool = candidates(40);
    let result = arranged(&pool);
    let text: Vec<String> = result
        .draft
        .placed()
        .map(|(at, s)| {
            let c = pool.iter().find(|c| c.select == s.source.select).expect("known");
            format!("{:>4} {:>3} {} {:>3.0}  {}", at.0, s.len.0, c.name, s.energy, s.why.join("; "))
        })
        .collect();
    insta::assert_snapshot!("proposal", text.join("\n"));
}

#[test]
fn pinned_shots_stay_and_the_rest_is_laid_around_them() {
    let pool = candidates(60);
    let first = arranged(&pool);
    let keep: Vec<(FramePos, Shot)> = first
        .draft
        .placed()
        .enumerate()
        .filter(|(i, _)| [2, 3, 9].contains(i))
        .map(|(_, (at, s))| (at, Shot { pinned: true, ..s.clone() }))
        .collect();
    // Another pace, so that the slots do not fall on the pins by themselves.
    let pace = vec![Pace::new(16, false).expect("pace"); 5];
    let again =
        Arranger::new(&pool, slots(&music(), rate(), &pace), rate(), &keep).expect("plan").solve().expect("arranged");
    assert_eq!(again.draft.len(), first.draft.len());
    for (at, shot) in &keep {
        let found = again.draft.placed().find(|(start, _)| start == at).expect("still there").1;
        assert_eq!((&found.source, found.len, found.pinned), (&shot.source, shot.len, true));
    }
    let selects: HashSet<_> = again.draft.shots().iter().map(|s| s.source.select).collect();
    assert_eq!(selects.len(), again.draft.shots().len(), "nothing twice");
}

#[test]
fn fewer_selects_than_places_make_longer_shots() {
    let few = arranged(&candidates(12));
    assert_eq!(few.draft.shots().len(), 12);
    assert_eq!(few.draft.len(), arranged(&candidates(60)).draft.len());
}

#[test]
fn too_little_footage_is_said_in_seconds() {
    let slots = slots(&music(), rate(), &[]);
    assert_eq!(Arranger::new(&[], slots.clone(), rate(), &[]).err(), Some(ArrangeError::NoSelects));
    let pool = candidates(2);
    let error = Arranger::new(&pool, slots, rate(), &[]).and_then(|a| a.solve()).expect_err("12 s for 48 s");
    assert_eq!(error.to_string(), "the selects are too short for the music: 12 s of pictures for 48 s");
}

#[test]
fn alternates_are_ranked_and_never_in_the_draft_already() {
    let pool = candidates(60);
    let result = arranged(&pool);
    let plan = Arranger::over(&pool, result.slots.clone(), rate());
    let used: HashSet<_> = result.draft.shots().iter().map(|s| s.source.select).collect();
    let alternates = plan.alternates(&result.draft, 5, 6);
    assert_eq!(alternates.len(), 6);
    assert!(alternates.iter().all(|a| !used.contains(&a.select)));
    assert!(alternates.windows(2).all(|w| w[0].gain.total() >= w[1].gain.total()));
    // Nothing unused is better than what the solver chose.
    assert!(alternates[0].gain.total() <= 1e-6, "{:?}", alternates[0]);
}

#[test]
fn the_offered_part_has_the_drop_in_it_and_starts_on_a_bar() {
    let (start, end) = propose_part(&music(), Some(30.0));
    assert!((end - start - 30.0).abs() < 1e-9);
    assert!(start + 5.0 < 28.0 && end > 32.0, "{start} {end}");
    assert_eq!(start % 2.0, 0.0);
    assert_eq!(propose_part(&music(), None), (0.0, 48.0));
    assert_eq!(propose_part(&music(), Some(300.0)), (0.0, 48.0));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    #[test]
    fn whatever_the_pace_and_the_footage_the_draft_is_whole(
        n in 8u32..50, pace in proptest::collection::vec((0usize..6, any::<bool>()), 5), media in 3.0f64..20.0
    ) {
        let mut pool = candidates(n);
        for (i, c) in pool.iter_mut().enumerate() {
            c.media = secs(media + i as f64 % 3.0);
            c.range = Range::new(secs(0.2), secs(2.5), secs(1.0)).expect("range");
        }
        let pace: Vec<Pace> = pace.iter().map(|(q, v)| Pace::new(Pace::CHOICES[*q], *v).expect("pace")).collect();
        let slots = slots(&music(), rate(), &pace);
        let total: u64 = slots.iter().map(|s| s.len.0).sum();
        match Arranger::new(&pool, slots, rate(), &[]).and_then(|a| a.solve()) {
            Ok(result) => {
                prop_assert_eq!(result.draft.len(), FrameLen(total));
                prop_assert!(result.draft.shots().iter().all(|s| s.len >= SHORTEST));
                prop_assert!(result.draft.shots().iter().all(|s| s.source_end(rate()) <= s.source.media));
                let selects: HashSet<_> = result.draft.shots().iter().map(|s| s.source.select).collect();
                prop_assert_eq!(selects.len(), result.draft.shots().len());
            }
            Err(e) => prop_assert!(matches!(e, ArrangeError::TooLittle { .. }), "{e}"),
        }
    }
}
