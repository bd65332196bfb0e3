//! Bringing files in.

use super::Desk;
use crate::error::WebError;
use chrono::Utc;
use legere_media::bring::{Kind, search};
use legere_store::clips::NewClip;
use legere_store::queue::Work;
use std::collections::BTreeMap;
use std::path::Path;
use uuid::Uuid;

/// What bringing in a folder found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Brought {
    pub clips: usize,
    pub tracks: usize,
    /// Files that were there already.
    pub known: usize,
}

impl Desk {
    /// Takes in everything below a folder of a media root, each folder a roll, and queues the reading.
    pub async fn bring(&self, job: Uuid, root: &str, folder: &str) -> Result<Brought, WebError> {
        self.store.job(job).await?;
        let place = self.roots.resolve(root, folder)?;
        if !place.is_dir() {
            return Err(WebError::Refused("this is not a folder"));
        }
        let base = self.roots.all().iter().find(|r| r.name == root).map(|r| r.path.clone()).unwrap_or_default();
        let found = tokio::task::spawn_blocking(move || {
            let prefix = place.strip_prefix(&base).map(Path::to_path_buf).unwrap_or_default();
            search(&place).into_iter().map(|f| (prefix.join(&f.path), f)).collect::<Vec<_>>()
        })
        .await
        .map_err(|_| WebError::Refused("the folder could not be searched"))?;

        let mut rolls: BTreeMap<String, Vec<NewClip>> = BTreeMap::new();
        let mut brought = Brought { clips: 0, tracks: 0, known: 0 };
        let mut work = Vec::new();
        let total = found.len();
        for (path, file) in found {
            let (Some(path_text), Some(name)) = (path.to_str(), path.file_name().and_then(|n| n.to_str())) else {
                continue;
            };
            match file.kind {
                Kind::Clip => {
                    let folder = path.parent().and_then(Path::to_str).unwrap_or_default().to_owned();
                    rolls.entry(folder).or_default().push(NewClip {
                        root: root.to_owned(),
                        path: path_text.to_owned(),
                        name: name.to_owned(),
                        bytes: i64::try_from(file.bytes).unwrap_or(i64::MAX),
                        modified: file.modified.unwrap_or_else(Utc::now),
                    });
                }
                Kind::Track => {
                    let bytes = i64::try_from(file.bytes).unwrap_or(i64::MAX);
                    if let Some(id) = self.store.add_track(job, root, path_text, name, bytes).await? {
                        work.push(Work::ReadTrack(id));
                        brought.tracks += 1;
                    }
                }
            }
        }
        for (folder, mut files) in rolls {
            files.sort_by(|a, b| a.modified.cmp(&b.modified).then_with(|| a.path.cmp(&b.path)));
            let name = Path::new(&folder).file_name().and_then(|n| n.to_str()).unwrap_or(root).to_owned();
            let ids = self.store.add_clips(job, &name, &folder, &files).await?;
            brought.clips += ids.len();
            work.extend(ids.into_iter().map(Work::ReadClip));
        }
        brought.known = total - brought.clips - brought.tracks;
        self.store.enqueue(&work).await?;
        Ok(brought)
    }
}
