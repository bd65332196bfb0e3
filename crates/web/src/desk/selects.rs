//! What an editor says of selects.

use super::Desk;
use crate::error::WebError;
use legere_core::clip::ClipProbe;
use legere_core::id::{ClipId, JobId, SelectId};
use legere_core::select::{Mark, Range, Tag, Tier, Verdict};
use legere_core::time::{FramePos, Seconds};
use legere_store::StoreError;
use legere_store::clips::Clip;
use legere_store::journal::{By, Revision};
use legere_store::selects::Select;
use serde::Deserialize;

/// A select has no more tags than anybody reads.
const MOST_TAGS: usize = 60;
const LONGEST_NOTE: usize = 500;

/// Marks are frames of the clip, whatever the pointer said.
fn on_frame(probe: &ClipProbe, at: f64) -> Seconds {
    let rate = probe.frame_rate;
    let frame = rate.containing(Seconds::from_measured(at.max(0.0) + 1e-4));
    rate.seconds_at(FramePos::new(frame.get())).min(probe.duration)
}

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
        let on_frame = |at: f64| on_frame(probe, at);
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
    /// Cuts another select out of a clip: from `start` to `end`, the hit where it begins.
    pub async fn add_select(&self, clip: &Clip, by: By, start: f64, end: f64) -> Result<Select, WebError> {
        let probe = clip.probe.as_ref().ok_or(WebError::Refused("this clip has not been read"))?;
        let (start, end) = (on_frame(probe, start), on_frame(probe, end));
        let mut edit = self.store.begin_edit(clip.job, by).await?;
        let select = edit.add_select(clip.id, Verdict::unread(Range::new(start, end, start)?)).await?;
        edit.commit("new select", None).await?;
        Ok(select)
    }

    /// Ends a select at an instant and begins another there, with the same tier, tags and note; gives the later one.
    pub async fn split_select(
        &self,
        job: JobId,
        by: By,
        base: Option<Revision>,
        select: SelectId,
        at: f64,
    ) -> Result<Select, WebError> {
        let mut edit = self.store.begin_edit(job, by).await?;
        let before: Select = edit.load(select).await?;
        let probe =
            self.store.clip(before.clip).await?.probe.ok_or(WebError::Refused("this clip has not been read"))?;
        let at = on_frame(&probe, at);
        let range = before.verdict.range;
        if at <= range.start() || at >= range.end() {
            return Err(WebError::Refused("put the mark between in and out of the select: it is split there"));
        }
        // The hit stays with the part that it lies in; the other has its own where it begins.
        let (first, second) = if range.hit() < at { (range.hit(), at) } else { (range.start(), range.hit()) };
        let with = |range| Verdict { range, ..before.verdict.clone() };
        let earlier = Select { verdict: with(Range::new(range.start(), at, first)?), ..before.clone() };
        edit.put(&before, &earlier, base).await?;
        let later = edit.add_select(before.clip, with(Range::new(at, range.end(), second)?)).await?;
        edit.commit("split the select", None).await?;
        Ok(later)
    }

    pub async fn remove_select(&self, job: JobId, by: By, select: SelectId) -> Result<(), WebError> {
        let edit = |select: Select| Ok::<_, StoreError>(Select { removed: true, ..select });
        self.store.edit(job, by, select, None, "remove the select", edit).await?;
        Ok(())
    }

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
