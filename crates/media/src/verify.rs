//! What a written film is: looked at as a stranger would.

use crate::MediaError;
use crate::guard::Guarded;
use legere_core::time::FrameRate;
use serde_json::Value;
use std::path::Path;

/// What was found in a written file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Verified {
    pub frames: u64,
    pub width: u32,
    pub height: u32,
    pub rate: FrameRate,
    pub bytes: u64,
    pub has_sound: bool,
    /// Primaries, transfer, matrix and range are said to be those of BT.709 in limited range.
    pub is_rec709: bool,
}

/// What the index of a film of ours says.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Index {
    pub frames: u64,
    /// Seconds.
    pub lasts: f64,
}

/// Reads the index of an MP4 that we wrote, here: starting a program takes longer, and this is done after every light copy and
/// every piece.
pub(crate) async fn index(path: &Path) -> Result<Index, MediaError> {
    let path = path.to_owned();
    tokio::task::spawn_blocking(move || {
        let film = mp4::read_mp4(std::fs::File::open(path)?)
            .map_err(|error| MediaError::WrongResult(format!("not a film: {error}")))?;
        let picture = film.tracks().values().find(|t| matches!(t.track_type(), Ok(mp4::TrackType::Video)));
        let picture = picture.ok_or_else(|| MediaError::WrongResult("there is no picture in it".into()))?;
        Ok(Index { frames: picture.sample_count().into(), lasts: picture.duration().as_secs_f64() })
    })
    .await
    .map_err(MediaError::stopped)?
}

/// Looks at a written file as a stranger would, and counts its frames.
pub async fn verify(path: &Path) -> Result<Verified, MediaError> {
    let out = Guarded::ffprobe()
        .args(["-of", "json", "-show_streams", "-show_format", "-count_packets"])
        .input(path)
        .run()
        .await?;
    let json: Value =
        serde_json::from_slice(&out).map_err(|error| MediaError::WrongResult(format!("not a video: {error}")))?;
    let streams = json["streams"].as_array().cloned().unwrap_or_default();
    let video = streams
        .iter()
        .find(|s| s["codec_type"] == "video")
        .ok_or_else(|| MediaError::WrongResult("there is no picture in it".into()))?;
    let number = |v: &Value| v.as_u64().or_else(|| v.as_str()?.parse().ok()).unwrap_or(0);
    let rate = video["r_frame_rate"].as_str().and_then(|r| r.parse().ok());
    Ok(Verified {
        frames: number(&video["nb_read_packets"]),
        width: number(&video["width"]) as u32,
        height: number(&video["height"]) as u32,
        rate: rate.ok_or_else(|| MediaError::WrongResult("it has no frame rate".into()))?,
        bytes: tokio::fs::metadata(path).await?.len(),
        has_sound: streams.iter().any(|s| s["codec_type"] == "audio"),
        is_rec709: ["color_primaries", "color_transfer", "color_space"].iter().all(|k| video[*k] == "bt709")
            && video["color_range"] == "tv",
    })
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn our_reading_of_an_index_agrees_with_a_stranger() {
        let dir = tempfile::tempdir().unwrap();
        let film = dir.path().join("film.mp4");
        let source = ["-f", "lavfi", "-i", "testsrc2=size=64x36:rate=30000/1001", "-frames:v", "77"];
        Guarded::ffmpeg().args(source).args(["-movflags", "+faststart"]).output(&film).run().await.unwrap();
        let (ours, theirs) = (index(&film).await.unwrap(), verify(&film).await.unwrap());
        assert_eq!((ours.frames, theirs.frames), (77, 77));
        assert!((ours.lasts - 77.0 * 1001.0 / 30000.0).abs() < 1e-3, "{ours:?}");
        // The index comes first: without its end there is none.
        let bytes = std::fs::read(&film).unwrap();
        std::fs::write(&film, &bytes[..200]).unwrap();
        assert!(matches!(index(&film).await, Err(MediaError::WrongResult(_))));
        assert!(index(&dir.path().join("none.mp4")).await.is_err());
    }
}
