//! Where a drawn camera looks.

use std::f64::consts::TAU;

/// A point that a camera looks at, in frame widths, how near (log), and how it is turned (radians).
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Pose {
    pub x: f64,
    pub y: f64,
    pub zoom: f64,
    pub roll: f64,
}

/// A movement that somebody wants.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Move {
    pub from: f64,
    pub to: f64,
    /// A second at full speed: frame widths, and log scale.
    pub speed: Pose,
    /// Seconds of setting out and of coming to rest.
    pub ease: f64,
}

impl Move {
    /// How far along it is, in seconds at full speed.
    fn way(&self, t: f64) -> f64 {
        let (length, ease) = (self.to - self.from, self.ease.min((self.to - self.from) / 2.0).max(1e-6));
        let s = (t - self.from).clamp(0.0, length);
        let begun = |s: f64| {
            let u = (s / ease).min(1.0);
            // The integral of 3u² − 2u³.
            ease * (u.powi(3) - u.powi(4) / 2.0) + (s - ease).max(0.0)
        };
        let whole = length - ease;
        if s <= length - ease { begun(s) } else { whole - begun(length - s) }
    }

    /// Whether it is at full speed all the way from `a` to `b`.
    pub fn is_full(&self, a: f64, b: f64) -> bool {
        a >= self.from + self.ease - 1e-9 && b <= self.to - self.ease + 1e-9
    }
}

/// A hand that trembles.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tremble {
    pub from: f64,
    pub to: f64,
    /// Frame widths.
    pub size: f64,
    pub seed: u64,
}

impl Tremble {
    fn at(&self, t: f64) -> Pose {
        let inside = ((t - self.from) / 0.15).clamp(0.0, 1.0) * ((self.to - t) / 0.15).clamp(0.0, 1.0);
        let mut pose = Pose::default();
        for k in 0..4u64 {
            let r = |n: u64| {
                ((self.seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) ^ (k * 77 + n * 1013))
                    .wrapping_mul(0xBF58_476D_1CE4_E5B9)
                    >> 40) as f64
                    / (1u64 << 24) as f64
            };
            let hertz = 3.2 + 7.0 * r(1);
            let high = self.size * (0.4 + 0.6 * r(2)) / (1.0 + 0.15 * hertz);
            pose.x += 1.6 * high * (TAU * (hertz * t + r(3))).sin();
            pose.y += 1.6 * high * (TAU * (hertz * 1.13 * t + r(4))).sin();
            pose.roll += 0.6 * high * (TAU * (hertz * 0.9 * t + r(5))).sin();
        }
        Pose { x: pose.x * inside, y: pose.y * inside, zoom: 0.0, roll: pose.roll * inside }
    }
}

/// All that a camera does in a shot.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Camera {
    pub start: Pose,
    pub moves: Vec<Move>,
    pub trembles: Vec<Tremble>,
    /// Taken down from here on, while it still records.
    pub taken_down: Option<f64>,
}

impl Camera {
    /// Where it looks, with all that no hand wanted.
    pub fn at(&self, t: f64) -> Pose {
        let mut pose = self.wanted(t);
        for tremble in &self.trembles {
            let by = tremble.at(t);
            pose.x += by.x;
            pose.y += by.y;
            pose.roll += by.roll;
        }
        if let Some(from) = self.taken_down
            && t > from
        {
            let s = t - from;
            let grown = (s / 0.3).min(1.0);
            pose.x += 0.05 * grown * (TAU * 2.7 * s).sin() + 0.015 * grown * (TAU * 5.1 * s).sin();
            pose.y += 0.04 * grown * (TAU * 3.6 * s).sin() + 0.22 * s * s;
            pose.roll += 0.06 * grown * (TAU * 2.1 * s).sin();
        }
        pose
    }

    /// Where it was meant to look.
    pub fn wanted(&self, t: f64) -> Pose {
        let mut pose = self.start;
        for m in &self.moves {
            let way = m.way(t);
            pose.x += m.speed.x * way;
            pose.y += m.speed.y * way;
            pose.zoom += m.speed.zoom * way;
            pose.roll += m.speed.roll * way;
        }
        pose
    }

    pub fn shakes(&self, a: f64, b: f64) -> bool {
        self.trembles.iter().any(|t| t.from < b - 0.3 && t.to > a + 0.3) || self.taken_down.is_some_and(|s| s < b - 0.3)
    }

    /// Whether nothing unwanted happens.
    pub fn is_steady(&self, a: f64, b: f64) -> bool {
        self.trembles.iter().all(|t| t.from >= b || t.to <= a) && self.taken_down.is_none_or(|s| s >= b)
    }
}
