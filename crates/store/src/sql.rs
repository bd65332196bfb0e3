//! Statements in SQL.
//!
//! Rows are read and written through the entities; rows that are read in part are partial models. SQL is written out for
//! what those cannot say: sets that are changed from other sets, counts over several tables, the journal's joins and groups,
//! one statement over either of two tables, the next revision, and notifications. The queue ([`crate::queue`]) is SQL throughout: all of it is locks and leases.

use sea_orm::{DbBackend, Statement, Value};

/// A statement with its values.
pub(crate) fn bound<const N: usize>(sql: &str, values: [Value; N]) -> Statement {
    Statement::from_sql_and_values(DbBackend::Postgres, sql, values)
}
