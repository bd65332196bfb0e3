//! The CMX 3600 edit decision list.

use super::{CutList, InterchangeError};
use crate::time::{FrameRate, parse_timecode, timecode};
use std::fmt::Write;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EdlEvent {
    pub number: u32,
    pub reel: String,
    pub source: (u64, u64),
    pub record: (u64, u64),
    pub clip: String,
}

/// One video event per shot. Clip names follow as comments, speeds as M2 lines.
pub fn write_edl(cut: &CutList) -> String {
    let rate = cut.rate;
    let tc = |frames: u64| timecode(frames, rate, false);
    let mut out = format!("TITLE: {}\nFCM: NON-DROP FRAME\n\n", one_line(&cut.title));
    for (i, (record, event)) in cut.placed().enumerate() {
        let (from, to) = cut.source_frames(event);
        // Writing into a String cannot fail.
        let _ = writeln!(
            out,
            "{:03}  {:<8} V     C        {} {} {} {}",
            i + 1,
            event.reel,
            tc(from),
            tc(to),
            tc(record),
            tc(record + event.len.0)
        );
        if (event.speed - 1.0).abs() > 1e-9 {
            let _ = writeln!(
                out,
                "M2   {:<8}       {:05.1}                {}",
                event.reel,
                event.speed * rate.to_f64(),
                tc(from)
            );
        }
        let _ = writeln!(out, "* FROM CLIP NAME: {}", one_line(&event.clip));
        if !event.note.is_empty() {
            let _ = writeln!(out, "* COMMENT: {}", one_line(&event.note));
        }
    }
    out
}

fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}

/// Reads the events of a list that [`write_edl`] could have written.
pub fn read_edl(text: &str, rate: FrameRate) -> Result<Vec<EdlEvent>, InterchangeError> {
    let mut events: Vec<EdlEvent> = Vec::new();
    for (i, line) in text.lines().enumerate() {
        let wrong = || InterchangeError::Edl { line: i + 1 };
        if let Some(name) = line.strip_prefix("* FROM CLIP NAME: ") {
            events.last_mut().ok_or_else(wrong)?.clip = name.to_owned();
        } else if line.starts_with(|c: char| c.is_ascii_digit()) {
            let fields: Vec<&str> = line.split_whitespace().collect();
            let [number, reel, "V", "C", times @ ..] = &fields[..] else { return Err(wrong()) };
            let times: Vec<u64> =
                times.iter().map(|t| parse_timecode(t, rate).map_err(|_| wrong())).collect::<Result<_, _>>()?;
            let [a, b, c, d] = times[..] else { return Err(wrong()) };
            let number = number.parse().map_err(|_| wrong())?;
            events.push(EdlEvent {
                number,
                reel: (*reel).to_owned(),
                source: (a, b),
                record: (c, d),
                clip: String::new(),
            });
        }
    }
    Ok(events)
}
