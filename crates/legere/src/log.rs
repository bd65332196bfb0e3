//! Where the log goes.

use crate::MainError;
use std::path::Path;
use tracing_subscriber::EnvFilter;

/// Structured lines; `RUST_LOG` says how much.
pub fn to_stderr() {
    tracing_subscriber::fmt().json().with_env_filter(filter()).with_writer(std::io::stderr).init();
}

/// The same, into a file.
pub fn to_file(file: &Path) -> Result<(), MainError> {
    let file = std::fs::File::create(file).map_err(MainError::Data)?;
    tracing_subscriber::fmt().json().with_env_filter(filter()).with_writer(std::sync::Mutex::new(file)).init();
    Ok(())
}

fn filter() -> EnvFilter {
    EnvFilter::try_from_default_env().unwrap_or_else(|_| EnvFilter::new("info,sqlx=warn"))
}
