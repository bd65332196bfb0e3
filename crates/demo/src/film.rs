//! From a plan to a file, as a camera would have written it.

use crate::exif::taken_at;
use crate::paint::{Canvas, Note, defocus};
use crate::plan::{Fault, Plan};
use crate::surface::{Air, Surface};
use crate::{DemoError, scene, sound};
use legere_core::time::{FramePos, Seconds, timecode};
use legere_media::MediaError;
use legere_media::guard::{Guarded, finish};
use std::path::Path;
use tiny_skia::Pixmap;
use tokio::io::AsyncWriteExt;

/// The size that is drawn; the file has twice the sides. A shoot comes in several sizes, and as in most cameras fast
/// footage has fewer lines.
fn drawn(plan: &Plan) -> (u32, u32) {
    if plan.is_endless() {
        // Small cameras that are left running have few lines.
        return (320, 180);
    }
    if plan.rate.to_f64() > 40.0 || !plan.seed.is_multiple_of(5) { (480, 270) } else { (640, 360) }
}

/// Draws a clip frame by frame.
pub struct Film<'a> {
    plan: &'a Plan,
    pixels: Pixmap,
    notes: Vec<Note>,
    surface: Surface,
    air: Air,
}

impl<'a> Film<'a> {
    /// `None` only for a size of nothing.
    pub fn new(plan: &'a Plan, (width, height): (u32, u32)) -> Option<Self> {
        let (w, h) = if plan.portrait { (height, width) } else { (width, height) };
        let (base, make) = scene::ground(plan.subject);
        let grain = if plan.fault == Fault::Dark { 3.0 } else { 1.4 };
        Some(Self {
            plan,
            pixels: Pixmap::new(w, h)?,
            notes: Vec::new(),
            surface: Surface::new(plan.seed, base, make),
            air: Air::new(plan.seed, w as usize, h as usize, grain),
        })
    }

    pub fn frames(&self) -> u64 {
        (self.plan.seconds * self.plan.rate.to_f64()).round() as u64
    }

    pub fn time_of(&self, frame: u64) -> f64 {
        frame as f64 / self.plan.rate.to_f64()
    }

    /// Where the camera looks at `t`: x, y, zoom.
    fn aim(&self, t: f64) -> (f64, f64, f64) {
        let p = self.plan;
        let middle = t - p.seconds / 2.0;
        let zoom = p.near * (p.camera.zoom * middle).exp();
        let (mut x, mut y) =
            (p.framing.0 + p.camera.pan * middle / p.near, p.framing.1 - p.camera.tilt * middle / p.near);
        match p.fault {
            Fault::Shaky(amplitude) => {
                x += amplitude * ((t * 31.0).sin() + 0.6 * (t * 47.0).cos()) / p.near;
                y += amplitude * ((t * 37.0).cos() + 0.5 * (t * 53.0).sin()) / p.near;
            }
            Fault::WobblyEnd(last) => {
                let into = t - (p.seconds - last);
                if into > 0.0 {
                    x += 0.05 * (into * 17.0).sin() / p.near;
                    y += (0.04 * (into * 23.0).sin() + 0.25 * into * into) / p.near;
                }
            }
            _ => {}
        }
        (x, y, zoom)
    }

    /// Draws frame `frame` and gives its pixels, RGBA.
    pub fn draw(&mut self, frame: u64) -> &[u8] {
        let t = self.time_of(frame);
        let (x, y, zoom) = self.aim(t);
        self.notes.clear();
        self.surface.fill(&mut self.pixels, x, y, zoom);
        scene::draw(self.plan, t, &mut Canvas::new(&mut self.pixels, &mut self.notes, x, y, zoom));
        // What stands nearer goes by faster; it is no part of what is measured.
        let mut unnoted = Vec::new();
        scene::foreground(self.plan, &mut Canvas::new(&mut self.pixels, &mut unnoted, 1.5 * x, 1.5 * y, 1.1 * zoom));
        match self.plan.fault {
            Fault::LateFocus(until) if t < until => defocus(&mut self.pixels, 5),
            Fault::MissedFocus => defocus(&mut self.pixels, 4),
            Fault::Dark => tones(&mut self.pixels, |v| v * 0.16),
            _ => {}
        }
        self.air.over(&mut self.pixels, frame);
        if self.plan.fault == Fault::Blown {
            // Behind the lens's falling off: it is the sensor that has had enough.
            tones(&mut self.pixels, |v| 60.0 + v * 3.4);
        }
        self.pixels.data()
    }

    /// How much is drawn to move between a frame and the next, in frame widths a second: how far the world behind
    /// goes (the camera), and how far each shape goes against it, by how much of the picture it covers.
    pub fn drawn_motion(&mut self, frame: u64) -> f64 {
        self.draw(frame);
        let before = std::mem::take(&mut self.notes);
        self.draw(frame + 1);
        let height = self.pixels.height() as f32 / self.pixels.width() as f32;
        let visible = |n: &Note| (0.0..1.0).contains(&n.x) && (0.0..height).contains(&n.y);
        let way = |a: &Note, b: &Note| (f64::from(b.x - a.x), f64::from(b.y - a.y));
        let pairs = || before.iter().zip(&self.notes).filter(|(a, b)| visible(a) || visible(b));
        let behind: Vec<(f64, f64)> = pairs().filter(|(_, b)| b.backdrop).map(|(a, b)| way(a, b)).collect();
        let n = behind.len().max(1) as f64;
        let camera = (behind.iter().map(|w| w.0).sum::<f64>() / n, behind.iter().map(|w| w.1).sum::<f64>() / n);
        let world = behind.iter().map(|w| w.0.hypot(w.1)).sum::<f64>() / n;
        let subject: f64 = pairs()
            .filter(|(_, b)| !b.backdrop)
            .map(|(a, b)| {
                let (size, (dx, dy)) = (f64::from(b.size.min(1.0)), way(a, b));
                let turned = 0.25 * size * f64::from((a.angle - b.angle).abs().min(1.0));
                // By the part of the picture that it covers, about.
                let area = (0.6 * size * size / f64::from(height)).min(1.0);
                area * ((dx - camera.0).hypot(dy - camera.1) + turned).min(0.2)
            })
            .sum();
        (world + subject) * self.plan.rate.to_f64()
    }
}

fn tones(pixels: &mut Pixmap, to: impl Fn(f32) -> f32) {
    let table: Vec<u8> = (0..=255u8).map(|v| to(f32::from(v)).clamp(0.0, 255.0) as u8).collect();
    for pixel in pixels.data_mut().chunks_exact_mut(4) {
        for channel in &mut pixel[..3] {
            *channel = table[usize::from(*channel)];
        }
    }
}

/// As a phone does when it is warm, some frames are left out.
fn filters(plan: &Plan, width: u32, height: u32) -> String {
    let uneven = if plan.uneven { "select='gt(mod(n*7,5),0)'," } else { "" };
    format!("{uneven}format=yuv420p,scale={width}:{height}:flags=bilinear")
}

/// Draws and writes a picture to `to`.
pub async fn picture(plan: &Plan, to: &Path) -> Result<(), DemoError> {
    let folder = to.parent().unwrap_or(Path::new("."));
    tokio::fs::create_dir_all(folder).await?;
    let owned = plan.clone();
    let temporary = folder.join(format!(".{}.part.jpg", plan.file));
    let drawn = tokio::task::spawn_blocking(move || {
        let mut film = Film::new(&owned, (1280, 720))?;
        film.draw(film.frames() / 2);
        film.pixels.encode_png().ok()
    });
    let png = drawn.await.map_err(std::io::Error::from)?.ok_or(MediaError::NotVideo)?;
    let mut child = Guarded::ffmpeg()
        .args(["-f", "png_pipe", "-i", "pipe:0", "-q:v", "3", "-f", "image2", "-update", "1"])
        .output(&temporary)
        .spawn_fed()?;
    let mut pipe = child.stdin.take().ok_or(MediaError::NotVideo)?;
    let ending = tokio::spawn(finish(child));
    pipe.write_all(&png).await?;
    drop(pipe);
    ending.await.map_err(std::io::Error::from)??;
    let jpeg = tokio::fs::read(&temporary).await?;
    tokio::fs::write(&temporary, taken_at(&jpeg, plan.recorded_at)).await?;
    tokio::fs::rename(&temporary, to).await?;
    Ok(())
}

/// Draws and writes a clip to `to`, sound included.
pub async fn shoot(plan: &Plan, to: &Path) -> Result<(), DemoError> {
    let folder = to.parent().unwrap_or(Path::new("."));
    tokio::fs::create_dir_all(folder).await?;
    let temporary = folder.join(format!(".{}.part.mp4", plan.file));
    let wav = folder.join(format!(".{}.part.wav", plan.file));
    let size = drawn(plan);
    let (w, h) = if plan.portrait { (size.1, size.0) } else { size };
    let started = FramePos::new(
        plan.rate
            .nearest(Seconds::from_measured(f64::from(plan.recorded_at.timestamp().rem_euclid(86_400) as i32)))
            .get(),
    );
    let mut command = Guarded::ffmpeg().args([
        "-f",
        "rawvideo",
        "-pix_fmt",
        "rgba",
        "-s",
        &format!("{w}x{h}"),
        "-r",
        &plan.rate.to_string(),
        "-i",
        "pipe:0",
    ]);
    if !plan.silent {
        sound::write(plan, &wav)?;
        command = command.input(&wav).args(["-c:a", "aac", "-aac_coder", "fast", "-b:a", "96k"]);
    }
    let mut child = command
        .args(["-vf", &filters(plan, w * 2, h * 2), "-fps_mode", if plan.uneven { "vfr" } else { "cfr" }])
        .args(["-c:v", "libx264", "-preset", "ultrafast", "-crf", "27", "-g", "50", "-threads", "2"])
        .args(["-metadata", &format!("creation_time={}", plan.recorded_at.format("%Y-%m-%dT%H:%M:%SZ"))])
        .args(["-timecode", &timecode(started.get() as u64, plan.rate, false), "-f", "mp4"])
        .output(&temporary)
        .spawn_fed()?;
    let mut pipe = child.stdin.take().ok_or(MediaError::NotVideo)?;
    let ending = tokio::spawn(finish(child));
    let (sender, mut frames) = tokio::sync::mpsc::channel::<Vec<u8>>(8);
    let owned = plan.clone();
    let drawing = tokio::task::spawn_blocking(move || {
        let Some(mut film) = Film::new(&owned, size) else { return };
        for frame in 0..film.frames() {
            if sender.blocking_send(film.draw(frame).to_vec()).is_err() {
                return;
            }
        }
    });
    while let Some(frame) = frames.recv().await {
        if pipe.write_all(&frame).await.is_err() {
            break;
        }
    }
    drop(pipe);
    drawing.await.map_err(std::io::Error::from)?;
    ending.await.map_err(std::io::Error::from)??;
    let _ = tokio::fs::remove_file(&wav).await;
    if plan.fault == Fault::Damaged {
        // The card was pulled too early: the index at the end was never written.
        let bytes = tokio::fs::read(&temporary).await?;
        tokio::fs::write(&temporary, &bytes[..bytes.len() * 3 / 5]).await?;
    }
    tokio::fs::rename(&temporary, to).await?;
    Ok(())
}
