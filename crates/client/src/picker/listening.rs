//! Keys of the terminal, read on a thread of their own; not while an editor has the terminal.

use std::sync::mpsc::{Sender, channel};
use std::time::Duration;

use crossterm::event::{Event, poll, read};
use rustix::event::{PollFd, PollFlags};
use yadori_api::picker::keys::Ask;

use super::{Comes, keys};

/// What has come already. With no time at all nothing is looked at.
const AT_ONCE: Duration = Duration::from_millis(1);

/// After a key that may open an editor, nothing is read before it is known whether it did.
pub(super) struct Listening(Sender<bool>);

/// What is pressed next may be meant for an editor.
pub(super) fn may_edit(event: &Event) -> bool {
    keys::pressed(event) == Some(Ask::Edit)
}

impl Listening {
    /// What is pressed is sent on until nobody wants it any more.
    pub(super) fn begin(send: Sender<Comes>) -> Self {
        let (go, goes) = channel();
        tell_of_the_end(send.clone());
        std::thread::spawn(move || {
            loop {
                let Ok(event) = read() else {
                    let _ = send.send(Comes::Gone);
                    return;
                };
                let waits = may_edit(&event);
                if send.send(Comes::Pressed(event)).is_err() {
                    return;
                }
                if !waits {
                    continue;
                }
                let Ok(edited) = goes.recv() else { return };
                // What came with that key was meant for the editor, and is nobody's now.
                while edited && poll(AT_ONCE).unwrap_or(false) && read().is_ok() {}
            }
        });
        Self(go)
    }

    /// The key that may open an editor was dealt with; `edited`: one was open.
    pub(super) fn go_on(&self, edited: bool) {
        let _ = self.0.send(edited);
    }
}

/// Tells when the terminal has gone, which whoever reads keys is not told: where nobody is, there is always nothing to read.
fn tell_of_the_end(send: Sender<Comes>) {
    std::thread::spawn(move || {
        let terminal = std::io::stdin();
        loop {
            // Asked for nothing, it tells of the end alone (poll(2), POLLHUP).
            match rustix::event::poll(&mut [PollFd::new(&terminal, PollFlags::empty())], None) {
                Err(rustix::io::Errno::INTR) => {}
                _ => {
                    let _ = send.send(Comes::Gone);
                    return;
                }
            }
        }
    });
}
