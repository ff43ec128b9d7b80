//! The wall clock, which may jump, and a steady one, which does not.

use rustix::time::{ClockId, clock_gettime};
use yadori_core::Micros;

/// Microseconds since the Unix epoch, by the wall clock.
pub fn now() -> Micros {
    let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap_or_default();
    Micros::try_from(since.as_micros()).unwrap_or(Micros::MAX)
}

/// A clock that begins with the wall clock's time and then runs evenly, also while the computer sleeps, whatever becomes
/// of the wall clock.
#[derive(Clone, Copy, Debug)]
pub struct SteadyClock {
    began_at: Micros,
    began: Micros,
}

impl SteadyClock {
    /// A clock that begins now.
    pub fn begin() -> Self {
        Self { began_at: now(), began: since_boot() }
    }

    /// The time by this clock.
    pub fn now(&self) -> Micros {
        self.began_at.saturating_add(since_boot() - self.began)
    }

    /// A moment that an earlier run recorded by the wall clock: at most the beginning of this clock, since it lies
    /// before it, whatever the wall clock said.
    pub fn recorded(&self, at: Micros) -> Micros {
        at.min(self.began_at)
    }
}

/// Microseconds since the computer was started, sleep included (CLOCK_BOOTTIME of Linux).
fn since_boot() -> Micros {
    let time = clock_gettime(ClockId::Boottime);
    time.tv_sec.saturating_mul(1_000_000).saturating_add(time.tv_nsec / 1_000)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_recorded_with_a_clock_that_was_ahead_counts_as_of_the_start() {
        let clock = SteadyClock::begin();
        let year = 365 * 86_400 * 1_000_000;
        assert_eq!(clock.recorded(now() + year), clock.began_at);
        assert_eq!(clock.recorded(5), 5);
        assert!(clock.now() >= clock.began_at && clock.now() < clock.began_at + 60_000_000);
    }
}
