//! What is done to clips, rolls and tracks that are there: put in order, left out, looked at again.

use crate::error::WebError;
use crate::extract::{OwnClip, OwnJob, OwnTrack, Window};
use actix_web::{HttpResponse, web};
use legere_app::App;
use legere_app::rolls::clock_of;
use legere_core::id::{ClipId, JobId, RollId};
use legere_core::length::parse_length;
use legere_core::track::SoundKind;
use legere_store::clips::State;
use serde::Deserialize;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/gather/look", web::post().to(looked_at))
        .route("/jobs/{job}/rest", web::post().to(rest))
        .route("/jobs/{job}/rolls/{roll}", web::post().to(change_roll))
        .route("/jobs/{job}/clips/{clip}/shown", web::post().to(shown))
        .route("/jobs/{job}/tracks/{track}/kind", web::post().to(track_kind))
        .route("/jobs/{job}/again", web::post().to(again))
        .route("/jobs/{job}/rolls/{roll}/again", web::post().to(roll_again))
        .route("/jobs/{job}/rolls/{roll}/restore", web::post().to(restore_roll))
        .route("/jobs/{job}/clips/{clip}/adopt", web::post().to(adopt))
        .route("/jobs/{job}/clips/{clip}/again", web::post().to(clip_again))
        .route("/jobs/{job}/clips/{clip}/restore", web::post().to(restore_clip))
        .route("/jobs/{job}/tracks/{track}/again", web::post().to(track_again))
        .route("/jobs/{job}/tracks/{track}/restore", web::post().to(restore_track));
}

#[derive(Deserialize)]
struct LookedAt {
    clips: Vec<ClipId>,
}

/// Reads first what is being looked at.
async fn looked_at(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    seen: web::Json<LookedAt>,
) -> Result<HttpResponse, WebError> {
    let seen: Vec<ClipId> = seen.clips.iter().copied().take(500).collect();
    app.store.rolls().read_first(job.id, &seen).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
struct Rest {
    rest: bool,
}

async fn rest(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    window: Window,
    form: web::Form<Rest>,
) -> Result<HttpResponse, WebError> {
    app.jobs().pause(job.id, window.by, form.rest).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// One change of a roll; what is not given stays.
#[derive(Deserialize)]
struct RollChange {
    name: Option<String>,
    clock: Option<String>,
    join: Option<RollId>,
    split: Option<ClipId>,
    pauses: Option<bool>,
}

async fn change_roll(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    window: Window,
    path: web::Path<RollPath>,
    change: web::Form<RollChange>,
) -> Result<HttpResponse, WebError> {
    let (job, by, roll) = (job.id, window.by, path.roll);
    if let Some(name) = &change.name {
        app.rolls().rename(job, by, roll, name).await?;
    }
    if let Some(clock) = &change.clock {
        app.rolls().set_clock(job, by, roll, clock_of(clock)?).await?;
    }
    if let Some(into) = change.join {
        app.rolls().join(job, by, roll, into).await?;
    }
    if let Some(from) = change.split {
        app.rolls().split(job, by, roll, from).await?;
    }
    if change.pauses == Some(true) {
        app.rolls().split_at_pauses(job, by, roll).await?;
    }
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
struct ShownFor {
    seconds: String,
}

async fn shown(
    app: web::Data<App>,
    OwnClip(clip): OwnClip,
    window: Window,
    form: web::Form<ShownFor>,
) -> Result<HttpResponse, WebError> {
    let rate = app.store.jobs().get(clip.job).await?.rate;
    let seconds = parse_length(&form.seconds, rate).map_err(|error| WebError::BadRequest(error.to_string()))?;
    app.imports().set_shown(clip.job, window.by, clip.id, seconds).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
struct KindForm {
    kind: SoundKind,
}

async fn track_kind(
    app: web::Data<App>,
    OwnTrack(track): OwnTrack,
    window: Window,
    form: web::Form<KindForm>,
) -> Result<HttpResponse, WebError> {
    app.imports().set_track_kind(window.by, &track, form.kind).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Looks again at everything that is in trouble.
async fn again(app: web::Data<App>, OwnJob(job): OwnJob) -> Result<HttpResponse, WebError> {
    let clips = app.store.clips().of_job(job.id).await?;
    app.store.clips().mend(job.id, &clips.broken).await?;
    let troubled = clips.whole.iter().filter(|c| c.state == State::Failed).map(|c| c.id);
    let ids: Vec<ClipId> = troubled.chain(clips.broken.iter().map(|b| b.id.into())).collect();
    look_again(&app, job.id, &ids).await?;
    for track in app.store.tracks().of_job(job.id).await?.whole.iter().filter(|t| t.state == State::Failed) {
        app.read_track_again(track.id).await?;
    }
    Ok(HttpResponse::NoContent().finish())
}

async fn look_again(app: &App, job: JobId, clips: &[ClipId]) -> Result<(), WebError> {
    app.files().look(job).await?;
    Ok(app.read_again(job, clips).await?)
}

#[derive(Deserialize)]
struct RollPath {
    roll: RollId,
}

async fn roll_again(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    path: web::Path<RollPath>,
) -> Result<HttpResponse, WebError> {
    let clips = app.store.clips().of_job(job.id).await?.whole;
    let ids: Vec<ClipId> = clips.iter().filter(|c| c.roll == path.roll).map(|c| c.id).collect();
    look_again(&app, job.id, &ids).await?;
    Ok(HttpResponse::NoContent().finish())
}

async fn clip_again(app: web::Data<App>, OwnClip(clip): OwnClip) -> Result<HttpResponse, WebError> {
    look_again(&app, clip.job, &[clip.id]).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// The file that took the place of a clip is the same shot.
async fn adopt(app: web::Data<App>, OwnClip(clip): OwnClip, window: Window) -> Result<HttpResponse, WebError> {
    app.imports().adopt_file(window.by, &clip).await?;
    Ok(HttpResponse::NoContent().finish())
}

async fn track_again(app: web::Data<App>, OwnTrack(track): OwnTrack) -> Result<HttpResponse, WebError> {
    app.files().look(track.job).await?;
    app.read_track_again(track.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
struct Restore {
    /// Otherwise it is left out.
    restore: bool,
}

async fn restore_roll(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    window: Window,
    path: web::Path<RollPath>,
    form: web::Form<Restore>,
) -> Result<HttpResponse, WebError> {
    app.imports().leave_out_roll(job.id, window.by, path.roll, !form.restore).await?;
    Ok(HttpResponse::NoContent().finish())
}

async fn restore_clip(
    app: web::Data<App>,
    OwnClip(clip): OwnClip,
    window: Window,
    form: web::Form<Restore>,
) -> Result<HttpResponse, WebError> {
    app.imports().leave_out_clip(clip.job, window.by, clip.id, !form.restore).await?;
    Ok(HttpResponse::NoContent().finish())
}

async fn restore_track(
    app: web::Data<App>,
    OwnTrack(track): OwnTrack,
    window: Window,
    form: web::Form<Restore>,
) -> Result<HttpResponse, WebError> {
    app.imports().leave_out_track(track.job, window.by, track.id, !form.restore).await?;
    Ok(HttpResponse::NoContent().finish())
}
