//! The assignment of selects to places that costs least, in numbers.
//!
//! What is asked for is the cheapest row of selects, one a place and none twice, where places, neighbours and sets of selects
//! cost. Without "none twice" the cheapest row is a shortest path through the places (Viterbi 1967). A price on each select
//! that is used more than once makes such a path dearer but never dearer than the best row, so its cost is a lower bound;
//! the prices that raise it most are found by subgradients (Held, Wolfe and Crowder 1974). The paths, with what they use
//! twice put right, are where a local search begins that exchanges, chains and lays stretches again.
//!
//! Deterministic: effort is counted in steps, never in time.

mod assign;
mod improve;
mod paths;
mod prices;

use super::Candidate;
use super::fit::Weights;
use crate::select::Tier;
use improve::State;
use std::collections::BTreeMap;

/// What a place costs that stays empty: more than any select.
pub const EMPTY: f64 = 1000.0;
/// What a broken order costs: more than all else together.
const BROKEN: f64 = 1e6;

/// Selects of which one should be used, and not more.
#[derive(Debug, Clone, PartialEq)]
pub struct SelectSet {
    /// The selects; each belongs to one set at most.
    pub members: Vec<usize>,
    /// What it costs when none of them is used.
    pub unused: f64,
    /// What each one beyond the first costs.
    pub repeated: f64,
}

/// What is to be laid, in costs.
#[derive(Debug, Clone, PartialEq)]
pub struct Problem {
    /// Place by select; infinite where it does not fit.
    pub place_cost: Vec<Vec<f64>>,
    /// Select by the select after it.
    pub join_cost: Vec<Vec<f64>>,
    /// What is asked of several selects together.
    pub sets: Vec<SelectSet>,
    /// The first of each pair stands before the second where both are used.
    pub orders: Vec<(usize, usize)>,
    /// Places that cannot stay empty.
    pub pinned: Vec<bool>,
    /// For the choices among equals.
    pub seed: u64,
}

/// A row of selects, and how good it is known to be.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// The select of each place; `None` where no select that is left fits.
    pub chosen: Vec<Option<usize>>,
    /// What it costs.
    pub total: f64,
    /// No row costs less.
    pub bound: f64,
}

impl SelectSet {
    /// The takes of each set-up, and each hero that is a set of its own.
    pub fn of<'a>(selects: impl IntoIterator<Item = (usize, &'a Candidate)>, weights: &Weights) -> Vec<Self> {
        let mut of_set_up: BTreeMap<usize, Vec<(usize, &Candidate)>> = BTreeMap::new();
        let mut all: Vec<Vec<(usize, &Candidate)>> = Vec::new();
        for (s, c) in selects {
            match c.set_up {
                Some(set_up) => of_set_up.entry(set_up).or_default().push((s, c)),
                None if c.tier == Tier::Hero => all.push(vec![(s, c)]),
                None => {}
            }
        }
        all.extend(of_set_up.into_values());
        let set = |members: Vec<(usize, &Candidate)>| Self {
            unused: if members.iter().any(|(_, c)| c.tier == Tier::Hero) { weights.hero } else { 0.0 },
            repeated: if members.len() > 1 { weights.alike } else { 0.0 },
            members: members.into_iter().map(|(s, _)| s).collect(),
        };
        all.into_iter().map(set).collect()
    }
}

impl Problem {
    /// What a row costs, broken orders included.
    pub fn cost(&self, chosen: &[Option<usize>]) -> f64 {
        let places: f64 = chosen.iter().enumerate().map(|(i, c)| c.map_or(EMPTY, |c| self.place_cost[i][c])).sum();
        let joins: f64 = chosen
            .windows(2)
            .map(|pair| match pair {
                [Some(a), Some(b)] => self.join_cost[*a][*b],
                _ => 0.0,
            })
            .sum();
        let used = |s: usize| chosen.iter().filter(|c| **c == Some(s)).count();
        let sets: f64 = self.sets.iter().map(|set| set_cost(set, set.members.iter().map(|s| used(*s)).sum())).sum();
        let place = |s: usize| chosen.iter().position(|c| *c == Some(s));
        let broken = |(a, b): &&(usize, usize)| place(*a).zip(place(*b)).is_some_and(|(a, b)| a > b);
        places + joins + sets + BROKEN * self.orders.iter().filter(broken).count() as f64
    }

    /// The best row that is found, and the bound.
    pub fn solve(&self) -> Row {
        Search::new(self).run()
    }
}

fn set_cost(set: &SelectSet, used: usize) -> f64 {
    match used {
        0 => set.unused,
        n => set.repeated * (n - 1) as f64,
    }
}

/// The numbers in the order in which they are read, with one more select that stands for "empty".
struct Search<'a> {
    problem: &'a Problem,
    places: usize,
    /// Selects, and the number of the empty one.
    selects: usize,
    /// One more than the selects.
    wide: usize,
    /// Place-major; in single precision, which is enough to compare by.
    place_cost: Vec<f32>,
    /// By the select before, and by the select after.
    join_cost: Vec<f32>,
    join_after: Vec<f32>,
    /// The set of a select, or none.
    set_of: Vec<Option<usize>>,
    /// Of each select: the others it is ordered with, and whether it comes before them.
    ordered: Vec<Vec<(usize, bool)>>,
}

impl<'a> Search<'a> {
    fn new(problem: &'a Problem) -> Self {
        let places = problem.place_cost.len();
        let selects = problem.join_cost.len();
        let wide = selects + 1;
        let mut place = Vec::with_capacity(places * wide);
        for (costs, pinned) in problem.place_cost.iter().zip(&problem.pinned) {
            place.extend_from_slice(costs);
            place.push(if *pinned { f64::INFINITY } else { EMPTY });
        }
        let mut join = Vec::with_capacity(wide * wide);
        for (s, costs) in problem.join_cost.iter().enumerate() {
            join.extend_from_slice(costs);
            // Nothing follows itself.
            join[s * wide + s] = f64::INFINITY;
            join.push(0.0);
        }
        join.resize(wide * wide, 0.0);
        let mut set_of = vec![None; wide];
        for (k, set) in problem.sets.iter().enumerate() {
            for s in &set.members {
                set_of[*s] = Some(k);
            }
        }
        let mut ordered = vec![Vec::new(); wide];
        for (a, b) in &problem.orders {
            ordered[*a].push((*b, true));
            ordered[*b].push((*a, false));
        }
        let narrow = |all: &[f64]| all.iter().map(|v| *v as f32).collect::<Vec<f32>>();
        Self {
            problem,
            places,
            selects,
            wide,
            place_cost: narrow(&place),
            join_after: (0..wide * wide).map(|n| join[n % wide * wide + n / wide] as f32).collect(),
            join_cost: narrow(&join),
            set_of,
            ordered,
        }
    }

    fn run(&self) -> Row {
        if self.places == 0 {
            let total = self.problem.cost(&[]);
            return Row { chosen: vec![], total, bound: total };
        }
        let (laid, bound) = self.relax();
        let best = self.polish(laid);
        let chosen = self.chosen(&best);
        let total = self.problem.cost(&chosen);
        Row { chosen, total, bound: bound.min(total) }
    }

    fn place(&self, i: usize, s: usize) -> f64 {
        f64::from(self.place_cost[i * self.wide + s])
    }

    fn join(&self, a: usize, b: usize) -> f64 {
        f64::from(self.join_cost[a * self.wide + b])
    }
}

#[cfg(test)]
mod tests;
