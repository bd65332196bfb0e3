use legere_analysis::footage::ReadClipError;
use legere_analysis::music::ReadTrackError;

/// What can be wrong with a file. The text is for the editor; what ffmpeg said is in the log.
#[derive(Debug, thiserror::Error)]
pub enum MediaError {
    #[error("the file is empty")]
    Empty,
    #[error("the file is no longer where it was")]
    Vanished,
    #[error("the file may not be read: the system refuses access to it")]
    NoAccess,
    #[error("this is not a video, or it is damaged beyond reading")]
    NotVideo,
    #[error("this is not a picture, or it is damaged beyond reading")]
    NotAPicture,
    #[error("this is not a piece of music, or it is damaged beyond reading")]
    NotSound,
    #[error("there is no picture in this file")]
    NoPicture,
    #[error("there is no sound in this file")]
    NoSound,
    #[error("the file is cut short: its index is missing, so nothing of it can be shown")]
    NoIndex,
    #[error("the picture is larger than Legere reads (8192 by 8192)")]
    TooLarge,
    #[error("the file lasts longer than Legere reads in one piece ({0} minutes)")]
    TooLong(u32),
    #[error("the file has more frames than Legere reads in one piece (twelve hours at 240 a second)")]
    TooManyFrames,
    #[error("reading the file took longer than allowed and was stopped")]
    Timeout,
    /// By whoever stops programs: not the file's fault, so it can be tried again.
    #[error("the work was stopped before it was done")]
    Interrupted,
    #[error("the disk is full: it goes on when there is room again")]
    DiskFull,
    #[error("the file could not be read to its end: the disk it lies on does not answer")]
    SourceDisk,
    #[error("the folder {0} is not there: it goes on when it is back")]
    RootAway(String),
    #[error("the file changed while it was read")]
    ChangedMeanwhile,
    #[error("the file lies outside the media folders")]
    OutsideRoots,
    #[error("ffmpeg is not installed, or cannot be started")]
    NoFfmpeg(#[source] std::io::Error),
    #[error("the pictures could not be made")]
    Failed { log: String },
    #[error("what was made is not what was asked for: {0}")]
    WrongResult(String),
    #[error("the disk refused")]
    Io(#[source] std::io::Error),
    #[error(transparent)]
    ReadClip(#[from] ReadClipError),
    #[error(transparent)]
    ReadTrack(#[from] ReadTrackError),
}

impl From<std::io::Error> for MediaError {
    fn from(error: std::io::Error) -> Self {
        match error.kind() {
            std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded => Self::DiskFull,
            _ => Self::Io(error),
        }
    }
}

impl MediaError {
    /// A task that did not come to its end: a panic goes on to whoever asked, so that it is distinguished from a damaged file.
    pub(crate) fn stopped(error: tokio::task::JoinError) -> Self {
        match error.try_into_panic() {
            Ok(panic) => std::panic::resume_unwind(panic),
            Err(_) => Self::Interrupted,
        }
    }

    /// Whether it is about Legere or the machine: its cause is for the log.
    pub fn is_internal(&self) -> bool {
        matches!(self, Self::NoFfmpeg(_) | Self::Failed { .. } | Self::WrongResult(_) | Self::Io(_))
    }

    /// Whether it says nothing about the file, so that the same may go well later.
    pub fn passes(&self) -> bool {
        matches!(
            self,
            Self::Interrupted | Self::DiskFull | Self::SourceDisk | Self::RootAway(_) | Self::ChangedMeanwhile
        )
    }
}
