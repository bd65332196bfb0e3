//! Hand off: what will be made, and what was made.

use super::arrange::{Which, own_draft};
use super::page;
use super::spine::{Spine, handoff_says};
use crate::desk::Desk;
use crate::desk::handing::Kind;
use crate::error::WebError;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/handoff", web::get().to(show))
        .route("/jobs/{job}/handoff/files", web::get().to(files))
        .route("/jobs/{job}/handoffs", web::post().to(make));
}

struct KindView {
    word: &'static str,
    title: &'static str,
    inside: &'static str,
}

struct FileLine {
    id: Uuid,
    kind: String,
    name: String,
    state: String,
    done: i32,
    total: i32,
    report: String,
}

#[derive(Template)]
#[template(path = "files.html")]
struct Files {
    files: Vec<FileLine>,
    says: String,
    /// Whether it replaces what stands on an open page.
    swapped: bool,
}

#[derive(Template)]
#[template(path = "handoff.html")]
struct Handoff {
    spine: Spine,
    draft: Option<(Uuid, i32)>,
    kinds: Vec<KindView>,
    files: String,
}

async fn files_view(desk: &Desk, job: Uuid, swapped: bool) -> Result<Files, WebError> {
    let handoffs = desk.store.handoffs(job).await?;
    let says = handoff_says(&handoffs);
    let files = handoffs.into_iter().map(|h| FileLine {
        id: h.id,
        kind: h.kind,
        name: h.name,
        state: h.state,
        done: h.done,
        total: h.total,
        report: h.report.unwrap_or_default(),
    });
    Ok(Files { files: files.collect(), says, swapped })
}

async fn show(desk: web::Data<Desk>, job: web::Path<Uuid>, which: web::Query<Which>) -> Result<HttpResponse, WebError> {
    let drafts = desk.store.drafts(*job).await?;
    let draft = drafts.iter().find(|d| which.draft.is_none_or(|w| w == d.id)).map(|d| (d.id, d.number));
    let kinds =
        Kind::ALL.into_iter().map(|k| KindView { word: k.word(), title: k.title(), inside: k.inside() }).collect();
    page(&Handoff {
        spine: Spine::of(&desk, *job, "handoff").await?,
        draft,
        kinds,
        files: files_view(&desk, *job, false).await?.render()?,
    })
}

async fn files(desk: web::Data<Desk>, job: web::Path<Uuid>) -> Result<HttpResponse, WebError> {
    page(&files_view(&desk, *job, true).await?)
}

#[derive(Deserialize)]
struct Asked {
    draft: Uuid,
    kind: String,
}

async fn make(desk: web::Data<Desk>, job: web::Path<Uuid>, form: web::Form<Asked>) -> Result<HttpResponse, WebError> {
    own_draft(&desk, *job, form.draft).await?;
    let kind = Kind::from_word(&form.kind).ok_or(WebError::Refused("this kind of file is not made here"))?;
    desk.ask_handoff(form.draft, kind).await?;
    page(&files_view(&desk, *job, true).await?)
}
