//! Revisions on everything that a person can change, a journal of parts instead of whole copies, ids for shots, readings in
//! tables of their own (lists of clips no longer carry them), and identities of files.
//!
//! The journal of earlier versions cannot be replayed by parts, so undo begins empty; nothing else is lost.

use sea_orm::ConnectionTrait;
use sea_orm_migration::prelude::*;

pub struct SolidGround;

impl MigrationName for SolidGround {
    fn name(&self) -> &'static str {
        "m2026_11_28_solid_ground"
    }
}

const UP: &str = r"
CREATE SEQUENCE revision;
ALTER TABLE job ADD COLUMN removed boolean NOT NULL DEFAULT false, ADD COLUMN revision bigint NOT NULL DEFAULT 0,
    ADD COLUMN footage bigint NOT NULL DEFAULT 0;
CREATE TABLE import (
    id uuid PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE,
    removed boolean NOT NULL DEFAULT false, revision bigint NOT NULL DEFAULT 0, at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX import_job ON import (job_id);
ALTER TABLE roll ADD COLUMN removed boolean NOT NULL DEFAULT false, ADD COLUMN revision bigint NOT NULL DEFAULT 0;
CREATE TABLE clip_reading (id uuid PRIMARY KEY REFERENCES clip ON DELETE CASCADE, reading jsonb NOT NULL);
INSERT INTO clip_reading SELECT id, reading FROM clip WHERE reading IS NOT NULL;
ALTER TABLE clip DROP COLUMN reading,
    ADD COLUMN import_id uuid REFERENCES import ON DELETE SET NULL, ADD COLUMN modified timestamptz,
    ADD COLUMN digest text, ADD COLUMN motion bytea, ADD COLUMN removed boolean NOT NULL DEFAULT false,
    ADD COLUMN hidden boolean NOT NULL DEFAULT false, ADD COLUMN revision bigint NOT NULL DEFAULT 0;
ALTER TABLE pick ADD COLUMN energy double precision, ADD COLUMN movement text,
    ADD COLUMN removed boolean NOT NULL DEFAULT false, ADD COLUMN revision bigint NOT NULL DEFAULT 0;
CREATE INDEX pick_job ON pick (job_id);
CREATE TABLE track_reading (id uuid PRIMARY KEY REFERENCES track ON DELETE CASCADE, reading jsonb NOT NULL);
INSERT INTO track_reading SELECT id, reading FROM track WHERE reading IS NOT NULL;
ALTER TABLE track ADD COLUMN version integer NOT NULL DEFAULT 0;
UPDATE track SET version = coalesce((reading->>'version')::integer, 0) WHERE reading IS NOT NULL;
ALTER TABLE track DROP COLUMN reading,
    ADD COLUMN import_id uuid REFERENCES import ON DELETE SET NULL, ADD COLUMN modified timestamptz,
    ADD COLUMN digest text, ADD COLUMN summary jsonb, ADD COLUMN removed boolean NOT NULL DEFAULT false,
    ADD COLUMN hidden boolean NOT NULL DEFAULT false, ADD COLUMN revision bigint NOT NULL DEFAULT 0;
ALTER TABLE draft ADD COLUMN name text, ADD COLUMN removed boolean NOT NULL DEFAULT false,
    ADD COLUMN revision bigint NOT NULL DEFAULT 0;
UPDATE draft SET body = jsonb_set(body, '{cut,shots}', (
    SELECT coalesce(jsonb_agg((shot - 'energy' - 'why') || jsonb_build_object('id', gen_random_uuid()) ORDER BY place),
                    '[]'::jsonb)
    FROM jsonb_array_elements(body #> '{cut,shots}') WITH ORDINALITY AS s (shot, place)))
    WHERE jsonb_typeof(body #> '{cut,shots}') = 'array';
ALTER TABLE note ADD COLUMN job_id uuid REFERENCES job ON DELETE CASCADE,
    ADD COLUMN removed boolean NOT NULL DEFAULT false, ADD COLUMN revision bigint NOT NULL DEFAULT 0;
UPDATE note SET job_id = draft.job_id FROM draft WHERE draft.id = note.draft_id;
ALTER TABLE note ALTER COLUMN job_id SET NOT NULL;
CREATE INDEX note_draft ON note (draft_id);
ALTER TABLE work ADD COLUMN token uuid, ADD COLUMN not_before timestamptz NOT NULL DEFAULT now();
UPDATE work SET taken_by = NULL;
DROP TABLE journal;
CREATE TABLE journal (
    id bigint PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE, session uuid NOT NULL,
    step text NOT NULL, deed text NOT NULL, label text NOT NULL, chain bigint NOT NULL, nudge text,
    at timestamptz NOT NULL DEFAULT now(), taken_back bigint, passed boolean NOT NULL DEFAULT false
);
CREATE INDEX journal_turn ON journal (job_id, session, step, id);
CREATE INDEX journal_job ON journal (job_id, id);
CREATE TABLE change (
    entry bigint NOT NULL REFERENCES journal ON DELETE CASCADE, place integer NOT NULL, target text NOT NULL,
    thing uuid NOT NULL, part text NOT NULL, before jsonb, after jsonb, PRIMARY KEY (entry, place)
);
CREATE INDEX change_thing ON change (thing, entry);
";

const DOWN: &str = r#"
ALTER TABLE work DROP COLUMN token, DROP COLUMN not_before;
DROP TABLE change, journal;
CREATE TABLE journal (
    id bigserial PRIMARY KEY, job_id uuid NOT NULL REFERENCES job ON DELETE CASCADE, label text NOT NULL,
    changes jsonb NOT NULL, undone boolean NOT NULL DEFAULT false, at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX journal_job ON journal (job_id, id);
DELETE FROM note WHERE removed;
ALTER TABLE note DROP COLUMN job_id, DROP COLUMN removed, DROP COLUMN revision;
DELETE FROM draft WHERE removed;
UPDATE draft SET body = jsonb_set(body, '{cut,shots}', (
    SELECT coalesce(jsonb_agg((shot - 'id') || '{"energy": 0, "why": []}'::jsonb ORDER BY place), '[]'::jsonb)
    FROM jsonb_array_elements(body #> '{cut,shots}') WITH ORDINALITY AS s (shot, place)));
ALTER TABLE draft DROP COLUMN name, DROP COLUMN removed, DROP COLUMN revision;
DELETE FROM track WHERE hidden;
ALTER TABLE track ADD COLUMN reading jsonb, DROP COLUMN version, DROP COLUMN import_id, DROP COLUMN modified,
    DROP COLUMN digest, DROP COLUMN summary, DROP COLUMN removed, DROP COLUMN hidden, DROP COLUMN revision;
UPDATE track SET reading = r.reading FROM track_reading r WHERE r.id = track.id;
DROP TABLE track_reading;
DELETE FROM pick WHERE removed;
DROP INDEX pick_job;
ALTER TABLE pick DROP COLUMN energy, DROP COLUMN movement, DROP COLUMN removed, DROP COLUMN revision;
DELETE FROM clip WHERE hidden;
ALTER TABLE clip ADD COLUMN reading jsonb, DROP COLUMN import_id, DROP COLUMN modified, DROP COLUMN digest,
    DROP COLUMN motion, DROP COLUMN removed, DROP COLUMN hidden, DROP COLUMN revision;
UPDATE clip SET reading = r.reading FROM clip_reading r WHERE r.id = clip.id;
DROP TABLE clip_reading;
ALTER TABLE roll DROP COLUMN removed, DROP COLUMN revision;
DROP TABLE import;
DELETE FROM job WHERE removed;
ALTER TABLE job DROP COLUMN removed, DROP COLUMN revision, DROP COLUMN footage;
DROP SEQUENCE revision;
"#;

#[async_trait::async_trait]
impl MigrationTrait for SolidGround {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(UP).await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(DOWN).await.map(drop)
    }
}
