//! Legere, the program: serves the pages, does the long work, reads single files.

mod archive;
mod backup;
mod demo;
mod privileges;
mod read;
mod serve;
mod services;

use clap::{Args, Parser, Subcommand};
use legere_media::roots::Root;
use std::path::PathBuf;
use std::process::ExitCode;

/// From raw clips to a rough cut that follows the music.
#[derive(Debug, Parser)]
#[command(name = "legere", version, about)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Serve the pages on loopback, with a worker inside.
    Serve {
        #[command(flatten)]
        place: DataOptions,
        /// A folder with footage and music; can be given several times. Nothing outside of these is read. Its name stays
        /// the same wherever it is mounted; without one it is the folder's own.
        #[arg(long = "media", value_name = "[NAME=]FOLDER")]
        media: Vec<Root>,
        #[command(flatten)]
        allow: Allow,
        #[command(flatten)]
        port: Port,
    },
    /// Only do long work, for a server that runs elsewhere on the same database and shelf.
    Work {
        #[command(flatten)]
        place: DataOptions,
        #[arg(long = "media", value_name = "[NAME=]FOLDER")]
        media: Vec<Root>,
        #[command(flatten)]
        allow: Allow,
    },
    /// Serve "The Long Hour": made-up footage and music, drawn while the page is already open.
    Demo {
        #[command(flatten)]
        place: DataOptions,
        #[command(flatten)]
        port: Port,
    },
    /// Copy everything that was done into one file; also while a server runs.
    Backup {
        file: PathBuf,
        /// Leave out the files that were dropped on a page.
        #[arg(long)]
        without_originals: bool,
        #[command(flatten)]
        place: DataOptions,
    },
    /// Put a backup in the place of what is there.
    Restore {
        file: PathBuf,
        /// Also where there are jobs; they are put aside first.
        #[arg(long)]
        replace: bool,
        #[command(flatten)]
        place: DataOptions,
    },
    /// Read one clip and print what was measured, as JSON.
    ReadClip { file: PathBuf },
    /// Read one track and print what was measured, as JSON.
    ReadTrack { file: PathBuf },
}

#[derive(Debug, Args)]
struct DataOptions {
    /// Where Legere keeps its database and what it makes.
    #[arg(long, env = "LEGERE_DATA", default_value = "data/legere", value_name = "FOLDER")]
    data: PathBuf,
    /// A PostgreSQL database to use instead of an own server in the data folder.
    #[arg(long, env = "LEGERE_DATABASE", value_name = "URL")]
    database: Option<String>,
    /// Change the form of the database without copying it aside first.
    #[arg(long)]
    without_copy: bool,
    /// How many clips are read at the same time.
    #[arg(long, default_value_t = 2, value_name = "NUMBER")]
    at_once: usize,
    /// How much of the disk previews and music may take, in gigabytes; without, 50 or a tenth of the disk.
    #[arg(long, value_name = "NUMBER")]
    shelf_gigabytes: Option<u64>,
    /// How wide light copies are made, in pixels; those that are there stay.
    #[arg(long, default_value_t = 960, value_name = "PIXELS", value_parser = clap::value_parser!(u32).range(320..=3840))]
    light_width: u32,
}

#[derive(Debug, Args)]
struct Allow {
    /// A folder below which media folders may be added on the page; can be given several times. Without, none can.
    #[arg(long = "allow", value_name = "FOLDER")]
    parents: Vec<PathBuf>,
}

#[derive(Debug, Args)]
struct Port {
    /// The port on 127.0.0.1; 0 takes a free one.
    #[arg(long, default_value_t = 7350)]
    port: u16,
}

#[derive(Debug, thiserror::Error)]
enum MainError {
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
    #[error("the server stopped")]
    Server(#[source] std::io::Error),
    #[error("the result could not be written")]
    Output(#[from] serde_json::Error),
}

fn main() -> ExitCode {
    let result = match Cli::parse().command {
        Command::Serve { place, media, allow, port } => serve::serve(&place, &media, allow.parents, port.port),
        Command::Work { place, media, allow } => serve::work(&place, &media, allow.parents),
        Command::Demo { place, port } => demo::serve(&place, port.port),
        Command::Backup { place, file, without_originals } => backup::backup(&place, &file, without_originals),
        Command::Restore { place, file, replace } => backup::restore(&place, &file, replace),
        Command::ReadClip { file } => read::clip(&file),
        Command::ReadTrack { file } => read::track(&file),
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            let cause = std::error::Error::source(&error).map(|c| format!(": {c}")).unwrap_or_default();
            eprintln!("{error}{cause}");
            ExitCode::FAILURE
        }
    }
}
