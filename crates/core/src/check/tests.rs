use super::*;
use crate::arrange::slots_under;
use crate::draft::{Between, Pin, Shot, Source, Speed};
use crate::footage::{Fault, FaultKind};
use crate::id::{ClipId, SelectId};
use crate::time::{FrameRate, Seconds};
use crate::track::{Beat, Section, SectionKind, Trace, TrackReading};

fn rate() -> FrameRate {
    "25".parse().expect("a rate")
}

/// A shot with the energy of what it shows.
fn shot(select: u128, len: u64, energy: f64) -> (Shot, f64) {
    let shot = Shot {
        id: ShotId::from_u128(u128::from(len) * 1000 + energy as u128),
        len: FrameLen::new(len),
        source: Source::plain(
            SelectId::from_u128(select),
            ClipId::from_u128(select),
            Seconds::ZERO,
            Seconds::new(60, 1).expect("seconds"),
        ),
        hit_at: None,
        pause: None,
        pin: Pin::Open,
        held: false,
    };
    (shot, energy)
}

/// Eight seconds, quiet and then loud, with a beat each half second (12 or 13 frames).
fn music() -> TrackReading {
    let section = |start, end, kind, energy| Section::new(start, end, kind, energy);
    TrackReading {
        duration: 8.0,
        tempo_bpm: 120.0,
        beats: (0..16)
            .map(|i| Beat { at: f64::from(i) * 0.5, bar: i / 4 + 1, beat: i % 4 + 1, strength: 1.0 })
            .collect(),
        sections: vec![section(0.0, 4.0, SectionKind::Intro, 20.0), section(4.0, 8.0, SectionKind::Drop, 90.0)],
        cues: vec![],
        energy: Trace { step: 1.0, values: vec![20.0, 20.0, 20.0, 20.0, 90.0, 90.0, 90.0, 90.0] },
        ..TrackReading::default()
    }
}

fn beats() -> Vec<u64> {
    (0..16).map(|i| (f64::from(i) * 12.5).round() as u64).collect()
}

fn contexts(draft: &Draft, energies: &[f64], framings: &[Option<Framing>]) -> Vec<ShotContext> {
    slots_under(draft, &music())
        .iter()
        .enumerate()
        .map(|(i, slot)| ShotContext {
            name: format!("C{i}"),
            framing: framings.get(i).copied().flatten(),
            level: energies[i],
            wanted: slot.energy,
            ..ShotContext::default()
        })
        .collect()
}

fn looked_at(shots: Vec<(Shot, f64)>, framings: &[Option<Framing>]) -> (Draft, Vec<ShotContext>, Vec<Finding>) {
    let (shots, energies): (Vec<Shot>, Vec<f64>) = shots.into_iter().unzip();
    let draft = Draft::new(rate(), shots).expect("a draft");
    let contexts = contexts(&draft, &energies, framings);
    let found = check(&draft, &contexts, &beats(), FrameLen::new(200));
    (draft, contexts, found)
}

fn words(found: &[Finding]) -> Vec<&str> {
    found.iter().map(|f| f.words.as_str()).collect()
}

#[test]
fn a_clean_draft_has_nothing_to_be_said_about() {
    let (_, _, found) =
        looked_at(vec![shot(1, 100, 25.0), shot(2, 100, 85.0)], &[Some(Framing::Wide), Some(Framing::Close)]);
    assert_eq!(words(&found), Vec::<&str>::new());
}

#[test]
fn each_fault_is_found_and_leads_to_its_place() {
    let shots = vec![shot(1, 52, 25.0), shot(2, 48, 70.0), shot(1, 50, 85.0), shot(3, 48, 20.0)];
    let ids: Vec<ShotId> = shots.iter().map(|(s, _)| s.id).collect();
    let (_, _, found) = looked_at(shots, &[Some(Framing::Wide), Some(Framing::Wide), None, Some(Framing::Close)]);
    assert_eq!(
        words(&found),
        [
            "shot 2 is much livelier than the music",
            "shots 1 and 2 are both wide",
            "the cut to shot 2 is 2 frames off the beat",
            "2.0 s of C2 are shown twice: shots 1 and 3",
            "shot 4 is much calmer than the music",
            "pictures and music end 2 frames apart",
        ]
    );
    assert_eq!(found.iter().map(|f| f.frame).collect::<Vec<_>>(), [52, 52, 52, 100, 150, 198]);
    assert_eq!(found.iter().map(|f| f.shot).collect::<Vec<_>>(), [1, 1, 1, 2, 3, 3].map(|i| ids[i]));
}

#[test]
fn a_cut_far_from_any_beat_was_meant() {
    let (_, _, found) = looked_at(vec![shot(1, 106, 25.0), shot(2, 94, 85.0)], &[None, None]);
    assert!(!words(&found).iter().any(|w| w.contains("off the beat")), "{found:?}");
    // But it is not on its mark, and nobody says so.
    let cuts = |lens: &[u64]| {
        let shots = lens.iter().map(|len| shot(1, *len, 50.0).0).collect();
        cuts_on_beats(&Draft::new(rate(), shots).expect("a draft"), &beats())
    };
    assert_eq!(
        (cuts(&[106, 94]), cuts(&[100, 50, 51]), cuts(&[100, 53, 47]), cuts(&[200])),
        ((0, 1), (2, 2), (1, 2), (0, 0))
    );
}

#[test]
fn the_figures_are_those_of_the_shots() {
    let (draft, shots, _) = looked_at(vec![shot(1, 50, 10.0), shot(2, 50, 30.0), shot(3, 100, 95.0)], &[]);
    let figures = figures(&draft, &shots);
    assert_eq!((figures.shots, figures.shortest, figures.longest), (3, 50, 100));
    assert!((figures.average - 200.0 / 3.0).abs() < 1e-9);
    assert!(figures.agreement > 0.9, "{figures:?}");
    let (against, shots, _) = looked_at(vec![shot(1, 100, 95.0), shot(2, 100, 5.0)], &[]);
    assert!(super::figures(&against, &shots).agreement < -0.9);
}

#[test]
fn agreement_follows_its_definition() {
    let pairs = [(1.0, 2.0), (2.0, 1.0), (4.0, 3.0), (7.0, 9.0), (3.0, 3.0)];
    let n = pairs.len() as f64;
    let (ma, mb) = (pairs.iter().map(|p| p.0).sum::<f64>() / n, pairs.iter().map(|p| p.1).sum::<f64>() / n);
    let covariance: f64 = pairs.iter().map(|p| (p.0 - ma) * (p.1 - mb)).sum::<f64>() / n;
    let deviation =
        |of: fn(&(f64, f64)) -> f64, mean: f64| (pairs.iter().map(|p| (of(p) - mean).powi(2)).sum::<f64>() / n).sqrt();
    let wanted = covariance / (deviation(|p| p.0, ma) * deviation(|p| p.1, mb));
    assert!((correlation(&pairs) - wanted).abs() < 1e-12);
    assert_eq!(correlation(&[(1.0, 1.0)]), 0.0, "one pair agrees with nothing");
    assert_eq!(correlation(&[(1.0, 5.0), (1.0, 9.0)]), 0.0, "a flat line goes with nothing");
}

#[test]
fn what_a_shot_shows_and_how_it_plays_is_looked_through() {
    let (one, _) = shot(1, 100, 20.0);
    let seconds = |n, d| Seconds::new(n, d).expect("seconds");
    let about = ShotContext {
        name: "bell".into(),
        level: 20.0,
        wanted: 20.0,
        clip_rate: Some(rate()),
        range: Some(Range::new(seconds(1, 1), seconds(6, 1), seconds(2, 1)).expect("a range")),
        faults: Arc::new(vec![
            Fault { start: 3.5, end: 9.0, kind: FaultKind::Shake },
            Fault { start: 4.9, end: 9.0, kind: FaultKind::Soft },
        ]),
        ..ShotContext::default()
    };
    let found = |change: &dyn Fn(&mut Shot)| {
        let mut changed = one.clone();
        changed.source.start = seconds(1, 1);
        change(&mut changed);
        let draft = Draft::new(rate(), vec![changed]).expect("a draft");
        let found = check(&draft, std::slice::from_ref(&about), &[], draft.len());
        found.into_iter().map(|f| f.words).collect::<Vec<_>>()
    };
    assert_eq!(found(&|_| ()), ["shot 1 shakes for 1.5 s of what it shows"]);
    let before = found(&|s| s.source.start = seconds(0, 1));
    assert_eq!(before, ["shot 1 shows 1.0 s before its in", "shot 1 shakes for 0.5 s of what it shows"]);
    let beyond = found(&|s| s.source.start = seconds(3, 1));
    assert!(beyond.contains(&"shot 1 shows 1.0 s beyond its out".to_owned()), "{beyond:?}");
    let slow = |s: &mut Shot| s.source.speed = Speed::new(1, 2).expect("half");
    assert_eq!(found(&slow), ["shot 1 is slower than its frames allow: each is seen 2.0 times"]);
    let mixed = found(&|s| {
        slow(s);
        s.source.between = Between::Blend;
    });
    assert_eq!(mixed, Vec::<String>::new(), "frames in between fill it");
    let backwards = found(&|s| {
        s.source.start = seconds(5, 1);
        s.source.speed = Speed::new(-1, 1).expect("backwards");
    });
    assert_eq!(backwards[0], "shot 1 runs backwards through its hit: what falls, bursts or walks is seen to");
}

#[test]
fn what_runs_backwards_is_remarked_on_only_where_it_is_shown() {
    use crate::footage::{OneWay, OneWayKind};
    let seconds = |n, d| Seconds::new(n, d).expect("seconds");
    let found = |one_way: Option<(f64, f64)>, hit: i64, start: i64| {
        let (mut one, _) = shot(1, 100, 20.0);
        one.source.start = seconds(start, 1);
        one.source.speed = Speed::new(-1, 1).expect("backwards");
        let one_way = one_way.map(|(start, end)| OneWay { start, end, kind: OneWayKind::Falls });
        let about = ShotContext {
            range: Some(Range::new(seconds(0, 1), seconds(9, 1), seconds(hit, 1)).expect("a range")),
            one_way: one_way.into_iter().collect(),
            ..ShotContext::default()
        };
        let draft = Draft::new(rate(), vec![one]).expect("a draft");
        check(&draft, &[about], &[], draft.len()).into_iter().map(|f| f.words).collect::<Vec<_>>()
    };
    // It shows one to five seconds of the clip.
    let falls = found(Some((4.0, 4.5)), 3, 5);
    assert_eq!(falls, ["shot 1 runs backwards where something falls: it is seen to"], "once, not for the hit as well");
    let hit = ["shot 1 runs backwards through its hit: what falls, bursts or walks is seen to"];
    assert_eq!(found(None, 3, 5), hit);
    assert_eq!(found(Some((6.0, 7.0)), 3, 5), hit, "what is not shown is not seen");
    assert_eq!(found(Some((0.0, 1.0)), 3, 5), hit);
    let none = Vec::<String>::new();
    assert_eq!((found(None, 1, 5), found(None, 5, 5), found(None, 7, 5)), (none.clone(), none.clone(), none));
}

/// The rates are chosen at each side of every bound: a check that speaks later than it should fails here.
#[test]
fn slow_motion_is_remarked_on_from_the_first_repeated_frames_on() {
    let found = |num: i64, den: i64, clip: &str| {
        let (mut one, _) = shot(1, 100, 20.0);
        one.source.speed = Speed::new(num, den).expect("a speed");
        let draft = Draft::new(rate(), vec![one]).expect("a draft");
        let about = ShotContext { clip_rate: Some(clip.parse().expect("a rate")), ..ShotContext::default() };
        check(&draft, &[about], &[], draft.len()).into_iter().map(|f| f.words).collect::<Vec<_>>()
    };
    let none = Vec::<String>::new();
    assert_eq!(found(4, 5, "25"), ["shot 1 is slower than its frames allow: each is seen 1.2 times"]);
    assert_eq!(found(95, 100, "25"), ["shot 1 is slower than its frames allow: each is seen 1.1 times"]);
    assert_eq!(found(99, 100, "25"), none, "within what rates differ by");
    assert_eq!(found(1, 2, "50"), none, "each frame is seen once");
    assert_eq!(found(9, 20, "50"), ["shot 1 is slower than its frames allow: each is seen 1.1 times"]);
    assert_eq!(found(1, 1, "20"), none, "nobody slowed it down");
}

#[test]
fn one_frame_in_two_shots_is_already_shown_twice() {
    let found = |second_from: i64| {
        let (first, _) = shot(1, 50, 20.0);
        let (mut second, _) = shot(1, 40, 20.0);
        second.source.start = Seconds::new(second_from, 25).expect("seconds");
        let draft = Draft::new(rate(), vec![first, second]).expect("a draft");
        let about = || ShotContext { name: "bell".into(), ..ShotContext::default() };
        let found = check(&draft, &[about(), about()], &[], draft.len());
        found.into_iter().map(|f| f.words).filter(|w| w.contains("twice")).collect::<Vec<_>>()
    };
    assert_eq!(found(50), Vec::<String>::new(), "one goes on where the other ended");
    assert_eq!(found(49), ["0.0 s of bell are shown twice: shots 1 and 2"]);
    assert_eq!(found(40), ["0.4 s of bell are shown twice: shots 1 and 2"]);
    assert_eq!(found(0), ["1.6 s of bell are shown twice: shots 1 and 2"]);
}

/// Both bounds of a cut that misses its beat, and of a picture that misses the music.
#[test]
fn a_remark_begins_exactly_where_its_bound_is() {
    let off = |len: u64| {
        let (_, _, found) = looked_at(vec![shot(1, len, 20.0), shot(2, 200 - len, 90.0)], &[None, None]);
        found.into_iter().filter(|f| f.words.contains("off the beat")).count()
    };
    assert_eq!([100, 101, 103, 104].map(off), [0, 1, 1, 0]);
    let apart = |level: f64| {
        let (one, _) = shot(1, 100, 0.0);
        let draft = Draft::new(rate(), vec![one]).expect("a draft");
        let about = ShotContext { level, wanted: 50.0, ..ShotContext::default() };
        check(&draft, &[about], &[], draft.len()).into_iter().map(|f| f.words).collect::<Vec<_>>()
    };
    assert_eq!((apart(80.0), apart(20.0)), (vec![], vec![]));
    assert_eq!(apart(81.0), ["shot 1 is much livelier than the music"]);
    assert_eq!(apart(19.0), ["shot 1 is much calmer than the music"]);
}

/// What a repair does puts the finding right and finds nothing else.
#[test]
fn a_repair_puts_right_what_was_found() {
    use crate::draft::{Edit, TimeFrom};
    use crate::time::FrameShift;
    let done = |draft: &Draft, repair: Repair| {
        let edit = match repair {
            Repair::MoveCut { shot, by } => Edit::MoveCut { shot, by: FrameShift::new(by) },
            Repair::Slip { shot, by } => Edit::Slip { shot, by: FrameShift::new(by) },
            Repair::TrimEnd { shot, by, .. } => Edit::TrimEnd { shot, by: FrameShift::new(by), from: TimeFrom::Whole },
        };
        draft.apply(&edit).expect("the repair can be done")
    };
    let range = |start: i64, end: i64| {
        let at = |n| Seconds::new(n, 25).expect("seconds");
        Range::new(at(start), at(end), at(start)).expect("a range")
    };
    let about = |wanted| ShotContext {
        level: wanted,
        wanted,
        range: Some(range(0, 1500)),
        faults: Arc::new(vec![Fault { kind: FaultKind::Shake, start: 0.0, end: 1.0 }]),
        ..ShotContext::default()
    };
    let shots = vec![shot(1, 102, 20.0).0, shot(2, 96, 90.0).0];
    let mut draft = Draft::new(rate(), shots).expect("a draft");
    let look = |draft: &Draft| check(draft, &[about(20.0), about(90.0)], &beats(), FrameLen::new(200));
    let kinds = |found: &[Finding]| found.iter().map(|f| f.kind).collect::<Vec<_>>();
    assert_eq!(kinds(&look(&draft)), [FindingKind::Fault, FindingKind::Fault, FindingKind::OffBeat, FindingKind::Ends]);
    while let Some(repair) = look(&draft).into_iter().find_map(|f| f.repair) {
        draft = done(&draft, repair);
    }
    assert_eq!(look(&draft), []);
}
