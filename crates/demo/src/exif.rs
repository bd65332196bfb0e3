//! When a picture was taken, as cameras write it into the file (Exif 2.3, JEITA CP-3451C).

use chrono::{DateTime, Utc};

/// A JPEG file with the camera's clock in it. `jpeg` begins with the marker that every such file begins with.
pub fn taken_at(jpeg: &[u8], at: DateTime<Utc>) -> Vec<u8> {
    const LONG: u16 = 4;
    const TEXT: u16 = 2;
    /// Where the second list begins: after the head and one list of one entry.
    const INNER: u32 = 8 + 2 + 12 + 4;
    let entry = |tag: u16, kind: u16, count: u32, value: u32| -> Vec<u8> {
        let (tag, kind) = (tag.to_le_bytes(), kind.to_le_bytes());
        // A list of one entry, and none after it.
        [&[1, 0][..], &tag, &kind, &count.to_le_bytes(), &value.to_le_bytes(), &[0; 4]].concat()
    };
    let clock = at.format("%Y:%m:%d %H:%M:%S\0").to_string();
    let exif = [
        &b"Exif\0\0II*\0\x08\0\0\0"[..],
        &entry(0x8769, LONG, 1, INNER),
        &entry(0x9003, TEXT, clock.len() as u32, INNER + 2 + 12 + 4),
        clock.as_bytes(),
    ]
    .concat();
    let length = (exif.len() as u16 + 2).to_be_bytes();
    [&jpeg[..2], &[0xFF, 0xE1], &length, &exif, &jpeg[2..]].concat()
}
