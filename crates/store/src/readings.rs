//! What was measured in clips.

use crate::clips::{Clip, FileIdentity, RecordedFrom, State};
use crate::entity::{clip, clip_reading, roll};
use crate::events::ChangedKind;
use crate::footage_changes::clips_changed;
use crate::journal::lock_job;
use crate::selects::first_select;
use crate::{Clips, StoreError};
use legere_core::clip::ClipProbe;
use legere_core::footage::{ClipReading, EnergyTrace, FrameSignature, ReadingSummary};
use legere_core::id::ClipId;
use sea_orm::prelude::*;
use sea_orm::sea_query::OnConflict;
use sea_orm::{ActiveValue::Set, ExprTrait, QuerySelect, TransactionTrait};

impl Clips<'_> {
    /// What was measured in a clip, once it was.
    pub async fn reading(self, id: ClipId) -> Result<Option<ClipReading>, StoreError> {
        let row = clip_reading::Entity::find_by_id(id.uuid()).one(&self.store.db).await?;
        row.map(|r| serde_json::from_value(r.reading)).transpose().map_err(StoreError::broken("reading"))
    }

    /// Keeps a reading, and the suggested moment as the clip's first select if there is none yet.
    pub async fn ready(
        self,
        clip: &Clip,
        identity: &FileIdentity,
        probe: &ClipProbe,
        reading: &ClipReading,
        problem: Option<String>,
    ) -> Result<(), StoreError> {
        let json = |v: Result<Json, serde_json::Error>| v.map_err(StoreError::broken("reading"));
        let transaction = self.store.db.begin().await?;
        // The job first, as in every edit: otherwise this would wait for an edit that waits for this clip.
        lock_job(&transaction, clip.job).await?;
        let row = clip::Entity::find_by_id(clip.id.uuid()).lock_exclusive().one(&transaction).await?;
        let row = row.ok_or(StoreError::Missing { what: "clip", id: clip.id.uuid() })?;
        let version = row.version + 1;
        let trace = EnergyTrace::of(reading);
        let mut row: clip::ActiveModel = row.into();
        row.bytes = Set(identity.bytes);
        row.modified = Set(Some(identity.modified));
        row.digest = Set(Some(identity.digest.clone()));
        // Asked for once more meanwhile: the next reading makes it ready.
        let state = if *row.asked.as_ref() == clip.asked { State::Ready } else { State::Waiting };
        row.state = Set(state.word().into());
        row.progress = Set(1.0);
        row.problem = Set(problem);
        row.read_at = Set(Some(chrono::Utc::now()));
        row.probe = Set(Some(json(serde_json::to_value(probe))?));
        row.motion = Set(Some(trace.bytes().to_vec()));
        row.signatures = Set(Some(FrameSignature::to_bytes(&reading.signatures)));
        row.summary = Set(Some(json(serde_json::to_value(ReadingSummary::of(reading)))?));
        row.reading_version = Set(reading.version);
        row.version = Set(version);
        if let Some(at) = probe.recorded_at {
            // The roll's clock may have been put right before the clip was read.
            let clock: Option<i64> = roll::Entity::find_by_id(*row.roll_id.as_ref())
                .select_only()
                .column(roll::Column::ClockSeconds)
                .into_tuple()
                .one(&transaction)
                .await?;
            let right = chrono::TimeDelta::try_seconds(clock.unwrap_or(0)).and_then(|by| at.checked_add_signed(by));
            row.recorded_at = Set(right.unwrap_or(at));
            row.recorded_from = Set(<&str>::from(RecordedFrom::Metadata).into());
        }
        row.update(&transaction).await?;
        clip_reading::Entity::insert(clip_reading::ActiveModel {
            id: Set(clip.id.uuid()),
            reading: Set(json(serde_json::to_value(reading))?),
        })
        .on_conflict(
            OnConflict::column(clip_reading::Column::Id).update_column(clip_reading::Column::Reading).to_owned(),
        )
        .exec_without_returning(&transaction)
        .await?;
        first_select(&transaction, clip, reading).await?;
        clips_changed(&transaction, clip.job).await?;
        transaction.commit().await?;
        self.store.notify(clip.job, ChangedKind::Clip, clip.id).await
    }

    /// Makes what earlier versions did not keep beside their readings.
    pub async fn complete(self) -> Result<(), StoreError> {
        let lacking: Vec<Uuid> = clip::Entity::find()
            .filter(clip::Column::Motion.is_null().or(clip::Column::Summary.is_null()))
            .filter(clip::Column::State.eq(State::Ready.word()))
            .select_only()
            .column(clip::Column::Id)
            .into_tuple()
            .all(&self.store.db)
            .await?;
        for id in lacking {
            // A reading that cannot be read is no reason to read no other: the clip's line says so.
            let Ok(Some(reading)) = self.reading(id.into()).await else { continue };
            let gist = serde_json::to_value(ReadingSummary::of(&reading)).map_err(StoreError::broken("reading"))?;
            clip::Entity::update_many()
                .col_expr(clip::Column::Motion, Expr::value(EnergyTrace::of(&reading).bytes().to_vec()))
                .col_expr(clip::Column::Summary, Expr::value(gist))
                .filter(clip::Column::Id.eq(id))
                .exec(&self.store.db)
                .await?;
        }
        self.store.selects().complete().await
    }
}
