//! What changed in a job, as it changes (server-sent events): the thing, its id, its revision and whose change it was. A
//! window that was away, or fell behind, is told so and looks at everything.

use crate::desk::{Desk, News};
use crate::error::WebError;
use crate::extract::OwnJob;
use actix_web::web::Bytes;
use actix_web::{HttpResponse, web};
use futures::StreamExt;
use legere_store::events::Event;
use serde::Serialize;
use std::time::Duration;
use tokio_stream::wrappers::{BroadcastStream, IntervalStream};
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/jobs/{job}/events", web::get().to(events));
}

const SIGN_OF_LIFE: Duration = Duration::from_secs(15);

#[derive(Serialize)]
struct Told {
    id: Uuid,
    revision: Option<i64>,
    session: Option<legere_core::id::SessionId>,
}

fn line(event: &Event) -> Option<Bytes> {
    let told = Told { id: event.id, revision: event.revision, session: event.session };
    let data = serde_json::to_string(&told).ok()?;
    Some(Bytes::from(format!("event: {}\ndata: {data}\n\n", event.kind)))
}

async fn events(desk: web::Data<Desk>, OwnJob(job): OwnJob) -> Result<HttpResponse, WebError> {
    let job = job.id;
    let changes = BroadcastStream::new(desk.news.subscribe()).filter_map(move |news| async move {
        match news {
            Ok(News::Changed(event)) if event.job == job => line(&event),
            Ok(News::Changed(_)) => None,
            Ok(News::Missed) | Err(_) => Some(Bytes::from_static(b"event: missed\ndata: {}\n\n")),
        }
    });
    // A sign of life, so that a closed page is noticed.
    let beats = tokio_stream::StreamExt::map(IntervalStream::new(tokio::time::interval(SIGN_OF_LIFE)), |_| {
        Bytes::from_static(b": here\n\n")
    });
    let stream = futures::stream::select(changes, beats).map(Ok::<_, actix_web::Error>);
    Ok(HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header(("cache-control", "no-store"))
        // Compression would hold events back.
        .insert_header(("content-encoding", "identity"))
        .streaming(stream))
}
