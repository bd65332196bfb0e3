//! Gather: everything in one place, in the order it was shot.

use super::page;
use super::spine::{Spine, gather_says};
use crate::error::WebError;
use crate::extract::OwnJob;
use crate::views::clip::{local, size_words, wall_clock};
use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::{DateTime, NaiveDate, Timelike, Utc};
use legere_app::App;
use legere_app::missing_files::trouble;
use legere_app::text::counted;
use legere_app::uploads::DROPPED;
use legere_core::id::{ClipId, JobId, RollId, TrackId};
use legere_core::time::{Seconds, clock};
use legere_core::track::SoundKind;
use legere_media::bring::is_picture;
use legere_store::clips::{Clip, ClipMark, RecordedFrom, Roll, State};
use legere_store::jobs::Job;
use legere_store::rows::BrokenRow;
use legere_store::tracks::Track;
use serde::Deserialize;
use std::collections::{BTreeMap, HashMap};
use std::fmt::Write;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/gather", web::get().to(show))
        .route("/jobs/{job}/gather/rolls", web::get().to(rolls))
        .route("/jobs/{job}/gather/lines", web::get().to(lines));
}

/// Lines that a page begins with, and that come with each further look down.
const LINES: usize = 60;
const MORE_LINES: usize = 150;

struct ClipLine {
    id: ClipId,
    roll: RollId,
    name: String,
    time: String,
    /// Of its first frame, as the camera counted.
    timecode: String,
    length: String,
    rate: String,
    size: String,
    sound: &'static str,
    state: String,
    state_word: &'static str,
    problem: String,
    /// Whether looking at it again may help.
    again: bool,
    /// Another file took its place, which may be the same shot.
    displaced: bool,
    ready: bool,
    version: i32,
    /// For how long it is shown, of a picture.
    shown: Option<f64>,
}

struct RollView {
    id: RollId,
    /// The same while clips come to be read, whatever day that turns out to be.
    key: String,
    name: String,
    when: String,
    count: String,
    minutes: String,
    /// How far its camera's clock is put right: "+1:00:00", or nothing.
    clock: String,
    /// Of its clips, as many as the page shows by now.
    clips: Vec<ClipLine>,
}

/// What a roll can be joined with, or a clip be put into.
struct RollName {
    id: RollId,
    name: String,
}

/// The clips of a roll on the calendar: one path for each state, in hours of the day.
struct CalendarRow {
    roll: String,
    y: usize,
    marks: Vec<(&'static str, String)>,
}

struct Day {
    key: String,
    title: String,
    rows: Vec<CalendarRow>,
    hours: Vec<(f64, String)>,
    height: usize,
}

#[derive(Template)]
#[template(path = "rolls.html")]
struct Rolls {
    job: JobId,
    days: Vec<Day>,
    rolls: Vec<RollView>,
    names: Vec<RollName>,
    tally: Tally,
    tracks: Vec<TrackLine>,
    broken: Vec<BrokenRow>,
    left_out: LeftOut,
    /// How many lines are wanted next; none when all are there.
    more: Option<usize>,
    /// How many there are by now.
    shown: usize,
    /// Whether the parts replace what stands on an open page.
    swapped: bool,
}

struct TrackLine {
    id: TrackId,
    name: String,
    state: &'static str,
    /// What is wrong with it; empty where nothing is.
    problem: String,
    is_music: bool,
    length: String,
}

/// What was taken out, to be brought back.
#[derive(Default)]
struct LeftOut {
    rolls: Vec<(RollId, String)>,
    clips: Vec<(ClipId, String)>,
    tracks: Vec<(TrackId, String)>,
}

impl LeftOut {
    fn count(&self) -> usize {
        self.rolls.len() + self.clips.len() + self.tracks.len()
    }
}

/// How far the reading is.
struct Tally {
    job: JobId,
    total: usize,
    busy: usize,
    failed: usize,
    missing: usize,
    /// Whether reading rests.
    paused: bool,
    /// "about 3 minutes", once that can be estimated.
    time_left: String,
}

impl Tally {
    async fn of(app: &App, job: &Job, clips: &[ClipMark]) -> Result<Self, WebError> {
        let count = |of: fn(&&ClipMark) -> bool| clips.iter().filter(of).count();
        let busy = count(|c| matches!(c.state, State::Waiting | State::Reading) && !c.missing);
        let time_left = match app.store.rolls().reading_pace(job.id).await? {
            pace if busy > 0 && !job.paused => {
                pace.bytes_a_second.map_or(String::new(), |a| about(pace.bytes_left / a.max(1.0)))
            }
            _ => String::new(),
        };
        Ok(Self {
            job: job.id,
            total: clips.len(),
            busy,
            failed: count(|c| c.state == State::Failed),
            missing: count(|c| c.missing),
            paused: job.paused,
            time_left,
        })
    }
}

/// A time that nobody knows exactly.
fn about(seconds: f64) -> String {
    match seconds {
        s if s < 50.0 => "less than a minute left".to_owned(),
        s if s < 5400.0 => format!("about {} left", counted((s / 60.0).ceil() as usize, "minute")),
        s => format!("about {:.0} hours left", s / 3600.0),
    }
}

/// What the spine says of each step.
#[derive(Template)]
#[template(path = "says.html")]
struct Says {
    spine: Spine,
}

/// Lines that changed, for a page that is open.
#[derive(Template)]
#[template(path = "lines.html")]
struct Lines {
    job: JobId,
    clips: Vec<ClipLine>,
    tally: Tally,
    says: String,
    swapped: bool,
}

#[derive(Template)]
#[template(path = "gather.html")]
struct Gather {
    spine: Spine,
    roots: Vec<RootView>,
    rolls: String,
    /// Folders below which more may be added: their places in the list, and their names.
    parents: Vec<(usize, String)>,
    takes_drops: bool,
    form: super::settings::FormView,
}

struct RootView {
    name: String,
    there: bool,
}

async fn rolls_view(app: &App, job: &Job, shown: usize) -> Result<Rolls, WebError> {
    let marks = app.store.clips().marks(job.id).await?.into_iter();
    let clips = &marks.map(|c| ClipMark { recorded_at: wall_clock(c.recorded_at, job), ..c }).collect::<Vec<_>>();
    let rolls = app.store.rolls().of_job(job.id).await?;
    let names: BTreeMap<RollId, String> = rolls.iter().map(|r| (r.id, r.name.clone())).collect();
    let tracks = app.store.tracks().of_job(job.id).await?;
    let mut grouped: Vec<(RollId, Vec<&ClipMark>)> = Vec::new();
    // A card that was used on two days is two rolls: grouped by roll and day, in recording order.
    // As long as a clip is not read its time is only the file's, so it stands at the end of its roll for now.
    let (known, guessed): (Vec<&ClipMark>, Vec<&ClipMark>) = clips.iter().partition(|c| c.duration.is_some());
    for clip in known.into_iter().chain(guessed) {
        let day = clip.recorded_at.date_naive();
        let belongs = |of: &[&ClipMark]| clip.duration.is_none() || of[0].recorded_at.date_naive() == day;
        match grouped.iter_mut().rev().find(|(roll, of)| *roll == clip.roll && belongs(of)) {
            Some((_, of)) => of.push(clip),
            None => grouped.push((clip.roll, vec![clip])),
        }
    }
    let seen: Vec<ClipId> = grouped.iter().flat_map(|(_, of)| of.iter()).take(shown).map(|c| c.id).collect();
    let all = app.store.clips().some(job.id, &seen).await?;
    let whole: HashMap<ClipId, &Clip> = all.whole.iter().map(|c| (c.id, c)).collect();
    let mut left = shown;
    let mut views = Vec::with_capacity(grouped.len());
    for (i, (roll, of)) in grouped.iter().enumerate() {
        let here = of.len().min(left);
        left -= here;
        views.push(RollView {
            id: *roll,
            key: format!("{roll}-{}", grouped[..i].iter().filter(|(other, _)| other == roll).count()),
            name: names.get(roll).cloned().unwrap_or_default(),
            when: when(of[0].recorded_at, of[0].recorded_from),
            count: counted(of.len(), "clip"),
            minutes: clock(of.iter().filter_map(|c| c.duration).map(Seconds::to_f64).sum()),
            clock: rolls.iter().find(|r| r.id == *roll).map_or(String::new(), |r| clock_words(r.clock_seconds)),
            clips: of[..here].iter().filter_map(|c| whole.get(&c.id)).map(|c| line(c, job)).collect(),
        });
    }
    let tracks_out = app.store.tracks().hidden(job.id).await?;
    let mut broken = all.broken;
    broken.extend(tracks.broken);
    Ok(Rolls {
        job: job.id,
        days: days(&grouped, &names),
        rolls: views,
        names: rolls
            .iter()
            .filter(|r| grouped.iter().any(|(id, _)| *id == r.id))
            .map(|r| RollName { id: r.id, name: r.name.clone() })
            .collect(),
        tally: Tally::of(app, job, clips).await?,
        tracks: tracks.whole.iter().map(track_line).collect(),
        broken,
        left_out: left_out(app, job.id, &rolls, &tracks_out.whole).await?,
        more: (shown < clips.len()).then_some(shown + MORE_LINES),
        shown: shown.min(clips.len()),
        swapped: false,
    })
}

fn track_line(t: &Track) -> TrackLine {
    let problem = trouble(t.owns_path, t.missing, t.problem.as_deref());
    let length = t.summary.map_or(String::new(), |s| clock(s.duration));
    TrackLine {
        id: t.id,
        state: t.state.word(),
        problem,
        name: t.name.clone(),
        is_music: t.kind == SoundKind::Music,
        length,
    }
}

async fn left_out(app: &App, job: JobId, rolls: &[Roll], tracks: &[Track]) -> Result<LeftOut, WebError> {
    let clips = app.store.clips().removed(job).await?;
    Ok(LeftOut {
        rolls: rolls.iter().filter(|r| r.removed).map(|r| (r.id, r.name.clone())).collect(),
        clips,
        tracks: tracks.iter().filter(|t| t.removed).map(|t| (t.id, t.name.clone())).collect(),
    })
}

/// "+1:00:00", or nothing where the clock is right.
fn clock_words(seconds: i64) -> String {
    match seconds {
        0 => String::new(),
        s => {
            format!("{}{}:{:02}:{:02}", if s < 0 { "−" } else { "+" }, s.abs() / 3600, s.abs() / 60 % 60, s.abs() % 60)
        }
    }
}

fn when(at: DateTime<Utc>, from: RecordedFrom) -> String {
    let source = match from {
        RecordedFrom::File => " (the file's own time)",
        RecordedFrom::Metadata => "",
    };
    format!("{}{source}", at.format("%A %-d %B %Y, from %H:%M"))
}

fn line(clip: &Clip, job: &Job) -> ClipLine {
    let (mut length, mut rate, mut size, mut sound, mut timecode) =
        (String::new(), String::new(), String::new(), "", String::new());
    if let Some(p) = &clip.probe {
        length = clock(p.duration.to_f64());
        let headroom = p.headroom_in(job.rate);
        let slows = if headroom >= 1.05 { format!("slows to {headroom:.1}×") } else { "no slow motion".into() };
        let uneven = if p.variable_rate { ", uneven" } else { "" };
        let reported =
            p.declared_rate.map_or(String::new(), |reported| format!(" (the file says {})", reported.words()));
        rate = if p.picture {
            "a picture".to_owned()
        } else {
            format!("{}{reported}{uneven} → {slows}", p.frame_rate.words())
        };
        let shape = p.pixel_shape.map_or(String::new(), |s| format!(", pixels {s:.2} wide"));
        let turned = if p.rotation == 0 { String::new() } else { format!(", turned {}°", p.rotation) };
        size = format!("{}{shape}{turned}", size_words(p.width, p.height, job));
        timecode = p.timecode.map_or(String::new(), |t| t.after(0, p.frame_rate));
        sound = if p.has_sound { "sound" } else { "silent" };
    }
    let state = match clip.state {
        State::Reading => format!("reading {:.0} %", clip.progress * 100.0),
        state => state.word().to_owned(),
    };
    ClipLine {
        id: clip.id,
        roll: clip.roll,
        name: clip.name.clone(),
        // As long as it is not read, only the file's own time is known, which is when it was copied.
        time: clip
            .probe
            .as_ref()
            .map_or(String::new(), |_| local(clip.recorded_at, job).format("%H:%M:%S").to_string()),
        timecode,
        length,
        rate,
        size,
        sound,
        state,
        state_word: clip.state.word(),
        problem: trouble(clip.owns_path, clip.missing, clip.problem.as_deref()),
        again: clip.state == State::Failed || clip.problem.is_some() || clip.missing,
        displaced: clip.missing && !clip.owns_path,
        ready: clip.probe.is_some(),
        version: clip.version,
        shown: is_picture(&clip.name).then_some(clip.annotations.shown_seconds),
    }
}

fn days(grouped: &[(RollId, Vec<&ClipMark>)], names: &BTreeMap<RollId, String>) -> Vec<Day> {
    let mut by_day: BTreeMap<NaiveDate, Vec<(RollId, &Vec<&ClipMark>)>> = BTreeMap::new();
    for (roll, clips) in grouped {
        by_day.entry(clips[0].recorded_at.date_naive()).or_default().push((*roll, clips));
    }
    by_day.into_iter().map(|(date, rolls)| day(date, &rolls, names)).collect()
}

fn day(date: NaiveDate, rolls: &[(RollId, &Vec<&ClipMark>)], names: &BTreeMap<RollId, String>) -> Day {
    let hour = |at: DateTime<Utc>| f64::from(at.num_seconds_from_midnight()) / 3600.0;
    let all = || rolls.iter().flat_map(|(_, clips)| clips.iter()).filter(|c| c.recorded_at.date_naive() == date);
    let first = all().map(|c| hour(c.recorded_at)).fold(24.0, f64::min).floor();
    let last = all().map(|c| hour(c.recorded_at)).fold(0.0, f64::max).ceil().max(first + 1.0);
    let unit = 1010.0 / (last - first);
    let x = |h: f64| (h - first) * unit;
    let rows: Vec<CalendarRow> = rolls
        .iter()
        .enumerate()
        .map(|(i, (roll, clips))| {
            let mut marks: BTreeMap<&'static str, String> = BTreeMap::new();
            for clip in clips.iter().filter(|c| c.recorded_at.date_naive() == date) {
                let lasts = clip.duration.map_or(0.0, Seconds::to_f64);
                let width = (lasts / 3600.0 * unit).max(3.0);
                let path = marks.entry(clip.state.word()).or_default();
                // Writing into a String cannot fail.
                let _ = write!(path, "M{:.0} 2h{width:.0}v15h-{width:.0}z", x(hour(clip.recorded_at)));
            }
            CalendarRow {
                roll: names.get(roll).cloned().unwrap_or_default(),
                y: 22 + i * 24,
                marks: marks.into_iter().collect(),
            }
        })
        .collect();
    Day {
        key: date.to_string(),
        title: date.format("%A %-d %B %Y").to_string(),
        height: 30 + rows.len() * 24,
        rows,
        hours: (first as i64..=last as i64).map(|h| (x(h as f64), format!("{h:02}:00"))).collect(),
    }
}

async fn show(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    which: web::Query<super::Which>,
) -> Result<HttpResponse, WebError> {
    app.files().look_behind(job.id);
    let spine = Spine::of(&app, job, "gather", which.draft).await?;
    let rolls = rolls_view(&app, &spine.job, LINES).await?.render()?;
    let roots = app.roots.all().into_iter().filter(|r| r.name != DROPPED);
    let roots = roots.map(|r| RootView { there: r.path.is_dir(), name: r.name }).collect();
    let name =
        |p: &std::path::PathBuf| p.file_name().map_or_else(|| "/".to_owned(), |n| n.to_string_lossy().into_owned());
    let parents = app.roots.parents().iter().map(name).enumerate().collect();
    let form = super::settings::FormView::of(&spine.job);
    page(&Gather { roots, rolls, parents, takes_drops: app.imports().takes_drops(), form, spine })
}

#[derive(Deserialize)]
struct Shown {
    lines: Option<usize>,
}

/// The rolls, for a page that is open; what the spine says of all steps comes with them.
async fn rolls(app: web::Data<App>, OwnJob(job): OwnJob, shown: web::Query<Shown>) -> Result<HttpResponse, WebError> {
    let spine = Spine::of(&app, job, "gather", None).await?;
    let rolls = rolls_view(&app, &spine.job, shown.lines.unwrap_or(LINES)).await?.render()?;
    let says = Says { spine }.render()?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(rolls + &says))
}

#[derive(Deserialize)]
struct Changed {
    /// Ids, with commas between.
    clips: String,
}

async fn lines(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    changed: web::Query<Changed>,
) -> Result<HttpResponse, WebError> {
    let wanted: Vec<ClipId> = changed.clips.split(',').filter_map(|id| id.parse().ok()).collect();
    let marks = app.store.clips().marks(job.id).await?;
    let clips = app.store.clips().some(job.id, &wanted).await?.whole;
    let overview = app.store.jobs().overview(job.id, None).await?;
    page(&Lines {
        job: job.id,
        clips: clips.iter().filter(|c| !c.hidden).map(|c| line(c, &job)).collect(),
        tally: Tally::of(&app, &job, &marks).await?,
        says: gather_says(&overview),
        swapped: true,
    })
}
