//! A copy of everything that a person did, in one file: the database, and a manifest that says what it is. Footage and
//! light copies are not in it: the ones lie where they lie, the others can be made again.

use crate::house::{House, runtime};
use crate::{MainError, Place, privileges};
use legere_store::cluster::{Cluster, Durability};
use legere_store::{Store, StoreError};
use serde::{Deserialize, Serialize};
use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};

const MANIFEST: &str = "manifest.json";
const DUMP: &str = "database.dump";
/// How many dumps that the program made by itself are kept.
const KEPT: usize = 5;

#[derive(Debug, Serialize, Deserialize)]
struct Manifest {
    /// The program that wrote it.
    version: String,
    made_at: chrono::DateTime<chrono::Utc>,
    /// BLAKE3 of the dump.
    digest: String,
    bytes: u64,
}

/// Writes the backup, also while a server runs on the data folder.
pub fn backup(place: &Place, to: &Path) -> Result<(), MainError> {
    let to = std::path::absolute(to).map_err(MainError::Data)?;
    // Opened before anything else, with the rights of who asked for it, which are given up then: so it is written in place,
    // and never over another backup.
    let out = File::options().write(true).create(true).truncate(false).open(&to);
    let out = out.map_err(|source| MainError::BackupFile { file: to.clone(), source })?;
    if out.metadata().map_err(MainError::Data)?.len() > 0 {
        return Err(MainError::BackupThere(to));
    }
    privileges::drop_with_data(&place.data)?;
    let folder = tempfile::tempdir().map_err(MainError::Data)?;
    let dump = folder.path().join(DUMP);
    match Cluster::start(&place.data, Durability::Safe) {
        Ok(cluster) => cluster.dump(&dump)?,
        Err(StoreError::InUse) => Cluster::dump_running(&place.data, &dump)?,
        Err(other) => return Err(other.into()),
    }
    let manifest = Manifest {
        version: env!("CARGO_PKG_VERSION").to_owned(),
        made_at: chrono::Utc::now(),
        digest: digest(&dump)?,
        bytes: std::fs::metadata(&dump).map_err(MainError::Data)?.len(),
    };
    let text = serde_json::to_vec_pretty(&manifest)?;
    let mut tar = tar::Builder::new(out);
    let mut header = tar::Header::new_gnu();
    header.set_size(text.len() as u64);
    header.set_mode(0o600);
    header.set_cksum();
    tar.append_data(&mut header, MANIFEST, &*text).map_err(MainError::Data)?;
    tar.append_path_with_name(&dump, DUMP).map_err(MainError::Data)?;
    let written = tar.into_inner().map_err(MainError::Data)?;
    written.sync_all().map_err(MainError::Data)?;
    println!("{} holds everything up to {}", to.display(), manifest.made_at.format("%Y-%m-%d %H:%M UTC"));
    Ok(())
}

/// Puts a backup in the place of what is there. What was there is dumped beside it first.
pub fn restore(place: &Place, from: &Path, replace: bool) -> Result<(), MainError> {
    let from = std::path::absolute(from).map_err(MainError::Data)?;
    let folder = tempfile::tempdir().map_err(MainError::Data)?;
    let dump = unpacked(&from, folder.path())?;
    // Who we become must be able to read it.
    std::fs::set_permissions(folder.path(), std::os::unix::fs::PermissionsExt::from_mode(0o755))
        .map_err(MainError::Data)?;
    std::fs::set_permissions(&dump, std::os::unix::fs::PermissionsExt::from_mode(0o644)).map_err(MainError::Data)?;
    privileges::drop_with_data(&place.data)?;
    let cluster = Cluster::start(&place.data, Durability::Safe)?;
    let jobs = runtime()?.block_on(async {
        let store = Store::open(&cluster.url()).await?;
        let jobs = store.jobs().await?;
        store.pool().close().await;
        Ok::<_, StoreError>(jobs.whole.len() + jobs.broken.len())
    })?;
    if jobs > 0 && !replace {
        return Err(MainError::WouldReplace(jobs));
    }
    let kept = dump_aside(&cluster, &place.data, "before-restore")?;
    cluster.restore(&dump)?;
    // Brought up to this program's schema at once, so that what cannot be is told now.
    let jobs = runtime()?.block_on(async { Store::open(&cluster.url()).await?.jobs().await })?;
    println!("restored {} jobs; what was there before is in {}", jobs.whole.len(), kept.display());
    Ok(())
}

/// The dump of a backup, once it is what its manifest says.
fn unpacked(from: &Path, folder: &Path) -> Result<PathBuf, MainError> {
    let no_backup = |source: Option<Box<dyn std::error::Error + Send + Sync>>| MainError::NoBackup {
        file: from.to_path_buf(),
        source,
    };
    let io = |error: std::io::Error| no_backup(Some(error.into()));
    let mut tar = tar::Archive::new(File::open(from).map_err(MainError::Data)?);
    let mut manifest: Option<Manifest> = None;
    let dump = folder.join(DUMP);
    for entry in tar.entries().map_err(MainError::Data)? {
        let mut entry = entry.map_err(io)?;
        let name = entry.path().map_err(io)?.into_owned();
        if name == Path::new(MANIFEST) {
            let mut text = Vec::new();
            entry.by_ref().take(1 << 20).read_to_end(&mut text).map_err(io)?;
            manifest = Some(serde_json::from_slice(&text).map_err(|e| no_backup(Some(e.into())))?);
        } else if name == Path::new(DUMP) {
            std::io::copy(&mut entry, &mut File::create(&dump).map_err(MainError::Data)?).map_err(io)?;
        }
    }
    let manifest = manifest.ok_or_else(|| no_backup(None))?;
    let whole = std::fs::metadata(&dump).is_ok_and(|m| m.len() == manifest.bytes) && digest(&dump)? == manifest.digest;
    if whole { Ok(dump) } else { Err(no_backup(None)) }
}

fn digest(file: &Path) -> Result<String, MainError> {
    let mut hash = blake3::Hasher::new();
    let mut file = File::open(file).map_err(MainError::Data)?;
    std::io::copy(&mut file, &mut hash).map_err(MainError::Data)?;
    Ok(hash.finalize().to_hex().to_string())
}

/// Dumps the database beside its data, under a name that says when and why; the oldest such dumps go.
pub fn dump_aside(cluster: &Cluster, data: &Path, why: &str) -> Result<PathBuf, MainError> {
    let folder = data.join("backups");
    std::fs::create_dir_all(&folder).map_err(MainError::Data)?;
    let file = folder.join(format!("{}-{why}.dump", chrono::Utc::now().format("%Y%m%d-%H%M%S")));
    cluster.dump(&file)?;
    let mut all: Vec<PathBuf> =
        std::fs::read_dir(&folder).map_err(MainError::Data)?.flatten().map(|e| e.path()).collect();
    all.sort();
    for old in all.iter().rev().skip(KEPT) {
        let _ = std::fs::remove_file(old);
    }
    Ok(file)
}

/// Before a newer program changes the schema, what is there is put aside.
pub fn before_migration(house: &House, data: &Path) -> Result<(), MainError> {
    let Some(cluster) = house.cluster() else { return Ok(()) };
    let behind = runtime()?.block_on(Store::is_behind(&cluster.url()))?;
    if behind {
        let kept = dump_aside(cluster, data, "before-migration")?;
        tracing::info!(file = %kept.display(), "the database was put aside before its schema changes");
    }
    Ok(())
}
