//! Loudness as broadcasters measure it: EBU R 128, ITU-R BS.1770.

use ebur128::{EbuR128, Mode};
use legere_core::track::{Trace, programme_loudness};

/// Between two momentary values.
const STEP_MS: u32 = 100;
/// In seconds.
const STEP: f64 = STEP_MS as f64 / 1000.0;
/// Steps that a momentary value looks at: 400 ms, so that these are also the blocks of the gate.
const BLOCK: usize = 4;
/// How many of them lie before the step that it is reported for.
const BEFORE: usize = 1;
/// Blocks below this are silence (BS.1770: the absolute gate), in LUFS.
const SILENCE: f64 = -70.0;

/// How loud a track is, along time and on the whole.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Loudness {
    /// Momentary loudness in LUFS: of the 400 ms around the middle of each step.
    pub momentary: Trace,
    /// Programme loudness in LUFS; `None` in silence.
    pub programme: Option<f64>,
}

/// Listens to interleaved samples as they are decoded.
pub struct Meter {
    meter: EbuR128,
    /// Samples of all channels in a step.
    step: usize,
    pending: Vec<f32>,
    /// The mean power of each step, by the filter of the standard; 1 is 0 LUFS.
    powers: Vec<f64>,
}

impl Meter {
    /// For one channel or two. `None` for a rate that nobody uses.
    pub fn new(channels: u32, rate: u32) -> Option<Self> {
        let meter = EbuR128::new(channels, rate, Mode::M).ok()?;
        let step = (f64::from(rate) * STEP) as usize * channels as usize;
        (step > 0).then(|| Self { meter, step, pending: Vec::new(), powers: Vec::new() })
    }

    /// Takes more samples, interleaved.
    pub fn listen(&mut self, samples: &[f32]) {
        self.pending.extend_from_slice(samples);
        let whole = self.pending.len() / self.step * self.step;
        let rest = self.pending.split_off(whole);
        for step in std::mem::replace(&mut self.pending, rest).chunks(self.step) {
            self.hear(step);
        }
    }

    fn hear(&mut self, step: &[f32]) {
        // Blocks overlap by three of their four steps: each step is measured once, for all of them.
        let heard = self.meter.add_frames_f32(step).and_then(|()| self.meter.loudness_window(STEP_MS));
        self.powers.push(heard.ok().filter(|v| v.is_finite()).map_or(0.0, power));
    }

    /// What was heard, with a last step that is not full.
    pub fn finish(mut self) -> Loudness {
        // The gate looks at whole blocks only.
        let blocks: Vec<f64> = self.powers.windows(BLOCK).map(momentary).collect();
        let mut rest = std::mem::take(&mut self.pending);
        if !rest.is_empty() {
            rest.resize(self.step, 0.0);
            self.hear(&rest);
        }
        let steps = self.powers.len();
        let around = |i: usize| i.saturating_sub(BEFORE)..(i + BLOCK - BEFORE).min(steps);
        let values = (0..steps).map(|i| (momentary(&self.powers[around(i)]) * 10.0).round() / 10.0).collect();
        Loudness { momentary: Trace { step: STEP, values }, programme: programme_loudness(&blocks) }
    }
}

fn power(lufs: f64) -> f64 {
    10f64.powf(lufs / 10.0)
}

/// In LUFS, of the powers of a block's steps; what is missing is silent.
fn momentary(steps: &[f64]) -> f64 {
    (10.0 * (steps.iter().sum::<f64>() / BLOCK as f64).log10()).max(SILENCE)
}

impl Loudness {
    /// Of one channel.
    pub fn of(samples: &[f32], rate: u32) -> Self {
        let Some(mut meter) = Meter::new(1, rate) else { return Self::default() };
        // In pieces, so that a long track is not held twice.
        samples.chunks(meter.step * 64).for_each(|piece| meter.listen(piece));
        meter.finish()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A 997 Hz tone; at full scale in both channels of a stereo file its loudness is 0 LUFS, in one −3.01 (BS.1770).
    fn tone(seconds: f64, peak: f32) -> Vec<f32> {
        (0..(48_000.0 * seconds) as usize)
            .map(|i| peak * (std::f32::consts::TAU * 997.0 * i as f32 / 48_000.0).sin())
            .collect()
    }

    #[test]
    fn a_tone_is_as_loud_as_the_standard_says_in_one_channel_and_in_two() {
        let mono = tone(4.0, 0.1);
        let one = Loudness::of(&mono, 48_000).programme.expect("heard");
        assert!((one + 23.0).abs() < 0.1, "{one}");
        let mut meter = Meter::new(2, 48_000).expect("a meter");
        let both: Vec<f32> = mono.iter().flat_map(|s| [*s, *s]).collect();
        both.chunks(777).for_each(|piece| meter.listen(piece));
        let two = meter.finish().programme.expect("heard");
        assert!((two - one - 3.01).abs() < 0.05, "{two}");
    }

    #[test]
    fn how_the_samples_come_does_not_matter_and_their_end_counts() {
        let samples: Vec<f32> = tone(1.0, 0.1).into_iter().chain(tone(0.25, 0.5)).collect();
        let by = |size: usize| {
            let mut meter = Meter::new(1, 48_000).expect("a meter");
            samples.chunks(size).for_each(|piece| meter.listen(piece));
            meter.finish()
        };
        assert_eq!(by(100), by(9999));
        let momentary = by(480).momentary;
        assert_eq!(momentary.values.len(), 13, "a last half step has a value too");
        assert!(momentary.values[11] > momentary.values[5] + 5.0);
        assert!(Meter::new(0, 48_000).is_none() && Meter::new(1, 0).is_none());
        assert_eq!(Loudness::of(&vec![0.0; 48_000], 48_000).programme, None, "silence has no loudness");
    }

    #[test]
    fn programmes_are_as_loud_as_the_crate_says() {
        let mut samples = tone(3.07, 0.2);
        samples.extend(tone(2.5, 0.02));
        samples.extend(vec![0.0; 48_000]);
        samples.extend(tone(1.33, 0.4));
        let mut whole = EbuR128::new(1, 48_000, Mode::I).expect("a meter");
        whole.add_frames_f32(&samples).expect("heard");
        let (answer, wanted) = (Loudness::of(&samples, 48_000).programme, whole.loudness_global().expect("heard"));
        assert!((answer.expect("heard") - wanted).abs() < 1e-6, "{answer:?}, {wanted}");
    }

    #[test]
    fn blocks_alone_give_the_same_programme_loudness() {
        let mut samples = tone(6.0, 0.2);
        samples.extend(tone(6.0, 0.02));
        samples.extend(vec![0.0; 48_000 * 3]);
        let loudness = Loudness::of(&samples, 48_000);
        assert_eq!(loudness.momentary.values.len(), 150);
        let from_blocks = programme_loudness(&loudness.momentary.values).expect("heard");
        assert!((from_blocks - loudness.programme.expect("heard")).abs() < 0.1, "{from_blocks}");
    }
}
