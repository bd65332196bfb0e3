//! The files of clips and tracks: moved, replaced by others, present twice.
//!
//! What a person says is said of a content, not of a path. When another content turns up at a path, the clip that it was
//! said of keeps it: it moves to where its content is, or is missing until that turns up, and the path belongs to whose
//! content lies there. Only what carries nobody's work is read again in place, or removed. All of it goes through the
//! journal, in nobody's undo.

use crate::clips::{self, Clip, NewClip, State};
use crate::entity::{clip, clip_reading, track};
use crate::events::{ChangedKind, Event, notify};
use crate::journal::{By, Editable, JobEdit};
use crate::sql::bound;
use crate::tracks::{self, NewTrack, Track};
use crate::{Files, StoreError};
use chrono::{DateTime, Utc};
use legere_core::id::ClipId;
use sea_orm::prelude::*;
use sea_orm::sea_query::ExprTrait;
use sea_orm::{DatabaseTransaction, FromQueryResult, QueryOrder};
use std::future::Future;

/// What lies at the path of a clip or a track that had another content there before.
#[derive(Debug, Clone, PartialEq)]
pub enum NewContent<T> {
    /// A content that the job does not know.
    Unknown {
        /// Its size.
        bytes: i64,
        /// Its own time.
        modified: DateTime<Utc>,
    },
    /// The content of this one, whose own file is elsewhere still.
    CopyOf(T),
    /// The content of this one, whose own file is gone.
    MovedFrom(T),
}

/// A thing that is read from a file.
pub trait OfFile: Editable {
    /// Where its file lies: the media folder and the path below it.
    fn place(&self) -> (&str, &str);
    /// Whether its path is its own.
    fn owns_path(&self) -> bool;
    /// The same with another path.
    fn placed(&self, root: &str, path: &str, owns_path: bool) -> Self;
    /// Whether a person has said or made something of it.
    const CARRIES_WORK: &'static str;
    /// Its table.
    const TABLE: &'static str;
    /// What windows are notified of when a row comes or goes.
    const LISTED: ChangedKind;
    /// The row of another file at its place.
    fn insert_beside(
        &self,
        t: &DatabaseTransaction,
        bytes: i64,
        modified: DateTime<Utc>,
    ) -> impl Future<Output = Result<Uuid, StoreError>> + Send;
    /// Drops what was read of it and lets it wait, with words beside it.
    fn reset(&self, t: &DatabaseTransaction, words: &str) -> impl Future<Output = Result<(), StoreError>> + Send;
    /// A copy of what the job has already: shown no more where the job can do without it, otherwise read as it is.
    fn copied(
        &self,
        edit: &mut JobEdit,
        digest: Option<&str>,
        original: &Self,
    ) -> impl Future<Output = Result<bool, StoreError>> + Send;
}

impl OfFile for Clip {
    fn place(&self) -> (&str, &str) {
        (&self.root, &self.path)
    }

    fn owns_path(&self) -> bool {
        self.owns_path
    }

    fn placed(&self, root: &str, path: &str, owns_path: bool) -> Self {
        let name = clips::file_name(path).to_owned();
        Self { root: root.to_owned(), path: path.to_owned(), name, owns_path, ..self.clone() }
    }

    const TABLE: &'static str = "clip";
    const LISTED: ChangedKind = ChangedKind::Import;
    const CARRIES_WORK: &'static str = "SELECT \
        EXISTS (SELECT 1 FROM pick WHERE clip_id = $1 AND revision > 0) \
        OR EXISTS (SELECT 1 FROM clip WHERE id = $1 \
            AND (tags <> '[]' OR muted OR no_faults <> '[]' OR shown_seconds <> 5)) \
        OR EXISTS (SELECT 1 FROM change c JOIN journal j ON j.id = c.entry WHERE c.thing = $1 AND j.owner <> $2) \
        OR EXISTS (SELECT 1 FROM draft WHERE job_id = $3 AND body::text LIKE '%' || $1::uuid::text || '%') AS work";

    async fn insert_beside(
        &self,
        t: &DatabaseTransaction,
        bytes: i64,
        modified: DateTime<Utc>,
    ) -> Result<Uuid, StoreError> {
        let row = clip::Entity::find_by_id(self.id.uuid()).one(t).await?;
        let import = row.and_then(|r| r.import_id);
        let file =
            NewClip { root: self.root.clone(), path: self.path.clone(), name: self.name.clone(), bytes, modified };
        let id = Uuid::now_v7();
        clips::new_row(id, self.job, self.roll.uuid(), import, &file, self.hidden).insert(t).await?;
        Ok(id)
    }

    async fn reset(&self, t: &DatabaseTransaction, words: &str) -> Result<(), StoreError> {
        clip::Entity::update_many()
            .col_expr(clip::Column::State, Expr::value(State::Waiting.word()))
            .col_expr(clip::Column::Progress, Expr::value(0.0f32))
            .col_expr(clip::Column::Problem, Expr::value(words))
            .col_expr(clip::Column::Missing, Expr::value(false))
            .col_expr(clip::Column::Probe, Expr::value(None::<Json>))
            .col_expr(clip::Column::Motion, Expr::value(None::<Vec<u8>>))
            .col_expr(clip::Column::Signatures, Expr::value(None::<Vec<u8>>))
            .col_expr(clip::Column::Summary, Expr::value(None::<Json>))
            .col_expr(clip::Column::Digest, Expr::value(None::<String>))
            .col_expr(clip::Column::Version, Expr::col(clip::Column::Version).add(1))
            .col_expr(clip::Column::Asked, Expr::col(clip::Column::Asked).add(1))
            .filter(clip::Column::Id.eq(self.id.uuid()))
            .exec(t)
            .await?;
        clip_reading::Entity::delete_by_id(self.id.uuid()).exec(t).await?;
        crate::footage_changes::clips_changed(t, self.job).await
    }

    async fn copied(&self, edit: &mut JobEdit, digest: Option<&str>, original: &Self) -> Result<bool, StoreError> {
        if edit.carries_work::<Self>(self.id.uuid()).await? {
            return Ok(false);
        }
        edit.put(self, &Self { removed: true, ..self.clone() }, None).await?;
        let words = format!("the same file as {} is there already", original.name);
        clip::Entity::update_many()
            .col_expr(clip::Column::State, Expr::value(State::Failed.word()))
            .col_expr(clip::Column::Digest, Expr::value(digest))
            .col_expr(clip::Column::TwinOf, Expr::value(original.id.uuid()))
            .col_expr(clip::Column::Problem, Expr::value(words))
            .filter(clip::Column::Id.eq(self.id.uuid()))
            .exec(edit.transaction())
            .await?;
        Ok(true)
    }
}

impl OfFile for Track {
    fn place(&self) -> (&str, &str) {
        (&self.root, &self.path)
    }

    fn owns_path(&self) -> bool {
        self.owns_path
    }

    fn placed(&self, root: &str, path: &str, owns_path: bool) -> Self {
        let name = clips::file_name(path).to_owned();
        Self { root: root.to_owned(), path: path.to_owned(), name, owns_path, ..self.clone() }
    }

    const TABLE: &'static str = "track";
    const LISTED: ChangedKind = ChangedKind::Track;
    const CARRIES_WORK: &'static str = "SELECT \
        EXISTS (SELECT 1 FROM track WHERE id = $1 AND (marks IS NOT NULL OR about IS NOT NULL OR kind_manual)) \
        OR EXISTS (SELECT 1 FROM change c JOIN journal j ON j.id = c.entry WHERE c.thing = $1 AND j.owner <> $2) \
        OR EXISTS (SELECT 1 FROM draft WHERE job_id = $3 AND body::text LIKE '%' || $1::uuid::text || '%') AS work";

    async fn insert_beside(
        &self,
        t: &DatabaseTransaction,
        bytes: i64,
        modified: DateTime<Utc>,
    ) -> Result<Uuid, StoreError> {
        let row = track::Entity::find_by_id(self.id.uuid()).one(t).await?;
        let import = row.and_then(|r| r.import_id);
        let file =
            NewTrack { root: self.root.clone(), path: self.path.clone(), name: self.name.clone(), bytes, modified };
        let id = Uuid::now_v7();
        tracks::new_row(id, self.job, import, &file, self.hidden).insert(t).await?;
        Ok(id)
    }

    async fn reset(&self, t: &DatabaseTransaction, words: &str) -> Result<(), StoreError> {
        track::Entity::update_many()
            .col_expr(track::Column::State, Expr::value(State::Waiting.word()))
            .col_expr(track::Column::Problem, Expr::value(words))
            .col_expr(track::Column::Missing, Expr::value(false))
            .col_expr(track::Column::Digest, Expr::value(None::<String>))
            .col_expr(track::Column::Asked, Expr::col(track::Column::Asked).add(1))
            .filter(track::Column::Id.eq(self.id.uuid()))
            .exec(t)
            .await?;
        Ok(())
    }

    /// Music may lie in a job twice.
    async fn copied(&self, _: &mut JobEdit, _: Option<&str>, _: &Self) -> Result<bool, StoreError> {
        Ok(false)
    }
}

#[derive(FromQueryResult)]
struct CarriesWork {
    work: bool,
}

#[derive(FromQueryResult)]
struct AtPath {
    id: Uuid,
}

impl JobEdit {
    /// Whether a person has said or made something of a clip or a track.
    async fn carries_work<T: OfFile>(&self, id: Uuid) -> Result<bool, StoreError> {
        let values = [id.into(), By::ITSELF.person.uuid().into(), self.job().uuid().into()];
        let row = CarriesWork::find_by_statement(bound(T::CARRIES_WORK, values)).one(self.transaction()).await?;
        Ok(row.ok_or(StoreError::MovedOn)?.work)
    }

    /// Whom a path belongs to.
    async fn owner_of<T: OfFile>(&self, root: &str, path: &str) -> Result<Option<T>, StoreError> {
        self.at_path(root, path, "owns_path").await
    }

    async fn at_path<T: OfFile>(&self, root: &str, path: &str, which: &str) -> Result<Option<T>, StoreError> {
        let table = T::TABLE;
        let sql = format!(
            "SELECT id FROM {table} WHERE job_id = $1 AND root = $2 AND path = $3 AND {which} ORDER BY revision DESC LIMIT 1"
        );
        let sql = bound(&sql, [self.job().uuid().into(), root.into(), path.into()]);
        match AtPath::find_by_statement(sql).one(self.transaction()).await? {
            Some(row) => Ok(Some(self.load(row.id).await?)),
            None => Ok(None),
        }
    }

    async fn set_missing<T: OfFile>(&self, id: Uuid, missing: bool) -> Result<(), StoreError> {
        let sql = format!("UPDATE {} SET missing = $2 WHERE id = $1", T::TABLE);
        self.transaction().execute_raw(bound(&sql, [id.into(), missing.into()])).await?;
        Ok(())
    }

    /// Takes a path away from whom it belonged to: it is missing until its content turns up, or goes where it carries
    /// nobody's work.
    async fn displace<T: OfFile>(&mut self, owner: &T) -> Result<(), StoreError> {
        let (root, path) = owner.place();
        if self.carries_work::<T>(owner.id()).await? {
            self.put(owner, &owner.placed(root, path, false), None).await?;
            return self.set_missing::<T>(owner.id(), true).await;
        }
        let sql = format!("DELETE FROM {} WHERE id = $1", T::TABLE);
        self.transaction().execute_raw(bound(&sql, [owner.id().into()])).await?;
        crate::footage_changes::clips_changed(self.transaction(), self.job()).await?;
        notify(self.transaction(), &Event::of(self.job(), T::LISTED, owner.id())).await
    }

    /// Gives a path to whose content lies there.
    async fn take_path<T: OfFile>(&mut self, thing: &T, root: &str, path: &str) -> Result<(), StoreError> {
        if let Some(owner) = self.owner_of::<T>(root, path).await?.filter(|o| o.id() != thing.id()) {
            self.displace(&owner).await?;
        }
        let (old_root, old_path) = thing.place();
        self.put(thing, &thing.placed(root, path, true), None).await?;
        self.set_missing::<T>(thing.id(), false).await?;
        if (old_root, old_path) != (root, path)
            && thing.owns_path()
            && let Some(earlier) = self.at_path::<T>(old_root, old_path, "NOT owns_path").await?
        {
            // Nothing of the one that moved away lies there any more: the one before it is looked for there again.
            self.put(&earlier, &earlier.placed(old_root, old_path, true), None).await?;
        }
        Ok(())
    }
}

const RESET: &str = "another file lies here now: it is read";

impl Files<'_> {
    /// Another content lies at a path: gives what is to be read then.
    pub async fn content_changed<T: OfFile>(
        self,
        thing: &T,
        found: NewContent<T>,
        digest: &str,
    ) -> Result<Option<Uuid>, StoreError> {
        let mut edit = self.store.begin_edit(thing.job(), By::ITSELF).await?;
        let present: T = edit.load(thing.id()).await?;
        if present.place() != thing.place() || !present.owns_path() {
            return Ok(None);
        }
        let (root, path) = thing.place();
        let to_read = match found {
            NewContent::MovedFrom(other) => {
                let other: T = edit.load(other.id()).await?;
                edit.take_path(&other, root, path).await?;
                None
            }
            NewContent::CopyOf(original) => {
                if !present.copied(&mut edit, Some(digest), &original).await? {
                    edit.displace(&present).await?;
                }
                None
            }
            NewContent::Unknown { bytes, modified } => {
                if edit.carries_work::<T>(present.id()).await? {
                    edit.displace(&present).await?;
                    let id = present.insert_beside(edit.transaction(), bytes, modified).await?;
                    notify(edit.transaction(), &Event::of(edit.job(), T::LISTED, id)).await?;
                    Some(id)
                } else {
                    present.reset(edit.transaction(), RESET).await?;
                    notify(edit.transaction(), &Event::of(edit.job(), T::LISTED, present.id())).await?;
                    Some(present.id())
                }
            }
        };
        edit.commit("follow the files", None).await?;
        Ok(to_read)
    }

    /// The content of `thing`, whose own file is gone, was found at the path of `found`, which was never read. Gives whether
    /// `found` is that now; what carries work itself stays beside it.
    pub async fn content_moved<T: OfFile>(self, thing: &T, found: &T) -> Result<bool, StoreError> {
        let mut edit = self.store.begin_edit(thing.job(), By::ITSELF).await?;
        if edit.carries_work::<T>(found.id()).await? {
            return Ok(false);
        }
        let (thing, found): (T, T) = (edit.load(thing.id()).await?, edit.load(found.id()).await?);
        let (root, path) = found.place();
        edit.take_path(&thing, root, path).await?;
        edit.commit("follow the files", None).await?;
        Ok(true)
    }

    /// A file that was never read is a copy of one that the job has. Gives whether it is shown no more.
    pub async fn content_copied<T: OfFile>(self, copy: &T, digest: &str, original: &T) -> Result<bool, StoreError> {
        let mut edit = self.store.begin_edit(copy.job(), By::ITSELF).await?;
        let present: T = edit.load(copy.id()).await?;
        let gone = present.copied(&mut edit, Some(digest), original).await?;
        edit.commit("follow the files", None).await?;
        Ok(gone)
    }

    /// The file of a clip or a track was found at a path by its content. Where another one that carries work has that path, it
    /// shows the same content, and both have it.
    pub async fn found_at<T: OfFile>(self, thing: &T, root: &str, path: &str) -> Result<(), StoreError> {
        let mut edit = self.store.begin_edit(thing.job(), By::ITSELF).await?;
        let thing: T = edit.load(thing.id()).await?;
        let owner = edit.owner_of::<T>(root, path).await?.filter(|o| o.id() != thing.id());
        match owner {
            Some(owner) if edit.carries_work::<T>(owner.id()).await? => {
                edit.put(&thing, &thing.placed(root, path, false), None).await?;
                edit.set_missing::<T>(thing.id(), false).await?;
            }
            _ => edit.take_path(&thing, root, path).await?,
        }
        notify(edit.transaction(), &Event::of(edit.job(), T::LISTED, thing.id())).await?;
        edit.commit("follow the files", None).await
    }

    /// A person says that the file which took the path of a clip is the same shot: the clip is read from it, and what was said
    /// of the clip holds for it.
    pub async fn adopt(self, by: By, clip: &Clip) -> Result<ClipId, StoreError> {
        let mut edit = self.store.begin_edit(clip.job, by).await?;
        let clip: Clip = edit.load(clip.id).await?;
        if clip.owns_path {
            return Err(StoreError::Refused("no other file lies in its place".into()));
        }
        if let Some(owner) = edit.owner_of::<Clip>(&clip.root, &clip.path).await? {
            if edit.carries_work::<Clip>(owner.id.uuid()).await? {
                let words = "the new file was judged by now: leave one of the two out";
                return Err(StoreError::Refused(words.into()));
            }
            edit.displace(&owner).await?;
        }
        let adopted = clip.placed(&clip.root, &clip.path, true);
        edit.put(&clip, &adopted, None).await?;
        adopted.reset(edit.transaction(), RESET).await?;
        edit.commit("use the new file", None).await?;
        Ok(clip.id)
    }

    /// Another clip of the job with the same content; one that is shown before one that is not, one that is missing before one
    /// that is not.
    pub async fn clip_with_content(self, clip: &Clip, bytes: i64, digest: &str) -> Result<Option<Clip>, StoreError> {
        let found = clip::Entity::find()
            .filter(clip::Column::JobId.eq(clip.job.uuid()))
            .filter(clip::Column::Id.ne(clip.id.uuid()))
            .filter(clip::Column::Bytes.eq(bytes))
            .filter(clip::Column::Digest.eq(digest))
            .order_by_asc(clip::Column::Hidden)
            .order_by_asc(clip::Column::OwnsPath)
            .order_by_desc(clip::Column::Missing)
            .one(&self.store.db)
            .await?;
        found.map(Clip::try_from).transpose()
    }

    /// Another track of the job with the same content, in the same order.
    pub async fn track_with_content(
        self,
        track: &Track,
        bytes: i64,
        digest: &str,
    ) -> Result<Option<Track>, StoreError> {
        let found = track::Entity::find()
            .filter(track::Column::JobId.eq(track.job.uuid()))
            .filter(track::Column::Id.ne(track.id.uuid()))
            .filter(track::Column::Bytes.eq(bytes))
            .filter(track::Column::Digest.eq(digest))
            .order_by_asc(track::Column::Hidden)
            .order_by_asc(track::Column::OwnsPath)
            .order_by_desc(track::Column::Missing)
            .one(&self.store.db)
            .await?;
        found.map(Track::try_from).transpose()
    }
}
