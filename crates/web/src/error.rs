//! What went wrong, as a status and a sentence.

use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::StatusCode;
use actix_web::http::header::ContentType;
use actix_web::middleware::Next;
use actix_web::{Error, HttpResponse, ResponseError};
use askama::Template;
use legere_core::arrange::ArrangeError;
use legere_core::draft::DraftError;
use legere_core::interchange::InterchangeError;
use legere_core::select::SelectError;
use legere_core::track::VersionError;
use legere_core::track::marks::MarkError;
use legere_media::MediaError;
use legere_media::roots::RootError;
use legere_store::StoreError;

#[derive(Debug, thiserror::Error)]
pub enum WebError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Media(#[from] MediaError),
    #[error(transparent)]
    Roots(#[from] RootError),
    #[error(transparent)]
    Select(#[from] SelectError),
    #[error(transparent)]
    Version(#[from] VersionError),
    #[error(transparent)]
    Mark(#[from] MarkError),
    #[error(transparent)]
    Draft(#[from] DraftError),
    #[error(transparent)]
    Arrange(#[from] ArrangeError),
    #[error(transparent)]
    Interchange(#[from] InterchangeError),
    #[error("the page could not be written")]
    Template(#[from] askama::Error),
    #[error("{0}")]
    Refused(&'static str),
    /// The request itself is none.
    #[error("{0}")]
    BadRequest(String),
    #[error("{name} is no longer where it was")]
    Gone { name: String },
    #[error("another file lies where {name} was: look at the draft again, then ask for the film again")]
    Replaced { name: String },
    #[error("{name} has not been read")]
    Unread { name: String },
    #[error("a clip of this draft was left out: bring it back in Gather, or put another one there")]
    ClipOut,
    /// Work of ours did not come to its end.
    #[error("the work was stopped")]
    Stopped,
    #[error("there is nothing at this address")]
    NotFound,
}

impl WebError {
    /// Of work beside the request that did not come to its end; why is for the log.
    pub fn stopped(error: impl std::error::Error) -> Self {
        tracing::error!(%error, "work beside a request stopped");
        Self::Stopped
    }

    /// Whether the text is for the editor; otherwise it goes to the log only.
    pub(crate) fn speaks(&self) -> bool {
        match self {
            Self::Store(e) => matches!(
                e,
                StoreError::Missing { .. }
                    | StoreError::MovedOn
                    | StoreError::Overtaken { .. }
                    | StoreError::NothingToUndo
                    | StoreError::NothingToRedo
                    | StoreError::Refused(_)
                    | StoreError::DiskFull
                    | StoreError::Away
            ),
            Self::Media(e) => !matches!(e, MediaError::Io(_) | MediaError::NoFfmpeg(_)),
            Self::Template(_) | Self::Interchange(_) | Self::Stopped => false,
            Self::Roots(_)
            | Self::Select(_)
            | Self::Version(_)
            | Self::Mark(_)
            | Self::Draft(_)
            | Self::Arrange(_)
            | Self::Refused(_)
            | Self::BadRequest(_)
            | Self::Gone { .. }
            | Self::Replaced { .. }
            | Self::Unread { .. }
            | Self::ClipOut
            | Self::NotFound => true,
        }
    }
}

impl ResponseError for WebError {
    fn status_code(&self) -> StatusCode {
        match self {
            Self::NotFound | Self::Store(StoreError::Missing { .. }) | Self::Media(MediaError::Vanished) => {
                StatusCode::NOT_FOUND
            }
            Self::Store(
                StoreError::MovedOn
                | StoreError::Overtaken { .. }
                | StoreError::NothingToUndo
                | StoreError::NothingToRedo,
            ) => StatusCode::CONFLICT,
            Self::BadRequest(_) => StatusCode::BAD_REQUEST,
            Self::Media(MediaError::DiskFull) | Self::Store(StoreError::DiskFull) => StatusCode::INSUFFICIENT_STORAGE,
            Self::Store(StoreError::Away) => StatusCode::SERVICE_UNAVAILABLE,
            Self::Media(MediaError::OutsideRoots) => StatusCode::FORBIDDEN,
            Self::Store(StoreError::Refused(_))
            | Self::Media(_)
            | Self::Roots(_)
            | Self::Select(_)
            | Self::Version(_)
            | Self::Mark(_)
            | Self::Draft(_)
            | Self::Arrange(_)
            | Self::Gone { .. }
            | Self::Replaced { .. }
            | Self::Unread { .. }
            | Self::ClipOut
            | Self::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::Store(_) | Self::Interchange(_) | Self::Template(_) | Self::Stopped => {
                StatusCode::INTERNAL_SERVER_ERROR
            }
        }
    }

    fn error_response(&self) -> HttpResponse {
        let text = if self.speaks() {
            self.to_string()
        } else {
            tracing::error!(error = ?self, "a request failed");
            "something went wrong inside Legere; the log says what".to_owned()
        };
        let mut response =
            HttpResponse::build(self.status_code()).content_type(ContentType::plaintext()).body(text.clone());
        response.extensions_mut().insert(Words(text));
        response
    }
}

/// What an answer says, for the middleware that makes a page of it.
#[derive(Clone)]
struct Words(String);

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage {
    title: &'static str,
    words: String,
}

/// Whoever asked for a page gets one that says what is wrong; fragments and data get the words alone.
pub async fn error_page(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let header = |name: &str| request.headers().get(name).and_then(|v| v.to_str().ok());
    let wants_page = header("accept").is_some_and(|a| a.contains("text/html")) && header("hx-request").is_none();
    let answered = match next.call(request).await {
        Ok(answered) => answered,
        Err(error) => return Err(error),
    };
    let words = answered.response().extensions().get::<Words>().cloned();
    let (true, Some(Words(words))) = (wants_page, words) else { return Ok(answered.map_into_left_body()) };
    let title = if answered.status() == StatusCode::NOT_FOUND { "There is nothing here" } else { "That did not work" };
    let Ok(html) = (ErrorPage { title, words }).render() else { return Ok(answered.map_into_left_body()) };
    let status = answered.status();
    let page = HttpResponse::build(status).content_type(ContentType::html()).body(html);
    let (request, _) = answered.into_parts();
    Ok(ServiceResponse::new(request, page).map_into_right_body())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_editor_is_told_is_for_the_editor() {
        let inside = WebError::Media(MediaError::Io(std::io::Error::other("/secret/path")));
        assert_eq!((inside.status_code(), inside.speaks()), (StatusCode::UNPROCESSABLE_ENTITY, false));
        let gone = WebError::Gone { name: "C001.mp4".into() };
        assert_eq!((gone.to_string().as_str(), gone.speaks()), ("C001.mp4 is no longer where it was", true));
        for (error, status) in [
            (WebError::NotFound, StatusCode::NOT_FOUND),
            (WebError::Media(MediaError::OutsideRoots), StatusCode::FORBIDDEN),
            (WebError::Store(StoreError::MovedOn), StatusCode::CONFLICT),
            (WebError::Draft(DraftError::Flash), StatusCode::UNPROCESSABLE_ENTITY),
        ] {
            assert_eq!(error.status_code(), status, "{error}");
        }
    }
}
