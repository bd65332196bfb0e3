//! How well a select answers what a slot asks for, and how two shots join.

use super::{Candidate, Slot};
use crate::draft::Speed;
use crate::select::{Framing, Movement, Role, Tier, USUAL_HIT};
use crate::time::{FrameLen, FramePos, FrameRate, Seconds};
use serde::{Deserialize, Serialize};

/// How much each part counts.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Weights {
    /// How far its energy is from the music’s.
    pub energy: f64,
    /// The verdict, weighed by how loud the place is.
    pub tier: f64,
    /// Whether it is what the place asks for.
    pub role: f64,
    /// Whether the hit lands on a mark.
    pub hit: f64,
    /// How much lies beyond in and out, or cannot be used.
    pub range: f64,
    /// How it connects to its neighbours.
    pub join: f64,
    /// How much worse a shot is for having been recorded before the one in front of it.
    pub order: f64,
    /// What each take of a set-up beyond the first costs.
    pub alike: f64,
    /// What a hero costs that is left out, where no alike take of it is there.
    pub hero: f64,
    /// How bad two framings that are alike are behind each other, as a share of `join`.
    pub framing: f64,
    /// What it costs to move a cut of the cadence by one mark.
    pub cadence: f64,
}

impl Weights {
    /// Whether all lie within 0 to 20: beyond that a cost would outweigh an empty place.
    pub fn are_sound(&self) -> bool {
        let Self { energy, tier, role, hit, range, join, order, alike, hero, framing, cadence } = *self;
        [energy, tier, role, hit, range, join, order, alike, hero, framing, cadence]
            .iter()
            .all(|weight| (0.0..=20.0).contains(weight))
    }
}

impl Default for Weights {
    fn default() -> Self {
        Self {
            energy: 2.0,
            tier: 1.0,
            role: 0.5,
            hit: 0.4,
            range: 0.6,
            join: 0.5,
            order: 0.0,
            alike: 2.5,
            hero: 5.0,
            framing: 0.7,
            cadence: 0.2,
        }
    }
}

/// The parts of a cost, each weighted; less is better.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize)]
pub struct Cost {
    /// How far its energy is from the music’s.
    pub energy: f64,
    /// The verdict, weighed by how loud the place is.
    pub tier: f64,
    /// Whether it is what the place asks for.
    pub role: f64,
    /// Whether the hit lands on a mark.
    pub hit: f64,
    /// How much lies beyond in and out, or cannot be used.
    pub range: f64,
    /// How it connects to its neighbours.
    pub join: f64,
}

impl Cost {
    /// All parts together.
    pub fn total(&self) -> f64 {
        self.energy + self.tier + self.role + self.hit + self.range + self.join
    }
}

impl std::ops::Sub for Cost {
    type Output = Self;
    fn sub(self, other: Self) -> Self {
        Self {
            energy: self.energy - other.energy,
            tier: self.tier - other.tier,
            role: self.role - other.role,
            hit: self.hit - other.hit,
            range: self.range - other.range,
            join: self.join - other.join,
        }
    }
}

/// How a select is shown in a slot: which part of it, and how fast.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Showing {
    pub start: Seconds,
    /// Exclusive.
    pub end: Seconds,
    pub speed: Speed,
    /// Frames from the slot's beginning to the hit, when it lands on a mark.
    pub hit_at: Option<u64>,
}

/// A select in a slot, with what that costs.
#[derive(Debug, Clone, PartialEq)]
pub struct Fit {
    pub showing: Showing,
    pub cost: Cost,
}

/// How far the energy of a picture may be from the music's and still answer it.
pub const ANSWERS: f64 = 18.0;

/// Brings picture energies onto the music's: the calmest select answers the calmest slot, the liveliest the
/// liveliest, so that a calm shoot still follows the contour.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scale {
    from: (f64, f64),
    to: (f64, f64),
}

impl Scale {
    /// The scale that maps the energies of these candidates onto those of these places.
    pub fn between<'a>(candidates: impl IntoIterator<Item = &'a Candidate>, slots: &[Slot]) -> Self {
        let span = |mut values: Vec<f64>| {
            values.sort_by(f64::total_cmp);
            let at = |share: f64| values.get(((values.len().saturating_sub(1)) as f64 * share) as usize).copied();
            (at(0.05).unwrap_or(0.0), at(0.95).unwrap_or(100.0))
        };
        Self {
            from: span(candidates.into_iter().map(|c| c.energy).collect()),
            to: span(slots.iter().map(|s| s.energy).collect()),
        }
    }

    /// Where a picture's energy stands among the music's, 0–100.
    pub fn of(&self, energy: f64) -> f64 {
        let spread = (self.from.1 - self.from.0).max(5.0);
        (self.to.0 + (energy - self.from.0) / spread * (self.to.1 - self.to.0)).clamp(0.0, 100.0)
    }

    /// Energies of pictures that answer the music's; an open end reaches to 0 or to 100.
    pub fn answering(&self, level: f64) -> (f64, f64) {
        let (from, to) = (level - ANSWERS, level + ANSWERS);
        (if from <= 0.0 { 0.0 } else { self.back(from) }, if to >= 100.0 { 100.0 } else { self.back(to) })
    }

    /// The energy of pictures that stands there among the music's.
    pub fn back(&self, level: f64) -> f64 {
        let spread = (self.from.1 - self.from.0).max(5.0);
        let over = (self.to.1 - self.to.0).max(1.0);
        (self.from.0 + (level - self.to.0) / over * spread).clamp(0.0, 100.0)
    }
}

/// `None` when the select is too short for the slot, even slowed as far as its frames go: nothing beyond in and out is shown
/// unless a person does so.
pub fn fit(candidate: &Candidate, slot: &Slot, rate: FrameRate, scale: Scale, weights: &Weights) -> Option<Fit> {
    let showing = showing(candidate, slot, rate)?;
    let cost = cost(candidate, slot, &showing, scale, weights);
    Some(Fit { showing, cost })
}

/// What of a select is shown in a slot, where it has enough for it and is not out.
pub fn showing(candidate: &Candidate, slot: &Slot, rate: FrameRate) -> Option<Showing> {
    if candidate.tier == Tier::Out {
        return None;
    }
    let speed = speed_for(candidate, slot.len, rate)?;
    let used = rate.seconds_of(slot.len).scaled(speed.ratio());
    let (start, hit_at) = aligned(candidate, slot, rate, speed, used);
    let start = start.max(candidate.range.start()).min(candidate.range.end() - used);
    Some(Showing { start, end: start + used, speed, hit_at })
}

/// How much it counts that nothing of what is shown can be used: of two that were judged alike the clean one is taken, but a
/// verdict says more, because who gave it has seen the fault.
const FAULTY: f64 = 0.6;

/// What it costs to show a hero where the music is silent, where it is loudest nothing: less than a strong one costs there, so
/// that of two takes the better judged is still the cheaper.
const WASTED: f64 = 0.1;

/// What nobody has looked at comes after all that was kept, however well it would fit.
const UNSEEN: f64 = 3.0;

/// What it costs to show a select in this way in a slot; without the joins.
pub fn cost(candidate: &Candidate, slot: &Slot, showing: &Showing, scale: Scale, weights: &Weights) -> Cost {
    let end = showing.end;
    let used = end - showing.start;
    // Frames outside in and out: the editor did not choose them.
    let (before, after) = candidate.range.beyond(showing.start, end);
    let outside = (before + after) / used.to_f64().max(1e-6);
    let slowed = if showing.speed == Speed::NORMAL { 0.0 } else { 0.3 };
    // A verdict says more than none: what was looked at and kept comes before what nobody has seen.
    // The best shots are for the loud places: a hero in a quiet slot is a hero wasted.
    let weight = if slot.on_drop { 2.0 } else { 0.4 + slot.energy / 100.0 };
    let tier = match candidate.tier {
        Tier::Hero if slot.on_drop => 0.0,
        Tier::Hero => WASTED * (1.0 - slot.energy / 100.0),
        Tier::Strong => 0.3 * weight,
        Tier::Spare => 0.7 * weight,
        Tier::Unread => UNSEEN,
        Tier::Out => 2.0 * UNSEEN,
    };
    // Nothing where the wish is met, so that a cost says how far a place is from what it asks for.
    let unmet = if slot.wants.is_some() { 1.0 } else { 0.0 };
    let role = match (slot.wants, candidate.role) {
        (Some(wanted), Some(role)) if wanted == role => 0.0,
        (Some(Role::Establishing), _) if candidate.framing == Some(Framing::Wide) => 0.4,
        (Some(Role::Establishing | Role::Closing), Some(Role::Action)) => unmet + 0.6,
        (_, Some(Role::Establishing)) => unmet + 0.5,
        (_, Some(Role::Closing)) => unmet + 0.8,
        _ => unmet,
    };
    let energy = scale.of(candidate.energy_of(showing.start, end));
    let hit = match showing.hit_at.and_then(|at| slot.marks.iter().find(|m| m.at == at)) {
        Some(mark) => (place_of_hit(mark, slot) * 0.5 + outside * 0.5).min(0.8),
        None => 1.0,
    };
    Cost {
        energy: weights.energy * ((energy - slot.energy).abs() / 50.0).powf(1.3),
        tier: weights.tier * tier,
        role: weights.role * role,
        hit: weights.hit * hit * if slot.on_drop { 2.0 } else { 1.0 },
        range: weights.range * (outside * 1.5 + slowed + FAULTY * candidate.faulty(showing.start, end)),
        join: 0.0,
    }
}

/// On the drop the action falls on the cut itself; elsewhere it wants room before it and after it.
fn place_of_hit(mark: &super::BeatMark, slot: &Slot) -> f64 {
    let share = mark.at as f64 / slot.len.get().max(1) as f64;
    let place = if slot.on_drop { if mark.at == 0 { 0.0 } else { 0.5 + share } } else { (share - 0.4).abs() };
    place + if mark.beat == 1 { 0.0 } else { 0.1 }
}

/// Normal speed when the select is long enough, otherwise as slow as needed if its frames allow that.
fn speed_for(candidate: &Candidate, len: FrameLen, rate: FrameRate) -> Option<Speed> {
    let needed = rate.seconds_of(len);
    let offered = candidate.range.duration();
    if needed <= offered {
        return Some(Speed::NORMAL);
    }
    let headroom = candidate.rate.headroom_in(rate);
    // Tenths: 9/10, 8/10 …; as little slower as it takes.
    (1..10).rev().filter(|tenths| 10.0 / f64::from(*tenths) <= headroom + 1e-9).find_map(|tenths| {
        let speed = Speed::new(i64::from(tenths), 10)?;
        (needed.scaled(speed.ratio()) <= offered).then_some(speed)
    })
}

/// Where to start so that the hit falls on a beat, and on which frame it then falls; never beyond in and out.
fn aligned(c: &Candidate, slot: &Slot, rate: FrameRate, speed: Speed, used: Seconds) -> (Seconds, Option<u64>) {
    let (earliest, latest) = (c.range.start(), c.range.end() - used);
    let mut best: Option<(f64, Seconds, u64)> = None;
    for mark in &slot.marks {
        let lead = rate.seconds_at(FramePos::new(mark.at as i64)).scaled(speed.ratio());
        let start = c.range.hit() - lead;
        if start < earliest || start > latest {
            continue;
        }
        let cost = place_of_hit(mark, slot) + c.faulty(start, start + used);
        if best.is_none_or(|(least, ..)| cost < least) {
            best = Some((cost, start, mark.at));
        }
    }
    // The hit where hits usually are, where no beat can have it.
    let led_in = c.range.hit() - used.scaled(num_rational::Ratio::new(USUAL_HIT.0, USUAL_HIT.1));
    best.map_or((led_in, None), |(_, start, at)| (start, Some(at)))
}

/// Whether the cut between two shots is on the action: the hit of the first in its last quarter, that of the second in its first
/// one. Each is its frame and the shot's length.
pub fn is_on_action(before: (Option<u64>, FrameLen), after: (Option<u64>, FrameLen)) -> bool {
    let late = before.0.is_some_and(|at| at * 4 >= before.1.get() * 3);
    late && after.0.is_some_and(|at| at * 4 <= after.1.get())
}

/// What a cut on the action saves, as a share of what joins count.
pub const ON_ACTION: f64 = 0.4;

/// What it costs to have `b` after `a`; nothing where the cut goes from wide to close and the movement goes on.
pub fn join(a: &Candidate, b: &Candidate, weights: &Weights) -> f64 {
    let mut cost = 0.7;
    // Two pictures of one thing behind each other jump, or are seen as one that was forgotten to be cut.
    if a.clip == b.clip || a.set_up.is_some() && a.set_up == b.set_up {
        cost += 2.5;
    }
    let (framings, trust) = known((a.framing, a.measured.framing), (b.framing, b.measured.framing));
    match framings {
        Some((x, y)) if x == y => cost += weights.framing * trust,
        Some((Framing::Wide, Framing::Close | Framing::Detail | Framing::Medium)) => cost -= 0.3 * trust,
        _ => {}
    }
    match (a.movement, b.movement) {
        (Some(x), Some(y)) if x == y && x != Movement::Still => cost -= 0.4,
        (Some(x), Some(y)) if opposite(x, y) => cost += 0.6,
        _ => {}
    }
    let (lights, trust) = known((a.light, a.measured.light), (b.light, b.measured.light));
    if lights.is_some_and(|(x, y)| x != y) {
        cost += 0.3 * trust;
    }
    // First the place, then what is done there, and then the same seen closer; not back to the place in between.
    match (a.role, b.role) {
        (Some(Role::Establishing), Some(Role::Action | Role::Cutaway)) => cost -= 0.3,
        (Some(Role::Action | Role::Reveal), Some(Role::Establishing)) => cost += 0.4,
        (Some(Role::Action), Some(Role::Action)) if closer(a.framing, b.framing) => cost -= 0.3,
        _ => {}
    }
    let back = a.recorded.zip(b.recorded).is_some_and(|(a, b)| b < a);
    weights.join * cost.max(0.0) + if back { weights.order } else { 0.0 }
}

/// What is known of two shots, and how far it is trusted: what a person said wholly, what was measured by half.
fn known<T: Copy>(a: (Option<T>, Option<T>), b: (Option<T>, Option<T>)) -> (Option<(T, T)>, f64) {
    let said = a.0.zip(b.0);
    (said.or_else(|| a.0.or(a.1).zip(b.0.or(b.1))), if said.is_some() { 1.0 } else { 0.5 })
}

/// Whether the second shows less of the place and more of the thing.
fn closer(a: Option<Framing>, b: Option<Framing>) -> bool {
    let near = |framing| match framing {
        Framing::Wide | Framing::Overhead => 0,
        Framing::Medium => 1,
        Framing::Close => 2,
        Framing::Detail => 3,
    };
    a.zip(b).is_some_and(|(a, b)| near(b) > near(a))
}

fn opposite(a: Movement, b: Movement) -> bool {
    use Movement::{Down, In, Left, Out, Right, Up};
    matches!((a, b), (Left, Right) | (Right, Left) | (Up, Down) | (Down, Up) | (In, Out) | (Out, In))
}
