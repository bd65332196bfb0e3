//! The version of a track that a job begins with.

use crate::time::Seconds;
use crate::track::{Cue, CueKind, TrackReading, Version, VersionError, retarget};

/// The version of a track to start with. Of one that is longer than wanted it has the opening, the strongest drop and the real
/// ending, through seams that are not to be heard, made faster or slower by the little that is missing to the wanted
/// length; where no such version comes near enough to it, the part with the drop and the ending in it, or the one that says most
/// of the piece.
pub fn propose_version(reading: &TrackReading, wanted: Option<f64>, whole: Seconds) -> Result<Version, VersionError> {
    let shortened = wanted.filter(|wanted| *wanted < reading.duration - 0.5).and_then(|wanted| {
        let unheard = |offer: &retarget::Proposal| offer.seams.iter().all(|seam| seam.cost <= HEARD);
        let apart = |offer: &retarget::Proposal| (offer.seconds / wanted - 1.0).abs();
        // Where four bars of the drop are too many, two have to do.
        let offer = kept_of_drop(reading).into_iter().find_map(|keep| {
            let offers = retarget::propose(reading, wanted, keep, OFFERS);
            let fitting = offers.into_iter().filter(|o| !o.seams.is_empty() && unheard(o) && apart(o) <= MOST_STRETCH);
            // One that needs no stretching is worth a rougher seam.
            let cost = |offer: &retarget::Proposal| offer.cost + apart(offer) * STRETCH_COST;
            fitting.min_by(|a, b| cost(a).total_cmp(&cost(b)))
        })?;
        offer.version(whole).ok()?.stretched(wanted / offer.seconds).ok()
    });
    let plain = || {
        let (start, end) = wanted.and_then(|wanted| drop_and_ending(reading, wanted))?;
        Version::part(Seconds::from_measured(start), Seconds::from_measured(end).min(whole), whole).ok()
    };
    shortened.or_else(plain).map_or_else(|| propose_plain(reading, wanted, whole), Ok)
}

/// The part of the wanted length that ends with the music, where the strongest drop is in it with some of what leads up to it.
fn drop_and_ending(reading: &TrackReading, wanted: f64) -> Option<(f64, f64)> {
    let end = reading.cues.iter().rev().find(|c| c.kind == CueKind::End).map_or(reading.duration, |c| c.at);
    let stop = (end + AFTER_THE_END).min(reading.duration);
    let start = reading.downbeats().into_iter().find(|at| *at >= stop - wanted - 0.01)?;
    let (leads_up, _) = retarget::must_stay(reading)?;
    (wanted < reading.duration && leads_up >= start).then_some((start, stop))
}

/// How much of what rings on behind the last stroke is heard, in seconds.
const AFTER_THE_END: f64 = 1.5;

/// The part of a track to start with ([`propose_part`]), as a version.
fn propose_plain(reading: &TrackReading, wanted: Option<f64>, whole: Seconds) -> Result<Version, VersionError> {
    let (start, end) = propose_part(reading, wanted);
    Version::part(Seconds::from_measured(start), Seconds::from_measured(end).min(whole), whole)
        .or_else(|_| Version::part(Seconds::ZERO, whole, whole))
}

/// A seam that costs more than this is plainly heard.
const HEARD: f64 = 0.5;
/// By how much of its length a version is made faster or slower without anybody minding.
const MOST_STRETCH: f64 = 0.055;
/// What stretching by all of its length would cost, as seams do.
const STRETCH_COST: f64 = 6.0;
/// How many versions are looked at.
const OFFERS: usize = 8;

/// What of the strongest drop has to be in a version: as much as is usual, or from the bar before it to two bars after.
fn kept_of_drop(reading: &TrackReading) -> Vec<Option<(f64, f64)>> {
    let usual = retarget::must_stay(reading);
    let less = usual.map(|(from, to)| (from, from + (to - from) * 0.6));
    if usual.is_some() { vec![usual, less] } else { vec![None] }
}

/// The part of a track to start with: as long as wanted, from a downbeat on, with the strongest drop in it after
/// enough of a build, and with as much of the shape of the piece as fits. The whole when it is short enough.
pub fn propose_part(reading: &TrackReading, wanted: Option<f64>) -> (f64, f64) {
    let end = reading.cues.iter().rev().find(|c| c.kind == CueKind::End).map_or(reading.duration, |c| c.at);
    let Some(wanted) = wanted.filter(|w| *w < reading.duration - 0.5) else { return (0.0, reading.duration) };
    let score = |start: f64| {
        let stop = start + wanted;
        let inside = |at: f64| at >= start - 0.01 && at <= stop;
        let cues = reading.cues.iter().filter(|c| c.kind != CueKind::End && inside(c.at)).count() as f64;
        let on_section = reading.sections.iter().any(|s| (s.start - start).abs() < 0.1);
        let ends_with_a_section = reading.sections.iter().any(|s| (s.end - stop).abs() < 0.6);
        // The drop wants its build before it and time to be enjoyed behind it.
        let drop = |c: &Cue| 4.0 + 2.0 * c.strength - 8.0 * ((c.at - start) / wanted - 0.5).abs();
        let place =
            reading.cues.iter().filter(|c| c.kind == CueKind::Drop && inside(c.at)).map(drop).fold(0.0, f64::max);
        let points = [(on_section, 3.0), (ends_with_a_section, 1.5), ((stop - end).abs() < 2.5, 2.0)];
        place + cues.min(4.0) + points.iter().filter(|p| p.0).map(|p| p.1).sum::<f64>()
    };
    let latest = (reading.duration - wanted).max(0.0);
    let start = reading
        .beats
        .iter()
        .filter(|b| b.beat == 1 && b.at <= latest)
        .map(|b| b.at)
        .fold(None, |best: Option<f64>, at| match best {
            Some(b) if score(b) >= score(at) => Some(b),
            _ => Some(at),
        })
        .unwrap_or(0.0);
    (start, start + wanted)
}
