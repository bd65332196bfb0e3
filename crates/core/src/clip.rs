//! What files say of themselves.

use crate::time::{FrameRate, Seconds, Timecode};
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};

/// A video file. Width and height are as displayed, after rotation.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(from = "RawClipProbe")]
pub struct ClipProbe {
    /// As far as the file says.
    pub duration: Seconds,
    /// Of its frames as they were recorded.
    pub frame_rate: FrameRate,
    /// The file says that its frames do not come evenly.
    pub variable_rate: bool,
    /// In pixels.
    pub width: u32,
    /// In pixels.
    pub height: u32,
    /// Degrees clockwise.
    pub rotation: u32,
    /// Whether there is a sound track.
    pub has_sound: bool,
    /// The name of the picture’s coding.
    pub codec: String,
    /// What the camera wrote, if it did.
    pub recorded_at: Option<DateTime<Utc>>,
    /// Of the first frame, in the clip's own count.
    pub timecode: Option<Timecode>,
    /// What recorded it, where the file says so.
    pub camera: Option<String>,
    /// Where frames come unevenly: the rate at which nearly all of them still come; slower than that none is shown twice.
    pub steady_rate: Option<FrameRate>,
    /// What the file says of its rate, where that is an odd figure beside a usual one.
    pub declared_rate: Option<FrameRate>,
    /// How much wider than high its pixels are, where they are not square; width and height are as displayed.
    pub pixel_shape: Option<f64>,
    /// A picture, shown for as long as a person wants.
    pub picture: bool,
}

impl ClipProbe {
    /// How many times it can be slowed in a job of a rate and still show each of its frames no longer than once.
    pub fn headroom_in(&self, rate: FrameRate) -> f64 {
        self.steady_rate.unwrap_or(self.frame_rate).headroom_in(rate)
    }
}

#[derive(Deserialize)]
struct RawClipProbe {
    duration: Seconds,
    frame_rate: FrameRate,
    variable_rate: bool,
    width: u32,
    height: u32,
    rotation: u32,
    has_sound: bool,
    codec: String,
    recorded_at: Option<DateTime<Utc>>,
    timecode: Option<RawTimecode>,
    #[serde(default)]
    camera: Option<String>,
    #[serde(default)]
    steady_rate: Option<FrameRate>,
    #[serde(default, alias = "told_rate")]
    declared_rate: Option<FrameRate>,
    #[serde(default)]
    pixel_shape: Option<f64>,
    #[serde(default)]
    picture: bool,
}

/// Earlier versions kept the timecode as seconds since midnight.
#[derive(Deserialize)]
#[serde(untagged)]
enum RawTimecode {
    Frames(Timecode),
    Seconds(Seconds),
}

impl From<RawClipProbe> for ClipProbe {
    fn from(raw: RawClipProbe) -> Self {
        let timecode = raw.timecode.map(|t| match t {
            RawTimecode::Frames(timecode) => timecode,
            RawTimecode::Seconds(at) => {
                Timecode { frames: u64::try_from(raw.frame_rate.nearest(at).get()).unwrap_or(0), drop: false }
            }
        });
        Self {
            duration: raw.duration,
            frame_rate: raw.frame_rate,
            variable_rate: raw.variable_rate,
            width: raw.width,
            height: raw.height,
            rotation: raw.rotation,
            has_sound: raw.has_sound,
            codec: raw.codec,
            recorded_at: raw.recorded_at,
            timecode,
            camera: raw.camera,
            steady_rate: raw.steady_rate,
            declared_rate: raw.declared_rate,
            pixel_shape: raw.pixel_shape,
            picture: raw.picture,
        }
    }
}

/// A sound file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct SoundProbe {
    /// As far as the file says.
    pub duration: Seconds,
    /// How many.
    pub channels: u32,
    /// In hertz.
    pub sample_rate: u32,
    /// As the file says.
    pub title: Option<String>,
    /// As the file says.
    pub artist: Option<String>,
    /// As the file or a person says.
    pub genre: Option<String>,
    /// As the file or a person says.
    #[serde(default)]
    pub mood: Option<String>,
    /// As the file or a person says.
    #[serde(default)]
    pub theme: Option<String>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_timecode_that_was_kept_in_seconds_becomes_frames() {
        let text = r#"{"duration":"8/1","frame_rate":"25/1","variable_rate":false,"width":1920,"height":1080,
            "rotation":0,"has_sound":true,"codec":"h264","recorded_at":null,"timecode":"34499/1"}"#;
        let probe: ClipProbe = serde_json::from_str(text).expect("reads");
        assert_eq!(probe.timecode, Some(Timecode { frames: 34_499 * 25, drop: false }));
        let again: ClipProbe = serde_json::from_value(serde_json::to_value(&probe).expect("json")).expect("reads");
        assert_eq!(again, probe);
    }
}
