//! The media roots: the only folders whose files Legere reads for an editor.

use crate::MediaError;
use std::path::{Component, Path, PathBuf};

/// A configured folder, with the name that pages show instead of its path.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Root {
    pub name: String,
    pub path: PathBuf,
}

#[derive(Debug, Clone, Default)]
pub struct Roots(Vec<Root>);

impl Roots {
    /// Folders that do not exist are left out, with a line in the log.
    pub fn new(paths: &[PathBuf]) -> Self {
        let mut roots: Vec<Root> = Vec::new();
        for path in paths {
            match path.canonicalize() {
                Ok(path) if path.is_dir() => {
                    let base = path.file_name().map_or_else(|| "media".into(), |n| n.to_string_lossy().into_owned());
                    let mut name = base.clone();
                    let mut n = 2;
                    while roots.iter().any(|r| r.name == name) {
                        name = format!("{base} {n}");
                        n += 1;
                    }
                    roots.push(Root { name, path });
                }
                _ => tracing::warn!(path = %path.display(), "a media root is not a folder"),
            }
        }
        Self(roots)
    }

    pub fn all(&self) -> &[Root] {
        &self.0
    }

    /// The file or folder `relative` below the root `name`. Refuses whatever leads out of the root, also through
    /// links.
    pub fn resolve(&self, name: &str, relative: &str) -> Result<PathBuf, MediaError> {
        let root = self.0.iter().find(|r| r.name == name).ok_or(MediaError::OutsideRoots)?;
        let relative = Path::new(relative);
        if relative.components().any(|c| !matches!(c, Component::Normal(_) | Component::CurDir)) {
            return Err(MediaError::OutsideRoots);
        }
        let full = root.path.join(relative);
        let real = full.canonicalize().map_err(|e| match e.kind() {
            std::io::ErrorKind::PermissionDenied => MediaError::NoAccess,
            _ => MediaError::Vanished,
        })?;
        if real.starts_with(&root.path) { Ok(real) } else { Err(MediaError::OutsideRoots) }
    }

    /// The folders directly below `relative`, for choosing one.
    pub fn folders(&self, name: &str, relative: &str) -> Result<Vec<String>, MediaError> {
        let folder = self.resolve(name, relative)?;
        let mut names: Vec<String> = std::fs::read_dir(folder)?
            .flatten()
            .filter(|e| e.file_type().is_ok_and(|t| t.is_dir()))
            .filter_map(|e| e.file_name().into_string().ok())
            .filter(|n| !n.starts_with('.'))
            .collect();
        names.sort();
        Ok(names)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_outside_a_root_is_reached() {
        let dir = tempfile::tempdir().expect("a folder");
        let inside = dir.path().join("rolls");
        std::fs::create_dir_all(inside.join("day one")).expect("folders");
        std::fs::write(dir.path().join("secret.mp4"), b"x").expect("a file");
        std::os::unix::fs::symlink(dir.path().join("secret.mp4"), inside.join("link.mp4")).expect("a link");
        let roots = Roots::new(&[inside, dir.path().join("missing")]);
        assert_eq!(roots.all().len(), 1);
        assert!(roots.resolve("rolls", "day one").is_ok());
        for bad in ["../secret.mp4", "/etc/passwd", "day one/../../secret.mp4", "link.mp4"] {
            assert!(matches!(roots.resolve("rolls", bad), Err(MediaError::OutsideRoots)), "{bad}");
        }
        assert!(matches!(roots.resolve("other", "day one"), Err(MediaError::OutsideRoots)));
        assert!(matches!(roots.resolve("rolls", "gone.mp4"), Err(MediaError::Vanished)));
        assert_eq!(roots.folders("rolls", "").expect("folders"), ["day one"]);
    }
}
