//! Light copies, sheets, peaks, previews and hand-offs as files, with ranges for seeking.

use crate::desk::Desk;
use crate::desk::arranging::short_name;
use crate::error::WebError;
use actix_files::NamedFile;
use actix_web::http::header::{ContentDisposition, DispositionParam, DispositionType};
use actix_web::web;
use legere_core::time::clock;
use legere_media::version::Form;
use std::path::Path;
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/media/clips/{id}/{file}", web::get().to(clip))
        .route("/media/tracks/{id}/version.flac", web::get().to(version))
        .route("/media/tracks/{id}/version.wav", web::get().to(export))
        .route("/media/tracks/{id}/{file}", web::get().to(track))
        .route("/media/previews/{key}.mp4", web::get().to(preview))
        .route("/media/handoffs/{id}", web::get().to(handoff));
}

async fn open(path: &Path) -> Result<NamedFile, WebError> {
    let path = path.to_path_buf();
    let opened = web::block(move || NamedFile::open(path)).await;
    opened.ok().and_then(Result::ok).ok_or(WebError::NotFound)
}

async fn clip(desk: web::Data<Desk>, path: web::Path<(Uuid, String)>) -> Result<NamedFile, WebError> {
    let (id, file) = path.into_inner();
    if !matches!(file.as_str(), "light.mp4" | "sheet.jpg" | "peaks.bin") {
        return Err(WebError::NotFound);
    }
    open(&desk.shelf.clip(&id.to_string()).join(file)).await
}

async fn track(desk: web::Data<Desk>, path: web::Path<(Uuid, String)>) -> Result<NamedFile, WebError> {
    let (id, file) = path.into_inner();
    if !matches!(file.as_str(), "light.flac" | "peaks.bin") {
        return Err(WebError::NotFound);
    }
    open(&desk.shelf.track(&id.to_string()).join(file)).await
}

/// The version as it is used, to be heard.
async fn version(desk: web::Data<Desk>, id: web::Path<Uuid>) -> Result<NamedFile, WebError> {
    let track = desk.store.track(*id).await?;
    open(&desk.version_file(&track, Form::Flac).await?).await
}

/// The version as it is used, to be taken along.
async fn export(desk: web::Data<Desk>, id: web::Path<Uuid>) -> Result<NamedFile, WebError> {
    let track = desk.store.track(*id).await?;
    let named = open(&desk.version_file(&track, Form::Wav).await?).await?;
    let length = track.part.as_ref().map_or(0.0, |p| p.duration().to_f64());
    let name = format!("{} {}.wav", short_name(&track.name), clock(length).replace(':', "-"));
    Ok(named.set_content_disposition(ContentDisposition {
        disposition: DispositionType::Attachment,
        parameters: vec![DispositionParam::Filename(name)],
    }))
}

async fn preview(desk: web::Data<Desk>, key: web::Path<String>) -> Result<NamedFile, WebError> {
    open(&desk.preview_file(&key).ok_or(WebError::NotFound)?).await
}

async fn handoff(desk: web::Data<Desk>, id: web::Path<Uuid>) -> Result<NamedFile, WebError> {
    let handoff = desk.store.handoff(*id).await?;
    let file = handoff.file.ok_or(WebError::NotFound)?;
    let named = open(&desk.shelf.handoff(&id.to_string()).join(file)).await?;
    Ok(named.set_content_disposition(ContentDisposition {
        disposition: DispositionType::Attachment,
        parameters: vec![DispositionParam::Filename(handoff.name)],
    }))
}
