//! How a file that was sent ended.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use yadori_api::{Problem, TransferEnd};

use crate::http::extract::Path;
use crate::http::{Context, Failure};

/// The end of a file that was sent whole: compare with it what was received
#[utoipa::path(get, path = "/transfers/{transfer}", params(("transfer" = String, Path)),
    responses((status = 200, body = TransferEnd), (status = 404, body = Problem)))]
pub(crate) async fn end(
    State(context): State<Arc<Context>>,
    Path(transfer): Path<String>,
) -> Result<axum::Json<TransferEnd>, Failure> {
    let end = context.app.transfers.end_of(&transfer).ok_or_else(|| {
        let detail = "it was broken off, or it is long ago";
        Failure::new(StatusCode::NOT_FOUND, "no-such-transfer", "That file was not sent whole", detail)
    })?;
    Ok(axum::Json(end))
}
