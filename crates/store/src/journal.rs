//! The journal: each edit with what was before it, so that all can be undone, also after a restart.
//!
//! An edit is a list of things with their new values. What they were is read in the same transaction. Undo puts the
//! old values back, redo the new ones; both refuse when a thing is not as the journal left it.

use crate::drafts::{DraftBody, Note};
use crate::entity::{draft, job, journal, note, pick, track};
use crate::tracks::About;
use crate::{Store, StoreError};
use legere_core::select::Verdict;
use legere_core::track::Version;
use legere_core::track::marks::Marks;
use sea_orm::prelude::*;
use sea_orm::sea_query::LockType;
use sea_orm::{ActiveValue::Set, DatabaseTransaction, QueryOrder, QuerySelect, TransactionTrait};
use serde::{Deserialize, Serialize, de::DeserializeOwned};
use serde_json::Value;

/// What an edit can change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
enum Thing {
    Select,
    Part,
    Marks,
    About,
    Chosen,
    Draft,
    Note,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Change {
    thing: Thing,
    id: Uuid,
    before: Value,
    after: Value,
}

/// A thing with its new value.
#[derive(Debug, Clone, PartialEq)]
pub enum Put {
    Select(Uuid, Verdict),
    Part(Uuid, Version),
    Marks(Uuid, Marks),
    About(Uuid, About),
    Chosen(Uuid),
    Draft(Uuid, DraftBody),
    /// A new or changed note.
    Note(Note),
    NoNote(Uuid),
}

impl Put {
    fn parts(&self, job: Uuid) -> Result<(Thing, Uuid, Value), StoreError> {
        let json = |v: Result<Value, serde_json::Error>| v.map_err(StoreError::broken("edit"));
        Ok(match self {
            Self::Select(id, v) => (Thing::Select, *id, json(serde_json::to_value(v))?),
            Self::Part(id, v) => (Thing::Part, *id, json(serde_json::to_value(v))?),
            // Nothing set is nothing kept.
            Self::Marks(id, v) if v.is_empty() => (Thing::Marks, *id, Value::Null),
            Self::Marks(id, v) => (Thing::Marks, *id, json(serde_json::to_value(v))?),
            Self::About(id, v) => (Thing::About, *id, json(serde_json::to_value(v))?),
            Self::Chosen(track) => (Thing::Chosen, job, json(serde_json::to_value(track))?),
            Self::Draft(id, v) => (Thing::Draft, *id, json(serde_json::to_value(v))?),
            Self::Note(n) => (Thing::Note, n.id, json(serde_json::to_value(n))?),
            Self::NoNote(id) => (Thing::Note, *id, Value::Null),
        })
    }
}

impl Store {
    /// Makes an edit. What was undone before can no longer be redone.
    pub async fn edit(&self, job: Uuid, label: &str, sets: &[Put]) -> Result<(), StoreError> {
        let transaction = self.db.begin().await?;
        lock(&transaction, job).await?;
        let mut changes = Vec::with_capacity(sets.len());
        for set in sets {
            let (thing, id, after) = set.parts(job)?;
            let before = get(&transaction, thing, id).await?;
            if before != after {
                put(&transaction, thing, id, &after).await?;
                changes.push(Change { thing, id, before, after });
            }
        }
        if !changes.is_empty() {
            journal::Entity::delete_many()
                .filter(journal::Column::JobId.eq(job))
                .filter(journal::Column::Undone.eq(true))
                .exec(&transaction)
                .await?;
            journal::ActiveModel {
                job_id: Set(job),
                label: Set(label.to_owned()),
                changes: Set(serde_json::to_value(&changes).map_err(StoreError::broken("edit"))?),
                undone: Set(false),
                at: Set(chrono::Utc::now()),
                ..Default::default()
            }
            .insert(&transaction)
            .await?;
        }
        transaction.commit().await?;
        Ok(())
    }

    /// Takes the last edit back; gives its label.
    pub async fn undo(&self, job: Uuid) -> Result<String, StoreError> {
        self.turn(job, false).await
    }

    /// Makes the edit that was undone last again; gives its label.
    pub async fn redo(&self, job: Uuid) -> Result<String, StoreError> {
        self.turn(job, true).await
    }

    async fn turn(&self, job: Uuid, forward: bool) -> Result<String, StoreError> {
        let transaction = self.db.begin().await?;
        lock(&transaction, job).await?;
        let found =
            journal::Entity::find().filter(journal::Column::JobId.eq(job)).filter(journal::Column::Undone.eq(forward));
        let found =
            if forward { found.order_by_asc(journal::Column::Id) } else { found.order_by_desc(journal::Column::Id) };
        let Some(entry) = found.one(&transaction).await? else {
            return Err(if forward { StoreError::NothingToRedo } else { StoreError::NothingToUndo });
        };
        let mut changes: Vec<Change> =
            serde_json::from_value(entry.changes.clone()).map_err(StoreError::broken("edit"))?;
        if !forward {
            changes.reverse();
        }
        for change in &changes {
            let (from, to) = if forward { (&change.before, &change.after) } else { (&change.after, &change.before) };
            if get(&transaction, change.thing, change.id).await? != *from {
                return Err(StoreError::Conflict);
            }
            put(&transaction, change.thing, change.id, to).await?;
        }
        let label = entry.label.clone();
        let mut entry: journal::ActiveModel = entry.into();
        entry.undone = Set(!forward);
        entry.update(&transaction).await?;
        transaction.commit().await?;
        Ok(label)
    }
}

/// Edits of a job come one after the other.
async fn lock(t: &DatabaseTransaction, id: Uuid) -> Result<(), StoreError> {
    let row = job::Entity::find_by_id(id).lock(LockType::Update).one(t).await?;
    row.map(drop).ok_or(StoreError::Missing { what: "job", id })
}

async fn get(t: &DatabaseTransaction, thing: Thing, id: Uuid) -> Result<Value, StoreError> {
    Ok(match thing {
        Thing::Select => {
            pick::Entity::find_by_id(id).one(t).await?.ok_or(StoreError::Missing { what: "select", id })?.verdict
        }
        Thing::Part | Thing::Marks | Thing::About => {
            let row = track::Entity::find_by_id(id).one(t).await?.ok_or(StoreError::Missing { what: "track", id })?;
            let kept = match thing {
                Thing::Part => row.part,
                Thing::Marks => row.marks,
                _ => row.about,
            };
            kept.unwrap_or(Value::Null)
        }
        Thing::Chosen => {
            let row = job::Entity::find_by_id(id).one(t).await?.ok_or(StoreError::Missing { what: "job", id })?;
            row.chosen_track.map_or(Value::Null, |t| Value::String(t.to_string()))
        }
        Thing::Draft => {
            draft::Entity::find_by_id(id).one(t).await?.ok_or(StoreError::Missing { what: "draft", id })?.body
        }
        Thing::Note => match note::Entity::find_by_id(id).one(t).await? {
            Some(n) => serde_json::to_value(Note { id: n.id, draft: n.draft_id, frame: n.frame, words: n.words })
                .map_err(StoreError::broken("note"))?,
            None => Value::Null,
        },
    })
}

async fn put(t: &DatabaseTransaction, thing: Thing, id: Uuid, value: &Value) -> Result<(), StoreError> {
    match thing {
        Thing::Select => {
            checked::<Verdict>(value, "select")?;
            pick::ActiveModel { id: Set(id), verdict: Set(value.clone()), ..Default::default() }.update(t).await?;
        }
        Thing::Part | Thing::Marks | Thing::About => {
            let kept = Set((!value.is_null()).then(|| value.clone()));
            let mut row = track::ActiveModel { id: Set(id), ..Default::default() };
            match thing {
                Thing::Part => row.part = kept,
                Thing::Marks => row.marks = kept,
                _ => row.about = kept,
            }
            row.update(t).await?;
        }
        Thing::Chosen => {
            let chosen = checked::<Option<Uuid>>(value, "track")?;
            job::ActiveModel { id: Set(id), chosen_track: Set(chosen), ..Default::default() }.update(t).await?;
        }
        Thing::Draft => {
            checked::<DraftBody>(value, "draft")?;
            draft::ActiveModel { id: Set(id), body: Set(value.clone()), ..Default::default() }.update(t).await?;
        }
        Thing::Note => {
            note::Entity::delete_by_id(id).exec(t).await?;
            if let Some(n) = checked::<Option<Note>>(value, "note")? {
                note::ActiveModel { id: Set(n.id), draft_id: Set(n.draft), frame: Set(n.frame), words: Set(n.words) }
                    .insert(t)
                    .await?;
            }
        }
    }
    Ok(())
}

fn checked<T: DeserializeOwned>(value: &Value, what: &'static str) -> Result<T, StoreError> {
    serde_json::from_value(value.clone()).map_err(StoreError::broken(what))
}
