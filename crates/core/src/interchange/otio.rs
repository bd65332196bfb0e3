//! OpenTimelineIO, the open JSON format for editorial timelines.

use super::{CutList, Event, InterchangeError, Music};
use crate::time::{FrameRate, Seconds};
use serde_json::{Value, json};

#[derive(Debug, Clone, PartialEq)]
pub struct OtioClip {
    pub name: String,
    pub url: String,
    /// Frames at the job's rate.
    pub len: u64,
    /// In the source's timecode, in frames at the job's rate; fractions where the clip has another rate.
    pub source_start: f64,
    pub speed: f64,
}

/// One video track with all shots, one audio track with the music, the marks of the music as markers.
pub fn write_otio(cut: &CutList) -> String {
    let rate = cut.rate;
    let mut video = track("Pictures", "Video", cut.events.iter().map(|e| clip(e, rate)).collect());
    video["markers"] = cut
        .markers
        .iter()
        .map(|m| {
            json!({
                "OTIO_SCHEMA": "Marker.2", "name": m.name, "color": "RED", "metadata": {},
                "marked_range": range(m.frame as f64, 1.0, rate),
            })
        })
        .collect();
    let mut children = vec![video];
    if let Some(music) = &cut.music {
        children.push(track("Music", "Audio", music_clips(music, rate)));
    }
    let timeline = json!({
        "OTIO_SCHEMA": "Timeline.1",
        "name": cut.title,
        "metadata": { "legere": { "rate": rate.to_string() } },
        "global_start_time": null,
        "tracks": {
            "OTIO_SCHEMA": "Stack.1", "name": "tracks", "metadata": {}, "source_range": null,
            "effects": [], "markers": [], "enabled": true, "children": children,
        },
    });
    format!("{timeline:#}\n")
}

fn track(name: &str, kind: &str, children: Vec<Value>) -> Value {
    json!({
        "OTIO_SCHEMA": "Track.1", "name": name, "kind": kind, "metadata": {}, "source_range": null,
        "effects": [], "markers": [], "enabled": true, "children": children,
    })
}

fn clip(event: &Event, rate: FrameRate) -> Value {
    let effects = if (event.speed - 1.0).abs() > 1e-9 {
        json!([{
            "OTIO_SCHEMA": "LinearTimeWarp.1", "name": "", "effect_name": "LinearTimeWarp", "metadata": {},
            "time_scalar": event.speed, "enabled": true,
        }])
    } else {
        json!([])
    };
    let start = frames(event.clip_start + event.source_in, rate);
    json!({
        "OTIO_SCHEMA": "Clip.2",
        "name": event.clip,
        "metadata": { "legere": {
            "reel": event.reel, "energy": event.energy, "tier": event.tier, "tags": event.tags,
            "note": event.note, "why": event.why,
        } },
        "source_range": range(start, event.len.0 as f64, rate),
        "effects": effects, "markers": [], "enabled": true,
        "active_media_reference_key": "DEFAULT_MEDIA",
        "media_references": { "DEFAULT_MEDIA": {
            "OTIO_SCHEMA": "ExternalReference.1", "name": event.clip, "metadata": {},
            "available_image_bounds": null,
            "available_range": range(
                frames(event.clip_start, event.clip_rate), frames(event.clip_duration, event.clip_rate), event.clip_rate),
            "target_url": event.url,
        } },
    })
}

fn music_clips(music: &Music, rate: FrameRate) -> Vec<Value> {
    let effects = if (music.speed - 1.0).abs() < 1e-9 {
        json!([])
    } else {
        json!([{ "OTIO_SCHEMA": "LinearTimeWarp.1", "name": "", "metadata": {}, "effect_name": "LinearTimeWarp",
                 "time_scalar": music.speed }])
    };
    music
        .spans
        .iter()
        .enumerate()
        .map(|(i, (start, duration))| {
            let long = frames(*duration, rate) / music.speed;
            // Only the last one ends with the pictures; the others meet in the middle of a frame.
            let long = if i + 1 == music.spans.len() { long.floor() } else { long };
            json!({
                "OTIO_SCHEMA": "Clip.2", "name": music.name, "metadata": {}, "effects": effects, "markers": [],
                "enabled": true,
                "source_range": range(frames(*start, rate), long, rate),
                "active_media_reference_key": "DEFAULT_MEDIA",
                "media_references": { "DEFAULT_MEDIA": {
                    "OTIO_SCHEMA": "ExternalReference.1", "name": music.name, "metadata": {},
                    "available_image_bounds": null,
                    "available_range": range(0.0, frames(music.track_duration, rate), rate),
                    "target_url": music.url,
                } },
            })
        })
        .collect()
}

fn frames(at: Seconds, rate: FrameRate) -> f64 {
    at.to_f64() * rate.to_f64()
}

fn range(start: f64, len: f64, rate: FrameRate) -> Value {
    let time = |value: f64| json!({ "OTIO_SCHEMA": "RationalTime.1", "rate": rate.to_f64(), "value": value });
    json!({ "OTIO_SCHEMA": "TimeRange.1", "start_time": time(start), "duration": time(len) })
}

/// Reads the clips of the first video track.
pub fn read_otio(text: &str) -> Result<Vec<OtioClip>, InterchangeError> {
    let root: Value = serde_json::from_str(text)?;
    if root["OTIO_SCHEMA"] != "Timeline.1" {
        return Err(InterchangeError::Otio("a timeline"));
    }
    let tracks = root["tracks"]["children"].as_array().ok_or(InterchangeError::Otio("tracks"))?;
    let video = tracks.iter().find(|t| t["kind"] == "Video").ok_or(InterchangeError::Otio("a video track"))?;
    let clips = video["children"].as_array().ok_or(InterchangeError::Otio("clips"))?;
    clips
        .iter()
        .map(|c| {
            let source = &c["source_range"];
            let number = |v: &Value, what| v["value"].as_f64().ok_or(InterchangeError::Otio(what));
            let url = &c["media_references"]["DEFAULT_MEDIA"]["target_url"];
            Ok(OtioClip {
                name: c["name"].as_str().ok_or(InterchangeError::Otio("a clip's name"))?.to_owned(),
                url: url.as_str().ok_or(InterchangeError::Otio("a clip's file"))?.to_owned(),
                len: number(&source["duration"], "a duration")?.round() as u64,
                source_start: number(&source["start_time"], "a start")?,
                speed: c["effects"][0]["time_scalar"].as_f64().unwrap_or(1.0),
            })
        })
        .collect()
}
