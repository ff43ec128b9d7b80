//! What chords do: the clip at a place is pasted, the picker is started. In the order in which they were pressed.

use std::path::PathBuf;
use std::process::{ExitStatus, Stdio};
use std::time::Duration;

use tokio::process::Command;
use tokio::sync::mpsc;
use yadori_api::{Form, Hand, Hitch, PasteInto, Take};
use yadori_core::acts::{Act, BatchChange};
use yadori_core::{BatchId, Clip};
use yadori_desk::PasteError;

use crate::batches::hand::{HandError, hand};
use crate::home::random::random;
use crate::state::app::{App, Shared};
use crate::state::clock::now;
use crate::state::pressed::Pressed;
use crate::take::error::TakeError;
use crate::take::take::take;
use crate::writer::{Queue, With, WriteError};

/// Terminals that a picker can be shown in, and what stands before the program in them.
const TERMINALS: [(&str, &[&str]); 4] = [
    ("xterm", &["-T", "Yadori", "-geometry", "100x28", "-e"]),
    ("x-terminal-emulator", &["-e"]),
    ("konsole", &["-e"]),
    ("gnome-terminal", &["--"]),
];
/// A picker that ends so soon, and badly, has not come up.
const AT_ONCE: Duration = Duration::from_millis(500);

/// Why a chord did not do what it is for.
#[derive(Debug, thiserror::Error)]
enum ChordError {
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

/// How the picker is started.
#[derive(Clone, Debug)]
pub struct Picker {
    /// The command of the configuration; empty: a terminal that is found.
    pub command: Vec<String>,
    /// The display that is watched.
    pub display: Option<String>,
    /// The one directory of this device.
    pub under: Option<PathBuf>,
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

impl Picker {
    fn start(&self, app: &Shared) -> Result<(), ChordError> {
        let client = std::env::current_exe().ok().and_then(|own| Some(own.parent()?.join("yadori")));
        let client = client.filter(|path| path.exists()).unwrap_or_else(|| "yadori".into());
        let mut tried = Vec::new();
        let commands: Vec<(String, Vec<String>)> = match self.command.split_first() {
            Some((program, arguments)) => vec![(program.clone(), arguments.to_vec())],
            None => TERMINALS
                .iter()
                .map(|(program, before)| {
                    let client = client.to_string_lossy().into_owned();
                    let before = before.iter().map(|one| (*one).to_owned());
                    ((*program).to_owned(), before.chain([client, "pick".into()]).collect())
                })
                .collect(),
        };
        for (program, arguments) in commands {
            let mut command = Command::new(&program);
            command.args(arguments).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
            if let Some(display) = &self.display {
                command.env("DISPLAY", display);
            }
            if let Some(under) = &self.under {
                command.env("YADORI_HOME", under);
            }
            match command.spawn() {
                Ok(child) => {
                    app.parts.start("the picker", watch(app.clone(), program, child));
                    return Ok(());
                }
                Err(why) => tried.push(format!("{program}: {why}")),
            }
        }
        Err(ChordError::NotStarted(tried.join(", ")))
    }
}

/// A picker that ends at once is told of.
async fn watch(app: Shared, program: String, mut child: tokio::process::Child) {
    let began = tokio::time::Instant::now();
    let Ok(status) = child.wait().await else { return };
    if !status.success() && began.elapsed() < AT_ONCE {
        said(&app, Some(ChordError::EndedAtOnce(program, status)));
    }
}
