//! The small frames that a clip's reading is made of.
//!
//! Where the light copy is twice as wide as a reading needs, its frames come through the pipe as they are and are halved here:
//! for ffmpeg another scaled output costs more than the larger pipe. Otherwise ffmpeg scales.

use legere_analysis::footage::{LONGER_SIDE, frame_bytes};
use legere_core::time::FrameRate;

/// Pixels of the shorter side of what is read.
const LEAST: u32 = 16;

/// How the frames come, and of what size they are read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Small {
    /// As large as the light copy, luma and colour within the limits of video.
    Halved { width: usize, height: usize },
    /// As they are read, in full range.
    Scaled { width: usize, height: usize },
}

impl Small {
    /// Of a light copy of this size.
    pub(crate) fn of((width, height): (u32, u32)) -> Self {
        let longer = width.max(height).max(1);
        if longer == 2 * LONGER_SIDE && width.min(height) >= 2 * LEAST {
            return Self::Halved { width: width as usize, height: height as usize };
        }
        let scale = f64::from(LONGER_SIDE) / f64::from(longer);
        let side = |v: u32| ((f64::from(v) * scale / 4.0).round() as usize * 4).max(LEAST as usize);
        Self::Scaled { width: side(width), height: side(height) }
    }

    /// What ffmpeg does to the light copy's frames, `rate` of them a second.
    pub(crate) fn filters(&self, rate: FrameRate) -> String {
        match self {
            Self::Halved { .. } => format!("fps={rate}"),
            Self::Scaled { width, height } => {
                format!("fps={rate},scale={width}:{height}:flags=area:out_range=full,format=yuvj420p")
            }
        }
    }

    /// Bytes of a frame as it comes.
    pub(crate) fn bytes(&self) -> usize {
        let (Self::Halved { width, height } | Self::Scaled { width, height }) = *self;
        frame_bytes(width, height)
    }

    /// The size that is read.
    pub(crate) fn size(&self) -> (usize, usize) {
        match *self {
            Self::Halved { width, height } => (width / 2, height / 2),
            Self::Scaled { width, height } => (width, height),
        }
    }

    /// The frame that is read, of the one that came.
    pub(crate) fn frame(&self, came: &[u8]) -> Vec<u8> {
        let Self::Halved { width, height } = *self else { return came.to_vec() };
        let (w, h) = self.size();
        let mut frame = Vec::with_capacity(frame_bytes(w, h));
        let (luma, colour) = came.split_at(width * height);
        halve(luma, width, (w, h), LUMA, &mut frame);
        let (across, down) = (width.div_ceil(2), height.div_ceil(2));
        for plane in colour.chunks_exact((across * down).max(1)) {
            halve(plane, across, (w.div_ceil(2), h.div_ceil(2)), COLOUR, &mut frame);
        }
        frame
    }
}

/// The limits of video (ITU-R BT.709): the least value, and how far luma and colour go from there.
const FLOOR: u16 = 16;
const LUMA: u16 = 219;
const COLOUR: u16 = 224;

/// The mean of each four neighbours, from the limits of video to full range; of a last line or column alone, of two.
fn halve(plane: &[u8], width: usize, (w, h): (usize, usize), range: u16, to: &mut Vec<u8>) {
    let scale = (255 * (1u32 << 16)).div_ceil(4 * u32::from(range)) as u16;
    let full = |sum: u16| {
        // Two more, so that what is cut off is rounded.
        let above = (sum + 2).saturating_sub(4 * FLOOR);
        ((u32::from(above) * u32::from(scale)) >> 16).min(255) as u8
    };
    let rows = plane.len() / width.max(1);
    let begun = to.len();
    to.resize(begun + w * h, 0);
    // Both of a pair in one word: many are added at once.
    let sum = |pair: [u8; 2]| {
        let word = u16::from_le_bytes(pair);
        (word & 255) + (word >> 8)
    };
    for (y, row) in to[begun..].chunks_exact_mut(w.max(1)).enumerate() {
        let top = &plane[2 * y * width..][..width];
        let bottom = &plane[(2 * y + 1).min(rows - 1) * width..][..width];
        for (v, (a, b)) in row.iter_mut().zip(top.as_chunks::<2>().0.iter().zip(bottom.as_chunks::<2>().0)) {
            *v = full(sum(*a) + sum(*b));
        }
        if w > width / 2 {
            row[w - 1] = full(2 * (u16::from(top[width - 1]) + u16::from(bottom[width - 1])));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_light_copy_twice_as_wide_is_halved_and_others_are_scaled() {
        let read = |size| (Small::of(size).size(), matches!(Small::of(size), Small::Halved { .. }));
        assert_eq!(read((960, 540)), ((480, 270), true));
        assert_eq!(read((540, 960)), ((270, 480), true));
        assert_eq!(read((960, 1706)), ((272, 480), false), "upright");
        assert_eq!(read((640, 360)), ((480, 272), false));
        assert_eq!(read((2, 960)), ((16, 480), false), "a slit");
    }

    #[test]
    fn halves_are_means_in_full_range_whatever_the_sides() {
        for (width, height) in [(960usize, 540usize), (960, 402), (402, 960)] {
            let small = Small::Halved { width, height };
            let black = small.frame(&[vec![16; width * height], vec![128; small.bytes() - width * height]].concat());
            let (w, h) = small.size();
            assert_eq!(black.len(), frame_bytes(w, h), "{width}x{height}");
            assert!(black[..w * h].iter().all(|v| *v == 0) && black[w * h..].iter().all(|v| *v == 128));
        }
        let small = Small::Halved { width: 960, height: 4 };
        let mut came = vec![128u8; small.bytes()];
        // White and black beside each other, white above black, and what is beyond the limits.
        came[..4].copy_from_slice(&[235, 16, 235, 235]);
        came[960..964].copy_from_slice(&[235, 16, 16, 16]);
        came[4..6].copy_from_slice(&[255, 255]);
        came[964..966].copy_from_slice(&[255, 255]);
        came[6..8].copy_from_slice(&[0, 0]);
        came[966..968].copy_from_slice(&[0, 0]);
        assert_eq!(small.frame(&came)[..4], [128, 128, 255, 0]);
        assert!(small.frame(&came)[4..480].iter().all(|v| *v == 130), "(128 − 16) · 255 ∕ 219");
    }
}
