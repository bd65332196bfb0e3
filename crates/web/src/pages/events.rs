//! What changed in a job, as it changes (server-sent events): the thing, its id, its revision and whose change it was. A
//! window that was away, or fell behind, is told so and looks at everything.

use crate::desk::{Desk, News};
use crate::extract::OwnJob;
use actix_web::{Responder, web};
use actix_web_lab::sse;
use futures::StreamExt;
use legere_store::events::Event;
use serde::Serialize;
use std::time::Duration;
use tokio_stream::wrappers::BroadcastStream;
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/jobs/{job}/events", web::get().to(events));
}

/// A sign of life, so that a closed page is noticed.
const SIGN_OF_LIFE: Duration = Duration::from_secs(15);

#[derive(Serialize)]
struct Told {
    id: Uuid,
    revision: Option<i64>,
    session: Option<legere_core::id::SessionId>,
}

fn told(event: &Event) -> Option<sse::Event> {
    let told = Told { id: event.id, revision: event.revision, session: event.session };
    Some(sse::Data::new_json(told).ok()?.event(event.kind.to_string()).into())
}

async fn events(desk: web::Data<Desk>, OwnJob(job): OwnJob) -> impl Responder {
    let job = job.id;
    let changes = BroadcastStream::new(desk.news.subscribe()).filter_map(move |news| async move {
        match news {
            Ok(News::Changed(event)) if event.job == job => told(&event),
            Ok(News::Changed(_)) => None,
            Ok(News::Missed) | Err(_) => Some(sse::Data::new("{}").event("missed").into()),
        }
    });
    sse::Sse::from_infallible_stream(changes).with_keep_alive(SIGN_OF_LIFE)
}
