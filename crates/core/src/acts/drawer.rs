//! Drawers are made, changed, moved and removed.

use crate::acts::act::DrawerChange;
use crate::acts::error::ActError;
use crate::acts::kind::ActKind;
use crate::acts::moment::Moment;
use crate::acts::placing::drawer_called;
use crate::acts::plan::{Plan, valid_name};
use crate::clip::color::Color;
use crate::history::all::History;
use crate::history::arrange::moved;
use crate::text::fold::fold;

pub(super) fn plan_new(
    history: &History,
    id: &str,
    name: &str,
    color: Option<Color>,
    group: Option<&str>,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let name = free_name(history, name, None)?;
    let group = group.filter(|group| !group.trim().is_empty()).map(valid_name).transpose()?;
    let rank = history.drawers().rank_at_end(group.as_deref());
    let mut plan = Plan::new(ActKind::NewDrawer);
    let state = plan.drawer(history, id);
    let known = state.newest_stamp();
    state.name = moment.write(known, name);
    state.color = moment.write(known, color);
    state.group = moment.write(known, group);
    state.rank = moment.write(known, rank);
    plan.made = Some(id.to_owned());
    Ok(plan)
}

pub(super) fn plan_change(
    history: &History,
    drawer: &str,
    change: &DrawerChange,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let id = drawer_called(history, drawer)?;
    let name = change.name.as_deref().map(|name| free_name(history, name, Some(&id))).transpose()?;
    let group = change
        .group
        .as_ref()
        .map(|group| group.as_deref().filter(|one| !one.trim().is_empty()).map(valid_name).transpose())
        .transpose()?;
    let mut plan = Plan::new(ActKind::Drawer);
    let state = plan.drawer(history, &id);
    if let Some(name) = name.filter(|name| state.name() != Some(name)) {
        state.name = moment.write(state.newest_stamp(), name);
    }
    if let Some(color) = change.color.filter(|color| state.color() != *color) {
        state.color = moment.write(state.newest_stamp(), color);
    }
    if let Some(group) = group.filter(|group| state.group() != group.as_deref()) {
        let rank = history.drawers().rank_at_end(group.as_deref());
        state.group = moment.write(state.newest_stamp(), group);
        state.rank = moment.write(state.newest_stamp(), rank);
    }
    let new_group = state.group().map(str::to_owned);
    if let Some(before) = &change.before {
        move_drawer(&mut plan, history, &id, new_group.as_deref(), before, moment)?;
    }
    if_it_changes_anything(plan)
}

/// Moves a drawer among those of its group before another one (an empty name: to the end).
fn move_drawer(
    plan: &mut Plan,
    history: &History,
    id: &str,
    group: Option<&str>,
    before: &str,
    moment: &mut Moment<'_>,
) -> Result<(), ActError> {
    let before = if before.is_empty() { None } else { Some(drawer_called(history, before)?) };
    let shown = history.drawers().shown();
    let list: Vec<(String, &str)> = shown
        .into_iter()
        .filter(|(one, state)| *one == id || state.group() == group)
        .map(|(one, state)| (one.to_owned(), state.rank()))
        .collect();
    for (one, rank) in moved(&list, &[id.to_owned()], before.as_ref()) {
        let state = plan.drawer(history, &one);
        state.rank = moment.write(state.newest_stamp(), rank);
    }
    Ok(())
}

pub(super) fn plan_removal(
    history: &History,
    drawer: &str,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let id = drawer_called(history, drawer)?;
    let mut plan = Plan::new(ActKind::RemoveDrawer);
    let state = plan.drawer(history, &id);
    state.removed = Some(moment.stamp(state.newest_stamp()));
    Ok(plan)
}

fn free_name(history: &History, name: &str, own: Option<&str>) -> Result<String, ActError> {
    let name = valid_name(name)?;
    let folded = fold(&name);
    let shown = history.drawers().shown();
    let taken =
        shown.iter().any(|(id, state)| Some(*id) != own && state.name().map(fold).as_ref() == Some(&folded));
    if taken { Err(ActError::NameTaken(name)) } else { Ok(name) }
}

/// The plan, if it changes anything.
pub(super) fn if_it_changes_anything(plan: Plan) -> Result<Plan, ActError> {
    let same =
        plan.clips.is_empty() && plan.drawers.iter().all(|one| one.before.as_ref() == Some(&one.after));
    if same { Err(ActError::AlreadySo) } else { Ok(plan) }
}
