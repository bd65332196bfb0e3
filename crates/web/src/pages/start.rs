//! The start page: the jobs, and a new one.

use super::page;
use super::spine::facts;
use crate::error::WebError;
use crate::extract::Window;
use actix_web::http::header::{HeaderName, LOCATION};
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_app::App;
use legere_core::id::JobId;
use legere_core::length::parse_length;
use legere_store::jobs::{Job, NewJob};
use legere_store::journal::Editable;
use serde::Deserialize;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/", web::get().to(show))
        .route("/jobs", web::post().to(create))
        .route("/jobs/{job}", web::get().to(open))
        .route("/jobs/{job}/restore", web::post().to(restore));
}

struct Line {
    id: JobId,
    name: String,
    facts: String,
}

impl Line {
    fn of(job: Job) -> Self {
        Self { id: job.id, facts: facts(&job), name: job.name }
    }
}

#[derive(Template)]
#[template(path = "start.html")]
struct Start {
    jobs: Vec<Line>,
    /// Names of those that cannot be read.
    broken: Vec<String>,
    removed: Vec<Line>,
    problem: String,
    name: String,
}

async fn start(app: &App, problem: String, name: String) -> Result<HttpResponse, WebError> {
    let jobs = app.store.jobs().await?;
    let removed = app.store.removed_jobs().await?.whole;
    page(&Start {
        jobs: jobs.whole.into_iter().map(Line::of).collect(),
        broken: jobs.broken.into_iter().map(|b| b.name).collect(),
        // One that was never made is none to bring back.
        removed: removed.into_iter().filter(|j| j.revision() > 0).map(Line::of).collect(),
        problem,
        name,
    })
}

async fn show(app: web::Data<App>) -> Result<HttpResponse, WebError> {
    start(&app, String::new(), String::new()).await
}

/// What a job is to be, as it is typed.
#[derive(Deserialize)]
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
        Ok(new) => app.store.create_job(new, window.by).await,
        Err(words) => Err(legere_store::StoreError::Refused(words)),
    };
    match made {
        Ok(id) => Ok(go_to(id)),
        Err(legere_store::StoreError::Refused(words)) => start(&app, words, form.name.clone()).await,
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
