//! A job that turns out otherwise than it was begun: what its new form means, and changing it.

use super::Jobs;
use crate::error::AppError;
use crate::text::counted;
use crate::zone::enlarged;
use legere_core::id::JobId;
use legere_core::time::FrameRate;
use legere_store::jobs::{Job, NewJob};
use legere_store::journal::{By, Revision};

/// A job as it is asked for now.
fn changed(job: Job, asked: &NewJob) -> Job {
    Job {
        name: asked.name.clone(),
        rate: asked.rate,
        width: asked.width,
        height: asked.height,
        target_seconds: asked.target_seconds,
        zone: asked.zone.clone(),
        ..job
    }
}

impl Jobs<'_> {
    /// What changes with what is asked for, in sentences; nothing where nothing does.
    pub async fn meaning_of(self, job: &Job, asked: &NewJob) -> Result<Vec<String>, AppError> {
        asked.possible()?;
        let next = changed(job.clone(), asked);
        let footage = self.app.selects().footage(job.id).await?;
        let probes: Vec<_> = footage.clips.iter().filter_map(|c| c.probe.as_ref()).collect();
        let mut means = Vec::new();
        if next.rate != job.rate {
            let slowed = |rate: FrameRate| probes.iter().filter(|p| p.headroom_in(rate) >= 1.05).count();
            means.push(format!(
                "{} of {} can be slowed at {}, {} could at {}.",
                slowed(next.rate),
                counted(probes.len(), "clip"),
                next.rate.words(),
                slowed(job.rate),
                job.rate.words()
            ));
            let drafts = self.app.store.drafts().of_job(job.id).await?.whole.len();
            if drafts > 0 {
                let keep = if drafts == 1 { "keeps its" } else { "keep their" };
                means.push(format!(
                    "{} {keep} rate of {}; new ones are laid at {}.",
                    counted(drafts, "draft"),
                    job.rate.words(),
                    next.rate.words()
                ));
            }
        }
        if (next.width, next.height) != (job.width, job.height) {
            let small = |of: &Job| probes.iter().filter(|p| enlarged(p.width, p.height, of) > 1.02).count();
            means.push(format!(
                "{} of {} must be enlarged to fill {}×{}, {} for {}×{}.",
                small(&next),
                counted(probes.len(), "clip"),
                next.width,
                next.height,
                small(job),
                job.width,
                job.height
            ));
            means.push(
                "Previews and hand-offs made from now on have the new size; files that are made stay.".to_owned(),
            );
        }
        if next.target_seconds != job.target_seconds {
            means.push("Drafts keep their music; lengths that are offered in Listen go by the new one.".to_owned());
        }
        if next.zone != job.zone {
            means.push(format!("Days and hours are shown as clocks in {} show them.", next.zone));
        }
        Ok(means)
    }

    /// Changes what the person changed in the form since `base`.
    pub async fn change(self, job: JobId, by: By, base: Option<Revision>, asked: &NewJob) -> Result<Job, AppError> {
        asked.possible()?;
        let mut edit = self.app.store.begin_edit(job, by).await?;
        let present: Job = edit.load(job).await?;
        edit.put_form(&present, &changed(present.clone(), asked), base).await?;
        edit.commit("change the job", None).await?;
        Ok(self.app.store.jobs().get(job).await?)
    }

    /// Lets the reading of clips rest, or go on. What is being read is finished.
    pub async fn pause(self, job: JobId, by: By, rest: bool) -> Result<(), AppError> {
        let label = if rest { "let reading rest" } else { "go on reading" };
        let edit = |job: Job| Ok::<_, AppError>(Job { paused: rest, ..job });
        self.app.store.edit(job, by, job, None, label, edit).await?;
        if rest { Ok(self.app.store.rolls().rest(job).await?) } else { self.app.imports().read_what_waits(job).await }
    }
}
