//! Beats at about a given tempo, along what is heard to begin.
//!
//! Each beat comes where an onset is, or as far from the one before as the tempo says, whichever costs less (dynamic
//! programming: Ellis, "Beat tracking by dynamic programming", Journal of New Music Research 36, 2007).

/// Frames a second.
const RATE: f64 = 200.0;
/// How far from the given one a tempo may be, as a share: it was typed by somebody who knows it.
const REACH: f64 = 0.08;
/// What a beat costs by the square of the logarithm of its distance against the given one; an onset is worth 1. Two in a
/// hundred off costs a sixth of an onset, five a whole one.
const STRICT: f64 = 400.0;
/// What an onset is worth to a beat that lies beside it, by frames.
const BESIDE: [f64; 4] = [1.0, 0.7, 0.4, 0.15];

/// Beats from `from` on, before `end`, about `gap` apart; onsets are in order, all in seconds.
pub(super) fn beats(onsets: &[f64], from: f64, end: f64, gap: f64) -> Vec<f64> {
    if from >= end {
        return Vec::new();
    }
    let frames = ((end - from) * RATE) as usize + 1;
    let heard = strengths(onsets, from, frames);
    let shortest = ((1.0 - REACH) * gap * RATE).round().max(1.0) as usize;
    let longest = (((1.0 + REACH) * gap * RATE).round() as usize).max(shortest);
    let cost = |interval: usize| STRICT * (interval as f64 / RATE / gap).ln().powi(2);
    let mut gains = vec![f64::MIN; frames];
    let mut came = vec![0usize; frames];
    gains[0] = 0.0;
    for at in shortest..frames {
        for interval in shortest..=longest.min(at) {
            let gain = gains[at - interval] + heard[at] - cost(interval);
            if gain > gains[at] {
                (gains[at], came[at]) = (gain, at - interval);
            }
        }
    }
    // The last beat is less than one before the end.
    let last = frames.saturating_sub(longest)..frames;
    let Some(mut at) = last.max_by(|a, b| gains[*a].total_cmp(&gains[*b])) else { return vec![from] };
    let mut row = Vec::new();
    while at > 0 && gains[at] > f64::MIN {
        row.push(at);
        at = came[at];
    }
    row.push(0);
    row.reverse();
    placed(&row, onsets, from)
}

/// What the onsets are worth in each frame.
fn strengths(onsets: &[f64], from: f64, frames: usize) -> Vec<f64> {
    let mut heard = vec![0.0f64; frames];
    for onset in onsets {
        let centre = ((onset - from) * RATE).round();
        for (beside, worth) in BESIDE.iter().enumerate() {
            for at in [centre - beside as f64, centre + beside as f64] {
                if (0.0..frames as f64).contains(&at) {
                    heard[at as usize] = heard[at as usize].max(*worth);
                }
            }
        }
    }
    heard
}

/// Seconds: on the onsets where there are some, evenly between those otherwise.
fn placed(row: &[usize], onsets: &[f64], from: f64) -> Vec<f64> {
    let reach = BESIDE.len() as f64 / RATE;
    let near = |at: f64| {
        let i = onsets.partition_point(|o| *o < at - reach);
        onsets.get(i).copied().filter(|o| *o < at + reach)
    };
    let found: Vec<Option<f64>> = row.iter().map(|frame| near(from + *frame as f64 / RATE)).collect();
    let known: Vec<(usize, f64)> =
        (0..row.len()).filter_map(|i| if i == 0 { Some((0, from)) } else { found[i].map(|at| (i, at)) }).collect();
    (0..row.len())
        .map(|i| {
            let next = known.partition_point(|k| k.0 < i);
            match (next.checked_sub(1).map(|k| known[k]), known.get(next)) {
                (_, Some((at, time))) if *at == i => *time,
                (Some((a, from)), Some((b, to))) => from + (to - from) * (i - a) as f64 / (b - a) as f64,
                _ => from + row[i] as f64 / RATE,
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Onsets on beats so far apart, and between most of them.
    fn played(from: f64, gap: f64, count: usize) -> Vec<f64> {
        let mut onsets: Vec<f64> = (0..count).filter(|i| i % 5 != 3).map(|i| from + i as f64 * gap).collect();
        onsets.extend((0..count).filter(|i| i % 3 != 0).map(|i| from + (i as f64 + 0.5) * gap));
        onsets.sort_by(f64::total_cmp);
        onsets
    }

    #[test]
    fn a_tempo_that_was_typed_roughly_stays_on_the_music() {
        // Typed as 93; it is 94.2, and an even row would be off the beat after forty of them.
        let gap = 60.0 / 94.2;
        let found = beats(&played(10.0, gap, 80), 10.0, 10.0 + 80.0 * gap - 0.1, 60.0 / 93.0);
        assert_eq!(found.len(), 80);
        let astray = found.iter().enumerate().map(|(i, at)| (at - 10.0 - i as f64 * gap).abs()).fold(0.0, f64::max);
        assert!(astray < 0.02, "{astray}");
    }

    #[test]
    fn without_onsets_beats_are_as_far_apart_as_was_said() {
        let found = beats(&[], 3.0, 8.8, 0.5);
        assert_eq!(found.len(), 12);
        assert!(found.windows(2).all(|w| (w[1] - w[0] - 0.5).abs() < 0.006), "{found:?}");
        assert_eq!(beats(&[], 3.0, 3.2, 0.5), [3.0]);
        assert!(beats(&[], 3.0, 3.0, 0.5).is_empty());
    }

    proptest! {
        #[test]
        fn beats_keep_near_the_tempo_and_within_the_range(
            mut onsets in prop::collection::vec(0.0f64..40.0, 0..120), from in 0.0f64..10.0, long in 0.1f64..30.0, bpm in 30.0f64..300.0,
        ) {
            onsets.sort_by(f64::total_cmp);
            let gap = 60.0 / bpm;
            let found = beats(&onsets, from, from + long, gap);
            prop_assert!(found[0] == from && found[found.len() - 1] < from + long + 0.03);
            prop_assert!(from + long - found[found.len() - 1] < 1.2 * gap + 0.05, "{found:?}");
            for w in found.windows(2) {
                prop_assert!(((w[1] - w[0]) / gap - 1.0).abs() < REACH + 0.05 / gap, "{found:?}");
            }
        }
    }
}
