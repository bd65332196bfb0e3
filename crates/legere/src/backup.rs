//! A copy of everything that a person did, in one file ([`crate::archive`]), and back. Footage that lies in media folders
//! is not in it, nor what can be made again: light copies, previews, hand-offs.

use crate::archive::{self, Manifest, private};
use crate::services::{Services, runtime};
use crate::{DataOptions, MainError, privileges};
use legere_store::cluster::{Cluster, Durability};
use legere_store::{Store, StoreError, dump};
use std::path::{Path, PathBuf};

/// How many copies that the program made by itself are kept.
const KEPT: usize = 5;
/// Copies of the program's own have names of this form: `legere-20261130-120000-before-restore.backup`.
const PREFIX: &str = "legere-";
const ENDING: &str = ".backup";
const REASONS: [&str; 2] = [BEFORE_MIGRATION, BEFORE_RESTORE];
const BEFORE_MIGRATION: &str = "before-migration";
const BEFORE_RESTORE: &str = "before-restore";

/// The database of a place, and the server that is started for it where none runs.
struct Reached {
    url: String,
    cluster: Option<Cluster>,
}

/// Reaches the database without opening what is stored in it.
fn reached(place: &DataOptions) -> Result<Reached, MainError> {
    if let Some(url) = &place.database {
        return Ok(Reached { url: url.clone(), cluster: None });
    }
    match Cluster::start(&place.data, Durability::Safe) {
        Ok(cluster) => Ok(Reached { url: cluster.url(), cluster: Some(cluster) }),
        Err(StoreError::InUse) => Ok(Reached { url: Cluster::url_of_running(&place.data)?, cluster: None }),
        Err(other) => Err(other.into()),
    }
}

fn originals(place: &DataOptions) -> PathBuf {
    place.data.join("originals")
}

/// Writes the backup, also while a server runs on the data folder.
pub fn backup(place: &DataOptions, to: &Path, without_originals: bool) -> Result<(), MainError> {
    let to = std::path::absolute(to).map_err(MainError::Data)?;
    // Opened before anything else, with the rights of who asked for it, which are given up then: so it is written in place,
    // and never over another backup.
    let out = private(&to).map_err(|source| MainError::BackupFile { file: to.clone(), source })?;
    if out.metadata().map_err(MainError::Data)?.len() > 0 {
        return Err(MainError::BackupThere(to));
    }
    privileges::drop_with_data(&place.data)?;
    let database = reached(place)?;
    let folder = originals(place);
    let manifest = written(&database.url, out, (!without_originals && folder.is_dir()).then_some(&*folder))?;
    println!("{} holds everything up to {}", to.display(), manifest.made_at.format("%Y-%m-%d %H:%M UTC"));
    let dropped = match manifest.originals {
        Some(n) => format!("{n} files that were dropped on a page are in it"),
        None => "files that were dropped on a page are not in it".to_owned(),
    };
    println!(
        "{dropped}; footage in media folders and what can be made again (light copies, previews, hand-offs) is not"
    );
    Ok(())
}

fn written(url: &str, out: std::fs::File, originals: Option<&Path>) -> Result<Manifest, MainError> {
    let folder = tempfile::tempdir().map_err(MainError::Data)?;
    let file = folder.path().join("database.dump");
    dump::dump(url, &file)?;
    let migrations = runtime()?.block_on(dump::migrations_of(url))?;
    archive::write(out, &file, migrations, originals)
}

/// Puts a backup in the place of what is stored, which is copied aside first and never opened.
pub fn restore(place: &DataOptions, from: &Path, replace: bool) -> Result<(), MainError> {
    let from = std::path::absolute(from).map_err(MainError::Data)?;
    let readable = std::fs::File::open(&from).map_err(MainError::Data)?;
    // Originals may be many: they are unpacked on the disk that they go to.
    std::fs::create_dir_all(&place.data).map_err(MainError::Data)?;
    let folder = tempfile::tempdir_in(&place.data).map_err(MainError::Data)?;
    drop(readable);
    let unpacked = archive::unpack(&from, folder.path())?;
    let known = dump::known_migrations();
    if let Some(unknown) = unpacked.manifest.migrations.iter().find(|m| !known.contains(m)) {
        let version = unpacked.manifest.version.clone();
        return Err(MainError::NewerBackup { file: from, version, change: unknown.clone() });
    }
    privileges::give(folder.path(), &place.data)?;
    privileges::drop_with_data(&place.data)?;
    let database = reached(place)?;
    if place.database.is_none() && database.cluster.is_none() {
        return Err(StoreError::InUse.into());
    }
    let jobs = runtime()?.block_on(dump::jobs_in(&database.url))?;
    if jobs > 0 && !replace {
        return Err(MainError::WouldReplace(jobs));
    }
    let aside = copy_aside(&database.url, &place.data, BEFORE_RESTORE)?;
    match &database.cluster {
        Some(cluster) => cluster.restore(&unpacked.dump)?,
        None => dump::restore(&database.url, &unpacked.dump)?,
    }
    let added = put_back(&unpacked.originals, &originals(place))?;
    // Brought up to this program's schema at once, so that what cannot be is said now.
    let jobs = runtime()?.block_on(async { Store::open(&database.url).await?.jobs().all().await })?;
    println!(
        "restored {} jobs and {added} dropped files; what was stored before is in {}",
        jobs.whole.len(),
        aside.display()
    );
    Ok(())
}

/// Moves unpacked originals to where they belong; what lies there already stays. Gives how many came.
fn put_back(from: &Path, to: &Path) -> Result<usize, MainError> {
    let mut added = 0;
    for entry in walkdir::WalkDir::new(from).min_depth(1).into_iter().flatten().filter(|e| e.file_type().is_file()) {
        let Ok(below) = entry.path().strip_prefix(from) else { continue };
        let place = to.join(below);
        if !place.exists() {
            std::fs::create_dir_all(place.parent().unwrap_or(to)).map_err(MainError::Data)?;
            std::fs::rename(entry.path(), &place).map_err(MainError::Data)?;
            added += 1;
        }
    }
    Ok(added)
}

/// Copies the database beside its data, under a name that says when and why. Of the program's own copies the oldest go, never
/// the one that was just made, and never a file with another name.
fn copy_aside(url: &str, data: &Path, why: &str) -> Result<PathBuf, MainError> {
    let folder = data.join("backups");
    std::fs::create_dir_all(&folder).map_err(MainError::Data)?;
    let file = folder.join(format!("{PREFIX}{}-{why}{ENDING}", chrono::Utc::now().format("%Y%m%d-%H%M%S")));
    let out = private(&file).map_err(|source| MainError::BackupFile { file: file.clone(), source })?;
    written(url, out, None)?;
    let mut own: Vec<PathBuf> = std::fs::read_dir(&folder)
        .map_err(MainError::Data)?
        .flatten()
        .map(|e| e.path())
        .filter(|path| *path != file && path.file_name().and_then(|n| n.to_str()).is_some_and(is_own))
        .collect();
    own.sort();
    for old in own.iter().rev().skip(KEPT - 1) {
        let _ = std::fs::remove_file(old);
    }
    Ok(file)
}

/// Whether a name is one that [`copy_aside`] gives.
fn is_own(name: &str) -> bool {
    let middle = name.strip_prefix(PREFIX).and_then(|n| n.strip_suffix(ENDING));
    let Some((stamp, why)) = middle.and_then(|m| m.get(..15).zip(m.get(16..))) else { return false };
    let digits = |c: (usize, char)| if c.0 == 8 { c.1 == '-' } else { c.1.is_ascii_digit() };
    stamp.chars().enumerate().all(digits) && REASONS.contains(&why)
}

/// Opens what serving and working stand on. Where this program will change the schema, what is stored is copied aside first.
pub fn services_with_copy(place: &DataOptions) -> Result<Services, MainError> {
    let services = Services::open(place)?;
    let url = services.url();
    if place.without_copy || !runtime()?.block_on(Store::is_behind(url))? {
        return Ok(services);
    }
    let kept = copy_aside(url, &place.data, BEFORE_MIGRATION)
        .map_err(|error| MainError::NoCopy { source: Box::new(error) })?;
    tracing::info!(file = %kept.display(), "the database was copied aside before its schema changes");
    Ok(services)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_own_names_are_ever_removed() {
        assert!(is_own("legere-20261130-120000-before-restore.backup"));
        for name in [
            "notes.txt",
            "legere-20261130-120000-mine.backup",
            "20261130-120000-before-restore.backup",
            "legere-2026x130-120000-before-restore.backup",
            "legere-.backup",
            "legere-20261130-120000-before-restore.tar",
        ] {
            assert!(!is_own(name), "{name}");
        }
    }
}
