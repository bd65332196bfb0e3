//! Handing off: files for the next person, each checked after it was written.

use super::Desk;
use super::arranging::OpenDraft;
use crate::error::WebError;
use legere_core::interchange::{
    CutList, Event, Marker, Music, read_csv, read_edl, read_otio, reel_name, write_csv, write_edl, write_otio,
};
use legere_core::time::Seconds;
use legere_media::MediaError;
use legere_media::probe::ClipProbe;
use legere_media::render::{self, Purpose};
use legere_store::handoffs::Handoff;
use std::collections::HashMap;
use std::path::Path;
use uuid::Uuid;

/// What can be made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    Mp4,
    Otio,
    Edl,
    Csv,
}

impl Kind {
    pub const ALL: [Self; 4] = [Self::Mp4, Self::Otio, Self::Edl, Self::Csv];

    pub fn word(self) -> &'static str {
        match self {
            Self::Mp4 => "mp4",
            Self::Otio => "otio",
            Self::Edl => "edl",
            Self::Csv => "csv",
        }
    }

    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|k| k.word() == word)
    }

    pub fn title(self) -> &'static str {
        match self {
            Self::Mp4 => "Film to show around (MP4)",
            Self::Otio => "Timeline (OpenTimelineIO)",
            Self::Edl => "Edit decision list (CMX 3600)",
            Self::Csv => "Shot list (CSV)",
        }
    }

    pub fn inside(self) -> &'static str {
        match self {
            Self::Mp4 => "H.264 and AAC at the job's size and rate, rendered from the originals",
            Self::Otio => "every shot with its source, timecode, speed, tags and reasons; the music and its cues",
            Self::Edl => "one video event per shot, source timecodes, clip names",
            Self::Csv => "for people and spreadsheets: times, clips, tiers, tags, notes",
        }
    }
}

impl Desk {
    /// Asks for a file of a draft as it is now.
    pub async fn ask_handoff(&self, draft: Uuid, kind: Kind) -> Result<Uuid, WebError> {
        let open = self.open_draft(draft).await?;
        let name = format!("{}, draft {}.{}", plain(&open.job.name), open.kept.number, kind.word());
        let request = serde_json::json!({ "draft": draft });
        let id = self.store.add_handoff(open.job.id, kind.word(), &name, request).await?;
        self.store.enqueue(&[legere_store::queue::Work::Handoff(id)]).await?;
        Ok(id)
    }

    pub(super) async fn make_handoff(&self, id: Uuid) -> Result<(), WebError> {
        let handoff = self.store.handoff(id).await?;
        if matches!(handoff.state.as_str(), "ready" | "failed") {
            return Ok(());
        }
        let file = format!("file.{}", handoff.kind);
        match self.written(&handoff, &self.shelf.handoff(&id.to_string()).join(&file)).await {
            Ok(report) => self.store.handoff_ended(&handoff, Some(&file), &report).await?,
            Err(error) => {
                tracing::error!(?error, "a hand-off failed");
                let words = match &error {
                    told if told.speaks() => told.to_string(),
                    _ => "it could not be made; the log says why".to_owned(),
                };
                self.store.handoff_ended(&handoff, None, &words).await?;
            }
        }
        Ok(())
    }

    /// Writes the file and checks it; gives what the check found.
    async fn written(&self, handoff: &Handoff, to: &Path) -> Result<String, WebError> {
        let draft = handoff.request["draft"].as_str().and_then(|d| d.parse().ok()).ok_or(WebError::NotFound)?;
        let kind = Kind::from_word(&handoff.kind).ok_or(WebError::NotFound)?;
        let open = self.open_draft(draft).await?;
        if kind == Kind::Mp4 {
            return self.written_mp4(handoff, &open, to).await;
        }
        self.store.handoff_progress(handoff, 0, 1).await?;
        let cut = self.cut_list(&open).await?;
        let text = match kind {
            Kind::Otio => write_otio(&cut),
            Kind::Edl => write_edl(&cut),
            Kind::Csv | Kind::Mp4 => write_csv(&cut)?,
        };
        if let Some(folder) = to.parent() {
            tokio::fs::create_dir_all(folder).await.map_err(MediaError::from)?;
        }
        tokio::fs::write(to, &text).await.map_err(MediaError::from)?;
        let back = tokio::fs::read_to_string(to).await.map_err(MediaError::from)?;
        let lens: Vec<u64> = match kind {
            Kind::Otio => read_otio(&back)?.iter().map(|c| c.len).collect(),
            Kind::Edl => read_edl(&back, cut.rate)?.iter().map(|e| e.record.1 - e.record.0).collect(),
            Kind::Csv | Kind::Mp4 => read_csv(&back)?.iter().map(|r| r.frames).collect(),
        };
        let meant: Vec<u64> = cut.events.iter().map(|e| e.len.0).collect();
        if lens != meant {
            return Err(MediaError::WrongResult("read back, it has other shots than the draft".into()).into());
        }
        Ok(format!("read back: {} shots, {} frames, as in the draft", lens.len(), lens.iter().sum::<u64>()))
    }

    async fn written_mp4(&self, handoff: &Handoff, open: &OpenDraft, to: &Path) -> Result<String, WebError> {
        let job = self.render_job(open, Purpose::HandOff).await?;
        let total = job.pieces.len();
        let (sender, mut steps) = tokio::sync::mpsc::unbounded_channel();
        let telling = {
            let (store, handoff) = (self.store.clone(), handoff.clone());
            tokio::spawn(async move {
                while let Some(done) = steps.recv().await {
                    let _ = store.handoff_progress(&handoff, done, total).await;
                }
            })
        };
        let rendered = render::render(&job, &self.shelf, to, |done| {
            let _ = sender.send(done);
        })
        .await;
        drop(sender);
        let _ = telling.await;
        rendered?;
        let found = render::verify(to).await?;
        let wanted = job.frames().0;
        if (found.frames, found.width, found.height, found.rate) != (wanted, job.width, job.height, job.rate) {
            return Err(MediaError::WrongResult(format!(
                "{} frames at {}×{}, {} a second, where {wanted} at {}×{} were asked for",
                found.frames, found.width, found.height, found.rate, job.width, job.height
            ))
            .into());
        }
        if !found.has_sound {
            return Err(MediaError::WrongResult("the music is missing".into()).into());
        }
        let seconds = job.rate.seconds_of(job.frames()).to_f64();
        Ok(format!("checked: {wanted} frames, {}×{}, {:.3} s, with music", job.width, job.height, seconds))
    }

    /// A draft in the terms of the interchange formats.
    pub async fn cut_list(&self, open: &OpenDraft) -> Result<CutList, WebError> {
        let clips: HashMap<_, _> = self.store.clips(open.job.id).await?.into_iter().map(|c| (c.id, c)).collect();
        let selects: HashMap<_, _> =
            self.store.selects(open.job.id).await?.into_iter().map(|s| (s.id, s.verdict)).collect();
        let track = self.store.track(open.kept.body.track).await?;
        let mut reels: Vec<(Uuid, String)> = Vec::new();
        let mut events = Vec::new();
        for shot in open.cut().shots() {
            let clip = clips.get(&shot.source.clip).ok_or(WebError::NotFound)?;
            let probe: ClipProbe =
                clip.probe.clone().and_then(|p| serde_json::from_value(p).ok()).ok_or(WebError::NotFound)?;
            let verdict = selects.get(&shot.source.select);
            events.push(Event {
                clip: clip.name.clone(),
                url: clip.path.split('/').map(escaped).collect::<Vec<_>>().join("/"),
                reel: reel_for(&mut reels, clip.id, &clip.name),
                clip_rate: probe.frame_rate,
                clip_start: probe.timecode.unwrap_or(Seconds::ZERO),
                clip_duration: probe.duration,
                source_in: shot.source.start,
                speed: shot.source.speed.to_f64(),
                len: shot.len,
                energy: shot.energy,
                tier: verdict.map_or("unread", |v| v.tier.word()).to_owned(),
                tags: verdict.map(|v| v.tags.iter().map(|t| t.word().to_owned()).collect()).unwrap_or_default(),
                note: verdict.map(|v| v.note.clone()).unwrap_or_default(),
                why: shot.why.clone(),
            });
        }
        let version = &open.kept.body.version;
        let track_duration = track.reading.as_ref().map_or(version.end(), |r| Seconds::from_measured(r.duration));
        let frame = |at: f64| open.job.rate.nearest(Seconds::from_measured(at)).0.max(0) as u64;
        Ok(CutList {
            title: format!("{}, draft {}", open.job.name, open.kept.number),
            rate: open.job.rate,
            events,
            music: Some(Music {
                name: track.name.clone(),
                url: track.path.split('/').map(escaped).collect::<Vec<_>>().join("/"),
                spans: version.spans().iter().map(|s| (s.start, s.end - s.start)).collect(),
                speed: 1.0 / version.factor(),
                track_duration,
            }),
            markers: open
                .music
                .cues
                .iter()
                .map(|c| Marker { frame: frame(c.at), name: c.kind.word().to_owned() })
                .collect(),
        })
    }
}

/// One reel name per clip: its own letters, with a number where two would be alike.
fn reel_for(reels: &mut Vec<(Uuid, String)>, clip: Uuid, name: &str) -> String {
    if let Some((_, reel)) = reels.iter().find(|(id, _)| *id == clip) {
        return reel.clone();
    }
    let base = reel_name(&super::arranging::short_name(name));
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
fn escaped(part: &str) -> String {
    part.bytes()
        .map(|b| match b {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'-' | b'.' | b'_' | b'~' => char::from(b).to_string(),
            other => format!("%{other:02X}"),
        })
        .collect()
}

/// A name that any disk takes.
fn plain(name: &str) -> String {
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
        let ids: Vec<Uuid> = (0..3).map(Uuid::from_u128).collect();
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
