//! The subjects, drawn at any instant. Drawing the same instant twice gives the same picture.

use crate::paint::{Canvas, Ink};
use crate::plan::{Plan, Subject};
use crate::surface::Make;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::f64::consts::{PI, TAU};

const BRASS: Ink = Ink::rgb(196, 150, 62);
const BRASS_DARK: Ink = Ink::rgb(138, 98, 40);
const STEEL: Ink = Ink::rgb(150, 156, 160);
const DARK: Ink = Ink::rgb(34, 30, 27);
const CREAM: Ink = Ink::rgb(236, 228, 206);

/// Draws the world of a plan at `t` seconds, over its ground.
pub fn draw(plan: &Plan, t: f64, canvas: &mut Canvas<'_>) {
    canvas.ground();
    let shot = t;
    let t = t + plan.phase;
    let mut rng = ChaCha8Rng::seed_from_u64(plan.seed);
    let live = plan.liveliness;
    let Some(subject) = plan.subject_at(shot) else { return bench(canvas) };
    match subject {
        Subject::Gears => {
            let turn = t * 1.1 * live;
            canvas.gear((-0.13, 0.0), 0.2, 18, turn, BRASS, DARK);
            canvas.gear((0.135, -0.08), 0.1, 9, -turn * 2.0 + 0.17, BRASS_DARK, DARK);
            canvas.gear((0.14, 0.16), 0.15, 14, -turn * 18.0 / 14.0, Ink::rgb(176, 132, 70), DARK);
        }
        Subject::Pendulum => {
            let angle = 0.5 * (t * TAU * 0.6 * live.max(0.6)).sin();
            let (x, y) = (0.42 * angle.sin(), -0.28 + 0.42 * angle.cos());
            canvas.line((0.0, -0.28), (x, y), 0.012, STEEL);
            canvas.disc(x, y, 0.075, BRASS);
            canvas.disc(x, y, 0.045, BRASS_DARK);
        }
        Subject::Escapement => {
            // It moves in ticks: a fast step, then rest.
            let beat = t * 2.0 * live;
            let step = beat.floor() + ((beat.fract() * 8.0).min(1.0));
            canvas.gear((0.0, 0.06), 0.2, 15, step * TAU / 30.0, BRASS, DARK);
            let rock =
                if step.floor() as i64 % 2 == 0 { 0.14 } else { -0.14 } * (1.0 - 2.0 * (beat.fract() * 8.0).min(1.0));
            let arm = |a: f64| (0.22 * (a + rock).sin(), -0.2 + 0.16 * (a + rock).cos());
            canvas.polygon(&[(0.0, -0.24), arm(0.9), arm(0.5), (0.0, -0.18), arm(-0.5), arm(-0.9)], rock, STEEL);
        }
        Subject::Sparks => sparks(plan, shot, canvas),
        Subject::Bell => bell(plan, shot, canvas),
        Subject::Dial => {
            canvas.disc(0.0, 0.0, 0.24, DARK);
            canvas.disc(0.0, 0.0, 0.225, CREAM);
            for hour in 0..12 {
                let a = f64::from(hour) / 12.0 * TAU;
                canvas.line((0.19 * a.cos(), 0.19 * a.sin()), (0.215 * a.cos(), 0.215 * a.sin()), 0.008, DARK);
            }
            let minute = t * 0.25 * live + rng.random_range(0.0..TAU);
            canvas.line((0.0, 0.0), (0.17 * minute.cos(), 0.17 * minute.sin()), 0.009, DARK);
            let hour = minute / 12.0 + 2.0;
            canvas.line((0.0, 0.0), (0.11 * hour.cos(), 0.11 * hour.sin()), 0.013, DARK);
        }
        Subject::Lamp => {
            canvas.rect(-0.8, 0.16, 1.6, 0.3, Ink::rgb(88, 66, 44));
            for i in 0..6 {
                let x = -0.34 + f64::from(i) * 0.13;
                let size = rng.random_range(0.03..0.06);
                canvas.rect(x, 0.16 - size, size, size, BRASS_DARK);
            }
            let sway = 0.03 * live * (t * 1.3).sin();
            canvas.polygon(&[(sway, -0.22), (sway + 0.22, 0.16), (sway - 0.22, 0.16)], sway, Ink(246, 220, 150, 90));
            canvas.line((0.0, -0.5), (sway, -0.22), 0.006, DARK);
            canvas.disc(sway, -0.22, 0.035, Ink::rgb(250, 226, 160));
        }
        Subject::Pigeons => pigeons(plan, shot, canvas, &mut rng),
        Subject::Hands => {
            hands(t * live, canvas);
        }
        Subject::Filings => {
            canvas.rect(-0.2, -0.16, 0.4, 0.05, STEEL);
            let file = 0.09 * (t * 7.0 * live).sin();
            canvas.rect(-0.3 + file, -0.2, 0.5, 0.035, Ink::rgb(110, 112, 116));
            for i in 0..60 {
                let start = f64::from(i) / 60.0 + rng.random_range(0.0..0.02);
                let fall = (t * 0.9 * live.max(0.5) + start).fract();
                let x = rng.random_range(-0.18..0.18) + rng.random_range(-0.05..0.05) * fall;
                canvas.disc(x, -0.1 + 0.42 * fall * fall, 0.005, Ink::rgb(214, 190, 130));
            }
        }
        Subject::Tower => {
            for i in 0..7 {
                let x = rng.random_range(-1.0..1.0) + t * 0.02 * live;
                canvas.disc(x, -0.2 + f64::from(i % 3) * 0.06, rng.random_range(0.06..0.12), Ink(226, 228, 226, 150));
            }
            canvas.backdrop(true);
            for i in 0..14 {
                let h = rng.random_range(0.08..0.2);
                canvas.rect(-1.1 + f64::from(i) * 0.16, 0.3 - h, 0.15, h + 0.4, Ink::rgb(92, 84, 82));
            }
            canvas.rect(-0.09, -0.2, 0.18, 0.8, Ink::rgb(108, 92, 80));
            canvas.polygon(&[(-0.11, -0.2), (0.0, -0.36), (0.11, -0.2)], 0.0, Ink::rgb(70, 58, 54));
            canvas.backdrop(false);
            canvas.disc(0.0, -0.1, 0.05, CREAM);
            let a = t * 0.1;
            canvas.line((0.0, -0.1), (0.04 * a.cos(), -0.1 + 0.04 * a.sin()), 0.006, DARK);
        }
        Subject::Dust => {
            canvas.polygon(&[(-0.6, -0.4), (-0.3, -0.4), (0.5, 0.4), (0.0, 0.4)], 0.0, Ink(240, 214, 160, 60));
            for i in 0..70 {
                let (x0, y0) = (rng.random_range(-0.6..0.6), rng.random_range(-0.35..0.35));
                let drift = t * 0.03 * live + f64::from(i);
                canvas.disc(x0 + 0.04 * drift.sin(), y0 + 0.03 * (drift * 1.3).cos(), 0.004, Ink(250, 232, 190, 200));
            }
        }
    }
}

/// What is behind a subject.
pub fn ground(subject: Subject) -> (Ink, Make) {
    use Make::{Boards, Bricks, Plaster, Sky};
    match subject {
        Subject::Gears => (Ink::rgb(82, 68, 56), Boards),
        Subject::Pendulum => (Ink::rgb(100, 88, 74), Plaster),
        Subject::Escapement => (Ink::rgb(52, 57, 62), Plaster),
        Subject::Sparks => (Ink::rgb(40, 37, 35), Bricks),
        Subject::Bell => (Ink::rgb(122, 132, 142), Bricks),
        Subject::Dial => (Ink::rgb(72, 62, 58), Boards),
        Subject::Lamp => (Ink::rgb(62, 52, 44), Plaster),
        Subject::Hands => (Ink::rgb(104, 82, 62), Boards),
        Subject::Filings => (Ink::rgb(48, 48, 51), Plaster),
        Subject::Pigeons => (Ink::rgb(160, 172, 182), Sky),
        Subject::Tower => (Ink::rgb(134, 154, 172), Sky),
        Subject::Dust => (Ink::rgb(54, 47, 42), Boards),
    }
}

/// Things that stand before the subject, out of focus: they go by faster than it does.
pub fn foreground(plan: &Plan, canvas: &mut Canvas<'_>) {
    if matches!(plan.subject, Subject::Tower | Subject::Pigeons) || !plan.seed.is_multiple_of(3) {
        return;
    }
    let side = if plan.seed.is_multiple_of(2) { 1.0 } else { -1.0 };
    for k in 0..5 {
        let r = 0.17 - 0.016 * f64::from(k);
        canvas.disc(side * 0.52, 0.3, r, Ink(18, 15, 13, 70));
        canvas.disc(-side * 0.56, -0.26, 0.7 * r, Ink(36, 28, 20, 46));
    }
}

/// Two hands over a movement: the left holds it, the right brings a wheel from the tray, sets it in, turns it and goes back.
fn hands(t: f64, canvas: &mut Canvas<'_>) {
    let eased = |u: f64| u.clamp(0.0, 1.0).powi(2) * (3.0 - 2.0 * u.clamp(0.0, 1.0));
    let cycle = (t * 0.42).fract();
    let turn = t.floor() * 0.7;
    // Goes there, works, comes back: shares of a cycle.
    let there = eased(cycle / 0.25) - eased((cycle - 0.72) / 0.25);
    let working = eased((cycle - 0.25) / 0.08) - eased((cycle - 0.64) / 0.08);
    let twist = working * (t * 9.0).sin() * 0.22;
    canvas.disc(0.0, 0.08, 0.165, Ink::rgb(70, 56, 44));
    canvas.gear((0.0, 0.08), 0.15, 22, turn + 0.35 * working * eased((cycle - 0.3) / 0.4), BRASS, DARK);
    canvas.gear((0.085, 0.0), 0.07, 12, -1.8 * turn - twist, BRASS_DARK, DARK);
    let skin = Ink::rgb(206, 160, 128);
    let shade = Ink::rgb(176, 130, 102);
    let sleeve = Ink::rgb(58, 66, 78);
    for (side, x, y, curl) in [
        (-1.0, -0.15 + 0.008 * (t * 1.7).sin(), 0.1 + 0.006 * (t * 2.1).cos(), 0.5),
        (1.0, 0.34 - 0.2 * there + 0.012 * twist, 0.2 - 0.15 * there + 0.01 * (t * 2.3).sin(), 0.25 + 0.6 * there),
    ] {
        let tilt: f64 = side * (0.5 - 0.25 * there) + if side > 0.0 { twist } else { 0.0 };
        let along = |forward: f64, across: f64| {
            let (sin, cos) = tilt.sin_cos();
            (x + side * -forward * cos * 0.9 + across * sin, y - forward * sin.abs() * 0.7 - across * cos)
        };
        canvas.polygon(&[(side * 0.75, 0.46), (side * 0.62, 0.6), along(-0.1, -0.06), along(-0.1, 0.06)], tilt, sleeve);
        canvas.polygon(&[along(-0.11, -0.045), along(-0.11, 0.045), along(0.0, 0.05), along(0.02, -0.045)], tilt, skin);
        for finger in 0..4 {
            let across = -0.036 + f64::from(finger) * 0.024;
            let bend = curl + 0.06 * (t * 3.1 + f64::from(finger)).sin();
            let (knuckle, joint) = (along(0.01, across), along(0.055 - 0.01 * bend, across * 0.9));
            let (sin, cos) = (tilt + bend).sin_cos();
            let tip = (joint.0 - side * 0.04 * cos, joint.1 + 0.045 * sin.abs() * bend - 0.012);
            canvas.line(knuckle, joint, 0.024, shade);
            canvas.line(knuckle, joint, 0.019, skin);
            canvas.line(joint, tip, 0.018, skin);
        }
        canvas.line(along(-0.05, -0.045), along(0.035, -0.075), 0.023, skin);
    }
    if there > 0.1 && cycle < 0.7 {
        // The wheel that it carries.
        canvas.disc(0.26 - 0.2 * there, 0.16 - 0.16 * there, 0.022, BRASS);
    }
}

/// The bench while nobody is at it.
fn bench(canvas: &mut Canvas<'_>) {
    canvas.disc(0.0, 0.08, 0.165, Ink::rgb(70, 56, 44));
    canvas.gear((0.0, 0.08), 0.15, 22, 0.4, BRASS, DARK);
    canvas.rect(-0.42, 0.16, 0.16, 0.02, STEEL);
    canvas.rect(0.26, 0.18, 0.2, 0.015, BRASS_DARK);
}

fn since_hit(plan: &Plan, t: f64) -> f64 {
    t - plan.hit.unwrap_or(f64::MAX)
}

fn sparks(plan: &Plan, t: f64, canvas: &mut Canvas<'_>) {
    canvas.gear((-0.16, 0.06), 0.17, 40, t * 2.0, Ink::rgb(92, 84, 78), Ink::rgb(60, 54, 50));
    let since = since_hit(plan, t);
    let strength = if since < 0.0 { 0.0 } else { plan.liveliness * (1.2 * (-since * 0.8).exp()).min(1.0) };
    for i in 0..(110.0 * strength) as u32 {
        // Each spark is born again and again, faster than the eye follows.
        let born = f64::from(i) * 0.618_033_9 % 1.0;
        let life = (since * 3.4 + born).fract();
        let cycle = (since * 3.4 + born).floor();
        let mut own = ChaCha8Rng::seed_from_u64(plan.seed ^ u64::from(i) ^ ((cycle as u64) << 20));
        let angle: f64 = own.random_range(-1.3..0.35);
        let reach = 0.62 * life * own.random_range(0.5..1.0);
        let (x, y) = (0.0 + reach * angle.cos(), -0.02 + reach * angle.sin() + 0.1 * life * life);
        let tail = 0.05 + 0.06 * life;
        let glow = Ink(255, (240.0 - 120.0 * life) as u8, (190.0 - 150.0 * life) as u8, 255);
        canvas.line((x, y), (x - tail * angle.cos(), y - tail * angle.sin()), 0.006, glow);
    }
    if strength > 0.0 {
        canvas.disc(0.005, -0.01, 0.03 + 0.015 * strength, Ink::rgb(255, 244, 214));
    }
}

fn bell(plan: &Plan, t: f64, canvas: &mut Canvas<'_>) {
    canvas.rect(-0.6, -0.3, 1.2, 0.06, Ink::rgb(74, 58, 44));
    let since = since_hit(plan, t);
    let swing =
        if since < 0.0 { 0.0 } else { 0.55 * plan.liveliness.min(1.4) * (since * 5.2).sin() * (-since * 0.35).exp() };
    let turned = |x: f64, y: f64| (x * swing.cos() - y * swing.sin(), -0.25 + x * swing.sin() + y * swing.cos());
    let shape: Vec<(f64, f64)> = [
        (-0.04, 0.0),
        (0.04, 0.0),
        (0.09, 0.1),
        (0.12, 0.24),
        (0.18, 0.32),
        (-0.18, 0.32),
        (-0.12, 0.24),
        (-0.09, 0.1),
    ]
    .iter()
    .map(|(x, y)| turned(*x, *y))
    .collect();
    let (cx, cy) = turned(0.04 * swing, 0.35);
    canvas.disc(cx, cy, 0.035, DARK);
    canvas.polygon(&shape, swing, Ink::rgb(128, 92, 44));
    let band: Vec<(f64, f64)> =
        [(-0.125, 0.25), (0.125, 0.25), (0.135, 0.27), (-0.135, 0.27)].iter().map(|(x, y)| turned(*x, *y)).collect();
    canvas.polygon(&band, swing, BRASS);
    // The hammer comes down on the hit.
    let lift: f64 = if since < -0.25 {
        0.5
    } else if since < 0.0 {
        -since * 2.0
    } else {
        (since * 0.5).min(0.5)
    };
    let (hx, hy) = (0.23 + 0.12 * lift, 0.03 - 0.22 * lift);
    canvas.line((0.42, -0.1), (hx, hy), 0.02, DARK);
    canvas.disc(hx, hy, 0.035, STEEL);
}

fn pigeons(plan: &Plan, t: f64, canvas: &mut Canvas<'_>, rng: &mut ChaCha8Rng) {
    canvas.backdrop(true);
    for i in 0..12 {
        canvas.rect(-0.9 + f64::from(i) * 0.16, 0.17, 0.145, 0.5, Ink::rgb(96, 84, 78));
    }
    canvas.rect(-1.2, 0.15, 2.4, 0.035, Ink::rgb(70, 60, 56));
    canvas.backdrop(false);
    let since = since_hit(plan, t);
    for _ in 0..26 {
        let x0 = rng.random_range(-0.45..0.45);
        let angle: f64 = rng.random_range(-PI + 0.35..-0.35);
        let speed = rng.random_range(0.35..0.85) * plan.liveliness.max(0.7);
        let flap_rate = rng.random_range(7.0..10.0);
        let nod = rng.random_range(0.0..TAU);
        let (x, y, wing) = if since < 0.0 {
            (x0, 0.135 + 0.003 * (t * 3.0 + nod).sin(), 0.0)
        } else {
            (
                x0 + since * speed * angle.cos(),
                0.135 + since * speed * angle.sin(),
                (since * flap_rate * TAU / 2.0 + nod).sin(),
            )
        };
        let body = Ink::rgb(64, 66, 74);
        if since >= 0.0 {
            canvas.polygon(
                &[(x - 0.012, y), (x + 0.012, y), (x + 0.03, y - 0.055 * wing)],
                wing,
                Ink::rgb(104, 108, 118),
            );
            canvas.polygon(
                &[(x - 0.012, y), (x + 0.012, y), (x - 0.03, y - 0.055 * wing)],
                wing,
                Ink::rgb(104, 108, 118),
            );
        }
        canvas.disc(x, y, 0.017, body);
        canvas.disc(x + 0.015 * angle.cos().signum(), y - 0.012, 0.009, body);
    }
}
