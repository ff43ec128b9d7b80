//! The last act taken back or made again, and the list of them.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Acted, Acts, Problem};
use yadori_core::acts::Direction;

use super::done::acted;
use crate::http::{Context, Failure};

/// Take the last act back
#[utoipa::path(post, path = "/undo", responses((status = 200, body = Acted), (status = 409, body = Problem)))]
pub(crate) async fn undo(State(context): State<Arc<Context>>) -> Result<axum::Json<Acted>, Failure> {
    Ok(acted(&context, context.queue.step(Direction::Undo).await?))
}

/// Make again what was taken back last
#[utoipa::path(post, path = "/redo", responses((status = 200, body = Acted), (status = 409, body = Problem)))]
pub(crate) async fn redo(State(context): State<Arc<Context>>) -> Result<axum::Json<Acted>, Failure> {
    Ok(acted(&context, context.queue.step(Direction::Redo).await?))
}

/// The acts that can be taken back or made again, newest first
#[utoipa::path(get, path = "/acts", responses((status = 200, body = Acts)))]
pub(crate) async fn list(State(context): State<Arc<Context>>) -> Result<axum::Json<Acts>, Failure> {
    Ok(axum::Json(Acts { acts: context.queue.acts().await? }))
}
