//! Tempo candidates and beat sequences.
//!
//! The autocorrelation of the onset strength, alone and mixed with the beat activation, gives a few tempos; each is tracked
//! through the music ([`super::lattice`]), and the activation's tempogram gives sequences at a constant tempo
//! ([`super::constant_tempo`]). All of these, also at double and half tempo and on the off-beats, are hypotheses, among which
//! [`super::selection`] chooses. The beats of the chosen one are then moved to their onsets, to the millisecond ([`refine`]).

use super::constant_tempo::{self, Tempogram};
use super::lattice::track_beats;
use super::onsets::strongest;
use super::selection::Hypothesis;
use super::sequence::{CandidateBeat, FASTEST_BPM, SLOWEST_BPM};
use super::spectrum::{FRAME_RATE, product};
use super::time_range::TimeRange;
use super::{READING_RATE, TrackFeatures};
use legere_core::stats::{median, median_gap};

/// How many tempos are tracked.
const TEMPOS: usize = 4;
/// How many of them also by an onset strength with more bass in it.
const LOW_TEMPOS: usize = 2;
/// How many tempos of the beat activation are tracked.
const ACTIVATION_TEMPOS: usize = 3;
/// How much of what is followed there is onset strength.
const EXACT: f32 = 0.25;
/// Samples in a millisecond.
const MS: usize = READING_RATE as usize / 1000;
/// How far a beat is moved to the onset it belongs to, in milliseconds.
const PLACE_MS: usize = 35;
/// From this strength on something clearly begins.
const CLEAR: f32 = 0.12;
/// Sequences that share so much of their beats are the same.
const ALIKE: f64 = 0.9;

/// All hypotheses, not yet decoded into bars.
pub fn candidates(features: &TrackFeatures) -> Vec<Hypothesis> {
    let TrackFeatures { onsets, activations, .. } = features;
    let mut hypotheses: Vec<Hypothesis> = Vec::new();
    let periods = autocorrelation_peaks(&onsets.all);
    // The network knows which onsets are beats, the onsets know to the hundredth of a second where they are.
    let mut tapped = activations.beat_strength(onsets.all.len());
    tapped.iter_mut().zip(&onsets.all).for_each(|(t, onset)| *t = (1.0 - EXACT) * *t + EXACT * onset);
    let tapped_periods = autocorrelation_peaks(&tapped);
    // Off-beats that are stronger than beats lead astray where only they are played; the bass then knows better.
    let low: Vec<f32> = onsets.all.iter().zip(&onsets.ranges[0]).map(|(a, b)| 0.65 * a + 0.35 * b).collect();
    let tempogram = Tempogram::of(&activations.beats);
    let mut consider = |sequence: &[f64]| {
        for times in metrical_levels(sequence) {
            let Some(gap) = median_gap(&times) else { continue };
            let allowed = (60.0 / FASTEST_BPM * 0.98..=60.0 / SLOWEST_BPM * 1.02).contains(&gap);
            if !allowed || hypotheses.iter().any(|l| is_same_sequence(&l.beats, &times)) {
                continue;
            }
            let beats = times
                .iter()
                .map(|at| CandidateBeat {
                    at: *at,
                    strength: strongest(&onsets.all, FRAME_RATE, *at, 3).clamp(0.0, 1.0),
                })
                .collect();
            hypotheses.push(Hypothesis::of(beats, &tempogram, features));
        }
    };
    for sequence in constant_tempo::beat_sequences(&activations.beats, &tempogram, sounding_range(&onsets.all)) {
        consider(&sequence);
    }
    let ways = (tapped_periods.iter().take(ACTIVATION_TEMPOS).map(|p| (&tapped, *p)))
        .chain(periods.iter().map(|p| (&onsets.all, *p)))
        .chain(periods.iter().take(LOW_TEMPOS).map(|p| (&low, *p)));
    for (strength, period) in ways {
        let sequence: Vec<f64> = track_beats(strength, period).iter().map(|f| *f as f64 / FRAME_RATE).collect();
        if sequence.len() >= 3 {
            consider(&sequence);
        }
    }
    hypotheses
}

/// The sequence itself, off the beat, twice as fast, and every second.
fn metrical_levels(sequence: &[f64]) -> Vec<Vec<f64>> {
    let middles: Vec<f64> = sequence.windows(2).map(|w| (w[0] + w[1]) / 2.0).collect();
    let mut double: Vec<f64> = sequence.iter().chain(&middles).copied().collect();
    double.sort_by(f64::total_cmp);
    let second = |from: usize| sequence.iter().skip(from).step_by(2).copied().collect::<Vec<_>>();
    vec![sequence.to_vec(), middles, double, second(0), second(1)]
}

/// From the first onset to the last, in seconds.
fn sounding_range(strength: &[f32]) -> TimeRange {
    let clear = |v: &f32| *v > CLEAR;
    let (first, last) = (strength.iter().position(clear), strength.iter().rposition(clear));
    let seconds = |frame: usize| frame as f64 / FRAME_RATE;
    first.zip(last).map_or(TimeRange::new(0.0, 0.0), |(a, b)| TimeRange::new(seconds(a), seconds(b)))
}

/// Whether nearly all beats of two sequences are the same.
fn is_same_sequence(a: &[CandidateBeat], b: &[f64]) -> bool {
    let shared = b.iter().filter(|t| {
        let i = a.partition_point(|x| x.at < **t - 0.03);
        a.get(i).is_some_and(|x| (x.at - **t).abs() <= 0.03)
    });
    shared.count() as f64 > ALIKE * a.len().max(b.len()) as f64
}

/// The most likely periods, in frames, none near another.
fn autocorrelation_peaks(strength: &[f32]) -> Vec<f64> {
    let slowest = (60.0 * FRAME_RATE / SLOWEST_BPM) as usize;
    let fastest = (60.0 * FRAME_RATE / FASTEST_BPM) as usize;
    let mean = strength.iter().sum::<f32>() / strength.len().max(1) as f32;
    let centred: Vec<f32> = strength.iter().map(|v| v - mean).collect();
    let lags = (slowest + 2) * 4;
    let similar: Vec<f64> = (0..lags)
        .map(|lag| {
            let count = centred.len().saturating_sub(lag).max(1);
            f64::from(product(&centred, centred.get(lag..).unwrap_or_default())) / count as f64
        })
        .collect();
    let around =
        |lag: usize| similar[lag.saturating_sub(1)..(lag + 2).min(lags)].iter().copied().fold(f64::MIN, f64::max);
    let score = |lag: usize| {
        let octaves = (60.0 * FRAME_RATE / lag as f64 / 115.0).log2() / 1.2;
        // A real beat period repeats at its multiples too; a subdivision of a swung rhythm does not.
        let support = around(lag) + 0.6 * around(2 * lag) + 0.4 * around(3 * lag) + 0.5 * around(4 * lag);
        support * (-0.5 * octaves * octaves).exp()
    };
    let mut lags_by_score: Vec<(usize, f64)> = (fastest..=slowest)
        .map(|lag| (lag, score(lag)))
        .filter(|(lag, s)| *s >= score(lag - 1) && *s >= score(lag + 1))
        .collect();
    lags_by_score.sort_by(|a, b| b.1.total_cmp(&a.1));
    let mut periods: Vec<f64> = Vec::new();
    for (lag, _) in lags_by_score {
        let period = lag as f64;
        if periods.iter().all(|p| (p / period).ln().abs() > 0.08) {
            periods.push(period);
        }
        if periods.len() == TEMPOS {
            break;
        }
    }
    if periods.is_empty() {
        periods.push(50.0);
    }
    periods
}

/// How far beyond the sound a beat may lie, in seconds.
const SILENT: f64 = 0.06;

/// Moves beats to the onsets they belong to, and lets them go on to the ends of the sound.
pub fn refine(mut beats: Vec<CandidateBeat>, fine: &FineOnsets, length: f64, sounds: TimeRange) -> Vec<CandidateBeat> {
    let rough: Vec<f64> = beats.iter().map(|b| b.at).collect();
    for (i, beat) in beats.iter_mut().enumerate() {
        // Where there is an onset the beat is there; where there is none it lies between its neighbours.
        if let Some(at) = fine.nearest_onset(beat.at) {
            beat.at = at;
        } else if i > 0 && i + 1 < rough.len() {
            beat.at = 0.5 * beat.at + 0.25 * (rough[i - 1] + rough[i + 1]);
        }
    }
    regularise(&mut beats);
    let placed: Vec<f64> = beats.iter().map(|b| b.at).collect();
    for i in 2..beats.len().saturating_sub(2) {
        // A beat that leaves the line of its four neighbours by more than players do followed a wrong onset.
        let mut line = [
            2.0 * placed[i - 1] - placed[i - 2],
            2.0 * placed[i + 1] - placed[i + 2],
            (placed[i - 1] + placed[i + 1]) / 2.0,
        ];
        line.sort_by(f64::total_cmp);
        if (placed[i] - line[1]).abs() > 0.022 && line[2] - line[0] < 0.03 {
            beats[i].at = line[1];
        }
    }
    // Silence has no beats, even where one would go on tapping.
    beats.retain(|b| b.at >= sounds.start - SILENT && b.at <= sounds.end + SILENT);
    extend_to_sound(&mut beats, sounds);
    beats.iter_mut().for_each(|b| b.at = b.at.max(0.0));
    beats.retain(|b| b.at < length);
    beats.dedup_by(|later, earlier| later.at - earlier.at < 0.15);
    beats
}

/// A faint beat that leaves the even sequence of its neighbours is put back on it.
fn regularise(beats: &mut [CandidateBeat]) {
    const REACH: usize = 6;
    let found: Vec<f64> = beats.iter().map(|b| b.at).collect();
    for (i, beat) in beats.iter_mut().enumerate() {
        let from = i.saturating_sub(REACH);
        let to = (i + REACH + 1).min(found.len());
        if to - from < REACH || beat.strength > 0.45 {
            continue;
        }
        let (offset, slope) = line_fit(&found[from..to]);
        let on_line = |k: usize| offset + slope * (k - from) as f64;
        let mut off: Vec<f64> = (from..to).map(|k| (found[k] - on_line(k)).abs()).collect();
        // Where players slow down or hurry there is no line to go back to.
        if median(&mut off).unwrap_or(0.0) < 0.008 && (beat.at - on_line(i)).abs() > 0.015 {
            beat.at = on_line(i);
        }
    }
}

/// The line through `(0, ys[0]), (1, ys[1]), …` that outliers do not move: the medians of slopes and offsets
/// (Theil–Sen).
fn line_fit(ys: &[f64]) -> (f64, f64) {
    let mut slopes: Vec<f64> = Vec::with_capacity(ys.len() * ys.len() / 2);
    for i in 0..ys.len() {
        for j in i + 1..ys.len() {
            slopes.push((ys[j] - ys[i]) / (j - i) as f64);
        }
    }
    let slope = median(&mut slopes).unwrap_or(0.0);
    let mut offsets: Vec<f64> = ys.iter().enumerate().map(|(i, y)| y - slope * i as f64).collect();
    (median(&mut offsets).unwrap_or(0.0), slope)
}

/// Beats go on where sound goes on without marking them.
fn extend_to_sound(beats: &mut Vec<CandidateBeat>, sounds: TimeRange) {
    if beats.len() < 3 {
        return;
    }
    let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
    let gap = |part: &[f64]| median_gap(part).unwrap_or(0.5);
    let (first, last) = (times[0], times[times.len() - 1]);
    let early_gap = gap(&times[..times.len().min(9)]);
    let late_gap = gap(&times[times.len().saturating_sub(9)..]);
    let mut early: Vec<CandidateBeat> = (1..)
        .map(|i| first - f64::from(i) * early_gap)
        .take_while(|at| *at >= sounds.start - 0.03)
        .map(|at| CandidateBeat { at, strength: 0.0 })
        .collect();
    early.reverse();
    beats.splice(0..0, early);
    beats.extend(
        (1..)
            .map(|i| last + f64::from(i) * late_gap)
            .take_while(|at| *at <= sounds.end - 0.3 * late_gap)
            .map(|at| CandidateBeat { at, strength: 0.0 }),
    );
}

/// Where something clearly begins, in seconds.
pub fn onset_times(strength: &[f32], fine: &FineOnsets) -> Vec<f64> {
    let mut times: Vec<f64> = (1..strength.len().saturating_sub(1))
        .filter(|i| {
            let around = &strength[i.saturating_sub(3)..(i + 4).min(strength.len())];
            strength[*i] > CLEAR && around.iter().all(|v| *v <= strength[*i])
        })
        .map(|i| i as f64 / FRAME_RATE)
        .map(|at| fine.nearest_onset(at).unwrap_or(at))
        .collect();
    times.dedup_by(|later, earlier| *later - *earlier < 0.04);
    times
}

/// Energy rises at a resolution of one millisecond.
pub struct FineOnsets {
    rise: Vec<f32>,
    typical: f32,
}

impl FineOnsets {
    pub fn of(samples: &[f32]) -> Self {
        // First differences stress the attack over the sounding bass.
        let mut level = Vec::with_capacity(samples.len() / MS + 1);
        let mut last = 0.0;
        for block in samples.chunks(MS) {
            let mut sum = 0.0;
            for s in block {
                sum += (s - last) * (s - last) + 0.02 * s * s;
                last = *s;
            }
            level.push((1e-7 + sum / block.len() as f32).ln());
        }
        let mean = |from: usize, to: usize| level[from..to].iter().sum::<f32>() / (to - from) as f32;
        let rise: Vec<f32> = (0..level.len())
            .map(|i| if i >= 10 && i + 5 <= level.len() { (mean(i, i + 5) - mean(i - 10, i)).max(0.0) } else { 0.0 })
            .collect();
        let typical = rise.iter().sum::<f32>() / rise.len().max(1) as f32;
        Self { rise, typical }
    }

    /// The clearest onset near `at`, if there is one.
    pub fn nearest_onset(&self, at: f64) -> Option<f64> {
        let centre = (at * 1000.0).round() as usize;
        let from = centre.saturating_sub(PLACE_MS);
        let to = (centre + PLACE_MS + 1).min(self.rise.len());
        let best = (from..to).max_by(|a, b| {
            let weigh = |i: usize| self.rise[i] * (1.0 - (i.abs_diff(centre)) as f32 / 100.0);
            weigh(*a).total_cmp(&weigh(*b))
        })?;
        if self.rise[best] <= 4.0 * self.typical.max(0.05) {
            return None;
        }
        // A soft attack is heard where it begins to rise, not where it rises most.
        let begin = (from.max(best.saturating_sub(25))..best)
            .rev()
            .take_while(|i| self.rise[*i] > 0.3 * self.rise[best])
            .last();
        Some(begin.map_or(best, |b| if best - b > 8 { b + 4 } else { best }) as f64 / 1000.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sequence(times: &[f64], strength: f64) -> Vec<CandidateBeat> {
        times.iter().map(|at| CandidateBeat { at: *at, strength }).collect()
    }

    fn every(gap: f64, count: usize) -> Vec<f64> {
        (0..count).map(|i| 1.0 + i as f64 * gap).collect()
    }

    #[test]
    fn a_faint_beat_that_strays_is_put_back_and_a_clear_one_is_not() {
        let mut times = every(0.5, 20);
        times[10] += 0.04;
        let mut faint = sequence(&times, 0.2);
        regularise(&mut faint);
        assert!((faint[10].at - 6.0).abs() < 0.003, "{}", faint[10].at);
        let mut clear = sequence(&times, 0.9);
        regularise(&mut clear);
        assert!((clear[10].at - 6.04).abs() < 1e-9);
    }

    #[test]
    fn beats_go_on_to_the_ends_of_the_sound_and_no_further() {
        let mut beats = sequence(&every(0.5, 9), 1.0);
        extend_to_sound(&mut beats, TimeRange::new(0.0, 8.1));
        let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
        assert_eq!(times.len(), 2 + 9 + 5 + 1 - 1, "{times:?}");
        assert!(
            times[0] >= -0.03
                && times[times.len() - 1] <= 8.0
                && times.windows(2).all(|w| (w[1] - w[0] - 0.5).abs() < 1e-9)
        );
        let mut silent = sequence(&every(0.5, 9), 1.0);
        extend_to_sound(&mut silent, TimeRange::new(1.0, 5.0));
        assert_eq!(silent.len(), 9, "silence has no beats");
    }

    #[test]
    fn a_row_has_its_off_beats_doubles_and_halves_beside_it() {
        let ways = metrical_levels(&[1.0, 2.0, 3.0, 4.0]);
        assert_eq!(ways[1], [1.5, 2.5, 3.5]);
        assert_eq!(ways[2], [1.0, 1.5, 2.0, 2.5, 3.0, 3.5, 4.0]);
        assert_eq!((&ways[3][..], &ways[4][..]), (&[1.0, 3.0][..], &[2.0, 4.0][..]));
        assert!(is_same_sequence(&sequence(&[1.0, 2.0, 3.0], 1.0), &[1.01, 2.0, 2.99]));
        assert!(!is_same_sequence(&sequence(&[1.0, 2.0, 3.0], 1.0), &[1.5, 2.5, 3.5]));
    }

    #[test]
    fn an_onset_is_found_to_the_millisecond_or_not_at_all() {
        let rate = READING_RATE as usize;
        let mut samples = vec![0.0f32; 2 * rate];
        for i in 0..rate / 5 {
            samples[rate + i] = 0.7 * (i as f32 * 0.3).sin() * (-(i as f32) / 900.0).exp();
        }
        let fine = FineOnsets::of(&samples);
        let found = fine.nearest_onset(1.02).expect("an onset");
        assert!((found - 1.0).abs() <= 0.003, "{found}");
        assert_eq!(fine.nearest_onset(0.4), None);
    }
}
