//! Sift: from hundreds of clips to the highlights.

use super::page;
use super::spine::{Spine, rate_words};
use crate::desk::Desk;
use crate::desk::arranging::short_name;
use crate::desk::presence::trouble;
use crate::error::WebError;
use actix_web::{HttpResponse, web};
use askama::Template;
use legere_core::select::{Facet, Mark, Tag, Tier};
use legere_core::time::{FramePos, Seconds};
use legere_media::probe::ClipProbe;
use legere_store::clips::Select;
use legere_store::journal::Put;
use serde::Deserialize;
use serde_json::{Value, json};
use std::collections::HashMap;
use uuid::Uuid;

pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/jobs/{job}/sift", web::get().to(show))
        .route("/jobs/{job}/sift/selects.json", web::get().to(selects))
        .route("/jobs/{job}/clips/{clip}/reading.json", web::get().to(reading))
        .route("/jobs/{job}/selects/{select}", web::post().to(judge));
}

struct FacetView {
    name: &'static str,
    words: &'static [&'static str],
    /// Whether the reading has a word for it as well.
    measured: bool,
}

#[derive(Template)]
#[template(path = "sift.html")]
struct Sift {
    spine: Spine,
    facets: Vec<FacetView>,
    tiers: Vec<(&'static str, &'static str)>,
}

async fn show(desk: web::Data<Desk>, job: web::Path<Uuid>) -> Result<HttpResponse, WebError> {
    let spine = Spine::of(&desk, *job, "sift").await?;
    let facets = Facet::ALL.into_iter().filter(|f| !f.words().is_empty()).map(|f| FacetView {
        name: f.word(),
        words: f.words(),
        measured: f == Facet::Movement,
    });
    let tiers = vec![("A", "out"), ("S", "spare"), ("D", "strong"), ("F", "hero")];
    page(&Sift { spine, facets: facets.collect(), tiers })
}

fn view(select: &Select) -> Value {
    let v = &select.verdict;
    let tags: Vec<String> = v.tags.iter().cloned().map(String::from).collect();
    json!({
        "id": select.id, "clip": select.clip, "tier": v.tier.word(), "tags": tags, "note": v.note,
        "start": v.range.start().to_f64(), "end": v.range.end().to_f64(), "hit": v.range.hit().to_f64(),
    })
}

async fn selects(desk: web::Data<Desk>, job: web::Path<Uuid>) -> Result<HttpResponse, WebError> {
    let the_job = desk.store.job(*job).await?;
    let clips: HashMap<_, _> = desk.store.clips(*job).await?.into_iter().map(|c| (c.id, c)).collect();
    let rolls: HashMap<_, _> = desk.store.rolls(*job).await?.into_iter().map(|r| (r.id, r.name)).collect();
    let readings = desk.readings(*job).await?;
    let mut list = desk.store.selects(*job).await?;
    list.sort_by_key(|s| clips.get(&s.clip).map(|c| (c.recorded_at, c.name.clone())));
    let rows: Vec<Value> = list
        .iter()
        .filter_map(|select| {
            let clip = clips.get(&select.clip)?;
            let probe: ClipProbe = serde_json::from_value(clip.probe.clone()?).ok()?;
            let reading = readings.get(&select.clip)?;
            let (start, end) = (select.verdict.range.start().to_f64(), select.verdict.range.end().to_f64());
            let headroom = probe.frame_rate.headroom_in(the_job.rate);
            let mut row = view(select);
            row["name"] = json!(short_name(&clip.name));
            row["roll"] = json!(rolls.get(&clip.roll));
            row["when"] = json!(clip.recorded_at.format("%-d %b, %H:%M").to_string());
            row["duration"] = json!(probe.duration.to_f64());
            row["rate"] = json!(probe.frame_rate.to_f64());
            row["rate_words"] = json!(rate_words(probe.frame_rate));
            row["slows"] = json!((headroom * 10.0).round() / 10.0);
            row["energy"] = json!(reading.energy(start, end));
            row["movement"] = json!(reading.movement(start, end));
            row["problem"] = json!(trouble(clip.missing, clip.problem.as_deref()));
            Some(row)
        })
        .collect();
    Ok(HttpResponse::Ok().json(rows))
}

async fn reading(desk: web::Data<Desk>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    if desk.store.clip(id).await?.job != job {
        return Err(WebError::NotFound);
    }
    Ok(HttpResponse::Ok().json(desk.store.clip_reading(id).await?))
}

/// One thing that an editor says of a select.
#[derive(Deserialize)]
#[serde(tag = "do", rename_all = "lowercase")]
enum Judgement {
    Tier { tier: Tier },
    Tag { tag: Tag },
    Mark { mark: Mark, at: f64 },
    Range { start: f64, end: f64, hit: f64 },
    Note { words: String },
}

async fn judge(
    desk: web::Data<Desk>,
    path: web::Path<(Uuid, Uuid)>,
    said: web::Json<Judgement>,
) -> Result<HttpResponse, WebError> {
    let (job, id) = path.into_inner();
    let mut select = desk.store.select(id).await?;
    let clip = desk.store.clip(select.clip).await?;
    if clip.job != job {
        return Err(WebError::NotFound);
    }
    let probe: ClipProbe = clip.probe.and_then(|p| serde_json::from_value(p).ok()).ok_or(WebError::NotFound)?;
    // Marks are frames of the clip, whatever the pointer said.
    let on_frame = |at: f64| -> Seconds {
        let rate = probe.frame_rate;
        let frame = rate.containing(Seconds::from_measured(at.max(0.0) + 1e-4));
        rate.seconds_at(FramePos(frame.0)).min(probe.duration)
    };
    let verdict = &mut select.verdict;
    let label = match said.into_inner() {
        Judgement::Tier { tier } => {
            verdict.tier = tier;
            tier.word().to_owned()
        }
        Judgement::Tag { tag } => {
            let word = tag.word().to_owned();
            verdict.toggle(tag);
            format!("tag {word}")
        }
        Judgement::Mark { mark, at } => {
            verdict.range = verdict.range.with(mark, on_frame(at), probe.duration)?;
            match mark {
                Mark::In => "mark in",
                Mark::Out => "mark out",
                Mark::Hit => "mark the hit",
            }
            .to_owned()
        }
        Judgement::Range { start, end, hit } => {
            verdict.range = legere_core::select::Range::new(on_frame(start), on_frame(end), on_frame(hit))?;
            "take the suggested range".to_owned()
        }
        Judgement::Note { words } => {
            verdict.note = words.chars().take(500).collect();
            "note".to_owned()
        }
    };
    desk.store.edit(job, &label, &[Put::Select(id, select.verdict.clone())]).await?;
    let mut row = view(&select);
    if let Some(reading) = desk.store.clip_reading(select.clip).await? {
        let (start, end) = (select.verdict.range.start().to_f64(), select.verdict.range.end().to_f64());
        row["energy"] = json!(reading.energy(start, end));
    }
    Ok(HttpResponse::Ok().json(row))
}
