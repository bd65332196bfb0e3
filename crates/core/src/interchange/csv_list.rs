//! The shot list for people, as CSV.

use super::{CutList, InterchangeError, one_line};
use crate::time::timecode;
use serde::{Deserialize, Serialize};

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CsvRow {
    pub shot: usize,
    pub start: String,
    pub end: String,
    pub frames: u64,
    pub clip: String,
    pub source_in: String,
    pub source_out: String,
    pub source_rate: String,
    pub speed_percent: f64,
    pub energy: f64,
    pub tier: String,
    pub tags: String,
    pub note: String,
    pub why: String,
}

pub fn write_csv(cut: &CutList) -> Result<String, InterchangeError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    let tc = |frames| timecode(frames, cut.rate, false);
    for (i, (start, event)) in cut.placed().enumerate() {
        let (source_in, source_out) = cut.source_timecodes(event);
        writer.serialize(CsvRow {
            shot: i + 1,
            start: tc(start),
            end: tc(start + event.len.get()),
            frames: event.len.get(),
            clip: harmless(&event.clip),
            source_in,
            source_out,
            source_rate: event.clip_rate.words(),
            speed_percent: (event.speed.to_f64() * 1000.0).round() / 10.0,
            energy: event.energy,
            tier: event.tier.clone(),
            tags: harmless(&event.tags.join(", ")),
            note: harmless(&event.note),
            why: harmless(&event.why.join("; ")),
        })?;
    }
    let bytes = writer.into_inner().map_err(|e| csv::Error::from(e.into_error()))?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// A text that begins like a formula would be computed by the spreadsheet that opens the list; one that begins with a tab or
/// a line end would be, once that is taken away.
fn harmless(text: &str) -> String {
    let line = one_line(text);
    let line = line.trim_start();
    if line.starts_with(['=', '+', '-', '@', '\'']) { format!("'{line}") } else { line.to_owned() }
}

pub fn read_csv(text: &str) -> Result<Vec<CsvRow>, InterchangeError> {
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    reader.deserialize().map(|row| row.map_err(InterchangeError::from)).collect()
}
