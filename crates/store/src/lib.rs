//! PostgreSQL: what an editor gathered, decided and asked for.
//!
//! Rows never leave this crate; each aggregate has a module of its own. Every edit goes through [`journal`], which
//! keeps what was before and what came after, so all of it can be undone. Long work waits in [`queue`]; [`events`]
//! tells open pages what changed.

pub mod clips;
pub mod cluster;
pub mod drafts;
mod entity;
mod error;
pub mod events;
pub mod handoffs;
pub mod jobs;
pub mod journal;
mod migration;
pub mod queue;
pub mod testing;
pub mod tracks;

pub use error::StoreError;
pub use sea_orm::sqlx;

use sea_orm::{ConnectOptions, Database, DatabaseConnection};
use sea_orm_migration::MigratorTrait;
use std::time::Duration;

/// A connection pool to a migrated database.
#[derive(Debug, Clone)]
pub struct Store {
    db: DatabaseConnection,
}

impl Store {
    /// Connects and brings the schema up to date.
    pub async fn open(url: &str) -> Result<Self, StoreError> {
        let mut options = ConnectOptions::new(url);
        options.max_connections(16).connect_timeout(Duration::from_secs(10)).sqlx_logging(false);
        let db = Database::connect(options).await?;
        migration::Migrator::up(&db, None).await?;
        Ok(Self { db })
    }

    pub fn pool(&self) -> &sqlx::PgPool {
        self.db.get_postgres_connection_pool()
    }
}
