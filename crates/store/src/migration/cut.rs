//! Rolls that a person put in order.

use sea_orm::ConnectionTrait;
use sea_orm_migration::prelude::*;

pub struct Cut;

impl MigrationName for Cut {
    fn name(&self) -> &'static str {
        "m2026_11_28_c_cut"
    }
}

// Rolls that are there already stay as people know them.
const UP: &str = r"
ALTER TABLE roll ADD COLUMN by_hand boolean NOT NULL DEFAULT true;
ALTER TABLE roll ALTER COLUMN by_hand SET DEFAULT false;
";

#[async_trait::async_trait]
impl MigrationTrait for Cut {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(UP).await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared("ALTER TABLE roll DROP COLUMN by_hand").await.map(drop)
    }
}
