//! Bringing in: folders below the media roots, roots that are added, and folders in which what is missing may lie.

use super::page;
use crate::error::WebError;
use crate::extract::{OwnJob, Window};
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_app::text::counted;
use legere_app::{App, AppError};
use legere_core::id::JobId;
use serde::Deserialize;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/gather/folders", web::get().to(folders))
        .route("/jobs/{job}/gather/parents", web::get().to(parents))
        .route("/jobs/{job}/gather/roots", web::post().to(add_root))
        .route("/jobs/{job}/bring", web::post().to(bring))
        .route("/jobs/{job}/find", web::post().to(find));
}

#[derive(Deserialize)]
struct FolderQuery {
    root: String,
    #[serde(default)]
    path: String,
}

#[derive(Template)]
#[template(path = "folders.html")]
struct Folders {
    job: JobId,
    /// How many clips are not where they were: they may lie here.
    missing: usize,
    root: String,
    path: String,
    up: Option<String>,
    folders: Vec<(String, String)>,
    said: String,
    problem: String,
}

impl Folders {
    async fn of(app: &App, job: JobId, place: &FolderQuery) -> Result<Self, WebError> {
        let (roots, root, path) = (app.roots.clone(), place.root.clone(), place.path.clone());
        let names = web::block(move || roots.folders(&root, &path)).await.map_err(WebError::stopped)??;
        let join = |name: &str| if place.path.is_empty() { name.to_owned() } else { format!("{}/{name}", place.path) };
        let folders = names.into_iter().map(|n| (join(&n), n)).collect();
        let up = (!place.path.is_empty())
            .then(|| place.path.rsplit_once('/').map_or(String::new(), |(up, _)| up.to_owned()));
        let missing = app.store.clips().marks(job).await?.iter().filter(|c| c.missing).count();
        Ok(Self {
            job,
            missing,
            root: place.root.clone(),
            path: place.path.clone(),
            up,
            folders,
            said: String::new(),
            problem: String::new(),
        })
    }
}

async fn folders(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    place: web::Query<FolderQuery>,
) -> Result<HttpResponse, WebError> {
    page(&Folders::of(&app, job.id, &place).await?)
}

async fn bring(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    window: Window,
    place: web::Form<FolderQuery>,
) -> Result<HttpResponse, WebError> {
    let result = app.imports().bring(job.id, window.by, &place.root, &place.path).await;
    app.files().look_behind(job.id);
    let mut view = Folders::of(&app, job.id, &place).await?;
    match result {
        Ok(b) if b.clips + b.tracks + b.back + b.known + b.unnamed.len() == 0 => {
            view.problem = "There is no footage and no music in this folder.".into();
        }
        Ok(b) => {
            let back = if b.back > 0 { format!(", {} back again", b.back) } else { String::new() };
            let left = match b.left_alone.as_slice() {
                [] => String::new(),
                some => {
                    let names = some.iter().take(4).cloned().collect::<Vec<_>>().join(", ");
                    let more = if some.len() > 4 { " …" } else { "" };
                    format!(" Left alone, being neither footage nor pictures nor sound: {names}{more}.")
                }
            };
            let unnamed = match b.unnamed.as_slice() {
                [] => String::new(),
                some => format!(
                    " Left alone, their names being no text: {}. Rename them, then bring the folder in again.",
                    some.iter().take(4).cloned().collect::<Vec<_>>().join(", ")
                ),
            };
            let known = if b.known > 0 { format!(", {} were there already", b.known) } else { String::new() };
            view.said = format!(
                "Brought in {} and {}{back}{known}.{left}{unnamed}",
                counted(b.clips, "clip"),
                counted(b.tracks, "track")
            );
        }
        // What is wrong with the folder is said beside it; what is wrong with the disk or the database is an error.
        Err(error @ (AppError::Media(_) | AppError::Refused(_))) if error.is_for_editor() => {
            tracing::info!(%error, "a folder cannot be brought in");
            view.problem = format!("This folder cannot be read: {error}.");
        }
        Err(error) => return Err(error.into()),
    }
    page(&view)
}

/// Looks in a folder for what is not where it was.
async fn find(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    place: web::Form<FolderQuery>,
) -> Result<HttpResponse, WebError> {
    let (found, of) = app.imports().find_again(job.id, &place.root, &place.path).await?;
    let mut view = Folders::of(&app, job.id, &place).await?;
    if found == 0 {
        view.problem = format!("None of {} lies here or below.", counted(of, "clip"));
    } else {
        view.said = format!("Found {found} of {}.", counted(of, "clip"));
    }
    page(&view)
}

/// Folders below which media folders may be added.
#[derive(Template)]
#[template(path = "parents.html")]
struct Parents {
    job: JobId,
    parent: usize,
    path: String,
    up: Option<String>,
    folders: Vec<(String, String)>,
}

#[derive(Deserialize)]
struct ParentQuery {
    parent: usize,
    #[serde(default)]
    path: String,
}

async fn parents(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    place: web::Query<ParentQuery>,
) -> Result<HttpResponse, WebError> {
    let ParentQuery { parent, path } = place.into_inner();
    let (roots, wanted) = (app.roots.clone(), path.clone());
    let below = web::block(move || roots.below_parent(parent, &wanted)).await.map_err(WebError::stopped)?;
    let (_, names) = below?;
    let join = |name: &str| if path.is_empty() { name.to_owned() } else { format!("{path}/{name}") };
    let folders = names.into_iter().map(|n| (join(&n), n)).collect();
    let up = (!path.is_empty()).then(|| path.rsplit_once('/').map_or(String::new(), |(up, _)| up.to_owned()));
    page(&Parents { job: job.id, parent, up, folders, path })
}

async fn add_root(
    app: web::Data<App>,
    OwnJob(job): OwnJob,
    place: web::Form<ParentQuery>,
) -> Result<HttpResponse, WebError> {
    let name = app.add_root(place.parent, &place.path).await?;
    // Its first folder is shown at once, and the list of media folders with it.
    let mut view = Folders::of(&app, job.id, &FolderQuery { root: name, path: String::new() }).await?;
    view.said = format!("{} is a media folder now.", view.root);
    page(&view)
}
