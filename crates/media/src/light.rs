//! One ffmpeg process per clip makes everything that Legere needs of it, decoding once: the light copy, the stills
//! sheet, the sound for the peaks and, through a pipe, the small frames for the reading.

use crate::guard::{Guarded, finish};
pub use crate::shelf::LIGHT_WIDTH;
use crate::shelf::{STILL, Work};
use crate::small::Small;
use crate::sound::{self, Peaks};
use crate::{MediaError, probe};
use legere_analysis::footage::ClipReader;
use legere_core::clip::ClipProbe;
use legere_core::footage::ClipReading;
use legere_core::time::{FrameRate, Seconds};
use nix::fcntl::{FcntlArg, fcntl};
use std::path::{Path, PathBuf};
use tokio::io::AsyncReadExt;

/// Stills on a sheet, beside each other.
pub const STILLS: u32 = 16;
pub const STILL_WIDTH: u32 = 256;
pub const STILL_HEIGHT: u32 = 144;
/// One still for each second of a clip, so that an hour can be looked through: no fewer than on its sheet, no more than this.
const MOST_STILLS: u32 = 600;
/// Stills beside each other where there are more than a sheet holds.
pub const STILLS_ACROSS: u32 = 20;
const SMALL_STILL: (u32, u32) = (160, 90);
/// Frames from one whole picture to the next. Short groups without B-frames: the frame under the mark is at most seven others away; longer
/// groups take less space and answer later.
pub const GROUP: u32 = 8;
/// What is heard, until its peaks are known.
const SOUND: &str = "sound.wav";
/// Rises when light copies, stills or peaks are made in another way, so that older ones are made again.
const DERIVATIVE_VERSION: u32 = 1;
/// Says in a clip's folder in which way its files were made.
const MADE: &str = "made.txt";
/// Readings use every second, fourth … frame of fast footage.
const READING_FPS: f64 = 31.0;
/// Frames waiting between the pipe and the reading.
const QUEUE: usize = 16;

/// How many stills there are of a clip of so many seconds. Up to [`STILLS`] they are those of `sheet.jpg`; more are in
/// `stills.jpg`, [`STILLS_ACROSS`] in a line.
pub fn stills_of(duration: f64) -> u32 {
    (duration.ceil().max(0.0) as u32).clamp(STILLS, MOST_STILLS)
}

/// What was learned of a clip while its light copy was made.
#[derive(Debug, Clone, PartialEq)]
pub struct Made {
    pub reading: ClipReading,
    pub peaks: Option<Peaks>,
    /// How long the pictures really last, when that is clearly less than the file says.
    pub cut_short: Option<Seconds>,
}

/// Makes `light.mp4` and `sheet.jpg`, and of longer clips `stills.jpg`, in `work`. The copy is `width` wide, or as wide
/// as the clip. `progress` gets the share done, 0–1.
pub async fn make(
    path: &Path,
    probe: &ClipProbe,
    work: &Work,
    width: u32,
    progress: impl FnMut(f64) + Send,
) -> Result<Made, MediaError> {
    let made = run(Some((work, width)), path, probe, progress).await?;
    check(work, &made.reading).await?;
    std::fs::write(work.path().join(MADE), made_by(width))?;
    Ok(made)
}

fn made_by(width: u32) -> String {
    format!("light copy {width} wide, way {DERIVATIVE_VERSION}\n")
}

/// Whether the files in a clip's folder are such as [`make`] would make of the same clip.
pub fn is_as_now(folder: &Path, width: u32) -> bool {
    std::fs::read_to_string(folder.join(MADE)).is_ok_and(|made| made == made_by(width))
}

/// Reads a clip again whose light copy stays as it is.
pub async fn again(path: &Path, probe: &ClipProbe, progress: impl FnMut(f64) + Send) -> Result<Made, MediaError> {
    run(None, path, probe, progress).await
}

/// The clip that a picture becomes: `still.mp4` in `work`, as large as the picture up to 3840 wide, standing still for as long
/// as the probe says.
pub async fn still(path: &Path, probe: &ClipProbe, work: &Work) -> Result<PathBuf, MediaError> {
    let to = work.path().join(STILL);
    let (seconds, rate) = (probe.duration.to_f64(), probe.frame_rate.to_string());
    Guarded::ffmpeg()
        .args(["-loop", "1", "-framerate", &rate])
        .picture(path)
        .args(["-t", &format!("{seconds:.6}"), "-vf", "scale='trunc(min(3840,iw)/2)*2':-2,setsar=1,format=yuv420p"])
        .args(["-c:v", "libx264", "-preset", "veryfast", "-crf", "14", "-g", "12", "-bf", "0", "-tune", "stillimage"])
        .args(["-map_metadata", "-1", "-movflags", "+faststart", "-f", "mp4"])
        .output(&to)
        .run()
        .await
        .map_err(|error| match error {
            MediaError::Failed { log } => {
                tracing::info!(%log, "a picture could not be decoded");
                MediaError::NotAPicture
            }
            other => other,
        })?;
    Ok(to)
}

/// Frames that a light copy may lack against what was read: the two are counted at different rates.
const FRAMES_ASTRAY: f64 = 2.0;

/// Whether what was written can be played for as long as what was read lasts.
async fn check(work: &Work, reading: &ClipReading) -> Result<(), MediaError> {
    let size = |name: &str| std::fs::metadata(work.path().join(name)).map_or(0, |m| m.len());
    if size("light.mp4") == 0 || size("sheet.jpg") == 0 {
        return Err(MediaError::NotVideo);
    }
    let found = crate::verify::index(&work.path().join("light.mp4")).await?;
    let slowest = (found.frames as f64 / found.lasts.max(1e-3)).min(READING_FPS);
    if found.lasts + FRAMES_ASTRAY / slowest + 0.1 < reading.duration {
        return Err(MediaError::WrongResult(format!(
            "the light copy lasts {:.2} s where {:.2} s were read",
            found.lasts, reading.duration
        )));
    }
    Ok(())
}

/// The reading alone, without leaving anything on the disk.
pub async fn read(path: &Path) -> Result<(ClipProbe, ClipReading), MediaError> {
    let probe = probe::clip(path).await?;
    let made = run(None, path, &probe, |_| ()).await?;
    Ok((probe, made.reading))
}

async fn run(
    work: Option<(&Work, u32)>,
    path: &Path,
    probe: &ClipProbe,
    mut progress: impl FnMut(f64) + Send,
) -> Result<Made, MediaError> {
    let width = work.map_or(LIGHT_WIDTH, |(_, width)| width);
    let light = light_size(probe.width, probe.height, width);
    let (small, small_rate) = (Small::of(light), reading_rate(probe.frame_rate));
    let work = work.map(|(work, _)| work);
    let mut child = command(work, path, probe, light, &small.filters(small_rate)).spawn()?;
    let mut pipe = child.stdout.take().ok_or(MediaError::NotVideo)?;
    // A frame at once, if the system allows it: each waking costs both sides.
    let room = i32::try_from(small.bytes()).unwrap_or(i32::MAX);
    if let Err(error) = fcntl(&pipe, FcntlArg::F_SETPIPE_SZ(room)) {
        tracing::debug!(%error, room, "the pipe stays small");
    }
    // ffmpeg's words are read while it runs: a full pipe would stop it.
    let ending = tokio::spawn(finish(child));

    let (sender, mut frames) = tokio::sync::mpsc::channel::<Vec<u8>>(QUEUE);
    let rate = small_rate.to_f64();
    let reader = tokio::task::spawn_blocking(move || -> Result<ClipReading, MediaError> {
        let (width, height) = small.size();
        let mut reader = ClipReader::new(width, height, rate);
        while let Some(frame) = frames.blocking_recv() {
            reader.push(&frame)?;
        }
        Ok(reader.finish()?)
    });
    let expected = (probe.duration.to_f64() * rate).max(1.0);
    let mut count = 0u64;
    let mut came = vec![0u8; small.bytes()];
    while pipe.read_exact(&mut came).await.is_ok() {
        count += 1;
        if sender.send(small.frame(&came)).await.is_err() {
            break;
        }
        if count.is_multiple_of(25) {
            progress((count as f64 / expected).min(1.0));
        }
    }
    drop((sender, pipe));
    let ended = ending.await.map_err(MediaError::stopped)?;
    let reading = reader.await.map_err(MediaError::stopped)?;
    match ended {
        Ok(_) => {}
        // ffmpeg ended on damaged data: what could be decoded before it broke is worth keeping.
        Err(MediaError::Failed { log }) if count > 0 => tracing::info!(%log, "a clip was decoded in part"),
        Err(MediaError::Failed { log }) => {
            tracing::info!(%log, "a clip could not be decoded");
            return Err(MediaError::NotVideo);
        }
        // Whatever else ended it says nothing about the file, and half a clip is none.
        Err(other) => return Err(other),
    }
    let reading = reading.inspect_err(|error| tracing::info!(%error, "a clip could not be read"));
    let reading = reading.map_err(|_logged| MediaError::NotVideo)?;
    let short = reading.duration + 0.5 < probe.duration.to_f64() * 0.95;
    let peaks = match work {
        Some(work) if probe.has_sound => sound::peaks_of_wav(&work.path().join(SOUND)).await,
        _ => None,
    };
    Ok(Made { cut_short: short.then(|| Seconds::from_measured(reading.duration)), reading, peaks })
}

fn command(
    work: Option<&Work>,
    path: &Path,
    probe: &ClipProbe,
    (light_w, light_h): (u32, u32),
    small_filters: &str,
) -> Guarded {
    let rate = probe.frame_rate;
    let scaled =
        format!("fps={rate},scale={light_w}:{light_h}:flags=bilinear:out_range=limited,setsar=1,format=yuv420p");
    let piped = ["-fps_mode", "passthrough", "-f", "rawvideo", "pipe:1"];
    let Some(work) = work else {
        let filters = format!("{scaled},{small_filters}");
        return Guarded::ffmpeg().input(path).args(["-map", "0:v:0", "-vf", &filters]).args(piped);
    };
    let stills = stills_of(probe.duration.to_f64());
    let many = stills > STILLS;
    let (split, little) = if many {
        (4, format!("[c]{};", stills_chain(probe, stills, SMALL_STILL, STILLS_ACROSS, "stills")))
    } else {
        (3, String::new())
    };
    let outs = if many { "[light][a][b][c]" } else { "[light][a][b]" };
    let graph = format!(
        "[0:v:0]{scaled},split={split}{outs};[a]{sheet};{little}[b]{small_filters}[small]",
        sheet = stills_chain(probe, STILLS, (STILL_WIDTH, STILL_HEIGHT), STILLS, "sheet"),
    );
    let mut command = Guarded::ffmpeg()
        .input(path)
        .args(["-filter_complex", &graph])
        .args(["-map", "[light]", "-map", "0:a:0?", "-c:v", "libx264", "-preset", "ultrafast", "-crf", "26"])
        .args(["-g", &GROUP.to_string(), "-bf", "0", "-ac", "2"])
        // The careful coder takes as long as the pictures; nobody mixes from a light copy.
        .args(["-c:a", "aac", "-aac_coder", "fast", "-b:a", "96k"])
        .args(["-map_metadata", "-1", "-movflags", "+faststart", "-f", "mp4"])
        .output(&work.path().join("light.mp4"))
        .args(["-map", "[sheet]", "-frames:v", "1", "-q:v", "4", "-f", "image2", "-update", "1"])
        .output(&work.path().join("sheet.jpg"));
    if many {
        command = command
            .args(["-map", "[stills]", "-frames:v", "1", "-q:v", "5", "-f", "image2", "-update", "1"])
            .output(&work.path().join("stills.jpg"));
    }
    if probe.has_sound {
        command = command
            // At its own rate: making fewer samples of it costs more than reading them all.
            .args(["-map", "0:a:0", "-ac", "1", "-c:a", "pcm_s16le", "-f", "wav"])
            .output(&work.path().join(SOUND));
    }
    command.args(["-map", "[small]"]).args(piped)
}

/// So many stills of a clip in lines of `across`, each in a frame of one size.
fn stills_chain(probe: &ClipProbe, count: u32, (width, height): (u32, u32), across: u32, name: &str) -> String {
    let every = f64::from(count) / probe.duration.to_f64().max(0.04);
    let lines = count.div_ceil(across);
    format!(
        "fps={every:.6}:round=down,tpad=stop_mode=clone:stop={across},\
         scale={width}:{height}:force_original_aspect_ratio=decrease,\
         pad={width}:{height}:(ow-iw)/2:(oh-ih)/2:color=0x2A2926,tile={across}x{lines}:color=0x2A2926[{name}]"
    )
}

/// Never enlarged, even sides.
pub fn light_size(width: u32, height: u32, wanted: u32) -> (u32, u32) {
    let w = wanted.min(width).max(2) & !1;
    let h = (f64::from(height) * f64::from(w) / f64::from(width.max(1)) / 2.0).round() as u32 * 2;
    (w, h.max(2))
}

fn reading_rate(rate: FrameRate) -> FrameRate {
    let every = (rate.to_f64() / READING_FPS).ceil().max(1.0) as u32;
    FrameRate::new(rate.num(), rate.den() * every).unwrap_or(rate)
}
