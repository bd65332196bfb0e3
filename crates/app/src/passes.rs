//! Passes, and what of the selects is asked for: by words, and by the music.

use super::Selects;
use super::footage::Footage;
use super::laying::seed_of;
use crate::error::AppError;
use legere_core::arrange::{Need, needs, slots};
use legere_core::draft::Score;
use legere_core::id::{JobId, PassId, SelectId};
use legere_core::narrow::{FacetCount, Query, SearchRecord};
use legere_core::select::Tier;
use legere_store::drafts::StoredDraft;
use legere_store::jobs::{Job, Search};
use legere_store::journal::By;
use legere_store::passes::Pass;
use legere_store::selects::Select;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// More saved narrowings than this nobody finds again.
const MOST_SEARCHES: usize = 60;

/// What the next pass goes through.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Through {
    /// All but what is out.
    Left,
    /// Strong and hero.
    Better,
    /// What was put out, to think again.
    Out,
}

impl Through {
    fn takes(self, tier: Tier) -> bool {
        match self {
            Self::Left => tier != Tier::Out,
            Self::Better => tier >= Tier::Strong,
            Self::Out => tier == Tier::Out,
        }
    }

    fn words(self) -> &'static str {
        match self {
            Self::Left => "what was left",
            Self::Better => "what was strong or better",
            Self::Out => "what was out",
        }
    }
}

/// How far a pass is.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Progress {
    pub number: u32,
    pub id: Option<PassId>,
    pub what: String,
    pub selects: usize,
    /// Not judged in this pass yet.
    pub left: usize,
    /// Seconds of what is left.
    pub seconds_left: f64,
    /// Put out in this pass.
    pub taken_out: usize,
    pub place: Option<SelectId>,
}

/// Whether a select belongs to a pass. What was cut out since it began belongs to it as well.
fn belongs(pass: Option<&Pass>, select: &Select) -> bool {
    pass.is_none_or(|p| select.born > p.born || p.members.contains(&select.id))
}

/// Whether a select is still to be judged in the pass of a number.
pub fn is_left(number: u32, select: &Select) -> bool {
    if number <= 1 { select.verdict.tier == Tier::Unread } else { select.verdict.pass < number }
}

/// What a narrowing finds.
pub struct Narrowed {
    /// The places of what is shown among the footage's entries, in their order.
    pub shown: Vec<usize>,
    pub counts: Vec<FacetCount>,
    pub problems: Vec<String>,
}

/// The cadence that needs are counted in: that of a job's first draft.
const FIRST_SEED: u64 = 1;

impl Selects<'_> {
    /// The passes of a job with how far each is; the first goes through everything and needs no beginning.
    pub async fn passes(self, job: JobId) -> Result<Vec<Progress>, AppError> {
        let footage = self.footage(job).await?;
        let passes = self.app.store.selects().passes(job).await?.whole;
        let progress = |number: u32, pass: Option<&Pass>| {
            let members: Vec<&Select> = footage.selects().filter(|s| belongs(pass, s)).collect();
            let left = || members.iter().filter(|s| is_left(number, s));
            Progress {
                number,
                id: pass.map(|p| p.id),
                what: pass.map_or("everything".to_owned(), |p| p.what.clone()),
                selects: members.len(),
                left: left().count(),
                seconds_left: left().map(|s| s.verdict.range.duration().to_f64()).sum(),
                taken_out: members.iter().filter(|s| s.verdict.tier == Tier::Out && s.verdict.pass == number).count(),
                place: pass.and_then(|p| p.place),
            }
        };
        let later = passes.iter().map(|pass| progress(pass.number, Some(pass)));
        Ok(std::iter::once(progress(1, None)).chain(later).collect())
    }

    /// Begins the next pass; refused where there is nothing to go through.
    pub async fn begin_pass(self, job: JobId, by: By, through: Through) -> Result<Pass, AppError> {
        let footage = self.footage(job).await?;
        let taken = footage.selects().filter(|s| through.takes(s.verdict.tier));
        let members: BTreeSet<SelectId> = taken.map(|s| s.id).collect();
        if members.is_empty() {
            return Err(AppError::Refused("there is nothing to go through: no select is like that"));
        }
        let mut edit = self.app.store.begin_edit(job, by).await?;
        let pass = edit.add_pass(through.words(), &members).await?;
        edit.commit(&format!("begin pass {}", pass.number), None).await?;
        Ok(pass)
    }

    pub async fn end_pass(self, job: JobId, by: By, id: PassId) -> Result<(), AppError> {
        let edit = |pass: Pass| Ok::<_, AppError>(Pass { removed: true, ..pass });
        self.app.store.edit(job, by, id, None, "take the pass out", edit).await?;
        Ok(())
    }

    /// The selects that some words ask for, within a pass; with `left`, only those that it has not come to yet.
    pub async fn narrow(
        self,
        footage: &Footage,
        job: &Job,
        words: &str,
        pass: u32,
        left: bool,
    ) -> Result<Narrowed, AppError> {
        let passes = if pass > 1 { self.app.store.selects().passes(job.id).await?.whole } else { Vec::new() };
        let of = passes.iter().find(|p| p.number == pass);
        let (query, wrong) = Query::parse(words);
        let (places, records): (Vec<usize>, Vec<&SearchRecord>) = footage
            .entries
            .iter()
            .enumerate()
            .filter(|(_, e)| belongs(of, &e.select) && (!left || is_left(pass, &e.select)))
            .filter_map(|(at, e)| Some((at, e.record.as_ref()?)))
            .unzip();
        let nowhere = query.nowhere(&records);
        let mut problems: Vec<String> = wrong.iter().map(ToString::to_string).collect();
        problems.extend(nowhere.iter().map(|w| format!("“{w}” is in no name, roll, tag, label or note")));
        let answer = query.over(&records);
        let shown = places.into_iter().zip(answer.found).filter_map(|(at, found)| found.then_some(at)).collect();
        Ok(Narrowed { shown, counts: answer.counts, problems })
    }

    /// What the music asks for, section by section, at the pace of a draft; without one at that of the newest draft on the chosen
    /// music, or at the usual pace. Nothing without music.
    pub async fn needs(self, job: &Job, draft: Option<StoredDraft>) -> Result<Vec<Need>, AppError> {
        let footage = self.footage(job.id).await?;
        let (music, pace, seed) = if let Some(draft) = draft {
            let open = self.app.drafts().open(job, draft).await?;
            (open.music.clone(), open.kept.body.pace.clone(), seed_of(open.kept.number))
        } else {
            let Some((track, version)) = self.app.tracks().chosen(job).await? else { return Ok(Vec::new()) };
            let music = self.app.tracks().music(&track, &version).await?;
            let score = Score::one(track.id, version);
            let newest = self.app.store.drafts().newest(job.id).await?.filter(|draft| draft.body.score == score);
            let seed = newest.as_ref().map_or(FIRST_SEED, |draft| seed_of(draft.number));
            (music, newest.map(|draft| draft.body.pace).unwrap_or_default(), seed)
        };
        let rate = job.rate;
        crate::blocking::run_blocking(move || needs(&slots(&music, rate, &pace, seed), footage.candidates(), rate))
            .await
    }

    /// Keeps a narrowing under a name, in place of another of that name; without words it is forgotten.
    pub async fn keep_search(self, job: JobId, by: By, name: &str, words: &str) -> Result<Vec<Search>, AppError> {
        let name = crate::text::plain(name, 60);
        let words = crate::text::plain(words, 400);
        if name.is_empty() {
            return Err(AppError::Refused("give it a name"));
        }
        let label = if words.is_empty() { "forget the narrowing" } else { "keep the narrowing" };
        let edit = |mut job: Job| {
            job.searches.retain(|s| s.name != name);
            if !words.is_empty() {
                job.searches.push(Search { name: name.clone(), words: words.clone() });
            }
            if job.searches.len() > MOST_SEARCHES {
                return Err(AppError::Refused("a job keeps at most sixty narrowings"));
            }
            Ok(job)
        };
        Ok(self.app.store.edit(job, by, job, None, label, edit).await?.searches)
    }
}
