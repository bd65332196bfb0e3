//! The right length: versions of a track that are shorter or longer than it, without sounding cut.
//!
//! The beats are the places where one may leave the track and go on elsewhere. A join costs what is unlike on its two
//! sides, in harmony, timbre and energy, before and after it; it lies at the same place in the bar and cheaper in the
//! same place of the phrase. The cheapest ways from the opening to the real ending, through what must stay, are found
//! by dynamic programming over joins made, place, and time left out (after Wenner et al., "Scalable music: automatic
//! music retargeting and synthesis", 2013, and Rubin et al., "Content-based tools for editing audio stories", 2013).

use super::{CueKind, Span, Texture, TrackReading, Version, VersionError};
use crate::time::Seconds;
use serde::{Deserialize, Serialize};

/// How near the wanted length a version must come, in seconds.
pub const TOLERANCE: f64 = 1.0;
const MOST_JOINS: usize = 3;
/// What each further join costs: better one that is a little rougher than two.
const JOIN_COST: f64 = 0.08;
/// Joins that cost more are offered only where there is no other way to the wanted length.
const ROUGHEST: f64 = 0.62;
/// Between two joins lie at least so many beats, or bars where only bar lines are looked at.
const BEATS_APART: usize = 8;
const BARS_APART: usize = 2;
/// Joins looked at from one beat.
const FANOUT: usize = 48;
/// Above so many beats only bar lines are looked at.
const MANY_BEATS: usize = 700;

/// Leaving the track at one beat and going on at another. Seconds in the track.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Seam {
    /// Where it is left.
    pub out: f64,
    /// Where it goes on.
    pub into: f64,
    /// 0 is not to be heard; above a half it is.
    pub cost: f64,
}

/// A version of about the wanted length.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Proposal {
    /// In order.
    pub seams: Vec<Seam>,
    /// How long it lasts, in seconds.
    pub seconds: f64,
    /// What it costs; less is better.
    pub cost: f64,
}

impl Proposal {
    /// As a version of a track that lasts so long.
    pub fn version(&self, duration: Seconds) -> Result<Version, VersionError> {
        version_of(&self.seams, duration)
    }
}

/// The version that goes through these seams from the opening to the end.
pub fn version_of(seams: &[Seam], duration: Seconds) -> Result<Version, VersionError> {
    let mut spans = Vec::with_capacity(seams.len() + 1);
    let mut start = Seconds::ZERO;
    for seam in seams {
        spans.push(Span { start, end: Seconds::from_measured(seam.out) });
        start = Seconds::from_measured(seam.into);
    }
    spans.push(Span { start, end: duration });
    Version::of_spans(spans, duration)
}

/// What has to stay unless somebody says otherwise: the strongest drop, from the bar before it to four bars after.
pub fn must_stay(track: &TrackReading) -> Option<(f64, f64)> {
    let drop =
        track.cues.iter().filter(|c| c.kind == CueKind::Drop).max_by(|a, b| a.strength.total_cmp(&b.strength))?;
    let bar = bar_length(track);
    Some((drop.at - bar, (drop.at + 4.0 * bar).min(track.duration)))
}

fn bar_length(track: &TrackReading) -> f64 {
    let ones = track.downbeats();
    if ones.len() > 1 { (ones[ones.len() - 1] - ones[0]) / (ones.len() - 1) as f64 } else { 2.0 }
}

/// One place where a track can be left or entered.
struct Place {
    at: f64,
    bar: u32,
    beat: u32,
    /// How many beats before and after it are heard alike elsewhere is judged by these.
    heard: [super::texture::Sound; 4],
    energy: [f64; 2],
    opens: bool,
}

fn places(track: &TrackReading) -> Vec<Place> {
    let beats = &track.beats;
    let at = |i: isize| {
        let clamped = i.clamp(0, beats.len() as isize - 1) as usize;
        beats[clamped].at + (i - clamped as isize) as f64 * 60.0 / track.tempo_bpm.max(1.0)
    };
    let sound = |texture: &Texture, i: isize| texture.sound(at(i).max(0.0), at(i + 1).max(0.1));
    (0..beats.len())
        .map(|i| {
            let n = i as isize;
            Place {
                at: beats[i].at,
                bar: beats[i].bar,
                beat: beats[i].beat,
                heard: [-2, -1, 0, 1].map(|k| sound(&track.texture, n + k)),
                energy: [track.energy.mean(at(n - 2).max(0.0), at(n)), track.energy.mean(at(n), at(n + 2))],
                opens: track.sections.iter().any(|s| (s.start - beats[i].at).abs() < 0.1),
            }
        })
        .collect()
}

/// What a join from before `a` to after `b` costs.
fn cost(a: &Place, b: &Place) -> f64 {
    let unlike: f64 =
        a.heard.iter().zip(&b.heard).zip([0.15, 0.35, 0.3, 0.2]).map(|((x, y), weight)| weight * x.unlike(y)).sum();
    let energy = ((a.energy[0] - b.energy[0]).abs() + (a.energy[1] - b.energy[1]).abs()) / 200.0;
    let phrase = match a.bar.abs_diff(b.bar) {
        d if d.is_multiple_of(4) => 0.0,
        d if d.is_multiple_of(2) => 0.06,
        _ => 0.12,
    };
    let off_the_bar = if a.beat == 1 { 0.0 } else { 0.12 };
    // Where sections end and begin a change is expected.
    let expected = if a.opens && b.opens { 0.1 } else { 0.0 };
    (unlike + energy + phrase + off_the_bar - expected).max(0.0)
}

/// A state of the search: what it cost to get there and from where.
#[derive(Clone, Copy)]
struct State {
    cost: f32,
    /// The place left, and the place entered before that.
    left: u16,
    before: u16,
}

const NOWHERE: State = State { cost: f32::MAX, left: u16::MAX, before: u16::MAX };

/// Up to `count` versions of about the wanted length, the least audible first; when none comes within [`TOLERANCE`],
/// those that come nearest. Where only joins that are plainly heard lead there, those, and behind them the nearest
/// without. `keep` is a stretch of the track that stays whole.
pub fn propose(track: &TrackReading, wanted: f64, keep: Option<(f64, f64)>, count: usize) -> Vec<Proposal> {
    let mut places = places(track);
    let mut apart = BEATS_APART;
    if places.len() > MANY_BEATS {
        places.retain(|p| p.beat == 1);
        apart = BARS_APART;
    }
    let joins = joins(&places, apart, keep);
    let by = |roughest: f64| {
        let below = |list: &[(u16, f32)]| list.partition_point(|(_, cost)| f64::from(*cost) < roughest);
        let joins: Vec<&[(u16, f32)]> = joins.iter().map(|list| &list[..below(list)]).collect();
        cheapest(track, &places, apart, &joins, wanted, count)
    };
    let off = |found: &[Proposal]| found.first().map_or(f64::INFINITY, |best| (best.seconds - wanted).abs());
    let smooth = by(ROUGHEST);
    if off(&smooth) <= TOLERANCE {
        return smooth;
    }
    let mut rough = by(f64::INFINITY);
    if off(&rough) > TOLERANCE && off(&rough) + TOLERANCE > off(&smooth) {
        return smooth;
    }
    rough.truncate(count.saturating_sub(1));
    let nearest = smooth.into_iter().next().filter(|nearest| !rough.contains(nearest));
    rough.extend(nearest);
    rough
}

/// Up to `count` ways through these joins to about the wanted length, the least audible first, or else the nearest.
fn cheapest(
    track: &TrackReading,
    places: &[Place],
    apart: usize,
    joins: &[&[(u16, f32)]],
    wanted: f64,
    count: usize,
) -> Vec<Proposal> {
    let n = places.len().min(usize::from(u16::MAX) - 1);
    let to_remove = track.duration - wanted;
    let mut found: Vec<Proposal> = Vec::new();
    if to_remove.abs() <= TOLERANCE {
        found.push(Proposal { seams: Vec::new(), seconds: track.duration, cost: 0.0 });
    }
    if n < 2 * apart {
        return found;
    }
    let step = (track.duration / 800.0).max(0.2);
    let margin = 12.0;
    let lowest = to_remove.min(0.0) - margin;
    let cells = ((to_remove.max(0.0) + margin - lowest) / step).ceil() as usize + 1;
    let cell = |removed: f64| {
        let c = ((removed - lowest) / step).round();
        (c >= 0.0 && (c as usize) < cells).then_some(c as usize)
    };
    let mut layers: Vec<Vec<State>> = Vec::new();
    let mut opening = vec![NOWHERE; n * cells];
    if let Some(c) = cell(0.0) {
        opening[c].cost = 0.0;
    }
    layers.push(opening);
    for _ in 0..MOST_JOINS {
        let next = one_more_join(&layers[layers.len() - 1], &places[..n], joins, apart, cells, step);
        layers.push(next);
    }
    let mut ends: Vec<(f64, usize, usize, usize)> = Vec::new();
    for (k, layer) in layers.iter().enumerate().skip(1) {
        for place in 0..n.saturating_sub(apart) {
            for c in 0..cells {
                let state = layer[place * cells + c];
                let off = (lowest + c as f64 * step - to_remove).abs();
                if state.cost < f32::MAX {
                    let late = if off <= TOLERANCE - step { 0.02 * off } else { 10.0 + off };
                    ends.push((f64::from(state.cost) + late, k, place, c));
                }
            }
        }
    }
    ends.sort_by(|a, b| a.0.total_cmp(&b.0));
    let bar = bar_length(track);
    for (_, k, place, c) in ends {
        let Some(proposal) = walked_back(&layers, places, (k, place, c), cells, step, track.duration) else {
            continue;
        };
        let near = |a: &Seam, b: &Seam| (a.out - b.out).abs() < bar && (a.into - b.into).abs() < bar;
        let known = found.iter().any(|p| {
            p.seams.len() == proposal.seams.len() && p.seams.iter().zip(&proposal.seams).all(|(a, b)| near(a, b))
        });
        let worse = found.first().is_some_and(|best| {
            let off = |p: &Proposal| (p.seconds - wanted).abs();
            off(best) <= TOLERANCE && off(&proposal) > TOLERANCE
        });
        if !known && !worse {
            found.push(proposal);
        }
        if found.len() >= count {
            break;
        }
    }
    found
}

/// Where one can go on from each place, cheapest first.
fn joins(places: &[Place], apart: usize, keep: Option<(f64, f64)>) -> Vec<Vec<(u16, f32)>> {
    let allowed = |out: f64, into: f64| {
        keep.is_none_or(|(start, end)| {
            let inside = |t: f64| t > start + 0.01 && t < end - 0.01;
            let skips = out < end - 0.01 && into > start + 0.01 && into > out;
            !inside(out) && !inside(into) && !skips
        })
    };
    (0..places.len())
        .map(|i| {
            let a = &places[i];
            let mut list: Vec<(u16, f32)> = (0..places.len())
                .filter(|j| places[*j].beat == a.beat && i.abs_diff(*j) >= apart / 2 && allowed(a.at, places[*j].at))
                .map(|j| (j as u16, cost(a, &places[j]) as f32))
                .collect();
            list.sort_by(|a, b| a.1.total_cmp(&b.1));
            list.truncate(FANOUT);
            list
        })
        .collect()
}

fn one_more_join(
    from: &[State],
    places: &[Place],
    joins: &[&[(u16, f32)]],
    apart: usize,
    cells: usize,
    step: f64,
) -> Vec<State> {
    let n = places.len();
    let mut next = vec![NOWHERE; n * cells];
    // The cheapest way to have entered at least some beats before the place that is left, for each time left out.
    let mut best: Vec<(f32, u16)> = vec![(f32::MAX, u16::MAX); cells];
    for out in apart..n {
        let entered = out - apart;
        for (c, slot) in best.iter_mut().enumerate() {
            let cost = from[entered * cells + c].cost;
            if cost < slot.0 {
                *slot = (cost, entered as u16);
            }
        }
        for (into, join) in joins[out] {
            let into = usize::from(*into);
            let shift = ((places[into].at - places[out].at) / step).round() as isize;
            for (c, (cost, entered)) in best.iter().enumerate() {
                let Some(to) = c.checked_add_signed(shift).filter(|to| *to < cells) else { continue };
                if *cost == f32::MAX {
                    continue;
                }
                let cost = cost + join + JOIN_COST as f32;
                let slot = &mut next[into * cells + to];
                if cost < slot.cost {
                    *slot = State { cost, left: out as u16, before: *entered };
                }
            }
        }
    }
    next
}

fn walked_back(
    layers: &[Vec<State>],
    places: &[Place],
    (layer, place, c): (usize, usize, usize),
    cells: usize,
    step: f64,
    duration: f64,
) -> Option<Proposal> {
    let (mut layer, mut place, mut c) = (layer, place, c);
    let mut seams = Vec::new();
    while layer > 0 {
        let state = layers[layer][place * cells + c];
        let (out, before) = (usize::from(state.left), usize::from(state.before));
        let (from, to) = (places.get(out)?, &places[place]);
        seams.push(Seam { out: from.at, into: to.at, cost: rounded(cost(from, to)) });
        let shift = ((to.at - from.at) / step).round() as isize;
        c = c.checked_add_signed(-shift)?;
        (place, layer) = (before, layer - 1);
    }
    seams.reverse();
    let seconds = duration - seams.iter().map(|s| s.into - s.out).sum::<f64>();
    let cost = rounded(seams.iter().map(|s| s.cost).sum());
    Some(Proposal { seams, seconds, cost })
}

fn rounded(cost: f64) -> f64 {
    (cost * 1000.0).round() / 1000.0
}

/// The seam moved by some beats on both sides.
pub fn moved(track: &TrackReading, seam: Seam, beats: i32) -> Option<Seam> {
    let index = |at: f64| track.beats.iter().position(|b| (b.at - at).abs() < 0.02);
    let shifted =
        |at: f64| index(at)?.checked_add_signed(beats as isize).and_then(|i| track.beats.get(i)).map(|b| b.at);
    Some(judged(track, shifted(seam.out)?, shifted(seam.into)?))
}

/// Other seams that leave out about as much, near this one, best first.
pub fn instead(track: &TrackReading, seam: Seam, count: usize) -> Vec<Seam> {
    let places = places(track);
    let left_out = seam.into - seam.out;
    let bar = bar_length(track);
    let mut list: Vec<Seam> = Vec::new();
    for a in places.iter().filter(|p| (p.at - seam.out).abs() <= 4.5 * bar && (p.at - seam.out).abs() > 0.02) {
        for b in places.iter().filter(|p| p.beat == a.beat && (p.at - a.at - left_out).abs() <= TOLERANCE) {
            list.push(Seam { out: a.at, into: b.at, cost: rounded(cost(a, b)) });
        }
    }
    list.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    list.truncate(count);
    list
}

fn judged(track: &TrackReading, out: f64, into: f64) -> Seam {
    let places = places(track);
    let at = |t: f64| places.iter().find(|p| (p.at - t).abs() < 0.02);
    let cost = at(out).zip(at(into)).map_or(1.0, |(a, b)| cost(a, b));
    Seam { out, into, cost: rounded(cost) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::track::{Beat, Cue, Section, SectionKind, Trace};

    /// Forty bars at 120: A for 16 bars, B for 8 from 32 s (the drop), A again for 16 bars from 48 s, to 80 s.
    fn track() -> TrackReading {
        song(1)
    }

    /// The same so many times, with its drop in the last.
    fn song(times: u32) -> TrackReading {
        let last = f64::from(times - 1) * 80.0;
        let part = |t: f64| usize::from((32.0..48.0).contains(&(t % 80.0)));
        let mut rows = String::new();
        for i in 0..times * 800 {
            let t = f64::from(i) / 10.0;
            // A chord that changes with the bar, round every four bars, and a brightness by the part.
            let chord = (t / 2.0) as usize % 4 * 2 + part(t);
            for class in 0..12 {
                rows.push_str(if class == chord || class == (chord + 4) % 12 { "b4" } else { "08" });
            }
            for band in 0..8 {
                rows.push_str(if part(t) == 1 {
                    "a0"
                } else if band < 3 {
                    "60"
                } else {
                    "20"
                });
            }
        }
        let energy = |t: f64| if part(t) == 1 { 90.0 } else { 45.0 };
        TrackReading {
            duration: last + 80.0,
            tempo_bpm: 120.0,
            beats: (0..times * 160)
                .map(|i| Beat { at: f64::from(i) * 0.5, bar: i / 4 + 1, beat: i % 4 + 1, strength: 1.0 })
                .collect(),
            sections: vec![
                Section::new(0.0, 32.0, SectionKind::Groove, 45.0),
                Section::new(32.0, 48.0, SectionKind::Drop, 90.0),
                Section::new(48.0, 80.0, SectionKind::Outro, 45.0),
            ],
            cues: vec![Cue::new(last + 32.0, CueKind::Drop, 1.0)],
            energy: Trace { step: 0.1, values: (0..times * 800).map(|i| energy(f64::from(i) / 10.0)).collect() },
            texture: Texture::try_from(rows).expect("a texture"),
            ..TrackReading::default()
        }
    }

    /// As long, but nothing comes back: every four bars have a chord, a brightness and an energy of their own.
    fn strange() -> TrackReading {
        let part = |i: usize| i / 80;
        let row = |i: usize| {
            let chord = (0..12).map(|class| if class == part(i) { "ff" } else { "00" });
            let bands = (0..8).map(|band| if band == part(i) * 3 % 8 { "ff" } else { "00" });
            chord.chain(bands).collect::<String>()
        };
        let energy = |i: usize| if part(i).is_multiple_of(2) { 90.0 } else { 10.0 };
        TrackReading {
            texture: Texture::try_from((0..800).map(row).collect::<String>()).expect("a texture"),
            energy: Trace { step: 0.1, values: (0..800).map(energy).collect() },
            cues: Vec::new(),
            sections: Vec::new(),
            ..track()
        }
    }

    fn beat_at(track: &TrackReading, at: f64) -> Beat {
        *track.beats.iter().find(|b| (b.at - at).abs() < 0.01).expect("a beat")
    }

    #[test]
    fn shorter_versions_keep_the_opening_the_drop_and_the_ending() {
        let track = track();
        let keep = must_stay(&track);
        assert_eq!(keep, Some((30.0, 40.0)));
        for wanted in [30.0, 40.0, 56.0] {
            let found = propose(&track, wanted, keep, 5);
            assert!(!found.is_empty() && found.len() <= 5, "{wanted}");
            for p in &found {
                assert!((p.seconds - wanted).abs() <= TOLERANCE, "{wanted}: {p:?}");
                let version = p.version(Seconds::from_measured(80.0)).expect("a version");
                assert!((version.duration().to_f64() - p.seconds).abs() < 1e-3);
                let reading = version.reading(&track);
                let drop = reading.cues.iter().find(|c| c.kind == CueKind::Drop).expect("the drop stays");
                assert_eq!(version.in_track(drop.at), 32.0);
                assert_eq!((version.start().to_f64(), version.end().to_f64()), (0.0, 80.0));
                for seam in &p.seams {
                    assert_eq!(beat_at(&track, seam.out).beat, beat_at(&track, seam.into).beat, "{seam:?}");
                    assert!(!(30.01..39.99).contains(&seam.out) && !(30.01..39.99).contains(&seam.into), "{seam:?}");
                }
            }
            // What repeats exactly is joined unheard; thirty seconds ask for more than that.
            assert!(found[0].cost < if wanted < 39.0 { 0.7 } else { 0.2 }, "{wanted}: {:?}", found[0]);
        }
    }

    /// Of seven minutes only bar lines are looked at: as near to each other as beats are elsewhere.
    #[test]
    fn little_is_left_of_a_long_track_where_little_is_asked_for() {
        let track = song(5);
        assert!(track.beats.len() > MANY_BEATS);
        let found = propose(&track, 32.0, must_stay(&track), 5);
        assert!(found.iter().all(|p| (p.seconds - 32.0).abs() <= TOLERANCE), "{found:?}");
        let seam = found[0].seams[0];
        let later = moved(&track, seam, 1).expect("a beat on");
        assert!(later.cost < seam.cost + 0.3, "off the bar it is judged too: {later:?} after {seam:?}");
    }

    #[test]
    fn a_track_is_made_longer_by_repeating() {
        let found = propose(&track(), 100.0, None, 3);
        assert!((found[0].seconds - 100.0).abs() <= TOLERANCE, "{found:?}");
        assert!(found[0].seams.iter().any(|s| s.into < s.out));
    }

    #[test]
    fn as_it_is_needs_no_seam_and_what_cannot_be_reached_comes_near() {
        assert!(propose(&track(), 80.4, None, 5)[0].seams.is_empty());
        // All but four bars must stay.
        let near = propose(&track(), 20.0, Some((8.0, 80.0)), 5);
        assert!(near.iter().all(|p| p.seconds >= 71.0), "{near:?}");
    }

    #[test]
    fn a_length_that_only_rough_seams_lead_to_is_offered_and_told_to_be_heard() {
        let track = strange();
        let found = propose(&track, 33.0, Some((0.0, 17.0)), 5);
        let (last, first) = found.split_last().expect("versions");
        assert!(!first.is_empty() && first.iter().all(|p| (p.seconds - 33.0).abs() <= TOLERANCE), "{found:?}");
        assert!(first.iter().all(|p| p.seams.iter().any(|s| s.cost > ROUGHEST)), "{found:?}");
        assert!(
            last.seams.iter().all(|s| s.cost <= ROUGHEST) && last.seconds > 35.0,
            "the nearest smooth one: {last:?}"
        );
    }

    #[test]
    fn a_seam_can_be_moved_and_replaced() {
        let track = track();
        let seam = propose(&track, 56.0, must_stay(&track), 1)[0].seams[0];
        let later = moved(&track, seam, 1).expect("a beat on");
        assert!((later.out - seam.out - 0.5).abs() < 1e-9 && (later.into - seam.into - 0.5).abs() < 1e-9);
        let others = instead(&track, seam, 4);
        assert!(!others.is_empty() && others.windows(2).all(|w| w[0].cost <= w[1].cost));
        assert!(others.iter().all(|o| ((o.into - o.out) - (seam.into - seam.out)).abs() <= TOLERANCE));
    }
}
