//! Stand-ins for light copies, where a test is about the page and not about reading.

use legere_core::id::ClipId;
use legere_media::shelf::Shelf;
use std::path::Path;
use std::process::Command;

/// A sheet and a light copy for each clip: the same eight, under as many names.
pub fn pictures(place: &Path, shelf: &Shelf, clips: &[ClipId]) {
    let drawn = place.join("drawn");
    std::fs::create_dir_all(&drawn).expect("a folder");
    for kind in 0..8 {
        let source = format!("testsrc2=size=480x270:rate=25:duration=8,hue=h={}", kind * 45);
        let draw = |more: &[&str], to: String| {
            let ffmpeg = ["-v", "error", "-f", "lavfi", "-i", &source];
            let status = Command::new("ffmpeg").args(ffmpeg).args(more).arg(drawn.join(to)).status();
            assert!(status.expect("ffmpeg").success());
        };
        let tiled = "fps=2,scale=160:90,tile=16x1";
        draw(&["-vf", tiled, "-frames:v", "1", "-q:v", "5"], format!("{kind}.jpg"));
        draw(&["-preset", "ultrafast", "-g", "12", "-pix_fmt", "yuv420p"], format!("{kind}.mp4"));
    }
    for (i, clip) in clips.iter().enumerate() {
        let folder = shelf.clip(&clip.to_string());
        std::fs::create_dir_all(&folder).expect("a folder");
        std::fs::write(folder.join("peaks.bin"), [90u8; 800]).expect("peaks");
        for (from, to) in [("jpg", "sheet.jpg"), ("mp4", "light.mp4")] {
            std::fs::hard_link(drawn.join(format!("{}.{from}", i % 8)), folder.join(to)).expect("a link");
        }
    }
}
