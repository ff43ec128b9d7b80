//! How long to wait before the next try.

use std::time::Duration;

/// After the first failure.
const FIRST: Duration = Duration::from_millis(500);
/// At most.
const LONGEST: Duration = Duration::from_secs(60);

/// How often in a row the hub could not be reached.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Pause(u32);

impl Pause {
    /// It was reached.
    pub fn reached(&mut self) {
        self.0 = 0;
    }

    /// It was not. Gives how long to wait: twice as long each time, between half of that and all of it, so that many devices
    /// do not come at once. `random`: any number.
    pub fn failed(&mut self, random: u32) -> Duration {
        let whole = FIRST.saturating_mul(1 << self.0.min(16)).min(LONGEST);
        self.0 = self.0.saturating_add(1);
        let half = whole / 2;
        half + half.mul_f64(f64::from(random) / f64::from(u32::MAX))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn it_grows_to_a_minute_and_begins_anew_once_it_was_reached(random: Vec<u32>) {
            let mut pause = Pause::default();
            let mut before = Duration::ZERO;
            for (n, random) in random.into_iter().enumerate() {
                let wait = pause.failed(random);
                let whole = FIRST.saturating_mul(1 << n.min(16)).min(LONGEST);
                prop_assert!(wait >= whole / 2 && wait <= whole, "{:?} of {:?}", wait, whole);
                prop_assert!(wait * 2 >= before);
                before = wait;
            }
            pause.reached();
            prop_assert!(pause.failed(0) == FIRST / 2);
        }
    }
}
