//! Trains the networks of `core::track`: the same sums as `core::track::net`, with gradients.
//!
//! The loss is the cross-entropy of the outputs, Adam with a rate that falls along a cosine; some of the channels are
//! left out at each step (dropout). What is kept is the mean of the last weights, each step's counting a little less
//! than the next one's: it knows more music that is unlike the pieces than any single step does.

use candle_core::backprop::GradStore;
use candle_core::{Device, Result, Tensor, Var};
use candle_nn::{AdamW, Optimizer, ParamsAdamW};
use legere_analysis::music::training::{Shape, packed};
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::path::Path;
use std::time::Instant;

const RATE: f64 = 2e-3;
/// What goes on from weights that are there learns more slowly.
const LATER: f64 = 0.6;
/// How many of the channels a layer does without at each step.
const DROPPED: f64 = 0.1;
/// How much of the mean weights stays at each step.
const MEAN_STAYS: f32 = 0.998;

/// What is learnt from.
pub trait Piece: Sync {
    /// Rows of inputs and as many of wanted outputs: the piece as it is, or by chance a little changed.
    fn rows(&self, chance: Option<&mut ChaCha8Rng>) -> (Vec<f32>, Vec<f32>);
}

pub struct Course<'a> {
    pub shape: Shape,
    pub channels: usize,
    /// Where to go on from.
    pub weights: Option<Vec<f32>>,
    pub rounds: usize,
    /// Pieces a step.
    pub batch: usize,
    /// Pieces kept back to see whether it generalises.
    pub held_back: usize,
    /// Where the weights are written after each round.
    pub file: &'a Path,
}

impl Course<'_> {
    /// Trains, prints how it goes, and gives the weights.
    pub fn run<P: Piece>(&self, mut pieces: Vec<P>) -> Result<Vec<f32>> {
        let start = Instant::now();
        let mut rng = ChaCha8Rng::seed_from_u64(7);
        pieces.shuffle(&mut rng);
        let held = pieces.split_off(pieces.len() - self.held_back.min(pieces.len() / 2));
        let net = Net::new(self.shape, self.channels, &mut rng)?;
        if let Some(weights) = &self.weights {
            net.take(weights)?;
        }
        let rate = if self.weights.is_some() { LATER * RATE } else { RATE };
        let mut adam =
            AdamW::new(net.vars.clone(), ParamsAdamW { lr: rate, weight_decay: 1e-4, ..ParamsAdamW::default() })?;
        let steps = self.rounds * pieces.len().div_ceil(self.batch);
        let mut step = 0;
        let mut mean = net.numbers()?;
        for round in 0..self.rounds {
            pieces.shuffle(&mut rng);
            let (mut sum, mut count) = (0.0, 0);
            for batch in pieces.chunks(self.batch) {
                let along = step as f64 / steps as f64;
                let warm = (step as f64 / 100.0).min(1.0);
                adam.set_learning_rate(rate * warm * 0.5 * (1.0 + (std::f64::consts::PI * along).cos()) + 1e-5);
                let (loss, gradients) = net.gradients(batch, 2 * step as u64)?;
                adam.step(&gradients)?;
                let stays = MEAN_STAYS.min(step as f32 / (step as f32 + 20.0));
                mean.iter_mut().zip(net.numbers()?).for_each(|(m, now)| *m = stays * *m + (1.0 - stays) * now);
                sum += loss;
                count += 1;
                step += 1;
            }
            let judge = Net::new(self.shape, self.channels, &mut rng)?;
            judge.take(&mean)?;
            let mut unseen = 0.0;
            for piece in &held {
                unseen += f64::from(judge.loss(piece, None)?.to_scalar::<f32>()?) / held.len() as f64;
            }
            let (loss, seconds) = (sum / f64::from(count), start.elapsed().as_secs_f64());
            println!("round {round}: loss {loss:.4}, held back {unseen:.4}, {seconds:.0} s");
            std::fs::write(self.file, packed(&mean))?;
        }
        Ok(mean)
    }
}

struct Net {
    shape: Shape,
    channels: usize,
    vars: Vec<Var>,
}

impl Net {
    fn new(shape: Shape, channels: usize, rng: &mut ChaCha8Rng) -> Result<Self> {
        let mut vars = Vec::new();
        let mut layer = |rows: usize, columns: usize, scale: f64, bias: f32| -> Result<()> {
            let reach = (scale * (6.0 / rows as f64).sqrt()) as f32;
            let values: Vec<f32> = (0..rows * columns).map(|_| rng.random_range(-reach..reach)).collect();
            vars.push(Var::from_vec(values, (rows, columns), &Device::Cpu)?);
            vars.push(Var::from_vec(vec![bias; columns], columns, &Device::Cpu)?);
            Ok(())
        };
        layer(shape.first_taps * shape.inputs, channels, 0.7, 0.0)?;
        for _ in 0..shape.layers {
            layer(shape.taps * channels, channels, 1.0, 0.0)?;
            // Residual branches begin small.
            layer(channels, channels, 0.2, 0.0)?;
        }
        layer(channels, shape.outputs, 0.5, -2.0)?;
        Ok(Self { shape, channels, vars })
    }

    fn take(&self, weights: &[f32]) -> Result<()> {
        let mut at = 0;
        for var in &self.vars {
            let count = var.elem_count();
            var.set(&Tensor::from_slice(&weights[at..at + count], var.shape(), &Device::Cpu)?)?;
            at += count;
        }
        Ok(())
    }

    fn numbers(&self) -> Result<Vec<f32>> {
        let mut numbers = Vec::with_capacity(self.shape.weights(self.channels));
        for var in &self.vars {
            numbers.extend(var.flatten_all()?.to_vec1::<f32>()?);
        }
        Ok(numbers)
    }

    /// With some of the channels left out, where chance is given.
    fn logits(&self, inputs: &Tensor, mut chance: Option<&mut ChaCha8Rng>) -> Result<Tensor> {
        let pair = |i: usize| (self.vars[2 * i].as_tensor(), self.vars[2 * i + 1].as_tensor());
        let mut stream = convolution(inputs, pair(0), self.shape.first_taps, 1)?;
        for layer in 0..self.shape.layers {
            let mut reached = convolution(&stream, pair(1 + 2 * layer), self.shape.taps, 1 << layer)?.relu()?;
            if let Some(rng) = &mut chance {
                let stays = (1.0 / (1.0 - DROPPED)) as f32;
                let kept: Vec<f32> =
                    (0..self.channels).map(|_| if rng.random_bool(DROPPED) { 0.0 } else { stays }).collect();
                reached = reached.broadcast_mul(&Tensor::from_vec(kept, self.channels, &Device::Cpu)?)?;
            }
            stream = (stream + convolution(&reached, pair(2 + 2 * layer), 1, 1)?)?;
        }
        convolution(&stream.relu()?, pair(1 + 2 * self.shape.layers), 1, 1)
    }

    fn loss(&self, piece: &impl Piece, mut chance: Option<&mut ChaCha8Rng>) -> Result<Tensor> {
        let (inputs, wanted) = piece.rows(chance.as_deref_mut());
        let steps = inputs.len() / self.shape.inputs;
        let inputs = Tensor::from_vec(inputs, (steps, self.shape.inputs), &Device::Cpu)?;
        let wanted = Tensor::from_vec(wanted, (steps, self.shape.outputs), &Device::Cpu)?;
        let x = self.logits(&inputs, chance)?;
        // max(x, 0) − xy + ln(1 + e^−|x|): cross-entropy of a sigmoid, without overflow.
        let loss = ((x.relu()? - (&x * &wanted)?)? + (x.abs()?.neg()?.exp()? + 1.0)?.log()?)?;
        loss.mean_all()
    }

    /// Both halves of a batch at once.
    fn gradients<P: Piece>(&self, batch: &[P], seed: u64) -> Result<(f64, GradStore)> {
        let part = |pieces: &[P], seed: u64| -> Result<(f64, GradStore)> {
            let mut rng = ChaCha8Rng::seed_from_u64(seed);
            let mut losses = Vec::new();
            for piece in pieces {
                losses.push((self.loss(piece, Some(&mut rng))? / batch.len() as f64)?);
            }
            let loss = Tensor::stack(&losses, 0)?.sum_all()?;
            Ok((f64::from(loss.to_scalar::<f32>()?), loss.backward()?))
        };
        let (a, b) = batch.split_at(batch.len() / 2);
        if a.is_empty() {
            return part(b, seed);
        }
        let (one, other) = std::thread::scope(|scope| {
            let one = scope.spawn(|| part(a, seed));
            let other = part(b, seed + 1);
            (one.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)), other)
        });
        let ((loss, mut sum), (more, other)) = (one?, other?);
        for var in &self.vars {
            if let (Some(x), Some(y)) = (sum.get(var), other.get(var)) {
                let both = (x + y)?;
                sum.insert(var, both);
            }
        }
        Ok((loss + more, sum))
    }
}

fn convolution(x: &Tensor, (weights, bias): (&Tensor, &Tensor), taps: usize, apart: usize) -> Result<Tensor> {
    let (steps, inputs) = x.dims2()?;
    let margin = taps / 2 * apart;
    let padded = if taps == 1 { x.clone() } else { x.pad_with_zeros(0, margin, margin)? };
    let mut sum = padded.narrow(0, 0, steps)?.matmul(&weights.narrow(0, 0, inputs)?)?;
    for tap in 1..taps {
        let part = padded.narrow(0, tap * apart, steps)?.matmul(&weights.narrow(0, tap * inputs, inputs)?)?;
        sum = (sum + part)?;
    }
    sum.broadcast_add(bias)
}

#[cfg(test)]
mod tests {
    use super::*;
    use legere_analysis::music::training::Network;

    const CHANNELS: usize = 8;
    const SHAPE: Shape = Shape { inputs: 3, first_taps: 3, taps: 3, layers: 2, outputs: 1 };

    /// Its output is wanted where the first input was high a step before.
    struct Echo(u64);

    impl Piece for Echo {
        fn rows(&self, _: Option<&mut ChaCha8Rng>) -> (Vec<f32>, Vec<f32>) {
            let mut rng = ChaCha8Rng::seed_from_u64(self.0);
            let inputs: Vec<f32> = (0..40 * 3).map(|_| rng.random_range(-1.0..1.0)).collect();
            let wanted = (0..40).map(|i| if i > 0 && inputs[3 * (i - 1)] > 0.0 { 1.0 } else { 0.0 }).collect();
            (inputs, wanted)
        }
    }

    #[test]
    fn what_is_learnt_is_what_the_core_computes() -> Result<()> {
        let file = std::env::temp_dir().join(format!("legere-learn-{}.weights", std::process::id()));
        let course =
            Course { shape: SHAPE, channels: CHANNELS, weights: None, rounds: 60, batch: 4, held_back: 8, file: &file };
        let weights = course.run((0..48).map(Echo).collect())?;
        assert_eq!(std::fs::read(&file)?.len(), 2 * SHAPE.weights(CHANNELS));
        std::fs::remove_file(&file)?;
        let (inputs, wanted) = Echo(1000).rows(None);
        let told = Network::<CHANNELS>::of(SHAPE, &weights).forward(&inputs).remove(0);
        let right = told.iter().zip(&wanted).filter(|(t, w)| (**t > 0.5) == (**w > 0.5)).count();
        assert!(right >= 36, "{right} of 40");
        let net = Net::new(SHAPE, CHANNELS, &mut ChaCha8Rng::seed_from_u64(1))?;
        net.take(&weights)?;
        let logits = net.logits(&Tensor::from_vec(inputs, (40, 3), &Device::Cpu)?, None)?;
        for (ours, theirs) in told.iter().zip(logits.flatten_all()?.to_vec1::<f32>()?) {
            assert!((ours - 1.0 / (1.0 + (-theirs).exp())).abs() < 1e-4);
        }
        Ok(())
    }
}
