//! How things health: capture, records, the live clipboard, what was refused.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};

use tokio::sync::Notify;
use yadori_api as api;
use yadori_core::{ClipId, Micros};
use yadori_desk::{ChordHeard, DeskState};
use yadori_store::RefusalRow;

/// How many refusals are remembered.
pub const REFUSALS: usize = 20;

/// What an ordinary paste would insert.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LiveNow {
    /// Nothing has been seen yet.
    Unknown,
    /// Nothing.
    Empty,
    /// A copy made at this time, which is being read or saved.
    Pending(Micros),
    /// A clip, perhaps taken as plain text.
    Clip(ClipId, bool),
    /// An item of a batch.
    Item,
    /// Something that is not kept.
    Unkept,
}

/// How many of the copies before are known.
const BEFORE: usize = 64;

/// The copy that another program made last: it may be pasteable again after that program has ended.
#[derive(Clone, Copy, Debug)]
pub struct Theirs {
    /// When it was made, as the desk tells it.
    pub seen: Micros,
    /// When it was made, as it is recorded.
    pub at: Micros,
    /// What has become of it.
    pub is: LiveNow,
}

/// How things stand at one moment.
#[derive(Clone, Debug)]
pub struct HealthNow {
    /// The desk; `None` when capture is off.
    pub desk: Option<DeskState>,
    /// The records.
    pub database: api::Database,
    /// What an ordinary paste would insert.
    pub live: LiveNow,
    /// The copy that another program made last.
    pub theirs: Option<Theirs>,
    /// Those before it, the newest last: one of them may be what is there once more.
    pub before: VecDeque<Theirs>,
    /// Where the console is served, or why not.
    pub console: Result<String, String>,
    /// Clips waiting in memory.
    pub unsaved: u64,
    /// The newest copy.
    pub last_copy_at: Option<Micros>,
    /// Copies that were not kept, newest first.
    pub refusals: VecDeque<RefusalRow>,
    /// Contents that the last check found damaged.
    pub damaged: u64,
    /// The chords, heard or not.
    pub chords: Vec<ChordHeard>,
    /// What the chord that was pressed last did not do.
    pub hitch: Option<api::Hitch>,
    /// What another device sent to this one last.
    pub brought: Option<api::Brought>,
    /// What takes a while and is under way.
    pub work: Option<Work>,
    /// How many clips the limits would take, and why they wait.
    pub waits: Option<(u64, &'static str)>,
    /// What the private database takes on the disk.
    pub space: Option<api::Space>,
}

/// What takes a while, and how far it has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Work {
    /// In words.
    pub what: &'static str,
    /// Clips that are done.
    pub done: u64,
    /// Of how many.
    pub of: u64,
}

impl HealthNow {
    /// Another program has copied, or what it copied at that time is there once more.
    pub fn copied(&mut self, seen: Micros) {
        let fresh = Theirs { seen, at: seen, is: LiveNow::Pending(seen) };
        let known = self.of_theirs().find(|one| one.seen == seen).copied();
        let theirs = known.unwrap_or(fresh);
        self.before.retain(|one| one.seen != seen);
        if let Some(last) = self.theirs.replace(theirs).filter(|last| last.seen != seen) {
            if self.before.len() >= BEFORE {
                self.before.pop_front();
            }
            self.before.push_back(last);
        }
        self.live = theirs.is;
    }

    fn of_theirs(&mut self) -> impl Iterator<Item = &mut Theirs> {
        self.theirs.iter_mut().chain(&mut self.before)
    }

    /// It is recorded under another time than the desk's.
    pub fn dated(&mut self, seen: Micros, at: Micros) {
        for theirs in self.of_theirs().filter(|theirs| theirs.seen == seen) {
            theirs.at = at;
            theirs.is = LiveNow::Pending(at);
        }
        if self.live == LiveNow::Pending(seen) {
            self.live = LiveNow::Pending(at);
        }
    }

    /// What has become of the copy of this time.
    pub fn settled(&mut self, at: Micros, is: LiveNow) {
        self.of_theirs().filter(|theirs| theirs.at == at).for_each(|theirs| theirs.is = is);
        if self.live == LiveNow::Pending(at) {
            self.live = is;
        }
    }

    /// The copy is pasteable again that another program made at this time and took with it when it ended.
    pub fn taken_over(&mut self, seen: Micros) {
        self.live =
            self.theirs.filter(|theirs| theirs.seen == seen).map_or(LiveNow::Unkept, |theirs| theirs.is);
    }
}

/// How things stand, now and from now on.
#[derive(Debug)]
pub struct Health {
    health: Mutex<HealthNow>,
    changed: Notify,
}

impl Health {
    /// At the start.
    pub fn new(captures: bool) -> Self {
        let health = HealthNow {
            desk: captures.then_some(DeskState::Connecting),
            database: api::Database { state: api::DatabaseState::Starting, reason: None },
            live: LiveNow::Unknown,
            theirs: None,
            before: VecDeque::new(),
            console: Err("the console is not served yet".into()),
            unsaved: 0,
            last_copy_at: None,
            refusals: VecDeque::new(),
            damaged: 0,
            chords: Vec::new(),
            hitch: None,
            brought: None,
            work: None,
            waits: None,
            space: None,
        };
        Self { health: Mutex::new(health), changed: Notify::new() }
    }

    /// Changes how things stand; listeners are told.
    pub fn change<T>(&self, change: impl FnOnce(&mut HealthNow) -> T) -> T {
        let out = change(&mut self.health.lock().unwrap_or_else(PoisonError::into_inner));
        self.touch();
        out
    }

    /// How things stand now.
    pub fn now(&self) -> HealthNow {
        self.health.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Something that status tells has changed elsewhere.
    pub fn touch(&self) {
        self.changed.notify_one();
    }

    /// Waits for a change.
    pub async fn changed(&self) {
        self.changed.notified().await;
    }

    /// The records, in a word and in words.
    pub fn set_database(&self, state: api::DatabaseState, reason: Option<String>) {
        self.change(|health| health.database = api::Database { state, reason });
    }

    /// A copy was not kept.
    pub fn refused(&self, row: &RefusalRow) {
        self.change(|health| {
            health.refusals.push_front(row.clone());
            health.refusals.truncate(REFUSALS);
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_taken_over_is_what_has_become_of_the_copy_whenever_that_is_known() {
        let clip = LiveNow::Clip(ClipId([7; 16]), false);
        for settled_first in [true, false] {
            Health::new(true).change(|now| {
                now.copied(5);
                now.dated(5, 6);
                if settled_first {
                    now.settled(6, clip);
                }
                now.live = LiveNow::Empty;
                now.taken_over(5);
                now.settled(6, clip);
                assert_eq!(now.live, clip);
                now.taken_over(4);
                assert_eq!(now.live, LiveNow::Unkept);
            });
        }
    }

    #[test]
    fn a_copy_that_is_there_once_more_is_what_it_was_whenever_that_is_known() {
        let clip = |n| LiveNow::Clip(ClipId([n; 16]), false);
        for settled_first in [true, false] {
            Health::new(true).change(|now| {
                for at in 1..=8 {
                    now.copied(i64::from(at) * 10);
                    now.dated(i64::from(at) * 10, i64::from(at) * 10 + 1);
                }
                (1..=8)
                    .filter(|_| settled_first)
                    .for_each(|at| now.settled(i64::from(at) * 10 + 1, clip(at)));
                now.copied(30);
                (1..=8).for_each(|at| now.settled(i64::from(at) * 10 + 1, clip(at)));
                assert_eq!(now.live, clip(3));
                now.live = LiveNow::Empty;
                now.taken_over(30);
                assert_eq!(now.live, clip(3));
                // However many there were: what is not known any more is being found out.
                (100..1_000).for_each(|at| now.copied(at));
                assert_eq!(now.before.len(), BEFORE);
                now.copied(80);
                assert_eq!(now.live, LiveNow::Pending(80));
            });
        }
    }
}
