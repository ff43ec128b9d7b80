//! Order, places and addresses, held to a naive model.

use super::*;
use crate::clip::device::DeviceId;
use crate::clip::facts::Facts;
use crate::clip::id::Class;
use crate::history::stored::Held;
use crate::merge::clip::{ClipState, OfferRecord};
use crate::merge::drawer::{Drawer, DrawerState};
use crate::merge::register::Written;
use crate::merge::stamp::Stamp;
use proptest::prelude::*;

fn clip(n: u16, at: Micros, ordered_at: Micros) -> Clip {
    let stamp = Stamp { wall_ms: 1 + at as u64, counter: 0, device: DeviceId([1; 16]) };
    let mut state = ClipState::default();
    state.capture(OfferRecord { representations: vec![], ..OfferRecord::default() }, at, stamp);
    let text = format!("clip {n}");
    Clip {
        id: ClipId::of(Class::Text, &[text.as_bytes()]),
        state,
        facts: Facts::of_text(&text, text.len() as u64, false),
        ordered_at: at.min(ordered_at),
        held: Held::Recorded,
    }
}

#[test]
fn copying_again_moves_to_the_top_and_keeps_one() {
    let mut history = History::default();
    for n in 0..3 {
        history.put(clip(n, i64::from(n), 100));
    }
    let placed = history.put(clip(0, 50, 100));
    assert_eq!(placed, Placed { before: Some(3), now: Some(1) });
    assert_eq!(history.len(), 3);
    assert_eq!(history.at(1).unwrap().facts.head, "clip 0");
}

#[test]
fn a_clip_stamped_in_the_future_counts_as_of_its_arrival() {
    let mut history = History::default();
    history.put(clip(1, 9_999, 10));
    history.put(clip(2, 20, 20));
    assert_eq!(history.at(1).unwrap().facts.head, "clip 2");
}

#[test]
fn places_beyond_the_history_name_nothing() {
    let mut history = History::default();
    assert_eq!(history.resolve(&Address::Place(1)).unwrap_err(), Unresolved::None { clips: 0 });
    history.put(clip(1, 1, 1));
    assert!(history.resolve(&Address::Place(1)).is_ok());
    assert!(history.resolve(&Address::Place(2)).is_err());
    assert!(history.resolve(&Address::Place(usize::MAX)).is_err());
    assert!(history.resolve(&Address::Favorite(1)).is_err());
    assert_eq!(history.from(2).count(), 0);
    assert_eq!(history.from(usize::MAX).count(), 0);
}

#[test]
fn while_the_newest_alone_are_known_their_prefixes_are_long() {
    let mut history = History::default();
    history.load_newest((0..3).map(|n| StoredClip::from(&clip(n, i64::from(n), 100))));
    let shown: Vec<String> = history.from(1).map(|clip| history.prefix_of(clip.id)).collect();
    assert!(shown.iter().all(|prefix| prefix.len() >= SAFE_PREFIX), "{shown:?}");
}

#[test]
fn an_ambiguous_prefix_says_which_would_do() {
    let mut history = History::default();
    for n in 0..200 {
        history.put(clip(n, i64::from(n), 1_000));
    }
    // Two hundred ids over thirty-two letters: some letter begins several.
    let ambiguous = ('a'..='e').find_map(|letter| match history.resolve(&Address::Id(letter.to_string())) {
        Err(Unresolved::Several(names)) => Some(names),
        _ => None,
    });
    for name in ambiguous.expect("a shared first letter") {
        assert!(history.resolve(&name.parse().unwrap()).is_ok());
    }
}

proptest! {
    #[test]
    fn order_and_places_match_a_sorted_list(steps in proptest::collection::vec((0u16..30, 0i64..1_000, any::<bool>()), 1..120)) {
        let mut history = History::default();
        let mut model: Vec<(Micros, ClipId)> = Vec::new();
        for (n, at, keep) in steps {
            let one = clip(n, at, 2_000);
            let id = one.id;
            let before = model.iter().rev().position(|known| known.1 == id).map(|at| at + 1);
            model.retain(|known| known.1 != id);
            let placed = if keep {
                model.push((at, id));
                model.sort_unstable();
                history.put(one)
            } else {
                history.remove(id)
            };
            prop_assert_eq!(placed.before, before);
            prop_assert_eq!(placed.now, model.iter().rev().position(|known| known.1 == id).map(|at| at + 1));
            let shown: Vec<ClipId> = history.from(1).map(|clip| clip.id).collect();
            let wanted: Vec<ClipId> = model.iter().rev().map(|known| known.1).collect();
            prop_assert_eq!(shown, wanted);
        }
        for (n, (_, id)) in model.iter().rev().enumerate() {
            prop_assert_eq!(history.place_of(*id), Some(n + 1));
            prop_assert_eq!(history.at(n + 1).map(|clip| clip.id), Some(*id));
        }
    }

    #[test]
    fn what_is_kept_is_read_on_from_anywhere(
        kept in proptest::collection::vec((0u16..60, 0usize..6, "[A-Za-z]{1,3}"), 0..80),
        there in any::<[bool; 4]>(),
    ) {
        let mut history = History::default();
        // One of them has a name that another one begins with.
        let drawers = ["a", "ab", "b", "c"];
        for (id, _) in drawers.iter().zip(there).filter(|(_, there)| *there) {
            let stamp = Stamp { wall_ms: 1, counter: 0, device: DeviceId([1; 16]) };
            let name = Some(Written { at: stamp, value: format!("drawer {id}") });
            history.drawers_mut().put(Drawer { id: (*id).into(), state: DrawerState { name, ..DrawerState::default() } });
        }
        let mut model: BTreeMap<ClipId, Kept> = BTreeMap::new();
        for (wall, (n, place, rank)) in (10_u64..).zip(kept) {
            let value = match place {
                0 => Kept::No,
                1 => Kept::Favorite(rank),
                place => Kept::Drawer { drawer: drawers[place - 2].into(), rank },
            };
            let mut one = clip(n, i64::from(n), 2_000);
            let stamp = Stamp { wall_ms: 10_000 + wall, counter: 0, device: DeviceId([1; 16]) };
            one.state.keep(value.clone(), stamp);
            model.insert(one.id, value);
            history.put(one);
        }
        let sorted = |wanted: &dyn Fn(&Kept) -> bool| {
            let mut all: Vec<(Kept, ClipId)> =
                model.iter().filter(|(_, kept)| wanted(kept)).map(|(id, kept)| (kept.clone(), *id)).collect();
            all.sort();
            all
        };
        let is_there = |drawer: &str| drawers.iter().zip(there).any(|(id, there)| *id == drawer && there);
        let mut favorites = sorted(&|kept| matches!(kept, Kept::Favorite(_)));
        favorites.extend(sorted(&|kept| kept.drawer().is_some_and(|drawer| !is_there(drawer))));
        let read = |after| history.favorites_after(after).map(|(kept, id)| (kept.clone(), id)).collect::<Vec<_>>();
        prop_assert_eq!(&read(None), &favorites);
        for (n, one) in favorites.iter().enumerate() {
            prop_assert_eq!(&read(Some(one.clone()))[..], &favorites[n + 1..]);
        }
        for drawer in drawers {
            let inside = sorted(&|kept| kept.drawer() == Some(drawer));
            let read = |after| {
                history.in_drawer_after(drawer, after).map(|(rank, id)| (rank.to_owned(), id)).collect::<Vec<_>>()
            };
            let inside: Vec<(String, ClipId)> = inside.into_iter().map(|(kept, id)| (kept.rank().to_owned(), id)).collect();
            prop_assert_eq!(&read(None), &inside);
            for (n, one) in inside.iter().enumerate() {
                prop_assert_eq!(&read(Some(one.clone()))[..], &inside[n + 1..]);
            }
        }
    }

    #[test]
    fn every_shown_prefix_names_its_own_clip(count in 1u16..300) {
        let mut history = History::default();
        history.load((0..count).map(|n| StoredClip::from(&clip(n, i64::from(n), i64::from(n)))));
        for one in history.from(1) {
            let prefix = history.prefix_of(one.id);
            prop_assert!(prefix.bytes().any(|byte| byte.is_ascii_alphabetic()));
            prop_assert_eq!(history.resolve(&prefix.parse().unwrap()).map(|clip| clip.id), Ok(one.id));
        }
    }
}
