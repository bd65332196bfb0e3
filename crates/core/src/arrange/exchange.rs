//! A problem and its answer as JSON: for scripts, and so that anyone can solve the same one and compare.
//! `docs/arrange.md` describes the form.

use super::fit::{self, Cost, Fit, Scale, Weights};
use super::search::{Problem, Row, SelectSet};
use super::{BeatMark, Candidate, Measured, Slot};
use crate::draft::Speed;
use crate::footage::{EnergyTrace, STEP};
use crate::id::{ClipId, SelectId};
use crate::select::{Framing, Light, Movement, Range, Role, SelectError, Tier};
use crate::time::{FrameLen, FramePos, FrameRate, Seconds};
use crate::track::SectionKind;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::Arc;

/// The most places, and the most selects, of one problem.
pub const MOST: usize = 2000;

/// Why a problem cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ExchangeError {
    /// The problem has no places or too many, or too many selects.
    #[error("a problem has 1 to {MOST} places and at most {MOST} selects")]
    Size,
    /// A weight is below nothing, or would outweigh an empty place.
    #[error("a weight lies between 0 and 20")]
    Weight,
    /// A place has no length.
    #[error("place {0} has no length")]
    Empty(usize),
    /// Two selects have one name.
    #[error("two selects are called “{0}”")]
    Twice(String),
    /// In, hit and out of a select do not follow each other within its media.
    #[error("select “{name}”: {why}")]
    Range {
        /// The select.
        name: String,
        /// What is wrong.
        why: SelectError,
    },
    /// A select ends after its media.
    #[error("select “{0}” ends after its media")]
    Media(String),
    /// An order or a pin names what is not there.
    #[error("there is no select “{0}”, which an order or a pin names")]
    NoSelect(String),
    /// A pin names a place that is not there.
    #[error("there is no place {0}, which a pin names")]
    NoPlace(usize),
    /// A place or a select is pinned twice.
    #[error("place {0} or its select is pinned twice")]
    PinnedTwice(usize),
    /// A pinned select cannot fill its place.
    #[error("select “{name}” cannot fill place {place}, to which it is pinned")]
    PinUnfit {
        /// The select.
        name: String,
        /// The place.
        place: usize,
    },
}

/// A problem as it is written.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ProblemFile {
    rate: FrameRate,
    #[serde(default)]
    seed: u64,
    #[serde(default)]
    weights: Weights,
    places: Vec<PlaceLine>,
    selects: Vec<SelectLine>,
    #[serde(default)]
    order: Vec<(String, String)>,
    #[serde(default)]
    pins: Vec<PinLine>,
}

#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
struct PlaceLine {
    len: u64,
    energy: f64,
    kind: SectionKind,
    #[serde(default)]
    section: usize,
    #[serde(default)]
    on_drop: bool,
    #[serde(default)]
    wants: Option<Role>,
    #[serde(default)]
    marks: Vec<BeatMark>,
}

#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
struct SelectLine {
    id: String,
    clip: String,
    #[serde(rename = "in")]
    start: Seconds,
    out: Seconds,
    #[serde(default)]
    hit: Option<Seconds>,
    media: Seconds,
    rate: FrameRate,
    #[serde(default)]
    recorded: Option<f64>,
    tier: Tier,
    #[serde(default)]
    framing: Option<Framing>,
    #[serde(default)]
    role: Option<Role>,
    #[serde(default)]
    movement: Option<Movement>,
    #[serde(default)]
    light: Option<Light>,
    #[serde(default)]
    alike: Option<String>,
    energy: TraceLine,
}

/// 0–100, of the whole clip from its first frame.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
struct TraceLine {
    step: f64,
    values: Vec<f64>,
}

#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
struct PinLine {
    place: usize,
    select: String,
}

/// The answer.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct AnswerFile {
    chosen: Vec<Option<String>>,
    shots: Vec<ShotLine>,
    total: f64,
    bound: f64,
    /// Milliseconds that laying took, costs and all.
    pub ms: f64,
    missing: Vec<MissingLine>,
    #[serde(flatten, skip_serializing_if = "Option::is_none")]
    costs: Option<Costs>,
}

#[derive(Debug, Clone, PartialEq, Serialize)]
struct ShotLine {
    place: usize,
    select: String,
    start: Seconds,
    speed: Speed,
    hit_at: Option<u64>,
    cost: Cost,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
struct MissingLine {
    place: usize,
    why: String,
}

#[derive(Debug, Clone, PartialEq, Serialize)]
struct Costs {
    /// Place by select; null where it does not fit.
    place_cost: Vec<Vec<Option<f64>>>,
    /// Select by the select after it.
    join_cost: Vec<Vec<f64>>,
}

/// A problem that holds together.
pub struct ReadProblem {
    names: Vec<String>,
    candidates: Vec<Candidate>,
    slots: Vec<Slot>,
    rate: FrameRate,
    seed: u64,
    weights: Weights,
    orders: Vec<(usize, usize)>,
    /// The select that each place is pinned to.
    pins: Vec<Option<usize>>,
}

impl ProblemFile {
    /// Checks that what is named is there and that all fits together.
    pub fn read(self) -> Result<ReadProblem, ExchangeError> {
        if self.places.is_empty() || self.places.len() > MOST || self.selects.len() > MOST {
            return Err(ExchangeError::Size);
        }
        if !self.weights.are_sound() {
            return Err(ExchangeError::Weight);
        }
        let mut start = 0;
        let mut slots = Vec::with_capacity(self.places.len());
        for (i, place) in self.places.into_iter().enumerate() {
            let len = Some(place.len).filter(|len| (1..=crate::draft::LONGEST.get()).contains(len));
            slots.push(place.slot(start));
            start += len.ok_or(ExchangeError::Empty(i))? as i64;
        }
        let mut known: HashMap<String, usize> = HashMap::new();
        let (mut clips, mut set_ups) = (Numbers::default(), Numbers::default());
        let mut candidates = Vec::with_capacity(self.selects.len());
        let mut names = Vec::with_capacity(self.selects.len());
        for (i, select) in self.selects.into_iter().enumerate() {
            if known.insert(select.id.clone(), i).is_some() {
                return Err(ExchangeError::Twice(select.id));
            }
            names.push(select.id.clone());
            let (clip, set_up) = (clips.of(&select.clip), select.alike.as_deref().map(|name| set_ups.of(name)));
            candidates.push(select.candidate(i, clip, set_up)?);
        }
        let find = |name: &String| known.get(name).copied().ok_or_else(|| ExchangeError::NoSelect(name.clone()));
        let order = |(a, b): &(String, String)| Ok((find(a)?, find(b)?));
        let orders = self.order.iter().map(order).collect::<Result<_, ExchangeError>>()?;
        let mut pins: Vec<Option<usize>> = vec![None; slots.len()];
        for pin in &self.pins {
            let select = find(&pin.select)?;
            let taken = pins.contains(&Some(select));
            let place = pins.get_mut(pin.place).ok_or(ExchangeError::NoPlace(pin.place))?;
            if place.replace(select).is_some() || taken {
                return Err(ExchangeError::PinnedTwice(pin.place));
            }
        }
        let (rate, seed, weights) = (self.rate, self.seed, self.weights);
        Ok(ReadProblem { names, candidates, slots, rate, seed, weights, orders, pins })
    }
}

impl PlaceLine {
    fn slot(self, start: i64) -> Slot {
        Slot {
            start: FramePos::new(start),
            len: FrameLen::new(self.len),
            energy: self.energy.clamp(0.0, 100.0),
            kind: self.kind,
            section: self.section,
            on_drop: self.on_drop,
            wants: self.wants,
            marks: self.marks,
        }
    }
}

impl SelectLine {
    fn candidate(self, i: usize, clip: usize, set_up: Option<usize>) -> Result<Candidate, ExchangeError> {
        let hit = self.hit.unwrap_or(self.start);
        let range =
            Range::new(self.start, self.out, hit).map_err(|why| ExchangeError::Range { name: self.id.clone(), why })?;
        if self.out > self.media {
            return Err(ExchangeError::Media(self.id));
        }
        let trace = self.energy.trace();
        let energy = trace.energy(self.start.to_f64(), self.out.to_f64());
        Ok(Candidate {
            select: SelectId::from_u128(i as u128 + 1),
            clip: ClipId::from_u128(clip as u128 + 1),
            name: self.id,
            range,
            media: self.media,
            rate: self.rate,
            tier: self.tier,
            energy,
            trace: Arc::new(trace),
            faults: Arc::default(),
            framing: self.framing,
            role: self.role,
            movement: self.movement,
            light: self.light,
            measured: Measured::default(),
            set_up,
            recorded: self.recorded,
        })
    }
}

impl TraceLine {
    /// The same at the distance between samples that energies are computed from.
    fn trace(&self) -> EnergyTrace {
        let step = if self.step.is_finite() && self.step > 0.0 { self.step } else { STEP };
        let seconds = (self.values.len() as f64 * step).min(24.0 * 3600.0);
        let at = |n: usize| {
            let value = self.values.get(((n as f64 + 0.5) * STEP / step) as usize).or(self.values.last());
            (value.copied().unwrap_or(0.0).clamp(0.0, 100.0) * 2.55).round() as u8
        };
        EnergyTrace::from_bytes((0..(seconds / STEP).ceil() as usize).map(at).collect())
    }
}

/// Numbers for names, in the order in which they come.
#[derive(Default)]
struct Numbers(HashMap<String, usize>);

impl Numbers {
    fn of(&mut self, name: &str) -> usize {
        let next = self.0.len();
        *self.0.entry(name.to_owned()).or_insert(next)
    }
}

impl ReadProblem {
    /// Lays the selects. With `costs`, what is asked of several selects together is left aside, and all costs of places and
    /// joins are in the answer, so that its total is the sum of those of the row.
    pub fn answer(&self, costs: bool) -> Result<AnswerFile, ExchangeError> {
        let scale = Scale::between(&self.candidates, &self.slots);
        let fit = |slot: &Slot, c: &Candidate| fit::fit(c, slot, self.rate, scale, &self.weights);
        let fits: Vec<Vec<Option<Fit>>> =
            self.slots.iter().map(|slot| self.candidates.iter().map(|c| fit(slot, c)).collect()).collect();
        let place_cost = |place: usize, s: usize| fits[place][s].as_ref().map(|fit| fit.cost.total());
        let problem = self.problem(place_cost, costs)?;
        let row = problem.solve();
        Ok(AnswerFile {
            chosen: row.chosen.iter().map(|s| s.map(|s| self.names[s].clone())).collect(),
            shots: self.shots(&row, &fits),
            total: row.total,
            // Found in single precision: what it says beyond this is chance.
            bound: (row.bound * 1e6).floor() / 1e6,
            ms: 0.0,
            missing: self.missing(&row, &fits),
            costs: costs.then(|| Costs {
                place_cost: (0..self.slots.len())
                    .map(|place| (0..self.candidates.len()).map(|s| place_cost(place, s)).collect())
                    .collect(),
                join_cost: problem.join_cost,
            }),
        })
    }

    fn problem(
        &self,
        place_cost: impl Fn(usize, usize) -> Option<f64>,
        pairs_only: bool,
    ) -> Result<Problem, ExchangeError> {
        for (place, select) in self.pins.iter().enumerate().filter_map(|(place, s)| Some((place, (*s)?))) {
            if place_cost(place, select).is_none() {
                return Err(ExchangeError::PinUnfit { name: self.names[select].clone(), place });
            }
        }
        // A pinned select has its place, and the place its select.
        let open = |place: usize, s: usize| match self.pins[place] {
            Some(pinned) => pinned == s,
            None => !self.pins.contains(&Some(s)),
        };
        let cost = |place: usize, s: usize| place_cost(place, s).filter(|_| open(place, s)).unwrap_or(f64::INFINITY);
        let all = 0..self.candidates.len();
        let join = |a: &Candidate, b: &Candidate| fit::join(a, b, &self.weights);
        Ok(Problem {
            place_cost: (0..self.slots.len()).map(|place| all.clone().map(|s| cost(place, s)).collect()).collect(),
            join_cost: self.candidates.iter().map(|a| self.candidates.iter().map(|b| join(a, b)).collect()).collect(),
            sets: if pairs_only {
                Vec::new()
            } else {
                SelectSet::of(self.candidates.iter().enumerate(), &self.weights)
            },
            orders: self.orders.clone(),
            pinned: self.pins.iter().map(Option::is_some).collect(),
            seed: self.seed,
        })
    }

    fn shots(&self, row: &Row, fits: &[Vec<Option<Fit>>]) -> Vec<ShotLine> {
        let shot = |(place, chosen): (usize, &Option<usize>)| {
            let (s, fit) = (*chosen).and_then(|s| Some((s, fits[place][s].as_ref()?)))?;
            let join = |a: usize, b: usize| fit::join(&self.candidates[a], &self.candidates[b], &self.weights);
            let before =
                place.checked_sub(1).and_then(|before| row.chosen[before]).map_or(0.0, |before| join(before, s));
            Some(ShotLine {
                place,
                select: self.names[s].clone(),
                start: fit.showing.start,
                speed: fit.showing.speed,
                hit_at: fit.showing.hit_at,
                cost: Cost { join: before, ..fit.cost },
            })
        };
        row.chosen.iter().enumerate().filter_map(shot).collect()
    }

    fn missing(&self, row: &Row, fits: &[Vec<Option<Fit>>]) -> Vec<MissingLine> {
        let empty = row.chosen.iter().enumerate().filter(|(_, chosen)| chosen.is_none());
        empty
            .map(|(place, _)| {
                let seconds = self.rate.seconds_of(self.slots[place].len).to_f64();
                let why = if fits[place].iter().any(Option::is_some) {
                    "all selects that fit it are in other places".to_owned()
                } else {
                    format!("no select is {seconds:.1} s long, nor can be slowed to it")
                };
                MissingLine { place, why }
            })
            .collect()
    }
}

#[cfg(test)]
mod tests;
