//! Capture that is paused: for a time, or until it is resumed, over restarts too.

use std::path::PathBuf;
use std::sync::{Mutex, PoisonError};

use serde::{Deserialize, Serialize};
use tokio::sync::Notify;
use yadori_core::Micros;

use crate::home::place::write_private;

/// Capture is paused.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Pause {
    /// Since when.
    pub since: Micros,
    /// Until when; `None`: until it is resumed.
    pub until: Option<Micros>,
}

/// Whether capture is paused, and where that is remembered.
#[derive(Debug, Default)]
pub struct Pausing {
    now: Mutex<Option<Pause>>,
    file: Mutex<Option<PathBuf>>,
    changed: Notify,
}

impl Pausing {
    /// What an earlier run left in this file, if it still holds. A file that can't be read pauses: nothing is recorded that a
    /// person may not have wanted to be.
    pub fn remembered(&self, file: PathBuf, now: Micros) {
        let left = match std::fs::read(&file) {
            Ok(bytes) => Some(serde_json::from_slice(&bytes).unwrap_or(Pause { since: now, until: None })),
            Err(_) => None,
        };
        let holds = left.filter(|pause: &Pause| pause.until.is_none_or(|until| until > now));
        if holds.is_none() {
            let _ = std::fs::remove_file(&file);
        }
        *self.file.lock().unwrap_or_else(PoisonError::into_inner) = Some(file);
        *self.now.lock().unwrap_or_else(PoisonError::into_inner) = holds;
    }

    /// The pause that holds now.
    pub fn now(&self) -> Option<Pause> {
        *self.now.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// It is paused so from now on, or (`None`) no longer. It is remembered before it holds.
    ///
    /// # Errors
    /// It can't be remembered; it holds until the service ends.
    pub fn set(&self, pause: Option<Pause>) -> std::io::Result<()> {
        let file = self.file.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let remembered = match (file, pause) {
            (None, _) => Ok(()),
            (Some(file), Some(pause)) => serde_json::to_vec(&pause)
                .map_err(std::io::Error::other)
                .and_then(|bytes| write_private(&file, &bytes)),
            (Some(file), None) => match std::fs::remove_file(file) {
                Err(why) if why.kind() != std::io::ErrorKind::NotFound => Err(why),
                _ => Ok(()),
            },
        };
        *self.now.lock().unwrap_or_else(PoisonError::into_inner) = pause;
        self.changed.notify_one();
        remembered
    }

    /// Waits until something has changed.
    pub async fn changed(&self) {
        self.changed.notified().await;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_pause_outlives_the_service_until_its_time_has_come() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("pause.json");
        let again = |now| {
            let pausing = Pausing::default();
            pausing.remembered(file.clone(), now);
            pausing
        };
        let pausing = again(10);
        assert_eq!(pausing.now(), None);
        let short = Pause { since: 10, until: Some(20) };
        pausing.set(Some(short)).unwrap();
        assert_eq!(again(15).now(), Some(short));
        assert_eq!(again(20).now(), None);
        let long = Pause { since: 30, until: None };
        pausing.set(Some(long)).unwrap();
        assert_eq!(again(1_000_000).now(), Some(long));
        pausing.set(None).unwrap();
        assert_eq!(again(1_000_001).now(), None);
        std::fs::write(&file, "half of").unwrap();
        assert!(again(5).now().is_some_and(|pause| pause.until.is_none()));
    }
}
