use super::{EMPTY, Problem, Row, SelectSet};
use proptest::prelude::*;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// One with as many selects that fit as not, in quarters, so that many rows are close to each other.
fn problem(seed: u64, places: usize, selects: usize) -> Problem {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut quarters = |most: u32| f64::from(rng.random_range(0..=most)) / 4.0;
    let place_cost = (0..places)
        .map(|_| (0..selects).map(|_| if quarters(4) < 0.5 { f64::INFINITY } else { quarters(12) }).collect())
        .collect();
    let join_cost = (0..selects).map(|_| (0..selects).map(|_| quarters(6)).collect()).collect();
    let half = selects / 2;
    let sets = vec![
        SelectSet { members: (0..half).collect(), unused: 0.0, repeated: quarters(12) },
        SelectSet { members: vec![selects - 1], unused: quarters(20), repeated: 0.0 },
    ];
    let mut pinned = vec![false; places];
    let mut problem = Problem { place_cost, join_cost, sets, orders: vec![(0, 1), (2, 0)], pinned: vec![], seed };
    if seed.is_multiple_of(3) {
        // The last select at the first place, and nowhere else.
        pinned[0] = true;
        for (i, costs) in problem.place_cost.iter_mut().enumerate() {
            costs[selects - 1] = if i == 0 { 1.0 } else { f64::INFINITY };
        }
        problem.place_cost[0][..selects - 1].fill(f64::INFINITY);
    }
    Problem { pinned, ..problem }
}

/// The cheapest of all rows.
fn cheapest(problem: &Problem) -> f64 {
    fn go(problem: &Problem, row: &mut Vec<Option<usize>>, best: &mut f64) {
        let i = row.len();
        if i == problem.place_cost.len() {
            *best = best.min(problem.cost(row));
            return;
        }
        let free = (0..problem.join_cost.len())
            .filter(|s| problem.place_cost[i][*s].is_finite() && !row.contains(&Some(*s)))
            .map(Some)
            .collect::<Vec<_>>();
        let empty = (!problem.pinned[i]).then_some(None);
        for s in free.into_iter().chain(empty) {
            row.push(s);
            go(problem, row, best);
            row.pop();
        }
    }
    let mut best = f64::INFINITY;
    go(problem, &mut Vec::new(), &mut best);
    best
}

fn holds(problem: &Problem, row: &Row) -> Result<(), TestCaseError> {
    let used: Vec<usize> = row.chosen.iter().flatten().copied().collect();
    for (n, s) in used.iter().enumerate() {
        prop_assert!(!used[..n].contains(s), "{s} is used twice");
    }
    for (i, s) in row.chosen.iter().enumerate() {
        prop_assert!(s.is_none_or(|s| problem.place_cost[i][s].is_finite()), "it does not fit at {i}");
        prop_assert!(!problem.pinned[i] || s.is_some(), "{i} is pinned");
    }
    let place = |s: &usize| row.chosen.iter().position(|c| *c == Some(*s));
    for (a, b) in &problem.orders {
        prop_assert!(place(a).zip(place(b)).is_none_or(|(a, b)| a < b), "{a} before {b}");
    }
    prop_assert!((row.total - problem.cost(&row.chosen)).abs() < 1e-9);
    prop_assert!(row.bound <= row.total + 1e-9);
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Few enough to go through all of them.
    #[test]
    fn small_problems_are_solved_exactly(seed in 0u64..100_000, places in 1usize..6, selects in 4usize..8) {
        let problem = problem(seed, places, selects);
        let (row, least) = (problem.solve(), cheapest(&problem));
        holds(&problem, &row)?;
        prop_assert!((row.total - least).abs() < 1e-6, "{} instead of {least}", row.total);
        prop_assert!(row.bound <= least + 1e-6, "the bound {} is above {least}", row.bound);
    }

    #[test]
    fn no_rule_is_broken_in_large_ones(seed in 0u64..100_000) {
        let problem = problem(seed, 30, 40);
        holds(&problem, &problem.solve())?;
    }
}

#[test]
fn one_seed_gives_one_row() {
    let problem = problem(7, 30, 60);
    assert_eq!(problem.solve(), problem.solve());
}

/// Three places and two selects: the place that loses least stays empty.
#[test]
fn a_place_stays_empty_where_nothing_is_left() {
    let costs = |a, b| vec![a, b];
    let problem = Problem {
        place_cost: vec![costs(1.0, f64::INFINITY), costs(2.0, f64::INFINITY), costs(5.0, 0.5)],
        join_cost: vec![vec![0.0; 2]; 2],
        sets: vec![],
        orders: vec![],
        pinned: vec![false; 3],
        seed: 0,
    };
    let row = problem.solve();
    assert_eq!(row.chosen, [Some(0), None, Some(1)]);
    assert!((row.total - EMPTY - 1.5).abs() < 1e-9);
}

#[test]
fn what_should_not_be_left_out_is_used_and_what_is_alike_is_not_repeated() {
    // The hero is dear everywhere; the other three are takes of one thing.
    let costs = vec![0.0, 0.1, 0.2, 1.5];
    let sets = vec![
        SelectSet { members: vec![0, 1, 2], unused: 0.0, repeated: 1.0 },
        SelectSet { members: vec![3], unused: 4.0, repeated: 0.0 },
    ];
    let problem = |sets| Problem {
        place_cost: vec![costs.clone(), costs.clone()],
        join_cost: vec![vec![0.0; 4]; 4],
        sets,
        orders: vec![],
        pinned: vec![false; 2],
        seed: 0,
    };
    let used = |sets| {
        let mut used: Vec<usize> = problem(sets).solve().chosen.into_iter().flatten().collect();
        used.sort_unstable();
        used
    };
    assert_eq!(used(vec![]), [0, 1]);
    assert_eq!(used(sets), [0, 3]);
}
