//! How beats that a person touches are counted: bars that were not touched stay what they are, also those that are
//! longer or shorter than most.

use super::{Beat, CLOSEST, nearest};
use std::ops::RangeInclusive;

/// Beats at these times, counted in bars of `metre` so that the one nearest to `one` is a downbeat.
pub(super) fn counted(times: &[f64], metre: u32, one: f64) -> Vec<Beat> {
    let Some(first) = nearest(times.iter().copied(), one) else { return Vec::new() };
    let metre = metre as usize;
    numbered(times, metre, |i| i % metre == first % metre)
}

/// Beats at these times in the bars that begin at these times, an upbeat as if they were as long as most of them.
pub(super) fn barred(times: &[f64], ones: &[f64]) -> Vec<Beat> {
    let starts = starts_of(times, ones);
    let mut lengths: Vec<usize> = starts.windows(2).map(|w| w[1] - w[0]).collect();
    lengths.sort_unstable();
    numbered(times, lengths.get(lengths.len() / 2).copied().unwrap_or(1), |i| starts.binary_search(&i).is_ok())
}

/// Counts from each beat that begins a bar; those before the first are its upbeat, in bar 0.
fn numbered(times: &[f64], metre: usize, begins: impl Fn(usize) -> bool) -> Vec<Beat> {
    let upbeat = (0..times.len()).position(&begins).unwrap_or(times.len());
    let (mut bar, mut place) = (0, metre.saturating_sub(upbeat) as u32);
    times
        .iter()
        .enumerate()
        .map(|(i, at)| {
            if begins(i) {
                (bar, place) = (bar + 1, 0);
            }
            place += 1;
            Beat { at: *at, bar, beat: place, strength: 1.0 }
        })
        .collect()
}

/// The same, where beats were set within a range: bars that they make twice as long as most are parted.
pub(super) fn filled(times: &[f64], ones: &[f64], metre: u32, set: RangeInclusive<f64>) -> Vec<Beat> {
    let touched = |from: usize, to: usize| *set.end() >= times[from] && *set.start() <= times[to - 1];
    parted(times, &starts_of(times, ones), metre, touched)
}

/// Every bar begins as many beats earlier or later, so that one begins with the beat of this index.
pub(super) fn moved(beats: &[Beat], metre: u32, to: usize) -> Vec<Beat> {
    let starts = starts(beats);
    let by = starts.clone().map(|start| to as isize - start as isize).min_by_key(|by| by.abs()).unwrap_or(0);
    let moved: Vec<usize> = starts.filter_map(|s| s.checked_add_signed(by)).filter(|s| *s < beats.len()).collect();
    let times: Vec<f64> = beats.iter().map(|b| b.at).collect();
    if moved.is_empty() { counted(&times, metre, times[to]) } else { with_ends(&times, &moved, metre) }
}

/// A beat between any two, and two bars for each.
pub(super) fn doubled(beats: &[Beat], metre: u32) -> Vec<Beat> {
    let next = beats.iter().skip(1).map(|b| Some(b.at)).chain([None]);
    let between = |at: f64, next: Option<f64>| [Some(at), next.map(|next| (at + next) / 2.0)];
    let times: Vec<f64> = beats.iter().zip(next).flat_map(|(b, next)| between(b.at, next)).flatten().collect();
    let ends = starts(beats).skip(1).map(Some).chain([None]);
    let halves = starts(beats).zip(ends).flat_map(|(start, end)| {
        let long = end.map_or(metre as usize, |end| end - start);
        [2 * start, 2 * start + long]
    });
    with_ends(&times, &halves.filter(|start| *start < times.len()).collect::<Vec<usize>>(), metre)
}

/// How much stronger the ones of the other half of the bars must be, for the first bar to be no first of two.
const STRONGER: f64 = 1.1;

/// Every second beat, and one bar for each two: such two as are alike where not all are, else those that begin more
/// strongly as read, for a beat that was only set between others is no one.
pub(super) fn halved(beats: &[Beat], read: &[Beat], metre: u32) -> Vec<Beat> {
    let bars: Vec<usize> = starts(beats).collect();
    let unlike = |from: usize| {
        let pairs = bars.windows(3).skip(from).step_by(2);
        pairs.filter(|pair| pair[1] - pair[0] != pair[2] - pair[1]).count()
    };
    let ones = |from: usize| -> Vec<usize> { bars.iter().copied().skip(from).step_by(2).collect() };
    let strength = |from: usize| {
        let ones = ones(from);
        let as_read = ones.iter().filter_map(|one| {
            let i = nearest(read.iter().map(|b| b.at), beats[*one].at)?;
            ((read[i].at - beats[*one].at).abs() < CLOSEST / 2.0).then_some(read[i].strength)
        });
        as_read.sum::<f64>() / ones.len().max(1) as f64
    };
    let second = (unlike(1), STRONGER * strength(0)) < (unlike(0), strength(1));
    let ones = if bars.is_empty() { vec![0] } else { ones(usize::from(second)) };
    let upbeat = (ones[0] % 2..ones[0]).step_by(2);
    let ends = ones.iter().copied().skip(1).chain([beats.len() + 1]);
    // No beat is nearer to the next bar than two were: the last of an odd number is longer.
    let inside = ones.iter().zip(ends).flat_map(|(one, end)| (*one..end - 1).step_by(2));
    let kept: Vec<usize> = upbeat.chain(inside).collect();
    let starts: Vec<usize> = ones.iter().filter_map(|one| kept.binary_search(one).ok()).collect();
    with_ends(&kept.iter().map(|i| beats[*i].at).collect::<Vec<f64>>(), &starts, metre)
}

/// What lies before the first bar and behind the last one is counted in bars of `metre`.
fn with_ends(times: &[f64], starts: &[usize], metre: u32) -> Vec<Beat> {
    let first = starts.first().copied().unwrap_or(0);
    parted(times, starts, metre, |from, to| from < first || to == times.len())
}

fn starts(beats: &[Beat]) -> impl Iterator<Item = usize> + Clone {
    (0..beats.len()).filter(|i| beats[*i].beat == 1)
}

fn starts_of(times: &[f64], ones: &[f64]) -> Vec<usize> {
    (0..times.len()).filter(|i| ones.iter().any(|one| (one - times[*i]).abs() < 1e-6)).collect()
}

/// Parts bars into such of `metre` where they may be, given the first beat of each and the one behind it. Only the last bar
/// may be broken off; what is longer than a bar and no two stays one.
fn parted(times: &[f64], starts: &[usize], metre: u32, may: impl Fn(usize, usize) -> bool) -> Vec<Beat> {
    let Some(first) = starts.first().copied() else {
        return counted(times, metre, times.first().copied().unwrap_or(0.0));
    };
    let metre = metre as usize;
    let mut all = starts.to_vec();
    if first > 0 && may(0, first) {
        all.extend((0..first).rev().skip(metre - 1).step_by(metre));
    }
    for (start, end) in starts.iter().zip(starts.iter().skip(1).copied().chain([times.len()])) {
        if may(*start, end) {
            let room = if end == times.len() { 1 } else { metre };
            all.extend((start + metre..).step_by(metre).take_while(|at| at + room <= end));
        }
    }
    all.sort_unstable();
    numbered(times, metre, |i| all.binary_search(&i).is_ok())
}
