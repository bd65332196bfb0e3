//! Which of several rows of beats a listener would tap.
//!
//! The same music can be followed at twice or half the speed, off the beat, or at two thirds. Each row is described
//! by what is heard on it and between it, and by how well it counts into bars; a linear model, trained by
//! `cargo bench -p legere-etudes --bench levels` on études that the networks do not know (softmax over the rows of a piece),
//! chooses.

use super::TrackFeatures;
use super::activations::Pulse;
use super::bars::{self, Heard, count};
use super::beats::FoundBeat;
use super::constant_tempo::Lines;
use super::network::{UNSURE, log_odds};
use super::onsets::strongest;
use super::spectrum::{FRAME_RATE, Spectrum};
use legere_core::stats::median_gap;

pub const FEATURES: usize = 29;
/// Trained; see above.
const WEIGHTS: [f64; FEATURES] = [
    0.04, 0.28, 0.10, 0.18, 0.15, 0.35, -2.50, -0.30, 0.73, 1.03, 0.14, -0.56, 0.18, 7.07, 0.13, 0.37, 0.07, 0.33,
    0.37, -0.39, 1.59, 0.52, 1.51, -0.58, 0.38, 0.07, 0.51, 0.95, 2.53,
];
/// The tempo that is tapped most, in beats a minute.
const TAPPED_BPM: f64 = 112.0;
/// Thirds of a beat are told from halves no more clearly than this: where hardly anything else is heard, as with a kick
/// and a hat, they would decide alone.
const CLEARLY_TRIPLE: f64 = 0.25;

/// The places among the features of what takes longest to hear: how well the row counts into bars, and whether the
/// network would tap it.
const COUNTS: usize = 8;
const TAPPED: usize = 26;
/// No row counts better into bars: what is weighed there has one deviation, or is no surer than its network. 3.2 was the
/// most among four thousand rows.
const COUNTS_BEST: f64 = 5.0;
const _: () =
    assert!(WEIGHTS[COUNTS] >= 0.0 && WEIGHTS[TAPPED] >= 0.0, "else the best that is possible is not the most");

/// One row of beats and what speaks for it.
pub struct Level {
    pub beats: Vec<FoundBeat>,
    pub ternary: bool,
    pub features: [f64; FEATURES],
}

impl Level {
    /// Not yet counted into bars: [`COUNTS`] and [`TAPPED`] are nothing.
    pub fn of(beats: Vec<FoundBeat>, lines: &Lines, features: &TrackFeatures) -> Self {
        let TrackFeatures { spectrum, onsets, pulse, .. } = features;
        let between =
            |share: f64| -> Vec<f64> { beats.windows(2).map(|w| w[0].at + share * (w[1].at - w[0].at)).collect() };
        let on: Vec<f64> = beats.iter().map(|b| b.at).collect();
        let (half, third, two_thirds) = (between(0.5), between(1.0 / 3.0), between(2.0 / 3.0));
        let (quarter, three_quarters) = (between(0.25), between(0.75));
        let all = |times: &[f64]| mean(times, |t| near(&onsets.all, t));
        let bass = |times: &[f64]| mean(times, |t| near(&onsets.ranges[0], t));
        let treble = |times: &[f64]| mean(times, |t| near(&onsets.ranges[3], t));
        let triple = (all(&third) + all(&two_thirds)) / 2.0;
        let double = (all(&half)).max((all(&quarter) + all(&three_quarters)) / 2.0);
        let ternary = triple > 1.15 * double + 0.02;
        let bpm = bpm(&on);
        let seconds = on.last().zip(on.first()).map_or(1.0, |(last, first)| (last - first).max(1.0));
        let hertz = on.len().saturating_sub(1) as f64 / seconds;
        let octaves = (bpm / TAPPED_BPM).log2();
        let supported = |times: &[f64]| mean(times, |t| if near(&onsets.all, t) > 0.25 { 1.0 } else { 0.0 });
        let tapped = |times: &[f64]| mean(times, |t| Pulse::near(&pulse.beats, t));
        let likely: Vec<f64> = on.iter().map(|t| Pulse::near(&pulse.beats, *t).clamp(UNSURE, 1.0 - UNSURE)).collect();
        let [one, two, three, four] = repeats(&onsets.all, &on, [1, 2, 3, 4]);
        let [low_one, low_two] = repeats(&onsets.ranges[0], &on, [1, 2]);
        let features = [
            all(&on),
            all(&half),
            bass(&on),
            bass(&half),
            treble(&on),
            treble(&half),
            octaves * octaves,
            octaves,
            // COUNTS, later.
            0.0,
            harmony(spectrum, &on) - harmony(spectrum, &half),
            supported(&on),
            uneven(&on),
            supported(&half),
            if ternary { (triple - double).min(CLEARLY_TRIPLE) } else { 0.0 },
            (all(&every_second(&on, 0)) - all(&every_second(&on, 1))).abs(),
            one,
            two,
            three,
            four,
            low_two - low_one,
            tapped(&on),
            tapped(&half),
            pulse.share_on(&on),
            tapped(&third).max(tapped(&two_thirds)),
            mean(&likely, f64::ln),
            // Against a row without them: each beat that is more likely than not speaks for the row, each other
            // against it.
            likely.iter().map(|p| log_odds(*p, UNSURE)).sum::<f64>() / seconds,
            // TAPPED, later.
            0.0,
            // How much of what the network hears keeps to this very tempo.
            lines.share(hertz).sqrt(),
            lines.share(2.0 * hertz).sqrt(),
        ];
        Self { beats, ternary, features }
    }

    /// Counted into bars, and told by the network for rows.
    pub fn counted(mut self, features: &TrackFeatures) -> Self {
        let heard = Heard::at(&self.beats, features);
        let times: Vec<f64> = self.beats.iter().map(|b| b.at).collect();
        self.features[COUNTS] = count(&heard, &bars::WEIGHTS, self.ternary, bpm(&times)).gain;
        self.features[TAPPED] = heard.tapped;
        self
    }

    /// The best score that it can have once it is counted.
    fn promise(&self) -> f64 {
        self.score() + WEIGHTS[COUNTS] * COUNTS_BEST + WEIGHTS[TAPPED] * log_odds(1.0, UNSURE)
    }

    pub fn score(&self) -> f64 {
        self.features.iter().zip(WEIGHTS).map(|(f, w)| f * w).sum()
    }
}

/// The row that a listener would tap, of rows that are not yet counted: only those are that might still be the best.
pub fn chosen(mut levels: Vec<Level>, features: &TrackFeatures) -> Option<Level> {
    levels.sort_by(|a, b| b.promise().total_cmp(&a.promise()));
    let mut best: Option<Level> = None;
    for level in levels {
        let beaten = |by: &Level| level.promise() < by.score();
        if best.as_ref().is_some_and(beaten) {
            break;
        }
        let level = level.counted(features);
        if best.as_ref().is_none_or(|best| level.score() > best.score()) {
            best = Some(level);
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
fn repeats<const N: usize>(strength: &[f32], beats: &[f64], lags: [usize; N]) -> [f64; N] {
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
const UNEVEN: f64 = 0.1;

/// How far the beats lie from the straight line through them (least squares), 0–1.
fn uneven(beats: &[f64]) -> f64 {
    let middle = (beats.len() as f64 - 1.0) / 2.0;
    let centre = mean(beats, |at| at);
    let places: Vec<f64> = (0..beats.len()).map(|i| i as f64 - middle).collect();
    let both: f64 = places.iter().zip(beats).map(|(place, at)| place * (at - centre)).sum();
    let gap = both / places.iter().map(|place| place * place).sum::<f64>().max(1e-9);
    let beside: Vec<f64> = places.iter().zip(beats).map(|(place, at)| at - centre - gap * place).collect();
    (mean(&beside, |by| by * by).sqrt() / UNEVEN).min(1.0)
}

fn every_second(times: &[f64], from: usize) -> Vec<f64> {
    times.iter().skip(from).step_by(2).copied().collect()
}

/// How much the harmony changes at these times, mean.
fn harmony(spectrum: &Spectrum, times: &[f64]) -> f64 {
    mean(times, |t| {
        let before = spectrum.mean_chroma((t - 0.25).max(0.0), t - 0.03);
        let after = spectrum.mean_chroma(t + 0.04, t + 0.25);
        1.0 - before.iter().zip(&after).map(|(a, b)| a * b).sum::<f64>()
    })
}

fn mean(values: &[f64], of: impl Fn(f64) -> f64) -> f64 {
    values.iter().map(|v| of(*v)).sum::<f64>() / values.len().max(1) as f64
}

fn near(values: &[f32], at: f64) -> f64 {
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

    fn row(features: &TrackFeatures, from: f64, gap: f64) -> Level {
        let beats = (0..)
            .map(|i| FoundBeat { at: from + f64::from(i) * gap, strength: 0.5 })
            .take_while(|b| b.at < 29.5)
            .collect();
        Level::of(beats, &Lines::of(&features.pulse.beats), features)
    }

    #[test]
    fn the_row_on_the_beats_is_chosen_before_those_beside_it() {
        let features = heard();
        let right = row(&features, 0.0, GAP).counted(&features);
        assert!(!right.ternary && right.features.iter().all(|f| f.is_finite()));
        for (name, from, gap) in [
            ("off the beat", GAP / 2.0, GAP),
            ("four thirds", 0.0, 0.75 * GAP),
            ("two thirds", 0.0, 1.5 * GAP),
            ("a fifth too late", 0.2 * GAP, GAP),
        ] {
            let wrong = row(&features, from, gap).counted(&features);
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
        let (uncounted, counted): (Vec<Level>, Vec<Level>) =
            (rows(), rows().into_iter().map(|row| row.counted(&features)).collect());
        for (before, after) in uncounted.iter().zip(&counted) {
            assert!(after.features[COUNTS] > 0.0 && after.score() <= before.promise(), "{:?}", after.features);
        }
        let best = counted.iter().map(Level::score).fold(f64::MIN, f64::max);
        assert!(chosen(uncounted, &features).is_some_and(|chosen| chosen.score() == best));
        assert!(chosen(Vec::new(), &features).is_none());
    }

    #[test]
    fn what_comes_back_after_some_beats_is_alike_and_the_rest_is_not() {
        // Every third beat is struck.
        let strength: Vec<f32> = (0..3000).map(|frame| if frame % 150 == 0 { 1.0 } else { 0.0 }).collect();
        let beats: Vec<f64> = (0..59).map(|i| f64::from(i) * GAP).collect();
        let [one, three] = repeats(&strength, &beats, [1, 3]);
        assert!(three > 0.9 && one < 0.1, "{three} and {one}");
        assert_eq!(repeats(&strength, &beats[..3], [2]), [0.0], "too few to tell");
    }

    #[test]
    fn beats_are_as_uneven_as_they_stray() {
        let row = |stray: f64| -> Vec<f64> {
            (0..60).map(|i| 3.0 + f64::from(i) * GAP + if i % 2 == 0 { stray } else { -stray }).collect()
        };
        assert!(uneven(&row(0.0)) < 1e-9);
        assert!((uneven(&row(0.02)) - 0.2).abs() < 0.01);
        assert_eq!(uneven(&row(0.3)), 1.0);
        assert!(uneven(&[]) < 1e-9 && uneven(&[1.0]) < 1e-9);
    }

    #[test]
    fn a_gap_is_the_one_in_the_middle() {
        assert_eq!(median_gap(&[0.0, 0.5, 1.0, 1.5, 4.0]), Some(0.5));
        assert_eq!(median_gap(&[1.0]), None);
        assert_eq!(median_gap(&[1.0, 1.0, 1.0]), None, "beats at the same time have none");
    }
}
