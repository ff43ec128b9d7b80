//! Drafts: what is typed in an editor and not saved yet.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use yadori_api::{Draft, Problem};

use super::address::resolve_open as resolve;
use crate::http::extract::{Json, Path};
use crate::http::{Context, Failure};

/// The draft of an editor, if there is one
#[utoipa::path(get, path = "/clips/{address}/draft", params(("address" = String, Path)),
    responses((status = 200, body = Draft), (status = 404, body = Problem)))]
pub(crate) async fn draft(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
) -> Result<axum::Json<Draft>, Failure> {
    let clip = resolve(&context.app, &address)?;
    let store = context.app.at_hand.store().ok_or_else(Failure::not_open)?;
    let draft = store.draft(clip.id).await.map_err(|why| Failure::unavailable(why.to_string()))?;
    let none = || {
        Failure::new(StatusCode::NOT_FOUND, "no-draft", "There is no draft", "nothing is kept for this clip")
    };
    let (at, text) = draft.ok_or_else(none)?;
    Ok(axum::Json(Draft { text, at: Some(at) }))
}

/// Keep what is typed in an editor, or (an empty text) let go of it
#[utoipa::path(post, path = "/clips/{address}/draft", params(("address" = String, Path)), request_body = Draft,
    responses((status = 204), (status = 503, body = Problem)))]
pub(crate) async fn keep_draft(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
    Json(draft): Json<Draft>,
) -> Result<StatusCode, Failure> {
    let clip = resolve(&context.app, &address)?;
    let text = Some(draft.text).filter(|text| !text.is_empty());
    context.queue.draft(clip.id, text).await?;
    Ok(StatusCode::NO_CONTENT)
}
