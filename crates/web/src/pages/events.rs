//! What changed in a job, as it changes (server-sent events): the thing, its id, its revision and whose change it was. A
//! window that was away, or fell behind, gets a message and looks at everything.

use crate::extract::OwnJob;
use actix_web::{Responder, web};
use actix_web_lab::sse;
use futures::StreamExt;
use legere_app::{App, News};
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
struct Changed {
    id: Uuid,
    revision: Option<i64>,
    session: Option<legere_core::id::SessionId>,
}

fn message(event: &Event) -> Option<sse::Event> {
    if event.id == Event::ALL {
        return Some(sse::Data::new("{}").event("missed").into());
    }
    let data = Changed { id: event.id, revision: event.revision, session: event.session };
    Some(sse::Data::new_json(data).ok()?.event(event.kind.to_string()).into())
}

async fn events(app: web::Data<App>, OwnJob(job): OwnJob) -> impl Responder {
    let job = job.id;
    let changes = BroadcastStream::new(app.news.subscribe()).filter_map(move |news| async move {
        match news {
            Ok(News::Changed(event)) if event.job == job => message(&event),
            Ok(News::Changed(_)) => None,
            Ok(News::Missed) | Err(_) => Some(sse::Data::new("{}").event("missed").into()),
        }
    });
    sse::Sse::from_infallible_stream(changes).with_keep_alive(SIGN_OF_LIFE)
}
