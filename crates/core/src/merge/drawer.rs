//! Drawers: named places for kept clips, with dividers (headings) inside, in the person's own order, under groups.
//! Their state merges between devices as that of clips does: stamped registers and a removal floor.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::clip::color::Color;
use crate::merge::register::{Written, above, newest};
use crate::merge::stamp::Stamp;

/// A heading inside a drawer.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Divider {
    /// Its words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<Written<String>>,
    /// Its place among the drawer's clips.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rank: Option<Written<String>>,
    /// The removal floor.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub removed: Option<Stamp>,
}

/// Everything that devices agree on about one drawer.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct DrawerState {
    /// Its name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<Written<String>>,
    /// Its color.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<Written<Option<Color>>>,
    /// The group it stands under.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<Written<Option<String>>>,
    /// Its place among the drawers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rank: Option<Written<String>>,
    /// Headings inside, by id.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub dividers: BTreeMap<String, Divider>,
    /// The removal floor.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub removed: Option<Stamp>,
}

impl Divider {
    /// Its words; `None` when it was removed.
    pub fn name(&self) -> Option<&str> {
        above(&self.name, self.removed).map(String::as_str)
    }

    /// Its place.
    pub fn rank(&self) -> &str {
        self.rank.as_ref().map_or("", |one| one.value.as_str())
    }

    fn merge(&mut self, other: &Self) {
        newest(&mut self.name, &other.name);
        newest(&mut self.rank, &other.rank);
        self.removed = self.removed.max(other.removed);
    }
}

impl DrawerState {
    /// Its name; `None` when it was removed.
    pub fn name(&self) -> Option<&str> {
        above(&self.name, self.removed).map(String::as_str)
    }

    /// Its color.
    pub fn color(&self) -> Option<Color> {
        self.color.as_ref().and_then(|one| one.value)
    }

    /// The group it stands under.
    pub fn group(&self) -> Option<&str> {
        self.group.as_ref().and_then(|one| one.value.as_deref())
    }

    /// Its place among the drawers.
    pub fn rank(&self) -> &str {
        self.rank.as_ref().map_or("", |one| one.value.as_str())
    }

    /// Merges what another device knows.
    pub fn merge(&mut self, other: &Self) {
        newest(&mut self.name, &other.name);
        newest(&mut self.color, &other.color);
        newest(&mut self.group, &other.group);
        newest(&mut self.rank, &other.rank);
        for (id, theirs) in &other.dividers {
            self.dividers.entry(id.clone()).or_default().merge(theirs);
        }
        self.removed = self.removed.max(other.removed);
    }

    /// The newest stamp anywhere in it: a change must exceed it.
    pub fn newest_stamp(&self) -> Option<Stamp> {
        fn at<T>(one: &Option<Written<T>>) -> Option<Stamp> {
            one.as_ref().map(|one| one.at)
        }
        let inside = self.dividers.values().flat_map(|one| [at(&one.name), at(&one.rank), one.removed]);
        let own = [at(&self.name), at(&self.color), at(&self.group), at(&self.rank), self.removed];
        own.into_iter().chain(inside).flatten().max()
    }
}

/// A drawer of this device's.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Drawer {
    /// Its id.
    pub id: String,
    /// What devices agree on.
    pub state: DrawerState,
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::device::DeviceId;
    use proptest::prelude::*;

    fn states() -> impl Strategy<Value = DrawerState> {
        proptest::collection::vec((1u64..30, 0u8..6, 0u8..3), 0..10).prop_map(|steps| {
            let mut state = DrawerState::default();
            for (n, (wall_ms, what, value)) in steps.into_iter().enumerate() {
                let at = Stamp { wall_ms, counter: n as u32, device: DeviceId([value; 16]) };
                let text = Some(Written { at, value: format!("n{value}") });
                let mut one = DrawerState::default();
                match what {
                    0 => one.name = text,
                    1 => one.rank = text,
                    2 => one.removed = Some(at),
                    3 => one.group = Some(Written { at, value: Some("g".into()) }),
                    4 => one.dividers.entry("d".into()).or_default().name = text,
                    _ => one.dividers.entry("d".into()).or_default().removed = Some(at),
                }
                state.merge(&one);
            }
            state
        })
    }

    proptest! {
        #[test]
        fn merging_drawers_is_commutative_associative_and_idempotent(a in states(), b in states(), c in states()) {
            let merged = |a: &DrawerState, b: &DrawerState| { let mut out = a.clone(); out.merge(b); out };
            prop_assert_eq!(merged(&a, &b), merged(&b, &a));
            prop_assert_eq!(merged(&merged(&a, &b), &c), merged(&a, &merged(&b, &c)));
            prop_assert_eq!(merged(&a, &a), a);
        }
    }
}
