//! How the voices of a chamber piece go together: who has the melody, and what the others make of the chords.

use super::{Chord, LOW, Phrase, Players, Sung, TOP, VOICES, chord_at, of_chord, on_a_beat};
use rand::Rng;
use rand::seq::IndexedRandom;

/// How the voices go together.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Texture {
    /// All together, a chord a beat.
    Chorale,
    /// A melody over chords that are held.
    Held,
    /// Over notes repeated so many times a beat, on the beat too or only after it.
    Repeated(u32, bool),
    /// Over a chord taken apart, so many notes a beat.
    Broken(u32),
    /// Over long notes that begin between the beats.
    Syncopated,
    /// Everybody plays the melody.
    Unison,
    /// One after the other, so many beats later, begins with it.
    Imitation(u32),
    /// One voice runs, so many notes a beat.
    Running(usize, u32),
    /// The lowest sings, the others answer its beats.
    Below,
    /// Chords on some beats of the bar, and nothing between.
    Strokes(&'static [f64]),
}

const STROKES: [&[&[f64]]; 3] = [
    &[&[0.0], &[0.0, 1.0], &[0.0, 0.5, 1.0]],
    &[&[0.0], &[0.0, 1.0], &[0.0, 1.0, 2.0], &[0.0, 2.0]],
    &[&[0.0], &[0.0, 2.0], &[0.0, 1.0, 2.0], &[0.0, 2.0, 3.0], &[0.0, 1.0, 2.0, 3.0]],
];
impl Players {
    /// A few ways to go together that this piece keeps to.
    pub(super) fn textures(&mut self) -> Vec<Texture> {
        if self.rng.random_bool(0.2) {
            return vec![Texture::Chorale];
        }
        let strokes = STROKES[self.metre as usize - 2].choose(&mut self.rng).copied().unwrap_or(&[0.0]);
        let fast = if self.division == 3 { 3 } else { *[2, 2, 3, 4].choose(&mut self.rng).unwrap_or(&2) };
        let runs = if self.division == 3 { 3 } else { *[2, 4, 4].choose(&mut self.rng).unwrap_or(&4) };
        let beats = *[self.metre, 2 * self.metre, self.metre.div_ceil(2)].choose(&mut self.rng).unwrap_or(&2);
        let all = [
            Texture::Chorale,
            Texture::Held,
            Texture::Held,
            Texture::Repeated(1, true),
            Texture::Repeated(self.division, true),
            Texture::Repeated(self.division, false),
            Texture::Repeated(2 * self.division, true),
            Texture::Broken(fast),
            Texture::Broken(fast),
            Texture::Broken(self.division),
            Texture::Syncopated,
            Texture::Unison,
            Texture::Imitation(beats),
            Texture::Imitation(beats),
            Texture::Running(*[TOP, TOP, 1, LOW].choose(&mut self.rng).unwrap_or(&TOP), runs),
            Texture::Running(TOP, runs),
            Texture::Below,
            Texture::Strokes(strokes),
        ];
        let count = self.rng.random_range(1..=5);
        (0..count).filter_map(|_| all.choose(&mut self.rng).copied()).collect()
    }

    /// The voices that have the melody.
    pub(super) fn sung(
        &mut self,
        texture: Texture,
        melody: &[Sung],
        (from, to): (f64, f64),
        chords: &[Chord],
        phrase: &Phrase,
    ) {
        match texture {
            Texture::Unison => (0..VOICES).for_each(|voice| self.sing(voice, melody, phrase)),
            Texture::Below => self.sing(LOW, melody, phrase),
            Texture::Imitation(later) => {
                self.sing(TOP, melody, phrase);
                for (rank, voice) in [2, 1, LOW].into_iter().enumerate() {
                    let by = f64::from(later) * (rank + 1) as f64;
                    let answer: Vec<Sung> = melody
                        .iter()
                        .map(|s| (s.at + by, s))
                        .filter(|(at, _)| *at >= from - 0.01 && *at < to - 0.01)
                        .map(|(at, s)| {
                            let strong = on_a_beat(at);
                            let step = if strong { of_chord(chord_at(chords, at).degree, s.step) } else { s.step };
                            Sung { at, long: s.long, step }
                        })
                        .collect();
                    self.sing(voice, &answer, phrase);
                }
            }
            Texture::Running(voice, notes) => {
                let mut step = self.rng.random_range(-2..4);
                let mut by = 1;
                let count = ((to - from) * f64::from(notes)).round() as u32;
                let run: Vec<Sung> = (0..count)
                    .map(|i| {
                        let at = from + f64::from(i) / f64::from(notes);
                        if self.rng.random_bool(0.2) || !(-7..=9).contains(&(step + by)) {
                            by = -by;
                        }
                        step += by;
                        if i.is_multiple_of(notes) {
                            step = of_chord(chord_at(chords, at).degree, step);
                        }
                        Sung { at, long: 1.0 / f64::from(notes), step }
                    })
                    .collect();
                self.sing(voice, &run, phrase);
            }
            Texture::Strokes(_) => {
                let pickup: Vec<Sung> = melody.iter().copied().filter(|s| s.at < -0.01).collect();
                self.sing(TOP, &pickup, phrase);
            }
            Texture::Chorale | Texture::Held | Texture::Repeated(..) | Texture::Broken(_) | Texture::Syncopated => {
                self.sing(TOP, melody, phrase);
            }
        }
    }

    /// What the other voices make of a chord.
    pub(super) fn accompanied(&mut self, texture: Texture, chord: Chord, until: f64, phrase: &Phrase) {
        let beats = until - chord.at;
        let inner = [1, 2];
        let every = |part: f64| -> Vec<(f64, f64)> {
            (0..(beats / part).round() as u32).map(|i| (chord.at + f64::from(i) * part, part)).collect()
        };
        let held = vec![(chord.at, beats)];
        match texture {
            Texture::Chorale => {
                for voice in [1, 2, LOW] {
                    for (at, long) in every(1.0) {
                        // A step on the way to the next chord.
                        let passing = self.rng.random_bool(0.15);
                        self.chord(voice, chord, &[(at, if passing { 0.5 } else { long })], phrase);
                        if passing {
                            let step = step_of(voice, chord) + *[-1, 1].choose(&mut self.rng).unwrap_or(&1);
                            self.add(voice, step, at + 0.5, 0.5, phrase);
                        }
                    }
                }
            }
            Texture::Held | Texture::Running(..) => {
                for voice in [1, 2, LOW] {
                    self.chord(voice, chord, &held, phrase);
                }
            }
            Texture::Repeated(parts, on_beat) => {
                let mut strokes = every(1.0 / f64::from(parts));
                strokes.retain(|(at, _)| on_beat || !on_a_beat(*at));
                inner.iter().for_each(|voice| self.chord(*voice, chord, &strokes, phrase));
                let low = match self.rng.random_range(0..3) {
                    0 if on_beat => strokes,
                    1 => every(1.0),
                    _ => held,
                };
                self.chord(LOW, chord, &low, phrase);
            }
            Texture::Broken(parts) => {
                let orders: &[&[i32]] =
                    if parts == 3 { &[&[0, 2, 4]] } else { &[&[0, 4, 2, 4], &[0, 2, 4, 7], &[0, 2, 4, 2]] };
                let order = orders.choose(&mut self.rng).copied().unwrap_or(&[0, 4, 2, 4]);
                for (i, (at, long)) in every(1.0 / f64::from(parts)).into_iter().enumerate() {
                    let step = lowest(chord.degree) + order[i % order.len()];
                    self.add(2, step, at, long, phrase);
                }
                if self.rng.random_bool(0.6) {
                    self.chord(LOW, chord, &held, phrase);
                }
            }
            Texture::Syncopated => {
                let strokes: Vec<(f64, f64)> = (0..beats.round() as u32)
                    .map(|i| chord.at + f64::from(i) + 0.5)
                    .map(|at| (at, 1.0f64.min(until - at)))
                    .chain([(chord.at, 0.5)])
                    .collect();
                inner.iter().for_each(|voice| self.chord(*voice, chord, &strokes, phrase));
                self.chord(LOW, chord, &every(1.0), phrase);
            }
            Texture::Below => {
                let strokes: Vec<(f64, f64)> =
                    (0..beats.round() as u32).map(|i| (chord.at + f64::from(i) + 0.5, 0.5)).collect();
                [TOP, 1, 2].iter().for_each(|voice| self.chord(*voice, chord, &strokes, phrase));
            }
            Texture::Strokes(places) => {
                let metre = f64::from(self.metre);
                let bar = (chord.at / metre).floor() * metre;
                let strokes: Vec<(f64, f64)> = places
                    .iter()
                    .map(|at| (bar + at, 1.0))
                    .filter(|(at, _)| (chord.at - 0.01..until - 0.01).contains(at))
                    .collect();
                (0..VOICES).for_each(|voice| self.chord(voice, chord, &strokes, phrase));
            }
            Texture::Unison | Texture::Imitation(_) => {}
        }
    }

    /// A voice's own note of a chord, at each of these times for so long.
    pub(super) fn chord(&mut self, voice: usize, chord: Chord, strokes: &[(f64, f64)], phrase: &Phrase) {
        let step = step_of(voice, chord);
        for (at, long) in strokes {
            let long = if *long > 1.0 { *long * 0.97 } else { long * self.long[1] };
            self.add(voice, step, *at, long, phrase);
        }
    }
}

/// The step of its scale that a voice has in a chord.
fn step_of(voice: usize, chord: Chord) -> i32 {
    match voice {
        LOW => lowest(chord.degree + chord.below),
        1 => of_chord(chord.degree, 2),
        TOP => of_chord(chord.degree, 3),
        _ => of_chord(chord.degree, 0),
    }
}

/// A degree as a step near a voice's first.
fn lowest(degree: i32) -> i32 {
    (degree + 3).rem_euclid(7) - 3
}
