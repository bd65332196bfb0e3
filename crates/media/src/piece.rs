//! The pictures of one shot as a film of its own: the frames that its table names, in its order.
//!
//! One ffmpeg decodes and scales the part of the clip that is used, another one encodes; in between we hand over what the frame
//! table says, so a hold, a ramp, a way back and a plain cut are all the same thing. What goes forwards streams through; what
//! goes back is decoded stretch by stretch, so that no more than [`HELD_BYTES`] of it are held at once.

use crate::MediaError;
use crate::guard::{Guarded, finish};
use crate::key::key_of;
use crate::verify;
use legere_core::draft::{Between, Shot, Shown, frame_table};
use legere_core::time::{FrameLen, FramePos, FrameRate};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::path::{Path, PathBuf};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::process::{ChildStdin, ChildStdout};

/// Raised whenever the same shot would give another piece.
const PIECE_VERSION: u32 = 5;

/// How much of a clip that goes back is held in memory, in bytes of decoded frames.
const HELD_BYTES: usize = 192 << 20;

/// What a piece is made for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub enum Purpose {
    /// From light copies, fast, for watching in the browser.
    Preview,
    /// From the originals, for giving away.
    HandOff,
}

/// The film that pieces are for.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Format {
    pub rate: FrameRate,
    /// Both even.
    pub width: u32,
    pub height: u32,
    pub purpose: Purpose,
}

impl Format {
    /// Of one frame with chroma at half the size (4:2:0), 8 bits.
    fn bytes(&self) -> usize {
        let (w, h) = (self.width as usize, self.height as usize);
        w * h + 2 * (w.div_ceil(2) * h.div_ceil(2))
    }

    /// Ticks a second in which a frame is a whole number of ticks.
    pub fn timescale(&self) -> u32 {
        self.rate.num() * (12_000 / self.rate.num().min(12_000)).max(1)
    }
}

/// A shot as the renderer sees it.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    /// The light copy or the original.
    pub file: PathBuf,
    /// Changes when the file does.
    pub content: String,
    pub clip_rate: FrameRate,
    /// What is on the screen, frame by frame.
    pub table: Vec<Shown>,
    /// Whether frames in between are computed along the movement; otherwise they are mixed.
    pub computed: bool,
}

impl Piece {
    /// Of a shot; `content` changes when the file does.
    pub fn of(file: PathBuf, content: String, clip_rate: FrameRate, shot: &Shot, rate: FrameRate) -> Self {
        let computed = shot.source.between == Between::Computed;
        Self { file, content, clip_rate, table: frame_table(shot, rate, clip_rate), computed }
    }

    pub fn len(&self) -> FrameLen {
        FrameLen::new(self.table.len() as u64)
    }

    pub fn key(&self, format: &Format) -> String {
        key_of(&(PIECE_VERSION, &self.content, format, self.clip_rate, &self.table, self.computed))
    }

    /// How many frames are made of one where frames in between are computed: as few as their places ask for.
    fn finer(&self) -> u64 {
        let fits = |finer: &u64| self.table.iter().all(|s| (u64::from(s.toward) * finer).is_multiple_of(256));
        if self.computed { [1, 2, 4].into_iter().find(fits).unwrap_or(8) } else { 1 }
    }

    /// Renders it.
    pub async fn render(&self, format: &Format, to: &Path) -> Result<(), MediaError> {
        let mut encoder = encoding(format, self.len()).output(to).spawn_fed()?;
        let mut encoded = encoder.stdin.take().ok_or(MediaError::NotVideo)?;
        let handed = async move {
            for stretch in self.stretches(format) {
                self.hand_over(format, &self.table[stretch], &mut encoded).await?;
            }
            encoded.shutdown().await?;
            Ok::<_, MediaError>(())
        };
        // Both run at once: each waits for the other's pipe. What goes wrong while reading closes the encoder's.
        let (handed, written) = tokio::join!(handed, finish(encoder));
        handed?;
        written?;
        let (found, wanted) = (verify::index(to).await?.frames, self.len().get());
        if found == wanted {
            Ok(())
        } else {
            Err(MediaError::WrongResult(format!("a piece has {found} frames where {wanted} were asked for")))
        }
    }

    /// The parts of the table that are decoded one after the other: all of it where it goes forwards.
    fn stretches(&self, format: &Format) -> Vec<Range<usize>> {
        let all = self.table.len();
        if !goes_back(&self.table) {
            return std::iter::once(0..all).collect();
        }
        // A frame in between is made of two.
        let most = (HELD_BYTES / (2 * format.bytes()).max(1)).clamp(4, 1000);
        (0..all).step_by(most).map(|from| from..all.min(from + most)).collect()
    }

    /// Decodes what some entries of the table name, and hands it to the encoder.
    async fn hand_over(&self, format: &Format, table: &[Shown], encoded: &mut ChildStdin) -> Result<(), MediaError> {
        let black = black(format);
        let Some((first, count)) = used(table) else {
            for _ in table {
                encoded.write_all(&black).await?;
            }
            return Ok(());
        };
        let finer = self.finer();
        let mut decoder = self.decoding(format, first, count, finer).spawn()?;
        let decoded = decoder.stdout.take().ok_or(MediaError::NotVideo)?;
        // Which decoded frames an entry is made of.
        let needed = |shown: &Shown| {
            let (at, toward) = (shown.frame? - first, u64::from(shown.toward));
            let mixed = finer == 1 && toward > 0;
            let nearest = at * finer + if mixed { 0 } else { (toward * finer + 128) / 256 };
            Some((nearest, mixed))
        };
        let handed = async {
            let mut frames = if goes_back(table) {
                let wanted: BTreeSet<u64> =
                    table.iter().filter_map(needed).flat_map(|(k, mixed)| k..=k + u64::from(mixed)).collect();
                Frames::kept(decoded, format.bytes(), &wanted).await?
            } else {
                Frames::streaming(decoded, format.bytes())
            };
            let mut mix_of_two = vec![0; format.bytes()];
            for shown in table {
                match needed(shown) {
                    None => encoded.write_all(&black).await?,
                    Some((k, false)) => encoded.write_all(frames.get(k).await?).await?,
                    Some((k, true)) => {
                        mix_of_two.copy_from_slice(frames.get(k).await?);
                        mix(&mut mix_of_two, frames.get(k + 1).await?, shown.toward);
                        encoded.write_all(&mix_of_two).await?;
                    }
                }
            }
            frames.drain().await;
            Ok::<_, MediaError>(())
        };
        let (handed, read) = tokio::join!(handed, finish(decoder));
        read?;
        handed
    }

    fn decoding(&self, format: &Format, first: u64, count: u64, finer: u64) -> Guarded {
        let (w, h) = (format.width, format.height);
        let begins = self.clip_rate.seconds_at(FramePos::new(i64::try_from(first).unwrap_or(i64::MAX)));
        // A quarter of a frame before the wanted one: neither the seek nor the rounding that follows shows its neighbour.
        let seek = (begins.to_f64() - 0.25 / self.clip_rate.to_f64()).max(0.0);
        let mut filters = format!(
            "fps={clip},\
             scale={w}:{h}:force_original_aspect_ratio=increase:flags=bicubic:out_color_matrix=bt709:out_range=limited,\
             crop={w}:{h},setsar=1,format=yuv420p",
            clip = self.clip_rate,
        );
        if finer > 1 {
            let rate = FrameRate::new(self.clip_rate.num() * finer as u32, self.clip_rate.den());
            let rate = rate.unwrap_or(self.clip_rate);
            // A frame more at the end, for it to go towards.
            filters += &format!(
                ",tpad=stop_mode=clone:stop=2,minterpolate=fps={rate}:mi_mode=mci:mc_mode=aobmc:me_mode=bidir:vsbmc=1"
            );
        }
        let command =
            if seek > 0.0 { Guarded::ffmpeg().args(["-ss", &format!("{seek:.6}")]) } else { Guarded::ffmpeg() };
        command.input(&self.file).args(["-map", "0:v:0", "-vf", &filters, "-fps_mode", "passthrough"]).args([
            "-frames:v",
            &(count * finer).to_string(),
            "-f",
            "rawvideo",
            "pipe:1",
        ])
    }
}

fn encoding(format: &Format, len: FrameLen) -> Guarded {
    let quality: &[&str] = match format.purpose {
        Purpose::Preview => &["-preset", "ultrafast", "-crf", "24", "-g", "12", "-bf", "0"],
        Purpose::HandOff => &["-preset", "veryfast", "-crf", "18", "-g", "48", "-bf", "0"],
    };
    // ITU-R BT.709 in limited range, and said so: what is not said is guessed, and guessed otherwise elsewhere.
    let colours = ["-color_primaries", "bt709", "-color_trc", "bt709", "-colorspace", "bt709", "-color_range", "tv"];
    let size = format!("{}x{}", format.width, format.height);
    Guarded::ffmpeg()
        .args(["-f", "rawvideo", "-pix_fmt", "yuv420p", "-video_size", &size])
        .args(["-framerate", &format.rate.to_string()])
        .args(colours)
        .args(["-i", "pipe:0", "-frames:v", &len.get().to_string(), "-c:v", "libx264"])
        .args(quality.iter().copied())
        .args(colours)
        .args(["-video_track_timescale", &format.timescale().to_string(), "-map_metadata", "-1"])
        .args(["-fflags", "+bitexact", "-an", "-f", "mp4"])
}

/// Black in limited range: luma 16, no colour.
fn black(format: &Format) -> Vec<u8> {
    let luma = format.width as usize * format.height as usize;
    let mut frame = vec![128; format.bytes()];
    frame[..luma].fill(16);
    frame
}

/// Brings a frame `toward` 256ths on the way to another one.
fn mix(frame: &mut [u8], next: &[u8], toward: u8) {
    let share = i32::from(toward);
    for (a, b) in frame.iter_mut().zip(next) {
        let mixed = i32::from(*a) + ((i32::from(*b) - i32::from(*a)) * share + 128) / 256;
        *a = mixed.clamp(0, 255) as u8;
    }
}

/// The first frame of the clip that some entries need, and how many from there on; none where all are black.
fn used(table: &[Shown]) -> Option<(u64, u64)> {
    let frames = || table.iter().filter_map(|s| Some((s.frame?, s.toward)));
    let first = frames().map(|(k, _)| k).min()?;
    let last = frames().map(|(k, toward)| k + u64::from(toward > 0)).max()?;
    Some((first, last - first + 1))
}

fn goes_back(table: &[Shown]) -> bool {
    let mut last = 0;
    table.iter().filter_map(|s| s.frame).any(|k| std::mem::replace(&mut last, k) > k)
}

/// Decoded frames, by their number.
enum Frames {
    /// As they come; only the last two can be asked for.
    Streaming { pipe: ChildStdout, before: Vec<u8>, now: Vec<u8>, at: Option<u64>, ended: bool },
    /// Those that are needed, in memory, and the last one.
    Kept { frames: BTreeMap<u64, Vec<u8>>, last: Vec<u8> },
}

impl Frames {
    fn streaming(pipe: ChildStdout, bytes: usize) -> Self {
        Self::Streaming { pipe, before: vec![0; bytes], now: vec![0; bytes], at: None, ended: false }
    }

    /// Decodes all, and keeps the wanted ones.
    async fn kept(mut pipe: ChildStdout, bytes: usize, wanted: &BTreeSet<u64>) -> Result<Self, MediaError> {
        let (mut frames, mut last, mut at) = (BTreeMap::new(), vec![0; bytes], 0);
        while pipe.read_exact(&mut last).await.is_ok() {
            if wanted.contains(&at) {
                frames.insert(at, last.clone());
            }
            at += 1;
        }
        if at == 0 { Err(nothing_there()) } else { Ok(Self::Kept { frames, last }) }
    }

    /// A frame; where the clip has no more, its last one.
    async fn get(&mut self, wanted: u64) -> Result<&[u8], MediaError> {
        match self {
            Self::Streaming { pipe, before, now, at, ended } => {
                while !*ended && at.is_none_or(|at| at < wanted) {
                    std::mem::swap(before, now);
                    if pipe.read_exact(now).await.is_err() {
                        std::mem::swap(before, now);
                        *ended = true;
                    } else {
                        *at = Some(at.map_or(0, |at| at + 1));
                    }
                }
                let at = at.ok_or_else(nothing_there)?;
                Ok(if wanted < at { before } else { now })
            }
            Self::Kept { frames, last } => Ok(frames.get(&wanted).unwrap_or(last)),
        }
    }

    /// Takes what is left, so that the decoder ends by itself.
    async fn drain(self) {
        if let Self::Streaming { mut pipe, .. } = self {
            let _ = tokio::io::copy(&mut pipe, &mut tokio::io::sink()).await;
        }
    }
}

fn nothing_there() -> MediaError {
    MediaError::WrongResult("the clip has no frame where the shot begins".into())
}
