//! What every page of a job shows at its left edge.

use crate::error::WebError;
use legere_app::text::counted;
use legere_app::{App, short_name};
use legere_core::id::DraftId;
use legere_core::time::clock;
use legere_store::jobs::Job;
use legere_store::overview::Overview;

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
    /// The step that this is.
    pub here: &'static str,
    /// Goes on to every step: the draft that the page is about, when one was chosen.
    pub query: String,
}

/// The one number of Gather.
pub fn gather_says(overview: &Overview) -> String {
    let rest = if overview.busy > 0 { format!("{} to read", overview.busy) } else { counted(overview.rolls, "roll") };
    format!("{}, {rest}", counted(overview.clips, "clip"))
}

/// The one number of Hand off.
pub fn handoff_says(ready: usize) -> String {
    match ready {
        0 => "nothing made yet".into(),
        n => counted(n, "file"),
    }
}

/// "45 s · 25 · 1920×1080".
pub fn facts(job: &Job) -> String {
    let length = job.target_seconds.map_or("as the music".to_owned(), clock);
    format!("{length} · {} · {}×{}", job.rate.words(), job.width, job.height)
}

impl Spine {
    /// `draft` is the one that was asked for.
    pub async fn of(app: &App, job: Job, here: &'static str, draft: Option<DraftId>) -> Result<Self, WebError> {
        let all = app.store.jobs().overview(job.id, draft).await?;
        let query = match &all.draft {
            // An address that names a draft which is gone is followed no further.
            Some(d) if draft == Some(d.id) => format!("?draft={}", d.id),
            _ => String::new(),
        };
        let listen = all.music.as_ref().map_or("no music yet".to_owned(), |(_, name, part)| {
            format!("{}, {}", short_name(name), clock(part.duration().to_f64()))
        });
        let arrange = all.draft.as_ref().map_or("no draft yet".to_owned(), |d| {
            let title = d.name.clone().unwrap_or_else(|| format!("draft {}", d.number));
            format!("{title}, {}", counted(d.shots, "shot"))
        });
        let watch = match all.draft.as_ref().map_or(0, |d| d.notes) {
            0 => "no notes".to_owned(),
            n => counted(n, "note"),
        };
        let step = |name, path, says| Step { name, path, says, here: path == here };
        let steps = vec![
            step("Gather", "gather", gather_says(&all)),
            step("Listen", "listen", listen),
            step("Sift", "sift", format!("{} of {} judged", all.judged, all.selects)),
            step("Arrange", "arrange", arrange),
            step("Watch", "watch", watch),
            step("Hand off", "handoff", handoff_says(all.files)),
        ];
        Ok(Self { facts: facts(&job), job, steps, here, query })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_is_not_many() {
        assert_eq!(
            (counted(0, "clip"), counted(1, "clip"), counted(2, "clip")),
            ("0 clips".into(), "1 clip".into(), "2 clips".into())
        );
        assert_eq!(gather_says(&Overview::default()), "0 clips, 0 rolls");
        assert_eq!(gather_says(&Overview { clips: 3, busy: 1, rolls: 1, ..Overview::default() }), "3 clips, 1 to read");
        assert_eq!((handoff_says(0).as_str(), handoff_says(1).as_str()), ("nothing made yet", "1 file"));
    }
}
