//! The start page: the jobs, and a new one.

use super::page;
use super::spine::rate_words;
use crate::desk::Desk;
use crate::error::WebError;
use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_core::time::clock;
use legere_store::jobs::NewJob;
use serde::Deserialize;
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/", web::get().to(show))
        .route("/jobs", web::post().to(create))
        .route("/jobs/{job}", web::get().to(open))
        .route("/jobs/{job}/undo", web::post().to(undo))
        .route("/jobs/{job}/redo", web::post().to(redo));
}

struct Line {
    id: Uuid,
    name: String,
    facts: String,
}

#[derive(Template)]
#[template(path = "start.html")]
struct Start {
    jobs: Vec<Line>,
    problem: String,
    name: String,
}

async fn start(desk: &Desk, problem: String, name: String) -> Result<HttpResponse, WebError> {
    let jobs = desk.store.jobs().await?.into_iter().map(|j| Line {
        id: j.id,
        facts: format!(
            "{} · {} · {}×{}",
            j.target_seconds.map_or("as the music".into(), clock),
            rate_words(j.rate),
            j.width,
            j.height
        ),
        name: j.name,
    });
    page(&Start { jobs: jobs.collect(), problem, name })
}

async fn show(desk: web::Data<Desk>) -> Result<HttpResponse, WebError> {
    start(&desk, String::new(), String::new()).await
}

#[derive(Deserialize)]
struct JobForm {
    name: String,
    length: String,
    rate: String,
    size: String,
}

async fn create(desk: web::Data<Desk>, form: web::Form<JobForm>) -> Result<HttpResponse, WebError> {
    match asked(&form) {
        Ok(new) => match desk.store.create_job(new).await {
            Ok(id) => Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/jobs/{id}/gather"))).finish()),
            Err(legere_store::StoreError::Refused(words)) => start(&desk, words, form.name.clone()).await,
            Err(other) => Err(other.into()),
        },
        Err(words) => start(&desk, words.to_owned(), form.name.clone()).await,
    }
}

fn asked(form: &JobForm) -> Result<NewJob, &'static str> {
    let (width, height) = form.size.split_once('x').ok_or("the frame size is written like 1920x1080")?;
    let length = form.length.trim();
    let target_seconds = match length {
        "" => None,
        text => Some(
            seconds(text).ok_or("the length is written in seconds, or like 1:30; empty means as long as the music")?,
        ),
    };
    Ok(NewJob {
        name: form.name.clone(),
        rate: form.rate.parse().map_err(|_| "this is not a frame rate")?,
        width: width.trim().parse().map_err(|_| "the frame size is written like 1920x1080")?,
        height: height.trim().parse().map_err(|_| "the frame size is written like 1920x1080")?,
        target_seconds,
    })
}

/// `45`, `45.5` or `1:30`.
fn seconds(text: &str) -> Option<f64> {
    let value = match text.split_once(':') {
        Some((m, s)) => m.trim().parse::<f64>().ok()? * 60.0 + s.trim().parse::<f64>().ok()?,
        None => text.parse().ok()?,
    };
    value.is_finite().then_some(value)
}

async fn open(job: web::Path<Uuid>) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((LOCATION, format!("/jobs/{job}/gather"))).finish()
}

async fn undo(desk: web::Data<Desk>, job: web::Path<Uuid>) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(serde_json::json!({ "label": desk.store.undo(*job).await? })))
}

async fn redo(desk: web::Data<Desk>, job: web::Path<Uuid>) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(serde_json::json!({ "label": desk.store.redo(*job).await? })))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_are_read_as_people_write_them() {
        for (text, wanted) in [("45", 45.0), ("45.5", 45.5), ("1:30", 90.0), ("0:09.5", 9.5), (" 2 : 00 ", 120.0)] {
            assert_eq!(seconds(text), Some(wanted), "{text}");
        }
        for text in ["", "soon", "1:2:3", "1:x", "nan", "inf"] {
            assert_eq!(seconds(text), None, "{text}");
        }
    }

    #[test]
    fn an_empty_length_is_as_long_as_the_music() {
        let form = |length: &str, size: &str| JobForm {
            name: "A".into(),
            length: length.into(),
            rate: "25".into(),
            size: size.into(),
        };
        let new = asked(&form("  ", "1080x1920")).expect("a job");
        assert_eq!((new.target_seconds, new.width, new.height), (None, 1080, 1920));
        for (length, size) in [("long", "1920x1080"), ("45", "1920"), ("45", "x"), ("45", "ax1")] {
            assert!(asked(&form(length, size)).is_err(), "{length} {size}");
        }
    }
}
