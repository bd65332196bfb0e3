//! Reading clips and tracks.

use super::Desk;
use crate::error::WebError;
use legere_core::arrange::propose_part;
use legere_core::time::{Seconds, clock};
use legere_core::track::Version;
use legere_media::{MediaError, light, probe, sound};
use legere_store::StoreError;
use legere_store::clips::State;
use legere_store::jobs::Job;
use legere_store::tracks::Track;
use uuid::Uuid;

impl Desk {
    pub(super) async fn read_clip(&self, id: Uuid) -> Result<(), WebError> {
        let clip = self.store.clip(id).await?;
        if clip.state == State::Ready {
            return Ok(());
        }
        self.store.clip_progress(&clip, State::Reading, 0.0).await?;
        let made = async {
            let path = self.roots.resolve(&clip.root, &clip.path)?;
            let probe = probe::clip(&path).await?;
            let work = self.shelf.work()?;
            let (sender, mut steps) = tokio::sync::mpsc::unbounded_channel();
            let telling = {
                let (store, clip) = (self.store.clone(), clip.clone());
                tokio::spawn(async move {
                    while let Some(share) = steps.recv().await {
                        let _ = store.clip_progress(&clip, State::Reading, share).await;
                    }
                })
            };
            let mut last = 0.0f64;
            let made = light::make(&path, &probe, &work, |share| {
                // A step a fifth: more would only keep the page busy.
                if share - last >= 0.2 {
                    last = share;
                    let _ = sender.send(share as f32);
                }
            })
            .await;
            drop(sender);
            let _ = telling.await;
            let made = made?;
            if let Some(peaks) = &made.peaks {
                tokio::fs::write(work.path().join("peaks.bin"), peaks).await?;
            }
            work.publish(&self.shelf.clip(&id.to_string()))?;
            Ok::<_, MediaError>((probe, made))
        }
        .await;
        match made {
            Ok((mut probe, made)) => {
                let problem = made.cut_short.map(|real| {
                    format!(
                        "the file is cut short: {} of {} can be read",
                        clock(real.to_f64()),
                        clock(probe.duration.to_f64())
                    )
                });
                // What was decoded is what there is.
                probe.duration = Seconds::from_measured(
                    made.reading.duration.min(probe.duration.to_f64().max(made.reading.duration)),
                );
                let recorded = probe.recorded_at;
                let json = serde_json::to_value(&probe).unwrap_or_default();
                self.store.clip_ready(&clip, json, recorded, &made.reading, problem).await?;
            }
            Err(error) => {
                tracing::info!(clip = %clip.name, ?error, "a clip could not be read");
                self.store.clip_failed(&clip, &words(&error)).await?;
            }
        }
        Ok(())
    }

    pub(super) async fn read_track(&self, id: Uuid) -> Result<(), WebError> {
        let track = self.store.track(id).await?;
        if track.state == State::Ready {
            return Ok(());
        }
        self.store.track_state(&track, State::Reading, None).await?;
        let job = self.store.job(track.job).await?;
        let read = async {
            let path = self.roots.resolve(&track.root, &track.path)?;
            let read = sound::read(&path).await?;
            let work = self.shelf.work()?;
            sound::light_copy(&path, &work.path().join("light.flac")).await?;
            tokio::fs::write(work.path().join("peaks.bin"), &read.peaks).await?;
            work.publish(&self.shelf.track(&id.to_string()))?;
            Ok::<_, MediaError>(read)
        }
        .await;
        match read {
            Ok(read) => {
                let (start, end) = propose_part(&read.reading, job.target_seconds);
                let whole = read.probe.duration;
                let offered =
                    Version::part(Seconds::from_measured(start), Seconds::from_measured(end).min(whole), whole)?;
                let json = serde_json::to_value(&read.probe).unwrap_or_default();
                self.store.track_ready(&track, json, &read.reading, &offered).await?;
            }
            Err(error) => {
                tracing::info!(track = %track.name, ?error, "a track could not be read");
                self.track_unread(&track, words(&error)).await?;
            }
        }
        Ok(())
    }

    /// A track that was read before goes on with that.
    async fn track_unread(&self, track: &Track, why: String) -> Result<(), StoreError> {
        match track.measured {
            Some(_) => self.store.track_state(track, State::Ready, Some(format!("not read again: {why}"))).await,
            None => self.store.track_state(track, State::Failed, Some(why)).await,
        }
    }

    /// The chosen track with its part, when it can be used.
    pub async fn chosen_track(&self, job: &Job) -> Result<Option<(Track, Version)>, WebError> {
        let Some(id) = job.chosen_track else { return Ok(None) };
        let track = self.store.track(id).await?;
        let part = track.part.clone();
        Ok(part.filter(|_| track.reading.is_some()).map(|part| (track, part)))
    }
}

/// What an editor is told; the inside of it is in the log.
fn words(error: &MediaError) -> String {
    match error {
        MediaError::Io(_) | MediaError::Failed { .. } | MediaError::NoFfmpeg(_) => {
            "Legere could not make its light copy; the log says why".to_owned()
        }
        other => other.to_string(),
    }
}
