//! Files that are dropped on the page, piece by piece.

use crate::desk::Desk;
use crate::desk::uploads::{Announced, DROPPED};
use crate::error::WebError;
use crate::extract::{OwnJob, Window};
use actix_web::{HttpResponse, web};
use serde::Deserialize;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/uploads", web::post().to(announce))
        .route("/jobs/{job}/uploads/taken", web::post().to(take_in))
        .route("/jobs/{job}/uploads/{upload}", web::put().to(receive));
}

async fn announce(
    desk: web::Data<Desk>,
    OwnJob(job): OwnJob,
    file: web::Json<Announced>,
) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(desk.announce(job.id, file.into_inner()).await?))
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
    desk: web::Data<Desk>,
    OwnJob(job): OwnJob,
    path: web::Path<UploadPath>,
    from: web::Query<From>,
    body: web::Payload,
) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(desk.receive(job.id, &path.upload, from.from, body).await?))
}

/// All that is there by now is brought in, as one import.
async fn take_in(desk: web::Data<Desk>, OwnJob(job): OwnJob, window: Window) -> Result<HttpResponse, WebError> {
    let brought = desk.bring(job.id, window.by, DROPPED, &job.id.to_string()).await?;
    Ok(HttpResponse::Ok().json(serde_json::json!({ "clips": brought.clips, "tracks": brought.tracks })))
}
