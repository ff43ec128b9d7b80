//! A search runs on a thread of its own, on texts that no writer waits for. A few run at once; one is given up when nobody
//! waits for it any more, and after a while. One that takes long makes way for everything else that wants to run.

use std::cell::Cell;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use jiff::tz::TimeZone;
use tokio::sync::{Semaphore, oneshot};
use yadori_core::search::texts::Texts;
use yadori_core::search::when::Here;
use yadori_core::search::{Found, GoOn, Query, QueryError};
use yadori_core::text::stack::overwrite_stack;
use yadori_core::{ClipId, Drawers};

use crate::state::app::App;
use crate::state::clock::now;

/// Searches that run at once; others wait their turn.
static AT_ONCE: Semaphore = Semaphore::const_new(2);
/// How long one may take, its waiting included.
pub const LONGEST: Duration = Duration::from_secs(10);

/// How long one may take before it makes way: what a person types is found by then.
const SOON: Duration = Duration::from_millis(10);
/// How far it makes way (nice(2)).
const NICE: i32 = 15;

/// Why a search found nothing out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum SearchError {
    /// It took too long.
    #[error("it was given up after {} seconds", LONGEST.as_secs())]
    TooLong,
    /// A mistake in the program, or no thread could be had.
    #[error("the search failed; look at the log, and try again")]
    Failed,
}

/// The viewer's zone by its IANA name, or its offset such as `+09:00`; this computer's own when none is named.
pub fn zone(name: Option<&str>) -> Option<TimeZone> {
    let Some(name) = name else { return Some(TimeZone::system()) };
    TimeZone::get(name).ok().or_else(|| {
        let parsed: jiff::tz::Offset = jiff::fmt::strtime::parse("%:z", name).ok()?.offset()?;
        Some(TimeZone::fixed(parsed))
    })
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

thread_local! {
    static MADE_WAY: Cell<bool> = const { Cell::new(false) };
}

/// Lets everything else run first on this thread, once and for all: the thread ends with its search.
pub(crate) fn make_way() {
    if !MADE_WAY.replace(true) {
        let _ = rustix::process::setpriority_process(None, NICE);
    }
}

/// The newest clips that match. Dropping the future ends the search.
///
/// # Errors
/// When it took too long, or failed.
pub async fn find(app: &App, query: Arc<Query>, most: usize) -> Result<Found, SearchError> {
    search(app, move |texts, drawers, go_on| texts.find(&query, drawers, most, go_on)).await
}

/// The clips that come nearest to the words of a query, the nearest first. Dropping the future ends the search.
///
/// # Errors
/// When it took too long, or failed.
pub async fn nearest_to(app: &App, query: Arc<Query>, most: usize) -> Result<Vec<ClipId>, SearchError> {
    search(app, move |texts, drawers, go_on| texts.nearest(&query, drawers, most, go_on)).await
}

/// What is looked for on a thread of its own; what was given up finds nothing.
async fn search<T: Default + Send + 'static>(
    app: &App,
    look: impl FnOnce(&Texts, &Drawers, GoOn<'_>) -> Option<T> + Send + 'static,
) -> Result<T, SearchError> {
    let stop = Arc::new(AtomicBool::new(false));
    let waiting = Waiting(stop.clone());
    let search = async {
        // Held by the work itself: a search that nobody waits for any more counts until it has ended.
        let turn = AT_ONCE.acquire().await.ok();
        let (texts, drawers) = (app.clips.texts(), app.clips.drawers());
        let (give, found) = oneshot::channel();
        let work = move || {
            let began = Instant::now();
            let go_on = || {
                if began.elapsed() > SOON {
                    make_way();
                }
                !stop.load(Ordering::Relaxed)
            };
            let found = look(&texts, &drawers, &go_on);
            drop((texts, turn));
            overwrite_stack();
            let _ = give.send(found.unwrap_or_default());
        };
        let started = std::thread::Builder::new().name("search".into()).spawn(work);
        if let Err(why) = started {
            tracing::error!("no thread for a search: {why}");
            return Err(SearchError::Failed);
        }
        found.await.map_err(|_| SearchError::Failed)
    };
    let found = tokio::time::timeout(LONGEST, search).await.unwrap_or(Err(SearchError::TooLong));
    drop(waiting);
    found
}
