//! What is to be laid where: candidates, and places that each of them fits or does not.
//!
//! Places are the slots of the music around what a hand holds, divided where nothing is long enough and joined where there are
//! more of them than selects.

use super::around::{Place, around_kept};
use super::brief::{Brief, Chapter, Kept, Story};
use super::fit::{self, Fit, Scale, Weights};
use super::{Candidate, Slot};
use crate::draft::{DraftError, SHORTEST, Shot};
use crate::id::SelectId;
use crate::select::Tier;
use crate::time::{FramePos, FrameRate};
use std::collections::HashSet;

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
    pub(super) beside: Vec<Option<SelectId>>,
}

/// What a shot costs that is not of the chapter in which it stands, or is of another one; for one part of the weight of roles.
const OFF_CHAPTER: f64 = 4.0;

impl<'a> Arranger<'a> {
    /// `pinned` shots keep their place: their start frame and length replace whatever slots would lie there.
    pub fn new(
        candidates: impl IntoIterator<Item = &'a Candidate>,
        slots: Vec<Slot>,
        rate: FrameRate,
        pinned: &[(FramePos, Shot)],
    ) -> Result<Self, ArrangeError> {
        let kept = pinned.iter().map(|(at, shot)| Kept::whole(*at, shot.clone())).collect();
        Self::briefed(candidates, slots, rate, &Brief { kept, ..Brief::default() })
    }

    /// For laying with all that is asked.
    pub fn briefed(
        candidates: impl IntoIterator<Item = &'a Candidate>,
        slots: Vec<Slot>,
        rate: FrameRate,
        brief: &Brief,
    ) -> Result<Self, ArrangeError> {
        if slots.is_empty() {
            return Err(ArrangeError::NoSlots);
        }
        let mut plan = Self::over(candidates, Vec::new(), rate).with(brief);
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
        self.story.clone_from(&brief.story);
        self.chapters.clone_from(&brief.chapters);
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

    /// How a candidate stands in a slot, with what the story asks of it.
    pub(super) fn fit_in(&self, candidate: &Candidate, slot: &Slot) -> Option<Fit> {
        let mut fit = fit::fit(candidate, slot, self.rate, self.scale, &self.weights)?;
        fit.cost.role += self.off_chapter(candidate, slot);
        Some(fit)
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

    pub(super) fn kept_shots(&self) -> impl Iterator<Item = &Shot> {
        self.places.iter().filter_map(Place::shot)
    }

    /// How many frames of a draft a candidate fills, slowed as far as its frames go.
    fn reach(&self, c: &Candidate) -> u64 {
        (c.range.duration().to_f64() * c.rate.headroom_in(self.rate).min(10.0) * self.rate.to_f64()) as u64
    }

    /// The candidate that the story wants at one end of the piece, where it can be had.
    pub(super) fn end_of_story(&self, wanted: Option<SelectId>, place: usize) -> Option<usize> {
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

    pub(super) fn too_little(&self) -> ArrangeError {
        let shortest = self.slots().map(|slot| self.rate.seconds_of(slot.len).to_f64()).fold(f64::INFINITY, f64::min);
        ArrangeError::TooLittle { shortest }
    }
}
