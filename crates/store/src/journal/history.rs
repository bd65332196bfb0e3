//! Undo and redo: the newest deed of a session in a step, part by part, unless others changed those parts since.

use super::{By, Change, Deed, EditTarget, Editable, JobEdit, Others, Parts, Revision, bound};
use crate::clips::{Clip, Import, Roll};
use crate::drafts::{KeptDraft, Note};
use crate::error::word;
use crate::jobs::Job;
use crate::passes::Pass;
use crate::selects::Select;
use crate::tracks::Track;
use crate::{Store, StoreError};
use legere_core::id::JobId;
use sea_orm::ConnectionTrait;
use serde_json::Value;
use std::collections::BTreeMap;
use uuid::Uuid;

/// Calls a generic function for the type of a target.
macro_rules! for_target {
    ($target:expr, $type:ident => $call:expr) => {
        for_target!(@ [$target, $type, $call] Job Job, Import Import, Roll Roll, Clip Clip, Select Select,
            Track Track, Draft KeptDraft, Note Note, Pass Pass)
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

/// What a session can take back and do again in a step.
#[derive(Debug, Clone, Default, PartialEq, Eq, serde::Serialize)]
pub struct History {
    /// What would be taken back.
    pub undo: Option<String>,
    /// What would be done again.
    pub redo: Option<String>,
}

/// What was taken back or done again, and what comes next.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Replayed {
    /// What was done.
    pub label: String,
    /// What comes next.
    pub next: History,
}

/// Deeds that can still be taken back, the newest first.
const TO_UNDO: &str = "SELECT chain, max(label) AS label FROM journal \
    WHERE job_id = $1 AND session = $2 AND step = $3 AND deed = 'do' AND taken_back IS NULL AND NOT passed \
    GROUP BY chain ORDER BY max(id) DESC LIMIT 1";

/// Deeds that were taken back and came after no newer deed: the one that was taken back last comes first.
const TO_REDO: &str = "SELECT chain, max(label) AS label FROM journal \
    WHERE job_id = $1 AND session = $2 AND step = $3 AND deed = 'do' AND NOT passed AND taken_back > \
        (SELECT coalesce(max(id), 0) FROM journal WHERE job_id = $1 AND session = $2 AND step = $3 AND deed = 'do') \
    GROUP BY chain ORDER BY max(taken_back) DESC LIMIT 1";

impl Store {
    /// What a session can take back and do again in a step.
    pub async fn history(&self, job: JobId, by: By) -> Result<History, StoreError> {
        Ok(History {
            undo: next(&self.db, job, by, Direction::Undo).await?.map(|(_, label)| label),
            redo: next(&self.db, job, by, Direction::Redo).await?.map(|(_, label)| label),
        })
    }

    /// Takes back or does again. What would overwrite a later change of somebody else stays as it is and is passed over:
    /// the next call takes the one before it.
    pub async fn replay(&self, job: JobId, by: By, direction: Direction) -> Result<Replayed, StoreError> {
        let mut edit = self.begin_edit(job, by).await?;
        let Some((chain, label)) = next(&edit.transaction, job, by, direction).await? else {
            return Err(match direction {
                Direction::Undo => StoreError::NothingToUndo,
                Direction::Redo => StoreError::NothingToRedo,
            });
        };
        let possible = edit.replay(chain, direction).await;
        match possible {
            Ok(()) => {
                let made = std::mem::take(&mut edit.changes);
                let deed = if direction == Direction::Undo { Deed::Undo } else { Deed::Redo };
                edit.record(deed, &label, chain, None, &made).await?;
                let taken_back = (direction == Direction::Undo).then_some(edit.revision);
                let mark = "UPDATE journal SET taken_back = $2 WHERE chain = $1 AND deed = 'do'";
                edit.transaction.execute_raw(bound(mark, [chain.into(), taken_back.into()])).await?;
                edit.transaction.commit().await?;
                Ok(Replayed { label, next: self.history(job, by).await? })
            }
            Err(StoreError::MovedOn) => {
                // What was written so far in this attempt goes with its transaction.
                drop(edit);
                let pass = "UPDATE journal SET passed = true WHERE chain = $1 AND deed = 'do'";
                self.db.execute_raw(bound(pass, [chain.into()])).await?;
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
    let values = [job.uuid().into(), by.session.uuid().into(), by.step.to_string().into()];
    match db.query_one_raw(bound(sql, values)).await? {
        Some(row) => Ok(Some((row.try_get("", "chain")?, row.try_get("", "label")?))),
        None => Ok(None),
    }
}

impl JobEdit {
    /// All changes of a chain of nudges, in the order in which they were made.
    async fn changes_of(&self, chain: i64) -> Result<Vec<Change>, StoreError> {
        let sql = "SELECT c.target, c.thing, c.part, c.before, c.after FROM change c JOIN journal j ON j.id = c.entry \
                   WHERE j.chain = $1 AND j.deed = 'do' AND j.session = $2 ORDER BY c.entry, c.place";
        let values = [chain.into(), self.by.session.uuid().into()];
        let rows = self.transaction.query_all_raw(bound(sql, values)).await?;
        rows.into_iter()
            .map(|row| {
                let target: String = row.try_get("", "target")?;
                let value = |name| -> Result<Value, StoreError> {
                    Ok(row.try_get::<Option<Value>>("", name)?.unwrap_or(Value::Null))
                };
                Ok(Change {
                    target: word("journal entry", &target)?,
                    thing: row.try_get("", "thing")?,
                    part: row.try_get("", "part")?,
                    before: value("before")?,
                    after: value("after")?,
                })
            })
            .collect()
    }

    /// When the session last did or took back a chain.
    async fn last_of(&self, chain: i64) -> Result<Revision, StoreError> {
        let sql = "SELECT max(greatest(id, taken_back)) AS since FROM journal WHERE chain = $1 AND deed = 'do'";
        let row = self.transaction.query_one_raw(bound(sql, [chain.into()])).await?;
        Ok(row.map(|r| r.try_get::<Option<i64>>("", "since")).transpose()?.flatten().unwrap_or(chain))
    }

    async fn replay(&mut self, chain: i64, direction: Direction) -> Result<(), StoreError> {
        let (changes, since) = (self.changes_of(chain).await?, self.last_of(chain).await?);
        let mut things: Vec<(EditTarget, Uuid)> = Vec::new();
        let mut parts: BTreeMap<Uuid, BTreeMap<&str, (&Value, &Value)>> = BTreeMap::new();
        for change in &changes {
            if !things.iter().any(|(_, id)| *id == change.thing) {
                things.push((change.target, change.thing));
            }
            // Several nudges of one part: from the first value to the last.
            let (before, after) = (&change.before, &change.after);
            let entry = parts.entry(change.thing).or_default().entry(&change.part).or_insert((before, after));
            entry.1 = after;
        }
        if direction == Direction::Undo {
            things.reverse();
        }
        for (target, id) in things {
            let (mut from, mut to) = (Parts::new(), Parts::new());
            for (part, (before, after)) in parts.remove(&id).unwrap_or_default() {
                let (is, becomes) = if direction == Direction::Undo { (after, before) } else { (before, after) };
                from.insert(part.to_owned(), is.clone());
                to.insert(part.to_owned(), becomes.clone());
            }
            // Also where they happen to have left the same value.
            let others = self.changed_by_others(id, since, Others::Standing).await?;
            if from.keys().any(|part| others.contains(part)) {
                return Err(StoreError::MovedOn);
            }
            for_target!(target, Thing => self.replay_one::<Thing>(id, &from, &to).await)?;
        }
        Ok(())
    }

    /// Puts the parts of one thing to other values, if all of them are what they are expected to be.
    async fn replay_one<A: Editable>(&mut self, id: Uuid, from: &Parts, to: &Parts) -> Result<(), StoreError> {
        let present = self.load::<A>(id).await?;
        let now = present.parts()?;
        if from.iter().any(|(part, value)| now.get(part).unwrap_or(&Value::Null) != value) {
            return Err(StoreError::MovedOn);
        }
        // Where the parts no longer make a whole, others have changed what they belonged to.
        let next = present.with(to).map_err(|error| match error {
            StoreError::Broken { .. } | StoreError::Refused(_) => StoreError::MovedOn,
            other => other,
        })?;
        self.put(&present, &next, None).await
    }
}
