//! The CMX 3600 edit decision list.

use super::{CutList, InterchangeError, Seen, one_line};
use crate::time::{FrameRate, Timecode, parse_timecode, timecode};
use std::fmt::Write;

/// What an event is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Channel {
    /// Pictures.
    Video,
    /// Sound.
    Audio,
}

/// An event of a list that was read.
#[derive(Debug, Clone, PartialEq)]
pub struct EdlEvent {
    /// As the list counts.
    pub number: u32,
    /// The name that stands for the source.
    pub reel: String,
    /// Pictures or sound.
    pub channel: Channel,
    /// In and out as written: they count at the source's own rate, which the list does not say.
    pub source: (String, String),
    /// First and last frame (exclusive) in the job’s count.
    pub record: (u64, u64),
    /// The file’s name, from a comment.
    pub clip: String,
    /// As the list says, in frames a second at the list's rate; none is normal speed.
    pub speed: Option<f64>,
}

/// The reel that lists know for black.
pub const BLACK_REEL: &str = "BL";

/// The reel of the music.
const MUSIC_REEL: &str = "MUSIC";

/// One video event per shot, or more where its speed changes, where it is held or black; then one audio event per span of the music. Clip names follow as comments, speeds as M2 lines,
/// and whether the source drops numbers as an FCM line where that changes.
pub fn write_edl(cut: &CutList) -> String {
    let mut out = format!("TITLE: {}\nFCM: NON-DROP FRAME\n\n", one_line(&cut.title));
    let mut list = List { out: &mut out, rate: cut.rate, number: 0, drop: false };
    for (mut record, event) in cut.placed() {
        for (i, stretch) in cut.stretches(event).into_iter().enumerate() {
            let place = (record, record + stretch.len.get());
            record = place.1;
            if stretch.seen == Seen::Black {
                list.counts(Timecode { frames: 0, drop: false });
                let tc = |frames| timecode(frames, cut.rate, false);
                list.event(BLACK_REEL, "V", (&tc(0), &tc(stretch.len.get())), place);
                continue;
            }
            let [from, to, last] = [stretch.first, stretch.end, stretch.end.saturating_sub(1)]
                .map(|frame| cut.source_timecode(event, frame));
            list.counts(event.clip_start);
            list.event(&event.reel, "V", (&from, &to), place);
            list.speed(&event.reel, stretch.speed, if stretch.speed < 0.0 { &last } else { &from });
            list.comment("FROM CLIP NAME", &event.clip);
            if event.clip_rate != cut.rate {
                list.comment("SOURCE RATE", &event.clip_rate.words());
            }
            if i == 0 {
                for words in cut.unsaid(event) {
                    list.comment("NOT IN THIS LIST", &words);
                }
                if !event.note.is_empty() {
                    list.comment("COMMENT", &event.note);
                }
            }
        }
    }
    for (begins, lasts, music) in cut.passages() {
        let per_frame = f64::from(music.sample_rate) / cut.rate.to_f64();
        let frame = |samples: i64| (samples as f64 / per_frame).round().max(0.0) as u64;
        let mut at = 0;
        list.counts(Timecode { frames: 0, drop: false });
        for (start, lasts) in music.in_samples(cut.rate.seconds_of(lasts)) {
            let (record_in, record_out) = (begins + frame(at), begins + frame(at + lasts).max(frame(at) + 1));
            let first = frame(start);
            let used = ((record_out - record_in) as f64 * music.speed).round().max(1.0) as u64;
            let tc = |frames| timecode(frames, cut.rate, false);
            let (from, to) = (tc(first), tc(first + used));
            list.event(MUSIC_REEL, "A", (&from, &to), (record_in, record_out));
            list.speed(MUSIC_REEL, music.speed, &from);
            list.comment("FROM CLIP NAME", &music.name);
            at += lasts;
        }
    }
    out
}

struct List<'a> {
    out: &'a mut String,
    rate: FrameRate,
    number: u32,
    /// How the sources of the last event counted.
    drop: bool,
}

impl List<'_> {
    fn line(&mut self, text: &str) {
        // Writing into a String cannot fail.
        let _ = writeln!(self.out, "{text}");
    }

    fn counts(&mut self, source: Timecode) {
        if source.drop != self.drop {
            self.drop = source.drop;
            self.line(if source.drop { "FCM: DROP FRAME" } else { "FCM: NON-DROP FRAME" });
        }
    }

    fn event(&mut self, reel: &str, channel: &str, source: (&str, &str), record: (u64, u64)) {
        self.number += 1;
        let tc = |frames| timecode(frames, self.rate, false);
        let (record_in, record_out) = (tc(record.0), tc(record.1));
        let (number, (from, to)) = (self.number, source);
        self.line(&format!("{number:03}  {reel:<8} {channel:<5} C        {from} {to} {record_in} {record_out}"));
    }

    fn speed(&mut self, reel: &str, speed: f64, from: &str) {
        if (speed - 1.0).abs() > 1e-9 {
            let frames = speed * self.rate.to_f64();
            let sign = if frames < 0.0 { "-" } else { "" };
            self.line(&format!("M2   {reel:<8}       {sign}{:05.1}                {from}", frames.abs()));
        }
    }

    fn comment(&mut self, what: &str, text: &str) {
        self.line(&format!("* {what}: {}", one_line(text)));
    }
}

/// Reads the events of a list that [`write_edl`] could have written at `rate`.
pub fn read_edl(text: &str, rate: FrameRate) -> Result<Vec<EdlEvent>, InterchangeError> {
    let mut events: Vec<EdlEvent> = Vec::new();
    for (i, line) in text.lines().enumerate() {
        let wrong = || InterchangeError::Edl { line: i + 1 };
        if let Some(name) = line.strip_prefix("* FROM CLIP NAME: ") {
            name.clone_into(&mut events.last_mut().ok_or_else(wrong)?.clip);
        } else if line.starts_with("M2 ") {
            let speed = line.split_whitespace().nth(2).and_then(|s| s.parse().ok()).ok_or_else(wrong)?;
            events.last_mut().ok_or_else(wrong)?.speed = Some(speed);
        } else if line.starts_with(|c: char| c.is_ascii_digit()) {
            let fields: Vec<&str> = line.split_whitespace().collect();
            let [number, reel, channel, "C", from, to, record_in, record_out] = fields[..] else { return Err(wrong()) };
            let record = |t: &str| parse_timecode(t, rate).or(Err(wrong()));
            // Any rate that such a timecode could be at reads it.
            let fast = FrameRate::new(120, 1).ok_or_else(wrong)?;
            let source = |t: &str| parse_timecode(t, fast).map(|_| t.to_owned()).or(Err(wrong()));
            events.push(EdlEvent {
                number: number.parse().or(Err(wrong()))?,
                reel: reel.to_owned(),
                channel: match channel {
                    "V" => Channel::Video,
                    "A" => Channel::Audio,
                    _ => return Err(wrong()),
                },
                source: (source(from)?, source(to)?),
                record: (record(record_in)?, record(record_out)?),
                clip: String::new(),
                speed: None,
            });
        }
    }
    Ok(events)
}
