//! A whole database in one file and back, without opening what is stored: for copies that a person asks for, for the copy
//! before the schema changes, and for databases of one's own.

use crate::{Store, StoreError, cluster, migration};
use sea_orm::sqlx::{self, Connection};
use sea_orm_migration::MigratorTrait;
use std::path::Path;
use std::process::{Command, Stdio};

/// The migrations that this program knows, in their order.
pub fn known_migrations() -> Vec<String> {
    migration::Migrator::migrations().iter().map(|m| m.name().to_owned()).collect()
}

/// The migrations that a database has, in their order; none of an empty one.
pub async fn migrations_of(url: &str) -> Result<Vec<String>, StoreError> {
    let mut db = sqlx::PgConnection::connect(url).await?;
    let migrated: bool =
        sqlx::query_scalar("SELECT to_regclass('seaql_migrations') IS NOT NULL").fetch_one(&mut db).await?;
    let found = if migrated {
        sqlx::query_scalar("SELECT version FROM seaql_migrations ORDER BY version").fetch_all(&mut db).await?
    } else {
        Vec::new()
    };
    db.close().await?;
    Ok(found)
}

/// How many jobs a database has, whatever its schema.
pub async fn jobs_in(url: &str) -> Result<i64, StoreError> {
    let mut db = sqlx::PgConnection::connect(url).await?;
    let has_jobs: bool = sqlx::query_scalar("SELECT to_regclass('job') IS NOT NULL").fetch_one(&mut db).await?;
    let jobs = if has_jobs { sqlx::query_scalar("SELECT count(*) FROM job").fetch_one(&mut db).await? } else { 0 };
    db.close().await?;
    Ok(jobs)
}

/// Writes a database into a file, in PostgreSQL's own format.
pub fn dump(url: &str, to: &Path) -> Result<(), StoreError> {
    let mut command = tool("pg_dump", url)?;
    finished(command.args(["--format=custom", "--no-owner", "--no-privileges", "--file"]).arg(to))
}

/// Puts what was dumped in the place of what a database holds: all of it or nothing.
pub fn restore(url: &str, from: &Path) -> Result<(), StoreError> {
    let mut command = tool("pg_restore", url)?;
    let options =
        ["--clean", "--if-exists", "--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction"];
    finished(command.args(options).arg(from))
}

/// One of PostgreSQL's programs on a database; the password goes by the environment, where other users do not see it.
fn tool(name: &str, url: &str) -> Result<Command, StoreError> {
    let wrong = |why: String| StoreError::Cluster(format!("the address of the database cannot be read: {why}"));
    let mut address = url::Url::parse(url).map_err(|e| wrong(e.to_string()))?;
    let password = address.password().map(str::to_owned);
    address.set_password(None).map_err(|()| wrong("it has no host".into()))?;
    let mut command = Command::new(cluster::newest_binaries()?.join(name));
    command.arg("--dbname").arg(address.as_str()).stdin(Stdio::null());
    if let Some(password) = password {
        let plain = percent_encoding::percent_decode_str(&password).decode_utf8_lossy().into_owned();
        command.env("PGPASSWORD", plain);
    }
    Ok(command)
}

fn finished(command: &mut Command) -> Result<(), StoreError> {
    let out = command.output()?;
    if out.status.success() {
        Ok(())
    } else {
        Err(StoreError::Cluster(String::from_utf8_lossy(&out.stderr).trim().to_owned()))
    }
}

impl Store {
    /// Whether opening a database would change its schema.
    pub async fn is_behind(url: &str) -> Result<bool, StoreError> {
        let has = migrations_of(url).await?;
        Ok(!has.is_empty() && known_migrations().iter().any(|m| !has.contains(m)))
    }
}
