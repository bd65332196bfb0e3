//! Music whose beats, sections and cues are known, because it is composed and played here.

use crate::DemoError;
use legere_core::track::SectionKind;
use legere_media::guard::Guarded;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::f64::consts::TAU;
use std::path::Path;

const RATE: u32 = 44_100;
/// What sounds behind the last bar.
const TAIL_SECONDS: f64 = 2.0;

#[derive(Debug, Clone, PartialEq)]
pub struct Score {
    /// The name of the file; its ending says how it is written.
    pub file: &'static str,
    pub title: &'static str,
    pub artist: &'static str,
    pub genre: &'static str,
    pub mood: &'static str,
    pub theme: &'static str,
    pub bpm: f64,
    /// Seconds of silence before the first beat.
    pub lead_in: f64,
    pub parts: Vec<(SectionKind, u32)>,
    /// The root of each bar's harmony, in semitones above A1, going round.
    pub roots: Vec<i32>,
    pub seed: u64,
}

/// A played score with its truth, in seconds.
#[derive(Debug, Clone, PartialEq)]
pub struct Composed {
    /// Left and right, one after the other.
    pub samples: Vec<f32>,
    pub beats: Vec<f64>,
    /// Indices into `beats`.
    pub downbeats: Vec<usize>,
    pub sections: Vec<(f64, SectionKind)>,
    pub drops: Vec<f64>,
    pub seconds: f64,
}

/// The track that the demo's draft is laid on: two minutes at 112 beats a minute.
pub fn escapement() -> Score {
    use SectionKind::{Break, Build, Drop, Groove, Intro, Outro};
    Score {
        file: "escapement.wav",
        title: "Escapement",
        artist: "The Hollin Ensemble",
        genre: "electronic",
        mood: "restless",
        theme: "clockwork",
        bpm: 112.0,
        lead_in: 0.0,
        parts: vec![(Intro, 8), (Groove, 8), (Build, 8), (Drop, 8), (Break, 8), (Drop, 8), (Outro, 8)],
        roots: vec![0, -4, 3, -2],
        seed: 1907,
    }
}

/// The other candidates: one that is about as long as the film, and a fast one.
pub fn others() -> [Score; 2] {
    use SectionKind::{Break, Build, Drop, Groove, Intro, Outro};
    [
        Score {
            file: "winding-down.flac",
            title: "Winding Down",
            genre: "downtempo",
            mood: "calm",
            theme: "evening",
            bpm: 84.0,
            lead_in: 0.4,
            parts: vec![(Intro, 4), (Groove, 4), (Break, 4), (Outro, 4)],
            roots: vec![0, 3, -4, -2],
            seed: 1884,
            ..escapement()
        },
        Score {
            file: "strike-train.flac",
            title: "Strike Train",
            artist: "Marr & Daughters",
            genre: "techno",
            mood: "driving",
            theme: "machines",
            bpm: 128.0,
            lead_in: 0.0,
            parts: vec![(Intro, 4), (Build, 4), (Drop, 8), (Break, 4), (Build, 4), (Drop, 8), (Outro, 4)],
            roots: vec![-2, -2, 1, -4],
            seed: 1928,
        },
    ]
}

/// Plays a score and writes it into a folder, with what its tags can hold.
pub async fn record(score: Score, folder: &Path) -> Result<(), DemoError> {
    let to = folder.join(score.file);
    let played = folder.join(format!(".{}.part.wav", score.file));
    let (wav, again) = (played.clone(), score.clone());
    tokio::task::spawn_blocking(move || compose(&again).write_wav(&wav)).await.map_err(std::io::Error::other)??;
    let temporary = folder.join(format!(".part.{}", score.file));
    let tags = [
        ("title", score.title),
        ("artist", score.artist),
        ("genre", score.genre),
        ("mood", score.mood),
        ("theme", score.theme),
    ];
    let mut command = Guarded::ffmpeg().input(&played);
    for (key, value) in tags {
        command = command.args(["-metadata", &format!("{key}={value}")]);
    }
    command.output(&temporary).run().await?;
    tokio::fs::remove_file(&played).await?;
    tokio::fs::rename(&temporary, &to).await?;
    Ok(())
}

struct Mixer {
    left: Vec<f32>,
    right: Vec<f32>,
}

impl Mixer {
    fn add(&mut self, at: f64, pan: f64, sample: impl Fn(f64) -> f64, seconds: f64) {
        let from = (at * f64::from(RATE)).round() as usize;
        let n = (seconds * f64::from(RATE)) as usize;
        let (gl, gr) = ((1.0 - pan).min(1.0), (1.0 + pan).min(1.0));
        for i in 0..n.min(self.left.len().saturating_sub(from)) {
            let v = sample(i as f64 / f64::from(RATE));
            self.left[from + i] += (v * gl) as f32;
            self.right[from + i] += (v * gr) as f32;
        }
    }
}

fn hertz(semitones: i32) -> f64 {
    55.0 * (f64::from(semitones) / 12.0).exp2()
}

/// Plays a score.
pub fn compose(score: &Score) -> Composed {
    use SectionKind::{Break, Build, Drop, Groove, Intro, Outro};
    let beat = 60.0 / score.bpm;
    let bars: u32 = score.parts.iter().map(|p| p.1).sum();
    let seconds = score.lead_in + f64::from(bars * 4) * beat + TAIL_SECONDS;
    let n = (seconds * f64::from(RATE)) as usize;
    let mut mix = Mixer { left: vec![0.0; n], right: vec![0.0; n] };
    let mut rng = ChaCha8Rng::seed_from_u64(score.seed);
    let noise: Vec<f64> = (0..RATE).map(|_| rng.random_range(-1.0..1.0)).collect();
    let hiss = |t: f64, shift: usize| noise[((t * f64::from(RATE)) as usize + shift) % noise.len()];
    let (mut sections, mut drops) = (Vec::new(), Vec::new());
    let mut bar = 0u32;
    for (kind, length) in &score.parts {
        let start = score.lead_in + f64::from(bar * 4) * beat;
        sections.push((start, *kind));
        if *kind == Drop {
            drops.push(start);
        }
        for own in 0..*length {
            let root = score.roots[(bar % score.roots.len() as u32) as usize];
            let at = score.lead_in + f64::from(bar * 4) * beat;
            let along = f64::from(own) / f64::from(*length);
            chord(&mut mix, *kind, root, at, 4.0 * beat, along);
            bass(&mut mix, *kind, root, at, beat);
            for b in 0..4u32 {
                let t = at + f64::from(b) * beat;
                drums(&mut mix, (*kind, own, *length), b, t, beat, &hiss);
                pluck(&mut mix, *kind, root, b, bar, t, beat);
            }
            bar += 1;
        }
        if *kind == Build {
            let long = f64::from(*length * 4) * beat;
            mix.add(start, 0.0, |t| 0.16 * (t / long).powi(2) * hiss(t, 311), long);
        }
        if matches!(kind, Drop | Groove | Break | Outro | Intro) {
            let loud = if *kind == Drop { 0.4 } else { 0.12 };
            mix.add(start, 0.1, |t| loud * hiss(t, 77) * (-t * 2.2).exp(), 2.5);
        }
    }
    let beats: Vec<f64> = (0..bars * 4).map(|i| score.lead_in + f64::from(i) * beat).collect();
    let loudest = mix.left.iter().chain(&mix.right).fold(0.0f32, |m, v| m.max(v.abs())).max(1e-6);
    let gain = 0.89 / loudest;
    let samples = mix.left.iter().zip(&mix.right).flat_map(|(l, r)| [l * gain, r * gain]).collect();
    let downbeats = (0..beats.len()).step_by(4).collect();
    Composed { samples, beats, downbeats, sections, drops, seconds }
}

fn chord(mix: &mut Mixer, kind: SectionKind, root: i32, at: f64, long: f64, along: f64) {
    let loud = match kind {
        SectionKind::Intro | SectionKind::Groove => 0.035,
        SectionKind::Break => 0.05,
        SectionKind::Outro => 0.03 * (1.0 - 0.6 * along),
        SectionKind::Build => 0.03 + 0.03 * along,
        SectionKind::Drop => 0.055,
    };
    for (i, step) in [24, 27, 31].iter().enumerate() {
        let f = hertz(root + step);
        let pan = [-0.4, 0.0, 0.4][i];
        let voice = |t: f64| {
            let swell = (t * 14.0).min(1.0) * ((long - t) * 14.0).clamp(0.0, 1.0);
            let tone = (t * f * TAU).sin() + 0.4 * (t * f * 2.003 * TAU).sin() + 0.2 * (t * f * 3.0 * TAU).sin();
            loud * swell * tone
        };
        mix.add(at, pan, voice, long);
    }
}

fn bass(mix: &mut Mixer, kind: SectionKind, root: i32, at: f64, beat: f64) {
    let (loud, pattern): (f64, &[f64]) = match kind {
        SectionKind::Groove | SectionKind::Build => (0.2, &[0.0, 1.5, 2.0, 3.5]),
        SectionKind::Drop => (0.3, &[0.0, 0.75, 1.5, 2.0, 2.75, 3.5]),
        _ => return,
    };
    let f = hertz(root);
    for step in pattern {
        let long = 0.45 * beat;
        let voice = |t: f64| {
            let shape = (t * 400.0).min(1.0) * ((long - t) * 60.0).clamp(0.0, 1.0);
            loud * shape * ((t * f * TAU).sin() + 0.35 * (t * 2.0 * f * TAU).sin() + 0.15 * (t * 3.0 * f * TAU).sin())
        };
        mix.add(at + step * beat, 0.0, voice, long);
    }
}

/// The drums of one beat: beat `b` of bar `own` in a part of `length` bars.
fn drums(
    mix: &mut Mixer,
    (kind, own, length): (SectionKind, u32, u32),
    b: u32,
    t0: f64,
    beat: f64,
    hiss: &dyn Fn(f64, usize) -> f64,
) {
    let kick = match kind {
        SectionKind::Groove => b == 0 || b == 2,
        SectionKind::Drop => true,
        SectionKind::Build => own < length / 2 && (b == 0 || b == 2),
        _ => false,
    };
    let drum = |mix: &mut Mixer, loud: f64| {
        mix.add(t0, 0.0, |t| loud * (TAU * (48.0 * t + 6.0 * (1.0 - (-t * 26.0).exp()))).sin() * (-t * 9.0).exp(), 0.4);
    };
    if kick {
        drum(mix, if kind == SectionKind::Drop { 0.75 } else { 0.5 });
    }
    let clap = matches!(kind, SectionKind::Groove | SectionKind::Drop) && (b == 1 || b == 3);
    if clap {
        let loud = if kind == SectionKind::Drop { 0.4 } else { 0.22 };
        mix.add(t0, 0.05, |t| loud * hiss(t, 991) * (-t * 24.0).exp(), 0.25);
    }
    let hats = match kind {
        SectionKind::Groove => 2,
        SectionKind::Drop => 4,
        SectionKind::Build => [1, 2, 2, 4][(own * 4 / length) as usize],
        SectionKind::Intro | SectionKind::Outro => 1,
        SectionKind::Break => 0,
    };
    for h in 0..hats {
        let at = t0 + f64::from(h) / f64::from(hats) * beat;
        let loud = match kind {
            SectionKind::Intro | SectionKind::Outro => 0.05,
            _ if h == 0 => 0.09,
            _ => 0.06,
        };
        // First differences of noise: treble only.
        mix.add(at, -0.2, |t| loud * (hiss(t, 13) - hiss(t, 14)) * (-t * 70.0).exp(), 0.08);
    }
    if kind == SectionKind::Build && own >= length / 2 {
        let strokes = if own >= length * 3 / 4 { 4 } else { 2 };
        for s in 0..strokes {
            let at = t0 + f64::from(s) / f64::from(strokes) * beat;
            let loud = 0.12 + 0.2 * f64::from(own) / f64::from(length);
            mix.add(at, 0.0, |t| loud * (hiss(t, 501) + (t * 190.0 * TAU).sin()) * (-t * 30.0).exp(), 0.18);
        }
    }
}

fn pluck(mix: &mut Mixer, kind: SectionKind, root: i32, b: u32, bar: u32, t0: f64, beat: f64) {
    let loud = match kind {
        SectionKind::Intro => 0.1,
        SectionKind::Groove | SectionKind::Build => 0.08,
        SectionKind::Drop => 0.13,
        SectionKind::Break => 0.07,
        SectionKind::Outro => 0.06,
    };
    let notes: &[(f64, i32)] = match (kind, b) {
        (SectionKind::Drop, 0) => &[(0.0, 36), (0.5, 39)],
        (SectionKind::Drop, 1) => &[(0.0, 43), (0.5, 36)],
        (SectionKind::Drop, 2) => &[(0.0, 39), (0.5, 43)],
        (SectionKind::Drop, _) => &[(0.0, 46), (0.5, 43)],
        (_, 0) => &[(0.0, 36)],
        (_, 2) => &[(0.0, 43), (0.5, 39)],
        (_, 3) if bar % 2 == 1 => &[(0.5, 39)],
        _ => &[],
    };
    for (offset, step) in notes {
        let f = hertz(root + step);
        let voice = |t: f64| {
            loud * (t * 900.0).min(1.0) * (-t * 5.0).exp() * ((t * f * TAU).sin() + 0.5 * (2.0 * t * f * TAU).sin())
        };
        mix.add(t0 + offset * beat, 0.25, voice, 0.9);
    }
}

impl Composed {
    /// Mono, at the rate that readings are made from, by linear interpolation (for tests; files go through
    /// ffmpeg).
    pub fn mono(&self, rate: u32) -> Vec<f32> {
        let frames = self.samples.len() / 2;
        let at = |i: usize| if i < frames { (self.samples[2 * i] + self.samples[2 * i + 1]) / 2.0 } else { 0.0 };
        let count = (frames as u64 * u64::from(rate) / u64::from(RATE)) as usize;
        (0..count)
            .map(|i| {
                let x = i as f64 * f64::from(RATE) / f64::from(rate);
                let (whole, part) = (x.floor() as usize, x.fract() as f32);
                at(whole) * (1.0 - part) + at(whole + 1) * part
            })
            .collect()
    }

    /// Writes the music beside its place and moves it there when whole.
    pub fn write_wav(&self, to: &Path) -> Result<(), DemoError> {
        if let Some(folder) = to.parent() {
            std::fs::create_dir_all(folder)?;
        }
        let part = to.with_extension("part");
        let spec = hound::WavSpec {
            channels: 2,
            sample_rate: RATE,
            bits_per_sample: 16,
            sample_format: hound::SampleFormat::Int,
        };
        let mut wav = hound::WavWriter::create(&part, spec)?;
        for s in &self.samples {
            wav.write_sample((s.clamp(-1.0, 1.0) * 32_767.0) as i16)?;
        }
        wav.finalize()?;
        std::fs::rename(part, to)?;
        Ok(())
    }
}
