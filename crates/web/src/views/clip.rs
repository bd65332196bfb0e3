//! What a clip means in its job, in words.

use chrono::{DateTime, Utc};
use chrono_tz::Tz;
use legere_app::zone::enlarged;
use legere_store::jobs::Job;

/// An instant as the clocks of the job's time zone showed it.
pub fn local(at: DateTime<Utc>, job: &Job) -> DateTime<Tz> {
    at.with_timezone(&job.zone.parse().unwrap_or(Tz::UTC))
}

/// What a clock on the wall showed, kept as if it were UTC: for days and hours that are compared and drawn.
pub fn wall_clock(at: DateTime<Utc>, job: &Job) -> DateTime<Utc> {
    local(at, job).naive_local().and_utc()
}

/// What a clip's size means in this job.
pub fn size_words(width: u32, height: u32, job: &Job) -> String {
    let scale = enlarged(width, height, job);
    let upright = if height > width && job.width > job.height { ", upright" } else { "" };
    if scale > 1.02 {
        format!("{width}×{height}{upright}, enlarged {scale:.1}×")
    } else {
        format!("{width}×{height}{upright}, fills the frame")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use legere_core::arrange::Story;
    use legere_core::id::JobId;

    #[test]
    fn a_size_says_what_it_means_in_the_job() {
        let job = |width, height| Job {
            id: JobId::from_u128(0),
            name: "A".into(),
            rate: "25".parse().expect("a rate"),
            width,
            height,
            target_seconds: None,
            chosen_track: None,
            zone: "UTC".into(),
            searches: vec![],
            story: Story::default(),
            paused: false,
            removed: false,
            revision: 0,
        };
        for ((w, h), (jw, jh), words) in [
            ((1920, 1080), (1920, 1080), "1920×1080, fills the frame"),
            ((3840, 2160), (1920, 1080), "3840×2160, fills the frame"),
            ((1280, 720), (1920, 1080), "1280×720, enlarged 1.5×"),
            ((1080, 1920), (1920, 1080), "1080×1920, upright, enlarged 1.8×"),
            ((1080, 1920), (1080, 1920), "1080×1920, fills the frame"),
            ((1920, 800), (1920, 1080), "1920×800, enlarged 1.4×"),
        ] {
            assert_eq!(size_words(w, h, &job(jw, jh)), words, "{w}x{h} in {jw}x{jh}");
        }
    }
}
