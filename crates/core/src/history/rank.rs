//! Ranks: places in an order that a person makes by hand. A rank is a text over 62 digits that sorts by its bytes;
//! between any two there is always another, so that a move writes one clip alone.

const DIGITS: &[u8; 62] = b"0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz";
/// Ranks longer than this are given out anew, the whole list evenly.
pub const LONGEST: usize = 40;

fn digits(rank: &str) -> Option<Vec<usize>> {
    rank.bytes().map(|byte| DIGITS.iter().position(|digit| *digit == byte)).collect()
}

/// A rank after `low` and before `high`; `None` stands for the ends. `None` when there is no such rank: the bounds are
/// in the wrong order, one of them is no rank, or nothing but lowest digits parts them. The list is ranked anew then.
pub fn between(low: Option<&str>, high: Option<&str>) -> Option<String> {
    let low = digits(low.unwrap_or_default())?;
    let mut high = match high {
        Some(high) => Some(digits(high)?),
        None => None,
    };
    if high.as_ref().is_some_and(|high| low >= *high) {
        return None;
    }
    let mut out = Vec::new();
    // Past the end of `low` an open end leaves room at once: the loop is as long as the longer bound, and one more.
    for n in 0..=low.len().max(high.as_ref().map_or(0, Vec::len)) {
        let floor = low.get(n).copied().unwrap_or(0);
        let ceiling = match &high {
            None => DIGITS.len(),
            Some(high) => *high.get(n)?,
        };
        if ceiling - floor > 1 {
            // At an open end steps are small, so that many can follow; between two, the middle.
            let step = match (low.is_empty(), high.is_some()) {
                (false, false) => 1,
                (true, true) => ceiling - floor - 1,
                _ => (ceiling - floor) / 2,
            };
            out.push(DIGITS[floor + step]);
            return String::from_utf8(out).ok();
        }
        out.push(DIGITS[floor]);
        if floor != ceiling {
            // Neighbours: stay with the lower one and go on after it, with nothing above.
            high = None;
        }
    }
    None
}

/// The rank of the `n`-th of a list whose length is not known: these sort by `n` and leave room between.
pub fn numbered(n: u64) -> String {
    let mut rest = n;
    let mut digits = vec![DIGITS[0]; 7];
    for digit in digits.iter_mut().rev() {
        *digit = DIGITS[usize::try_from(rest % 62).unwrap_or(0)];
        rest /= 62;
    }
    digits.push(DIGITS[DIGITS.len() / 2]);
    String::from_utf8(digits).unwrap_or_default()
}

/// `count` ranks in order, evenly apart, all of one length.
pub fn spread(count: usize) -> Vec<String> {
    let mut width = 1_usize;
    while DIGITS.len().pow(u32::try_from(width).unwrap_or(8)) / 4 < count + 1 && width < 8 {
        width += 1;
    }
    let all = (DIGITS.len() as u128).pow(u32::try_from(width).unwrap_or(8));
    let step = all / (count as u128 + 1);
    (1..=count as u128)
        .map(|n| {
            let mut rest = n * step;
            let mut digits = vec![DIGITS[0]; width];
            for digit in digits.iter_mut().rev() {
                *digit = DIGITS[(rest % DIGITS.len() as u128) as usize];
                rest /= DIGITS.len() as u128;
            }
            if digits.last() == Some(&DIGITS[0]) {
                digits.push(DIGITS[DIGITS.len() / 2]);
            }
            String::from_utf8(digits).unwrap_or_default()
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn ten_thousand_ranks_at_an_end_stay_short() {
        let mut last: Option<String> = None;
        for _ in 0..10_000 {
            let next = between(last.as_deref(), None).unwrap();
            assert!(last.as_ref().is_none_or(|last| *last < next));
            last = Some(next);
        }
        assert!(last.unwrap().len() <= 200);
    }

    #[test]
    fn spread_ranks_are_short_and_in_order() {
        for count in [0, 1, 61, 62, 10_000] {
            let ranks = spread(count);
            assert_eq!(ranks.len(), count);
            assert!(ranks.windows(2).all(|pair| pair[0] < pair[1]));
            assert!(ranks.iter().all(|rank| rank.len() <= 5));
        }
    }

    #[test]
    fn numbered_ranks_sort_by_their_numbers() {
        let ranks: Vec<String> = [1, 2, 61, 62, 63, 3_843, 3_844, 10_000_000].map(numbered).into();
        assert!(ranks.windows(2).all(|pair| pair[0] < pair[1]));
        assert!(between(Some(&ranks[0]), Some(&ranks[1])).unwrap() < ranks[1]);
    }

    proptest! {
        #[test]
        fn every_pair_of_texts_gives_a_rank_between_or_none_where_none_fits(
            low in proptest::option::of("[0V1z]{0,4}|\\PC{0,3}"),
            high in proptest::option::of("[0V1z]{0,4}|\\PC{0,3}"),
        ) {
            let valid = [&low, &high].into_iter().flatten().all(|one| one.bytes().all(|byte| DIGITS.contains(&byte)));
            let after = low.clone().unwrap_or_default();
            // Between a text and itself with lowest digits added there is nothing that leaves room below.
            let apart = high.as_ref().is_none_or(|high| {
                after < *high && high.strip_prefix(after.as_str()).is_none_or(|rest| rest.bytes().any(|byte| byte != b'0'))
            });
            match between(low.as_deref(), high.as_deref()) {
                Some(new) => {
                    prop_assert!(valid && after < new && high.is_none_or(|high| new < high));
                    prop_assert!(!new.ends_with('0'));
                }
                None => prop_assert!(!(valid && apart)),
            }
        }

        #[test]
        fn there_is_always_a_rank_between(places in proptest::collection::vec(any::<proptest::sample::Index>(), 1..200)) {
            let mut ranks: Vec<String> = Vec::new();
            for place in places {
                let at = place.index(ranks.len() + 1);
                let low = at.checked_sub(1).map(|n| ranks[n].as_str());
                let high = ranks.get(at).map(String::as_str);
                let new = between(low, high).unwrap();
                prop_assert!(low.is_none_or(|low| low < new.as_str()), "{:?} {:?} {}", low, high, new);
                prop_assert!(high.is_none_or(|high| new.as_str() < high), "{:?} {:?} {}", low, high, new);
                ranks.insert(at, new);
            }
        }
    }
}
