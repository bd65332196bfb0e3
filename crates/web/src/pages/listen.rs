//! Listen: the track as a page to read.

use super::page;
use super::spine::Spine;
use crate::desk::Desk;
use crate::desk::arranging::short_name;
use crate::desk::presence::trouble;
use crate::error::WebError;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_core::time::{Seconds, clock};
use legere_core::track::Version;
use legere_store::journal::Put;
use legere_store::tracks::Track;
use serde::Deserialize;
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/listen", web::get().to(show))
        .route("/jobs/{job}/tracks/{track}/reading.json", web::get().to(reading))
        .route("/jobs/{job}/tracks/{track}/part", web::post().to(part))
        .route("/jobs/{job}/tracks/{track}/choose", web::post().to(choose));
}

struct Candidate {
    id: Uuid,
    name: String,
    facts: String,
    problem: String,
    chosen: bool,
    shown: bool,
}

#[derive(Template)]
#[template(path = "listen.html")]
struct Listen {
    spine: Spine,
    wanted: String,
    candidates: Vec<Candidate>,
    shown: Option<Uuid>,
    chosen: bool,
    rate: f64,
}

#[derive(Deserialize)]
struct Which {
    track: Option<Uuid>,
}

async fn show(desk: web::Data<Desk>, job: web::Path<Uuid>, which: web::Query<Which>) -> Result<HttpResponse, WebError> {
    let spine = Spine::of(&desk, *job, "listen").await?;
    let mut tracks = desk.store.tracks(*job).await?;
    if let Some(wanted) = spine.job.target_seconds {
        let far = |t: &Track| t.reading.as_ref().map_or(f64::MAX, |r| (r.duration - wanted).abs());
        tracks.sort_by(|a, b| far(a).total_cmp(&far(b)));
    }
    let usable = |id: &Uuid| tracks.iter().any(|t| t.id == *id && t.reading.is_some());
    // A track that cannot be read has its words beside its name; the page stays with one that can.
    let shown = which.track.filter(usable).or(spine.job.chosen_track.filter(usable));
    let candidates = tracks
        .iter()
        .map(|t| Candidate {
            id: t.id,
            name: title(t),
            facts: match &t.reading {
                Some(r) => format!("{} · {:.0} bpm", clock(r.duration), r.tempo_bpm),
                None => t.state.word().to_owned(),
            },
            problem: trouble(t.missing, t.problem.as_deref()),
            chosen: spine.job.chosen_track == Some(t.id),
            shown: shown == Some(t.id),
        })
        .collect();
    page(&Listen {
        wanted: spine.job.target_seconds.map_or("as long as the music".into(), |s| format!("wanted {}", clock(s))),
        chosen: shown.is_some() && shown == spine.job.chosen_track,
        rate: spine.job.rate.to_f64(),
        candidates,
        shown,
        spine,
    })
}

fn title(track: &Track) -> String {
    let tagged = track.probe.as_ref().and_then(|p| p["title"].as_str()).map(str::to_owned);
    tagged.unwrap_or_else(|| short_name(&track.name))
}

/// A track of this job, not of another one.
async fn own_track(desk: &Desk, job: Uuid, id: Uuid) -> Result<Track, WebError> {
    let track = desk.store.track(id).await?;
    if track.job == job { Ok(track) } else { Err(WebError::NotFound) }
}

async fn reading(desk: web::Data<Desk>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let track = own_track(&desk, job, id).await?;
    let part = track.part.as_ref().map(|p| (p.start().to_f64(), p.end().to_f64()));
    Ok(HttpResponse::Ok().json(serde_json::json!({ "reading": track.reading, "part": part, "name": title(&track) })))
}

#[derive(Deserialize)]
struct PartForm {
    start: f64,
    end: f64,
}

async fn part(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    form: web::Json<PartForm>,
) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let track = own_track(&desk, job, id).await?;
    let length = track.reading.as_ref().map(|r| Seconds::from_measured(r.duration)).ok_or(WebError::NotFound)?;
    let part = Version::part(Seconds::from_measured(form.start), Seconds::from_measured(form.end), length)?;
    desk.store.edit(job, "choose the part", &[Put::Part(id, part)]).await?;
    Ok(HttpResponse::NoContent().finish())
}

async fn choose(desk: web::Data<Desk>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    if own_track(&desk, job, id).await?.reading.is_none() {
        return Err(WebError::Refused("this track has not been read"));
    }
    desk.store.edit(job, "choose the track", &[Put::Chosen(id)]).await?;
    Ok(HttpResponse::NoContent().finish())
}
