//! The history: in pages, in outline, and by id.

use std::sync::Arc;

use axum::extract::State;
use serde::Deserialize;
use utoipa::IntoParams;
use yadori_api::{Outline, Page, Problem, RowsById, RowsRequest};
use yadori_core::history::packed::Outlined;
use yadori_core::{Clip, ClipId, History, Micros};

use crate::http::extract::{Json, Query};
use crate::http::part::limited;
use crate::http::ready::{until_known, until_loaded};
use crate::http::{Context, Failure};
use crate::state::app::Shared;
use crate::state::shapes::row;

/// Rows in a page at most.
const PAGE: usize = 500;
/// Of the newest clips, which are read first, so many are enough to begin with.
const NEWEST_PART: usize = 50;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Which {
    /// How many, at most 500 with rows (50 if not given), at most 20,000 in outline
    limit: Option<usize>,
    /// Begin at this place
    place: Option<usize>,
    /// Go on after the page whose `next` this was
    after: Option<String>,
}

/// Clips in a part of an outline at most.
pub(crate) const OUTLINED: usize = 20_000;

/// A part of the history, newest first
#[utoipa::path(get, path = "/clips", params(Which), responses((status = 200, body = Page), (status = 422, body = Problem)))]
pub(crate) async fn list(
    State(context): State<Arc<Context>>,
    Query(which): Query<Which>,
) -> Result<axum::Json<Page>, Failure> {
    let limit = which.limit(50, PAGE)?;
    until_begun(&context.app, &which, limit).await?;
    let reading = !context.app.clips.are_loaded();
    let history = context.app.clips.history();
    let clips: Vec<Arc<Clip>> = history.from(which.place(&history)?).take(limit).collect();
    let next = clips.last().and_then(|last| next_after(&history, (last.ordered_at, last.id), reading));
    let clips = clips.iter().map(|clip| row(&history, clip)).collect();
    let (total, revision) = (history.len() as u64, history.revision());
    Ok(axum::Json(Page { clips, total, revision, next, reading }))
}

/// A part of the history in outline, newest first
#[utoipa::path(get, path = "/outline", params(Which), responses((status = 200, body = Outline), (status = 422, body = Problem)))]
pub(crate) async fn outline(
    State(context): State<Arc<Context>>,
    Query(which): Query<Which>,
) -> Result<axum::Json<Outline>, Failure> {
    use std::fmt::Write;
    let limit = which.limit(OUTLINED, OUTLINED)?;
    until_begun(&context.app, &which, limit).await?;
    let reading = !context.app.clips.are_loaded();
    let history = context.app.clips.history();
    let (mut ids, mut kinds, mut times) = (String::new(), String::new(), Vec::new());
    let mut last: Option<Outlined> = None;
    for clip in history.outline_from(which.place(&history)?).take(limit) {
        let _ = write!(ids, "{}", clip.id);
        kinds.push(clip.letter);
        let at = |clip: Outlined| clip.ordered_at / 1_000_000;
        times.push(last.map_or(at(clip), |last| at(last) - at(clip)));
        last = Some(clip);
    }
    let next = last.and_then(|last| next_after(&history, (last.ordered_at, last.id), reading));
    let epoch = context.app.events.epoch().to_owned();
    let (total, revision) = (history.len() as u64, history.revision());
    Ok(axum::Json(Outline { ids, kinds, times, revision, epoch, total, next, reading }))
}

impl Which {
    fn limit(&self, usual: usize, most: usize) -> Result<usize, Failure> {
        limited(self.limit, usual, most)
    }

    /// The place that it begins at.
    fn place(&self, history: &History) -> Result<usize, Failure> {
        match (&self.after, self.place) {
            (Some(_), Some(_)) => Err(Failure::invalid("give `place` or `after`, not both")),
            (Some(after), None) => Ok(history.place_after(&parse_cursor(after)?)),
            (None, Some(0)) => Err(Failure::invalid("places count from 1")),
            (None, place) => Ok(place.unwrap_or(1)),
        }
    }
}

/// Waits until the history is read, unless the newest clips, which are read first, are all that is asked for.
async fn until_begun(app: &Shared, which: &Which, limit: usize) -> Result<(), Failure> {
    let begins = which.place.unwrap_or(1).saturating_sub(1);
    let wanted =
        if which.after.is_none() { begins.saturating_add(limit.min(NEWEST_PART)) } else { usize::MAX };
    until_known(app, wanted).await
}

/// What follows a clip; nothing where it is the last one.
fn next_after(history: &History, key: (Micros, ClipId), reading: bool) -> Option<String> {
    let more = reading || history.place_after(&key) <= history.len();
    more.then(|| cursor(key))
}

pub(crate) fn cursor((at, id): (Micros, ClipId)) -> String {
    format!("{at}.{id}")
}

pub(crate) fn parse_cursor(text: &str) -> Result<(Micros, ClipId), Failure> {
    let parsed = text.split_once('.').and_then(|(at, id)| Some((at.parse().ok()?, ClipId::parse(id)?)));
    parsed.ok_or_else(|| Failure::invalid("`after` must be the `next` of a page"))
}

/// Rows by id
#[utoipa::path(post, path = "/rows", request_body = RowsRequest,
    responses((status = 200, body = RowsById), (status = 422, body = Problem)))]
pub(crate) async fn rows(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<RowsRequest>,
) -> Result<axum::Json<RowsById>, Failure> {
    if wanted.ids.len() > PAGE {
        return Err(Failure::invalid(format!("at most {PAGE} ids at once")));
    }
    let ids: Vec<ClipId> = wanted.ids.iter().filter_map(|id| ClipId::parse(id)).collect();
    if !ids.iter().all(|id| context.app.clips.history().has(*id)) {
        until_loaded(&context.app).await?;
    }
    let history = context.app.clips.history();
    let clips = ids.iter().filter_map(|id| Some(row(&history, &*history.get(*id)?))).collect();
    Ok(axum::Json(RowsById { clips }))
}
