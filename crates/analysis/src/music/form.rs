//! Sections and cues: how the piece is built.
//!
//! Bars are described by timbre, harmony and energy; the cheapest way to cut the row of bars into stretches, in
//! each of which these stay or run along a straight line, gives the boundaries (dynamic programming over all cuts, so
//! a build is one rising stretch and not a staircase). Lengths that are whole phrases cost less. Sections whose
//! harmony goes the same way get the same letter. The kinds follow from the energy of a section, its slope and what
//! stands before and after it.

use super::spectrum::{FRAME_RATE, PitchClasses, Spectrum};
use super::time_range::TimeRange;
use super::{Audio, READING_RATE};
use legere_core::stats::median;
use legere_core::track::{Beat, Cue, CueKind, Label, Section, SectionKind, Trace};

const LONGEST_BARS: usize = 64;
/// What a further boundary costs, in summed squared deviations per feature: at least, and by how much bars differ
/// from their neighbours anyway.
const BOUNDARY_COST: f64 = 0.4;
const BOUNDARY_COST_PER_VARIANCE: f64 = 3.2;
/// What a slope costs, against a boundary: it explains more than standing still.
const SLOPE_COST: f64 = 0.35;
const TIMBRE_VALUES: usize = 12;

pub fn sections_and_cues(
    beats: &[Beat],
    spectrum: &Spectrum,
    energy: &Trace,
    audio: Audio<'_>,
) -> (Vec<Section>, Vec<Cue>) {
    let duration = audio.duration();
    let bars = bar_starts(beats, duration);
    let silences = pauses(silences(audio.samples), energy, duration);
    let music_end = music_end(audio.samples).unwrap_or(duration);
    let bounds = boundaries(&bars, spectrum, energy, music_end);
    let mut sections: Vec<Section> = bounds
        .windows(2)
        .map(|w| {
            // The last chord dies away; that is not how loud its section is.
            let end = if w[1] > music_end - 1.0 { (music_end - 1.5).max((w[0] + w[1]) / 2.0) } else { w[1] };
            Section::new(w[0], w[1], SectionKind::Groove, round1(energy.mean(w[0], end)))
        })
        .collect();
    assign_kinds(&mut sections, energy);
    assign_labels(&mut sections, &bars, spectrum);
    let sections = merge_alike(sections, spectrum);
    let cues = cues(&sections, energy, &silences, music_end, duration);
    (sections, cues)
}

fn round1(v: f64) -> f64 {
    (v * 10.0).round() / 10.0
}

/// Where the bars begin, from the first sound on, with the end of the track behind them.
fn bar_starts(beats: &[Beat], duration: f64) -> Vec<f64> {
    let mut starts: Vec<f64> = beats.iter().filter(|b| b.beat == 1).map(|b| b.at).collect();
    starts.push(duration);
    if starts.len() < 2 {
        return vec![0.0, duration];
    }
    starts
}

/// Section boundaries in seconds, from 0 to the end of the track.
fn boundaries(bars: &[f64], spectrum: &Spectrum, energy: &Trace, music_end: f64) -> Vec<f64> {
    let duration = bars[bars.len() - 1];
    let features = bar_features(bars, spectrum, energy);
    let n = features.len();
    let dims = features.first().map_or(0, Vec::len);
    let boundary = BOUNDARY_COST + BOUNDARY_COST_PER_VARIANCE * bar_to_bar_variance(&features);
    let mut cost = vec![f64::MAX; n + 1];
    let mut from = vec![0usize; n + 1];
    cost[0] = 0.0;
    for start in 0..n {
        if cost[start] == f64::MAX {
            continue;
        }
        let mut line = LineFit::new(dims);
        for end in start + 1..=(start + LONGEST_BARS).min(n) {
            line.add(&features[end - 1]);
            let length = end - start;
            let phrase = match length {
                l if l % 8 == 0 => 0.65,
                l if l % 4 == 0 => 0.8,
                l if l % 2 == 0 => 1.2,
                _ => 1.5,
            };
            let short = if length < 4 && end != n && start != 0 { 1.5 } else { 0.0 };
            let (still, sloped) = line.residuals();
            let unlike = (still / dims as f64).min(sloped / dims as f64 + SLOPE_COST * boundary);
            let total = cost[start] + unlike + boundary * (phrase + short);
            if total < cost[end] {
                (cost[end], from[end]) = (total, start);
            }
        }
    }
    let mut cuts = vec![n];
    let mut at = n;
    while at > 0 {
        at = from[at];
        cuts.push(at);
    }
    cuts.reverse();
    let mut bounds: Vec<f64> = cuts.iter().map(|c| bars[*c]).collect();
    bounds[0] = 0.0;
    if let Some(last) = bounds.last_mut() {
        *last = duration;
    }
    // A tail of a last chord and silence is part of the last section.
    let bar = if n > 1 { (bars[n - 1] - bars[0]) / (n - 1) as f64 } else { 2.0 };
    while bounds.len() > 2 && bounds[bounds.len() - 2] > music_end - 1.5 * bar {
        bounds.remove(bounds.len() - 2);
    }
    bounds
}

fn bar_features(bars: &[f64], spectrum: &Spectrum, energy: &Trace) -> Vec<Vec<f64>> {
    let mut rows: Vec<Vec<f64>> = bars
        .windows(2)
        .map(|w| {
            let mut row = spectrum.mean_bands(w[0], w[1], TIMBRE_VALUES);
            // Energy weighs as much as a third of the timbre: it is what the pictures follow.
            let e = energy.mean(w[0], w[1]);
            row.extend([e; 4]);
            row
        })
        .collect();
    let dims = rows.first().map_or(0, Vec::len);
    for d in 0..dims {
        let n = rows.len() as f64;
        let mean = rows.iter().map(|r| r[d]).sum::<f64>() / n;
        let deviation = (rows.iter().map(|r| (r[d] - mean).powi(2)).sum::<f64>() / n).sqrt().max(1e-6);
        rows.iter_mut().for_each(|r| r[d] = (r[d] - mean) / deviation);
    }
    rows
}

/// Running sums for the residual of a straight line through each feature.
struct LineFit {
    n: f64,
    sx: f64,
    sxx: f64,
    sy: Vec<f64>,
    sxy: Vec<f64>,
    syy: Vec<f64>,
}

impl LineFit {
    fn new(dims: usize) -> Self {
        Self { n: 0.0, sx: 0.0, sxx: 0.0, sy: vec![0.0; dims], sxy: vec![0.0; dims], syy: vec![0.0; dims] }
    }

    fn add(&mut self, row: &[f64]) {
        let x = self.n;
        self.n += 1.0;
        self.sx += x;
        self.sxx += x * x;
        for (d, y) in row.iter().enumerate() {
            self.sy[d] += y;
            self.sxy[d] += x * y;
            self.syy[d] += y * y;
        }
    }

    /// What is left over when the features stand still, and when they run along a line.
    fn residuals(&self) -> (f64, f64) {
        let spread = self.sxx - self.sx * self.sx / self.n;
        let (mut still, mut sloped) = (0.0, 0.0);
        for d in 0..self.sy.len() {
            let total = (self.syy[d] - self.sy[d] * self.sy[d] / self.n).max(0.0);
            let along = self.sxy[d] - self.sx * self.sy[d] / self.n;
            // A slope needs a phrase to show itself; in fewer bars it would explain any jump away.
            let explained = if self.n >= 4.0 && spread > 0.0 { along * along / spread } else { 0.0 };
            still += total;
            sloped += (total - explained).max(0.0);
        }
        (still, sloped)
    }
}

/// How much a bar differs from the next one on average within sections: half the median squared difference.
fn bar_to_bar_variance(features: &[Vec<f64>]) -> f64 {
    let mut differences: Vec<f64> = features
        .windows(2)
        .map(|w| w[0].iter().zip(&w[1]).map(|(a, b)| (a - b).powi(2)).sum::<f64>() / w[0].len().max(1) as f64 / 2.0)
        .collect();
    median(&mut differences).unwrap_or(0.0)
}

/// How far apart, in energy, two sections must be for the louder to be a drop after the quieter.
const DROP_RISE: f64 = 9.0;
/// The fall in energy that makes a break.
const BREAK_FALL: f64 = 9.0;

fn assign_kinds(sections: &mut [Section], energy: &Trace) {
    let Some(highest) = sections.iter().map(|s| s.energy).reduce(f64::max) else { return };
    let lowest = sections.iter().map(|s| s.energy).fold(f64::MAX, f64::min);
    let range = (highest - lowest).max(1.0);
    let flat = range < 12.0;
    let last = sections.len() - 1;
    // The loudest so far, against which a break falls.
    let mut height = 0.0f64;
    for i in 0..sections.len() {
        let here = sections[i];
        let before = i.checked_sub(1).map(|p| sections[p]);
        let after = sections.get(i + 1).copied();
        let third = (here.end - here.start) / 3.0;
        let rise = energy.mean(here.end - third, here.end) - energy.mean(here.start, here.start + third);
        let fall = before.map_or(0.0, |b| b.energy.max(closing(&b, energy)) - here.energy);
        let rises_into = after.is_some_and(|n| n.energy > here.energy + 4.0);
        let goes_on = |kind| before.is_some_and(|b| b.kind == kind);
        let leads = matches!(before.map(|b| b.kind), Some(SectionKind::Build | SectionKind::Break));
        let comes_up = before.is_some_and(|b| here.energy - b.energy > DROP_RISE);
        // What comes after a bare beginning is no drop, however loud; after one that leads up it is, if nothing later
        // is louder.
        let first_loud = before.is_some_and(|b| b.kind == SectionKind::Intro)
            && (here.energy < highest - 5.0 || before.is_some_and(|b| b.energy < 25.0));
        let high = !flat && here.energy > highest - 0.22 * range.max(20.0);
        let kind = if i == 0 && after.is_some_and(|n| n.energy > here.energy + 3.0) {
            SectionKind::Intro
        } else if high && (goes_on(SectionKind::Drop) || comes_up && (leads || !first_loud)) {
            SectionKind::Drop
        } else if i == last && i > 0 && fall > 3.0 {
            SectionKind::Outro
        } else if i > 0 && i != last && rise > 7.0 && rises_into && fall < 2.0 * BREAK_FALL {
            SectionKind::Build
        } else if i != last
            && (!flat && fall > BREAK_FALL && here.energy < height - BREAK_FALL
                || goes_on(SectionKind::Break) && fall.abs() < BREAK_FALL / 2.0)
        {
            SectionKind::Break
        } else {
            SectionKind::Groove
        };
        height = height.max(here.energy);
        sections[i].kind = kind;
    }
}

/// How alike the harmony of two sections must go, bar by bar, for them to be the same music.
const SAME_HARMONY: f64 = 0.86;
/// How much timbre and energy may differ (in the units of the features) before it is a varied return.
const SAME_TIMBRE: f64 = 0.22;

/// Gives the same letter to sections with the same music.
fn assign_labels(sections: &mut [Section], bars: &[f64], spectrum: &Spectrum) {
    let harmony: Vec<Vec<PitchClasses>> = sections
        .iter()
        .map(|s| {
            bars.windows(2)
                .filter(|b| b[0] >= s.start - 0.05 && b[1] <= s.end + 0.05)
                .take(16)
                .map(|b| spectrum.mean_chroma(b[0], b[1]))
                .collect()
        })
        .collect();
    let mut next = b'A';
    for i in 0..sections.len() {
        let alike = |j: usize| {
            let (a, b) = (&harmony[i], &harmony[j]);
            let n = a.len().min(b.len());
            let cosine = |x: &PitchClasses, y: &PitchClasses| x.iter().zip(y).map(|(p, q)| p * q).sum::<f64>();
            if n < 2 { 0.0 } else { a.iter().zip(b).map(|(x, y)| cosine(x, y)).sum::<f64>() / n as f64 }
        };
        let best = (0..i).map(|j| (j, alike(j))).filter(|(_, a)| *a > SAME_HARMONY).max_by(|a, b| a.1.total_cmp(&b.1));
        sections[i].label = if let Some((j, _)) = best {
            let timbre_distance = timbre_distance(&sections[i], &sections[j], spectrum);
            let plain = sections[j].label;
            Label {
                letter: plain.letter,
                varied: timbre_distance > SAME_TIMBRE && !plain.varied
                    || plain.varied && timbre_distance <= SAME_TIMBRE,
            }
        } else {
            let letter = char::from(next);
            next = (next + 1).min(b'Z');
            Label { letter: Some(letter), varied: false }
        };
    }
}

/// What differs by less in energy is as loud.
const AS_LOUD: f64 = 5.0;

/// Neighbours that are the same music in the same timbre, as loud and of one kind are one section: nothing begins there.
fn merge_alike(sections: Vec<Section>, spectrum: &Spectrum) -> Vec<Section> {
    let mut all: Vec<Section> = Vec::with_capacity(sections.len());
    for here in sections {
        match all.last_mut() {
            Some(before)
                if before.kind == here.kind
                    && before.label.letter == here.label.letter
                    && (before.energy - here.energy).abs() < AS_LOUD
                    && timbre_distance(before, &here, spectrum) <= SAME_TIMBRE =>
            {
                let (long, longer) = (here.end - here.start, here.end - before.start);
                before.energy = round1(before.energy + (here.energy - before.energy) * long / longer);
                before.end = here.end;
            }
            _ => all.push(here),
        }
    }
    all
}

/// How much two sections differ in timbre, a band.
fn timbre_distance(a: &Section, b: &Section, spectrum: &Spectrum) -> f64 {
    let [a, b] = [a, b].map(|s| spectrum.mean_bands(s.start, s.end, TIMBRE_VALUES));
    a.iter().zip(&b).map(|(a, b)| (a - b).abs()).sum::<f64>() / TIMBRE_VALUES as f64
}

/// The energy of the first and of the last two seconds (or less) of a section.
fn opening(s: &Section, energy: &Trace) -> f64 {
    energy.mean(s.start + 0.1, (s.start + 2.0).min(s.end))
}

fn closing(s: &Section, energy: &Trace) -> f64 {
    energy.mean((s.end - 2.0).max(s.start), s.end - 0.1)
}

fn cues(sections: &[Section], energy: &Trace, silences: &[TimeRange], music_end: f64, duration: f64) -> Vec<Cue> {
    let mut cues = Vec::new();
    for (i, here) in sections.iter().enumerate() {
        let before = i.checked_sub(1).map(|p| sections[p]);
        let jump = before.map_or(0.0, |b| opening(here, energy) - closing(&b, energy));
        let kind = match here.kind {
            SectionKind::Drop if before.is_some_and(|b| b.kind != SectionKind::Drop) => CueKind::Drop,
            SectionKind::Break if before.is_some_and(|b| b.kind != SectionKind::Break) => CueKind::Break,
            SectionKind::Build => CueKind::Build,
            // It goes on after a rest, without being a drop.
            SectionKind::Groove if before.is_some_and(|b| leads_back(&b)) && jump > PICKUP_JUMP => CueKind::Pickup,
            _ => continue,
        };
        let strength = match kind {
            CueKind::Drop => 0.5 * here.energy / 100.0 + jump / 60.0,
            CueKind::Break => -jump / 50.0,
            CueKind::Pickup => jump / 60.0,
            _ => here.energy / 100.0,
        };
        cues.push(Cue::new(here.start, kind, (strength.clamp(0.05, 1.0) * 100.0).round() / 100.0));
    }
    for TimeRange { start, end } in silences {
        if *start > 0.5 && *end < music_end {
            let lasts = ((end - start) * 100.0).round() / 100.0;
            cues.push(Cue { lasts: Some(lasts), ..Cue::new(*start, CueKind::Pause, (end - start).min(1.0)) });
        }
    }
    cues.push(Cue::new(music_end.min(duration), CueKind::End, 1.0));
    cues.sort_by(|a, b| a.at.total_cmp(&b.at));
    cues
}

/// The rise in energy that makes going on a pickup.
const PICKUP_JUMP: f64 = 14.0;

fn leads_back(section: &Section) -> bool {
    matches!(section.kind, SectionKind::Intro | SectionKind::Break)
}

/// Hits stand alone: the first onset after a silence, unless something else is there already, and a last chord that
/// nothing follows for two beats.
pub fn add_hits(cues: &mut Vec<Cue>, onsets: &[f64], beats: &[Beat]) {
    let gap = if beats.len() > 1 { (beats[beats.len() - 1].at - beats[0].at) / (beats.len() - 1) as f64 } else { 0.5 };
    let pauses: Vec<f64> = cues.iter().filter(|c| c.kind == CueKind::Pause).map(|c| c.at).collect();
    let mut hits: Vec<f64> = pauses.iter().filter_map(|p| onsets.iter().copied().find(|o| *o > p + 0.15)).collect();
    if let [.., before, last] = onsets
        && last - before > 0.9 * gap
        && cues.iter().any(|c| c.kind == CueKind::End && c.at - last > 2.0 * gap)
    {
        hits.push(*last);
    }
    for at in hits {
        if !cues.iter().any(|c| c.kind != CueKind::Pause && (c.at - at).abs() < gap) {
            cues.push(Cue::new(at, CueKind::Hit, 0.6));
        }
    }
    cues.sort_by(|a, b| a.at.total_cmp(&b.at));
}

/// −52 dBFS: below the quietest ringing that is still music.
const SILENT: f32 = 0.0025;

/// Stretches of at least 200 ms without sound.
fn silences(samples: &[f32]) -> Vec<TimeRange> {
    let block = (f64::from(READING_RATE) / FRAME_RATE) as usize;
    let mut found = Vec::new();
    let mut since: Option<usize> = None;
    let blocks = samples.len() / block;
    for i in 0..=blocks {
        let silent = i < blocks && samples[i * block..(i + 1) * block].iter().all(|s| s.abs() < SILENT);
        match (silent, since) {
            (true, None) => since = Some(i),
            (false, Some(start)) => {
                if i - start >= 20 {
                    found.push(TimeRange::new(start as f64 / FRAME_RATE, i as f64 / FRAME_RATE));
                }
                since = None;
            }
            _ => {}
        }
    }
    found
}

/// Silences that are oftener than one in so many seconds are how the piece is played, not pauses in it.
const SECONDS_A_PAUSE: f64 = 8.0;
/// How much longer than that a pause is.
const PAUSE_STANDS_OUT: f64 = 1.6;

/// What is no louder before a silence than this share of the track's mean energy is no music that stops, but fades in
/// from nothing.
const STOPS: f64 = 0.25;
/// How long before, in seconds.
const BEFORE_PAUSE: f64 = 2.0;

/// The silences that are heard as pauses.
fn pauses(mut silences: Vec<TimeRange>, energy: &Trace, duration: f64) -> Vec<TimeRange> {
    let least = STOPS * energy.mean(0.0, duration);
    silences.retain(|s| energy.mean(s.start - BEFORE_PAUSE, s.start) > least);
    if silences.len() as f64 * SECONDS_A_PAUSE > duration {
        let mut lengths: Vec<f64> = silences.iter().map(|s| s.duration()).collect();
        let usual = median(&mut lengths).unwrap_or(0.0);
        silences.retain(|s| s.duration() > PAUSE_STANDS_OUT * usual);
    }
    silences
}

/// From the first sound to the last, in seconds.
pub fn sounding_range(samples: &[f32]) -> TimeRange {
    let seconds = |sample: usize| sample as f64 / f64::from(READING_RATE);
    let first = samples.iter().position(|s| s.abs() >= SILENT).unwrap_or(0);
    TimeRange::new(seconds(first), music_end(samples).unwrap_or(seconds(samples.len())))
}

fn music_end(samples: &[f32]) -> Option<f64> {
    samples.iter().rposition(|s| s.abs() >= SILENT).map(|i| (i + 1) as f64 / f64::from(READING_RATE))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_music_that_stops_makes_a_pause() {
        // It fades in for ten seconds, then plays.
        let energy = Trace { step: 0.5, values: (0..120).map(|i| if i < 20 { 2.0 } else { 50.0 }).collect() };
        let silences = [(3.0, 3.4), (7.0, 7.5), (30.0, 30.6)].map(|(a, b)| TimeRange::new(a, b)).to_vec();
        assert_eq!(pauses(silences, &energy, 60.0), [TimeRange::new(30.0, 30.6)]);
    }

    #[test]
    fn neighbours_that_are_the_same_music_are_one_section() {
        let rate = READING_RATE as usize;
        let tone = |i: usize| 0.3 * (std::f32::consts::TAU * 220.0 * i as f32 / READING_RATE as f32).sin();
        // The last eight seconds sound quite different.
        let noise = |i: usize| (i.wrapping_mul(2_654_435_761) % 1000) as f32 / 1000.0 - 0.5;
        let samples: Vec<f32> = (0..40 * rate).map(|i| if i < 32 * rate { tone(i) } else { noise(i) }).collect();
        let spectrum = Spectrum::of(&samples);
        let section = |(start, end, kind, energy, letter): (f64, f64, SectionKind, f64, &str)| Section {
            label: Label::from(letter.to_owned()),
            ..Section::new(start, end, kind, energy)
        };
        let of = |all: &[(f64, f64, SectionKind, f64, &str)]| {
            merge_alike(all.iter().copied().map(section).collect(), &spectrum)
        };
        use SectionKind::{Drop, Groove};
        let one = of(&[(0.0, 8.0, Drop, 60.0, "A"), (8.0, 24.0, Drop, 63.0, "A")]);
        assert_eq!(one.iter().map(|s| (s.start, s.end, s.energy)).collect::<Vec<_>>(), [(0.0, 24.0, 62.0)]);
        for other in [
            (8.0, 24.0, Groove, 63.0, "A"),
            (8.0, 24.0, Drop, 63.0, "B"),
            (8.0, 24.0, Drop, 70.0, "A"),
            (32.0, 40.0, Drop, 60.0, "A"),
        ] {
            assert_eq!(of(&[(0.0, 8.0, Drop, 60.0, "A"), other]).len(), 2, "{other:?}");
        }
        assert_eq!(of(&[]), []);
    }

    #[test]
    fn silence_after_every_note_is_no_pause_but_a_longer_one_among_them_is() {
        let even = Trace { step: 60.0, values: vec![50.0] };
        let tick = |i: i32| TimeRange::new(f64::from(i) * 0.5 + 0.1, f64::from(i) * 0.5 + 0.5);
        let ticks: Vec<TimeRange> = (0..40).map(tick).collect();
        assert!(pauses(ticks.clone(), &even, 20.5).is_empty());
        let mut stopped = ticks.clone();
        stopped[20].end += 1.5;
        assert_eq!(pauses(stopped.clone(), &even, 22.0), [stopped[20]]);
        let rare = vec![TimeRange::new(10.0, 10.4), TimeRange::new(30.0, 31.0)];
        assert_eq!(pauses(rare.clone(), &even, 60.0), rare, "each of a few is one");
    }
}
