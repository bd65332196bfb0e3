//! The start page: the jobs, and a new one.

use super::page;
use super::spine::facts;
use crate::error::WebError;
use crate::extract::Window;
use actix_web::http::header::{HeaderName, LOCATION};
use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::{DateTime, Datelike, Utc};
use legere_app::App;
use legere_app::text::counted;
use legere_core::id::{ClipId, JobId};
use legere_core::length::parse_length;
use legere_core::time::{FrameRate, clock};
use legere_store::jobs::{Job, NewJob};
use legere_store::journal::Editable;
use legere_store::overview::JobProgress;
use serde::Deserialize;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/", web::get().to(show))
        .route("/jobs", web::post().to(create))
        .route("/jobs/{job}", web::get().to(open))
        .route("/jobs/{job}/restore", web::post().to(restore));
}

/// Stills in a job's row.
const STILLS: u32 = 6;

/// Frame sizes that are offered, with what is said of them besides.
const SIZES: [(u32, u32, &str); 5] =
    [(1920, 1080, ""), (1280, 720, ""), (3840, 2160, ""), (1080, 1920, "upright"), (1080, 1080, "square")];

struct Line {
    id: JobId,
    name: String,
    facts: String,
    /// How far it is, step by step.
    progress: Vec<String>,
    worked_on: String,
    stills: Vec<ClipId>,
}

impl Line {
    fn of(job: Job, progress: Option<&JobProgress>, now: DateTime<Utc>) -> Self {
        Self {
            id: job.id,
            facts: facts(&job),
            progress: progress.map(steps).unwrap_or_default(),
            worked_on: progress.map(|p| day_of(p.worked_on, now, &job.zone)).unwrap_or_default(),
            stills: progress.map(|p| p.stills().collect()).unwrap_or_default(),
            name: job.name,
        }
    }
}

/// "12 clips", "8 of 14 judged", "draft of 20 shots", "2 files": as far as the job has come.
fn steps(progress: &JobProgress) -> Vec<String> {
    let counted = |n: i64, what: &str| counted(usize::try_from(n).unwrap_or(0), what);
    if progress.clips == 0 {
        return vec!["no clips yet".to_owned()];
    }
    let judged = format!("{} of {} judged", progress.judged, progress.selects);
    let draft = progress.shots.map(|shots| format!("draft of {}", counted(i64::from(shots), "shot")));
    let files = (progress.files > 0).then(|| format!("{} handed off", counted(progress.files, "file")));
    [Some(counted(progress.clips, "clip")), Some(judged), draft, files].into_iter().flatten().collect()
}

/// When something was, as one says it, in a job's time zone: "today 14:05", "yesterday", "3 November", with the year where it
/// is another one.
fn day_of(at: DateTime<Utc>, now: DateTime<Utc>, zone: &str) -> String {
    let zone: chrono_tz::Tz = zone.parse().unwrap_or(chrono_tz::UTC);
    let (at, now) = (at.with_timezone(&zone), now.with_timezone(&zone));
    match (now.date_naive() - at.date_naive()).num_days() {
        ..=0 => at.format("today %H:%M").to_string(),
        1 => at.format("yesterday %H:%M").to_string(),
        _ if at.year() == now.year() => at.format("%-d %B").to_string(),
        _ => at.format("%-d %B %Y").to_string(),
    }
}

/// A value that can be chosen in a form.
struct Choice {
    value: String,
    words: String,
    chosen: bool,
}

#[derive(Template)]
#[template(path = "start.html")]
struct Start {
    jobs: Vec<Line>,
    /// Names of those that cannot be read.
    broken: Vec<String>,
    removed: Vec<Line>,
    problem: String,
    /// What the form for a new job begins with.
    name: String,
    length: String,
    rates: Vec<Choice>,
    sizes: Vec<Choice>,
}

/// Jobs with how far they are, the last worked on first.
fn lines(jobs: Vec<Job>, progress: &[JobProgress]) -> Vec<Line> {
    let place = |job: JobId| progress.iter().position(|p| p.job() == job);
    let now = Utc::now();
    let mut all: Vec<(Option<usize>, Job)> = jobs.into_iter().map(|job| (place(job.id), job)).collect();
    all.sort_by_key(|(place, _)| place.unwrap_or(usize::MAX));
    all.into_iter().map(|(place, job)| Line::of(job, place.map(|i| &progress[i]), now)).collect()
}

/// `typed` is what was refused, with why; without it a new job begins as the newest one did.
async fn start(app: &App, typed: Option<(&JobForm, String)>) -> Result<HttpResponse, WebError> {
    let jobs = app.store.jobs().all().await?;
    let removed = app.store.jobs().removed().await?.whole;
    let of_jobs = app.store.jobs();
    let (here, gone) = tokio::try_join!(of_jobs.progress(false, STILLS), of_jobs.progress(true, 0))?;
    let newest = jobs.whole.first();
    let usual = || JobForm {
        name: String::new(),
        length: newest.and_then(|j| j.target_seconds).map(as_typed).unwrap_or_default(),
        rate: newest.map_or("25".to_owned(), |j| j.rate.to_string()),
        size: newest.map_or("1920x1080".to_owned(), |j| format!("{}x{}", j.width, j.height)),
        zone: String::new(),
    };
    let (form, problem) = typed.map_or_else(|| (usual(), String::new()), |(form, words)| (form.clone(), words));
    page(&Start {
        rates: rates(&form.rate),
        sizes: sizes(&form.size),
        jobs: lines(jobs.whole, &here),
        broken: jobs.broken.into_iter().map(|b| b.name).collect(),
        // One that was never made is none to bring back.
        removed: lines(removed.into_iter().filter(|j| j.revision() > 0).collect(), &gone),
        problem,
        name: form.name,
        length: form.length,
    })
}

/// A length as one would type it.
fn as_typed(seconds: f64) -> String {
    if seconds.fract() == 0.0 { clock(seconds) } else { seconds.to_string() }
}

fn rates(chosen: &str) -> Vec<Choice> {
    let chosen: Option<FrameRate> = chosen.parse().ok();
    let all = FrameRate::OF_JOBS.iter().filter_map(|(num, den)| FrameRate::new(*num, *den));
    all.map(|rate| Choice { value: rate.to_string(), words: rate.words(), chosen: Some(rate) == chosen }).collect()
}

/// A size that is not among the usual ones is offered too where it is the chosen one.
fn sizes(chosen: &str) -> Vec<Choice> {
    let mut all: Vec<Choice> = SIZES
        .iter()
        .map(|(width, height, what)| Choice {
            value: format!("{width}x{height}"),
            words: format!("{width}×{height} {what}").trim_end().to_owned(),
            chosen: format!("{width}x{height}") == chosen,
        })
        .collect();
    if let Some((width, height)) = size_of(chosen).ok().filter(|_| all.iter().all(|c| !c.chosen)) {
        all.insert(0, Choice { value: format!("{width}x{height}"), words: format!("{width}×{height}"), chosen: true });
    }
    all
}

async fn show(app: web::Data<App>) -> Result<HttpResponse, WebError> {
    start(&app, None).await
}

/// What a job is to be, as it is typed.
#[derive(Clone, Deserialize)]
pub struct JobForm {
    name: String,
    length: String,
    rate: String,
    size: String,
    /// Empty where the browser does not say.
    #[serde(default)]
    zone: String,
}

/// A time zone by its name in the tz database; nothing is UTC.
fn zone_of(name: &str) -> Result<chrono_tz::Tz, String> {
    let name = if name.trim().is_empty() { "UTC" } else { name.trim() };
    name.parse().map_err(|_no_value| format!("“{name}” is no time zone: write it like Europe/Lisbon"))
}

impl JobForm {
    /// What is asked for, or what is wrong with how it is written.
    pub fn read(&self) -> Result<NewJob, String> {
        let (width, height) = size_of(&self.size)?;
        let rate = self.rate.parse().map_err(|_no_value| "this is not a frame rate".to_owned())?;
        let target_seconds = match self.length.trim() {
            "" => None,
            text => Some(parse_length(text, rate).map_err(|e| format!("{e}; empty means as long as the music"))?),
        };
        Ok(NewJob {
            name: self.name.clone(),
            rate,
            width,
            height,
            target_seconds,
            zone: zone_of(&self.zone)?.name().to_owned(),
        })
    }
}

/// A frame size as it is written: `1920x1080`.
fn size_of(text: &str) -> Result<(u32, u32), String> {
    let wrong = || "the frame size is written like 1920x1080".to_owned();
    let (width, height) = text.split_once(['x', '×']).ok_or_else(wrong)?;
    let side = |text: &str| text.trim().parse().map_err(|_no_value| wrong());
    Ok((side(width)?, side(height)?))
}

async fn create(app: web::Data<App>, window: Window, form: web::Form<JobForm>) -> Result<HttpResponse, WebError> {
    let made = match form.read() {
        Ok(new) => app.store.jobs().create(new, window.by).await,
        Err(words) => Err(legere_store::StoreError::Refused(words)),
    };
    match made {
        Ok(id) => Ok(go_to(id)),
        Err(legere_store::StoreError::Refused(words)) => start(&app, Some((&form, words))).await,
        Err(other) => Err(other.into()),
    }
}

fn go_to(job: JobId) -> HttpResponse {
    let place = format!("/jobs/{job}/gather");
    HttpResponse::SeeOther()
        .insert_header((HeaderName::from_static("hx-redirect"), place.clone()))
        .insert_header((LOCATION, place))
        .finish()
}

async fn open(job: web::Path<JobId>) -> HttpResponse {
    go_to(*job)
}

#[derive(Deserialize)]
struct RestoreForm {
    /// Otherwise it is taken out.
    restore: bool,
}

/// Takes a job out, or brings it back.
async fn restore(
    app: web::Data<App>,
    job: web::Path<JobId>,
    window: Window,
    form: web::Form<RestoreForm>,
) -> Result<HttpResponse, WebError> {
    let (label, removed) = if form.restore { ("bring the job back", false) } else { ("take the job out", true) };
    let edit = |job: Job| Ok::<_, legere_app::AppError>(Job { removed, ..job });
    app.store.edit(*job, window.by, *job, None, label, edit).await?;
    Ok(HttpResponse::SeeOther()
        .insert_header((HeaderName::from_static("hx-redirect"), "/"))
        .insert_header((LOCATION, "/"))
        .finish())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn days_are_said_as_people_say_them() {
        let at = |text: &str| text.parse::<DateTime<Utc>>().expect("an instant");
        let now = at("2026-03-02T00:30:00Z");
        for (when, zone, words) in [
            ("2026-03-02T00:10:00Z", "UTC", "today 00:10"),
            ("2026-03-01T23:50:00Z", "UTC", "yesterday 23:50"),
            // In Lisbon's winter as in UTC, in New York it is still the first.
            ("2026-03-01T23:50:00Z", "America/New_York", "today 18:50"),
            ("2026-02-03T09:00:00Z", "UTC", "3 February"),
            ("2025-12-31T09:00:00Z", "UTC", "31 December 2025"),
            ("2026-03-02T00:40:00Z", "no zone", "today 00:40"),
        ] {
            assert_eq!(day_of(at(when), now, zone), words, "{when} {zone}");
        }
    }

    #[test]
    fn a_new_job_begins_with_what_was_used_last() {
        assert_eq!((as_typed(90.0), as_typed(30.5)), ("1:30".to_owned(), "30.5".to_owned()));
        let chosen = |all: Vec<Choice>| all.into_iter().find(|c| c.chosen).map(|c| (c.value, c.words));
        assert_eq!(chosen(rates("24000/1001")), Some(("24000/1001".into(), "23.976".into())));
        assert_eq!(chosen(sizes("1080x1920")), Some(("1080x1920".into(), "1080×1920 upright".into())));
        assert_eq!(chosen(sizes("2048x858")), Some(("2048x858".into(), "2048×858".into())), "not a usual one");
        assert_eq!(chosen(rates("25")), Some(("25/1".into(), "25".into())));
        assert!(chosen(sizes("tall")).is_none() && chosen(rates("7")).is_none());
    }

    #[test]
    fn an_empty_length_is_as_long_as_the_music() {
        let form = |length: &str, size: &str| JobForm {
            name: "A".into(),
            length: length.into(),
            rate: "25".into(),
            size: size.into(),
            zone: String::new(),
        };
        let new = form("  ", "1080x1920").read().expect("a job");
        assert_eq!((new.target_seconds, new.width, new.height), (None, 1080, 1920));
        assert_eq!(form("1:30", "1080x1920").read().expect("a job").target_seconds, Some(90.0));
        for (length, size) in [("long", "1920x1080"), ("45", "1920"), ("45", "x"), ("45", "ax1")] {
            assert!(form(length, size).read().is_err(), "{length} {size}");
        }
    }
}
