//! Imports, rolls and clips, and what was read of them.

use crate::entity::{clip, import, roll};
use crate::error::word;
use crate::events::ChangedKind;
use crate::footage_changes::clips_changed;
use crate::journal::{
    By, EditTarget, Editable, Fields, Invalidates, JobEdit, REMOVED, Revision, field_or, identified, removable,
    set_field,
};
use crate::rows::Rows;
use crate::sql::bound;
use crate::tags::{tag_field, with_tags};
use crate::{Clips, StoreError};
use chrono::{DateTime, Utc};
use legere_core::clip::ClipProbe;
use legere_core::footage::{EnergyTrace, FaultKind, FrameSignature, ReadingSummary};
use legere_core::id::{ClipId, ImportId, JobId, RollId};
use legere_core::select::Tag;
use legere_core::time::Seconds;
use sea_orm::prelude::*;
use sea_orm::sea_query::SimpleExpr;
use sea_orm::{ActiveValue::Set, DatabaseTransaction, DerivePartialModel, QueryOrder, QuerySelect};
use std::collections::{BTreeSet, HashMap};

/// How far a clip or a track is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "lowercase")]
pub enum State {
    /// For a worker.
    Waiting,
    /// A worker is at it.
    Reading,
    /// It can be used.
    Ready,
    /// It cannot be read; the problem says why.
    Failed,
}

legere_core::words!(State);

/// Where a recording time comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr)]
#[strum(serialize_all = "lowercase")]
pub enum RecordedFrom {
    /// Only the file's own time, which may be when it was copied.
    File,
    /// What the camera wrote into the file.
    Metadata,
}

/// What identifies a file, whatever else comes to lie at its path.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileIdentity {
    /// How large it is.
    pub bytes: i64,
    /// Its own time.
    pub modified: DateTime<Utc>,
    /// Of its content.
    pub digest: String,
}

/// One bringing in of files.
#[derive(Debug, Clone, PartialEq)]
pub struct Import {
    /// Never changes; addresses are made of it.
    pub id: ImportId,
    /// The job that it belongs to.
    pub job: JobId,
    /// Whether a person took it out.
    pub removed: bool,
    /// Rises with every change.
    pub revision: Revision,
}

/// Clips that were recorded together.
#[derive(Debug, Clone, PartialEq)]
pub struct Roll {
    /// Never changes; addresses are made of it.
    pub id: RollId,
    /// The job that it belongs to.
    pub job: JobId,
    /// The name that a person gave it.
    pub name: String,
    /// Added to what the camera's clock said, in seconds.
    pub clock_seconds: i64,
    /// A person put it in order: it is not divided automatically.
    pub manual: bool,
    /// Whether a person took it out.
    pub removed: bool,
    /// Rises with every change.
    pub revision: Revision,
}

/// What a person says of a clip as a whole, before or after it is cut up.
#[derive(Debug, Clone, PartialEq)]
pub struct ClipAnnotations {
    /// They hold for all its selects, unless those say otherwise.
    pub tags: BTreeSet<Tag>,
    /// Whether its sound is not to be used.
    pub muted: bool,
    /// What the reading calls faults and a person does not.
    pub no_faults: BTreeSet<FaultKind>,
    /// For how long a picture is shown.
    pub shown_seconds: f64,
}

/// A recorded file.
#[derive(Debug, Clone, PartialEq)]
#[expect(clippy::struct_excessive_bools, reason = "columns of one row, each with a meaning of its own")]
pub struct Clip {
    /// Never changes; addresses are made of it.
    pub id: ClipId,
    /// The job that it belongs to.
    pub job: JobId,
    /// The roll that it belongs to.
    pub roll: RollId,
    /// The name of the media folder that it lies in.
    pub root: String,
    /// Below the media folder.
    pub path: String,
    /// The name that a person gave it.
    pub name: String,
    /// How large it is.
    pub bytes: i64,
    /// Its own time.
    pub modified: Option<DateTime<Utc>>,
    /// Of the content; known once it was read.
    pub digest: Option<String>,
    /// When it was recorded.
    pub recorded_at: DateTime<Utc>,
    /// Who says so.
    pub recorded_from: RecordedFrom,
    /// How far it is.
    pub state: State,
    /// 0–1, of the reading.
    pub progress: f32,
    /// What is wrong with it, in words for the editor.
    pub problem: Option<String>,
    /// The file was not where it should be when somebody last looked.
    pub missing: bool,
    /// What the file says of itself; none until it is read.
    pub probe: Option<ClipProbe>,
    /// For the energy of its parts; empty until it is read.
    pub trace: EnergyTrace,
    /// What it shows, to be compared with others; empty until it is read.
    pub signatures: Vec<FrameSignature>,
    /// What lists and checks ask of its reading; nothing until it is read.
    pub summary: ReadingSummary,
    /// Rises with every reading.
    pub version: i32,
    /// Whether its path is its own. Where another clip's file lies at its path by now, it is missing; where both show the same
    /// content, the path is shared.
    pub owns_path: bool,
    /// How often a reading was asked for.
    pub asked: i32,
    /// Taken out by itself, whatever became of its roll and its import.
    pub removed: bool,
    /// Out, by itself or with its roll or its import.
    pub hidden: bool,
    /// What a person said of it as a whole.
    pub annotations: ClipAnnotations,
    /// Rises with every change.
    pub revision: Revision,
}

/// A clip as a calendar and a count show it: read without what it holds.
#[derive(Debug, Clone, PartialEq)]
pub struct ClipMark {
    /// Never changes; addresses are made of it.
    pub id: ClipId,
    /// The roll that it belongs to.
    pub roll: RollId,
    /// When it was recorded.
    pub recorded_at: DateTime<Utc>,
    /// Who says so.
    pub recorded_from: RecordedFrom,
    /// How far it is.
    pub state: State,
    /// The file is not where it should be.
    pub missing: bool,
    /// None until it is read.
    pub duration: Option<Seconds>,
}

#[derive(DerivePartialModel)]
#[sea_orm(entity = "clip::Entity", from_query_result)]
struct MarkRow {
    id: Uuid,
    roll_id: Uuid,
    recorded_at: DateTime<Utc>,
    recorded_from: String,
    state: String,
    missing: bool,
    #[sea_orm(from_expr = r#"Expr::cust("probe ->> 'duration'")"#)]
    duration: Option<String>,
}

impl From<MarkRow> for ClipMark {
    fn from(row: MarkRow) -> Self {
        Self {
            id: row.id.into(),
            roll: row.roll_id.into(),
            recorded_at: row.recorded_at,
            recorded_from: row.recorded_from.parse().unwrap_or(RecordedFrom::File),
            state: row.state.parse().unwrap_or(State::Failed),
            missing: row.missing,
            duration: row.duration.and_then(|d| d.parse().ok()),
        }
    }
}

/// What is asked of the clip at a path that is taken in once more.
#[derive(DerivePartialModel)]
#[sea_orm(entity = "clip::Entity", from_query_result)]
struct KnownFile {
    id: Uuid,
    path: String,
    hidden: bool,
    twin_of: Option<Uuid>,
    removed: bool,
    state: String,
}

#[derive(DerivePartialModel)]
#[sea_orm(entity = "clip::Entity", from_query_result)]
struct NamedClip {
    id: Uuid,
    name: String,
}

/// A file to be taken in.
#[derive(Debug, Clone, PartialEq)]
pub struct NewClip {
    /// The name of the media folder that it lies in.
    pub root: String,
    /// Below the media folder.
    pub path: String,
    /// The name that a person gave it.
    pub name: String,
    /// How large it is.
    pub bytes: i64,
    /// Its own time.
    pub modified: DateTime<Utc>,
}

/// What one file of an import became.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct TakenIn {
    /// Not there before.
    pub new: usize,
    /// There before, taken out, and back again.
    pub back: usize,
}

impl From<import::Model> for Import {
    fn from(row: import::Model) -> Self {
        Self { id: row.id.into(), job: row.job_id.into(), removed: row.removed, revision: row.revision }
    }
}

impl From<roll::Model> for Roll {
    fn from(row: roll::Model) -> Self {
        Self {
            id: row.id.into(),
            job: row.job_id.into(),
            name: row.name,
            clock_seconds: row.clock_seconds,
            manual: row.manual,
            removed: row.removed,
            revision: row.revision,
        }
    }
}

impl TryFrom<clip::Model> for Clip {
    type Error = StoreError;
    fn try_from(row: clip::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id.into(),
            job: row.job_id.into(),
            roll: row.roll_id.into(),
            root: row.root,
            path: row.path,
            name: row.name,
            bytes: row.bytes,
            modified: row.modified,
            digest: row.digest,
            recorded_at: row.recorded_at,
            recorded_from: word("clip", &row.recorded_from)?,
            state: word("clip", &row.state)?,
            progress: row.progress,
            problem: row.problem,
            missing: row.missing,
            probe: row.probe.map(serde_json::from_value).transpose().map_err(StoreError::broken("clip"))?,
            trace: EnergyTrace::from_bytes(row.motion.unwrap_or_default()),
            signatures: FrameSignature::from_bytes(&row.signatures.unwrap_or_default()),
            summary: row
                .summary
                .map_or_else(|| Ok(ReadingSummary::default()), serde_json::from_value)
                .map_err(StoreError::broken("clip"))?,
            version: row.version,
            owns_path: row.owns_path,
            asked: row.asked,
            removed: row.removed,
            hidden: row.hidden,
            annotations: ClipAnnotations {
                tags: serde_json::from_value(row.tags).map_err(StoreError::broken("clip"))?,
                muted: row.muted,
                no_faults: serde_json::from_value(row.no_faults).map_err(StoreError::broken("clip"))?,
                shown_seconds: row.shown_seconds,
            },
            revision: row.revision,
        })
    }
}

/// The last part of a path.
pub(crate) fn file_name(path: &str) -> &str {
    path.rsplit('/').next().unwrap_or(path)
}

/// Brings `hidden` up to date for the clips and tracks that a condition names.
async fn hide_with(db: &DatabaseTransaction, condition: &str, id: Uuid) -> Result<(), StoreError> {
    let clips = format!(
        "UPDATE clip SET hidden = clip.removed OR roll.removed \
             OR coalesce((SELECT i.removed FROM import i WHERE i.id = clip.import_id), false) \
         FROM roll WHERE roll.id = clip.roll_id AND clip.{condition} = $1"
    );
    db.execute_raw(bound(&clips, [id.into()])).await?;
    Ok(())
}

impl Editable for Import {
    const TARGET: EditTarget = EditTarget::Import;
    const INVALIDATES: Invalidates = Invalidates::Clips;

    identified!();

    removable!();

    async fn read(t: &DatabaseTransaction, id: Uuid) -> Result<Self, StoreError> {
        let row = import::Entity::find_by_id(id).one(t).await?;
        row.map(Self::from).ok_or(StoreError::Missing { what: "import", id })
    }

    async fn write(&self, _: &Self, t: &DatabaseTransaction, revision: Revision) -> Result<(), StoreError> {
        let row = import::ActiveModel {
            id: Set(self.id.uuid()),
            removed: Set(self.removed),
            revision: Set(revision),
            ..Default::default()
        };
        row.update(t).await?;
        hide_with(t, "import_id", self.id.uuid()).await?;
        let tracks = "UPDATE track SET hidden = removed OR $2 WHERE import_id = $1";
        let values = [self.id.uuid().into(), self.removed.into()];
        t.execute_raw(bound(tracks, values)).await?;
        Ok(())
    }
}

impl Editable for Roll {
    const TARGET: EditTarget = EditTarget::Roll;
    const INVALIDATES: Invalidates = Invalidates::Clips;

    identified!();

    fn fields(&self) -> Result<Fields, StoreError> {
        let mut fields = Fields::new();
        set_field(&mut fields, REMOVED, &self.removed)?;
        set_field(&mut fields, "name", &self.name)?;
        set_field(&mut fields, "clock", &self.clock_seconds)?;
        set_field(&mut fields, "manual", &self.manual)?;
        Ok(fields)
    }

    fn apply_fields(&self, fields: &Fields) -> Result<Self, StoreError> {
        Ok(Self {
            removed: field_or(fields, REMOVED, self.removed)?,
            name: field_or(fields, "name", self.name.clone())?,
            clock_seconds: field_or(fields, "clock", self.clock_seconds)?,
            manual: field_or(fields, "manual", self.manual)?,
            ..self.clone()
        })
    }

    async fn read(t: &DatabaseTransaction, id: Uuid) -> Result<Self, StoreError> {
        let row = roll::Entity::find_by_id(id).one(t).await?;
        row.map(Self::from).ok_or(StoreError::Missing { what: "roll", id })
    }

    async fn write(&self, before: &Self, t: &DatabaseTransaction, revision: Revision) -> Result<(), StoreError> {
        let row = roll::ActiveModel {
            id: Set(self.id.uuid()),
            name: Set(self.name.clone()),
            clock_seconds: Set(self.clock_seconds),
            manual: Set(self.manual),
            removed: Set(self.removed),
            revision: Set(revision),
            ..Default::default()
        };
        row.update(t).await?;
        // Its clips stand where the clock now says.
        let by = self.clock_seconds - before.clock_seconds;
        if by != 0 {
            let shift = "UPDATE clip SET recorded_at = recorded_at + make_interval(secs => $2::double precision) \
                         WHERE roll_id = $1";
            let values = [self.id.uuid().into(), (by as f64).into()];
            t.execute_raw(bound(shift, values)).await?;
        }
        hide_with(t, "roll_id", self.id.uuid()).await
    }
}

impl Editable for Clip {
    const TARGET: EditTarget = EditTarget::Clip;
    const INVALIDATES: Invalidates = Invalidates::Clips;

    identified!();

    fn fields(&self) -> Result<Fields, StoreError> {
        let mut fields = Fields::new();
        set_field(&mut fields, REMOVED, &self.removed)?;
        set_field(&mut fields, "roll", &self.roll)?;
        set_field(&mut fields, "path", &(&self.root, &self.path, self.owns_path))?;
        set_field(&mut fields, "muted", &self.annotations.muted)?;
        set_field(&mut fields, "no faults", &self.annotations.no_faults)?;
        set_field(&mut fields, "shown", &self.annotations.shown_seconds)?;
        for tag in &self.annotations.tags {
            set_field(&mut fields, tag_field(tag), tag)?;
        }
        Ok(fields)
    }

    fn apply_fields(&self, fields: &Fields) -> Result<Self, StoreError> {
        let own = (self.root.clone(), self.path.clone(), self.owns_path);
        let (root, path, owns_path) = field_or(fields, "path", own)?;
        Ok(Self {
            removed: field_or(fields, REMOVED, self.removed)?,
            roll: field_or(fields, "roll", self.roll)?,
            name: file_name(&path).to_owned(),
            root,
            path,
            owns_path,
            annotations: ClipAnnotations {
                muted: field_or(fields, "muted", self.annotations.muted)?,
                no_faults: field_or(fields, "no faults", self.annotations.no_faults.clone())?,
                shown_seconds: field_or(fields, "shown", self.annotations.shown_seconds)?,
                tags: with_tags(&self.annotations.tags, fields)?,
            },
            ..self.clone()
        })
    }

    async fn read(t: &DatabaseTransaction, id: Uuid) -> Result<Self, StoreError> {
        clip::Entity::find_by_id(id).one(t).await?.ok_or(StoreError::Missing { what: "clip", id })?.try_into()
    }

    async fn write(&self, before: &Self, t: &DatabaseTransaction, revision: Revision) -> Result<(), StoreError> {
        let mut row = clip::ActiveModel {
            id: Set(self.id.uuid()),
            tags: Set(serde_json::to_value(&self.annotations.tags).map_err(StoreError::broken("clip"))?),
            muted: Set(self.annotations.muted),
            no_faults: Set(serde_json::to_value(&self.annotations.no_faults).map_err(StoreError::broken("clip"))?),
            shown_seconds: Set(self.annotations.shown_seconds),
            removed: Set(self.removed),
            revision: Set(revision),
            ..Default::default()
        };
        if (&self.root, &self.path, self.owns_path) != (&before.root, &before.path, before.owns_path) {
            row.root = Set(self.root.clone());
            row.path = Set(self.path.clone());
            row.name = Set(file_name(&self.path).to_owned());
            row.owns_path = Set(self.owns_path);
        }
        if self.roll != before.roll {
            // Another roll has another clock.
            let clock = async |roll: RollId| Ok::<_, StoreError>(Roll::read(t, roll.uuid()).await?.clock_seconds);
            let by = clock(self.roll).await? - clock(before.roll).await?;
            row.roll_id = Set(self.roll.uuid());
            let right = chrono::TimeDelta::try_seconds(by).and_then(|by| before.recorded_at.checked_add_signed(by));
            row.recorded_at = Set(right.unwrap_or(before.recorded_at));
        }
        row.update(t).await?;
        hide_with(t, "id", self.id.uuid()).await
    }
}

/// The row of a file that was never read.
pub(crate) fn new_row(
    id: Uuid,
    job: JobId,
    roll: Uuid,
    import: Option<Uuid>,
    file: &NewClip,
    hidden: bool,
) -> clip::ActiveModel {
    clip::ActiveModel {
        id: Set(id),
        job_id: Set(job.uuid()),
        roll_id: Set(roll),
        import_id: Set(import),
        root: Set(file.root.clone()),
        path: Set(file.path.clone()),
        name: Set(file.name.clone()),
        bytes: Set(file.bytes),
        modified: Set(Some(file.modified)),
        digest: Set(None),
        recorded_at: Set(file.modified),
        recorded_from: Set(<&str>::from(RecordedFrom::File).into()),
        state: Set(State::Waiting.word().into()),
        progress: Set(0.0),
        problem: Set(None),
        missing: Set(false),
        probe: Set(None),
        motion: Set(None),
        signatures: Set(None),
        summary: Set(None),
        reading_version: Set(0),
        version: Set(0),
        removed: Set(false),
        hidden: Set(hidden),
        revision: Set(0),
        tags: Set(Json::Array(Vec::new())),
        muted: Set(false),
        no_faults: Set(Json::Array(Vec::new())),
        read_at: Set(None),
        shown_seconds: Set(5.0),
        twin_of: Set(None),
        owns_path: Set(true),
        asked: Set(0),
    }
}

impl JobEdit {
    /// Begins an import: what is taken in under it goes and comes back with it.
    pub async fn begin_import(&mut self) -> Result<Import, StoreError> {
        let import = Import { id: Uuid::now_v7().into(), job: self.job(), removed: true, revision: 0 };
        import::ActiveModel {
            id: Set(import.id.uuid()),
            job_id: Set(import.job.uuid()),
            removed: Set(true),
            revision: Set(0),
            at: Set(Utc::now()),
        }
        .insert(self.transaction())
        .await?;
        Ok(import)
    }

    /// Ends it: what it took in is there.
    pub async fn finish_import(&mut self, import: &Import) -> Result<(), StoreError> {
        self.put(import, &Import { removed: false, ..import.clone() }, None).await
    }

    /// Takes the files of one folder in as a roll. Those that are there already are left as they are; those that were
    /// taken out come back. Gives the clips that are to be read.
    pub async fn add_clips(
        &mut self,
        import: &Import,
        roll_name: &str,
        folder: &str,
        files: &[NewClip],
    ) -> Result<(TakenIn, Vec<ClipId>), StoreError> {
        let Some(first) = files.first() else { return Ok((TakenIn::default(), Vec::new())) };
        let job = self.job();
        let t = self.transaction();
        let roll_id = if let Some(row) = roll::Entity::find()
            .filter(roll::Column::JobId.eq(job.uuid()))
            .filter(roll::Column::Root.eq(&first.root))
            .filter(roll::Column::Folder.eq(folder))
            .filter(roll::Column::Name.eq(roll_name))
            .one(t)
            .await?
        {
            row.id
        } else {
            let id = Uuid::now_v7();
            roll::ActiveModel {
                id: Set(id),
                job_id: Set(job.uuid()),
                name: Set(roll_name.to_owned()),
                root: Set(first.root.clone()),
                folder: Set(folder.to_owned()),
                removed: Set(false),
                revision: Set(0),
                clock_seconds: Set(0),
                manual: Set(false),
            }
            .insert(t)
            .await?;
            id
        };
        // What is the same file as another clip stays out: it is there under that one's name.
        let known: Vec<KnownFile> = clip::Entity::find()
            .filter(clip::Column::JobId.eq(job.uuid()))
            .filter(clip::Column::Root.eq(&first.root))
            .filter(clip::Column::OwnsPath.eq(true))
            .into_partial_model()
            .all(t)
            .await?;
        let known: HashMap<&str, &KnownFile> = known.iter().map(|file| (file.path.as_str(), file)).collect();
        let (mut taken, mut to_read, mut rows) = (TakenIn::default(), Vec::new(), Vec::new());
        let mut back = Vec::new();
        for file in files {
            match known.get(file.path.as_str()) {
                Some(clip) if clip.hidden && clip.twin_of.is_none() => {
                    back.push((clip.id, clip.removed));
                    if clip.state != State::Ready.word() {
                        to_read.push(ClipId::from(clip.id));
                    }
                }
                Some(_) => {}
                None => {
                    let id = Uuid::now_v7();
                    to_read.push(id.into());
                    rows.push(new_row(id, job, roll_id, Some(import.id.uuid()), file, true));
                }
            }
        }
        taken.new = rows.len();
        for chunk in rows.chunks(500) {
            clip::Entity::insert_many(chunk.to_vec()).exec_without_returning(t).await?;
        }
        taken.back = back.len();
        if !back.is_empty() {
            let row: Roll = self.load(roll_id).await?;
            self.put(&row, &Roll { removed: false, ..row.clone() }, None).await?;
        }
        for (id, removed) in back {
            clip::Entity::update_many()
                .col_expr(clip::Column::ImportId, Expr::value(import.id.uuid()))
                .filter(clip::Column::Id.eq(id))
                .exec(self.transaction())
                .await?;
            if removed {
                let row: Clip = self.load(id).await?;
                self.put(&row, &Clip { removed: false, ..row.clone() }, None).await?;
            }
        }
        Ok((taken, to_read))
    }
}

impl Clips<'_> {
    /// Takes the files of one folder in, as an import of its own; gives the clips that are to be read.
    pub async fn import(
        self,
        job: JobId,
        by: By,
        roll: &str,
        folder: &str,
        files: &[NewClip],
    ) -> Result<Vec<ClipId>, StoreError> {
        let mut edit = self.store.begin_edit(job, by).await?;
        let import = edit.begin_import().await?;
        let (_, ids) = edit.add_clips(&import, roll, folder, files).await?;
        edit.finish_import(&import).await?;
        edit.commit("bring in", None).await?;
        Ok(ids)
    }

    /// The clips of a job that are not out, by recording time.
    pub async fn of_job(self, job: JobId) -> Result<Rows<Clip>, StoreError> {
        self.that(job, clip::Column::Hidden.eq(false)).await
    }

    /// The clips of a job that are not out, by recording time, as far as it takes to show where they are. That one cannot be
    /// read is reported by [`Clips::some`] when it is shown.
    pub async fn marks(self, job: JobId) -> Result<Vec<ClipMark>, StoreError> {
        let rows: Vec<MarkRow> = clip::Entity::find()
            .filter(clip::Column::JobId.eq(job.uuid()))
            .filter(clip::Column::Hidden.eq(false))
            .order_by_asc(clip::Column::RecordedAt)
            .order_by_asc(clip::Column::Name)
            .into_partial_model()
            .all(&self.store.db)
            .await?;
        Ok(rows.into_iter().map(ClipMark::from).collect())
    }

    /// Some clips of a job, by recording time.
    pub async fn some(self, job: JobId, ids: &[ClipId]) -> Result<Rows<Clip>, StoreError> {
        self.that(job, clip::Column::Id.is_in(ids.iter().map(|id| id.uuid()))).await
    }

    async fn that(self, job: JobId, condition: SimpleExpr) -> Result<Rows<Clip>, StoreError> {
        let rows = clip::Entity::find()
            .filter(clip::Column::JobId.eq(job.uuid()))
            .filter(condition)
            .order_by_asc(clip::Column::RecordedAt)
            .order_by_asc(clip::Column::Name)
            .all(&self.store.db)
            .await?;
        Ok(Rows::read(rows, |r| (r.id, r.name.clone()), Clip::try_from))
    }

    /// Clips that were taken out one by one: their ids and names.
    pub async fn removed(self, job: JobId) -> Result<Vec<(ClipId, String)>, StoreError> {
        let rows: Vec<NamedClip> = clip::Entity::find()
            .filter(clip::Column::JobId.eq(job.uuid()))
            .filter(clip::Column::Removed.eq(true))
            .order_by_asc(clip::Column::Name)
            .into_partial_model()
            .all(&self.store.db)
            .await?;
        Ok(rows.into_iter().map(|row| (row.id.into(), row.name)).collect())
    }

    /// One clip.
    pub async fn get(self, id: ClipId) -> Result<Clip, StoreError> {
        let row = clip::Entity::find_by_id(id.uuid()).one(&self.store.db).await?;
        row.ok_or(StoreError::Missing { what: "clip", id: id.uuid() })?.try_into()
    }

    /// Whether it is to be read: not when it is out.
    pub async fn is_wanted(self, id: ClipId) -> Result<bool, StoreError> {
        let shown = clip::Entity::find_by_id(id.uuid()).filter(clip::Column::Hidden.eq(false));
        Ok(shown.count(&self.store.db).await? == 1)
    }

    /// Says how far the reading is.
    pub async fn progress(self, clip: &Clip, state: State, progress: f32) -> Result<(), StoreError> {
        clip::Entity::update_many()
            .col_expr(clip::Column::State, Expr::value(state.word()))
            .col_expr(clip::Column::Progress, Expr::value(progress))
            .filter(clip::Column::Id.eq(clip.id.uuid()))
            .exec(&self.store.db)
            .await?;
        self.store.notify(clip.job, ChangedKind::Clip, clip.id).await
    }

    /// Says that it cannot be read, and why.
    pub async fn failed(self, clip: &Clip, problem: &str) -> Result<(), StoreError> {
        clip::Entity::update_many()
            .col_expr(clip::Column::State, Expr::value(State::Failed.word()))
            .col_expr(clip::Column::Problem, Expr::value(problem))
            .filter(clip::Column::Id.eq(clip.id.uuid()))
            .exec(&self.store.db)
            .await?;
        clips_changed(&self.store.db, clip.job).await?;
        self.store.notify(clip.job, ChangedKind::Clip, clip.id).await
    }

    /// Lets the clips wait that were read in another way than `version`'s; what was read stays until it is read again, and what a
    /// person said of them stays for good.
    pub async fn outdated_wait(self, version: i32) -> Result<(), StoreError> {
        clip::Entity::update_many()
            .col_expr(clip::Column::State, Expr::value(State::Waiting.word()))
            .col_expr(clip::Column::Progress, Expr::value(0.0f32))
            .filter(clip::Column::State.eq(State::Ready.word()))
            .filter(clip::Column::ReadingVersion.ne(version))
            .exec(&self.store.db)
            .await?;
        Ok(())
    }

    /// Clips that a stopped program left waiting or half-read.
    pub async fn unfinished(self) -> Result<Vec<ClipId>, StoreError> {
        let unfinished = [State::Waiting.word(), State::Reading.word()];
        let ids: Vec<Uuid> = clip::Entity::find()
            .filter(clip::Column::State.is_in(unfinished))
            .filter(clip::Column::Hidden.eq(false))
            .order_by_asc(clip::Column::RecordedAt)
            .select_only()
            .column(clip::Column::Id)
            .into_tuple()
            .all(&self.store.db)
            .await?;
        Ok(ids.into_iter().map(ClipId::from).collect())
    }
}
