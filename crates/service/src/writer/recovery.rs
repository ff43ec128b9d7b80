//! How the service falls back when changes can't be committed, and comes back.

use tokio::sync::oneshot;
use yadori_api::DatabaseState;
use yadori_store::CommitError;

use crate::records::room::RESERVE;
use crate::writer::error::WriteError;
use crate::writer::mode::{Mode, PROBE};
use crate::writer::worker::Writer;

impl Writer {
    /// The records can't be written: say so, and look until they can.
    pub(super) fn fall_back(&mut self, why: &CommitError) {
        let (mode, state, reason) = match why {
            CommitError::Full => (
                Mode::Away,
                DatabaseState::Full,
                "the disk that holds the records is full; free some space and saving goes on by itself".to_owned(),
            ),
            CommitError::LeaseLost => (
                Mode::Lost,
                DatabaseState::Refused,
                "another Yadori service has taken over this database; stop one of the two, then start this one again"
                    .to_owned(),
            ),
            CommitError::Damaged(_) => (Mode::Away, DatabaseState::Damaged, why.to_string()),
            CommitError::ReadOnly(_) => (Mode::Away, DatabaseState::Refused, why.to_string()),
            why => (Mode::Away, DatabaseState::Away, format!("{why}; it is tried again by itself")),
        };
        if self.mode != mode {
            tracing::warn!("saving pauses: {why}");
        }
        self.mode = mode;
        self.app.health.set_database(state, Some(reason));
        if mode == Mode::Away {
            self.probe = self.start_probe();
        }
    }

    /// Looks beside the writer until the records can be written again.
    fn start_probe(&self) -> Option<oneshot::Receiver<()>> {
        let store = self.store.clone()?;
        let (found, probe) = oneshot::channel();
        let (disk, need) = (self.disk.clone(), self.waiting_bytes.min(RESERVE));
        let shutdown = self.app.shutdown.clone();
        self.app.parts.start("looking for the database", async move {
            loop {
                tokio::select! {
                    () = tokio::time::sleep(PROBE) => {}
                    () = shutdown.cancelled() => return,
                }
                if disk.has_room(need) && store.heartbeat().await.is_ok() {
                    let _ = found.send(());
                    return;
                }
            }
        });
        Some(probe)
    }

    /// Why changes can't be committed.
    pub(super) fn reason(&self) -> String {
        let database = self.app.health.now().database;
        database.reason.unwrap_or_else(|| "the database is still starting; try again in a moment".into())
    }

    pub(super) fn unavailable(&self) -> WriteError {
        WriteError::Unavailable(self.reason())
    }

    pub(super) fn writable(&self) -> Result<(), WriteError> {
        if self.mode == Mode::Ready { Ok(()) } else { Err(self.unavailable()) }
    }

    /// The records answer again: save what waits, oldest first.
    pub(super) async fn come_back(&mut self) {
        self.probe = None;
        if self.mode == Mode::Away {
            self.flush().await;
        }
    }

    pub(super) fn is_back(&mut self) {
        self.mode = Mode::Ready;
        self.app.health.set_database(DatabaseState::Ready, None);
        tracing::info!("the records can be written");
    }
}
