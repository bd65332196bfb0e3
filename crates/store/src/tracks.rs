//! Tracks: the candidates for the music.

use crate::clips::{FileIdentity, Import, State, file_name};
use crate::entity::{track, track_reading};
use crate::error::word;
use crate::events::ChangedKind;
use crate::journal::{
    By, EditTarget, Editable, Fields, JobEdit, REMOVED, Revision, field_or, identified, lock_job, set_field,
};
use crate::rows::Rows;
use crate::sql::bound;
use crate::{StoreError, Tracks};
use chrono::{DateTime, Utc};
use legere_core::clip::SoundProbe;
use legere_core::id::{JobId, TrackId};
use legere_core::track::SoundKind;
use legere_core::track::marks::Marks;
use legere_core::track::{TrackReading, Version};
use sea_orm::prelude::*;
use sea_orm::sea_query::{ExprTrait, OnConflict};
use sea_orm::{ActiveValue::Set, DatabaseTransaction, QueryOrder, QuerySelect, TransactionTrait};
use serde::{Deserialize, Serialize};

/// One sound file: a piece of music, or a sound.
#[derive(Debug, Clone, PartialEq)]
#[expect(clippy::struct_excessive_bools, reason = "columns of one row, each with a meaning of its own")]
pub struct Track {
    /// Never changes; addresses are made of it.
    pub id: TrackId,
    /// The job that it belongs to.
    pub job: JobId,
    /// The name of the media folder that it lies in.
    pub root: String,
    /// Below the media folder.
    pub path: String,
    /// The name that a person gave it.
    pub name: String,
    /// How large the file is.
    pub bytes: i64,
    /// The file’s own time.
    pub modified: Option<DateTime<Utc>>,
    /// Of the content; known once it was read.
    pub digest: Option<String>,
    /// How far it is.
    pub state: State,
    /// What is wrong with it, in words for the editor.
    pub problem: Option<String>,
    /// The file was not where it should be when somebody last looked.
    pub missing: bool,
    /// What the file says of itself; none until it is read.
    pub probe: Option<SoundProbe>,
    /// What lists show of its reading, with the marks over it; none until it is read.
    pub summary: Option<TrackSummary>,
    /// The version of the reading; rises when it is read again by another one.
    pub version: i32,
    /// What a person set over the reading.
    pub marks: Marks,
    /// What a person says it is.
    pub about: TrackMetadata,
    /// How a person uses it, or what was offered while nobody had chosen.
    pub part: Option<Version>,
    /// By its length and content, or as a person said.
    pub kind: SoundKind,
    /// Whether a person said so.
    pub kind_manual: bool,
    /// Whether its path is its own: not where another track's file lies there by now.
    pub owns_path: bool,
    /// How often a reading was asked for.
    pub asked: i32,
    /// Whether a person took it out.
    pub removed: bool,
    /// Out, by itself or with its import.
    pub hidden: bool,
    /// Rises with every change.
    pub revision: Revision,
}

/// What lists show of a reading.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct TrackSummary {
    /// Seconds.
    pub duration: f64,
    /// Beats a minute.
    pub tempo_bpm: f64,
    /// LUFS.
    pub loudness: f64,
}

impl TrackSummary {
    /// Of a reading.
    pub fn of(reading: &TrackReading) -> Self {
        Self { duration: reading.duration, tempo_bpm: reading.tempo_bpm, loudness: reading.loudness }
    }
}

/// What a person says of a track; `None` is as its file says.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct TrackMetadata {
    /// As the file or a person says.
    pub title: Option<String>,
    /// As the file or a person says.
    pub maker: Option<String>,
    /// As the file or a person says.
    pub mood: Option<String>,
    /// As the file or a person says.
    pub theme: Option<String>,
    /// As the file or a person says.
    pub genre: Option<String>,
}

impl TrackMetadata {
    /// With what the file says of itself where a person said nothing.
    pub fn over(&self, probe: Option<&SoundProbe>) -> Self {
        let own = |said: &Option<String>, file: fn(&SoundProbe) -> &Option<String>| {
            said.clone().or_else(|| probe.and_then(|p| file(p).clone()))
        };
        Self {
            title: own(&self.title, |p| &p.title),
            maker: own(&self.maker, |p| &p.artist),
            mood: own(&self.mood, |p| &p.mood),
            theme: own(&self.theme, |p| &p.theme),
            genre: own(&self.genre, |p| &p.genre),
        }
    }
}

impl TryFrom<track::Model> for Track {
    type Error = StoreError;
    fn try_from(row: track::Model) -> Result<Self, StoreError> {
        let marks = row.marks.map(serde_json::from_value).transpose().map_err(StoreError::broken("marks"))?;
        let about = row.about.map(serde_json::from_value).transpose().map_err(StoreError::broken("words"))?;
        Ok(Self {
            id: row.id.into(),
            job: row.job_id.into(),
            root: row.root,
            path: row.path,
            name: row.name,
            bytes: row.bytes,
            modified: row.modified,
            digest: row.digest,
            state: word("track", &row.state)?,
            problem: row.problem,
            missing: row.missing,
            probe: row.probe.map(serde_json::from_value).transpose().map_err(StoreError::broken("track"))?,
            summary: row.summary.map(serde_json::from_value).transpose().map_err(StoreError::broken("reading"))?,
            version: row.version,
            kind: word("track", &row.kind)?,
            kind_manual: row.kind_manual,
            owns_path: row.owns_path,
            asked: row.asked,
            marks: marks.unwrap_or_default(),
            about: about.unwrap_or_default(),
            part: row.part.map(serde_json::from_value).transpose().map_err(StoreError::broken("part"))?,
            removed: row.removed,
            hidden: row.hidden,
            revision: row.revision,
        })
    }
}

impl Editable for Track {
    const TARGET: EditTarget = EditTarget::Track;

    identified!();

    fn fields(&self) -> Result<Fields, StoreError> {
        let mut fields = Fields::new();
        set_field(&mut fields, REMOVED, &self.removed)?;
        set_field(&mut fields, "version", &self.part)?;
        set_field(&mut fields, "path", &(&self.root, &self.path, self.owns_path))?;
        set_field(&mut fields, "kind", &(self.kind, self.kind_manual))?;
        set_field(&mut fields, "beats", &self.marks.beats)?;
        set_field(&mut fields, "sections", &self.marks.sections)?;
        set_field(&mut fields, "cues", &self.marks.cues)?;
        let TrackMetadata { title, maker, mood, theme, genre } = &self.about;
        for (name, said) in [("title", title), ("maker", maker), ("mood", mood), ("theme", theme), ("genre", genre)] {
            set_field(&mut fields, name, said)?;
        }
        Ok(fields)
    }

    fn apply_fields(&self, fields: &Fields) -> Result<Self, StoreError> {
        let (marks, about) = (self.marks.clone(), self.about.clone());
        let own = (self.root.clone(), self.path.clone(), self.owns_path);
        let (root, path, owns_path) = field_or(fields, "path", own)?;
        let (kind, kind_manual) = field_or(fields, "kind", (self.kind, self.kind_manual))?;
        Ok(Self {
            removed: field_or(fields, REMOVED, self.removed)?,
            part: field_or(fields, "version", self.part.clone())?,
            name: file_name(&path).to_owned(),
            root,
            path,
            owns_path,
            kind,
            kind_manual,
            marks: Marks {
                beats: field_or(fields, "beats", marks.beats)?,
                sections: field_or(fields, "sections", marks.sections)?,
                cues: field_or(fields, "cues", marks.cues)?,
            },
            about: TrackMetadata {
                title: field_or(fields, "title", about.title)?,
                maker: field_or(fields, "maker", about.maker)?,
                mood: field_or(fields, "mood", about.mood)?,
                theme: field_or(fields, "theme", about.theme)?,
                genre: field_or(fields, "genre", about.genre)?,
            },
            ..self.clone()
        })
    }

    async fn read(t: &DatabaseTransaction, id: Uuid) -> Result<Self, StoreError> {
        track::Entity::find_by_id(id).one(t).await?.ok_or(StoreError::Missing { what: "track", id })?.try_into()
    }

    async fn write(&self, before: &Self, t: &DatabaseTransaction, revision: Revision) -> Result<(), StoreError> {
        let json = |v: Result<Json, serde_json::Error>| v.map_err(StoreError::broken("track"));
        let mut row = track::ActiveModel {
            id: Set(self.id.uuid()),
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
        if (self.kind, self.kind_manual) != (before.kind, before.kind_manual) {
            row.kind = Set(<&str>::from(self.kind).into());
            row.kind_manual = Set(self.kind_manual);
        }
        if self.part != before.part {
            row.part = Set(self.part.as_ref().map(|p| json(serde_json::to_value(p))).transpose()?);
        }
        if self.about != before.about {
            row.about = Set(Some(json(serde_json::to_value(&self.about))?));
        }
        if self.marks != before.marks {
            // Nothing set is nothing kept.
            row.marks = Set((!self.marks.is_empty()).then(|| json(serde_json::to_value(&self.marks))).transpose()?);
            if let Some(measured) = measured(t, self.id).await? {
                let summary = TrackSummary::of(&self.marks.over(&measured));
                row.summary = Set(Some(json(serde_json::to_value(summary))?));
            }
        }
        row.update(t).await?;
        let hidden = "UPDATE track SET hidden = removed \
                      OR coalesce((SELECT i.removed FROM import i WHERE i.id = track.import_id), false) WHERE id = $1";
        let values = [self.id.uuid().into()];
        t.execute_raw(bound(hidden, values)).await?;
        Ok(())
    }
}

async fn measured(db: &impl ConnectionTrait, track: TrackId) -> Result<Option<TrackReading>, StoreError> {
    let row = track_reading::Entity::find_by_id(track.uuid()).one(db).await?;
    row.map(|r| serde_json::from_value(r.reading)).transpose().map_err(StoreError::broken("reading"))
}

/// A sound file to be taken in as a track.
#[derive(Debug, Clone, PartialEq)]
pub struct NewTrack {
    /// The name of the media folder that it lies in.
    pub root: String,
    /// Below the media folder.
    pub path: String,
    /// The name that a person gave it.
    pub name: String,
    /// How large the file is.
    pub bytes: i64,
    /// The file’s own time.
    pub modified: DateTime<Utc>,
}

/// The row of a file that was never read.
pub(crate) fn new_row(id: Uuid, job: JobId, import: Option<Uuid>, file: &NewTrack, hidden: bool) -> track::ActiveModel {
    track::ActiveModel {
        id: Set(id),
        job_id: Set(job.uuid()),
        import_id: Set(import),
        root: Set(file.root.clone()),
        path: Set(file.path.clone()),
        name: Set(file.name.clone()),
        bytes: Set(file.bytes),
        modified: Set(Some(file.modified)),
        digest: Set(None),
        state: Set(State::Waiting.word().into()),
        progress: Set(0.0),
        problem: Set(None),
        missing: Set(false),
        probe: Set(None),
        summary: Set(None),
        version: Set(0),
        part: Set(None),
        marks: Set(None),
        about: Set(None),
        added_at: Set(Utc::now()),
        removed: Set(false),
        hidden: Set(hidden),
        revision: Set(0),
        kind: Set(<&str>::from(SoundKind::Music).into()),
        kind_manual: Set(false),
        owns_path: Set(true),
        asked: Set(0),
    }
}

impl JobEdit {
    /// Takes a track in, or back; `None` when it is there already.
    pub async fn add_track(&mut self, import: &Import, file: &NewTrack) -> Result<Option<TrackId>, StoreError> {
        let known = track::Entity::find()
            .filter(track::Column::JobId.eq(self.job().uuid()))
            .filter(track::Column::Root.eq(&file.root))
            .filter(track::Column::Path.eq(&file.path))
            .filter(track::Column::OwnsPath.eq(true))
            .one(self.transaction())
            .await?;
        if let Some(known) = known {
            if !known.hidden {
                return Ok(None);
            }
            let (id, removed) = (known.id, known.removed);
            let mut row: track::ActiveModel = known.into();
            row.import_id = Set(Some(import.id.uuid()));
            row.update(self.transaction()).await?;
            if removed {
                let row: Track = self.load(id).await?;
                self.put(&row, &Track { removed: false, ..row.clone() }, None).await?;
            }
            return Ok(Some(id.into()));
        }
        let id = Uuid::now_v7();
        new_row(id, self.job(), Some(import.id.uuid()), file, true).insert(self.transaction()).await?;
        Ok(Some(id.into()))
    }
}

impl Tracks<'_> {
    /// Takes one track in, as an import of its own; `None` when it is there already.
    pub async fn import(self, job: JobId, by: By, file: &NewTrack) -> Result<Option<TrackId>, StoreError> {
        let mut edit = self.store.begin_edit(job, by).await?;
        let import = edit.begin_import().await?;
        let id = edit.add_track(&import, file).await?;
        if id.is_some() {
            edit.finish_import(&import).await?;
            edit.commit("bring in", None).await?;
        }
        Ok(id)
    }

    /// The tracks of a job that are not out, in the order in which they came.
    pub async fn of_job(self, job: JobId) -> Result<Rows<Track>, StoreError> {
        self.that(job, false).await
    }

    /// Those that are out.
    pub async fn hidden(self, job: JobId) -> Result<Rows<Track>, StoreError> {
        self.that(job, true).await
    }

    async fn that(self, job: JobId, hidden: bool) -> Result<Rows<Track>, StoreError> {
        let rows = track::Entity::find()
            .filter(track::Column::JobId.eq(job.uuid()))
            .filter(track::Column::Hidden.eq(hidden))
            .order_by_asc(track::Column::AddedAt)
            .all(&self.store.db)
            .await?;
        Ok(Rows::read(rows, |r| (r.id, r.name.clone()), Track::try_from))
    }

    /// One track.
    pub async fn get(self, id: TrackId) -> Result<Track, StoreError> {
        let row = track::Entity::find_by_id(id.uuid()).one(&self.store.db).await?;
        row.ok_or(StoreError::Missing { what: "track", id: id.uuid() })?.try_into()
    }

    /// What was measured in a track, without the marks of a person.
    pub async fn measured(self, track: TrackId) -> Result<Option<TrackReading>, StoreError> {
        measured(&self.store.db, track).await
    }

    /// Lets a track wait to be read again.
    pub async fn wait(self, track: &Track, problem: Option<&str>) -> Result<(), StoreError> {
        track::Entity::update_many()
            .col_expr(track::Column::State, Expr::value(State::Waiting.word()))
            .col_expr(track::Column::Problem, Expr::value(problem))
            .col_expr(track::Column::Asked, Expr::col(track::Column::Asked).add(1))
            .filter(track::Column::Id.eq(track.id.uuid()))
            .exec(&self.store.db)
            .await?;
        self.store.notify(track.job, ChangedKind::Track, track.id).await
    }

    /// Says how far it is, and what is wrong.
    pub async fn state(self, track: &Track, state: State, problem: Option<String>) -> Result<(), StoreError> {
        track::Entity::update_many()
            .col_expr(track::Column::State, Expr::value(state.word()))
            .col_expr(track::Column::Problem, Expr::value(problem))
            .filter(track::Column::Id.eq(track.id.uuid()))
            .exec(&self.store.db)
            .await?;
        self.store.notify(track.job, ChangedKind::Track, track.id).await
    }

    /// Says of some tracks of a job whether their files are where they should be.
    pub async fn missing(self, job: JobId, tracks: &[TrackId], missing: bool) -> Result<(), StoreError> {
        track::Entity::update_many()
            .col_expr(track::Column::Missing, Expr::value(missing))
            .filter(track::Column::JobId.eq(job.uuid()))
            .filter(track::Column::Id.is_in(tracks.iter().map(|t| t.uuid())))
            .exec(&self.store.db)
            .await?;
        for id in tracks {
            self.store.notify(job, ChangedKind::Track, *id).await?;
        }
        Ok(())
    }

    /// The same file with another time, as copying leaves it.
    pub async fn touched(self, track: TrackId, modified: DateTime<Utc>) -> Result<(), StoreError> {
        track::Entity::update_many()
            .col_expr(track::Column::Modified, Expr::value(modified))
            .filter(track::Column::Id.eq(track.uuid()))
            .exec(&self.store.db)
            .await?;
        Ok(())
    }

    /// Keeps a reading, and the offered part where there is none. What a person set meanwhile stays: the row is looked at
    /// when the reading is there, not when it began.
    pub async fn ready(
        self,
        track: &Track,
        identity: &FileIdentity,
        probe: &SoundProbe,
        reading: &TrackReading,
        offered: &Version,
    ) -> Result<(), StoreError> {
        let json = |v: Result<Json, serde_json::Error>| v.map_err(StoreError::broken("reading"));
        let transaction = self.store.db.begin().await?;
        lock_job(&transaction, track.job).await?;
        let row = track::Entity::find_by_id(track.id.uuid()).lock_exclusive().one(&transaction).await?;
        let row = row.ok_or(StoreError::Missing { what: "track", id: track.id.uuid() })?;
        let marks: Option<Marks> =
            row.marks.clone().map(serde_json::from_value).transpose().map_err(StoreError::broken("marks"))?;
        let seen = marks.map_or_else(|| TrackSummary::of(reading), |m| TrackSummary::of(&m.over(reading)));
        let has_part = row.part.is_some();
        // What was there before as music stays it; a person's word stays whatever is read.
        let reported = row.kind_manual || row.summary.is_some();
        let kind = if reported { word("track", &row.kind)? } else { SoundKind::classified(&row.path, reading) };
        let mut row: track::ActiveModel = row.into();
        row.bytes = Set(identity.bytes);
        row.modified = Set(Some(identity.modified));
        row.digest = Set(Some(identity.digest.clone()));
        // Asked for once more meanwhile: the next reading makes it ready.
        let state = if *row.asked.as_ref() == track.asked { State::Ready } else { State::Waiting };
        row.state = Set(state.word().into());
        row.problem = Set(None);
        row.probe = Set(Some(json(serde_json::to_value(probe))?));
        row.summary = Set(Some(json(serde_json::to_value(seen))?));
        row.version = Set(reading.version);
        row.kind = Set(<&str>::from(kind).into());
        if !has_part {
            row.part = Set(Some(json(serde_json::to_value(offered))?));
        }
        row.update(&transaction).await?;
        track_reading::Entity::insert(track_reading::ActiveModel {
            id: Set(track.id.uuid()),
            reading: Set(json(serde_json::to_value(reading))?),
        })
        .on_conflict(
            OnConflict::column(track_reading::Column::Id).update_column(track_reading::Column::Reading).to_owned(),
        )
        .exec_without_returning(&transaction)
        .await?;
        transaction.commit().await?;
        // The first track that can be used is the chosen one, until the editor chooses.
        if kind == SoundKind::Music {
            self.store.jobs().choose_first(track.job, track.id).await?;
        }
        self.store.notify(track.job, ChangedKind::Track, track.id).await
    }

    /// Lets those tracks wait again that were read by another version of the reading. What was read and what a person
    /// set stays until it is replaced.
    pub async fn outdated_wait(self, version: i32) -> Result<(), StoreError> {
        track::Entity::update_many()
            .col_expr(track::Column::State, Expr::value(State::Waiting.word()))
            .filter(track::Column::State.eq(State::Ready.word()))
            .filter(track::Column::Version.ne(version))
            .exec(&self.store.db)
            .await?;
        Ok(())
    }

    /// Those that wait or are being read.
    pub async fn unfinished(self) -> Result<Vec<TrackId>, StoreError> {
        let unfinished = [State::Waiting.word(), State::Reading.word()];
        let ids: Vec<Uuid> = track::Entity::find()
            .filter(track::Column::State.is_in(unfinished))
            .filter(track::Column::Hidden.eq(false))
            .select_only()
            .column(track::Column::Id)
            .into_tuple()
            .all(&self.store.db)
            .await?;
        Ok(ids.into_iter().map(TrackId::from).collect())
    }

    /// Makes what earlier versions did not keep beside their readings.
    pub async fn complete(self) -> Result<(), StoreError> {
        let lacking = track::Entity::find().filter(track::Column::Summary.is_null()).all(&self.store.db).await?;
        for track in Rows::read(lacking, |r| (r.id, r.name.clone()), Track::try_from).whole {
            let Ok(Some(measured)) = self.measured(track.id).await else { continue };
            let summary = serde_json::to_value(TrackSummary::of(&track.marks.over(&measured)))
                .map_err(StoreError::broken("reading"))?;
            track::Entity::update_many()
                .col_expr(track::Column::Summary, Expr::value(summary))
                .filter(track::Column::Id.eq(track.id.uuid()))
                .exec(&self.store.db)
                .await?;
        }
        Ok(())
    }
}
