//! One file, without a database: for scripts and tests.

use legere_common::{MainError, privileges};
use legere_core::footage::ClipReading;
use legere_core::time::FrameRate;
use legere_media::{MediaError, light, sound};
use serde::Serialize;
use std::path::Path;

/// What `read-clip` prints: the file's own figures and the reading.
#[derive(Serialize)]
struct Clip {
    frame_rate: FrameRate,
    width: u32,
    height: u32,
    rotation: u32,
    #[serde(flatten)]
    reading: ClipReading,
}

pub fn clip(file: &Path) -> Result<(), MainError> {
    privileges::drop_for_file(file)?;
    let (probe, reading) = run(light::read(&absolute(file)))?;
    print(&Clip {
        frame_rate: probe.frame_rate,
        width: probe.width,
        height: probe.height,
        rotation: probe.rotation,
        reading,
    })
}

pub fn track(file: &Path) -> Result<(), MainError> {
    privileges::drop_for_file(file)?;
    print(&run(sound::read(&absolute(file)))?.reading)
}

/// A name that starts with a dash or holds a colon is a name, not an option or a protocol.
pub fn absolute(file: &Path) -> std::path::PathBuf {
    std::path::absolute(file).unwrap_or_else(|_| file.to_path_buf())
}

fn run<T>(work: impl Future<Output = Result<T, MediaError>>) -> Result<T, MainError> {
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build().map_err(MediaError::Io)?;
    Ok(runtime.block_on(work)?)
}

pub fn print(value: &impl Serialize) -> Result<(), MainError> {
    let mut out = std::io::stdout().lock();
    serde_json::to_writer(&mut out, value)?;
    // A reader that has seen enough (`| head`) is no failure.
    let _ = std::io::Write::write_all(&mut out, b"\n");
    Ok(())
}
