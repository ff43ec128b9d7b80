//! One connection to an X server, from opening it to its loss: watching the clipboard and reading what is copied.

mod asking;
mod serving;

use std::collections::HashMap;
use std::os::fd::AsFd;
use std::sync::Arc;
use std::time::{Duration, Instant};

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use tokio::sync::{mpsc, oneshot};
use x11rb::atom_manager;
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

use super::job::Job;
use super::outgoing::Outgoing;
use super::release::release;
use super::{Inbox, NoSession};
use crate::{Command, DeskEvent, Live, TakeError};

atom_manager! {
    /// Atoms of the protocol.
    pub(crate) Atoms: AtomsCookie {
        CLIPBOARD, CLIPBOARD_MANAGER, TARGETS, TIMESTAMP, MULTIPLE, SAVE_TARGETS, INCR, ATOM_PAIR, NULL, MANAGER,
        UTF8_STRING, _NET_ACTIVE_WINDOW, _NET_WM_NAME, _NET_WM_PID,
        _YADORI_DESK, _YADORI_CONTENT, _YADORI_TIME,
    }
}

/// How long a program that lets go of the clipboard may take to close.
const CLOSING: Duration = Duration::from_secs(5);
/// How long a reading window is kept for late answers.
const LATE: Duration = Duration::from_secs(30);

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
    /// Representation by target.
    targets: Vec<(Atom, Served)>,
}

#[derive(Clone, Copy)]
enum Served {
    AsIs(usize),
    Latin1(usize),
}

struct PendingTake {
    offer: Arc<Offer>,
    done: oneshot::Sender<Result<(), TakeError>>,
}

struct Reading {
    window: Window,
    owner: Window,
    time: Timestamp,
    job: Job,
}

pub(crate) struct Session<'a> {
    conn: RustConnection,
    atoms: Atoms,
    root: Window,
    serving: Window,
    inbox: &'a Inbox,
    tell: &'a mpsc::UnboundedSender<DeskEvent>,
    started: Instant,
    names: HashMap<Atom, String>,
    readings: Vec<Reading>,
    /// A copy that may be the next one's content under an earlier time.
    doubtful: Option<Offer>,
    retired: Vec<(Window, Instant)>,
    owned: Option<Ownership>,
    takes: Vec<PendingTake>,
    outgoing: Vec<Outgoing>,
    /// What the current owner of the clipboard has been read to hold.
    last_read: Option<(Window, Arc<Offer>)>,
    owner: Window,
    /// What a program held that has let go of the clipboard: on purpose, or because it is closing.
    let_go: Option<(Window, Arc<Offer>, Instant, Timestamp)>,
    /// Programs that wait for their content to be safe.
    saves: Vec<SelectionRequestEvent>,
}

type X<T> = Result<T, ConnectionError>;

impl<'a> Session<'a> {
    /// Connects, announces itself and looks at what is on the clipboard already.
    pub(crate) fn open(
        display: &str,
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
            serving,
            inbox,
            tell,
            started: Instant::now(),
            names: HashMap::new(),
            readings: Vec::new(),
            doubtful: None,
            retired: Vec::new(),
            owned: None,
            takes: Vec::new(),
            outgoing: Vec::new(),
            last_read: None,
            owner: 0,
            let_go: None,
            saves: Vec::new(),
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
        } else {
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
        let ended = loop {
            match self.round() {
                Ok(true) => break Ended::Asked,
                Ok(false) => {}
                Err(why) => {
                    tracing::debug!("the connection to the display ended: {why}");
                    break Ended::Lost;
                }
            }
        };
        for take in self.takes.drain(..) {
            let _ = take.done.send(Err(TakeError::NoDisplay("the display went away".into())));
        }
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
        while let Ok(command) = self.inbox.commands.try_recv() {
            match command {
                Command::Stop => return Ok(true),
                Command::Take(offer, done) => self.begin_take(offer, done)?,
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
            Event::SelectionRequest(event) => self.asked(event),
            Event::SelectionClear(event) if event.selection == self.atoms.CLIPBOARD => {
                // Transfers under way keep their bytes and end by themselves.
                if let Some(Ownership { offer, .. }) = self.owned.take() {
                    let held = offer.size();
                    release(offer, held);
                }
                Ok(())
            }
            Event::DestroyNotify(event) => {
                self.outgoing.retain(|one| one.requestor != event.window);
                self.window_died(event.window)
            }
            _ => Ok(()), // errors of requests to windows that are gone, and what nobody asked for
        }
    }

    fn owner_changed(&mut self, event: &xfixes::SelectionNotifyEvent) -> X<()> {
        let gone = event.subtype != SelectionEvent::SET_SELECTION_OWNER;
        let previous = std::mem::replace(&mut self.owner, event.owner);
        if event.owner == self.serving {
            return Ok(());
        }
        if event.owner == 0 {
            let mut taken_over = false;
            if gone {
                // As of the closed program's own copy: whoever has copied since keeps the clipboard.
                taken_over = self.owner_died(previous, event.selection_timestamp)?;
            } else {
                self.let_go = self
                    .last_read
                    .take()
                    .filter(|(owner, _)| *owner == previous)
                    .map(|(owner, offer)| (owner, offer, Instant::now(), event.selection_timestamp));
            }
            if !taken_over {
                self.forget_read();
                self.say(DeskEvent::Live(Live::Empty));
            }
            return self.answer_saves();
        }
        self.begin(event.owner, event.selection_timestamp, false)
    }

    fn next_deadline(&self) -> Option<Duration> {
        let now_ms = self.now_ms();
        let jobs = self.readings.iter().map(|one| one.job.deadline_ms());
        let transfers = self.outgoing.iter().map(|one| one.deadline_ms);
        let doubt = self.doubtful.as_ref().map(|_| now_ms + 50);
        let soonest = jobs.chain(transfers).chain(doubt).min();
        soonest.map(|at| Duration::from_millis(at.saturating_sub(now_ms) + 1))
    }

    fn expire(&mut self) -> X<()> {
        let now_ms = self.now_ms();
        for n in (0..self.readings.len()).rev() {
            if self.readings[n].job.deadline_ms() < now_ms {
                let outcome = self.readings[n].job.expired();
                self.end(n, outcome)?;
            }
        }
        self.outgoing.retain(|one| one.deadline_ms >= now_ms);
        if self.readings.is_empty() {
            self.release_doubtful(None);
        }
        let now = Instant::now();
        let (past, kept): (Vec<_>, Vec<_>) = self.retired.drain(..).partition(|(_, until)| *until <= now);
        self.retired = kept;
        for (window, _) in past {
            self.conn.destroy_window(window)?;
        }
        Ok(())
    }
}
