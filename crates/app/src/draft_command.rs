//! What a hand does to a draft, as an edit of the draft as it is now.

use super::Drafts;
use super::drafts::{OpenDraft, section_of, usable};
use crate::error::AppError;
use legere_core::arrange::Candidate;
use legere_core::draft::{
    Between, DraftError, Edit, MOST_SHOTS, Pause, Pin, SHORTEST, Shot, Source, Speed, SpeedKeyframe, Stop, TimeFrom,
};
use legere_core::id::{DraftId, SelectId, ShotId};
use legere_core::time::{FrameLen, FramePos, FrameShift, Seconds};
use legere_store::drafts::{DraftBody, StoredDraft};
use legere_store::jobs::Job;
use legere_store::journal::{By, EditLabel, Revision};
use serde::Deserialize;
use uuid::Uuid;

/// What is done to a draft by hand. Shots go by their ids.
#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum DraftCommand {
    MoveCut {
        shot: ShotId,
        by: i64,
    },
    TrimEnd {
        shot: ShotId,
        by: i64,
        #[serde(default)]
        from: TakenFrom,
    },
    TrimStart {
        shot: ShotId,
        by: i64,
        #[serde(default)]
        from: TakenFrom,
    },
    Slip {
        shot: ShotId,
        by: i64,
    },
    Slide {
        shot: ShotId,
        by: i64,
    },
    /// Where the first part ends, in frames of the shot.
    Split {
        shot: ShotId,
        at: u64,
    },
    Join {
        shot: ShotId,
    },
    Remove {
        shot: ShotId,
        #[serde(default)]
        from: TakenFrom,
    },
    /// A select as a new shot, before another one or at the end; as long as it is given, or as its select lasts.
    Insert {
        select: SelectId,
        before: Option<ShotId>,
        len: Option<u64>,
        #[serde(default)]
        from: TakenFrom,
    },
    Exchange {
        shot: ShotId,
        with: ShotId,
    },
    Move {
        shot: ShotId,
        before: Option<ShotId>,
    },
    /// Puts the select's hit on a frame of the shot.
    Hit {
        shot: ShotId,
        at: u64,
    },
    /// In per cent of the speed that it was recorded at; below 0 is backwards, 0 holds.
    Speed {
        shot: ShotId,
        percent: f64,
    },
    /// So fast that its select just fills its place.
    Fit {
        shot: ShotId,
    },
    Reverse {
        shot: ShotId,
    },
    Hold {
        shot: ShotId,
        at: u64,
        len: u64,
    },
    /// From a frame of the shot on another speed, eased over some frames; a keyframe that begins there becomes this one.
    Keyframe {
        shot: ShotId,
        at: i64,
        over: u32,
        percent: f64,
    },
    /// The keyframe that begins at a frame begins at another one.
    MoveKeyframe {
        shot: ShotId,
        at: i64,
        to: i64,
    },
    DropKeyframe {
        shot: ShotId,
        at: i64,
    },
    Between {
        shot: ShotId,
        between: Between,
    },
    /// Pauses the pictures over a stretch of the piece.
    PauseOver {
        from: i64,
        len: u64,
        stop: Stop,
    },
    /// The pause at the end of a shot; of no length it is taken out.
    Pause {
        shot: ShotId,
        len: u64,
        stop: Stop,
    },
    Pin {
        shot: ShotId,
        pin: Pin,
    },
    /// A shot of another draft, or all of one of its sections, in the place where it stands there.
    TakeOver {
        draft: DraftId,
        #[serde(default)]
        shot: Option<ShotId>,
        #[serde(default)]
        section: Option<usize>,
    },
    /// Keeps a section as it is, or lets go of it.
    Keep {
        section: usize,
        on: bool,
    },
    Swap {
        shot: ShotId,
        select: SelectId,
    },
    /// Lets a shot be laid again with the open ones.
    Release {
        shot: ShotId,
    },
}

/// What is done to a draft: to one place, or the same to several shots as one thing to undo.
#[derive(Debug, Clone)]
pub enum DraftRequest {
    Several(SeveralShots),
    One(DraftCommand),
}

/// The same for each of these shots.
#[derive(Debug, Clone, Deserialize)]
pub struct SeveralShots {
    shots: Vec<ShotId>,
    each: ShotCommand,
}

// By hand, so that what is wrong with a request is said of the form that it has: an untagged enum would only say that neither
// form fits.
impl<'de> Deserialize<'de> for DraftRequest {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        use serde::de::Error;
        let body = serde_json::Value::deserialize(from)?;
        if body.get("shots").is_some() {
            serde_json::from_value(body).map(Self::Several).map_err(D::Error::custom)
        } else {
            serde_json::from_value(body).map(Self::One).map_err(D::Error::custom)
        }
    }
}

/// What can be done to several shots at once.
#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum ShotCommand {
    Pin {
        pin: Pin,
    },
    Remove {
        #[serde(default)]
        from: TakenFrom,
    },
    Speed {
        percent: f64,
    },
    /// All of them, in their order, before another shot or at the end.
    Move {
        before: Option<ShotId>,
    },
    Release,
}

impl ShotCommand {
    fn of(self, shot: ShotId) -> DraftCommand {
        match self {
            Self::Pin { pin } => DraftCommand::Pin { shot, pin },
            Self::Remove { from } => DraftCommand::Remove { shot, from },
            Self::Speed { percent } => DraftCommand::Speed { shot, percent },
            Self::Move { before } => DraftCommand::Move { shot, before },
            Self::Release => DraftCommand::Release { shot },
        }
    }
}

/// Where the time of an edit comes from, or goes to.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum TakenFrom {
    #[default]
    Neighbour,
    Section,
    Whole,
}

/// A shot that is put in is no longer than this unless somebody says so, in seconds.
const USUAL_INSERT: f64 = 2.0;

impl Drafts<'_> {
    pub async fn edit(
        self,
        job: &Job,
        by: By,
        base: Option<Revision>,
        id: DraftId,
        request: DraftRequest,
    ) -> Result<StoredDraft, AppError> {
        let commands = match request {
            DraftRequest::One(command) => vec![command],
            DraftRequest::Several(SeveralShots { shots, each }) => {
                if shots.is_empty() || shots.len() > MOST_SHOTS {
                    return Err(AppError::Refused("choose the shots first"));
                }
                shots.into_iter().map(|shot| each.of(shot)).collect()
            }
        };
        let mut edits = Vec::with_capacity(commands.len());
        for command in commands {
            edits.push(self.edit_of(job, id, command).await?);
        }
        let first = edits.first().ok_or(AppError::Refused("choose the shots first"))?;
        let key = first.coalesce_key().filter(|_| edits.len() == 1);
        let words = match edits.len() {
            1 => first.label().to_owned(),
            n => format!("{}, {n} shots", first.label()),
        };
        let label = EditLabel { label: &words, coalesce_key: key.as_deref() };
        let applied = |present: StoredDraft| {
            let cut = edits.iter().try_fold(present.body.cut.clone(), |cut, edit| cut.apply(edit))?;
            // A passage of the music begins with its shot, or with what stands there now.
            let score = present.body.score.after(&present.body.cut, &cut);
            Ok::<_, AppError>(StoredDraft { body: DraftBody { score, cut, ..present.body }, ..present })
        };
        self.app.store.edit(job.id, by, id, base, label, applied).await
    }

    /// What a hand does, as an edit of the draft as it is now.
    async fn edit_of(self, job: &Job, id: DraftId, hand: DraftCommand) -> Result<Edit, AppError> {
        let shift = FrameShift::new;
        let open = async || self.open(job, self.app.store.drafts().get(id).await?).await;
        Ok(match hand {
            DraftCommand::MoveCut { shot, by } => Edit::MoveCut { shot, by: shift(by) },
            DraftCommand::Slip { shot, by } => Edit::Slip { shot, by: shift(by) },
            DraftCommand::Slide { shot, by } => Edit::Slide { shot, by: shift(by) },
            DraftCommand::Pin { shot, pin } => Edit::Pin { shot, pin },
            DraftCommand::Reverse { shot } => Edit::Reverse { shot },
            DraftCommand::Between { shot, between } => Edit::SetBetween { shot, between },
            DraftCommand::Join { shot } => Edit::Join { shot },
            DraftCommand::Release { shot } => Edit::Release { shot },
            DraftCommand::Exchange { shot, with } => Edit::Exchange { shot, with },
            DraftCommand::Move { shot, before } => Edit::Move { shot, before },
            DraftCommand::Split { shot, at } => {
                Edit::Split { shot, at: FrameLen::new(at), second: ShotId::from_uuid(Uuid::new_v4()) }
            }
            DraftCommand::Speed { shot, percent } => Edit::SetSpeed { shot, speed: speed_of(percent)? },
            DraftCommand::Hold { shot, at, len } => Edit::Hold { shot, at, len: FrameLen::new(len) },
            DraftCommand::Fit { shot } => fitted(&*open().await?, shot)?,
            DraftCommand::Keyframe { shot, at, over, percent } => {
                let open = open().await?;
                let keyframe = open.tied(shot, SpeedKeyframe::new(at, over, keyframe_speed(percent)?));
                with_keyframes(&open, shot, |keyframes| {
                    keyframes.retain(|t| t.at != at);
                    keyframes.push(keyframe);
                })?
            }
            DraftCommand::MoveKeyframe { shot, at, to } => {
                let open = open().await?;
                with_keyframes(&open, shot, |keyframes| {
                    for keyframe in keyframes.iter_mut().filter(|t| t.at == at) {
                        *keyframe = open.tied(shot, SpeedKeyframe::new(to, keyframe.over, keyframe.to));
                    }
                })?
            }
            DraftCommand::DropKeyframe { shot, at } => {
                with_keyframes(&*open().await?, shot, |keyframes| keyframes.retain(|t| t.at != at))?
            }
            DraftCommand::PauseOver { from, len, stop } => Edit::PauseOver {
                from: FramePos::new(from),
                len: FrameLen::new(len),
                stop,
                rest: ShotId::from_uuid(Uuid::new_v4()),
            },
            DraftCommand::Pause { shot, len, stop } => {
                Edit::SetPause { shot, pause: Some(Pause { len: FrameLen::new(len), stop, missing: FrameLen::new(0) }) }
            }
            DraftCommand::TakeOver { draft, shot, section } => {
                let other = self.app.store.drafts().get(draft).await?;
                if other.job != job.id {
                    return Err(AppError::NotFound);
                }
                taken_over(&*open().await?, &*self.open(job, other).await?, shot, section)?
            }
            DraftCommand::Keep { section, on } => {
                let open = open().await?;
                let of = open.music.sections.get(section).ok_or(AppError::Refused("there is no such section"))?;
                let at = |seconds: f64| open.job.rate.nearest(Seconds::from_measured(seconds));
                Edit::Keep { from: at(of.start), to: at(of.end), on }
            }
            DraftCommand::Swap { shot, select } => self.swap(job, id, shot, select).await?,
            DraftCommand::TrimEnd { shot, by, from } => {
                Edit::TrimEnd { shot, by: shift(by), from: time_from(&*open().await?, Some(shot), from)? }
            }
            DraftCommand::TrimStart { shot, by, from } => {
                Edit::TrimStart { shot, by: shift(by), from: time_from(&*open().await?, Some(shot), from)? }
            }
            DraftCommand::Remove { shot, from } => {
                Edit::Remove { shot, from: time_from(&*open().await?, Some(shot), from)? }
            }
            DraftCommand::Hit { shot, at } => {
                let open = open().await?;
                let index = open.cut().index_of(shot).ok_or(DraftError::NoShot)?;
                let select = open.cut().shots()[index].source.select;
                let candidate = open.candidate(select).ok_or(AppError::ClipOut)?;
                Edit::PutHit { shot, at, hit: candidate.range.hit() }
            }
            DraftCommand::Insert { select, before, len, from } => {
                let open = open().await?;
                let candidate = open.candidate(select).ok_or(AppError::ClipOut)?;
                let new = inserted(candidate, len, &open.job)?;
                Edit::Insert { new, before, from: time_from(&open, before, from)? }
            }
        })
    }

    /// The edit that puts a select into a place, as the place is now.
    async fn swap(self, job: &Job, id: DraftId, shot: ShotId, select: SelectId) -> Result<Edit, AppError> {
        let open = self.open(job, self.app.store.drafts().get(id).await?).await?;
        if open.cut().index_of(shot).is_none() {
            return Err(legere_core::draft::DraftError::NoShot.into());
        }
        let usable = usable(&open);
        let plan = open.arranger(&usable);
        let found = plan.alternates(open.cut(), shot, usable.len()).into_iter().find(|a| a.select == select);
        let a = found.ok_or(AppError::Refused("this select is too short for the place, or in the draft already"))?;
        Ok(Edit::Replace { shot, source: a.source, hit_at: a.hit_at })
    }
}

/// A speed in per cent, to a thousandth of one.
fn speed_of(percent: f64) -> Result<Speed, AppError> {
    let wrong = AppError::Refused("a speed lies between 5 and 2000 per cent, below 0 for backwards; 0 holds the frame");
    let reported = percent.is_finite() && percent.abs() <= 2000.0;
    Speed::new(if reported { (percent * 1000.0).round() as i64 } else { i64::MAX }, 100_000).ok_or(wrong)
}

/// The speed behind a keyframe: a tenth of a per cent at the finest.
fn keyframe_speed(percent: f64) -> Result<Speed, AppError> {
    speed_of((percent * 10.0).round() / 10.0)
}

/// The shot with other keyframes, in their order.
fn with_keyframes(
    open: &OpenDraft,
    shot: ShotId,
    change: impl FnOnce(&mut Vec<SpeedKeyframe>),
) -> Result<Edit, AppError> {
    let source = &open.shot(shot)?.source;
    let mut keyframes = source.keyframes.clone();
    change(&mut keyframes);
    keyframes.sort_by_key(|t| t.at);
    Ok(Edit::SetTime { shot, start: None, speed: source.speed, keyframes })
}

/// Puts a shot of another draft, or what begins in one of its sections, where it stands there.
fn taken_over(
    here: &OpenDraft,
    other: &OpenDraft,
    shot: Option<ShotId>,
    section: Option<usize>,
) -> Result<Edit, AppError> {
    if here.job.rate != other.job.rate {
        return Err(AppError::Refused("the other draft was cut at another rate"));
    }
    let wanted =
        |at: FramePos, s: &Shot| Some(s.id) == shot || section.is_some_and(|i| section_of(other, at) == Some(i));
    let found: Vec<(FramePos, &Shot)> = other.cut().placed().filter(|(at, s)| wanted(*at, s)).collect();
    let (from, _) = *found.first().ok_or(DraftError::NoShot)?;
    // Copies of drafts share ids: what is taken over is another shot than the one that may still stand here.
    let fresh = |s: &Shot| Shot { id: ShotId::from_uuid(Uuid::new_v4()), pin: Pin::Open, held: false, ..s.clone() };
    let shots = found.into_iter().map(|(_, s)| fresh(s)).collect();
    Ok(Edit::Overwrite { from, shots, rest: ShotId::from_uuid(Uuid::new_v4()) })
}

/// The whole of a shot's select in its place, from in to out.
fn fitted(open: &OpenDraft, shot: ShotId) -> Result<Edit, AppError> {
    let shot = open.shot(shot)?;
    let range = open.candidate(shot.source.select).ok_or(AppError::ClipOut)?.range;
    let len = open.job.rate.seconds_of(shot.pictures());
    let speed = Speed::fitting(range.duration(), len);
    let speed =
        speed.ok_or(AppError::Refused("the select would have to be slowed or sped up beyond 5 and 2000 per cent"))?;
    Ok(Edit::SetTime { shot: shot.id, start: Some(range.start()), speed, keyframes: Vec::new() })
}

/// The end of the section that a shot is in, where the time comes from there; of the last one where no shot is named.
fn time_from(open: &OpenDraft, shot: Option<ShotId>, from: TakenFrom) -> Result<TimeFrom, AppError> {
    Ok(match from {
        TakenFrom::Neighbour => TimeFrom::Neighbour,
        TakenFrom::Whole => TimeFrom::Whole,
        TakenFrom::Section => {
            let placed = open.cut().placed().find(|(_, s)| Some(s.id) == shot).or_else(|| open.cut().placed().last());
            let (at, _) = placed.ok_or(DraftError::NoShot)?;
            let section = section_of(open, at).and_then(|i| open.music.sections.get(i));
            let end = section.map_or(open.music.duration, |s| s.end);
            TimeFrom::Section { end: open.job.rate.nearest(Seconds::from_measured(end)) }
        }
    })
}

/// A new shot of a select: from its in on, no longer than its range.
fn inserted(candidate: &Candidate, len: Option<u64>, job: &Job) -> Result<Shot, AppError> {
    let offered = job.rate.containing(candidate.range.duration()).get().max(0).unsigned_abs();
    let usual = (USUAL_INSERT * job.rate.to_f64()).round() as u64;
    let len = len.unwrap_or(usual).min(offered);
    if len < SHORTEST.get() {
        return Err(DraftError::Flash.into());
    }
    let start = candidate.range.start();
    let hit = job.rate.nearest(candidate.range.hit() - start).get();
    Ok(Shot {
        id: ShotId::from_uuid(Uuid::new_v4()),
        len: FrameLen::new(len),
        source: Source::plain(candidate.select, candidate.clip, start, candidate.media),
        hit_at: u64::try_from(hit).ok().filter(|hit| *hit < len),
        pause: None,
        pin: Pin::Open,
        held: false,
    })
}
