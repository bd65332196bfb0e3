//! PostgreSQL: what an editor gathered, decided and asked for.
//!
//! Rows never leave this crate; each aggregate has a module of its own. Whatever a person does goes through the
//! [`journal`], which computes it inside the job's lock, merges what is independent and can take it back. Long work waits
//! in [`queue`]; [`events`] tells open windows what changed.

#![warn(missing_docs)]

pub mod clips;
pub mod cluster;
pub mod drafts;
mod entity;
mod error;
pub mod events;
pub mod handoffs;
pub mod jobs;
pub mod journal;
mod kind;
mod migration;
pub mod overview;
pub mod passes;
pub mod queue;
mod readings;
pub mod rolls;
mod roots;
pub mod rows;
pub mod selects;
#[cfg(feature = "testing")]
pub mod testing;
pub mod tracks;

pub use error::StoreError;
pub use sea_orm::sqlx;

use sea_orm::sqlx::Connection;
use sea_orm::{ConnectOptions, Database, DatabaseConnection};
use sea_orm_migration::MigratorTrait;
use std::time::Duration;

/// The advisory lock under which the schema is changed: two programs that start at once do it one after the other.
const MIGRATING: i64 = 0x006c_6567_6572_6500;

/// A connection pool to a migrated database.
#[derive(Debug, Clone)]
pub struct Store {
    db: DatabaseConnection,
}

impl Store {
    /// Connects and brings the schema up to date.
    pub async fn open(url: &str) -> Result<Self, StoreError> {
        let store = Self::connect(url).await?;
        let mut alone = sqlx::PgConnection::connect(url).await?;
        sqlx::query("SELECT pg_advisory_lock($1)").bind(MIGRATING).execute(&mut alone).await?;
        let migrated = migration::Migrator::up(&store.db, None).await;
        // The lock goes with its connection.
        alone.close().await?;
        migrated?;
        Ok(store)
    }

    /// Connects to a database as it is.
    async fn connect(url: &str) -> Result<Self, StoreError> {
        let mut options = ConnectOptions::new(url);
        options.max_connections(16).connect_timeout(Duration::from_secs(10)).sqlx_logging(false);
        Ok(Self { db: Database::connect(options).await? })
    }

    /// Whether opening it would change its schema.
    pub async fn is_behind(url: &str) -> Result<bool, StoreError> {
        let store = Self::connect(url).await?;
        let pending = migration::Migrator::get_pending_migrations(&store.db).await?;
        let fresh = migration::Migrator::get_applied_migrations(&store.db).await?.is_empty();
        store.pool().close().await;
        Ok(!pending.is_empty() && !fresh)
    }

    /// The connections, for what has no entity.
    pub fn pool(&self) -> &sqlx::PgPool {
        self.db.get_postgres_connection_pool()
    }
}
