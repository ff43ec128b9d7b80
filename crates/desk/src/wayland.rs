//! The clipboard of a Wayland compositor, by the protocols that let a program without a window follow and own it. Windows and
//! keys are told of and pressed by further protocols, where the compositor has them.

pub mod keys;
mod session;
mod state;
pub(crate) mod wire;

use std::path::PathBuf;
use std::time::Duration;

use tokio::sync::mpsc;

use crate::inbox::{self, Inbox, pause};
use crate::{Desk, DeskEvent, DeskEvents, DeskState, Keys};
use session::{Ended, Session};

const FIRST_PAUSE: Duration = Duration::from_millis(50);
const LONGEST_PAUSE: Duration = Duration::from_secs(2);

/// Starts watching the compositor behind this socket; `paused`: what is copied is not read until that is resumed.
///
/// # Errors
/// The system gives no thread or descriptor.
pub fn start(socket: PathBuf, keys: Keys, paused: bool) -> std::io::Result<(Desk, DeskEvents)> {
    inbox::spawn("wayland desk", keys, paused, move |inbox, tell| run(&socket, inbox, tell))
}

fn run(socket: &std::path::Path, inbox: &Inbox, tell: &mpsc::UnboundedSender<DeskEvent>) {
    let name = socket.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
    let state = |state| {
        let _ = tell.send(DeskEvent::State(state));
    };
    let mut wait = FIRST_PAUSE;
    let mut said = String::new();
    loop {
        let (reason, for_good) = match Session::open(socket, inbox, tell) {
            Ok(mut session) => {
                state(DeskState::Watching { display: name.clone(), note: None });
                (wait, said) = (FIRST_PAUSE, String::new());
                match session.run() {
                    Ended::Asked => return,
                    Ended::Lost => (
                        format!("the display {name} went away; copies are not being kept until it is back"),
                        false,
                    ),
                }
            }
            Err(why) => (why.in_words(&name), matches!(why, NoSession::NoControl)),
        };
        if said != reason {
            tracing::warn!("{reason}");
            said.clone_from(&reason);
            let reason = reason.clone();
            state(if for_good { DeskState::Absent { reason } } else { DeskState::Lost { reason } });
        }
        if for_good {
            wait = LONGEST_PAUSE; // another compositor may come to stand there
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
    /// Nobody answers.
    Unreachable(String),
    /// It lets no program follow the clipboard.
    NoControl,
    /// It has no seat.
    NoSeat,
}

impl NoSession {
    fn in_words(&self, display: &str) -> String {
        match self {
            Self::Unreachable(why) => {
                format!(
                    "the display {display} does not answer ({why}); copies are not being kept until it does"
                )
            }
            Self::NoControl => format!(
                "the compositor of {display} lets no program follow the clipboard (it has neither ext-data-control nor wlr-data-control), so copies of Wayland programs are not seen; use a compositor that does, or an X11 session"
            ),
            Self::NoSeat => {
                format!("the display {display} has no seat yet; copies are not being kept until it has")
            }
        }
    }
}
