//! What the verdicts of a job teach about what nobody has looked at yet.

use super::Selects;
use super::footage::{Entry, Footage};
use crate::blocking::run_blocking;
use crate::error::AppError;
use legere_core::footage::FaultKind;
use legere_core::footage::seen_within;
use legere_core::id::{JobId, SelectId};
use legere_core::preference::{FEWEST, Preference, Traits};
use legere_core::select::Tier;
use serde::Serialize;
use std::sync::Arc;

/// An order for the unread selects of a job, or why there is none yet.
#[derive(Debug, Default, Serialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Tending {
    /// Whether it speaks.
    pub speaks: bool,
    /// How often it was right, or why it is silent.
    pub says: String,
    /// The unread ones, the likeliest to be kept first.
    pub unread: Vec<Tends>,
}

/// What is expected of an unread select.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Tends {
    pub select: SelectId,
    pub why: String,
    /// It would probably be dropped.
    pub drops: bool,
}

impl Selects<'_> {
    /// The unread selects of a job by what its editor tends to keep.
    pub async fn tending(self, job: JobId) -> Result<Tending, AppError> {
        let footage = self.footage(job).await?;
        run_blocking(move || tending(&footage)).await
    }
}

fn tending(footage: &Arc<Footage>) -> Tending {
    // A later revision was judged later.
    let mut judged: Vec<&Entry> = footage.entries.iter().map(AsRef::as_ref).collect();
    judged.retain(|entry| entry.select.verdict.tier != Tier::Unread);
    judged.sort_by_key(|entry| entry.select.revision);
    let silent = |says: &str| Tending { says: says.to_owned(), ..Tending::default() };
    if judged.len() < FEWEST {
        return silent(&format!("after {FEWEST} verdicts, {} to go", FEWEST - judged.len()));
    }
    let known = judged.iter().filter_map(|entry| Some((traits_of(footage, entry)?, entry.select.verdict.tier)));
    let Some(learned) = Preference::learn(known) else {
        return silent("all verdicts are alike so far: there is nothing to learn from them");
    };
    if !learned.is_better_than_guessing() {
        return silent("no better than guessing so far");
    }
    let unread = footage.entries.iter().filter(|entry| entry.select.verdict.tier == Tier::Unread);
    let mut expected: Vec<_> =
        unread.filter_map(|entry| Some((entry.select.id, learned.of(&traits_of(footage, entry)?)))).collect();
    expected.sort_by(|a, b| b.1.worth.total_cmp(&a.1.worth));
    let tends = |(select, e): (SelectId, legere_core::preference::Expected)| Tends {
        select,
        drops: e.is_probably_dropped(),
        why: e.why,
    };
    Tending {
        speaks: true,
        says: format!("right about {} of {} verdicts before it knew them", learned.right, learned.of),
        unread: expected.into_iter().map(tends).collect(),
    }
}

/// What is known of a select; nothing of a clip that was not read.
fn traits_of<'a>(footage: &'a Footage, entry: &'a Entry) -> Option<Traits<'a>> {
    let candidate = footage.candidate(entry.select.id)?;
    let clip = footage.clip(entry.select.clip)?;
    let (start, end) = (candidate.range.start().to_f64(), candidate.range.end().to_f64());
    let faults = footage.faults(clip.id);
    let faulty: f64 = FaultKind::ALL.iter().filter_map(|kind| seen_within(&faults, *kind, start, end)).sum();
    Some(Traits {
        name: &candidate.name,
        energy: candidate.energy,
        sharpness: clip.summary.sharpness,
        warmth: clip.summary.warmth,
        faulty: (faulty / (end - start).max(0.1)).min(1.0),
        seconds: end - start,
        slows: candidate.rate.headroom_in(footage.rate()).max(1.0),
        framing: candidate.framing.or(candidate.measured.framing),
        light: candidate.light.or(candidate.measured.light),
        movement: candidate.movement,
        set_up: candidate.set_up,
        looks: &clip.signatures,
    })
}
