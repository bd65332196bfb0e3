//! The camera's path: what the hand wanted, and what it did not; and how much moves.

use super::camera::Warp;
use super::focus::Focus;
use super::shots::Change;
use super::{FrameMeasure, STEP, Samples, Subject, moving_mean, saturate};
use std::ops::Range;

/// Seconds over which a wanted movement is even.
const WANTED: f64 = 0.5;
/// Seconds over which a trembling is measured.
const TREMBLING: f64 = 0.35;
/// Frame widths a second of trembling that make 1 − 1/e of full shake.
const SHAKE: f32 = 0.085;
/// Frame widths a second of mean way that make 1 − 1/e of full motion.
const MOTION: f32 = 0.22;
/// Share of the points that follow the camera, below which nothing is known of it, and from which all is.
const DOUBTFUL: f32 = 0.35;
const SURE: f32 = 0.75;
/// The share of a frame's time for which a shutter is open.
const SMEARED: f32 = 0.5;
/// The sharpness of a shot in which nothing could be sharp.
const UNKNOWN: f32 = 0.5;
/// Frame widths within which a camera sees the same.
const THERE: f32 = 0.04;
/// Frame widths a second from which a camera is whipped round.
const WHIP: f32 = 0.9;
/// How much a turn or a scale of one moves the picture, in frame widths.
const LEVER: f32 = 0.27;

/// Traces with a value per frame.
pub struct FrameTraces {
    /// What a reading says.
    traces: Samples,
    /// What moves besides the camera, in frame widths a second: the whole picture's mean and that of its liveliest parts.
    pub subject: Vec<f32>,
    pub liveliest: Vec<f32>,
    /// Share of the picture that moves.
    area: Vec<f32>,
}

impl FrameTraces {
    pub fn of(measures: &[FrameMeasure], changes: &[Change], rate: f64, aspect: f32) -> Self {
        let fps = rate as f32;
        let count = measures.len();
        let each = |of: &dyn Fn(&FrameMeasure) -> f32| -> Vec<f32> { measures.iter().map(of).collect() };
        let mut traces = Self {
            traces: Samples {
                step: 1.0 / rate,
                motion: vec![0.0; count],
                shake: vec![0.0; count],
                sharpness: vec![0.0; count],
                exposure: each(&|m| m.tones.mean),
                pan: vec![0.0; count],
                tilt: vec![0.0; count],
                zoom: vec![0.0; count],
                crushed: each(&|m| m.tones.crushed),
                clipped: each(&|m| m.tones.clipped),
                warmth: each(&|m| m.tones.warmth),
                subject_x: each(&|m| m.step.subject.x),
                subject_y: each(&|m| m.step.subject.y * aspect),
            },
            subject: each(&|m| m.step.subject.way * fps),
            liveliest: each(&|m| m.step.subject.most * fps),
            area: each(&|m| m.step.subject.area),
        };
        for shot in shots(changes, count) {
            traces.shot(&measures[shot.clone()], shot, fps, aspect);
        }
        traces
    }

    fn shot(&mut self, measures: &[FrameMeasure], shot: Range<usize>, fps: f32, aspect: f32) {
        let rate = f64::from(fps);
        let of = |pick: fn(&FrameMeasure) -> f32| -> Vec<f32> { measures.iter().map(|m| pick(m) * fps).collect() };
        // The picture goes left when the camera goes right.
        let across = of(|m| -m.step.warp.dx);
        let along = of(|m| m.step.warp.dy);
        let inward = of(|m| m.step.warp.s);
        let round = of(|m| m.step.warp.r);
        let reach = ((WANTED * rate).round() as usize).max(3);
        let smooth = |v: &[f32]| moving_mean(&moving_mean(v, reach / 3), reach * 2 / 3);
        // What moves while the shutter is open is smeared, not out of focus. Sharpness is that of the better of two directions, so
        // only what goes both ways at once counts.
        let sharp: Vec<Option<f32>> = measures
            .iter()
            .map(|m| {
                let width = f32::from(super::LONGER_SIDE as u16);
                let smear = SMEARED * width * m.step.warp.dx.abs().min(m.step.warp.dy.abs());
                m.focus.map(|focus| focus.sharpness(smear))
            })
            .collect();
        self.traces.sharpness[shot.clone()].copy_from_slice(&filled(&sharp, &across, &along, fps));
        let (pan, tilt, zoom, roll) = (smooth(&across), smooth(&along), smooth(&inward), smooth(&round));
        let mut power = vec![0.0f32; measures.len()];
        for (v, lever) in [(&across, 1.0), (&along, 1.0), (&inward, LEVER), (&round, LEVER)] {
            for (p, u) in power.iter_mut().zip(unwanted(v, reach)) {
                *p += (lever * u).powi(2);
            }
        }
        for (p, m) in power.iter_mut().zip(measures) {
            // Where things fly about all over the picture, little can be said of the camera.
            *p *= ((m.step.agreed - DOUBTFUL) / (SURE - DOUBTFUL)).clamp(0.0, 1.0);
        }
        // Who whips round does not tremble.
        let fastest = |i: usize| {
            let around = i.saturating_sub(reach * 3 / 4)..(i + reach * 3 / 4 + 1).min(pan.len());
            around.map(|k| pan[k].hypot(tilt[k])).fold(0.0, f32::max)
        };
        for (i, p) in power.iter_mut().enumerate() {
            *p /= 1.0 + (fastest(i) / WHIP).powi(4);
        }
        let window = ((TREMBLING * rate).round() as usize).max(3);
        let shake = whole_windows(&power, window);
        let motion: Vec<f32> = (0..measures.len())
            .map(|i| {
                let wanted = Warp { dx: -pan[i], dy: tilt[i], s: zoom[i], r: roll[i] };
                mean_way(&wanted, &measures[i].step.subject, fps, aspect)
            })
            .collect();
        let motion = moving_mean(&motion, ((0.12 * rate) as usize).max(1));
        for (k, i) in shot.enumerate() {
            self.traces.shake[i] = saturate(shake[k].sqrt(), SHAKE);
            self.traces.motion[i] = saturate(motion[k], MOTION);
            self.traces.pan[i] = pan[k];
            self.traces.tilt[i] = tilt[k] * aspect;
            self.traces.zoom[i] = zoom[k];
        }
    }

    /// Means over [`STEP`], rounded to what can be distinguished.
    pub fn samples(&self, rate: f64) -> Samples {
        let pooled = |of: &[f32]| pooled(of, rate);
        let all = &self.traces;
        Samples {
            step: STEP,
            motion: pooled(&all.motion),
            shake: pooled(&all.shake),
            sharpness: pooled(&all.sharpness),
            exposure: pooled(&all.exposure),
            pan: pooled(&all.pan),
            tilt: pooled(&all.tilt),
            zoom: pooled(&all.zoom),
            crushed: pooled(&all.crushed),
            clipped: pooled(&all.clipped),
            warmth: pooled(&all.warmth),
            subject_x: pooled(&all.subject_x),
            subject_y: pooled(&all.subject_y),
        }
    }

    /// The share of the picture that moves, while something does; none where nothing does for a second.
    pub fn usual_area(&self) -> Option<f32> {
        let mut moving: Vec<f32> = self
            .area
            .iter()
            .zip(&self.liveliest)
            .filter(|(a, way)| **a > 0.004 && **way > 0.03)
            .map(|(a, _)| *a)
            .collect();
        if moving.len() < 20 {
            return None;
        }
        moving.sort_by(f32::total_cmp);
        Some(moving[moving.len() / 2])
    }
}

/// The mean way of the points of the picture a second: the camera's where nothing moves besides, both together where it does.
fn mean_way(camera: &Warp, subject: &Subject, fps: f32, aspect: f32) -> f32 {
    let alone = camera.mean_way(aspect);
    let area = subject.area;
    if area <= 0.0 {
        return alone;
    }
    // The way of what moves, most of it in one direction or in all.
    let length = subject.way / area;
    let straight = subject.dx.hypot(subject.dy).min(length);
    let scattered = (length * length - straight * straight).max(0.0);
    let there = camera.at(subject.x, subject.y);
    let together =
        ((there.0 + subject.dx * fps).powi(2) + (there.1 + subject.dy * fps).powi(2) + scattered * fps * fps).sqrt();
    (1.0 - area) * alone + area * together
}

/// The sharpness of a bare wall is that of the rest of its shot; but where the camera stands before what had edges a moment ago, it
/// has lost them. `across` and `along`: the way of the camera at each frame, a second.
fn filled(sharp: &[Option<f32>], across: &[f32], along: &[f32], fps: f32) -> Vec<f32> {
    let mut known: Vec<f32> = sharp.iter().flatten().copied().collect();
    if known.is_empty() {
        return vec![UNKNOWN; sharp.len()];
    }
    known.sort_by(f32::total_cmp);
    let usual = known[known.len() / 2];
    let mut filled: Vec<f32> = sharp.iter().map(|s| s.unwrap_or(usual)).collect();
    // From each side, how far the camera has gone since something was to be seen.
    for forward in [true, false] {
        let mut gone: Option<(f32, f32)> = None;
        for k in 0..sharp.len() {
            let i = if forward { k } else { sharp.len() - 1 - k };
            if sharp[i].is_some() {
                gone = Some((0.0, 0.0));
            } else if let Some((x, y)) = &mut gone {
                *x += across[i] / fps;
                *y += along[i] / fps;
                if x.hypot(*y) < THERE {
                    filled[i] = Focus::LOST.sharpness(0.0);
                }
            }
        }
    }
    filled
}

/// The frames of each shot.
pub fn shots(changes: &[Change], count: usize) -> Vec<Range<usize>> {
    let mut starts = vec![0];
    starts.extend(changes.iter().map(|c| c.at()));
    starts.push(count);
    starts.windows(2).filter(|w| w[0] < w[1]).map(|w| w[0]..w[1]).collect()
}

/// What is left of a path when a parabola is taken out around each instant (Savitzky and Golay 1964): slower changes are wanted.
fn unwanted(path: &[f32], reach: usize) -> Vec<f32> {
    let half = (reach / 2).max(2) as isize;
    let n = path.len() as isize;
    (0..n)
        .map(|i| {
            let (from, to) = ((i - half).max(0), (i + half).min(n - 1));
            // Moments of the window around i.
            let (mut s, mut b) = ([0.0f64; 5], [0.0f64; 3]);
            for k in from..=to {
                let x = (k - i) as f64 / half as f64;
                let (v, mut power) = (f64::from(path[k as usize]), 1.0);
                for (p, sum) in s.iter_mut().enumerate() {
                    *sum += power;
                    if p < 3 {
                        b[p] += power * v;
                    }
                    power *= x;
                }
            }
            path[i as usize] - intercept(s, b).unwrap_or(f64::from(path[i as usize])) as f32
        })
        .collect()
}

/// The constant of the parabola that fits best, by Cramer's rule.
fn intercept(s: [f64; 5], b: [f64; 3]) -> Option<f64> {
    let det = |m: [[f64; 3]; 3]| {
        m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) - m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0])
            + m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0])
    };
    let whole = det([[s[0], s[1], s[2]], [s[1], s[2], s[3]], [s[2], s[3], s[4]]]);
    (whole.abs() > 1e-9).then(|| det([[b[0], s[1], s[2]], [b[1], s[2], s[3]], [b[2], s[3], s[4]]]) / whole)
}

/// Means over windows of the same length everywhere: at the ends that of the first or the last, so that one doubtful frame counts
/// there no more than elsewhere.
fn whole_windows(values: &[f32], length: usize) -> Vec<f32> {
    let (n, half) = (values.len(), length / 2);
    let means = moving_mean(values, length);
    (0..n).map(|i| means[if n > 2 * half { i.clamp(half, n - 1 - half) } else { n / 2 }]).collect()
}

fn pooled(values: &[f32], rate: f64) -> Vec<f32> {
    let count = ((values.len() as f64 / rate) / STEP).ceil().max(1.0) as usize;
    (0..count)
        .map(|i| {
            let from = ((i as f64 * STEP * rate) as usize).min(values.len() - 1);
            let to = (((i + 1) as f64 * STEP * rate) as usize).clamp(from + 1, values.len());
            let mean = values[from..to].iter().sum::<f32>() / (to - from) as f32;
            (mean * 10_000.0).round() / 10_000.0
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn shots_lie_between_changes_and_a_dissolve_parts_in_its_middle() {
        let changes = [Change::Cut { at: 10 }, Change::Dissolve { from: 20, to: 30 }];
        assert_eq!(shots(&changes, 40), [0..10, 10..25, 25..40]);
        assert_eq!(shots(&[], 5).first(), Some(&(0..5)));
        assert!(shots(&[], 0).is_empty());
    }

    #[test]
    fn what_a_hand_wanted_leaves_nothing_over_and_a_tremble_does() {
        // A pan that sets out, goes and comes to rest within four seconds.
        let pan: Vec<f32> = (0..100).map(|i| 0.2 * (i as f32 / 99.0 * std::f32::consts::PI).sin()).collect();
        let most = |v: Vec<f32>| v.into_iter().fold(0.0f32, |a, u| a.max(u.abs()));
        assert!(most(unwanted(&pan, 13)) < 0.004);
        let trembling: Vec<f32> = (0..100).map(|i| pan[i] + 0.1 * (i as f32 * 1.6).sin()).collect();
        assert!(most(unwanted(&trembling, 13)) > 0.05);
    }

    #[test]
    fn the_mean_way_is_the_cameras_and_that_of_what_moves() {
        let pan = Warp { dx: -0.2, ..Warp::default() };
        let nothing = Subject::default();
        assert!((mean_way(&pan, &nothing, 25.0, 16.0 / 9.0) - 0.2).abs() < 1e-4);
        let still = Warp::default();
        // A fifth of the picture goes to the right by .4 of a width a second.
        let walker = Subject { area: 0.2, way: 0.2 * 0.016, dx: 0.016, ..Subject::default() };
        assert!((mean_way(&still, &walker, 25.0, 16.0 / 9.0) - 0.08).abs() < 1e-4);
        // It is followed: against the frame it stands, and the rest goes by.
        let followed = Subject { dx: 0.008, way: 0.2 * 0.008, area: 0.2, ..Subject::default() };
        assert!((mean_way(&pan, &followed, 25.0, 16.0 / 9.0) - 0.16).abs() < 1e-3);
    }

    #[test]
    fn a_bare_wall_is_as_sharp_as_its_shot_and_what_lost_its_edges_is_blurred() {
        let flattest = Focus::LOST.sharpness(0.0);
        let sharp: Vec<Option<f32>> = (0..60).map(|i| (i < 30).then_some(0.5)).collect();
        let still = vec![0.0; 60];
        let lost = filled(&sharp, &still, &still, 25.0);
        assert!(lost[..30].iter().all(|v| *v == 0.5) && lost[30..].iter().all(|v| *v == flattest), "{lost:?}");
        // Half a width a second: after two frames something else is seen.
        let pan = vec![0.5; 60];
        let wall = filled(&sharp, &pan, &still, 25.0);
        assert!(wall[33..].iter().all(|v| *v == 0.5), "{wall:?}");
        assert_eq!(filled(&[None, None], &[0.0; 2], &[0.0; 2], 25.0), [UNKNOWN; 2], "nothing could be sharp");
        let begins: Vec<Option<f32>> = (0..60).map(|i| (i > 20).then_some(0.5)).collect();
        assert!(filled(&begins, &still, &still, 25.0)[..20].iter().all(|v| *v == flattest), "also before it is found");
    }

    #[test]
    fn one_doubtful_frame_counts_at_the_end_as_it_does_elsewhere() {
        let with = |at: usize| {
            let mut values = vec![0.0f32; 60];
            values[at] = 1.0;
            whole_windows(&values, 9).into_iter().fold(0.0, f32::max)
        };
        assert!((with(59) - with(30)).abs() < 1e-6 && (with(0) - with(30)).abs() < 1e-6);
        assert_eq!(whole_windows(&[1.0, 2.0, 6.0], 9), [3.0; 3], "shorter than a window");
        assert!(whole_windows(&[], 9).is_empty());
    }

    proptest! {
        #[test]
        fn pooling_keeps_the_mean_at_any_rate(rate in 5.0f64..130.0, seconds in 1usize..6, level in 0.0f32..1.0) {
            let values = vec![level; (rate * seconds as f64) as usize];
            let pooled = pooled(&values, rate);
            prop_assert!((pooled.len() as f64 * STEP - values.len() as f64 / rate).abs() < STEP + 1e-9);
            prop_assert!(pooled.iter().all(|v| (v - level).abs() < 1e-4));
        }
    }
}
