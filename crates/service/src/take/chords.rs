//! What chords do: the clip at a place is pasted, the picker is started. In the order in which they were pressed.

use std::path::PathBuf;
use std::process::Stdio;
use std::sync::Arc;
use std::time::Duration;

use tokio::process::Command;
use tokio::sync::mpsc;
use yadori_api::{Form, Hitch, PasteInto, Take};
use yadori_core::Clip;
use yadori_core::take::chord::Purpose;

use crate::state::app::{App, Shared};
use crate::state::clock::now;
use crate::take::take::{TakeError, take};

/// Terminals that a picker can be shown in, the desktop's own choice first, and what stands before the program in them.
const TERMINALS: [(&str, &[&str]); 4] = [
    ("xterm", &["-T", "Yadori", "-geometry", "100x28", "-e"]),
    ("x-terminal-emulator", &["-e"]),
    ("konsole", &["-e"]),
    ("gnome-terminal", &["--"]),
];
/// A picker that ends so soon, and badly, has not come up.
const AT_ONCE: Duration = Duration::from_millis(500);

/// A chord that was pressed.
#[derive(Debug)]
pub enum Pressed {
    /// What stood at a place in that moment; `None`: nothing did.
    Paste(u8, Option<Arc<Clip>>),
    /// The picker is wanted.
    Picker,
    /// It did not come up.
    NoPicker,
}

/// What was meant, in the moment of the press: a copy that comes later changes nothing about it.
pub fn meant(app: &App, purpose: Purpose) -> Pressed {
    match purpose {
        Purpose::Picker => Pressed::Picker,
        Purpose::Place(n) => Pressed::Paste(n, app.clips.history().at(usize::from(n)).cloned()),
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
pub async fn run(app: Shared, picker: Picker, mut pressed: mpsc::UnboundedReceiver<Pressed>) {
    while let Some(pressed) = pressed.recv().await {
        let hitch = match pressed {
            Pressed::Paste(_, Some(clip)) => paste(&app, &clip).await.err(),
            Pressed::Paste(n, None) => {
                Some(format!("nothing was pasted: there is no clip at place {n}; `yadori list` shows them"))
            }
            Pressed::Picker => picker.start(&app).err(),
            Pressed::NoPicker => Some(
                "the picker did not come up within two seconds, so the keyboard was let go; see `picker.command` in the \
                 configuration"
                    .to_owned(),
            ),
        };
        said(&app, hitch);
    }
}

fn said(app: &App, hitch: Option<String>) {
    if let Some(words) = &hitch {
        tracing::warn!("a chord did not do what it is for");
        app.health.change(|health| health.hitch = Some(Hitch { at: now(), words: words.clone() }));
    } else if app.health.now().hitch.is_some() {
        app.health.change(|health| health.hitch = None);
    }
}

async fn paste(app: &App, clip: &Clip) -> Result<(), String> {
    let wanted = Take { form: Form::Ready, paste: Some(PasteInto::Front), ..Take::default() };
    match take(app, clip, &wanted).await {
        Ok(_) => Ok(()),
        Err(TakeError::Paste(why)) => {
            Err(format!("it was not pasted: {why}. It is on the clipboard: paste it as you usually do"))
        }
        Err(TakeError::Asks(_)) => {
            Err("it was not pasted: it asks something first; take it in the console or with `yadori take`"
                .into())
        }
        Err(why) => Err(format!("it was not taken: {why}")),
    }
}

impl Picker {
    fn start(&self, app: &Shared) -> Result<(), String> {
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
        Err(format!(
            "the picker could not be started ({}); name a command as `picker.command` in the configuration",
            tried.join(", ")
        ))
    }
}

/// A picker that ends at once is told of.
async fn watch(app: Shared, program: String, mut child: tokio::process::Child) {
    let began = tokio::time::Instant::now();
    let Ok(status) = child.wait().await else { return };
    if !status.success() && began.elapsed() < AT_ONCE {
        let words = format!(
            "the picker ended at once ({program}: {status}); see `picker.command` in the configuration"
        );
        said(&app, Some(words));
    }
}
