//! A copying program whose moment of copying is known exactly.

use std::time::{Duration, Instant};

use anyhow::Result;

use crate::Display;

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
        use x11rb::connection::Connection;
        use x11rb::protocol::Event;
        use x11rb::protocol::xproto::{
            AtomEnum, ConnectionExt, EventMask, PropMode, SELECTION_NOTIFY_EVENT, SelectionNotifyEvent,
        };
        use x11rb::wrapper::ConnectionExt as _;
        let began = Instant::now();
        self.conn.set_selection_owner(self.window, self.clipboard, 0u32)?;
        self.conn.flush()?;
        while began.elapsed() < time {
            let Some(event) = self.conn.poll_for_event()? else {
                std::thread::sleep(Duration::from_micros(50));
                continue;
            };
            let Event::SelectionRequest(asked) = event else { continue };
            let content = asked.target != self.targets;
            if content {
                self.conn.change_property8(
                    PropMode::REPLACE,
                    asked.requestor,
                    asked.property,
                    self.utf8,
                    text.as_bytes(),
                )?;
            } else {
                let names = [self.targets, self.utf8];
                self.conn.change_property32(
                    PropMode::REPLACE,
                    asked.requestor,
                    asked.property,
                    AtomEnum::ATOM,
                    &names,
                )?;
            }
            let word = SelectionNotifyEvent {
                response_type: SELECTION_NOTIFY_EVENT,
                sequence: 0,
                time: asked.time,
                requestor: asked.requestor,
                selection: asked.selection,
                target: asked.target,
                property: asked.property,
            };
            self.conn.send_event(false, asked.requestor, EventMask::NO_EVENT, word)?;
            self.conn.flush()?;
            if content && once {
                break;
            }
        }
        Ok(began)
    }
}
