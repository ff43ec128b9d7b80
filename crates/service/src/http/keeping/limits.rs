//! Limits: what they would remove, why a clip is going, and obeying them now.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{LimitsPlan, Obeyed, Outlook, Problem, TryLimits};

use super::settings::{known_changes, refused};
use crate::clearing::limits::{outlook as outlook_of, preview};
use crate::clearing::sweep::obey as obey_now;
use crate::home::settings::change::try_change;
use crate::http::clips::address::resolve;
use crate::http::extract::{Json, Path};
use crate::http::language::{Retold as _, retell, spoken};
use crate::http::{Context, Failure};

/// See what limits would remove: those that hold, or with changes
#[utoipa::path(post, path = "/limits/plan", request_body = TryLimits,
    responses((status = 200, body = LimitsPlan), (status = 422, body = Problem)))]
pub(crate) async fn plan_limits(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<TryLimits>,
) -> Result<axum::Json<LimitsPlan>, Failure> {
    let limits = if wanted.changes.is_empty() {
        context.app.settings().keeping.limits.clone()
    } else {
        let changes = known_changes(&wanted.changes)?;
        try_change(&context.config.path, &changes).map_err(|why| refused(&why))?.keeping.limits
    };
    Ok(axum::Json(preview(&context.app, &limits).retold(spoken())))
}

/// Obey the limits now, also where a sweep waits for a person
#[utoipa::path(post, path = "/limits/obey", responses((status = 200, body = Obeyed), (status = 503, body = Problem)))]
pub(crate) async fn obey(State(context): State<Arc<Context>>) -> Result<axum::Json<Obeyed>, Failure> {
    let clips = obey_now(&context.app, &context.queue).await?;
    Ok(axum::Json(Obeyed { clips }))
}

/// When and why a clip will go
#[utoipa::path(get, path = "/clips/{address}/outlook", params(("address" = String, Path)),
    responses((status = 200, body = Outlook), (status = 404, body = Problem)))]
pub(crate) async fn outlook(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
) -> Result<axum::Json<Outlook>, Failure> {
    let clip = resolve(&context.app, &address)?;
    let mut outlook = outlook_of(&context.app, clip.id);
    outlook.words = retell(&outlook.words);
    Ok(axum::Json(outlook))
}
