//! Arranging by hand: which ranks a move writes. Favorites are one list; clips and dividers of a drawer are one list.

use std::collections::BTreeSet;

use crate::history::rank::{LONGEST, between, spread};

/// Moves some things of a list, in the order given, before another one or (`None`) to the end; things that are not in
/// the list yet are put in. `list` is in its order. Gives the ranks that have to be written: those of what moves, or
/// of the whole list when there is no room left between two.
pub fn moved<T: Clone + Ord>(list: &[(T, &str)], moving: &[T], before: Option<&T>) -> Vec<(T, String)> {
    let leaving: BTreeSet<&T> = moving.iter().collect();
    let rest: Vec<(&T, &str)> =
        list.iter().filter(|(one, _)| !leaving.contains(one)).map(|(one, rank)| (one, *rank)).collect();
    // Before one that moves itself: before the next one that stays.
    let target = before.and_then(|before| list.iter().position(|(one, _)| one == before));
    let next = target.and_then(|at| list[at..].iter().find(|(one, _)| !leaving.contains(one)));
    let at = next.and_then(|(next, _)| rest.iter().position(|(one, _)| *one == next)).unwrap_or(rest.len());
    let mut low = at.checked_sub(1).map(|n| rest[n].1.to_owned());
    let high = rest.get(at).map(|(_, rank)| *rank);
    let mut written = Vec::with_capacity(moving.len());
    for one in moving {
        let Some(rank) = between(low.as_deref(), high).filter(|rank| rank.len() <= LONGEST) else {
            return anew(&rest, moving, at);
        };
        low = Some(rank.clone());
        written.push((one.clone(), rank));
    }
    written
}

fn anew<T: Clone>(rest: &[(&T, &str)], moving: &[T], at: usize) -> Vec<(T, String)> {
    let all =
        rest[..at].iter().map(|(one, _)| *one).chain(moving).chain(rest[at..].iter().map(|(one, _)| *one));
    all.cloned().zip(spread(rest.len() + moving.len())).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Applies what a move writes, and gives the order by rank.
    fn apply(list: &mut Vec<(u32, String)>, written: Vec<(u32, String)>) {
        list.retain(|(one, _)| written.iter().all(|(new, _)| new != one));
        list.extend(written);
        list.sort_by(|a, b| (&a.1, a.0).cmp(&(&b.1, b.0)));
    }

    fn borrowed(list: &[(u32, String)]) -> Vec<(u32, &str)> {
        list.iter().map(|(one, rank)| (*one, rank.as_str())).collect()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn ten_thousand_favorites_keep_their_order_under_any_moves(
            moves in proptest::collection::vec((any::<proptest::sample::Index>(), any::<proptest::sample::Index>(), 1usize..4), 1..60),
            near in any::<bool>(),
        ) {
            let mut list: Vec<(u32, String)> = Vec::new();
            let mut expected: Vec<u32> = (0..10_000).collect();
            let first = moved(&[], &expected, None);
            apply(&mut list, first);
            for (from, to, count) in moves {
                // Either anywhere, or again and again at the same place, which is what uses room up.
                let (from, to) = if near { (from.index(10_000), 5_000) } else { (from.index(10_000), to.index(10_001)) };
                let moving: Vec<u32> = expected[from..(from + count).min(10_000)].to_vec();
                let before = expected.get(to).copied();
                let written = moved(&borrowed(&list), &moving, before.as_ref());
                apply(&mut list, written);
                let anchor = before.and_then(|_| expected[to..].iter().find(|one| !moving.contains(one)).copied());
                expected.retain(|one| !moving.contains(one));
                let at = anchor.and_then(|one| expected.iter().position(|other| *other == one)).unwrap_or(expected.len());
                expected.splice(at..at, moving);
                prop_assert_eq!(list.iter().map(|(one, _)| *one).collect::<Vec<_>>(), expected.clone());
                prop_assert!(list.iter().all(|(_, rank)| rank.len() <= LONGEST + 1));
            }
        }
    }

    proptest! {
        #[test]
        fn whatever_the_ranks_of_a_list_are_a_move_puts_things_where_they_were_asked_for(
            ranks in proptest::collection::vec("[0V1z]{0,3}|\\PC{0,2}", 0..8),
            place in any::<proptest::sample::Index>(),
        ) {
            let mut list: Vec<(u32, String)> = ranks.into_iter().enumerate().map(|(n, rank)| (n as u32, rank)).collect();
            list.sort_by(|a, b| (&a.1, a.0).cmp(&(&b.1, b.0)));
            let mut expected: Vec<u32> = list.iter().map(|(one, _)| *one).collect();
            let at = place.index(expected.len() + 1);
            let before = expected.get(at).copied();
            let written = moved(&borrowed(&list), &[100, 101], before.as_ref());
            apply(&mut list, written);
            expected.splice(at..at, [100, 101]);
            prop_assert_eq!(list.iter().map(|(one, _)| *one).collect::<Vec<_>>(), expected);
        }
    }

    #[test]
    fn moving_to_one_place_thousands_of_times_writes_few_ranks() {
        let mut list: Vec<(u32, String)> = Vec::new();
        apply(&mut list, moved(&[], &(0..50).collect::<Vec<_>>(), None));
        let mut written_in_all = 0;
        for n in 50..3_050 {
            let written = moved(&borrowed(&list), &[n], Some(&25));
            written_in_all += written.len();
            apply(&mut list, written);
            let place = list.iter().position(|(one, _)| *one == 25).unwrap();
            assert_eq!(list[place - 1].0, n);
        }
        assert!(written_in_all < 3_000 * 60, "{written_in_all}");
    }

    #[test]
    fn equal_ranks_from_two_devices_are_parted_by_the_next_move() {
        let mut list = vec![(1, "m".to_owned()), (2, "m".to_owned()), (3, "m".to_owned())];
        let written = moved(&borrowed(&list), &[3], Some(&2));
        apply(&mut list, written);
        assert_eq!(list.iter().map(|(one, _)| *one).collect::<Vec<_>>(), [1, 3, 2]);
    }
}
