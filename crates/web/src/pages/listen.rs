//! Listen: the track as a page to read.

use super::page;
use super::spine::Spine;
use crate::desk::Desk;
use crate::desk::arranging::short_name;
use crate::desk::listening::{Keep, Wanted};
use crate::desk::presence::trouble;
use crate::error::WebError;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_core::time::clock;
use legere_core::track::marks::Edit;
use legere_core::track::retarget::Seam;
use legere_core::track::{Texture, Trace, TrackReading};
use legere_store::journal::Put;
use legere_store::tracks::{About, Track};
use serde::Deserialize;
use serde_json::{Value, json};
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/listen", web::get().to(show))
        .route("/jobs/{job}/tracks/{track}/reading.json", web::get().to(reading))
        .route("/jobs/{job}/tracks/{track}/version", web::post().to(version))
        .route("/jobs/{job}/tracks/{track}/marks", web::post().to(mark))
        .route("/jobs/{job}/tracks/{track}/about", web::post().to(about))
        .route("/jobs/{job}/tracks/{track}/lengths", web::post().to(lengths))
        .route("/jobs/{job}/tracks/{track}/seam", web::post().to(seam))
        .route("/jobs/{job}/tracks/{track}/choose", web::post().to(choose));
}

/// A track beside the others.
struct Candidate {
    id: Uuid,
    name: String,
    about: About,
    length: String,
    /// Against the wanted length: "−0:12", "fits", or nothing.
    nearness: String,
    tempo: String,
    loudness: String,
    state: String,
    problem: String,
    chosen: bool,
    shown: bool,
    /// What the table is sorted by, in the order of its columns.
    keys: [String; 8],
}

#[derive(Template)]
#[template(path = "listen.html")]
struct Listen {
    spine: Spine,
    wanted: String,
    wanted_seconds: Option<f64>,
    candidates: Vec<Candidate>,
    shown: Option<Uuid>,
    chosen: bool,
    rate: f64,
}

#[derive(Deserialize)]
struct Which {
    track: Option<Uuid>,
}

/// A version this near to the wanted length needs nothing done to it, in seconds.
const FITS: f64 = 1.0;

async fn show(desk: web::Data<Desk>, job: web::Path<Uuid>, which: web::Query<Which>) -> Result<HttpResponse, WebError> {
    let spine = Spine::of(&desk, *job, "listen").await?;
    let mut tracks = desk.store.tracks(*job).await?;
    let wanted = spine.job.target_seconds;
    if let Some(wanted) = wanted {
        let far = |t: &Track| t.reading.as_ref().map_or(f64::MAX, |r| (r.duration - wanted).abs());
        tracks.sort_by(|a, b| far(a).total_cmp(&far(b)));
    }
    let usable = |id: &Uuid| tracks.iter().any(|t| t.id == *id && t.reading.is_some());
    // A track that cannot be read has its words beside its name; the page stays with one that can.
    let shown = which.track.filter(usable).or(spine.job.chosen_track.filter(usable));
    let candidates = tracks.iter().map(|t| candidate(t, wanted, shown, spine.job.chosen_track)).collect();
    page(&Listen {
        wanted: wanted.map_or("as long as the music".into(), |s| format!("wanted {}", clock(s))),
        wanted_seconds: wanted,
        chosen: shown.is_some() && shown == spine.job.chosen_track,
        rate: spine.job.rate.to_f64(),
        candidates,
        shown,
        spine,
    })
}

fn candidate(track: &Track, wanted: Option<f64>, shown: Option<Uuid>, chosen: Option<Uuid>) -> Candidate {
    let about = track.about.over(track.probe.as_ref());
    let read = track.reading.as_ref();
    let off = read.zip(wanted).map(|(r, wanted)| r.duration - wanted);
    let nearness = off.map_or(String::new(), |off| {
        let sign = if off > 0.0 { "+" } else { "−" };
        if off.abs() <= FITS { "fits".into() } else { format!("{sign}{}", clock(off.abs())) }
    });
    let text = |value: &Option<String>| value.clone().unwrap_or_default();
    let name = title(track);
    let number = |value: Option<f64>| value.map_or(String::new(), |v| format!("{v:.1}"));
    Candidate {
        id: track.id,
        length: read.map_or(String::new(), |r| clock(r.duration)),
        nearness,
        tempo: read.map_or(String::new(), |r| format!("{:.0}", r.tempo_bpm)),
        loudness: read.map_or(String::new(), |r| format!("{:.1}", r.loudness)),
        state: if read.is_some() { String::new() } else { track.state.word().to_owned() },
        problem: trouble(track.missing, track.problem.as_deref()),
        chosen: chosen == Some(track.id),
        shown: shown == Some(track.id),
        keys: [
            name.clone(),
            text(&about.maker),
            text(&about.mood),
            text(&about.theme),
            text(&about.genre),
            number(off.map(f64::abs).or(read.map(|r| r.duration))),
            number(read.map(|r| r.tempo_bpm)),
            number(read.map(|r| r.loudness)),
        ],
        name,
        about,
    }
}

fn title(track: &Track) -> String {
    track.about.over(track.probe.as_ref()).title.unwrap_or_else(|| short_name(&track.name))
}

/// A track of this job, not of another one.
async fn own_track(desk: &Desk, job: Uuid, id: Uuid) -> Result<Track, WebError> {
    let track = desk.store.track(id).await?;
    if track.job == job { Ok(track) } else { Err(WebError::NotFound) }
}

async fn reading(desk: web::Data<Desk>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let track = own_track(&desk, job, id).await?;
    Ok(HttpResponse::Ok().json(as_seen(track)))
}

/// What the page of music is drawn from.
fn as_seen(track: Track) -> Value {
    let name = title(&track);
    let by_hand = json!({
        "beats": track.marks.beats.is_some(),
        "sections": track.marks.sections.is_some(),
        "cues": track.marks.cues.is_some(),
    });
    let loudness = track.part.as_ref().zip(track.reading.as_ref()).map(|(v, r)| v.loudness(r));
    let version = track.part.as_ref().map(|v| {
        json!({
            "loudness": loudness,
            "spans": v.spans().iter().map(|s| (s.start.to_f64(), s.end.to_f64())).collect::<Vec<_>>(),
            "joins": v.joins(),
            "duration": v.duration().to_f64(),
            "stretch": v.factor(),
            "fade_in": v.fade_in,
            "fade_out": v.fade_out,
            "level": v.level(),
        })
    });
    // The page does not draw the texture, which is the larger half, nor the loudness along time.
    let reading = track.reading.map(|r| TrackReading { texture: Texture::default(), momentary: Trace::default(), ..r });
    let metre = reading.as_ref().map(TrackReading::metre);
    json!({ "reading": reading, "metre": metre, "version": version, "name": name, "by_hand": by_hand })
}

async fn version(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    wanted: web::Json<Wanted>,
) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    desk.use_track(&own_track(&desk, job, id).await?, &wanted).await?;
    reading(desk, web::Path::from((job, id))).await
}

async fn mark(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    edit: web::Json<Edit>,
) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    desk.mark(&own_track(&desk, job, id).await?, &edit).await?;
    reading(desk, web::Path::from((job, id))).await
}

async fn about(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    said: web::Json<About>,
) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let track = own_track(&desk, job, id).await?;
    let mut next = track.about.clone();
    let plain = |text: &str| Some(text.trim().chars().take(200).collect::<String>());
    for (slot, said) in [
        (&mut next.title, &said.title),
        (&mut next.maker, &said.maker),
        (&mut next.mood, &said.mood),
        (&mut next.theme, &said.theme),
        (&mut next.genre, &said.genre),
    ] {
        if let Some(text) = said {
            *slot = plain(text);
        }
    }
    // A track without a title would have nothing to be called by; the file's own comes back.
    next.title = next.title.filter(|t| !t.is_empty());
    desk.store.edit(job, "describe a track", &[Put::About(id, next)]).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
struct LengthForm {
    seconds: f64,
    keep: Keep,
}

async fn lengths(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    form: web::Json<LengthForm>,
) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let track = own_track(&desk, job, id).await?;
    Ok(HttpResponse::Ok().json(desk.offered(&track, form.seconds, form.keep).await?))
}

#[derive(Deserialize)]
struct SeamForm {
    seam: Seam,
    /// Moves it; without, others in its place are given.
    beats: Option<i32>,
}

async fn seam(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    form: web::Json<SeamForm>,
) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let track = own_track(&desk, job, id).await?;
    let seams = match form.beats {
        Some(beats) => vec![desk.moved_seam(&track, form.seam, beats).await?],
        None => desk.other_seams(&track, form.seam).await?,
    };
    Ok(HttpResponse::Ok().json(seams))
}

async fn choose(desk: web::Data<Desk>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    if own_track(&desk, job, id).await?.reading.is_none() {
        return Err(WebError::Refused("this track has not been read"));
    }
    desk.store.edit(job, "choose the track", &[Put::Chosen(id)]).await?;
    Ok(HttpResponse::NoContent().finish())
}
