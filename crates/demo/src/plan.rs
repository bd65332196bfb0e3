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
    /// Out of focus all along.
    MissedFocus,
    Dark,
    Blown,
    /// The file is cut off before its index.
    Damaged,
}

#[derive(Debug, Clone, PartialEq)]
#[expect(clippy::struct_excessive_bools, reason = "each is one odd thing that any clip may have")]
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
    /// The same for all takes of a set-up.
    pub seed: u64,
    /// Seconds that its subject is ahead: takes differ.
    pub phase: f64,
    /// Where it is framed, in widths of a medium shot.
    pub framing: (f64, f64),
    /// Some of its frames are left out, as phones do.
    pub uneven: bool,
    /// Not a film but a picture.
    pub picture: bool,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Roll {
    pub folder: &'static str,
    pub clips: Vec<Plan>,
}

const RATES: [(u32, u32); 12] = [
    (24000, 1001),
    (24000, 1001),
    (25, 1),
    (24000, 1001),
    (25, 1),
    (24000, 1001),
    (60000, 1001),
    (24000, 1001),
    (25, 1),
    (30000, 1001),
    (24000, 1001),
    (24000, 1001),
];

/// A roll to be shot.
struct Shoot {
    folder: &'static str,
    camera: &'static str,
    start: DateTime<Utc>,
    count: usize,
    /// What is filmed, going round.
    subjects: &'static [Subject],
}

/// Takes of a set-up, at most.
const TAKES: usize = 4;

/// The rolls of "The Long Hour". Same seed, same clips.
pub fn long_hour(seed: u64) -> Vec<Roll> {
    use Subject::{Bell, Dial, Dust, Escapement, Filings, Gears, Hands, Lamp, Pendulum, Pigeons, Sparks, Tower};
    let day = |d: u32, h: u32, m: u32| Utc.with_ymd_and_hms(2026, 5, d, h, m, 0).single().unwrap_or_default();
    let shoot = |folder, camera, start, count, subjects| Shoot { folder, camera, start, count, subjects };
    let rolls = [
        shoot(
            "day one workshop",
            "HM1",
            day(12, 8, 40),
            56,
            &[Lamp, Hands, Gears, Dial, Dust, Escapement, Filings, Pendulum][..],
        ),
        shoot("day one tower", "HM2", day(12, 15, 10), 46, &[Tower, Bell, Pigeons, Dial, Bell, Pigeons][..]),
        shoot(
            "day two bench",
            "HM3",
            day(13, 9, 5),
            60,
            &[Sparks, Gears, Hands, Sparks, Filings, Escapement, Pendulum, Sparks][..],
        ),
        shoot("day two hall", "HM1", day(13, 14, 20), 48, &[Dust, Pendulum, Dial, Hands, Escapement, Lamp][..]),
        shoot("day two phone", "HM4", day(13, 17, 45), 30, &[Pigeons, Tower, Hands, Bell, Gears][..]),
    ];
    rolls
        .into_iter()
        .enumerate()
        .map(|(r, Shoot { folder, camera, start, count, subjects })| {
            let mut rng = ChaCha8Rng::seed_from_u64(seed ^ ((r as u64 + 1) << 32));
            let mut at = start;
            let mut clips: Vec<Plan> = Vec::with_capacity(count);
            let mut set_up = 0;
            while clips.len() < count {
                let subject = subjects[set_up % subjects.len()];
                let first = clip(&mut rng, subject, String::new(), at);
                let takes = rng.random_range(1..=TAKES).min(count - clips.len());
                for take in 0..takes {
                    let i = clips.len();
                    let mut plan = if take == 0 { first.clone() } else { take_of(&mut rng, &first) };
                    plan.file = format!("{camera}_C{:03}.mp4", i + 1);
                    plan.recorded_at = at;
                    odd_one(&mut plan, r, i);
                    at += Duration::seconds(plan.seconds.ceil() as i64 + rng.random_range(15..140));
                    clips.push(plan);
                }
                at += Duration::seconds(rng.random_range(60..420));
                set_up += 1;
            }
            Roll { folder, clips }
        })
        .collect()
}

/// The odd ones of every shoot: an endless take, a phone held upright, no sound, slow motion, a broken copy, pictures.
fn odd_one(plan: &mut Plan, roll: usize, i: usize) {
    let rate = |num, den| FrameRate::new(num, den).unwrap_or(legere_rate());
    match (roll, i) {
        (0, 9) => plan.silent = true,
        (0, 17 | 40) | (2, 33) => plan.rate = rate(50, 1),
        (1, 11) => (plan.fault, plan.camera) = (Fault::Damaged, Camera::default()),
        (2, 3 | 21) => {
            (plan.rate, plan.seconds, plan.hit, plan.fault) = (rate(120_000, 1001), 3.0, Some(1.3), Fault::None);
            plan.subject = Subject::Sparks;
        }
        // Nobody stopped the camera.
        (3, 5) => {
            (plan.subject, plan.near, plan.liveliness, plan.camera) = (Subject::Hands, 1.0, 1.0, Camera::default());
            // Nor is it a camera of many frames.
            (plan.rate, plan.seconds, plan.hit, plan.fault) = (rate(15, 1), ENDLESS, None, Fault::None);
            (plan.phase, plan.framing) = (0.0, (0.0, 0.0));
        }
        (4, 6..10) => {
            plan.picture = true;
            plan.file = plan.file.replace(".mp4", ".jpg");
            (plan.rate, plan.fault) = (rate(25, 1), Fault::None);
        }
        (4, _) => {
            (plan.portrait, plan.rate) = (i % 3 == 1, rate(30, 1));
            plan.uneven = i % 4 == 2;
        }
        _ => {}
    }
}

/// Seconds of the endless take, at the bench, in which several things happen one after the other.
const ENDLESS: f64 = 240.0;
/// What happens in it: until when, what, and where the camera has been pushed to.
const HAPPENINGS: [(f64, Option<Subject>, f64); 7] = [
    (24.0, None, 0.0),
    (86.0, Some(Subject::Hands), 0.0),
    (104.0, None, 0.0),
    (150.0, Some(Subject::Gears), 0.35),
    (166.0, None, 0.35),
    (214.0, Some(Subject::Escapement), -0.2),
    (240.0, Some(Subject::Hands), -0.2),
];

impl Plan {
    /// Whether nobody stopped the camera.
    pub fn is_endless(&self) -> bool {
        self.seconds >= ENDLESS
    }

    /// What is before the camera; nothing that moves while everybody is away.
    pub fn subject_at(&self, t: f64) -> Option<Subject> {
        if !self.is_endless() {
            return Some(self.subject);
        }
        HAPPENINGS.iter().find(|h| t < h.0).and_then(|h| h.1)
    }

    /// Where somebody has pushed the camera to, in widths of a medium shot.
    pub fn pushed(&self, t: f64) -> f64 {
        if !self.is_endless() {
            return 0.0;
        }
        let eased = |u: f64| u.clamp(0.0, 1.0).powi(2) * (3.0 - 2.0 * u.clamp(0.0, 1.0));
        let steps = HAPPENINGS.windows(2).map(|w| (w[1].2 - w[0].2) * eased((t - w[0].0) / 2.5));
        steps.sum()
    }

    /// Where events of the endless take begin, in seconds.
    pub fn turns() -> Vec<f64> {
        HAPPENINGS.iter().map(|h| h.0).take(HAPPENINGS.len() - 1).collect()
    }
}

/// Another take of a set-up: framed a little otherwise, at another moment, with other faults.
fn take_of(rng: &mut ChaCha8Rng, first: &Plan) -> Plan {
    let mut plan = first.clone();
    plan.seconds = rng.random_range(2.4..3.4);
    plan.hit = first.hit.map(|_| rng.random_range(1.0..plan.seconds - 1.2));
    plan.phase = rng.random_range(0.0..20.0);
    plan.framing = (rng.random_range(-0.03..0.03), rng.random_range(-0.02..0.02));
    plan.liveliness = (first.liveliness * rng.random_range(0.75..1.3)).min(1.8);
    plan.fault = fault(rng, first.hit.is_some());
    plan
}

fn fault(rng: &mut ChaCha8Rng, bursts: bool) -> Fault {
    match rng.random_range(0..14) {
        0 => Fault::Shaky(rng.random_range(0.008..0.02)),
        1 | 2 => Fault::WobblyEnd(rng.random_range(0.6..1.0)),
        3 => Fault::LateFocus(rng.random_range(0.8..1.4)),
        4 if !bursts => Fault::Dark,
        5 if !bursts => Fault::Blown,
        6 if !bursts => Fault::MissedFocus,
        _ => Fault::None,
    }
}

fn clip(rng: &mut ChaCha8Rng, subject: Subject, file: String, recorded_at: DateTime<Utc>) -> Plan {
    let bursts = matches!(subject, Subject::Sparks | Subject::Bell | Subject::Pigeons);
    let seconds: f64 = rng.random_range(2.4..3.4);
    let hit = bursts.then(|| rng.random_range(1.0..seconds - 1.2));
    let (num, den) = RATES[rng.random_range(0..RATES.len())];
    let rate = FrameRate::new(num, den).unwrap_or(legere_rate());
    let near = [0.6, 1.0, 1.0, 1.5, 2.1][rng.random_range(0..5)];
    let speed = rng.random_range(0.03..0.22);
    let camera = match rng.random_range(0..9) {
        0 | 1 => Camera { pan: speed, ..Camera::default() },
        2 | 3 => Camera { pan: -speed, ..Camera::default() },
        4 => Camera { tilt: speed * 0.6, ..Camera::default() },
        5 => Camera { zoom: speed * 0.7, ..Camera::default() },
        _ => Camera::default(),
    };
    let liveliness = match subject {
        Subject::Lamp | Subject::Tower | Subject::Dial | Subject::Dust => rng.random_range(0.4..1.0),
        _ => rng.random_range(0.6..1.8),
    };
    Plan {
        file,
        subject,
        near,
        camera,
        fault: fault(rng, bursts),
        rate,
        seconds,
        hit,
        liveliness,
        portrait: false,
        silent: false,
        recorded_at,
        seed: rng.random(),
        phase: 0.0,
        framing: (0.0, 0.0),
        uneven: false,
        picture: false,
    }
}

fn legere_rate() -> FrameRate {
    "25".parse().expect("25 is a rate")
}
