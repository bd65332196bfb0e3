//! The cheapest paths through the places. None goes from one select to another and back at once: a path that may do that is
//! much cheaper than any row, and the bound that much lower. Each select of a place keeps its two cheapest ways, from two
//! different selects (Houck, Picard, Queyranne and Vemuganti 1980).

use super::Search;

/// Joins between the shortlists of neighbours, side by side in memory: a pass reads them in order.
pub(super) struct ShortPaths<'a> {
    lists: &'a [Vec<u32>],
    /// Of each place but the first two: where the selects of the list two before stand in its own.
    again: Vec<Vec<Option<usize>>>,
    empty: u32,
    /// Of each place, its selects' costs.
    costs: Vec<Vec<f32>>,
    /// Of each place but the first: before-major joins to the selects of the place before.
    joins: Vec<Vec<f32>>,
}

impl<'a> ShortPaths<'a> {
    pub(super) fn new(search: &Search, lists: &'a [Vec<u32>]) -> Self {
        let costs = lists
            .iter()
            .enumerate()
            .map(|(i, list)| list.iter().map(|s| search.place_cost[i * search.wide + *s as usize]).collect());
        let joins = lists.windows(2).map(|pair| {
            let row = |a: &u32| &search.join_cost[*a as usize * search.wide..][..search.wide];
            pair[0].iter().flat_map(|a| pair[1].iter().map(move |b| row(a)[*b as usize])).collect()
        });
        let empty = search.selects as u32;
        let again = lists.windows(3).map(|three| {
            let spot = |s: &u32| three[2].iter().position(|again| again == s).filter(|_| *s != empty);
            three[0].iter().map(spot).collect()
        });
        Self { costs: costs.collect(), joins: joins.collect(), again: again.collect(), empty, lists }
    }

    /// The cheapest path by the prices that never goes back to the select before the last.
    pub(super) fn path(&self, more: &[f32]) -> (f64, Vec<usize>) {
        let priced = |i: usize| -> Vec<f32> {
            self.lists[i].iter().zip(&self.costs[i]).map(|(s, cost)| cost + more[*s as usize]).collect()
        };
        let mut layers: Vec<Layer> = vec![Layer::first(priced(0))];
        for (i, joins) in self.joins.iter().enumerate() {
            let here = &self.lists[i + 1];
            let back = |from: usize| {
                let again = self.again.get(i.checked_sub(1)?)?;
                *again.get(layers[i].came[from] as usize)?
            };
            let rows = joins.chunks_exact(here.len()).enumerate();
            let next = layers[i].go_on(rows, &priced(i + 1), back);
            layers.push(next);
        }
        let join = |i: usize, from: usize, to: usize| self.joins[i][from * self.lists[i + 1].len() + to];
        let (sum, spots) = walk_back(&layers, self.empty, join, |i, spot| self.lists[i][spot]);
        (sum, spots.iter().zip(self.lists).map(|(spot, list)| list[*spot] as usize).collect())
    }
}

/// The cheapest ways to the selects of a place: the best, and the best that came from another select than it.
struct Layer {
    best: Vec<f32>,
    other: Vec<f32>,
    /// Where the best came from; as a float, so that it is chosen as fast as the sums are.
    came: Vec<f32>,
}

impl Layer {
    fn first(costs: Vec<f32>) -> Self {
        Self { other: costs.clone(), came: vec![f32::MAX; costs.len()], best: costs }
    }

    /// The next place. `back` says where the select stands there that the best way to one came from.
    fn go_on<'b>(
        &self,
        rows: impl Iterator<Item = (usize, &'b [f32])>,
        costs: &[f32],
        back: impl Fn(usize) -> Option<usize>,
    ) -> Self {
        let wide = costs.len();
        let mut next =
            Self { best: vec![f32::INFINITY; wide], other: vec![f32::INFINITY; wide], came: vec![0.0; wide] };
        for (from, row) in rows {
            let so_far = self.best[from];
            if !so_far.is_finite() {
                continue;
            }
            // The one step that would go back is taken apart from the others.
            let back = back(from).filter(|to| *to < wide);
            let kept = back.map(|to| (to, next.best[to], next.other[to], next.came[to]));
            next.all(from as f32, so_far, row);
            if let Some((to, best, other, came)) = kept {
                (next.best[to], next.other[to], next.came[to]) = (best, other, came);
                next.one(from as f32, self.other[from] + row[to], to);
            }
        }
        for ((best, other), cost) in next.best.iter_mut().zip(&mut next.other).zip(costs) {
            *best += cost;
            *other += cost;
        }
        next
    }

    /// What a way to a select may cost with its cheapest join, so that it can be among the two best to any other: three
    /// ways reach every select for less, and of those one may be barred, being the select itself.
    fn limit(&self, reach: &[(f32, f32)]) -> f32 {
        let mut dearest: Vec<f32> = self.other.iter().zip(reach).map(|(cost, (_, most))| cost + most).collect();
        if dearest.len() < 4 {
            return f32::INFINITY;
        }
        *dearest.select_nth_unstable_by(2, f32::total_cmp).1
    }

    /// Goes on from one select to all.
    fn all(&mut self, from: f32, so_far: f32, row: &[f32]) {
        for (((best, other), came), join) in self.best.iter_mut().zip(&mut self.other).zip(&mut self.came).zip(row) {
            let sum = so_far + join;
            let dearer = if sum < *best { *best } else { sum };
            *came = if sum < *best { from } else { *came };
            *best = if sum < *best { sum } else { *best };
            *other = if dearer < *other { dearer } else { *other };
        }
    }

    /// Goes on from one select to one.
    fn one(&mut self, from: f32, sum: f32, to: usize) {
        if sum < self.best[to] {
            (self.other[to], self.best[to], self.came[to]) = (self.best[to], sum, from);
        } else if sum < self.other[to] {
            self.other[to] = sum;
        }
    }
}

/// The path that led to the least of the last sums. Which way was taken is looked for again, one place at a time.
fn walk_back(
    layers: &[Layer],
    empty: u32,
    join: impl Fn(usize, usize, usize) -> f32,
    select: impl Fn(usize, usize) -> u32,
) -> (f64, Vec<usize>) {
    let Some(last) = layers.last() else { return (0.0, Vec::new()) };
    let (mut spot, sum) =
        last.best.iter().copied().enumerate().min_by(|a, b| a.1.total_cmp(&b.1)).unwrap_or((0, f32::INFINITY));
    let mut path = vec![spot; layers.len()];
    // The select that the row would go back to from the one behind.
    let mut barred: Option<u32> = None;
    for i in (1..layers.len()).rev() {
        let before = &layers[i - 1];
        let reach = |from: usize| {
            if barred == Some(select(i - 1, from)) {
                return f32::INFINITY;
            }
            let here = select(i, spot);
            let goes_back = i >= 2 && here != empty && select(i - 2, before.came[from] as usize) == here;
            let so_far = if goes_back { before.other[from] } else { before.best[from] };
            so_far + join(i - 1, from, spot)
        };
        let from = (0..before.best.len())
            .map(|from| (from, reach(from)))
            .min_by(|a, b| a.1.total_cmp(&b.1))
            .map_or(0, |f| f.0);
        barred = Some(select(i, spot)).filter(|s| *s != empty);
        spot = from;
        path[i - 1] = spot;
    }
    (f64::from(sum), path)
}

impl Search<'_> {
    /// The cheapest path over all selects that never goes back to the select before the last.
    pub(super) fn path(&self, more: &[f32]) -> (f64, Vec<usize>) {
        let wide = self.wide;
        let priced = |i: usize| -> Vec<f32> {
            self.place_cost[i * wide..][..wide].iter().zip(more).map(|(cost, more)| cost + more).collect()
        };
        let mut layers: Vec<Layer> = vec![Layer::first(priced(0))];
        // The cheapest and the dearest join from each select.
        let reach = |s: usize| {
            let row = &self.join_cost[s * wide..][..wide];
            let finite = row.iter().filter(|join| join.is_finite());
            finite.fold((f32::INFINITY, f32::NEG_INFINITY), |(least, most), join| (least.min(*join), most.max(*join)))
        };
        let reach: Vec<(f32, f32)> = (0..wide).map(reach).collect();
        for i in 1..self.places {
            let limit = layers[i - 1].limit(&reach);
            let before = &layers[i - 1].best;
            let rows = self
                .join_cost
                .chunks_exact(wide)
                .enumerate()
                .filter(|(from, _)| before[*from] + reach[*from].0 <= limit);
            let back = |from: usize| {
                let came = (i > 1).then(|| layers[i - 1].came[from] as usize);
                came.filter(|to| *to < self.selects && from < self.selects)
            };
            let next = layers[i - 1].go_on(rows, &priced(i), back);
            layers.push(next);
        }
        let join = |_, from: usize, to: usize| self.join_cost[from * wide + to];
        let (sum, path) = walk_back(&layers, self.selects as u32, join, |_, s| s as u32);
        // Single precision errs by less than this over a row.
        (sum - sum.abs() * 1e-6 * self.places.max(8) as f64 / 8.0, path)
    }
}
