//! Previews and hand-offs, frame for frame.

mod samples;

use legere_core::draft::{Between, Pause, Pin, Shot, Source, Speed, SpeedKeyframe, Stop};
use legere_core::id::{ClipId, SelectId, ShotId};
use legere_core::time::{FrameLen, FramePos, FrameRate, Seconds};
use legere_core::track::Version;
use legere_media::piece::{Format, Piece, Purpose};
use legere_media::render::{Job, MusicPart, music_file, render};
use legere_media::shelf::Shelf;
use legere_media::verify::verify;
use legere_media::version::Form;
use samples::{counted, duration_of, ffmpeg, instants, numbers};
use std::collections::BTreeSet;
use std::path::Path;

fn rate(text: &str) -> FrameRate {
    text.parse().expect("a rate")
}

/// What shows a clip from a frame on, before anything else is done to it.
fn shot(clip_rate: &str, first: i64, speed: (i64, i64), len: u64) -> Shot {
    let start = rate(clip_rate).seconds_at(FramePos::new(first));
    let media = Seconds::new(3600, 1).expect("an hour");
    let source = Source::plain(SelectId::from_u128(1), ClipId::from_u128(1), start, media);
    let speed = Speed::new(speed.0, speed.1).expect("a speed");
    let len = FrameLen::new(len);
    Shot {
        id: ShotId::from_u128(1),
        len,
        source: Source { speed, ..source },
        hit_at: None,
        pause: None,
        pin: Pin::Open,
        held: false,
    }
}

fn of(file: &Path, clip_rate: &str, shot: &Shot) -> Piece {
    Piece::of(file.to_path_buf(), file.display().to_string(), rate(clip_rate), shot, rate("24000/1001"))
}

fn piece(file: &Path, clip_rate: &str, first: i64, speed: (i64, i64), len: u64) -> Piece {
    of(file, clip_rate, &shot(clip_rate, first, speed, len))
}

fn job(purpose: Purpose, pieces: Vec<Piece>) -> Job {
    let format = Format { rate: rate("24000/1001"), width: 320, height: 180, purpose };
    Job { format, pieces, music: vec![] }
}

fn pieces_on(shelf: &Shelf) -> BTreeSet<String> {
    let entries = std::fs::read_dir(shelf.pieces()).expect("pieces").flatten();
    entries.map(|e| e.file_name().to_string_lossy().into_owned()).collect()
}

#[tokio::test]
async fn every_frame_is_the_one_that_was_meant() {
    let dir = tempfile::tempdir().expect("a folder");
    let shelf = Shelf::open(&dir.path().join("shelf")).expect("a shelf");
    let same = dir.path().join("same.mp4");
    let fast = dir.path().join("fast.mp4");
    counted("24000/1001", 120, &same);
    counted("60000/1001", 240, &fast);
    for purpose in [Purpose::Preview, Purpose::HandOff] {
        let job = job(
            purpose,
            vec![
                piece(&same, "24000/1001", 17, (1, 1), 20),
                piece(&fast, "60000/1001", 50, (2, 5), 12),
                piece(&same, "24000/1001", 0, (1, 1), 5),
                piece(&fast, "60000/1001", 30, (1, 1), 8),
            ],
        );
        let to = dir.path().join(format!("{purpose:?}.mp4"));
        render(&job, &shelf, &to, |_| ()).await.expect("rendered");
        let shown = numbers(&to);
        assert_eq!(shown.len(), 45, "{purpose:?}");
        assert_eq!(shown[..20], (17..37).collect::<Vec<_>>(), "{purpose:?}: same rate, frame for frame");
        assert_eq!(shown[20..32], (50..62).collect::<Vec<_>>(), "{purpose:?}: slowed to the job's rate, none twice");
        assert_eq!(shown[32..37], [0, 1, 2, 3, 4], "{purpose:?}");
        assert_eq!(shown[37..], [30, 32, 35, 37, 40, 42, 45, 47], "{purpose:?}: what the clip shows at each instant");
    }
}

/// The numbers that a film of these shots of one clip shows.
async fn shown(dir: &Path, clip: &Path, clip_rate: &str, shots: &[Shot]) -> (Vec<Piece>, Vec<usize>) {
    let shelf = Shelf::open(&dir.join("shelf")).expect("a shelf");
    let pieces: Vec<Piece> = shots.iter().map(|s| of(clip, clip_rate, s)).collect();
    let to = dir.join("film.mp4");
    render(&job(Purpose::HandOff, pieces.clone()), &shelf, &to, |_| ()).await.expect("rendered");
    (pieces, numbers(&to))
}

#[tokio::test]
async fn ramps_holds_pauses_and_the_way_back_are_rendered_frame_for_frame() {
    let dir = tempfile::tempdir().expect("a folder");
    let clip = dir.path().join("clip.mp4");
    counted("50", 300, &clip);
    let keyframe = |at, over, percent| SpeedKeyframe::new(at, over, Speed::new(percent, 100).expect("a speed"));
    let plain = shot("50", 120, (1, 1), 30);
    let with = |speed: i64, keyframes: Vec<SpeedKeyframe>| {
        let speed = Speed::new(speed, 100).expect("a speed");
        Shot { source: Source { speed, keyframes, ..plain.source.clone() }, ..plain.clone() }
    };
    let stopped = |stop| Some(Pause { len: FrameLen::new(7), stop, missing: FrameLen::new(0) });
    let shots = [
        with(100, vec![keyframe(6, 6, 300), keyframe(18, 6, 50)]),
        with(100, vec![keyframe(10, 0, 0), keyframe(20, 0, 100)]),
        with(-100, vec![]),
        with(60, vec![keyframe(8, 10, -120)]),
        Shot { pause: stopped(Stop::Held), ..plain.clone() },
        Shot { pause: stopped(Stop::Black), ..plain.clone() },
    ];
    let (pieces, shown) = shown(dir.path(), &clip, "50", &shots).await;
    // Black shows no bar at all, as the number 0 does.
    let wanted: Vec<usize> = pieces.iter().flat_map(|p| &p.table).map(|s| s.frame.map_or(0, |k| k as usize)).collect();
    assert_eq!(shown, wanted);
    assert!(wanted.contains(&0) && wanted.windows(2).any(|w| w[1] + 1 < w[0]), "black, and backwards: {wanted:?}");
}

/// How bright each frame of a film is on the whole, 0–255.
fn brightness(file: &Path) -> Vec<f64> {
    let raw = file.with_extension("gray");
    ffmpeg(&["-i", file.to_str().expect("name"), "-vf", "scale=32:18,format=gray", "-f", "rawvideo"], &raw);
    let bytes = std::fs::read(&raw).expect("frames");
    bytes.chunks_exact(32 * 18).map(|f| f.iter().map(|p| f64::from(*p)).sum::<f64>() / f.len() as f64).collect()
}

#[tokio::test]
async fn frames_in_between_are_mixed_or_computed_where_that_is_wanted() {
    let dir = tempfile::tempdir().expect("a folder");
    let clip = dir.path().join("clip.mp4");
    // Each frame is a little brighter than the one before.
    ffmpeg(
        &[
            "-f",
            "lavfi",
            "-i",
            "color=black:size=320x180:rate=25:duration=2,geq=lum='40+N*4':cb=128:cr=128",
            "-pix_fmt",
            "yuv420p",
            "-qp",
            "0",
        ],
        &clip,
    );
    let slow = |between| {
        let plain = shot("25", 5, (1, 4), 24);
        Shot { source: Source { between, ..plain.source.clone() }, ..plain }
    };
    for between in [Between::Repeat, Between::Blend, Between::Computed] {
        shown(dir.path(), &clip, "25", &[slow(between)]).await;
        let seen = brightness(&dir.path().join("film.mp4"));
        let steps: Vec<f64> = seen.windows(2).map(|w| w[1] - w[0]).collect();
        let stands = steps.iter().filter(|s| s.abs() < 0.05).count();
        match between {
            Between::Repeat => assert!(stands >= 15, "each is seen four times: {seen:?}"),
            Between::Blend | Between::Computed => assert!(stands <= 2, "{between:?}: it hardly stands: {seen:?}"),
        }
        assert!(steps.iter().all(|s| *s > -0.5), "{between:?}: it goes on: {seen:?}");
    }
}

#[tokio::test]
async fn only_what_changed_is_rendered_again() {
    let dir = tempfile::tempdir().expect("a folder");
    let shelf = Shelf::open(&dir.path().join("shelf")).expect("a shelf");
    let clip = dir.path().join("clip.mp4");
    counted("24000/1001", 120, &clip);
    let mut draft = job(Purpose::Preview, (0..4).map(|i| piece(&clip, "24000/1001", i * 20, (1, 1), 12)).collect());
    let first_key = draft.key();
    render(&draft, &shelf, &dir.path().join("a.mp4"), |_| ()).await.expect("rendered");
    let before = pieces_on(&shelf);
    assert_eq!(before.len(), 4);
    draft.pieces[2] = piece(&clip, "24000/1001", 90, (1, 1), 12);
    assert_ne!(draft.key(), first_key);
    let mut ready = Vec::new();
    render(&draft, &shelf, &dir.path().join("b.mp4"), |n| ready.push(n)).await.expect("rendered");
    assert_eq!(ready, [3, 4], "three were there");
    assert_eq!(pieces_on(&shelf).difference(&before).count(), 1);
    assert_eq!(numbers(&dir.path().join("b.mp4"))[24..36], (90..102).collect::<Vec<_>>());
}

#[tokio::test]
async fn the_music_starts_where_it_should_and_ends_with_the_pictures() {
    let dir = tempfile::tempdir().expect("a folder");
    let shelf = Shelf::open(&dir.path().join("shelf")).expect("a shelf");
    let clip = dir.path().join("clip.mp4");
    counted("24000/1001", 120, &clip);
    // Silence, and from 3 s on a tone: one second into the part that starts at 2 s.
    let music = dir.path().join("music.wav");
    ffmpeg(&["-f", "lavfi", "-i", "sine=frequency=880:duration=6,volume='gte(t,3)':eval=frame"], &music);
    let mut draft = job(
        Purpose::Preview,
        vec![piece(&clip, "24000/1001", 0, (1, 1), 60), piece(&clip, "24000/1001", 0, (1, 1), 36)],
    );
    let seconds = |n| Seconds::new(n, 1).expect("seconds");
    let version = Version::part(seconds(2), seconds(6), seconds(6)).expect("a part");
    draft.music = vec![MusicPart { file: music.clone(), content: "m".into(), version, len: None }];
    let to = dir.path().join("film.mp4");
    render(&draft, &shelf, &to, |_| ()).await.expect("rendered");
    let found = verify(&to).await.expect("a film");
    assert_eq!(
        (found.frames, found.width, found.height, found.rate, found.has_sound),
        (96, 320, 180, rate("24000/1001"), true)
    );
    let (pictures, sound) = (duration_of(&to, "v:0"), duration_of(&to, "a:0"));
    assert!((pictures - 96.0 * 1001.0 / 24000.0).abs() < 0.001, "{pictures}");
    assert!((sound - pictures).abs() < 0.025, "{sound} against {pictures}");
    let decoded = dir.path().join("decoded.raw");
    ffmpeg(&["-i", to.to_str().expect("name"), "-map", "0:a:0", "-ac", "1", "-ar", "8000", "-f", "s16le"], &decoded);
    let bytes = std::fs::read(&decoded).expect("samples");
    let loud = bytes.chunks_exact(2).position(|b| i16::from_le_bytes([b[0], b[1]]).abs() > 1000).expect("the tone");
    assert!((loud as f64 / 8000.0 - 1.0).abs() < 0.03, "the tone comes at {} s", loud as f64 / 8000.0);
}

#[tokio::test]
async fn passages_of_music_begin_exactly_with_their_frame() {
    let dir = tempfile::tempdir().expect("a folder");
    let shelf = Shelf::open(&dir.path().join("shelf")).expect("a shelf");
    let at = |name: &str| dir.path().join(name);
    ffmpeg(&["-f", "lavfi", "-i", "aevalsrc=0.05*sin(2*PI*200*t):s=48000:d=6"], &at("calm.wav"));
    ffmpeg(&["-f", "lavfi", "-i", "aevalsrc=0.5*sin(2*PI*200*t):s=44100:d=6"], &at("loud.wav"));
    let seconds = |n| Seconds::new(n, 1).expect("seconds");
    let version = Version::part(seconds(1), seconds(5), seconds(6)).expect("a part");
    let part = |name: &str, len: Option<u64>| MusicPart {
        file: at(name),
        content: name.into(),
        version: version.clone(),
        len: len.map(FrameLen::new),
    };
    // 37 frames of the one at 23.976, then the other.
    let parts = [part("calm.wav", Some(37)), part("loud.wav", None)];
    let film = rate("24000/1001");
    let file = music_file(&parts, film, Some(FrameLen::new(96)), Form::Wav, &shelf).await.expect("music");
    ffmpeg(&["-i", file.to_str().expect("name"), "-ac", "1", "-f", "s16le"], &at("raw"));
    let bytes = std::fs::read(at("raw")).expect("samples");
    let samples: Vec<i32> = bytes.chunks_exact(2).map(|b| i32::from(i16::from_le_bytes([b[0], b[1]])).abs()).collect();
    assert_eq!(samples.len(), (96.0f64 * 1001.0 / 24000.0 * 48_000.0).round() as usize);
    let begins = samples.iter().position(|s| *s > 6000).expect("the loud one");
    let wanted = (37.0f64 * 1001.0 / 24000.0 * 48_000.0).round() as usize;
    // A quarter of a wave later at most it is louder than the other ever is.
    assert!((wanted..wanted + 70).contains(&begins), "{begins} instead of {wanted}");
    assert_eq!(music_file(&parts, film, Some(FrameLen::new(96)), Form::Wav, &shelf).await.expect("kept"), file);
}

#[tokio::test]
async fn frames_of_another_shape_fill_the_frame() {
    let dir = tempfile::tempdir().expect("a folder");
    let shelf = Shelf::open(&dir.path().join("shelf")).expect("a shelf");
    let upright = dir.path().join("upright.mp4");
    ffmpeg(&["-f", "lavfi", "-i", "color=white:size=180x320:rate=25:duration=1", "-pix_fmt", "yuv420p"], &upright);
    let draft = job(Purpose::HandOff, vec![piece(&upright, "25", 0, (1, 1), 10)]);
    let to = dir.path().join("film.mp4");
    render(&draft, &shelf, &to, |_| ()).await.expect("rendered");
    let raw = dir.path().join("raw");
    ffmpeg(&["-i", to.to_str().expect("name"), "-frames:v", "1", "-vf", "format=gray", "-f", "rawvideo"], &raw);
    let frame = std::fs::read(&raw).expect("a frame");
    assert_eq!(frame.len(), 320 * 180);
    assert!(frame.iter().all(|p| *p > 200), "no black at the sides");
}

#[tokio::test]
async fn a_clip_that_vanished_is_an_error_and_leaves_nothing_half_made() {
    let dir = tempfile::tempdir().expect("a folder");
    let shelf = Shelf::open(&dir.path().join("shelf")).expect("a shelf");
    let draft = job(Purpose::Preview, vec![piece(&dir.path().join("gone.mp4"), "25", 0, (1, 1), 10)]);
    let to = dir.path().join("film.mp4");
    assert!(render(&draft, &shelf, &to, |_| ()).await.is_err());
    assert!(!to.exists() && pieces_on(&shelf).is_empty());
}

#[tokio::test]
async fn many_pieces_add_up_exactly() {
    let dir = tempfile::tempdir().expect("a folder");
    let shelf = Shelf::open(&dir.path().join("shelf")).expect("a shelf");
    let clip = dir.path().join("clip.mp4");
    counted("24000/1001", 60, &clip);
    for job_rate in ["24000/1001", "25", "60000/1001"] {
        let mut draft =
            job(Purpose::Preview, (0..14).map(|i| piece(&clip, "24000/1001", i, (1, 1), 5 + i as u64 % 3)).collect());
        draft.format.rate = rate(job_rate);
        let to = dir.path().join("film.mp4");
        render(&draft, &shelf, &to, |_| ()).await.expect("rendered");
        let (instants, clock) = instants(&to);
        assert_eq!(instants.len() as u64, draft.frames().get());
        let step = clock * i64::from(draft.format.rate.den()) / i64::from(draft.format.rate.num());
        assert!(
            instants.iter().enumerate().all(|(i, at)| *at == i as i64 * step),
            "{job_rate}: {instants:?} at {clock}"
        );
    }
}
