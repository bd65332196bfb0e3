//! The passages of music under a draft, as they are heard.

use super::Drafts;
use super::tracks::{MusicKey, content_of};
use crate::error::AppError;
use legere_core::draft::{Draft, Score};
use legere_core::id::ShotId;
use legere_core::time::{FrameLen, FramePos};
use legere_core::track::{TrackReading, Version};
use legere_media::render::MusicPart;
use legere_store::tracks::Track;
use std::sync::Arc;

/// A passage as it is heard.
#[derive(Debug, Clone)]
pub struct OpenPassage {
    pub track: Track,
    /// The shot that it begins with; none for the first.
    pub from: Option<ShotId>,
    pub start: FramePos,
    pub len: FrameLen,
    /// None for the last one: it goes to its own end.
    pub ends: Option<FrameLen>,
    /// As far as it is heard.
    pub heard: Version,
    /// As it was taken from Listen.
    pub version: Version,
    /// It was made for the draft.
    pub own: bool,
}

impl OpenPassage {
    /// Whether the track is used in another way in Listen by now.
    pub fn was_changed(&self) -> bool {
        !self.own && self.track.part.as_ref().is_some_and(|part| *part != self.version)
    }

    fn key(&self) -> (i64, MusicKey) {
        (self.start.get(), MusicKey::of(&self.track, &self.heard))
    }
}

/// What of the music an open draft was made from.
pub(super) type ScoreKey = Vec<(i64, MusicKey)>;

pub(super) fn score_key(passages: &[OpenPassage]) -> ScoreKey {
    passages.iter().map(OpenPassage::key).collect()
}

impl Drafts<'_> {
    /// The passages under a cut.
    pub(super) async fn passages(self, score: &Score, cut: &Draft) -> Result<Vec<OpenPassage>, AppError> {
        let placed = score.placed(cut);
        let mut passages = Vec::with_capacity(placed.len());
        for (i, p) in placed.iter().enumerate() {
            passages.push(OpenPassage {
                track: self.app.store.tracks().get(p.passage.track).await?,
                from: p.passage.from,
                start: p.start,
                len: p.len,
                ends: (i + 1 < placed.len()).then_some(p.len),
                heard: p.heard.clone(),
                version: p.passage.version.clone(),
                own: p.passage.own,
            });
        }
        Ok(passages)
    }

    /// One reading of all of it, in the draft's own time.
    pub(super) async fn music_of(
        self,
        passages: &[OpenPassage],
        rate: legere_core::time::FrameRate,
    ) -> Result<Arc<TrackReading>, AppError> {
        if let [only] = passages {
            return self.app.tracks().music(&only.track, &only.heard).await;
        }
        let mut read = Vec::with_capacity(passages.len());
        for p in passages {
            read.push((rate.seconds_at(p.start).to_f64(), self.app.tracks().music(&p.track, &p.heard).await?));
        }
        crate::blocking::run_blocking(move || {
            let parts: Vec<(f64, &TrackReading)> = read.iter().map(|(at, music)| (*at, &**music)).collect();
            Arc::new(TrackReading::of_passages(&parts))
        })
        .await
    }

    /// The passages for the renderer, from the light copies of their tracks.
    pub(super) fn music_parts(self, passages: &[OpenPassage]) -> Vec<MusicPart> {
        let part = |p: &OpenPassage| MusicPart {
            file: self.app.shelf.track(&p.track.id.to_string()).join("light.flac"),
            content: content_of(&p.track),
            version: p.heard.clone(),
            len: p.ends,
        };
        passages.iter().map(part).collect()
    }
}
