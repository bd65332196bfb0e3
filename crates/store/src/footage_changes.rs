//! Counts what changes of a job's footage, so that those who keep it know when to load it again.

use crate::StoreError;
use crate::entity::job;
use legere_core::id::JobId;
use sea_orm::prelude::*;
use sea_orm::sea_query::ExprTrait;

/// Counts a change of the clips of a job, of their readings or of what is measured of their selects.
pub(crate) async fn clips_changed(db: &impl ConnectionTrait, job: JobId) -> Result<(), StoreError> {
    job::Entity::update_many()
        .col_expr(job::Column::Footage, Expr::col(job::Column::Footage).add(1))
        .filter(job::Column::Id.eq(job.uuid()))
        .exec(db)
        .await?;
    Ok(())
}

/// Remembers the newest change of a select of a job. Within the job's lock, so that it never falls.
pub(crate) async fn selects_changed(db: &impl ConnectionTrait, job: JobId, revision: i64) -> Result<(), StoreError> {
    job::Entity::update_many()
        .col_expr(job::Column::Selects, Expr::value(revision))
        .filter(job::Column::Id.eq(job.uuid()))
        .exec(db)
        .await?;
    Ok(())
}
