//! What a person does to clips: removing, keeping, naming, coloring, bringing up.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Acted, BringUp, Keep, KeepIn, Paint, Problem, Remove, Removed, Title};
use yadori_core::acts::{Act, Place};

use super::done::{carry_out, carry_out_with, ids_of};
use crate::home::random::hex;
use crate::http::extract::Json;
use crate::http::{Context, Failure};
use crate::writer::With;

/// Remove clips
#[utoipa::path(post, path = "/remove", request_body = Remove,
    responses((status = 200, body = Removed), (status = 409, body = Problem), (status = 503, body = Problem)))]
pub(crate) async fn remove(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<Remove>,
) -> Result<axum::Json<Removed>, Failure> {
    let outcome = context
        .queue
        .act(Act::Remove { clips: ids_of(&wanted.ids)?, spare_pinned: wanted.spare_pinned }, With::default())
        .await?;
    let grace_seconds = context.app.grace.as_secs();
    let revision = context.app.clips.history().revision();
    let removed = outcome.ids.len() as u64;
    Ok(axum::Json(Removed { id: hex(outcome.id), removed, grace_seconds, revision }))
}

/// Keep clips among the favorites or in a drawer, move them there, or keep them no longer
#[utoipa::path(post, path = "/keep", request_body = Keep,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub(crate) async fn keep(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<Keep>,
) -> Result<axum::Json<Acted>, Failure> {
    let place = match wanted.to {
        KeepIn::Nowhere => Place::Nowhere,
        KeepIn::Favorites => Place::Favorites,
        KeepIn::Drawer { drawer } => Place::Drawer(drawer),
    };
    let act = Act::Keep { clips: ids_of(&wanted.ids)?, place, before: wanted.before };
    carry_out_with(&context, act, With { secrets: wanted.secrets, ..With::default() }).await
}

/// Give a clip a title, or take it away
#[utoipa::path(post, path = "/title", request_body = Title,
    responses((status = 200, body = Acted), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn title(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<Title>,
) -> Result<axum::Json<Acted>, Failure> {
    let clip = ids_of(&[wanted.id])?[0];
    carry_out(&context, Act::Title { clip, title: wanted.title }).await
}

/// Give clips a color, or take it away
#[utoipa::path(post, path = "/color", request_body = Paint,
    responses((status = 200, body = Acted), (status = 409, body = Problem)))]
pub(crate) async fn paint(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<Paint>,
) -> Result<axum::Json<Acted>, Failure> {
    let act = Act::Color { clips: ids_of(&wanted.ids)?, color: wanted.color };
    carry_out(&context, act).await
}

/// Bring clips to the top of the history
#[utoipa::path(post, path = "/bring-up", request_body = BringUp,
    responses((status = 200, body = Acted), (status = 409, body = Problem)))]
pub(crate) async fn bring_up(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<BringUp>,
) -> Result<axum::Json<Acted>, Failure> {
    carry_out(&context, Act::BringUp { clips: ids_of(&wanted.ids)? }).await
}
