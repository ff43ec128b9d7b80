//! Events for whoever listens: numbered, kept for a while, so that a listener that lost its connection goes on where it
//! was, or learns that it can't. What is kept holds ids and places and no words: those are added when an event is sent,
//! from what is known of the clip then.

use std::collections::VecDeque;
use std::future::Future;
use std::sync::{Mutex, PoisonError};

use tokio::sync::{broadcast, watch};
use yadori_core::{BatchId, ClipId};
use yadori_store::RefusalRow;

/// How many events are kept for those who come back.
const KEPT: usize = 2_048;

/// What happened, without words.
#[derive(Clone, Debug)]
pub enum Happening {
    /// A clip is new, was copied again, changed, or was saved.
    Clip {
        /// Which.
        id: ClipId,
        /// Its place before.
        before: Option<u64>,
        /// Its place after.
        place: u64,
        /// The state of the history after this.
        revision: u64,
        /// It was copied, or brought in, just now.
        copied: bool,
    },
    /// A clip has left the history.
    Gone {
        /// Which.
        id: ClipId,
        /// Its place before.
        before: u64,
        /// The state of the history after this.
        revision: u64,
    },
    /// How things stand has changed.
    Status,
    /// A copy was not kept.
    Refused(RefusalRow),
    /// Drawers, favorites or their order have changed; the drawers that changed themselves.
    Kept(Vec<String>),
    /// Batches have changed, or were handed out: these.
    Batches(Vec<BatchId>),
    /// Everything is to be read anew.
    Reset,
}

/// An event and its number.
pub type Numbered = (u64, Happening);

/// All events of one run of the service.
#[derive(Debug)]
pub struct Events {
    epoch: String,
    past: Mutex<(u64, VecDeque<Numbered>)>,
    live: broadcast::Sender<Numbered>,
    forgetting: watch::Sender<()>,
}

/// What a listener gets first, and from where it goes on.
#[derive(Debug)]
pub struct Listening {
    /// Events it missed; `None` when it must begin anew.
    pub missed: Option<Vec<Numbered>>,
    /// The number of the newest event at this moment.
    pub newest: u64,
    /// Events from now on.
    pub live: broadcast::Receiver<Numbered>,
}

impl Events {
    /// No event yet. `epoch` names this run of the service.
    pub fn new(epoch: String) -> Self {
        Self {
            epoch,
            past: Mutex::default(),
            live: broadcast::channel(KEPT).0,
            forgetting: watch::Sender::new(()),
        }
    }

    /// The name of this run.
    pub fn epoch(&self) -> &str {
        &self.epoch
    }

    /// Something that was removed has come to its end: the buffers of connections that told of it are let go of.
    /// Listeners connect anew, and go on where they were.
    pub fn forget(&self) {
        self.forgetting.send_replace(());
    }

    /// Waits until connections are to be let go of.
    pub fn until_forgetting(&self) -> impl Future<Output = ()> + Send + use<> {
        let mut forgetting = self.forgetting.subscribe();
        async move {
            if forgetting.changed().await.is_err() {
                std::future::pending::<()>().await;
            }
        }
    }

    /// Sends an event to everybody.
    pub fn send(&self, event: Happening) {
        let mut past = self.past.lock().unwrap_or_else(PoisonError::into_inner);
        past.0 += 1;
        let numbered = (past.0, event);
        past.1.push_back(numbered.clone());
        if past.1.len() > KEPT {
            past.1.pop_front();
        }
        let _ = self.live.send(numbered); // under the lock, so that order holds
    }

    /// Listens from the event whose id (`EPOCH-NUMBER`) was the last one seen, or from now.
    pub fn listen(&self, last_seen: Option<&str>) -> Listening {
        let past = self.past.lock().unwrap_or_else(PoisonError::into_inner);
        let missed = match last_seen {
            None => Some(Vec::new()),
            Some(id) => self.since(id, &past),
        };
        Listening { missed, newest: past.0, live: self.live.subscribe() }
    }

    fn since(&self, id: &str, past: &(u64, VecDeque<Numbered>)) -> Option<Vec<Numbered>> {
        let number: u64 = id.strip_prefix(&self.epoch)?.strip_prefix('-')?.parse().ok()?;
        let oldest_needed = number + 1;
        let have = past.1.front().map_or(past.0 + 1, |(first, _)| *first);
        (number <= past.0 && oldest_needed >= have)
            .then(|| past.1.iter().filter(|(n, _)| *n > number).cloned().collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn numbers(listening: &Listening) -> Option<Vec<u64>> {
        listening.missed.as_ref().map(|missed| missed.iter().map(|(n, _)| *n).collect())
    }

    #[test]
    fn a_listener_goes_on_where_it_was() {
        let events = Events::new("e".into());
        (0..5).for_each(|_| events.send(Happening::Reset));
        assert_eq!(numbers(&events.listen(None)), Some(vec![]));
        assert_eq!(numbers(&events.listen(Some("e-3"))), Some(vec![4, 5]));
        assert_eq!(numbers(&events.listen(Some("e-5"))), Some(vec![]));
        assert_eq!(numbers(&events.listen(Some("e-0"))), Some(vec![1, 2, 3, 4, 5]));
    }

    #[test]
    fn a_listener_of_another_run_or_too_far_behind_begins_anew() {
        let events = Events::new("e".into());
        (0..KEPT + 10).for_each(|_| events.send(Happening::Reset));
        for id in ["d-3", "e-3", "e-99999999", "nonsense", ""] {
            assert_eq!(numbers(&events.listen(Some(id))), None, "{id}");
        }
    }
}
