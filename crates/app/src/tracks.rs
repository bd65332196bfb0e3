//! Marks by hand, and versions of the chosen music.

use super::Tracks;
use super::recent::Recent;
use crate::blocking::run_blocking;
use crate::error::AppError;
use legere_core::id::{JobId, TrackId};
use legere_core::time::Seconds;
use legere_core::track::marks::Edit;
use legere_core::track::retarget::{Proposal, Seam, instead, moved, must_stay, propose};
use legere_core::track::{CueKind, Fade, Span, TrackReading, Version};
use legere_media::version::{self, Form};
use legere_media::{MediaError, permits, shelf};
use legere_store::jobs::Job;
use legere_store::journal::{By, Revision};
use legere_store::tracks::{Track, TrackMetadata};
use serde::Deserialize;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};

/// How many versions are offered for a wanted length.
const OFFERED: usize = 5;
/// Offered in the place of a seam.
const OTHER_SEAMS: usize = 6;
/// What a person says of a track in one word of it.
const LONGEST_WORD: usize = 200;

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

impl Wanted {
    /// The version of a track of a length, from how it is used now.
    fn over(&self, old: Option<&Version>, length: Seconds) -> Result<Version, AppError> {
        let at = |t: f64| {
            // The last microsecond of a track is where its reading ends.
            let t = Seconds::from_measured(t);
            if t > length && (t - length).to_f64() < 0.02 { length } else { t }
        };
        let spans = match (&self.spans, old) {
            (Some(list), _) => list.iter().map(|(a, b)| Span { start: at(*a), end: at(*b) }).collect(),
            (None, Some(old)) => old.spans().to_vec(),
            (None, None) => vec![Span { start: Seconds::ZERO, end: length }],
        };
        if spans.is_empty() {
            return Err(AppError::Refused("a version needs at least one part of the track"));
        }
        let mut next = Version::of_spans(spans, length)?;
        let (stretch, level, fade_in, fade_out) =
            old.map_or((1.0, 0, Fade::default(), Fade::default()), |o| (o.factor(), o.level(), o.fade_in, o.fade_out));
        next = next.stretched(self.stretch.unwrap_or(stretch))?;
        next = next.faded(self.fade_in.unwrap_or(fade_in), self.fade_out.unwrap_or(fade_out))?;
        Ok(next.levelled(self.level.unwrap_or(level))?)
    }
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

/// Which music lies under a draft: another one whenever one of these is another.
#[derive(Debug, Clone, PartialEq)]
pub struct MusicKey {
    track: TrackId,
    reading: i32,
    revision: Revision,
    version: Version,
}

impl MusicKey {
    pub fn of(track: &Track, version: &Version) -> Self {
        Self { track: track.id, reading: track.version, revision: track.revision, version: version.clone() }
    }
}

/// What a track's reading is in memory: measured, and with the marks of a person over it.
#[derive(Debug, Clone)]
pub struct ReadTrack {
    pub measured: Arc<TrackReading>,
    pub seen: Arc<TrackReading>,
}

/// Readings of the tracks that were looked at last, and of the versions under drafts.
#[derive(Debug, Clone, Default)]
pub struct Cache {
    tracks: Recent<TrackId, (i32, Revision), ReadTrack>,
    versions: Recent<MusicKey, (), Arc<TrackReading>>,
}

/// Versions that are being written: whoever wants the same one waits for it instead of writing it again.
#[derive(Debug, Clone, Default)]
pub struct Making(Arc<Mutex<HashMap<String, Arc<tokio::sync::Mutex<()>>>>>);

impl Making {
    fn turn(&self, name: &str) -> Arc<tokio::sync::Mutex<()>> {
        let mut turns = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        turns.retain(|_, turn| Arc::strong_count(turn) > 1);
        turns.entry(name.to_owned()).or_default().clone()
    }
}

impl Tracks<'_> {
    /// The reading of a track; none until it is read.
    pub async fn reading(self, track: &Track) -> Result<Option<ReadTrack>, AppError> {
        let state = (track.version, track.revision);
        if let Some(read) = self.app.music.tracks.get(&track.id, &state) {
            return Ok(Some(read));
        }
        let Some(measured) = self.app.store.tracks().measured(track.id).await? else { return Ok(None) };
        let marks = track.marks.clone();
        let read = run_blocking(move || {
            let seen = Arc::new(marks.over(&measured));
            ReadTrack { measured: Arc::new(measured), seen }
        })
        .await?;
        self.app.music.tracks.put(track.id, state, read.clone());
        Ok(Some(read))
    }

    async fn needed(self, track: &Track) -> Result<ReadTrack, AppError> {
        self.reading(track).await?.ok_or(AppError::Refused("this track has not been read"))
    }

    /// What a version of a track is like, in its own time.
    pub async fn music(self, track: &Track, version: &Version) -> Result<Arc<TrackReading>, AppError> {
        let key = MusicKey::of(track, version);
        if let Some(music) = self.app.music.versions.get(&key, &()) {
            return Ok(music);
        }
        let seen = self.needed(track).await?.seen;
        let version = version.clone();
        let music = Arc::new(run_blocking(move || version.reading(&seen)).await?);
        self.app.music.versions.put(key, (), music.clone());
        Ok(music)
    }

    /// The chosen track with its part, when it can be used.
    pub async fn chosen(self, job: &Job) -> Result<Option<(Track, Version)>, AppError> {
        let Some(id) = job.chosen_track else { return Ok(None) };
        let track = self.app.store.tracks().get(id).await?;
        let part = track.part.clone().filter(|_| track.summary.is_some() && !track.hidden);
        Ok(part.map(|part| (track, part)))
    }

    pub async fn choose(self, job: JobId, by: By, base: Option<Revision>, track: &Track) -> Result<(), AppError> {
        if track.summary.is_none() {
            return Err(AppError::Refused("this track has not been read"));
        }
        let id = track.id;
        let edit = |job: Job| Ok::<_, AppError>(Job { chosen_track: Some(id), ..job });
        self.app.store.edit(job, by, job, base, "choose the track", edit).await?;
        Ok(())
    }

    pub async fn describe(
        self,
        by: By,
        base: Option<Revision>,
        track: &Track,
        said: &TrackMetadata,
    ) -> Result<(), AppError> {
        let edit = |mut track: Track| {
            let next = &mut track.about;
            for (slot, said) in [
                (&mut next.title, &said.title),
                (&mut next.maker, &said.maker),
                (&mut next.mood, &said.mood),
                (&mut next.theme, &said.theme),
                (&mut next.genre, &said.genre),
            ] {
                if let Some(text) = said {
                    *slot = Some(crate::text::plain(text, LONGEST_WORD));
                }
            }
            // A track without a title would have nothing to be called by; the file's own comes back.
            next.title = next.title.take().filter(|t| !t.is_empty());
            Ok::<_, AppError>(track)
        };
        self.app.store.edit(track.job, by, track.id, base, "describe a track", edit).await?;
        Ok(())
    }

    pub async fn mark(self, by: By, base: Option<Revision>, track: &Track, edit: Edit) -> Result<Track, AppError> {
        // What is marked is looked at inside the job's lock; what was measured does not change by it.
        let measured = self.needed(track).await?.measured;
        let mut under_way = self.app.store.begin_edit(track.job, by).await?;
        let present: Track = under_way.load(track.id).await?;
        let (marks, label) = (present.marks.clone(), edit.label());
        let marks = run_blocking(move || marks.edited(&measured, &edit)).await??;
        under_way.put(&present, &Track { marks, ..present.clone() }, base).await?;
        under_way.commit(label, None).await?;
        Ok(self.app.store.tracks().get(track.id).await?)
    }

    /// Versions of about `seconds`, and how long the way there took nobody needs to know: the search runs apart.
    pub async fn offered(self, track: &Track, seconds: f64, keep: Keep) -> Result<Vec<Proposal>, AppError> {
        let reading = self.needed(track).await?.seen;
        if !(3.0..=3600.0).contains(&seconds) {
            return Err(AppError::Refused("a version can be three seconds to an hour long"));
        }
        run_blocking(move || {
            let kept = kept(&reading, keep);
            propose(&reading, seconds, kept, OFFERED)
        })
        .await
    }

    /// A seam moved by some beats.
    pub async fn moved_seam(self, track: &Track, seam: Seam, beats: i32) -> Result<Seam, AppError> {
        let reading = self.needed(track).await?.seen;
        let next = run_blocking(move || moved(&reading, seam, beats)).await?;
        next.ok_or(AppError::Refused("there is no beat to move the seam to"))
    }

    /// Other seams in the place of one.
    pub async fn other_seams(self, track: &Track, seam: Seam) -> Result<Vec<Seam>, AppError> {
        let reading = self.needed(track).await?.seen;
        run_blocking(move || instead(&reading, seam, OTHER_SEAMS)).await
    }

    /// Uses a track in another way.
    pub async fn use_version(
        self,
        by: By,
        base: Option<Revision>,
        track: &Track,
        wanted: &Wanted,
    ) -> Result<Track, AppError> {
        let length = Seconds::from_measured(self.needed(track).await?.measured.duration);
        let edit = |track: Track| {
            let part = Some(wanted.over(track.part.as_ref(), length)?);
            Ok::<_, AppError>(Track { part, ..track })
        };
        self.app.store.edit(track.job, by, track.id, base, "choose the part", edit).await
    }

    /// How loud a track's version is, in LUFS.
    pub async fn version_loudness(self, track: &Track) -> Result<Option<f64>, AppError> {
        let Some(part) = track.part.as_ref().filter(|_| track.summary.is_some()) else { return Ok(None) };
        Ok(Some(self.music(track, part).await?.loudness))
    }

    /// The file of a track's version, written when it is not there.
    pub async fn version_file(self, track: &Track, form: Form) -> Result<PathBuf, AppError> {
        let version = track.part.as_ref().ok_or(AppError::Refused("this track has not been read"))?;
        self.file_of(track, version, form).await
    }

    /// The file of parts of a track as they would be heard at its own tempo, without using them.
    pub async fn offered_file(self, track: &Track, spans: Vec<(f64, f64)>) -> Result<PathBuf, AppError> {
        let length = Seconds::from_measured(self.needed(track).await?.measured.duration);
        let wanted = Wanted { spans: Some(spans), stretch: None, fade_in: None, fade_out: None, level: None };
        self.file_of(track, &wanted.over(None, length)?, Form::Flac).await
    }

    /// The file of any version of a track, written when it is not there.
    pub async fn file_of(self, track: &Track, version: &Version, form: Form) -> Result<PathBuf, AppError> {
        let original = match form {
            // What is taken along comes from the original, at its own quality.
            Form::Wav => self.app.readings().original(&track.root, &track.path, &track.name)?,
            Form::Flac | Form::Aac => self.app.shelf.track(&track.id.to_string()).join("light.flac"),
        };
        let name = version::name(&content_of(track), version, form);
        let file = self.app.shelf.music().join(&name);
        let turn = self.app.versions.turn(&name);
        let _turn = turn.lock().await;
        if std::fs::metadata(&file).is_ok_and(|m| m.len() > 0) {
            shelf::touch(&file);
        } else {
            let _permit = permits::music().await;
            self.app.shelf.ensure_room()?;
            let work = self.app.shelf.work().map_err(MediaError::from)?;
            let temporary = work.path().join("version");
            version::write(&original, version, form, version::samples(version), &temporary).await?;
            shelf::publish_file(&temporary, &file).await?;
        }
        Ok(file)
    }
}

/// What a track's file is, for the names of what is made from it.
pub(super) fn content_of(track: &Track) -> String {
    match &track.digest {
        Some(digest) => digest.clone(),
        None => format!("{} {}", track.id, track.bytes),
    }
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
