//! Drawn pictures whose movement is known.

use super::*;
use legere_core::footage::{EnergyTrace, OneWayKind};
use legere_core::select::Movement;

const W: usize = 480;
const H: usize = 270;

/// A picture with blobs of several sizes, seen by a camera at (`x`, `y`) in frame widths, `zoom` times as near.
fn scene(x: f64, y: f64, zoom: f64) -> Vec<u8> {
    let mut out = Vec::with_capacity(W * H);
    for py in 0..H {
        for px in 0..W {
            let u = (px as f64 - W as f64 / 2.0) / W as f64 / zoom + x;
            let v = (py as f64 - H as f64 / 2.0) / W as f64 / zoom + y;
            let value = 128.0
                + 50.0 * (u * 19.0 + (v * 7.0).sin()).sin()
                + 40.0 * (v * 23.0 + (u * 5.0).cos()).sin()
                + 25.0 * (u * 61.0).sin() * (v * 53.0).cos();
            out.push(value.clamp(0.0, 255.0) as u8);
        }
    }
    out
}

fn read(rate: f64, frames: usize, draw: impl Fn(f64) -> Vec<u8>) -> ClipReading {
    let mut reader = ClipReader::new(W, H, rate);
    for i in 0..frames {
        let mut frame = draw(i as f64 / rate);
        frame.resize(frame_bytes(W, H), 128);
        reader.push(&frame).expect("a whole frame");
    }
    reader.finish().expect("frames")
}

fn middle(values: &[f32]) -> f64 {
    let third = values.len() / 3;
    f64::from(values[third..2 * third].iter().sum::<f32>()) / third as f64
}

#[test]
fn a_pan_is_measured_in_frame_widths_a_second() {
    for rate in [25.0, 50.0] {
        let reading = read(rate, (2.0 * rate) as usize, |t| scene(0.2 * t, 0.0, 1.0));
        assert!((middle(&reading.samples.pan) - 0.2).abs() < 0.02, "{:?}", reading.samples.pan);
        assert!(middle(&reading.samples.tilt).abs() < 0.02);
        assert_eq!(reading.movement(0.0, 2.0), Movement::Right);
    }
}

#[test]
fn a_tilt_up_and_a_push_in_have_their_signs() {
    let up = read(25.0, 50, |t| scene(0.0, -0.1 * t, 1.0));
    // A tenth of the width is 0.178 of the height.
    assert!((middle(&up.samples.tilt) - 0.178).abs() < 0.02, "{:?}", up.samples.tilt);
    assert_eq!(up.movement(0.0, 2.0), Movement::Up);
    let inward = read(25.0, 50, |t| scene(0.0, 0.0, (0.3 * t).exp()));
    assert!((middle(&inward.samples.zoom) - 0.3).abs() < 0.05, "{:?}", inward.samples.zoom);
    assert_eq!(inward.movement(0.0, 2.0), Movement::In);
}

#[test]
fn energy_is_the_same_at_any_frame_rate_and_grows_with_the_movement() {
    let at = |rate: f64, speed: f64| read(rate, (2.0 * rate) as usize, |t| scene(speed * t, 0.0, 1.0)).energy(0.0, 2.0);
    assert!((at(25.0, 0.3) - at(50.0, 0.3)).abs() < 4.0, "{} {}", at(25.0, 0.3), at(50.0, 0.3));
    let rising: Vec<f64> = [0.0, 0.05, 0.15, 0.4, 0.9].iter().map(|s| at(25.0, *s)).collect();
    assert!(rising.windows(2).all(|w| w[1] > w[0] + 3.0), "{rising:?}");
    assert!(rising[0] < 2.0, "a still picture has no energy: {rising:?}");
}

#[test]
fn a_trembling_hand_is_shake_and_a_smooth_pan_is_not() {
    let smooth = read(25.0, 75, |t| scene(0.25 * t, 0.0, 1.0));
    let trembling = read(25.0, 75, |t| scene(0.012 * (t * 40.0).sin(), 0.01 * (t * 51.0).cos(), 1.0));
    assert!(middle(&smooth.samples.shake) < 0.15, "{:?}", smooth.samples.shake);
    assert!(middle(&trembling.samples.shake) > 0.5, "{:?}", trembling.samples.shake);
}

#[test]
fn blur_lowers_sharpness_and_darkness_lowers_exposure() {
    let checks = |t: f64| {
        let mut frame = scene(0.02 * t, 0.0, 1.0);
        for (i, p) in frame.iter_mut().enumerate() {
            if (i % W / 24 + i / W / 24).is_multiple_of(2) {
                *p = p.saturating_sub(60);
            }
        }
        frame
    };
    let blurred = |t: f64| {
        let sharp = checks(t);
        let mut out = sharp.clone();
        for y in 4..H - 4 {
            for x in 4..W - 4 {
                let mut sum = 0u32;
                for dy in 0..9 {
                    for dx in 0..9 {
                        sum += u32::from(sharp[(y + dy - 4) * W + x + dx - 4]);
                    }
                }
                out[y * W + x] = (sum / 81) as u8;
            }
        }
        out
    };
    let sharp = read(25.0, 20, checks);
    let soft = read(25.0, 20, blurred);
    assert!(middle(&sharp.samples.sharpness) > 2.0 * middle(&soft.samples.sharpness));
    let dark = read(25.0, 10, |t| scene(t, 0.0, 1.0).iter().map(|v| v / 16).collect());
    assert!(middle(&dark.samples.exposure) < 0.05);
}

#[test]
fn a_cut_inside_a_clip_is_found_and_a_pan_is_none() {
    let reading = read(25.0, 50, |t| {
        if t < 1.0 { scene(0.1 * t, 0.0, 1.0) } else { scene(3.0, 2.0, 1.0).iter().map(|v| v / 3).collect() }
    });
    assert_eq!(reading.shot_changes, [1.0]);
}

/// A disc that lies still and is suddenly knocked about.
fn struck(t: f64, hit: f64) -> Vec<u8> {
    let mut frame = scene(0.0, 0.0, 1.0);
    let swing = if t > hit { 0.12 * ((t - hit) * 30.0).sin() * (-(t - hit) * 2.0).exp() } else { 0.0 };
    for y in 0..H {
        for x in 0..W {
            let u = x as f64 / W as f64 - 0.5 - swing;
            let v = (y as f64 - H as f64 / 2.0) / W as f64;
            if u * u + v * v < 0.02 {
                frame[y * W + x] = 250;
            }
        }
    }
    frame
}

#[test]
fn the_hit_is_where_it_strikes() {
    let reading = read(25.0, 100, |t| struck(t, 2.2));
    let best = &reading.moments[0];
    assert!((best.hit - 2.2).abs() <= 0.08, "{best:?}");
    assert!(best.start < best.hit && best.hit < best.end && best.end <= 4.0);
}

#[test]
fn one_frame_is_a_reading_and_none_is_an_error() {
    assert_eq!(ClipReader::new(W, H, 25.0).finish(), Err(ReadClipError::NoPictures));
    let one = read(25.0, 1, |_| scene(0.0, 0.0, 1.0));
    assert!(one.moments.is_empty(), "nothing happens in one frame");
    let mut reader = ClipReader::new(W, H, 25.0);
    assert!(matches!(reader.push(&[0; 7]), Err(ReadClipError::FrameSize { got: 7, .. })));
}

#[test]
fn each_way_of_the_camera_has_its_word() {
    for (dx, dy, zoom, word) in [
        (0.2, 0.0, 0.0, "right"),
        (-0.2, 0.0, 0.0, "left"),
        (0.0, -0.15, 0.0, "up"),
        (0.0, 0.15, 0.0, "down"),
        (0.0, 0.0, 0.3, "in"),
        (0.0, 0.0, -0.3, "out"),
        (0.0, 0.0, 0.0, "still"),
    ] {
        let reading = read(25.0, 40, |t| scene(dx * t, dy * t, (zoom * t).exp()));
        assert_eq!(reading.movement(0.0, 1.6).word(), word, "{dx} {dy} {zoom}");
    }
}

#[test]
fn samples_stand_for_tenths_of_a_second_at_any_rate() {
    for (rate, frames) in [(12.0, 36), (23.976, 72), (25.0, 75), (30.0, 90)] {
        let reading = read(rate, frames, |t| scene(0.1 * t, 0.0, 1.0));
        assert!((reading.duration - frames as f64 / rate).abs() < 1e-9);
        let wanted = (reading.duration / STEP).ceil() as usize;
        let s = &reading.samples;
        for (name, trace) in [
            ("motion", &s.motion),
            ("shake", &s.shake),
            ("sharpness", &s.sharpness),
            ("exposure", &s.exposure),
            ("pan", &s.pan),
            ("tilt", &s.tilt),
            ("zoom", &s.zoom),
        ] {
            assert!(trace.len().abs_diff(wanted) <= 1, "{name} at {rate}: {} for {wanted}", trace.len());
            assert!(trace.iter().all(|v| v.is_finite()), "{name} at {rate}");
        }
    }
}

#[test]
fn a_burst_all_over_the_picture_is_no_shaking_hand() {
    // Dark birds that fly up in all directions from one second on.
    let burst = |t: f64| {
        let mut frame = scene(0.0, 0.0, 1.0);
        frame.iter_mut().enumerate().filter(|(i, _)| i % W % 60 < 20).for_each(|(_, p)| *p = p.saturating_sub(50));
        for bird in 0..24 {
            let angle = f64::from(bird) * 0.61;
            let way = if t > 1.0 { (t - 1.0) * 0.5 } else { 0.0 };
            let (bx, by) = (0.5 + way * angle.cos() + 0.02 * f64::from(bird % 5), 0.3 + way * angle.sin());
            for y in 0..H {
                for x in 0..W {
                    let (u, v) = (x as f64 / W as f64 - bx, y as f64 / W as f64 - by);
                    if u * u + v * v < 0.0012 {
                        frame[y * W + x] = 12;
                    }
                }
            }
        }
        frame
    };
    let reading = read(25.0, 75, burst);
    let best = &reading.moments[0];
    assert!((best.hit - 1.0).abs() < 0.4, "{:?}", reading.moments);
    assert!(best.end > 1.8, "what follows the burst is worth having: {best:?}");
}

/// A surface of stones of several sizes, seen by a camera at (`x`, `y`) in frame widths, `zoom` times as near; `world` distinguishes one
/// place from another.
fn stones(world: u32, x: f64, y: f64, zoom: f64) -> Vec<u8> {
    let tone = |cell: f64, u: f64, v: f64, salt: u32| {
        let (i, j) = ((u / cell).floor() as i32, (v / cell).floor() as i32);
        let mixed = (i.cast_unsigned().wrapping_mul(374_761_393)
            ^ j.cast_unsigned().wrapping_mul(668_265_263)
            ^ (salt + world * 977).wrapping_mul(2_246_822_519))
        .wrapping_mul(2_654_435_761);
        f64::from(mixed >> 24) / 255.0
    };
    let mut out = Vec::with_capacity(W * H);
    for py in 0..H {
        for px in 0..W {
            // Four samples a pixel, so that edges move by less than one.
            let mut sum = 0.0;
            for (dx, dy) in [(0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75)] {
                let u = (px as f64 + dx - W as f64 / 2.0) / W as f64 / zoom + x;
                let v = (py as f64 + dy - H as f64 / 2.0) / W as f64 / zoom + y;
                sum += 40.0 + 90.0 * tone(0.11, u, v, 1) + 60.0 * tone(0.041, u, v, 2) + 40.0 * tone(0.017, u, v, 3);
            }
            out.push((sum / 4.0) as u8);
        }
    }
    out
}

/// Lays a disc of another surface over a frame.
fn disc(frame: &mut [u8], (cx, cy): (f64, f64), radius: f64) {
    let over = stones(99, 0.0, 0.0, 1.0);
    for y in 0..H {
        for x in 0..W {
            let (u, v) = (x as f64 / W as f64 - 0.5 - cx, (y as f64 - H as f64 / 2.0) / W as f64 - cy);
            if u * u + v * v < radius * radius {
                let at =
                    |d: f64, size: usize| (d * W as f64 + size as f64 / 2.0).clamp(0.0, size as f64 - 1.0) as usize;
                frame[y * W + x] = over[at(v, H) * W + at(u, W)];
            }
        }
    }
}

#[test]
fn a_great_pendulum_before_a_still_camera_is_no_movement_of_the_camera() {
    let reading = read(25.0, 75, |t| {
        let mut frame = stones(1, 0.0, 0.0, 1.0);
        disc(&mut frame, (0.22 * (t * 4.0).sin(), 0.02), 0.22);
        frame
    });
    let samples = &reading.samples;
    assert!(samples.shake.iter().all(|v| *v < 0.2), "{:?}", samples.shake);
    assert_eq!(reading.movement(0.0, 3.0), Movement::Still, "{:?}", samples.pan);
    assert!(reading.faults().is_empty(), "{:?}", reading.faults());
    assert!(middle(&samples.motion) > 0.2, "it moves all the same: {:?}", samples.motion);
}

#[test]
fn slow_movements_have_their_speed_and_frames_shown_twice_change_nothing() {
    let even = read(25.0, 75, |t| stones(2, 0.02 * t, 0.0, 1.0));
    assert!((middle(&even.samples.pan) / 0.02 - 1.0).abs() < 0.03, "{:?}", even.samples.pan);
    let out = read(25.0, 75, |t| stones(2, 0.0, 0.0, (-0.05 * t).exp()));
    assert_eq!(out.movement(0.0, 3.0), Movement::Out);
    assert!((middle(&out.samples.zoom) / -0.05 - 1.0).abs() < 0.05, "{:?}", out.samples.zoom);
    // Every fifth frame is the one before once more, as files with uneven frames are decoded.
    let uneven = read(25.0, 75, |t| {
        let frame = (t * 25.0).round() as u32;
        stones(2, 0.15 * f64::from(frame - u32::from(frame % 5 == 4)) / 25.0, 0.0, 1.0)
    });
    assert!((middle(&uneven.samples.pan) / 0.15 - 1.0).abs() < 0.03, "{:?}", uneven.samples.pan);
    assert!(uneven.samples.shake.iter().all(|v| *v < 0.3), "{:?}", uneven.samples.shake);
}

#[test]
fn cuts_and_dissolves_are_found_and_flashes_and_whips_are_none() {
    let cut = read(25.0, 75, |t| if t < 1.4 { stones(3, 0.2 * t, 0.0, 1.0) } else { stones(4, 0.0, 0.1 * t, 1.0) });
    assert_eq!(cut.shot_changes, [1.4]);
    assert!(cut.moments.iter().all(|m| m.end <= 1.4 || m.start >= 1.4), "{:?}", cut.moments);
    let dissolve = read(25.0, 100, |t| {
        let share = ((t - 1.5) / 0.8).clamp(0.0, 1.0);
        let (a, b) = (stones(5, 0.05 * t, 0.0, 1.0), stones(6, 0.0, 0.0, 1.0));
        a.iter().zip(b).map(|(p, q)| (f64::from(*p) * (1.0 - share) + f64::from(q) * share) as u8).collect()
    });
    assert!(
        dissolve.shot_changes.len() == 1 && (dissolve.shot_changes[0] - 1.9).abs() < 0.3,
        "{:?}",
        dissolve.shot_changes
    );
    let flash = read(25.0, 60, |t| {
        let frame = stones(7, 0.0, 0.0, 1.0);
        if (1.0..1.07).contains(&t) { frame.iter().map(|v| 215 + v / 7).collect() } else { frame }
    });
    assert!(flash.shot_changes.is_empty(), "{:?}", flash.shot_changes);
    let whip = read(25.0, 60, |t| stones(8, 2.4 * ((t - 1.0) / 0.4).clamp(0.0, 1.0).powi(2), 0.0, 1.0));
    assert!(whip.shot_changes.is_empty(), "{:?}", whip.shot_changes);
}

#[test]
fn what_falls_shows_backwards_and_waiting_is_told() {
    // Lies still for two seconds and more, then falls for half a second.
    let reading = read(25.0, 100, |t| {
        let mut frame = stones(9, 0.0, 0.0, 1.0);
        let u = ((t - 2.5) / 0.5).clamp(0.0, 1.0);
        disc(&mut frame, (0.1, -0.2 + 0.3 * u * u), 0.06);
        frame
    });
    let hit = reading.moments.first().expect("a moment").hit;
    assert!((hit - 3.0).abs() <= 0.12, "{:?}", reading.moments);
    assert!(
        reading.one_way.iter().any(|w| w.kind == OneWayKind::Falls && w.start < 3.0 && w.end > 2.8),
        "{:?}",
        reading.one_way
    );
    assert!(reading.waits.iter().any(|w| w.start < 0.2 && (2.0..2.8).contains(&w.end)), "{:?}", reading.waits);
    let nothing = read(25.0, 60, |_| stones(9, 0.0, 0.0, 1.0));
    assert!(nothing.moments.is_empty() && nothing.usable() == (0.0, 2.4), "no moment, but all of it can be used");
}

mod any {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(16))]
        #[test]
        fn whatever_is_seen_the_reading_is_well_formed(
            seed in any::<u32>(), frames in 1usize..40, rate in 5.0f64..31.0, cut in 0usize..40
        ) {
            let mut noise = seed;
            let mut reader = ClipReader::new(32, 20, rate);
            for i in 0..frames {
                let level = if i < cut { 40 } else { 200 };
                let frame: Vec<u8> = (0..frame_bytes(32, 20))
                    .map(|_| {
                        noise = noise.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                        (level + (noise >> 27)) as u8
                    })
                    .collect();
                reader.push(&frame).expect("a frame");
            }
            let reading = reader.finish().expect("a reading");
            for trace in [&reading.samples.motion, &reading.samples.shake, &reading.samples.sharpness, &reading.samples.exposure] {
                prop_assert!(trace.iter().all(|v| (0.0..=1.0).contains(v)), "{trace:?}");
            }
            for m in &reading.moments {
                prop_assert!(m.start >= 0.0 && m.start <= m.hit && m.hit <= m.end && m.end <= reading.duration + 1e-3, "{m:?}");
                prop_assert!((0.0..=100.0).contains(&m.energy) && !m.why.is_empty());
            }
            prop_assert!((0.0..=100.0).contains(&reading.energy(0.0, reading.duration)));
            prop_assert!(reading.shot_changes.iter().all(|c| *c > 0.0 && *c < reading.duration));
        }
    }
}

#[test]
fn an_energy_trace_tells_what_the_reading_tells() {
    let motion: Vec<f32> = (0..100).map(|i| ((i * 37) % 100) as f32 / 99.0).collect();
    let samples = Samples { step: STEP, motion, ..Samples::default() };
    let reading = ClipReading { duration: 10.0, samples, ..ClipReading::default() };
    let trace = EnergyTrace::from_bytes(EnergyTrace::of(&reading).bytes().to_vec());
    for (start, end) in [(0.0, 10.0), (1.2, 3.4), (9.9, 12.0), (-3.0, 0.5), (20.0, 30.0)] {
        let (exact, kept) = (reading.energy(start, end), trace.energy(start, end));
        assert!((exact - kept).abs() <= 0.25, "{start}–{end}: {exact} {kept}");
    }
    assert_eq!(EnergyTrace::default().energy(0.0, 1.0), 0.0);
}
