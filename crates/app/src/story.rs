//! The story of a piece: its opening, its closing, and what comes before what.

use super::Selects;
use crate::error::AppError;
use legere_core::arrange::Story;
use legere_core::id::{JobId, SelectId};
use legere_store::jobs::Job;
use legere_store::journal::{By, Revision};
use serde::Deserialize;

/// What is said of the story.
#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum StoryCommand {
    /// The piece opens with it; said of the same again, with nothing in particular.
    Opening { select: SelectId },
    /// The piece closes with it.
    Closing { select: SelectId },
    /// The first stands before the second; said again, that is taken back.
    Before { first: SelectId, second: SelectId },
}

impl Selects<'_> {
    /// Changes the story of a job, and gives it as it is then.
    pub async fn tell(
        self,
        job: JobId,
        by: By,
        base: Option<Revision>,
        command: StoryCommand,
    ) -> Result<Story, AppError> {
        let footage = self.footage(job).await?;
        let named = match command {
            StoryCommand::Opening { select } | StoryCommand::Closing { select } => vec![select],
            StoryCommand::Before { first, second } => vec![first, second],
        };
        if named.iter().any(|select| footage.candidate(*select).is_none()) {
            return Err(AppError::Refused("this select is not in the job any more"));
        }
        let label = match command {
            StoryCommand::Opening { .. } => "what the piece opens with",
            StoryCommand::Closing { .. } => "what the piece closes with",
            StoryCommand::Before { .. } => "what comes before what",
        };
        let toggled = |now: Option<SelectId>, select: SelectId| Some(select).filter(|_| now != Some(select));
        let edit = |job: Job| {
            let story = match command {
                StoryCommand::Opening { select } => {
                    Story { opening: toggled(job.story.opening, select), ..job.story.clone() }
                }
                StoryCommand::Closing { select } => {
                    Story { closing: toggled(job.story.closing, select), ..job.story.clone() }
                }
                StoryCommand::Before { first, second } => job.story.ordered(first, second).ok_or(AppError::Refused(
                    "these two cannot be put in this order: it would lead in a circle, or there are too many pairs",
                ))?,
            };
            Ok::<_, AppError>(Job { story, ..job })
        };
        Ok(self.app.store.edit(job, by, job, base, label, edit).await?.story)
    }
}
