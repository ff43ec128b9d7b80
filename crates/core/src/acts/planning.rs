//! The way from an act to its plan.

use crate::acts::act::Act;
use crate::acts::error::ActError;
use crate::acts::moment::Moment;
use crate::acts::plan::Plan;
use crate::acts::{batch, bring_up, color, divider, drawer, edit, keep, remove, title};
use crate::history::all::History;

/// Plans an act on the history as it is.
///
/// # Errors
/// Says what stands in the way; nothing is to be done then.
pub fn plan(act: &Act, history: &History, moment: &mut Moment<'_>) -> Result<Plan, ActError> {
    match act {
        Act::Remove { clips, spare_pinned } => remove::plan(history, clips, *spare_pinned, moment),
        Act::Keep { clips, place, before } => keep::plan(history, clips, place, before.as_deref(), moment),
        Act::Title { clip, title } => title::plan(history, *clip, title.as_deref(), moment),
        Act::Color { clips, color } => color::plan(history, clips, *color, moment),
        Act::BringUp { clips } => bring_up::plan(history, clips, moment),
        Act::Edit { clip, new } => edit::plan(history, *clip, new, moment),
        Act::PutBack { clip } => edit::plan_put_back(history, *clip, moment),
        Act::NewDrawer { id, name, color, group } => {
            drawer::plan_new(history, id, name, *color, group.as_deref(), moment)
        }
        Act::ChangeDrawer { drawer, change } => drawer::plan_change(history, drawer, change, moment),
        Act::RemoveDrawer { drawer } => drawer::plan_removal(history, drawer, moment),
        Act::NewDivider { drawer, id, name, before } => {
            divider::plan_new(history, drawer, id, name, before.as_deref(), moment)
        }
        Act::ChangeDivider { drawer, divider, name, before } => {
            divider::plan_change(history, drawer, divider, name.as_deref(), before.as_deref(), moment)
        }
        Act::RemoveDivider { drawer, divider } => divider::plan_removal(history, drawer, divider, moment),
        Act::NewBatch { id, pieces, change } => batch::plan_new(history, *id, pieces, change, moment.now),
        Act::ChangeBatch { batch, change } => batch::plan_change(history, *batch, change),
        Act::ChangeItems { batch, change } => batch::plan_items(history, *batch, change),
        Act::RemoveBatch { batch } => batch::plan_removal(history, *batch),
    }
}
