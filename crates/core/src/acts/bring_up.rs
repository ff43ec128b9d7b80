//! Clips come to the top.

use crate::acts::error::ActError;
use crate::acts::kind::ActKind;
use crate::acts::moment::Moment;
use crate::acts::plan::{Plan, there, written};
use crate::clip::id::ClipId;
use crate::history::all::History;

pub(super) fn plan(history: &History, clips: &[ClipId], moment: &mut Moment<'_>) -> Result<Plan, ActError> {
    let first = history.newest().map_or(moment.now, |newest| moment.now.max(newest.saturating_add(1)));
    let mut plan = Plan::new(ActKind::BringUp);
    // The first one named ends up at the very top.
    for (before, at) in there(history, clips)?.into_iter().rev().zip(first..) {
        plan.change(before, |state| state.copied_at = written(moment, state, at));
        if let Some(one) = plan.clips.last_mut() {
            one.after.ordered_at = at;
        }
    }
    Ok(plan)
}
