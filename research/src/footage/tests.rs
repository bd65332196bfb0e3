//! Whether what is judged by is true: the truth of a drawn clip against its pictures and its paths.

use super::camera::{Camera, Move, Pose, Tremble};
use super::plan::{Effect, EffectKind, Join, Plan};
use super::scene::{Scene, Shot};
use super::shoot::picture;
use super::subject::Action;
use super::texture::Style;
use super::*;
use legere_core::select::Movement;
use std::collections::BTreeSet;

const WIDE: f64 = 16.0 / 9.0;

fn shot(seconds: f64, camera: Camera) -> Shot {
    Shot { seconds, camera, subjects: vec![], ground: 5, style: Style::Rich, depth: false }
}

fn plan(shots: Vec<Shot>, joins: Vec<Join>, effects: Vec<Effect>) -> Plan {
    Plan {
        name: "test".into(),
        kind: "test",
        rate: (25, 1),
        uneven: false,
        rotated: false,
        shots,
        joins,
        effects,
        noise: 0.0,
        seed: 1,
        photograph: None,
        crf: 20,
    }
}

fn moving(speed: Pose) -> Camera {
    Camera { moves: vec![Move { from: 0.5, to: 3.5, speed, ease: 0.5 }], ..Camera::default() }
}

#[test]
fn no_clip_is_fitted_on_and_judged_by() {
    let (fitting, judging) = (corpus(Purpose::Fitting), corpus(Purpose::Judging));
    assert!(fitting.len() >= 120 && judging.len() >= 120);
    assert_eq!(judging, corpus(Purpose::Judging), "the same each time");
    let names = |plans: &[Plan]| plans.iter().map(|p| p.name.clone()).collect::<BTreeSet<_>>();
    assert_eq!(names(&judging).len(), judging.len(), "a name each");
    assert!(names(&fitting).is_disjoint(&names(&judging)));
    let grounds = |plans: &[Plan]| plans.iter().flat_map(|p| &p.shots).map(|s| s.ground).collect::<BTreeSet<_>>();
    assert!(grounds(&fitting).is_disjoint(&grounds(&judging)), "nor is anything seen in both");
    let kinds = |plans: &[Plan]| plans.iter().map(|p| p.kind).collect::<BTreeSet<_>>();
    assert_eq!(kinds(&fitting), kinds(&judging));
}

#[test]
fn every_kind_holds_what_it_is_there_for() {
    // Every third: the surfaces of all of them take a minute.
    for plan in corpus(Purpose::Judging).into_iter().step_by(3) {
        let truth = Truth::of(&plan);
        let ways: BTreeSet<&str> = truth.seconds.iter().filter_map(|s| s.way).map(Movement::word).collect();
        match plan.kind {
            "hit" => assert!(truth.hit.is_some_and(|h| 0.0 < h && h < plan.seconds()), "{}", plan.name),
            "cuts" => assert!(truth.cuts.len() + truth.bad.len() > 0, "{}", plan.name),
            "dissolves" => assert!(!truth.dissolves.is_empty(), "{}", plan.name),
            "focus" => assert!(truth.seconds.iter().any(|s| s.blurred), "{}", plan.name),
            "pan" => assert!(ways.contains("left") || ways.contains("right"), "{} {ways:?}", plan.name),
            "subject" => assert_eq!(ways, BTreeSet::from([Movement::Still.word()]), "{}", plan.name),
            _ => {}
        }
        assert!(truth.seconds.iter().all(|s| s.start + 1.0 <= plan.seconds() + 1e-6), "{}", plan.name);
        assert!(truth.seconds.iter().all(|s| !(s.shaky && s.steady || s.blurred && s.sharp)), "{}", plan.name);
    }
}

#[test]
fn a_movement_sets_out_and_rests_and_goes_as_far_as_its_full_speed_says() {
    let m = Move { from: 1.0, to: 4.0, speed: Pose { x: 0.2, ..Pose::default() }, ease: 0.5 };
    let camera = Camera { moves: vec![m], ..Camera::default() };
    let x = |t: f64| camera.at(t).x;
    assert_eq!((x(0.0), x(1.0)), (0.0, 0.0));
    // Half of the time of easing is lost.
    assert!((x(9.0) - 0.2 * 2.5).abs() < 1e-9 && (x(4.0) - x(9.0)).abs() < 1e-9);
    let speed = |t: f64| (x(t + 1e-4) - x(t - 1e-4)) / 2e-4;
    assert!((speed(2.5) - 0.2).abs() < 1e-6 && speed(1.05) < 0.02 && speed(3.95) < 0.02);
    assert!(m.is_full(1.5, 3.5) && !m.is_full(1.2, 2.2) && !m.is_full(3.0, 4.0));
}

#[test]
fn a_hand_trembles_in_its_time_alone_and_about_where_it_was_meant_to_look() {
    let tremble = Tremble { from: 1.0, to: 3.0, size: 0.02, seed: 9 };
    let camera = Camera { trembles: vec![tremble], ..Camera::default() };
    let off = |t: f64| camera.at(t).x - camera.wanted(t).x;
    assert_eq!((off(0.9), off(3.1)), (0.0, 0.0));
    let within: Vec<f64> = (0..400).map(|i| off(1.2 + 1.6 * f64::from(i) / 400.0)).collect();
    let most = within.iter().fold(0.0f64, |a, v| a.max(v.abs()));
    assert!((0.005..0.12).contains(&most), "{most}");
    let mean = within.iter().sum::<f64>() / within.len() as f64;
    assert!(mean.abs() < 0.3 * most, "it leans nowhere: {mean} of {most}");
    let turns = within.windows(3).filter(|w| (w[1] - w[0]) * (w[2] - w[1]) < 0.0).count();
    assert!((8..60).contains(&turns), "3 to 12 times a second: {turns} turns in 1.6 s");
    assert!(camera.shakes(1.5, 2.5) && !camera.is_steady(2.9, 3.9) && camera.is_steady(3.0, 4.0));
    let down = Camera { taken_down: Some(2.0), ..Camera::default() };
    assert!(down.is_steady(0.9, 1.9) && down.shakes(2.0, 3.0) && !down.shakes(0.5, 1.5));
}

#[test]
fn what_happens_happens_at_its_hit() {
    let falls = Action::Falls { x: 0.1, from: -0.3, to: 0.2, hit: 2.0 };
    assert_eq!((falls.at(1.4).y, falls.at(2.0).y, falls.at(3.0).y), (-0.3, 0.2, 0.2));
    let last = falls.at(2.0).y - falls.at(1.96).y;
    assert!(last > 4.0 * (falls.at(1.64).y - falls.at(1.60).y), "ever faster");
    for (action, hit) in [
        (Action::Struck { x: 0.0, y: 0.0, way: 0.1, hit: 1.5 }, 1.5),
        (Action::Flies { x: 0.0, y: 0.0, angle: 0.4, speed: 0.9, hit: 1.0 }, 1.0),
    ] {
        assert_eq!(action.hit(), Some(hit));
        assert_eq!(action.at(0.0), action.at(hit), "nothing before");
        let (a, b) = (action.at(hit), action.at(hit + 0.04));
        assert!((a.x - b.x).hypot(a.y - b.y) > 0.01, "{action:?}");
    }
    let swings = Action::Swings { x: 0.0, y: -0.3, length: 0.35, angle: 0.5, hertz: 0.5 };
    assert_eq!(swings.hit(), None);
    let p = swings.at(0.37);
    assert!((p.x.hypot(p.y + 0.3) - 0.35).abs() < 1e-9, "on its rod");
}

#[test]
fn a_second_has_the_way_and_the_speed_at_which_the_picture_goes() {
    let told = |speed: Pose| {
        let truth = Truth::of(&plan(vec![shot(4.0, moving(speed))], vec![], vec![]));
        truth.seconds.into_iter().find(|s| s.start == 1.5).expect("one in the middle")
    };
    let right = told(Pose { x: 0.2, ..Pose::default() });
    assert_eq!(right.way, Some(Movement::Right));
    assert!((right.speed - 0.2).abs() < 1e-9 && (right.flow - 0.2).abs() < 1e-3, "{right:?}");
    let up = told(Pose { y: -0.09, ..Pose::default() });
    // In frame heights.
    assert!(up.way == Some(Movement::Up) && (up.speed - 0.16).abs() < 1e-9 && (up.flow - 0.09).abs() < 1e-3, "{up:?}");
    let out = told(Pose { zoom: -0.3, ..Pose::default() });
    assert!(out.way == Some(Movement::Out) && (out.speed - 0.3).abs() < 1e-9, "{out:?}");
    assert!((0.05..0.12).contains(&out.flow), "the corners go by, the middle stands: {}", out.flow);
    let truth = Truth::of(&plan(vec![shot(4.0, moving(Pose { x: 0.2, ..Pose::default() }))], vec![], vec![]));
    let ways: Vec<Option<Movement>> = truth.seconds.iter().map(|s| s.way).collect();
    assert_eq!(ways[0], None, "while it sets out there is no one way");
    assert_eq!(truth.seconds.last().expect("seconds").way, None, "nor while it comes to rest");
}

/// The mean brightness of each column, of a picture this wide.
fn columns(picture: &[[f32; 3]], width: usize) -> Vec<f32> {
    let height = (picture.len() / width) as f32;
    (0..width).map(|x| picture.iter().skip(x).step_by(width).map(|p| p[1]).sum::<f32>() / height).collect()
}

#[test]
fn pictures_go_as_far_as_their_truth_says() {
    let (width, height) = (320, 180);
    let camera = Camera {
        moves: vec![Move { from: -9.0, to: 9.0, speed: Pose { x: 0.25, ..Pose::default() }, ease: 0.0 }],
        ..Camera::default()
    };
    let plan = plan(vec![shot(4.0, camera)], vec![], vec![]);
    let scenes: Vec<Scene> = plan.shots.iter().map(|s| Scene::new(s, WIDE, None)).collect();
    let [a, b] = [1.0, 1.2].map(|t| columns(&picture(&plan, &scenes, t, width, height), width));
    // A fifth of a second at a quarter of the width: sixteen columns to the left.
    let apart = |by: usize| (0..width - 30).map(|x| (a[x + by] - b[x]).abs()).sum::<f32>();
    let best = (0..30).min_by(|p, q| apart(*p).total_cmp(&apart(*q)));
    assert_eq!(best, Some(16));
}

#[test]
fn effects_and_joins_do_to_the_picture_what_their_truth_says() {
    let (width, height) = (160, 90);
    let still = |ground| Shot { ground, ..shot(2.0, Camera::default()) };
    let effects = vec![
        Effect { from: 0.0, to: 1.0, kind: EffectKind::Blur(0.02) },
        Effect { from: 1.2, to: 1.28, kind: EffectKind::Flash },
    ];
    let plan = plan(vec![still(3), still(4), still(6)], vec![Join::Dissolve(0.8), Join::Black(0.3)], effects);
    assert!((plan.seconds() - 5.2).abs() < 1e-9);
    let starts = plan.starts();
    assert!((starts[1] - 1.2).abs() < 1e-9 && (starts[2] - 3.2).abs() < 1e-9, "{starts:?}");
    let scenes: Vec<Scene> = plan.shots.iter().map(|s| Scene::new(s, WIDE, None)).collect();
    let at = |t: f64| picture(&plan, &scenes, t, width, height);
    let steepness = |p: &[[f32; 3]]| p.windows(2).map(|w| (w[0][1] - w[1][1]).abs()).sum::<f32>();
    assert!(steepness(&at(0.5)) < 0.6 * steepness(&at(1.1)), "out of focus");
    let mean = |p: &[[f32; 3]]| p.iter().map(|c| c[1]).sum::<f32>() / p.len() as f32;
    assert!(mean(&at(1.24)) > 200.0, "a flash");
    let (before, middle, after) = (at(1.1), at(1.6), at(2.5));
    let halves = before.iter().zip(&after).zip(&middle).map(|((a, b), m)| (m[0] - (a[0] + b[0]) / 2.0).abs());
    assert!(halves.fold(0.0, f32::max) < 1.0, "half of each in the middle of a dissolve");
    assert_eq!(mean(&at(3.3)), 0.0, "black");
    let truth = Truth::of(&plan);
    assert!(truth.cuts.is_empty() && (truth.dissolves[0] - 1.6).abs() < 1e-9, "{truth:?}");
    assert!(truth.bad.iter().any(|b| b.0 < 3.3 && 3.3 < b.1) && truth.bad.iter().any(|b| b.0 < 0.5 && 0.5 < b.1));
    let second = |t: f64| truth.seconds.iter().find(|s| s.start == t).expect("a second");
    assert!(!second(1.0).whole && second(2.0).whole && !second(3.0).whole);
}

#[test]
fn a_cut_is_told_at_the_first_frame_of_the_next_shot() {
    let odd = Plan {
        rate: (24000, 1001),
        ..plan(vec![shot(1.51, Camera::default()), shot(1.0, Camera::default())], vec![Join::Cut], vec![])
    };
    let cut = Truth::of(&odd).cuts[0];
    let frame = cut * odd.fps();
    assert!((frame - frame.round()).abs() < 1e-6 && cut >= 1.51 && cut < 1.51 + 1.0 / odd.fps(), "{cut}");
}

#[test]
fn a_clip_is_written_as_a_camera_would_have() {
    let dir = tempfile::tempdir().expect("a folder");
    let told = |file: &std::path::Path| {
        let out = std::process::Command::new("ffprobe")
            .args(["-v", "error", "-count_packets", "-select_streams", "v", "-show_streams", "-of", "default=nw=1"])
            .arg(file)
            .output()
            .expect("ffprobe");
        String::from_utf8_lossy(&out.stdout).into_owned()
    };
    let short = plan(vec![shot(0.4, Camera::default())], vec![], vec![]);
    let even = dir.path().join("even.mp4");
    shoot(&short, &even).expect("drawn");
    assert!(told(&even).contains("nb_read_packets=10\n"), "{}", told(&even));
    let upright = dir.path().join("upright.mp4");
    shoot(&Plan { rotated: true, ..short.clone() }, &upright).expect("drawn");
    let words = told(&upright);
    assert!(words.contains("width=640\n") && words.contains("rotation="), "stored lying: {words}");
    let uneven = dir.path().join("uneven.mp4");
    shoot(&Plan { uneven: true, ..short }, &uneven).expect("drawn");
    assert!(told(&uneven).contains("nb_read_packets=8\n"), "{}", told(&uneven));
}
