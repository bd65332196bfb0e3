//! A job's length, rate, size, name and time zone, changed later.

use super::page;
use super::start::{size_of, zone_of};
use crate::desk::Desk;
use crate::desk::settings::Form;
use crate::error::WebError;
use crate::extract::{OwnJob, Window};
use actix_web::http::header::HeaderName;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_core::length::parse_length;
use legere_core::time::{FrameRate, clock};
use legere_store::jobs::Job;
use serde::Deserialize;

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

#[derive(Deserialize)]
struct Asked {
    name: String,
    length: String,
    rate: String,
    size: String,
    zone: String,
}

impl Asked {
    fn form(&self) -> Result<Form, WebError> {
        let wrong = |words: String| WebError::BadRequest(words);
        let rate: FrameRate = self.rate.parse().map_err(|_none| wrong("this is not a frame rate".into()))?;
        let (width, height) = size_of(&self.size).map_err(wrong)?;
        let target_seconds = match self.length.trim() {
            "" => None,
            text => {
                Some(parse_length(text, rate).map_err(|e| wrong(format!("{e}; empty means as long as the music")))?)
            }
        };
        let zone = zone_of(&self.zone).map_err(wrong)?.name().to_owned();
        Ok(Form { name: self.name.clone(), rate, width, height, target_seconds, zone })
    }
}

#[derive(Template)]
#[template(path = "means.html")]
struct Means {
    means: Vec<String>,
    problem: String,
}

/// What the form would mean, before it is done.
async fn means(desk: web::Data<Desk>, OwnJob(job): OwnJob, asked: web::Form<Asked>) -> Result<HttpResponse, WebError> {
    let told = match asked.form() {
        Ok(form) => desk.what_it_means(&job, &form).await,
        Err(error) => Err(error),
    };
    match told {
        Ok(means) => page(&Means { means, problem: String::new() }),
        Err(error) if error.speaks() => page(&Means { means: Vec::new(), problem: error.to_string() }),
        Err(error) => Err(error),
    }
}

async fn change(
    desk: web::Data<Desk>,
    OwnJob(job): OwnJob,
    window: Window,
    asked: web::Form<Asked>,
) -> Result<HttpResponse, WebError> {
    desk.change_job(job.id, window.by, asked.form()?).await?;
    Ok(HttpResponse::NoContent().insert_header((HeaderName::from_static("hx-refresh"), "true")).finish())
}
