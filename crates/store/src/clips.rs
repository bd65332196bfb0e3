//! Rolls, clips and their selects.

use crate::entity::{clip, pick, roll};
use crate::events::What;
use crate::{Store, StoreError};
use chrono::{DateTime, Utc};
use legere_core::footage::ClipReading;
use legere_core::select::{Range, Verdict};
use legere_core::time::Seconds;
use sea_orm::prelude::*;
use sea_orm::sea_query::OnConflict;
use sea_orm::{ActiveValue::Set, QueryOrder, QuerySelect, TransactionTrait};
use serde_json::Value;

/// How far a clip or a track is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum State {
    Waiting,
    Reading,
    Ready,
    Failed,
}

impl State {
    pub fn word(self) -> &'static str {
        match self {
            Self::Waiting => "waiting",
            Self::Reading => "reading",
            Self::Ready => "ready",
            Self::Failed => "failed",
        }
    }

    pub(crate) fn from_word(word: &str) -> Self {
        match word {
            "reading" => Self::Reading,
            "ready" => Self::Ready,
            "failed" => Self::Failed,
            _ => Self::Waiting,
        }
    }
}

#[derive(Debug, Clone, PartialEq)]
pub struct Roll {
    pub id: Uuid,
    pub name: String,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Clip {
    pub id: Uuid,
    pub job: Uuid,
    pub roll: Uuid,
    pub root: String,
    pub path: String,
    pub name: String,
    pub bytes: i64,
    pub recorded_at: DateTime<Utc>,
    /// `file` when the recording time is only the file's.
    pub recorded_from: String,
    pub state: State,
    pub progress: f32,
    pub problem: Option<String>,
    /// The file was not where it should be when somebody last looked.
    pub missing: bool,
    pub probe: Option<Value>,
}

/// A file to be taken in.
#[derive(Debug, Clone, PartialEq)]
pub struct NewClip {
    pub root: String,
    pub path: String,
    pub name: String,
    pub bytes: i64,
    pub modified: DateTime<Utc>,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Select {
    pub id: Uuid,
    pub clip: Uuid,
    pub verdict: Verdict,
}

impl From<clip::Model> for Clip {
    fn from(row: clip::Model) -> Self {
        Self {
            id: row.id,
            job: row.job_id,
            roll: row.roll_id,
            root: row.root,
            path: row.path,
            name: row.name,
            bytes: row.bytes,
            recorded_at: row.recorded_at,
            recorded_from: row.recorded_from,
            state: State::from_word(&row.state),
            progress: row.progress,
            problem: row.problem,
            missing: row.missing,
            probe: row.probe,
        }
    }
}

impl TryFrom<pick::Model> for Select {
    type Error = StoreError;
    fn try_from(row: pick::Model) -> Result<Self, StoreError> {
        let verdict = serde_json::from_value(row.verdict).map_err(StoreError::broken("select"))?;
        Ok(Self { id: row.id, clip: row.clip_id, verdict })
    }
}

impl Store {
    /// Takes files in; those that are there already are left as they are. Gives the ids of the new ones.
    pub async fn add_clips(
        &self,
        job: Uuid,
        roll_name: &str,
        folder: &str,
        files: &[NewClip],
    ) -> Result<Vec<Uuid>, StoreError> {
        let Some(first) = files.first() else { return Ok(Vec::new()) };
        let transaction = self.db.begin().await?;
        let existing = roll::Entity::find()
            .filter(roll::Column::JobId.eq(job))
            .filter(roll::Column::Root.eq(&first.root))
            .filter(roll::Column::Folder.eq(folder))
            .filter(roll::Column::Name.eq(roll_name))
            .one(&transaction)
            .await?;
        let roll_id = match existing {
            Some(row) => row.id,
            None => {
                let id = Uuid::now_v7();
                roll::ActiveModel {
                    id: Set(id),
                    job_id: Set(job),
                    name: Set(roll_name.to_owned()),
                    root: Set(first.root.clone()),
                    folder: Set(folder.to_owned()),
                }
                .insert(&transaction)
                .await?;
                id
            }
        };
        let known: Vec<String> = clip::Entity::find()
            .filter(clip::Column::JobId.eq(job))
            .filter(clip::Column::Root.eq(&first.root))
            .select_only()
            .column(clip::Column::Path)
            .into_tuple()
            .all(&transaction)
            .await?;
        let known: std::collections::HashSet<String> = known.into_iter().collect();
        let mut ids = Vec::new();
        let mut rows = Vec::new();
        for file in files.iter().filter(|f| !known.contains(&f.path)) {
            let id = Uuid::now_v7();
            ids.push(id);
            rows.push(clip::ActiveModel {
                id: Set(id),
                job_id: Set(job),
                roll_id: Set(roll_id),
                root: Set(file.root.clone()),
                path: Set(file.path.clone()),
                name: Set(file.name.clone()),
                bytes: Set(file.bytes),
                recorded_at: Set(file.modified),
                recorded_from: Set("file".into()),
                state: Set(State::Waiting.word().into()),
                progress: Set(0.0),
                problem: Set(None),
                missing: Set(false),
                probe: Set(None),
                reading: Set(None),
                version: Set(0),
            });
        }
        for chunk in rows.chunks(500) {
            clip::Entity::insert_many(chunk.to_vec())
                .on_conflict(OnConflict::new().do_nothing().to_owned())
                .exec_without_returning(&transaction)
                .await?;
        }
        transaction.commit().await?;
        // One word for all: a page that does not know a clip looks at everything.
        if let Some(first) = ids.first() {
            self.tell(job, What::Clip, *first).await?;
        }
        Ok(ids)
    }

    pub async fn rolls(&self, job: Uuid) -> Result<Vec<Roll>, StoreError> {
        let rows = roll::Entity::find()
            .filter(roll::Column::JobId.eq(job))
            .order_by_asc(roll::Column::Name)
            .all(&self.db)
            .await?;
        Ok(rows.into_iter().map(|r| Roll { id: r.id, name: r.name }).collect())
    }

    /// All clips of a job by recording time.
    pub async fn clips(&self, job: Uuid) -> Result<Vec<Clip>, StoreError> {
        let rows = clip::Entity::find()
            .filter(clip::Column::JobId.eq(job))
            .order_by_asc(clip::Column::RecordedAt)
            .order_by_asc(clip::Column::Name)
            .all(&self.db)
            .await?;
        Ok(rows.into_iter().map(Clip::from).collect())
    }

    pub async fn clip(&self, id: Uuid) -> Result<Clip, StoreError> {
        let row = clip::Entity::find_by_id(id).one(&self.db).await?;
        row.map(Clip::from).ok_or(StoreError::Missing { what: "clip", id })
    }

    pub async fn clip_reading(&self, id: Uuid) -> Result<Option<ClipReading>, StoreError> {
        let row = clip::Entity::find_by_id(id).one(&self.db).await?.ok_or(StoreError::Missing { what: "clip", id })?;
        row.reading.map(serde_json::from_value).transpose().map_err(StoreError::broken("reading"))
    }

    /// The clips of a job that have a reading, each with the version of its row.
    pub async fn clip_versions(&self, job: Uuid) -> Result<Vec<(Uuid, i32)>, StoreError> {
        Ok(clip::Entity::find()
            .filter(clip::Column::JobId.eq(job))
            .filter(clip::Column::Reading.is_not_null())
            .select_only()
            .columns([clip::Column::Id, clip::Column::Version])
            .into_tuple()
            .all(&self.db)
            .await?)
    }

    /// The readings of some clips, each with the version of its row.
    pub async fn clip_readings(&self, clips: &[Uuid]) -> Result<Vec<(Uuid, i32, ClipReading)>, StoreError> {
        let rows: Vec<(Uuid, i32, Option<Value>)> = clip::Entity::find()
            .filter(clip::Column::Id.is_in(clips.iter().copied()))
            .select_only()
            .columns([clip::Column::Id, clip::Column::Version, clip::Column::Reading])
            .into_tuple()
            .all(&self.db)
            .await?;
        rows.into_iter()
            .filter_map(|(id, version, value)| Some((id, version, value?)))
            .map(|(id, version, value)| {
                Ok((id, version, serde_json::from_value(value).map_err(StoreError::broken("reading"))?))
            })
            .collect()
    }

    pub async fn clip_progress(&self, clip: &Clip, state: State, progress: f32) -> Result<(), StoreError> {
        clip::Entity::update_many()
            .col_expr(clip::Column::State, Expr::value(state.word()))
            .col_expr(clip::Column::Progress, Expr::value(progress))
            .filter(clip::Column::Id.eq(clip.id))
            .exec(&self.db)
            .await?;
        self.tell(clip.job, What::Clip, clip.id).await
    }

    /// Says of some clips of a job whether their files are where they should be.
    pub async fn clips_missing(&self, job: Uuid, clips: &[Uuid], missing: bool) -> Result<(), StoreError> {
        clip::Entity::update_many()
            .col_expr(clip::Column::Missing, Expr::value(missing))
            .filter(clip::Column::JobId.eq(job))
            .filter(clip::Column::Id.is_in(clips.iter().copied()))
            .exec(&self.db)
            .await?;
        for id in clips {
            self.tell(job, What::Clip, *id).await?;
        }
        Ok(())
    }

    pub async fn clip_failed(&self, clip: &Clip, problem: &str) -> Result<(), StoreError> {
        clip::Entity::update_many()
            .col_expr(clip::Column::State, Expr::value(State::Failed.word()))
            .col_expr(clip::Column::Problem, Expr::value(problem))
            .filter(clip::Column::Id.eq(clip.id))
            .exec(&self.db)
            .await?;
        self.tell(clip.job, What::Clip, clip.id).await
    }

    /// Keeps a reading, and the suggested moment as the clip's first select if there is none yet.
    pub async fn clip_ready(
        &self,
        clip: &Clip,
        probe: Value,
        recorded: Option<DateTime<Utc>>,
        reading: &ClipReading,
        problem: Option<String>,
    ) -> Result<(), StoreError> {
        let transaction = self.db.begin().await?;
        let row = clip::Entity::find_by_id(clip.id).lock_exclusive().one(&transaction).await?;
        let row = row.ok_or(StoreError::Missing { what: "clip", id: clip.id })?;
        let version = row.version + 1;
        let mut row: clip::ActiveModel = row.into();
        row.state = Set(State::Ready.word().into());
        row.progress = Set(1.0);
        row.problem = Set(problem);
        row.probe = Set(Some(probe));
        row.reading = Set(Some(serde_json::to_value(reading).map_err(StoreError::broken("reading"))?));
        row.version = Set(version);
        if let Some(at) = recorded {
            row.recorded_at = Set(at);
            row.recorded_from = Set("metadata".into());
        }
        row.update(&transaction).await?;
        let has = pick::Entity::find().filter(pick::Column::ClipId.eq(clip.id)).count(&transaction).await?;
        if has == 0
            && let Some(range) = first_range(reading)
        {
            let verdict = serde_json::to_value(Verdict::unread(range)).map_err(StoreError::broken("select"))?;
            pick::ActiveModel {
                id: Set(Uuid::now_v7()),
                job_id: Set(clip.job),
                clip_id: Set(clip.id),
                verdict: Set(verdict),
                created_at: Set(Utc::now()),
            }
            .insert(&transaction)
            .await?;
        }
        transaction.commit().await?;
        self.tell(clip.job, What::Clip, clip.id).await
    }

    /// All selects of a job, in the order of their clips.
    pub async fn selects(&self, job: Uuid) -> Result<Vec<Select>, StoreError> {
        let rows = pick::Entity::find()
            .filter(pick::Column::JobId.eq(job))
            .order_by_asc(pick::Column::CreatedAt)
            .all(&self.db)
            .await?;
        rows.into_iter().map(Select::try_from).collect()
    }

    pub async fn select(&self, id: Uuid) -> Result<Select, StoreError> {
        let row = pick::Entity::find_by_id(id).one(&self.db).await?;
        row.ok_or(StoreError::Missing { what: "select", id })?.try_into()
    }

    /// Clips that a stopped program left waiting or half-read.
    pub async fn unfinished_clips(&self) -> Result<Vec<Uuid>, StoreError> {
        let unfinished = [State::Waiting.word(), State::Reading.word()];
        Ok(clip::Entity::find()
            .filter(clip::Column::State.is_in(unfinished))
            .order_by_asc(clip::Column::RecordedAt)
            .select_only()
            .column(clip::Column::Id)
            .into_tuple()
            .all(&self.db)
            .await?)
    }
}

fn first_range(reading: &ClipReading) -> Option<Range> {
    let best = reading.moments.first()?;
    let (start, end, hit) =
        (Seconds::from_measured(best.start), Seconds::from_measured(best.end), Seconds::from_measured(best.hit));
    Range::new(start, end, hit)
        .or_else(|_| Range::new(Seconds::ZERO, Seconds::from_measured(reading.duration), Seconds::ZERO))
        .ok()
}
