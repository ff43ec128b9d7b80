//! Searching: the scan runs on a thread for such work and is given up when nobody waits for it any more; long texts
//! are read in the background after the start.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use jiff::tz::TimeZone;
use yadori_core::ClipId;
use yadori_core::clip::reading::plain_form;
use yadori_core::search::when::Here;
use yadori_core::search::{Found, Index, Query, QueryError, Text};

use crate::app::{App, Shared, now};

/// The viewer's zone by its IANA name; this computer's own when none is named.
pub fn zone(name: Option<&str>) -> Option<TimeZone> {
    match name {
        None => Some(TimeZone::system()),
        Some(name) => TimeZone::get(name).ok(),
    }
}

/// Reads a query as of now, on this history.
pub fn read_query(app: &App, text: &str, zone: TimeZone) -> Result<Query, QueryError> {
    let query = Query::parse(text, &Here { now: now(), zone })?;
    query.check(app.history().drawers(), &[&app.device_name])?;
    Ok(query)
}

/// Sets a flag when it is dropped: whoever waited has gone.
struct Waiting(Arc<AtomicBool>);

impl Drop for Waiting {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

/// The newest clips that match. Dropping the future ends the scan.
pub async fn find(app: &Shared, query: Arc<Query>, most: usize) -> Found {
    let stop = Arc::new(AtomicBool::new(false));
    let waiting = Waiting(stop.clone());
    let app = app.clone();
    let work = move || {
        let drawers = app.history().drawers().clone();
        app.corpus().find(&query, &drawers, most, &stop)
    };
    let found = tokio::task::spawn_blocking(work).await.ok().flatten().unwrap_or_default();
    drop(waiting);
    found
}

/// Reads the texts that are longer than what the history holds of them.
pub async fn read_long_texts(app: Shared, ids: Vec<ClipId>) {
    app.unread.fetch_add(ids.len() as u64, Ordering::Relaxed);
    for id in ids {
        if app.shutdown.is_cancelled() {
            return;
        }
        read_one(&app, id).await;
        app.unread.fetch_sub(1, Ordering::Relaxed);
    }
}

async fn read_one(app: &App, id: ClipId) {
    let clip = app.history().get(id).cloned();
    let Some(clip) = clip.filter(|_| !app.corpus().has_whole(id)) else { return };
    let Ok(offer) = app.offer_unremembered(&clip).await else { return };
    let text = plain_form(&offer).unwrap_or_default();
    // As it is now: it may have been removed or changed meanwhile.
    let history = app.history();
    if let Some(clip) = history.get(id) {
        app.corpus_mut().put(clip, history.drawers(), Text::Whole(&text));
    }
}
