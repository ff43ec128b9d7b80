//! Ranks: places in an order that a person makes by hand. A rank is a text over 62 digits that sorts by its bytes;
//! between any two there is always another, so that a move writes one clip alone.

const DIGITS: &[u8; 62] = b"0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz";
/// Ranks longer than this are given out anew, the whole list evenly.
pub const LONGEST: usize = 40;

fn value(byte: Option<&u8>) -> Option<usize> {
    DIGITS.iter().position(|digit| Some(digit) == byte)
}

/// A rank after `low` and before `high`; `None` stands for the ends. Bounds that are no ranks, or in the wrong order,
/// count as ends.
pub fn between(low: Option<&str>, high: Option<&str>) -> String {
    let low = low.filter(|low| high.is_none_or(|high| *low < high)).unwrap_or("").as_bytes();
    let mut high = high.map(str::as_bytes);
    let mut out = Vec::new();
    for n in 0.. {
        let floor = value(low.get(n)).unwrap_or(0);
        let ceiling = high.map_or(DIGITS.len(), |high| value(high.get(n)).unwrap_or(0));
        if floor == ceiling {
            out.push(DIGITS[floor]);
            continue;
        }
        if ceiling.saturating_sub(floor) > 1 {
            // At an open end steps are small, so that many can follow; between two, the middle.
            let step = match (low.is_empty(), high.is_some()) {
                (false, false) => 1,
                (true, true) => ceiling - floor - 1,
                _ => (ceiling - floor) / 2,
            };
            let chosen = floor + step;
            out.push(DIGITS[chosen.min(DIGITS.len() - 1)]);
            break;
        }
        // Neighbours: stay with the lower one and go on after it, with nothing above.
        out.push(DIGITS[floor]);
        high = None;
    }
    // A rank never ends with the lowest digit: there must be room below it.
    if out.last() == Some(&DIGITS[0]) {
        out.push(DIGITS[DIGITS.len() / 2]);
    }
    String::from_utf8(out).unwrap_or_default()
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
            let next = between(last.as_deref(), None);
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
        assert!(between(Some(&ranks[0]), Some(&ranks[1])) < ranks[1]);
    }

    proptest! {
        #[test]
        fn there_is_always_a_rank_between(places in proptest::collection::vec(any::<proptest::sample::Index>(), 1..200)) {
            let mut ranks: Vec<String> = Vec::new();
            for place in places {
                let at = place.index(ranks.len() + 1);
                let low = at.checked_sub(1).map(|n| ranks[n].as_str());
                let high = ranks.get(at).map(String::as_str);
                let new = between(low, high);
                prop_assert!(low.is_none_or(|low| low < new.as_str()), "{:?} {:?} {}", low, high, new);
                prop_assert!(high.is_none_or(|high| new.as_str() < high), "{:?} {:?} {}", low, high, new);
                ranks.insert(at, new);
            }
        }
    }
}
