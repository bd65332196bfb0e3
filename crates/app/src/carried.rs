//! Where the shots of a draft stand when their music is used in another version.

use super::drafts::OpenDraft;
use super::passages::OpenPassage;
use legere_core::draft::Shot;
use legere_core::time::{FramePos, FrameShift, Seconds};
use legere_core::track::Version;

/// The shots of a passage where the same music is in another version; those whose music is not in it are left out.
pub(super) fn moved(
    open: &OpenDraft,
    passage: &OpenPassage,
    to: &Version,
    stays: impl Fn(&Shot) -> bool,
) -> Vec<(FramePos, Shot)> {
    let (rate, begins) = (open.job.rate, passage.start);
    let of = begins.get()..begins.get() + i64::try_from(passage.len.get()).unwrap_or(0);
    let mut kept: Vec<(FramePos, Shot)> = Vec::new();
    let mut after = begins;
    for (start, shot) in open.cut().placed().filter(|(at, shot)| of.contains(&at.get()) && stays(shot)) {
        let seconds = |frame: i64| rate.seconds_at(FramePos::new(frame - begins.get())).to_f64();
        let from = passage.version.in_track(seconds(start.get()));
        let found = to.times_of(from).into_iter().map(|t| begins.get() + rate.nearest(Seconds::from_measured(t)).get());
        // Where it is heard again, the first time that is still free.
        let Some(at) = found.filter(|at| *at >= after.get()).min().map(FramePos::new) else { continue };
        // As long as its own music lasts there.
        let len = (shot.len.get() as f64 * to.factor() / passage.version.factor()).round() as i64;
        let by = FrameShift::new(len - i64::try_from(shot.len.get()).unwrap_or(0));
        let Some(shot) = shot.resized(by, rate) else { continue };
        let end = at.end(shot.len).unwrap_or(at);
        let music_ends = begins.get() + rate.containing(to.duration()).get();
        if end.get() > music_ends {
            continue;
        }
        kept.push((at, shot));
        after = end;
    }
    kept
}
