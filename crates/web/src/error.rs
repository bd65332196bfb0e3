//! What went wrong, as a status and a sentence.

use actix_web::http::StatusCode;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, ResponseError};
use legere_core::arrange::ArrangeError;
use legere_core::draft::DraftError;
use legere_core::interchange::InterchangeError;
use legere_core::select::SelectError;
use legere_core::track::VersionError;
use legere_core::track::marks::MarkError;
use legere_media::MediaError;
use legere_store::StoreError;

#[derive(Debug, thiserror::Error)]
pub enum WebError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Media(#[from] MediaError),
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
    #[error("{name} is no longer where it was")]
    Gone { name: String },
    #[error("there is nothing at this address")]
    NotFound,
}

impl WebError {
    /// Whether the text is for the editor; otherwise it goes to the log only.
    pub(crate) fn speaks(&self) -> bool {
        match self {
            Self::Store(e) => matches!(
                e,
                StoreError::Missing { .. }
                    | StoreError::Conflict
                    | StoreError::NothingToUndo
                    | StoreError::NothingToRedo
                    | StoreError::Refused(_)
            ),
            Self::Media(e) => !matches!(e, MediaError::Io(_) | MediaError::NoFfmpeg(_)),
            Self::Template(_) | Self::Interchange(_) => false,
            Self::Select(_)
            | Self::Version(_)
            | Self::Mark(_)
            | Self::Draft(_)
            | Self::Arrange(_)
            | Self::Refused(_)
            | Self::Gone { .. }
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
            Self::Store(StoreError::Conflict | StoreError::NothingToUndo | StoreError::NothingToRedo) => {
                StatusCode::CONFLICT
            }
            Self::Media(MediaError::OutsideRoots) => StatusCode::FORBIDDEN,
            Self::Store(StoreError::Refused(_))
            | Self::Media(_)
            | Self::Select(_)
            | Self::Version(_)
            | Self::Mark(_)
            | Self::Draft(_)
            | Self::Arrange(_)
            | Self::Gone { .. }
            | Self::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::Store(_) | Self::Interchange(_) | Self::Template(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    fn error_response(&self) -> HttpResponse {
        let text = if self.speaks() {
            self.to_string()
        } else {
            tracing::error!(error = ?self, "a request failed");
            "something went wrong inside Legere; the log says what".to_owned()
        };
        HttpResponse::build(self.status_code()).content_type(ContentType::plaintext()).body(text)
    }
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
            (WebError::Store(StoreError::Conflict), StatusCode::CONFLICT),
            (WebError::Draft(DraftError::Flash), StatusCode::UNPROCESSABLE_ENTITY),
        ] {
            assert_eq!(error.status_code(), status, "{error}");
        }
    }
}
