//! Files that are dropped on the page, piece by piece.

use crate::error::WebError;
use crate::extract::{OwnJob, Window};
use actix_web::{HttpRequest, HttpResponse, web};
use legere_app::App;
use legere_app::uploads::{Announced, DROPPED};
use serde::Deserialize;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/uploads", web::post().to(announce))
        .route("/jobs/{job}/uploads/taken", web::post().to(take_in))
        .route("/jobs/{job}/uploads/{upload}", web::put().to(receive));
}

async fn announce(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    file: web::Json<Announced>,
) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(app.imports().announce(job.id, file.into_inner()).await?))
}

#[derive(Deserialize)]
struct UploadPath {
    upload: String,
}

#[derive(Deserialize)]
struct From {
    from: u64,
}

async fn receive(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    path: web::Path<UploadPath>,
    from: web::Query<From>,
    request: HttpRequest,
    body: web::Payload,
) -> Result<HttpResponse, WebError> {
    let digest = request.headers().get("x-legere-digest").and_then(|v| v.to_str().ok()).unwrap_or_default();
    Ok(HttpResponse::Ok().json(app.imports().receive(job.id, &path.upload, from.from, digest, body).await?))
}

/// All that is there by now is brought in, as one import.
async fn take_in(app: web::Data<App>, OwnJob(job): OwnJob, window: Window) -> Result<HttpResponse, WebError> {
    let brought = app.imports().bring(job.id, window.by, DROPPED, &job.id.to_string()).await?;
    Ok(HttpResponse::Ok().json(serde_json::json!({ "clips": brought.clips, "tracks": brought.tracks })))
}
