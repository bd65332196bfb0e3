//! Laying selects on the music.

use super::Desk;
use crate::error::WebError;
use legere_core::arrange::{Alternate, Arranger, Candidate, Pace, Slot, slots, slots_under};
use legere_core::draft::{Draft, Edit, Shot};
use legere_core::select::{Facet, Tier};
use legere_core::time::FramePos;
use legere_core::track::TrackReading;
use legere_media::probe::ClipProbe;
use legere_store::clips::{Clip, Select};
use legere_store::drafts::{DraftBody, KeptDraft};
use legere_store::jobs::Job;
use legere_store::journal::Put;
use std::collections::HashMap;
use uuid::Uuid;

/// How many other selects are offered for a place: as many as can be compared at a glance.
const ALTERNATES: usize = 3;

/// A draft with everything that its page shows.
pub struct OpenDraft {
    pub kept: KeptDraft,
    pub job: Job,
    /// The music under it, in the draft's own time.
    pub music: TrackReading,
    pub slots: Vec<Slot>,
    pub candidates: Vec<Candidate>,
}

impl OpenDraft {
    pub fn cut(&self) -> &Draft {
        &self.kept.body.cut
    }

    pub fn candidate(&self, select: Uuid) -> Option<&Candidate> {
        self.candidates.iter().find(|c| c.select == select)
    }
}

impl Desk {
    /// The selects of a job as the solver sees them; those of unreadable clips are left out.
    pub async fn candidates(&self, job: Uuid) -> Result<Vec<Candidate>, WebError> {
        let clips: HashMap<Uuid, Clip> = self.store.clips(job).await?.into_iter().map(|c| (c.id, c)).collect();
        let readings = self.readings(job).await?;
        let mut selects: Vec<Select> = self.store.selects(job).await?;
        selects.sort_by_key(|s| clips.get(&s.clip).map(|c| (c.recorded_at, c.name.clone())));
        Ok(selects
            .into_iter()
            .filter_map(|select| {
                let clip = clips.get(&select.clip)?;
                let probe: ClipProbe = serde_json::from_value(clip.probe.clone()?).ok()?;
                let reading = readings.get(&select.clip)?;
                let range = select.verdict.range;
                let (start, end) = (range.start().to_f64(), range.end().to_f64());
                let word = |facet| select.verdict.word_of(facet).map(str::to_owned);
                Some(Candidate {
                    select: select.id,
                    clip: clip.id,
                    name: short_name(&clip.name),
                    range,
                    media: probe.duration,
                    rate: probe.frame_rate,
                    tier: select.verdict.tier,
                    energy: reading.energy(start, end),
                    framing: word(Facet::Framing),
                    role: word(Facet::Role),
                    movement: word(Facet::Movement).or_else(|| Some(reading.movement(start, end).to_owned())),
                })
            })
            .collect())
    }

    /// Lays the selects on the chosen track's part, as a new draft.
    pub async fn new_draft(&self, job_id: Uuid) -> Result<Uuid, WebError> {
        let job = self.store.job(job_id).await?;
        let (track, version) = self
            .chosen_track(&job)
            .await?
            .ok_or(WebError::Refused("there is no music to arrange on yet: choose a track in Listen"))?;
        let reading = track.reading.as_ref().map(|r| version.reading(r)).ok_or(WebError::NotFound)?;
        let pace: Vec<Pace> = reading.sections.iter().map(|s| Pace::for_kind(s.kind)).collect();
        let candidates = self.candidates(job_id).await?;
        let cut = solved(&candidates, &reading, &job, &pace, &[]).await?;
        Ok(self.store.add_draft(job_id, &DraftBody { track: track.id, version, pace, cut }).await?)
    }

    pub async fn open_draft(&self, id: Uuid) -> Result<OpenDraft, WebError> {
        let kept = self.store.draft(id).await?;
        let job = self.store.job(kept.job).await?;
        let track = self.store.track(kept.body.track).await?;
        let music = track.reading.as_ref().map(|r| kept.body.version.reading(r)).ok_or(WebError::NotFound)?;
        let slots = slots_under(&kept.body.cut, &music);
        let candidates = self.candidates(kept.job).await?;
        Ok(OpenDraft { kept, job, music, slots, candidates })
    }

    /// Arranges again around the pinned shots, at a pace per section.
    pub async fn arrange_again(&self, id: Uuid, pace: Option<Vec<Pace>>) -> Result<(), WebError> {
        let open = self.open_draft(id).await?;
        let pace = pace.unwrap_or_else(|| open.kept.body.pace.clone());
        let pinned: Vec<(FramePos, Shot)> =
            open.cut().placed().filter(|(_, s)| s.pinned).map(|(at, s)| (at, s.clone())).collect();
        let cut = solved(&open.candidates, &open.music, &open.job, &pace, &pinned).await?;
        let body = DraftBody { cut, pace, ..open.kept.body.clone() };
        Ok(self.store.edit(open.job.id, "arrange around the pins", &[Put::Draft(id, body)]).await?)
    }

    pub async fn edit_draft(&self, id: Uuid, edit: &Edit) -> Result<(), WebError> {
        let kept = self.store.draft(id).await?;
        let cut = kept.body.cut.apply(edit)?;
        let label = match edit {
            Edit::MoveCut { .. } => "move the cut",
            Edit::Slip { .. } => "other part of the clip",
            Edit::Pin { on: true, .. } => "pin",
            Edit::Pin { .. } => "unpin",
            Edit::Replace { .. } => "swap the shot",
        };
        Ok(self.store.edit(kept.job, label, &[Put::Draft(id, DraftBody { cut, ..kept.body })]).await?)
    }

    pub async fn alternates(&self, open: &OpenDraft, shot: usize) -> Vec<Alternate> {
        let usable: Vec<Candidate> = open.candidates.iter().filter(|c| c.tier != Tier::Out).cloned().collect();
        Arranger::over(&usable, open.slots.clone(), open.job.rate).alternates(open.cut(), shot, ALTERNATES)
    }

    /// Puts an alternate into a place.
    pub async fn swap(&self, id: Uuid, shot: usize, select: Uuid) -> Result<(), WebError> {
        let open = self.open_draft(id).await?;
        let usable: Vec<Candidate> =
            open.candidates.iter().filter(|c| c.select == select || in_draft(&open, c.select)).cloned().collect();
        let plan = Arranger::over(&usable, open.slots.clone(), open.job.rate);
        let found = plan.alternates(open.cut(), shot, usable.len()).into_iter().find(|a| a.select == select);
        let a = found.ok_or(WebError::Refused("this select is too short for the place, or in the draft already"))?;
        let edit = Edit::Replace { shot, source: a.source, hit_at: a.hit_at, energy: a.energy, why: a.why };
        self.edit_draft(id, &edit).await
    }
}

fn in_draft(open: &OpenDraft, select: Uuid) -> bool {
    open.cut().shots().iter().any(|s| s.source.select == select)
}

async fn solved(
    candidates: &[Candidate],
    music: &TrackReading,
    job: &Job,
    pace: &[Pace],
    pinned: &[(FramePos, Shot)],
) -> Result<Draft, WebError> {
    let (candidates, places, rate, pinned) =
        (candidates.to_vec(), slots(music, job.rate, pace), job.rate, pinned.to_vec());
    // A thousand selects take long enough to be kept off the threads that serve pages.
    let result = tokio::task::spawn_blocking(move || Arranger::new(&candidates, places, rate, &pinned)?.solve())
        .await
        .map_err(|_| WebError::Refused("the arranging was stopped"))??;
    Ok(result.draft)
}

/// A file's name without its ending.
pub fn short_name(name: &str) -> String {
    name.rsplit_once('.').map_or(name, |(stem, _)| stem).to_owned()
}
