//! What a desk is told to do, and the thread that does it.

use std::os::fd::{AsFd, OwnedFd};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError, mpsc as std_mpsc};
use std::time::Duration;

use rustix::event::{EventfdFlags, PollFd, PollFlags, Timespec, eventfd, poll};
use tokio::sync::mpsc;

use crate::{Command, Desk, DeskEvent, DeskEvents, Keys, TakeError};

/// Commands, and the descriptor that becomes readable when there is one.
pub(crate) struct Inbox {
    pub(crate) commands: std_mpsc::Receiver<Command>,
    pub(crate) bell: Arc<OwnedFd>,
    /// What is listened for, and what is pressed.
    pub(crate) keys: Arc<Mutex<Arc<Keys>>>,
    /// Copies are not read.
    pub(crate) paused: Arc<AtomicBool>,
}

impl Inbox {
    /// What is listened for now, and what is pressed.
    pub(crate) fn keys(&self) -> Arc<Keys> {
        self.keys.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Silences the bell; commands that came are then all in the channel.
    pub(crate) fn silence(&self) {
        let mut count = [0; 8];
        let _ = rustix::io::read(&*self.bell, &mut count);
    }
}

/// Starts a desk on a thread of its own.
pub(crate) fn spawn(
    name: &str,
    keys: Keys,
    paused: bool,
    run: impl FnOnce(&Inbox, &mpsc::UnboundedSender<DeskEvent>) + Send + 'static,
) -> std::io::Result<(Desk, DeskEvents)> {
    let (tell, events) = mpsc::unbounded_channel();
    let (send, commands) = std_mpsc::channel();
    let bell = Arc::new(eventfd(0, EventfdFlags::NONBLOCK | EventfdFlags::CLOEXEC)?);
    let keys = Arc::new(Mutex::new(Arc::new(keys)));
    let paused = Arc::new(AtomicBool::new(paused));
    let inbox = Inbox { commands, bell: bell.clone(), keys: keys.clone(), paused: paused.clone() };
    let thread = std::thread::Builder::new().name(name.into()).spawn(move || run(&inbox, &tell))?;
    let send = move |command| {
        let sent = send.send(command).is_ok();
        let _ = rustix::io::write(&*bell, &1u64.to_ne_bytes());
        sent
    };
    Ok((Desk { send: Box::new(send), keys, paused: vec![paused], thread: Some(thread) }, events))
}

/// Waits for `time` (`None`: for ever), refusing takes meanwhile. True when told to stop.
pub(crate) fn pause(inbox: &Inbox, time: Option<Duration>, reason: &str) -> bool {
    let until = time.map(|time| std::time::Instant::now() + time);
    loop {
        let left = until.map(|until| until.saturating_duration_since(std::time::Instant::now()));
        let limit = left.and_then(|left| Timespec::try_from(left).ok());
        let mut fds = [PollFd::from_borrowed_fd(inbox.bell.as_fd(), PollFlags::IN)];
        let _ = poll(&mut fds, limit.as_ref());
        inbox.silence();
        while let Ok(command) = inbox.commands.try_recv() {
            match command {
                Command::Stop => return true,
                Command::Take(_, done) => {
                    let _ = done.send(Err(TakeError::NoDisplay(reason.to_owned())));
                }
                Command::Paste(_, done) => {
                    let _ = done.send(Err(TakeError::NoDisplay(reason.to_owned()).into()));
                }
                Command::HandOver(done) => drop(done),
                Command::Target(_, done) => drop(done),
                Command::Clear(done) => drop(done.send(false)),
                Command::Forget(_) | Command::ExpectPicker | Command::PickerFailed => {}
                // They are read when the display is back.
                Command::Listen => {}
                Command::Resume(done) => {
                    inbox.paused.store(false, Ordering::SeqCst);
                    let _ = done.send(());
                }
            }
        }
        if until.is_some_and(|until| std::time::Instant::now() >= until) {
            return false;
        }
    }
}
