//! What of the clips in a draft cannot be used: from their readings, which are large, so what was found is kept.

use super::Desk;
use crate::error::WebError;
use legere_core::footage::{Fault, OneWay};
use legere_core::id::ClipId;
use legere_store::clips::Clip;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Clips that it is kept of: a few jobs' drafts, at a hundred bytes each.
const MOST: usize = 5000;

/// What was found in clips, at the version of their readings.
#[derive(Debug, Clone, Default)]
pub(super) struct Found(Arc<Mutex<HashMap<ClipId, AtVersion>>>);

type AtVersion = (i32, Findings);

/// What a check asks of a clip's reading.
#[derive(Debug, Clone, Default)]
pub(super) struct Findings {
    pub faults: Arc<Vec<Fault>>,
    pub one_way: Arc<Vec<OneWay>>,
}

impl Desk {
    pub(super) async fn findings_of(&self, clips: Vec<Arc<Clip>>) -> Result<HashMap<ClipId, Findings>, WebError> {
        let unsaid: Vec<Arc<Clip>> = clips.iter().filter(|c| !c.said.no_faults.is_empty()).cloned().collect();
        let kept = || self.faults.0.lock().unwrap_or_else(PoisonError::into_inner);
        let mut all = HashMap::new();
        let mut lacking = Vec::new();
        {
            let kept = kept();
            for clip in clips {
                match kept.get(&clip.id).filter(|(version, _)| *version == clip.version) {
                    Some((_, found)) => drop(all.insert(clip.id, found.clone())),
                    None => lacking.push(clip),
                }
            }
        }
        if !lacking.is_empty() {
            let ids: Vec<ClipId> = lacking.iter().map(|c| c.id).collect();
            let readings = self.store.clip_readings(&ids).await?;
            let mut kept = kept();
            if kept.len() + lacking.len() > MOST {
                kept.clear();
            }
            for clip in lacking {
                let found = readings.get(&clip.id).map_or_else(Findings::default, |reading| Findings {
                    faults: Arc::new(reading.faults()),
                    one_way: Arc::new(reading.one_way.clone()),
                });
                kept.insert(clip.id, (clip.version, found.clone()));
                all.insert(clip.id, found);
            }
        }
        // What a person says is none is none, whatever is read.
        for clip in unsaid {
            if let Some(found) = all.get_mut(&clip.id) {
                let left = found.faults.iter().filter(|f| !clip.said.no_faults.contains(&f.kind)).copied().collect();
                found.faults = Arc::new(left);
            }
        }
        Ok(all)
    }
}
