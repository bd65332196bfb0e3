//! The assignment that is best as a whole.
//!
//! What each select costs in each place and behind each other one is handed to [`super::search`] as numbers, with what is
//! asked of several together: a set-up is shown once, and no hero is left out. Where there is too little, places stay empty:
//! black, behind the shot before them.

use super::around::Stands;
use super::borders::Moved;
use super::fit::{self, Showing};
use super::plan::{ArrangeError, Arranger};
use super::search::{Problem, Row, SelectSet};
use super::{Candidate, Slot};
use crate::draft::{Draft, Pause, Pin, Shot, Source, Stop};
use crate::id::{SelectId, ShotId, ShotIds};
use crate::select::Tier;
use crate::time::{FrameLen, FramePos};
use std::collections::{BTreeSet, HashMap, HashSet};

/// A draft with the slots it was laid into.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrangement {
    /// The draft.
    pub draft: Draft,
    /// The places that it fills.
    pub slots: Vec<Slot>,
    /// What it costs in the places that were planned, pinned shots aside.
    pub total: f64,
    /// No row of these selects in those places costs less.
    pub bound: f64,
    /// What was saved by moving cuts to marks beside theirs.
    pub saved: f64,
    /// What stays empty, in frames of the draft: no select that was left is long enough.
    pub missing: Vec<Missing>,
}

/// A place that nothing was found for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Missing {
    /// Where it is black from.
    pub at: FramePos,
    /// For how long.
    pub len: FrameLen,
}

/// More candidates than this are not all searched among: joins are held for each pair of them.
const MOST_CONSIDERED: usize = 800;
/// So many of each place are, then.
const CHEAPEST: usize = 40;
/// What is tried to make a draft differ from another one: by how much that one's selects become dearer where it shows them.
const UNLIKE: [f64; 4] = [0.5, 0.5, 1.0, 2.0];

impl Arranger<'_> {
    /// The cheapest row of selects that is found. New shots get their ids from `ids`; each seed begins the search elsewhere.
    /// Beside another draft it is really different: at least half of its open places show another select, where the selects
    /// allow it.
    pub fn solve(&self, ids: &mut ShotIds, seed: u64) -> Result<Arrangement, ArrangeError> {
        let open = self.places.iter().filter(|place| place.is_free()).count();
        let considered = self.considered();
        let mut problem = self.problem(&considered, seed);
        let mut row = problem.solve();
        let (bound, mut added) = (row.bound, 0.0);
        let as_beside = |row: &Row| {
            let chosen = row.chosen.iter().enumerate();
            chosen.filter(|(place, s)| self.is_as_beside(*place, s.and_then(|s| considered[s]))).count()
        };
        for dearer in UNLIKE {
            if as_beside(&row) * 2 <= open {
                break;
            }
            for (place, costs) in problem.place_cost.iter_mut().enumerate() {
                let same = costs.iter_mut().zip(&considered).filter(|(_, c)| self.is_as_beside(place, **c));
                same.for_each(|(cost, _)| *cost += dearer);
            }
            added += dearer;
            row = problem.solve();
        }
        let chosen: Vec<Option<usize>> = row.chosen.iter().map(|s| s.and_then(|s| considered[s])).collect();
        // What it costs by itself: being like the other is no fault of a shot.
        let total = row.total - added * as_beside(&row) as f64;
        let moved = self.moved_borders(&chosen);
        Ok(Arrangement { total, bound, ..self.built(&chosen, moved, ids)? })
    }

    /// Another draft of the same music, which this one is to differ from.
    #[must_use]
    pub fn unlike(mut self, other: &Draft) -> Self {
        let middle = |slot: &Slot| slot.start.get() + slot.len.get() as i64 / 2;
        let shown = |slot: &Slot| {
            let shot =
                other.placed().find(|(at, shot)| (at.get()..at.get() + shot.len.get() as i64).contains(&middle(slot)));
            shot.map(|(_, shot)| shot.source.select)
        };
        self.beside = self.slots().map(shown).collect();
        self
    }

    /// Whether a candidate at an open place is what the other draft shows there.
    fn is_as_beside(&self, place: usize, candidate: Option<usize>) -> bool {
        let other = self.beside.get(place).copied().flatten();
        self.places[place].is_free() && other.is_some() && candidate.map(|c| self.candidates[c].select) == other
    }

    /// The candidates that are searched among, by their numbers in the problem: in a large job the cheapest of each place and
    /// the heroes. Behind them one for each pinned shot.
    fn considered(&self) -> Vec<Option<usize>> {
        let mut all: BTreeSet<usize> = (0..self.candidates.len()).collect();
        if all.len() > MOST_CONSIDERED {
            let story = [self.story.opening, self.story.closing];
            let wanted = |c: &Candidate| c.tier == Tier::Hero || story.contains(&Some(c.select));
            all.retain(|c| wanted(self.candidates[*c]));
            for fits in &self.fits {
                let cost = |c: &usize| fits[*c].as_ref().map_or(f64::INFINITY, |fit| fit.cost.total());
                let mut fitting: Vec<usize> = (0..fits.len()).filter(|c| fits[*c].is_some()).collect();
                fitting.sort_by(|a, b| cost(a).total_cmp(&cost(b)));
                all.extend(fitting.into_iter().take(CHEAPEST));
            }
        }
        let pinned = self.kept_shots().map(|shot| self.index_of(shot));
        all.into_iter().map(Some).chain(pinned).collect()
    }

    /// The candidates in all places, as numbers. A kept shot is a select of its own, which joins as its candidate does.
    fn problem(&self, considered: &[Option<usize>], seed: u64) -> Problem {
        let pinned: Vec<usize> = (0..self.places.len()).filter(|place| !self.places[*place].is_free()).collect();
        let (free, of_pins) = considered.split_at(considered.len() - pinned.len());
        let taken: HashSet<usize> = of_pins.iter().copied().flatten().collect();
        let ends = self.ends_of_story(&taken);
        let cost_of = |place: usize, c: &Option<usize>| {
            let open = (*c).filter(|c| self.places[place].is_free() && !taken.contains(c));
            // What opens or closes stands there and nowhere else.
            let open = open.filter(|c| ends.iter().all(|(end, wanted)| (*end == place) == (wanted == c)));
            open.and_then(|c| self.fits[place][c].as_ref()).map_or(f64::INFINITY, |fit| fit.cost.total())
        };
        let of_pin = |place: usize, of: usize| if place == of { 0.0 } else { f64::INFINITY };
        let costs = |place: usize| {
            let open = free.iter().map(|c| cost_of(place, c));
            open.chain(pinned.iter().map(|of| of_pin(place, *of))).collect()
        };
        let join = |a: &Option<usize>, b: &Option<usize>| {
            a.zip(*b).map_or(0.0, |(a, b)| fit::join(self.candidates[a], self.candidates[b], &self.weights))
        };
        let known = considered.iter().enumerate().filter_map(|(s, c)| Some((s, self.candidates[(*c)?])));
        Problem {
            place_cost: (0..self.places.len()).map(costs).collect(),
            join_cost: considered.iter().map(|a| considered.iter().map(|b| join(a, b)).collect()).collect(),
            sets: SelectSet::of(known, &self.weights),
            orders: self.orders(considered),
            pinned: self.places.iter().map(|place| !place.is_free()).collect(),
            seed,
        }
    }

    /// The first and the last place, where the story has a select for them that fits.
    fn ends_of_story(&self, taken: &HashSet<usize>) -> Vec<(usize, usize)> {
        let ends = [(0, self.story.opening), (self.places.len() - 1, self.story.closing)];
        let fitting = |(place, wanted): (usize, Option<SelectId>)| {
            let c = self.end_of_story(wanted, place).filter(|c| !taken.contains(c))?;
            self.fits[place][c].as_ref().map(|_| (place, c))
        };
        ends.into_iter().filter_map(fitting).collect()
    }

    /// The orders of the story, by the numbers of the problem; not of two that a hand has put the other way round.
    fn orders(&self, considered: &[Option<usize>]) -> Vec<(usize, usize)> {
        // A kept shot stands behind the select that it shows, and is the one that is meant.
        let named = considered.iter().enumerate().filter_map(|(n, c)| Some((self.candidates[(*c)?].select, n)));
        let number: HashMap<SelectId, usize> = named.collect();
        let place = |select: SelectId| {
            self.places.iter().position(|p| p.shot().is_some_and(|shot| shot.source.select == select))
        };
        let open = |(a, b): &&(SelectId, SelectId)| place(*a).zip(place(*b)).is_none_or(|(a, b)| a < b);
        let numbers = |(a, b): &(SelectId, SelectId)| Some((*number.get(a)?, *number.get(b)?));
        self.story.orders.iter().filter(open).filter_map(numbers).collect()
    }

    fn index_of(&self, shot: &Shot) -> Option<usize> {
        let select = shot.source.select;
        self.candidates.iter().position(|c| c.select == select)
    }

    fn built(&self, chosen: &[Option<usize>], moved: Moved, ids: &mut ShotIds) -> Result<Arrangement, ArrangeError> {
        let mut shots: Vec<Shot> = Vec::with_capacity(chosen.len());
        let mut missing: Vec<Missing> = Vec::new();
        let known: HashSet<ShotId> = self.places.iter().filter_map(|place| place.shot().map(|shot| shot.id)).collect();
        // Black at the very beginning goes behind the first shot: there is nothing before it that it could follow.
        let mut black = 0;
        for (place, ((stands, slot), fit)) in self.places.iter().zip(&moved.slots).zip(&moved.fits).enumerate() {
            let shot = match (&stands.stands, chosen[place].zip(fit.as_ref())) {
                (Stands::Whole(shot), _) => shot.clone(),
                (_, None) => {
                    black += slot.len.get();
                    if let Some(before) = shots.last_mut() {
                        missing.push(Missing { at: slot.start, len: slot.len });
                        follow_by_black(before, std::mem::take(&mut black));
                    }
                    continue;
                }
                (stands, Some((c, fit))) => {
                    let mut fresh = || std::iter::repeat_with(|| ids.fresh()).find(|id| !known.contains(id));
                    let (id, pin) = match stands {
                        Stands::Beginning(id) => (Some(*id), Pin::Place),
                        Stands::Ends(id) => (Some(*id), Pin::Ends),
                        _ => (fresh(), Pin::Open),
                    };
                    Shot {
                        id: id.ok_or_else(|| self.too_little())?,
                        len: slot.len,
                        source: source(self.candidates[c], &fit.showing),
                        hit_at: fit.showing.hit_at,
                        pause: None,
                        pin,
                        held: false,
                    }
                }
            };
            shots.push(shot);
            if black > 0
                && let Some(first) = shots.last_mut()
            {
                missing.push(Missing { at: FramePos::new(first.len.get() as i64), len: FrameLen::new(black) });
                follow_by_black(first, std::mem::take(&mut black));
            }
        }
        if shots.is_empty() {
            return Err(self.too_little());
        }
        let draft = Draft::new(self.rate, shots)?;
        Ok(Arrangement { draft, slots: moved.slots, total: 0.0, bound: 0.0, saved: moved.gained, missing })
    }
}

/// Black behind a shot, as long as what was missing; where the shot stands still already, that goes on.
fn follow_by_black(shot: &mut Shot, frames: u64) {
    let none = FrameLen::new(0);
    let before = shot.pause.unwrap_or(Pause { len: none, stop: Stop::Black, missing: none });
    let longer = |len: FrameLen| FrameLen::new(len.get() + frames);
    shot.len = longer(shot.len);
    shot.pause = Some(Pause { len: longer(before.len), missing: longer(before.missing), ..before });
}

pub(super) fn source(candidate: &Candidate, showing: &Showing) -> Source {
    Source { speed: showing.speed, ..Source::plain(candidate.select, candidate.clip, showing.start, candidate.media) }
}
