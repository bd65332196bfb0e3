//! What the demo's two days of shooting brought home: a plan for each clip, all of it from one seed.

use chrono::{DateTime, Duration, TimeZone, Utc};
use legere_core::time::FrameRate;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Subject {
    Gears,
    Pendulum,
    Escapement,
    Sparks,
    Bell,
    Dial,
    Lamp,
    Pigeons,
    Hands,
    Filings,
    Tower,
    Dust,
}

/// A steady movement over the whole clip, in frame widths a second (zoom: share a second).
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Camera {
    pub pan: f64,
    pub tilt: f64,
    pub zoom: f64,
}

#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Fault {
    None,
    /// Unsteady all the way; amplitude in frame widths.
    Shaky(f64),
    /// The camera is taken down before the recording stops; seconds.
    WobblyEnd(f64),
    /// Out of focus for the first seconds.
    LateFocus(f64),
    Dark,
    Blown,
    /// The file is cut off before its index.
    Damaged,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    pub file: String,
    pub subject: Subject,
    /// How near: 1 is medium, below wide, above close.
    pub near: f64,
    pub camera: Camera,
    pub fault: Fault,
    pub rate: FrameRate,
    pub seconds: f64,
    /// When it strikes, bursts or snaps; for steady subjects there is no such instant.
    pub hit: Option<f64>,
    /// How lively the subject is, 1 is usual.
    pub liveliness: f64,
    pub portrait: bool,
    pub silent: bool,
    pub recorded_at: DateTime<Utc>,
    pub seed: u64,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Roll {
    pub folder: &'static str,
    pub clips: Vec<Plan>,
}

const RATES: [(u32, u32); 8] =
    [(24000, 1001), (24000, 1001), (25, 1), (24000, 1001), (60000, 1001), (50, 1), (30000, 1001), (24000, 1001)];

/// A roll to be shot.
struct Shoot {
    folder: &'static str,
    camera: &'static str,
    start: DateTime<Utc>,
    count: u32,
    /// What is filmed, going round.
    subjects: &'static [Subject],
}

/// The rolls of "The Long Hour". Same seed, same clips.
pub fn long_hour(seed: u64) -> Vec<Roll> {
    use Subject::{Bell, Dial, Dust, Escapement, Filings, Gears, Hands, Lamp, Pendulum, Pigeons, Sparks, Tower};
    let day = |d: u32, h: u32, m: u32| Utc.with_ymd_and_hms(2026, 5, d, h, m, 0).single().unwrap_or_default();
    let rolls = [
        Shoot {
            folder: "day one workshop",
            camera: "HM1",
            start: day(12, 8, 40),
            count: 22,
            subjects: &[Lamp, Hands, Gears, Dial, Dust, Escapement, Filings, Pendulum],
        },
        Shoot {
            folder: "day one tower",
            camera: "HM2",
            start: day(12, 15, 10),
            count: 17,
            subjects: &[Tower, Bell, Pigeons, Dial, Bell, Pigeons],
        },
        Shoot {
            folder: "day two bench",
            camera: "HM3",
            start: day(13, 9, 5),
            count: 21,
            subjects: &[Sparks, Gears, Hands, Sparks, Filings, Escapement, Pendulum, Sparks],
        },
    ];
    rolls
        .into_iter()
        .enumerate()
        .map(|(r, Shoot { folder, camera, start, count, subjects })| {
            let mut rng = ChaCha8Rng::seed_from_u64(seed ^ ((r as u64 + 1) << 32));
            let mut at = start;
            let clips = (0..count)
                .map(|i| {
                    let subject = subjects[i as usize % subjects.len()];
                    let plan = clip(&mut rng, subject, i, r, format!("{camera}_C{:03}.mp4", i + 1), at);
                    at += Duration::seconds(plan.seconds.ceil() as i64 + rng.random_range(20..600));
                    plan
                })
                .collect();
            Roll { folder, clips }
        })
        .collect()
}

fn clip(rng: &mut ChaCha8Rng, subject: Subject, i: u32, roll: usize, file: String, recorded_at: DateTime<Utc>) -> Plan {
    let bursts = matches!(subject, Subject::Sparks | Subject::Bell | Subject::Pigeons);
    let mut seconds: f64 = rng.random_range(3.0..4.4);
    let hit = bursts.then(|| rng.random_range(1.1..seconds - 1.5));
    let (num, den) = RATES[rng.random_range(0..RATES.len())];
    let mut rate = FrameRate::new(num, den).unwrap_or(legere_rate());
    let near = [0.6, 1.0, 1.0, 1.5, 2.1][rng.random_range(0..5)];
    let speed = rng.random_range(0.03..0.22);
    let camera = match rng.random_range(0..9) {
        0 | 1 => Camera { pan: speed, ..Camera::default() },
        2 | 3 => Camera { pan: -speed, ..Camera::default() },
        4 => Camera { tilt: speed * 0.6, ..Camera::default() },
        5 => Camera { zoom: speed * 0.7, ..Camera::default() },
        _ => Camera::default(),
    };
    let fault = match rng.random_range(0..14) {
        0 => Fault::Shaky(rng.random_range(0.008..0.02)),
        1 | 2 => Fault::WobblyEnd(rng.random_range(0.6..1.0)),
        3 => Fault::LateFocus(rng.random_range(0.8..1.4)),
        4 if !bursts => Fault::Dark,
        5 if !bursts => Fault::Blown,
        _ => Fault::None,
    };
    let liveliness = match subject {
        Subject::Lamp | Subject::Tower | Subject::Dial | Subject::Dust => rng.random_range(0.4..1.0),
        _ => rng.random_range(0.6..1.8),
    };
    let seed = rng.random();
    let mut plan = Plan {
        file,
        subject,
        near,
        camera,
        fault,
        rate,
        seconds,
        hit,
        liveliness,
        portrait: false,
        silent: false,
        recorded_at,
        seed,
    };
    // The odd ones of every shoot: an endless take, a phone held upright, no sound, slow motion, a broken copy.
    match (roll, i) {
        (0, 5) => (plan.seconds, plan.fault) = (18.0, Fault::None),
        (0, 9) => plan.silent = true,
        (1, 7) => (plan.portrait, plan.rate) = (true, FrameRate::new(30, 1).unwrap_or(plan.rate)),
        (1, 11) => (plan.fault, plan.camera) = (Fault::Damaged, Camera::default()),
        (2, 3) => {
            rate = FrameRate::new(120_000, 1001).unwrap_or(rate);
            seconds = 4.0;
            (plan.rate, plan.seconds, plan.hit, plan.fault) = (rate, seconds, Some(1.6), Fault::None);
        }
        _ => {}
    }
    plan
}

fn legere_rate() -> FrameRate {
    "25".parse().expect("25 is a rate")
}
