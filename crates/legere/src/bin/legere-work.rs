//! Does long work for a server that runs elsewhere on the same database and shelf. There is no web server in it.

use clap::Parser;
use legere_common::{DataOptions, Media, work};
use std::process::ExitCode;

/// Read clips and tracks and write hand-offs, for a Legere that is served elsewhere.
#[derive(Debug, Parser)]
#[command(name = "legere-work", version, about)]
struct Cli {
    #[command(flatten)]
    place: DataOptions,
    #[command(flatten)]
    media: Media,
}

fn main() -> ExitCode {
    let cli = Cli::parse();
    match work::work(&cli.place, &cli.media) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("{}", error.whole());
            ExitCode::FAILURE
        }
    }
}
