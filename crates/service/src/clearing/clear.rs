//! What a scope takes is found out the same way for the preview and for the act.

use std::collections::HashSet;
use std::sync::Arc;

use jiff::tz::TimeZone;
use yadori_api as api;
use yadori_core::ClipId;
use yadori_core::acts::members;
use yadori_core::limits::Scope;
use yadori_core::search::QueryError;

use crate::home::random::hex;
use crate::search::find::{SearchError, find, read_query};
use crate::state::app::App;
use crate::state::health::LiveNow;
use crate::state::shapes::row;
use crate::writer::{ClearWish, Outcome, Queue, WriteError};

/// Rows of a sample.
const SAMPLE: usize = 8;

/// Why nothing was cleared.
#[derive(Debug, thiserror::Error)]
pub enum ClearError {
    /// The search can't be read.
    #[error(transparent)]
    Query(#[from] QueryError),
    /// The search found nothing out.
    #[error(transparent)]
    Search(#[from] SearchError),
    /// The texts are not all there yet.
    #[error(
        "long texts are still being read after the start, so the search does not know all of them; try again in a moment"
    )]
    NotAllRead,
    /// It was not done.
    #[error(transparent)]
    Write(#[from] WriteError),
}

/// What the search of a scope finds, where it has one.
async fn found(app: &App, scope: &Scope, zone: TimeZone) -> Result<Option<HashSet<ClipId>>, ClearError> {
    let Some(text) = scope.query.as_deref().filter(|text| !text.trim().is_empty()) else { return Ok(None) };
    if app.clips.unread() > 0 {
        return Err(ClearError::NotAllRead);
    }
    let query = Arc::new(read_query(app, text, zone)?);
    let found = find(app, query, usize::MAX).await?;
    Ok(Some(found.ids.into_iter().collect()))
}

/// What a clearing would take.
///
/// # Errors
/// When its search can't be read or asked.
pub async fn plan(app: &App, scope: &Scope, zone: TimeZone) -> Result<api::ClearPlan, ClearError> {
    let found = found(app, scope, zone).await?;
    let history = app.clips.history();
    let upto = history.newest().unwrap_or(0);
    let is_found = |id: ClipId| found.as_ref().is_some_and(|found| found.contains(&id));
    let asked: Option<&dyn Fn(ClipId) -> bool> = if found.is_some() { Some(&is_found) } else { None };
    let ids = members(&history, scope, asked, Some(upto));
    let bytes = ids.iter().filter_map(|id| history.get(*id)).map(|clip| clip.facts.size).sum();
    let fleeting = history.from(1).filter(|clip| clip.is_fleeting() && scope.takes(clip));
    let fleeting = fleeting.filter(|clip| asked.is_none_or(|found| found(clip.id))).count();
    let meant = |id: ClipId| history.get(id).is_some_and(|clip| scope.means(clip));
    let spared = if scope.favorites {
        0
    } else {
        let kept = history.kept_clips().map(|clip| clip.id);
        kept.filter(|id| meant(*id) && asked.is_none_or(|found| found(*id))).count()
    };
    let sample =
        ids.iter().rev().take(SAMPLE).filter_map(|id| Some(row(&history, history.get(*id)?))).collect();
    Ok(api::ClearPlan {
        clips: (ids.len() + fleeting) as u64,
        bytes,
        spared: spared as u64,
        sample,
        words: scope.words(),
        upto,
        grace_seconds: app.grace.as_secs(),
    })
}

/// Clears what a scope takes: of the history up to a moment, and of what lives in memory alone.
///
/// # Errors
/// Nothing has gone then.
pub async fn clear(
    app: &App,
    queue: &Queue,
    wanted: &api::Clear,
    zone: TimeZone,
    order: Option<String>,
) -> Result<api::Cleared, ClearError> {
    let found = found(app, &wanted.scope, zone).await?;
    let wish = ClearWish { scope: wanted.scope.clone(), found, upto: wanted.upto, now: wanted.now, order };
    let outcome = match queue.clear(wish).await {
        Ok(outcome) => Some(outcome),
        Err(WriteError::NothingToClear) if wanted.live => None,
        Err(why) => return Err(why.into()),
    };
    let live = if wanted.live { clear_live(app).await } else { false };
    let id = outcome.as_ref().filter(|outcome| outcome.id != [0; 16]).map(|outcome| hex(outcome.id));
    Ok(api::Cleared {
        grace_seconds: if wanted.now || id.is_none() { 0 } else { app.grace.as_secs() },
        id,
        clips: outcome.map_or(0, |outcome: Outcome| outcome.count),
        live,
        revision: app.clips.history().revision(),
    })
}

/// Empties the live clipboard.
pub(super) async fn clear_live(app: &App) -> bool {
    let Some(desk) = &app.desk else { return false };
    let cleared = desk.clear().await;
    if cleared {
        app.health.change(|health| health.live = LiveNow::Empty);
    }
    cleared
}
