//! Tempo and beats.
//!
//! The tempo is the lag at which the onset strength resembles itself most, weighted towards what people tap;
//! the beats are the path that best joins strong onsets at that distance (dynamic programming: Ellis, "Beat
//! tracking by dynamic programming", 2007). Each beat is then moved to the onset that is heard there, to the
//! millisecond.

use super::READING_RATE;
use super::onsets::OnsetStrength;
use super::spectrum::FRAME_RATE;

const SLOWEST_BPM: f64 = 60.0;
const FASTEST_BPM: f64 = 180.0;
/// Where taps are most common (bpm), and how wide the preference is (octaves).
const TAPPED_BPM: f64 = 120.0;
const TAPPED_WIDTH: f64 = 0.9;
/// How much a beat may stray from the tempo, against how strong its onset is.
const TIGHTNESS: f64 = 100.0;
/// Samples in a millisecond.
const MS: usize = READING_RATE as usize / 1000;

pub struct Tracked {
    pub tempo_bpm: f64,
    pub beats: Vec<FoundBeat>,
}

#[derive(Debug, Clone, Copy)]
pub struct FoundBeat {
    pub at: f64,
    pub strength: f64,
}

pub fn track(onsets: &OnsetStrength, samples: &[f32]) -> Tracked {
    let period = period(&onsets.all);
    let frames = best_path(&onsets.all, period);
    let fine = FineOnsets::of(samples);
    let mut beats: Vec<FoundBeat> = frames
        .iter()
        .map(|frame| {
            let at = *frame as f64 / FRAME_RATE;
            let strength = f64::from(peak_near(&onsets.all, *frame, 3));
            FoundBeat { at: fine.nearest_onset(at).unwrap_or(at), strength: (strength / 6.0).clamp(0.0, 1.0) }
        })
        .collect();
    steady(&mut beats);
    // Evening out must not carry a beat out of the track.
    let length = samples.len() as f64 / f64::from(READING_RATE);
    beats.retain(|b| b.at < length);
    beats.iter_mut().for_each(|b| b.at = b.at.max(0.0));
    beats.dedup_by(|later, earlier| later.at - earlier.at < 0.15);
    let tempo_bpm = median_gap(&beats).map_or(60.0 * FRAME_RATE / period, |gap| 60.0 / gap);
    Tracked { tempo_bpm, beats }
}

/// The beat period in frames.
fn period(strength: &[f32]) -> f64 {
    let slowest = (60.0 * FRAME_RATE / SLOWEST_BPM) as usize;
    let fastest = (60.0 * FRAME_RATE / FASTEST_BPM) as usize;
    let mean = strength.iter().sum::<f32>() / strength.len().max(1) as f32;
    let centred: Vec<f32> = strength.iter().map(|v| v - mean).collect();
    let lags = slowest * 4 + 2;
    let similar: Vec<f64> = (0..lags)
        .map(|lag| {
            let count = centred.len().saturating_sub(lag).max(1);
            let sum: f32 = centred.iter().zip(centred.iter().skip(lag)).map(|(a, b)| a * b).sum();
            f64::from(sum) / count as f64
        })
        .collect();
    let around =
        |lag: usize| similar[lag.saturating_sub(1)..(lag + 2).min(lags)].iter().copied().fold(f64::MIN, f64::max);
    let score = |lag: usize| {
        let bpm = 60.0 * FRAME_RATE / lag as f64;
        let octaves = (bpm / TAPPED_BPM).log2() / TAPPED_WIDTH;
        let preferred = (-0.5 * octaves * octaves).exp();
        // A real beat period repeats at its multiples too; a subdivision of a swung rhythm does not.
        let support = similar[lag] + 0.5 * around(2 * lag) + 0.5 * around(4 * lag);
        support * preferred
    };
    let best = (fastest..=slowest).max_by(|a, b| score(*a).total_cmp(&score(*b))).unwrap_or(50);
    // The fourth multiple, divided, tells the period four times as finely as the lag itself.
    let long = (4 * best).saturating_sub(3)..(4 * best + 4).min(lags);
    let long = long.max_by(|a, b| similar[*a].total_cmp(&similar[*b])).unwrap_or(4 * best);
    if similar[long] > 0.3 * similar[best] { long as f64 / 4.0 } else { best as f64 }
}

/// The frames of the beats: the path that collects the most onset strength at distances near `period`.
fn best_path(strength: &[f32], period: f64) -> Vec<usize> {
    let n = strength.len();
    let nearest = (period / 2.0).round().max(1.0) as usize;
    let farthest = (period * 2.0).round() as usize;
    let cost: Vec<f64> = (0..=farthest).map(|gap| -TIGHTNESS * (gap.max(1) as f64 / period).ln().powi(2)).collect();
    let smooth = smoothed(strength);
    let mut score = vec![0.0f64; n];
    let mut before = vec![usize::MAX; n];
    for at in 0..n {
        let mut best = 0.0;
        let mut from = usize::MAX;
        for gap in nearest..=farthest.min(at) {
            let value = score[at - gap] + cost[gap];
            if value > best {
                (best, from) = (value, at - gap);
            }
        }
        score[at] = f64::from(smooth[at]) + best;
        before[at] = from;
    }
    let tail = n.saturating_sub(farthest.max(1));
    let Some(mut at) = (tail..n).max_by(|a, b| score[*a].total_cmp(&score[*b])) else { return Vec::new() };
    let mut path = vec![at];
    while before[at] != usize::MAX {
        at = before[at];
        path.push(at);
    }
    path.reverse();
    extend(&mut path, period, n);
    path
}

/// Beats go on through a quiet beginning and ending, where nothing marks them.
fn extend(path: &mut Vec<usize>, period: f64, frames: usize) {
    let Some((first, last)) = path.first().copied().zip(path.last().copied()) else { return };
    let mut early = Vec::new();
    let mut at = first as f64 - period;
    while at >= -2.0 {
        early.push(at.max(0.0).round() as usize);
        at -= period;
    }
    early.reverse();
    let mut late = Vec::new();
    let mut at = last as f64 + period;
    while at < frames as f64 - 2.0 {
        late.push(at.round() as usize);
        at += period;
    }
    path.splice(0..0, early);
    path.extend(late);
}

fn smoothed(values: &[f32]) -> Vec<f32> {
    let at = |i: usize, by: isize| i.checked_add_signed(by).and_then(|j| values.get(j)).copied().unwrap_or(0.0);
    (0..values.len()).map(|i| 0.25 * at(i, -1) + 0.5 * at(i, 0) + 0.25 * at(i, 1)).collect()
}

fn peak_near(values: &[f32], at: usize, reach: usize) -> f32 {
    let from = at.saturating_sub(reach).min(values.len());
    values[from..(at + reach + 1).min(values.len())].iter().copied().fold(0.0, f32::max)
}

/// Energy rises at a resolution of one millisecond.
struct FineOnsets {
    rise: Vec<f32>,
    typical: f32,
}

impl FineOnsets {
    fn of(samples: &[f32]) -> Self {
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

    /// The clearest onset within 35 ms of `at`, if there is one.
    fn nearest_onset(&self, at: f64) -> Option<f64> {
        let centre = (at * 1000.0).round() as usize;
        let from = centre.saturating_sub(35);
        let to = (centre + 36).min(self.rise.len());
        let best = (from..to).max_by(|a, b| {
            let weigh = |i: usize| self.rise[i] * (1.0 - (i.abs_diff(centre)) as f32 / 100.0);
            weigh(*a).total_cmp(&weigh(*b))
        })?;
        (self.rise[best] > 4.0 * self.typical.max(0.05)).then(|| best as f64 / 1000.0)
    }
}

/// Pulls each beat towards the line through its neighbours: players vary by a few milliseconds, a wrongly chosen
/// onset by more.
fn steady(beats: &mut [FoundBeat]) {
    let found: Vec<f64> = beats.iter().map(|b| b.at).collect();
    for (i, beat) in beats.iter_mut().enumerate() {
        let from = i.saturating_sub(4);
        let to = (i + 5).min(found.len());
        if to - from < 4 {
            continue;
        }
        let line = fitted(&found[from..to], (i - from) as f64);
        if (beat.at - line).abs() > 0.012 || beat.strength < 0.1 {
            beat.at = line;
        }
    }
    for i in 1..beats.len() {
        if beats[i].at <= beats[i - 1].at {
            beats[i].at = beats[i - 1].at + 0.001;
        }
    }
}

/// The value at `x` of the line through `(0, ys[0]), (1, ys[1]), …` that ignores outliers: the median of the
/// slopes and of the offsets (Theil–Sen).
fn fitted(ys: &[f64], x: f64) -> f64 {
    let mut slopes: Vec<f64> = Vec::with_capacity(ys.len() * ys.len() / 2);
    for i in 0..ys.len() {
        for j in i + 1..ys.len() {
            slopes.push((ys[j] - ys[i]) / (j - i) as f64);
        }
    }
    let slope = median(&mut slopes);
    let mut offsets: Vec<f64> = ys.iter().enumerate().map(|(i, y)| y - slope * i as f64).collect();
    median(&mut offsets) + slope * x
}

fn median(values: &mut [f64]) -> f64 {
    values.sort_by(f64::total_cmp);
    match values.len() {
        0 => 0.0,
        n if n % 2 == 1 => values[n / 2],
        n => (values[n / 2 - 1] + values[n / 2]) / 2.0,
    }
}

fn median_gap(beats: &[FoundBeat]) -> Option<f64> {
    let mut gaps: Vec<f64> = beats.windows(2).map(|w| w[1].at - w[0].at).collect();
    (!gaps.is_empty()).then(|| median(&mut gaps)).filter(|gap| *gap > 0.0)
}
