//! A copying program whose moment of copying is known exactly.

use std::os::fd::AsFd;
use std::time::{Duration, Instant};

use anyhow::Result;
use rustix::event::{PollFd, PollFlags, Timespec, poll};

use crate::Display;

/// How long it waits for a question before it looks whether it is to go on.
const LOOK: Duration = Duration::from_millis(1);

/// A copying program of our own, whose moment of copying is known exactly.
#[derive(Debug)]
pub struct Source {
    conn: x11rb::rust_connection::RustConnection,
    window: u32,
    clipboard: u32,
    targets: u32,
    utf8: u32,
}

impl Source {
    /// A program on this display.
    pub fn on(display: &Display) -> Result<Self> {
        use x11rb::connection::Connection;
        use x11rb::protocol::xproto::{ConnectionExt, CreateWindowAux, WindowClass};
        let (conn, screen) = x11rb::connect(Some(&display.name()))?;
        let root = conn.setup().roots[screen].root;
        let atom =
            |name: &str| -> Result<u32> { Ok(conn.intern_atom(false, name.as_bytes())?.reply()?.atom) };
        let (clipboard, targets, utf8) = (atom("CLIPBOARD")?, atom("TARGETS")?, atom("UTF8_STRING")?);
        let window = conn.generate_id()?;
        conn.create_window(
            0,
            window,
            root,
            0,
            0,
            1,
            1,
            0,
            WindowClass::INPUT_ONLY,
            0,
            &CreateWindowAux::new(),
        )?;
        Ok(Self { conn, window, clipboard, targets, utf8 })
    }

    /// Owns the clipboard and serves `text` for `time`, or until it has been asked for when `once` is set.
    pub fn copy(&self, text: &str, time: Duration, once: bool) -> Result<Instant> {
        let began = Instant::now();
        let forms = [(self.utf8, text.as_bytes())];
        self.serve(&forms, |asked| began.elapsed() < time && !(once && asked == Some(self.utf8)))?;
        Ok(began)
    }

    fn serve(&self, forms: &[(u32, &[u8])], go_on: impl Fn(Option<u32>) -> bool) -> Result<()> {
        use x11rb::connection::Connection;
        use x11rb::protocol::Event;
        use x11rb::protocol::xproto::{
            AtomEnum, ConnectionExt, EventMask, PropMode, SELECTION_NOTIFY_EVENT, SelectionNotifyEvent,
        };
        use x11rb::wrapper::ConnectionExt as _;
        self.conn.set_selection_owner(self.window, self.clipboard, 0u32)?;
        self.conn.flush()?;
        let mut last = None;
        while go_on(last.take()) {
            let Some(event) = self.conn.poll_for_event()? else {
                self.conn.flush()?;
                let mut fds = [PollFd::from_borrowed_fd(self.conn.stream().as_fd(), PollFlags::IN)];
                let _ = poll(&mut fds, Timespec::try_from(LOOK).ok().as_ref());
                continue;
            };
            let Event::SelectionRequest(asked) = event else { continue };
            let form = forms.iter().find(|(atom, _)| *atom == asked.target);
            if let Some((atom, bytes)) = form {
                let mode = PropMode::REPLACE;
                self.conn.change_property8(mode, asked.requestor, asked.property, *atom, bytes)?;
            } else if asked.target == self.targets {
                let mut names = vec![self.targets];
                names.extend(forms.iter().map(|(atom, _)| *atom));
                self.conn.change_property32(
                    PropMode::REPLACE,
                    asked.requestor,
                    asked.property,
                    AtomEnum::ATOM,
                    &names,
                )?;
            }
            let known = form.is_some() || asked.target == self.targets;
            let word = SelectionNotifyEvent {
                response_type: SELECTION_NOTIFY_EVENT,
                sequence: 0,
                time: asked.time,
                requestor: asked.requestor,
                selection: asked.selection,
                target: asked.target,
                property: if known { asked.property } else { 0 },
            };
            self.conn.send_event(false, asked.requestor, EventMask::NO_EVENT, word)?;
            self.conn.flush()?;
            last = Some(asked.target);
        }
        Ok(())
    }
}
