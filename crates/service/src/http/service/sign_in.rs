//! Sign-in: a link by the Unix socket, a key for its secret.

use std::sync::Arc;

use axum::Extension;
use axum::extract::State;
use axum::http::StatusCode;
use yadori_api::{Problem, SignIn, SignInLink, SignedIn};

use super::status::only_unix;
use crate::http::context::Entrance;
use crate::http::extract::Json;
use crate::http::{Context, Failure};
use crate::state::sign_in::{LINK_LIFE, MARK};

/// Make a sign-in link (over the Unix socket only)
#[utoipa::path(post, path = "/sign-in-links", responses((status = 200, body = SignInLink), (status = 503, body = Problem)))]
pub(crate) async fn new_link(
    State(context): State<Arc<Context>>,
    Extension(entrance): Extension<Entrance>,
) -> Result<axum::Json<SignInLink>, Failure> {
    only_unix(entrance)?;
    let console = context.app.health.now().console.map_err(|why| {
        Failure::new(StatusCode::SERVICE_UNAVAILABLE, "no-console", "The console is not served", why)
    })?;
    let secret = context.app.entries.new_link()?;
    let seconds = u32::try_from(LINK_LIFE.as_secs()).unwrap_or(60);
    Ok(axum::Json(SignInLink { url: format!("{console}/{MARK}{secret}"), seconds }))
}

/// Exchange a link's secret for a key
#[utoipa::path(post, path = "/sign-in", request_body = SignIn,
    responses((status = 200, body = SignedIn), (status = 403, body = Problem)))]
pub(crate) async fn sign_in(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<SignIn>,
) -> Result<axum::Json<SignedIn>, Failure> {
    let key = context.app.entries.sign_in(&wanted.entry).ok_or_else(|| {
        let detail = "this sign-in link was used already, or its minute has passed";
        Failure::new(StatusCode::FORBIDDEN, "spent-link", "The link is spent", detail)
            .hint("run `yadori console` for a new one")
    })?;
    Ok(axum::Json(SignedIn { key }))
}
