//! Watch: the whole draft, with the music.

use super::arrange::{Which, own_draft, view};
use super::page;
use super::spine::Spine;
use crate::desk::Desk;
use crate::error::WebError;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_core::time::timecode;
use legere_store::drafts::Note;
use legere_store::journal::Put;
use serde::Deserialize;
use serde_json::{Value, json};
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/watch", web::get().to(show))
        .route("/jobs/{job}/drafts/{draft}/watch.json", web::get().to(watch_json))
        .route("/jobs/{job}/drafts/{draft}/preview", web::get().to(preview))
        .route("/jobs/{job}/drafts/{draft}/notes", web::post().to(add_note))
        .route("/jobs/{job}/drafts/{draft}/notes/{note}", web::delete().to(remove_note));
}

#[derive(Template)]
#[template(path = "watch.html")]
struct Watch {
    spine: Spine,
    draft: Option<(Uuid, i32)>,
}

async fn show(desk: web::Data<Desk>, job: web::Path<Uuid>, which: web::Query<Which>) -> Result<HttpResponse, WebError> {
    let drafts = desk.store.drafts(*job).await?;
    let draft = drafts.iter().find(|d| which.draft.is_none_or(|w| w == d.id)).map(|d| (d.id, d.number));
    page(&Watch { spine: Spine::of(&desk, *job, "watch").await?, draft })
}

async fn notes(desk: &Desk, draft: Uuid, rate: legere_core::time::FrameRate) -> Result<Vec<Value>, WebError> {
    let notes = desk.store.notes(draft).await?;
    let row = |n: &Note| json!({ "id": n.id, "frame": n.frame, "timecode": timecode(n.frame.max(0) as u64, rate, false), "words": n.words });
    Ok(notes.iter().map(row).collect())
}

async fn watch_json(desk: web::Data<Desk>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let open = own_draft(&desk, job, id).await?;
    let mut json = view(&open);
    json["notes"] = json!(notes(&desk, id, open.job.rate).await?);
    json["target"] = json!(open.job.target_seconds);
    Ok(HttpResponse::Ok().json(json))
}

async fn preview(desk: web::Data<Desk>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let open = own_draft(&desk, job, id).await?;
    Ok(HttpResponse::Ok().json(desk.preview(&open).await?))
}

#[derive(Deserialize)]
struct NoteForm {
    frame: i64,
    words: String,
}

async fn add_note(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    form: web::Json<NoteForm>,
) -> Result<HttpResponse, WebError> {
    let (job, draft) = path.into_inner();
    let open = own_draft(&desk, job, draft).await?;
    let words: String = form.words.trim().chars().take(500).collect();
    let frame = form.frame.clamp(0, open.cut().len().0 as i64);
    let note =
        Note { id: Uuid::now_v7(), draft, frame, words: if words.is_empty() { "look here".into() } else { words } };
    desk.store.edit(job, "note", &[Put::Note(note)]).await?;
    Ok(HttpResponse::Ok().json(notes(&desk, draft, open.job.rate).await?))
}

async fn remove_note(desk: web::Data<Desk>, path: web::Path<(Uuid, Uuid, Uuid)>) -> Result<HttpResponse, WebError> {
    let (job, draft, note) = path.into_inner();
    let open = own_draft(&desk, job, draft).await?;
    if desk.store.notes(draft).await?.iter().any(|n| n.id == note) {
        desk.store.edit(job, "remove the note", &[Put::NoNote(note)]).await?;
    }
    Ok(HttpResponse::Ok().json(notes(&desk, draft, open.job.rate).await?))
}
