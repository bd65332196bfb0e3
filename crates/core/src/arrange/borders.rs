//! Cuts that move to a mark beside theirs, where that lets a shot show its action or brings it nearer to the music.

use super::fit::{self, Fit};
use super::plan::Arranger;
use super::slot::{BeatMark, Slot};
use crate::time::{FrameLen, FramePos};

/// A cut moves by so many marks at most.
const FARTHEST: usize = 2;
/// What moving has to gain beyond what it does to the cadence.
const WORTH: f64 = 0.1;
/// How often all cuts are gone through.
const ROUNDS: usize = 2;
/// In frames: no shot becomes shorter than this, in seconds.
const SHORTEST_SECONDS: f64 = 0.4;

/// Places with cuts that were moved.
pub(super) struct Moved {
    pub slots: Vec<Slot>,
    /// How what is chosen stands in them.
    pub fits: Vec<Option<Fit>>,
    /// By how much that is cheaper, what it does to the cadence included.
    pub gained: f64,
}

impl Arranger<'_> {
    /// Moves cuts between the chosen selects to neighbouring marks, one after the other.
    pub(super) fn moved_borders(&self, chosen: &[Option<usize>]) -> Moved {
        let slots: Vec<Slot> = self.places.iter().map(|place| place.slot.clone()).collect();
        let fits = chosen.iter().enumerate().map(|(i, c)| self.fits.get(i)?.get((*c)?)?.clone()).collect();
        let mut now = Moved { slots, fits, gained: 0.0 };
        for _ in 0..ROUNDS {
            let before = now.gained;
            for border in 1..now.slots.len() {
                if self.can_move(&now.slots, border) {
                    self.try_border(&mut now, chosen, border);
                }
            }
            if now.gained <= before {
                break;
            }
        }
        now
    }

    /// Cuts on a section's beginning, a drop, a phrase or what a hand holds stay.
    fn can_move(&self, slots: &[Slot], border: usize) -> bool {
        let (before, after) = (&slots[border - 1], &slots[border]);
        let held = !self.places[border - 1].can_end_elsewhere() || !self.places[border].can_begin_elsewhere();
        let free = self.places[border - 1].is_free() && self.places[border].is_free();
        let first_bar = slots.iter().find(|s| s.section == after.section).and_then(|s| s.marks.first()).map(|m| m.bar);
        let on = after.marks.first().filter(|m| m.at == 0 && m.beat == 1);
        let phrase = on.zip(first_bar).is_some_and(|(on, first)| on.bar.abs_diff(first).is_multiple_of(4));
        free && !held && !phrase && before.section == after.section && !after.on_drop
    }

    fn try_border(&self, now: &mut Moved, chosen: &[Option<usize>], border: usize) {
        let (Some(a), Some(b)) = (chosen[border - 1], chosen[border]) else { return };
        let (Some(fit_a), Some(fit_b)) = (&now.fits[border - 1], &now.fits[border]) else { return };
        let standing = fit_a.cost.total() + fit_b.cost.total();
        let both = now.slots[border - 1].joined(&now.slots[border]);
        let cut = now.slots[border - 1].len.get();
        let shortest = (SHORTEST_SECONDS * self.rate.to_f64()).ceil() as u64;
        let mut best: Option<(f64, [Slot; 2], [Fit; 2])> = None;
        for (at, marks) in neighbours(&both.marks, cut) {
            if at < shortest || both.len.get() - at < shortest {
                continue;
            }
            let [left, right] = shifted(&now.slots[border - 1], &now.slots[border], &both, at);
            if even_run(&now.slots, border, left.len, right.len) {
                continue;
            }
            let fits = [(a, &left), (b, &right)].map(|(c, slot)| self.fit_in(self.candidates[c], slot));
            let [Some(fit_left), Some(fit_right)] = fits else { continue };
            let cadence = self.weights.cadence * marks as f64;
            let on_action = |a: &Fit, left: &Slot, b: &Fit, right: &Slot| {
                let is = fit::is_on_action((a.showing.hit_at, left.len), (b.showing.hit_at, right.len));
                if is { self.weights.join * fit::ON_ACTION } else { 0.0 }
            };
            let was = on_action(fit_a, &now.slots[border - 1], fit_b, &now.slots[border]);
            let action = on_action(&fit_left, &left, &fit_right, &right) - was;
            let gain = action + standing - fit_left.cost.total() - fit_right.cost.total() - cadence;
            if gain > best.as_ref().map_or(WORTH, |(most, ..)| *most) {
                best = Some((gain, [left, right], [fit_left, fit_right]));
            }
        }
        if let Some((gain, [left, right], [fit_left, fit_right])) = best {
            now.gained += gain;
            now.slots[border - 1] = left;
            now.slots[border] = right;
            now.fits[border - 1] = Some(fit_left);
            now.fits[border] = Some(fit_right);
        }
    }
}

/// Whether one length would come four times in a row.
fn even_run(slots: &[Slot], border: usize, left: FrameLen, right: FrameLen) -> bool {
    let from = border.saturating_sub(4);
    let lens: Vec<u64> = (from..(border + 4).min(slots.len()))
        .map(|i| {
            if i + 1 == border {
                left
            } else if i == border {
                right
            } else {
                slots[i].len
            }
        })
        .map(FrameLen::get)
        .collect();
    lens.windows(4).any(|run| run.iter().all(|len| len.abs_diff(run[0]) <= 1))
}

/// The marks beside a cut, with how many marks away each is.
fn neighbours(marks: &[BeatMark], cut: u64) -> impl Iterator<Item = (u64, usize)> {
    let before = marks.iter().rev().filter(move |m| m.at < cut).take(FARTHEST);
    let after = marks.iter().filter(move |m| m.at > cut).take(FARTHEST);
    let away = |(n, m): (usize, &BeatMark)| (m.at, n + 1);
    before.enumerate().chain(after.enumerate()).map(away).collect::<Vec<_>>().into_iter()
}

/// Two places with the cut between them elsewhere; each stretch keeps the energy of the music that it had.
fn shifted(before: &Slot, after: &Slot, both: &Slot, at: u64) -> [Slot; 2] {
    let (left, right) = both.split_at(at);
    let cut = before.len.get();
    let mixed = |own: f64, own_len: u64, other: f64, len: u64| {
        (own * own_len as f64 + other * (len - own_len) as f64) / len.max(1) as f64
    };
    let (left_len, right_len) = (left.len.get(), right.len.get());
    let left_energy = mixed(before.energy, left_len.min(cut), after.energy, left_len);
    let right_energy = mixed(after.energy, right_len.min(after.len.get()), before.energy, right_len);
    let start = FramePos::new(before.start.get() + at as i64);
    [
        Slot { len: left.len, marks: left.marks, energy: left_energy, ..before.clone() },
        Slot { start, len: right.len, marks: right.marks, energy: right_energy, ..after.clone() },
    ]
}
