//! What an editor says of selects: of one, or of many at once.

use super::Selects;
use crate::error::AppError;
use legere_core::clip::ClipProbe;
use legere_core::footage::FaultKind;
use legere_core::id::{ClipId, JobId, SelectId};
use legere_core::select::{LONGEST_NOTE, Label, MOST_TAGS, Mark, Range, Tag, Tier, Verdict, put_tag};
use legere_core::time::{FramePos, Seconds};
use legere_store::clips::Clip;
use legere_store::journal::{By, JobEdit, Revision};
use legere_store::selects::Select;
use serde::Deserialize;
use std::collections::{BTreeSet, HashMap};

/// As many as a job may have clips.
const MOST_AT_ONCE: usize = 20_000;

/// Marks are frames of the clip, whatever the pointer said.
fn on_frame(probe: &ClipProbe, at: f64) -> Seconds {
    let rate = probe.frame_rate;
    let frame = rate.containing(Seconds::from_measured(at.max(0.0) + 1e-4));
    rate.seconds_at(FramePos::new(frame.get())).min(probe.duration)
}

fn probe_of(clip: &Clip) -> Result<&ClipProbe, AppError> {
    clip.probe.as_ref().ok_or(AppError::Refused("this clip has not been read"))
}

/// One thing that an editor says of a select.
#[derive(Debug, Clone, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum Judgement {
    /// The verdict, and the pass in which it is said.
    Tier {
        tier: Tier,
        #[serde(default)]
        pass: u32,
    },
    /// Puts a tag on or takes it off; without `on`, whichever it is not.
    Tag {
        tag: Tag,
        on: Option<bool>,
    },
    /// The movement that was measured, each select its own.
    TakeMovement,
    Label {
        label: Option<Label>,
    },
    Mark {
        mark: Mark,
        at: f64,
    },
    Range {
        start: f64,
        end: f64,
        hit: f64,
    },
    Note {
        words: String,
    },
    /// Of the whole clip: holds for all its selects.
    ClipTag {
        tag: Tag,
        on: Option<bool>,
    },
    /// Of the whole clip: whether its sound is not to be used.
    Mute {
        on: Option<bool>,
    },
    /// Of the whole clip: that what the reading calls a fault is none.
    NoFault {
        fault: FaultKind,
        on: Option<bool>,
    },
    /// Of the whole clip.
    LeaveOut,
}

impl Judgement {
    /// What undo calls it.
    fn label(&self) -> String {
        match self {
            Self::Tier { tier, .. } => tier.word().to_owned(),
            Self::Tag { tag, .. } => format!("tag {}", tag.word()),
            Self::ClipTag { tag, .. } => format!("tag the clip {}", tag.word()),
            Self::TakeMovement => "take the movement".to_owned(),
            Self::Label { label: Some(label) } => format!("label {}", label.word.as_str()),
            Self::Label { label: None } => "take the label off".to_owned(),
            Self::Mark { mark: Mark::In, .. } => "mark in".to_owned(),
            Self::Mark { mark: Mark::Out, .. } => "mark out".to_owned(),
            Self::Mark { mark: Mark::Hit, .. } => "mark the hit".to_owned(),
            Self::Range { .. } => "take the suggested range".to_owned(),
            Self::Note { .. } => "note".to_owned(),
            Self::Mute { on: Some(false) } => "unmute".to_owned(),
            Self::Mute { .. } => "mute".to_owned(),
            Self::NoFault { fault, on: Some(false) } => format!("it {} after all", fault.words()),
            Self::NoFault { fault, .. } => format!("no fault: it {}", fault.words()),
            Self::LeaveOut => "leave out".to_owned(),
        }
    }

    fn is_of_the_clip(&self) -> bool {
        matches!(self, Self::ClipTag { .. } | Self::Mute { .. } | Self::NoFault { .. } | Self::LeaveOut)
    }

    /// A toggle as it is meant for many: on, unless all have it already.
    fn settled(&self, of: &[(Select, Clip)]) -> Self {
        match self {
            Self::Tag { tag, on: None } => {
                let on = !of.iter().all(|(s, _)| s.verdict.tags.contains(tag));
                Self::Tag { tag: tag.clone(), on: Some(on) }
            }
            Self::ClipTag { tag, on: None } => {
                let on = !of.iter().all(|(_, c)| c.annotations.tags.contains(tag));
                Self::ClipTag { tag: tag.clone(), on: Some(on) }
            }
            Self::Mute { on: None } => Self::Mute { on: Some(!of.iter().all(|(_, c)| c.annotations.muted)) },
            Self::NoFault { fault, on: None } => {
                let on = !of.iter().all(|(_, c)| c.annotations.no_faults.contains(fault));
                Self::NoFault { fault: *fault, on: Some(on) }
            }
            other => other.clone(),
        }
    }

    fn moves_marks(&self) -> bool {
        matches!(self, Self::Mark { .. } | Self::Range { .. })
    }

    /// `others` are the ranges of the other selects of the clip, where the marks move.
    fn applied(&self, mut select: Select, clip: &Clip, others: &[Range]) -> Result<Select, AppError> {
        let verdict = &mut select.verdict;
        match self {
            Self::Tier { tier, pass } => {
                verdict.tier = *tier;
                // Unread again is as if no pass had come by.
                verdict.pass = if *tier == Tier::Unread { 0 } else { *pass };
            }
            Self::Tag { tag, on } => {
                let on = on.unwrap_or(!verdict.tags.contains(tag));
                put_tag(&mut verdict.tags, tag.clone(), on);
                enough(&verdict.tags)?;
            }
            Self::TakeMovement => put_tag(&mut verdict.tags, Tag::Movement(select.movement), true),
            Self::Label { label } => verdict.label.clone_from(label),
            Self::Mark { mark, at } => {
                let probe = probe_of(clip)?;
                verdict.range = verdict.range.marked(*mark, on_frame(probe, *at), probe.duration, others)?;
            }
            Self::Range { start, end, hit } => {
                let on_frame = |at: f64| Ok::<_, AppError>(on_frame(probe_of(clip)?, at));
                let range = Range::new(on_frame(*start)?, on_frame(*end)?, on_frame(*hit)?)?;
                verdict.range = range.beside(verdict.range, others)?;
            }
            Self::Note { words } => verdict.note = crate::text::plain(words, LONGEST_NOTE),
            Self::ClipTag { .. } | Self::Mute { .. } | Self::NoFault { .. } | Self::LeaveOut => {}
        }
        Ok(select)
    }

    fn applied_to_clip(&self, mut clip: Clip) -> Result<Clip, AppError> {
        match self {
            Self::ClipTag { tag, on } => {
                let on = on.unwrap_or(!clip.annotations.tags.contains(tag));
                put_tag(&mut clip.annotations.tags, tag.clone(), on);
                enough(&clip.annotations.tags)?;
            }
            Self::Mute { on } => clip.annotations.muted = on.unwrap_or(!clip.annotations.muted),
            Self::NoFault { fault, on } => {
                let said = &mut clip.annotations.no_faults;
                if on.unwrap_or(!said.contains(fault)) {
                    said.insert(*fault)
                } else {
                    said.remove(fault)
                };
            }
            Self::LeaveOut => clip.removed = true,
            _ => {}
        }
        Ok(clip)
    }
}

fn enough(tags: &BTreeSet<Tag>) -> Result<(), AppError> {
    if tags.len() > MOST_TAGS { Err(AppError::Refused("a select has at most sixty tags")) } else { Ok(()) }
}

/// Several things said of several selects, as one thing to undo.
#[derive(Debug, Deserialize)]
pub struct Many {
    pub selects: Vec<SelectId>,
    pub said: Vec<Judgement>,
    /// What undo calls it, where it is more than one thing.
    pub label: Option<String>,
}

/// Selects with their clips, as they are stored.
async fn loaded(edit: &JobEdit, ids: &[SelectId]) -> Result<Vec<(Select, Clip)>, AppError> {
    let selects = edit.load_selects(ids).await?;
    let of: BTreeSet<ClipId> = selects.iter().map(|s| s.clip).collect();
    let clips: HashMap<ClipId, Clip> = edit.load_clips(&of).await?.into_iter().map(|c| (c.id, c)).collect();
    let with_clip = |select: Select| {
        let clip = clips.get(&select.clip).cloned().ok_or(AppError::NotFound)?;
        Ok((select, clip))
    };
    selects.into_iter().map(with_clip).collect()
}

impl Selects<'_> {
    /// Cuts another select out of a clip: from `start` to `end`, the hit where it begins or as given.
    pub async fn add(self, clip: &Clip, by: By, start: f64, end: f64, hit: Option<f64>) -> Result<Select, AppError> {
        let probe = probe_of(clip)?;
        let (start, end) = (on_frame(probe, start), on_frame(probe, end));
        let hit = hit.map_or(start, |at| on_frame(probe, at));
        let mut edit = self.app.store.begin_edit(clip.job, by).await?;
        let select = edit.add_select(clip.id, Verdict::unread(Range::new(start, end, hit)?)).await?;
        edit.commit("new select", None).await?;
        Ok(select)
    }

    /// Breaks a long take into its events: each an undecided select. A select that nobody has said anything of makes room for
    /// them; what lies in another one already stays with that. Gives the first of the new ones.
    pub async fn break_up(self, clip: &Clip, by: By) -> Result<Select, AppError> {
        let probe = probe_of(clip)?;
        let reading = self.app.store.clips().reading(clip.id).await?;
        let events = reading.map(|r| r.events).unwrap_or_default();
        if events.is_empty() {
            return Err(AppError::Refused(
                "one thing happens in this clip from beginning to end: there is nothing to break up",
            ));
        }
        let footage = self.footage(clip.job).await?;
        let mut edit = self.app.store.begin_edit(clip.job, by).await?;
        let mut kept: Vec<Range> = Vec::new();
        for known in footage.selects().filter(|s| s.clip == clip.id) {
            let select: Select = edit.load(known.id).await?;
            if select.removed {
                continue;
            }
            let said = &select.verdict;
            if *said == Verdict::unread(said.range) {
                edit.put(&select, &Select { removed: true, ..select.clone() }, None).await?;
            } else {
                kept.push(said.range);
            }
        }
        let mut first = None;
        let mut count = 0;
        for event in &events {
            let (start, end) = (on_frame(probe, event.start), on_frame(probe, event.end).min(probe.duration));
            if end <= start || kept.iter().any(|r| start < r.end() && end > r.start()) {
                continue;
            }
            let select = edit.add_select(clip.id, Verdict::unread(Range::new(start, end, start)?)).await?;
            first.get_or_insert(select);
            count += 1;
        }
        let first = first.ok_or(AppError::Refused("every event of this clip lies in one of its selects already"))?;
        edit.commit(&format!("break up into {count} events"), None).await?;
        Ok(first)
    }

    /// Ends a select at an instant and begins another there, with the same tier, tags and note; gives the later one.
    pub async fn split(
        self,
        job: JobId,
        by: By,
        base: Option<Revision>,
        select: SelectId,
        at: f64,
    ) -> Result<Select, AppError> {
        let mut edit = self.app.store.begin_edit(job, by).await?;
        let before: Select = edit.load(select).await?;
        let clip: Clip = edit.load(before.clip).await?;
        let at = on_frame(probe_of(&clip)?, at);
        let range = before.verdict.range;
        if at <= range.start() || at >= range.end() {
            return Err(AppError::Refused("put the mark between in and out of the select: it is split there"));
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

    /// Joins a select with the next one of its clip, and with what lies between them. What was said of either stays: the
    /// better tier and its hit, all tags, both notes.
    pub async fn join(self, job: JobId, by: By, select: SelectId) -> Result<Select, AppError> {
        let of_clip = self.app.store.selects().get(select).await?;
        let all = self.footage(job).await?;
        let next = all
            .selects()
            .filter(|s| s.clip == of_clip.clip && s.id != select)
            .filter(|s| s.verdict.range.start() >= of_clip.verdict.range.start())
            .min_by_key(|s| s.verdict.range.start())
            .ok_or(AppError::Refused("this is the last select of its clip: there is none behind it to join"))?;
        let mut edit = self.app.store.begin_edit(job, by).await?;
        let first: Select = edit.load(select).await?;
        let second: Select = edit.load(next.id).await?;
        let (a, b) = (&first.verdict, &second.verdict);
        let better = if b.tier > a.tier { b } else { a };
        let mut tags = a.tags.clone();
        for tag in &b.tags {
            if tag.facet().is_free() || !tags.iter().any(|t| t.facet() == tag.facet()) {
                tags.insert(tag.clone());
            }
        }
        let notes: Vec<&str> = [&a.note, &b.note].into_iter().filter(|n| !n.is_empty()).map(String::as_str).collect();
        let (start, end) = (a.range.start().min(b.range.start()), a.range.end().max(b.range.end()));
        let verdict = Verdict {
            range: Range::new(start, end, better.range.hit())?,
            tier: better.tier,
            tags,
            note: crate::text::plain(&notes.join("; "), LONGEST_NOTE),
            label: a.label.clone().or_else(|| b.label.clone()),
            pass: a.pass.max(b.pass),
        };
        edit.put(&second, &Select { removed: true, ..second.clone() }, None).await?;
        edit.put(&first, &Select { verdict, ..first.clone() }, None).await?;
        edit.commit("join the selects", None).await?;
        Ok(self.app.store.selects().get(select).await?)
    }

    pub async fn remove(self, job: JobId, by: By, select: SelectId) -> Result<(), AppError> {
        let edit = |select: Select| Ok::<_, AppError>(Select { removed: true, ..select });
        self.app.store.edit(job, by, select, None, "remove the select", edit).await?;
        Ok(())
    }

    pub async fn judge(
        self,
        job: JobId,
        by: By,
        base: Option<Revision>,
        select: SelectId,
        said: &Judgement,
    ) -> Result<(Select, Clip), AppError> {
        let before = self.app.store.selects().get(select).await?;
        let label = said.label();
        if said.is_of_the_clip() {
            let edit = |clip: Clip| said.applied_to_clip(clip);
            let clip = self.app.store.edit(job, by, before.clip, None, label.as_str(), edit).await?;
            return Ok((before, clip));
        }
        let clip = self.app.store.clips().get(before.clip).await?;
        let others = if said.moves_marks() {
            self.app.store.selects().ranges_beside(clip.id, select).await?
        } else {
            Vec::new()
        };
        let edit = |select: Select| said.applied(select, &clip, &others);
        Ok((self.app.store.edit(job, by, select, base, label.as_str(), edit).await?, clip))
    }

    /// Says something of many selects; gives how many there were.
    pub async fn judge_many(self, job: JobId, by: By, many: &Many) -> Result<usize, AppError> {
        if many.selects.len() > MOST_AT_ONCE || many.said.len() > MOST_TAGS {
            return Err(AppError::Refused("this is more than can be done at once"));
        }
        let distinct: BTreeSet<&SelectId> = many.selects.iter().collect();
        if distinct.len() != many.selects.len() {
            return Err(AppError::Refused("a select is named twice"));
        }
        let mut edit = self.app.store.begin_edit(job, by).await?;
        for said in &many.said {
            let of = loaded(&edit, &many.selects).await?;
            let settled = said.settled(&of);
            if settled.is_of_the_clip() {
                let mut seen = BTreeSet::new();
                for (_, clip) in of {
                    if seen.insert(clip.id) {
                        edit.put(&clip, &settled.applied_to_clip(clip.clone())?, None).await?;
                    }
                }
            } else {
                let changed: Result<Vec<(Select, Select)>, AppError> =
                    of.into_iter().map(|(s, clip)| Ok((s.clone(), settled.applied(s, &clip, &[])?))).collect();
                edit.put_selects(&changed?).await?;
            }
        }
        let what = many.label.as_deref().map(|l| crate::text::plain(l, 60)).filter(|l| !l.is_empty());
        let what = what.unwrap_or_else(|| many.said.first().map_or_else(String::new, Judgement::label));
        let label = if many.selects.len() == 1 { what } else { format!("{what}, {} selects", many.selects.len()) };
        edit.commit(&label, None).await?;
        Ok(many.selects.len())
    }
}
