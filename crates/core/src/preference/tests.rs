use super::*;
use crate::select::{Framing, Movement};
use rand::{Rng, SeedableRng, seq::SliceRandom};
use rand_chacha::ChaCha8Rng;

/// Drawn selects without pictures.
fn shoot(n: usize, seed: u64) -> Vec<Traits<'static>> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    (0..n)
        .map(|_| Traits {
            name: "C",
            energy: rng.random_range(0.0..100.0),
            sharpness: rng.random_range(0.2..0.9),
            warmth: rng.random_range(-0.3..0.4),
            faulty: if rng.random_bool(0.7) { 0.0 } else { rng.random_range(0.0..1.0) },
            seconds: rng.random_range(1.0..12.0),
            slows: if rng.random_bool(0.3) { 2.0 } else { 1.0 },
            framing: Some(Framing::ALL[rng.random_range(0..Framing::ALL.len())]),
            light: None,
            movement: Some(Movement::ALL[rng.random_range(0..Movement::ALL.len())]),
            set_up: None,
            looks: &[],
        })
        .collect()
}

/// Tiers by rank of a taste with a fifth of noise: a tenth heroes, a quarter strong, a third spare.
fn tiers(of: &[Traits<'_>], taste: impl Fn(&Traits<'_>) -> f64, seed: u64) -> Vec<Tier> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let plain: Vec<f64> = of.iter().map(taste).collect();
    let mean = plain.iter().sum::<f64>() / plain.len() as f64;
    let spread = (plain.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / plain.len() as f64).sqrt();
    let mut noisy = || rng.random_range(-1.0..1.0) * 3f64.sqrt() * 0.2 * spread;
    let worth: Vec<f64> = plain.iter().map(|v| v + noisy()).collect();
    let mut order: Vec<usize> = (0..of.len()).collect();
    order.sort_by(|a, b| worth[*b].total_cmp(&worth[*a]));
    let mut tiers = vec![Tier::Out; of.len()];
    for (rank, n) in order.into_iter().enumerate() {
        let share = rank as f64 / of.len() as f64;
        tiers[n] = match share {
            s if s < 0.1 => Tier::Hero,
            s if s < 0.35 => Tier::Strong,
            s if s < 0.7 => Tier::Spare,
            _ => Tier::Out,
        };
    }
    tiers
}

/// The share of heroes and strongs of the rest that lie in its better half, and whether it would speak.
fn found(all: &[Traits<'static>], tiers: &[Tier], seed: u64) -> (f64, bool) {
    let mut order: Vec<usize> = (0..all.len()).collect();
    order.shuffle(&mut ChaCha8Rng::seed_from_u64(seed));
    let (judged, rest) = order.split_at(all.len() / 5);
    let learned = Preference::learn(judged.iter().map(|n| (all[*n].clone(), tiers[*n]))).expect("it learns");
    let mut rest: Vec<(f64, Tier)> = rest.iter().map(|n| (learned.of(&all[*n]).worth, tiers[*n])).collect();
    rest.sort_by(|a, b| b.0.total_cmp(&a.0));
    let kept = |part: &[(f64, Tier)]| part.iter().filter(|(_, tier)| keeps(*tier)).count() as f64;
    (kept(&rest[..rest.len() / 2]) / kept(&rest), learned.is_better_than_guessing())
}

type Taste = fn(&Traits<'_>) -> f64;
const TASTES: [(&str, Taste); 4] = [
    ("calm and sharp", |t| t.sharpness * 2.0 - t.energy / 60.0),
    ("lively and close", |t| t.energy / 30.0 + if t.framing == Some(Framing::Close) { 1.5 } else { 0.0 }),
    ("warm and steady", |t| t.warmth * 6.0 - 2.0 * t.faulty),
    ("half lively, and long", |t| -((t.energy - 55.0) / 22.0).powi(2) + t.seconds / 6.0),
];

#[test]
fn after_a_fifth_the_better_half_holds_most_of_what_will_be_kept() {
    for (name, taste) in TASTES {
        let shares: Vec<(f64, bool)> = (0..6)
            .map(|seed| {
                let all = shoot(240, seed);
                found(&all, &tiers(&all, taste, seed), seed)
            })
            .collect();
        let mean = shares.iter().map(|(share, _)| share).sum::<f64>() / shares.len() as f64;
        assert!(mean >= 0.8, "{name}: {mean:.2} {shares:.2?}");
        assert!(shares.iter().filter(|(_, speaks)| *speaks).count() >= 4, "{name}: {shares:.2?}");
    }
}

#[test]
fn what_follows_no_taste_is_left_alone() {
    let all = shoot(200, 1);
    let mut rng = ChaCha8Rng::seed_from_u64(9);
    let spoke = (0..20u64)
        .filter(|seed| {
            let tiers: Vec<Tier> = all.iter().map(|_| Tier::VERDICTS[rng.random_range(0..4)]).collect();
            found(&all, &tiers, *seed).1
        })
        .count();
    assert!(spoke <= 5, "it spoke {spoke} times of 20 about nothing");
    assert!(Preference::learn(shoot(29, 1).into_iter().map(|t| (t, Tier::Hero))).is_none(), "too few");
    assert!(Preference::learn(shoot(90, 1).into_iter().map(|t| (t, Tier::Strong))).is_none(), "all the same");
}

#[test]
fn the_same_verdicts_teach_the_same_and_each_was_judged_before_it_was_learned_from() {
    let all = shoot(120, 3);
    let tiers = tiers(&all, TASTES[1].1, 3);
    let learn = || Preference::learn(all.iter().cloned().zip(tiers.iter().copied())).expect("it learns");
    let (one, two) = (learn(), learn());
    assert_eq!((one.right, one.of), (two.right, two.of));
    assert_eq!(one.of, 120 - FIRST_ASKED);
    assert!(one.right > one.of / 2);
    for traits in &all[..10] {
        assert_eq!(one.of(traits), two.of(traits));
        let expected = one.of(traits);
        assert!((0.0..=1.0).contains(&expected.kept) && (0.0..=1.0).contains(&expected.out));
        assert!(!expected.why.is_empty());
    }
}

#[test]
fn a_take_of_what_was_said_of_is_named() {
    use crate::footage::FrameSignature;
    let look = |n: u8| FrameSignature {
        tones: (0..84u32).map(|i| ((i * u32::from(n) * 37) % 251) as u8).collect(),
        colours: vec![0; 24],
    };
    let (bench, tower) = (vec![look(3)], vec![look(7)]);
    let mut all = shoot(80, 5);
    let tiers = tiers(&all, TASTES[0].1, 5);
    all[4].looks = &[];
    let best = tiers.iter().position(|tier| *tier == Tier::Hero).expect("a hero");
    let mut judged: Vec<(Traits<'_>, Tier)> = all.iter().cloned().zip(tiers.iter().copied()).collect();
    judged[best].0.name = "HM1_C013";
    judged[best].0.looks = &bench;
    let other = (best + 1) % 80;
    judged[other].0.looks = &tower;
    let asked = Traits { looks: &bench, ..judged[best].0.clone() };
    let learned = Preference::learn(judged.iter().map(|(t, tier)| (t.clone(), *tier))).expect("it learns");
    assert!(learned.of(&asked).why.starts_with("like HM1_C013, a hero"), "{}", learned.of(&asked).why);
}
