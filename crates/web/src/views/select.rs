//! A select, and a line of Sift's sheet.

use crate::views::clip::{local, size_words};
use legere_app::footage::{Footage, Take};
use legere_app::missing_files::trouble;
use legere_app::short_name;
use legere_core::footage::{Fault, FaultKind, is_soft_in_job};
use legere_core::id::{ClipId, SelectId};
use legere_core::select::{Label, Tag};
use legere_media::light::stills_of;
use legere_store::clips::Clip;
use legere_store::jobs::Job;
use legere_store::selects::Select;
use serde::Serialize;
use std::collections::HashMap;
use std::ops::Range;

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct SelectView {
    pub id: SelectId,
    pub clip: ClipId,
    pub revision: i64,
    pub tier: &'static str,
    pub tags: Vec<Tag>,
    /// Of its clip; they hold where its own say nothing else.
    pub clip_tags: Vec<Tag>,
    pub muted: bool,
    /// What the reading of its clip calls faults and a person does not.
    pub no_faults: Vec<FaultKind>,
    pub label: Option<Label>,
    /// In which its tier was said last.
    pub pass: u32,
    pub note: String,
    /// Seconds of the clip.
    pub start: f64,
    pub end: f64,
    pub hit: f64,
    /// 0–100, of the range.
    pub energy: f64,
    pub movement: &'static str,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct SelectRow {
    #[serde(flatten)]
    pub select: SelectView,
    pub name: String,
    pub roll: String,
    pub when: String,
    pub duration: f64,
    pub rate: f64,
    pub rate_words: String,
    /// How many times it can be slowed.
    pub slows: f64,
    /// What its frame size means in the job.
    pub size: String,
    pub sound: bool,
    pub upright: bool,
    /// How many stills there are of the clip.
    pub stills: u32,
    /// Of its light copy and stills.
    pub version: i32,
    pub problem: String,
    /// Which of the clip's selects it is, from 1, and of how many.
    pub place: usize,
    pub of: usize,
    /// Which of several alike takes it is; nothing where it is alone.
    pub alike: Option<Take>,
    /// What of its clip cannot be used, in the order of time, also what a person calls no fault.
    pub faults: Vec<Fault>,
    /// 0–1: how sharp its clip usually is.
    pub sharpness: f64,
    /// Its clip is softer all along than the clips of its job.
    pub soft_in_job: bool,
}

impl SelectView {
    pub fn of(select: &Select, clip: &Clip) -> Self {
        let v = &select.verdict;
        Self {
            id: select.id,
            clip: select.clip,
            revision: select.revision,
            tier: v.tier.word(),
            tags: v.tags.iter().cloned().collect(),
            clip_tags: clip.annotations.tags.iter().cloned().collect(),
            muted: clip.annotations.muted,
            no_faults: clip.annotations.no_faults.iter().copied().collect(),
            label: v.label.clone(),
            pass: v.pass,
            note: v.note.clone(),
            start: v.range.start().to_f64(),
            end: v.range.end().to_f64(),
            hit: v.range.hit().to_f64(),
            energy: select.energy,
            movement: select.movement.word(),
        }
    }
}

/// The selects of clips that were read, in the order of their clips; those at some places of the footage.
pub fn rows(footage: &Footage, job: &Job, wanted: Range<usize>) -> Vec<SelectRow> {
    let mut count: HashMap<ClipId, usize> = HashMap::new();
    footage.selects().for_each(|s| *count.entry(s.clip).or_default() += 1);
    let mut place: HashMap<ClipId, usize> = HashMap::new();
    footage
        .selects()
        .enumerate()
        .filter_map(|(i, select)| {
            let place = place.entry(select.clip).or_default();
            *place += 1;
            if !wanted.contains(&i) {
                return None;
            }
            let clip = footage.clip(select.clip)?;
            let probe = clip.probe.as_ref()?;
            let headroom = probe.headroom_in(job.rate);
            Some(SelectRow {
                select: SelectView::of(select, clip),
                name: short_name(&clip.name),
                roll: footage.rolls.get(&clip.roll).cloned().unwrap_or_default(),
                when: local(clip.recorded_at, job).format("%-d %b, %H:%M").to_string(),
                duration: probe.duration.to_f64(),
                rate: probe.frame_rate.to_f64(),
                rate_words: probe.frame_rate.words(),
                slows: (headroom * 10.0).round() / 10.0,
                size: size_words(probe.width, probe.height, job),
                sound: probe.has_sound,
                upright: probe.height > probe.width,
                stills: stills_of(probe.duration.to_f64()),
                version: clip.version,
                problem: trouble(clip.owns_path, clip.missing, clip.problem.as_deref()),
                place: *place,
                of: count.get(&select.clip).copied().unwrap_or(1),
                alike: footage.take(select.clip),
                faults: clip.summary.faults_in_job(footage.sharpness, probe.duration.to_f64()),
                sharpness: clip.summary.sharpness,
                soft_in_job: is_soft_in_job(clip.summary.sharpness, footage.sharpness),
            })
        })
        .collect()
}
