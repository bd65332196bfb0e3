//! The real program and a real browser, for tests and for the pictures of the docs.
#![allow(dead_code, reason = "each test program uses its own part of this")]

pub mod browser;
pub mod material;
pub mod pictures;
pub mod program;

/// A folder that the program, which puts down root's rights, can get into as well.
pub fn folder() -> tempfile::TempDir {
    let dir = tempfile::tempdir().expect("a folder");
    let open = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(dir.path(), open).expect("opened");
    dir
}
