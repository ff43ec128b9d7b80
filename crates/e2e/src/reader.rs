//! A program of our own that pastes: it asks for what it wants, and can read every copy that is made, as barely as that can
//! be done.

use std::os::fd::AsFd;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use x11rb::connection::Connection;
use x11rb::protocol::Event;
use x11rb::protocol::xfixes::{ConnectionExt as _, SelectionEventMask};
use x11rb::protocol::xproto::{
    AtomEnum, ConnectionExt as _, CreateWindowAux, EventMask, PropMode, WindowClass,
};
use x11rb::rust_connection::RustConnection;
use x11rb::wrapper::ConnectionExt as _;

use crate::{Display, PATIENCE};

/// The program.
#[derive(Debug)]
pub struct Reader {
    conn: RustConnection,
    window: u32,
}

impl Reader {
    /// A program on this display.
    pub fn on(display: &Display) -> Self {
        let (conn, screen) = x11rb::connect(Some(&display.name())).expect("a display");
        let window = conn.generate_id().expect("an id");
        let root = conn.setup().roots[screen].root;
        let look = CreateWindowAux::new().event_mask(EventMask::PROPERTY_CHANGE);
        conn.create_window(0, window, root, 0, 0, 1, 1, 0, WindowClass::INPUT_ONLY, 0, &look).expect("X");
        Self { conn, window }
    }

    fn atom(&self, name: &str) -> u32 {
        self.conn.intern_atom(false, name.as_bytes()).expect("X").reply().expect("an atom").atom
    }

    /// Asks a selection for a target; gives the bytes of the answer, `None` for a refusal, and how long it took.
    ///
    /// # Panics
    /// When nobody answers.
    pub fn ask(&self, selection: &str, target: &str) -> (Option<Vec<u8>>, Duration) {
        let (selection, target, property) = (self.atom(selection), self.atom(target), self.atom("_READ"));
        let began = Instant::now();
        self.conn.convert_selection(self.window, selection, target, property, 0u32).expect("X");
        let answer = self.wait_for(|event| match event {
            Event::SelectionNotify(event) if event.target == target => Some(event.property),
            _ => None,
        });
        let took = began.elapsed();
        (self.value(answer), took)
    }

    /// Asks for several targets at once (MULTIPLE, ICCCM section 2.6.2). Gives the bytes of each, `None` for those that
    /// the answer says are missing.
    pub fn ask_several(&self, targets: &[&str]) -> Vec<Option<Vec<u8>>> {
        let list = self.atom("_LIST");
        let pairs: Vec<u32> = targets
            .iter()
            .enumerate()
            .flat_map(|(n, target)| [self.atom(target), self.atom(&format!("_READ_{n}"))])
            .collect();
        let kind = self.atom("ATOM_PAIR");
        self.conn.change_property32(PropMode::REPLACE, self.window, list, kind, &pairs).expect("X");
        let (selection, multiple) = (self.atom("CLIPBOARD"), self.atom("MULTIPLE"));
        self.conn.convert_selection(self.window, selection, multiple, list, 0u32).expect("X");
        let answer = self.wait_for(|event| match event {
            Event::SelectionNotify(event) => Some(event.property),
            _ => None,
        });
        assert_eq!(answer, list, "refused as a whole");
        let reply = self.conn.get_property(true, self.window, list, AtomEnum::ANY, 0, 1_000).expect("X");
        let pairs: Vec<u32> = reply.reply().expect("a list").value32().expect("of atoms").collect();
        pairs.chunks(2).map(|pair| if pair[0] == 0 { None } else { self.value(pair[1]) }).collect()
    }

    fn value(&self, property: u32) -> Option<Vec<u8>> {
        if property == 0 {
            return None;
        }
        let any = AtomEnum::ANY;
        let asked = self.conn.get_property(true, self.window, property, any, 0, u32::MAX / 4).expect("X");
        Some(asked.reply().expect("a property").value)
    }

    fn wait_for<T>(&self, wanted: impl Fn(&Event) -> Option<T>) -> T {
        self.conn.flush().expect("X");
        let end = Instant::now() + PATIENCE;
        loop {
            while let Some(event) = self.conn.poll_for_event().expect("X") {
                if let Some(found) = wanted(&event) {
                    return found;
                }
            }
            assert!(Instant::now() < end, "nobody answers");
            self.wait(Duration::from_millis(50));
        }
    }

    fn wait(&self, time: Duration) {
        let mut fds = [PollFd::from_borrowed_fd(self.conn.stream().as_fd(), PollFlags::IN)];
        let _ = poll(&mut fds, Timespec::try_from(time).ok().as_ref());
    }

    /// Reads the text of every copy until told to stop: one request when the clipboard changes hands, nothing else. Gives
    /// what came, in its order.
    pub fn read_all(self, stop: Arc<AtomicBool>) -> std::thread::JoinHandle<Vec<String>> {
        let (clipboard, text, property) =
            (self.atom("CLIPBOARD"), self.atom("UTF8_STRING"), self.atom("_READ"));
        self.conn.xfixes_query_version(5, 0).expect("X").reply().expect("XFIXES");
        let mask = SelectionEventMask::SET_SELECTION_OWNER;
        self.conn.xfixes_select_selection_input(self.window, clipboard, mask).expect("X");
        self.conn.flush().expect("X");
        std::thread::spawn(move || {
            let mut came = Vec::new();
            loop {
                match self.conn.poll_for_event().expect("X") {
                    Some(Event::XfixesSelectionNotify(event)) => {
                        let time = event.selection_timestamp;
                        self.conn.convert_selection(self.window, clipboard, text, property, time).expect("X");
                        self.conn.flush().expect("X");
                    }
                    Some(Event::SelectionNotify(event)) => {
                        let bytes = self.value(event.property);
                        came.extend(bytes.map(|bytes| String::from_utf8_lossy(&bytes).into_owned()));
                    }
                    Some(_) => {}
                    None if stop.load(Ordering::SeqCst) => return came,
                    None => self.wait(Duration::from_millis(20)),
                }
            }
        })
    }
}
