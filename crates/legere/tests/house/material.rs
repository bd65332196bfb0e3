//! A small shoot and a short piece of music, drawn and played by the demo.

use legere_core::track::SectionKind;
use legere_demo::music::{Score, compose, escapement};
use legere_demo::{Fault, film, long_hour};
use std::path::Path;
use std::process::Command;

/// Draws `count` short clips in two rolls, and a piece of half a minute with a drop in it.
pub async fn make(folder: &Path, count: usize) {
    let plans = long_hour(7).into_iter().flat_map(|r| r.clips.into_iter().map(move |c| (r.folder, c)));
    let whole: Vec<_> = plans.filter(|(_, p)| p.fault == Fault::None && p.seconds < 10.0 && !p.picture).collect();
    let every = (whole.len() / count).max(1);
    let mut drawing = tokio::task::JoinSet::new();
    for (i, (roll, mut plan)) in whole.into_iter().step_by(every).take(count).enumerate() {
        plan.seconds = 3.2;
        plan.hit = plan.hit.map(|_| 1.2 + 0.05 * i as f64);
        let to = folder.join(roll).join(&plan.file);
        drawing.spawn(async move { film::shoot(&plan, &to).await });
        if drawing.len() == 3 {
            drawing.join_next().await.expect("one").expect("drawn").expect("written");
        }
    }
    while let Some(done) = drawing.join_next().await {
        done.expect("drawn").expect("written");
    }
    music(&folder.join("music")).await;
}

/// A piece of three quarters of a minute with a drop in it.
pub async fn music(folder: &Path) {
    let to = folder.join("short.wav");
    tokio::task::spawn_blocking(move || compose(&short_piece()).write_wav(&to))
        .await
        .expect("played")
        .expect("written");
}

fn short_piece() -> Score {
    use SectionKind::{Build, Drop, Groove, Intro, Outro};
    Score { title: "Short", parts: vec![(Intro, 4), (Groove, 4), (Build, 4), (Drop, 4), (Outro, 4)], ..escapement() }
}

/// Twelve seconds with a tick each half second.
pub fn ticks(to: &Path) {
    let tick = "if(gte(t,0.75),0.8*sin(2*PI*900*t)*exp(-60*mod(t-0.75,0.5)),0)";
    let status = Command::new("ffmpeg")
        .args(["-v", "error", "-f", "lavfi", "-i", &format!("aevalsrc='{tick}':s=48000:d=12")])
        .arg(to)
        .status()
        .expect("ffmpeg");
    assert!(status.success());
}

/// The same pictures as another file: a free box (ISO/IEC 14496-12) with a number in it stands behind them, since the same
/// content twice would be one clip.
pub fn another(of: &std::path::Path, to: &std::path::Path, number: usize) {
    let mut bytes = std::fs::read(of).expect("a clip");
    bytes.extend([0, 0, 0, 16]);
    bytes.extend(b"free");
    bytes.extend((number as u64).to_be_bytes());
    std::fs::write(to, bytes).expect("written");
    let modified = std::fs::metadata(of).and_then(|m| m.modified()).expect("a time");
    std::fs::File::options().append(true).open(to).and_then(|f| f.set_modified(modified)).expect("the same time");
}
