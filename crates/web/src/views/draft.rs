//! A draft: the score under it, which changes seldom, and the cut, which changes with every key.

use crate::views::sift::CountView;
use crate::views::sift::narrowing;
use legere_app::against::Differences;
use legere_app::drafts::{Instead, OpenDraft};
use legere_app::passages::OpenPassage;
use legere_app::short_name;
use legere_core::arrange::{Alternate, Cost, CutsOn, Lacking, Pace, Part, Reason, Wishes};
use legere_core::check::{Figures, Finding};
use legere_core::draft::{Between, Pause, Pin, Shot, Shown};
use legere_core::id::{ClipId, DraftId, NoteId, SelectId, ShotId, TrackId};
use legere_core::select::Framing;
use legere_core::time::{FrameRate, Seconds, timecode};
use legere_core::track::Trace;
use legere_store::drafts::Note;
use serde::Serialize;

/// What stays while a person cuts.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct ScoreView {
    pub id: DraftId,
    pub number: i32,
    pub fps: f64,
    pub choices: Vec<PaceChoice>,
}

/// What the music says, in the draft's own time.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct MusicView {
    /// Frame, bar, beat.
    pub beats: Vec<(i64, u32, u32)>,
    /// Frames of the beats that snare or clap mark.
    pub backbeats: Vec<i64>,
    pub cues: Vec<CueView>,
    /// 0–100.
    pub energy: Trace,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct CueView {
    pub at: i64,
    pub kind: &'static str,
    /// How long a pause is silent, in frames.
    pub lasts: Option<i64>,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct PaceChoice {
    pub quarters: u8,
    pub words: String,
}

/// What an edit changes.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct CutView {
    pub revision: i64,
    /// What the music says; left out where it is as it was.
    #[serde(flatten)]
    #[cfg_attr(test, ts(skip))]
    pub score: Option<MusicView>,
    pub title: String,
    /// Frames.
    pub total: u64,
    pub length: String,
    pub sections: Vec<SectionView>,
    pub shots: Vec<ShotView>,
    pub figures: Figures,
    pub findings: Vec<Finding>,
    /// The heroes that are not in it, each with why.
    pub left_out: Vec<LeftOutView>,
    /// What counts more in it.
    pub wishes: Wishes,
    pub chapters: Vec<ChapterView>,
    /// The selects that it is to open and to close with.
    pub opening: Option<SelectId>,
    pub closing: Option<SelectId>,
    /// Shots of which the first is to stand before the second.
    pub pairs: Vec<(ShotId, ShotId)>,
    /// Where each track begins.
    pub passages: Vec<PassageView>,
    /// Another one whenever what is heard is another.
    pub music: String,
    /// What is said where there are no findings.
    pub nothing_found: String,
}

/// A hero that is not in a draft.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct LeftOutView {
    pub select: SelectId,
    pub words: String,
}

/// A stretch of a draft that is about something.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct ChapterView {
    /// In frames of the draft.
    pub from: i64,
    pub to: i64,
    pub words: String,
    /// How many selects the words find.
    pub selects: usize,
}

/// What one draft has against another one, in words.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct DifferencesView {
    pub better: Vec<String>,
    pub worse: Vec<String>,
    /// Selects of the other one that it has not.
    pub left: Vec<String>,
}

impl DifferencesView {
    pub fn of(found: Differences) -> Self {
        Self { better: found.better, worse: found.worse, left: found.left }
    }
}

/// A track under a stretch of the pictures.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct PassageView {
    pub track: TrackId,
    pub name: String,
    /// The shot that it begins with; none for the first.
    pub from: Option<ShotId>,
    pub start: i64,
    pub timecode: String,
    /// It is used in another way in Listen by now.
    pub changed: bool,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct SectionView {
    pub start: i64,
    pub end: i64,
    pub kind: &'static str,
    pub energy: f64,
    pub quarters: u8,
    pub varied: bool,
    /// What the cuts fall on.
    pub on: CutsOn,
    pub pace: String,
    /// An instant of its track that it lies over, in seconds: where a person can say how loud it is.
    pub at_track: Option<(TrackId, f64)>,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct ShotView {
    pub id: ShotId,
    /// Frames of the draft.
    pub start: i64,
    pub len: u64,
    pub timecode: String,
    pub clip: ClipId,
    pub select: SelectId,
    pub name: Option<String>,
    pub tier: Option<&'static str>,
    pub framing: Option<&'static str>,
    /// Seconds of the clip.
    #[serde(rename = "in")]
    pub range_in: Option<f64>,
    pub out: Option<f64>,
    pub hit: Option<f64>,
    /// 0–100, of what is shown.
    pub energy: f64,
    /// The same on the music's scale.
    pub level: f64,
    /// 0–100, the music's here.
    pub wanted: f64,
    pub pinned: bool,
    /// A person changed it: it stays when the open shots are laid again.
    pub held: bool,
    /// What of it is held: open, place, ends or whole.
    pub pin: Pin,
    /// The clip's file is not where it should be.
    pub missing: bool,
    /// What is on the screen, frame by frame.
    #[serde(flatten)]
    pub table: TableView,
    pub why: Vec<Reason>,
    /// What it costs, part by part.
    pub cost: Vec<(Part, f64)>,
    /// The one shot that would make the place better.
    pub lacking: Option<LackingView>,
    /// Frames of the shot.
    pub hit_at: Option<u64>,
    /// Seconds of the clip: where what is shown begins, and how much of it there is.
    pub source: f64,
    pub used: f64,
    pub media: f64,
    /// The instant of the clip that stands on the frame of the hit.
    pub hit_source: Option<f64>,
    /// As a factor, up to the first keyframe; negative is backwards.
    pub speed: f64,
    pub keyframes: Vec<KeyframeView>,
    pub between: Between,
    pub pause: Option<Pause>,
    /// The slowest that its frames allow, as a factor.
    pub slowest: Option<f64>,
    /// Of the clip's own frames, a second.
    pub clip_rate: Option<f64>,
}

/// The one shot that a place lacks.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct LackingView {
    pub part: Part,
    pub words: String,
    /// What narrows to the selects that could be it, in Sift.
    pub narrow: String,
}

impl LackingView {
    fn of(lacking: &Lacking) -> Self {
        let narrow = narrowing(lacking.energy, lacking.seconds);
        Self { part: lacking.part, words: lacking.words.clone(), narrow }
    }
}

/// The parts of a cost that are worth a bar.
fn parts(cost: &Cost) -> Vec<(Part, f64)> {
    let worth = cost.parts().into_iter().filter(|(_, v)| v.abs() >= 0.005);
    worth.map(|(part, v)| (part, (v * 100.0).round() / 100.0)).collect()
}

/// The frame table of a shot, as the live player takes it.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct TableView {
    /// The frames of the clip that the frames of the shot show, as runs of the same step: the first one, the step from each to the
    /// next, how many there are. −1 is black.
    pub runs: Vec<(i64, i64, u32)>,
    /// How far on the way to the next frame of the clip, in 256ths; left out where none is.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[cfg_attr(test, ts(as = "Option<Vec<u8>>", optional))]
    pub toward: Vec<u8>,
}

impl From<Vec<Shown>> for TableView {
    fn from(table: Vec<Shown>) -> Self {
        let frame = |s: &Shown| s.frame.and_then(|k| i64::try_from(k).ok()).unwrap_or(-1);
        let mixed = table.iter().any(|s| s.toward > 0);
        Self {
            runs: runs(table.iter().map(frame)),
            toward: if mixed { table.iter().map(|s| s.toward).collect() } else { Vec::new() },
        }
    }
}

/// Numbers as runs of the same step. A run of one has the step 0.
fn runs(numbers: impl Iterator<Item = i64>) -> Vec<(i64, i64, u32)> {
    let mut runs: Vec<(i64, i64, u32)> = Vec::new();
    for n in numbers {
        match runs.last_mut() {
            Some((first, step, count)) if *count == 1 || n == *first + *step * i64::from(*count) => {
                if *count == 1 {
                    *step = n - *first;
                }
                *count += 1;
            }
            _ => runs.push((n, 0, 1)),
        }
    }
    runs
}

/// Where the speed of a shot becomes another one.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct KeyframeView {
    /// The frame of the shot on which it begins.
    pub at: i64,
    /// Frames.
    pub over: u32,
    /// As a factor.
    pub to: f64,
    /// Whether it stays on the beat that it was set on.
    pub on_beat: bool,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct DraftView {
    #[serde(flatten)]
    pub score: ScoreView,
    #[serde(flatten)]
    pub cut: CutView,
}

/// A draft as it is watched.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct WatchView {
    #[serde(flatten)]
    pub draft: DraftView,
    pub notes: Vec<NoteView>,
    /// Seconds.
    pub target: Option<f64>,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct AlternateView {
    pub select: SelectId,
    pub clip: ClipId,
    pub name: Option<String>,
    pub tier: Option<&'static str>,
    pub hit: Option<f64>,
    pub media: f64,
    pub energy: f64,
    pub why: Vec<Reason>,
    /// What it would change most, as short as under a still.
    pub short: String,
    /// The set-up that it is a take of.
    pub set_up: Option<usize>,
    /// What it would gain, part by part; negative is a loss.
    pub gains: Vec<(Part, f64)>,
    /// What would be on the screen.
    #[serde(flatten)]
    pub table: TableView,
}

/// What could stand in a place, the best first, and what does not fit, with why.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct InsteadView {
    pub fitting: Vec<AlternateView>,
    pub unfit: Vec<UnfitView>,
    pub problems: Vec<String>,
    /// How many there are of each word that they could be narrowed by.
    pub counts: Vec<CountView>,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct UnfitView {
    pub select: SelectId,
    pub name: String,
    pub why: String,
}

impl InsteadView {
    /// Of what could stand in the place of a shot.
    pub fn of(open: &OpenDraft, place: ShotId, found: Instead) -> Self {
        let unfit = |(select, name, why)| UnfitView { select, name, why };
        Self {
            fitting: found.fitting.into_iter().map(|a| AlternateView::of(open, place, a)).collect(),
            unfit: found.unfit.into_iter().map(unfit).collect(),
            problems: found.problems,
            counts: found.counts.iter().map(CountView::of).collect(),
        }
    }
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct NoteView {
    pub id: NoteId,
    pub revision: i64,
    pub frame: i64,
    pub timecode: String,
    pub words: String,
}

impl DraftView {
    pub fn of(open: &OpenDraft) -> Self {
        Self { score: ScoreView::of(open), cut: CutView::whole(open) }
    }
}

impl ScoreView {
    fn of(open: &OpenDraft) -> Self {
        Self {
            id: open.kept.id,
            number: open.kept.number,
            fps: open.job.rate.to_f64(),
            choices: Pace::CHOICES
                .iter()
                .filter_map(|q| Some(PaceChoice { quarters: *q, words: Pace::new(*q, false).ok()?.words() }))
                .collect(),
        }
    }
}

impl MusicView {
    fn of(open: &OpenDraft) -> Self {
        let (rate, music) = (open.job.rate, &open.music);
        let cue = |c: &legere_core::track::Cue| CueView {
            at: frame(rate, c.at),
            kind: c.kind.word(),
            lasts: c.lasts.map(|s| frame(rate, c.at + s) - frame(rate, c.at)),
        };
        Self {
            beats: music.beats.iter().map(|b| (frame(rate, b.at), b.bar, b.beat)).collect(),
            backbeats: music.backbeats.iter().map(|at| frame(rate, *at)).collect(),
            cues: music.cues.iter().map(cue).collect(),
            energy: music.energy.clone(),
        }
    }
}

fn frame(rate: FrameRate, at: f64) -> i64 {
    rate.nearest(Seconds::from_measured(at)).get().max(0)
}

impl CutView {
    /// Of a draft after an edit of its shots: what the music says is as it was, unless passages begin with shots that moved.
    pub fn of(open: &OpenDraft) -> Self {
        Self { score: (open.passages.len() > 1).then(|| MusicView::of(open)), ..Self::whole(open) }
    }

    /// With what the music says.
    pub fn whole(open: &OpenDraft) -> Self {
        let rate = open.job.rate;
        let total = open.cut().len();
        let section = |(i, s): (usize, &legere_core::track::Section)| {
            let pace = open.kept.body.pace.get(i).copied().unwrap_or_else(|| Pace::for_kind(s.kind));
            SectionView {
                start: frame(rate, s.start),
                end: frame(rate, s.end).min(i64::try_from(total.get()).unwrap_or(i64::MAX)),
                kind: s.kind.word(),
                energy: s.energy,
                quarters: pace.quarters(),
                varied: pace.varied,
                on: pace.on,
                pace: pace.words(),
                at_track: at_track(open, s),
            }
        };
        let shots = open.cut().placed().zip(&open.judged);
        Self {
            revision: open.kept.revision,
            score: Some(MusicView::of(open)),
            title: open.kept.title(),
            total: total.get(),
            length: timecode(total.get(), rate, false),
            sections: open.music.sections.iter().enumerate().map(section).collect(),
            shots: shots.map(|((at, shot), judged)| ShotView::of(open, at.get(), shot, judged)).collect(),
            figures: open.figures(),
            findings: open.findings(),
            left_out: open
                .left_out
                .iter()
                .map(|l| LeftOutView { select: l.select, words: format!("{} is left out, a hero: {}", l.name, l.why) })
                .collect(),
            wishes: open.kept.body.asked.wishes,
            chapters: open
                .chapters()
                .map(|(chapter, selects)| ChapterView {
                    from: chapter.from,
                    to: chapter.to,
                    words: chapter.words.clone(),
                    selects,
                })
                .collect(),
            opening: open.job.story.opening,
            closing: open.job.story.closing,
            pairs: pairs(open),
            passages: open.passages.iter().map(|p| PassageView::of(p, rate)).collect(),
            music: open.music_name(),
            nothing_found: open.nothing_found(),
        }
    }
}

/// An instant of its track in the middle of a section.
fn at_track(open: &OpenDraft, section: &legere_core::track::Section) -> Option<(TrackId, f64)> {
    let middle = (section.start + section.end) / 2.0;
    let begins = |p: &&OpenPassage| open.job.rate.seconds_at(p.start).to_f64();
    let passage = open.passages.iter().rfind(|p| begins(p) <= middle)?;
    Some((passage.track.id, passage.heard.in_track(middle - begins(&passage))))
}

/// The pairs of the story of which both are in the draft.
fn pairs(open: &OpenDraft) -> Vec<(ShotId, ShotId)> {
    let shot = |select: SelectId| open.cut().shots().iter().find(|s| s.source.select == select).map(|s| s.id);
    open.job.story.orders.iter().filter_map(|(a, b)| shot(*a).zip(shot(*b))).collect()
}

impl PassageView {
    fn of(passage: &OpenPassage, rate: FrameRate) -> Self {
        Self {
            track: passage.track.id,
            name: short_name(&passage.track.name),
            from: passage.from,
            start: passage.start.get(),
            timecode: timecode(passage.start.get().max(0) as u64, rate, false),
            changed: passage.was_changed(),
        }
    }
}

impl ShotView {
    fn of(open: &OpenDraft, start: i64, shot: &Shot, judged: &legere_core::arrange::Judged) -> Self {
        let rate = open.job.rate;
        let c = open.candidate(shot.source.select);
        let (from, to) = shot.range(rate);
        let missing = open.footage.clip(shot.source.clip).is_some_and(|c| c.missing);
        let away = "its file is not where it was: it is shown from the light copy, and cannot be handed off as a film";
        Self {
            id: shot.id,
            start,
            len: shot.len.get(),
            timecode: timecode(start.max(0) as u64, rate, false),
            clip: shot.source.clip,
            select: shot.source.select,
            name: c.map(|c| c.name.clone()),
            tier: c.map(|c| c.tier.word()),
            framing: c.and_then(|c| c.framing).map(Framing::word),
            range_in: c.map(|c| c.range.start().to_f64()),
            out: c.map(|c| c.range.end().to_f64()),
            hit: c.map(|c| c.range.hit().to_f64()),
            energy: judged.energy,
            level: judged.level,
            wanted: judged.wanted,
            pinned: shot.pinned(),
            held: shot.held,
            pin: shot.pin,
            missing,
            table: open.frames_of(shot).into(),
            why: missing
                .then(|| Reason { part: None, words: away.to_owned() })
                .into_iter()
                .chain(judged.why.iter().cloned())
                .collect(),
            cost: parts(&judged.cost),
            lacking: judged.lacking.as_ref().map(LackingView::of),
            hit_at: shot.hit_at,
            source: from.to_f64(),
            used: (to - from).to_f64(),
            media: shot.source.media.to_f64(),
            hit_source: shot
                .hit_at
                .and_then(|at| i64::try_from(at).ok())
                .map(|at| shot.source.instant(at, rate).to_f64()),
            speed: shot.source.speed.to_f64(),
            keyframes: shot
                .source
                .keyframes
                .iter()
                .map(|t| KeyframeView { at: t.at, over: t.over, to: t.to.to_f64(), on_beat: t.tied.is_some() })
                .collect(),
            between: shot.source.between,
            pause: shot.pause,
            clip_rate: open.clip_of(shot).ok().map(|(_, probe)| probe.frame_rate.to_f64()),
            slowest: c.map(|c| (rate.to_f64() / c.rate.to_f64()).min(1.0)),
        }
    }
}

impl AlternateView {
    fn of(open: &OpenDraft, place: ShotId, a: Alternate) -> Self {
        let stands = open.cut().index_of(place).map(|at| open.cut().shots()[at].clone());
        let frames = stands.map_or_else(Vec::new, |s| open.frames_of(&Shot { source: a.source.clone(), ..s }));
        let c = open.candidate(a.select);
        Self {
            select: a.select,
            clip: a.source.clip,
            name: c.map(|c| c.name.clone()),
            tier: c.map(|c| c.tier.word()),
            hit: c.map(|c| c.range.hit().to_f64()),
            media: a.source.media.to_f64(),
            energy: a.energy,
            table: frames.into(),
            why: a.why,
            gains: parts(&a.gain),
            short: a.short,
            set_up: c.and_then(|c| c.set_up),
        }
    }
}

impl NoteView {
    pub fn of(note: &Note, rate: FrameRate) -> Self {
        Self {
            id: note.id,
            revision: note.revision,
            frame: note.frame,
            timecode: timecode(note.frame.max(0) as u64, rate, false),
            words: note.words.clone(),
        }
    }
}
