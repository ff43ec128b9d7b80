//! One exchange with a compositor, whatever is spoken, and files that are handed to it.

use std::io::Write as _;
use std::os::fd::{BorrowedFd, OwnedFd};
use std::time::Duration;

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::{MemfdFlags, SealFlags, fcntl_add_seals, memfd_create};
use wayland_client::backend::WaylandError;
use wayland_client::{Connection, DispatchError, EventQueue};

/// Sends what is to be sent, waits for something to come, here, on the bell or on what is `beside`, or for the time, and takes in
/// what has come. What is beside and the time are asked for when what came before has been taken in; no time: until something
/// comes.
///
/// # Errors
/// The connection is lost.
pub(crate) fn exchange<State>(
    connection: &Connection,
    queue: &mut EventQueue<State>,
    state: &mut State,
    bell: BorrowedFd<'_>,
    limit: impl FnOnce(&State) -> Option<Duration>,
    beside: impl for<'s> FnOnce(&'s State) -> Vec<PollFd<'s>>,
) -> Result<(), DispatchError> {
    queue.dispatch_pending(state)?;
    // What does not fit is sent on when there is room again.
    let full = match connection.flush() {
        Ok(()) => false,
        Err(WaylandError::Io(why)) if why.kind() == std::io::ErrorKind::WouldBlock => true,
        Err(why) => return Err(why.into()),
    };
    let Some(guard) = queue.prepare_read() else {
        queue.dispatch_pending(state)?;
        return Ok(());
    };
    let limit = limit(state).and_then(|left| Timespec::try_from(left).ok());
    let wanted = if full { PollFlags::IN | PollFlags::OUT } else { PollFlags::IN };
    let came = {
        let mut fds = beside(state);
        fds.push(PollFd::from_borrowed_fd(bell, PollFlags::IN));
        fds.push(PollFd::from_borrowed_fd(guard.connection_fd(), wanted));
        let _ = poll(&mut fds, limit.as_ref());
        fds.last().is_some_and(|own| !(own.revents() & !PollFlags::OUT).is_empty())
    };
    if came {
        match guard.read() {
            Ok(_) => {}
            Err(WaylandError::Io(why)) if why.kind() == std::io::ErrorKind::WouldBlock => {}
            Err(why) => return Err(why.into()),
        }
    }
    queue.dispatch_pending(state)?;
    Ok(())
}

/// A file in memory that whoever gets it can rely on.
///
/// # Errors
/// The system gives no memory or descriptor.
pub(crate) fn sealed_file(name: &str, bytes: &[u8], seals: SealFlags) -> std::io::Result<OwnedFd> {
    let file = memfd_create(name, MemfdFlags::CLOEXEC | MemfdFlags::ALLOW_SEALING)?;
    let mut file = std::fs::File::from(file);
    file.write_all(bytes)?;
    fcntl_add_seals(&file, seals)?;
    Ok(file.into())
}
