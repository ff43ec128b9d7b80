//! Reading a copy: asking its owner for one form after another, and what becomes of it.

use std::sync::Arc;
use std::time::Instant;

use x11rb::connection::Connection;
use x11rb::errors::{ConnectionError, ReplyError};
use x11rb::protocol::xproto::{
    Atom, AtomEnum, ChangeWindowAttributesAux, ConnectionExt as _, CreateWindowAux, EventMask,
    SelectionNotifyEvent, Timestamp, Window, WindowClass,
};
use yadori_core::Offer;
use yadori_core::clip::reading;

use super::{CLOSING, LATE, Reading, Session, X};
use crate::x11::job::{Answer, Job, Next, Outcome};
use crate::x11::release::release;
use crate::x11::source;
use crate::{DeskEvent, Live, Refused, RefusedBecause, now};

impl Session<'_> {
    pub(super) fn begin(&mut self, owner: Window, time: Timestamp, at_start: bool) -> X<()> {
        let mut done = Vec::new();
        for (n, reading) in self.readings.iter_mut().enumerate() {
            if let Next::Done(outcome) = reading.job.supersede() {
                done.push((n, outcome));
            }
        }
        for (n, outcome) in done.into_iter().rev() {
            self.end(n, outcome)?;
        }
        let at = now();
        self.forget_read();
        if let Some((_, offer, ..)) = self.let_go.take() {
            let held = offer.size();
            release(offer, held);
        }
        // The end of this window tells a program that is closing from one that empties the clipboard on purpose.
        let watched = if self.outgoing.iter().any(|one| one.requestor == owner) {
            EventMask::PROPERTY_CHANGE | EventMask::STRUCTURE_NOTIFY
        } else {
            EventMask::STRUCTURE_NOTIFY
        };
        self.conn.change_window_attributes(owner, &ChangeWindowAttributesAux::new().event_mask(watched))?;
        self.say(DeskEvent::Live(Live::Theirs(at)));
        let source = source::source_of(&self.conn, &self.atoms, self.root, owner);
        let window = self.conn.generate_id().map_err(|_| ConnectionError::UnknownError)?;
        let look = CreateWindowAux::new().event_mask(EventMask::PROPERTY_CHANGE);
        self.conn.create_window(0, window, self.root, -1, -1, 1, 1, 0, WindowClass::INPUT_ONLY, 0, &look)?;
        let job = Job::new(at, at_start, source, self.now_ms());
        self.readings.push(Reading { window, owner, time, job });
        self.convert(window, self.atoms.TARGETS, time)
    }

    pub(super) fn convert(&self, window: Window, target: Atom, time: Timestamp) -> X<()> {
        self.conn.convert_selection(
            window,
            self.atoms.CLIPBOARD,
            target,
            self.atoms._YADORI_CONTENT,
            time,
        )?;
        Ok(())
    }

    pub(super) fn answered(&mut self, event: &SelectionNotifyEvent) -> X<()> {
        let Some(n) = self.readings.iter().position(|one| one.window == event.requestor) else {
            return Ok(());
        };
        let answer = if event.property == 0 { Answer::Refused } else { self.fetch(event)? };
        let now_ms = self.now_ms();
        let next = self.readings[n].job.answer(answer, now_ms);
        self.step(n, next)
    }

    /// The value of an answer. Deleting the property is part of the protocol, and starts a transfer in chunks.
    pub(super) fn fetch(&mut self, event: &SelectionNotifyEvent) -> X<Answer> {
        let reply = self
            .conn
            .get_property(true, event.requestor, event.property, AtomEnum::ANY, 0, u32::MAX / 4)?
            .reply();
        let Ok(reply) = reply else { return Ok(Answer::Refused) };
        if event.target == self.atoms.TARGETS {
            let atoms: Vec<Atom> = reply.value32().map(Iterator::collect).unwrap_or_default();
            let mut names = Vec::with_capacity(atoms.len());
            for atom in atoms.into_iter().take(200) {
                names.extend(self.name(atom)?);
            }
            return Ok(Answer::Targets(names));
        }
        let kind = self.name(reply.type_)?.unwrap_or_default();
        if reply.type_ == self.atoms.INCR {
            return Ok(Answer::Chunks(self.name(event.target)?.unwrap_or_default()));
        }
        Ok(Answer::Value(kind, reply.value))
    }

    pub(super) fn name(&mut self, atom: Atom) -> X<Option<String>> {
        if let Some(name) = self.names.get(&atom) {
            return Ok(Some(name.clone()));
        }
        if atom == 0 {
            return Ok(None);
        }
        match self.conn.get_atom_name(atom)?.reply() {
            Ok(reply) => {
                let name = String::from_utf8_lossy(&reply.name).into_owned();
                self.names.insert(atom, name.clone());
                Ok(Some(name))
            }
            Err(ReplyError::ConnectionError(why)) => Err(why),
            Err(ReplyError::X11Error(_)) => Ok(None),
        }
    }

    pub(super) fn chunk_came(&mut self, window: Window, property: Atom) -> X<()> {
        let Some(n) = self.readings.iter().position(|one| one.window == window && one.job.in_chunks()) else {
            return Ok(());
        };
        let reply = self.conn.get_property(true, window, property, AtomEnum::ANY, 0, u32::MAX / 4)?.reply();
        let Ok(reply) = reply else { return Ok(()) };
        if reply.type_ == 0 {
            return Ok(()); // the property is gone already: no chunk, and not the empty one that ends
        }
        let now_ms = self.now_ms();
        let next = self.readings[n].job.chunk(reply.value, now_ms);
        self.step(n, next)
    }

    pub(super) fn step(&mut self, n: usize, next: Next) -> X<()> {
        match next {
            Next::Wait => Ok(()),
            Next::Convert(name) => {
                let reply = self.conn.intern_atom(false, name.as_bytes())?.reply();
                match reply {
                    Ok(reply) => self.convert(self.readings[n].window, reply.atom, self.readings[n].time),
                    Err(_) => self.end(n, Outcome::Unreadable),
                }
            }
            Next::Done(outcome) => self.end(n, outcome),
        }
    }

    pub(super) fn end(&mut self, n: usize, outcome: Outcome) -> X<()> {
        let Reading { window, owner, job, .. } = self.readings.remove(n);
        // Not destroyed at once: owners that answer late would get an error and some of them end by it.
        self.retired.push((window, Instant::now() + LATE));
        let refused =
            |reason| DeskEvent::Refused(Refused { at: job.at(), reason, source: job.source().clone() });
        match outcome {
            Outcome::Copied { offer, doubtful: true, .. } => {
                self.release_doubtful(None);
                self.doubtful = Some(offer);
            }
            Outcome::Copied { mut offer, at_start, doubtful: false } => {
                self.release_doubtful(Some(&offer));
                reading::soften_cut(&mut offer);
                let offer = Arc::new(offer);
                if !job.is_superseded() {
                    self.last_read = Some((owner, offer.clone()));
                }
                self.say(DeskEvent::Copied { offer, at_start });
            }
            Outcome::DoNotRecord => {
                // Not even where it came from.
                let refused =
                    Refused { at: job.at(), reason: RefusedBecause::DoNotRecord, source: Default::default() };
                self.say(DeskEvent::Refused(refused));
            }
            Outcome::TooLarge(size) => self.say(refused(RefusedBecause::TooLarge(size))),
            Outcome::Unreadable => self.say(refused(RefusedBecause::Unreadable)),
            Outcome::Nothing => {}
        }
        let held = job.held();
        release(job, held);
        self.answer_saves()
    }

    /// What was read is another program's by now.
    pub(super) fn forget_read(&mut self) {
        if let Some((_, offer)) = self.last_read.take() {
            let held = offer.size();
            release(offer, held);
        }
    }

    /// A doubtful copy was the next one's content under an earlier time, or it was a copy of its own.
    pub(super) fn release_doubtful(&mut self, next: Option<&Offer>) {
        let Some(offer) = self.doubtful.take() else { return };
        let same = next.is_some_and(|next| {
            let first = &offer.representations[0];
            next.representations.iter().any(|one| one.content == first.content)
        });
        if !same {
            self.say(DeskEvent::Copied { offer: Arc::new(offer), at_start: false });
        }
    }

    /// The owner's program has ended. True when what it held has been taken over.
    pub(super) fn owner_died(&mut self, owner: Window, time: Timestamp) -> X<bool> {
        for n in (0..self.readings.len()).rev() {
            if self.readings[n].owner == owner || !self.readings[n].job.is_superseded() {
                let outcome = self.readings[n].job.owner_gone();
                self.end(n, outcome)?;
            }
        }
        if let Some((read_from, offer)) = self.last_read.clone()
            && read_from == owner
        {
            return self.take_over(offer, time);
        }
        Ok(false)
    }

    /// Some programs (Chromium) let go of the clipboard on their way out: what they held is taken over when their window
    /// follows. What a living program clears stays cleared.
    pub(super) fn window_died(&mut self, window: Window) -> X<()> {
        match self.let_go.take() {
            Some((owner, offer, since, time))
                if owner == window && self.owner == 0 && since.elapsed() < CLOSING =>
            {
                self.take_over(offer, time).map(|_| ())
            }
            other => {
                self.let_go = other;
                Ok(())
            }
        }
    }
}
