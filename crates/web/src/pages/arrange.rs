//! Arrange: the skyline.

use super::page;
use super::spine::Spine;
use crate::desk::Desk;
use crate::desk::arranging::OpenDraft;
use crate::error::WebError;
use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_core::arrange::Pace;
use legere_core::check::{About, check, figures};
use legere_core::draft::Edit;
use legere_core::time::{FrameLen, FrameShift, Seconds, timecode};
use serde::Deserialize;
use serde_json::{Value, json};
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/arrange", web::get().to(show))
        .route("/jobs/{job}/drafts", web::post().to(create))
        .route("/jobs/{job}/drafts/{draft}.json", web::get().to(draft_json))
        .route("/jobs/{job}/drafts/{draft}/arrange", web::post().to(again))
        .route("/jobs/{job}/drafts/{draft}/edit", web::post().to(edit))
        .route("/jobs/{job}/drafts/{draft}/alternates", web::get().to(alternates));
}

#[derive(Template)]
#[template(path = "arrange.html")]
struct Arrange {
    spine: Spine,
    draft: Option<(Uuid, i32)>,
    drafts: Vec<(Uuid, i32)>,
    problem: String,
}

#[derive(Deserialize)]
pub struct Which {
    pub draft: Option<Uuid>,
}

async fn show(desk: web::Data<Desk>, job: web::Path<Uuid>, which: web::Query<Which>) -> Result<HttpResponse, WebError> {
    arrange_page(&desk, *job, which.draft, String::new()).await
}

async fn arrange_page(desk: &Desk, job: Uuid, which: Option<Uuid>, problem: String) -> Result<HttpResponse, WebError> {
    let drafts: Vec<(Uuid, i32)> = desk.store.drafts(job).await?.iter().map(|d| (d.id, d.number)).collect();
    let draft = drafts.iter().find(|d| which.is_none_or(|w| w == d.0)).copied();
    page(&Arrange { spine: Spine::of(desk, job, "arrange").await?, draft, drafts, problem })
}

async fn create(desk: web::Data<Desk>, job: web::Path<Uuid>) -> Result<HttpResponse, WebError> {
    match desk.new_draft(*job).await {
        Ok(id) => {
            Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/jobs/{job}/arrange?draft={id}"))).finish())
        }
        Err(error @ (WebError::Arrange(_) | WebError::Refused(_))) => {
            arrange_page(&desk, *job, None, error.to_string()).await
        }
        Err(other) => Err(other),
    }
}

/// A draft of this job, not of another one.
pub async fn own_draft(desk: &Desk, job: Uuid, id: Uuid) -> Result<OpenDraft, WebError> {
    let open = desk.open_draft(id).await?;
    if open.job.id == job { Ok(open) } else { Err(WebError::NotFound) }
}

async fn draft_json(desk: web::Data<Desk>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let open = own_draft(&desk, job, id).await?;
    Ok(HttpResponse::Ok().json(view(&open)))
}

pub fn view(open: &OpenDraft) -> Value {
    let rate = open.job.rate;
    let frame = |at: f64| rate.nearest(Seconds::from_measured(at)).0.max(0);
    let total = open.cut().len();
    let sections: Vec<Value> = open
        .music
        .sections
        .iter()
        .enumerate()
        .map(|(i, s)| {
            let pace = open.kept.body.pace.get(i).copied().unwrap_or_else(|| Pace::for_kind(s.kind));
            json!({
                "start": frame(s.start), "end": frame(s.end).min(total.0 as i64), "kind": s.kind.word(), "energy": s.energy,
                "quarters": pace.quarters(), "varied": pace.varied, "pace": pace.words(),
            })
        })
        .collect();
    let shots: Vec<Value> = open
        .cut()
        .placed()
        .enumerate()
        .map(|(i, (at, shot))| {
            let c = open.candidate(shot.source.select);
            json!({
                "start": at.0, "len": shot.len.0, "timecode": timecode(at.0.max(0) as u64, rate, false),
                "clip": shot.source.clip, "select": shot.source.select, "name": c.map(|c| c.name.as_str()),
                "tier": c.map(|c| c.tier.word()), "framing": c.and_then(|c| c.framing.as_deref()),
                "in": c.map(|c| c.range.start().to_f64()), "out": c.map(|c| c.range.end().to_f64()),
                "hit": c.map(|c| c.range.hit().to_f64()),
                "energy": shot.energy, "wanted": open.slots.get(i).map(|s| s.energy), "pinned": shot.pinned,
                "why": shot.why, "hit_at": shot.hit_at, "source": shot.source.start.to_f64(),
                "used": shot.used(rate).to_f64(), "media": shot.source.media.to_f64(), "speed": shot.source.speed.to_f64(),
                "marks": open.slots.get(i).map(|s| s.marks.iter().map(|m| json!({ "at": m.at, "bar": m.bar, "beat": m.beat })).collect::<Vec<_>>()),
            })
        })
        .collect();
    let beats: Vec<Value> = open.music.beats.iter().map(|b| json!([frame(b.at), b.bar, b.beat])).collect();
    let cues: Vec<Value> =
        open.music.cues.iter().map(|c| json!({ "at": frame(c.at), "kind": c.kind.word() })).collect();
    json!({
        "id": open.kept.id, "number": open.kept.number, "fps": rate.to_f64(), "total": total.0,
        "length": timecode(total.0, rate, false), "sections": sections, "shots": shots, "beats": beats, "cues": cues,
        "energy": open.music.energy, "figures": figures(open.cut(), &open.slots), "findings": findings(open),
        "choices": Pace::CHOICES.map(|q| json!({ "quarters": q, "words": Pace::new(q, false).map(Pace::words).unwrap_or_default() })),
    })
}

/// The checks of a draft.
pub fn findings(open: &OpenDraft) -> Vec<legere_core::check::Finding> {
    let about: Vec<About> = open
        .cut()
        .shots()
        .iter()
        .map(|s| {
            open.candidate(s.source.select)
                .map(|c| About { name: c.name.clone(), framing: c.framing.clone() })
                .unwrap_or_default()
        })
        .collect();
    let rate = open.job.rate;
    let beats: Vec<u64> =
        open.music.beats.iter().map(|b| rate.nearest(Seconds::from_measured(b.at)).0.max(0) as u64).collect();
    let music = FrameLen(rate.containing(open.kept.body.version.duration()).0.max(0) as u64);
    check(open.cut(), &open.slots, &about, &beats, music)
}

#[derive(Deserialize)]
struct PaceForm {
    pace: Option<Vec<(u8, bool)>>,
}

async fn again(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    form: web::Json<PaceForm>,
) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    own_draft(&desk, job, id).await?;
    let pace =
        form.pace.as_ref().map(|list| list.iter().map(|(q, v)| Pace::new(*q, *v)).collect::<Result<Vec<_>, _>>());
    let pace = pace
        .transpose()
        .map_err(|_| WebError::Refused("a pace is between a quarter of a bar and eight bars per shot"))?;
    desk.arrange_again(id, pace).await?;
    let open = desk.open_draft(id).await?;
    Ok(HttpResponse::Ok().json(view(&open)))
}

#[derive(Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
enum ByHand {
    MoveCut { shot: usize, by: i64 },
    Slip { shot: usize, by: i64 },
    Pin { shot: usize, on: bool },
    Swap { shot: usize, select: Uuid },
}

async fn edit(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    form: web::Json<ByHand>,
) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    own_draft(&desk, job, id).await?;
    match form.into_inner() {
        ByHand::MoveCut { shot, by } => desk.edit_draft(id, &Edit::MoveCut { shot, by: FrameShift(by) }).await?,
        ByHand::Slip { shot, by } => desk.edit_draft(id, &Edit::Slip { shot, by: FrameShift(by) }).await?,
        ByHand::Pin { shot, on } => desk.edit_draft(id, &Edit::Pin { shot, on }).await?,
        ByHand::Swap { shot, select } => desk.swap(id, shot, select).await?,
    }
    let open = desk.open_draft(id).await?;
    Ok(HttpResponse::Ok().json(view(&open)))
}

#[derive(Deserialize)]
struct Place {
    shot: usize,
}

async fn alternates(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    place: web::Query<Place>,
) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let open = own_draft(&desk, job, id).await?;
    let list: Vec<Value> = desk
        .alternates(&open, place.shot)
        .await
        .into_iter()
        .map(|a| {
            let c = open.candidate(a.select);
            let g = a.gain;
            let parts = [("energy", g.energy), ("tier", g.tier), ("role", g.role), ("hit", g.hit), ("range", g.range), ("join", g.join)];
            let gains: Vec<Value> =
                parts.iter().filter(|(_, v)| v.abs() >= 0.005).map(|(name, v)| json!([name, (v * 100.0).round() / 100.0])).collect();
            json!({
                "select": a.select, "clip": a.source.clip, "name": c.map(|c| c.name.as_str()), "tier": c.map(|c| c.tier.word()),
                "hit": c.map(|c| c.range.hit().to_f64()), "media": a.source.media.to_f64(), "energy": a.energy,
                "why": a.why, "gains": gains,
            })
        })
        .collect();
    Ok(HttpResponse::Ok().json(list))
}
