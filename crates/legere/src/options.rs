//! What is given on the command line by all who use a data folder.

use clap::Args;
use legere_media::roots::Root;
use std::path::PathBuf;

/// Where everything is kept, and how much of the machine may be used.
#[derive(Debug, Args)]
pub struct DataOptions {
    /// Where Legere keeps its database and what it makes.
    #[arg(long, env = "LEGERE_DATA", default_value = "data/legere", value_name = "FOLDER")]
    pub data: PathBuf,
    /// A PostgreSQL database to use instead of an own server in the data folder.
    #[arg(long, env = "LEGERE_DATABASE", value_name = "URL")]
    pub database: Option<String>,
    /// Change the form of the database without copying it aside first.
    #[arg(long)]
    pub without_copy: bool,
    /// How many clips are read at the same time.
    #[arg(long, default_value_t = 2, value_name = "NUMBER")]
    pub at_once: usize,
    /// How much of the disk previews and music may take, in gigabytes; without, 50 or a tenth of the disk.
    #[arg(long, value_name = "NUMBER")]
    pub shelf_gigabytes: Option<u64>,
    /// How wide light copies are made, in pixels; those that are there stay.
    #[arg(long, default_value_t = 960, value_name = "PIXELS", value_parser = clap::value_parser!(u32).range(320..=3840))]
    pub light_width: u32,
}

/// The media folders, and where more may be added from.
#[derive(Debug, Args)]
pub struct Media {
    /// A folder with footage and music; can be given several times. Nothing outside of these is read. Its name stays
    /// the same wherever it is mounted; without one it is the folder's own.
    #[arg(long = "media", value_name = "[NAME=]FOLDER")]
    pub folders: Vec<Root>,
    /// A folder below which media folders may be added on the page; can be given several times. Without, none can.
    #[arg(long = "allow", value_name = "FOLDER")]
    pub parents: Vec<PathBuf>,
}
