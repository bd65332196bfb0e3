//! Jobs: one commissioned piece each.

use crate::entity::job;
use crate::{Store, StoreError};
use legere_core::time::FrameRate;
use sea_orm::prelude::*;
use sea_orm::{ActiveValue::Set, QueryOrder};

#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    pub id: Uuid,
    pub name: String,
    pub rate: FrameRate,
    pub width: u32,
    pub height: u32,
    /// The length to reach; none is "as long as the music".
    pub target_seconds: Option<f64>,
    pub chosen_track: Option<Uuid>,
}

/// What is asked for a new job.
#[derive(Debug, Clone, PartialEq)]
pub struct NewJob {
    pub name: String,
    pub rate: FrameRate,
    pub width: u32,
    pub height: u32,
    pub target_seconds: Option<f64>,
}

impl From<job::Model> for Job {
    fn from(row: job::Model) -> Self {
        Self {
            id: row.id,
            name: row.name,
            // Written by us from a rate; 25 only if somebody edited the table by hand.
            rate: row.rate.parse().or_else(|_| "25".parse()).expect("25 is a rate"),
            width: u32::try_from(row.width).unwrap_or(1920),
            height: u32::try_from(row.height).unwrap_or(1080),
            target_seconds: row.target_seconds,
            chosen_track: row.chosen_track,
        }
    }
}

impl Store {
    pub async fn create_job(&self, new: NewJob) -> Result<Uuid, StoreError> {
        let name = new.name.trim();
        if name.is_empty() || name.chars().count() > 120 {
            return Err(StoreError::Refused("a job needs a name of at most 120 letters".into()));
        }
        if !(64..=8192).contains(&new.width) || !(64..=8192).contains(&new.height) || new.width % 2 + new.height % 2 > 0
        {
            return Err(StoreError::Refused("the frame size must be even and between 64 and 8192".into()));
        }
        if new.target_seconds.is_some_and(|t| !(2.0..=7200.0).contains(&t)) {
            return Err(StoreError::Refused("the length must lie between 2 seconds and 2 hours".into()));
        }
        let id = Uuid::now_v7();
        job::ActiveModel {
            id: Set(id),
            name: Set(name.to_owned()),
            rate: Set(new.rate.to_string()),
            width: Set(new.width as i32),
            height: Set(new.height as i32),
            target_seconds: Set(new.target_seconds),
            chosen_track: Set(None),
            created_at: Set(chrono::Utc::now()),
        }
        .insert(&self.db)
        .await?;
        Ok(id)
    }

    pub async fn job(&self, id: Uuid) -> Result<Job, StoreError> {
        let row = job::Entity::find_by_id(id).one(&self.db).await?;
        row.map(Job::from).ok_or(StoreError::Missing { what: "job", id })
    }

    pub async fn jobs(&self) -> Result<Vec<Job>, StoreError> {
        let rows = job::Entity::find().order_by_desc(job::Column::CreatedAt).all(&self.db).await?;
        Ok(rows.into_iter().map(Job::from).collect())
    }
}
