//! Something that takes the longer the more there is, and is wanted again and again: it is done at once where it was not for a
//! while, and else takes a small share of the time.

use std::time::{Duration, Instant};

/// How many times as long as it took nothing is done afterwards.
const REST: u32 = 20;

/// How long nothing is done after what took so long.
pub(crate) fn rest_after(took: Duration) -> Duration {
    took * REST
}

/// When to do it.
#[derive(Debug, Default)]
pub(crate) struct Paced {
    wanted: bool,
    not_before: Option<Instant>,
}

impl Paced {
    /// It is to be done, soon.
    pub(crate) fn want(&mut self) {
        self.wanted = true;
    }

    /// How long it is to wait yet; `None`: it is not wanted.
    pub(crate) fn wait(&self, now: Instant) -> Option<Duration> {
        self.wanted.then(|| self.not_before.map_or(Duration::ZERO, |not| not.saturating_duration_since(now)))
    }

    /// It was done, as it was when it began.
    pub(crate) fn done(&mut self, began: Instant, ended: Instant) {
        self.wanted = false;
        self.not_before = Some(ended + rest_after(ended.saturating_duration_since(began)));
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn however_often_it_is_wanted_it_takes_a_small_share_of_the_time_and_is_done_in_the_end(
            pauses in proptest::collection::vec((0_u64..300, 1_u64..50), 1..200),
        ) {
            let (mut paced, start) = (Paced::default(), Instant::now());
            let (mut now, mut busy, mut longest) = (start, Duration::ZERO, Duration::ZERO);
            prop_assert_eq!(paced.wait(now), None);
            for (pause, takes) in pauses {
                now += Duration::from_millis(pause);
                paced.want();
                if paced.wait(now) == Some(Duration::ZERO) {
                    let began = now;
                    now += Duration::from_millis(takes);
                    paced.done(began, now);
                    busy += now - began;
                    longest = longest.max(now - began);
                    prop_assert_eq!(paced.wait(now), None);
                }
            }
            prop_assert!(busy <= (now - start) / REST + longest, "{busy:?} of {:?}", now - start);
            // What was wanted last is done after a while, and for that it need not be wanted again.
            paced.want();
            let rest = paced.wait(now).expect("it is wanted");
            prop_assert!(rest <= longest * REST);
            prop_assert_eq!(paced.wait(now + rest), Some(Duration::ZERO));
        }
    }
}
