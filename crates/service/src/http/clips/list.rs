//! The history: in pages, in outline, and by id.

use std::sync::Arc;

use axum::extract::State;
use serde::Deserialize;
use utoipa::IntoParams;
use yadori_api::{Outline, Page, Problem, RowsById, RowsRequest};
use yadori_core::{Clip, ClipId, Kind};

use crate::http::extract::{Json, Query};
use crate::http::{Context, Failure};
use crate::state::shapes::row;

/// Rows in a page at most.
const PAGE: usize = 500;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Which {
    /// How many, at most 500; 50 if not given
    limit: Option<usize>,
    /// Begin at this place
    place: Option<usize>,
    /// Go on after the page whose `next` this was
    after: Option<String>,
}

/// A part of the history, newest first
#[utoipa::path(get, path = "/clips", params(Which), responses((status = 200, body = Page), (status = 422, body = Problem)))]
pub(crate) async fn list(
    State(context): State<Arc<Context>>,
    Query(which): Query<Which>,
) -> Result<axum::Json<Page>, Failure> {
    let limit = which.limit.unwrap_or(50);
    if limit == 0 || limit > PAGE {
        return Err(Failure::invalid(format!("`limit` must be between 1 and {PAGE}")));
    }
    let history = context.app.clips.history();
    let place = match (&which.after, which.place) {
        (Some(_), Some(_)) => return Err(Failure::invalid("give `place` or `after`, not both")),
        (Some(after), None) => history.place_after(&parse_cursor(after)?),
        (None, place) => place.unwrap_or(1),
    };
    if place == 0 {
        return Err(Failure::invalid("places count from 1"));
    }
    let clips: Vec<Arc<Clip>> = history.from(place).take(limit).collect();
    let more = place + clips.len() <= history.len();
    let next = clips.last().filter(|_| more).map(|clip| format!("{}.{}", clip.ordered_at, clip.id));
    let clips = clips.iter().map(|clip| row(&history, clip)).collect();
    Ok(axum::Json(Page { clips, total: history.len() as u64, revision: history.revision(), next }))
}

fn parse_cursor(text: &str) -> Result<(i64, ClipId), Failure> {
    let parsed = text.split_once('.').and_then(|(at, id)| Some((at.parse().ok()?, ClipId::parse(id)?)));
    parsed.ok_or_else(|| Failure::invalid("`after` must be the `next` of a page"))
}

/// The whole history in outline
#[utoipa::path(get, path = "/outline", responses((status = 200, body = Outline)))]
pub(crate) async fn outline(State(context): State<Arc<Context>>) -> axum::Json<Outline> {
    use std::fmt::Write;
    let history = context.app.clips.history();
    let mut ids = String::with_capacity(history.len() * yadori_core::clip::id::ID_CHARS);
    let mut kinds = String::with_capacity(history.len());
    let mut times = Vec::with_capacity(history.len());
    let mut last: Option<i64> = None;
    for clip in history.from(1) {
        let _ = write!(ids, "{}", clip.id);
        kinds.push(kind_letter(&clip));
        let at = clip.ordered_at / 1_000_000;
        times.push(last.map_or(at, |last| last - at));
        last = Some(at);
    }
    let epoch = context.app.events.epoch().to_owned();
    axum::Json(Outline { ids, kinds, times, revision: history.revision(), epoch })
}

pub(crate) fn kind_letter(clip: &Clip) -> char {
    match clip.facts.kind() {
        Kind::Text => 't',
        Kind::Link => 'l',
        Kind::Image => 'i',
        Kind::Files if super::picture::shows_picture(clip) => 'p',
        Kind::Files => 'f',
    }
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
    let history = context.app.clips.history();
    let clips =
        wanted.ids.iter().filter_map(|id| Some(row(&history, &*history.get(ClipId::parse(id)?)?))).collect();
    Ok(axum::Json(RowsById { clips }))
}
