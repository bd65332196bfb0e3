//! Previews: made when somebody watches, kept as long as nothing changes.

use super::Desk;
use super::drafts::OpenDraft;
use crate::error::WebError;
use legere_media::render::{self, Job, MusicPart, Piece, Purpose};
use legere_media::{MediaError, shelf};
use serde::Serialize;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::{Arc, Mutex};

/// The width of previews: that of the light copies.
const PREVIEW_WIDTH: u32 = 480;

/// How far a preview is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(tag = "state", rename_all = "lowercase")]
pub enum Preview {
    Making { ready: usize, total: usize },
    Ready { key: String },
    Failed { words: String },
}

/// The previews that are being made in this program.
#[derive(Debug, Clone, Default)]
pub struct Previews(Arc<Mutex<HashMap<String, Preview>>>);

impl Previews {
    fn get(&self, key: &str) -> Option<Preview> {
        self.0.lock().ok()?.get(key).cloned()
    }

    fn set(&self, key: &str, state: Option<Preview>) {
        if let Ok(mut map) = self.0.lock() {
            match state {
                Some(state) => map.insert(key.to_owned(), state),
                None => map.remove(key),
            };
        }
    }
}

impl Desk {
    /// What to render for watching a draft: light copies, fast.
    async fn preview_job(&self, open: &OpenDraft) -> Result<Job, WebError> {
        let h = f64::from(open.job.height) * f64::from(PREVIEW_WIDTH) / f64::from(open.job.width);
        let height = ((h / 2.0).round() as u32 * 2).max(2);
        let mut pieces = Vec::new();
        for shot in open.cut().shots() {
            let (clip, probe) = open.clip_of(shot)?;
            pieces.push(Piece::of(
                self.shelf.light(&clip.id.to_string()),
                format!("{} {}", clip.id, clip.version),
                probe.frame_rate,
                &shot.source,
                shot.len,
            ));
        }
        let track = self.store.track(open.kept.body.track).await?;
        let music = MusicPart {
            file: self.shelf.track(&track.id.to_string()).join("light.flac"),
            content: super::tracks::content_of(&track),
            version: open.kept.body.version.clone(),
        };
        let (rate, purpose) = (open.job.rate, Purpose::Preview);
        Ok(Job { rate, width: PREVIEW_WIDTH, height, purpose, pieces, music: Some(music) })
    }

    pub fn preview_file(&self, key: &str) -> Option<PathBuf> {
        let plain = !key.is_empty() && key.chars().all(|c| c.is_ascii_hexdigit());
        let file = self.shelf.previews().join(format!("{key}.mp4"));
        (plain && file.exists()).then_some(file)
    }

    /// Starts the preview of a draft if it is not there, and says how far it is.
    pub async fn preview(&self, open: &OpenDraft) -> Result<Preview, WebError> {
        let job = self.preview_job(open).await?;
        let key = job.key();
        if let Some(file) = self.preview_file(&key) {
            shelf::touch(&file);
            self.previews.set(&key, None);
            return Ok(Preview::Ready { key });
        }
        if let Some(state) = self.previews.get(&key) {
            // A failure is told once; asking again tries again.
            if matches!(state, Preview::Failed { .. }) {
                self.previews.set(&key, None);
            }
            return Ok(state);
        }
        let total = job.pieces.len();
        let first = Preview::Making { ready: 0, total };
        self.previews.set(&key, Some(first.clone()));
        let (desk, name) = (self.clone(), key.clone());
        tokio::spawn(async move {
            let to = desk.shelf.previews().join(format!("{name}.mp4"));
            let previews = desk.previews.clone();
            let progress = |ready| previews.set(&name, Some(Preview::Making { ready, total }));
            let end = match render::render(&job, &desk.shelf, &to, progress).await {
                Ok(()) => None,
                Err(MediaError::DiskFull) => Some(Preview::Failed { words: MediaError::DiskFull.to_string() }),
                Err(error) => {
                    tracing::error!(?error, "a preview failed");
                    Some(Preview::Failed {
                        words: "the preview could not be made: a light copy is missing or damaged".into(),
                    })
                }
            };
            desk.previews.set(&name, end);
        });
        Ok(first)
    }
}
