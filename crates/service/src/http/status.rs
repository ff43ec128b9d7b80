//! How things stand, and ending the service.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use axum::{Extension, Json};
use yadori_api::{Problem, Status};

use super::{Context, Failure, Way};

/// The process is up. Says nothing else.
pub(super) async fn healthz() -> &'static str {
    "ok\n"
}

/// How things stand
#[utoipa::path(get, path = "/status", responses((status = 200, body = Status)))]
pub(super) async fn status(State(context): State<Arc<Context>>) -> Json<Status> {
    Json(context.app.status())
}

/// End the service (over the Unix socket only)
#[utoipa::path(post, path = "/stop", responses((status = 202), (status = 403, body = Problem)))]
pub(super) async fn stop(
    State(context): State<Arc<Context>>,
    Extension(way): Extension<Way>,
) -> Result<StatusCode, Failure> {
    only_unix(way)?;
    context.app.shutdown.cancel();
    Ok(StatusCode::ACCEPTED)
}

/// For calls that browsers must not make.
pub(super) fn only_unix(way: Way) -> Result<(), Failure> {
    match way {
        Way::Unix => Ok(()),
        Way::Tcp(_) => {
            let detail = "this call is answered on the Unix socket only";
            Err(Failure::new(StatusCode::FORBIDDEN, "not-here", "Not by this way", detail)
                .hint("use the client, `yadori`"))
        }
    }
}
