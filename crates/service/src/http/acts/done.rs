//! Carrying an act out, and saying what was done.

use yadori_api::Acted;
use yadori_core::ClipId;
use yadori_core::acts::Act;

use crate::home::random::hex;
use crate::http::{Context, Failure};
use crate::state::shapes::row;
use crate::writer::{Outcome, With};

/// Clips that one act may touch.
const CLIPS: usize = 10_000;
/// Rows that an answer carries.
const ROWS: usize = 500;

/// Whole ids. Acts are on ids, never on places, which may have shifted.
pub(crate) fn ids_of(ids: &[String]) -> Result<Vec<ClipId>, Failure> {
    if ids.is_empty() || ids.len() > CLIPS {
        return Err(Failure::invalid(format!("give between 1 and {CLIPS} ids")));
    }
    let ids: Option<Vec<ClipId>> = ids.iter().map(|id| ClipId::parse(id)).collect();
    ids.ok_or_else(|| Failure::invalid("an act needs whole ids of 26 characters, since places shift"))
}

/// Carries an act out.
pub(crate) async fn carry_out(context: &Context, act: Act) -> Result<axum::Json<Acted>, Failure> {
    Ok(acted(context, context.queue.act(act, With::default()).await?))
}

/// Carries an act out that comes with contents.
pub(crate) async fn carry_out_with(
    context: &Context,
    act: Act,
    with: With,
) -> Result<axum::Json<Acted>, Failure> {
    Ok(acted(context, context.queue.act(act, with).await?))
}

/// What was done, for the answer.
pub(crate) fn acted(context: &Context, outcome: Outcome) -> axum::Json<Acted> {
    let history = context.app.clips.history();
    let there = outcome.ids.iter().filter_map(|id| Some(row(&history, &*history.get(*id)?)));
    axum::Json(Acted {
        id: hex(outcome.id),
        clips: there.take(ROWS).collect(),
        count: outcome.count,
        act: outcome.kind,
        made: outcome.made,
        revision: history.revision(),
    })
}
