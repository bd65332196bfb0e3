//! Readings in memory: pages ask for all of a job's at once, many times a minute.

use super::Desk;
use crate::error::WebError;
use legere_core::footage::ClipReading;
use std::collections::HashMap;
use std::sync::{Arc, Mutex};
use uuid::Uuid;

type Kept = HashMap<Uuid, (i32, Arc<ClipReading>)>;

/// Readings by clip, with the version of the row they came from. A thousand clips of a minute take some 20 MB.
#[derive(Debug, Clone, Default)]
pub struct Readings(Arc<Mutex<Kept>>);

impl Readings {
    /// Those that are kept in the wanted version, and the clips whose readings are to be fetched.
    fn split(&self, wanted: &[(Uuid, i32)]) -> (HashMap<Uuid, Arc<ClipReading>>, Vec<Uuid>) {
        let kept = self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let mut found = HashMap::with_capacity(wanted.len());
        let mut missing = Vec::new();
        for (id, version) in wanted {
            match kept.get(id) {
                Some((v, reading)) if v == version => {
                    found.insert(*id, reading.clone());
                }
                _ => missing.push(*id),
            }
        }
        (found, missing)
    }

    fn keep(&self, id: Uuid, version: i32, reading: &Arc<ClipReading>) {
        let mut kept = self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        kept.insert(id, (version, reading.clone()));
    }
}

impl Desk {
    /// The readings of all clips of a job that have one.
    pub async fn readings(&self, job: Uuid) -> Result<HashMap<Uuid, Arc<ClipReading>>, WebError> {
        let versions = self.store.clip_versions(job).await?;
        let (mut found, missing) = self.readings.split(&versions);
        // In portions, so that the first look at a large job does not hold all its text in memory.
        for portion in missing.chunks(200) {
            for (id, version, reading) in self.store.clip_readings(portion).await? {
                let reading = Arc::new(reading);
                self.readings.keep(id, version, &reading);
                found.insert(id, reading);
            }
        }
        Ok(found)
    }
}
