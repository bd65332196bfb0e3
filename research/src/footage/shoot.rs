//! From a plan to a file, as a camera would have written it.

use super::plan::{EffectKind, Join, Plan};
use super::scene::Scene;
use super::texture::Texture;
use std::io::{self, Write};
use std::path::Path;
use std::process::{Command, Stdio};

const WIDE: (usize, usize) = (640, 360);

/// Draws a clip into `to`, unless it is there already.
pub fn shoot(plan: &Plan, to: &Path) -> io::Result<()> {
    if to.exists() {
        return Ok(());
    }
    let (width, height) = if plan.rotated { (WIDE.1, WIDE.0) } else { WIDE };
    let part = to.with_extension("part.mp4");
    let mut ffmpeg = Command::new("ffmpeg");
    ffmpeg.args(["-v", "error", "-nostdin", "-y", "-f", "rawvideo", "-pix_fmt", "rgb24"]);
    ffmpeg.args([
        "-s",
        &format!("{width}x{height}"),
        "-r",
        &format!("{}/{}", plan.rate.0, plan.rate.1),
        "-i",
        "pipe:0",
    ]);
    let mut filters = Vec::new();
    if plan.uneven {
        filters.push("select='gt(mod(n*7,5),0)'");
    }
    if plan.rotated {
        filters.push("transpose=clock");
    }
    if !filters.is_empty() {
        ffmpeg.args(["-vf", &filters.join(","), "-fps_mode", "vfr"]);
    }
    ffmpeg.args([
        "-c:v",
        "libx264",
        "-preset",
        "veryfast",
        "-threads",
        "1",
        "-crf",
        &plan.crf.to_string(),
        "-pix_fmt",
        "yuv420p",
    ]);
    let mut child = ffmpeg.arg(&part).stdin(Stdio::piped()).spawn()?;
    let mut pipe = child.stdin.take().ok_or(io::ErrorKind::BrokenPipe)?;
    let aspect = width as f64 / height as f64;
    let mut photograph = plan.photograph.as_deref().and_then(Texture::photograph);
    let scenes: Vec<Scene> = plan.shots.iter().map(|s| Scene::new(s, aspect, photograph.take())).collect();
    let frames = (plan.seconds() * plan.fps()).round() as u64;
    let mut noise = Noise(plan.seed | 1);
    for frame in 0..frames {
        let picture = picture(plan, &scenes, frame as f64 / plan.fps(), width, height);
        let bytes: Vec<u8> = picture
            .iter()
            .flat_map(|p| {
                let n = noise.next() * plan.noise as f32;
                p.map(|c| (c + n).clamp(0.0, 255.0) as u8)
            })
            .collect();
        pipe.write_all(&bytes)?;
    }
    drop(pipe);
    if !child.wait()?.success() {
        return Err(io::Error::other("ffmpeg could not write a drawn clip"));
    }
    if plan.rotated {
        let lying = to.with_extension("lying.mp4");
        std::fs::rename(&part, &lying)?;
        let mut copy = Command::new("ffmpeg");
        copy.args(["-v", "error", "-nostdin", "-y", "-i"]).arg(&lying);
        copy.args(["-c", "copy", "-metadata:s:v:0", "rotate=90"]).arg(&part).status()?;
        std::fs::remove_file(lying)?;
    }
    std::fs::rename(part, to)
}

pub(super) fn picture(plan: &Plan, scenes: &[Scene], t: f64, width: usize, height: usize) -> Vec<[f32; 3]> {
    let starts = plan.starts();
    let k = starts.iter().rposition(|s| *s <= t + 1e-6).unwrap_or(0);
    let mut picture = exposed(plan, &scenes[k], t - starts[k], width, height);
    if k > 0 {
        let into = t - starts[k];
        match plan.joins[k - 1] {
            Join::Dissolve(d) if into < d => {
                let before = exposed(plan, &scenes[k - 1], t - starts[k - 1], width, height);
                let share = (into / d) as f32;
                for (p, b) in picture.iter_mut().zip(before) {
                    for c in 0..3 {
                        p[c] = p[c] * share + b[c] * (1.0 - share);
                    }
                }
            }
            Join::Black(d) if into < d => picture.fill([0.0; 3]),
            _ => {}
        }
    }
    for e in plan.effects.iter().filter(|e| e.from <= t && t < e.to) {
        let eased = (((t - e.from) / 0.25).min((e.to - t) / 0.25)).clamp(0.0, 1.0);
        match e.kind {
            EffectKind::Blur(radius) => blur(&mut picture, width, (radius * eased * width as f64) as f32),
            EffectKind::Gain(gain) => {
                let gain = (1.0 + (gain - 1.0) * eased) as f32;
                picture.iter_mut().for_each(|p| *p = p.map(|c| (c * gain).min(255.0)));
            }
            EffectKind::Flash => picture.iter_mut().for_each(|p| *p = p.map(|c| (c * 0.2 + 225.0).min(255.0))),
        }
    }
    picture
}

/// With the shutter open for half of each frame.
fn exposed(plan: &Plan, scene: &Scene, t: f64, width: usize, height: usize) -> Vec<[f32; 3]> {
    let open = 0.5 / plan.fps();
    let smear = scene.fastest(t) * open * width as f64;
    let count = (smear / 2.5).ceil().clamp(1.0, 8.0) as usize;
    let mut sum = vec![[0.0f32; 3]; width * height];
    for i in 0..count {
        scene.draw(t + open * i as f64 / count as f64, width, height, &mut sum);
    }
    sum.iter_mut().for_each(|p| *p = p.map(|c| c / count as f32));
    sum
}

/// A disc as a lens makes it, near enough: two boxes each way.
fn blur(picture: &mut [[f32; 3]], width: usize, radius: f32) {
    if radius < 0.3 {
        return;
    }
    let height = picture.len() / width;
    for _ in 0..2 {
        for y in 0..height {
            boxed(picture, y * width, 1, width, radius);
        }
        for x in 0..width {
            boxed(picture, x, width, height, radius);
        }
    }
}

fn boxed(data: &mut [[f32; 3]], start: usize, stride: usize, n: usize, radius: f32) {
    let line: Vec<[f32; 3]> = (0..n).map(|i| data[start + i * stride]).collect();
    let whole = radius.floor() as isize;
    let rest = radius - whole as f32;
    let at = |i: isize| line[i.clamp(0, n as isize - 1) as usize];
    let mut sum: [f32; 3] = [0.0; 3];
    for i in -whole..=whole {
        for (sum, value) in sum.iter_mut().zip(at(i)) {
            *sum += value;
        }
    }
    let size = 2.0 * radius + 1.0;
    for i in 0..n as isize {
        let (before, after) = (at(i - whole - 1), at(i + whole + 1));
        data[start + i as usize * stride] = std::array::from_fn(|c| (sum[c] + rest * (before[c] + after[c])) / size);
        let gone = at(i - whole);
        for c in 0..3 {
            sum[c] += after[c] - gone[c];
        }
    }
}

struct Noise(u64);

impl Noise {
    /// About normal, of deviation one.
    fn next(&mut self) -> f32 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        let part = |shift: u32| ((self.0 >> shift) & 0xFFFF) as f32 / 65_535.0;
        (part(0) + part(16) + part(32) + part(48) - 2.0) * 1.732
    }
}
