//! The one format of backups: a tar with a manifest, the database, and the originals that were dropped on a page. Copies that
//! the program makes by itself have the same form.

use crate::MainError;
use serde::{Deserialize, Serialize};
use std::fs::File;
use std::io::{Read, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Component, Path, PathBuf};

const MANIFEST: &str = "manifest.json";
const DUMP: &str = "database.dump";
const ORIGINALS: &str = "originals";

/// What a backup says of itself.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Manifest {
    /// The program that wrote it.
    pub version: String,
    pub made_at: chrono::DateTime<chrono::Utc>,
    /// BLAKE3 of the dump.
    digest: String,
    bytes: u64,
    /// The changes of the schema that the database has; none in backups of earlier versions, which any program reads.
    #[serde(default)]
    pub migrations: Vec<String>,
    /// How many originals it holds; none where they were left out.
    #[serde(default)]
    pub originals: Option<usize>,
}

/// Writes a backup of a dump, and of the originals below a folder where one is given.
pub fn write(out: File, dump: &Path, migrations: Vec<String>, originals: Option<&Path>) -> Result<Manifest, MainError> {
    let files = originals.map(files_below);
    let manifest = Manifest {
        version: env!("CARGO_PKG_VERSION").to_owned(),
        made_at: chrono::Utc::now(),
        digest: digest(dump)?,
        bytes: std::fs::metadata(dump).map_err(MainError::Data)?.len(),
        migrations,
        originals: files.as_ref().map(Vec::len),
    };
    let text = serde_json::to_vec_pretty(&manifest)?;
    let mut tar = tar::Builder::new(out);
    let mut header = tar::Header::new_gnu();
    header.set_size(text.len() as u64);
    header.set_mode(0o600);
    header.set_cksum();
    tar.append_data(&mut header, MANIFEST, &*text).map_err(MainError::Data)?;
    tar.append_path_with_name(dump, DUMP).map_err(MainError::Data)?;
    if let Some((folder, files)) = originals.zip(files) {
        for file in files {
            tar.append_path_with_name(folder.join(&file), Path::new(ORIGINALS).join(&file)).map_err(MainError::Data)?;
        }
    }
    let written = tar.into_inner().map_err(MainError::Data)?;
    written.sync_all().map_err(MainError::Data)?;
    Ok(manifest)
}

/// The files below a folder that are whole: what is hidden is being sent still.
fn files_below(folder: &Path) -> Vec<PathBuf> {
    let shown = |e: &walkdir::DirEntry| !e.file_name().to_string_lossy().starts_with('.');
    let found =
        walkdir::WalkDir::new(folder).min_depth(1).sort_by_file_name().into_iter().filter_entry(shown).flatten();
    let files = found.filter(|e| e.file_type().is_file());
    files.filter_map(|e| e.path().strip_prefix(folder).map(Path::to_path_buf).ok()).collect()
}

/// What was unpacked.
pub struct Unpacked {
    pub manifest: Manifest,
    pub dump: PathBuf,
    /// Where its originals lie, until they are put in their place.
    pub originals: PathBuf,
}

/// Unpacks a backup into a folder, once it is what its manifest says.
pub fn unpack(from: &Path, folder: &Path) -> Result<Unpacked, MainError> {
    let no_backup = |source: Option<Box<dyn std::error::Error + Send + Sync>>| MainError::NoBackup {
        file: from.to_path_buf(),
        source,
    };
    let io = |error: std::io::Error| no_backup(Some(error.into()));
    let mut tar = tar::Archive::new(File::open(from).map_err(MainError::Data)?);
    let mut manifest: Option<Manifest> = None;
    let (dump, originals) = (folder.join(DUMP), folder.join(ORIGINALS));
    std::fs::create_dir_all(&originals).map_err(MainError::Data)?;
    for entry in tar.entries().map_err(MainError::Data)? {
        let mut entry = entry.map_err(io)?;
        let name = entry.path().map_err(io)?.into_owned();
        let modified = entry.header().mtime().unwrap_or(0);
        if name == Path::new(MANIFEST) {
            let mut text = Vec::new();
            entry.by_ref().take(16 << 20).read_to_end(&mut text).map_err(io)?;
            manifest = Some(serde_json::from_slice(&text).map_err(|e| no_backup(Some(e.into())))?);
        } else if name == Path::new(DUMP) {
            copy(&mut entry, &dump)?;
        } else if let Ok(below) = name.strip_prefix(ORIGINALS) {
            // A name that leads out of the folder is none that was written here.
            if below.components().all(|c| matches!(c, Component::Normal(_))) {
                let to = originals.join(below);
                std::fs::create_dir_all(to.parent().unwrap_or(&originals)).map_err(MainError::Data)?;
                copy(&mut entry, &to)?;
                let at = std::time::UNIX_EPOCH + std::time::Duration::from_secs(modified);
                File::options().append(true).open(&to).and_then(|f| f.set_modified(at)).map_err(MainError::Data)?;
            }
        }
    }
    let manifest = manifest.ok_or_else(|| no_backup(None))?;
    let whole = std::fs::metadata(&dump).is_ok_and(|m| m.len() == manifest.bytes)
        && digest(&dump)? == manifest.digest
        && manifest.originals.is_none_or(|n| files_below(&originals).len() == n);
    if whole { Ok(Unpacked { manifest, dump, originals }) } else { Err(no_backup(None)) }
}

fn copy(from: &mut impl Read, to: &Path) -> Result<(), MainError> {
    let mut file = private(to).map_err(MainError::Data)?;
    std::io::copy(from, &mut file).map_err(MainError::Data)?;
    file.flush().map_err(MainError::Data)
}

/// A new file that only its owner reads.
pub fn private(file: &Path) -> std::io::Result<File> {
    File::options().write(true).create(true).truncate(false).mode(0o600).open(file)
}

fn digest(file: &Path) -> Result<String, MainError> {
    let mut hash = blake3::Hasher::new();
    let mut file = File::open(file).map_err(MainError::Data)?;
    std::io::copy(&mut file, &mut hash).map_err(MainError::Data)?;
    Ok(hash.finalize().to_hex().to_string())
}
