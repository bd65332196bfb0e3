//! Rows: what changes when a select moves, and the search for cheaper ones.

use super::{BROKEN, Search, set_cost};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Selects of a place that are tried in the end, the cheapest by their own costs.
const LONG_LIST: usize = 80;
/// How much luck weighs where a stretch is laid again, and how much dearer a row may be to be gone on from at the beginning.
const LUCK: f64 = 0.3;
const HEAT: f64 = 0.6;

/// A row while it is worked on.
#[derive(Clone)]
pub(super) struct State {
    /// The select of each place, or the empty one.
    pub(super) at: Vec<usize>,
    /// The place of each select, or the number of places.
    of: Vec<usize>,
    /// How many of each set are used.
    used: Vec<u32>,
    pub(super) total: f64,
}

impl<'a> Search<'a> {
    /// What each select costs at a place beside what stands there.
    fn beside<'s>(&'s self, at: &[usize], i: usize) -> impl Fn(usize) -> f64 + use<'s, 'a> {
        // The empty one joins at no cost.
        let before = if i > 0 { at[i - 1] } else { self.selects };
        let after = at.get(i + 1).copied().unwrap_or(self.selects);
        let place = &self.place_cost[i * self.wide..][..self.wide];
        let before = &self.join_cost[before * self.wide..][..self.wide];
        let after = &self.join_after[after * self.wide..][..self.wide];
        move |s| f64::from(place[s] + before[s] + after[s])
    }

    fn local(&self, at: &[usize], i: usize, s: usize) -> f64 {
        let before = if i > 0 { self.join(at[i - 1], s) } else { 0.0 };
        let after = at.get(i + 1).map_or(0.0, |next| self.join(s, *next));
        self.place(i, s) + before + after
    }

    /// What it costs to take a select out, as to its set: less than nothing where it was one too many.
    fn without(&self, state: &State, s: usize) -> f64 {
        let Some(k) = self.set_of[s] else { return 0.0 };
        let (set, n) = (&self.problem.sets[k], state.used[k] as usize);
        set_cost(set, n - 1) - set_cost(set, n)
    }

    /// What one more select costs, as to its set, once `out` is gone.
    fn with(&self, state: &State, s: usize, out: usize) -> f64 {
        let Some(k) = self.set_of[s] else { return 0.0 };
        let gone = usize::from(out != s && self.set_of[out] == Some(k));
        let (set, n) = (&self.problem.sets[k], state.used[k] as usize - gone);
        set_cost(set, n + 1) - set_cost(set, n)
    }

    /// Orders that a select breaks at a place; `but` is left out of account.
    fn broken(&self, state: &State, s: usize, i: usize, but: usize) -> f64 {
        if self.problem.orders.is_empty() {
            return 0.0;
        }
        let breaks = |(other, before): &&(usize, bool)| {
            let at = state.of[*other];
            *other != but && at < self.places && if *before { i > at } else { i < at }
        };
        BROKEN * self.ordered[s].iter().filter(breaks).count() as f64
    }

    /// Puts a select that is free at a place.
    fn put(&self, state: &mut State, i: usize, s: usize) {
        let old = state.at[i];
        if old < self.selects {
            state.of[old] = self.places;
            if let Some(k) = self.set_of[old] {
                state.used[k] -= 1;
            }
        }
        state.at[i] = s;
        if s < self.selects {
            state.of[s] = i;
            if let Some(k) = self.set_of[s] {
                state.used[k] += 1;
            }
        }
    }

    /// What changes when a free select replaces the one at a place.
    fn replaced(&self, state: &State, i: usize, s: usize) -> f64 {
        let old = state.at[i];
        self.local(&state.at, i, s) - self.local(&state.at, i, old)
            + self.leaving(state, i)
            + self.arriving(state, i, s)
    }

    /// What it changes beside places and joins that the select of a place goes.
    fn leaving(&self, state: &State, i: usize) -> f64 {
        let old = state.at[i];
        if old < self.selects { self.without(state, old) - self.broken(state, old, i, self.wide) } else { 0.0 }
    }

    /// What it changes beside places and joins that another comes in its stead.
    fn arriving(&self, state: &State, i: usize, s: usize) -> f64 {
        let old = state.at[i];
        if s < self.selects { self.with(state, s, old) + self.broken(state, s, i, old) } else { 0.0 }
    }

    /// What changes when two places exchange their selects.
    fn exchanged(&self, state: &State, i: usize, j: usize) -> f64 {
        let (i, j) = (i.min(j), i.max(j));
        let (a, b) = (state.at[i], state.at[j]);
        if !self.place(i, b).is_finite() || !self.place(j, a).is_finite() {
            return f64::INFINITY;
        }
        let at = &state.at;
        let mut delta = if j == i + 1 {
            let ends = |x: usize, y: usize| {
                let before = if i > 0 { self.join(at[i - 1], x) } else { 0.0 };
                let after = if j + 1 < self.places { self.join(y, at[j + 1]) } else { 0.0 };
                self.place(i, x) + self.place(j, y) + before + after + self.join(x, y)
            };
            ends(b, a) - ends(a, b)
        } else {
            self.local(at, i, b) + self.local(at, j, a) - self.local(at, i, a) - self.local(at, j, b)
        };
        if !self.ordered[a].is_empty() || !self.ordered[b].is_empty() {
            let each = |x: usize, at_x: usize, but: usize| {
                if x < self.selects { self.broken(state, x, at_x, but) } else { 0.0 }
            };
            let pair = |a_at: usize, b_at: usize| {
                let breaks =
                    |(other, before): &&(usize, bool)| *other == b && if *before { a_at > b_at } else { a_at < b_at };
                BROKEN * self.ordered[a].iter().filter(breaks).count() as f64
            };
            delta += each(a, j, b) + each(b, i, a) - each(a, i, b) - each(b, j, a) + pair(j, i) - pair(i, j);
        }
        delta
    }

    /// A row in which nothing is laid yet; its total is counted once something is.
    fn fresh(&self) -> State {
        State {
            at: vec![self.selects; self.places],
            of: vec![self.places; self.wide],
            used: vec![0; self.problem.sets.len()],
            total: 0.0,
        }
    }

    /// The selects of a row, as the problem counts them.
    pub(super) fn chosen(&self, state: &State) -> Vec<Option<usize>> {
        state.at.iter().map(|s| (*s < self.selects).then_some(*s)).collect()
    }

    /// A row after a path: what it uses twice stays where it is needed most, the rest is filled anew; then improved.
    pub(super) fn repaired(&self, path: &[usize], lists: &[Vec<u32>]) -> State {
        let mut state = self.fresh();
        let mut keep: Vec<Option<usize>> = vec![None; self.wide];
        for (i, s) in path.iter().enumerate().filter(|(_, s)| **s < self.selects) {
            let here = self.place(i, *s);
            match keep[*s] {
                Some(j) if self.place(j, *s) <= here => {}
                _ => keep[*s] = Some(i),
            }
        }
        for (s, i) in keep.iter().enumerate() {
            if let Some(i) = i {
                self.put(&mut state, *i, s);
            }
        }
        let mut open: Vec<usize> = (0..self.places).filter(|i| state.at[*i] == self.selects).collect();
        open.sort_by_key(|i| lists[*i].len());
        for i in open {
            self.fill(&mut state, i, lists, || 0.0);
        }
        state.total = self.problem.cost(&self.chosen(&state));
        let all: Vec<usize> = (0..self.places).collect();
        self.improve(&mut state, &all, lists, false);
        state
    }

    /// Puts the cheapest free select at an empty place, with luck added to each cost: of the shortlist, or of all where that
    /// has none.
    fn fill(&self, state: &mut State, i: usize, lists: &[Vec<u32>], mut luck: impl FnMut() -> f64) {
        let mut cheapest = |among: &mut dyn Iterator<Item = usize>| {
            let beside = self.beside(&state.at, i);
            let free = among.filter(|s| *s < self.selects && state.of[*s] == self.places);
            let costs = free.map(|s| (beside(s) + self.arriving(state, i, s) + luck(), s));
            costs.filter(|(cost, _)| cost.is_finite()).min_by(|a, b| a.0.total_cmp(&b.0))
        };
        let found = cheapest(&mut lists[i].iter().map(|s| *s as usize)).or_else(|| cheapest(&mut (0..self.selects)));
        if let Some((_, s)) = found {
            state.total += self.replaced(state, i, s);
            self.put(state, i, s);
        }
    }

    /// Exchanges, replacements and chains of two at these places, for as long as one of them makes the row cheaper.
    fn improve(&self, state: &mut State, places: &[usize], lists: &[Vec<u32>], chains: bool) {
        let mut queue: Vec<usize> = places.to_vec();
        let mut queued = vec![false; self.places];
        for i in &queue {
            queued[*i] = true;
        }
        while let Some(i) = queue.pop() {
            queued[i] = false;
            let Some(touched) = self.step(state, i, lists, chains) else { continue };
            for at in touched {
                for near in
                    [at.checked_sub(1), Some(at), Some(at + 1).filter(|n| *n < self.places)].into_iter().flatten()
                {
                    if !queued[near] {
                        queued[near] = true;
                        queue.push(near);
                    }
                }
            }
        }
    }

    /// The best change at a place, made; the places that it touched.
    fn step(&self, state: &mut State, i: usize, lists: &[Vec<u32>], chains: bool) -> Option<Vec<usize>> {
        let mut best = (-1e-7, None);
        let old = state.at[i];
        let beside = self.beside(&state.at, i);
        let less = self.leaving(state, i) - beside(old);
        for s in lists[i].iter().map(|s| *s as usize).filter(|s| *s != old) {
            // The empty one has no place either.
            let delta = match state.of[s] {
                j if j < self.places => self.exchanged(state, i, j),
                _ => beside(s) + less + self.arriving(state, i, s),
            };
            if delta < best.0 {
                best = (delta, Some(s));
            }
        }
        let (delta, Some(s)) = best else { return if chains { self.chain(state, i, lists) } else { None } };
        state.total += delta;
        let j = state.of[s];
        if j < self.places {
            self.exchange(state, i, j);
            Some(vec![i, j])
        } else {
            self.put(state, i, s);
            Some(vec![i])
        }
    }

    fn exchange(&self, state: &mut State, i: usize, j: usize) {
        state.at.swap(i, j);
        for at in [i, j] {
            if state.at[at] < self.selects {
                state.of[state.at[at]] = at;
            }
        }
    }

    /// The select of another place comes here, and a free one goes there.
    fn chain(&self, state: &mut State, i: usize, lists: &[Vec<u32>]) -> Option<Vec<usize>> {
        let old = state.at[i];
        for s in lists[i].iter().map(|s| *s as usize) {
            if s == old || s >= self.selects || state.of[s] == self.places {
                continue;
            }
            let j = state.of[s];
            if !self.ordered[s].is_empty() || !self.ordered[old].is_empty() || self.problem.pinned[j] {
                continue;
            }
            // What is gained here at most; the other place must not lose more.
            let gain = self.local(&state.at, i, old) - self.local(&state.at, i, s);
            if gain <= 0.0 && j.abs_diff(i) > 1 {
                continue;
            }
            let before = state.total;
            let saved = (state.at[i], state.at[j]);
            // Out, over and in, one after the other.
            state.total += self.replaced(state, j, self.selects);
            self.put(state, j, self.selects);
            state.total += self.replaced(state, i, s);
            self.put(state, i, s);
            let mut best = (f64::INFINITY, self.selects);
            for c in lists[j].iter().map(|c| *c as usize) {
                if c < self.selects && state.of[c] == self.places {
                    let delta = self.replaced(state, j, c);
                    if delta < best.0 {
                        best = (delta, c);
                    }
                }
            }
            if best.1 < self.selects && state.total + best.0 < before - 1e-7 {
                state.total += best.0;
                self.put(state, j, best.1);
                return Some(vec![i, j]);
            }
            self.put(state, i, saved.0);
            self.put(state, j, saved.1);
            state.total = before;
        }
        None
    }

    /// Stretches are emptied and laid again; what is not worse stays.
    pub(super) fn polish(&self, best: State) -> State {
        let mut rng = ChaCha8Rng::seed_from_u64(self.problem.seed);
        let lists = {
            let none = vec![0.0f32; self.wide];
            self.shortlists(&none, LONG_LIST)
        };
        let mut now = best;
        let all: Vec<usize> = (0..self.places).collect();
        self.improve(&mut now, &all, &lists, true);
        let mut best = now.clone();
        if self.places < 2 {
            return best;
        }
        let mut trial = now.clone();
        // A long row takes longer to improve at each turn.
        let turns = (300_000 / self.places).clamp(2000, 6000);
        for turn in 0..turns {
            let many = rng.random_range(2..=5.min(self.places));
            let first = rng.random_range(0..self.places);
            let mut freed: Vec<usize> = if rng.random_range(0..3) > 0 {
                (first..(first + many).min(self.places)).collect()
            } else {
                (0..many).map(|_| rng.random_range(0..self.places)).collect()
            };
            freed.retain(|i| !self.problem.pinned[*i]);
            trial.clone_from(&now);
            for i in &freed {
                trial.total += self.replaced(&trial, *i, self.selects);
                self.put(&mut trial, *i, self.selects);
            }
            for n in (1..freed.len()).rev() {
                freed.swap(n, rng.random_range(0..=n));
            }
            for i in &freed {
                self.fill(&mut trial, *i, &lists, || f64::from(rng.random::<f32>()) * LUCK);
            }
            self.improve(&mut trial, &freed, &lists, false);
            let heat = HEAT * (1.0 - turn as f64 / turns as f64);
            if trial.total <= now.total + heat * rng.random::<f64>() {
                std::mem::swap(&mut now, &mut trial);
                if now.total < best.total - 1e-9 {
                    best.clone_from(&now);
                }
            }
        }
        best
    }
}
