//! Rolls as people put them in order: taken apart, put together; and files that turn up twice or somewhere else.

use crate::clips::{Clip, Roll};
use crate::entity::{clip, roll};
use crate::journal::JobEdit;
use crate::sql::bound;
use crate::{Rolls, StoreError};
use legere_core::id::{ClipId, JobId, RollId};
use sea_orm::prelude::*;
use sea_orm::{ActiveValue::Set, FromQueryResult, QueryOrder};

/// How fast clips are being read.
#[derive(Debug, Clone, Copy, PartialEq, FromQueryResult)]
pub struct ReadingPace {
    /// Bytes a second over the last clips; none before there are some.
    pub bytes_a_second: Option<f64>,
    /// Bytes that are still to be read.
    pub bytes_left: f64,
}

impl JobEdit {
    /// A new, empty roll beside another one, with its clock.
    pub async fn add_roll(&mut self, beside: &Roll, name: &str) -> Result<Roll, StoreError> {
        let row = roll::Entity::find_by_id(beside.id.uuid()).one(self.transaction()).await?;
        let row = row.ok_or(StoreError::Missing { what: "roll", id: beside.id.uuid() })?;
        let id = Uuid::now_v7();
        roll::ActiveModel {
            id: Set(id),
            job_id: Set(beside.job.uuid()),
            name: Set(name.to_owned()),
            root: Set(row.root),
            folder: Set(row.folder),
            // Until the journal puts it there.
            removed: Set(true),
            revision: Set(0),
            clock_seconds: Set(beside.clock_seconds),
            manual: Set(beside.manual),
        }
        .insert(self.transaction())
        .await?;
        let roll: Roll = self.load(id).await?;
        self.put(&roll, &Roll { removed: false, ..roll.clone() }, None).await?;
        self.load(id).await
    }

    /// The clips of a roll, by recording time.
    pub async fn clips_of_roll(&self, roll: RollId) -> Result<Vec<Clip>, StoreError> {
        let rows = clip::Entity::find()
            .filter(clip::Column::RollId.eq(roll.uuid()))
            .order_by_asc(clip::Column::RecordedAt)
            .order_by_asc(clip::Column::Name)
            .all(self.transaction())
            .await?;
        rows.into_iter().map(Clip::try_from).collect()
    }

    /// Rolls out of the same folder, this one first, that nobody put in order.
    pub async fn rolls_of_folder(&self, of: &Roll) -> Result<Vec<Roll>, StoreError> {
        let row = roll::Entity::find_by_id(of.id.uuid()).one(self.transaction()).await?;
        let row = row.ok_or(StoreError::Missing { what: "roll", id: of.id.uuid() })?;
        let mut rolls: Vec<Roll> = roll::Entity::find()
            .filter(roll::Column::JobId.eq(row.job_id))
            .filter(roll::Column::Root.eq(row.root))
            .filter(roll::Column::Folder.eq(row.folder))
            .filter(roll::Column::Manual.eq(false))
            .order_by_asc(roll::Column::Id)
            .all(self.transaction())
            .await?
            .into_iter()
            .map(Roll::from)
            .collect();
        rolls.sort_by_key(|r| r.id != of.id);
        Ok(rolls)
    }

    /// Puts clips into another roll.
    pub async fn move_clips(&mut self, clips: &[Clip], roll: RollId) -> Result<(), StoreError> {
        for clip in clips {
            self.put(clip, &Clip { roll, ..clip.clone() }, None).await?;
        }
        Ok(())
    }
}

impl Rolls<'_> {
    /// The rolls of a job, by name.
    pub async fn of_job(self, job: JobId) -> Result<Vec<Roll>, StoreError> {
        let rows = roll::Entity::find()
            .filter(roll::Column::JobId.eq(job.uuid()))
            .order_by_asc(roll::Column::Name)
            .all(&self.store.db)
            .await?;
        Ok(rows.into_iter().map(Roll::from).collect())
    }

    /// Takes clips that wait out of the queue, and leaves those alone that are being read.
    pub async fn rest(self, job: JobId) -> Result<(), StoreError> {
        let sql = "DELETE FROM work WHERE taken_by IS NULL AND (what ->> 'ReadClip')::uuid IN (SELECT id FROM clip WHERE job_id = $1)";
        self.store.db.execute_raw(bound(sql, [job.uuid().into()])).await?;
        Ok(())
    }

    /// Has these clips read before the others: they are being looked at.
    pub async fn read_first(self, job: JobId, clips: &[ClipId]) -> Result<(), StoreError> {
        let ids: Vec<Uuid> = clips.iter().map(|id| id.uuid()).collect();
        // Behind music and hand-offs, before clips that nobody looks at; what was looked at last comes first.
        let sql = "UPDATE work SET priority = CASE WHEN c.id = ANY($2) THEN 2 ELSE 1 END FROM clip c \
                   WHERE c.job_id = $1 AND NOT c.hidden AND c.state = 'waiting' AND (work.what ->> 'ReadClip')::uuid = c.id \
                     AND work.taken_by IS NULL AND work.priority <> CASE WHEN c.id = ANY($2) THEN 2 ELSE 1 END";
        self.store.db.execute_raw(bound(sql, [job.uuid().into(), ids.into()])).await?;
        Ok(())
    }

    /// How fast the clips of a job are being read, from those that were read last.
    pub async fn reading_pace(self, job: JobId) -> Result<ReadingPace, StoreError> {
        let sql = "SELECT \
             (SELECT coalesce(sum(bytes), 0)::float8 FROM clip WHERE job_id = $1 AND NOT hidden AND NOT missing \
                AND state IN ('waiting', 'reading')) AS bytes_left, \
             (SELECT sum(bytes)::float8 / NULLIF(extract(epoch FROM now() - min(read_at)), 0)::float8 FROM \
                (SELECT bytes, read_at FROM clip WHERE job_id = $1 AND read_at > now() - interval '3 minutes' \
                 ORDER BY read_at DESC LIMIT 24) AS last HAVING count(*) > 2) AS bytes_a_second";
        let pace = ReadingPace::find_by_statement(bound(sql, [job.uuid().into()])).one(&self.store.db).await?;
        pace.ok_or(StoreError::Missing { what: "job", id: job.uuid() })
    }
}
