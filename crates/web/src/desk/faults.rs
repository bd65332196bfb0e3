//! What of the clips in a draft cannot be used: from their readings, which are large, so what was found is kept.

use super::Desk;
use crate::error::WebError;
use legere_core::footage::{ClipReading, Fault};
use legere_core::id::ClipId;
use legere_store::clips::Clip;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Clips that it is kept of: a few jobs' drafts, at a hundred bytes each.
const MOST: usize = 5000;

/// What was found in clips, at the version of their readings.
#[derive(Debug, Clone, Default)]
pub(super) struct Found(Arc<Mutex<HashMap<ClipId, AtVersion>>>);

type AtVersion = (i32, Arc<Vec<Fault>>);

impl Desk {
    pub(super) async fn faults_of(&self, clips: Vec<Arc<Clip>>) -> Result<HashMap<ClipId, Arc<Vec<Fault>>>, WebError> {
        let kept = || self.faults.0.lock().unwrap_or_else(PoisonError::into_inner);
        let mut all = HashMap::new();
        let mut lacking = Vec::new();
        {
            let kept = kept();
            for clip in clips {
                match kept.get(&clip.id).filter(|(version, _)| *version == clip.version) {
                    Some((_, faults)) => drop(all.insert(clip.id, faults.clone())),
                    None => lacking.push(clip),
                }
            }
        }
        if lacking.is_empty() {
            return Ok(all);
        }
        let ids: Vec<ClipId> = lacking.iter().map(|c| c.id).collect();
        let readings = self.store.clip_readings(&ids).await?;
        let mut kept = kept();
        if kept.len() + lacking.len() > MOST {
            kept.clear();
        }
        for clip in lacking {
            let faults = Arc::new(readings.get(&clip.id).map(ClipReading::faults).unwrap_or_default());
            kept.insert(clip.id, (clip.version, faults.clone()));
            all.insert(clip.id, faults);
        }
        Ok(all)
    }
}
