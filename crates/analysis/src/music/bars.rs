//! Metre and downbeats.
//!
//! A hidden Markov model over metre and position in the bar is decoded along the beats (Viterbi), so that a doubtful bar
//! follows its neighbours, and a bar of another length is possible but costs. Observations of a downbeat are the activations
//! of two networks ([`super::activations`], [`super::beat_sync`]), a change of harmony, and a new timbre; in four, snare or
//! clap stand on the second and fourth beat.

use super::TrackFeatures;
use super::activations::Activations;
use super::beat_sync::BeatLogOdds;
use super::network::log_odds;
use super::onsets::strongest;
use super::sequence::CandidateBeat;
use super::spectrum::{FRAME_RATE, PitchClasses};

const METRES: [usize; 3] = [2, 3, 4];

/// Observations of a downbeat: a change of harmony, a new timbre, and the log odds of the network over time and of the one
/// over beats.
const OBSERVATIONS: usize = 4;
/// Lower clamp of a downbeat probability.
const PROBABILITY_FLOOR: f64 = 0.04;

/// The weights of the observations, and the costs of transitions that leave the count.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Weights {
    /// Of a downbeat: a change of harmony.
    pub harmony: f64,
    /// Of a downbeat: a new timbre.
    pub timbre: f64,
    /// Of a downbeat: the log odds of the networks over time.
    pub activation: f64,
    /// Of a downbeat: the log odds of the network over beats.
    pub beat_sync: f64,
    /// The snare: for the second and fourth beat of four.
    pub backbeat: f64,
    /// The cost of a downbeat before the bar is full.
    pub irregular: f64,
    /// The cost of another metre from one bar to the next.
    pub other_metre: f64,
    /// The score of a beat in a bar of two: these are rarer than bars of four.
    pub duple: f64,
    /// The same in a bar of three.
    pub triple: f64,
    /// The score of a first beat that is a downbeat: most pieces begin with a bar, others with an upbeat, and that is seldom
    /// longer than a beat.
    pub start: f64,
    /// The score of a first beat that is the last of its bar.
    pub upbeat: f64,
}

/// Fitted by `research` (`--bench bars`) on the pieces with the fitted seeds, but for some that were then set by hand: these
/// pieces have fewer passages that begin with something new than songs, and more bars of two; in them the
/// networks are surer than elsewhere, having learnt from their like; and what leaves the count may cost less than where
/// nothing ever leaves it.
pub const WEIGHTS: Weights = Weights {
    harmony: 3.0,
    timbre: 2.0,
    activation: 0.50,
    beat_sync: 0.50,
    backbeat: 0.50,
    irregular: 60.0,
    other_metre: 60.0,
    duple: -2.6,
    triple: -1.05,
    start: 6.0,
    upbeat: 2.5,
};

impl Weights {
    fn downbeat(&self) -> [f64; OBSERVATIONS] {
        [self.harmony, self.timbre, self.activation, self.beat_sync]
    }
}

/// `duple` where each beat has three parts, quick and slow.
const TWO_OF_THREE: (f64, f64) = (-1.0, -1.5);

/// Where each beat stands: the length of its bar and its position, from 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BarPosition {
    pub metre: usize,
    pub position: usize,
}

pub struct BarDecoding {
    pub positions: Vec<BarPosition>,
    /// The mean score a beat.
    pub mean_score: f64,
}

/// What is observed at each beat, as z-scores and log odds: what speaks for a downbeat, and the snare.
pub struct BeatObservations {
    downbeat: Vec<[f64; OBSERVATIONS]>,
    snare: Vec<f64>,
    /// The mean log odds (natural) that these beats are the tactus.
    pub tactus: f64,
}

impl BeatObservations {
    pub(super) fn of(beats: &[CandidateBeat], features: &TrackFeatures) -> Self {
        let TrackFeatures { spectrum, onsets, activations, bass: notes } = features;
        let n = beats.len();
        let gap = if n > 1 { (beats[n - 1].at - beats[0].at) / (n - 1) as f64 } else { 0.5 };
        let after = |i: usize| beats.get(i + 1).map_or(beats[i].at + gap, |b| b.at);
        let chroma: Vec<PitchClasses> =
            (0..n).map(|i| spectrum.mean_chroma(beats[i].at + 0.03, after(i) - 0.02)).collect();
        let timbre: Vec<Vec<f64>> = (0..n).map(|i| spectrum.mean_bands(beats[i].at, after(i), 16)).collect();
        let snare = z_scores((0..n).map(|i| {
            let at = beats[i].at;
            near(&onsets.ranges[2], at) + near(&onsets.ranges[3], at) - near(&onsets.ranges[0], at)
        }));
        let harmony = z_scores((0..n).map(|i| {
            let alike = |a: usize, b: usize| chroma[a].iter().zip(&chroma[b]).map(|(x, y)| x * y).sum::<f64>();
            let one = if i > 0 { 1.0 - alike(i - 1, i) } else { 0.0 };
            let two = if i > 1 && i + 1 < n { 1.0 - alike(i - 2, i).max(alike(i - 1, i + 1)) } else { one };
            one + two
        }));
        // What is new against the bars before: sections begin on a downbeat.
        let news = z_scores((0..n).map(|i| {
            if i < 8 || i + 8 > n {
                return 0.0;
            }
            (0..16)
                .map(|d| {
                    let mean = |r: std::ops::Range<usize>| timbre[r].iter().map(|t| t[d]).sum::<f64>() / 8.0;
                    (mean(i..i + 8) - mean(i - 8..i)).abs()
                })
                .sum()
        }));
        let news = peaks(&news);
        let odds = |at: f64| {
            let (down, beat) =
                (Activations::peak_near(&activations.downbeats, at), Activations::peak_near(&activations.beats, at));
            log_odds(down / beat.max(down).max(PROBABILITY_FLOOR), PROBABILITY_FLOOR)
        };
        let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
        let beat_sync = BeatLogOdds::of(&times, spectrum, onsets, notes);
        let downbeat = (0..n).map(|i| [harmony[i], news[i], odds(beats[i].at), beat_sync.downbeat[i]]).collect();
        let tactus = beat_sync.tactus.iter().sum::<f64>() / n.max(1) as f64;
        Self { downbeat, snare, tactus }
    }

    /// The score of each beat as a downbeat.
    fn downbeat_scores(&self, weights: &Weights) -> Vec<f64> {
        self.downbeat
            .iter()
            .map(|observations| observations.iter().zip(weights.downbeat()).map(|(h, w)| h * w).sum())
            .collect()
    }
}

/// How much stronger the snare must be on the even beats around than on the odd ones, in deviations.
const BACKBEAT_STANDS_OUT: f64 = 0.5;
/// Beats to each side that are looked at.
const BACKBEAT_REACH: usize = 4;
/// How many of the even beats before or after, itself included, must be marked too.
const BACKBEAT_LASTS: usize = 3;

/// Which beats are backbeats: the second of two, the second and fourth of four, where snare or clap mark them and go on
/// doing so. A stroke here and there, as an orchestra's, makes no backbeat.
pub fn backbeats(observations: &BeatObservations, positions: &[BarPosition]) -> Vec<bool> {
    let off = |p: &BarPosition| p.metre.is_multiple_of(2) && !p.position.is_multiple_of(2);
    let marked: Vec<bool> = (0..positions.len())
        .map(|i| {
            let around = i.saturating_sub(BACKBEAT_REACH)..(i + BACKBEAT_REACH + 1).min(positions.len());
            let mean = |wanted: bool| {
                let values: Vec<f64> =
                    around.clone().filter(|k| off(&positions[*k]) == wanted).map(|k| observations.snare[k]).collect();
                values.iter().sum::<f64>() / values.len().max(1) as f64
            };
            let (even, odd) = (mean(true), mean(false));
            // A bar beside a passage with a snare has none itself.
            off(&positions[i]) && even - odd > BACKBEAT_STANDS_OUT && observations.snare[i] > odd
        })
        .collect();
    (0..positions.len())
        .map(|i| {
            let before = i.saturating_sub(2 * BACKBEAT_REACH - 1)..i + 1;
            let after = i..(i + 2 * BACKBEAT_REACH).min(positions.len());
            let lasts = |range: std::ops::Range<usize>| marked[range].iter().filter(|m| **m).count() >= BACKBEAT_LASTS;
            marked[i] && (lasts(before) || lasts(after))
        })
        .collect()
}

/// Decodes the most probable metre and position of each beat.
pub fn decode_bars(observations: &BeatObservations, weights: &Weights, ternary: bool, bpm: f64) -> BarDecoding {
    let downs = observations.downbeat_scores(weights);
    let score = |i: usize, to: &BarPosition| {
        let down = if to.position == 0 { downs[i] } else { -downs[i] / (to.metre - 1) as f64 };
        let snare = if to.position % 2 == 1 { observations.snare[i] } else { -observations.snare[i] };
        if to.metre == 4 { down + weights.backbeat * snare } else { down }
    };
    let states: Vec<BarPosition> =
        METRES.iter().flat_map(|metre| (0..*metre).map(|position| BarPosition { metre: *metre, position })).collect();
    let prior = |s: &BarPosition| {
        let own = match s.metre {
            2 => weights.duple,
            3 => weights.triple,
            _ => 0.0,
        };
        // Two beats of two parts are hard to tell from four. Of three parts each, two are as common as four where
        // they are quick (6/8), and four where they are slow (12/8).
        match (ternary, s.metre) {
            (true, 2) if bpm >= 88.0 => TWO_OF_THREE.0,
            (true, 2) => TWO_OF_THREE.1,
            _ => own,
        }
    };
    let start = |s: &BarPosition| match s.position {
        0 => weights.start,
        position if position + 1 == s.metre => weights.upbeat,
        _ => 0.0,
    };
    let n = downs.len();
    let mut scores: Vec<f64> = vec![0.0; states.len()];
    let mut from: Vec<Vec<usize>> = Vec::with_capacity(n);
    for i in 0..n {
        let mut next = vec![f64::MIN; states.len()];
        let mut came = vec![0; states.len()];
        for (k, to) in states.iter().enumerate() {
            for (j, before) in states.iter().enumerate() {
                let follows = (before.position + 1) % before.metre == to.position;
                let cost = match (before.metre == to.metre, follows) {
                    _ if i == 0 && j == k => 0.0,
                    _ if i == 0 => f64::MAX,
                    (true, true) => 0.0,
                    (true, false) if to.position == 0 => weights.irregular,
                    (false, _) if to.position == 0 && before.position + 1 == before.metre => weights.other_metre,
                    _ => f64::MAX,
                };
                if cost < f64::MAX && scores[j] - cost > next[k] {
                    next[k] = scores[j] - cost;
                    came[k] = j;
                }
            }
            next[k] += score(i, to) + prior(to) + if i == 0 { start(to) } else { 0.0 };
        }
        scores = next;
        from.push(came);
    }
    let best = (0..states.len()).max_by(|a, b| scores[*a].total_cmp(&scores[*b])).unwrap_or(0);
    let mut at = best;
    let mut positions = Vec::with_capacity(n);
    for came in from.iter().rev() {
        positions.push(states[at]);
        at = came[at];
    }
    positions.reverse();
    BarDecoding { positions, mean_score: scores[best] / n.max(1) as f64 }
}

fn near(values: &[f32], at: f64) -> f64 {
    strongest(values, FRAME_RATE, at, 3)
}

/// Only where a value is the greatest within four on both sides.
fn peaks(values: &[f64]) -> Vec<f64> {
    (0..values.len())
        .map(|i| {
            let around = &values[i.saturating_sub(4)..(i + 5).min(values.len())];
            if around.iter().all(|v| *v <= values[i]) { values[i].max(0.0) } else { 0.0 }
        })
        .collect()
}

/// Zero mean, unit deviation, and no value beyond three deviations.
fn z_scores(values: impl Iterator<Item = f64>) -> Vec<f64> {
    let values: Vec<f64> = values.collect();
    let n = values.len().max(1) as f64;
    let mean = values.iter().sum::<f64>() / n;
    let deviation = (values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / n).sqrt().max(1e-9);
    values.iter().map(|v| ((v - mean) / deviation).clamp(-3.0, 3.0)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Beats of which every `metre`th, from `first`, sounds like a downbeat, with a snare on the even ones where asked.
    fn observations(beats: usize, metre: usize, first: usize, snare: bool) -> BeatObservations {
        let one = |i: usize| i % metre == first;
        let downbeat = (0..beats).map(|i| [if one(i) { 1.5 } else { -0.5 }; OBSERVATIONS]).collect();
        let off = |i: usize| (i + metre - first) % 2 == 1;
        let snare = (0..beats)
            .map(|i| {
                if snare && off(i) {
                    1.0
                } else if snare {
                    -1.0
                } else {
                    0.0
                }
            })
            .collect();
        BeatObservations { downbeat, snare, tactus: 0.0 }
    }

    fn ones(counted: &BarDecoding) -> Vec<usize> {
        counted.positions.iter().enumerate().filter(|(_, p)| p.position == 0).map(|(i, _)| i).collect()
    }

    #[test]
    fn bars_of_three_and_of_four_begin_where_they_sound_like_it() {
        for (metre, first) in [(4, 0), (4, 3), (3, 0), (3, 2)] {
            let counted = decode_bars(&observations(48, metre, first, false), &WEIGHTS, false, 110.0);
            let wanted: Vec<usize> = (first..48).step_by(metre).collect();
            assert_eq!(ones(&counted), wanted, "{metre} from {first}");
            assert!(counted.positions.iter().all(|p| p.metre == metre && p.position < metre));
        }
    }

    #[test]
    fn an_upbeat_is_one_beat_rather_than_three() {
        let mut doubtful = observations(48, 2, 1, false);
        // Halves of bars that begin as clearly as bars do, and at first even more clearly.
        doubtful.downbeat.iter_mut().for_each(|d| *d = d.map(|v| v / 5.0));
        doubtful.downbeat[3] = doubtful.downbeat[3].map(|v| 1.5 * v);
        let counted = decode_bars(&doubtful, &WEIGHTS, false, 110.0);
        assert_eq!(ones(&counted), (1..48).step_by(4).collect::<Vec<_>>());
    }

    #[test]
    fn bars_of_triple_beats_begin_where_they_sound_like_it() {
        for (metre, bpm) in [(2, 110.0), (2, 70.0), (4, 110.0), (4, 70.0), (3, 96.0)] {
            let counted = decode_bars(&observations(48, metre, 1, false), &WEIGHTS, true, bpm);
            assert_eq!(ones(&counted), (1..48).step_by(metre).collect::<Vec<_>>(), "{metre} at {bpm}");
        }
    }

    #[test]
    fn one_bar_that_sounds_wrong_does_not_move_the_others() {
        let mut odd = observations(64, 4, 0, false);
        odd.downbeat.swap(32, 33);
        let counted = decode_bars(&odd, &WEIGHTS, false, 110.0);
        assert_eq!(ones(&counted), (0..64).step_by(4).collect::<Vec<_>>());
    }

    #[test]
    fn backbeats_are_the_even_beats_where_a_snare_plays_and_only_there() {
        let four = decode_bars(&observations(32, 4, 0, true), &WEIGHTS, false, 110.0);
        let found = backbeats(&observations(32, 4, 0, true), &four.positions);
        assert!(found.iter().enumerate().all(|(i, is)| *is == (i % 2 == 1)), "{found:?}");
        assert!(backbeats(&observations(32, 4, 0, false), &four.positions).iter().all(|is| !is), "nothing plays it");
        let mut half = observations(32, 4, 0, true);
        half.snare[16..].fill(0.0);
        let found = backbeats(&half, &four.positions);
        assert!(found[..12].iter().skip(1).step_by(2).all(|is| *is));
        assert!(found[20..].iter().all(|is| !is), "the snare has stopped: {found:?}");
        let mut strewn = observations(32, 4, 0, false);
        (1..32).step_by(10).for_each(|i| strewn.snare[i] = 2.5);
        let found = backbeats(&strewn, &four.positions);
        assert!(found.iter().all(|is| !is), "a stroke here and there: {found:?}");
        let three = decode_bars(&observations(30, 3, 0, false), &WEIGHTS, false, 110.0);
        assert!(
            backbeats(&observations(30, 3, 0, true), &three.positions).iter().all(|is| !is),
            "three has no backbeat"
        );
    }

    proptest! {
        /// Whatever is observed, a position follows the one before, or a bar begins.
        #[test]
        fn bars_hang_together(values in prop::collection::vec(-3.0f64..3.0, 6..80), ternary: bool, bpm in 60.0f64..180.0) {
            let downbeat = values.iter().map(|v| [*v, -v, v * v - 1.0, -v / 3.0]).collect();
            let observations = BeatObservations { downbeat, snare: values.clone(), tactus: 0.0 };
            let counted = decode_bars(&observations, &WEIGHTS, ternary, bpm);
            prop_assert_eq!(counted.positions.len(), values.len());
            for pair in counted.positions.windows(2) {
                let on = pair[1].metre == pair[0].metre && pair[1].position == (pair[0].position + 1) % pair[0].metre;
                prop_assert!(on || pair[1].position == 0, "{:?}", pair);
            }
            prop_assert_eq!(backbeats(&observations, &counted.positions).len(), values.len());
        }
    }
}
