//! Jobs: one commissioned piece each.

use crate::entity::job;
use crate::error::word;
use crate::events::ChangedKind;
use crate::journal::{By, EditTarget, Editable, Fields, REMOVED, Revision, field_or, set_field};
use crate::rows::Rows;
use crate::{Jobs, StoreError};
use legere_core::arrange::Story;
use legere_core::id::{JobId, TrackId};
use legere_core::time::FrameRate;
use sea_orm::prelude::*;
use sea_orm::{ActiveValue::Set, DatabaseTransaction, DerivePartialModel, QueryOrder, QuerySelect};

/// One commissioned piece.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    /// Never changes; addresses are made of it.
    pub id: JobId,
    /// The name that a person gave it.
    pub name: String,
    /// Frames a second.
    pub rate: FrameRate,
    /// In pixels.
    pub width: u32,
    /// In pixels.
    pub height: u32,
    /// The length to reach; none is "as long as the music".
    pub target_seconds: Option<f64>,
    /// The music that drafts are laid on.
    pub chosen_track: Option<TrackId>,
    /// The time zone that recording times are shown in, by its name in the tz database.
    pub zone: String,
    /// Narrowings that were given a name.
    pub searches: Vec<Search>,
    /// What it opens and closes with, and what comes before what.
    pub story: Story,
    /// Whether reading rests.
    pub paused: bool,
    /// Whether a person took it out.
    pub removed: bool,
    /// Rises with every change.
    pub revision: Revision,
}

/// How new the footage of a job is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FootageRevision {
    /// Counts changes of clips and readings.
    pub clips: i64,
    /// The newest change of a select.
    pub selects: Revision,
}

/// A narrowing with a name.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Search {
    /// The name that a person gave it.
    pub name: String,
    /// As it is typed.
    pub words: String,
}

/// What is asked for a new job.
#[derive(Debug, Clone, PartialEq)]
pub struct NewJob {
    /// The name that a person gave it.
    pub name: String,
    /// Frames a second.
    pub rate: FrameRate,
    /// In pixels.
    pub width: u32,
    /// In pixels.
    pub height: u32,
    /// The length to reach; none: as long as the music.
    pub target_seconds: Option<f64>,
    /// The time zone that recording times are shown in.
    pub zone: String,
}

impl NewJob {
    /// Refuses what no job can be; gives its name as it is kept.
    pub fn possible(&self) -> Result<String, StoreError> {
        if !self.rate.is_of_jobs() {
            let rates: Vec<String> =
                FrameRate::OF_JOBS.iter().filter_map(|(n, d)| FrameRate::new(*n, *d)).map(FrameRate::words).collect();
            return Err(StoreError::Refused(format!("a job has one of these frame rates: {}", rates.join(", "))));
        }
        let side = |pixels: u32| (64..=8192).contains(&pixels) && pixels.is_multiple_of(2);
        if !side(self.width) || !side(self.height) {
            return Err(StoreError::Refused("the frame size must be even and between 64 and 8192".into()));
        }
        if self.target_seconds.is_some_and(|t| !(2.0..=7200.0).contains(&t)) {
            return Err(StoreError::Refused("the length must lie between 2 seconds and 2 hours".into()));
        }
        named(&self.name)
    }
}

impl TryFrom<job::Model> for Job {
    type Error = StoreError;
    fn try_from(row: job::Model) -> Result<Self, StoreError> {
        let side =
            |v: i32| u32::try_from(v).map_err(|_no_value| StoreError::Word { what: "frame size", word: v.to_string() });
        Ok(Self {
            id: row.id.into(),
            rate: word("frame rate", &row.rate)?,
            width: side(row.width)?,
            height: side(row.height)?,
            name: row.name,
            target_seconds: row.target_seconds,
            chosen_track: row.chosen_track.map(TrackId::from),
            zone: row.zone,
            searches: serde_json::from_value(row.searches).map_err(StoreError::broken("job"))?,
            story: serde_json::from_value(row.story).map_err(StoreError::broken("job"))?,
            paused: row.paused,
            removed: row.removed,
            revision: row.revision,
        })
    }
}

impl Editable for Job {
    const TARGET: EditTarget = EditTarget::Job;

    fn id(&self) -> Uuid {
        self.id.uuid()
    }

    fn job(&self) -> JobId {
        self.id
    }

    fn revision(&self) -> Revision {
        self.revision
    }

    fn fields(&self) -> Result<Fields, StoreError> {
        let mut fields = Fields::new();
        set_field(&mut fields, REMOVED, &self.removed)?;
        set_field(&mut fields, "name", &self.name)?;
        set_field(&mut fields, "chosen", &self.chosen_track)?;
        set_field(&mut fields, "rate", &self.rate)?;
        set_field(&mut fields, "size", &(self.width, self.height))?;
        set_field(&mut fields, "length", &self.target_seconds)?;
        set_field(&mut fields, "zone", &self.zone)?;
        set_field(&mut fields, "searches", &self.searches)?;
        set_field(&mut fields, "opening", &self.story.opening)?;
        set_field(&mut fields, "closing", &self.story.closing)?;
        set_field(&mut fields, "orders", &self.story.orders)?;
        set_field(&mut fields, "paused", &self.paused)?;
        Ok(fields)
    }

    fn apply_fields(&self, fields: &Fields) -> Result<Self, StoreError> {
        let (width, height) = field_or(fields, "size", (self.width, self.height))?;
        Ok(Self {
            rate: field_or(fields, "rate", self.rate)?,
            width,
            height,
            target_seconds: field_or(fields, "length", self.target_seconds)?,
            zone: field_or(fields, "zone", self.zone.clone())?,
            searches: field_or(fields, "searches", self.searches.clone())?,
            story: Story {
                opening: field_or(fields, "opening", self.story.opening)?,
                closing: field_or(fields, "closing", self.story.closing)?,
                orders: field_or(fields, "orders", self.story.orders.clone())?,
            },
            paused: field_or(fields, "paused", self.paused)?,
            removed: field_or(fields, REMOVED, self.removed)?,
            name: field_or(fields, "name", self.name.clone())?,
            chosen_track: field_or(fields, "chosen", self.chosen_track)?,
            ..self.clone()
        })
    }

    async fn read(t: &DatabaseTransaction, id: Uuid) -> Result<Self, StoreError> {
        job::Entity::find_by_id(id).one(t).await?.ok_or(StoreError::Missing { what: "job", id })?.try_into()
    }

    async fn write(&self, _: &Self, t: &DatabaseTransaction, revision: Revision) -> Result<(), StoreError> {
        let row = job::ActiveModel {
            id: Set(self.id.uuid()),
            name: Set(self.name.clone()),
            rate: Set(self.rate.to_string()),
            width: Set(self.width as i32),
            height: Set(self.height as i32),
            target_seconds: Set(self.target_seconds),
            zone: Set(self.zone.clone()),
            searches: Set(serde_json::to_value(&self.searches).map_err(StoreError::broken("job"))?),
            story: Set(serde_json::to_value(&self.story).map_err(StoreError::broken("job"))?),
            paused: Set(self.paused),
            chosen_track: Set(self.chosen_track.map(TrackId::uuid)),
            removed: Set(self.removed),
            revision: Set(revision),
            ..Default::default()
        };
        row.update(t).await?;
        Ok(())
    }
}

#[derive(DerivePartialModel)]
#[sea_orm(entity = "job::Entity", from_query_result)]
struct RevisionRow {
    footage: i64,
    selects: Revision,
}

impl Jobs<'_> {
    /// Makes a job.
    pub async fn create(self, new: NewJob, by: By) -> Result<JobId, StoreError> {
        self.create_as(Uuid::now_v7().into(), new, by).await
    }

    /// Whether a job was taken out; nothing where there never was one.
    pub async fn is_removed(self, id: JobId) -> Result<Option<bool>, StoreError> {
        let found = job::Entity::find_by_id(id.uuid()).select_only().column(job::Column::Removed);
        Ok(found.into_tuple().one(&self.store.db).await?)
    }

    /// Makes a job with an id that is known beforehand.
    pub async fn create_as(self, id: JobId, new: NewJob, by: By) -> Result<JobId, StoreError> {
        let name = new.possible()?;
        job::ActiveModel {
            id: Set(id.uuid()),
            name: Set(name),
            rate: Set(new.rate.to_string()),
            width: Set(new.width as i32),
            height: Set(new.height as i32),
            target_seconds: Set(new.target_seconds),
            chosen_track: Set(None),
            created_at: Set(chrono::Utc::now()),
            // Until its own first entry in the journal says that it is there.
            removed: Set(true),
            revision: Set(0),
            footage: Set(0),
            selects: Set(0),
            zone: Set(new.zone),
            searches: Set(Json::Array(Vec::new())),
            story: Set(Json::Object(serde_json::Map::new())),
            paused: Set(false),
            journal_floor: Set(0),
        }
        .insert(&self.store.db)
        .await?;
        self.store
            .edit::<Job, StoreError>(id, by, id, None, "make the job", |job| Ok(Job { removed: false, ..job }))
            .await?;
        Ok(id)
    }

    /// One job.
    pub async fn get(self, id: JobId) -> Result<Job, StoreError> {
        let row = job::Entity::find_by_id(id.uuid()).filter(job::Column::Removed.eq(false)).one(&self.store.db).await?;
        row.ok_or(StoreError::Missing { what: "job", id: id.uuid() })?.try_into()
    }

    /// The newest first.
    pub async fn all(self) -> Result<Rows<Job>, StoreError> {
        self.that(false).await
    }

    /// Those that were taken out, the newest first.
    pub async fn removed(self) -> Result<Rows<Job>, StoreError> {
        self.that(true).await
    }

    async fn that(self, removed: bool) -> Result<Rows<Job>, StoreError> {
        let found = job::Entity::find().filter(job::Column::Removed.eq(removed));
        let rows = found.order_by_desc(job::Column::CreatedAt).all(&self.store.db).await?;
        Ok(Rows::read(rows, |r| (r.id, r.name.clone()), Job::try_from))
    }

    /// Rises whenever what shots can be made of changes.
    pub async fn footage_revision(self, job: JobId) -> Result<FootageRevision, StoreError> {
        let found: Option<RevisionRow> =
            job::Entity::find_by_id(job.uuid()).into_partial_model().one(&self.store.db).await?;
        let found = found.ok_or(StoreError::Missing { what: "job", id: job.uuid() })?;
        Ok(FootageRevision { clips: found.footage, selects: found.selects })
    }

    /// The frame rate of a job.
    pub async fn rate(self, job: JobId) -> Result<FrameRate, StoreError> {
        let found = job::Entity::find_by_id(job.uuid()).select_only().column(job::Column::Rate);
        let found: Option<String> = found.into_tuple().one(&self.store.db).await?;
        word("frame rate", &found.ok_or(StoreError::Missing { what: "job", id: job.uuid() })?)
    }

    /// Chooses a track where a person has chosen none.
    pub(crate) async fn choose_first(self, job: JobId, track: TrackId) -> Result<(), StoreError> {
        let chosen = job::Entity::update_many()
            .col_expr(job::Column::ChosenTrack, Expr::value(track.uuid()))
            .filter(job::Column::Id.eq(job.uuid()))
            .filter(job::Column::ChosenTrack.is_null())
            .exec(&self.store.db)
            .await?;
        if chosen.rows_affected > 0 {
            self.store.notify(job, ChangedKind::Job, job).await?;
        }
        Ok(())
    }
}

/// A name as people give them: something, and not too much of it.
pub fn named(name: &str) -> Result<String, StoreError> {
    let name: String = name.trim().chars().filter(|c| !c.is_control()).collect();
    if name.is_empty() || name.chars().count() > 120 {
        return Err(StoreError::Refused("a name has at least one and at most 120 letters".into()));
    }
    Ok(name)
}
