//! A clip gets a title, or loses it.

use crate::acts::error::ActError;
use crate::acts::kind::ActKind;
use crate::acts::moment::Moment;
use crate::acts::plan::{Plan, there, written};
use crate::clip::id::ClipId;
use crate::history::all::History;
use crate::text::name::{TITLE_CHARS, name_of};

pub(super) fn plan(
    history: &History,
    clip: ClipId,
    title: Option<&str>,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let title = title.map(str::trim).filter(|title| !title.is_empty());
    let title = title.map(|title| name_of(title, TITLE_CHARS).map_err(ActError::Title)).transpose()?;
    let mut plan = Plan::new(ActKind::Title);
    for before in there(history, &[clip])? {
        if before.state.title() == title.as_deref() {
            return Err(ActError::SameTitle);
        }
        plan.change(before, |state| state.title = written(moment, state, title.clone()));
    }
    Ok(plan)
}
