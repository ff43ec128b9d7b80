//! The items of a batch: added, dropped, and put in another order.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Acted, Filling, Problem, SomeItems};
use yadori_core::BatchId;
use yadori_core::acts::{Act, BatchChange, ItemsChange};

use super::batch::found;
use crate::batches::filling::filled;
use crate::home::random::random;
use crate::http::acts::done::{carry_out, carry_out_with};
use crate::http::extract::{Json, Path};
use crate::http::{Context, Failure};

async fn changed(context: &Context, name: &str, change: ItemsChange) -> Result<axum::Json<Acted>, Failure> {
    let batch = found(&context.app, name)?.id;
    carry_out(context, Act::ChangeItems { batch, change }).await
}

/// Add clips, texts, or the parts of either to a batch
#[utoipa::path(post, path = "/batches/{batch}/add", params(("batch" = String, Path)), request_body = Filling,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn add(
    State(context): State<Arc<Context>>,
    Path(name): Path<String>,
    Json(wanted): Json<Filling>,
) -> Result<axum::Json<Acted>, Failure> {
    let batch = found(&context.app, &name)?.id;
    let (pieces, with) = filled(&context.app, &context.disk, &wanted).await?;
    if pieces.is_empty() {
        return Err(Failure::invalid("name clips or texts to be added"));
    }
    let change = ItemsChange::Add(pieces, wanted.before);
    carry_out_with(&context, Act::ChangeItems { batch, change }, with).await
}

/// Add to the batch in hand; where there is none, or it was handed out and copies do not join it, begin one
#[utoipa::path(post, path = "/batches/in-hand", request_body = Filling,
    responses((status = 200, body = Acted, description = "`made` is there when one was begun"), (status = 404, body = Problem),
        (status = 422, body = Problem)))]
pub(crate) async fn add_or_begin(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<Filling>,
) -> Result<axum::Json<Acted>, Failure> {
    let (pieces, with) = filled(&context.app, &context.disk, &wanted).await?;
    if pieces.is_empty() {
        return Err(Failure::invalid("name clips or texts to be added"));
    }
    // Looked at after the contents were read: it may have come to its end meanwhile.
    let in_hand = context.app.clips.history().batches().in_hand().cloned();
    let act = match in_hand.filter(|one| one.left() > 0 || one.state.gathering) {
        Some(batch) => Act::ChangeItems { batch: batch.id, change: ItemsChange::Add(pieces, wanted.before) },
        None => Act::NewBatch { id: BatchId(random()?), pieces, change: BatchChange::default() },
    };
    carry_out_with(&context, act, with).await
}

/// Drop items from a batch
#[utoipa::path(post, path = "/batches/{batch}/drop", params(("batch" = String, Path)), request_body = SomeItems,
    responses((status = 200, body = Acted), (status = 404, body = Problem)))]
pub(crate) async fn drop_items(
    State(context): State<Arc<Context>>,
    Path(name): Path<String>,
    Json(wanted): Json<SomeItems>,
) -> Result<axum::Json<Acted>, Failure> {
    changed(&context, &name, ItemsChange::Drop(wanted.items)).await
}

/// Move items of a batch before another one, or to its end
#[utoipa::path(post, path = "/batches/{batch}/move", params(("batch" = String, Path)), request_body = SomeItems,
    responses((status = 200, body = Acted), (status = 404, body = Problem)))]
pub(crate) async fn move_items(
    State(context): State<Arc<Context>>,
    Path(name): Path<String>,
    Json(wanted): Json<SomeItems>,
) -> Result<axum::Json<Acted>, Failure> {
    changed(&context, &name, ItemsChange::Move(wanted.items, wanted.before)).await
}

/// Put what is left of a batch in the opposite order
#[utoipa::path(post, path = "/batches/{batch}/reverse", params(("batch" = String, Path)),
    responses((status = 200, body = Acted), (status = 404, body = Problem)))]
pub(crate) async fn reverse(
    State(context): State<Arc<Context>>,
    Path(name): Path<String>,
) -> Result<axum::Json<Acted>, Failure> {
    changed(&context, &name, ItemsChange::Reverse).await
}
