//! Short-time spectra, a hundred a second, folded into logarithmic bands and pitch classes.

use super::READING_RATE;
use rustfft::num_complex::Complex;
use rustfft::{Fft, FftPlanner};
use std::sync::Arc;

/// How much of each pitch class there is, from C; of unit length together where anything sounds.
pub type PitchClasses = [f64; 12];

/// Samples between two frames: 10 ms.
pub const HOP: usize = 240;
/// Frames a second.
pub const FRAME_RATE: f64 = READING_RATE as f64 / HOP as f64;
const WINDOW: usize = 1024;
/// A longer window separates neighbouring notes; used for semitones and pitch classes only.
const PITCH_WINDOW: usize = 4096;
/// Frames from one row of semitones to the next, and from one row of pitch classes to the next.
pub const SEMITONES_EVERY: usize = 2;
const PITCH_EVERY: usize = 2 * SEMITONES_EVERY;
/// Five octaves from G2 up: what the long window can tell apart, and what melodies use.
pub const SEMITONES: usize = 60;
const LOWEST_SEMITONE: f64 = 97.999;
const BANDS_PER_OCTAVE: f64 = 12.0;
const LOWEST: f64 = 30.0;
const HIGHEST: f64 = 11_000.0;

/// Bands are folded into so many values beforehand: hypotheses ask for their means over and over.
const FOLDS: usize = 16;

/// Log-compressed band energies and pitch classes of a whole track.
pub struct Spectrum {
    /// Frame-major, `bands` values a frame.
    values: Vec<f32>,
    /// The sums of the frames before each, folded; one more than there are frames.
    folded: Vec<[f64; FOLDS]>,
    /// How many bands are folded into one.
    fold_widths: [f64; FOLDS],
    /// 12 values per pitch frame, a pitch frame each [`PITCH_EVERY`] frames.
    chroma: Vec<[f32; 12]>,
    /// Log-compressed, a row each [`SEMITONES_EVERY`] frames.
    semitones: Vec<[f32; SEMITONES]>,
    bands: usize,
    /// The centre of each band, in hertz.
    centres: Vec<f64>,
    frames: usize,
}

impl Spectrum {
    pub fn of(samples: &[f32]) -> Self {
        let frames = samples.len() / HOP;
        let filters = Filters::new();
        let bands = filters.spans.len();
        let mut transform = Transform::new(WINDOW, WINDOW / 2);
        let mut values = vec![0.0; frames * bands];
        for (pair, rows) in values.chunks_mut(2 * bands).enumerate() {
            let magnitudes = transform.magnitudes(samples, 2 * pair * HOP, HOP);
            for (row, magnitudes) in rows.chunks_exact_mut(bands).zip(magnitudes) {
                pulp::Arch::new().dispatch(|| filters.apply(magnitudes, row));
                row.iter_mut().for_each(|value| *value = (1.0 + *value).ln());
            }
        }
        let fold: Vec<usize> = (0..bands).map(|band| band * FOLDS / bands).collect();
        let fold_widths = std::array::from_fn(|i| fold.iter().filter(|to| **to == i).count() as f64);
        let folded = folded(&values, &fold);
        let (semitones, chroma) = pitches(samples, frames);
        Self { values, folded, fold_widths, chroma, semitones, bands, centres: filters.centres, frames }
    }

    pub fn frames(&self) -> usize {
        self.frames
    }

    pub fn bands(&self) -> usize {
        self.bands
    }

    pub fn frame(&self, at: usize) -> &[f32] {
        &self.values[at * self.bands..(at + 1) * self.bands]
    }

    /// The first band whose centre is above `hertz`.
    pub fn band_above(&self, hertz: f64) -> usize {
        self.centres.partition_point(|c| *c < hertz)
    }

    /// The mean band energies between two times, folded to `into` values: quickly where they are [`FOLDS`] or a half, a
    /// quarter … of them.
    pub fn mean_bands(&self, start: f64, end: f64, into: usize) -> Vec<f64> {
        let (from, to) = self.range(start, end);
        let mut slots = vec![(0.0, 0.0); into];
        let mut add = |place: usize, of: usize, sum: f64, bands: f64| {
            let slot = &mut slots[place * into / of];
            slot.0 += sum;
            slot.1 += bands;
        };
        if FOLDS.is_multiple_of(into) {
            let sums = self.folded[from].iter().zip(&self.folded[to]).map(|(before, after)| after - before);
            sums.zip(&self.fold_widths).enumerate().for_each(|(fold, (sum, width))| add(fold, FOLDS, sum, *width));
        } else {
            let mut sums = vec![0.0f32; self.bands];
            for row in self.values[from * self.bands..to * self.bands].chunks_exact(self.bands) {
                sums.iter_mut().zip(row).for_each(|(sum, value)| *sum += value);
            }
            sums.iter().enumerate().for_each(|(band, sum)| add(band, self.bands, f64::from(*sum), 1.0));
        }
        let frames = (to - from) as f64;
        slots.iter().map(|(sum, bands)| sum / f64::max(bands * frames, 1.0)).collect()
    }

    /// The mean pitch classes between two times, of unit length (or all zero in silence).
    pub fn mean_chroma(&self, start: f64, end: f64) -> PitchClasses {
        let (from, to) = self.range(start, end);
        let mut sum = [0.0; 12];
        let last = self.chroma.len().saturating_sub(1);
        for frame in (from / PITCH_EVERY).min(last)..(to.div_ceil(PITCH_EVERY)).min(self.chroma.len()) {
            for (s, c) in sum.iter_mut().zip(&self.chroma[frame]) {
                *s += f64::from(*c);
            }
        }
        let norm = sum.iter().map(|v| v * v).sum::<f64>().sqrt();
        if norm > 1e-9 {
            sum.iter_mut().for_each(|v| *v /= norm);
        }
        sum
    }

    /// The pitch classes around a frame.
    pub fn chroma_at(&self, frame: usize) -> [f32; 12] {
        self.chroma.get(frame / PITCH_EVERY).or(self.chroma.last()).copied().unwrap_or_default()
    }

    /// The energies of the semitones, each [`SEMITONES_EVERY`] frames.
    pub fn semitones(&self) -> &[[f32; SEMITONES]] {
        &self.semitones
    }

    fn range(&self, start: f64, end: f64) -> (usize, usize) {
        let from = ((start * FRAME_RATE) as usize).min(self.frames.saturating_sub(1));
        (from, ((end * FRAME_RATE) as usize).clamp(from + 1, self.frames.max(from + 1)).min(self.frames))
    }
}

pub(super) fn hann(len: usize) -> Vec<f32> {
    (0..len).map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * i as f32 / len as f32).cos()).collect()
}

/// Copies the samples around `centre`, weighted; outside the track is silence.
pub(super) fn windowed(samples: &[f32], centre: usize, window: &[f32], into: &mut [f32]) {
    let half = window.len() / 2;
    if let Some(whole) = centre.checked_sub(half).and_then(|from| samples.get(from..from + window.len())) {
        into.iter_mut().zip(whole).zip(window).for_each(|((slot, s), weight)| *slot = s * weight);
        return;
    }
    for (i, (slot, weight)) in into.iter_mut().zip(window).enumerate() {
        *slot = (centre + i).checked_sub(half).and_then(|at| samples.get(at)).map_or(0.0, |s| s * weight);
    }
}

/// The sums of the rows before each; each value of a row is added to one of the sums.
fn folded(values: &[f32], fold: &[usize]) -> Vec<[f64; FOLDS]> {
    let mut sums = [0.0; FOLDS];
    let mut all = vec![sums];
    for row in values.chunks_exact(fold.len()) {
        row.iter().zip(fold).for_each(|(value, to)| sums[*to] += f64::from(*value));
        all.push(sums);
    }
    all
}

/// The sum of the products, in eight sums beside each other, as long as both are.
#[inline(always)]
pub(super) fn product(a: &[f32], b: &[f32]) -> f32 {
    const BESIDE: usize = 8;
    let mut sums = [0.0f32; BESIDE];
    let both = a.len().min(b.len());
    let (mut a, mut b) = (a[..both].chunks_exact(BESIDE), b[..both].chunks_exact(BESIDE));
    for (a, b) in a.by_ref().zip(b.by_ref()) {
        sums.iter_mut().zip(a).zip(b).for_each(|((sum, a), b)| *sum += a * b);
    }
    let rest: f32 = a.remainder().iter().zip(b.remainder()).map(|(a, b)| a * b).sum();
    sums.iter().sum::<f32>() + rest
}

/// The magnitudes of the lower bins of windowed samples, two windows in one transform: that of a real sequence is
/// symmetric, so that of `a + ib` gives both (Cooley, Lewis, Welch, "The fast Fourier transform algorithm", 1970). A transform
/// of real sequences rounds otherwise, which would change readings in their seventh digit.
struct Transform {
    fft: Arc<dyn Fft<f32>>,
    window: Vec<f32>,
    halves: [Vec<f32>; 2],
    buffer: Vec<Complex<f32>>,
    scratch: Vec<Complex<f32>>,
    magnitudes: [Vec<f32>; 2],
}

impl Transform {
    fn new(window: usize, bins: usize) -> Self {
        let fft = FftPlanner::new().plan_fft_forward(window);
        let scratch = vec![Complex::default(); fft.get_inplace_scratch_len()];
        Self {
            fft,
            window: hann(window),
            halves: [vec![0.0; window], vec![0.0; window]],
            buffer: vec![Complex::default(); window],
            scratch,
            magnitudes: [vec![0.0; bins], vec![0.0; bins]],
        }
    }

    /// Around `centre`, and around so many samples later.
    fn magnitudes(&mut self, samples: &[f32], centre: usize, later: usize) -> &[Vec<f32>; 2] {
        let [now, next] = &mut self.halves;
        windowed(samples, centre, &self.window, now);
        windowed(samples, centre + later, &self.window, next);
        for ((slot, re), im) in self.buffer.iter_mut().zip(&*now).zip(&*next) {
            *slot = Complex::new(*re, *im);
        }
        self.fft.process_with_scratch(&mut self.buffer, &mut self.scratch);
        let (buffer, [now, next]) = (&self.buffer, &mut self.magnitudes);
        // With the widest registers that this processor has.
        pulp::Arch::new().dispatch(|| apart(buffer, now, next));
        &self.magnitudes
    }
}

/// Of the transform of two real sequences as one complex one, the magnitudes of each.
#[inline(always)]
fn apart(both: &[Complex<f32>], one: &mut [f32], other: &mut [f32]) {
    // Bin 0 mirrors itself, each other the one as far from the end.
    let magnitudes = |bin: &Complex<f32>, mirror: &Complex<f32>| {
        let (sum, difference) = (bin + mirror.conj(), bin - mirror.conj());
        (0.5 * sum.norm_sqr().sqrt(), 0.5 * difference.norm_sqr().sqrt())
    };
    (one[0], other[0]) = magnitudes(&both[0], &both[0]);
    let mirrored = both[1..].iter().zip(both[1..].iter().rev());
    for ((one, other), (bin, mirror)) in one[1..].iter_mut().zip(&mut other[1..]).zip(mirrored) {
        (*one, *other) = magnitudes(bin, mirror);
    }
}

/// Semitones, and pitch classes.
fn pitches(samples: &[f32], frames: usize) -> (Vec<[f32; SEMITONES]>, Vec<[f32; 12]>) {
    let bin_hz = f64::from(READING_RATE) / PITCH_WINDOW as f64;
    let heard = (2500.0f64.max(LOWEST_SEMITONE * (SEMITONES as f64 / 12.0).exp2()) / bin_hz) as usize + 1;
    let class: Vec<Option<usize>> = (0..heard)
        .map(|bin| {
            let hz = bin as f64 * bin_hz;
            (40.0..2500.0).contains(&hz).then(|| ((12.0 * (hz / 440.0).log2()).round() as i64).rem_euclid(12) as usize)
        })
        .collect();
    // What each bin gives to the two semitones that it lies between.
    let shares: Vec<Option<(usize, f32)>> = (0..heard)
        .map(|bin| {
            let semitone = 12.0 * (bin as f64 * bin_hz / LOWEST_SEMITONE).log2();
            (-1.0..SEMITONES as f64)
                .contains(&semitone)
                .then(|| ((semitone + 1.0) as usize, semitone.rem_euclid(1.0) as f32))
        })
        .collect();
    let mut transform = Transform::new(PITCH_WINDOW, heard);
    let (mut semitones, mut chroma) = (Vec::new(), Vec::new());
    let apart = SEMITONES_EVERY * HOP;
    let rows = frames.div_ceil(SEMITONES_EVERY);
    // Every second row of semitones has pitch classes beside it.
    for row in (0..rows).step_by(PITCH_EVERY / SEMITONES_EVERY) {
        let both = transform.magnitudes(samples, row * apart, apart);
        for magnitudes in both.iter().take(rows - row) {
            let mut sums = [0.0f32; SEMITONES + 2];
            for (magnitude, share) in magnitudes.iter().zip(&shares) {
                if let Some((above, part)) = share {
                    sums[*above] += (1.0 - part) * magnitude;
                    sums[above + 1] += part * magnitude;
                }
            }
            // The window is four times as long as that of the bands: so are its sums.
            let scale = WINDOW as f32 / PITCH_WINDOW as f32;
            semitones.push(std::array::from_fn(|i| (scale * sums[i + 1]).ln_1p()));
        }
        let mut classes = [0.0f32; 12];
        for (magnitude, class) in both[0].iter().zip(&class) {
            if let Some(class) = class {
                classes[*class] += magnitude;
            }
        }
        chroma.push(classes);
    }
    (semitones, chroma)
}

struct Span {
    first: usize,
    weights: Vec<f32>,
}

/// Triangular filters with logarithmic centres; below the resolution of the transform one bin each.
struct Filters {
    spans: Vec<Span>,
    centres: Vec<f64>,
}

impl Filters {
    fn new() -> Self {
        let bin_hz = f64::from(READING_RATE) / WINDOW as f64;
        let mut bins: Vec<usize> = Vec::new();
        let mut hz = LOWEST;
        while hz < HIGHEST {
            let bin = (hz / bin_hz).round() as usize;
            if bin >= 1 && bins.last() != Some(&bin) {
                bins.push(bin);
            }
            hz *= (1.0 / BANDS_PER_OCTAVE).exp2();
        }
        let mut spans = Vec::new();
        let mut centres = Vec::new();
        for three in bins.windows(3) {
            let [left, centre, right] = [three[0], three[1], three[2]];
            let weights = (left..right)
                .map(|bin| {
                    if bin <= centre {
                        (bin - left) as f32 / (centre - left) as f32
                    } else {
                        (right - bin) as f32 / (right - centre) as f32
                    }
                })
                .collect();
            spans.push(Span { first: left, weights });
            centres.push(centre as f64 * bin_hz);
        }
        Self { spans, centres }
    }

    #[inline(always)]
    fn apply(&self, magnitudes: &[f32], into: &mut [f32]) {
        for (value, span) in into.iter_mut().zip(&self.spans) {
            *value = product(&magnitudes[span.first..], &span.weights);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bands_are_folded_to_the_means_of_what_lies_in_them() {
        let rate = f64::from(READING_RATE);
        let samples: Vec<f32> = (0..READING_RATE)
            .map(|i| (0.3 * (std::f64::consts::TAU * 440.0 * f64::from(i) / rate).sin()) as f32)
            .collect();
        let spectrum = Spectrum::of(&samples);
        let (from, to) = (20, 60);
        let mean = |bands: std::ops::Range<usize>| {
            let values = (from..to).flat_map(|f| spectrum.frame(f)[bands.clone()].iter());
            let sum: f64 = values.map(|v| f64::from(*v)).sum();
            sum / ((to - from) * bands.len()) as f64
        };
        let whole = spectrum.mean_bands(0.2, 0.6, 1);
        assert!((whole[0] - mean(0..spectrum.bands)).abs() < 1e-4);
        let halves = spectrum.mean_bands(0.2, 0.6, 2);
        let middle = spectrum.bands.div_ceil(2);
        assert!((halves[0] - mean(0..middle)).abs() < 1e-4 && (halves[1] - mean(middle..spectrum.bands)).abs() < 1e-4);
        assert!(halves[0] > halves[1], "the tone is in the lower half");
        let thirds = spectrum.mean_bands(0.2, 0.6, 3);
        let third = (0..spectrum.bands).find(|band| band * 3 / spectrum.bands == 1).expect("enough bands");
        assert!((thirds[0] - mean(0..third)).abs() < 1e-4, "not one of the halves of the halves");
        assert_eq!(spectrum.mean_chroma(0.2, 0.6).iter().position(|v| *v > 0.9), Some(0), "counted from A");
        let row = spectrum.semitones()[20];
        let loudest = (0..SEMITONES).max_by(|a, b| row[*a].total_cmp(&row[*b]));
        assert_eq!(loudest, Some(26), "two octaves and a tone above the lowest G");
        assert!(row[26] > 2.0 * row[24] && row[26] > 2.0 * row[28], "{row:?}");
    }

    #[test]
    fn each_of_two_windows_has_its_own_magnitudes() {
        const LONG: usize = 64;
        let samples: Vec<f32> = (0..300).map(|i| ((i * 7919 % 1009) as f32 / 1009.0 - 0.5) * 1.7).collect();
        let mut transform = Transform::new(LONG, LONG / 2);
        for (centre, later) in [(100, 40), (0, 17), (290, 30)] {
            let reported = transform.magnitudes(&samples, centre, later);
            for (reported, centre) in reported.iter().zip([centre, centre + later]) {
                let mut heard = vec![0.0; LONG];
                windowed(&samples, centre, &hann(LONG), &mut heard);
                for (bin, magnitude) in reported.iter().enumerate() {
                    let turn = std::f32::consts::TAU * bin as f32 / LONG as f32;
                    let sum: Complex<f32> =
                        heard.iter().enumerate().map(|(i, v)| Complex::from_polar(*v, turn * i as f32)).sum();
                    assert!((sum.norm() - magnitude).abs() < 1e-3, "{bin} around {centre}: {magnitude}");
                }
            }
        }
    }

    fn tones(hertz: &[f64]) -> Spectrum {
        let rate = f64::from(READING_RATE);
        let sound = |t: f64| hertz.iter().map(|hz| 0.2 * (std::f64::consts::TAU * hz * t).sin()).sum::<f64>();
        let samples: Vec<f32> = (0..READING_RATE).map(|i| sound(f64::from(i) / rate) as f32).collect();
        Spectrum::of(&samples)
    }

    #[test]
    fn semitones_follow_a_note_from_octave_to_octave() {
        let loudest = |hertz: f64| {
            let row = tones(&[hertz]).semitones()[20];
            (0..SEMITONES).max_by(|a, b| row[*a].total_cmp(&row[*b]))
        };
        for (semitone, hertz) in [(2, 110.0), (14, 220.0), (26, 440.0), (38, 880.0), (50, 1760.0), (59, 2959.96)] {
            assert_eq!(loudest(hertz), Some(semitone), "{hertz} Hz");
        }
    }

    #[test]
    fn two_notes_a_semitone_apart_are_told_apart_and_a_sum_of_both_is_no_third() {
        let (low, high) = (329.63, 349.23);
        for (heard, silent) in [(vec![low], [22, 24]), (vec![high], [21, 20]), (vec![low, high], [19, 24])] {
            let row = tones(&heard).semitones()[20];
            let faintest = heard.iter().map(|hz| if *hz == low { row[21] } else { row[22] }).fold(f32::MAX, f32::min);
            assert!(silent.iter().all(|s| row[*s] < 0.7 * faintest), "{heard:?}: {row:?}");
        }
    }

    #[test]
    fn there_is_a_row_of_semitones_for_every_second_frame_whatever_the_length() {
        for samples in [0, 100, HOP, 5 * HOP, 4096, 24_001] {
            let spectrum = Spectrum::of(&vec![0.1; samples]);
            assert_eq!(spectrum.semitones().len(), spectrum.frames().div_ceil(SEMITONES_EVERY), "{samples}");
            assert!(spectrum.semitones().iter().flatten().all(|v| v.is_finite() && *v >= 0.0));
        }
    }
}
