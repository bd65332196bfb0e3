//! How people write lengths: `45`, `45.5`, `1:30`, `1:02:03`, `00:00:38:12` (`;` before the frames counts drop-frame),
//! `920f`, and `97%` of what something lasts by itself. The pages read the same grammar; one list of examples tests both.

use crate::time::{FramePos, FrameRate, parse_timecode};

/// No length is longer, in seconds.
const LONGEST: f64 = 100.0 * 3600.0;

/// A text that is no length.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("a length is written in seconds (45.5), as 1:30, as a timecode (00:00:38:12) or in frames (920f)")]
pub struct LengthError;

/// Seconds; timecodes and frames count at `rate`.
pub fn parse_length(text: &str, rate: FrameRate) -> Result<f64, LengthError> {
    parse(text, rate, None)
}

/// The same, where per cents are those of `own` seconds.
pub fn parse_length_of(text: &str, rate: FrameRate, own: f64) -> Result<f64, LengthError> {
    parse(text, rate, Some(own))
}

fn parse(text: &str, rate: FrameRate, own: Option<f64>) -> Result<f64, LengthError> {
    let text = text.trim().replace(',', ".");
    let seconds = if let Some(share) = text.strip_suffix('%') {
        own.ok_or(LengthError)? * decimal(share.trim_end())? / 100.0
    } else if let Some(frames) = text.strip_suffix('f') {
        let frames: u32 = frames.trim_end().parse().map_err(|_no_value| LengthError)?;
        rate.seconds_at(FramePos::new(i64::from(frames))).to_f64()
    } else if text.matches([':', ';']).count() == 3 {
        let frames = parse_timecode(&text, rate).map_err(|_no_value| LengthError)?;
        rate.seconds_at(FramePos::new(i64::try_from(frames).map_err(|_no_value| LengthError)?)).to_f64()
    } else {
        clock_time(&text)?
    };
    if seconds <= LONGEST { Ok(seconds) } else { Err(LengthError) }
}

/// Seconds, minutes and seconds, or hours, minutes and seconds.
fn clock_time(text: &str) -> Result<f64, LengthError> {
    let parts: Vec<&str> = text.split(':').collect();
    let (last, whole) = parts.split_last().ok_or(LengthError)?;
    let last = decimal(last)?;
    if whole.len() > 2 || (!whole.is_empty() && last >= 60.0) {
        return Err(LengthError);
    }
    let mut minutes = 0u32;
    for (i, part) in whole.iter().enumerate() {
        let part: u32 = part.trim().parse().map_err(|_no_value| LengthError)?;
        if i > 0 && part > 59 || part > 9999 {
            return Err(LengthError);
        }
        minutes = minutes * 60 + part;
    }
    Ok(f64::from(minutes) * 60.0 + last)
}

/// Digits with at most one point among them: no signs, no exponents, no words.
fn decimal(text: &str) -> Result<f64, LengthError> {
    let text = text.trim();
    let plain = text.bytes().all(|b| b.is_ascii_digit() || b == b'.') && text.bytes().any(|b| b.is_ascii_digit());
    if plain { text.parse().map_err(|_no_value| LengthError) } else { Err(LengthError) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::time::clock;
    use serde_json::Value;

    #[test]
    fn the_examples_are_read_as_the_pages_read_them() {
        let examples: Value = serde_json::from_str(include_str!("../testdata/lengths.json")).expect("json");
        for example in examples["lengths"].as_array().expect("a list") {
            let text = example["text"].as_str().expect("a text");
            let rate = example["rate"].as_str().and_then(|r| r.parse().ok()).expect("a rate");
            let found = match example["own"].as_f64() {
                Some(own) => parse_length_of(text, rate, own),
                None => parse_length(text, rate),
            };
            let wanted = example["seconds"].as_f64().expect("seconds");
            assert!(found.is_ok_and(|f| (f - wanted).abs() < 1e-6), "{text}: {found:?}");
        }
        let rate = "25".parse().expect("a rate");
        for wrong in examples["wrong"].as_array().expect("a list") {
            let text = wrong.as_str().expect("a text");
            assert_eq!(parse_length(text, rate), Err(LengthError), "{text}");
        }
        for example in examples["clocks"].as_array().expect("a list") {
            assert_eq!(clock(example["seconds"].as_f64().expect("seconds")), example["text"], "{example}");
        }
    }
}
