//! Taking: owning the clipboard and serving what it holds to other programs (ICCCM sections 2.1, 2.2, 2.6 and 2.7).

use std::sync::Arc;
use std::time::Instant;

use bytes::Bytes;
use tokio::sync::oneshot;
use x11rb::CURRENT_TIME;
use x11rb::connection::Connection as _;
use x11rb::protocol::xproto::{
    Atom, AtomEnum, ChangeWindowAttributesAux, ConnectionExt as _, EventMask, PropMode,
    SELECTION_NOTIFY_EVENT, SelectionNotifyEvent, SelectionRequestEvent, Timestamp, Window,
};
use x11rb::wrapper::ConnectionExt as _;
use yadori_core::Offer;
use yadori_core::take::handing::{Handed, handed};

use super::super::outgoing::{CHUNK, Outgoing};
use super::{Ownership, PendingTake, SAVING, Session, X};
use crate::{DeskEvent, Live, TakeError};

impl Session<'_> {
    pub(super) fn begin_take(
        &mut self,
        offer: Arc<Offer>,
        done: oneshot::Sender<Result<(), TakeError>>,
    ) -> X<()> {
        self.takes.push(PendingTake { offer, done: Some(done) });
        self.ask_time()
    }

    pub(super) fn take_to_paste(&mut self, offer: Arc<Offer>) -> X<()> {
        self.takes.push(PendingTake { offer, done: None });
        self.ask_time()
    }

    /// The clipboard holds nothing from now on (Xlib, `XSetSelectionOwner`: without an owner, whoever had it is told).
    pub(super) fn empty(&mut self) -> X<()> {
        self.conn.set_selection_owner(x11rb::NONE, self.atoms.CLIPBOARD, x11rb::CURRENT_TIME)?;
        self.conn.flush()?;
        Ok(())
    }

    /// The server's time has come: own the clipboard with it (ICCCM section 2.1) and make sure of it.
    pub(super) fn finish_takes(&mut self, time: Timestamp) -> X<()> {
        for take in std::mem::take(&mut self.takes) {
            let owned = self.own(take.offer, time)?;
            match take.done {
                Some(done) => drop(done.send(if owned { Ok(()) } else { Err(TakeError::Lost) })),
                None => self.taken_for_paste(owned, time)?,
            }
        }
        Ok(())
    }

    /// Takes over what a program held that has ended, unless another program has copied since: the server is grabbed
    /// for the moment between looking and taking, since their times may be of the same millisecond. `time` is that of
    /// the ended program's copy (ICCCM section 2.1: an earlier one has no effect).
    pub(super) fn take_over(&mut self, offer: Arc<Offer>, time: Timestamp) -> X<bool> {
        let targets = self.targets_of(&offer)?;
        self.conn.grab_server()?;
        let free =
            self.conn.get_selection_owner(self.atoms.CLIPBOARD)?.reply().is_ok_and(|reply| reply.owner == 0);
        if free {
            self.conn.set_selection_owner(self.serving, self.atoms.CLIPBOARD, time)?;
        }
        self.conn.ungrab_server()?;
        self.conn.flush()?;
        let at = offer.at;
        Ok(free && self.owns(offer, time, targets, Live::TakenOver(at))?)
    }

    fn own(&mut self, offer: Arc<Offer>, time: Timestamp) -> X<bool> {
        let targets = self.targets_of(&offer)?;
        self.conn.set_selection_owner(self.serving, self.atoms.CLIPBOARD, time)?;
        self.owns(offer, time, targets, Live::Taken)
    }

    /// Makes sure of an ownership that was asked for, and says so.
    fn owns(
        &mut self,
        offer: Arc<Offer>,
        time: Timestamp,
        targets: Vec<(Atom, Handed)>,
        live: Live,
    ) -> X<bool> {
        let owner = self
            .conn
            .get_selection_owner(self.atoms.CLIPBOARD)?
            .reply()
            .map(|reply| reply.owner)
            .unwrap_or(0);
        let owned = owner == self.serving;
        if owned {
            self.owned = Some(Ownership { offer, since: time, targets });
            self.say(DeskEvent::Live(live));
        }
        Ok(owned)
    }

    fn targets_of(&mut self, offer: &Offer) -> X<Vec<(Atom, Handed)>> {
        let mut asked = Vec::new();
        for (name, handed) in handed(offer) {
            asked.push((self.conn.intern_atom(false, name.as_bytes())?, handed));
        }
        Ok(asked.into_iter().filter_map(|(atom, handed)| Some((atom.reply().ok()?.atom, handed))).collect())
    }

    fn handed(&self, target: Atom) -> Option<(Arc<Offer>, Handed)> {
        let ownership = self.owned.as_ref()?;
        let (_, handed) = ownership.targets.iter().find(|(known, _)| *known == target)?;
        Some((ownership.offer.clone(), *handed))
    }

    pub(super) fn asked(&mut self, event: &SelectionRequestEvent) -> X<()> {
        if event.selection == self.atoms.CLIPBOARD_MANAGER {
            return self.asked_as_manager(event);
        }
        // Obsolete requestors name no property (ICCCM section 2.2).
        let property = if event.property == 0 { event.target } else { event.property };
        let stale = self
            .owned
            .as_ref()
            .is_none_or(|ownership| event.time != CURRENT_TIME && event.time < ownership.since);
        let primary = event.selection == u32::from(AtomEnum::PRIMARY) && self.has_primary();
        let ours = (event.selection == self.atoms.CLIPBOARD || primary) && !stale;
        if ours && let Some((offer, Handed::Made(picture, encoding))) = self.handed(event.target) {
            return self.make(event, property, offer, (picture, encoding));
        }
        let done = if !ours {
            false
        } else if event.target == self.atoms.MULTIPLE && event.property != 0 {
            self.serve_multiple(event)?
        } else {
            self.serve(event.requestor, event.target, property)?
        };
        self.notify(event, if done { property } else { 0 })
    }

    pub(super) fn notify(&self, event: &SelectionRequestEvent, property: Atom) -> X<()> {
        let word = SelectionNotifyEvent {
            response_type: SELECTION_NOTIFY_EVENT,
            sequence: 0,
            time: event.time,
            requestor: event.requestor,
            selection: event.selection,
            target: event.target,
            property,
        };
        self.conn.send_event(false, event.requestor, EventMask::NO_EVENT, word)?;
        Ok(())
    }

    /// Pairs of target and property. Of those that can't be served the target is set to None (ICCCM section 2.6.2), and the
    /// property as well, which is what some toolkits look at.
    fn serve_multiple(&mut self, event: &SelectionRequestEvent) -> X<bool> {
        let reply =
            self.conn.get_property(false, event.requestor, event.property, AtomEnum::ANY, 0, 4_096)?.reply();
        let Ok(reply) = reply else { return Ok(false) };
        let mut pairs: Vec<Atom> = reply.value32().map(Iterator::collect).unwrap_or_default();
        for pair in pairs.chunks_exact_mut(2) {
            if pair[1] == 0 || !self.serve(event.requestor, pair[0], pair[1])? {
                pair.fill(0);
            }
        }
        self.conn.change_property32(
            PropMode::REPLACE,
            event.requestor,
            event.property,
            self.atoms.ATOM_PAIR,
            &pairs,
        )?;
        Ok(true)
    }

    fn serve(&mut self, requestor: Window, target: Atom, property: Atom) -> X<bool> {
        let Some(ownership) = &self.owned else { return Ok(false) };
        if target == self.atoms.TARGETS {
            let mut names =
                vec![self.atoms.TARGETS, self.atoms.TIMESTAMP, self.atoms.MULTIPLE, self.atoms.SAVE_TARGETS];
            names.extend(ownership.targets.iter().map(|(target, _)| *target));
            self.conn.change_property32(PropMode::REPLACE, requestor, property, AtomEnum::ATOM, &names)?;
            return Ok(true);
        }
        if target == self.atoms.TIMESTAMP {
            self.conn.change_property32(
                PropMode::REPLACE,
                requestor,
                property,
                AtomEnum::INTEGER,
                &[ownership.since],
            )?;
            return Ok(true);
        }
        let bytes = self.handed(target).and_then(|(offer, handed)| handed.bytes(&offer));
        let Some(bytes) = bytes else { return Ok(false) };
        // What is asked for as TEXT is answered in the encoding of the answer's own type (ICCCM section 2.6.2).
        let is_text = matches!(self.name(target)?.as_deref(), Some("TEXT"));
        let kind = if is_text { self.atoms.UTF8_STRING } else { target };
        self.hand(requestor, property, kind, bytes)?;
        Ok(true)
    }

    /// Puts bytes into a property, in chunks if there are many.
    pub(super) fn hand(&mut self, requestor: Window, property: Atom, kind: Atom, bytes: Bytes) -> X<()> {
        if bytes.len() <= CHUNK {
            self.conn.change_property8(PropMode::REPLACE, requestor, property, kind, &bytes)?;
            return Ok(());
        }
        let events = ChangeWindowAttributesAux::new()
            .event_mask(EventMask::PROPERTY_CHANGE | EventMask::STRUCTURE_NOTIFY);
        self.conn.change_window_attributes(requestor, &events)?;
        let size = u32::try_from(bytes.len()).unwrap_or(u32::MAX);
        self.conn.change_property32(PropMode::REPLACE, requestor, property, self.atoms.INCR, &[size])?;
        self.outgoing.retain(|one| (one.requestor, one.property) != (requestor, property));
        self.outgoing.push(Outgoing::new(requestor, property, kind, bytes, self.now_ms()));
        Ok(())
    }

    pub(super) fn chunk_taken(&mut self, window: Window, property: Atom) -> X<()> {
        let now_ms = self.now_ms();
        let Some(n) =
            self.outgoing.iter().position(|one| one.requestor == window && one.property == property)
        else {
            return Ok(());
        };
        match self.outgoing[n].next(now_ms) {
            Some(chunk) => {
                let kind = self.outgoing[n].kind;
                self.conn.change_property8(PropMode::REPLACE, window, property, kind, &chunk)?;
            }
            None => {
                self.outgoing.swap_remove(n);
            }
        }
        Ok(())
    }

    /// A program that is about to close asks for its content to be kept (freedesktop's clipboard manager convention).
    /// Every copy is read when it is made, so the answer waits only for a reading of that program's own that is under way, and
    /// not for long: some programs answer nothing while they wait.
    fn asked_as_manager(&mut self, event: &SelectionRequestEvent) -> X<()> {
        if event.target == self.atoms.SAVE_TARGETS {
            self.saves.push((*event, Instant::now() + SAVING));
            return self.answer_saves();
        }
        let property = if event.property == 0 { event.target } else { event.property };
        if event.target == self.atoms.TARGETS {
            let names = [self.atoms.TARGETS, self.atoms.TIMESTAMP, self.atoms.SAVE_TARGETS];
            self.conn.change_property32(
                PropMode::REPLACE,
                event.requestor,
                property,
                AtomEnum::ATOM,
                &names,
            )?;
            return self.notify(event, property);
        }
        self.notify(event, 0)
    }

    pub(super) fn answer_saves(&mut self) -> X<()> {
        if self.saves.is_empty() {
            return Ok(());
        }
        let now = Instant::now();
        let being_read = |(event, until): &(SelectionRequestEvent, Instant)| {
            let client = self.client_of(event.requestor);
            let reads =
                |one: &super::Reading| self.client_of(one.owner) == client && !one.job.is_superseded();
            // What a program that marks its copies empties the clipboard with is not worth a wait.
            *until > now && !self.marking.contains(&client) && self.readings.iter().any(reads)
        };
        let (waiting, ready): (Vec<_>, Vec<_>) = self.saves.iter().copied().partition(being_read);
        self.saves = waiting;
        for (event, _) in ready {
            let property = if event.property == 0 { event.target } else { event.property };
            self.conn.change_property32(
                PropMode::REPLACE,
                event.requestor,
                property,
                self.atoms.NULL,
                &[],
            )?;
            self.notify(&event, property)?;
        }
        Ok(())
    }
}
