//! Open formats for the next person: OpenTimelineIO, CMX 3600, CSV.
//!
//! All are written from one [`CutList`] and read back into what they can hold, so that a written file can be checked
//! against what was meant. A source counts in its clip's own frames, from its own first timecode; the record side counts
//! in the job's.

mod csv_list;
mod edl;
mod otio;
mod stretches;

use crate::clip::{ClipProbe, SoundProbe};
use crate::draft::{Between, Pause, Pin, Shot, Source, Speed, SpeedKeyframe};
use crate::id::{ClipId, SelectId, ShotId};
use crate::time::{FrameLen, FrameRate, Seconds, Timecode};
use crate::track::Version;
pub use csv_list::{CsvRow, read_csv, write_csv};
pub use edl::{BLACK_REEL, Channel, EdlEvent, read_edl, write_edl};
use num_rational::Ratio;
pub use otio::{OtioClip, read_otio, write_otio};
use serde::{Deserialize, Serialize};
pub use stretches::{Seen, Stretch};

/// Why a file of another program cannot be read, or ours not be written.
#[derive(Debug, thiserror::Error)]
pub enum InterchangeError {
    /// Line … of the edit decision list is not understood.
    #[error("line {line} of the edit decision list is not understood")]
    Edl {
        /// Counted from 1.
        line: usize,
    },
    /// The timeline lacks something that it must have.
    #[error("the OpenTimelineIO file lacks {0}")]
    Otio(&'static str),
    /// It is no JSON.
    #[error("the file is not JSON")]
    Json(#[from] serde_json::Error),
    /// It is no CSV.
    #[error("the shot list is not CSV")]
    Csv(#[from] csv::Error),
}

/// A draft as others need it: names, files and timecodes instead of ids. It stands for itself, so that a file can be made
/// from it whatever becomes of the draft.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CutList {
    /// The job and the draft.
    pub title: String,
    /// Of the job.
    pub rate: FrameRate,
    /// The shots, in order.
    pub events: Vec<Event>,
    /// Under the pictures, one passage after the other.
    pub music: Vec<Music>,
    /// In the order of their frames.
    pub markers: Vec<Marker>,
}

/// A shot, in the terms of interchange.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Event {
    /// The file's name.
    pub clip: String,
    /// Where it lies, as a URL.
    pub url: String,
    /// At most eight capitals and digits, one per source.
    pub reel: String,
    /// Of the clip’s own frames.
    pub clip_rate: FrameRate,
    /// The timecode of the clip's first frame.
    pub clip_start: Timecode,
    /// How many frames the clip has.
    pub clip_frames: u64,
    /// From the clip's first frame.
    pub source_in: Seconds,
    /// How fast the clip plays, up to the first keyframe.
    pub speed: Speed,
    /// Where its speed becomes another one.
    #[serde(default)]
    pub keyframes: Vec<SpeedKeyframe>,
    /// What is shown between two frames of the clip.
    #[serde(default)]
    pub between: Between,
    /// How it stands still at its end, which counts in its length.
    #[serde(default)]
    pub pause: Option<Pause>,
    /// In frames.
    pub len: FrameLen,
    /// 0–100.
    pub energy: f64,
    /// The editor’s verdict.
    pub tier: String,
    /// Its tags.
    pub tags: Vec<String>,
    /// What a person wrote beside it.
    pub note: String,
    /// The reasons, the weightiest first.
    pub why: Vec<String>,
}

/// The music under the pictures.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Music {
    /// As people call it.
    pub name: String,
    /// Where the file lies (RFC 8089).
    pub url: String,
    /// The start and length of each span of the track, in the order in which they are heard.
    pub spans: Vec<(Seconds, Seconds)>,
    /// Above 1 the music is faster than its track.
    pub speed: f64,
    /// Of the whole file.
    pub track_duration: Seconds,
    /// Samples a second of the file.
    pub sample_rate: u32,
    /// After how many frames the next passage begins; none for the last one.
    #[serde(default)]
    pub ends: Option<FrameLen>,
}

impl Music {
    /// A version of a track, alone under the pictures.
    pub fn of(name: String, url: String, version: &Version, probe: Option<&SoundProbe>) -> Self {
        Self {
            name,
            url,
            spans: version.spans().iter().map(|s| (s.start, s.end - s.start)).collect(),
            speed: 1.0 / version.factor(),
            track_duration: probe.map_or(version.end(), |p| p.duration),
            // What an unread probe lacks is what every version is written at.
            sample_rate: probe.map(|p| p.sample_rate).filter(|r| *r >= 8000).unwrap_or(48_000),
            ends: None,
        }
    }
}

/// What a marker marks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum MarkerKind {
    /// A beat that begins no bar.
    Beat,
    /// A downbeat.
    Bar,
    /// Where a section begins.
    Section,
    /// A cue of the music.
    Cue,
    /// A person’s note.
    Note,
}

/// A named frame.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Marker {
    /// The frame of the draft.
    pub frame: u64,
    /// Of which kind.
    pub kind: MarkerKind,
    /// As people call it.
    pub name: String,
}

/// Frames of a clip, counted from its first: in, and out (exclusive).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SourceFrames {
    /// The first one.
    pub first: u64,
    /// Behind the last one.
    pub end: u64,
}

/// The file that a shot is of, as it is named in lists.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceFile {
    /// Its name.
    pub name: String,
    /// Where it lies, as a URL.
    pub url: String,
    /// At most eight capitals and digits, one per source.
    pub reel: String,
}

impl Event {
    /// A shot of a clip; without what people say of it and what it is in the draft.
    pub fn of(shot: &Shot, file: SourceFile, probe: &ClipProbe) -> Self {
        Self {
            clip: file.name,
            url: file.url,
            reel: file.reel,
            clip_rate: probe.frame_rate,
            clip_start: probe.timecode.unwrap_or(Timecode { frames: 0, drop: false }),
            clip_frames: u64::try_from(probe.frame_rate.nearest(probe.duration).get()).unwrap_or(0),
            source_in: shot.source.start,
            speed: shot.source.speed,
            keyframes: shot.source.keyframes.clone(),
            between: shot.source.between,
            pause: shot.pause,
            len: shot.len,
            energy: 0.0,
            tier: String::new(),
            tags: Vec::new(),
            note: String::new(),
            why: Vec::new(),
        }
    }

    /// The same as a shot, of no draft.
    fn shot(&self) -> Shot {
        let media = self.clip_rate.seconds_of(FrameLen::new(self.clip_frames));
        let nobody = (SelectId::from_u128(0), ClipId::from_u128(0));
        let source = Source {
            speed: self.speed,
            keyframes: self.keyframes.clone(),
            between: self.between,
            ..Source::plain(nobody.0, nobody.1, self.source_in, media)
        };
        Shot {
            id: ShotId::from_u128(0),
            len: self.len,
            source,
            hit_at: None,
            pause: self.pause,
            pin: Pin::Open,
            held: false,
        }
    }

    fn time_words(&self) -> Vec<String> {
        let shot = self.shot();
        shot.source.time_words().into_iter().chain(shot.pause.map(Pause::words)).collect()
    }
}

impl CutList {
    /// The events with the frame at which each begins.
    pub fn placed(&self) -> impl Iterator<Item = (u64, &Event)> {
        self.events.iter().scan(0, |at, event| {
            let start = *at;
            *at += event.len.get();
            Some((start, event))
        })
    }

    /// Which frames of its clip an event shows, in the clip's own count and never beyond its end.
    pub fn source_frames(&self, event: &Event) -> SourceFrames {
        let (from, to) = event.shot().range(self.rate);
        let frames = u64::try_from(event.clip_rate.nearest(to - from).get()).unwrap_or(0).max(1);
        let first = u64::try_from(event.clip_rate.nearest(from).get()).unwrap_or(0);
        let first = first.min(event.clip_frames.saturating_sub(frames));
        SourceFrames { first, end: first + frames }
    }

    /// In and out of an event's source as timecodes of its clip.
    pub fn source_timecodes(&self, event: &Event) -> (String, String) {
        let frames = self.source_frames(event);
        (event.clip_start.after(frames.first, event.clip_rate), event.clip_start.after(frames.end, event.clip_rate))
    }

    /// A frame of an event's clip as a timecode of the clip.
    pub fn source_timecode(&self, event: &Event, frame: u64) -> String {
        event.clip_start.after(frame, event.clip_rate)
    }

    /// The passages of the music with where each begins, and for how long it can be heard.
    pub fn passages(&self) -> impl Iterator<Item = (u64, FrameLen, &Music)> {
        let total = self.len().get();
        self.music.iter().scan(0, move |at, music| {
            let start = *at;
            let len = music.ends.map_or(total.saturating_sub(start), FrameLen::get);
            *at += len;
            Some((start, FrameLen::new(len), music))
        })
    }

    /// How long the pictures are.
    pub fn len(&self) -> FrameLen {
        self.events.iter().map(|e| e.len).sum()
    }

    /// Whether there is nothing in it.
    pub fn is_empty(&self) -> bool {
        self.events.is_empty()
    }
}

impl Music {
    /// Each span as it is heard under pictures of a length: its first sample in the file, and for how many samples it lasts
    /// in the piece. Together they last as long as the pictures, to the sample, unless the music ends before them.
    pub fn in_samples(&self, pictures: Seconds) -> Vec<(i64, i64)> {
        let rate = Ratio::from_integer(i64::from(self.sample_rate));
        let mut left = pictures.in_units(rate);
        let mut spans = Vec::new();
        for (start, length) in &self.spans {
            let lasts = (length.in_units(rate) as f64 / self.speed).round() as i64;
            let lasts = lasts.min(left);
            if lasts <= 0 {
                break;
            }
            left -= lasts;
            spans.push((start.in_units(rate), lasts));
        }
        // A fraction of a frame is no silence.
        if let Some((_, last)) = spans.last_mut().filter(|_| left > 0 && left < i64::from(self.sample_rate) / 10) {
            *last += left;
        }
        spans
    }
}

/// A reel name that any list can hold: capitals and digits, at most eight.
pub fn reel_name(text: &str) -> String {
    let name: String =
        text.chars().filter(char::is_ascii_alphanumeric).map(|c| c.to_ascii_uppercase()).take(8).collect();
    if name.is_empty() { "AX".to_owned() } else { name }
}

/// One line without what no list holds.
fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}

#[cfg(test)]
mod tests;
