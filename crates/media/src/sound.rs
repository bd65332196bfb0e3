//! Decoding music and drawing waveforms.

use crate::MediaError;
use crate::guard::{Guarded, finish};
use crate::probe;
use legere_analysis::music::{Audio, Loudness, Meter, READING_RATE, read_track};
use legere_core::clip::SoundProbe;
use legere_core::time::Seconds;
use legere_core::track::TrackReading;
use std::path::Path;
use tokio::io::AsyncReadExt;

/// Peaks a second.
pub const PEAKS_PER_SECOND: u32 = 100;
const LONGEST_MINUTES: u32 = 60;
/// Where more than two channels are mixed to two, what was within full scale stays within: so ffmpeg does it for whole
/// numbers, but not by itself for floating point, and the same track would be louder here than where it is heard.
pub(crate) const MIXED_AT_MOST: &str = "1";
/// Bytes taken from the decoder at once.
const PIECE: usize = 1 << 18;

/// The largest sample of each hundredth of a second, 0–255.
pub type Peaks = Vec<u8>;

fn peak(samples: &[f32]) -> u8 {
    // Numbers without a sign are in the order of their bits, which are compared many at once.
    let largest = f32::from_bits(samples.iter().map(|s| s.abs().to_bits()).fold(0, u32::max));
    (largest * 255.0).round() as u8
}

/// Reads and removes the samples of one channel that were left beside the light copy, a hundredth of a second at a time.
pub(crate) async fn peaks_of_wav(path: &Path) -> Option<Peaks> {
    let place = path.to_path_buf();
    let read = tokio::task::spawn_blocking(move || -> Result<Peaks, hound::Error> {
        let mut file = hound::WavReader::open(&place)?;
        let rate = u64::from(file.spec().sample_rate);
        let mut samples = file.samples::<i16>();
        let mut found = Peaks::new();
        let mut piece = Vec::new();
        for hundredth in 0u64.. {
            // Not every rate has whole samples in a hundredth of a second.
            let from = |hundredth: u64| hundredth * rate / u64::from(PEAKS_PER_SECOND);
            piece.clear();
            for sample in samples.by_ref().take((from(hundredth + 1) - from(hundredth)) as usize) {
                piece.push(f32::from(sample?) / 32768.0);
            }
            if piece.is_empty() {
                break;
            }
            found.push(peak(&piece));
        }
        std::fs::remove_file(&place)?;
        Ok(found)
    });
    read.await.ok()?.ok()
}

/// A decoded track.
pub struct Decoded {
    /// Mono, at [`READING_RATE`].
    pub samples: Vec<f32>,
    /// Of one channel or of two: two alike are louder than one.
    pub loudness: Loudness,
}

/// Decodes a track; more than two channels are mixed to two.
pub async fn decoded(path: &Path, probe: &SoundProbe) -> Result<Decoded, MediaError> {
    if probe.duration.to_f64() > f64::from(LONGEST_MINUTES) * 60.0 {
        return Err(MediaError::TooLong(LONGEST_MINUTES));
    }
    let channels: u32 = if probe.channels == 1 { 1 } else { 2 };
    let mut child = Guarded::ffmpeg()
        .input(path)
        .args([
            "-map",
            "0:a:0",
            "-ac",
            &channels.to_string(),
            "-ar",
            &READING_RATE.to_string(),
            "-rematrix_maxval",
            MIXED_AT_MOST,
            // Several packets at once: waking whoever waits for each costs as much as resampling it.
            "-flush_packets",
            "0",
            "-f",
            "f32le",
            "pipe:1",
        ])
        .spawn()?;
    let pipe = child.stdout.take().ok_or(MediaError::NotSound)?;
    let ending = tokio::spawn(finish(child));
    // A file that lies about its length is read up to the limit and no further.
    let frame = 4 * channels as usize;
    let mut pipe = pipe.take(u64::from(LONGEST_MINUTES) * 60 * u64::from(READING_RATE) * frame as u64);
    let mut meter = Meter::new(channels, READING_RATE).ok_or(MediaError::NotSound)?;
    let mut samples = Vec::new();
    let mut bytes = Vec::with_capacity(PIECE + frame);
    let mut piece: Vec<f32> = Vec::new();
    loop {
        let ended = (&mut pipe).take(PIECE as u64).read_to_end(&mut bytes).await? == 0;
        let whole = bytes.len() / frame * frame;
        piece.clear();
        let values = bytes[..whole].chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]));
        piece.extend(values.map(|s| if s.is_finite() { s } else { 0.0 }));
        meter.listen(&piece);
        samples.extend(piece.chunks_exact(channels as usize).map(|c| c.iter().sum::<f32>() / channels as f32));
        bytes.drain(..whole);
        if ended {
            break;
        }
    }
    drop(pipe);
    match ending.await.map_err(MediaError::stopped)? {
        Ok(_) => {}
        Err(MediaError::Failed { log }) => {
            tracing::info!(%log, "a track was decoded in part");
            if samples.is_empty() {
                return Err(MediaError::NotSound);
            }
        }
        Err(other) => return Err(other),
    }
    Ok(Decoded { samples, loudness: meter.finish() })
}

pub struct ReadTrack {
    pub probe: SoundProbe,
    pub reading: TrackReading,
    pub peaks: Peaks,
}

/// Probes, decodes and reads a track.
pub async fn read(path: &Path) -> Result<ReadTrack, MediaError> {
    let probe = probe::sound(path).await?;
    let Decoded { samples, loudness } = decoded(path, &probe).await?;
    tokio::task::spawn_blocking(move || {
        let reading = read_track(Audio { samples: &samples, loudness: Some(&loudness) })?;
        // The decoded length is the true one; containers may round or guess.
        let duration = Seconds::new(samples.len() as i64, i64::from(READING_RATE)).unwrap_or(probe.duration);
        let peaks = samples.chunks((READING_RATE / PEAKS_PER_SECOND) as usize).map(peak).collect();
        Ok(ReadTrack { probe: SoundProbe { duration, ..probe }, reading, peaks })
    })
    .await
    .map_err(MediaError::stopped)?
}

/// A copy that any browser plays and seeks to the sample, whatever the file was.
pub async fn light_copy(path: &Path, to: &Path) -> Result<(), MediaError> {
    Guarded::ffmpeg()
        .input(path)
        .args(["-map", "0:a:0", "-ac", "2", "-ar", "48000", "-sample_fmt", "s16", "-map_metadata", "-1", "-f", "flac"])
        .output(to)
        .run()
        .await
        .map(drop)
}
