//! What moves in front of a drawn camera.

use std::f64::consts::TAU;

/// Something with a shape, in units of a frame width.
#[derive(Debug, Clone, PartialEq)]
pub struct Subject {
    pub round: bool,
    pub width: f64,
    pub height: f64,
    pub action: Action,
    pub texture: u64,
}

/// What it does. Times in seconds, ways in frame widths.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Action {
    Rests {
        x: f64,
        y: f64,
    },
    Swings {
        x: f64,
        y: f64,
        length: f64,
        angle: f64,
        hertz: f64,
    },
    Spins {
        x: f64,
        y: f64,
        hertz: f64,
    },
    Walks {
        from: f64,
        y: f64,
        speed: f64,
    },
    Waves {
        x: f64,
        y: f64,
        way: f64,
        hertz: f64,
    },
    /// Comes down ever faster, strikes at `hit`, and lies.
    Falls {
        x: f64,
        from: f64,
        to: f64,
        hit: f64,
    },
    /// Rests, and is knocked about from `hit` on.
    Struck {
        x: f64,
        y: f64,
        way: f64,
        hit: f64,
    },
    /// One of many that fly off at `hit`.
    Flies {
        x: f64,
        y: f64,
        angle: f64,
        speed: f64,
        hit: f64,
    },
}

/// Its middle, its angle and whether it is there.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Placed {
    pub x: f64,
    pub y: f64,
    pub angle: f64,
}

impl Action {
    pub fn at(self, t: f64) -> Placed {
        let still = |x, y| Placed { x, y, angle: 0.0 };
        match self {
            Self::Rests { x, y } => still(x, y),
            Self::Swings { x, y, length, angle, hertz } => {
                let a = angle * (TAU * hertz * t).sin();
                Placed { x: x + length * a.sin(), y: y + length * a.cos(), angle: -a }
            }
            Self::Spins { x, y, hertz } => Placed { x, y, angle: TAU * hertz * t },
            Self::Walks { from, y, speed } => still(from + speed * t, y + 0.008 * (TAU * 1.9 * t).sin().abs()),
            Self::Waves { x, y, way, hertz } => Placed {
                x: x + way * (TAU * hertz * t).sin(),
                y: y + 0.6 * way * (TAU * hertz * 1.3 * t).cos(),
                angle: 0.5 * (TAU * hertz * t).sin(),
            },
            Self::Falls { x, from, to, hit } => {
                // Takes half a second.
                let u = ((t - hit + 0.5) / 0.5).clamp(0.0, 1.0);
                still(x, from + (to - from) * u * u)
            }
            Self::Struck { x, y, way, hit } => {
                let s = t - hit;
                let by = if s > 0.0 { (TAU * 4.5 * s).sin() * (-2.2 * s).exp() } else { 0.0 };
                Placed { x: x + way * by, y: y - 0.4 * way * by.abs(), angle: 1.5 * way * by }
            }
            Self::Flies { x, y, angle, speed, hit } => {
                let s = (t - hit).max(0.0);
                let way = speed * s * (-0.5 * s).exp();
                Placed { x: x + way * angle.cos(), y: y + way * angle.sin() + 0.15 * s * s, angle: 3.0 * s }
            }
        }
    }

    /// The instant at which it happens.
    pub fn hit(self) -> Option<f64> {
        match self {
            Self::Falls { hit, .. } | Self::Struck { hit, .. } | Self::Flies { hit, .. } => Some(hit),
            _ => None,
        }
    }
}
