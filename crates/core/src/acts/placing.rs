//! Orders made by hand: what is kept in one place, and the ranks that a move there writes.

use crate::acts::error::ActError;
use crate::acts::moment::Moment;
use crate::acts::plan::Plan;
use crate::clip::id::ClipId;
use crate::history::all::History;
use crate::history::arrange::moved;
use crate::history::drawers::NoDrawer;
use crate::merge::clip::Kept;

/// Names of drawers that an error tells at most.
const TOLD: usize = 12;

/// A thing in a list of kept things.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(super) enum Thing {
    Clip(ClipId),
    Divider(String),
}

impl Thing {
    /// The thing with this id.
    pub(super) fn called(id: &str) -> Result<Self, ActError> {
        match ClipId::parse(id) {
            Some(clip) => Ok(Self::Clip(clip)),
            None if id.len() == 32 => Ok(Self::Divider(id.to_owned())),
            None => Err(ActError::NoPlace),
        }
    }
}

/// The id of a drawer, by id or name (or the beginning of a name).
///
/// # Errors
/// There is none, or there are several; the error names those that are there.
pub fn drawer_called(history: &History, name: &str) -> Result<String, ActError> {
    history.drawers().find(name).map(|(id, _)| id.to_owned()).map_err(|why| match why {
        NoDrawer::None => {
            let shown = history.drawers().shown();
            let names = shown.iter().filter_map(|(_, state)| state.name().map(str::to_owned));
            ActError::NoDrawer(names.take(TOLD).collect())
        }
        NoDrawer::Several(names) => ActError::SeveralDrawers(names),
    })
}

/// What is kept in one place, in its order, with ranks.
pub(super) fn list_of(history: &History, drawer: Option<&str>) -> Vec<(Thing, String)> {
    let Some(drawer) = drawer else {
        let favorites = history.favorites();
        // Clips of removed drawers have no rank among the favorites: without ranks all are ranked anew.
        let strays = favorites.iter().any(|clip| clip.state.kept().drawer().is_some());
        return favorites
            .into_iter()
            .map(|clip| {
                let rank = if strays { "" } else { clip.state.kept().rank() };
                (Thing::Clip(clip.id), rank.to_owned())
            })
            .collect();
    };
    let mut list: Vec<(Thing, String)> = history
        .in_drawer(drawer)
        .map(|clip| (Thing::Clip(clip.id), clip.state.kept().rank().to_owned()))
        .collect();
    if let Some(state) = history.drawers().get(drawer) {
        let shown = state.dividers.iter().filter(|(_, one)| one.name().is_some());
        list.extend(shown.map(|(id, one)| (Thing::Divider(id.clone()), one.rank().to_owned())));
    }
    list.sort_by(|(a, a_rank), (b, b_rank)| (a_rank, a).cmp(&(b_rank, b)));
    list
}

/// Moves things of a place before another one there (an empty text: to the end).
pub(super) fn place(
    plan: &mut Plan,
    history: &History,
    drawer: Option<&str>,
    moving: &[Thing],
    before: &str,
    moment: &mut Moment<'_>,
) -> Result<(), ActError> {
    let list = list_of(history, drawer);
    let before = if before.is_empty() { None } else { Some(Thing::called(before)?) };
    if before.as_ref().is_some_and(|before| list.iter().all(|(thing, _)| thing != before)) {
        return Err(ActError::NotInPlace);
    }
    let list: Vec<(Thing, &str)> = list.iter().map(|(thing, rank)| (thing.clone(), rank.as_str())).collect();
    for (thing, rank) in moved(&list, moving, before.as_ref()) {
        match (thing, drawer) {
            (Thing::Divider(_), None) => {}
            (Thing::Divider(id), Some(drawer)) => {
                let state = plan.drawer(history, drawer);
                let rank = moment.write(state.newest_stamp(), rank);
                state.dividers.entry(id).or_default().rank = rank;
            }
            (Thing::Clip(id), drawer) => {
                let stored = history.stored(id);
                if !stored.state.is_there() {
                    continue;
                }
                let kept = match drawer {
                    None => Kept::Favorite(rank),
                    Some(drawer) => Kept::Drawer { drawer: drawer.to_owned(), rank },
                };
                let stamp = moment.stamp(stored.state.newest_stamp());
                plan.change(stored, |state| state.keep(kept, stamp));
            }
        }
    }
    Ok(())
}
