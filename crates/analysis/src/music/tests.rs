//! Sounds whose truth is known.

use super::*;
use legere_core::track::{CueKind, Label};
use proptest::prelude::*;
use std::f32::consts::TAU;

const RATE: f32 = READING_RATE as f32;

/// Silence of some seconds, to play into.
fn silence(seconds: f32) -> Vec<f32> {
    vec![0.0; (seconds * RATE) as usize]
}

fn play(into: &mut [f32], at: f32, seconds: f32, sound: impl Fn(f32) -> f32) {
    let from = (at * RATE).round() as usize;
    for i in 0..(seconds * RATE) as usize {
        if let Some(sample) = into.get_mut(from + i) {
            *sample += sound(i as f32 / RATE);
        }
    }
}

fn kick(t: f32) -> f32 {
    0.7 * (TAU * (55.0 * t + 5.0 * (1.0 - (-t * 30.0).exp()))).sin() * (-t * 14.0).exp()
}

fn hiss(t: f32) -> f32 {
    // A fixed scramble of the sample's number: noise without a generator.
    let n = ((t * RATE) as u32).wrapping_mul(2_654_435_761).rotate_left(13).wrapping_mul(40_503);
    n as f32 / u32::MAX as f32 * 2.0 - 1.0
}

/// A kick on the one, a tick on the other beats, a chord that changes with the bar.
fn band(into: &mut [f32], from: f32, bars: usize, metre: usize, bpm: f32, loud: f32) {
    let beat = 60.0 / bpm;
    for bar in 0..bars {
        let start = from + (bar * metre) as f32 * beat;
        let root = [110.0, 146.8, 98.0, 130.8][bar % 4];
        play(into, start, metre as f32 * beat, |t| {
            loud * 0.12 * ((root * t * TAU).sin() + (root * 1.5 * t * TAU).sin()) * (t * 200.0).min(1.0)
        });
        play(into, start, 0.3, |t| loud * kick(t));
        for b in 1..metre {
            play(into, start + b as f32 * beat, 0.06, |t| loud * 0.25 * hiss(t) * (-t * 70.0).exp());
        }
    }
}

fn read(samples: &[f32]) -> TrackReading {
    read_track(Audio::mono(samples)).expect("music")
}

/// The share of true beats with a found one within 35 ms, and of found ones that are true.
fn found(reading: &TrackReading, truth: &[f64]) -> (f64, f64) {
    let near = |list: &[f64], at: f64| list.iter().any(|t| (t - at).abs() <= 0.035);
    let beats: Vec<f64> = reading.beats.iter().map(|b| b.at).collect();
    let within: Vec<f64> =
        beats.iter().copied().filter(|b| *b > truth[0] - 0.2 && *b < truth[truth.len() - 1] + 0.2).collect();
    let recall = truth.iter().filter(|t| near(&beats, **t)).count() as f64 / truth.len() as f64;
    let precision = within.iter().filter(|b| near(truth, **b)).count() as f64 / within.len().max(1) as f64;
    (recall, precision)
}

#[test]
fn beats_are_found_at_many_tempos() {
    for bpm in [72.0f32, 90.0, 104.0, 120.0, 128.0, 138.0] {
        let bars = (24.0 * bpm / 240.0) as usize;
        let mut samples = silence(bars as f32 * 240.0 / bpm + 0.5);
        band(&mut samples, 0.0, bars, 4, bpm, 1.0);
        let reading = read(&samples);
        let truth: Vec<f64> = (0..bars * 4).map(|i| i as f64 * 60.0 / f64::from(bpm)).collect();
        let (recall, precision) = found(&reading, &truth);
        assert!(recall >= 0.97 && precision >= 0.97, "{bpm}: {recall:.2} {precision:.2} at {}", reading.tempo_bpm);
        assert!((reading.tempo_bpm / f64::from(bpm) - 1.0).abs() < 0.02, "{bpm}: {}", reading.tempo_bpm);
    }
}

#[test]
fn the_one_is_where_the_bass_and_the_harmony_say_so() {
    for (metre, from) in [(4, 0.0f32), (4, 1.7), (3, 0.6)] {
        let mut samples = silence(from + 16.0 * metre as f32 * 0.5 + 0.5);
        band(&mut samples, from, 16, metre, 120.0, 1.0);
        let reading = read(&samples);
        let ones: Vec<f64> = reading.beats.iter().filter(|b| b.beat == 1).map(|b| b.at).collect();
        let right = (0..16)
            .map(|bar| f64::from(from) + (bar * metre) as f64 * 0.5)
            .filter(|at| ones.iter().any(|o| (o - at).abs() < 0.035))
            .count();
        assert!(right >= 15, "metre {metre} from {from}: {right} of 16 in {ones:?}");
        let most = reading.beats.iter().map(|b| b.beat).max();
        assert_eq!(most, Some(metre as u32), "metre {metre}");
    }
}

#[test]
fn bars_count_up_and_beats_go_round() {
    let mut samples = silence(16.5);
    band(&mut samples, 0.0, 8, 4, 120.0, 1.0);
    let reading = read(&samples);
    for pair in reading.beats.windows(2) {
        assert!(pair[1].at > pair[0].at);
        let next = if pair[0].beat == 4 { (pair[0].bar + 1, 1) } else { (pair[0].bar, pair[0].beat + 1) };
        assert_eq!((pair[1].bar, pair[1].beat), next, "{pair:?}");
    }
    assert!(reading.beats.iter().all(|b| (0.0..=1.0).contains(&b.strength)));
}

#[test]
fn loud_and_dense_is_more_energy_than_quiet_and_bare() {
    let mut samples = silence(32.5);
    band(&mut samples, 0.0, 8, 4, 120.0, 0.12);
    band(&mut samples, 16.0, 8, 4, 120.0, 1.0);
    let reading = read(&samples);
    let (quiet, loud) = (reading.energy.mean(2.0, 14.0), reading.energy.mean(18.0, 30.0));
    assert!(loud > quiet + 20.0, "{quiet} {loud}");
    assert!(reading.energy.values.iter().all(|v| (0.0..=100.0).contains(v)));
    // Where the level changes a section changes, on the bar.
    assert!(reading.sections.iter().any(|s| (s.start - 16.0).abs() < 0.1), "{:?}", reading.sections);
}

#[test]
fn sections_cover_the_track_without_a_gap() {
    let mut samples = silence(40.0);
    band(&mut samples, 0.0, 4, 4, 120.0, 0.2);
    band(&mut samples, 8.0, 8, 4, 120.0, 0.8);
    band(&mut samples, 24.0, 6, 4, 120.0, 0.15);
    let reading = read(&samples);
    assert_eq!(reading.sections[0].start, 0.0);
    assert!((reading.sections[reading.sections.len() - 1].end - 40.0).abs() < 1e-6);
    assert!(reading.sections.windows(2).all(|w| w[0].end == w[1].start && w[0].start < w[0].end));
}

#[test]
fn a_pause_and_the_end_are_where_the_sound_stops() {
    let mut samples = silence(24.0);
    band(&mut samples, 0.0, 4, 4, 120.0, 0.8);
    band(&mut samples, 9.0, 4, 4, 120.0, 0.8);
    // The last bar is cut off at 17 s; the rest is silence.
    samples[(8.0 * RATE) as usize..(9.0 * RATE) as usize].fill(0.0);
    samples[(17.0 * RATE) as usize..].fill(0.0);
    let reading = read(&samples);
    let at = |kind| reading.cues.iter().filter(|c| c.kind == kind).map(|c| c.at).collect::<Vec<_>>();
    let pauses = at(CueKind::Pause);
    assert!(pauses.len() == 1 && (pauses[0] - 8.0).abs() < 0.03, "{pauses:?}");
    let lasts = reading.cues.iter().find(|c| c.kind == CueKind::Pause).and_then(|c| c.lasts);
    assert!(lasts.is_some_and(|l| (l - 1.0).abs() < 0.06), "{lasts:?}");
    assert!(reading.cues.iter().all(|c| c.kind == CueKind::Pause || c.lasts.is_none()));
    let ends = at(CueKind::End);
    assert!(ends.len() == 1 && (ends[0] - 17.0).abs() < 0.05, "{ends:?}");
}

#[test]
fn what_is_no_music_is_said() {
    assert_eq!(read_track(Audio::mono(&silence(1.0))), Err(ReadTrackError::TooShort));
    assert_eq!(read_track(Audio::mono(&silence(5.0))), Err(ReadTrackError::Silent));
    assert_eq!(read_track(Audio::mono(&[])), Err(ReadTrackError::TooShort));
}

#[test]
fn the_same_sound_gives_the_same_reading() {
    let mut samples = silence(12.0);
    band(&mut samples, 0.3, 5, 4, 110.0, 0.9);
    assert_eq!(read(&samples), read(&samples));
}

#[test]
fn a_quiet_copy_beats_alike() {
    let mut samples = silence(16.5);
    band(&mut samples, 0.0, 8, 4, 120.0, 0.9);
    let quiet: Vec<f32> = samples.iter().map(|s| s * 0.05).collect();
    let (loud, soft) = (read(&samples), read(&quiet));
    assert!((loud.tempo_bpm - soft.tempo_bpm).abs() < 1.0);
    assert!((loud.beats.len() as i64 - soft.beats.len() as i64).abs() <= 1);
}

#[test]
fn a_chord_shows_in_its_own_pitch_classes() {
    let mut samples = silence(4.0);
    // A, C sharp, E: classes 0, 4 and 7 counted from A.
    for hertz in [220.0f32, 277.18, 329.63] {
        play(&mut samples, 0.0, 4.0, |t| 0.2 * (hertz * t * TAU).sin());
    }
    let chroma = spectrum::Spectrum::of(&samples).mean_chroma(1.0, 3.0);
    let mut order: Vec<usize> = (0..12).collect();
    order.sort_by(|a, b| chroma[*b].total_cmp(&chroma[*a]));
    let mut top = order[..3].to_vec();
    top.sort_unstable();
    assert_eq!(top, [0, 4, 7], "{chroma:?}");
    assert!((chroma.iter().map(|v| v * v).sum::<f64>() - 1.0).abs() < 1e-6);
}

#[test]
fn band_energies_match_the_definition() {
    // The slow twin: a discrete Fourier transform by its definition, of the windowed frame in the middle.
    let mut samples = silence(1.0);
    play(&mut samples, 0.0, 1.0, |t| 0.4 * (500.0 * t * TAU).sin() + 0.2 * (3000.0 * t * TAU).sin());
    let fast = spectrum::Spectrum::of(&samples);
    let frame = fast.frame(50);
    let loudest = (0..frame.len()).max_by(|a, b| frame[*a].total_cmp(&frame[*b])).expect("bands");
    assert!(loudest.abs_diff(fast.band_above(500.0)) <= 1, "the strongest band is that of the strongest tone");
    let quiet = fast.band_above(1300.0);
    assert!(frame[quiet] < 0.2 * frame[loudest], "{} {}", frame[quiet], frame[loudest]);
}

/// A kick on one and three, a snare on two and four, a tick between; the second half of a beat where `swing` says.
fn kit(into: &mut [f32], beats: &[f32], swing: f32) {
    for (i, pair) in beats.windows(2).enumerate() {
        let (at, gap) = (pair[0], pair[1] - pair[0]);
        if i % 2 == 0 {
            play(into, at, 0.3, kick);
        } else {
            play(into, at, 0.15, |t| 0.4 * hiss(t) * (-t * 30.0).exp());
        }
        let root = [110.0, 146.8, 98.0, 130.8][i / 4 % 4];
        if i % 4 == 0 {
            play(into, at, 3.9 * gap, |t| {
                0.1 * ((root * t * TAU).sin() + (root * 1.5 * t * TAU).sin()) * (t * 200.0).min(1.0)
            });
        }
        play(into, at + gap * swing, 0.05, |t| 0.15 * hiss(t + 0.3) * (-t * 80.0).exp());
    }
}

fn even(from: f32, gap: f32, count: usize) -> Vec<f32> {
    (0..=count).map(|i| from + i as f32 * gap).collect()
}

fn as_truth(beats: &[f32]) -> Vec<f64> {
    beats[..beats.len() - 1].iter().map(|b| f64::from(*b)).collect()
}

#[test]
fn swing_is_not_taken_for_another_tempo() {
    for (bpm, swing) in [(132.0f32, 0.66f32), (92.0, 0.6)] {
        let beats = even(0.2, 60.0 / bpm, 64);
        let mut samples = silence(beats[64] + 1.0);
        kit(&mut samples, &beats, swing);
        let reading = read(&samples);
        assert!((reading.tempo_bpm / f64::from(bpm) - 1.0).abs() < 0.02, "{bpm}: {}", reading.tempo_bpm);
        let (recall, precision) = found(&reading, &as_truth(&beats));
        assert!(recall >= 0.97 && precision >= 0.95, "{bpm}: {recall} {precision}");
    }
}

#[test]
fn a_silent_lead_in_has_no_beats() {
    let beats = even(3.0, 0.5, 48);
    let mut samples = silence(beats[48] + 0.5);
    kit(&mut samples, &beats, 0.5);
    let reading = read(&samples);
    assert!((reading.beats[0].at - 3.0).abs() < 0.035, "{:?}", reading.beats[0]);
    assert_eq!(reading.beats[0].beat, 1);
}

#[test]
fn a_new_tempo_and_a_bending_one_are_followed() {
    let mut sudden = even(0.1, 0.6, 32);
    let from = sudden[32];
    sudden.extend((1..=40).map(|i| from + i as f32 * 0.5));
    let mut bending = vec![0.1f32];
    for i in 0..80 {
        let last = bending[bending.len() - 1];
        bending.push(last + 0.6 - 0.0018 * i as f32);
    }
    for beats in [sudden, bending] {
        let mut samples = silence(beats[beats.len() - 1] + 0.5);
        kit(&mut samples, &beats, 0.5);
        let (recall, precision) = found(&read(&samples), &as_truth(&beats));
        assert!(recall >= 0.93 && precision >= 0.93, "{recall} {precision}");
    }
}

#[test]
fn beats_in_three_parts_make_bars_of_two_or_four() {
    // Six-eight: a kick on one, a snare on four, ticks on all six; the tapped beat has three parts.
    let mut samples = silence(41.0);
    for bar in 0..32 {
        let at = 0.2 + bar as f32 * 1.2;
        play(&mut samples, at, 0.3, kick);
        play(&mut samples, at + 0.6, 0.15, |t| 0.35 * hiss(t) * (-t * 30.0).exp());
        for part in 0..6 {
            play(&mut samples, at + part as f32 * 0.2, 0.05, |t| 0.2 * hiss(t + 0.2) * (-t * 80.0).exp());
        }
        let root = [110.0, 146.8, 98.0, 130.8][bar % 4];
        play(&mut samples, at, 1.15, |t| {
            0.12 * ((root * t * TAU).sin() + (root * 1.5 * t * TAU).sin()) * (t * 200.0).min(1.0)
        });
    }
    let reading = read(&samples);
    assert!((reading.tempo_bpm - 100.0).abs() < 2.0, "{}", reading.tempo_bpm);
    let metre = reading.beats.iter().map(|b| b.beat).max().expect("beats");
    assert!(metre == 2 || metre == 4, "{metre}");
}

#[test]
fn what_comes_back_gets_its_letter_again() {
    let mut samples = silence(64.5);
    let part = |into: &mut [f32], from: f32, roots: [f32; 4], bright: f32, loud: f32| {
        for bar in 0..8 {
            let at = from + bar as f32 * 2.0;
            let root = roots[bar % 4];
            play(into, at, 2.0, |t| {
                loud * 0.12
                    * ((root * t * TAU).sin() + (root * 1.26 * t * TAU).sin() + bright * (root * 8.0 * t * TAU).sin())
            });
            for beat in 0..4 {
                play(into, at + beat as f32 * 0.5, 0.2, |t| loud * 0.5 * kick(t));
            }
        }
    };
    let (a, b) = ([110.0, 146.8, 98.0, 130.8], [116.5, 123.5, 138.6, 92.5]);
    part(&mut samples, 0.0, a, 0.0, 0.4);
    part(&mut samples, 16.0, b, 1.5, 1.0);
    part(&mut samples, 32.0, a, 0.0, 0.4);
    part(&mut samples, 48.0, b, 1.5, 1.0);
    let reading = read(&samples);
    let label = |at: f64| reading.sections.iter().rev().find(|s| s.start <= at).expect("a section").label;
    assert_eq!(label(8.0).letter, label(40.0).letter, "{:?}", reading.sections);
    assert_eq!(label(24.0).letter, label(56.0).letter, "{:?}", reading.sections);
    assert_ne!(label(8.0).letter, label(24.0).letter, "{:?}", reading.sections);
    assert_eq!(String::from(Label { letter: Some('B'), varied: true }), "B′");
    assert_eq!(Label::from("B′".to_owned()), Label { letter: Some('B'), varied: true });
}

#[test]
fn a_single_stroke_after_a_silence_is_a_hit() {
    let beats = even(0.1, 0.5, 40);
    let mut samples = silence(26.0);
    kit(&mut samples, &beats, 0.5);
    // Two bars of nothing, then one stroke that dies away.
    play(&mut samples, 24.1, 1.5, |t| 0.8 * (TAU * 82.0 * t).sin() * (-t * 4.0).exp());
    samples[(20.3 * RATE) as usize..(24.1 * RATE) as usize].fill(0.0);
    let reading = read(&samples);
    let hits: Vec<f64> = reading.cues.iter().filter(|c| c.kind == CueKind::Hit).map(|c| c.at).collect();
    assert!(hits.len() == 1 && (hits[0] - 24.1).abs() < 0.05, "{:?}", reading.cues);
}

#[test]
fn onsets_to_snap_to_are_where_something_begins() {
    let beats = even(0.5, 0.5, 30);
    let mut samples = silence(16.5);
    kit(&mut samples, &beats, 0.5);
    let reading = read(&samples);
    assert!(reading.onsets.windows(2).all(|w| w[1] > w[0]));
    for at in as_truth(&beats) {
        assert!(reading.onsets.iter().any(|o| (o - at).abs() < 0.012), "{at}");
    }
    assert!((0.0..=1.0).contains(&reading.confidence) && reading.confidence > 0.5, "{}", reading.confidence);
    assert!((-40.0..0.0).contains(&reading.loudness), "{}", reading.loudness);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    #[test]
    fn whatever_is_heard_the_reading_is_well_formed(
        seconds in 2.1f32..9.0, level in 0.01f32..1.0, tone in 30.0f32..4000.0, gate in 0.05f32..2.0
    ) {
        let mut samples = silence(seconds);
        play(&mut samples, 0.0, seconds, |t| {
            let on = if ((t / gate) as u32).is_multiple_of(2) { 1.0 } else { 0.02 };
            level * on * (0.5 * (tone * t * TAU).sin() + 0.5 * hiss(t))
        });
        let reading = read(&samples);
        prop_assert!((58.0..=200.0).contains(&reading.tempo_bpm) || reading.beats.len() < 3, "{}", reading.tempo_bpm);
        prop_assert!(reading.beats.iter().all(|b| b.at >= 0.0 && b.at <= reading.duration && b.beat >= 1));
        prop_assert!(reading.sections.iter().all(|s| s.start < s.end && (0.0..=100.0).contains(&s.energy)));
        prop_assert!(reading.cues.iter().all(|c| (0.0..=1.0).contains(&c.strength) && c.at <= reading.duration));
        let text = serde_json::to_string(&reading).expect("json");
        let back: TrackReading = serde_json::from_str(&text).expect("reads back");
        prop_assert_eq!((back.beats.len(), back.sections.len(), &back.cues.len()), (reading.beats.len(), reading.sections.len(), &reading.cues.len()));
    }
}
