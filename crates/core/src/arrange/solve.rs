//! The assignment that is best as a whole.
//!
//! What each select costs in each place and behind each other one is handed to [`super::search`] as numbers, with what is
//! asked of several together: a set-up is shown once, and no hero is left out. Where there is too little, places stay empty:
//! black, behind the shot before them.

use super::around::{Place, Stands, around_kept};
use super::borders::Moved;
use super::brief::{Brief, Chapter, Kept, Story};
use super::fit::{self, Fit, Scale, Showing, Weights};
use super::search::{Problem, Row, SelectSet};
use super::{Candidate, Slot};
use crate::draft::{Draft, DraftError, Pause, Pin, SHORTEST, Shot, Source, Stop};
use crate::id::{SelectId, ShotId, ShotIds};
use crate::select::Tier;
use crate::time::{FrameLen, FramePos, FrameRate};
use std::collections::{BTreeSet, HashSet};

/// Why there is no draft.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ArrangeError {
    /// There are no selects to arrange yet: sift first, or bring clips back from out.
    #[error("there are no selects to arrange yet: sift first, or bring clips back from out")]
    NoSelects,
    /// The version has no length to lay shots on.
    #[error("the version has no length to lay shots on")]
    NoSlots,
    /// No select is long enough for any place.
    #[error("no select is long enough for any place of this music, of which the shortest lasts {shortest:.1} s")]
    TooLittle {
        /// Seconds of the shortest place.
        shortest: f64,
    },
    /// The draft would not be one.
    #[error(transparent)]
    Draft(#[from] DraftError),
}

/// A draft with the slots it was laid into.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrangement {
    /// The draft.
    pub draft: Draft,
    /// The places that it fills.
    pub slots: Vec<Slot>,
    /// What it costs, pinned shots aside.
    pub total: f64,
    /// No row of these selects in the places as they were before cuts moved costs less.
    pub bound: f64,
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

/// The plan: candidates, places and what each pair costs.
pub struct Arranger<'a> {
    pub(super) candidates: Vec<&'a Candidate>,
    pub(super) places: Vec<Place>,
    pub(super) rate: FrameRate,
    pub(super) weights: Weights,
    pub(super) story: Story,
    chapters: Vec<Chapter>,
    pub(super) scale: Scale,
    /// Place-major; empty until they are wanted.
    pub(super) fits: Vec<Vec<Option<Fit>>>,
    /// What another draft shows there; empty where there is none.
    beside: Vec<Option<SelectId>>,
}

/// What a shot costs that is not of the chapter in which it stands, or is of another one; for one part of the weight of roles.
const OFF_CHAPTER: f64 = 4.0;

/// More candidates than this are not all searched among: joins are held for each pair of them.
const MOST_CONSIDERED: usize = 800;
/// So many of each place are, then.
const CHEAPEST: usize = 40;
/// What is tried to make a draft differ from another one: by how much that one's selects become dearer where it shows them.
const UNLIKE: [f64; 4] = [0.5, 0.5, 1.0, 2.0];

impl<'a> Arranger<'a> {
    /// `pinned` shots keep their place: their start frame and length replace whatever slots would lie there.
    pub fn new(
        candidates: impl IntoIterator<Item = &'a Candidate>,
        slots: Vec<Slot>,
        rate: FrameRate,
        pinned: &[(FramePos, Shot)],
    ) -> Result<Self, ArrangeError> {
        let kept = pinned.iter().map(|(at, shot)| Kept::whole(*at, shot.clone())).collect();
        Self::briefed(candidates, slots, rate, Brief { kept, ..Brief::default() })
    }

    /// For laying with all that is asked.
    pub fn briefed(
        candidates: impl IntoIterator<Item = &'a Candidate>,
        slots: Vec<Slot>,
        rate: FrameRate,
        brief: Brief,
    ) -> Result<Self, ArrangeError> {
        if slots.is_empty() {
            return Err(ArrangeError::NoSlots);
        }
        let mut plan = Self::over(candidates, Vec::new(), rate).with(&brief);
        plan.places = around_kept(slots, &brief.kept);
        let free = plan.free_candidates().count();
        if free == 0 && plan.places.iter().any(Place::is_free) {
            return Err(ArrangeError::NoSelects);
        }
        plan.make_room_for_the_ends();
        let longest = plan.split_too_long();
        plan.merge_to(free, longest);
        plan.measure();
        Ok(plan)
    }

    /// For looking at a draft as it is: its shots are the slots.
    pub fn over(candidates: impl IntoIterator<Item = &'a Candidate>, slots: Vec<Slot>, rate: FrameRate) -> Self {
        let candidates: Vec<&Candidate> = candidates.into_iter().collect();
        let scale = Scale::between(candidates.iter().copied(), &slots);
        let places = slots.into_iter().map(Place::open).collect();
        let (weights, story) = (Weights::default(), Story::default());
        Self { candidates, places, rate, weights, story, chapters: vec![], scale, fits: vec![], beside: vec![] }
    }

    /// With what is asked of the draft; what is to stay aside.
    #[must_use]
    pub fn with(mut self, brief: &Brief) -> Self {
        self.weights = brief.weights;
        self.story = brief.story.clone();
        self.chapters = brief.chapters.clone();
        self
    }

    /// The places that are laid.
    pub fn slots(&self) -> impl Iterator<Item = &Slot> {
        self.places.iter().map(|place| &place.slot)
    }

    fn measure(&mut self) {
        let slots: Vec<Slot> = self.slots().cloned().collect();
        self.scale = Scale::between(self.candidates.iter().copied(), &slots);
        let fits = |place: &Place| self.candidates.iter().map(|c| self.fit_in(c, &place.slot)).collect();
        self.fits = self.places.iter().map(fits).collect();
    }

    /// What it costs that a candidate is not what the chapter is about, or is what another one is about.
    pub(super) fn off_chapter(&self, candidate: &Candidate, slot: &Slot) -> f64 {
        if self.chapters.is_empty() {
            return 0.0;
        }
        let middle = FramePos::new(slot.start.get() + slot.len.get() as i64 / 2);
        let here = self.chapters.iter().find(|chapter| chapter.from <= middle && middle < chapter.to);
        let off = match here {
            Some(chapter) => !chapter.selects.contains(&candidate.select),
            None => self.chapters.iter().any(|chapter| chapter.selects.contains(&candidate.select)),
        };
        if off { self.weights.role * OFF_CHAPTER } else { 0.0 }
    }

    /// The candidates that no kept shot shows.
    fn free_candidates(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.candidates.len()).filter(|i| {
            let c = &self.candidates[*i];
            c.tier != Tier::Out && !self.kept_shots().any(|shot| shot.source.select == c.select)
        })
    }

    fn kept_shots(&self) -> impl Iterator<Item = &Shot> {
        self.places.iter().filter_map(Place::shot)
    }

    /// How many frames of a draft a candidate fills, slowed as far as its frames go.
    fn reach(&self, c: &Candidate) -> u64 {
        (c.range.duration().to_f64() * c.rate.headroom_in(self.rate).min(10.0) * self.rate.to_f64()) as u64
    }

    /// The candidate that the story wants at one end of the piece, where it can be had.
    fn end_of_story(&self, wanted: Option<SelectId>, place: usize) -> Option<usize> {
        if !self.places.get(place)?.is_free() {
            return None;
        }
        self.free_candidates().find(|c| Some(self.candidates[*c].select) == wanted)
    }

    /// An opening that is too short for the first place opens a shorter one, and so does a closing.
    fn make_room_for_the_ends(&mut self) {
        let shows = |plan: &Self, c: usize, slot: &Slot| fit::showing(plan.candidates[c], slot, plan.rate).is_some();
        let too_long = |plan: &Self, place: usize, c: usize| {
            !shows(plan, c, &plan.places[place].slot) && plan.places[place].can_end_elsewhere()
        };
        if let Some(opening) = self.end_of_story(self.story.opening, 0).filter(|c| too_long(self, 0, *c)) {
            let slot = &self.places[0].slot;
            let marks = slot.marks.iter().rev().map(|m| m.at).filter(|at| *at >= SHORTEST.get());
            let cut = marks.into_iter().find(|at| shows(self, opening, &slot.split_at(*at).0));
            if let Some(cut) = cut {
                self.divide(0, cut);
            }
        }
        let last = self.places.len() - 1;
        if let Some(closing) = self.end_of_story(self.story.closing, last).filter(|c| too_long(self, last, *c)) {
            let slot = &self.places[last].slot;
            let marks = slot.marks.iter().map(|m| m.at).filter(|at| *at >= SHORTEST.get());
            let cut = marks.into_iter().find(|at| shows(self, closing, &slot.split_at(*at).1));
            if let Some(cut) = cut {
                self.divide(last, cut);
            }
        }
    }

    fn divide(&mut self, place: usize, cut: u64) {
        let stands = self.places[place].stands.clone();
        let (left, right) = self.places[place].slot.split_at(cut);
        self.places.splice(place..=place, [Place { slot: left, stands }, Place::open(right)]);
    }

    /// Every slot needs a select of its own that is long enough: the longest slot no longer than the longest select
    /// that is left can fill, the second longest than the second, and so on. A slot that is too long is divided; one that cannot
    /// be stays empty. Gives how long a place can be.
    fn split_too_long(&mut self) -> u64 {
        let mut room: Vec<u64> = self.free_candidates().map(|i| self.reach(self.candidates[i])).collect();
        room.sort_unstable_by(|a, b| b.cmp(a));
        let mut whole: HashSet<FramePos> = HashSet::new();
        loop {
            let free = |i: &usize| self.places[*i].is_free() && !whole.contains(&self.places[*i].slot.start);
            let mut open: Vec<usize> = (0..self.places.len()).filter(free).collect();
            open.sort_by_key(|i| std::cmp::Reverse(self.places[*i].slot.len));
            // More slots than clips are joined afterwards.
            let too_long = open.iter().zip(&room).find(|(i, room)| self.places[**i].slot.len.get() > **room);
            let Some((at, _)) = too_long else { return room.first().copied().unwrap_or(0) };
            let place = &self.places[*at];
            match place.slot.split().filter(|_| place.can_end_elsewhere()) {
                Some((left, _)) => self.divide(*at, left.len.get()),
                None => {
                    whole.insert(place.slot.start);
                }
            }
        }
    }

    /// Fewer selects than slots: neighbours are joined, the shortest first, so that nothing is shown twice; not to more than the
    /// longest select fills.
    fn merge_to(&mut self, free: usize, longest: u64) {
        let joinable = |places: &[Place], i: usize| {
            let (a, b) = (&places[i], &places[i + 1]);
            let both = a.slot.len.get() + b.slot.len.get();
            a.is_free() && b.is_free() && a.can_end_elsewhere() && b.can_begin_elsewhere() && both <= longest
        };
        while self.places.iter().filter(|place| place.is_free()).count() > free.max(1) {
            let pair =
                (0..self.places.len().saturating_sub(1)).filter(|i| joinable(&self.places, *i)).min_by_key(|i| {
                    let (a, b) = (&self.places[*i].slot, &self.places[i + 1].slot);
                    // Across a section only when nothing else is left: the music changes there.
                    (a.section != b.section, b.on_drop, a.len.get() + b.len.get())
                });
            let Some(i) = pair else { return };
            let slot = self.places[i].slot.joined(&self.places[i + 1].slot);
            let stands = self.places[i].stands.clone();
            self.places.splice(i..=i + 1, [Place { slot, stands }]);
        }
    }

    fn too_little(&self) -> ArrangeError {
        let shortest = self.slots().map(|slot| self.rate.seconds_of(slot.len).to_f64()).fold(f64::INFINITY, f64::min);
        ArrangeError::TooLittle { shortest }
    }

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
        Ok(Arrangement { total: total - moved.gained, bound, ..self.built(&chosen, moved, ids)? })
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
        let number =
            |select: SelectId| considered.iter().position(|c| c.is_some_and(|c| self.candidates[c].select == select));
        let place = |select: SelectId| {
            self.places.iter().position(|p| p.shot().is_some_and(|shot| shot.source.select == select))
        };
        let open = |(a, b): &&(SelectId, SelectId)| place(*a).zip(place(*b)).is_none_or(|(a, b)| a < b);
        // A kept shot is the later one of its numbers: the earlier one is its select, which no place can have.
        let last = |select: SelectId| {
            let kept = considered.iter().rposition(|c| c.is_some_and(|c| self.candidates[c].select == select));
            if place(select).is_some() { kept } else { number(select) }
        };
        self.story.orders.iter().filter(open).filter_map(|(a, b)| Some((last(*a)?, last(*b)?))).collect()
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
        Ok(Arrangement { draft, slots: moved.slots, total: 0.0, bound: 0.0, missing })
    }
}

/// Black behind a shot, as long as what was missing.
fn follow_by_black(shot: &mut Shot, frames: u64) {
    let before = shot.pause.map_or(0, |pause| pause.len.get());
    let stop = shot.pause.map_or(Stop::Black, |pause| pause.stop);
    shot.len = FrameLen::new(shot.len.get() + frames);
    shot.pause = Some(Pause { len: FrameLen::new(before + frames), stop });
}

pub(super) fn source(candidate: &Candidate, showing: &Showing) -> Source {
    Source { speed: showing.speed, ..Source::plain(candidate.select, candidate.clip, showing.start, candidate.media) }
}
