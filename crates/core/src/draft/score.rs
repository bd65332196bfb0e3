//! The score of a draft: the music under its pictures, one passage after the other.
//!
//! A passage is a version of a track. The first begins with the piece, each other one exactly where a shot begins, wherever that
//! shot is moved to; a passage ends where the next one begins.

use super::Draft;
use crate::id::{ShotId, TrackId};
use crate::time::{FrameLen, FramePos, FrameRate, Seconds};
use crate::track::Version;
use serde::{Deserialize, Serialize};

/// No score has more passages.
pub const MOST_PASSAGES: usize = 12;

/// A track under a stretch of the pictures.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Passage {
    /// Which one.
    pub track: TrackId,
    /// As it is used.
    pub version: Version,
    /// The shot that it begins with; none for the first passage, which begins with the piece.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<ShotId>,
    /// The version was made for this draft: how the track is used in Listen does not concern it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub own: bool,
}

/// One passage at least.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "Stored")]
pub struct Score(Vec<Passage>);

/// Scores had one passage once.
#[derive(Deserialize)]
#[serde(untagged)]
enum Stored {
    One { track: TrackId, version: Version },
    Many(Vec<Passage>),
}

impl TryFrom<Stored> for Score {
    type Error = &'static str;
    fn try_from(stored: Stored) -> Result<Self, Self::Error> {
        match stored {
            Stored::One { track, version } => Ok(Self::one(track, version)),
            Stored::Many(passages) if passages.is_empty() => Err("a score has one passage at least"),
            Stored::Many(passages) => Ok(Self(passages)),
        }
    }
}

/// A passage where it is heard.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlacedPassage<'a> {
    /// Where it begins.
    pub start: FramePos,
    /// For how long it has the pictures.
    pub len: FrameLen,
    /// Which one it is.
    pub passage: &'a Passage,
    /// Its version as far as it is heard before the next passage begins; the last one to its end.
    pub heard: Version,
}

impl Score {
    /// One track under the whole piece.
    pub fn one(track: TrackId, version: Version) -> Self {
        Self(vec![Passage { track, version, from: None, own: false }])
    }

    /// The same, on a version that was made for the draft.
    pub fn own(track: TrackId, version: Version) -> Self {
        Self(vec![Passage { track, version, from: None, own: true }])
    }

    /// In their order; the first begins with the piece.
    pub fn passages(&self) -> &[Passage] {
        &self.0
    }

    /// The passages under a draft, by where they begin. One whose shot is not in the draft is not heard.
    pub fn placed(&self, cut: &Draft) -> Vec<PlacedPassage<'_>> {
        let start_of = |p: &Passage| match p.from {
            None => Some(FramePos::new(0)),
            Some(shot) => cut.placed().find(|(_, s)| s.id == shot).map(|(at, _)| at),
        };
        let mut starts: Vec<(FramePos, usize)> =
            self.0.iter().enumerate().filter_map(|(i, p)| Some((start_of(p)?, i))).collect();
        starts.sort_unstable();
        // Two that begin on one shot: the later one is meant.
        starts.dedup_by(|later, earlier| {
            let same = later.0 == earlier.0;
            if same {
                earlier.1 = later.1;
            }
            same
        });
        let total = FramePos::new(0).end(cut.len()).unwrap_or(FramePos::new(0));
        let ends = starts.iter().skip(1).map(|(at, _)| Some(*at)).chain([None]);
        starts
            .iter()
            .zip(ends)
            .map(|(&(start, index), end)| {
                let passage = &self.0[index];
                let len = end.unwrap_or(total).since(start).unwrap_or(FrameLen::new(0));
                let heard = match end {
                    Some(_) => passage.version.cut_to(cut.rate().seconds_of(len)),
                    None => passage.version.clone(),
                };
                PlacedPassage { start, len, passage, heard }
            })
            .collect()
    }

    /// How long it is under a draft: to the end of its last passage.
    pub fn duration(&self, cut: &Draft) -> Seconds {
        let rate: FrameRate = cut.rate();
        self.placed(cut).last().map_or(Seconds::ZERO, |p| rate.seconds_at(p.start) + p.heard.duration())
    }

    /// The score after an edit: a passage whose shot is gone begins with the one that is nearest to where it began.
    #[must_use]
    pub fn after(&self, before: &Draft, after: &Draft) -> Self {
        let mut next = self.clone();
        for passage in &mut next.0 {
            let Some(shot) = passage.from.filter(|shot| after.index_of(*shot).is_none()) else { continue };
            let Some((was, _)) = before.placed().find(|(_, s)| s.id == shot) else { continue };
            let nearest = after.placed().skip(1).min_by_key(|(at, _)| at.get().abs_diff(was.get()));
            passage.from = nearest.map(|(_, s)| s.id).or(passage.from);
        }
        next
    }

    /// With a passage that begins with a shot, in the place of one that does so already; none when there are too many.
    #[must_use]
    pub fn with(&self, passage: Passage) -> Option<Self> {
        let mut next = self.clone();
        match next.0.iter().position(|p| p.from == passage.from) {
            Some(at) => next.0[at] = passage,
            None if next.0.len() >= MOST_PASSAGES => return None,
            None => next.0.push(passage),
        }
        Some(next)
    }

    /// Without the passage that begins with a shot: the one before goes on.
    #[must_use]
    pub fn without(&self, shot: ShotId) -> Self {
        Self(self.0.iter().filter(|p| p.from != Some(shot)).cloned().collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::draft::{Edit, Shot, Source, TimeFrom};
    use crate::id::{ClipId, SelectId};

    fn s(n: i64) -> Seconds {
        Seconds::new(n, 1).expect("seconds")
    }

    fn cut() -> Draft {
        let shot = |id: u128, len| Shot {
            id: ShotId::from_u128(id),
            len: FrameLen::new(len),
            source: Source::plain(SelectId::from_u128(id), ClipId::from_u128(id), s(1), s(60)),
            hit_at: None,
            pause: None,
            pin: crate::draft::Pin::Open,
            held: false,
        };
        Draft::new("25".parse().expect("a rate"), vec![shot(1, 100), shot(2, 100), shot(3, 100)]).expect("a draft")
    }

    fn passage(track: u128, from: Option<u128>) -> Passage {
        Passage {
            track: TrackId::from_u128(track),
            version: Version::part(s(10), s(40), s(60)).expect("a part"),
            from: from.map(ShotId::from_u128),
            own: false,
        }
    }

    #[test]
    fn the_next_passage_begins_exactly_with_its_shot_wherever_that_goes() {
        let first = passage(1, None);
        let score = Score::one(first.track, first.version).with(passage(2, Some(3))).expect("room");
        let reported = |score: &Score, cut: &Draft| -> Vec<(i64, u64, f64)> {
            score.placed(cut).iter().map(|p| (p.start.get(), p.len.get(), p.heard.duration().to_f64())).collect()
        };
        // The first is heard for eight seconds, the last one to its own end.
        assert_eq!(reported(&score, &cut()), [(0, 200, 8.0), (200, 100, 30.0)]);
        assert!((score.duration(&cut()).to_f64() - 38.0).abs() < 1e-6);
        let edit =
            Edit::TrimEnd { shot: ShotId::from_u128(1), by: crate::time::FrameShift::new(25), from: TimeFrom::Whole };
        assert_eq!(reported(&score, &cut().apply(&edit).expect("room"))[1].0, 225);
        // Its shot goes: it begins with the nearest one.
        let removed =
            cut().apply(&Edit::Remove { shot: ShotId::from_u128(3), from: TimeFrom::Whole }).expect("removed");
        assert_eq!(score.after(&cut(), &removed).passages()[1].from, Some(ShotId::from_u128(2)));
        assert_eq!(reported(&score.without(ShotId::from_u128(3)), &cut()), [(0, 300, 30.0)]);
        // In the place of one that begins there already.
        let other = score.with(passage(3, Some(3))).expect("room");
        assert_eq!(other.passages().len(), 2);
    }

    #[test]
    fn scores_of_one_track_from_before_are_read() {
        let old = serde_json::json!({ "track": TrackId::from_u128(1), "version": passage(1, None).version });
        let score: Score = serde_json::from_value(old).expect("it reads");
        assert_eq!(score, Score::one(TrackId::from_u128(1), passage(1, None).version));
        let many = score.with(passage(2, Some(3))).expect("room");
        let text = serde_json::to_string(&many).expect("json");
        assert_eq!(serde_json::from_str::<Score>(&text).expect("it reads"), many);
        assert!(serde_json::from_str::<Score>("[]").is_err());
    }
}
