//! Songs: a band in which everybody has a part of their own, drawn anew for each piece and kept.
//!
//! Unlike a free improvisation a song is clear about its bars: the bass mostly begins them with the root, chords mostly
//! change there, phrases are some bars long and sections are told by who plays. Unlike an idiom nothing else about it
//! is settled: any part may be syncopated, and there are up to three accompaniments at once.

use crate::corpus::compose::{Composition, Time, Truth, beat_times};
use crate::corpus::improvise::{COMPS, LEADS, NEXT, PADS, SCALES, Stroke, tempo_near};
use crate::corpus::note::Note;
use crate::corpus::play::DRUMS;
use crate::corpus::style::{Pulse, STYLES, Style};
use groove::Groove;
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

mod groove;
mod parts;

const SECONDS: f64 = 55.0;
const TAIL_SECONDS: f64 = 2.0;
const BASS: i32 = 0;
const PAD: i32 = 1;
const COMPING: [i32; 3] = [2, 3, 4];
const LEAD: i32 = 5;
const COUNTER: i32 = 6;
const CHANNELS: usize = 10;
/// Sections with parts of their own.
const LETTERS: usize = 3;

const BASSES: &[i32] = &[32, 32, 33, 33, 34, 35, 36, 38, 39, 43, 58, 0, 70];

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
    groove: Groove,
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

impl Composition {
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
            groove: Groove::drawn(seed, grid),
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
        let truth = Truth::of_beats(skipped..count, metre, |i| writer.time.beats[i] - early);
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
    // What has finer places is slower.
    let centre = [116.0, 96.0, 92.0][grid as usize - 2];
    let bpm = tempo_near(centre, rng).clamp(slow, fast - 1.0);
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
        let drums = self.rng.random_bool(0.7) || self.groove != Groove::Plain;
        let kits: Vec<Kit> = self.lettered(Self::kit_in_groove);
        let basses = self.lettered(Self::bass_in_groove);
        let comps: Vec<Vec<Part>> = COMPING.iter().map(|_| self.lettered(Self::comp_in_groove)).collect();
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
        let times = (self.time.at(beat), self.time.at(beat + long));
        self.notes.push(Note::played((channel, key), loud, times, self.stray, &mut self.rng));
    }
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
mod tests;
