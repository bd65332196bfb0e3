//! PostgreSQL: what an editor gathered, decided and asked for.
//!
//! Rows never leave this crate; each aggregate has a module of its own. Whatever a person does goes through the
//! [`journal`], which computes it inside the job's lock, merges what is independent and can take it back. Long work waits
//! in [`queue`]; [`events`] notifies open windows of changes.

#![warn(missing_docs)]

pub mod clip_files;
pub mod clips;
pub mod cluster;
pub mod drafts;
pub mod dump;
mod entity;
mod error;
pub mod events;
pub mod files;
mod footage_changes;
pub mod handoffs;
pub mod jobs;
pub mod journal;
mod migration;
pub mod overview;
pub mod passes;
pub mod queue;
mod readings;
pub mod rolls;
mod roots;
pub mod rows;
pub mod selects;
mod sql;
mod tags;
#[cfg(feature = "testing")]
pub mod testing;
pub mod tracks;

pub use error::StoreError;
pub use sea_orm::sqlx;

use sea_orm::sqlx::postgres::{PgConnectOptions, PgPoolOptions};
use sea_orm::sqlx::{ConnectOptions as _, Connection};
use sea_orm::{ConnectOptions, Database, DatabaseConnection};
use sea_orm_migration::MigratorTrait;
use std::time::Duration;

/// The advisory lock under which the schema is changed: two programs that start at once do it one after the other.
const MIGRATING: i64 = 0x006c_6567_6572_6500;

/// No statement waits longer for a lock than this, in PostgreSQL's notation.
const LOCK_TIMEOUT: &str = "10s";
/// A transaction in which nothing is asked for so long is given up, and its locks with it.
const IDLE_IN_TRANSACTION: &str = "60s";
/// Connections for what pages ask, and for workers: neither waits for the other.
const CONNECTIONS: u32 = 16;
const QUEUE_CONNECTIONS: u32 = 6;

/// Connection pools to a migrated database.
#[derive(Debug, Clone)]
pub struct Store {
    db: DatabaseConnection,
    queue: sqlx::PgPool,
    locks: journal::JobLocks,
}

/// One type for each aggregate: what can be asked of the store about it, reached through the store.
macro_rules! aggregates {
    ($($(#[$doc:meta])* $name:ident, $accessor:ident;)*) => {
        $($(#[$doc])*
        #[derive(Debug, Clone, Copy)]
        pub struct $name<'a> {
            store: &'a Store,
        })*

        impl Store {
            $($(#[$doc])*
            pub const fn $accessor(&self) -> $name<'_> {
                $name { store: self }
            })*
        }
    };
}

aggregates! {
    /// Jobs, their settings and how far each is.
    Jobs, jobs;
    /// Rolls, and which clips are read first.
    Rolls, rolls;
    /// Clips and what was read of them.
    Clips, clips;
    /// The files of clips and tracks: moved, replaced, present twice.
    Files, files;
    /// Selects and the passes over them.
    Selects, selects;
    /// Tracks and what was read of them.
    Tracks, tracks;
    /// Drafts and the notes on them.
    Drafts, drafts;
    /// What was asked for to be handed off.
    Handoffs, handoffs;
    /// Long work that waits.
    Queue, queue;
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
        let limits = [("lock_timeout", LOCK_TIMEOUT), ("idle_in_transaction_session_timeout", IDLE_IN_TRANSACTION)];
        let mut options = ConnectOptions::new(url);
        options.max_connections(CONNECTIONS).connect_timeout(Duration::from_secs(10)).sqlx_logging(false);
        options.map_sqlx_postgres_opts(move |o| o.options(limits));
        let for_queue: PgConnectOptions = url.parse()?;
        let queue = PgPoolOptions::new().max_connections(QUEUE_CONNECTIONS).acquire_timeout(Duration::from_secs(10));
        let queue = queue.connect_lazy_with(for_queue.options(limits).disable_statement_logging());
        Ok(Self { db: Database::connect(options).await?, queue, locks: journal::JobLocks::default() })
    }

    /// The connections, for what has no entity.
    pub fn pool(&self) -> &sqlx::PgPool {
        self.db.get_postgres_connection_pool()
    }
}
