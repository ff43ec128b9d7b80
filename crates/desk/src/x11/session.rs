//! One connection to an X server, from opening it to its loss: watching the clipboard and reading what is copied.

mod asking;
mod chords;
mod making;
mod pasting;
mod selecting;
mod serving;

use std::collections::HashMap;
use std::os::fd::AsFd;
use std::sync::Arc;
use std::time::{Duration, Instant};

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use tokio::sync::{mpsc, oneshot};
use x11rb::connection::Connection;
use x11rb::errors::{ConnectionError, ReplyError};
use x11rb::protocol::xfixes::{ConnectionExt as _, SelectionEvent, SelectionEventMask};
use x11rb::protocol::xproto::{
    Atom, AtomEnum, ClientMessageEvent, ConnectionExt as _, CreateWindowAux, EventMask, PropMode, Property,
    SelectionRequestEvent, Timestamp, Window, WindowClass,
};
use x11rb::protocol::{Event, xfixes};
use x11rb::rust_connection::RustConnection;
use x11rb::wrapper::ConnectionExt as _;
use yadori_core::Offer;
use yadori_core::take::handing::Handed;

use super::NoSession;
use super::atoms::Atoms;
use super::outgoing::Outgoing;
use super::process::Process;
use super::source::Programs;
use crate::beside::Beside;
use crate::inbox::Inbox;
use crate::job::Job;
use crate::release::release;
use crate::{Command, DeskEvent, Live, TakeError};

/// How long a program that closes is kept waiting for its last copy to be read.
const SAVING: Duration = Duration::from_millis(250);
/// How long a reading window is kept for late answers.
const LATE: Duration = Duration::from_secs(30);
/// How many forms of one copy are looked at.
const MOST_TARGETS: usize = 4_096;
/// How many programs are remembered that mark their copies.
const MOST_MARKING: usize = 64;
/// How many names of forms are remembered.
const MOST_NAMES: usize = 16_384;

/// How a session ended.
pub(crate) enum Ended {
    /// By a command.
    Asked,
    /// The connection is gone.
    Lost,
}

/// What is served to other programs.
struct Ownership {
    offer: Arc<Offer>,
    since: Timestamp,
    /// What each target stands for.
    targets: Vec<(Atom, Handed)>,
}

struct PendingTake {
    offer: Arc<Offer>,
    /// `None`: it is to be pasted.
    done: Option<oneshot::Sender<Result<(), TakeError>>>,
}

/// Which selection is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Which {
    /// What was copied.
    Copied {
        /// Before the desk began to watch.
        at_start: bool,
    },
    /// What was selected, and not copied.
    Selected,
}

struct Reading {
    which: Which,
    window: Window,
    owner: Window,
    time: Timestamp,
    job: Job,
    /// The owner's executable.
    executable: Option<String>,
    /// The owner's, where it can be known.
    process: Option<Process>,
}

pub(crate) struct Session<'a> {
    conn: RustConnection,
    atoms: Atoms,
    root: Window,
    /// The compositor that this display belongs to, and its process.
    beside: Option<(&'a Beside, Option<u32>)>,
    serving: Window,
    inbox: &'a Inbox,
    tell: &'a mpsc::UnboundedSender<DeskEvent>,
    started: Instant,
    names: HashMap<Atom, String>,
    /// The other way round.
    numbers: HashMap<String, Atom>,
    programs: Programs,
    /// Programs that have marked a copy as not to be recorded.
    marking: Vec<u32>,
    readings: Vec<Reading>,
    retired: Vec<(Window, Instant)>,
    /// What was selected and may still grow.
    selected: Option<selecting::Selected>,
    owned: Option<Ownership>,
    takes: Vec<PendingTake>,
    outgoing: Vec<Outgoing>,
    /// What the current owner of the clipboard has been read to hold.
    last_read: Option<(Window, Arc<Offer>)>,
    owner: Window,
    /// Programs that wait for their content to be safe, and until when they are kept waiting.
    saves: Vec<(SelectionRequestEvent, Instant)>,
    making: making::Making,
    chords: chords::Chords,
    pasting: pasting::Pasting,
}

type X<T> = Result<T, ConnectionError>;

impl<'a> Session<'a> {
    /// Connects, announces itself and looks at what is on the clipboard already.
    pub(crate) fn open(
        display: &str,
        beside: Option<&'a Beside>,
        inbox: &'a Inbox,
        tell: &'a mpsc::UnboundedSender<DeskEvent>,
    ) -> Result<Self, NoSession> {
        let (conn, screen_number) = RustConnection::connect(Some(display))?;
        let unreachable = |why: ReplyError| NoSession::Unreachable(why.to_string());
        let broken = |why: ConnectionError| NoSession::Unreachable(why.to_string());
        let root = conn.setup().roots.get(screen_number).ok_or(NoSession::Unfit("a screen"))?.root;
        let atoms = Atoms::new(&conn).map_err(broken)?.reply().map_err(unreachable)?;
        conn.xfixes_query_version(5, 0)
            .map_err(broken)?
            .reply()
            .map_err(|_| NoSession::Unfit("the XFIXES extension"))?;
        let serving = conn.generate_id().map_err(|why| NoSession::Unreachable(why.to_string()))?;
        let look = CreateWindowAux::new().event_mask(EventMask::PROPERTY_CHANGE);
        conn.create_window(0, serving, root, -1, -1, 1, 1, 0, WindowClass::INPUT_ONLY, 0, &look)
            .map_err(broken)?;
        let mut session = Self {
            conn,
            atoms,
            root,
            beside: beside.map(|beside| (beside, beside.process())),
            serving,
            inbox,
            tell,
            started: Instant::now(),
            names: HashMap::new(),
            numbers: HashMap::new(),
            programs: Programs::default(),
            marking: Vec::new(),
            readings: Vec::new(),
            retired: Vec::new(),
            selected: None,
            owned: None,
            takes: Vec::new(),
            outgoing: Vec::new(),
            last_read: None,
            owner: 0,
            saves: Vec::new(),
            making: making::Making::default(),
            chords: chords::Chords::default(),
            pasting: pasting::Pasting::default(),
        };
        let time = session.await_time().map_err(broken)?;
        session.claim(time)?;
        session.watch(time).map_err(broken)?;
        Ok(session)
    }

    /// A time of the server, awaited at start when nothing else can be on its way yet.
    fn await_time(&self) -> X<Timestamp> {
        self.ask_time()?;
        self.conn.flush()?;
        loop {
            if let Event::PropertyNotify(event) = self.conn.wait_for_event()? {
                return Ok(event.time);
            }
        }
    }

    fn ask_time(&self) -> X<()> {
        // A zero-length append changes nothing and yields an event with the server's time (ICCCM section 2.1).
        self.conn.change_property8(
            PropMode::APPEND,
            self.serving,
            self.atoms._YADORI_TIME,
            AtomEnum::STRING,
            &[],
        )?;
        Ok(())
    }

    /// One service per display: a manager selection (ICCCM section 2.8), and the clipboard manager's, if it is free.
    fn claim(&self, time: Timestamp) -> Result<(), NoSession> {
        let owner = |selection| -> Result<Window, NoSession> {
            let reply = self
                .conn
                .get_selection_owner(selection)
                .map_err(ReplyError::from)
                .and_then(x11rb::cookie::Cookie::reply);
            Ok(reply.map_err(|why| NoSession::Unreachable(why.to_string()))?.owner)
        };
        if owner(self.atoms._YADORI_DESK)? != 0 {
            return Err(NoSession::Taken);
        }
        let mut wanted = vec![self.atoms._YADORI_DESK];
        if owner(self.atoms.CLIPBOARD_MANAGER)? == 0 {
            wanted.push(self.atoms.CLIPBOARD_MANAGER);
        }
        for selection in wanted {
            let _ = self.conn.set_selection_owner(self.serving, selection, time);
            if owner(selection)? != self.serving {
                return Err(NoSession::Taken);
            }
            let word = ClientMessageEvent::new(
                32,
                self.root,
                self.atoms.MANAGER,
                [time, selection, self.serving, 0, 0],
            );
            let _ = self.conn.send_event(false, self.root, EventMask::STRUCTURE_NOTIFY, word);
        }
        Ok(())
    }

    fn watch(&mut self, time: Timestamp) -> X<()> {
        let all = SelectionEventMask::SET_SELECTION_OWNER
            | SelectionEventMask::SELECTION_WINDOW_DESTROY
            | SelectionEventMask::SELECTION_CLIENT_CLOSE;
        self.conn.xfixes_select_selection_input(self.serving, self.atoms.CLIPBOARD, all)?;
        let owner = self
            .conn
            .get_selection_owner(self.atoms.CLIPBOARD)?
            .reply()
            .map(|reply| reply.owner)
            .unwrap_or(0);
        self.owner = owner;
        if owner == 0 {
            self.say(DeskEvent::Live(Live::Empty));
        } else if !self.is_compositors(owner) {
            self.begin(owner, time, true)?;
        }
        self.conn.flush()
    }

    fn say(&self, event: DeskEvent) {
        let _ = self.tell.send(event);
    }

    fn now_ms(&self) -> u64 {
        u64::try_from(self.started.elapsed().as_millis()).unwrap_or(u64::MAX)
    }

    /// Serves until the connection is lost or a command ends it.
    pub(crate) fn run(&mut self) -> Ended {
        let mut listening = Some(self.listen());
        let ended = loop {
            match listening.take().unwrap_or(Ok(())).and_then(|()| self.round()) {
                Ok(true) => break Ended::Asked,
                Ok(false) => {}
                Err(why) => {
                    tracing::debug!("the connection to the display ended: {why}");
                    break Ended::Lost;
                }
            }
        };
        for done in self.takes.drain(..).filter_map(|take| take.done) {
            let _ = done.send(Err(TakeError::NoDisplay("the display went away".into())));
        }
        self.give_up_pasting();
        if matches!(ended, Ended::Lost) {
            self.say(DeskEvent::Live(Live::Empty));
        }
        ended
    }

    fn round(&mut self) -> X<bool> {
        while let Some(event) = self.conn.poll_for_event()? {
            self.handle(&event)?;
        }
        self.expire()?;
        self.inbox.silence();
        self.hand_out_made()?;
        while let Ok(command) = self.inbox.commands.try_recv() {
            match command {
                Command::Stop => return Ok(true),
                Command::Take(offer, done) => self.begin_take(offer, done)?,
                Command::Paste(paste, done) => self.begin_paste(paste, done)?,
                Command::HandOver(done) => self.hand_over(done)?,
                Command::ExpectPicker => self.expect_picker()?,
                Command::PickerFailed => self.picker_failed()?,
                Command::Target(into, done) => drop(done.send(self.target(into)?)),
                Command::Clear(done) => {
                    self.empty()?;
                    let _ = done.send(true);
                }
                Command::Forget(at) => self.let_go_of(at)?,
                Command::Listen => self.listen()?,
                Command::Resume(done) => {
                    self.resume()?;
                    let _ = done.send(());
                }
            }
        }
        self.conn.flush()?;
        let limit = self.next_deadline().and_then(|left| Timespec::try_from(left).ok());
        // Replies read above may have queued events that no descriptor will announce.
        if let Some(event) = self.conn.poll_for_event()? {
            self.handle(&event)?;
            return Ok(false);
        }
        let mut fds = [
            PollFd::from_borrowed_fd(self.conn.stream().as_fd(), PollFlags::IN),
            PollFd::from_borrowed_fd(self.inbox.bell.as_fd(), PollFlags::IN),
        ];
        let _ = poll(&mut fds, limit.as_ref());
        Ok(false)
    }

    fn handle(&mut self, event: &Event) -> X<()> {
        match event {
            Event::XfixesSelectionNotify(event) if event.selection == self.atoms.CLIPBOARD => {
                self.owner_changed(event)
            }
            Event::XfixesSelectionNotify(event) if event.selection == u32::from(AtomEnum::PRIMARY) => {
                self.was_selected(event);
                Ok(())
            }
            Event::SelectionNotify(event) => self.answered(event),
            Event::PropertyNotify(event) if event.window == self.serving => {
                if event.atom == self.atoms._YADORI_TIME && event.state == Property::NEW_VALUE {
                    self.finish_takes(event.time)?;
                }
                Ok(())
            }
            Event::PropertyNotify(event) if event.state == Property::NEW_VALUE => {
                self.chunk_came(event.window, event.atom)
            }
            Event::PropertyNotify(event) => self.chunk_taken(event.window, event.atom),
            Event::SelectionRequest(event) => {
                self.asked_for(event);
                self.asked(event)
            }
            Event::KeyPress(event) => self.key_pressed(event),
            Event::KeyRelease(event) => self.key_released(event),
            Event::MappingNotify(event) => self.mapped(*event),
            Event::SelectionClear(event) if event.selection == self.atoms.CLIPBOARD => {
                // Transfers under way keep their bytes and end by themselves.
                if let Some(Ownership { offer, .. }) = self.owned.take() {
                    let held = offer.size();
                    release(offer, held);
                }
                self.clipboard_lost()
            }
            Event::DestroyNotify(event) => {
                self.outgoing.retain(|one| one.requestor != event.window);
                Ok(())
            }
            _ => Ok(()), // errors of requests to windows that are gone, and what nobody asked for
        }
    }

    fn owner_changed(&mut self, event: &xfixes::SelectionNotifyEvent) -> X<()> {
        let gone = event.subtype != SelectionEvent::SET_SELECTION_OWNER;
        let previous = std::mem::replace(&mut self.owner, event.owner);
        if event.owner == 0 && gone {
            // As of the closed program's own copy: whoever has copied since keeps the clipboard.
            if !self.owner_died(previous, event.selection_timestamp)? {
                self.forget_read();
                self.say(DeskEvent::Live(Live::Empty));
            }
            // Its number may be another program's soon.
            let client = self.client_of(previous);
            self.marking.retain(|one| *one != client);
            return self.answer_saves();
        }
        self.supersede()?;
        if event.owner == self.serving {
            return Ok(());
        }
        if event.owner == 0 {
            // Emptied on purpose, by whomever: it stays empty.
            self.say(DeskEvent::Live(Live::Empty));
            return self.answer_saves();
        }
        if self.is_compositors(event.owner) {
            return self.answer_saves();
        }
        self.begin(event.owner, event.selection_timestamp, false)
    }

    /// What this window copies is the compositor's own clipboard, which is watched where it is.
    fn is_compositors(&mut self, owner: Window) -> bool {
        let Some((beside, process)) = self.beside else { return false };
        beside.leads()
            && process.is_some()
            && self.programs.process_of(&self.conn, &self.atoms, owner) == process
    }

    /// The compositor's clipboard leads: what happens to this one follows from that.
    fn follows(&self) -> bool {
        self.beside.is_some_and(|(beside, _)| beside.leads())
    }

    fn next_deadline(&self) -> Option<Duration> {
        let now_ms = self.now_ms();
        let jobs = self.readings.iter().map(|one| one.job.deadline_ms());
        let transfers = self.outgoing.iter().map(|one| one.deadline_ms);
        let soonest = jobs.chain(transfers).min();
        let soonest = soonest.map(|at| Duration::from_millis(at.saturating_sub(now_ms) + 1));
        let made = self.making.deadline().map(|at| at.saturating_duration_since(Instant::now()));
        let saves = self.saves.iter().map(|(_, until)| until.saturating_duration_since(Instant::now()));
        let keys =
            self.chord_deadline().into_iter().chain(self.paste_deadline()).chain(self.selected_deadline());
        let keys = keys.map(|at| at.saturating_duration_since(Instant::now()));
        soonest.into_iter().chain(made).chain(saves).chain(keys).min()
    }

    fn expire(&mut self) -> X<()> {
        let now_ms = self.now_ms();
        for n in (0..self.readings.len()).rev() {
            if self.readings[n].job.deadline_ms() < now_ms {
                let reading = &mut self.readings[n];
                let works = reading.process.as_mut().is_some_and(Process::works);
                let next = reading.job.expired(works, now_ms);
                self.step(n, next)?;
            }
        }
        self.read_selected()?;
        self.outgoing.retain(|one| one.deadline_ms >= now_ms);
        let now = Instant::now();
        self.making.expire(now);
        self.look_for_picker()?;
        self.go_on_pasting()?;
        self.answer_saves()?;
        let (past, kept): (Vec<_>, Vec<_>) = self.retired.drain(..).partition(|(_, until)| *until <= now);
        self.retired = kept;
        for (window, _) in past {
            self.conn.destroy_window(window)?;
        }
        Ok(())
    }
}
