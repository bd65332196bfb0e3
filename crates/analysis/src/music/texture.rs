//! The texture of a track: harmony and timbre along time, small enough to be kept.

use super::spectrum::Spectrum;
use legere_core::track::{BANDS, PITCH_CLASSES, TEXTURE_STEP, Texture, TextureRow};

/// Band levels are logarithms of 1 + magnitude; 5 is louder than full scale gets.
const LOUDEST: f64 = 5.0;

/// `duration` in seconds.
pub fn of(spectrum: &Spectrum, duration: f64) -> Texture {
    let count = (duration / TEXTURE_STEP).ceil() as usize;
    Texture::from_rows((0..count).map(|i| {
        let (start, end) = (i as f64 * TEXTURE_STEP, (i + 1) as f64 * TEXTURE_STEP);
        let (chroma, bands) = (spectrum.mean_chroma(start, end), spectrum.mean_bands(start, end, BANDS));
        TextureRow {
            chroma: std::array::from_fn::<u8, PITCH_CLASSES, _>(|k| (chroma[k] * 255.0).round() as u8),
            bands: std::array::from_fn(|k| (bands[k] / LOUDEST * 255.0).round().clamp(0.0, 255.0) as u8),
        }
    }))
}
