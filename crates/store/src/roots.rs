//! Media folders that were added while the program ran.

use crate::{Store, StoreError};
use sea_orm::{ConnectionTrait, DbBackend, Statement};

impl Store {
    /// Names and places of the media folders that were added on the page.
    pub async fn added_roots(&self) -> Result<Vec<(String, String)>, StoreError> {
        let all = Statement::from_string(DbBackend::Postgres, "SELECT name, path FROM media_root ORDER BY name");
        let rows = self.db.query_all_raw(all).await?;
        rows.into_iter().map(|row| Ok((row.try_get("", "name")?, row.try_get("", "path")?))).collect()
    }

    /// Keeps a media folder; one of that name must not be there.
    pub async fn add_root(&self, name: &str, path: &str) -> Result<(), StoreError> {
        let sql = "INSERT INTO media_root (name, path) VALUES ($1, $2)";
        self.db
            .execute_raw(Statement::from_sql_and_values(DbBackend::Postgres, sql, [name.into(), path.into()]))
            .await?;
        Ok(())
    }
}
