//! Trains the network that hears beats and downbeats (`core::track::pulse`) on improvisations and études with the
//! fitted seeds, and writes its weights:
//! `cargo bench -p legere-etudes --features train --bench pulse -- [pieces] [rounds] [first]`. With a first seed above 0
//! it goes on from the weights that are there, on other pieces.
//!
//! With `RAYON_NUM_THREADS=1 MALLOC_MMAP_THRESHOLD_=4000000000 MALLOC_TRIM_THRESHOLD_=8000000000` a round takes less than
//! half the time: both threads of the training are its own, and memory is not given back between tensors.
//!
//! The loss is the cross-entropy of both outputs, Adam with a rate that falls along a cosine. Sounds are varied on the
//! way (level, tilt, saturation, hiss), as the mixes of recordings are. With Debian's `fluid-soundfont-gm` there, every
//! second piece is played by it.

use candle_core::backprop::GradStore;
use candle_core::{Device, Result, Tensor, Var};
use candle_nn::{AdamW, Optimizer, ParamsAdamW};
use legere_core::track::pulse::{
    BANDS, CHANNELS, FIRST_TAPS, INPUTS, LAYERS, Network, OUTPUTS, STEP_RATE, TAPS, WEIGHTS, shipped,
};
use legere_core::track::{Audio, READING_RATE, pulse_inputs};
use legere_etudes::{Band, Etude, FITTED_SEEDS, STYLES, Truth};
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::path::{Path, PathBuf};
use std::time::Instant;

const SECOND_SOUNDFONT: &str = "/usr/share/sounds/sf2/FluidR3_GM.sf2";
const PIECES: usize = 1600;
const ROUNDS: usize = 12;
/// One of so many pieces is an étude in the styles, one a free improvisation; the others are in idioms.
const KINDS: usize = 5;
/// The model that chooses among rows of beats is trained on the seeds below.
const FIRST_STYLED_SEED: u64 = 30;
const BATCH: usize = 4;
const RATE: f64 = 2e-3;
/// Kept back to see whether it generalises.
const HELD_BACK: usize = 40;

struct Piece {
    inputs: Vec<f32>,
    targets: Tensor,
}

fn main() -> Result<()> {
    let numbers: Vec<usize> = std::env::args().skip(1).filter_map(|w| w.parse().ok()).collect();
    let pieces = numbers.first().copied().unwrap_or(PIECES);
    let rounds = numbers.get(1).copied().unwrap_or(ROUNDS);
    let first = numbers.get(2).copied().unwrap_or(0);
    let bands: Vec<Band> = std::iter::once(Band::from_debian().expect("a soundfont"))
        .chain(Band::open(Path::new(SECOND_SOUNDFONT)).ok())
        .map(Band::hasty)
        .collect();
    println!("{} soundfonts", bands.len());
    let start = Instant::now();
    let half = pieces.div_ceil(2);
    let mut all: Vec<Piece> = std::thread::scope(|scope| {
        let bands = &bands;
        let threads: Vec<_> = [first..first + half, first + half..first + pieces]
            .into_iter()
            .map(|part| scope.spawn(move || part.map(|i| piece(i, bands)).collect::<Result<Vec<_>>>()))
            .collect();
        threads.into_iter().map(|t| t.join().expect("played")).collect::<Result<Vec<_>>>()
    })?
    .into_iter()
    .flatten()
    .collect();
    println!("{} pieces played and heard in {:.0} s", all.len(), start.elapsed().as_secs_f64());
    let mut rng = ChaCha8Rng::seed_from_u64(7);
    all.shuffle(&mut rng);
    let held = all.split_off(all.len() - HELD_BACK.min(all.len() / 2));
    let net = Net::new(&mut rng)?;
    if first > 0 {
        net.go_on()?;
    }
    let mut adam =
        AdamW::new(net.vars.clone(), ParamsAdamW { lr: RATE, weight_decay: 1e-4, ..ParamsAdamW::default() })?;
    let rate = if first > 0 { 0.6 * RATE } else { RATE };
    let steps = rounds * all.len().div_ceil(BATCH);
    let mut step = 0;
    for round in 0..rounds {
        all.shuffle(&mut rng);
        let (mut sum, mut count) = (0.0, 0);
        for batch in all.chunks(BATCH) {
            let along = step as f64 / steps as f64;
            let warm = (step as f64 / 100.0).min(1.0);
            adam.set_learning_rate(rate * warm * 0.5 * (1.0 + (std::f64::consts::PI * along).cos()) + 1e-5);
            let (loss, gradients) = gradients(&net, batch, 2 * step as u64)?;
            adam.step(&gradients)?;
            sum += loss;
            count += 1;
            step += 1;
        }
        let mut unseen = 0.0;
        for p in &held {
            unseen += f64::from(net.loss(p, p.inputs.clone())?.to_scalar::<f32>()?);
        }
        println!(
            "round {round}: loss {:.4}, held back {:.4}, {:.0} s",
            sum / f64::from(count),
            unseen / held.len() as f64,
            start.elapsed().as_secs_f64()
        );
        write(&net)?;
    }
    agrees(&net, &held[0])
}

/// Both halves of a batch at once.
fn gradients(net: &Net, batch: &[Piece], seed: u64) -> Result<(f64, GradStore)> {
    let part = |pieces: &[Piece], seed: u64| -> Result<(f64, GradStore)> {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut losses = Vec::new();
        for p in pieces {
            losses.push((net.loss(p, in_other_keys(&p.inputs, &mut rng))? / batch.len() as f64)?);
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
        (one.join().expect("trained"), part(b, seed + 1))
    });
    let ((loss, mut sum), (more, other)) = (one?, other?);
    for var in &net.vars {
        if let (Some(x), Some(y)) = (sum.get(var), other.get(var)) {
            let both = (x + y)?;
            sum.insert(var, both);
        }
    }
    Ok((loss + more, sum))
}

/// Its sound is varied by its number.
fn piece(number: usize, bands: &[Band]) -> Result<Piece> {
    let mut rng = ChaCha8Rng::seed_from_u64(number as u64);
    let i = number / KINDS;
    let etude = match number % KINDS {
        0 => {
            let seeds = FITTED_SEEDS.end - FIRST_STYLED_SEED;
            Etude::compose(&STYLES[i % STYLES.len()], FIRST_STYLED_SEED + (i / STYLES.len()) as u64 % seeds)
        }
        1 => Etude::improvise(number as u64),
        _ => Etude::in_idiom(number as u64),
    };
    let mut samples = etude.play(&bands[number / 2 % bands.len()], READING_RATE).expect("played");
    vary(&mut samples, &mut rng);
    let inputs = pulse_inputs(Audio::mono(&samples));
    let steps = inputs.len() / INPUTS;
    let targets = Tensor::from_vec(targets(&etude.truth, steps), (steps, OUTPUTS), &Device::Cpu)?;
    Ok(Piece { inputs, targets })
}

fn tensor(inputs: Vec<f32>) -> Result<Tensor> {
    let steps = inputs.len() / INPUTS;
    Tensor::from_vec(inputs, (steps, INPUTS), &Device::Cpu)
}

/// The same music as if played higher or lower, at times with a range of the spectrum missing: rhythm is what is left.
fn in_other_keys(inputs: &[f32], rng: &mut ChaCha8Rng) -> Vec<f32> {
    let up = rng.random_range(-2i32..=2) as isize;
    let turn = rng.random_range(0..12);
    let gone = if rng.random_bool(0.3) {
        let from = rng.random_range(0..BANDS);
        from..(from + rng.random_range(3..14)).min(BANDS)
    } else {
        0..0
    };
    let no_harmony = rng.random_bool(0.1);
    let mut out = vec![0.0; inputs.len()];
    for (row, new) in inputs.chunks_exact(INPUTS).zip(out.chunks_exact_mut(INPUTS)) {
        for band in (0..BANDS).filter(|b| !gone.contains(b)) {
            let from = band.saturating_add_signed(-up).min(BANDS - 1);
            new[band] = row[from];
            new[BANDS + band] = row[BANDS + from];
        }
        if !no_harmony {
            for class in 0..12 {
                new[2 * BANDS + (class + turn) % 12] = row[2 * BANDS + class];
            }
        }
    }
    out
}

/// 1 at each beat, a half beside it.
fn targets(truth: &Truth, steps: usize) -> Vec<f32> {
    let mut rows = vec![0.0f32; steps * OUTPUTS];
    for (output, times) in [&truth.beats, &truth.downbeats].into_iter().enumerate() {
        for at in times {
            let centre = (at * STEP_RATE).round() as isize;
            for (by, value) in [(-1, 0.5), (0, 1.0), (1, 0.5)] {
                if let Some(slot) = usize::try_from(centre + by).ok().filter(|s| *s < steps) {
                    let slot = &mut rows[slot * OUTPUTS + output];
                    *slot = slot.max(value);
                }
            }
        }
    }
    rows
}

fn vary(samples: &mut [f32], rng: &mut ChaCha8Rng) {
    let level: f32 = rng.random_range(0.25..1.1);
    let tilt: f32 = rng.random_range(-0.7..0.7);
    let drive: f32 = if rng.random_bool(0.4) { rng.random_range(1.5..6.0) } else { 0.0 };
    let hiss: f32 = if rng.random_bool(0.3) { rng.random_range(0.0005..0.006) } else { 0.0 };
    let mut low = 0.0f32;
    for s in samples.iter_mut() {
        low += 0.12 * (*s - low);
        // More of what lies above some 500 Hz, or less.
        let mut v = low * (1.0 - tilt.max(0.0)) + (*s - low) * (1.0 + tilt.min(0.0));
        if drive > 0.0 {
            v = (v * drive).tanh() / drive.tanh();
        }
        *s = v * level + hiss * rng.random_range(-1.0..1.0);
    }
}

/// The same network as `core::track::pulse`, with gradients.
struct Net {
    vars: Vec<Var>,
}

impl Net {
    fn new(rng: &mut ChaCha8Rng) -> Result<Self> {
        let mut vars = Vec::new();
        let mut layer = |rows: usize, columns: usize, scale: f64, bias: f32| -> Result<()> {
            let reach = (scale * (6.0 / rows as f64).sqrt()) as f32;
            let values: Vec<f32> = (0..rows * columns).map(|_| rng.random_range(-reach..reach)).collect();
            vars.push(Var::from_vec(values, (rows, columns), &Device::Cpu)?);
            vars.push(Var::from_vec(vec![bias; columns], columns, &Device::Cpu)?);
            Ok(())
        };
        layer(FIRST_TAPS * INPUTS, CHANNELS, 0.7, 0.0)?;
        for _ in 0..LAYERS {
            layer(TAPS * CHANNELS, CHANNELS, 1.0, 0.0)?;
            // Residual branches begin small.
            layer(CHANNELS, CHANNELS, 0.2, 0.0)?;
        }
        layer(CHANNELS, OUTPUTS, 0.5, -2.5)?;
        Ok(Self { vars })
    }

    /// Takes the weights that are there.
    fn go_on(&self) -> Result<()> {
        let mut at = 0;
        let numbers = shipped();
        for var in &self.vars {
            let count = var.elem_count();
            var.set(&Tensor::from_slice(&numbers[at..at + count], var.shape(), &Device::Cpu)?)?;
            at += count;
        }
        Ok(())
    }

    fn logits(&self, inputs: &Tensor) -> Result<Tensor> {
        let pair = |i: usize| (self.vars[2 * i].as_tensor(), self.vars[2 * i + 1].as_tensor());
        let mut stream = convolution(inputs, pair(0), FIRST_TAPS, 1)?;
        for layer in 0..LAYERS {
            let reached = convolution(&stream, pair(1 + 2 * layer), TAPS, 1 << layer)?.relu()?;
            stream = (stream + convolution(&reached, pair(2 + 2 * layer), 1, 1)?)?;
        }
        convolution(&stream.relu()?, pair(1 + 2 * LAYERS), 1, 1)
    }

    fn loss(&self, piece: &Piece, inputs: Vec<f32>) -> Result<Tensor> {
        let x = self.logits(&tensor(inputs)?)?;
        // max(x, 0) − xy + ln(1 + e^−|x|): cross-entropy of a sigmoid, without overflow.
        let loss = ((x.relu()? - (&x * &piece.targets)?)? + (x.abs()?.neg()?.exp()? + 1.0)?.log()?)?;
        loss.mean_all()
    }
}

fn convolution(x: &Tensor, (weights, bias): (&Tensor, &Tensor), taps: usize, apart: usize) -> Result<Tensor> {
    let (steps, inputs) = x.dims2()?;
    let margin = taps / 2 * apart;
    let padded = if taps == 1 { x.clone() } else { x.pad_with_zeros(0, margin, margin)? };
    let mut sum: Option<Tensor> = None;
    for tap in 0..taps {
        let part = padded.narrow(0, tap * apart, steps)?.matmul(&weights.narrow(0, tap * inputs, inputs)?)?;
        sum = Some(match sum {
            Some(sum) => (sum + part)?,
            None => part,
        });
    }
    sum.expect("at least one tap").broadcast_add(bias)
}

fn numbers(net: &Net) -> Result<Vec<f32>> {
    let mut numbers = Vec::with_capacity(WEIGHTS);
    for var in &net.vars {
        numbers.extend(var.flatten_all()?.to_vec1::<f32>()?);
    }
    Ok(numbers)
}

fn write(net: &Net) -> Result<()> {
    // Rounded to the upper half.
    let bytes: Vec<u8> =
        numbers(net)?.iter().flat_map(|v| ((v.to_bits().wrapping_add(0x8000) >> 16) as u16).to_le_bytes()).collect();
    std::fs::write(weights_file(), bytes)?;
    Ok(())
}

fn weights_file() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../core/src/track/pulse.weights")
}

/// What was trained is what the core computes.
fn agrees(net: &Net, piece: &Piece) -> Result<()> {
    let ours = Network::of(&numbers(net)?).listen(&piece.inputs);
    let theirs = (net.logits(&tensor(piece.inputs.clone())?)?.neg()?.exp()? + 1.0)?.recip()?;
    let theirs: Vec<f32> = theirs.narrow(1, 0, 1)?.flatten_all()?.to_vec1()?;
    let apart = ours.beats.iter().zip(&theirs).map(|(a, b)| (a - b).abs()).fold(0.0f32, f32::max);
    println!("the core's beats are at most {apart:.6} apart from the trained network's");
    assert!(apart < 1e-3);
    Ok(())
}
