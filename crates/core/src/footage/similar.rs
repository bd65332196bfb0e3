//! Which clips show the same thing: takes of one set-up, to be seen beside each other.

use serde::{Deserialize, Serialize};

/// Cells across and down in which brightness is compared.
pub const TONES: (usize, usize) = (12, 7);
/// Cells across and down in which colour is compared.
pub const COLOURS: (usize, usize) = (4, 3);

/// What a frame shows, small enough to be compared with thousands of others.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct FrameSignature {
    /// Brightness over [`TONES`], by lines, 0–255.
    pub tones: Vec<u8>,
    /// Blue and red difference over [`COLOURS`], by lines, −127–127.
    pub colours: Vec<i8>,
}

/// Cells by which a take may be framed otherwise than another.
const SHIFT: isize = 2;
/// Takes of one set-up are recorded one after the other: a clip so many places behind the last one of a group may be its next.
const NEXT: usize = 3;
/// Variance below which there is nothing to see.
const BARE: f32 = 9.0;

/// How alike two signatures must be.
struct Likeness {
    /// Correlation of brightness from which they are of the same thing.
    tones: f32,
    /// The same without what changes slowly over the picture, which is as much the light's as the thing's.
    detail: f32,
    /// Mean difference of colour up to which they are.
    colours: f32,
}

/// Of clips that were recorded one after the other.
const NEAR: Likeness = Likeness { tones: 0.86, detail: 0.7, colours: 8.0 };
/// Of all others: the same wall or sky is no other take. Light alone shows nothing.
const FAR: Likeness = Likeness { tones: f32::INFINITY, detail: 0.97, colours: 5.0 };

impl FrameSignature {
    /// Bytes of one look.
    const SIZE: usize = TONES.0 * TONES.1 + 2 * COLOURS.0 * COLOURS.1;

    /// Looks one after the other, to be kept for thousands of clips.
    pub fn to_bytes(signatures: &[Self]) -> Vec<u8> {
        signatures
            .iter()
            .flat_map(|l| l.tones.iter().copied().chain(l.colours.iter().map(|c| c.cast_unsigned())))
            .collect()
    }

    /// From what [`FrameSignature::to_bytes`] gave.
    pub fn from_bytes(bytes: &[u8]) -> Vec<Self> {
        let signatures = bytes.chunks_exact(Self::SIZE);
        signatures
            .map(|one| {
                let (tones, colours) = one.split_at(TONES.0 * TONES.1);
                Self { tones: tones.to_vec(), colours: colours.iter().map(|c| c.cast_signed()).collect() }
            })
            .collect()
    }

    fn colours_apart(&self, other: &Self) -> f32 {
        let sum: i32 =
            self.colours.iter().zip(&other.colours).map(|(a, b)| (i32::from(*a) - i32::from(*b)).abs()).sum();
        let count = self.colours.len().min(other.colours.len());
        if count == 0 { f32::MAX } else { sum as f32 / count as f32 }
    }
}

/// A look, made ready to be compared with many.
struct Seen<'a> {
    look: &'a FrameSignature,
    tones: Vec<f32>,
    /// Without what a curved surface over the picture explains.
    detail: Vec<f32>,
}

impl<'a> Seen<'a> {
    /// None of a look of another size.
    fn of(look: &'a FrameSignature) -> Option<Self> {
        let tones: Vec<f32> = look.tones.iter().copied().map(f32::from).collect();
        (tones.len() == TONES.0 * TONES.1).then(|| Self { look, detail: without_surface(&tones), tones })
    }

    /// Whether both show the same thing, framed a little otherwise or as bright as it may be.
    fn is_alike(&self, other: &Self, wanted: &Likeness) -> bool {
        self.look.colours_apart(other.look) < wanted.colours
            && (best(&self.detail, &other.detail) > wanted.detail
                || wanted.tones < 1.0 && best(&self.tones, &other.tones) > wanted.tones)
    }
}

/// What is left of tones over a surface of the second degree, fitted to them by least squares.
fn without_surface(tones: &[f32]) -> Vec<f32> {
    let (w, h) = TONES;
    let at = |i: usize| (2.0 * (i % w) as f32 / (w - 1) as f32 - 1.0, 2.0 * (i / w) as f32 / (h - 1) as f32 - 1.0);
    let shapes: [fn(f32, f32) -> f32; 6] = [|_, _| 1.0, |x, _| x, |_, y| y, |x, _| x * x, |_, y| y * y, |x, y| x * y];
    let mut left = tones.to_vec();
    // Each shape without the ones before it (Gram and Schmidt), so that their shares can be taken out one by one.
    let mut basis: Vec<Vec<f32>> = Vec::with_capacity(shapes.len());
    for shape in shapes {
        let mut one: Vec<f32> = (0..w * h).map(|i| shape(at(i).0, at(i).1)).collect();
        basis.iter().for_each(|earlier| take_out(&mut one, earlier));
        take_out(&mut left, &one);
        basis.push(one);
    }
    left
}

/// Takes out of values what `shape` explains of them.
fn take_out(values: &mut [f32], shape: &[f32]) {
    let dot = |a: &[f32]| a.iter().zip(shape).map(|(a, b)| a * b).sum::<f32>();
    let share = dot(values) / dot(shape).max(f32::MIN_POSITIVE);
    values.iter_mut().zip(shape).for_each(|(v, s)| *v -= share * s);
}

/// The best correlation over all small shifts.
fn best(a: &[f32], b: &[f32]) -> f32 {
    let shifts = (-1..=1).flat_map(|dy| (-SHIFT..=SHIFT).map(move |dx| (dx, dy)));
    shifts.map(|(dx, dy)| correlation(a, b, dx, dy)).fold(0.0, f32::max)
}

fn correlation(a: &[f32], b: &[f32], dx: isize, dy: isize) -> f32 {
    let (w, h) = (TONES.0 as isize, TONES.1 as isize);
    let (mut n, mut sa, mut sb, mut saa, mut sbb, mut sab) = (0.0f32, 0.0f32, 0.0f32, 0.0f32, 0.0f32, 0.0f32);
    for y in 0.max(-dy)..h.min(h - dy) {
        for x in 0.max(-dx)..w.min(w - dx) {
            let a = a[(y * w + x) as usize];
            let b = b[((y + dy) * w + x + dx) as usize];
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
    if va < BARE || vb < BARE { 0.0 } else { both / (va * vb).sqrt() }
}

/// Groups of clips that show the same thing, as places in `clips`, each group in their order, which is that of recording; clips
/// alone are in none. A clip belongs to the first group whose first clip it is alike, so that a chain of small changes does not join
/// what is not alike.
pub fn similar_takes(clips: &[&[FrameSignature]]) -> Vec<Vec<usize>> {
    let clips: Vec<Vec<Seen>> =
        clips.iter().map(|signatures| signatures.iter().filter_map(Seen::of).collect()).collect();
    let mut groups: Vec<Vec<usize>> = Vec::new();
    for (i, signatures) in clips.iter().enumerate() {
        let joins = |group: &Vec<usize>| {
            let next = group.last().is_some_and(|last| i - last <= NEXT);
            are_alike(&clips[group[0]], signatures, if next { &NEAR } else { &FAR })
        };
        match groups.iter_mut().find(|g| joins(g)) {
            Some(group) => group.push(i),
            None => groups.push(vec![i]),
        }
    }
    groups.retain(|g| g.len() > 1);
    groups
}

/// Whether two clips share what they show: most signatures of the one that has fewer are found in the other.
fn are_alike(a: &[Seen], b: &[Seen], wanted: &Likeness) -> bool {
    let (few, many) = if a.len() <= b.len() { (a, b) } else { (b, a) };
    let found = few.iter().filter(|look| many.iter().any(|other| look.is_alike(other, wanted))).count();
    found > 0 && found * 2 > few.len()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn look(seed: u32, shift: usize, brighter: f32) -> FrameSignature {
        let value = |x: usize, y: usize| {
            let n = ((x + shift) as u32 * 7 + y as u32 * 131 + seed * 977).wrapping_mul(2_654_435_761) >> 24;
            (n as f32 * brighter).min(255.0) as u8
        };
        let tones = (0..TONES.1).flat_map(|y| (0..TONES.0).map(move |x| value(x, y))).collect();
        let colours = (0..COLOURS.0 * COLOURS.1 * 2).map(|i| ((seed as usize * 37 + i * 11) % 90) as i8).collect();
        FrameSignature { tones, colours }
    }

    #[test]
    fn takes_of_one_set_up_are_together_and_others_are_not() {
        let clips: Vec<Vec<FrameSignature>> = vec![
            vec![look(1, 0, 0.8), look(1, 1, 0.8)],
            vec![look(2, 0, 0.8)],
            vec![look(1, 1, 0.6)],
            vec![look(3, 0, 0.8)],
            vec![look(1, 2, 0.7), look(3, 0, 0.8), look(1, 1, 0.7)],
            vec![],
        ];
        let clips: Vec<&[FrameSignature]> = clips.iter().map(Vec::as_slice).collect();
        assert_eq!(FrameSignature::from_bytes(&FrameSignature::to_bytes(clips[4])), clips[4]);
        assert_eq!(
            similar_takes(&clips),
            [vec![0, 2, 4]],
            "shifted, darker, but the same; and what is nothing is like nothing"
        );
    }

    #[test]
    fn how_alike_signatures_are_to_the_last_digit() {
        use std::fmt::Write;
        let all: Vec<FrameSignature> =
            [(1, 0, 0.8), (1, 1, 0.8), (1, 2, 0.5), (2, 0, 0.8), (3, 5, 1.0)].map(|(s, x, b)| look(s, x, b)).into();
        let lights = [lit(&[]), lit(&[(3, 2), (4, 2)]), lit(&[(4, 3), (5, 3)]), lit(&[(11, 6)])];
        let all: Vec<FrameSignature> = all.into_iter().chain(lights).collect();
        let seen: Vec<Seen> = all.iter().filter_map(Seen::of).collect();
        let mut text = String::new();
        for (i, a) in seen.iter().enumerate() {
            let left: f32 = a.detail.iter().map(|d| d.abs()).sum();
            writeln!(text, "{i}: {:.3} over its surface", left / a.detail.len() as f32).expect("text");
            for (k, b) in seen.iter().enumerate() {
                let (tones, detail) = (best(&a.tones, &b.tones), best(&a.detail, &b.detail));
                let colours = a.look.colours_apart(b.look);
                let (near, far) = (a.is_alike(b, &NEAR), a.is_alike(b, &FAR));
                let corner = correlation(&a.tones, &b.tones, SHIFT, -1);
                writeln!(text, "  {k}: {tones:.4} {detail:.4} {corner:.4} {colours:.2} {near} {far}").expect("text");
            }
        }
        insta::assert_snapshot!("alike", text);
    }

    #[test]
    fn most_of_the_shorter_clip_is_found_in_the_longer_and_only_nearby() {
        let takes = |clips: &[Vec<FrameSignature>]| similar_takes(&clips.iter().map(Vec::as_slice).collect::<Vec<_>>());
        let of = |seeds: &[u32]| seeds.iter().map(|s| look(*s, 0, 0.8)).collect::<Vec<_>>();
        assert_eq!(takes(&[of(&[1, 2]), of(&[1, 3])]), Vec::<Vec<usize>>::new(), "a half is not most");
        assert_eq!(takes(&[of(&[1, 2, 4]), of(&[1, 3, 2])]), [[0, 1]]);
        assert_eq!(takes(&[of(&[5]), of(&[1, 2, 5, 6])]), [[0, 1]], "the shorter one counts");
        // A take that is framed otherwise is known among the next few alone.
        let (first, shifted) = (vec![look(1, 0, 0.8)], vec![look(1, 2, 0.6)]);
        let behind = |others: usize| {
            let others = (0..others).map(|i| vec![look(20 + i as u32, 0, 0.8)]);
            let all: Vec<_> = std::iter::once(first.clone()).chain(others).chain([shifted.clone()]).collect();
            !takes(&all).is_empty()
        };
        assert_eq!((behind(NEXT - 1), behind(0)), (true, true));
    }

    #[test]
    fn bare_walls_are_not_takes_of_each_other() {
        let wall = FrameSignature { tones: vec![90; TONES.0 * TONES.1], colours: vec![0; COLOURS.0 * COLOURS.1 * 2] };
        let walls = [wall.clone(), wall.clone()];
        assert!(similar_takes(&[&walls[..1], &walls[1..]]).is_empty());
    }

    /// A lamp in a corner of a wall, and what stands before it: a few dots in one place or another.
    fn lit(dots: &[(usize, usize)]) -> FrameSignature {
        let tones = (0..TONES.0 * TONES.1).map(|i| {
            let (x, y) = (i % TONES.0, i / TONES.0);
            let light = 180.0 - 9.0 * x as f32 - 6.0 * y as f32;
            (if dots.contains(&(x, y)) { light + 60.0 } else { light }) as u8
        });
        FrameSignature { tones: tones.collect(), colours: vec![0; COLOURS.0 * COLOURS.1 * 2] }
    }

    #[test]
    fn the_same_light_is_no_other_take_an_hour_later_and_the_same_thing_is() {
        let (gear, dots) = (lit(&[(3, 2), (4, 2), (4, 3)]), lit(&[(9, 5), (2, 5), (6, 1)]));
        let others: Vec<FrameSignature> = (10..18).map(|seed| look(seed, 0, 0.8)).collect();
        let of = |first: &FrameSignature, last: &FrameSignature| -> Vec<Vec<usize>> {
            let day: Vec<&FrameSignature> = [first].into_iter().chain(&others).chain([last]).collect();
            similar_takes(&day.into_iter().map(std::slice::from_ref).collect::<Vec<_>>())
        };
        assert_eq!(of(&gear, &gear), [[0, 9]]);
        assert_eq!(of(&gear, &dots), Vec::<Vec<usize>>::new(), "one light on other things");
        let beside = [&gear, &dots].map(std::slice::from_ref);
        assert_eq!(similar_takes(&beside), [[0, 1]], "one after the other they may be one set-up");
    }
}
