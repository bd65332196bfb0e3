//! What the camera's microphone heard.

use crate::DemoError;
use crate::plan::{Plan, Subject};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::f64::consts::TAU;
use std::path::Path;

const RATE: u32 = 48_000;

/// Writes the sound of a clip as a mono WAV.
pub fn write(plan: &Plan, to: &Path) -> Result<(), DemoError> {
    let spec =
        hound::WavSpec { channels: 1, sample_rate: RATE, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
    let mut wav = hound::WavWriter::create(to, spec)?;
    let mut rng = ChaCha8Rng::seed_from_u64(plan.seed ^ 0x50_0D);
    let count = (plan.seconds * f64::from(RATE)) as u64;
    let mut air = 0.0;
    for i in 0..count {
        let t = i as f64 / f64::from(RATE);
        let noise: f64 = rng.random_range(-1.0..1.0);
        // Room: noise without its treble, and the hum of the lamps.
        air = 0.98 * air + 0.02 * noise;
        let room = 0.05 * air + 0.004 * (t * 100.0 * TAU).sin();
        let since = plan.hit.map_or(-1.0, |hit| t - hit);
        let own = match plan.subject {
            Subject::Escapement | Subject::Pendulum | Subject::Dial => tick(t, 2.0 * plan.liveliness, noise),
            Subject::Gears => 0.4 * tick(t, 9.0 * plan.liveliness, noise),
            Subject::Sparks if since > 0.0 => 0.35 * noise * (-since * 0.6).exp(),
            Subject::Bell if since > 0.0 => [(1.0, 0.8), (2.0, 1.3), (2.4, 1.8), (4.2, 3.0)]
                .iter()
                .map(|(partial, decay)| 0.12 * (t * 310.0 * partial * TAU).sin() * (-since * decay).exp())
                .sum(),
            Subject::Pigeons if since > 0.0 => 0.3 * noise * (-since).exp() * (0.5 + 0.5 * (t * 9.0 * TAU).sin()),
            Subject::Filings => 0.12 * noise * (t * 7.0 * plan.liveliness).sin().abs(),
            _ => 0.0,
        };
        wav.write_sample(((room + own).clamp(-1.0, 1.0) * 32_000.0) as i16)?;
    }
    wav.finalize()?;
    Ok(())
}

/// Sounds that were recorded for themselves: file, and how much wind, hum and bustle is in it.
pub const AMBIENCES: [(&str, [f64; 3]); 3] = [
    ("workshop at night.wav", [0.2, 1.0, 0.1]),
    ("wind at the tower.wav", [1.0, 0.0, 0.0]),
    ("market below.wav", [0.4, 0.1, 1.0]),
];

/// Writes half a minute of a place as a mono WAV.
pub fn ambience((file, [wind, hum, bustle]): (&str, [f64; 3]), folder: &Path) -> Result<(), DemoError> {
    std::fs::create_dir_all(folder)?;
    let spec =
        hound::WavSpec { channels: 1, sample_rate: RATE, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
    let part = folder.join(format!(".{file}.part"));
    let mut wav = hound::WavWriter::create(&part, spec)?;
    let mut rng = ChaCha8Rng::seed_from_u64(file.len() as u64);
    let (mut air, mut low) = (0.0, 0.0);
    for i in 0..30 * RATE {
        let t = f64::from(i) / f64::from(RATE);
        let noise: f64 = rng.random_range(-1.0..1.0);
        air = 0.97 * air + 0.03 * noise;
        low = 0.9 * low + 0.1 * noise;
        let gusts = 0.6 + 0.4 * (t * 0.7).sin() * (t * 0.23).cos();
        let steps = (t * 2.1 * TAU).sin().max(0.0).powi(8) * 0.3 + 0.7;
        let sample = wind * gusts * air * 0.9
            + hum * 0.02 * ((t * 100.0 * TAU).sin() + 0.4 * (t * 200.0 * TAU).sin())
            + bustle * 0.3 * low * steps;
        wav.write_sample((sample.clamp(-1.0, 1.0) * 20_000.0) as i16)?;
    }
    wav.finalize()?;
    std::fs::rename(part, folder.join(file))?;
    Ok(())
}

fn tick(t: f64, per_second: f64, noise: f64) -> f64 {
    let since = (t * per_second).fract() / per_second;
    0.3 * noise * (-since * 240.0).exp() + 0.2 * (since * 2600.0 * TAU).sin() * (-since * 180.0).exp()
}
