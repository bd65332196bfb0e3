//! Previews and hand-offs: one piece per shot, cached by what is in it, joined without encoding again.

use crate::MediaError;
use crate::guard::Guarded;
use crate::key::key_of;
use crate::permits;
use crate::piece::{Format, Piece};
use crate::shelf::{self, Shelf};
use crate::version::{self, Form};
use legere_core::time::{FrameLen, FrameRate};
use legere_core::track::Version;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// Raised whenever the same music would give another file.
const MUSIC_VERSION: u32 = 5;

/// How often the pieces of a render that is under way are touched, so that none of them goes for want of room.
const STILL_IN_USE: Duration = Duration::from_mins(2);

/// A passage of the music under a piece.
#[derive(Debug, Clone, PartialEq)]
pub struct MusicPart {
    pub file: PathBuf,
    /// Changes when the file does.
    pub content: String,
    /// As far as it is heard.
    pub version: Version,
    /// Where the next one begins, in frames from where this one does; the last one goes to the end.
    pub len: Option<FrameLen>,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    pub format: Format,
    pub pieces: Vec<Piece>,
    /// One passage after the other; none is silence.
    pub music: Vec<MusicPart>,
}

impl Job {
    pub fn frames(&self) -> FrameLen {
        self.pieces.iter().map(Piece::len).sum()
    }

    /// A name for the whole, the same for the same content.
    pub fn key(&self) -> String {
        let pieces: Vec<String> = self.pieces.iter().map(|piece| piece.key(&self.format)).collect();
        key_of(&(pieces, music_key(&self.music, self.format.rate, Some(self.frames()), Form::Aac)))
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
        let file = shelf.pieces().join(format!("{}.mp4", piece.key(&job.format)));
        files.push(file.clone());
        if std::fs::metadata(&file).is_ok_and(|m| m.len() > 0) {
            shelf::touch(&file);
            continue;
        }
        shelf.ensure_room()?;
        let (piece, format, work) = (piece.clone(), job.format, shelf.work()?);
        tasks.spawn(async move {
            let _permit = permits::render().await;
            let temporary = work.path().join("piece.mp4");
            piece.render(&format, &temporary).await?;
            shelf::publish_file(&temporary, &file).await
        });
    }
    let mut ready = job.pieces.len() - tasks.len();
    progress(ready);
    let mut in_use = tokio::time::interval(STILL_IN_USE);
    loop {
        tokio::select! {
            done = tasks.join_next() => {
                let Some(done) = done else { break };
                done.map_err(MediaError::stopped)??;
                ready += 1;
                progress(ready);
            }
            // What is ready is in use until all of it is joined: a full disk takes something else.
            _ = in_use.tick() => files.iter().for_each(|file| shelf::touch(file)),
        }
    }
    let music = if job.music.is_empty() {
        None
    } else {
        Some(music_file(&job.music, job.format.rate, Some(job.frames()), Form::Aac, shelf).await?)
    };
    join(&job.format, &files, music.as_deref(), shelf, to).await
}

fn music_key(parts: &[MusicPart], rate: FrameRate, pictures: Option<FrameLen>, form: Form) -> String {
    let parts: Vec<_> = parts.iter().map(|p| (&p.content, &p.version, p.len)).collect();
    key_of(&(MUSIC_VERSION, parts, rate, pictures, form))
}

/// The passages one after the other, each exactly from the sample on which its first frame begins; as long as the pictures, or
/// as the music itself.
pub async fn music_file(
    parts: &[MusicPart],
    rate: FrameRate,
    pictures: Option<FrameLen>,
    form: Form,
    shelf: &Shelf,
) -> Result<PathBuf, MediaError> {
    let file = shelf.music().join(format!("{}.{}", music_key(parts, rate, pictures, form), form.ending()));
    if std::fs::metadata(&file).is_ok_and(|m| m.len() > 0) {
        shelf::touch(&file);
        return Ok(file);
    }
    shelf.ensure_room()?;
    let work = shelf.work()?;
    let sample =
        |frames: u64| (rate.seconds_of(FrameLen::new(frames)).to_f64() * f64::from(version::RATE)).round() as u64;
    let mut from = 0;
    let mut lengths = Vec::with_capacity(parts.len());
    for part in parts {
        let samples = match (part.len, pictures) {
            (Some(len), _) => {
                let to = from + len.get();
                let samples = sample(to) - sample(from);
                from = to;
                samples
            }
            (None, Some(pictures)) => sample(pictures.get().max(from)) - sample(from),
            (None, None) => version::samples(&part.version),
        };
        lengths.push(samples);
    }
    let temporary = work.path().join("music");
    if let ([part], [length]) = (parts, &lengths[..]) {
        version::write(&part.file, &part.version, form, *length, &temporary).await?;
    } else {
        let mut files = Vec::with_capacity(parts.len());
        for (i, (part, length)) in parts.iter().zip(lengths).enumerate().filter(|(_, (_, length))| *length > 0) {
            let passage = work.path().join(format!("passage {i}"));
            version::write(&part.file, &part.version, Form::Wav, length, &passage).await?;
            files.push(passage);
        }
        version::chain(&files, form, &temporary).await?;
    }
    shelf::publish_file(&temporary, &file).await?;
    Ok(file)
}

async fn join(
    format: &Format,
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
    let ticks = format.timescale() / format.rate.num() * format.rate.den();
    let exact = format!("setts=ts=N*{ticks}:duration={ticks}");
    let scale = format.timescale().to_string();
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
