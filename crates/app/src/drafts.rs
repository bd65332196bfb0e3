//! Laying selects on the music, and changing what was laid.

use super::Drafts;
use super::footage::Footage;
use super::passages::{OpenPassage, ScoreKey, score_key};
use super::recent::Recent;
use crate::error::AppError;
use legere_core::arrange::{Alternate, Arranger, Brief, Candidate, Judged, LeftOut, Slot, slots_under};
use legere_core::check::{Figures, Finding, Meant, ShotContext, check, cuts_on_beats, figures};
use legere_core::clip::ClipProbe;
use legere_core::draft::{Draft, DraftError, Shot, Shown, SpeedKeyframe, frame_table};
use legere_core::id::{DraftId, JobId, NoteId, SelectId, ShotId};
use legere_core::narrow::FacetCount;
use legere_core::select::Tier;
use legere_core::time::{FrameLen, FramePos, Seconds};
use legere_core::track::TrackReading;
use legere_store::StoreError;
use legere_store::clips::Clip;
use legere_store::drafts::{ChapterWords, Note, StoredDraft};
use legere_store::jobs::{FootageRevision, Job};
use legere_store::journal::{By, Revision};
use std::collections::HashSet;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::Arc;

/// How many other selects are offered for a place: more than anybody looks through before narrowing.
const ALTERNATES: usize = 120;
const LONGEST_NOTE: usize = 500;

/// A draft with everything that its page shows. All of it is computed from the draft, the footage and the music as they are.
pub struct OpenDraft {
    pub kept: StoredDraft,
    pub job: Job,
    /// What is heard, one after the other.
    pub passages: Vec<OpenPassage>,
    /// All of it as one piece, in the draft's own time.
    pub music: Arc<TrackReading>,
    pub slots: Vec<Slot>,
    pub footage: Arc<Footage>,
    /// How each shot stands beside the music and its neighbours.
    pub judged: Vec<Judged>,
    /// The heroes that are not in it.
    pub left_out: Vec<LeftOut>,
    /// What is asked of it.
    brief: Brief,
}

/// What an open draft was made from.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Key {
    draft: Revision,
    footage: FootageRevision,
    job: Revision,
    music: ScoreKey,
}

impl OpenDraft {
    pub fn cut(&self) -> &Draft {
        &self.kept.body.cut
    }

    pub fn candidate(&self, select: SelectId) -> Option<&Candidate> {
        self.footage.candidate(select)
    }

    /// A shot by its id.
    pub fn shot(&self, id: ShotId) -> Result<&Shot, DraftError> {
        let at = self.cut().index_of(id).ok_or(DraftError::NoShot)?;
        Ok(&self.cut().shots()[at])
    }

    /// The clip that a shot is of, and what it is.
    pub fn clip_of(&self, shot: &Shot) -> Result<(&Clip, &ClipProbe), AppError> {
        let clip = self.footage.clip(shot.source.clip).ok_or(AppError::ClipOut)?;
        let probe = clip.probe.as_ref().ok_or_else(|| AppError::Unread { name: clip.name.clone() })?;
        Ok((clip, probe))
    }

    /// The frame table of a shot; nothing where its clip is out.
    pub fn frames_of(&self, shot: &Shot) -> Vec<Shown> {
        let probe = self.footage.clip(shot.source.clip).and_then(|c| c.probe.as_ref());
        probe.map_or_else(Vec::new, |p| frame_table(shot, self.cut().rate(), p.frame_rate))
    }

    fn contexts(&self) -> Vec<ShotContext> {
        let of = |(shot, judged): (&Shot, &Judged)| {
            let candidate = self.candidate(shot.source.select);
            ShotContext {
                name: candidate.map(|c| c.name.clone()).unwrap_or_default(),
                framing: candidate.and_then(|c| c.framing),
                level: judged.level,
                wanted: judged.wanted,
                clip_rate: candidate.map(|c| c.rate),
                range: candidate.map(|c| c.range),
                faults: self.footage.faults(shot.source.clip),
                set_up: candidate.and_then(|c| c.set_up),
                one_way: self.footage.clip(shot.source.clip).map(|c| c.summary.one_way.clone()).unwrap_or_default(),
            }
        };
        self.cut().shots().iter().zip(&self.judged).map(of).collect()
    }

    /// The chapters, each with how many selects it is about.
    pub fn chapters(&self) -> impl Iterator<Item = (&ChapterWords, usize)> {
        self.kept.body.asked.chapters.iter().zip(self.brief.chapters.iter().map(|chapter| chapter.selects.len()))
    }

    pub(super) fn brief(&self) -> &Brief {
        &self.brief
    }

    fn beats(&self) -> Vec<u64> {
        let rate = self.job.rate;
        self.music.beats.iter().map(|b| rate.nearest(Seconds::from_measured(b.at)).get().max(0) as u64).collect()
    }

    /// A keyframe of a shot, tied to the beat on which it ends or begins where there is one.
    pub fn tied(&self, shot: ShotId, keyframe: SpeedKeyframe) -> SpeedKeyframe {
        let start = self.cut().placed().find(|(_, s)| s.id == shot).map(|(start, _)| start.get());
        let on_draft = |frame: i64| start?.checked_add(frame);
        let beats = self.beats();
        let is_beat = |at: i64| u64::try_from(at).is_ok_and(|at| beats.binary_search(&at).is_ok());
        let on_beat = [keyframe.end(), keyframe.at].into_iter().filter_map(on_draft).any(is_beat);
        SpeedKeyframe { tied: on_draft(keyframe.at).filter(|_| on_beat).map(FramePos::new), ..keyframe }
    }

    pub fn figures(&self) -> Figures {
        figures(self.cut(), &self.contexts())
    }

    /// The checks of the draft.
    pub fn findings(&self) -> Vec<Finding> {
        let music =
            FrameLen::new(self.job.rate.containing(self.kept.body.score.duration(self.cut())).get().max(0) as u64);
        let found = check(self.cut(), &self.contexts(), &self.beats(), music);
        let meant = &self.kept.body.asked.meant;
        found.into_iter().filter(|f| !meant.contains(&Meant { shot: f.shot, kind: f.kind })).collect()
    }

    /// A name for what is heard: another one whenever that is another.
    pub fn music_name(&self) -> String {
        let heard: Vec<_> =
            self.passages.iter().map(|p| (p.start.get(), &p.heard, p.track.id, p.track.digest.as_deref())).collect();
        let mut hasher = DefaultHasher::new();
        serde_json::to_string(&heard).unwrap_or_default().hash(&mut hasher);
        format!("{:016x}", hasher.finish())
    }

    /// What is said when the checks find nothing.
    pub fn nothing_found(&self) -> String {
        match cuts_on_beats(self.cut(), &self.beats()) {
            (_, 0) => "nothing found: no repeats, and the pictures end with the music".to_owned(),
            (on, all) if on == all => "nothing found: no repeats, every cut on a beat".to_owned(),
            (on, all) => format!("nothing found: no repeats, {on} of {all} cuts on a beat"),
        }
    }

    /// What lays and judges shots in this draft.
    pub(super) fn arranger<'a>(&self, usable: &[&'a Candidate]) -> Arranger<'a> {
        Arranger::over(usable.iter().copied(), self.slots.clone(), self.job.rate).with(&self.brief)
    }
}

/// Drafts that were opened last.
pub(super) type Cache = Recent<DraftId, Key, Arc<OpenDraft>>;

impl Drafts<'_> {
    /// A copy of a draft, beside it.
    pub async fn copy(self, job: JobId, by: By, id: DraftId) -> Result<DraftId, AppError> {
        let mut edit = self.app.store.begin_edit(job, by).await?;
        let original: StoredDraft = edit.load(id).await?;
        let name = original.name.as_ref().map(|n| crate::text::plain(&format!("{n}, copy"), 120));
        let copy = edit.add_draft(name, &original.body).await?;
        edit.commit("copy the draft", None).await?;
        Ok(copy)
    }

    /// Names a draft; an empty name is its number again.
    pub async fn rename(
        self,
        job: JobId,
        by: By,
        base: Option<Revision>,
        id: DraftId,
        name: &str,
    ) -> Result<(), AppError> {
        let name = Some(crate::text::plain(name, 120)).filter(|n| !n.is_empty());
        let edit = |draft: StoredDraft| Ok::<_, StoreError>(StoredDraft { name: name.clone(), ..draft });
        self.app.store.edit(job, by, id, base, "name the draft", edit).await?;
        Ok(())
    }

    pub async fn delete(self, job: JobId, by: By, id: DraftId) -> Result<(), AppError> {
        let edit = |draft: StoredDraft| Ok::<_, StoreError>(StoredDraft { removed: true, ..draft });
        self.app.store.edit(job, by, id, None, "delete the draft", edit).await?;
        Ok(())
    }

    /// Opens a draft of a job.
    pub async fn open(self, job: &Job, kept: StoredDraft) -> Result<Arc<OpenDraft>, AppError> {
        kept.body.cut.within_limits()?;
        let passages = self.passages(&kept.body.score, &kept.body.cut).await?;
        let footage = self.app.selects().footage(job.id).await?;
        let music = score_key(&passages);
        let key = Key { draft: kept.revision, footage: footage.revision, job: job.revision, music };
        if let Some(open) = self.app.drafts.get(&kept.id, &key) {
            return Ok(open);
        }
        let music = self.music_of(&passages, kept.body.cut.rate()).await?;
        let slots = slots_under(&kept.body.cut, &music);
        // The job may have another rate by now; a draft keeps the one that it was cut at.
        let job = Job { rate: kept.body.cut.rate(), ..job.clone() };
        let brief = self.brief(&footage, &job, &kept.body.asked).await?;
        let arranger = Arranger::over(footage.candidates(), slots.clone(), job.rate).with(&brief);
        let (judged, left_out) = (arranger.judge(&kept.body.cut), arranger.left_out(&kept.body.cut));
        let id = kept.id;
        let open = Arc::new(OpenDraft { kept, job, passages, music, slots, footage, judged, left_out, brief });
        self.app.drafts.put(id, key, open.clone());
        Ok(open)
    }

    /// All selects for the place of a shot that some words ask for: the best first, and behind them those that do not fit,
    /// with why.
    pub async fn alternates(self, open: &Arc<OpenDraft>, shot: ShotId, words: &str) -> Result<Instead, AppError> {
        let narrowed = self.app.selects().narrow(&open.footage, &open.job, words, 0, false).await?;
        let wanted: HashSet<SelectId> = narrowed.shown.iter().map(|at| open.footage.entries[*at].select.id).collect();
        let (problems, counts) = (narrowed.problems, narrowed.counts);
        let open = open.clone();
        let found = crate::blocking::run_blocking(move || {
            let usable = usable(&open);
            let all = open.arranger(&usable).alternates(open.cut(), shot, usable.len());
            let mut fitting: Vec<Alternate> = all.into_iter().filter(|a| wanted.contains(&a.select)).collect();
            let fits: HashSet<SelectId> = fitting.iter().map(|a| a.select).collect();
            let others = open.footage.candidates().filter(|c| wanted.contains(&c.select) && !fits.contains(&c.select));
            let unfit = others.filter_map(|c| Some((c.select, c.name.clone(), unfit(&open, c, shot)?))).collect();
            fitting.truncate(ALTERNATES);
            (fitting, unfit)
        });
        let (fitting, unfit) = found.await?;
        Ok(Instead { fitting, unfit, problems, counts })
    }

    pub async fn add_note(self, draft: &StoredDraft, by: By, frame: i64, words: &str) -> Result<NoteId, AppError> {
        let words = crate::text::plain(words, LONGEST_NOTE);
        let words = if words.is_empty() { "look here".into() } else { words };
        let frame = frame.clamp(0, i64::try_from(draft.body.cut.len().get()).unwrap_or(i64::MAX));
        let mut edit = self.app.store.begin_edit(draft.job, by).await?;
        let id = edit.add_note(draft.id, frame, words).await?;
        edit.commit("note", None).await?;
        Ok(id)
    }

    pub async fn remove_note(self, draft: &StoredDraft, by: By, note: NoteId) -> Result<(), AppError> {
        let edit = |n: Note| {
            if n.draft == draft.id {
                Ok(Note { removed: true, ..n })
            } else {
                Err(StoreError::Missing { what: "note", id: n.id.uuid() })
            }
        };
        self.app.store.edit(draft.job, by, note, None, "remove the note", edit).await?;
        Ok(())
    }
}

/// What could stand in a place.
pub struct Instead {
    pub fitting: Vec<Alternate>,
    /// Names of those that do not fit, with why.
    pub unfit: Vec<(SelectId, String, String)>,
    pub problems: Vec<String>,
    /// How many there are of each word that they could be narrowed by.
    pub counts: Vec<FacetCount>,
}

/// Why a select does not fit a place; nothing of the one that stands there.
fn unfit(open: &OpenDraft, candidate: &Candidate, shot: ShotId) -> Option<String> {
    let place = open.cut().index_of(shot)?;
    if let Some(at) = open.cut().shots().iter().position(|s| s.source.select == candidate.select) {
        return (at != place).then(|| format!("it is shot {} already", at + 1));
    }
    if candidate.tier == Tier::Out {
        return Some("it is out".to_owned());
    }
    let wanted = open.job.rate.seconds_of(open.cut().shots()[place].len).to_f64();
    let offered = candidate.range.duration().to_f64();
    Some(format!("too short: {offered:.1} s for {wanted:.1} s, and it cannot be slowed so far"))
}

pub(super) fn usable(open: &OpenDraft) -> Vec<&Candidate> {
    let in_draft = |c: &Candidate| open.cut().shots().iter().any(|s| s.source.select == c.select);
    open.footage.candidates().filter(|c| c.tier != Tier::Out || in_draft(c)).collect()
}

/// Which section of the music a frame of the draft is in.
pub(super) fn section_of(open: &OpenDraft, at: FramePos) -> Option<usize> {
    let seconds = open.job.rate.seconds_at(at).to_f64() + 0.05;
    open.music.sections.iter().position(|s| seconds < s.end)
}
