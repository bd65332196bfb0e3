//! What shots can be made of, in memory: the clips of a job, their selects, and both as the solver sees them. Looked at many
//! times a minute, made anew only when the database says that something of it has changed.

use super::recent::Recent;
use super::{Desk, short_name};
use crate::error::WebError;
use legere_core::arrange::Candidate;
use legere_core::footage::{Fault, FaultKind, Look, alike_takes, seen_within, usual_in_job};
use legere_core::id::{ClipId, JobId, RollId, SelectId};
use legere_core::narrow::{Fact, Subject};
use legere_core::select::{Tag, framing_of, movement_of, role_of, tags_with};
use legere_core::time::FrameRate;
use legere_store::clips::Clip;
use legere_store::rows::BrokenRow;
use legere_store::selects::Select;
use serde::Serialize;
use std::collections::HashMap;
use std::sync::Arc;

/// Mean warmth of a clip from which its colours are called warm: lamps, wood and skin are.
const WARM: f64 = 0.15;
/// And below which they are called cool: sky and shade are.
const COOL: f64 = -0.05;

/// The footage of a job at one revision.
#[derive(Debug)]
pub struct Footage {
    pub revision: i64,
    /// Those that are not out, by recording time.
    pub clips: Vec<Arc<Clip>>,
    by_id: HashMap<ClipId, usize>,
    pub rolls: HashMap<RollId, String>,
    /// In the order of their clips.
    pub selects: Vec<Select>,
    /// The selects of clips that were read, as the solver sees them.
    pub candidates: Arc<Vec<Candidate>>,
    at: HashMap<SelectId, usize>,
    alike: Arc<Alike>,
    /// How sharp the pictures of its clips usually are; none where too few are known.
    pub sharpness: Option<f64>,
    /// What cannot be used, without what a person calls no fault.
    faults: Faults,
    /// What cannot be read.
    pub broken: Vec<BrokenRow>,
}

impl Footage {
    pub fn clip(&self, id: ClipId) -> Option<&Arc<Clip>> {
        self.by_id.get(&id).map(|i| &self.clips[*i])
    }

    /// Which of several alike takes a clip is; nothing where it is alone.
    pub fn alike(&self, clip: ClipId) -> Option<Take> {
        self.alike.get(&clip).copied()
    }

    /// What of a clip cannot be used, without what a person calls no fault.
    pub fn faults(&self, clip: ClipId) -> Arc<Vec<Fault>> {
        self.faults.get(&clip).cloned().unwrap_or_default()
    }

    /// A select as it can be asked for in a job of this rate; none of a clip that was not read.
    pub fn subject(&self, select: &Select, rate: FrameRate) -> Option<Subject> {
        let clip = self.clip(select.clip)?;
        let probe = clip.probe.as_ref()?;
        let verdict = &select.verdict;
        let faults = self.faults(clip.id);
        let (start, end) = (verdict.range.start().to_f64(), verdict.range.end().to_f64());
        let is = |kind| seen_within(&faults, kind, start, end).is_some();
        Some(Subject {
            tier: verdict.tier,
            tags: tags_with(&verdict.tags, &clip.said.tags),
            suggested: vec![Tag::Movement(select.movement)],
            energy: select.energy,
            slow: probe.headroom_in(rate).max(1.0),
            length: verdict.range.duration().to_f64(),
            rate: probe.frame_rate.to_f64(),
            facts: [
                (Fact::Sound, probe.has_sound),
                (Fact::Silent, !probe.has_sound),
                (Fact::Muted, clip.said.muted),
                (Fact::Missing, clip.missing),
                (Fact::Upright, probe.height > probe.width),
                (Fact::Shaky, is(FaultKind::Shake)),
                (Fact::Unsharp, is(FaultKind::Soft)),
                (Fact::Underexposed, is(FaultKind::Dark)),
                (Fact::Overexposed, is(FaultKind::Blown)),
                (Fact::Warm, clip.gist.warmth > WARM),
                (Fact::Cool, clip.gist.warmth < COOL),
            ]
            .into_iter()
            .filter_map(|(fact, is)| is.then_some(fact))
            .collect(),
            label: verdict.label.as_ref().map(|l| l.word.as_str().to_owned()),
            name: short_name(&clip.name),
            roll: self.rolls.get(&clip.roll).cloned().unwrap_or_default(),
            note: verdict.note.clone(),
        })
    }

    pub fn candidate(&self, id: SelectId) -> Option<&Candidate> {
        self.at.get(&id).map(|i| &self.candidates[*i])
    }
}

/// One of several clips that show the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Take {
    /// The same number for all of them.
    pub group: usize,
    /// Which of them it is by recording time, from 1.
    pub take: usize,
    pub of: usize,
}

type Alike = HashMap<ClipId, Take>;

/// Of clips that were read, in the order of time.
type Faults = HashMap<ClipId, Arc<Vec<Fault>>>;

/// Groups of alike takes of the jobs that were looked at last, for their clips at these versions.
pub(super) type AlikeCache = Recent<JobId, Vec<(ClipId, i32)>, Arc<Alike>>;

/// The footage of the jobs that were looked at last, at their revisions.
pub(super) type Cache = Recent<JobId, i64, Arc<Footage>>;

impl Desk {
    pub async fn footage(&self, job: JobId) -> Result<Arc<Footage>, WebError> {
        // Asked before anything else is: what changes meanwhile makes it anew next time.
        let revision = self.store.footage_revision(job).await?;
        if let Some(kept) = self.footage.get(&job, &revision) {
            return Ok(kept);
        }
        let clips = self.store.clips(job).await?;
        let selects = self.store.selects(job).await?;
        let rolls = self.store.rolls(job).await?.into_iter().map(|r| (r.id, r.name)).collect();
        let broken = clips.broken.into_iter().chain(selects.broken).collect();
        let clips: Vec<Arc<Clip>> = clips.whole.into_iter().map(Arc::new).collect();
        let by_id: HashMap<ClipId, usize> = clips.iter().enumerate().map(|(i, c)| (c.id, i)).collect();
        let mut selects = selects.whole;
        selects.sort_by_key(|s| (by_id.get(&s.clip).copied(), s.verdict.range.start()));
        let sharpness = usual_in_job(clips.iter().map(|c| c.gist.sharpness));
        let faults: Faults = clips.iter().filter_map(|c| Some((c.id, Arc::new(faults_of(c, sharpness)?)))).collect();
        let candidates: Vec<Candidate> =
            selects.iter().filter_map(|s| candidate(s, &clips[*by_id.get(&s.clip)?], &faults)).collect();
        let at = candidates.iter().enumerate().map(|(i, c)| (c.select, i)).collect();
        let candidates = Arc::new(candidates);
        let alike = self.alike_takes(job, &clips);
        let footage = Arc::new(Footage {
            revision,
            clips,
            by_id,
            rolls,
            selects,
            candidates,
            at,
            alike,
            sharpness,
            faults,
            broken,
        });
        self.footage.put(job, revision, footage.clone());
        Ok(footage)
    }
}

impl Desk {
    /// Clips in groups that show the same thing; made anew only where other clips or other readings are there.
    fn alike_takes(&self, job: JobId, clips: &[Arc<Clip>]) -> Arc<Alike> {
        let read: Vec<(ClipId, i32)> = clips.iter().map(|c| (c.id, c.version)).collect();
        if let Some(kept) = self.alike.get(&job, &read) {
            return kept;
        }
        let looks: Vec<&[Look]> = clips.iter().map(|c| c.looks.as_slice()).collect();
        let mut alike = Alike::new();
        for (group, takes) in alike_takes(&looks).into_iter().enumerate() {
            let of = takes.len();
            alike.extend(takes.iter().enumerate().map(|(i, at)| (clips[*at].id, Take { group, take: i + 1, of })));
        }
        let alike = Arc::new(alike);
        self.alike.put(job, read, alike.clone());
        alike
    }
}

/// What of a clip cannot be used among clips that usually are so sharp; none of one that was not read.
fn faults_of(clip: &Clip, sharpness: Option<f64>) -> Option<Vec<Fault>> {
    let seconds = clip.probe.as_ref()?.duration.to_f64();
    let mut faults = clip.gist.faults_in_job(sharpness, seconds);
    // What a person says is none is none, whatever is read.
    faults.retain(|f| !clip.said.no_faults.contains(&f.kind));
    Some(faults)
}

fn candidate(select: &Select, clip: &Clip, faults: &Faults) -> Option<Candidate> {
    let probe = clip.probe.as_ref()?;
    let tags = tags_with(&select.verdict.tags, &clip.said.tags);
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
        faults: faults.get(&clip.id).cloned().unwrap_or_default(),
        framing: framing_of(&tags),
        role: role_of(&tags),
        movement: movement_of(&tags).or(Some(select.movement)),
    })
}
