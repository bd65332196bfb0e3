//! The media roots: the only folders whose files Legere reads for an editor.
//!
//! Each has a name that stays the same whatever it is mounted as and in whatever order it is given; files are kept under
//! that name. A root that is away is still a root: what lies in it waits until it is back.

use crate::MediaError;
use std::collections::HashMap;
use std::fs::Metadata;
use std::path::{Component, Path, PathBuf};
use std::str::FromStr;
use std::sync::{Arc, PoisonError, RwLock};

/// A configured folder, with the name that pages show instead of its path.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Root {
    pub name: String,
    pub path: PathBuf,
}

/// What is wrong with the media folders that were given.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum RootError {
    #[error("two media folders are called {0}: give them names of their own, like --media NAME=FOLDER")]
    SameName(String),
    #[error("this folder is not there, or it may not be read")]
    NotThere,
    #[error("this folder lies outside of what Legere may read: start it with --allow and a folder above it")]
    Outside,
    #[error("{0} has no name: give it one, like --media NAME=FOLDER")]
    NoName(String),
}

impl FromStr for Root {
    type Err = RootError;
    /// `NAME=FOLDER`, or a folder whose last name is its name.
    fn from_str(text: &str) -> Result<Self, RootError> {
        if let Some((name, path)) =
            text.split_once('=').filter(|(name, _)| !name.contains('/') && !name.trim().is_empty())
        {
            return Ok(Self { name: name.trim().to_owned(), path: PathBuf::from(path) });
        }
        let path = PathBuf::from(text);
        let named = path.canonicalize().unwrap_or_else(|_| path.clone());
        let name = named.file_name().ok_or_else(|| RootError::NoName(text.to_owned()))?.to_string_lossy().into_owned();
        Ok(Self { name, path })
    }
}

/// All media roots; clones share them. More may be added while the program runs, below the parents that were given at its
/// start.
#[derive(Debug, Clone, Default)]
pub struct Roots {
    all: Arc<RwLock<Vec<Root>>>,
    /// What may be read is confined to these when a root is added.
    parents: Arc<Vec<PathBuf>>,
}

impl Roots {
    /// Also of folders that are not there yet.
    pub fn new(roots: Vec<Root>) -> Result<Self, RootError> {
        for (i, root) in roots.iter().enumerate() {
            if roots[..i].iter().any(|r| r.name == root.name) {
                return Err(RootError::SameName(root.name.clone()));
            }
            if !root.path.is_dir() {
                tracing::warn!(path = %root.path.display(), "a media folder is not there");
            }
        }
        Ok(Self { all: Arc::new(RwLock::new(roots)), parents: Arc::default() })
    }

    /// Lets roots be added below these folders.
    pub fn with_parents(self, parents: Vec<PathBuf>) -> Self {
        Self { parents: Arc::new(parents), ..self }
    }

    /// The folders below which roots may be added.
    pub fn parents(&self) -> &[PathBuf] {
        &self.parents
    }

    pub fn all(&self) -> Vec<Root> {
        self.all.read().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Adds a folder that lies below one of the parents; links that lead out of them are none.
    pub fn add(&self, root: Root) -> Result<(), RootError> {
        let real = root.path.canonicalize().map_err(|error| {
            tracing::info!(%error, path = %root.path.display(), "a media folder cannot be added");
            RootError::NotThere
        })?;
        let inside = |parent: &PathBuf| parent.canonicalize().is_ok_and(|p| real.starts_with(p));
        if !real.is_dir() {
            return Err(RootError::NotThere);
        }
        if !self.parents.iter().any(inside) {
            return Err(RootError::Outside);
        }
        self.push(Root { path: real, ..root })
    }

    /// Adds a folder of the program's own.
    pub fn push(&self, root: Root) -> Result<(), RootError> {
        let mut all = self.all.write().unwrap_or_else(PoisonError::into_inner);
        if all.iter().any(|r| r.name == root.name) {
            return Err(RootError::SameName(root.name));
        }
        all.push(root);
        Ok(())
    }

    /// The folders below a parent, for choosing one.
    pub fn below_parent(&self, parent: usize, relative: &str) -> Result<(PathBuf, Vec<String>), MediaError> {
        let base = self.parents.get(parent).ok_or(MediaError::OutsideRoots)?;
        let only = Self::new(vec![Root { name: String::new(), path: base.clone() }])
            .map_err(|_one| MediaError::OutsideRoots)?;
        Ok((only.resolve("", relative)?, only.folders("", relative)?))
    }

    /// Whether a root is there now.
    pub fn is_there(&self, name: &str) -> bool {
        self.all().iter().any(|r| r.name == name && r.path.is_dir())
    }

    /// The file or folder `relative` below the root `name`. Refuses whatever leads out of the root, also through
    /// links.
    pub fn resolve(&self, name: &str, relative: &str) -> Result<PathBuf, MediaError> {
        let all = self.all();
        let root = all.iter().find(|r| r.name == name).ok_or(MediaError::OutsideRoots)?;
        let relative = Path::new(relative);
        if relative.components().any(|c| !matches!(c, Component::Normal(_) | Component::CurDir)) {
            return Err(MediaError::OutsideRoots);
        }
        let Ok(base) = root.path.canonicalize() else { return Err(MediaError::RootAway(name.to_owned())) };
        let real = base.join(relative).canonicalize().map_err(|e| match e.kind() {
            std::io::ErrorKind::PermissionDenied => MediaError::NoAccess,
            _ => MediaError::Vanished,
        })?;
        if real.starts_with(&base) { Ok(real) } else { Err(MediaError::OutsideRoots) }
    }

    /// The same for a file; what is no plain file (a pipe would be waited for without end) is refused.
    pub fn resolve_file(&self, name: &str, relative: &str) -> Result<PathBuf, MediaError> {
        let path = self.resolve(name, relative)?;
        match std::fs::metadata(&path) {
            Ok(meta) if meta.is_file() => Ok(path),
            Ok(_) => Err(MediaError::NotVideo),
            Err(_) => Err(MediaError::Vanished),
        }
    }

    /// The same for many files, for which each of their folders is resolved once.
    pub fn resolver(&self) -> Resolver<'_> {
        Resolver { roots: self, folders: HashMap::new() }
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

/// Finds many files below media folders. What it knows of a folder is as old as itself.
#[derive(Debug)]
pub struct Resolver<'a> {
    roots: &'a Roots,
    folders: HashMap<(String, String), Option<PathBuf>>,
}

impl Resolver<'_> {
    /// A file and what the disk says of it.
    pub fn file(&mut self, root: &str, relative: &str) -> Result<(PathBuf, Metadata), MediaError> {
        let (folder, name) = relative.rsplit_once('/').unwrap_or(("", relative));
        let key = (root.to_owned(), folder.to_owned());
        let known = self.folders.entry(key).or_insert_with(|| self.roots.resolve(root, folder).ok());
        let plain = !matches!(name, "" | "." | "..");
        if let Some(path) = known.as_ref().filter(|_| plain).map(|folder| folder.join(name))
            && let Ok(meta) = path.symlink_metadata()
            && meta.is_file()
        {
            return Ok((path, meta));
        }
        // A link, or something that is not there: asked with all care.
        let path = self.roots.resolve_file(root, relative)?;
        let meta = path.metadata()?;
        Ok((path, meta))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn roots(of: &[(&str, &Path)]) -> Roots {
        let all = of.iter().map(|(name, path)| Root { name: (*name).into(), path: path.to_path_buf() });
        Roots::new(all.collect()).expect("roots")
    }

    #[test]
    fn nothing_outside_a_root_is_reached() {
        let dir = tempfile::tempdir().expect("a folder");
        let inside = dir.path().join("rolls");
        std::fs::create_dir_all(inside.join("day one")).expect("folders");
        std::fs::write(dir.path().join("secret.mp4"), b"x").expect("a file");
        std::os::unix::fs::symlink(dir.path().join("secret.mp4"), inside.join("link.mp4")).expect("a link");
        let roots = roots(&[("rolls", &inside)]);
        assert!(roots.resolve("rolls", "day one").is_ok());
        for bad in ["../secret.mp4", "/etc/passwd", "day one/../../secret.mp4", "link.mp4"] {
            assert!(matches!(roots.resolve("rolls", bad), Err(MediaError::OutsideRoots)), "{bad}");
        }
        assert!(matches!(roots.resolve("other", "day one"), Err(MediaError::OutsideRoots)));
        assert!(matches!(roots.resolve("rolls", "gone.mp4"), Err(MediaError::Vanished)));
        assert!(matches!(roots.resolve_file("rolls", "day one"), Err(MediaError::NotVideo)), "a folder is no clip");
        assert_eq!(roots.folders("rolls", "").expect("folders"), ["day one"]);
        std::fs::write(inside.join("day one/a.mp4"), b"four").expect("a file");
        std::os::unix::fs::symlink(dir.path(), inside.join("out")).expect("a link");
        let mut resolver = roots.resolver();
        assert_eq!(resolver.file("rolls", "day one/a.mp4").expect("a file").1.len(), 4);
        for bad in ["../secret.mp4", "link.mp4", "out/secret.mp4", "day one/../../secret.mp4", "day one/.."] {
            assert!(matches!(resolver.file("rolls", bad), Err(MediaError::OutsideRoots)), "{bad}");
        }
        assert!(matches!(resolver.file("rolls", "day one/b.mp4"), Err(MediaError::Vanished)));
        assert!(matches!(resolver.file("rolls", "day one"), Err(MediaError::NotVideo)));
    }

    #[test]
    fn a_root_that_is_away_is_told_and_is_back_when_it_is_back() {
        let dir = tempfile::tempdir().expect("a folder");
        let card = dir.path().join("card");
        let roots = roots(&[("card", &card)]);
        assert!(!roots.is_there("card"));
        assert!(matches!(roots.resolve("card", "a.mp4"), Err(MediaError::RootAway(name)) if name == "card"));
        std::fs::create_dir(&card).expect("mounted");
        std::fs::write(card.join("a.mp4"), b"x").expect("a file");
        assert!(roots.is_there("card") && roots.resolve_file("card", "a.mp4").is_ok());
    }

    #[test]
    fn names_are_given_or_taken_from_the_folder_and_never_two_of_a_kind() {
        let named = |text: &str| text.parse::<Root>().map(|r| (r.name, r.path.display().to_string()));
        assert_eq!(named("day one=/mnt/DCIM"), Ok(("day one".into(), "/mnt/DCIM".into())));
        assert_eq!(named("/mnt/DCIM"), Ok(("DCIM".into(), "/mnt/DCIM".into())));
        assert_eq!(named("/mnt/a=b/DCIM"), Ok(("DCIM".into(), "/mnt/a=b/DCIM".into())));
        assert_eq!(named("/"), Err(RootError::NoName("/".into())));
        let twice = ["/one/DCIM", "/two/DCIM"].map(|p| p.parse().expect("a root"));
        assert_eq!(Roots::new(twice.to_vec()).err(), Some(RootError::SameName("DCIM".into())));
    }
}
