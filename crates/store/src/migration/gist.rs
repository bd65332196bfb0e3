//! What lists, checks and the arranger ask of a reading, kept beside it, so that a job need not read all of those.

use sea_orm::ConnectionTrait;
use sea_orm_migration::prelude::*;

pub struct Gist;

impl MigrationName for Gist {
    fn name(&self) -> &'static str {
        "m2026_11_29_gist"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for Gist {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared("ALTER TABLE clip ADD COLUMN gist jsonb").await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared("ALTER TABLE clip DROP COLUMN gist").await.map(drop)
    }
}
