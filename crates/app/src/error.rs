//! What an editor asked for and could not have, in words for the editor.

use legere_core::arrange::ArrangeError;
use legere_core::draft::DraftError;
use legere_core::interchange::InterchangeError;
use legere_core::select::SelectError;
use legere_core::track::VersionError;
use legere_core::track::marks::MarkError;
use legere_media::MediaError;
use legere_media::roots::RootError;
use legere_store::StoreError;
use legere_store::journal::AsStoreError;

/// Why something was not done.
#[derive(Debug, thiserror::Error)]
pub enum AppError {
    /// The database, or a rule of what it keeps.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A file, or a program that reads or makes one.
    #[error(transparent)]
    Media(#[from] MediaError),
    /// A media folder.
    #[error(transparent)]
    Roots(#[from] RootError),
    /// A range of a clip.
    #[error(transparent)]
    Select(#[from] SelectError),
    /// How a track is used.
    #[error(transparent)]
    Version(#[from] VersionError),
    /// Marks over a track.
    #[error(transparent)]
    Mark(#[from] MarkError),
    /// An edit of a draft.
    #[error(transparent)]
    Draft(#[from] DraftError),
    /// Laying a draft.
    #[error(transparent)]
    Arrange(#[from] ArrangeError),
    /// Writing an interchange format.
    #[error(transparent)]
    Interchange(#[from] InterchangeError),
    /// A rule of the work; why is for the editor.
    #[error("{0}")]
    Refused(&'static str),
    /// A file that a draft needs is gone.
    #[error("{name} is no longer where it was")]
    Gone {
        /// The file's name.
        name: String,
    },
    /// Another file lies where one lay that a draft needs.
    #[error("another file lies where {name} was: look at the draft again, then ask for the film again")]
    Replaced {
        /// The file's name.
        name: String,
    },
    /// A clip that was never read.
    #[error("{name} has not been read")]
    Unread {
        /// The clip's name.
        name: String,
    },
    /// A clip of a draft that is out.
    #[error("a clip of this draft was left out: bring it back in Gather, or put another one there")]
    ClipOut,
    /// Work of ours did not come to its end.
    #[error("the work was stopped")]
    Stopped,
    /// There is no such thing.
    #[error("there is nothing at this address")]
    NotFound,
}

impl AppError {
    /// Of work beside a request that did not come to its end; why is for the log.
    pub fn stopped(error: impl std::error::Error) -> Self {
        tracing::error!(%error, "work beside a request stopped");
        Self::Stopped
    }

    /// Whether its words are for the editor. What they would say of the inside is for the log.
    pub fn is_for_editor(&self) -> bool {
        match self {
            Self::Store(error) => match error {
                StoreError::Missing { .. }
                | StoreError::MovedOn
                | StoreError::Overtaken { .. }
                | StoreError::NothingToUndo
                | StoreError::NothingToRedo
                | StoreError::Refused(_)
                | StoreError::DiskFull
                | StoreError::Away
                | StoreError::Busy => true,
                StoreError::Broken { .. }
                | StoreError::Word { .. }
                | StoreError::Database(_)
                | StoreError::Sqlx(_)
                | StoreError::InUse
                | StoreError::Cluster(_)
                | StoreError::Io(_) => false,
            },
            Self::Media(error) => !error.is_internal(),
            Self::Interchange(_) | Self::Stopped => false,
            Self::Roots(_)
            | Self::Select(_)
            | Self::Version(_)
            | Self::Mark(_)
            | Self::Draft(_)
            | Self::Arrange(_)
            | Self::Refused(_)
            | Self::Gone { .. }
            | Self::Replaced { .. }
            | Self::Unread { .. }
            | Self::ClipOut
            | Self::NotFound => true,
        }
    }
}

impl AsStoreError for AppError {
    fn as_store(&self) -> Option<&StoreError> {
        match self {
            Self::Store(error) => Some(error),
            _ => None,
        }
    }
}
