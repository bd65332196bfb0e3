//! The styles: who plays, in which metre, how fast and how evenly.

use rand::Rng;
use rand::seq::IndexedRandom;

/// How a tempo goes on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Pulse {
    Steady,
    /// Wanders by some per cent, and slows towards the ends of phrases.
    Rubato(f64),
    /// Grows to this multiple of its beginning.
    Drift(f64),
    /// Half-way through, at a section, goes on at this multiple.
    Change(f64),
}

/// What the accompaniment does with a chord.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Comping {
    Held,
    /// On every beat.
    Beats,
    /// Between the beats.
    Offbeats,
    /// One note after the other, this many a beat.
    Broken(u32),
    /// A bass note on the one, chords on the other beats.
    OomPah,
    /// Repeated, this many a beat.
    Repeated(u32),
    /// On the second half of one and on two and four, as comping does in swing.
    Sparse,
}

#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Bass {
    None,
    Ones,
    /// Root on the one, fifth in the middle.
    RootFifth,
    Walking,
    Eighths,
    /// Before the beats.
    Syncopated,
}

/// A kit's part for one bar: a character a step, `.` nothing, `x` a stroke, `X` an accent.
#[derive(Debug, Clone, Copy)]
pub struct Kit {
    pub kick: &'static str,
    pub snare: &'static str,
    pub hat: &'static str,
    /// The key that plays the row `hat`.
    pub hat_key: i32,
}

#[derive(Debug, Clone, Copy)]
pub struct Style {
    pub name: &'static str,
    /// Beats in a bar.
    pub metre: u32,
    /// 2 or 3 parts of a beat.
    pub division: u32,
    pub bpm: (f64, f64),
    /// Where the second half of a beat falls: 0.5 even, 0.67 a full swing.
    pub swing: f64,
    pub pulse: Pulse,
    pub kit: Option<Kit>,
    pub bass: Bass,
    pub bass_program: i32,
    pub comping: Comping,
    pub chord_program: i32,
    pub lead_program: i32,
    /// How far players stray, in milliseconds.
    pub looseness: f64,
    /// Bars are grouped in phrases of this many.
    pub phrase: u32,
    /// Kit, bass, accompaniment, instruments, swing and pulse are drawn by the seed.
    pub mixed: bool,
}

impl Style {
    /// The style of one piece: itself, or a mixture of others of its metre.
    pub fn drawn(&self, rng: &mut impl Rng) -> Self {
        if !self.mixed {
            return *self;
        }
        let alike: Vec<&Self> =
            STYLES.iter().filter(|s| !s.mixed && s.metre == self.metre && s.division == self.division).collect();
        let mut one = || alike.choose(rng).copied().unwrap_or(self);
        let (kit, bass, comping, chords, lead, swing) = (one(), one(), one(), one(), one(), one());
        let pulse = match rng.random_range(0..6) {
            0 => Pulse::Rubato(0.04),
            1 => Pulse::Drift(rng.random_range(0.85..1.2)),
            _ => Pulse::Steady,
        };
        Self {
            kit: if rng.random_bool(0.7) { kit.kit } else { None },
            bass: bass.bass,
            bass_program: bass.bass_program,
            comping: comping.comping,
            chord_program: chords.chord_program,
            lead_program: lead.lead_program,
            swing: swing.swing,
            looseness: rng.random_range(0.0..10.0),
            pulse,
            ..*self
        }
    }
}

const CLOSED: i32 = 42;
const RIDE: i32 = 51;
const SHAKER: i32 = 70;

const fn kit(kick: &'static str, snare: &'static str, hat: &'static str, hat_key: i32) -> Option<Kit> {
    Some(Kit { kick, snare, hat, hat_key })
}

const ROCK: Style = Style {
    name: "rock",
    metre: 4,
    division: 2,
    bpm: (96.0, 150.0),
    swing: 0.5,
    pulse: Pulse::Steady,
    kit: kit("X.....x.x.......", "....X.......X...", "x.x.x.x.x.x.x.x.", CLOSED),
    bass: Bass::Eighths,
    bass_program: 33,
    comping: Comping::Repeated(2),
    chord_program: 29,
    lead_program: 30,
    looseness: 5.0,
    phrase: 4,
    mixed: false,
};

pub const STYLES: &[Style] = &[
    ROCK,
    Style {
        name: "house",
        bpm: (116.0, 130.0),
        kit: kit("X...X...X...X...", "....x.......x...", "..x...x...x...x.", CLOSED),
        bass: Bass::Syncopated,
        bass_program: 38,
        comping: Comping::Offbeats,
        chord_program: 89,
        lead_program: 81,
        looseness: 0.0,
        ..ROCK
    },
    Style {
        name: "slow beats",
        bpm: (76.0, 98.0),
        swing: 0.56,
        kit: kit("X......x..x.....", "....X.......X..x", "x.xxx.x.x.xxx.x.", CLOSED),
        bass: Bass::Syncopated,
        bass_program: 38,
        comping: Comping::Held,
        chord_program: 4,
        lead_program: 11,
        looseness: 6.0,
        ..ROCK
    },
    Style {
        name: "breakbeat",
        bpm: (166.0, 178.0),
        kit: kit("X.........x.....", "....X..x.x..X..x", "x.x.x.x.x.x.x.x.", CLOSED),
        bass: Bass::Ones,
        bass_program: 39,
        comping: Comping::Held,
        chord_program: 90,
        lead_program: 80,
        looseness: 0.0,
        ..ROCK
    },
    Style {
        name: "funk",
        bpm: (94.0, 114.0),
        kit: kit("X..x..x...x..x..", "....X..x.x..X..x", "xxxxxxxxxxxxxxxx", CLOSED),
        bass: Bass::Syncopated,
        comping: Comping::Offbeats,
        chord_program: 28,
        lead_program: 61,
        ..ROCK
    },
    Style {
        name: "reggae",
        bpm: (70.0, 88.0),
        kit: kit("........X.......", "........x.......", "x.x.x.x.x.x.x.x.", CLOSED),
        bass: Bass::RootFifth,
        comping: Comping::Offbeats,
        chord_program: 16,
        lead_program: 56,
        ..ROCK
    },
    Style {
        name: "ballad",
        bpm: (62.0, 76.0),
        kit: kit("X.......x.x.....", "....X.......X...", "x.x.x.x.x.x.x.x.", CLOSED),
        bass: Bass::Ones,
        comping: Comping::Broken(2),
        chord_program: 0,
        lead_program: 48,
        ..ROCK
    },
    Style {
        name: "latin",
        bpm: (96.0, 120.0),
        kit: kit("X..x...xX..x...x", "...x..x...x.x...", "x.xxx.xxx.xxx.xx", SHAKER),
        bass: Bass::Syncopated,
        bass_program: 32,
        comping: Comping::Offbeats,
        chord_program: 0,
        lead_program: 56,
        ..ROCK
    },
    Style {
        name: "swing",
        bpm: (120.0, 176.0),
        swing: 0.66,
        kit: kit("x...............", "....x.......x...", "x...x.x.x...x.x.", RIDE),
        bass: Bass::Walking,
        bass_program: 32,
        comping: Comping::Sparse,
        chord_program: 0,
        lead_program: 65,
        looseness: 8.0,
        ..ROCK
    },
    Style {
        name: "shuffle",
        division: 3,
        bpm: (64.0, 84.0),
        kit: kit("X.....x.....", "...X.....X..", "x.xx.xx.xx.x", CLOSED),
        bass: Bass::Walking,
        comping: Comping::Repeated(3),
        chord_program: 16,
        lead_program: 26,
        looseness: 6.0,
        ..ROCK
    },
    Style {
        name: "jig",
        metre: 2,
        division: 3,
        bpm: (92.0, 120.0),
        kit: kit("X.....", "...x..", "xxxxxx", SHAKER),
        bass: Bass::RootFifth,
        bass_program: 32,
        comping: Comping::Repeated(3),
        chord_program: 25,
        lead_program: 72,
        looseness: 6.0,
        phrase: 8,
        ..ROCK
    },
    Style {
        name: "waltz",
        metre: 3,
        bpm: (104.0, 168.0),
        kit: None,
        bass: Bass::None,
        comping: Comping::OomPah,
        chord_program: 48,
        lead_program: 73,
        looseness: 8.0,
        phrase: 8,
        ..ROCK
    },
    Style {
        name: "three",
        metre: 3,
        bpm: (84.0, 124.0),
        kit: kit("X...........", "....x...x...", "x.x.x.x.x.x.", RIDE),
        bass: Bass::Ones,
        bass_program: 32,
        comping: Comping::Broken(2),
        chord_program: 24,
        lead_program: 65,
        looseness: 6.0,
        ..ROCK
    },
    Style {
        name: "piano",
        bpm: (72.0, 112.0),
        pulse: Pulse::Rubato(0.06),
        kit: None,
        bass: Bass::None,
        comping: Comping::Broken(2),
        chord_program: 0,
        lead_program: 0,
        looseness: 10.0,
        ..ROCK
    },
    Style {
        name: "strings",
        bpm: (96.0, 140.0),
        kit: None,
        bass: Bass::Ones,
        bass_program: 42,
        comping: Comping::Repeated(2),
        chord_program: 48,
        lead_program: 40,
        looseness: 8.0,
        ..ROCK
    },
    Style {
        name: "pizzicato",
        bpm: (100.0, 132.0),
        kit: None,
        bass: Bass::RootFifth,
        bass_program: 43,
        comping: Comping::Offbeats,
        chord_program: 45,
        lead_program: 68,
        looseness: 6.0,
        ..ROCK
    },
    Style {
        name: "march",
        bpm: (104.0, 126.0),
        kit: kit("X.......x.......", "x.xxX.x.x.xxX.xx", "................", CLOSED),
        bass: Bass::RootFifth,
        bass_program: 58,
        comping: Comping::Offbeats,
        chord_program: 60,
        lead_program: 56,
        looseness: 6.0,
        ..ROCK
    },
    Style {
        name: "accelerando",
        bpm: (84.0, 100.0),
        pulse: Pulse::Drift(1.35),
        kit: kit("X.......X.......", "....X.......X...", "x...x...x...x...", CLOSED),
        bass: Bass::RootFifth,
        bass_program: 32,
        comping: Comping::Offbeats,
        chord_program: 21,
        lead_program: 40,
        ..ROCK
    },
    Style { name: "new tempo", bpm: (88.0, 104.0), pulse: Pulse::Change(1.25), looseness: 4.0, ..ROCK },
    Style {
        name: "pads",
        bpm: (80.0, 110.0),
        kit: None,
        bass: Bass::Ones,
        bass_program: 38,
        comping: Comping::Broken(4),
        chord_program: 88,
        lead_program: 11,
        looseness: 0.0,
        ..ROCK
    },
    Style { name: "mixed four", bpm: (64.0, 176.0), mixed: true, ..ROCK },
    Style { name: "mixed four again", bpm: (80.0, 150.0), mixed: true, ..ROCK },
    Style { name: "mixed triple", division: 3, bpm: (60.0, 110.0), mixed: true, ..ROCK },
    Style { name: "mixed three", metre: 3, bpm: (76.0, 178.0), mixed: true, phrase: 8, ..ROCK },
    Style { name: "mixed six", metre: 2, division: 3, bpm: (70.0, 126.0), mixed: true, phrase: 8, ..ROCK },
];
