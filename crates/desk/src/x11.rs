//! The desk for X11: one thread, one connection, no polling. Watches CLIPBOARD by XFIXES, reads and serves it by the
//! selection protocol (ICCCM section 2), and answers SAVE_TARGETS as the display's clipboard manager, so that what a
//! closing program had copied stays pasteable.

mod atoms;
mod job;
mod keyboard;
mod outgoing;
mod picture;
mod process;
mod release;
mod session;
mod source;

use std::os::fd::{AsFd, OwnedFd};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError, mpsc as std_mpsc};
use std::time::Duration;

use rustix::event::{EventfdFlags, PollFd, PollFlags, Timespec, eventfd, poll};
use tokio::sync::mpsc;
use x11rb::errors::ConnectError;

use crate::{Command, Desk, DeskEvent, DeskEvents, DeskState, Keys, TakeError};
use session::{Ended, Session};

const FIRST_PAUSE: Duration = Duration::from_millis(100);
const LONGEST_PAUSE: Duration = Duration::from_secs(1);

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

/// Starts watching `display` (`None`: the one `DISPLAY` named when the program started; its value is given by the
/// caller, since libraries do not read the environment).
pub fn start(display: Option<String>) -> std::io::Result<(Desk, DeskEvents)> {
    start_with(display, Keys::default())
}

/// The same, listening for chords.
pub fn start_with(display: Option<String>, keys: Keys) -> std::io::Result<(Desk, DeskEvents)> {
    start_paused(display, keys, false)
}

/// The same; `paused`: what is copied is not read until that is resumed.
pub fn start_paused(
    display: Option<String>,
    keys: Keys,
    paused: bool,
) -> std::io::Result<(Desk, DeskEvents)> {
    let (tell, events) = mpsc::unbounded_channel();
    let (send, commands) = std_mpsc::channel();
    let bell = Arc::new(eventfd(0, EventfdFlags::NONBLOCK | EventfdFlags::CLOEXEC)?);
    let keys = Arc::new(Mutex::new(Arc::new(keys)));
    let paused = Arc::new(AtomicBool::new(paused));
    let inbox = Inbox { commands, bell: bell.clone(), keys: keys.clone(), paused: paused.clone() };
    let thread = std::thread::Builder::new()
        .name("desk".into())
        .spawn(move || run(display.as_deref(), &inbox, &tell))?;
    let send = move |command| {
        let sent = send.send(command).is_ok();
        let _ = rustix::io::write(&*bell, &1u64.to_ne_bytes());
        sent
    };
    Ok((Desk { send: Box::new(send), keys, paused, thread: Some(thread) }, events))
}

fn run(display: Option<&str>, inbox: &Inbox, tell: &mpsc::UnboundedSender<DeskEvent>) {
    let state = |state| {
        let _ = tell.send(DeskEvent::State(state));
    };
    let Some(display) = display.filter(|name| !name.is_empty()) else {
        let reason =
            "no display is known: start yadorid inside a desktop session, or pass --display".to_owned();
        state(DeskState::Absent { reason: reason.clone() });
        while !pause(inbox, None, &reason) {}
        return;
    };
    let mut wait = FIRST_PAUSE;
    let mut said = String::new();
    loop {
        let reason = match Session::open(display, inbox, tell) {
            Ok(mut session) => {
                state(DeskState::Watching { display: display.to_owned() });
                wait = FIRST_PAUSE;
                match session.run() {
                    Ended::Asked => return,
                    Ended::Lost => {
                        format!("the display {display} went away; copies are not being kept until it is back")
                    }
                }
            }
            Err(NoSession::Malformed(why)) => {
                let reason =
                    format!("`{display}` names no display ({why}); pass --display with a name such as :0");
                state(DeskState::Absent { reason: reason.clone() });
                while !pause(inbox, None, &reason) {}
                return;
            }
            Err(why) => why.in_words(display),
        };
        if said != reason {
            tracing::warn!("{reason}");
            state(DeskState::Lost { reason: reason.clone() });
            said.clone_from(&reason);
        }
        if pause(inbox, Some(wait), &reason) {
            return;
        }
        wait = (wait * 2).min(LONGEST_PAUSE);
    }
}

/// Why a display can't be watched.
#[derive(Debug)]
pub(crate) enum NoSession {
    /// Not a display name.
    Malformed(String),
    /// Nobody answers.
    Unreachable(String),
    /// The server lacks what is needed.
    Unfit(&'static str),
    /// Another Yadori watches it.
    Taken,
}

impl NoSession {
    fn in_words(&self, display: &str) -> String {
        match self {
            Self::Malformed(why) => format!("`{display}` names no display: {why}"),
            Self::Unreachable(why) => {
                format!(
                    "the display {display} does not answer ({why}); copies are not being kept until it does"
                )
            }
            Self::Unfit(what) => format!("the display {display} lacks {what}; copies can't be seen there"),
            Self::Taken => format!(
                "another Yadori service already watches the display {display}; stop it first (yadori stop)"
            ),
        }
    }
}

impl From<ConnectError> for NoSession {
    fn from(why: ConnectError) -> Self {
        match why {
            ConnectError::DisplayParsingError(why) => Self::Malformed(why.to_string()),
            why => Self::Unreachable(why.to_string()),
        }
    }
}

/// Waits for `time` (`None`: for ever), refusing takes meanwhile. True when told to stop.
fn pause(inbox: &Inbox, time: Option<Duration>, reason: &str) -> bool {
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
                Command::Forget(_) => {}
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
