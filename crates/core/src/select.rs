//! Selects: the ranges of clips that an editor keeps, with verdict and tags.

use crate::time::Seconds;
use crate::words;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// The editor's verdict. Ordered: a later one is a better one.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    Default,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
pub enum Tier {
    /// Not to be used.
    Out,
    /// No verdict yet.
    #[default]
    Unread,
    /// Used where nothing better fits.
    Spare,
    /// A first choice.
    Strong,
    /// The best there is.
    Hero,
}

words!(Tier);

impl Tier {
    /// Those that a person says.
    pub const VERDICTS: [Self; 4] = [Self::Out, Self::Spare, Self::Strong, Self::Hero];
}

/// What a tag speaks of. Framing, role, light and movement have their words; subject and own are free.
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
pub enum Facet {
    /// How much of the subject the picture shows.
    Framing,
    /// What the shot does in the cut.
    Role,
    /// When and where it was recorded.
    Light,
    /// Which way the camera goes.
    Movement,
    /// What is to be seen.
    Subject,
    /// People's own words.
    Own,
}

words!(Facet);

impl Facet {
    /// The words of the facet; none for the free ones.
    pub fn words(self) -> Vec<&'static str> {
        fn of<T: Copy + Into<&'static str>>(all: &[T]) -> Vec<&'static str> {
            all.iter().map(|one| (*one).into()).collect()
        }
        match self {
            Self::Framing => of(Framing::ALL),
            Self::Role => of(Role::ALL),
            Self::Light => of(Light::ALL),
            Self::Movement => of(Movement::ALL),
            Self::Subject | Self::Own => Vec::new(),
        }
    }

    /// Whether its words are people's own.
    pub fn is_free(self) -> bool {
        matches!(self, Self::Subject | Self::Own)
    }
}

/// How much of the subject the picture shows.
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
    Serialize,
    Deserialize,
)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum Framing {
    /// The place and all in it.
    Wide,
    /// A person or a thing with what is around it.
    Medium,
    /// A face, a hand, a thing.
    Close,
    /// A part of a thing.
    Detail,
    /// From straight above.
    Overhead,
}

words!(Framing);

/// What a shot does in the cut.
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
    Serialize,
    Deserialize,
)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
pub enum Role {
    /// Says where and when.
    Establishing,
    /// Shows what is done.
    Action,
    /// Shows what was hidden.
    Reveal,
    /// Looks at something else meanwhile.
    Cutaway,
    /// Ends it.
    Closing,
}

words!(Role);

/// When and where a shot was recorded.
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
    Serialize,
    Deserialize,
)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum Light {
    /// By daylight.
    Day,
    /// About sunset or sunrise.
    Dusk,
    /// In the dark.
    Night,
    /// Under a roof.
    Inside,
}

words!(Light);

/// Which way the camera goes.
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
    Serialize,
    Deserialize,
)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
pub enum Movement {
    /// Not at all.
    Still,
    /// To the left.
    Left,
    /// To the right.
    Right,
    /// Upward.
    Up,
    /// Downward.
    Down,
    /// Nearer.
    In,
    /// Farther.
    Out,
}

words!(Movement);

/// What is wrong with a range or a tag.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SelectError {
    /// A mark is on the wrong side of another.
    #[error("in must come before out, and the hit must lie between them")]
    Order,
    /// A mark lies beyond the ends of the clip.
    #[error("the range reaches beyond the clip")]
    Outside,
    /// The instant belongs to another select of the clip.
    #[error("this lies in another select of the clip: go there, or join the two")]
    Taken,
    /// The range would run over another select of the clip.
    #[error("another select of the clip lies between: make a new one here")]
    Between,
    /// A text that is no tag.
    #[error("\"{0}\" is not a tag Legere knows")]
    NotATag(String),
}

/// A word of a person's own: 1–40 characters, in lower case, without control characters.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS), ts(type = "string"))]
pub struct FreeWord(String);

impl TryFrom<String> for FreeWord {
    type Error = SelectError;
    fn try_from(text: String) -> Result<Self, SelectError> {
        Self::new(&text).ok_or_else(|| SelectError::NotATag(text.chars().take(40).collect()))
    }
}

impl From<FreeWord> for String {
    fn from(word: FreeWord) -> Self {
        word.0
    }
}

impl FreeWord {
    /// Trims and lowers a text; none of a text that is no word.
    pub fn new(text: &str) -> Option<Self> {
        let word = text.trim().to_lowercase();
        let fits = (1..=40).contains(&word.chars().count()) && !word.chars().any(char::is_control);
        fits.then_some(Self(word))
    }

    /// What it says.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

/// The tone of a label: a colour of ink, by which people tell their own heaps apart.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    Default,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub enum Tone {
    /// Yellow.
    #[default]
    Straw,
    /// Red.
    Clay,
    /// Green.
    Moss,
    /// Blue.
    Sky,
    /// Violet.
    Plum,
    /// Grey.
    Ash,
}

words!(Tone);

/// A category of people's own, as a word in a tone.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "wire", derive(ts_rs::TS))]
pub struct Label {
    /// What it says.
    pub word: FreeWord,
    /// Its colour.
    pub tone: Tone,
}

/// A tag, written `facet:word`.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
#[cfg_attr(feature = "wire", derive(ts_rs::TS), ts(type = "string"))]
pub enum Tag {
    /// How much of the subject the picture shows.
    Framing(Framing),
    /// What the shot does in the cut.
    Role(Role),
    /// When and where it was recorded.
    Light(Light),
    /// Which way the camera goes.
    Movement(Movement),
    /// What is to be seen.
    Subject(FreeWord),
    /// A word of a person's own.
    Own(FreeWord),
}

impl Tag {
    /// Reads the word of a facet, in any case.
    pub fn new(facet: Facet, word: &str) -> Result<Self, SelectError> {
        let known = word.trim().to_lowercase();
        let tag = match facet {
            Facet::Framing => Framing::from_word(&known).map(Self::Framing),
            Facet::Role => Role::from_word(&known).map(Self::Role),
            Facet::Light => Light::from_word(&known).map(Self::Light),
            Facet::Movement => Movement::from_word(&known).map(Self::Movement),
            Facet::Subject => FreeWord::new(word).map(Self::Subject),
            Facet::Own => FreeWord::new(word).map(Self::Own),
        };
        tag.ok_or_else(|| SelectError::NotATag(known.chars().take(40).collect()))
    }

    /// What it speaks of.
    pub fn facet(&self) -> Facet {
        match self {
            Self::Framing(_) => Facet::Framing,
            Self::Role(_) => Facet::Role,
            Self::Light(_) => Facet::Light,
            Self::Movement(_) => Facet::Movement,
            Self::Subject(_) => Facet::Subject,
            Self::Own(_) => Facet::Own,
        }
    }

    /// What it says.
    pub fn word(&self) -> &str {
        match self {
            Self::Framing(framing) => framing.word(),
            Self::Role(role) => role.word(),
            Self::Light(light) => light.word(),
            Self::Movement(movement) => movement.word(),
            Self::Subject(word) | Self::Own(word) => &word.0,
        }
    }
}

impl TryFrom<String> for Tag {
    type Error = SelectError;
    fn try_from(text: String) -> Result<Self, SelectError> {
        let wrong = || SelectError::NotATag(text.chars().take(40).collect());
        let (facet, word) = text.split_once(':').ok_or_else(wrong)?;
        Self::new(Facet::from_word(facet).ok_or_else(wrong)?, word)
    }
}

impl From<Tag> for String {
    fn from(tag: Tag) -> Self {
        format!("{}:{}", tag.facet().word(), tag.word())
    }
}

/// In, out (exclusive) and hit of a select: `in ≤ hit < out`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "RawRange")]
pub struct Range {
    start: Seconds,
    end: Seconds,
    hit: Seconds,
}

#[derive(Deserialize)]
struct RawRange {
    start: Seconds,
    end: Seconds,
    hit: Seconds,
}

impl TryFrom<RawRange> for Range {
    type Error = SelectError;
    fn try_from(raw: RawRange) -> Result<Self, SelectError> {
        Self::new(raw.start, raw.end, raw.hit)
    }
}

/// Selects of one clip: more than an hour of take has events.
pub const MOST_SELECTS: usize = 600;
/// Tags of one select, or of one clip: more than anybody reads.
pub const MOST_TAGS: usize = 60;
/// Characters of a note.
pub const LONGEST_NOTE: usize = 500;

/// Which share of a range has passed at its hit, where nothing says where it is: numerator and denominator.
pub const USUAL_HIT: (i64, i64) = (2, 5);

/// The three marks an editor sets.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Mark {
    /// Where the range begins.
    In,
    /// Where it ends, exclusive.
    Out,
    /// Where it happens.
    Hit,
}

impl Range {
    /// Of marks that are in order.
    pub fn new(start: Seconds, end: Seconds, hit: Seconds) -> Result<Self, SelectError> {
        if start.is_negative() || start > hit || hit >= end {
            return Err(SelectError::Order);
        }
        Ok(Self { start, end, hit })
    }

    /// The in.
    pub fn start(&self) -> Seconds {
        self.start
    }

    /// The out, exclusive.
    pub fn end(&self) -> Seconds {
        self.end
    }

    /// Where it happens.
    pub fn hit(&self) -> Seconds {
        self.hit
    }

    /// From in to out.
    pub fn duration(&self) -> Seconds {
        self.end - self.start
    }

    /// Seconds of a part of the clip that lie before the in, and after the out.
    pub fn beyond(&self, start: Seconds, end: Seconds) -> (f64, f64) {
        ((self.start - start).to_f64().max(0.0), (end - self.end).to_f64().max(0.0))
    }

    /// Sets one mark and moves the others only as far as they must: an in behind the out takes the rest of the
    /// clip, a hit outside takes the range with it.
    pub fn with(self, mark: Mark, at: Seconds, clip: Seconds) -> Result<Self, SelectError> {
        if at.is_negative() || at > clip {
            return Err(SelectError::Outside);
        }
        let (mut start, mut end, mut hit) = (self.start, self.end, self.hit);
        match mark {
            Mark::In => {
                start = at;
                if end <= start {
                    end = clip;
                }
                hit = hit.max(start);
                if hit >= end {
                    hit = start;
                }
            }
            Mark::Out => {
                end = at;
                if start >= end {
                    start = Seconds::ZERO;
                }
                if hit >= end {
                    hit = start;
                }
            }
            Mark::Hit => {
                hit = at;
                start = start.min(hit);
                if end <= hit {
                    end = clip;
                }
            }
        }
        Self::new(start, end, hit)
    }

    /// Whether both show an instant of their clip.
    pub fn overlaps(&self, other: &Self) -> bool {
        self.start < other.end && self.end > other.start
    }

    /// As [`with`](Self::with), beside the other selects of the clip: what has no end of its own ends where the next one
    /// begins, and no mark lays a select over another.
    pub fn marked(self, mark: Mark, at: Seconds, clip: Seconds, others: &[Self]) -> Result<Self, SelectError> {
        if others.iter().any(|o| at > o.start && at < o.end) {
            return Err(SelectError::Taken);
        }
        let next = others.iter().map(|o| o.start).filter(|start| *start >= at).min().unwrap_or(clip);
        let room = if at <= clip { next.min(clip) } else { clip };
        let marked = self.with(mark, at, room)?;
        if mark == Mark::Out && self.start >= at {
            // An out before the in takes what is free before it.
            let before = others.iter().map(|o| o.end).filter(|end| *end <= at).max().unwrap_or(Seconds::ZERO);
            return Self::new(before, at, before.max(marked.hit));
        }
        marked.beside(self, others)
    }

    /// Itself, unless it lies over another select of its clip that `before` did not lie over.
    pub fn beside(self, before: Self, others: &[Self]) -> Result<Self, SelectError> {
        if others.iter().any(|o| self.overlaps(o) && !before.overlaps(o)) {
            Err(SelectError::Between)
        } else {
            Ok(self)
        }
    }
}

/// What the editor says of a select; the part of it that edits change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Verdict {
    /// In, out and hit.
    pub range: Range,
    /// The editor’s verdict.
    pub tier: Tier,
    /// One word of each facet that has its own, any of the others.
    pub tags: BTreeSet<Tag>,
    /// What a person wrote beside it.
    pub note: String,
    /// A category of people's own.
    #[serde(default)]
    pub label: Option<Label>,
    /// The pass in which its tier was said last; 0 before the first.
    #[serde(default)]
    pub pass: u32,
}

/// Tags of a clip and of one of its selects together: what was said of the select itself counts where both answer.
pub fn tags_with(own: &BTreeSet<Tag>, of_clip: &BTreeSet<Tag>) -> BTreeSet<Tag> {
    let answered = |tag: &Tag| !tag.facet().is_free() && own.iter().any(|t| t.facet() == tag.facet());
    own.iter().chain(of_clip.iter().filter(|t| !answered(t))).cloned().collect()
}

/// How much of the subject the picture shows, where that was said.
pub fn framing_of(tags: &BTreeSet<Tag>) -> Option<Framing> {
    tags.iter().find_map(|tag| if let Tag::Framing(framing) = tag { Some(*framing) } else { None })
}

/// In what light, where that was said.
pub fn light_of(tags: &BTreeSet<Tag>) -> Option<Light> {
    tags.iter().find_map(|tag| if let Tag::Light(light) = tag { Some(*light) } else { None })
}

/// What the shot does in the cut, where that was said.
pub fn role_of(tags: &BTreeSet<Tag>) -> Option<Role> {
    tags.iter().find_map(|tag| if let Tag::Role(role) = tag { Some(*role) } else { None })
}

/// Which way the camera goes, where that was said.
pub fn movement_of(tags: &BTreeSet<Tag>) -> Option<Movement> {
    tags.iter().find_map(|tag| if let Tag::Movement(movement) = tag { Some(*movement) } else { None })
}

/// Puts a tag on or takes it off. Framing, role, light and movement have one answer each, so another word of the same facet
/// goes.
pub fn put_tag(tags: &mut BTreeSet<Tag>, tag: Tag, on: bool) {
    if !on {
        tags.remove(&tag);
        return;
    }
    if !tag.facet().is_free() {
        tags.retain(|t| t.facet() != tag.facet());
    }
    tags.insert(tag);
}

impl Verdict {
    /// Before a person said anything.
    pub fn unread(range: Range) -> Self {
        Self { range, tier: Tier::Unread, tags: BTreeSet::new(), note: String::new(), label: None, pass: 0 }
    }

    /// Puts the tag on, or takes it off.
    pub fn toggle(&mut self, tag: Tag) {
        let on = !self.tags.contains(&tag);
        put_tag(&mut self.tags, tag, on);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn s(ms: i64) -> Seconds {
        Seconds::new(ms, 1000).expect("seconds")
    }

    #[test]
    fn one_word_per_facet_but_many_of_ones_own() {
        let mut verdict = Verdict::unread(Range::new(s(0), s(10), s(5)).expect("range"));
        for tag in ["framing:wide", "framing:close", "own:brass", "own:dust"] {
            verdict.toggle(Tag::try_from(tag.to_owned()).expect("a tag"));
        }
        let tags: Vec<String> = verdict.tags.iter().cloned().map(String::from).collect();
        assert_eq!(tags, ["framing:close", "own:brass", "own:dust"]);
        verdict.toggle(Tag::new(Facet::Framing, "close").expect("a tag"));
        assert_eq!((framing_of(&verdict.tags), role_of(&verdict.tags)), (None, None));
    }

    #[test]
    fn what_is_said_of_a_clip_holds_for_its_selects_until_they_say_otherwise() {
        let tags = |all: &[&str]| -> BTreeSet<Tag> {
            all.iter().map(|t| Tag::try_from((*t).to_owned()).expect("a tag")).collect()
        };
        let of_clip = tags(&["light:night", "framing:wide", "own:brass"]);
        assert_eq!(
            tags_with(&tags(&["framing:close", "own:dust"]), &of_clip),
            tags(&["framing:close", "light:night", "own:brass", "own:dust"])
        );
        assert_eq!(tags_with(&BTreeSet::new(), &of_clip), of_clip);
    }

    #[test]
    fn tiers_are_in_the_order_of_their_worth_and_have_their_words() {
        let worth = [Tier::Out, Tier::Unread, Tier::Spare, Tier::Strong, Tier::Hero];
        assert!(worth.windows(2).all(|w| w[0] < w[1]));
        for tier in worth {
            assert_eq!(Tier::from_word(tier.word()), Some(tier));
            assert_eq!(serde_json::to_string(&tier).expect("json"), format!("\"{}\"", tier.word()));
        }
        assert_eq!(Tier::from_word("best"), None);
        assert!(!Tier::VERDICTS.contains(&Tier::Unread), "nobody says unread");
    }

    #[test]
    fn every_facet_has_words_or_is_free() {
        for facet in Facet::ALL {
            let facet = *facet;
            let free = facet.is_free();
            assert_eq!(facet.words().is_empty(), free, "{facet:?}");
            assert_eq!(Tag::new(facet, "Brass ").is_ok(), free, "{facet:?}");
            for word in facet.words() {
                let tag = Tag::new(facet, word).expect("a tag");
                assert_eq!(String::from(tag.clone()), format!("{}:{word}", facet.word()));
                assert_eq!(Tag::try_from(String::from(tag.clone())), Ok(tag));
            }
        }
        assert_eq!(Tag::new(Facet::Own, &"x".repeat(41)), Err(SelectError::NotATag("x".repeat(40))));
    }

    #[test]
    fn a_range_is_in_order_however_it_comes() {
        assert_eq!(Range::new(s(5), s(4), s(4)), Err(SelectError::Order));
        assert_eq!(Range::new(s(0), s(4), s(4)), Err(SelectError::Order), "out is exclusive");
        assert_eq!(Range::new(s(-1), s(4), s(1)), Err(SelectError::Order));
        let kept = Range::new(s(1000), s(4000), s(2500)).expect("range");
        assert_eq!(kept.duration(), s(3000));
        let text = serde_json::to_string(&kept).expect("json");
        assert_eq!(serde_json::from_str::<Range>(&text).expect("reads back"), kept);
        let broken = r#"{"start":"3/1","end":"1/1","hit":"2/1"}"#;
        assert!(serde_json::from_str::<Range>(broken).is_err(), "no file and no form brings a range out of order");
        assert_eq!(kept.with(Mark::Out, s(99_000), s(10_000)), Err(SelectError::Outside));
    }

    #[test]
    fn marks_leave_the_other_selects_of_a_clip_alone() {
        let range = |a, b, hit| Range::new(s(a), s(b), s(hit)).expect("range");
        let (mine, others) = (range(3000, 4000, 3500), [range(1000, 2000, 1000), range(6000, 7000, 6500)]);
        let marked = |mark, at| mine.marked(mark, s(at), s(10_000), &others);
        assert_eq!(marked(Mark::Out, 5000), Ok(range(3000, 5000, 3500)));
        assert_eq!(marked(Mark::Out, 6000), Ok(range(3000, 6000, 3500)), "up to the next one");
        assert_eq!(marked(Mark::In, 4500), Ok(range(4500, 6000, 4500)), "what is left is left of the other one too");
        assert_eq!(marked(Mark::Hit, 5000), Ok(range(3000, 6000, 5000)));
        assert_eq!(marked(Mark::Out, 2500), Ok(range(2000, 2500, 2000)), "an out before the in takes what is free");
        assert_eq!(marked(Mark::In, 1500), Err(SelectError::Taken));
        assert_eq!(marked(Mark::Out, 6500), Err(SelectError::Taken));
        assert_eq!(marked(Mark::In, 500), Err(SelectError::Between));
        assert_eq!(marked(Mark::Out, 8000), Err(SelectError::Between));
        assert_eq!(marked(Mark::Out, 11_000), Err(SelectError::Outside));
        // What lay over another one before may be made shorter.
        let over = range(1500, 4000, 3500);
        assert_eq!(over.marked(Mark::Out, s(3600), s(10_000), &others), Ok(range(1500, 3600, 3500)));
    }

    #[test]
    fn tags_that_nobody_knows_are_refused() {
        for text in ["framing:sideways", "mood:sad", "close", "own:", "own:\u{7}"] {
            assert!(Tag::try_from(text.to_owned()).is_err(), "{text}");
        }
    }

    proptest! {
        #[test]
        fn whatever_is_marked_the_range_stays_a_range(
            marks in proptest::collection::vec((0usize..3, 0i64..=10_000), 1..40)
        ) {
            let clip = s(10_000);
            let mut range = Range::new(s(1000), s(9000), s(4000)).expect("range");
            let others = [Range::new(s(9100), s(9500), s(9200)).expect("range"), Range::new(s(200), s(800), s(200)).expect("range")];
            let mut beside = range;
            for (which, at) in &marks {
                let mark = [Mark::In, Mark::Out, Mark::Hit][*which];
                if let Ok(next) = beside.marked(mark, s(*at), clip, &others) {
                    prop_assert!(others.iter().all(|o| !next.overlaps(o)), "{:?} {:?}", next, mark);
                    let set = match mark { Mark::In => next.start(), Mark::Out => next.end(), Mark::Hit => next.hit() };
                    prop_assert_eq!(set, s(*at));
                    beside = next;
                }
            }
            for (which, at) in marks {
                let mark = [Mark::In, Mark::Out, Mark::Hit][which];
                if let Ok(next) = range.with(mark, s(at), clip) {
                    prop_assert!(!next.start().is_negative() && next.start() <= next.hit());
                    prop_assert!(next.hit() < next.end() && next.end() <= clip);
                    let set = match mark { Mark::In => next.start(), Mark::Out => next.end(), Mark::Hit => next.hit() };
                    prop_assert_eq!(set, s(at));
                    range = next;
                }
            }
        }
    }
}
