//! What shots can be made of, in memory: the clips of a job, their selects, and both as the solver sees them.
//!
//! What is read (clips, readings) and what people say (selects) are kept apart: a verdict replaces one entry, and nothing is
//! loaded by two requests at once.

use super::recent::Recent;
use super::{Selects, short_name};
use crate::blocking::run_blocking;
use crate::error::AppError;
use legere_core::arrange::{Candidate, Measured};
use legere_core::footage::{Fault, FaultKind, FrameSignature, seen_within, similar_takes, usual_in_job};
use legere_core::id::{ClipId, JobId, RollId, SelectId};
use legere_core::narrow::{Flag, SearchRecord};
use legere_core::select::{Tag, framing_of, light_of, movement_of, role_of, tags_with};
use legere_core::time::{FrameRate, Seconds};
use legere_store::clips::Clip;
use legere_store::jobs::FootageRevision;
use legere_store::rows::BrokenRow;
use legere_store::selects::Select;
use serde::Serialize;
use std::collections::{HashMap, HashSet};
use std::sync::{Arc, OnceLock};

/// What is read of a job and said of its clips; it changes with readings, and not with verdicts.
#[derive(Debug)]
pub struct Readings {
    /// Those that are not out, by recording time.
    pub clips: Vec<Arc<Clip>>,
    by_id: HashMap<ClipId, usize>,
    pub rolls: HashMap<RollId, String>,
    similar: Arc<Similar>,
    /// How sharp the pictures of its clips usually are; none where too few are known.
    pub sharpness: Option<f64>,
    /// What cannot be used, without what a person calls no fault.
    faults: Faults,
    /// What cannot be read.
    pub broken: Vec<BrokenRow>,
}

/// A select with what is asked of it.
#[derive(Debug)]
pub struct Entry {
    pub select: Select,
    /// As it can be asked for; none of a clip that was not read.
    pub record: Option<SearchRecord>,
    /// As the solver sees it; none of a clip that was not read.
    candidate: Option<Candidate>,
}

/// The footage of a job at one revision: readings, and the selects over them.
#[derive(Debug)]
pub struct Footage {
    pub revision: FootageRevision,
    /// Of the job, which records and candidates were made for.
    rate: FrameRate,
    readings: Arc<Readings>,
    /// In the order of their clips.
    pub entries: Vec<Arc<Entry>>,
    /// Where each select stands among the entries, once somebody asks for one.
    at: OnceLock<HashMap<SelectId, usize>>,
}

impl std::ops::Deref for Footage {
    type Target = Readings;
    fn deref(&self) -> &Readings {
        &self.readings
    }
}

impl Readings {
    pub fn clip(&self, id: ClipId) -> Option<&Arc<Clip>> {
        self.by_id.get(&id).map(|i| &self.clips[*i])
    }

    /// Which of several similar takes a clip is; nothing where it is alone.
    pub fn take(&self, clip: ClipId) -> Option<Take> {
        self.similar.get(&clip).copied()
    }

    /// What of a clip cannot be used, without what a person calls no fault.
    pub fn faults(&self, clip: ClipId) -> Arc<Vec<Fault>> {
        self.faults.get(&clip).cloned().unwrap_or_default()
    }

    /// Where a select stands: by its clip, then by where it begins.
    fn place(&self, select: &Select) -> (Option<usize>, Seconds) {
        (self.by_id.get(&select.clip).copied(), select.verdict.range.start())
    }

    /// What is shown of a select, unless its clip is out.
    fn entry(&self, select: Select, rate: FrameRate) -> Arc<Entry> {
        let record = self.record(&select, rate);
        let clip = self.clip(select.clip);
        let candidate = clip.and_then(|clip| self.candidate(&select, clip));
        Arc::new(Entry { select, record, candidate })
    }

    /// A select as it is arranged; none of a clip that was not read.
    fn candidate(&self, select: &Select, clip: &Clip) -> Option<Candidate> {
        let probe = clip.probe.as_ref()?;
        let tags = tags_with(&select.verdict.tags, &clip.annotations.tags);
        Some(Candidate {
            select: select.id,
            clip: clip.id,
            name: short_name(&clip.name),
            range: select.verdict.range,
            media: probe.duration,
            // Slower than its frames come is slower than it can be shown.
            rate: probe.steady_rate.unwrap_or(probe.frame_rate),
            tier: select.verdict.tier,
            energy: select.energy,
            trace: Arc::new(clip.trace.clone()),
            faults: self.faults(clip.id),
            framing: framing_of(&tags),
            role: role_of(&tags),
            movement: movement_of(&tags).or(Some(select.movement)),
            light: light_of(&tags),
            measured: Measured { framing: clip.summary.framing, light: clip.summary.light },
            set_up: self.take(clip.id).map(|take| take.group),
            recorded: Some(clip.recorded_at.timestamp_millis() as f64 / 1000.0),
        })
    }

    /// A select as it can be asked for in a job of this rate; none of a clip that was not read.
    fn record(&self, select: &Select, rate: FrameRate) -> Option<SearchRecord> {
        let clip = self.clip(select.clip)?;
        let probe = clip.probe.as_ref()?;
        let verdict = &select.verdict;
        let faults = self.faults(clip.id);
        let (start, end) = (verdict.range.start().to_f64(), verdict.range.end().to_f64());
        let is = |kind| seen_within(&faults, kind, start, end).is_some();
        Some(SearchRecord {
            tier: verdict.tier,
            tags: tags_with(&verdict.tags, &clip.annotations.tags),
            suggested: [
                Some(Tag::Movement(select.movement)),
                clip.summary.framing.map(Tag::Framing),
                clip.summary.light.map(Tag::Light),
            ]
            .into_iter()
            .flatten()
            .collect(),
            energy: select.energy,
            slow: probe.headroom_in(rate).max(1.0),
            length: verdict.range.duration().to_f64(),
            rate: probe.frame_rate.to_f64(),
            flags: [
                (Flag::Sound, probe.has_sound),
                (Flag::Silent, !probe.has_sound),
                (Flag::Muted, clip.annotations.muted),
                (Flag::Missing, clip.missing),
                (Flag::Upright, probe.height > probe.width),
                (Flag::Shaky, is(FaultKind::Shake)),
                (Flag::Unsharp, is(FaultKind::Soft)),
                (Flag::Underexposed, is(FaultKind::Dark)),
                (Flag::Overexposed, is(FaultKind::Blown)),
                (Flag::Warm, clip.summary.is_warm()),
                (Flag::Cool, clip.summary.is_cool()),
            ]
            .into_iter()
            .filter_map(|(flag, is)| is.then_some(flag))
            .collect(),
            label: verdict.label.as_ref().map(|l| l.word.as_str().to_owned()),
            name: short_name(&clip.name),
            roll: self.rolls.get(&clip.roll).cloned().unwrap_or_default(),
            note: verdict.note.clone(),
        })
    }
}

impl Footage {
    /// The rate of the job that it was made for.
    pub fn rate(&self) -> FrameRate {
        self.rate
    }

    fn of(revision: FootageRevision, rate: FrameRate, readings: Arc<Readings>, mut selects: Vec<Select>) -> Self {
        selects.sort_by_key(|s| readings.place(s));
        let entries = selects.into_iter().map(|s| readings.entry(s, rate)).collect();
        Self { revision, rate, readings, entries, at: OnceLock::new() }
    }

    /// The same with some selects as they are now: a verdict costs a verdict, not a job.
    fn patched(&self, revision: FootageRevision, changed: Vec<Select>) -> Self {
        let ids: HashSet<SelectId> = changed.iter().map(|s| s.id).collect();
        let mut entries = self.entries.clone();
        entries.retain(|e| !ids.contains(&e.select.id));
        for select in changed.into_iter().filter(|s| !s.removed && self.by_id.contains_key(&s.clip)) {
            let place = self.place(&select);
            let at = entries.partition_point(|e| self.place(&e.select) <= place);
            entries.insert(at, self.readings.entry(select, self.rate));
        }
        let (rate, readings) = (self.rate, self.readings.clone());
        Self { revision, rate, readings, entries, at: OnceLock::new() }
    }

    /// The selects of clips that were read, as the solver sees them.
    pub fn candidates(&self) -> impl Iterator<Item = &Candidate> {
        self.entries.iter().filter_map(|e| e.candidate.as_ref())
    }

    /// The places of `most` entries: the first ones, or those around a select.
    pub fn stretch(&self, most: usize, around: Option<SelectId>) -> std::ops::Range<usize> {
        let all = self.entries.len();
        let at = around.and_then(|id| self.entries.iter().position(|e| e.select.id == id)).unwrap_or(0);
        let from = at.saturating_sub(most / 2).min(all.saturating_sub(most));
        from..all.min(from.saturating_add(most))
    }

    /// In the order of their clips.
    pub fn selects(&self) -> impl Iterator<Item = &Select> {
        self.entries.iter().map(|e| &e.select)
    }

    pub fn candidate(&self, id: SelectId) -> Option<&Candidate> {
        let at = self.at.get_or_init(|| self.entries.iter().enumerate().map(|(i, e)| (e.select.id, i)).collect());
        at.get(&id).and_then(|i| self.entries[*i].candidate.as_ref())
    }
}

/// One of several clips that show the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Take {
    /// The same number for all of them.
    pub group: usize,
    /// Which of them it is by recording time, from 1.
    pub take: usize,
    pub of: usize,
}

type Similar = HashMap<ClipId, Take>;

/// Of clips that were read, in the order of time.
type Faults = HashMap<ClipId, Arc<Vec<Fault>>>;

/// Groups of alike takes of the jobs that were looked at last, for their clips at these versions.
pub(super) type SimilarCache = Recent<JobId, Vec<(ClipId, i32)>, Arc<Similar>>;

/// The footage of the jobs that were looked at last. Whoever asks while it is being loaded waits for that.
pub(super) type Cache = Recent<JobId, (), Arc<tokio::sync::Mutex<Option<Arc<Footage>>>>>;

impl Selects<'_> {
    /// The footage of a job as it is now.
    pub async fn footage(self, job: JobId) -> Result<Arc<Footage>, AppError> {
        let slot = self.app.footage.get_or_put(job, (), Arc::default);
        let mut held = slot.lock().await;
        // Asked before anything else is read: what changes meanwhile is read with the next asking.
        let revision = self.app.store.jobs().footage_revision(job).await?;
        let rate = self.app.store.jobs().rate(job).await?;
        let known = held.as_ref().filter(|f| f.revision.clips == revision.clips && f.rate == rate);
        let footage = match known {
            Some(known) if known.revision == revision => return Ok(known.clone()),
            Some(known) => {
                let changed = self.app.store.selects().since(job, known.revision.selects).await?;
                if changed.broken.is_empty() {
                    known.patched(revision, changed.whole)
                } else {
                    self.loaded_footage(job, revision, rate).await?
                }
            }
            None => self.loaded_footage(job, revision, rate).await?,
        };
        let footage = Arc::new(footage);
        *held = Some(footage.clone());
        Ok(footage)
    }

    async fn loaded_footage(self, job: JobId, revision: FootageRevision, rate: FrameRate) -> Result<Footage, AppError> {
        let clips = self.app.store.clips().of_job(job).await?;
        let selects = self.app.store.selects().of_job(job).await?;
        let rolls = self.app.store.rolls().of_job(job).await?.into_iter().map(|r| (r.id, r.name)).collect();
        let app = self.app.clone();
        run_blocking(move || {
            let broken = clips.broken.into_iter().chain(selects.broken).collect();
            let clips: Vec<Arc<Clip>> = clips.whole.into_iter().map(Arc::new).collect();
            let by_id: HashMap<ClipId, usize> = clips.iter().enumerate().map(|(i, c)| (c.id, i)).collect();
            let sharpness = usual_in_job(clips.iter().map(|c| c.summary.sharpness));
            let faults = clips.iter().filter_map(|c| Some((c.id, Arc::new(faults_of(c, sharpness)?)))).collect();
            let similar = app.selects().similar_takes(job, &clips);
            let readings = Arc::new(Readings { clips, by_id, rolls, similar, sharpness, faults, broken });
            Footage::of(revision, rate, readings, selects.whole)
        })
        .await
    }
}

impl Selects<'_> {
    /// Clips in groups that show the same thing; made again only where other clips or other readings are there.
    fn similar_takes(self, job: JobId, clips: &[Arc<Clip>]) -> Arc<Similar> {
        let read: Vec<(ClipId, i32)> = clips.iter().map(|c| (c.id, c.version)).collect();
        if let Some(kept) = self.app.similar.get(&job, &read) {
            return kept;
        }
        let signatures: Vec<&[FrameSignature]> = clips.iter().map(|c| c.signatures.as_slice()).collect();
        let mut similar = Similar::new();
        for (group, takes) in similar_takes(&signatures).into_iter().enumerate() {
            let of = takes.len();
            similar.extend(takes.iter().enumerate().map(|(i, at)| (clips[*at].id, Take { group, take: i + 1, of })));
        }
        let similar = Arc::new(similar);
        self.app.similar.put(job, read, similar.clone());
        similar
    }
}

/// What of a clip cannot be used among clips that usually are so sharp; none of one that was not read.
fn faults_of(clip: &Clip, sharpness: Option<f64>) -> Option<Vec<Fault>> {
    let seconds = clip.probe.as_ref()?.duration.to_f64();
    let mut faults = clip.summary.faults_in_job(sharpness, seconds);
    // What a person says is none is none, whatever is read.
    faults.retain(|f| !clip.annotations.no_faults.contains(&f.kind));
    Some(faults)
}
