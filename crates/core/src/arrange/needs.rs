//! What the music asks for, section by section, and how much of it the selects offer.
//!
//! One select fills one place, so what is offered is a largest matching of places and selects (augmenting paths, Kuhn 1955),
//! not a count of each place's own: five places for one loud select lack four.

use super::fit::{ANSWERS, Scale, Showing, showing};
use super::{Candidate, Slot};
use crate::select::{Framing, Role, Tier};
use crate::time::FrameRate;
use crate::track::SectionKind;

/// What one section asks for.
#[derive(Debug, Clone, PartialEq)]
pub struct Need {
    /// Which section of the version.
    pub section: usize,
    /// Its kind.
    pub kind: SectionKind,
    /// How many shots the pace asks for.
    pub shots: usize,
    /// How many of them the selects fill, each select once in the whole piece.
    pub offered: usize,
    /// Energies of selects that answer, on the pictures' own scale; an open end reaches to 0 or to 100.
    pub energy: (f64, f64),
    /// The roles that its places want.
    pub roles: Vec<Role>,
    /// The shortest place, in seconds.
    pub shortest: f64,
}

/// Sections in their order. Only what was judged and kept is offered.
pub fn needs<'a>(slots: &[Slot], candidates: impl IntoIterator<Item = &'a Candidate>, rate: FrameRate) -> Vec<Need> {
    let mut kept: Vec<&Candidate> = candidates.into_iter().collect();
    let scale = Scale::between(kept.iter().copied(), slots);
    kept.retain(|c| c.tier >= Tier::Spare);
    // A place that as many selects answer as there are places finds one whatever the others take: more need not be looked for.
    let answers_of = |slot| (0..kept.len()).filter(|i| fills(kept[*i], slot, rate, scale)).take(slots.len()).collect();
    let answers: Vec<Vec<usize>> = slots.iter().map(answers_of).collect();
    let filled = matched(&answers, kept.len());
    let mut needs: Vec<Need> = Vec::new();
    for (slot, filled) in slots.iter().zip(filled) {
        let open = scale.answering(slot.energy);
        let seconds = rate.seconds_of(slot.len).to_f64();
        match needs.last_mut() {
            Some(need) if need.section == slot.section => {
                need.shots += 1;
                need.offered += usize::from(filled);
                need.energy = (need.energy.0.min(open.0), need.energy.1.max(open.1));
                need.roles.extend(slot.wants);
                need.shortest = need.shortest.min(seconds);
            }
            _ => needs.push(Need {
                section: slot.section,
                kind: slot.kind,
                shots: 1,
                offered: usize::from(filled),
                energy: open,
                roles: slot.wants.into_iter().collect(),
                shortest: seconds,
            }),
        }
    }
    needs
}

/// Whether a select answers a place: long enough within its in and out, close in energy, and not meant for another role.
fn fills(candidate: &Candidate, slot: &Slot, rate: FrameRate, scale: Scale) -> bool {
    let meant = match (slot.wants, candidate.role) {
        (Some(Role::Establishing), None) => candidate.framing.is_none_or(|f| f == Framing::Wide),
        (Some(Role::Establishing | Role::Closing), Some(role)) => slot.wants == Some(role),
        (_, Some(role)) => !matches!(role, Role::Establishing | Role::Closing),
        _ => true,
    };
    let energy = |showing: &Showing| scale.of(candidate.energy_of(showing.start, showing.end));
    meant && showing(candidate, slot, rate).is_some_and(|shown| (energy(&shown) - slot.energy).abs() <= ANSWERS)
}

/// Which of the places are filled in a largest matching.
fn matched(answers: &[Vec<usize>], candidates: usize) -> Vec<bool> {
    fn place(slot: usize, answers: &[Vec<usize>], seen: &mut [bool], holder: &mut [Option<usize>]) -> bool {
        for candidate in &answers[slot] {
            if std::mem::replace(&mut seen[*candidate], true) {
                continue;
            }
            if holder[*candidate].is_none_or(|other| place(other, answers, seen, holder)) {
                holder[*candidate] = Some(slot);
                return true;
            }
        }
        false
    }
    let mut holder = vec![None; candidates];
    for slot in 0..answers.len() {
        place(slot, answers, &mut vec![false; candidates], &mut holder);
    }
    let mut filled = vec![false; answers.len()];
    holder.into_iter().flatten().for_each(|slot| filled[slot] = true);
    filled
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// By trying all ways: the largest number of places that can be filled.
    fn most(answers: &[Vec<usize>], used: &mut Vec<usize>) -> usize {
        let Some((first, rest)) = answers.split_first() else { return 0 };
        let mut best = most(rest, used);
        for candidate in first {
            if !used.contains(candidate) {
                used.push(*candidate);
                best = best.max(1 + most(rest, used));
                used.pop();
            }
        }
        best
    }

    proptest! {
        #[test]
        fn as_many_places_are_filled_as_can_be(
            answers in proptest::collection::vec(proptest::collection::btree_set(0usize..5, 0..4), 0..6)
        ) {
            let answers: Vec<Vec<usize>> = answers.into_iter().map(|a| a.into_iter().collect()).collect();
            let filled = matched(&answers, 5).into_iter().filter(|f| *f).count();
            prop_assert_eq!(filled, most(&answers, &mut Vec::new()));
        }

        #[test]
        fn more_answers_than_places_change_nothing(
            answers in proptest::collection::vec(proptest::collection::btree_set(0usize..9, 0..9), 0..6)
        ) {
            let all: Vec<Vec<usize>> = answers.into_iter().map(|a| a.into_iter().collect()).collect();
            let enough: Vec<Vec<usize>> = all.iter().map(|a| a.iter().copied().take(all.len()).collect()).collect();
            prop_assert_eq!(matched(&enough, 9), matched(&all, 9));
        }
    }
}
