//! Rows of beats at a tempo that does not change.
//!
//! Music made to a click keeps its tempo to the sample, whatever is heard of it. Where the network is unsure of every
//! single beat, as with strings, a whole track of unsure ones still adds up to a sharp line in the spectrum of what it
//! hears (the tempogram of Grosche and Müller, "Extracting predominant local pulse information from music recordings",
//! IEEE TASLP 2011, over all of the track at once), where a row that follows them one by one goes astray.

use super::activations::STEP_RATE;
use super::beats::{FASTEST_BPM, SLOWEST_BPM};
use super::network::{UNSURE, log_odds};
use legere_core::stats::median;
use realfft::RealFftPlanner;

/// How many tempos are proposed, and how many rows of each.
const TEMPOS: usize = 5;
const ROWS: usize = 2;
/// How much finer the spectrum is than a line of it is wide.
const FINER: usize = 4;
/// How much the line at twice the tempo counts: half-beats are heard too.
const DOUBLE: f64 = 0.5;
/// Two tempos are further apart than this, as a share.
const OTHER_TEMPO: f64 = 0.01;
/// How far from a line, in its widths, the tempo is looked for, and at how many places to each side.
const BESIDE: f64 = 0.5;
const PLACES: i32 = 8;
/// Two rows of a tempo are further apart than this, in beats.
const OTHER_ROW: f64 = 0.15;
/// A tempo stands out so many times above what is common, or it is none.
const STANDS_OUT: f64 = 4.0;
/// What it costs to go on elsewhere between two beats, as where a track was cut: so many deviations of the sum of as many
/// odds as there are beats.
const CUT: f64 = 4.0;
/// In less, in seconds, every tempo is a wide line.
const SHORTEST: f64 = 5.0;

/// How much of what is heard comes back how often.
pub struct Lines {
    /// By frequency, 0–1.
    shares: Vec<f64>,
    /// From one to the next, in hertz.
    apart: f64,
}

/// An even row: when it begins, and how far its beats are apart, in seconds.
#[derive(Clone, Copy)]
struct Row {
    first: f64,
    gap: f64,
}

/// How likely one would tap at each step, as odds, and between which times, in seconds, rows are laid.
struct Heard {
    odds: Vec<f64>,
    from: f64,
    to: f64,
}

impl Lines {
    /// Of [`STEP_RATE`] values a second.
    pub fn of(heard: &[f32]) -> Self {
        let length = (heard.len() * FINER).next_power_of_two().max(64);
        let mean = heard.iter().sum::<f32>() / heard.len().max(1) as f32;
        let fft = RealFftPlanner::<f32>::new().plan_fft_forward(length);
        let mut input = fft.make_input_vec();
        input.iter_mut().zip(heard).for_each(|(slot, value)| *slot = value - mean);
        let squares: f64 = input.iter().map(|v| f64::from(v * v)).sum();
        let mut output = fft.make_output_vec();
        let whole = (squares * heard.len() as f64 / 2.0).max(1e-9);
        // The lengths come from the plan itself, so the transform cannot refuse them.
        let shares = match fft.process(&mut input, &mut output) {
            Ok(()) => output.iter().map(|bin| f64::from(bin.norm_sqr()) / whole).collect(),
            Err(_) => Vec::new(),
        };
        Self { shares, apart: STEP_RATE / length as f64 }
    }

    /// The share of what comes back so often a second.
    pub fn share(&self, hertz: f64) -> f64 {
        self.shares.get((hertz / self.apart).round() as usize).copied().unwrap_or(0.0)
    }

    /// The tempos that stand out most, in hertz; lines are so wide.
    fn tempos(&self, width: f64) -> Vec<f64> {
        let bin = |bpm: f64| (bpm / 60.0 / self.apart) as usize;
        let root = |i: usize| self.shares.get(i).copied().unwrap_or(0.0).sqrt();
        let strength = |i: usize| root(i) + DOUBLE * root(2 * i);
        let bins = bin(SLOWEST_BPM).max(1)..=bin(FASTEST_BPM) + 1;
        let least = STANDS_OUT * median(&mut bins.clone().map(strength).collect::<Vec<f64>>()).unwrap_or(0.0);
        let mut lines: Vec<(f64, f64)> = bins
            .filter(|i| strength(*i) >= strength(i - 1) && strength(*i) >= strength(i + 1) && strength(*i) > least)
            .map(|i| (i as f64 * self.apart, strength(i)))
            .collect();
        lines.sort_by(|a, b| b.1.total_cmp(&a.1));
        let mut tempos: Vec<f64> = Vec::new();
        for (hertz, _) in lines {
            let other = |t: &f64| (t - hertz).abs() > 2.0 * width && (t / hertz).ln().abs() > OTHER_TEMPO;
            if tempos.len() < TEMPOS && tempos.iter().all(other) {
                tempos.push(hertz);
            }
        }
        tempos
    }
}

/// The rows that fit best what is heard, [`STEP_RATE`] values a second, between two times; in seconds.
pub fn rows(heard: &[f32], lines: &Lines, (from, to): (f64, f64)) -> Vec<Vec<f64>> {
    if to - from < SHORTEST {
        return Vec::new();
    }
    let odds = heard.iter().map(|p| log_odds(f64::from(*p), UNSURE)).collect();
    let heard = Heard { odds, from, to };
    let mut found: Vec<Vec<f64>> = Vec::new();
    for tempo in lines.tempos(heard.width()) {
        let rows = heard.best_rows(tempo);
        found.extend(rows.iter().map(|row| row.beats(to).collect::<Vec<f64>>()));
        found.extend(rows.first().and_then(|row| heard.cut(row.gap)));
    }
    found
}

impl Heard {
    fn at(&self, seconds: f64) -> f64 {
        self.odds.get((seconds * STEP_RATE).round() as usize).copied().unwrap_or(0.0)
    }

    /// Of a line in its spectrum, in hertz.
    fn width(&self) -> f64 {
        1.0 / (self.to - self.from)
    }

    /// The rows that fit best about a tempo.
    fn best_rows(&self, tempo: f64) -> Vec<Row> {
        let mut found: Vec<(Row, f64)> = Vec::new();
        for place in -PLACES..=PLACES {
            let gap = 1.0 / (tempo + f64::from(place) / f64::from(PLACES) * BESIDE * self.width());
            let rows: Vec<Row> = steps(gap).map(|step| Row { first: self.from + step, gap }).collect();
            let fits: Vec<f64> = rows.iter().map(|row| self.fits(row)).collect();
            let top =
                |i: usize| fits[i] >= fits[(i + fits.len() - 1) % fits.len()] && fits[i] >= fits[(i + 1) % fits.len()];
            found.extend((0..rows.len()).filter(|i| top(*i)).map(|i| (rows[i], fits[i])));
        }
        found.sort_by(|a, b| b.1.total_cmp(&a.1));
        let mut kept: Vec<Row> = Vec::new();
        for (row, _) in found {
            if kept.len() < ROWS && kept.iter().all(|k| k.beside(&row, (self.from + self.to) / 2.0) > OTHER_ROW) {
                kept.push(row);
            }
        }
        kept
    }

    /// The mean odds on a row's beats.
    fn fits(&self, row: &Row) -> f64 {
        let (sum, count) = row.beats(self.to).fold((0.0, 0.0), |(sum, count), beat| (sum + self.at(beat), count + 1.0));
        sum / f64::max(count, 1.0)
    }

    /// The best row with this gap that goes on elsewhere once or more, if that is better than any that never does.
    fn cut(&self, gap: f64) -> Option<Vec<f64>> {
        let places: Vec<f64> = steps(gap).collect();
        let count = ((self.to - self.from) / gap) as usize;
        let at = |beat: usize, place: usize| self.from + beat as f64 * gap + places[place];
        let heard = |beat: usize, place: usize| self.at(at(beat, place));
        let path = best_path(count, places.len(), CUT * self.spread() * (count as f64).sqrt(), heard);
        if path.iter().all(|place| *place == path[0]) {
            return None;
        }
        let mut beats: Vec<f64> = Vec::with_capacity(count + 1);
        for now in path.into_iter().enumerate().map(|(beat, place)| at(beat, place)) {
            match beats.last().map(|last| (now - last) / gap) {
                Some(apart) if apart < 0.5 => {}
                Some(apart) if apart > 1.5 => beats.extend([now - gap, now]),
                _ => beats.push(now),
            }
        }
        Some(beats)
    }

    /// The deviation of the odds.
    fn spread(&self) -> f64 {
        let count = self.odds.len().max(1) as f64;
        let mean = self.odds.iter().sum::<f64>() / count;
        (self.odds.iter().map(|o| (o - mean).powi(2)).sum::<f64>() / count).sqrt()
    }
}

/// Where rows with this gap may begin, in seconds from the first of them.
fn steps(gap: f64) -> impl Iterator<Item = f64> {
    (0..(gap * STEP_RATE) as usize).map(|step| step as f64 / STEP_RATE)
}

/// The place of each beat for which most is heard in all, where going on at another place costs so much (Viterbi).
fn best_path(beats: usize, places: usize, cost: f64, heard: impl Fn(usize, usize) -> f64) -> Vec<usize> {
    let top = |gains: &[f64]| (0..gains.len()).max_by(|a, b| gains[*a].total_cmp(&gains[*b])).unwrap_or(0);
    let mut gains = vec![0.0; places];
    let mut came: Vec<Vec<usize>> = Vec::with_capacity(beats);
    for beat in 0..beats {
        let best = top(&gains);
        let elsewhere = gains[best] - cost;
        came.push((0..places).map(|place| if elsewhere > gains[place] { best } else { place }).collect());
        gains = (0..places).map(|place| gains[place].max(elsewhere) + heard(beat, place)).collect();
    }
    let mut place = top(&gains);
    let mut path: Vec<usize> = Vec::with_capacity(beats);
    for before in came.iter().rev() {
        path.push(place);
        place = before[place];
    }
    path.reverse();
    path
}

impl Row {
    fn beats(&self, to: f64) -> impl Iterator<Item = f64> {
        let Row { first, gap } = *self;
        (0..((to - first) / gap).floor().max(0.0) as usize + 1).map(move |i| first + i as f64 * gap)
    }

    /// How far the other row is from this one about a time, in beats.
    fn beside(&self, other: &Row, at: f64) -> f64 {
        let place = |row: &Row| (at - row.first) / row.gap;
        let apart = (place(self) - place(other)).rem_euclid(1.0);
        apart.min(1.0 - apart)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;

    /// What an unsure network hears of beats so far apart: seldom more than of what lies between them.
    fn unsure(gap: f64, first: f64, seconds: f64) -> Vec<f32> {
        let mut rng = ChaCha8Rng::seed_from_u64(3);
        let mut heard: Vec<f32> = (0..(seconds * STEP_RATE) as usize).map(|_| rng.random_range(0.0..0.12)).collect();
        let mut at = first;
        while at < seconds - 0.1 {
            heard[(at * STEP_RATE).round() as usize] += rng.random_range(0.0..0.12);
            at += gap;
        }
        heard
    }

    #[test]
    fn beats_that_are_hardly_heard_one_by_one_are_found_by_their_even_tempo() {
        let (gap, first) = (0.4873, 1.31);
        let heard = unsure(gap, first, 120.0);
        let rows = rows(&heard, &Lines::of(&heard), (1.0, 119.0));
        let astray = |row: &Vec<f64>| {
            row.iter().map(|at| (at - first) / gap).map(|place| (place - place.round()).abs()).fold(0.0, f64::max)
        };
        assert!(rows.iter().any(|row| row.len() >= 240 && astray(row) < 0.05), "{:?}", rows.first());
        assert!(rows.len() <= TEMPOS * ROWS);
    }

    #[test]
    fn where_a_track_was_cut_its_beats_go_on_elsewhere() {
        // The beats behind the cut are eleven steps of a fiftieth of a second earlier.
        let truth = |i: usize| 0.3 + 0.5 * i as f64 - if i >= 60 { 0.22 } else { 0.0 };
        let mut heard = vec![0.02f32; 5000];
        (0..199).for_each(|i| heard[(truth(i) * STEP_RATE).round() as usize] = if i % 3 == 0 { 0.5 } else { 0.2 });
        let rows = rows(&heard, &Lines::of(&heard), (0.2, 99.0));
        let found = |row: &Vec<f64>| (2..196).filter(|i| row.iter().any(|at| (at - truth(*i)).abs() < 0.03)).count();
        let most = rows.iter().map(found).max().expect("some rows");
        assert!(most >= 190, "{most} of 194");
    }

    #[test]
    fn noise_has_no_tempo() {
        let mut rng = ChaCha8Rng::seed_from_u64(5);
        let heard: Vec<f32> = (0..4500).map(|_| rng.random_range(0.0f32..0.3).powi(2)).collect();
        assert_eq!(rows(&heard, &Lines::of(&heard), (0.0, 90.0)), Vec::<Vec<f64>>::new());
    }

    #[test]
    fn the_right_tempo_comes_back_most() {
        let heard = unsure(0.5, 0.2, 90.0);
        let lines = Lines::of(&heard);
        assert!(lines.share(2.0) > 5.0 * lines.share(1.93) && lines.share(2.0) < 1.0);
        assert!((lines.tempos(1.0 / 90.0)[0] - 2.0).abs() < 0.01);
        assert_eq!(lines.share(1e9), 0.0);
    }

    proptest! {
        /// Whatever is heard, a row is even but where it goes on elsewhere, and lies within what sounds.
        #[test]
        fn rows_are_even(heard in prop::collection::vec(0.0f32..1.0, 0..900), from in 0.0f64..4.0) {
            let to = heard.len() as f64 / STEP_RATE;
            for row in rows(&heard, &Lines::of(&heard), (from, to)) {
                let gap = median(&mut row.windows(2).map(|w| w[1] - w[0]).collect::<Vec<f64>>()).expect("gaps");
                prop_assert!(row[0] >= from - 1e-9 && row[row.len() - 1] <= to + 1e-9);
                let even = row.windows(2).filter(|w| (w[1] - w[0] - gap).abs() < 1e-9).count();
                prop_assert!(2 * even >= row.len() - 1, "{row:?}");
                prop_assert!(row.windows(2).all(|w| w[1] - w[0] > 0.1), "{row:?}");
                prop_assert!((0.28..1.2).contains(&gap), "{gap}");
            }
        }
    }
}
