//! Sittings: runs of copying with no pause over 20 minutes. The history is read by sittings.

use crate::clip::time::Micros;

/// The pause that ends a sitting: 20 minutes, in microseconds.
pub const PAUSE: Micros = 20 * 60 * 1_000_000;

/// One run of copying.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Sitting {
    /// The place of its newest clip, from 1.
    pub place: usize,
    /// How many clips it holds.
    pub count: usize,
    /// When its first clip was copied.
    pub start: Micros,
    /// When its last clip was copied.
    pub end: Micros,
}

/// Parts times, newest first, into sittings, newest first.
pub fn sittings(newest_first: impl IntoIterator<Item = Micros>) -> Vec<Sitting> {
    let mut out: Vec<Sitting> = Vec::new();
    for (n, at) in newest_first.into_iter().enumerate() {
        match out.last_mut() {
            Some(open) if open.start - at <= PAUSE => {
                open.count += 1;
                open.start = at;
            }
            _ => out.push(Sitting { place: n + 1, count: 1, start: at, end: at }),
        }
    }
    out
}

/// The places (from 1) of the sitting in which the clip at a place was copied. Times are newest first.
pub fn sitting_of(
    newest_first: impl IntoIterator<Item = Micros>,
    place: usize,
) -> Option<std::ops::Range<usize>> {
    let found =
        sittings(newest_first).into_iter().find(|one| (one.place..one.place + one.count).contains(&place))?;
    Some(found.place..found.place + found.count)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const MINUTE: Micros = 60_000_000;

    #[test]
    fn a_pause_of_twenty_minutes_does_not_part_and_a_longer_one_does() {
        let times = [100 * MINUTE, 90 * MINUTE, 70 * MINUTE, 50 * MINUTE - 1];
        let parted = sittings(times);
        assert_eq!(parted.len(), 2);
        assert_eq!(
            (parted[0].place, parted[0].count, parted[0].start, parted[0].end),
            (1, 3, 70 * MINUTE, 100 * MINUTE)
        );
        assert_eq!((parted[1].place, parted[1].count), (4, 1));
    }

    proptest! {
        #[test]
        fn every_clip_is_in_exactly_one_sitting(mut times in proptest::collection::vec(0i64..1_000_000_000_000, 0..50)) {
            times.sort_unstable_by(|a, b| b.cmp(a));
            let parted = sittings(times.iter().copied());
            prop_assert_eq!(parted.iter().map(|one| one.count).sum::<usize>(), times.len());
            for pair in parted.windows(2) {
                prop_assert_eq!(pair[0].place + pair[0].count, pair[1].place);
                prop_assert!(pair[0].start - pair[1].end > PAUSE);
            }
        }
    }
}
