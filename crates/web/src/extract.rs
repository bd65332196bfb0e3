//! What a request is about: taken from its address, looked up, and refused when it does not belong together.

use crate::desk::Desk;
use crate::error::WebError;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use futures::future::LocalBoxFuture;
use legere_core::id::{ClipId, DraftId, HandoffId, JobId, SelectId, SessionId, TrackId};
use legere_store::clips::Clip;
use legere_store::drafts::KeptDraft;
use legere_store::handoffs::Handoff;
use legere_store::jobs::Job;
use legere_store::journal::{By, Revision, Step};
use legere_store::selects::Select;
use legere_store::tracks::Track;
use std::future::{Ready, ready};
use std::str::FromStr;

/// The window that asks: whose undo it is, in which step, and which revision of the thing it shows.
#[derive(Debug, Clone, Copy)]
pub struct Window {
    pub by: By,
    pub base: Option<Revision>,
}

impl FromRequest for Window {
    type Error = WebError;
    type Future = Ready<Result<Self, WebError>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let header = |name: &str| request.headers().get(name).and_then(|v| v.to_str().ok());
        fn read<T: FromStr>(text: Option<&str>, what: &str) -> Result<Option<T>, WebError> {
            text.map(|t| t.parse().map_err(|_no_value| WebError::BadRequest(format!("{what} is not understood"))))
                .transpose()
        }
        ready((|| {
            let session = read::<SessionId>(header("x-legere-session"), "the window's session")?;
            let step = read::<Step>(header("x-legere-step"), "the step")?;
            let by = By { session: session.unwrap_or(SessionId::from_u128(0)), step: step.unwrap_or(Step::Start) };
            Ok(Self { by, base: read(header("x-legere-base"), "the revision")? })
        })())
    }
}

/// The job of the address.
pub struct OwnJob(pub Job);

/// A clip of the job of the address.
pub struct OwnClip(pub Clip);

/// A select of the job of the address.
pub struct OwnSelect {
    pub job: JobId,
    pub select: Select,
}

/// A track of the job of the address.
pub struct OwnTrack(pub Track);

/// A draft of the job of the address.
pub struct OwnDraft {
    pub job: Job,
    pub draft: KeptDraft,
}

/// A hand-off of the job of the address.
pub struct OwnHandoff(pub Handoff);

/// A part of the address; what is no id is no address.
fn part<T: FromStr>(request: &HttpRequest, name: &str) -> Result<T, WebError> {
    request.match_info().get(name).and_then(|text| text.parse().ok()).ok_or(WebError::NotFound)
}

fn desk(request: &HttpRequest) -> Result<web::Data<Desk>, WebError> {
    request.app_data::<web::Data<Desk>>().cloned().ok_or(WebError::NotFound)
}

fn same<T>(mine: JobId, its: JobId, thing: T) -> Result<T, WebError> {
    if mine == its { Ok(thing) } else { Err(WebError::NotFound) }
}

macro_rules! from_request {
    ($type:ty, |$desk:ident, $request:ident, $job:ident| $look:expr) => {
        impl FromRequest for $type {
            type Error = WebError;
            type Future = LocalBoxFuture<'static, Result<Self, WebError>>;

            fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
                let $request = request.clone();
                Box::pin(async move {
                    let $desk = desk(&$request)?;
                    let $job: JobId = part(&$request, "job")?;
                    $look
                })
            }
        }
    };
}

from_request!(OwnJob, |desk, request, job| Ok(Self(desk.store.job(job).await?)));
from_request!(OwnClip, |desk, request, job| {
    let clip = desk.store.clip(part::<ClipId>(&request, "clip")?).await?;
    same(job, clip.job, Self(clip))
});
from_request!(OwnSelect, |desk, request, job| {
    let select = desk.store.select(part::<SelectId>(&request, "select")?).await?;
    same(job, select.job, Self { job, select })
});
from_request!(OwnTrack, |desk, request, job| {
    let track = desk.store.track(part::<TrackId>(&request, "track")?).await?;
    same(job, track.job, Self(track))
});
from_request!(OwnDraft, |desk, request, job| {
    let draft = desk.store.draft(part::<DraftId>(&request, "draft")?).await?;
    let of = draft.job;
    same(job, of, Self { job: desk.store.job(job).await?, draft })
});
from_request!(OwnHandoff, |desk, request, job| {
    let handoff = desk.store.handoff(part::<HandoffId>(&request, "handoff")?).await?;
    same(job, handoff.job, Self(handoff))
});
