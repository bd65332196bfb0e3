//! Open formats for the next person: OpenTimelineIO, CMX 3600, CSV.
//!
//! All are written from one [`CutList`] and read back into what they can hold, so that a written file can be
//! checked against what was meant.

mod csv_list;
mod edl;
mod otio;

use crate::time::{FrameLen, FrameRate, Seconds};

pub use csv_list::{CsvRow, read_csv, write_csv};
pub use edl::{EdlEvent, read_edl, write_edl};
pub use otio::{OtioClip, read_otio, write_otio};

#[derive(Debug, thiserror::Error)]
pub enum InterchangeError {
    #[error("line {line} of the edit decision list is not understood")]
    Edl { line: usize },
    #[error("the OpenTimelineIO file lacks {0}")]
    Otio(&'static str),
    #[error("the file is not JSON")]
    Json(#[from] serde_json::Error),
    #[error("the shot list is not CSV")]
    Csv(#[from] csv::Error),
}

/// A draft as others need it: names, files and timecodes instead of ids.
#[derive(Debug, Clone, PartialEq)]
pub struct CutList {
    pub title: String,
    pub rate: FrameRate,
    pub events: Vec<Event>,
    pub music: Option<Music>,
    pub markers: Vec<Marker>,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Event {
    /// The file's name.
    pub clip: String,
    /// Where it lies, as a URL relative to the hand-off or absolute.
    pub url: String,
    /// At most eight capitals and digits, one per source.
    pub reel: String,
    pub clip_rate: FrameRate,
    /// The timecode of the clip's first frame, in seconds since midnight.
    pub clip_start: Seconds,
    pub clip_duration: Seconds,
    /// From the clip's first frame.
    pub source_in: Seconds,
    pub speed: f64,
    pub len: FrameLen,
    pub energy: f64,
    pub tier: String,
    pub tags: Vec<String>,
    pub note: String,
    pub why: Vec<String>,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Music {
    pub name: String,
    pub url: String,
    /// The start and length of each span of the track, in the order in which they are heard.
    pub spans: Vec<(Seconds, Seconds)>,
    /// Above 1 the music is faster than its track.
    pub speed: f64,
    pub track_duration: Seconds,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Marker {
    pub frame: u64,
    pub name: String,
}

impl CutList {
    /// The events with the frame at which each begins.
    pub fn placed(&self) -> impl Iterator<Item = (u64, &Event)> {
        self.events.iter().scan(0, |at, event| {
            let start = *at;
            *at += event.len.0;
            Some((start, event))
        })
    }

    /// In and out of an event's source, in frames at the job's rate, counted from midnight.
    ///
    /// Sources of other rates are given in real time at the job's rate too, as lists of mixed rates are usually
    /// read: the same instant, on the record side's count.
    pub fn source_frames(&self, event: &Event) -> (u64, u64) {
        let start = self.rate.nearest(event.clip_start + event.source_in).0.max(0) as u64;
        let used = (event.len.0 as f64 * event.speed).round().max(1.0) as u64;
        (start, start + used)
    }
}

/// A reel name that any list can hold: capitals and digits, at most eight.
pub fn reel_name(text: &str) -> String {
    let name: String =
        text.chars().filter(char::is_ascii_alphanumeric).map(|c| c.to_ascii_uppercase()).take(8).collect();
    if name.is_empty() { "AX".to_owned() } else { name }
}

#[cfg(test)]
mod tests;
