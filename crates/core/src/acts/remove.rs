//! Clips go.

use crate::acts::error::ActError;
use crate::acts::kind::ActKind;
use crate::acts::moment::Moment;
use crate::acts::plan::{Plan, there};
use crate::clip::id::ClipId;
use crate::history::all::History;

pub(super) fn plan(
    history: &History,
    clips: &[ClipId],
    spare_pinned: bool,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let mut clips = there(history, clips)?;
    clips.retain(|clip| !(spare_pinned && clip.state.is_pinned()));
    if clips.is_empty() {
        return Err(ActError::AllPinned);
    }
    let mut plan = Plan::new(ActKind::Remove);
    for before in clips {
        let stamp = moment.stamp(before.state.newest_stamp());
        plan.change(before, |state| state.remove(stamp));
    }
    for one in &mut plan.clips {
        one.after.facts = None;
    }
    Ok(plan)
}
