//! Taking an act back, and making it again: each value in which before and after differ is written as it was (or as the
//! act left it), unless something else was written since.

use std::collections::HashMap;
use std::sync::Arc;

use crate::acts::face::{ClipFace, DrawerFace};
use crate::acts::kind::ActKind;
use crate::acts::log::Direction;
use crate::acts::moment::Moment;
use crate::acts::plan::{BatchPlan, ClipPlan, DrawerPlan};
use crate::acts::record::{ActRecord, BatchRecord, ClipChange, DrawerRecord};
use crate::batch::order::changed;
use crate::batch::{Batch, Item};
use crate::history::all::History;
use crate::history::stored::StoredClip;
use crate::merge::clip::Kept;
use crate::merge::drawer::{Divider, Drawer, DrawerState};

/// What taking an act back, or making it again, makes of everything.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Stepped {
    /// The clips that change.
    pub clips: Vec<ClipPlan>,
    /// The drawers that change.
    pub drawers: Vec<DrawerPlan>,
    /// The batches that change.
    pub batches: Vec<BatchPlan>,
}

/// Plans that. `None` when nothing of the act is left to be stepped, because its clips were removed for good; then it
/// only stands in the direction of those before it.
pub fn step(
    kind: ActKind,
    record: &ActRecord,
    direction: Direction,
    history: &History,
    moment: &mut Moment<'_>,
) -> Option<Stepped> {
    let lost = record.clips.iter().filter(|one| is_lost(one, history)).count();
    let all = lost == record.clips.len() && record.drawers.is_empty() && record.batches.is_empty();
    if lost > 0 && (kind.exchanges() || all) {
        return None;
    }
    let mut stepped = Stepped::default();
    for change in record.clips.iter().filter(|one| !is_lost(one, history)) {
        let before = history.stored(change.id);
        let after = clip(change, direction, before.clone(), moment);
        stepped.clips.push(ClipPlan { before, after });
    }
    for change in &record.drawers {
        let state = history.drawers().state(&change.id).cloned().unwrap_or_default();
        let before = Drawer { id: change.id.clone(), state };
        let after =
            Drawer { id: change.id.clone(), state: drawer(change, direction, before.state.clone(), moment) };
        stepped.drawers.push(DrawerPlan { before: Some(before), after });
    }
    let known = |id| record.batches.iter().any(|one| one.id == id);
    let others = history.batches().shown().into_iter().any(|one| one.state.gathering && !known(one.id));
    for change in &record.batches {
        let before = history.batches().get(change.id).cloned();
        let after = batch(change, direction, before.as_deref(), others);
        stepped.batches.push(BatchPlan { id: change.id, before, after });
    }
    Some(stepped)
}

/// True when the clip was there all through, and is gone now: nothing of it can be stepped.
fn is_lost(change: &ClipChange, history: &History) -> bool {
    change.before.is_some() && change.after.is_some() && !history.has(change.id)
}

/// One clip of it.
pub(super) fn clip(
    change: &ClipChange,
    direction: Direction,
    now: StoredClip,
    moment: &mut Moment<'_>,
) -> StoredClip {
    let (from, to) = direction.ends(&change.before, &change.after);
    let shown = ClipFace::of(&now);
    match (from, to, shown) {
        (None, Some(to), None) => bring_back(to, now, moment),
        // It was copied again in between: what it had and has not now comes back beside that.
        (None, Some(to), Some(shown)) => {
            let fresh = ClipFace { copied_at: to.copied_at, ordered_at: to.ordered_at, ..shown.clone() };
            let wanted = ClipFace {
                title: shown.title.clone().or_else(|| to.title.clone()),
                color: shown.color.or(to.color),
                kept: if now.state.is_pinned() { shown.kept.clone() } else { to.kept.clone() },
                made_from: shown.made_from.or(to.made_from),
                copies: shown.copies.saturating_add(to.copies),
                ..fresh.clone()
            };
            write(&fresh, &wanted, &shown, now, moment)
        }
        (Some(from), None, Some(shown)) if shown.copies <= from.copies => take_away(now, moment),
        // It was copied since: it stays, without what it had before that.
        (Some(from), None, Some(shown)) => {
            let bare = ClipFace { title: None, color: None, kept: Kept::No, made_from: None, ..from.clone() };
            write(from, &bare, &shown, now, moment)
        }
        (Some(from), Some(to), Some(shown)) => write(from, to, &shown, now, moment),
        _ => now,
    }
}

fn take_away(mut clip: StoredClip, moment: &mut Moment<'_>) -> StoredClip {
    let stamp = moment.stamp(clip.state.newest_stamp());
    clip.state.remove(stamp);
    clip.facts = None;
    clip
}

fn bring_back(to: &ClipFace, mut clip: StoredClip, moment: &mut Moment<'_>) -> StoredClip {
    let Some(content) = &to.content else { return clip };
    let newest = clip.state.newest_stamp();
    clip.state.offer_again(&content.offers, || moment.stamp(newest));
    clip.facts = Some(content.facts.clone());
    clip.ordered_at = to.ordered_at;
    let state = &mut clip.state;
    state.copied_at = to.copied_at.and_then(|at| moment.write(newest, at));
    state.title = to.title.clone().and_then(|title| moment.write(newest, Some(title)));
    state.color = to.color.and_then(|color| moment.write(newest, Some(color)));
    state.made_from = to.made_from.and_then(|id| moment.write(newest, Some(id)));
    let stamp = moment.stamp(newest);
    state.keep(to.kept.clone(), stamp);
    state.count_as(to.copies, stamp.device);
    clip
}

/// Writes every value in which `from` and `to` differ, unless it shows something else than `from` by now.
fn write(
    from: &ClipFace,
    to: &ClipFace,
    shown: &ClipFace,
    mut clip: StoredClip,
    moment: &mut Moment<'_>,
) -> StoredClip {
    fn differs<T: PartialEq>(from: &T, to: &T, shown: &T) -> bool {
        from != to && shown == from
    }
    let place = |face: &ClipFace| (face.copied_at, face.ordered_at);
    if differs(&place(from), &place(to), &place(shown)) {
        clip.ordered_at = to.ordered_at;
        if let Some(at) = to.copied_at.filter(|_| to.copied_at != shown.copied_at) {
            clip.state.copied_at = moment.write(clip.state.newest_stamp(), at);
        }
    }
    if differs(&from.title, &to.title, &shown.title) {
        clip.state.title = moment.write(clip.state.newest_stamp(), to.title.clone());
    }
    if differs(&from.color, &to.color, &shown.color) {
        clip.state.color = moment.write(clip.state.newest_stamp(), to.color);
    }
    if differs(&from.made_from, &to.made_from, &shown.made_from) {
        clip.state.made_from = moment.write(clip.state.newest_stamp(), to.made_from);
    }
    if differs(&from.kept, &to.kept, &shown.kept) {
        let stamp = moment.stamp(clip.state.newest_stamp());
        clip.state.keep(to.kept.clone(), stamp);
    }
    if differs(&from.copies, &to.copies, &shown.copies) {
        clip.state.count_as(to.copies, moment.clock.device());
    }
    clip
}

fn drawer(
    change: &DrawerRecord,
    direction: Direction,
    mut now: DrawerState,
    moment: &mut Moment<'_>,
) -> DrawerState {
    let (from, to) = direction.ends(&change.before, &change.after);
    let shown = DrawerFace::of(&now);
    match (from, to, shown) {
        (None, Some(to), None) => {
            let stamp = now.newest_stamp();
            now.name = moment.write(stamp, to.name.clone());
            now.color = moment.write(stamp, to.color);
            now.group = moment.write(stamp, to.group.clone());
            now.rank = moment.write(stamp, to.rank.clone());
            let there: Vec<String> = now.dividers.keys().cloned().collect();
            for id in there.iter().chain(to.dividers.keys()) {
                divider(&mut now, id, to.dividers.get(id), moment);
            }
        }
        (Some(_), None, Some(_)) => now.removed = Some(moment.stamp(now.newest_stamp())),
        (Some(from), Some(to), Some(shown)) => {
            if from.name != to.name && shown.name == from.name {
                now.name = moment.write(now.newest_stamp(), to.name.clone());
            }
            if from.color != to.color && shown.color == from.color {
                now.color = moment.write(now.newest_stamp(), to.color);
            }
            if from.group != to.group && shown.group == from.group {
                now.group = moment.write(now.newest_stamp(), to.group.clone());
            }
            if from.rank != to.rank && shown.rank == from.rank {
                now.rank = moment.write(now.newest_stamp(), to.rank.clone());
            }
            for id in
                from.dividers.keys().chain(to.dividers.keys().filter(|id| !from.dividers.contains_key(*id)))
            {
                let (from, to) = (from.dividers.get(id), to.dividers.get(id));
                if from != to && shown.dividers.get(id) == from {
                    divider(&mut now, id, to, moment);
                }
            }
        }
        _ => {}
    }
    now
}

/// Makes a divider what it shall be: words and place, or gone.
fn divider(drawer: &mut DrawerState, id: &str, to: Option<&(String, String)>, moment: &mut Moment<'_>) {
    let stamp = drawer.newest_stamp();
    let shown: Option<Divider> = drawer.dividers.get(id).filter(|one| one.name().is_some()).cloned();
    match (shown, to) {
        (None, None) => {}
        (Some(_), None) => {
            let stamp = moment.stamp(stamp);
            drawer.dividers.entry(id.to_owned()).or_default().removed = Some(stamp);
        }
        (shown, Some((name, rank))) => {
            let one = drawer.dividers.entry(id.to_owned()).or_default();
            if shown.as_ref().and_then(Divider::name) != Some(name) {
                one.name = moment.write(stamp, name.clone());
            }
            if one.rank() != rank {
                one.rank = moment.write(stamp, rank.clone());
            }
        }
    }
}

/// `others`: copies join another batch by now.
fn batch(change: &BatchRecord, direction: Direction, now: Option<&Batch>, others: bool) -> Option<Batch> {
    let (from, to) = direction.ends(&change.before, &change.after);
    let items = || change.items.iter().map(|item| (item.id, item.clone()));
    match (from, to, now) {
        (None, Some(to), None) => {
            let known: HashMap<u32, Arc<Item>> = items().collect();
            let items: Vec<Arc<Item>> = to.order.iter().filter_map(|id| known.get(id).cloned()).collect();
            let mut state = to.state.clone();
            state.gathering &= !others;
            let next = to.next.min(items.len());
            Some(Batch { id: change.id, state, used_at: to.used_at, items, next })
        }
        (Some(_), None, Some(_)) => None,
        (Some(from), Some(to), Some(now)) => {
            let mut out = now.clone();
            let (was, wanted, state) = (&from.state, &to.state, &mut out.state);
            if was.name != wanted.name && state.name == was.name {
                state.name.clone_from(&wanted.name);
            }
            if was.gathering != wanted.gathering && state.gathering == was.gathering {
                state.gathering = wanted.gathering && !others;
            }
            if was.after_each != wanted.after_each && state.after_each == was.after_each {
                state.after_each = wanted.after_each;
            }
            if was.after_record != wanted.after_record && state.after_record == was.after_record {
                state.after_record = wanted.after_record;
            }
            if was.tidy != wanted.tidy && state.tidy == was.tidy {
                state.tidy.clone_from(&wanted.tidy);
            }
            if from.order != to.order {
                let mut known = now.known();
                known.extend(items());
                // What comes back is as it was: handed out, or not.
                let mut handed = now.handed();
                let back = to.order.iter().take(to.next).filter(|id| !from.order.contains(id));
                handed.extend(back);
                out.put_in_order(&changed(&now.order(), &from.order, &to.order), &known, &handed);
                if now.order() == from.order && now.next == from.next {
                    out.next = to.next;
                }
            }
            Some(out)
        }
        (_, _, now) => now.cloned(),
    }
}

#[cfg(test)]
mod tests;
