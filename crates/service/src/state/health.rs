//! How things health: capture, records, the live clipboard, what was refused.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};

use tokio::sync::Notify;
use yadori_api as api;
use yadori_core::{ClipId, Micros};
use yadori_desk::DeskState;
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
    /// Something that is not kept.
    Unkept,
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
            console: Err("the console is not served yet".into()),
            unsaved: 0,
            last_copy_at: None,
            refusals: VecDeque::new(),
            damaged: 0,
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
