//! How things stand, and ending the service.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use axum::{Extension, Json};
use yadori_api::{PauseFor, Problem, Status};

use crate::home::settings::read_again;
use crate::http::context::Entrance;
use crate::http::extract::Json as Body;
use crate::http::language::{Retold as _, spoken};
use crate::http::{Context, Failure};
use crate::intake::pause::{self as pausing, PauseError};
use crate::records::rebuild::ask;

/// The process is up. Says nothing else.
pub(crate) async fn healthz() -> &'static str {
    "ok\n"
}

/// How things stand
#[utoipa::path(get, path = "/status", responses((status = 200, body = Status)))]
pub(crate) async fn status(State(context): State<Arc<Context>>) -> Json<Status> {
    Json(context.app.status().retold(spoken()))
}

/// End the service (over the Unix socket only)
#[utoipa::path(post, path = "/stop", responses((status = 202), (status = 403, body = Problem)))]
pub(crate) async fn stop(
    State(context): State<Arc<Context>>,
    Extension(entrance): Extension<Entrance>,
) -> Result<StatusCode, Failure> {
    only_unix(entrance)?;
    context.app.shutdown.cancel();
    Ok(StatusCode::ACCEPTED)
}

/// Read the configuration again (over the Unix socket only): chords, pasting, the picker
#[utoipa::path(post, path = "/reread", responses((status = 204), (status = 422, body = Problem)))]
pub(crate) async fn reread(
    State(context): State<Arc<Context>>,
    Extension(entrance): Extension<Entrance>,
) -> Result<StatusCode, Failure> {
    only_unix(entrance)?;
    let settings = read_again(&context.config.path).map_err(|why| {
        Failure::new(
            StatusCode::UNPROCESSABLE_ENTITY,
            "configuration",
            "The settings are as they were",
            why.to_string(),
        )
        .hint("mend it and read it again; config.example.toml shows every setting")
    })?;
    context.app.set(settings);
    Ok(StatusCode::NO_CONTENT)
}

/// Rebuild the private database from what remains and remove its old files (over the Unix socket only): the service starts
/// itself again for that
#[utoipa::path(post, path = "/rebuild", responses((status = 202), (status = 409, body = Problem)))]
pub(crate) async fn rebuild(
    State(context): State<Arc<Context>>,
    Extension(entrance): Extension<Entrance>,
) -> Result<StatusCode, Failure> {
    only_unix(entrance)?;
    if context.disk.directory().is_none() {
        let detail = "the records are in a database of your own, whose files are not Yadori's";
        return Err(Failure::new(
            StatusCode::CONFLICT,
            "not-private",
            "The records are as they were",
            detail,
        )
        .hint("rebuild its tables there, for example with OPTIMIZE TABLE"));
    }
    // What is being let go of is gone first.
    context.app.until_idle().await;
    let free = context.app.health.now().space.map_or(0, |space| space.contents);
    if !context.disk.has_room(free.saturating_mul(2)) {
        return Err(Failure::new(
            StatusCode::INSUFFICIENT_STORAGE,
            "no-space-for-both",
            "The records are as they were",
            "the rebuilt records and one table would not fit on the disk beside the old ones",
        )
        .hint("free some space and try again"));
    }
    ask(&context.home).map_err(|why| Failure::unavailable(why.to_string()))?;
    context.app.shutdown.cancel();
    Ok(StatusCode::ACCEPTED)
}

/// Pause capture, for a time or until it is resumed
#[utoipa::path(post, path = "/pause", request_body = PauseFor,
    responses((status = 200, body = Status), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn pause(
    State(context): State<Arc<Context>>,
    Body(wanted): Body<PauseFor>,
) -> Result<Json<Status>, Failure> {
    pausing::pause(&context.app, wanted.minutes)?;
    Ok(Json(context.app.status()))
}

/// Capture again what is copied from now on
#[utoipa::path(post, path = "/resume", responses((status = 200, body = Status), (status = 409, body = Problem)))]
pub(crate) async fn resume(State(context): State<Arc<Context>>) -> Result<Json<Status>, Failure> {
    pausing::resume(&context.app).await?;
    Ok(Json(context.app.status()))
}

impl From<PauseError> for Failure {
    fn from(why: PauseError) -> Self {
        let words = why.to_string();
        match why {
            PauseError::Minutes(_) => Self::invalid(&words),
            PauseError::Remembering(_) => Self::new(
                StatusCode::INSUFFICIENT_STORAGE,
                "not-remembered",
                "It holds until the service ends",
                words,
            ),
            PauseError::Off | PauseError::NotPaused => {
                Self::new(StatusCode::CONFLICT, "not-paused", "Capture is as it was", words)
            }
        }
    }
}

/// For calls that browsers must not make.
pub(crate) fn only_unix(entrance: Entrance) -> Result<(), Failure> {
    match entrance {
        Entrance::Unix => Ok(()),
        Entrance::Tcp(_) | Entrance::Phone => {
            let detail = "this call is answered on the Unix socket only";
            Err(Failure::new(StatusCode::FORBIDDEN, "not-here", "Not by this way", detail)
                .hint("use the client, `yadori`"))
        }
    }
}
