//! A shot as a camera sees it: the pictures, and how far each point of them moves.

use super::camera::{Camera, Pose};
use super::subject::Subject;
use super::texture::{Style, Texture};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// What is in front of the camera.
#[derive(Debug, Clone, PartialEq)]
pub struct Shot {
    pub seconds: f64,
    pub camera: Camera,
    pub subjects: Vec<Subject>,
    pub ground: u64,
    pub style: Style,
    /// Some things stand nearer and go by faster.
    pub depth: bool,
}

/// A shot with its surfaces.
pub struct Scene<'a> {
    shot: &'a Shot,
    ground: Texture,
    near: Vec<(f64, f64, f64, Texture)>,
    surfaces: Vec<Texture>,
    aspect: f64,
}

/// How much faster than the ground the nearer things go by.
const NEARER: f64 = 1.5;

impl<'a> Scene<'a> {
    /// `ground`: what is seen instead of a drawn surface.
    pub fn new(shot: &'a Shot, aspect: f64, ground: Option<Texture>) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(shot.ground ^ 0x5EED);
        let near = if shot.depth {
            (0..5)
                .map(|_| {
                    (
                        rng.random_range(-1.2..1.2),
                        rng.random_range(-0.4..0.4),
                        rng.random_range(0.03..0.09),
                        Texture::drawn(rng.random(), Style::Rich),
                    )
                })
                .collect()
        } else {
            Vec::new()
        };
        let mut surfaces: Vec<Texture> = Vec::new();
        for s in &shot.subjects {
            surfaces.push(if shot.subjects.len() > 6 && !surfaces.is_empty() {
                surfaces[0].clone()
            } else {
                Texture::drawn(s.texture, Style::Rich)
            });
        }
        Self { shot, ground: ground.unwrap_or_else(|| Texture::drawn(shot.ground, shot.style)), near, surfaces, aspect }
    }

    /// From the screen (frame widths from the middle) into the world.
    fn seen(pose: Pose, u: f64, v: f64, parallax: f64) -> (f64, f64) {
        let (scale, (sin, cos)) = ((-pose.zoom).exp(), pose.roll.sin_cos());
        ((u * cos - v * sin) * scale + pose.x * parallax, (u * sin + v * cos) * scale + pose.y * parallax)
    }

    fn shown(pose: Pose, x: f64, y: f64, parallax: f64) -> (f64, f64) {
        let (scale, (sin, cos)) = (pose.zoom.exp(), pose.roll.sin_cos());
        let (x, y) = (x - pose.x * parallax, y - pose.y * parallax);
        ((x * cos + y * sin) * scale, (-x * sin + y * cos) * scale)
    }

    /// Adds this instant's picture to `sum`.
    pub fn draw(&self, t: f64, width: usize, height: usize, sum: &mut [[f32; 3]]) {
        let pose = self.shot.camera.at(t);
        let w = width as f64;
        // A photograph or a drawn surface is twice as wide as the frame, so that there is somewhere to go.
        let (scale, (sin, cos)) = ((-pose.zoom).exp(), pose.roll.sin_cos());
        for y in 0..height {
            let v = (y as f64 + 0.5 - height as f64 / 2.0) / w;
            for x in 0..width {
                let u = (x as f64 + 0.5 - w / 2.0) / w;
                let gx = (u * cos - v * sin) * scale + pose.x;
                let gy = (u * sin + v * cos) * scale + pose.y;
                let tone = self.ground.at((gx / 2.0) as f32, (gy / 2.0) as f32);
                let to = &mut sum[y * width + x];
                for c in 0..3 {
                    to[c] += tone[c];
                }
            }
        }
        for (x, y, r, surface) in &self.near {
            self.sprite(pose, NEARER, (*x, *y, 0.0), (2.0 * r, 0.9), false, surface, (width, height), sum);
        }
        for (s, surface) in self.shot.subjects.iter().zip(&self.surfaces) {
            let at = s.action.at(t);
            self.sprite(pose, 1.0, (at.x, at.y, at.angle), (s.width, s.height), s.round, surface, (width, height), sum);
        }
    }

    #[expect(clippy::too_many_arguments, reason = "one pixel loop for all that is drawn over the ground")]
    fn sprite(
        &self,
        pose: Pose,
        parallax: f64,
        (x, y, angle): (f64, f64, f64),
        (w, h): (f64, f64),
        round: bool,
        surface: &Texture,
        (width, height): (usize, usize),
        sum: &mut [[f32; 3]],
    ) {
        let wide = width as f64;
        let (cu, cv) = Self::shown(pose, x, y, parallax);
        let reach = (w.hypot(h) / 2.0 + 0.005) * pose.zoom.exp();
        let to = |v: f64, half: f64, most: usize| (v * wide + half).clamp(0.0, most as f64) as usize;
        let (x0, x1) = (to(cu - reach, wide / 2.0, width), to(cu + reach, wide / 2.0 + 1.0, width));
        let (y0, y1) = (to(cv - reach, height as f64 / 2.0, height), to(cv + reach, height as f64 / 2.0 + 1.0, height));
        let (sin, cos) = angle.sin_cos();
        for py in y0..y1 {
            for px in x0..x1 {
                let (u, v) = ((px as f64 + 0.5 - wide / 2.0) / wide, (py as f64 + 0.5 - height as f64 / 2.0) / wide);
                let (wx, wy) = Self::seen(pose, u, v, parallax);
                let (dx, dy) = (wx - x, wy - y);
                let (lx, ly) = (dx * cos + dy * sin, -dx * sin + dy * cos);
                let edge = if round {
                    1.0 - (lx / (w / 2.0)).hypot(ly / (h / 2.0))
                } else {
                    (1.0 - (lx / (w / 2.0)).abs()).min(1.0 - (ly / (h / 2.0)).abs())
                };
                if edge <= 0.0 {
                    continue;
                }
                // Edges are two pixels soft.
                let cover = ((edge * w.min(h) * wide / 2.0 / 1.5).min(1.0)) as f32;
                let tone = surface.at(lx as f32, ly as f32);
                let (gx, gy) = Self::seen(pose, u, v, 1.0);
                let behind = self.ground.at((gx / 2.0) as f32, (gy / 2.0) as f32);
                let to = &mut sum[py * width + px];
                for c in 0..3 {
                    // What was added of the ground is taken back where something covers it.
                    to[c] += cover * (tone[c] - behind[c]);
                }
            }
        }
    }

    /// The mean way of the points of the picture from `t` on, in frame widths a second, over a grid; `wanted`: as if no hand had
    /// trembled.
    pub fn flow(&self, t: f64, wanted: bool) -> f64 {
        let dt = 1e-3;
        let pose = |t: f64| if wanted { self.shot.camera.wanted(t) } else { self.shot.camera.at(t) };
        let (now, next) = (pose(t), pose(t + dt));
        let (across, down) = (32, 18);
        let mut sum = 0.0;
        for j in 0..down {
            for i in 0..across {
                let u = (f64::from(i) + 0.5) / f64::from(across) - 0.5;
                let v = ((f64::from(j) + 0.5) / f64::from(down) - 0.5) / self.aspect;
                let mut to = None;
                for s in self.shot.subjects.iter().rev() {
                    let (a, b) = (s.action.at(t), s.action.at(t + dt));
                    let (wx, wy) = Self::seen(now, u, v, 1.0);
                    let (sin, cos) = a.angle.sin_cos();
                    let (dx, dy) = (wx - a.x, wy - a.y);
                    let (lx, ly) = (dx * cos + dy * sin, -dx * sin + dy * cos);
                    let (rx, ry) = (lx / (s.width / 2.0), ly / (s.height / 2.0));
                    let inside = if s.round { rx.hypot(ry) < 1.0 } else { rx.abs().max(ry.abs()) < 1.0 };
                    if inside {
                        let (sin, cos) = b.angle.sin_cos();
                        to = Some(Self::shown(next, lx * cos - ly * sin + b.x, lx * sin + ly * cos + b.y, 1.0));
                        break;
                    }
                }
                let near = || {
                    self.near.iter().find_map(|(x, y, r, _)| {
                        let (wx, wy) = Self::seen(now, u, v, NEARER);
                        ((wx - x).abs() < *r && (wy - y).abs() < 0.45).then(|| Self::shown(next, wx, wy, NEARER))
                    })
                };
                let (x, y) = to.or_else(near).unwrap_or_else(|| {
                    let (wx, wy) = Self::seen(now, u, v, 1.0);
                    Self::shown(next, wx, wy, 1.0)
                });
                sum += (x - u).hypot(y - v) / dt;
            }
        }
        sum / f64::from(across * down)
    }

    /// How fast the ground goes by in the middle, in frame widths a second: says how much it smears.
    pub fn fastest(&self, t: f64) -> f64 {
        let dt = 1e-3;
        let (a, b) = (self.shot.camera.at(t), self.shot.camera.at(t + dt));
        let camera =
            ((b.x - a.x).hypot(b.y - a.y) + 0.5 * (b.zoom - a.zoom).abs() + 0.5 * (b.roll - a.roll).abs()) / dt;
        let subjects = self.shot.subjects.iter().map(|s| {
            let (a, b) = (s.action.at(t), s.action.at(t + dt));
            ((b.x - a.x).hypot(b.y - a.y) + 0.5 * s.width.max(s.height) * (b.angle - a.angle).abs()) / dt
        });
        subjects.fold(camera, f64::max)
    }
}
