//! Sift: from hundreds of clips to the highlights.

use super::page;
use super::spine::Spine;
use crate::desk::Desk;
use crate::desk::selects::Judgement;
use crate::error::WebError;
use crate::extract::{OwnClip, OwnJob, OwnSelect, Window};
use crate::views::select::{SelectView, rows};
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_core::select::Facet;
use serde::Deserialize;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/sift", web::get().to(show))
        .route("/jobs/{job}/sift/selects.json", web::get().to(selects))
        .route("/jobs/{job}/clips/{clip}/reading.json", web::get().to(reading))
        .route("/jobs/{job}/selects/{select}", web::get().to(select))
        .route("/jobs/{job}/selects/{select}", web::post().to(judge))
        .route("/jobs/{job}/selects/{select}", web::delete().to(remove))
        .route("/jobs/{job}/selects/{select}/split", web::post().to(split))
        .route("/jobs/{job}/clips/{clip}/selects", web::post().to(add));
}

struct FacetView {
    name: &'static str,
    words: Vec<&'static str>,
    /// Whether the reading has a word for it as well.
    measured: bool,
}

#[derive(Template)]
#[template(path = "sift.html")]
struct Sift {
    spine: Spine,
    facets: Vec<FacetView>,
    tiers: Vec<(&'static str, &'static str)>,
}

async fn show(
    desk: web::Data<Desk>,
    OwnJob(job): OwnJob,
    which: web::Query<super::Which>,
) -> Result<HttpResponse, WebError> {
    let spine = Spine::of(&desk, job, "sift", which.draft).await?;
    let facets = Facet::ALL.iter().filter(|f| !f.words().is_empty()).map(|f| FacetView {
        name: f.word(),
        words: f.words(),
        measured: *f == Facet::Movement,
    });
    let tiers = vec![("A", "out"), ("S", "spare"), ("D", "strong"), ("F", "hero")];
    page(&Sift { spine, facets: facets.collect(), tiers })
}

async fn selects(desk: web::Data<Desk>, OwnJob(job): OwnJob) -> Result<HttpResponse, WebError> {
    let footage = desk.footage(job.id).await?;
    Ok(HttpResponse::Ok().json(rows(&footage, job.rate)))
}

async fn reading(desk: web::Data<Desk>, OwnClip(clip): OwnClip) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(desk.store.clip_reading(clip.id).await?))
}

async fn select(OwnSelect { select, .. }: OwnSelect) -> Result<HttpResponse, WebError> {
    if select.removed { Err(WebError::NotFound) } else { Ok(HttpResponse::Ok().json(SelectView::of(&select))) }
}

async fn judge(
    desk: web::Data<Desk>,
    OwnSelect { job, select }: OwnSelect,
    window: Window,
    said: web::Json<Judgement>,
) -> Result<HttpResponse, WebError> {
    let select = desk.judge(job, window.by, window.base, select.id, &said).await?;
    Ok(HttpResponse::Ok().json(SelectView::of(&select)))
}

#[derive(Deserialize)]
struct NewSelect {
    /// Seconds of the clip.
    start: f64,
    end: f64,
}

async fn add(
    desk: web::Data<Desk>,
    OwnClip(clip): OwnClip,
    window: Window,
    new: web::Json<NewSelect>,
) -> Result<HttpResponse, WebError> {
    let select = desk.add_select(&clip, window.by, new.start, new.end).await?;
    Ok(HttpResponse::Ok().json(SelectView::of(&select)))
}

#[derive(Deserialize)]
struct At {
    /// Seconds of the clip.
    at: f64,
}

async fn split(
    desk: web::Data<Desk>,
    OwnSelect { job, select }: OwnSelect,
    window: Window,
    at: web::Json<At>,
) -> Result<HttpResponse, WebError> {
    let later = desk.split_select(job, window.by, window.base, select.id, at.at).await?;
    Ok(HttpResponse::Ok().json(SelectView::of(&later)))
}

async fn remove(
    desk: web::Data<Desk>,
    OwnSelect { job, select }: OwnSelect,
    window: Window,
) -> Result<HttpResponse, WebError> {
    desk.remove_select(job, window.by, select.id).await?;
    Ok(HttpResponse::NoContent().finish())
}
