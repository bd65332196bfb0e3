//! What reading costs on top of a light copy, stage by stage: `cargo xtask bench clip`. The last stage, everything that Legere
//! makes of a clip, is to be held against the third, one ffmpeg process that only makes the copy and the stills.

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
    let (w, h) = light::light_size(probed.width, probed.height, light::LIGHT_WIDTH);
    let scaled = format!("[0:v:0]fps=25,scale={w}:{h}:flags=bilinear,setsar=1,format=yuv420p");
    let stills = format!("{scaled},split=2[copy][a];[a]fps=3.2:round=down,scale=256:144,tile=16x1[sheet]");
    let group = light::GROUP.to_string();
    let coded = ["-map", "0:a:0", "-c:v", "libx264", "-preset", "ultrafast", "-crf", "26", "-g", &group, "-bf", "0"];
    let sound =
        ["-ac", "2", "-c:a", "aac", "-aac_coder", "fast", "-b:a", "96k", "-movflags", "+faststart", "-f", "mp4"];
    let (copy, sheet) = (dir.path().join("copy.mp4"), dir.path().join("sheet.jpg"));
    let mut group = c.benchmark_group("5 s of 1080p");
    group.sample_size(10);
    group.bench_function("1 bare decode", |b| {
        b.iter(|| {
            let decode = Guarded::ffmpeg().input(&file).args(["-map", "0:v:0", "-f", "null", "-"]);
            runtime.block_on(decode.run()).expect("decoded");
        });
    });
    group.bench_function("2 light copy alone", |b| {
        b.iter(|| {
            let graph = format!("{scaled}[copy]");
            let made = Guarded::ffmpeg().input(&file).args(["-filter_complex", &graph, "-map", "[copy]"]);
            runtime.block_on(made.args(coded).args(sound).output(&copy).run()).expect("a copy");
        });
    });
    group.bench_function("3 light copy and stills", |b| {
        b.iter(|| {
            let made = Guarded::ffmpeg().input(&file).args(["-filter_complex", &stills, "-map", "[copy]"]);
            let made = made.args(coded).args(sound).output(&copy);
            let made = made.args(["-map", "[sheet]", "-frames:v", "1", "-q:v", "4", "-f", "image2", "-update", "1"]);
            runtime.block_on(made.output(&sheet).run()).expect("a copy and a sheet");
        });
    });
    group.bench_function("4 light copy, stills, peaks and reading", |b| {
        b.iter(|| {
            let work = shelf.work().expect("a folder");
            runtime.block_on(light::make(&file, &probed, &work, light::LIGHT_WIDTH, |_| ())).expect("made")
        });
    });
    group.finish();
}

criterion_group!(all, benches);
criterion_main!(all);
