//! Batches are handed out.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Hand, HandedOut, Problem};

use super::batch::named;
use crate::batches::hand::hand as hand_out;
use crate::http::extract::{Json, Path};
use crate::http::{Context, Failure};
use crate::state::batches as shapes;

/// Hand out what is next in a batch, or go on, back, or to another place in it
#[utoipa::path(post, path = "/batches/{batch}/hand", params(("batch" = String, Path)), request_body = Hand,
    responses((status = 200, body = HandedOut), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub(crate) async fn hand(
    State(context): State<Arc<Context>>,
    Path(name): Path<String>,
    Json(wanted): Json<Hand>,
) -> Result<axum::Json<HandedOut>, Failure> {
    let app = &context.app;
    let given = hand_out(app, &context.queue, named(&name), &wanted).await?;
    let history = app.clips.history();
    let batch = history.batches().get(given.batch).ok_or(yadori_core::batch::NoBatch::None)?;
    let item = given.item.as_ref().map(|(at, item)| shapes::item(&history, batch, *at, item));
    let pasted = wanted.paste.is_some() && item.is_some();
    Ok(axum::Json(HandedOut { item, pasted, batch: shapes::batch(&history, batch) }))
}
