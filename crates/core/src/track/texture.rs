//! What the music sounds like along time, small enough to be kept: harmony and timbre, for finding places that can be
//! joined.

use serde::{Deserialize, Serialize};

/// Seconds a row stands for.
pub const STEP: f64 = 0.1;
/// The semitones of an octave, from C.
pub const PITCH_CLASSES: usize = 12;
/// Bands, from low to high.
pub const BANDS: usize = 8;
const ROW: usize = PITCH_CLASSES + BANDS;

/// What is heard in a tenth of a second, a byte each.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TextureRow {
    /// Of unit length together; 255 is all of it.
    pub chroma: [u8; PITCH_CLASSES],
    /// Logarithmic levels; 255 is louder than full scale gets.
    pub bands: [u8; BANDS],
}

/// Rows of 12 pitch classes (of unit length) and 8 band levels, a byte each. Written as hexadecimal text.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Texture {
    rows: Vec<u8>,
}

#[derive(Debug, thiserror::Error)]
#[error("the texture of a reading is damaged")]
pub struct BrokenTexture;

/// What is heard in a stretch.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sound {
    harmony: [f64; PITCH_CLASSES],
    timbre: [f64; BANDS],
}

impl Sound {
    /// 0 for the same, about 1 for something quite else.
    pub fn unlike(&self, other: &Self) -> f64 {
        let alike: f64 = self.harmony.iter().zip(&other.harmony).map(|(a, b)| a * b).sum();
        let apart: f64 = self.timbre.iter().zip(&other.timbre).map(|(a, b)| (a - b).abs()).sum::<f64>() / BANDS as f64;
        0.5 * (1.0 - alike).clamp(0.0, 1.0) + 0.5 * (4.0 * apart).min(1.0)
    }
}

impl Texture {
    /// Of what was heard every [`STEP`] seconds.
    pub fn from_rows(rows: impl IntoIterator<Item = TextureRow>) -> Self {
        Self { rows: rows.into_iter().flat_map(|row| row.chroma.into_iter().chain(row.bands)).collect() }
    }

    /// Whether there is nothing in it.
    pub fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// The mean between two times.
    pub fn sound(&self, start: f64, end: f64) -> Sound {
        let count = self.rows.len() / ROW;
        let from = ((start / STEP).round().max(0.0) as usize).min(count.saturating_sub(1));
        let to = ((end / STEP).round().max(0.0) as usize).clamp(from + 1, (from + 1).max(count));
        let mut sum = [0.0; ROW];
        for row in self.rows[(from * ROW).min(self.rows.len())..(to * ROW).min(self.rows.len())].chunks_exact(ROW) {
            sum.iter_mut().zip(row).for_each(|(s, v)| *s += f64::from(*v) / 255.0);
        }
        let norm = sum[..PITCH_CLASSES].iter().map(|v| v * v).sum::<f64>().sqrt().max(1e-9);
        let rows = (to - from) as f64;
        Sound {
            harmony: std::array::from_fn(|i| sum[i] / norm),
            timbre: std::array::from_fn(|i| sum[PITCH_CLASSES + i] / rows),
        }
    }
}

impl From<Texture> for String {
    fn from(texture: Texture) -> Self {
        texture
            .rows
            .iter()
            .flat_map(|b| [b >> 4, b & 15])
            .map(|d| char::from_digit(u32::from(d), 16).unwrap_or('0'))
            .collect()
    }
}

impl TryFrom<String> for Texture {
    type Error = BrokenTexture;
    fn try_from(text: String) -> Result<Self, BrokenTexture> {
        let digits: Option<Vec<u8>> = text.chars().map(|c| c.to_digit(16).map(|d| d as u8)).collect();
        let digits = digits.filter(|d| d.len().is_multiple_of(2 * ROW)).ok_or(BrokenTexture)?;
        Ok(Self { rows: digits.chunks_exact(2).map(|d| d[0] << 4 | d[1]).collect() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// One row whose only pitch class is `class`, and whose bands all have a level.
    fn row(class: usize, level: u8) -> String {
        (0..PITCH_CLASSES).map(|c| if c == class { "ff".into() } else { "00".to_owned() }).collect::<String>()
            + &format!("{level:02x}").repeat(BANDS)
    }

    #[test]
    fn it_is_written_as_text_and_read_back() {
        let text = row(3, 0x40) + &row(5, 0x80);
        let texture = Texture::try_from(text.clone()).expect("a texture");
        assert_eq!(String::from(texture.clone()), text);
        let json = serde_json::to_string(&texture).expect("json");
        assert_eq!(serde_json::from_str::<Texture>(&json).expect("reads back"), texture);
        for broken in ["ff", "zz", &text[1..]] {
            assert!(Texture::try_from(broken.to_owned()).is_err(), "{broken}");
        }
        assert!(Texture::try_from(String::new()).expect("nothing").is_empty());
    }

    #[test]
    fn sounds_are_as_unlike_as_their_harmony_and_their_timbre() {
        let text = row(0, 0x40) + &row(0, 0x40) + &row(7, 0x40) + &row(7, 0xc0);
        let texture = Texture::try_from(text).expect("a texture");
        let at = |i: f64| texture.sound(i * STEP, (i + 1.0) * STEP);
        assert!(at(0.0).unlike(&at(1.0)) < 1e-9);
        let harmony = at(0.0).unlike(&at(2.0));
        let both = at(0.0).unlike(&at(3.0));
        assert!((harmony - 0.5).abs() < 1e-9 && both > harmony + 0.3, "{harmony} {both}");
        assert!((at(0.0).unlike(&at(3.0)) - at(3.0).unlike(&at(0.0))).abs() < 1e-12);
        // Beyond its end one hears its end; an empty one has no sound to tell apart.
        assert!(texture.sound(9.0, 10.0).unlike(&at(3.0)) < 1e-9);
        let empty = Texture::default();
        assert!(empty.sound(0.0, 1.0).unlike(&empty.sound(2.0, 3.0)).is_finite());
    }
}
