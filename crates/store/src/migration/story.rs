//! The story of a piece: its opening, its closing, and what comes before what.

use sea_orm::ConnectionTrait;
use sea_orm_migration::prelude::*;

pub struct StoryOfJob;

impl MigrationName for StoryOfJob {
    fn name(&self) -> &'static str {
        "m2026_12_01_story"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for StoryOfJob {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let up = "ALTER TABLE job ADD COLUMN story jsonb NOT NULL DEFAULT '{}'";
        manager.get_connection().execute_unprepared(up).await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared("ALTER TABLE job DROP COLUMN story").await.map(drop)
    }
}
