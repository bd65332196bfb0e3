//! Arrange: the skyline.

use super::spine::Spine;
use super::{Which, page};
use crate::error::WebError;
use crate::extract::{OwnDraft, OwnJob, Window};
use crate::views::draft::{CutView, DifferencesView, DraftView, InsteadView};
use actix_web::http::header::HeaderName;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_app::against::differences;
use legere_app::draft_command::DraftRequest;
use legere_app::short_name;
use legere_app::{App, AppError};
use legere_core::arrange::{CutsOn, Pace, PaceError, Wishes};
use legere_core::check::Meant;
use legere_core::id::{DraftId, JobId, ShotId, TrackId};
use legere_core::track::SoundKind;
use legere_store::drafts::{ChapterWords, DraftLine, StoredDraft};
use legere_store::jobs::Job;
use serde::Deserialize;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/arrange", web::get().to(show))
        .route("/jobs/{job}/drafts", web::post().to(create))
        .route("/jobs/{job}/drafts/{draft}.json", web::get().to(draft_json))
        .route("/jobs/{job}/drafts/{draft}/arrange", web::post().to(again))
        .route("/jobs/{job}/drafts/{draft}/edit", web::post().to(edit))
        .route("/jobs/{job}/drafts/{draft}/track", web::post().to(track))
        .route("/jobs/{job}/drafts/{draft}/move-over", web::post().to(move_over))
        .route("/jobs/{job}/drafts/{draft}/copy", web::post().to(copy))
        .route("/jobs/{job}/drafts/{draft}/another", web::post().to(another))
        .route("/jobs/{job}/drafts/{draft}/shorter", web::post().to(shorter))
        .route("/jobs/{job}/drafts/{draft}/wishes", web::post().to(wishes))
        .route("/jobs/{job}/drafts/{draft}/chapter", web::post().to(chapter))
        .route("/jobs/{job}/drafts/{draft}/meant", web::post().to(meant))
        .route("/jobs/{job}/drafts/{draft}/against.json", web::get().to(against))
        .route("/jobs/{job}/drafts/{draft}/name", web::post().to(name))
        .route("/jobs/{job}/drafts/{draft}", web::delete().to(delete))
        .route("/jobs/{job}/drafts/{draft}/alternates", web::get().to(alternates));
}

#[derive(Template)]
#[template(path = "arrange.html")]
struct Arrange {
    spine: Spine,
    draft: Option<DraftLine>,
    drafts: Vec<DraftLine>,
    /// The music that another passage can be of.
    tracks: Vec<(TrackId, String)>,
}

async fn show(app: web::Data<App>, OwnJob(job): OwnJob, which: web::Query<Which>) -> Result<HttpResponse, WebError> {
    let drafts = app.store.drafts().lines(job.id).await?;
    let draft = which.of(&drafts).cloned();
    let tracks = app.store.tracks().of_job(job.id).await?.whole;
    let tracks = tracks.into_iter().filter(|t| t.part.is_some() && !t.hidden && t.kind == SoundKind::Music);
    let tracks = tracks.map(|t| (t.id, short_name(&t.name))).collect();
    page(&Arrange { spine: Spine::of(&app, job, "arrange", which.draft).await?, draft, drafts, tracks })
}

/// Sends the page that asked to a draft.
fn go_to(job: JobId, draft: impl std::fmt::Display) -> HttpResponse {
    let place = format!("/jobs/{job}/arrange?draft={draft}");
    HttpResponse::Created()
        .insert_header((HeaderName::from_static("hx-redirect"), place.clone()))
        .json(serde_json::json!({ "place": place }))
}

async fn create(app: web::Data<App>, OwnJob(job): OwnJob, window: Window) -> Result<HttpResponse, WebError> {
    let id = app.drafts().lay(&job, window.by).await?;
    Ok(go_to(job.id, id))
}

async fn copy(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
) -> Result<HttpResponse, WebError> {
    let id = app.drafts().copy(job.id, window.by, draft.id).await?;
    Ok(go_to(job.id, id))
}

/// Sends the page that asked to a draft that was made of another one, which is shown beside it.
fn go_beside(job: JobId, draft: DraftId, beside: DraftId) -> HttpResponse {
    go_to(job, format!("{draft}&beside={beside}"))
}

async fn another(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
) -> Result<HttpResponse, WebError> {
    let id = app.drafts().another(&job, window.by, draft.id).await?;
    Ok(go_beside(job.id, id, draft.id))
}

#[derive(Deserialize)]
struct ShorterForm {
    seconds: f64,
}

async fn shorter(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    form: web::Json<ShorterForm>,
) -> Result<HttpResponse, WebError> {
    let id = app.drafts().shorter(&job, window.by, draft.id, form.seconds).await?;
    Ok(go_beside(job.id, id, draft.id))
}

async fn wishes(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    wishes: web::Json<Wishes>,
) -> Result<HttpResponse, WebError> {
    cut(&app, &job, app.drafts().wish(&job, window.by, window.base, draft.id, wishes.into_inner()).await?).await
}

async fn chapter(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    chapter: web::Json<ChapterWords>,
) -> Result<HttpResponse, WebError> {
    cut(&app, &job, app.drafts().chapter(&job, window.by, window.base, draft.id, chapter.into_inner()).await?).await
}

async fn meant(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    meant: web::Json<Meant>,
) -> Result<HttpResponse, WebError> {
    cut(&app, &job, app.drafts().mean(&job, window.by, window.base, draft.id, meant.into_inner()).await?).await
}

#[derive(Deserialize)]
struct OtherQuery {
    other: DraftId,
}

async fn against(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    other: web::Query<OtherQuery>,
) -> Result<HttpResponse, WebError> {
    let other = app.store.drafts().get(other.other).await?;
    if other.job != job.id {
        return Err(WebError::NotFound);
    }
    let (open, other) = (app.drafts().open(&job, draft).await?, app.drafts().open(&job, other).await?);
    Ok(HttpResponse::Ok().json(DifferencesView::of(differences(&open, &other))))
}

#[derive(Deserialize)]
struct NameForm {
    name: String,
}

async fn name(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    form: web::Json<NameForm>,
) -> Result<HttpResponse, WebError> {
    app.drafts().rename(job.id, window.by, window.base, draft.id, &form.name).await?;
    cut(&app, &job, app.store.drafts().get(draft.id).await?).await
}

async fn delete(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
) -> Result<HttpResponse, WebError> {
    app.drafts().delete(job.id, window.by, draft.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

async fn draft_json(app: web::Data<App>, OwnDraft { job, draft }: OwnDraft) -> Result<HttpResponse, WebError> {
    let open = app.drafts().open(&job, draft).await?;
    Ok(HttpResponse::Ok().json(DraftView::of(&open)))
}

/// What an edit answers with: the part of the view that it can have changed.
async fn cut(app: &App, job: &Job, kept: StoredDraft) -> Result<HttpResponse, WebError> {
    let open = app.drafts().open(job, kept).await?;
    Ok(HttpResponse::Ok().json(CutView::of(&open)))
}

#[derive(Deserialize)]
struct PaceLine {
    /// Of a bar.
    quarters: u8,
    varied: bool,
    #[serde(default)]
    on: CutsOn,
}

#[derive(Deserialize)]
struct PaceForm {
    /// For each section.
    pace: Option<Vec<PaceLine>>,
    /// Only this section is laid again.
    section: Option<usize>,
}

async fn again(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    form: web::Json<PaceForm>,
) -> Result<HttpResponse, WebError> {
    let of_section = |line: &PaceLine| Ok::<_, PaceError>(Pace::new(line.quarters, line.varied)?.on(line.on));
    let pace = form.pace.as_ref().map(|list| list.iter().map(of_section).collect::<Result<Vec<Pace>, _>>());
    let pace = pace
        .transpose()
        .map_err(|_no_value| AppError::Refused("a pace is between a quarter of a bar and eight bars per shot"))?;
    let kept = app.drafts().arrange_again(&job, window.by, draft.id, pace, form.section).await?;
    cut(&app, &job, kept).await
}

async fn edit(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    request: web::Json<DraftRequest>,
) -> Result<HttpResponse, WebError> {
    let kept = app.drafts().edit(&job, window.by, window.base, draft.id, request.into_inner()).await?;
    cut(&app, &job, kept).await
}

#[derive(Deserialize)]
struct TrackForm {
    /// The shot that it begins with.
    shot: ShotId,
    /// None: what is heard before goes on.
    track: Option<TrackId>,
}

async fn track(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
    form: web::Json<TrackForm>,
) -> Result<HttpResponse, WebError> {
    let kept = app.drafts().begin_track(&job, window.by, window.base, draft.id, (form.shot, form.track)).await?;
    whole(&app, &job, kept).await
}

async fn move_over(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    window: Window,
) -> Result<HttpResponse, WebError> {
    let kept = app.drafts().move_over(&job, window.by, draft.id).await?;
    whole(&app, &job, kept).await
}

/// What a change of the music answers with.
async fn whole(app: &App, job: &Job, kept: StoredDraft) -> Result<HttpResponse, WebError> {
    let open = app.drafts().open(job, kept).await?;
    Ok(HttpResponse::Ok().json(CutView::whole(&open)))
}

#[derive(Deserialize)]
struct ShotQuery {
    shot: ShotId,
    #[serde(default)]
    words: String,
}

async fn alternates(
    app: web::Data<App>,
    OwnDraft { job, draft }: OwnDraft,
    place: web::Query<ShotQuery>,
) -> Result<HttpResponse, WebError> {
    let open = app.drafts().open(&job, draft).await?;
    let found = app.drafts().alternates(&open, place.shot, &place.words).await?;
    Ok(HttpResponse::Ok().json(InsteadView::of(&open, place.shot, found)))
}
