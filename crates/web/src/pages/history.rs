//! Undo and redo: a person's own, in the step they are in.

use crate::error::WebError;
use crate::extract::{OwnJob, Window};
use actix_web::{HttpResponse, web};
use legere_app::App;
use legere_store::journal::Direction;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/history", web::get().to(history))
        .route("/jobs/{job}/undo", web::post().to(undo))
        .route("/jobs/{job}/redo", web::post().to(redo));
}

async fn history(app: web::Data<App>, OwnJob(job): OwnJob, window: Window) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(app.store.history(job.id, window.by).await?))
}

async fn undo(app: web::Data<App>, OwnJob(job): OwnJob, window: Window) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(app.replay(job.id, window.by, Direction::Undo).await?))
}

async fn redo(app: web::Data<App>, OwnJob(job): OwnJob, window: Window) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(app.replay(job.id, window.by, Direction::Redo).await?))
}
