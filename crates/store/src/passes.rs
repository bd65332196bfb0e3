//! Passes: rounds through the selects that an earlier round left.

use crate::entity::pass;
use crate::journal::{EditTarget, Editable, Fields, JobEdit, REMOVED, Revision, field_or, identified, set_field};
use crate::rows::Rows;
use crate::{Selects, StoreError};
use legere_core::id::{JobId, PassId, SelectId};
use sea_orm::prelude::*;
use sea_orm::{ActiveValue::NotSet, ActiveValue::Set, DatabaseTransaction, QueryOrder, QuerySelect};
use std::collections::BTreeSet;

/// More rounds than this nobody goes.
const MOST_PASSES: u64 = 99;

/// One round through the selects.
#[derive(Debug, Clone, PartialEq)]
pub struct Pass {
    /// Never changes; addresses are made of it.
    pub id: PassId,
    /// The job that it belongs to.
    pub job: JobId,
    /// From 1; the first needs no row.
    pub number: u32,
    /// What it goes through, in words: "what is left", "strong or better".
    pub what: String,
    /// The selects that it began with.
    pub members: BTreeSet<SelectId>,
    /// Later than that of each select that existed when it began.
    pub born: i64,
    /// Where one was in it.
    pub place: Option<SelectId>,
    /// Whether a person took it out.
    pub removed: bool,
    /// Rises with every change.
    pub revision: Revision,
}

impl TryFrom<pass::Model> for Pass {
    type Error = StoreError;
    fn try_from(row: pass::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id.into(),
            job: row.job_id.into(),
            number: u32::try_from(row.number).unwrap_or(1),
            what: row.what,
            members: serde_json::from_value(row.members).map_err(StoreError::broken("pass"))?,
            born: row.born,
            place: row.place.map(SelectId::from),
            removed: row.removed,
            revision: row.revision,
        })
    }
}

impl Editable for Pass {
    const TARGET: EditTarget = EditTarget::Pass;

    identified!();

    fn fields(&self) -> Result<Fields, StoreError> {
        let mut fields = Fields::new();
        set_field(&mut fields, REMOVED, &self.removed)?;
        Ok(fields)
    }

    fn apply_fields(&self, fields: &Fields) -> Result<Self, StoreError> {
        Ok(Self { removed: field_or(fields, REMOVED, self.removed)?, ..self.clone() })
    }

    async fn read(t: &DatabaseTransaction, id: Uuid) -> Result<Self, StoreError> {
        pass::Entity::find_by_id(id).one(t).await?.ok_or(StoreError::Missing { what: "pass", id })?.try_into()
    }

    async fn write(&self, _: &Self, t: &DatabaseTransaction, revision: Revision) -> Result<(), StoreError> {
        let row = pass::ActiveModel {
            id: Set(self.id.uuid()),
            removed: Set(self.removed),
            revision: Set(revision),
            ..Default::default()
        };
        row.update(t).await?;
        Ok(())
    }
}

impl JobEdit {
    /// Begins the next pass through some selects.
    pub async fn add_pass(&mut self, what: &str, members: &BTreeSet<SelectId>) -> Result<Pass, StoreError> {
        let of_job = pass::Entity::find().filter(pass::Column::JobId.eq(self.job().uuid()));
        let count = of_job.filter(pass::Column::Removed.eq(false)).count(self.transaction()).await?;
        if count >= MOST_PASSES {
            return Err(StoreError::Refused(format!("a job has at most {MOST_PASSES} passes")));
        }
        let last: Option<i32> = pass::Entity::find()
            .filter(pass::Column::JobId.eq(self.job().uuid()))
            .select_only()
            .column_as(pass::Column::Number.max(), "last")
            .into_tuple()
            .one(self.transaction())
            .await?
            .flatten();
        let id = Uuid::now_v7();
        pass::ActiveModel {
            id: Set(id),
            job_id: Set(self.job().uuid()),
            number: Set(last.unwrap_or(1) + 1),
            what: Set(what.to_owned()),
            members: Set(serde_json::to_value(members).map_err(StoreError::broken("pass"))?),
            created_at: Set(chrono::Utc::now()),
            place: Set(None),
            // Until the journal puts it there.
            removed: Set(true),
            revision: Set(0),
            born: NotSet,
        }
        .insert(self.transaction())
        .await?;
        let pass: Pass = self.load(id).await?;
        self.put(&pass, &Pass { removed: false, ..pass.clone() }, None).await?;
        self.load(id).await
    }
}

impl Selects<'_> {
    /// The passes of a job after the first, in their order.
    pub async fn passes(self, job: JobId) -> Result<Rows<Pass>, StoreError> {
        let found = pass::Entity::find()
            .filter(pass::Column::JobId.eq(job.uuid()))
            .filter(pass::Column::Removed.eq(false))
            .order_by_asc(pass::Column::Number);
        Ok(Rows::read(found.all(&self.store.db).await?, |r| (r.id, String::new()), Pass::try_from))
    }

    /// Keeps where one is in a pass; no edit, since nobody would take it back.
    pub async fn pass_place(self, job: JobId, pass: PassId, place: SelectId) -> Result<(), StoreError> {
        pass::Entity::update_many()
            .col_expr(pass::Column::Place, Expr::value(place.uuid()))
            .filter(pass::Column::JobId.eq(job.uuid()))
            .filter(pass::Column::Id.eq(pass.uuid()))
            .exec(&self.store.db)
            .await?;
        Ok(())
    }
}
