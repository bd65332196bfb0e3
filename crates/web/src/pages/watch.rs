//! Watch: the whole draft, with the music.

use super::spine::Spine;
use super::{Which, page};
use crate::desk::Desk;
use crate::error::WebError;
use crate::extract::{OwnDraft, OwnJob, Window};
use crate::views::draft::{DraftView, NoteView};
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_core::id::{DraftId, NoteId};
use legere_core::time::FrameRate;
use legere_store::drafts::DraftLine;
use serde::{Deserialize, Serialize};

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/watch", web::get().to(show))
        .route("/jobs/{job}/drafts/{draft}/watch.json", web::get().to(watch_json))
        .route("/jobs/{job}/drafts/{draft}/preview", web::get().to(preview))
        .route("/jobs/{job}/drafts/{draft}/preview", web::delete().to(cancel_preview))
        .route("/jobs/{job}/drafts/{draft}/notes", web::get().to(list_notes))
        .route("/jobs/{job}/drafts/{draft}/notes", web::post().to(add_note))
        .route("/jobs/{job}/drafts/{draft}/notes/{note}", web::delete().to(remove_note));
}

#[derive(Template)]
#[template(path = "watch.html")]
struct Watch {
    spine: Spine,
    draft: Option<DraftLine>,
}

async fn show(desk: web::Data<Desk>, OwnJob(job): OwnJob, which: web::Query<Which>) -> Result<HttpResponse, WebError> {
    let draft = which.of(&desk.store.draft_lines(job.id).await?).cloned();
    page(&Watch { spine: Spine::of(&desk, job, "watch", which.draft).await?, draft })
}

#[derive(Serialize)]
struct WatchView {
    #[serde(flatten)]
    draft: DraftView,
    notes: Vec<NoteView>,
    /// Seconds.
    target: Option<f64>,
}

async fn notes(desk: &Desk, draft: DraftId, rate: FrameRate) -> Result<Vec<NoteView>, WebError> {
    Ok(desk.store.notes(draft).await?.iter().map(|n| NoteView::of(n, rate)).collect())
}

async fn watch_json(desk: web::Data<Desk>, OwnDraft { job, draft }: OwnDraft) -> Result<HttpResponse, WebError> {
    let notes = notes(&desk, draft.id, job.rate).await?;
    let open = desk.open_draft(&job, draft).await?;
    Ok(HttpResponse::Ok().json(WatchView { draft: DraftView::of(&open), notes, target: job.target_seconds }))
}

async fn preview(desk: web::Data<Desk>, OwnDraft { job, draft }: OwnDraft) -> Result<HttpResponse, WebError> {
    let open = desk.open_draft(&job, draft).await?;
    Ok(HttpResponse::Ok().json(desk.preview(&open)?))
}

async fn cancel_preview(desk: web::Data<Desk>, OwnDraft { draft, .. }: OwnDraft) -> Result<HttpResponse, WebError> {
    desk.cancel_preview(draft.id);
    Ok(HttpResponse::NoContent().finish())
}

async fn list_notes(desk: web::Data<Desk>, OwnDraft { job, draft }: OwnDraft) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(notes(&desk, draft.id, job.rate).await?))
}

#[derive(Deserialize)]
struct NoteForm {
    frame: i64,
    words: String,
}

async fn add_note(
    desk: web::Data<Desk>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    form: web::Json<NoteForm>,
) -> Result<HttpResponse, WebError> {
    desk.add_note(&draft, window.by, form.frame, &form.words).await?;
    Ok(HttpResponse::Ok().json(notes(&desk, draft.id, job.rate).await?))
}

#[derive(Deserialize)]
struct NotePath {
    note: NoteId,
}

async fn remove_note(
    desk: web::Data<Desk>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    path: web::Path<NotePath>,
) -> Result<HttpResponse, WebError> {
    desk.remove_note(&draft, window.by, path.note).await?;
    Ok(HttpResponse::Ok().json(notes(&desk, draft.id, job.rate).await?))
}
