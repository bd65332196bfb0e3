//! Drafts and their notes.

use crate::entity::{draft, note};
use crate::journal::{EditTarget, Editable, Fields, JobEdit, REMOVED, Revision, field_or, identified, set_field};
use crate::rows::Rows;
use crate::{Drafts, StoreError};
use legere_core::arrange::{Pace, Wishes};
use legere_core::check::Meant;
use legere_core::draft::{Draft, Pause, Score, Shot};
use legere_core::id::{DraftId, JobId, NoteId, ShotId};
use legere_core::time::FrameLen;
use sea_orm::prelude::*;
use sea_orm::{ActiveValue::Set, DatabaseTransaction, DerivePartialModel, QueryOrder, QuerySelect};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// A draft as it is kept: the cut, and what it was laid on.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(from = "StoredBody")]
pub struct DraftBody {
    /// The music that it lies on.
    pub score: Score,
    /// By section.
    pub pace: Vec<Pace>,
    /// The shots.
    pub cut: Draft,
    /// What is asked of it besides.
    #[serde(default, skip_serializing_if = "Asked::is_nothing")]
    pub asked: Asked,
}

/// What a person asks of one draft besides its pace.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Asked {
    /// What counts more than usual.
    pub wishes: Wishes,
    /// In order.
    pub chapters: Vec<ChapterWords>,
    /// Findings that are meant.
    pub meant: BTreeSet<Meant>,
}

impl Asked {
    fn is_nothing(&self) -> bool {
        *self == Self::default()
    }
}

/// A stretch of a draft, and the words that narrow to what it is about.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ChapterWords {
    /// In frames of the draft.
    pub from: i64,
    /// In frames, exclusive.
    pub to: i64,
    /// As in Sift.
    pub words: String,
}

/// A body as it is read: once a draft lay on one track.
#[derive(Deserialize)]
#[serde(untagged)]
enum StoredBody {
    Now {
        score: Score,
        pace: Vec<Pace>,
        cut: Draft,
        #[serde(default)]
        asked: Asked,
    },
    /// The track and its version stand where the score stands now.
    OneTrack {
        #[serde(flatten)]
        score: Score,
        pace: Vec<Pace>,
        cut: Draft,
    },
}

impl From<StoredBody> for DraftBody {
    fn from(kept: StoredBody) -> Self {
        match kept {
            StoredBody::Now { score, pace, cut, asked } => Self { score, pace, cut, asked },
            StoredBody::OneTrack { score, pace, cut } => Self { score, pace, cut, asked: Asked::default() },
        }
    }
}

/// A draft as it is kept.
#[derive(Debug, Clone, PartialEq)]
pub struct StoredDraft {
    /// Never changes; addresses are made of it.
    pub id: DraftId,
    /// The job that it belongs to.
    pub job: JobId,
    /// Counted within the job.
    pub number: i32,
    /// What a person calls it; without, its number is its name.
    pub name: Option<String>,
    /// What edits change.
    pub body: DraftBody,
    /// Whether a person took it out.
    pub removed: bool,
    /// Rises with every change.
    pub revision: Revision,
}

impl StoredDraft {
    /// "draft 2", or what a person calls it.
    pub fn title(&self) -> String {
        title(self.number, self.name.as_deref())
    }
}

fn title(number: i32, name: Option<&str>) -> String {
    name.map_or_else(|| format!("draft {number}"), str::to_owned)
}

/// A draft in a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DraftLine {
    /// Never changes; addresses are made of it.
    pub id: DraftId,
    /// Counted within the job.
    pub number: i32,
    /// The name that a person gave it.
    pub title: String,
    /// How many shots it has.
    pub shots: usize,
}

/// How many shots a stored draft has, whatever else is in it.
const SHOTS: &str = "coalesce(jsonb_array_length(CASE jsonb_typeof(body #> '{cut,shots}') \
                     WHEN 'array' THEN body #> '{cut,shots}' END), 0)";

#[derive(DerivePartialModel)]
#[sea_orm(entity = "draft::Entity", from_query_result)]
struct LineRow {
    id: Uuid,
    number: i32,
    name: Option<String>,
    #[sea_orm(from_expr = "Expr::cust(SHOTS)")]
    shots: i32,
}

/// A remark at a frame of a draft.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Note {
    /// Never changes; addresses are made of it.
    pub id: NoteId,
    /// The job that it belongs to.
    pub job: JobId,
    /// One draft.
    pub draft: DraftId,
    /// The frame of the draft.
    pub frame: i64,
    /// What was noted.
    pub words: String,
    /// Whether a person took it out.
    #[serde(skip)]
    pub removed: bool,
    /// Rises with every change.
    #[serde(skip)]
    pub revision: Revision,
}

impl TryFrom<draft::Model> for StoredDraft {
    type Error = StoreError;
    fn try_from(row: draft::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id.into(),
            job: row.job_id.into(),
            number: row.number,
            name: row.name,
            body: serde_json::from_value(row.body).map_err(StoreError::broken("draft"))?,
            removed: row.removed,
            revision: row.revision,
        })
    }
}

impl From<note::Model> for Note {
    fn from(row: note::Model) -> Self {
        Self {
            id: row.id.into(),
            job: row.job_id.into(),
            draft: row.draft_id.into(),
            frame: row.frame,
            words: row.words,
            removed: row.removed,
            revision: row.revision,
        }
    }
}

/// What a shot shows.
#[derive(Serialize, Deserialize)]
struct Shown {
    source: legere_core::draft::Source,
    hit_at: Option<u64>,
    #[serde(default)]
    pause: Option<Pause>,
}

fn shot_field(shot: ShotId, what: &str) -> String {
    format!("shot {shot} {what}")
}

fn missing_shot() -> StoreError {
    StoreError::Refused("a shot of this is no longer in the draft".into())
}

/// The field that says how long the piece is.
const TOTAL: &str = "total";

impl Editable for StoredDraft {
    const TARGET: EditTarget = EditTarget::Draft;

    identified!();

    fn fields(&self) -> Result<Fields, StoreError> {
        let mut fields = Fields::new();
        let DraftBody { score, pace, cut, asked } = &self.body;
        set_field(&mut fields, REMOVED, &self.removed)?;
        set_field(&mut fields, "name", &self.name)?;
        set_field(&mut fields, "pace", pace)?;
        set_field(&mut fields, "score", score)?;
        set_field(&mut fields, "wishes", &asked.wishes)?;
        set_field(&mut fields, "chapters", &asked.chapters)?;
        set_field(&mut fields, "meant", &asked.meant)?;
        set_field(&mut fields, "order", &cut.shots().iter().map(|s| s.id).collect::<Vec<ShotId>>())?;
        set_field(&mut fields, TOTAL, &cut.len())?;
        for shot in cut.shots() {
            set_field(&mut fields, shot_field(shot.id, "length"), &shot.len)?;
            let shown = Shown { source: shot.source.clone(), hit_at: shot.hit_at, pause: shot.pause };
            set_field(&mut fields, shot_field(shot.id, "source"), &shown)?;
            set_field(&mut fields, shot_field(shot.id, "pin"), &shot.pin)?;
            set_field(&mut fields, shot_field(shot.id, "held"), &shot.held)?;
        }
        Ok(fields)
    }

    fn apply_fields(&self, changed: &Fields) -> Result<Self, StoreError> {
        let mut fields = self.fields()?;
        fields.extend(changed.iter().map(|(name, value)| (name.clone(), value.clone())));
        fields.retain(|_, value| !value.is_null());
        let name =
            fields.remove("name").map(serde_json::from_value).transpose().map_err(StoreError::broken("draft"))?;
        let whole = |name: &str| fields.get(name).cloned().ok_or_else(missing_shot);
        fn read<T: serde::de::DeserializeOwned>(value: serde_json::Value) -> Result<T, StoreError> {
            serde_json::from_value(value).map_err(StoreError::broken("draft"))
        }
        let score: Score = read(whole("score")?)?;
        let order: Vec<ShotId> = read(whole("order")?)?;
        let shots = order
            .into_iter()
            .map(|id| {
                let shown: Shown = read(whole(&shot_field(id, "source"))?)?;
                Ok(Shot {
                    id,
                    len: read(whole(&shot_field(id, "length"))?)?,
                    source: shown.source,
                    hit_at: shown.hit_at,
                    pause: shown.pause,
                    pin: read(whole(&shot_field(id, "pin"))?)?,
                    // Entries of earlier versions have none.
                    held: fields.get(&shot_field(id, "held")).cloned().map(read).transpose()?.unwrap_or(false),
                })
            })
            .collect::<Result<Vec<Shot>, StoreError>>()?;
        let before = &self.body.cut;
        let cut = Draft::new(before.rate(), shots).map_err(|e| StoreError::Refused(e.to_string()))?;
        // Fields that were changed independently must not make the piece longer or shorter; an edit that does so on
        // purpose says it. Edits of earlier versions did so only with their score or their order.
        let stays = match changed.get(TOTAL) {
            Some(total) => read::<FrameLen>(total.clone())? == cut.len(),
            None => cut.len() == before.len() || changed.contains_key("score") || changed.contains_key("order"),
        };
        if !stays {
            return Err(StoreError::Refused("the shots around it have changed".into()));
        }
        let pace = read(whole("pace")?)?;
        let asked = Asked {
            wishes: field_or(changed, "wishes", self.body.asked.wishes)?,
            chapters: field_or(changed, "chapters", self.body.asked.chapters.clone())?,
            meant: field_or(changed, "meant", self.body.asked.meant.clone())?,
        };
        Ok(Self {
            removed: field_or(changed, REMOVED, self.removed)?,
            name,
            body: DraftBody { score, pace, cut, asked },
            ..self.clone()
        })
    }

    async fn read(t: &DatabaseTransaction, id: Uuid) -> Result<Self, StoreError> {
        draft::Entity::find_by_id(id).one(t).await?.ok_or(StoreError::Missing { what: "draft", id })?.try_into()
    }

    async fn write(&self, _: &Self, t: &DatabaseTransaction, revision: Revision) -> Result<(), StoreError> {
        let row = draft::ActiveModel {
            id: Set(self.id.uuid()),
            name: Set(self.name.clone()),
            body: Set(kept(&self.body)?),
            removed: Set(self.removed),
            revision: Set(revision),
            ..Default::default()
        };
        row.update(t).await?;
        Ok(())
    }
}

/// A body as it is kept; refused when it could not be read again, for then nothing of it would be left.
fn kept(body: &DraftBody) -> Result<Json, StoreError> {
    let value = serde_json::to_value(body).map_err(StoreError::broken("draft"))?;
    let back: DraftBody = DraftBody::deserialize(&value).map_err(StoreError::broken("draft"))?;
    if back == *body { Ok(value) } else { Err(StoreError::Refused("this draft could not be kept as it is".into())) }
}

impl Editable for Note {
    const TARGET: EditTarget = EditTarget::Note;

    identified!();

    fn fields(&self) -> Result<Fields, StoreError> {
        let mut fields = Fields::new();
        set_field(&mut fields, REMOVED, &self.removed)?;
        set_field(&mut fields, "frame", &self.frame)?;
        set_field(&mut fields, "words", &self.words)?;
        Ok(fields)
    }

    fn apply_fields(&self, fields: &Fields) -> Result<Self, StoreError> {
        Ok(Self {
            removed: field_or(fields, REMOVED, self.removed)?,
            frame: field_or(fields, "frame", self.frame)?,
            words: field_or(fields, "words", self.words.clone())?,
            ..self.clone()
        })
    }

    async fn read(t: &DatabaseTransaction, id: Uuid) -> Result<Self, StoreError> {
        let row = note::Entity::find_by_id(id).one(t).await?;
        row.map(Self::from).ok_or(StoreError::Missing { what: "note", id })
    }

    async fn write(&self, _: &Self, t: &DatabaseTransaction, revision: Revision) -> Result<(), StoreError> {
        let row = note::ActiveModel {
            id: Set(self.id.uuid()),
            frame: Set(self.frame),
            words: Set(self.words.clone()),
            removed: Set(self.removed),
            revision: Set(revision),
            ..Default::default()
        };
        row.update(t).await?;
        Ok(())
    }
}

/// The next free number of a job's drafts.
async fn next_number(job: JobId, db: &impl ConnectionTrait) -> Result<i32, StoreError> {
    let last: Option<i32> = draft::Entity::find()
        .filter(draft::Column::JobId.eq(job.uuid()))
        .select_only()
        .column(draft::Column::Number)
        .order_by_desc(draft::Column::Number)
        .into_tuple()
        .one(db)
        .await?;
    Ok(last.unwrap_or(0) + 1)
}

/// A draft has no more notes than anybody reads.
const MOST_NOTES: u64 = 1000;

impl JobEdit {
    /// A new draft, with the next free number of its job.
    pub async fn add_draft(&mut self, name: Option<String>, body: &DraftBody) -> Result<DraftId, StoreError> {
        let number = next_number(self.job(), self.transaction()).await?;
        let id = DraftId::from(Uuid::now_v7());
        draft::ActiveModel {
            id: Set(id.uuid()),
            job_id: Set(self.job().uuid()),
            number: Set(number),
            name: Set(name),
            body: Set(kept(body)?),
            created_at: Set(chrono::Utc::now()),
            // Until the journal says that it is there.
            removed: Set(true),
            revision: Set(0),
        }
        .insert(self.transaction())
        .await?;
        let row: StoredDraft = self.load(id).await?;
        self.put(&row, &StoredDraft { removed: false, ..row.clone() }, None).await?;
        Ok(id)
    }

    /// Adds a note to a draft.
    pub async fn add_note(&mut self, draft: DraftId, frame: i64, words: String) -> Result<NoteId, StoreError> {
        // A note belongs to a draft of this job.
        self.load::<StoredDraft>(draft).await?;
        let of_draft =
            note::Entity::find().filter(note::Column::DraftId.eq(draft.uuid())).filter(note::Column::Removed.eq(false));
        if of_draft.count(self.transaction()).await? >= MOST_NOTES {
            return Err(StoreError::Refused(format!("a draft has at most {MOST_NOTES} notes")));
        }
        let id = NoteId::from(Uuid::now_v7());
        note::ActiveModel {
            id: Set(id.uuid()),
            job_id: Set(self.job().uuid()),
            draft_id: Set(draft.uuid()),
            frame: Set(frame),
            words: Set(words),
            removed: Set(true),
            revision: Set(0),
        }
        .insert(self.transaction())
        .await?;
        let row: Note = self.load(id).await?;
        self.put(&row, &Note { removed: false, ..row.clone() }, None).await?;
        Ok(id)
    }
}

impl Drafts<'_> {
    /// The drafts of a job as a list, the newest first. A draft that cannot be read is in it all the same.
    pub async fn lines(self, job: JobId) -> Result<Vec<DraftLine>, StoreError> {
        let rows: Vec<LineRow> = draft::Entity::find()
            .filter(draft::Column::JobId.eq(job.uuid()))
            .filter(draft::Column::Removed.eq(false))
            .order_by_desc(draft::Column::Number)
            .into_partial_model()
            .all(&self.store.db)
            .await?;
        Ok(rows
            .into_iter()
            .map(|row| DraftLine {
                id: row.id.into(),
                number: row.number,
                title: title(row.number, row.name.as_deref()),
                shots: usize::try_from(row.shots).unwrap_or(0),
            })
            .collect())
    }

    /// The number that the next draft of a job will have.
    pub async fn next_number(self, job: JobId) -> Result<i32, StoreError> {
        next_number(job, &self.store.db).await
    }

    /// The newest draft of a job; nothing where there is none that can be read.
    pub async fn newest(self, job: JobId) -> Result<Option<StoredDraft>, StoreError> {
        let row = draft::Entity::find()
            .filter(draft::Column::JobId.eq(job.uuid()))
            .filter(draft::Column::Removed.eq(false))
            .order_by_desc(draft::Column::Number)
            .one(&self.store.db)
            .await?;
        Ok(row.and_then(|row| StoredDraft::try_from(row).ok()))
    }

    /// All drafts of a job, the newest first.
    pub async fn of_job(self, job: JobId) -> Result<Rows<StoredDraft>, StoreError> {
        let rows = draft::Entity::find()
            .filter(draft::Column::JobId.eq(job.uuid()))
            .filter(draft::Column::Removed.eq(false))
            .order_by_desc(draft::Column::Number)
            .all(&self.store.db)
            .await?;
        Ok(Rows::read(rows, |r| (r.id, title(r.number, r.name.as_deref())), StoredDraft::try_from))
    }

    /// One draft.
    pub async fn get(self, id: DraftId) -> Result<StoredDraft, StoreError> {
        let row =
            draft::Entity::find_by_id(id.uuid()).filter(draft::Column::Removed.eq(false)).one(&self.store.db).await?;
        row.ok_or(StoreError::Missing { what: "draft", id: id.uuid() })?.try_into()
    }

    /// The notes of a draft, in the order of their frames.
    pub async fn notes(self, draft: DraftId) -> Result<Vec<Note>, StoreError> {
        let rows = note::Entity::find()
            .filter(note::Column::DraftId.eq(draft.uuid()))
            .filter(note::Column::Removed.eq(false))
            .order_by_asc(note::Column::Frame)
            .all(&self.store.db)
            .await?;
        Ok(rows.into_iter().map(Note::from).collect())
    }
}
