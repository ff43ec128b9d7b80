//! All drawers of this device: in their order, and found by name.

use std::collections::BTreeMap;

use crate::history::rank;
use crate::merge::drawer::{Drawer, DrawerState};
use crate::text::fold::fold;

/// Why a name leads to no drawer.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NoDrawer {
    /// None is called so.
    None,
    /// Several are; their names.
    Several(Vec<String>),
}

/// All drawers, removed ones included.
#[derive(Clone, Debug, Default)]
pub struct Drawers(BTreeMap<String, DrawerState>);

impl Drawers {
    /// The state of a drawer, removed ones included.
    pub fn state(&self, id: &str) -> Option<&DrawerState> {
        self.0.get(id)
    }

    /// A drawer that is there.
    pub fn get(&self, id: &str) -> Option<&DrawerState> {
        self.0.get(id).filter(|state| state.name().is_some())
    }

    /// What is known of a drawer, whether it is there or was removed.
    pub fn known(&self, id: &str) -> Option<&DrawerState> {
        self.0.get(id)
    }

    /// Puts what is known of a drawer.
    pub fn put(&mut self, drawer: Drawer) {
        self.0.insert(drawer.id, drawer.state);
    }

    /// Drawers that are there, in their order: those under no group first, then by group.
    pub fn shown(&self) -> Vec<(&str, &DrawerState)> {
        let mut all: Vec<(&str, &DrawerState)> = self
            .0
            .iter()
            .filter(|(_, state)| state.name().is_some())
            .map(|(id, state)| (id.as_str(), state))
            .collect();
        all.sort_by(|(a_id, a), (b_id, b)| {
            (a.group().map(fold), a.rank(), a_id).cmp(&(b.group().map(fold), b.rank(), b_id))
        });
        all
    }

    /// All of them, removed ones included.
    pub fn all(&self) -> impl Iterator<Item = Drawer> + '_ {
        self.0.iter().map(|(id, state)| Drawer { id: id.clone(), state: state.clone() })
    }

    /// The drawer a person means: by id, by name (case and accents aside), or by the beginning of a name.
    pub fn find(&self, name: &str) -> Result<(&str, &DrawerState), NoDrawer> {
        if let Some((id, state)) = self.0.get_key_value(name).filter(|(_, state)| state.name().is_some()) {
            return Ok((id, state));
        }
        let wanted = fold(name.trim());
        let shown = self.shown();
        let folded = |state: &DrawerState| fold(state.name().unwrap_or_default());
        let exact: Vec<_> = shown.iter().filter(|(_, state)| folded(state) == wanted).collect();
        let begins: Vec<_> = shown
            .iter()
            .filter(|(_, state)| !wanted.is_empty() && folded(state).starts_with(&wanted))
            .collect();
        let found = if exact.is_empty() { begins } else { exact };
        match found.as_slice() {
            [] => Err(NoDrawer::None),
            [one] => Ok(**one),
            several => Err(NoDrawer::Several(
                several.iter().filter_map(|(_, state)| state.name().map(str::to_owned)).collect(),
            )),
        }
    }

    /// A rank after every drawer of a group.
    pub fn rank_at_end(&self, group: Option<&str>) -> String {
        let last = self
            .shown()
            .into_iter()
            .filter(|(_, state)| state.group() == group)
            .map(|(_, state)| state.rank())
            .max();
        // After a rank that is none (from a damaged record) there is none either: the first of all then.
        rank::between(last, None).or_else(|| rank::between(None, None)).unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::device::DeviceId;
    use crate::merge::register::Written;
    use crate::merge::stamp::Stamp;

    fn stamp(wall_ms: u64, device: u8) -> Stamp {
        Stamp { wall_ms, counter: 0, device: DeviceId([device; 16]) }
    }

    fn named(name: &str, at: u64) -> DrawerState {
        DrawerState {
            name: Some(Written { at: stamp(at, 1), value: name.into() }),
            rank: Some(Written { at: stamp(at, 1), value: format!("{at:03}") }),
            ..DrawerState::default()
        }
    }

    #[test]
    fn drawers_are_found_by_name_and_its_beginning_in_their_order() {
        let mut drawers = Drawers::default();
        for (id, name, at) in [("b", "Réplies", 2), ("a", "Replies, long", 1), ("c", "Huts", 3)] {
            drawers.put(Drawer { id: id.into(), state: named(name, at) });
        }
        assert_eq!(drawers.find("replies").unwrap().0, "b");
        assert_eq!(drawers.find("HU").unwrap().0, "c");
        assert!(matches!(drawers.find("re"), Err(NoDrawer::Several(names)) if names.len() == 2));
        assert_eq!(drawers.find("x"), Err(NoDrawer::None));
        assert_eq!(drawers.shown().iter().map(|(id, _)| *id).collect::<Vec<_>>(), ["a", "b", "c"]);
    }
}
