//! ffmpeg and ffprobe as guarded children.
//!
//! - Bounded: address space and processor time by `prlimit`, wall-clock time by us; killed when dropped.
//! - Closed: only the `file` and `pipe` protocols, only the container formats listed here. The list matters most: it
//!   refuses playlists and concat scripts in disguise, which would open other files.
//! - Behind: the pages, and whatever else the editor has open, come first.
//! - Inputs are written `file:PATH`, so that no name is an option or a protocol.

use crate::MediaError;
use std::ffi::OsString;
use std::path::Path;
use std::process::Stdio;
use std::time::Duration;
use tokio::process::{Child, Command};

/// Containers that cameras, phones and musicians hand over.
const FORMATS: &str = "mov,matroska,webm,avi,mpegts,mpeg,mpegvideo,mxf,gxf,asf,flv,dv,h264,hevc,m4v,obu,ivf,y4m,\
                       wav,w64,aiff,flac,mp3,ogg,aac,ac3,caf,rawvideo,s16le,f32le";
const ADDRESS_SPACE: u64 = 4 << 30;
const CPU_SECONDS: u64 = 3 * 3600;
const WALL_CLOCK: Duration = Duration::from_secs(2 * 3600);
/// A picture of more pixels is refused before it is decoded.
const MAX_PIXELS: &str = "67108864";
/// What is kept of the program's own words, for the log.
const KEPT_LOG: usize = 4000;

/// One ffmpeg or ffprobe call.
pub struct Guarded {
    program: &'static str,
    args: Vec<OsString>,
}

impl Guarded {
    pub fn ffmpeg() -> Self {
        Self {
            program: "ffmpeg",
            args: ["-nostdin", "-hide_banner", "-nostats", "-v", "error", "-y"].map(OsString::from).to_vec(),
        }
    }

    pub fn ffprobe() -> Self {
        Self { program: "ffprobe", args: ["-hide_banner", "-v", "error"].map(OsString::from).to_vec() }
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
        let mut command = Command::new("nice");
        command
            .args(["-n", "10", "prlimit"])
            .arg(format!("--as={ADDRESS_SPACE}"))
            .arg(format!("--cpu={CPU_SECONDS}"))
            .args(["--core=0", "--"])
            .arg(self.program)
            .args(self.args)
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
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
        let child = self.spawn()?;
        let output =
            tokio::time::timeout(WALL_CLOCK, child.wait_with_output()).await.map_err(|_| MediaError::Timeout)??;
        if output.status.success() { Ok(output.stdout) } else { Err(MediaError::Failed { log: tail(&output.stderr) }) }
    }
}

/// Waits for a child whose standard output was taken; gives its words when it failed.
pub async fn finish(child: Child) -> Result<String, MediaError> {
    let output =
        tokio::time::timeout(WALL_CLOCK, child.wait_with_output()).await.map_err(|_| MediaError::Timeout)??;
    let log = tail(&output.stderr);
    if output.status.success() { Ok(log) } else { Err(MediaError::Failed { log }) }
}

fn tail(bytes: &[u8]) -> String {
    let text = String::from_utf8_lossy(bytes);
    let from = text.len().saturating_sub(KEPT_LOG);
    let from = (from..text.len()).find(|i| text.is_char_boundary(*i)).unwrap_or(text.len());
    text[from..].trim().to_owned()
}
