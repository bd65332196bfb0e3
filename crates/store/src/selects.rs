//! Selects. They are in the table `pick`, because `select` is a word of SQL.

use crate::clips::Clip;
use crate::entity::{clip, clip_reading, pick};
use crate::error::word;
use crate::journal::{
    EditTarget, Editable, Fields, Invalidates, JobEdit, REMOVED, Revision, field_or, identified, set_field,
};
use crate::rows::Rows;
use crate::sql::bound;
use crate::tags::{tag_field, with_tags};
use crate::{Selects, StoreError};
use chrono::Utc;
use legere_core::footage::ClipReading;
use legere_core::id::{ClipId, JobId, SelectId};
use legere_core::select::{MOST_SELECTS, Movement, Range, Verdict};
use sea_orm::prelude::*;
use sea_orm::{ActiveValue::NotSet, ActiveValue::Set, DatabaseTransaction, JoinType, QueryOrder, QuerySelect};
use std::collections::{BTreeSet, HashMap};

/// A range of a clip that a person may keep.
#[derive(Debug, Clone, PartialEq)]
pub struct Select {
    /// Never changes; addresses are made of it.
    pub id: SelectId,
    /// The clip.
    pub clip: ClipId,
    /// The job that it belongs to.
    pub job: JobId,
    /// What a person says of it.
    pub verdict: Verdict,
    /// 0–100, of its range.
    pub energy: f64,
    /// Counts selects and passes in the order in which they were made.
    pub born: i64,
    /// The movement that was measured in its range.
    pub movement: Movement,
    /// Whether a person took it out.
    pub removed: bool,
    /// Rises with every change.
    pub revision: Revision,
}

impl TryFrom<pick::Model> for Select {
    type Error = StoreError;
    fn try_from(row: pick::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id.into(),
            clip: row.clip_id.into(),
            job: row.job_id.into(),
            verdict: serde_json::from_value(row.verdict).map_err(StoreError::broken("select"))?,
            born: row.born,
            energy: row.energy.unwrap_or(0.0),
            movement: row.movement.as_deref().map_or(Ok(Movement::Still), |m| word("select", m))?,
            removed: row.removed,
            revision: row.revision,
        })
    }
}

impl Editable for Select {
    const TARGET: EditTarget = EditTarget::Select;
    const INVALIDATES: Invalidates = Invalidates::Selects;

    identified!();

    fn fields(&self) -> Result<Fields, StoreError> {
        let mut fields = Fields::new();
        set_field(&mut fields, REMOVED, &self.removed)?;
        set_field(&mut fields, "tier", &self.verdict.tier)?;
        set_field(&mut fields, "range", &self.verdict.range)?;
        set_field(&mut fields, "note", &self.verdict.note)?;
        set_field(&mut fields, "label", &self.verdict.label)?;
        set_field(&mut fields, "pass", &self.verdict.pass)?;
        for tag in &self.verdict.tags {
            set_field(&mut fields, tag_field(tag), tag)?;
        }
        Ok(fields)
    }

    fn apply_fields(&self, fields: &Fields) -> Result<Self, StoreError> {
        let mut next = self.clone();
        next.removed = field_or(fields, REMOVED, self.removed)?;
        let verdict = &mut next.verdict;
        verdict.tier = field_or(fields, "tier", verdict.tier)?;
        verdict.range = field_or(fields, "range", verdict.range)?;
        verdict.note = field_or(fields, "note", verdict.note.clone())?;
        verdict.label = field_or(fields, "label", verdict.label.clone())?;
        verdict.pass = field_or(fields, "pass", verdict.pass)?;
        verdict.tags = with_tags(&verdict.tags, fields)?;
        Ok(next)
    }

    async fn read(t: &DatabaseTransaction, id: Uuid) -> Result<Self, StoreError> {
        pick::Entity::find_by_id(id).one(t).await?.ok_or(StoreError::Missing { what: "select", id })?.try_into()
    }

    async fn write(&self, before: &Self, t: &DatabaseTransaction, revision: Revision) -> Result<(), StoreError> {
        let mut row = pick::ActiveModel {
            id: Set(self.id.uuid()),
            verdict: Set(serde_json::to_value(&self.verdict).map_err(StoreError::broken("select"))?),
            removed: Set(self.removed),
            revision: Set(revision),
            ..Default::default()
        };
        if self.verdict.range != before.verdict.range
            && let Some(reading) = reading_of(t, self.clip.uuid()).await?
        {
            let (energy, movement) = measured(&reading, &self.verdict.range);
            row.energy = Set(Some(energy));
            row.movement = Set(Some(movement.word().to_owned()));
        }
        row.update(t).await?;
        Ok(())
    }
}

async fn reading_of(db: &impl ConnectionTrait, clip: Uuid) -> Result<Option<ClipReading>, StoreError> {
    let row = clip_reading::Entity::find_by_id(clip).one(db).await?;
    row.map(|r| serde_json::from_value(r.reading)).transpose().map_err(StoreError::broken("reading"))
}

/// Energy and movement of a range.
fn measured(reading: &ClipReading, range: &Range) -> (f64, Movement) {
    let (start, end) = (range.start().to_f64(), range.end().to_f64());
    (reading.energy(start, end), reading.movement(start, end))
}

/// A new select of a clip.
fn row(
    clip: &Clip,
    verdict: &Verdict,
    reading: Option<&ClipReading>,
    removed: bool,
) -> Result<pick::ActiveModel, StoreError> {
    let (energy, movement) = reading.map_or((0.0, Movement::Still), |reading| measured(reading, &verdict.range));
    Ok(pick::ActiveModel {
        id: Set(Uuid::now_v7()),
        job_id: Set(clip.job.uuid()),
        clip_id: Set(clip.id.uuid()),
        verdict: Set(serde_json::to_value(verdict).map_err(StoreError::broken("select"))?),
        energy: Set(Some(energy)),
        movement: Set(Some(movement.word().to_owned())),
        created_at: Set(Utc::now()),
        removed: Set(removed),
        revision: Set(0),
        born: NotSet,
    })
}

/// What is measured of the selects of a clip that was read, and its first select where it has none.
pub(crate) async fn first_select(
    t: &DatabaseTransaction,
    clip: &Clip,
    reading: &ClipReading,
) -> Result<(), StoreError> {
    let rows = pick::Entity::find().filter(pick::Column::ClipId.eq(clip.id.uuid())).all(t).await?;
    if rows.is_empty() {
        let Some(range) = reading.first_range() else { return Ok(()) };
        row(clip, &Verdict::unread(range), Some(reading), false)?.insert(t).await?;
    }
    for row in rows {
        let Ok(select) = Select::try_from(row) else { continue };
        measure(t, &select, reading).await?;
    }
    Ok(())
}

async fn measure(db: &impl ConnectionTrait, select: &Select, reading: &ClipReading) -> Result<(), StoreError> {
    let (energy, movement) = measured(reading, &select.verdict.range);
    pick::Entity::update_many()
        .col_expr(pick::Column::Energy, Expr::value(energy))
        .col_expr(pick::Column::Movement, Expr::value(movement.word()))
        .filter(pick::Column::Id.eq(select.id.uuid()))
        .exec(db)
        .await?;
    Ok(())
}

impl JobEdit {
    /// Many selects of this job, in the order of their ids here.
    pub async fn load_selects(&self, ids: &[SelectId]) -> Result<Vec<Select>, StoreError> {
        let rows = pick::Entity::find()
            .filter(pick::Column::JobId.eq(self.job().uuid()))
            .filter(pick::Column::Id.is_in(ids.iter().map(|id| id.uuid())))
            .all(self.transaction())
            .await?;
        let mut found: HashMap<SelectId, pick::Model> = rows.into_iter().map(|r| (r.id.into(), r)).collect();
        let one = |id: &SelectId| {
            let row = found.remove(id).ok_or(StoreError::Missing { what: "select", id: id.uuid() })?;
            Select::try_from(row)
        };
        ids.iter().map(one).collect()
    }

    /// Many clips of this job.
    pub async fn load_clips(&self, ids: &BTreeSet<ClipId>) -> Result<Vec<Clip>, StoreError> {
        let rows = clip::Entity::find()
            .filter(clip::Column::JobId.eq(self.job().uuid()))
            .filter(clip::Column::Id.is_in(ids.iter().map(|id| id.uuid())))
            .all(self.transaction())
            .await?;
        rows.into_iter().map(Clip::try_from).collect()
    }

    /// Stores many selects at once, each as it was loaded and as it is to be.
    pub async fn put_selects(&mut self, changed: &[(Select, Select)]) -> Result<(), StoreError> {
        let mut rows = Vec::new();
        for (present, next) in changed {
            if present.verdict.range != next.verdict.range {
                // What is measured of its range changes as well.
                self.put(present, next, None).await?;
                continue;
            }
            let fields = Self::changed_fields(present, next)?;
            if !fields.is_empty() {
                rows.push(serde_json::json!({ "id": next.id, "verdict": next.verdict, "removed": next.removed }));
                self.note_changes(present, fields);
            }
        }
        if rows.is_empty() {
            return Ok(());
        }
        let sql = "UPDATE pick SET verdict = changed.verdict, removed = changed.removed, revision = $2 \
                   FROM jsonb_to_recordset($1) AS changed (id uuid, verdict jsonb, removed boolean) \
                   WHERE pick.id = changed.id";
        let values = [Json::Array(rows).into(), self.revision().into()];
        self.transaction().execute_raw(bound(sql, values)).await?;
        Ok(())
    }

    /// Adds a select to a clip of this job that was read.
    pub async fn add_select(&mut self, clip: ClipId, verdict: Verdict) -> Result<Select, StoreError> {
        let of: Clip = self.load(clip).await?;
        let of_clip = pick::Entity::find().filter(pick::Column::ClipId.eq(clip.uuid()));
        let count = of_clip.filter(pick::Column::Removed.eq(false)).count(self.transaction()).await?;
        if count >= MOST_SELECTS as u64 {
            return Err(StoreError::Refused(format!("a clip has at most {MOST_SELECTS} selects")));
        }
        let reading = reading_of(self.transaction(), clip.uuid()).await?;
        // Out until the journal puts it there.
        let id = row(&of, &verdict, reading.as_ref(), true)?.insert(self.transaction()).await?.id;
        let select: Select = self.load(id).await?;
        self.put(&select, &Select { removed: false, ..select.clone() }, None).await?;
        self.load(id).await
    }
}

impl Selects<'_> {
    /// The selects of a job, without those that are out with their clip.
    pub async fn of_job(self, job: JobId) -> Result<Rows<Select>, StoreError> {
        let shown = pick::Entity::find()
            .join(
                JoinType::InnerJoin,
                pick::Entity::belongs_to(clip::Entity).from(pick::Column::ClipId).to(clip::Column::Id).into(),
            )
            .filter(pick::Column::JobId.eq(job.uuid()))
            .filter(pick::Column::Removed.eq(false))
            .filter(clip::Column::Hidden.eq(false));
        let rows = shown.order_by_asc(pick::Column::CreatedAt).all(&self.store.db).await?;
        Ok(Rows::read(rows, |r| (r.id, String::new()), Select::try_from))
    }

    /// The ranges of the other selects of a clip.
    pub async fn ranges_beside(self, clip: ClipId, select: SelectId) -> Result<Vec<Range>, StoreError> {
        let rows = pick::Entity::find()
            .filter(pick::Column::ClipId.eq(clip.uuid()))
            .filter(pick::Column::Removed.eq(false))
            .filter(pick::Column::Id.ne(select.uuid()))
            .all(&self.store.db)
            .await?;
        rows.into_iter().map(|row| Select::try_from(row).map(|s| s.verdict.range)).collect()
    }

    /// The selects that changed after a revision, also those that were removed.
    pub async fn since(self, job: JobId, revision: Revision) -> Result<Rows<Select>, StoreError> {
        let changed = pick::Entity::find()
            .filter(pick::Column::JobId.eq(job.uuid()))
            .filter(pick::Column::Revision.gt(revision))
            .order_by_asc(pick::Column::CreatedAt);
        Ok(Rows::read(changed.all(&self.store.db).await?, |r| (r.id, String::new()), Select::try_from))
    }

    /// One select.
    pub async fn get(self, id: SelectId) -> Result<Select, StoreError> {
        let row = pick::Entity::find_by_id(id.uuid()).one(&self.store.db).await?;
        row.ok_or(StoreError::Missing { what: "select", id: id.uuid() })?.try_into()
    }

    pub(crate) async fn complete(self) -> Result<(), StoreError> {
        let lacking = pick::Entity::find().filter(pick::Column::Energy.is_null()).all(&self.store.db).await?;
        for select in Rows::read(lacking, |r| (r.id, String::new()), Select::try_from).whole {
            if let Ok(Some(reading)) = reading_of(&self.store.db, select.clip.uuid()).await {
                measure(&self.store.db, &select, &reading).await?;
            }
        }
        Ok(())
    }
}
