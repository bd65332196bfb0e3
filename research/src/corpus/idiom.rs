//! Idioms: what players of dances, marches, songs and studies do bar after bar.
//!
//! A free improvisation keeps no custom; most music keeps one. An idiom gives the bass, the accompaniment, the kit and
//! the short rhythms that melodies are made of; everything else is drawn as in an improvisation.

use crate::corpus::improvise::{Figure, Improviser, Stroke, Way};
use crate::corpus::style::Style;
use rand::Rng;
use rand::seq::IndexedRandom;

/// Strokes in beats, how they take a chord, and after how many strokes that begins again.
type Ground = (&'static [f64], Way, usize);

pub struct Idiom {
    pub name: &'static str,
    metre: u32,
    division: u32,
    bpm: (f64, f64),
    /// Swung by so much at least and at most; 0.5 is even.
    swing: (f64, f64),
    /// One is chosen for each kind of section; none at all: the bass plays the rhythms of a melody.
    bass: &'static [Ground],
    /// None at all: nobody accompanies.
    comp: &'static [Ground],
    /// Keys of the kit and when they are struck.
    kit: &'static [(i32, &'static [f64])],
    /// How likely the kit plays.
    drums: f64,
    /// Lengths in beats, each row a whole number of beats; a rest is negative.
    cells: &'static [&'static [f64]],
}

const KICK: i32 = 36;
const SNARE: i32 = 38;
const RIM: i32 = 37;
const HAT: i32 = 42;
const FOOT: i32 = 44;
const OPEN: i32 = 46;
const RIDE: i32 = 51;
const SHAKER: i32 = 82;
const TAMBOURINE: i32 = 54;

const THIRD: f64 = 1.0 / 3.0;
const TWO_THIRDS: f64 = 2.0 / 3.0;
const SIXTH: f64 = 1.0 / 6.0;

const DOTTED: &[f64] = &[0.75, 0.25];
const SNAPPED: &[f64] = &[0.25, 0.75];
const LONG_DOTTED: &[f64] = &[1.5, 0.5];
const BEAT: &[f64] = &[1.0];
const HALVES: &[f64] = &[0.5, 0.5];
const QUARTERS: &[f64] = &[0.25, 0.25, 0.25, 0.25];
const LONG_SHORT_SHORT: &[f64] = &[0.5, 0.25, 0.25];
const SHORT_SHORT_LONG: &[f64] = &[0.25, 0.25, 0.5];
const SYNCOPATED: &[f64] = &[0.5, 1.0, 0.5];
const QUICK_SYNCOPATED: &[f64] = &[0.25, 0.5, 0.25];
const TRIPLET: &[f64] = &[THIRD, THIRD, THIRD];
const LONG: &[f64] = &[2.0];
const LONGER: &[f64] = &[3.0];
const RESTED: &[f64] = &[-0.5, 0.5];
const JIG: &[f64] = &[TWO_THIRDS, THIRD];
const JIG_DOTTED: &[f64] = &[0.5, SIXTH, THIRD];

const EIGHTHS: &[f64] = &[0.0, 0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5];
const FOUR: &[f64] = &[0.0, 1.0, 2.0, 3.0];
const OFFBEATS: &[f64] = &[0.5, 1.5, 2.5, 3.5];
const BACKBEATS: &[f64] = &[1.0, 3.0];
const ONE_THREE: &[f64] = &[0.0, 2.0];
const THREES: &[f64] = &[0.0, 1.5, 3.0];
const SIXTEEN: &[f64] = &[0.0, 0.25, 0.5, 0.75, 1.0, 1.25, 1.5, 1.75, 2.0, 2.25, 2.5, 2.75, 3.0, 3.25, 3.5, 3.75];
const EIGHT: &[f64] = &[0.0, 0.25, 0.5, 0.75, 1.0, 1.25, 1.5, 1.75];
const TWELVE: &[f64] = &[
    0.0,
    THIRD,
    TWO_THIRDS,
    1.0,
    1.0 + THIRD,
    1.0 + TWO_THIRDS,
    2.0,
    2.0 + THIRD,
    2.0 + TWO_THIRDS,
    3.0,
    3.0 + THIRD,
    3.0 + TWO_THIRDS,
];
const SHUFFLED: &[f64] = &[0.0, TWO_THIRDS, 1.0, 1.0 + TWO_THIRDS, 2.0, 2.0 + TWO_THIRDS, 3.0, 3.0 + TWO_THIRDS];
const SIX: &[f64] = &[0.0, THIRD, TWO_THIRDS, 1.0, 1.0 + THIRD, 1.0 + TWO_THIRDS];

/// All that is given for most of them; 4 beats a bar, parted in two.
const PLAIN: Idiom = Idiom {
    name: "",
    metre: 4,
    division: 2,
    bpm: (80.0, 130.0),
    swing: (0.5, 0.5),
    bass: &[(ONE_THREE, Way::Broken, 2)],
    comp: &[(BACKBEATS, Way::Block, 3)],
    kit: &[],
    drums: 0.0,
    cells: &[BEAT, HALVES, LONG, LONG_DOTTED],
};

pub const IDIOMS: &[Idiom] = &[
    Idiom {
        name: "march",
        bpm: (92.0, 132.0),
        comp: &[(BACKBEATS, Way::Block, 3), (OFFBEATS, Way::Block, 3)],
        kit: &[(KICK, ONE_THREE), (SNARE, &[1.0, 1.5, 3.0, 3.25, 3.5, 3.75]), (49, &[0.0])],
        drums: 0.5,
        cells: &[BEAT, DOTTED, HALVES, LONG_DOTTED, LONG, LONG_SHORT_SHORT],
        ..PLAIN
    },
    Idiom {
        name: "polka",
        metre: 2,
        bpm: (96.0, 144.0),
        bass: &[(&[0.0, 1.0], Way::Broken, 2)],
        comp: &[(&[0.5, 1.5], Way::Block, 3)],
        kit: &[(KICK, &[0.0, 1.0]), (SNARE, &[0.5, 1.5])],
        drums: 0.3,
        cells: &[LONG_SHORT_SHORT, QUARTERS, BEAT, HALVES, SHORT_SHORT_LONG],
        ..PLAIN
    },
    Idiom {
        name: "waltz",
        metre: 3,
        bpm: (84.0, 178.0),
        bass: &[(&[0.0], Way::Broken, 2)],
        comp: &[(&[1.0, 2.0], Way::Block, 3), (&[0.5, 1.0, 1.5, 2.0, 2.5], Way::Broken, 5)],
        kit: &[(KICK, &[0.0]), (HAT, &[1.0, 2.0])],
        drums: 0.2,
        cells: &[BEAT, &[2.0, 1.0], LONGER, HALVES, LONG_DOTTED],
        ..PLAIN
    },
    Idiom {
        name: "minuet",
        metre: 3,
        bpm: (88.0, 150.0),
        bass: &[(&[0.0, 1.0, 2.0], Way::Walking, 1), (&[0.0, 2.0], Way::Broken, 2), (&[0.0], Way::Broken, 1)],
        comp: &[],
        cells: &[BEAT, HALVES, &[2.0, 1.0], &[0.5, 0.5, 0.5, 0.5, 0.5, 0.5], LONGER],
        ..PLAIN
    },
    Idiom {
        name: "mazurka",
        metre: 3,
        bpm: (110.0, 172.0),
        bass: &[(&[0.0], Way::Broken, 2)],
        comp: &[(&[1.0, 2.0], Way::Block, 3), (&[1.0], Way::Block, 3)],
        cells: &[DOTTED, BEAT, &[1.0, 1.0], HALVES, TRIPLET, LONG],
        ..PLAIN
    },
    Idiom {
        name: "polonaise",
        metre: 3,
        bpm: (76.0, 112.0),
        bass: &[(&[0.0], Way::Broken, 2)],
        comp: &[(&[0.0, 0.5, 0.75, 1.0, 1.5, 2.0, 2.5], Way::Block, 3)],
        cells: &[QUARTERS, LONG_SHORT_SHORT, BEAT, DOTTED, HALVES],
        ..PLAIN
    },
    Idiom {
        name: "rag",
        metre: 2,
        bpm: (61.0, 104.0),
        bass: &[(&[0.0, 1.0], Way::Broken, 2)],
        comp: &[(&[0.5, 1.5], Way::Block, 3)],
        cells: &[
            QUICK_SYNCOPATED,
            QUARTERS,
            &[0.25, 0.5, 0.5, 0.5, 0.25],
            &[0.25, 0.25, 0.5, 0.5, 0.5],
            HALVES,
            RESTED,
        ],
        ..PLAIN
    },
    Idiom {
        name: "stride",
        bpm: (96.0, 178.0),
        bass: &[(ONE_THREE, Way::Broken, 2)],
        comp: &[(BACKBEATS, Way::Block, 3)],
        cells: &[SYNCOPATED, HALVES, &[0.5, 1.0, 1.0, 1.0, 0.5], BEAT, LONG_DOTTED, RESTED],
        ..PLAIN
    },
    Idiom {
        name: "swing",
        bpm: (96.0, 178.0),
        swing: (0.58, 0.69),
        bass: &[(FOUR, Way::Walking, 1), (ONE_THREE, Way::Broken, 2)],
        comp: &[
            (&[0.0, 1.5], Way::Block, 3),
            (&[1.5, 3.5], Way::Block, 3),
            (BACKBEATS, Way::Block, 3),
            (FOUR, Way::Block, 3),
        ],
        kit: &[(RIDE, &[0.0, 1.0, 1.5, 2.0, 3.0, 3.5]), (FOOT, BACKBEATS), (KICK, FOUR)],
        drums: 0.75,
        cells: &[HALVES, BEAT, LONG_DOTTED, SYNCOPATED, LONG, RESTED, &[-1.0, 1.0]],
        ..PLAIN
    },
    Idiom {
        name: "big beat in threes",
        division: 3,
        bpm: (70.0, 150.0),
        bass: &[(SHUFFLED, Way::Broken, 4), (FOUR, Way::Walking, 1), (ONE_THREE, Way::Broken, 1)],
        comp: &[(SHUFFLED, Way::Block, 3), (TWELVE, Way::Broken, 6), (BACKBEATS, Way::Block, 3)],
        kit: &[(HAT, SHUFFLED), (SNARE, BACKBEATS), (KICK, ONE_THREE)],
        drums: 0.7,
        cells: &[JIG, BEAT, TRIPLET, LONG, &[-TWO_THIRDS, THIRD]],
        ..PLAIN
    },
    Idiom {
        name: "broken chords",
        bpm: (66.0, 150.0),
        bass: &[(&[0.0], Way::Broken, 1), (ONE_THREE, Way::Broken, 2)],
        comp: &[(EIGHTHS, Way::Broken, 4), (SIXTEEN, Way::Broken, 4), (EIGHTHS, Way::Broken, 8)],
        cells: &[BEAT, HALVES, LONG_DOTTED, DOTTED, LONG, QUARTERS, LONG_SHORT_SHORT],
        ..PLAIN
    },
    Idiom {
        name: "triplets under a song",
        division: 3,
        bpm: (61.0, 96.0),
        bass: &[(&[0.0], Way::Broken, 1), (ONE_THREE, Way::Broken, 1)],
        comp: &[(TWELVE, Way::Broken, 3), (TWELVE, Way::Block, 3)],
        cells: &[BEAT, DOTTED, LONG, LONG_DOTTED, &[-1.0], HALVES],
        ..PLAIN
    },
    Idiom {
        name: "dotted throughout",
        bpm: (61.0, 118.0),
        bass: &[
            (&[0.0, 0.75, 1.0, 1.75, 2.0, 2.75, 3.0, 3.75], Way::Broken, 2),
            (ONE_THREE, Way::Broken, 2),
            (FOUR, Way::Walking, 1),
        ],
        comp: &[
            (&[0.0, 0.75, 1.0, 1.75, 2.0, 2.75, 3.0, 3.75], Way::Block, 3),
            (FOUR, Way::Block, 3),
            (BACKBEATS, Way::Block, 3),
        ],
        kit: &[(SNARE, &[0.0, 0.75, 1.0, 1.75, 2.0, 2.75, 3.0, 3.75]), (KICK, ONE_THREE)],
        drums: 0.25,
        cells: &[DOTTED, DOTTED, LONG_DOTTED, BEAT, SNAPPED],
        ..PLAIN
    },
    Idiom {
        name: "dotted in two",
        metre: 2,
        bpm: (61.0, 120.0),
        bass: &[(&[0.0, 1.0], Way::Broken, 2), (&[0.0], Way::Broken, 1)],
        comp: &[(&[0.5, 1.5], Way::Block, 3), (&[0.0, 0.75, 1.0, 1.75], Way::Block, 3)],
        cells: &[DOTTED, DOTTED, SNAPPED, HALVES, BEAT],
        ..PLAIN
    },
    Idiom {
        name: "jig",
        metre: 2,
        division: 3,
        bpm: (84.0, 150.0),
        bass: &[(&[0.0, 1.0], Way::Broken, 2), (&[0.0], Way::Broken, 1)],
        comp: &[
            (&[TWO_THIRDS, 1.0 + TWO_THIRDS], Way::Block, 3),
            (&[THIRD, TWO_THIRDS, 1.0 + THIRD, 1.0 + TWO_THIRDS], Way::Block, 3),
            (SIX, Way::Broken, 3),
        ],
        kit: &[(KICK, &[0.0, 1.0]), (TAMBOURINE, SIX)],
        drums: 0.2,
        cells: &[TRIPLET, JIG, BEAT, JIG_DOTTED],
        ..PLAIN
    },
    Idiom {
        name: "cradle song",
        metre: 2,
        division: 3,
        bpm: (61.0, 84.0),
        bass: &[(&[0.0, 1.0], Way::Broken, 2), (&[0.0], Way::Broken, 1)],
        comp: &[(SIX, Way::Broken, 3), (&[THIRD, TWO_THIRDS, 1.0 + THIRD, 1.0 + TWO_THIRDS], Way::Block, 3)],
        cells: &[JIG_DOTTED, JIG, BEAT, LONG, TRIPLET],
        ..PLAIN
    },
    Idiom {
        name: "slow twelve",
        division: 3,
        bpm: (61.0, 80.0),
        bass: &[(ONE_THREE, Way::Broken, 1), (FOUR, Way::Broken, 2)],
        comp: &[(TWELVE, Way::Block, 3), (TWELVE, Way::Broken, 6)],
        kit: &[(HAT, TWELVE), (SNARE, BACKBEATS), (KICK, &[0.0, 2.0, 1.0 + TWO_THIRDS])],
        drums: 0.5,
        cells: &[BEAT, JIG, TRIPLET, LONG],
        ..PLAIN
    },
    Idiom {
        name: "habanera",
        metre: 2,
        bpm: (61.0, 112.0),
        bass: &[(&[0.0, 0.75, 1.0, 1.5], Way::Broken, 4), (&[0.0, 0.75, 1.5], Way::Broken, 2)],
        comp: &[(&[0.75, 1.0, 1.5], Way::Block, 3), (&[0.0, 0.5, 1.0, 1.5], Way::Block, 3)],
        cells: &[DOTTED, TRIPLET, HALVES, BEAT, QUICK_SYNCOPATED],
        ..PLAIN
    },
    Idiom {
        name: "five strokes in two bars",
        bpm: (104.0, 150.0),
        bass: &[(&[0.0, 1.5, 2.0, 3.5], Way::Broken, 2), (ONE_THREE, Way::Broken, 2)],
        comp: &[(&[0.0, 1.0, 2.5, 3.5, 5.0, 6.5], Way::Block, 3), (THREES, Way::Block, 3)],
        kit: &[(RIM, &[0.0, 1.5, 3.0, 5.0, 6.5]), (KICK, &[0.0, 1.5, 2.0, 3.5]), (SHAKER, EIGHTHS)],
        drums: 0.6,
        cells: &[SYNCOPATED, LONG_DOTTED, BEAT, HALVES, &[-0.5, 1.0, 0.5], LONG],
        ..PLAIN
    },
    Idiom {
        name: "invention",
        bpm: (61.0, 104.0),
        bass: &[],
        comp: &[],
        cells: &[QUARTERS, LONG_SHORT_SHORT, SHORT_SHORT_LONG, HALVES, BEAT, &[-0.25, 0.25, 0.25, 0.25]],
        ..PLAIN
    },
    Idiom {
        name: "invention in three",
        metre: 3,
        bpm: (72.0, 130.0),
        bass: &[],
        comp: &[],
        cells: &[QUARTERS, HALVES, HALVES, BEAT, LONG],
        ..PLAIN
    },
    Idiom {
        name: "quartet",
        bpm: (72.0, 150.0),
        bass: &[
            (&[0.0], Way::Broken, 1),
            (ONE_THREE, Way::Broken, 2),
            (FOUR, Way::Broken, 1),
            (EIGHTHS, Way::Broken, 1),
        ],
        comp: &[
            (EIGHTHS, Way::Block, 3),
            (&[0.5, 1.0, 1.5, 2.5, 3.0, 3.5], Way::Block, 3),
            (&[1.0, 2.0, 3.0], Way::Block, 3),
            (ONE_THREE, Way::Block, 3),
        ],
        cells: &[BEAT, LONG, HALVES, DOTTED, LONG_DOTTED, QUARTERS, &[-1.0], RESTED, TRIPLET],
        ..PLAIN
    },
    Idiom {
        name: "gallop",
        metre: 2,
        bpm: (110.0, 170.0),
        bass: &[(&[0.0, 0.5, 0.75, 1.0, 1.5, 1.75], Way::Broken, 1), (&[0.0, 1.0], Way::Broken, 2)],
        comp: &[(&[0.0, 0.5, 0.75, 1.0, 1.5, 1.75], Way::Block, 3), (&[0.5, 0.75, 1.5, 1.75], Way::Block, 3)],
        kit: &[(SNARE, &[0.0, 0.5, 0.75, 1.0, 1.5, 1.75]), (KICK, &[0.0, 1.0])],
        drums: 0.4,
        cells: &[LONG_SHORT_SHORT, BEAT, HALVES, LONG],
        ..PLAIN
    },
    Idiom {
        name: "straight eighths",
        bpm: (96.0, 178.0),
        bass: &[(EIGHTHS, Way::Broken, 1), (&[0.0, 1.5, 2.0, 3.5], Way::Broken, 1)],
        comp: &[(EIGHTHS, Way::Block, 3), (THREES, Way::Block, 3), (&[0.0, 1.5, 2.5], Way::Block, 3)],
        kit: &[(KICK, &[0.0, 2.0, 2.5]), (SNARE, BACKBEATS), (HAT, EIGHTHS)],
        drums: 0.85,
        cells: &[HALVES, BEAT, SYNCOPATED, LONG_DOTTED, LONG],
        ..PLAIN
    },
    Idiom {
        name: "ballad",
        bpm: (61.0, 96.0),
        bass: &[(&[0.0, 1.5, 2.0], Way::Broken, 1), (ONE_THREE, Way::Broken, 1), (&[0.0], Way::Broken, 1)],
        comp: &[(EIGHTHS, Way::Broken, 8), (&[0.0], Way::Block, 3), (EIGHTHS, Way::Block, 3)],
        kit: &[(KICK, &[0.0, 1.5, 2.0]), (SNARE, BACKBEATS), (HAT, EIGHTHS)],
        drums: 0.6,
        cells: &[HALVES, LONG_DOTTED, QUICK_SYNCOPATED, BEAT, LONG_SHORT_SHORT, RESTED, LONG],
        ..PLAIN
    },
    Idiom {
        name: "running quarters of a beat",
        bpm: (76.0, 116.0),
        bass: &[(&[0.0, 0.75, 1.5, 2.0, 2.75, 3.5], Way::Broken, 2), (&[0.0, 0.25, 1.75, 2.5], Way::Broken, 1)],
        comp: &[(&[0.5, 1.25, 1.75, 2.5, 3.25, 3.75], Way::Block, 3), (SIXTEEN, Way::Broken, 4)],
        kit: &[(KICK, &[0.0, 0.75, 2.5]), (SNARE, BACKBEATS), (HAT, SIXTEEN)],
        drums: 0.85,
        cells: &[QUICK_SYNCOPATED, &[0.75, 0.75, 0.5], QUARTERS, HALVES, RESTED],
        ..PLAIN
    },
    Idiom {
        name: "octaves",
        bpm: (104.0, 140.0),
        bass: &[(EIGHTHS, Way::Broken, 2)],
        comp: &[(OFFBEATS, Way::Block, 3), (&[0.0], Way::Block, 3)],
        kit: &[(KICK, FOUR), (OPEN, OFFBEATS), (SNARE, BACKBEATS)],
        drums: 0.9,
        cells: &[HALVES, SYNCOPATED, BEAT, LONG_DOTTED, LONG],
        ..PLAIN
    },
    Idiom {
        name: "off the beat",
        bpm: (66.0, 150.0),
        bass: &[
            (&[0.0, 1.5, 2.0, 3.0], Way::Broken, 2),
            (&[0.5, 1.0, 2.0, 3.5], Way::Broken, 1),
            (FOUR, Way::Walking, 1),
        ],
        comp: &[(OFFBEATS, Way::Block, 3), (&[0.5, 0.75, 1.5, 2.5, 2.75, 3.5], Way::Block, 3)],
        kit: &[(KICK, &[2.0]), (RIM, &[2.0]), (HAT, OFFBEATS)],
        drums: 0.6,
        cells: &[HALVES, SYNCOPATED, BEAT, RESTED, LONG],
        ..PLAIN
    },
    Idiom {
        name: "three three two",
        bpm: (88.0, 165.0),
        bass: &[(THREES, Way::Broken, 1), (&[0.0, 1.5, 3.0], Way::Broken, 3)],
        comp: &[(EIGHTHS, Way::Block, 3), (EIGHTHS, Way::Broken, 3), (THREES, Way::Block, 3)],
        kit: &[(KICK, THREES), (SNARE, BACKBEATS), (HAT, EIGHTHS)],
        drums: 0.5,
        cells: &[&[1.5, 1.5, 1.0], BEAT, HALVES, LONG],
        ..PLAIN
    },
    Idiom {
        name: "chase",
        bpm: (84.0, 165.0),
        bass: &[(EIGHTHS, Way::Broken, 1), (ONE_THREE, Way::Broken, 1), (&[0.0], Way::Broken, 1)],
        comp: &[(SIXTEEN, Way::Block, 3), (EIGHTHS, Way::Block, 3), (&[0.0, 0.75, 1.5, 2.0, 2.75, 3.5], Way::Block, 3)],
        kit: &[(47, &[0.0, 0.75, 1.5, 2.0, 3.0]), (KICK, FOUR), (49, &[0.0])],
        drums: 0.4,
        cells: &[LONG, LONGER, BEAT, DOTTED, LONG_DOTTED],
        ..PLAIN
    },
    Idiom {
        name: "hymn",
        bpm: (63.0, 116.0),
        bass: &[(FOUR, Way::Walking, 1)],
        comp: &[(FOUR, Way::Block, 3)],
        cells: &[BEAT, BEAT, HALVES, LONG, LONG_DOTTED],
        ..PLAIN
    },
    Idiom {
        name: "hymn in three",
        metre: 3,
        bpm: (72.0, 130.0),
        bass: &[(&[0.0, 1.0, 2.0], Way::Walking, 1), (&[0.0, 2.0], Way::Broken, 2)],
        comp: &[(&[0.0, 1.0, 2.0], Way::Block, 3), (&[0.0, 2.0], Way::Block, 3)],
        cells: &[BEAT, &[2.0, 1.0], LONG_DOTTED, HALVES, LONGER],
        ..PLAIN
    },
    Idiom {
        name: "running in two",
        metre: 2,
        bpm: (72.0, 150.0),
        bass: &[(&[0.0, 0.5, 1.0, 1.5], Way::Broken, 1), (&[0.0, 1.0], Way::Broken, 2), (&[0.0], Way::Broken, 1)],
        comp: &[(EIGHT, Way::Broken, 4), (&[0.5, 1.5], Way::Block, 3), (&[0.0, 0.5, 1.0, 1.5], Way::Block, 3)],
        cells: &[QUARTERS, HALVES, LONG_SHORT_SHORT, BEAT, LONG],
        ..PLAIN
    },
];

impl Idiom {
    /// The frame of a free improvisation, made the idiom's.
    pub(crate) fn frame(&self, free: Style, rng: &mut impl Rng) -> Style {
        let bpm = rng.random_range(self.bpm.0..self.bpm.1 - 0.5);
        let swing = if self.swing.1 > self.swing.0 { rng.random_range(self.swing.0..self.swing.1) } else { 0.5 };
        Style { metre: self.metre, division: self.division, bpm: (bpm, bpm + 0.5), swing, ..free }
    }

    pub(crate) fn has_drums(&self, rng: &mut impl Rng) -> bool {
        rng.random_bool(self.drums)
    }

    pub(crate) fn kit(&self, player: &mut Improviser) -> Vec<(i32, Figure)> {
        let mut kit = Vec::new();
        for (key, at) in self.kit {
            // Somebody leaves something out in every other song.
            if player.rng.random_bool(0.85) {
                kit.push((*key, self.figure(player, &(at, Way::Block, 1))));
            }
        }
        kit
    }

    pub(crate) fn bass(&self, player: &mut Improviser) -> Figure {
        match self.bass.choose(&mut player.rng) {
            Some(ground) => self.figure(player, ground),
            None => {
                let strokes =
                    self.bar(player).into_iter().chain(self.bar(player).into_iter().map(|s| s.later(self.metre)));
                Figure { strokes: strokes.collect(), bars: 2, way: Way::Walking, cycle: 1 }
            }
        }
    }

    pub(crate) fn comp(&self, player: &mut Improviser) -> Figure {
        self.comp.choose(&mut player.rng).map(|ground| self.figure(player, ground)).unwrap_or_default()
    }

    fn figure(&self, player: &Improviser, (at, way, cycle): &Ground) -> Figure {
        let metre = f64::from(self.metre);
        let bars = at.iter().fold(0.0f64, |m, v| m.max(*v)).div_euclid(metre) + 1.0;
        let next = at.iter().skip(1).copied().chain([bars * metre]);
        let strokes = at.iter().zip(next).map(|(at, next)| Stroke {
            at: *at,
            long: ((next - at) * 0.8).clamp(0.1, 2.0),
            loud: player.loudness(*at),
        });
        Figure { strokes: strokes.collect(), bars: bars as u32, way: *way, cycle: *cycle }
    }

    /// A bar's rhythm, of cells.
    fn bar(&self, player: &mut Improviser) -> Vec<Stroke> {
        let end = f64::from(self.metre);
        let mut strokes = Vec::new();
        let mut at = 0.0;
        while at < end - 0.01 {
            let fits = |cell: &&&[f64]| cell.iter().map(|v| v.abs()).sum::<f64>() <= end - at + 0.01;
            let fitting: Vec<&&[f64]> = self.cells.iter().filter(fits).collect();
            let cell = fitting.choose(&mut player.rng).map_or(BEAT, |c| **c);
            for length in cell {
                if *length > 0.0 {
                    strokes.push(Stroke { at, long: length * 0.9, loud: player.loudness(at) });
                }
                at += length.abs();
            }
        }
        strokes
    }

    /// Bars that return, a long note at the end, and at times an upbeat.
    pub(crate) fn melody(&self, player: &mut Improviser) -> Vec<(Stroke, i32)> {
        let end = f64::from(self.metre);
        let (a, b) = (self.bar(player), self.bar(player));
        let rest = if player.rng.random_bool(0.5) { 1.0f64.min(end - 1.0) } else { 0.0 };
        let last = vec![Stroke { at: 0.0, long: (end - rest) * 0.9, loud: 1.0 }];
        let form: &[&Vec<Stroke>] = match player.rng.random_range(0..6) {
            0 => &[&a, &a, &b, &last],
            1 => &[&a, &b, &a, &last],
            2 => &[&a, &b],
            3 => &[&a, &b, &a, &b],
            4 => &[&a, &last],
            _ => &[&a, &a, &a, &last],
        };
        let mut strokes: Vec<Stroke> = form
            .iter()
            .enumerate()
            .flat_map(|(bar, of)| of.iter().map(move |s| s.later(bar as u32 * self.metre)))
            .collect();
        if player.rng.random_bool(0.35) {
            // The last beat of the last bar, or its second half, leads into the first.
            let from = if player.rng.random_bool(0.6) { -1.0 } else { -0.5 };
            let full = end * form.len() as f64;
            strokes.retain(|s| s.at < full + from - 0.01);
            let halves: &[f64] = if from < -0.9 && player.rng.random_bool(0.4) { &[-1.0, -0.5] } else { &[from] };
            for (i, at) in halves.iter().enumerate() {
                let next = halves.get(i + 1).copied().unwrap_or(0.0);
                strokes.insert(i, Stroke { at: *at, long: (next - at) * 0.9, loud: player.loudness(*at) });
            }
        }
        let mut step = 0;
        strokes
            .into_iter()
            .map(|stroke| {
                let now = step;
                step = (step + player.rng.random_range(-2..=2)).clamp(-4, 6);
                (stroke, now)
            })
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Composition;

    #[test]
    fn what_idioms_are_made_of_fits_their_bars() {
        for idiom in IDIOMS {
            let (name, metre) = (idiom.name, f64::from(idiom.metre));
            assert!(!name.is_empty());
            assert!(idiom.bpm.0 >= 60.0 && idiom.bpm.1 <= 180.0 && idiom.bpm.0 + 5.0 < idiom.bpm.1, "{name}");
            for (strokes, ..) in idiom.bass.iter().chain(idiom.comp) {
                assert!(strokes.windows(2).all(|w| w[0] < w[1]), "{name}: {strokes:?}");
                assert!(strokes.iter().all(|at| (0.0..2.0 * metre).contains(at)), "{name}: {strokes:?}");
            }
            for (key, strokes) in idiom.kit {
                assert!((27..88).contains(key), "{name}: no instrument is on {key}");
                assert!(strokes.iter().all(|at| (0.0..2.0 * metre).contains(at)), "{name}: {strokes:?}");
            }
            for cell in idiom.cells {
                let long: f64 = cell.iter().map(|v| v.abs()).sum();
                assert!((long - long.round()).abs() < 1e-9 && long > 0.9, "{name}: {cell:?}");
            }
            assert!(idiom.cells.iter().any(|c| c.iter().map(|v| v.abs()).sum::<f64>() < 1.01), "{name}: one fits");
        }
        let names: std::collections::HashSet<&str> = IDIOMS.iter().map(|i| i.name).collect();
        assert_eq!(names.len(), IDIOMS.len());
    }

    #[test]
    fn a_piece_keeps_its_custom() {
        for (i, idiom) in IDIOMS.iter().enumerate() {
            let piece = Composition::in_idiom(i as u64);
            let (truth, name) = (&piece.truth, &piece.name);
            assert!(name.starts_with(idiom.name), "{name}");
            assert_eq!(truth.metre, idiom.metre, "{name}");
            let upbeat = truth.beats.iter().position(|b| *b == truth.downbeats[0]).expect("on a beat");
            assert_eq!(truth.downbeats.len(), (truth.beats.len() - upbeat).div_ceil(truth.metre as usize), "{name}");
            assert!(piece.notes.len() > 60 && (30.0..90.0).contains(&piece.seconds), "{name}: {}", piece.seconds);
            assert!(idiom.drums > 0.0 || piece.notes.iter().all(|n| n.channel != 9), "{name} has no drums");
        }
        assert_eq!(Composition::in_idiom(5).fingerprint(), Composition::in_idiom(5).fingerprint());
        assert_ne!(
            Composition::in_idiom(5).fingerprint(),
            Composition::in_idiom(5 + IDIOMS.len() as u64).fingerprint()
        );
    }

    /// Most bars of a march have a bass note on the one and on the three, and chords between them.
    #[test]
    fn a_march_has_its_bass_on_the_strong_beats() {
        let march = IDIOMS.iter().position(|i| i.name == "march").expect("a march") as u64;
        let (mut strong, mut weak) = (0, 0);
        for round in 0..8 {
            let piece = Composition::in_idiom(march + round * IDIOMS.len() as u64);
            let beats = &piece.truth.beats;
            let first = beats.iter().position(|b| *b == piece.truth.downbeats[0]).expect("on a beat");
            for note in piece.notes.iter().filter(|n| n.channel == 0) {
                if let Some(beat) = beats.iter().position(|b| (b - note.at).abs() < 0.03) {
                    let even = (beat + 4 - first) % 2 == 0;
                    *if even { &mut strong } else { &mut weak } += 1;
                }
            }
        }
        assert!(strong > 100 && weak * 8 < strong, "{strong} on strong beats, {weak} on weak ones");
    }
}
