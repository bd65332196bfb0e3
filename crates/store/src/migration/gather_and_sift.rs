//! What is said of clips as a whole, labels, passes, time zones, clocks that went wrong, and narrowings by name.

use sea_orm::ConnectionTrait;
use sea_orm_migration::prelude::*;

pub struct GatherAndSift;

impl MigrationName for GatherAndSift {
    fn name(&self) -> &'static str {
        "m2026_11_28_b_gather_and_sift"
    }
}

const UP: &str = r"
ALTER TABLE job ADD COLUMN zone text NOT NULL DEFAULT 'UTC', ADD COLUMN searches jsonb NOT NULL DEFAULT '[]',
    ADD COLUMN paused boolean NOT NULL DEFAULT false;
ALTER TABLE roll ADD COLUMN clock_seconds bigint NOT NULL DEFAULT 0;
ALTER TABLE roll DROP CONSTRAINT roll_job_id_root_folder_name_key;
ALTER TABLE clip ADD COLUMN tags jsonb NOT NULL DEFAULT '[]', ADD COLUMN muted boolean NOT NULL DEFAULT false,
    ADD COLUMN twin_of uuid REFERENCES clip ON DELETE SET NULL, ADD COLUMN read_at timestamptz, ADD COLUMN shown_seconds double precision NOT NULL DEFAULT 5;
ALTER TABLE track ADD COLUMN kind text NOT NULL DEFAULT 'music', ADD COLUMN kind_by_hand boolean NOT NULL DEFAULT false;
CREATE TABLE media_root (name text PRIMARY KEY, path text NOT NULL);
CREATE TABLE pass (
    id uuid PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE, number integer NOT NULL,
    what text NOT NULL, members jsonb NOT NULL, created_at timestamptz NOT NULL DEFAULT now(), place uuid,
    removed boolean NOT NULL DEFAULT false, revision bigint NOT NULL DEFAULT 0
);
CREATE INDEX pass_job ON pass (job_id);
";

const DOWN: &str = r"
DROP TABLE pass, media_root;
ALTER TABLE track DROP COLUMN kind, DROP COLUMN kind_by_hand;
ALTER TABLE clip DROP COLUMN tags, DROP COLUMN muted, DROP COLUMN twin_of, DROP COLUMN read_at, DROP COLUMN shown_seconds;
ALTER TABLE roll ADD CONSTRAINT roll_job_id_root_folder_name_key UNIQUE (job_id, root, folder, name);
ALTER TABLE roll DROP COLUMN clock_seconds;
ALTER TABLE job DROP COLUMN zone, DROP COLUMN searches, DROP COLUMN paused;
";

#[async_trait::async_trait]
impl MigrationTrait for GatherAndSift {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(UP).await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(DOWN).await.map(drop)
    }
}
