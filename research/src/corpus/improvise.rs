//! Improvisations: pieces whose metre, instruments, patterns and melodies are all drawn freely.
//!
//! The styles of [`crate::corpus::style`] are few, and what is fitted on them alone learns their habits. An improvisation has
//! no habits: what is common to all of them is only what makes a listener tap. Its beats and bars are known; it has
//! no named sections.

use crate::corpus::compose::{Composition, Time, Truth, beat_times};
use crate::corpus::idiom::{IDIOMS, Idiom};
use crate::corpus::note::Note;
use crate::corpus::play::DRUMS;
use crate::corpus::style::{Pulse, STYLES, Style};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

const SECONDS: f64 = 55.0;
const TAIL_SECONDS: f64 = 2.0;
const BASS: i32 = 0;
const COMP: i32 = 1;
const LEAD: i32 = 2;
const COUNTER: i32 = 3;
const PAD: i32 = 4;
const PARTS: usize = 6;

const BASSES: &[i32] = &[32, 33, 34, 35, 36, 38, 39, 42, 43, 58, 70, 0, 48, 67];
pub(crate) const COMPS: &[i32] =
    &[0, 1, 2, 4, 5, 6, 7, 11, 12, 15, 16, 17, 19, 21, 24, 25, 26, 27, 28, 29, 30, 44, 45, 46, 48, 60, 61, 62, 81];
pub(crate) const LEADS: &[i32] =
    &[0, 4, 8, 9, 11, 12, 13, 22, 24, 26, 29, 30, 40, 41, 42, 48, 52, 56, 57, 60, 61, 64, 65, 66, 68, 70, 71, 72, 73];
pub(crate) const PADS: &[i32] = &[16, 19, 44, 48, 49, 50, 51, 52, 53, 88, 89, 90, 91, 94, 95];

const SOLOS: &[i32] = &[0, 0, 0, 6, 8, 11, 12, 19, 20, 21, 24, 25, 46, 48, 60, 61, 71, 80];

/// Which degrees may follow each degree of the scale.
pub(crate) const NEXT: [&[i32]; 7] =
    [&[3, 4, 5, 1, 2, 6], &[4, 0, 6], &[5, 3], &[4, 0, 1], &[0, 5, 3, 0], &[1, 3, 4], &[0, 2, 5]];
pub(crate) const SCALES: [[i32; 7]; 4] =
    [[0, 2, 4, 5, 7, 9, 11], [0, 2, 3, 5, 7, 8, 10], [0, 2, 3, 5, 7, 9, 10], [0, 2, 3, 5, 7, 8, 11]];

/// A stroke: where in the pattern, in beats, how long, how loud (0–1).
#[derive(Debug, Clone, Copy)]
pub(crate) struct Stroke {
    pub(crate) at: f64,
    pub(crate) long: f64,
    pub(crate) loud: f64,
}

impl Stroke {
    pub(crate) fn later(&self, beats: u32) -> Self {
        Self { at: self.at + f64::from(beats), ..*self }
    }
}

/// What one part does in one kind of section, over and over.
#[derive(Debug, Clone, Default)]
pub(crate) struct Figure {
    pub(crate) strokes: Vec<Stroke>,
    /// In bars.
    pub(crate) bars: u32,
    /// How the strokes take the notes of a chord.
    pub(crate) way: Way,
    pub(crate) cycle: usize,
}

#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub(crate) enum Way {
    /// All notes at once.
    #[default]
    Block,
    /// One note after the other.
    Broken,
    /// The lowest note on the one, the others together after it.
    LowHigh,
    /// Up the scale from chord to chord.
    Walking,
}

/// A section, for those who sing in it.
struct Passage<'a> {
    /// In beats from the beginning.
    start: f64,
    bars: u32,
    chords: &'a [i32],
    loud: f64,
}

pub(crate) struct Improviser {
    pub(crate) rng: ChaCha8Rng,
    /// What is played as the custom is; free without.
    idiom: Option<&'static Idiom>,
    style: Style,
    time: Time,
    notes: Vec<Note>,
    scale: [i32; 7],
    tonic: i32,
    /// How much of a stroke's loudness its place in the bar decides.
    accent: f64,
    /// How strictly patterns keep to the strong places of a bar.
    clarity: f64,
    /// Chords change every so many beats.
    harmonic: u32,
    /// Whether accompaniment that falls on a one comes half a beat before it.
    pushed: bool,
    /// All voices move together, a chord a beat.
    chorale: bool,
    volumes: [f64; PARTS],
}

impl Composition {
    /// The free improvisation of a seed.
    pub fn improvise(seed: u64) -> Self {
        let rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(6_364_136_223).wrapping_add(17));
        Self::improvised(format!("improvised {seed}"), rng, None)
    }

    /// The improvisation of a seed in one of the idioms, by turns.
    pub fn in_idiom(seed: u64) -> Self {
        let rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(2_862_933_555).wrapping_add(29));
        let idiom = &IDIOMS[(seed % IDIOMS.len() as u64) as usize];
        Self::improvised(format!("{} {seed}", idiom.name), rng, Some(idiom))
    }

    fn improvised(name: String, mut rng: ChaCha8Rng, idiom: Option<&'static Idiom>) -> Self {
        let style = frame(&mut rng);
        let style = idiom.map_or(style, |i| i.frame(style, &mut rng));
        let bpm = rng.random_range(style.bpm.0..style.bpm.1);
        let bars = ((SECONDS * bpm / 60.0 / f64::from(style.metre)).round() as u32).max(8);
        let forms = form(bars, &mut rng);
        let lead_in = if rng.random_bool(0.5) { 0.02 } else { rng.random_range(0.1..2.5) };
        let total: u32 = forms.iter().map(|f| f.1).sum();
        let beats = beat_times(&style, bpm, total, total * style.metre / 2, lead_in, &mut rng);
        let (metre, chorale) = (style.metre, rng.random_bool(0.12) && idiom.is_none());
        let harmonics = [metre, metre, metre, 2 * metre, 4 * metre, half(metre), 1];
        let harmonic = if chorale { 1 } else { *harmonics.choose(&mut rng).unwrap_or(&metre) };
        let mut improviser = Improviser {
            scale: *SCALES.choose(&mut rng).unwrap_or(&SCALES[0]),
            tonic: rng.random_range(-5..7),
            // Below nothing, the weak places are the loud ones.
            accent: if rng.random_bool(0.4) { 0.0 } else { rng.random_range(-0.15..0.45) },
            pushed: style.division == 2 && rng.random_bool(if idiom.is_some() { 0.04 } else { 0.15 }),
            clarity: rng.random_range(0.3..1.6),
            volumes: std::array::from_fn(|_| rng.random_range(0.3..1.0)),
            time: Time { beats, swing: style.swing },
            notes: Vec::new(),
            harmonic,
            chorale,
            style,
            rng,
            idiom,
        };
        let programs = improviser.programs();
        improviser.play(&forms);
        let ends_open = improviser.rng.random_bool(0.5);
        let count = (total * style.metre) as usize + usize::from(!ends_open);
        if !ends_open {
            improviser.last_chord(f64::from(total * style.metre));
        }
        // A third of them begin with an upbeat: nothing sounds in the beats before it.
        let upbeat = if improviser.rng.random_bool(0.35) { improviser.rng.random_range(1..metre) as usize } else { 0 };
        let silent = improviser.time.beats[metre as usize - upbeat] - improviser.time.beats[0];
        let (skipped, early) = if upbeat > 0 { (metre as usize - upbeat, silent) } else { (0, 0.0) };
        improviser.begin_later(early, lead_in);
        let truth = Truth::of_beats(skipped..count, metre, |i| improviser.time.beats[i] - early);
        let seconds = improviser.time.at(f64::from(total * style.metre)) - early + TAIL_SECONDS;
        Self { name, truth, notes: improviser.notes, programs, seconds }
    }
}

fn half(metre: u32) -> u32 {
    if metre == 4 { 2 } else { metre }
}

/// Metre, tempo and how time passes.
fn frame(rng: &mut ChaCha8Rng) -> Style {
    let (metre, division) = *[(4, 2), (4, 2), (4, 2), (4, 2), (4, 2), (3, 2), (3, 2), (2, 3), (4, 3), (2, 2)]
        .choose(rng)
        .unwrap_or(&(4, 2));
    let centre = if division == 3 { 88.0 } else { 114.0 };
    let bpm = tempo_near(centre, rng).clamp(61.0, 178.0);
    let pulse = match rng.random_range(0..10) {
        0 => Pulse::Rubato(rng.random_range(0.01..0.07)),
        1 => Pulse::Drift(rng.random_range(0.8..1.25)),
        2 => Pulse::Change(*[0.75, 0.85, 1.2, 1.3].choose(rng).unwrap_or(&1.2)),
        _ => Pulse::Steady,
    };
    let swing = if division == 2 && rng.random_bool(0.18) { rng.random_range(0.55..0.69) } else { 0.5 };
    Style {
        name: "improvised",
        metre,
        division,
        bpm: (bpm, bpm + 1.0),
        swing,
        pulse,
        looseness: if rng.random_bool(0.4) { 0.0 } else { rng.random_range(1.0..12.0) },
        phrase: *[4, 4, 8].choose(rng).unwrap_or(&4),
        ..STYLES[0]
    }
}

/// A tempo near this one, as most music is near some 112 beats a minute: sums of three draws are near a bell.
pub(crate) fn tempo_near(centre: f64, rng: &mut ChaCha8Rng) -> f64 {
    let bell = (rng.random_range(-1.0..1.0) + rng.random_range(-1.0..1.0) + rng.random_range(-1.0..1.0)) * 0.3f64;
    centre * bell.exp()
}

/// Letters and lengths in bars.
fn form(bars: u32, rng: &mut ChaCha8Rng) -> Vec<(usize, u32)> {
    let mut form = Vec::new();
    let mut left = bars;
    while left > 0 {
        let letter = rng.random_range(0..3);
        let length = (*[4, 8, 8, 16].choose(rng).unwrap_or(&8)).min(left);
        form.push((letter, length));
        left -= length;
    }
    form
}

impl Improviser {
    fn programs(&mut self) -> Vec<(i32, i32)> {
        // A piece for one kind of instrument.
        if self.idiom.is_some() && self.rng.random_bool(0.35) {
            let alone = *SOLOS.choose(&mut self.rng).unwrap_or(&0);
            return (BASS..=PAD).map(|part| (part, alone)).collect();
        }
        let mut one = |list: &[i32]| *list.choose(&mut self.rng).unwrap_or(&0);
        vec![(BASS, one(BASSES)), (COMP, one(COMPS)), (LEAD, one(LEADS)), (COUNTER, one(LEADS)), (PAD, one(PADS))]
    }

    fn play(&mut self, forms: &[(usize, u32)]) {
        let drums = match self.idiom {
            Some(idiom) => idiom.has_drums(&mut self.rng),
            None => self.rng.random_bool(0.55) && !self.chorale,
        };
        let figures: Vec<[Figure; PARTS]> = (0..3).map(|_| self.figures()).collect();
        let kits: Vec<Vec<(i32, Figure)>> = (0..3).map(|_| self.kit()).collect();
        let melodies: Vec<Vec<(Stroke, i32)>> = (0..3).map(|_| self.melody()).collect();
        let mut bar = 0;
        for (letter, length) in forms {
            let mut plays: [bool; PARTS] = std::array::from_fn(|_| self.rng.random_bool(0.72));
            let sure = self.rng.random_range(0..3);
            plays[sure] = true;
            let loud = self.rng.random_range(0.55..1.0);
            let chords = self.chords(*length);
            let drummed = drums && self.rng.random_bool(0.85);
            for own in 0..*length {
                let start = f64::from(bar * self.style.metre);
                let last = own + 1 == *length;
                // Everybody breathes at the end, now and then.
                let breath = last && self.rng.random_bool(0.15);
                for part in [BASS, COMP, PAD] {
                    if plays[part as usize] {
                        let figure = figures[*letter][part as usize].clone();
                        self.accompany(part, &figure, (start, own, breath), &chords, loud);
                    }
                }
                if drummed {
                    self.drum_bar(&kits[*letter], start, own, last, loud);
                }
                bar += 1;
            }
            let start = f64::from((bar - length) * self.style.metre);
            let passage = Passage { start, bars: *length, chords: &chords, loud };
            if plays[LEAD as usize] {
                self.sing(LEAD, &melodies[*letter], &passage, 0);
            }
            if plays[COUNTER as usize] {
                // Doubles the melody at the octave or the third, or sings its own.
                match self.rng.random_range(0..4) {
                    0 => self.sing(COUNTER, &melodies[*letter], &passage, -7),
                    1 => self.sing(COUNTER, &melodies[*letter], &passage, -2),
                    _ => self.sing(COUNTER, &melodies[(*letter + 1) % 3], &passage, -3),
                }
            }
        }
    }

    /// A degree for each change of harmony in a section.
    fn chords(&mut self, bars: u32) -> Vec<i32> {
        let changes = (bars * self.style.metre).div_ceil(self.harmonic);
        let row: Vec<i32> = (0..changes.min(8))
            .scan(0, |degree, _| {
                let now = *degree;
                *degree = *NEXT[now as usize].choose(&mut self.rng).unwrap_or(&0);
                Some(now)
            })
            .collect();
        (0..changes as usize).map(|i| row[i % row.len()]).collect()
    }

    fn chord_at(&self, chords: &[i32], beat_in_section: f64) -> i32 {
        let i = (beat_in_section / f64::from(self.harmonic)).floor().max(0.0) as usize;
        chords.get(i).or(chords.last()).copied().unwrap_or(0)
    }

    fn key_of(&self, degree: i32, base: i32) -> i32 {
        base + self.tonic + self.scale[degree.rem_euclid(7) as usize] + 12 * degree.div_euclid(7)
    }

    /// How strong a place in the bar is, 0–1.
    fn weight(&self, at: f64) -> f64 {
        let metre = f64::from(self.style.metre);
        let beat = at.rem_euclid(metre);
        let off = (beat - beat.round()).abs();
        if off > 0.01 {
            let first = 1.0 / f64::from(self.style.division);
            let steps = beat.fract() / first;
            return if (steps - steps.round()).abs() < 0.01 { 0.32 } else { 0.12 };
        }
        match (beat.round() as u32, self.style.metre) {
            (0, _) => 1.0,
            (2, 4) => 0.72,
            _ => 0.55,
        }
    }

    pub(crate) fn loudness(&self, at: f64) -> f64 {
        let weak = 1.0 - self.weight(at);
        if self.accent < 0.0 { 1.0 + self.accent * (1.0 - weak) } else { 1.0 - self.accent * weak }
    }

    /// Strokes on a grid, more likely where the bar is strong.
    fn drawn(&mut self, a_beat: u32, density: f64, bars: u32) -> Vec<Stroke> {
        let step = 1.0 / f64::from(a_beat);
        let steps = bars * self.style.metre * a_beat;
        let mut strokes: Vec<Stroke> = Vec::new();
        for i in 0..steps {
            let at = f64::from(i) * step;
            let likely = density * (self.weight(at) / 0.55).powf(self.clarity);
            if self.rng.random_bool(likely.clamp(0.02, 0.95)) {
                strokes.push(Stroke { at, long: step, loud: self.loudness(at) });
            }
        }
        if strokes.is_empty() {
            strokes.push(Stroke { at: 0.0, long: 1.0, loud: 1.0 });
        }
        let end = f64::from(bars * self.style.metre);
        let legato = self.rng.random_range(0.4..1.0);
        for i in 0..strokes.len() {
            let next = strokes.get(i + 1).map_or(end, |s| s.at);
            strokes[i].long = ((next - strokes[i].at) * legato).clamp(0.1, 2.0);
        }
        strokes
    }

    /// A stroke on every step.
    fn every(&self, step: f64, offset: f64) -> Vec<Stroke> {
        let end = f64::from(self.style.metre);
        (0..)
            .map(|i| offset + f64::from(i) * step)
            .take_while(|at| *at < end - 0.01)
            .map(|at| Stroke { at, long: step * 0.85, loud: self.loudness(at) })
            .collect()
    }

    /// Groups of three half or quarter beats, against the beat.
    fn threes(&mut self) -> Vec<Stroke> {
        let step = *[1.5, 1.5, 0.75].choose(&mut self.rng).unwrap_or(&1.5);
        self.every(step, 0.0)
    }

    fn figures(&mut self) -> [Figure; PARTS] {
        std::array::from_fn(|part| match part as i32 {
            BASS => self.bass_figure(),
            COMP => self.comp_figure(),
            PAD => Figure { strokes: self.every(f64::from(self.style.metre), 0.0), bars: 1, ..Figure::default() },
            _ => Figure::default(),
        })
    }

    fn bass_figure(&mut self) -> Figure {
        if let Some(idiom) = self.idiom {
            return idiom.bass(self);
        }
        let metre = f64::from(self.style.metre);
        let division = self.style.division;
        let one = Figure { bars: 1, way: Way::Broken, cycle: 1, ..Figure::default() };
        if self.chorale {
            return Figure { strokes: self.every(1.0, 0.0), ..one };
        }
        match self.rng.random_range(0..11) {
            9 => Figure { strokes: self.threes(), ..one },
            10 => Figure { strokes: self.every(2.0, 0.0), cycle: 2, ..one },
            0 => Figure { strokes: self.every(metre, 0.0), ..one },
            1 => Figure { strokes: self.every(f64::from(half(self.style.metre)), 0.0), cycle: 2, ..one },
            2 => Figure { strokes: self.every(1.0, 0.0), way: Way::Walking, ..one },
            3 => Figure { strokes: self.every(1.0 / f64::from(division), 0.0), ..one },
            4 => Figure { strokes: self.every(1.0, 0.0), cycle: 2, ..one },
            n => {
                let bars = if n == 5 { 2 } else { 1 };
                let density = self.rng.random_range(0.3..0.7);
                Figure { strokes: self.drawn(division, density, bars), bars, cycle: 1 + n as usize % 2, ..one }
            }
        }
    }

    fn comp_figure(&mut self) -> Figure {
        if let Some(idiom) = self.idiom {
            return idiom.comp(self);
        }
        let metre = f64::from(self.style.metre);
        let division = f64::from(self.style.division);
        let block = Figure { bars: 1, way: Way::Block, cycle: 3, ..Figure::default() };
        if self.chorale {
            return Figure { strokes: self.every(1.0, 0.0), ..block };
        }
        let broken =
            Figure { way: Way::Broken, cycle: *[3, 4, 4, 6, 8].choose(&mut self.rng).unwrap_or(&4), ..block.clone() };
        match self.rng.random_range(0..15) {
            12 => Figure { strokes: self.threes(), ..block },
            13 => Figure { strokes: self.threes(), ..broken },
            14 => Figure { strokes: self.every(1.0, if division > 2.5 { 2.0 / 3.0 } else { 0.5 }), ..block },
            0 => Figure { strokes: self.every(metre, 0.0), ..block },
            1 => Figure { strokes: self.every(1.0, 0.0), ..block },
            2 => Figure { strokes: self.every(1.0, if division > 2.5 { 2.0 / 3.0 } else { 0.5 }), ..block },
            3 => Figure { strokes: self.every(1.0 / division, 0.0), ..block },
            4 | 5 => Figure { strokes: self.every(1.0 / division, 0.0), ..broken },
            6 => Figure { strokes: self.every(0.5 / division, 0.0), ..broken },
            7 => Figure { strokes: self.every(1.0, 0.0), way: Way::LowHigh, ..block },
            8 => Figure { strokes: self.every(1.0, 0.0), ..broken },
            9 => Figure { strokes: self.every(0.125, 0.0), ..block },
            n => {
                let density = self.rng.random_range(0.25..0.7);
                let bars = if n == 10 { 2 } else { 1 };
                Figure { strokes: self.drawn(self.style.division, density, bars), bars, ..block }
            }
        }
    }

    fn accompany(
        &mut self,
        part: i32,
        figure: &Figure,
        (bar, own, breath): (f64, u32, bool),
        chords: &[i32],
        loud: f64,
    ) {
        let heard_to = f64::from(self.style.metre) - if breath { 1.0 } else { 0.0 };
        let metre = f64::from(self.style.metre);
        let turn = f64::from(own % figure.bars.max(1)) * metre;
        let section = bar - f64::from(own) * metre;
        let volume = loud * self.volumes[part as usize];
        let base = if part == BASS { 36 } else { 52 };
        let strokes: Vec<Stroke> =
            figure.strokes.iter().copied().filter(|s| s.at >= turn - 1e-9 && s.at < turn + heard_to - 1e-9).collect();
        for (i, stroke) in strokes.iter().enumerate() {
            let place_in_bar = stroke.at - turn;
            let degree = self.chord_at(chords, bar + place_in_bar - section);
            let early = self.pushed && place_in_bar < 0.01 && own > 0;
            let at = bar + place_in_bar - if early { 0.5 } else { 0.0 };
            let long = stroke.long;
            let three = [0, 2, 4].map(|t| self.key_of(degree + t, base));
            let place = i % figure.cycle.max(1);
            match figure.way {
                _ if part == BASS => {
                    let step = match (figure.way, place) {
                        (Way::Walking, _) => [0, 2, 4, 5][i % 4],
                        (_, 0) => 0,
                        _ => 4,
                    };
                    self.add(part, self.key_of(degree + step, base - 5), at, long, volume * stroke.loud);
                }
                Way::Block => three.iter().for_each(|k| self.add(part, *k, at, long, volume * stroke.loud)),
                Way::LowHigh if stroke.at < turn + 0.01 => {
                    self.add(part, three[0] - 12, at, long, volume * stroke.loud)
                }
                Way::LowHigh => three.iter().for_each(|k| self.add(part, *k, at, long, volume * stroke.loud * 0.8)),
                Way::Broken | Way::Walking => {
                    let up = [0, 1, 2, 3, 4, 3, 2, 1][place % 8] as usize;
                    self.add(part, three[up % 3] + 12 * (up / 3) as i32, at, long * 1.3, volume * stroke.loud);
                }
            }
        }
    }

    /// Two bars of rhythm with a contour, perhaps with an upbeat before them.
    fn melody(&mut self) -> Vec<(Stroke, i32)> {
        if let Some(idiom) = self.idiom {
            return idiom.melody(self);
        }
        let bars = *[1, 2, 2, 4].choose(&mut self.rng).unwrap_or(&2);
        let end = f64::from(bars * self.style.metre);
        let part = 1.0 / f64::from(self.style.division);
        let long = f64::from(self.style.metre);
        let kind = if self.chorale { 7 } else { self.rng.random_range(0..7) };
        let lengths: &[f64] = match kind {
            7 => &[1.0, 1.0, 1.0, 1.0, part, 2.0],
            5 => &[1.5, 1.5, 1.0],
            6 => &[0.75, 0.75, 0.5],
            0 => &[1.0, 1.0, 2.0, part],
            1 => &[part, part, part, 1.0],
            2 => &[1.0 + part, part, 1.0 - part, 1.0],
            3 => &[2.0, long, 1.0],
            _ => &[part, part / 2.0, part / 2.0, 1.0, 1.0],
        };
        let upbeat = if self.rng.random_bool(0.3) {
            *[1.0, part, 1.0 + part].choose(&mut self.rng).unwrap_or(&1.0)
        } else {
            0.0
        };
        let (mut at, mut step) = (-upbeat, 0);
        let mut strokes = Vec::new();
        while at < end - upbeat - 0.01 {
            let length = (*lengths.choose(&mut self.rng).unwrap_or(&1.0)).min(end - upbeat - at);
            // Notes like to begin again on the beat.
            let length = if at.fract().abs() > 0.01 && self.rng.random_bool(0.6) { at.ceil() - at } else { length };
            let length = length.max(0.1);
            if !self.rng.random_bool(0.12) {
                strokes.push((Stroke { at, long: length * 0.92, loud: self.loudness(at) }, step));
            }
            step += self.rng.random_range(-2..=2);
            step = step.clamp(-4, 6);
            at += length;
        }
        strokes
    }

    fn sing(&mut self, part: i32, melody: &[(Stroke, i32)], passage: &Passage<'_>, shift: i32) {
        let Passage { start, bars, chords, loud } = *passage;
        let metre = self.style.metre;
        let long = melody.last().map_or(1.0, |m| m.0.at + m.0.long);
        let turn = ((long / f64::from(metre)).ceil().max(1.0) as u32).min(4);
        let volume = loud * self.volumes[part as usize];
        for first in (0..bars).step_by(turn as usize) {
            if self.rng.random_bool(0.1) {
                continue;
            }
            let varied = self.rng.random_range(-1..=1);
            for (stroke, step) in melody {
                let at = start + f64::from(first * metre) + stroke.at;
                if at < 0.0 || at >= start + f64::from(bars * metre) {
                    continue;
                }
                let degree = self.chord_at(chords, at - start);
                let strong = self.weight(stroke.at) > 0.5;
                let near = if strong { (step + varied).div_euclid(2) * 2 } else { step + varied };
                self.add(part, self.key_of(degree + near + shift, 64), at, stroke.long, volume * stroke.loud);
            }
        }
    }

    /// Keys and what they play.
    fn kit(&mut self) -> Vec<(i32, Figure)> {
        if let Some(idiom) = self.idiom {
            return idiom.kit(self);
        }
        let metre = self.style.metre;
        let division = self.style.division;
        let at = |list: &[f64]| list.iter().map(|at| Stroke { at: *at, long: 0.2, loud: 1.0 }).collect::<Vec<_>>();
        let figure = |strokes: Vec<Stroke>| Figure { strokes, bars: 1, ..Figure::default() };
        let mut kit = Vec::new();
        let density = self.rng.random_range(0.25..0.6);
        let kick = match (self.rng.random_range(0..6), metre) {
            (0, _) => self.every(1.0, 0.0),
            (5, 4) if self.rng.random_bool(0.4) => at(&[2.0]),
            (1, 4) => at(&[0.0, 2.0]),
            (1, _) => at(&[0.0]),
            (n, _) => {
                let bars = 1 + u32::from(n == 4);
                let strokes = self.drawn(division, density, bars);
                kit.push((36, Figure { strokes, bars, ..Figure::default() }));
                Vec::new()
            }
        };
        kit.push((36, figure(kick)));
        let snare = match (self.rng.random_range(0..9), metre) {
            (7, _) => self.every(1.0, 1.0 - 1.0 / f64::from(division)),
            (0, 4) => at(&[2.0]),
            (1, _) => self.drawn(division, density, 1),
            (2, _) => Vec::new(),
            // A roll.
            (3, _) => self.every(0.25, 0.0),
            (_, 4) => at(&[1.0, 3.0]),
            (4, 3) => at(&[2.0]),
            (_, 3) => at(&[1.0, 2.0]),
            _ => at(&[1.0]),
        };
        let snare_key = *[38, 38, 40, 37, 39].choose(&mut self.rng).unwrap_or(&38);
        kit.push((snare_key, figure(snare)));
        let part = 1.0 / f64::from(division);
        let hat = match self.rng.random_range(0..7) {
            0 => self.every(1.0, 0.0),
            1 | 2 => self.every(part, 0.0),
            3 => self.every(part / 2.0, 0.0),
            4 => self.every(1.0, 1.0 - part),
            5 => self.drawn(division * 2, 0.5, 1),
            _ => Vec::new(),
        };
        let hat_key = *[42, 42, 51, 46, 70, 54, 82].choose(&mut self.rng).unwrap_or(&42);
        kit.push((hat_key, figure(hat)));
        if self.rng.random_bool(0.25) {
            let hand = *[62, 64, 66, 60, 75, 56, 47, 76].choose(&mut self.rng).unwrap_or(&64);
            kit.push((hand, figure(self.drawn(division, 0.35, 1))));
        }
        kit
    }

    fn drum_bar(&mut self, kit: &[(i32, Figure)], bar: f64, own: u32, last: bool, loud: f64) {
        let metre = f64::from(self.style.metre);
        let volume = loud * self.volumes[PARTS - 1];
        let fills = last && self.rng.random_bool(0.5);
        let fill_from = metre - if fills { f64::from(self.rng.random_range(1..=2)) } else { 0.0 };
        for (key, figure) in kit {
            let turn = f64::from(own % figure.bars.max(1)) * metre;
            for s in figure.strokes.iter().filter(|s| s.at >= turn - 1e-9 && s.at < turn + fill_from - 1e-9) {
                let soft = if matches!(key, 42 | 46 | 51 | 54 | 70 | 82) { 0.7 } else { 1.0 };
                self.add(DRUMS, *key, bar + s.at - turn, 0.2, volume * soft * s.loud);
            }
        }
        if fills {
            let step = 1.0 / f64::from(self.style.division * 2);
            let mut at = fill_from;
            while at < metre - 0.01 {
                let key = *[38, 38, 47, 45, 50].choose(&mut self.rng).unwrap_or(&38);
                let loud = volume * self.rng.random_range(0.6..1.0);
                self.add(DRUMS, key, bar + at, 0.2, loud);
                at += step;
            }
        }
        if own == 0 && self.rng.random_bool(0.5) {
            self.add(DRUMS, 49, bar, 1.0, volume * 0.9);
        }
    }

    /// Drops what sounds in the first seconds, and begins with what comes then.
    fn begin_later(&mut self, by: f64, lead_in: f64) {
        if by > 0.0 {
            self.notes.retain(|n| n.at >= lead_in + by - 0.04);
            self.notes.iter_mut().for_each(|n| n.at = (n.at - by).max(0.0));
        }
    }

    fn last_chord(&mut self, beat: f64) {
        for third in [0, 2, 4] {
            self.add(COMP, self.key_of(third, 52), beat, 1.8, 0.7);
        }
        self.add(BASS, self.key_of(0, 36), beat, 1.8, 0.7);
    }

    fn add(&mut self, channel: i32, key: i32, beat: f64, long: f64, loud: f64) {
        let beat = beat.max(0.0);
        let times = (self.time.at(beat), self.time.at(beat + long));
        let stray = self.style.looseness / 1000.0;
        self.notes.push(Note::played((channel, key), loud, times, stray, &mut self.rng));
    }
}
