//! A drawer that comes from elsewhere: it is made, or the one of its name gets the headings it lacks. No act, and
//! nothing to take back.

use crate::acts::moment::Moment;
use crate::acts::plan::valid_name;
use crate::clip::color::Color;
use crate::history::all::History;
use crate::history::rank::numbered;
use crate::merge::drawer::{Divider, Drawer};
use crate::text::fold::fold;

/// A drawer as it stands in a file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ForeignDrawer {
    /// Its name.
    pub name: String,
    /// Its color.
    pub color: Option<Color>,
    /// Its group.
    pub group: Option<String>,
    /// Headings, with their places among the clips, from 1.
    pub dividers: Vec<(u64, String)>,
    /// What the ranks of its headings begin with.
    pub rank_base: String,
}

/// The drawer as it will be, and whether that is anything new. `id_of` gives the id of the `n`-th attempt for a name
/// (ids of removed drawers are not given out again) and of a heading of a drawer. `None` when its name is none.
pub fn bring_drawer(
    history: &History,
    foreign: &ForeignDrawer,
    id_of: impl Fn(&str) -> String,
    moment: &mut Moment<'_>,
) -> Option<(Drawer, bool)> {
    let name = valid_name(&foreign.name).ok()?;
    let folded = fold(&name);
    let drawers = history.drawers();
    let there =
        drawers.shown().into_iter().find(|(_, state)| state.name().map(fold).as_ref() == Some(&folded));
    let mut new = there.is_none();
    let (id, mut state) = match there {
        Some((id, state)) => (id.to_owned(), state.clone()),
        None => {
            let mut id = id_of(&folded);
            // One of that name was removed before: not this one.
            while drawers.state(&id).is_some() {
                id = id_of(&id);
            }
            (id, Default::default())
        }
    };
    if new {
        let group = foreign.group.as_deref().and_then(|group| valid_name(group).ok());
        let rank = drawers.rank_at_end(group.as_deref());
        state.name = moment.write(None, name);
        state.color = moment.write(None, foreign.color);
        state.group = moment.write(None, group);
        state.rank = moment.write(None, rank);
    }
    for (place, words) in &foreign.dividers {
        let Ok(words) = valid_name(words) else { continue };
        let known = state.dividers.values().any(|one| one.name() == Some(&words));
        if known {
            continue;
        }
        let mut divider_id = id_of(&format!("{id}\n{place}\n{words}"));
        while state.dividers.contains_key(&divider_id) {
            divider_id = id_of(&divider_id);
        }
        let stamp = state.newest_stamp();
        let divider = Divider {
            name: moment.write(stamp, words),
            rank: moment.write(stamp, format!("{}{}", foreign.rank_base, numbered(*place))),
            removed: None,
        };
        state.dividers.insert(divider_id, divider);
        new = true;
    }
    Some((Drawer { id, state }, new))
}
