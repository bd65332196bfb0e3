//! The assignment without joins, where the prices begin.

use super::Search;

impl Search<'_> {
    /// The assignment that costs least without joins, and the price that each select has in it (Kuhn 1955, by shortest
    /// augmenting paths as Jonker and Volgenant 1987).
    pub(super) fn assigned(&self) -> (Vec<usize>, Vec<f64>) {
        // Selects, then an empty one for each place.
        let many = self.selects + self.places;
        let cost = |i: usize, s: usize| {
            if s < self.selects {
                self.place(i, s)
            } else if s == self.selects + i {
                self.place(i, self.selects)
            } else {
                f64::INFINITY
            }
        };
        let (mut of_place, mut of_select) = (vec![0.0; self.places], vec![0.0; many]);
        let mut owner: Vec<Option<usize>> = vec![None; many];
        for first in 0..self.places {
            let mut dearer = vec![f64::INFINITY; many];
            let mut came: Vec<Option<usize>> = vec![None; many];
            let mut seen = vec![false; many];
            let (mut place, mut at): (usize, Option<usize>) = (first, None);
            let end = loop {
                let mut nearest = (f64::INFINITY, None);
                for s in (0..many).filter(|s| !seen[*s]) {
                    let slack = cost(place, s) - of_place[place] - of_select[s];
                    if slack < dearer[s] {
                        dearer[s] = slack;
                        came[s] = at;
                    }
                    if dearer[s] < nearest.0 {
                        nearest = (dearer[s], Some(s));
                    }
                }
                let (by, Some(next)) = nearest else { break None };
                of_place[first] += by;
                for s in 0..many {
                    if seen[s] {
                        of_select[s] -= by;
                        if let Some(i) = owner[s] {
                            of_place[i] += by;
                        }
                    } else {
                        dearer[s] -= by;
                    }
                }
                seen[next] = true;
                at = Some(next);
                match owner[next] {
                    Some(i) => place = i,
                    None => break at,
                }
            };
            // Each select on the way goes over to the place before.
            let mut here = end;
            while let Some(s) = here {
                owner[s] = came[s].map_or(Some(first), |before| owner[before]);
                here = came[s];
            }
        }
        let mut row = vec![self.selects; self.places];
        for (s, owner) in owner.iter().enumerate().take(self.selects) {
            if let Some(i) = owner {
                row[*i] = s;
            }
        }
        (row, of_select.iter().take(self.selects).map(|price| -price).collect())
    }
}
