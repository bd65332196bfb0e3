//! What an editor says of selects.

use super::Desk;
use crate::error::WebError;
use legere_core::clip::ClipProbe;
use legere_core::id::{ClipId, JobId, SelectId};
use legere_core::select::{Mark, Range, Tag, Tier};
use legere_core::time::{FramePos, Seconds};
use legere_store::journal::{By, Revision};
use legere_store::selects::Select;
use serde::Deserialize;

/// A select has no more tags than anybody reads.
const MOST_TAGS: usize = 60;
const LONGEST_NOTE: usize = 500;

/// One thing that an editor says of a select.
#[derive(Debug, Deserialize)]
#[serde(tag = "do", rename_all = "lowercase")]
pub enum Judgement {
    Tier { tier: Tier },
    Tag { tag: Tag },
    Mark { mark: Mark, at: f64 },
    Range { start: f64, end: f64, hit: f64 },
    Note { words: String },
}

impl Judgement {
    /// What undo calls it.
    fn label(&self) -> String {
        match self {
            Self::Tier { tier } => tier.word().to_owned(),
            Self::Tag { tag } => format!("tag {}", tag.word()),
            Self::Mark { mark: Mark::In, .. } => "mark in".to_owned(),
            Self::Mark { mark: Mark::Out, .. } => "mark out".to_owned(),
            Self::Mark { mark: Mark::Hit, .. } => "mark the hit".to_owned(),
            Self::Range { .. } => "take the suggested range".to_owned(),
            Self::Note { .. } => "note".to_owned(),
        }
    }

    fn applied(&self, mut select: Select, probe: &ClipProbe) -> Result<Select, WebError> {
        // Marks are frames of the clip, whatever the pointer said.
        let on_frame = |at: f64| -> Seconds {
            let rate = probe.frame_rate;
            let frame = rate.containing(Seconds::from_measured(at.max(0.0) + 1e-4));
            rate.seconds_at(FramePos::new(frame.get())).min(probe.duration)
        };
        let verdict = &mut select.verdict;
        match self {
            Self::Tier { tier } => verdict.tier = *tier,
            Self::Tag { tag } => {
                verdict.toggle(tag.clone());
                if verdict.tags.len() > MOST_TAGS {
                    return Err(WebError::Refused("a select has at most sixty tags"));
                }
            }
            Self::Mark { mark, at } => {
                verdict.range = verdict.range.with(*mark, on_frame(*at), probe.duration)?;
            }
            Self::Range { start, end, hit } => {
                verdict.range = Range::new(on_frame(*start), on_frame(*end), on_frame(*hit))?;
            }
            Self::Note { words } => verdict.note = crate::text::plain(words, LONGEST_NOTE),
        }
        Ok(select)
    }
}

impl Desk {
    pub async fn judge(
        &self,
        job: JobId,
        by: By,
        base: Option<Revision>,
        select: SelectId,
        said: &Judgement,
    ) -> Result<Select, WebError> {
        let clip: ClipId = self.store.select(select).await?.clip;
        let probe = self.store.clip(clip).await?.probe.ok_or(WebError::Refused("this clip has not been read"))?;
        let edit = |select: Select| said.applied(select, &probe);
        self.store.edit(job, by, select, base, said.label().as_str(), edit).await
    }
}
