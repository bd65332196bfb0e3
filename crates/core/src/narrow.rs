//! Narrowing selects by words: `close hero,strong energy>60 slow>=2x length<4 -night roll:tower "second swing"`.
//!
//! All terms must hold. A comma between words means either, a minus before a term means not. A plain word is a tier, the word
//! of a facet, or a whole word of the clip's name, roll, tags, label or note; `~right` counts what the reading suggests as
//! well. `key:word` looks in one place; a text in quotes is found as it stands.

use crate::length::parse_length;
use crate::select::{Facet, Tag, Tier};
use crate::time::FrameRate;
use std::borrow::Borrow;
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// No more terms than anybody types.
const MOST_TERMS: usize = 40;

/// What is known of a select, as far as it can be asked for.
#[derive(Debug, Clone, PartialEq)]
pub struct SearchRecord {
    /// The verdict.
    pub tier: Tier,
    /// Its own tags and those of its clip.
    pub tags: BTreeSet<Tag>,
    /// What the reading suggests.
    pub suggested: Vec<Tag>,
    /// 0–100, of its range.
    pub energy: f64,
    /// How many times it can be slowed in this job; 1 where not at all.
    pub slow: f64,
    /// Seconds from in to out.
    pub length: f64,
    /// Frames a second of its clip.
    pub rate: f64,
    /// What is so with its clip; that it is noted or labelled follows from its note and its label.
    pub flags: BTreeSet<Flag>,
    /// The label's word.
    pub label: Option<String>,
    /// What the clip is called.
    pub name: String,
    /// What its roll is called.
    pub roll: String,
    /// What a person wrote beside it.
    pub note: String,
}

/// A yes or no of a clip.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
#[strum(serialize_all = "lowercase")]
pub enum Flag {
    /// It has sound.
    Sound,
    /// It has none.
    Silent,
    /// Its sound is not to be used.
    Muted,
    /// Its file is not where it should be.
    Missing,
    /// It is higher than wide.
    Upright,
    /// A person wrote something beside it.
    Noted,
    /// It has a label.
    Labelled,
    /// The camera shakes in it.
    Shaky,
    /// It is out of focus, or softer than the rest of the job.
    Unsharp,
    /// It is too dark.
    Underexposed,
    /// It is blown out.
    Overexposed,
    /// Its colours are warm.
    Warm,
    /// Its colours are cool.
    Cool,
}

crate::words!(Flag);

/// A figure that can be compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, strum::EnumString, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "lowercase")]
pub enum Quantity {
    /// 0–100.
    Energy,
    /// Times it can be slowed.
    Slow,
    /// From in to out.
    Length,
    /// Frames a second.
    Rate,
}

crate::words!(Quantity);

/// Where a text is looked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, strum::EnumString, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "lowercase")]
pub enum Place {
    /// The clip's name.
    Name,
    /// The roll's name.
    Roll,
    /// The note.
    Note,
    /// The label.
    Label,
    /// Any tag.
    Tag,
}

crate::words!(Place);

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Compare {
    Less,
    AtMost,
    Equal,
    AtLeast,
    More,
}

#[derive(Debug, Clone, PartialEq)]
enum Condition {
    Tier(Tier),
    Tag { tag: Tag, suggested_too: bool },
    Is(Flag),
    Quantity(Quantity, Compare, f64),
    In(Place, Vec<String>),
    Anywhere(Vec<String>),
}

#[derive(Debug, Clone, PartialEq)]
struct Term {
    not: bool,
    /// One of these must hold.
    any: Vec<Condition>,
}

/// What is asked for.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Query(Vec<Term>);

/// A word that cannot be understood.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("“{word}”: {why}")]
pub struct NarrowError {
    /// As it was typed.
    pub word: String,
    /// In words for the editor.
    pub why: String,
}

/// How many there are of a value among what is shown; of a facet with one answer, as if that facet were not asked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FacetCount {
    /// `tier`, a facet, `label`, `roll` or `is`.
    pub group: &'static str,
    /// As it is typed.
    pub term: String,
    /// As it is read.
    pub word: String,
    /// How many.
    pub count: usize,
}

/// Whole words of a text in lower case; one with signs in it counts as a whole and in its parts.
fn words_of(text: &str) -> Vec<String> {
    let mut words = Vec::new();
    for piece in text.split_whitespace() {
        let lower = piece.to_lowercase();
        let parts: Vec<String> =
            lower.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).map(str::to_owned).collect();
        if parts.len() != 1 || parts[0] != lower {
            words.push(lower);
        }
        words.extend(parts);
    }
    words
}

/// The words one after the other; a single word may be one with signs in it.
fn holds(text: &str, wanted: &[String]) -> bool {
    let words = words_of(text);
    match wanted {
        [] => false,
        [one] => words.contains(one),
        many => {
            let plain: Vec<&String> = words.iter().filter(|w| w.chars().all(char::is_alphanumeric)).collect();
            plain.windows(many.len()).any(|w| w.iter().zip(many).all(|(a, b)| *a == b))
        }
    }
}

/// What is typed, cut at spaces outside of quotes.
fn pieces(text: &str) -> (Vec<String>, bool) {
    let (mut all, mut now, mut quoted) = (Vec::new(), String::new(), false);
    for c in text.chars() {
        match c {
            '"' | '“' | '”' => {
                quoted = !quoted;
                now.push('"');
            }
            c if c.is_whitespace() && !quoted => {
                if !now.is_empty() {
                    all.push(std::mem::take(&mut now));
                }
            }
            c => now.push(c),
        }
    }
    if !now.is_empty() {
        all.push(now);
    }
    (all, quoted)
}

/// Cut at commas outside of quotes.
fn alternatives(text: &str) -> Vec<&str> {
    let (mut all, mut from, mut quoted) = (Vec::new(), 0, false);
    for (i, c) in text.char_indices() {
        match c {
            '"' => quoted = !quoted,
            ',' if !quoted => {
                all.push(&text[from..i]);
                from = i + 1;
            }
            _ => {}
        }
    }
    all.push(&text[from..]);
    all.into_iter().filter(|t| !t.is_empty()).collect()
}

fn listed(words: impl IntoIterator<Item = &'static str>) -> String {
    words.into_iter().collect::<Vec<_>>().join(", ")
}

/// The words of a text, without its quotes.
fn wanted(text: &str) -> Vec<String> {
    let bare = text.trim_matches('"').to_lowercase();
    if bare.contains(char::is_whitespace) {
        words_of(&bare).into_iter().filter(|w| w.chars().all(char::is_alphanumeric)).collect()
    } else {
        vec![bare]
    }
}

fn condition(text: &str) -> Result<Condition, String> {
    if let Some(at) = text.find(['<', '>', '=']).filter(|_| !text.starts_with('"')) {
        return compared(&text[..at], &text[at..]);
    }
    if let Some((key, value)) = text.split_once(':').filter(|_| !text.starts_with('"')) {
        return keyed(key, value);
    }
    let (suggested_too, word) = text.strip_prefix('~').map_or((false, text), |rest| (true, rest));
    let lower = word.trim_matches('"').to_lowercase();
    if word.starts_with('"') {
        return Ok(Condition::Anywhere(wanted(word)));
    }
    let of_facet = Facet::ALL.iter().find_map(|f| (!f.is_free()).then(|| Tag::new(*f, &lower).ok())?);
    if suggested_too {
        let tag = of_facet.ok_or("only framing, role, light and movement can be suggested")?;
        return Ok(Condition::Tag { tag, suggested_too });
    }
    if let Some(tier) = Tier::from_word(&lower) {
        return Ok(Condition::Tier(tier));
    }
    if let Some(tag) = of_facet {
        return Ok(Condition::Tag { tag, suggested_too });
    }
    if let Some(flag) = Flag::from_word(&lower) {
        return Ok(Condition::Is(flag));
    }
    Ok(Condition::Anywhere(wanted(word)))
}

fn keyed(key: &str, value: &str) -> Result<Condition, String> {
    let (suggested_too, key) = key.strip_prefix('~').map_or((false, key), |rest| (true, rest));
    let key = key.to_lowercase();
    if value.trim_matches('"').is_empty() {
        return Err(format!("say what after {key}:"));
    }
    if let Some(place) = Place::from_word(&key) {
        return Ok(Condition::In(place, wanted(value)));
    }
    if key == "tier" {
        let tier = Tier::from_word(&value.to_lowercase());
        return tier.map(Condition::Tier).ok_or_else(|| format!("a tier is one of {}", listed(words(Tier::ALL))));
    }
    if let Some(facet) = Facet::from_word(&key) {
        let tag = Tag::new(facet, value.trim_matches('"'));
        return tag.map(|tag| Condition::Tag { tag, suggested_too }).map_err(|error| {
            if facet.is_free() { error.to_string() } else { format!("{key} is one of {}", listed(facet.words())) }
        });
    }
    let free = words(Place::ALL).into_iter().chain(["tier"]).chain(words(Facet::ALL));
    Err(format!("nothing is called {key}: there are {}", listed(free)))
}

fn words<T: Copy + Into<&'static str>>(all: &[T]) -> Vec<&'static str> {
    all.iter().map(|one| (*one).into()).collect()
}

fn compared(key: &str, rest: &str) -> Result<Condition, String> {
    let quantity = Quantity::from_word(&key.to_lowercase())
        .ok_or_else(|| format!("only {} can be compared", listed(words(Quantity::ALL))))?;
    let (compare, value) = [
        (">=", Compare::AtLeast),
        ("<=", Compare::AtMost),
        (">", Compare::More),
        ("<", Compare::Less),
        ("=", Compare::Equal),
    ]
    .into_iter()
    .find_map(|(sign, compare)| Some((compare, rest.strip_prefix(sign)?)))
    .ok_or("compare with <, <=, =, >= or >")?;
    let number = match quantity {
        // The rate counts only for lengths in frames, which nobody asks for here.
        Quantity::Length => FrameRate::new(25, 1)
            .and_then(|rate| parse_length(value.trim_end_matches(['s', 'S']), rate).ok())
            .ok_or("a length is written like 4, 2.5 or 1:30")?,
        Quantity::Slow => {
            value.trim_end_matches(['x', 'X', '×']).parse().map_err(|_no| "a number of times, like 2x")?
        }
        Quantity::Energy | Quantity::Rate => value.parse().map_err(|_no| "a number belongs behind the sign")?,
    };
    if f64::is_finite(number) {
        Ok(Condition::Quantity(quantity, compare, number))
    } else {
        Err("a number belongs behind the sign".to_owned())
    }
}

impl Condition {
    fn holds(&self, of: &SearchRecord) -> bool {
        match self {
            Self::Tier(tier) => of.tier == *tier,
            Self::Tag { tag, suggested_too } => {
                // What a person said of a facet counts before what the reading suggests.
                let said = of.tags.iter().any(|t| t.facet() == tag.facet() && !t.facet().is_free());
                of.tags.contains(tag) || (*suggested_too && !said && of.suggested.contains(tag))
            }
            Self::Is(flag) => match flag {
                Flag::Noted => !of.note.is_empty(),
                Flag::Labelled => of.label.is_some(),
                flag => of.flags.contains(flag),
            },
            Self::Quantity(quantity, compare, wanted) => {
                let (value, close) = match quantity {
                    Quantity::Energy => (of.energy, 0.5),
                    Quantity::Slow => (of.slow, 0.05),
                    Quantity::Length => (of.length, 0.05),
                    Quantity::Rate => (of.rate, 0.005),
                };
                match compare {
                    Compare::Less => value < *wanted,
                    Compare::AtMost => value <= wanted + 1e-9,
                    Compare::Equal => (value - wanted).abs() <= close,
                    Compare::AtLeast => value >= wanted - 1e-9,
                    Compare::More => value > *wanted,
                }
            }
            Self::In(place, words) => match place {
                Place::Name => holds(&of.name, words),
                Place::Roll => holds(&of.roll, words),
                Place::Note => holds(&of.note, words),
                Place::Label => of.label.as_deref().is_some_and(|l| holds(l, words)),
                Place::Tag => of.tags.iter().any(|t| holds(t.word(), words)),
            },
            Self::Anywhere(words) => anywhere(of, words),
        }
    }

    /// The facet with one answer, or the tier, that it asks for.
    fn group(&self) -> Option<&'static str> {
        match self {
            Self::Tier(_) => Some("tier"),
            Self::Tag { tag, .. } if !tag.facet().is_free() => Some(tag.facet().word()),
            _ => None,
        }
    }
}

fn anywhere(of: &SearchRecord, words: &[String]) -> bool {
    [&of.name, &of.roll, &of.note].into_iter().any(|text| holds(text, words))
        || of.label.as_deref().is_some_and(|l| holds(l, words))
        || of.tags.iter().any(|t| holds(t.word(), words))
}

impl Term {
    fn holds(&self, of: &SearchRecord) -> bool {
        self.any.iter().any(|c| c.holds(of)) != self.not
    }

    /// The group that it asks for and nothing else; none where it says what shall not be.
    fn only_group(&self) -> Option<&'static str> {
        let group = self.any.first().and_then(Condition::group)?;
        (!self.not && self.any.iter().all(|c| c.group() == Some(group))).then_some(group)
    }
}

impl Query {
    /// Reads what was typed. What cannot be understood is left out and reported.
    pub fn parse(text: &str) -> (Self, Vec<NarrowError>) {
        let (pieces, open) = pieces(text);
        let (mut terms, mut wrong) = (Vec::new(), Vec::new());
        if open {
            wrong.push(NarrowError { word: "\"".into(), why: "a quote is not closed".into() });
        }
        for piece in pieces.iter().take(MOST_TERMS) {
            let (not, rest) = piece.strip_prefix('-').map_or((false, piece.as_str()), |rest| (true, rest));
            if rest.trim_matches('"').is_empty() {
                continue;
            }
            // The key before the first word counts for all: `roll:one,two`.
            let key = rest.find([':', '<', '>', '=']).filter(|i| rest.as_bytes()[*i] == b':').map(|i| &rest[..=i]);
            let mut any = Vec::new();
            for (i, text) in alternatives(rest).into_iter().enumerate() {
                let with_key = key.filter(|_| i > 0 && !text.contains(':')).map(|key| format!("{key}{text}"));
                match condition(with_key.as_deref().unwrap_or(text)) {
                    Ok(condition) => any.push(condition),
                    Err(why) => wrong.push(NarrowError { word: text.chars().take(60).collect(), why }),
                }
            }
            if !any.is_empty() {
                terms.push(Term { not, any });
            }
        }
        (Self(terms), wrong)
    }

    /// Whether a select is asked for.
    pub fn holds(&self, of: &SearchRecord) -> bool {
        self.0.iter().all(|term| term.holds(of))
    }

    /// The plain words that stand nowhere in any of the selects.
    pub fn nowhere<R: Borrow<SearchRecord>>(&self, all: &[R]) -> Vec<String> {
        let asked = self.0.iter().flat_map(|term| &term.any);
        asked
            .filter_map(|c| match c {
                Condition::Anywhere(words) if !all.iter().any(|s| anywhere(s.borrow(), words)) => Some(words.join(" ")),
                _ => None,
            })
            .collect()
    }

    /// Which groups a select counts in: all of them where it is asked for, one where only what is asked of that one keeps it out.
    fn counts_in(&self, of: &SearchRecord) -> CountsIn {
        let mut group = None;
        for term in self.0.iter().filter(|term| !term.holds(of)) {
            match term.only_group() {
                Some(asked) if group.is_none_or(|known| known == asked) => group = Some(asked),
                _ => return CountsIn::None,
            }
        }
        group.map_or(CountsIn::All, CountsIn::One)
    }

    /// Asks all selects at once.
    pub fn over<R: Borrow<SearchRecord>>(&self, all: &[R]) -> Answer {
        let mut tally = Tally::default();
        let mut found = Vec::with_capacity(all.len());
        for record in all.iter().map(Borrow::borrow) {
            let counts_in = self.counts_in(record);
            found.push(counts_in == CountsIn::All);
            tally.add(record, counts_in);
        }
        Answer { found, counts: tally.in_order() }
    }
}

/// What a query finds among selects.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answer {
    /// For each select, whether it is asked for.
    pub found: Vec<bool>,
    /// How many there are of each value that can be asked for, those with at least one, in the order in which they are shown.
    pub counts: Vec<FacetCount>,
}

/// The groups that a select counts in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum CountsIn {
    All,
    One(&'static str),
    None,
}

/// How many there are of each value.
#[derive(Debug, Default)]
struct Tally<'a> {
    tiers: HashMap<Tier, usize>,
    tags: HashMap<&'a Tag, usize>,
    labels: HashMap<&'a str, usize>,
    rolls: HashMap<&'a str, usize>,
    flags: BTreeMap<Flag, usize>,
}

/// A word of people's own as it is typed behind its key.
fn keyed_term(key: &str, word: &str) -> String {
    if word.contains(|c: char| c.is_whitespace() || c == ',') {
        format!("{key}:\"{word}\"")
    } else {
        format!("{key}:{word}")
    }
}

impl<'a> Tally<'a> {
    fn add(&mut self, of: &'a SearchRecord, counts: CountsIn) {
        let counts_in = |group: &str| match counts {
            CountsIn::All => true,
            CountsIn::One(only) => only == group,
            CountsIn::None => false,
        };
        if counts_in("tier") {
            *self.tiers.entry(of.tier).or_default() += 1;
        }
        for tag in of.tags.iter().filter(|t| counts_in(t.facet().word())) {
            *self.tags.entry(tag).or_default() += 1;
        }
        if counts == CountsIn::All {
            if let Some(label) = &of.label {
                *self.labels.entry(label).or_default() += 1;
                *self.flags.entry(Flag::Labelled).or_default() += 1;
            }
            *self.rolls.entry(&of.roll).or_default() += 1;
            if !of.note.is_empty() {
                *self.flags.entry(Flag::Noted).or_default() += 1;
            }
            for flag in of.flags.iter().filter(|f| !matches!(f, Flag::Noted | Flag::Labelled)) {
                *self.flags.entry(*flag).or_default() += 1;
            }
        }
    }

    fn in_order(&self) -> Vec<FacetCount> {
        let mut counted = Vec::new();
        let mut push = |group: &'static str, term: String, word: &str, count: Option<&usize>| {
            if let Some(count) = count {
                counted.push(FacetCount { group, term, word: word.to_owned(), count: *count });
            }
        };
        for word in ["unread", "hero", "strong", "spare", "out"] {
            push("tier", word.to_owned(), word, Tier::from_word(word).and_then(|t| self.tiers.get(&t)));
        }
        for facet in Facet::ALL.iter().filter(|f| !f.is_free()) {
            for word in facet.words() {
                // "out" alone is the tier.
                let plain = Tier::from_word(word).is_none();
                let term = if plain { word.to_owned() } else { format!("{}:{word}", facet.word()) };
                push(facet.word(), term, word, Tag::new(*facet, word).ok().and_then(|t| self.tags.get(&t)));
            }
        }
        for facet in Facet::ALL.iter().filter(|f| f.is_free()) {
            let own = self.tags.iter().filter(|(t, _)| t.facet() == *facet).map(|(t, n)| (t.word(), *n));
            for (word, count) in own.collect::<BTreeMap<_, _>>() {
                push(facet.word(), keyed_term(facet.word(), word), word, Some(&count));
            }
        }
        for (group, all) in [("label", &self.labels), ("roll", &self.rolls)] {
            for (word, count) in all.iter().collect::<BTreeMap<_, _>>() {
                push(group, keyed_term(group, word), word, Some(count));
            }
        }
        for flag in Flag::ALL {
            push("is", flag.word().to_owned(), flag.word(), self.flags.get(flag));
        }
        counted
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn record() -> SearchRecord {
        SearchRecord {
            tier: Tier::Strong,
            tags: ["framing:close", "subject:tower bell", "own:glass"]
                .into_iter()
                .map(|t| Tag::try_from(t.to_owned()).expect("a tag"))
                .collect(),
            suggested: vec![Tag::try_from("movement:right".to_owned()).expect("a tag")],
            energy: 72.0,
            slow: 2.5,
            length: 3.2,
            rate: 59.94,
            flags: BTreeSet::from([Flag::Sound, Flag::Shaky]),
            label: Some("flare".into()),
            name: "HM2_C088".into(),
            roll: "tower, day two".into(),
            note: "the clapper comes late, inside the bell".into(),
        }
    }

    fn finds(text: &str) -> bool {
        let (query, wrong) = Query::parse(text);
        assert_eq!(wrong, [], "{text}");
        query.holds(&record())
    }

    #[test]
    fn everything_that_is_asked_for_together_must_hold() {
        for text in [
            "",
            "close strong ~right energy>60 slow>=2x length<4 -night roll:tower bell",
            "hero,strong",
            "-hero,spare",
            "framing:close,wide",
            "roll:river,tower",
            "subject:\"tower bell\"",
            "\"comes late\"",
            "c088",
            "HM2_C088",
            "label:flare",
            "sound -muted -silent",
            "rate=59.94 energy=72",
            "length<=3.2 length>0:03",
            "note:clapper",
            "labelled noted",
            "shaky -unsharp -underexposed -overexposed",
        ] {
            assert!(finds(text), "{text}");
        }
        for text in [
            "wide",
            "hero",
            "right",
            "energy<60",
            "slow>2.5x",
            "-close",
            "roll:bell",
            "late comes\u{20}-bell",
            "in",
            "\"late comes\"",
            "clap",
            "muted",
            "name:tower",
            "movement:out",
            "out",
        ] {
            assert!(!finds(text), "{text}");
        }
    }

    /// A quote without a word in it asks for something that stands nowhere; it must not look like no question at all.
    #[test]
    fn a_quote_of_signs_alone_finds_nothing() {
        for text in ["\"!?\"", "\"—\"", "name:\"…\"", "close \"...\""] {
            assert!(!finds(text), "{text}");
        }
        // An empty quote is not typed to the end yet.
        assert!(finds("\"\"") && finds("close \"\""));
        assert_eq!(Query::parse("\"\"").0, Query::default());
    }

    #[test]
    fn what_a_person_said_counts_before_what_is_suggested() {
        let mut said = record();
        said.tags.insert(Tag::try_from("movement:left".to_owned()).expect("a tag"));
        let (query, _) = Query::parse("~right");
        assert!(!query.holds(&said));
        assert!(Query::parse("~left").0.holds(&said));
    }

    #[test]
    fn a_bad_word_is_explained_and_the_rest_still_counts() {
        let (query, wrong) = Query::parse("close mood:sad energy>loud speed<3 framing:sideways ~bell \"open");
        assert!(query.holds(&SearchRecord { note: "open".into(), ..record() }));
        let outcome: Vec<String> = wrong.iter().map(NarrowError::to_string).collect();
        insta::assert_snapshot!(outcome.join("\n"), @r#"
        “"”: a quote is not closed
        “mood:sad”: nothing is called mood: there are name, roll, note, label, tag, tier, framing, role, light, movement, subject, own
        “energy>loud”: a number belongs behind the sign
        “speed<3”: only energy, slow, length, rate can be compared
        “framing:sideways”: framing is one of wide, medium, close, detail, overhead
        “~bell”: only framing, role, light and movement can be suggested
        "#);
        assert_eq!(Query::parse("belll close").0.nowhere(&[record()]), ["belll"]);
    }

    #[test]
    fn values_are_counted_as_pressing_them_would_show() {
        let other = SearchRecord { tier: Tier::Hero, tags: BTreeSet::new(), label: None, ..record() };
        let all = [record(), other];
        let count = |text: &str, term: &str| {
            Query::parse(text).0.over(&all).counts.into_iter().find(|c| c.term == term).map_or(0, |c| c.count)
        };
        assert_eq!((count("", "hero"), count("", "close"), count("", "own:glass")), (1, 1, 1));
        assert_eq!(count("", "roll:\"tower, day two\""), 2);
        // Another tier is an alternative to the one that is asked for; another word narrows further.
        assert_eq!((count("hero", "strong"), count("hero", "close"), count("hero", "sound")), (1, 0, 1));
    }

    proptest! {
        #[test]
        fn whatever_is_typed_is_read(text in "\\PC{0,80}") {
            let (query, _) = Query::parse(&text);
            prop_assert_eq!(query.over(&[record()]).found, [query.holds(&record())]);
        }

        #[test]
        fn each_counted_term_finds_as_many_as_it_says(which in 0usize..40) {
            let all = [record(), SearchRecord { tier: Tier::Out, tags: BTreeSet::new(), flags: BTreeSet::from([Flag::Upright]), ..record() }];
            let counts = Query::default().over(&all).counts;
            let counted = &counts[which % counts.len()];
            let (query, wrong) = Query::parse(&counted.term);
            prop_assert!(wrong.is_empty());
            prop_assert_eq!(all.iter().filter(|s| query.holds(s)).count(), counted.count, "{}", counted.term);
        }
    }
}
