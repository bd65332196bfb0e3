//! Addresses and what answers there.

mod arrange;
mod bring;
mod events;
mod footage;
mod gather;
mod handoff;
mod history;
mod listen;
mod media;
mod settings;
mod sift;
pub(crate) mod spine;
mod start;
mod uploads;
mod watch;

use crate::assets::asset;
use crate::error::WebError;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_core::id::DraftId;
use legere_store::drafts::DraftLine;
use serde::Deserialize;

/// No edit is longer than this; a list of taps is the longest.
const LONGEST_BODY: usize = 512 << 10;

pub fn routes(config: &mut web::ServiceConfig) {
    let reported = |error: String| actix_web::Error::from(WebError::BadRequest(error));
    config
        .app_data(web::JsonConfig::default().limit(LONGEST_BODY).error_handler(move |e, _| reported(e.to_string())))
        .app_data(web::FormConfig::default().limit(LONGEST_BODY).error_handler(move |e, _| reported(e.to_string())))
        .app_data(web::QueryConfig::default().error_handler(|_, _| WebError::NotFound.into()))
        .app_data(web::PathConfig::default().error_handler(|_, _| WebError::NotFound.into()))
        .route("/assets/{path:.*}", web::get().to(asset))
        .configure(start::routes)
        .configure(events::routes)
        .configure(history::routes)
        .configure(media::routes)
        .configure(gather::routes)
        .configure(bring::routes)
        .configure(footage::routes)
        .configure(settings::routes)
        .configure(uploads::routes)
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

/// Which draft a page is about.
#[derive(Deserialize)]
struct Which {
    draft: Option<DraftId>,
}

impl Which {
    /// The one that was asked for, or the newest.
    fn of<'a>(&self, drafts: &'a [DraftLine]) -> Option<&'a DraftLine> {
        match self.draft {
            Some(id) => drafts.iter().find(|d| d.id == id).or(drafts.first()),
            None => drafts.first(),
        }
    }
}
