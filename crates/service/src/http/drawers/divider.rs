//! Dividers: headings inside drawers.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Acted, ChangeDivider, NewDivider, Problem};
use yadori_core::acts::Act;

use crate::home::random::random_name;
use crate::http::acts::done::carry_out;
use crate::http::extract::{Json, Path};
use crate::http::{Context, Failure};

/// Make a divider in a drawer
#[utoipa::path(post, path = "/drawers/{drawer}/dividers", params(("drawer" = String, Path)), request_body = NewDivider,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn new_divider(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
    Json(wanted): Json<NewDivider>,
) -> Result<axum::Json<Acted>, Failure> {
    let id = random_name::<16>()?;
    carry_out(&context, Act::NewDivider { drawer, id, name: wanted.name, before: wanted.before }).await
}

/// Rename or move a divider
#[utoipa::path(post, path = "/drawers/{drawer}/dividers/{divider}/change",
    params(("drawer" = String, Path), ("divider" = String, Path)), request_body = ChangeDivider,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn change_divider(
    State(context): State<Arc<Context>>,
    Path((drawer, divider)): Path<(String, String)>,
    Json(wanted): Json<ChangeDivider>,
) -> Result<axum::Json<Acted>, Failure> {
    let ChangeDivider { name, before } = wanted;
    carry_out(&context, Act::ChangeDivider { drawer, divider, name, before }).await
}

/// Remove a divider; what stood under it stays
#[utoipa::path(post, path = "/drawers/{drawer}/dividers/{divider}/remove",
    params(("drawer" = String, Path), ("divider" = String, Path)),
    responses((status = 200, body = Acted), (status = 404, body = Problem)))]
pub(crate) async fn remove_divider(
    State(context): State<Arc<Context>>,
    Path((drawer, divider)): Path<(String, String)>,
) -> Result<axum::Json<Acted>, Failure> {
    carry_out(&context, Act::RemoveDivider { drawer, divider }).await
}
