//! What changed, for open windows: PostgreSQL's own notifications, so that other processes on the same database are heard
//! too. A notification that belongs to an edit is sent by its transaction: who hears it finds the edit there.

use crate::sql::bound;
use crate::{Store, StoreError};
use legere_core::id::{JobId, SessionId};
use sea_orm::ConnectionTrait;
use sea_orm::sqlx::postgres::PgListener;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

const CHANNEL: &str = "legere";

/// Something of a job changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Event {
    /// The job in which it changed.
    pub job: JobId,
    /// What kind of thing.
    pub kind: ChangedKind,
    /// Which one.
    pub id: Uuid,
    /// Of the thing, after the change; none where a person cannot change it.
    pub revision: Option<i64>,
    /// Whose edit it was; none where nobody's.
    pub session: Option<SessionId>,
}

/// What can change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, strum::Display)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
pub enum ChangedKind {
    /// Its name or its music.
    Job,
    /// Files came, went or came back.
    Import,
    /// A roll went or came back.
    Roll,
    /// A clip was read, went or came back.
    Clip,
    /// What was said of a select.
    Select,
    /// A track, its marks or how it is used.
    Track,
    /// A draft.
    Draft,
    /// A note.
    Note,
    /// A pass through the selects.
    Pass,
    /// A hand-off.
    Handoff,
}

impl Event {
    /// In the place of an id: all things of the kind may have changed.
    pub const ALL: Uuid = Uuid::nil();

    /// Of what no person's edit changed: a reading, a file.
    pub(crate) fn of(job: JobId, kind: ChangedKind, id: impl Into<Uuid>) -> Self {
        Self { job, kind, id: id.into(), revision: None, session: None }
    }
}

/// Sends a notification over a connection; within a transaction it arrives when that is committed.
pub(crate) async fn notify(db: &impl ConnectionTrait, event: &Event) -> Result<(), StoreError> {
    let text = serde_json::to_string(event).map_err(StoreError::broken("event"))?;
    db.query_one_raw(bound("SELECT pg_notify($1, $2)", [CHANNEL.into(), text.into()])).await?;
    Ok(())
}

impl Store {
    pub(crate) async fn notify(&self, job: JobId, kind: ChangedKind, id: impl Into<Uuid>) -> Result<(), StoreError> {
        notify(&self.db, &Event::of(job, kind, id)).await
    }

    /// Hands every event to `each`, until the connection is lost. `began` is called once nothing is missed any more.
    pub async fn listen(&self, began: impl FnOnce(), mut each: impl FnMut(Event)) -> Result<(), StoreError> {
        let mut listener = PgListener::connect_with(self.pool()).await?;
        listener.listen(CHANNEL).await?;
        began();
        while let Some(notification) = listener.try_recv().await? {
            if let Ok(event) = serde_json::from_str(notification.payload()) {
                each(event);
            }
        }
        Ok(())
    }
}
