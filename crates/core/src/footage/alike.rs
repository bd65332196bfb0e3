//! Which clips show the same thing: takes of one set-up, to be seen beside each other.

use serde::{Deserialize, Serialize};

/// Cells across and down in which brightness is compared.
pub const TONES: (usize, usize) = (12, 7);
/// Cells across and down in which colour is compared.
pub const COLOURS: (usize, usize) = (4, 3);

/// What a frame shows, small enough to be compared with thousands of others.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Look {
    /// Brightness over [`TONES`], by lines, 0–255.
    pub tones: Vec<u8>,
    /// Blue and red difference over [`COLOURS`], by lines, −127–127.
    pub colours: Vec<i8>,
}

/// Cells by which a take may be framed otherwise than another.
const SHIFT: isize = 2;
/// Correlation of brightness from which two looks are of the same thing.
const SAME_TONES: f32 = 0.86;
/// Mean difference of colour up to which they are.
const SAME_COLOURS: f32 = 5.0;

impl Look {
    /// Bytes of one look.
    const SIZE: usize = TONES.0 * TONES.1 + 2 * COLOURS.0 * COLOURS.1;

    /// Looks one after the other, to be kept for thousands of clips.
    pub fn to_bytes(looks: &[Self]) -> Vec<u8> {
        looks.iter().flat_map(|l| l.tones.iter().copied().chain(l.colours.iter().map(|c| c.cast_unsigned()))).collect()
    }

    /// From what [`Look::to_bytes`] gave.
    pub fn from_bytes(bytes: &[u8]) -> Vec<Self> {
        let looks = bytes.chunks_exact(Self::SIZE);
        looks
            .map(|one| {
                let (tones, colours) = one.split_at(TONES.0 * TONES.1);
                Self { tones: tones.to_vec(), colours: colours.iter().map(|c| c.cast_signed()).collect() }
            })
            .collect()
    }

    /// Whether both show the same thing, framed a little otherwise or as bright as it may be.
    pub fn is_alike(&self, other: &Self) -> bool {
        self.colours_apart(other) < SAME_COLOURS && self.tones_alike(other) > SAME_TONES
    }

    fn colours_apart(&self, other: &Self) -> f32 {
        let sum: i32 =
            self.colours.iter().zip(&other.colours).map(|(a, b)| (i32::from(*a) - i32::from(*b)).abs()).sum();
        let count = self.colours.len().min(other.colours.len());
        if count == 0 { f32::MAX } else { sum as f32 / count as f32 }
    }

    /// The best correlation of brightness over all small shifts.
    fn tones_alike(&self, other: &Self) -> f32 {
        if self.tones.len() != TONES.0 * TONES.1 || other.tones.len() != self.tones.len() {
            return 0.0;
        }
        let shifts = (-1..=1).flat_map(|dy| (-SHIFT..=SHIFT).map(move |dx| (dx, dy)));
        shifts.map(|(dx, dy)| self.correlation(other, dx, dy)).fold(0.0, f32::max)
    }

    fn correlation(&self, other: &Self, dx: isize, dy: isize) -> f32 {
        let (w, h) = (TONES.0 as isize, TONES.1 as isize);
        let (mut n, mut sa, mut sb, mut saa, mut sbb, mut sab) = (0.0f32, 0.0f32, 0.0f32, 0.0f32, 0.0f32, 0.0f32);
        for y in 0.max(-dy)..h.min(h - dy) {
            for x in 0.max(-dx)..w.min(w - dx) {
                let a = f32::from(self.tones[(y * w + x) as usize]);
                let b = f32::from(other.tones[((y + dy) * w + x + dx) as usize]);
                n += 1.0;
                sa += a;
                sb += b;
                saa += a * a;
                sbb += b * b;
                sab += a * b;
            }
        }
        let (va, vb, both) = (saa / n - (sa / n).powi(2), sbb / n - (sb / n).powi(2), sab / n - sa / n * sb / n);
        // Where there is nothing to see, nothing is alike.
        if va < 9.0 || vb < 9.0 { 0.0 } else { both / (va * vb).sqrt() }
    }
}

/// Groups of clips that show the same thing, as places in `clips`, each group in their order; clips alone are in none. A clip
/// belongs to the first group whose first clip it is alike, so that a chain of small changes does not join what is not alike.
pub fn alike_takes(clips: &[&[Look]]) -> Vec<Vec<usize>> {
    let mut groups: Vec<Vec<usize>> = Vec::new();
    for (i, looks) in clips.iter().enumerate() {
        let joins = |group: &Vec<usize>| is_alike(clips[group[0]], looks);
        match groups.iter_mut().find(|g| joins(g)) {
            Some(group) => group.push(i),
            None => groups.push(vec![i]),
        }
    }
    groups.retain(|g| g.len() > 1);
    groups
}

/// Whether two clips share what they show: most looks of the one that has fewer are found in the other.
fn is_alike(a: &[Look], b: &[Look]) -> bool {
    let (few, many) = if a.len() <= b.len() { (a, b) } else { (b, a) };
    let found = few.iter().filter(|look| many.iter().any(|other| look.is_alike(other))).count();
    found > 0 && found * 2 > few.len()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn look(seed: u32, shift: usize, brighter: f32) -> Look {
        let value = |x: usize, y: usize| {
            let n = ((x + shift) as u32 * 7 + y as u32 * 131 + seed * 977).wrapping_mul(2_654_435_761) >> 24;
            (n as f32 * brighter).min(255.0) as u8
        };
        let tones = (0..TONES.1).flat_map(|y| (0..TONES.0).map(move |x| value(x, y))).collect();
        let colours = (0..COLOURS.0 * COLOURS.1 * 2).map(|i| ((seed as usize * 37 + i * 11) % 90) as i8).collect();
        Look { tones, colours }
    }

    #[test]
    fn takes_of_one_set_up_are_together_and_others_are_not() {
        let clips: Vec<Vec<Look>> = vec![
            vec![look(1, 0, 0.8), look(1, 1, 0.8)],
            vec![look(2, 0, 0.8)],
            vec![look(1, 1, 0.6)],
            vec![look(3, 0, 0.8)],
            vec![look(1, 2, 0.7), look(3, 0, 0.8), look(1, 1, 0.7)],
            vec![],
        ];
        let clips: Vec<&[Look]> = clips.iter().map(Vec::as_slice).collect();
        assert_eq!(Look::from_bytes(&Look::to_bytes(clips[4])), clips[4]);
        assert_eq!(
            alike_takes(&clips),
            [vec![0, 2, 4]],
            "shifted, darker, but the same; and what is nothing is like nothing"
        );
    }

    #[test]
    fn bare_walls_are_not_takes_of_each_other() {
        let wall = Look { tones: vec![90; TONES.0 * TONES.1], colours: vec![0; COLOURS.0 * COLOURS.1 * 2] };
        assert!(!wall.is_alike(&wall));
    }
}
