//! The readings against what was drawn and played.

use crate::film::Film;
use crate::music::{Composed, compose, escapement, others, record};
use crate::plan::{Fault, Plan, long_hour};
use legere_analysis::evaluation::rank_correlation;
use legere_analysis::footage::{ClipReader, LONGER_SIDE, frame_bytes};
use legere_analysis::music::{Audio, READING_RATE, read_track};
use legere_core::footage::{ClipReading, ReadingSummary, is_soft_in_job, usual_in_job};
use legere_core::track::{CueKind, SectionKind, TrackReading};
use std::sync::OnceLock;

fn played() -> &'static (Composed, TrackReading) {
    static PLAYED: OnceLock<(Composed, TrackReading)> = OnceLock::new();
    PLAYED.get_or_init(|| {
        let composed = compose(&escapement());
        let samples = composed.mono(READING_RATE);
        let reading = read_track(Audio::mono(&samples)).expect("music");
        (composed, reading)
    })
}

#[test]
fn every_beat_of_the_demo_track_is_found_and_every_bar_line() {
    let (truth, reading) = played();
    for (i, at) in truth.beats.iter().enumerate() {
        let nearest =
            reading.beats.iter().min_by(|a, b| (a.at - at).abs().total_cmp(&(b.at - at).abs())).expect("beats");
        assert!((nearest.at - at).abs() < 0.035, "beat {i} at {at}: {nearest:?}");
        assert_eq!(nearest.beat as usize, i % 4 + 1, "beat {i} at {at}");
    }
    assert!((reading.tempo_bpm - 112.0).abs() < 0.5, "{}", reading.tempo_bpm);
}

#[test]
fn the_sections_and_the_drops_of_the_demo_track_are_found() {
    let (truth, reading) = played();
    let bar = 240.0 / 112.0;
    let list: Vec<_> =
        reading.sections.iter().map(|s| (s.kind.word(), (s.start / bar * 10.0).round() / 10.0, s.energy)).collect();
    for (at, kind) in &truth.sections {
        let near = reading.sections.iter().find(|s| (s.start - at).abs() <= bar);
        assert!(near.is_some_and(|s| s.kind == *kind), "{} at {at}: {list:?}", kind.word());
    }
    assert!(reading.sections.len() <= truth.sections.len() + 2, "{list:?}");
    let drops: Vec<f64> = reading.cues.iter().filter(|c| c.kind == CueKind::Drop).map(|c| c.at).collect();
    assert_eq!(drops.len(), truth.drops.len(), "{drops:?}");
    for (found, wanted) in drops.iter().zip(&truth.drops) {
        assert!((found - wanted).abs() < 0.05, "{found} {wanted}");
    }
    let energy = |kind| reading.sections.iter().find(|s| s.kind == kind).map_or(0.0, |s| s.energy);
    assert!(
        energy(SectionKind::Drop) > energy(SectionKind::Groove)
            && energy(SectionKind::Groove) > energy(SectionKind::Intro)
    );
}

#[test]
fn the_other_tracks_beat_where_they_were_played() {
    for score in others() {
        let truth = compose(&score);
        let samples = truth.mono(READING_RATE);
        let reading = read_track(Audio::mono(&samples)).expect("music");
        let right = truth.beats.iter().filter(|at| reading.beats.iter().any(|b| (b.at - **at).abs() < 0.035)).count();
        assert!(right * 100 >= truth.beats.len() * 98, "{}: {right} of {}", score.title, truth.beats.len());
        assert!((reading.tempo_bpm / score.bpm - 1.0).abs() < 0.01, "{}: {}", score.title, reading.tempo_bpm);
        for drop in &truth.drops {
            let found = reading.cues.iter().any(|c| c.kind == CueKind::Drop && (c.at - drop).abs() < 60.0 / score.bpm);
            assert!(found, "{}: the drop at {drop} in {:?}", score.title, reading.cues);
        }
    }
}

#[tokio::test]
async fn a_recorded_track_says_who_made_it_and_what_it_is_for() {
    let folder = tempfile::tempdir().expect("a folder");
    let [calm, _] = others();
    record(calm.clone(), folder.path()).await.expect("recorded");
    let probe = legere_media::probe::sound(&folder.path().join(calm.file)).await.expect("a track");
    assert_eq!(
        [probe.title, probe.artist, probe.genre, probe.mood, probe.theme].map(Option::unwrap_or_default),
        [calm.title, calm.artist, calm.genre, calm.mood, calm.theme].map(String::from)
    );
    assert_eq!(std::fs::read_dir(folder.path()).expect("a folder").count(), 1, "nothing half made stays");
}

/// Reads a plan's pictures without a file in between; every second frame of fast ones.
fn read(plan: &Plan) -> (ClipReading, f64) {
    let size = (LONGER_SIDE, LONGER_SIDE * 9 / 16);
    let mut film = Film::new(plan, size).expect("a size");
    let every = (plan.rate.to_f64() / 31.0).ceil().max(1.0) as u64;
    let (w, h) = if plan.portrait { (size.1, size.0) } else { size };
    let mut reader = ClipReader::new(w as usize, h as usize, plan.rate.to_f64() / every as f64);
    let frames = film.frames();
    for frame in (0..frames).step_by(every as usize) {
        let mut bytes: Vec<u8> = film
            .draw(frame)
            .chunks_exact(4)
            .map(|p| ((u32::from(p[0]) * 54 + u32::from(p[1]) * 183 + u32::from(p[2]) * 19) >> 8) as u8)
            .collect();
        // Without colour.
        bytes.resize(frame_bytes(w as usize, h as usize), 128);
        reader.push(&bytes).expect("a frame");
    }
    // The truth is weighed as energy is: bounded at each instant, with half the weight on the liveliest third.
    let mut steps: Vec<f64> = (1..40).map(|i| 1.0 - (-film.drawn_motion(i * (frames - 2) / 40) / 0.22).exp()).collect();
    steps.sort_by(|a, b| b.total_cmp(a));
    let mean = |v: &[f64]| v.iter().sum::<f64>() / v.len() as f64;
    let drawn = mean(&steps) + mean(&steps[..13]);
    (reader.finish().expect("frames"), drawn)
}

#[test]
fn energies_of_the_demo_clips_are_in_the_order_of_what_was_drawn() {
    in_the_order_of_what_was_drawn(7);
}

/// What energy is made of was weighed on the clips of the demo; these are others.
#[test]
fn energies_of_clips_that_nothing_was_fitted_on_are_in_order_too() {
    in_the_order_of_what_was_drawn(21);
}

fn in_the_order_of_what_was_drawn(seed: u64) {
    let plans: Vec<Plan> = long_hour(seed)
        .into_iter()
        .flat_map(|r| r.clips)
        // What no hand wanted is drawn but is no energy, and what cannot be seen has none.
        .filter(|p| matches!(p.fault, Fault::None | Fault::MissedFocus) && !p.is_endless())
        .collect();
    // One in four: drawing takes its time.
    let plans: Vec<Plan> = plans.into_iter().step_by(4).collect();
    let halves: Vec<&[Plan]> = plans.chunks(plans.len().div_ceil(2)).collect();
    let rows: Vec<(String, f64, f64)> = std::thread::scope(|scope| {
        let threads: Vec<_> = halves
            .iter()
            .map(|half| {
                scope.spawn(|| {
                    half.iter()
                        .map(|p| {
                            let (reading, drawn) = read(p);
                            (
                                format!(
                                    "{} {:?} {:?} near {} live {:.2} {:?}",
                                    p.file, p.subject, p.camera, p.near, p.liveliness, p.fault
                                ),
                                drawn,
                                reading.energy(0.0, reading.duration),
                            )
                        })
                        .collect::<Vec<_>>()
                })
            })
            .collect();
        threads.into_iter().flat_map(|t| t.join().expect("read")).collect()
    });
    let (drawn, energy): (Vec<f64>, Vec<f64>) = rows.iter().map(|r| (r.1, r.2)).unzip();
    let agreement = rank_correlation(&drawn, &energy);
    let mut sorted = rows;
    sorted.sort_by(|a, b| a.1.total_cmp(&b.1));
    let table: String = sorted.iter().map(|r| format!("{:.3} {:5.1} {}\n", r.1, r.2, r.0)).collect();
    assert!(agreement >= 0.85, "rank correlation {agreement:.3}\n{table}");
}

#[test]
fn hits_and_faults_are_where_they_were_drawn() {
    let plans: Vec<Plan> = long_hour(7).into_iter().flat_map(|r| r.clips).collect();
    let mut late = Vec::new();
    let bursts: Vec<&Plan> =
        plans.iter().filter(|p| p.hit.is_some() && matches!(p.fault, Fault::None)).take(12).collect();
    for plan in &bursts {
        let hit = plan.hit.expect("filtered");
        let (reading, _) = read(plan);
        if !reading.moments.iter().any(|m| (m.hit - hit).abs() < 0.15) {
            late.push(format!("{} {:?} drawn {hit:.2} read {:?}", plan.file, plan.subject, reading.moments));
        }
    }
    assert!(late.len() * 4 <= bursts.len(), "{late:#?}");
    for plan in plans.iter().filter(|p| matches!(p.fault, Fault::WobblyEnd(_))).take(3) {
        let (reading, _) = read(plan);
        let n = reading.samples.shake.len();
        let end = reading.samples.shake[n - 5..].iter().copied().fold(0.0, f32::max);
        assert!(end > 0.5, "{} {:?}", plan.file, reading.samples.shake);
        assert!(reading.moments[0].end < plan.seconds - 0.2, "{} {:?}", plan.file, reading.moments);
    }
}

#[test]
fn takes_that_missed_their_focus_are_soft_beside_the_others_and_no_other_is() {
    let plans: Vec<Plan> = long_hour(7).into_iter().flat_map(|r| r.clips).filter(|p| !p.is_endless()).collect();
    let usual = |p: &Plan| ReadingSummary::of(&read(p).0).sharpness;
    let sharp: Vec<f64> = plans.iter().filter(|p| p.fault == Fault::None).step_by(12).map(usual).collect();
    let missed: Vec<f64> = plans.iter().filter(|p| p.fault == Fault::MissedFocus).take(4).map(usual).collect();
    let job = usual_in_job(sharp.iter().chain(&missed).copied());
    assert!(missed.len() == 4 && missed.iter().all(|v| is_soft_in_job(*v, job)), "{missed:?} in a job of {job:?}");
    assert!(!sharp.iter().any(|v| is_soft_in_job(*v, job)), "{sharp:?} in a job of {job:?}");
}

#[test]
fn the_same_seed_draws_the_same_pictures() {
    let plans = long_hour(7);
    assert_eq!(plans, long_hour(7));
    assert!(plans.iter().map(|r| r.clips.len()).sum::<usize>() >= 240);
    let plan = &plans[2].clips[0];
    let frame = |n| Film::new(plan, (64, 36)).expect("size").draw(n).to_vec();
    assert_eq!(frame(40), frame(40));
    assert_ne!(frame(40), frame(70));
}

#[test]
fn an_endless_take_is_parted_where_something_else_begins() {
    let plan = long_hour(7).into_iter().flat_map(|r| r.clips).find(Plan::is_endless).expect("one");
    let (reading, _) = read(&plan);
    for turn in Plan::turns() {
        let near = reading.events.iter().flat_map(|e| [e.start, e.end]).any(|t| (t - turn).abs() < 2.0);
        assert!(near, "{turn}: {:?}", reading.events);
    }
    assert!(reading.events.len() <= Plan::turns().len() + 4, "{:?}", reading.events);
}

#[tokio::test]
async fn a_picture_says_when_it_was_taken() {
    let dir = tempfile::tempdir().expect("a folder");
    let rolls = long_hour(7);
    let plan = rolls.iter().flat_map(|r| &r.clips).find(|p| p.picture).expect("a picture");
    let file = dir.path().join(&plan.file);
    crate::film::picture(plan, &file).await.expect("drawn");
    let probe = legere_media::probe::picture(&file, 5.0, plan.rate).await.expect("a picture");
    assert_eq!(probe.recorded_at, Some(plan.recorded_at));
    assert_eq!((probe.width, probe.height), (1280, 720));
}
