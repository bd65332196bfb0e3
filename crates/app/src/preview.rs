//! Previews: made when somebody watches, kept as long as nothing changes.

use super::Drafts;
use super::drafts::OpenDraft;
use crate::error::AppError;
use legere_core::id::DraftId;
use legere_media::piece::{Format, Piece, Purpose};
use legere_media::render::{self, Job};
use legere_media::{MediaError, shelf};
use serde::Serialize;
use std::collections::HashMap;
use std::future::Future;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tokio::task::AbortHandle;

/// The width of previews: that of the light copies.
const PREVIEW_WIDTH: u32 = 480;

/// How far a preview is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(tag = "state", rename_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum Preview {
    /// Nobody has asked for it.
    None,
    Making {
        ready: usize,
        total: usize,
    },
    Ready {
        key: String,
    },
    Failed {
        words: String,
    },
}

/// The previews that are being made in this program, or failed: by their keys.
#[derive(Debug, Clone, Default)]
pub struct Previews(Arc<Mutex<HashMap<String, InFlight>>>);

#[derive(Debug)]
struct InFlight {
    of: DraftId,
    state: Preview,
    task: AbortHandle,
}

impl Previews {
    fn all(&self) -> MutexGuard<'_, HashMap<String, InFlight>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// How far one is, where somebody has asked for it.
    fn state(&self, key: &str) -> Option<Preview> {
        self.all().get(key).map(|preview| preview.state.clone())
    }

    fn set_state(&self, key: &str, state: Preview) {
        if let Some(preview) = self.all().get_mut(key) {
            preview.state = state;
        }
    }

    fn forget(&self, key: &str) {
        self.all().remove(key);
    }

    /// Starts making one in the place of any other of the same draft: that shows a cut which is gone.
    fn start(&self, key: &str, of: DraftId, state: Preview, work: impl Future<Output = ()> + Send + 'static) {
        let mut all = self.all();
        all.retain(|_, other| other.is_kept_beside(of));
        let task = tokio::spawn(work).abort_handle();
        all.insert(key.to_owned(), InFlight { of, state, task });
    }

    /// Stops what is being made of a draft; the shots that are ready stay on the shelf.
    fn cancel(&self, of: DraftId) {
        self.all().retain(|_, other| other.is_kept_beside(of));
    }
}

impl InFlight {
    /// Whether it is of another draft; stopped where it is not.
    fn is_kept_beside(&self, draft: DraftId) -> bool {
        if self.of == draft {
            self.task.abort();
        }
        self.of != draft
    }
}

impl Drafts<'_> {
    /// What to render for watching a draft: light copies, fast.
    fn preview_job(self, open: &OpenDraft) -> Result<Job, AppError> {
        let h = f64::from(open.job.height) * f64::from(PREVIEW_WIDTH) / f64::from(open.job.width);
        let height = ((h / 2.0).round() as u32 * 2).max(2);
        let mut pieces = Vec::new();
        for shot in open.cut().shots() {
            let (clip, probe) = open.clip_of(shot)?;
            pieces.push(Piece::of(
                self.app.shelf.light(&clip.id.to_string()),
                format!("{} {}", clip.id, clip.version),
                probe.frame_rate,
                shot,
                open.job.rate,
            ));
        }
        let format = Format { rate: open.job.rate, width: PREVIEW_WIDTH, height, purpose: Purpose::Preview };
        Ok(Job { format, pieces, music: self.music_parts(&open.passages) })
    }

    pub fn preview_file(self, key: &str) -> Option<PathBuf> {
        let plain = !key.is_empty() && key.chars().all(|c| c.is_ascii_hexdigit());
        let file = self.app.shelf.previews().join(format!("{key}.mp4"));
        (plain && file.exists()).then_some(file)
    }

    /// How far the preview of a draft is.
    pub fn preview_state(self, open: &OpenDraft) -> Result<Preview, AppError> {
        let key = self.preview_job(open)?.key();
        Ok(self.made_preview(&key).or_else(|| self.app.previews.state(&key)).unwrap_or(Preview::None))
    }

    fn made_preview(self, key: &str) -> Option<Preview> {
        let file = self.preview_file(key)?;
        shelf::touch(&file);
        self.app.previews.forget(key);
        Some(Preview::Ready { key: key.to_owned() })
    }

    /// Makes the preview of a draft, unless it is made or being made. One that failed is tried again.
    pub fn make_preview(self, open: &OpenDraft) -> Result<Preview, AppError> {
        let job = self.preview_job(open)?;
        let key = job.key();
        let known = self.made_preview(&key).or_else(|| self.app.previews.state(&key));
        if let Some(known) = known.filter(|state| !matches!(state, Preview::Failed { .. })) {
            return Ok(known);
        }
        let total = job.pieces.len();
        let first = Preview::Making { ready: 0, total };
        let (app, name) = (self.app.clone(), key.clone());
        self.app.previews.start(&key, open.kept.id, first.clone(), async move {
            let to = app.shelf.previews().join(format!("{name}.mp4"));
            let progress = |ready| app.previews.set_state(&name, Preview::Making { ready, total });
            let words = match render::render(&job, &app.shelf, &to, progress).await {
                Ok(()) => return app.previews.forget(&name),
                Err(MediaError::DiskFull) => MediaError::DiskFull.to_string(),
                Err(error) => {
                    tracing::error!(?error, "a preview failed");
                    "the preview could not be made: a light copy is missing or damaged".into()
                }
            };
            app.previews.set_state(&name, Preview::Failed { words });
        });
        Ok(first)
    }

    /// Stops making the preview of a draft.
    pub fn cancel_preview(self, draft: DraftId) {
        self.app.previews.cancel(draft);
    }
}
