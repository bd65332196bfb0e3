//! The Debian packages that Legere stands on.

use crate::{TaskError, run};
use std::process::Command;

pub const MEDIA: &[&str] = &["ffmpeg"];
pub const DATABASE: &[&str] = &["postgresql-15"];
/// The instruments that the pieces are played with.
pub const INSTRUMENTS: &[&str] = &["timgm6mb-soundfont"];
/// What checks the pages' scripts.
pub const SCRIPTS: &[&str] = &["nodejs", "npm"];
/// What reads hand-offs with the libraries of others.
pub const READERS: &[&str] = &["python3-venv"];
pub const BROWSER: &[&str] = &["chromium", "chromium-driver"];

/// Installs what is missing when we may; otherwise says the one line to type.
pub fn ensure(groups: &[&[&str]]) -> Result<(), TaskError> {
    let missing: Vec<&str> = groups.iter().flat_map(|g| g.iter().copied()).filter(|p| !installed(p)).collect();
    if missing.is_empty() {
        return Ok(());
    }
    let line = format!("apt-get install -y --no-install-recommends {}", missing.join(" "));
    if !nix::unistd::Uid::effective().is_root() {
        return Err(TaskError::Packages(format!("sudo apt-get update && sudo {line}")));
    }
    run(Command::new("apt-get").arg("update"))?;
    let words = line.split(' ');
    run(Command::new("env").arg("DEBIAN_FRONTEND=noninteractive").args(words))
}

fn installed(package: &str) -> bool {
    // Node is often there from elsewhere, with npm in one package.
    if package == "npm" && Command::new("npm").arg("--version").output().is_ok_and(|out| out.status.success()) {
        return true;
    }
    Command::new("dpkg-query")
        .args(["-W", "-f", "${Status}", package])
        .output()
        .is_ok_and(|out| out.stdout.ends_with(b"ok installed"))
}
