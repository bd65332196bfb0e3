//! Putting rolls in order, and the clocks of their cameras right.

use super::Rolls;
use crate::error::AppError;
use legere_core::id::{ClipId, JobId, RollId};
use legere_store::StoreError;
use legere_store::clips::{Clip, RecordedFrom, Roll, State};
use legere_store::jobs::named;
use legere_store::journal::{By, JobEdit};

/// A pause of so many seconds begins another roll where one is taken apart at its pauses.
const PAUSE: i64 = 3600;
/// No clock is wrong by more than this: ten years.
const MOST_SECONDS: i64 = 10 * 366 * 24 * 3600;

/// A correction as people write it: `+1:00`, `-0:30:05`, hours first.
pub fn clock_of(text: &str) -> Result<i64, AppError> {
    let wrong = AppError::Refused("write how far the clock is to be moved like +1:00 or -0:30:05, hours first");
    let text = text.trim().replace('−', "-");
    let (sign, rest) = match text.strip_prefix('-') {
        Some(rest) => (-1, rest),
        None => (1, text.strip_prefix('+').unwrap_or(&text)),
    };
    let parts: Option<Vec<i64>> =
        rest.split(':').map(|p| p.trim().parse().ok().filter(|n: &i64| (0..100_000).contains(n))).collect();
    let seconds = match parts.as_deref() {
        Some([hours, minutes]) => hours * 3600 + minutes * 60,
        Some([hours, minutes, seconds]) => hours * 3600 + minutes * 60 + seconds,
        _ => return Err(wrong),
    };
    if seconds <= MOST_SECONDS { Ok(sign * seconds) } else { Err(wrong) }
}

impl Rolls<'_> {
    pub async fn rename(self, job: JobId, by: By, id: RollId, name: &str) -> Result<(), AppError> {
        let name = named(name)?;
        let edit = |roll: Roll| Ok::<_, AppError>(Roll { name: name.clone(), manual: true, ..roll });
        self.app.store.edit(job, by, id, None, "name the roll", edit).await?;
        Ok(())
    }

    /// Sets how far the camera's clock is put right; its clips stand there at once.
    pub async fn set_clock(self, job: JobId, by: By, id: RollId, seconds: i64) -> Result<(), AppError> {
        let edit = |roll: Roll| Ok::<_, AppError>(Roll { clock_seconds: seconds, ..roll });
        self.app.store.edit(job, by, id, None, "put the clock right", edit).await?;
        Ok(())
    }

    /// Puts all clips of a roll into another one.
    pub async fn join(self, job: JobId, by: By, id: RollId, into: RollId) -> Result<(), AppError> {
        if id == into {
            return Err(AppError::Refused("choose another roll to join it with"));
        }
        let mut edit = self.app.store.begin_edit(job, by).await?;
        let into: Roll = edit.load(into).await?;
        let clips = edit.clips_of_roll(id).await?;
        edit.move_clips(&clips, into.id).await?;
        manual(&mut edit, into.id).await?;
        edit.commit("join the rolls", None).await?;
        Ok(())
    }

    /// Begins a new roll with one clip and all that were recorded after it.
    pub async fn split(self, job: JobId, by: By, id: RollId, from: ClipId) -> Result<(), AppError> {
        let mut edit = self.app.store.begin_edit(job, by).await?;
        let roll = manual(&mut edit, id).await?;
        let clips = edit.clips_of_roll(id).await?;
        let at = clips.iter().position(|c| c.id == from).ok_or(AppError::NotFound)?;
        if at == 0 {
            return Err(AppError::Refused("the roll begins with this clip already"));
        }
        let next = edit.add_roll(&roll, &format!("{}, second part", roll.name)).await?;
        edit.move_clips(&clips[at..], next.id).await?;
        edit.commit("split the roll", None).await?;
        Ok(())
    }

    /// Takes a roll apart where another camera recorded, or where nothing was recorded for an hour.
    pub async fn split_at_pauses(self, job: JobId, by: By, id: RollId) -> Result<usize, AppError> {
        let mut edit = self.app.store.begin_edit(job, by).await?;
        let roll = manual(&mut edit, id).await?;
        let parts = split_by_camera(edit.clips_of_roll(id).await?, Pauses::All);
        if parts.len() < 2 {
            return Err(AppError::Refused("one camera recorded this roll, without a pause of an hour"));
        }
        let count = parts.len();
        let first = parts[0][0].clone();
        for (i, part) in parts.into_iter().enumerate().skip(1) {
            let next = edit.add_roll(&roll, &part_name(&roll, &first, &part[0], i)).await?;
            edit.move_clips(&part, next.id).await?;
        }
        edit.commit("split the roll at its pauses", None).await?;
        Ok(count)
    }

    /// Divides what came out of one folder by cameras and pauses, once all of it is read. Rolls that a person put in order stay
    /// as they are, and what is divided already stays where it is.
    pub(super) async fn divide(self, job: JobId, id: RollId) -> Result<(), StoreError> {
        let mut edit = self.app.store.begin_edit(job, By::ITSELF).await?;
        let roll: Roll = edit.load(id).await?;
        if roll.manual {
            return Ok(());
        }
        let rolls = edit.rolls_of_folder(&roll).await?;
        let mut clips = Vec::new();
        for roll in &rolls {
            clips.extend(edit.clips_of_roll(roll.id).await?);
        }
        clips.retain(|c| !c.hidden);
        if clips.iter().any(|c| matches!(c.state, State::Waiting | State::Reading) && !c.missing) {
            return Ok(());
        }
        let Some(first) = clips.iter().min_by_key(|c| c.recorded_at).cloned() else { return Ok(()) };
        let mut free = rolls;
        for (i, part) in split_by_camera(clips, Pauses::Sure).into_iter().enumerate() {
            let most = |r: &Roll| part.iter().filter(|c| c.roll == r.id).count();
            let home = (0..free.len()).max_by_key(|at| most(&free[*at])).filter(|at| most(&free[*at]) > 0);
            let home = match home {
                Some(at) => free.remove(at),
                None => edit.add_roll(&roll, &part_name(&roll, &first, &part[0], i)).await?,
            };
            let astray: Vec<Clip> = part.into_iter().filter(|c| c.roll != home.id).collect();
            edit.move_clips(&astray, home.id).await?;
        }
        edit.commit("divide the roll", None).await
    }
}

/// A person put this roll in order.
async fn manual(edit: &mut JobEdit, roll: RollId) -> Result<Roll, StoreError> {
    let roll: Roll = edit.load(roll).await?;
    edit.put(&roll, &Roll { manual: true, ..roll.clone() }, None).await?;
    edit.load(roll.id).await
}

fn camera_of(clip: &Clip) -> Option<&str> {
    clip.probe.as_ref().and_then(|p| p.camera.as_deref())
}

/// The name of a part of a roll: by its camera where that is another one than the first clip's.
fn part_name(roll: &Roll, first: &Clip, of: &Clip, number: usize) -> String {
    let name = match camera_of(of) {
        Some(camera) if Some(camera) != camera_of(first) => format!("{}, {camera}", roll.name),
        _ => format!("{}, part {}", roll.name, number + 1),
    };
    crate::text::plain(&name, 120)
}

/// Which pauses divide.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Pauses {
    All,
    /// Only between times that cameras wrote: a file's own time may be when it was copied.
    Sure,
}

/// Clips by camera and, within each, between pauses; in the order in which each began. What does not say its camera goes
/// with what was recorded before it.
fn split_by_camera(mut clips: Vec<Clip>, pauses: Pauses) -> Vec<Vec<Clip>> {
    clips.sort_by(|a, b| a.recorded_at.cmp(&b.recorded_at).then_with(|| a.name.cmp(&b.name)));
    let mut last = clips.iter().find_map(camera_of).map(str::to_owned);
    let mut cameras: Vec<(Option<String>, Vec<Clip>)> = Vec::new();
    for clip in clips {
        last = camera_of(&clip).map(str::to_owned).or(last);
        match cameras.iter_mut().find(|(camera, _)| *camera == last) {
            Some((_, clips)) => clips.push(clip),
            None => cameras.push((last.clone(), vec![clip])),
        }
    }
    let ends = |c: &Clip| c.recorded_at.timestamp() + c.probe.as_ref().map_or(0, |p| p.duration.to_f64() as i64);
    let reported = |c: &Clip| pauses == Pauses::All || c.recorded_from == RecordedFrom::Metadata;
    let joined = |a: &Clip, b: &Clip| b.recorded_at.timestamp() - ends(a) < PAUSE || !reported(a) || !reported(b);
    let mut parts: Vec<Vec<Clip>> =
        cameras.iter().flat_map(|(_, clips)| clips.chunk_by(joined).map(<[Clip]>::to_vec)).collect();
    parts.sort_by_key(|part| part[0].recorded_at);
    parts
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_clock_is_moved_as_people_write_it() {
        for (text, seconds) in [("+1:00", 3600), ("-0:30:05", -1805), (" 2:15 ", 8100), ("−1:00", -3600), ("0:00", 0)]
        {
            assert_eq!(clock_of(text).ok(), Some(seconds), "{text}");
        }
        for text in ["", "an hour", "1", "1:2:3:4", "+-1:00", "999999:00"] {
            assert!(clock_of(text).is_err(), "{text}");
        }
    }
}
