//! Clips to be drawn: what the camera does, what happens before it, what is wrong with it.

use super::camera::{Camera, Move, Pose, Tremble};
use super::scene::Shot;
use super::subject::{Action, Subject};
use super::texture::Style;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::path::PathBuf;

/// What clips are for. No clip is in both.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    /// Figures of the reading may be chosen by these.
    Fitting,
    /// These are for judging alone.
    Judging,
}

/// How one shot goes over into the next.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Join {
    Cut,
    Dissolve(f64),
    /// Seconds of black in between, taken from the next shot.
    Black(f64),
}

/// Something that is done to the picture in a stretch of time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Effect {
    pub from: f64,
    pub to: f64,
    pub kind: EffectKind,
}

#[derive(Debug, Clone, Copy, PartialEq)]
pub enum EffectKind {
    /// Out of focus; radius in frame widths.
    Blur(f64),
    /// Gain; eased in and out over a quarter of a second.
    Gain(f64),
    /// White for this long.
    Flash,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    pub name: String,
    pub kind: &'static str,
    pub rate: (u32, u32),
    /// Some of its frames are left out.
    pub uneven: bool,
    /// Upright, stored lying.
    pub rotated: bool,
    pub shots: Vec<Shot>,
    pub joins: Vec<Join>,
    pub effects: Vec<Effect>,
    /// Standard deviation in steps of 255.
    pub noise: f64,
    pub seed: u64,
    /// Seen instead of the first drawn ground.
    pub photograph: Option<PathBuf>,
    pub crf: u32,
}

impl Plan {
    pub fn seconds(&self) -> f64 {
        let overlap: f64 = self.joins.iter().map(|j| if let Join::Dissolve(d) = j { *d } else { 0.0 }).sum();
        self.shots.iter().map(|s| s.seconds).sum::<f64>() - overlap
    }

    pub fn fps(&self) -> f64 {
        f64::from(self.rate.0) / f64::from(self.rate.1)
    }

    /// Where each shot begins.
    pub fn starts(&self) -> Vec<f64> {
        let mut starts = vec![0.0];
        for (shot, join) in self.shots.iter().zip(&self.joins) {
            let overlap = if let Join::Dissolve(d) = join { *d } else { 0.0 };
            starts.push(starts[starts.len() - 1] + shot.seconds - overlap);
        }
        starts
    }
}

const RATES: [(u32, u32); 10] = [
    (24000, 1001),
    (25, 1),
    (25, 1),
    (24000, 1001),
    (30000, 1001),
    (30, 1),
    (50, 1),
    (60000, 1001),
    (24, 1),
    (120_000, 1001),
];

struct Maker {
    rng: ChaCha8Rng,
    number: usize,
    purpose: Purpose,
}

/// All clips of a purpose, at least 130.
pub fn corpus(purpose: Purpose) -> Vec<Plan> {
    let seed = if purpose == Purpose::Fitting { 1 } else { 2 };
    let mut maker = Maker { rng: ChaCha8Rng::seed_from_u64(seed * 7_919), number: 0, purpose };
    let mut plans = Vec::new();
    for (count, make) in KINDS {
        for i in 0..*count {
            plans.push(make(&mut maker, i));
        }
    }
    plans
}

/// Camera moves over photographs, one clip each.
pub fn over_photographs(photographs: &[PathBuf]) -> Vec<Plan> {
    let mut maker = Maker { rng: ChaCha8Rng::seed_from_u64(4_211), number: 0, purpose: Purpose::Judging };
    let mut plans = Vec::new();
    for (i, photograph) in photographs.iter().enumerate() {
        let make: fn(&mut Maker, usize) -> Plan = match i % 8 {
            0 | 4 => pan,
            1 => tilt,
            2 | 6 => zoom,
            3 => still_with_subject,
            5 => hand_held,
            _ => focus,
        };
        let mut plan = make(&mut maker, i);
        plan.name = format!("photo{i:03}");
        plan.rotated = false;
        plan.photograph = Some(photograph.clone());
        plans.push(plan);
    }
    plans
}

type Make = fn(&mut Maker, usize) -> Plan;
const KINDS: &[(usize, Make)] = &[
    (12, pan),
    (10, tilt),
    (14, zoom),
    (4, whip),
    (20, still_with_subject),
    (4, plain_still),
    (12, hand_held),
    (8, taken_down),
    (6, following),
    (12, focus),
    (8, light),
    (14, cuts),
    (8, dissolves),
    (16, hits),
];

impl Maker {
    fn plan(&mut self, kind: &'static str, shots: Vec<Shot>) -> Plan {
        self.number += 1;
        let seed = self.rng.random();
        let noise = [0.0, 1.5, 3.0, 6.0][self.rng.random_range(0..4)];
        let letter = if self.purpose == Purpose::Fitting { 'f' } else { 'j' };
        Plan {
            name: format!("{letter}{:03}-{kind}", self.number),
            kind,
            rate: RATES[self.rng.random_range(0..RATES.len())],
            uneven: self.rng.random_range(0..12) == 0,
            rotated: false,
            joins: vec![Join::Cut; shots.len().saturating_sub(1)],
            shots,
            effects: Vec::new(),
            noise,
            seed,
            photograph: None,
            crf: self.rng.random_range(18..27),
        }
    }

    fn shot(&mut self, seconds: f64) -> Shot {
        let style = [Style::Rich, Style::Rich, Style::Regular, Style::Plain][self.rng.random_range(0..4)];
        let start = Pose {
            x: self.rng.random_range(-0.3..0.3),
            y: self.rng.random_range(-0.2..0.2),
            zoom: self.rng.random_range(-0.2..0.3),
            roll: 0.0,
        };
        Shot {
            seconds,
            camera: Camera { start, ..Camera::default() },
            subjects: vec![],
            ground: self.rng.random(),
            style,
            depth: false,
        }
    }

    fn sign(&mut self) -> f64 {
        if self.rng.random_range(0..2) == 0 { 1.0 } else { -1.0 }
    }

    /// Between, evenly by ratio.
    fn ratio(&mut self, from: f64, to: f64) -> f64 {
        from * (to / from).powf(self.rng.random_range(0.0..1.0))
    }

    fn walker(&mut self) -> Subject {
        let way = self.sign();
        Subject {
            round: false,
            width: self.rng.random_range(0.06..0.14),
            height: self.rng.random_range(0.18..0.36),
            action: Action::Walks {
                from: -0.5 * way,
                y: self.rng.random_range(-0.05..0.12),
                speed: way * self.rng.random_range(0.08..0.3),
            },
            texture: self.rng.random(),
        }
    }

    fn mover(&mut self) -> Subject {
        let size = self.ratio(0.06, 0.45);
        let (x, y) = (self.rng.random_range(-0.2..0.2), self.rng.random_range(-0.1..0.1));
        let hertz = self.rng.random_range(0.3..1.2);
        let action = match self.rng.random_range(0..4) {
            0 => Action::Swings { x, y: -0.3, length: 0.35, angle: self.rng.random_range(0.25..0.7), hertz },
            1 => Action::Spins { x, y, hertz: hertz * 0.5 },
            2 => Action::Waves { x, y, way: self.rng.random_range(0.04..0.14), hertz },
            _ => return self.walker(),
        };
        Subject {
            round: self.rng.random_range(0..2) == 0,
            width: size,
            height: size * self.rng.random_range(0.6..1.1),
            action,
            texture: self.rng.random(),
        }
    }

    fn tremble(&mut self, from: f64, to: f64) -> Tremble {
        Tremble { from, to, size: self.ratio(0.006, 0.03), seed: self.rng.random() }
    }
}

/// A clip with one movement in its middle.
fn moving(m: &mut Maker, kind: &'static str, i: usize, speed: Pose) -> Plan {
    let mut shot = m.shot(5.0);
    let ease = [0.0, 0.3, 0.6][m.rng.random_range(0..3)];
    let (from, to) = if i.is_multiple_of(2) { (-1.0, 7.0) } else { (0.8, 4.6) };
    shot.camera.moves.push(Move { from, to, speed, ease });
    shot.camera.start.x -= speed.x * 2.5;
    shot.camera.start.y -= speed.y * 2.5;
    shot.camera.start.zoom -= speed.zoom * 2.5;
    shot.depth = i % 3 == 2;
    if i % 4 == 1 {
        let tremble = m.tremble(0.0, 9.0);
        shot.camera.trembles.push(tremble);
    }
    if i % 4 == 3 {
        let subject = m.mover();
        shot.subjects.push(subject);
    }
    let mut plan = m.plan(kind, vec![shot]);
    plan.rotated = i % 5 == 4;
    plan
}

fn pan(m: &mut Maker, i: usize) -> Plan {
    let speed = m.ratio(0.02, 0.7) * m.sign();
    moving(m, "pan", i, Pose { x: speed, ..Pose::default() })
}

fn tilt(m: &mut Maker, i: usize) -> Plan {
    let speed = m.ratio(0.02, 0.4) * m.sign();
    moving(m, "tilt", i, Pose { y: speed, ..Pose::default() })
}

fn zoom(m: &mut Maker, i: usize) -> Plan {
    let speed = m.ratio(0.03, 0.45) * m.sign();
    moving(m, "zoom", i, Pose { zoom: speed, ..Pose::default() })
}

fn whip(m: &mut Maker, _: usize) -> Plan {
    let mut shot = m.shot(4.0);
    let at = m.rng.random_range(1.2..2.2);
    let speed = Pose { x: m.sign() * m.rng.random_range(3.0..6.0), ..Pose::default() };
    shot.camera.moves.push(Move { from: at, to: at + 0.45, speed, ease: 0.2 });
    m.plan("whip", vec![shot])
}

fn still_with_subject(m: &mut Maker, i: usize) -> Plan {
    let mut shot = m.shot(5.0);
    let count = if i % 5 == 4 { 12 } else { 1 + i % 2 };
    for _ in 0..count {
        let mut subject = m.mover();
        if count > 2 {
            subject.width *= 0.3;
            subject.height *= 0.3;
        }
        shot.subjects.push(subject);
    }
    if i.is_multiple_of(4) {
        // Most of the picture swings.
        let angle = m.rng.random_range(0.2..0.45);
        let hertz = m.rng.random_range(0.4..0.9);
        shot.subjects = vec![Subject {
            round: true,
            width: 0.5,
            height: 0.5,
            action: Action::Swings { x: 0.0, y: -0.4, length: 0.45, angle, hertz },
            texture: m.rng.random(),
        }];
    }
    m.plan("subject", vec![shot])
}

fn plain_still(m: &mut Maker, _: usize) -> Plan {
    let shot = m.shot(4.0);
    m.plan("still", vec![shot])
}

fn hand_held(m: &mut Maker, i: usize) -> Plan {
    let mut shot = m.shot(7.0);
    let from = if i.is_multiple_of(2) { 3.5 } else { 0.0 };
    let tremble = m.tremble(from, from + 3.5);
    shot.camera.trembles.push(tremble);
    if i % 3 == 1 {
        let speed = Pose { x: m.sign() * m.rng.random_range(0.05..0.25), ..Pose::default() };
        shot.camera.moves.push(Move { from: -1.0, to: 9.0, speed, ease: 0.0 });
    }
    if i % 3 == 2 {
        let subject = m.mover();
        shot.subjects.push(subject);
    }
    m.plan("hand", vec![shot])
}

fn taken_down(m: &mut Maker, i: usize) -> Plan {
    let seconds = m.rng.random_range(4.5..6.0);
    let mut shot = m.shot(seconds);
    shot.camera.taken_down = Some(seconds - m.rng.random_range(0.7..1.1));
    if i.is_multiple_of(2) {
        let subject = m.mover();
        shot.subjects.push(subject);
    }
    m.plan("down", vec![shot])
}

/// The camera goes along with somebody.
fn following(m: &mut Maker, _: usize) -> Plan {
    let mut shot = m.shot(5.0);
    let speed = m.sign() * m.rng.random_range(0.1..0.3);
    shot.camera.start = Pose { x: -2.5 * speed, ..Pose::default() };
    shot.camera.moves.push(Move { from: -1.0, to: 7.0, speed: Pose { x: speed, ..Pose::default() }, ease: 0.0 });
    let size = m.rng.random_range(0.15..0.4);
    shot.subjects.push(Subject {
        round: false,
        width: size * 0.6,
        height: size,
        action: Action::Walks { from: -2.5 * speed, y: 0.03, speed },
        texture: m.rng.random(),
    });
    m.plan("follow", vec![shot])
}

fn focus(m: &mut Maker, i: usize) -> Plan {
    let mut shot = m.shot(6.0);
    if i.is_multiple_of(2) {
        let speed = Pose { x: m.sign() * m.rng.random_range(0.02..0.3), ..Pose::default() };
        shot.camera.moves.push(Move { from: -1.0, to: 9.0, speed, ease: 0.0 });
    }
    if i % 3 == 2 {
        let subject = m.mover();
        shot.subjects.push(subject);
    }
    let radius = m.ratio(0.003, 0.012);
    let at = m.rng.random_range(0.0..3.0);
    let mut plan = m.plan("focus", vec![shot]);
    plan.effects.push(Effect { from: at, to: at + 2.6, kind: EffectKind::Blur(radius) });
    if i % 4 == 3 {
        plan.effects.push(Effect { from: -1.0, to: 9.0, kind: EffectKind::Gain(0.3) });
    }
    plan
}

fn light(m: &mut Maker, i: usize) -> Plan {
    let mut shot = m.shot(6.0);
    if i.is_multiple_of(2) {
        let subject = m.mover();
        shot.subjects.push(subject);
    }
    let at = m.rng.random_range(1.0..3.0);
    let mut plan = m.plan("light", vec![shot]);
    let mut effect = |from: f64, length: f64, kind| plan.effects.push(Effect { from, to: from + length, kind });
    match i % 4 {
        0 => effect(at, 2.5, EffectKind::Gain(0.02)),
        1 => effect(at, 2.5, EffectKind::Gain(8.0)),
        2 => {
            effect(at, 0.09, EffectKind::Flash);
            effect(at + 1.3, 0.09, EffectKind::Flash);
        }
        _ => effect(at, 2.5, EffectKind::Gain(0.45)),
    }
    plan
}

/// A shot of any sort, as they are cut together.
fn any_shot(m: &mut Maker) -> Shot {
    let seconds = m.rng.random_range(1.0..2.4);
    let mut shot = m.shot(seconds);
    match m.rng.random_range(0..5) {
        0 => {
            let speed = Pose { x: m.sign() * m.ratio(0.05, 0.5), ..Pose::default() };
            shot.camera.moves.push(Move { from: -1.0, to: 9.0, speed, ease: 0.0 });
        }
        1 => {
            let speed = Pose { zoom: m.sign() * m.ratio(0.05, 0.3), ..Pose::default() };
            shot.camera.moves.push(Move { from: -1.0, to: 9.0, speed, ease: 0.0 });
        }
        2 => {
            let tremble = m.tremble(0.0, 9.0);
            shot.camera.trembles.push(tremble);
        }
        _ => {
            let subject = m.mover();
            shot.subjects.push(subject);
        }
    }
    shot
}

fn cuts(m: &mut Maker, i: usize) -> Plan {
    let count = m.rng.random_range(3..6);
    let mut shots: Vec<Shot> = (0..count).map(|_| any_shot(m)).collect();
    if i % 3 == 1 {
        // Nearer at the same thing: alike in tone.
        for k in 1..shots.len() {
            if k % 2 == 1 {
                shots[k].ground = shots[k - 1].ground;
                shots[k].style = shots[k - 1].style;
                shots[k].camera.start = Pose {
                    x: shots[k - 1].camera.start.x + 0.25,
                    zoom: shots[k - 1].camera.start.zoom + 0.45,
                    ..shots[k - 1].camera.start
                };
            }
        }
    }
    let mut plan = m.plan("cuts", shots);
    if i % 4 == 2 {
        plan.joins[0] = Join::Black(0.4);
    }
    if i % 4 == 3 {
        let at = plan.starts()[1] + 0.6;
        plan.effects.push(Effect { from: at, to: at + 0.07, kind: EffectKind::Flash });
    }
    plan
}

fn dissolves(m: &mut Maker, _: usize) -> Plan {
    let shots: Vec<Shot> = (0..3)
        .map(|_| {
            let mut shot = any_shot(m);
            shot.seconds = m.rng.random_range(2.4..3.4);
            shot
        })
        .collect();
    let mut plan = m.plan("dissolve", shots);
    for join in &mut plan.joins {
        *join = Join::Dissolve(m.rng.random_range(0.5..1.2));
    }
    plan
}

fn hits(m: &mut Maker, i: usize) -> Plan {
    let mut shot = m.shot(5.0);
    let hit = m.rng.random_range(1.2..3.6);
    let (x, size) = (m.rng.random_range(-0.2..0.2), m.ratio(0.07, 0.25));
    let texture = m.rng.random();
    match i % 4 {
        0 => {
            for _ in 0..30 {
                let angle = m.rng.random_range(0.0..std::f64::consts::TAU);
                let speed = m.rng.random_range(0.3..0.9);
                shot.subjects.push(Subject {
                    round: true,
                    width: 0.03,
                    height: 0.03,
                    action: Action::Flies { x, y: 0.05, angle, speed, hit },
                    texture,
                });
            }
        }
        1 => shot.subjects.push(Subject {
            round: false,
            width: size,
            height: size,
            action: Action::Falls { x, from: -0.35, to: 0.15, hit },
            texture,
        }),
        2 => shot.subjects.push(Subject {
            round: true,
            width: size,
            height: size,
            action: Action::Struck { x, y: 0.0, way: 0.12, hit },
            texture,
        }),
        _ => {
            // A hammer comes down on something that is knocked about.
            shot.subjects.push(Subject {
                round: true,
                width: size,
                height: size,
                action: Action::Struck { x, y: 0.12, way: 0.07, hit },
                texture,
            });
            shot.subjects.push(Subject {
                round: false,
                width: 0.1,
                height: 0.16,
                action: Action::Falls { x, from: -0.3, to: 0.12 - size / 2.0 - 0.08, hit },
                texture,
            });
        }
    }
    if i % 5 == 3 {
        let speed = Pose { x: m.sign() * m.rng.random_range(0.03..0.12), ..Pose::default() };
        shot.camera.moves.push(Move { from: -1.0, to: 9.0, speed, ease: 0.0 });
    }
    if i % 5 == 4 {
        let idle = m.walker();
        shot.subjects.insert(0, Subject { width: 0.05, height: 0.1, ..idle });
    }
    if i % 6 == 5 {
        shot.subjects.push(Subject {
            round: true,
            width: 0.2,
            height: 0.2,
            action: Action::Rests { x: -0.3, y: 0.1 },
            texture,
        });
    }
    m.plan("hit", vec![shot])
}
