//! What changed, for open pages: PostgreSQL's own notifications, so that workers on other machines are heard too.

use crate::{Store, StoreError};
use sea_orm::sqlx::postgres::PgListener;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

const CHANNEL: &str = "legere";

/// Something of a job changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Event {
    pub job: Uuid,
    pub what: What,
    pub id: Uuid,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum What {
    Clip,
    Track,
    Handoff,
}

impl Store {
    pub async fn tell(&self, job: Uuid, what: What, id: Uuid) -> Result<(), StoreError> {
        let text = serde_json::to_string(&Event { job, what, id }).map_err(StoreError::broken("event"))?;
        sea_orm::sqlx::query("SELECT pg_notify($1, $2)").bind(CHANNEL).bind(text).execute(self.pool()).await?;
        Ok(())
    }

    /// Hands every event to `each`, until the connection is lost for good.
    pub async fn listen(&self, mut each: impl FnMut(Event)) -> Result<(), StoreError> {
        let mut listener = PgListener::connect_with(self.pool()).await?;
        listener.listen(CHANNEL).await?;
        loop {
            let notification = listener.recv().await?;
            if let Ok(event) = serde_json::from_str(notification.payload()) {
                each(event);
            }
        }
    }
}
