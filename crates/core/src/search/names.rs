//! What a name in a query means: drawers and groups of drawers.

use crate::history::drawers::Drawers;
use crate::text::fold::fold;

/// The drawers a folded name means: called so, or in a group called so; failing that, whose names begin so.
pub(crate) fn drawers_called(name: &str, drawers: &Drawers) -> Vec<String> {
    let shown = drawers.shown();
    let pick = |fits: &dyn Fn(&str) -> bool| -> Vec<String> {
        shown
            .iter()
            .filter(|(_, state)| {
                [state.name(), state.group()].into_iter().flatten().any(|one| fits(&fold(one)))
            })
            .map(|(id, _)| (*id).to_owned())
            .collect()
    };
    let exact = pick(&|one| one == name);
    if exact.is_empty() { pick(&|one| one.starts_with(name)) } else { exact }
}
