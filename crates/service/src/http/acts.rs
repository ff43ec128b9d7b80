//! Acts: removing, and taking the last act back.

use std::sync::Arc;

use axum::extract::State;
use tokio::sync::oneshot;
use yadori_api::{Problem, Remove, Removed, Undone};
use yadori_core::ClipId;

use super::extract::Json;
use super::{Context, Failure};
use crate::app::row;
use crate::keeper::Change;

/// Clips removed at once at most.
const MOST: usize = 10_000;

/// Remove clips
#[utoipa::path(post, path = "/remove", request_body = Remove,
    responses((status = 200, body = Removed), (status = 409, body = Problem), (status = 503, body = Problem)))]
pub(super) async fn remove(
    State(context): State<Arc<Context>>,
    Json(wish): Json<Remove>,
) -> Result<axum::Json<Removed>, Failure> {
    if wish.ids.is_empty() || wish.ids.len() > MOST {
        return Err(Failure::invalid(format!("give between 1 and {MOST} ids")));
    }
    let ids: Option<Vec<ClipId>> = wish.ids.iter().map(|id| ClipId::parse(id)).collect();
    let ids =
        ids.ok_or_else(|| Failure::invalid("an act needs whole ids of 26 characters, since places shift"))?;
    let (done, answer) = oneshot::channel();
    let _ = context.app.changes.send(Change::Remove(ids, done));
    Ok(axum::Json(answer.await??))
}

/// Take the last act back
#[utoipa::path(post, path = "/undo", responses((status = 200, body = Undone), (status = 409, body = Problem)))]
pub(super) async fn undo(State(context): State<Arc<Context>>) -> Result<axum::Json<Undone>, Failure> {
    let (done, answer) = oneshot::channel();
    let _ = context.app.changes.send(Change::Undo(done));
    let (act, ids) = answer.await??;
    let history = context.app.history();
    let clips = ids.iter().filter_map(|id| Some(row(&history, history.get(*id)?))).collect();
    Ok(axum::Json(Undone { act, clips }))
}
