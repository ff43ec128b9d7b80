//! Orders of items that change while others change them too, and the place in them up to which was handed out.

use std::collections::{HashMap, HashSet};

/// Where handing out goes on after the order has changed: at the item that was next, or the first one after it that is left,
/// and at what is new or was not handed out directly before that.
pub fn goes_on(upcoming: &[u32], handed: &HashSet<u32>, new: &[u32]) -> usize {
    let places: HashMap<u32, usize> = new.iter().enumerate().map(|(at, id)| (*id, at)).collect();
    let mut at = upcoming.iter().find_map(|id| places.get(id).copied()).unwrap_or(new.len());
    while at > 0 && !handed.contains(&new[at - 1]) {
        at -= 1;
    }
    at
}

/// Some items stand before another one, or at the end, in the order in which they are named. What is not there is passed
/// over.
pub fn moved(order: &[u32], these: &[u32], before: Option<u32>) -> Vec<u32> {
    let there: HashSet<u32> = order.iter().copied().collect();
    let mut seen = HashSet::new();
    let these: Vec<u32> = these.iter().copied().filter(|id| there.contains(id) && seen.insert(*id)).collect();
    // Before one that moves itself: before the first after it that does not.
    let anchor = before
        .and_then(|id| order.iter().position(|one| *one == id))
        .and_then(|at| order[at..].iter().find(|id| !seen.contains(id)))
        .copied();
    let mut out: Vec<u32> = order.iter().copied().filter(|id| !seen.contains(id)).collect();
    let at = anchor.and_then(|id| out.iter().position(|one| *one == id)).unwrap_or(out.len());
    out.splice(at..at, these);
    out
}

/// Makes of an order what a change from one order to another makes of it, when it may have changed otherwise since: what
/// the change dropped goes, what it added comes to where it stood, and what it put in another order is in that one. What
/// only the present order has keeps its place after what stands before it.
pub fn changed(now: &[u32], from: &[u32], to: &[u32]) -> Vec<u32> {
    if now == from {
        return to.to_vec();
    }
    let (in_now, in_from, in_to): (HashSet<u32>, HashSet<u32>, HashSet<u32>) =
        (now.iter().copied().collect(), from.iter().copied().collect(), to.iter().copied().collect());
    let stays = |id: &u32| in_now.contains(id) && (in_to.contains(id) || !in_from.contains(id));
    let comes = |id: &u32| !in_now.contains(id) && in_to.contains(id) && !in_from.contains(id);
    let common = |list: &[u32]| -> Vec<u32> {
        list.iter()
            .copied()
            .filter(|id| in_from.contains(id) && in_to.contains(id) && in_now.contains(id))
            .collect()
    };
    let left: Vec<u32> = now.iter().copied().filter(stays).collect();
    // Another order is restored only where it is still the one that the change left.
    let mut out = if common(from) != common(to) && common(now) == common(from) {
        let mut in_order = common(to).into_iter();
        let shared: HashSet<u32> = common(to).into_iter().collect();
        left.iter().filter_map(|id| if shared.contains(id) { in_order.next() } else { Some(*id) }).collect()
    } else {
        left
    };
    for (at, id) in to.iter().enumerate().filter(|(_, id)| comes(id)) {
        let before = to[..at].iter().rev().find_map(|one| out.iter().position(|known| known == one));
        out.insert(before.map_or(0, |place| place + 1), *id);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn orders() -> impl Strategy<Value = Vec<u32>> {
        proptest::collection::hash_set(0u32..12, 0..10).prop_map(|set| set.into_iter().collect())
    }

    proptest! {
        #[test]
        fn a_change_that_nothing_came_after_is_made_and_unmade_exactly(from in orders(), to in orders()) {
            prop_assert_eq!(changed(&from, &from, &to), to.clone());
            prop_assert_eq!(changed(&to, &to, &from), from);
        }

        #[test]
        fn what_others_added_stays_and_nothing_comes_twice(now in orders(), from in orders(), to in orders()) {
            let out = changed(&now, &from, &to);
            let set: HashSet<u32> = out.iter().copied().collect();
            prop_assert_eq!(set.len(), out.len());
            for id in &now {
                let dropped = from.contains(id) && !to.contains(id);
                prop_assert_eq!(set.contains(id), !dropped);
            }
            for id in &out {
                prop_assert!(now.contains(id) || (to.contains(id) && !from.contains(id)));
            }
        }

        #[test]
        fn what_was_handed_out_is_not_handed_out_again_when_items_come_and_go(
            old in orders(), next in 0usize..12, gone in orders(), at in 0usize..12,
        ) {
            let next = next.min(old.len());
            let mut new: Vec<u32> = old.iter().copied().filter(|id| !gone.contains(id)).collect();
            new.insert(at.min(new.len()), 99);
            let handed: HashSet<u32> = old[..next].iter().copied().collect();
            let goes_on = goes_on(&old[next..], &handed, &new);
            for id in &new[goes_on..] {
                prop_assert!(*id == 99 || old[next..].contains(id), "{} is handed out again", id);
            }
            for id in &new[..goes_on] {
                prop_assert!(*id == 99 || old[..next].contains(id), "{} is passed over", id);
            }
        }

        #[test]
        fn moving_changes_the_order_alone(order in orders(), these in orders(), before in 0u32..12) {
            let out = moved(&order, &these, Some(before));
            let sorted = |list: &[u32]| { let mut list = list.to_vec(); list.sort_unstable(); list };
            prop_assert_eq!(sorted(&out), sorted(&order));
            let rest = |list: &[u32]| -> Vec<u32> { list.iter().copied().filter(|id| !these.contains(id)).collect() };
            prop_assert_eq!(rest(&out), rest(&order));
            let named: Vec<u32> = these.iter().copied().filter(|id| order.contains(id)).collect();
            let moved: Vec<u32> = out.iter().copied().filter(|id| these.contains(id)).collect();
            prop_assert_eq!(moved, named.clone());
            let place = out.iter().position(|id| *id == before).filter(|_| !these.contains(&before));
            if let (Some(last), Some(place)) = (named.last(), place) {
                prop_assert_eq!(out.iter().position(|id| id == last), Some(place - 1));
            }
        }
    }

    #[test]
    fn what_is_new_after_what_was_handed_out_is_next() {
        let goes_on = |old: &[u32], next: usize, new: &[u32]| {
            goes_on(&old[next..], &old[..next].iter().copied().collect(), new)
        };
        assert_eq!(goes_on(&[1, 2], 2, &[1, 2, 3]), 2);
        assert_eq!(goes_on(&[1, 2, 3], 1, &[1, 9, 2, 3]), 1);
        assert_eq!(goes_on(&[1, 2, 3], 0, &[2, 3, 1]), 0, "what comes first now is next");
        assert_eq!(goes_on(&[1], 1, &[]), 0);
    }
}
