//! What every page of a job shows at its left edge.

use crate::desk::Desk;
use crate::error::WebError;
use legere_core::select::Tier;
use legere_core::time::clock;
use legere_store::clips::{Clip, State};
use legere_store::handoffs::Handoff;
use legere_store::jobs::Job;
use uuid::Uuid;

pub struct Step {
    pub name: &'static str,
    pub path: &'static str,
    pub says: String,
    pub here: bool,
}

pub struct Spine {
    pub job: Job,
    pub facts: String,
    pub steps: Vec<Step>,
}

/// A rate as people write it: 23.976, 25.
pub fn rate_words(rate: legere_core::time::FrameRate) -> String {
    let text = format!("{:.3}", rate.to_f64());
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

/// The one number of Gather.
pub fn gather_says(clips: &[Clip], rolls: usize) -> String {
    let busy = clips.iter().filter(|c| matches!(c.state, State::Waiting | State::Reading)).count();
    let rest = if busy > 0 { format!("{busy} to read") } else { counted(rolls, "roll") };
    format!("{}, {rest}", counted(clips.len(), "clip"))
}

/// "1 clip", "2 clips".
pub fn counted(n: usize, what: &str) -> String {
    if n == 1 { format!("1 {what}") } else { format!("{n} {what}s") }
}

/// The one number of Hand off.
pub fn handoff_says(handoffs: &[Handoff]) -> String {
    match handoffs.iter().filter(|h| h.state == "ready").count() {
        0 => "nothing made yet".into(),
        1 => "1 file".into(),
        n => format!("{n} files"),
    }
}

impl Spine {
    pub async fn of(desk: &Desk, job: Uuid, here: &str) -> Result<Self, WebError> {
        let job = desk.store.job(job).await?;
        let clips = desk.store.clips(job.id).await?;
        let rolls = desk.store.rolls(job.id).await?.len();
        let selects = desk.store.selects(job.id).await?;
        let drafts = desk.store.drafts(job.id).await?;
        let handoffs = desk.store.handoffs(job.id).await?;
        let read = selects.iter().filter(|s| s.verdict.tier != Tier::Unread).count();
        let listen = match desk.chosen_track(&job).await? {
            Some((track, part)) => {
                format!("{}, {}", crate::desk::arranging::short_name(&track.name), clock(part.duration().to_f64()))
            }
            None => "no music yet".to_owned(),
        };
        let notes = match drafts.first() {
            Some(d) => desk.store.notes(d.id).await?.len(),
            None => 0,
        };
        let step = |name, path, says| Step { name, path, says, here: path == here };
        let steps = vec![
            step("Gather", "gather", gather_says(&clips, rolls)),
            step("Listen", "listen", listen),
            step("Sift", "sift", format!("{read} of {} judged", selects.len())),
            step(
                "Arrange",
                "arrange",
                drafts.first().map_or("no draft yet".into(), |d| {
                    format!("draft {}, {} shots", d.number, d.body.cut.shots().len())
                }),
            ),
            step(
                "Watch",
                "watch",
                match notes {
                    0 => "no notes".into(),
                    1 => "1 note".into(),
                    n => format!("{n} notes"),
                },
            ),
            step("Hand off", "handoff", handoff_says(&handoffs)),
        ];
        let length = job.target_seconds.map_or("as the music".to_owned(), clock);
        let facts = format!("{length} · {} · {}×{}", rate_words(job.rate), job.width, job.height);
        Ok(Self { job, facts, steps })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rates_are_written_as_people_say_them() {
        for (rate, words) in [
            ("24000/1001", "23.976"),
            ("25", "25"),
            ("30000/1001", "29.97"),
            ("60000/1001", "59.94"),
            ("120", "120"),
            ("25/2", "12.5"),
        ] {
            assert_eq!(rate_words(rate.parse().expect("a rate")), words);
        }
    }

    #[test]
    fn one_is_not_many() {
        assert_eq!(
            (counted(0, "clip"), counted(1, "clip"), counted(2, "clip")),
            ("0 clips".into(), "1 clip".into(), "2 clips".into())
        );
        assert_eq!(gather_says(&[], 0), "0 clips, 0 rolls");
        assert_eq!(handoff_says(&[]), "nothing made yet");
    }
}
