//! What the signs show: how capture stands, and how much was copied in this sitting.

use yadori_api::{Capture, CaptureState};
use yadori_core::Micros;
use yadori_words::{counted, word};

/// A sitting ends with a pause of this length, in microseconds.
const SITTING: Micros = 20 * 60 * 1_000_000;

/// How the lamp looks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Lamp {
    /// Copies are kept.
    Lit,
    /// They are not, as the person wants.
    Dark,
    /// They are not.
    Broken,
}

/// What is to be seen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Sight {
    pub(super) lamp: Lamp,
    /// In few words.
    pub(super) words: String,
    /// What to do, where something is wrong.
    pub(super) next: Option<String>,
    /// Copies of this sitting.
    pub(super) count: u64,
    /// Copies wait in memory: none is lost yet.
    waits: bool,
}

impl Sight {
    pub(super) fn of(capture: &Capture, count: u64) -> Self {
        let (lamp, words) = match capture.state {
            CaptureState::Keeping => (Lamp::Lit, word!("keeping copies")),
            CaptureState::Starting => (Lamp::Lit, word!("starting")),
            CaptureState::Waiting => (Lamp::Broken, word!("copies wait in memory")),
            CaptureState::Broken => (Lamp::Broken, word!("copies are not being kept")),
            CaptureState::Off => (Lamp::Dark, word!("switched off")),
            CaptureState::Paused => (Lamp::Dark, word!("paused")),
        };
        let next = capture.reason.clone().filter(|_| lamp == Lamp::Broken);
        let waits = capture.state == CaptureState::Waiting;
        Self { lamp, words: words.to_owned(), next, count, waits }
    }

    /// How long it must last to be worth a word; `None` where nothing is wrong.
    pub(super) fn trouble(&self) -> Option<Micros> {
        (self.lamp == Lamp::Broken).then_some(if self.waits { WAITS } else { LASTS })
    }

    /// With the count, as a line.
    pub(super) fn line(&self) -> String {
        let copies = counted(self.count, "{n} copy this sitting", "{n} copies this sitting");
        format!("{} · {copies}", self.words)
    }
}

/// Counts the copies of a sitting (design: a run of copying with no pause over twenty minutes).
#[derive(Debug, Default)]
pub(super) struct Sitting {
    last: Option<Micros>,
    count: u64,
}

impl Sitting {
    /// Something was copied now.
    pub(super) fn copied(&mut self, now: Micros) {
        self.count = self.count(now) + 1;
        self.last = Some(now);
    }

    /// How much was, in the sitting of now.
    pub(super) fn count(&self, now: Micros) -> u64 {
        let goes_on = self.last.is_some_and(|last| now.saturating_sub(last) <= SITTING);
        if goes_on { self.count } else { 0 }
    }
}

/// Tells of trouble once: when it has lasted a moment, and again only after all was well.
#[derive(Debug, Default)]
pub(super) struct Trouble {
    since: Option<Micros>,
    told: bool,
}

/// How long it must last, in microseconds: a display that is there again at once is not worth a word, nor is a database that
/// takes its time to start, since copies wait in memory meanwhile.
pub(super) const LASTS: Micros = 3_000_000;
const WAITS: Micros = 30_000_000;

impl Trouble {
    /// Looks at it now, which is worth a word once it has lasted so long; `None`: all is well. `Ok` when it is to be told of;
    /// otherwise when to look again.
    pub(super) fn look(&mut self, lasts: Option<Micros>, now: Micros) -> Result<(), Option<Micros>> {
        let Some(lasts) = lasts else {
            *self = Self::default();
            return Err(None);
        };
        let until = *self.since.get_or_insert(now) + lasts;
        if self.told {
            return Err(None);
        }
        if now < until {
            return Err(Some(until));
        }
        self.told = true;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn a_sitting_ends_with_a_pause_of_twenty_minutes() {
        let mut sitting = Sitting::default();
        assert_eq!(sitting.count(5), 0);
        for n in 1..=3 {
            sitting.copied(n * SITTING);
        }
        assert_eq!(sitting.count(3 * SITTING), 3);
        assert_eq!(sitting.count(4 * SITTING), 3);
        assert_eq!(sitting.count(4 * SITTING + 1), 0);
        sitting.copied(4 * SITTING + 1);
        assert_eq!(sitting.count(4 * SITTING + 1), 1);
    }

    proptest! {
        /// However things change: told once at most between two moments of well-being, and never of what did not last.
        #[test]
        fn trouble_is_told_of_once_each_time_and_only_when_it_lasts(steps in prop::collection::vec((any::<bool>(), 0i64..5_000_000), 0..60)) {
            let (mut trouble, mut now) = (Trouble::default(), 0);
            let (mut since, mut told) = (None, 0);
            for (broken, later) in steps {
                now += later;
                let tells = trouble.look(broken.then_some(LASTS), now).is_ok();
                if !broken {
                    prop_assert!(!tells);
                    (since, told) = (None, 0);
                    continue;
                }
                let began = *since.get_or_insert(now);
                prop_assert_eq!(tells, told == 0 && now - began >= LASTS);
                told += u32::from(tells);
            }
        }
    }
}
