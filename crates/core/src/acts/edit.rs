//! A changed text takes over the place, title and color of the clip it was made from; the original stays in the history
//! and can be put back.

use crate::acts::capture::Copied;
use crate::acts::error::ActError;
use crate::acts::kind::ActKind;
use crate::acts::moment::Moment;
use crate::acts::plan::{ClipPlan, Plan, there, written};
use crate::clip::id::ClipId;
use crate::history::all::History;
use crate::history::stored::StoredClip;
use crate::merge::clip::Kept;

pub(super) fn plan(
    history: &History,
    clip: ClipId,
    new: &Copied,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let before = there(history, &[clip])?.remove(0);
    if new.id == clip {
        return Err(ActError::SameText);
    }
    let known = history.stored(new.id);
    if known.state.is_pinned() && known.state.is_there() {
        return Err(ActError::TextKept);
    }
    let mut made = known.clone();
    let at = before.state.copied_at().unwrap_or(before.ordered_at).saturating_add(1);
    let stamp = moment.stamp(made.state.newest_stamp());
    made.state.capture(new.record.clone(), at, stamp);
    made.facts = Some(new.facts.clone());
    made.ordered_at = made.ordered_at.max(before.ordered_at.saturating_add(1));
    made.state.made_from = written(moment, &made.state, Some(clip));
    let mut plan = Plan::new(ActKind::Edit);
    take_over(&mut plan, before, known, made, moment);
    plan.made = Some(new.id.to_string());
    Ok(plan)
}

pub(super) fn plan_put_back(
    history: &History,
    clip: ClipId,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let edited = there(history, &[clip])?.remove(0);
    let original = edited.state.made_from().ok_or(ActError::NotEdited)?;
    let known = history.stored(original);
    if !known.state.is_there() {
        return Err(ActError::OriginalRemoved);
    }
    let mut back = known.clone();
    if known.ordered_at <= edited.ordered_at {
        let at = edited.state.copied_at().unwrap_or(edited.ordered_at).saturating_add(1);
        back.state.copied_at = written(moment, &back.state, at);
        back.ordered_at = edited.ordered_at.saturating_add(1);
    }
    let mut plan = Plan::new(ActKind::PutBack);
    take_over(&mut plan, edited, known, back, moment);
    plan.made = Some(original.to_string());
    Ok(plan)
}

/// One clip takes over the place, title and color of another.
fn take_over(
    plan: &mut Plan,
    old: StoredClip,
    known: StoredClip,
    mut new: StoredClip,
    moment: &mut Moment<'_>,
) {
    let mut left = old.clone();
    if let Some(title) = old.state.title() {
        new.state.title = written(moment, &new.state, Some(title.to_owned()));
        left.state.title = written(moment, &left.state, None);
    }
    if let Some(color) = old.state.color() {
        new.state.color = written(moment, &new.state, Some(color));
        left.state.color = written(moment, &left.state, None);
    }
    if old.state.is_pinned() {
        let stamp = moment.stamp(new.state.newest_stamp());
        new.state.keep(old.state.kept().clone(), stamp);
        let stamp = moment.stamp(left.state.newest_stamp());
        left.state.keep(Kept::No, stamp);
    }
    plan.clips.push(ClipPlan { before: known, after: new });
    plan.clips.push(ClipPlan { before: old, after: left });
}
