//! While the records can't be written, copies wait in memory: shown, marked as not saved, and saved in their order when
//! the records can be written again.

use yadori_core::RefusalReason;
use yadori_core::history::stored::Held;

use crate::writer::announce::Told;
use crate::writer::captures::refusal_of;
use crate::writer::change::Capture;
use crate::writer::error::WriteError;
use crate::writer::mode::Mode;
use crate::writer::worker::Writer;

/// Bytes of copies that may wait in memory.
const WAITING_CAP: u64 = 256 * 1024 * 1024;
/// Copies that may wait in memory, however small.
const WAITING_COPIES: usize = 100_000;

impl Writer {
    /// A copy that can't be saved now is shown as not saved and kept in memory, as far as there is room.
    pub(super) fn wait(&mut self, one: Capture) {
        let full = self.waiting_bytes + one.bytes() > WAITING_CAP || self.waiting.len() >= WAITING_COPIES;
        if let Some(done) = one.done {
            // Whoever adds a clip by hand wants to know that it is on disk.
            let _ = done.send(Err(self.unavailable()));
            return;
        }
        if full {
            self.announce_refusal(&refusal_of(&one, RefusalReason::NoRoom));
            return;
        }
        self.show_unsaved(&one);
        self.waiting_bytes += one.bytes();
        self.waiting.push_back(one);
        self.count_waiting();
    }

    pub(super) fn wait_first(&mut self, one: Capture) {
        if let Some(done) = one.done {
            let _ = done.send(Err(self.unavailable()));
            return;
        }
        self.show_unsaved(&one);
        self.waiting_bytes += one.bytes();
        self.waiting.push_front(one);
        self.count_waiting();
    }

    fn show_unsaved(&mut self, one: &Capture) {
        let id = one.copied.id;
        let (shown, saved, newest) = {
            let history = self.app.clips.history();
            let saved = history.get(id).is_none_or(|clip| clip.held != Held::Waiting);
            (history.stored(id), saved, history.newest())
        };
        if saved {
            self.on_disk.entry(id).or_insert_with(|| shown.clone());
        }
        self.app.at_hand.keep_waiting(&one.contents);
        let clip = self.after(one, shown, newest);
        let text = one.text.as_deref().filter(|_| !self.app.clips.has_whole_text(id));
        self.settle(clip, false, text, Told::Copied);
        self.settle_live(one);
    }

    pub(super) fn count_waiting(&self) {
        let unsaved = self.waiting.len() as u64;
        self.app.health.change(|health| health.unsaved = unsaved);
    }

    /// Saves what waits, oldest first. Each copy alone, so that one that is refused does not hold up the others.
    pub(super) async fn flush(&mut self) {
        self.mode = Mode::Ready;
        while let Some(one) = self.waiting.pop_front() {
            self.waiting_bytes = self.waiting_bytes.saturating_sub(one.bytes());
            if !self.save_one(one).await {
                return;
            }
        }
        self.record_handed().await;
        self.on_disk.clear();
        self.app.at_hand.none_wait();
        self.count_waiting();
        self.is_back();
    }

    /// The service ends.
    pub(super) async fn stop(&mut self) {
        if self.mode == Mode::Away {
            self.flush().await;
        }
        if !self.waiting.is_empty() {
            tracing::error!("{} copies could not be saved before the end", self.waiting.len());
        }
    }

    /// A copy that someone waits for is told that the service ends.
    pub(super) fn answer_stopping(one: Capture) {
        if let Some(done) = one.done {
            let _ = done.send(Err(WriteError::Stopping));
        }
    }
}
