//! What each edit makes of a draft.

use super::time_curve::mirrored;
use super::{Draft, DraftError, Edit, Pause, Pin, Shot, Speed, SpeedKeyframe, Stop, TimeFrom};
use crate::id::ShotId;
use crate::time::{FrameLen, FramePos, FrameShift, Seconds};

fn back(by: FrameShift) -> Result<FrameShift, DraftError> {
    by.checked_neg().ok_or(DraftError::Flash)
}

fn gained(len: FrameLen) -> Result<FrameShift, DraftError> {
    i64::try_from(len.get()).map(FrameShift::new).map_err(|_huge| DraftError::Flash)
}

fn frames(len: FrameLen) -> i64 {
    i64::try_from(len.get()).unwrap_or(i64::MAX)
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
                next.shots[at].end_moved(*by)?;
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
                    next.shots[at].start_moved(shorter, rate)?;
                    next.settle(at + 1, shorter, *from)?;
                }
            }
            Edit::Slip { shot, by } => next.slip(*shot, *by)?,
            Edit::Slide { shot, by } => {
                let at = next.index_of(*shot).ok_or(DraftError::NoShot)?;
                if at == 0 || at + 1 >= next.shots.len() {
                    return Err(DraftError::PieceEnds);
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
                let from = next.index_of(*shot).ok_or(DraftError::NoShot)?;
                let moved = next.shots.remove(from);
                let to = next.place_of(*before)?;
                next.shots.insert(to, moved);
            }
            Edit::PutHit { shot, at, hit } => {
                let target = next.shot_mut(*shot)?;
                let frame = i64::try_from(*at).map_err(|_huge| DraftError::HitOutside)?;
                target.source.start = *hit - (target.source.instant(frame, rate) - target.source.start);
                target.hit_at = Some(*at);
                if !target.fits(rate) {
                    return Err(DraftError::HitOutside);
                }
            }
            Edit::SetSpeed { shot, speed } => next.set_time(*shot, None, *speed, Vec::new())?,
            Edit::SetTime { shot, start, speed, keyframes } => {
                next.set_time(*shot, *start, *speed, keyframes.clone())?;
            }
            Edit::Reverse { shot } => {
                let target = next.shot_mut(*shot)?;
                let len = frames(target.pictures());
                let (speed, keyframes) = mirrored(&target.source.course(), len);
                target.source.start = target.source.instant(len, rate);
                (target.source.speed, target.source.keyframes) = (speed, keyframes);
                let last = target.pictures().get().saturating_sub(1);
                target.hit_at = target.hit_at.and_then(|at| last.checked_sub(at));
            }
            Edit::Hold { shot, at, len } => next.hold(*shot, *at, *len)?,
            Edit::SetBetween { shot, between } => next.shot_mut(*shot)?.source.between = *between,
            Edit::PauseOver { from, len, stop, rest } => next.pause_over(*from, *len, *stop, *rest)?,
            Edit::SetPause { shot, pause } => next.set_pause(*shot, *pause)?,
            Edit::Overwrite { from, shots, rest } => next.overwrite(*from, shots, *rest)?,
            Edit::Pin { shot, pin } => next.shot_mut(*shot)?.pin = *pin,
            Edit::Release { shot } => {
                next.shot_mut(*shot)?;
            }
            Edit::Keep { from, to, on } => {
                let inside: Vec<ShotId> =
                    next.placed().filter(|(at, _)| at >= from && at < to).map(|(_, s)| s.id).collect();
                for shot in next.shots.iter_mut().filter(|s| inside.contains(&s.id)) {
                    shot.pin = if *on { Pin::Whole } else { Pin::Open };
                }
            }
            Edit::Replace { shot, source, hit_at } => {
                let target = next.shot_mut(*shot)?;
                target.source = source.clone();
                target.hit_at = *hit_at;
            }
        }
        next.keep_on_beats();
        let mut next = next.checked()?.held(self)?;
        next.hold_changed(self, edit);
        Ok(next)
    }

    /// Keyframes that were set on a beat stand on it after an edit too. Where that cannot be, because the beat lies outside of the shot
    /// by now, its clip ends, or another keyframe stands in the way, they go with the pictures again.
    fn keep_on_beats(&mut self) {
        let rate = self.rate;
        let starts: Vec<FramePos> = self.placed().map(|(start, _)| start).collect();
        for (shot, start) in self.shots.iter_mut().zip(starts) {
            let len = frames(shot.pictures());
            let tied = |t: &SpeedKeyframe| {
                let Some(at) = t.tied.map(|beat| beat.get().saturating_sub(start.get())) else { return *t };
                let inside = (0..len).contains(&at.saturating_add(i64::from(t.over)));
                if at == t.at || inside { SpeedKeyframe { at, ..*t } } else { SpeedKeyframe { tied: None, ..*t } }
            };
            let keyframes: Vec<SpeedKeyframe> = shot.source.keyframes.iter().map(tied).collect();
            if keyframes == shot.source.keyframes {
                continue;
            }
            let hit = shot.hit_at.map(|at| shot.source.instant(i64::try_from(at).unwrap_or(0), rate));
            let mut next = shot.clone();
            next.source.keyframes = keyframes;
            next.hit_at = hit.and_then(|hit| next.frame_of(hit, rate));
            if next.source.course().check().is_ok() && next.fits(rate) {
                *shot = next;
            } else {
                shot.source.keyframes.iter_mut().for_each(|t| t.tied = None);
            }
        }
    }

    /// Marks what a person changed by an edit as held, so that laying the open shots again leaves it alone. A neighbour that
    /// only gave or took time stays open.
    fn hold_changed(&mut self, before: &Self, edit: &Edit) {
        let meant = edit.shots();
        for shot in &mut self.shots {
            let was = before.shots.iter().find(|s| s.id == shot.id);
            if meant.contains(&shot.id) && was.is_none_or(|was| was != shot) {
                shot.held = true;
            }
        }
        match edit {
            // The picture that a pause was set behind is the one just before it.
            Edit::PauseOver { .. } => {
                let paused = |s: &&mut Shot| {
                    s.pause.is_some() && before.shots.iter().find(|b| b.id == s.id).is_none_or(|b| b.pause != s.pause)
                };
                self.shots.iter_mut().filter(paused).for_each(|s| s.held = true);
            }
            // A moved shot differs from before by its place alone.
            Edit::Move { shot, .. } => {
                if let Some(moved) = self.shots.iter_mut().find(|s| s.id == *shot) {
                    moved.held = true;
                }
            }
            Edit::Pin { shot, pin: Pin::Open } | Edit::Release { shot } => {
                if let Some(open) = self.shots.iter_mut().find(|s| s.id == *shot) {
                    open.held = false;
                }
            }
            Edit::Keep { on: false, from, to } => {
                let inside: Vec<ShotId> =
                    self.placed().filter(|(at, _)| at >= from && at < to).map(|(_, s)| s.id).collect();
                self.shots.iter_mut().filter(|s| inside.contains(&s.id)).for_each(|s| s.held = false);
            }
            _ => {}
        }
    }

    /// Refused where an edit changed what a pin holds.
    fn held(self, before: &Self) -> Result<Self, DraftError> {
        for (start, was) in before.placed().filter(|(_, s)| s.pinned()) {
            let now = self.placed().find(|(_, s)| s.id == was.id);
            let Some((_, is)) = now.filter(|(at, _)| *at == start) else { return Err(DraftError::Pinned) };
            let same = match was.pin {
                Pin::Open => true,
                Pin::Place => is.source.select == was.source.select,
                Pin::Ends => is.len == was.len,
                Pin::Whole => {
                    (is.len, &is.source, is.pause, is.hit_at) == (was.len, &was.source, was.pause, was.hit_at)
                }
            };
            if !same {
                return Err(DraftError::Pinned);
            }
        }
        Ok(self)
    }

    fn shot_mut(&mut self, shot: ShotId) -> Result<&mut Shot, DraftError> {
        self.shots.iter_mut().find(|s| s.id == shot).ok_or(DraftError::NoShot)
    }

    fn shot_at(&mut self, at: usize) -> Result<&mut Shot, DraftError> {
        self.shots.get_mut(at).ok_or(DraftError::PieceEnds)
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
        left.end_moved(by)?;
        // The later shot keeps its pictures where they are on the music: its hit stays on the beat.
        right.start_moved(back(by)?, rate)
    }

    /// Takes from the shots from `behind` on what was gained before them, or gives them what was lost.
    fn settle(&mut self, behind: usize, gained: FrameShift, from: TimeFrom) -> Result<(), DraftError> {
        let rate = self.rate;
        match from {
            TimeFrom::Whole => Ok(()),
            TimeFrom::Neighbour if behind < self.shots.len() => self.shot_at(behind)?.start_moved(back(gained)?, rate),
            // Nothing follows: the one before what was changed gives or takes it.
            TimeFrom::Neighbour => match behind.checked_sub(2) {
                Some(before) => self.shot_at(before)?.end_moved(back(gained)?),
                None => Err(DraftError::PieceEnds),
            },
            TimeFrom::Section { end } => {
                // A shot belongs to the section that it began in before the edit; one that is pinned moves for nobody, so what is
                // before it gives.
                let inside = |(i, (start, s)): &(usize, (FramePos, &Shot))| {
                    *i >= behind && start.get().saturating_sub(gained.get()) < end.get() && !s.pinned()
                };
                let open = self.placed().enumerate().skip(behind).take_while(inside).last().map(|(i, _)| i);
                self.shot_at(open.ok_or(DraftError::SectionFull)?)?.end_moved(back(gained)?)
            }
        }
    }

    fn slip(&mut self, shot: ShotId, by: FrameShift) -> Result<(), DraftError> {
        let rate = self.rate;
        let target = self.shot_mut(shot)?;
        let plain = target.source.keyframes.is_empty() && !target.source.speed.is_held();
        let moved = rate.seconds_at(FramePos::new(by.get()));
        if plain {
            target.source.start = target.source.start + moved.scaled(target.source.speed.ratio());
            target.hit_at = target.hit_moved(by);
        } else {
            // Of a curve another part is shown, frame by frame of the piece; the hit is looked for where it is now.
            let hit = target.hit_at.map(|at| target.source.instant(i64::try_from(at).unwrap_or(0), rate));
            target.source.start = target.source.start + moved;
            target.hit_at = hit.and_then(|at| target.frame_of(at, rate));
        }
        if target.fits(rate) { Ok(()) } else { Err(DraftError::ClipEnds) }
    }

    fn set_time(
        &mut self,
        shot: ShotId,
        start: Option<Seconds>,
        speed: Speed,
        keyframes: Vec<SpeedKeyframe>,
    ) -> Result<(), DraftError> {
        let rate = self.rate;
        let target = self.shot_mut(shot)?;
        let stays = i64::try_from(target.hit_at.unwrap_or(0)).unwrap_or(0);
        let hit = target.source.instant(stays, rate);
        (target.source.speed, target.source.keyframes) = (speed, keyframes);
        target.source.course().check()?;
        match start {
            Some(start) => {
                target.source.start = start;
                target.hit_at = target.hit_at.and_then(|_| target.frame_of(hit, rate));
            }
            None => target.source.start = hit - (target.source.instant(stays, rate) - target.source.start),
        }
        // Where the clip is too short on one side, the hit gives way rather than the speed.
        if target.brought_inside(rate)? {
            target.hit_at = None;
        }
        Ok(())
    }

    fn hold(&mut self, shot: ShotId, at: u64, len: FrameLen) -> Result<(), DraftError> {
        let target = self.shot_mut(shot)?;
        let at = i64::try_from(at).map_err(|_huge| DraftError::Keyframes)?;
        let after = at.checked_add(frames(len)).ok_or(DraftError::Keyframes)?;
        if len.get() == 0 || at >= frames(target.pictures()) {
            return Err(DraftError::Flash);
        }
        let source = &mut target.source;
        let mid_ramp = source.keyframes.iter().any(|t| t.at < at && at < t.end());
        if mid_ramp {
            return Err(DraftError::Keyframes);
        }
        let before = source.course().settled(at);
        let mut keyframes: Vec<SpeedKeyframe> = source.keyframes.iter().filter(|t| t.end() <= at).copied().collect();
        keyframes.push(SpeedKeyframe::new(at, 0, Speed::HELD));
        let later = source.keyframes.iter().filter(|t| t.end() > at);
        keyframes.push(SpeedKeyframe::new(after, 0, before));
        keyframes.extend(later.map(|t| SpeedKeyframe::new(t.at.saturating_add(frames(len)), t.over, t.to)));
        source.keyframes = keyframes;
        target.hit_at =
            target.hit_at.map(|hit| if i64::try_from(hit).is_ok_and(|h| h > at) { hit + len.get() } else { hit });
        Ok(())
    }

    fn split(&mut self, shot: ShotId, at: FrameLen, second: ShotId) -> Result<(), DraftError> {
        let rate = self.rate;
        let first = self.shot_mut(shot)?;
        if at >= first.len {
            return Err(DraftError::Flash);
        }
        let mut rest = first.clone();
        rest.id = second;
        rest.pin = Pin::Open;
        rest.start_moved(back(gained(at)?)?, rate)?;
        first.end_moved(back(gained(rest.len)?)?)?;
        let place = self.index_of(shot).ok_or(DraftError::NoShot)?;
        self.shots.insert(place + 1, rest);
        Ok(())
    }

    fn join(&mut self, shot: ShotId) -> Result<(), DraftError> {
        let rate = self.rate;
        let at = self.index_of(shot).ok_or(DraftError::NoShot)?;
        let next = self.shot_at(at + 1)?.clone();
        if next.pinned() {
            return Err(DraftError::Pinned);
        }
        let first = self.shot_at(at)?;
        let len = frames(first.len);
        let (a, b) = (&first.source, &next.source);
        let one_piece = first.pause.is_none()
            && (a.clip, a.speed, a.between) == (b.clip, b.speed, b.between)
            && super::time_curve::shifted(&b.keyframes, len) == a.keyframes
            && a.instant(len, rate) == b.start;
        if !one_piece {
            return Err(DraftError::NotOnePiece);
        }
        let hit = first.hit_at.or(next.hit_at.map(|hit| hit + first.len.get()));
        first.end_moved(gained(next.len)?)?;
        first.hit_at = hit;
        first.pause = next.pause;
        self.shots.remove(at + 1);
        Ok(())
    }

    fn remove(&mut self, shot: ShotId, from: TimeFrom) -> Result<(), DraftError> {
        let at = self.index_of(shot).ok_or(DraftError::NoShot)?;
        if self.shots.len() == 1 {
            return Err(DraftError::OnlyShot);
        }
        let len = gained(self.shots.remove(at).len)?;
        if from == TimeFrom::Neighbour { self.filled(at, len) } else { self.settle(at, back(len)?, from) }
    }

    /// The shot before a place goes on over some frames, or where its clip ends the next one begins sooner.
    fn filled(&mut self, place: usize, len: FrameShift) -> Result<(), DraftError> {
        let rate = self.rate;
        let mut longer = self.clone();
        let before = place.checked_sub(1).ok_or(DraftError::PieceEnds);
        let goes_on = before.and_then(|before| {
            let shot = longer.shot_at(before)?;
            if shot.pin.holds_end() {
                return Err(DraftError::Pinned);
            }
            shot.end_moved(len)?;
            longer.clone().checked().map(drop)
        });
        match goes_on {
            Ok(()) => *self = longer,
            Err(_) => self.shot_at(place)?.start_moved(len, rate)?,
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
        let (a, b) = (self.index_of(shot).ok_or(DraftError::NoShot)?, self.index_of(with).ok_or(DraftError::NoShot)?);
        let (first, second) = (self.shots[a].clone(), self.shots[b].clone());
        for (at, shown) in [(a, &second), (b, &first)] {
            let place = &mut self.shots[at];
            (place.id, place.pin) = (shown.id, shown.pin);
            place.source = shown.source.clone();
            place.hit_at = shown.hit_at;
            // Longer places show more at the end, or where the clip ends there, at the beginning.
            if place.brought_inside(rate)? {
                place.hit_at = None;
            }
        }
        Ok(())
    }

    /// The draft without a stretch, which lies in it: the shots before it and those behind it, cut off where they reach into it.
    /// What a shot that covers all of it goes on with is a shot of its own.
    fn cleared(&self, from: FramePos, to: FramePos, rest: ShotId) -> Result<(Vec<Shot>, Vec<Shot>), DraftError> {
        let (mut before, mut behind) = (Vec::new(), Vec::new());
        for (start, shot) in self.placed() {
            let end = start.end(shot.len).ok_or(DraftError::PieceEnds)?;
            if start < from {
                let mut shot = shot.clone();
                shot.end_moved(back(gained(end.since(from).unwrap_or_default())?)?)?;
                before.push(shot);
            }
            if end > to {
                let mut shot = shot.clone();
                if start < from {
                    (shot.id, shot.pin) = (rest, Pin::Open);
                }
                shot.start_moved(back(gained(to.since(start).unwrap_or_default())?)?, self.rate)?;
                behind.push(shot);
            }
        }
        Ok((before, behind))
    }

    /// Where the piece ends, exclusive.
    fn end(&self) -> Result<FramePos, DraftError> {
        FramePos::new(0).end(self.len()).ok_or(DraftError::PieceEnds)
    }

    fn pause_over(&mut self, from: FramePos, len: FrameLen, stop: Stop, rest: ShotId) -> Result<(), DraftError> {
        let to = from.end(len).ok_or(DraftError::PauseFirst)?.min(self.end()?);
        let len = to.since(from).filter(|len| len.get() > 0).ok_or(DraftError::PauseFirst)?;
        let (mut shots, behind) = self.cleared(from, to, rest)?;
        // The shot that is on the screen just before it stands still.
        let shot = shots.last_mut().ok_or(DraftError::PauseFirst)?;
        shot.len = shot.len.checked_shift(gained(len)?).ok_or(DraftError::PauseFirst)?;
        shot.pause = Some(Pause { len, stop, missing: FrameLen::new(0) });
        shots.extend(behind);
        self.shots = shots;
        Ok(())
    }

    fn overwrite(&mut self, from: FramePos, new: &[Shot], rest: ShotId) -> Result<(), DraftError> {
        let total = self.end()?;
        let mut to = from;
        let mut inside = Vec::with_capacity(new.len());
        for shot in new {
            let mut shot = shot.clone();
            let end = to.end(shot.len).ok_or(DraftError::PieceEnds)?.min(total);
            let room = end.since(to).filter(|room| room.get() > 0);
            let Some(room) = room else { break };
            shot.end_moved(FrameShift::new(frames(room) - frames(shot.len)))?;
            to = end;
            inside.push(shot);
        }
        let (mut shots, behind) = self.cleared(from, to, rest)?;
        shots.extend(inside);
        shots.extend(behind);
        self.shots = shots;
        Ok(())
    }

    fn set_pause(&mut self, shot: ShotId, pause: Option<Pause>) -> Result<(), DraftError> {
        let at = self.index_of(shot).ok_or(DraftError::NoShot)?;
        let target = &mut self.shots[at];
        if let Some(pause) = pause.filter(|p| p.len.get() > 0) {
            target.pause = Some(pause);
            return Ok(());
        }
        let len = target.pause.take().ok_or(DraftError::NoPause)?.len;
        target.end_moved(back(gained(len)?)?)?;
        self.filled(at + 1, gained(len)?)
    }
}
