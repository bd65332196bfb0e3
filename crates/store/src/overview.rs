//! How far jobs are, each in one query: what every page of a job shows of all its steps, and what the start page shows of
//! every job.

use crate::sql::bound;
use crate::{Jobs, StoreError};
use legere_core::id::{ClipId, DraftId, JobId, TrackId};
use legere_core::track::Version;
use sea_orm::FromQueryResult;
use uuid::Uuid;

/// How far a job is, step by step.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Overview {
    /// That are not out.
    pub clips: usize,
    /// Clips that wait or are being read.
    pub busy: usize,
    /// That have clips.
    pub rolls: usize,
    /// Of these clips.
    pub selects: usize,
    /// Selects with a verdict.
    pub judged: usize,
    /// The chosen track, when it can be used: its file's name and how it is used.
    pub music: Option<(TrackId, String, Version)>,
    /// The draft that was asked for, or the newest: its title, its shots and its notes.
    pub draft: Option<DraftOverview>,
    /// Hand-offs that are ready.
    pub files: usize,
}

/// What the spine says of a draft.
#[derive(Debug, Clone, PartialEq)]
pub struct DraftOverview {
    /// The draft's id, as in its address.
    pub id: DraftId,
    /// Counted within the job.
    pub number: i32,
    /// Where a person gave it one.
    pub name: Option<String>,
    /// How many shots it has.
    pub shots: usize,
    /// How many notes it has.
    pub notes: usize,
}

#[derive(FromQueryResult)]
struct OverviewRow {
    clips: i64,
    busy: i64,
    rolls: i64,
    selects: i64,
    judged: i64,
    track: Option<Uuid>,
    track_name: Option<String>,
    track_part: Option<serde_json::Value>,
    draft: Option<Uuid>,
    draft_number: Option<i32>,
    draft_name: Option<String>,
    draft_shots: i32,
    notes: i64,
    files: i64,
}

impl From<OverviewRow> for Overview {
    fn from(row: OverviewRow) -> Self {
        let count = |n: i64| usize::try_from(n).unwrap_or(0);
        // A part that cannot be read is reported in Listen; here the job has no music then.
        let part: Option<Version> = row.track_part.and_then(|p| serde_json::from_value(p).ok());
        Self {
            clips: count(row.clips),
            busy: count(row.busy),
            rolls: count(row.rolls),
            selects: count(row.selects),
            judged: count(row.judged),
            music: row.track.zip(row.track_name).zip(part).map(|((id, name), part)| (id.into(), name, part)),
            draft: row.draft.zip(row.draft_number).map(|(id, number)| DraftOverview {
                id: id.into(),
                number,
                name: row.draft_name,
                shots: usize::try_from(row.draft_shots).unwrap_or(0),
                notes: count(row.notes),
            }),
            files: count(row.files),
        }
    }
}

/// Counts over six tables. $1: the job, $2: the draft that is meant.
const ONE_JOB: &str = r"
SELECT
  (SELECT count(*) FROM clip WHERE job_id = $1 AND NOT hidden) AS clips,
  (SELECT count(*) FROM clip WHERE job_id = $1 AND NOT hidden AND NOT missing AND state IN ('waiting', 'reading')) AS busy,
  (SELECT count(DISTINCT roll_id) FROM clip WHERE job_id = $1 AND NOT hidden) AS rolls,
  s.selects, s.judged,
  t.id AS track, t.name AS track_name, t.part AS track_part,
  d.id AS draft, d.number AS draft_number, d.name AS draft_name, coalesce(d.shots, 0) AS draft_shots,
  (SELECT count(*) FROM note WHERE draft_id = d.id AND NOT note.removed) AS notes,
  (SELECT count(*) FROM handoff WHERE job_id = $1 AND state = 'ready') AS files
FROM
  (SELECT count(*) AS selects, count(*) FILTER (WHERE verdict ->> 'tier' <> 'unread') AS judged
   FROM pick JOIN clip ON clip.id = pick.clip_id WHERE pick.job_id = $1 AND NOT pick.removed AND NOT clip.hidden) s
  LEFT JOIN job ON job.id = $1
  LEFT JOIN track t ON t.id = job.chosen_track AND t.summary IS NOT NULL AND t.part IS NOT NULL
  LEFT JOIN LATERAL (
    SELECT id, number, name, jsonb_array_length(CASE jsonb_typeof(body #> '{cut,shots}')
      WHEN 'array' THEN body #> '{cut,shots}' END) AS shots
    FROM draft WHERE job_id = $1 AND NOT removed ORDER BY (id = $2) DESC NULLS LAST, number DESC LIMIT 1) d ON true";

/// How far one of many jobs is.
#[derive(Debug, Clone, PartialEq, FromQueryResult)]
pub struct JobProgress {
    /// The job's id.
    job: Uuid,
    /// Clips that are not out.
    pub clips: i64,
    /// Selects of these clips.
    pub selects: i64,
    /// Selects with a verdict.
    pub judged: i64,
    /// Shots of the newest draft; none without a draft.
    pub shots: Option<i32>,
    /// Hand-offs that are ready.
    pub files: i64,
    /// When it was last changed by a person, or made.
    pub worked_on: chrono::DateTime<chrono::Utc>,
    stills: serde_json::Value,
}

impl JobProgress {
    /// The job that this is about.
    pub fn job(&self) -> JobId {
        self.job.into()
    }

    /// Clips that have stills, those with the best verdicts first; of equals some from all over the job, always the same.
    pub fn stills(&self) -> impl Iterator<Item = ClipId> + '_ {
        let ids = self.stills.as_array().into_iter().flatten();
        ids.filter_map(|id| id.as_str()?.parse().ok())
    }
}

/// The same of many jobs. $1: whether removed jobs are meant, $2: stills for a job.
const EVERY_JOB: &str = r"
SELECT job.id AS job, c.clips, s.selects, s.judged, d.shots, h.files, coalesce(j.at, job.created_at) AS worked_on, p.stills
FROM job
  CROSS JOIN LATERAL (SELECT count(*) AS clips FROM clip WHERE job_id = job.id AND NOT hidden) c
  CROSS JOIN LATERAL (
    SELECT count(*) AS selects, count(*) FILTER (WHERE verdict ->> 'tier' <> 'unread') AS judged
    FROM pick JOIN clip ON clip.id = pick.clip_id WHERE pick.job_id = job.id AND NOT pick.removed AND NOT clip.hidden) s
  LEFT JOIN LATERAL (
    SELECT jsonb_array_length(CASE jsonb_typeof(body #> '{cut,shots}')
      WHEN 'array' THEN body #> '{cut,shots}' ELSE '[]' END) AS shots
    FROM draft WHERE job_id = job.id AND NOT removed ORDER BY number DESC LIMIT 1) d ON true
  CROSS JOIN LATERAL (SELECT count(*) AS files FROM handoff WHERE job_id = job.id AND state = 'ready') h
  LEFT JOIN LATERAL (SELECT at FROM journal WHERE job_id = job.id ORDER BY id DESC LIMIT 1) j ON true
  CROSS JOIN LATERAL (
    SELECT coalesce(jsonb_agg(best.clip_id ORDER BY best.rank, best.spread), '[]') AS stills FROM (
      SELECT pick.clip_id, min(array_position(ARRAY['hero', 'strong', 'spare', 'unread', 'out'], verdict ->> 'tier')) AS rank,
        hashtext(pick.clip_id::text) AS spread
      FROM pick JOIN clip ON clip.id = pick.clip_id
      WHERE pick.job_id = job.id AND NOT pick.removed AND NOT clip.hidden AND clip.summary IS NOT NULL
      GROUP BY pick.clip_id ORDER BY 2, 3 LIMIT $2) best) p
WHERE job.removed = $1
ORDER BY worked_on DESC, job.id";

impl Jobs<'_> {
    /// How far all jobs are that are in work, or all that were taken out, the last worked on first, each with up to `stills`
    /// clips to show of it.
    pub async fn progress(self, removed: bool, stills: u32) -> Result<Vec<JobProgress>, StoreError> {
        let values = [removed.into(), i64::from(stills).into()];
        Ok(JobProgress::find_by_statement(bound(EVERY_JOB, values)).all(&self.store.db).await?)
    }

    /// `draft` is the one that the page is about, if any.
    pub async fn overview(self, job: JobId, draft: Option<DraftId>) -> Result<Overview, StoreError> {
        let values = [job.uuid().into(), draft.map(DraftId::uuid).into()];
        let row = OverviewRow::find_by_statement(bound(ONE_JOB, values)).one(&self.store.db).await?;
        Ok(row.map(Overview::from).unwrap_or_default())
    }
}
