//! Clearing: many clips go at once, as far as a scope takes them. What is remembered of it as a whole is small; what is
//! needed to bring one clip back is a part of its own, so that everything is done in portions of any size.

use std::collections::HashSet;

use crate::acts::face::ClipFace;
use crate::acts::log::Direction;
use crate::acts::moment::Moment;
use crate::acts::plan::ClipPlan;
use crate::acts::record::ClipChange;
use crate::acts::step;
use crate::clip::id::ClipId;
use crate::clip::time::Micros;
use crate::history::all::History;
use crate::history::stored::{Clip, StoredClip};
use crate::limits::scope::Scope;
use crate::merge::stamp::{MAX_AHEAD_MS, Stamp};

/// A clip on its way out or back, and what is remembered of that.
#[derive(Clone, Debug, PartialEq)]
pub struct Part {
    /// The clip before and after.
    pub plan: ClipPlan,
    /// What brings it back.
    pub change: ClipChange,
}

/// True for a clip that a scope takes. `found` is what its search finds, where it has one; what came after `upto` (the time
/// of the newest clip that was seen when it was asked) stays.
pub fn is_member(clip: &Clip, scope: &Scope, found: Option<&HashSet<ClipId>>, upto: Option<Micros>) -> bool {
    !clip.is_fleeting()
        && upto.is_none_or(|upto| clip.ordered_at <= upto)
        && scope.takes(clip)
        && found.is_none_or(|found| found.contains(&clip.id))
}

/// The newest stamp of a clip that a clock far ahead has made, if that is above the floor of a clearing that takes it: not
/// that tells whether the clip is touched after it was seen.
pub fn far_ahead(clip: &Clip, floor: Stamp, now: Micros) -> Option<Stamp> {
    let ahead = u64::try_from(now / 1_000).unwrap_or(0).saturating_add(MAX_AHEAD_MS);
    clip.state.newest_stamp().filter(|newest| *newest > floor && newest.wall_ms > ahead)
}

/// What clearing makes of a clip. `None` when it stays: it has gone already, was touched since, or is pinned and no
/// favorites were named.
pub fn clear_one(
    before: StoredClip,
    favorites: bool,
    floor: Option<Stamp>,
    moment: &mut Moment<'_>,
) -> Option<Part> {
    let pinned = before.state.is_pinned();
    let newest = before.state.newest_stamp();
    let face = ClipFace::of(&before)?;
    if (pinned && !favorites) || floor.is_some_and(|floor| newest > Some(floor)) {
        return None;
    }
    let stamp = moment.stamp(newest);
    let mut state = before.state.clone();
    if pinned {
        state.remove(stamp);
    } else {
        state.clear(stamp);
    }
    let after = StoredClip { state: state.tombstone(), facts: None, ..before.clone() };
    let change = ClipChange { id: before.id, before: Some(face), after: None };
    Some(Part { plan: ClipPlan { before, after }, change })
}

/// A part of a clearing, taken back or made again.
pub fn step_part(
    change: &ClipChange,
    direction: Direction,
    favorites: bool,
    history: &History,
    moment: &mut Moment<'_>,
) -> Option<Part> {
    let before = history.stored(change.id);
    match direction {
        Direction::Redo => clear_one(before, favorites, None, moment),
        Direction::Undo => {
            let after = step::clip(change, direction, before.clone(), moment);
            Some(Part { plan: ClipPlan { before, after }, change: change.clone() })
        }
    }
}

#[cfg(test)]
mod tests;
