//! Undo and redo: the newest edit of a person in a step, field by field, unless others changed those fields since.

use super::{By, Change, EditTarget, Editable, EntryKind, Fields, JobEdit, Others, Revision};
use crate::clips::{Clip, Import, Roll};
use crate::drafts::{Note, StoredDraft};
use crate::entity::journal;
use crate::error::word;
use crate::jobs::Job;
use crate::passes::Pass;
use crate::selects::Select;
use crate::sql::bound;
use crate::tracks::Track;
use crate::{Store, StoreError};
use legere_core::id::JobId;
use sea_orm::prelude::{ColumnTrait, EntityTrait, Expr, QueryFilter};
use sea_orm::sea_query::ExprTrait;
use sea_orm::{ConnectionTrait, DerivePartialModel, FromQueryResult};
use serde_json::Value;
use std::collections::BTreeMap;
use uuid::Uuid;

/// Calls a generic function for the type of a target.
macro_rules! for_target {
    ($target:expr, $type:ident => $call:expr) => {
        for_target!(@ [$target, $type, $call] Job Job, Import Import, Roll Roll, Clip Clip, Select Select,
            Track Track, Draft StoredDraft, Note Note, Pass Pass)
    };
    (@ [$target:expr, $type:ident, $call:expr] $($name:ident $thing:ident),*) => {
        match $target {
            $(EditTarget::$name => { type $type = $thing; $call })*
        }
    };
}

/// Back, or on again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Direction {
    /// Back.
    Undo,
    /// On again.
    Redo,
}

/// What a person can undo and redo in a step.
#[derive(Debug, Clone, Default, PartialEq, Eq, serde::Serialize)]
pub struct History {
    /// What would be undone.
    pub undo: Option<String>,
    /// What would be redone.
    pub redo: Option<String>,
}

/// What was undone or redone, and what comes next.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Replayed {
    /// What undo calls it.
    pub label: String,
    /// What comes next.
    pub next: History,
    /// Whether clips or tracks may wait for a reading now, or no longer do.
    #[serde(skip)]
    pub reading_changed: bool,
}

/// Edits that can still be undone, the newest first.
const TO_UNDO: &str = "SELECT undo_group, max(label) AS label FROM journal \
    WHERE job_id = $1 AND owner = $2 AND step = $3 AND kind = 'do' AND undone_by IS NULL AND NOT passed \
    GROUP BY undo_group ORDER BY max(id) DESC LIMIT 1";

/// Edits that were undone and followed by no newer edit: the one that was undone last comes first.
const TO_REDO: &str = "SELECT undo_group, max(label) AS label FROM journal \
    WHERE job_id = $1 AND owner = $2 AND step = $3 AND kind = 'do' AND NOT passed AND undone_by > \
        (SELECT coalesce(max(id), 0) FROM journal WHERE job_id = $1 AND owner = $2 AND step = $3 AND kind = 'do') \
    GROUP BY undo_group ORDER BY max(undone_by) DESC LIMIT 1";

impl Store {
    /// What a person can undo and redo in a step.
    pub async fn history(&self, job: JobId, by: By) -> Result<History, StoreError> {
        Ok(History {
            undo: next(&self.db, job, by, Direction::Undo).await?.map(|(_, label)| label),
            redo: next(&self.db, job, by, Direction::Redo).await?.map(|(_, label)| label),
        })
    }

    /// Undoes or redoes. What would overwrite a later change of somebody else stays as it is and is passed over:
    /// the next call takes the one before it.
    pub async fn replay(&self, job: JobId, by: By, direction: Direction) -> Result<Replayed, StoreError> {
        let mut edit = self.begin_edit(job, by).await?;
        let Some((group, label)) = next(&edit.transaction, job, by, direction).await? else {
            return Err(match direction {
                Direction::Undo => StoreError::NothingToUndo,
                Direction::Redo => StoreError::NothingToRedo,
            });
        };
        let possible = edit.replay(group, direction).await;
        match possible {
            Ok(()) => {
                let changes = std::mem::take(&mut edit.changes);
                let kind = if direction == Direction::Undo { EntryKind::Undo } else { EntryKind::Redo };
                edit.record(kind, &label, group, None, &changes).await?;
                let undone_by = (direction == Direction::Undo).then_some(edit.revision);
                let mark = journal::Entity::update_many().col_expr(journal::Column::UndoneBy, Expr::value(undone_by));
                mark.filter(edits_of(group)).exec(&edit.transaction).await?;
                edit.transaction.commit().await?;
                let reads =
                    [EditTarget::Job, EditTarget::Import, EditTarget::Roll, EditTarget::Clip, EditTarget::Track];
                let reading_changed = changes.iter().any(|c| reads.contains(&c.target));
                Ok(Replayed { label, next: self.history(job, by).await?, reading_changed })
            }
            Err(StoreError::MovedOn) => {
                // What was written so far in this attempt goes with its transaction.
                drop(edit);
                let pass = journal::Entity::update_many().col_expr(journal::Column::Passed, Expr::value(true));
                pass.filter(edits_of(group)).exec(&self.db).await?;
                let history = self.history(job, by).await?;
                let next = if direction == Direction::Undo { history.undo } else { history.redo };
                Err(StoreError::Overtaken { label, next })
            }
            Err(other) => Err(other),
        }
    }
}

async fn next(
    db: &impl ConnectionTrait,
    job: JobId,
    by: By,
    direction: Direction,
) -> Result<Option<(i64, String)>, StoreError> {
    let sql = if direction == Direction::Undo { TO_UNDO } else { TO_REDO };
    let values = [job.uuid().into(), by.person.uuid().into(), by.step.to_string().into()];
    let next = NextEntry::find_by_statement(bound(sql, values)).one(db).await?;
    Ok(next.map(|next| (next.undo_group, next.label)))
}

/// The entries of an undo group that made something, not those that undid or redid it.
fn edits_of(group: i64) -> Expr {
    journal::Column::UndoGroup.eq(group).and(journal::Column::Kind.eq(<&str>::from(EntryKind::Do)))
}

#[derive(FromQueryResult)]
struct NextEntry {
    undo_group: i64,
    label: String,
}

#[derive(DerivePartialModel)]
#[sea_orm(entity = "journal::Entity", from_query_result)]
struct LastChange {
    #[sea_orm(from_expr = r#"Expr::cust("max(greatest(id, undone_by))")"#)]
    since: Option<Revision>,
}

#[derive(FromQueryResult)]
struct ChangeRow {
    target: String,
    thing: Uuid,
    field: String,
    before: Option<Value>,
    after: Option<Value>,
}

impl TryFrom<ChangeRow> for Change {
    type Error = StoreError;
    fn try_from(row: ChangeRow) -> Result<Self, StoreError> {
        Ok(Self {
            target: word("journal entry", &row.target)?,
            thing: row.thing,
            field: row.field,
            before: row.before.unwrap_or(Value::Null),
            after: row.after.unwrap_or(Value::Null),
        })
    }
}

impl JobEdit {
    /// All changes of an undo group, in the order in which they were made.
    async fn changes_of(&self, group: i64) -> Result<Vec<Change>, StoreError> {
        let sql = "SELECT c.target, c.thing, c.field, c.before, c.after FROM change c JOIN journal j ON j.id = c.entry \
                   WHERE j.undo_group = $1 AND j.kind = 'do' AND j.owner = $2 ORDER BY c.entry, c.place";
        let values = [group.into(), self.by.person.uuid().into()];
        let rows = ChangeRow::find_by_statement(bound(sql, values)).all(&self.transaction).await?;
        rows.into_iter().map(Change::try_from).collect()
    }

    /// When the person last made or undid the edits of a group.
    async fn last_of(&self, group: i64) -> Result<Revision, StoreError> {
        let last = journal::Entity::find().filter(edits_of(group)).into_partial_model::<LastChange>();
        Ok(last.one(&self.transaction).await?.and_then(|last| last.since).unwrap_or(group))
    }

    async fn replay(&mut self, group: i64, direction: Direction) -> Result<(), StoreError> {
        let (changes, since) = (self.changes_of(group).await?, self.last_of(group).await?);
        let mut things: Vec<(EditTarget, Uuid)> = Vec::new();
        let mut fields: BTreeMap<Uuid, BTreeMap<&str, (&Value, &Value)>> = BTreeMap::new();
        for change in &changes {
            if !things.iter().any(|(_, id)| *id == change.thing) {
                things.push((change.target, change.thing));
            }
            // Several small steps of one field: from the first value to the last.
            let (before, after) = (&change.before, &change.after);
            let entry = fields.entry(change.thing).or_default().entry(&change.field).or_insert((before, after));
            entry.1 = after;
        }
        if direction == Direction::Undo {
            things.reverse();
        }
        for (target, id) in things {
            let (mut from, mut to) = (Fields::new(), Fields::new());
            for (field, (before, after)) in fields.remove(&id).unwrap_or_default() {
                let (is, becomes) = if direction == Direction::Undo { (after, before) } else { (before, after) };
                from.insert(field.to_owned(), is.clone());
                to.insert(field.to_owned(), becomes.clone());
            }
            // Also where they happen to have left the same value.
            let others = self.changed_by_others(id, since, Others::Persons).await?;
            if from.keys().any(|field| others.contains_key(field)) {
                return Err(StoreError::MovedOn);
            }
            for_target!(target, Thing => self.replay_one::<Thing>(id, &from, &to).await)?;
        }
        Ok(())
    }

    /// Sets the fields of one thing to other values, if all of them are what they are expected to be.
    async fn replay_one<A: Editable>(&mut self, id: Uuid, from: &Fields, to: &Fields) -> Result<(), StoreError> {
        let present = self.load::<A>(id).await?;
        let now = present.fields()?;
        if from.iter().any(|(field, value)| now.get(field).unwrap_or(&Value::Null) != value) {
            return Err(StoreError::MovedOn);
        }
        // Where the fields no longer make a whole, others have changed what they belonged to.
        let next = present.apply_fields(to).map_err(|error| match error {
            StoreError::Broken { .. } | StoreError::Refused(_) => StoreError::MovedOn,
            other => other,
        })?;
        self.put(&present, &next, None).await
    }
}
