//! What the verdicts of a job teach about the clips that nobody has looked at yet.
//!
//! A proportional-odds model (P. `McCullagh` 1980, "Regression models for ordinal data") of the tier over what was measured and
//! tagged, fitted by penalised likelihood; one of its terms is what was said of clips that look alike (a kernel mean after
//! Nadaraya and Watson, 1964). It is never a verdict: it gives an order and a reason, and how often it was right on each verdict
//! before it had learned from it.

mod model;
mod traits;

pub use traits::Traits;

use crate::select::Tier;
use model::Model;
use traits::{Known, Likeness, NAMED, Scales};

/// Fewer verdicts teach nothing.
pub const FEWEST: usize = 30;
/// Only the newest of more are learned from: taste changes in the course of a job, and these say enough.
const MOST: usize = 600;
/// It is fitted again each time that so many times as many verdicts are there.
const GROWTH: f64 = 1.25;
/// Before so many verdicts it is not asked how often it is right.
const FIRST_ASKED: usize = 12;
/// It keeps silent while it is not better than guessing by so many standard errors.
const BETTER: f64 = 1.3;

/// What an editor tends to keep.
pub struct Preference<'a> {
    judged: Vec<Known<'a>>,
    scales: Scales,
    model: Model,
    /// How often it was right whether a select would be kept.
    pub right: usize,
    /// Of so many verdicts.
    pub of: usize,
    /// The share of them that guessing at the editor's own rate is right about.
    guessed: f64,
}

/// What is expected of one select.
#[derive(Debug, Clone, PartialEq)]
pub struct Expected {
    /// More is better; comparable within a job.
    pub worth: f64,
    /// 0–1: how likely it is that it is a strong one or a hero.
    pub kept: f64,
    /// 0–1: how likely it is that it is out.
    pub out: f64,
    /// Why, in words.
    pub why: String,
}

/// As likely as this, it would be dropped.
const DROPPED: f64 = 0.6;
/// And no likelier than this, it would be kept.
const HARDLY_KEPT: f64 = 0.15;

impl Expected {
    /// Whether its editor would probably drop it.
    pub fn is_probably_dropped(&self) -> bool {
        self.out >= DROPPED && self.kept <= HARDLY_KEPT
    }
}

/// Whether a verdict keeps a select.
fn keeps(tier: Tier) -> bool {
    tier >= Tier::Strong
}

impl<'a> Preference<'a> {
    /// From verdicts in the order in which they were given; nothing while they are too few, or all the same.
    pub fn learn(judged: impl IntoIterator<Item = (Traits<'a>, Tier)>) -> Option<Self> {
        let judged = judged.into_iter().filter(|(_, tier)| *tier != Tier::Unread);
        let mut judged: Vec<Known<'a>> = judged.map(|(traits, tier)| Known::new(traits, tier)).collect();
        judged.drain(..judged.len().saturating_sub(MOST));
        let kept = judged.iter().filter(|known| keeps(known.tier)).count();
        if judged.len() < FEWEST || kept == 0 || kept == judged.len() {
            return None;
        }
        let (right, of, guessed) = track_record(&judged);
        let (scales, model, _) = fitted(&judged);
        Some(Self { judged, scales, model, right, of, guessed })
    }

    /// Whether it was right more often than guessing is: nothing is said before.
    pub fn is_better_than_guessing(&self) -> bool {
        let of = self.of.max(1) as f64;
        let error = (self.guessed * (1.0 - self.guessed) / of).sqrt();
        self.right as f64 / of >= self.guessed + BETTER * error
    }

    /// What is expected of a select.
    pub fn of(&self, traits: &Traits<'_>) -> Expected {
        let likeness = Likeness::to(traits, &self.judged);
        let row = self.scales.row(traits, &likeness);
        let odds = self.model.odds(&row);
        Expected {
            worth: self.model.worth(&row),
            kept: odds[2] + odds[3],
            out: odds[0],
            why: self.why(traits, &row, &likeness),
        }
    }

    /// The clip that it is most like, and what weighs most beside that.
    fn why(&self, traits: &Traits<'_>, row: &[f64], likeness: &Likeness) -> String {
        let nearest = likeness.nearest.map(|n| &self.judged[n]);
        let like = nearest.map(|Known { traits: other, tier, .. }| match tier {
            Tier::Hero => format!("like {}, a hero", other.name),
            Tier::Out => format!("like {}, which is out", other.name),
            tier => format!("like {}, {}", other.name, tier.word()),
        });
        // Against that clip, or against what is usual.
        let against = nearest.map(|other| self.scales.row(&other.traits, likeness));
        let weighs = |(n, (more, less)): (usize, &(&'static str, &'static str))| {
            let apart = row[n] - against.as_ref().map_or(0.0, |other| other[n]);
            let weight = self.model.weights[n] * apart;
            (weight.abs() > 0.15).then(|| (weight.abs(), if apart > 0.0 { *more } else { *less }))
        };
        let mut telling: Vec<(f64, &'static str)> = NAMED.iter().enumerate().filter_map(weighs).collect();
        telling.sort_by(|a, b| b.0.total_cmp(&a.0));
        let mut words: Vec<&str> = telling.iter().map(|(_, word)| *word).take(2).collect();
        if nearest.is_none()
            && let Some(framing) = traits.framing
        {
            words.insert(0, framing.word());
        }
        match (like, words.is_empty()) {
            (Some(like), true) => like,
            (Some(like), false) => format!("{like}; {}", words.join(", ")),
            (None, true) => "like most of what was judged".to_owned(),
            (None, false) => words.join(", "),
        }
    }
}

/// The model of these verdicts, and the row of each.
fn fitted(judged: &[Known<'_>]) -> (Scales, Model, Vec<Vec<f64>>) {
    let scales = Scales::of(judged.iter().map(|known| &known.traits));
    // Each without itself: what is like it has to speak for it.
    let row = |n: usize| scales.row(&judged[n].traits, &Likeness::among(judged, n));
    let rows: Vec<Vec<f64>> = (0..judged.len()).map(row).collect();
    let grades: Vec<usize> = judged.iter().map(|known| grade(known.tier)).collect();
    let model = Model::fit(&rows, &grades);
    (scales, model, rows)
}

/// 0 for out to 3 for a hero.
fn grade(tier: Tier) -> usize {
    match tier {
        Tier::Out | Tier::Unread => 0,
        Tier::Spare => 1,
        Tier::Strong => 2,
        Tier::Hero => 3,
    }
}

/// How often it would have been right whether a select is kept, each judged by what was said before it; of how many; and how often
/// guessing at the editor's own rate is.
fn track_record(judged: &[Known<'_>]) -> (usize, usize, f64) {
    let (mut right, mut of, mut guessed) = (0, 0, 0.0);
    let mut from = FIRST_ASKED.min(judged.len());
    while from < judged.len() {
        let to = ((from as f64 * GROWTH).ceil() as usize).min(judged.len());
        let before = &judged[..from];
        let rate = before.iter().filter(|known| keeps(known.tier)).count() as f64 / from as f64;
        let (scales, model, rows) = fitted(before);
        // As many are expected to be kept as the editor has kept so far.
        let mut known: Vec<f64> = rows.iter().map(|row| model.worth(row)).collect();
        known.sort_by(f64::total_cmp);
        let bound = known[((1.0 - rate) * known.len() as f64).min(known.len() as f64 - 1.0) as usize];
        for next in &judged[from..to] {
            let row = scales.row(&next.traits, &Likeness::to(&next.traits, before));
            let expected = model.worth(&row) >= bound;
            right += usize::from(expected == keeps(next.tier));
            guessed += if keeps(next.tier) { rate } else { 1.0 - rate };
            of += 1;
        }
        from = to;
    }
    (right, of, if of == 0 { 1.0 } else { guessed / of as f64 })
}

#[cfg(test)]
mod tests;
