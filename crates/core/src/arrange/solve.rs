//! The assignment that is best as a whole.
//!
//! What each select costs in each place and behind each other one is handed to [`super::search`] as numbers, with what is
//! asked of several together: a set-up is shown once, and no hero is left out.

use super::fit::{self, Cost, Fit, Scale, Showing, Weights};
use super::search::{Problem, Row, SelectSet};
use super::{Candidate, Slot};
use crate::draft::{Draft, DraftError, Pause, Pin, Shot, Source};
use crate::id::{SelectId, ShotId, ShotIds};
use crate::select::{Framing, Movement, Role, Tier};
use crate::time::{FramePos, FrameRate};
use std::collections::{BTreeSet, HashMap, HashSet};

/// Why there is no draft.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ArrangeError {
    /// There are no selects to arrange yet: sift first, or bring clips back from out.
    #[error("there are no selects to arrange yet: sift first, or bring clips back from out")]
    NoSelects,
    /// The version has no length to lay shots on.
    #[error("the version has no length to lay shots on")]
    NoSlots,
    /// The selects are too short for the music: … s of pictures for … s.
    #[error("the selects are too short for the music: {have:.0} s of pictures for {want:.0} s")]
    TooLittle {
        /// Seconds that the selects have.
        have: f64,
        /// Seconds that are to be filled.
        want: f64,
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
    /// No row of these selects in these places costs less.
    pub bound: f64,
}

/// A hero that is not in a draft.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeftOut {
    /// The select.
    pub select: SelectId,
    /// Its clip's name.
    pub name: String,
    /// Why, in words.
    pub why: String,
}

/// Another select for a place, and what it would change; positive is better than what is there.
#[derive(Debug, Clone, PartialEq)]
pub struct Alternate {
    /// The select.
    pub select: SelectId,
    /// What it shows.
    pub source: Source,
    /// The frame of the place on which the hit lands.
    pub hit_at: Option<u64>,
    /// 0–100, of the part that would be shown.
    pub energy: f64,
    /// The reasons, the weightiest first.
    pub why: Vec<String>,
    /// What it gains against what is there, part by part.
    pub gain: Cost,
}

/// A shot of a draft as it stands beside the music and its neighbours.
#[derive(Debug, Clone, PartialEq)]
pub struct Judged {
    /// 0–100, of the part that is shown.
    pub energy: f64,
    /// The same on the music's scale: the calmest select of the job stands where the music is calmest.
    pub level: f64,
    /// 0–100, the music's here.
    pub wanted: f64,
    /// What it costs, part by part.
    pub cost: Cost,
    /// Why it is here, in words.
    pub why: Vec<String>,
}

/// The plan: candidates, slots and what each pair costs.
pub struct Arranger<'a> {
    candidates: Vec<&'a Candidate>,
    slots: Vec<Slot>,
    rate: FrameRate,
    weights: Weights,
    scale: Scale,
    /// Slot-major; empty until they are wanted.
    fits: Vec<Vec<Option<Fit>>>,
    /// Slots that keep what they have.
    pins: Vec<Option<Shot>>,
    /// What another draft shows there; empty where there is none.
    beside: Vec<Option<SelectId>>,
}

/// Energies that are further apart than this are said to be: nobody sees less.
const APART: f64 = 15.0;
/// Music that is louder than the first is lively, softer than the second calm.
const LIVELY: f64 = 55.0;
const CALM: f64 = 35.0;

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
        if slots.is_empty() {
            return Err(ArrangeError::NoSlots);
        }
        let (slots, pins) = around_pins(slots, pinned);
        let mut plan = Self { pins, ..Self::over(candidates, slots, rate) };
        let free = plan.free_candidates().count();
        if free == 0 && plan.pins.iter().any(Option::is_none) {
            return Err(ArrangeError::NoSelects);
        }
        plan.split_too_long()?;
        plan.merge_to(free);
        plan.measure();
        Ok(plan)
    }

    /// For looking at a draft as it is: its shots are the slots.
    pub fn over(candidates: impl IntoIterator<Item = &'a Candidate>, slots: Vec<Slot>, rate: FrameRate) -> Self {
        let candidates: Vec<&Candidate> = candidates.into_iter().collect();
        let pins = vec![None; slots.len()];
        let scale = Scale::between(candidates.iter().copied(), &slots);
        Self { candidates, slots, rate, weights: Weights::default(), scale, fits: Vec::new(), pins, beside: Vec::new() }
    }

    fn measure(&mut self) {
        self.scale = Scale::between(self.candidates.iter().copied(), &self.slots);
        self.fits = self.slots.iter().map(|slot| self.fits_of(slot)).collect();
    }

    fn fits_of(&self, slot: &Slot) -> Vec<Option<Fit>> {
        self.candidates.iter().map(|c| fit::fit(c, slot, self.rate, self.scale, &self.weights)).collect()
    }

    /// The candidates that no pin has taken.
    fn free_candidates(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.candidates.len()).filter(|i| {
            let c = &self.candidates[*i];
            c.tier != Tier::Out && !self.pins.iter().flatten().any(|p| p.source.select == c.select)
        })
    }

    /// Every slot needs a select of its own that is long enough: the longest slot no longer than the longest select
    /// that is left can fill, the second longest than the second, and so on. A slot that is too long is divided.
    fn split_too_long(&mut self) -> Result<(), ArrangeError> {
        let mut room: Vec<u64> = self
            .free_candidates()
            .map(|i| {
                let c = &self.candidates[i];
                (c.range.duration().to_f64() * c.rate.headroom_in(self.rate).min(10.0) * self.rate.to_f64()) as u64
            })
            .collect();
        room.sort_unstable_by(|a, b| b.cmp(a));
        loop {
            let mut open: Vec<usize> = (0..self.slots.len()).filter(|i| self.pins[*i].is_none()).collect();
            open.sort_by_key(|i| std::cmp::Reverse(self.slots[*i].len));
            // More slots than clips are joined afterwards.
            let Some((at, _)) = open.iter().zip(&room).find(|(i, room)| self.slots[**i].len.get() > **room) else {
                return Ok(());
            };
            let (left, right) = self.slots[*at].split().ok_or_else(|| self.too_little())?;
            self.slots.splice(*at..=*at, [left, right]);
            self.pins.insert(*at, None);
        }
    }

    /// Fewer selects than slots: neighbours are joined, the shortest first, so that nothing is shown twice.
    fn merge_to(&mut self, free: usize) {
        let open = |pins: &[Option<Shot>]| pins.iter().filter(|p| p.is_none()).count();
        while open(&self.pins) > free.max(1) {
            let pair = (0..self.slots.len().saturating_sub(1))
                .filter(|i| self.pins[*i].is_none() && self.pins[i + 1].is_none())
                .min_by_key(|i| {
                    let (a, b) = (&self.slots[*i], &self.slots[i + 1]);
                    // Across a section only when nothing else is left: the music changes there.
                    (a.section != b.section, b.on_drop, a.len.get() + b.len.get())
                });
            let Some(i) = pair else { return };
            let both = self.slots[i].joined(&self.slots[i + 1]);
            self.slots.splice(i..=i + 1, [both]);
            self.pins.remove(i);
        }
    }

    fn too_little(&self) -> ArrangeError {
        let have = self.free_candidates().map(|i| self.candidates[i].range.duration().to_f64()).sum();
        let want = self.slots.iter().map(|s| self.rate.seconds_of(s.len).to_f64()).sum();
        ArrangeError::TooLittle { have, want }
    }

    /// The cheapest row of selects that is found. New shots get their ids from `ids`; each seed begins the search elsewhere.
    /// Beside another draft it is really different: at least half of its open places show another select, where the selects
    /// allow it.
    pub fn solve(&self, ids: &mut ShotIds, seed: u64) -> Result<Arrangement, ArrangeError> {
        let open = self.pins.iter().filter(|pin| pin.is_none()).count();
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
        Ok(Arrangement { total, bound, ..self.built(&chosen, ids)? })
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
        self.beside = self.slots.iter().map(shown).collect();
        self
    }

    /// Whether a candidate at an open place is what the other draft shows there.
    fn is_as_beside(&self, place: usize, candidate: Option<usize>) -> bool {
        let other = self.beside.get(place).copied().flatten();
        self.pins[place].is_none() && other.is_some() && candidate.map(|c| self.candidates[c].select) == other
    }

    /// The candidates that are searched among, by their numbers in the problem: in a large job the cheapest of each place and
    /// the heroes. Behind them one for each pinned shot.
    fn considered(&self) -> Vec<Option<usize>> {
        let mut all: BTreeSet<usize> = (0..self.candidates.len()).collect();
        if all.len() > MOST_CONSIDERED {
            all.retain(|c| self.candidates[*c].tier == Tier::Hero);
            for fits in &self.fits {
                let cost = |c: &usize| fits[*c].as_ref().map_or(f64::INFINITY, |fit| fit.cost.total());
                let mut fitting: Vec<usize> = (0..fits.len()).filter(|c| fits[*c].is_some()).collect();
                fitting.sort_by(|a, b| cost(a).total_cmp(&cost(b)));
                all.extend(fitting.into_iter().take(CHEAPEST));
            }
        }
        let pinned = self.pins.iter().flatten().map(|shot| self.index_of(shot));
        all.into_iter().map(Some).chain(pinned).collect()
    }

    /// The candidates in all places, as numbers. A pinned shot is a select of its own, which joins as its candidate does.
    fn problem(&self, considered: &[Option<usize>], seed: u64) -> Problem {
        let pinned: Vec<usize> = (0..self.slots.len()).filter(|place| self.pins[*place].is_some()).collect();
        let (free, of_pins) = considered.split_at(considered.len() - pinned.len());
        let taken: HashSet<usize> = of_pins.iter().copied().flatten().collect();
        let cost_of = |place: usize, c: &Option<usize>| {
            let open = (*c).filter(|c| self.pins[place].is_none() && !taken.contains(c));
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
            place_cost: (0..self.slots.len()).map(costs).collect(),
            join_cost: considered.iter().map(|a| considered.iter().map(|b| join(a, b)).collect()).collect(),
            sets: SelectSet::of(known, &self.weights),
            orders: Vec::new(),
            pinned: self.pins.iter().map(Option::is_some).collect(),
            seed,
        }
    }

    /// The heroes that are not in a draft, each with the reason. The slots must be those under the draft.
    pub fn left_out(&self, draft: &Draft) -> Vec<LeftOut> {
        let shown = self.shown(draft);
        let used = |c: &&&Candidate| draft.shots().iter().any(|s| s.source.select == c.select);
        let heroes = self.candidates.iter().filter(|c| c.tier == Tier::Hero && !used(c));
        heroes
            .map(|c| {
                let take = |shot: &&&Candidate| shot.set_up.is_some() && shot.set_up == c.set_up;
                let fits = |slot: &Slot| fit::showing(c, slot, self.rate).is_some();
                let why = if let Some(take) = shown.iter().flatten().find(take) {
                    format!("{} is there, a take of the same", take.name)
                } else if !self.slots.iter().any(fits) {
                    "it is too short for every place".to_owned()
                } else {
                    "every place that it fits has a shot that suits it better".to_owned()
                };
                LeftOut { select: c.select, name: c.name.clone(), why }
            })
            .collect()
    }

    fn index_of(&self, shot: &Shot) -> Option<usize> {
        let select = shot.source.select;
        self.candidates.iter().position(|c| c.select == select)
    }

    fn built(&self, chosen: &[Option<usize>], ids: &mut ShotIds) -> Result<Arrangement, ArrangeError> {
        let mut shots = Vec::with_capacity(chosen.len());
        for (slot, choice) in chosen.iter().enumerate() {
            if let Some(pinned) = &self.pins[slot] {
                shots.push(pinned.clone());
                continue;
            }
            let (candidate, fit) = choice
                .and_then(|c| self.fits[slot][c].as_ref().map(|f| (&self.candidates[c], f)))
                .ok_or_else(|| self.too_little())?;
            let taken = |id| self.pins.iter().flatten().any(|p| p.id == id);
            let id = std::iter::repeat_with(|| ids.fresh()).find(|id| !taken(*id)).ok_or_else(|| self.too_little())?;
            shots.push(Shot {
                id,
                len: self.slots[slot].len,
                source: source(candidate, &fit.showing),
                hit_at: fit.showing.hit_at,
                pause: None,
                pin: Pin::Open,
                held: false,
            });
        }
        let draft = Draft::new(self.rate, shots)?;
        Ok(Arrangement { draft, slots: self.slots.clone(), total: 0.0, bound: 0.0 })
    }

    /// The candidates that the shots of a draft show; `None` for a select that is no longer there.
    fn shown<'b>(&'b self, draft: &Draft) -> Vec<Option<&'b Candidate>> {
        let by_select: HashMap<SelectId, &Candidate> = self.candidates.iter().map(|c| (c.select, *c)).collect();
        draft.shots().iter().map(|s| by_select.get(&s.source.select).copied()).collect()
    }

    /// Each shot of `draft` as it stands now. The slots must be those under the draft.
    pub fn judge(&self, draft: &Draft) -> Vec<Judged> {
        let shown = self.shown(draft);
        draft
            .shots()
            .iter()
            .zip(&self.slots)
            .enumerate()
            .map(|(place, (shot, slot))| {
                let Some(candidate) = shown[place] else {
                    return Judged {
                        energy: 0.0,
                        level: 0.0,
                        wanted: slot.energy,
                        cost: Cost::default(),
                        why: vec!["its select is no longer there".to_owned()],
                    };
                };
                let (start, end) = shot.range(self.rate);
                let energy = candidate.energy_of(start, end);
                let showing = Showing { start, end, speed: shot.source.speed, hit_at: shot.hit_at };
                let mut cost = fit::cost(candidate, slot, &showing, self.scale, &self.weights);
                let before = place.checked_sub(1).and_then(|p| shown[p]);
                cost.join = self.joins(before, candidate, shown.get(place + 1).copied().flatten());
                let mut why = self.reasons(candidate, slot, &showing, before);
                why.extend(shot.source.time_words());
                why.extend(shot.pause.map(Pause::words));
                Judged { energy, level: self.scale.of(energy), wanted: slot.energy, cost, why }
            })
            .collect()
    }

    fn joins(&self, before: Option<&Candidate>, here: &Candidate, after: Option<&Candidate>) -> f64 {
        before.map_or(0.0, |b| fit::join(b, here, &self.weights))
            + after.map_or(0.0, |a| fit::join(here, a, &self.weights))
    }

    /// The next best selects for a shot of `draft`, best first, without those that are used elsewhere in it.
    pub fn alternates(&self, draft: &Draft, shot: ShotId, most: usize) -> Vec<Alternate> {
        let Some((place, slot)) = draft.index_of(shot).and_then(|p| Some((p, self.slots.get(p)?))) else {
            return Vec::new();
        };
        let shown = self.shown(draft);
        let (before, after) = (place.checked_sub(1).and_then(|p| shown[p]), shown.get(place + 1).copied().flatten());
        let current = self.judge(draft)[place].cost;
        let mut found: Vec<Alternate> = self
            .candidates
            .iter()
            .filter(|c| !draft.shots().iter().any(|s| s.source.select == c.select))
            .filter_map(|c| Some((c, fit::fit(c, slot, self.rate, self.scale, &self.weights)?)))
            .map(|(c, fit)| {
                let source = source(c, &fit.showing);
                Alternate {
                    select: c.select,
                    energy: c.energy_of(fit.showing.start, fit.showing.end),
                    hit_at: fit.showing.hit_at,
                    why: [self.reasons(c, slot, &fit.showing, before), source.time_words()].concat(),
                    source,
                    gain: current - Cost { join: self.joins(before, c, after), ..fit.cost },
                }
            })
            .collect();
        found.sort_by(|a, b| b.gain.total().total_cmp(&a.gain.total()));
        found.truncate(most);
        found
    }

    /// Why this select is at this place, in words that stand on their own: each is a part of the cost.
    fn reasons(&self, c: &Candidate, slot: &Slot, showing: &Showing, before: Option<&Candidate>) -> Vec<String> {
        let end = showing.end;
        let mut why = Vec::new();
        match c.tier {
            Tier::Hero if slot.on_drop => why.push("a hero for the drop".to_owned()),
            Tier::Hero => why.push("a hero".to_owned()),
            Tier::Out => why.push("it is out, and still here".to_owned()),
            Tier::Unread => why.push("not judged yet".to_owned()),
            Tier::Spare | Tier::Strong => {}
        }
        let kind = slot.kind.word();
        why.push(match self.scale.of(c.energy_of(showing.start, end)) - slot.energy {
            apart if apart > APART => format!("livelier than the {kind}"),
            apart if apart < -APART => format!("calmer than the {kind}"),
            _ if slot.energy >= LIVELY => format!("lively enough for the {kind}"),
            _ if slot.energy <= CALM => format!("calm enough for the {kind}"),
            _ => format!("as lively as the {kind}"),
        });
        if let Some(mark) = showing.hit_at.and_then(|at| slot.marks.iter().find(|m| m.at == at)) {
            if slot.on_drop && mark.at == 0 {
                why.push("its hit lands on the drop".to_owned());
            } else {
                let beat = if mark.beat == 1 { String::new() } else { format!(", beat {}", mark.beat) };
                why.push(format!("its hit lands on bar {}{beat}", mark.bar));
            }
        }
        if let Some(wanted) = slot.wants.filter(|w| c.role == Some(*w)) {
            why.push(format!("{}, as this place asks", wanted.word()));
        } else if slot.wants == Some(Role::Establishing) && c.framing == Some(Framing::Wide) {
            why.push("wide, to open with".to_owned());
        }
        if let Some(before) = before {
            if let Some(way) = c.movement.filter(|m| *m != Movement::Still && before.movement == Some(*m)) {
                why.push(format!("goes on {} after {}", direction(way), before.name));
            }
            if before.framing == Some(Framing::Wide) && matches!(c.framing, Some(Framing::Close | Framing::Detail)) {
                why.push(format!("closer after the wide {}", before.name));
            }
        }
        why
    }
}

fn source(candidate: &Candidate, showing: &Showing) -> Source {
    Source { speed: showing.speed, ..Source::plain(candidate.select, candidate.clip, showing.start, candidate.media) }
}

fn direction(movement: Movement) -> &'static str {
    match movement {
        Movement::Left => "to the left",
        Movement::Right => "to the right",
        Movement::Up => "upwards",
        Movement::Down => "downwards",
        Movement::In => "in",
        Movement::Out => "out",
        Movement::Still => "still",
    }
}

/// Makes the places of pinned shots slots of their own. Each pinned shot is in the result once, also where it reaches beyond
/// the last slot or begins behind it.
fn around_pins(slots: Vec<Slot>, pinned: &[(FramePos, Shot)]) -> (Vec<Slot>, Vec<Option<Shot>>) {
    let Some((first, last)) = slots.first().zip(slots.last()) else { return (slots, Vec::new()) };
    let (begin, music_end) = (first.start, last.end());
    // What of the slots lies in a stretch; beyond the music, the last one goes on without beats.
    let between = |from: FramePos, to: FramePos| -> Vec<Slot> {
        let mut parts: Vec<Slot> =
            slots.iter().filter_map(|s| clipped(s, s.start.max(from), s.end().min(to))).collect();
        let start = from.max(music_end);
        if let Some(len) = to.since(start).filter(|len| len.get() > 0) {
            parts.push(Slot { start, len, on_drop: false, marks: Vec::new(), ..last.clone() });
        }
        parts
    };
    let mut pinned: Vec<&(FramePos, Shot)> = pinned.iter().collect();
    pinned.sort_by_key(|(start, _)| *start);
    let mut out: Vec<(Slot, Option<Shot>)> = Vec::with_capacity(slots.len() + pinned.len());
    let mut at = begin;
    for (start, shot) in pinned {
        out.extend(between(at, *start).into_iter().map(|slot| (slot, None)));
        let start = at.max(*start);
        let end = start.end(shot.len).unwrap_or(start);
        if let Some(place) = between(start, end).into_iter().reduce(|all, part| all.joined(&part)) {
            out.push((place, Some(shot.clone())));
        }
        at = end;
    }
    out.extend(between(at, music_end).into_iter().map(|slot| (slot, None)));
    // Slivers beside a pin are given to a free neighbour, so that no flash is left.
    let mut i = 0;
    while i < out.len() {
        let sliver = out[i].1.is_none() && out[i].0.len.get() < crate::draft::SHORTEST.get();
        let before = i.checked_sub(1).filter(|b| out[*b].1.is_none());
        let after = (i + 1 < out.len() && out[i + 1].1.is_none()).then_some(i + 1);
        match (sliver, before, after) {
            (true, Some(b), _) => {
                out[b].0 = out[b].0.joined(&out[i].0);
                out.remove(i);
            }
            (true, None, Some(a)) => {
                out[a].0 = out[i].0.joined(&out[a].0);
                out.remove(i);
            }
            // Between pins, or behind the last one, nothing can give it room.
            (true, None, None) => {
                out.remove(i);
            }
            _ => i += 1,
        }
    }
    out.into_iter().unzip()
}

/// The part of a slot between two frames, if that is anything.
fn clipped(slot: &Slot, from: FramePos, to: FramePos) -> Option<Slot> {
    let len = to.since(from).filter(|l| l.get() > 0)?;
    let offset = from.since(slot.start)?.get();
    let mut part = slot.clone();
    part.start = from;
    part.len = len;
    part.on_drop = slot.on_drop && offset == 0;
    part.marks = slot
        .marks
        .iter()
        .filter(|m| m.at >= offset && m.at < offset + len.get())
        .map(|m| super::slot::BeatMark { at: m.at - offset, ..*m })
        .collect();
    Some(part)
}
