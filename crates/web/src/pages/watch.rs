//! Watch: the whole draft, with the music.

use super::spine::Spine;
use super::{Which, page};
use crate::error::WebError;
use crate::extract::{OwnDraft, OwnJob, Window};
use crate::views::draft::{DraftView, NoteView, WatchView};
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_app::App;
use legere_core::id::{DraftId, NoteId};
use legere_core::time::FrameRate;
use legere_store::drafts::DraftLine;
use serde::Deserialize;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/watch", web::get().to(show))
        .route("/jobs/{job}/drafts/{draft}/watch.json", web::get().to(watch_json))
        .route("/jobs/{job}/drafts/{draft}/preview", web::get().to(preview))
        .route("/jobs/{job}/drafts/{draft}/preview", web::post().to(make_preview))
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

async fn show(app: web::Data<App>, OwnJob(job): OwnJob, which: web::Query<Which>) -> Result<HttpResponse, WebError> {
    let draft = which.of(&app.store.drafts().lines(job.id).await?).cloned();
    page(&Watch { spine: Spine::of(&app, job, "watch", which.draft).await?, draft })
}

async fn notes(app: &App, draft: DraftId, rate: FrameRate) -> Result<Vec<NoteView>, WebError> {
    Ok(app.store.drafts().notes(draft).await?.iter().map(|n| NoteView::of(n, rate)).collect())
}

async fn watch_json(app: web::Data<App>, OwnDraft { job, draft }: OwnDraft) -> Result<HttpResponse, WebError> {
    let notes = notes(&app, draft.id, job.rate).await?;
    let open = app.drafts().open(&job, draft).await?;
    Ok(HttpResponse::Ok().json(WatchView { draft: DraftView::of(&open), notes, target: job.target_seconds }))
}

/// How far the preview is; asking starts nothing.
async fn preview(app: web::Data<App>, OwnDraft { job, draft }: OwnDraft) -> Result<HttpResponse, WebError> {
    let open = app.drafts().open(&job, draft).await?;
    Ok(HttpResponse::Ok().json(app.drafts().preview_state(&open)?))
}

async fn make_preview(app: web::Data<App>, OwnDraft { job, draft }: OwnDraft) -> Result<HttpResponse, WebError> {
    let open = app.drafts().open(&job, draft).await?;
    Ok(HttpResponse::Ok().json(app.drafts().make_preview(&open)?))
}

async fn cancel_preview(app: web::Data<App>, OwnDraft { draft, .. }: OwnDraft) -> Result<HttpResponse, WebError> {
    app.drafts().cancel_preview(draft.id);
    Ok(HttpResponse::NoContent().finish())
}

async fn list_notes(app: web::Data<App>, OwnDraft { job, draft }: OwnDraft) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(notes(&app, draft.id, job.rate).await?))
}

#[derive(Deserialize)]
struct NoteForm {
    frame: i64,
    words: String,
}

async fn add_note(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    form: web::Json<NoteForm>,
) -> Result<HttpResponse, WebError> {
    app.drafts().add_note(&draft, window.by, form.frame, &form.words).await?;
    Ok(HttpResponse::Ok().json(notes(&app, draft.id, job.rate).await?))
}

#[derive(Deserialize)]
struct NotePath {
    note: NoteId,
}

async fn remove_note(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    path: web::Path<NotePath>,
) -> Result<HttpResponse, WebError> {
    app.drafts().remove_note(&draft, window.by, path.note).await?;
    Ok(HttpResponse::Ok().json(notes(&app, draft.id, job.rate).await?))
}
