//! What a sound file is for: music that pictures are laid on, or a sound that lies under them.

use super::TrackReading;
use serde::{Deserialize, Serialize};

/// Whether a sound file is music or a sound.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, strum::EnumString, strum::IntoStaticStr)]
#[serde(rename_all = "lowercase")]
#[strum(serialize_all = "lowercase")]
pub enum SoundKind {
    /// To lay pictures on.
    Music,
    /// To lie under pictures.
    Sound,
}

/// Shorter than this is a sound, in seconds: an effect, a word, a bell.
const SHORTEST_MUSIC: f64 = 6.0;
/// Music has a beat nearly all along; what has fewer than one in three seconds is an ambience or speech.
const FEWEST_BEATS: f64 = 1.0 / 3.0;
/// How folders with sounds are named: wind has no beat, but an even noise seems to have one anywhere.
const SOUNDS: [&str; 12] = [
    "sound",
    "sounds",
    "ambience",
    "ambiences",
    "atmos",
    "atmo",
    "sfx",
    "fx",
    "foley",
    "effects",
    "roomtone",
    "wildtrack",
];
/// And those with music.
const MUSIC: [&str; 4] = ["music", "songs", "score", "tracks"];

impl SoundKind {
    /// By the folder that the file lies in, its length and its beats; `path` is that below its media folder.
    pub fn classified(path: &str, reading: &TrackReading) -> Self {
        let beats = reading.beats.len() as f64 / reading.duration.max(1.0);
        if in_folder(path) == Some(Self::Sound) || reading.duration < SHORTEST_MUSIC || beats < FEWEST_BEATS {
            Self::Sound
        } else {
            Self::Music
        }
    }
}

/// What the innermost folder says that says anything.
fn in_folder(path: &str) -> Option<SoundKind> {
    let (folders, _file) = path.rsplit_once('/')?;
    folders.rsplit('/').find_map(|folder| {
        let folder = folder.to_lowercase();
        let has = |words: &[&str]| folder.split(|c: char| !c.is_alphanumeric()).any(|word| words.contains(&word));
        if has(&MUSIC) { Some(SoundKind::Music) } else { has(&SOUNDS).then_some(SoundKind::Sound) }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::track::Beat;

    fn reading(duration: f64, beats_a_second: f64) -> TrackReading {
        let beat = |i| Beat { at: f64::from(i) / beats_a_second, bar: 1, beat: 1, strength: 0.5 };
        let count = (duration * beats_a_second) as i32;
        TrackReading { duration, beats: (0..count).map(beat).collect(), ..TrackReading::default() }
    }

    #[test]
    fn what_is_short_or_has_no_beat_is_a_sound() {
        assert_eq!(SoundKind::classified("music/theme.wav", &reading(60.0, 2.0)), SoundKind::Music);
        assert_eq!(SoundKind::classified("music/bell.wav", &reading(3.0, 2.0)), SoundKind::Sound);
        assert_eq!(SoundKind::classified("theme.wav", &reading(60.0, 0.1)), SoundKind::Sound);
    }

    #[test]
    fn the_innermost_folder_that_says_so_decides() {
        for (path, kind) in [
            ("Day 1/Ambience/market.wav", SoundKind::Sound),
            ("SFX_wood/knocks.wav", SoundKind::Sound),
            ("sound/music for it/theme.wav", SoundKind::Music),
            ("music/wild sounds/wind.wav", SoundKind::Sound),
            ("soundstage/theme.wav", SoundKind::Music),
            ("sounds.wav", SoundKind::Music),
        ] {
            assert_eq!(SoundKind::classified(path, &reading(60.0, 2.0)), kind, "{path}");
        }
    }
}
