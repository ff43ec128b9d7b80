//! Drawers: named places for kept clips, with dividers (headings) inside, in the person's own order, under groups.
//! Their state merges between devices as that of clips does: stamped registers and a removal floor.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::fold::fold;
use crate::state::{Color, Written};
use crate::{Stamp, rank};

/// Characters of a drawer's, divider's or group's name at most.
pub const NAME_CHARS: usize = 80;
/// Characters of a clip's title at most.
pub const TITLE_CHARS: usize = 200;

/// Why a text can't be a name or a title.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NameError {
    /// Nothing but white space.
    #[error("a name needs at least one character")]
    Empty,
    /// Too long.
    #[error("it has {0} characters; at most {1} are allowed")]
    Long(usize, usize),
    /// Control characters or line breaks.
    #[error("it must be one line, without control characters")]
    Control,
}

/// A name as it is kept: trimmed, one line, at most `most` characters.
pub fn name_of(text: &str, most: usize) -> Result<String, NameError> {
    let text = text.trim();
    let chars = text.chars().count();
    match text {
        "" => Err(NameError::Empty),
        _ if chars > most => Err(NameError::Long(chars, most)),
        text if text.chars().any(char::is_control) => Err(NameError::Control),
        text => Ok(text.to_owned()),
    }
}

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

fn newest<T: Clone + Ord>(own: &mut Option<Written<T>>, other: &Option<Written<T>>) {
    if other > own {
        own.clone_from(other);
    }
}

fn shown<T>(register: &Option<Written<T>>, floor: Option<Stamp>) -> Option<&T> {
    register.as_ref().filter(|one| Some(one.at) > floor).map(|one| &one.value)
}

impl Divider {
    /// Its words; `None` when it was removed.
    pub fn name(&self) -> Option<&str> {
        shown(&self.name, self.removed).map(String::as_str)
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
        shown(&self.name, self.removed).map(String::as_str)
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

    /// Takes a change back, or makes it again: every register in which `from` (as it was left then) and `to` differ is
    /// written as in `to`, unless it was written since.
    pub fn turn(&mut self, from: &Self, to: &Self, mut stamp: impl FnMut() -> Stamp) {
        turn(&mut self.name, &from.name, &to.name, self.removed, &mut stamp);
        turn(&mut self.color, &from.color, &to.color, None, &mut stamp);
        turn(&mut self.group, &from.group, &to.group, None, &mut stamp);
        turn(&mut self.rank, &from.rank, &to.rank, None, &mut stamp);
        if to.name().is_none() && from.name().is_some() {
            self.removed = Some(stamp());
        }
        let ids: Vec<String> = from.dividers.keys().chain(to.dividers.keys()).cloned().collect();
        let none = Divider::default();
        for id in ids {
            let (from, to) = (from.dividers.get(&id).unwrap_or(&none), to.dividers.get(&id).unwrap_or(&none));
            let own = self.dividers.entry(id).or_default();
            turn(&mut own.name, &from.name, &to.name, own.removed, &mut stamp);
            turn(&mut own.rank, &from.rank, &to.rank, None, &mut stamp);
            if to.name().is_none() && from.name().is_some() {
                own.removed = Some(stamp());
            }
        }
    }
}

/// One register of [`DrawerState::turn`]. What a removal hid comes back as well.
fn turn<T: Clone + PartialEq>(
    own: &mut Option<Written<T>>,
    from: &Option<Written<T>>,
    to: &Option<Written<T>>,
    removed: Option<Stamp>,
    stamp: &mut impl FnMut() -> Stamp,
) {
    let value = |one: &Option<Written<T>>| one.as_ref().map(|one| one.value.clone());
    let hidden = own.as_ref().is_some_and(|one| Some(one.at) <= removed);
    // By value: what was taken back and made again in between has newer stamps and says the same.
    let untouched = value(own) == value(from);
    if let Some(value) = value(to).filter(|new| hidden || (untouched && value(from).as_ref() != Some(new))) {
        *own = Some(Written { at: stamp(), value });
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
    use crate::DeviceId;
    use proptest::prelude::*;

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

    #[test]
    fn a_removed_drawer_comes_back_with_its_name_and_a_later_name_is_not_undone() {
        let before = named("Huts", 1);
        let mut after = before.clone();
        after.removed = Some(stamp(5, 1));
        let mut back = after.clone();
        back.turn(&after, &before, || stamp(9, 1));
        assert_eq!(back.name(), Some("Huts"));
        let mut renamed = before.clone();
        renamed.name = Some(Written { at: stamp(3, 1), value: "Cabins".into() });
        let mut since = renamed.clone();
        since.name = Some(Written { at: stamp(4, 1), value: "Lodges".into() });
        since.turn(&renamed, &before, || stamp(9, 1));
        assert_eq!(since.name(), Some("Lodges"));
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

    #[test]
    fn a_name_is_one_short_line() {
        assert_eq!(name_of("  Huts ", 80).as_deref(), Ok("Huts"));
        assert_eq!(name_of(" ", 80), Err(NameError::Empty));
        assert_eq!(name_of("a\nb", 80), Err(NameError::Control));
        assert_eq!(name_of(&"x".repeat(10_000_000), 80), Err(NameError::Long(10_000_000, 80)));
    }
}
