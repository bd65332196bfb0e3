//! Previews: made when somebody watches, kept as long as nothing changes.

use super::Desk;
use super::arranging::OpenDraft;
use crate::error::WebError;
use legere_media::MediaError;
use legere_media::render::{self, Job, MusicPart, Piece, Purpose};
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
    /// What to render for a draft: from the light copies for watching, from the originals for handing off.
    pub async fn render_job(&self, open: &OpenDraft, purpose: Purpose) -> Result<Job, WebError> {
        let (width, height) = match purpose {
            Purpose::HandOff => (open.job.width, open.job.height),
            Purpose::Preview => {
                let h = f64::from(open.job.height) * f64::from(PREVIEW_WIDTH) / f64::from(open.job.width);
                (PREVIEW_WIDTH, ((h / 2.0).round() as u32 * 2).max(2))
            }
        };
        let clips: HashMap<_, _> = self.store.clips(open.job.id).await?.into_iter().map(|c| (c.id, c)).collect();
        let mut pieces = Vec::new();
        for shot in open.cut().shots() {
            let clip = clips.get(&shot.source.clip).ok_or(WebError::NotFound)?;
            let rate = open.candidate(shot.source.select).map(|c| c.rate).ok_or(WebError::NotFound)?;
            let file = match purpose {
                Purpose::Preview => self.shelf.light(&clip.id.to_string()),
                Purpose::HandOff => self.original(&clip.root, &clip.path, &clip.name)?,
            };
            let speed = shot.source.speed.ratio();
            pieces.push(Piece {
                file,
                content: format!("{} {}", clip.id, clip.bytes),
                clip_rate: rate,
                start: shot.source.start,
                speed: (*speed.numer(), *speed.denom()),
                len: shot.len,
            });
        }
        let track = self.store.track(open.kept.body.track).await?;
        let music = MusicPart {
            file: match purpose {
                Purpose::Preview => self.shelf.track(&track.id.to_string()).join("light.flac"),
                Purpose::HandOff => self.original(&track.root, &track.path, &track.name)?,
            },
            content: format!("{} {}", track.id, track.bytes),
            version: open.kept.body.version.clone(),
        };
        Ok(Job { rate: open.job.rate, width, height, purpose, pieces, music: Some(music) })
    }

    fn original(&self, root: &str, path: &str, name: &str) -> Result<PathBuf, WebError> {
        self.roots.resolve(root, path).map_err(|error| match error {
            MediaError::Vanished => WebError::Gone { name: name.to_owned() },
            other => other.into(),
        })
    }

    pub fn preview_file(&self, key: &str) -> Option<PathBuf> {
        let plain = !key.is_empty() && key.chars().all(|c| c.is_ascii_hexdigit());
        let file = self.shelf.previews().join(format!("{key}.mp4"));
        (plain && file.exists()).then_some(file)
    }

    /// Starts the preview of a draft if it is not there, and says how far it is.
    pub async fn preview(&self, open: &OpenDraft) -> Result<Preview, WebError> {
        let job = self.render_job(open, Purpose::Preview).await?;
        let key = job.key();
        if self.preview_file(&key).is_some() {
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
