//! A program of our own that owns the clipboard and answers as it is told: whole, late, by halves, not at all, or with
//! what another program would answer.

use std::os::fd::AsFd;
use std::sync::{Arc, Mutex, mpsc};
use std::time::{Duration, Instant};

use rustix::event::{EventfdFlags, PollFd, PollFlags, Timespec, eventfd, poll};
use x11rb::connection::Connection;
use x11rb::protocol::Event;
use x11rb::protocol::xproto::{
    AtomEnum, ChangeWindowAttributesAux, ConnectionExt as _, CreateWindowAux, EventMask, PropMode, Property,
    SELECTION_NOTIFY_EVENT, SelectionNotifyEvent, SelectionRequestEvent, WindowClass,
};
use x11rb::rust_connection::RustConnection;
use x11rb::wrapper::ConnectionExt as _;

use crate::Display;

/// Bytes of a chunk (INCR, ICCCM section 2.7.2).
const CHUNK: usize = 60_000;

/// How a request is answered.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Reply {
    /// With these bytes.
    Bytes(Vec<u8>),
    /// With numbers of 32 bits, as pointers and ids of the server are.
    Numbers(Vec<u32>),
    /// In chunks.
    Chunks(Vec<u8>),
    /// In chunks, and the program closes after the first of them was read.
    Half,
    /// With a refusal.
    Refusal,
    /// Not at all.
    Silence,
    /// After a while in which the program does nothing else, but works.
    After(Duration, Box<Reply>),
}

impl Reply {
    /// With a text.
    pub fn text(text: &str) -> Self {
        Self::Bytes(text.as_bytes().to_vec())
    }
}

/// What a program answers: the name of a target in, the answer out.
pub type Answers = Box<dyn FnMut(&str) -> Reply + Send>;

enum Order {
    Own(Vec<String>, Answers, mpsc::Sender<()>),
    LetGo(mpsc::Sender<()>),
    Save(mpsc::Sender<()>),
    Close(mpsc::Sender<()>),
}

/// The program. It serves its newest copy alone, as programs do, on a thread of its own.
#[derive(Debug)]
pub struct Owner {
    orders: mpsc::Sender<Order>,
    bell: Arc<std::os::fd::OwnedFd>,
    asked: Arc<Mutex<Vec<String>>>,
}

impl Owner {
    /// A program on this display.
    pub fn on(display: &Display) -> Self {
        let (conn, screen) = x11rb::connect(Some(&display.name())).expect("a display");
        let (orders, inbox) = mpsc::channel();
        let bell = Arc::new(eventfd(0, EventfdFlags::NONBLOCK).expect("a bell"));
        let asked = Arc::new(Mutex::default());
        let (heard, log) = (bell.clone(), asked.clone());
        std::thread::spawn(move || Serving::new(conn, screen, log).run(&inbox, &heard));
        Self { orders, bell, asked }
    }

    fn order(&self, order: impl FnOnce(mpsc::Sender<()>) -> Order) {
        let (done, wait) = mpsc::channel();
        self.orders.send(order(done)).expect("a running program");
        rustix::io::write(&*self.bell, &1u64.to_ne_bytes()).expect("a bell");
        wait.recv().expect("a running program");
    }

    /// Copies what is offered under these names and answered so. When this returns, it owns the clipboard.
    pub fn copies(&self, names: &[&str], answers: impl FnMut(&str) -> Reply + Send + 'static) {
        let names = names.iter().map(|name| (*name).to_owned()).collect();
        self.order(|done| Order::Own(names, Box::new(answers), done));
    }

    /// Copies these forms.
    pub fn copy(&self, forms: &[(&str, &[u8])]) {
        let names: Vec<&str> = forms.iter().map(|(name, _)| *name).collect();
        let known: Vec<(String, Vec<u8>)> =
            forms.iter().map(|(name, bytes)| ((*name).to_owned(), bytes.to_vec())).collect();
        self.copies(&names, move |target| {
            let form = known.iter().find(|(name, _)| name == target);
            form.map_or(Reply::Refusal, |(_, bytes)| {
                let chunks = bytes.len() > CHUNK;
                if chunks { Reply::Chunks(bytes.clone()) } else { Reply::Bytes(bytes.clone()) }
            })
        });
    }

    /// Copies a text.
    pub fn copy_text(&self, text: &str) {
        self.copy(&[("UTF8_STRING", text.as_bytes())]);
    }

    /// Empties the clipboard, and lives on.
    pub fn let_go(&self) {
        self.order(Order::LetGo);
    }

    /// Asks the clipboard manager to keep its copy, as programs do that close; gives how long it was kept waiting.
    ///
    /// # Panics
    /// When there is no answer.
    pub fn saves(&self) -> Duration {
        let began = Instant::now();
        self.order(Order::Save);
        began.elapsed()
    }

    /// Ends.
    pub fn close(self) {
        self.order(Order::Close);
    }

    /// The names that were asked for since this was called last, in their order.
    pub fn asked(&self) -> Vec<String> {
        std::mem::take(&mut *self.asked.lock().expect("a list"))
    }
}

struct Sending {
    requestor: u32,
    property: u32,
    kind: u32,
    bytes: Vec<u8>,
    at: usize,
    half: bool,
}

struct Serving {
    conn: RustConnection,
    window: u32,
    clipboard: u32,
    targets: u32,
    incr: u32,
    names: Vec<String>,
    answers: Answers,
    sending: Vec<Sending>,
    asked: Arc<Mutex<Vec<String>>>,
}

impl Serving {
    fn new(conn: RustConnection, screen: usize, asked: Arc<Mutex<Vec<String>>>) -> Self {
        let atom =
            |name: &str| conn.intern_atom(false, name.as_bytes()).expect("X").reply().expect("an atom").atom;
        let (clipboard, targets, incr) = (atom("CLIPBOARD"), atom("TARGETS"), atom("INCR"));
        let window = conn.generate_id().expect("an id");
        let root = conn.setup().roots[screen].root;
        let look = CreateWindowAux::new();
        conn.create_window(0, window, root, 0, 0, 1, 1, 0, WindowClass::INPUT_ONLY, 0, &look).expect("X");
        let answers: Answers = Box::new(|_| Reply::Refusal);
        Self {
            conn,
            window,
            clipboard,
            targets,
            incr,
            names: Vec::new(),
            answers,
            sending: Vec::new(),
            asked,
        }
    }

    fn run(mut self, inbox: &mpsc::Receiver<Order>, bell: &std::os::fd::OwnedFd) {
        loop {
            match self.conn.poll_for_event() {
                Ok(Some(event)) => match self.handle(&event) {
                    Ok(true) => continue,
                    Ok(false) | Err(_) => return,
                },
                Ok(None) => {}
                Err(_) => return,
            }
            let _ = rustix::io::read(bell, &mut [0u8; 8]);
            loop {
                let done = match inbox.try_recv() {
                    Ok(Order::Own(names, answers, done)) => {
                        (self.names, self.answers) = (names, answers);
                        self.owns(self.window).map(|()| done)
                    }
                    Ok(Order::LetGo(done)) => self.owns(0).map(|()| done),
                    Ok(Order::Save(done)) => {
                        let saved = self.save();
                        saved.unwrap_or_else(|why| panic!("no answer to SAVE_TARGETS: {why}"));
                        Ok(done)
                    }
                    Ok(Order::Close(done)) => {
                        drop(self);
                        let _ = done.send(());
                        return;
                    }
                    Err(mpsc::TryRecvError::Empty) => break,
                    Err(mpsc::TryRecvError::Disconnected) => return,
                };
                let Ok(done) = done else { return };
                let _ = done.send(());
            }
            let mut fds = [
                PollFd::from_borrowed_fd(self.conn.stream().as_fd(), PollFlags::IN),
                PollFd::from_borrowed_fd(bell.as_fd(), PollFlags::IN),
            ];
            let _ = poll(&mut fds, Some(&Timespec { tv_sec: 1, tv_nsec: 0 }));
        }
    }

    fn owns(&self, window: u32) -> Result<(), x11rb::errors::ConnectionError> {
        self.conn.set_selection_owner(window, self.clipboard, 0u32)?;
        self.conn.flush()
    }

    /// Waits for the manager and answers nobody meanwhile.
    fn save(&self) -> Result<(), Box<dyn std::error::Error>> {
        let atom = |name: &str| -> Result<u32, Box<dyn std::error::Error>> {
            Ok(self.conn.intern_atom(false, name.as_bytes())?.reply()?.atom)
        };
        let (manager, save, property) = (atom("CLIPBOARD_MANAGER")?, atom("SAVE_TARGETS")?, atom("_SAVED")?);
        self.conn.convert_selection(self.window, manager, save, property, 0u32)?;
        self.conn.flush()?;
        let end = Instant::now() + crate::PATIENCE;
        while Instant::now() < end {
            match self.conn.poll_for_event()? {
                Some(Event::SelectionNotify(event)) if event.target == save => return Ok(()),
                Some(_) => {}
                None => std::thread::sleep(Duration::from_millis(1)),
            }
        }
        Err("in time".into())
    }

    /// False when the program is to close.
    fn handle(&mut self, event: &Event) -> Result<bool, Box<dyn std::error::Error>> {
        match event {
            Event::SelectionRequest(asked) => {
                let name = self.conn.get_atom_name(asked.target)?.reply()?.name;
                let name = String::from_utf8_lossy(&name).into_owned();
                self.asked.lock().expect("a list").push(name.clone());
                if asked.target == self.targets {
                    self.answer_targets(asked)?;
                } else {
                    let reply = (self.answers)(&name);
                    self.answer(asked, reply)?;
                }
                self.conn.flush()?;
                Ok(true)
            }
            Event::PropertyNotify(gone) if gone.state == Property::DELETE => {
                let known = |one: &Sending| one.requestor == gone.window && one.property == gone.atom;
                let Some(n) = self.sending.iter().position(known) else { return Ok(true) };
                let one = &mut self.sending[n];
                if one.half && one.at > 0 {
                    return Ok(false);
                }
                let end = (one.at + CHUNK).min(one.bytes.len());
                let chunk = &one.bytes[one.at..end];
                let last = chunk.is_empty();
                self.conn.change_property8(
                    PropMode::REPLACE,
                    one.requestor,
                    one.property,
                    one.kind,
                    chunk,
                )?;
                one.at = end;
                if last {
                    self.sending.swap_remove(n);
                }
                self.conn.flush()?;
                Ok(true)
            }
            _ => Ok(true),
        }
    }

    fn answer_targets(&self, asked: &SelectionRequestEvent) -> Result<(), Box<dyn std::error::Error>> {
        let mut atoms = vec![self.targets];
        for name in &self.names {
            atoms.push(self.conn.intern_atom(false, name.as_bytes())?.reply()?.atom);
        }
        let kind = AtomEnum::ATOM;
        self.conn.change_property32(PropMode::REPLACE, asked.requestor, asked.property, kind, &atoms)?;
        self.notify(asked, true)
    }

    fn answer(
        &mut self,
        asked: &SelectionRequestEvent,
        reply: Reply,
    ) -> Result<(), Box<dyn std::error::Error>> {
        let (requestor, property, kind) = (asked.requestor, asked.property, asked.target);
        let half = reply == Reply::Half;
        match reply {
            Reply::Bytes(bytes) => {
                self.conn.change_property8(PropMode::REPLACE, requestor, property, kind, &bytes)?;
            }
            Reply::Numbers(numbers) => {
                self.conn.change_property32(PropMode::REPLACE, requestor, property, kind, &numbers)?;
            }
            Reply::Chunks(_) | Reply::Half => {
                let bytes = if let Reply::Chunks(bytes) = reply { bytes } else { vec![b'x'; 4 * CHUNK] };
                let look = ChangeWindowAttributesAux::new().event_mask(EventMask::PROPERTY_CHANGE);
                self.conn.change_window_attributes(requestor, &look)?;
                let size = u32::try_from(bytes.len())?;
                self.conn.change_property32(PropMode::REPLACE, requestor, property, self.incr, &[size])?;
                self.sending.push(Sending { requestor, property, kind, bytes, at: 0, half });
            }
            Reply::Refusal => return self.notify(asked, false),
            Reply::Silence => return Ok(()),
            Reply::After(time, reply) => {
                let end = Instant::now() + time;
                while Instant::now() < end {
                    std::hint::black_box(0);
                }
                return self.answer(asked, *reply);
            }
        }
        self.notify(asked, true)
    }

    fn notify(&self, asked: &SelectionRequestEvent, done: bool) -> Result<(), Box<dyn std::error::Error>> {
        let word = SelectionNotifyEvent {
            response_type: SELECTION_NOTIFY_EVENT,
            sequence: 0,
            time: asked.time,
            requestor: asked.requestor,
            selection: asked.selection,
            target: asked.target,
            property: if done { asked.property } else { 0 },
        };
        self.conn.send_event(false, asked.requestor, EventMask::NO_EVENT, word)?;
        Ok(())
    }
}
