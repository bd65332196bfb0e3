//! Legere, the program: serves the pages, does the long work, reads single files.

mod demo;
mod read;
mod serve;

use clap::{Args, Parser, Subcommand};
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
        place: Place,
        /// A folder with footage and music; can be given several times. Nothing outside of these is read.
        #[arg(long = "media", value_name = "FOLDER")]
        media: Vec<PathBuf>,
        #[command(flatten)]
        port: Port,
    },
    /// Only do long work, for a server that runs elsewhere on the same database and shelf.
    Work {
        #[command(flatten)]
        place: Place,
        #[arg(long = "media", value_name = "FOLDER")]
        media: Vec<PathBuf>,
    },
    /// Serve "The Long Hour": made-up footage and music, drawn while the page is already open.
    Demo {
        #[command(flatten)]
        place: Place,
        #[command(flatten)]
        port: Port,
    },
    /// Read one clip and print what was measured, as JSON.
    ReadClip { file: PathBuf },
    /// Read one track and print what was measured, as JSON.
    ReadTrack { file: PathBuf },
}

#[derive(Debug, Args)]
struct Place {
    /// Where Legere keeps its database and what it makes.
    #[arg(long, env = "LEGERE_DATA", default_value = "data/legere", value_name = "FOLDER")]
    data: PathBuf,
    /// A PostgreSQL database to use instead of an own server in the data folder.
    #[arg(long, env = "LEGERE_DATABASE", value_name = "URL")]
    database: Option<String>,
    /// How many clips are read at the same time.
    #[arg(long, default_value_t = 2, value_name = "NUMBER")]
    at_once: usize,
}

#[derive(Debug, Args)]
struct Port {
    /// The port on 127.0.0.1; 0 takes a free one. When it is taken, a free one is used.
    #[arg(long, default_value_t = 7350)]
    port: u16,
}

#[derive(Debug, thiserror::Error)]
enum MainError {
    #[error(transparent)]
    Media(#[from] legere_media::MediaError),
    #[error(transparent)]
    Store(#[from] legere_store::StoreError),
    #[error("no port on 127.0.0.1 could be opened")]
    Port(#[source] std::io::Error),
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
        Command::Serve { place, media, port } => serve::serve(&place, &media, port.port),
        Command::Work { place, media } => serve::work(&place, &media),
        Command::Demo { place, port } => demo::serve(&place, port.port),
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
