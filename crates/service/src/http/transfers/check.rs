//! Checking the records.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Checked, Problem};

use crate::http::{Context, Failure};
use crate::records::check;
use crate::state::shapes::row;

/// Rows of damaged clips that an answer carries.
const ROWS: usize = 500;

/// Compare every content with its digest, and mend what can be mended
#[utoipa::path(post, path = "/check", responses((status = 200, body = Checked), (status = 503, body = Problem)))]
pub(crate) async fn check(State(context): State<Arc<Context>>) -> Result<axum::Json<Checked>, Failure> {
    let store = context.app.at_hand.store().ok_or_else(Failure::not_open)?;
    let found = check::check(&context.app, &store, &context.disk)
        .await
        .map_err(|why| Failure::unavailable(why.to_string()))?;
    let history = context.app.clips.history();
    let rows = found.damaged.iter().filter_map(|id| Some(row(&history, &*history.get(*id)?))).take(ROWS);
    Ok(axum::Json(Checked {
        contents: found.contents,
        mended: found.mended,
        damaged: found.damaged.len() as u64,
        clips: rows.collect(),
    }))
}
