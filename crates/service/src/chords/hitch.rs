//! Why a chord did not do what it is for, and how that is told.

use std::process::ExitStatus;
use std::time::Duration;

use yadori_api::Hitch;
use yadori_desk::PasteError;

use crate::batches::hand::HandError;
use crate::intake::pause::PauseError;
use crate::state::app::{App, Shared};
use crate::state::clock::now;
use crate::take::error::TakeError;
use crate::writer::WriteError;

/// A picker that ends so soon, and badly, has not come up.
const AT_ONCE: Duration = Duration::from_millis(500);

/// Why a chord did not do what it is for.
#[derive(Debug, thiserror::Error)]
pub(super) enum ChordError {
    #[error("nothing was pasted: there is no clip at place {0}; `yadori list` shows them")]
    NothingThere(u8),
    #[error("it was not pasted: {0}. It is on the clipboard: paste it as you usually do")]
    NotPasted(PasteError),
    #[error("it was not pasted: it asks something first; take it in the console or with `yadori take`")]
    Asks,
    #[error("it was not taken: {0}")]
    NotTaken(TakeError),
    #[error("nothing was pasted: {0}")]
    Batch(HandError),
    #[error("{0}")]
    Pause(PauseError),
    #[error("gathering is as it was: {0}")]
    Write(WriteError),
    #[error(
        "the picker did not come up, so the keyboard was let go; see `picker.command` in the configuration"
    )]
    NoPicker,
    #[error("the picker could not be started ({0}); name a command as `picker.command` in the configuration")]
    NotStarted(String),
    #[error("the picker's page could not be opened, for the console is not served: {0}")]
    NoConsole(String),
    #[error("the console could not be opened ({0}); `yadori console --open` opens it, or install xdg-utils")]
    NoBrowser(String),
    #[error("the picker's page could not be opened: the system gives no random numbers now")]
    NoRandomness,
    #[error("the picker ended at once ({0}: {1}); see `picker.command` in the configuration")]
    EndedAtOnce(String, ExitStatus),
}

impl From<TakeError> for ChordError {
    fn from(why: TakeError) -> Self {
        match why {
            TakeError::Paste(why) => Self::NotPasted(why),
            TakeError::Asks(_) => Self::Asks,
            why => Self::NotTaken(why),
        }
    }
}

/// Tells of it; or that there is nothing to be told any more.
pub(super) fn said(app: &App, hitch: Option<ChordError>) {
    if let Some(why) = hitch {
        tracing::warn!("a chord did not do what it is for");
        app.health.change(|health| health.hitch = Some(Hitch { at: now(), words: why.to_string() }));
    } else if app.health.now().hitch.is_some() {
        app.health.change(|health| health.hitch = None);
    }
}

/// A picker that ends at once is told of.
pub(super) async fn watch(app: Shared, program: String, mut child: tokio::process::Child) {
    let began = tokio::time::Instant::now();
    let Ok(status) = child.wait().await else { return };
    if status.success() {
        return;
    }
    if let Some(desk) = &app.desk {
        desk.picker_failed();
    }
    if began.elapsed() < AT_ONCE {
        said(&app, Some(ChordError::EndedAtOnce(program, status)));
    }
}
