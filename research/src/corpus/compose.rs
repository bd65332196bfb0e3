//! Composes a piece in a style: its form, its time, and what everybody plays.

use crate::corpus::note::Note;
use crate::corpus::play::{Band, DRUMS, PlayError, fingerprint, kept_or};
use crate::corpus::style::{Bass, Comping, Kit, Pulse, Style};
use legere_core::track::{CueKind, SectionKind};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::ops::Range;
use std::path::Path;

/// What is true of a piece, in seconds from its first sample.
#[derive(Debug, Clone, PartialEq)]
pub struct Truth {
    pub beats: Vec<f64>,
    pub downbeats: Vec<f64>,
    /// Beats in a bar.
    pub metre: u32,
    /// The median tempo, in beats a minute.
    pub tempo_bpm: f64,
    /// Where each section begins, its kind, and the letter of its material.
    pub sections: Vec<(f64, SectionKind, char)>,
    /// Drops and breaks, and silences before drops.
    pub cues: Vec<(f64, CueKind)>,
}

impl Truth {
    /// Of beats of which every `metre`th begins a bar, from the piece's first on, and of which these are heard; nothing is
    /// known of sections and cues.
    pub(crate) fn of_beats(heard: Range<usize>, metre: u32, at: impl Fn(usize) -> f64) -> Self {
        let beats: Vec<f64> = heard.clone().map(&at).collect();
        let downbeats = heard.filter(|i| i.is_multiple_of(metre as usize)).map(&at).collect();
        Self { tempo_bpm: median_bpm(&beats), beats, downbeats, metre, sections: Vec::new(), cues: Vec::new() }
    }
}

/// A composed piece, not yet played.
pub struct Composition {
    pub name: String,
    pub truth: Truth,
    pub(crate) notes: Vec<Note>,
    pub(crate) programs: Vec<(i32, i32)>,
    pub seconds: f64,
}

const BASS: i32 = 0;
const CHORDS: i32 = 1;
const LEAD: i32 = 2;
const TUTTI: i32 = 3;
const TIMPANI: i32 = 4;
/// What sounds after the last bar.
const TAIL_SECONDS: f64 = 2.5;

type Form = &'static [(SectionKind, char, u32)];

/// Kinds, letters and lengths in phrases.
const FORMS: &[Form] = {
    use SectionKind::{Break, Build, Drop, Groove, Intro, Outro};
    &[
        &[
            (Intro, 'I', 1),
            (Groove, 'A', 2),
            (Build, 'U', 1),
            (Drop, 'D', 2),
            (Break, 'B', 1),
            (Drop, 'D', 2),
            (Outro, 'O', 1),
        ],
        &[
            (Intro, 'I', 1),
            (Groove, 'A', 2),
            (Groove, 'B', 2),
            (Groove, 'A', 2),
            (Groove, 'B', 2),
            (Break, 'C', 1),
            (Drop, 'B', 2),
            (Outro, 'O', 1),
        ],
        &[(Groove, 'A', 2), (Build, 'U', 1), (Drop, 'D', 2), (Break, 'B', 2), (Drop, 'D', 2)],
        &[
            (Intro, 'I', 2),
            (Build, 'U', 1),
            (Drop, 'D', 2),
            (Break, 'B', 1),
            (Build, 'U', 1),
            (Drop, 'D', 2),
            (Outro, 'O', 1),
        ],
    ]
};

/// Degrees of the scale, a chord a bar.
const PROGRESSIONS: &[[i32; 4]] =
    &[[0, 5, 3, 4], [0, 3, 4, 3], [5, 3, 0, 4], [0, 4, 5, 3], [1, 4, 0, 5], [0, 2, 3, 4], [0, 6, 5, 4]];
const MAJOR: [i32; 7] = [0, 2, 4, 5, 7, 9, 11];
const MINOR: [i32; 7] = [0, 2, 3, 5, 7, 8, 10];

impl Composition {
    /// The piece of a style and a seed.
    pub fn compose(style: &Style, seed: u64) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(104_729).wrapping_add(style.name.len() as u64));
        let style = &style.drawn(&mut rng);
        let mut score = Score::new(style, seed);
        score.write();
        let seconds = score.time.at(f64::from(score.bars_total() * style.metre)) + TAIL_SECONDS;
        let programs = vec![
            (BASS, style.bass_program),
            (CHORDS, style.chord_program),
            (LEAD, style.lead_program),
            (TUTTI, 61),
            (TIMPANI, 47),
        ];
        Self { name: format!("{} {seed}", style.name), truth: score.truth(), notes: score.notes, programs, seconds }
    }

    /// Mono samples at `rate` hertz.
    pub fn play(&self, band: &Band, rate: u32) -> Result<Vec<f32>, PlayError> {
        band.play(&self.notes, &self.programs, self.seconds, rate)
    }

    /// The same, kept in a folder, as playing takes longer than reading.
    pub fn played(&self, band: &Band, rate: u32, kept: &Path) -> Result<Vec<f32>, PlayError> {
        kept_or(&kept.join(format!("{:016x}.{rate}", self.fingerprint())), || self.play(band, rate))
    }

    /// The same for the same notes, in any session: what a played piece can be kept under.
    pub fn fingerprint(&self) -> u64 {
        fingerprint(format!("{:?}{:?}{}", self.notes, self.programs, self.seconds).bytes())
    }
}

/// Beats to seconds.
pub(crate) struct Time {
    pub beats: Vec<f64>,
    pub swing: f64,
}

impl Time {
    pub fn at(&self, beat: f64) -> f64 {
        let whole = (beat.floor().max(0.0) as usize).min(self.beats.len() - 2);
        let part = beat - whole as f64;
        let warped =
            if part < 0.5 { part * 2.0 * self.swing } else { self.swing + (part - 0.5) * 2.0 * (1.0 - self.swing) };
        self.beats[whole] + warped * (self.beats[whole + 1] - self.beats[whole])
    }
}

/// Where one is in the piece.
#[derive(Clone, Copy)]
struct Here {
    kind: SectionKind,
    letter: char,
    /// The bar in its section, and how many it has.
    own: u32,
    length: u32,
    /// The first beat of the bar in the piece.
    beat: f64,
    /// 0–1
    level: f64,
}

struct Score<'a> {
    style: &'a Style,
    rng: ChaCha8Rng,
    time: Time,
    sections: Vec<(SectionKind, char, u32)>,
    scale: [i32; 7],
    tonic: i32,
    notes: Vec<Note>,
    seed: u64,
    ends_open: bool,
    pause: bool,
}

impl<'a> Score<'a> {
    fn new(style: &'a Style, seed: u64) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(7919).wrapping_add(style.name.len() as u64));
        let bpm = rng.random_range(style.bpm.0..style.bpm.1);
        let form = FORMS.choose(&mut rng).copied().unwrap_or(FORMS[0]);
        let phrases: u32 = form.iter().map(|f| f.2).sum();
        let bar_seconds = f64::from(style.metre) * 60.0 / bpm;
        // About a minute, in whole phrases.
        let times = (62.0 / (bar_seconds * f64::from(phrases * style.phrase))).round().clamp(1.0, 4.0) as u32;
        let sections: Vec<_> = form.iter().map(|(k, l, n)| (*k, *l, n * times * style.phrase)).collect();
        let bars: u32 = sections.iter().map(|s| s.2).sum();
        let lead_in = if rng.random_bool(0.5) { 0.02 } else { rng.random_range(0.3..2.5) };
        let change = sections.iter().scan(0, |sum, s| Some(std::mem::replace(sum, *sum + s.2))).nth(sections.len() / 2);
        let beats = beat_times(style, bpm, bars, change.unwrap_or(0) * style.metre, lead_in, &mut rng);
        let scale = if rng.random_bool(0.5) { MAJOR } else { MINOR };
        let tonic = rng.random_range(0..12);
        let (ends_open, pause) = (rng.random_bool(0.5), rng.random_bool(0.5));
        let time = Time { beats, swing: style.swing };
        Self { style, rng, time, sections, scale, tonic, notes: Vec::new(), seed, ends_open, pause }
    }

    fn bars_total(&self) -> u32 {
        self.sections.iter().map(|s| s.2).sum()
    }

    fn write(&mut self) {
        let metre = self.style.metre;
        let mut bar = 0;
        for (i, (kind, letter, length)) in self.sections.clone().into_iter().enumerate() {
            for own in 0..length {
                let along = f64::from(own) / f64::from(length);
                let level = match kind {
                    SectionKind::Intro => 0.45,
                    SectionKind::Groove if letter == 'B' => 0.78,
                    SectionKind::Groove => 0.66,
                    SectionKind::Build => 0.5 + 0.35 * along,
                    SectionKind::Drop => 1.0,
                    SectionKind::Break => 0.42,
                    SectionKind::Outro => 0.55 - 0.2 * along,
                };
                let here = Here { kind, letter, own, length, beat: f64::from(bar * metre), level };
                self.bar(here, i > 0);
                bar += 1;
            }
        }
        if !self.ends_open {
            let here = Here {
                kind: SectionKind::Outro,
                letter: 'O',
                own: 0,
                length: 1,
                beat: f64::from(bar * metre),
                level: 0.7,
            };
            for key in self.chord(here) {
                self.add(CHORDS, key, here.beat, 1.8, 0.8);
            }
            self.add(BASS, 36 + self.tonic % 12, here.beat, 1.8, 0.8);
        }
        if self.pause {
            self.silence_before_drops();
        }
    }

    /// The last beat before a drop is taken out.
    fn silence_before_drops(&mut self) {
        let mut from = Vec::new();
        let mut bar = 0;
        for pair in self.sections.windows(2) {
            bar += pair[0].2;
            if pair[1].0 == SectionKind::Drop && pair[0].0 == SectionKind::Build {
                let one = f64::from(bar * self.style.metre);
                from.push((self.time.at(one - 1.0), self.time.at(one)));
            }
        }
        for (start, end) in from {
            self.notes.retain(|n| n.at < start - 0.03 || n.at >= end - 0.03);
            for note in &mut self.notes {
                if note.at < start && note.at + note.long > start {
                    note.long = (start - note.at).max(0.02);
                }
            }
        }
    }

    fn bar(&mut self, here: Here, crash: bool) {
        let style = self.style;
        if here.own == 0 && crash && style.kit.is_some() && here.kind != SectionKind::Break {
            self.drum(49, here.beat, if here.kind == SectionKind::Drop { 1.0 } else { 0.6 });
        }
        self.drums(here);
        self.bass(here);
        self.comp(here);
        self.lead(here);
        if here.kind == SectionKind::Drop {
            self.tutti(here);
        }
    }

    fn drums(&mut self, here: Here) {
        let style = self.style;
        let Some(kit) = style.kit else { return };
        let hats_only = self.seed.is_multiple_of(2);
        match here.kind {
            SectionKind::Break => {}
            SectionKind::Intro if !hats_only => {}
            SectionKind::Intro | SectionKind::Outro => {
                self.row(here, kit.hat, kit.hat_key, 0.8);
                if here.kind == SectionKind::Outro {
                    self.row(here, kit.kick, 36, 0.8);
                }
            }
            SectionKind::Build => self.build(here, kit),
            SectionKind::Groove | SectionKind::Drop => {
                self.row(here, kit.kick, 36, 1.0);
                let fill = (here.own + 1).is_multiple_of(style.phrase) && here.own + 1 < here.length;
                self.row(here, kit.snare, 38, 1.0);
                self.row(here, kit.hat, kit.hat_key, 0.7);
                if fill && self.rng.random_bool(0.5) {
                    let last = here.beat + f64::from(style.metre - 1);
                    for s in 0..4 {
                        self.drum([38, 38, 47, 45][s], last + s as f64 / 4.0, 0.7 * here.level);
                    }
                }
                if here.kind == SectionKind::Drop {
                    for b in 0..style.metre {
                        self.drum(46, here.beat + f64::from(b) + 0.5, 0.45);
                    }
                }
            }
        }
    }

    fn build(&mut self, here: Here, kit: Kit) {
        let quarter = here.own * 4 / here.length;
        if quarter < 2 {
            self.row(here, kit.kick, 36, 0.9);
        }
        let strokes = [1, 1, 2, 4][quarter as usize];
        for b in 0..self.style.metre {
            for s in 0..strokes {
                let at = here.beat + f64::from(b) + f64::from(s) / f64::from(strokes);
                self.drum(38, at, 0.35 + 0.5 * here.level * f64::from(own_share(here)));
            }
        }
    }

    fn row(&mut self, here: Here, row: &str, key: i32, loud: f64) {
        let step = f64::from(self.style.metre) / row.len() as f64;
        for (i, c) in row.chars().enumerate() {
            let accent = match c {
                'X' => 1.0,
                'x' => 0.72,
                _ => continue,
            };
            self.drum(key, here.beat + i as f64 * step, loud * accent * (0.35 + 0.65 * here.level));
        }
    }

    fn chord(&self, here: Here) -> [i32; 3] {
        let degree = self.degree(here);
        [0, 2, 4].map(|third| self.key_of(degree + third, 48))
    }

    fn degree(&self, here: Here) -> i32 {
        let row = PROGRESSIONS[(self.seed as usize + here.letter as usize * 3) % PROGRESSIONS.len()];
        row[(here.own % 4) as usize]
    }

    fn key_of(&self, degree: i32, base: i32) -> i32 {
        base + self.tonic + self.scale[degree.rem_euclid(7) as usize] + 12 * degree.div_euclid(7)
    }

    fn bass(&mut self, here: Here) {
        if matches!(here.kind, SectionKind::Intro | SectionKind::Break) && self.style.kit.is_some() {
            return;
        }
        let metre = self.style.metre;
        let root = self.key_of(self.degree(here), 36) - if self.tonic > 6 { 12 } else { 0 };
        let loud = 0.4 + 0.5 * here.level;
        let third = 1.0 / f64::from(self.style.division);
        match self.style.bass {
            Bass::None => {}
            Bass::Ones => self.add(BASS, root, here.beat, f64::from(metre) * 0.95, loud),
            Bass::RootFifth => {
                self.add(BASS, root, here.beat, 0.8, loud);
                let middle = if metre == 3 { 2.0 } else { f64::from(metre / 2) };
                self.add(BASS, root + 7, here.beat + middle, 0.8, loud * 0.9);
            }
            Bass::Walking => {
                for b in 0..metre {
                    let step = [0, 4, 7, 9][(b % 4) as usize];
                    self.add(BASS, root + step, here.beat + f64::from(b), 0.9, loud);
                }
            }
            Bass::Eighths => {
                for s in 0..metre * 2 {
                    self.add(BASS, root, here.beat + f64::from(s) / 2.0, 0.45, loud * if s == 0 { 1.0 } else { 0.85 });
                }
            }
            Bass::Syncopated => {
                for at in [0.0, 1.5, 2.5, 3.0].iter().filter(|at| **at < f64::from(metre)) {
                    self.add(BASS, root, here.beat + at, third.max(0.4), loud);
                }
            }
        }
    }

    fn comp(&mut self, here: Here) {
        let keys = self.chord(here);
        let metre = self.style.metre;
        let loud = 0.3 + 0.5 * here.level;
        let calm = matches!(here.kind, SectionKind::Break) && self.seed.is_multiple_of(3);
        let comping = if calm { Comping::Held } else { self.style.comping };
        let chord = |score: &mut Self, at: f64, long: f64, loud: f64| {
            for key in keys {
                score.add(CHORDS, key, here.beat + at, long, loud);
            }
        };
        match comping {
            Comping::Held => chord(self, 0.0, f64::from(metre) * 0.97, loud),
            Comping::Beats => (0..metre).for_each(|b| chord(self, f64::from(b), 0.6, loud)),
            Comping::Offbeats => (0..metre).for_each(|b| chord(self, f64::from(b) + 0.5, 0.3, loud)),
            Comping::Repeated(n) => (0..metre * n).for_each(|s| {
                chord(self, f64::from(s) / f64::from(n), 0.8 / f64::from(n), loud * if s % n == 0 { 1.0 } else { 0.8 })
            }),
            Comping::Broken(n) => {
                for s in 0..metre * n {
                    let key = [0, 1, 2, 1][(s % 4) as usize];
                    let low = if s == 0 { -12 } else { 0 };
                    let at = here.beat + f64::from(s) / f64::from(n);
                    self.add(CHORDS, keys[key] + low, at, 1.2 / f64::from(n), loud);
                }
            }
            Comping::OomPah => {
                self.add(CHORDS, keys[0] - 12, here.beat, 0.9, loud);
                (1..metre).for_each(|b| chord(self, f64::from(b), 0.5, loud * 0.75));
            }
            Comping::Sparse => {
                let pattern: &[f64] = if here.own.is_multiple_of(2) { &[0.0, 1.5] } else { &[0.5, 3.0] };
                pattern.iter().for_each(|at| chord(self, *at, 0.4, loud));
            }
        }
    }

    /// A melody that comes again with its letter.
    fn lead(&mut self, here: Here) {
        if matches!(here.kind, SectionKind::Intro | SectionKind::Build) {
            return;
        }
        let line = self.seed.wrapping_mul(31).wrapping_add(here.letter as u64 * 977);
        let mut rng = ChaCha8Rng::seed_from_u64(line.wrapping_add(u64::from(here.own % self.style.phrase) * 13));
        let division = self.style.division;
        let steps = self.style.metre * division;
        let degree = self.degree(here);
        let mut step = 0;
        while step < steps {
            let long = *[1, division, division, 2 * division].choose(&mut rng).unwrap_or(&1);
            let strong = step % division == 0;
            if rng.random_bool(if strong { 0.8 } else { 0.4 }) {
                let key = self.key_of(degree + [0, 2, 4, 1, 7][rng.random_range(0..5)], 60);
                let at = here.beat + f64::from(step) / f64::from(division);
                self.add(LEAD, key, at, 0.9 * f64::from(long) / f64::from(division), 0.35 + 0.5 * here.level);
            }
            step += long;
        }
    }

    /// Everybody, where it is loudest.
    fn tutti(&mut self, here: Here) {
        if self.style.kit.is_none() {
            let root = self.key_of(self.degree(here), 36);
            self.add(TIMPANI, root, here.beat, 0.9, 0.95);
            for key in self.chord(here) {
                self.add(TUTTI, key, here.beat, 0.9, 0.8);
                self.add(TUTTI, key + 12, here.beat + f64::from(self.style.metre / 2), 0.5, 0.7);
            }
        } else {
            for key in self.chord(here) {
                self.add(CHORDS, key + 12, here.beat, 0.8, 0.8);
            }
        }
    }

    fn drum(&mut self, key: i32, beat: f64, loud: f64) {
        self.add(DRUMS, key, beat, 0.25, loud);
    }

    fn add(&mut self, channel: i32, key: i32, beat: f64, long: f64, loud: f64) {
        let (start, end) = (self.time.at(beat), self.time.at(beat + long));
        let stray = self.style.looseness / 1000.0;
        let stray = if stray > 0.0 { self.rng.random_range(-stray..stray) } else { 0.0 };
        let touch = self.rng.random_range(0.9..1.1);
        let velocity = ((loud * touch * 118.0).round() as i32).clamp(1, 127);
        self.notes.push(Note { channel, key, velocity, at: (start + stray).max(0.0), long: (end - start).max(0.03) });
    }

    fn truth(&self) -> Truth {
        let metre = self.style.metre;
        let count = (self.bars_total() * metre) as usize + usize::from(!self.ends_open);
        let beats = self.time.beats[..count].to_vec();
        let downbeats = beats.iter().copied().step_by(metre as usize).collect();
        let (mut sections, mut cues, mut bar) = (Vec::new(), Vec::new(), 0);
        let mut before = None;
        for (kind, letter, length) in &self.sections {
            let at = self.time.beats[(bar * metre) as usize];
            sections.push((at, *kind, *letter));
            match kind {
                SectionKind::Drop if before.is_some() => cues.push((at, CueKind::Drop)),
                SectionKind::Break => cues.push((at, CueKind::Break)),
                _ => {}
            }
            before = Some(*kind);
            bar += length;
        }
        Truth { tempo_bpm: median_bpm(&beats), beats, downbeats, metre, sections, cues }
    }
}

pub(crate) fn median_bpm(beats: &[f64]) -> f64 {
    let mut gaps: Vec<f64> = beats.windows(2).map(|w| w[1] - w[0]).collect();
    gaps.sort_by(f64::total_cmp);
    60.0 / gaps[gaps.len() / 2]
}

fn own_share(here: Here) -> f32 {
    here.own as f32 / here.length as f32
}

pub(crate) fn beat_times(
    style: &Style,
    bpm: f64,
    bars: u32,
    change: u32,
    lead_in: f64,
    rng: &mut ChaCha8Rng,
) -> Vec<f64> {
    let count = bars * style.metre;
    let mut at = lead_in;
    let mut wander = 0.0f64;
    let mut times = vec![at];
    // Some beats more, for what sounds after the last bar.
    for beat in 0..count + 2 * style.metre + 2 {
        let along = f64::from(beat) / f64::from(count);
        let tempo = match style.pulse {
            Pulse::Steady => bpm,
            Pulse::Drift(to) => bpm * (1.0 + (to - 1.0) * along.min(1.0)),
            Pulse::Change(to) => bpm * if beat >= change { to } else { 1.0 },
            Pulse::Rubato(by) => {
                wander = 0.8 * wander + rng.random_range(-by..by) * 0.6;
                let phrase = f64::from(style.phrase * style.metre);
                let late = (f64::from(beat) % phrase) / phrase;
                bpm * (1.0 + wander - by * late.powi(4))
            }
        };
        at += 60.0 / tempo;
        times.push(at);
    }
    times
}
