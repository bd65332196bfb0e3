//! One small frame: its luma at four sizes and what follows from it alone.

use super::focus::Focus;
use super::plane::Plane;

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
    /// Share of the picture in which nothing can be distinguished from black.
    pub crushed: f32,
    /// Share of the picture in which nothing can be distinguished from white.
    pub clipped: f32,
    /// How far luma spreads, 0–1: the standard deviation.
    pub spread: f32,
    /// Red against blue, −1 to 1; positive is warm.
    pub warmth: f32,
}

const CRUSHED: u8 = 12;
const CLIPPED: u8 = 246;

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
        let tones = tones(luma, width, &chroma);
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
                let row = y * w + x0..y * w + x1.min(w);
                n += row.len() as u32;
                b += blue[row.clone()].iter().map(|v| u32::from(*v)).sum::<u32>();
                r += red[row].iter().map(|v| u32::from(*v)).sum::<u32>();
            }
            let n = n.max(1) as f32;
            grid.push([b as f32 / n - 128.0, r as f32 / n - 128.0]);
        }
    }
    grid
}

/// Every second row is enough.
fn tones(luma: &[u8], width: usize, chroma: &[[f32; 2]]) -> Tones {
    // Neighbours are often alike, and a count that was just raised is waited for.
    let mut counts = [[0u32; 256]; 2];
    for row in luma.chunks_exact(width.max(1)).step_by(2) {
        for (i, v) in row.iter().enumerate() {
            counts[i & 1][usize::from(*v)] += 1;
        }
    }
    let histogram: [u32; 256] = std::array::from_fn(|v| counts[0][v] + counts[1][v]);
    let n = histogram.iter().sum::<u32>().max(1) as f32;
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

/// FNV-1a over words of eight bytes, four beside each other: quick, and good enough to tell a repeated frame from a new one.
fn digest(frame: &[u8]) -> u64 {
    const START: u64 = 0xCBF2_9CE4_8422_2325;
    let mixed = |hash: u64, word: u64| (hash ^ word).wrapping_mul(0x0000_0100_0000_01B3).rotate_left(17);
    let (fours, rest) = frame.as_chunks::<8>().0.as_chunks::<4>();
    let mut hashes = [START; 4];
    for words in fours {
        for (hash, word) in hashes.iter_mut().zip(words) {
            *hash = mixed(*hash, u64::from_le_bytes(*word));
        }
    }
    rest.iter().map(|word| u64::from_le_bytes(*word)).chain(hashes).fold(START, mixed)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const W: usize = 64;
    const H: usize = 36;

    /// A frame of these bytes of luma, grey but for blue and red.
    fn frame(luma: impl Fn(usize, usize) -> u8, blue: u8, red: u8) -> Vec<u8> {
        let mut out: Vec<u8> = (0..W * H).map(|i| luma(i % W, i / W)).collect();
        out.extend(std::iter::repeat_n(blue, W * H / 4));
        out.extend(std::iter::repeat_n(red, W * H / 4));
        assert_eq!(out.len(), frame_bytes(W, H));
        out
    }

    fn tones_of(luma: impl Fn(usize, usize) -> u8) -> Tones {
        Picture::of(&frame(luma, 128, 128), W, H).tones
    }

    #[test]
    fn each_size_is_half_of_the_one_before_and_as_bright() {
        let picture = Picture::of(&frame(|x, y| (x * 3 + y) as u8, 128, 128), W, H);
        let sizes: Vec<(usize, usize)> = picture.planes.iter().map(|p| (p.width, p.height)).collect();
        assert_eq!(sizes, [(32, 18), (16, 9), (8, 4)]);
        // The mean of four neighbours, and of sixteen.
        assert_eq!(picture.fine().luma[0], (0.0 + 3.0 + 1.0 + 4.0) / 4.0);
        assert_eq!(picture.planes[1].luma[0], (0.0 + 9.0) / 2.0 + (0.0 + 3.0) / 2.0);
        assert_eq!(picture.fine().between(0.5, 0.0), (picture.fine().luma[0] + picture.fine().luma[1]) / 2.0);
    }

    #[test]
    fn black_and_white_are_shares_of_the_picture() {
        let half = tones_of(|x, _| if x < W / 2 { 4 } else { 120 });
        assert_eq!((half.crushed, half.clipped), (0.5, 0.0));
        let third = tones_of(|_, y| if y < H / 3 { 255 } else { 120 });
        assert_eq!((third.crushed, third.clipped), (0.0, 1.0 / 3.0));
        let flat = tones_of(|_, _| 51);
        assert!((flat.mean - 0.2).abs() < 1e-6 && flat.spread < 1e-3, "{flat:?}");
        let checks = tones_of(|x, y| if (x + y).is_multiple_of(2) { 0 } else { 255 });
        assert!((checks.spread - 0.5).abs() < 1e-3, "{checks:?}");
    }

    #[test]
    fn warmth_is_red_against_blue_and_grey_has_none() {
        let warmth = |blue, red| Picture::of(&frame(|_, _| 90, blue, red), W, H).tones.warmth;
        assert_eq!(warmth(128, 128), 0.0);
        assert!(warmth(100, 160) > 0.2 && warmth(160, 100) < -0.2);
        let grid = Picture::of(&frame(|_, _| 90, 100, 160), W, H).chroma;
        assert_eq!(grid.len(), CHROMA_ACROSS * CHROMA_DOWN);
        assert!(grid.iter().all(|c| *c == [-28.0, 32.0]));
    }

    #[test]
    fn the_same_bytes_elsewhere_are_another_frame() {
        // Words that take turns are mixed apart and then with each other.
        let plain = frame(|x, _| if x < 8 { 200 } else { 40 }, 128, 128);
        for other in [8, 16, 32, 40] {
            let moved = frame(|x, _| if (other..other + 8).contains(&x) { 200 } else { 40 }, 128, 128);
            assert_ne!(Picture::of(&plain, W, H).digest, Picture::of(&moved, W, H).digest, "by {other}");
        }
    }

    proptest! {
        #[test]
        fn only_the_very_same_bytes_are_the_very_same_frame(at in 0..W * H, by in 1u8..=255) {
            let one = frame(|x, y| (x * 7 + y * 13) as u8, 128, 128);
            let mut other = one.clone();
            prop_assert_eq!(Picture::of(&one, W, H).digest, Picture::of(&other, W, H).digest);
            other[at] = other[at].wrapping_add(by);
            prop_assert_ne!(Picture::of(&one, W, H).digest, Picture::of(&other, W, H).digest);
        }
    }
}
