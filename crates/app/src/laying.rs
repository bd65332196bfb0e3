//! Laying the selects on the music: a first draft, the open shots again, another draft, a shorter one.

use super::Drafts;
use super::carried::moved;
use super::drafts::{OpenDraft, section_of};
use super::footage::Footage;
use crate::error::AppError;
use legere_core::arrange::{
    Arranger, Brief, Candidate, Chapter, Hold, Kept, Pace, Story, Wishes, propose_version, slots,
};
use legere_core::check::Meant;
use legere_core::draft::{Draft, MOST_SHOTS, Score};
use legere_core::id::{DraftId, SelectId, ShotIds};
use legere_core::time::FramePos;
use legere_core::track::TrackReading;
use legere_store::StoreError;
use legere_store::drafts::{Asked, ChapterWords, DraftBody, StoredDraft};
use legere_store::jobs::Job;
use legere_store::journal::{By, Revision};
use std::collections::HashSet;
use std::sync::Arc;
use uuid::Uuid;

/// No track has more sections than this.
const MOST_SECTIONS: usize = 1000;
/// How often an arrangement is begun again because the draft changed meanwhile.
const TRIES: usize = 5;
/// The most chapters of a draft.
const MOST_CHAPTERS: usize = 60;
/// Up to so many shots a shorter draft keeps all of their order; of more, that of neighbours.
const ORDERED: usize = 80;

/// How a draft is to be laid.
pub(super) struct Laying<'a> {
    /// By section.
    pub pace: &'a [Pace],
    pub seed: u64,
    /// What is asked besides, and what stays.
    pub brief: Brief,
    /// A draft that it is to differ from.
    pub unlike: Option<Draft>,
}

/// The seed that a draft is laid and laid again with: each draft of a job has a cadence of its own, and keeps it.
pub(super) fn seed_of(number: i32) -> u64 {
    u64::from(number.unsigned_abs())
}

pub(super) async fn solved(
    footage: &Arc<Footage>,
    music: &TrackReading,
    job: &Job,
    wanted: Laying<'_>,
) -> Result<Draft, AppError> {
    solved_from(footage, music, job, wanted, None).await
}

/// The same from some of the selects only.
async fn solved_from(
    footage: &Arc<Footage>,
    music: &TrackReading,
    job: &Job,
    wanted: Laying<'_>,
    only: Option<HashSet<SelectId>>,
) -> Result<Draft, AppError> {
    let Laying { pace, seed, brief, unlike } = wanted;
    let (footage, places, rate) = (footage.clone(), slots(music, job.rate, pace, seed), job.rate);
    // A thousand selects take long enough to be kept off the threads that serve pages.
    let laid = crate::blocking::run_blocking(move || {
        let mut ids = ShotIds::seeded(Uuid::new_v4().as_u128());
        let usable = |c: &&Candidate| only.as_ref().is_none_or(|only| only.contains(&c.select));
        let plan = Arranger::briefed(footage.candidates().filter(usable), places, rate, &brief)?;
        let plan = if let Some(other) = &unlike { plan.unlike(other) } else { plan };
        plan.solve(&mut ids, seed)
    });
    Ok(laid.await??.draft)
}

impl Drafts<'_> {
    /// What is asked of a draft, of the footage as it is.
    pub(super) async fn brief(self, footage: &Footage, job: &Job, asked: &Asked) -> Result<Brief, AppError> {
        let mut chapters = Vec::with_capacity(asked.chapters.len());
        for ChapterWords { from, to, words } in &asked.chapters {
            let found = self.app.selects().narrow(footage, job, words, 0, false).await?;
            let selects = found.shown.iter().map(|at| footage.entries[*at].select.id).collect();
            chapters.push(Chapter { from: FramePos::new(*from), to: FramePos::new(*to), selects });
        }
        Ok(Brief { weights: asked.wishes.weights(), story: job.story.clone(), chapters, kept: Vec::new() })
    }

    /// Lays the selects on the chosen track's part, as a new draft.
    pub async fn lay(self, job: &Job, by: By) -> Result<DraftId, AppError> {
        let (track, version) = self
            .app
            .tracks()
            .chosen(job)
            .await?
            .ok_or(AppError::Refused("there is no music to arrange on yet: choose a track in Listen"))?;
        let music = self.app.tracks().music(&track, &version).await?;
        let pace: Vec<Pace> = music.sections.iter().map(|s| Pace::for_kind(s.kind)).collect();
        let footage = self.app.selects().footage(job.id).await?;
        let seed = seed_of(self.app.store.drafts().next_number(job.id).await?);
        let score = Score::one(track.id, version);
        // A new draft is another one than the newest on the same music.
        let newest = self.app.store.drafts().newest(job.id).await?.map(|d| d.body).filter(|d| d.score == score);
        let asked = Asked::default();
        let brief = self.brief(&footage, job, &asked).await?;
        let wanted = Laying { pace: &pace, seed, brief, unlike: newest.map(|d| d.cut) };
        let cut = solved(&footage, &music, job, wanted).await?;
        self.add(job, by, DraftBody { score, pace, cut, asked }, "lay a draft").await
    }

    async fn add(self, job: &Job, by: By, body: DraftBody, label: &str) -> Result<DraftId, AppError> {
        let mut edit = self.app.store.begin_edit(job.id, by).await?;
        let id = edit.add_draft(None, &body).await?;
        edit.commit(label, None).await?;
        Ok(id)
    }

    /// A really different draft on the same music: what is held stays, of the rest at least half is another select where the
    /// selects allow it.
    pub async fn another(self, job: &Job, by: By, id: DraftId) -> Result<DraftId, AppError> {
        let open = self.open(job, self.app.store.drafts().get(id).await?).await?;
        let body = &open.kept.body;
        let seed = seed_of(self.app.store.drafts().next_number(job.id).await?);
        let brief = Brief { kept: held(&open, None), ..open.brief().clone() };
        let wanted = Laying { pace: &body.pace, seed, brief, unlike: Some(body.cut.clone()) };
        let cut = solved(&open.footage, &open.music, &open.job, wanted).await?;
        let score = body.score.after(&body.cut, &cut);
        let body = DraftBody { score, cut, ..body.clone() };
        self.add(job, by, body, "lay another draft").await
    }

    /// A draft of another length on a version of its music: from the same selects, in their order, with the heroes first; what is
    /// held stands where its music is, as far as that is left.
    pub async fn shorter(self, job: &Job, by: By, id: DraftId, seconds: f64) -> Result<DraftId, AppError> {
        let open = self.open(job, self.app.store.drafts().get(id).await?).await?;
        let [passage] = &open.passages[..] else {
            return Err(AppError::Refused("a draft on several tracks is shortened by hand"));
        };
        let now = open.music.duration;
        if !seconds.is_finite() || seconds < 3.0 || seconds > now - 0.5 {
            return Err(AppError::Refused("a shorter draft is at least three seconds long, and shorter than this one"));
        }
        let (music, whole) = (open.music.clone(), passage.heard.duration());
        let inner = crate::blocking::run_blocking(move || propose_version(&music, Some(seconds), whole)).await??;
        let version = passage.heard.within(&inner)?;
        let music = self.app.tracks().music(&passage.track, &version).await?;
        let pace = paces_of(&open, &music);
        let kept: Vec<Kept> = moved(&open, passage, &version, |shot| shot.hold().is_some())
            .into_iter()
            .filter_map(|(at, shot)| Some(Kept { at, hold: shot.hold()?, shot }))
            .collect();
        let shots = open.cut().shots();
        let order: Vec<SelectId> = shots.iter().map(|shot| shot.source.select).collect();
        let ends = [open.job.story.opening, open.job.story.closing];
        let ordered: Vec<SelectId> = order.iter().copied().filter(|select| !ends.contains(&Some(*select))).collect();
        let pairs = ordered.iter().enumerate().flat_map(|(n, a)| {
            let farthest = if ordered.len() > ORDERED { n + 2 } else { ordered.len() };
            ordered[n + 1..farthest.min(ordered.len())].iter().map(move |b| (*a, *b))
        });
        let story = Story { orders: pairs.filter(|(a, b)| a != b).collect(), ..open.job.story.clone() };
        let brief = Brief { story, kept, chapters: Vec::new(), ..open.brief().clone() };
        let seed = seed_of(self.app.store.drafts().next_number(job.id).await?);
        let wanted = |brief: Brief| Laying { pace: &pace, seed, brief, unlike: None };
        let only = Some(order.iter().copied().collect());
        let mut cut = solved_from(&open.footage, &music, &open.job, wanted(brief.clone()), only).await?;
        if cut.shots().iter().any(|shot| shot.pause.is_some_and(|pause| pause.missing.get() > 0)) {
            // Too little of it is long enough, or in another order: the rest of the selects help out.
            let brief = Brief { story: open.job.story.clone(), ..brief };
            cut = solved(&open.footage, &music, &open.job, wanted(brief)).await?;
        }
        let asked = Asked { wishes: open.kept.body.asked.wishes, ..Asked::default() };
        let body = DraftBody { score: Score::own(passage.track.id, version), pace, cut, asked };
        self.add(job, by, body, "lay a shorter draft").await
    }

    /// Arranges again around what is held, at a pace per section. With a section, only what lies in it is laid again.
    pub async fn arrange_again(
        self,
        job: &Job,
        by: By,
        id: DraftId,
        pace: Option<Vec<Pace>>,
        section: Option<usize>,
    ) -> Result<StoredDraft, AppError> {
        if pace.as_ref().is_some_and(|p| p.len() > MOST_SECTIONS) {
            return Err(AppError::Refused("a pace is given once for each section"));
        }
        for _ in 0..TRIES {
            // Laid outside of the job's lock, which is not held for so long; if the draft changed meanwhile, once more.
            let open = self.open(job, self.app.store.drafts().get(id).await?).await?;
            let pace = pace.clone().unwrap_or_else(|| open.kept.body.pace.clone());
            let brief = Brief { kept: held(&open, section), ..open.brief().clone() };
            let wanted = Laying { pace: &pace, seed: seed_of(open.kept.number), brief, unlike: None };
            let cut = solved(&open.footage, &open.music, &open.job, wanted).await?;
            let laid = |present: StoredDraft| {
                if present.revision != open.kept.revision {
                    return Err(StoreError::MovedOn);
                }
                let score = present.body.score.after(&present.body.cut, &cut);
                let body = DraftBody { score, cut: cut.clone(), pace: pace.clone(), ..present.body.clone() };
                Ok(StoredDraft { body, ..present })
            };
            match self.app.store.edit(job.id, by, id, None, "lay the open shots again", laid).await {
                Err(StoreError::MovedOn) => {}
                other => return Ok(other?),
            }
        }
        Err(StoreError::MovedOn.into())
    }

    /// What counts more in a draft, from the next time on that its open shots are laid.
    pub async fn wish(
        self,
        job: &Job,
        by: By,
        base: Option<Revision>,
        id: DraftId,
        wishes: Wishes,
    ) -> Result<StoredDraft, AppError> {
        self.ask(job, by, base, id, "what counts more", |asked| {
            asked.wishes = wishes;
            Ok(())
        })
        .await
    }

    /// A chapter over a stretch of a draft, in place of what it lies over; without words the stretch has none.
    pub async fn chapter(
        self,
        job: &Job,
        by: By,
        base: Option<Revision>,
        id: DraftId,
        chapter: ChapterWords,
    ) -> Result<StoredDraft, AppError> {
        let words = crate::text::plain(&chapter.words, 120);
        if chapter.from >= chapter.to || chapter.from < 0 {
            return Err(AppError::Refused("a chapter begins before it ends"));
        }
        self.ask(job, by, base, id, "the chapter", |asked| {
            let without = |old: ChapterWords| {
                let before = ChapterWords { to: old.to.min(chapter.from), ..old.clone() };
                let after = ChapterWords { from: old.from.max(chapter.to), ..old };
                [before, after].into_iter().filter(|part| part.from < part.to)
            };
            asked.chapters = std::mem::take(&mut asked.chapters).into_iter().flat_map(without).collect();
            if !words.is_empty() {
                asked.chapters.push(ChapterWords { words: words.clone(), ..chapter.clone() });
            }
            asked.chapters.sort_by_key(|chapter| chapter.from);
            if asked.chapters.len() > MOST_CHAPTERS {
                return Err(AppError::Refused("a draft has at most sixty chapters"));
            }
            Ok(())
        })
        .await
    }

    /// Says that a finding is meant, or no longer.
    pub async fn mean(
        self,
        job: &Job,
        by: By,
        base: Option<Revision>,
        id: DraftId,
        meant: Meant,
    ) -> Result<StoredDraft, AppError> {
        self.ask(job, by, base, id, "it is meant", |asked| {
            if !asked.meant.remove(&meant) {
                asked.meant.insert(meant);
            }
            if asked.meant.len() > MOST_SHOTS {
                return Err(AppError::Refused("so much cannot be meant"));
            }
            Ok(())
        })
        .await
    }

    async fn ask(
        self,
        job: &Job,
        by: By,
        base: Option<Revision>,
        id: DraftId,
        label: &str,
        change: impl Fn(&mut Asked) -> Result<(), AppError> + Send + Sync,
    ) -> Result<StoredDraft, AppError> {
        let edit = |mut present: StoredDraft| {
            change(&mut present.body.asked)?;
            Ok::<_, AppError>(present)
        };
        self.app.store.edit(job.id, by, id, base, label, edit).await
    }
}

/// What stays of a draft when it is laid again; with a section, all that lies in the others.
fn held(open: &OpenDraft, section: Option<usize>) -> Vec<Kept> {
    let hold = |at: FramePos, shot: &legere_core::draft::Shot| {
        let elsewhere = section.is_some_and(|wanted| section_of(open, at) != Some(wanted));
        if elsewhere { Some(Hold::Whole) } else { shot.hold() }
    };
    open.cut().placed().filter_map(|(at, s)| Some(Kept { at, hold: hold(at, s)?, shot: s.without_missing() })).collect()
}

/// The paces of a draft for other music of its track: of the section that each one is, or the usual one.
pub(super) fn paces_of(open: &OpenDraft, music: &TrackReading) -> Vec<Pace> {
    let pace = |s: &legere_core::track::Section| {
        let old = open.music.sections.iter().position(|o| o.kind == s.kind && o.label == s.label);
        old.and_then(|i| open.kept.body.pace.get(i).copied()).unwrap_or_else(|| Pace::for_kind(s.kind))
    };
    music.sections.iter().map(pace).collect()
}
