//! Handing off: files for the next person, each checked after it was written.
//!
//! What was asked for is a draft as it was then: the request holds the cut, the music, the names and the identities of the
//! files, so that neither an edit nor a replaced file changes what is made.

use super::cancel::while_wanted;
use super::drafts::OpenDraft;
use super::passages::OpenPassage;
use super::{Handoffs, short_name};
use crate::error::AppError;
use legere_core::draft::Draft;
use legere_core::id::{ClipId, HandoffId};
use legere_core::interchange::{
    BLACK_REEL, Channel, CutList, Event, Marker, MarkerKind, Music, OtioClip, Seen, SourceFile, Stretch, read_csv,
    read_edl, read_otio, reel_name, write_csv, write_edl, write_otio,
};
use legere_core::time::{FrameLen, FrameRate, Seconds};
use legere_core::track::Version;
use legere_media::bring::is_picture;
use legere_media::piece::{Format, Piece, Purpose};
use legere_media::render::{self, MusicPart};
use legere_media::{MediaError, identity};
use legere_store::StoreError;
use legere_store::handoffs::{Handoff, HandoffKind, HandoffState};
use legere_store::queue::{Outcome, Work};
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// What a kind of file is called, and what is inside.
pub fn described(kind: HandoffKind) -> (&'static str, &'static str) {
    match kind {
        HandoffKind::Mp4 => (
            "Film to show around (MP4)",
            "H.264 and AAC at the job's size and rate, in BT.709, rendered from the originals",
        ),
        HandoffKind::Otio => (
            "Timeline (OpenTimelineIO)",
            "every shot with its file, timecode, speed, tags and reasons; the music; beats, bars, sections, cues and notes as markers",
        ),
        HandoffKind::Edl => (
            "Edit decision list (CMX 3600)",
            "a video event per shot with the clip's own timecode, the music as audio events, clip names and speeds",
        ),
        HandoffKind::Csv => ("Shot list (CSV)", "for people and spreadsheets: times, clips, tiers, tags, notes"),
    }
}

/// Everything that a file is made from.
#[derive(Debug, Serialize, Deserialize)]
struct Request {
    list: CutList,
    width: u32,
    height: u32,
    cut: Draft,
    clips: BTreeMap<ClipId, Original>,
    music: Vec<Heard>,
}

/// A passage of the music.
#[derive(Debug, Serialize, Deserialize)]
struct Heard {
    of: Original,
    version: Version,
    /// None for the last one.
    ends: Option<FrameLen>,
}

/// A file of the editor's, as it was.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Original {
    root: String,
    path: String,
    name: String,
    /// None for a clip's rate where it is music.
    rate: Option<FrameRate>,
    digest: Option<String>,
}

impl Handoffs<'_> {
    /// Asks for a file of a draft as it is now.
    pub async fn ask(self, open: &OpenDraft, kind: HandoffKind) -> Result<HandoffId, AppError> {
        let request = self.request(open).await?;
        let name = format!("{}, {}.{}", plain(&open.job.name), plain(&open.kept.title()), kind.word());
        let json = serde_json::to_value(&request).map_err(AppError::stopped)?;
        let id = self.app.store.handoffs().add(open.job.id, kind, &name, json).await?;
        self.app.store.queue().enqueue(&[Work::Handoff(id)]).await?;
        Ok(id)
    }

    /// Asks again for what failed or was cancelled, as it was asked for then.
    pub async fn ask_again(self, handoff: &Handoff) -> Result<(), AppError> {
        self.app.store.handoffs().again(handoff).await?;
        Ok(self.app.store.queue().enqueue(&[Work::Handoff(handoff.id)]).await?)
    }

    async fn request(self, open: &OpenDraft) -> Result<Request, AppError> {
        let mut clips = BTreeMap::new();
        for shot in open.cut().shots() {
            let (clip, probe) = open.clip_of(shot)?;
            clips.insert(
                clip.id,
                Original {
                    root: clip.root.clone(),
                    path: clip.path.clone(),
                    name: clip.name.clone(),
                    rate: Some(probe.frame_rate),
                    digest: clip.digest.clone(),
                },
            );
        }
        let music = open.passages.iter().map(|p| Heard {
            of: Original {
                root: p.track.root.clone(),
                path: p.track.path.clone(),
                name: p.track.name.clone(),
                rate: None,
                digest: p.track.digest.clone(),
            },
            version: p.heard.clone(),
            ends: p.ends,
        });
        Ok(Request {
            list: self.cut_list(open).await?,
            width: open.job.width,
            height: open.job.height,
            cut: open.cut().clone(),
            clips,
            music: music.collect(),
        })
    }

    pub(super) async fn make(self, id: HandoffId) -> Result<Outcome, StoreError> {
        let handoff = self.app.store.handoffs().get(id).await?;
        if matches!(handoff.state, HandoffState::Ready | HandoffState::Failed | HandoffState::Cancelled) {
            return Ok(Outcome::Done);
        }
        let file = format!("file.{}", handoff.kind.word());
        let to = self.app.shelf.handoff(&id.to_string()).join(&file);
        let wanted = async || self.app.store.handoffs().is_wanted(id).await;
        let Some(written) = while_wanted(self.written(&handoff, &to), wanted).await else {
            // Should it have been asked for again just now, it is made all the same.
            return Ok(Outcome::Later);
        };
        match written {
            Ok(report) => self.app.store.handoffs().ended(&handoff, Some(&file), &report).await?,
            Err(AppError::Store(
                error @ (StoreError::Database(_) | StoreError::Sqlx(_) | StoreError::DiskFull | StoreError::Away),
            )) => return Err(error),
            Err(AppError::Media(MediaError::DiskFull)) => {
                self.app.store.handoffs().wait(&handoff, &MediaError::DiskFull.to_string()).await?;
                return Ok(Outcome::Later);
            }
            Err(AppError::Media(MediaError::Interrupted)) => return Ok(Outcome::Failed),
            Err(error) => {
                tracing::error!(?error, "a hand-off failed");
                let words = if error.is_for_editor() {
                    error.to_string()
                } else {
                    "it could not be made; the log says why".to_owned()
                };
                self.app.store.handoffs().ended(&handoff, None, &words).await?;
            }
        }
        Ok(Outcome::Done)
    }

    /// Writes the file and checks it; gives what the check found.
    async fn written(self, handoff: &Handoff, to: &Path) -> Result<String, AppError> {
        let request: Request = serde_json::from_value(handoff.request.clone())
            .inspect_err(|error| tracing::warn!(%error, "a hand-off's request cannot be read"))
            .map_err(|_old| AppError::Refused("it was asked for by an earlier version of Legere: ask for it again"))?;
        if handoff.kind == HandoffKind::Mp4 {
            return self.written_mp4(handoff, &request, to).await;
        }
        self.app.store.handoffs().progress(handoff, 0, 1).await?;
        let cut = &request.list;
        let text = match handoff.kind {
            HandoffKind::Otio => write_otio(cut),
            HandoffKind::Edl => write_edl(cut),
            HandoffKind::Csv | HandoffKind::Mp4 => write_csv(cut)?,
        };
        let work = self.app.shelf.work().map_err(MediaError::from)?;
        let beside = work.path().join("list");
        tokio::fs::write(&beside, &text).await.map_err(MediaError::from)?;
        let back = tokio::fs::read_to_string(&beside).await.map_err(MediaError::from)?;
        read_back(cut, handoff.kind, &back)?;
        legere_media::shelf::publish_file(&beside, to).await?;
        Ok(report(cut, handoff.kind))
    }

    async fn written_mp4(self, handoff: &Handoff, request: &Request, to: &Path) -> Result<String, AppError> {
        let mut pieces = Vec::new();
        for shot in request.cut.shots() {
            let original = request.clips.get(&shot.source.clip).ok_or(AppError::ClipOut)?;
            let file = self.unchanged_original(original).await?;
            // A picture is rendered from the standing clip that was made of it.
            let still = self.app.shelf.still(&shot.source.clip.to_string());
            let file = if is_picture(&original.name) { still } else { file };
            let rate = original.rate.ok_or(AppError::NotFound)?;
            let content = original.digest.clone().unwrap_or_else(|| shot.source.clip.to_string());
            pieces.push(Piece::of(file, content, rate, shot, request.cut.rate()));
        }
        let mut music = Vec::new();
        for heard in &request.music {
            music.push(MusicPart {
                file: self.unchanged_original(&heard.of).await?,
                content: heard.of.digest.clone().unwrap_or_else(|| heard.of.path.clone()),
                version: heard.version.clone(),
                len: heard.ends,
            });
        }
        let job = render::Job {
            format: Format {
                rate: request.cut.rate(),
                width: request.width,
                height: request.height,
                purpose: Purpose::HandOff,
            },
            pieces,
            music,
        };
        let total = job.pieces.len();
        let (sender, mut steps) = tokio::sync::mpsc::unbounded_channel();
        let telling = {
            let (store, handoff) = (self.app.store.clone(), handoff.clone());
            tokio::spawn(async move {
                while let Some(done) = steps.recv().await {
                    let _ = store.handoffs().progress(&handoff, done, total).await;
                }
            })
        };
        let rendered = render::render(&job, &self.app.shelf, to, |done| {
            let _ = sender.send(done);
        })
        .await;
        drop(sender);
        let _ = telling.await;
        rendered?;
        let found = legere_media::verify::verify(to).await?;
        let (wanted, format) = (job.frames().get(), job.format);
        if (found.frames, found.width, found.height, found.rate) != (wanted, format.width, format.height, format.rate) {
            return Err(MediaError::WrongResult(format!(
                "{} frames at {}×{}, {} a second, where {wanted} at {}×{} were asked for",
                found.frames, found.width, found.height, found.rate, format.width, format.height
            ))
            .into());
        }
        if !found.has_sound {
            return Err(MediaError::WrongResult("the music is missing".into()).into());
        }
        if !found.is_rec709 {
            return Err(MediaError::WrongResult("it does not say that its colours are those of BT.709".into()).into());
        }
        let seconds = format.rate.seconds_of(job.frames()).to_f64();
        Ok(format!("checked: {wanted} frames, {}×{}, {:.3} s, with music", format.width, format.height, seconds))
    }

    /// The file that was meant, and no other that lies at its place by now.
    async fn unchanged_original(self, original: &Original) -> Result<PathBuf, AppError> {
        let file = self.app.readings().original(&original.root, &original.path, &original.name)?;
        if let Some(wanted) = &original.digest {
            let (looked, wanted) = (file.clone(), wanted.clone());
            let same = crate::blocking::run_blocking(move || identity::digest(&looked).map(|d| d == wanted)).await??;
            if !same {
                return Err(AppError::Replaced { name: original.name.clone() });
            }
        }
        Ok(file)
    }

    /// A draft in the terms of the interchange formats.
    pub async fn cut_list(self, open: &OpenDraft) -> Result<CutList, AppError> {
        let mut reels: Vec<(ClipId, String)> = Vec::new();
        let mut events = Vec::new();
        for (shot, judged) in open.cut().shots().iter().zip(&open.judged) {
            let (clip, probe) = open.clip_of(shot)?;
            let verdict = open.footage.selects().find(|s| s.id == shot.source.select).map(|s| &s.verdict);
            let file = SourceFile {
                name: clip.name.clone(),
                url: self.url(&clip.root, &clip.path),
                reel: reel_for(&mut reels, clip.id, &clip.name),
            };
            events.push(Event {
                energy: judged.energy,
                tier: verdict.map_or("unread", |v| v.tier.word()).to_owned(),
                tags: verdict.map(|v| v.tags.iter().map(|t| t.word().to_owned()).collect()).unwrap_or_default(),
                note: verdict.map(|v| v.note.clone()).unwrap_or_default(),
                why: judged.why.iter().map(|reason| reason.words.clone()).collect(),
                ..Event::of(shot, file, probe)
            });
        }
        Ok(CutList {
            title: format!("{}, {}", open.job.name, open.kept.title()),
            rate: open.job.rate,
            events,
            music: open.passages.iter().map(|p| self.music_in_list(p)).collect(),
            markers: self.markers(open).await?,
        })
    }

    fn music_in_list(self, passage: &OpenPassage) -> Music {
        let (track, version) = (&passage.track, &passage.heard);
        let url = self.url(&track.root, &track.path);
        Music { ends: passage.ends, ..Music::of(track.name.clone(), url, version, track.probe.as_ref()) }
    }

    async fn markers(self, open: &OpenDraft) -> Result<Vec<Marker>, AppError> {
        let total = open.cut().len().get();
        let frame = |at: f64| open.job.rate.nearest(Seconds::from_measured(at)).get().max(0) as u64;
        let mut markers: Vec<Marker> = Vec::new();
        markers.extend(open.music.beats.iter().map(|b| Marker {
            frame: frame(b.at),
            kind: if b.beat == 1 { MarkerKind::Bar } else { MarkerKind::Beat },
            name: if b.beat == 1 { format!("bar {}", b.bar) } else { format!("beat {}.{}", b.bar, b.beat) },
        }));
        markers.extend(open.music.sections.iter().map(|s| Marker {
            frame: frame(s.start),
            kind: MarkerKind::Section,
            name: s.kind.word().to_owned(),
        }));
        markers.extend(open.music.cues.iter().map(|c| Marker {
            frame: frame(c.at),
            kind: MarkerKind::Cue,
            name: c.kind.word().to_owned(),
        }));
        markers.extend(self.app.store.drafts().notes(open.kept.id).await?.into_iter().map(|n| Marker {
            frame: u64::try_from(n.frame).unwrap_or(0),
            kind: MarkerKind::Note,
            name: n.words,
        }));
        markers.retain(|m| m.frame < total.max(1) || m.kind == MarkerKind::Note);
        markers.sort_by_key(|m| m.frame);
        Ok(markers)
    }

    /// Where a file lies, as a URL that resolves on this machine (RFC 8089).
    fn url(self, root: &str, path: &str) -> String {
        let all = self.app.roots.all();
        let base = all.iter().find(|r| r.name == root);
        let full = base.map_or_else(
            || PathBuf::from(path),
            |r| {
                r.path
                    .canonicalize()
                    .unwrap_or_else(|_| std::path::absolute(&r.path).unwrap_or_else(|_| r.path.clone()))
                    .join(path)
            },
        );
        file_url(&full.to_string_lossy())
    }
}

/// A part of a shot as a list says it: how long it is, and in and out in its clip's timecode.
type Line = (u64, (String, String));

/// Compares what was written with what was meant, value by value.
fn read_back(cut: &CutList, kind: HandoffKind, text: &str) -> Result<(), AppError> {
    let wrong = |what: String| AppError::from(MediaError::WrongResult(format!("read back, {what}")));
    let black = || (String::new(), String::new());
    let parts: Vec<(&Event, Stretch)> =
        cut.events.iter().flat_map(|e| cut.stretches(e).into_iter().map(move |s| (e, s))).collect();
    let wanted: Vec<Line> = match kind {
        HandoffKind::Csv | HandoffKind::Mp4 => {
            cut.events.iter().map(|e| (e.len.get(), cut.source_timecodes(e))).collect()
        }
        HandoffKind::Edl | HandoffKind::Otio => {
            let reported = |(event, s): &(&Event, Stretch)| match s.seen {
                Seen::Black => (s.len.get(), black()),
                Seen::Clip | Seen::Held => {
                    (s.len.get(), (cut.source_timecode(event, s.first), cut.source_timecode(event, s.end)))
                }
            };
            parts.iter().map(reported).collect()
        }
    };
    let found: Vec<Line> = match kind {
        HandoffKind::Otio => {
            let clips = read_otio(text, "Video")?;
            if clips.len() != parts.len() {
                return Err(wrong(format!("it has {} parts instead of {}", clips.len(), parts.len())));
            }
            let of = |(clip, (event, stretch)): (OtioClip, &(&Event, Stretch))| {
                let frames = (clip.lasts * cut.rate.to_f64()).round() as u64;
                if clip.black {
                    return (frames, black());
                }
                // What passes meanwhile follows from the time effect.
                let first = (clip.source_start as u64).saturating_sub(event.clip_start.frames);
                let used = if clip.speed == stretch.speed { stretch.end - stretch.first } else { 0 };
                (frames, (cut.source_timecode(event, first), cut.source_timecode(event, first + used)))
            };
            clips.into_iter().zip(&parts).map(of).collect()
        }
        HandoffKind::Edl => read_edl(text, cut.rate)?
            .into_iter()
            .filter(|e| e.channel == Channel::Video)
            .map(|e| (e.record.1 - e.record.0, if e.reel == BLACK_REEL { black() } else { e.source }))
            .collect(),
        HandoffKind::Csv | HandoffKind::Mp4 => {
            read_csv(text)?.into_iter().map(|r| (r.frames, (r.source_in, r.source_out))).collect()
        }
    };
    if found.len() != wanted.len() {
        return Err(wrong(format!("it has {} parts instead of {}", found.len(), wanted.len())));
    }
    for (i, (found, wanted)) in found.into_iter().zip(wanted).enumerate() {
        if found != wanted {
            let (frames, (a, b)) = wanted;
            return Err(wrong(format!(
                "part {} is {} to {} for {} frames instead of {a} to {b} for {frames}",
                i + 1,
                found.1.0,
                found.1.1,
                found.0,
            )));
        }
    }
    Ok(())
}

/// What a list says of its own accuracy: how many shots, and what it cannot say.
fn report(cut: &CutList, kind: HandoffKind) -> String {
    let mut words = format!("read back: {} shots, {} frames, as in the draft", cut.events.len(), cut.len().get());
    if kind == HandoffKind::Csv {
        return words;
    }
    let parts: usize = cut.events.iter().map(|e| cut.stretches(e).len()).sum();
    if parts > cut.events.len() {
        words += &format!("; {parts} parts, since speeds change, frames are held or the pictures pause");
    }
    let unsaid: Vec<String> = (1..)
        .zip(&cut.events)
        .flat_map(|(i, e)| cut.unsaid(e).into_iter().map(move |what| format!("shot {i}: {what}")))
        .collect();
    if !unsaid.is_empty() {
        words += &format!("; this format cannot say: {}", unsaid.join("; "));
    }
    words
}

/// One reel name per clip: its own letters, with a number where two would be alike.
pub fn reel_for(reels: &mut Vec<(ClipId, String)>, clip: ClipId, name: &str) -> String {
    if let Some((_, reel)) = reels.iter().find(|(id, _)| *id == clip) {
        return reel.clone();
    }
    let base = reel_name(&short_name(name));
    let mut reel = base.clone();
    let mut n = 2;
    while reels.iter().any(|(_, r)| *r == reel) {
        let number = n.to_string();
        let kept: String = base.chars().take(8 - number.len()).collect();
        reel = format!("{kept}{number}");
        n += 1;
    }
    reels.push((clip, reel.clone()));
    reel
}

/// A name as part of a URL (RFC 3986).
/// All but the unreserved characters of RFC 3986.
const RESERVED: &AsciiSet = &NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~');

fn escaped(part: &str) -> String {
    utf8_percent_encode(part, RESERVED).to_string()
}

/// A path as a URL (RFC 8089).
pub fn file_url(path: &str) -> String {
    let parts: Vec<String> = path.split('/').map(escaped).collect();
    format!("file://{}", parts.join("/"))
}

/// A name that any disk takes.
pub fn plain(name: &str) -> String {
    let kept: String =
        name.chars().map(|c| if c.is_alphanumeric() || " -_.,&".contains(c) { c } else { '-' }).take(80).collect();
    kept.trim_start_matches('.').trim().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn reels_are_one_per_clip_and_fit_the_format() {
        let mut reels = Vec::new();
        let ids: Vec<ClipId> = (0..3).map(ClipId::from_u128).collect();
        assert_eq!(reel_for(&mut reels, ids[0], "HM1_C001_long.mp4"), "HM1C001L");
        assert_eq!(reel_for(&mut reels, ids[1], "HM1_C001_longer.mp4"), "HM1C0012");
        assert_eq!(reel_for(&mut reels, ids[0], "HM1_C001_long.mp4"), "HM1C001L");
        assert_eq!(reel_for(&mut reels, ids[2], "—.mp4"), "AX");
    }

    #[test]
    fn names_are_data() {
        assert_eq!(escaped("-a \"b\".mp4"), "-a%20%22b%22.mp4");
        assert_eq!(plain("../etc/<b>\"x\""), "-etc--b--x-");
    }
}
