//! Whether the files are still where they were.

use super::Desk;
use crate::error::WebError;
use legere_media::MediaError;
use uuid::Uuid;

impl Desk {
    /// Looks for the files of a job, and says beside each clip and track whether it is there. Readings and light
    /// copies stay, so the work goes on meanwhile.
    pub async fn look_for_files(&self, job: Uuid) -> Result<(), WebError> {
        let clips = self.store.clips(job).await?;
        let tracks = self.store.tracks(job).await?;
        let roots = self.roots.clone();
        let changes = tokio::task::spawn_blocking(move || {
            let gone = |root: &str, path: &str| {
                matches!(roots.resolve(root, path), Err(MediaError::Vanished | MediaError::OutsideRoots))
            };
            let mut changes = Changes::default();
            for clip in clips {
                let now = gone(&clip.root, &clip.path);
                if now != clip.missing {
                    changes.clips[usize::from(now)].push(clip.id);
                }
            }
            for track in tracks {
                let now = gone(&track.root, &track.path);
                if now != track.missing {
                    changes.tracks[usize::from(now)].push(track.id);
                }
            }
            changes
        })
        .await
        .map_err(|_| WebError::Refused("the files could not be looked for"))?;
        for (at, missing) in [(0, false), (1, true)] {
            if !changes.clips[at].is_empty() {
                self.store.clips_missing(job, &changes.clips[at], missing).await?;
            }
            if !changes.tracks[at].is_empty() {
                self.store.tracks_missing(job, &changes.tracks[at], missing).await?;
            }
        }
        Ok(())
    }
}

/// Ids of what has come back, and of what has gone.
#[derive(Default)]
struct Changes {
    clips: [Vec<Uuid>; 2],
    tracks: [Vec<Uuid>; 2],
}

/// What is said beside a clip or a track: that its file is gone, or what its reading met.
pub fn trouble(missing: bool, problem: Option<&str>) -> String {
    if missing { MediaError::Vanished.to_string() } else { problem.unwrap_or_default().to_owned() }
}
