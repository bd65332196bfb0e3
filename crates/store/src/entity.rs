//! The tables, as SeaORM sees them.

macro_rules! table {
    ($module:ident, $table:literal, { $($field:ident : $type:ty),* $(,)? }) => {
        pub mod $module {
            use sea_orm::entity::prelude::*;

            #[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
            #[sea_orm(table_name = $table)]
            pub struct Model {
                #[sea_orm(primary_key, auto_increment = false)]
                pub id: Uuid,
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
});

table!(roll, "roll", {
    job_id: Uuid,
    name: String,
    root: String,
    folder: String,
});

table!(clip, "clip", {
    job_id: Uuid,
    roll_id: Uuid,
    root: String,
    path: String,
    name: String,
    bytes: i64,
    recorded_at: DateTimeUtc,
    recorded_from: String,
    state: String,
    progress: f32,
    problem: Option<String>,
    missing: bool,
    probe: Option<Json>,
    reading: Option<Json>,
    version: i32,
});

table!(pick, "pick", {
    job_id: Uuid,
    clip_id: Uuid,
    verdict: Json,
    created_at: DateTimeUtc,
});

table!(track, "track", {
    job_id: Uuid,
    root: String,
    path: String,
    name: String,
    bytes: i64,
    state: String,
    progress: f32,
    problem: Option<String>,
    missing: bool,
    probe: Option<Json>,
    reading: Option<Json>,
    part: Option<Json>,
    marks: Option<Json>,
    about: Option<Json>,
    added_at: DateTimeUtc,
});

table!(draft, "draft", {
    job_id: Uuid,
    number: i32,
    body: Json,
    created_at: DateTimeUtc,
});

table!(note, "note", {
    draft_id: Uuid,
    frame: i64,
    words: String,
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

pub mod journal {
    use sea_orm::entity::prelude::*;

    #[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
    #[sea_orm(table_name = "journal")]
    pub struct Model {
        #[sea_orm(primary_key)]
        pub id: i64,
        pub job_id: Uuid,
        pub label: String,
        pub changes: Json,
        pub undone: bool,
        pub at: DateTimeUtc,
    }

    #[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
    pub enum Relation {}

    impl ActiveModelBehavior for ActiveModel {}
}
