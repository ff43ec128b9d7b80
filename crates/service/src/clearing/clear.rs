//! What a scope takes is found out the same way for the preview and for the act.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use jiff::tz::TimeZone;
use yadori_api as api;
use yadori_core::acts::{far_ahead, is_member};
use yadori_core::limits::Scope;
use yadori_core::search::QueryError;
use yadori_core::{ClipId, Micros, Stamp};

use crate::home::random::hex;
use crate::search::find::{SearchError, find, read_query};
use crate::state::app::App;
use crate::state::clock::now;
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

/// What a scope takes now.
#[derive(Debug, Default)]
struct Taken {
    ids: Vec<ClipId>,
    ahead: HashMap<ClipId, Stamp>,
    bytes: u64,
    /// Clips that live in memory alone.
    fleeting: u64,
    /// Favorites that it speaks of and does not take.
    spared: u64,
}

impl Taken {
    fn of(
        app: &App,
        scope: &Scope,
        found: Option<&HashSet<ClipId>>,
        upto: Option<Micros>,
        floor: Option<Stamp>,
    ) -> Self {
        let (mut taken, at) = (Self::default(), now());
        app.clips.each(|_, clip| {
            let asked = found.is_none_or(|found| found.contains(&clip.id));
            if is_member(clip, scope, found, upto) {
                taken.ids.push(clip.id);
                let seen = floor.and_then(|floor| far_ahead(clip, floor, at));
                taken.ahead.extend(seen.map(|seen| (clip.id, seen)));
                taken.bytes += clip.facts.size;
            } else if asked && clip.is_fleeting() && scope.takes(clip) {
                taken.fleeting += 1;
            } else if asked && clip.state.is_pinned() && scope.means(clip) {
                taken.spared += 1;
            }
            true
        });
        taken
    }
}

/// What a clearing would take.
///
/// # Errors
/// When its search can't be read or asked.
pub async fn plan(app: &App, scope: &Scope, zone: TimeZone) -> Result<api::ClearPlan, ClearError> {
    let found = found(app, scope, zone).await?;
    let upto = app.clips.history().newest().unwrap_or(0);
    let taken = Taken::of(app, scope, found.as_ref(), Some(upto), None);
    let history = app.clips.history();
    let newest = taken.ids.iter().rev();
    let sample = newest.filter_map(|id| Some(row(&history, &*history.get(*id)?))).take(SAMPLE).collect();
    Ok(api::ClearPlan {
        clips: taken.ids.len() as u64 + taken.fleeting,
        bytes: taken.bytes,
        spared: taken.spared,
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
    let floor = queue.floor().await?;
    let scope = &wanted.scope;
    let found = found(app, scope, zone).await?;
    let taken = Taken::of(app, scope, found.as_ref(), wanted.upto, Some(floor));
    let wish = ClearWish {
        clips: taken.ids,
        ahead: taken.ahead,
        scope: scope.clone(),
        floor,
        fleeting: found.is_none(),
        upto: wanted.upto,
        now: wanted.now,
        order,
    };
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
