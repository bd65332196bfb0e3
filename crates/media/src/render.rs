//! Previews and hand-offs: one piece per shot, cached by what is in it, joined without encoding again.

use crate::MediaError;
use crate::guard::Guarded;
use crate::key::key_of;
use crate::permits;
use crate::shelf::{self, Shelf};
use crate::verify::verify_index;
use crate::version::{self, Form};
use legere_core::draft::Source;
use legere_core::time::{FrameLen, FramePos, FrameRate, Seconds};
use legere_core::track::Version;
use serde::Serialize;
use std::path::{Path, PathBuf};

/// Raised whenever the same shot would give another piece.
const PIECE_VERSION: u32 = 4;

/// What a piece is made for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub enum Purpose {
    /// From light copies, fast, for watching in the browser.
    Preview,
    /// From the originals, for giving away.
    HandOff,
}

/// A shot as the renderer sees it.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    /// The light copy or the original.
    pub file: PathBuf,
    /// Changes when the file does.
    pub content: String,
    pub clip_rate: FrameRate,
    pub start: Seconds,
    /// Numerator and denominator.
    pub speed: (i64, i64),
    pub len: FrameLen,
}

impl Piece {
    /// Of what a shot shows; `content` changes when the file does.
    pub fn of(file: PathBuf, content: String, clip_rate: FrameRate, source: &Source, len: FrameLen) -> Self {
        let speed = source.speed.ratio();
        Self { file, content, clip_rate, start: source.start, speed: (*speed.numer(), *speed.denom()), len }
    }
}

/// The music of a piece.
#[derive(Debug, Clone, PartialEq)]
pub struct MusicPart {
    pub file: PathBuf,
    pub content: String,
    pub version: Version,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    pub rate: FrameRate,
    pub width: u32,
    pub height: u32,
    pub purpose: Purpose,
    pub pieces: Vec<Piece>,
    pub music: Option<MusicPart>,
}

impl Job {
    pub fn frames(&self) -> FrameLen {
        self.pieces.iter().map(|p| p.len).sum()
    }

    /// A name for the whole, the same for the same content.
    pub fn key(&self) -> String {
        let pieces: Vec<String> = self.pieces.iter().map(|piece| self.piece_key(piece)).collect();
        key_of(&(pieces, self.music.as_ref().map(|music| self.music_key(music))))
    }

    fn piece_key(&self, p: &Piece) -> String {
        let size = (self.width, self.height);
        key_of(&(PIECE_VERSION, &p.content, self.rate, size, p.start, p.speed, self.purpose, p.clip_rate, p.len))
    }

    fn music_key(&self, m: &MusicPart) -> String {
        key_of(&(PIECE_VERSION, &m.content, &m.version, self.rate, self.frames()))
    }
}

/// Renders what is missing and joins all of it into `to`. `progress` gets the number of pieces that are ready.
pub async fn render(
    job: &Job,
    shelf: &Shelf,
    to: &Path,
    mut progress: impl FnMut(usize) + Send,
) -> Result<(), MediaError> {
    let mut tasks = tokio::task::JoinSet::new();
    let mut files = Vec::new();
    for piece in &job.pieces {
        let file = shelf.pieces().join(format!("{}.mp4", job.piece_key(piece)));
        files.push(file.clone());
        if std::fs::metadata(&file).is_ok_and(|m| m.len() > 0) {
            shelf::touch(&file);
            continue;
        }
        shelf.ensure_room()?;
        let (command, frames, work) = (piece_command(job, piece), piece.len.get(), shelf.work()?);
        tasks.spawn(async move {
            let _permit = permits::render().await;
            let temporary = work.path().join("piece.mp4");
            command.output(&temporary).run().await?;
            let found = verify_index(&temporary).await?;
            if found.frames != frames {
                let words = format!("a piece has {} frames where {frames} were asked for", found.frames);
                return Err(MediaError::WrongResult(words));
            }
            shelf::publish_file(&temporary, &file).await
        });
    }
    let mut ready = job.pieces.len() - tasks.len();
    progress(ready);
    while let Some(done) = tasks.join_next().await {
        done.map_err(MediaError::stopped)??;
        ready += 1;
        progress(ready);
    }
    let music = match &job.music {
        Some(music) => Some(music_file(job, music, shelf).await?),
        None => None,
    };
    join(job.rate, &files, music.as_deref(), shelf, to).await
}

fn piece_command(job: &Job, piece: &Piece) -> Guarded {
    let (w, h) = (job.width, job.height);
    // A quarter of a frame before the wanted one: neither the seek nor the rounding that follows shows its neighbour.
    let first = piece.clip_rate.nearest(piece.start);
    let seek =
        (piece.clip_rate.seconds_at(FramePos::new(first.get())).to_f64() - 0.25 / piece.clip_rate.to_f64()).max(0.0);
    let (num, den) = piece.speed;
    // An output frame shows what the clip shows at its beginning. Times are in microseconds by then; a few of them early,
    // so that a frame that begins exactly there is not taken for a later one.
    let filters = format!(
        "fps={clip},settb=1/1000000,setpts=(PTS-STARTPTS)*{den}/{num}-20,fps={rate}:start_time=0:round=up,\
         tpad=stop_mode=clone:stop_duration=1,\
         scale={w}:{h}:force_original_aspect_ratio=increase:flags=bicubic:out_color_matrix=bt709:out_range=limited,\
         crop={w}:{h},setsar=1,format=yuv420p",
        clip = piece.clip_rate,
        rate = job.rate,
    );
    let quality: &[&str] = match job.purpose {
        Purpose::Preview => &["-preset", "ultrafast", "-crf", "24", "-g", "12", "-bf", "0"],
        Purpose::HandOff => &["-preset", "veryfast", "-crf", "18", "-g", "48", "-bf", "0"],
    };
    let command = if seek > 0.0 { Guarded::ffmpeg().args(["-ss", &format!("{seek:.6}")]) } else { Guarded::ffmpeg() };
    command
        .input(&piece.file)
        .args([
            "-map",
            "0:v:0",
            "-vf",
            &filters,
            "-r",
            &job.rate.to_string(),
            "-frames:v",
            &piece.len.get().to_string(),
        ])
        .args(["-c:v", "libx264"])
        .args(quality.iter().copied())
        // ITU-R BT.709 in limited range, and said so: what is not said is guessed, and guessed otherwise elsewhere.
        .args(["-color_primaries", "bt709", "-color_trc", "bt709", "-colorspace", "bt709", "-color_range", "tv"])
        .args([
            "-video_track_timescale",
            &timescale(job.rate).to_string(),
            "-map_metadata",
            "-1",
            "-fflags",
            "+bitexact",
        ])
        .args(["-an", "-f", "mp4"])
}

/// Ticks a second in which a frame is a whole number of ticks.
fn timescale(rate: FrameRate) -> u32 {
    rate.num() * (12_000 / rate.num().min(12_000)).max(1)
}

/// The part of the music under the pictures, exactly as long as they are.
async fn music_file(job: &Job, music: &MusicPart, shelf: &Shelf) -> Result<PathBuf, MediaError> {
    let file = shelf.music().join(format!("{}.m4a", job.music_key(music)));
    if std::fs::metadata(&file).is_ok_and(|m| m.len() > 0) {
        shelf::touch(&file);
        return Ok(file);
    }
    let work = shelf.work()?;
    let temporary = work.path().join("music.m4a");
    let seconds = job.rate.seconds_of(job.frames()).to_f64();
    let length = (seconds * f64::from(version::RATE)).round() as u64;
    version::write(&music.file, &music.version, Form::Aac, length, &temporary).await?;
    shelf::publish_file(&temporary, &file).await?;
    Ok(file)
}

async fn join(
    rate: FrameRate,
    files: &[PathBuf],
    music: Option<&Path>,
    shelf: &Shelf,
    to: &Path,
) -> Result<(), MediaError> {
    let work = shelf.work()?;
    let list = work.path().join("list.txt");
    // The names are hashes of our own making, the folder is the shelf: quotes in it are escaped all the same.
    let lines: String =
        files.iter().map(|f| format!("file '{}'\n", f.display().to_string().replace('\'', r"'\''"))).collect();
    tokio::fs::write(&list, lines).await?;
    let temporary = work.path().join("joined.mp4");
    let mut command = Guarded::ffmpeg().own_list(&list);
    command = match music {
        Some(music) => command.input(music).args(["-map", "0:v:0", "-map", "1:a:0"]),
        None => command.args(["-map", "0:v:0"]),
    };
    // Joining goes by the rounded lengths of the pieces; counting the frames instead keeps every step exact. There are no
    // B-frames, so the order of decoding is the order of showing.
    let ticks = timescale(rate) / rate.num() * rate.den();
    let exact = format!("setts=ts=N*{ticks}:duration={ticks}");
    let scale = timescale(rate).to_string();
    command
        .args(["-c", "copy", "-bsf:v", &exact, "-movie_timescale", &scale, "-video_track_timescale", &scale])
        .args(["-movflags", "+faststart", "-f", "mp4"])
        .output(&temporary)
        .run()
        .await?;
    if let Some(parent) = to.parent() {
        tokio::fs::create_dir_all(parent).await?;
    }
    shelf::publish_file(&temporary, to).await
}
