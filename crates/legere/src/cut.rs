//! The main job without a page: a folder and a track in, a rough cut with its lists out. For scripts; nothing is kept but what
//! is written.

mod verdicts;

use crate::read::absolute;
use chrono::{DateTime, Utc};
use clap::Args;
use futures::StreamExt;
use legere_app::handoff::{file_url, reel_for};
use legere_app::short_name;
use legere_common::{MainError, privileges};
use legere_core::arrange::{Arrangement, Arranger, Candidate, Judged, Measured, propose_version, slots, slots_under};
use legere_core::clip::ClipProbe;
use legere_core::draft::{Draft, Shot};
use legere_core::footage::{ClipReading, EnergyTrace, FrameSignature, ReadingSummary, similar_takes, usual_in_job};
use legere_core::id::{ClipId, SelectId, ShotIds};
use legere_core::interchange::{CutList, Event, Music, SourceFile, write_csv, write_edl, write_otio};
use legere_core::time::FrameRate;
use legere_core::track::{Span, Version};
use legere_media::bring::{Kind, search};
use legere_media::sound::ReadTrack;
use legere_media::{MediaError, light, sound};
use serde::Serialize;
use std::collections::HashMap;
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::UNIX_EPOCH;
use verdicts::{Verdict, Verdicts};

/// How many clips are read at the same time.
const AT_ONCE: usize = 2;

/// What is cut from what.
#[derive(Debug, Args)]
pub struct CutOptions {
    /// Where the clips are, in it and below.
    folder: PathBuf,
    /// The music.
    track: PathBuf,
    /// How long the piece is to be.
    #[arg(long)]
    seconds: f64,
    /// Where draft.json, draft.otio, draft.edl and draft.csv are written.
    #[arg(long, value_name = "FOLDER")]
    out: PathBuf,
    /// Frames a second of the piece.
    #[arg(long, default_value = "25")]
    rate: FrameRate,
    /// Verdicts: a head line, then lines of name and tier, or of name, tier, in, out and hit in seconds.
    #[arg(long, value_name = "FILE.csv")]
    verdicts: Option<PathBuf>,
    /// Another one gives another cut.
    #[arg(long, default_value_t = 1)]
    seed: u64,
}

/// A clip that was read.
struct Read {
    /// Below the folder.
    path: String,
    probe: ClipProbe,
    reading: ClipReading,
    recorded: DateTime<Utc>,
}

/// A select, and the clip that it is of.
struct Select {
    clip: usize,
    candidate: Candidate,
}

pub fn cut(options: &CutOptions) -> Result<(), MainError> {
    if !(1.0..=7200.0).contains(&options.seconds) {
        return Err(MainError::CutLength);
    }
    // Opened as who called, written to as the ordinary user that reads the footage.
    let files = Files::open(&options.out)?;
    privileges::drop_for_file(&options.track)?;
    let verdicts = options.verdicts.as_deref().map(Verdicts::read).transpose()?.unwrap_or_default();
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build().map_err(MediaError::Io)?;
    let (track, clips) = runtime.block_on(async {
        eprintln!("reading {}", options.track.display());
        let track = sound::read(&absolute(&options.track)).await?;
        Ok::<_, MainError>((track, read_all(&absolute(&options.folder)).await))
    })?;
    let selects = selects(&clips, &verdicts)?;
    let version = propose_version(&track.reading, Some(options.seconds), track.probe.duration)?;
    let music = version.reading(&track.reading);
    let places = slots(&music, options.rate, &[], options.seed);
    let candidates = || selects.iter().map(|s| &s.candidate);
    let laid = Arranger::new(candidates(), places, options.rate, &[])?
        .solve(&mut ShotIds::seeded(u128::from(options.seed)), options.seed)?;
    let under = Arranger::over(candidates(), slots_under(&laid.draft, &music), options.rate);
    let cut = Cut { options, clips: &clips, selects: &selects, laid: &laid, under: &under };
    cut.write(&files, &track, &version)?;
    for missing in &laid.missing {
        let (at, seconds) = (options.rate.seconds_at(missing.at), options.rate.seconds_of(missing.len));
        eprintln!("black from {:.1} s for {:.1} s: nothing that is left is long enough", at.to_f64(), seconds.to_f64());
    }
    eprintln!("{} shots in {}", laid.draft.shots().len(), options.out.display());
    Ok(())
}

/// The files that are written.
struct Files {
    draft: (PathBuf, File),
    otio: (PathBuf, File),
    edl: (PathBuf, File),
    csv: (PathBuf, File),
}

impl Files {
    /// What is in them stays until something is written.
    fn open(folder: &Path) -> Result<Self, MainError> {
        let failed = |place: &Path| {
            let place = place.to_path_buf();
            move |source| MainError::CutOut { place, source }
        };
        std::fs::create_dir_all(folder).map_err(failed(folder))?;
        let open = |name: &str| {
            let place = folder.join(name);
            let file = File::options().write(true).create(true).truncate(false).open(&place).map_err(failed(&place))?;
            Ok::<_, MainError>((place, file))
        };
        Ok(Self {
            draft: open("draft.json")?,
            otio: open("draft.otio")?,
            edl: open("draft.edl")?,
            csv: open("draft.csv")?,
        })
    }
}

fn write((place, file): &(PathBuf, File), text: &str) -> Result<(), MainError> {
    let mut file = file;
    let written = file.set_len(0).and_then(|()| file.write_all(text.as_bytes()));
    written.map_err(|source| MainError::CutOut { place: place.clone(), source })
}

fn file_name(path: impl AsRef<Path>) -> String {
    path.as_ref().file_name().unwrap_or_default().to_string_lossy().into_owned()
}

/// All clips below a folder in the order in which they were recorded; what cannot be read is named and left out.
async fn read_all(folder: &Path) -> Vec<Read> {
    let found: Vec<_> = search(folder).into_iter().filter(|f| f.kind == Kind::Clip).collect();
    let all = found.len();
    let read = futures::stream::iter(found.into_iter().enumerate())
        .map(|(n, file)| async move {
            let path = file.path.to_string_lossy().into_owned();
            match light::read(&folder.join(&file.path)).await {
                Ok((probe, reading)) => {
                    eprintln!("{} of {all}: {path}", n + 1);
                    let recorded = probe.recorded_at.or(file.modified).unwrap_or(DateTime::<Utc>::from(UNIX_EPOCH));
                    Some(Read { path, probe, reading, recorded })
                }
                Err(error) => {
                    eprintln!("{} of {all}: {path} is left out: {error}", n + 1);
                    None
                }
            }
        })
        .buffered(AT_ONCE);
    let mut clips: Vec<Read> = read.filter_map(std::future::ready).collect().await;
    clips.sort_by(|a, b| (a.recorded, &a.path).cmp(&(b.recorded, &b.path)));
    clips
}

/// What can be laid: what the verdicts name, and of every other clip its usable stretch, unread.
fn selects(clips: &[Read], verdicts: &Verdicts) -> Result<Vec<Select>, MainError> {
    let summaries: Vec<ReadingSummary> = clips.iter().map(|c| ReadingSummary::of(&c.reading)).collect();
    let usual = usual_in_job(summaries.iter().map(|s| s.sharpness));
    let signatures: Vec<&[FrameSignature]> = clips.iter().map(|c| c.reading.signatures.as_slice()).collect();
    let set_ups: HashMap<usize, usize> = similar_takes(&signatures)
        .into_iter()
        .enumerate()
        .flat_map(|(group, takes)| takes.into_iter().map(move |clip| (clip, group)))
        .collect();
    let mut selects = Vec::new();
    for (n, (clip, summary)) in clips.iter().zip(&summaries).enumerate() {
        let faults = Arc::new(summary.faults_in_job(usual, clip.probe.duration.to_f64()));
        let trace = Arc::new(EnergyTrace::of(&clip.reading));
        let said = verdicts.of(&clip.path);
        let said = if said.is_empty() { vec![Verdict::default()] } else { said };
        for verdict in said {
            let Some(range) = verdict.range(clip.probe.duration, || clip.reading.first_range())? else { continue };
            let (start, end) = (range.start().to_f64(), range.end().to_f64());
            selects.push(Select {
                clip: n,
                candidate: Candidate {
                    select: SelectId::from_u128(selects.len() as u128 + 1),
                    clip: ClipId::from_u128(n as u128 + 1),
                    name: short_name(&file_name(&clip.path)),
                    range,
                    media: clip.probe.duration,
                    rate: clip.probe.steady_rate.unwrap_or(clip.probe.frame_rate),
                    tier: verdict.tier,
                    energy: trace.energy(start, end),
                    trace: trace.clone(),
                    faults: faults.clone(),
                    framing: None,
                    role: None,
                    movement: Some(clip.reading.movement(start, end)),
                    light: None,
                    measured: Measured { framing: summary.framing, light: summary.light },
                    set_up: set_ups.get(&n).copied(),
                    recorded: Some(clip.recorded.timestamp_millis() as f64 / 1000.0),
                },
            });
        }
    }
    Ok(selects)
}

/// What was laid, with all that it is written from.
struct Cut<'a> {
    options: &'a CutOptions,
    clips: &'a [Read],
    selects: &'a [Select],
    laid: &'a Arrangement,
    under: &'a Arranger<'a>,
}

#[derive(Serialize)]
struct DraftFile {
    rate: FrameRate,
    frames: u64,
    version: VersionLine,
    shots: Vec<ShotLine>,
    left_out: Vec<LeftOutLine>,
    total: f64,
    bound: f64,
}

#[derive(Serialize)]
struct VersionLine {
    spans: Vec<SpanLine>,
}

#[derive(Serialize)]
struct SpanLine {
    from: f64,
    to: f64,
}

/// Seconds of the clip and frames of the draft; energies on the music's scale.
#[derive(Serialize)]
struct ShotLine {
    clip: String,
    start: f64,
    end: f64,
    len: u64,
    speed: f64,
    tier: &'static str,
    alike: Option<String>,
    hit_at: Option<u64>,
    energy: f64,
    wanted: f64,
    why: Vec<String>,
}

#[derive(Serialize)]
struct LeftOutLine {
    clip: String,
    tier: &'static str,
    why: String,
}

impl Cut<'_> {
    fn select(&self, id: SelectId) -> &Select {
        // Selects are numbered from 1 in their order.
        &self.selects[id.uuid().as_u128() as usize - 1]
    }

    fn write(&self, files: &Files, track: &ReadTrack, version: &Version) -> Result<(), MainError> {
        let draft = &self.laid.draft;
        let judged = self.under.judge(draft);
        let list = self.list(draft, &judged, track, version);
        write(&files.draft, &serde_json::to_string_pretty(&self.draft_file(draft, &judged, version))?)?;
        write(&files.otio, &write_otio(&list))?;
        write(&files.edl, &write_edl(&list))?;
        write(&files.csv, &write_csv(&list)?)
    }

    fn draft_file(&self, draft: &Draft, judged: &[Judged], version: &Version) -> DraftFile {
        let shot = |(shot, judged): (&Shot, &Judged)| {
            let select = self.select(shot.source.select);
            let (start, end) = shot.range(self.options.rate);
            ShotLine {
                clip: self.clips[select.clip].path.clone(),
                start: start.to_f64(),
                end: end.to_f64(),
                len: shot.len.get(),
                speed: shot.source.speed.to_f64(),
                tier: select.candidate.tier.word(),
                alike: select.candidate.set_up.map(|set_up| format!("set-up {}", set_up + 1)),
                hit_at: shot.hit_at,
                energy: judged.level,
                wanted: judged.wanted,
                why: judged.why.iter().map(|reason| reason.words.clone()).collect(),
            }
        };
        let left_out = self.under.left_out(draft).into_iter().map(|left| {
            let select = self.select(left.select);
            let clip = self.clips[select.clip].path.clone();
            LeftOutLine { clip, tier: select.candidate.tier.word(), why: left.why }
        });
        let span = |s: &Span| SpanLine { from: s.start.to_f64(), to: s.end.to_f64() };
        DraftFile {
            rate: self.options.rate,
            frames: draft.len().get(),
            version: VersionLine { spans: version.spans().iter().map(span).collect() },
            shots: draft.shots().iter().zip(judged).map(shot).collect(),
            left_out: left_out.collect(),
            total: self.laid.total,
            bound: self.laid.bound,
        }
    }

    fn list(&self, draft: &Draft, judged: &[Judged], track: &ReadTrack, version: &Version) -> CutList {
        let mut reels = Vec::new();
        let event = |(shot, judged): (&Shot, &Judged)| {
            let select = self.select(shot.source.select);
            let clip = &self.clips[select.clip];
            let name = file_name(&clip.path);
            let file = SourceFile {
                url: file_url(&absolute(&self.options.folder.join(&clip.path)).to_string_lossy()),
                reel: reel_for(&mut reels, shot.source.clip, &name),
                name,
            };
            Event {
                energy: judged.energy,
                tier: select.candidate.tier.word().to_owned(),
                why: judged.why.iter().map(|reason| reason.words.clone()).collect(),
                ..Event::of(shot, file, &clip.probe)
            }
        };
        let url = file_url(&absolute(&self.options.track).to_string_lossy());
        CutList {
            title: format!("{}, {}", file_name(absolute(&self.options.folder)), file_name(&self.options.track)),
            rate: self.options.rate,
            events: draft.shots().iter().zip(judged).map(event).collect(),
            music: vec![Music::of(file_name(&self.options.track), url, version, Some(&track.probe))],
            markers: Vec::new(),
        }
    }
}
