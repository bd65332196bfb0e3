//! Surfaces that a camera looks at: drawn from a seed, or a photograph.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::path::Path;
use std::process::Command;

/// How a surface looks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Style {
    /// Detail everywhere, of all sizes.
    Rich,
    /// The same shapes again and again: bricks, tiles.
    Regular,
    /// Large plain areas with a few things in them.
    Plain,
}

/// A picture that repeats, mirrored, without end.
#[derive(Debug, Clone)]
pub struct Texture {
    width: usize,
    height: usize,
    rgb: Vec<[f32; 3]>,
}

const SIZE: usize = 1280;

impl Texture {
    pub fn drawn(seed: u64, style: Style) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let ground: [f32; 3] =
            [rng.random_range(50.0..170.0), rng.random_range(50.0..170.0), rng.random_range(50.0..170.0)];
        let mut rgb = vec![ground; SIZE * SIZE];
        let strength = if style == Style::Plain { 0.35 } else { 1.0 };
        for cell in [320, 96, 28, 9] {
            let n = SIZE / cell + 2;
            let knots: Vec<f32> = (0..n * n).map(|_| rng.random_range(-1.0..1.0)).collect();
            let tint: [f32; 3] = [rng.random_range(0.6..1.0), rng.random_range(0.6..1.0), rng.random_range(0.6..1.0)];
            let high = strength * 9.0 * (cell as f32).powf(0.22);
            for (i, p) in rgb.iter_mut().enumerate() {
                let (x, y) = ((i % SIZE) as f32 / cell as f32, (i / SIZE) as f32 / cell as f32);
                let (ix, iy) = (x as usize, y as usize);
                let (fx, fy) = (smooth(x - ix as f32), smooth(y - iy as f32));
                let at = |dx: usize, dy: usize| knots[(iy + dy) * n + ix + dx];
                let v =
                    (at(0, 0) * (1.0 - fx) + at(1, 0) * fx) * (1.0 - fy) + (at(0, 1) * (1.0 - fx) + at(1, 1) * fx) * fy;
                for c in 0..3 {
                    p[c] += high * v * tint[c];
                }
            }
        }
        let mut texture = Self { width: SIZE, height: SIZE, rgb };
        let count = match style {
            Style::Rich => 260,
            Style::Regular => 30,
            Style::Plain => 24,
        };
        if style == Style::Regular {
            texture.bricks(&mut rng);
        }
        for _ in 0..count {
            let (x, y) = (rng.random_range(0..SIZE as i32), rng.random_range(0..SIZE as i32));
            let (w, h) = (rng.random_range(4..90), rng.random_range(4..90));
            let tone: [f32; 3] =
                [rng.random_range(15.0..240.0), rng.random_range(15.0..240.0), rng.random_range(15.0..240.0)];
            texture.shape((x, y), (w, h), rng.random_range(0..2) == 0, tone);
        }
        texture
    }

    fn bricks(&mut self, rng: &mut ChaCha8Rng) {
        let (bw, bh) = (rng.random_range(60..120usize), rng.random_range(28..60usize));
        for y in 0..SIZE {
            for x in 0..SIZE {
                let shifted = if (y / bh).is_multiple_of(2) { x } else { x + bw / 2 };
                if y % bh < 4 || shifted % bw < 4 {
                    for c in &mut self.rgb[y * SIZE + x] {
                        *c *= 0.6;
                    }
                }
            }
        }
    }

    fn shape(&mut self, (x0, y0): (i32, i32), (w, h): (i32, i32), round: bool, tone: [f32; 3]) {
        for dy in -h / 2..h / 2 {
            for dx in -w / 2..w / 2 {
                let (u, v) = (dx as f32 / (w as f32 / 2.0), dy as f32 / (h as f32 / 2.0));
                let (x, y) = (x0 + dx, y0 + dy);
                let inside = !round || u * u + v * v < 1.0;
                if inside && (0..SIZE as i32).contains(&x) && (0..SIZE as i32).contains(&y) {
                    self.rgb[y as usize * SIZE + x as usize] = tone.map(|c| c * (0.85 + 0.15 * u * v));
                }
            }
        }
    }

    /// A photograph, decoded by ffmpeg to 1600 pixels on its longer side.
    pub fn photograph(path: &Path) -> Option<Self> {
        let scale = "scale=1600:1600:force_original_aspect_ratio=decrease:force_divisible_by=2";
        let mut ffmpeg = Command::new("ffmpeg");
        ffmpeg.args(["-v", "error", "-nostdin", "-i"]).arg(path).args(["-frames:v", "1", "-vf", scale]);
        let out = ffmpeg.args(["-f", "image2pipe", "-c:v", "ppm", "-"]).output().ok()?.stdout;
        let mut words = out.splitn(4, |b| *b == b'\n');
        let (_, size, _, body) = (words.next()?, words.next()?, words.next()?, words.next()?);
        let size = std::str::from_utf8(size).ok()?;
        let (w, h) = size.split_once(' ')?;
        let (width, height) = (w.parse().ok()?, h.parse().ok()?);
        let rgb: Vec<[f32; 3]> = body.chunks_exact(3).map(|p| [p[0].into(), p[1].into(), p[2].into()]).collect();
        (rgb.len() == width * height).then_some(Self { width, height, rgb })
    }

    /// At (`x`, `y`) in units of its width from its middle.
    pub fn at(&self, x: f32, y: f32) -> [f32; 3] {
        let scale = self.width as f32;
        let u = mirrored(x * scale + self.width as f32 / 2.0, self.width);
        let v = mirrored(y * scale + self.height as f32 / 2.0, self.height);
        let (ix, iy) = ((u as usize).min(self.width - 2), (v as usize).min(self.height - 2));
        let (fx, fy) = ((u - ix as f32).clamp(0.0, 1.0), (v - iy as f32).clamp(0.0, 1.0));
        let at = iy * self.width + ix;
        let (a, b) = (&self.rgb[at], &self.rgb[at + 1]);
        let (c, d) = (&self.rgb[at + self.width], &self.rgb[at + self.width + 1]);
        std::array::from_fn(|k| (a[k] * (1.0 - fx) + b[k] * fx) * (1.0 - fy) + (c[k] * (1.0 - fx) + d[k] * fx) * fy)
    }
}

fn smooth(t: f32) -> f32 {
    t * t * (3.0 - 2.0 * t)
}

fn mirrored(v: f32, size: usize) -> f32 {
    let span = size as f32 - 1.0;
    let m = v.rem_euclid(2.0 * span);
    if m > span { 2.0 * span - m } else { m }
}
