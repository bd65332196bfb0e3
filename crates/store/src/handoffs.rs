//! Hand-offs: files made for the next person.

use crate::entity::handoff;
use crate::error::word;
use crate::events::ChangedKind;
use crate::rows::Rows;
use crate::{Handoffs, StoreError};
use legere_core::id::{HandoffId, JobId};
use sea_orm::prelude::*;
use sea_orm::sea_query::SimpleExpr;
use sea_orm::{ActiveValue::Set, QueryOrder, QuerySelect};

/// What can be made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "lowercase")]
pub enum HandoffKind {
    /// The film.
    Mp4,
    /// The timeline (OpenTimelineIO).
    Otio,
    /// The edit decision list (CMX 3600).
    Edl,
    /// The shot list.
    Csv,
}

legere_core::words!(HandoffKind);

/// How far a hand-off is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "lowercase")]
pub enum HandoffState {
    /// For a worker.
    Waiting,
    /// A worker is at it.
    Making,
    /// Made and checked.
    Ready,
    /// It could not be made; the report says why.
    Failed,
    /// By a person, before it was ready.
    Cancelled,
}

legere_core::words!(HandoffState);

impl HandoffState {
    /// Those that something is still to be done about.
    const OPEN: [Self; 2] = [Self::Waiting, Self::Making];
}

/// A file for the next person.
#[derive(Debug, Clone, PartialEq)]
pub struct Handoff {
    /// Never changes; addresses are made of it.
    pub id: HandoffId,
    /// The job that it belongs to.
    pub job: JobId,
    /// Of which kind.
    pub kind: HandoffKind,
    /// Of the file, as it is downloaded.
    pub name: String,
    /// How far it is.
    pub state: HandoffState,
    /// Steps that are done.
    pub done: i32,
    /// Of so many.
    pub total: i32,
    /// Its name on the shelf, once it is ready.
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

impl Handoffs<'_> {
    /// Keeps what was asked for.
    pub async fn add(self, job: JobId, kind: HandoffKind, name: &str, request: Json) -> Result<HandoffId, StoreError> {
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
        .insert(&self.store.db)
        .await?;
        self.store.notify(job, ChangedKind::Handoff, id).await?;
        Ok(id)
    }

    /// The newest first.
    pub async fn of_job(self, job: JobId) -> Result<Rows<Handoff>, StoreError> {
        let rows = handoff::Entity::find()
            .filter(handoff::Column::JobId.eq(job.uuid()))
            .order_by_desc(handoff::Column::CreatedAt)
            .all(&self.store.db)
            .await?;
        Ok(Rows::read(rows, |r| (r.id, r.name.clone()), Handoff::try_from))
    }

    /// One hand-off.
    pub async fn get(self, id: HandoffId) -> Result<Handoff, StoreError> {
        let row = handoff::Entity::find_by_id(id.uuid()).one(&self.store.db).await?;
        row.ok_or(StoreError::Missing { what: "hand-off", id: id.uuid() })?.try_into()
    }

    /// Changes one that something is still to be done about; gives whether it was one.
    async fn goes_on(
        self,
        handoff: &Handoff,
        state: HandoffState,
        changes: impl IntoIterator<Item = (handoff::Column, SimpleExpr)>,
    ) -> Result<bool, StoreError> {
        let mut update = handoff::Entity::update_many()
            .col_expr(handoff::Column::State, Expr::value(state.word()))
            .filter(handoff::Column::Id.eq(handoff.id.uuid()))
            .filter(handoff::Column::State.is_in(HandoffState::OPEN.map(HandoffState::word)));
        for (column, value) in changes {
            update = update.col_expr(column, value);
        }
        let changed = update.exec(&self.store.db).await?.rows_affected == 1;
        if changed {
            self.store.notify(handoff.job, ChangedKind::Handoff, handoff.id).await?;
        }
        Ok(changed)
    }

    /// Says how far it is.
    pub async fn progress(self, handoff: &Handoff, done: usize, total: usize) -> Result<(), StoreError> {
        let count = |n: usize| Expr::value(i32::try_from(n).unwrap_or(i32::MAX));
        let changes = [(handoff::Column::Done, count(done)), (handoff::Column::Total, count(total))];
        self.goes_on(handoff, HandoffState::Making, changes).await?;
        Ok(())
    }

    /// It is made when there is a file, else it failed; `report` says what was found. One that was cancelled stays so.
    pub async fn ended(self, handoff: &Handoff, file: Option<&str>, report: &str) -> Result<(), StoreError> {
        let state = if file.is_some() { HandoffState::Ready } else { HandoffState::Failed };
        let file = Expr::value(file.map(str::to_owned));
        let changes = [(handoff::Column::File, file), (handoff::Column::Report, Expr::value(report))];
        self.goes_on(handoff, state, changes).await?;
        Ok(())
    }

    /// It cannot be made yet; `report` says why.
    pub async fn wait(self, handoff: &Handoff, report: &str) -> Result<(), StoreError> {
        self.goes_on(handoff, HandoffState::Waiting, [(handoff::Column::Report, Expr::value(report))]).await?;
        Ok(())
    }

    /// Takes the asking back; gives whether there was still time.
    pub async fn cancel(self, handoff: &Handoff) -> Result<bool, StoreError> {
        let nothing = Expr::value(None::<String>);
        self.goes_on(handoff, HandoffState::Cancelled, [(handoff::Column::Report, nothing)]).await
    }

    /// Asks again for one that failed or was cancelled, as it was asked for then.
    pub async fn again(self, handoff: &Handoff) -> Result<(), StoreError> {
        let ended = [HandoffState::Failed, HandoffState::Cancelled].map(HandoffState::word);
        handoff::Entity::update_many()
            .col_expr(handoff::Column::State, Expr::value(HandoffState::Waiting.word()))
            .col_expr(handoff::Column::Report, Expr::value(None::<String>))
            .col_expr(handoff::Column::Done, Expr::value(0))
            .filter(handoff::Column::Id.eq(handoff.id.uuid()))
            .filter(handoff::Column::State.is_in(ended))
            .exec(&self.store.db)
            .await?;
        self.store.notify(handoff.job, ChangedKind::Handoff, handoff.id).await
    }

    /// Whether somebody still waits for it.
    pub async fn is_wanted(self, id: HandoffId) -> Result<bool, StoreError> {
        let open = handoff::Entity::find_by_id(id.uuid())
            .filter(handoff::Column::State.is_in(HandoffState::OPEN.map(HandoffState::word)));
        Ok(open.count(&self.store.db).await? == 1)
    }

    /// Those that wait or are being made.
    pub async fn unfinished(self) -> Result<Vec<HandoffId>, StoreError> {
        let ids: Vec<Uuid> = handoff::Entity::find()
            .filter(handoff::Column::State.is_in(HandoffState::OPEN.map(HandoffState::word)))
            .select_only()
            .column(handoff::Column::Id)
            .into_tuple()
            .all(&self.store.db)
            .await?;
        Ok(ids.into_iter().map(HandoffId::from).collect())
    }
}
