//! What an X display knows of the compositor that it belongs to.

use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// The other display of an X display.
#[derive(Clone, Debug)]
pub(crate) struct Beside {
    /// The compositor's socket.
    pub(crate) socket: PathBuf,
    /// It is being watched, and leads.
    pub(crate) leads: Arc<AtomicBool>,
}

impl Beside {
    pub(crate) fn leads(&self) -> bool {
        self.leads.load(Ordering::SeqCst)
    }

    /// The compositor's process (unix(7), `SO_PEERCRED`).
    pub(crate) fn process(&self) -> Option<u32> {
        let stream = std::os::unix::net::UnixStream::connect(&self.socket).ok()?;
        let credentials = rustix::net::sockopt::socket_peercred(&stream).ok()?;
        u32::try_from(credentials.pid.as_raw_nonzero().get()).ok()
    }
}
