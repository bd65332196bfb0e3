//! Which of several beat sequences is the tactus, the one that a listener would tap.
//!
//! The same music can be followed at twice or half the speed, off the beat, or at two thirds. Each hypothesis has features of
//! what sounds on its beats and between them, and of how well it decodes into bars; a linear model chooses. It is trained by
//! `research` (`--bench selection`, softmax over the hypotheses of a piece) on pieces that the networks have not seen. Bars
//! are decoded only for hypotheses whose upper bound can still win.

use super::TrackFeatures;
use super::activations::Activations;
use super::bars::{self, BeatObservations, decode_bars};
use super::constant_tempo::Tempogram;
use super::network::{PROBABILITY_FLOOR, log_odds};
use super::onsets::strongest;
use super::sequence::CandidateBeat;
use super::spectrum::{FRAME_RATE, Spectrum};
use legere_core::stats::median_gap;

/// Features of a sequence of beats, each with its trained weight (see above).
macro_rules! features {
    ($($(#[$doc:meta])* $name:ident = $weight:literal,)*) => {
        #[derive(Debug, Clone, Copy, Default, PartialEq)]
        pub struct Features {
            $($(#[$doc])* pub $name: f64,)*
        }

        const WEIGHTS: Features = Features { $($name: $weight,)* };

        impl Features {
            /// In the order of their names above, which is the order of training.
            pub fn to_array(self) -> [f64; [$(stringify!($name)),*].len()] {
                [$(self.$name),*]
            }
        }
    };
}

features! {
    /// Mean onset strength on the beats, and half-way between them; so of bass and treble alone.
    onset_on = 0.04,
    onset_half = 0.28,
    bass_on = 0.10,
    bass_half = 0.18,
    treble_on = 0.15,
    treble_half = 0.35,
    /// Octaves from the tempo that is tapped most, squared and signed.
    tempo_distance_squared = -2.50,
    tempo_distance = -0.30,
    /// How well the beats decode into bars; known late.
    bar_fit = 0.73,
    /// How much more the harmony changes on the beats than between them.
    harmony_on = 1.03,
    /// The share of beats on which something begins; of places between them below.
    support_on = 0.14,
    irregularity = -0.56,
    support_half = 0.18,
    /// How much clearer thirds are than halves, where they are.
    ternary = 7.07,
    /// How much stronger every second beat is than the others.
    alternation = 0.13,
    /// How much the onsets come back after one, two, three and four beats.
    periodicity_1 = 0.37,
    periodicity_2 = 0.07,
    periodicity_3 = 0.33,
    periodicity_4 = 0.37,
    bass_periodicity = -0.39,
    /// Mean activation on the beats, between them, and its share on them.
    activation_on = 1.59,
    activation_half = 0.52,
    activation_mass = 1.51,
    activation_third = -0.58,
    /// Mean logarithm of the activation on the beats.
    log_activation = 0.38,
    /// Log odds of the activation, summed and by time: each beat that is more probable than not speaks for the sequence, each
    /// other against it.
    log_odds_per_second = 0.07,
    /// Mean log odds of the tactus, by the network over beats; known late.
    tactus = 0.51,
    /// How much of the activation keeps to this very tempo, and to its double.
    tempogram = 0.95,
    tempogram_double = 2.53,
}
/// The tempo that is tapped most, in beats a minute.
const PREFERRED_BPM: f64 = 112.0;
/// Upper clamp of `ternary`: where hardly anything else sounds, as with a kick and a hat, it would decide alone.
const CLEARLY_TRIPLE: f64 = 0.25;

/// Upper bound of `bar_fit`: what is weighed there has unit deviation, or is clamped. 3.2 was the most among four thousand
/// hypotheses.
const BAR_FIT_BOUND: f64 = 5.0;
const _: () = assert!(WEIGHTS.bar_fit >= 0.0 && WEIGHTS.tactus >= 0.0, "else the upper bound is none");

/// A sequence of beats and its features.
pub struct Hypothesis {
    pub beats: Vec<CandidateBeat>,
    pub ternary: bool,
    pub features: Features,
}

impl Hypothesis {
    /// Not yet decoded into bars: `bar_fit` and `tactus` are 0.
    pub fn of(beats: Vec<CandidateBeat>, tempogram: &Tempogram, features: &TrackFeatures) -> Self {
        let TrackFeatures { spectrum, onsets, activations, .. } = features;
        let between =
            |share: f64| -> Vec<f64> { beats.windows(2).map(|w| w[0].at + share * (w[1].at - w[0].at)).collect() };
        let on: Vec<f64> = beats.iter().map(|b| b.at).collect();
        let (half, third, two_thirds) = (between(0.5), between(1.0 / 3.0), between(2.0 / 3.0));
        let (quarter, three_quarters) = (between(0.25), between(0.75));
        let all = |times: &[f64]| mean(times, |t| strength_near(&onsets.all, t));
        let bass = |times: &[f64]| mean(times, |t| strength_near(&onsets.ranges[0], t));
        let treble = |times: &[f64]| mean(times, |t| strength_near(&onsets.ranges[3], t));
        let triple = (all(&third) + all(&two_thirds)) / 2.0;
        let double = (all(&half)).max((all(&quarter) + all(&three_quarters)) / 2.0);
        let ternary = triple > 1.15 * double + 0.02;
        let bpm = bpm(&on);
        let seconds = on.last().zip(on.first()).map_or(1.0, |(last, first)| (last - first).max(1.0));
        let hertz = on.len().saturating_sub(1) as f64 / seconds;
        let octaves = (bpm / PREFERRED_BPM).log2();
        let supported = |times: &[f64]| mean(times, |t| if strength_near(&onsets.all, t) > 0.25 { 1.0 } else { 0.0 });
        let tapped = |times: &[f64]| mean(times, |t| Activations::peak_near(&activations.beats, t));
        let likely: Vec<f64> = on
            .iter()
            .map(|t| Activations::peak_near(&activations.beats, *t).clamp(PROBABILITY_FLOOR, 1.0 - PROBABILITY_FLOOR))
            .collect();
        let [one, two, three, four] = periodicity(&onsets.all, &on, [1, 2, 3, 4]);
        let [low_one, low_two] = periodicity(&onsets.ranges[0], &on, [1, 2]);
        let features = Features {
            onset_on: all(&on),
            onset_half: all(&half),
            bass_on: bass(&on),
            bass_half: bass(&half),
            treble_on: treble(&on),
            treble_half: treble(&half),
            tempo_distance_squared: octaves * octaves,
            tempo_distance: octaves,
            harmony_on: harmonic_change(spectrum, &on) - harmonic_change(spectrum, &half),
            support_on: supported(&on),
            irregularity: irregularity(&on),
            support_half: supported(&half),
            ternary: if ternary { (triple - double).min(CLEARLY_TRIPLE) } else { 0.0 },
            alternation: (all(&every_second(&on, 0)) - all(&every_second(&on, 1))).abs(),
            periodicity_1: one,
            periodicity_2: two,
            periodicity_3: three,
            periodicity_4: four,
            bass_periodicity: low_two - low_one,
            activation_on: tapped(&on),
            activation_half: tapped(&half),
            activation_mass: activations.mass_on(&on),
            activation_third: tapped(&third).max(tapped(&two_thirds)),
            log_activation: mean(&likely, f64::ln),
            log_odds_per_second: likely.iter().map(|p| log_odds(*p, PROBABILITY_FLOOR)).sum::<f64>() / seconds,
            tempogram: tempogram.energy_at(hertz).sqrt(),
            tempogram_double: tempogram.energy_at(2.0 * hertz).sqrt(),
            ..Features::default()
        };
        Self { beats, ternary, features }
    }

    /// Decoded into bars, and judged by the network for the tactus.
    pub fn with_bars(mut self, features: &TrackFeatures) -> Self {
        let observations = BeatObservations::of(&self.beats, features);
        let times: Vec<f64> = self.beats.iter().map(|b| b.at).collect();
        self.features.bar_fit = decode_bars(&observations, &bars::WEIGHTS, self.ternary, bpm(&times)).mean_score;
        self.features.tactus = observations.tactus;
        self
    }

    /// The best score that it can have once it is decoded into bars.
    fn upper_bound(&self) -> f64 {
        self.score() + WEIGHTS.bar_fit * BAR_FIT_BOUND + WEIGHTS.tactus * log_odds(1.0, PROBABILITY_FLOOR)
    }

    pub fn score(&self) -> f64 {
        self.features.to_array().iter().zip(WEIGHTS.to_array()).map(|(f, w)| f * w).sum()
    }
}

/// The best of hypotheses that are not yet decoded into bars.
pub fn select_best(mut hypotheses: Vec<Hypothesis>, features: &TrackFeatures) -> Option<Hypothesis> {
    hypotheses.sort_by(|a, b| b.upper_bound().total_cmp(&a.upper_bound()));
    let mut best: Option<Hypothesis> = None;
    for hypothesis in hypotheses {
        let beaten = |by: &Hypothesis| hypothesis.upper_bound() < by.score();
        if best.as_ref().is_some_and(beaten) {
            break;
        }
        let hypothesis = hypothesis.with_bars(features);
        if best.as_ref().is_none_or(|best| hypothesis.score() > best.score()) {
            best = Some(hypothesis);
        }
    }
    best
}

/// Of the middle gap; 120 where there is none.
pub fn bpm(beats: &[f64]) -> f64 {
    60.0 / median_gap(beats).unwrap_or(0.5)
}

/// How alike what begins in each beat is to what begins each of some beats later, −1 to 1: sixteen places of each beat,
/// correlated.
fn periodicity<const N: usize>(strength: &[f32], beats: &[f64], lags: [usize; N]) -> [f64; N] {
    const PLACES: usize = 16;
    let mut heard: Vec<f64> = beats
        .windows(2)
        .flat_map(|w| (0..PLACES).map(move |p| w[0] + (w[1] - w[0]) * p as f64 / PLACES as f64))
        .map(|t| f64::from(strength.get((t * FRAME_RATE).round() as usize).copied().unwrap_or(0.0)))
        .collect();
    let middle = mean(&heard, |v| v);
    heard.iter_mut().for_each(|v| *v -= middle);
    let own = mean(&heard, |v| v * v).max(1e-12);
    lags.map(|lag| {
        let later = heard.get(lag * PLACES..).unwrap_or_default();
        let both: f64 = heard.iter().zip(later).map(|(v, later)| v * later).sum();
        if later.len() > PLACES { both / later.len() as f64 / own } else { 0.0 }
    })
}

/// Beats as far as this from where an even tempo would have them are as uneven as any, in seconds.
const IRREGULAR: f64 = 0.1;

/// How far the beats lie from the straight line through them (least squares), 0–1.
fn irregularity(beats: &[f64]) -> f64 {
    let middle = (beats.len() as f64 - 1.0) / 2.0;
    let centre = mean(beats, |at| at);
    let places: Vec<f64> = (0..beats.len()).map(|i| i as f64 - middle).collect();
    let both: f64 = places.iter().zip(beats).map(|(place, at)| place * (at - centre)).sum();
    let gap = both / places.iter().map(|place| place * place).sum::<f64>().max(1e-9);
    let beside: Vec<f64> = places.iter().zip(beats).map(|(place, at)| at - centre - gap * place).collect();
    (mean(&beside, |by| by * by).sqrt() / IRREGULAR).min(1.0)
}

fn every_second(times: &[f64], from: usize) -> Vec<f64> {
    times.iter().skip(from).step_by(2).copied().collect()
}

/// How much the harmony changes at these times, mean.
fn harmonic_change(spectrum: &Spectrum, times: &[f64]) -> f64 {
    mean(times, |t| {
        let before = spectrum.mean_chroma((t - 0.25).max(0.0), t - 0.03);
        let after = spectrum.mean_chroma(t + 0.04, t + 0.25);
        1.0 - before.iter().zip(&after).map(|(a, b)| a * b).sum::<f64>()
    })
}

fn mean(values: &[f64], of: impl Fn(f64) -> f64) -> f64 {
    values.iter().map(|v| of(*v)).sum::<f64>() / values.len().max(1) as f64
}

fn strength_near(values: &[f32], at: f64) -> f64 {
    strongest(values, FRAME_RATE, at, 2)
}

#[cfg(test)]
mod tests {
    use super::super::{Audio, READING_RATE};
    use super::*;

    const GAP: f64 = 0.5;

    /// Struck chords on each beat, a bass on every fourth, a soft tick between them.
    fn heard() -> TrackFeatures {
        let rate = f64::from(READING_RATE);
        let samples: Vec<f32> = (0..(30.0 * rate) as usize)
            .map(|i| {
                let t = i as f64 / rate;
                let (beat, since) = ((t / GAP) as usize, t % GAP);
                let tone = |hertz: f64| (std::f64::consts::TAU * hertz * t).sin();
                let chord = if beat.is_multiple_of(8) { 440.0 } else { 330.0 + 20.0 * (beat / 4 % 3) as f64 };
                let bass = if beat.is_multiple_of(4) { 0.5 * tone(70.0) * (-since * 9.0).exp() } else { 0.0 };
                let between = 0.1 * tone(4000.0) * (-((t + GAP / 2.0) % GAP) * 70.0).exp();
                (0.3 * tone(chord) * (-since * 12.0).exp() + bass + between) as f32
            })
            .collect();
        TrackFeatures::of(Audio::mono(&samples), &mut |_| ())
    }

    fn row(features: &TrackFeatures, from: f64, gap: f64) -> Hypothesis {
        let beats = (0..)
            .map(|i| CandidateBeat { at: from + f64::from(i) * gap, strength: 0.5 })
            .take_while(|b| b.at < 29.5)
            .collect();
        Hypothesis::of(beats, &Tempogram::of(&features.activations.beats), features)
    }

    #[test]
    fn the_row_on_the_beats_is_chosen_before_those_beside_it() {
        let features = heard();
        let right = row(&features, 0.0, GAP).with_bars(&features);
        assert!(!right.ternary && right.features.to_array().iter().all(|f| f.is_finite()));
        for (name, from, gap) in [
            ("off the beat", GAP / 2.0, GAP),
            ("four thirds", 0.0, 0.75 * GAP),
            ("two thirds", 0.0, 1.5 * GAP),
            ("a fifth too late", 0.2 * GAP, GAP),
        ] {
            let wrong = row(&features, from, gap).with_bars(&features);
            assert!(right.score() > wrong.score() + 1.0, "{name}: {} against {}", wrong.score(), right.score());
        }
    }

    #[test]
    fn the_row_that_is_chosen_is_the_best_of_all() {
        let features = heard();
        let rows = || {
            let ways =
                [(0.2, 0.8), (0.5, 1.0), (0.0, 0.75), (0.0, 1.0), (0.0, 2.0), (0.5, 0.5), (1.0, 2.0), (0.3, 0.7)];
            ways.map(|(from, gap)| row(&features, from * GAP, gap * GAP)).into_iter().collect::<Vec<_>>()
        };
        let (uncounted, counted): (Vec<Hypothesis>, Vec<Hypothesis>) =
            (rows(), rows().into_iter().map(|row| row.with_bars(&features)).collect());
        for (before, after) in uncounted.iter().zip(&counted) {
            assert!(after.features.bar_fit > 0.0 && after.score() <= before.upper_bound(), "{:?}", after.features);
        }
        let best = counted.iter().map(Hypothesis::score).fold(f64::MIN, f64::max);
        assert!(select_best(uncounted, &features).is_some_and(|chosen| chosen.score() == best));
        assert!(select_best(Vec::new(), &features).is_none());
    }

    #[test]
    fn what_comes_back_after_some_beats_is_alike_and_the_rest_is_not() {
        // Every third beat is struck.
        let strength: Vec<f32> = (0..3000).map(|frame| if frame % 150 == 0 { 1.0 } else { 0.0 }).collect();
        let beats: Vec<f64> = (0..59).map(|i| f64::from(i) * GAP).collect();
        let [one, three] = periodicity(&strength, &beats, [1, 3]);
        assert!(three > 0.9 && one < 0.1, "{three} and {one}");
        assert_eq!(periodicity(&strength, &beats[..3], [2]), [0.0], "too few to tell");
    }

    #[test]
    fn beats_are_as_uneven_as_they_stray() {
        let row = |stray: f64| -> Vec<f64> {
            (0..60).map(|i| 3.0 + f64::from(i) * GAP + if i % 2 == 0 { stray } else { -stray }).collect()
        };
        assert!(irregularity(&row(0.0)) < 1e-9);
        assert!((irregularity(&row(0.02)) - 0.2).abs() < 0.01);
        assert_eq!(irregularity(&row(0.3)), 1.0);
        assert!(irregularity(&[]) < 1e-9 && irregularity(&[1.0]) < 1e-9);
    }

    #[test]
    fn a_gap_is_the_one_in_the_middle() {
        assert_eq!(median_gap(&[0.0, 0.5, 1.0, 1.5, 4.0]), Some(0.5));
        assert_eq!(median_gap(&[1.0]), None);
        assert_eq!(median_gap(&[1.0, 1.0, 1.0]), None, "beats at the same time have none");
    }
}
