//! The order of all clips, in pieces: what comes or goes anywhere moves one piece of it, and not all that is behind it.

use crate::clip::id::ClipId;
use crate::clip::time::Micros;

/// Clips in a piece at most.
const PIECE: usize = if cfg!(test) { 6 } else { 2_048 };

/// The time by which a clip is ordered, and its id.
pub(super) type Key = (Micros, ClipId);

/// The keys of all clips, oldest first, each once. Places in it count from 0, the oldest.
#[derive(Debug, Default)]
pub(super) struct Order {
    /// None of them is empty.
    pieces: Vec<Vec<Key>>,
    len: usize,
}

impl Order {
    /// Keys in any order, each once.
    pub(super) fn of(keys: impl IntoIterator<Item = Key>) -> Self {
        let mut all: Vec<Key> = keys.into_iter().collect();
        all.sort_unstable();
        Self { pieces: all.chunks(PIECE).map(<[Key]>::to_vec).collect(), len: all.len() }
    }

    pub(super) fn len(&self) -> usize {
        self.len
    }

    pub(super) fn is_empty(&self) -> bool {
        self.len == 0
    }

    pub(super) fn last(&self) -> Option<&Key> {
        self.pieces.last()?.last()
    }

    /// The piece where a key is or would be, none where it would come behind all of them; and its place there.
    fn spot(&self, key: &Key) -> (usize, usize) {
        let piece = self.pieces.partition_point(|piece| piece.last().is_some_and(|last| last < key));
        let within = self.pieces.get(piece).map_or(0, |piece| piece.partition_point(|known| known < key));
        (piece, within)
    }

    /// How many keys are in the pieces before one.
    fn before(&self, piece: usize) -> usize {
        let counted = |pieces: &[Vec<Key>]| pieces.iter().map(Vec::len).sum::<usize>();
        // What is asked for is mostly near the newest.
        if piece > self.pieces.len() / 2 {
            self.len - counted(&self.pieces[piece..])
        } else {
            counted(&self.pieces[..piece])
        }
    }

    /// How many keys are before this one, whether it is there or not.
    pub(super) fn rank(&self, key: &Key) -> usize {
        let (piece, within) = self.spot(key);
        self.before(piece) + within
    }

    /// The place of a key that is there.
    pub(super) fn find(&self, key: &Key) -> Option<usize> {
        let (piece, within) = self.spot(key);
        let is_there = self.pieces.get(piece)?.get(within) == Some(key);
        is_there.then(|| self.before(piece) + within)
    }

    /// The piece in which a place is, and its place there; behind the last place, a piece that is not there.
    fn locate(&self, place: usize) -> (usize, usize) {
        let (mut piece, mut start) = (self.pieces.len(), self.len);
        while start > place {
            piece -= 1;
            start -= self.pieces[piece].len();
        }
        (piece, place - start)
    }

    /// The key at a place.
    pub(super) fn get(&self, place: usize) -> Option<&Key> {
        let (piece, within) = self.locate(place);
        self.pieces.get(piece)?.get(within)
    }

    /// Puts a key in, which is not there yet; gives its place.
    pub(super) fn insert(&mut self, key: Key) -> usize {
        let (mut piece, mut within) = self.spot(&key);
        if piece == self.pieces.len() {
            // Behind all of them.
            match self.pieces.last() {
                Some(last) if last.len() < PIECE => (piece, within) = (piece - 1, last.len()),
                _ => self.pieces.push(Vec::new()),
            }
        } else if self.pieces[piece].len() >= PIECE {
            if piece == 0 && within == 0 {
                // Before all of them: what comes from the newest to the oldest fills its pieces.
                self.pieces.insert(0, Vec::with_capacity(PIECE));
            } else {
                let half = PIECE / 2;
                let behind = self.pieces[piece].split_off(half);
                self.pieces.insert(piece + 1, behind);
                if within > half {
                    (piece, within) = (piece + 1, within - half);
                }
            }
        }
        self.pieces[piece].insert(within, key);
        self.len += 1;
        self.before(piece) + within
    }

    /// Takes a key out; gives the place where it was.
    pub(super) fn remove(&mut self, key: &Key) -> Option<usize> {
        let place = self.find(key)?;
        let (piece, within) = self.spot(key);
        self.pieces[piece].remove(within);
        self.len -= 1;
        if self.pieces[piece].is_empty() {
            self.pieces.remove(piece);
        } else if let Some(behind) = self.pieces.get(piece + 1)
            && self.pieces[piece].len() + behind.len() <= PIECE / 2
        {
            // What is left of two pieces is one.
            let behind = self.pieces.remove(piece + 1);
            self.pieces[piece].extend(behind);
        }
        Some(place)
    }

    /// The keys from a place on, oldest first.
    pub(super) fn from(&self, place: usize) -> impl Iterator<Item = &Key> {
        let (piece, within) = self.locate(place.min(self.len));
        self.pieces[piece..].iter().flatten().skip(within)
    }

    /// The keys before a place, newest first.
    pub(super) fn back_from(&self, place: usize) -> impl Iterator<Item = &Key> {
        let (piece, within) = self.locate(place.min(self.len));
        let some = self.pieces.get(piece).map_or(&[][..], |piece| &piece[..within]);
        some.iter().rev().chain(self.pieces[..piece].iter().rev().flat_map(|piece| piece.iter().rev()))
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use proptest::prelude::*;

    use super::*;

    fn key(at: i64) -> Key {
        (at / 2, ClipId([u8::try_from(at % 2).unwrap(); 16]))
    }

    /// Everything that can be asked, held to a sorted set.
    fn same(order: &Order, plain: &BTreeSet<Key>) {
        let all: Vec<Key> = plain.iter().copied().collect();
        assert_eq!((order.len(), order.is_empty(), order.last()), (all.len(), all.is_empty(), all.last()));
        assert!(order.pieces.iter().all(|piece| (1..=PIECE).contains(&piece.len())), "{order:?}");
        for place in 0..all.len() + 3 {
            assert_eq!(order.get(place), all.get(place));
            let cut = place.min(all.len());
            assert!(order.from(place).eq(&all[cut..]), "from {place}");
            assert!(order.back_from(place).eq(all[..cut].iter().rev()), "back from {place}");
        }
        for at in -1..62 {
            let key = if at < 0 { (-1, ClipId([0; 16])) } else { key(at) };
            assert_eq!(order.rank(&key), all.partition_point(|known| *known < key));
            assert_eq!(order.find(&key), all.binary_search(&key).ok());
        }
    }

    proptest! {
        #[test]
        fn whatever_comes_and_goes_it_is_a_sorted_list(
            first in proptest::collection::btree_set(0_i64..60, 0..60),
            steps in proptest::collection::vec((0_i64..60, any::<bool>()), 0..120),
        ) {
            let mut plain: BTreeSet<Key> = first.iter().map(|at| key(*at)).collect();
            let mut order = Order::of(plain.iter().rev().copied());
            same(&order, &plain);
            for (at, comes) in steps {
                let key = key(at);
                let place = plain.range(..key).count();
                if comes && plain.insert(key) {
                    prop_assert_eq!(order.insert(key), place);
                } else if !comes {
                    prop_assert_eq!(order.remove(&key), plain.remove(&key).then_some(place));
                }
                same(&order, &plain);
            }
        }

        #[test]
        fn what_comes_in_order_fills_its_pieces(count in 1_i64..60, newest_first in any::<bool>()) {
            let mut order = Order::default();
            for n in 0..count {
                order.insert(key(if newest_first { count - n } else { n }));
            }
            prop_assert_eq!(order.pieces.len(), usize::try_from(count).unwrap().div_ceil(PIECE));
        }

        #[test]
        fn what_is_left_of_many_is_in_few_pieces(kept in 1_usize..20) {
            let mut order = Order::of((0..600).map(key));
            for at in (0..600).filter(|at| at % 30 != 0 || *at >= 30 * i64::try_from(kept).unwrap()) {
                order.remove(&key(at));
            }
            prop_assert_eq!(order.len(), kept);
            prop_assert!(order.pieces.len() <= kept.div_ceil(PIECE / 4) + 1, "{:?}", order);
        }
    }
}
