//! Double time: the kit goes at twice the tempo that one taps, as in what is danced fast. Its kick is on the beats and its
//! snare half-way between them, where a backbeat would be if one counted as fast as the kit.

use super::parts::{Habit, every, part, softened};
use super::{Kit, Part, Writer};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// How many songs go in double time.
const LIKELY: f64 = 0.2;

const BASSES: &[Habit] = &[
    Habit(1.0, 0.95, 0.95, 0.05, 0.0),
    Habit(1.0, 0.95, 0.95, 0.05, 0.0),
    Habit(1.0, 0.95, 0.05, 0.05, 0.0),
    Habit(1.0, 1.0, 1.0, 0.97, 0.0),
    Habit(1.0, 0.8, 0.6, 0.5, 0.05),
    Habit(1.0, 0.6, 0.6, 0.3, 0.2),
];
const COMPS: &[Habit] =
    &[Habit(0.03, 0.03, 0.03, 0.98, 0.0), Habit(0.2, 0.1, 0.2, 0.95, 0.05), Habit(1.0, 1.0, 1.0, 1.0, 0.0)];
const KICKS: &[Habit] = &[
    Habit(1.0, 1.0, 1.0, 0.0, 0.0),
    Habit(1.0, 0.95, 0.85, 0.05, 0.03),
    Habit(1.0, 0.9, 0.7, 0.1, 0.12),
    Habit(1.0, 0.95, 0.1, 0.05, 0.0),
];

/// Drawn beside the song itself, so that all others are what they are without it.
pub(super) fn chosen(seed: u64, grid: u32) -> bool {
    grid != 3 && ChaCha8Rng::seed_from_u64(seed.wrapping_mul(5_754_853_343).wrapping_add(67)).random_bool(LIKELY)
}

impl Writer {
    pub(super) fn bass_in_double_time(&mut self) -> Part {
        let habit = self.habit(BASSES);
        self.bass_of(habit)
    }

    pub(super) fn comp_in_double_time(&mut self) -> Part {
        let habit = self.habit(COMPS);
        self.comp_of(habit)
    }

    pub(super) fn kit_in_double_time(&mut self) -> Kit {
        let metre = f64::from(self.metre);
        let kick = self.habit(KICKS);
        let mut kit: Kit = vec![(*[36, 36, 35, 41].choose(&mut self.rng).unwrap_or(&36), self.struck(kick, 0.2))];
        let snare = *[38, 38, 40, 39, 37, 56].choose(&mut self.rng).unwrap_or(&38);
        let loud = self.rng.random_range(0.6..1.0);
        kit.push((snare, part(every(metre, 1.0, 0.5), loud)));
        match self.rng.random_range(0..5) {
            0 => kit.push((39, part(every(metre, 1.0, 0.5), loud))),
            // A train: the snare goes on and on, and what is between the beats is loud.
            1 => kit.push((snare, softened(part(every(metre, 0.25, 0.0), loud), 0.5))),
            2 => {
                let more = self.struck(Habit(0.0, 0.1, 0.1, 0.0, 0.25), 0.0);
                kit.push((snare, softened(more, 0.6)));
            }
            _ => {}
        }
        let hat = *[42, 42, 42, 51, 46, 70, 54, 82, 44].choose(&mut self.rng).unwrap_or(&42);
        let hats = match self.rng.random_range(0..6) {
            0 => every(metre, 1.0, 0.0),
            1 | 2 => every(metre, 0.5, 0.0),
            3 => every(metre, 0.25, 0.0),
            4 => every(metre, 1.0, 0.5),
            _ => Vec::new(),
        };
        let soft = self.rng.random_range(0.35..0.9);
        kit.push((hat, part(hats, soft)));
        kit
    }
}
