//! Drafts and their notes.

use crate::entity::{draft, note};
use crate::{Store, StoreError};
use legere_core::arrange::Pace;
use legere_core::draft::Draft;
use legere_core::track::Version;
use sea_orm::prelude::*;
use sea_orm::{ActiveValue::Set, QueryOrder};
use serde::{Deserialize, Serialize};

/// A draft as it is kept: the cut, and what it was laid on.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct DraftBody {
    pub track: Uuid,
    pub version: Version,
    pub pace: Vec<Pace>,
    pub cut: Draft,
}

#[derive(Debug, Clone, PartialEq)]
pub struct KeptDraft {
    pub id: Uuid,
    pub job: Uuid,
    pub number: i32,
    pub body: DraftBody,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Note {
    pub id: Uuid,
    pub draft: Uuid,
    pub frame: i64,
    pub words: String,
}

impl TryFrom<draft::Model> for KeptDraft {
    type Error = StoreError;
    fn try_from(row: draft::Model) -> Result<Self, StoreError> {
        let body = serde_json::from_value(row.body).map_err(StoreError::broken("draft"))?;
        Ok(Self { id: row.id, job: row.job_id, number: row.number, body })
    }
}

impl Store {
    pub async fn add_draft(&self, job: Uuid, body: &DraftBody) -> Result<Uuid, StoreError> {
        let last = draft::Entity::find()
            .filter(draft::Column::JobId.eq(job))
            .order_by_desc(draft::Column::Number)
            .one(&self.db)
            .await?;
        let id = Uuid::now_v7();
        draft::ActiveModel {
            id: Set(id),
            job_id: Set(job),
            number: Set(last.map_or(1, |d| d.number + 1)),
            body: Set(serde_json::to_value(body).map_err(StoreError::broken("draft"))?),
            created_at: Set(chrono::Utc::now()),
        }
        .insert(&self.db)
        .await?;
        Ok(id)
    }

    /// The drafts of a job, the newest first.
    pub async fn drafts(&self, job: Uuid) -> Result<Vec<KeptDraft>, StoreError> {
        let rows = draft::Entity::find()
            .filter(draft::Column::JobId.eq(job))
            .order_by_desc(draft::Column::Number)
            .all(&self.db)
            .await?;
        rows.into_iter().map(KeptDraft::try_from).collect()
    }

    pub async fn draft(&self, id: Uuid) -> Result<KeptDraft, StoreError> {
        let row = draft::Entity::find_by_id(id).one(&self.db).await?;
        row.ok_or(StoreError::Missing { what: "draft", id })?.try_into()
    }

    pub async fn notes(&self, draft: Uuid) -> Result<Vec<Note>, StoreError> {
        let rows = note::Entity::find()
            .filter(note::Column::DraftId.eq(draft))
            .order_by_asc(note::Column::Frame)
            .all(&self.db)
            .await?;
        Ok(rows.into_iter().map(|n| Note { id: n.id, draft: n.draft_id, frame: n.frame, words: n.words }).collect())
    }
}
