//! The journal: everything a person does, kept so that it can be taken back by whoever did it, where they did it.
//!
//! A thing is a map of *fields* that are changed independently of each other: the tier of a select, each of its tags, the
//! length of one shot. An edit is computed inside the job's lock from what is stored, and the journal keeps the fields that
//! it changed, with what they were and what they became. From that follow
//!
//! - *merging*: an edit says which revision of the thing it was made on. When another window has changed the same field
//!   since, the edit is refused; when it changed other fields, both stay;
//! - *undo and redo* ([`history`]): per person and step, field by field, never over what somebody else did since.
//!
//! Entries are never changed into others or removed by edits; the oldest of a person go once they have more than [`KEPT`]
//! in a job. The job remembers up to which revision entries were removed: an edit made on an older one is refused, because
//! nobody can say any more what has changed since.

mod history;

pub use history::{Direction, History, Replayed};

use crate::entity::{job, journal};
use crate::events::{ChangedKind, Event, notify};
use crate::sql::bound;
use crate::{Store, StoreError};
use legere_core::id::{JobId, PersonId, SessionId};
use sea_orm::prelude::{ColumnTrait, EntityTrait, Expr, QueryFilter};
use sea_orm::sea_query::LockType;
use sea_orm::{
    ActiveValue::Set, Condition, ConnectionTrait, DatabaseTransaction, DerivePartialModel, FromQueryResult, QueryOrder,
    QuerySelect, TransactionTrait,
};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::future::Future;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::OwnedMutexGuard;
use uuid::Uuid;

/// How many entries of a person are kept in a job.
const KEPT: u64 = 5000;
/// Small steps of the same thing that follow each other this closely are one to undo.
const COALESCE_WITHIN: Duration = Duration::from_secs(1);
/// How long an edit waits for the one before it in the same job.
const LONGEST_WAIT: Duration = Duration::from_secs(10);
/// How often an edit is tried that met another one in the database.
const ATTEMPTS: usize = 3;
/// From so many changed things of a kind on, windows get one notification that all of that kind may have changed.
const MANY: usize = 50;

/// A thing's revision: the journal entry that changed it last; 0 before the first.
pub type Revision = i64;

/// The fields of a thing by their names; one that is missing is `null`.
pub type Fields = BTreeMap<String, Value>;

/// The step of the work that a person is in: each has its own undo.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, strum::EnumString, strum::IntoStaticStr, strum::Display)]
#[strum(serialize_all = "lowercase")]
pub enum Step {
    /// The list of jobs.
    Start,
    /// Bringing in.
    Gather,
    /// The music.
    Listen,
    /// Choosing.
    Sift,
    /// The cut.
    Arrange,
    /// Looking at it whole.
    Watch,
    /// Files for the next person.
    Handoff,
}

/// Who edits, and where.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct By {
    /// Whose undo it is in.
    pub person: PersonId,
    /// The window.
    pub session: SessionId,
    /// The step that it is in.
    pub step: Step,
}

impl By {
    /// The program itself: in nobody's undo.
    pub const ITSELF: Self =
        Self { person: PersonId::from_u128(u128::MAX), session: SessionId::from_u128(u128::MAX), step: Step::Gather };
}

/// A kind of thing that a person can change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr)]
#[strum(serialize_all = "lowercase")]
pub enum EditTarget {
    /// A job.
    Job,
    /// An import.
    Import,
    /// A roll.
    Roll,
    /// A clip.
    Clip,
    /// A select.
    Select,
    /// A track.
    Track,
    /// A draft.
    Draft,
    /// A note.
    Note,
    /// A pass.
    Pass,
}

impl EditTarget {
    fn changed(self) -> ChangedKind {
        match self {
            Self::Job => ChangedKind::Job,
            Self::Import => ChangedKind::Import,
            Self::Roll => ChangedKind::Roll,
            Self::Clip => ChangedKind::Clip,
            Self::Select => ChangedKind::Select,
            Self::Track => ChangedKind::Track,
            Self::Draft => ChangedKind::Draft,
            Self::Note => ChangedKind::Note,
            Self::Pass => ChangedKind::Pass,
        }
    }
}

/// What follows from a change for what is kept in memory of a job.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Invalidates {
    /// Nothing that is shared.
    Nothing,
    /// The clips of the job are read again.
    Clips,
    /// The changed selects are read again.
    Selects,
}

/// A thing that a person can change, as its fields.
pub trait Editable: Sized + Clone + Send + Sync {
    /// Its kind.
    const TARGET: EditTarget;
    /// What a change of it invalidates.
    const INVALIDATES: Invalidates = Invalidates::Nothing;

    /// Its id.
    fn id(&self) -> Uuid;
    /// The job that it belongs to.
    fn job(&self) -> JobId;
    /// As it was loaded.
    fn revision(&self) -> Revision;
    /// What can be changed of it.
    fn fields(&self) -> Result<Fields, StoreError>;
    /// With some fields as they are given; refused when that makes no whole thing.
    fn apply_fields(&self, fields: &Fields) -> Result<Self, StoreError>;
    /// Reads it whether it is removed or not.
    fn read(t: &DatabaseTransaction, id: Uuid) -> impl Future<Output = Result<Self, StoreError>> + Send;
    /// Writes what differs from before.
    fn write(
        &self,
        before: &Self,
        t: &DatabaseTransaction,
        revision: Revision,
    ) -> impl Future<Output = Result<(), StoreError>> + Send;
}

/// Id, job and revision of what keeps these under their own names.
macro_rules! identified {
    () => {
        fn id(&self) -> ::uuid::Uuid {
            self.id.uuid()
        }

        fn job(&self) -> ::legere_core::id::JobId {
            self.job
        }

        fn revision(&self) -> $crate::journal::Revision {
            self.revision
        }
    };
}

/// The fields of what can only be removed and restored.
macro_rules! removable {
    () => {
        fn fields(&self) -> Result<$crate::journal::Fields, $crate::StoreError> {
            let mut fields = $crate::journal::Fields::new();
            $crate::journal::set_field(&mut fields, $crate::journal::REMOVED, &self.removed)?;
            Ok(fields)
        }

        fn apply_fields(&self, fields: &$crate::journal::Fields) -> Result<Self, $crate::StoreError> {
            let removed = $crate::journal::field_or(fields, $crate::journal::REMOVED, self.removed)?;
            Ok(Self { removed, ..self.clone() })
        }
    };
}
pub(crate) use {identified, removable};

/// The field that says whether a thing is removed; what is removed can be restored.
pub(crate) const REMOVED: &str = "removed";

/// Sets a field, unless it is nothing.
pub(crate) fn set_field(
    fields: &mut Fields,
    name: impl Into<String>,
    value: &impl serde::Serialize,
) -> Result<(), StoreError> {
    let value = serde_json::to_value(value).map_err(StoreError::broken("edit"))?;
    if !value.is_null() {
        fields.insert(name.into(), value);
    }
    Ok(())
}

/// A field of the given ones, or the thing's own value.
pub(crate) fn field_or<T: serde::de::DeserializeOwned>(fields: &Fields, name: &str, own: T) -> Result<T, StoreError> {
    match fields.get(name) {
        Some(value) => serde_json::from_value(value.clone()).map_err(StoreError::broken("edit")),
        None => Ok(own),
    }
}

/// The fields in which two differ, with the value of each.
fn differences(before: &Fields, after: &Fields) -> Vec<(String, Value, Value)> {
    let names: BTreeSet<&String> = before.keys().chain(after.keys()).collect();
    names
        .into_iter()
        .map(|name| {
            let of = |fields: &Fields| fields.get(name).cloned().unwrap_or(Value::Null);
            (name.clone(), of(before), of(after))
        })
        .filter(|(_, before, after)| before != after)
        .collect()
}

/// One changed field.
#[derive(Debug, Clone, PartialEq)]
struct Change {
    target: EditTarget,
    thing: Uuid,
    field: String,
    before: Value,
    after: Value,
}

/// The edits of this process that wait for the same job wait here, with no connection in hand.
#[derive(Debug, Clone, Default)]
pub(crate) struct JobLocks(Arc<Mutex<HashMap<JobId, Arc<tokio::sync::Mutex<()>>>>>);

impl JobLocks {
    async fn lock(&self, job: JobId) -> Result<OwnedMutexGuard<()>, StoreError> {
        let one = self.0.lock().unwrap_or_else(PoisonError::into_inner).entry(job).or_default().clone();
        tokio::time::timeout(LONGEST_WAIT, one.lock_owned()).await.map_err(|_elapsed| StoreError::Busy)
    }
}

/// An edit of a job that is under way: others wait until it is committed or dropped, and dropping it leaves no trace.
pub struct JobEdit {
    transaction: DatabaseTransaction,
    job: JobId,
    by: By,
    revision: Revision,
    changes: Vec<Change>,
    clips_changed: bool,
    selects_changed: bool,
    /// Declared last: others begin once the transaction has ended.
    _turn: OwnedMutexGuard<()>,
}

impl Store {
    /// Begins an edit of a job, once no other one is under way.
    pub async fn begin_edit(&self, job: JobId, by: By) -> Result<JobEdit, StoreError> {
        let turn = self.locks.lock(job).await?;
        let transaction = self.db.begin().await?;
        lock_job(&transaction, job).await?;
        // Taken inside the lock, so that revisions of a job rise in the order of its edits.
        let next =
            NextRevision::find_by_statement(bound("SELECT nextval('revision') AS id", [])).one(&transaction).await?;
        let revision = next.ok_or(StoreError::MovedOn)?.id;
        Ok(JobEdit {
            transaction,
            job,
            by,
            revision,
            changes: Vec::new(),
            clips_changed: false,
            selects_changed: false,
            _turn: turn,
        })
    }

    /// One change of one thing: `edit` gets it as it is stored and gives what it becomes. Gives it as it is stored then. Where
    /// another transaction is in the way, `edit` is asked again.
    pub async fn edit<A: Editable, E: From<StoreError> + AsStoreError>(
        &self,
        job: JobId,
        by: By,
        id: impl Into<Uuid> + Send,
        base: Option<Revision>,
        label: impl Into<EditLabel<'_>>,
        edit: impl Fn(A) -> Result<A, E> + Send + Sync,
    ) -> Result<A, E> {
        let (label, id) = (label.into(), id.into());
        let mut attempt = 1;
        loop {
            match self.edit_once(job, by, id, base, label, &edit).await {
                Err(error) if attempt < ATTEMPTS && error.as_store().is_some_and(|e| matches!(e, StoreError::Busy)) => {
                    attempt += 1;
                }
                done => return done,
            }
        }
    }

    async fn edit_once<A: Editable, E: From<StoreError>>(
        &self,
        job: JobId,
        by: By,
        id: Uuid,
        base: Option<Revision>,
        label: EditLabel<'_>,
        edit: impl Fn(A) -> Result<A, E> + Send + Sync,
    ) -> Result<A, E> {
        let mut under_way = self.begin_edit(job, by).await?;
        let present: A = under_way.load(id).await?;
        let next = edit(present.clone())?;
        under_way.put(&present, &next, base).await?;
        // Read again, since writing derives more from its fields.
        let stored = A::read(&under_way.transaction, next.id()).await.map_err(E::from)?;
        under_way.commit(label.label, label.coalesce_key).await?;
        Ok(stored)
    }
}

/// An error that may be one of the store.
pub trait AsStoreError {
    /// The store's own error, if it is one.
    fn as_store(&self) -> Option<&StoreError>;
}

impl AsStoreError for StoreError {
    fn as_store(&self) -> Option<&StoreError> {
        Some(self)
    }
}

/// Takes the lock of a job in a transaction, always before any other row of it: so no two transactions wait for each other.
pub(crate) async fn lock_job(transaction: &DatabaseTransaction, job: JobId) -> Result<(), StoreError> {
    let row = job::Entity::find_by_id(job.uuid()).select_only().column(job::Column::Id);
    let locked: Option<Uuid> = row.lock(LockType::NoKeyUpdate).into_tuple().one(transaction).await?;
    locked.map(drop).ok_or(StoreError::Missing { what: "job", id: job.uuid() })
}

/// What undo calls an edit, and what it is a small step of, if it is one.
#[derive(Debug, Clone, Copy)]
pub struct EditLabel<'a> {
    /// What undo calls it.
    pub label: &'a str,
    /// Small steps with one key within a second are one entry.
    pub coalesce_key: Option<&'a str>,
}

impl<'a> From<&'a str> for EditLabel<'a> {
    fn from(label: &'a str) -> Self {
        Self { label, coalesce_key: None }
    }
}

/// Whose changes count as another's.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Others {
    /// Those of every other window, also what was undone: a window shows what it has not seen yet as changed.
    Windows,
    /// Those of other persons that were not undone.
    Persons,
}

impl JobEdit {
    /// The job that it belongs to.
    pub fn job(&self) -> JobId {
        self.job
    }

    pub(crate) fn transaction(&self) -> &DatabaseTransaction {
        &self.transaction
    }

    /// Of what this edit changes.
    pub(crate) fn revision(&self) -> Revision {
        self.revision
    }

    /// A thing of this job as it is stored.
    pub async fn load<A: Editable>(&self, id: impl Into<Uuid> + Send) -> Result<A, StoreError> {
        let id = id.into();
        let thing = A::read(&self.transaction, id).await?;
        if thing.job() == self.job { Ok(thing) } else { Err(StoreError::Missing { what: A::TARGET.into(), id }) }
    }

    /// Stores a thing, which was loaded in this edit, as it is to be. `base` is the revision that the person saw; without one
    /// it is what is stored.
    pub async fn put<A: Editable>(&mut self, present: &A, next: &A, base: Option<Revision>) -> Result<(), StoreError> {
        let changed = differences(&present.fields()?, &next.fields()?);
        if changed.is_empty() {
            return Ok(());
        }
        if let Some(base) = base.filter(|base| present.revision() > *base) {
            let others = self.changed_by_others(present.id(), base, Others::Windows).await?;
            if changed.iter().any(|(field, ..)| others.contains_key(field)) {
                return Err(StoreError::MovedOn);
            }
        }
        next.write(present, &self.transaction, self.revision).await?;
        self.note_changes(present, changed);
        Ok(())
    }

    /// The same for a form that sends all fields, changed or not: a field that the person left as it was at `base` stays as
    /// others have set it since.
    pub async fn put_form<A: Editable>(
        &mut self,
        present: &A,
        asked: &A,
        base: Option<Revision>,
    ) -> Result<(), StoreError> {
        let Some(base) = base.filter(|base| present.revision() > *base) else {
            return self.put(present, asked, None).await;
        };
        let others = self.changed_by_others(present.id(), base, Others::Windows).await?;
        let mut fields = asked.fields()?;
        let own = present.fields()?;
        for (field, was) in &others {
            if fields.get(field).unwrap_or(&Value::Null) == was {
                match own.get(field) {
                    Some(value) => fields.insert(field.clone(), value.clone()),
                    None => fields.remove(field),
                };
            }
        }
        let merged = present.apply_fields(&fields)?;
        self.put(present, &merged, Some(base)).await
    }

    /// Remembers what was written of a thing.
    pub(crate) fn note_changes<A: Editable>(&mut self, present: &A, changed: Vec<(String, Value, Value)>) {
        match A::INVALIDATES {
            Invalidates::Nothing => {}
            Invalidates::Clips => self.clips_changed = true,
            Invalidates::Selects => self.selects_changed = true,
        }
        self.changes.extend(changed.into_iter().map(|(field, before, after)| Change {
            target: A::TARGET,
            thing: present.id(),
            field,
            before,
            after,
        }));
    }

    /// What differs between a thing as it was loaded and as it is to be, for writers of many at once.
    pub(crate) fn changed_fields<A: Editable>(
        present: &A,
        next: &A,
    ) -> Result<Vec<(String, Value, Value)>, StoreError> {
        Ok(differences(&present.fields()?, &next.fields()?))
    }

    /// The fields of a thing that others changed after a revision, each with the value that it had at that revision. For
    /// windows it is refused where entries that old are no longer kept; undo compares the values themselves.
    async fn changed_by_others(
        &self,
        thing: Uuid,
        since: Revision,
        which: Others,
    ) -> Result<BTreeMap<String, Value>, StoreError> {
        if which == Others::Windows {
            let floor = job::Entity::find_by_id(self.job.uuid()).select_only().column(job::Column::JournalFloor);
            let floor: Option<Revision> = floor.into_tuple().one(&self.transaction).await?;
            if since < floor.ok_or(StoreError::MovedOn)? {
                return Err(StoreError::MovedOn);
            }
        }
        let mut sql = "SELECT DISTINCT ON (c.field) c.field, c.before FROM change c JOIN journal j ON j.id = c.entry \
                       WHERE c.thing = $1 AND c.entry > $2 AND "
            .to_owned();
        let me = match which {
            Others::Windows => {
                sql += "j.session <> $3";
                self.by.session.uuid()
            }
            Others::Persons => {
                sql += "j.owner <> $3 AND j.kind <> 'undo' AND NOT EXISTS (SELECT 1 FROM journal d \
                        WHERE d.undo_group = j.undo_group AND d.kind = 'do' AND d.undone_by IS NOT NULL)";
                self.by.person.uuid()
            }
        };
        sql += " ORDER BY c.field, c.entry";
        let sql = bound(&sql, [thing.into(), since.into(), me.into()]);
        let rows = ChangedByOthers::find_by_statement(sql).all(&self.transaction).await?;
        Ok(rows.into_iter().map(|row| (row.field, row.before.unwrap_or(Value::Null))).collect())
    }

    /// Commits the edit under a name that undo calls it by. `coalesce_key` names what it is a small step of. Where nothing was
    /// changed there is nothing to undo.
    pub async fn commit(mut self, label: &str, coalesce_key: Option<&str>) -> Result<(), StoreError> {
        if self.changes.is_empty() {
            self.raise_footage().await?;
            return Ok(self.transaction.commit().await?);
        }
        let group = match coalesce_key {
            Some(key) => self.group_of(key).await?.unwrap_or(self.revision),
            None => self.revision,
        };
        let changes = std::mem::take(&mut self.changes);
        self.record(EntryKind::Do, label, group, coalesce_key, &changes).await?;
        Ok(self.transaction.commit().await?)
    }

    /// The undo group that one more small step of the same thing belongs to.
    async fn group_of(&self, key: &str) -> Result<Option<i64>, StoreError> {
        let last: Option<LastEntry> = journal::Entity::find()
            .filter(journal::Column::JobId.eq(self.job.uuid()))
            .filter(journal::Column::Session.eq(self.by.session.uuid()))
            .filter(journal::Column::Owner.eq(self.by.person.uuid()))
            .filter(journal::Column::Step.eq(<&str>::from(self.by.step)))
            .order_by_desc(journal::Column::Id)
            .into_partial_model()
            .one(&self.transaction)
            .await?;
        let same = last.filter(|last| {
            let makes = last.kind == <&str>::from(EntryKind::Do) && last.undone_by.is_none();
            makes && last.coalesce_key.as_deref() == Some(key) && last.age <= COALESCE_WITHIN.as_secs_f64()
        });
        Ok(same.map(|last| last.undo_group))
    }

    /// Writes an entry with its changes and notifies every window of the things in it.
    async fn record(
        &self,
        kind: EntryKind,
        label: &str,
        undo_group: i64,
        coalesce_key: Option<&str>,
        changes: &[Change],
    ) -> Result<(), StoreError> {
        self.raise_footage().await?;
        let entry = journal::ActiveModel {
            id: Set(self.revision),
            job_id: Set(self.job.uuid()),
            session: Set(self.by.session.uuid()),
            owner: Set(self.by.person.uuid()),
            step: Set(<&str>::from(self.by.step).to_owned()),
            kind: Set(<&str>::from(kind).to_owned()),
            label: Set(label.to_owned()),
            undo_group: Set(undo_group),
            coalesce_key: Set(coalesce_key.map(str::to_owned)),
            ..Default::default()
        };
        journal::Entity::insert(entry).exec_without_returning(&self.transaction).await?;
        let rows: Vec<Value> = changes
            .iter()
            .map(|c| {
                json!({ "target": <&str>::from(c.target), "thing": c.thing, "field": c.field, "before": c.before, "after": c.after })
            })
            .collect();
        let all = "INSERT INTO change (entry, place, target, thing, field, before, after) \
                   SELECT $1, place, c ->> 'target', (c ->> 'thing')::uuid, c ->> 'field', c -> 'before', c -> 'after' \
                   FROM jsonb_array_elements($2) WITH ORDINALITY AS list (c, place)";
        self.transaction.execute_raw(bound(all, [self.revision.into(), Value::Array(rows).into()])).await?;
        let mut changed: BTreeMap<ChangedKind, BTreeSet<Uuid>> = BTreeMap::new();
        for change in changes {
            changed.entry(change.target.changed()).or_default().insert(change.thing);
        }
        for (kind, ids) in changed {
            let event =
                |id| Event { job: self.job, kind, id, revision: Some(self.revision), session: Some(self.by.session) };
            if ids.len() >= MANY {
                notify(&self.transaction, &event(Event::ALL)).await?;
                continue;
            }
            for id in ids {
                notify(&self.transaction, &event(id)).await?;
            }
        }
        // Looking for what is too old costs more than an edit should; it is done now and then.
        if self.revision % 64 == 0 {
            self.prune().await?;
        }
        Ok(())
    }

    /// What is kept in memory of the footage is another one from now on.
    async fn raise_footage(&self) -> Result<(), StoreError> {
        if self.clips_changed {
            crate::footage_changes::clips_changed(&self.transaction, self.job).await?;
        }
        if self.selects_changed {
            crate::footage_changes::selects_changed(&self.transaction, self.job, self.revision).await?;
        }
        Ok(())
    }

    /// Removes the oldest entries of this person, and remembers up to where that was.
    async fn prune(&self) -> Result<(), StoreError> {
        let mine = || {
            Condition::all()
                .add(journal::Column::JobId.eq(self.job.uuid()))
                .add(journal::Column::Owner.eq(self.by.person.uuid()))
        };
        let oldest = journal::Entity::find().filter(mine()).order_by_desc(journal::Column::Id).offset(KEPT).limit(1);
        let oldest = oldest.select_only().column(journal::Column::Id);
        let Some(last) = oldest.into_tuple::<Revision>().one(&self.transaction).await? else { return Ok(()) };
        let too_old = journal::Entity::delete_many().filter(mine()).filter(journal::Column::Id.lte(last));
        too_old.exec(&self.transaction).await?;
        job::Entity::update_many()
            .col_expr(job::Column::JournalFloor, Expr::value(last))
            .filter(job::Column::Id.eq(self.job.uuid()))
            .filter(job::Column::JournalFloor.lt(last))
            .exec(&self.transaction)
            .await?;
        Ok(())
    }
}

#[derive(FromQueryResult)]
struct NextRevision {
    id: Revision,
}

#[derive(FromQueryResult)]
struct ChangedByOthers {
    field: String,
    before: Option<Value>,
}

/// A person's last entry in a step.
#[derive(DerivePartialModel)]
#[sea_orm(entity = "journal::Entity", from_query_result)]
struct LastEntry {
    undo_group: i64,
    coalesce_key: Option<String>,
    kind: String,
    undone_by: Option<Revision>,
    /// In seconds, by the database's clock.
    #[sea_orm(from_expr = r#"Expr::cust("extract(epoch FROM now() - at)::float8")"#)]
    age: f64,
}

/// What an entry of the journal is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::IntoStaticStr)]
#[strum(serialize_all = "lowercase")]
enum EntryKind {
    Do,
    Undo,
    Redo,
}
