//! Laying selects on music.

use criterion::{Criterion, criterion_group, criterion_main};
use legere_core::arrange::{Arranger, Candidate, slots, slots_under};
use legere_core::id::{ClipId, SelectId, ShotIds};
use legere_core::select::{Framing, Movement, Range, Tier};
use legere_core::time::{FrameRate, Seconds};
use legere_core::track::{Beat, Cue, CueKind, Section, SectionKind, Trace, TrackReading};

/// 45 s at 120 beats a minute.
fn music() -> TrackReading {
    let parts = [
        (0.0, 8.0, SectionKind::Intro, 20.0),
        (8.0, 18.0, SectionKind::Groove, 50.0),
        (18.0, 26.0, SectionKind::Build, 65.0),
        (26.0, 38.0, SectionKind::Drop, 92.0),
        (38.0, 45.0, SectionKind::Outro, 15.0),
    ];
    let energy = |t: f64| parts.iter().find(|p| t < p.1).map_or(0.0, |p| p.3);
    TrackReading {
        duration: 45.0,
        tempo_bpm: 120.0,
        beats: (0..90)
            .map(|i| Beat { at: f64::from(i) * 0.5, bar: i / 4 + 1, beat: i % 4 + 1, strength: 1.0 })
            .collect(),
        sections: parts.iter().map(|p| Section::new(p.0, p.1, p.2, p.3)).collect(),
        cues: vec![Cue::new(26.0, CueKind::Drop, 1.0)],
        energy: Trace { step: 0.1, values: (0..450).map(|i| energy(f64::from(i) / 10.0)).collect() },
        ..TrackReading::default()
    }
}

fn selects(n: u32) -> Vec<Candidate> {
    let s = Seconds::from_measured;
    (0..n)
        .map(|i| Candidate {
            select: SelectId::from_u128(u128::from(i) + 1),
            clip: ClipId::from_u128(u128::from(i) + 100_000),
            name: format!("C{i:03}"),
            range: Range::new(s(0.5), s(4.5), s(1.7)).expect("a range"),
            media: s(5.0),
            rate: "50".parse().expect("a rate"),
            tier: [Tier::Hero, Tier::Strong, Tier::Spare, Tier::Unread][i as usize % 4],
            energy: f64::from(i * 37 % 101),
            faults: std::sync::Arc::default(),
            trace: std::sync::Arc::default(),
            framing: Some([Framing::Wide, Framing::Close, Framing::Detail][i as usize % 3]),
            role: None,
            movement: Some([Movement::Left, Movement::Right, Movement::Still][i as usize * 7 % 3]),
            light: None,
            measured: legere_core::arrange::Measured::default(),
            set_up: None,
            recorded: None,
        })
        .collect()
}

fn benches(c: &mut Criterion) {
    let rate: FrameRate = "24000/1001".parse().expect("a rate");
    let reading = music();
    for n in [60, 1000] {
        let pool = selects(n);
        c.bench_function(&format!("arrange {n} selects in {} places", slots(&reading, rate, &[], 1).len()), |b| {
            b.iter(|| {
                Arranger::new(&pool, slots(&reading, rate, &[], 1), rate, &[])
                    .expect("a plan")
                    .solve(&mut ShotIds::seeded(1), 1)
                    .expect("a draft")
            });
        });
        let plan = Arranger::new(&pool, slots(&reading, rate, &[], 1), rate, &[]).expect("a plan");
        let laid = plan.solve(&mut ShotIds::seeded(1), 1).expect("a draft");
        let under = Arranger::over(&pool, slots_under(&laid.draft, &reading), rate);
        let shot = laid.draft.shots()[laid.draft.shots().len() / 2].id;
        c.bench_function(&format!("reasons and alternates of an edit, {n} selects"), |b| {
            b.iter(|| {
                (under.judge(&laid.draft), under.left_out(&laid.draft), under.alternates(&laid.draft, shot, 120))
            });
        });
    }
}

criterion_group! { name = all; config = Criterion::default().sample_size(10); targets = benches }
criterion_main!(all);
