//! An act taken back or made again, and the list of them.

use std::sync::Arc;

use axum::extract::State;
use serde::Deserialize;
use utoipa::IntoParams;
use yadori_api::{Acted, Acts, Problem};
use yadori_core::acts::Direction;

use super::done::acted;
use crate::home::random::from_hex;
use crate::http::extract::Query;
use crate::http::language::retell;
use crate::http::{Context, Failure};

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Which {
    /// The id of the act; the last one if not given
    act: Option<String>,
}

impl Which {
    fn id(&self) -> Result<Option<[u8; 16]>, Failure> {
        let read = |text: &String| {
            from_hex(text).ok_or_else(|| Failure::invalid("an act's id has 32 hexadecimal digits"))
        };
        self.act.as_ref().map(read).transpose()
    }
}

/// Take an act back: the one named, or the last
#[utoipa::path(post, path = "/undo", params(Which),
    responses((status = 200, body = Acted), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn undo(
    State(context): State<Arc<Context>>,
    Query(which): Query<Which>,
) -> Result<axum::Json<Acted>, Failure> {
    Ok(acted(&context, context.queue.step(Direction::Undo, which.id()?).await?))
}

/// Make an act again: the one named, or what was taken back last
#[utoipa::path(post, path = "/redo", params(Which),
    responses((status = 200, body = Acted), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn redo(
    State(context): State<Arc<Context>>,
    Query(which): Query<Which>,
) -> Result<axum::Json<Acted>, Failure> {
    Ok(acted(&context, context.queue.step(Direction::Redo, which.id()?).await?))
}

/// The acts that can be taken back or made again, newest first
#[utoipa::path(get, path = "/acts", responses((status = 200, body = Acts)))]
pub(crate) async fn list(State(context): State<Arc<Context>>) -> Result<axum::Json<Acts>, Failure> {
    let mut acts = context.queue.acts().await?;
    acts.iter_mut().filter_map(|act| act.about.as_mut()).for_each(|about| *about = retell(about));
    Ok(axum::Json(Acts { acts }))
}
