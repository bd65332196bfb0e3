//! What the networks learn from: pieces of all kinds with the fitted seeds, played, and made to sound like recordings.

use crate::corpus::play::{DRUMS, SECOND_SOUNDFONT};
use crate::{Band, Composition, FITTED_SEEDS, STYLES, each};
use legere_analysis::music::READING_RATE;
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::ops::Range;
use std::path::Path;
use std::time::Instant;

/// Of so many pieces, one is a piece in the styles, one a free improvisation, three are in idioms, three are chamber
/// pieces and four are songs.
const KINDS: usize = 12;
/// The model that chooses among rows of beats is trained on the seeds below.
const FIRST_STYLED_SEED: u64 = 30;
/// Families of instruments whose notes begin softly.
const SOFT: &[&[i32]] = &[
    &[48],
    &[48],
    &[49],
    &[40, 41, 42],
    &[40, 42, 48],
    &[48, 60, 71, 73],
    &[68, 70, 71, 73],
    &[52, 53],
    &[60, 61],
    &[44, 48],
    &[19],
    &[50, 89],
];

/// The numbers on the command line, or what they are without.
pub fn cli_numbers<const N: usize>(else_these: [usize; N]) -> [usize; N] {
    let mut numbers = std::env::args().skip(1).filter_map(|word| word.parse().ok());
    else_these.map(|otherwise| numbers.next().unwrap_or(otherwise))
}

/// What is made of each piece and its samples at [`READING_RATE`]; the second soundfont, where it is there, plays every
/// second pair of them. Half of them beside the other half.
pub fn dataset<T: Send>(numbers: Range<usize>, act: impl Fn(&Composition, &[f32]) -> T + Sync) -> Vec<T> {
    let start = Instant::now();
    let bands: Vec<Band> = std::iter::once(Band::from_debian().expect("a soundfont"))
        .chain(Band::open(Path::new(SECOND_SOUNDFONT)).ok())
        .map(Band::hasty)
        .collect();
    let all = each(&numbers.collect::<Vec<usize>>(), |number| {
        let (composition, samples) = played(*number, &bands);
        act(&composition, &samples)
    });
    println!("{} pieces played by {} soundfonts in {:.0} s", all.len(), bands.len(), start.elapsed().as_secs_f64());
    all
}

/// Its sound is varied by its number.
fn played(number: usize, bands: &[Band]) -> (Composition, Vec<f32>) {
    let mut rng = ChaCha8Rng::seed_from_u64(number as u64);
    let composition = piece(number, &mut rng);
    let mut samples = composition.play(&bands[number / 2 % bands.len()], READING_RATE).expect("played");
    vary(&mut samples, &mut rng);
    (composition, samples)
}

fn piece(number: usize, rng: &mut ChaCha8Rng) -> Composition {
    let i = number / KINDS;
    let mut composition = match number % KINDS {
        0 => {
            let seeds = FITTED_SEEDS.end - FIRST_STYLED_SEED;
            Composition::compose(&STYLES[i % STYLES.len()], FIRST_STYLED_SEED + (i / STYLES.len()) as u64 % seeds)
        }
        1 => Composition::improvise(number as u64),
        2..=4 => Composition::in_idiom(number as u64),
        5..=7 => Composition::chamber(number as u64),
        _ => Composition::song(number as u64),
    };
    if rng.random_bool(0.3) {
        soften(&mut composition, rng);
    }
    composition
}

/// The same piece played by strings, winds or voices, mostly without drums: no stroke tells where a note begins, and
/// notes run into each other.
fn soften(composition: &mut Composition, rng: &mut ChaCha8Rng) {
    let family = SOFT.choose(rng).copied().unwrap_or(&[48]);
    for (_, program) in composition.programs.iter_mut().filter(|(channel, _)| *channel != DRUMS) {
        *program = *family.choose(rng).unwrap_or(&48);
    }
    if rng.random_bool(0.8) {
        composition.notes.retain(|n| n.channel != DRUMS);
    }
    let legato = if rng.random_bool(0.5) { rng.random_range(1.0..1.4) } else { 1.0 };
    composition.notes.iter_mut().filter(|n| n.channel != DRUMS).for_each(|n| n.long *= legato);
}

fn vary(samples: &mut [f32], rng: &mut ChaCha8Rng) {
    let level: f32 = rng.random_range(0.25..1.1);
    let tilt: f32 = rng.random_range(-0.7..0.7);
    let drive: f32 = if rng.random_bool(0.4) { rng.random_range(1.5..6.0) } else { 0.0 };
    let hiss: f32 = if rng.random_bool(0.3) { rng.random_range(0.0005..0.006) } else { 0.0 };
    // Small loudspeakers have no bass, old tapes no treble.
    let bass_gone: f32 = if rng.random_bool(0.15) { rng.random_range(0.01..0.06) } else { 0.0 };
    let treble_stays: f32 = if rng.random_bool(0.2) { rng.random_range(0.25..0.8) } else { 1.0 };
    let (mut low, mut lowest, mut dull) = (0.0f32, 0.0f32, 0.0f32);
    for s in samples.iter_mut() {
        lowest += bass_gone * (*s - lowest);
        dull += treble_stays * (*s - lowest - dull);
        *s = dull;
        low += 0.12 * (*s - low);
        // More of what lies above some 500 Hz, or less.
        let mut v = low * (1.0 - tilt.max(0.0)) + (*s - low) * (1.0 + tilt.min(0.0));
        if drive > 0.0 {
            v = (v * drive).tanh() / drive.tanh();
        }
        *s = v * level + hiss * rng.random_range(-1.0..1.0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pieces_of_all_kinds_come_by_turns_and_the_same_number_gives_the_same_piece() {
        let of = |number: usize| piece(number, &mut ChaCha8Rng::seed_from_u64(number as u64));
        let words: Vec<String> =
            (0..KINDS).map(|n| of(n).name.split(' ').next().unwrap_or_default().to_owned()).collect();
        for (word, times) in [("improvised", 1), ("chamber", 3), ("song", 4)] {
            assert_eq!(words.iter().filter(|w| *w == word).count(), times, "{word} of {words:?}");
        }
        assert_eq!(of(7).fingerprint(), of(7).fingerprint());
        assert_ne!(of(7).fingerprint(), of(7 + KINDS).fingerprint());
    }

    #[test]
    fn a_softened_piece_keeps_its_beats_and_has_only_soft_players() {
        let mut silent_kits = 0;
        for seed in 0..40 {
            let (mut composition, hard) = (Composition::song(seed), Composition::song(seed));
            soften(&mut composition, &mut ChaCha8Rng::seed_from_u64(seed));
            assert_eq!(composition.truth, hard.truth, "{seed}");
            let soft = |program: &i32| SOFT.iter().any(|family| family.contains(program));
            assert!(composition.programs.iter().filter(|(c, _)| *c != DRUMS).all(|(_, p)| soft(p)), "{seed}");
            let before: Vec<f64> = hard.notes.iter().filter(|n| n.channel != DRUMS).map(|n| n.at).collect();
            let after: Vec<f64> = composition.notes.iter().filter(|n| n.channel != DRUMS).map(|n| n.at).collect();
            assert_eq!(before, after, "{seed}: the same notes at the same times");
            silent_kits += usize::from(composition.notes.iter().all(|n| n.channel != DRUMS));
        }
        assert!((20..40).contains(&silent_kits), "{silent_kits} of 40 without a kit");
    }

    #[test]
    fn what_was_recorded_badly_is_still_in_time() {
        let mut samples = vec![0.0f32; 4800];
        samples[2400] = 0.8;
        for seed in 0..30 {
            let mut varied = samples.clone();
            vary(&mut varied, &mut ChaCha8Rng::seed_from_u64(seed));
            let loudest = (0..varied.len()).max_by(|a, b| varied[*a].abs().total_cmp(&varied[*b].abs()));
            assert!(loudest.is_some_and(|at| at.abs_diff(2400) <= 2), "{seed}: {loudest:?}");
            assert!(varied.iter().all(|v| v.abs() < 1.3), "{seed}");
        }
    }
}
