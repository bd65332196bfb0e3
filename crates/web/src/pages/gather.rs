//! Gather: everything in one place, in the order it was shot.

use super::page;
use super::spine::{Spine, counted, gather_says, rate_words};
use crate::desk::Desk;
use crate::desk::presence::trouble;
use crate::error::WebError;
use actix_web::web::Bytes;
use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::{DateTime, Timelike, Utc};
use futures::StreamExt;
use legere_core::time::clock;
use legere_media::probe::ClipProbe;
use legere_store::clips::{Clip, State};
use legere_store::jobs::Job;
use serde::Deserialize;
use std::collections::{BTreeMap, HashSet};
use std::time::Duration;
use tokio_stream::wrappers::BroadcastStream;
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/gather", web::get().to(show))
        .route("/jobs/{job}/gather/rolls", web::get().to(rolls))
        .route("/jobs/{job}/gather/lines", web::get().to(lines))
        .route("/jobs/{job}/gather/folders", web::get().to(folders))
        .route("/jobs/{job}/bring", web::post().to(bring))
        .route("/jobs/{job}/events", web::get().to(events));
}

pub struct ClipLine {
    pub id: Uuid,
    pub name: String,
    pub time: String,
    pub length: String,
    pub rate: String,
    pub size: String,
    pub sound: &'static str,
    pub state: String,
    pub state_word: &'static str,
    pub problem: String,
    pub ready: bool,
}

pub struct RollView {
    /// The same while clips come to be read, whatever day that turns out to be.
    pub key: String,
    pub name: String,
    pub when: String,
    pub count: String,
    pub minutes: String,
    pub clips: Vec<ClipLine>,
}

/// A mark of the calendar, in hours of the day times 40 (its own units).
pub struct Mark {
    pub clip: Uuid,
    pub x: f64,
    pub width: f64,
    pub class: &'static str,
    pub title: String,
}

pub struct CalendarRow {
    pub roll: String,
    pub y: usize,
    pub marks: Vec<Mark>,
}

pub struct Day {
    pub key: String,
    pub title: String,
    pub rows: Vec<CalendarRow>,
    pub hours: Vec<(f64, String)>,
    pub height: usize,
}

#[derive(Template)]
#[template(path = "rolls.html")]
struct Rolls {
    days: Vec<Day>,
    rolls: Vec<RollView>,
    tally: Tally,
    tracks: Vec<TrackLine>,
    /// Whether the parts replace what stands on an open page.
    swapped: bool,
}

struct TrackLine {
    name: String,
    state: &'static str,
    /// What is wrong with it; empty where nothing is.
    problem: String,
}

/// How far the reading is.
struct Tally {
    total: usize,
    busy: usize,
    failed: usize,
}

impl Tally {
    fn of(clips: &[Clip]) -> Self {
        Self {
            total: clips.len(),
            busy: clips.iter().filter(|c| matches!(c.state, State::Waiting | State::Reading)).count(),
            failed: clips.iter().filter(|c| c.state == State::Failed).count(),
        }
    }
}

/// What the spine says of each step.
#[derive(Template)]
#[template(path = "says.html")]
struct Says {
    spine: Spine,
}

/// Lines that changed, for a page that is open.
#[derive(Template)]
#[template(path = "lines.html")]
struct Lines {
    clips: Vec<ClipLine>,
    tally: Tally,
    says: String,
    swapped: bool,
}

#[derive(Template)]
#[template(path = "gather.html")]
struct Gather {
    spine: Spine,
    roots: Vec<String>,
    rolls: String,
}

async fn rolls_view(desk: &Desk, job: &Job) -> Result<Rolls, WebError> {
    let clips = desk.store.clips(job.id).await?;
    let names: BTreeMap<Uuid, String> = desk.store.rolls(job.id).await?.into_iter().map(|r| (r.id, r.name)).collect();
    let tracks = desk.store.tracks(job.id).await?;
    let mut grouped: Vec<(Uuid, Vec<&Clip>)> = Vec::new();
    // A card that was used on two days is two rolls: grouped by roll and day, in recording order.
    // As long as a clip is not read its time is only the file's, so it stands at the end of its roll for now.
    let (known, guessed): (Vec<&Clip>, Vec<&Clip>) = clips.iter().partition(|c| c.state == State::Ready);
    for clip in known.into_iter().chain(guessed) {
        let day = clip.recorded_at.date_naive();
        let belongs = |of: &[&Clip]| clip.state != State::Ready || of[0].recorded_at.date_naive() == day;
        match grouped.iter_mut().rev().find(|(roll, of)| *roll == clip.roll && belongs(of)) {
            Some((_, of)) => of.push(clip),
            None => grouped.push((clip.roll, vec![clip])),
        }
    }
    let rolls = grouped
        .iter()
        .enumerate()
        .map(|(i, (roll, of))| RollView {
            key: format!("{roll}-{}", grouped[..i].iter().filter(|(other, _)| other == roll).count()),
            name: names.get(roll).cloned().unwrap_or_default(),
            when: when(of[0].recorded_at, &of[0].recorded_from),
            count: counted(of.len(), "clip"),
            minutes: clock(of.iter().filter_map(|c| probe(c)).map(|p| p.duration.to_f64()).sum()),
            clips: of.iter().map(|c| line(c, job)).collect(),
        })
        .collect();
    Ok(Rolls {
        days: days(&grouped, &names),
        rolls,
        tally: Tally::of(&clips),
        swapped: false,
        tracks: tracks
            .into_iter()
            .map(|t| TrackLine {
                state: t.state.word(),
                problem: trouble(t.missing, t.problem.as_deref()),
                name: t.name,
            })
            .collect(),
    })
}

fn probe(clip: &Clip) -> Option<ClipProbe> {
    clip.probe.clone().and_then(|p| serde_json::from_value(p).ok())
}

fn when(at: DateTime<Utc>, from: &str) -> String {
    let source = if from == "file" { " (the file's own time)" } else { "" };
    format!("{}{source}", at.format("%A %-d %B %Y, from %H:%M"))
}

fn line(clip: &Clip, job: &Job) -> ClipLine {
    let probe = probe(clip);
    let (mut length, mut rate, mut size, mut sound) = (String::new(), String::new(), String::new(), "");
    if let Some(p) = &probe {
        length = clock(p.duration.to_f64());
        let headroom = p.frame_rate.headroom_in(job.rate);
        let slows = if headroom >= 1.05 { format!("slows to {:.1}×", headroom) } else { "no slow motion".into() };
        let uneven = if p.variable_rate { ", uneven" } else { "" };
        rate = format!("{}{uneven} → {slows}", rate_words(p.frame_rate));
        size = size_words(p.width, p.height, job);
        sound = if p.has_sound { "sound" } else { "silent" };
    }
    let state = match clip.state {
        State::Reading => format!("reading {:.0} %", clip.progress * 100.0),
        state => state.word().to_owned(),
    };
    ClipLine {
        id: clip.id,
        name: clip.name.clone(),
        // As long as it is not read, only the file's own time is known, which is when it was copied.
        time: if clip.state == State::Ready { clip.recorded_at.format("%H:%M:%S").to_string() } else { String::new() },
        length,
        rate,
        size,
        sound,
        state,
        state_word: clip.state.word(),
        problem: trouble(clip.missing, clip.problem.as_deref()),
        ready: clip.state == State::Ready,
    }
}

/// What a clip's size means in this job.
fn size_words(width: u32, height: u32, job: &Job) -> String {
    let scale = (f64::from(job.width) / f64::from(width)).max(f64::from(job.height) / f64::from(height));
    let upright = if height > width && job.width > job.height { ", upright" } else { "" };
    if scale > 1.02 {
        format!("{width}×{height}{upright}, enlarged {scale:.1}×")
    } else {
        format!("{width}×{height}{upright}, fills the frame")
    }
}

fn days(grouped: &[(Uuid, Vec<&Clip>)], names: &BTreeMap<Uuid, String>) -> Vec<Day> {
    const HOUR: f64 = 60.0;
    let mut days: Vec<Day> = Vec::new();
    let mut by_day: BTreeMap<chrono::NaiveDate, Vec<(Uuid, &Vec<&Clip>)>> = BTreeMap::new();
    for (roll, clips) in grouped {
        by_day.entry(clips[0].recorded_at.date_naive()).or_default().push((*roll, clips));
    }
    for (date, rolls) in by_day {
        let hour = |at: DateTime<Utc>| f64::from(at.num_seconds_from_midnight()) / 3600.0;
        let all = || rolls.iter().flat_map(|(_, clips)| clips.iter()).filter(|c| c.recorded_at.date_naive() == date);
        let first = all().map(|c| hour(c.recorded_at)).fold(24.0, f64::min).floor();
        let last = all().map(|c| hour(c.recorded_at)).fold(0.0, f64::max).ceil().max(first + 1.0);
        let unit = 1010.0 / ((last - first) * HOUR);
        let x = |h: f64| (h - first) * HOUR * unit;
        let rows = rolls
            .iter()
            .enumerate()
            .map(|(i, (roll, clips))| CalendarRow {
                roll: names.get(roll).cloned().unwrap_or_default(),
                y: 22 + i * 24,
                marks: clips
                    .iter()
                    .filter(|c| c.recorded_at.date_naive() == date)
                    .map(|c| Mark {
                        clip: c.id,
                        x: x(hour(c.recorded_at)),
                        width: (probe(c).map_or(0.0, |p| p.duration.to_f64()) / 60.0 * unit).max(3.0),
                        class: c.state.word(),
                        title: format!("{} {}", c.name, c.recorded_at.format("%H:%M")),
                    })
                    .collect(),
            })
            .collect::<Vec<_>>();
        let hours = (first as i64..=last as i64).map(|h| (x(h as f64), format!("{h:02}:00"))).collect();
        days.push(Day {
            key: date.to_string(),
            title: date.format("%A %-d %B %Y").to_string(),
            height: 30 + rows.len() * 24,
            rows,
            hours,
        });
    }
    days
}

async fn show(desk: web::Data<Desk>, job: web::Path<Uuid>) -> Result<HttpResponse, WebError> {
    let spine = Spine::of(&desk, *job, "gather").await?;
    // The page does not wait for slow disks: what has changed reaches it as an event.
    let (looking, id) = (desk.clone(), *job);
    tokio::spawn(async move {
        if let Err(error) = looking.look_for_files(id).await {
            tracing::warn!(?error, "the files could not be looked for");
        }
    });
    let rolls = rolls_view(&desk, &spine.job).await?.render()?;
    page(&Gather { roots: desk.roots.all().iter().map(|r| r.name.clone()).collect(), spine, rolls })
}

/// The rolls, for a page that is open; what the spine says of all steps comes with them.
async fn rolls(desk: web::Data<Desk>, job: web::Path<Uuid>) -> Result<HttpResponse, WebError> {
    let spine = Spine::of(&desk, *job, "gather").await?;
    let rolls = rolls_view(&desk, &spine.job).await?.render()?;
    let says = Says { spine }.render()?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(rolls + &says))
}

#[derive(Deserialize)]
struct Changed {
    /// Ids, with commas between.
    clips: String,
}

async fn lines(
    desk: web::Data<Desk>,
    job: web::Path<Uuid>,
    changed: web::Query<Changed>,
) -> Result<HttpResponse, WebError> {
    let job = desk.store.job(*job).await?;
    let wanted: HashSet<Uuid> = changed.clips.split(',').filter_map(|id| id.parse().ok()).collect();
    let clips = desk.store.clips(job.id).await?;
    let rolls = desk.store.rolls(job.id).await?.len();
    page(&Lines {
        clips: clips.iter().filter(|c| wanted.contains(&c.id)).map(|c| line(c, &job)).collect(),
        tally: Tally::of(&clips),
        says: gather_says(&clips, rolls),
        swapped: true,
    })
}

#[derive(Deserialize)]
struct Place {
    root: String,
    #[serde(default)]
    path: String,
}

#[derive(Template)]
#[template(path = "folders.html")]
struct Folders {
    job: Uuid,
    root: String,
    path: String,
    up: Option<String>,
    folders: Vec<(String, String)>,
    said: String,
    problem: String,
}

impl Folders {
    fn of(desk: &Desk, job: Uuid, place: &Place) -> Result<Self, WebError> {
        let join = |name: &str| if place.path.is_empty() { name.to_owned() } else { format!("{}/{name}", place.path) };
        let folders = desk.roots.folders(&place.root, &place.path)?.into_iter().map(|n| (join(&n), n)).collect();
        let up = (!place.path.is_empty())
            .then(|| place.path.rsplit_once('/').map_or(String::new(), |(up, _)| up.to_owned()));
        Ok(Self {
            job,
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
    desk: web::Data<Desk>,
    job: web::Path<Uuid>,
    place: web::Query<Place>,
) -> Result<HttpResponse, WebError> {
    page(&Folders::of(&desk, *job, &place)?)
}

async fn bring(desk: web::Data<Desk>, job: web::Path<Uuid>, place: web::Form<Place>) -> Result<HttpResponse, WebError> {
    let result = desk.bring(*job, &place.root, &place.path).await;
    desk.look_for_files(*job).await?;
    let mut view = Folders::of(&desk, *job, &place)?;
    match result {
        Ok(b) if b.clips + b.tracks + b.known == 0 => {
            view.problem = "There is no footage and no music in this folder.".into()
        }
        Ok(b) => {
            let known = if b.known > 0 { format!(", {} were there already", b.known) } else { String::new() };
            view.said = format!("Brought in {} and {}{known}.", counted(b.clips, "clip"), counted(b.tracks, "track"));
        }
        Err(error) => {
            tracing::warn!(%error, "bringing in failed");
            view.problem = "This folder cannot be read.".into();
        }
    }
    page(&view)
}

/// What changed in the job, as it changes (server-sent events).
async fn events(desk: web::Data<Desk>, job: web::Path<Uuid>) -> HttpResponse {
    let job = *job;
    let changes = BroadcastStream::new(desk.events.subscribe()).filter_map(move |event| async move {
        // A page that fell behind is told to look at everything.
        match event {
            Ok(event) if event.job == job => {
                let kind = serde_json::to_value(event.what).ok()?;
                Some(Bytes::from(format!("event: {}\ndata: {}\n\n", kind.as_str()?, event.id)))
            }
            Ok(_) => None,
            Err(_) => Some(Bytes::from_static(b"event: clip\ndata: all\n\n")),
        }
    });
    // A sign of life, so that a closed page is noticed.
    let beats = tokio_stream::StreamExt::map(
        tokio_stream::wrappers::IntervalStream::new(tokio::time::interval(Duration::from_secs(15))),
        |_| Bytes::from_static(b": here\n\n"),
    );
    let stream = futures::stream::select(changes, beats).map(Ok::<_, actix_web::Error>);
    HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header(("cache-control", "no-store"))
        // Compression would hold events back.
        .insert_header(("content-encoding", "identity"))
        .streaming(stream)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_size_says_what_it_means_in_the_job() {
        let job = |width, height| Job {
            id: Uuid::nil(),
            name: "A".into(),
            rate: "25".parse().expect("a rate"),
            width,
            height,
            target_seconds: None,
            chosen_track: None,
        };
        for ((w, h), (jw, jh), words) in [
            ((1920, 1080), (1920, 1080), "1920×1080, fills the frame"),
            ((3840, 2160), (1920, 1080), "3840×2160, fills the frame"),
            ((1280, 720), (1920, 1080), "1280×720, enlarged 1.5×"),
            ((1080, 1920), (1920, 1080), "1080×1920, upright, enlarged 1.8×"),
            ((1080, 1920), (1080, 1920), "1080×1920, fills the frame"),
            ((1920, 800), (1920, 1080), "1920×800, enlarged 1.4×"),
        ] {
            assert_eq!(size_words(w, h, &job(jw, jh)), words, "{w}x{h} in {jw}x{jh}");
        }
    }
}
