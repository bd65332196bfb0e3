//! Music in the formats that musicians hand over.

mod samples;

use legere_media::{MediaError, sound};
use samples::ffmpeg;
use std::path::{Path, PathBuf};

/// A kick and a hat at 120 beats a minute, ten seconds of it.
fn beat(folder: &Path) -> PathBuf {
    let file = folder.join("beat.wav");
    let kick = "0.8*sin(2*PI*70*t)*exp(-30*mod(t,0.5))";
    let hat = "0.3*(random(0)*2-1)*exp(-80*mod(t+0.25,0.5))";
    ffmpeg(&["-f", "lavfi", "-i", &format!("aevalsrc='{kick}+{hat}':s=44100:d=10"), "-metadata", "title=Beat"], &file);
    file
}

#[tokio::test]
async fn every_usual_format_is_read_alike() {
    let dir = tempfile::tempdir().expect("a folder");
    let wav = beat(dir.path());
    for ending in ["wav", "flac", "mp3", "ogg", "m4a", "aiff"] {
        let file = dir.path().join(format!("a.{ending}"));
        let codec: &[&str] = if ending == "ogg" { &["-c:a", "libvorbis"] } else { &[] };
        ffmpeg(&[&["-i", wav.to_str().expect("name")], codec].concat(), &file);
        let read = sound::read(&file).await.unwrap_or_else(|e| panic!("{ending}: {e}"));
        assert!((read.reading.duration - 10.0).abs() < 0.1, "{ending}: {}", read.reading.duration);
        assert!((read.reading.tempo_bpm - 120.0).abs() < 1.0, "{ending}: {}", read.reading.tempo_bpm);
        assert!((read.peaks.len() as i64 - 1000).abs() < 12, "{ending}: {}", read.peaks.len());
        let copy = dir.path().join(format!("{ending}.light.flac"));
        sound::light_copy(&file, &copy).await.unwrap_or_else(|e| panic!("{ending}: {e}"));
        let again = sound::read(&copy).await.expect("the copy");
        assert!((again.reading.duration - read.reading.duration).abs() < 0.01, "{ending}: the page shows what plays");
    }
}

#[tokio::test]
async fn unusable_music_is_said_in_plain_words() {
    let dir = tempfile::tempdir().expect("a folder");
    let at = |name: &str| dir.path().join(name);
    ffmpeg(&["-f", "lavfi", "-i", "anullsrc=d=5"], &at("silence.wav"));
    ffmpeg(&["-f", "lavfi", "-i", "sine=duration=1"], &at("short.wav"));
    ffmpeg(
        &["-f", "lavfi", "-i", "testsrc2=size=64x64:rate=25:duration=3", "-pix_fmt", "yuv420p"],
        &at("pictures.mp4"),
    );
    std::fs::write(at("empty.mp3"), b"").expect("written");
    std::fs::write(at("text.flac"), "no music").expect("written");
    let said = [
        ("silence.wav", "the track is silent"),
        ("short.wav", "the track is shorter than two seconds, too short to find beats in"),
        ("pictures.mp4", "there is no sound in this file"),
        ("empty.mp3", "the file is empty"),
        ("text.flac", "this is not a piece of music, or it is damaged beyond reading"),
        ("gone.ogg", "the file is no longer where it was"),
    ];
    for (name, words) in said {
        match sound::read(&at(name)).await {
            Err(error) => assert_eq!(error.to_string(), words, "{name}"),
            Ok(_) => panic!("{name} was read"),
        }
    }
}

#[tokio::test]
async fn a_cover_picture_does_not_make_music_a_film() {
    let dir = tempfile::tempdir().expect("a folder");
    let wav = beat(dir.path());
    let cover = dir.path().join("cover.png");
    ffmpeg(&["-f", "lavfi", "-i", "color=red:size=64x64", "-frames:v", "1"], &cover);
    let file = dir.path().join("covered.mp3");
    let name = |p: &Path| p.to_str().expect("name").to_owned();
    ffmpeg(
        &["-i", &name(&wav), "-i", &name(&cover), "-map", "0", "-map", "1", "-disposition:v", "attached_pic"],
        &file,
    );
    assert!(sound::read(&file).await.is_ok());
    assert!(matches!(legere_media::probe::clip(&file).await, Err(MediaError::NoPicture)));
}

#[tokio::test]
async fn unusual_sound_works_too() {
    let dir = tempfile::tempdir().expect("a folder");
    let wav = beat(dir.path());
    let wav = wav.to_str().expect("name");
    let kinds: [(&str, &[&str]); 6] = [
        ("mono.wav", &["-ac", "1"]),
        ("telephone.wav", &["-ar", "8000"]),
        ("studio.flac", &["-ar", "192000", "-sample_fmt", "s32"]),
        ("surround.flac", &["-ac", "6"]),
        ("wrong.wav", &["-f", "mp3"]),
        ("two.wav", &["-t", "2.1"]),
    ];
    for (name, args) in kinds {
        let file = dir.path().join(name);
        ffmpeg(&[&["-i", wav], args].concat(), &file);
        let read = sound::read(&file).await.unwrap_or_else(|e| panic!("{name}: {e}"));
        let beats = read.reading.beats.len();
        let expected = if name == "two.wav" { 2..=5 } else { 18..=22 };
        assert!(expected.contains(&beats), "{name}: {beats} beats");
        sound::light_copy(&file, &dir.path().join("copy.flac")).await.unwrap_or_else(|e| panic!("{name}: {e}"));
    }
}
