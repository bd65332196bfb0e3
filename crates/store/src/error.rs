use sea_orm::sqlx;
use sea_orm::{DbErr, RuntimeErr};
use uuid::Uuid;

/// What went wrong, by what whoever asked does next.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The thing is not there.
    #[error("there is no {what} {id}")]
    Missing {
        /// The kind of thing.
        what: &'static str,
        /// The id that was asked for.
        id: Uuid,
    },
    /// It was changed in another window meanwhile: what you see now is how it is.
    #[error("it was changed in another window meanwhile: what you see now is how it is")]
    MovedOn,
    /// An undo or redo would overwrite what somebody else did since; the one before it can be taken back.
    #[error("“{label}” stays: what it changed was changed again in another window since{}", then(.next.as_deref()))]
    Overtaken {
        /// What was to be taken back.
        label: String,
        /// What comes before it.
        next: Option<String>,
    },
    /// There is nothing to undo here.
    #[error("there is nothing to undo here")]
    NothingToUndo,
    /// There is nothing to redo here.
    #[error("there is nothing to redo here")]
    NothingToRedo,
    /// The change is refused; why is for the editor.
    #[error("{0}")]
    Refused(String),
    /// A row in the database that is not what it should be.
    #[error("a {what} in the database is not what it should be")]
    Broken {
        /// The kind of thing.
        what: &'static str,
        /// What it shows.
        source: serde_json::Error,
    },
    /// A word in the database that is none of those that it may be.
    #[error("a {what} in the database has a word that is none: {word}")]
    Word {
        /// The kind of thing.
        what: &'static str,
        /// What stands there.
        word: String,
    },
    /// The disk that Legere keeps its data on is full: make room, then try again.
    #[error("the disk that Legere keeps its data on is full: make room, then try again")]
    DiskFull,
    /// The database is away for a moment: try again.
    #[error("the database is away for a moment: try again")]
    Away,
    /// Somebody else's change of the same job takes too long, or met this one: nothing was changed.
    #[error("another change of this job was in the way: nothing was changed, try again")]
    Busy,
    /// The database refused.
    #[error("the database refused")]
    Database(#[source] sea_orm::DbErr),
    /// The database refused.
    #[error("the database refused")]
    Sqlx(#[source] sea_orm::sqlx::Error),
    /// The data folder is in use by another Legere: stop that one, or choose another folder.
    #[error("the data folder is in use by another Legere: stop that one, or choose another folder")]
    InUse,
    /// The database server could not be started.
    #[error("PostgreSQL could not be started: {0}")]
    Cluster(String),
    /// The disk refused.
    #[error("the disk refused")]
    Io(#[from] std::io::Error),
}

fn then(next: Option<&str>) -> String {
    next.map_or_else(String::new, |label| format!("; the one before it is “{label}”"))
}

/// What passes, by PostgreSQL's codes: 53100 is a full disk, 57P a server that goes down, 08 a connection that broke,
/// 40P01 a deadlock, 40001 a transaction that another one overtook, 55P03 a lock that was waited for too long.
fn trouble(error: &sqlx::Error) -> Option<StoreError> {
    match error {
        sqlx::Error::Database(refused) => match refused.code()?.as_ref() {
            "53100" => Some(StoreError::DiskFull),
            "40P01" | "40001" | "55P03" => Some(StoreError::Busy),
            code if code.starts_with("57P") || code.starts_with("08") => Some(StoreError::Away),
            _ => None,
        },
        sqlx::Error::Io(_) | sqlx::Error::PoolTimedOut | sqlx::Error::WorkerCrashed => Some(StoreError::Away),
        _ => None,
    }
}

impl From<sqlx::Error> for StoreError {
    fn from(error: sqlx::Error) -> Self {
        trouble(&error).unwrap_or(Self::Sqlx(error))
    }
}

impl From<DbErr> for StoreError {
    fn from(error: DbErr) -> Self {
        let known = match &error {
            DbErr::Conn(RuntimeErr::SqlxError(e))
            | DbErr::Exec(RuntimeErr::SqlxError(e))
            | DbErr::Query(RuntimeErr::SqlxError(e)) => trouble(e),
            DbErr::ConnectionAcquire(_) => Some(Self::Away),
            _ => None,
        };
        known.unwrap_or(Self::Database(error))
    }
}

impl StoreError {
    pub(crate) fn broken(what: &'static str) -> impl FnOnce(serde_json::Error) -> Self {
        move |source| Self::Broken { what, source }
    }
}

/// The value of a word in the database; what is no such word is an error, never replaced.
pub(crate) fn word<T: std::str::FromStr>(what: &'static str, text: &str) -> Result<T, StoreError> {
    text.parse().map_err(|_no_value| StoreError::Word { what, word: text.chars().take(40).collect() })
}
