//! A search runs on a thread for such work, on texts that no writer waits for. A few run at once; one is given up when
//! nobody waits for it any more, and after a while.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use jiff::tz::TimeZone;
use tokio::sync::Semaphore;
use yadori_core::search::when::Here;
use yadori_core::search::{Found, Query, QueryError};
use yadori_core::text::stack::overwrite_stack;

use crate::state::app::App;
use crate::state::clock::now;

/// Searches that run at once; others wait their turn.
static AT_ONCE: Semaphore = Semaphore::const_new(2);
/// How long one may take, its waiting included.
pub const LONGEST: Duration = Duration::from_secs(10);

/// Why a search found nothing out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum SearchError {
    /// It took too long.
    #[error("it was given up after {} seconds", LONGEST.as_secs())]
    TooLong,
}

/// The viewer's zone by its IANA name; this computer's own when none is named.
pub fn zone(name: Option<&str>) -> Option<TimeZone> {
    match name {
        None => Some(TimeZone::system()),
        Some(name) => TimeZone::get(name).ok(),
    }
}

/// Reads a query as of now, on this history.
///
/// # Errors
/// Says where it can't be read, and what was expected there.
pub fn read_query(app: &App, text: &str, zone: TimeZone) -> Result<Query, QueryError> {
    let query = Query::parse(text, &Here { now: now(), zone })?;
    query.check(&app.clips.drawers(), &[app.clips.device_name()])?;
    Ok(query)
}

/// Sets a flag when it is dropped: whoever waited has gone.
struct Waiting(Arc<AtomicBool>);

impl Drop for Waiting {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

/// The newest clips that match. Dropping the future ends the search.
///
/// # Errors
/// When it took too long.
pub async fn find(app: &App, query: Arc<Query>, most: usize) -> Result<Found, SearchError> {
    let stop = Arc::new(AtomicBool::new(false));
    let waiting = Waiting(stop.clone());
    let search = async {
        // Held by the work itself: a search that nobody waits for any more counts until it has ended.
        let turn = AT_ONCE.acquire().await.ok();
        let (texts, drawers) = (app.clips.texts(), app.clips.drawers());
        let work = move || {
            let found = texts.find(&query, &drawers, most, &stop);
            drop((texts, turn));
            overwrite_stack();
            found
        };
        tokio::task::spawn_blocking(work).await.ok().flatten().unwrap_or_default()
    };
    let found = tokio::time::timeout(LONGEST, search).await.map_err(|_| SearchError::TooLong);
    drop(waiting);
    found
}
