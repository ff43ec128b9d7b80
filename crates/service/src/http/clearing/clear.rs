//! Clearing clips by a scope.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Clear, ClearPlan, Cleared, Problem};

use crate::clearing::clear::{ClearError, clear as carry_out, plan};
use crate::http::extract::Json;
use crate::http::language::retell;
use crate::http::{Context, Failure};
use crate::search::find::zone;

fn failure(wanted: &Clear, why: ClearError) -> Failure {
    match why {
        ClearError::Query(why) => Failure::query(wanted.scope.query.as_deref().unwrap_or_default(), &why),
        ClearError::Search(why) => why.into(),
        ClearError::NotAllRead => Failure::unavailable(why.to_string()).retry_after(2),
        ClearError::Write(why) => why.into(),
    }
}

/// See what a clearing would take
#[utoipa::path(post, path = "/clear/plan", request_body = Clear,
    responses((status = 200, body = ClearPlan), (status = 422, body = Problem), (status = 503, body = Problem)))]
pub(crate) async fn plan_clear(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<Clear>,
) -> Result<axum::Json<ClearPlan>, Failure> {
    let zone = zone(wanted.zone.as_deref()).ok_or_else(Failure::no_zone)?;
    let mut plan = plan(&context.app, &wanted.scope, zone).await.map_err(|why| failure(&wanted, why))?;
    plan.words = retell(&plan.words);
    Ok(axum::Json(plan))
}

/// Clear clips: whatever is no favorite, or what a scope says. Answers when they have gone
#[utoipa::path(post, path = "/clear", request_body = Clear,
    responses((status = 200, body = Cleared), (status = 409, body = Problem), (status = 422, body = Problem),
        (status = 503, body = Problem)))]
pub(crate) async fn clear(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<Clear>,
) -> Result<axum::Json<Cleared>, Failure> {
    let zone = zone(wanted.zone.as_deref()).ok_or_else(Failure::no_zone)?;
    carry_out(&context.app, &context.queue, &wanted, zone, None)
        .await
        .map(axum::Json)
        .map_err(|why| failure(&wanted, why))
}
