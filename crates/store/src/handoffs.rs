//! Hand-offs: files made for the next person.

use crate::entity::handoff;
use crate::error::word;
use crate::events::ChangedKind;
use crate::rows::Rows;
use crate::{Store, StoreError};
use legere_core::id::{HandoffId, JobId};
use sea_orm::prelude::*;
use sea_orm::{ActiveValue::Set, QueryOrder, QuerySelect};

/// What can be made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "lowercase")]
pub enum HandoffKind {
    Mp4,
    Otio,
    Edl,
    Csv,
}

impl HandoffKind {
    pub const ALL: &'static [Self] = <Self as strum::VariantArray>::VARIANTS;

    pub fn word(self) -> &'static str {
        self.into()
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr)]
#[strum(serialize_all = "lowercase")]
pub enum HandoffState {
    Waiting,
    Making,
    Ready,
    Failed,
}

impl HandoffState {
    pub fn word(self) -> &'static str {
        self.into()
    }
}

#[derive(Debug, Clone, PartialEq)]
pub struct Handoff {
    pub id: HandoffId,
    pub job: JobId,
    pub kind: HandoffKind,
    pub name: String,
    pub state: HandoffState,
    pub done: i32,
    pub total: i32,
    pub file: Option<String>,
    /// What the check after writing found, or what went wrong.
    pub report: Option<String>,
    /// Everything it is made from, as it was when it was asked for.
    pub request: Json,
}

impl TryFrom<handoff::Model> for Handoff {
    type Error = StoreError;
    fn try_from(r: handoff::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: r.id.into(),
            job: r.job_id.into(),
            kind: word("hand-off", &r.kind)?,
            name: r.name,
            state: word("hand-off", &r.state)?,
            done: r.done,
            total: r.total,
            file: r.file,
            report: r.report,
            request: r.request,
        })
    }
}

impl Store {
    pub async fn add_handoff(
        &self,
        job: JobId,
        kind: HandoffKind,
        name: &str,
        request: Json,
    ) -> Result<HandoffId, StoreError> {
        let id = HandoffId::from(Uuid::now_v7());
        handoff::ActiveModel {
            id: Set(id.uuid()),
            job_id: Set(job.uuid()),
            kind: Set(kind.word().into()),
            name: Set(name.to_owned()),
            state: Set(HandoffState::Waiting.word().into()),
            done: Set(0),
            total: Set(0),
            file: Set(None),
            report: Set(None),
            request: Set(request),
            created_at: Set(chrono::Utc::now()),
        }
        .insert(&self.db)
        .await?;
        self.notify(job, ChangedKind::Handoff, id).await?;
        Ok(id)
    }

    /// The newest first.
    pub async fn handoffs(&self, job: JobId) -> Result<Rows<Handoff>, StoreError> {
        let rows = handoff::Entity::find()
            .filter(handoff::Column::JobId.eq(job.uuid()))
            .order_by_desc(handoff::Column::CreatedAt)
            .all(&self.db)
            .await?;
        Ok(Rows::read(rows, |r| (r.id, r.name.clone()), Handoff::try_from))
    }

    pub async fn handoff(&self, id: HandoffId) -> Result<Handoff, StoreError> {
        let row = handoff::Entity::find_by_id(id.uuid()).one(&self.db).await?;
        row.ok_or(StoreError::Missing { what: "hand-off", id: id.uuid() })?.try_into()
    }

    pub async fn handoff_progress(&self, handoff: &Handoff, done: usize, total: usize) -> Result<(), StoreError> {
        let count = |n: usize| i32::try_from(n).unwrap_or(i32::MAX);
        handoff::Entity::update_many()
            .col_expr(handoff::Column::State, Expr::value(HandoffState::Making.word()))
            .col_expr(handoff::Column::Done, Expr::value(count(done)))
            .col_expr(handoff::Column::Total, Expr::value(count(total)))
            .filter(handoff::Column::Id.eq(handoff.id.uuid()))
            .exec(&self.db)
            .await?;
        self.notify(handoff.job, ChangedKind::Handoff, handoff.id).await
    }

    /// It is made when there is a file, else it failed; `report` says what was found.
    pub async fn handoff_ended(&self, handoff: &Handoff, file: Option<&str>, report: &str) -> Result<(), StoreError> {
        let state = if file.is_some() { HandoffState::Ready } else { HandoffState::Failed };
        handoff::Entity::update_many()
            .col_expr(handoff::Column::State, Expr::value(state.word()))
            .col_expr(handoff::Column::File, Expr::value(file.map(str::to_owned)))
            .col_expr(handoff::Column::Report, Expr::value(report))
            .filter(handoff::Column::Id.eq(handoff.id.uuid()))
            .exec(&self.db)
            .await?;
        self.notify(handoff.job, ChangedKind::Handoff, handoff.id).await
    }

    /// It cannot be made yet; `report` says why.
    pub async fn handoff_waits(&self, handoff: &Handoff, report: &str) -> Result<(), StoreError> {
        handoff::Entity::update_many()
            .col_expr(handoff::Column::State, Expr::value(HandoffState::Waiting.word()))
            .col_expr(handoff::Column::Report, Expr::value(report))
            .filter(handoff::Column::Id.eq(handoff.id.uuid()))
            .exec(&self.db)
            .await?;
        self.notify(handoff.job, ChangedKind::Handoff, handoff.id).await
    }

    pub async fn unfinished_handoffs(&self) -> Result<Vec<HandoffId>, StoreError> {
        let unfinished = [HandoffState::Waiting.word(), HandoffState::Making.word()];
        let ids: Vec<Uuid> = handoff::Entity::find()
            .filter(handoff::Column::State.is_in(unfinished))
            .select_only()
            .column(handoff::Column::Id)
            .into_tuple()
            .all(&self.db)
            .await?;
        Ok(ids.into_iter().map(HandoffId::from).collect())
    }
}
