//! One picture of an original at its full size, to judge focus by.

use crate::MediaError;
use crate::guard::Guarded;
use crate::permits;
use legere_core::clip::ClipProbe;
use legere_core::time::{FramePos, Seconds};
use std::path::Path;

/// The frame that an instant lies in, as a JPEG of high quality, turned as it is displayed.
pub async fn jpeg(path: &Path, probe: &ClipProbe, at: f64) -> Result<Vec<u8>, MediaError> {
    let _permit = permits::still().await;
    let rate = probe.frame_rate;
    let frame = rate.containing(Seconds::from_measured(at.max(0.0) + 1e-4)).get();
    let last = rate.containing(probe.duration).get().saturating_sub(1).max(0);
    // From half a frame before, so that this one is the first that is not passed over.
    let seek = (rate.seconds_at(FramePos::new(frame.min(last))).to_f64() - 0.5 / rate.to_f64()).max(0.0);
    let bytes = Guarded::ffmpeg()
        .args(["-ss", &format!("{seek:.6}")])
        .input(path)
        .args(["-map", "0:v:0", "-frames:v", "1", "-q:v", "2", "-c:v", "mjpeg", "-f", "image2pipe", "pipe:1"])
        .run()
        .await?;
    if bytes.is_empty() { Err(MediaError::NotVideo) } else { Ok(bytes) }
}
