//! How well footage is read, on drawn clips whose truth is known: `cargo xtask bench footage [fitting] [FOLDER-OF-PHOTOGRAPHS]`.
//! Drawing takes a few minutes the first time; the clips are kept.

use legere_analysis::evaluation::rank_correlation;
use legere_core::footage::ClipReading;
use legere_core::select::Movement;
use legere_research::footage::{Plan, Purpose, Second, Truth, corpus, over_photographs, shoot};
use legere_research::{each, kept};
use std::path::PathBuf;

struct Read {
    plan: Plan,
    truth: Truth,
    reading: ClipReading,
}

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|w| !w.starts_with('-')).collect();
    let tell = words.iter().any(|w| w == "tell");
    let folder = words.iter().map(PathBuf::from).find(|p| p.is_dir());
    let plans = match &folder {
        Some(folder) => over_photographs(&photographs(folder)),
        None if words.iter().any(|w| w == "fitting") => corpus(Purpose::Fitting),
        None => corpus(Purpose::Judging),
    };
    let only: Vec<&str> = words.iter().filter_map(|w| w.strip_prefix("only=")).collect();
    let plans: Vec<Plan> =
        plans.into_iter().filter(|p| only.is_empty() || only.iter().any(|o| p.name.contains(o))).collect();
    let kept = kept(env!("CARGO_TARGET_TMPDIR"));
    let runtime = tokio::runtime::Runtime::new().expect("a runtime");
    // Dealt out in turn, so that both halves take as long.
    let plans: Vec<Plan> =
        (0..2).flat_map(|half| plans.iter().skip(half).step_by(2).cloned().collect::<Vec<_>>()).collect();
    let mut read: Vec<Read> = each(&plans, |plan| {
        let file = kept.join(format!("{}.mp4", plan.name));
        shoot(plan, &file).expect("drawn");
        let (_, reading) = runtime.block_on(legere_media::light::read(&file)).expect("read");
        Read { plan: plan.clone(), truth: Truth::of(plan), reading }
    });
    read.sort_by(|a, b| a.plan.name.cmp(&b.plan.name));
    if tell {
        read.iter().for_each(tell_clip);
    }
    directions(&read);
    shake(&read);
    focus(&read);
    hits(&read);
    cuts(&read);
    moments(&read);
    motion(&read);
}

fn photographs(folder: &std::path::Path) -> Vec<PathBuf> {
    let entries = walkdir::WalkDir::new(folder).sort_by_file_name().into_iter().filter_map(Result::ok);
    let is_photograph = |p: &PathBuf| {
        p.extension()
            .is_some_and(|e| ["jpg", "jpeg", "png"].contains(&e.to_ascii_lowercase().to_string_lossy().as_ref()))
    };
    entries.map(walkdir::DirEntry::into_path).filter(is_photograph).collect()
}

fn mean(values: &[f32], step: f64, from: f64, to: f64) -> f64 {
    let a = ((from / step).round() as usize).min(values.len());
    let b = ((to / step).round() as usize).clamp(a, values.len());
    f64::from(values[a..b].iter().sum::<f32>()) / (b - a).max(1) as f64
}

fn directions(read: &[Read]) {
    let mut tally: Vec<(&str, u32, u32)> = Vec::new();
    let mut errors: Vec<(&str, Vec<f64>)> = vec![("pan", vec![]), ("tilt", vec![]), ("zoom", vec![])];
    let mut wrong = Vec::new();
    for r in read {
        for s in r.truth.seconds.iter().filter(|s| s.whole) {
            let Some(way) = s.way else { continue };
            let found = r.reading.movement(s.start, s.start + 1.0);
            let group = match way {
                Movement::Still => "still",
                Movement::Left | Movement::Right => "pan",
                Movement::Up | Movement::Down => "tilt",
                Movement::In | Movement::Out => "zoom",
            };
            let at = tally.iter().position(|t| t.0 == group).unwrap_or_else(|| {
                tally.push((group, 0, 0));
                tally.len() - 1
            });
            tally[at].1 += 1;
            if found == way {
                tally[at].2 += 1;
            } else {
                wrong.push(format!(
                    "{} {:.1} {} {:.3} read {}",
                    r.plan.name,
                    s.start,
                    way.word(),
                    s.speed,
                    found.word()
                ));
            }
            if s.speed > 0.0 && found == way {
                let samples = &r.reading.samples;
                let values = match group {
                    "pan" => &samples.pan,
                    "tilt" => &samples.tilt,
                    _ => &samples.zoom,
                };
                let v = mean(values, samples.step, s.start, s.start + 1.0).abs();
                if let Some((_, list)) = errors.iter_mut().find(|e| e.0 == group) {
                    list.push((v / s.speed - 1.0).abs());
                }
            }
        }
    }
    let moving: (u32, u32) = tally.iter().filter(|t| t.0 != "still").fold((0, 0), |a, t| (a.0 + t.1, a.1 + t.2));
    println!("direction of moving seconds  {:.4} of {}", f64::from(moving.1) / f64::from(moving.0.max(1)), moving.0);
    for (group, all, right) in tally {
        println!("  {group:<6} {right} of {all}");
    }
    for (group, mut list) in errors {
        list.sort_by(f64::total_cmp);
        if !list.is_empty() {
            println!(
                "  speed of {group}: median error {:.1} %, 90 % below {:.1} %",
                100.0 * list[list.len() / 2],
                100.0 * list[list.len() * 9 / 10]
            );
        }
    }
    wrong.iter().for_each(|w| println!("    {w}"));
}

/// How often one of the first is above one of the second.
fn auc(above: &[f64], below: &[f64]) -> f64 {
    let mut sum = 0.0;
    for a in above {
        for b in below {
            sum += if a > b {
                1.0
            } else if a == b {
                0.5
            } else {
                0.0
            };
        }
    }
    sum / (above.len() * below.len()).max(1) as f64
}

fn shake(read: &[Read]) {
    let value = |r: &Read, s: &Second| mean(&r.reading.samples.shake, r.reading.samples.step, s.start, s.start + 1.0);
    let all = |pick: &dyn Fn(&Read, &Second) -> bool| -> Vec<(f64, String)> {
        let mut list: Vec<(f64, String)> = read
            .iter()
            .flat_map(|r| {
                r.truth
                    .seconds
                    .iter()
                    .filter(|s| s.whole && pick(r, s))
                    .map(|s| (value(r, s), format!("{} {:.1}", r.plan.name, s.start)))
            })
            .collect();
        list.sort_by(|a, b| a.0.total_cmp(&b.0));
        list
    };
    let v = |list: &[(f64, String)]| list.iter().map(|l| l.0).collect::<Vec<f64>>();
    let shaky = all(&|_, s| s.shaky);
    let steady = all(&|_, s| s.steady);
    let pans = all(&|_, s| s.steady && s.way.is_some_and(|w| w != Movement::Still));
    let subjects = all(&|r, s| s.steady && (r.plan.kind == "subject" || r.plan.kind == "hit"));
    println!(
        "shake AUC {:.4} ({} shaky, {} steady); against pans {:.4}; against subjects {:.4}",
        auc(&v(&shaky), &v(&steady)),
        shaky.len(),
        steady.len(),
        auc(&v(&shaky), &v(&pans)),
        auc(&v(&shaky), &v(&subjects))
    );
    let (missed, called) = (shaky.iter().filter(|s| s.0 <= 0.5).count(), steady.iter().filter(|s| s.0 > 0.5).count());
    println!("  at one half: {missed} shaky seconds missed, {called} steady ones called shaky");
    for (v, name) in shaky.iter().take(4) {
        println!("    least shaky {v:.3} {name}");
    }
    for (v, name) in steady.iter().rev().take(6) {
        println!("    shakiest steady {v:.3} {name}");
    }
}

fn focus(read: &[Read]) {
    let (mut blurred, mut sharp) = (Vec::new(), Vec::new());
    let mut worst: Vec<(f64, String)> = Vec::new();
    for r in read {
        let value =
            |s: &Second| 1.0 - mean(&r.reading.samples.sharpness, r.reading.samples.step, s.start, s.start + 1.0);
        let soft: Vec<f64> = r.truth.seconds.iter().filter(|s| s.whole && s.blurred).map(value).collect();
        let crisp: Vec<f64> = r.truth.seconds.iter().filter(|s| s.whole && s.sharp).map(value).collect();
        if !soft.is_empty() && !crisp.is_empty() {
            worst.push((auc(&soft, &crisp), r.plan.name.clone()));
        }
        blurred.extend(soft);
        sharp.extend(crisp);
    }
    worst.sort_by(|a, b| a.0.total_cmp(&b.0));
    println!("blur AUC {:.4} pooled ({} blurred, {} sharp)", auc(&blurred, &sharp), blurred.len(), sharp.len());
    for (v, name) in worst.iter().take(5) {
        println!("    within {name} {v:.3}");
    }
    let veiled = |r: &Read, s: &Second| {
        r.reading.faults().iter().any(|f| {
            f.kind == legere_core::footage::FaultKind::Soft && f.start < s.start + 0.7 && f.end > s.start + 0.3
        })
    };
    let mut counts = [0; 4];
    for r in read {
        for s in r.truth.seconds.iter().filter(|s| s.whole) {
            if s.blurred {
                counts[0] += 1;
                counts[1] += usize::from(veiled(r, s));
            } else if s.sharp {
                counts[2] += 1;
                if veiled(r, s) {
                    counts[3] += 1;
                    println!("    sharp but veiled: {} {:.1}", r.plan.name, s.start);
                }
            }
        }
    }
    println!("  veiled: {} of {} blurred, {} of {} sharp", counts[1], counts[0], counts[3], counts[2]);
}

fn hits(read: &[Read]) {
    let (mut right, mut all) = (0, 0);
    for r in read {
        let Some(hit) = r.truth.hit else { continue };
        all += 1;
        let found = r.reading.moments.first().map(|m| m.hit);
        let off = found.map(|f| (f - hit) * r.plan.fps());
        if off.is_some_and(|o| o.abs() <= 3.0) {
            right += 1;
        } else {
            println!("    hit {} at {hit:.2}: {found:?} ({off:?} frames)", r.plan.name);
        }
    }
    println!("hits within 3 frames {right} of {all}");
}

fn cuts(read: &[Read]) {
    let (mut found, mut told, mut all) = (0, 0, 0);
    let (mut dissolves, mut dissolved) = (0, 0);
    for r in read {
        let near = 2.0 / r.plan.fps() + 1e-3;
        // Into and out of black is neither asked nor wrong.
        let black: Vec<f64> = r.truth.bad.iter().flat_map(|b| [b.0, b.1]).collect();
        let changes: Vec<f64> = r.reading.shot_changes.clone();
        all += r.truth.cuts.len();
        for cut in &r.truth.cuts {
            if changes.iter().any(|c| (c - cut).abs() <= near) {
                found += 1;
            } else {
                println!("    missed cut {} {cut:.2}", r.plan.name);
            }
        }
        for d in &r.truth.dissolves {
            dissolves += 1;
            dissolved += u32::from(changes.iter().any(|c| (c - d).abs() <= 0.5));
        }
        for c in &changes {
            let of_cut = r.truth.cuts.iter().any(|t| (c - t).abs() <= near);
            let of_dissolve = r.truth.dissolves.iter().any(|t| (c - t).abs() <= 0.7);
            let of_black = r.plan.kind == "cuts" && black.iter().any(|t| (c - t).abs() <= 0.1);
            if of_cut || !of_dissolve && !of_black {
                told += 1;
            }
            if !of_cut && !of_dissolve && !of_black {
                println!("    no cut {} {c:.2}", r.plan.name);
            }
        }
    }
    let (recall, precision) = (found as f64 / f64::from(all as u32).max(1.0), found as f64 / f64::from(told).max(1.0));
    println!(
        "hard cuts F {:.3} (recall {recall:.3}, precision {precision:.3}, {all} cuts), dissolves {dissolved} of {dissolves}",
        2.0 * recall * precision / (recall + precision).max(1e-9)
    );
}

fn moments(read: &[Read]) {
    let (mut all, mut over_bad, mut over_cut, mut none) = (0, 0, 0, 0);
    for r in read {
        none += usize::from(r.reading.moments.is_empty());
        for m in &r.reading.moments {
            all += 1;
            let bad: f64 = r.truth.bad.iter().map(|b| (m.end.min(b.1) - m.start.max(b.0)).max(0.0)).fold(0.0, f64::max);
            if bad > 0.1 {
                over_bad += 1;
                println!("    over bad {} {:.2}–{:.2}: {bad:.2} s, {:?}", r.plan.name, m.start, m.end, r.truth.bad);
            }
            if r.truth.cuts.iter().chain(&r.truth.dissolves).any(|c| m.start < c - 0.05 && m.end > c + 0.05) {
                over_cut += 1;
                println!("    over a cut {} {:.2}–{:.2}", r.plan.name, m.start, m.end);
            }
        }
    }
    println!("moments {all}; over a bad part {over_bad}, across a cut {over_cut}; clips without one {none}");
}

fn motion(read: &[Read]) {
    let (mut flow, mut energy) = (Vec::new(), Vec::new());
    let (mut clip_flow, mut clip_energy) = (Vec::new(), Vec::new());
    let mut rows = Vec::new();
    for r in read {
        let step = r.reading.samples.step;
        let list: Vec<(f64, f64)> = r
            .truth
            .seconds
            .iter()
            .filter(|s| s.whole && s.steady)
            .map(|s| (s.flow, mean(&r.reading.samples.motion, step, s.start, s.start + 1.0)))
            .collect();
        if list.is_empty() {
            continue;
        }
        let n = list.len() as f64;
        clip_flow.push(list.iter().map(|l| l.0).sum::<f64>() / n);
        clip_energy.push(list.iter().map(|l| l.1).sum::<f64>() / n);
        rows.push((clip_flow[clip_flow.len() - 1], clip_energy[clip_energy.len() - 1], r.plan.name.clone()));
        flow.extend(list.iter().map(|l| l.0));
        energy.extend(list.iter().map(|l| l.1));
    }
    println!(
        "motion against flow: {:.3} pooled over {} seconds, {:.3} between clips",
        rank_correlation(&flow, &energy),
        flow.len(),
        rank_correlation(&clip_flow, &clip_energy)
    );
    rows.sort_by(|a, b| a.0.total_cmp(&b.0));
    if std::env::args().any(|w| w == "tell") {
        rows.iter().for_each(|r| println!("    {:.3} {:.3} {}", r.0, r.1, r.2));
    }
}

fn tell_clip(r: &Read) {
    let s = &r.reading.samples;
    println!("{} {:.2} fps {:.1} s", r.plan.name, r.plan.fps(), r.reading.duration);
    for second in r.truth.seconds.iter().filter(|x| x.start.fract() == 0.0) {
        let (a, b) = (second.start, second.start + 1.0);
        let m = |v: &[f32]| mean(v, s.step, a, b);
        println!(
            "   {a:.0} {:?} {:.3} shaky {} blur {} flow {:.3} | pan {:+.3} tilt {:+.3} zoom {:+.3} shake {:.2} sharp {:.2} light {:.2} motion {:.2}",
            second.way,
            second.speed,
            second.shaky,
            second.blurred,
            second.flow,
            m(&s.pan),
            m(&s.tilt),
            m(&s.zoom),
            m(&s.shake),
            m(&s.sharpness),
            m(&s.exposure),
            m(&s.motion)
        );
    }
    println!(
        "   cuts {:?} read {:?}; hit {:?} moments {:?}",
        r.truth.cuts,
        r.reading.shot_changes,
        r.truth.hit,
        r.reading.moments.iter().map(|m| (m.start, m.hit, m.end)).collect::<Vec<_>>()
    );
}
