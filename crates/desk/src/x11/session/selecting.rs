//! What is selected and not copied (the selection PRIMARY, ICCCM section 2.6.1.1), where that is wanted: read once it has
//! been left alone for a moment. One movement of the mouse may select forty times.

use std::sync::atomic::Ordering;
use std::time::Instant;

use x11rb::connection::Connection as _;
use x11rb::errors::ConnectionError;
use x11rb::protocol::xfixes::{ConnectionExt as _, SelectionEventMask, SelectionNotifyEvent};
use x11rb::protocol::xproto::{AtomEnum, ConnectionExt as _, KeyButMask, Timestamp, Window};

use super::{Session, X};
use crate::habit::SELECTED_FOR;
use crate::now;

/// A selection that may still grow.
pub(super) struct Selected {
    owner: Window,
    time: Timestamp,
    until: Instant,
}

impl Session<'_> {
    /// Hears of selections from now on, or does not any more.
    pub(super) fn watch_selected(&mut self) -> X<()> {
        let wanted = self.inbox.keys().intake.selected;
        let mask =
            if wanted { SelectionEventMask::SET_SELECTION_OWNER } else { SelectionEventMask::from(0u32) };
        self.conn.xfixes_select_selection_input(self.serving, AtomEnum::PRIMARY.into(), mask)?;
        if !wanted {
            self.selected = None;
        }
        Ok(())
    }

    pub(super) fn was_selected(&mut self, event: &SelectionNotifyEvent) {
        let (owner, time) = (event.owner, event.selection_timestamp);
        // What is selected while it is paused is not read afterwards either.
        let paused = self.inbox.paused.load(Ordering::SeqCst);
        let theirs = owner != 0 && owner != self.serving && !paused;
        self.selected = theirs.then(|| Selected { owner, time, until: Instant::now() + SELECTED_FOR });
    }

    pub(super) fn selected_deadline(&self) -> Option<Instant> {
        self.selected.as_ref().map(|selected| selected.until)
    }

    /// Reads what has been left alone; while a button of the mouse is held it may still grow.
    pub(super) fn read_selected(&mut self) -> X<()> {
        let Some(selected) = self.selected.take_if(|selected| selected.until <= Instant::now()) else {
            return Ok(());
        };
        let pointer = self.conn.query_pointer(self.root)?.reply();
        if pointer.is_ok_and(|pointer| pointer.mask.contains(KeyButMask::BUTTON1)) {
            self.selected = Some(Selected { until: Instant::now() + SELECTED_FOR, ..selected });
            return Ok(());
        }
        let paused = self.inbox.paused.load(Ordering::SeqCst);
        if paused || self.is_compositors(selected.owner) {
            return Ok(());
        }
        let window = self.conn.generate_id().map_err(|_| ConnectionError::UnknownError)?;
        self.ask_owner(window, selected.owner, (selected.time, now()), super::Which::Selected)
    }
}
