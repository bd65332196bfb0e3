//! Grooves where one does not tap on what is loudest, or where most begins.
//!
//! In double time the kit goes at twice the tempo that one taps, as in what is danced fast: its kick is on the beats and its
//! snare half-way between them, where a backbeat would be if one counted as fast as the kit. Where kick and bass are pushed
//! it is the snare that is on beats, and they mostly come half a beat before them. Only together do they tell which is which.

use super::parts::{HAT_KEYS, Habit, KICK_KEYS, every, part, softened};
use super::{Kit, Part, Writer};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Groove {
    Plain,
    DoubleTime,
    /// With the habit of kick and bass.
    Pushed(Habit),
}

/// How many songs go in double time, and how many of the others are pushed.
const IN_DOUBLE_TIME: f64 = 0.2;
const PUSHED: f64 = 0.25;

const PUSHED_HABITS: &[Habit] = &[
    Habit(1.0, 0.15, 0.1, 0.9, 0.0),
    Habit(0.95, 0.5, 0.1, 0.85, 0.05),
    Habit(0.9, 0.2, 0.1, 0.6, 0.25),
    Habit(0.5, 0.4, 0.3, 0.95, 0.0),
    Habit(0.95, 0.9, 0.9, 0.95, 0.05),
];
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

impl Groove {
    /// Drawn beside the song itself, so that all others are what they are without it.
    pub(super) fn drawn(seed: u64, grid: u32) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(5_754_853_343).wrapping_add(67));
        if grid != 3 && rng.random_bool(IN_DOUBLE_TIME) {
            Self::DoubleTime
        } else if rng.random_bool(PUSHED) {
            PUSHED_HABITS.choose(&mut rng).map_or(Self::Plain, |habit| Self::Pushed(*habit))
        } else {
            Self::Plain
        }
    }
}

impl Writer {
    pub(super) fn bass_in_groove(&mut self) -> Part {
        let habit = match self.groove {
            Groove::DoubleTime => self.habit(BASSES),
            Groove::Pushed(habit) if self.rng.random_bool(0.7) => habit,
            _ => return self.bass(),
        };
        self.bass_of(habit)
    }

    pub(super) fn comp_in_groove(&mut self) -> Part {
        if self.groove != Groove::DoubleTime || self.rng.random_bool(0.5) {
            return self.comp();
        }
        let habit = self.habit(COMPS);
        self.comp_of(habit)
    }

    pub(super) fn kit_in_groove(&mut self) -> Kit {
        match self.groove {
            Groove::Plain => self.kit(),
            Groove::DoubleTime => self.kit_in_double_time(),
            Groove::Pushed(habit) => {
                let mut kit = self.kit();
                let backbeats = every(f64::from(self.metre), 2.0, 1.0);
                kit[0].1 = self.struck(habit, 0.1);
                kit.push((*[38, 38, 40, 39].choose(&mut self.rng).unwrap_or(&38), part(backbeats, 1.0)));
                kit
            }
        }
    }

    fn kit_in_double_time(&mut self) -> Kit {
        let metre = f64::from(self.metre);
        let kick = self.habit(KICKS);
        let mut kit: Kit = vec![(*KICK_KEYS.choose(&mut self.rng).unwrap_or(&36), self.struck(kick, 0.2))];
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
        let hat = *HAT_KEYS.choose(&mut self.rng).unwrap_or(&42);
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
