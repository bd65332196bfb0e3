//! The journal: everything a person does, kept so that it can be taken back by whoever did it, where they did it.
//!
//! A thing is a map of *parts* that are changed independently of each other: the tier of a select, each of its tags, the
//! length of one shot. An edit is computed inside the job's lock from what is there, and the journal keeps the parts that
//! it changed, with what they were and what they became. From that follow
//!
//! - *merging*: an edit says which revision of the thing it was made on. When another session has changed the same part
//!   since, the edit is refused; when it changed other parts, both stay;
//! - *undo and redo* ([`history`]): per session and step, part by part, never over what somebody else did since.
//!
//! Entries are never changed into others or removed by edits; the oldest go once a job has more than [`KEPT`].

mod history;

pub use history::{Direction, History, Replayed};

use crate::events::{ChangedKind, Event, notify};
use crate::{Store, StoreError};
use legere_core::id::{JobId, SessionId};
use sea_orm::{ConnectionTrait, DatabaseTransaction, DbBackend, Statement, TransactionTrait, Value as Bound};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::future::Future;
use std::time::Duration;
use uuid::Uuid;

/// How many entries of a job are kept.
const KEPT: i64 = 5000;
/// Nudges of the same thing that follow each other this closely are one to undo.
const NUDGES_WITHIN: Duration = Duration::from_secs(1);

/// A thing's revision: the journal entry that changed it last; 0 before the first.
pub type Revision = i64;

/// The parts of a thing by their names; what is not there is `null`.
pub type Parts = BTreeMap<String, Value>;

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
    /// The window.
    pub session: SessionId,
    /// The step that it is in.
    pub step: Step,
}

impl By {
    /// The program itself: in nobody's undo.
    pub const ITSELF: Self = Self { session: SessionId::from_u128(u128::MAX), step: Step::Gather };
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

/// A thing that a person can change, as its parts.
pub trait Editable: Sized + Clone + Send + Sync {
    /// Its kind.
    const TARGET: EditTarget;

    /// Which one.
    fn id(&self) -> Uuid;
    /// The job that it belongs to.
    fn job(&self) -> JobId;
    /// As it was loaded.
    fn revision(&self) -> Revision;
    /// What can be changed of it, part by part.
    fn parts(&self) -> Result<Parts, StoreError>;
    /// With some parts as they are given; refused when that makes no whole thing.
    fn with(&self, parts: &Parts) -> Result<Self, StoreError>;
    /// Reads it whether it is removed or not.
    fn read(t: &DatabaseTransaction, id: Uuid) -> impl Future<Output = Result<Self, StoreError>> + Send;
    /// Writes what is other than before.
    fn write(
        &self,
        before: &Self,
        t: &DatabaseTransaction,
        revision: Revision,
    ) -> impl Future<Output = Result<(), StoreError>> + Send;
}

/// Which thing it is, of which job and revision, for what keeps these under their own names.
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

/// The parts of what can only be taken out and brought back.
macro_rules! there_or_not {
    () => {
        fn parts(&self) -> Result<$crate::journal::Parts, $crate::StoreError> {
            let mut parts = $crate::journal::Parts::new();
            $crate::journal::part(&mut parts, $crate::journal::THERE, &!self.removed)?;
            Ok(parts)
        }

        fn with(&self, parts: &$crate::journal::Parts) -> Result<Self, $crate::StoreError> {
            let there = $crate::journal::taken(parts, $crate::journal::THERE, !self.removed)?;
            Ok(Self { removed: !there, ..self.clone() })
        }
    };
}
pub(crate) use {identified, there_or_not};

/// The part that says whether a thing is there; what is removed can be brought back.
pub(crate) const THERE: &str = "there";

/// Puts a part in, unless it is nothing.
pub(crate) fn part(
    parts: &mut Parts,
    name: impl Into<String>,
    value: &impl serde::Serialize,
) -> Result<(), StoreError> {
    let value = serde_json::to_value(value).map_err(StoreError::broken("edit"))?;
    if !value.is_null() {
        parts.insert(name.into(), value);
    }
    Ok(())
}

/// A part of the given ones, or of the thing as it is.
pub(crate) fn taken<T: serde::de::DeserializeOwned>(parts: &Parts, name: &str, now: T) -> Result<T, StoreError> {
    match parts.get(name) {
        Some(value) => serde_json::from_value(value.clone()).map_err(StoreError::broken("edit")),
        None => Ok(now),
    }
}

/// The parts in which two differ, with the value of each.
fn differences(before: &Parts, after: &Parts) -> Vec<(String, Value, Value)> {
    let names: BTreeSet<&String> = before.keys().chain(after.keys()).collect();
    names
        .into_iter()
        .map(|name| {
            let of = |parts: &Parts| parts.get(name).cloned().unwrap_or(Value::Null);
            (name.clone(), of(before), of(after))
        })
        .filter(|(_, before, after)| before != after)
        .collect()
}

/// One changed part.
#[derive(Debug, Clone, PartialEq)]
struct Change {
    target: EditTarget,
    thing: Uuid,
    part: String,
    before: Value,
    after: Value,
}

/// An edit of a job that is under way: others wait until it is committed or dropped, and dropping it leaves no trace.
pub struct JobEdit {
    transaction: DatabaseTransaction,
    job: JobId,
    by: By,
    revision: Revision,
    changes: Vec<Change>,
}

impl Store {
    /// Begins an edit of a job, once no other one is under way.
    pub async fn begin_edit(&self, job: JobId, by: By) -> Result<JobEdit, StoreError> {
        let transaction = self.db.begin().await?;
        let locked = bound("SELECT 1 AS one FROM job WHERE id = $1 FOR NO KEY UPDATE", [job.uuid().into()]);
        if transaction.query_one_raw(locked).await?.is_none() {
            return Err(StoreError::Missing { what: "job", id: job.uuid() });
        }
        // Taken inside the lock, so that revisions of a job rise in the order of its edits.
        let next = transaction.query_one_raw(bound("SELECT nextval('revision') AS id", [])).await?;
        let revision = next.ok_or(StoreError::MovedOn)?.try_get("", "id")?;
        Ok(JobEdit { transaction, job, by, revision, changes: Vec::new() })
    }

    /// One change of one thing: `edit` gets it as it is and says what becomes of it. Gives it as it is kept.
    pub async fn edit<A: Editable, E: From<StoreError>>(
        &self,
        job: JobId,
        by: By,
        id: impl Into<Uuid> + Send,
        base: Option<Revision>,
        deed: impl Into<Named<'_>>,
        edit: impl FnOnce(A) -> Result<A, E> + Send,
    ) -> Result<A, E> {
        let deed = deed.into();
        let mut under_way = self.begin_edit(job, by).await?;
        let present: A = under_way.load(id).await?;
        let next = edit(present.clone())?;
        under_way.put(&present, &next, base).await?;
        // Read again, since writing tells what follows from its parts as well.
        let kept = A::read(&under_way.transaction, next.id()).await.map_err(E::from)?;
        under_way.commit(deed.label, deed.nudge).await?;
        Ok(kept)
    }
}

/// What undo calls an edit, and what it is a small step of, if it is one.
#[derive(Debug, Clone, Copy)]
pub struct Named<'a> {
    /// What undo calls it.
    pub label: &'a str,
    /// Small steps of one kind within a second are one entry.
    pub nudge: Option<&'a str>,
}

impl<'a> From<&'a str> for Named<'a> {
    fn from(label: &'a str) -> Self {
        Self { label, nudge: None }
    }
}

/// Which changes of others count.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Others {
    /// All, what was taken back too.
    Any,
    /// Those that have not been taken back.
    Standing,
}

impl JobEdit {
    /// The job that it belongs to.
    pub fn job(&self) -> JobId {
        self.job
    }

    pub(crate) fn transaction(&self) -> &DatabaseTransaction {
        &self.transaction
    }

    /// A thing of this job as it is now.
    pub async fn load<A: Editable>(&self, id: impl Into<Uuid> + Send) -> Result<A, StoreError> {
        let id = id.into();
        let thing = A::read(&self.transaction, id).await?;
        if thing.job() == self.job { Ok(thing) } else { Err(StoreError::Missing { what: A::TARGET.into(), id }) }
    }

    /// Keeps a thing, which was loaded in this edit, as it is to be. `base` is the revision that the person saw; without one
    /// it is what is there.
    pub async fn put<A: Editable>(&mut self, present: &A, next: &A, base: Option<Revision>) -> Result<(), StoreError> {
        let changed = differences(&present.parts()?, &next.parts()?);
        if changed.is_empty() {
            return Ok(());
        }
        if let Some(base) = base.filter(|base| present.revision() > *base) {
            let others = self.changed_by_others(present.id(), base, Others::Any).await?;
            if changed.iter().any(|(part, ..)| others.contains(part)) {
                return Err(StoreError::MovedOn);
            }
        }
        next.write(present, &self.transaction, self.revision).await?;
        self.changes.extend(changed.into_iter().map(|(part, before, after)| Change {
            target: A::TARGET,
            thing: present.id(),
            part,
            before,
            after,
        }));
        Ok(())
    }

    /// The parts of a thing that other sessions changed after a revision.
    async fn changed_by_others(
        &self,
        thing: Uuid,
        since: Revision,
        which: Others,
    ) -> Result<BTreeSet<String>, StoreError> {
        let mut sql = "SELECT DISTINCT c.part FROM change c JOIN journal j ON j.id = c.entry \
                       WHERE c.thing = $1 AND c.entry > $2 AND j.session <> $3"
            .to_owned();
        if which == Others::Standing {
            sql += " AND j.deed <> 'undo' AND NOT EXISTS (SELECT 1 FROM journal d \
                    WHERE d.chain = j.chain AND d.deed = 'do' AND d.taken_back IS NOT NULL)";
        }
        let values = [thing.into(), since.into(), self.by.session.uuid().into()];
        let rows = self.transaction.query_all_raw(bound(&sql, values)).await?;
        rows.into_iter().map(|row| Ok(row.try_get("", "part")?)).collect()
    }

    /// Keeps the edit under a name that undo calls it by. `nudge` names what it is a small step of. Where nothing was
    /// changed there is nothing to take back.
    pub async fn commit(mut self, label: &str, nudge: Option<&str>) -> Result<(), StoreError> {
        if self.changes.is_empty() {
            return Ok(self.transaction.commit().await?);
        }
        let chain = match nudge {
            Some(nudge) => self.chain_of(nudge).await?.unwrap_or(self.revision),
            None => self.revision,
        };
        let changes = std::mem::take(&mut self.changes);
        self.record(Deed::Do, label, chain, nudge, &changes).await?;
        Ok(self.transaction.commit().await?)
    }

    /// The chain of nudges that one more of the same belongs to.
    async fn chain_of(&self, nudge: &str) -> Result<Option<i64>, StoreError> {
        let row = self
            .transaction
            .query_one_raw(bound(
                "SELECT chain, nudge, deed, taken_back, at > now() - make_interval(secs => $4) AS close FROM journal \
                 WHERE job_id = $1 AND session = $2 AND step = $3 ORDER BY id DESC LIMIT 1",
                [
                    self.job.uuid().into(),
                    self.by.session.uuid().into(),
                    self.by.step.to_string().into(),
                    NUDGES_WITHIN.as_secs_f64().into(),
                ],
            ))
            .await?;
        let Some(row) = row else { return Ok(None) };
        let last: Option<String> = row.try_get("", "nudge")?;
        let deed: String = row.try_get("", "deed")?;
        let taken_back: Option<i64> = row.try_get("", "taken_back")?;
        let close: bool = row.try_get("", "close")?;
        let same = last.as_deref() == Some(nudge) && deed == <&str>::from(Deed::Do) && taken_back.is_none() && close;
        Ok(if same { Some(row.try_get("", "chain")?) } else { None })
    }

    /// Writes an entry with its changes and tells every window of the things in it.
    async fn record(
        &self,
        deed: Deed,
        label: &str,
        chain: i64,
        nudge: Option<&str>,
        changes: &[Change],
    ) -> Result<(), StoreError> {
        self.transaction
            .execute_raw(bound(
                "INSERT INTO journal (id, job_id, session, step, deed, label, chain, nudge) \
                 VALUES ($1, $2, $3, $4, $5, $6, $7, $8)",
                [
                    self.revision.into(),
                    self.job.uuid().into(),
                    self.by.session.uuid().into(),
                    self.by.step.to_string().into(),
                    <&str>::from(deed).into(),
                    label.into(),
                    chain.into(),
                    nudge.map(str::to_owned).into(),
                ],
            ))
            .await?;
        let rows: Vec<Value> = changes
            .iter()
            .map(|c| {
                json!({ "target": <&str>::from(c.target), "thing": c.thing, "part": c.part, "before": c.before, "after": c.after })
            })
            .collect();
        let all = "INSERT INTO change (entry, place, target, thing, part, before, after) \
                   SELECT $1, place, c ->> 'target', (c ->> 'thing')::uuid, c ->> 'part', c -> 'before', c -> 'after' \
                   FROM jsonb_array_elements($2) WITH ORDINALITY AS list (c, place)";
        self.transaction.execute_raw(bound(all, [self.revision.into(), Value::Array(rows).into()])).await?;
        let told: BTreeMap<Uuid, EditTarget> = changes.iter().map(|c| (c.thing, c.target)).collect();
        for (id, target) in told {
            let event = Event {
                job: self.job,
                kind: target.changed(),
                id,
                revision: Some(self.revision),
                session: Some(self.by.session),
            };
            notify(&self.transaction, &event).await?;
        }
        // Looking for what is too old costs more than an edit should; it is done now and then.
        if self.revision % 64 == 0 {
            let prune = "DELETE FROM journal WHERE job_id = $1 AND id <= \
                         (SELECT id FROM journal WHERE job_id = $1 ORDER BY id DESC OFFSET $2 LIMIT 1)";
            self.transaction.execute_raw(bound(prune, [self.job.uuid().into(), KEPT.into()])).await?;
        }
        Ok(())
    }
}

/// What an entry did.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::IntoStaticStr)]
#[strum(serialize_all = "lowercase")]
enum Deed {
    Do,
    Undo,
    Redo,
}

fn bound<const N: usize>(sql: &str, values: [Bound; N]) -> Statement {
    Statement::from_sql_and_values(DbBackend::Postgres, sql, values)
}
