//! What is to be minded where a clip is used, kept beside its reading, so that a job need not read all of those.

use sea_orm::ConnectionTrait;
use sea_orm_migration::prelude::*;

pub struct Caveats;

impl MigrationName for Caveats {
    fn name(&self) -> &'static str {
        "m2026_11_29_caveats"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for Caveats {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared("ALTER TABLE clip ADD COLUMN caveats jsonb").await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared("ALTER TABLE clip DROP COLUMN caveats").await.map(drop)
    }
}
