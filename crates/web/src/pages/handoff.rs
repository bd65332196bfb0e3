//! Hand off: what will be made, and what was made.

use super::spine::{Spine, handoff_says};
use super::{Which, page};
use crate::error::WebError;
use crate::extract::{OwnHandoff, OwnJob};
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_app::handoff::described;
use legere_app::{App, AppError};
use legere_core::id::{ClipId, DraftId, HandoffId, JobId};
use legere_store::drafts::DraftLine;
use legere_store::handoffs::{HandoffKind, HandoffState};
use legere_store::jobs::Job;
use serde::Deserialize;
use std::collections::BTreeSet;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/handoff", web::get().to(show))
        .route("/jobs/{job}/handoff/files", web::get().to(files))
        .route("/jobs/{job}/handoffs", web::post().to(make))
        .route("/jobs/{job}/handoffs/{handoff}/cancel", web::post().to(cancel))
        .route("/jobs/{job}/handoffs/{handoff}/again", web::post().to(again));
}

struct KindView {
    word: &'static str,
    title: &'static str,
    inside: &'static str,
}

struct FileLine {
    id: HandoffId,
    kind: &'static str,
    name: String,
    state: &'static str,
    done: i32,
    total: i32,
    report: String,
    /// It is not ready, and may be cancelled.
    open: bool,
    /// It is not made, and may be asked for again.
    again: bool,
}

#[derive(Template)]
#[template(path = "files.html")]
struct Files {
    job: JobId,
    files: Vec<FileLine>,
    says: String,
    /// Whether it replaces what stands on an open page.
    swapped: bool,
}

#[derive(Template)]
#[template(path = "handoff.html")]
struct Handoff {
    spine: Spine,
    draft: Option<DraftLine>,
    kinds: Vec<KindView>,
    files: String,
    /// Names of clips of the draft whose files are not where they were.
    missing: Vec<String>,
}

async fn files_view(app: &App, job: JobId, swapped: bool) -> Result<Files, WebError> {
    let handoffs = app.store.handoffs().of_job(job).await?;
    let ready = handoffs.whole.iter().filter(|h| h.state == HandoffState::Ready).count();
    let broken = handoffs.broken.into_iter().map(|b| FileLine {
        id: b.id.into(),
        kind: "",
        name: b.name,
        state: "failed",
        done: 0,
        total: 0,
        report: "what was kept of it cannot be read: ask for it again".to_owned(),
        open: false,
        again: false,
    });
    let files = handoffs.whole.into_iter().map(|h| FileLine {
        id: h.id,
        kind: h.kind.word(),
        name: h.name,
        state: h.state.word(),
        done: h.done,
        total: h.total,
        report: h.report.unwrap_or_default(),
        open: matches!(h.state, HandoffState::Waiting | HandoffState::Making),
        again: matches!(h.state, HandoffState::Failed | HandoffState::Cancelled),
    });
    Ok(Files { job, files: files.chain(broken).collect(), says: handoff_says(ready), swapped })
}

async fn show(app: web::Data<App>, OwnJob(job): OwnJob, which: web::Query<Which>) -> Result<HttpResponse, WebError> {
    let draft = which.of(&app.store.drafts().lines(job.id).await?).cloned();
    let kinds = HandoffKind::ALL.iter().map(|k| {
        let (title, inside) = described(*k);
        KindView { word: k.word(), title, inside }
    });
    let files = files_view(&app, job.id, false).await?.render()?;
    let kinds = kinds.collect();
    let missing = match &draft {
        Some(line) => missing_clips(&app, &job, line.id).await?,
        None => Vec::new(),
    };
    page(&Handoff { spine: Spine::of(&app, job, "handoff", which.draft).await?, draft, kinds, files, missing })
}

async fn missing_clips(app: &App, job: &Job, draft: DraftId) -> Result<Vec<String>, WebError> {
    let kept = app.store.drafts().get(draft).await?;
    let footage = app.selects().footage(job.id).await?;
    let used: BTreeSet<ClipId> = kept.body.cut.shots().iter().map(|s| s.source.clip).collect();
    let away = used.iter().filter_map(|id| footage.clip(*id)).filter(|c| c.missing);
    Ok(away.map(|c| c.name.clone()).collect())
}

async fn files(app: web::Data<App>, OwnJob(job): OwnJob) -> Result<HttpResponse, WebError> {
    page(&files_view(&app, job.id, true).await?)
}

#[derive(Deserialize)]
struct Asked {
    draft: DraftId,
    kind: String,
}

async fn make(app: web::Data<App>, OwnJob(job): OwnJob, form: web::Form<Asked>) -> Result<HttpResponse, WebError> {
    let kind = form.kind.parse().map_err(|_no_value| AppError::Refused("this kind of file is not made here"))?;
    let draft = app.store.drafts().get(form.draft).await?;
    if draft.job != job.id {
        return Err(WebError::NotFound);
    }
    let open = app.drafts().open(&job, draft).await?;
    app.handoffs().ask(&open, kind).await?;
    page(&files_view(&app, job.id, true).await?)
}

async fn cancel(app: web::Data<App>, OwnHandoff(handoff): OwnHandoff) -> Result<HttpResponse, WebError> {
    app.store.handoffs().cancel(&handoff).await?;
    page(&files_view(&app, handoff.job, true).await?)
}

async fn again(app: web::Data<App>, OwnHandoff(handoff): OwnHandoff) -> Result<HttpResponse, WebError> {
    app.handoffs().ask_again(&handoff).await?;
    page(&files_view(&app, handoff.job, true).await?)
}
