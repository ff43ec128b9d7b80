//! What chords do: the clip at a place is pasted, the picker is started. In the order in which they were pressed.

use std::process::ExitStatus;
use std::time::Duration;

use tokio::sync::mpsc;
use yadori_api::{Form, Hand, Hitch, PasteInto, Take};
use yadori_core::acts::{Act, BatchChange};
use yadori_core::{BatchId, Clip};
use yadori_desk::PasteError;

use super::picker::Picker;
use crate::batches::hand::{HandError, hand};
use crate::home::random::random;
use crate::state::app::{App, Shared};
use crate::state::clock::now;
use crate::state::pressed::Pressed;
use crate::take::error::TakeError;
use crate::take::take::take;
use crate::writer::{Queue, With, WriteError};

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
    #[error("gathering is as it was: {0}")]
    Write(WriteError),
    #[error(
        "the picker did not come up within two seconds, so the keyboard was let go; see `picker.command` in the configuration"
    )]
    NoPicker,
    #[error("the picker could not be started ({0}); name a command as `picker.command` in the configuration")]
    NotStarted(String),
    #[error("the picker's page could not be opened, for the console is not served: {0}")]
    NoConsole(String),
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

/// Does what was pressed until there is no more.
pub async fn run(app: Shared, queue: Queue, picker: Picker, mut pressed: mpsc::UnboundedReceiver<Pressed>) {
    while let Some(pressed) = pressed.recv().await {
        let outcome = match pressed {
            Pressed::Paste(_, Some(clip)) => paste(&app, &clip).await,
            Pressed::Paste(n, None) => Err(ChordError::NothingThere(n)),
            Pressed::Next => next(&app, &queue).await,
            Pressed::Gather => gather(&app, &queue).await,
            Pressed::Picker => picker.start(&app),
            // Why has been told: it could not be started, or ended at once.
            Pressed::NoPicker if app.health.now().hitch.is_some() => continue,
            Pressed::NoPicker => Err(ChordError::NoPicker),
        };
        said(&app, outcome.err());
    }
}

fn said(app: &App, hitch: Option<ChordError>) {
    if let Some(why) = hitch {
        tracing::warn!("a chord did not do what it is for");
        app.health.change(|health| health.hitch = Some(Hitch { at: now(), words: why.to_string() }));
    } else if app.health.now().hitch.is_some() {
        app.health.change(|health| health.hitch = None);
    }
}

async fn paste(app: &App, clip: &Clip) -> Result<(), ChordError> {
    let wanted = Take { form: Form::Ready, paste: Some(PasteInto::Front), ..Take::default() };
    take(app, clip, &wanted).await?;
    Ok(())
}

async fn next(app: &App, queue: &Queue) -> Result<(), ChordError> {
    let wanted = Hand { paste: Some(PasteInto::Front), ..Hand::default() };
    match hand(app, queue, None, &wanted).await {
        Ok(_) => Ok(()),
        Err(HandError::Take(why)) => Err(ChordError::from(why)),
        Err(why) => Err(ChordError::Batch(why)),
    }
}

/// Copies join a new batch from now on; or no longer, if they did.
async fn gather(app: &App, queue: &Queue) -> Result<(), ChordError> {
    let gathering = app.clips.history().batches().gathering().map(|one| one.id);
    let on = gathering.is_none();
    let change = BatchChange { gathering: Some(on), ..BatchChange::default() };
    let act = match gathering {
        Some(batch) => Act::ChangeBatch { batch, change },
        None => Act::NewBatch {
            id: BatchId(random().map_err(|_| ChordError::Write(WriteError::NoRandomness))?),
            pieces: Vec::new(),
            change,
        },
    };
    queue.act(act, With::default()).await.map(drop).map_err(ChordError::Write)
}

/// A picker that ends at once is told of.
pub(super) async fn watch(app: Shared, program: String, mut child: tokio::process::Child) {
    let began = tokio::time::Instant::now();
    let Ok(status) = child.wait().await else { return };
    if !status.success() && began.elapsed() < AT_ONCE {
        said(&app, Some(ChordError::EndedAtOnce(program, status)));
    }
}
