//! What identifies a file, whatever else comes to lie at its path: its size, its time, and a digest of its content.
//!
//! The digest is BLAKE3 over the size and over all of a small file, or over the first and the last megabyte and 62 blocks of
//! 64 kB in between of a large one: hundreds of gigabytes are distinguished by reading a few hundred megabytes.

use crate::MediaError;
use chrono::{DateTime, Utc};
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

const WHOLE_UP_TO: u64 = 16 << 20;
const ENDS: u64 = 1 << 20;
const BLOCK: u64 = 64 << 10;
const BLOCKS: u64 = 62;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Identity {
    pub bytes: i64,
    pub modified: DateTime<Utc>,
    pub digest: String,
}

/// Size and time of a file, to the microsecond, as the database keeps it.
pub fn stat(path: &Path) -> Result<(i64, DateTime<Utc>), MediaError> {
    let meta = std::fs::metadata(path).map_err(|e| match e.kind() {
        std::io::ErrorKind::PermissionDenied => MediaError::NoAccess,
        _ => MediaError::Vanished,
    })?;
    stat_of(&meta)
}

/// The same of what the disk said already.
pub fn stat_of(meta: &std::fs::Metadata) -> Result<(i64, DateTime<Utc>), MediaError> {
    let modified: DateTime<Utc> = meta.modified()?.into();
    let micros = modified.timestamp_micros().clamp(0, 253_402_300_799_000_000);
    let micros = DateTime::from_timestamp_micros(micros).unwrap_or_default();
    Ok((i64::try_from(meta.len()).unwrap_or(i64::MAX), micros))
}

/// Who a file is. Reads it, so not on a thread that serves pages.
pub fn identify(path: &Path) -> Result<Identity, MediaError> {
    let (bytes, modified) = stat(path)?;
    Ok(Identity { bytes, modified, digest: digest(path)? })
}

pub fn digest(path: &Path) -> Result<String, MediaError> {
    let mut file = File::open(path)?;
    let size = file.metadata()?.len();
    let mut hash = blake3::Hasher::new();
    hash.update(&size.to_le_bytes());
    if size <= WHOLE_UP_TO {
        take(&mut file, 0, size, &mut hash)?;
    } else {
        take(&mut file, 0, ENDS, &mut hash)?;
        let inside = size - 2 * ENDS - BLOCK;
        for i in 0..BLOCKS {
            take(&mut file, ENDS + inside / (BLOCKS - 1) * i, BLOCK, &mut hash)?;
        }
        take(&mut file, size - ENDS, ENDS, &mut hash)?;
    }
    Ok(hash.finalize().to_hex()[..32].to_owned())
}

fn take(file: &mut File, from: u64, length: u64, hash: &mut blake3::Hasher) -> Result<(), MediaError> {
    file.seek(SeekFrom::Start(from))?;
    let mut left = length;
    let mut buffer = vec![0u8; usize::try_from(length.min(1 << 20)).unwrap_or(1 << 20).max(1)];
    while left > 0 {
        let most = usize::try_from(left).unwrap_or(usize::MAX).min(buffer.len());
        match file.read(&mut buffer[..most])? {
            0 => break,
            n => {
                hash.update(&buffer[..n]);
                left -= n as u64;
            }
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_copy_is_the_same_and_another_file_of_the_same_size_is_not() {
        let dir = tempfile::tempdir().expect("a folder");
        let at = |name: &str| dir.path().join(name);
        for size in [0usize, 10, 100_000, (WHOLE_UP_TO as usize) + 12_345, 40 << 20] {
            let mut bytes: Vec<u8> = (0..size).map(|i| (i % 251) as u8).collect();
            std::fs::write(at("a"), &bytes).expect("written");
            std::fs::copy(at("a"), at("b")).expect("copied");
            assert_eq!(digest(&at("a")).expect("read"), digest(&at("b")).expect("read"), "{size}");
            for place in [0, size / 2, size.saturating_sub(1)] {
                let Some(byte) = bytes.get_mut(place) else { continue };
                // Of a large file not every byte is looked at; another take differs nearly everywhere.
                *byte ^= 1;
                let changed = place == 0 || place == size - 1 || size as u64 <= WHOLE_UP_TO;
                std::fs::write(at("b"), &bytes).expect("written");
                if changed {
                    assert_ne!(digest(&at("a")).expect("read"), digest(&at("b")).expect("read"), "{size} at {place}");
                }
                bytes[place] ^= 1;
            }
        }
        let identity = identify(&at("a")).expect("read");
        assert_eq!((identity.bytes, identity.digest.len()), (40 << 20, 32));
        assert!(matches!(identify(&at("none")), Err(MediaError::Vanished)));
    }
}
