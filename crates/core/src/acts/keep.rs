//! Clips are kept among the favorites or in a drawer, moved there, or kept no longer.

use std::collections::HashSet;

use crate::acts::act::Place;
use crate::acts::error::ActError;
use crate::acts::kind::ActKind;
use crate::acts::moment::Moment;
use crate::acts::placing::{Thing, drawer_called, list_of, place as put};
use crate::acts::plan::{Plan, there};
use crate::clip::id::ClipId;
use crate::history::all::History;
use crate::history::stored::StoredClip;
use crate::merge::clip::Kept;

pub(super) fn plan(
    history: &History,
    clips: &[ClipId],
    place: &Place,
    before: Option<&str>,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let clips = there(history, clips)?;
    let drawer = match place {
        Place::Nowhere => return plan_unpinning(clips, moment),
        Place::Favorites => None,
        Place::Drawer(name) => Some(drawer_called(history, name)?),
    };
    let known: HashSet<Thing> =
        list_of(history, drawer.as_deref()).into_iter().map(|(thing, _)| thing).collect();
    let is_there = |clip: &StoredClip| known.contains(&Thing::Clip(clip.id));
    let moving: Vec<Thing> = clips
        .iter()
        .filter(|clip| before.is_some() || !is_there(clip))
        .map(|clip| Thing::Clip(clip.id))
        .collect();
    if moving.is_empty() {
        return Err(ActError::KeptThere);
    }
    let mut plan = Plan::new(match (&drawer, clips.iter().any(is_there)) {
        (_, true) => ActKind::Move,
        (None, _) => ActKind::Pin,
        (Some(_), _) => ActKind::Put,
    });
    put(&mut plan, history, drawer.as_deref(), &moving, before.unwrap_or_default(), moment)?;
    Ok(plan)
}

fn plan_unpinning(clips: Vec<StoredClip>, moment: &mut Moment<'_>) -> Result<Plan, ActError> {
    let mut plan = Plan::new(ActKind::Unpin);
    for before in clips.into_iter().filter(|clip| clip.state.is_pinned()) {
        let stamp = moment.stamp(before.state.newest_stamp());
        plan.change(before, |state| state.keep(Kept::No, stamp));
    }
    if plan.clips.is_empty() { Err(ActError::NotPinned) } else { Ok(plan) }
}
