//! A job with clips, a track and drafts, in a database of its own.
#![allow(dead_code, reason = "each test program uses its own part of this")]

use chrono::Utc;
use legere_core::clip::{ClipProbe, SoundProbe};
use legere_core::draft::{Draft, Pin, Score, Shot, Source};
use legere_core::footage::{ClipReading, Moment, Samples};
use legere_core::id::{ClipId, DraftId, JobId, PersonId, SelectId, SessionId, ShotId, TrackId};
use legere_core::time::{FrameLen, FrameRate, Seconds};
use legere_core::track::Version;
use legere_store::clips::{FileIdentity, NewClip};
use legere_store::drafts::{Asked, DraftBody};
use legere_store::jobs::NewJob;
use legere_store::journal::{By, Direction, Step};
use legere_store::selects::Select;
use legere_store::tracks::NewTrack;
use legere_store::{Store, StoreError, testing};
use std::time::Duration;

pub fn new_job() -> NewJob {
    NewJob {
        name: "The Long Hour".into(),
        rate: rate(),
        width: 1920,
        height: 1080,
        target_seconds: Some(45.0),
        zone: "UTC".into(),
    }
}

pub fn rate() -> FrameRate {
    "24000/1001".parse().expect("rate")
}

/// A window, by its number, in a step.
pub fn by(session: u128, step: Step) -> By {
    By { person: PersonId::from_u128(session), session: SessionId::from_u128(session), step }
}

pub fn file(path: &str) -> NewClip {
    NewClip {
        root: "media".into(),
        path: path.into(),
        name: path.rsplit('/').next().expect("name").into(),
        bytes: 1,
        modified: Utc::now(),
    }
}

pub fn music(path: &str) -> NewTrack {
    let NewClip { root, path, name, bytes, modified } = file(path);
    NewTrack { root, path, name, bytes, modified }
}

pub fn identity() -> FileIdentity {
    FileIdentity { bytes: 1, modified: Utc::now(), digest: "abc".into() }
}

pub fn probe() -> ClipProbe {
    ClipProbe {
        duration: Seconds::new(4, 1).expect("seconds"),
        frame_rate: "25".parse().expect("a rate"),
        variable_rate: false,
        width: 1920,
        height: 1080,
        rotation: 0,
        has_sound: true,
        codec: "h264".into(),
        recorded_at: None,
        timecode: None,
        camera: None,
        steady_rate: None,
        declared_rate: None,
        pixel_shape: None,
        picture: false,
    }
}

pub fn sound() -> SoundProbe {
    SoundProbe {
        duration: Seconds::new(10, 1).expect("seconds"),
        channels: 2,
        sample_rate: 48_000,
        title: Some("A".into()),
        artist: Some("Hollin".into()),
        genre: None,
        mood: None,
        theme: None,
    }
}

pub fn reading() -> ClipReading {
    ClipReading {
        duration: 4.0,
        samples: Samples {
            step: 0.1,
            motion: (0..40).map(|i| i as f32 / 40.0).collect(),
            // Unsteady at both ends: half a second to three are offered.
            shake: (0..40).map(|i| if (5..30).contains(&i) { 0.0 } else { 0.9 }).collect(),
            pan: vec![0.1; 40],
            tilt: vec![0.0; 40],
            zoom: vec![0.0; 40],
            ..Samples::default()
        },
        moments: vec![Moment { start: 0.5, end: 3.0, hit: 1.5, energy: 50.0, why: "x".into() }],
        ..ClipReading::default()
    }
}

pub struct World {
    pub store: Store,
    pub job: JobId,
    pub clip: ClipId,
    pub select: SelectId,
}

impl World {
    pub async fn new() -> Self {
        let store = testing::fresh_store().await.expect("a database");
        Self::in_store(store).await
    }

    pub async fn in_store(store: Store) -> Self {
        let me = by(1, Step::Gather);
        let job = store.jobs().create(new_job(), me).await.expect("a job");
        let ids = store.clips().import(job, me, "day one", "a", &[file("a/1.mp4")]).await.expect("clips");
        let clip = store.clips().get(ids[0]).await.expect("the clip");
        store.clips().ready(&clip, &identity(), &probe(), &reading(), None).await.expect("kept");
        let select = store.selects().of_job(job).await.expect("selects").whole.remove(0).id;
        Self { store, job, clip: clip.id, select }
    }

    pub async fn track(&self) -> TrackId {
        let added = self.store.tracks().import(self.job, by(1, Step::Gather), &music("music/a.wav")).await;
        added.expect("a track").expect("new")
    }

    pub async fn select(&self) -> Select {
        self.store.selects().get(self.select).await.expect("the select")
    }

    /// A draft of so many shots of a second each.
    pub async fn draft(&self, shots: u128) -> DraftId {
        let mut edit = self.store.begin_edit(self.job, by(1, Step::Arrange)).await.expect("begun");
        let id = edit.add_draft(None, &body(shots)).await.expect("a draft");
        edit.commit("lay a draft", None).await.expect("kept");
        id
    }

    pub async fn undo(&self, by: By) -> Result<String, StoreError> {
        self.store.replay(self.job, by, Direction::Undo).await.map(|r| r.label)
    }

    pub async fn redo(&self, by: By) -> Result<String, StoreError> {
        self.store.replay(self.job, by, Direction::Redo).await.map(|r| r.label)
    }
}

pub fn body(shots: u128) -> DraftBody {
    let second = |n| Seconds::new(n, 1).expect("seconds");
    let shot = |i| Shot {
        id: ShotId::from_u128(i + 1),
        len: FrameLen::new(24),
        source: Source::plain(SelectId::from_u128(i + 1), ClipId::from_u128(i + 1), second(20), second(60)),
        hit_at: None,
        pause: None,
        pin: Pin::Open,
        held: false,
    };
    DraftBody {
        score: Score::one(TrackId::from_u128(1), Version::part(Seconds::ZERO, second(30), second(60)).expect("a part")),
        pace: Vec::new(),
        cut: Draft::new(rate(), (0..shots).map(shot).collect()).expect("a draft"),
        asked: Asked::default(),
    }
}

/// Waits until a condition holds, for at most a minute.
pub async fn until(what: &str, condition: impl AsyncFn() -> bool) {
    for _ in 0..3000 {
        if condition().await {
            return;
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    panic!("never: {what}");
}
