//! Undo per owner instead of per window, paths that change hands between clips, work that is asked for again while it is
//! done.

use sea_orm::ConnectionTrait;
use sea_orm_migration::prelude::*;

pub struct FirmGround;

impl MigrationName for FirmGround {
    fn name(&self) -> &'static str {
        "m2026_11_30_firm_ground"
    }
}

const UP: &str = r"
ALTER TABLE journal RENAME COLUMN deed TO kind;
ALTER TABLE journal RENAME COLUMN chain TO undo_group;
ALTER TABLE journal RENAME COLUMN nudge TO coalesce_key;
ALTER TABLE journal RENAME COLUMN taken_back TO undone_by;
ALTER TABLE change RENAME COLUMN part TO field;
UPDATE change SET field = 'removed', before = to_jsonb(before IS DISTINCT FROM 'true'), after = to_jsonb(after IS DISTINCT FROM 'true')
    WHERE field = 'there';
UPDATE change SET field = 'manual' WHERE field = 'by hand' AND target = 'roll';
ALTER TABLE roll RENAME COLUMN by_hand TO manual;
ALTER TABLE track RENAME COLUMN kind_by_hand TO kind_manual;
ALTER TABLE clip RENAME COLUMN gist TO summary;
-- It holds more than before: it is made from the readings at the next start.
UPDATE clip SET summary = NULL;
ALTER TABLE clip RENAME COLUMN looks TO signatures;
ALTER TABLE job ADD COLUMN selects bigint NOT NULL DEFAULT 0;
ALTER TABLE journal ADD COLUMN owner uuid;
UPDATE journal SET owner = session;
ALTER TABLE journal ALTER COLUMN owner SET NOT NULL;
DROP INDEX journal_turn;
CREATE INDEX journal_owner ON journal (job_id, owner, step, id);
ALTER TABLE job ADD COLUMN journal_floor bigint NOT NULL DEFAULT 0;
ALTER TABLE clip DROP CONSTRAINT clip_job_id_root_path_key;
ALTER TABLE clip ADD COLUMN owns_path boolean NOT NULL DEFAULT true, ADD COLUMN asked integer NOT NULL DEFAULT 0;
CREATE UNIQUE INDEX clip_path ON clip (job_id, root, path) WHERE owns_path;
CREATE INDEX clip_content ON clip (job_id, bytes, digest);
ALTER TABLE track DROP CONSTRAINT track_job_id_root_path_key;
ALTER TABLE track ADD COLUMN owns_path boolean NOT NULL DEFAULT true, ADD COLUMN asked integer NOT NULL DEFAULT 0;
CREATE UNIQUE INDEX track_path ON track (job_id, root, path) WHERE owns_path;
ALTER TABLE pick ADD COLUMN born bigint;
ALTER TABLE pass ADD COLUMN born bigint;
CREATE TEMPORARY TABLE birth ON COMMIT DROP AS
    SELECT id, row_number() OVER (ORDER BY id) - 1000000000 AS nth
    FROM (SELECT id FROM pick UNION ALL SELECT id FROM pass) AS old;
UPDATE pick SET born = nth FROM birth WHERE birth.id = pick.id;
UPDATE pass SET born = nth FROM birth WHERE birth.id = pass.id;
ALTER TABLE pick ALTER COLUMN born SET NOT NULL, ALTER COLUMN born SET DEFAULT nextval('revision');
ALTER TABLE pass ALTER COLUMN born SET NOT NULL, ALTER COLUMN born SET DEFAULT nextval('revision');
CREATE INDEX pick_changed ON pick (job_id, revision);
ALTER TABLE work ADD COLUMN asked_again boolean NOT NULL DEFAULT false;
";

const DOWN: &str = r"
ALTER TABLE work DROP COLUMN asked_again;
DROP INDEX pick_changed;
ALTER TABLE pick DROP COLUMN born;
ALTER TABLE pass DROP COLUMN born;
DROP INDEX track_path;
UPDATE track SET path = path || ' (' || id || ')' WHERE NOT owns_path;
ALTER TABLE track DROP COLUMN owns_path, DROP COLUMN asked;
ALTER TABLE track ADD CONSTRAINT track_job_id_root_path_key UNIQUE (job_id, root, path);
DROP INDEX clip_content;
DROP INDEX clip_path;
UPDATE clip SET path = path || ' (' || id || ')' WHERE NOT owns_path;
ALTER TABLE clip DROP COLUMN owns_path, DROP COLUMN asked;
ALTER TABLE clip ADD CONSTRAINT clip_job_id_root_path_key UNIQUE (job_id, root, path);
ALTER TABLE job DROP COLUMN journal_floor;
DROP INDEX journal_owner;
CREATE INDEX journal_turn ON journal (job_id, session, step, id);
ALTER TABLE journal DROP COLUMN owner;
ALTER TABLE job DROP COLUMN selects;
ALTER TABLE clip RENAME COLUMN signatures TO looks;
ALTER TABLE clip RENAME COLUMN summary TO gist;
ALTER TABLE track RENAME COLUMN kind_manual TO kind_by_hand;
ALTER TABLE roll RENAME COLUMN manual TO by_hand;
UPDATE change SET field = 'by hand' WHERE field = 'manual' AND target = 'roll';
UPDATE change SET field = 'there', before = to_jsonb(before IS DISTINCT FROM 'true'), after = to_jsonb(after IS DISTINCT FROM 'true')
    WHERE field = 'removed';
ALTER TABLE change RENAME COLUMN field TO part;
ALTER TABLE journal RENAME COLUMN undone_by TO taken_back;
ALTER TABLE journal RENAME COLUMN coalesce_key TO nudge;
ALTER TABLE journal RENAME COLUMN undo_group TO chain;
ALTER TABLE journal RENAME COLUMN kind TO deed;
";

#[async_trait::async_trait]
impl MigrationTrait for FirmGround {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(UP).await.map(drop)
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared(DOWN).await.map(drop)
    }
}
