//! What each edit makes of a draft.

use super::{Draft, DraftError, Edit, Shot, TimeFrom};
use crate::id::ShotId;
use crate::time::{FrameLen, FramePos, FrameShift, Seconds};

fn back(by: FrameShift) -> Result<FrameShift, DraftError> {
    by.checked_neg().ok_or(DraftError::Flash)
}

fn gained(len: FrameLen) -> Result<FrameShift, DraftError> {
    i64::try_from(len.get()).map(FrameShift::new).map_err(|_huge| DraftError::Flash)
}

impl Draft {
    /// The draft after an edit.
    pub fn apply(&self, edit: &Edit) -> Result<Self, DraftError> {
        let mut next = self.clone();
        let rate = self.rate;
        match edit {
            Edit::MoveCut { shot, by } => next.move_cut(*shot, *by)?,
            Edit::TrimEnd { shot, by, from } => {
                let at = next.index_of(*shot).ok_or(DraftError::NoShot)?;
                next.open_shot(*shot)?.end_moved(*by)?;
                next.settle(at + 1, *by, *from)?;
            }
            Edit::TrimStart { shot, by, from } => {
                let at = next.index_of(*shot).ok_or(DraftError::NoShot)?;
                let shorter = back(*by)?;
                if *from == TimeFrom::Neighbour && at > 0 {
                    // The cut before it moves.
                    let before = next.shots[at - 1].id;
                    next.move_cut(before, *by)?;
                } else {
                    next.open_shot(*shot)?.start_moved(shorter, rate)?;
                    next.settle(at + 1, shorter, *from)?;
                }
            }
            Edit::Slip { shot, by } => {
                let target = next.open_shot(*shot)?;
                let moved = rate.seconds_at(FramePos::new(by.get())).scaled(target.source.speed.ratio());
                target.source.start = target.source.start + moved;
                if !target.fits(rate) {
                    return Err(DraftError::ClipEnds);
                }
                target.hit_at = target.hit_moved(*by);
            }
            Edit::Slide { shot, by } => {
                let at = next.index_of(*shot).ok_or(DraftError::NoShot)?;
                if at == 0 || at + 1 >= next.shots.len() {
                    return Err(DraftError::PieceEnds);
                }
                if next.shots[at - 1..=at + 1].iter().any(|s| s.pinned) {
                    return Err(DraftError::Pinned);
                }
                next.shots[at - 1].end_moved(*by)?;
                next.shots[at + 1].start_moved(back(*by)?, rate)?;
            }
            Edit::Split { shot, at, second } => next.split(*shot, *at, *second)?,
            Edit::Join { shot } => next.join(*shot)?,
            Edit::Remove { shot, from } => next.remove(*shot, *from)?,
            Edit::Insert { new, before, from } => next.insert(new.clone(), *before, *from)?,
            Edit::Exchange { shot, with } => next.exchange(*shot, *with)?,
            Edit::Move { shot, before } => {
                next.open_shot(*shot)?;
                let from = next.index_of(*shot).ok_or(DraftError::NoShot)?;
                let moved = next.shots.remove(from);
                let to = next.place_of(*before)?;
                next.shots.insert(to, moved);
            }
            Edit::PutHit { shot, at, hit } => {
                let target = next.open_shot(*shot)?;
                let lead = rate.seconds_of(FrameLen::new(*at)).scaled(target.source.speed.ratio());
                target.source.start = *hit - lead;
                target.hit_at = Some(*at).filter(|at| *at < target.len.get());
                if !target.fits(rate) {
                    return Err(DraftError::HitOutside);
                }
            }
            Edit::SetSpeed { shot, speed } => {
                let target = next.open_shot(*shot)?;
                let held = rate.seconds_of(FrameLen::new(target.hit_at.unwrap_or(0)));
                let at = target.source.start + held.scaled(target.source.speed.ratio());
                target.source.speed = *speed;
                let used = target.used(rate);
                if used > target.source.media {
                    return Err(DraftError::ClipEnds);
                }
                // Where the clip is too short on one side, the hit gives way rather than the speed.
                let wanted = at - held.scaled(speed.ratio());
                let start = wanted.max(Seconds::ZERO).min(target.source.media - used);
                if start != wanted {
                    target.hit_at = None;
                }
                target.source.start = start;
            }
            Edit::Pin { shot, on } => next.shot_mut(*shot)?.pinned = *on,
            Edit::Replace { shot, source, hit_at } => {
                let target = next.open_shot(*shot)?;
                target.source = source.clone();
                target.hit_at = *hit_at;
            }
        }
        next.checked()
    }

    fn shot_mut(&mut self, shot: ShotId) -> Result<&mut Shot, DraftError> {
        self.shots.iter_mut().find(|s| s.id == shot).ok_or(DraftError::NoShot)
    }

    fn open_shot(&mut self, shot: ShotId) -> Result<&mut Shot, DraftError> {
        let shot = self.shot_mut(shot)?;
        if shot.pinned { Err(DraftError::Pinned) } else { Ok(shot) }
    }

    fn open_at(&mut self, at: usize) -> Result<&mut Shot, DraftError> {
        let id = self.shots.get(at).ok_or(DraftError::PieceEnds)?.id;
        self.open_shot(id)
    }

    fn place_of(&self, before: Option<ShotId>) -> Result<usize, DraftError> {
        match before {
            Some(id) => self.index_of(id).ok_or(DraftError::NoShot),
            None => Ok(self.shots.len()),
        }
    }

    fn move_cut(&mut self, shot: ShotId, by: FrameShift) -> Result<(), DraftError> {
        let rate = self.rate;
        let at = self.index_of(shot).ok_or(DraftError::NoShot)?;
        let Some([left, right]) = self.shots.get_mut(at..at + 2) else { return Err(DraftError::PieceEnds) };
        if left.pinned || right.pinned {
            return Err(DraftError::Pinned);
        }
        left.end_moved(by)?;
        // The later shot keeps its pictures where they are on the music: its hit stays on the beat.
        right.start_moved(back(by)?, rate)
    }

    /// Takes from the shots from `behind` on what was gained before them, or gives them what was lost.
    fn settle(&mut self, behind: usize, gained: FrameShift, from: TimeFrom) -> Result<(), DraftError> {
        let rate = self.rate;
        match from {
            TimeFrom::Whole => Ok(()),
            TimeFrom::Neighbour if behind < self.shots.len() => self.open_at(behind)?.start_moved(back(gained)?, rate),
            // Nothing follows: the one before what was changed gives or takes it.
            TimeFrom::Neighbour => match behind.checked_sub(2) {
                Some(before) => self.open_at(before)?.end_moved(back(gained)?),
                None => Err(DraftError::PieceEnds),
            },
            TimeFrom::Section { end } => {
                // A shot belongs to the section that it began in before the edit.
                let inside = |(i, (start, s)): &(usize, (FramePos, &Shot))| {
                    *i >= behind && start.get() - gained.get() < end.get() && !s.pinned
                };
                let last = self.placed().enumerate().filter(inside).last().map(|(i, _)| i);
                self.open_at(last.ok_or(DraftError::SectionFull)?)?.end_moved(back(gained)?)
            }
        }
    }

    fn split(&mut self, shot: ShotId, at: FrameLen, second: ShotId) -> Result<(), DraftError> {
        let rate = self.rate;
        let first = self.open_shot(shot)?;
        if at >= first.len {
            return Err(DraftError::Flash);
        }
        let mut rest = first.clone();
        rest.id = second;
        rest.start_moved(back(gained(at)?)?, rate)?;
        first.end_moved(back(gained(rest.len)?)?)?;
        let place = self.index_of(shot).ok_or(DraftError::NoShot)?;
        self.shots.insert(place + 1, rest);
        Ok(())
    }

    fn join(&mut self, shot: ShotId) -> Result<(), DraftError> {
        let rate = self.rate;
        let at = self.index_of(shot).ok_or(DraftError::NoShot)?;
        let next = self.open_at(at + 1)?.clone();
        let first = self.open_at(at)?;
        let (a, b) = (&first.source, &next.source);
        if (a.clip, a.speed) != (b.clip, b.speed) || first.source_end(rate) != b.start {
            return Err(DraftError::NotOnePiece);
        }
        let hit = first.hit_at.or(next.hit_at.map(|hit| hit + first.len.get()));
        first.end_moved(gained(next.len)?)?;
        first.hit_at = hit;
        self.shots.remove(at + 1);
        Ok(())
    }

    fn remove(&mut self, shot: ShotId, from: TimeFrom) -> Result<(), DraftError> {
        let rate = self.rate;
        self.open_shot(shot)?;
        if self.shots.len() == 1 {
            return Err(DraftError::OnlyShot);
        }
        let at = self.index_of(shot).ok_or(DraftError::NoShot)?;
        let len = gained(self.shots.remove(at).len)?;
        if from != TimeFrom::Neighbour {
            return self.settle(at, back(len)?, from);
        }
        // The one before goes on, or where its clip ends the next one begins sooner.
        let mut longer = self.clone();
        let before = at.checked_sub(1).ok_or(DraftError::PieceEnds);
        let goes_on = before.and_then(|before| {
            longer.open_at(before)?.end_moved(len)?;
            longer.clone().checked().map(drop)
        });
        match goes_on {
            Ok(()) => *self = longer,
            Err(_) => self.open_at(at)?.start_moved(len, rate)?,
        }
        Ok(())
    }

    fn insert(&mut self, new: Shot, before: Option<ShotId>, from: TimeFrom) -> Result<(), DraftError> {
        let place = self.place_of(before)?;
        let len = gained(new.len)?;
        self.shots.insert(place, new);
        self.settle(place + 1, len, from)
    }

    fn exchange(&mut self, shot: ShotId, with: ShotId) -> Result<(), DraftError> {
        let rate = self.rate;
        self.open_shot(shot)?;
        self.open_shot(with)?;
        let (a, b) = (self.index_of(shot).ok_or(DraftError::NoShot)?, self.index_of(with).ok_or(DraftError::NoShot)?);
        let (first, second) = (self.shots[a].clone(), self.shots[b].clone());
        for (at, shown) in [(a, &second), (b, &first)] {
            let place = &mut self.shots[at];
            place.id = shown.id;
            place.source = shown.source.clone();
            place.hit_at = shown.hit_at.filter(|hit| *hit < place.len.get());
            // Longer places show more at the end, or where the clip ends there, at the beginning.
            let used = place.used(rate);
            if used > place.source.media {
                return Err(DraftError::ClipEnds);
            }
            let latest = place.source.media - used;
            if place.source.start > latest {
                place.source.start = latest;
                place.hit_at = None;
            }
        }
        Ok(())
    }
}
