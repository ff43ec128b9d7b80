//! Headings inside drawers are made, changed, moved and removed.

use crate::acts::drawer::if_it_changes_anything;
use crate::acts::error::ActError;
use crate::acts::kind::ActKind;
use crate::acts::moment::Moment;
use crate::acts::placing::{Thing, drawer_called, place};
use crate::acts::plan::{Plan, valid_name};
use crate::history::all::History;
use crate::merge::drawer::{Divider, DrawerState};

pub(super) fn plan_new(
    history: &History,
    drawer: &str,
    id: &str,
    name: &str,
    before: Option<&str>,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let name = valid_name(name)?;
    let drawer = drawer_called(history, drawer)?;
    let mut plan = Plan::new(ActKind::Divider);
    let state = plan.drawer(history, &drawer);
    let name = moment.write(state.newest_stamp(), name);
    state.dividers.insert(id.to_owned(), Divider { name, ..Divider::default() });
    let moving = [Thing::Divider(id.to_owned())];
    place(&mut plan, history, Some(&drawer), &moving, before.unwrap_or_default(), moment)?;
    plan.made = Some(id.to_owned());
    Ok(plan)
}

pub(super) fn plan_change(
    history: &History,
    drawer: &str,
    divider: &str,
    name: Option<&str>,
    before: Option<&str>,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let name = name.map(valid_name).transpose()?;
    let drawer = drawer_called(history, drawer)?;
    let mut plan = Plan::new(ActKind::Divider);
    let state = plan.drawer(history, &drawer);
    let stamp = state.newest_stamp();
    let one = divider_of(state, divider)?;
    if let Some(name) = name.filter(|name| one.name() != Some(name)) {
        one.name = moment.write(stamp, name);
    }
    if let Some(before) = before {
        let moving = [Thing::Divider(divider.to_owned())];
        place(&mut plan, history, Some(&drawer), &moving, before, moment)?;
    }
    if_it_changes_anything(plan)
}

pub(super) fn plan_removal(
    history: &History,
    drawer: &str,
    divider: &str,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let drawer = drawer_called(history, drawer)?;
    let mut plan = Plan::new(ActKind::Divider);
    let state = plan.drawer(history, &drawer);
    let stamp = moment.stamp(state.newest_stamp());
    divider_of(state, divider)?.removed = Some(stamp);
    Ok(plan)
}

fn divider_of<'s>(state: &'s mut DrawerState, id: &str) -> Result<&'s mut Divider, ActError> {
    state.dividers.get_mut(id).filter(|one| one.name().is_some()).ok_or(ActError::NoDivider)
}
