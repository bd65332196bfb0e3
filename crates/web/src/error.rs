//! What went wrong, as a status and a sentence.

use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::StatusCode;
use actix_web::http::header::ContentType;
use actix_web::middleware::Next;
use actix_web::{Error, HttpResponse, ResponseError};
use askama::Template;
use legere_app::AppError;
use legere_core::arrange::ArrangeError;
use legere_core::draft::DraftError;
use legere_core::select::SelectError;
use legere_core::track::VersionError;
use legere_core::track::marks::MarkError;
use legere_media::MediaError;
use legere_media::roots::RootError;
use legere_store::StoreError;

#[derive(Debug, thiserror::Error)]
pub enum WebError {
    #[error(transparent)]
    App(#[from] AppError),
    #[error("the page could not be written")]
    Template(#[from] askama::Error),
    /// The request itself is none.
    #[error("{0}")]
    BadRequest(String),
    #[error("there is nothing at this address")]
    NotFound,
}

macro_rules! through_app {
    ($($error:ty),* $(,)?) => {$(
        impl From<$error> for WebError {
            fn from(error: $error) -> Self {
                Self::App(error.into())
            }
        }
    )*};
}

through_app!(StoreError, MediaError, RootError, SelectError, VersionError, MarkError, DraftError, ArrangeError);

impl WebError {
    /// Whether its words are for the editor; others go to the log only.
    pub(crate) fn is_for_editor(&self) -> bool {
        match self {
            Self::App(error) => error.is_for_editor(),
            Self::Template(_) => false,
            Self::BadRequest(_) | Self::NotFound => true,
        }
    }

    /// Of work beside the request that did not come to its end; why is for the log.
    pub fn stopped(error: impl std::error::Error) -> Self {
        Self::App(AppError::stopped(error))
    }
}

/// The one table from errors to statuses. There is no arm for all the rest: a new error has to choose.
fn status_of(error: &WebError) -> StatusCode {
    match error {
        WebError::NotFound => StatusCode::NOT_FOUND,
        WebError::BadRequest(_) => StatusCode::BAD_REQUEST,
        WebError::Template(_) => StatusCode::INTERNAL_SERVER_ERROR,
        WebError::App(error) => match error {
            AppError::Store(error) => status_of_store(error),
            AppError::Media(error) => status_of_media(error),
            AppError::NotFound => StatusCode::NOT_FOUND,
            AppError::Roots(_)
            | AppError::Select(_)
            | AppError::Version(_)
            | AppError::Mark(_)
            | AppError::Draft(_)
            | AppError::Arrange(_)
            | AppError::Refused(_)
            | AppError::Gone { .. }
            | AppError::Replaced { .. }
            | AppError::Unread { .. }
            | AppError::ClipOut => StatusCode::UNPROCESSABLE_ENTITY,
            AppError::Interchange(_) | AppError::Stopped => StatusCode::INTERNAL_SERVER_ERROR,
        },
    }
}

fn status_of_store(error: &StoreError) -> StatusCode {
    match error {
        StoreError::Missing { .. } => StatusCode::NOT_FOUND,
        StoreError::MovedOn | StoreError::Overtaken { .. } | StoreError::NothingToUndo | StoreError::NothingToRedo => {
            StatusCode::CONFLICT
        }
        StoreError::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
        StoreError::DiskFull => StatusCode::INSUFFICIENT_STORAGE,
        StoreError::Away | StoreError::Busy => StatusCode::SERVICE_UNAVAILABLE,
        StoreError::Broken { .. }
        | StoreError::Word { .. }
        | StoreError::Database(_)
        | StoreError::Sqlx(_)
        | StoreError::InUse
        | StoreError::Cluster(_)
        | StoreError::Io(_) => StatusCode::INTERNAL_SERVER_ERROR,
    }
}

fn status_of_media(error: &MediaError) -> StatusCode {
    match error {
        MediaError::Vanished => StatusCode::NOT_FOUND,
        MediaError::OutsideRoots | MediaError::NoAccess => StatusCode::FORBIDDEN,
        MediaError::DiskFull => StatusCode::INSUFFICIENT_STORAGE,
        MediaError::Interrupted | MediaError::SourceDisk | MediaError::RootAway(_) => StatusCode::SERVICE_UNAVAILABLE,
        MediaError::Empty
        | MediaError::NotVideo
        | MediaError::NotAPicture
        | MediaError::NotSound
        | MediaError::NoPicture
        | MediaError::NoSound
        | MediaError::NoIndex
        | MediaError::TooLarge
        | MediaError::TooLong(_)
        | MediaError::TooManyFrames
        | MediaError::Timeout
        | MediaError::ChangedMeanwhile
        | MediaError::ReadClip(_)
        | MediaError::ReadTrack(_) => StatusCode::UNPROCESSABLE_ENTITY,
        MediaError::NoFfmpeg(_) | MediaError::Failed { .. } | MediaError::WrongResult(_) | MediaError::Io(_) => {
            StatusCode::INTERNAL_SERVER_ERROR
        }
    }
}

impl ResponseError for WebError {
    fn status_code(&self) -> StatusCode {
        status_of(self)
    }

    fn error_response(&self) -> HttpResponse {
        let text = if self.is_for_editor() {
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
    fn internal_causes_stay_inside_and_the_rest_is_for_the_editor() {
        let inside = WebError::from(MediaError::Io(std::io::Error::other("/secret/path")));
        assert_eq!((inside.status_code(), inside.is_for_editor()), (StatusCode::INTERNAL_SERVER_ERROR, false));
        let said = inside.error_response();
        let words = said.extensions().get::<Words>().expect("words").0.clone();
        assert!(!words.contains("secret") && words.contains("log"), "{words}");
        let gone = WebError::App(AppError::Gone { name: "C001.mp4".into() });
        assert_eq!((gone.to_string().as_str(), gone.is_for_editor()), ("C001.mp4 is no longer where it was", true));
        for (error, status) in [
            (WebError::NotFound, StatusCode::NOT_FOUND),
            (MediaError::OutsideRoots.into(), StatusCode::FORBIDDEN),
            (MediaError::RootAway("card".into()).into(), StatusCode::SERVICE_UNAVAILABLE),
            (StoreError::MovedOn.into(), StatusCode::CONFLICT),
            (StoreError::DiskFull.into(), StatusCode::INSUFFICIENT_STORAGE),
            (DraftError::Flash.into(), StatusCode::UNPROCESSABLE_ENTITY),
        ] {
            assert_eq!(error.status_code(), status, "{error}");
            assert!(error.is_for_editor(), "{error}");
        }
    }
}
