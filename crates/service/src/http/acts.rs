//! Acts: removing, keeping, naming, coloring, bringing up; taking the last one back and making it again.

use std::sync::Arc;

use axum::extract::State;
use tokio::sync::oneshot;
use yadori_api::{Acted, Acts, BringUp, Keep, KeepIn, Paint, Problem, Remove, Removed, Title};
use yadori_core::ClipId;

use super::extract::Json;
use super::{Context, Failure};
use crate::app::row;
use crate::keeper::wishes::Place;
use crate::keeper::{Change, Outcome, Wish};

/// Clips that one act may touch.
const MOST: usize = 10_000;
/// Rows that an answer carries.
const ROWS: usize = 500;

/// Whole ids. Acts are on ids, never on places, which may have shifted.
pub(super) fn ids_of(ids: &[String]) -> Result<Vec<ClipId>, Failure> {
    if ids.is_empty() || ids.len() > MOST {
        return Err(Failure::invalid(format!("give between 1 and {MOST} ids")));
    }
    let ids: Option<Vec<ClipId>> = ids.iter().map(|id| ClipId::parse(id)).collect();
    ids.ok_or_else(|| Failure::invalid("an act needs whole ids of 26 characters, since places shift"))
}

/// Carries a wish out.
pub(super) async fn carry_out(context: &Context, wish: Wish) -> Result<Outcome, Failure> {
    let (done, answer) = oneshot::channel();
    let _ = context.app.changes.send(Change::Act(wish, done));
    Ok(answer.await??)
}

/// What was done, for the answer.
pub(super) fn acted(context: &Context, outcome: Outcome) -> axum::Json<Acted> {
    let history = context.app.history();
    let there = outcome.ids.iter().filter_map(|id| Some(row(&history, history.get(*id)?)));
    axum::Json(Acted {
        clips: there.take(ROWS).collect(),
        count: outcome.ids.len() as u64,
        act: outcome.kind,
        made: outcome.made,
    })
}

/// Remove clips
#[utoipa::path(post, path = "/remove", request_body = Remove,
    responses((status = 200, body = Removed), (status = 409, body = Problem), (status = 503, body = Problem)))]
pub(super) async fn remove(
    State(context): State<Arc<Context>>,
    Json(wish): Json<Remove>,
) -> Result<axum::Json<Removed>, Failure> {
    let outcome = carry_out(&context, Wish::Remove(ids_of(&wish.ids)?, wish.spare_pinned)).await?;
    let grace_seconds = context.app.grace.as_secs();
    Ok(axum::Json(Removed { removed: outcome.ids.len() as u64, grace_seconds }))
}

/// Keep clips among the favorites or in a drawer, move them there, or keep them no longer
#[utoipa::path(post, path = "/keep", request_body = Keep,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub(super) async fn keep(
    State(context): State<Arc<Context>>,
    Json(wish): Json<Keep>,
) -> Result<axum::Json<Acted>, Failure> {
    let place = match wish.to {
        KeepIn::Nowhere => Place::Nowhere,
        KeepIn::Favorites => Place::Favorites,
        KeepIn::Drawer { drawer } => Place::Drawer(drawer),
    };
    let outcome = carry_out(&context, Wish::Keep(ids_of(&wish.ids)?, place, wish.before)).await?;
    Ok(acted(&context, outcome))
}

/// Give a clip a title, or take it away
#[utoipa::path(post, path = "/title", request_body = Title,
    responses((status = 200, body = Acted), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub(super) async fn title(
    State(context): State<Arc<Context>>,
    Json(wish): Json<Title>,
) -> Result<axum::Json<Acted>, Failure> {
    let id = ids_of(&[wish.id])?[0];
    let outcome = carry_out(&context, Wish::Title(id, wish.title)).await?;
    Ok(acted(&context, outcome))
}

/// Give clips a color, or take it away
#[utoipa::path(post, path = "/color", request_body = Paint,
    responses((status = 200, body = Acted), (status = 409, body = Problem)))]
pub(super) async fn paint(
    State(context): State<Arc<Context>>,
    Json(wish): Json<Paint>,
) -> Result<axum::Json<Acted>, Failure> {
    let color = wish.color.map(super::drawers::color);
    let outcome = carry_out(&context, Wish::Paint(ids_of(&wish.ids)?, color)).await?;
    Ok(acted(&context, outcome))
}

/// Bring clips to the top of the history
#[utoipa::path(post, path = "/bring-up", request_body = BringUp,
    responses((status = 200, body = Acted), (status = 409, body = Problem)))]
pub(super) async fn bring_up(
    State(context): State<Arc<Context>>,
    Json(wish): Json<BringUp>,
) -> Result<axum::Json<Acted>, Failure> {
    let outcome = carry_out(&context, Wish::BringUp(ids_of(&wish.ids)?)).await?;
    Ok(acted(&context, outcome))
}

/// Take the last act back
#[utoipa::path(post, path = "/undo", responses((status = 200, body = Acted), (status = 409, body = Problem)))]
pub(super) async fn undo(State(context): State<Arc<Context>>) -> Result<axum::Json<Acted>, Failure> {
    let (done, answer) = oneshot::channel();
    let _ = context.app.changes.send(Change::Undo(done));
    Ok(acted(&context, answer.await??))
}

/// Make again what was taken back last
#[utoipa::path(post, path = "/redo", responses((status = 200, body = Acted), (status = 409, body = Problem)))]
pub(super) async fn redo(State(context): State<Arc<Context>>) -> Result<axum::Json<Acted>, Failure> {
    let (done, answer) = oneshot::channel();
    let _ = context.app.changes.send(Change::Redo(done));
    Ok(acted(&context, answer.await??))
}

/// The acts that can be taken back or made again, newest first
#[utoipa::path(get, path = "/acts", responses((status = 200, body = Acts)))]
pub(super) async fn list(State(context): State<Arc<Context>>) -> Result<axum::Json<Acts>, Failure> {
    let (done, answer) = oneshot::channel();
    let _ = context.app.changes.send(Change::ListActs(done));
    Ok(axum::Json(Acts { acts: answer.await? }))
}
