//! The places of a draft in which something stands already.

use super::brief::{Hold, Kept};
use super::{BeatMark, Slot};
use crate::draft::Shot;
use crate::id::ShotId;
use crate::time::FramePos;

/// A slot, and what of it is not to be chosen.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Place {
    pub slot: Slot,
    pub stands: Stands,
}

/// What stands in a place.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Stands {
    /// Nothing.
    Nothing,
    /// A shot that begins there.
    Beginning(ShotId),
    /// A shot that begins and ends there.
    Ends(ShotId),
    /// This shot.
    Whole(Shot),
}

impl Place {
    pub fn open(slot: Slot) -> Self {
        Self { slot, stands: Stands::Nothing }
    }

    /// Whether nothing of it is held.
    fn is_open(&self) -> bool {
        self.stands == Stands::Nothing
    }

    /// The shot that stays there.
    pub fn shot(&self) -> Option<&Shot> {
        if let Stands::Whole(shot) = &self.stands { Some(shot) } else { None }
    }

    /// Whether a select is to be chosen for it.
    pub fn is_free(&self) -> bool {
        self.shot().is_none()
    }

    /// Whether its end can be put elsewhere, and it can be divided.
    pub fn can_end_elsewhere(&self) -> bool {
        matches!(self.stands, Stands::Nothing | Stands::Beginning(_))
    }

    /// Whether its beginning can be put elsewhere.
    pub fn can_begin_elsewhere(&self) -> bool {
        self.is_open()
    }
}

/// Makes the places of kept shots slots of their own. Each is in the result once, also where it reaches beyond the last slot
/// or begins behind it.
pub(super) fn around_kept(slots: Vec<Slot>, kept: &[Kept]) -> Vec<Place> {
    if kept.is_empty() {
        return slots.into_iter().map(Place::open).collect();
    }
    let Some((first, last)) = slots.first().zip(slots.last()) else { return Vec::new() };
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
    let mut kept: Vec<&Kept> = kept.iter().collect();
    kept.sort_by_key(|k| k.at);
    let mut out: Vec<Place> = Vec::with_capacity(slots.len() + kept.len());
    let mut at = begin;
    for (n, Kept { at: start, shot, hold }) in kept.iter().enumerate() {
        out.extend(between(at, *start).into_iter().map(Place::open));
        let start = at.max(*start);
        if *hold == Hold::Beginning {
            let until = kept.get(n + 1).map_or(music_end, |next| next.at);
            let rest = between(start, until).into_iter().next();
            // What begins behind the music, or in another kept shot, has no place any more.
            if let Some(slot) = rest {
                at = slot.end();
                out.push(Place { slot, stands: Stands::Beginning(shot.id) });
            }
            continue;
        }
        let end = start.end(shot.len).unwrap_or(start);
        if let Some(slot) = between(start, end).into_iter().reduce(|all, part| all.joined(&part)) {
            let stands = match hold {
                Hold::Ends => Stands::Ends(shot.id),
                _ => Stands::Whole(shot.clone()),
            };
            out.push(Place { slot, stands });
        }
        at = end;
    }
    out.extend(between(at, music_end).into_iter().map(Place::open));
    // Slivers beside a pin are given to a free neighbour, so that no flash is left.
    let mut i = 0;
    while i < out.len() {
        let sliver = out[i].is_open() && out[i].slot.len.get() < crate::draft::SHORTEST.get();
        let before = i.checked_sub(1).filter(|b| out[*b].is_open());
        let after = (i + 1 < out.len() && out[i + 1].is_open()).then_some(i + 1);
        match (sliver, before, after) {
            (true, Some(b), _) => {
                out[b].slot = out[b].slot.joined(&out[i].slot);
                out.remove(i);
            }
            (true, None, Some(a)) => {
                out[a].slot = out[i].slot.joined(&out[a].slot);
                out.remove(i);
            }
            // Between pins, or behind the last one, nothing can give it room.
            (true, None, None) => {
                out.remove(i);
            }
            _ => i += 1,
        }
    }
    out
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
        .map(|m| BeatMark { at: m.at - offset, ..*m })
        .collect();
    Some(part)
}
