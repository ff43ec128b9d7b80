//! Reading a copy: asking its owner for one form after another, and what becomes of it.

use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::Instant;

use x11rb::connection::Connection;
use x11rb::errors::{ConnectionError, ReplyError};
use x11rb::protocol::xproto::{
    Atom, AtomEnum, ConnectionExt as _, CreateWindowAux, EventMask, SelectionNotifyEvent, Timestamp, Window,
    WindowClass,
};
use yadori_core::clip::{mime, reading};
use yadori_core::intake::rule::{Known, Verdict};
use yadori_core::{Kind, Micros, NAME_BYTES};

use super::{LATE, MOST_MARKING, MOST_NAMES, MOST_TARGETS, Reading, Session, Which, X};
use crate::job::{Answer, Job, Next, Outcome};
use crate::release::release;
use crate::x11::process::Process;
use crate::{DeskEvent, Live, Refused, RefusedBecause, now};

impl Session<'_> {
    pub(super) fn begin(&mut self, owner: Window, time: Timestamp, at_start: bool) -> X<()> {
        let at = now();
        self.say(DeskEvent::Live(Live::Theirs(at)));
        if self.inbox.paused.load(Ordering::SeqCst) {
            let (reason, source) = (RefusedBecause::Paused, yadori_core::Source::default());
            self.say(DeskEvent::Refused(Refused { at, reason, source }));
            return Ok(());
        }
        let window = self.conn.generate_id().map_err(|_| ConnectionError::UnknownError)?;
        self.ask_owner(window, owner, (time, at), Which::Copied { at_start })
    }

    /// Begins to read what `owner` holds since a time of the server, `at` by the clock.
    pub(super) fn ask_owner(
        &mut self,
        window: Window,
        owner: Window,
        (time, at): (Timestamp, Micros),
        which: Which,
    ) -> X<()> {
        let look = CreateWindowAux::new().event_mask(EventMask::PROPERTY_CHANGE);
        self.conn.create_window(0, window, self.root, -1, -1, 1, 1, 0, WindowClass::INPUT_ONLY, 0, &look)?;
        // The owner answers while it is looked at.
        self.convert(which, window, self.atoms.TARGETS, time)?;
        let (source, process) = self.programs.source_of(&self.conn, &self.atoms, self.root, owner);
        let cap = self.inbox.keys().intake.cap;
        let job = Job::new(at, which == Which::Copied { at_start: true }, source, self.now_ms()).at_most(cap);
        let executable = process.and_then(crate::x11::process::name);
        let process = process.map(Process::new);
        self.readings.push(Reading { which, window, owner, time, job, executable, process });
        Ok(())
    }

    /// Copies are read again: those that come from now on. What was copied before, however shortly, has been told of when the
    /// server answers.
    pub(super) fn resume(&mut self) -> X<()> {
        let _ = self.conn.get_input_focus()?.reply();
        while let Some(event) = self.conn.poll_for_event()? {
            self.handle(&event)?;
        }
        self.inbox.paused.store(false, Ordering::SeqCst);
        Ok(())
    }

    /// The clipboard has changed hands: what was being read of it is another's by now.
    pub(super) fn supersede(&mut self) -> X<()> {
        let mut done = Vec::new();
        for (n, reading) in
            self.readings.iter_mut().enumerate().filter(|(_, one)| one.which != Which::Selected)
        {
            if let Next::Done(outcome) = reading.job.supersede() {
                done.push((n, outcome));
            }
        }
        for (n, outcome) in done.into_iter().rev() {
            self.end(n, outcome)?;
        }
        self.forget_read();
        Ok(())
    }

    fn convert(&self, which: Which, window: Window, target: Atom, time: Timestamp) -> X<()> {
        let selection = match which {
            Which::Copied { .. } => self.atoms.CLIPBOARD,
            Which::Selected => AtomEnum::PRIMARY.into(),
        };
        self.conn.convert_selection(window, selection, target, self.atoms._YADORI_CONTENT, time)?;
        Ok(())
    }

    pub(super) fn answered(&mut self, event: &SelectionNotifyEvent) -> X<()> {
        let Some(n) = self.readings.iter().position(|one| one.window == event.requestor) else {
            return Ok(());
        };
        let answer = if event.property == 0 { Answer::Refused } else { self.fetch(event)? };
        if let Answer::Targets(names) = &answer
            && let Some(rule) = self.refused_by(n, names)
        {
            return self.end(n, Outcome::Ruled(rule));
        }
        let now_ms = self.now_ms();
        let next = self.readings[n].job.answer(answer, now_ms);
        self.step(n, next)
    }

    /// The rule that refuses a copy before anything of it is read.
    fn refused_by(&self, n: usize, names: &[String]) -> Option<usize> {
        let reading = &self.readings[n];
        let text = names.iter().any(|name| mime::text_rank(name).is_some());
        let picture = names.iter().any(|name| mime::IMAGE_ORDER.contains(&name.as_str()));
        let known = Known {
            source: Some(reading.job.source()),
            executable: reading.executable.as_deref(),
            // Whether a text is a link is not known before it is read.
            kind: (picture && !text).then_some(Kind::Image),
            ..Known::default()
        };
        let decision = self.inbox.keys().intake.rules.before(&known)?;
        decision.rule.filter(|_| decision.verdict == Verdict::Refuse)
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
            return Ok(Answer::Targets(self.names_of(&atoms)?));
        }
        let kind = self.name(reply.type_)?.unwrap_or_default();
        if reply.type_ == self.atoms.INCR {
            return Ok(Answer::Chunks(self.name(event.target)?.unwrap_or_default()));
        }
        // What has another format is numbers of the server, or of nobody knows what (ICCCM section 2.6.2).
        if reply.format != 8 && event.target != self.atoms.TARGETS {
            return Ok(Answer::Refused);
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

    /// The names of targets, all asked for at once.
    fn names_of(&mut self, atoms: &[Atom]) -> X<Vec<String>> {
        if atoms.len() > MOST_TARGETS {
            tracing::warn!(
                "a program offers {} forms; those after the {MOST_TARGETS}th are left alone",
                atoms.len()
            );
        }
        let (atoms, beyond) = atoms.split_at(atoms.len().min(MOST_TARGETS));
        // The wish not to be recorded counts wherever it stands.
        let mut wishes = false;
        if !beyond.is_empty() {
            let wish = self.conn.intern_atom(false, mime::DO_NOT_RECORD.as_bytes())?.reply();
            wishes = wish.is_ok_and(|wish| beyond.contains(&wish.atom));
        }
        let mut unknown = Vec::new();
        for atom in atoms.iter().filter(|atom| **atom != 0 && !self.names.contains_key(*atom)) {
            unknown.push((*atom, self.conn.get_atom_name(*atom)?));
        }
        if self.names.len() + unknown.len() > MOST_NAMES {
            self.names.clear();
            self.numbers.clear();
        }
        for (atom, asked) in unknown {
            match asked.reply() {
                Ok(reply) => {
                    let name = String::from_utf8_lossy(&reply.name).into_owned();
                    // A name that is no UTF-8 can't be asked for by its name.
                    if name.as_bytes() == reply.name {
                        self.numbers.insert(name.clone(), atom);
                    }
                    self.names.insert(atom, name);
                }
                Err(ReplyError::ConnectionError(why)) => return Err(why),
                Err(ReplyError::X11Error(_)) => {}
            }
        }
        let mut names = Vec::with_capacity(atoms.len());
        for atom in atoms {
            names.extend(self.name(*atom)?.filter(|name| name.len() <= NAME_BYTES));
        }
        if wishes {
            names.push(mime::DO_NOT_RECORD.to_owned());
        }
        Ok(names)
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
                let target = match self.numbers.get(&name) {
                    Some(known) => Ok(*known),
                    None => self.conn.intern_atom(false, name.as_bytes())?.reply().map(|reply| reply.atom),
                };
                match target {
                    Ok(target) => {
                        let Reading { which, window, time, .. } = self.readings[n];
                        self.convert(which, window, target, time)
                    }
                    Err(_) => self.end(n, Outcome::Unreadable),
                }
            }
            Next::Done(outcome) => self.end(n, outcome),
        }
    }

    pub(super) fn end(&mut self, n: usize, outcome: Outcome) -> X<()> {
        let Reading { which, window, owner, job, executable, .. } = self.readings.remove(n);
        // Not destroyed at once: owners that answer late would get an error and some of them end by it.
        self.retired.push((window, Instant::now() + LATE));
        let refused =
            |reason| DeskEvent::Refused(Refused { at: job.at(), reason, source: job.source().clone() });
        let client = self.client_of(owner);
        let outcome = match outcome {
            // A program that marks its copies empties the clipboard when it closes, and does not answer any more.
            Outcome::Unreadable | Outcome::TooLarge(_) if self.marking.contains(&client) => {
                Outcome::DoNotRecord
            }
            outcome => outcome,
        };
        match outcome {
            Outcome::Copied { mut offer, at_start } => {
                reading::soften_cut(&mut offer);
                let offer = Arc::new(offer);
                let selected = which == Which::Selected;
                if !selected && !job.is_superseded() {
                    self.last_read = Some((owner, offer.clone()));
                }
                self.say(DeskEvent::Copied { offer, at_start, executable, selected });
            }
            // Nobody has copied it: what becomes of it is no news.
            _ if which == Which::Selected => {}
            Outcome::DoNotRecord => {
                // Not even where it came from.
                let refused =
                    Refused { at: job.at(), reason: RefusedBecause::DoNotRecord, source: Default::default() };
                self.say(DeskEvent::Refused(refused));
                self.drop_transfers_of(client);
                if !self.marking.contains(&client) {
                    self.marking.truncate(MOST_MARKING - 1);
                    self.marking.insert(0, client);
                }
            }
            Outcome::Ruled(rule) => {
                // Not even where it came from.
                let (at, reason) = (job.at(), RefusedBecause::Ruled(rule));
                self.say(DeskEvent::Refused(Refused { at, reason, source: Default::default() }));
            }
            Outcome::TooLarge(size) => self.say(refused(RefusedBecause::TooLarge(size))),
            Outcome::Unreadable => self.say(refused(RefusedBecause::Unreadable)),
            Outcome::Nothing if !job.is_superseded() => self.say(DeskEvent::Live(Live::Empty)),
            Outcome::Nothing => {}
        }
        let held = job.held();
        release(job, held);
        self.answer_saves()
    }

    /// A program has copied what is not to be recorded: what it still sends of an earlier copy may be that by now.
    fn drop_transfers_of(&mut self, client: u32) {
        let mask = self.conn.setup().resource_id_mask;
        for one in &mut self.readings {
            if one.owner & !mask == client && one.job.is_superseded() {
                one.job.forget();
            }
        }
    }

    /// The program a window belongs to: the part of its number that the server gave to the connection (X Window System
    /// Protocol, section 8).
    pub(super) fn client_of(&self, window: Window) -> u32 {
        window & !self.conn.setup().resource_id_mask
    }

    /// What was copied at this time is held no longer.
    pub(super) fn let_go_of(&mut self, at: Micros) -> X<()> {
        if self.last_read.as_ref().is_some_and(|(_, offer)| offer.at == at) {
            self.forget_read();
        }
        if self.owned.as_ref().is_some_and(|owned| owned.offer.at == at) {
            self.empty()?;
        }
        Ok(())
    }

    /// What was read is another program's by now.
    pub(super) fn forget_read(&mut self) {
        if let Some((_, offer)) = self.last_read.take() {
            let held = offer.size();
            release(offer, held);
        }
    }

    /// The owner's program has ended. True when what it held has been taken over.
    pub(super) fn owner_died(&mut self, owner: Window, time: Timestamp) -> X<bool> {
        for n in (0..self.readings.len()).rev() {
            let replaces = self.readings[n].which != Which::Selected && !self.readings[n].job.is_superseded();
            if self.readings[n].owner == owner || replaces {
                let outcome = self.readings[n].job.owner_gone();
                self.end(n, outcome)?;
            }
        }
        if let Some((read_from, offer)) = self.last_read.clone()
            && read_from == owner
            && !self.follows()
        {
            return self.take_over(offer, time);
        }
        Ok(false)
    }
}
