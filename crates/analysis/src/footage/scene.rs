//! What a clip shows, twice a second: to compare clips, to find where a long take turns to something else, and to suggest its
//! light and its framing.

use super::picture::{CHROMA_ACROSS, CHROMA_DOWN, Picture, Tones};
use legere_core::footage::{COLOURS, FrameSignature, TONES};
use legere_core::select::{Framing, Light};

/// Seconds from one sight to the next.
pub const EVERY: f64 = 0.5;
/// Looks that are kept of a clip.
const LOOKS: usize = 5;

/// What was seen at one instant.
#[derive(Debug, Clone, PartialEq)]
pub struct SceneDescriptor {
    pub look: FrameSignature,
    pub tones: Tones,
    /// Brightness of the upper third against the rest, −1 to 1.
    pub from_above: f32,
}

impl SceneDescriptor {
    pub fn of(picture: &Picture) -> Self {
        let plane = picture.small();
        let (w, h) = (plane.width, plane.height);
        let cell = |i: usize, all: usize, size: usize| (i * size / all)..((i + 1) * size / all).max(i * size / all + 1);
        let mut tones = Vec::with_capacity(TONES.0 * TONES.1);
        for j in 0..TONES.1 {
            for i in 0..TONES.0 {
                let (xs, ys) = (cell(i, TONES.0, w), cell(j, TONES.1, h));
                let count = (xs.len() * ys.len()) as f32;
                let sum: f32 = ys
                    .map(|y| plane.luma[y * w + xs.start..(y * w + xs.end).min(plane.luma.len())].iter().sum::<f32>())
                    .sum();
                tones.push((sum / count) as u8);
            }
        }
        let mut colours = Vec::with_capacity(2 * COLOURS.0 * COLOURS.1);
        for j in 0..COLOURS.1 {
            for i in 0..COLOURS.0 {
                let (xs, ys) = (cell(i, COLOURS.0, CHROMA_ACROSS), cell(j, COLOURS.1, CHROMA_DOWN));
                let cells: Vec<[f32; 2]> = ys
                    .flat_map(|y| xs.clone().map(move |x| y * CHROMA_ACROSS + x))
                    .map(|k| picture.chroma[k])
                    .collect();
                for c in 0..2 {
                    let mean = cells.iter().map(|v| v[c]).sum::<f32>() / cells.len() as f32;
                    colours.push(mean.clamp(-127.0, 127.0) as i8);
                }
            }
        }
        let third = TONES.0 * TONES.1 / 3;
        let mean = |v: &[u8]| v.iter().map(|t| f32::from(*t)).sum::<f32>() / v.len().max(1) as f32;
        let from_above = (mean(&tones[..third]) - mean(&tones[third..])) / 255.0;
        Self { look: FrameSignature { tones, colours }, tones: picture.tones, from_above }
    }

    /// How far two sights are apart, 0–1 about.
    pub fn apart(&self, other: &Self) -> f32 {
        let tones: i32 =
            self.look.tones.iter().zip(&other.look.tones).map(|(a, b)| (i32::from(*a) - i32::from(*b)).abs()).sum();
        let colours: i32 =
            self.look.colours.iter().zip(&other.look.colours).map(|(a, b)| (i32::from(*a) - i32::from(*b)).abs()).sum();
        tones as f32 / (self.look.tones.len().max(1) as f32 * 128.0)
            + colours as f32 / (self.look.colours.len().max(1) as f32 * 64.0)
    }
}

/// A few looks at a clip between two instants, evenly.
pub fn signatures(sights: &[SceneDescriptor], (start, end): (f64, f64)) -> Vec<FrameSignature> {
    let from = ((start / EVERY).ceil() as usize).min(sights.len().saturating_sub(1));
    let to = ((end / EVERY) as usize).clamp(from, sights.len().saturating_sub(1));
    let count = LOOKS.min(to - from + 1);
    (0..count)
        .filter_map(|i| sights.get(from + (to - from) * (2 * i + 1) / (2 * count)))
        .map(|s| s.look.clone())
        .collect()
}

/// By what light it was taken, where the picture shows it.
pub fn light(sights: &[SceneDescriptor]) -> Option<Light> {
    let mean = |of: fn(&SceneDescriptor) -> f32| sights.iter().map(of).sum::<f32>() / sights.len().max(1) as f32;
    let (luma, warmth) = (mean(|s| s.tones.mean), mean(|s| s.tones.warmth));
    let (crushed, above) = (mean(|s| s.tones.crushed), mean(|s| s.from_above));
    if luma < 0.2 && crushed > 0.35 {
        Some(Light::Night)
    } else if above > 0.12 && warmth > 0.12 && luma < 0.55 {
        Some(Light::Dusk)
    } else if above > 0.1 && luma > 0.4 && warmth < 0.06 {
        Some(Light::Day)
    } else if above < 0.02 && warmth > 0.06 && luma < 0.42 {
        Some(Light::Inside)
    } else {
        None
    }
}

/// How near it was taken, where what moves shows it: `area` is the share of the picture that moves when anything does.
pub fn framing(area: Option<f32>) -> Option<Framing> {
    match area? {
        a if a < 0.06 => Some(Framing::Wide),
        a if (0.12..0.3).contains(&a) => Some(Framing::Medium),
        a if a > 0.45 => Some(Framing::Close),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::super::picture::frame_bytes;
    use super::*;

    const W: usize = 96;
    const H: usize = 54;

    /// The upper third and the rest of these tones, all of one warmth: red against blue, in steps of chroma.
    fn sight(above: u8, below: u8, warm: i16) -> SceneDescriptor {
        let mut frame = Vec::with_capacity(frame_bytes(W, H));
        frame.extend(std::iter::repeat_n(above, W * H / 3));
        frame.extend(std::iter::repeat_n(below, W * H - W * H / 3));
        frame.extend(std::iter::repeat_n((128 - warm) as u8, W * H / 4));
        frame.extend(std::iter::repeat_n((128 + warm) as u8, W * H / 4));
        SceneDescriptor::of(&Picture::of(&frame, W, H))
    }

    #[test]
    fn light_is_suggested_where_the_picture_tells_it() {
        assert_eq!(light(&[sight(8, 6, 0)]), Some(Light::Night));
        assert_eq!(light(&[sight(220, 110, 0)]), Some(Light::Day));
        assert_eq!(light(&[sight(150, 70, 16)]), Some(Light::Dusk));
        assert_eq!(light(&[sight(80, 85, 9)]), Some(Light::Inside));
        for unsure in [sight(128, 128, 0), sight(70, 70, 0), sight(200, 200, 10)] {
            assert_eq!(light(&[unsure]), None);
        }
        assert_eq!(light(&[]), None, "nothing was seen");
    }

    #[test]
    fn framing_is_suggested_by_what_moves_and_not_between_two() {
        assert_eq!(framing(None), None);
        let reported: Vec<Option<Framing>> = [0.02, 0.09, 0.2, 0.38, 0.6].iter().map(|a| framing(Some(*a))).collect();
        assert_eq!(reported, [Some(Framing::Wide), None, Some(Framing::Medium), None, Some(Framing::Close)]);
    }

    #[test]
    fn looks_are_a_few_and_from_the_range_alone() {
        let sights: Vec<SceneDescriptor> = (0..40).map(|i| sight(i * 6, i * 6, 0)).collect();
        let tone = |look: &FrameSignature| look.tones[0];
        let all = signatures(&sights, (0.0, 20.0));
        assert_eq!(all.len(), LOOKS);
        assert!(all.windows(2).all(|w| tone(&w[0]) < tone(&w[1])), "one after the other");
        let part = signatures(&sights, (5.0, 7.0));
        assert!(
            part.iter().all(|l| (10 * 6..=14 * 6).contains(&tone(l))),
            "{:?}",
            part.iter().map(tone).collect::<Vec<_>>()
        );
        assert_eq!(signatures(&sights, (3.1, 3.2)).len(), 1, "even of a part of a second");
        assert!(signatures(&[], (0.0, 1.0)).is_empty());
    }

    #[test]
    fn sights_are_apart_by_tones_and_by_colours() {
        let one = sight(100, 100, 0);
        assert_eq!(one.apart(&one), 0.0);
        assert!(one.apart(&sight(110, 100, 0)) < one.apart(&sight(180, 100, 0)));
        assert!(one.apart(&sight(100, 100, 20)) > 0.2);
    }
}
