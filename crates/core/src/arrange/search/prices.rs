//! The bound: prices on what is used twice.

use super::paths::ShortPaths;
use super::{EMPTY, Search, State};

/// Selects that are looked at first at a place, the cheapest by the prices: so many, or in a long row fewer.
const SHORTLIST: (usize, usize) = (40, 28);
/// How often the prices that short lists led to are weighed against all selects, and the lists drawn up again.
const ROUNDS: usize = 3;
/// Steps of the prices in the first round, and in each one after it.
const STEPS: (usize, usize) = (100, 20);
/// How much of the direction of the step before is kept (Camerini, Fratta and Maffioli 1975).
const KEEP: f64 = 0.3;
/// Steps without a better bound after which they become smaller.
const PATIENCE: usize = 6;
/// Steps between two rows that are made of a path.
const BETWEEN_ROWS: usize = 34;

/// Prices of the selects, then of the sets.
struct Prices {
    now: Vec<f64>,
    /// Between which each may lie.
    limits: Vec<(f64, f64)>,
    /// Where the last steps led.
    direction: Vec<f64>,
}

impl Prices {
    fn new(search: &Search, selects: &[f64]) -> Self {
        let sets = &search.problem.sets;
        let now = selects.iter().copied().chain(sets.iter().map(|_| 0.0)).collect();
        let limits = selects.iter().map(|_| (0.0, f64::INFINITY));
        let limits: Vec<(f64, f64)> = limits.chain(sets.iter().map(|set| (-set.unused, set.repeated))).collect();
        Self { now, direction: vec![0.0; limits.len()], limits }
    }

    /// What each select costs more by the prices, and what all of them give back.
    fn priced(&self, search: &Search) -> (Vec<f32>, f64) {
        let of_set = |s: usize| search.set_of[s].map_or(0.0, |k| self.now[search.selects + k]);
        let more = (0..search.selects).map(|s| (self.now[s] + of_set(s)) as f32);
        (more.chain([0.0]).collect(), self.now.iter().sum())
    }

    /// Dearer what the path uses more than once, cheaper what it leaves; by so much that a path without either would close
    /// the gap (Polyak 1969).
    fn step(&mut self, search: &Search, path: &[usize], gap: f64) {
        let mut uses = vec![0.0; self.now.len()];
        for s in path.iter().filter(|s| **s < search.selects) {
            uses[*s] += 1.0;
            if let Some(k) = search.set_of[*s] {
                uses[search.selects + k] += 1.0;
            }
        }
        let mut norm = 0.0;
        for (((uses, price), limits), direction) in
            uses.iter().zip(&self.now).zip(&self.limits).zip(&mut self.direction)
        {
            let slope: f64 = uses - 1.0;
            let stuck = slope < 0.0 && *price <= limits.0 || slope > 0.0 && *price >= limits.1;
            let slope = if stuck { 0.0 } else { slope };
            *direction = slope + KEEP * *direction;
            norm += slope * slope;
        }
        if norm > 0.0 {
            for ((price, limits), direction) in self.now.iter_mut().zip(&self.limits).zip(&self.direction) {
                *price = (*price + gap / norm * direction).clamp(limits.0, limits.1);
            }
        }
    }
}

impl Search<'_> {
    /// The cheapest selects of each place by the prices.
    pub(super) fn shortlists(&self, more: &[f32], most: usize) -> Vec<Vec<u32>> {
        (0..self.places)
            .map(|i| {
                let cost = |s: &u32| self.place_cost[i * self.wide + *s as usize] + more[*s as usize];
                let mut all: Vec<u32> = (0..self.wide as u32).filter(|s| cost(s).is_finite()).collect();
                if all.len() > most {
                    all.select_nth_unstable_by(most, |a, b| cost(a).total_cmp(&cost(b)));
                    all.truncate(most);
                }
                if !all.contains(&(self.selects as u32)) && !self.problem.pinned[i] {
                    all.push(self.selects as u32);
                }
                all
            })
            .collect()
    }

    /// The best row that a path led to, and the best bound.
    pub(super) fn relax(&self) -> (State, f64) {
        let (assigned, selects) = self.assigned();
        let mut prices = Prices::new(self, &selects);
        let short = (3400 / self.places).clamp(SHORTLIST.1, SHORTLIST.0);
        let mut lists = self.shortlists(&prices.priced(self).0, short);
        let mut best = self.repaired(&assigned, &lists);
        let mut bound = f64::NEG_INFINITY;
        for round in 0..ROUNDS {
            // Short lists find the prices; the whole says what they are worth, and which selects the lists lack.
            self.climb(&mut prices, &lists, if round == 0 { (1.0, STEPS.0) } else { (0.5, STEPS.1) }, &mut best);
            let (more, back) = prices.priced(self);
            let (cost, path) = self.path(&more);
            bound = bound.max(cost - back);
            let known = path.iter().zip(&lists).all(|(s, list)| list.contains(&(*s as u32)));
            if best.total - bound < 1e-4 * best.total.abs().max(1.0) || known && round > 0 {
                break;
            }
            lists = self.shortlists(&more, short);
            for ((list, of_best), of_path) in lists.iter_mut().zip(&best.at).zip(&path) {
                for s in [*of_best as u32, *of_path as u32] {
                    if !list.contains(&s) {
                        list.push(s);
                    }
                }
            }
        }
        (best, bound)
    }

    /// Raises the cheapest path over the shortlists by so many steps at most, each so large a part of the gap. Leaves the
    /// prices that raised it most, and the best row of those that its paths led to.
    fn climb(&self, prices: &mut Prices, lists: &[Vec<u32>], (mut part, steps): (f64, usize), best: &mut State) {
        let short = ShortPaths::new(self, lists);
        let (mut top, mut of_top, mut since) = (f64::NEG_INFINITY, prices.now.clone(), 0);
        prices.direction.fill(0.0);
        for step in 1..=steps {
            let (more, back) = prices.priced(self);
            let (cost, path) = short.path(&more);
            let value = cost - back;
            since += 1;
            if value > top + 1e-6 {
                (top, since) = (value, 0);
                of_top.clone_from(&prices.now);
            } else if since >= PATIENCE {
                (part, since) = (part * 0.6, 0);
            }
            if step % BETWEEN_ROWS == 0 || step == steps {
                let row = self.repaired(&path, lists);
                if row.total < best.total - 1e-9 {
                    *best = row;
                }
            }
            if best.total - top < 1e-6 || part < 0.01 {
                break;
            }
            // A row with empty places says nothing about how far there is to go.
            let most = if best.total < EMPTY { f64::INFINITY } else { 1.0 + 0.1 * value.abs() };
            prices.step(self, &path, part * (best.total - value).clamp(1e-3, most));
        }
        prices.now = of_top;
    }
}
