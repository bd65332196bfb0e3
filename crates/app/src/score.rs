//! The music under a draft: its passages as they are heard, other tracks from a shot on, and drafts that move over to music that was
//! changed in Listen.

use super::Drafts;
use super::carried::moved;
use super::laying::{Laying, paces_of, seed_of, solved};
use super::passages::OpenPassage;
use crate::error::AppError;
use legere_core::arrange::{Brief, Kept};
use legere_core::draft::{DraftError, Passage, Score};
use legere_core::id::{DraftId, ShotId, TrackId};
use legere_core::time::FramePos;
use legere_core::track::TrackReading;
use legere_media::render::music_file;
use legere_media::version::Form;
use legere_store::StoreError;
use legere_store::drafts::{DraftBody, StoredDraft};
use legere_store::jobs::Job;
use legere_store::journal::{By, Revision};
use std::path::PathBuf;
use std::sync::Arc;

impl Drafts<'_> {
    /// The music of a draft as one file, to be heard with its pictures.
    pub async fn music(self, draft: &StoredDraft) -> Result<PathBuf, AppError> {
        let cut = &draft.body.cut;
        let passages = self.passages(&draft.body.score, cut).await?;
        // One track alone has a file for Listen already.
        if let [only] = &passages[..] {
            return self.app.tracks().file_of(&only.track, &only.heard, Form::Flac).await;
        }
        Ok(music_file(&self.music_parts(&passages), cut.rate(), None, Form::Flac, &self.app.shelf).await?)
    }

    /// From a shot on another track is heard, as it is used in Listen; or, without one, what is heard before goes on.
    pub async fn begin_track(
        self,
        job: &Job,
        by: By,
        base: Option<Revision>,
        draft: DraftId,
        (shot, track): (ShotId, Option<TrackId>),
    ) -> Result<StoredDraft, AppError> {
        let part = match track {
            None => None,
            Some(id) => {
                let track = self.app.store.tracks().get(id).await?;
                if track.job != job.id {
                    return Err(AppError::NotFound);
                }
                Some((id, track.part.ok_or(AppError::Refused("this track has not been read"))?))
            }
        };
        let edit = |present: StoredDraft| {
            let body = &present.body;
            let at = body.cut.index_of(shot).ok_or(DraftError::NoShot)?;
            // What the first shot stands on is the music that the piece begins with.
            let from = (at > 0).then_some(shot);
            let score = match part.clone() {
                Some((track, version)) => body
                    .score
                    .with(Passage { track, version, from, own: false })
                    .ok_or(AppError::Refused("a draft has at most twelve passages of music"))?,
                None if at == 0 => return Err(AppError::Refused("the piece begins with music: choose another track")),
                None => body.score.without(shot),
            };
            Ok::<_, AppError>(StoredDraft { body: DraftBody { score, ..present.body }, ..present })
        };
        let label = if track.is_some() { "begin another track" } else { "take out the track" };
        self.app.store.edit(job.id, by, draft, base, label, edit).await
    }

    /// Moves a draft over to its tracks as they are used in Listen now: each shot stays on what it stood on in its track, sections
    /// and cues with it; what stood on music that is gone goes, and what is open is laid again.
    pub async fn move_over(self, job: &Job, by: By, id: DraftId) -> Result<StoredDraft, AppError> {
        let open = self.open(job, self.app.store.drafts().get(id).await?).await?;
        if !open.passages.iter().any(OpenPassage::was_changed) {
            return Err(AppError::Refused("the music of this draft is as it is used in Listen"));
        }
        let now = |p: &OpenPassage| {
            let of_listen = p.track.part.clone().filter(|_| !p.own);
            of_listen.unwrap_or_else(|| p.version.clone())
        };
        let rate = open.job.rate;
        let mut kept: Vec<Kept> = Vec::new();
        let mut read: Vec<(f64, Arc<TrackReading>)> = Vec::new();
        for passage in &open.passages {
            // Only the last one may become longer or shorter: the others end where the next begins.
            let heard = match passage.ends {
                Some(len) => now(passage).cut_to(rate.seconds_of(len)),
                None => now(passage),
            };
            kept.extend(moved(&open, passage, &heard, |_| true).into_iter().map(|(at, shot)| Kept::whole(at, shot)));
            read.push((
                rate.seconds_at(passage.start).to_f64(),
                self.app.tracks().music(&passage.track, &heard).await?,
            ));
        }
        let parts: Vec<(f64, &TrackReading)> = read.iter().map(|(at, music)| (*at, &**music)).collect();
        let music = TrackReading::of_passages(&parts);
        let pace = paces_of(&open, &music);
        let brief = Brief { kept, ..open.brief().clone() };
        let wanted = Laying { pace: &pace, seed: seed_of(open.kept.number), brief, unlike: None };
        let cut = solved(&open.footage, &music, &open.job, wanted).await?;
        let mut score: Option<Score> = None;
        for passage in &open.passages {
            let version = now(passage);
            let distance = |at: FramePos| at.get().abs_diff(passage.start.get());
            let from = cut.placed().min_by_key(|(at, _)| distance(*at)).map(|(_, s)| s.id);
            score = match score {
                None if passage.own => Some(Score::own(passage.track.id, version)),
                None => Some(Score::one(passage.track.id, version)),
                Some(score) => score.with(Passage { track: passage.track.id, version, from, own: passage.own }),
            };
        }
        let score = score.ok_or(AppError::Refused("this draft has no music"))?;
        let laid = |present: StoredDraft| {
            if present.revision != open.kept.revision {
                return Err(StoreError::MovedOn);
            }
            let body = DraftBody { score: score.clone(), pace: pace.clone(), cut: cut.clone(), ..present.body.clone() };
            Ok(StoredDraft { body, ..present })
        };
        Ok(self.app.store.edit(job.id, by, id, None, "move over to the changed music", laid).await?)
    }
}
