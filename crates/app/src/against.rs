//! What one draft has against another one, in words.

use super::drafts::OpenDraft;
use legere_core::arrange::Candidate;
use legere_core::id::SelectId;
use legere_core::select::Tier;
use std::collections::{BTreeSet, HashSet};

/// What one draft has against another one.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Differences {
    pub better: Vec<String>,
    pub worse: Vec<String>,
    /// Selects of the other one that it has not, the best first.
    pub left: Vec<String>,
}

/// What one draft has that another has not, in words.
pub fn differences(open: &OpenDraft, other: &OpenDraft) -> Differences {
    let mut found = Differences::default();
    let mut say = |difference: f64, least: f64, better: &str, worse: &str| {
        if difference >= least {
            found.better.push(better.to_owned());
        } else if difference <= -least {
            found.worse.push(worse.to_owned());
        }
    };
    let (a, b) = (open.figures(), other.figures());
    say(a.agreement - b.agreement, 0.03, "follows the music more closely", "follows the music less closely");
    let tier = |open: &OpenDraft, tier: Tier| {
        let of = |select| open.candidate(select).map(|c| c.tier) == Some(tier);
        open.cut().shots().iter().filter(|shot| of(shot.source.select)).count()
    };
    let hits = |open: &OpenDraft| open.cut().shots().iter().filter(|shot| shot.hit_at.is_some()).count();
    let counts = [
        (tier(open, Tier::Hero), tier(other, Tier::Hero), "hero", "heroes"),
        (tier(open, Tier::Strong), tier(other, Tier::Strong), "strong one", "strong ones"),
        (hits(open), hits(other), "hit on a beat", "hits on a beat"),
    ];
    for (here, there, one, many) in counts {
        let n = here.abs_diff(there);
        let counted = |which: &str| format!("{n} {} {which}", if n == 1 { one } else { many });
        say(here as f64 - there as f64, 1.0, &counted("more"), &counted("fewer"));
    }
    let findings = open.findings().len() as f64 - other.findings().len() as f64;
    say(-findings, 1.0, "fewer things that the checks find", "more things that the checks find");
    let shown: HashSet<SelectId> = open.cut().shots().iter().map(|shot| shot.source.select).collect();
    let missing: BTreeSet<SelectId> =
        other.cut().shots().iter().map(|shot| shot.source.select).filter(|s| !shown.contains(s)).collect();
    let mut left: Vec<&Candidate> = missing.iter().filter_map(|select| other.candidate(*select)).collect();
    left.sort_by(|a, b| b.tier.cmp(&a.tier).then_with(|| a.name.cmp(&b.name)));
    found.left = left.iter().map(|c| format!("{}, {}", c.name, c.tier.word())).collect();
    found
}
