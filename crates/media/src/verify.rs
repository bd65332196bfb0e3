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

/// Looks at a written file as a stranger would, and counts its frames.
pub async fn verify(path: &Path) -> Result<Verified, MediaError> {
    verified(path, &["-count_packets"], "nb_read_packets").await
}

/// The same by its index alone, without reading all of it.
pub(crate) async fn verify_index(path: &Path) -> Result<Verified, MediaError> {
    verified(path, &[], "nb_frames").await
}

async fn verified(path: &Path, more: &[&str], count: &str) -> Result<Verified, MediaError> {
    let out = Guarded::ffprobe()
        .args(["-of", "json", "-show_streams", "-show_format"])
        .args(more.iter().copied())
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
        frames: number(&video[count]),
        width: number(&video["width"]) as u32,
        height: number(&video["height"]) as u32,
        rate: rate.ok_or_else(|| MediaError::WrongResult("it has no frame rate".into()))?,
        bytes: tokio::fs::metadata(path).await?.len(),
        has_sound: streams.iter().any(|s| s["codec_type"] == "audio"),
        is_rec709: ["color_primaries", "color_transfer", "color_space"].iter().all(|k| video[*k] == "bt709")
            && video["color_range"] == "tv",
    })
}
