//! What reading costs on top of a light copy: one ffmpeg process that only makes the copy, against ours that makes
//! everything.

use criterion::{Criterion, criterion_group, criterion_main};
use legere_media::guard::Guarded;
use legere_media::shelf::Shelf;
use legere_media::{light, probe};
use std::process::Command;

fn benches(c: &mut Criterion) {
    let dir = tempfile::tempdir().expect("a folder");
    let file = dir.path().join("clip.mp4");
    // Five seconds of full-size footage with sound: as a camera writes it, and moving all over.
    let made = Command::new("ffmpeg")
        .args(["-v", "error", "-f", "lavfi", "-i", "testsrc2=size=1920x1080:rate=25:duration=5"])
        .args(["-f", "lavfi", "-i", "anoisesrc=duration=5:amplitude=0.2", "-vf", "noise=alls=4:allf=t"])
        .args(["-c:v", "libx264", "-preset", "veryfast", "-crf", "20", "-pix_fmt", "yuv420p", "-c:a", "aac"])
        .arg(&file)
        .status();
    assert!(made.expect("ffmpeg").success());
    let shelf = Shelf::open(&dir.path().join("shelf")).expect("a shelf");
    let runtime = tokio::runtime::Runtime::new().expect("a runtime");
    let probed = runtime.block_on(probe::clip(&file)).expect("a video");
    let (w, h) = light::light_size(probed.width, probed.height);
    let mut group = c.benchmark_group("5 s of 1080p");
    group.sample_size(10);
    group.bench_function("light copy alone", |b| {
        b.iter(|| {
            let copy = Guarded::ffmpeg()
                .input(&file)
                .args(["-vf", &format!("fps=25,scale={w}:{h}:flags=bilinear,setsar=1,format=yuv420p")])
                .args(["-c:v", "libx264", "-preset", "ultrafast", "-crf", "26", "-g", "12", "-bf", "0", "-ac", "2"])
                .args(["-c:a", "aac", "-aac_coder", "fast", "-b:a", "96k", "-movflags", "+faststart", "-f", "mp4"])
                .output(&dir.path().join("copy.mp4"));
            runtime.block_on(copy.run()).expect("a copy");
        });
    });
    group.bench_function("light copy, sheet, peaks and reading", |b| {
        b.iter(|| {
            let work = shelf.work().expect("a folder");
            runtime.block_on(light::make(&file, &probed, &work, |_| ())).expect("made")
        });
    });
    group.finish();
}

criterion_group!(all, benches);
criterion_main!(all);
