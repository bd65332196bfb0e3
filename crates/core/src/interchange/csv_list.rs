//! The shot list for people, as CSV.

use super::{CutList, InterchangeError, one_line};
use crate::time::timecode;
use serde::{Deserialize, Serialize};

/// A line of the shot list.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CsvRow {
    /// Counted from 1.
    pub shot: usize,
    /// Timecode in the draft.
    pub start: String,
    /// Timecode in the draft, exclusive.
    pub end: String,
    /// How long it is.
    pub frames: u64,
    /// The file’s name.
    pub clip: String,
    /// In the clip’s own timecode.
    pub source_in: String,
    /// In the clip’s own timecode, exclusive.
    pub source_out: String,
    /// In which its timecode counts.
    pub source_rate: String,
    /// 100 is as recorded.
    pub speed_percent: f64,
    /// How its time goes, where that is more than one speed.
    #[serde(default)]
    pub time: String,
    /// 0–100.
    pub energy: f64,
    /// The editor’s verdict.
    pub tier: String,
    /// With spaces between.
    pub tags: String,
    /// What a person wrote beside it.
    pub note: String,
    /// The reasons, with semicolons between.
    pub why: String,
}

/// Writes the shot list.
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
            time: harmless(&event.time_words().join("; ")),
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

/// Reads a shot list back.
pub fn read_csv(text: &str) -> Result<Vec<CsvRow>, InterchangeError> {
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    reader.deserialize().map(|row| row.map_err(InterchangeError::from)).collect()
}
