//! One small frame: its luma at four sizes and what can be told from it alone.

use super::focus::Focus;

/// A frame at [`LEVELS`] sizes, each half of the one before. The first is half the size of what came in.
pub struct Picture {
    pub planes: [Plane; LEVELS],
    /// Mean blue and red difference over a grid of [`CHROMA_ACROSS`] × [`CHROMA_DOWN`], 0 is grey.
    pub chroma: Vec<[f32; 2]>,
    pub tones: Tones,
    /// None where there is nothing that could be sharp.
    pub focus: Option<Focus>,
    /// A number that is the same only for the very same bytes.
    pub digest: u64,
}

/// Sizes of a picture.
pub const LEVELS: usize = 3;
/// Cells of colour across and down.
pub const CHROMA_ACROSS: usize = 16;
/// Cells of colour down.
pub const CHROMA_DOWN: usize = 9;

/// How its brightness is spread.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Tones {
    /// 0–1: mean luma.
    pub mean: f32,
    /// Share of the picture in which nothing can be told from black.
    pub crushed: f32,
    /// Share of the picture in which nothing can be told from white.
    pub clipped: f32,
    /// How far luma spreads, 0–1: the standard deviation.
    pub spread: f32,
    /// Red against blue, −1 to 1; positive is warm.
    pub warmth: f32,
}

const CRUSHED: u8 = 12;
const CLIPPED: u8 = 246;

/// Luma as floats, 0–255.
pub struct Plane {
    pub width: usize,
    pub height: usize,
    pub luma: Vec<f32>,
}

impl Plane {
    fn halved(&self) -> Self {
        let (width, height) = (self.width / 2, self.height / 2);
        let mut luma = vec![0.0; width * height];
        for (y, row) in luma.chunks_exact_mut(width.max(1)).enumerate() {
            let top = &self.luma[2 * y * self.width..][..2 * width];
            let bottom = &self.luma[(2 * y + 1) * self.width..][..2 * width];
            for (to, (a, b)) in row.iter_mut().zip(top.chunks_exact(2).zip(bottom.chunks_exact(2))) {
                *to = (a[0] + a[1] + b[0] + b[1]) * 0.25;
            }
        }
        Self { width, height, luma }
    }

    fn half_of_bytes(bytes: &[u8], width: usize, height: usize) -> Self {
        let (w, h) = (width / 2, height / 2);
        let mut luma = vec![0.0; w * h];
        for (y, row) in luma.chunks_exact_mut(w.max(1)).enumerate() {
            let top = &bytes[2 * y * width..][..2 * w];
            let bottom = &bytes[(2 * y + 1) * width..][..2 * w];
            for (to, (a, b)) in row.iter_mut().zip(top.chunks_exact(2).zip(bottom.chunks_exact(2))) {
                *to = f32::from(u16::from(a[0]) + u16::from(a[1]) + u16::from(b[0]) + u16::from(b[1])) * 0.25;
            }
        }
        Self { width: w, height: h, luma }
    }

    /// Between its pixels; the caller keeps to the inside.
    #[inline]
    pub fn between(&self, x: f32, y: f32) -> f32 {
        let (ix, iy) = (x as usize, y as usize);
        let (fx, fy) = (x - ix as f32, y - iy as f32);
        let at = iy * self.width + ix;
        let top = self.luma[at] + (self.luma[at + 1] - self.luma[at]) * fx;
        let below = at + self.width;
        let bottom = self.luma[below] + (self.luma[below + 1] - self.luma[below]) * fx;
        top + (bottom - top) * fy
    }
}

/// Bytes of a frame of this size: luma, then both colour differences at half the size.
pub fn frame_bytes(width: usize, height: usize) -> usize {
    width * height + 2 * width.div_ceil(2) * height.div_ceil(2)
}

impl Picture {
    /// Of a frame as [`frame_bytes`] says, full range.
    pub fn of(frame: &[u8], width: usize, height: usize) -> Self {
        let luma = &frame[..width * height];
        let first = Plane::half_of_bytes(luma, width, height);
        let second = first.halved();
        let third = second.halved();
        let (w, h) = (width.div_ceil(2), height.div_ceil(2));
        let (blue, red) = frame[width * height..].split_at(w * h);
        let chroma = chroma_grid(blue, red, w, h);
        let tones = tones(luma, &chroma);
        let digest = digest(frame);
        let focus = Focus::of(luma, width, height, &first, tones.spread);
        Self { planes: [first, second, third], chroma, tones, focus, digest }
    }

    /// The size at which movement is measured.
    pub fn fine(&self) -> &Plane {
        &self.planes[0]
    }

    /// The smallest size.
    pub fn small(&self) -> &Plane {
        &self.planes[LEVELS - 1]
    }
}

fn chroma_grid(blue: &[u8], red: &[u8], w: usize, h: usize) -> Vec<[f32; 2]> {
    let mut grid = Vec::with_capacity(CHROMA_ACROSS * CHROMA_DOWN);
    for j in 0..CHROMA_DOWN {
        for i in 0..CHROMA_ACROSS {
            let (x0, x1) = (i * w / CHROMA_ACROSS, ((i + 1) * w / CHROMA_ACROSS).max(i * w / CHROMA_ACROSS + 1));
            let (y0, y1) = (j * h / CHROMA_DOWN, ((j + 1) * h / CHROMA_DOWN).max(j * h / CHROMA_DOWN + 1));
            let (mut b, mut r, mut n) = (0u32, 0u32, 0u32);
            for y in y0..y1.min(h) {
                for x in x0..x1.min(w) {
                    b += u32::from(blue[y * w + x]);
                    r += u32::from(red[y * w + x]);
                    n += 1;
                }
            }
            let n = n.max(1) as f32;
            grid.push([b as f32 / n - 128.0, r as f32 / n - 128.0]);
        }
    }
    grid
}

fn tones(luma: &[u8], chroma: &[[f32; 2]]) -> Tones {
    let mut histogram = [0u32; 256];
    for v in luma {
        histogram[usize::from(*v)] += 1;
    }
    let n = luma.len().max(1) as f32;
    let share = |range: std::ops::RangeInclusive<u8>| {
        histogram[usize::from(*range.start())..=usize::from(*range.end())].iter().sum::<u32>() as f32 / n
    };
    let moment = |power: i32| {
        histogram.iter().enumerate().map(|(v, c)| (v as f64).powi(power) * f64::from(*c)).sum::<f64>() / f64::from(n)
    };
    let mean = moment(1);
    let warmth = chroma.iter().map(|c| c[1] - c[0]).sum::<f32>() / (chroma.len().max(1) as f32 * 128.0);
    Tones {
        mean: (mean / 255.0) as f32,
        crushed: share(0..=CRUSHED),
        clipped: share(CLIPPED..=255),
        spread: ((moment(2) - mean * mean).max(0.0).sqrt() / 255.0) as f32,
        warmth: warmth.clamp(-1.0, 1.0),
    }
}

/// FNV-1a over words of eight bytes: quick, and good enough to tell a repeated frame from a new one.
fn digest(frame: &[u8]) -> u64 {
    let mut hash = 0xCBF2_9CE4_8422_2325u64;
    for word in frame.chunks_exact(8) {
        let word = u64::from_le_bytes([word[0], word[1], word[2], word[3], word[4], word[5], word[6], word[7]]);
        hash = (hash ^ word).wrapping_mul(0x0000_0100_0000_01B3).rotate_left(17);
    }
    hash
}
