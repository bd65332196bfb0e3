//! A shot as formats can say it: one stretch after the other, each at one speed, held, or black.
//!
//! A hold and a change at once are said exactly that way. An eased keyframe is not: it is written at its mean speed, and
//! [`CutList::unsaid`] names it.

use super::{CutList, Event};
use crate::draft::{Between, Shown, Stop, frame_table};
use crate::time::FrameLen;

/// What a stretch shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Seen {
    /// The clip, at some speed.
    Clip,
    /// One of its frames.
    Held,
    /// Nothing.
    Black,
}

/// A part of a shot at one speed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stretch {
    /// What it shows.
    pub seen: Seen,
    /// Frames of the draft.
    pub len: FrameLen,
    /// The first frame of the clip that it uses, in the clip's own count; meaningless where it is black.
    pub first: u64,
    /// Behind the last one.
    pub end: u64,
    /// 1 is as recorded; negative is backwards, from the last frame to the first.
    pub speed: f64,
}

impl CutList {
    /// The stretches of an event, in their order; together they last as long as it.
    pub fn stretches(&self, event: &Event) -> Vec<Stretch> {
        let shot = event.shot();
        let course = shot.source.course();
        let table = frame_table(&shot, self.rate, event.clip_rate);
        let pictures = shot.pictures().get();
        let mut bounds: Vec<u64> = vec![0, pictures];
        let keyframes = event.keyframes.iter().flat_map(|t| [t.at, t.end()]);
        bounds.extend(keyframes.filter_map(|at| u64::try_from(at).ok()).filter(|at| *at < pictures));
        bounds.sort_unstable();
        bounds.dedup();
        let at = |f: u64| i64::try_from(f).unwrap_or(i64::MAX);
        let mut stretches: Vec<Stretch> = Vec::new();
        for w in bounds.windows(2) {
            let (from, to) = (w[0], w[1]);
            let offset = course.source_offset(at(to)) - course.source_offset(at(from));
            let offset = *offset.numer() as f64 / *offset.denom() as f64;
            let eased = event.keyframes.iter().any(|t| t.at <= at(from) && at(from) < t.end());
            let speed = if eased { offset / (to - from) as f64 } else { course.settled(at(from)).to_f64() };
            let (first, end) = if bounds.len() == 2 && speed > 0.0 {
                let frames = self.source_frames(event);
                (frames.first, frames.end)
            } else {
                let begins = usize::try_from(from).ok().and_then(|i| table.get(i)).and_then(|s| s.frame).unwrap_or(0);
                let used = (offset.abs() * event.clip_rate.to_f64() / self.rate.to_f64()).round().max(1.0) as u64;
                let begins = begins.min(event.clip_frames.saturating_sub(1));
                match speed {
                    s if s < 0.0 => ((begins + 1).saturating_sub(used), begins + 1),
                    s if s > 0.0 => (begins, (begins + used).min(event.clip_frames.max(begins + 1))),
                    _ => (begins, begins + 1),
                }
            };
            let seen = if offset == 0.0 { Seen::Held } else { Seen::Clip };
            stretches.push(Stretch { seen, len: FrameLen::new(to - from), first, end, speed });
        }
        if let Some(pause) = event.pause {
            let last = pictures.checked_sub(1).and_then(|i| table.get(usize::try_from(i).ok()?)).copied();
            let frame = last.unwrap_or(Shown::plain(0)).frame.unwrap_or(0);
            let seen = if pause.stop == Stop::Black { Seen::Black } else { Seen::Held };
            stretches.push(Stretch { seen, len: pause.len, first: frame, end: frame + 1, speed: 0.0 });
        }
        stretches
    }

    /// What the open formats cannot say of an event, in words.
    pub fn unsaid(&self, event: &Event) -> Vec<String> {
        let mut words = Vec::new();
        let pictures = i64::try_from(event.shot().pictures().get()).unwrap_or(i64::MAX);
        for keyframe in event.keyframes.iter().filter(|t| t.over > 0 && t.end() > 0 && t.at < pictures) {
            words.push(format!(
                "speed eased to {:.0} % over {} frames from frame {}, written at its mean",
                keyframe.to.to_f64() * 100.0,
                keyframe.over,
                keyframe.at
            ));
        }
        match event.between {
            Between::Blend => words.push("frames in between are mixed".to_owned()),
            Between::Computed => words.push("frames in between are computed along the movement".to_owned()),
            Between::Repeat => {}
        }
        words
    }
}
