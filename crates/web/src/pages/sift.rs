//! Sift: from hundreds of clips to the highlights.

use super::page;
use super::spine::Spine;
use crate::error::WebError;
use crate::extract::{OwnClip, OwnJob, OwnSelect, Window};
use crate::views::select::{SelectView, rows};
use crate::views::sift::{NarrowedView, NeedView};
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_app::App;
use legere_app::blocking::run_blocking;
use legere_app::passes::Through;
use legere_app::selects::{Judgement, Many};
use legere_app::story::StoryCommand;
use legere_core::id::{PassId, SelectId};
use legere_core::select::{Facet, Tone};
use serde::Deserialize;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/sift", web::get().to(show))
        .route("/jobs/{job}/sift/selects.json", web::get().to(selects))
        .route("/jobs/{job}/sift/narrow.json", web::get().to(narrow))
        .route("/jobs/{job}/sift/needs.json", web::get().to(needs))
        .route("/jobs/{job}/sift/many", web::post().to(many))
        .route("/jobs/{job}/sift/searches", web::post().to(keep_search))
        .route("/jobs/{job}/sift/tends.json", web::get().to(tends))
        .route("/jobs/{job}/story", web::post().to(tell))
        .route("/jobs/{job}/sift/passes.json", web::get().to(passes))
        .route("/jobs/{job}/sift/passes", web::post().to(begin_pass))
        .route("/jobs/{job}/sift/passes/{pass}", web::delete().to(end_pass))
        .route("/jobs/{job}/sift/passes/{pass}/place", web::post().to(pass_place))
        .route("/jobs/{job}/clips/{clip}/reading.json", web::get().to(reading))
        .route("/jobs/{job}/clips/{clip}/selects", web::post().to(add))
        .route("/jobs/{job}/clips/{clip}/events", web::post().to(break_up))
        .route("/jobs/{job}/selects/{select}", web::get().to(select))
        .route("/jobs/{job}/selects/{select}", web::post().to(judge))
        .route("/jobs/{job}/selects/{select}", web::delete().to(remove))
        .route("/jobs/{job}/selects/{select}/split", web::post().to(split))
        .route("/jobs/{job}/selects/{select}/join", web::post().to(join));
}

/// A word of a facet, with the key that puts it on.
struct WordView {
    word: &'static str,
    key: &'static str,
}

struct FacetView {
    name: &'static str,
    words: Vec<WordView>,
}

#[derive(Template)]
#[template(path = "sift.html")]
struct Sift {
    spine: Spine,
    facets: Vec<FacetView>,
    tiers: Vec<(&'static str, &'static str)>,
    tones: Vec<&'static str>,
    /// Narrowings with a name, as JSON.
    searches: String,
}

/// The keys of a facet's words, in their order: the row of digits, plain and with shift.
fn keys_of(facet: Facet) -> &'static [&'static str] {
    match facet {
        Facet::Framing => &["1", "2", "3", "4", "5"],
        Facet::Role => &["6", "7", "8", "9", "0"],
        Facet::Light => &["⇧1", "⇧2", "⇧3", "⇧4"],
        Facet::Movement => &["-", "⇧5", "⇧6", "⇧7", "⇧8", "⇧9", "⇧0"],
        Facet::Subject | Facet::Own => &[],
    }
}

async fn show(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    which: web::Query<super::Which>,
) -> Result<HttpResponse, WebError> {
    let spine = Spine::of(&app, job, "sift", which.draft).await?;
    let facets = Facet::ALL.iter().filter(|f| !f.is_free()).map(|f| FacetView {
        name: f.word(),
        words: f.words().into_iter().zip(keys_of(*f)).map(|(word, key)| WordView { word, key }).collect(),
    });
    let searches = serde_json::to_string(&spine.job.searches).unwrap_or_default();
    let tiers = vec![("A", "out"), ("S", "spare"), ("D", "strong"), ("F", "hero")];
    page(&Sift {
        spine,
        facets: facets.collect(),
        tiers,
        tones: Tone::ALL.iter().map(|t| t.word()).collect(),
        searches,
    })
}

/// What of the selects is asked for; without, all of them.
#[derive(Deserialize)]
struct Part {
    /// So many, from the first one or around one.
    first: Option<usize>,
    around: Option<SelectId>,
}

async fn selects(app: web::Data<App>, OwnJob(job): OwnJob, part: web::Query<Part>) -> Result<HttpResponse, WebError> {
    let footage = app.selects().footage(job.id).await?;
    let all = 0..footage.entries.len();
    let wanted = part.first.map_or(all, |first| footage.stretch(first, part.around));
    let body = run_blocking(move || serde_json::to_vec(&rows(&footage, &job, wanted))).await?;
    let body = body.map_err(WebError::stopped)?;
    Ok(HttpResponse::Ok().content_type(ContentType::json()).body(body))
}

#[derive(Deserialize)]
struct Asked {
    #[serde(default)]
    words: String,
    #[serde(default)]
    pass: u32,
    /// Only what the pass has not come to yet.
    #[serde(default)]
    left: bool,
}

async fn narrow(app: web::Data<App>, OwnJob(job): OwnJob, asked: web::Query<Asked>) -> Result<HttpResponse, WebError> {
    let footage = app.selects().footage(job.id).await?;
    let found = app.selects().narrow(&footage, &job, &asked.words, asked.pass, asked.left).await?;
    Ok(HttpResponse::Ok().json(NarrowedView::of(&found, &footage)))
}

async fn tends(app: web::Data<App>, OwnJob(job): OwnJob) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(app.selects().tending(job.id).await?))
}

async fn tell(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    window: Window,
    command: web::Json<StoryCommand>,
) -> Result<HttpResponse, WebError> {
    let story = app.selects().tell(job.id, window.by, window.base, command.into_inner()).await?;
    Ok(HttpResponse::Ok().json(story))
}

async fn needs(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    which: web::Query<super::Which>,
) -> Result<HttpResponse, WebError> {
    let draft = match which.draft {
        Some(id) => Some(app.store.drafts().get(id).await?).filter(|draft| draft.job == job.id),
        None => None,
    };
    let needs = app.selects().needs(&job, draft).await?;
    Ok(HttpResponse::Ok().json(needs.iter().map(NeedView::of).collect::<Vec<_>>()))
}

async fn many(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    window: Window,
    many: web::Json<Many>,
) -> Result<HttpResponse, WebError> {
    let done = app.selects().judge_many(job.id, window.by, &many).await?;
    Ok(HttpResponse::Ok().json(serde_json::json!({ "selects": done })))
}

#[derive(Deserialize)]
struct Named {
    name: String,
    words: String,
}

async fn keep_search(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    window: Window,
    named: web::Json<Named>,
) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(app.selects().keep_search(job.id, window.by, &named.name, &named.words).await?))
}

async fn passes(app: web::Data<App>, OwnJob(job): OwnJob) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(app.selects().passes(job.id).await?))
}

#[derive(Deserialize)]
struct NewPass {
    through: Through,
}

async fn begin_pass(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    window: Window,
    new: web::Json<NewPass>,
) -> Result<HttpResponse, WebError> {
    let pass = app.selects().begin_pass(job.id, window.by, new.through).await?;
    Ok(HttpResponse::Ok().json(serde_json::json!({ "number": pass.number, "id": pass.id })))
}

#[derive(Deserialize)]
struct PassPath {
    pass: PassId,
}

async fn end_pass(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    window: Window,
    path: web::Path<PassPath>,
) -> Result<HttpResponse, WebError> {
    app.selects().end_pass(job.id, window.by, path.pass).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
struct Where {
    select: SelectId,
}

async fn pass_place(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    path: web::Path<PassPath>,
    place: web::Json<Where>,
) -> Result<HttpResponse, WebError> {
    app.store.selects().pass_place(job.id, path.pass, place.select).await?;
    Ok(HttpResponse::NoContent().finish())
}

async fn reading(app: web::Data<App>, OwnClip(clip): OwnClip) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().json(app.store.clips().reading(clip.id).await?))
}

async fn select(app: web::Data<App>, OwnSelect { select, .. }: OwnSelect) -> Result<HttpResponse, WebError> {
    if select.removed {
        return Err(WebError::NotFound);
    }
    let clip = app.store.clips().get(select.clip).await?;
    Ok(HttpResponse::Ok().json(SelectView::of(&select, &clip)))
}

async fn judge(
    app: web::Data<App>,
    OwnSelect { job, select }: OwnSelect,
    window: Window,
    said: web::Json<Judgement>,
) -> Result<HttpResponse, WebError> {
    let (select, clip) = app.selects().judge(job, window.by, window.base, select.id, &said).await?;
    Ok(HttpResponse::Ok().json(SelectView::of(&select, &clip)))
}

#[derive(Deserialize)]
struct NewSelect {
    /// Seconds of the clip.
    start: f64,
    end: f64,
    hit: Option<f64>,
}

async fn add(
    app: web::Data<App>,
    OwnClip(clip): OwnClip,
    window: Window,
    new: web::Json<NewSelect>,
) -> Result<HttpResponse, WebError> {
    let select = app.selects().add(&clip, window.by, new.start, new.end, new.hit).await?;
    Ok(HttpResponse::Ok().json(SelectView::of(&select, &clip)))
}

async fn break_up(app: web::Data<App>, OwnClip(clip): OwnClip, window: Window) -> Result<HttpResponse, WebError> {
    let first = app.selects().break_up(&clip, window.by).await?;
    Ok(HttpResponse::Ok().json(SelectView::of(&first, &clip)))
}

#[derive(Deserialize)]
struct At {
    /// Seconds of the clip.
    at: f64,
}

async fn split(
    app: web::Data<App>,
    OwnSelect { job, select }: OwnSelect,
    window: Window,
    at: web::Json<At>,
) -> Result<HttpResponse, WebError> {
    let later = app.selects().split(job, window.by, window.base, select.id, at.at).await?;
    let clip = app.store.clips().get(later.clip).await?;
    Ok(HttpResponse::Ok().json(SelectView::of(&later, &clip)))
}

async fn join(
    app: web::Data<App>,
    OwnSelect { job, select }: OwnSelect,
    window: Window,
) -> Result<HttpResponse, WebError> {
    let joined = app.selects().join(job, window.by, select.id).await?;
    let clip = app.store.clips().get(joined.clip).await?;
    Ok(HttpResponse::Ok().json(SelectView::of(&joined, &clip)))
}

async fn remove(
    app: web::Data<App>,
    OwnSelect { job, select }: OwnSelect,
    window: Window,
) -> Result<HttpResponse, WebError> {
    app.selects().remove(job, window.by, select.id).await?;
    Ok(HttpResponse::NoContent().finish())
}
