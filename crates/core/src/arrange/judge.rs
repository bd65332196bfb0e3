//! How the shots of a draft stand beside the music and their neighbours, why, and what could stand there instead.

use super::fit::{self, Cost, Fit, Showing};
use super::plan::Arranger;
use super::solve::source;
use super::{Candidate, Slot};
use crate::draft::{Draft, Source};
use crate::id::{SelectId, ShotId};
use crate::select::{Framing, Movement, Role, Tier};
use serde::Serialize;
use std::collections::HashMap;

/// A hero that is not in a draft.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeftOut {
    /// The select.
    pub select: SelectId,
    /// Its clip's name.
    pub name: String,
    /// Why, in words.
    pub why: String,
}

/// Another select for a place, and what it would change; positive is better than what is there.
#[derive(Debug, Clone, PartialEq)]
pub struct Alternate {
    /// The select.
    pub select: SelectId,
    /// What it shows.
    pub source: Source,
    /// The frame of the place on which the hit lands.
    pub hit_at: Option<u64>,
    /// 0–100, of the part that would be shown.
    pub energy: f64,
    /// The reasons, the weightiest first.
    pub why: Vec<Reason>,
    /// The one thing that it would change most, in a few words.
    pub short: String,
    /// What it gains against what is there, part by part.
    pub gain: Cost,
}

/// A part of the cost.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum Part {
    /// How far its energy is from the music's.
    Energy,
    /// The verdict.
    Tier,
    /// What the place asks for.
    Role,
    /// Where its hit lands.
    Hit,
    /// What of the clip is shown.
    Range,
    /// How it connects.
    Join,
}

impl Cost {
    /// Part by part.
    pub fn parts(&self) -> [(Part, f64); 6] {
        [
            (Part::Energy, self.energy),
            (Part::Tier, self.tier),
            (Part::Role, self.role),
            (Part::Hit, self.hit),
            (Part::Range, self.range),
            (Part::Join, self.join),
        ]
    }
}

/// Something that speaks for or against a shot, in words that stand on their own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Reason {
    /// The part of the cost that it is; nothing where none is.
    pub part: Option<Part>,
    /// The words.
    pub words: String,
}

impl Reason {
    fn of(part: Part, words: impl Into<String>) -> Self {
        Self { part: Some(part), words: words.into() }
    }

    fn plain(words: impl Into<String>) -> Self {
        Self { part: None, words: words.into() }
    }
}

/// The one shot that a place lacks.
#[derive(Debug, Clone, PartialEq)]
pub struct Lacking {
    /// The part of the cost that it would lower.
    pub part: Part,
    /// What it would be, in words.
    pub words: String,
    /// Energies that would answer, on the pictures' own scale; an open end reaches to 0 or to 100.
    pub energy: (f64, f64),
    /// How long it would have to be, in seconds.
    pub seconds: f64,
}

/// A shot of a draft as it stands beside the music and its neighbours.
#[derive(Debug, Clone, PartialEq)]
pub struct Judged {
    /// 0–100, of the part that is shown.
    pub energy: f64,
    /// The same on the music's scale: the calmest select of the job stands where the music is calmest.
    pub level: f64,
    /// 0–100, the music's here.
    pub wanted: f64,
    /// What it costs, part by part.
    pub cost: Cost,
    /// Why it is here, in words.
    pub why: Vec<Reason>,
    /// What would make the place better, where something would.
    pub lacking: Option<Lacking>,
}

/// Energies that are further apart than this are said to be: nobody sees less.
const APART: f64 = 15.0;
/// Music that is louder than the first is lively, softer than the second calm.
const LIVELY: f64 = 55.0;
const CALM: f64 = 35.0;

impl Arranger<'_> {
    /// The heroes that are not in a draft, each with the reason. The slots must be those under the draft.
    pub fn left_out(&self, draft: &Draft) -> Vec<LeftOut> {
        let shown = self.shown(draft);
        let used = |c: &&&Candidate| draft.shots().iter().any(|s| s.source.select == c.select);
        let heroes = self.candidates.iter().filter(|c| c.tier == Tier::Hero && !used(c));
        heroes
            .map(|c| {
                let take = |shot: &&&Candidate| shot.set_up.is_some() && shot.set_up == c.set_up;
                let fits = |slot: &Slot| fit::showing(c, slot, self.rate).is_some();
                let why = if let Some(take) = shown.iter().flatten().find(take) {
                    format!("{} is there, a take of the same", take.name)
                } else if !self.slots().any(fits) {
                    "it is too short for every place".to_owned()
                } else {
                    "every place that it fits has a shot that suits it better".to_owned()
                };
                LeftOut { select: c.select, name: c.name.clone(), why }
            })
            .collect()
    }

    /// The candidates that the shots of a draft show; `None` for a select that is no longer there.
    fn shown<'b>(&'b self, draft: &Draft) -> Vec<Option<&'b Candidate>> {
        let by_select: HashMap<SelectId, &Candidate> = self.candidates.iter().map(|c| (c.select, *c)).collect();
        draft.shots().iter().map(|s| by_select.get(&s.source.select).copied()).collect()
    }

    /// Each shot of `draft` as it stands now. The slots must be those under the draft.
    pub fn judge(&self, draft: &Draft) -> Vec<Judged> {
        let shown = self.shown(draft);
        draft
            .shots()
            .iter()
            .zip(self.slots())
            .enumerate()
            .map(|(place, (shot, slot))| {
                let Some(candidate) = shown[place] else {
                    return Judged {
                        energy: 0.0,
                        level: 0.0,
                        wanted: slot.energy,
                        cost: Cost::default(),
                        why: vec![Reason::plain("its select is no longer there")],
                        lacking: None,
                    };
                };
                let (start, end) = shot.range(self.rate);
                let energy = candidate.energy_of(start, end);
                let showing = Showing { start, end, speed: shot.source.speed, hit_at: shot.hit_at };
                let mut cost = fit::cost(candidate, slot, &showing, self.scale, &self.weights);
                cost.role += self.off_chapter(candidate, slot);
                let before = place.checked_sub(1).and_then(|p| shown[p]);
                cost.join = self.joins(before, candidate, shown.get(place + 1).copied().flatten());
                let mut why = self.reasons(candidate, slot, &showing, before);
                let shot_before = place.checked_sub(1).map(|p| &draft.shots()[p]);
                let on_action = shot_before
                    .is_some_and(|b| fit::is_on_action((b.hit_at, b.pictures()), (shot.hit_at, shot.pictures())));
                if let Some(before) = before.filter(|_| on_action) {
                    cost.join = (cost.join - self.weights.join * fit::ON_ACTION).max(0.0);
                    why.push(Reason::of(Part::Join, format!("cut on the action of {}", before.name)));
                }
                why.extend(shot.source.time_words().into_iter().map(Reason::plain));
                why.extend(shot.pause.map(|pause| Reason::plain(pause.words())));
                let lacking = self.lacking(candidate, slot, &cost);
                Judged { energy, level: self.scale.of(energy), wanted: slot.energy, cost, why, lacking }
            })
            .collect()
    }

    fn joins(&self, before: Option<&Candidate>, here: &Candidate, after: Option<&Candidate>) -> f64 {
        before.map_or(0.0, |b| fit::join(b, here, &self.weights))
            + after.map_or(0.0, |a| fit::join(here, a, &self.weights))
    }

    /// The next best selects for a shot of `draft`, best first, without those that are used elsewhere in it.
    pub fn alternates(&self, draft: &Draft, shot: ShotId, most: usize) -> Vec<Alternate> {
        let Some((place, slot)) = draft.index_of(shot).and_then(|p| Some((p, &self.places.get(p)?.slot))) else {
            return Vec::new();
        };
        let shown = self.shown(draft);
        let (before, after) = (place.checked_sub(1).and_then(|p| shown[p]), shown.get(place + 1).copied().flatten());
        let current = self.judge(draft)[place].cost;
        let mut found: Vec<Alternate> = self
            .candidates
            .iter()
            .filter(|c| !draft.shots().iter().any(|s| s.source.select == c.select))
            .filter_map(|c| Some((c, self.fit_in(c, slot)?)))
            .map(|(c, fit)| {
                let source = source(c, &fit.showing);
                let gain = current - Cost { join: self.joins(before, c, after), ..fit.cost };
                let why = self.reasons(c, slot, &fit.showing, before);
                Alternate {
                    short: self.in_short(c, slot, &fit, &gain, &why),
                    select: c.select,
                    energy: c.energy_of(fit.showing.start, fit.showing.end),
                    hit_at: fit.showing.hit_at,
                    why: why.into_iter().chain(source.time_words().into_iter().map(Reason::plain)).collect(),
                    source,
                    gain,
                }
            })
            .collect();
        found.sort_by(|a, b| b.gain.total().total_cmp(&a.gain.total()));
        found.truncate(most);
        found
    }

    /// Why this select is at this place, in words that stand on their own: each is a part of the cost.
    fn reasons(&self, c: &Candidate, slot: &Slot, showing: &Showing, before: Option<&Candidate>) -> Vec<Reason> {
        let end = showing.end;
        let mut why = Vec::new();
        for (wanted, words) in
            [(self.story.opening, "chosen to open with"), (self.story.closing, "chosen to close with")]
        {
            if wanted == Some(c.select) {
                why.push(Reason::of(Part::Role, words));
            }
        }
        match c.tier {
            Tier::Hero if slot.on_drop => why.push(Reason::of(Part::Tier, "a hero for the drop")),
            Tier::Hero => why.push(Reason::of(Part::Tier, "a hero")),
            Tier::Out => why.push(Reason::of(Part::Tier, "it is out, and still here")),
            Tier::Unread => why.push(Reason::of(Part::Tier, "not judged yet")),
            Tier::Spare | Tier::Strong => {}
        }
        let apart = self.scale.of(c.energy_of(showing.start, end)) - slot.energy;
        why.push(Reason::of(Part::Energy, format!("{} the {}", liveliness(apart, slot), slot.kind.word())));
        if let Some(words) = landing(slot, showing) {
            why.push(Reason::of(Part::Hit, format!("its hit lands on {words}")));
        }
        if let Some(wanted) = slot.wants.filter(|w| c.role == Some(*w)) {
            why.push(Reason::of(Part::Role, format!("{}, as this place asks", wanted.word())));
        } else if slot.wants == Some(Role::Establishing) && c.framing == Some(Framing::Wide) {
            why.push(Reason::of(Part::Role, "wide, to open with"));
        }
        if self.off_chapter(c, slot) > 0.0 {
            why.push(Reason::of(Part::Role, "not of this chapter"));
        }
        if c.faulty(showing.start, end) > 0.2 {
            why.push(Reason::of(Part::Range, "part of it cannot be used"));
        }
        if let Some(before) = before {
            if let Some(way) = c.movement.filter(|m| *m != Movement::Still && before.movement == Some(*m)) {
                why.push(Reason::of(Part::Join, format!("goes on {} after {}", direction(way), before.name)));
            }
            if before.framing == Some(Framing::Wide) && matches!(c.framing, Some(Framing::Close | Framing::Detail)) {
                why.push(Reason::of(Part::Join, format!("closer after the wide {}", before.name)));
            }
        }
        why
    }

    /// What a select would change most in a place, as short as under a still.
    fn in_short(&self, c: &Candidate, slot: &Slot, fit: &Fit, gain: &Cost, why: &[Reason]) -> String {
        let parts = gain.parts();
        let apart = self.scale.of(c.energy_of(fit.showing.start, fit.showing.end)) - slot.energy;
        let words = |part: Part, gained: f64| match part {
            Part::Energy if gained > 0.0 => "nearer to the music".to_owned(),
            Part::Energy if apart > 0.0 => "livelier than it asks".to_owned(),
            Part::Energy => "calmer than it asks".to_owned(),
            Part::Tier if c.tier == Tier::Unread => "not judged yet".to_owned(),
            Part::Tier => format!("{} {}", if c.tier == Tier::Hero { "a" } else { "only" }, c.tier.word()),
            Part::Hit => landing(slot, &fit.showing)
                .map_or("its hit lands on no beat".to_owned(), |on| format!("hit lands on {on}")),
            Part::Range if gained > 0.0 => "cleaner".to_owned(),
            Part::Range if fit.showing.speed != crate::draft::Speed::NORMAL => "slowed to fit".to_owned(),
            Part::Range => "part of it cannot be used".to_owned(),
            Part::Role if gained > 0.0 => c.role.map_or("as the place asks".to_owned(), |role| role.word().to_owned()),
            Part::Role => "not what the place asks".to_owned(),
            Part::Join if gained > 0.0 => {
                let said = why.iter().find(|reason| reason.part == Some(Part::Join));
                said.map_or("joins better".to_owned(), |reason| reason.words.clone())
            }
            Part::Join => "joins less well".to_owned(),
        };
        let largest = |sign: f64| {
            let of = parts.iter().filter(|(_, gained)| gained * sign >= TELLING);
            of.max_by(|a, b| (a.1 * sign).total_cmp(&(b.1 * sign))).map(|(part, gained)| words(*part, *gained))
        };
        let said: Vec<String> = [largest(1.0), largest(-1.0)].into_iter().flatten().collect();
        if said.is_empty() { "as good".to_owned() } else { said.join(", ") }
    }

    /// The one shot that would make a place better: what its dearest part asks for.
    fn lacking(&self, c: &Candidate, slot: &Slot, cost: &Cost) -> Option<Lacking> {
        let of_the_shot = |(part, _): &(Part, f64)| !matches!(part, Part::Range | Part::Join);
        let (part, most) = cost.parts().into_iter().filter(of_the_shot).max_by(|a, b| a.1.total_cmp(&b.1))?;
        if most < LACKS {
            return None;
        }
        let livelier = self.scale.of(c.energy) < slot.energy;
        let words = match part {
            Part::Energy if livelier => "a livelier shot".to_owned(),
            Part::Energy => "a calmer shot".to_owned(),
            Part::Hit if slot.on_drop => "a shot whose hit can be on the drop".to_owned(),
            Part::Hit => "a shot in which something happens that can fall on a beat".to_owned(),
            Part::Tier if c.tier == Tier::Unread => "a shot that was judged and kept".to_owned(),
            Part::Tier => "a better one: a hero or a strong one".to_owned(),
            _ => match slot.wants {
                Some(Role::Establishing) => "a wide one to establish with".to_owned(),
                Some(Role::Closing) => "one to close with".to_owned(),
                Some(wanted) => format!("one tagged {}", wanted.word()),
                None => "one of this chapter".to_owned(),
            },
        };
        let energy = self.scale.answering(slot.energy);
        Some(Lacking { part, words, energy, seconds: self.rate.seconds_of(slot.len).to_f64() })
    }
}

/// A gain or a loss of less is not worth a word.
const TELLING: f64 = 0.08;
/// A place that costs less than this in each part lacks nothing.
const LACKS: f64 = 0.55;

/// "livelier than", "calm enough for", of energies that are so far apart.
fn liveliness(apart: f64, slot: &Slot) -> &'static str {
    match apart {
        apart if apart > APART => "livelier than",
        apart if apart < -APART => "calmer than",
        _ if slot.energy >= LIVELY => "lively enough for",
        _ if slot.energy <= CALM => "calm enough for",
        _ => "as lively as",
    }
}

/// Where the hit lands: "the drop", "bar 25", "bar 25, beat 3".
fn landing(slot: &Slot, showing: &Showing) -> Option<String> {
    let mark = showing.hit_at.and_then(|at| slot.marks.iter().find(|m| m.at == at))?;
    if slot.on_drop && mark.at == 0 {
        return Some("the drop".to_owned());
    }
    let beat = if mark.beat == 1 { String::new() } else { format!(", beat {}", mark.beat) };
    Some(format!("bar {}{beat}", mark.bar))
}

fn direction(movement: Movement) -> &'static str {
    match movement {
        Movement::Left => "to the left",
        Movement::Right => "to the right",
        Movement::Up => "upwards",
        Movement::Down => "downwards",
        Movement::In => "in",
        Movement::Out => "out",
        Movement::Still => "still",
    }
}
