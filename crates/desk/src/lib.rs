//! The live clipboard of this computer: what other programs copy arrives as offers, and what is taken is served back
//! to them with every representation.
//!
//! A [`Desk`] runs on one thread of its own and speaks through [`DeskEvent`]s. There is one for X11 ([`x11`]) and one
//! in memory ([`memory`]) for tests of what is above; both are held to the same contract tests.

pub mod memory;
pub mod x11;

use std::sync::Arc;

use tokio::sync::{mpsc, oneshot};
use yadori_core::{Micros, Offer, Source};

/// What happened on the desktop.
#[derive(Debug, Clone)]
pub enum DeskEvent {
    /// Whether copies can be seen at all.
    State(DeskState),
    /// What the next ordinary paste would insert has changed.
    Live(Live),
    /// A copy was read.
    Copied {
        /// What it is.
        offer: Arc<Offer>,
        /// It was already on the clipboard when the desk began to watch.
        at_start: bool,
    },
    /// A copy was made that is not kept.
    Refused(Refused),
}

/// Whether copies can be seen.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DeskState {
    /// On the way.
    Connecting,
    /// Every copy is seen.
    Watching {
        /// Which display.
        display: String,
    },
    /// Copies are not seen; tried again by itself.
    Lost {
        /// What happened and what to do, in plain words.
        reason: String,
    },
    /// There is no display to watch.
    Absent {
        /// What to do, in plain words.
        reason: String,
    },
}

/// What the next ordinary paste would insert.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Live {
    /// Nothing.
    Empty,
    /// What another program copied at this time; a [`DeskEvent::Copied`] or [`DeskEvent::Refused`] follows, or
    /// [`Live::Empty`] when there is nothing in it.
    Theirs(Micros),
    /// What was last taken.
    Taken,
    /// What a program had copied at this time that has closed since.
    TakenOver(Micros),
}

/// A copy that is not kept.
#[derive(Debug, Clone)]
pub struct Refused {
    /// When it was made.
    pub at: Micros,
    /// Why.
    pub reason: RefusedBecause,
    /// Where it came from.
    pub source: Source,
}

/// Why a copy is not kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RefusedBecause {
    /// Larger than the cap. Carries its size in bytes, as far as it was read.
    TooLarge(u64),
    /// The program asked not to record it, or was gone before that could be read. Nothing else is known of it.
    DoNotRecord,
    /// The program did not answer, or ended while its copy was being read.
    Unreadable,
}

/// Why nothing was taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TakeError {
    /// No display.
    #[error("there is no clipboard to put it on: {0}")]
    NoDisplay(String),
    /// Another program took the clipboard at the same moment.
    #[error("another program took the clipboard at the same moment; try again")]
    Lost,
    /// The desk has ended.
    #[error("the service is stopping")]
    Stopping,
}

pub(crate) enum Command {
    Take(Arc<Offer>, oneshot::Sender<Result<(), TakeError>>),
    Stop,
}

type Send = dyn Fn(Command) -> bool + std::marker::Send + Sync;

/// A running desk.
pub struct Desk {
    send: Box<Send>,
    thread: Option<std::thread::JoinHandle<()>>,
}

impl std::fmt::Debug for Desk {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Desk(..)")
    }
}

/// Where a desk's events go.
pub type DeskEvents = mpsc::UnboundedReceiver<DeskEvent>;

impl Desk {
    /// Puts an offer on the live clipboard. When this returns `Ok`, it is pasteable.
    pub async fn take(&self, offer: Arc<Offer>) -> Result<(), TakeError> {
        let (done, answer) = oneshot::channel();
        if !(self.send)(Command::Take(offer, done)) {
            return Err(TakeError::Stopping);
        }
        answer.await.unwrap_or(Err(TakeError::Stopping))
    }

    /// Ends the desk and waits for its thread.
    pub fn stop(mut self) {
        self.end();
    }

    fn end(&mut self) {
        (self.send)(Command::Stop);
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

impl Drop for Desk {
    fn drop(&mut self) {
        self.end();
    }
}

/// Microseconds since the Unix epoch.
pub(crate) fn now() -> Micros {
    let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap_or_default();
    Micros::try_from(since.as_micros()).unwrap_or(Micros::MAX)
}
