//! Files made by the real ffmpeg, and a look at what came of them.
#![allow(dead_code, reason = "each test program uses its own part of this")]

use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};

/// Runs ffmpeg with these words, for making samples.
pub fn ffmpeg(words: &[&str], to: &Path) {
    let out = Command::new("ffmpeg")
        .args(["-nostdin", "-v", "error", "-y"])
        .args(words)
        .arg(format!("file:{}", to.display()))
        .output()
        .expect("ffmpeg");
    assert!(out.status.success(), "{words:?}: {}", String::from_utf8_lossy(&out.stderr));
}

/// Bars that a frame's number is written in, the lowest bit on the left.
const BITS: usize = 10;
const W: usize = 320;
const H: usize = 180;

/// A clip in which every picture shows its own number, with a tone as its sound.
pub fn counted(rate: &str, frames: usize, to: &Path) {
    let seconds = frames as f64 / rate_of(rate);
    let mut child = Command::new("ffmpeg")
        .args([
            "-v",
            "error",
            "-y",
            "-f",
            "rawvideo",
            "-pix_fmt",
            "gray",
            "-s",
            &format!("{W}x{H}"),
            "-r",
            rate,
            "-i",
            "pipe:0",
        ])
        .args(["-f", "lavfi", "-i", &format!("sine=frequency=440:duration={seconds}")])
        .args(["-c:v", "libx264", "-preset", "ultrafast", "-crf", "18", "-pix_fmt", "yuv420p", "-c:a", "aac"])
        .arg(format!("file:{}", to.display()))
        .stdin(Stdio::piped())
        .spawn()
        .expect("ffmpeg");
    let mut pipe = child.stdin.take().expect("piped");
    for frame in 0..frames {
        let row: Vec<u8> = (0..W).map(|x| if frame >> (x * BITS / W) & 1 == 1 { 220 } else { 30 }).collect();
        for _ in 0..H {
            pipe.write_all(&row).expect("written");
        }
    }
    drop(pipe);
    assert!(child.wait().expect("ended").success());
}

fn rate_of(text: &str) -> f64 {
    let (n, d) = text.split_once('/').unwrap_or((text, "1"));
    n.parse::<f64>().expect("number") / d.parse::<f64>().expect("number")
}

/// The numbers that the pictures of a file show, one after the other.
pub fn numbers(file: &Path) -> Vec<usize> {
    let out = Command::new("ffmpeg")
        .args(["-nostdin", "-v", "error", "-i"])
        .arg(file)
        .args([
            "-map",
            "0:v:0",
            "-fps_mode",
            "passthrough",
            "-vf",
            "scale=320:180,format=gray",
            "-f",
            "rawvideo",
            "pipe:1",
        ])
        .output()
        .expect("ffmpeg");
    out.stdout
        .chunks_exact(W * H)
        .map(|frame| {
            let row = &frame[H / 2 * W..][..W];
            (0..BITS).filter(|bit| row[bit * W / BITS + W / BITS / 2] > 125).map(|bit| 1 << bit).sum()
        })
        .collect()
}

pub fn duration_of(file: &Path, stream: &str) -> f64 {
    let out = Command::new("ffprobe")
        .args(["-v", "error", "-select_streams", stream, "-show_entries", "stream=duration", "-of", "csv=p=0"])
        .arg(file)
        .output()
        .expect("ffprobe");
    String::from_utf8_lossy(&out.stdout).trim().trim_end_matches(',').parse().unwrap_or(f64::NAN)
}

/// When each picture of a file is shown, in ticks of its clock, and how many ticks a second has.
pub fn instants(file: &Path) -> (Vec<i64>, i64) {
    let out = Command::new("ffprobe")
        .args([
            "-v",
            "error",
            "-select_streams",
            "v:0",
            "-show_entries",
            "packet=pts:stream=time_base",
            "-of",
            "csv=p=0",
        ])
        .arg(file)
        .output()
        .expect("ffprobe");
    let text = String::from_utf8_lossy(&out.stdout).into_owned();
    let clock = text.lines().find_map(|l| l.strip_prefix("1/")).and_then(|n| n.trim_end_matches(',').parse().ok());
    let mut instants: Vec<i64> = text.lines().filter_map(|l| l.trim_end_matches(',').parse().ok()).collect();
    instants.sort_unstable();
    (instants, clock.expect("a clock"))
}
