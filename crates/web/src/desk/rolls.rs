//! Putting rolls in order, and the clocks of their cameras right.

use super::Desk;
use crate::error::WebError;
use legere_core::id::{ClipId, JobId, RollId};
use legere_store::clips::{Clip, Roll};
use legere_store::jobs::named;
use legere_store::journal::By;

/// A pause of so many seconds begins another roll where one is taken apart at its pauses.
const PAUSE: i64 = 3600;
/// No clock is wrong by more than this: ten years.
const MOST_SECONDS: i64 = 10 * 366 * 24 * 3600;

/// A correction as people write it: `+1:00`, `-0:30:05`, hours first.
pub fn clock_of(text: &str) -> Result<i64, WebError> {
    let wrong = WebError::Refused("write how far the clock is to be moved like +1:00 or -0:30:05, hours first");
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

impl Desk {
    pub async fn name_roll(&self, job: JobId, by: By, id: RollId, name: &str) -> Result<(), WebError> {
        let name = named(name)?;
        let edit = |roll: Roll| Ok::<_, WebError>(Roll { name, ..roll });
        self.store.edit(job, by, id, None, "name the roll", edit).await?;
        Ok(())
    }

    /// Sets how far the camera's clock is put right; its clips stand there at once.
    pub async fn set_clock(&self, job: JobId, by: By, id: RollId, seconds: i64) -> Result<(), WebError> {
        let edit = |roll: Roll| Ok::<_, WebError>(Roll { clock_seconds: seconds, ..roll });
        self.store.edit(job, by, id, None, "put the clock right", edit).await?;
        Ok(())
    }

    /// Puts all clips of a roll into another one.
    pub async fn join_rolls(&self, job: JobId, by: By, id: RollId, into: RollId) -> Result<(), WebError> {
        if id == into {
            return Err(WebError::Refused("choose another roll to join it with"));
        }
        let mut edit = self.store.begin_edit(job, by).await?;
        let into: Roll = edit.load(into).await?;
        let clips = edit.clips_of_roll(id).await?;
        edit.move_clips(&clips, into.id).await?;
        edit.commit("join the rolls", None).await?;
        Ok(())
    }

    /// Begins a new roll with one clip and all that were recorded after it.
    pub async fn split_roll(&self, job: JobId, by: By, id: RollId, from: ClipId) -> Result<(), WebError> {
        let mut edit = self.store.begin_edit(job, by).await?;
        let roll: Roll = edit.load(id).await?;
        let clips = edit.clips_of_roll(id).await?;
        let at = clips.iter().position(|c| c.id == from).ok_or(WebError::NotFound)?;
        if at == 0 {
            return Err(WebError::Refused("the roll begins with this clip already"));
        }
        let next = edit.add_roll(&roll, &format!("{}, second part", roll.name)).await?;
        edit.move_clips(&clips[at..], next.id).await?;
        edit.commit("split the roll", None).await?;
        Ok(())
    }

    /// Takes a roll apart where another camera recorded, or where nothing was recorded for an hour.
    pub async fn split_at_pauses(&self, job: JobId, by: By, id: RollId) -> Result<usize, WebError> {
        let mut edit = self.store.begin_edit(job, by).await?;
        let roll: Roll = edit.load(id).await?;
        let clips = edit.clips_of_roll(id).await?;
        let parts = apart(&clips);
        if parts.len() < 2 {
            return Err(WebError::Refused("one camera recorded this roll, without a pause of an hour"));
        }
        let count = parts.len();
        for (i, part) in parts.into_iter().enumerate().skip(1) {
            let name = match part[0].probe.as_ref().and_then(|p| p.camera.clone()) {
                Some(camera) if Some(&camera) != clips[0].probe.as_ref().and_then(|p| p.camera.as_ref()) => {
                    format!("{}, {camera}", roll.name)
                }
                _ => format!("{}, part {}", roll.name, i + 1),
            };
            let next = edit.add_roll(&roll, &crate::text::plain(&name, 120)).await?;
            edit.move_clips(part, next.id).await?;
        }
        edit.commit("split the roll at its pauses", None).await?;
        Ok(count)
    }
}

/// Runs of clips, in their order, between pauses and changes of camera.
fn apart(clips: &[Clip]) -> Vec<&[Clip]> {
    let camera = |c: &Clip| c.probe.as_ref().and_then(|p| p.camera.clone());
    let ends = |c: &Clip| c.recorded_at.timestamp() + c.probe.as_ref().map_or(0, |p| p.duration.to_f64() as i64);
    clips
        .chunk_by(|a, b| b.recorded_at.timestamp() - ends(a) < PAUSE && (camera(b).is_none() || camera(a) == camera(b)))
        .collect()
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
