//! How often something may be tried from one address.

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use super::problem::Failure;

/// Codes that may be tried from one address in a while.
const TRIES: u32 = 20;
/// That while.
const WHILE: Duration = Duration::from_secs(600);
/// Addresses that are remembered.
const ADDRESSES: usize = 10_000;

/// Tries by address.
#[derive(Debug, Default)]
pub(super) struct Guard(Mutex<HashMap<IpAddr, (Instant, u32)>>);

impl Guard {
    /// One more try.
    pub(super) fn take(&self, from: IpAddr) -> Result<(), Failure> {
        self.take_at(from, Instant::now())
    }

    fn take_at(&self, from: IpAddr, now: Instant) -> Result<(), Failure> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if all.len() >= ADDRESSES && !all.contains_key(&from) {
            all.retain(|_, (since, _)| now.duration_since(*since) < WHILE);
            if all.len() >= ADDRESSES {
                return Err(Failure::too_often(60));
            }
        }
        let (since, tries) = all.entry(from).or_insert((now, 0));
        if now.duration_since(*since) >= WHILE {
            (*since, *tries) = (now, 0);
        }
        *tries = tries.saturating_add(1);
        if *tries > TRIES {
            let left = WHILE.saturating_sub(now.duration_since(*since)).as_secs();
            return Err(Failure::too_often(u32::try_from(left).unwrap_or(60).max(1)));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn after_so_many_tries_an_address_waits_and_others_do_not() {
        let guard = Guard::default();
        let (one, other) = (IpAddr::from([10, 0, 0, 1]), IpAddr::from([10, 0, 0, 2]));
        let begin = Instant::now();
        let tried = (0..1_000).filter(|_| guard.take_at(one, begin).is_ok()).count();
        assert_eq!(tried, TRIES as usize);
        assert!(guard.take_at(other, begin).is_ok());
        assert!(guard.take_at(one, begin + WHILE - Duration::from_secs(1)).is_err());
        assert!(guard.take_at(one, begin + WHILE).is_ok());
    }
}
