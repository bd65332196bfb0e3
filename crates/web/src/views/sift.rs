//! What stands around the picture in Sift: what is narrowed to, what the music asks for.

use legere_app::footage::Footage;
use legere_app::passes::Narrowed;
use legere_core::arrange::Need;
use legere_core::id::SelectId;
use legere_core::narrow::FacetCount;
use legere_core::select::Role;
use serde::Serialize;

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct NarrowedView {
    /// What is shown, by the shorter of two lists.
    #[serde(flatten)]
    pub shown: ShownView,
    pub counts: Vec<CountView>,
    /// What could not be understood, in words.
    pub problems: Vec<String>,
}

/// In a large job most selects are shown, or few: so only those are named, or only the others.
#[derive(Debug, PartialEq, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
#[serde(rename_all = "snake_case")]
pub enum ShownView {
    /// These, in the order of their clips.
    Shown(Vec<SelectId>),
    /// All of the job but these.
    AllBut(Vec<SelectId>),
}

impl ShownView {
    fn of(found: &Narrowed, footage: &Footage) -> Self {
        let id = |at: usize| footage.entries[at].select.id;
        if 2 * found.shown.len() <= footage.entries.len() {
            return Self::Shown(found.shown.iter().map(|at| id(*at)).collect());
        }
        let mut shown = found.shown.iter().copied().peekable();
        Self::AllBut((0..footage.entries.len()).filter(|at| shown.next_if_eq(at).is_none()).map(id).collect())
    }
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct CountView {
    pub group: &'static str,
    pub term: String,
    pub word: String,
    pub count: usize,
}

impl CountView {
    pub fn of(counted: &FacetCount) -> Self {
        let FacetCount { group, term, word, count } = counted;
        Self { group, term: term.clone(), word: word.clone(), count: *count }
    }
}

impl NarrowedView {
    pub fn of(found: &Narrowed, footage: &Footage) -> Self {
        Self {
            shown: ShownView::of(found, footage),
            counts: found.counts.iter().map(CountView::of).collect(),
            problems: found.problems.clone(),
        }
    }
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(ts_rs::TS))]
pub struct NeedView {
    pub kind: &'static str,
    pub shots: usize,
    pub offered: usize,
    /// "above 70", with the roles it wants.
    pub asks: String,
    /// What narrows to the selects that could fill it.
    pub words: String,
}

impl NeedView {
    pub fn of(need: &Need) -> Self {
        let (low, high) = (need.energy.0.round(), need.energy.1.round());
        let energy = match (low <= 0.0, high >= 100.0) {
            (true, true) => "of any energy".to_owned(),
            (true, false) => format!("below {high}"),
            (false, true) => format!("above {low}"),
            (false, false) => format!("{low} to {high}"),
        };
        let roles: Vec<&str> = need.roles.iter().filter(|r| **r != Role::Reveal).map(|r| r.word()).collect();
        let asks = if roles.is_empty() { energy } else { format!("{energy}, {}", roles.join(" and ")) };
        let words = narrowing(need.energy, need.shortest);
        Self { kind: need.kind.word(), shots: need.shots, offered: need.offered, asks, words }
    }
}

/// The words that narrow to selects of such an energy that last so many seconds; those that are out aside.
pub fn narrowing(energy: (f64, f64), seconds: f64) -> String {
    let (low, high) = (energy.0.round(), energy.1.round());
    let mut words = Vec::new();
    if low > 0.0 {
        words.push(format!("energy>={low}"));
    }
    if high < 100.0 {
        words.push(format!("energy<={high}"));
    }
    words.push(format!("length>={:.1}", (seconds * 10.0).floor() / 10.0));
    words.push("-out".to_owned());
    words.join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use legere_core::narrow::Query;
    use legere_core::track::SectionKind;

    #[test]
    fn a_need_says_what_it_asks_for_and_what_narrows_to_it() {
        let need = |energy, roles| Need {
            section: 0,
            kind: SectionKind::Drop,
            shots: 6,
            offered: 3,
            energy,
            roles,
            shortest: 0.48,
        };
        let view = NeedView::of(&need((70.2, 100.0), vec![Role::Reveal]));
        assert_eq!((view.asks.as_str(), view.words.as_str()), ("above 70", "energy>=70 length>=0.4 -out"));
        let view = NeedView::of(&need((10.0, 40.0), vec![Role::Establishing]));
        assert_eq!(view.asks, "10 to 40, establishing");
        assert_eq!(Query::parse(&view.words).1, [], "the words are of the grammar");
    }
}
