//! Clips get a color, or lose it.

use crate::acts::error::ActError;
use crate::acts::kind::ActKind;
use crate::acts::moment::Moment;
use crate::acts::plan::{Plan, there, written};
use crate::clip::color::Color;
use crate::clip::id::ClipId;
use crate::history::all::History;

pub(super) fn plan(
    history: &History,
    clips: &[ClipId],
    color: Option<Color>,
    moment: &mut Moment<'_>,
) -> Result<Plan, ActError> {
    let mut plan = Plan::new(ActKind::Color);
    for before in there(history, clips)?.into_iter().filter(|one| one.state.color() != color) {
        plan.change(before, |state| state.color = written(moment, state, color));
    }
    if plan.clips.is_empty() { Err(ActError::SameColor) } else { Ok(plan) }
}
