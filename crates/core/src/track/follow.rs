//! Follows the beat from a tempo that is about right: the most probable row of beats.
//!
//! Each beat remembers the distance to the one before, so that a tempo goes on, bends or (at a price) jumps: the
//! bar-pointer model's state space, entered only where a beat begins (Krebs, Böck and Widmer, "An efficient
//! state-space model for joint tempo and meter tracking", ISMIR 2015), walked by dynamic programming.

/// How far from the given period, as a factor, the tempo may go.
const REACH: f64 = 1.42;
/// What an onset on a beat is worth.
const REWARD: f32 = 5.0;
/// The onset that a beat is expected to have at least.
const EXPECTED: f32 = 0.25;
/// What an onset costs that falls between, except half-way.
const BETWEEN: f32 = 0.35;
/// How much the tempo bends from beat to beat, as a share; beyond that it is a jump.
const BEND: f64 = 0.03;
const JUMP_COST: f32 = 5.3;

pub struct Followed {
    /// Frames.
    pub beats: Vec<usize>,
    /// The gain per second, to compare tempos by.
    pub gain: f64,
}

/// The beats through onset strengths (0–1) for a tempo near `period` frames.
pub fn follow(strength: &[f32], period: f64) -> Followed {
    let shortest = (period / REACH).floor().max(8.0) as usize;
    let longest = (period * REACH).ceil() as usize;
    let intervals: Vec<usize> = (shortest..=longest).collect();
    let count = intervals.len();
    let n = strength.len();
    if n < 2 * longest {
        return Followed { beats: Vec::new(), gain: 0.0 };
    }
    let wide = smoothed(strength);
    let between = Between::new(&intervals);
    let bends = bends(&intervals);
    let mut spent = vec![0.0f32; n + 1];
    for i in 0..n {
        spent[i + 1] = spent[i] + 0.5 * BETWEEN * strength[i];
    }
    // The best gain of a row that ends at a frame with an interval, for the last `longest` frames only.
    let ring = longest + 1;
    let mut gains = vec![f32::MIN; ring * count];
    let mut best_in_ring = vec![(f32::MIN, 0u8); ring];
    let mut came_from = vec![u8::MAX; n * count];
    let (mut best_end, mut best_total) = ((0, 0), f32::MIN);
    let start_up_to = n / 2;
    let unexpected: Vec<f32> =
        intervals.iter().map(|interval| (((*interval as f64 / period).ln() / 0.2).powi(2) / 2.0) as f32).collect();
    for at in 0..n {
        let here = REWARD * (wide[at] - EXPECTED);
        for (k, interval) in intervals.iter().enumerate() {
            let slot = (at % ring) * count + k;
            gains[slot] = f32::MIN;
            // A row may begin here, with the tempo that is expected; what sounded before is not explained by it.
            if at < start_up_to {
                gains[slot] = here - spent[at] - unexpected[k];
            }
            if let Some(before) = at.checked_sub(*interval) {
                // A jump may come from any tempo, so only the best before it matters.
                let (gain, j) = best_in_ring[before % ring];
                let (mut best, mut from) = (gain - JUMP_COST, j);
                let (first, costs) = &bends[k];
                let row = &gains[(before % ring) * count + first..][..costs.len()];
                for (j, (gain, cost)) in row.iter().zip(costs).enumerate() {
                    if gain - cost > best {
                        (best, from) = (gain - cost, (first + j) as u8);
                    }
                }
                // Onsets between only cost: what is no better without them need not be summed.
                if best + here > gains[slot] {
                    let gain = best + here - between.cost(k, &strength[before..at]);
                    if gain > gains[slot] {
                        gains[slot] = gain;
                        came_from[at * count + k] = from;
                    }
                }
            }
            let total = gains[slot] - (spent[n] - spent[at]);
            if total > best_total {
                (best_end, best_total) = ((at, k), total);
            }
        }
        let row = &gains[(at % ring) * count..][..count];
        best_in_ring[at % ring] =
            row.iter().enumerate().fold((f32::MIN, 0), |best, (j, g)| if *g > best.0 { (*g, j as u8) } else { best });
    }
    let (mut at, mut k) = best_end;
    let mut beats = vec![at];
    while came_from[at * count + k] != u8::MAX {
        let from = usize::from(came_from[at * count + k]);
        at -= intervals[k];
        k = from;
        beats.push(at);
    }
    beats.reverse();
    Followed { beats, gain: f64::from(best_total) / n as f64 }
}

/// For each interval, the first of those that it may bend from, and what each of them costs.
fn bends(intervals: &[usize]) -> Vec<(usize, Vec<f32>)> {
    let cost = |from: usize, to: usize| {
        // A difference of one frame is how whole frames count out an uneven tempo.
        let apart = (to.abs_diff(from)).saturating_sub(1) as f64 / from as f64;
        ((apart / BEND).powi(2) / 2.0) as f32 + if to == from { 0.0 } else { 0.05 }
    };
    intervals
        .iter()
        .map(|to| {
            let near = |from: &&usize| cost(**from, *to) < JUMP_COST;
            let first = intervals.iter().position(|from| near(&from)).unwrap_or(0);
            (first, intervals[first..].iter().take_while(near).map(|from| cost(*from, *to)).collect())
        })
        .collect()
}

/// What onsets between two beats cost, by their place.
struct Between {
    weights: Vec<Vec<f32>>,
}

impl Between {
    fn new(intervals: &[usize]) -> Self {
        let weights = intervals
            .iter()
            .map(|interval| {
                (0..*interval)
                    .map(|f| {
                        let place = f as f64 / *interval as f64;
                        let near = |at: f64| (place - at).abs() < 0.06;
                        if near(0.0) || near(1.0) {
                            0.0
                        } else if near(0.5) {
                            0.25 * BETWEEN
                        } else if near(0.25) || near(0.75) || near(0.333) || near(0.667) {
                            0.5 * BETWEEN
                        } else {
                            BETWEEN
                        }
                    })
                    .collect()
            })
            .collect();
        Self { weights }
    }

    fn cost(&self, interval: usize, strength: &[f32]) -> f32 {
        // Eight sums at once: the processor adds them side by side.
        let weights = &self.weights[interval];
        let mut sums = [0.0f32; 8];
        let (pairs, rest) = (strength.chunks_exact(8).zip(weights.chunks_exact(8)), strength.len() / 8 * 8);
        for (s, w) in pairs {
            for i in 0..8 {
                sums[i] += s[i] * w[i];
            }
        }
        sums.iter().sum::<f32>() + strength[rest..].iter().zip(&weights[rest..]).map(|(s, w)| s * w).sum::<f32>()
    }
}

fn smoothed(values: &[f32]) -> Vec<f32> {
    let at = |i: usize, by: isize| i.checked_add_signed(by).and_then(|j| values.get(j)).copied().unwrap_or(0.0);
    (0..values.len())
        .map(|i| (at(i, 0)).max(0.85 * at(i, -1)).max(0.85 * at(i, 1)).max(0.5 * at(i, -2)).max(0.5 * at(i, 2)))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Onsets at these frames, each with the little slope that real ones have.
    fn onsets(at: &[f64], frames: usize) -> Vec<f32> {
        let mut strength = vec![0.0f32; frames];
        for frame in at.iter().map(|f| f.round() as usize).filter(|f| *f > 0 && f + 1 < frames) {
            strength[frame] = 1.0;
            strength[frame - 1] = 0.4;
            strength[frame + 1] = 0.4;
        }
        strength
    }

    /// The largest distance of a found beat from a true one.
    fn worst(found: &[usize], truth: &[f64]) -> f64 {
        let off = |f: &usize| truth.iter().map(|t| (*f as f64 - t).abs()).fold(f64::MAX, f64::min);
        found.iter().map(off).fold(0.0, f64::max)
    }

    #[test]
    fn an_even_pulse_is_followed_from_its_first_to_its_last_beat() {
        // A tempo that falls between whole frames, behind two seconds of silence.
        let truth: Vec<f64> = (0..60).map(|i| 200.0 + f64::from(i) * 46.43).collect();
        let followed = follow(&onsets(&truth, 3100), 46.43);
        assert!(followed.beats.len().abs_diff(60) <= 1, "{}", followed.beats.len());
        assert!(worst(&followed.beats, &truth) <= 2.0, "{:?}", followed.beats);
        assert!(followed.beats[0].abs_diff(200) <= 2, "nothing before it sounds");
    }

    #[test]
    fn a_tempo_may_bend_and_jump() {
        let mut at = 10.0;
        let mut truth = vec![at];
        for i in 0..80 {
            at += match i {
                0..30 => 50.0,
                30..60 => 50.0 - f64::from(i - 30) * 0.3,
                _ => 52.0,
            };
            truth.push(at);
        }
        let followed = follow(&onsets(&truth, at as usize + 40), 49.0);
        let right = truth.iter().filter(|t| followed.beats.iter().any(|f| (*f as f64 - **t).abs() <= 3.0)).count();
        assert!(right >= 78, "{right} of 81");
        assert!(followed.beats.len() <= 83, "{}", followed.beats.len());
    }

    #[test]
    fn a_few_missing_beats_are_bridged() {
        let truth: Vec<f64> = (0..60).map(|i| 20.0 + f64::from(i) * 50.0).collect();
        let heard: Vec<f64> =
            truth.iter().copied().enumerate().filter(|(i, _)| !(20..28).contains(i)).map(|(_, t)| t).collect();
        let followed = follow(&onsets(&heard, 3040), 50.0);
        let right = truth.iter().filter(|t| followed.beats.iter().any(|f| (*f as f64 - **t).abs() <= 2.0)).count();
        assert_eq!(right, 60);
    }

    #[test]
    fn the_right_tempo_gains_more_than_another() {
        let truth: Vec<f64> = (0..60).map(|i| 20.0 + f64::from(i) * 50.0).collect();
        let strength = onsets(&truth, 3040);
        assert!(follow(&strength, 50.0).gain > follow(&strength, 75.0).gain);
        assert!(follow(&vec![0.0; 60], 50.0).beats.is_empty(), "too short to follow anything");
    }
}
