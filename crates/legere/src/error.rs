//! Why a program ends before its time.

use std::path::PathBuf;

/// Why the program ends, in words for who started it.
#[derive(Debug, thiserror::Error)]
pub enum MainError {
    #[error(transparent)]
    Media(#[from] legere_media::MediaError),
    #[error(transparent)]
    Store(#[from] legere_store::StoreError),
    #[error(transparent)]
    Roots(#[from] legere_media::roots::RootError),
    #[error("port {0} is in use, perhaps by another Legere: choose another with --port, or 0 for a free one")]
    PortTaken(u16),
    #[error("no port on 127.0.0.1 could be opened")]
    Port(#[source] std::io::Error),
    #[error("there is no ordinary user that Legere could run as: start it as one yourself")]
    NoUser,
    #[error("root's rights could not be put down")]
    Privileges(#[source] std::io::Error),
    #[error("{} is there already: choose another name", .0.display())]
    BackupThere(PathBuf),
    #[error("{} cannot be written", .file.display())]
    BackupFile { file: PathBuf, source: std::io::Error },
    #[error("{} is not a backup of Legere, or it is damaged", .file.display())]
    NoBackup { file: PathBuf, source: Option<Box<dyn std::error::Error + Send + Sync>> },
    #[error("there are {0} jobs already: --replace puts them aside and the backup in their place")]
    WouldReplace(i64),
    #[error("{} was made by a newer Legere ({version}), whose database this one does not know ({change}): install that version to restore it", .file.display())]
    NewerBackup { file: PathBuf, version: String, change: String },
    #[error(
        "the database has to change its form and could not be copied aside first; --without-copy changes it all the same"
    )]
    NoCopy { source: Box<MainError> },
    #[error("the data folder cannot be used")]
    Data(#[source] std::io::Error),
    #[error("a worker needs --database: the one that the server uses")]
    NoDatabase,
    #[error("legere-work, which does the long work, cannot be started: it lies beside legere")]
    NoWorker(#[source] std::io::Error),
    #[error("the server stopped")]
    Server(#[source] std::io::Error),
    #[error("{} cannot be read", .file.display())]
    Unreadable { file: PathBuf, source: std::io::Error },
    #[error("{} is not a problem to arrange", .file.display())]
    NoProblem { file: PathBuf, source: serde_json::Error },
    #[error(transparent)]
    Arrange(#[from] legere_core::arrange::exchange::ExchangeError),
    #[error("a piece is 1 to 7200 seconds long")]
    CutLength,
    #[error("{} cannot be written", .place.display())]
    CutOut { place: PathBuf, source: std::io::Error },
    #[error("the verdicts, line {line}: {why}")]
    Verdict { line: u64, why: String },
    #[error(transparent)]
    Cut(#[from] legere_core::arrange::ArrangeError),
    #[error(transparent)]
    Version(#[from] legere_core::track::VersionError),
    #[error(transparent)]
    List(#[from] legere_core::interchange::InterchangeError),
    #[error("the result could not be written")]
    Output(#[from] serde_json::Error),
}

impl MainError {
    /// With what is behind it, as it is printed.
    pub fn whole(&self) -> String {
        let cause = std::error::Error::source(self).map(|c| format!(": {c}")).unwrap_or_default();
        format!("{self}{cause}")
    }
}
