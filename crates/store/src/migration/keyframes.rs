//! What a time curve is made of is called keyframes, as in the field, also in stored drafts, hand-offs and changes.

use sea_orm::ConnectionTrait;
use sea_orm_migration::prelude::*;

pub struct Keyframes;

impl MigrationName for Keyframes {
    fn name(&self) -> &'static str {
        "m2026_11_30_keyframes"
    }
}

/// Columns that hold shots.
const HELD_IN: [(&str, &str); 4] =
    [("draft", "body"), ("handoff", "request"), ("change", "before"), ("change", "after")];

/// A quote within a text is written with a stroke before it, so that nothing but a field of this name is found.
async fn renamed(manager: &SchemaManager<'_>, from: &str, to: &str) -> Result<(), DbErr> {
    for (table, column) in HELD_IN {
        let sql = format!(
            "UPDATE {table} SET {column} = replace({column}::text, '\"{from}\": ', '\"{to}\": ')::jsonb \
             WHERE {column}::text LIKE '%\"{from}\": %'"
        );
        manager.get_connection().execute_unprepared(&sql).await?;
    }
    Ok(())
}

#[async_trait::async_trait]
impl MigrationTrait for Keyframes {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        renamed(manager, "turns", "keyframes").await
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        renamed(manager, "keyframes", "turns").await
    }
}
