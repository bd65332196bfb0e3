//! A shoot and a piece of music that were read already, without any file: readings go straight into the database.

use super::{NOBODY, Server};
use legere_core::clip::{ClipProbe, SoundProbe};
use legere_core::footage::{ClipReading, Moment, Samples};
use legere_core::id::{ClipId, JobId, SelectId, TrackId};
use legere_core::time::{Seconds, Timecode};
use legere_core::track::{Beat, Cue, CueKind, Section, SectionKind, Trace, TrackReading, Version};
use legere_store::clips::{Clip, FileIdentity, NewClip};
use legere_store::tracks::NewTrack;
use serde_json::Value;

pub struct Shoot {
    pub job: JobId,
    pub clips: Vec<ClipId>,
    pub selects: Vec<SelectId>,
    pub track: TrackId,
}

pub fn probe(rate: &str, recorded: &str) -> ClipProbe {
    ClipProbe {
        duration: Seconds::new(8, 1).expect("seconds"),
        frame_rate: rate.parse().expect("a rate"),
        variable_rate: false,
        width: 1920,
        height: 1080,
        rotation: 0,
        has_sound: true,
        codec: "h264".into(),
        recorded_at: recorded.parse().ok(),
        timecode: Some(Timecode { frames: 180_000, drop: false }),
        camera: None,
        steady_rate: None,
        declared_rate: None,
        pixel_shape: None,
        picture: false,
    }
}

pub fn sound() -> SoundProbe {
    SoundProbe {
        duration: Seconds::new(24, 1).expect("seconds"),
        channels: 2,
        sample_rate: 48_000,
        title: Some("Short".into()),
        artist: None,
        genre: None,
        mood: None,
        theme: None,
    }
}

/// There is no file behind it, so nothing else ever is that file.
pub fn identity() -> FileIdentity {
    FileIdentity { bytes: 1000, modified: chrono::Utc::now(), digest: "none".into() }
}

pub fn new_track(path: &str) -> NewTrack {
    NewTrack {
        root: "media".into(),
        path: path.into(),
        name: path.rsplit('/').next().unwrap_or(path).into(),
        bytes: 10,
        modified: chrono::Utc::now(),
    }
}

/// Eight seconds whose energy grows with `liveliness`, 0–1, and that hit at two and a half.
pub fn reading(liveliness: f32) -> ClipReading {
    ClipReading {
        duration: 8.0,
        samples: Samples {
            step: 0.1,
            motion: vec![liveliness; 80],
            // Unsteady at both ends: what is offered lies between.
            shake: (0..80).map(|i| if (10..60).contains(&i) { 0.0 } else { 0.9 }).collect(),
            sharpness: vec![0.8; 80],
            exposure: vec![0.5; 80],
            pan: vec![0.1; 80],
            tilt: vec![0.0; 80],
            zoom: vec![0.0; 80],
            ..Samples::default()
        },
        moments: vec![Moment {
            start: 1.0,
            end: 6.0,
            hit: 2.5,
            energy: 50.0,
            why: "something strikes or bursts".into(),
        }],
        ..ClipReading::default()
    }
}

/// Twenty-four seconds at 120 beats a minute: intro, build, drop, outro.
pub fn music() -> TrackReading {
    let parts = [
        (0.0, 8.0, SectionKind::Intro, 20.0),
        (8.0, 12.0, SectionKind::Build, 60.0),
        (12.0, 20.0, SectionKind::Drop, 90.0),
        (20.0, 24.0, SectionKind::Outro, 15.0),
    ];
    let energy = |t: f64| parts.iter().find(|p| t < p.1).map_or(0.0, |p| p.3);
    TrackReading {
        duration: 24.0,
        tempo_bpm: 120.0,
        beats: (0..48)
            .map(|i| Beat { at: f64::from(i) * 0.5, bar: i / 4 + 1, beat: i % 4 + 1, strength: 1.0 })
            .collect(),
        sections: parts.iter().map(|p| Section::new(p.0, p.1, p.2, p.3)).collect(),
        cues: vec![Cue::new(12.0, CueKind::Drop, 0.9), Cue::new(24.0, CueKind::End, 1.0)],
        energy: Trace { step: 0.5, values: (0..48).map(|i| energy(f64::from(i) / 2.0)).collect() },
        ..TrackReading::default()
    }
}

impl Server {
    /// `count` clips of one roll, half of them recorded a day later, and a chosen track.
    pub async fn shoot(&self, count: usize) -> Shoot {
        let job = self.job("The Short Hour").await;
        let store = &self.app.store;
        let files: Vec<NewClip> = (0..count)
            .map(|i| NewClip {
                root: "media".into(),
                path: format!("day one/C{i:03}.mp4"),
                name: format!("C{i:03}.mp4"),
                bytes: 1000,
                modified: chrono::Utc::now(),
            })
            .collect();
        let clips = store.clips().import(job, NOBODY, "day one", "day one", &files).await.expect("clips");
        for (i, id) in clips.iter().enumerate() {
            let clip = store.clips().get(*id).await.expect("a clip");
            let day = if i < count.div_ceil(2) { 12 } else { 13 };
            let probe = probe("50", &format!("2026-05-{day}T09:{:02}:00Z", i % 60));
            let liveliness = i as f32 / count as f32;
            store.clips().ready(&clip, &identity(), &probe, &reading(liveliness), None).await.expect("kept");
        }
        let added = store.tracks().import(job, NOBODY, &new_track("music/short.wav")).await;
        let track = added.expect("a track").expect("new");
        let row = store.tracks().get(track).await.expect("a track");
        let whole = Seconds::new(24, 1).expect("seconds");
        let part = Version::part(Seconds::ZERO, whole, whole).expect("a part");
        store.tracks().ready(&row, &identity(), &sound(), &music(), &part).await.expect("kept");
        let mut selects = store.selects().of_job(job).await.expect("selects").whole;
        selects.sort_by_key(|s| clips.iter().position(|c| *c == s.clip));
        Shoot { job, clips, selects: selects.iter().map(|s| s.id).collect(), track }
    }

    /// As if a clip had been read once more.
    pub async fn read_again(&self, clip: &Clip, reading: &ClipReading) {
        let probe = clip.probe.clone().expect("it was read once");
        self.app.store.clips().ready(clip, &identity(), &probe, reading, None).await.expect("kept");
    }

    pub async fn json(&self, path: &str) -> Value {
        let answer = self.get(path).await;
        assert_eq!(answer.status, 200, "{path}: {}", answer.body);
        parsed(&answer.body)
    }

    /// Says something and gives what came back.
    pub async fn say(&self, path: &str, what: Value) -> Value {
        let answer = self.post_json(path, &what.to_string()).await;
        assert_eq!(answer.status, 200, "{path} {what}: {}", answer.body);
        parsed(&answer.body)
    }

    /// Says something that is refused; gives the words.
    pub async fn refused(&self, path: &str, what: Value) -> String {
        let answer = self.post_json(path, &what.to_string()).await;
        assert_eq!(answer.status, 422, "{path} {what}: {}", answer.body);
        plain(&answer.body)
    }
}

/// The body of an answer, also of one that came in chunks.
fn plain(body: &str) -> String {
    let mut rest = body;
    let mut out = String::new();
    while let Some((size, after)) = rest.split_once("\r\n") {
        let Ok(size) = usize::from_str_radix(size.trim(), 16) else { return body.to_owned() };
        if size == 0 || after.len() < size {
            break;
        }
        out.push_str(&after[..size]);
        rest = after[size..].trim_start_matches("\r\n");
    }
    if out.is_empty() { body.to_owned() } else { out }
}

fn parsed(body: &str) -> Value {
    serde_json::from_str(&plain(body)).unwrap_or_else(|e| panic!("{e}: {body}"))
}
