//! What the page of music is drawn from.

use legere_app::short_name;
use legere_app::tracks::ReadTrack;

use legere_core::track::{Fade, Join, Texture, Trace, TrackReading};
use legere_store::tracks::Track;
use serde::Serialize;

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct TrackView {
    pub revision: i64,
    pub reading: Option<TrackReading>,
    pub metre: Option<u32>,
    pub version: Option<VersionView>,
    pub name: String,
    pub manual: Manual,
}

/// What of the marks is a person's.
#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct Manual {
    pub beats: bool,
    pub sections: bool,
    pub cues: bool,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct VersionView {
    /// LUFS.
    pub loudness: Option<f64>,
    /// Starts and ends in the track, in seconds.
    pub spans: Vec<(f64, f64)>,
    pub joins: Vec<Join>,
    /// Seconds.
    pub duration: f64,
    pub stretch: f64,
    pub fade_in: Fade,
    pub fade_out: Fade,
    /// Hundredths of a decibel.
    pub level: i32,
}

impl TrackView {
    pub fn of(track: &Track, read: Option<&ReadTrack>, loudness: Option<f64>) -> Self {
        let version = track.part.as_ref().map(|v| VersionView {
            loudness,
            spans: v.spans().iter().map(|s| (s.start.to_f64(), s.end.to_f64())).collect(),
            joins: v.joins(),
            duration: v.duration().to_f64(),
            stretch: v.factor(),
            fade_in: v.fade_in,
            fade_out: v.fade_out,
            level: v.level(),
        });
        // The page does not draw the texture, which is the larger half, nor the loudness along time.
        let reading = read.map(|r| {
            let seen = &*r.seen;
            let drawn = |t: &TrackReading| TrackReading {
                texture: Texture::default(),
                momentary: Trace::default(),
                ..t.clone()
            };
            drawn(seen)
        });
        Self {
            revision: track.revision,
            metre: reading.as_ref().map(TrackReading::metre),
            reading,
            version,
            name: title(track),
            manual: Manual {
                beats: track.marks.beats.is_some(),
                sections: track.marks.sections.is_some(),
                cues: track.marks.cues.is_some(),
            },
        }
    }
}

/// What a track is called.
pub fn title(track: &Track) -> String {
    track.about.over(track.probe.as_ref()).title.unwrap_or_else(|| short_name(&track.name))
}
