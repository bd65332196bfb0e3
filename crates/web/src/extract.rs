//! What a request is about: taken from its address, looked up, and refused when it does not belong together.

use crate::error::WebError;
use crate::person;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use futures::future::LocalBoxFuture;
use legere_app::App;
use legere_core::id::{ClipId, DraftId, HandoffId, JobId, PersonId, SelectId, SessionId, TrackId};
use legere_store::clips::Clip;
use legere_store::drafts::StoredDraft;
use legere_store::handoffs::Handoff;
use legere_store::jobs::Job;
use legere_store::journal::{By, Revision, Step};
use legere_store::selects::Select;
use legere_store::tracks::Track;
use std::future::{Ready, ready};
use std::str::FromStr;

/// Who asks, from which window, in which step, and which revision of the thing that window shows.
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
            let session = session.unwrap_or(SessionId::from_u128(0));
            // A program without cookies is a person of its own by its session.
            let person = person::of(request).unwrap_or(PersonId::from_uuid(session.uuid()));
            let by = By { person, session, step: step.unwrap_or(Step::Start) };
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
    pub draft: StoredDraft,
}

/// A hand-off of the job of the address.
pub struct OwnHandoff(pub Handoff);

/// A part of the address; what is no id is no address.
fn part<T: FromStr>(request: &HttpRequest, name: &str) -> Result<T, WebError> {
    request.match_info().get(name).and_then(|text| text.parse().ok()).ok_or(WebError::NotFound)
}

fn app(request: &HttpRequest) -> Result<web::Data<App>, WebError> {
    request.app_data::<web::Data<App>>().cloned().ok_or(WebError::NotFound)
}

fn same<T>(mine: JobId, its: JobId, thing: T) -> Result<T, WebError> {
    if mine == its { Ok(thing) } else { Err(WebError::NotFound) }
}

macro_rules! from_request {
    ($type:ty, |$app:ident, $request:ident, $job:ident| $look:expr) => {
        impl FromRequest for $type {
            type Error = WebError;
            type Future = LocalBoxFuture<'static, Result<Self, WebError>>;

            fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
                let $request = request.clone();
                Box::pin(async move {
                    let $app = app(&$request)?;
                    let $job: JobId = part(&$request, "job")?;
                    $look
                })
            }
        }
    };
}

from_request!(OwnJob, |app, request, job| Ok(Self(app.store.jobs().get(job).await?)));
from_request!(OwnClip, |app, request, job| {
    let clip = app.store.clips().get(part::<ClipId>(&request, "clip")?).await?;
    same(job, clip.job, Self(clip))
});
from_request!(OwnSelect, |app, request, job| {
    let select = app.store.selects().get(part::<SelectId>(&request, "select")?).await?;
    same(job, select.job, Self { job, select })
});
from_request!(OwnTrack, |app, request, job| {
    let track = app.store.tracks().get(part::<TrackId>(&request, "track")?).await?;
    same(job, track.job, Self(track))
});
from_request!(OwnDraft, |app, request, job| {
    let draft = app.store.drafts().get(part::<DraftId>(&request, "draft")?).await?;
    let of = draft.job;
    same(job, of, Self { job: app.store.jobs().get(job).await?, draft })
});
from_request!(OwnHandoff, |app, request, job| {
    let handoff = app.store.handoffs().get(part::<HandoffId>(&request, "handoff")?).await?;
    same(job, handoff.job, Self(handoff))
});
