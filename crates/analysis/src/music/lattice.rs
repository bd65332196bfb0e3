//! Beat tracking from a tempo that is about right: the most probable sequence of beats through an onset strength.
//!
//! Dynamic programming over a lattice of frames and beat intervals: each beat remembers the interval before it, so that a
//! tempo goes on, bends or (at a price) jumps. It is the state space of the bar-pointer model, entered only where a beat
//! begins (Krebs, Böck and Widmer, "An efficient state-space model for joint tempo and meter tracking", ISMIR 2015).

/// How far from the given period, as a factor, the tempo may go.
const REACH: f64 = 1.42;
/// What an onset on a beat is worth.
const REWARD: f32 = 5.0;
/// The onset that a beat is expected to have at least.
const EXPECTED: f32 = 0.25;
/// What an onset costs that falls between, except half-way.
const BETWEEN: f32 = 0.35;
/// How much the tempo `tempo_transitions` from beat to beat, as a share; beyond that it is a jump.
const BEND: f64 = 0.03;
const JUMP_COST: f32 = 5.3;
/// How many frames are decoded at once.
const TOGETHER: usize = 8;

/// The beats, in frames, through onset strengths (0–1) for a tempo near `period` frames; none where it is too short.
pub fn track_beats(strength: &[f32], period: f64) -> Vec<usize> {
    decoded(strength, period).map_or_else(Vec::new, |lattice| lattice.backtrack(lattice.best_final_frame()))
}

fn decoded(strength: &[f32], period: f64) -> Option<Lattice> {
    let shortest = (period / REACH).floor().max(TOGETHER as f64) as usize;
    let longest = (period * REACH).ceil() as usize;
    (strength.len() >= 2 * longest).then(|| Lattice::forward_pass(strength, period, shortest..=longest))
}

/// The best scores of all sequences, by the frame they end at and their last interval.
struct Lattice {
    intervals: Vec<usize>,
    tempo_transitions: Vec<Vec<(usize, f32)>>,
    /// Frames before the first, where no sequence ends.
    margin: usize,
    /// By interval, then by frame from the margin's first on.
    scores: Vec<f32>,
    /// The best score of each frame, whatever the interval.
    best: Vec<f32>,
    /// What a sequence scores that begins at a frame.
    start_score: Vec<f32>,
    /// And what that costs for each interval, if it is not what was expected.
    tempo_prior: Vec<f32>,
    /// What all onsets before each frame cost where nothing explains them.
    unexplained_cost: Vec<f32>,
}

/// All steps of a lattice, with the widest registers that this processor has.
struct Steps<'a> {
    lattice: &'a mut Lattice,
    here: &'a [f32],
    sums: &'a [f64],
    changes: &'a [Vec<(usize, f64)>],
}

impl pulp::WithSimd for Steps<'_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: pulp::Simd>(self, _: S) {
        self.lattice.step(self.here, self.sums, self.changes);
    }
}

impl Lattice {
    fn forward_pass(strength: &[f32], period: f64, intervals: std::ops::RangeInclusive<usize>) -> Self {
        let (n, margin) = (strength.len(), *intervals.end());
        let intervals: Vec<usize> = intervals.collect();
        let width = margin + n.next_multiple_of(TOGETHER);
        let mut unexplained_cost = vec![0.0f32; n + 1];
        let mut sums = vec![0.0f64; width + 1];
        for i in 0..n {
            unexplained_cost[i + 1] = unexplained_cost[i] + 0.5 * BETWEEN * strength[i];
            sums[margin + i + 1] = sums[margin + i] + f64::from(strength[i]);
        }
        let all = sums[margin + n];
        sums[margin + n..].fill(all);
        let changes: Vec<Vec<(usize, f64)>> = intervals.iter().map(|interval| changes_between(*interval)).collect();
        let here: Vec<f32> = smoothed(strength).iter().map(|wide| REWARD * (wide - EXPECTED)).collect();
        // A sequence may begin anywhere in the first half; what sounded before is not explained by it.
        let start_score =
            (0..width - margin).map(|at| if at < n / 2 { here[at] - unexplained_cost[at] } else { f32::MIN }).collect();
        let tempo_prior = intervals.iter().map(|i| (((*i as f64 / period).ln() / 0.2).powi(2) / 2.0) as f32).collect();
        let mut lattice = Self {
            tempo_transitions: tempo_transitions(&intervals),
            margin,
            scores: vec![f32::MIN; intervals.len() * width],
            best: vec![f32::MIN; width],
            start_score,
            tempo_prior,
            unexplained_cost,
            intervals,
        };
        pulp::Arch::new().dispatch(Steps { lattice: &mut lattice, here: &here, sums: &sums, changes: &changes });
        lattice
    }

    /// No sequence has an interval as short as these few frames, so they do not depend on each other: the processor works on
    /// all of them side by side.
    #[inline(always)]
    fn step(&mut self, here: &[f32], sums: &[f64], changes: &[Vec<(usize, f64)>]) {
        let (margin, width) = (self.margin, self.best.len());
        for block in (0..width - margin).step_by(TOGETHER) {
            let here: [f32; TOGETHER] = std::array::from_fn(|i| here.get(block + i).copied().unwrap_or(0.0));
            let mut best = [f32::MIN; TOGETHER];
            for (k, changes) in changes.iter().enumerate() {
                let before = margin + block - self.intervals[k];
                let mut scores = self.reached(k, before);
                // What changes is gone again at the end of the interval.
                let mut between = [0.0f64; TOGETHER];
                for (frame, by) in changes {
                    let sums = &sums[before + frame..][..TOGETHER];
                    between.iter_mut().zip(sums).for_each(|(cost, sum)| *cost += by * sum);
                }
                for i in 0..TOGETHER {
                    let goes_on = scores[i] + here[i] + between[i] as f32;
                    scores[i] = greater(goes_on, self.start_score[block + i] - self.tempo_prior[k]);
                    best[i] = greater(best[i], scores[i]);
                }
                self.scores[k * width + margin + block..][..TOGETHER].copy_from_slice(&scores);
            }
            self.best[margin + block..][..TOGETHER].copy_from_slice(&best);
        }
    }

    /// The best scores of some frames from `before` on with which a sequence may go on with an interval.
    #[inline(always)]
    fn reached(&self, k: usize, before: usize) -> [f32; TOGETHER] {
        // A jump may come from any tempo, so only the best counts.
        let mut reached: [f32; TOGETHER] = std::array::from_fn(|i| self.best[before + i] - JUMP_COST);
        for (j, cost) in &self.tempo_transitions[k] {
            let scores = &self.scores[j * self.best.len() + before..][..TOGETHER];
            reached.iter_mut().zip(scores).for_each(|(best, score)| *best = greater(*best, score - cost));
        }
        reached
    }

    /// What the best sequence scores that ends at a frame: what sounds after it is not explained.
    fn total(&self, at: usize) -> f32 {
        self.best[self.margin + at]
            - (self.unexplained_cost[self.unexplained_cost.len() - 1] - self.unexplained_cost[at])
    }

    /// The frame that the best of all sequences ends with.
    fn best_final_frame(&self) -> usize {
        let frames = 0..self.unexplained_cost.len() - 1;
        frames.reduce(|best, at| if self.total(at) > self.total(best) { at } else { best }).unwrap_or(0)
    }

    fn best_interval(&self, frame: usize) -> usize {
        let score = |k: usize| self.scores[k * self.best.len() + frame];
        (0..self.intervals.len()).reduce(|best, k| if score(k) > score(best) { k } else { best }).unwrap_or(0)
    }

    /// The frames of the best sequence that ends with one.
    fn backtrack(&self, mut at: usize) -> Vec<usize> {
        let mut k = self.best_interval(self.margin + at);
        let mut beats = vec![at];
        while self.scores[k * self.best.len() + self.margin + at] > self.start_score[at] - self.tempo_prior[k] {
            let before = self.margin + at - self.intervals[k];
            let [reached, ..] = self.reached(k, before);
            let bent = self.tempo_transitions[k]
                .iter()
                .find(|(j, cost)| self.scores[j * self.best.len() + before] - cost == reached);
            at -= self.intervals[k];
            k = bent.map_or_else(|| self.best_interval(before), |(j, _)| *j);
            beats.push(at);
        }
        beats.reverse();
        beats
    }
}

/// Without regard to what is no number, as the processor compares.
#[inline(always)]
fn greater(a: f32, b: f32) -> f32 {
    if a > b { a } else { b }
}

/// For each interval, those that it may bend from, and what each of them costs.
fn tempo_transitions(intervals: &[usize]) -> Vec<Vec<(usize, f32)>> {
    let cost = |from: usize, to: usize| {
        // A difference of one frame is how whole frames count out an uneven tempo.
        let apart = (to.abs_diff(from)).saturating_sub(1) as f64 / from as f64;
        ((apart / BEND).powi(2) / 2.0) as f32 + if to == from { 0.0 } else { 0.05 }
    };
    intervals
        .iter()
        .map(|to| {
            let costs = intervals.iter().map(|from| cost(*from, *to)).enumerate();
            costs.filter(|(_, cost)| *cost < JUMP_COST).collect()
        })
        .collect()
}

/// After how many frames of an interval what an onset costs changes, and by how much.
fn changes_between(interval: usize) -> Vec<(usize, f64)> {
    let mut cost = 0.0;
    let mut changes = Vec::new();
    for frame in 0..=interval {
        let now = f64::from(cost_between(frame as f64 / interval as f64));
        if now != cost {
            changes.push((frame, now - cost));
            cost = now;
        }
    }
    changes
}

/// What an onset costs at this place between two beats, from 0 to 1.
fn cost_between(place: f64) -> f32 {
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

    /// What the best sequence scores a frame.
    fn score(strength: &[f32], period: f64) -> f64 {
        let lattice = decoded(strength, period).expect("long enough");
        f64::from(lattice.total(lattice.best_final_frame())) / strength.len() as f64
    }

    #[test]
    fn an_even_pulse_is_followed_from_its_first_to_its_last_beat() {
        // A tempo that falls between whole frames, behind two seconds of silence.
        let truth: Vec<f64> = (0..60).map(|i| 200.0 + f64::from(i) * 46.43).collect();
        let followed = track_beats(&onsets(&truth, 3100), 46.43);
        assert!(followed.len().abs_diff(60) <= 1, "{}", followed.len());
        assert!(worst(&followed, &truth) <= 2.0, "{followed:?}");
        assert!(followed[0].abs_diff(200) <= 2, "nothing before it sounds");
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
        let followed = track_beats(&onsets(&truth, at as usize + 40), 49.0);
        let right = truth.iter().filter(|t| followed.iter().any(|f| (*f as f64 - **t).abs() <= 3.0)).count();
        assert!(right >= 78, "{right} of 81");
        assert!(followed.len() <= 83, "{}", followed.len());
    }

    #[test]
    fn a_few_missing_beats_are_bridged() {
        let truth: Vec<f64> = (0..60).map(|i| 20.0 + f64::from(i) * 50.0).collect();
        let heard: Vec<f64> =
            truth.iter().copied().enumerate().filter(|(i, _)| !(20..28).contains(i)).map(|(_, t)| t).collect();
        let followed = track_beats(&onsets(&heard, 3040), 50.0);
        let right = truth.iter().filter(|t| followed.iter().any(|f| (*f as f64 - **t).abs() <= 2.0)).count();
        assert_eq!(right, 60);
    }

    #[test]
    fn what_sounds_between_beats_costs_by_its_place() {
        for interval in [40, 41, 57] {
            let changes = changes_between(interval);
            for frame in 0..interval {
                let summed: f64 = changes.iter().filter(|(from, _)| *from <= frame).map(|(_, by)| by).sum();
                let cost = f64::from(cost_between(frame as f64 / interval as f64));
                assert!((summed - cost).abs() < 1e-6, "{frame} of {interval}");
            }
            assert!(changes.iter().map(|(_, by)| by).sum::<f64>().abs() < 1e-6, "nothing is left at its end");
        }
        assert!(cost_between(0.4) > cost_between(0.25) && cost_between(0.25) > cost_between(0.5));
    }

    #[test]
    fn the_right_tempo_gains_more_than_another() {
        let truth: Vec<f64> = (0..60).map(|i| 20.0 + f64::from(i) * 50.0).collect();
        let strength = onsets(&truth, 3040);
        assert!(score(&strength, 50.0) > score(&strength, 75.0));
        assert!(track_beats(&[0.0; 60], 50.0).is_empty(), "too short to follow anything");
    }

    /// The same lattice, one frame and one interval after the other, as it is meant.
    fn slowly(strength: &[f32], period: f64) -> f64 {
        let shortest = (period / REACH).floor().max(TOGETHER as f64) as usize;
        let intervals: Vec<usize> = (shortest..=(period * REACH).ceil() as usize).collect();
        let n = strength.len();
        let wide = smoothed(strength);
        let tempo_transitions = tempo_transitions(&intervals);
        let unexplained_cost =
            |range: std::ops::Range<usize>| strength[range].iter().map(|s| 0.5 * BETWEEN * s).sum::<f32>();
        let mut scores = vec![vec![f32::MIN; intervals.len()]; n];
        let mut best_total = f32::MIN;
        for at in 0..n {
            for (k, interval) in intervals.iter().enumerate() {
                let here = REWARD * (wide[at] - EXPECTED);
                let tempo_prior = ((*interval as f64 / period).ln() / 0.2).powi(2) / 2.0;
                let start_score =
                    if at < n / 2 { here - unexplained_cost(0..at) - tempo_prior as f32 } else { f32::MIN };
                let goes_on = at.checked_sub(*interval).map_or(f32::MIN, |before| {
                    let jumped = scores[before].iter().copied().fold(f32::MIN, f32::max) - JUMP_COST;
                    let bent =
                        tempo_transitions[k].iter().map(|(j, cost)| scores[before][*j] - cost).fold(jumped, f32::max);
                    let place = |frame: usize| (frame - before) as f64 / *interval as f64;
                    bent + here - (before..at).map(|f| strength[f] * cost_between(place(f))).sum::<f32>()
                });
                scores[at][k] = start_score.max(goes_on);
                best_total = best_total.max(scores[at][k] - unexplained_cost(at..n));
            }
        }
        f64::from(best_total) / n as f64
    }

    proptest::proptest! {
        #![proptest_config(proptest::prelude::ProptestConfig::with_cases(24))]
        /// Some frames at once come to what one after the other does.
        #[test]
        fn walking_together_is_walking(
            strength in proptest::collection::vec(0.0f32..1.0, 90..260),
            period in 12.0f64..30.0,
        ) {
            let followed = track_beats(&strength, period);
            proptest::prop_assert!((score(&strength, period) - slowly(&strength, period)).abs() < 1e-4);
            let gaps: Vec<usize> = followed.windows(2).map(|w| w[1] - w[0]).collect();
            let allowed = (period / REACH).floor() as usize..=(period * REACH).ceil() as usize;
            proptest::prop_assert!(gaps.iter().all(|gap| allowed.contains(gap)), "{:?}", gaps);
            proptest::prop_assert!(followed.last().is_none_or(|last| *last < strength.len()));
        }
    }
}
