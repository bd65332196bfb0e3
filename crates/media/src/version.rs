//! Writes a version of a track: its spans joined, stretched, faded and levelled, exact to the sample.

use crate::MediaError;
use crate::guard::Guarded;
use crate::sound::MIXED_AT_MOST;
use legere_core::time::Seconds;
use legere_core::track::{Curve, Version};
use serde::Serialize;
use std::path::{Path, PathBuf};

/// Samples a second of everything that is written.
pub const RATE: u32 = 48_000;
/// A seam is crossed in 30 ms, most of it before the beat, so that the beat's own onset is whole.
const BEFORE_SEAM: i64 = 1200;
const AFTER_SEAM: i64 = 240;

/// Raised when the same version would be written differently.
const GRAPH_VERSION: u32 = 3;

/// What is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
pub enum Form {
    /// 24-bit WAV, to hand off.
    Wav,
    /// For the browser, seekable to the sample.
    Flac,
    /// Under pictures.
    Aac,
}

impl Form {
    pub fn ending(self) -> &'static str {
        match self {
            Self::Wav => "wav",
            Self::Flac => "flac",
            Self::Aac => "m4a",
        }
    }

    fn args(self) -> &'static [&'static str] {
        match self {
            Self::Wav => &["-c:a", "pcm_s24le", "-f", "wav"],
            Self::Flac => &["-sample_fmt", "s16", "-f", "flac"],
            Self::Aac => &["-c:a", "aac", "-b:a", "192k", "-f", "mp4"],
        }
    }
}

/// Writes sounds one after the other, without a gap and without another sample between.
pub async fn chain(files: &[PathBuf], form: Form, to: &Path) -> Result<(), MediaError> {
    let command = files.iter().fold(Guarded::ffmpeg(), |command, file| command.input(file));
    let inlets: String = (0..files.len()).map(|i| format!("[{i}:a:0]")).collect();
    filtered(command, &format!("{inlets}concat=n={}:v=0:a=1[out]", files.len()), form, to).await
}

/// Writes what a filter graph calls `out`.
async fn filtered(command: Guarded, graph: &str, form: Form, to: &Path) -> Result<(), MediaError> {
    command
        .args(["-filter_complex", graph, "-map", "[out]", "-ac", "2"])
        .args(["-ar", &RATE.to_string(), "-map_metadata", "-1"])
        .args(form.args().iter().copied())
        .output(to)
        .run()
        .await
        .map(drop)
}

/// A file name that is the same for the same version of the same content.
pub fn name(content: &str, version: &Version, form: Form) -> String {
    let key = crate::key::key_of(&(GRAPH_VERSION, content, version, form));
    format!("{key}.{}", form.ending())
}

/// How many samples a version has.
pub fn samples(version: &Version) -> u64 {
    sample(version.duration()).max(0) as u64
}

fn sample(at: Seconds) -> i64 {
    (at.to_f64() * f64::from(RATE)).round() as i64
}

/// Writes `version` of the track in `file`; `length` in samples cuts it or adds silence, for pictures that are a
/// fraction of a frame longer.
pub async fn write(file: &Path, version: &Version, form: Form, length: u64, to: &Path) -> Result<(), MediaError> {
    filtered(Guarded::ffmpeg().input(file), &graph(version, length), form, to).await
}

/// The filter graph. Spans are cut by sample number after decoding: seeking in compressed sound is not exact.
fn graph(version: &Version, length: u64) -> String {
    let spans = version.spans();
    let count = spans.len();
    let mut graph = format!(
        "[0:a:0]aresample={RATE}:rematrix_maxval={MIXED_AT_MOST},aformat=sample_fmts=fltp:channel_layouts=stereo"
    );
    if count == 1 {
        graph.push_str("[s0];");
    } else {
        let outlets: String = (0..count).map(|i| format!("[s{i}]")).collect();
        graph.push_str(&format!(",asplit={count}{outlets};"));
    }
    // Each seam is crossed between a bit of music after the one end and a bit before the other beginning.
    let before = |i: usize| if i == 0 { 0 } else { BEFORE_SEAM.min(sample(spans[i].start)) };
    for (i, span) in spans.iter().enumerate() {
        let start = sample(span.start) - before(i);
        let end = sample(span.end) + if i + 1 < count { AFTER_SEAM } else { 0 };
        graph.push_str(&format!("[s{i}]atrim=start_sample={start}:end_sample={end},asetpts=PTS-STARTPTS[p{i}];"));
    }
    let mut joined = "p0".to_owned();
    for i in 1..count {
        let cross = before(i) + AFTER_SEAM;
        graph.push_str(&format!("[{joined}][p{i}]acrossfade=ns={cross}:c1=qsin:c2=qsin[j{i}];"));
        joined = format!("j{i}");
    }
    graph.push_str(&format!("[{joined}]"));
    let mut filters: Vec<String> = Vec::new();
    let tempo = 1.0 / version.factor();
    if tempo != 1.0 {
        filters.push(format!("rubberband=tempo={tempo:.9}:pitchq=quality"));
    }
    let whole = samples(version);
    // Exactly as long as the version says, before it fades.
    filters.push(format!("apad=whole_len={whole},atrim=end_sample={whole}"));
    if version.level() != 0 {
        filters.push(format!("volume={:.2}dB", f64::from(version.level()) / 100.0));
    }
    let (begin, end) = (version.fade_in, version.fade_out);
    if begin.milliseconds > 0 {
        let n = u64::from(begin.milliseconds) * u64::from(RATE) / 1000;
        filters.push(format!("afade=t=in:ss=0:ns={n}:curve={}", word(begin.curve)));
    }
    if end.milliseconds > 0 {
        let n = (u64::from(end.milliseconds) * u64::from(RATE) / 1000).min(whole);
        filters.push(format!("afade=t=out:ss={}:ns={n}:curve={}", whole - n, word(end.curve)));
    }
    // What is louder than full scale (lossy files decode to that, stretching and raising lead to it) is turned down for
    // some milliseconds instead of being cut off; all else stays as it is, to the bit.
    filters.push("alimiter=limit=1:level=0:latency=1".to_owned());
    filters.push(format!("apad=whole_len={length},atrim=end_sample={length}"));
    graph.push_str(&filters.join(","));
    graph.push_str("[out]");
    graph
}

fn word(curve: Curve) -> &'static str {
    match curve {
        Curve::Linear => "tri",
        Curve::ConstantPower => "qsin",
        Curve::Exponential => "exp",
        Curve::Eased => "hsin",
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use legere_core::track::{Fade, Span};

    fn s(n: i64, d: i64) -> Seconds {
        Seconds::new(n, d).expect("seconds")
    }

    #[test]
    fn the_graph_says_what_happens_to_the_music() {
        let spans = vec![Span { start: s(0, 1), end: s(10, 1) }, Span { start: s(20, 1), end: s(30, 1) }];
        let version = Version::of_spans(spans, s(30, 1)).expect("a version");
        let version = version.stretched(1.05).expect("a stretch");
        let fade = Fade { milliseconds: 1500, curve: Curve::Eased };
        let version = version.faded(Fade::default(), fade).expect("fades").levelled(-350).expect("a level");
        insta::assert_snapshot!(graph(&version, samples(&version)).replace(';', ";\n"));
    }
}
