//! The schema. Each migration is dated and can be taken back.

mod cut;
mod firm_ground;
mod footage;
mod gather_and_sift;
mod gist;
mod keyframes;
mod solid_ground;
mod story;

use sea_orm::ConnectionTrait;
use sea_orm_migration::prelude::*;

pub struct Migrator;

#[async_trait::async_trait]
impl MigratorTrait for Migrator {
    fn migrations() -> Vec<Box<dyn MigrationTrait>> {
        vec![
            Box::new(FirstLight),
            Box::new(Listen),
            Box::new(solid_ground::SolidGround),
            Box::new(gather_and_sift::GatherAndSift),
            Box::new(cut::Cut),
            Box::new(footage::Footage),
            Box::new(gist::Gist),
            Box::new(firm_ground::FirmGround),
            Box::new(keyframes::Keyframes),
            Box::new(story::StoryOfJob),
        ]
    }
}

struct FirstLight;

impl MigrationName for FirstLight {
    fn name(&self) -> &'static str {
        "m2026_11_24_first_light"
    }
}

const UP: &str = r"
CREATE TABLE job (
    id uuid PRIMARY KEY, name text NOT NULL, rate text NOT NULL, width integer NOT NULL, height integer NOT NULL,
    target_seconds double precision, chosen_track uuid, created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE roll (
    id uuid PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE,
    name text NOT NULL, root text NOT NULL, folder text NOT NULL, UNIQUE (job_id, root, folder, name)
);
CREATE TABLE clip (
    id uuid PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE,
    roll_id uuid NOT NULL REFERENCES roll ON DELETE CASCADE,
    root text NOT NULL, path text NOT NULL, name text NOT NULL, bytes bigint NOT NULL,
    recorded_at timestamptz NOT NULL, recorded_from text NOT NULL,
    state text NOT NULL, progress real NOT NULL DEFAULT 0, problem text, missing boolean NOT NULL DEFAULT false,
    probe jsonb, reading jsonb, version integer NOT NULL DEFAULT 0, UNIQUE (job_id, root, path)
);
CREATE INDEX clip_order ON clip (job_id, recorded_at, name);
CREATE TABLE pick (
    id uuid PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE,
    clip_id uuid NOT NULL REFERENCES clip ON DELETE CASCADE, verdict jsonb NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX pick_clip ON pick (clip_id);
CREATE TABLE track (
    id uuid PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE,
    root text NOT NULL, path text NOT NULL, name text NOT NULL, bytes bigint NOT NULL, state text NOT NULL,
    progress real NOT NULL DEFAULT 0, problem text, missing boolean NOT NULL DEFAULT false,
    probe jsonb, reading jsonb, part jsonb,
    added_at timestamptz NOT NULL DEFAULT now(), UNIQUE (job_id, root, path)
);
CREATE TABLE draft (
    id uuid PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE, number integer NOT NULL,
    body jsonb NOT NULL, created_at timestamptz NOT NULL DEFAULT now(), UNIQUE (job_id, number)
);
CREATE TABLE note (
    id uuid PRIMARY KEY, draft_id uuid NOT NULL REFERENCES draft ON DELETE CASCADE,
    frame bigint NOT NULL, words text NOT NULL
);
CREATE TABLE handoff (
    id uuid PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE, kind text NOT NULL, name text NOT NULL,
    state text NOT NULL, done integer NOT NULL DEFAULT 0, total integer NOT NULL DEFAULT 0, file text, report text,
    request jsonb NOT NULL, created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE work (
    id bigserial PRIMARY KEY, what jsonb NOT NULL UNIQUE, priority integer NOT NULL, tries integer NOT NULL DEFAULT 0,
    taken_by text, alive_at timestamptz
);
CREATE INDEX work_order ON work (priority DESC, id);
CREATE TABLE journal (
    id bigserial PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE, label text NOT NULL,
    changes jsonb NOT NULL, undone boolean NOT NULL DEFAULT false, at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX journal_job ON journal (job_id, id);
";

#[async_trait::async_trait]
impl MigrationTrait for FirstLight {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(UP).await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let down = "DROP TABLE work, journal, handoff, note, draft, track, pick, clip, roll, job";
        manager.get_connection().execute_unprepared(down).await.map(drop)
    }
}

/// What a person says of a track: marks over its reading, and what it is about. Readings made before lack what
/// shortening needs, so the tracks are read again; nothing that a person set is lost by that.
struct Listen;

impl MigrationName for Listen {
    fn name(&self) -> &'static str {
        "m2026_11_25_listen"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for Listen {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let up = "ALTER TABLE track ADD COLUMN marks jsonb, ADD COLUMN about jsonb; \
                  UPDATE track SET state = 'waiting' WHERE state = 'ready'";
        manager.get_connection().execute_unprepared(up).await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        let down = "ALTER TABLE track DROP COLUMN marks, DROP COLUMN about";
        manager.get_connection().execute_unprepared(down).await.map(drop)
    }
}
