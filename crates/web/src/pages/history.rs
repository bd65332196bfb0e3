//! Undo and redo: a window's own, in the step it is in.

use crate::desk::Desk;
use crate::error::WebError;
use crate::extract::{OwnJob, Window};
use actix_web::{HttpResponse, web};
use legere_store::journal::Direction;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/history", web::get().to(history))
        .route("/jobs/{job}/undo", web::post().to(undo))
        .route("/jobs/{job}/redo", web::post().to(redo));
}

async fn history(desk: web::Data<Desk>, OwnJob(job): OwnJob, window: Window) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(desk.store.history(job.id, window.by).await?))
}

async fn undo(desk: web::Data<Desk>, OwnJob(job): OwnJob, window: Window) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(desk.store.replay(job.id, window.by, Direction::Undo).await?))
}

async fn redo(desk: web::Data<Desk>, OwnJob(job): OwnJob, window: Window) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(desk.store.replay(job.id, window.by, Direction::Redo).await?))
}
