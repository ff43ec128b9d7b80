//! While the records can't be written: copies wait in memory, and a probe finds out when writing works again.

use std::time::Duration;

use yadori_api as api;
use yadori_core::Clip;
use yadori_store::{ClipRow, CommitError, RefusalRow};

use super::{ActError, Capture, Change, Keeper, Mode, RESERVE, WAITING_CAP, has_room};

/// How often a database that is away, or a full disk, is looked at.
const PROBE: Duration = Duration::from_millis(200);

impl Keeper {
    /// A copy that can't be saved now is shown as not saved and kept in memory, as far as there is room.
    pub(super) fn wait(&mut self, capture: Capture) {
        if self.waiting_bytes + capture.bytes() > WAITING_CAP {
            let program = capture.reading.offer.source.program.clone();
            self.announce_refusal(&RefusalRow {
                at: capture.at,
                reason: "no-room".into(),
                size: Some(capture.bytes()),
                program,
            });
            if let Some(done) = capture.done {
                let _ = done.send(Err(ActError::Unavailable(
                    "memory for waiting copies is full; free the disk or bring the database back".into(),
                )));
            }
            return;
        }
        if capture.done.is_some() {
            // Whoever adds a clip by hand wants to know that it is on disk.
            let reason = self.reason();
            if let Some(done) = capture.done {
                let _ = done.send(Err(ActError::Unavailable(reason)));
            }
            return;
        }
        self.show_unsaved(&capture);
        self.waiting_bytes += capture.bytes();
        self.waiting.push_back(capture);
        self.count_waiting();
    }

    pub(super) fn wait_first(&mut self, capture: Capture) {
        self.show_unsaved(&capture);
        self.waiting_bytes += capture.bytes();
        self.waiting.push_front(capture);
        self.count_waiting();
    }

    fn show_unsaved(&mut self, capture: &Capture) {
        let id = capture.reading.id;
        if !self.on_disk.contains_key(&id) {
            let known =
                self.app.history().get(id).filter(|clip| clip.saved).map(|clip| ClipRow::from(&**clip));
            self.on_disk.insert(id, known);
        }
        self.app.hold(&capture.contents);
        let planned = self.plan_capture(capture, self.shown(id));
        let text = self.text_of(capture, planned.facts.chars);
        let clip = Clip {
            id,
            state: planned.state,
            facts: planned.facts,
            received_at: planned.received_at,
            saved: false,
        };
        self.put(clip, text.as_deref(), true);
        self.settle_live(capture);
    }

    pub(super) fn count_waiting(&self) {
        let unsaved = self.waiting.len() as u64;
        self.app.stand(|standing| standing.unsaved = unsaved);
    }

    /// The records can't be written: say so, and look until they can.
    pub(super) fn fall_back(&mut self, why: &CommitError) {
        let (mode, state, reason) = match why {
            CommitError::Full => (Mode::Full, api::DatabaseState::Full, "the disk that holds the records is full; free some space and saving goes on by itself".to_owned()),
            CommitError::LeaseLost => (Mode::Lost, api::DatabaseState::Refused, "another Yadori service has taken over this database; stop one of the two, then start this one again".to_owned()),
            why => (Mode::Away, api::DatabaseState::Away, format!("{why}; it is tried again by itself")),
        };
        if self.mode != mode {
            tracing::warn!("saving pauses: {why}");
        }
        self.mode = mode;
        self.app.stand(|standing| standing.database = api::Database { state, reason: Some(reason) });
        let Some(store) = self.store.clone().filter(|_| mode != Mode::Lost) else { return };
        let (app, disk, need) = (self.app.clone(), self.disk.clone(), self.waiting_bytes.min(RESERVE));
        tokio::spawn(async move {
            loop {
                tokio::select! {
                    () = tokio::time::sleep(PROBE) => {}
                    () = app.shutdown.cancelled() => return,
                }
                if has_room(disk.as_deref(), need) && store.heartbeat().await.is_ok() {
                    let _ = app.changes.send(Change::Retry);
                    return;
                }
            }
        });
    }

    pub(super) fn reason(&self) -> String {
        let database = self.app.standing().database;
        database.reason.unwrap_or_else(|| "the database is still starting; try again in a moment".into())
    }

    /// The records answer again: save what waits, oldest first.
    pub(super) async fn retry(&mut self) {
        if !matches!(self.mode, Mode::Away | Mode::Full) {
            return;
        }
        self.flush().await;
    }

    pub(super) async fn flush(&mut self) {
        self.mode = Mode::Ready;
        while let Some(capture) = self.waiting.pop_front() {
            self.waiting_bytes -= capture.bytes();
            if !self.save_one(capture).await {
                return;
            }
        }
        self.app.release(|_| false);
        self.count_waiting();
        self.app.stand(|standing| {
            standing.database = api::Database { state: api::DatabaseState::Ready, reason: None };
        });
        tracing::info!("the records can be written");
    }
}
