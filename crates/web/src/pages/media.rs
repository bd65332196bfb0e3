//! Light copies, sheets, peaks, previews and hand-offs as files, with ranges for seeking. Their addresses carry the job that
//! they belong to.

use crate::error::WebError;
use crate::extract::{OwnClip, OwnDraft, OwnHandoff, OwnJob, OwnTrack};
use actix_files::NamedFile;
use actix_web::http::header::{ContentDisposition, DispositionParam, DispositionType};
use actix_web::{HttpResponse, web};
use legere_app::handoff::plain;
use legere_app::{App, short_name};
use legere_core::time::clock;
use legere_media::version::Form;
use serde::Deserialize;
use std::path::Path;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/media/clips/{clip}/frame.jpg", web::get().to(frame))
        .route("/jobs/{job}/media/clips/{clip}/{file}", web::get().to(clip))
        .route("/jobs/{job}/media/drafts/{draft}/music.flac", web::get().to(draft_music))
        .route("/jobs/{job}/media/tracks/{track}/version.flac", web::get().to(version))
        .route("/jobs/{job}/media/tracks/{track}/version.wav", web::get().to(export))
        .route("/jobs/{job}/media/tracks/{track}/{file}", web::get().to(track))
        .route("/jobs/{job}/media/previews/{key}.mp4", web::get().to(preview))
        .route("/jobs/{job}/media/handoffs/{handoff}", web::get().to(handoff));
}

async fn open(path: &Path) -> Result<NamedFile, WebError> {
    let path = path.to_path_buf();
    let opened = web::block(move || NamedFile::open(path)).await;
    opened.ok().and_then(Result::ok).ok_or(WebError::NotFound)
}

#[derive(Deserialize)]
struct FileName {
    file: String,
}

async fn clip(app: web::Data<App>, OwnClip(clip): OwnClip, name: web::Path<FileName>) -> Result<NamedFile, WebError> {
    if !matches!(name.file.as_str(), "light.mp4" | "sheet.jpg" | "stills.jpg" | "peaks.bin") {
        return Err(WebError::NotFound);
    }
    open(&app.shelf.clip(&clip.id.to_string()).join(&name.file)).await
}

#[derive(Deserialize)]
struct At {
    /// Seconds of the clip.
    at: f64,
}

/// A frame of the original, at full size.
async fn frame(app: web::Data<App>, OwnClip(clip): OwnClip, at: web::Query<At>) -> Result<HttpResponse, WebError> {
    let bytes = app.readings().full_frame(&clip, at.at).await?;
    Ok(HttpResponse::Ok()
        .content_type("image/jpeg")
        .insert_header(("cache-control", "private, max-age=60"))
        .body(bytes))
}

async fn track(
    app: web::Data<App>,
    OwnTrack(track): OwnTrack,
    name: web::Path<FileName>,
) -> Result<NamedFile, WebError> {
    if !matches!(name.file.as_str(), "light.flac" | "peaks.bin") {
        return Err(WebError::NotFound);
    }
    open(&app.shelf.track(&track.id.to_string()).join(&name.file)).await
}

#[derive(Deserialize)]
struct SpansQuery {
    /// Starts and ends in the track, in seconds, as JSON.
    spans: Option<String>,
}

/// The version as it is used, to be heard; with spans, as it would be.
async fn version(
    app: web::Data<App>,
    OwnTrack(track): OwnTrack,
    heard: web::Query<SpansQuery>,
) -> Result<NamedFile, WebError> {
    let file = match &heard.spans {
        None => app.tracks().version_file(&track, Form::Flac).await?,
        Some(spans) => {
            let spans = serde_json::from_str(spans).map_err(|e| WebError::BadRequest(e.to_string()))?;
            app.tracks().offered_file(&track, spans).await?
        }
    };
    open(&file).await
}

/// The music of a draft, as it was when the draft was laid.
async fn draft_music(app: web::Data<App>, OwnDraft { draft, .. }: OwnDraft) -> Result<NamedFile, WebError> {
    open(&app.drafts().music(&draft).await?).await
}

fn attached(file: NamedFile, name: String) -> NamedFile {
    let parameters = vec![DispositionParam::Filename(name)];
    file.set_content_disposition(ContentDisposition { disposition: DispositionType::Attachment, parameters })
}

/// The version as it is used, to be taken along.
async fn export(app: web::Data<App>, OwnTrack(track): OwnTrack) -> Result<NamedFile, WebError> {
    let named = open(&app.tracks().version_file(&track, Form::Wav).await?).await?;
    let length = track.part.as_ref().map_or(0.0, |p| p.duration().to_f64());
    let name = format!("{} {}.wav", plain(&short_name(&track.name)), clock(length).replace(':', "-"));
    Ok(attached(named, name))
}

#[derive(Deserialize)]
struct PreviewKey {
    key: String,
}

/// A preview's name is a hash of everything in it: whoever has it has seen the draft.
async fn preview(app: web::Data<App>, _: OwnJob, key: web::Path<PreviewKey>) -> Result<NamedFile, WebError> {
    open(&app.drafts().preview_file(&key.key).ok_or(WebError::NotFound)?).await
}

async fn handoff(app: web::Data<App>, OwnHandoff(handoff): OwnHandoff) -> Result<NamedFile, WebError> {
    let file = handoff.file.ok_or(WebError::NotFound)?;
    let named = open(&app.shelf.handoff(&handoff.id.to_string()).join(file)).await?;
    Ok(attached(named, handoff.name))
}
