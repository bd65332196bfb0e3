//! Marks by hand, and versions of the chosen music.

use super::Desk;
use crate::error::WebError;
use legere_core::time::Seconds;
use legere_core::track::marks::Edit;
use legere_core::track::retarget::{Proposal, Seam, instead, moved, must_stay, propose};
use legere_core::track::{CueKind, Fade, Span, TrackReading, Version};
use legere_media::version::{self, Form};
use legere_store::journal::Put;
use legere_store::tracks::Track;
use serde::Deserialize;
use std::path::PathBuf;

/// How many versions are offered for a wanted length.
const OFFERED: usize = 5;
/// Offered in the place of a seam.
const OTHER_SEAMS: usize = 6;

/// How a track is to be used. What is left out stays as it is.
#[derive(Debug, Deserialize)]
pub struct Wanted {
    /// Starts and ends in the track, in seconds.
    spans: Option<Vec<(f64, f64)>>,
    /// How many times as long as at its own tempo.
    stretch: Option<f64>,
    fade_in: Option<Fade>,
    fade_out: Option<Fade>,
    /// Hundredths of a decibel.
    level: Option<i32>,
}

/// What must stay in a shorter version.
#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Keep {
    /// The strongest drop.
    Drop,
    Nothing,
    /// The section around this second.
    Section(f64),
    /// The bars around a cue.
    Cue(f64, CueKind),
}

impl Desk {
    pub async fn mark(&self, track: &Track, edit: &Edit) -> Result<(), WebError> {
        let measured = track.measured.as_ref().ok_or(WebError::Refused("this track has not been read"))?;
        let marks = track.marks.edited(measured, edit)?;
        Ok(self.store.edit(track.job, edit.label(), &[Put::Marks(track.id, marks)]).await?)
    }

    /// Versions of about `seconds`, and how long the way there took nobody needs to know: the search runs apart.
    pub async fn offered(&self, track: &Track, seconds: f64, keep: Keep) -> Result<Vec<Proposal>, WebError> {
        let reading = read(track)?;
        if !(3.0..=3600.0).contains(&seconds) {
            return Err(WebError::Refused("a version can be three seconds to an hour long"));
        }
        apart(move || {
            let kept = kept(&reading, keep);
            propose(&reading, seconds, kept, OFFERED)
        })
        .await
    }

    /// A seam moved by some beats.
    pub async fn moved_seam(&self, track: &Track, seam: Seam, beats: i32) -> Result<Seam, WebError> {
        let reading = read(track)?;
        let next = apart(move || moved(&reading, seam, beats)).await?;
        next.ok_or(WebError::Refused("there is no beat to move the seam to"))
    }

    /// Other seams in the place of one.
    pub async fn other_seams(&self, track: &Track, seam: Seam) -> Result<Vec<Seam>, WebError> {
        let reading = read(track)?;
        apart(move || instead(&reading, seam, OTHER_SEAMS)).await
    }

    /// Uses a track in another way.
    pub async fn use_track(&self, track: &Track, wanted: &Wanted) -> Result<(), WebError> {
        let reading = read(track)?;
        let length = Seconds::from_measured(reading.duration);
        let at = |t: f64| {
            // The last microsecond of a track is where its reading ends.
            let t = Seconds::from_measured(t);
            if t > length && (t - length).to_f64() < 0.02 { length } else { t }
        };
        let old = track.part.clone();
        let spans = match (&wanted.spans, &old) {
            (Some(list), _) => list.iter().map(|(a, b)| Span { start: at(*a), end: at(*b) }).collect(),
            (None, Some(old)) => old.spans().to_vec(),
            (None, None) => vec![Span { start: Seconds::ZERO, end: length }],
        };
        if spans.is_empty() {
            return Err(WebError::Refused("a version needs at least one part of the track"));
        }
        let mut next = Version::of_spans(spans, length)?;
        let (stretch, level, fade_in, fade_out) =
            old.map_or((1.0, 0, Fade::default(), Fade::default()), |o| (o.factor(), o.level(), o.fade_in, o.fade_out));
        next = next.stretched(wanted.stretch.unwrap_or(stretch))?;
        next = next.faded(wanted.fade_in.unwrap_or(fade_in), wanted.fade_out.unwrap_or(fade_out))?;
        next = next.levelled(wanted.level.unwrap_or(level))?;
        Ok(self.store.edit(track.job, "choose the part", &[Put::Part(track.id, next)]).await?)
    }

    /// The file of a track's version, written when it is not there.
    pub async fn version_file(&self, track: &Track, form: Form) -> Result<PathBuf, WebError> {
        let version = track.part.as_ref().ok_or(WebError::Refused("this track has not been read"))?;
        let original = match form {
            // What is taken along comes from the original, at its own quality.
            Form::Wav => self.roots.resolve(&track.root, &track.path)?,
            Form::Flac | Form::Aac => self.shelf.track(&track.id.to_string()).join("light.flac"),
        };
        let name = version::name(&format!("{} {}", track.id, track.bytes), version, form);
        let file = self.shelf.music().join(name);
        if !file.exists() {
            let work = self.shelf.work().map_err(legere_media::MediaError::from)?;
            let temporary = work.path().join("version");
            version::write(&original, version, form, version::samples(version), &temporary).await?;
            tokio::fs::rename(&temporary, &file).await.map_err(legere_media::MediaError::from)?;
        }
        Ok(file)
    }
}

fn read(track: &Track) -> Result<TrackReading, WebError> {
    track.reading.clone().ok_or(WebError::Refused("this track has not been read"))
}

async fn apart<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, WebError> {
    tokio::task::spawn_blocking(work).await.map_err(|_| WebError::Refused("no version could be worked out"))
}

fn kept(reading: &TrackReading, keep: Keep) -> Option<(f64, f64)> {
    match keep {
        Keep::Nothing => None,
        Keep::Drop => must_stay(reading),
        Keep::Section(at) => reading.sections.iter().find(|s| at >= s.start && at < s.end).map(|s| (s.start, s.end)),
        Keep::Cue(at, kind) => {
            let cue = reading.cues.iter().find(|c| c.kind == kind && (c.at - at).abs() < 0.1)?;
            let bar = 4.0 * 60.0 / reading.tempo_bpm.max(30.0);
            Some(((cue.at - bar).max(0.0), (cue.at + bar).min(reading.duration)))
        }
    }
}
