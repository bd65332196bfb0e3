//! What is handed off is read by libraries that others wrote, each clip at its own rate and timecode.

use legere_core::draft::{Between, Pause, Speed, SpeedKeyframe, Stop};
use legere_core::interchange::{CutList, Event, Music, reel_name, write_edl, write_otio};
use legere_core::time::{FrameLen, FrameRate, Seconds, Timecode};
use serde_json::json;
use std::path::{Path, PathBuf};
use std::process::Command;

/// The rate, whether its timecode drops numbers, the first frame's timecode in frames, the first frame used, the length
/// in the job's frames, and the speed.
type Shot = (&'static str, bool, u64, u64, u64, (i64, i64));

const SHOTS: [Shot; 9] = [
    ("24000/1001", false, 86_400, 12, 48, (1, 1)),
    ("25", false, 90_000, 7, 31, (1, 1)),
    // An hour of drop-frame timecode; the second crosses a minute, where two numbers are left out.
    ("30000/1001", true, 107_892, 33, 50, (1, 1)),
    ("30000/1001", true, 107_892, 1_780, 60, (1, 1)),
    ("30000/1001", false, 108_000, 5, 24, (1, 1)),
    ("50", false, 180_000, 40, 25, (1, 2)),
    ("60000/1001", true, 215_784, 3_580, 48, (1, 1)),
    ("60", false, 0, 100, 40, (2, 5)),
    ("24", false, 86_400, 0, 20, (1, 1)),
];

const JOBS: [&str; 3] = ["24000/1001", "25", "30000/1001"];

fn python() -> PathBuf {
    let readers = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/readers/bin/python");
    assert!(readers.exists(), "the readers are not there; cargo xtask test brings them");
    readers
}

fn cut(rate: FrameRate, shots: &[Shot]) -> CutList {
    let event = |i: usize, &(clip_rate, drop, start, first, len, (num, den)): &Shot| {
        let clip_rate: FrameRate = clip_rate.parse().expect("a rate");
        Event {
            clip: format!("clip {i}.mov"),
            url: format!("file:///cards/clip%20{i}.mov"),
            reel: reel_name(&format!("R{i:03}")),
            clip_rate,
            clip_start: Timecode { frames: start, drop },
            clip_frames: 9_000,
            source_in: clip_rate.seconds_of(FrameLen::new(first)),
            speed: Speed::new(num, den).expect("a speed"),
            keyframes: vec![],
            between: Between::Repeat,
            pause: None,
            len: FrameLen::new(len),
            energy: 50.0,
            tier: "strong".into(),
            tags: Vec::new(),
            note: String::new(),
            why: Vec::new(),
        }
    };
    let events: Vec<Event> = shots.iter().enumerate().map(|(i, shot)| event(i, shot)).collect();
    let pictures = rate.seconds_of(events.iter().map(|e| e.len).sum());
    CutList {
        title: "Nine clips".into(),
        rate,
        events,
        music: vec![Music {
            name: "music.wav".into(),
            url: "file:///music/music.wav".into(),
            spans: vec![(Seconds::new(5, 1).expect("seconds"), pictures)],
            speed: 1.0,
            track_duration: Seconds::new(120, 1).expect("seconds"),
            sample_rate: 48_000,
            ends: None,
        }],
        markers: Vec::new(),
    }
}

fn read_by_others(folder: &Path, job: &str, shots: &[Shot]) {
    let cut = cut(job.parse().expect("a rate"), shots);
    let meant: Vec<_> = std::iter::zip(&cut.events, shots)
        .map(|(e, (rate, drop, start, first, len, (num, den)))| {
            json!({ "clip": e.clip, "url": e.url, "rate": rate, "drop": drop, "start": start, "frames": e.clip_frames,
                    "first": first, "len": len, "speed": format!("{num}/{den}") })
        })
        .collect();
    read_by("readers.py", folder, &json!({ "rate": job, "shots": meant }), &cut);
}

/// Writes both lists, and has a script compare them with what was meant.
fn read_by(script: &str, folder: &Path, meant: &serde_json::Value, cut: &CutList) {
    let file = |name: &str, text: String| {
        let path = folder.join(name);
        std::fs::write(&path, text).expect("written");
        path
    };
    let files =
        [file("meant.json", meant.to_string()), file("cut.edl", write_edl(cut)), file("cut.otio", write_otio(cut))];
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests").join(script);
    let out = Command::new(python()).arg(script).args(files).output().expect("python");
    let said = String::from_utf8_lossy(&out.stdout);
    assert!(out.status.success(), "in a job of {}:\n{said}{}", cut.rate, String::from_utf8_lossy(&out.stderr));
}

#[test]
fn what_is_held_backwards_or_black_is_found_part_by_part() {
    let folder = tempfile::tempdir().expect("a folder");
    let keyframe = |at, num, den| SpeedKeyframe::new(at, 0, Speed::new(num, den).expect("a speed"));
    let mut cut = cut(
        "25".parse().expect("a rate"),
        &[
            ("25", false, 0, 100, 50, (1, 1)),
            ("25", false, 0, 240, 40, (-1, 1)),
            ("25", false, 0, 300, 30, (1, 1)),
            ("25", false, 0, 400, 20, (1, 1)),
        ],
    );
    cut.events[0].keyframes = vec![keyframe(20, 0, 1), keyframe(30, 2, 1)];
    cut.events[2].pause = Some(Pause { len: FrameLen::new(12), stop: Stop::Black, missing: FrameLen::new(0) });
    cut.events[3].pause = Some(Pause { len: FrameLen::new(5), stop: Stop::Held, missing: FrameLen::new(0) });
    let part = |first: u64, used: u64, len: u64, speed: i64| json!({ "first": first, "used": used, "len": len, "speed": speed });
    let meant = json!([
        // Twenty frames, one of them held for ten, then twenty at twice the speed.
        part(100, 20, 20, 1),
        part(120, 1, 10, 0),
        part(120, 40, 20, 2),
        // Up to frame 240 and no further, from there to the beginning.
        part(200, 40, 40, -1),
        part(300, 18, 18, 1),
        { "first": 0, "used": 0, "len": 12, "speed": null },
        part(400, 15, 15, 1),
        part(414, 1, 5, 0),
    ]);
    read_by("readers_parts.py", folder.path(), &meant, &cut);
}

#[test]
fn clips_of_every_rate_are_found_at_their_own_timecode() {
    let folder = tempfile::tempdir().expect("a folder");
    for job in JOBS {
        read_by_others(folder.path(), job, &SHOTS);
        // By a reader that knows one rate for the whole list: clips of the job's own rate.
        let own: Vec<Shot> = SHOTS.iter().filter(|s| s.0 == job && !s.1).copied().collect();
        read_by_others(folder.path(), job, &own);
    }
}
