//! Tracks: the candidates for the music.

use crate::clips::State;
use crate::entity::track;
use crate::events::What;
use crate::{Store, StoreError};
use legere_core::track::marks::Marks;
use legere_core::track::{TrackReading, Version};
use sea_orm::prelude::*;
use sea_orm::sea_query::OnConflict;
use sea_orm::{ActiveValue::Set, QueryOrder, QuerySelect};
use serde::{Deserialize, Serialize};
use serde_json::Value;

#[derive(Debug, Clone, PartialEq)]
pub struct Track {
    pub id: Uuid,
    pub job: Uuid,
    pub root: String,
    pub path: String,
    pub name: String,
    pub bytes: i64,
    pub state: State,
    pub problem: Option<String>,
    /// The file was not where it should be when somebody last looked.
    pub missing: bool,
    pub probe: Option<Value>,
    /// As a person sees and uses it: what was measured, with their marks over it.
    pub reading: Option<TrackReading>,
    /// What was measured, without the marks.
    pub measured: Option<TrackReading>,
    pub marks: Marks,
    /// What a person says it is.
    pub about: About,
    /// How it is used.
    pub part: Option<Version>,
}

/// What a person says of a track; `None` is as its file says.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct About {
    pub title: Option<String>,
    pub maker: Option<String>,
    pub mood: Option<String>,
    pub theme: Option<String>,
    pub genre: Option<String>,
}

impl About {
    /// With what the file says of itself where a person said nothing.
    pub fn over(&self, probe: Option<&Value>) -> Self {
        let own = |said: &Option<String>, key: &str| {
            said.clone().or_else(|| probe.and_then(|p| p[key].as_str()).map(str::to_owned))
        };
        Self {
            title: own(&self.title, "title"),
            maker: own(&self.maker, "artist"),
            mood: own(&self.mood, "mood"),
            theme: own(&self.theme, "theme"),
            genre: own(&self.genre, "genre"),
        }
    }
}

impl TryFrom<track::Model> for Track {
    type Error = StoreError;
    fn try_from(row: track::Model) -> Result<Self, StoreError> {
        let measured: Option<TrackReading> =
            row.reading.map(serde_json::from_value).transpose().map_err(StoreError::broken("reading"))?;
        let marks: Marks =
            row.marks.map(serde_json::from_value).transpose().map_err(StoreError::broken("marks"))?.unwrap_or_default();
        let about = row.about.map(serde_json::from_value).transpose().map_err(StoreError::broken("words"))?;
        Ok(Self {
            id: row.id,
            job: row.job_id,
            root: row.root,
            path: row.path,
            name: row.name,
            bytes: row.bytes,
            state: State::from_word(&row.state),
            problem: row.problem,
            missing: row.missing,
            probe: row.probe,
            reading: measured.as_ref().map(|m| marks.over(m)),
            measured,
            marks,
            about: about.unwrap_or_default(),
            part: row.part.map(serde_json::from_value).transpose().map_err(StoreError::broken("part"))?,
        })
    }
}

impl Store {
    /// Takes a track in; `None` when it is there already.
    pub async fn add_track(
        &self,
        job: Uuid,
        root: &str,
        path: &str,
        name: &str,
        bytes: i64,
    ) -> Result<Option<Uuid>, StoreError> {
        let id = Uuid::now_v7();
        let row = track::ActiveModel {
            id: Set(id),
            job_id: Set(job),
            root: Set(root.to_owned()),
            path: Set(path.to_owned()),
            name: Set(name.to_owned()),
            bytes: Set(bytes),
            state: Set(State::Waiting.word().into()),
            progress: Set(0.0),
            problem: Set(None),
            missing: Set(false),
            probe: Set(None),
            reading: Set(None),
            part: Set(None),
            marks: Set(None),
            about: Set(None),
            added_at: Set(chrono::Utc::now()),
        };
        let added = track::Entity::insert(row)
            .on_conflict(OnConflict::new().do_nothing().to_owned())
            .exec_without_returning(&self.db)
            .await?;
        if added == 0 {
            return Ok(None);
        }
        self.tell(job, What::Track, id).await?;
        Ok(Some(id))
    }

    pub async fn tracks(&self, job: Uuid) -> Result<Vec<Track>, StoreError> {
        let rows = track::Entity::find()
            .filter(track::Column::JobId.eq(job))
            .order_by_asc(track::Column::AddedAt)
            .all(&self.db)
            .await?;
        rows.into_iter().map(Track::try_from).collect()
    }

    pub async fn track(&self, id: Uuid) -> Result<Track, StoreError> {
        let row = track::Entity::find_by_id(id).one(&self.db).await?;
        row.ok_or(StoreError::Missing { what: "track", id })?.try_into()
    }

    pub async fn track_state(&self, track: &Track, state: State, problem: Option<String>) -> Result<(), StoreError> {
        track::Entity::update_many()
            .col_expr(track::Column::State, Expr::value(state.word()))
            .col_expr(track::Column::Problem, Expr::value(problem))
            .filter(track::Column::Id.eq(track.id))
            .exec(&self.db)
            .await?;
        self.tell(track.job, What::Track, track.id).await
    }

    /// Says of some tracks of a job whether their files are where they should be.
    pub async fn tracks_missing(&self, job: Uuid, tracks: &[Uuid], missing: bool) -> Result<(), StoreError> {
        track::Entity::update_many()
            .col_expr(track::Column::Missing, Expr::value(missing))
            .filter(track::Column::JobId.eq(job))
            .filter(track::Column::Id.is_in(tracks.iter().copied()))
            .exec(&self.db)
            .await?;
        for id in tracks {
            self.tell(job, What::Track, *id).await?;
        }
        Ok(())
    }

    /// Keeps a reading, and the offered part if the editor has chosen none.
    pub async fn track_ready(
        &self,
        track: &Track,
        probe: Value,
        reading: &TrackReading,
        offered: &Version,
    ) -> Result<(), StoreError> {
        let json = |v: Result<Value, serde_json::Error>| v.map_err(StoreError::broken("reading"));
        let reading = json(serde_json::to_value(reading))?;
        let part = match &track.part {
            Some(part) => json(serde_json::to_value(part))?,
            None => json(serde_json::to_value(offered))?,
        };
        track::Entity::update_many()
            .col_expr(track::Column::State, Expr::value(State::Ready.word()))
            .col_expr(track::Column::Problem, Expr::value(None::<String>))
            .col_expr(track::Column::Probe, Expr::value(probe))
            .col_expr(track::Column::Reading, Expr::value(reading))
            .col_expr(track::Column::Part, Expr::value(part))
            .filter(track::Column::Id.eq(track.id))
            .exec(&self.db)
            .await?;
        // The first track that can be used is the chosen one, until the editor chooses.
        sea_orm::sqlx::query("UPDATE job SET chosen_track = $1 WHERE id = $2 AND chosen_track IS NULL")
            .bind(track.id)
            .bind(track.job)
            .execute(self.pool())
            .await?;
        self.tell(track.job, What::Track, track.id).await
    }

    /// Lets those tracks wait again that were read by another version of the reading. What was read and what a person
    /// set stays until it is replaced.
    pub async fn outdated_tracks_wait(&self, version: i32) -> Result<(), StoreError> {
        sea_orm::sqlx::query(
            "UPDATE track SET state = $1 WHERE state = $2 AND coalesce((reading->>'version')::integer, 0) <> $3",
        )
        .bind(State::Waiting.word())
        .bind(State::Ready.word())
        .bind(version)
        .execute(self.pool())
        .await?;
        Ok(())
    }

    pub async fn unfinished_tracks(&self) -> Result<Vec<Uuid>, StoreError> {
        let unfinished = [State::Waiting.word(), State::Reading.word()];
        Ok(track::Entity::find()
            .filter(track::Column::State.is_in(unfinished))
            .select_only()
            .column(track::Column::Id)
            .into_tuple()
            .all(&self.db)
            .await?)
    }
}
