//! The desk for X11: one thread, one connection, no polling. Watches CLIPBOARD by XFIXES, reads and serves it by the
//! selection protocol (ICCCM section 2), and answers SAVE_TARGETS as the display's clipboard manager, so that what a
//! closing program had copied stays pasteable.

mod atoms;
mod keyboard;
mod outgoing;
mod process;
mod session;
mod source;

use std::time::Duration;

use tokio::sync::mpsc;
use x11rb::errors::ConnectError;

use crate::beside::Beside;
use crate::inbox::{self, Inbox, pause};
use crate::{Desk, DeskEvent, DeskEvents, DeskState, Keys};
use session::{Ended, Session};

const FIRST_PAUSE: Duration = Duration::from_millis(100);
const LONGEST_PAUSE: Duration = Duration::from_secs(1);

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
    inbox::spawn("desk", keys, paused, move |inbox, tell| run(display.as_deref(), None, inbox, tell))
}

/// The same for the X display of a compositor that is watched as well.
pub(crate) fn start_beside(
    display: String,
    keys: Keys,
    paused: bool,
    beside: Beside,
) -> std::io::Result<(Desk, DeskEvents)> {
    inbox::spawn("desk", keys, paused, move |inbox, tell| run(Some(&display), Some(&beside), inbox, tell))
}

fn run(
    display: Option<&str>,
    beside: Option<&Beside>,
    inbox: &Inbox,
    tell: &mpsc::UnboundedSender<DeskEvent>,
) {
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
        let reason = match Session::open(display, beside, inbox, tell) {
            Ok(mut session) => {
                state(DeskState::Watching { display: display.to_owned(), note: None });
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
