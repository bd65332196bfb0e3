//! What shapes are drawn on and what lies over them: a surface with detail of all sizes, light that falls from one side, and
//! the grain of the camera. All from a seed.

use crate::paint::Ink;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use tiny_skia::Pixmap;

const SIZE: usize = 512;
/// Widths of a medium shot that a surface spans before it repeats.
const SPAN: f32 = 1.6;

/// A wall, a table, a sky: detail of all sizes, so that both the eye and the measuring of camera moves have something to hold on to.
pub struct Surface {
    /// Red and blue, green and opacity: a channel in the lower half of sixteen bits each.
    tones: Vec<[u32; 2]>,
}

/// How a surface is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Make {
    /// Boards with joints and grain.
    Boards,
    /// Plaster or stone: stains of all sizes.
    Plaster,
    /// Bricks.
    Bricks,
    /// Soft clouds.
    Sky,
}

impl Surface {
    pub fn new(seed: u64, base: Ink, make: Make) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x00C0_FFEE);
        let mut height = vec![0.0f32; SIZE * SIZE];
        let octaves: &[(usize, f32)] = if make == Make::Sky {
            &[(256, 16.0), (128, 10.0), (64, 4.0)]
        } else {
            &[(128, 10.0), (64, 8.0), (16, 6.0), (8, 5.0), (4, 5.0)]
        };
        for (cell, strength) in octaves {
            let n = SIZE / cell;
            let knots: Vec<f32> = (0..n * n).map(|_| rng.random_range(-1.0..1.0)).collect();
            // The grain of wood runs along.
            let along = if make == Make::Boards && *cell < 64 { 4.0 } else { 1.0 };
            let columns: Vec<(usize, f32)> =
                (0..SIZE).map(|x| x as f32 / *cell as f32 / along).map(|x| (x as usize, smooth(x.fract()))).collect();
            for (y, row) in height.chunks_exact_mut(SIZE).enumerate() {
                let y = y as f32 / *cell as f32;
                let (upper, lower) = (y as usize % n * n, (y as usize + 1) % n * n);
                let fy = smooth(y.fract());
                for (h, (ix, fx)) in row.iter_mut().zip(&columns) {
                    let (left, right) = (ix % n, (ix + 1) % n);
                    let top = knots[upper + left] * (1.0 - fx) + knots[upper + right] * fx;
                    let bottom = knots[lower + left] * (1.0 - fx) + knots[lower + right] * fx;
                    *h += strength * (top * (1.0 - fy) + bottom * fy);
                }
            }
        }
        let (joint_x, joint_y) = match make {
            Make::Boards => (SIZE, 64),
            Make::Bricks => (64, 32),
            Make::Plaster | Make::Sky => (0, 0),
        };
        let shades: Vec<f32> = (0..512).map(|_| rng.random_range(-9.0..9.0)).collect();
        let tones = height
            .iter()
            .enumerate()
            .map(|(i, h)| {
                let (x, y) = (i % SIZE, i / SIZE);
                let mut v = *h;
                if let Some(line) = y.checked_div(joint_y) {
                    let shifted = x + if line.is_multiple_of(2) { 0 } else { joint_x / 2 };
                    v += shades[(line * 31 + shifted / joint_x * 7) % shades.len()];
                    let joint = y % joint_y < 2 || (joint_x < SIZE && shifted % joint_x < 2);
                    v -= if joint { 26.0 } else { 0.0 };
                    // The upper edge of each board catches the light.
                    v += if y % joint_y == 2 { 9.0 } else { 0.0 };
                }
                let [r, g, b] = [base.0, base.1, base.2].map(|c| (f32::from(c) + v).clamp(0.0, 255.0) as u32);
                [r | b << 16, g | 255 << 16]
            })
            .collect();
        Self { tones }
    }

    /// Fills a picture as a camera at (`x`, `y`), `zoom` times as near as a medium shot, sees it.
    pub fn fill(&self, pixels: &mut Pixmap, x: f64, y: f64, zoom: f64) {
        let (w, h) = (pixels.width() as usize, pixels.height() as usize);
        // Pixels of the surface for one of the picture.
        let per = SIZE as f32 / SPAN / (w.max(h) as f32 * zoom as f32);
        let unit = SIZE as f32 / SPAN;
        let (left, top) = (x as f32 * unit - per * w as f32 / 2.0, y as f32 * unit - per * h as f32 / 2.0);
        // In 1/256 of a pixel.
        let fixed = |v: f32| (v.rem_euclid(SIZE as f32) * 256.0) as u32;
        let step = (per * 256.0) as u32;
        let mask = SIZE - 1;
        let mut line = [[0u32; 2]; SIZE + 1];
        for (j, row) in pixels.data_mut().chunks_exact_mut(w * 4).enumerate() {
            let v = fixed(top + per * j as f32);
            let (iy, fy) = ((v >> 8) as usize & mask, v & 255);
            let (upper, lower) = (&self.tones[iy * SIZE..][..SIZE], &self.tones[((iy + 1) & mask) * SIZE..][..SIZE]);
            for (to, (a, b)) in line.iter_mut().zip(upper.iter().zip(lower)) {
                *to = [between(a[0], b[0], fy), between(a[1], b[1], fy)];
            }
            // The first stands behind the last as well: nothing has to go round.
            line[SIZE] = line[0];
            let mut u = fixed(left);
            for pixel in row.chunks_exact_mut(4) {
                let at = (u >> 8) as usize & mask;
                let (a, b) = (line[at], line[at + 1]);
                let (even, odd) = (between(a[0], b[0], u & 255), between(a[1], b[1], u & 255));
                pixel.copy_from_slice(&(even | odd << 8).to_le_bytes());
                u += step;
            }
        }
    }
}

/// Two channels at once, each in the lower half of sixteen bits.
fn between(a: u32, b: u32, toward: u32) -> u32 {
    ((a * (256 - toward) + b * toward) >> 8) & 0x00FF_00FF
}

fn smooth(t: f32) -> f32 {
    t * t * (3.0 - 2.0 * t)
}

/// Light from one side that falls off towards the corners, and the grain of a sensor.
pub struct Air {
    light: Vec<u8>,
    /// Begins once more at its end, so that every stretch can be read in one.
    grain: Vec<i16>,
}

/// Grain is drawn from a table of this many values, begun elsewhere in each frame.
const GRAIN: usize = 1 << 16;
/// Pixels that get their grain in one.
const STRETCH: usize = 1 << 10;

impl Air {
    pub fn new(seed: u64, width: usize, height: usize, grain: f32) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x0000_11FE);
        let (cx, cy): (f32, f32) = (rng.random_range(-0.45..0.45), rng.random_range(-0.5..0.1));
        let light = (0..width * height)
            .map(|i| {
                let u = (i % width) as f32 / width as f32 - 0.5;
                let v = (i / width) as f32 / height as f32 - 0.5;
                let from = ((u - cx).powi(2) + 0.8 * (v - cy).powi(2)).sqrt();
                let corner = (u * u + v * v) * 0.7;
                ((1.12 - 0.42 * from - corner).clamp(0.2, 1.0) * 255.0) as u8
            })
            .collect();
        let mut grain: Vec<i16> = (0..GRAIN)
            .map(|_| ((0..4).map(|_| rng.random_range(-1.0f32..1.0)).sum::<f32>() * 0.87 * grain) as i16)
            .collect();
        grain.extend_from_within(..STRETCH);
        Self { light, grain }
    }

    /// Over a finished picture; the same frame always gets the same grain.
    pub fn over(&self, pixels: &mut Pixmap, frame: u64) {
        let start = (frame.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 40) as usize;
        let stretches = pixels.data_mut().chunks_mut(4 * STRETCH).zip(self.light.chunks(STRETCH));
        for (i, (pixels, light)) in stretches.enumerate() {
            let grain = &self.grain[(start + i * STRETCH) & (GRAIN - 1)..][..STRETCH];
            for (pixel, (light, grain)) in pixels.chunks_exact_mut(4).zip(light.iter().zip(grain)) {
                // Its opacity gets the light and the grain too, since that is quicker, and back again.
                for channel in &mut *pixel {
                    let lit = (u16::from(*channel) * u16::from(*light)) >> 8;
                    *channel = (lit as i16 + grain).clamp(0, 255) as u8;
                }
                pixel[3] = 255;
            }
        }
    }
}
