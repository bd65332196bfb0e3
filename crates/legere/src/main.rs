//! Legere, the program: serves the pages, does the long work, reads single files.

mod arrange;
mod cut;
mod demo;
mod read;
mod serve;

use clap::{Args, Parser, Subcommand};
use legere_common::{DataOptions, MainError, Media, backup};
use std::ffi::OsString;
use std::os::unix::process::CommandExt;
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
        #[command(flatten)]
        media: Media,
        #[command(flatten)]
        port: Port,
    },
    /// Only do long work, for a server that runs elsewhere on the same database and shelf.
    #[command(disable_help_flag = true)]
    Work {
        /// As `legere-work --help` lists them.
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        options: Vec<OsString>,
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
    /// Lay the selects of one problem, given as JSON (docs/arrange.md), and print the answer.
    Arrange {
        file: PathBuf,
        /// Print also what each select costs in each place and behind each other.
        #[arg(long)]
        costs: bool,
    },
    /// Make a rough cut of a folder of clips and a track, with its lists.
    Cut(cut::CutOptions),
}

#[derive(Debug, Args)]
struct Port {
    /// The port on 127.0.0.1; 0 takes a free one.
    #[arg(long, default_value_t = 7350)]
    port: u16,
}

fn main() -> ExitCode {
    let result = match Cli::parse().command {
        Command::Serve { place, media, port } => serve::serve(&place, &media, port.port),
        Command::Work { options } => Err(become_worker(options)),
        Command::Demo { place, port } => demo::serve(&place, port.port),
        Command::Backup { place, file, without_originals } => backup::backup(&place, &file, without_originals),
        Command::Restore { place, file, replace } => backup::restore(&place, &file, replace),
        Command::ReadClip { file } => read::clip(&file),
        Command::ReadTrack { file } => read::track(&file),
        Command::Arrange { file, costs } => arrange::file(&file, costs),
        Command::Cut(options) => cut::cut(&options),
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("{}", error.whole());
            ExitCode::FAILURE
        }
    }
}

/// The worker is a program of its own, without a web server: it takes this one's place. Gives why it could not.
fn become_worker(options: Vec<OsString>) -> MainError {
    let beside = std::env::current_exe().map(|program| program.with_file_name("legere-work"));
    match beside {
        Ok(program) => MainError::NoWorker(std::process::Command::new(program).args(options).exec()),
        Err(error) => MainError::NoWorker(error),
    }
}
