//! What the networks learn from: pieces of all kinds with the fitted seeds, played, and made to sound like recordings.

use crate::play::DRUMS;
use crate::{Band, Etude, FITTED_SEEDS, STYLES, each};
use legere_core::track::READING_RATE;
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::ops::Range;
use std::path::Path;
use std::time::Instant;

/// Where Debian's `fluid-soundfont-gm` puts its instruments; where it is there, it plays every second piece.
const SECOND_SOUNDFONT: &str = "/usr/share/sounds/sf2/FluidR3_GM.sf2";
/// Of so many pieces, one is an étude in the styles, one a free improvisation, three are in idioms and four are songs.
const KINDS: usize = 9;
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
pub fn asked<const N: usize>(else_these: [usize; N]) -> [usize; N] {
    let mut numbers = std::env::args().skip(1).filter_map(|word| word.parse().ok());
    else_these.map(|otherwise| numbers.next().unwrap_or(otherwise))
}

/// What is made of each piece and its samples at [`READING_RATE`], half of them beside the other half.
pub fn lessons<T: Send>(numbers: Range<usize>, act: impl Fn(&Etude, &[f32]) -> T + Sync) -> Vec<T> {
    let start = Instant::now();
    let bands: Vec<Band> = std::iter::once(Band::from_debian().expect("a soundfont"))
        .chain(Band::open(Path::new(SECOND_SOUNDFONT)).ok())
        .map(Band::hasty)
        .collect();
    let all = each(&numbers.collect::<Vec<usize>>(), |number| {
        let (etude, samples) = played(*number, &bands);
        act(&etude, &samples)
    });
    println!("{} pieces played by {} soundfonts in {:.0} s", all.len(), bands.len(), start.elapsed().as_secs_f64());
    all
}

/// Its sound is varied by its number.
fn played(number: usize, bands: &[Band]) -> (Etude, Vec<f32>) {
    let mut rng = ChaCha8Rng::seed_from_u64(number as u64);
    let i = number / KINDS;
    let mut etude = match number % KINDS {
        0 => {
            let seeds = FITTED_SEEDS.end - FIRST_STYLED_SEED;
            Etude::compose(&STYLES[i % STYLES.len()], FIRST_STYLED_SEED + (i / STYLES.len()) as u64 % seeds)
        }
        1 => Etude::improvise(number as u64),
        2..=4 => Etude::in_idiom(number as u64),
        _ => Etude::song(number as u64),
    };
    if rng.random_bool(0.3) {
        soften(&mut etude, &mut rng);
    }
    let mut samples = etude.play(&bands[number / 2 % bands.len()], READING_RATE).expect("played");
    vary(&mut samples, &mut rng);
    (etude, samples)
}

/// The same piece played by strings, winds or voices, mostly without drums: no stroke tells where a note begins, and
/// notes run into each other.
fn soften(etude: &mut Etude, rng: &mut ChaCha8Rng) {
    let family = SOFT.choose(rng).copied().unwrap_or(&[48]);
    for (_, program) in etude.programs.iter_mut().filter(|(channel, _)| *channel != DRUMS) {
        *program = *family.choose(rng).unwrap_or(&48);
    }
    if rng.random_bool(0.8) {
        etude.notes.retain(|n| n.channel != DRUMS);
    }
    let legato = if rng.random_bool(0.5) { rng.random_range(1.0..1.4) } else { 1.0 };
    etude.notes.iter_mut().filter(|n| n.channel != DRUMS).for_each(|n| n.long *= legato);
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
