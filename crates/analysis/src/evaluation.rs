//! How near a reading of music comes to the truth: the usual measures of music information retrieval.
//!
//! Beats are judged by the F-measure and by continuity at allowed metrical levels (`AMLt`), as in Davies, Degara and
//! Plumbley, "Evaluation methods for musical audio beat tracking algorithms" (2009).

/// Precision, recall and their harmonic mean, each 0–1.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Agreement {
    /// The share of found ones that are true.
    pub precision: f64,
    /// The share of true ones that were found.
    pub recall: f64,
    /// Their harmonic mean.
    pub f: f64,
}

/// How many of the found times have a true one of their own within `tolerance` seconds, and the other way round.
/// Both lists are sorted.
pub fn agreement(truth: &[f64], found: &[f64], tolerance: f64) -> Agreement {
    let hits = matched(truth, found, tolerance).len() as f64;
    let share = |of: usize| if of == 0 { 1.0 } else { hits / of as f64 };
    let (precision, recall) = (share(found.len()), share(truth.len()));
    let f = if precision + recall > 0.0 { 2.0 * precision * recall / (precision + recall) } else { 0.0 };
    Agreement { precision, recall, f }
}

/// The distances of the matched times, found less true.
pub fn matched(truth: &[f64], found: &[f64], tolerance: f64) -> Vec<f64> {
    let (mut t, mut f) = (0, 0);
    let mut distances = Vec::new();
    while t < truth.len() && f < found.len() {
        let distance = found[f] - truth[t];
        if distance.abs() <= tolerance {
            distances.push(distance);
            t += 1;
            f += 1;
        } else if distance < 0.0 {
            f += 1;
        } else {
            t += 1;
        }
    }
    distances
}

/// The median of the distances' sizes; `None` when nothing matched.
pub fn median_error(distances: &[f64]) -> Option<f64> {
    let mut sizes: Vec<f64> = distances.iter().map(|d| d.abs()).collect();
    legere_core::stats::median(&mut sizes)
}

/// How far place and period may be off, as a share of the true period.
const CONTINUITY: f64 = 0.175;
/// What comes earlier does not count: listeners need some seconds too.
const SETTLING_SECONDS: f64 = 5.0;

/// The share of beats in continuously right stretches, at the best of the levels a listener might tap: as given,
/// on the off-beats, twice as often, or every second one.
pub fn amlt(truth: &[f64], found: &[f64]) -> f64 {
    let late = |list: &[f64]| list.iter().copied().filter(|t| *t >= SETTLING_SECONDS).collect::<Vec<_>>();
    let (truth, found) = (late(truth), late(found));
    if truth.len() < 2 || found.len() < 2 {
        return 0.0;
    }
    let middles: Vec<f64> = truth.windows(2).map(|w| (w[0] + w[1]) / 2.0).collect();
    let mut double: Vec<f64> = truth.iter().chain(&middles).copied().collect();
    double.sort_by(f64::total_cmp);
    let every_second = |from: usize| truth.iter().skip(from).step_by(2).copied().collect::<Vec<_>>();
    [truth.clone(), middles, double, every_second(0), every_second(1)]
        .iter()
        .map(|level| continuity(level, &found))
        .fold(0.0, f64::max)
}

fn continuity(truth: &[f64], found: &[f64]) -> f64 {
    if truth.len() < 2 {
        return 0.0;
    }
    let nearest = |at: f64| {
        let i = truth.partition_point(|t| *t < at);
        if i == truth.len() || (i > 0 && at - truth[i - 1] < truth[i] - at) { i - 1 } else { i }
    };
    let fits = |i: usize| {
        let n = nearest(found[i]);
        let period = if n > 0 { truth[n] - truth[n - 1] } else { truth[1] - truth[0] };
        let own = if i > 0 { found[i] - found[i - 1] } else { found[1] - found[0] };
        let in_place = (found[i] - truth[n]).abs() < CONTINUITY * period;
        (in_place && (1.0 - own / period).abs() < CONTINUITY).then_some(n)
    };
    let mut right = 0;
    let mut last = None;
    for i in 0..found.len() {
        let now = fits(i);
        // The first of a stretch has no right beat before it; the others follow one.
        if let Some(n) = now
            && last.is_none_or(|l: usize| n == l + 1)
        {
            right += 1;
        }
        last = now;
    }
    f64::from(right) / truth.len().max(found.len()) as f64
}

/// Whether a tempo is right within 4 %.
pub fn tempo_is_right(truth_bpm: f64, found_bpm: f64) -> bool {
    (found_bpm / truth_bpm - 1.0).abs() <= 0.04
}

/// Spearman's rank correlation of two series of the same length, −1 to 1; equal values are ranked in their order.
pub fn rank_correlation(a: &[f64], b: &[f64]) -> f64 {
    let ranks = |values: &[f64]| {
        let mut order: Vec<usize> = (0..values.len()).collect();
        order.sort_by(|i, j| values[*i].total_cmp(&values[*j]));
        let mut ranks = vec![0.0; values.len()];
        for (rank, i) in order.into_iter().enumerate() {
            ranks[i] = rank as f64;
        }
        ranks
    };
    let n = a.len() as f64;
    let apart: f64 = ranks(a).iter().zip(ranks(b)).map(|(x, y)| (x - y).powi(2)).sum();
    1.0 - 6.0 * apart / (n * (n * n - 1.0)).max(1.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn every(gap: f64, count: usize) -> Vec<f64> {
        (0..count).map(|i| i as f64 * gap).collect()
    }

    #[test]
    fn ranks_agree_whatever_the_scale() {
        let (a, b) = ([1.0, 4.0, 2.0, 3.0], [0.1, 900.0, 0.2, 5.0]);
        let opposite: Vec<f64> = b.iter().map(|v| -v).collect();
        assert_eq!((rank_correlation(&a, &b), rank_correlation(&a, &opposite)), (1.0, -1.0));
        assert!((rank_correlation(&[1.0, 2.0, 3.0], &[2.0, 1.0, 3.0]) - 0.5).abs() < 1e-9);
    }

    #[test]
    fn each_true_time_counts_once() {
        let a = agreement(&[1.0, 2.0, 3.0, 4.0], &[1.05, 1.06, 3.0, 5.0], 0.07);
        assert_eq!((a.precision, a.recall, a.f), (0.5, 0.5, 0.5));
        let none = agreement(&[], &[], 0.1);
        assert_eq!((none.precision, none.recall, none.f), (1.0, 1.0, 1.0));
        assert_eq!(agreement(&[1.0], &[], 0.1).f, 0.0);
    }

    #[test]
    fn errors_are_measured_where_times_match() {
        let found: Vec<f64> = matched(&[1.0, 2.0, 3.0], &[1.01, 1.99, 3.5], 0.07);
        assert_eq!(found.len(), 2);
        assert!((median_error(&found).expect("two") - 0.01).abs() < 1e-9);
        assert_eq!(median_error(&[]), None);
    }

    #[test]
    fn continuity_allows_the_levels_that_people_tap() {
        let truth = every(0.5, 80);
        assert_eq!(amlt(&truth, &truth), 1.0);
        assert!(amlt(&truth, &every(0.25, 160)) > 0.95, "double");
        assert!(amlt(&truth, &every(1.0, 40)) > 0.95, "half");
        let offbeat: Vec<f64> = truth.iter().map(|t| t + 0.25).collect();
        assert!(amlt(&truth, &offbeat) > 0.95, "off-beat");
        let shifted: Vec<f64> = truth.iter().map(|t| t + 0.125).collect();
        assert_eq!(amlt(&truth, &shifted), 0.0, "between");
        assert!(amlt(&truth, &every(0.6, 66)) < 0.2, "another tempo");
    }

    #[test]
    fn a_break_in_the_row_costs_only_its_own_beats() {
        let truth = every(0.5, 80);
        let mut found = truth.clone();
        found[40] += 0.2;
        let share = amlt(&truth, &found);
        assert!(share > 0.9 && share < 1.0, "{share}");
    }

    #[test]
    fn a_tempo_is_right_within_four_per_cent() {
        assert!(tempo_is_right(100.0, 103.9) && !tempo_is_right(100.0, 104.1) && !tempo_is_right(100.0, 50.0));
    }
}
