//! Whether it starts with the desktop.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use yadori_api::{Autostart, Problem, SetAutostart};

use crate::home::autostart::AutostartError;
use crate::http::extract::Json;
use crate::http::language::spoken;
use crate::http::{Context, Failure};

fn refused(why: &AutostartError) -> Failure {
    let status = match why {
        AutostartError::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
        AutostartError::NoClient(_) | AutostartError::NoAnswer => StatusCode::SERVICE_UNAVAILABLE,
    };
    Failure::new(status, "autostart", "It starts as it did", why.to_string())
        .hint("`yadori autostart` in a terminal says more")
}

/// Whether Yadori starts with the desktop
#[utoipa::path(get, path = "/autostart", responses((status = 200, body = Autostart), (status = 422, body = Problem), (status = 503, body = Problem)))]
pub(crate) async fn status(State(context): State<Arc<Context>>) -> Result<axum::Json<Autostart>, Failure> {
    context.autostart.status().await.map(axum::Json).map_err(|why| refused(&why))
}

/// Have it start with the desktop from the next session on, or no longer
#[utoipa::path(put, path = "/autostart", request_body = SetAutostart, responses((status = 200, body = Autostart), (status = 422, body = Problem), (status = 503, body = Problem)))]
pub(crate) async fn set(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<SetAutostart>,
) -> Result<axum::Json<Autostart>, Failure> {
    context.autostart.set(wanted.on, spoken().name()).await.map(axum::Json).map_err(|why| refused(&why))
}
