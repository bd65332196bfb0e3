//! Plays notes with a soundfont.

use crate::corpus::note::Note;
use rustysynth::{MidiFile, MidiFileSequencer, SoundFont, Synthesizer, SynthesizerSettings};
use std::fs::File;
use std::path::Path;
use std::sync::Arc;

/// Where Debian's `timgm6mb-soundfont` puts its instruments.
pub const SOUNDFONT: &str = "/usr/share/sounds/sf2/TimGM6mb.sf2";

/// Where Debian's `fluid-soundfont-gm` puts its instruments, another set than the first.
pub const SECOND_SOUNDFONT: &str = "/usr/share/sounds/sf2/FluidR3_GM.sf2";

/// The channel of the drum kit.
pub(crate) const DRUMS: i32 = 9;

#[derive(Debug, thiserror::Error)]
pub enum PlayError {
    #[error("the soundfont of the Debian package timgm6mb-soundfont is not there: {0}")]
    NotThere(#[from] std::io::Error),
    #[error("the soundfont cannot be used: {0}")]
    NotUsable(String),
}

/// Instruments to play pieces with.
pub struct Band {
    instruments: Arc<SoundFont>,
    /// Notes begin on a block of so many samples.
    block: usize,
}

impl Band {
    pub fn from_debian() -> Result<Self, PlayError> {
        Self::open(Path::new(SOUNDFONT))
    }

    pub fn open(soundfont: &Path) -> Result<Self, PlayError> {
        let mut file = File::open(soundfont)?;
        let instruments = SoundFont::new(&mut file).map_err(|e| PlayError::NotUsable(e.to_string()))?;
        // A third of a millisecond is finer than anything that is measured.
        Ok(Self { instruments: Arc::new(instruments), block: 8 })
    }

    /// Plays to three milliseconds only, several times as fast.
    pub fn hasty(self) -> Self {
        Self { block: 64, ..self }
    }

    /// Mono samples at `rate` hertz, full scale ±1, of notes sorted in any way. Each channel plays its program;
    /// [`DRUMS`] is the drum kit.
    pub(crate) fn play(
        &self,
        notes: &[Note],
        programs: &[(i32, i32)],
        seconds: f64,
        rate: u32,
    ) -> Result<Vec<f32>, PlayError> {
        let mut synth = self.synthesizer(rate)?;
        for (channel, program) in programs {
            synth.process_midi_message(*channel, 0xC0, *program, 0);
        }
        let mut events: Vec<(usize, bool, &Note)> = Vec::with_capacity(notes.len() * 2);
        let sample = |t: f64| (t.max(0.0) * f64::from(rate)).round() as usize;
        for note in notes {
            events.push((sample(note.at), true, note));
            events.push((sample(note.at + note.long), false, note));
        }
        events.sort_by_key(|(at, on, note)| (*at, *on, note.channel, note.key));
        let total = sample(seconds);
        let (mut left, mut right) = (vec![0.0f32; total], vec![0.0f32; total]);
        let mut done = 0;
        for (at, on, note) in events {
            let at = at.min(total);
            synth.render(&mut left[done..at], &mut right[done..at]);
            done = at;
            if on {
                synth.note_on(note.channel, note.key, note.velocity);
            } else {
                synth.note_off(note.channel, note.key);
            }
        }
        synth.render(&mut left[done..], &mut right[done..]);
        Ok(mono(&left, &right))
    }

    /// The same of the first seconds of a MIDI file.
    pub(crate) fn perform(&self, midi: &[u8], seconds: f64, rate: u32) -> Result<Vec<f32>, PlayError> {
        let file = MidiFile::new(&mut &*midi).map_err(|e| PlayError::NotUsable(e.to_string()))?;
        let mut sequencer = MidiFileSequencer::new(self.synthesizer(rate)?);
        sequencer.play(&Arc::new(file), false);
        let total = (seconds * f64::from(rate)) as usize;
        let (mut left, mut right) = (vec![0.0f32; total], vec![0.0f32; total]);
        sequencer.render(&mut left, &mut right);
        Ok(mono(&left, &right))
    }

    fn synthesizer(&self, rate: u32) -> Result<Synthesizer, PlayError> {
        let mut settings = SynthesizerSettings::new(rate as i32);
        settings.block_size = self.block;
        Synthesizer::new(&self.instruments, &settings).map_err(|e| PlayError::NotUsable(e.to_string()))
    }
}

fn mono(left: &[f32], right: &[f32]) -> Vec<f32> {
    let mono: Vec<f32> = left.iter().zip(right).map(|(l, r)| (l + r) / 2.0).collect();
    let peak = mono.iter().fold(0.0f32, |m, v| m.max(v.abs())).max(1e-6);
    mono.into_iter().map(|v| v * 0.9 / peak).collect()
}

/// The samples in a file, or those that are played now and then kept in it.
pub(crate) fn kept_or(file: &Path, play: impl FnOnce() -> Result<Vec<f32>, PlayError>) -> Result<Vec<f32>, PlayError> {
    if let Ok(bytes) = std::fs::read(file) {
        return Ok(bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect());
    }
    let samples = play()?;
    std::fs::write(file, samples.iter().flat_map(|s| s.to_le_bytes()).collect::<Vec<u8>>())?;
    Ok(samples)
}

/// What differs has another number, in any session (FNV-1a).
pub(crate) fn fingerprint(bytes: impl Iterator<Item = u8>) -> u64 {
    bytes.fold(0xcbf2_9ce4_8422_2325, |h, b| (h ^ u64::from(b)).wrapping_mul(0x0100_0000_01b3))
}
