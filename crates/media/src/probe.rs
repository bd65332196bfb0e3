//! What a file says of itself, by ffprobe.

use crate::MediaError;
use crate::guard::Guarded;
use chrono::{DateTime, Utc};
use legere_core::clip::{ClipProbe, SoundProbe};
use legere_core::stats::percentile;
use legere_core::time::{FramePos, FrameRate, Seconds, Timecode};
use serde_json::Value;
use std::path::Path;
use tokio::io::AsyncReadExt;

const LONGEST_MINUTES: u32 = 12 * 60;
/// Nor more frames than this: twelve hours at 240 a second.
const MOST_FRAMES: f64 = 10_400_000.0;

/// Refuses what is not there, is empty or may not be read, before any other program looks at it.
pub async fn readable(path: &Path) -> Result<u64, MediaError> {
    let reported = |error: std::io::Error| match error.kind() {
        std::io::ErrorKind::PermissionDenied => MediaError::NoAccess,
        _ => MediaError::Vanished,
    };
    let meta = tokio::fs::metadata(path).await.map_err(reported)?;
    if meta.len() == 0 {
        return Err(MediaError::Empty);
    }
    tokio::fs::File::open(path).await.map_err(reported)?;
    Ok(meta.len())
}

/// Whether the file begins with a box of the ISO base media format (ISO/IEC 14496-12). ffprobe takes anything named
/// `.mp4` for one, and then misses its index.
async fn begins_like_a_movie(path: &Path) -> bool {
    let mut head = [0u8; 8];
    let read = async { tokio::fs::File::open(path).await?.read_exact(&mut head).await };
    read.await.is_ok() && matches!(&head[4..], b"ftyp" | b"moov" | b"mdat" | b"wide" | b"free" | b"skip" | b"pnot")
}

async fn ask(path: &Path) -> Result<Value, MediaError> {
    readable(path).await?;
    let out = Guarded::ffprobe().args(["-of", "json", "-show_format", "-show_streams"]).input(path).run().await?;
    serde_json::from_slice(&out).map_err(|error| {
        tracing::info!(%error, "what ffprobe printed cannot be read");
        MediaError::NotVideo
    })
}

pub async fn clip(path: &Path) -> Result<ClipProbe, MediaError> {
    let boxed = begins_like_a_movie(path).await;
    let json = ask(path).await.map_err(|e| match e {
        MediaError::Failed { log } if boxed && log.contains("moov atom not found") => MediaError::NoIndex,
        MediaError::Failed { log } if log.contains("max_pixels") || log.contains("Picture size") => {
            MediaError::TooLarge
        }
        MediaError::Failed { log } => {
            tracing::info!(%log, "ffprobe refused a clip");
            MediaError::NotVideo
        }
        other => other,
    })?;
    let streams = json["streams"].as_array().cloned().unwrap_or_default();
    let video = streams
        .iter()
        // A picture of the cover in a sound file is not footage.
        .find(|s| s["codec_type"] == "video" && s["disposition"]["attached_pic"] != 1)
        .ok_or(MediaError::NoPicture)?;
    let sound = streams.iter().find(|s| s["codec_type"] == "audio");
    let (width, height) = (number(&video["width"]), number(&video["height"]));
    if width == 0 || height == 0 {
        return Err(MediaError::NoPicture);
    }
    if width > 8192 || height > 8192 {
        return Err(MediaError::TooLarge);
    }
    let rotation = rotation(video);
    let (width, height) = if rotation % 180 == 90 { (height, width) } else { (width, height) };
    let (width, pixel_shape) = displayed(width, video);
    let (frame_rate, variable_rate) = frame_rate(video).ok_or(MediaError::NoPicture)?;
    let steady_rate = if variable_rate { steady_rate(path, frame_rate).await } else { None };
    let tags = |key: &str| {
        [&video["tags"][key], &json["format"]["tags"][key]].into_iter().find_map(|v| v.as_str()).map(str::to_owned)
    };
    let duration = duration(video, &json)?.max(promised(video));
    if duration.to_f64() * frame_rate.to_f64() > MOST_FRAMES {
        return Err(MediaError::TooManyFrames);
    }
    Ok(ClipProbe {
        duration,
        frame_rate,
        variable_rate,
        width,
        height,
        rotation,
        has_sound: sound.is_some(),
        codec: video["codec_name"].as_str().unwrap_or("unknown").to_owned(),
        recorded_at: tags("creation_time").and_then(|t| t.parse().ok()).filter(is_plausible),
        timecode: timecode(&streams, &json, frame_rate),
        camera: camera(&tags),
        steady_rate,
        declared_rate: declared_rate(video, frame_rate),
        pixel_shape,
        picture: false,
    })
}

/// A picture, as a clip that stands still for so many seconds at a rate: as large as it is shown, which is how its camera was
/// held (Exif's orientation, which the decoder follows). Its recording time is the camera's clock, taken for UTC.
pub async fn picture(path: &Path, seconds: f64, rate: FrameRate) -> Result<ClipProbe, MediaError> {
    readable(path).await?;
    let args = ["-of", "json", "-show_streams", "-show_frames", "-read_intervals", "%+#1"];
    let out = Guarded::ffprobe().args(args).picture(path).run().await.map_err(|error| {
        tracing::info!(%error, "ffprobe refused a picture");
        MediaError::NotAPicture
    })?;
    let json: Value = serde_json::from_slice(&out).map_err(|error| {
        tracing::info!(%error, "what ffprobe printed cannot be read");
        MediaError::NotAPicture
    })?;
    let stream = &json["streams"][0];
    let (width, height) = (number(&stream["width"]), number(&stream["height"]));
    if width == 0 || height == 0 {
        return Err(MediaError::NotAPicture);
    }
    if width > 16_384 || height > 16_384 {
        return Err(MediaError::TooLarge);
    }
    let frame = &json["frames"][0];
    let rotation = rotation(frame);
    let (width, height) = if rotation % 180 == 90 { (height, width) } else { (width, height) };
    let tags = |key: &str| frame["tags"][key].as_str().map(str::to_owned);
    Ok(ClipProbe {
        duration: Seconds::from_measured(seconds),
        frame_rate: rate,
        variable_rate: false,
        width,
        height,
        rotation,
        has_sound: false,
        codec: stream["codec_name"].as_str().unwrap_or("unknown").to_owned(),
        recorded_at: tags("DateTimeOriginal").and_then(|t| clock_time(&t)).filter(is_plausible),
        timecode: None,
        camera: camera(&tags),
        steady_rate: None,
        declared_rate: None,
        pixel_shape: None,
        picture: true,
    })
}

/// A time as Exif writes it: `2026:05:12 08:40:00`.
fn clock_time(text: &str) -> Option<DateTime<Utc>> {
    let at = chrono::NaiveDateTime::parse_from_str(text.trim(), "%Y:%m:%d %H:%M:%S").ok()?.and_utc();
    (at.timestamp() > 0).then_some(at)
}

/// The width as displayed, and the shape of the pixels where they are not square. On a picture that is turned the shape counts
/// the other way, as ffmpeg turns it first.
fn displayed(width: u32, video: &Value) -> (u32, Option<f64>) {
    let shape = video["sample_aspect_ratio"].as_str().and_then(|t| t.split_once(':'));
    let shape = shape.and_then(|(w, h)| Some((w.parse::<f64>().ok()?, h.parse::<f64>().ok()?)));
    match shape {
        Some((w, h)) if w > 0.0 && h > 0.0 && (w / h - 1.0).abs() > 0.005 => {
            let factor = if rotation(video) % 180 == 90 { h / w } else { w / h };
            ((f64::from(width) * factor / 2.0).round() as u32 * 2, Some(factor))
        }
        _ => (width, None),
    }
}

/// Maker and model, as cameras and phones write them.
fn camera(tags: &dyn Fn(&str) -> Option<String>) -> Option<String> {
    let first =
        |keys: &[&str]| keys.iter().find_map(|key| tags(key)).map(|t| t.trim().to_owned()).filter(|t| !t.is_empty());
    let make = first(&["com.apple.quicktime.make", "com.android.manufacturer", "make", "MAKE", "Make"]);
    let model = first(&["com.apple.quicktime.model", "com.android.model", "model", "MODEL", "Model"]);
    let words = match (make, model) {
        (Some(make), Some(model)) if !model.starts_with(&make) => format!("{make} {model}"),
        (_, Some(model)) => model,
        (Some(make), None) => make,
        (None, None) => return None,
    };
    Some(words.chars().filter(|c| !c.is_control()).take(80).collect())
}

/// The file's own figure, where it is an odd one that is taken for a usual rate.
fn declared_rate(video: &Value, taken: FrameRate) -> Option<FrameRate> {
    let reported: FrameRate = video["avg_frame_rate"].as_str()?.parse().ok()?;
    let near = (reported.to_f64() - taken.to_f64()).abs();
    (near > 0.0004 && near < 0.01).then(|| FrameRate::new((reported.to_f64() * 1000.0).round() as u32, 1000)).flatten()
}

/// From the timestamps of the first minutes: the rate at which nineteen in twenty frames still come.
async fn steady_rate(path: &Path, rate: FrameRate) -> Option<FrameRate> {
    let args =
        ["-select_streams", "v:0", "-show_entries", "packet=pts_time", "-of", "csv=p=0", "-read_intervals", "%+180"];
    let out = Guarded::ffprobe().args(args).input(path).run().await.ok()?;
    let mut times: Vec<f64> =
        String::from_utf8_lossy(&out).lines().filter_map(|l| l.trim_end_matches(',').parse().ok()).collect();
    times.sort_by(f64::total_cmp);
    let gaps: Vec<f64> = times.windows(2).map(|w| w[1] - w[0]).filter(|g| *g > 0.0).collect();
    if gaps.len() < 8 {
        return None;
    }
    let slowest = 1.0 / percentile(gaps, 0.95);
    FrameRate::new((slowest.min(rate.to_f64()) * 1000.0).round() as u32, 1000)
}

pub async fn sound(path: &Path) -> Result<SoundProbe, MediaError> {
    let json = ask(path).await.map_err(|e| match e {
        MediaError::Failed { log } => {
            tracing::info!(%log, "ffprobe refused a track");
            MediaError::NotSound
        }
        other => other,
    })?;
    let streams = json["streams"].as_array().cloned().unwrap_or_default();
    let sound = streams.iter().find(|s| s["codec_type"] == "audio").ok_or(MediaError::NoSound)?;
    let tag = |key: &str| {
        let upper = key.to_uppercase();
        [&json["format"]["tags"][key], &json["format"]["tags"][&upper], &sound["tags"][key], &sound["tags"][&upper]]
            .into_iter()
            .find_map(|v| v.as_str())
            .map(|t| t.trim().chars().take(200).collect::<String>())
            .filter(|t| !t.is_empty())
    };
    Ok(SoundProbe {
        duration: duration(sound, &json)?,
        channels: number(&sound["channels"]),
        sample_rate: sound["sample_rate"].as_str().and_then(|r| r.parse().ok()).unwrap_or(0),
        title: tag("title"),
        artist: tag("artist"),
        genre: tag("genre"),
        mood: tag("mood"),
        theme: tag("theme"),
    })
}

/// Whether a camera can have written this: cameras whose clock was never set write years that no calendar has.
fn is_plausible(at: &DateTime<Utc>) -> bool {
    (1..=253_402_300_799).contains(&at.timestamp())
}

fn number(value: &Value) -> u32 {
    value.as_u64().and_then(|v| u32::try_from(v).ok()).unwrap_or(0)
}

fn duration(stream: &Value, json: &Value) -> Result<Seconds, MediaError> {
    let seconds = [&stream["duration"], &json["format"]["duration"]]
        .into_iter()
        .find_map(|d| d.as_str()?.parse::<f64>().ok())
        .filter(|d| d.is_finite() && *d >= 0.0)
        .unwrap_or(0.0);
    if seconds > f64::from(LONGEST_MINUTES) * 60.0 {
        return Err(MediaError::TooLong(LONGEST_MINUTES));
    }
    Ok(Seconds::from_measured(seconds))
}

/// How long the pictures last by the count in the file's head; in a file that was cut short that is more than there is.
fn promised(video: &Value) -> Seconds {
    let frames =
        video["nb_frames"].as_str().and_then(|n| n.parse::<i64>().ok()).filter(|n| (1..100_000_000).contains(n));
    let rate = video["avg_frame_rate"].as_str().and_then(|r| r.parse::<FrameRate>().ok());
    match (frames, rate) {
        (Some(frames), Some(rate)) => rate.seconds_at(FramePos::new(frames)),
        _ => Seconds::ZERO,
    }
}

/// The rate that the frames come at, and whether they come unevenly.
fn frame_rate(video: &Value) -> Option<(FrameRate, bool)> {
    let parse = |key: &str| video[key].as_str().and_then(|t| t.parse::<FrameRate>().ok());
    let (average, base) = (parse("avg_frame_rate"), parse("r_frame_rate"));
    match (average, base) {
        (Some(average), Some(base)) => {
            let variable = (average.to_f64() / base.to_f64() - 1.0).abs() > 0.01;
            // The base rate of uneven footage can be the clock's own (90000), which says nothing.
            let rate = if variable && base.to_f64() > 130.0 { average } else { base };
            Some((tidy(rate), variable))
        }
        (Some(rate), None) | (None, Some(rate)) => Some((tidy(rate), false)),
        (None, None) => None,
    }
}

/// Rates that differ from a standard one by measuring error only are that one; exact values need short ratios.
fn tidy(rate: FrameRate) -> FrameRate {
    let standard = [
        (24000, 1001),
        (24, 1),
        (25, 1),
        (30000, 1001),
        (30, 1),
        (50, 1),
        (60000, 1001),
        (60, 1),
        (100, 1),
        (120_000, 1001),
        (120, 1),
    ];
    standard
        .iter()
        .filter_map(|(n, d)| FrameRate::new(*n, *d))
        .find(|s| (s.to_f64() - rate.to_f64()).abs() < 0.003)
        .or_else(|| {
            if rate.den() > 1001 || rate.num() > 1_000_000 {
                FrameRate::new((rate.to_f64() * 1000.0).round() as u32, 1000)
            } else {
                None
            }
        })
        .unwrap_or(rate)
}

fn rotation(video: &Value) -> u32 {
    let side = video["side_data_list"]
        .as_array()
        .and_then(|list| list.iter().find_map(|d| d["rotation"].as_i64()))
        .map(|r| -r);
    let tag = video["tags"]["rotate"].as_str().and_then(|r| r.parse::<i64>().ok());
    side.or(tag).unwrap_or(0).rem_euclid(360) as u32
}

fn timecode(streams: &[Value], json: &Value, rate: FrameRate) -> Option<Timecode> {
    let text = streams
        .iter()
        .map(|s| &s["tags"]["timecode"])
        .chain([&json["format"]["tags"]["timecode"]])
        .find_map(|t| t.as_str())?;
    Timecode::parse(text, rate).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn rate(text: &str) -> FrameRate {
        text.parse().expect("a rate")
    }

    #[test]
    fn rates_that_are_nearly_a_standard_one_are_that_one() {
        for (measured, wanted) in [
            ("23976/1000", "24000/1001"),
            ("2997/100", "30000/1001"),
            ("25/1", "25"),
            ("59941/1000", "60000/1001"),
            ("119880/1000", "120000/1001"),
            ("60002/1000", "60"),
            ("15/1", "15"),
            ("48/1", "48"),
        ] {
            assert_eq!(tidy(rate(measured)), rate(wanted), "{measured}");
        }
        // What is odd stays odd, but short enough to reckon with.
        let odd = tidy(rate("803310/30001"));
        assert!((odd.to_f64() - 26.776).abs() < 0.001 && odd.den() <= 1001, "{odd}");
    }

    #[test]
    fn uneven_footage_is_known_by_its_two_rates() {
        let of = |average: &str, base: &str| frame_rate(&json!({ "avg_frame_rate": average, "r_frame_rate": base }));
        assert_eq!(of("25/1", "25/1"), Some((rate("25"), false)));
        assert_eq!(of("20/1", "30/1"), Some((rate("30"), true)));
        assert_eq!(of("27/1", "90000/1"), Some((rate("27"), false)), "the clock's rate is none");
        assert_eq!(of("0/0", "30/1"), Some((rate("30"), false)));
        assert_eq!(of("0/0", "0/0"), None);
    }

    #[test]
    fn rotation_is_counted_clockwise_from_either_place() {
        for (video, degrees) in [
            (json!({}), 0),
            (json!({ "tags": { "rotate": "90" } }), 90),
            (json!({ "side_data_list": [{ "rotation": -90 }] }), 90),
            (json!({ "side_data_list": [{ "rotation": 90 }] }), 270),
            (json!({ "side_data_list": [{}, { "rotation": -180 }], "tags": { "rotate": "90" } }), 180),
        ] {
            assert_eq!(rotation(&video), degrees, "{video}");
        }
    }

    #[test]
    fn pixels_that_are_not_square_are_told_by_the_width_they_are_shown_at() {
        let of = |shape: &str, rotate: i64| {
            displayed(720, &json!({ "sample_aspect_ratio": shape, "side_data_list": [{ "rotation": rotate }] }))
        };
        assert_eq!(of("64:45", 0).0, 1024);
        assert_eq!(of("1:1", 0), (720, None));
        assert_eq!(of("0:1", 0), (720, None));
        assert_eq!(of("64:45", 90).0, 506);
    }

    #[test]
    fn an_odd_rate_is_told_for_what_it_is() {
        let of = |reported: &str, taken: &str| {
            declared_rate(&json!({ "avg_frame_rate": reported }), rate(taken)).map(FrameRate::words)
        };
        assert_eq!(of("60002/1000", "60"), Some("60.002".into()));
        assert_eq!(of("60/1", "60"), None);
        assert_eq!(of("24000/1001", "24000/1001"), None);
    }

    #[test]
    fn a_camera_is_called_by_maker_and_model_once() {
        let of = |pairs: &[(&str, &str)]| {
            let all: Vec<(String, String)> = pairs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
            camera(&move |key: &str| all.iter().find(|(k, _)| k == key).map(|(_, v)| v.clone()))
        };
        assert_eq!(of(&[("make", "Hollin"), ("model", "Tower 2")]), Some("Hollin Tower 2".into()));
        assert_eq!(of(&[("make", "Hollin"), ("model", "Hollin T2")]), Some("Hollin T2".into()));
        assert_eq!(of(&[("make", " ")]), None);
    }

    #[test]
    fn a_length_that_is_none_is_nothing_and_one_too_long_is_refused() {
        let of = |stream: Value| duration(&stream, &json!({ "format": { "duration": "7.5" } }));
        assert_eq!(of(json!({ "duration": "2.5" })).expect("a length"), Seconds::from_measured(2.5));
        assert_eq!(of(json!({})).expect("a length"), Seconds::from_measured(7.5));
        assert_eq!(of(json!({ "duration": "nan" })).expect("none"), Seconds::ZERO);
        assert!(matches!(of(json!({ "duration": "9999999" })), Err(MediaError::TooLong(720))));
    }

    #[test]
    fn the_count_in_the_head_promises_a_length() {
        let of = |frames: &str| promised(&json!({ "nb_frames": frames, "avg_frame_rate": "25/1" }));
        assert_eq!(of("150"), Seconds::new(6, 1).expect("seconds"));
        for nothing in ["0", "-3", "many", "999999999999"] {
            assert_eq!(of(nothing), Seconds::ZERO, "{nothing}");
        }
    }

    #[test]
    fn timecodes_are_found_wherever_the_camera_put_them() {
        let hour = Some(Timecode { frames: 90_000, drop: false });
        let streams = vec![json!({ "tags": {} }), json!({ "tags": { "timecode": "01:00:00:00" } })];
        assert_eq!(timecode(&streams, &json!({}), rate("25")), hour);
        let format = json!({ "format": { "tags": { "timecode": "01:00:00;00" } } });
        assert_eq!(timecode(&[], &format, rate("25")), hour);
        let film = rate("30000/1001");
        assert_eq!(timecode(&[], &format, film), Some(Timecode { frames: 107_892, drop: true }));
        assert_eq!(timecode(&[], &json!({}), rate("25")), None);
        let broken = json!({ "format": { "tags": { "timecode": "one o'clock" } } });
        assert_eq!(timecode(&[], &broken, rate("25")), None);
    }
}
