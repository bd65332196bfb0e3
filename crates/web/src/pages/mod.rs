//! Addresses and what answers there.

mod arrange;
mod gather;
mod handoff;
mod listen;
mod media;
mod sift;
mod spine;
mod start;
mod watch;

use crate::assets::asset;
use crate::error::WebError;
use actix_web::{HttpResponse, web};
use askama::Template;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/assets/{path:.*}", web::get().to(asset))
        .configure(start::routes)
        .configure(media::routes)
        .configure(gather::routes)
        .configure(listen::routes)
        .configure(sift::routes)
        .configure(arrange::routes)
        .configure(watch::routes)
        .configure(handoff::routes)
        .default_service(web::to(|| async { Err::<HttpResponse, WebError>(WebError::NotFound) }));
}

fn page(template: &impl Template) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(template.render()?))
}
