//! Beat sequences at a constant tempo.
//!
//! Music made to a click keeps its tempo to the sample. Where the network is unsure of every single beat, as with strings, a
//! whole track of weak activations still adds up to a sharp peak in their spectrum (the tempogram of Grosche and Müller,
//! "Extracting predominant local pulse information from music recordings", IEEE TASLP 2011, over all of the track at once),
//! where tracking from beat to beat goes astray. A grid is laid at each peak; one of them may jump in phase, as a track does
//! that was cut (Viterbi over the phase).

use super::activations::STEP_RATE;
use super::network::{PROBABILITY_FLOOR, log_odds};
use super::sequence::{FASTEST_BPM, SLOWEST_BPM};
use super::time_range::TimeRange;
use legere_core::stats::median;
use realfft::RealFftPlanner;

/// How many tempos are proposed, and how many grids of each.
const TEMPOS: usize = 5;
const GRIDS: usize = 2;
/// How much finer the spectrum is than a line of it is wide.
const FINER: usize = 4;
/// The weight of the peak at twice the tempo: half-beats are activated too.
const DOUBLE: f64 = 0.5;
/// Two tempos are further apart than this, as a share.
const OTHER_TEMPO: f64 = 0.01;
/// How far from a line, in its widths, the tempo is looked for, and at how many places to each side.
const BESIDE: f64 = 0.5;
const PLACES: i32 = 8;
/// Two grids of a tempo are further apart than this, in beats.
const OTHER_PHASE: f64 = 0.15;
/// A tempo stands out so many times above what is common, or it is none.
const STANDS_OUT: f64 = 4.0;
/// What it costs to go on elsewhere between two beats, as where a track was cut: so many deviations of the sum of as many
/// odds as there are beats.
const PHASE_JUMP_COST: f64 = 4.0;
/// In less, in seconds, every tempo is a wide line.
const SHORTEST: f64 = 5.0;

/// The power spectrum of the activation, as shares of all of it.
pub struct Tempogram {
    /// By frequency, 0–1.
    energies: Vec<f64>,
    /// From bin to bin, in hertz.
    bin_hertz: f64,
}

/// An even grid: when it begins, and how far its beats are apart, in seconds.
#[derive(Clone, Copy)]
struct Grid {
    first: f64,
    period: f64,
}

/// The log odds of a beat at each step, and the times, in seconds, between which grids are laid.
struct BeatOdds {
    odds: Vec<f64>,
    from: f64,
    to: f64,
}

impl Tempogram {
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
        let energies = match fft.process(&mut input, &mut output) {
            Ok(()) => output.iter().map(|bin| f64::from(bin.norm_sqr()) / whole).collect(),
            Err(_) => Vec::new(),
        };
        Self { energies, bin_hertz: STEP_RATE / length as f64 }
    }

    /// The share of what comes back so often a second.
    pub fn energy_at(&self, hertz: f64) -> f64 {
        self.energies.get((hertz / self.bin_hertz).round() as usize).copied().unwrap_or(0.0)
    }

    /// The tempos that stand out most, in hertz; tempogram are so wide.
    fn peaks(&self, width: f64) -> Vec<f64> {
        let bin = |bpm: f64| (bpm / 60.0 / self.bin_hertz) as usize;
        let root = |i: usize| self.energies.get(i).copied().unwrap_or(0.0).sqrt();
        let strength = |i: usize| root(i) + DOUBLE * root(2 * i);
        let bins = bin(SLOWEST_BPM).max(1)..=bin(FASTEST_BPM) + 1;
        let least = STANDS_OUT * median(&mut bins.clone().map(strength).collect::<Vec<f64>>()).unwrap_or(0.0);
        let mut tempogram: Vec<(f64, f64)> = bins
            .filter(|i| strength(*i) >= strength(i - 1) && strength(*i) >= strength(i + 1) && strength(*i) > least)
            .map(|i| (i as f64 * self.bin_hertz, strength(i)))
            .collect();
        tempogram.sort_by(|a, b| b.1.total_cmp(&a.1));
        let mut tempos: Vec<f64> = Vec::new();
        for (hertz, _) in tempogram {
            let other = |t: &f64| (t - hertz).abs() > 2.0 * width && (t / hertz).ln().abs() > OTHER_TEMPO;
            if tempos.len() < TEMPOS && tempos.iter().all(other) {
                tempos.push(hertz);
            }
        }
        tempos
    }
}

/// The sequences, in seconds, that fit an activation of [`STEP_RATE`] values a second best, between two times.
pub fn beat_sequences(heard: &[f32], tempogram: &Tempogram, within: TimeRange) -> Vec<Vec<f64>> {
    if within.duration() < SHORTEST {
        return Vec::new();
    }
    let odds = heard.iter().map(|p| log_odds(f64::from(*p), PROBABILITY_FLOOR)).collect();
    let TimeRange { start: from, end: to } = within;
    let heard = BeatOdds { odds, from, to };
    let mut found: Vec<Vec<f64>> = Vec::new();
    for tempo in tempogram.peaks(heard.width()) {
        let grids = heard.best_grids(tempo);
        found.extend(grids.iter().map(|grid| grid.beats(to).collect::<Vec<f64>>()));
        found.extend(grids.first().and_then(|grid| heard.with_phase_jumps(grid.period)));
    }
    found
}

impl BeatOdds {
    fn at(&self, seconds: f64) -> f64 {
        self.odds.get((seconds * STEP_RATE).round() as usize).copied().unwrap_or(0.0)
    }

    /// Of a line in its spectrum, in hertz.
    fn width(&self) -> f64 {
        1.0 / (self.to - self.from)
    }

    /// The grids that fit best about a tempo.
    fn best_grids(&self, tempo: f64) -> Vec<Grid> {
        let mut found: Vec<(Grid, f64)> = Vec::new();
        for place in -PLACES..=PLACES {
            let period = 1.0 / (tempo + f64::from(place) / f64::from(PLACES) * BESIDE * self.width());
            let grids: Vec<Grid> = phases(period).map(|step| Grid { first: self.from + step, period }).collect();
            let fits: Vec<f64> = grids.iter().map(|grid| self.mean_odds(grid)).collect();
            let top =
                |i: usize| fits[i] >= fits[(i + fits.len() - 1) % fits.len()] && fits[i] >= fits[(i + 1) % fits.len()];
            found.extend((0..grids.len()).filter(|i| top(*i)).map(|i| (grids[i], fits[i])));
        }
        found.sort_by(|a, b| b.1.total_cmp(&a.1));
        let mut kept: Vec<Grid> = Vec::new();
        for (grid, _) in found {
            if kept.len() < GRIDS && kept.iter().all(|k| k.beside(&grid, (self.from + self.to) / 2.0) > OTHER_PHASE) {
                kept.push(grid);
            }
        }
        kept
    }

    /// The mean odds on a grid's beats.
    fn mean_odds(&self, grid: &Grid) -> f64 {
        let (sum, count) =
            grid.beats(self.to).fold((0.0, 0.0), |(sum, count), beat| (sum + self.at(beat), count + 1.0));
        sum / f64::max(count, 1.0)
    }

    /// The best grid with this period that goes on elsewhere once or more, if that is better than any that never does.
    fn with_phase_jumps(&self, period: f64) -> Option<Vec<f64>> {
        let places: Vec<f64> = phases(period).collect();
        let count = ((self.to - self.from) / period) as usize;
        let at = |beat: usize, place: usize| self.from + beat as f64 * period + places[place];
        let heard = |beat: usize, place: usize| self.at(at(beat, place));
        let path = viterbi(count, places.len(), PHASE_JUMP_COST * self.deviation() * (count as f64).sqrt(), heard);
        if path.iter().all(|place| *place == path[0]) {
            return None;
        }
        let mut beats: Vec<f64> = Vec::with_capacity(count + 1);
        for now in path.into_iter().enumerate().map(|(beat, place)| at(beat, place)) {
            match beats.last().map(|last| (now - last) / period) {
                Some(apart) if apart < 0.5 => {}
                Some(apart) if apart > 1.5 => beats.extend([now - period, now]),
                _ => beats.push(now),
            }
        }
        Some(beats)
    }

    /// The deviation of the odds.
    fn deviation(&self) -> f64 {
        let count = self.odds.len().max(1) as f64;
        let mean = self.odds.iter().sum::<f64>() / count;
        (self.odds.iter().map(|o| (o - mean).powi(2)).sum::<f64>() / count).sqrt()
    }
}

/// Where grids with this period may begin, in seconds from the first of them.
fn phases(period: f64) -> impl Iterator<Item = f64> {
    (0..(period * STEP_RATE) as usize).map(|step| step as f64 / STEP_RATE)
}

/// The phase of each beat with the highest score in all, where a jump to another phase costs so much (Viterbi).
fn viterbi(beats: usize, places: usize, cost: f64, heard: impl Fn(usize, usize) -> f64) -> Vec<usize> {
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

impl Grid {
    fn beats(&self, to: f64) -> impl Iterator<Item = f64> {
        let Grid { first, period } = *self;
        (0..=(((to - first) / period).floor().max(0.0) as usize)).map(move |i| first + i as f64 * period)
    }

    /// How far the other grid is from this one about a time, in beats.
    fn beside(&self, other: &Grid, at: f64) -> f64 {
        let place = |grid: &Grid| (at - grid.first) / grid.period;
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

    /// What an unsure network gives for beats so far apart: seldom more than for what lies between them.
    fn unsure(period: f64, first: f64, seconds: f64) -> Vec<f32> {
        let mut rng = ChaCha8Rng::seed_from_u64(3);
        let mut heard: Vec<f32> = (0..(seconds * STEP_RATE) as usize).map(|_| rng.random_range(0.0..0.12)).collect();
        let mut at = first;
        while at < seconds - 0.1 {
            heard[(at * STEP_RATE).round() as usize] += rng.random_range(0.0..0.12);
            at += period;
        }
        heard
    }

    #[test]
    fn beats_that_are_hardly_heard_one_by_one_are_found_by_their_even_tempo() {
        let (period, first) = (0.4873, 1.31);
        let heard = unsure(period, first, 120.0);
        let grids = beat_sequences(&heard, &Tempogram::of(&heard), TimeRange::new(1.0, 119.0));
        let astray = |grid: &Vec<f64>| {
            grid.iter().map(|at| (at - first) / period).map(|place| (place - place.round()).abs()).fold(0.0, f64::max)
        };
        assert!(grids.iter().any(|grid| grid.len() >= 240 && astray(grid) < 0.05), "{:?}", grids.first());
        assert!(grids.len() <= TEMPOS * GRIDS);
    }

    #[test]
    fn where_a_track_was_cut_its_beats_go_on_elsewhere() {
        // The beats behind the cut are eleven steps of a fiftieth of a second earlier.
        let truth = |i: usize| 0.3 + 0.5 * i as f64 - if i >= 60 { 0.22 } else { 0.0 };
        let mut heard = vec![0.02f32; 5000];
        (0..199).for_each(|i| heard[(truth(i) * STEP_RATE).round() as usize] = if i % 3 == 0 { 0.5 } else { 0.2 });
        let grids = beat_sequences(&heard, &Tempogram::of(&heard), TimeRange::new(0.2, 99.0));
        let found = |grid: &Vec<f64>| (2..196).filter(|i| grid.iter().any(|at| (at - truth(*i)).abs() < 0.03)).count();
        let most = grids.iter().map(found).max().expect("some grids");
        assert!(most >= 190, "{most} of 194");
    }

    #[test]
    fn noise_has_no_tempo() {
        let mut rng = ChaCha8Rng::seed_from_u64(5);
        let heard: Vec<f32> = (0..4500).map(|_| rng.random_range(0.0f32..0.3).powi(2)).collect();
        assert_eq!(beat_sequences(&heard, &Tempogram::of(&heard), TimeRange::new(0.0, 90.0)), Vec::<Vec<f64>>::new());
    }

    #[test]
    fn the_right_tempo_comes_back_most() {
        let heard = unsure(0.5, 0.2, 90.0);
        let tempogram = Tempogram::of(&heard);
        assert!(tempogram.energy_at(2.0) > 5.0 * tempogram.energy_at(1.93) && tempogram.energy_at(2.0) < 1.0);
        assert!((tempogram.peaks(1.0 / 90.0)[0] - 2.0).abs() < 0.01);
        assert_eq!(tempogram.energy_at(1e9), 0.0);
    }

    proptest! {
        /// Whatever the activation, a sequence is even but where it jumps, and lies within what sounds.
        #[test]
        fn rows_are_even(heard in prop::collection::vec(0.0f32..1.0, 0..900), from in 0.0f64..4.0) {
            let to = heard.len() as f64 / STEP_RATE;
            for grid in beat_sequences(&heard, &Tempogram::of(&heard), TimeRange::new(from, to)) {
                let period = median(&mut grid.windows(2).map(|w| w[1] - w[0]).collect::<Vec<f64>>()).expect("gaps");
                prop_assert!(grid[0] >= from - 1e-9 && grid[grid.len() - 1] <= to + 1e-9);
                let even = grid.windows(2).filter(|w| (w[1] - w[0] - period).abs() < 1e-9).count();
                prop_assert!(2 * even >= grid.len() - 1, "{grid:?}");
                prop_assert!(grid.windows(2).all(|w| w[1] - w[0] > 0.1), "{grid:?}");
                prop_assert!((0.28..1.2).contains(&period), "{period}");
            }
        }
    }
}
