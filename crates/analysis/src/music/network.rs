//! Small temporal convolutional networks: residual layers whose reach doubles from one to the next (Bai, Kolter,
//! Koltun, "An empirical evaluation of generic convolutional and recurrent networks for sequence modeling", 2018; for
//! music Davies and Böck, EUSIPCO 2019).

/// How a network is made. Its `C` channels are a constant, so that its sums stay in registers.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shape {
    /// Values a step.
    pub inputs: usize,
    /// Steps that the first layer sees at once.
    pub first_taps: usize,
    /// Steps that each of the other layers sees at once.
    pub taps: usize,
    /// Residual layers; the taps of layer `i` are `2^i` steps apart.
    pub layers: usize,
    /// Probabilities a step.
    pub outputs: usize,
}

impl Shape {
    /// How many numbers a network of so many channels has, in the order of [`Network::of`].
    pub const fn weights(&self, channels: usize) -> usize {
        let first = self.first_taps * self.inputs * channels + channels;
        let layer = self.taps * channels * channels + channels + channels * channels + channels;
        first + self.layers * layer + channels * self.outputs + self.outputs
    }
}

/// Weights as they are shipped: the upper halves of 32-bit floating-point numbers, little-endian. Three digits are
/// enough.
pub fn unpacked(bytes: &[u8]) -> Vec<f32> {
    let halves = bytes.chunks_exact(2).map(|b| u16::from_le_bytes([b[0], b[1]]));
    halves.map(|half| f32::from_bits(u32::from(half) << 16)).collect()
}

/// The reverse of [`unpacked`], rounded.
#[cfg(any(test, feature = "research"))]
pub fn packed(weights: &[f32]) -> Vec<u8> {
    weights.iter().flat_map(|v| ((v.to_bits().wrapping_add(0x8000) >> 16) as u16).to_le_bytes()).collect()
}

/// Lower clamp of what a network gives as a probability.
pub(super) const PROBABILITY_FLOOR: f64 = 0.03;

/// The natural logarithm of the odds of a probability, which is clamped to `floor`–1 − `floor` first.
pub(super) fn log_odds(probability: f64, floor: f64) -> f64 {
    let p = probability.clamp(floor, 1.0 - floor);
    (p / (1.0 - p)).ln()
}

/// Sums over taps: `weights` are tap-major, then by input, then by channel.
struct Convolution<'a, const C: usize> {
    weights: &'a [f32],
    bias: &'a [f32],
    taps: usize,
    apart: usize,
    inputs: usize,
}

impl<const C: usize> Convolution<'_, C> {
    fn run(&self, from: &[f32], into: &mut [f32]) {
        pulp::Arch::new().dispatch(Run { convolution: self, from, into });
    }

    #[inline(always)]
    fn summed(&self, from: &[f32], into: &mut [f32]) {
        let steps = from.len() / self.inputs;
        let reach = self.taps / 2 * self.apart;
        // Where every tap lies within the track.
        let within = reach..steps.saturating_sub(reach);
        let mut step = 0;
        while step < steps {
            if within.contains(&step) && within.contains(&(step + 1)) {
                let (sums, next) = self.two_steps(from, step - reach);
                into[step * C..(step + 1) * C].copy_from_slice(&sums);
                into[(step + 1) * C..(step + 2) * C].copy_from_slice(&next);
                step += 2;
            } else {
                into[step * C..(step + 1) * C].copy_from_slice(&self.one_step(from, step));
                step += 1;
            }
        }
    }

    #[inline(always)]
    fn one_step(&self, from: &[f32], step: usize) -> [f32; C] {
        let inputs = self.inputs;
        let mut sums = [0.0f32; C];
        sums.copy_from_slice(self.bias);
        for (tap, weights) in self.weights.chunks_exact(inputs * C).enumerate() {
            // Outside the track is nothing.
            let at = (step + tap * self.apart).checked_sub(self.taps / 2 * self.apart);
            let Some(row) = at.and_then(|at| from.get(at * inputs..(at + 1) * inputs)) else { continue };
            for (value, weights) in row.iter().zip(weights.chunks_exact(C)) {
                for (sum, weight) in sums.iter_mut().zip(weights) {
                    *sum = value.mul_add(*weight, *sum);
                }
            }
        }
        sums
    }

    /// Of the step whose first tap is at `first`, and of the next: each weight is fetched once for both, and their sums
    /// need not wait for each other.
    #[inline(always)]
    fn two_steps(&self, from: &[f32], first: usize) -> ([f32; C], [f32; C]) {
        let inputs = self.inputs;
        let (mut sums, mut next_sums) = ([0.0f32; C], [0.0f32; C]);
        sums.copy_from_slice(self.bias);
        next_sums.copy_from_slice(self.bias);
        for (tap, weights) in self.weights.chunks_exact(inputs * C).enumerate() {
            let (row, next) = from[(first + tap * self.apart) * inputs..][..2 * inputs].split_at(inputs);
            for ((value, next), weights) in row.iter().zip(next).zip(weights.chunks_exact(C)) {
                for i in 0..C {
                    sums[i] = value.mul_add(weights[i], sums[i]);
                    next_sums[i] = next.mul_add(weights[i], next_sums[i]);
                }
            }
        }
        (sums, next_sums)
    }
}

/// A convolution to be run with the widest sums that this processor has. They come to the same on all of them: products
/// are added without being rounded first, also where a processor cannot do that at once.
struct Run<'a, const C: usize> {
    convolution: &'a Convolution<'a, C>,
    from: &'a [f32],
    into: &'a mut [f32],
}

impl<const C: usize> pulp::WithSimd for Run<'_, C> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: pulp::Simd>(self, _: S) {
        self.convolution.summed(self.from, self.into);
    }
}

/// The layers, in the order in which the weights lie.
pub struct Network<'a, const C: usize> {
    shape: Shape,
    first: Convolution<'a, C>,
    layers: Vec<(Convolution<'a, C>, Convolution<'a, C>)>,
    last: (&'a [f32], &'a [f32]),
}

impl<'a, const C: usize> Network<'a, C> {
    /// From [`Shape::weights`] numbers: the first layer, each residual layer (its reach, then its mixing), the outputs;
    /// of each the weights and then the biases.
    ///
    /// # Panics
    /// When there are more or fewer of them.
    pub fn of(shape: Shape, weights: &'a [f32]) -> Self {
        assert_eq!(weights.len(), shape.weights(C), "the weights are those of another network");
        let mut rest = weights;
        let mut take = |count: usize| {
            let (now, later) = rest.split_at(count);
            rest = later;
            now
        };
        let mut convolution = |taps: usize, apart: usize, inputs: usize| Convolution {
            weights: take(taps * inputs * C),
            bias: take(C),
            taps,
            apart,
            inputs,
        };
        let first = convolution(shape.first_taps, 1, shape.inputs);
        let layers = (0..shape.layers).map(|i| (convolution(shape.taps, 1 << i, C), convolution(1, 1, C))).collect();
        Self { shape, first, layers, last: (take(C * shape.outputs), take(shape.outputs)) }
    }

    /// Of rows of inputs, the probabilities of each output along the steps.
    pub fn forward(&self, inputs: &[f32]) -> Vec<Vec<f32>> {
        let steps = inputs.len() / self.shape.inputs;
        let mut stream = vec![0.0f32; steps * C];
        let mut reached = stream.clone();
        let mut mixed = stream.clone();
        self.first.run(inputs, &mut stream);
        for (reach, mix) in &self.layers {
            reach.run(&stream, &mut reached);
            reached.iter_mut().for_each(|v| *v = v.max(0.0));
            mix.run(&reached, &mut mixed);
            stream.iter_mut().zip(&mixed).for_each(|(s, m)| *s += m);
        }
        let (weights, bias) = self.last;
        let outputs = self.shape.outputs;
        (0..outputs)
            .map(|which| {
                let sum = |row: &[f32]| -> f32 {
                    row.iter().zip(weights.chunks_exact(outputs)).map(|(v, w)| v.max(0.0) * w[which]).sum()
                };
                stream.chunks_exact(C).map(|row| 1.0 / (1.0 + (-(sum(row) + bias[which])).exp())).collect()
            })
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const C: usize = 4;

    #[test]
    fn a_convolution_adds_what_lies_around_and_nothing_beyond_the_ends() {
        let mut weights = vec![0.0; 3 * C * C];
        // Channel 0 becomes what was before, plus ten times what comes.
        weights[0] = 1.0;
        weights[2 * C * C] = 10.0;
        let bias = vec![0.0; C];
        let convolution = Convolution::<C> { weights: &weights, bias: &bias, taps: 3, apart: 2, inputs: C };
        let mut from = vec![0.0; 6 * C];
        (0..6).for_each(|step| from[step * C] = step as f32 + 1.0);
        let mut into = vec![0.0; 6 * C];
        convolution.run(&from, &mut into);
        let heard: Vec<f32> = into.iter().step_by(C).copied().collect();
        assert_eq!(heard, [30.0, 40.0, 51.0, 62.0, 3.0, 4.0]);
    }

    #[test]
    fn wide_sums_are_the_plain_sums_to_the_last_digit() {
        const WIDE: usize = 48;
        let value = |i: usize| ((i * 7919 % 1009) as f32 / 1009.0 - 0.5) * 3.7;
        let weights: Vec<f32> = (0..5 * 11 * WIDE).map(value).collect();
        let bias: Vec<f32> = (0..WIDE).map(|i| value(i + 3)).collect();
        let convolution = Convolution::<WIDE> { weights: &weights, bias: &bias, taps: 5, apart: 4, inputs: 11 };
        let from: Vec<f32> = (0..40 * 11).map(|i| value(i + 17)).collect();
        let (mut wide, mut plain) = (vec![0.0; 40 * WIDE], vec![0.0; 40 * WIDE]);
        convolution.run(&from, &mut wide);
        convolution.summed(&from, &mut plain);
        assert!(wide.iter().zip(&plain).all(|(a, b)| a.to_bits() == b.to_bits()));
        assert!(wide.iter().any(|v| *v != 0.0));
    }

    #[test]
    fn a_network_that_knows_nothing_finds_everything_as_likely_as_not() {
        let shape = Shape { inputs: 7, first_taps: 3, taps: 3, layers: 2, outputs: 2 };
        let weights = vec![0.0; shape.weights(C)];
        assert_eq!(Network::<C>::of(shape, &weights).forward(&[0.3; 5 * 7]), vec![vec![0.5; 5]; 2]);
        assert_eq!(Network::<C>::of(shape, &weights).forward(&[]), vec![Vec::<f32>::new(); 2]);
    }

    #[test]
    fn weights_keep_three_digits() {
        let weights = [0.0, 1.0, -2.5, 0.123_456, -1234.5, 1e-6];
        for (kept, was) in unpacked(&packed(&weights)).iter().zip(weights) {
            assert!((kept - was).abs() <= was.abs() / 250.0, "{was} became {kept}");
        }
    }
}
