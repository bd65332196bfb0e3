//! Chamber music: a few players, phrases that go to a cadence, and a texture that changes every few bars.
//!
//! Idioms and songs keep their patterns; such music hardly has any. What tells its bars are its harmony (four-part
//! writing by function, slower at the beginning of a phrase than before its cadence), motifs that return and where
//! cadences fall, seldom loudness: many of these pieces are played all alike, as from notation.

use crate::corpus::compose::{Composition, Time, Truth, beat_times};
use crate::corpus::improvise::{NEXT, SCALES, tempo_near};
use crate::corpus::note::Note;
use crate::corpus::style::{Pulse, STYLES, Style};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use texture::Texture;

mod texture;

const SECONDS: f64 = 52.0;
const TAIL_SECONDS: f64 = 2.0;
const VOICES: usize = 4;
const TOP: usize = 0;
const LOW: usize = 3;
/// Where each voice lies: the key of its first step.
const REGISTERS: [i32; VOICES] = [72, 65, 57, 45];
const THEMES: usize = 3;

/// Who plays the four voices.
const ENSEMBLES: &[[i32; VOICES]] = &[
    [40, 40, 41, 42],
    [40, 40, 41, 42],
    [48; VOICES],
    [48; VOICES],
    [48, 48, 48, 43],
    [49; VOICES],
    [0; VOICES],
    [0; VOICES],
    [0; VOICES],
    [6; VOICES],
    [19; VOICES],
    [52; VOICES],
    [73, 68, 71, 70],
    [68, 71, 60, 70],
    [56, 60, 57, 58],
    [40, 0, 0, 0],
    [71, 48, 48, 42],
    [53, 0, 0, 0],
    [45, 45, 45, 43],
    [24; VOICES],
];

/// Where chords change in a bar.
const CHANGES: [&[&[f64]]; 3] = [
    &[&[0.0], &[0.0], &[0.0, 1.0], &[0.0, 1.0]],
    &[&[0.0], &[0.0], &[0.0], &[0.0, 2.0], &[0.0, 1.0, 2.0], &[0.0, 1.0]],
    &[&[0.0], &[0.0], &[0.0, 2.0], &[0.0, 2.0], &[0.0, 2.0, 3.0], &[0.0, 1.0, 2.0, 3.0]],
];
const THIRD: f64 = 1.0 / 3.0;
/// Lengths in beats; a rest is negative.
const IN_TWO: &[&[f64]] = &[
    &[1.0],
    &[1.0],
    &[0.5, 0.5],
    &[0.5, 0.5],
    &[2.0],
    &[1.5, 0.5],
    &[0.75, 0.25],
    &[0.25, 0.25, 0.25, 0.25],
    &[0.5, 0.25, 0.25],
    &[-0.5, 0.5],
    &[-1.0],
    &[0.5, 1.0, 0.5],
    &[1.0, -0.5, 0.5],
];
const IN_THREE: &[&[f64]] = &[
    &[1.0],
    &[1.0],
    &[2.0 * THIRD, THIRD],
    &[2.0 * THIRD, THIRD],
    &[THIRD, THIRD, THIRD],
    &[2.0],
    &[0.5, 0.5 - THIRD, THIRD],
];
/// Which of two motifs each bar has.
const TURNS: [&[usize]; 4] = [&[0, 0, 1, 0], &[0, 1], &[0, 0, 0, 1], &[0, 1, 1, 1]];
/// What leads into a phrase: when it begins, in beats before it.
const PICKUPS: &[&[f64]] = &[&[-1.0], &[-1.0], &[-0.5], &[-1.0, -0.5], &[-0.25], &[-1.5, -1.0, -0.5]];
const PICKUPS_IN_THREE: &[&[f64]] = &[&[-THIRD], &[-1.0], &[-1.0, -2.0 * THIRD, -THIRD]];

/// A note of a melody: where in the phrase and how long, in beats, and its step of the scale.
#[derive(Clone, Copy)]
struct Sung {
    at: f64,
    long: f64,
    step: i32,
}

/// A chord: from where in the phrase, its degree, and the step above it that the lowest voice has.
#[derive(Clone, Copy)]
struct Chord {
    at: f64,
    degree: i32,
    below: i32,
}

struct Theme {
    bars: u32,
    chords: Vec<Chord>,
    melody: Vec<Sung>,
    /// Of its first half and its second.
    textures: [Texture; 2],
}

/// Where a phrase is played and how.
struct Phrase {
    /// In beats from the beginning of the piece.
    start: f64,
    loud: f64,
    /// What it grows by until its end.
    grows: f64,
}

struct Players {
    rng: ChaCha8Rng,
    time: Time,
    notes: Vec<Note>,
    metre: u32,
    division: u32,
    scale: [i32; 7],
    tonic: i32,
    /// How much the place in the bar decides about loudness; none at all where all notes are alike.
    accent: Option<f64>,
    volumes: [f64; VOICES],
    /// How much of its time a note of the melody and of the others lasts.
    long: [f64; 2],
    stray: f64,
    pickup: &'static [f64],
    hymn: Option<Hymn>,
}

/// What is sung line by line: short phrases that mostly begin with a pick-up, and whose last chord may come in the middle
/// of a bar, so that the next line's pick-up is that bar's end.
#[derive(Clone, Copy)]
struct Hymn {
    pickup: &'static [f64],
    chorale: bool,
    closes_in_mid_bar: bool,
}

impl Hymn {
    /// Drawn beside the piece itself, so that all others are what they are without it.
    fn drawn(seed: u64, metre: u32) -> Option<Self> {
        let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(6_700_417_001).wrapping_add(71));
        rng.random_bool(0.3).then(|| Self {
            pickup: if rng.random_bool(0.7) { &[-1.0] } else { &[] },
            chorale: rng.random_bool(0.6),
            closes_in_mid_bar: metre == 4 && rng.random_bool(0.7),
        })
    }
}

impl Composition {
    /// The chamber piece of a seed.
    pub fn chamber(seed: u64) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(4_768_777_513).wrapping_add(53));
        let style = frame(&mut rng);
        let (bpm, metre) = (style.bpm.0, style.metre);
        let hymn = Hymn::drawn(seed, metre);
        let pickups = if style.division == 3 { PICKUPS_IN_THREE } else { PICKUPS };
        let pickup: &[f64] =
            if rng.random_bool(0.4) { pickups.choose(&mut rng).copied().unwrap_or_default() } else { &[] };
        let pickup = hymn.map_or(pickup, |hymn| hymn.pickup);
        let led = led_by(pickup);
        // A pick-up has a bar of its own, whose beginning is then left out.
        let first_bar = u32::from(led > 0.0);
        let wanted = ((SECONDS * bpm / 60.0 / f64::from(metre)).round() as u32).max(8);
        let lengths: &[u32] = if hymn.is_some() { &[2, 2, 2, 3, 4, 4] } else { &[4, 4, 4, 4, 8, 8, 6, 5, 3] };
        let themes: Vec<u32> = (0..THEMES).map(|_| *lengths.choose(&mut rng).unwrap_or(&4)).collect();
        let mut order = Vec::new();
        while order.iter().map(|t: &usize| themes[*t]).sum::<u32>() < wanted {
            order.push(rng.random_range(0..THEMES));
        }
        let total = first_bar + order.iter().map(|t| themes[*t]).sum::<u32>();
        let lead_in = if rng.random_bool(0.5) { 0.02 } else { rng.random_range(0.1..2.0) };
        let beats = beat_times(&style, bpm, total, total * metre / 2, lead_in, &mut rng);
        let mut players = Players {
            time: Time { beats, swing: 0.5 },
            notes: Vec::new(),
            metre,
            division: style.division,
            scale: *SCALES[..2].choose(&mut rng).unwrap_or(&SCALES[0]),
            tonic: rng.random_range(-5..7),
            accent: rng.random_bool(0.55).then(|| rng.random_range(0.0..0.4)),
            volumes: std::array::from_fn(|_| rng.random_range(0.45..0.9)),
            long: [rng.random_range(0.8..1.0), rng.random_range(0.35..1.0)],
            stray: style.looseness / 1000.0,
            pickup,
            hymn,
            rng,
        };
        players.volumes[TOP] = players.rng.random_range(0.65..1.0);
        let ensemble = *ENSEMBLES.choose(&mut players.rng).unwrap_or(&[48; VOICES]);
        let programs = ensemble.iter().enumerate().map(|(voice, program)| (voice as i32, *program)).collect();
        players.play(&themes, &order, first_bar);
        // What sounds first is a pick-up that may begin between two beats.
        let early = if first_bar == 1 { players.time.at(f64::from(metre) - led) - players.time.beats[0] } else { 0.0 };
        players.notes.iter_mut().for_each(|n| n.at = (n.at - early).max(0.0));
        let at = |i: usize| players.time.beats[i] - early;
        // Nobody taps before there is something to hear.
        let first = players.notes.iter().map(|n| n.at).fold(f64::MAX, f64::min);
        let count = (total * metre) as usize;
        let skipped = (0..count).find(|i| at(*i) > first - 0.04).unwrap_or(0);
        let truth = Truth::of_beats(skipped..count, metre, at);
        let seconds = players.time.at(f64::from(total * metre)) - early + TAIL_SECONDS;
        Self { name: format!("chamber {seed}"), truth, notes: players.notes, programs, seconds }
    }
}

/// Metre, tempo and how time passes.
fn frame(rng: &mut ChaCha8Rng) -> Style {
    let (metre, division, centre) = *[
        (4, 2, 108.0),
        (4, 2, 108.0),
        (4, 2, 108.0),
        (3, 2, 112.0),
        (3, 2, 112.0),
        (3, 2, 112.0),
        (2, 2, 92.0),
        (2, 2, 92.0),
        (2, 3, 84.0),
    ]
    .choose(rng)
    .unwrap_or(&(4, 2, 108.0));
    let bpm = tempo_near(centre, rng).clamp(61.0, 176.0);
    let pulse = match rng.random_range(0..12) {
        0 | 1 => Pulse::Rubato(rng.random_range(0.01..0.06)),
        2 => Pulse::Drift(rng.random_range(0.85..1.2)),
        _ => Pulse::Steady,
    };
    let looseness = if rng.random_bool(0.6) { 0.0 } else { rng.random_range(1.0..12.0) };
    Style {
        name: "chamber",
        metre,
        division,
        bpm: (bpm, bpm + 0.5),
        swing: 0.5,
        pulse,
        looseness,
        phrase: 4,
        ..STYLES[0]
    }
}

impl Players {
    fn play(&mut self, lengths: &[u32], order: &[usize], first_bar: u32) {
        let allowed = match self.hymn {
            Some(Hymn { chorale: true, .. }) => vec![Texture::Chorale],
            _ => self.textures(),
        };
        let themes: Vec<Theme> = lengths.iter().map(|bars| self.theme(*bars, &allowed)).collect();
        let levels = [0.45, 0.65, 0.85, 1.0];
        let mut bar = first_bar;
        for (i, which) in order.iter().enumerate() {
            let theme = &themes[*which];
            if i > 0 && self.rng.random_bool(0.2) {
                self.tonic += *[-5, 2, 3, -3, -2, 5].choose(&mut self.rng).unwrap_or(&2);
                self.tonic = (self.tonic + 6).rem_euclid(12) - 6;
            }
            let phrase = Phrase {
                start: f64::from(bar * self.metre),
                loud: *levels.choose(&mut self.rng).unwrap_or(&0.7),
                grows: if self.rng.random_bool(0.25) { self.rng.random_range(-0.3..0.3) } else { 0.0 },
            };
            self.phrase(theme, &phrase);
            bar += theme.bars;
        }
    }

    fn theme(&mut self, bars: u32, allowed: &[Texture]) -> Theme {
        let mut texture = || *allowed.choose(&mut self.rng).unwrap_or(&Texture::Held);
        let first = texture();
        let second = texture();
        let textures = [first, if self.rng.random_bool(0.5) { first } else { second }];
        let chords = self.harmony(bars, first == Texture::Chorale);
        let melody = self.melody(bars, &chords, first == Texture::Chorale);
        Theme { bars, chords, melody, textures }
    }

    /// By function, at the end a cadence on the dominant or on the tonic.
    fn harmony(&mut self, bars: u32, chorale: bool) -> Vec<Chord> {
        let of_metre = CHANGES[self.metre as usize - 2];
        let usual = of_metre.choose(&mut self.rng).copied().unwrap_or(&[0.0]);
        let busy = if chorale {
            of_metre.iter().max_by_key(|c| c.len()).copied()
        } else {
            of_metre.choose(&mut self.rng).copied()
        };
        let half = self.rng.random_bool(0.3);
        let closing_bar: &[f64] = match self.closes_at() {
            0.0 => &[0.0],
            _ if chorale && self.rng.random_bool(0.6) => &[0.0, 1.0, 2.0],
            _ => &[0.0, 2.0],
        };
        let mut chords = Vec::new();
        let mut degree = 0;
        for bar in 0..bars {
            let last = bar + 1 == bars;
            let near_end = bar + 2 >= bars || (chorale && self.rng.random_bool(0.8));
            let odd = of_metre.choose(&mut self.rng).copied();
            let now = match (near_end, self.rng.random_bool(0.2)) {
                _ if last => closing_bar,
                (true, _) => busy.unwrap_or(usual),
                (false, true) => odd.unwrap_or(usual),
                (false, false) => usual,
            };
            for (i, at) in now.iter().enumerate() {
                let ends = last && i + 1 == now.len();
                let closing = if closing_bar.len() > 1 {
                    last && i + 2 == now.len()
                } else {
                    bar + 2 == bars && i + 1 == now.len()
                };
                if ends {
                    degree = if half { 4 } else { 0 };
                } else if closing {
                    degree = if half { *[0, 1, 3].choose(&mut self.rng).unwrap_or(&1) } else { 4 };
                } else if bar + i as u32 > 0 {
                    degree = *NEXT[degree as usize].choose(&mut self.rng).unwrap_or(&0);
                }
                let below = if ends || closing || !self.rng.random_bool(0.3) { 0 } else { 2 };
                chords.push(Chord { at: f64::from(bar * self.metre) + at, degree, below });
            }
        }
        chords
    }

    /// Motifs of a bar that return, and at the end a note on the one or one that resolves after it.
    fn melody(&mut self, bars: u32, chords: &[Chord], chorale: bool) -> Vec<Sung> {
        let metre = f64::from(self.metre);
        let motifs = [self.bar(chorale), self.bar(chorale)];
        let turns = TURNS.choose(&mut self.rng).copied().unwrap_or(&[0, 1]);
        let mut rhythm: Vec<(f64, f64)> = Vec::new();
        for bar in 0..bars - 1 {
            let own = if self.rng.random_bool(0.15) {
                self.bar(chorale)
            } else {
                motifs[turns[bar as usize % turns.len()]].clone()
            };
            rhythm.extend(own.into_iter().map(|(at, long)| (at + f64::from(bar) * metre, long)));
        }
        let end = f64::from(bars - 1) * metre + self.closes_at();
        let metre = metre - self.closes_at();
        if self.closes_at() > 0.0 {
            let before = self.bar(chorale).into_iter().filter(|(at, _)| *at < self.closes_at());
            rhythm.extend(before.map(|(at, long)| (end - self.closes_at() + at, long.min(self.closes_at() - at))));
        }
        let led = led_by(self.pickup);
        match self.rng.random_range(0..3) {
            0 if self.metre > 2 && metre - led > 1.4 => {
                rhythm.extend([(end, 1.0), (end + 1.0, (metre - 1.0 - led).max(0.5))])
            }
            1 => rhythm.push((end, 1.0f64.min(metre - led))),
            _ => rhythm.push((end, (metre - led).max(0.5))),
        }
        // A note that is held over a bar line.
        if !chorale && self.rng.random_bool(0.25) {
            let bar = f64::from(self.rng.random_range(1..bars) * self.metre);
            if let Some(at) = rhythm.iter().position(|(at, _)| (at - bar).abs() < 1e-6).filter(|at| *at > 0) {
                let (_, long) = rhythm.remove(at);
                rhythm[at - 1].1 = bar + long - rhythm[at - 1].0;
            }
        }
        let mut step = self.rng.random_range(-2..5);
        let mut up = true;
        let mut melody: Vec<Sung> = Vec::with_capacity(rhythm.len());
        for (at, long) in rhythm {
            let strong = on_a_beat(at);
            if self.rng.random_bool(0.3) {
                up = !up;
            }
            let going = step + if up { 1 } else { -1 };
            // On beats what belongs to the chord, now and then a step above it; between them steps.
            step =
                if strong && self.rng.random_bool(0.85) { of_chord(chord_at(chords, at).degree, going) } else { going };
            up = if step > 7 {
                false
            } else if step < -5 {
                true
            } else {
                up
            };
            melody.push(Sung { at, long, step });
        }
        let first = melody.first().map_or(0, |s| s.step);
        let mut before: Vec<Sung> = self
            .pickup
            .iter()
            .zip(self.pickup.iter().skip(1).chain([&0.0]))
            .enumerate()
            .map(|(i, (at, next))| Sung { at: *at, long: next - at, step: first - (self.pickup.len() - i) as i32 })
            .collect();
        before.append(&mut melody);
        before
    }

    /// Where in its last bar a phrase comes to its end, in beats.
    fn closes_at(&self) -> f64 {
        if self.hymn.is_some_and(|hymn| hymn.closes_in_mid_bar) { 2.0 } else { 0.0 }
    }

    /// A bar's rhythm.
    fn bar(&mut self, chorale: bool) -> Vec<(f64, f64)> {
        let end = f64::from(self.metre);
        let cells = if self.division == 3 { IN_THREE } else { IN_TWO };
        let mut notes = Vec::new();
        let mut at = 0.0;
        while at < end - 0.01 {
            let fitting: Vec<&&[f64]> =
                cells.iter().filter(|c| c.iter().map(|v| v.abs()).sum::<f64>() <= end - at + 0.01).collect();
            let plain = chorale && self.rng.random_bool(0.75);
            let cell: &[f64] = if plain { &[1.0] } else { fitting.choose(&mut self.rng).map_or(&[1.0], |c| **c) };
            for length in cell {
                if *length > 0.0 {
                    notes.push((at, *length));
                }
                at += length.abs();
            }
        }
        notes
    }

    fn phrase(&mut self, theme: &Theme, phrase: &Phrase) {
        let length = f64::from(theme.bars * self.metre);
        let middle = f64::from(theme.bars / 2 * self.metre);
        if theme.textures[0] == Texture::Chorale {
            let before = Chord { at: 0.0, degree: *[0, 4].choose(&mut self.rng).unwrap_or(&4), below: 0 };
            for at in self.pickup.iter().filter(|at| on_a_beat(**at)) {
                (1..VOICES).for_each(|voice| self.chord(voice, before, &[(*at, 1.0)], phrase));
            }
        }
        for (from, to, texture) in [(0.0, middle, theme.textures[0]), (middle, length, theme.textures[1])] {
            let melody: Vec<Sung> = theme
                .melody
                .iter()
                .filter(|s| s.at < to - 0.01 && (s.at >= from - 0.01 || from < 0.5))
                .copied()
                .collect();
            let chords = spans(&theme.chords, from, to);
            self.sung(texture, &melody, (from, to), &theme.chords, phrase);
            for (chord, until) in chords {
                self.accompanied(texture, chord, until, phrase);
            }
        }
    }

    fn sing(&mut self, voice: usize, notes: &[Sung], phrase: &Phrase) {
        for note in notes {
            let graced = self.rng.random_bool(0.015);
            if graced {
                self.add(voice, note.step + 1, note.at - 0.1, 0.1, phrase);
            }
            self.add(voice, note.step, note.at, note.long * self.long[0], phrase);
        }
    }

    fn add(&mut self, voice: usize, step: i32, at: f64, long: f64, phrase: &Phrase) {
        let beat = (phrase.start + at).max(0.0);
        let times = (self.time.at(beat), self.time.at(beat + long));
        let key = REGISTERS[voice] + self.tonic + 12 * step.div_euclid(7) + self.scale[step.rem_euclid(7) as usize];
        let loud = match self.accent {
            None => 0.7 * self.volumes[voice].max(0.6),
            Some(accent) => {
                let place = beat.rem_euclid(f64::from(self.metre));
                let weight = if place < 0.01 {
                    1.0
                } else if on_a_beat(place) {
                    0.5
                } else {
                    0.0
                };
                let along = phrase.loud + phrase.grows * at / f64::from(4 * self.metre);
                let mood = self.rng.random_range(0.92..1.08);
                self.volumes[voice] * along.clamp(0.3, 1.0) * (1.0 - accent + accent * weight) * mood
            }
        };
        self.notes.push(Note::played((voice as i32, key), loud, times, self.stray, &mut self.rng));
    }
}

/// How many beats a pick-up takes.
fn led_by(pickup: &[f64]) -> f64 {
    pickup.first().map_or(0.0, |at| -at)
}

fn on_a_beat(at: f64) -> bool {
    (at - at.round()).abs() < 0.01
}

/// The step of a chord that is nearest to this one.
fn of_chord(degree: i32, near: i32) -> i32 {
    (near - 3..=near + 3)
        .filter(|step| [0, 2, 4].contains(&(step - degree).rem_euclid(7)))
        .min_by_key(|step| (step - near).abs())
        .unwrap_or(near)
}

fn chord_at(chords: &[Chord], at: f64) -> Chord {
    let index = chords.partition_point(|c| c.at <= at + 1e-6).saturating_sub(1);
    chords.get(index).copied().unwrap_or(Chord { at: 0.0, degree: 0, below: 0 })
}

/// The chords between two times, and until when each lasts.
fn spans(chords: &[Chord], from: f64, to: f64) -> Vec<(Chord, f64)> {
    let ends = chords.iter().skip(1).map(|c| c.at).chain([f64::MAX]);
    chords
        .iter()
        .zip(ends)
        .filter(|(c, _)| (from - 0.01..to - 0.01).contains(&c.at))
        .map(|(c, end)| (*c, end.min(to)))
        .collect()
}

#[cfg(test)]
mod tests;
