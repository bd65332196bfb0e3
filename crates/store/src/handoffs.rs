//! Hand-offs: files made for the next person.

use crate::entity::handoff;
use crate::events::What;
use crate::{Store, StoreError};
use sea_orm::prelude::*;
use sea_orm::{ActiveValue::Set, QueryOrder};
use serde_json::Value;

#[derive(Debug, Clone, PartialEq)]
pub struct Handoff {
    pub id: Uuid,
    pub job: Uuid,
    pub kind: String,
    pub name: String,
    /// `waiting`, `making`, `ready` or `failed`.
    pub state: String,
    pub done: i32,
    pub total: i32,
    pub file: Option<String>,
    /// What the check after writing found, or what went wrong.
    pub report: Option<String>,
    /// The draft as it was when it was asked for.
    pub request: Value,
}

impl From<handoff::Model> for Handoff {
    fn from(r: handoff::Model) -> Self {
        Self {
            id: r.id,
            job: r.job_id,
            kind: r.kind,
            name: r.name,
            state: r.state,
            done: r.done,
            total: r.total,
            file: r.file,
            report: r.report,
            request: r.request,
        }
    }
}

impl Store {
    pub async fn add_handoff(&self, job: Uuid, kind: &str, name: &str, request: Value) -> Result<Uuid, StoreError> {
        let id = Uuid::now_v7();
        handoff::ActiveModel {
            id: Set(id),
            job_id: Set(job),
            kind: Set(kind.to_owned()),
            name: Set(name.to_owned()),
            state: Set("waiting".into()),
            done: Set(0),
            total: Set(0),
            file: Set(None),
            report: Set(None),
            request: Set(request),
            created_at: Set(chrono::Utc::now()),
        }
        .insert(&self.db)
        .await?;
        self.tell(job, What::Handoff, id).await?;
        Ok(id)
    }

    pub async fn handoffs(&self, job: Uuid) -> Result<Vec<Handoff>, StoreError> {
        let rows = handoff::Entity::find()
            .filter(handoff::Column::JobId.eq(job))
            .order_by_desc(handoff::Column::CreatedAt)
            .all(&self.db)
            .await?;
        Ok(rows.into_iter().map(Handoff::from).collect())
    }

    pub async fn handoff(&self, id: Uuid) -> Result<Handoff, StoreError> {
        let row = handoff::Entity::find_by_id(id).one(&self.db).await?;
        row.map(Handoff::from).ok_or(StoreError::Missing { what: "hand-off", id })
    }

    pub async fn handoff_progress(&self, handoff: &Handoff, done: usize, total: usize) -> Result<(), StoreError> {
        handoff::Entity::update_many()
            .col_expr(handoff::Column::State, Expr::value("making"))
            .col_expr(handoff::Column::Done, Expr::value(done as i32))
            .col_expr(handoff::Column::Total, Expr::value(total as i32))
            .filter(handoff::Column::Id.eq(handoff.id))
            .exec(&self.db)
            .await?;
        self.tell(handoff.job, What::Handoff, handoff.id).await
    }

    pub async fn handoff_ended(&self, handoff: &Handoff, file: Option<&str>, report: &str) -> Result<(), StoreError> {
        handoff::Entity::update_many()
            .col_expr(handoff::Column::State, Expr::value(if file.is_some() { "ready" } else { "failed" }))
            .col_expr(handoff::Column::File, Expr::value(file.map(str::to_owned)))
            .col_expr(handoff::Column::Report, Expr::value(report))
            .filter(handoff::Column::Id.eq(handoff.id))
            .exec(&self.db)
            .await?;
        self.tell(handoff.job, What::Handoff, handoff.id).await
    }

    pub async fn unfinished_handoffs(&self) -> Result<Vec<Uuid>, StoreError> {
        let rows =
            handoff::Entity::find().filter(handoff::Column::State.is_in(["waiting", "making"])).all(&self.db).await?;
        Ok(rows.into_iter().map(|r| r.id).collect())
    }
}
