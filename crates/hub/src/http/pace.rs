//! How many requests a group may make: a bucket that fills at a steady rate.

use std::num::NonZeroUsize;
use std::sync::{Mutex, PoisonError};
use std::time::Instant;

use lru::LruCache;

use super::problem::Failure;

/// Groups that are remembered. Who was forgotten has a full bucket.
const GROUPS: NonZeroUsize = NonZeroUsize::new(16_384).unwrap();
/// A full bucket holds the requests of so many seconds.
const FULL: f64 = 10.0;

/// Requests left, by group.
#[derive(Debug)]
pub(super) struct Pace {
    a_second: f64,
    left: Mutex<LruCache<[u8; 16], (Instant, f64)>>,
}

impl Pace {
    /// So many requests a second for each group, in the long run.
    pub(super) fn of(a_second: u32) -> Self {
        Self { a_second: f64::from(a_second.max(1)), left: Mutex::new(LruCache::new(GROUPS)) }
    }

    /// One more request.
    pub(super) fn take(&self, group: [u8; 16]) -> Result<(), Failure> {
        self.take_at(group, Instant::now())
    }

    fn take_at(&self, group: [u8; 16], now: Instant) -> Result<(), Failure> {
        let mut all = self.left.lock().unwrap_or_else(PoisonError::into_inner);
        let full = self.a_second * FULL;
        let (since, left) = all.get_or_insert_mut(group, || (now, full));
        *left = full.min(*left + now.saturating_duration_since(*since).as_secs_f64() * self.a_second);
        *since = now;
        if *left < 1.0 {
            return Err(Failure::too_fast());
        }
        *left -= 1.0;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use super::*;

    #[test]
    fn a_group_that_asks_too_much_waits_and_others_do_not() {
        let (pace, begin) = (Pace::of(5), Instant::now());
        let asked = |group: u8, after: u64| {
            let now = begin + Duration::from_secs(after);
            (0..1_000).filter(|_| pace.take_at([group; 16], now).is_ok()).count()
        };
        assert_eq!(asked(1, 0), 50);
        assert_eq!(asked(1, 0), 0);
        assert_eq!(asked(2, 0), 50, "another group");
        assert_eq!(asked(1, 3), 15, "what three seconds bring");
        assert_eq!(asked(1, 1_000), 50, "never more than a full bucket");
    }
}
