//! What clips look like, which way of reading made theirs, and what a person says is no fault.

use sea_orm::ConnectionTrait;
use sea_orm_migration::prelude::*;

pub struct Footage;

impl MigrationName for Footage {
    fn name(&self) -> &'static str {
        "m2026_11_28_d_footage"
    }
}

const UP: &str = r"
ALTER TABLE clip ADD COLUMN looks bytea;
ALTER TABLE clip ADD COLUMN reading_version integer NOT NULL DEFAULT 0;
ALTER TABLE clip ADD COLUMN no_faults jsonb NOT NULL DEFAULT '[]';
";

const DOWN: &str = r"
ALTER TABLE clip DROP COLUMN looks, DROP COLUMN reading_version, DROP COLUMN no_faults;
";

#[async_trait::async_trait]
impl MigrationTrait for Footage {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(UP).await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(DOWN).await.map(drop)
    }
}
