//! Footage through the real ffmpeg: what is made of it, and what is said when nothing can be.

mod samples;

use legere_core::time::FrameRate;
use legere_media::shelf::Shelf;
use legere_media::{MediaError, light, probe};
use samples::{counted, ffmpeg, numbers};
use std::path::Path;
use tempfile::TempDir;

fn shelf(dir: &TempDir) -> Shelf {
    Shelf::open(&dir.path().join("shelf")).expect("a shelf")
}

fn rate(text: &str) -> FrameRate {
    text.parse().expect("a rate")
}

#[tokio::test]
async fn one_process_makes_the_light_copy_the_sheet_the_peaks_and_the_reading() {
    let dir = tempfile::tempdir().expect("a folder");
    let file = dir.path().join("gears.mp4");
    ffmpeg(
        &[
            "-f",
            "lavfi",
            "-i",
            "testsrc2=size=1280x720:rate=50:duration=3",
            "-f",
            "lavfi",
            "-i",
            "sine=duration=3",
            "-pix_fmt",
            "yuv420p",
            "-metadata",
            "creation_time=2026-05-12T08:40:00Z",
            "-timecode",
            "01:02:03:04",
        ],
        &file,
    );
    let probe = probe::clip(&file).await.expect("a video");
    assert_eq!((probe.width, probe.height, probe.frame_rate, probe.rotation), (1280, 720, rate("50"), 0));
    assert!(probe.has_sound && !probe.variable_rate);
    assert_eq!(probe.recorded_at.map(|t| t.to_rfc3339()), Some("2026-05-12T08:40:00+00:00".into()));
    assert_eq!(probe.timecode.map(|t| (t.frames, t.drop)), Some((3723 * 50 + 4, false)));

    let shelf = shelf(&dir);
    let work = shelf.work().expect("a folder");
    let mut steps = Vec::new();
    let made = light::make(&file, &probe, &work, light::LIGHT_WIDTH, |share| steps.push(share)).await.expect("made");
    assert!((made.reading.duration - 3.0).abs() < 0.05, "{}", made.reading.duration);
    assert_eq!(made.reading.samples.motion.len(), 30);
    assert!(!made.reading.moments.is_empty() && made.cut_short.is_none());
    // Compressed sound comes in blocks: the last one may reach a little beyond the pictures.
    assert!(made.peaks.as_ref().is_some_and(|p| (300..=303).contains(&p.len())));
    assert!(steps.windows(2).all(|w| w[0] <= w[1]) && steps.last().is_some_and(|s| *s > 0.8), "{steps:?}");

    let copy = probe::clip(&work.path().join("light.mp4")).await.expect("a light copy");
    assert_eq!((copy.width, copy.height, copy.frame_rate), (960, 540, rate("50")));
    assert_eq!(numbers(&work.path().join("light.mp4")).len(), 150, "frame for frame");
    let sheet = std::fs::read(work.path().join("sheet.jpg")).expect("a sheet");
    assert!(sheet.starts_with(&[0xFF, 0xD8]) && sheet.len() > 2000);
    assert!(
        lit(&work.path().join("sheet.jpg"), 16, 1).iter().all(|lit| *lit),
        "a picture in each of the sixteen places"
    );
    let place = shelf.clip("c1");
    work.publish(&place).expect("published");
    assert!(place.join("light.mp4").exists() && !place.join("sound.wav").exists());
}

#[tokio::test]
async fn a_long_clip_has_a_still_for_each_second_and_a_short_one_its_sheet() {
    let dir = tempfile::tempdir().expect("a folder");
    let shelf = shelf(&dir);
    let file = dir.path().join("long.mp4");
    ffmpeg(&["-f", "lavfi", "-i", "testsrc2=size=320x180:rate=5:duration=41.3", "-pix_fmt", "yuv420p"], &file);
    let probe = probe::clip(&file).await.expect("a video");
    assert_eq!(light::stills_of(probe.duration.to_f64()), 42);
    let work = shelf.work().expect("a folder");
    light::make(&file, &probe, &work, light::LIGHT_WIDTH, |_| ()).await.expect("made");
    let size = std::process::Command::new("ffprobe")
        .args(["-v", "error", "-show_entries", "stream=width,height", "-of", "csv=p=0"])
        .arg(work.path().join("stills.jpg"))
        .output()
        .expect("ffprobe");
    // Twenty beside each other, three lines.
    assert_eq!(String::from_utf8_lossy(&size.stdout).trim(), "3200,270");
    let lit = lit(&work.path().join("stills.jpg"), 20, 3);
    assert!(lit[..42].iter().all(|l| *l), "{lit:?}");
    assert_eq!((light::stills_of(0.4), light::stills_of(16.0), light::stills_of(3600.0)), (16, 16, 600));
}

#[tokio::test]
async fn a_frame_of_the_original_comes_at_its_full_size_and_is_the_one_that_was_asked_for() {
    let dir = tempfile::tempdir().expect("a folder");
    let file = dir.path().join("numbered.mp4");
    counted("30000/1001", 60, &file);
    let probe = probe::clip(&file).await.expect("a video");
    for frame in [0usize, 1, 29, 58] {
        let at = (frame as f64 + 0.4) / probe.frame_rate.to_f64();
        let bytes = legere_media::frame::jpeg(&file, &probe, at).await.expect("a frame");
        let to = dir.path().join("frame.jpg");
        std::fs::write(&to, bytes).expect("written");
        assert_eq!(numbers(&to), [frame], "at {at}");
    }
}

/// Which places of lines of stills hold more than the plain ground.
fn lit(sheet: &Path, across: usize, lines: usize) -> Vec<bool> {
    let scale = format!("scale={}:{},format=gray", across * 16, lines * 9);
    let out = std::process::Command::new("ffmpeg")
        .args(["-nostdin", "-v", "error", "-i"])
        .arg(sheet)
        .args(["-vf", &scale, "-f", "rawvideo", "pipe:1"])
        .output()
        .expect("ffmpeg");
    let wide = across * 16;
    (0..lines)
        .flat_map(|line| out.stdout[(line * 9 + 4) * wide..(line * 9 + 5) * wide].chunks_exact(16))
        .map(|still| still.iter().any(|p| p.abs_diff(still[0]) > 12))
        .collect()
}

#[tokio::test]
async fn short_and_odd_clips_fill_their_sheets_too() {
    let dir = tempfile::tempdir().expect("a folder");
    let shelf = shelf(&dir);
    for (rate_text, seconds) in [("24000/1001", "3.337"), ("25", "0.2"), ("60000/1001", "4.871"), ("30", "7.03")] {
        let file = dir.path().join("clip.mp4");
        let source = format!("testsrc2=size=320x180:rate={rate_text}:duration={seconds}");
        ffmpeg(&["-f", "lavfi", "-i", &source, "-pix_fmt", "yuv420p"], &file);
        let probe = probe::clip(&file).await.expect("a video");
        let work = shelf.work().expect("a folder");
        light::make(&file, &probe, &work, light::LIGHT_WIDTH, |_| ()).await.expect("made");
        let tiles = lit(&work.path().join("sheet.jpg"), 16, 1);
        assert!(tiles.len() == 16 && tiles.iter().all(|lit| *lit), "{rate_text} {seconds}: {tiles:?}");
    }
}

#[tokio::test]
async fn a_picture_is_as_bright_in_whatever_range_and_size_it_is_stored() {
    let dir = tempfile::tempdir().expect("a folder");
    for (size, format) in
        [("1280x720", "yuv420p"), ("1280x720", "yuvj420p"), ("640x360", "yuv420p"), ("640x360", "yuvj420p")]
    {
        for (colour, wanted) in [("0x404040", 64.0 / 255.0), ("white", 1.0), ("black", 0.0)] {
            let file = dir.path().join("plain.mp4");
            let source = format!("color=c={colour}:size={size}:rate=25:duration=0.4");
            ffmpeg(&["-f", "lavfi", "-i", &source, "-pix_fmt", format], &file);
            let (_, reading) = light::read(&file).await.expect("a reading");
            let reported = reading.samples.exposure[1];
            assert!((reported - wanted as f32).abs() < 0.012, "{size} {format} {colour}: {reported}");
        }
    }
}

#[tokio::test]
async fn what_is_loud_is_where_it_was_at_any_sample_rate() {
    let dir = tempfile::tempdir().expect("a folder");
    let shelf = shelf(&dir);
    for sample_rate in ["11025", "22050", "44100", "48000"] {
        let file = dir.path().join("knock.mov");
        let knock = format!("aevalsrc='if(between(t,1.5,1.699),0.8*sin(t*6000),0)':s={sample_rate}:duration=2");
        let sound = ["-f", "lavfi", "-i", &knock, "-c:a", "pcm_s16le", "-pix_fmt", "yuv420p"];
        ffmpeg(&[&["-f", "lavfi", "-i", "testsrc2=size=320x180:rate=25:duration=2"][..], &sound].concat(), &file);
        let probe = probe::clip(&file).await.expect("a video");
        let work = shelf.work().expect("a folder");
        let made = light::make(&file, &probe, &work, light::LIGHT_WIDTH, |_| ()).await.expect("made");
        let peaks = made.peaks.expect("sound");
        let loud: Vec<usize> = (0..peaks.len()).filter(|i| peaks[*i] > 100).collect();
        assert!((200..=201).contains(&peaks.len()), "{sample_rate}: {}", peaks.len());
        assert_eq!((loud.first(), loud.last()), (Some(&150), Some(&169)), "{sample_rate}");
        assert_eq!(peaks[160], (0.8f32 * 255.0).round() as u8, "{sample_rate}");
    }
}

#[tokio::test]
async fn a_phone_clip_held_upright_is_upright() {
    let dir = tempfile::tempdir().expect("a folder");
    let flat = dir.path().join("flat.mov");
    let file = dir.path().join("upright.mov");
    ffmpeg(&["-f", "lavfi", "-i", "testsrc2=size=640x360:rate=30:duration=1", "-pix_fmt", "yuv420p"], &flat);
    ffmpeg(&["-i", flat.to_str().expect("name"), "-c", "copy", "-metadata:s:v:0", "rotate=90"], &file);
    let probe = probe::clip(&file).await.expect("a video");
    assert_eq!((probe.width, probe.height), (360, 640));
    assert!(probe.rotation == 90 || probe.rotation == 270, "{}", probe.rotation);
    let shelf = shelf(&dir);
    let work = shelf.work().expect("a folder");
    light::make(&file, &probe, &work, light::LIGHT_WIDTH, |_| ()).await.expect("made");
    let copy = probe::clip(&work.path().join("light.mp4")).await.expect("a light copy");
    assert_eq!((copy.width, copy.height, copy.has_sound), (360, 640, false));
}

async fn refused(file: &Path) -> MediaError {
    match probe::clip(file).await {
        Err(error) => error,
        Ok(probe) => panic!("{} was taken for {probe:?}", file.display()),
    }
}

#[tokio::test]
async fn what_cannot_be_read_is_said_in_plain_words() {
    let dir = tempfile::tempdir().expect("a folder");
    let at = |name: &str| dir.path().join(name);
    let whole = at("whole.mp4");
    counted("25", 50, &whole);
    let bytes = std::fs::read(&whole).expect("bytes");
    std::fs::write(at("empty.mp4"), b"").expect("written");
    std::fs::write(at("notes.mp4"), "These are the notes of the day.\n".repeat(40)).expect("written");
    std::fs::write(at("truncated.mp4"), &bytes[..bytes.len() * 3 / 5]).expect("written");
    ffmpeg(&["-f", "lavfi", "-i", "sine=duration=1", "-c:a", "aac"], &at("sound only.mp4"));

    let said = [
        ("empty.mp4", "the file is empty"),
        ("notes.mp4", "this is not a video, or it is damaged beyond reading"),
        ("truncated.mp4", "the file is cut short: its index is missing, so nothing of it can be shown"),
        ("sound only.mp4", "there is no picture in this file"),
        ("gone.mp4", "the file is no longer where it was"),
    ];
    for (name, words) in said {
        assert_eq!(refused(&at(name)).await.to_string(), words, "{name}");
    }
}

#[tokio::test]
async fn a_playlist_in_disguise_opens_nothing() {
    let dir = tempfile::tempdir().expect("a folder");
    let secret = dir.path().join("secret.ts");
    counted("25", 25, &secret);
    let lists = [
        ("concat.mp4", format!("ffconcat version 1.0\nfile '{}'\n", secret.display())),
        (
            "hls.mp4",
            format!("#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\nfile://{}\n#EXT-X-ENDLIST\n", secret.display()),
        ),
        ("hls.mov", "#EXTM3U\n#EXTINF:1,\nhttp://127.0.0.1:9/x.ts\n".into()),
    ];
    for (name, text) in lists {
        let file = dir.path().join(name);
        std::fs::write(&file, text).expect("written");
        assert!(matches!(refused(&file).await, MediaError::NotVideo), "{name}");
        assert!(matches!(legere_media::sound::read(&file).await, Err(MediaError::NotSound)), "{name}");
    }
}

#[tokio::test]
async fn a_name_is_never_an_option_or_a_protocol() {
    let dir = tempfile::tempdir().expect("a folder");
    let plain = dir.path().join("plain.mp4");
    counted("25", 25, &plain);
    let shelf = shelf(&dir);
    for name in ["-y it's \"one\".mp4", "http:--x.mp4", "pipe:0.mp4", "50%d <b>&amp;.mp4", "größe ü 時計.mp4"] {
        let file = dir.path().join(name);
        std::fs::copy(&plain, &file).expect("copied");
        let probe = probe::clip(&file).await.unwrap_or_else(|e| panic!("{name}: {e}"));
        let work = shelf.work().expect("a folder");
        let made = light::make(&file, &probe, &work, light::LIGHT_WIDTH, |_| ())
            .await
            .unwrap_or_else(|e| panic!("{name}: {e}"));
        assert!((made.reading.duration - 1.0).abs() < 0.05, "{name}");
    }
}

#[tokio::test]
async fn what_can_be_read_of_a_file_that_was_cut_short_is_kept() {
    let dir = tempfile::tempdir().expect("a folder");
    let whole = dir.path().join("whole.avi");
    ffmpeg(&["-f", "lavfi", "-i", "testsrc2=size=320x180:rate=25:duration=6", "-c:v", "mjpeg"], &whole);
    let bytes = std::fs::read(&whole).expect("bytes");
    let file = dir.path().join("short.avi");
    std::fs::write(&file, &bytes[..bytes.len() / 2]).expect("written");
    let probe = probe::clip(&file).await.expect("its head is there");
    let work = shelf(&dir).work().expect("a folder");
    let made = light::make(&file, &probe, &work, light::LIGHT_WIDTH, |_| ()).await.expect("the first half");
    let kept = made.cut_short.expect("it says so").to_f64();
    assert!((2.0..4.0).contains(&kept), "{kept}");
}

#[tokio::test]
async fn uneven_frames_become_even_and_nothing_is_lost() {
    let dir = tempfile::tempdir().expect("a folder");
    let file = dir.path().join("uneven.mp4");
    // Every third frame is missing, as a phone in bad light records.
    ffmpeg(
        &[
            "-f",
            "lavfi",
            "-i",
            "testsrc2=size=320x180:rate=30:duration=4",
            "-vf",
            "select='not(eq(mod(n,3),1))'",
            "-fps_mode",
            "vfr",
            "-pix_fmt",
            "yuv420p",
        ],
        &file,
    );
    let probe = probe::clip(&file).await.expect("a video");
    assert!(probe.variable_rate, "{probe:?}");
    let work = shelf(&dir).work().expect("a folder");
    let made = light::make(&file, &probe, &work, light::LIGHT_WIDTH, |_| ()).await.expect("made");
    assert!((made.reading.duration - 4.0).abs() < 0.1, "{}", made.reading.duration);
}
