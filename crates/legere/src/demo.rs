//! The demo: the page opens at once, the footage comes as it is drawn.

use crate::serve::run;
use futures::future::try_join_all;
use legere_app::App;
use legere_common::privileges::DEMO_ROOT as ROOT;
use legere_common::services::runtime;
use legere_common::{DataOptions, MainError, backup, log};
use legere_core::id::{JobId, PersonId, SessionId};
use legere_demo::{AMBIENCES, DemoError, Plan, ambience, film, long_hour, music};
use legere_media::roots::Root;
use legere_store::jobs::NewJob;
use legere_store::journal::{By, Step};
use std::path::Path;

/// Where the ambiences lie, beside the music.
const SOUNDS: &str = "sounds";
/// Same seed, same pictures.
const SEED: u64 = 7;

pub fn serve(place: &DataOptions, port: u16) -> Result<(), MainError> {
    let media = place.data.join(ROOT);
    let services = backup::services_with_copy(place)?;
    std::fs::create_dir_all(&media).map_err(MainError::Data)?;
    log::to_file(&place.data.join("legere.log"))?;
    let root = Root { name: ROOT.into(), path: media.clone() };
    runtime()?.block_on(async {
        let app = services.app(place, &[root], Vec::new()).await?;
        let job = job(&app).await?;
        let making = tokio::spawn({
            let app = app.clone();
            async move {
                let Some(job) = job else { return };
                if let Err(error) = make(&app, job, &media).await {
                    tracing::error!(?error, "the demo could not be made to its end");
                }
            }
        });
        let ended = run(app, place.at_once, port).await;
        // Dropping a half-drawn clip stops its encoder; its hidden part file is drawn over next time.
        making.abort();
        let _ = making.await;
        ended
    })
}

/// What the demo itself does is nobody's to undo.
const NOBODY: By = By { person: PersonId::from_u128(1), session: SessionId::from_u128(1), step: Step::Gather };

/// The demo's own job: whatever other jobs there are, its footage goes nowhere else.
const DEMO: JobId = JobId::from_u128(0x7468_655f_6c6f_6e67_5f68_6f75_725f_0001);

/// The demo's job, made where it never was; none where a person took it out.
async fn job(app: &App) -> Result<Option<JobId>, MainError> {
    if let Some(removed) = app.store.jobs().is_removed(DEMO).await? {
        return Ok((!removed).then_some(DEMO));
    }
    let rate = "24000/1001".parse().expect("a rate");
    let new = NewJob {
        name: "The Long Hour".into(),
        rate,
        width: 1920,
        height: 1080,
        target_seconds: Some(45.0),
        zone: "UTC".into(),
    };
    Ok(Some(app.store.jobs().create_as(DEMO, new, NOBODY).await?))
}

/// Draws what is not there yet, the music first, and brings in each file as it is finished.
async fn make(app: &App, job: JobId, media: &Path) -> Result<(), Box<dyn std::error::Error + Send + Sync>> {
    recorded(app, job, media, music::escapement()).await?;
    for (i, roll) in long_hour(SEED).into_iter().enumerate() {
        let folder = media.join(roll.folder);
        // Two at a time: while one is encoded the other is drawn.
        for two in roll.clips.chunks(2) {
            let missing: Vec<&Plan> = two.iter().filter(|plan| !folder.join(&plan.file).exists()).collect();
            if !missing.is_empty() {
                try_join_all(missing.into_iter().map(|plan| drawn(plan, &folder))).await?;
                app.imports().bring(job, NOBODY, ROOT, roll.folder).await?;
            }
        }
        app.imports().bring(job, NOBODY, ROOT, roll.folder).await?;
        if i == 0 {
            for sound in AMBIENCES {
                let folder = media.join(SOUNDS);
                if !folder.join(sound.0).exists() {
                    tokio::task::spawn_blocking(move || ambience(sound, &folder)).await??;
                }
            }
            app.imports().bring(job, NOBODY, ROOT, SOUNDS).await?;
            for score in music::others() {
                recorded(app, job, media, score).await?;
            }
        }
    }
    Ok(())
}

async fn drawn(plan: &Plan, folder: &Path) -> Result<(), DemoError> {
    let file = folder.join(&plan.file);
    if plan.picture { film::picture(plan, &file).await } else { film::shoot(plan, &file).await }
}

async fn recorded(
    app: &App,
    job: JobId,
    media: &Path,
    score: music::Score,
) -> Result<(), Box<dyn std::error::Error + Send + Sync>> {
    let folder = media.join("music");
    if !folder.join(score.file).exists() {
        music::record(score, &folder).await?;
    }
    Ok(app.imports().bring(job, NOBODY, ROOT, "music").await.map(drop)?)
}
