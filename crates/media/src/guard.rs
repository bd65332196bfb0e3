//! ffmpeg and ffprobe as guarded children.
//!
//! - Bounded: address space and processor time by `prlimit`, wall-clock time by us; killed when dropped.
//! - Closed: only the `file` and `pipe` protocols, only the container formats listed here. The list matters most: it
//!   refuses playlists and concat scripts in disguise, which would open other files.
//! - Behind: the pages, and whatever else the editor has open, come first.
//! - Apart: in a process group of its own, so that Ctrl-C reaches us alone and we stop it in order, and dead when we are.
//! - Distinguished: what ended on damaged data from what was stopped, ran out of memory or found the disk full.
//! - Inputs are written `file:PATH`, so that no name is an option or a protocol.

use crate::MediaError;
use std::ffi::OsString;
use std::path::Path;
use std::process::Stdio;
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncReadExt};
use tokio::process::{Child, Command};

/// Containers that cameras, phones and musicians hand over.
const FORMATS: &str = "mov,matroska,webm,avi,mpegts,mpeg,mpegvideo,mxf,gxf,asf,flv,dv,h264,hevc,m4v,obu,ivf,y4m,\
                       wav,w64,aiff,flac,mp3,ogg,aac,ac3,caf,rawvideo,s16le,f32le";
const ADDRESS_SPACE: u64 = 4 << 30;
const CPU_SECONDS: u64 = 3 * 3600;
const WALL_CLOCK: Duration = Duration::from_hours(2);
const PROBE_WALL_CLOCK: Duration = Duration::from_mins(1);
/// A picture of more pixels is refused before it is decoded.
const MAX_PIXELS: &str = "67108864";
/// What is kept of the program's own words, for the log.
const KEPT_LOG: usize = 4000;
/// What a program may print where its output is kept in memory.
const KEPT_OUTPUT: u64 = 64 << 20;
/// ffmpeg's own status after a signal that asked it to end.
const ASKED_TO_END: i32 = 255;

/// One ffmpeg or ffprobe call.
pub struct Guarded {
    program: &'static str,
    args: Vec<OsString>,
    wall_clock: Duration,
}

impl Guarded {
    pub fn ffmpeg() -> Self {
        Self {
            program: "ffmpeg",
            args: ["-nostdin", "-hide_banner", "-nostats", "-v", "error", "-y"].map(OsString::from).to_vec(),
            wall_clock: WALL_CLOCK,
        }
    }

    pub fn ffprobe() -> Self {
        Self {
            program: "ffprobe",
            args: ["-hide_banner", "-v", "error"].map(OsString::from).to_vec(),
            wall_clock: PROBE_WALL_CLOCK,
        }
    }

    pub fn arg(mut self, arg: impl Into<OsString>) -> Self {
        self.args.push(arg.into());
        self
    }

    pub fn args<I: IntoIterator<Item = S>, S: Into<OsString>>(mut self, args: I) -> Self {
        self.args.extend(args.into_iter().map(Into::into));
        self
    }

    /// A file of the editor's, or one of ours that was made from it.
    pub fn input(self, path: &Path) -> Self {
        let mut name = OsString::from("file:");
        name.push(path);
        self.args(["-protocol_whitelist", "file,pipe", "-format_whitelist", FORMATS, "-max_pixels", MAX_PIXELS])
            .arg("-i")
            .arg(name)
    }

    /// A picture of the editor's: one file, never a numbered series of them.
    pub fn picture(self, path: &Path) -> Self {
        let mut name = OsString::from("file:");
        name.push(path);
        self.args(["-protocol_whitelist", "file,pipe", "-format_whitelist", "image2", "-max_pixels", MAX_PIXELS])
            .args(["-f", "image2", "-pattern_type", "none", "-i"])
            .arg(name)
    }

    /// A concat list that we wrote ourselves, of files that we made ourselves.
    pub fn own_list(self, list: &Path) -> Self {
        self.args(["-protocol_whitelist", "file,pipe", "-f", "concat", "-safe", "0", "-i"]).arg(list)
    }

    pub fn output(self, path: &Path) -> Self {
        let mut name = OsString::from("file:");
        name.push(path);
        self.arg(name)
    }

    fn command(self) -> Command {
        let mut command = Command::new("setpriv");
        command
            .args(["--pdeathsig", "KILL", "--", "nice", "-n", "10", "prlimit"])
            .arg(format!("--as={ADDRESS_SPACE}"))
            .arg(format!("--cpu={CPU_SECONDS}"))
            .args(["--core=0", "--"])
            .arg(self.program)
            .args(self.args)
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .process_group(0)
            .kill_on_drop(true);
        // Proxies and tokens of the environment are none of a decoder's business.
        for (key, _) in std::env::vars_os() {
            if key.to_str().is_none_or(|k| !matches!(k, "PATH" | "HOME" | "LANG" | "LC_ALL" | "TMPDIR")) {
                command.env_remove(key);
            }
        }
        command
    }

    /// Starts it, for callers that read its standard output while it runs; finish with [`finish`].
    pub fn spawn(self) -> Result<Child, MediaError> {
        self.command().spawn().map_err(MediaError::NoFfmpeg)
    }

    /// Starts it with a pipe to its standard input, for pictures that are drawn as it goes.
    pub fn spawn_fed(self) -> Result<Child, MediaError> {
        self.command().stdin(Stdio::piped()).spawn().map_err(MediaError::NoFfmpeg)
    }

    /// Runs it to its end and gives what it printed.
    pub async fn run(self) -> Result<Vec<u8>, MediaError> {
        let wall_clock = self.wall_clock;
        let child = self.spawn()?;
        Ok(ended(child, wall_clock).await?.0)
    }
}

/// Waits for a child whose standard output was taken; gives its words.
pub async fn finish(child: Child) -> Result<String, MediaError> {
    Ok(ended(child, WALL_CLOCK).await?.1)
}

/// Waits for a child; gives what it printed and what it said.
async fn ended(mut child: Child, wall_clock: Duration) -> Result<(Vec<u8>, String), MediaError> {
    let (printed, said) = (child.stdout.take(), child.stderr.take());
    let to_end = async {
        let (printed, said) = tokio::join!(kept(printed, KEPT_OUTPUT), last_of(said));
        Ok::<_, std::io::Error>((child.wait().await?, printed?, said?))
    };
    let (status, printed, said) =
        tokio::time::timeout(wall_clock, to_end).await.map_err(|_elapsed| MediaError::Timeout)??;
    let log = tail(&said);
    // It calls a file whose last bytes found no room a success.
    if status.success() && !full(&log) {
        return Ok((printed, log));
    }
    Err(failure(status, log))
}

fn full(log: &str) -> bool {
    log.contains("No space left on device") || log.contains("Disk quota exceeded")
}

/// Why a child failed: only what ended by itself says something about the file.
fn failure(status: std::process::ExitStatus, log: String) -> MediaError {
    use std::os::unix::process::ExitStatusExt;
    const XCPU: i32 = nix::sys::signal::Signal::SIGXCPU as i32;
    match (status.signal(), status.code()) {
        (Some(XCPU), _) => MediaError::Timeout,
        (Some(_), _) | (_, Some(ASKED_TO_END)) => MediaError::Interrupted,
        _ if full(&log) => MediaError::DiskFull,
        _ if log.contains("Cannot allocate memory") => MediaError::Interrupted,
        _ if log.contains("Input/output error") || log.contains("Stale file handle") => MediaError::SourceDisk,
        // What should have started it says so, not ffmpeg.
        (_, Some(126 | 127)) => MediaError::NoFfmpeg(std::io::Error::other(log)),
        _ if log.contains("failed to execute") => MediaError::NoFfmpeg(std::io::Error::other(log)),
        _ => MediaError::Failed { log },
    }
}

/// All of a stream, or an error when it is more than `most` bytes.
async fn kept(from: Option<impl AsyncRead + Unpin>, most: u64) -> std::io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    if let Some(from) = from {
        from.take(most + 1).read_to_end(&mut bytes).await?;
    }
    if bytes.len() as u64 > most {
        return Err(std::io::Error::other("a program printed more than is kept"));
    }
    Ok(bytes)
}

/// The last of a stream, however long it is.
async fn last_of(from: Option<impl AsyncRead + Unpin>) -> std::io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    let Some(mut from) = from else { return Ok(bytes) };
    while from.read_buf(&mut bytes).await? > 0 {
        if bytes.len() > 8 * KEPT_LOG {
            bytes.drain(..bytes.len() - KEPT_LOG);
        }
    }
    Ok(bytes)
}

fn tail(bytes: &[u8]) -> String {
    let text = String::from_utf8_lossy(bytes);
    let from = text.len().saturating_sub(KEPT_LOG);
    let from = (from..text.len()).find(|i| text.is_char_boundary(*i)).unwrap_or(text.len());
    text[from..].trim().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn a_full_disk_is_told_apart_from_a_damaged_file() {
        // The first fails at its head, the second at its end alone, which ffmpeg itself takes for a success.
        for format in ["mp4", "matroska"] {
            let drawn = ["-f", "lavfi", "-i", "testsrc2=size=64x36:duration=0.2", "-f", format];
            let full = Guarded::ffmpeg().args(drawn).output(Path::new("/dev/full")).run().await;
            assert!(matches!(full, Err(MediaError::DiskFull)), "{format}: {full:?}");
        }
        let damaged = tempfile::NamedTempFile::new().expect("a file");
        std::fs::write(damaged.path(), b"no video at all").expect("written");
        let unread = Guarded::ffprobe().input(damaged.path()).run().await;
        assert!(matches!(unread, Err(MediaError::Failed { .. })), "{unread:?}");
    }

    #[tokio::test]
    async fn what_is_dropped_is_killed() {
        let endless = ["-re", "-f", "lavfi", "-i", "testsrc2=size=64x36", "-f", "null", "-"];
        let child = Guarded::ffmpeg().args(endless).spawn().expect("started");
        let place = std::path::PathBuf::from(format!("/proc/{}", child.id().expect("it runs")));
        assert!(place.exists());
        drop(child);
        for _ in 0..200 {
            // Killed and not yet waited for is a zombie.
            let state = std::fs::read_to_string(place.join("stat")).unwrap_or_default();
            if state.is_empty() || state.contains(") Z ") {
                return;
            }
            tokio::time::sleep(Duration::from_millis(10)).await;
        }
        panic!("it goes on");
    }
}
