//! OpenTimelineIO, the open JSON format for editorial timelines.

use super::{CutList, Event, InterchangeError, MarkerKind, Music, Seen, Stretch};
use crate::time::{FrameLen, FrameRate};
use num_rational::Ratio;
use serde_json::{Value, json};

/// A clip of a timeline that was read.
#[derive(Debug, Clone, PartialEq)]
pub struct OtioClip {
    /// The file’s name.
    pub name: String,
    /// Where it lies.
    pub url: String,
    /// A gap: nothing is seen.
    pub black: bool,
    /// In the piece, seconds.
    pub lasts: f64,
    /// The first frame in the source's timecode, at the source's rate.
    pub source_start: f64,
    /// In which its range counts.
    pub source_rate: f64,
    /// 1 is as recorded.
    pub speed: f64,
}

/// One video track with all shots, one audio track with the music; beats, bars, sections, cues and notes as markers of the
/// whole.
pub fn write_otio(cut: &CutList) -> String {
    let rate = cut.rate;
    let mut children =
        vec![track("Pictures", "Video", &cut.events.iter().flat_map(|e| clips(cut, e)).collect::<Vec<_>>())];
    if !cut.music.is_empty() {
        let clips: Vec<Value> = cut.passages().flat_map(|(_, len, music)| music_clips(music, len, rate)).collect();
        children.push(track("Music", "Audio", &clips));
    }
    let markers: Vec<Value> = cut
        .markers
        .iter()
        .map(|m| {
            json!({
                "OTIO_SCHEMA": "Marker.2", "name": m.name, "color": colour(m.kind),
                "metadata": { "legere": { "kind": m.kind } },
                "marked_range": range(Time::frames(m.frame as f64, rate), Time::frames(1.0, rate)),
            })
        })
        .collect();
    let timeline = json!({
        "OTIO_SCHEMA": "Timeline.1",
        "name": cut.title,
        "metadata": { "legere": { "rate": rate.to_string() } },
        "global_start_time": null,
        "tracks": {
            "OTIO_SCHEMA": "Stack.1", "name": "tracks", "metadata": {}, "source_range": null,
            "effects": [], "markers": markers, "enabled": true, "children": children,
        },
    });
    format!("{timeline:#}\n")
}

/// One of the colours that the format names.
fn colour(kind: MarkerKind) -> &'static str {
    match kind {
        MarkerKind::Beat => "WHITE",
        MarkerKind::Bar => "CYAN",
        MarkerKind::Section => "BLUE",
        MarkerKind::Cue => "ORANGE",
        MarkerKind::Note => "RED",
    }
}

fn track(name: &str, kind: &str, children: &[Value]) -> Value {
    json!({
        "OTIO_SCHEMA": "Track.1", "name": name, "kind": kind, "metadata": {}, "source_range": null,
        "effects": [], "markers": [], "enabled": true, "children": children,
    })
}

fn effects(speed: f64) -> Value {
    if (speed - 1.0).abs() < 1e-9 {
        return json!([]);
    }
    if speed == 0.0 {
        return json!([{
            "OTIO_SCHEMA": "FreezeFrame.1", "name": "", "effect_name": "FreezeFrame", "metadata": {},
            "time_scalar": 0.0, "enabled": true,
        }]);
    }
    json!([{
        "OTIO_SCHEMA": "LinearTimeWarp.1", "name": "", "effect_name": "LinearTimeWarp", "metadata": {},
        "time_scalar": speed, "enabled": true,
    }])
}

fn reference(name: &str, url: &str, available: &Value) -> Value {
    json!({ "DEFAULT_MEDIA": {
        "OTIO_SCHEMA": "ExternalReference.1", "name": name, "metadata": {}, "available_image_bounds": null,
        "available_range": available, "target_url": url,
    } })
}

/// One clip per shot, or more where its speed changes or a frame is held; black is a gap.
fn clips(cut: &CutList, event: &Event) -> Vec<Value> {
    cut.stretches(event).into_iter().enumerate().map(|(i, stretch)| clip(cut, event, i, stretch)).collect()
}

fn clip(cut: &CutList, event: &Event, part: usize, stretch: Stretch) -> Value {
    if stretch.seen == Seen::Black {
        let zero = Time::frames(0.0, cut.rate);
        return json!({
            "OTIO_SCHEMA": "Gap.1", "name": "", "metadata": {}, "effects": [], "markers": [], "enabled": true,
            "source_range": range(zero, Time::frames(stretch.len.get() as f64, cut.rate)),
        });
    }
    let rate = event.clip_rate;
    let first = event.clip_start.frames + stretch.first;
    // A range lasts as long as it is seen; a time effect says how much of the source goes by meanwhile. So it may be a
    // fraction of the source's frames: rounded, the track would be longer or shorter than the piece.
    let lasts = exact(stretch.len.get(), rate, cut.rate);
    json!({
        "OTIO_SCHEMA": "Clip.2",
        "name": event.clip,
        "metadata": { "legere": {
            "reel": event.reel, "energy": event.energy, "tier": event.tier, "tags": event.tags,
            "note": event.note, "why": event.why, "part": part + 1, "not_said": cut.unsaid(event),
            "time": { "start": event.source_in, "speed": event.speed, "keyframes": event.keyframes, "between": event.between },
        } },
        "source_range": range(Time::frames(first as f64, rate), Time::frames(lasts, rate)),
        "effects": effects(stretch.speed), "markers": [], "enabled": true,
        "active_media_reference_key": "DEFAULT_MEDIA",
        "media_references": reference(&event.clip, &event.url, &range(
            Time::frames(event.clip_start.frames as f64, rate), Time::frames(event.clip_frames as f64, rate))),
    })
}

/// Frames of one rate as frames of another, exactly.
fn exact(frames: u64, to: FrameRate, from: FrameRate) -> f64 {
    let ratio = |r: FrameRate| Ratio::new(i128::from(r.num()), i128::from(r.den()));
    let value = Ratio::from_integer(i128::from(frames)) * ratio(to) / ratio(from);
    *value.numer() as f64 / *value.denom() as f64
}

fn music_clips(music: &Music, len: FrameLen, pictures: FrameRate) -> Vec<Value> {
    let rate = f64::from(music.sample_rate);
    let room = pictures.seconds_of(len);
    let spans = music.in_samples(room);
    let heard: i64 = spans.iter().map(|s| s.1).sum();
    let silent = room.in_units(Ratio::from_integer(i64::from(music.sample_rate))) - heard;
    let time = |samples: i64| Time { value: samples as f64, rate };
    let whole = music.track_duration.in_units(Ratio::from_integer(i64::from(music.sample_rate)));
    // What ends before the next passage begins leaves a gap.
    let gap = (music.ends.is_some() && silent > 0).then(|| {
        json!({
            "OTIO_SCHEMA": "Gap.1", "name": "", "metadata": {}, "effects": [], "markers": [], "enabled": true,
            "source_range": range(time(0), time(silent)),
        })
    });
    spans
        .into_iter()
        .map(|(start, lasts)| {
            json!({
                "OTIO_SCHEMA": "Clip.2", "name": music.name, "metadata": {}, "effects": effects(music.speed),
                "markers": [], "enabled": true,
                "source_range": range(time(start), time(lasts)),
                "active_media_reference_key": "DEFAULT_MEDIA",
                "media_references": reference(&music.name, &music.url, &range(time(0), time(whole))),
            })
        })
        .chain(gap)
        .collect()
}

/// A number of frames or samples at a rate.
#[derive(Clone, Copy)]
struct Time {
    value: f64,
    rate: f64,
}

impl Time {
    fn frames(value: f64, rate: FrameRate) -> Self {
        Self { value, rate: rate.to_f64() }
    }

    fn json(self) -> Value {
        json!({ "OTIO_SCHEMA": "RationalTime.1", "rate": self.rate, "value": self.value })
    }
}

fn range(start: Time, lasts: Time) -> Value {
    json!({ "OTIO_SCHEMA": "TimeRange.1", "start_time": start.json(), "duration": lasts.json() })
}

/// Reads the clips of the first track of a kind, `Video` or `Audio`.
pub fn read_otio(text: &str, kind: &str) -> Result<Vec<OtioClip>, InterchangeError> {
    let root: Value = serde_json::from_str(text)?;
    if root["OTIO_SCHEMA"] != "Timeline.1" {
        return Err(InterchangeError::Otio("a timeline"));
    }
    let tracks = root["tracks"]["children"].as_array().ok_or(InterchangeError::Otio("tracks"))?;
    let found = tracks.iter().find(|t| t["kind"] == kind).ok_or(InterchangeError::Otio("a track of the kind"))?;
    let clips = found["children"].as_array().ok_or(InterchangeError::Otio("clips"))?;
    clips
        .iter()
        .map(|c| {
            let source = &c["source_range"];
            let black = c["OTIO_SCHEMA"] == "Gap.1";
            let number = |v: &Value, what| v.as_f64().ok_or(InterchangeError::Otio(what));
            let url = &c["media_references"]["DEFAULT_MEDIA"]["target_url"];
            let (start, lasts) = (&source["start_time"], &source["duration"]);
            Ok(OtioClip {
                name: c["name"].as_str().ok_or(InterchangeError::Otio("a clip's name"))?.to_owned(),
                url: match url.as_str() {
                    Some(url) => url.to_owned(),
                    None if black => String::new(),
                    None => return Err(InterchangeError::Otio("a clip's file")),
                },
                black,
                lasts: number(&lasts["value"], "a duration")? / number(&lasts["rate"], "a rate")?.max(1e-9),
                source_start: number(&start["value"], "a start")?,
                source_rate: number(&start["rate"], "a rate")?,
                speed: c["effects"][0]["time_scalar"].as_f64().unwrap_or(1.0),
            })
        })
        .collect()
}
