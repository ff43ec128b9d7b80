//! How programs paste that are told to by keys: how long they take, how often they ask for the content. And how they
//! select.

use std::time::Duration;

/// How long what is selected must have been left alone: it grows as the mouse moves.
pub(crate) const SELECTED_FOR: Duration = Duration::from_millis(300);
/// How long a program may take to ask for what it is to paste.
pub(crate) const ASKING: Duration = Duration::from_secs(1);
/// How long it must have been quiet once a program has asked as often as it is known to ask for one paste: browsers ask
/// twice for the content, and often for what there is. At least so long, and as long as it took to ask for the first time: on
/// a busy machine everything takes its time.
pub(crate) const QUIET: Duration = Duration::from_millis(12);
const LONGEST_QUIET: Duration = Duration::from_millis(200);
/// How long it must have been quiet while a program is not known yet.
const UNKNOWN: Duration = Duration::from_millis(400);
/// How long, when it has asked less often than it did before: what is put on the clipboard before it asks once more would
/// make it paste nothing.
const EXPECTED: Duration = Duration::from_secs(1);
/// How long a person may keep the keys of a chord down, and a window may take to come to the front.
pub(crate) const RELEASE: Duration = Duration::from_millis(700);
/// How long programs are given to hear that there is something new on the clipboard, before they are asked to paste it: a
/// browser that hears of it in the middle of its paste pastes nothing.
const NEWS: Duration = Duration::from_millis(15);
/// How long a program is given to go on to the next field, after the key that leads there: a browser that is told to paste while
/// it does so pastes nothing.
const GOING_ON: Duration = Duration::from_millis(60);
/// However slow everything is, no longer than this.
const SLOWEST: Duration = Duration::from_millis(500);
/// How often something is taken for one paste: another program may copy while it is waited for the keys and the window.
pub(crate) const TAKES: u32 = 5;
/// How often the keys and the window in front are looked at meanwhile.
pub(crate) const LOOK: Duration = Duration::from_millis(3);

/// How often a program asks for the content of one paste.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Habit {
    asks: u32,
    /// It was waited for longer, and it asked less often: once may be a paste that came to nothing.
    fewer: Option<u32>,
}

impl Habit {
    /// A paste has ended, for which it asked so often. A person who pastes at the same moment makes it more; what is seen
    /// twice in a row counts again.
    pub(crate) fn seen(&mut self, count: u32) {
        if count >= self.asks || self.fewer == Some(count) {
            *self = Self { asks: count, fewer: None };
        } else {
            self.fewer = Some(count);
        }
    }
}

/// How fast programs do what keys tell them to, as the last paste has shown: on a busy machine both pauses grow with it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Pace(Duration);

impl Pace {
    /// So long after the keys the content was asked for.
    pub(crate) fn seen(&mut self, took: Duration) {
        self.0 = took;
    }

    /// How long programs are given to hear that there is something new on the clipboard.
    pub(crate) fn news(self) -> Duration {
        NEWS.max(self.0 / 2).min(SLOWEST)
    }

    /// How long a program is given to go on to the next field.
    pub(crate) fn going_on(self) -> Duration {
        GOING_ON.max(self.0 * 2).min(SLOWEST)
    }
}

/// How long it must have been quiet for a paste to be over, for which a program has asked so often, `first` after the keys.
pub(crate) fn quiet_after(habit: Option<&Habit>, count: u32, first: Duration) -> Duration {
    match habit {
        Some(habit) if habit.asks <= count => first.clamp(QUIET, LONGEST_QUIET),
        Some(_) => EXPECTED,
        None => UNKNOWN,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pauses_are_as_usual_where_programs_are_fast_grow_with_how_slow_they_are_and_have_an_end() {
        let mut pace = Pace::default();
        let mut last = (NEWS, GOING_ON);
        for took in (0..3_000).map(Duration::from_millis) {
            pace.seen(took);
            let (news, going_on) = (pace.news(), pace.going_on());
            if took <= GOING_ON / 2 {
                assert_eq!((news, going_on), (NEWS, GOING_ON));
            }
            assert!(going_on >= SLOWEST.min(took * 2) && news >= SLOWEST.min(took / 2));
            assert!(news >= last.0 && going_on >= last.1 && going_on <= SLOWEST && news <= SLOWEST);
            last = (news, going_on);
        }
        pace.seen(Duration::from_millis(5));
        assert_eq!(pace.going_on(), GOING_ON, "it is as fast as before");
    }

    #[test]
    fn what_a_program_asks_for_is_learned_and_unlearned() {
        let mut habit = Habit::default();
        let mut after = |counts: &[u32]| {
            counts.iter().for_each(|count| habit.seen(*count));
            habit.asks
        };
        assert_eq!(after(&[2, 2]), 2);
        assert_eq!(after(&[1]), 2, "one that came to nothing changes nothing");
        assert_eq!(after(&[2, 1, 2]), 2);
        assert_eq!(after(&[4]), 4, "somebody pasted at the same moment");
        assert_eq!(after(&[2, 2]), 2);
    }
}
