//! Batches: listed, begun, changed and removed.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Acted, AllBatches, BatchItems, ChangeBatch, NewBatch, Problem};
use yadori_core::BatchId;
use yadori_core::acts::{Act, BatchChange};
use yadori_core::batch::{After, Batch};
use yadori_core::take::tidy::Step;

use crate::batches::filling::filled;
use crate::home::random::random;
use crate::http::acts::done::{carry_out, carry_out_with};
use crate::http::extract::{Json, Path, Query};
use crate::http::part::Part;
use crate::http::{Context, Failure};
use crate::state::app::App;
use crate::state::batches as shapes;
use crate::take::error::TakeError;

/// The batch that a path names; `-` is the one in hand.
pub(super) fn named(path: &str) -> Option<&str> {
    Some(path).filter(|name| *name != "-")
}

/// The batch that a path names.
pub(super) fn found(app: &App, path: &str) -> Result<Arc<Batch>, Failure> {
    Ok(app.clips.history().batches().find(named(path))?.clone())
}

/// All batches, the one in hand first
#[utoipa::path(get, path = "/batches", responses((status = 200, body = AllBatches)))]
pub(crate) async fn list(State(context): State<Arc<Context>>) -> axum::Json<AllBatches> {
    let history = context.app.clips.history();
    let batches = history.batches().shown().into_iter().map(|one| shapes::batch(&history, one)).collect();
    axum::Json(AllBatches { batches })
}

/// A batch (by id or name, or `-` for the one in hand) and its items, in their order
#[utoipa::path(get, path = "/batches/{batch}", params(("batch" = String, Path), Part),
    responses((status = 200, body = BatchItems), (status = 404, body = Problem)))]
pub(crate) async fn items(
    State(context): State<Arc<Context>>,
    Path(name): Path<String>,
    Query(part): Query<Part>,
) -> Result<axum::Json<BatchItems>, Failure> {
    let batch = found(&context.app, &name)?;
    let history = context.app.clips.history();
    let items = shapes::items(&history, &batch, part.skip, part.limit());
    Ok(axum::Json(BatchItems { batch: shapes::batch(&history, &batch), items }))
}

fn changed(wanted: ChangeBatch) -> Result<BatchChange, Failure> {
    let after_record = match wanted.after_record.as_deref() {
        None => None,
        Some("same") => Some(None),
        Some(word) => {
            let known = [After::Nothing, After::Tab, After::Enter].into_iter().find(|one| one.word() == word);
            let known = known.ok_or_else(|| {
                Failure::invalid("what comes after a record is `nothing`, `tab`, `enter` or `same`")
            })?;
            Some(Some(known))
        }
    };
    for name in wanted.tidy.iter().flatten() {
        name.parse::<Step>().map_err(TakeError::from)?;
    }
    let name = wanted.name.map(|name| Some(name).filter(|name| !name.trim().is_empty()));
    let (gathering, after_each, tidy) = (wanted.gathering, wanted.after_each, wanted.tidy);
    Ok(BatchChange { name, gathering, after_each, after_record, tidy })
}

/// Begin a batch: of clips, of texts, of the parts of either, or of what is copied from now on
#[utoipa::path(post, path = "/batches", request_body = NewBatch,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn begin(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<NewBatch>,
) -> Result<axum::Json<Acted>, Failure> {
    let change = changed(wanted.change)?;
    let (pieces, with) = filled(&context.app, &context.disk, &wanted.filling).await?;
    carry_out_with(&context, Act::NewBatch { id: BatchId(random()?), pieces, change }, with).await
}

/// Name a batch, let copies join it or no longer, say what is pressed after each item
#[utoipa::path(post, path = "/batches/{batch}/change", params(("batch" = String, Path)), request_body = ChangeBatch,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn change(
    State(context): State<Arc<Context>>,
    Path(name): Path<String>,
    Json(wanted): Json<ChangeBatch>,
) -> Result<axum::Json<Acted>, Failure> {
    let batch = found(&context.app, &name)?.id;
    carry_out(&context, Act::ChangeBatch { batch, change: changed(wanted)? }).await
}

/// Remove a batch; the clips it came from stay
#[utoipa::path(post, path = "/batches/{batch}/remove", params(("batch" = String, Path)),
    responses((status = 200, body = Acted), (status = 404, body = Problem)))]
pub(crate) async fn remove(
    State(context): State<Arc<Context>>,
    Path(name): Path<String>,
) -> Result<axum::Json<Acted>, Failure> {
    let batch = found(&context.app, &name)?.id;
    carry_out(&context, Act::RemoveBatch { batch }).await
}
