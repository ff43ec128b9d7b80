//! For a moment after the start the history is not there yet: calls that need it wait for it, within bounds, rather than
//! be answered as if there were nothing.

use std::time::Duration;

use axum::extract::{Request, State};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use yadori_api::DatabaseState;

use super::Failure;
use crate::state::app::Shared;

/// How long a call waits.
const PATIENCE: Duration = Duration::from_secs(10);
/// How often it looks whether waiting makes sense.
const LOOK: Duration = Duration::from_millis(250);

pub(super) async fn when_loaded(State(app): State<Shared>, request: Request, next: Next) -> Response {
    match until_loaded(&app).await {
        Ok(()) => next.run(request).await,
        Err(failure) => failure.into_response(),
    }
}

/// Waits until the history has been read.
pub(crate) async fn until_loaded(app: &Shared) -> Result<(), Failure> {
    until_known(app, usize::MAX).await
}

/// Waits until so many of the newest clips have been read, or the whole history has.
pub(crate) async fn until_known(app: &Shared, count: usize) -> Result<(), Failure> {
    if app.clips.newest_known() >= count || wait(app, count).await {
        return Ok(());
    }
    let reason = app.health.now().database.reason;
    let detail = reason.unwrap_or_else(|| "the history has not been loaded yet".into());
    Err(Failure::unavailable(detail).retry_after(1))
}

/// True when the call can be answered: the history is there, or nothing but copies that wait is to be expected.
async fn wait(app: &Shared, count: usize) -> bool {
    let until = tokio::time::Instant::now() + PATIENCE;
    loop {
        if app.clips.until_known(count, LOOK).await {
            return true;
        }
        let starting = app.health.now().database.state == DatabaseState::Starting;
        if !starting || tokio::time::Instant::now() >= until {
            // Copies that were made meanwhile are there, and can be taken.
            return !app.clips.history().is_empty() && app.clips.newest_known() == 0;
        }
    }
}
