//! The tables, as SeaORM sees them. Rows never leave the crate.

macro_rules! table {
    ($module:ident, $table:literal, { $($field:ident : $type:ty),* $(,)? }) => {
        table!($module, $table, id: Uuid, { $($field: $type),* });
    };
    ($module:ident, $table:literal, $($key:ident : $of:ty),+, { $($field:ident : $type:ty),* $(,)? }) => {
        pub mod $module {
            use sea_orm::entity::prelude::*;

            #[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
            #[sea_orm(table_name = $table)]
            pub struct Model {
                $(#[sea_orm(primary_key, auto_increment = false)]
                pub $key: $of,)+
                $(pub $field: $type,)*
            }

            #[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
            pub enum Relation {}

            impl ActiveModelBehavior for ActiveModel {}
        }
    };
}

table!(job, "job", {
    name: String,
    rate: String,
    width: i32,
    height: i32,
    target_seconds: Option<f64>,
    chosen_track: Option<Uuid>,
    created_at: DateTimeUtc,
    removed: bool,
    revision: i64,
    footage: i64,
    selects: i64,
    zone: String,
    searches: Json,
    story: Json,
    paused: bool,
    journal_floor: i64,
});

table!(import, "import", {
    job_id: Uuid,
    removed: bool,
    revision: i64,
    at: DateTimeUtc,
});

table!(roll, "roll", {
    job_id: Uuid,
    name: String,
    root: String,
    folder: String,
    removed: bool,
    revision: i64,
    clock_seconds: i64,
    manual: bool,
});

table!(clip, "clip", {
    job_id: Uuid,
    roll_id: Uuid,
    import_id: Option<Uuid>,
    root: String,
    path: String,
    name: String,
    bytes: i64,
    modified: Option<DateTimeUtc>,
    digest: Option<String>,
    recorded_at: DateTimeUtc,
    recorded_from: String,
    state: String,
    progress: f32,
    problem: Option<String>,
    missing: bool,
    probe: Option<Json>,
    motion: Option<Vec<u8>>,
    signatures: Option<Vec<u8>>,
    summary: Option<Json>,
    reading_version: i32,
    version: i32,
    removed: bool,
    hidden: bool,
    revision: i64,
    tags: Json,
    muted: bool,
    no_faults: Json,
    read_at: Option<DateTimeUtc>,
    shown_seconds: f64,
    twin_of: Option<Uuid>,
    owns_path: bool,
    asked: i32,
});

table!(pass, "pass", {
    job_id: Uuid,
    number: i32,
    what: String,
    members: Json,
    created_at: DateTimeUtc,
    place: Option<Uuid>,
    removed: bool,
    revision: i64,
    born: i64,
});

table!(clip_reading, "clip_reading", {
    reading: Json,
});

table!(pick, "pick", {
    job_id: Uuid,
    clip_id: Uuid,
    verdict: Json,
    energy: Option<f64>,
    movement: Option<String>,
    created_at: DateTimeUtc,
    removed: bool,
    revision: i64,
    born: i64,
});

table!(track, "track", {
    job_id: Uuid,
    import_id: Option<Uuid>,
    root: String,
    path: String,
    name: String,
    bytes: i64,
    modified: Option<DateTimeUtc>,
    digest: Option<String>,
    state: String,
    progress: f32,
    problem: Option<String>,
    missing: bool,
    probe: Option<Json>,
    summary: Option<Json>,
    version: i32,
    part: Option<Json>,
    marks: Option<Json>,
    about: Option<Json>,
    added_at: DateTimeUtc,
    removed: bool,
    hidden: bool,
    revision: i64,
    kind: String,
    kind_manual: bool,
    owns_path: bool,
    asked: i32,
});

table!(track_reading, "track_reading", {
    reading: Json,
});

table!(draft, "draft", {
    job_id: Uuid,
    number: i32,
    name: Option<String>,
    body: Json,
    created_at: DateTimeUtc,
    removed: bool,
    revision: i64,
});

table!(note, "note", {
    job_id: Uuid,
    draft_id: Uuid,
    frame: i64,
    words: String,
    removed: bool,
    revision: i64,
});

table!(handoff, "handoff", {
    job_id: Uuid,
    kind: String,
    name: String,
    state: String,
    done: i32,
    total: i32,
    file: Option<String>,
    report: Option<String>,
    request: Json,
    created_at: DateTimeUtc,
});

table!(media_root, "media_root", name: String, {
    path: String,
});

table!(journal, "journal", id: i64, {
    job_id: Uuid,
    session: Uuid,
    owner: Uuid,
    step: String,
    kind: String,
    label: String,
    undo_group: i64,
    coalesce_key: Option<String>,
    at: DateTimeUtc,
    undone_by: Option<i64>,
    passed: bool,
});
