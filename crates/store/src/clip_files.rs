//! Clips as their files: where they should lie, whether they are there, and waiting to be read from them.

use crate::clips::{RecordedFrom, State};
use crate::entity::clip;
use crate::events::ChangedKind;
use crate::footage_changes::clips_changed;
use crate::rows::BrokenRow;
use crate::{Clips, StoreError};
use chrono::{DateTime, Utc};
use legere_core::id::{ClipId, JobId};
use sea_orm::DerivePartialModel;
use sea_orm::prelude::*;
use sea_orm::sea_query::ExprTrait;

/// So many clips are named one by one to open windows.
const FEW: usize = 24;

/// What is known of a clip's file. A job of ten thousand clips is looked for every few seconds: what was read of them is left
/// where it is.
#[derive(Debug, Clone, PartialEq, DerivePartialModel)]
#[sea_orm(entity = "clip::Entity", from_query_result)]
pub struct ClipFile {
    id: Uuid,
    /// The name of the media folder that it lies in.
    pub root: String,
    /// Below the media folder.
    pub path: String,
    /// How large it is.
    pub bytes: i64,
    /// Its own time.
    pub modified: Option<DateTime<Utc>>,
    /// Of the content; known once it was read.
    pub digest: Option<String>,
    /// Whether its path is its own.
    pub owns_path: bool,
    state: String,
    /// Whether the clip is out.
    pub hidden: bool,
    /// Whether it was away when somebody last looked.
    pub missing: bool,
}

impl ClipFile {
    /// Of the clip.
    pub fn id(&self) -> ClipId {
        self.id.into()
    }

    /// Whether the clip is so far.
    pub fn is(&self, state: State) -> bool {
        self.state == state.word()
    }
}

impl Clips<'_> {
    /// The files of all clips of a job, also of those that are out.
    pub async fn files(self, job: JobId) -> Result<Vec<ClipFile>, StoreError> {
        let files = clip::Entity::find().filter(clip::Column::JobId.eq(job.uuid())).into_partial_model();
        Ok(files.all(&self.store.db).await?)
    }

    /// Says of some clips of a job whether their files are where they should be.
    pub async fn missing(self, job: JobId, clips: &[ClipId], missing: bool) -> Result<(), StoreError> {
        clip::Entity::update_many()
            .col_expr(clip::Column::Missing, Expr::value(missing))
            .filter(clip::Column::JobId.eq(job.uuid()))
            .filter(clip::Column::Id.is_in(clips.iter().map(|c| c.uuid())))
            .exec(&self.store.db)
            .await?;
        clips_changed(&self.store.db, job).await?;
        self.notify_of(job, clips).await
    }

    /// Lets clips wait to be read again, with what is said of that beside them. What was read before stays until then,
    /// unless the file is another one.
    pub async fn wait(self, job: JobId, clips: &[ClipId], problem: Option<&str>) -> Result<(), StoreError> {
        clip::Entity::update_many()
            .col_expr(clip::Column::State, Expr::value(State::Waiting.word()))
            .col_expr(clip::Column::Progress, Expr::value(0.0f32))
            .col_expr(clip::Column::Problem, Expr::value(problem))
            .col_expr(clip::Column::Asked, Expr::col(clip::Column::Asked).add(1))
            .filter(clip::Column::JobId.eq(job.uuid()))
            .filter(clip::Column::Id.is_in(clips.iter().map(|c| c.uuid())))
            .exec(&self.store.db)
            .await?;
        self.notify_of(job, clips).await
    }

    /// Windows hear of each of a few clips, and of many that the clips of the job have changed: a drive that goes away is one
    /// event.
    async fn notify_of(self, job: JobId, clips: &[ClipId]) -> Result<(), StoreError> {
        match clips {
            [first, ..] if clips.len() > FEW => self.store.notify(job, ChangedKind::Import, *first).await,
            few => {
                for id in few {
                    self.store.notify(job, ChangedKind::Clip, *id).await?;
                }
                Ok(())
            }
        }
    }

    /// Lets the clips and tracks whose rows cannot be read be read again: what could be kept of them is their file's place.
    pub async fn mend(self, job: JobId, broken: &[BrokenRow]) -> Result<(), StoreError> {
        for row in broken {
            clip::Entity::update_many()
                .col_expr(clip::Column::State, Expr::value(State::Waiting.word()))
                .col_expr(clip::Column::RecordedFrom, Expr::value(<&str>::from(RecordedFrom::File)))
                .col_expr(clip::Column::Probe, Expr::value(None::<Json>))
                .col_expr(clip::Column::Summary, Expr::value(None::<Json>))
                .col_expr(clip::Column::Problem, Expr::value(None::<String>))
                .col_expr(clip::Column::Asked, Expr::col(clip::Column::Asked).add(1))
                .filter(clip::Column::JobId.eq(job.uuid()))
                .filter(clip::Column::Id.eq(row.id))
                .exec(&self.store.db)
                .await?;
            self.store.notify(job, ChangedKind::Clip, row.id).await?;
        }
        Ok(())
    }

    /// The same file with another time, as copying leaves it.
    pub async fn touched(self, clip: ClipId, modified: DateTime<Utc>) -> Result<(), StoreError> {
        clip::Entity::update_many()
            .col_expr(clip::Column::Modified, Expr::value(modified))
            .filter(clip::Column::Id.eq(clip.uuid()))
            .exec(&self.store.db)
            .await?;
        Ok(())
    }
}
