//! A job's length, rate, size, name and time zone, changed later.

use super::page;
use super::start::JobForm;
use crate::error::WebError;
use crate::extract::{OwnJob, Window};
use actix_web::http::header::HeaderName;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_app::App;
use legere_core::time::{FrameRate, clock};
use legere_store::jobs::Job;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/settings/means", web::post().to(means))
        .route("/jobs/{job}/settings", web::post().to(change));
}

/// The form as it is now.
pub struct FormView {
    pub name: String,
    pub length: String,
    pub size: String,
    pub zone: String,
    pub rates: Vec<(String, String, bool)>,
}

impl FormView {
    pub fn of(job: &Job) -> Self {
        let rates = FrameRate::OF_JOBS.iter().filter_map(|(n, d)| FrameRate::new(*n, *d));
        Self {
            name: job.name.clone(),
            length: job
                .target_seconds
                .map_or(String::new(), |s| if s.fract() < 1e-9 { clock(s) } else { s.to_string() }),
            size: format!("{}x{}", job.width, job.height),
            zone: job.zone.clone(),
            rates: rates.map(|r| (r.to_string(), r.words(), r == job.rate)).collect(),
        }
    }
}

#[derive(Template)]
#[template(path = "means.html")]
struct Means {
    means: Vec<String>,
    problem: String,
}

/// What the form would mean, before it is done.
async fn means(app: web::Data<App>, OwnJob(job): OwnJob, asked: web::Form<JobForm>) -> Result<HttpResponse, WebError> {
    let reported = match asked.read() {
        Ok(asked) => app.jobs().meaning_of(&job, &asked).await.map_err(WebError::from),
        Err(words) => Err(WebError::BadRequest(words)),
    };
    match reported {
        Ok(means) => page(&Means { means, problem: String::new() }),
        Err(error) if error.is_for_editor() => page(&Means { means: Vec::new(), problem: error.to_string() }),
        Err(error) => Err(error),
    }
}

async fn change(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    window: Window,
    asked: web::Form<JobForm>,
) -> Result<HttpResponse, WebError> {
    let asked = asked.read().map_err(WebError::BadRequest)?;
    app.jobs().change(job.id, window.by, window.base, &asked).await?;
    Ok(HttpResponse::NoContent().insert_header((HeaderName::from_static("hx-refresh"), "true")).finish())
}
