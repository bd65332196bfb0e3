//! Versions of a track, written by ffmpeg and measured sample by sample.

mod samples;

use legere_core::time::Seconds;
use legere_core::track::{Curve, Fade, Span, Version};
use legere_media::sound;
use legere_media::version::{Form, RATE, name, samples as length, write};
use samples::ffmpeg;
use std::path::{Path, PathBuf};

fn s(seconds: f64) -> Seconds {
    Seconds::from_measured(seconds)
}

/// Ten seconds whose pitch gives the second: 300 Hz in the first, 400 in the next, and so on.
fn scale(folder: &Path) -> PathBuf {
    let file = folder.join("scale.wav");
    let steps = "0.5*sin(2*PI*(300+100*floor(t))*t)";
    ffmpeg(&["-f", "lavfi", "-i", &format!("aevalsrc='{steps}':s=48000:d=10")], &file);
    file
}

fn version(spans: &[(f64, f64)]) -> Version {
    let spans = spans.iter().map(|(a, b)| Span { start: s(*a), end: s(*b) }).collect();
    Version::of_spans(spans, s(10.0)).expect("a version")
}

/// Writes it and gives its left channel.
async fn written(folder: &Path, track: &Path, version: &Version, form: Form) -> Vec<f32> {
    let file = folder.join(name("test", version, form));
    write(track, version, form, length(version), &file).await.expect("written");
    let raw = folder.join("raw.f32");
    ffmpeg(&["-i", file.to_str().expect("a name"), "-ac", "1", "-f", "f32le"], &raw);
    let bytes = std::fs::read(&raw).expect("samples");
    bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect()
}

/// The pitch around a time, by counting upward crossings of zero.
fn hertz(samples: &[f32], at: f64) -> f64 {
    let from = ((at - 0.1) * f64::from(RATE)) as usize;
    let part = &samples[from..from + RATE as usize / 5];
    part.windows(2).filter(|w| w[0] < 0.0 && w[1] >= 0.0).count() as f64 * 5.0
}

fn loud(samples: &[f32], at: f64, long: f64) -> f64 {
    let from = (at * f64::from(RATE)) as usize;
    let part = &samples[from..from + (long * f64::from(RATE)) as usize];
    (part.iter().map(|v| f64::from(v * v)).sum::<f64>() / part.len() as f64).sqrt()
}

#[tokio::test]
async fn spans_are_joined_where_the_version_says() {
    let dir = tempfile::tempdir().expect("a folder");
    let track = scale(dir.path());
    let joined = version(&[(0.0, 2.0), (5.0, 7.5), (1.0, 2.25)]);
    for form in [Form::Wav, Form::Flac] {
        let samples = written(dir.path(), &track, &joined, form).await;
        assert_eq!(samples.len() as f64, 5.75 * f64::from(RATE), "{form:?}: exact to the sample");
        for (at, expected) in [(0.5, 300.0), (1.5, 400.0), (2.5, 800.0), (3.5, 900.0), (4.9, 400.0), (5.6, 500.0)] {
            assert!((hertz(&samples, at) - expected).abs() <= 5.0, "{form:?} at {at}: {}", hertz(&samples, at));
        }
        // Nothing drops out and nothing cracks where they meet.
        for seam in [2.0, 4.5] {
            let across = loud(&samples, seam - 0.02, 0.03);
            assert!((0.25..0.52).contains(&across), "{form:?} at the seam {seam}: {across}");
        }
        assert!(samples.windows(2).all(|w| (w[1] - w[0]).abs() < 0.2), "{form:?}: no click");
    }
}

#[tokio::test]
async fn a_stretch_keeps_the_pitch() {
    let dir = tempfile::tempdir().expect("a folder");
    let track = scale(dir.path());
    for factor in [0.93, 1.1] {
        let stretched = version(&[(0.0, 6.0)]).stretched(factor).expect("a stretch");
        let samples = written(dir.path(), &track, &stretched, Form::Wav).await;
        assert_eq!(samples.len() as f64, (6.0 * factor * f64::from(RATE)).round());
        for second in [1.5, 3.5, 4.5] {
            let expected = 300.0 + 100.0 * f64::floor(second);
            let found = hertz(&samples, second * factor);
            assert!((found - expected).abs() <= 10.0, "{factor} at {second}: {found} for {expected}");
        }
    }
}

#[tokio::test]
async fn fades_and_level_are_heard() {
    let dir = tempfile::tempdir().expect("a folder");
    let track = scale(dir.path());
    let plain = written(dir.path(), &track, &version(&[(0.0, 6.0)]), Form::Wav).await;
    let quiet = version(&[(0.0, 6.0)]).levelled(-600).expect("a level");
    let quiet = written(dir.path(), &track, &quiet, Form::Wav).await;
    assert!((loud(&quiet, 2.0, 1.0) / loud(&plain, 2.0, 1.0) - 0.501).abs() < 0.01, "6 dB down");
    for curve in [Curve::Linear, Curve::ConstantPower, Curve::Exponential, Curve::Eased] {
        let fade = Fade { milliseconds: 2000, curve };
        let faded = version(&[(0.0, 6.0)]).faded(fade, fade).expect("fades");
        let faded = written(dir.path(), &track, &faded, Form::Wav).await;
        let share = |at: f64| loud(&faded, at, 0.1) / loud(&plain, at, 0.1);
        assert!(share(0.0) < 0.2 && share(5.9) < 0.2, "{curve:?}");
        assert!((share(3.0) - 1.0).abs() < 0.01, "{curve:?}: untouched between");
        let half = share(0.95);
        let expected = match curve {
            Curve::Linear | Curve::Eased => 0.5,
            Curve::ConstantPower => 0.707,
            Curve::Exponential => 0.06,
        };
        assert!((half - expected).abs() < 0.06, "{curve:?} is {half:.2} half-way");
    }
}

/// What is raised beyond full scale is held below it where it is too loud, and nowhere else.
#[tokio::test]
async fn what_is_too_loud_is_turned_down_and_not_cut_off() {
    let dir = tempfile::tempdir().expect("a folder");
    let track = dir.path().join("swell.wav");
    // Half as loud as full scale but for the third second, where it is 0.9.
    let swell = "(0.5+0.4*between(t,2,3))*sin(2*PI*500*t)";
    ffmpeg(&["-f", "lavfi", "-i", &format!("aevalsrc='{swell}':s=48000:d=10")], &track);
    let plain = written(dir.path(), &track, &version(&[(0.0, 6.0)]), Form::Wav).await;
    let raised = version(&[(0.0, 6.0)]).levelled(600).expect("a level");
    let raised = written(dir.path(), &track, &raised, Form::Wav).await;
    assert_eq!(raised.len(), plain.len());
    let ratio = |at: f64| loud(&raised, at, 0.5) / loud(&plain, at, 0.5);
    assert!((ratio(1.0) - 1.995).abs() < 0.002 && (ratio(4.0) - 1.995).abs() < 0.002, "6 dB up");
    // One channel becomes two that are as loud together.
    let full = 2f64.sqrt() / 0.9;
    assert!((ratio(2.25) - full).abs() < 0.02, "as loud as can be: {} of {full}", ratio(2.25));
    let top = raised.iter().copied().fold(0.0, f32::max);
    let flat = raised.windows(3).filter(|w| w.iter().all(|v| v.abs() > 0.9999 * top)).count();
    assert!(flat < 100, "{flat} times three samples as loud as any: its tops are cut off");
}

#[tokio::test]
async fn seams_at_the_very_ends_of_a_track_work_too() {
    let dir = tempfile::tempdir().expect("a folder");
    let track = scale(dir.path());
    // Back to the first sample, after the last one.
    let again = version(&[(0.0, 10.0), (0.0, 3.0)]);
    let samples = written(dir.path(), &track, &again, Form::Wav).await;
    assert_eq!(samples.len(), 13 * RATE as usize);
    for (at, expected) in [(9.5, 1200.0), (10.5, 300.0), (12.5, 500.0)] {
        assert!((hertz(&samples, at) - expected).abs() <= 5.0, "at {at}: {}", hertz(&samples, at));
    }
    assert!(loud(&samples, 12.9, 0.09) > 0.3, "to its end");
}

#[tokio::test]
async fn a_version_is_cut_or_filled_to_the_length_of_the_pictures() {
    let dir = tempfile::tempdir().expect("a folder");
    let track = scale(dir.path());
    let part = version(&[(2.0, 5.0)]);
    for wanted in [u64::from(RATE) * 2, u64::from(RATE) * 4] {
        let file = dir.path().join(format!("{wanted}.wav"));
        write(&track, &part, Form::Wav, wanted, &file).await.expect("written");
        let raw = dir.path().join("raw.f32");
        ffmpeg(&["-i", file.to_str().expect("a name"), "-ac", "1", "-f", "f32le"], &raw);
        let bytes = std::fs::read(&raw).expect("samples");
        assert_eq!(bytes.len() as u64 / 4, wanted);
        if wanted > 3 * u64::from(RATE) {
            let tail = &bytes[(3 * RATE as usize + 10) * 4..];
            assert!(tail.iter().all(|b| *b == 0), "silence behind it");
        }
    }
    assert_eq!(length(&part), 3 * u64::from(RATE));
    assert_ne!(name("a", &part, Form::Wav), name("b", &part, Form::Wav), "another content, another file");
    assert_ne!(name("a", &part, Form::Wav), name("a", &version(&[(2.0, 5.001)]), Form::Wav));
}

/// The programme loudness that ffmpeg's own meter finds.
fn metered(file: &Path) -> f64 {
    let out = std::process::Command::new("ffmpeg")
        .args(["-hide_banner", "-nostats", "-i"])
        .arg(file)
        .args(["-af", "ebur128", "-f", "null", "-"])
        .output()
        .expect("ffmpeg");
    let said = String::from_utf8_lossy(&out.stderr).into_owned();
    let value = said.rsplit("I:").next().and_then(|rest| rest.split_whitespace().next()).and_then(|v| v.parse().ok());
    value.unwrap_or_else(|| panic!("no loudness in {said}"))
}

#[tokio::test]
async fn the_loudness_that_is_told_is_what_a_meter_measures() {
    let dir = tempfile::tempdir().expect("a folder");
    for (channels, voice) in [("one", "V"), ("two", "V|0.6*V"), ("six", "V|V|V|0.5*V|V|V:c=5.1")] {
        let track = dir.path().join(format!("{channels}.wav"));
        // Quiet for six seconds, then loud; beats, so that there is something to read.
        let voices = voice.replace('V', r"(0.04+0.4*gte(t\,6))*sin(2*PI*440*t)*(0.3+exp(-20*mod(t\,0.5)))");
        ffmpeg(&["-f", "lavfi", "-i", &format!("aevalsrc={voices}:s=48000:d=14")], &track);
        let reading = sound::read(&track).await.expect("read").reading;
        // More than two channels are mixed to two where they are heard, and so they are measured.
        let heard = dir.path().join("light.flac");
        sound::light_copy(&track, &heard).await.expect("a copy");
        let loudness = metered(if channels == "six" { &heard } else { &track });
        assert!((reading.loudness - loudness).abs() < 0.3, "{channels}: {} LUFS of {loudness}", reading.loudness);
        let spans = [(0.0, 2.0), (7.0, 12.5)].map(|(a, b)| Span { start: s(a), end: s(b) });
        let version = Version::of_spans(spans.to_vec(), s(14.0)).expect("a version");
        let fade = |milliseconds| Fade { milliseconds, curve: Curve::Exponential };
        let version = version.levelled(-400).and_then(|v| v.faded(fade(0), fade(2000))).expect("a version");
        let file = dir.path().join(name(channels, &version, Form::Wav));
        write(&track, &version, Form::Wav, length(&version), &file).await.expect("written");
        let (reported, measured) = (version.loudness(&reading), metered(&file));
        assert!((reported - measured).abs() < 0.5, "{channels}: {reported} reported, {measured} measured");
    }
}
