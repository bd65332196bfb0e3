//! Listen: the track as a page to read.

use super::page;
use super::spine::Spine;
use crate::error::WebError;
use crate::extract::{OwnJob, OwnTrack, Window};
use crate::views::track::{TrackView, title};
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_app::App;
use legere_app::missing_files::trouble;
use legere_app::tracks::{Keep, Wanted};
use legere_core::id::{DraftId, JobId, TrackId};
use legere_core::time::clock;
use legere_core::track::SoundKind;
use legere_core::track::marks::Edit;
use legere_core::track::retarget::Seam;
use legere_store::tracks::{Track, TrackMetadata};
use serde::Deserialize;

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
    id: TrackId,
    name: String,
    about: TrackMetadata,
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
    /// Names of those whose rows cannot be read.
    broken: Vec<String>,
    shown: Option<TrackId>,
    chosen: bool,
    rate: f64,
}

#[derive(Deserialize)]
struct Which {
    track: Option<TrackId>,
    draft: Option<DraftId>,
}

/// A version this near to the wanted length needs nothing done to it, in seconds.
const FITS: f64 = 1.0;

async fn show(app: web::Data<App>, OwnJob(job): OwnJob, which: web::Query<Which>) -> Result<HttpResponse, WebError> {
    let spine = Spine::of(&app, job, "listen", which.draft).await?;
    let rows = app.store.tracks().of_job(spine.job.id).await?;
    let music = rows.whole.into_iter().filter(|t| t.kind == SoundKind::Music);
    let (mut tracks, broken): (Vec<Track>, _) = (music.collect(), rows.broken.into_iter().map(|b| b.name).collect());
    let wanted = spine.job.target_seconds;
    if let Some(wanted) = wanted {
        let far = |t: &Track| t.summary.map_or(f64::MAX, |r| (r.duration - wanted).abs());
        tracks.sort_by(|a, b| far(a).total_cmp(&far(b)));
    }
    let usable = |id: &TrackId| tracks.iter().any(|t| t.id == *id && t.summary.is_some());
    // A track that cannot be read has its words beside its name; the page stays with one that can.
    let shown = which.track.filter(usable).or(spine.job.chosen_track.filter(usable));
    let candidates = tracks.iter().map(|t| candidate(t, wanted, shown, spine.job.chosen_track)).collect();
    page(&Listen {
        wanted: wanted.map_or("as long as the music".into(), |s| format!("wanted {}", clock(s))),
        wanted_seconds: wanted,
        chosen: shown.is_some() && shown == spine.job.chosen_track,
        rate: spine.job.rate.to_f64(),
        candidates,
        broken,
        shown,
        spine,
    })
}

fn candidate(track: &Track, wanted: Option<f64>, shown: Option<TrackId>, chosen: Option<TrackId>) -> Candidate {
    let about = track.about.over(track.probe.as_ref());
    let read = track.summary.as_ref();
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
        problem: trouble(track.owns_path, track.missing, track.problem.as_deref()),
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

async fn reading(app: web::Data<App>, OwnTrack(track): OwnTrack) -> Result<HttpResponse, WebError> {
    as_seen(&app, &track).await
}

/// What the page of music is drawn from.
async fn as_seen(app: &App, track: &Track) -> Result<HttpResponse, WebError> {
    let read = app.tracks().reading(track).await?;
    let loudness = app.tracks().version_loudness(track).await?;
    Ok(HttpResponse::Ok().json(TrackView::of(track, read.as_ref(), loudness)))
}

async fn version(
    app: web::Data<App>,
    OwnTrack(track): OwnTrack,
    window: Window,
    wanted: web::Json<Wanted>,
) -> Result<HttpResponse, WebError> {
    let track = app.tracks().use_version(window.by, window.base, &track, &wanted).await?;
    as_seen(&app, &track).await
}

async fn mark(
    app: web::Data<App>,
    OwnTrack(track): OwnTrack,
    window: Window,
    edit: web::Json<Edit>,
) -> Result<HttpResponse, WebError> {
    let track = app.tracks().mark(window.by, window.base, &track, edit.into_inner()).await?;
    as_seen(&app, &track).await
}

async fn about(
    app: web::Data<App>,
    OwnTrack(track): OwnTrack,
    window: Window,
    said: web::Json<TrackMetadata>,
) -> Result<HttpResponse, WebError> {
    app.tracks().describe(window.by, window.base, &track, &said).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
struct LengthForm {
    seconds: f64,
    keep: Keep,
}

async fn lengths(
    app: web::Data<App>,
    OwnTrack(track): OwnTrack,
    form: web::Json<LengthForm>,
) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(app.tracks().offered(&track, form.seconds, form.keep).await?))
}

#[derive(Deserialize)]
struct SeamForm {
    seam: Seam,
    /// Moves it; without, others in its place are given.
    beats: Option<i32>,
}

async fn seam(
    app: web::Data<App>,
    OwnTrack(track): OwnTrack,
    form: web::Json<SeamForm>,
) -> Result<HttpResponse, WebError> {
    let seams = match form.beats {
        Some(beats) => vec![app.tracks().moved_seam(&track, form.seam, beats).await?],
        None => app.tracks().other_seams(&track, form.seam).await?,
    };
    Ok(HttpResponse::Ok().json(seams))
}

async fn choose(app: web::Data<App>, OwnTrack(track): OwnTrack, window: Window) -> Result<HttpResponse, WebError> {
    let job: JobId = track.job;
    app.tracks().choose(job, window.by, window.base, &track).await?;
    Ok(HttpResponse::NoContent().finish())
}
