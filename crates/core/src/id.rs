//! Ids, one type for each kind of thing: a clip's can not be given where a shot's is wanted.

use std::fmt;
use std::str::FromStr;

/// The text is not an id.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("this is not an id")]
pub struct NotAnId;

macro_rules! ids {
    ($($(#[$doc:meta])* $name:ident),* $(,)?) => {$(
        $(#[$doc])*
        #[derive(
            Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize,
        )]
        #[serde(transparent)]
        #[cfg_attr(feature = "wire", derive(ts_rs::TS), ts(type = "string"))]
        pub struct $name(uuid::Uuid);

        impl $name {
            /// Of an id that the database knows.
            pub const fn from_uuid(id: uuid::Uuid) -> Self {
                Self(id)
            }

            /// For tests and benches.
            pub const fn from_u128(id: u128) -> Self {
                Self(uuid::Uuid::from_u128(id))
            }

            /// As the database knows it.
            pub const fn uuid(self) -> uuid::Uuid {
                self.0
            }
        }

        impl From<uuid::Uuid> for $name {
            fn from(id: uuid::Uuid) -> Self {
                Self(id)
            }
        }

        impl From<$name> for uuid::Uuid {
            fn from(id: $name) -> Self {
                id.0
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }

        impl fmt::Debug for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                write!(f, concat!(stringify!($name), "({})"), self.0)
            }
        }

        impl FromStr for $name {
            type Err = NotAnId;
            fn from_str(text: &str) -> Result<Self, NotAnId> {
                text.parse().map(Self).or(Err(NotAnId))
            }
        }
    )*};
}

ids! {
    /// One commissioned piece.
    JobId,
    /// Clips that were recorded together.
    RollId,
    /// One recorded file.
    ClipId,
    /// A range of a clip.
    SelectId,
    /// A round through the selects.
    PassId,
    /// A piece of music.
    TrackId,
    /// One rough cut of a job.
    DraftId,
    /// One shot of a draft; outlives every edit that does not remove the shot.
    ShotId,
    /// A remark at a time of a draft.
    NoteId,
    /// A file made for the next person.
    HandoffId,
    /// One bringing in of files.
    ImportId,
    /// One open window: whose changes it shows already.
    SessionId,
    /// Whose undo an edit belongs to; until there are accounts, the person at one browser.
    PersonId,
}

/// Gives new shots their ids: the same ones for the same seed, since the core has no other randomness.
#[derive(Debug, Clone)]
pub struct ShotIds(u128);

impl ShotIds {
    /// `seed` must be another one for each edit that makes shots; a random id serves.
    pub const fn seeded(seed: u128) -> Self {
        Self(seed)
    }

    /// One that no other shot of this draft has.
    pub fn fresh(&mut self) -> ShotId {
        // Steps of a Weyl sequence with an odd increment meet every value once before one comes again.
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15_f39c_c060_5ced_c835);
        ShotId(uuid::Builder::from_random_bytes(self.0.to_be_bytes()).into_uuid())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_id_is_written_as_a_uuid_and_read_back() {
        let id = ClipId::from_u128(7);
        assert_eq!(id.to_string(), "00000000-0000-0000-0000-000000000007");
        assert_eq!(id.to_string().parse::<ClipId>(), Ok(id));
        assert_eq!(serde_json::to_string(&id).expect("json"), "\"00000000-0000-0000-0000-000000000007\"");
        assert_eq!("seven".parse::<ClipId>(), Err(NotAnId));
        assert_eq!(format!("{id:?}"), "ClipId(00000000-0000-0000-0000-000000000007)");
    }

    #[test]
    fn shots_get_other_ids_each_time_and_the_same_for_the_same_seed() {
        let take = |seed| {
            let mut ids = ShotIds::seeded(seed);
            (0..1000).map(|_| ids.fresh()).collect::<std::collections::BTreeSet<_>>()
        };
        assert_eq!(take(1).len(), 1000);
        assert_eq!(take(1), take(1));
        assert!(take(1).is_disjoint(&take(2)));
    }
}
