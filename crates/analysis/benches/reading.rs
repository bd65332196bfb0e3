//! Reading a minute of music and a second of pictures.

use criterion::{BatchSize, Criterion, criterion_group, criterion_main};
use legere_analysis::footage::{ClipReader, frame_bytes};
use legere_analysis::music::{Audio, READING_RATE, read_track};

/// A minute of kick, hat and bass at 120 beats a minute.
fn minute() -> Vec<f32> {
    let mut noise = 1u32;
    (0..READING_RATE * 60)
        .map(|i| {
            let t = i as f32 / READING_RATE as f32;
            noise = noise.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let hiss = noise as f32 / u32::MAX as f32 - 0.5;
            let (beat, half) = (t % 0.5, (t + 0.25) % 0.5);
            let bass = 0.2 * (t * 55.0 * std::f32::consts::TAU).sin();
            0.6 * (beat * 400.0).sin() * (-beat * 20.0).exp() + 0.3 * hiss * (-half * 60.0).exp() + bass
        })
        .collect()
}

fn benches(c: &mut Criterion) {
    let samples = minute();
    c.bench_function("read a minute of music", |b| {
        b.iter(|| read_track(Audio::mono(&samples)).expect("music"));
    });

    let (w, h) = (480usize, 270usize);
    let frame = |k: usize| -> Vec<u8> {
        let mut bytes: Vec<u8> = (0..w * h)
            .map(|i| (128.0 + 60.0 * ((i % w + 2 * k) as f32 * 0.2).sin() + 40.0 * ((i / w) as f32 * 0.3).cos()) as u8)
            .collect();
        bytes.resize(frame_bytes(w, h), 128);
        bytes
    };
    let frames: Vec<Vec<u8>> = (0..25).map(frame).collect();
    c.bench_function("read a second of pictures", |b| {
        b.iter_batched(
            || ClipReader::new(w, h, 25.0),
            |mut reader| {
                for f in &frames {
                    reader.push(f).expect("a frame");
                }
                reader.finish().expect("a reading")
            },
            BatchSize::SmallInput,
        );
    });
}

criterion_group! { name = all; config = Criterion::default().sample_size(10); targets = benches }
criterion_main!(all);
