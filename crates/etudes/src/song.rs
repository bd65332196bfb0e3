//! Songs: a band in which everybody has a part of their own, drawn anew for each piece and kept.
//!
//! Unlike a free improvisation a song is clear about its bars: the bass mostly begins them with the root, chords mostly
//! change there, phrases are some bars long and sections are told by who plays. Unlike an idiom nothing else about it
//! is settled: any part may be syncopated, and there are up to three accompaniments at once.

use crate::compose::{Etude, Note, Time, Truth, beat_times, median_bpm};
use crate::improvise::{COMPS, LEADS, NEXT, PADS, SCALES, Stroke};
use crate::style::{Pulse, STYLES, Style};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

const SECONDS: f64 = 55.0;
const TAIL_SECONDS: f64 = 2.0;
const BASS: i32 = 0;
const PAD: i32 = 1;
const COMPING: [i32; 3] = [2, 3, 4];
const LEAD: i32 = 5;
const COUNTER: i32 = 6;
const DRUMS: i32 = 9;
const CHANNELS: usize = 10;
/// Sections with parts of their own.
const LETTERS: usize = 3;

const BASSES: &[i32] = &[32, 32, 33, 33, 34, 35, 36, 38, 39, 43, 58, 0, 70];
/// Orders in which the notes of a chord are broken.
const ORDERS: &[&[usize]] =
    &[&[0, 1, 2, 1], &[0, 2, 1, 2], &[0, 1, 2, 3, 2, 1], &[0, 1, 2], &[2, 1, 0], &[0, 1, 2, 3], &[0, 2, 1, 3], &[0, 2]];

/// How likely a part is struck on the one, in the middle of a bar of four, on other beats, half-way between beats, and
/// on the finer places.
#[derive(Clone, Copy)]
struct Habit(f64, f64, f64, f64, f64);

const BASS_HABITS: &[Habit] = &[
    Habit(0.98, 0.85, 0.08, 0.04, 0.0),
    Habit(0.98, 0.85, 0.08, 0.04, 0.0),
    Habit(0.97, 0.5, 0.5, 0.3, 0.0),
    Habit(0.97, 0.25, 0.3, 0.5, 0.05),
    Habit(0.97, 0.25, 0.3, 0.5, 0.05),
    Habit(0.97, 0.1, 0.4, 0.5, 0.0),
    Habit(1.0, 0.95, 0.95, 0.08, 0.0),
    Habit(1.0, 1.0, 1.0, 0.95, 0.0),
    Habit(0.98, 0.1, 0.05, 0.08, 0.0),
    Habit(0.96, 0.4, 0.2, 0.4, 0.2),
    Habit(0.96, 0.3, 0.2, 0.3, 0.3),
    Habit(0.2, 0.3, 0.5, 0.6, 0.0),
];
const COMP_HABITS: &[Habit] = &[
    Habit(0.95, 0.3, 0.25, 0.3, 0.02),
    Habit(0.08, 0.1, 0.97, 0.05, 0.0),
    Habit(0.03, 0.03, 0.03, 0.97, 0.0),
    Habit(0.98, 0.98, 0.98, 0.1, 0.0),
    Habit(1.0, 1.0, 1.0, 1.0, 0.0),
    Habit(1.0, 1.0, 1.0, 1.0, 0.9),
    Habit(0.7, 0.4, 0.35, 0.55, 0.12),
    Habit(0.4, 0.3, 0.4, 0.5, 0.1),
    Habit(0.97, 0.05, 0.03, 0.05, 0.0),
    Habit(0.9, 0.85, 0.05, 0.05, 0.0),
    Habit(0.6, 0.2, 0.2, 0.7, 0.0),
];
const SONG_HABITS: &[Habit] = &[
    Habit(0.85, 0.65, 0.6, 0.45, 0.06),
    Habit(0.6, 0.5, 0.5, 0.6, 0.2),
    Habit(0.92, 0.75, 0.7, 0.15, 0.01),
    Habit(0.9, 0.45, 0.3, 0.2, 0.02),
    Habit(0.8, 0.6, 0.7, 0.7, 0.35),
    Habit(0.5, 0.5, 0.6, 0.5, 0.05),
];

/// What strokes make of a chord.
#[derive(Clone)]
enum Voice {
    /// All its notes at once.
    Block,
    /// One after the other, in an order that each chord begins anew, or not.
    Broken(&'static [usize], bool),
    /// Its root, or for every stroke so many steps of the scale above it.
    Steps(Vec<i32>),
    /// Steps above the key's own note, whatever the chord.
    Riff(Vec<i32>),
}

#[derive(Clone)]
struct Part {
    strokes: Vec<Stroke>,
    bars: u32,
    voice: Voice,
    /// Strokes just before a chord belong to it already.
    pushes: bool,
}

type Kit = Vec<(i32, Part)>;

struct Writer {
    rng: ChaCha8Rng,
    time: Time,
    notes: Vec<Note>,
    metre: u32,
    /// Places a beat.
    grid: u32,
    scale: [i32; 7],
    tonic: i32,
    sevenths: bool,
    /// How likely a note on a weak place leaves the scale.
    chromatic: f64,
    /// Seconds that notes stray.
    stray: f64,
    volumes: [f64; CHANNELS],
    changes: Changes,
}

/// How often chords change.
#[derive(Clone, Copy)]
enum Changes {
    /// A chord for so many bars.
    Every(u32),
    HalfBars,
    /// Mostly with the bar, at times twice in it or not at all.
    Mixed,
    /// Twelve bars of three chords.
    Twelve,
}

impl Etude {
    /// The song of a seed.
    pub fn song(seed: u64) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(3_202_034_522).wrapping_add(41));
        let (style, grid) = frame(&mut rng);
        let bpm = rng.random_range(style.bpm.0..style.bpm.1);
        let metre = style.metre;
        let wanted = ((SECONDS * bpm / 60.0 / f64::from(metre)).round() as u32).max(8);
        let changes = *[
            Changes::Every(1),
            Changes::Every(1),
            Changes::Every(1),
            Changes::Every(2),
            Changes::Every(4),
            Changes::HalfBars,
            Changes::Mixed,
            Changes::Mixed,
            Changes::Mixed,
            Changes::Twelve,
        ]
        .choose(&mut rng)
        .unwrap_or(&Changes::Mixed);
        let forms = form(wanted, matches!(changes, Changes::Twelve), &mut rng);
        // The first bar is for an upbeat, or is not there.
        let upbeat = rng.random_bool(0.3).then(|| rng.random_range(1..metre.max(3)).min(metre - 1).max(1));
        let total = forms.iter().map(|f| f.1).sum::<u32>() + u32::from(upbeat.is_some());
        let lead_in = if rng.random_bool(0.5) { 0.02 } else { rng.random_range(0.1..2.5) };
        let beats = beat_times(&style, bpm, total, total * metre / 2, lead_in, &mut rng);
        let mut writer = Writer {
            scale: *SCALES.choose(&mut rng).unwrap_or(&SCALES[0]),
            tonic: rng.random_range(-5..7),
            sevenths: rng.random_bool(0.3),
            chromatic: if rng.random_bool(0.5) { 0.0 } else { rng.random_range(0.0..0.3) },
            stray: style.looseness / 1000.0,
            volumes: std::array::from_fn(|_| rng.random_range(0.35..1.0)),
            time: Time { beats, swing: style.swing },
            notes: Vec::new(),
            metre,
            grid,
            changes,
            rng,
        };
        writer.volumes[BASS as usize] = writer.rng.random_range(0.6..1.0);
        writer.volumes[DRUMS as usize] = writer.rng.random_range(0.5..1.0);
        let programs = writer.programs();
        writer.write(&forms, upbeat);
        let ends = writer.rng.random_bool(0.6);
        if ends {
            writer.last_chord(f64::from(total * metre));
        }
        let skipped = upbeat.map_or(0, |u| (metre - u) as usize);
        let early = writer.time.beats[skipped] - writer.time.beats[0];
        writer.notes.retain_mut(|n| {
            n.at -= early;
            n.at > lead_in - 0.04
        });
        let count = (total * metre) as usize + usize::from(ends);
        let at = |i: usize| writer.time.beats[i] - early;
        let beats: Vec<f64> = (skipped..count).map(at).collect();
        let downbeats = (skipped..count).filter(|i| i.is_multiple_of(metre as usize)).map(at).collect();
        let truth =
            Truth { tempo_bpm: median_bpm(&beats), beats, downbeats, metre, sections: Vec::new(), cues: Vec::new() };
        let seconds = writer.time.at(f64::from(total * metre)) - early + TAIL_SECONDS;
        Self { name: format!("song {seed}"), truth, notes: writer.notes, programs, seconds }
    }
}

/// Metre, tempo and how time passes, and how many places a beat has.
fn frame(rng: &mut ChaCha8Rng) -> (Style, u32) {
    let (metre, grid, slow, fast) = *[
        (4, 2, 72.0, 179.0),
        (4, 2, 72.0, 179.0),
        (4, 2, 84.0, 150.0),
        (4, 2, 84.0, 150.0),
        (4, 4, 62.0, 126.0),
        (4, 4, 62.0, 126.0),
        (4, 3, 61.0, 150.0),
        (3, 2, 76.0, 179.0),
        (3, 4, 62.0, 120.0),
        (2, 4, 62.0, 130.0),
        (2, 3, 70.0, 150.0),
    ]
    .choose(rng)
    .unwrap_or(&(4, 2, 72.0, 179.0));
    // Sums of three draws are near a bell: most music is near 110 beats a minute, with finer places slower.
    let bell = (rng.random_range(-1.0..1.0) + rng.random_range(-1.0..1.0) + rng.random_range(-1.0..1.0)) * 0.3f64;
    let centre = [116.0, 96.0, 92.0][grid as usize - 2];
    let bpm = (centre * bell.exp()).clamp(slow, fast - 1.0);
    let pulse = match rng.random_range(0..14) {
        0 => Pulse::Rubato(rng.random_range(0.01..0.05)),
        1 => Pulse::Drift(rng.random_range(0.85..1.2)),
        2 => Pulse::Change(*[0.8, 1.2, 1.3].choose(rng).unwrap_or(&1.2)),
        _ => Pulse::Steady,
    };
    let swing = if grid == 2 && rng.random_bool(0.25) { rng.random_range(0.56..0.69) } else { 0.5 };
    let looseness = if rng.random_bool(0.5) { 0.0 } else { rng.random_range(1.0..10.0) };
    let style = Style {
        name: "song",
        metre,
        division: if grid == 3 { 3 } else { 2 },
        bpm: (bpm, bpm + 1.0),
        swing,
        pulse,
        looseness,
        phrase: 4,
        ..STYLES[0]
    };
    (style, grid)
}

/// Letters and lengths in bars.
fn form(bars: u32, twelve: bool, rng: &mut ChaCha8Rng) -> Vec<(usize, u32)> {
    let mut form = Vec::new();
    let mut left = bars;
    while left > 0 {
        let length = if twelve { 12 } else { *[4, 8, 8, 8, 16].choose(rng).unwrap_or(&8) };
        form.push((rng.random_range(0..LETTERS), length.min(left)));
        left -= length.min(left);
    }
    form
}

impl Writer {
    fn programs(&mut self) -> Vec<(i32, i32)> {
        let mut one = |list: &[i32]| *list.choose(&mut self.rng).unwrap_or(&0);
        let mut programs = vec![(BASS, one(BASSES)), (PAD, one(PADS)), (LEAD, one(LEADS)), (COUNTER, one(LEADS))];
        programs.extend(COMPING.map(|part| (part, one(COMPS))));
        programs
    }

    fn write(&mut self, forms: &[(usize, u32)], upbeat: Option<u32>) {
        let drums = self.rng.random_bool(0.7);
        let kits: Vec<Kit> = self.lettered(Self::kit);
        let basses = self.lettered(Self::bass);
        let comps: Vec<Vec<Part>> = COMPING.iter().map(|_| self.lettered(Self::comp)).collect();
        let melodies: Vec<Vec<(Stroke, i32)>> = self.lettered(|w| w.melody(4, 0.3));
        let counters: Vec<Vec<(Stroke, i32)>> = self.lettered(|w| w.melody(2, 0.1));
        let chords: Vec<Vec<(f64, i32)>> = (0..LETTERS).map(|_| self.phrase()).collect();
        let mut bar = 0;
        if let Some(beats) = upbeat {
            self.upbeat(beats);
            bar = 1;
        }
        for (index, (letter, length)) in forms.iter().enumerate() {
            // Goes on in another key, now and then.
            if index > 0 && self.rng.random_bool(0.12) {
                self.tonic += *[1, 2, 3, 5, -2, -3].choose(&mut self.rng).unwrap_or(&2);
            }
            let intro = index == 0 && self.rng.random_bool(0.4);
            let mut with = |likely: f64| self.rng.random_bool(if intro { likely * 0.5 } else { likely });
            let (bass, pad, lead, counter) = (with(0.9), with(0.45), with(0.75), with(0.3));
            let comping = [with(0.9) || !bass, with(0.5), with(0.3)];
            let drummed = drums && with(0.92);
            let loud = self.rng.random_range(0.65..1.0);
            let start = f64::from(bar * self.metre);
            let passage = Passage { start, bars: *length, chords: self.repeated(&chords[*letter], *length), loud };
            if bass {
                self.play(BASS, &basses[*letter], &passage);
            }
            for (part, plays) in COMPING.iter().zip(comping) {
                if plays {
                    self.play(*part, &comps[(*part - COMPING[0]) as usize][*letter], &passage);
                }
            }
            if pad {
                self.hold(&passage);
            }
            if lead {
                self.sing(LEAD, &melodies[*letter], &passage, 0);
            }
            if counter {
                let shift = *[-7, -2, 2].choose(&mut self.rng).unwrap_or(&-2);
                let doubles = self.rng.random_bool(0.4);
                self.sing(COUNTER, &if doubles { &melodies } else { &counters }[*letter], &passage, shift);
            }
            if drummed {
                self.drum(&kits[*letter], &passage);
            }
            bar += length;
        }
    }

    /// For each letter: often the same for all of them.
    fn lettered<T: Clone>(&mut self, draw: impl Fn(&mut Self) -> T) -> Vec<T> {
        let first = draw(self);
        let same = self.rng.random_bool(0.5);
        (0..LETTERS).map(|i| if i == 0 || same { first.clone() } else { draw(self) }).collect()
    }

    /// How strong a place in the bar is: 0 for the one, 4 for the weakest.
    fn rank(&self, at: f64) -> usize {
        let in_bar = at.rem_euclid(f64::from(self.metre));
        let step = (in_bar * f64::from(self.grid)).round() as u32 % (self.metre * self.grid);
        match (step / self.grid, step % self.grid) {
            (0, 0) => 0,
            (2, 0) if self.metre == 4 => 1,
            (_, 0) => 2,
            // The last third of a beat leads on, as its second half does.
            (_, n) if n == if self.grid == 3 { 2 } else { self.grid / 2 } => 3,
            _ => 4,
        }
    }

    /// Strokes on the grid as the habit is, with an accent of their own.
    fn drawn(&mut self, habit: Habit, bars: u32, accent: f64) -> Vec<Stroke> {
        let Habit(one, middle, beat, half, fine) = habit;
        let likely = [one, middle, beat, half, fine];
        let end = f64::from(bars * self.metre);
        let mut strokes = Vec::new();
        for i in 0..bars * self.metre * self.grid {
            let at = f64::from(i) / f64::from(self.grid);
            let rank = self.rank(at);
            if self.rng.random_bool(likely[rank]) {
                strokes.push(Stroke { at, long: 0.0, loud: 1.0 - accent * rank as f64 / 4.0 });
            }
        }
        if strokes.is_empty() {
            strokes.push(Stroke { at: 0.0, long: 0.0, loud: 1.0 });
        }
        let legato = self.rng.random_range(0.35..1.0);
        for i in 0..strokes.len() {
            let next = strokes.get(i + 1).map_or(end, |s| s.at);
            strokes[i].long = ((next - strokes[i].at) * legato).clamp(0.12, 4.0);
        }
        strokes
    }

    fn habit(&mut self, of: &[Habit]) -> Habit {
        *of.choose(&mut self.rng).unwrap_or(&of[0])
    }

    /// Most parts are a little louder where the bar is strong; few are louder where it is weak.
    fn accent(&mut self) -> f64 {
        if self.rng.random_bool(0.1) { self.rng.random_range(-0.15..0.0) } else { self.rng.random_range(0.0..0.4) }
    }

    fn turn(&mut self) -> u32 {
        *[1, 1, 2].choose(&mut self.rng).unwrap_or(&1)
    }

    fn bass(&mut self) -> Part {
        let (habit, accent, bars) = (self.habit(BASS_HABITS), self.accent(), self.turn());
        let strokes = self.drawn(habit, bars, accent);
        let count = strokes.len();
        let voice = match self.rng.random_range(0..10) {
            0..=2 => Voice::Steps(vec![0]),
            3..=5 => Voice::Steps(vec![0, 4]),
            6 => Voice::Steps(vec![0, 7]),
            7 => Voice::Steps(vec![0, 2, 4, 5]),
            8 => {
                let mut steps = self.contour(count, 0..=7);
                steps[0] = 0;
                Voice::Steps(steps)
            }
            _ => {
                let mut steps = self.contour(count, -2..=5);
                steps[0] = 0;
                Voice::Riff(steps)
            }
        };
        Part { strokes, bars, voice, pushes: self.rng.random_bool(0.15) }
    }

    fn comp(&mut self) -> Part {
        let (habit, accent, bars) = (self.habit(COMP_HABITS), self.accent(), self.turn());
        let strokes = self.drawn(habit, bars, accent);
        let dense = strokes.len() as u32 >= bars * self.metre;
        let order = *ORDERS.choose(&mut self.rng).unwrap_or(&ORDERS[0]);
        let voice = match self.rng.random_range(0..10) {
            0..=4 if dense => Voice::Broken(order, self.rng.random_bool(0.8)),
            8 => Voice::Riff(self.contour(strokes.len(), -3..=6)),
            9 => Voice::Steps(self.contour(strokes.len(), 0..=8)),
            _ => Voice::Block,
        };
        Part { strokes, bars, voice, pushes: self.rng.random_bool(0.25) }
    }

    fn contour(&mut self, count: usize, within: std::ops::RangeInclusive<i32>) -> Vec<i32> {
        let mut step = 0;
        (0..count.max(1))
            .map(|_| {
                let now = step;
                step = (step + self.rng.random_range(-3..=3)).clamp(*within.start(), *within.end());
                now
            })
            .collect()
    }

    /// Bars that return with a long note at the end, and perhaps an upbeat that leads into the first.
    fn melody(&mut self, bars: u32, upbeat: f64) -> Vec<(Stroke, i32)> {
        let metre = self.metre;
        let (habit, accent) = (self.habit(SONG_HABITS), self.accent());
        let (a, b) = (self.drawn(habit, 1, accent), self.drawn(habit, 1, accent));
        let rest = if self.rng.random_bool(0.5) { 1.0 } else { 0.0 };
        let last = vec![Stroke { at: 0.0, long: (f64::from(metre) - rest).max(0.8), loud: 1.0 }];
        let forms: &[&[usize]] = &[&[0, 0, 1, 2], &[0, 1, 0, 2], &[0, 1, 0, 1], &[0, 2, 0, 2], &[0, 0, 0, 2], &[0, 1]];
        let form = *forms.choose(&mut self.rng).unwrap_or(&forms[0]);
        let mut strokes: Vec<Stroke> = form
            .iter()
            .take(bars as usize)
            .enumerate()
            .flat_map(|(bar, of)| [&a, &b, &last][*of].iter().map(move |s| s.later(bar as u32 * metre)))
            .collect();
        if self.rng.random_bool(upbeat) {
            let end = f64::from(metre * bars.min(form.len() as u32));
            let places = self.rng.random_range(1..=3u32);
            let step =
                if self.rng.random_bool(0.5) && places < metre { 1.0 } else { 1.0 / f64::from(self.grid.min(3)) };
            let from = -step * f64::from(places);
            strokes.retain(|s| s.at < end + from - 0.01);
            let early = (0..places).map(|i| Stroke { at: from + step * f64::from(i), long: step * 0.9, loud: 0.85 });
            strokes.splice(0..0, early);
        }
        let steps = self.contour(strokes.len(), -4..=7);
        strokes.into_iter().zip(steps).collect()
    }

    /// Some bars of chords: where each begins, in beats, and its degree.
    fn phrase(&mut self) -> Vec<(f64, i32)> {
        let metre = f64::from(self.metre);
        let middle = if self.metre == 4 { 2.0 } else { metre - 1.0 };
        let at: Vec<f64> = match self.changes {
            Changes::Twelve => {
                return [0, 0, 0, 0, 3, 3, 0, 0, 4, 3, 0, 4]
                    .iter()
                    .enumerate()
                    .map(|(bar, degree)| (bar as f64 * metre, *degree))
                    .collect();
            }
            Changes::Every(bars) => (0..8 / bars).map(|i| f64::from(i * bars) * metre).collect(),
            Changes::HalfBars => (0..4).flat_map(|b| [f64::from(b) * metre, f64::from(b) * metre + middle]).collect(),
            Changes::Mixed => {
                let mut at = Vec::new();
                for bar in 0..*[4, 8].choose(&mut self.rng).unwrap_or(&4) {
                    let start = f64::from(bar) * metre;
                    if bar == 0 || self.rng.random_bool(0.8) {
                        at.push(start);
                    }
                    if self.rng.random_bool(0.25) {
                        at.push(start + if self.rng.random_bool(0.8) { middle } else { metre - 1.0 });
                    }
                }
                at
            }
        };
        let still = self.rng.random_bool(0.12);
        let mut degree = 0;
        at.into_iter()
            .map(|at| {
                let now = degree;
                if !still {
                    degree = *NEXT[now as usize].choose(&mut self.rng).unwrap_or(&0);
                }
                (at, now)
            })
            .collect()
    }

    fn repeated(&self, phrase: &[(f64, i32)], bars: u32) -> Vec<(f64, i32)> {
        let metre = f64::from(self.metre);
        let last = phrase.last().map_or(0.0, |p| p.0);
        // Whole groups of four bars.
        let long = ((last / metre).floor() / 4.0).floor() * 4.0 * metre + 4.0 * metre;
        let end = f64::from(bars) * metre;
        (0..)
            .map(|i| f64::from(i) * long)
            .take_while(|start| *start < end)
            .flat_map(|start| phrase.iter().map(move |(at, degree)| (start + at, *degree)))
            .take_while(|(at, _)| *at < end)
            .collect()
    }

    fn key_of(&self, degree: i32, base: i32) -> i32 {
        base + self.tonic + self.scale[degree.rem_euclid(7) as usize] + 12 * degree.div_euclid(7)
    }

    /// A semitone below or above, on weak places.
    fn beside(&mut self, at: f64) -> i32 {
        if self.rank(at) < 2 || !self.rng.random_bool(self.chromatic) {
            return 0;
        }
        if self.rng.random_bool(0.7) { -1 } else { 1 }
    }

    fn play(&mut self, channel: i32, part: &Part, passage: &Passage) {
        let long = f64::from(part.bars * self.metre);
        let end = f64::from(passage.bars * self.metre);
        let volume = passage.loud * self.volumes[channel as usize];
        let base = if channel == BASS { 33 } else { [48, 55, 60][((channel - COMPING[0]).max(0) % 3) as usize] };
        let mut before = usize::MAX;
        let mut count = 0;
        for turn in (0..).map(|i| f64::from(i) * long).take_while(|t| *t < end) {
            for (i, stroke) in part.strokes.iter().enumerate() {
                let at = turn + stroke.at;
                if at >= end {
                    break;
                }
                let heard_at = if part.pushes { at + 0.5 } else { at };
                let (index, degree) = passage.chord_at(heard_at);
                if index != before {
                    count = 0;
                }
                let volume = volume * stroke.loud;
                let beside = self.beside(stroke.at);
                let mut add = |step: i32| {
                    let key = self.key_of(degree + step, base) + if step == 0 { 0 } else { beside };
                    self.add(channel, key, passage.start + at, stroke.long, volume)
                };
                match &part.voice {
                    Voice::Block => {
                        let thirds: &[i32] = if self.sevenths { &[0, 2, 4, 6] } else { &[0, 2, 4] };
                        for third in thirds {
                            self.add(
                                channel,
                                self.key_of(degree + third, base),
                                passage.start + at,
                                stroke.long,
                                volume,
                            );
                        }
                    }
                    Voice::Broken(order, anew) => {
                        let which = order[if *anew { count } else { i } % order.len()];
                        add([0, 2, 4, 7][which]);
                    }
                    // A new chord is told by its root.
                    Voice::Steps(_) if index != before && channel == BASS => add(0),
                    Voice::Steps(steps) => add(steps[i % steps.len()]),
                    Voice::Riff(steps) => add(steps[i % steps.len()] - degree),
                }
                before = index;
                count += 1;
            }
        }
    }

    /// Each chord as long as it lasts.
    fn hold(&mut self, passage: &Passage) {
        let end = f64::from(passage.bars * self.metre);
        let volume = passage.loud * self.volumes[PAD as usize] * 0.8;
        for (i, (at, degree)) in passage.chords.iter().enumerate() {
            let next = passage.chords.get(i + 1).map_or(end, |c| c.0);
            for third in [0, 2, 4] {
                self.add(PAD, self.key_of(degree + third, 55), passage.start + at, (next - at) * 0.97, volume);
            }
        }
    }

    fn sing(&mut self, channel: i32, melody: &[(Stroke, i32)], passage: &Passage, shift: i32) {
        let metre = f64::from(self.metre);
        let end = f64::from(passage.bars * self.metre);
        let long = melody.last().map_or(0.0, |m| m.0.at);
        let long = ((long / metre).floor() + 1.0).max(1.0) * metre;
        let volume = passage.loud * self.volumes[channel as usize];
        for turn in (0..).map(|i| f64::from(i) * long).take_while(|t| *t < end) {
            if self.rng.random_bool(0.08) {
                continue;
            }
            for (stroke, step) in melody {
                let at = turn + stroke.at;
                if passage.start + at < 0.0 || at >= end {
                    continue;
                }
                let (_, degree) = passage.chord_at(at);
                let step = if self.rank(stroke.at) < 3 { step.div_euclid(2) * 2 } else { *step };
                let key = self.key_of(degree + step + shift, 64) + self.beside(stroke.at);
                self.add(channel, key, passage.start + at, stroke.long, volume * stroke.loud);
            }
        }
    }

    fn kit(&mut self) -> Kit {
        let metre = f64::from(self.metre);
        let grid = f64::from(self.grid);
        let half = if self.grid == 3 { 2.0 / 3.0 } else { 0.5 };
        let back: Vec<f64> = match self.metre {
            4 => vec![1.0, 3.0],
            3 if self.rng.random_bool(0.5) => vec![2.0],
            3 => vec![1.0, 2.0],
            _ => vec![1.0],
        };
        let every = |step: f64, from: f64| -> Vec<f64> {
            (0..).map(|i| from + step * f64::from(i)).take_while(|at| *at < metre - 0.01).collect()
        };
        let part = |at: Vec<f64>, loud: f64| Part {
            strokes: at.into_iter().map(|at| Stroke { at, long: 0.2, loud }).collect(),
            bars: 1,
            voice: Voice::Block,
            pushes: false,
        };
        let mut kit: Kit = Vec::new();
        let kick = match self.rng.random_range(0..9) {
            0 | 1 => part(every(1.0, 0.0), 1.0),
            2 => part(every(2.0, 0.0), 1.0),
            3 => part(vec![0.0], 1.0),
            _ => self.struck(Habit(0.97, 0.5, 0.15, 0.3, 0.05), 0.2),
        };
        kit.push((*[36, 36, 35, 41].choose(&mut self.rng).unwrap_or(&36), kick));
        let snare = *[38, 38, 40, 37, 39].choose(&mut self.rng).unwrap_or(&38);
        match self.rng.random_range(0..12) {
            0..=4 => kit.push((snare, part(back.clone(), 1.0))),
            // All that is loud is on the backbeat.
            5 => {
                kit.push((snare, part(back.clone(), 1.0)));
                kit.push((36, part(back.clone(), 1.0)));
                kit.push((*[57, 51, 53, 54, 39].choose(&mut self.rng).unwrap_or(&51), part(back.clone(), 0.9)));
            }
            6 if self.metre == 4 => kit.push((snare, part(vec![2.0], 1.0))),
            6 | 7 => {
                kit.push((snare, part(back.clone(), 1.0)));
                let ghosts = self.struck(Habit(0.0, 0.1, 0.1, 0.3, 0.25), 0.0);
                kit.push((snare, softened(ghosts, 0.45)));
            }
            8 => {
                kit.push((snare, softened(part(every(1.0 / grid, 0.0), 1.0), 0.5)));
                kit.push((snare, part(back.clone(), 1.0)));
            }
            9 => kit.push((snare, part(every(1.0, half), 0.9))),
            10 => {
                let rolled = self.struck(Habit(0.3, 0.4, 0.9, 0.5, 0.3), -0.2);
                kit.push((snare, rolled));
            }
            _ => {}
        }
        let hat = *[42, 42, 42, 51, 46, 70, 54, 82, 44].choose(&mut self.rng).unwrap_or(&42);
        let hats = match self.rng.random_range(0..9) {
            0 => every(1.0, 0.0),
            1..=3 => every(half.max(1.0 / grid), 0.0),
            4 => every(1.0 / grid, 0.0),
            5 => every(1.0, half),
            6 => (0..self.metre).map(f64::from).chain(back.iter().map(|b| b + half)).collect(),
            7 => back.clone(),
            _ => Vec::new(),
        };
        let soft = self.rng.random_range(0.4..0.9);
        kit.push((hat, part(hats, soft)));
        if self.rng.random_bool(0.3) {
            let hand = *[62, 64, 66, 60, 75, 56, 47, 76, 54].choose(&mut self.rng).unwrap_or(&64);
            let habit = self.habit(COMP_HABITS);
            let strokes = self.struck(habit, 0.1);
            kit.push((hand, softened(strokes, 0.8)));
        }
        kit
    }

    fn struck(&mut self, habit: Habit, accent: f64) -> Part {
        let bars = self.turn();
        Part { strokes: self.drawn(habit, bars, accent), bars, voice: Voice::Block, pushes: false }
    }

    fn drum(&mut self, kit: &Kit, passage: &Passage) {
        let metre = f64::from(self.metre);
        let volume = passage.loud * self.volumes[DRUMS as usize];
        let fill =
            if self.rng.random_bool(0.6) { f64::from(self.rng.random_range(1..=2)).min(metre - 1.0) } else { 0.0 };
        let end = f64::from(passage.bars) * metre - fill;
        for (key, part) in kit {
            let long = f64::from(part.bars) * metre;
            for turn in (0..).map(|i| f64::from(i) * long).take_while(|t| *t < end) {
                for stroke in part.strokes.iter().filter(|s| turn + s.at < end - 0.01) {
                    self.add(DRUMS, *key, passage.start + turn + stroke.at, 0.2, volume * stroke.loud);
                }
            }
        }
        self.fill(passage.start + end, fill, volume);
        if self.rng.random_bool(0.6) {
            self.add(DRUMS, 49, passage.start, 1.0, volume * 0.9);
        }
    }

    fn fill(&mut self, from: f64, beats: f64, volume: f64) {
        let steps = (beats * f64::from(self.grid.max(2))).round() as u32;
        for i in 0..steps {
            if self.rng.random_bool(0.8) {
                let key = *[38, 38, 48, 47, 45, 41].choose(&mut self.rng).unwrap_or(&38);
                let loud = volume * self.rng.random_range(0.6..1.0);
                self.add(DRUMS, key, from + f64::from(i) * beats / f64::from(steps), 0.2, loud);
            }
        }
    }

    /// What leads into the first bar: a melody's or the bass's notes, or a fill.
    fn upbeat(&mut self, beats: u32) {
        let from = f64::from(self.metre - beats);
        if self.rng.random_bool(0.25) {
            let volume = self.volumes[DRUMS as usize];
            self.add(DRUMS, 38, from, 0.2, volume);
            return self.fill(from, f64::from(beats), volume);
        }
        let channel = *[LEAD, LEAD, COMPING[0], BASS].choose(&mut self.rng).unwrap_or(&LEAD);
        let base = if channel == BASS { 40 } else { 64 };
        let places = beats * self.rng.random_range(1..=self.grid);
        for (i, step) in self.contour(places as usize, -4..=0).into_iter().enumerate() {
            let at = from + i as f64 * f64::from(beats) / f64::from(places);
            self.add(channel, self.key_of(step, base), at, 0.8 * f64::from(beats) / f64::from(places), 0.7);
        }
    }

    fn last_chord(&mut self, beat: f64) {
        for third in [0, 2, 4] {
            self.add(COMPING[0], self.key_of(third, 52), beat, 2.0, 0.75);
        }
        self.add(BASS, self.key_of(0, 36), beat, 2.0, 0.75);
    }

    fn add(&mut self, channel: i32, key: i32, beat: f64, long: f64, loud: f64) {
        let (start, end) = (self.time.at(beat), self.time.at(beat + long));
        let stray = if self.stray > 0.0 { self.rng.random_range(-self.stray..self.stray) } else { 0.0 };
        self.notes.push(Note {
            channel,
            key: key.clamp(24, 108),
            velocity: ((loud * 122.0).round() as i32).clamp(12, 127),
            at: (start + stray).max(0.0),
            long: (end - start).max(0.03),
        });
    }
}

fn softened(mut part: Part, to: f64) -> Part {
    part.strokes.iter_mut().for_each(|s| s.loud *= to);
    part
}

/// A section, for those who play in it.
struct Passage {
    /// In beats from the beginning.
    start: f64,
    bars: u32,
    /// Where each chord begins, in beats from the section's, and its degree.
    chords: Vec<(f64, i32)>,
    loud: f64,
}

impl Passage {
    fn chord_at(&self, beat: f64) -> (usize, i32) {
        let index = self.chords.partition_point(|c| c.0 <= beat + 1e-6).saturating_sub(1);
        (index, self.chords.get(index).map_or(0, |c| c.1))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_song_has_beats_and_bars_all_along() {
        for seed in 0..40 {
            let song = Etude::song(seed);
            let (truth, name) = (&song.truth, &song.name);
            assert!((2..=4).contains(&truth.metre), "{name}");
            let upbeat = truth.beats.iter().position(|b| *b == truth.downbeats[0]).expect("on a beat");
            assert!(upbeat < truth.metre as usize, "{name}");
            assert_eq!(truth.downbeats.len(), (truth.beats.len() - upbeat).div_ceil(truth.metre as usize), "{name}");
            assert!((50.0..200.0).contains(&truth.tempo_bpm), "{name}: {}", truth.tempo_bpm);
            assert!(song.notes.len() > 60 && (30.0..90.0).contains(&song.seconds), "{name}: {}", song.notes.len());
            let first = song.notes.iter().map(|n| n.at).fold(f64::MAX, f64::min);
            assert!(first < truth.downbeats[0] + 40.0 && song.notes.iter().all(|n| n.at < song.seconds), "{name}");
        }
        assert_eq!(Etude::song(5).fingerprint(), Etude::song(5).fingerprint());
        assert_ne!(Etude::song(5).fingerprint(), Etude::song(6).fingerprint());
    }

    /// What tells bars from each other: over many songs far more basses begin on the one than on any other beat.
    #[test]
    fn basses_begin_on_the_one() {
        let mut on = [0; 4];
        for song in (0..60).map(Etude::song).filter(|s| s.truth.metre == 4) {
            let beats = &song.truth.beats;
            let upbeat = beats.iter().position(|b| *b == song.truth.downbeats[0]).expect("on a beat");
            for note in song.notes.iter().filter(|n| n.channel == BASS) {
                if let Some(beat) = beats.iter().position(|b| (b - note.at).abs() < 0.02) {
                    on[(beat + 4 - upbeat) % 4] += 1;
                }
            }
        }
        assert!(on[1..].iter().all(|n| *n * 4 < on[0] * 3) && on[2] > on[1], "{on:?}");
    }

    #[test]
    fn chords_change_where_the_phrase_says_and_phrases_return() {
        let passage = Passage { start: 0.0, bars: 8, chords: vec![(0.0, 0), (6.0, 3), (8.0, 4)], loud: 1.0 };
        assert_eq!([0.0, 5.99, 6.0, 7.5, 8.0, 31.0].map(|at| passage.chord_at(at).1), [0, 0, 3, 3, 4, 4]);
        assert_eq!(Passage { chords: Vec::new(), ..passage }.chord_at(3.0), (0, 0));
    }

    fn writer(metre: u32, grid: u32, changes: Changes) -> Writer {
        Writer {
            rng: ChaCha8Rng::seed_from_u64(3),
            time: Time { beats: (0..400).map(|i| f64::from(i) * 0.5).collect(), swing: 0.5 },
            notes: Vec::new(),
            metre,
            grid,
            scale: SCALES[0],
            tonic: 0,
            sevenths: false,
            chromatic: 0.0,
            stray: 0.0,
            volumes: [0.8; CHANNELS],
            changes,
        }
    }

    fn passage(bars: u32, chords: Vec<(f64, i32)>) -> Passage {
        Passage { start: 0.0, bars, chords, loud: 0.8 }
    }

    #[test]
    fn a_part_is_struck_where_its_habit_is() {
        let places = |metre, grid, habit, bars| -> Vec<f64> {
            let strokes = writer(metre, grid, Changes::Mixed).drawn(habit, bars, 0.0);
            strokes.iter().map(|s| (s.at * 100.0).round() / 100.0).collect()
        };
        assert_eq!(places(4, 2, Habit(1.0, 0.0, 0.0, 0.0, 0.0), 2), [0.0, 4.0]);
        assert_eq!(places(4, 2, Habit(1.0, 1.0, 0.0, 0.0, 0.0), 1), [0.0, 2.0]);
        assert_eq!(places(4, 4, Habit(0.0, 0.0, 1.0, 0.0, 0.0), 1), [1.0, 3.0]);
        assert_eq!(places(3, 2, Habit(0.0, 0.0, 1.0, 0.0, 0.0), 1), [1.0, 2.0], "three has no middle");
        assert_eq!(places(2, 2, Habit(0.0, 0.0, 0.0, 1.0, 0.0), 1), [0.5, 1.5]);
        assert_eq!(places(2, 3, Habit(0.0, 0.0, 0.0, 1.0, 0.0), 1), [0.67, 1.67], "the last third leads on");
        assert_eq!(places(2, 4, Habit(0.0, 0.0, 0.0, 0.0, 1.0), 1), [0.25, 0.75, 1.25, 1.75]);
        assert_eq!(places(4, 2, Habit(0.0, 0.0, 0.0, 0.0, 0.0), 1), [0.0], "nobody is silent for ever");
    }

    #[test]
    fn phrases_fill_their_sections_and_no_more() {
        for changes in [Changes::Every(1), Changes::Every(4), Changes::HalfBars, Changes::Mixed, Changes::Twelve] {
            for metre in [2, 3, 4] {
                let mut writer = writer(metre, 2, changes);
                let phrase = writer.phrase();
                for bars in [3, 8, 12, 16] {
                    let chords = writer.repeated(&phrase, bars);
                    assert_eq!(chords[0].0, 0.0);
                    assert!(chords.windows(2).all(|w| w[0].0 < w[1].0), "{chords:?}");
                    assert!(chords.iter().all(|c| c.0 < f64::from(bars * metre) && (0..7).contains(&c.1)));
                }
            }
        }
        let mut blues = writer(4, 3, Changes::Twelve);
        let phrase = blues.phrase();
        let twice = blues.repeated(&phrase, 24);
        assert_eq!((phrase.len(), twice.len()), (12, 24));
        assert_eq!((twice[4].1, twice[16], twice[20].1), (3, (64.0, 3), 4));
    }

    /// Whatever the bass's own steps are, a new chord is told by its root.
    #[test]
    fn a_new_chord_is_told_by_its_root() {
        let mut writer = writer(4, 2, Changes::Every(1));
        let strokes = writer.drawn(Habit(1.0, 1.0, 1.0, 0.0, 0.0), 1, 0.0);
        let part = Part { strokes, bars: 1, voice: Voice::Steps(vec![4, 2, 5, 3]), pushes: false };
        writer.play(BASS, &part, &passage(4, vec![(0.0, 0), (4.0, 3), (8.0, 4), (12.0, 0)]));
        let keys: Vec<i32> = writer.notes.iter().step_by(4).map(|n| n.key - 33).collect();
        assert_eq!(writer.notes.len(), 16);
        assert_eq!(keys, [0, 5, 7, 0]);
    }

    #[test]
    fn who_pushes_plays_the_next_chord_half_a_beat_before_it() {
        let strokes = |writer: &mut Writer| writer.drawn(Habit(1.0, 1.0, 1.0, 1.0, 0.0), 1, 0.0);
        let second = |pushes: bool| {
            let mut writer = writer(4, 2, Changes::Every(1));
            let part = Part { strokes: strokes(&mut writer), bars: 1, voice: Voice::Steps(vec![0]), pushes };
            writer.play(COMPING[0], &part, &passage(2, vec![(0.0, 0), (4.0, 4)]));
            writer.notes.iter().position(|n| n.key != writer.notes[0].key).expect("another chord")
        };
        assert_eq!((second(false), second(true)), (8, 7));
    }

    #[test]
    fn kits_and_melodies_keep_to_their_bars() {
        for seed in 0..30 {
            for (metre, grid) in [(4, 2), (4, 4), (3, 2), (2, 3)] {
                let mut writer = writer(metre, grid, Changes::Mixed);
                writer.rng = ChaCha8Rng::seed_from_u64(seed);
                for (key, part) in writer.kit() {
                    let end = f64::from(part.bars * metre);
                    assert!((27..88).contains(&key) && part.strokes.iter().all(|s| s.at < end && s.loud > 0.0));
                }
                let melody = writer.melody(4, 0.5);
                let starts: Vec<f64> = melody.iter().map(|m| m.0.at).collect();
                assert!(starts.windows(2).all(|w| w[0] < w[1]), "{starts:?}");
                assert!(starts[0] >= -f64::from(metre) && starts[starts.len() - 1] < f64::from(4 * metre));
            }
        }
    }
}
